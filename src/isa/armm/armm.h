/* armm.h — shared by the files of the Arm M-profile instruction sets (armv6m and armv7m): numbers of rows, operand
 * classes, registers, and the tables that are derived from armm.def.
 *
 *   armm_tables.c   what is derived from the rows; the two architectures
 *   armm_asm.c      reading operands, choosing rows, saying why something cannot be
 *   armm_fields.c   operands to bits
 *   armm_decode.c   bits to rows, and rows to source text
 *   armm_core.c …   executing, see armm_core.h */
#ifndef OAK_ARMM_H
#define OAK_ARMM_H

#include "isa/isa.h"

enum armm_row_number {
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning) ARMM_##id,
#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#include "isa/armm/armm.def"
    ARMM_ROWS
};
enum { ARMM_NO_ROW = 0xFFFF };

enum armm_more {
    ARMM_MORE_NONE,
    ARMM_MORE_TAKEN,
    ARMM_MORE_PC,
    ARMM_MORE_LIST,
    ARMM_MORE_DIVIDE,
    ARMM_MORE_LONG,
    ARMM_MORE_LONGER,
    ARMM_MORE_SLEEP
};
enum armm_set { ARMM_SET_NEVER, ARMM_SET_ITS, ARMM_SET_BIT, ARMM_SET_ALWAYS, ARMM_SET_OUTSIDE };
enum armm_since { ARMM_SINCE_V6, ARMM_SINCE_V7 };

enum armm_space { ARMM_NUMBER, ARMM_MEM, ARMM_SPACES };

enum armm_register {
    ARMM_R0,
    ARMM_SP = 13,
    ARMM_LR,
    ARMM_PC,
    ARMM_XPSR,
    ARMM_MSP,
    ARMM_PSP,
    ARMM_PRIMASK,
    ARMM_CONTROL,
    ARMM_BASEPRI, /* these two only on armv7m */
    ARMM_FAULTMASK,
    ARMM_REGISTERS
};

/* How an operand is written. */
enum armm_kind {
    ARMM_K_NONE,
    ARMM_K_REG,
    ARMM_K_REG_MOVES, /* r0! */
    ARMM_K_IMM,       /* #expression */
    ARMM_K_PLAIN,     /* expression: a place */
    ARMM_K_LITERAL,   /* =expression: a word in a pool */
    ARMM_K_LIST,      /* {r0-r3, lr}: extra is a bit a register */
    ARMM_K_MEM,       /* [..]: extra, see below */
    ARMM_K_SHIFT,     /* lsl #n: reg is the kind */
    ARMM_K_COND,
    ARMM_K_SPECIAL, /* reg is its number */
    ARMM_K_IFLAGS,
    ARMM_K_BARRIER
};

/* oak_operand.extra of memory operands; reg is the base. */
enum {
    ARMM_MEM_INDEX = 15, /* mask: the index register */
    ARMM_MEM_HAS_INDEX = 1 << 4,
    ARMM_MEM_HAS_OFFSET = 1 << 5,
    ARMM_MEM_MINUS = 1 << 6, /* the offset is written with a minus */
    ARMM_MEM_SHIFT = 1 << 7, /* the expression is a shift of the index, not an offset */
    ARMM_MEM_PRE = 1 << 8,
    ARMM_MEM_POST = 1 << 9
};

/* What a row wants as an operand. */
enum armm_what {
    ARMM_NOTHING,
    ARMM_REG,
    ARMM_REG_TWICE,   /* destination and first source */
    ARMM_REG_PRODUCT, /* destination and second source */
    ARMM_REG_SP,
    ARMM_SP_TWICE,
    ARMM_BASE_MOVES,
    ARMM_BASE_MAY_MOVE,
    ARMM_IMM,
    ARMM_ZERO,
    ARMM_SHIFT_31,
    ARMM_SHIFT_32,
    ARMM_CONST,
    ARMM_IMM16,
    ARMM_SAT,
    ARMM_SAT0,
    ARMM_LSB,
    ARMM_WIDTH,
    ARMM_COUNT,
    ARMM_SHIFT_MAY,
    ARMM_SAT_SHIFT_MAY,
    ARMM_ROTATION_MAY,
    ARMM_SY_MAY,
    ARMM_LABEL, /* scale tells which: the bits of the offset */
    ARMM_PLACE8,
    ARMM_PLACE_AFTER,
    ARMM_PLACE_BEFORE,
    ARMM_WORD8,
    ARMM_WORD12,
    ARMM_WORD8X4,
    ARMM_MEM_IMM,
    ARMM_MEM_SP,
    ARMM_MEM_NEG,
    ARMM_MEM_SIGNED,
    ARMM_MEM_PRE_IMM,
    ARMM_MEM_POST_IMM,
    ARMM_MEM_REG,
    ARMM_MEM_REG_SHIFT,
    ARMM_MEM_REG_TWO,
    ARMM_MEM_BASE,
    ARMM_LIST_LOW,
    ARMM_LIST_LOW_BASE, /* with the base in it */
    ARMM_LIST_LOW_LR,
    ARMM_LIST_LOW_PC,
    ARMM_LIST,
    ARMM_LIST_PC,
    ARMM_LIST_ONE,
    ARMM_CONDITION,
    ARMM_IFLAGS,
    ARMM_SPECIAL
};

typedef struct armm_class {
    uint8_t what;
    char letter;   /* field of the register, where there is one */
    uint8_t scale; /* of an immediate */
    bool optional;
    uint16_t allowed; /* registers, a bit each */
} armm_class;

static inline bool armm_is_list(const armm_class *class)
{
    return class->what >= ARMM_LIST_LOW && class->what <= ARMM_LIST_ONE;
}

enum { ARMM_MOST_CLASSES = 5, ARMM_MOST_MNEMONICS = 160, ARMM_MOST_ALSO = 4 };

typedef struct armm_shape {
    oak_pattern pattern;
    uint8_t mnemonic;
    uint8_t count;
    armm_class class_of[ARMM_MOST_CLASSES];
    uint16_t next; /* the next row of the same mnemonic, or ARMM_NO_ROW */
} armm_shape;

enum { ARMM_NARROW_BUCKETS = 64, ARMM_WIDE_BUCKETS = 256, ARMM_BUCKET_ENTRIES = 6000 };

struct oak_isa_tables {
    bool v7;
    armm_shape shape[ARMM_ROWS];
    uint8_t mnemonic_count;
    const char *mnemonic[ARMM_MOST_MNEMONICS];
    uint16_t first_row[ARMM_MOST_MNEMONICS];
    uint8_t alias_of[ARMM_MOST_MNEMONICS]; /* itself, or what it is another spelling of */
    uint16_t also[ARMM_MOST_MNEMONICS];    /* a row it may also become */
    bool has_narrow[ARMM_MOST_MNEMONICS], sets[ARMM_MOST_MNEMONICS], here[ARMM_MOST_MNEMONICS];
    /* Rows by the upper bits of their first halfword: 6 bits of a 16-bit one, 8 below the top four of a 32-bit one. */
    uint16_t narrow_from[ARMM_NARROW_BUCKETS + 1], wide_from[ARMM_WIDE_BUCKETS + 1];
    uint16_t bucket[ARMM_BUCKET_ENTRIES];
};

/* A mnemonic as it is numbered for the front end: base | condition << 8 | s << 12 | width << 13. The base `it` has the
 * pattern of its letters in place of the condition. */
enum { ARMM_WIDTH_ANY, ARMM_WIDTH_NARROW, ARMM_WIDTH_WIDE, ARMM_ALWAYS = 14, ARMM_NO_CONDITION = 15 };
static inline unsigned armm_base(unsigned mnemonic)
{
    return mnemonic & 0xFF;
}
static inline unsigned armm_condition(unsigned mnemonic)
{
    return mnemonic >> 8 & 15;
}
static inline bool armm_s(unsigned mnemonic)
{
    return mnemonic >> 12 & 1;
}
static inline unsigned armm_width(unsigned mnemonic)
{
    return mnemonic >> 13 & 3;
}

/* The running state of a row of instructions is the ITSTATE of the manual: 0 outside an it block, else the condition in
 * bits 7 to 4 and a 1 behind the marks of what is left. */
static inline uint32_t armm_it_next(uint32_t state)
{
    return (state & 7) ? (state & 0xE0) | (state << 1 & 0x1F) : 0;
}
static inline bool armm_it_last(uint32_t state)
{
    return (state & 15) == 8;
}
/* The mask bits of an it whose letters behind the first are `letters` ("te"). */
unsigned armm_it_mask(unsigned condition, unsigned letters);
/* The letters of a mask, and back: bit 3 … as the number of `letters` counts; see armm_tables.c. */
unsigned armm_it_letters(unsigned condition, unsigned mask);
const char *armm_it_name(unsigned letters);

extern const oak_insn_row armv6m_rows[ARMM_ROWS], armv7m_rows[ARMM_ROWS];
extern const uint8_t armm_more_of[ARMM_ROWS], armm_set_of[ARMM_ROWS], armm_since_of[ARMM_ROWS];
extern const char *const armm_condition_names[16];
extern const oak_core_ops armv6m_core_ops, armv7m_core_ops;

/* Special registers of mrs and msr by number; NULL for a number that is none. */
const char *armm_special_name(bool v7, unsigned number);
int armm_special_number(bool v7, const char *text, size_t length);
/* General registers: 0 to 15, or -1. */
int armm_register_number(const char *text, size_t length);
const char *armm_register_name(unsigned number);

/* The value of a modified immediate; *carry is 0, 1 or -1 for unchanged. false when unpredictable. */
bool armm_expand(uint32_t field, uint32_t *value, int *carry);
/* The field whose value this is; false when there is none. */
bool armm_compress(uint32_t value, uint32_t *field);
/* Whether a word that fits the bits of a row is defined by the manual: what is unpredictable is refused. */
const char *armm_unsound(const oak_isa_tables *tables, unsigned row, uint32_t word);

int armm_mnemonic(const oak_isa_tables *tables, const char *text, size_t length);
OAK_MUST_USE oak_status armm_read_operands(const oak_isa_tables *tables, oak_operand_reader *reader,
                                           oak_insn *insn);
unsigned armm_forms(const oak_isa_tables *tables, oak_insn *insn, uint16_t *rows, oak_refusal *why);
oak_flow armm_flow_of(const oak_isa_tables *tables, unsigned row, const uint8_t *bytes, uint32_t state);
int armm_target_of(const oak_isa_tables *tables, unsigned row);
extern const oak_isa oak_isa_armv6m, oak_isa_armv7m; /* both lay codes down alike */
OAK_MUST_USE oak_status armm_encode(const oak_isa_tables *tables, unsigned row, const oak_insn *insn,
                                    const oak_value *values, uint32_t address, uint8_t *bytes,
                                    oak_refusal *why);
OAK_MUST_USE oak_status armm_decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available,
                                    uint32_t address, uint32_t state, oak_decoded *decoded);
void armm_print(const oak_isa_tables *tables, const oak_decoded *decoded, const oak_namer *namer,
                oak_buf *out);

/* Which operand of an instruction stands for each operand of a row: -1 where an optional one is left out. */
typedef struct armm_match {
    int8_t of[ARMM_MOST_CLASSES];
} armm_match;
bool armm_matches(const oak_isa_tables *tables, unsigned row, unsigned count, const uint8_t *kinds,
                  const oak_operand *operands, armm_match *match);

static inline bool armm_is_wide(const armm_shape *shape)
{
    return shape->pattern.size == 4;
}

/* The registers of an instruction that stores or loads several, a bit each. */
uint32_t armm_list(unsigned row, const oak_pattern *pattern, uint32_t word);
void armm_stack_use(const oak_isa_tables *tables, const oak_decoded *decoded, oak_stack_use *use);

#endif
