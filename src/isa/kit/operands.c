/* operands.c — operands as people write them: text to words, shapes and expressions; finding forms; telling what is missing. */
#include "base/bytes.h"
#include "isa/kit/table.h"

enum { WORD = 0 }; /* kind of an operand; any other is the number of a shape + 1 */

/* ------------------------------------------------------------------------------------------ reading */

static const char *skip(const char *at, const char *end)
{
    while (at < end && (*at == ' ' || *at == '\t')) at++;
    return at;
}

static const char *without_blanks(const char *at, const char *end)
{
    while (end > at && (end[-1] == ' ' || end[-1] == '\t')) end--;
    return end;
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
        end = without_blanks(at, end);
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

/* How much of an operand a shape says: its letters, and a name for one more. */
static size_t fixed_letters(const char *shape)
{
    size_t count = 0;
    for (; *shape; shape++) {
        bool value = shape[0] == '{' && shape[1] == '}', name = shape[0] == '<' && shape[1] == '>';
        count += !value;
        if (value || name) shape++;
    }
    return count;
}

/* Where all shapes are a mark, or nothing, before a value: the longest mark that is there. */
static oak_status read_marked(const struct kit_tables *tables, oak_operand_reader *reader,
                              oak_operand *operand)
{
    const char *at = reader->at;
    size_t most = 0;
    for (unsigned i = 0; i < tables->shape_count; i++) {
        const char *mark = tables->shape[i];
        size_t length = 0;
        while (at + length < reader->end && mark[length] != '{' && mark[length] == at[length]) length++;
        if (mark[length] != '{' || (length < most && operand->kind)) continue;
        operand->kind = (uint8_t)(i + 1);
        most = length;
    }
    reader->at += most;
    operand->expr = reader->expression(reader);
    return operand->expr ? OAK_OK : OAK_REFUSED;
}

/* Where it ends when the next one belongs to it; NULL when there is none. */
static const char *pair_end(const struct kit_tables *tables, const char *at, const char *end)
{
    const char *comma = tables->language->pairs ? operand_end(at, end) : end;
    return comma < end ? operand_end(comma + 1, end) : NULL;
}

static bool is_pair(const char *shape)
{
    unsigned depth = 0;
    for (; *shape; shape++) {
        if (*shape == ',' && !depth) return true;
        depth += *shape == '[';
    }
    return false;
}

/* Reads the operand as the shape with a value that says most of it. */
static oak_status read_shape(const struct kit_tables *tables, oak_operand_reader *reader,
                             oak_operand *operand)
{
    const char *at = reader->at, *stop = operand_end(at, reader->end),
               *pair = pair_end(tables, at, reader->end);
    const char *value = NULL, *value_end = NULL, *single = stop, *end = without_blanks(at, stop);
    size_t most = 0;
    for (unsigned i = 0; i < tables->shape_count; i++) {
        const char *pattern = tables->shape[i], *goes_to = is_pair(pattern) ? pair : single;
        if (!goes_to) continue;
        end = without_blanks(at, goes_to);
        size_t fixed = fixed_letters(pattern) + 1;
        int word = -1;
        const char *from = take_front(tables, i, &pattern, at, end, &word);
        if (!from || !*pattern) continue;
        const char *to = take_back(tables, i, pattern + 2, from, end, &word);
        from = skip(from, end);
        bool empty = to == from && tables->language->bare;
        if (!to || (to <= from && !empty) || fixed <= most || !is_balanced(from, to)) continue;
        most = fixed;
        stop = goes_to;
        value = from, value_end = to;
        operand->kind = (uint8_t)(i + 1);
        operand->extra = word >= 0;
        operand->reg = (uint8_t)(word >= 0 ? word : 0);
    }
    const char *last = reader->end;
    if (!most) {
        end = without_blanks(at, single);
        reader->refuse(reader, at, end > at ? end : at + 1, "operand", NULL,
                       end > at ? "this is no operand" : "an operand is missing here");
        return OAK_REFUSED;
    }
    static const char zero[] = "0";
    if (value == value_end) value = zero, value_end = zero + 1;
    reader->at = value;
    reader->end = value_end;
    operand->expr = reader->expression(reader);
    const char *stopped = skip(reader->at, value_end);
    reader->end = last;
    reader->at = stop;
    if (!operand->expr) return OAK_REFUSED;
    if (stopped == value_end) return OAK_OK;
    reader->refuse(reader, stopped, value_end, "extra-text", "An operator or a comma is missing before it.",
                   "this does not belong here");
    return OAK_REFUSED;
}

/* Goes through the alternatives for an operand of a row, by the number + 1 of each. */
#define EACH_ALTERNATIVE(one, tables, row, operand)                                                          \
    for (unsigned first_ = (tables)->row[row].class_of[operand], one = first_;                               \
         one && (one == first_ || is_alternative(tables, first_, one)); one++)
static bool is_alternative(const struct kit_tables *tables, unsigned first, unsigned one)
{
    const kit_class *classes = tables->language->classes;
    return classes[first - 1].bits && classes[one - 1].name &&
           oak_same(classes[one - 1].name, classes[first - 1].name);
}

unsigned kit_class_for(const struct kit_tables *tables, unsigned row, unsigned operand,
                       const oak_operand *read)
{
    EACH_ALTERNATIVE(class, tables, row, operand)
    {
        bool named = tables->name_of_word[class - 1][read->reg] >= 0;
        if (read->kind == WORD ? !tables->shape_of_class[class - 1] && named
                               : tables->shape_of_class[class - 1] == read->kind && (!read->extra || named))
            return class;
    }
    return 0;
}

static bool row_takes_word(const struct kit_tables *tables, unsigned row, unsigned operand, unsigned word)
{
    const kit_shape_of_row *shape = &tables->row[row];
    if (operand >= shape->count) return false;
    if (!shape->class_of[operand]) return shape->word_of[operand] == word;
    return kit_class_for(tables, row, operand, &(oak_operand){.kind = WORD, .reg = (uint8_t)word}) != 0;
}

uint16_t kit_first_row(const struct kit_tables *tables, unsigned mnemonic, unsigned index)
{
    unsigned choice = tables->choice[mnemonic];
    if (!index) return tables->first_row[mnemonic];
    if (!choice) return KIT_NO_ROW;
    for (const char *p = tables->language->choices[choice - 1].of; *p; index--) {
        const char *end = p;
        while (*end && *end != ' ') end++;
        int of = kit_mnemonic((const oak_isa_tables *)(const void *)tables, p, (size_t)(end - p));
        if (index == 1) return of < 0 ? KIT_NO_ROW : tables->first_row[of];
        p = *end ? end + 1 : end;
    }
    return KIT_NO_ROW;
}

/* Goes through the rows that a mnemonic may mean. */
#define EACH_ROW(row, tables, mnemonic)                                                                      \
    for (unsigned of_ = 0; of_ <= ((tables)->choice[mnemonic] ? KIT_MOST_CHOICES : 0); of_++)                \
        for (unsigned row = kit_first_row(tables, mnemonic, of_); row != KIT_NO_ROW;                         \
             row = (tables)->row[row].next)

static bool some_row_takes_word(const struct kit_tables *tables, unsigned mnemonic, unsigned operand,
                                unsigned word)
{
    EACH_ROW(row, tables, mnemonic)
    if (row_takes_word(tables, row, operand, word)) return true;
    return false;
}

/* Is a word one only where something takes it, and a name elsewhere? */
static bool is_free(const struct kit_tables *tables, unsigned word)
{
    const kit_language *language = tables->language;
    bool free = false;
    if (!language->frees) return !language->reserves;
    for (const kit_class *class = language->classes; class->name; class ++) {
        if (tables->name_of_word[class - language->classes][word] < 0) continue;
        const kit_class *const *one = language->frees;
        while (*one && *one != class) one++;
        if (!*one) return false;
        free = true;
    }
    return free;
}

/* What stands behind a word goes on with a shape that begins with one. */
static bool begins_shape(const struct kit_tables *tables, const char *at, const char *end)
{
    for (unsigned i = 0; i < tables->shape_count && at < end; i++)
        if (tables->shape[i][0] == '<' && tables->shape[i][2] && tables->shape[i][2] == *at) return true;
    return false;
}

/* The word that an operand is; `behind` it the text goes on. -1: it is none. */
static int word_at(const struct kit_tables *tables, const oak_operand_reader *reader, const oak_insn *insn,
                   const char **behind)
{
    const char *start = reader->at, *end = reader->end;
    if (start == end || !tables->opens_word[(uint8_t)oak_lower(*start)]) return -1;
    const char *pair = pair_end(tables, start, end);
    int both = pair ? kit_find_word(tables, start, (size_t)(pair - start)) : -1;
    if (both >= 0 && some_row_takes_word(tables, insn->mnemonic, insn->count, (unsigned)both)) {
        *behind = without_blanks(start, pair);
        return both;
    }
    bool letter = oak_is_letter(*start), reserves = tables->language->reserves;
    const char *stop = start;
    if (letter && reserves)
        while (stop < end && (oak_is_word(*stop) || (*stop == '\'' && stop > start))) stop++;
    else stop = without_blanks(start, operand_end(start, end));
    if (letter && reserves && begins_shape(tables, skip(stop, end), end)) { /* x+, y+5 */
        stop = without_blanks(start, operand_end(start, end));
        if ((size_t)(stop - start) > tables->longest_word) return -1;
        *behind = stop;
        return kit_find_word(tables, start, (size_t)(stop - start));
    }
    bool short_enough = (size_t)(stop - start) <= tables->longest_word || !letter || !reserves;
    int word = short_enough ? kit_find_word(tables, start, (size_t)(stop - start)) : -1;
    /* Something is behind it that does not belong there. */
    while (word < 0 && !letter && reserves && stop > start + 1) {
        stop--;
        if (!oak_is_word(*stop)) word = kit_find_word(tables, start, (size_t)(stop - start));
    }
    if (word >= 0 && ((letter && is_free(tables, (unsigned)word)) || oak_is_digit(*start)) &&
        !some_row_takes_word(tables, insn->mnemonic, insn->count, (unsigned)word))
        return -1;
    *behind = without_blanks(start, stop);
    return word;
}

oak_status kit_read_operands(const oak_isa_tables *opaque, oak_operand_reader *reader, oak_insn *insn)
{
    static const char *const numbers[] = {"nothing", "more than one", "more than two", "more than three"};
    const struct kit_tables *tables = kit_tables_of(opaque);
    const kit_language *language = tables->language;
    reader->at = skip(reader->at, reader->end);
    if (reader->at == reader->end) return OAK_OK;
    for (;;) {
        if (insn->count == tables->most_operands) {
            char hint[60];
            oak_format(hint, sizeof hint, "No instruction takes %s.",
                       insn->count < 4 ? numbers[insn->count] : "so many");
            reader->refuse(reader, reader->at, reader->end, "too-many-operands", hint, "too many operands");
            return OAK_REFUSED;
        }
        oak_operand *operand = &insn->operand[insn->count];
        const char *start = reader->at, *behind = start;
        *operand = (oak_operand){.first = (uint16_t)(start - reader->line)};
        int word = word_at(tables, reader, insn, &behind);
        if (language->refuses && language->refuses(reader, word >= 0, behind)) return OAK_REFUSED;
        if (word >= 0) operand->reg = (uint8_t)word, reader->at = behind;
        else if (tables->marks_only ? read_marked(tables, reader, operand)
                                    : read_shape(tables, reader, operand))
            return OAK_REFUSED;
        operand->last = (uint16_t)(without_blanks(start, reader->at) - reader->line);
        insn->count++;
        reader->at = skip(reader->at, reader->end);
        if (reader->at == reader->end || *reader->at != ',') return OAK_OK;
        reader->at = skip(reader->at + 1, reader->end);
    }
}

bool kit_is_register(const oak_isa_tables *opaque, const char *text, size_t length)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    const oak_architecture *about = &tables->language->isa->about;
    if (!tables->language->reserves) return false; /* names are known by their place */
    if (length > tables->longest_word) return false;
    int word = kit_find_word(tables, text, length);
    return (word >= 0 && !is_free(tables, (unsigned)word)) ||
           oak_same_name(text, length, about->registers[about->pc_register].name);
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
        if (!kit_class_for(tables, row, i, operand)) return false;
    }
    return true;
}

static unsigned matching_row(const struct kit_tables *tables, const oak_insn *insn)
{
    EACH_ROW(row, tables, insn->mnemonic)
    if (takes(tables, row, insn)) return row;
    return KIT_NO_ROW;
}

unsigned kit_row_with_shape(const struct kit_tables *tables, const oak_insn *insn, unsigned operand,
                            uint8_t shape)
{
    const oak_operand was = insn->operand[operand];
    insn->operand[operand].kind = shape;
    insn->operand[operand].extra = 0;
    unsigned row = matching_row(tables, insn);
    insn->operand[operand] = was;
    return row;
}

/* First the forms whose first operand is what was written; when there are none, all. A choice is one form. */
static void list_forms(const struct kit_tables *tables, const oak_insn *insn, oak_refusal *why)
{
    char text[sizeof why->hint] = "";
    unsigned shown = 0;
    size_t size = 0;
    unsigned full = tables->language->isa->full_size; /* short and long forms are its own to choose */
    for (unsigned pass = 0; pass < 3 && !shown; pass++)
        for (unsigned row = tables->first_row[insn->mnemonic]; row != KIT_NO_ROW;
             row = tables->row[row].next) {
            const oak_insn_row *about = &tables->language->isa->rows[row];
            oak_operand first = insn->operand[0];
            first.extra = 0;
            bool same = tables->row[row].count && insn->count &&
                        (first.kind == WORD ? row_takes_word(tables, row, 0, first.reg)
                                            : kit_class_for(tables, row, 0, &first) != 0);
            if ((pass == 0 && !same) || (pass < 2 && full && tables->row[row].pattern.size != full)) continue;
            char one[64];
            oak_format(one, sizeof one, "%s`%s%s%.*s`", shown ? ", " : "", about->mnemonic,
                       *about->operands ? " " : "", (int)oak_shown_operands(about), about->operands);
            shown++;
            if (size + oak_length(one) + 14 >= sizeof text) continue;
            oak_format(text + size, sizeof text - size, "%s", one);
            size += oak_length(one);
        }
    unsigned choice = tables->choice[insn->mnemonic];
    if (choice)
        oak_format(why->hint, sizeof why->hint, "Write `%s target`%s%s.", tables->mnemonic[insn->mnemonic],
                   shown ? ", or " : "", text);
    else oak_format(why->hint, sizeof why->hint, "Forms that exist: %s.", text);
}

/* Looks for the one change that makes the operands fit, and says it: a mark put in or left out, or a register by its other name. What
 * is left out may have been what was meant, and so is never safe. */
static bool suggest_operand(const struct kit_tables *tables, const oak_insn *insn, oak_refusal *why)
{
    for (unsigned i = 0; i < insn->count; i++) {
        const oak_operand was = insn->operand[i];
        for (unsigned mark = 1; mark < 3; mark++) {
            uint8_t tried = mark == 1 ? tables->marked_shape : tables->plain_shape;
            if (!tried || tried == was.kind || (was.kind == WORD && mark == 1)) continue;
            bool marks = was.kind == tables->plain_shape || was.kind == tables->marked_shape;
            if (was.kind != WORD && !marks) continue;
            unsigned row = kit_row_with_shape(tables, insn, i, tried);
            if (row == KIT_NO_ROW) continue;
            why->edit_first = was.first, why->edit_last = was.last;
            why->edit[0] = 0;
            if (was.kind == WORD) {
                if (!tables->language->other_name ||
                    !tables->language->other_name(tables->word[was.reg], tables->row[row].class_of[i], why))
                    continue;
            } else if (mark == 1) {
                oak_format(why->hint, sizeof why->hint,
                           "An immediate value needs its mark: put # before it.");
                why->edit_last = was.first, oak_format(why->edit, sizeof why->edit, "#");
                why->edit_safe = true;
            } else {
                oak_format(why->hint, sizeof why->hint,
                           "It takes an address or target here, not an immediate: leave the # out.");
                why->edit_last = (uint16_t)(was.first + 1);
                why->edit_safe = false;
            }
            why->operand = (int)i;
            why->has_edit = true;
            return true;
        }
    }
    return false;
}

/* What the operands are called in the list of remedies. */
static bool find_remedy(const struct kit_tables *tables, const oak_insn *insn, oak_refusal *why)
{
    const kit_language *language = tables->language;
    char letters[OAK_MOST_OPERANDS] = "";
    uint8_t kinds[OAK_MOST_OPERANDS];
    for (unsigned i = 0; i < insn->count && i < OAK_MOST_OPERANDS; i++) {
        const oak_operand *operand = &insn->operand[i];
        kinds[i] = (uint8_t)i;
        const char *text =
            operand->kind == WORD ? tables->word[operand->reg] : tables->shape[operand->kind - 1];
        for (const kit_letter *one = language->letters; one && one->text; one++) {
            size_t length = oak_length(one->text);
            bool begins = length && one->text[length - 1] == '*';
            if (begins ? oak_length(text) >= length && !memcmp(text, one->text, length - 1)
                       : oak_same(text, one->text)) {
                letters[i] = one->letter;
                break;
            }
        }
    }
    return language->remedies && oak_remedy_for(language->remedies, letters, sizeof letters,
                                                tables->mnemonic[insn->mnemonic], insn->count, kinds, why);
}

unsigned kit_forms(const oak_isa_tables *opaque, oak_insn *insn, uint16_t *rows, oak_refusal *why)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    unsigned count = 0;
    EACH_ROW(row, tables, insn->mnemonic)
    {
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
    bool suggested = suggest_operand(tables, insn, why);
    if (suggested && why->edit_safe) return 0;
    if (!find_remedy(tables, insn, why) && !suggested) list_forms(tables, insn, why);
    return 0;
}

/* An operand of a code as somebody may have written it. */
static void as_written(const struct kit_tables *tables, const oak_decoded *decoded, unsigned operand,
                       oak_operand *written, oak_value *value)
{
    const kit_shape_of_row *shape = &tables->row[decoded->row];
    kit_part part = kit_part_of(tables, decoded->row, operand, decoded->word);
    *written = (oak_operand){.kind = WORD, .reg = shape->word_of[operand]};
    *value = (oak_value){.known = true};
    if (!part.class) return;
    const char *name =
        part.class->names ? part.class->names[kit_name_in(part.class, part.pattern, part.word)] : NULL;
    if (name) written->reg = (uint8_t)kit_find_word(tables, name, oak_length(name));
    if (!part.class->field) return;
    written->kind = tables->shape_of_class[part.number - 1];
    written->extra = name != NULL;
    value->number = kit_value_of(tables, decoded->row, operand, &part, decoded->address);
}

bool kit_comes_back(const oak_isa_tables *opaque, const oak_decoded *decoded, bool full)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    const oak_isa *isa = tables->language->isa;
    oak_operand operands[KIT_MOST_OPERANDS];
    oak_value values[KIT_MOST_OPERANDS];
    uint16_t rows[OAK_MOST_FORMS];
    uint8_t bytes[OAK_LONGEST_INSN], own[OAK_LONGEST_INSN];
    oak_refusal why;
    unsigned size = tables->row[decoded->row].pattern.size;
    oak_insn insn = {.mnemonic = tables->row[decoded->row].mnemonic,
                     .count = tables->row[decoded->row].count,
                     .operand = operands};
    for (unsigned i = 0; i < insn.count; i++) as_written(tables, decoded, i, &operands[i], &values[i]);
    unsigned count = kit_forms(opaque, &insn, rows, &why);
    oak_lay_down(isa, decoded->word, size, own);
    for (unsigned i = 0; i < count; i++) {
        unsigned bytes_of_it = tables->row[rows[i]].pattern.size;
        if (full && bytes_of_it < isa->full_size) continue;
        if (kit_encode(opaque, rows[i], &insn, values, decoded->address, bytes, &why)) continue;
        return bytes_of_it == size && !memcmp(bytes, own, size);
    }
    return false;
}
