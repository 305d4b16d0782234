/* cpu12.h — shared by the files of the 16-bit accumulator machine: numbers of rows, spaces, registers; the state of one core, around the kit's. */
#ifndef OAK_CPU12_H
#define OAK_CPU12_H

#include "base/bytes.h"
#include "isa/kit/table.h"
#include "isa/kit/vectored.h"

#define KIT_TABLE        "isa/cpu12/cpu12.def"
#define KIT_ROW_NAME(id) CPU12_##id
#define KIT_COUNT        CPU12_ROWS
#include "isa/kit/rows.h"

enum { CPU12_NUMBER, CPU12_MEM, CPU12_FLASH, CPU12_SPACES };
enum {
    CPU12_SPAN = 0x10000,
    CPU12_WINDOW =
        0x8000, /* of CPU12_PAGE addresses on paged flash: page 0x30 lies at place 0xc0000, and so on */
    CPU12_PAGE = 0x4000,
    CPU12_PAGES = 0xC0000,
    CPU12_PLACES = 0x100000,
    CPU12_PPAGE = 0x30, /* the register that selects one */
    CPU12_VECTORS = 0xFFC0,
    CPU12_LINES = 27, /* of interrupts; the highest is the most urgent */
    CPU12_XIRQ = 26,  /* held back by x alone */
    CPU12_FRAME = 9   /* bytes that an interrupt pushes */
};

/* Where vectors lie; the last one leads on from a reset by the watchdog. */
enum { CPU12_BY_PROGRAM = 0xFFF6, CPU12_TRAPPED = 0xFFF8, CPU12_RESET = 0xFFFE, CPU12_COP = 0xFFFA };

/* Where registers lie in reg[]: words, the low byte first; one that is always 0, for addresses that need none. */
enum { RB, RA, RD = RB, RX = 2, RY = 4, RSP = 6, RZERO = 8, RTMP2 = 10, RTMP3 = 12, REG_BYTES = 14 };

/* Bits of ccr. */
enum { CPU12_C = 1, CPU12_V = 2, CPU12_Z = 4, CPU12_N = 8, CPU12_I = 0x10, CPU12_H = 0x20, CPU12_X = 0x40 };
enum {
    CPU12_S = 0x80,
    CPU12_KEPT = CPU12_S | CPU12_X | CPU12_I
}; /* kept: those that are no flags of a result */

/* The flags, as far as they have been worked out: N is bit 15 of n, Z that z is 0, V bit 15 of v, C bit 16 of c, H bit 4 of h. */
typedef struct cpu12_flags {
    uint32_t n, z, v, c, h;
} cpu12_flags;

struct oak_core {
    kit_core kit; /* first */
    kit_objects objects;
    uint8_t known[CPU12_PLACES]; /* 1 where ROM was programmed */
    bool paged;
    uint8_t guard[CPU12_PLACES + 1]; /* kit.guard; the last one is never open */
    /* While one instruction is under way: its registers before addresses moved them on, and whether devices may be reached. */
    uint8_t before[RTMP2];
    bool moved, single, selects; /* a page, by a write: `wanted`, from the next instruction on */
    uint8_t wanted;
    uint64_t reads, writes; /* when it does that */

    /* From here on: what a tape holds. */
    uint8_t reg[REG_BYTES];
    uint8_t ccr; /* of it CPU12_KEPT */
    uint8_t page;
    uint8_t waits; /* 1: for an interrupt, with its frame pushed; 2: the same, with all clocks still */
    cpu12_flags flags;
    kit_lines lines;
    kit_stack stack;
    uint8_t mem[CPU12_PLACES]; /* on a tape what a program sees */
};

static inline uint8_t cpu12_ccr(uint32_t kept, const cpu12_flags *f)
{
    return (uint8_t)((kept & CPU12_KEPT) | (f->c >> 16 & 1) | (f->v >> 15 & 1) << 1 | (f->z ? 0 : CPU12_Z) |
                     (f->n >> 15 & 1) << 3 | (f->h >> 4 & 1) << 5);
}
static inline cpu12_flags cpu12_flags_of(uint32_t ccr)
{
    return (cpu12_flags){(ccr & CPU12_N) << 12, !(ccr & CPU12_Z), (ccr & CPU12_V) << 14,
                         (ccr & CPU12_C) << 16, (ccr & CPU12_H) >> 1};
}

/* clang-format off */
/* Registers: name, bits, where they lie, title, whether they are part of others, what they point to. */
#define CPU12_REGISTER_LIST(ONE)                                                                                        \
    ONE(PC, "pc", 16, KIT_AT(kit.pc), "program counter", false, 0)                                                      \
    ONE(A, "a", 8, KIT_AT(reg[RA]), "accumulator a", false, 0) ONE(B, "b", 8, KIT_AT(reg[RB]), "accumulator b", false, 0)     \
    ONE(X, "x", 16, PAIR_AT(RX), "index register x", false, CPU12_MEM) ONE(Y, "y", 16, PAIR_AT(RY), "index register y", false, CPU12_MEM) \
    ONE(SP, "sp", 16, PAIR_AT(RSP), "stack pointer", false, CPU12_MEM) ONE(CCR, "ccr", 8, NOWHERE, "flags", false, 0)         \
    ONE(D, "d", 16, PAIR_AT(RD), "a and b in one word", true, 0)
#define CPU12_REGISTER_NUMBER(id, ...) CPU12_REG_##id,
enum { CPU12_REGISTER_LIST(CPU12_REGISTER_NUMBER) CPU12_REGISTERS };
/* clang-format on */

/* The address a program sees of a place; and the place an address is that is seen at a place. */
static inline uint32_t cpu12_seen(uint32_t place)
{
    return place < CPU12_SPAN ? place : CPU12_WINDOW | place % CPU12_PAGE;
}
static inline uint32_t cpu12_place(uint32_t at, uint32_t seen)
{
    bool inside = at >= CPU12_SPAN && (seen & 0xC000) == CPU12_WINDOW;
    return inside ? at / CPU12_PAGE * CPU12_PAGE + seen % CPU12_PAGE : seen;
}

/* What an operand of a move counts from that names pc, beside its end. */
int cpu12_beside(unsigned row, unsigned operand);
extern const oak_insn_row cpu12_rows[CPU12_ROWS];
extern const uint8_t cpu12_cycles[CPU12_ROWS];
extern const oak_isa oak_isa_cpu12;
extern const oak_core_ops cpu12_core_ops;

#endif
