/* expr.c — see expr.h. Precedence climbing; nesting is bounded, so that no input can exhaust the stack. */
#include "asm/expr.h"

#include "asm/expr_plain.h"
#include "base/bytes.h"
#include "base/invariant.h"

enum { DEEPEST = 120 };

/* How tightly operators bind, the loosest 1; 0 for what stands between no two values. */
static const uint8_t level_of[] = {
    [OP_OR_ELSE] = 1,       [OP_AND_THEN] = 2, [OP_OR] = 3,         [OP_XOR] = 4,        [OP_AND] = 5,
    [OP_EQUAL] = 6,         [OP_UNEQUAL] = 6,  [OP_LESS] = 7,       [OP_LESS_EQUAL] = 7, [OP_GREATER] = 7,
    [OP_GREATER_EQUAL] = 7, [OP_LEFT] = 8,     [OP_RIGHT] = 8,      [OP_ADD] = 9,        [OP_SUBTRACT] = 9,
    [OP_MULTIPLY] = 10,     [OP_DIVIDE] = 10,  [OP_REMAINDER] = 10,
};

/* The operator between two values that begins with these characters, and its length; OP_NONE when there is none. */
static unsigned binary_operator(char first, char second, size_t *size)
{
    bool twice = second == first, equal = second == '=';
    *size = 2;
    if (first == '|' && twice) return OP_OR_ELSE;
    if (first == '&' && twice) return OP_AND_THEN;
    if (first == '=' && equal) return OP_EQUAL;
    if (first == '!' && equal) return OP_UNEQUAL;
    if (first == '<' && (twice || equal)) return twice ? OP_LEFT : OP_LESS_EQUAL;
    if (first == '>' && (twice || equal)) return twice ? OP_RIGHT : OP_GREATER_EQUAL;
    *size = 1;
    switch (first) {
    case '|': return OP_OR;
    case '^': return OP_XOR;
    case '&': return OP_AND;
    case '<': return OP_LESS;
    case '>': return OP_GREATER;
    case '+': return OP_ADD;
    case '-': return OP_SUBTRACT;
    case '*': return OP_MULTIPLY;
    case '/': return OP_DIVIDE;
    case '%': return OP_REMAINDER;
    default: return OP_NONE;
    }
}

static const oak_expr *parse_choice(oak_expr_parser *parser);

static void skip_blanks(oak_expr_parser *parser)
{
    while (parser->at < parser->end && (*parser->at == ' ' || *parser->at == '\t')) parser->at++;
}

static uint16_t column(const oak_expr_parser *parser, const char *at)
{
    size_t c = (size_t)(at - parser->line);
    return (uint16_t)(c > UINT16_MAX ? UINT16_MAX : c);
}

static const oak_expr *fill_fault(oak_expr_parser *parser, const char *from, const char *to, const char *code,
                                  const char *hint)
{
    oak_expr_fault *fault = parser->fault;
    fault->code = code;
    fault->first = column(parser, from);
    fault->last = column(parser, to > from ? to : from + 1);
    if (*hint) oak_format(fault->hint, sizeof fault->hint, "%s", hint);
    else fault->hint[0] = 0;
    return NULL;
}

#define FAULT(parser, from, to, code, hint, ...)                                                             \
    (oak_format((parser)->fault->message, sizeof(parser)->fault->message, __VA_ARGS__),                      \
     fill_fault(parser, from, to, code, hint))

static oak_expr *make(oak_expr_parser *parser, oak_expr_kind kind, const char *from)
{
    oak_expr *expr = oak_arena_take(parser->arena, sizeof *expr);
    if (!expr) {
        FAULT(parser, from, from, "out-of-memory", "", "out of memory");
        return NULL;
    }
    expr->kind = (uint8_t)kind;
    expr->op = expr->space = 0;
    expr->first = column(parser, from);
    const char *end = parser->at;
    while (end > from && (end[-1] == ' ' || end[-1] == '\t')) end--;
    expr->last = column(parser, end);
    return expr;
}

static const oak_expr *make_number(oak_expr_parser *parser, const char *from, int64_t number)
{
    oak_expr *expr = make(parser, OAK_EXPR_NUMBER, from);
    if (expr) expr->as.number = number;
    return expr;
}

static const oak_expr *make_operation(oak_expr_parser *parser, oak_expr_kind kind, unsigned op,
                                      const char *from, const oak_expr *left, const oak_expr *right,
                                      const oak_expr *third)
{
    if (!left) return NULL;
    oak_expr *expr = make(parser, kind, from);
    if (!expr) return NULL;
    expr->op = (uint8_t)op;
    expr->as.of.left = left;
    expr->as.of.right = right;
    expr->as.of.third = third;
    return expr;
}

/* One character of a constant or string, with its escapes. The length used is returned, 0 when it is wrong. */
size_t oak_read_character(const char *at, const char *end, uint8_t *value)
{
    if (at >= end) return 0;
    *value = (uint8_t)*at;
    if (*at != '\\') return 1;
    if (at + 1 >= end) return 0;
    static const char names[] = "ntr0\\'\"ae", values[] = "\n\t\r\0\\'\"\a\x1b";
    for (unsigned i = 0; names[i]; i++) {
        if (at[1] != names[i]) continue;
        *value = (uint8_t)values[i];
        return 2;
    }
    if (at[1] != 'x' || at + 3 >= end + 0 || oak_hex_digit(at[2]) < 0 || oak_hex_digit(at[3]) < 0) return 0;
    *value = (uint8_t)(oak_hex_digit(at[2]) << 4 | oak_hex_digit(at[3]));
    return 4;
}

static const oak_expr *parse_character(oak_expr_parser *parser)
{
    const char *start = parser->at++;
    uint8_t value = 0;
    size_t used = oak_read_character(parser->at, parser->end, &value);
    const char *close = parser->at + used;
    if (!used || close >= parser->end || *close != '\'') {
        while (parser->at < parser->end && *parser->at != '\'') parser->at++;
        if (parser->at < parser->end) parser->at++;
        return FAULT(parser, start, parser->at, "character",
                     "Write one character: 'A', '\\n', '\\x1b'. Text goes into db with double quotes.",
                     "this is no character constant");
    }
    parser->at = close + 1;
    return make_number(parser, start, value);
}

static const oak_expr *parse_number(oak_expr_parser *parser)
{
    const char *start = parser->at;
    uint64_t value;
    size_t used;
    oak_status status = oak_read_number(start, parser->end, &value, &used);
    parser->at += used;
    if (status == OAK_OUT_OF_RANGE)
        return FAULT(parser, start, parser->at, "number", "", "this number does not fit 64 bits");
    if (status) {
        bool hex = true;
        for (size_t i = 0; i < used; i++) hex = hex && oak_hex_digit(start[i]) >= 0;
        char hint[80] = "Numbers: 42, 0x2a, 2ah, 0b101010, 101010b, '*'.";
        parser->fault->needs_hex = hex && !(used > 1 && start[0] == '0' && oak_lower(start[1]) == 'b');
        bool binary = used > 2 && start[0] == '0' && oak_lower(start[1]) == 'b';
        for (size_t i = 2; i < used; i++) binary = binary && oak_is_digit(start[i]);
        bool behind = used > 1 && oak_lower(start[used - 1]) == 'b'; /* 12345b */
        for (size_t i = 0; i + 1 < used; i++) behind = behind && oak_is_digit(start[i]);
        if (binary || behind)
            oak_format(hint, sizeof hint, "Binary digits are 0 and 1; hexadecimal would be 0x%.*s.",
                       (int)(used < 30 ? used : 30), start);
        else if (hex)
            oak_format(hint, sizeof hint, "Hexadecimal needs its mark: 0x%.*s.", (int)(used < 40 ? used : 40),
                       start);
        return FAULT(parser, start, parser->at, "number", hint, "`%.*s` is no number",
                     (int)(used < 60 ? used : 60), start);
    }
    return make_number(parser, start, (int64_t)value);
}

/* space[address] and space[address:bytes] */
static const oak_expr *parse_cell(oak_expr_parser *parser, const char *start, unsigned space)
{
    parser->at++;
    const oak_expr *address = parse_choice(parser), *bytes = NULL;
    if (!address) return NULL;
    skip_blanks(parser);
    if (parser->at < parser->end && *parser->at == ':') {
        parser->at++;
        bytes = parse_choice(parser);
        if (!bytes) return NULL;
        skip_blanks(parser);
    }
    if (parser->at >= parser->end || *parser->at != ']')
        return FAULT(parser, start, parser->at, "expression",
                     "Write `space[address]` or `space[address:bytes]`.", "a ] is missing");
    parser->at++;
    oak_expr *cell =
        (oak_expr *)(uintptr_t)make_operation(parser, OAK_EXPR_CELL, OP_NONE, start, address, bytes, NULL);
    if (cell) cell->space = (uint8_t)space;
    return cell;
}

bool oak_expr_is_word(const char *text, size_t length)
{
    if (length < 3 || length > 4) return false;
    return oak_same_name(text, length, "low") || oak_same_name(text, length, "high");
}

static const oak_expr *parse_unary(oak_expr_parser *parser);

static const oak_expr *closing(oak_expr_parser *parser, const char *start, const oak_expr *inner)
{
    skip_blanks(parser);
    if (!inner) return NULL;
    if (parser->at >= parser->end || *parser->at != ')')
        return FAULT(parser, start, parser->at, "expression", "", "a ) is missing");
    parser->at++;
    return inner;
}

/* Functions of one address, which are words only before a parenthesis. */
static unsigned address_function(const char *text, size_t length)
{
    return oak_same_name(text, length, "upper")   ? OP_UPPER
           : oak_same_name(text, length, "bank")  ? OP_BANK
           : oak_same_name(text, length, "page")  ? OP_PAGE
           : oak_same_name(text, length, "bytes") ? OP_BYTES
           : oak_same_name(text, length, "words") ? OP_WORDS
                                                  : OP_NONE;
}

/* length("text"), defined(name), min(a, b), max(a, b), upper(a), bank(a), page(a), bytes(a), words(a); parser->at stands behind the
 * parenthesis. */
static const oak_expr *parse_function(oak_expr_parser *parser, const char *start, size_t length)
{
    skip_blanks(parser);
    const char *inside = parser->at;
    if (oak_same_name(start, length, "length")) {
        int64_t count = 0;
        if (inside >= parser->end || *inside != '"')
            return FAULT(parser, start, inside, "expression", "Write length(\"text\").",
                         "`length` takes a text");
        for (parser->at++; parser->at < parser->end && *parser->at != '"'; count++) {
            uint8_t value;
            size_t used = oak_read_character(parser->at, parser->end, &value);
            parser->at += used ? used : 1;
        }
        if (parser->at < parser->end) parser->at++;
        return closing(parser, start, make_number(parser, start, count));
    }
    if (oak_same_name(start, length, "defined")) {
        while (parser->at < parser->end && oak_is_word(*parser->at)) parser->at++;
        bool yes = parser->defined && parser->defined(parser->context, inside, (size_t)(parser->at - inside));
        return closing(parser, start, make_number(parser, start, yes));
    }
    unsigned one = address_function(start, length);
    const oak_expr *left = parse_choice(parser), *right = NULL;
    if (one)
        return closing(parser, start,
                       left ? make_operation(parser, OAK_EXPR_UNARY, one, start, left, NULL, NULL) : NULL);
    skip_blanks(parser);
    if (left && parser->at < parser->end && *parser->at == ',') {
        parser->at++;
        right = parse_choice(parser);
    } else if (left) {
        return FAULT(parser, start, parser->at, "expression", "Write min(a, b).",
                     "two values are needed here");
    }
    unsigned op = oak_same_name(start, length, "min") ? OP_MIN : OP_MAX;
    return closing(parser, start,
                   right ? make_operation(parser, OAK_EXPR_BINARY, op, start, left, right, NULL) : NULL);
}

static bool is_function(const char *text, size_t length)
{
    return oak_same_name(text, length, "length") || oak_same_name(text, length, "defined") ||
           oak_same_name(text, length, "min") || oak_same_name(text, length, "max") ||
           address_function(text, length);
}

static const oak_expr *parse_name(oak_expr_parser *parser)
{
    const char *start = parser->at;
    if (*parser->at == '.') parser->at++;
    while (parser->at < parser->end && oak_is_word(*parser->at)) parser->at++;
    bool quote = parser->at < parser->end && *parser->at == '\'';
    if (quote && (parser->at + 1 == parser->end || !oak_is_word(parser->at[1])))
        parser->at++; /* a register of the other set: a' */
    size_t length = (size_t)(parser->at - start);
    bool point = parser->at + 1 < parser->end && *parser->at == '.' && oak_is_letter(parser->at[1]);
    if (point && parser->family && oak_same_name(start, length, parser->family)) {
        parser->at++;
        while (parser->at < parser->end && oak_is_word(*parser->at)) parser->at++;
        length = (size_t)(parser->at - start);
    }
    if (oak_expr_is_word(start, length))
        return make_operation(parser, OAK_EXPR_UNARY, length == 3 ? OP_LOW : OP_HIGH, start,
                              parse_unary(parser), NULL, NULL);
    char next = parser->at < parser->end ? *parser->at : 0;
    if (next == '(' && is_function(start, length)) {
        parser->at++;
        return parse_function(parser, start, length);
    }
    if (next == ':' || next == '[') {
        unsigned space = parser->space ? parser->space(parser->context, start, length) : 0;
        if (space && next == '[') return parse_cell(parser, start, space);
        if (space) {
            parser->at++;
            oak_expr *placed = (oak_expr *)(uintptr_t)make_operation(parser, OAK_EXPR_PLACED, OP_NONE, start,
                                                                     parse_unary(parser), NULL, NULL);
            if (placed) placed->space = (uint8_t)space;
            return placed;
        }
        if (next == '[')
            return FAULT(parser, start, parser->at, "expression", "", "there is no space called `%.*s`",
                         (int)(length < 40 ? length : 40), start);
    }
    parser->fault->code = "unknown-symbol";
    parser->fault->first = column(parser, start);
    parser->fault->last = column(parser, parser->at);
    parser->fault->hint[0] = 0;
    void *name = parser->name(parser->context, start, length, parser->fault);
    if (!name) return NULL;
    oak_expr *expr = make(parser, OAK_EXPR_NAME, start);
    if (expr) expr->as.name = name;
    return expr;
}

static const oak_expr *parse_primary(oak_expr_parser *parser)
{
    skip_blanks(parser);
    const char *start = parser->at;
    if (start >= parser->end)
        return FAULT(parser, start, start, "expression",
                     "Write a number, a name, or leave out what stands before it.",
                     "a value is missing here");
    char c = *start;
    if (oak_is_digit(c)) return parse_number(parser);
    if (oak_is_letter(c)) return parse_name(parser);
    if (c == '.' && start + 1 < parser->end && oak_is_letter(start[1])) return parse_name(parser);
    if (c == '\'') return parse_character(parser);
    if (c == '$' || c == '.') {
        parser->at++;
        return make(parser, OAK_EXPR_HERE, start);
    }
    if (c == '(') {
        parser->at++;
        const oak_expr *inner = parse_choice(parser);
        if (!inner) return NULL;
        skip_blanks(parser);
        if (parser->at >= parser->end || *parser->at != ')')
            return FAULT(parser, start, start + 1, "expression", "Close it with ).",
                         "this parenthesis is not closed");
        parser->at++;
        return inner;
    }
    if (c == '"')
        return FAULT(parser, start, start + 1, "expression",
                     "One character goes into single quotes: 'A'. Text belongs to db.",
                     "a text is no value here");
    if (c == '#')
        return FAULT(parser, start, start + 1, "expression",
                     "Leave it out: # belongs before the whole operand of an instruction.",
                     "# cannot stand inside an expression");
    bool word = c == '%' && parser->end - start > 4 && start[3] == '(';
    if (word && (oak_same_name(start + 1, 2, "hi") || oak_same_name(start + 1, 2, "lo"))) {
        unsigned op = oak_same_name(start + 1, 2, "hi") ? OP_UPPER_PART : OP_LOWER_PART;
        parser->at += 4;
        const oak_expr *inner = closing(parser, start, parse_choice(parser));
        return inner ? make_operation(parser, OAK_EXPR_UNARY, op, start, inner, NULL, NULL) : NULL;
    }
    const char *hint =
        c == '%'   ? "Binary is written 0b101 or 101b; % between two values is the rest of a division."
        : c == ',' ? "There is one comma too many, or what stands before it is missing."
        : c == '['
            ? "Brackets have no meaning here: `spindle explain` with the mnemonic shows how it is written."
        : c == ')' ? "Nothing was opened that it could close."
        : c == '=' ? "Two values are compared with ==; a name is given a value with `NAME equ VALUE`."
                   : "";
    return FAULT(parser, start, start + 1, "expression", hint, "a value cannot begin with `%c`",
                 c > ' ' && c < 127 ? c : '?');
}

static const oak_expr *parse_postfix(oak_expr_parser *parser)
{
    const char *start = parser->at;
    const oak_expr *cell = parse_primary(parser);
    while (cell && parser->at + 1 < parser->end && *parser->at == '.' &&
           (oak_is_word(parser->at[1]) || parser->at[1] == '(')) {
        parser->at++;
        const oak_expr *bit = parse_primary(parser);
        cell = bit ? make_operation(parser, OAK_EXPR_BIT, OP_NONE, start, cell, bit, NULL) : NULL;
    }
    return cell;
}

static const oak_expr *too_deep(oak_expr_parser *parser)
{
    return FAULT(parser, parser->at, parser->at + 1, "too-deep", "Split it with equ into several steps.",
                 "the expression is nested more than %d deep", DEEPEST);
}

static const oak_expr *parse_unary(oak_expr_parser *parser)
{
    skip_blanks(parser);
    const char *start = parser->at;
    char c = start < parser->end ? *start : 0;
    unsigned op = c == '-'   ? OP_NEGATE
                  : c == '~' ? OP_INVERT
                  : c == '!' ? OP_NOT
                  : c == '+' ? OP_PLUS
                  : c == '&' ? OP_ADDRESS
                             : OP_NONE;
    if (parser->depth >= DEEPEST) return too_deep(parser);
    parser->depth++;
    const oak_expr *result;
    if (op) {
        parser->at++;
        const oak_expr *inner = parse_unary(parser);
        if (op == OP_ADDRESS && inner && inner->kind != OAK_EXPR_NAME && inner->kind != OAK_EXPR_BIT)
            return FAULT(parser, start, start + 1, "expression", "Hexadecimal is written 0x1f or 1fh.",
                         "`&` is the address of a name, and no name stands behind it");
        result = make_operation(parser, OAK_EXPR_UNARY, op, start, inner, NULL, NULL);
    } else {
        result = parse_postfix(parser);
    }
    parser->depth--;
    return result;
}

static const oak_expr *parse_level(oak_expr_parser *parser, unsigned level)
{
    const char *start = parser->at;
    const oak_expr *left = parse_unary(parser);
    while (left) {
        skip_blanks(parser);
        size_t room = (size_t)(parser->end - parser->at), size;
        if (!room) break;
        unsigned op = binary_operator(parser->at[0], room > 1 ? parser->at[1] : 0, &size);
        if (!op || level_of[op] < level) break;
        /* A chain leans to the left, and its value is worked out by recursion: bounded like nesting. */
        if (parser->depth >= DEEPEST || ++parser->links > 2000) return too_deep(parser);
        parser->at += size;
        parser->depth++;
        const oak_expr *right = parse_level(parser, level_of[op] + 1u);
        parser->depth--;
        left = right ? make_operation(parser, OAK_EXPR_BINARY, op, start, left, right, NULL) : NULL;
    }
    return left;
}

static const oak_expr *parse_choice(oak_expr_parser *parser)
{
    const char *start = parser->at;
    if (parser->depth >= DEEPEST) return too_deep(parser);
    parser->depth++;
    const oak_expr *first = parse_level(parser, 1);
    skip_blanks(parser);
    if (first && parser->at < parser->end && *parser->at == '?') {
        parser->at++;
        const oak_expr *yes = parse_choice(parser), *no = NULL;
        skip_blanks(parser);
        if (yes && parser->at < parser->end && *parser->at == ':') {
            parser->at++;
            no = parse_choice(parser);
        } else if (yes) {
            FAULT(parser, start, parser->at, "expression", "Write `condition ? value : other`.",
                  "a : is missing");
        }
        first = no ? make_operation(parser, OAK_EXPR_CHOICE, OP_NONE, start, first, yes, no) : NULL;
    }
    parser->depth--;
    return first;
}

const oak_expr *oak_expr_parse(oak_expr_parser *parser)
{
    parser->depth = parser->links = 0;
    skip_blanks(parser);
    const oak_expr *expr = parse_choice(parser);
    OAK_INVARIANT(!expr || parser->depth == 0); /* whatever went down came up again */
    return expr;
}

/* ------------------------------------------------------------------------------------------ values */

static oak_status value_fault(const oak_expr *expr, oak_expr_fault *fault, const char *code,
                              const char *message)
{
    fault->code = code;
    fault->first = expr->first;
    fault->last = expr->last;
    fault->hint[0] = 0;
    oak_format(fault->message, sizeof fault->message, "%s", message);
    return OAK_REFUSED;
}

/* What stays an address: address ± number. The difference of two addresses of one space is a number. */
static uint8_t joined_space(unsigned op, const oak_value *left, const oak_value *right)
{
    if (op == OP_ADD && !left->space) return right->space;
    if (op == OP_ADD && !right->space) return left->space;
    if (op == OP_SUBTRACT && !right->space) return left->space;
    return 0;
}

bool oak_expr_is_plain(const oak_expr *expr)
{
    switch (expr->op) {
    case OP_NONE:
    case OP_DIVIDE:
    case OP_REMAINDER:
    case OP_BANK:
    case OP_PAGE:
    case OP_BYTES:
    case OP_WORDS:
    case OP_UPPER_PART:
    case OP_LOWER_PART:
    case OP_ADDRESS: return false;
    default: return expr->kind == OAK_EXPR_UNARY || expr->kind == OAK_EXPR_BINARY;
    }
}

bool oak_expr_is_both(const oak_expr *expr)
{
    return expr->kind == OAK_EXPR_BINARY && expr->op == OP_AND_THEN;
}

int64_t oak_expr_plain(unsigned op, int64_t left, int64_t right)
{
    uint64_t a = (uint64_t)left, b = (uint64_t)right;
#define X(operator, result)                                                                                  \
    case operator: return result;
    switch (op) {
        OAK_EACH_PLAIN(X)
    default: return left;
    }
#undef X
}

void oak_expr_plain_each(unsigned op, int64_t *lefts, const int64_t *rights, size_t count)
{
#define X(operator, result)                                                                                  \
    case operator:                                                                                           \
        for (size_t i = 0; i < count; i++) {                                                                 \
            const int64_t left = lefts[i], right = rights[i];                                                \
            const uint64_t a = (uint64_t)left, b = (uint64_t)right;                                          \
            (void)a, (void)b;                                                                                \
            lefts[i] = result;                                                                               \
        }                                                                                                    \
        return;
    switch (op) {
        OAK_EACH_PLAIN(X)
    default: return;
    }
#undef X
}

/* Whether it is below a bound or not stays so. */
static bool side_stays(const oak_expr_sloped *value, int64_t bound, oak_expr_room *room)
{
    int64_t slope = value->slope, missing = bound - value->at, turn;
    const int64_t far = (int64_t)1 << 46,
                  steep = 1 << 15; /* nothing wraps while another number of 32 bits goes all its way */
    if (!slope) return true;
    if (value->at > far || value->at < -far || slope > steep || slope < -steep) return false;
    if (slope < 0) {
        slope = -slope;
        missing = 1 - missing;
    }
    turn = missing > 0 ? (missing - 1) / slope + 1
                       : -(-missing / slope); /* from there on up it is the other one */
    if (turn > 0 && turn - 1 < room->above) room->above = turn - 1;
    if (turn <= 0 && -turn < room->below) room->below = -turn;
    return true;
}

bool oak_expr_truth_stays(const oak_expr_sloped *value, oak_expr_room *room)
{
    return side_stays(value, 0, room) && side_stays(value, 1, room);
}

bool oak_expr_bits_stay(const oak_expr_sloped *value, unsigned bit, oak_expr_room *room)
{
    if (!value->slope) return true;
    if (bit > 31) return false;
    int64_t first = (int64_t)((uint64_t)value->at >> bit << bit);
    return side_stays(value, first, room) && side_stays(value, first + ((int64_t)1 << bit), room);
}

bool oak_expr_slopes(unsigned op, oak_expr_sloped *left, const oak_expr_sloped *right, oak_expr_room *room)
{
    oak_expr_sloped apart = {left->at - right->at, left->slope - right->slope}, was = *left;
    const int64_t most = 1 << 15;
    bool stays = true;
    left->at = oak_expr_plain(op, was.at, right->at);
    left->slope = 0;
    if (!was.slope && !right->slope) return true;
    switch (op) {
    case OP_ADD: left->slope = was.slope + right->slope; break;
    case OP_SUBTRACT: left->slope = apart.slope; break;
    case OP_NEGATE: left->slope = -was.slope; break;
    case OP_MULTIPLY:
        if (was.slope && right->slope) return false;
        left->slope = was.slope ? was.slope * right->at : right->slope * was.at;
        stays = (was.slope ? right->at : was.at) <= most && (was.slope ? right->at : was.at) >= -most;
        break;
    case OP_LESS:
    case OP_GREATER_EQUAL: return side_stays(&apart, 0, room);
    case OP_LESS_EQUAL:
    case OP_GREATER: return side_stays(&apart, 1, room);
    case OP_EQUAL:
    case OP_UNEQUAL: return oak_expr_truth_stays(&apart, room);
    case OP_NOT: return oak_expr_truth_stays(&was, room);
    case OP_AND_THEN:
    case OP_OR_ELSE: return oak_expr_truth_stays(&was, room) && oak_expr_truth_stays(right, room);
    case OP_RIGHT:
        return !right->slope && right->at >= 0 && right->at < 32 &&
               oak_expr_bits_stay(&was, (unsigned)right->at, room);
    case OP_AND:
        if (right->slope) return false;
        for (unsigned bit = 0; bit < 32; bit++)
            if (right->at >> bit & 1) return oak_expr_bits_stay(&was, bit, room);
        return false;
    default: return false;
    }
    return stays && left->slope <= most && left->slope >= -most;
}

static oak_status operate(const oak_expr *expr, const oak_value *left, const oak_value *right,
                          oak_value *value, oak_expr_fault *fault)
{
    if (!oak_expr_is_plain(expr) && !right->number)
        return value_fault(expr, fault, "division-by-zero", "this divides by zero");
    *value = (oak_value){.number = oak_expr_plain(expr->op, left->number, right->number),
                         .space = joined_space(expr->op, left, right),
                         .known = true};
    return OAK_OK;
}

/* bank(x), page(x), bytes(x), words(x): by the space that an address lies in; of a plain number, the one where that means something. */
static oak_status of_address(const oak_expr *expr, const oak_architecture *about, const oak_value *of,
                             oak_value *value, oak_expr_fault *fault)
{
    unsigned space = of->space, code = about ? about->code_space : 0;
    bool pages = expr->op == OP_BANK || expr->op == OP_PAGE;
    if (!about) return value_fault(expr, fault, "expression", "there are no pages and words here");
    for (unsigned s = 1; !space && pages && s < about->space_count; s++)
        if (about->spaces[s].page && (expr->op == OP_PAGE) == (s == code)) space = s;
    if (!space) space = code;
    uint32_t page = about->spaces[space].page;
    unsigned unit = oak_unit_bytes(about, space);
    if (pages && !page) {
        value_fault(expr, fault, "wrong-space", "");
        oak_format(fault->message, sizeof fault->message, "%s has no %s", about->spaces[space].title,
                   expr->op == OP_BANK ? "banks" : "pages");
        return OAK_REFUSED;
    }
    if (expr->op == OP_WORDS && of->number % unit)
        return value_fault(expr, fault, "value-range", "no word begins at this byte");
    value->number = pages ? of->number / page : expr->op == OP_BYTES ? of->number * unit : of->number / unit;
    if (expr->op == OP_WORDS) value->space = (uint8_t)space;
    if (expr->op == OP_BYTES && unit > 1) value->of = (uint8_t)space, value->in_bytes = true;
    return OAK_OK;
}

/* %lo(x): the lower bits, with their sign; %hi(x): what is to be added to them in the upper ones. */
static oak_status part_of_address(const oak_expr *expr, const oak_architecture *about, const oak_value *of,
                                  oak_value *value, oak_expr_fault *fault)
{
    unsigned bits = about ? about->part_bits : 0;
    if (!bits)
        return value_fault(expr, fault, "expression",
                           "addresses are not taken in two parts here: write low(x) or high(x)");
    uint32_t whole = (uint32_t)of->number, half = 1u << (bits - 1),
             lower = ((whole + half) & (2 * half - 1)) - half;
    if (expr->op == OP_LOWER_PART) value->number = (int32_t)lower;
    else value->number = (whole - lower) >> bits;
    return OAK_OK;
}

static oak_status cell_value(const oak_expr *expr, const oak_expr_scope *scope, oak_value *value,
                             oak_expr_fault *fault)
{
    if (!scope->cell)
        return value_fault(expr, fault, "run-time-value",
                           "the contents of memory are known only while the program runs");
    oak_value address, bytes = {.number = 1};
    oak_expr_scope inside = *scope;
    inside.in_address = true;
    oak_status status = oak_expr_value(expr->as.of.left, &inside, &address, fault);
    if (!status && expr->as.of.right) status = oak_expr_value(expr->as.of.right, scope, &bytes, fault);
    if (status) return status;
    if (bytes.number < 1 || bytes.number > 8)
        return value_fault(expr, fault, "value-range", "1 to 8 bytes can be read as one value");
    if (address.number < 0 || address.number > UINT32_MAX ||
        scope->cell(scope->context, expr->space, (uint32_t)address.number, (unsigned)bytes.number, value))
        return value_fault(expr, fault, "value-range", "the part has no memory at this address");
    return OAK_OK;
}

oak_status oak_expr_value(const oak_expr *expr, const oak_expr_scope *scope, oak_value *value,
                          oak_expr_fault *fault)
{
    oak_value left, right;
    oak_status status;
    switch (expr->kind) {
    case OAK_EXPR_NUMBER: *value = (oak_value){.number = expr->as.number, .known = true}; return OAK_OK;
    case OAK_EXPR_NAME: return scope->value_of(scope, expr, value, fault);
    case OAK_EXPR_HERE: *value = scope->here; return OAK_OK;
    case OAK_EXPR_CELL: return cell_value(expr, scope, value, fault);
    default: break;
    }
    bool asks = expr->op == OP_ADDRESS || (expr->op >= OP_UPPER && expr->op <= OP_LOWER_PART);
    bool address = expr->kind == OAK_EXPR_UNARY && asks && !scope->in_address;
    if (address) {
        oak_expr_scope inside = *scope;
        inside.in_address = true;
        status = oak_expr_value(expr->as.of.left, &inside, &left, fault);
    } else status = oak_expr_value(expr->as.of.left, scope, &left, fault);
    if (status) return status;
    *value = (oak_value){0};
    if (!left.known) return OAK_OK;
    switch (expr->kind) {
    case OAK_EXPR_CHOICE:
        return oak_expr_value(left.number ? expr->as.of.right : expr->as.of.third, scope, value, fault);
    case OAK_EXPR_PLACED:
        *value = (oak_value){.number = left.number, .space = expr->space, .known = true};
        return OAK_OK;
    case OAK_EXPR_UNARY:
        *value = left;
        value->space = expr->op == OP_PLUS || expr->op == OP_ADDRESS ? left.space : 0;
        value->name = NULL;
        if (expr->op == OP_UPPER_PART || expr->op == OP_LOWER_PART)
            return part_of_address(expr, scope->about, &left, value, fault);
        if (expr->op >= OP_BANK && expr->op <= OP_WORDS)
            return of_address(expr, scope->about, &left, value, fault);
        value->number = oak_expr_plain(expr->op, left.number, 0);
        if (expr->op == OP_LOW || expr->op == OP_HIGH) value->of = left.space ? left.space : left.of;
        else if (expr->op != OP_PLUS) value->of = 0;
        return OAK_OK;
    default: break;
    }
    status = oak_expr_value(expr->as.of.right, scope, &right, fault);
    if (status || !right.known) return status;
    if (expr->kind == OAK_EXPR_BINARY) return operate(expr, &left, &right, value, fault);
    if (scope->bit(scope->context, expr->as.of.left, &left, right.number, value)) {
        bool beyond = right.number < 0 || right.number > 7;
        value_fault(expr, fault, "no-bit",
                    beyond ? "the bits of a byte are 0 to 7" : "this bit has no address of its own");
        oak_format(fault->hint, sizeof fault->hint,
                   beyond ? "Number them from 0, the least significant."
                          : "Use a mask; `spindle explain no-bit` tells which bits have addresses.");
        return OAK_REFUSED;
    }
    return OAK_OK;
}
