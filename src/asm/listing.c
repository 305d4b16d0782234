/* listing.c — the listing: what the source became. */
#include "asm/program.h"
#include "base/bytes.h"
#include "base/text.h"
#include "isa/isa.h"

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

/* Bytes a unit of code memory takes. */
static uint32_t unit_of(const listing *self)
{
    const oak_architecture *about = self->program->part->architecture;
    return oak_unit_bytes(about, about->code_space);
}

/* The units that begin at an address, as many as go into the column: bytes, or words where memory has words. */
static void show_units(listing *self, uint32_t address, uint32_t count)
{
    const oak_architecture *about = self->program->part->architecture;
    uint32_t unit = unit_of(self), loaded = address;
    const oak_section *section;
    for (unsigned i = 0; (section = oak_program_section(self->program, i)); i++)
        if (section->copied && address - section->address < section->size)
            loaded = section->load + (address - section->address);
    for (uint32_t i = 0; i < BYTES_A_LINE / unit; i++) {
        uint8_t bytes[8] = {0};
        bool there = i < count;
        for (uint32_t b = 0; b < unit && there; b++)
            there = oak_image_byte(self->program->image, (loaded + i) * unit + b, &bytes[b]);
        unsigned digits = there ? 2 * unit : 0;
        if (there)
            oak_buf_format(&self->buf, "%0*llX", (int)digits,
                           (unsigned long long)oak_number_at(about, about->code_space, bytes, unit));
        oak_buf_repeat(&self->buf, ' ', 3 * unit - digits);
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
        show_units(self, (uint32_t)record->at, record->kind <= OAK_RECORD_DATA ? record->size : 0);
    }
    if (record->cycles) oak_buf_format(buf, "%4u  ", record->cycles);
    else oak_buf_text(buf, "      ");
}

/* Further lines for what is longer than the column: data, and instructions of many bytes. */
static void show_rest(listing *self, const oak_record *record)
{
    uint32_t units = BYTES_A_LINE / unit_of(self);
    for (uint32_t done = units; done < record->size; done += units) {
        oak_buf_format(&self->buf, "        0x%04llx  ", (unsigned long long)record->at + done);
        show_units(self, (uint32_t)record->at + done, record->size - done);
        while (self->buf.size && self->buf.bytes[self->buf.size - 1] == ' ') self->buf.size--;
        oak_buf_char(&self->buf, '\n');
    }
}

/* The words that instructions before this line load. */
static void show_pool(listing *self, const oak_record *record)
{
    uint32_t at = (uint32_t)record->at, end = at + record->size;
    for (at = (at + 3) & ~(uint32_t)3; at + 4 <= end; at += 4) {
        const oak_architecture *about = self->program->part->architecture;
        uint8_t bytes[4] = {0};
        oak_buf_format(&self->buf, "        0x%04x  ", (unsigned)at);
        show_units(self, at, 4);
        for (unsigned i = 0; i < 4; i++) (void)!oak_image_byte(self->program->image, at + i, &bytes[i]);
        oak_buf_format(&self->buf, "      | pool: 0x%x\n",
                       (unsigned)oak_number_at(about, about->code_space, bytes, 4));
    }
}

/* What is said of a line; notes come in the order of the lines. */
static void show_notes(listing *self, uint32_t origin, size_t *next)
{
    for (; *next < self->program->note_count && self->program->notes[*next].origin <= origin; ++*next)
        if (self->program->notes[*next].origin == origin)
            oak_buf_format(&self->buf, "%*s| %s\n", 6 + 2 + 6 + 2 + 3 * BYTES_A_LINE + 6, "",
                           self->program->notes[*next].text);
}

/* Lines in the order in which they were read: what an include, a macro or a repetition brought stands behind its line,
 * marked with + where it is new text. */
static void list_lines(listing *self)
{
    const oak_program *program = self->program;
    size_t next = 0, note = 0;
    uint16_t file = 0;
    const oak_record *labels = NULL; /* one record stands for labels on several lines */
    for (uint32_t origin = 0; origin < program->source_count; origin++) {
        oak_source_line line = oak_program_source(program, origin);
        if (line.file != file && !line.expanded) {
            file = line.file;
            oak_buf_format(&self->buf, "\n%s\n\n", program->files[file].name);
        }
        /* Of the statements of one line the last that has bytes is shown, or the last. */
        const oak_record *shown = NULL;
        const oak_record *pool = NULL;
        for (; next < program->record_count && program->records[next].origin == origin; next++) {
            if (program->records[next].kind == OAK_RECORD_POOL) pool = &program->records[next];
            else if (!shown || shown->kind > OAK_RECORD_DATA ||
                     program->records[next].kind <= OAK_RECORD_DATA)
                shown = &program->records[next];
            if (program->records[next].kind == OAK_RECORD_PLACE) labels = &program->records[next];
        }
        if (!shown && labels && origin - labels->origin <= labels->size) shown = labels;
        show_record(self, line.line, shown);
        if (line.expanded) oak_buf_text(&self->buf, "+ ");
        oak_buf_add(&self->buf, line.text, line.size);
        while (self->buf.size && self->buf.bytes[self->buf.size - 1] == ' ') self->buf.size--;
        oak_buf_char(&self->buf, '\n');
        if (shown && shown->kind <= OAK_RECORD_DATA && shown->size <= 4096) show_rest(self, shown);
        if (pool) show_pool(self, pool);
        show_notes(self, origin, &note);
        if (self->buf.size > 32768) flush(self);
    }
}

/* Where a symbol is named. */
typedef struct listed_use {
    uint32_t symbol;
    uint32_t origin;
} listed_use;

static int by_symbol(const void *a, const void *b, const void *context)
{
    (void)context;
    const listed_use *left = a, *right = b;
    if (left->symbol != right->symbol) return left->symbol < right->symbol ? -1 : 1;
    return left->origin < right->origin ? -1 : left->origin > right->origin;
}

/* The source that each file belongs to: itself, or the one it is included into. */
static uint16_t *units_of(const listing *self, size_t *room)
{
    const oak_program *program = self->program;
    uint16_t *units = oak_grow(&program->host, NULL, room, program->file_count + 1, sizeof *units);
    for (size_t i = 0; units && i < program->run_count; i++) {
        const oak_source_run *run = &program->runs[i];
        units[run->file] =
            run->parent == OAK_NO_PLACE ? run->file : units[oak_program_source(program, run->parent).file];
    }
    return units;
}

/* The symbol that a word means in a file: of several, the one of the same source. */
static uint32_t meant(const listing *self, const char *word, size_t length, const uint16_t *units,
                      uint16_t unit)
{
    const oak_program *program = self->program;
    uint32_t first = oak_program_find_number(program, word, length, 0), number;
    if (!first || !oak_program_find_number(program, word, length, 1)) return first;
    for (unsigned i = 0; (number = oak_program_find_number(program, word, length, i)); i++)
        for (uint16_t file = 0; file < program->file_count; file++)
            if (oak_program_symbol_at(program, number - 1)->file == program->files[file].name &&
                units[file] == unit)
                return number;
    return first;
}

/* Every word of the source that names a symbol, outside of comments and texts; each line once. */
static listed_use *find_uses(listing *self, size_t *count, size_t *room)
{
    const oak_program *program = self->program;
    listed_use *uses = NULL;
    size_t unit_room = 0;
    uint16_t *units = units_of(self, &unit_room);
    *count = *room = 0;
    if (!units) self->status = OAK_NO_MEMORY;
    const oak_isa *isa = oak_isa_find(oak_program_part(program)->architecture->name);
    bool slashes = isa && isa->manual_marks;
    for (uint32_t origin = 0; origin < program->source_count && !self->status; origin++) {
        oak_source_line line = oak_program_source(program, origin);
        const char *at = line.text, *end = line.text + line.size;
        char quote = 0;
        while (at < end && (quote || !oak_opens_comment(line.text, at, end, slashes))) {
            if (quote && *at == '\\' && at + 1 < end) at++;
            else if (*at == quote) quote = 0;
            else if (!quote && oak_opens_quote(line.text, at)) quote = *at;
            if (quote || !oak_is_word(*at)) {
                at++;
                continue;
            }
            const char *word = at;
            while (at < end && oak_is_word(*at)) at++;
            uint32_t number =
                oak_is_letter(*word) ? meant(self, word, (size_t)(at - word), units, units[line.file]) : 0;
            if (!number) continue;
            listed_use *grown = oak_grow(&program->host, uses, room, *count + 1, sizeof *grown);
            if (!grown) {
                self->status = OAK_NO_MEMORY;
                break;
            }
            uses = grown;
            uses[(*count)++] = (listed_use){number - 1, origin};
        }
    }
    oak_release(&program->host, units, unit_room, sizeof *units);
    if (!self->status) self->status = oak_sort(&program->host, uses, *count, sizeof *uses, by_symbol, NULL);
    return uses;
}

/* Cycles of the instructions from a label to the next, gone through once in a straight line. */
static uint64_t block_cycles(const listing *self, const oak_symbol *symbol)
{
    const oak_program *program = self->program;
    uint64_t cycles = 0;
    int64_t end = INT64_MAX;
    for (size_t i = 0; i < program->label_count; i++) {
        int64_t other = oak_program_symbol_at(program, program->labels[i])->value;
        if (other > symbol->value) {
            end = other;
            break;
        }
    }
    for (size_t i = 0; i < program->record_count; i++) {
        const oak_record *record = &program->records[i];
        if (record->kind == OAK_RECORD_CODE && record->at >= symbol->value && record->at < end)
            cycles += record->cycles;
    }
    return cycles;
}

static void list_symbols(listing *self)
{
    static const char *const kinds[] = {"label", "constant", "variable"};
    enum { MOST_SUMMED = 2000, MOST_SHOWN = 16 };
    const oak_program *program = self->program;
    unsigned code = program->part->architecture->code_space;
    bool several = program->file_count > 1;
    size_t use_count, use_room;
    oak_buf_format(&self->buf, "\n%-24s %-10s %-8s %-6s %6s  %s\n", "symbol", "value", "kind", "space",
                   "cycles", "defined and used in lines");
    uint32_t *order = NULL;
    listed_use *uses = find_uses(self, &use_count, &use_room);
    if (!self->status) self->status = oak_program_sorted(program, &order);
    for (size_t i = 0; order && i < program->symbols.count; i++) {
        const oak_symbol *symbol = oak_program_symbol_at(program, order[i]);
        char value[40], cycles[24] = "";
        bool block =
            symbol->kind == OAK_SYMBOL_LABEL && symbol->space == code && program->label_count <= MOST_SUMMED;
        if (symbol->value < 0) oak_format(value, sizeof value, "%lld", (long long)symbol->value);
        else oak_format(value, sizeof value, "0x%04llx", (unsigned long long)symbol->value);
        if (block) oak_format(cycles, sizeof cycles, "%llu", (unsigned long long)block_cycles(self, symbol));
        oak_buf_format(&self->buf, "%-24s %-10s %-8s %-6s %6s  ", symbol->name, value, kinds[symbol->kind],
                       symbol->space ? program->part->architecture->spaces[symbol->space].name : "", cycles);
        if (several && symbol->file) oak_buf_format(&self->buf, "%s:", symbol->file);
        oak_buf_format(&self->buf, "%u", symbol->line);
        const char *named = symbol->file;
        size_t low = 0, high = use_count;
        while (low < high) {
            size_t middle = low + (high - low) / 2;
            if (uses[middle].symbol < order[i]) low = middle + 1;
            else high = middle;
        }
        uint32_t last = symbol->line;
        unsigned shown = 0;
        for (; low < use_count && uses[low].symbol == order[i] && shown <= MOST_SHOWN; low++) {
            oak_source_line line = oak_program_source(program, uses[low].origin);
            const char *file = program->files[line.file].name;
            bool here = symbol->file && oak_same(file, symbol->file);
            if ((line.line == last && named == file) || line.expanded || (here && line.line == symbol->line))
                continue;
            last = line.line;
            if (shown++ == MOST_SHOWN) oak_buf_text(&self->buf, " ...");
            else if (named && oak_same(named, file)) oak_buf_format(&self->buf, " %u", line.line);
            else oak_buf_format(&self->buf, " %s:%u", file, line.line);
            named = file;
        }
        oak_buf_char(&self->buf, '\n');
        if (self->buf.size > 32768) flush(self);
    }
    oak_release(&program->host, order, program->symbols.count + 1, sizeof *order);
    oak_release(&program->host, uses, use_room, sizeof *uses);
}

oak_status oak_program_write_listing(const oak_program *program, const oak_text_sink *out)
{
    if (!program || !out) return OAK_MISUSE;
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
