/* look.c — an image back to source text.
 *
 * A list of places to visit begins with reset, entry and vectors; every instruction adds its target and, unless it never
 * comes back, what follows it. What was visited is code, the rest of the image data. A target inside another
 * instruction becomes a constant, since no line begins there. */
#include <oakspindle/look.h>

#include "base/arena.h"
#include "base/bytes.h"
#include "look/looker.h"
#include "part/naming.h"

enum { DATA_COLUMNS = 8 };

bool look_is_known(const looker *self, uint32_t address)
{
    return self->known[look_slot(self, address)];
}

static oak_status visit(looker *self, uint32_t address, uint8_t mark)
{
    if (!look_is_known(self, address)) return OAK_OK;
    self->mark[look_slot(self, address)] |= mark;
    uint32_t *grown =
        oak_grow(&self->host, self->todo, &self->todo_room, self->todo_count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    self->todo = grown;
    grown[self->todo_count++] = address;
    return OAK_OK;
}

/* Decodes the instruction at an address when all its bytes are known. */
bool look_decode(const looker *self, uint32_t address, oak_decoded *decoded)
{
    uint32_t at = look_slot(self, address);
    size_t available = 0;
    while (available < OAK_LONGEST_INSN && self->known[at + available]) available++;
    return self->isa->decode(self->tables, self->bytes + at * self->unit, available * self->unit, address,
                             self->state[at], decoded) == OAK_OK;
}

/* The same for what follows what is selected, which needs no state. */
static bool decode_plain(const void *context, uint32_t address, oak_decoded *decoded)
{
    const looker *self = context;
    return look_is_known(self, address) && look_decode(self, address, decoded);
}

/* Data that an instruction reads beside the code: a place with a name, and words where they are words. */
static void note_data(looker *self, const oak_decoded *decoded)
{
    if (!decoded->has_data || !look_is_known(self, decoded->data)) return;
    uint8_t *mark = &self->mark[look_slot(self, decoded->data)];
    *mark |= IS_DATA;
    for (unsigned i = 0; self->unit == 1 && i + 4 <= decoded->data_bytes; i += 4)
        if (look_is_known(self, decoded->data + i + 3)) mark[i] |= IS_WORD;
}

/* Behind a jump that is worked out by adding to the program counter lies its table: returns and jumps. */
static oak_status visit_table(looker *self, uint32_t address)
{
    enum { LONGEST = 256 };
    oak_decoded decoded;
    oak_status status = OAK_OK;
    for (unsigned i = 0;
         i < LONGEST && !status && decode_plain(self, address, &decoded) && !oak_goes_on(decoded.flow); i++) {
        status = visit(self, address, 0);
        address += decoded.size;
    }
    return status;
}

static oak_status follow(looker *self)
{
    oak_status status = OAK_OK;
    while (self->todo_count && !status) {
        uint32_t address = self->todo[--self->todo_count], state = 0;
        for (;;) {
            oak_decoded decoded;
            if (!look_is_known(self, address)) break;
            uint8_t *mark = &self->mark[look_slot(self, address)];
            if (*mark & (IS_START | IS_INSIDE)) break;
            self->state[look_slot(self, address)] = (uint8_t)state;
            if (!look_decode(self, address, &decoded)) break;
            if (self->selection.at) {
                if (!oak_selection_reached(&self->selection, address))
                    oak_selection_from(&self->selection, address);
                oak_selected now = oak_selection_at(&self->selection, address);
                oak_selection_target(self->isa, &now, &decoded);
            }
            bool free = true; /* no other instruction begins inside this one */
            for (unsigned i = 1; i < decoded.size; i++) free = free && !(mark[i] & (IS_START | IS_INSIDE));
            if (!free) break;
            *mark |= IS_START;
            for (unsigned i = 1; i < decoded.size; i++) mark[i] |= IS_INSIDE;
            if (decoded.has_target && look_is_known(self, decoded.target))
                status = visit(self, decoded.target, decoded.flow == OAK_FLOW_CALL ? IS_CALLED : IS_JUMPED);
            note_data(self, &decoded);
            if (decoded.flow == OAK_FLOW_COMPUTED && self->isa->selector && !status)
                status = visit_table(self, address + decoded.size);
            if (!oak_goes_on(decoded.flow) || status) break;
            state = decoded.state_after;
            address += decoded.size;
        }
    }
    return status;
}

/* ------------------------------------------------------------------------------------------ names */

static const char *vector_at(const looker *self, uint32_t address)
{
    for (unsigned i = 0; i < self->part->vector_count; i++)
        if (self->part->vectors[i].address == address) return self->part->vectors[i].name;
    return NULL;
}

/* The address of the handler that a vector holds; false where vectors hold code. */
static bool vector_target(const looker *self, const oak_part_vector *vector, uint32_t *target)
{
    const oak_architecture *about = &self->isa->about;
    uint32_t at = look_slot(self, vector->address);
    *target = 0;
    for (unsigned i = 0; i < about->vector_bytes; i++)
        if (!look_is_known(self, vector->address + i)) return false;
    *target = (uint32_t)oak_number_at(about, about->code_space, self->bytes + at, about->vector_bytes);
    bool marked = (*target & about->code_bit) == about->code_bit;
    *target &= ~(uint32_t)about->code_bit;
    return about->vector_bytes && marked && look_is_known(self, *target);
}

static const char *handled_vector(const looker *self, uint32_t address)
{
    uint32_t target;
    for (unsigned i = 0; self->isa->about.vector_bytes && i < self->part->vector_count; i++)
        if (vector_target(self, &self->part->vectors[i], &target) && target == address)
            return self->part->vectors[i].name;
    return NULL;
}

/* A label of the program that has this name somewhere else. */
static const oak_symbol *place_named(const looker *self, const char *name, uint32_t address)
{
    const oak_symbol *one;
    for (unsigned i = 0; (one = oak_program_find_in(self->program, NULL, 0, name, oak_length(name), i)); i++)
        if (one->space == self->part->architecture->code_space && one->value != address) return one;
    return NULL;
}

const char *look_label(looker *self, uint32_t address)
{
    if (!look_is_known(self, address)) return NULL; /* no line will be there */
    const oak_symbol *symbol = oak_program_label_below(self->program, address);
    if (symbol && symbol->value == address) {
        bool local = false;
        for (const char *p = symbol->name; *p; p++) local = local || *p == '.';
        const oak_symbol *other = local ? NULL : place_named(self, symbol->name, address);
        if (!local && !other) return symbol->name;
        if (!local) { /* another file has a label of this name */
            oak_format(self->name, sizeof self->name, "%.80s_%04x", symbol->name, (unsigned)address);
            return self->name;
        }
    }
    uint8_t mark = self->mark[look_slot(self, address)];
    const char *vector = vector_at(self, address);
    const char *handles = handled_vector(self, address);
    if (handles && (mark & IS_START)) oak_format(self->name, sizeof self->name, "%s_handler", handles);
    else if (vector && (mark & IS_START)) oak_format(self->name, sizeof self->name, "vector_%s", vector);
    else if (mark & IS_CALLED) oak_format(self->name, sizeof self->name, "sub_%04x", (unsigned)address);
    else if (mark & IS_JUMPED) oak_format(self->name, sizeof self->name, "at_%04x", (unsigned)address);
    else if (mark & IS_DATA) oak_format(self->name, sizeof self->name, "data_%04x", (unsigned)address);
    else return NULL;
    while (oak_length(self->name) + 2 < sizeof self->name && place_named(self, self->name, address))
        oak_format(self->name + oak_length(self->name), 2, "_");
    return self->name;
}

const char *look_name(void *context, unsigned space, uint32_t address)
{
    looker *self = context;
    const char *label = space == self->part->architecture->code_space ? look_label(self, address) : NULL;
    if (label) return label;
    return oak_part_name_of(self->part, self->isa, space, address, self->name, sizeof self->name);
}

bool look_whole(void *context, unsigned space, uint32_t *address)
{
    looker *self = context;
    if (!self->selection.at) return true;
    oak_selected now = oak_selection_at(&self->selection, self->here);
    bool known = self->isa->selector->whole(&now, space, address);
    self->unknown = self->unknown || !known;
    return known || space == self->part->architecture->code_space;
}

/* ------------------------------------------------------------------------------------------ writing */

void look_units(looker *self, uint32_t address, unsigned units)
{
    const oak_architecture *about = &self->isa->about;
    const uint8_t *at = self->bytes + (size_t)look_slot(self, address) * self->unit;
    for (unsigned i = 0; i < units; i++, at += self->unit)
        oak_buf_format(&self->buf, " %0*llx", (int)(2 * self->unit),
                       (unsigned long long)oak_number_at(about, about->code_space, at, self->unit));
}

static void comment(looker *self, size_t line_start, uint32_t address, unsigned size, unsigned cycles)
{
    size_t width = self->buf.size - line_start;
    oak_buf_repeat(&self->buf, ' ', width < 40 ? 40 - width : 1);
    oak_buf_format(&self->buf, "; 0x%04x ", (unsigned)address);
    look_units(self, address, size);
    unsigned columns = size * (1 + 2 * self->unit);
    if (cycles) oak_buf_format(&self->buf, "%*s%u", (int)(columns < 12 ? 14 - columns : 2), "", cycles);
    oak_buf_char(&self->buf, '\n');
}

static void write_label(looker *self, uint32_t address)
{
    const char *label = look_label(self, address);
    if (label) oak_buf_format(&self->buf, "%s:\n", label);
}

static void write_instruction(looker *self, uint32_t address, const oak_decoded *decoded)
{
    oak_namer namer = {.context = self, .name = look_name, .whole = look_whole};
    const oak_isa *isa = self->isa;
    bool oddly = decoded->oddly, is_short = decoded->size < isa->full_size;
    write_label(self, address);
    if (isa->comes_back && (is_short ? self->full : !isa->comes_back(self->tables, decoded, self->full))) {
        oddly = !isa->comes_back(self->tables, decoded, !self->full); /* another code either way */
        if (!oddly) self->full = !self->full;
        if (!oddly) oak_buf_text(&self->buf, self->full ? "        compress off\n" : "        compress on\n");
    } else if (isa->comes_back) oddly |= !isa->comes_back(self->tables, decoded, self->full);
    self->here = address;
    self->unknown = false;
    size_t start = self->buf.size;
    oak_buf_text(&self->buf, "        ");
    if (oddly) {
        const char *sign = self->unit > 1 ? "dw   0x" : "db   0x";
        for (unsigned i = 0; i < decoded->size; i++) {
            const uint8_t *bytes = self->bytes + look_slot(self, address + i) * self->unit;
            oak_buf_text(&self->buf, i ? ", 0x" : sign);
            for (unsigned k = self->unit; k-- > 0;) oak_buf_format(&self->buf, "%02x", (unsigned)bytes[k]);
        }
        oak_buf_text(&self->buf, " ; as ");
    }
    self->isa->print(self->tables, decoded, &namer, &self->buf);
    comment(self, start, address, decoded->size, decoded->cycles);
    uint32_t formed;
    if (isa->together && self->before.size && self->before.address + self->before.size == address &&
        isa->together(self->tables, &self->before, decoded, &formed)) {
        const char *name = look_name(self, isa->about.code_space, formed);
        self->buf.size--;
        if (name) oak_buf_format(&self->buf, "  together %s\n", name);
        else oak_buf_format(&self->buf, "  together 0x%04x\n", (unsigned)formed);
    }
    self->before = *decoded;
    if (self->unknown) {
        self->buf.size--;
        oak_buf_text(&self->buf, "  bank unknown\n");
    }
    oak_decoded next; /* a table of returns is one */
    bool table = !oak_goes_on(decoded->flow) && decode_plain(self, address + decoded->size, &next) &&
                 next.row == decoded->row;
    if (!oak_goes_on(decoded->flow) && !table) oak_buf_char(&self->buf, '\n');
}

static bool is_text(uint8_t byte)
{
    return byte >= ' ' && byte < 127 && byte != '"' && byte != '\\';
}

/* A word: the address of code with its mark by name, others as a number. */
static void write_word(looker *self, uint32_t address)
{
    const oak_architecture *about = &self->isa->about;
    uint32_t bit = about->code_bit;
    uint32_t word =
        (uint32_t)oak_number_at(about, about->code_space, self->bytes + look_slot(self, address), 4);
    uint32_t target = word & ~bit;
    bool code =
        (word & bit) && look_is_known(self, target) && (self->mark[look_slot(self, target)] & IS_START);
    const char *name = code ? look_label(self, target) : NULL;
    size_t start = self->buf.size;
    if (name) oak_buf_format(&self->buf, "        dd   %s + %u", name, (unsigned)bit);
    else oak_buf_format(&self->buf, "        dd   0x%08x", (unsigned)word);
    size_t width = self->buf.size - start;
    oak_buf_repeat(&self->buf, ' ', width < 40 ? 40 - width : 1);
    oak_buf_format(&self->buf, "; 0x%04x", (unsigned)address);
    const char *vector = self->isa->about.vector_bytes ? vector_at(self, address) : NULL;
    if (vector) oak_buf_format(&self->buf, "  vector %s", vector);
    else if (self->mark[look_slot(self, address)] & IS_DATA)
        oak_buf_format(&self->buf, "  %u", (unsigned)word);
    oak_buf_char(&self->buf, '\n');
}

/* What configures the chip at an address, or NULL: it stands in a line of its own. */
static const oak_part_register *configuration_at(const looker *self, uint32_t address)
{
    const oak_part_register *reg =
        self->configures ? oak_part_register_at(self->part, self->isa->about.code_space, address) : NULL;
    return reg && oak_part_is_configuration(self->part, reg) ? reg : NULL;
}

/* And what its fields say. */
static void write_fields(looker *self, uint32_t address)
{
    const oak_architecture *about = &self->isa->about;
    const oak_part_register *reg = configuration_at(self, address);
    char fields[400];
    if (!reg) return;
    const uint8_t *bytes = self->bytes + look_slot(self, address) * self->unit;
    uint64_t word = oak_number_at(about, about->code_space, bytes, self->unit);
    oak_part_write_fields(reg, (uint32_t)word, fields, sizeof fields);
    oak_buf_format(&self->buf, "  ; %s: %s", reg->name, fields);
}

/* Up to eight bytes, or a longer text; ends before the next label or code. */
static unsigned write_data(looker *self, uint32_t address, uint32_t end)
{
    write_label(self, address);
    uint32_t stop = address + 1, text = address;
    bool whole = (self->mark[look_slot(self, address)] & IS_WORD) && address + 4 <= end;
    for (uint32_t at = address + 1; whole && at < address + 4; at++)
        whole = !(self->mark[look_slot(self, at)] & IS_START) && !look_label(self, at);
    if (whole) {
        write_word(self, address);
        return 4;
    }
    while (stop < end && stop - address < 48 && !(self->mark[look_slot(self, stop)] & (IS_START | IS_WORD)) &&
           !look_label(self, stop) && !configuration_at(self, stop) && !configuration_at(self, address))
        stop++;
    while (text < stop && is_text(self->bytes[look_slot(self, text)])) text++;
    size_t start = self->buf.size;
    if (self->unit > 1) { /* a word a unit */
        if (stop - address > DATA_COLUMNS) stop = address + DATA_COLUMNS;
        oak_buf_text(&self->buf, "        dw   ");
        for (uint32_t at = address; at < stop; at++) {
            const uint8_t *bytes = self->bytes + look_slot(self, at) * self->unit;
            oak_buf_format(&self->buf, "%s0x%04x", at > address ? ", " : "",
                           (unsigned)(bytes[0] | bytes[1] << 8));
        }
        write_fields(self, address);
        oak_buf_char(&self->buf, '\n');
        return stop - address;
    }
    oak_buf_text(&self->buf, "        db   ");
    if (text - address >= 4) {
        oak_buf_char(&self->buf, '"');
        oak_buf_add(&self->buf, self->bytes + look_slot(self, address), text - address);
        oak_buf_char(&self->buf, '"');
        stop = text;
    } else {
        if (stop - address > DATA_COLUMNS) stop = address + DATA_COLUMNS;
        for (uint32_t at = address; at < stop; at++)
            oak_buf_format(&self->buf, "%s0x%02x", at > address ? ", " : "",
                           self->bytes[look_slot(self, at)]);
    }
    size_t width = self->buf.size - start;
    if (configuration_at(self, address)) {
        write_fields(self, address);
        oak_buf_char(&self->buf, '\n');
        return stop - address;
    }
    oak_buf_repeat(&self->buf, ' ', width < 60 ? 60 - width : 1);
    oak_buf_format(&self->buf, "; 0x%04x\n", (unsigned)address);
    return stop - address;
}

oak_status look_flush(looker *self)
{
    if (self->buf.failed) return OAK_NO_MEMORY;
    oak_status status =
        self->buf.size ? self->out->write(self->out->context, self->buf.bytes, self->buf.size) : OAK_OK;
    self->buf.size = 0;
    return status;
}

static oak_status write_all(looker *self)
{
    oak_image *image = oak_program_image(self->program);
    uint64_t from = 0, length;
    uint32_t address;
    oak_status status = OAK_OK;
    oak_buf_format(&self->buf, "; read back for %s: %llu %s\n\n", self->part->name,
                   (unsigned long long)oak_image_count(image) / self->unit,
                   self->unit > 1 ? "words" : "bytes");
    /* Labels that no line can carry. */
    for (uint32_t at = 0; at < self->land.slots; at++) {
        uint32_t place = oak_islands_address(&self->land, at);
        const char *label = (self->mark[at] & IS_INSIDE) ? look_label(self, place) : NULL;
        if (label)
            oak_buf_format(&self->buf, "%-12s equ  %s:0x%04x  ; inside another instruction\n", label,
                           self->isa->about.spaces[self->isa->about.code_space].name, (unsigned)place);
    }
    while (!status && from <= UINT32_MAX &&
           oak_image_next_run(image, (uint32_t)from, &address, &length) == OAK_OK) {
        from = address + length;
        address /= self->unit;
        oak_buf_format(&self->buf, "        org  0x%04x\n", (unsigned)address);
        for (uint32_t at = address, end = (uint32_t)((from + self->unit - 1) / self->unit);
             at < end && !status;) {
            oak_decoded decoded;
            if ((self->mark[look_slot(self, at)] & IS_START) && look_decode(self, at, &decoded)) {
                write_instruction(self, at, &decoded);
                at += decoded.size;
            } else {
                at += write_data(self, at, end);
            }
            if (self->buf.size > 32768) status = look_flush(self);
        }
    }
    return status ? status : look_flush(self);
}

/* ------------------------------------------------------------------------------------------ the whole */

void look_close(looker *self)
{
    size_t slots = self->land.slots + 1;
    oak_release(&self->host, self->bytes, slots * self->unit, 1);
    oak_release(&self->host, self->known, slots, 1);
    oak_release(&self->host, self->mark, slots, 1);
    oak_release(&self->host, self->state, slots, 1);
    if (self->selection.room) oak_selection_close(&self->selection);
    oak_islands_free(&self->land, &self->host);
    oak_release(&self->host, self->todo, self->todo_room, sizeof *self->todo);
    if (self->tables) self->isa->close(&self->host, self->tables);
    oak_buf_close(&self->buf);
}

/* Where the image has bytes; OAK_OUT_OF_RANGE where the part has no code memory. */
static oak_status find_land(looker *self)
{
    const oak_image *image = oak_program_image(self->program);
    unsigned code = self->isa->about.code_space, unit = self->unit;
    uint64_t from = 0, length;
    oak_status status = OAK_OK;
    for (uint32_t at;
         !status && from <= UINT32_MAX && !oak_image_next_run(image, (uint32_t)from, &at, &length);
         from = at + length) {
        uint32_t first = at / unit, last = (uint32_t)((at + length - 1) / unit);
        for (uint64_t next = first; next <= last;) {
            const oak_part_memory *memory = oak_part_find_memory(self->part, code, (uint32_t)next);
            if (!memory || !oak_memory_is_filled(memory)) return OAK_OUT_OF_RANGE;
            next = (uint64_t)memory->base + memory->size;
        }
        status = oak_islands_add(&self->land, &self->host, first, last - first + 1);
    }
    oak_islands_lay_out(&self->land);
    return status;
}

static oak_status open_looker(looker *self, const oak_program *program, const oak_host *host,
                              const oak_text_sink *out)
{
    const oak_part *part = oak_program_part(program);
    *self = (looker){.program = program,
                     .part = part,
                     .isa = oak_isa_find(part->architecture->name),
                     .host = *host,
                     .out = out};
    oak_buf_open(&self->buf, &self->host);
    if (!self->isa) return OAK_UNSUPPORTED;
    self->unit = oak_unit_bytes(part->architecture, part->architecture->code_space);
    oak_status status = find_land(self);
    if (status) return status;
    size_t slots = self->land.slots + 1; /* one for what lies on none */
    self->bytes = oak_take_zeroed(host, slots * self->unit);
    self->known = oak_take_zeroed(host, slots);
    self->mark = oak_take_zeroed(host, slots);
    self->state = oak_take_zeroed(host, slots);
    if (!self->bytes || !self->known || !self->mark || !self->state) return OAK_NO_MEMORY;
    for (size_t i = 0; i < self->land.count; i++) {
        const oak_island *one = &self->land.of[i];
        const oak_image *image = oak_program_image(program);
        oak_image_read(image, one->base * self->unit, 0, self->bytes + (size_t)one->first * self->unit,
                       one->size * self->unit);
        for (uint32_t at = 0; at < one->size; at++) {
            uint8_t byte;
            self->known[one->first + at] = oak_image_byte(image, (one->base + at) * self->unit, &byte);
        }
    }
    for (unsigned i = 0; i < part->register_count; i++)
        self->configures |= oak_part_is_configuration(part, &part->registers[i]);
    return self->isa->open(host, &self->tables);
}

static oak_status follow_selection(looker *self)
{
    oak_status status = oak_selection_open(&self->selection, self->isa, self->tables, &self->host,
                                           &self->land, decode_plain, self);
    for (unsigned i = 0; i < self->part->vector_count && !status; i++)
        (i ? oak_selection_vector : oak_selection_reset)(&self->selection, self->part->vectors[i].address);
    return status;
}

static oak_status follow_all(looker *self)
{
    uint32_t entry;
    oak_status status = self->isa->selector ? follow_selection(self) : OAK_OK;
    if (status) return status;
    if (oak_image_entry(oak_program_image(self->program), &entry)) status = visit(self, entry, IS_JUMPED);
    for (unsigned i = 0; i < self->part->vector_count && !status; i++) {
        uint32_t target = self->part->vectors[i].address;
        if (self->isa->about.vector_bytes) {
            for (uint32_t b = 0; b < self->isa->about.vector_bytes; b++)
                if (look_is_known(self, target + b) && !(b % 4))
                    self->mark[look_slot(self, target + b)] |= IS_WORD;
            if (self->part->vectors[i].is_value || !vector_target(self, &self->part->vectors[i], &target))
                continue;
        }
        status = visit(self, target, 0);
        if (!status) status = follow(self);
    }
    return status ? status : follow(self);
}

oak_status look_open(looker *self, const oak_program *program, const oak_host *host, const oak_text_sink *out)
{
    oak_status status = open_looker(self, program, host, out);
    return status ? status : follow_all(self);
}

oak_status oak_look(const oak_program *program, const oak_text_sink *out)
{
    if (!program || !out) return OAK_MISUSE;
    looker self;
    oak_host host = oak_program_host(program);
    oak_status status = look_open(&self, program, &host, out);
    if (!status) status = write_all(&self);
    look_close(&self);
    return status;
}
