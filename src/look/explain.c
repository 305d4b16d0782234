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
    bool found = false;
    for (unsigned attempt = 0; attempt < TRIES && !found; attempt++) {
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
    oak_buf_format(buf, "%s%s%s\n  %s.\n", row->mnemonic, *row->operands ? " " : "", row->operands,
                   row->meaning);
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
    if (space == self->part->architecture->code_space) return NULL;
    return oak_part_name_of(self->part, self->isa, space, address, self->text, sizeof self->text);
}

oak_status oak_explain_bytes(const oak_host *host, const oak_part *part, const uint8_t *bytes, size_t count,
                             const oak_text_sink *out)
{
    const oak_isa *isa = oak_isa_find(part->architecture->name);
    oak_isa_tables *tables;
    oak_decoded decoded;
    oak_status status = isa->open(host, &tables);
    if (status) return status;
    status = isa->decode(tables, bytes, count, 0, 0, &decoded);
    if (!status) {
        oak_buf buf;
        part_names names = {.part = part, .isa = isa};
        oak_namer namer = {.context = &names, .name = name_of};
        oak_buf_open(&buf, host);
        unsigned size = decoded.size * oak_unit_bytes(part->architecture, part->architecture->code_space);
        for (unsigned i = 0; i < size; i++) oak_buf_format(&buf, "%02x ", bytes[i]);
        oak_buf_text(&buf, " ");
        isa->print(tables, &decoded, &namer, &buf);
        oak_buf_format(&buf, "%s\n\n",
                       decoded.has_target || decoded.has_data ? "   (as if it stood at address 0)" : "");
        write_row(&buf, isa, &isa->rows[decoded.row], &decoded);
        status = finish(&buf, out);
    }
    isa->close(host, tables);
    return status;
}
