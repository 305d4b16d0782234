/* read.c — source lines to statements.
 *
 *   [label:] … operation operands          ; comment
 *   name equ|set|bit expression
 *
 * A label has a colon, or stands in column one. Errors are reported and the line is dropped, except for its labels. */
#include "asm/assembler.h"
#include "base/bytes.h"

enum directive { ORG, EQU, SET, BIT, DB, DW, DS, END, DIRECTIVES };
static const char *const directive_names[DIRECTIVES] = {"org", "equ", "set", "bit", "db", "dw", "ds", "end"};

enum { LONGEST_LINE = 60000, LONGEST_DIRECTIVE = 3 };

int asm_directive(const char *text, size_t length)
{
    if (length && *text == '.') text++, length--;
    if (length < 2 || length > LONGEST_DIRECTIVE) return WORD_NONE;
    for (unsigned i = 0; i < DIRECTIVES; i++)
        if (oak_same_name(text, length, directive_names[i])) return (int)i;
    return WORD_NONE;
}

const char *asm_directive_name(unsigned number)
{
    return number < DIRECTIVES ? directive_names[number] : NULL;
}

static const char *skip_blanks(const char *at, const char *end)
{
    while (at < end && (*at == ' ' || *at == '\t')) at++;
    return at;
}

#define REPORT(as, from, to, code, hint, ...)                                                                \
    asm_report(as, OAK_ERROR, (as)->file, (as)->line, (size_t)((from) - (as)->text),                         \
               (size_t)((to) - (as)->text), code, hint, __VA_ARGS__)

/* ------------------------------------------------------------------------------------------ expressions */

static void *meet_name(void *context, const char *text, size_t length, oak_expr_fault *fault)
{
    assembler *as = context;
    asm_name *name = asm_intern(as, text, length);
    if (!name) {
        oak_format(fault->message, sizeof fault->message, "out of memory");
        return NULL;
    }
    if (name->is_register) {
        fault->code = "register-in-expression";
        oak_format(fault->message, sizeof fault->message, "`%s` is a register, this needs a value",
                   name->text);
        return NULL;
    }
    if (!name->symbol && !asm_new_symbol(as, name)) return NULL;
    asm_symbol *symbol = name->symbol;
    if (symbol->uses++ == 0 && symbol->kind == SYMBOL_UNDEFINED) { /* where to complain if it stays so */
        symbol->file = as->file;
        symbol->line = as->line;
        symbol->column = fault->first;
    }
    return symbol;
}

static unsigned space_named(void *context, const char *text, size_t length)
{
    assembler *as = context;
    return oak_part_find_space(as->part, text, length);
}

static const oak_expr *parse_expression(assembler *as, const char **at, const char *end)
{
    oak_expr_fault fault;
    oak_expr_parser parser = {.arena = &as->arena,
                              .line = as->text,
                              .at = *at,
                              .end = end,
                              .context = as,
                              .name = meet_name,
                              .space = space_named,
                              .fault = &fault};
    const oak_expr *expr = oak_expr_parse(&parser);
    *at = parser.at;
    if (!expr && !as->out_of_memory) asm_report_fault(as, as->file, as->line, &fault);
    return expr;
}

typedef struct line_reader {
    oak_operand_reader reader;
    assembler *as;
} line_reader;

static const oak_expr *reader_expression(oak_operand_reader *reader)
{
    line_reader *self = (line_reader *)reader;
    return parse_expression(self->as, &reader->at, reader->end);
}

static void reader_refuse(oak_operand_reader *reader, const char *from, const char *to, const char *code,
                          const char *hint, const char *message)
{
    line_reader *self = (line_reader *)reader;
    REPORT(self->as, from, to, code, hint, "%s", message);
}

static bool nothing_left(assembler *as, const char *at, const char *end)
{
    at = skip_blanks(at, end);
    if (at == end) return true;
    size_t length = (size_t)(end - at);
    while (length && (at[length - 1] == ' ' || at[length - 1] == '\t')) length--;
    REPORT(as, at, at + length, "extra-text", "A comment begins with ; and operands are separated by commas.",
           "this does not belong here: `%.*s`", (int)(length < 60 ? length : 60), at);
    return false;
}

/* ------------------------------------------------------------------------------------------ statements */

static statement *add_statement(assembler *as, statement_kind kind)
{
    statement *grown =
        oak_grow(as->host, as->statements, &as->statement_room, as->statement_count + 1, sizeof *grown);
    if (!grown) {
        as->out_of_memory = true;
        return NULL;
    }
    as->statements = grown;
    statement *one = &grown[as->statement_count++];
    *one = (statement){.line = as->line, .file = as->file, .kind = (uint8_t)kind, .space = as->space};
    one->address = as->here[as->space];
    one->text_at = (uint32_t)(as->text - as->program->files[as->file].text);
    return one;
}

/* Reports a name that cannot be defined (again). */
static bool may_define(assembler *as, asm_name *name, const char *at, bool again_allowed)
{
    const char *end = at + name->length;
    if (name->is_register) {
        REPORT(as, at, end, "reserved-name", "Choose another name.", "`%s` is a register of %s", name->text,
               as->isa->about.name);
        return false;
    }
    if (oak_expr_is_word(name->text, name->length) ||
        oak_part_find_space(as->part, name->text, name->length)) {
        REPORT(as, at, end, "reserved-name", "Choose another name.", "`%s` is a word of expressions",
               name->text);
        return false;
    }
    const asm_symbol *before = name->symbol;
    if (!before || before->kind == SYMBOL_UNDEFINED) return true;
    if (before->kind == SYMBOL_PART) {
        REPORT(as, at, end, "reserved-name", "Choose another name: the part's own names need no definition.",
               "`%s` is already a register or bit of %s", name->text, as->part->name);
        return false;
    }
    if (before->kind == SYMBOL_VARIABLE && again_allowed) return true;
    REPORT(as, at, end, "defined-twice",
           before->kind == SYMBOL_VARIABLE || again_allowed
               ? "A name given by set can only be changed by set."
               : "Give one of them another name; letters of either case are alike.",
           "`%s` is already defined in line %u", name->text, before->line);
    return false;
}

static asm_symbol *define(assembler *as, asm_name *name, const char *at, symbol_kind kind)
{
    if (!may_define(as, name, at, kind == SYMBOL_VARIABLE)) return NULL;
    bool fresh = !name->symbol || name->symbol->kind == SYMBOL_VARIABLE;
    asm_symbol *symbol = fresh ? asm_new_symbol(as, name) : name->symbol;
    if (!symbol) return NULL;
    symbol->kind = (uint8_t)kind;
    symbol->file = as->file;
    symbol->line = as->line;
    symbol->column = (uint16_t)(at - as->text);
    return symbol;
}

static void define_label(assembler *as, asm_name *name, const char *at)
{
    asm_symbol *symbol = define(as, name, at, SYMBOL_LABEL);
    if (!symbol) return;
    symbol->space = as->space;
    symbol->value = as->here[as->space];
    symbol->reported = as->lost;
    statement *one = add_statement(as, STATEMENT_LABEL);
    if (one) one->label = symbol;
}

static void read_value(assembler *as, asm_name *name, const char *name_at, int kind, const char *at,
                       const char *end)
{
    const oak_expr *expr = parse_expression(as, &at, end);
    if (expr && !nothing_left(as, at, end)) expr = NULL;
    asm_symbol *symbol = define(as, name, name_at, kind == SET ? SYMBOL_VARIABLE : SYMBOL_CONSTANT);
    if (!symbol) return;
    symbol->expr = expr;
    symbol->must_be_bit = kind == BIT;
    symbol->here = (oak_value){.number = as->here[as->space], .space = as->space, .known = true};
    if (!expr) symbol->reported = true; /* known to be wrong: its uses are not reported again */
    statement *one = add_statement(as, STATEMENT_VALUE);
    if (!one) return;
    one->label = symbol;
    one->as.expr = expr;
}

static void read_data(assembler *as, int kind, const char *word, const char *at, const char *end)
{
    enum { MOST_ITEMS = 20000 };
    uint32_t unit = kind == DB ? 1 : 2, count = 0, size = 0;
    data_item *items = NULL;
    size_t room = 0;
    bool good = true;
    at = skip_blanks(at, end);
    if (at == end) {
        REPORT(as, word, word + 2, "operand-missing",
               "Values are separated by commas, texts stand in double quotes.",
               "`%s` needs at least one value", directive_names[kind]);
        return;
    }
    while (good && count < MOST_ITEMS) {
        data_item item = {.size = unit};
        at = skip_blanks(at, end);
        if (at < end && *at == '"' && kind == DB) {
            const char *start = at++;
            item.text = at;
            item.size = 0;
            while (at < end && *at != '"') {
                uint8_t value;
                size_t used = oak_read_character(at, end, &value);
                if (!used) {
                    REPORT(as, at, at + 2, "character", "Escapes: \\n \\t \\r \\0 \\a \\e \\\\ \\\" \\x41.",
                           "there is no such escape");
                    good = false;
                    used = 1;
                }
                at += used;
                item.size++;
            }
            if (at >= end) {
                REPORT(as, start, end, "text-end", "Close it with a double quote.", "this text has no end");
                good = false;
            } else {
                at++;
            }
        } else {
            item.expr = parse_expression(as, &at, end);
            if (!item.expr) good = false;
        }
        data_item *grown = oak_grow(as->host, items, &room, count + 1u, sizeof *grown);
        if (!grown) {
            as->out_of_memory = true;
            good = false;
            break;
        }
        items = grown;
        items[count++] = item;
        size += item.size;
        at = skip_blanks(at, end);
        if (at == end || *at != ',') break;
        at++;
    }
    if (good) good = nothing_left(as, at, end);
    statement *one = good ? add_statement(as, STATEMENT_DATA) : NULL;
    data_item *kept = one ? oak_arena_take(&as->arena, count * sizeof *kept) : NULL;
    if (one && !kept) as->out_of_memory = true;
    if (kept) {
        memcpy(kept, items, count * sizeof *kept);
        one->as.items = kept;
        one->count = count;
        one->unit = (uint8_t)unit;
        one->size = size;
        asm_place(as, one);
    }
    oak_release(as->host, items, room, sizeof *items);
}

static void read_directive(assembler *as, int directive, const char *word, size_t word_length, const char *at,
                           const char *end)
{
    const oak_expr *expr;
    statement *one;
    switch (directive) {
    case DB:
    case DW: read_data(as, directive, word, at, end); return;
    case END:
        as->ended = true;
        nothing_left(as, at, end);
        return;
    case ORG:
    case DS:
        if (skip_blanks(at, end) == end) {
            REPORT(as, word, word + word_length, "operand-missing",
                   directive == ORG ? "Write `org 0x100`, or `org iram:0x30` for another space."
                                    : "Write `ds 8` to keep 8 bytes.",
                   "`%s` needs a value", directive_names[directive]);
            return;
        }
        expr = parse_expression(as, &at, end);
        if (!expr || !nothing_left(as, at, end)) {
            as->lost = as->lost || directive == ORG;
            return;
        }
        one = add_statement(as, directive == ORG ? STATEMENT_ORG : STATEMENT_SPACE);
        if (!one) return;
        one->as.expr = expr;
        asm_place(as, one);
        return;
    default: /* equ, set, bit without a name before them */
        REPORT(as, word, word + word_length, "name-missing", "Write `name equ value`.",
               "`%s` needs a name before it", directive_names[directive]);
        return;
    }
}

static void read_instruction(assembler *as, int mnemonic, const char *word, size_t word_length,
                             const char *at, const char *end)
{
    line_reader reader = {.reader = {.line = as->text,
                                     .at = at,
                                     .end = end,
                                     .expression = reader_expression,
                                     .refuse = reader_refuse},
                          .as = as};
    as->insn = (oak_insn){.mnemonic = (uint16_t)mnemonic, .operand = as->operands};
    if (as->isa->read_operands(as->tables, &reader.reader, &as->insn)) return;
    if (!nothing_left(as, reader.reader.at, end)) return;
    uint16_t rows[OAK_MOST_FORMS];
    oak_refusal why;
    unsigned forms = as->isa->forms(as->tables, &as->insn, rows, &why);
    if (!forms) {
        const char *from = word, *to = word + word_length;
        if (why.operand >= 0) {
            from = as->text + as->insn.operand[why.operand].first;
            to = as->text + as->insn.operand[why.operand].last;
        } else if (as->insn.count) {
            to = as->text + as->insn.operand[as->insn.count - 1].last;
        }
        REPORT(as, from, to, why.code, why.hint, "%s", why.message);
        return;
    }
    /* What is kept lies in one piece: the instruction, its operands, its rows. */
    size_t operand_size = as->insn.count * sizeof(oak_operand);
    oak_insn *insn = oak_arena_take(&as->arena, sizeof *insn + operand_size + forms * sizeof *rows);
    statement *one = insn ? add_statement(as, STATEMENT_INSN) : NULL;
    if (!one) {
        as->out_of_memory = true;
        return;
    }
    *insn = as->insn;
    insn->operand = (oak_operand *)(insn + 1);
    memcpy(insn->operand, as->operands, operand_size);
    uint16_t *kept = (uint16_t *)((char *)(insn + 1) + operand_size);
    memcpy(kept, rows, forms * sizeof *rows);
    one->as.code.insn = insn;
    one->as.code.rows = kept;
    one->form_count = (uint8_t)forms;
    if (forms > 1) as->relaxes = true;
    asm_place(as, one);
}

/* ------------------------------------------------------------------------------------------ lines */

/* Where the comment begins, or the end of the line. Quotes hide what is inside them. */
static const char *find_comment(const char *at, const char *end)
{
    char quote = 0;
    for (; at < end; at++) {
        char c = *at;
        if (c > ';' && c != '\\') continue; /* letters: nothing to see */
        if (quote) {
            if (c == '\\' && at + 1 < end) at++;
            else if (c == quote) quote = 0;
        } else if (c == ';' || (c == '/' && at + 1 < end && at[1] == '/')) {
            return at;
        } else if (c == '"' || c == '\'') {
            quote = c;
        }
    }
    return end;
}

static size_t word_length(const char *at, const char *end)
{
    size_t length = at < end && *at == '.' ? 1 : 0;
    if (at + length >= end || !oak_is_letter(at[length])) return 0;
    while (at + length < end && oak_is_word(at[length])) length++;
    return length;
}

static bool is_operation(assembler *as, asm_name *name)
{
    return name->directive != WORD_NONE || asm_mnemonic(as, name) != WORD_NONE;
}

static void unknown_operation(assembler *as, const char *word, size_t length, const char *rest,
                              const char *end)
{
    char hint[120];
    asm_suggest_operation(as, word, length, hint, sizeof hint);
    if (!*hint && rest == end)
        oak_format(hint, sizeof hint, "A label needs a colon: `%.*s:`", (int)(length < 60 ? length : 60),
                   word);
    REPORT(as, word, word + length, "unknown-operation", hint,
           "`%.*s` is no instruction of %s and no directive", (int)(length < 60 ? length : 60), word,
           as->isa->about.name);
}

void asm_read_line(assembler *as)
{
    const char *end = find_comment(as->text, as->end), *at = as->text;
    if (end - at > LONGEST_LINE) {
        REPORT(as, at, at + 1, "line-length", NULL, "this line is longer than %d bytes", LONGEST_LINE);
        return;
    }
    for (;;) {
        at = skip_blanks(at, end);
        if (at == end) return;
        size_t length = word_length(at, end);
        if (!length) {
            unsigned char c = (unsigned char)*at;
            if (c > ' ' && c < 127)
                REPORT(as, at, at + 1, "statement", "A line holds a label, an instruction or a directive.",
                       "a statement cannot begin with `%c`", c);
            else
                REPORT(as, at, at + 1, "statement", "Is this a text file?",
                       "byte 0x%02x does not belong into source text", c);
            return;
        }
        const char *word = at, *rest = skip_blanks(at + length, end);
        asm_name *name = asm_intern(as, word, length);
        if (!name) return;
        if (rest < end && *rest == ':' && *word != '.') {
            define_label(as, name, word);
            at = rest + 1;
            continue;
        }
        size_t next_length = word_length(rest, end);
        int next = next_length ? asm_directive(rest, next_length) : WORD_NONE;
        if (name->directive == WORD_NONE && (next == EQU || next == SET || next == BIT)) {
            read_value(as, name, word, next, rest + next_length, end);
            return;
        }
        if (name->directive != WORD_NONE) {
            read_directive(as, name->directive, word, length, rest, end);
            return;
        }
        int mnemonic = asm_mnemonic(as, name);
        if (mnemonic != WORD_NONE) {
            read_instruction(as, mnemonic, word, length, rest, end);
            return;
        }
        bool column_one = word == as->text && *word != '.';
        asm_name *second = column_one && next_length ? asm_intern(as, rest, next_length) : NULL;
        if (!column_one || (rest != end && !(second && is_operation(as, second)))) {
            unknown_operation(as, word, length, rest, end);
            return;
        }
        define_label(as, name, word);
        at = rest;
    }
}
