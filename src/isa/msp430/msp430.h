/* msp430.h — shared by the files of the MSP430: numbers of rows, spaces, registers; the state of one core, around the kit's. */
#ifndef OAK_MSP430_H
#define OAK_MSP430_H

#include "base/bytes.h"
#include "isa/kit/table.h"
#include "isa/kit/vectored.h"

#define KIT_TABLE        "isa/msp430/msp430.def"
#define KIT_ROW_NAME(id) MSP430_##id
#define KIT_COUNT        MSP430_ROWS
#include "isa/kit/rows.h"

enum { MSP430_NUMBER, MSP430_MEM, MSP430_SPACES };
enum {
    MSP430_SPAN = 0x10000,
    MSP430_VECTORS = 0xFFE0,
    MSP430_LINES = 15, /* of interrupts; the highest is the most urgent */
    MSP430_RESET = 0xFFFE
};

/* Registers by their codes; behind them one that is always 0, for addresses that need none, and places for the instruction under way. */
enum { RPC, RSP, RSR, RCG, RZERO = 16, RSOURCE, REGISTERS_KEPT };

/* Bits of sr. */
enum {
    MSP430_C = 1,
    MSP430_Z = 2,
    MSP430_N = 4,
    MSP430_GIE = 8,
    MSP430_CPUOFF = 0x10,
    MSP430_OSCOFF = 0x20,
    MSP430_SCG0 = 0x40,
    MSP430_SCG1 = 0x80,
    MSP430_V = 0x100,
    MSP430_KEPT = 0xF8, /* those that are no flags of a result */
    MSP430_SR = 0x1FF   /* all that it has */
};

/* The flags, as far as they have been worked out. */
typedef struct msp430_flags {
    uint32_t sz; /* a result: N is bit 15, Z that bits 0 to 15 are 0, C is bit 16 */
    uint32_t by; /* of by ^ sz V is that bits 15 and 16 differ; N is set with MSP430_SIGN */
} msp430_flags;
#define MSP430_SIGN 0x20000u /* N is set though sz is 0 */

struct oak_core {
    kit_core kit; /* first */
    kit_objects objects;
    uint8_t known[MSP430_SPAN];     /* 1 where ROM was programmed */
    uint8_t guard[MSP430_SPAN + 1]; /* kit.guard; the last one is never open */

    /* From here on: what a tape holds. */
    uint16_t reg[REGISTERS_KEPT]; /* reg[RPC] and reg[RCG] stay 0; of reg[RSR] only MSP430_KEPT counts */
    msp430_flags flags;
    kit_lines lines;
    kit_stack stack;
    uint8_t mem[MSP430_SPAN];
};

static inline uint32_t msp430_sr(uint32_t kept, uint32_t sz, uint32_t by)
{
    uint32_t carried = by ^ sz, v = (carried ^ carried >> 1) >> 15 & 1;
    return (kept & MSP430_KEPT) | (sz >> 16 & 1) | (sz & 0xFFFF ? 0 : MSP430_Z) |
           (sz & 0x8000 || by & MSP430_SIGN ? MSP430_N : 0) | v << 8;
}
static inline msp430_flags msp430_flags_of(uint32_t sr)
{
    bool zero = sr & MSP430_Z, negative = sr & MSP430_N;
    uint32_t sz = (sr & MSP430_C) << 16 | (zero ? 0 : negative ? 0x8000 : 1);
    return (msp430_flags){sz, (sz ^ (sr & MSP430_V ? 0x8000u : 0u)) | (zero && negative ? MSP430_SIGN : 0)};
}

/* clang-format off */
/* Registers: name, bits, where they lie, title, what they point to. */
#define MSP430_REGISTER_LIST(ONE)                                                                                       \
    ONE(PC, "pc", KIT_AT(kit.pc), "program counter", 0) ONE(SP, "sp", KIT_AT(reg[RSP]), "stack pointer", MSP430_MEM)    \
    ONE(SR, "sr", NOWHERE, "status: flags, interrupts, sleep", 0)                                                      \
    ONE(R4, "r4", KIT_AT(reg[4]), "register 4", MSP430_MEM) ONE(R5, "r5", KIT_AT(reg[5]), "register 5", MSP430_MEM)     \
    ONE(R6, "r6", KIT_AT(reg[6]), "register 6", MSP430_MEM) ONE(R7, "r7", KIT_AT(reg[7]), "register 7", MSP430_MEM)     \
    ONE(R8, "r8", KIT_AT(reg[8]), "register 8", MSP430_MEM) ONE(R9, "r9", KIT_AT(reg[9]), "register 9", MSP430_MEM)     \
    ONE(R10, "r10", KIT_AT(reg[10]), "register 10", MSP430_MEM) ONE(R11, "r11", KIT_AT(reg[11]), "register 11", MSP430_MEM) \
    ONE(R12, "r12", KIT_AT(reg[12]), "register 12", MSP430_MEM) ONE(R13, "r13", KIT_AT(reg[13]), "register 13", MSP430_MEM) \
    ONE(R14, "r14", KIT_AT(reg[14]), "register 14", MSP430_MEM) ONE(R15, "r15", KIT_AT(reg[15]), "register 15", MSP430_MEM)
#define MSP430_REGISTER_NUMBER(id, ...) MSP430_REG_##id,
enum { MSP430_REGISTER_LIST(MSP430_REGISTER_NUMBER) MSP430_REGISTERS };
/* clang-format on */

extern const oak_insn_row msp430_rows[MSP430_ROWS];
extern const uint8_t msp430_cycles[MSP430_ROWS];
extern const oak_isa oak_isa_msp430;
extern const oak_core_ops msp430_core_ops;

#endif
