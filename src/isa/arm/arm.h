/* arm.h — what the Arm instruction sets share: the unified syntax, its operands and their fields, over a table of rows that each of them
 * has for itself (arm_dialect). M-profile Thumb code is in armm/, the classic 32-bit code in a32/.
 *
 *   arm_tables.c   what is derived from the rows: mnemonics, shapes, the decoder's index
 *   arm_asm.c      reading operands, choosing rows, saying why something cannot be
 *   arm_fields.c   operands to bits
 *   arm_decode.c   bits to rows, and rows to source text
 *   arm_uses.c     what a decoded instruction reads, writes and reaches
 *
 * Letters of fields in the patterns of rows:
 *   d n m t u a l h e  registers (u the second transfer register, a the addend, l and h the halves of a long result, e a count of places)
 *   q  a second copy of rm      i  immediate    j  upper bits of an immediate    w  width, saturation or write-back
 *   r  register list            c  condition of a jump, or of an it block        k  mask of an it block    s  sets the flags
 *   o  the condition of an instruction of 32-bit code   y  kind of shift or rotation   v  sign of an offset
 *   f  interrupt masks          z  special register     x g  branch bits */
#ifndef OAK_ARM_H
#define OAK_ARM_H

#include "base/bits.h"
#include "isa/isa.h"

enum arm_set { ARM_SET_NEVER, ARM_SET_ITS, ARM_SET_BIT, ARM_SET_ALWAYS, ARM_SET_OUTSIDE };
enum arm_space { ARM_NUMBER, ARM_MEM, ARM_SPACES };
enum arm_register { ARM_R0, ARM_SP = 13, ARM_LR, ARM_PC };
enum { ARM_NO_ROW = 0xFFFF, ARM_MOST_ROWS = 480 };

/* How an operand is written. */
enum arm_kind {
    ARM_K_NONE,
    ARM_K_REG,
    ARM_K_REG_MOVES, /* r0! */
    ARM_K_IMM,       /* #expression */
    ARM_K_PLAIN,     /* expression: a place */
    ARM_K_LITERAL,   /* =expression: a word in a pool */
    ARM_K_LIST,      /* {r0-r3, lr}: extra is a bit a register */
    ARM_K_MEM,       /* [..]: extra, see below */
    ARM_K_SHIFT,     /* lsl #n: reg is the kind */
    ARM_K_COND,
    ARM_K_SPECIAL, /* reg is its number */
    ARM_K_IFLAGS,
    ARM_K_BARRIER
};

/* oak_operand.extra of memory operands; reg is the base. */
enum {
    ARM_MEM_INDEX = 15, /* mask: the index register */
    ARM_MEM_HAS_INDEX = 1 << 4,
    ARM_MEM_HAS_OFFSET = 1 << 5,
    ARM_MEM_MINUS = 1 << 6, /* the offset is written with a minus */
    ARM_MEM_SHIFT = 1 << 7, /* the expression is a shift of the index, not an offset */
    ARM_MEM_PRE = 1 << 8,
    ARM_MEM_POST = 1 << 9,
    ARM_MEM_INDEX_MINUS = 1 << 10,
    ARM_MEM_KIND = 11 /* from this bit on: the kind of shift, as in reg of ARM_K_SHIFT */
};
/* Of lists: the registers of the user, or the saved status as well. Of shifts: by a register, whose number it is beside this. */
enum { ARM_LIST_CARET = 1 << 16, ARM_SHIFT_BY = 1 << 8 };

/* What a row wants as an operand. */
enum arm_what {
    ARM_NOTHING,
    ARM_REG,
    ARM_REG_TWICE,   /* destination and first source */
    ARM_REG_PRODUCT, /* destination and second source */
    ARM_REG_NEXT,    /* the one behind the register before, not encoded */
    ARM_REG_SP,
    ARM_SP_MAY_MOVE,
    ARM_SP_TWICE,
    ARM_BASE_MOVES,
    ARM_BASE_MAY_MOVE,
    ARM_IMM,
    ARM_ZERO,
    ARM_SHIFT_31,
    ARM_SHIFT_32,
    ARM_CONST,
    ARM_ROTATED_MAY, /* behind a constant: 8 bits, rotated by so many places */
    ARM_IMM16,
    ARM_SAT,
    ARM_SAT0,
    ARM_LSB,
    ARM_WIDTH,
    ARM_COUNT,
    ARM_SHIFT_MAY,
    ARM_SHIFT_BY_REG,
    ARM_SHIFT_LSL_MAY,
    ARM_SHIFT_ASR,
    ARM_SAT_SHIFT_MAY,
    ARM_ROTATION_MAY,
    ARM_SY_MAY,
    ARM_BARRIER_MAY,
    ARM_LABEL, /* scale tells which: the bits of the offset, in halfwords */
    ARM_LABEL_WORDS,
    ARM_PLACE8,
    ARM_PLACE_AFTER,
    ARM_PLACE_BEFORE,
    ARM_ADR_AFTER, /* by a constant */
    ARM_ADR_BEFORE,
    ARM_WORD8,
    ARM_WORD12,
    ARM_WORD8X4,
    ARM_MEM_IMM,
    ARM_MEM_SP,
    ARM_MEM_NEG,
    ARM_MEM_SIGNED,
    ARM_MEM_PRE_IMM,
    ARM_MEM_POST_IMM,
    ARM_MEM_REG,
    ARM_MEM_REG_SHIFT,
    ARM_MEM_REG_TWO,
    ARM_MEM_INDEXED, /* scale 1: shifted */
    ARM_MEM_PRE_INDEX,
    ARM_MEM_POST_INDEX,
    ARM_MEM_BASE,
    ARM_LIST_LOW,
    ARM_LIST_LOW_BASE, /* with the base in it */
    ARM_LIST_LOW_LR,
    ARM_LIST_LOW_PC,
    ARM_LIST,
    ARM_LIST_PC,
    ARM_LIST_ALL,
    ARM_LIST_USER,
    ARM_LIST_ONE,
    ARM_CONDITION,
    ARM_IFLAGS,
    ARM_SPECIAL
};

typedef struct arm_class {
    uint8_t what;
    char letter;   /* field of the register, where there is one */
    uint8_t scale; /* of an immediate */
    bool optional;
    uint16_t allowed; /* registers, a bit each */
} arm_class;

static inline bool arm_is_list(const arm_class *class)
{
    return class->what >= ARM_LIST_LOW && class->what <= ARM_LIST_ONE;
}
static inline bool arm_is_memory(const arm_class *class) /* in brackets */
{
    return class->what >= ARM_MEM_IMM && class->what <= ARM_MEM_BASE;
}
static inline bool arm_is_index(const arm_class *class)
{
    return class->what >= ARM_MEM_INDEXED && class->what <= ARM_MEM_POST_INDEX;
}
static inline bool arm_is_label(const arm_class *class)
{
    return class->what == ARM_LABEL || class->what == ARM_LABEL_WORDS;
}
/* Does its sign lie in the code? */
static inline bool arm_is_signed(const arm_class *class)
{
    return class->what == ARM_MEM_SIGNED || class->what == ARM_MEM_PRE_IMM ||
           class->what == ARM_MEM_POST_IMM || arm_is_index(class);
}

enum { ARM_MOST_CLASSES = 5, ARM_MOST_MNEMONICS = 250 };

typedef struct arm_shape {
    oak_pattern pattern;
    uint8_t mnemonic;
    uint8_t count;
    bool conditional;   /* a jump with its condition in the code */
    bool has_condition; /* its condition is in the code, as of every instruction of 32-bit code */
    arm_class class_of[ARM_MOST_CLASSES];
    uint16_t next; /* the next row of the same mnemonic, or ARM_NO_ROW */
} arm_shape;

/* Another spelling of a mnemonic; a row that a mnemonic may also become. */
typedef struct arm_alias {
    const char *alias, *of; /* a list ends with NULL */
} arm_alias;
typedef struct arm_also {
    const char *mnemonic;
    uint16_t row; /* a list ends with NULL */
} arm_also;

/* What an instruction set has for itself. */
typedef struct arm_dialect {
    const oak_isa *isa;
    const oak_insn_row
        *full; /* the rows of the largest one of the table; those of isa have no names where it lacks them */
    const uint8_t *set;   /* arm_set of each row */
    const uint8_t *since; /* the version each row came with; NULL: all have been there */
    uint8_t version;
    const arm_alias *aliases;
    const arm_also *also;
    bool plain;   /* 32-bit code: every instruction is a word and has its condition in the code */
    bool small;   /* only the short forms, and few others */
    uint32_t any; /* registers that can stand anywhere, a bit each */
    /* Special registers of mrs and msr by number; NULL or -1 for none. */
    const char *(*special_name)(unsigned number);
    int (*special_number)(const char *text, size_t length);
    /* The value of a constant's field; *carry is 0, 1 or -1 for unchanged; false when unpredictable. And the field of a value; false when there is none. */
    bool (*expand)(uint32_t field, uint32_t *value, int *carry);
    bool (*compress)(uint32_t value, uint32_t *field);
    const char *constants; /* which values these are */
    /* Why the manual does not define a word that fits the bits of a row, beside what the operands say; or NULL. */
    const char *(*unsound)(const oak_isa_tables *tables, unsigned row, uint32_t word);
    oak_flow (*flow)(const oak_isa_tables *tables, unsigned row, uint32_t word);
    /* Inside an it block a row has another meaning, or none. */
    bool (*outside_only)(unsigned row);
    /* Of several rows another one first. */
    void (*prefer)(const oak_insn *insn, uint16_t *rows, unsigned count);
    const oak_remedy *remedies; /* before those that all have */
} arm_dialect;

enum { ARM_NARROW_BUCKETS = 64, ARM_WIDE_BUCKETS = 256, ARM_BUCKET_ENTRIES = 6000 };

struct oak_isa_tables {
    const arm_dialect *dialect;
    arm_shape shape[ARM_MOST_ROWS];
    uint8_t mnemonic_count;
    const char *mnemonic[ARM_MOST_MNEMONICS];
    uint16_t first_row[ARM_MOST_MNEMONICS];
    uint8_t alias_of[ARM_MOST_MNEMONICS]; /* itself, or what it is another spelling of */
    uint16_t also[ARM_MOST_MNEMONICS];    /* a row it may also become */
    bool has_narrow[ARM_MOST_MNEMONICS], sets[ARM_MOST_MNEMONICS], here[ARM_MOST_MNEMONICS];
    /* Rows by some bits of their code: the upper 6 of a 16-bit one, 8 below the top four of a 32-bit one. */
    uint16_t narrow_from[ARM_NARROW_BUCKETS + 1], wide_from[ARM_WIDE_BUCKETS + 1];
    uint16_t bucket[ARM_BUCKET_ENTRIES];
};
static inline bool arm_has_row(const oak_isa_tables *tables, unsigned row)
{
    const arm_dialect *dialect = tables->dialect;
    return !dialect->since || dialect->since[row] <= dialect->version;
}

/* A mnemonic as it is numbered for the front end: base | condition << 8 | s << 12 | width << 13. The base `it` has the
 * pattern of its letters in place of the condition. */
enum { ARM_WIDTH_ANY, ARM_WIDTH_NARROW, ARM_WIDTH_WIDE, ARM_ALWAYS = 14, ARM_NO_CONDITION = 15 };
static inline unsigned arm_base(unsigned mnemonic)
{
    return mnemonic & 0xFF;
}
static inline unsigned arm_condition(unsigned mnemonic)
{
    return mnemonic >> 8 & 15;
}
static inline bool arm_s(unsigned mnemonic)
{
    return mnemonic >> 12 & 1;
}
static inline unsigned arm_width(unsigned mnemonic)
{
    return mnemonic >> 13 & 3;
}

/* The running state of a row of instructions is the ITSTATE of the manual: 0 outside an it block, else the condition in
 * bits 7 to 4 and a 1 behind the marks of what is left. */
static inline uint32_t arm_it_next(uint32_t state)
{
    return (state & 7) ? (state & 0xE0) | (state << 1 & 0x1F) : 0;
}
static inline bool arm_it_last(uint32_t state)
{
    return (state & 15) == 8;
}
/* The mask bits of an it whose letters behind the first are `letters` ("te"). */
unsigned arm_it_mask(unsigned condition, unsigned letters);
/* The letters of a mask, and back: bit 3 … as the number of `letters` counts; see arm_tables.c. */
unsigned arm_it_letters(unsigned condition, unsigned mask);
const char *arm_it_name(unsigned letters);

extern const char *const arm_condition_names[16];
/* General registers: 0 to 15, or -1. */
int arm_register_number(const char *text, size_t length);
const char *arm_register_name(unsigned number);
const char *arm_barrier_name(unsigned number); /* NULL for one without a name */

/* Whether a word that fits the bits of a row is defined by the manual: why not, or NULL. */
const char *arm_unsound(const oak_isa_tables *tables, unsigned row, uint32_t word);

/* The functions of an oak_isa. */
OAK_MUST_USE oak_status arm_open_tables(const arm_dialect *dialect, const oak_host *host,
                                        oak_isa_tables **tables);
void arm_close_tables(const oak_host *host, oak_isa_tables *tables);
int arm_mnemonic(const oak_isa_tables *tables, const char *text, size_t length);
const char *arm_mnemonic_name(const oak_isa_tables *tables, unsigned number);
bool arm_names_row(const oak_isa_tables *tables, unsigned mnemonic, unsigned row);
bool arm_is_register(const oak_isa_tables *tables, const char *text, size_t length);
unsigned arm_row_size(const oak_isa_tables *tables, unsigned row);
OAK_MUST_USE oak_status arm_read_operands(const oak_isa_tables *tables, oak_operand_reader *reader,
                                          oak_insn *insn);
unsigned arm_forms(const oak_isa_tables *tables, oak_insn *insn, uint16_t *rows, oak_refusal *why);
oak_flow arm_flow_of(const oak_isa_tables *tables, unsigned row, const uint8_t *bytes, uint32_t state);
int arm_target_of(const oak_isa_tables *tables, unsigned row);
OAK_MUST_USE oak_status arm_encode(const oak_isa_tables *tables, unsigned row, const oak_insn *insn,
                                   const oak_value *values, uint32_t address, uint8_t *bytes,
                                   oak_refusal *why);
OAK_MUST_USE oak_status arm_decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available,
                                   uint32_t address, uint32_t state, oak_decoded *decoded);
void arm_print(const oak_isa_tables *tables, const oak_decoded *decoded, const oak_namer *namer,
               oak_buf *out);
void arm_stack_use(const oak_isa_tables *tables, const oak_decoded *decoded, oak_stack_use *use);
#define ARM_ISA_FUNCTIONS                                                                                    \
    .close = arm_close_tables, .mnemonic = arm_mnemonic, .mnemonic_name = arm_mnemonic_name,                 \
    .names_row = arm_names_row, .is_register = arm_is_register, .read_operands = arm_read_operands,          \
    .forms = arm_forms, .size = arm_row_size, .encode = arm_encode, .decode = arm_decode,                    \
    .print = arm_print, .flow_of = arm_flow_of, .target_of = arm_target_of, .stack_use = arm_stack_use,      \
    .call_mnemonic = "bl"

/* Which operand of an instruction stands for each operand of a row: -1 where an optional one is left out. */
typedef struct arm_match {
    int8_t of[ARM_MOST_CLASSES];
} arm_match;
bool arm_matches(const oak_isa_tables *tables, unsigned row, unsigned count, const uint8_t *kinds,
                 const oak_operand *operands, arm_match *match);

static inline bool arm_is_wide(const arm_shape *shape)
{
    return shape->pattern.size == 4;
}
/* What is read as pc is so far ahead. */
static inline uint32_t arm_ahead(const oak_isa_tables *tables)
{
    return tables->dialect->plain ? 8 : 4;
}
/* The last operand of a row, NULL for none. */
static inline const arm_class *arm_last(const arm_shape *shape)
{
    return shape->count ? &shape->class_of[shape->count - 1] : NULL;
}
/* Bytes that a load or store, or a jump by a table, reaches. */
unsigned arm_bytes_of(const char *mnemonic);
/* The registers of an instruction that stores or loads several, a bit each; 0 for others. */
uint32_t arm_list(const arm_shape *shape, uint32_t word);

/* ------------------------------------------------------------------------------------------ arm_uses.c */

/* Registers that an instruction reads and writes, a bit each; a dialect's own numbering from 16 on. */
typedef struct arm_uses {
    uint32_t reads, writes;
} arm_uses;
/* What the columns say; `special`: the bits of a special register or of interrupt masks, by their field; status: the bit of the flags. */
typedef struct arm_naming {
    uint32_t status, saved; /* of the flags; of what a return from an exception takes them from */
    uint32_t (*special)(const arm_class *class, uint32_t field);
} arm_naming;
arm_uses arm_uses_of(const oak_isa_tables *tables, const oak_decoded *decoded, const arm_naming *naming);
/* Memory that an instruction reaches with what is in the registers: count of them added to the list. */
unsigned arm_reach(const oak_isa_tables *tables, const oak_decoded *decoded, const uint32_t *registers,
                   oak_watched *list, unsigned count, unsigned room);
bool arm_stores(const oak_isa_tables *tables, unsigned row);

/* The cycles of a division beyond its least, by the size of what comes out. */
static inline uint32_t arm_quotient_cycles(uint32_t quotient)
{
    return (10 * oak_bit_width(quotient) + 31) / 32;
}

/* A register shifted as operands say: kinds as in ARM_K_SHIFT by an amount of 0 to 255; *carry goes in and out. */
static inline uint32_t arm_shifted(unsigned kind, uint32_t value, uint32_t by, uint32_t *carry)
{
    if (kind == 4) {
        uint32_t through = *carry << 31 | value >> 1;
        *carry = value & 1;
        return through;
    }
    if (!by) return value;
    switch (kind) {
    case 0: *carry = by <= 32 ? value >> (32 - by) & 1 : 0; return by < 32 ? value << by : 0;
    case 1: *carry = by <= 32 ? value >> (by - 1) & 1 : 0; return by < 32 ? value >> by : 0;
    case 2:
        if (by > 31) by = 31, *carry = value >> 31;
        else *carry = value >> (by - 1) & 1;
        return (uint32_t)((int32_t)value >> by);
    default:
        by &= 31;
        value = by ? value >> by | value << (32 - by) : value;
        *carry = value >> 31;
        return value;
    }
}

/* The same by a constant as a code holds it, in 5 bits: 0 means 32 places, rrx, or for lsl none. */
static inline uint32_t arm_shifted_by_code(unsigned kind, unsigned by, uint32_t value, uint32_t *carry)
{
    if (!by && kind == 3) kind = 4;
    else if (!by && kind) by = 32;
    return arm_shifted(kind, value, by, carry);
}

#endif
