/* syntax.c — see syntax.h. It follows read.c as far as one line goes, and refuses nothing. */
#include <oakspindle/syntax.h>

#include "asm/assembler.h"
#include "base/bytes.h"

struct oak_syntax {
    assembler as;
    oak_host host;
};

oak_status oak_syntax_open(const oak_host *host, const oak_part *part, oak_syntax **result)
{
    if (!host || !part || !result) return OAK_MISUSE;
    oak_syntax *syntax = host->resize(host->context, NULL, 0, sizeof *syntax);
    if (!syntax) return OAK_NO_MEMORY;
    syntax->host = *host;
    oak_status status = asm_open(&syntax->as, &syntax->host, part, &oak_silent);
    if (status) {
        if (status != OAK_UNSUPPORTED) asm_close(&syntax->as);
        host->resize(host->context, syntax, sizeof *syntax, 0);
        return status;
    }
    *result = syntax;
    return OAK_OK;
}

void oak_syntax_close(oak_syntax *syntax)
{
    if (!syntax) return;
    oak_host host = syntax->host;
    asm_close(&syntax->as);
    host.resize(host.context, syntax, sizeof *syntax, 0);
}

const char *oak_syntax_mnemonic(const oak_syntax *syntax, unsigned index)
{
    return syntax ? syntax->as.isa->mnemonic_name(syntax->as.tables, index) : NULL;
}

const char *oak_syntax_directive(const oak_syntax *syntax, unsigned index)
{
    const char *name = NULL;
    for (unsigned number = 0; syntax && number < DIRECTIVES; number++)
        if ((name = asm_directive_name(&syntax->as, number)) && !index--) return name;
    return NULL;
}

/* ------------------------------------------------------------------------------------------ the words of a line */

typedef struct word_list {
    const char *line;
    oak_word *words;
    size_t count, room;
} word_list;

static void put(word_list *list, oak_word_kind kind, const char *at, size_t length)
{
    if (list->count < list->room)
        list->words[list->count] = (oak_word){(uint32_t)(at - list->line), (uint32_t)length, (uint8_t)kind};
    list->count++;
}

static bool is_mnemonic(const oak_syntax *syntax, const char *text, size_t length)
{
    return syntax->as.isa->mnemonic(syntax->as.tables, text, length) >= 0;
}

/* A mnemonic may have points in it: as much of them as there is one. */
static size_t operation_length(const oak_syntax *syntax, const char *at, size_t length, const char *end)
{
    enum { LONGEST = 24 };
    size_t longest = length;
    while (longest < LONGEST && at + longest < end && (oak_is_word(at[longest]) || at[longest] == '.'))
        longest++;
    for (size_t n = longest; n > length; n--)
        if ((n == longest || at[n] == '.') && at[n - 1] != '.' && is_mnemonic(syntax, at, n)) return n;
    return length;
}

static void put_name(const oak_syntax *syntax, word_list *list, const char *at, size_t length)
{
    const asm_name *known = asm_known(&syntax->as, at, length);
    bool of_part = known && known->symbol && known->symbol->kind == SYMBOL_PART;
    bool is_register = syntax->as.isa->is_register(syntax->as.tables, at, length);
    put(list, of_part ? OAK_WORD_PART : is_register ? OAK_WORD_REGISTER : OAK_WORD_NAME, at, length);
}

static bool is_space(const oak_architecture *about, const char *text, size_t length)
{
    for (unsigned i = 1; i < about->space_count; i++)
        if (oak_same_name(text, length, about->spaces[i].name)) return true;
    return false;
}

/* Names that are no symbols' behind a directive: a section and what it says of its place, a vector, what configures. */
static bool put_own_word(const oak_syntax *syntax, word_list *list, int directive, unsigned before,
                         const char *at, size_t length)
{
    const oak_architecture *about = &syntax->as.isa->about;
    bool first = !before;
    if (directive == SECTION && (first || is_space(about, at, length) || oak_same_name(at, length, "at") ||
                                 oak_same_name(at, length, "align") || oak_same_name(at, length, "copied")))
        put(list, first ? OAK_WORD_SECTION : OAK_WORD_DIRECTIVE, at, length);
    else if ((directive == VECTOR && first) || directive == CONFIG) put(list, OAK_WORD_PART, at, length);
    else if (directive == STRUCT && first) put(list, OAK_WORD_MACRO, at, length);
    else return false;
    return true;
}

static void put_operands(const oak_syntax *syntax, word_list *list, int directive, const char *at,
                         const char *end)
{
    const char *start = at;
    for (unsigned before = 0; at < end; before++) {
        size_t length = asm_word_length(at, end);
        if (oak_opens_quote(start, at)) {
            const char *from = at++;
            while (at < end && *at != *from) at += *at == '\\' && at + 1 < end ? 2 : 1;
            if (at < end) at++;
            put(list, OAK_WORD_TEXT, from, (size_t)(at - from));
        } else if (oak_is_digit(*at)) {
            const char *from = at;
            while (at < end && oak_is_word(*at)) at++;
            put(list, OAK_WORD_NUMBER, from, (size_t)(at - from));
        } else if (length) {
            if (!put_own_word(syntax, list, directive, before, at, length))
                put_name(syntax, list, at, length);
            at += length;
        } else at++, before--;
    }
}

/* What stands in front of the operands; where these begin. */
static const char *put_statement(const oak_syntax *syntax, word_list *list, const char *at, const char *end,
                                 int *directive)
{
    for (;;) {
        at = asm_skip_blanks(at, end);
        size_t length = asm_word_length(at, end);
        if (!length) return at;
        length = operation_length(syntax, at, length, end);
        const char *rest = asm_skip_blanks(at + length, end);
        size_t next_length = asm_word_length(rest, end);
        int own = asm_directive(&syntax->as, at, length),
            next = next_length ? asm_directive(&syntax->as, rest, next_length) : WORD_NONE;
        bool operation = is_mnemonic(syntax, at, length), colon = rest < end && *rest == ':',
             comma = syntax->as.isa->manual_marks && rest < end && *rest == ',' && !operation,
             first = at == list->line, local = *at == '.' && own == WORD_NONE && first;
        if (colon || comma || local) {
            put(list, OAK_WORD_LABEL, at, length);
            at = colon || comma ? rest + 1 : rest;
            continue;
        }
        bool value = next == EQU || next == SET || next == BIT;
        if (next == MACRO || next == STRUCT || (own == WORD_NONE && value)) {
            put(list, value ? OAK_WORD_CONSTANT : OAK_WORD_MACRO, at, length);
            put(list, OAK_WORD_DIRECTIVE, rest, next_length);
            return rest + next_length;
        }
        if (own != WORD_NONE && !operation) {
            *directive = own;
            put(list, OAK_WORD_DIRECTIVE, at, length);
            return at + length;
        }
        if (operation) {
            put(list, OAK_WORD_OPERATION, at, length);
            return at + length;
        }
        bool label =
            first && *at != '.' &&
            (rest == end || (next_length && (next != WORD_NONE || is_mnemonic(syntax, rest, next_length))));
        put(list, label ? OAK_WORD_LABEL : OAK_WORD_CALL, at, length);
        if (!label) return at + length;
        at = rest;
    }
}

size_t oak_syntax_words(const oak_syntax *syntax, const char *line, size_t size, oak_word *words, size_t room)
{
    if (!syntax || !line || !words) return 0;
    word_list list = {.line = line, .words = words, .room = room};
    const char *end = asm_find_comment(line, line + size, syntax->as.isa->manual_marks);
    int directive = WORD_NONE;
    const char *at = put_statement(syntax, &list, line, end, &directive);
    put_operands(syntax, &list, directive, at, end);
    if (end < line + size) put(&list, OAK_WORD_COMMENT, end, (size_t)(line + size - end));
    return list.count;
}

/* ------------------------------------------------------------------------------------------ the layout of a line */

enum { OPERATION_COLUMN = 8, OPERAND_COLUMN = 13, COMMENT_COLUMN = 32, COMMENT_STEP = 8, MOST_TIDIED = 64 };

typedef struct tidy_line {
    char *bytes;
    size_t size, room;
} tidy_line;

static void append(tidy_line *to, const char *bytes, size_t count)
{
    for (size_t i = 0; i < count; i++, to->size++)
        if (to->size < to->room) to->bytes[to->size] = bytes[i];
}

/* Up to a column, or by one blank where it has been passed. */
static void blank_to(tidy_line *to, size_t column)
{
    if (!to->size) column = column ? column : 0;
    else if (to->size >= column) column = to->size + 1;
    while (to->size < column) append(to, " ", 1);
}

/* The same words, and the same between them but for blanks in front of operands and comments. */
static bool means_same(const oak_syntax *syntax, const char *line, size_t size, const char *other,
                       size_t other_size)
{
    oak_word a[MOST_TIDIED], b[MOST_TIDIED];
    size_t count = oak_syntax_words(syntax, line, size, a, MOST_TIDIED);
    if (count > MOST_TIDIED || oak_syntax_words(syntax, other, other_size, b, MOST_TIDIED) != count)
        return false;
    for (size_t i = 0; i < count; i++)
        if (a[i].kind != b[i].kind || (a[i].length != b[i].length && a[i].kind != OAK_WORD_COMMENT) ||
            memcmp(line + a[i].at, other + b[i].at, a[i].length < b[i].length ? a[i].length : b[i].length) !=
                0)
            return false;
    return true;
}

static const char *without_blanks(const char *from, const char *end)
{
    while (end > from && (end[-1] == ' ' || end[-1] == '\t' || end[-1] == '\r')) end--;
    return end;
}

static void lay_out(const oak_syntax *syntax, const char *line, size_t size, tidy_line *to)
{
    oak_word words[MOST_TIDIED];
    const char *end = line + size, *comment = asm_find_comment(line, end, syntax->as.isa->manual_marks),
               *code_end = without_blanks(line, comment), *at = asm_skip_blanks(line, code_end);
    size_t count = oak_syntax_words(syntax, line, size, words, MOST_TIDIED);
    for (size_t i = 0; i < count && i < MOST_TIDIED && at < code_end; i++) {
        const oak_word *word = &words[i];
        const char *behind = line + word->at + word->length;
        if (line + word->at != at) break;
        if (word->kind <= OAK_WORD_MACRO) {
            const char *mark = asm_skip_blanks(behind, code_end);
            bool marked = word->kind == OAK_WORD_LABEL && mark < code_end && (*mark == ':' || *mark == ',');
            if (to->size) append(to, " ", 1);
            append(to, at, word->length);
            if (marked) append(to, mark, 1), behind = mark + 1;
            at = asm_skip_blanks(behind, code_end);
            continue;
        }
        bool first = word->kind == OAK_WORD_CALL && word->at == 0; /* it may be a label: nobody knows here */
        if (!first) blank_to(to, OPERATION_COLUMN);
        append(to, at, word->length);
        at = asm_skip_blanks(behind, code_end);
        if (at < code_end) blank_to(to, OPERAND_COLUMN);
        break;
    }
    append(to, at, (size_t)(code_end - at));
    if (comment == end) return;
    const char *comment_end = without_blanks(comment, end);
    if (to->size) {
        size_t column = COMMENT_COLUMN;
        while (column <= to->size) column += COMMENT_STEP;
        blank_to(to, column);
    } else if (comment > line) blank_to(to, OPERATION_COLUMN);
    append(to, comment, (size_t)(comment_end - comment));
}

size_t oak_syntax_tidy(const oak_syntax *syntax, const char *line, size_t size, char *tidy, size_t room)
{
    if (!syntax || !line || !tidy) return 0;
    tidy_line to = {.bytes = tidy, .room = room};
    lay_out(syntax, line, size, &to);
    if (to.size > room) return to.size;
    if (means_same(syntax, line, size, tidy, to.size)) return to.size;
    to.size = 0;
    append(&to, line, size);
    return to.size;
}
