/* listing.c — the listing: what the source became. */
#include "asm/program.h"
#include "base/bytes.h"
#include "base/text.h"

enum { BYTES_A_LINE = 4 };

typedef struct listing {
    const oak_program *program;
    oak_buf buf;
    const oak_text_sink *out;
    oak_status status;
} listing;

static void flush(listing *self)
{
    if (self->status) return;
    if (self->buf.failed) self->status = OAK_NO_MEMORY;
    else self->status = self->out->write(self->out->context, self->buf.bytes, self->buf.size);
    self->buf.size = 0;
}

static void show_bytes(listing *self, uint32_t address, uint32_t count)
{
    for (uint32_t i = 0; i < BYTES_A_LINE; i++) {
        uint8_t byte;
        if (i < count && oak_image_byte(self->program->image, address + i, &byte))
            oak_buf_format(&self->buf, "%02X ", byte);
        else oak_buf_text(&self->buf, "   ");
    }
}

/* line, address, bytes, cycles: the columns before the source. */
static void show_record(listing *self, uint32_t line, const oak_record *record)
{
    oak_buf *buf = &self->buf;
    unsigned code = self->program->part->architecture->code_space;
    oak_buf_format(buf, "%6u  ", line);
    if (!record) {
        oak_buf_repeat(buf, ' ', 6 + 2 + 3 * BYTES_A_LINE + 6);
        return;
    }
    if (record->kind == OAK_RECORD_VALUE) {
        char value[32];
        if (record->at < 0) oak_format(value, sizeof value, "= %lld", (long long)record->at);
        else oak_format(value, sizeof value, "= 0x%llx", (unsigned long long)record->at);
        oak_buf_format(buf, "        %-*s", 3 * BYTES_A_LINE + 6, value);
        return;
    }
    const char *space =
        record->space == code ? "" : self->program->part->architecture->spaces[record->space].name;
    if (*space)
        oak_buf_format(buf, "%04llx %-*s", (unsigned long long)record->at, 3 + 3 * BYTES_A_LINE, space);
    else {
        oak_buf_format(buf, "0x%04llx  ", (unsigned long long)record->at);
        show_bytes(self, (uint32_t)record->at, record->kind <= OAK_RECORD_DATA ? record->size : 0);
    }
    if (record->cycles) oak_buf_format(buf, "%4u  ", record->cycles);
    else oak_buf_text(buf, "      ");
}

static void show_rest_of_data(listing *self, const oak_record *record)
{
    for (uint32_t done = BYTES_A_LINE; done < record->size; done += BYTES_A_LINE) {
        oak_buf_format(&self->buf, "        0x%04llx  ", (unsigned long long)record->at + done);
        show_bytes(self, (uint32_t)record->at + done, record->size - done);
        while (self->buf.size && self->buf.bytes[self->buf.size - 1] == ' ') self->buf.size--;
        oak_buf_char(&self->buf, '\n');
    }
}

/* Lines in the order in which they were read: what an include, a macro or a repetition brought stands behind its line,
 * marked with + where it is new text. */
static void list_lines(listing *self)
{
    const oak_program *program = self->program;
    size_t next = 0;
    uint16_t file = 0;
    for (uint32_t place = 0; place < program->source_count; place++) {
        const oak_source_line *line = &program->source[place];
        if (line->file != file && !line->expanded) {
            file = line->file;
            oak_buf_format(&self->buf, "\n%s\n\n", program->files[file].name);
        }
        /* Of the statements of one line the last is shown. */
        const oak_record *shown = NULL;
        for (; next < program->record_count && program->records[next].place == place; next++)
            shown = &program->records[next];
        show_record(self, line->line, shown);
        if (line->expanded) oak_buf_text(&self->buf, "+ ");
        oak_buf_add(&self->buf, line->text, line->size);
        while (self->buf.size && self->buf.bytes[self->buf.size - 1] == ' ') self->buf.size--;
        oak_buf_char(&self->buf, '\n');
        if (shown && shown->kind == OAK_RECORD_DATA && shown->size <= 4096) show_rest_of_data(self, shown);
        if (self->buf.size > 32768) flush(self);
    }
}

static void list_symbols(listing *self)
{
    static const char *const kinds[] = {"label", "constant", "variable"};
    const oak_program *program = self->program;
    oak_buf_format(&self->buf, "\n%-24s %-10s %-8s %6s %6s\n", "symbol", "value", "kind", "line", "uses");
    uint32_t *order = NULL;
    if (!self->status) self->status = oak_program_sorted(program, &order);
    for (size_t i = 0; order && i < program->symbol_count; i++) {
        const oak_symbol *symbol = &program->symbols[order[i]];
        char value[40];
        const char *space = symbol->space ? program->part->architecture->spaces[symbol->space].name : "";
        if (symbol->value < 0) oak_format(value, sizeof value, "%lld", (long long)symbol->value);
        else oak_format(value, sizeof value, "0x%04llx", (unsigned long long)symbol->value);
        oak_buf_format(&self->buf, "%-24s %-10s %-8s %6u %6u  %s\n", symbol->name, value, kinds[symbol->kind],
                       symbol->line, symbol->uses, space);
        if (self->buf.size > 32768) flush(self);
    }
    oak_release(&program->host, order, program->symbol_count + 1, sizeof *order);
}

oak_status oak_program_write_listing(const oak_program *program, const oak_text_sink *out)
{
    if (!program->file_count) return OAK_NOT_FOUND;
    listing self = {.program = program, .out = out};
    oak_buf_open(&self.buf, &program->host);
    oak_buf_format(&self.buf, "%s for %s\n\n  line  address bytes      cycles  source\n",
                   program->files[0].name, program->part->name);
    list_lines(&self);
    list_symbols(&self);
    flush(&self);
    oak_buf_close(&self.buf);
    return self.status;
}
