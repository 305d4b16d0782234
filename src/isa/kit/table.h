/* table.h — what an architecture says of its rows and operands as data, and what the kit makes of it: reading, forms, encoding,
 * decoding, printing, what an instruction touches.
 *
 *   tables.c    mnemonics, shapes, choices, the decoder's index; decoding, printing
 *   operands.c  operands as people write them: matching text, finding forms, telling what is missing
 *   fields.c    values into the bits of a code, and back; refusals
 *   uses.c      what an instruction touches, out of the columns of its row
 *   state.c     registers as a table */
#ifndef OAK_ISA_KIT_TABLE_H
#define OAK_ISA_KIT_TABLE_H

#include "isa/kit/kit.h"

/* What a value is that an operand holds. */
typedef enum kit_field {
    KIT_NO_VALUE, /* a register, or a fixed word */
    KIT_UNSIGNED, /* from 0 */
    KIT_SIGNED,
    KIT_BITS, /* either */
    KIT_CELL, /* the address of a cell of a space, or the number of it */
    KIT_END_CELL, /* the same of the first and the last cells: the field holds its low bits, with the sign of their number */
    KIT_PORT_CELL, /* the same of a part of the space that the language says, from where the field counts; a plain number is counted from there, too */
    KIT_NEAR,      /* an address by how far it is from where the field itself lies */
    KIT_BEHIND,    /* the same, from what stands behind the instruction (and `beside` it) */
    KIT_COUNT_UP,  /* from 1 on: the field is one less */
    KIT_COUNT_DOWN, /* from 1 on: the field is so far below its end */
    KIT_PARTS,      /* a number in two parts, the lower 12 bits with their sign */
    KIT_LISTED,     /* one of the numbers that `names` are, modulo the bits of `cells` bytes */
    KIT_PAGE_OF,    /* the page an address lies in; of an operand that is not written */
    KIT_TARGET,     /* an address of code */
    KIT_PAGE,       /* its low bits: it lies in the same page as what stands behind the instruction */
    KIT_RELATIVE, /* how far it is from what stands behind, in units; or from the instruction (own_distance) */
    KIT_TWO_PARTS /* the same in two parts of 32 bits, the lower 12 with their sign */
} kit_field;

/* What an operand is to a program that runs. */
typedef enum kit_touch {
    KIT_TOUCH_NOTHING,
    KIT_TOUCH_REGISTER, /* the register itself */
    KIT_TOUCH_CELL,     /* the cell at the value */
    KIT_TOUCH_POINTED,  /* the cell at what its register holds, which is read */
    KIT_TOUCH_STEPPED   /* the same; the register moves on */
} kit_touch;

/* A class of operands, as the table of rows names it. What is named there and is no class is a word that stands for itself. */
typedef struct kit_class {
    const char *name;
    const char *shape;        /* as it is written: {} an expression, <> one of `names`, all else itself */
    const char *const *names; /* by their field, up to NULL */
    char letter;              /* the field of the register */
    char value;               /* the field of the value */
    uint8_t field, space, touch,
        cells;   /* kit_field; where its value lies; kit_touch; cells that are touched */
    bool window; /* the low bits of its address are enough: something else selects the others */
    bool
        points; /* its number may be an address of code or data: what is read back says it by name where it has one */
    uint8_t shift; /* it is a multiple of 1 << shift, and the field holds the bits above */
    /* Classes of one name, one behind the other, are alternatives: each with a pattern of its own for its fields, which lies in the field x
     * of the row; that of a second such operand in y. What is tried first stands first. Else NULL. */
    const char *bits;
    /* Where the bits of its value do not lie in their order: their numbers as they stand in a code, from the left, 0 to 9 and then letters. */
    const char *order;
    const uint16_t
        *codes; /* what the field of the register holds for each of its names; NULL: the number of it */
} kit_class;

/* An operand of a row as a code has it: its class, NULL for a word, and the pattern and bits its fields lie in. */
typedef struct kit_part {
    const kit_class *class;
    const oak_pattern *pattern;
    uint64_t word;
    uint8_t number; /* of the class + 1 */
    bool odd;       /* no alternative has these bits */
} kit_part;

enum {
    KIT_MOST_CHOICES = 4, /* of one mnemonic */
    KIT_MOST_CLASSES = 60,
    KIT_MOST_OPERANDS = 4,
    KIT_MOST_SHAPES = 24,
    KIT_MOST_WORDS = 120,
    KIT_MOST_MNEMONICS = 400,
    KIT_MNEMONIC_INDEX = 1024,
    KIT_NO_ROW = 0xFFFF
};

/* A mnemonic that stands for the first of others that will do: CHOICE(jmp, "sjmp ajmp ljmp", …). */
typedef struct kit_choice {
    const char *mnemonic, *of; /* a list ends with NULL */
} kit_choice;

/* Two mnemonics that are each other's opposites: OPPOSITES(jc, jnc). */
typedef struct kit_pair {
    const char *a, *b; /* a list ends with NULL */
} kit_pair;

/* How the remedies call an operand: a word, a word that begins so ("r*"), or a shape. */
typedef struct kit_letter {
    const char *text; /* a list ends with NULL */
    char letter;
} kit_letter;

/* A row that loops count with: what it does to the first place that it writes, or to a register by its name. */
enum { KIT_ITS_OPERAND = 0x7FFF };
typedef struct kit_counting {
    uint16_t row;
    uint8_t does, goes;    /* oak_effect_kind, up to OTHER; oak_effect_goes */
    int16_t value;         /* KIT_ITS_OPERAND: its immediate */
    const char *to, *from; /* NULL: what it writes */
} kit_counting;

/* The data of an architecture; its oak_isa points to functions of the kit, which find this through their tables. */
typedef struct kit_language {
    const oak_isa *isa;
    const kit_class *classes; /* up to one without a name */
    const kit_choice *choices;
    const oak_remedy *remedies;
    const kit_letter *letters;
    const kit_counting *counts;
    const kit_pair *opposites; /* branches on conditions */
    const kit_pair
        *farther; /* a short branch, and the one that takes the same operands and reaches anything */
    const char *
        jump; /* that reaches anything, with what stands before its operand, for the advice on a branch out of reach */
    bool pairs;    /* an operand may have a comma in it: `5, x` */
    bool reserves; /* what reads like a register is one, whatever the instruction takes; it can be no label */
    const kit_class *const
        *frees; /* classes whose names mean something only where they are taken; up to NULL. Optional */
    /* In an architecture's own words; all optional. True after a refusal: of an operand at reader->at that is a word, or none. */
    bool (*refuses)(oak_operand_reader *reader, bool is_word, const char *behind);
    /* A word where a class (its number + 1) with a plain value would fit: its other name, as hint and edit. */
    bool (*other_name)(const char *word, unsigned class, oak_refusal *why);
    /* Before a value goes into its field; after OAK_REFUSED *why is filled in but for the operand. */
    oak_status (*check)(const kit_class *class, const oak_value *value, unsigned operand, oak_refusal *why);
    /* The space a value lies in, where the class alone does not say; and how it is written, where it is not a number or a name. */
    unsigned (*space_of)(const kit_class *class, uint32_t value);
    /* Where pages lie behind a window: the address a program sees of a place, the place that an address seen at a place is, and how many addresses
     * a program sees. Optional, all three. */
    uint32_t (*seen)(uint32_t place);
    uint32_t (*place)(uint32_t at, uint32_t seen);
    uint32_t span;
    uint8_t
        longest; /* bytes of an instruction; a row that is longer is written, and becomes several. 0: no such */
    bool bare;   /* a register in brackets with nothing in front is near by 0: (a0) is 0(a0) */
    uint32_t ports_from; /* see KIT_PORT_CELL */
    bool own_distance;   /* distances are counted from the instruction itself */
    /* What KIT_BEHIND is counted from, less where the instruction ends. */
    int (*beside)(unsigned row, unsigned operand);
    bool (*print)(const kit_class *class, uint32_t value, const oak_namer *namer, oak_buf *out);
} kit_language;

typedef struct kit_shape_of_row {
    oak_pattern pattern;
    uint16_t mnemonic, next; /* the next row of the same one */
    uint8_t count;
    uint8_t fixed;  /* bits of its pattern */
    uint8_t copies; /* operands behind these that are not written: each is the first one again ("rd; rs") */
    uint8_t class_of[KIT_MOST_OPERANDS]; /* 0: a word; else number + 1, of the first alternative */
    uint8_t word_of[KIT_MOST_OPERANDS];
} kit_shape_of_row;

struct kit_tables {
    const kit_language *language;
    size_t size;
    kit_shape_of_row *row;
    size_t entries;
    uint16_t *bucket; /* rows by the first byte of their pattern, the most fixed ones first */
    uint16_t first[257];
    uint16_t mnemonic_count, word_count, shape_count;
    const char *mnemonic[KIT_MOST_MNEMONICS];
    uint16_t first_row[KIT_MOST_MNEMONICS];
    uint16_t choice[KIT_MOST_MNEMONICS];      /* number + 1 */
    const char *word[KIT_MOST_WORDS];         /* that an operand, or a register in one, may be */
    const char *shape[KIT_MOST_SHAPES];       /* of operands with a value, the longest first */
    uint8_t shape_of_class[KIT_MOST_CLASSES]; /* by class; its number + 1, or 0 for words alone */
    oak_pattern own_bits[KIT_MOST_CLASSES];   /* of alternatives */
    int8_t name_of_word[KIT_MOST_CLASSES][KIT_MOST_WORDS]; /* the field of a class that a word has, or -1 */
    uint8_t word_index[256];                               /* words by their hash; number + 1 */
    uint16_t mnemonic_index[KIT_MNEMONIC_INDEX];           /* the same of mnemonics */
    bool opens_word[256];                                  /* by the first character, in lower case */
    uint8_t most_operands, longest_word;
    uint8_t plain_shape, marked_shape; /* of a value without a mark, and behind #; number + 1 */
    uint8_t shortest; /* bytes of a pattern, where there are shorter ones than pattern_unit; else that */
    bool marks_only;  /* a shape is a mark, or nothing, before a value */
};

/* The functions of an oak_isa. */
OAK_MUST_USE oak_status kit_open_tables(const kit_language *language, const oak_host *host,
                                        oak_isa_tables **tables);
void kit_close_tables(const oak_host *host, oak_isa_tables *tables);
int kit_mnemonic(const oak_isa_tables *tables, const char *text, size_t length);
const char *kit_mnemonic_name(const oak_isa_tables *tables, unsigned number);
bool kit_names_row(const oak_isa_tables *tables, unsigned mnemonic, unsigned row);
bool kit_is_register(const oak_isa_tables *tables, const char *text, size_t length);
OAK_MUST_USE oak_status kit_read_operands(const oak_isa_tables *tables, oak_operand_reader *reader,
                                          oak_insn *insn);
unsigned kit_forms(const oak_isa_tables *tables, oak_insn *insn, uint16_t *rows, oak_refusal *why);
oak_flow kit_flow_of(const oak_isa_tables *tables, unsigned row, const uint8_t *bytes, uint32_t state);
int kit_target_of(const oak_isa_tables *tables, unsigned row);
unsigned kit_row_size(const oak_isa_tables *tables, unsigned row);
OAK_MUST_USE oak_status kit_encode(const oak_isa_tables *tables, unsigned row, const oak_insn *insn,
                                   const oak_value *values, uint32_t address, uint8_t *bytes,
                                   oak_refusal *why);
OAK_MUST_USE oak_status kit_decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available,
                                   uint32_t address, uint32_t state, oak_decoded *decoded);
void kit_effect(const oak_isa_tables *tables, const oak_decoded *decoded, oak_effect *effect); /* uses.c */
void kit_print(const oak_isa_tables *tables, const oak_decoded *decoded, const oak_namer *namer,
               oak_buf *out);

void kit_tell_fields(const oak_isa_tables *tables, const oak_decoded *decoded, const oak_namer *namer,
                     oak_buf *out);
/* For a kit_arch: the operands of an operation, as the classes say: x is the first name, y the second, at the first value, or where a call
 * comes back to. */
void kit_row_fill(oak_core *core, const oak_decoded *decoded, kit_op *op);
/* Does somebody want to know of this access? */
static inline bool kit_wants(const oak_watched *watched, const kit_reach *one)
{
    uint8_t accesses = one->accesses;
    if (accesses & KIT_WRITES) accesses |= OAK_ACCESS_CHANGE;
    return watched->space == one->space && (watched->accesses & accesses) &&
           (!watched->bits || (watched->bits & one->bits));
}
static inline bool kit_overlaps(uint32_t begin, uint32_t size, const kit_reach *one)
{
    return begin - one->address < one->size || one->address - begin < size; /* a stack may begin below 0 */
}
/* Does it reach what one of them wants, with the bank that is selected? */
static inline bool kit_meets(const oak_core *core, const kit_wanted *want, const kit_reach *one)
{
    uint32_t bank = want->banks ? kit_look(core)->arch->bank(core) : 0;
    return kit_wants(&want->cells, one) && kit_overlaps(want->cells.address + bank, want->cells.size, one);
}
/* The cells that a register is, NULL where it is none. */
const oak_register_cells *kit_cells_of(const oak_architecture *about, unsigned reg);
/* What the instruction at an address reaches with what is in the registers now (or may, whatever is in them), and what entering a handler
 * does; at most KIT_MOST_REACHED. */
unsigned kit_reached(const oak_core *core, uint32_t pc, bool may, kit_reach *list);
unsigned kit_entry(const oak_core *core, kit_reach *list);
OAK_MUST_USE oak_status kit_read_register(const oak_core *core, unsigned reg, uint32_t *value);
OAK_MUST_USE oak_status kit_write_register(oak_core *core, unsigned reg, uint32_t value);

#define KIT_ISA_FUNCTIONS KIT_ISA_SHARED, .flow_of = kit_flow_of, .decode = kit_decode
/* Without the two that those need of their own where a code leads elsewhere than its row says. */
#define KIT_ISA_SHARED                                                                                       \
    .close = kit_close_tables, .mnemonic = kit_mnemonic, .mnemonic_name = kit_mnemonic_name,                 \
    .names_row = kit_names_row, .is_register = kit_is_register, .read_operands = kit_read_operands,          \
    .forms = kit_forms, .target_of = kit_target_of, .size = kit_row_size, .encode = kit_encode,              \
    .tell_fields = kit_tell_fields, .print = kit_print, .effect = kit_effect

/* ------------------------------------------------------------------------------------------ between the files */

static inline const struct kit_tables *kit_tables_of(const oak_isa_tables *tables)
{
    return (const struct kit_tables *)(const void *)tables;
}
/* The first row of the mnemonic number `index` of those that one stands for: a choice has several. KIT_NO_ROW behind the last. */
uint16_t kit_first_row(const struct kit_tables *tables, unsigned mnemonic, unsigned index);
/* The class of an operand of a row, NULL for a word. */
const kit_class *kit_class_at(const struct kit_tables *tables, unsigned row, unsigned operand);
/* A byte cannot hold the address of a variable: its contents were meant. `instead`: what is written for these, with %s where its name stands. */
OAK_MUST_USE oak_status kit_address_as_byte(const oak_value *value, const char *instead, oak_refusal *why);
/* A value in doubt: what would make it clear is a mark in front of the operand. */
void kit_offer_mark(const oak_insn *insn, unsigned operand, const char *mark, oak_refusal *why);
/* The number of a word, or -1; blanks count for nothing. */
int kit_find_word(const struct kit_tables *tables, const char *text, size_t length);
/* The row that would take these operands if one were written in this shape (its number + 1); KIT_NO_ROW. */
unsigned kit_row_with_shape(const struct kit_tables *tables, const oak_insn *insn, unsigned operand,
                            uint8_t shape);
/* The number of the name that the field of a class has in a code, or -1. */
int kit_name_in(const kit_class *class, const oak_pattern *pattern, uint64_t word);
/* The bits of a value as they stand in a code, and back; of so many. */
uint32_t kit_in_order(const kit_class *class, uint32_t field, unsigned width);
uint32_t kit_out_of_order(const kit_class *class, uint32_t field, unsigned width);
/* For an oak_isa: the first form that encodes what is read back, of those that are as long as a full one where `full`, is this code again. */
bool kit_comes_back(const oak_isa_tables *tables, const oak_decoded *decoded, bool full);
/* The first number among the operands of a decoded instruction that is no target; false when it has none. */
bool kit_number_among(const oak_isa_tables *tables, const oak_decoded *decoded, int64_t *number);
/* A field of a decoded instruction. */
uint32_t kit_field_of(const oak_isa_tables *tables, const oak_decoded *decoded, char letter);
/* An operand of a row in a code. */
kit_part kit_part_of(const struct kit_tables *tables, unsigned row, unsigned operand, uint64_t word);
/* The letter of the field of a row that an alternative lies in. */
char kit_own_letter(const struct kit_tables *tables, unsigned row, unsigned operand);
/* The number + 1 of the class of a row that takes an operand as it was read, 0 for none; and the same of a word. */
unsigned kit_class_for(const struct kit_tables *tables, unsigned row, unsigned operand,
                       const oak_operand *read);
/* What the value of an operand means: a number, or an address of code. */
int64_t kit_value_of(const struct kit_tables *tables, unsigned row, unsigned operand, const kit_part *part,
                     uint32_t address);
/* Where the lowest bits of a field lie: the address of their unit. */
int64_t kit_field_at(const struct kit_tables *tables, char letter, const oak_pattern *pattern,
                     uint32_t address);
/* The place of a number among those of a class of listed ones, or -1. */
int kit_listed(const kit_class *class, int64_t number);
/* "`count`, which is 300 (0x12c),", "300 (0x12c)"; and "`count`" or "0x12c". */
void kit_show_number(const oak_value *value, char *text, size_t room);
void kit_show_value(const oak_value *value, char *text, size_t room);
/* Units of an architecture's code that a row takes. */
unsigned kit_units_of(const struct kit_tables *tables, unsigned row);

#endif
