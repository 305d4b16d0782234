/* part.h — the description of one microcontroller: memories, registers, ports, vectors, clock.
 *
 * A part is plain data. It is usually loaded from a part file (docs/part-files.md), and may as well be filled in by
 * a program. Spaces are numbered as in its architecture. */
#ifndef OAKSPINDLE_PART_H
#define OAKSPINDLE_PART_H

#include <oakspindle/architecture.h>
#include <oakspindle/diag.h>
#include <oakspindle/port.h>

#ifdef __cplusplus
extern "C" {
#endif

enum { OAK_LARGEST_MEMORY = 64 << 20 }; /* bytes of one memory: the simulator keeps all of it */

/* Memory that is several chips, all alike. */
typedef struct oak_part_chips {
    uint32_t each;      /* cells of one; 0: it is not told as chips */
    uint32_t row;       /* cells that stand in a row */
    uint8_t bank;       /* chips that are selected together; 0: there are no banks */
    uint8_t ports;      /* the space in which each has a port; 0: none */
    const char *called; /* with its number: "ram" */
    const char *beside; /* the memory of which so many cells stand beside each row, by its name; NULL: none */
} oak_part_chips;

typedef struct oak_part_memory {
    uint8_t space;
    bool writable;
    uint32_t base;
    uint32_t size; /* bytes */
    const char *title;
    const char *name;    /* "flash", "ram"; that of its space where the part gives none */
    uint32_t first_free; /* the lowest address the assembler places floating sections at */
    bool loaded;         /* RAM that a loader fills with code and data before the program begins */
    bool mirror;         /* its cells stand elsewhere, too, and are counted there */
    oak_part_chips chips;
} oak_part_memory;
/* A program, or data that it begins with, may lie in this memory. */
static inline bool oak_memory_is_filled(const oak_part_memory *memory)
{
    return memory && (!memory->writable || memory->loaded);
}

/* The meaning of one value of a field. */
typedef struct oak_part_value {
    const char *name;
    uint32_t value;
} oak_part_value;

typedef enum oak_part_access { OAK_READ_WRITE, OAK_READ_ONLY, OAK_WRITE_ONLY } oak_part_access;

/* A bit or a field of a register. */
typedef struct oak_part_field {
    const char *name;
    uint8_t bit;                  /* lowest bit */
    uint8_t width;                /* bits, from 1 */
    const char *title;            /* may be empty */
    const oak_part_value *values; /* what some of its values mean */
    unsigned value_count;
    const char *otherwise; /* what every other value means, or NULL */
    oak_part_access access;
} oak_part_field;

/* What a field holds in a register, and what that means, or NULL. */
static inline uint32_t oak_field_value(const oak_part_field *field, uint32_t whole)
{
    if (!field) return 0;
    return whole >> field->bit & (field->width >= 32 ? UINT32_MAX : ((uint32_t)1 << field->width) - 1);
}
const char *oak_field_meaning(const oak_part_field *field, uint32_t whole);

typedef struct oak_part_register {
    const char *name;
    uint8_t space;
    uint8_t bits; /* 8, 16 or 32 */
    uint32_t address;
    uint32_t reset; /* value after reset */
    oak_part_access
        access; /* read only: writing it is a mistake, and does nothing; write only: what is read of it means nothing */
    bool may_stay; /* one that configures the chip: it is usual to leave it erased */
    const char *title;
    const oak_part_field *fields; /* highest bit first */
    unsigned field_count;
} oak_part_register;

/* How a pin drives: both ways; only low, else floating; low, and weakly high. */
typedef enum oak_stage { OAK_PUSH_PULL, OAK_OPEN_DRAIN, OAK_QUASI } oak_stage;

enum { OAK_MOST_PINS = 32, OAK_MOST_PORTS = 40 };

typedef struct oak_part_port {
    const char *name;
    uint32_t address; /* of its register */
    uint8_t space;
    uint8_t pin_count;
    oak_stage stage;
    const char *title;
    const char *alternate[OAK_MOST_PINS]; /* other function of each pin, or NULL */
    bool has_block; /* a block of kind port drives it, with directions; else its register is its latch */
} oak_part_port;

/* A device that is built from a block: which kind, and which fields of its registers do what. docs/part-files.md lists the
 * kinds with their roles. */
typedef enum oak_block_kind {
    OAK_BLOCK_PORT,
    OAK_BLOCK_TIMER,
    OAK_BLOCK_SERIAL,
    OAK_BLOCK_WATCHDOG,
    OAK_BLOCK_TIMER_PAIR,
    OAK_BLOCK_CAPTURE_TIMER,
    OAK_BLOCK_EDGE_INPUTS,
    OAK_BLOCK_FRAMED_SERIAL,
    OAK_BLOCK_HANDSHAKE,
    OAK_BLOCK_DOWN_COUNTER,
    OAK_BLOCK_WIRED_LINE,
    OAK_BLOCK_PRESCALED_TIMER,
    OAK_BLOCK_PIN_EVENTS,
    OAK_BLOCK_EEPROM,
    OAK_BLOCK_TIMEOUT,
    OAK_BLOCK_WIDE_TIMER,
    OAK_BLOCK_PERIOD_TIMER,
    OAK_BLOCK_CHANNEL,
    OAK_BLOCK_COMPARE_TIMER,
    OAK_BLOCK_INTERVAL_WATCHDOG,
    OAK_BLOCK_FREE_TIMER,
    OAK_BLOCK_TIMER_CHANNEL,
    OAK_BLOCK_RATE_INTERRUPT,
    OAK_BLOCK_ARMED_WATCHDOG,
    OAK_BLOCK_MACHINE_TIMER,
    OAK_BLOCK_WAVE_TIMER,
    OAK_BLOCK_PIN_REQUEST,
    OAK_BLOCK_GUARDED_WATCHDOG
} oak_block_kind;
enum {
    OAK_BLOCK_KINDS = OAK_BLOCK_GUARDED_WATCHDOG + 1,
    OAK_NO_LINE = 0xFFFF,
    OAK_NO_PIN = 0xFFFF,
    OAK_MOST_BLOCKS = 32,
    OAK_MOST_ROLES = 64,
    OAK_MOST_TIMERS = 3,
    OAK_MOST_BLOCK_LINES = 4,
    OAK_MOST_USES = 5 /* pins that a block listens to or drives */
};

typedef struct oak_part_role {
    uint32_t address; /* of the register */
    uint8_t role;     /* numbered by the kind of block */
    uint8_t bit, width;
} oak_part_role;

typedef struct oak_part_block {
    const char *name;
    const char *title;
    oak_block_kind kind;
    uint8_t space;
    uint32_t base;
    uint16_t interrupts[OAK_MOST_BLOCK_LINES]; /* its lines, in the order of its kind, or OAK_NO_LINE */
    uint16_t uses[OAK_MOST_USES]; /* pins, by what they are for (oak_block_use_name), or OAK_NO_PIN */
    uint16_t pin;                 /* a port: its number; a timer: the pin it can drive, or OAK_NO_PIN */
    uint32_t
        unit; /* a watchdog: cycles of one step; a timeout: in all; an EEPROM: of a write; a wide timer: of a step at its fastest rate */
    const char *memory; /* an EEPROM: the memory behind it, by its name; or NULL */
    uint32_t
        key; /* a watchdog: the value that feeds it; 0: any; an interval watchdog: the byte that must go with a write, and above it the one that is read in its place; a wide timer: 1: its high byte always goes through a buffer, and a write holds it */
    uint8_t timers
        [OAK_MOST_TIMERS]; /* a channel: the blocks that count for it, numbers + 1: two wide timers, a period timer; 0: none */
    const oak_part_role *roles;
    unsigned role_count;
} oak_part_block;

/* Is a field of a register another name for one before it, or for a part of another one? */
bool oak_field_is_second_name(const oak_part_register *reg, unsigned field);
/* The number of a role of a kind of block by its name, or -1; the name of a role, NULL behind the last. */
int oak_block_role(oak_block_kind kind, const char *name);
const char *oak_block_role_name(oak_block_kind kind, unsigned role);
const char *oak_block_kind_name(oak_block_kind kind);
/* True for the kinds that send bytes: they are the lines of oak_chip_ops.take_output, in their order. */
bool oak_block_sends(oak_block_kind kind);
/* What the pins of a kind of block are for: "count-0", "receive"; NULL behind the last. */
const char *oak_block_use_name(oak_block_kind kind, unsigned use);
/* A role without which a block of a kind could do nothing, by index from 0; NULL behind the last. */
const char *oak_block_needs(oak_block_kind kind, unsigned index);

typedef struct oak_part_vector {
    const char *name;
    uint32_t address;
    const char *title;
    bool is_value; /* it holds a plain value (the first stack pointer), no handler */
} oak_part_vector;

/* Something the chip has beside memory and ports: a timer, a serial port. */
typedef struct oak_part_feature {
    const char *name;
    const char *title;
} oak_part_feature;

typedef struct oak_part {
    const char *name;
    const char *title;
    const oak_architecture *architecture;
    uint64_t clock_millihertz; /* usual clock, in 1/1000 Hz */
    uint32_t clocks_per_cycle;
    const oak_part_memory *memories;
    unsigned memory_count;
    const oak_part_register *registers; /* ascending by space and address */
    unsigned register_count;
    const oak_part_port *ports;
    unsigned port_count;
    const oak_part_vector *vectors;
    unsigned vector_count;
    const oak_part_feature *features;
    unsigned feature_count;
    const oak_part_block *blocks;
    unsigned block_count;
    uint16_t interrupt_lines; /* of devices */
    uint8_t priority_bits;    /* of each; 0: the architecture has no such thing */
} oak_part;

/* Fills in the examples of a text with what a part has: $C the space or memory of code, $D and $S the memory and space of variables, $A an address there as
 * a source writes it, $P the same as ADDRESS, $a and $b the first and last of 16 cells there, $X a cell elsewhere, $R a register, $Q
 * one that points. What is too long is cut. */
void oak_part_example(const oak_part *part, const char *text, char *example, size_t room);

/* Part, board and project files are YAML. True when a text is nested deeper than any of them may be, which is refused before it is
 * read further; *line and *column, from 1, say where. */
bool oak_yaml_is_deep(const char *text, size_t size, uint32_t *line, uint32_t *column);

/* Loads a part file. A part it extends is looked for beside it, as NAME.yaml. Every fault is reported with line and
 * column. Returns OAK_REFUSED, OAK_NOT_FOUND or OAK_IO_ERROR (each after a diagnostic), OAK_NO_MEMORY, OAK_OK. The host
 * must outlive the part. */
OAK_MUST_USE oak_status oak_part_load(const oak_host *host, const char *path, const oak_diag_sink *sink,
                                      oak_part **part);
/* Where parts that are extended may lie beside the file's own folder (NULL: nowhere else); and the names to be had, for suggestions, up to
 * NULL (or NULL). */
typedef struct oak_part_shelf {
    const char *folder;
    const char *const *names;
} oak_part_shelf;
/* The same, with a shelf; it may go when the call has returned. */
OAK_MUST_USE oak_status oak_part_load_from(const oak_host *host, const char *path,
                                           const oak_part_shelf *shelf, const oak_diag_sink *sink,
                                           oak_part **part);
/* Makes a part of plain data that somebody has filled in; what `plain` points to must outlive it. OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_part_copy(const oak_host *host, const oak_part *plain, oak_part **part);
/* Frees a loaded or copied part; NULL is allowed. */
void oak_part_free(oak_part *part);

/* Lookups; letters of either case are alike. NULL or false when there is none. What they find may be unwanted: `reg`, `field` and `pin` may be NULL. */
const oak_part_register *oak_part_find_register(const oak_part *part, const char *name, size_t length);
const oak_part_register *oak_part_register_at(const oak_part *part, unsigned space, uint32_t address);
const oak_part_memory *oak_part_find_memory(const oak_part *part, unsigned space, uint32_t address);
/* A register that configures the chip: a word in memory that only a programmer writes. */
bool oak_part_is_configuration(const oak_part *part, const oak_part_register *reg);
const oak_part_memory *oak_part_find_memory_named(const oak_part *part, const char *name, size_t length);
/* A field by its own name ("TR0"). */
bool oak_part_find_field(const oak_part *part, const char *name, size_t length, const oak_part_register **reg,
                         const oak_part_field **field);
/* A pin written "p1.3": its number port * 32 + bit. */
bool oak_part_find_pin(const oak_part *part, const char *name, size_t length, unsigned *pin);
/* The number of a space by its name, 0 when there is none. */
unsigned oak_part_find_space(const oak_part *part, const char *name, size_t length);

#ifdef __cplusplus
}
#endif
#endif
