/* tables.c — what the kit derives from rows and classes: words, mnemonics, the decoder's index; decoding and printing. */
#include "base/arena.h"
#include "base/bytes.h"
#include "base/invariant.h"
#include "isa/kit/table.h"

/* ------------------------------------------------------------------------------------------ words and shapes */

enum { LONGEST_WORD = 15 };

/* A word without its blanks, in lower case; 0 when it is longer than any. */
static size_t plain(const char *text, size_t length, char *word, unsigned *hash)
{
    size_t size = 0;
    *hash = 0;
    for (size_t i = 0; i < length; i++) {
        if (text[i] == ' ' || text[i] == '\t') continue;
        if (size == LONGEST_WORD) return 0;
        word[size] = oak_lower(text[i]);
        *hash = *hash * 31 + (uint8_t)word[size++];
    }
    word[size] = 0;
    return size;
}

int kit_find_word(const struct kit_tables *tables, const char *text, size_t length)
{
    char word[LONGEST_WORD + 1];
    unsigned hash;
    if (length > 2 * LONGEST_WORD || !plain(text, length, word, &hash)) return -1;
    for (;; hash++) {
        unsigned number = tables->word_index[hash & 255];
        if (!number) return -1;
        if (oak_same(tables->word[number - 1], word)) return (int)number - 1;
    }
}

static uint8_t add_word(struct kit_tables *tables, const char *text)
{
    char word[LONGEST_WORD + 1];
    unsigned hash;
    int found = kit_find_word(tables, text, oak_length(text));
    if (found >= 0) return (uint8_t)found;
    OAK_INVARIANT(tables->word_count < KIT_MOST_WORDS && oak_length(text) <= LONGEST_WORD);
    if (tables->word_count == KIT_MOST_WORDS || !plain(text, oak_length(text), word, &hash)) return 0;
    tables->word[tables->word_count++] = text;
    if (oak_length(word) > tables->longest_word) tables->longest_word = (uint8_t)oak_length(word);
    tables->opens_word[(uint8_t)*text] = true;
    while (tables->word_index[hash & 255]) hash++;
    tables->word_index[hash & 255] = (uint8_t)tables->word_count;
    return (uint8_t)(tables->word_count - 1);
}

static bool has_value(const char *shape)
{
    for (; *shape; shape++)
        if (shape[0] == '{' && shape[1] == '}') return true;
    return false;
}

static const char *copy_text(struct kit_tables *tables, char **room, const char *text, size_t length)
{
    char *copy = *room;
    memcpy(copy, text, length);
    copy[length] = 0;
    *room += length + 1;
    (void)tables;
    return copy;
}

/* Words of a class without a value: its shape with each name in it. */
static void add_names(struct kit_tables *tables, unsigned number, char **room)
{
    const kit_class *class = &tables->language->classes[number];
    const char *hole = class->shape;
    while (*hole && !(hole[0] == '<' && hole[1] == '>')) hole++;
    memset(tables->name_of_word[number], -1, sizeof tables->name_of_word[number]);
    if (class->field == KIT_LISTED) return; /* they are numbers */
    for (unsigned i = 0; class->names && class->names[i]; i++) {
        if (!*class->names[i]) continue;
        char whole[40];
        const char *text = class->names[i];
        if (!has_value(class->shape) && class->shape[2]) { /* more than <> */
            oak_format(whole, sizeof whole, "%.*s%s%s", (int)(hole - class->shape), class->shape, text,
                       *hole ? hole + 2 : "");
            text = whole;
        }
        int word = kit_find_word(tables, text, oak_length(text));
        if (word < 0)
            word = add_word(tables, text == whole ? copy_text(tables, room, whole, oak_length(whole)) : text);
        tables->name_of_word[number][word] = (int8_t)i;
    }
}

static uint8_t add_shape(struct kit_tables *tables, const char *shape)
{
    for (unsigned i = 0; i < tables->shape_count; i++)
        if (oak_same(tables->shape[i], shape)) return (uint8_t)(i + 1);
    OAK_INVARIANT(tables->shape_count < KIT_MOST_SHAPES);
    if (tables->shape_count < KIT_MOST_SHAPES) tables->shape[tables->shape_count++] = shape;
    return (uint8_t)tables->shape_count;
}

const kit_class *kit_class_at(const struct kit_tables *tables, unsigned row, unsigned operand)
{
    uint8_t number = tables->row[row].class_of[operand];
    return number ? &tables->language->classes[number - 1] : NULL;
}

/* ------------------------------------------------------------------------------------------ opening */

static unsigned hash_of(const char *text, size_t length)
{
    unsigned hash = 0;
    for (size_t i = 0; i < length; i++) hash = hash * 31 + (uint8_t)oak_lower(text[i]);
    return hash + (hash >> 10);
}

static int find_mnemonic(const struct kit_tables *tables, const char *text, size_t length, unsigned *slot)
{
    for (*slot = hash_of(text, length) % KIT_MNEMONIC_INDEX;; *slot = (*slot + 1) % KIT_MNEMONIC_INDEX) {
        unsigned number = tables->mnemonic_index[*slot];
        if (!number) return -1;
        if (oak_same_name(text, length, tables->mnemonic[number - 1])) return (int)number - 1;
    }
}

static uint16_t add_mnemonic(struct kit_tables *tables, const char *name)
{
    unsigned slot;
    int found = find_mnemonic(tables, name, oak_length(name), &slot);
    if (found >= 0) return (uint16_t)found;
    OAK_INVARIANT(tables->mnemonic_count < KIT_MOST_MNEMONICS);
    uint16_t number = tables->mnemonic_count++;
    tables->mnemonic[number] = name;
    tables->first_row[number] = KIT_NO_ROW;
    tables->mnemonic_index[slot] = tables->mnemonic_count;
    return number;
}

/* The number + 1 of a class, 0 for a word. */
static uint8_t class_named(const struct kit_tables *tables, const char *text, size_t length)
{
    const kit_class *class = tables->language->classes;
    for (uint8_t i = 0; class[i].name; i++) {
        const char *name = class[i].name;
        size_t same = 0;
        while (same < length && name[same] == text[same]) same++;
        if (same == length && !name[same]) return (uint8_t)(i + 1);
    }
    return 0;
}

static void build_row(struct kit_tables *tables, unsigned number, char **room)
{
    const oak_insn_row *about = &tables->language->isa->rows[number];
    kit_shape_of_row *row = &tables->row[number];
    for (const char *p = about->operands; *p;) {
        const char *end = p;
        while (*end && !((end[0] == ',' || end[0] == ';') && end[1] == ' ')) end++;
        size_t length = (size_t)(end - p);
        uint8_t found = class_named(tables, p, length);
        unsigned place = row->count + row->copies;
        row->class_of[place] = found;
        if (!found) {
            int word = kit_find_word(tables, p, length);
            row->word_of[place] =
                word >= 0 ? (uint8_t)word : add_word(tables, copy_text(tables, room, p, length));
        }
        bool copy = p > about->operands && p[-2] == ';';
        if (copy) row->copies++;
        else row->count++;
        p = *end ? end + 2 : end;
    }
    if (row->count > tables->most_operands) tables->most_operands = row->count;
    row->mnemonic = add_mnemonic(tables, about->mnemonic);
    row->next = tables->first_row[row->mnemonic];
    tables->first_row[row->mnemonic] = (uint16_t)number;
}

static unsigned fixed_bits(uint64_t mask)
{
    unsigned count = 0;
    for (; mask; mask &= mask - 1) count++;
    return count;
}

static unsigned pattern_unit(const oak_isa *isa)
{
    return isa->pattern_unit > 1 ? isa->pattern_unit : 1;
}

/* A code may be this row, and is not only written so. */
static bool is_read(const struct kit_tables *tables, const oak_pattern *pattern)
{
    return !tables->language->longest || pattern->size <= tables->language->longest;
}

/* The byte that rows are found by: the first of their pattern, or of memory where patterns are shorter than their unit. */
static unsigned first_of(const struct kit_tables *tables, const oak_pattern *pattern)
{
    return tables->shortest < pattern_unit(tables->language->isa) ? 0 : 8u * (pattern->size - 1u);
}

/* Calls for every such byte that a row can have: its fixed bits with each value of the others. */
#define EACH_FIRST_BYTE(byte, pattern, shift)                                                                \
    for (unsigned free_ = ~(unsigned)((pattern)->mask >> (shift)) & 0xFF, bits_ = free_,                     \
                  byte = ((unsigned)((pattern)->fixed >> (shift)) & 0xFF) | bits_, more_ = 1;                \
         more_; more_ = bits_ != 0, bits_ = (bits_ - 1) & free_,                                             \
                  byte = ((unsigned)((pattern)->fixed >> (shift)) & 0xFF) | bits_)

/* Rows by the first byte of the pattern; those with more fixed bits are special cases of the others, and come first. */
static void build_index(struct kit_tables *tables, unsigned rows)
{
    uint16_t filled[256] = {0};
    for (unsigned byte = 0; byte < 256; byte++) filled[byte] = tables->first[byte];
    for (unsigned fixed = 8 * OAK_LONGEST_INSN + KIT_MOST_OPERANDS; fixed-- > 0;)
        for (unsigned i = 0; i < rows; i++) {
            if (tables->row[i].fixed != fixed) continue;
            const oak_pattern *pattern = &tables->row[i].pattern;
            if (!is_read(tables, pattern)) continue;
            EACH_FIRST_BYTE(byte, pattern, first_of(tables, pattern))
            tables->bucket[filled[byte]++] = (uint16_t)i;
        }
}

/* How many rows begin with each byte: where the index of each begins. Returns the entries of the index. */
static size_t count_entries(struct kit_tables *tables, unsigned rows)
{
    uint16_t count = 0;
    tables->shortest = (uint8_t)pattern_unit(tables->language->isa);
    for (unsigned i = 0; i < rows; i++) {
        oak_pattern_compile(tables->language->isa->rows[i].bits, &tables->row[i].pattern);
        tables->row[i].fixed = (uint8_t)fixed_bits(tables->row[i].pattern.mask);
        for (const char *p = tables->language->isa->rows[i].operands; *p; p++)
            tables->row[i].fixed = (uint8_t)(tables->row[i].fixed + (*p == ';')); /* a copy is fixed, too */
        const oak_pattern *pattern = &tables->row[i].pattern;
        if (is_read(tables, pattern) && pattern->size < tables->shortest) tables->shortest = pattern->size;
    }
    for (unsigned i = 0; i < rows; i++) {
        const oak_pattern *pattern = &tables->row[i].pattern;
        if (!is_read(tables, pattern)) continue;
        EACH_FIRST_BYTE(byte, pattern, first_of(tables, pattern)) tables->first[byte]++;
    }
    for (unsigned byte = 0; byte <= 256; byte++) {
        uint16_t here = tables->first[byte];
        tables->first[byte] = count;
        count = (uint16_t)(count + here);
    }
    return count;
}

/* Letters of words that are made. */
static size_t count_letters(const kit_language *language)
{
    size_t letters = 0;
    for (unsigned i = 0; i < language->isa->row_count; i++)
        letters += oak_length(language->isa->rows[i].operands) + 2;
    for (const kit_class *class = language->classes; class->name; class ++)
        for (unsigned i = 0; class->names && class->names[i]; i++)
            letters += oak_length(class->shape) + oak_length(class->names[i]) + 2;
    return letters;
}

oak_status kit_open_tables(const kit_language *language, const oak_host *host, oak_isa_tables **result)
{
    size_t rows = language->isa->row_count, letters = count_letters(language);
    struct kit_tables *tables =
        oak_take_zeroed(host, sizeof *tables + rows * sizeof(kit_shape_of_row) + letters);
    if (!tables) return OAK_NO_MEMORY;
    tables->language = language;
    tables->size = sizeof *tables + rows * sizeof(kit_shape_of_row) + letters;
    tables->row = (kit_shape_of_row *)(void *)(tables + 1);
    tables->entries = count_entries(tables, (unsigned)rows);
    tables->bucket = host->resize(host->context, NULL, 0, tables->entries * sizeof *tables->bucket);
    if (!tables->bucket) {
        kit_close_tables(host, (oak_isa_tables *)(void *)tables);
        return OAK_NO_MEMORY;
    }
    char *room = (char *)(tables->row + rows);
    tables->marks_only = true;
    for (uint8_t i = 0; language->classes[i].name; i++) {
        const char *shape = language->classes[i].shape;
        add_names(tables, i, &room);
        if (language->classes[i].bits) oak_pattern_compile(language->classes[i].bits, &tables->own_bits[i]);
        if (!has_value(shape)) continue;
        tables->shape_of_class[i] = add_shape(tables, shape);
        if (oak_same(shape, "{}")) tables->plain_shape = tables->shape_of_class[i];
        else if (oak_same(shape, "#{}")) tables->marked_shape = tables->shape_of_class[i];
        else if (shape[0] == '{' || shape[1] != '{' || shape[2] != '}' || shape[3])
            tables->marks_only = false;
    }
    for (unsigned i = (unsigned)rows; i-- > 0;) build_row(tables, i, &room);
    for (uint16_t i = 0; language->choices && language->choices[i].mnemonic; i++)
        tables->choice[add_mnemonic(tables, language->choices[i].mnemonic)] = (uint16_t)(i + 1);
    build_index(tables, (unsigned)rows);
    *result = (oak_isa_tables *)(void *)tables;
    return OAK_OK;
}

void kit_close_tables(const oak_host *host, oak_isa_tables *tables)
{
    if (!tables) return;
    const struct kit_tables *own = kit_tables_of(tables);
    if (own->bucket) host->resize(host->context, own->bucket, own->entries * sizeof *own->bucket, 0);
    host->resize(host->context, tables, own->size, 0);
}

int kit_mnemonic(const oak_isa_tables *opaque, const char *text, size_t length)
{
    unsigned slot;
    return length ? find_mnemonic(kit_tables_of(opaque), text, length, &slot) : -1;
}

bool kit_names_row(const oak_isa_tables *opaque, unsigned mnemonic, unsigned row)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    for (unsigned m = 0; m <= KIT_MOST_CHOICES; m++)
        for (unsigned one = kit_first_row(tables, mnemonic, m); one != KIT_NO_ROW;
             one = tables->row[one].next)
            if (one == row) return true;
    return false;
}

const char *kit_mnemonic_name(const oak_isa_tables *opaque, unsigned number)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    return number < tables->mnemonic_count ? tables->mnemonic[number] : NULL;
}

static unsigned unit_of(const struct kit_tables *tables)
{
    const oak_architecture *about = &tables->language->isa->about;
    return oak_unit_bytes(about, about->code_space);
}

unsigned kit_units_of(const struct kit_tables *tables, unsigned row)
{
    return tables->row[row].pattern.size / unit_of(tables);
}

unsigned kit_row_size(const oak_isa_tables *opaque, unsigned row)
{
    return kit_units_of(kit_tables_of(opaque), row);
}

/* ------------------------------------------------------------------------------------------ decoding */

/* The number that a text is. */
static int64_t number_of(const char *text)
{
    int64_t number = 0;
    for (const char *p = *text == '-' ? text + 1 : text; oak_is_digit(*p); p++)
        number = number * 10 + (*p - '0');
    return *text == '-' ? -number : number;
}

int kit_listed(const kit_class *class, int64_t number)
{
    int64_t mask = ((int64_t)1 << 8 * class->cells) - 1;
    if (number < -(mask + 1) / 2 || number > mask) return -1;
    for (int i = 0; class->names[i]; i++)
        if (*class->names[i] && !((number_of(class->names[i]) ^ number) & mask)) return i;
    return -1;
}

/* The register that a code names is there. */
static bool has_name(const kit_class *class, const oak_pattern *pattern, uint64_t word)
{
    if (!class->names) return true;
    if (class->field != KIT_LISTED) return kit_name_in(class, pattern, word) >= 0;
    uint32_t name = oak_pattern_get(pattern, class->value, word);
    for (uint32_t i = 0; i <= name; i++)
        if (!class->names[i] || (i == name && !*class->names[i])) return false;
    return true;
}

int kit_name_in(const kit_class *class, const oak_pattern *pattern, uint64_t word)
{
    uint32_t code = oak_pattern_get(pattern, class->letter, word);
    for (uint32_t i = 0; class->names[i]; i++)
        if ((class->codes ? class->codes[i] : i) == code) return *class->names[i] ? (int)i : -1;
    return -1;
}

/* The number of a bit, as `order` has it. */
static unsigned bit_of(char digit)
{
    return (unsigned)(oak_is_digit(digit) ? digit - '0' : digit - 'a' + 10);
}

uint32_t kit_in_order(const kit_class *class, uint32_t field, unsigned width)
{
    uint32_t code = 0;
    if (!class->order) return field;
    for (unsigned i = 0; i < width; i++) code = code << 1 | (field >> bit_of(class->order[i]) & 1);
    return code;
}

uint32_t kit_out_of_order(const kit_class *class, uint32_t code, unsigned width)
{
    uint32_t field = 0;
    if (!class->order) return code;
    for (unsigned i = 0; i < width; i++) field |= (code >> (width - 1 - i) & 1) << bit_of(class->order[i]);
    return field;
}

char kit_own_letter(const struct kit_tables *tables, unsigned row, unsigned operand)
{
    char letter = 'x';
    for (unsigned i = 0; i < operand; i++) {
        const kit_class *class = kit_class_at(tables, row, i);
        letter = (char)(letter + (class && class->bits));
    }
    return letter;
}

kit_part kit_part_of(const struct kit_tables *tables, unsigned number, unsigned operand, uint64_t word)
{
    const kit_shape_of_row *row = &tables->row[number];
    uint8_t first = row->class_of[operand];
    kit_part part = {kit_class_at(tables, number, operand), &row->pattern, word, first, false};
    if (!part.class || !part.class->bits) return part;
    part.word = oak_pattern_get(&row->pattern, kit_own_letter(tables, number, operand), word);
    for (const char *name = part.class->name; part.class->name && oak_same(part.class->name, name);
         part.class ++, part.number++) {
        part.pattern = &tables->own_bits[part.number - 1];
        if (!((part.word ^ part.pattern->fixed) & part.pattern->mask) &&
            has_name(part.class, part.pattern, part.word))
            return part;
    }
    return (kit_part){NULL, &row->pattern, word, first, true};
}

/* Every register that a code names is there. */
static bool has_names(const struct kit_tables *tables, unsigned number, uint64_t word)
{
    for (unsigned k = 0; k < tables->row[number].count; k++) {
        kit_part part = kit_part_of(tables, number, k, word);
        if (part.odd || (part.class && !has_name(part.class, part.pattern, part.word))) return false;
    }
    return true;
}

/* Every operand that is the first one again is. */
static bool has_copies(const struct kit_tables *tables, unsigned number, uint64_t word, uint32_t address)
{
    const kit_shape_of_row *row = &tables->row[number];
    if (!row->copies) return true;
    kit_part first = kit_part_of(tables, number, 0, word);
    for (unsigned k = row->count; k < row->count + row->copies; k++) {
        kit_part copy = kit_part_of(tables, number, k, word);
        bool same_name = oak_pattern_get(&row->pattern, copy.class->letter, word) ==
                         oak_pattern_get(&row->pattern, first.class->letter, word);
        bool same_value =
            copy.class->field == KIT_NO_VALUE || kit_value_of(tables, number, k, &copy, address) ==
                                                     kit_value_of(tables, number, 0, &first, address);
        if (!same_name || !same_value) return false;
    }
    return true;
}

int64_t kit_field_at(const struct kit_tables *tables, char letter, const oak_pattern *pattern,
                     uint32_t address)
{
    for (unsigned i = 0; i < pattern->piece_count; i++)
        if (pattern->piece[i].letter == letter && !pattern->piece[i].field_bit)
            return (int64_t)address +
                   (pattern->size - (unsigned)(pattern->piece[i].word_bit + pattern->piece[i].width) / 8) /
                       unit_of(tables);
    return address;
}

int64_t kit_value_of(const struct kit_tables *tables, unsigned row, unsigned operand, const kit_part *part,
                     uint32_t address)
{
    const kit_class *class = part->class;
    const oak_pattern *pattern = part->pattern;
    unsigned width = oak_pattern_width(pattern, class->value);
    uint32_t field = kit_out_of_order(class, oak_pattern_get(pattern, class->value, part->word), width);
    const oak_architecture *about = &tables->language->isa->about;
    const kit_language *language = tables->language;
    bool paged = language->seen != NULL;
    int64_t end = paged ? language->span : (int64_t)about->spaces[about->code_space].end, offset = field,
            behind = language->own_distance ? 0 : kit_units_of(tables, row),
            next = ((int64_t)(paged ? language->seen(address) : address) + behind) % end;
    bool negative = width && width < 32 && field >> (width - 1) & 1;
    if (negative) offset -= (int64_t)1 << width;
    field <<= class->shift;
    if (class->field == KIT_LISTED) return number_of(class->names[field]);
    if (class->field == KIT_COUNT_UP) return field + 1;
    if (class->field == KIT_COUNT_DOWN) return ((int64_t)1 << width) - field;
    if (class->field == KIT_BEHIND) {
        int64_t seen = (next + (language->beside ? language->beside(row, operand) : 0) + offset + end) % end;
        return paged ? language->place(address, (uint32_t)seen) : seen;
    }
    if (class->field == KIT_NEAR)
        return (kit_field_at(tables, class->value, pattern, address) + offset + end) % end;
    if (class->field == KIT_PORT_CELL) return field + language->ports_from;
    if (class->field == KIT_END_CELL)
        return negative ? (int64_t)about->spaces[class->space].end + offset : offset;
    if (class->field == KIT_SIGNED)
        return width == 32 ? (int32_t)field : offset * ((int64_t)1 << class->shift);
    if (class->field == KIT_PARTS || class->field == KIT_TWO_PARTS) field -= field << 1 & 0x1000;
    if (class->field == KIT_RELATIVE ||
        class->field == KIT_TWO_PARTS) { /* the program counter wraps at the end of its space */
        int64_t target = next + (width == 32 ? (int32_t)field : offset * ((int64_t)1 << class->shift));
        target = target < 0 ? target + end : target >= end ? target - end : target;
        return paged ? language->place(address, (uint32_t)target) : target;
    }
    if (paged && (class->field == KIT_TARGET || class->field == KIT_CELL))
        return language->place(address, field);
    if (class->field == KIT_PAGE) return (next >> width << width) | field;
    return field;
}

oak_status kit_decode(const oak_isa_tables *opaque, const uint8_t *bytes, size_t available, uint32_t address,
                      uint32_t state, oak_decoded *decoded)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    const kit_language *language = tables->language;
    (void)state;
    *decoded = (oak_decoded){.address = address, .size = 1};
    const oak_isa *isa = language->isa;
    unsigned least = tables->shortest, unit = pattern_unit(isa);
    bool mixed = least < unit; /* what is there of a code is then its lower end */
    if (available < least) return OAK_OUT_OF_RANGE;
    uint64_t first = oak_gather(isa, bytes, least);
    unsigned byte = mixed ? bytes[0] : (unsigned)(first >> (8 * (least - 1)));
    decoded->word = first;
    bool short_of = false;
    for (unsigned i = tables->first[byte]; i < tables->first[byte + 1]; i++) {
        const kit_shape_of_row *row = &tables->row[tables->bucket[i]];
        const oak_pattern *pattern = &row->pattern;
        bool fits = pattern->size <= available;
        unsigned seen = fits ? pattern->size : (unsigned)(available / least * least);
        unsigned unseen = mixed ? 0 : 8u * (pattern->size - seen);
        uint64_t word = oak_gather(isa, bytes, seen),
                 there = mixed && !fits ? ((uint64_t)1 << 8 * seen) - 1 : UINT64_MAX;
        if ((word ^ pattern->fixed >> unseen) & (pattern->mask >> unseen) & there) continue;
        if (!fits) {
            short_of = true;
            continue;
        }
        if (!has_names(tables, tables->bucket[i], word) ||
            !has_copies(tables, tables->bucket[i], word, address))
            continue;
        const oak_insn_row *about = &language->isa->rows[tables->bucket[i]];
        *decoded = (oak_decoded){.row = tables->bucket[i],
                                 .size = (uint8_t)(pattern->size / unit_of(tables)),
                                 .cycles = about->cycles,
                                 .flow = (oak_flow)about->flow,
                                 .address = address,
                                 .word = word,
                                 .oddly = oak_pattern_get(pattern, '-', word) != 0};
        for (unsigned k = 0; k < row->count; k++) {
            kit_part part = kit_part_of(tables, decoded->row, k, word);
            if (!part.class || (part.class->field < KIT_TARGET && !part.class->points)) continue;
            uint32_t value = (uint32_t)kit_value_of(tables, decoded->row, k, &part, address);
            if (part.class->points) decoded->may_point = true, decoded->data = value;
            else decoded->has_target = true, decoded->target = value;
        }
        return OAK_OK;
    }
    return short_of ? OAK_OUT_OF_RANGE : OAK_REFUSED;
}

bool kit_number_among(const oak_isa_tables *opaque, const oak_decoded *decoded, int64_t *number)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    for (unsigned i = 0; i < tables->row[decoded->row].count; i++) {
        kit_part part = kit_part_of(tables, decoded->row, i, decoded->word);
        if (!part.class || !part.class->field || part.class->field >= KIT_TARGET) continue;
        *number = kit_value_of(tables, decoded->row, i, &part, decoded->address);
        return true;
    }
    return false;
}

uint32_t kit_field_of(const oak_isa_tables *tables, const oak_decoded *decoded, char letter)
{
    return oak_pattern_get(&kit_tables_of(tables)->row[decoded->row].pattern, letter, decoded->word);
}

static void print_value(const kit_language *language, const kit_class *class, const oak_namer *namer,
                        int64_t value, unsigned width, oak_buf *out)
{
    if (language->print && language->print(class, (uint32_t)value, namer, out)) return;
    unsigned space = class->field >= KIT_TARGET ? language->isa->about.code_space
                     : language->space_of       ? language->space_of(class, (uint32_t)value)
                                                : class->space;
    uint32_t whole = (uint32_t)value;
    if (class->window && namer && namer->whole) {
        if (!namer->whole(namer->context, space, &whole)) space = 0;
        value = whole;
    }
    const char *name =
        space && namer && namer->name ? namer->name(namer->context, space, (uint32_t)value) : NULL;
    unsigned digits = class->field >= KIT_TARGET ? 4 : (width + 3) / 4;
    if (class->field == KIT_PORT_CELL) value -= language->ports_from; /* as a plain number is read */
    if (name) oak_buf_text(out, name);
    else if (class->field == KIT_SIGNED || width <= 3) oak_buf_format(out, "%lld", (long long)value);
    else oak_buf_format(out, "0x%0*llx", (int)digits, (unsigned long long)value);
}

void kit_print(const oak_isa_tables *opaque, const oak_decoded *decoded, const oak_namer *namer, oak_buf *out)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    const kit_shape_of_row *row = &tables->row[decoded->row];
    oak_buf_text(out, tables->language->isa->rows[decoded->row].mnemonic);
    for (unsigned i = 0; i < row->count; i++) {
        kit_part part = kit_part_of(tables, decoded->row, i, decoded->word);
        const kit_class *class = part.class;
        oak_buf_text(out, i ? ", " : " ");
        if (!class) {
            oak_buf_text(out, tables->word[row->word_of[i]]);
            continue;
        }
        for (const char *p = class->shape; *p; p++) {
            bool hole = (p[0] == '{' && p[1] == '}') || (p[0] == '<' && p[1] == '>');
            if (!hole) {
                oak_buf_char(out, *p);
                continue;
            }
            if (*p++ == '<') oak_buf_text(out, class->names[kit_name_in(class, part.pattern, part.word)]);
            else
                print_value(tables->language, class, namer,
                            class->field == KIT_TARGET && decoded->has_target
                                ? decoded->target
                                : kit_value_of(tables, decoded->row, i, &part, decoded->address),
                            oak_pattern_width(part.pattern, class->value), out);
        }
    }
}

/* Where the lowest bits of a field lie: the number of their word, from 1. */
static unsigned word_of_field(const kit_shape_of_row *row, char letter, unsigned unit)
{
    for (unsigned i = 0; i < row->pattern.piece_count; i++) {
        const struct oak_pattern_piece *piece = &row->pattern.piece[i];
        if (piece->letter == letter && !piece->field_bit)
            return (row->pattern.size - piece->word_bit / 8u - 1) / unit + 1;
    }
    return 1;
}

void kit_tell_fields(const oak_isa_tables *opaque, const oak_decoded *decoded, const oak_namer *namer,
                     oak_buf *out)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    const kit_shape_of_row *row = &tables->row[decoded->row];
    unsigned unit = tables->language->isa->pattern_unit > 1 ? tables->language->isa->pattern_unit : 1;
    for (unsigned i = 0; i < row->count; i++) {
        kit_part part = kit_part_of(tables, decoded->row, i, decoded->word);
        const kit_class *class = part.class;
        char own = class && class->bits ? kit_own_letter(tables, decoded->row, i) : 0;
        unsigned at = class && class->value ? word_of_field(row, own ? own : class->value, unit) : 1,
                 width = class && class->value ? oak_pattern_width(part.pattern, class->value) : 0;
        if (at < 2) continue;
        uint32_t field = oak_pattern_get(part.pattern, class->value, part.word),
                 value = (uint32_t)kit_value_of(tables, decoded->row, i, &part, decoded->address);
        bool leads = class->field == KIT_NEAR || class->field == KIT_BEHIND || class->field == KIT_RELATIVE,
             address = class->field >= KIT_TARGET || class->touch == KIT_TOUCH_CELL;
        oak_buf_format(out, "  %c         0x%0*x, %s %u: ", own ? own : class->value, (int)(width + 3) / 4,
                       (unsigned)field, unit > 1 ? "word" : "byte", at);
        if (leads) oak_buf_format(out, "a distance, it leads to 0x%04x", (unsigned)value);
        else if (class->touch >= KIT_TOUCH_POINTED && class->names)
            oak_buf_format(out, "%d from %s", width == 16 ? (int)(int16_t)value : (int)value,
                           class->names[kit_name_in(class, part.pattern, part.word)]);
        else oak_buf_format(out, address ? "the address 0x%04x" : "the number %u", (unsigned)value);
        unsigned space = class->space ? class->space : tables->language->isa->about.code_space;
        const char *name = address ? namer->name(namer->context, space, value) : NULL;
        if (name) oak_buf_format(out, ", %s", name);
        oak_buf_char(out, '\n');
    }
}
