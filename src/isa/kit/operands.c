/* operands.c — operands as people write them: which word or shape a text is, and which rows take them.
 *
 * An operand is a word (a register, "(hl)", "@p") or has a value between what its shape says. Registers are known by their place:
 * where no row of the mnemonic takes one, the same name may be a symbol. */
#include "base/bytes.h"
#include "isa/kit/table.h"

enum {
    WORD = 0
}; /* operand.kind; else the number of the shape + 1. reg: the word, extra: whether a shape names one */

static const char *skip(const char *at, const char *end)
{
    while (at < end && (*at == ' ' || *at == '\t')) at++;
    return at;
}

static oak_status refuse(oak_operand_reader *reader, const char *from, const char *to, const char *code,
                         const char *hint, const char *message)
{
    reader->refuse(reader, from, to > from ? to : from + 1, code, hint, message);
    return OAK_REFUSED;
}

/* Where the operand ends that begins at `at`: in front of a comma outside of brackets and quotes. */
static const char *operand_end(const char *at, const char *end)
{
    unsigned depth = 0;
    for (const char *start = at; at < end; at++) {
        if (*at == '(' || *at == '[' || *at == '{') depth++;
        else if ((*at == ')' || *at == ']' || *at == '}') && depth) depth--;
        else if (*at == ',' && !depth) break;
        if (!oak_opens_quote(start, at)) continue;
        char close = *at++;
        while (at < end && *at != close) at += *at == '\\' && at + 1 < end ? 2 : 1;
        if (at >= end) return end;
    }
    return at;
}

static bool is_balanced(const char *at, const char *end)
{
    int depth = 0;
    for (; at < end; at++) {
        if (*at == '(' || *at == '[') depth++;
        if (*at == ')' || *at == ']') depth--;
        if (depth < 0) return false;
    }
    return !depth;
}

/* The longest word that a class of this shape may name at `at`; -1: none. */
static int name_at(const struct kit_tables *tables, unsigned shape, const char *at, const char *end,
                   size_t *length)
{
    int found = -1;
    *length = 0;
    for (unsigned c = 0; tables->language->classes[c].name; c++) {
        const kit_class *class = &tables->language->classes[c];
        if (tables->shape_of_class[c] != shape + 1) continue;
        for (unsigned i = 0; class->names && class->names[i]; i++) {
            size_t size = oak_length(class->names[i]);
            if (size <= *length || size > (size_t)(end - at) || !oak_same_name(at, size, class->names[i]))
                continue;
            if (at + size < end && oak_is_word(at[size])) continue;
            found = kit_find_word(tables, class->names[i], size);
            *length = size;
        }
    }
    return found;
}

/* Takes what a shape says in front of its value; NULL when the text is not so. */
static const char *take_front(const struct kit_tables *tables, unsigned shape, const char **pattern,
                              const char *at, const char *end, int *word)
{
    for (; **pattern && !((*pattern)[0] == '{' && (*pattern)[1] == '}'); ++*pattern) {
        at = skip(at, end);
        if ((*pattern)[0] == '<') {
            size_t length;
            *word = name_at(tables, shape, at, end, &length);
            if (*word < 0) return NULL;
            at += length;
            ++*pattern;
        } else if (at < end && oak_lower(*at) == oak_lower(**pattern)) at++;
        else return NULL;
    }
    return at;
}

/* Takes what stands behind its value, from the end; NULL when the text is not so. */
static const char *take_back(const struct kit_tables *tables, unsigned shape, const char *pattern,
                             const char *at, const char *end, int *word)
{
    for (const char *last = pattern + oak_length(pattern); last > pattern;) {
        while (end > at && (end[-1] == ' ' || end[-1] == '\t')) end--;
        if (last - pattern >= 2 && last[-1] == '>' && last[-2] == '<') {
            const char *begin = end;
            while (begin > at && oak_is_word(begin[-1])) begin--;
            size_t length;
            *word = begin < end ? name_at(tables, shape, begin, end, &length) : -1;
            if (*word < 0) return NULL;
            end = begin;
            last -= 2;
        } else if (end > at && oak_lower(end[-1]) == oak_lower(last[-1])) end--, last--;
        else return NULL;
    }
    return end;
}

static size_t fixed_letters(const char *shape)
{
    size_t count = 0;
    for (; *shape; shape++) {
        bool hole = (shape[0] == '{' && shape[1] == '}') || (shape[0] == '<' && shape[1] == '>');
        if (hole) shape++;
        else count++;
    }
    return count;
}

/* Reads the operand as the shape with a value that says most of it. */
static oak_status read_shape(const struct kit_tables *tables, oak_operand_reader *reader, const char *at,
                             const char *end, oak_operand *operand)
{
    const char *value = NULL, *value_end = NULL;
    size_t most = 0;
    for (unsigned i = 0; i < tables->shape_count; i++) {
        const char *pattern = tables->shape[i];
        size_t fixed = fixed_letters(pattern) + 1;
        int word = -1;
        const char *from = take_front(tables, i, &pattern, at, end, &word);
        if (!from || !*pattern) continue;
        const char *to = take_back(tables, i, pattern + 2, from, end, &word);
        from = skip(from, end);
        if (!to || to <= from || fixed <= most || !is_balanced(from, to)) continue;
        most = fixed;
        value = from, value_end = to;
        operand->kind = (uint8_t)(i + 1);
        operand->extra = word >= 0;
        operand->reg = (uint8_t)(word >= 0 ? word : 0);
    }
    if (!most) return refuse(reader, at, end, "operand", NULL, "this is no operand");
    const char *last = reader->end;
    reader->at = value;
    reader->end = value_end;
    operand->expr = reader->expression(reader);
    const char *stopped = skip(reader->at, value_end);
    reader->end = last;
    if (!operand->expr) return OAK_REFUSED;
    if (stopped < value_end)
        return refuse(reader, stopped, value_end, "extra-text",
                      "An operator or a comma is missing before it.", "this does not belong here");
    return OAK_OK;
}

static bool row_takes_word(const struct kit_tables *tables, unsigned row, unsigned operand, unsigned word)
{
    const kit_shape_of_row *shape = &tables->row[row];
    if (operand >= shape->count) return false;
    const kit_class *class = kit_class_at(tables, row, operand);
    if (!class) return shape->word_of[operand] == word;
    return !tables->shape_of_class[class - tables->language->classes] &&
           kit_name_in(tables, class, word) >= 0;
}

uint16_t kit_first_row(const struct kit_tables *tables, unsigned mnemonic, unsigned index)
{
    unsigned choice = tables->choice[mnemonic];
    if (!choice) return index ? KIT_NO_ROW : tables->first_row[mnemonic];
    for (const char *p = tables->language->choices[choice - 1].of; *p; index--) {
        const char *end = p;
        while (*end && *end != ' ') end++;
        int of = kit_mnemonic((const oak_isa_tables *)(const void *)tables, p, (size_t)(end - p));
        if (!index) return of < 0 ? KIT_NO_ROW : tables->first_row[of];
        p = *end ? end + 1 : end;
    }
    return KIT_NO_ROW;
}

static bool some_row_takes_word(const struct kit_tables *tables, unsigned mnemonic, unsigned operand,
                                unsigned word)
{
    for (unsigned m = 0; m < OAK_MOST_FORMS; m++)
        for (unsigned row = kit_first_row(tables, mnemonic, m); row != KIT_NO_ROW;
             row = tables->row[row].next)
            if (row_takes_word(tables, row, operand, word)) return true;
    return false;
}

oak_status kit_read_operands(const oak_isa_tables *opaque, oak_operand_reader *reader, oak_insn *insn)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    const char *at = skip(reader->at, reader->end);
    while (at < reader->end) {
        const char *end = operand_end(at, reader->end), *last = end;
        while (last > at && (last[-1] == ' ' || last[-1] == '\t')) last--;
        if (last == at || insn->count == OAK_MOST_OPERANDS)
            return refuse(reader, at, at + 1, "operand-count", "Operands are separated by single commas.",
                          last == at ? "an operand is missing here" : "too many operands");
        oak_operand *operand = &insn->operand[insn->count];
        *operand =
            (oak_operand){.first = (uint16_t)(at - reader->line), .last = (uint16_t)(last - reader->line)};
        int word = kit_find_word(tables, at, (size_t)(last - at));
        bool taken = word >= 0 && (some_row_takes_word(tables, insn->mnemonic, insn->count, (unsigned)word) ||
                                   !oak_is_letter(*at));
        if (taken) operand->reg = (uint8_t)word;
        else if (read_shape(tables, reader, at, last, operand)) return OAK_REFUSED;
        insn->count++;
        at = end;
        if (at == reader->end) break;
        at = skip(at + 1, reader->end);
        if (at == reader->end)
            return refuse(reader, end, end + 1, "operand-count",
                          "Leave the comma out, or write what belongs behind it.",
                          "an operand is missing behind this comma");
    }
    reader->at = reader->end;
    return OAK_OK;
}

bool kit_is_register(const oak_isa_tables *opaque, const char *text, size_t length)
{
    (void)opaque, (void)text, (void)length;
    return false; /* names are known by their place */
}

/* ------------------------------------------------------------------------------------------ forms */

static bool takes(const struct kit_tables *tables, unsigned row, const oak_insn *insn)
{
    const kit_shape_of_row *shape = &tables->row[row];
    if (shape->count != insn->count) return false;
    for (unsigned i = 0; i < insn->count; i++) {
        const oak_operand *operand = &insn->operand[i];
        if (operand->kind == WORD) {
            if (!row_takes_word(tables, row, i, operand->reg)) return false;
            continue;
        }
        const kit_class *class = kit_class_at(tables, row, i);
        if (!class || tables->shape_of_class[class - tables->language->classes] != operand->kind)
            return false;
        if (operand->extra && kit_name_in(tables, class, operand->reg) < 0) return false;
    }
    return true;
}

static void list_forms(const struct kit_tables *tables, const oak_insn *insn, oak_refusal *why)
{
    size_t size = 0;
    oak_format(why->hint, sizeof why->hint, "Forms that exist:");
    for (unsigned m = 0; m < OAK_MOST_FORMS; m++)
        for (unsigned row = kit_first_row(tables, insn->mnemonic, m); row != KIT_NO_ROW;
             row = tables->row[row].next) {
            const oak_insn_row *about = &tables->language->isa->rows[row];
            size = oak_length(why->hint);
            if (size + oak_length(about->operands) + 20 > sizeof why->hint) return;
            oak_format(why->hint + size, sizeof why->hint - size, "%s `%s%s%s`",
                       why->hint[size - 1] == ':' ? "" : ",", about->mnemonic, *about->operands ? " " : "",
                       about->operands);
        }
    size = oak_length(why->hint);
    oak_format(why->hint + size, sizeof why->hint - size, ".");
}

/* The same operands with one mark more: `#` in front of a value that has none. */
static bool suggest_mark(const struct kit_tables *tables, oak_insn *insn, oak_refusal *why)
{
    unsigned plain = 0, marked = 0;
    for (unsigned i = 0; i < tables->shape_count; i++) {
        if (oak_same(tables->shape[i], "{}")) plain = i + 1;
        if (oak_same(tables->shape[i], "#{}")) marked = i + 1;
    }
    for (unsigned i = 0; plain && marked && i < insn->count; i++) {
        oak_operand *operand = &insn->operand[i];
        if (operand->kind != plain) continue;
        bool fits = false;
        operand->kind = (uint8_t)marked;
        for (unsigned row = kit_first_row(tables, insn->mnemonic, 0); row != KIT_NO_ROW && !fits;
             row = tables->row[row].next)
            fits = takes(tables, row, insn);
        operand->kind = (uint8_t)plain;
        if (!fits) continue;
        why->code = "immediate-mark";
        why->operand = (int)i;
        oak_format(why->message, sizeof why->message, "an immediate value needs its mark");
        oak_format(why->hint, sizeof why->hint, "Put # before it.");
        why->has_edit = why->edit_safe = true;
        why->edit_first = why->edit_last = operand->first;
        oak_format(why->edit, sizeof why->edit, "#");
        return true;
    }
    return false;
}

unsigned kit_forms(const oak_isa_tables *opaque, oak_insn *insn, uint16_t *rows, oak_refusal *why)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    unsigned count = 0;
    for (unsigned m = 0; m < OAK_MOST_FORMS; m++)
        for (unsigned row = kit_first_row(tables, insn->mnemonic, m); row != KIT_NO_ROW;
             row = tables->row[row].next) {
            if (count == OAK_MOST_FORMS || !takes(tables, row, insn)) continue;
            unsigned at = count++;
            for (; at && kit_units_of(tables, rows[at - 1]) > kit_units_of(tables, row); at--)
                rows[at] = rows[at - 1];
            rows[at] = (uint16_t)row;
        }
    if (count) {
        oak_flow flow = (oak_flow)tables->language->isa->rows[rows[0]].flow;
        insn->never_goes_on = !oak_goes_on(flow);
        return count;
    }
    why->code = "no-such-form";
    why->operand = -1;
    oak_format(why->message, sizeof why->message,
               insn->count ? "`%s` has no form with these operands" : "`%s` needs operands",
               tables->mnemonic[insn->mnemonic]);
    if (!suggest_mark(tables, insn, why)) list_forms(tables, insn, why);
    return 0;
}
