/* z80.h — shared by the files of the Z80: numbers of rows, spaces, registers; the state of one core, around the kit's. */
#ifndef OAK_Z80_H
#define OAK_Z80_H

#include "base/bytes.h"
#include "isa/kit/table.h"
#include "isa/kit/vectored.h"

#define KIT_TABLE        "isa/z80/z80.def"
#define KIT_ROW_NAME(id) Z80_##id
#define KIT_COUNT        Z80_ROWS
#include "isa/kit/rows.h"

enum { Z80_NUMBER, Z80_MEM, Z80_IO, Z80_SPACES };
enum {
    Z80_SPAN = 0x10000,
    Z80_MASKABLE = 8, /* lines 0 to 7, the lowest the most urgent */
    Z80_NMI = 8,      /* the line that cannot be held back: its rising edge counts */
    Z80_LINES = 9
};

/* Where registers lie in reg[]: of a pair the low half first. */
enum {
    RC,
    RB,
    RE,
    RD,
    RL,
    RH,
    RSP,
    RA = 8,
    RF,
    RIX,
    RIY = 12,
    ALT_C = 14,
    ALT_F = 21,
    REG_BYTES,
    RBC = RC,
    RDE = RE,
    RHL = RL,
    RAF = RA
};

/* The flags, as far as they have been worked out. */
typedef struct z80_flags {
    uint32_t sz; /* a result: S is bit 7, Z that bits 0 to 7 are 0 */
    uint32_t
        by; /* what was combined to sz: of by ^ sz H is bit 4, P/V that bits 7 and 8 differ; marks above */
    uint32_t cy; /* C is bit 8 */
    uint32_t hx; /* H is bit 4, with Z80_OWN_H */
    uint32_t xy; /* bits 5 and 3 are those of F, with Z80_OWN_XY; else those of sz are */
} z80_flags;

enum {
    Z80_N = 1 << 9,
    Z80_OWN_H = 1 << 10,
    Z80_OWN_XY = 1 << 11,
    Z80_HIGH = 1 << 12,   /* of a sum of 16 bits: H is bit 12 of hx, bits 5 and 3 are those of cy */
    Z80_PLAIN = 1 << 13,  /* all of F is in the low byte of xy, too */
    Z80_PARITY = 1 << 14, /* P/V is the parity of sz, H is bit 4 of by */
    Z80_SIGN = 1 << 15,   /* S is set though sz is 0 */
    Z80_KEPT = 0x1FF | Z80_PARITY | Z80_SIGN /* where C changes, and H, N and bits 5 and 3 with it */
};

struct oak_core {
    kit_core kit; /* first */
    kit_objects objects;
    uint8_t known[Z80_SPAN];     /* 1 where ROM was programmed */
    uint8_t guard[Z80_SPAN + 1]; /* kit.guard; the last one is never open */

    /* From here on: what a tape holds. */
    uint8_t reg[REG_BYTES];
    uint8_t i, refresh_high, iff1, iff2, im, halted, nmi, serving;
    z80_flags flags;
    uint32_t wz;       /* the address last put together: `bit n, (hl)` shows some of it */
    uint32_t refresh;  /* r, less the instructions and prefixes since reset */
    uint32_t prefixes; /* since reset */
    uint32_t line;     /* what asks for an interrupt, a bit a line */
    uint64_t from[Z80_LINES];
    kit_stack stack;
    uint8_t mem[Z80_SPAN];
};

/* Has a byte an even number of ones? */
static inline bool z80_even(uint32_t byte)
{
    return !(0x6996u >> ((byte ^ byte >> 4) & 15) & 1);
}

static inline bool z80_pv(uint32_t sz, uint32_t by)
{
    uint32_t carried = by ^ sz;
    return by & Z80_PARITY ? z80_even(sz & 0xFF) : (carried ^ carried >> 1) >> 7 & 1;
}

static inline uint32_t z80_half(uint32_t sz, uint32_t by, uint32_t hx)
{
    return (by & Z80_HIGH ? hx >> 8 : by & Z80_OWN_H ? hx : by & Z80_PARITY ? by : by ^ sz) & 0x10;
}

/* F as the chip would show it, and back. */
static inline uint8_t z80_flags_of(const z80_flags *f)
{
    uint32_t by = f->by, sign = by & Z80_SIGN ? 0x80 : f->sz & 0x80, zero = f->sz & 0xFF ? 0 : 0x40,
             half = z80_half(f->sz, by, f->hx),
             yx = (by & Z80_HIGH     ? f->cy
                   : by & Z80_OWN_XY ? f->xy
                                     : f->sz) &
                  0x28;
    return (uint8_t)(sign | zero | yx | half | (uint32_t)z80_pv(f->sz, by) << 2 | (by & Z80_N ? 2 : 0) |
                     (f->cy >> 8 & 1));
}

/* sz of a value of F in bits 24 to 31, and by. */
#define Z80_SZ_OF(f) (((f)&0x40 ? 0u : 1u) | ((f)&0xC0) * ((f)&0x40 ? 0u : 1u))
#define Z80_BY_OF(f)                                                                                         \
    (Z80_SZ_OF(f) << 24 | ((Z80_SZ_OF(f) & 0x80) ^ ((f)&0x10u) ^ ((f)&4u) << 5) | ((f)&2 ? Z80_N : 0u) |     \
     ((f) >> 6 == 3 ? Z80_SIGN : 0u) | Z80_OWN_XY | Z80_PLAIN)

static inline void z80_set_flags(z80_flags *f, uint32_t value)
{
    uint32_t by = Z80_BY_OF(value);
    *f = (z80_flags){.sz = by >> 24, .by = by & 0xFFFF, .cy = value << 8, .xy = value};
}

/* clang-format off */
/* Registers: name, bits, where they lie, title, whether they are part of others, what they point to. */
#define Z80_REGISTER_LIST(ONE)                                                                                                        \
    ONE(PC, "pc", 16, KIT_AT(kit.pc), "program counter", false, 0)                                                            \
    ONE(A, "a", 8, KIT_AT(reg[RA]), "accumulator", false, 0) ONE(F, "f", 8, NOWHERE, "flags", false, 0)                         \
    ONE(B, "b", 8, KIT_AT(reg[RB]), "register b", false, 0) ONE(C, "c", 8, KIT_AT(reg[RC]), "register c", false, Z80_IO)        \
    ONE(D, "d", 8, KIT_AT(reg[RD]), "register d", false, 0) ONE(E, "e", 8, KIT_AT(reg[RE]), "register e", false, 0)             \
    ONE(H, "h", 8, KIT_AT(reg[RH]), "register h", false, 0) ONE(L, "l", 8, KIT_AT(reg[RL]), "register l", false, 0)             \
    ONE(A2, "a'", 8, KIT_AT(reg[ALT_F - 1]), "second accumulator", false, 0) ONE(F2, "f'", 8, KIT_AT(reg[ALT_F]), "second flags", false, 0) \
    ONE(B2, "b'", 8, KIT_AT(reg[ALT_C + RB]), "second b", false, 0) ONE(C2, "c'", 8, KIT_AT(reg[ALT_C + RC]), "second c", false, 0) \
    ONE(D2, "d'", 8, KIT_AT(reg[ALT_C + RD]), "second d", false, 0) ONE(E2, "e'", 8, KIT_AT(reg[ALT_C + RE]), "second e", false, 0) \
    ONE(H2, "h'", 8, KIT_AT(reg[ALT_C + RH]), "second h", false, 0) ONE(L2, "l'", 8, KIT_AT(reg[ALT_C + RL]), "second l", false, 0) \
    ONE(IX, "ix", 16, PAIR_AT(RIX), "index register ix", false, Z80_MEM) ONE(IY, "iy", 16, PAIR_AT(RIY), "index register iy", false, Z80_MEM) \
    ONE(SP, "sp", 16, PAIR_AT(RSP), "stack pointer", false, Z80_MEM)                                                          \
    ONE(I, "i", 8, KIT_AT(i), "interrupt page", false, 0) ONE(R, "r", 8, NOWHERE, "refresh counter", false, 0)                  \
    ONE(IFF1, "iff1", 1, KIT_AT(iff1), "interrupts are let through", false, 0)                                                \
    ONE(IFF2, "iff2", 1, KIT_AT(iff2), "and were, before the one that cannot be held back", false, 0)                         \
    ONE(IM, "im", 2, KIT_AT(im), "interrupt mode", false, 0)                                                                  \
    ONE(AF, "af", 16, NOWHERE, "accumulator and flags", true, 0) ONE(BC, "bc", 16, PAIR_AT(RBC), "pair bc", true, Z80_MEM)      \
    ONE(DE, "de", 16, PAIR_AT(RDE), "pair de", true, Z80_MEM) ONE(HL, "hl", 16, PAIR_AT(RHL), "pair hl", true, Z80_MEM)         \
    ONE(IXH, "ixh", 8, KIT_AT(reg[RIX + 1]), "high half of ix", true, 0) ONE(IXL, "ixl", 8, KIT_AT(reg[RIX]), "low half of ix", true, 0) \
    ONE(IYH, "iyh", 8, KIT_AT(reg[RIY + 1]), "high half of iy", true, 0) ONE(IYL, "iyl", 8, KIT_AT(reg[RIY]), "low half of iy", true, 0)
#define Z80_REGISTER_NUMBER(id, ...) Z80_REG_##id,
enum { Z80_REGISTER_LIST(Z80_REGISTER_NUMBER) Z80_REGISTERS };
/* clang-format on */

extern const oak_insn_row z80_rows[Z80_ROWS];
extern const uint8_t z80_cycles[Z80_ROWS];
extern const oak_isa oak_isa_z80;
extern const oak_core_ops z80_core_ops;

#endif
