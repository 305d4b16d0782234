/* mcs51.h — shared by the files of the MCS-51: numbers of rows, classes, spaces, registers. */
#ifndef OAK_MCS51_H
#define OAK_MCS51_H

#include "isa/kit/table.h"

/* Numbers of the rows, in the order of the table. */
#define KIT_TABLE        "isa/mcs51/mcs51.def"
#define KIT_ROW_NAME(id) MCS51_##id
#define KIT_COUNT        MCS51_ROWS
#include "isa/kit/rows.h"

enum mcs51_space { MCS51_NUMBER, MCS51_CODE, MCS51_IRAM, MCS51_XRAM, MCS51_SFR, MCS51_BIT, MCS51_SPACES };

enum mcs51_register {
    MCS51_REG_PC,
    MCS51_REG_A,
    MCS51_REG_B,
    MCS51_REG_PSW,
    MCS51_REG_SP,
    MCS51_REG_DPTR,
    MCS51_REG_R0,
    MCS51_REG_R7 = MCS51_REG_R0 + 7,
    MCS51_REGISTERS
};

/* The classes of operands by their numbers + 1. */
enum mcs51_class {
    MCS51_NO_OPERAND,
    MCS51_RN,
    MCS51_AT_RI,
    MCS51_AT_DPTR,
    MCS51_IMMEDIATE,
    MCS51_DATA16,
    MCS51_NOT_BIT,
    MCS51_DIRECT,
    MCS51_SOURCE,
    MCS51_BIT_ADDRESS,
    MCS51_REL,
    MCS51_ADDR11,
    MCS51_ADDR16
};

enum mcs51_touch {
    MCS51_TOUCH_NONE,
    MCS51_TOUCH_READ,
    MCS51_TOUCH_WRITE,
    MCS51_TOUCH_MODIFY,
    MCS51_TOUCH_EXCHANGE
};

extern const oak_insn_row mcs51_rows[MCS51_ROWS];
extern const uint8_t mcs51_cycles[MCS51_ROWS];
extern const oak_isa oak_isa_mcs51;
extern const oak_core_ops mcs51_core_ops;

/* The cell a bit address lies in: internal RAM 0x20 to 0x2f, or a special register at a multiple of 8. */
static inline uint8_t mcs51_bit_cell(uint8_t bit)
{
    return bit < 0x80 ? (uint8_t)(0x20 + bit / 8) : (uint8_t)(bit & 0xF8);
}

#endif
