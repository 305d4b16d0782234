/* mcs4.h — the four-bit core: its rows, registers, spaces; what its files share. */
#ifndef OAK_MCS4_H
#define OAK_MCS4_H

#include "base/bytes.h"
#include "isa/kit/table.h"

enum { MCS4_NUMBER, MCS4_CODE, MCS4_RAM, MCS4_STATUS, MCS4_RAMPORT, MCS4_ROMPORT, MCS4_SPACES };
enum {
    MCS4_SPAN = 0x1000, /* bytes of program memory */
    MCS4_PAGE = 0x100,  /* of one ROM chip */
    MCS4_BANKS = 4,
    MCS4_CHIPS = 4,        /* of a bank */
    MCS4_BANK = 256,       /* characters of a bank; 64 of a chip, 16 of a register */
    MCS4_BANK_STATUS = 64, /* status characters of a bank; 16 of a chip, 4 of a register */
    MCS4_PORTS = 16,       /* of RAM chips, and of ROM chips */
    MCS4_TEST = 16,        /* behind those of the ROM chips: the test pin */
    MCS4_LEVELS = 3
};

#define KIT_TABLE        "isa/mcs4/mcs4.def"
#define KIT_ROW_NAME(id) MCS4_##id
#define KIT_COUNT        MCS4_ROWS
#include "isa/kit/rows.h"
extern const oak_insn_row mcs4_rows[MCS4_ROWS];
extern const uint8_t mcs4_cycles[MCS4_ROWS];

struct oak_core {
    kit_core kit;
    const uint8_t *code; /* program memory, from 0 on, so many bytes */
    uint32_t code_bytes;
    bool there[MCS4_BANKS * MCS4_CHIPS]; /* RAM chips that the part has */
    /* From here on: what a tape holds. */
    uint8_t ram[MCS4_BANKS * MCS4_BANK], status[MCS4_BANKS * MCS4_BANK_STATUS];
    uint8_t r[16], acc, cy, cl, src, sp;
    uint8_t sent[MCS4_BANKS]; /* what each bank has been sent last while it was selected */
    uint16_t stk[MCS4_LEVELS];
};

#define MCS4_REGISTER_LIST(R)                                                                                \
    R(ACC, "acc", 4, "accumulator", false, 0)                                                                \
    R(CY, "cy", 1, "carry", false, 0)                                                                        \
    MCS4_FILE(R)                                                                                             \
    R(PC, "pc", 12, "program counter", false, MCS4_CODE)                                                     \
    R(SP, "sp", 2, "levels of the stack in use", false, 0)                                                   \
    R(STK0, "stk0", 12, "return address", false, 0)                                                          \
    R(STK1, "stk1", 12, "return address", false, 0)                                                          \
    R(STK2, "stk2", 12, "return address", false, 0)                                                          \
    R(CL, "cl", 3, "command lines: the bank", false, 0)                                                      \
    R(SRC, "src", 8, "what was sent to the chips last", false, 0)                                            \
    R(TEST, "test", 1, "test pin", true, 0)                                                                  \
    R(SRC0, "src0", 8, "what bank 0 was sent", false, 0)                                                     \
    R(SRC1, "src1", 8, "what bank 1 was sent", false, 0)                                                     \
    R(SRC2, "src2", 8, "what bank 2 was sent", false, 0)                                                     \
    R(SRC3, "src3", 8, "what bank 3 was sent", false, 0)                                                     \
    R(AT, "at", 10, "the character that is selected", true, MCS4_RAM)                                        \
    R(P0, "p0", 8, "r0 and r1", true, 0)                                                                     \
    R(P1, "p1", 8, "r2 and r3", true, 0)                                                                     \
    R(P2, "p2", 8, "r4 and r5", true, 0)                                                                     \
    R(P3, "p3", 8, "r6 and r7", true, 0)                                                                     \
    R(P4, "p4", 8, "r8 and r9", true, 0)                                                                     \
    R(P5, "p5", 8, "r10 and r11", true, 0)                                                                   \
    R(P6, "p6", 8, "r12 and r13", true, 0)                                                                   \
    R(P7, "p7", 8, "r14 and r15", true, 0)
#define MCS4_FILE(R)                                                                                         \
    R(R0, "r0", 4, "register", false, 0)                                                                     \
    R(R1, "r1", 4, "register", false, 0)                                                                     \
    R(R2, "r2", 4, "register", false, 0)                                                                     \
    R(R3, "r3", 4, "register", false, 0)                                                                     \
    R(R4, "r4", 4, "register", false, 0)                                                                     \
    R(R5, "r5", 4, "register", false, 0)                                                                     \
    R(R6, "r6", 4, "register", false, 0)                                                                     \
    R(R7, "r7", 4, "register", false, 0)                                                                     \
    R(R8, "r8", 4, "register", false, 0)                                                                     \
    R(R9, "r9", 4, "register", false, 0)                                                                     \
    R(R10, "r10", 4, "register", false, 0)                                                                   \
    R(R11, "r11", 4, "register", false, 0)                                                                   \
    R(R12, "r12", 4, "register", false, 0)                                                                   \
    R(R13, "r13", 4, "register", false, 0)                                                                   \
    R(R14, "r14", 4, "register", false, 0)                                                                   \
    R(R15, "r15", 4, "register", false, 0)
enum {
#define NUMBER(id, name, bits, title, derived, points) MCS4_REG_##id,
    MCS4_REGISTER_LIST(NUMBER)
#undef NUMBER
        MCS4_REGISTERS
};

/* The banks that command lines select, a bit each. */
static inline unsigned mcs4_banks(uint8_t cl)
{
    return cl ? (unsigned)cl << 1 : 1;
}

extern const oak_isa oak_isa_mcs4;
extern const oak_core_ops mcs4_core_ops;

#endif
