/* read.c — source lines to statements.
 *
 *   [label:] … operation operands          ; comment
 *   name equ|set|bit expression
 *
 * A label has a colon, or stands in column one. Errors are reported and the line is dropped, except for its labels. */
#include <oakspindle/print.h>

#include "asm/assembler.h"
#include "base/bytes.h"

static const char *const directive_names[DIRECTIVES] = {
    "org",    "equ",    "set",    "bit",      "db",     "dw",     "ds",     "end",     "align",
    "if",     "ifdef",  "ifndef", "elseif",   "else",   "endif",  "macro",  "endm",    "local",
    "repeat", "each",   "endr",   "include",  "incbin", "assert", "error",  "warning", "message",
    "struct", "ends",   "bits",   "section",  "export", "entry",  "vector", "dd",      "dq",
    "pool",   "config", "copied", "compress", "bank",   "page"};

enum { LONGEST_LINE = 60000, LONGEST_DIRECTIVE = 8, LONGEST_MNEMONIC = 24 };

_Static_assert(DIRECTIVES <= 64, "sets of directives are kept in 64 bits");

static bool offers(const assembler *as, unsigned directive)
{
    if (directive == COMPRESS) return as->isa->full_size;
    return (directive != BANK && directive != PAGE) || as->isa->selector;
}

void asm_open_directives(assembler *as)
{
    for (unsigned i = 0; i < DIRECTIVES; i++)
        if (offers(as, i)) as->directives_by_letter[directive_names[i][0] & 31] |= (uint64_t)1 << i;
}

int asm_directive(const assembler *as, const char *text, size_t length)
{
    if (length && *text == '.') text++, length--;
    if (length < 2 || length > LONGEST_DIRECTIVE) return WORD_NONE;
    uint64_t left = as->directives_by_letter[*text & 31];
    for (unsigned i = 0; left; i++, left >>= 1)
        if ((left & 1) && oak_same_name(text, length, directive_names[i])) return (int)i;
    return WORD_NONE;
}

const char *asm_directive_name(const assembler *as, unsigned number)
{
    if (number == COMPRESS && !offers(as, number)) number = COPIED; /* the list goes on behind it */
    return number < DIRECTIVES && offers(as, number) ? directive_names[number] : NULL;
}

#define REPORT(as, from, to, code, hint, ...)                                                                \
    asm_report(as, OAK_ERROR, (as)->origin, (size_t)((from) - (as)->text), (size_t)((to) - (as)->text),      \
               code, hint, __VA_ARGS__)

/* ------------------------------------------------------------------------------------------ expressions */

/* A name as it is meant: `.name` belongs to the last label before it that is not local. */
static asm_name *intern_scoped(assembler *as, const char *text, size_t length)
{
    char whole[200];
    if (*text != '.' || !as->scope || as->scope->length + length >= sizeof whole)
        return asm_intern(as, text, length);
    memcpy(whole, as->scope->text, as->scope->length);
    memcpy(whole + as->scope->length, text, length);
    return asm_intern(as, whole, as->scope->length + length);
}

static void *meet_name(void *context, const char *text, size_t length, oak_expr_fault *fault)
{
    assembler *as = context;
    asm_name *name = intern_scoped(as, text, length);
    if (!name) {
        oak_format(fault->message, sizeof fault->message, "out of memory");
        return NULL;
    }
    if (name->is_register) {
        fault->code = "register-in-expression";
        oak_format(fault->message, sizeof fault->message, "`%s` is a register, this needs a value",
                   name->text);
        const char *hint = as->isa->trade ? as->isa->trade[OAK_TRADE_REGISTER_VALUE] : NULL;
        if (hint) oak_format(fault->hint, sizeof fault->hint, "%s", hint);
        return NULL;
    }
    if (!name->symbol && !asm_new_symbol(as, name)) return NULL;
    asm_symbol *symbol = name->symbol;
    if (as->trying) return symbol;
    if (symbol->uses++ == 0 && symbol->kind == SYMBOL_UNDEFINED) { /* where to complain if it stays so */
        symbol->origin = as->origin;
        symbol->column = fault->first;
    }
    return symbol;
}

static unsigned space_named(void *context, const char *text, size_t length)
{
    assembler *as = context;
    return oak_part_find_space(as->part, text, length);
}

static bool is_defined(void *context, const char *text, size_t length)
{
    const asm_name *name = asm_intern(context, text, length);
    return name && (asm_macro_of(name) || (name->symbol && name->symbol->kind != SYMBOL_UNDEFINED));
}

const oak_expr *asm_parse_expression(assembler *as, const char **at, const char *end)
{
    oak_expr_fault fault;
    fault.code = NULL;
    fault.needs_hex = false;
    fault.message[0] = fault.hint[0] = 0;
    oak_expr_parser parser = {.arena = &as->arena,
                              .line = as->text,
                              .at = *at,
                              .end = end,
                              .context = as,
                              .name = meet_name,
                              .space = space_named,
                              .defined = is_defined,
                              .fault = &fault};
    const oak_expr *expr = oak_expr_parse(&parser);
    *at = parser.at;
    if (!expr && !as->out_of_memory && fault.needs_hex)
        asm_suggest_edit(as, fault.first, fault.first, "0x", true);
    if (!expr && !as->out_of_memory) asm_report_fault(as, as->origin, &fault);
    return expr;
}

typedef struct line_reader {
    oak_operand_reader reader;
    assembler *as;
} line_reader;

static const oak_expr *reader_expression(oak_operand_reader *reader)
{
    line_reader *self = (line_reader *)reader;
    return asm_parse_expression(self->as, &reader->at, reader->end);
}

static void reader_refuse(oak_operand_reader *reader, const char *from, const char *to, const char *code,
                          const char *hint, const char *message)
{
    line_reader *self = (line_reader *)reader;
    REPORT(self->as, from, to, code, hint, "%s", message);
}

static void reader_suggest(oak_operand_reader *reader, const char *from, const char *to, const char *text)
{
    line_reader *self = (line_reader *)reader;
    asm_suggest_edit(self->as, (size_t)(from - self->as->text), (size_t)(to - self->as->text), text, true);
}

bool asm_nothing_left(assembler *as, const char *at, const char *end)
{
    at = asm_skip_blanks(at, end);
    if (at == end) return true;
    size_t length = (size_t)(end - at);
    while (length && (at[length - 1] == ' ' || at[length - 1] == '\t')) length--;
    static const struct {
        const char *word, *hint;
    } words[] = {{"mod", "The rest of a division is `%`: `5 % 2`."},
                 {"shl", "Write `<<`."},
                 {"shr", "Write `>>`."},
                 {"and", "Write `&`."},
                 {"or", "Write `|`."},
                 {"xor", "Write `^`."},
                 {"eq", "Write `==`."},
                 {"ne", "Write `!=`."},
                 {"lt", "Write `<`."},
                 {"gt", "Write `>`."},
                 {"le", "Write `<=`."},
                 {"ge", "Write `>=`."},
                 {"dup", "Write `repeat COUNT` … `endr` around it."}};
    const char *hint = "A comment begins with ; and operands are separated by commas.";
    const char *before = at;
    while (before > as->text && (before[-1] == ' ' || before[-1] == '\t')) before--;
    char last = before > as->text ? before[-1] : ' ';
    size_t word = asm_word_length(at, end);
    for (size_t i = 0; i < sizeof words / sizeof *words; i++)
        if (oak_same_name(at, word, words[i].word)) hint = words[i].hint;
    if (before == at && last == '$' && oak_hex_digit(*at) >= 0)
        hint = "A hexadecimal number is written 0x1f or 1fh; `$` is the address of this statement.";
    else if (*at == '\'' && before == at && oak_is_letter(last))
        hint = "Numbers are written 0x1f or 1fh, 0b101 or 101b, 0o17, 42.";
    else if (*at == '#') hint = "A comma is missing before it; a comment begins with ;.";
    else if (*at == ')' || *at == ']' || *at == '}') hint = "Nothing was opened that it could close.";
    else if (*at == '@') hint = "A comment begins with ;.";
    else if (*at == '(') hint = "An operator or a comma is missing before it.";
    REPORT(as, at, at + length, "extra-text", hint, "this does not belong here: `%.*s`",
           (int)(length < 60 ? length : 60), at);
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
    *one =
        (statement){.origin = as->origin, .kind = (uint8_t)kind, .space = as->space, .section = as->section};
    one->address = asm_here(as)->here;
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
    bool is_space = name->length <= 8 && oak_part_find_space(as->part, name->text, name->length);
    if (is_space || oak_expr_is_word(name->text, name->length)) {
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
           "`%s` is already defined in line %u", name->text, asm_line_of(as, before->origin));
    return false;
}

static asm_symbol *define(assembler *as, asm_name *name, const char *at, symbol_kind kind)
{
    if (!may_define(as, name, at, kind == SYMBOL_VARIABLE)) return NULL;
    bool fresh = !name->symbol || name->symbol->kind == SYMBOL_VARIABLE;
    asm_symbol *symbol = fresh ? asm_new_symbol(as, name) : name->symbol;
    if (!symbol) return NULL;
    symbol->kind = (uint8_t)kind;
    symbol->origin = as->origin;
    symbol->column = (uint16_t)(at - as->text);
    return symbol;
}

/* The same for what has an expression, which is the caller's to fill in. */
static asm_symbol *define_value(assembler *as, asm_name *name, const char *at, symbol_kind kind)
{
    asm_constant *constant = oak_arena_zero(&as->arena, sizeof *constant);
    if (!constant) as->out_of_memory = true;
    asm_symbol *symbol = constant ? define(as, name, at, kind) : NULL;
    if (symbol) symbol->as.constant = constant;
    return symbol;
}

/* A constant with a value that is known now. */
static void define_number(assembler *as, asm_name *name, const char *at, int64_t number)
{
    asm_symbol *symbol = name ? define_value(as, name, at, SYMBOL_CONSTANT) : NULL;
    oak_expr *expr = symbol ? oak_arena_zero(&as->arena, sizeof *expr) : NULL;
    if (!expr) {
        if (symbol) as->out_of_memory = true;
        return;
    }
    expr->kind = OAK_EXPR_NUMBER;
    expr->as.number = number;
    symbol->as.constant->expr = expr;
    statement *one = add_statement(as, STATEMENT_VALUE);
    if (!one) return;
    one->label = symbol;
    one->as.expr = expr;
}

/* `structure_member` */
static asm_name *member_name(assembler *as, const char *text, size_t length)
{
    char whole[200];
    if (as->structure->length + length + 1 >= sizeof whole) return asm_intern(as, text, length);
    memcpy(whole, as->structure->text, as->structure->length);
    whole[as->structure->length] = '_';
    memcpy(whole + as->structure->length + 1, text, length);
    return asm_intern(as, whole, as->structure->length + 1u + length);
}

static void define_label(assembler *as, asm_name *name, const char *at)
{
    if (as->structure) {
        define_number(as, member_name(as, name->text, name->length), at, as->structure_size);
        return;
    }
    asm_symbol *symbol = define(as, name, at, SYMBOL_LABEL);
    if (!symbol) return;
    if (*at != '.') as->scope = name;
    symbol->space = as->space;
    symbol->value = asm_here(as)->here;
    symbol->reported = as->lost;
    statement *last = as->statement_count ? &as->statements[as->statement_count - 1] : NULL;
    bool joins = last && last->kind == STATEMENT_LABEL && last->section == as->section &&
                 last->address == asm_here(as)->here && as->origin - last->origin <= last->count + 1;
    statement *one = joins ? last : add_statement(as, STATEMENT_LABEL);
    if (!one) return;
    symbol->as.beside = joins ? last->label : NULL;
    one->label = symbol;
    one->count = as->origin - one->origin;
}

static void read_value(assembler *as, asm_name *name, const char *name_at, int kind, const char *at,
                       const char *end)
{
    const oak_expr *expr = asm_parse_expression(as, &at, end);
    if (expr && !asm_nothing_left(as, at, end)) expr = NULL;
    asm_symbol *symbol = define_value(as, name, name_at, kind == SET ? SYMBOL_VARIABLE : SYMBOL_CONSTANT);
    if (!symbol) return;
    symbol->as.constant->expr = expr;
    symbol->must_be_bit = kind == BIT;
    symbol->as.constant->here = (oak_value){.number = asm_here(as)->here, .space = as->space, .known = true};
    if (!expr) symbol->reported = true; /* known to be wrong: its uses are not reported again */
    statement *one = add_statement(as, STATEMENT_VALUE);
    if (!one) return;
    one->label = symbol;
    one->as.expr = expr;
}

bool asm_read_text(assembler *as, const char **at, const char *end, const char **text, uint32_t *size)
{
    const char *start = *at;
    bool good = true;
    if (start >= end || *start != '"') {
        REPORT(as, start, start < end ? start + 1 : start, "text-missing", "Write it in double quotes.",
               "a text is missing here");
        return false;
    }
    *text = ++*at;
    *size = 0;
    while (*at < end && **at != '"') {
        uint8_t value;
        size_t used = oak_read_character(*at, end, &value);
        if (!used) {
            REPORT(as, *at, *at + 2, "character", "Escapes: \\n \\t \\r \\0 \\a \\e \\\\ \\\" \\x41.",
                   "there is no such escape");
            good = false;
            used = 1;
        }
        *at += used;
        ++*size;
    }
    if (*at >= end) {
        REPORT(as, start, end, "text-end", "Close it with a double quote.", "this text has no end");
        return false;
    }
    ++*at;
    return good;
}

/* A place where a pool may stand; `must`: the last one for what waits. Nothing when nothing waits. */
static void add_pool(assembler *as, bool must)
{
    if (!asm_waits_for_pool(as)) return;
    statement *one = add_statement(as, STATEMENT_POOL);
    if (!one) return;
    one->as.pool.must = must;
    one->as.pool.chosen = false;
    one->as.pool.next = ASM_NO_POOL;
    if (must) asm_pool_offered(as);
}

void asm_end_pools(assembler *as)
{
    uint16_t back = as->section;
    for (size_t i = 0; i < as->section_count && as->literal_count; i++) {
        as->sections[i].next_pool = ASM_NO_POOL;
        asm_enter(as, (uint16_t)i);
        if (!asm_waits_for_pool(as) || !add_statement(as, STATEMENT_SECTION)) continue;
        add_pool(as, true);
    }
    asm_enter(as, back);
}

static void read_data(assembler *as, int kind, const char *word, const char *at, const char *end)
{
    enum { MOST_ITEMS = 20000 };
    uint32_t unit = kind == DB ? 1 : kind == DW ? 2 : kind == DD ? 4 : 8, count = 0, size = 0;
    data_item *items = NULL;
    size_t room = 0;
    bool good = true;
    at = asm_skip_blanks(at, end);
    if (at == end) {
        REPORT(as, word, word + 2, "operand-missing",
               "Values are separated by commas, texts stand in double quotes.",
               "`%s` needs at least one value", directive_names[kind]);
        return;
    }
    while (good && count < MOST_ITEMS) {
        data_item item = {.size = unit};
        at = asm_skip_blanks(at, end);
        if (at < end && *at == '"' && kind == DB) {
            good = asm_read_text(as, &at, end, &item.text, &item.size);
        } else {
            item.expr = asm_parse_expression(as, &at, end);
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
        at = asm_skip_blanks(at, end);
        if (at == end || *at != ',') break;
        at++;
    }
    if (good) good = asm_nothing_left(as, at, end);
    statement *one = good ? add_statement(as, STATEMENT_DATA) : NULL;
    data_item *kept = one ? oak_arena_take(&as->arena, count * sizeof *kept) : NULL;
    if (one && !kept) as->out_of_memory = true;
    if (kept) {
        memcpy(kept, items, count * sizeof *kept);
        one->as.items = kept;
        one->count = count;
        one->unit = (uint8_t)unit;
        one->size = asm_unit(as) > 1 ? asm_data_units(as, one) : size;
        asm_place(as, one);
    }
    oak_release(as->host, items, room, sizeof *items);
}

static void operand_missing(assembler *as, int directive, const char *word, size_t length)
{
    static const struct {
        int directive;
        const char *hint;
    } hints[] = {{ORG, "Write `org 0x100`, or `org $A` for variables."},
                 {DS, "Write `ds 8` to keep 8 bytes."},
                 {ALIGN, "Write `align 4`."},
                 {ASSERT, "Write `assert last < 0x1000, \"too long\"`."},
                 {ENTRY, "Write `entry start`."},
                 {ERROR, "Write `error \"what is wrong\"`."},
                 {WARNING, "Write `warning \"what to mind\"`."},
                 {MESSAGE, "Write `message \"size \", last - first`."}};
    char hint[120] = "";
    for (size_t i = 0; i < sizeof hints / sizeof *hints; i++)
        if (hints[i].directive == directive) oak_part_example(as->part, hints[i].hint, hint, sizeof hint);
    REPORT(as, word, word + length, "operand-missing", hint, "`%s` needs a value",
           directive_names[directive]);
}

/* org, ds, align, assert: one expression, and with assert perhaps a text. */
static void read_place(assembler *as, int directive, const char *word, size_t word_length, const char *at,
                       const char *end)
{
    static const uint8_t kinds[DIRECTIVES] = {[ORG] = STATEMENT_ORG,
                                              [DS] = STATEMENT_SPACE,
                                              [ALIGN] = STATEMENT_ALIGN,
                                              [ASSERT] = STATEMENT_ASSERT};
    const char *text = NULL;
    uint32_t size = 0;
    if (asm_skip_blanks(at, end) == end) {
        operand_missing(as, directive, word, word_length);
        return;
    }
    const oak_expr *expr = asm_parse_expression(as, &at, end);
    at = asm_skip_blanks(at, end);
    if (expr && directive == ASSERT && at < end && *at == ',') {
        at = asm_skip_blanks(at + 1, end);
        if (!asm_read_text(as, &at, end, &text, &size)) return;
        text = oak_arena_text(&as->arena, text, size);
    }
    if (!expr || !asm_nothing_left(as, at, end)) {
        as->lost = as->lost || directive == ORG;
        return;
    }
    oak_value value;
    if (as->structure && directive == DS) {
        if (asm_value_now(as, expr, &value)) as->structure_size += value.number;
        return;
    }
    if (directive == ORG) add_pool(as, true); /* what is behind it may be out of reach */
    statement *one = add_statement(as, (statement_kind)kinds[directive]);
    if (!one) return;
    one->as.claim.expr = expr;
    one->as.claim.text = text;
    asm_place(as, one);
}

/* error, warning, message: texts and values in a row. */
static void read_message(assembler *as, int directive, const char *word, size_t word_length, const char *at,
                         const char *end)
{
    char said[300] = "";
    if (asm_skip_blanks(at, end) == end) {
        operand_missing(as, directive, word, word_length);
        return;
    }
    do {
        char before[sizeof said];
        memcpy(before, said, sizeof said);
        at = asm_skip_blanks(at, end);
        if (at < end && *at == '"') {
            const char *text;
            uint32_t size;
            if (!asm_read_text(as, &at, end, &text, &size)) return;
            oak_format(said, sizeof said, "%s%.*s", before, (int)(at - text - 1), text);
        } else {
            oak_value value;
            const oak_expr *expr = asm_parse_expression(as, &at, end);
            if (!expr || !asm_value_now(as, expr, &value)) return;
            oak_format(said, sizeof said, "%s%lld", before, (long long)value.number);
        }
        at = asm_skip_blanks(at, end);
    } while (at < end && *at++ == ',');
    asm_report(as,
               directive == ERROR     ? OAK_ERROR
               : directive == WARNING ? OAK_WARNING
                                      : OAK_NOTE,
               as->origin, (size_t)(word - as->text), (size_t)(word - as->text) + word_length,
               directive == ERROR     ? "error-directive"
               : directive == WARNING ? "warning-directive"
                                      : "",
               NULL, "%s", said);
}

/* bits busy, -, done: names for 0, 2 */
static void read_bits(assembler *as, const char *at, const char *end)
{
    for (int64_t position = 0;; position++) {
        at = asm_skip_blanks(at, end);
        size_t length = asm_word_length(at, end);
        if (!length && at < end && *at == '-') at++;
        else if (!length || *at == '.') {
            REPORT(as, at, at + 1, "name-missing", "Write `bits busy, -, done`: busy is 0, done is 2.",
                   "a name or - is missing here");
            return;
        } else {
            define_number(as, asm_intern(as, at, length), at, position);
            at += length;
        }
        at = asm_skip_blanks(at, end);
        if (at == end || *at != ',') break;
        at++;
    }
    asm_nothing_left(as, at, end);
}

/* incbin "file", offset, length */
static void read_binary(assembler *as, const char *at, const char *end)
{
    const char *from = asm_skip_blanks(at, end), *text, *path;
    uint32_t length;
    size_t size;
    oak_value numbers[2] = {{.number = 0}, {.number = -1}};
    at = from;
    if (!asm_read_text(as, &at, end, &text, &length)) return;
    const char *to = at;
    for (unsigned i = 0; i < 2; i++) {
        at = asm_skip_blanks(at, end);
        if (at == end || *at != ',') break;
        at++;
        const oak_expr *expr = asm_parse_expression(as, &at, end);
        if (!expr || !asm_value_now(as, expr, &numbers[i])) return;
    }
    if (!asm_nothing_left(as, at, end)) return;
    const char *bytes = asm_load(as, text, length, from, to, &size, &path);
    if (!bytes) return;
    int64_t offset = numbers[0].number,
            count = numbers[1].number < 0 ? (int64_t)size - offset : numbers[1].number;
    if (offset < 0 || offset > (int64_t)size || count < 0 || count > (int64_t)size - offset) {
        REPORT(as, from, to, "value-range", NULL, "`%s` has %zu bytes: there are not %lld from %lld on", path,
               size, (long long)count, (long long)offset);
        return;
    }
    statement *one = add_statement(as, STATEMENT_BINARY);
    if (!one) return;
    one->as.bytes = bytes + offset;
    one->count = (uint32_t)count;
    one->size = ((uint32_t)count + asm_unit(as) - 1) / asm_unit(as);
    asm_place(as, one);
}

static void begin_structure(assembler *as, const char *word, size_t word_length, const char *at,
                            const char *end)
{
    at = asm_skip_blanks(at, end);
    size_t length = asm_word_length(at, end);
    if (!length || *at == '.' || as->structure) {
        REPORT(as, word, word + word_length, "name-missing",
               "Write `struct NAME`, labels with ds, and `ends`.",
               as->structure ? "a structure cannot lie inside another" : "`struct` needs a name");
        return;
    }
    if (!asm_nothing_left(as, at + length, end)) return;
    as->structure = asm_intern(as, at, length);
    as->structure_size = 0;
    as->structure_place = as->origin;
}

static void end_structure(assembler *as, const char *word, size_t length, const char *at, const char *end)
{
    if (!as->structure) {
        REPORT(as, word, word + length, "no-macro", "It ends what `struct NAME` begins.",
               "`ends` without a struct");
        return;
    }
    define_number(as, member_name(as, "size", 4), word, as->structure_size);
    as->structure = NULL;
    asm_nothing_left(as, at, end);
}

/* export a, b */
static void read_export(assembler *as, const char *at, const char *end)
{
    for (;;) {
        at = asm_skip_blanks(at, end);
        size_t length = asm_word_length(at, end);
        asm_name *name = length && *at != '.' ? asm_intern(as, at, length) : NULL;
        if (!name) {
            REPORT(as, at, at + 1, "name-missing", "Write `export start, count`.", "a name is missing here");
            return;
        }
        name->exported = true;
        if (!name->symbol) {
            asm_symbol *symbol = asm_new_symbol(as, name);
            if (symbol) symbol->origin = as->origin, symbol->column = (uint16_t)(at - as->text);
        }
        at = asm_skip_blanks(at + length, end);
        if (at == end || *at != ',') break;
        at++;
    }
    asm_nothing_left(as, at, end);
}

static void read_instruction(assembler *as, int mnemonic, const char *word, size_t word_length,
                             const char *at, const char *end);

/* A vector that holds the handler's address. */
static void read_vector_address(assembler *as, bool plain, const char *at, const char *end)
{
    const oak_expr *expr = asm_parse_expression(as, &at, end);
    if (!expr || !asm_nothing_left(as, at, end)) return;
    statement *one = add_statement(as, STATEMENT_DATA);
    data_item *item = one ? oak_arena_zero(&as->arena, sizeof *item) : NULL;
    if (!item) {
        as->out_of_memory = true;
        return;
    }
    item->expr = expr;
    item->size = as->isa->about.vector_bytes;
    item->is_code = !plain;
    one->as.items = item;
    one->count = 1;
    one->unit = as->isa->about.vector_bytes;
    one->size = item->size;
    asm_place(as, one);
}

/* vector timer0, handler: a jump to the handler at the vector the part calls so */
static void read_vector(assembler *as, const char *word, size_t word_length, const char *at, const char *end)
{
    at = asm_skip_blanks(at, end);
    size_t length = asm_word_length(at, end);
    const oak_part_vector *vector = NULL;
    char known[200] = "", name[80];
    for (unsigned i = 0; i < as->part->vector_count; i++) {
        char before[sizeof known];
        memcpy(before, known, sizeof known);
        oak_format(known, sizeof known, "%s%s%s", before, i ? ", " : "", as->part->vectors[i].name);
        if (length && oak_same_name(at, length, as->part->vectors[i].name)) vector = &as->part->vectors[i];
    }
    const char *comma = asm_skip_blanks(at + length, end);
    if (!vector || comma == end || *comma != ',') {
        char hint[260];
        if (vector) oak_format(hint, sizeof hint, "Write `vector %s, handler`.", vector->name);
        else if (*known) oak_format(hint, sizeof hint, "%s has: %s.", as->part->name, known);
        else oak_format(hint, sizeof hint, "%s names none: write it with org and data.", as->part->name);
        REPORT(as, length ? at : word, length ? at + length : word + word_length, "vector", hint,
               vector ? "a handler is missing" : "the part has no such vector");
        return;
    }
    int mnemonic = as->isa->vector_mnemonic ? as->isa->mnemonic(as->tables, as->isa->vector_mnemonic,
                                                                oak_length(as->isa->vector_mnemonic))
                                            : WORD_NONE;
    oak_format(name, sizeof name, "vector_%s", vector->name);
    uint16_t back = as->section;
    int section = asm_find_section(as, asm_intern(as, name, oak_length(name)), (size_t)(at - as->text),
                                   (size_t)(at - as->text) + length, as->isa->about.code_space,
                                   &vector->address, 1, NULL);
    if (section < 0 || (mnemonic < 0 && !as->isa->about.vector_bytes)) return;
    asm_enter(as, (uint16_t)section);
    statement *one = add_statement(as, STATEMENT_SECTION);
    if (one && mnemonic < 0) read_vector_address(as, vector->is_value, comma + 1, end);
    else if (one) read_instruction(as, mnemonic, word, word_length, comma + 1, end);
    asm_enter(as, back);
    add_statement(as, STATEMENT_SECTION);
}

void asm_put_word(assembler *as, const char *section, uint32_t address, uint32_t value, unsigned bytes)
{
    char number[20];
    oak_format(number, sizeof number, "0x%x", (unsigned)value);
    const char *text = oak_arena_text(&as->arena, number, oak_length(number));
    uint16_t back = as->section;
    int entered = text ? asm_find_section(as, asm_intern(as, section, oak_length(section)), 0, 0,
                                          as->isa->about.code_space, &address, 1, NULL)
                       : -1;
    if (!text) as->out_of_memory = true;
    if (entered < 0) return;
    asm_enter(as, (uint16_t)entered);
    if (add_statement(as, STATEMENT_SECTION))
        read_data(as, bytes == 1 ? DB : bytes == 2 ? DW : DD, text, text, text + oak_length(text));
    asm_enter(as, back);
    add_statement(as, STATEMENT_SECTION);
}

/* A mnemonic may go on behind points (`b.w`, `c.inc`): the longest that is one. */
static size_t dotted_length(assembler *as, const char *at, size_t length, const char *end)
{
    size_t longest = length;
    while (longest < LONGEST_MNEMONIC && at + longest < end &&
           (oak_is_word(at[longest]) || at[longest] == '.'))
        longest++;
    for (size_t n = longest; n > length; n--) {
        if (n < longest && at[n] != '.') continue;
        asm_name *dotted = at[n - 1] == '.' ? NULL : asm_intern(as, at, n);
        if (dotted && asm_mnemonic(as, dotted) != WORD_NONE) return n;
    }
    return length;
}

statement *asm_put_instruction(assembler *as, const char *line)
{
    const char *text = as->text, *end = line + oak_length(line);
    size_t length = dotted_length(as, line, asm_word_length(line, end), end), before = as->statement_count;
    asm_name *name = asm_intern(as, line, length);
    if (!name) return NULL;
    as->text = line;
    read_instruction(as, asm_mnemonic(as, name), line, length, line + length, end);
    as->text = text;
    return as->statement_count > before ? &as->statements[as->statement_count - 1] : NULL;
}

static void read_directive(assembler *as, int directive, const char *word, size_t word_length, const char *at,
                           const char *end)
{
    if (as->structure && directive != DS && directive != ENDS && directive != ALIGN) {
        REPORT(as, word, word + word_length, "in-structure", "A structure holds labels with ds, up to ends.",
               "`%s` cannot stand inside a structure", directive_names[directive]);
        return;
    }
    switch (directive) {
    case DB:
    case DW:
    case DD:
    case DQ: read_data(as, directive, word, at, end); return;
    case POOL:
        if (asm_nothing_left(as, at, end)) add_pool(as, true);
        return;
    case END:
        as->ended = true;
        asm_nothing_left(as, at, end);
        return;
    case ORG:
    case DS:
    case ALIGN:
    case ASSERT: read_place(as, directive, word, word_length, at, end); return;
    case ERROR:
    case WARNING:
    case MESSAGE: read_message(as, directive, word, word_length, at, end); return;
    case BITS: read_bits(as, at, end); return;
    case SECTION: asm_read_section(as, word, word_length, at, end); return;
    case EXPORT: read_export(as, at, end); return;
    case VECTOR: read_vector(as, word, word_length, at, end); return;
    case CONFIG: asm_read_config(as, word, word_length, at, end); return;
    case COPIED:
        if (asm_nothing_left(as, at, end)) asm_read_copied(as, word, word_length);
        return;
    case COMPRESS: {
        const char *on = asm_skip_blanks(at, end);
        size_t length = (size_t)(end - on);
        bool off = length >= 3 && oak_same_name(on, 3, "off");
        if (!off && !(length >= 2 && oak_same_name(on, 2, "on"))) {
            REPORT(as, word, word + word_length, "statement", "Write `compress off` or `compress on`.",
                   "`compress` is on or off");
            return;
        }
        as->full = off;
        asm_nothing_left(as, on + (off ? 3 : 2), end);
        return;
    }
    case BANK:
    case PAGE:
        if (asm_skip_blanks(at, end) == end) operand_missing(as, directive, word, word_length);
        else asm_read_select(as, directive == PAGE, at, end);
        return;
    case ENTRY:
        if (asm_skip_blanks(at, end) == end) {
            operand_missing(as, directive, word, word_length);
            return;
        }
        as->entry = asm_parse_expression(as, &at, end);
        as->entry_place = as->origin;
        if (as->entry) asm_nothing_left(as, at, end);
        return;
    case INCBIN: read_binary(as, at, end); return;
    case STRUCT: begin_structure(as, word, word_length, at, end); return;
    case ENDS: end_structure(as, word, word_length, at, end); return;
    default: /* equ, set, bit without a name before them */
        REPORT(as, word, word + word_length, "name-missing",
               asm_skip_blanks(as->text, word) != word && *asm_skip_blanks(as->text, word) == '.'
                   ? "Write `name equ value`: only labels are local, with a point before them."
               : word > as->text && asm_skip_blanks(as->text, word) != word
                   ? "Write `name equ value`: a name that is no label has no colon."
                   : "Write `name equ value`.",
               "`%s` needs a name before it", directive_names[directive]);
        return;
    }
}

/* Reads operands into as->insn and finds the rows that may encode it; 0 after a report. */
static unsigned read_forms(assembler *as, int mnemonic, const char *word, size_t word_length, const char *at,
                           const char *end, uint16_t *rows)
{
    line_reader reader = {.reader = {.line = as->text,
                                     .at = at,
                                     .end = end,
                                     .expression = reader_expression,
                                     .refuse = reader_refuse,
                                     .suggest = reader_suggest},
                          .as = as};
    as->insn =
        (oak_insn){.mnemonic = (uint16_t)mnemonic, .operand = as->operands, .state = asm_here(as)->state};
    asm_here(as)->state = 0;
    if (as->isa->read_operands(as->tables, &reader.reader, &as->insn)) return 0;
    if (!asm_nothing_left(as, reader.reader.at, end)) return 0;
    oak_refusal why;
    why.code = NULL;
    why.operand = -1;
    why.message[0] = why.hint[0] = why.edit[0] = 0;
    why.has_edit = why.edit_safe = why.edit_word = false;
    why.edit_first = why.edit_last = 0;
    unsigned forms = as->isa->forms(as->tables, &as->insn, rows, &why);
    if (!forms && !as->trying) {
        const char *from = word, *to = word + word_length;
        if (why.operand >= 0) {
            from = as->text + as->insn.operand[why.operand].first;
            to = as->text + as->insn.operand[why.operand].last;
        } else if (as->insn.count) {
            to = as->text + as->insn.operand[as->insn.count - 1].last;
        }
        if (why.has_edit && why.edit_word) {
            why.edit_first = (uint16_t)(word - as->text);
            why.edit_last = (uint16_t)(word - as->text + (ptrdiff_t)word_length);
            from = word, to = word + word_length;
        }
        if (why.has_edit) asm_suggest_edit(as, why.edit_first, why.edit_last, why.edit, why.edit_safe);
        asm_here(as)->state = as->insn.state_after;
        REPORT(as, from, to, why.code, why.hint, "%s", why.message);
    }
    return forms;
}

/* An edit is safe only if the line can be read as it would leave it; whether it also encodes is seen in the end. */
static void try_edit(assembler *as, asm_diag *diag, uint32_t before, int mnemonic, const char *word,
                     const char *at, const char *end)
{
    const char *text = as->text;
    size_t length = (size_t)(end - text), first = diag->edit.first, last = diag->edit.last,
           added = oak_length(diag->edit.text), operands = (size_t)(at - text);
    asm_trial *trial = oak_arena_take(&as->arena, sizeof *trial);
    char *line = oak_arena_take(&as->arena, length + added + 1);
    diag->edit.safe = false;
    if (!trial || !line || first > last || last > length) return;
    memcpy(line, text, first);
    memcpy(line + first, diag->edit.text, added);
    memcpy(line + first + added, text + last, length - last);
    line[length - (last - first) + added] = 0;
    if (last <= operands) { /* the mnemonic itself */
        const char *other = line + (word - text);
        size_t size = asm_word_length(other, line + operands + added - (last - first));
        const asm_name *name = asm_intern(as, other, size);
        operands += added - (last - first);
        mnemonic = name ? asm_mnemonic(as, (asm_name *)(uintptr_t)name) : WORD_NONE;
        if (mnemonic == WORD_NONE) return;
    }
    uint32_t state = asm_here(as)->state;
    as->trying = true;
    as->text = line;
    asm_here(as)->state = before;
    trial->forms = read_forms(as, mnemonic, line, 0, line + operands, line + length + added - (last - first),
                              trial->rows);
    as->text = text;
    asm_here(as)->state = state;
    as->trying = false;
    as->edit = (asm_edit){0};
    trial->insn = as->insn;
    memcpy(trial->operands, as->operands, sizeof trial->operands);
    trial->insn.operand = trial->operands;
    trial->address = asm_here(as)->here;
    trial->space = asm_here(as)->space;
    diag->trial = trial;
    diag->edit.safe = trial->forms > 0;
}

static void read_instruction(assembler *as, int mnemonic, const char *word, size_t word_length,
                             const char *at, const char *end)
{
    uint16_t rows[OAK_MOST_FORMS];
    size_t reports = as->diag_count;
    uint32_t state = asm_here(as)->state;
    unsigned forms = read_forms(as, mnemonic, word, word_length, at, end, rows);
    for (unsigned i = 0; as->full && i < forms;) /* longer ones stand behind */
        if (forms > 1 && as->isa->size(as->tables, rows[i]) < as->isa->full_size)
            memmove(rows + i, rows + i + 1, --forms * sizeof *rows);
        else i++;
    if (!forms) {
        asm_diag *last = as->diag_count > reports ? &as->diags[as->diag_count - 1] : NULL;
        if (last && last->edit.text && last->edit.safe) {
            try_edit(as, last, state, mnemonic, word, at, end);
        }
        return;
    }
    for (unsigned i = 0; i < as->insn.count; i++)
        if (as->operands[i].pooled && !asm_add_literal(as, as->operands[i].expr, &as->operands[i].pool_entry))
            return;
    asm_here(as)->state = as->insn.state_after;
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
    if (as->insn.never_goes_on) add_pool(as, false);
}

/* ------------------------------------------------------------------------------------------ lines */

/* Where the comment begins, or the end of the line. Quotes hide what is inside them. `slashes`: a slash behind a blank is enough. */
const char *asm_find_comment(const char *at, const char *end, bool slashes)
{
    /* What can begin a comment or quote; in front of the first of these nothing needs to be looked at. */
    const char *start = at;
    at = oak_find_any(at, end, ";/\"'");
    if (at < end && *at == ';') return at; /* mostly */
    char quote = 0;
    for (; at < end; at++) {
        char c = *at;
        if (quote) {
            if (c == '\\' && at + 1 < end) at++;
            else if (c == quote) quote = 0;
        } else if (oak_opens_comment(start, at, end, slashes)) {
            return at;
        } else if (oak_opens_quote(start, at)) {
            quote = c;
        }
    }
    return end;
}

static bool is_operation(assembler *as, asm_name *name)
{
    return name->directive != WORD_NONE || asm_mnemonic(as, name) != WORD_NONE;
}

static void unknown_operation(assembler *as, const char *word, size_t length, const char *rest,
                              const char *end)
{
    static const struct {
        const char *words[4], *form;
    } values[] = {{{"=", ":=", "define", "dl"}, " equ VALUE"},
                  {{"data", "idata", "dseg", "byte"}, " equ $P"},
                  {{"xdata", "xseg"}, " equ xram:ADDRESS"},
                  {{"sfr"}, " equ sfr:ADDRESS"},
                  {{"sbit", "bitadr"}, " bit BIT"},
                  {{"code", "cseg"}, " equ $C:ADDRESS"},
                  {{"proc", "label", "func"}, ":"}};
    char hint[200] = "";
    bool trade = asm_trade_hint(as, word, length, hint, sizeof hint);
    size_t second = trade ? 0 : asm_word_length(rest, end);
    if (!second && rest < end && *rest == '=') second = 1;
    if (!second && rest + 1 < end && *rest == ':' && rest[1] == '=') second = 2;
    int shown = (int)(length < 60 ? length : 60);
    for (size_t i = 0; i < sizeof values / sizeof *values && second; i++)
        for (unsigned w = 0; w < 4 && values[i].words[w]; w++)
            if (oak_same_name(rest, second, values[i].words[w])) {
                char form[100], name[64];
                oak_part_example(as->part, values[i].form, form, sizeof form); /* behind the name */
                oak_format(name, sizeof name, "%.*s", shown, word);
                oak_format(hint, sizeof hint, "Write `%s%s`.", name, form);
            }
    const asm_name *name = asm_intern(as, word, length);
    if (!*hint && name && name->rare && name->rare->foreign)
        oak_format(hint, sizeof hint,
                   "It is a macro of %s, line %u: `include` it from a file that both share.",
                   as->program->files[asm_source(as, name->rare->foreign->origin).file].name,
                   asm_line_of(as, name->rare->foreign->origin));
    if (!*hint) asm_suggest_operation(as, word, length, (size_t)(word - as->text), hint, sizeof hint);
    if (!*hint && rest == end)
        oak_format(hint, sizeof hint, "A label needs a colon: `%.*s:`", (int)(length < 60 ? length : 60),
                   word);
    REPORT(as, word, word + length, "unknown-operation", hint,
           "`%.*s` is no instruction of %s and no directive", (int)(length < 60 ? length : 60), word,
           as->isa->about.name);
}

/* While a condition does not hold, only the directives of conditions are read. */
static void read_skipped(assembler *as, const char *at, const char *end)
{
    at = asm_skip_blanks(at, end);
    size_t length = asm_word_length(at, end);
    int directive = length ? asm_directive(as, at, length) : WORD_NONE;
    if (directive >= IF && directive <= ENDIF)
        asm_read_source_directive(as, directive, NULL, at, length, at + length, end);
}

static bool is_nearly_instruction(const assembler *as, const char *text, size_t length)
{
    const char *candidate;
    for (unsigned i = 0; length > 1 && (candidate = as->isa->mnemonic_name(as->tables, i)); i++)
        if (oak_name_distance(text, length, candidate, oak_length(candidate), 1) <= 1) return true;
    return false;
}

/* `start  movw a, #5`: a label, and an operation that is not there but nearly. */
static bool stands_before_misspelt(assembler *as, const char *word, size_t length, const char *second,
                                   size_t second_length, const char *end)
{
    char hint[200] = "";
    const char *behind = second + second_length, *operand = asm_skip_blanks(behind, end);
    bool operands =
        operand > behind && operand < end && *operand != ',' && *operand != '=' && *operand != ':';
    if (!operands || as->isa->is_register(as->tables, second, second_length)) return false;
    if (!is_nearly_instruction(as, second, second_length)) return false;
    asm_suggest_operation(as, word, length, 0, hint, sizeof hint);
    return !*hint;
}

void asm_read_line(assembler *as)
{
    const char *end = asm_find_comment(as->text, as->end, as->isa->manual_marks), *at = as->text;
    if (end - at > LONGEST_LINE) {
        REPORT(as, at, at + 1, "line-length", NULL, "this line is longer than %d bytes", LONGEST_LINE);
        return;
    }
    if (asm_is_skipped(as)) {
        read_skipped(as, at, end);
        return;
    }
    for (;;) {
        at = asm_skip_blanks(at, end);
        if (at == end) return;
        size_t length = asm_word_length(at, end);
        if (length && at + length + 1 < end && at[length] == '.') length = dotted_length(as, at, length, end);
        if (!length) {
            unsigned char c = (unsigned char)*at;
            bool includes = (c == '#' || c == '$') && end - at > 8 && oak_same_name(at + 1, 7, "include");
            if (includes)
                REPORT(as, at, at + 8, "statement", "Write `include \"FILE\"`.",
                       "a statement cannot begin with `%c`", c);
            else if ((c == '#' || c == '$') && at + 1 < end && oak_is_letter(at[1]))
                REPORT(as, at, at + 1, "statement",
                       "Conditions, macros and files have words without a mark: `if`, `macro`, `include "
                       "\"FILE\"`.",
                       "a statement cannot begin with `%c`", c);
            else if (c > ' ' && c < 127)
                REPORT(as, at, at + 1, "statement",
                       c == '='   ? "Write `NAME equ VALUE`."
                       : c == '*' ? "A comment begins with ;."
                                  : "A line holds a label, an instruction or a directive.",
                       "a statement cannot begin with `%c`", c);
            else
                REPORT(as, at, at + 1, "statement", "Is this a text file?",
                       "byte 0x%02x does not belong into source text", c);
            return;
        }
        const char *word = at, *rest = asm_skip_blanks(at + length, end);
        asm_name *name = asm_intern(as, word, length);
        if (!name) return;
        bool local = *word == '.' && name->directive == WORD_NONE;
        bool comma =
            as->isa->manual_marks && at + length < end && at[length] == ',' && !is_operation(as, name);
        if ((rest < end && *rest == ':') || comma || (local && word == as->text)) {
            asm_name *label = *word == '.' ? intern_scoped(as, word, length) : name;
            if (!label) return;
            if (*word != '.' && is_operation(as, name))
                asm_warn(as, as->origin, (size_t)(word - as->text), (size_t)(word - as->text) + length,
                         "operation-as-label", "Leave the colon out to use it.", "this makes a label of `%s`",
                         name->text);
            define_label(as, label, word);
            at = rest < end && (*rest == ':' || comma) ? rest + 1 : rest;
            continue;
        }
        size_t next_length = asm_word_length(rest, end);
        int next = next_length ? asm_directive(as, rest, next_length) : WORD_NONE;
        if (next == MACRO) {
            asm_read_source_directive(as, MACRO, name, word, length, rest + next_length, end);
            return;
        }
        if (name->directive == WORD_NONE && (next == EQU || next == SET || next == BIT)) {
            read_value(as, name, word, next, rest + next_length, end);
            return;
        }
        /* A mnemonic before a directive (`set`, `bit` on some architectures): a directive of that name has a name before it. */
        int mnemonic = asm_mnemonic(as, name);
        if (name->directive != WORD_NONE && mnemonic == WORD_NONE) {
            if (!asm_read_source_directive(as, name->directive, NULL, word, length, rest, end))
                read_directive(as, name->directive, word, length, rest, end);
            return;
        }
        if (mnemonic != WORD_NONE && word + length + 1 < end && word[length] == '.' &&
            oak_is_word(word[length + 1])) {
            size_t whole = length + 1 + asm_word_length(word + length + 1, end);
            char hint[120];
            oak_format(hint, sizeof hint, "Write `%s`: it has no form with `%.*s`.", name->text,
                       (int)(whole - length < 20 ? whole - length : 20), word + length);
            REPORT(as, word, word + whole, "unknown-operation", hint, "`%.*s` is no instruction of %s",
                   (int)(whole < 60 ? whole : 60), word, as->isa->about.name);
            return;
        }
        if (mnemonic != WORD_NONE) {
            read_instruction(as, mnemonic, word, length, rest, end);
            return;
        }
        if (asm_macro_of(name)) {
            asm_call_macro(as, asm_macro_of(name), word, length, rest, end);
            return;
        }
        bool column_one = word == as->text && *word != '.';
        asm_name *second = column_one && next_length ? asm_intern(as, rest, next_length) : NULL;
        bool label = rest == end || (second && (asm_macro_of(second) || is_operation(as, second))) ||
                     (second && stands_before_misspelt(as, word, length, rest, next_length, end));
        if (!column_one || !label) {
            unknown_operation(as, word, length, rest, end);
            return;
        }
        define_label(as, name, word);
        if (rest == end && name->symbol) name->symbol->bare = true;
        at = rest;
    }
}
