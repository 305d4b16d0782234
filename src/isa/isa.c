/* isa.c — finding architectures, and bit patterns shared by all of them. */
#include "isa/isa.h"

#include "base/bytes.h"
#include "base/invariant.h"

const oak_isa *oak_isa_at(unsigned index)
{
    for (unsigned i = 0; oak_isa_list[i]; i++)
        if (!index--) return oak_isa_list[i];
    return NULL;
}

const oak_isa *oak_isa_find(const char *name)
{
    for (unsigned i = 0; oak_isa_list[i]; i++)
        if (oak_same(oak_isa_list[i]->about.name, name)) return oak_isa_list[i];
    return NULL;
}

const oak_architecture *oak_architecture_find(const char *name)
{
    if (!name) return NULL;
    const oak_isa *isa = oak_isa_find(name);
    return isa ? &isa->about : NULL;
}

const oak_architecture *oak_architecture_at(unsigned index)
{
    const oak_isa *isa = oak_isa_at(index);
    return isa ? &isa->about : NULL;
}

bool oak_remedy_for(const oak_remedy *remedies, const char *letters, size_t kinds, const char *mnemonic,
                    unsigned count, const uint8_t *kind, oak_refusal *why)
{
    for (; remedies->mnemonic; remedies++) {
        const char *operands = remedies->operands;
        bool fits = oak_same(mnemonic, remedies->mnemonic) && oak_length(operands) == count;
        for (unsigned k = 0; k < count && fits; k++)
            fits = operands[k] == '*' || (kind[k] < kinds && letters[kind[k]] == operands[k]);
        if (!fits) continue;
        oak_format(why->hint, sizeof why->hint, "%s", remedies->hint);
        why->has_edit = false;
        return true;
    }
    return false;
}

static bool is_capital(char c)
{
    return c >= 'A' && c <= 'Z';
}

/* The letters of a field, counted over the whole pattern, give its width; the first letter met is its highest bit. A capital
 * stands for a bit above all those of the small letter: of a number whose low byte comes first. */
void oak_pattern_compile(const char *bits, oak_pattern *pattern)
{
    uint8_t width[128] = {0};
    struct oak_pattern_piece *piece = NULL;
    unsigned length = 0, run = 0;
    uint64_t fixed = 0, mask = 0;
    char before = 0;
    bool capitals = false;
    *pattern = (oak_pattern){0};
    for (const char *p = bits; *p; p++) { /* pieces by where they begin, from the left, until all is known */
        char letter = *p;
        if (letter == ' ') continue;
        bool digit = letter == '0' || letter == '1';
        fixed = fixed << 1 | (letter == '1'), mask = mask << 1 | digit;
        length++;
        if (letter == before) {
            run++;
            continue;
        }
        if (piece) piece->width = (uint8_t)run, width[before & 127] = (uint8_t)(width[before & 127] + run);
        before = letter, run = 1;
        piece = NULL;
        if (digit) continue;
        OAK_INVARIANT(pattern->piece_count < OAK_MOST_PIECES);
        piece = pattern->piece + pattern->piece_count++;
        piece->letter = letter, piece->field_bit = width[letter & 127];
        piece->word_bit = (uint8_t)(length - 1);
        capitals |= is_capital(letter);
    }
    if (piece) piece->width = (uint8_t)run, width[before & 127] = (uint8_t)(width[before & 127] + run);
    pattern->fixed = fixed, pattern->mask = mask;
    OAK_INVARIANT(length % 8 == 0 && length <= 8 * OAK_LONGEST_INSN);
    pattern->size = (uint8_t)(length / 8);
    for (unsigned i = 0; i < pattern->piece_count; i++) {
        piece = &pattern->piece[i];
        bool capital = capitals && is_capital(piece->letter);
        unsigned all = width[piece->letter & 127];
        if (capital) piece->letter = oak_lower(piece->letter), all += width[piece->letter & 127];
        piece->field_bit = (uint8_t)(all - piece->field_bit - piece->width);
        piece->word_bit = (uint8_t)(length - piece->word_bit - piece->width);
    }
}

static uint64_t low_bits(unsigned width)
{
    return width >= 64 ? UINT64_MAX : ((uint64_t)1 << width) - 1;
}

uint64_t oak_pattern_put(const oak_pattern *pattern, char letter, uint32_t field)
{
    uint64_t word = 0;
    for (unsigned i = 0; i < pattern->piece_count; i++) {
        const struct oak_pattern_piece *piece = &pattern->piece[i];
        if (piece->letter == letter)
            word |= (field >> piece->field_bit & low_bits(piece->width)) << piece->word_bit;
    }
    return word;
}

uint32_t oak_pattern_get(const oak_pattern *pattern, char letter, uint64_t word)
{
    uint64_t field = 0;
    for (unsigned i = 0; i < pattern->piece_count; i++) {
        const struct oak_pattern_piece *piece = &pattern->piece[i];
        if (piece->letter == letter)
            field |= (word >> piece->word_bit & low_bits(piece->width)) << piece->field_bit;
    }
    return (uint32_t)field;
}

unsigned oak_pattern_width(const oak_pattern *pattern, char letter)
{
    unsigned width = 0;
    for (unsigned i = 0; i < pattern->piece_count; i++)
        if (pattern->piece[i].letter == letter) width += pattern->piece[i].width;
    return width;
}

/* Where the byte `i` of a pattern of so many bytes lies. */
static unsigned place_of(const oak_isa *isa, unsigned i, unsigned size)
{
    unsigned unit = isa->pattern_unit > 1 ? isa->pattern_unit : 1;
    if (unit > size) unit = size;
    return i / unit * unit + (unit - 1 - i % unit);
}

void oak_lay_down(const oak_isa *isa, uint64_t word, unsigned size, uint8_t *bytes)
{
    for (unsigned i = size; i-- > 0; word >>= 8) bytes[place_of(isa, i, size)] = (uint8_t)word;
}

uint64_t oak_gather(const oak_isa *isa, const uint8_t *bytes, unsigned size)
{
    uint64_t word = 0;
    for (unsigned i = 0; i < size; i++) word = word << 8 | bytes[place_of(isa, i, size)];
    return word;
}

unsigned oak_touch(oak_watched *list, unsigned count, unsigned room, const oak_watched *one)
{
    for (unsigned i = 0; i < count; i++) {
        const oak_watched *other = &list[i];
        if (other->space != one->space || other->address != one->address || other->size != one->size ||
            other->bits != one->bits)
            continue;
        list[i].accesses |= one->accesses;
        return count;
    }
    if (count == room) return count;
    list[count] = *one;
    return count + 1;
}
