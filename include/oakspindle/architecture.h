/* architecture.h — what can be known of an instruction set without running it: spaces, registers, flags.
 *
 * All of it is constant data; the numbers of spaces and registers are indexes into these tables. */
#ifndef OAKSPINDLE_ARCHITECTURE_H
#define OAKSPINDLE_ARCHITECTURE_H

#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct oak_space_info {
    const char
        *name; /* as written in programs and on the command line; space 0 is "number": no space at all */
    const char *title;
    bool of_bits;   /* addresses of this space name single bits */
    bool special;   /* its cells are special function registers */
    uint32_t first; /* its addresses are first to end - 1; end 0: none */
    uint64_t end;
    /* Bits of what one address names; 0: a byte. In an image, and where memory is read and written, it takes whole bytes, of which the
     * lowest comes first. */
    uint8_t unit_bits;
    bool takes_memory; /* a special space in which a part may also put plain RAM */
    uint32_t
        page; /* addresses of a page or bank, where something else than an address selects one; 0: none */
} oak_space_info;

typedef struct oak_register_info {
    const char *name; /* the manual's name, in lower case */
    uint8_t bits;
    const char *title;
    bool
        derived; /* shown and settable, but part of another register or of memory: not stored in state files */
    uint8_t points_to; /* the space that it holds addresses of, where it is there for that; 0: none */
} oak_register_info;

typedef struct oak_flag_info {
    const char *name;
    uint8_t reg;   /* register number */
    uint8_t bit;   /* lowest bit */
    uint8_t width; /* bits */
    const char *title;
    bool is_vector;  /* its value is the number of the vector being handled, 0 in the main program */
    uint8_t follows; /* the register whose value it is worked out from, whoever writes that; 0: it is kept */
} oak_flag_info;

/* A register that is also cells of memory: reading and writing these is reading and writing it. In the space OAK_REGISTER_FILE they are
 * bytes of no memory: registers that are parts of others share them. */
enum { OAK_REGISTER_FILE = 255 };
typedef struct oak_register_cells {
    uint8_t reg, space, size; /* size: cells */
    uint8_t banks, stride;    /* it is one of so many, so far from each other; 0: always the same */
    uint32_t address;
} oak_register_cells;

/* A register that an interrupt puts on the stack. */
typedef struct oak_stack_saved {
    uint8_t reg, bytes;
} oak_stack_saved;

/* How return addresses are kept. */
typedef struct oak_stack_info {
    uint8_t pointer;      /* the register; of a hardware stack it counts the levels in use */
    uint8_t space;        /* that the stack lies in; 0: a hardware stack */
    uint8_t cell;         /* bytes of one push */
    uint8_t return_bytes; /* of a return address */
    bool grows_up;
    bool points_to_free;         /* the pointer names the next free cell, not the one on top */
    bool return_high_first;      /* the byte at the lowest address of a return address is the highest */
    uint8_t first_level, levels; /* of a hardware stack: the registers that are its levels */
    const oak_stack_saved
        *saved; /* what an interrupt puts there behind the return address, the last one first */
    uint8_t saved_count;
    uint32_t usual_first; /* where a stack that grows up begins when nobody says so */
} oak_stack_info;

typedef struct oak_architecture {
    const char *name;
    const char *title;
    const char *cycle_unit; /* what the cycle counter counts: "machine cycle", "core clock" */
    bool big_endian;        /* the order in which `dw` lays down bytes */
    uint16_t elf_machine;   /* its number in ELF files */
    uint8_t word_bytes;     /* the widest value one instruction loads or stores */
    uint8_t code_align;     /* instructions begin at multiples of this */
    uint8_t memory_align;   /* memories begin and end at multiples of this; 0: anywhere */
    uint8_t vector_bytes;   /* of a vector that holds an address; 0: vectors hold instructions */
    uint16_t vector_first;  /* interrupt n is taken at vector_first + n * vector_step */
    uint8_t vector_step;
    const uint16_t *vector_list; /* where they are, of each line, when they are not evenly spaced */
    uint8_t own_lines;           /* lines of the core, where no controller of the part has them */
    uint8_t own_exceptions;      /* numbers below this are the core's own, not lines of the part */
    uint8_t
        part_bits; /* of the lower part of an address, where instructions take it in two: %hi and %lo; 0: nowhere */
    uint8_t code_bit; /* set in the address of code when it is kept in a register or a vector; 0: none */
    const oak_space_info *spaces;
    unsigned space_count;
    unsigned code_space;
    const oak_register_info *registers;
    unsigned register_count;
    const char *const *called; /* what programs call each register, where that is another name; or NULL */
    unsigned pc_register;
    oak_stack_info stack;
    const oak_register_cells *cells; /* of registers */
    unsigned cells_count;
    unsigned state_register; /* holds the state of a row of instructions, where there is one */
    const oak_flag_info *flags;
    unsigned flag_count;
    unsigned restless_register; /* number + 1 of one that every instruction changes; 0: none */
    bool
        fields_by_name; /* where bits have no addresses: bits of special registers are numbers by their own names, too */
    bool
        fields_are_masks; /* fields of special registers, and flags, are their bits by their own names, FIELD_n the value n of a field */
    unsigned banked_from; /* registers from this number on are those of other modes, as "sp_irq"; 0: none */
    bool
        enters; /* a loader begins the program: where `entry` says, an exported `start`; else where a reset leads */
    unsigned bank_flag; /* number + 1 of the flag that selects the bank of registers; 0: none does */
} oak_architecture;

/* A register as programs call it. */
static inline const char *oak_register_called(const oak_architecture *about, unsigned number)
{
    if (!about) return (const char *)0;
    const char *called = about->called ? about->called[number] : (const char *)0;
    return called ? called : about->registers[number].name;
}

/* The vector of a line. */
static inline uint32_t oak_vector_of(const oak_architecture *about, unsigned line)
{
    if (!about) return 0;
    return about->vector_list ? about->vector_list[line] : about->vector_first + line * about->vector_step;
}
/* Whether one of so many lines has its vector at an address. */
static inline bool oak_is_vector(const oak_architecture *about, unsigned lines, uint32_t address)
{
    for (unsigned line = 0; about && line < lines; line++)
        if (oak_vector_of(about, line) == address) return true;
    return false;
}

/* Bytes that what one address of a space names takes in an image, and where it is read and written. */
static inline unsigned oak_unit_bytes(const oak_architecture *about, unsigned space)
{
    if (!about) return 0;
    return about->spaces[space].unit_bits > 8 ? (about->spaces[space].unit_bits + 7u) / 8 : 1;
}

/* Whether values of several cells in a space begin with the highest; words of more than 8 bits lie low byte first everywhere. */
static inline bool oak_is_high_first(const oak_architecture *about, unsigned space)
{
    return about && about->big_endian && about->spaces[space].unit_bits <= 8;
}
/* The number that up to 8 bytes of a space hold, and back: the only two that know the order of bytes. */
static inline uint64_t oak_number_at(const oak_architecture *about, unsigned space, const uint8_t *bytes,
                                     unsigned count)
{
    uint64_t number = 0;
    if (!about || !bytes) return 0;
    bool high_first = oak_is_high_first(about, space);
    for (unsigned i = 0; i < count; i++) number |= (uint64_t)bytes[high_first ? count - 1 - i : i] << (8 * i);
    return number;
}
static inline void oak_put_number(const oak_architecture *about, unsigned space, uint64_t number,
                                  uint8_t *bytes, unsigned count)
{
    if (!about || !bytes) return;
    bool high_first = oak_is_high_first(about, space);
    for (unsigned i = 0; i < count; i++) bytes[high_first ? count - 1 - i : i] = (uint8_t)(number >> (8 * i));
}

/* Finds an architecture by its name, or returns NULL. */
const oak_architecture *oak_architecture_find(const char *name);
/* The architectures this library has, by index from 0; NULL after the last. */
const oak_architecture *oak_architecture_at(unsigned index);

#ifdef __cplusplus
}
#endif
#endif
