/* assembler.h — the state of one assembly, shared by the files of the front end.
 *
 *   assemble.c    opening, files, the order of the passes, from the result to a program
 *   read.c        source lines to statements: labels, directives, operands
 *   layout.c      addresses, the shortest forms that reach, bytes
 *   names.c       names, symbols, suggestions, diagnostics
 */
#ifndef OAK_ASM_ASSEMBLER_H
#define OAK_ASM_ASSEMBLER_H

#include "asm/expr.h"
#include "asm/program.h"
#include "isa/isa.h"

typedef enum symbol_kind {
    SYMBOL_UNDEFINED,
    SYMBOL_LABEL,
    SYMBOL_CONSTANT, /* equ, bit */
    SYMBOL_VARIABLE, /* set; every set makes a new one */
    SYMBOL_PART      /* a register or bit of the part */
} symbol_kind;

typedef struct asm_symbol {
    struct asm_name *name;
    uint8_t kind;
    uint8_t space;
    bool evaluating;
    bool reported; /* its absence, or that it goes in a circle */
    bool must_be_bit;
    bool settled; /* a constant whose value is kept in `value` and `space`, once layout is done */
    uint16_t file, column;
    uint32_t line;
    uint32_t uses;
    int64_t value;        /* of a label or a part's name, or of a settled constant */
    const oak_expr *expr; /* of a constant or variable */
    oak_value here;       /* what $ means in it */
} asm_symbol;

enum { WORD_UNKNOWN = -2, WORD_NONE = -1 };

/* A name met in the source, kept once; letters of either case are alike. */
typedef struct asm_name {
    struct asm_name *next;  /* same bucket */
    struct asm_name *later; /* all names, in the order they were met */
    uint32_t hash;
    uint16_t length;
    int16_t mnemonic; /* WORD_UNKNOWN until asked */
    int16_t directive;
    bool is_register;
    const char *text;   /* as it was written first */
    asm_symbol *symbol; /* the newest; NULL until it is used or defined */
} asm_name;

typedef enum statement_kind {
    STATEMENT_LABEL, /* nothing but a label */
    STATEMENT_INSN,
    STATEMENT_ORG,
    STATEMENT_DATA,
    STATEMENT_SPACE,
    STATEMENT_VALUE /* equ, set, bit: for the listing */
} statement_kind;

typedef struct data_item {
    const oak_expr *expr; /* NULL: text */
    const char *text;
    uint32_t size;
} data_item;

typedef struct statement {
    uint32_t line;
    uint16_t file;
    uint8_t kind;
    uint8_t space;
    uint8_t unit; /* bytes of one data item */
    uint8_t form; /* the form taken */
    uint8_t form_count;
    uint32_t address;
    uint32_t size;
    uint32_t count;    /* data items */
    uint32_t text_at;  /* where its line begins in the file */
    asm_symbol *label; /* the symbol a value or label belongs to; the last of several labels */
    union {
        const oak_expr *expr;
        struct {
            const oak_insn *insn;
            const uint16_t *rows;
        } code;
        const data_item *items;
    } as;
} statement;

typedef struct asm_diag {
    uint32_t line;
    uint16_t file, first, last;
    uint8_t severity;
    const char *code, *message, *hint;
} asm_diag;

typedef struct assembler {
    const oak_host *host;
    const oak_part *part;
    const oak_isa *isa;
    oak_isa_tables *tables;
    const oak_diag_sink *sink;
    oak_program *program;
    oak_arena arena;
    bool out_of_memory;

    asm_name **buckets;
    size_t bucket_count, name_count;
    asm_name *first_name, *last_name;
    unsigned suggestions_left;

    statement *statements;
    size_t statement_count, statement_room;
    bool relaxes; /* some instruction has more than one form */

    asm_diag *diags;
    size_t diag_count, diag_room, error_count;

    uint8_t space;  /* where statements go now */
    uint32_t *here; /* next address of each space */
    bool ended;
    bool settled; /* layout is done: values no longer change */
    bool lost;    /* an org was wrong: what follows has no known place */
    unsigned overrun_reported;

    /* the line being read */
    uint16_t file;
    uint32_t line;
    const char *text, *end;
    oak_insn insn;
    oak_operand operands[OAK_MOST_OPERANDS];
} assembler;

/* names.c */
asm_name *asm_intern(assembler *as, const char *text, size_t length);
asm_symbol *asm_new_symbol(assembler *as, asm_name *name);
int asm_mnemonic(assembler *as, asm_name *name);
bool asm_add_part_names(assembler *as);
/* "Did you mean `…`?" for a symbol or an operation; empty when nothing is near. */
void asm_suggest_symbol(assembler *as, const asm_name *name, char *hint, size_t room);
void asm_suggest_operation(assembler *as, const char *text, size_t length, char *hint, size_t room);
/* Columns count from 0; last is one past the end. */
void asm_report(assembler *as, oak_severity severity, uint16_t file, uint32_t line, size_t first, size_t last,
                const char *code, const char *hint, const char *format, ...) OAK_PRINTF(9, 10);
void asm_report_fault(assembler *as, uint16_t file, uint32_t line, const oak_expr_fault *fault);
oak_status asm_deliver_reports(assembler *as);

/* read.c */
int asm_directive(const char *text, size_t length);
const char *asm_directive_name(unsigned number);
void asm_read_line(assembler *as);
void asm_define_label_at(assembler *as, asm_symbol *symbol);

/* layout.c */
/* The value of an expression; OAK_REFUSED after a report. known may be false before layout is done. */
oak_status asm_value(assembler *as, const oak_expr *expr, const statement *at, oak_value *value);
/* The same without reporting, for values inside others. */
oak_status asm_evaluate(assembler *as, const oak_expr *expr, const oak_value *here, oak_value *value,
                        oak_expr_fault *fault);
void asm_place(assembler *as, statement *one);
void asm_layout(assembler *as);
void asm_emit(assembler *as);

#endif
