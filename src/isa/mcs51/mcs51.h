/* mcs51.h — shared by the files of the MCS-51 instruction set: numbers of rows, classes, spaces, and the tables
 * that are derived from mcs51.def. */
#ifndef OAK_MCS51_H
#define OAK_MCS51_H

#include "isa/isa.h"

/* Numbers of the rows, in the order of the table. */
#define KIT_TABLE        "isa/mcs51/mcs51.def"
#define KIT_ROW_NAME(id) MCS51_##id
#define KIT_COUNT        MCS51_ROWS
#include "isa/kit/rows.h"

enum mcs51_choice_number {
#define INSN(id, mnemonic, operands, bits, cycles, taken, flow, uses, flags, meaning)
#define CHOICE(mnemonic, of, meaning) MCS51_CHOICE_##mnemonic,
#include "isa/mcs51/mcs51.def"
    MCS51_CHOICES
};

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

/* How an operand is written, and what a row wants. Several classes are written alike (MCS51_PLAIN). */
enum mcs51_class {
    MCS51_NO_OPERAND,
    MCS51_A,
    MCS51_AB,
    MCS51_C,
    MCS51_DPTR,
    MCS51_AT_DPTR,
    MCS51_AT_A_DPTR,
    MCS51_AT_A_PC,
    MCS51_RN,
    MCS51_AT_RI,
    MCS51_IMMEDIATE,
    MCS51_NOT_BIT,
    MCS51_PLAIN, /* an expression without a mark: address, bit, target */
    MCS51_DIRECT = MCS51_PLAIN,
    MCS51_SOURCE,
    MCS51_BIT_ADDRESS,
    MCS51_REL,
    MCS51_ADDR11,
    MCS51_ADDR16,
    MCS51_DATA16
};

enum mcs51_touch {
    MCS51_TOUCH_NONE,
    MCS51_TOUCH_READ,
    MCS51_TOUCH_WRITE,
    MCS51_TOUCH_MODIFY,
    MCS51_TOUCH_EXCHANGE
};

enum { MCS51_MOST_OPERANDS = 3, MCS51_MOST_MNEMONICS = 64, MCS51_RESERVED_CODE = 0xA5, MCS51_NO_ROW = 255 };

typedef struct mcs51_shape {
    oak_pattern pattern;
    uint8_t mnemonic;
    uint8_t count;
    uint8_t class_of[MCS51_MOST_OPERANDS];
    uint8_t touch; /* what it does with its direct or bit operand */
    uint8_t next;  /* the next row of the same mnemonic, or MCS51_NO_ROW */
} mcs51_shape;

struct oak_isa_tables {
    mcs51_shape shape[MCS51_ROWS];
    uint8_t row_of_code[256]; /* MCS51_NO_ROW for the reserved code */
    uint8_t mnemonic_count;
    const char *mnemonic[MCS51_MOST_MNEMONICS];
    uint8_t first_row[MCS51_MOST_MNEMONICS]; /* MCS51_NO_ROW where there are only choices */
    uint8_t choice_count[MCS51_MOST_MNEMONICS];
    uint8_t choice[MCS51_MOST_MNEMONICS][4]; /* rows, shortest first */
};

extern const oak_insn_row mcs51_rows[MCS51_ROWS];
extern const uint8_t mcs51_cycles[MCS51_ROWS];
extern const oak_isa oak_isa_mcs51;
extern const oak_core_ops mcs51_core_ops;

int mcs51_mnemonic(const oak_isa_tables *tables, const char *text, size_t length);
bool mcs51_is_register(const oak_isa_tables *tables, const char *text, size_t length);
OAK_MUST_USE oak_status mcs51_read_operands(const oak_isa_tables *tables, oak_operand_reader *reader,
                                            oak_insn *insn);
unsigned mcs51_forms(const oak_isa_tables *tables, oak_insn *insn, uint16_t *rows, oak_refusal *why);
OAK_MUST_USE oak_status mcs51_encode(const oak_isa_tables *tables, unsigned row, const oak_insn *insn,
                                     const oak_value *values, uint32_t address, uint8_t *bytes,
                                     oak_refusal *why);
bool mcs51_doubt(const oak_isa_tables *tables, unsigned row, const oak_insn *insn, const oak_value *values,
                 unsigned decimal, oak_refusal *why);
OAK_MUST_USE oak_status mcs51_bit_of(const oak_value *cell, int64_t bit, oak_value *result);
OAK_MUST_USE oak_status mcs51_decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available,
                                     uint32_t address, uint32_t state, oak_decoded *decoded);
void mcs51_print(const oak_isa_tables *tables, const oak_decoded *decoded, const oak_namer *namer,
                 oak_buf *out);

/* The cell a bit address lies in: internal RAM 0x20 to 0x2f, or a special register at a multiple of 8. */
static inline uint8_t mcs51_bit_cell(uint8_t bit)
{
    return bit < 0x80 ? (uint8_t)(0x20 + bit / 8) : (uint8_t)(bit & 0xF8);
}

#endif
