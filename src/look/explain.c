/* explain.c — what an instruction is, from the rows of its table. */
#include <oakspindle/look.h>

#include "base/bytes.h"
#include "isa/isa.h"
#include "part/naming.h"

/* The bits of a row as a drawing:   | 1 1 0 1 1 n n n | r r r r r r r r |   with values where the word is known. */
static void draw_bits(oak_buf *buf, const oak_insn_row *row, const oak_decoded *here)
{
    unsigned bit = 0;
    oak_buf_text(buf, "  bits      |");
    for (const char *p = row->bits; *p; p++) {
        if (*p == ' ') continue;
        oak_buf_format(buf, " %c", *p);
        if (++bit % 8 == 0) oak_buf_text(buf, " |");
    }
    oak_buf_char(buf, '\n');
    if (!here) return;
    oak_buf_text(buf, "  here      |");
    for (unsigned i = 0; i < bit; i++) {
        oak_buf_format(buf, " %u", (unsigned)(here->word >> (bit - 1 - i)) & 1u);
        if (i % 8 == 7) oak_buf_text(buf, " |");
    }
    oak_buf_char(buf, '\n');
}

/* The letter of a bit of a row, counted from its last. */
static char letter_of(const oak_insn_row *row, unsigned bit)
{
    unsigned left = bit + 1;
    const char *p = row->bits + oak_length(row->bits);
    while (p > row->bits && left) left -= *--p != ' ';
    return *p;
}

/* Where one bit of a target comes from: a letter of the code, P what is selected, * where the next instruction lies, 0 nothing. */
typedef struct target_bit {
    char from;
    unsigned step; /* of the selector, for P */
} target_bit;

static bool flips(uint32_t a, uint32_t b, unsigned bit)
{
    return (a ^ b) == (uint32_t)1 << bit;
}

static target_bit origin_of(const oak_isa *isa, const oak_isa_tables *tables, const oak_insn_row *row,
                            const oak_decoded *example, unsigned pattern_bytes, unsigned bit)
{
    const oak_selector *selector = isa->selector;
    unsigned code = isa->about.code_space;
    for (unsigned s = 0; selector && s < selector->step_count; s++) {
        oak_selected zero = {~(uint32_t)0, 0, 0}, one = zero;
        uint32_t a = example->target, b = a;
        oak_select(&one, selector->steps[s].mask, selector->steps[s].mask);
        if (selector->steps[s].space == code && selector->steps[s].one && selector->whole(&zero, code, &a) &&
            selector->whole(&one, code, &b) && flips(a, b, bit))
            return (target_bit){'P', s};
    }
    oak_decoded other;
    uint8_t bytes[OAK_LONGEST_INSN];
    for (unsigned i = 0; i < 8 * pattern_bytes; i++) {
        if (letter_of(row, i) == '0' || letter_of(row, i) == '1') continue;
        oak_lay_down(isa, example->word ^ (uint64_t)1 << i, pattern_bytes, bytes);
        if (isa->decode(tables, bytes, pattern_bytes, example->address, 0, &other) == OAK_OK &&
            other.has_target && flips(other.target, example->target, bit))
            return (target_bit){letter_of(row, i), 0};
    }
    oak_lay_down(isa, example->word, pattern_bytes, bytes);
    bool moved = isa->decode(tables, bytes, pattern_bytes, example->address ^ (uint32_t)1 << bit, 0,
                             &other) == OAK_OK &&
                 flips(other.target, example->target, bit);
    return (target_bit){moved ? '*' : '0', 0};
}

/* What a target is put together from, where each bit of it comes from one place:   | P P a a a | a a a a a a a a | */
static void draw_target(oak_buf *buf, const oak_isa *isa, const oak_isa_tables *tables,
                        const oak_insn_row *row, const oak_decoded *example, unsigned pattern_bytes)
{
    enum { MOST = 32 };
    target_bit from[MOST];
    unsigned width = 0, letters = 0, selected = 0, last = 0;
    uint64_t end = isa->about.spaces[isa->about.code_space].end;
    while (width < MOST && end >> (width + 1)) width++;
    oak_decoded moved;
    uint8_t bytes[OAK_LONGEST_INSN];
    oak_lay_down(isa, example->word, pattern_bytes, bytes);
    if (isa->decode(tables, bytes, pattern_bytes, example->address + 4, 0, &moved) ||
        moved.target != example->target)
        return; /* a distance */
    bool next = false, small = false, capital = false, zero = false;
    for (unsigned bit = 0; bit < width; bit++) {
        from[bit] = origin_of(isa, tables, row, example, pattern_bytes, bit);
        if (from[bit].from == 'P') selected++, last = last < bit && selected > 1 ? last : bit;
        else if (from[bit].from == '*') next = true;
        else letters += from[bit].from != '0';
        small |= from[bit].from >= 'a', capital |= from[bit].from >= 'A' && from[bit].from < 'P';
        zero |= from[bit].from == '0';
    }
    bool pieces = small && capital;
    if (!letters || (!pieces && (letters == width || (!next && !selected))))
        return; /* added up, or as it stands */
    while (width && from[width - 1].from == '0') width--;
    oak_buf_text(buf, "  target    |");
    for (unsigned bit = width; bit-- > 0;) oak_buf_format(buf, " %c%s", from[bit].from, bit % 8 ? "" : " |");
    oak_buf_text(buf, "\n");
    if (next) oak_buf_text(buf, "            *: as in the address of the next instruction\n");
    if (pieces) {
        const char *unit = isa->pattern_unit > 1 ? "word" : "byte";
        uint32_t parts[2] = {0, 0};
        for (unsigned bit = width; bit-- > 0;) {
            bool is_capital = from[bit].from >= 'A' && from[bit].from <= 'Z';
            if (from[bit].from != '0')
                parts[is_capital] = parts[is_capital] << 1 | (example->target >> bit & 1);
        }
        oak_buf_format(
            buf,
            "            capitals are bits of the last %s%s: 0x%x and 0x%02x make 0x%04x in the example\n",
            unit, zero ? ", 0 is always 0" : "", (unsigned)parts[1], (unsigned)parts[0],
            (unsigned)example->target);
    }
    if (!selected) return;
    oak_buf_text(buf, "            P:");
    for (unsigned bit = width; bit-- > 0;)
        if (from[bit].from == 'P') {
            const char *line = isa->selector->steps[from[bit].step].line;
            while (*line && *line != ' ') line++;
            oak_buf_format(buf, "%s%s", line, bit == last ? "" : " and");
        }
    uint32_t target = example->target;
    for (unsigned bit = 0; bit < width; bit++)
        if (from[bit].from == 'P') target &= ~((uint32_t)1 << bit);
    unsigned lowest = 0;
    while (from[lowest].from != 'P') lowest++;
    oak_buf_format(buf, ", which `page` sets: with the lowest of them set, this example goes to 0x%04x\n",
                   (unsigned)(target | (uint32_t)1 << lowest));
}

/* An instruction of the row as it may stand in a source: every field holds what fits of one number. */
static void write_example(oak_buf *buf, const oak_isa *isa, const oak_isa_tables *tables,
                          const oak_insn_row *row)
{
    enum { ADDRESS = 0x0100 };
    static const uint32_t samples[] = {0x25, 0x02, 0x01, 0x06, 0x48, 0x106, 0x1403};
    oak_pattern pattern;
    uint8_t bytes[OAK_LONGEST_INSN];
    oak_decoded decoded;
    oak_pattern_compile(row->bits, &pattern);
    /* The first filling of the fields that is defined and belongs to this row. */
    enum { TRIES = 200, SAMPLES = sizeof samples / sizeof *samples };
    bool found = false, capitals = false;
    for (const char *p = row->bits; *p; p++) capitals |= *p >= 'A' && *p <= 'Z';
    bool both =
        capitals && row->flow >= OAK_FLOW_BRANCH; /* a target in pieces: bits of each are to be seen */
    for (unsigned attempt = both ? SAMPLES - 1 : 0; attempt < TRIES && !found; attempt++) {
        uint64_t word = pattern.fixed;
        for (unsigned i = 0; i < pattern.piece_count; i++) {
            bool first = true;
            for (unsigned k = 0; k < i; k++)
                first = first && pattern.piece[k].letter != pattern.piece[i].letter;
            if (first)
                word |= oak_pattern_put(&pattern, pattern.piece[i].letter,
                                        samples[(attempt / SAMPLES * (i + 1) + attempt) % SAMPLES]);
        }
        oak_lay_down(isa, word, pattern.size, bytes);
        found = isa->decode(tables, bytes, pattern.size, ADDRESS, 0, &decoded) == OAK_OK &&
                &isa->rows[decoded.row] == row;
    }
    if (!found) return;
    if (decoded.has_target && decoded.flow != OAK_FLOW_BRANCH)
        draw_target(buf, isa, tables, row, &decoded, pattern.size);
    oak_buf_text(buf, "  example   ");
    isa->print(tables, &decoded, NULL, buf);
    oak_buf_text(buf, "   is");
    for (unsigned i = 0; i < pattern.size; i++) oak_buf_format(buf, " %02x", bytes[i]);
    oak_buf_format(buf, "%s\n", decoded.has_target || decoded.has_data ? " at 0x0100" : "");
}

static void write_row(oak_buf *buf, const oak_isa *isa, const oak_insn_row *row, const oak_decoded *here)
{
    unsigned bits = 0;
    for (const char *p = row->bits; *p; p++) bits += *p != ' ';
    oak_buf_format(buf, "%s%s%.*s\n  %s.\n", row->mnemonic, *row->operands ? " " : "",
                   (int)oak_shown_operands(row), row->operands, row->meaning);
    char taken[80] = "";
    const char *more = row->more_cycles ? row->more_cycles : "";
    if (row->taken)
        oak_format(taken, sizeof taken, ", %u when it %s", row->cycles + row->taken,
                   oak_returns((oak_flow)row->flow)       ? "returns"
                   : (oak_flow)row->flow == OAK_FLOW_CALL ? "calls"
                   : *row->operands                       ? "branches"
                                                          : "repeats");
    unsigned unit = oak_unit_bytes(&isa->about, isa->about.code_space), size = bits / 8 / unit;
    oak_buf_format(buf, "  size      %u %s%s, %u %s%s%s%s%s\n", size, unit > 1 ? "word" : "byte",
                   size == 1 ? "" : "s", row->cycles, isa->about.cycle_unit, row->cycles == 1 ? "" : "s",
                   taken, *more ? " " : "", more);
    oak_buf_format(buf, "  flags     %s\n", *row->flags ? row->flags : "none");
    draw_bits(buf, row, here);
}

static oak_status finish(oak_buf *buf, const oak_text_sink *out)
{
    oak_status status =
        buf->failed ? OAK_NO_MEMORY : out->write(out->context, oak_buf_string(buf), buf->size);
    oak_buf_close(buf);
    return status;
}

oak_status oak_explain_mnemonic(const oak_host *host, const oak_architecture *architecture, const char *word,
                                const oak_text_sink *out)
{
    if (!host || !architecture || !word || !out) return OAK_MISUSE;
    const oak_isa *isa = oak_isa_find(architecture->name);
    oak_buf buf;
    unsigned found = 0;
    oak_isa_tables *tables = NULL;
    oak_status opened = isa ? isa->open(host, &tables) : OAK_NOT_FOUND;
    if (opened) return opened;
    oak_buf_open(&buf, host);
    int number = isa->mnemonic(tables, word, oak_length(word));
    for (unsigned i = 0; i < isa->row_count; i++) {
        bool named = isa->names_row ? number >= 0 && isa->names_row(tables, (unsigned)number, i)
                                    : oak_same_name(word, oak_length(word), isa->rows[i].mnemonic);
        if (!named) continue;
        if (found++) oak_buf_char(&buf, '\n');
        write_row(&buf, isa, &isa->rows[i], NULL);
        write_example(&buf, isa, tables, &isa->rows[i]);
    }
    isa->close(host, tables);
    if (found) return finish(&buf, out);
    oak_buf_close(&buf);
    return OAK_NOT_FOUND;
}

typedef struct part_names {
    const oak_part *part;
    const oak_isa *isa;
    char text[96];
} part_names;

static const char *name_of(void *context, unsigned space, uint32_t address)
{
    part_names *self = context;
    return oak_part_name_of(self->part, self->isa, space, address, self->text, sizeof self->text);
}

static oak_status explain_one(const oak_host *host, const oak_part *part, const uint8_t *bytes, size_t count,
                              uint32_t address, bool placed, const oak_namer *namer, const oak_text_sink *out)
{
    const oak_isa *isa = oak_isa_find(part->architecture->name);
    oak_isa_tables *tables;
    oak_decoded decoded;
    oak_status status = isa->open(host, &tables);
    if (status) return status;
    status = isa->decode(tables, bytes, count, address, 0, &decoded);
    if (!status) {
        oak_buf buf;
        oak_buf_open(&buf, host);
        unsigned size = decoded.size * oak_unit_bytes(part->architecture, part->architecture->code_space);
        for (unsigned i = 0; i < size; i++) oak_buf_format(&buf, "%02x ", bytes[i]);
        oak_buf_text(&buf, " ");
        isa->print(tables, &decoded, namer, &buf);
        bool moved = !placed && (decoded.has_target || decoded.has_data);
        oak_buf_format(&buf, "%s\n\n", moved ? "   (as if it stood at address 0)" : "");
        write_row(&buf, isa, &isa->rows[decoded.row], &decoded);
        if (isa->tell_fields) isa->tell_fields(tables, &decoded, namer, &buf);
        status = finish(&buf, out);
    }
    isa->close(host, tables);
    return status;
}

oak_status oak_explain_bytes(const oak_host *host, const oak_part *part, const uint8_t *bytes, size_t count,
                             const oak_text_sink *out)
{
    if (!host || !part || (!bytes && count) || !out) return OAK_MISUSE;
    part_names names = {.part = part, .isa = oak_isa_find(part->architecture->name)};
    oak_namer namer = {.context = &names, .name = name_of};
    return explain_one(host, part, bytes, count, 0, false, &namer, out);
}

/* Labels of the program go before names of the part. */
typedef struct program_names {
    part_names of_part;
    const oak_program *program;
} program_names;

static const char *name_in_program(void *context, unsigned space, uint32_t address)
{
    program_names *self = context;
    const oak_symbol *label =
        space == self->of_part.isa->about.code_space ? oak_program_label_below(self->program, address) : NULL;
    return label && label->value == address ? label->name : name_of(&self->of_part, space, address);
}

oak_status oak_explain_at(const oak_program *program, uint32_t address, const oak_text_sink *out)
{
    if (!program || !out) return OAK_MISUSE;
    uint8_t bytes[16];
    const oak_part *part = oak_program_part(program);
    oak_host host = oak_program_host(program);
    program_names names = {{.part = part, .isa = oak_isa_find(part->architecture->name)}, program};
    oak_namer namer = {.context = &names, .name = name_in_program};
    unsigned unit = oak_unit_bytes(part->architecture, part->architecture->code_space);
    oak_image_read(oak_program_image((oak_program *)(uintptr_t)program), address * unit, 0xFF, bytes,
                   sizeof bytes);
    return explain_one(&host, part, bytes, sizeof bytes, address, true, &namer, out);
}
