/* assembler.h — the state of one assembly, shared by the files of the front end.
 *
 *   assemble.c    opening, files, the order of the passes, from the result to a program
 *   syntax.c      what the words of a line are, for editors
 *   source.c      where lines come from: files, includes, macros, repetitions, conditions
 *   config.c      words that configure a chip
 *   select.c      banks and pages: what selects them, and what is found selected
 *   read.c        source lines to statements: labels, directives, operands
 *   sections.c    sections: opening them, finding room for those that float
 *   layout.c      addresses, the shortest forms that reach, bytes
 *   pools.c       words kept beside the code for instructions to load
 *   flow.c        warnings about where execution goes
 *   names.c       names, symbols, suggestions, diagnostics
 */
#ifndef OAK_ASM_ASSEMBLER_H
#define OAK_ASM_ASSEMBLER_H

#include "asm/expr.h"
#include "asm/program.h"
#include "base/pool.h"
#include "isa/isa.h"

typedef enum symbol_kind {
    SYMBOL_UNDEFINED,
    SYMBOL_LABEL,
    SYMBOL_CONSTANT, /* equ, bit */
    SYMBOL_VARIABLE, /* set; every set makes a new one */
    SYMBOL_PART      /* a register or bit of the part */
} symbol_kind;

/* What a constant has beside its value. */
typedef struct asm_constant {
    const oak_expr *expr; /* NULL: it is wrong, which has been said */
    oak_value here;       /* what $ means in it */
    uint32_t worked_out,
        looked; /* the evaluation in which its value, or `ahead`, was found: so each is found once */
} asm_constant;

/* There are as many as labels, and names as well: both are kept small. */
typedef struct asm_symbol {
    int64_t value; /* of a label or a part's name, or of a constant that is settled or worked out */
    union {
        asm_constant *constant;    /* of a constant or variable */
        struct asm_symbol *beside; /* of a label: the one before it at the same statement */
    } as;
    uint32_t name;   /* its number */
    uint32_t origin; /* where it is defined, or used first while it is not */
    uint32_t uses;
    uint32_t extent; /* of all the data behind it */
    uint16_t column;
    uint8_t bytes; /* of one value behind a label of data */
    uint8_t kind;
    uint8_t space;
    bool evaluating : 1;
    bool reported : 1; /* its absence, or that it goes in a circle */
    bool must_be_bit : 1;
    bool replaced : 1; /* a set that a later set of the same name follows */
    bool settled : 1;  /* a constant whose value is kept in `value` and `space`, once layout is done */
    bool ahead : 1;    /* with `looked`: it depends on what is defined later */
    bool bare : 1;     /* a label without a colon, alone in its line */
    uint16_t of;       /* a part's name: the number of its register + 1, or 0 */
} asm_symbol;

enum { WORD_UNKNOWN = -2, WORD_NONE = -1 };

/* What few names have. */
typedef struct asm_rare {
    const struct asm_macro *macro, *foreign; /* of this file; the last of another one */
    asm_symbol *shared;                      /* what another source file exports under the name */
} asm_rare;

/* A name met in the source, kept once; letters of either case are alike. */
typedef struct asm_name {
    const char *text;   /* as it was written first; in the program's arena */
    asm_symbol *symbol; /* the newest of this source file; NULL until it is used or defined */
    asm_rare *rare;     /* or NULL */
    uint32_t hash;
    uint32_t number; /* among all of them */
    uint16_t length;
    int16_t mnemonic; /* WORD_UNKNOWN until asked */
    int8_t directive;
    bool is_register : 1, exported : 1;
} asm_name;

typedef enum statement_kind {
    STATEMENT_LABEL, /* nothing but a label */
    STATEMENT_INSN,
    STATEMENT_ORG,
    STATEMENT_DATA,
    STATEMENT_SPACE,
    STATEMENT_VALUE, /* equ, set, bit: for the listing */
    STATEMENT_ALIGN,
    STATEMENT_BINARY,  /* bytes of a file */
    STATEMENT_SECTION, /* what follows goes there */
    STATEMENT_ASSERT,
    STATEMENT_POOL /* words for instructions to load may stand here */
} statement_kind;

/* Statements one behind the other of which the same was said: where the last one ends. */
typedef struct asm_stretch {
    bool any;
    uint16_t section;
    uint32_t end;
} asm_stretch;

/* An instruction of `bank` or `page`. */
typedef struct asm_step {
    const oak_select_step *is;
    const oak_expr *expr; /* what is to be reached */
    uint32_t statement;
    uint32_t wanted; /* its bit, when it was last left out for good */
    bool dropped;    /* it is not needed */
} asm_step;

typedef struct data_item {
    const oak_expr *expr; /* NULL: text */
    const char *text;
    uint32_t size;
    bool is_code; /* the address of code, with its mark */
} data_item;

enum { ASM_HAS_TARGET = 0x40, ASM_ENCODED = 0x80 };
typedef struct statement {
    uint32_t origin;
    uint8_t kind;
    uint8_t space;
    uint8_t
        unit; /* bytes of one data item; of an instruction: its flow once it is encoded, with ASM_HAS_TARGET where it has one */
    uint8_t form; /* the form taken */
    uint8_t form_count;
    uint32_t address;
    uint32_t size;
    uint32_t
        count; /* data items; of labels: how many lines they take behind the first; of an instruction: its target */
    uint16_t section;
    uint32_t text_at; /* where its line begins in the file */
    asm_symbol
        *label; /* the symbol a value or label belongs to; the last of several labels, the others beside it */
    union {
        const oak_expr *expr;
        struct {
            const oak_insn *insn;
            const uint16_t *rows;
        } code;
        const data_item *items;
        struct {
            const oak_expr *expr;
            const char *text;
        } claim; /* assert: the text may be NULL */
        const char *bytes;
        struct {
            uint32_t next; /* statement of the next one in the section, or ASM_NO_POOL */
            bool must;     /* it is wanted here, or is the last chance */
            bool chosen;   /* it is in use */
        } pool;
    } as;
} statement;

/* A word that an instruction loads. */
#define ASM_NO_POOL UINT32_MAX
typedef struct asm_literal {
    const oak_expr *expr;
    uint32_t user; /* statement of the instruction */
    uint32_t pool; /* statement that holds it, or ASM_NO_POOL */
    uint32_t address;
    uint16_t section;
    bool shared;  /* another literal has put it there */
    bool offered; /* some pool stands behind it */
} asm_literal;

typedef struct asm_edit {
    uint16_t first, last;
    bool safe;
    const char *text; /* NULL: none */
} asm_edit;

/* A line as an edit would leave it, read but not placed: whether it encodes is known when all symbols are. */
typedef struct asm_trial {
    oak_insn insn;
    oak_operand operands[OAK_MOST_OPERANDS];
    uint16_t rows[OAK_MOST_FORMS];
    unsigned forms;
    uint32_t address;
    uint8_t space;
} asm_trial;

typedef struct asm_diag {
    uint32_t origin;
    asm_edit edit;
    const asm_trial *trial; /* NULL: the edit has not been tried */
    uint16_t first, last;
    uint8_t severity;
    const char *code, *message, *hint;
} asm_diag;

/* A stretch of one space that grows while statements are placed in it. The first sections, one a space, are those that org
 * moves about in; named ones have a fixed address, or are placed by the tool. */
typedef struct asm_section {
    const asm_name *name; /* NULL for the first ones */
    uint8_t space;
    bool floats;
    bool homeless; /* no room was found, which has been said */
    bool copied;   /* the program copies its contents from `load`, in code memory, to where it lies */
    uint32_t load;
    uint32_t align;
    uint32_t base;
    uint32_t here;
    uint32_t size;
    uint32_t origin;               /* where it is opened first */
    const oak_part_memory *memory; /* where it is to be placed; NULL: any of its space */
    uint32_t next_pool;            /* while pools are linked */
    uint32_t state;                /* what the last instruction means for the next: oak_insn */
} asm_section;

enum { MOST_SECTIONS = 2000 };

/* A stretch of source that is read more than once: the inside of a macro or of a repetition. */
typedef struct asm_body {
    const char *text;
    size_t size;
    uint32_t line; /* of the line in front of it */
    uint16_t file;
} asm_body;

enum { MOST_PARAMETERS = 16, MOST_LEVELS = 64, MOST_CONDITIONS = 64 };

/* A word and what stands in for it. */
typedef struct asm_swap {
    const char *word;
    size_t word_length;
    const char *text;
    size_t length;
} asm_swap;

typedef struct asm_macro {
    asm_body body;
    uint32_t origin;
    unsigned parameter_count;
    asm_swap parameter[MOST_PARAMETERS]; /* text: the default, NULL where there is none */
} asm_macro;

/* Where lines come from just now: a file, a macro, or one round of a repetition. */
typedef struct asm_level {
    const char *at, *end;
    uint32_t line;   /* of the line read last */
    uint32_t parent; /* place that opened it */
    uint16_t file;
    bool expanded;
    unsigned conditions; /* how many were open when it began */
    /* a repetition */
    asm_body body;
    asm_swap counter;  /* word: the name that changes from round to round; NULL when there is none */
    const char *items; /* what is left of the list of `each`; NULL with `repeat` */
    const char *items_end;
    uint64_t round, rounds;
} asm_level;

typedef struct asm_condition {
    bool active; /* lines are read now */
    bool taken;  /* one branch has been read */
    bool outer;  /* the lines around it are read */
    bool ended;  /* else has been seen */
    uint32_t origin;
} asm_condition;

typedef struct assembler {
    const oak_host *host;
    const oak_part *part;
    const oak_isa *isa;
    oak_isa_tables *tables;
    const oak_diag_sink *sink;
    const oak_asm_settings *settings; /* NULL: as usual */
    oak_program *program;
    oak_arena arena;
    bool out_of_memory;
    bool kept; /* the program is to be handed over */

    uint32_t *slots; /* names by hash (names.c) */
    size_t slot_count;
    uint64_t directives_by_letter[32]; /* sets of their numbers */
    oak_pool names, symbols;
    unsigned suggestions_left,
        operations_left; /* what is near is looked for so often: there may be many names */

    statement *statements;
    size_t statement_count, statement_room;
    bool full;    /* short codes are passed over */
    bool relaxes; /* some instruction has more than one form, or loads from a pool */
    bool laying_out;
    asm_literal *literals;
    size_t literal_count, literal_room;
    size_t first_literal; /* those before it have their place in this round */
    bool pool_moved;

    asm_edit edit;                             /* of the diagnostic that is reported next */
    asm_stretch misaligned, overrun, not_code; /* told of once each */
    bool trying; /* a line is read as an edit would leave it: nothing is reported, no name is used */
    asm_diag *diags;
    size_t diag_count, diag_room, error_count;

    asm_step *steps;
    size_t step_count, step_room;
    asm_section *sections;
    size_t section_count, section_room;
    uint16_t section;      /* where statements go now */
    uint8_t space;         /* its space */
    bool floats;           /* some section is to be placed */
    uint16_t copies;       /* the first section that is copied, or 0 */
    uint32_t copying;      /* where that is done + 1, or 0 */
    const oak_expr *entry; /* where execution begins, NULL when it is not said */
    uint32_t entry_place;
    bool ended;
    bool settled;         /* layout is done: values no longer change */
    uint32_t evaluations; /* counts */
    bool lost;            /* an org was wrong: what follows has no known place */

    asm_level level[MOST_LEVELS];
    unsigned level_count;
    asm_condition condition[MOST_CONDITIONS];
    unsigned condition_count;
    uint32_t expansions; /* counts, for names that are local to one */
    uint32_t rounds;     /* of all repetitions */
    size_t expanded_bytes;
    const asm_name *scope;     /* the last label that is not local */
    const asm_name *structure; /* inside struct … ends: its name */
    int64_t structure_size;
    uint32_t structure_place;

    /* the line being read */
    uint32_t origin;
    const char *text, *end;
    oak_insn insn;
    oak_operand operands[OAK_MOST_OPERANDS];
} assembler;

/* assemble.c: one with its tables and the names of the part, before any source; asm_close also after a failure, but for OAK_UNSUPPORTED. */
OAK_MUST_USE oak_status asm_open(assembler *as, const oak_host *host, const oak_part *part,
                                 const oak_diag_sink *sink);
void asm_close(assembler *as);

/* names.c */
/* A name that is there already, or NULL. */
const asm_name *asm_known(const assembler *as, const char *text, size_t length);
static inline asm_name *asm_name_at(const assembler *as, size_t number)
{
    return oak_pool_at(&as->names, number);
}
static inline asm_symbol *asm_symbol_at(const assembler *as, size_t number)
{
    return oak_pool_at(&as->symbols, number);
}
static inline asm_name *asm_name_of(const assembler *as, const asm_symbol *symbol)
{
    return asm_name_at(as, symbol->name);
}
static inline const struct asm_macro *asm_macro_of(const asm_name *name)
{
    return name->rare ? name->rare->macro : NULL;
}
static inline asm_symbol *asm_shared(const asm_name *name)
{
    return name->rare ? name->rare->shared : NULL;
}
/* What few names have, to be filled in; NULL when there is no memory. */
asm_rare *asm_make_rare(assembler *as, asm_name *name);
/* A line as it was read. */
static inline oak_source_line asm_source(const assembler *as, uint32_t origin)
{
    return oak_program_source(as->program, origin);
}
asm_name *asm_intern(assembler *as, const char *text, size_t length);
asm_symbol *asm_new_symbol(assembler *as, asm_name *name);
int asm_mnemonic(assembler *as, asm_name *name);
/* trade.c: the kind of instruction that a word means elsewhere; what to write here instead of it, NULL when it is no such word. */
oak_trade asm_trade_of(const char *text, size_t length);
/* False when the trade has no such word, or this core nothing for it. */
/* Bytes of a unit of code memory: where program memory counts in words, addresses and sizes do so, too. */
static inline unsigned asm_unit(const assembler *as)
{
    return oak_unit_bytes(&as->isa->about, as->isa->about.code_space);
}
/* Units that the values of a data statement take. */
uint32_t asm_data_units(const assembler *as, const statement *one);
/* A byte of what lies at an address of code. */
bool asm_code_byte(const assembler *as, uint32_t address, unsigned byte, uint8_t *value);
bool asm_trade_hint(const assembler *as, const char *text, size_t length, char *hint, size_t room);
/* Does the line encode as the edit would leave it? */
bool asm_trial_holds(assembler *as, const asm_trial *trial);
bool asm_add_part_names(assembler *as);
/* "Did you mean `…`?" for a symbol or an operation; empty when nothing is near. */
void asm_suggest_symbol(assembler *as, const asm_name *name, size_t first, char *hint, size_t room);
void asm_suggest_operation(assembler *as, const char *text, size_t length, size_t first, char *hint,
                           size_t room);
/* Columns count from 0; last is one past the end. */
void asm_report(assembler *as, oak_severity severity, uint32_t origin, size_t first, size_t last,
                const char *code, const char *hint, const char *format, ...) OAK_PRINTF(8, 9);
/* A warning, as it is set: silent, a warning or an error. The usual level is in names.c. */
/* False when a warning is silent everywhere. */
bool asm_warns(const assembler *as, const char *code);
void asm_warn(assembler *as, uint32_t origin, size_t first, size_t last, const char *code, const char *hint,
              const char *format, ...) OAK_PRINTF(7, 8);
/* Gives the next diagnostic an edit: columns from 0 and the text to put there. */
void asm_suggest_edit(assembler *as, size_t first, size_t last, const char *text, bool safe);
void asm_report_fault(assembler *as, uint32_t origin, const oak_expr_fault *fault);
/* The number of the line in its file, for messages. */
uint32_t asm_line_of(const assembler *as, uint32_t origin);
OAK_MUST_USE oak_status asm_deliver_reports(assembler *as);

/* read.c */
enum asm_directive {
    ORG,
    EQU,
    SET,
    BIT,
    DB,
    DW,
    DS,
    END,
    ALIGN,
    IF,
    IFDEF,
    IFNDEF,
    ELSEIF,
    ELSE,
    ENDIF,
    MACRO,
    ENDM,
    LOCAL,
    REPEAT,
    EACH,
    ENDR,
    INCLUDE,
    INCBIN,
    ASSERT,
    ERROR,
    WARNING,
    MESSAGE,
    STRUCT,
    ENDS,
    BITS,
    SECTION,
    EXPORT,
    ENTRY,
    VECTOR,
    DD,
    DQ,
    POOL,
    CONFIG,
    COPIED,
    COMPRESS,
    BANK,
    PAGE,
    DIRECTIVES
};
int asm_directive(const assembler *as, const char *text, size_t length);
void asm_open_directives(assembler *as);
const char *asm_directive_name(const assembler *as, unsigned number);
void asm_read_line(assembler *as);
/* At the end of all sources: a last pool for every section that waits for one. */
void asm_end_pools(assembler *as);
const oak_expr *asm_parse_expression(assembler *as, const char **at, const char *end);
/* Reports what is left of a line; true when nothing is. */
bool asm_nothing_left(assembler *as, const char *at, const char *end);
/* Takes a text in double quotes; false after a report. The text is what stands between the quotes. */
bool asm_read_text(assembler *as, const char **at, const char *end, const char **text, uint32_t *size);
static inline const char *asm_skip_blanks(const char *at, const char *end)
{
    while (at < end && (*at == ' ' || *at == '\t')) at++;
    return at;
}
/* A word, with a point before it or not; 0: there is none. */
static inline size_t asm_word_length(const char *at, const char *end)
{
    size_t length = at < end && *at == '.' ? 1 : 0;
    if (at + length >= end || !oak_is_letter(at[length])) return 0;
    while (at + length < end && oak_is_word(at[length])) length++;
    return length;
}
/* Where the comment of a line begins, or its end. */
const char *asm_find_comment(const char *at, const char *end, bool slashes);

/* source.c */
/* Opens a file as the source of the lines that follow; false after a report. */
bool asm_open_file(assembler *as, const char *name, const char *text, size_t size, uint32_t parent);
bool asm_next_line(assembler *as);
/* True when the line is not to be read: a condition around it does not hold. */
bool asm_is_skipped(const assembler *as);
/* Directives that decide which lines are read; false for all others. */
bool asm_read_source_directive(assembler *as, int directive, asm_name *label, const char *word, size_t length,
                               const char *at, const char *end);
void asm_call_macro(assembler *as, const asm_macro *macro, const char *word, size_t length, const char *at,
                    const char *end);
/* Reads a file named in the source, beside the file that names it; NULL after a report. In the program's arena. */
const char *asm_load(assembler *as, const char *text, uint32_t length, const char *from, const char *to,
                     size_t *size, const char **path);

/* sections.c */
static inline asm_section *asm_here(const assembler *as)
{
    return &as->sections[as->section];
}
void asm_enter(assembler *as, uint16_t section);
bool asm_open_sections(assembler *as);
/* The section of a name, made when there is none; floats when address is NULL. -1 after a report. */
int asm_find_section(assembler *as, asm_name *name, size_t first, size_t last, unsigned space,
                     const uint32_t *address, uint32_t align, const oak_part_memory *memory);
void asm_read_section(assembler *as, const char *word, size_t length, const char *at, const char *end);
/* Gives every floating section its place; true when one has moved. */
bool asm_place_sections(assembler *as);
/* Reports named sections that overlap, with both places. */
void asm_check_sections(assembler *as);
/* The directive that copies sections; a warning where it is missing; where in the image a statement's bytes lie. */
void asm_read_copied(assembler *as, const char *word, size_t length);
void asm_check_copied(assembler *as);
uint32_t asm_image_address(const assembler *as, const statement *one);
/* Takes the size each has grown to, and begins anew. */
void asm_rewind_sections(assembler *as);

/* layout.c */
/* What a symbol stands for: itself, or what another file exports under its name. */
asm_symbol *asm_resolve(const assembler *as, asm_symbol *symbol);
/* The value of an expression; OAK_REFUSED after a report. known may be false before layout is done. */
OAK_MUST_USE oak_status asm_value(assembler *as, const oak_expr *expr, const statement *at, oak_value *value);
/* The same without reporting, for values inside others. */
OAK_MUST_USE oak_status asm_evaluate(assembler *as, const oak_expr *expr, const oak_value *here,
                                     oak_value *value, oak_expr_fault *fault);
/* The value of an expression that must be known where it stands; false after a report. */
bool asm_value_now(assembler *as, const oak_expr *expr, oak_value *value);
void asm_place(assembler *as, statement *one);
void asm_layout(assembler *as);
void asm_emit(assembler *as);

/* pools.c */
/* Notes a word that the next statement loads. */
bool asm_add_literal(assembler *as, const oak_expr *expr, uint32_t *number);
/* Whether the section has literals behind which no pool stands yet. */
bool asm_waits_for_pool(const assembler *as);
void asm_pool_offered(assembler *as);
void asm_link_pools(assembler *as);
void asm_rewind_pools(assembler *as);
void asm_place_pool(assembler *as, statement *one);
void asm_emit_pool(assembler *as, const statement *one, void *context,
                   void (*write)(void *context, uint32_t address, const uint8_t *bytes, size_t count));

/* flow.c: warnings about where execution goes */
void asm_check_flow(assembler *as);

/* config.c: the directive, and a look at what is not set. */
void asm_read_config(assembler *as, const char *word, size_t word_length, const char *at, const char *end);
void asm_check_configuration(assembler *as);
/* read.c: an instruction as a line of its own would have it; NULL after a report, or without memory. */
statement *asm_put_instruction(assembler *as, const char *line);
/* select.c: the directives; which of their instructions stand, true when that has changed; which are needed, with what is behind
 * laid out anew; registers and labels that are not reached by what is selected. */
void asm_read_select(assembler *as, bool of_code, const char *at, const char *end);
bool asm_choose_steps(assembler *as);
void asm_drop_steps(assembler *as);
/* Warns of pointers that lead elsewhere than what goes by them wants. */
void asm_check_pointers(assembler *as);
void asm_check_selection(assembler *as);
/* What became of the directives, for the listing. */
OAK_MUST_USE oak_status asm_note_steps(assembler *as);
/* layout.c: what an instruction becomes where it lies; false, and nothing said, while that is not known. */
bool asm_evaluate_quietly(assembler *as, const oak_expr *expr, const statement *one, oak_value *value);
bool asm_encode_quietly(assembler *as, const statement *one, uint8_t *bytes);
/* Where an instruction goes on that skips the next one. */
uint32_t asm_behind_skipped(const assembler *as, const statement *one);
/* read.c: a number of so many bytes at an address of code, in a section of its own. */
void asm_put_word(assembler *as, const char *section, uint32_t address, uint32_t value, unsigned bytes);

#endif
