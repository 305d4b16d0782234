/* setting.c — giving registers, cells, bits and pins a value from outside. */
#include "base/bytes.h"
#include "periph/block.h"
#include "session/values.h"

/* ------------------------------------------------------------------------------------------ setting */

static oak_status write_cell(oak_session *session, unsigned space, uint32_t address, unsigned cells,
                             uint64_t value)
{
    uint8_t out[8];
    unsigned bytes = cells * oak_unit_bytes(session->part->architecture, space);
    if (bytes > sizeof out) return OAK_OUT_OF_RANGE;
    oak_put_number(session->part->architecture, space, value, out, bytes);
    return session->chip.ops->write_memory(session->chip.chip, space, address, out, bytes);
}

static oak_status drive_port(oak_session *session, unsigned port, unsigned bit, unsigned width,
                             uint64_t value)
{
    for (unsigned i = 0; i < width; i++) {
        oak_status status =
            oak_session_put(session, 0, port * OAK_MOST_PINS + bit + i, value >> i & 1 ? OAK_HIGH : OAK_LOW);
        if (status) return status;
    }
    return OAK_OK;
}

static oak_status write_field(oak_session *session, const oak_part_register *reg, unsigned bit,
                              unsigned width, uint64_t value)
{
    int port = session_port_of(session, reg->space, reg->address);
    if (port >= 0) return drive_port(session, (unsigned)port, bit, width, value);
    uint32_t mask = ((width >= 32 ? 0 : (uint32_t)1 << width) - 1) << bit;
    uint32_t whole = (session_read_special(session, reg) & ~mask) | ((uint32_t)value << bit & mask);
    uint8_t bytes[4];
    oak_put_number(session->part->architecture, reg->space, whole, bytes, (reg->bits + 7u) / 8u);
    return session->chip.ops->write_memory(session->chip.chip, reg->space, reg->address, bytes,
                                           (reg->bits + 7u) / 8u);
}

static oak_status write_bit_address(oak_session *session, uint32_t address, uint64_t value)
{
    unsigned space;
    uint32_t cell;
    uint8_t byte;
    if (!session_find_bit_cell(session, address, &space, &cell)) return OAK_OUT_OF_RANGE;
    int port = session_port_of(session, space, cell);
    if (port >= 0) return drive_port(session, (unsigned)port, address & 7, 1, value);
    session->chip.ops->read_memory(session->chip.chip, space, cell, &byte, 1);
    byte = (uint8_t)((byte & ~(1u << (address & 7))) | (unsigned)(value & 1) << (address & 7));
    return session->chip.ops->write_memory(session->chip.chip, space, cell, &byte, 1);
}

unsigned session_width_of(const oak_session *session, const oak_expr *left)
{
    const oak_architecture *about = session->part->architecture;
    if (left->kind == OAK_EXPR_BIT) return 1;
    if (left->kind == OAK_EXPR_CELL && !about->spaces[left->space].of_bits)
        return !left->as.of.right ? session_bits_of_cells(about, left->space, 1)
               : left->as.of.right->kind == OAK_EXPR_NUMBER
                   ? session_bits_of_cells(about, left->space, (uint64_t)left->as.of.right->as.number)
                   : 0;
    if (left->kind != OAK_EXPR_NAME) return 0;
    const watch_name *name = left->as.name;
    switch (name->kind) {
    case NAME_REGISTER: return about->registers[name->number].bits;
    case NAME_FLAG: return about->flags[name->number].width;
    case NAME_SPECIAL: return name->reg->bits;
    case NAME_PORT: return session->part->ports[name->number].pin_count;
    case NAME_HANDLING:
    case NAME_DEPTH: return 32;
    case NAME_CYCLE:
    case NAME_VECTOR: return 0;
    case NAME_PIN: return 1;
    case NAME_FIELD: return name->field->width;
    default:
        return session_bits_of_cells(about, name->symbol->space, session_bytes_of(session, name->symbol));
    }
}

static oak_status write_name(oak_session *session, const watch_name *name, uint64_t value,
                             const oak_expr *left, oak_expr_fault *fault)
{
    const oak_architecture *about = session->part->architecture;
    switch (name->kind) {
    case NAME_REGISTER: {
        const oak_chip_ops *ops = session->chip.ops;
        uint32_t before = 0, after = 0;
        ops->read_register(session->chip.chip, name->number, &before);
        oak_status status = ops->write_register(session->chip.chip, name->number, (uint32_t)value);
        ops->read_register(session->chip.chip, name->number, &after);
        if (!status && after == before && after != (uint32_t)value)
            return session_fill_fault(
                fault, left, "not-settable",
                "`%s` stays as it is: it only shows what others do, or has no such bits",
                oak_register_called(about, name->number));
        return status;
    }
    case NAME_FLAG: {
        const oak_flag_info *flag = &about->flags[name->number];
        uint32_t mask = ((1u << flag->width) - 1) << flag->bit, whole = 0;
        if (flag->follows)
            return session_fill_fault(fault, left, "not-settable", "`%s` follows `%s`: set that", flag->name,
                                      about->registers[flag->follows].name);
        session->chip.ops->read_register(session->chip.chip, flag->reg, &whole);
        return session->chip.ops->write_register(session->chip.chip, flag->reg,
                                                 (whole & ~mask) | (uint32_t)value << flag->bit);
    }
    case NAME_SPECIAL: return write_field(session, name->reg, 0, name->reg->bits, value);
    case NAME_PORT:
        return drive_port(session, name->number, 0, session->part->ports[name->number].pin_count, value);
    case NAME_HANDLING:
    case NAME_DEPTH:
    case NAME_CYCLE:
    case NAME_VECTOR:
        return session_fill_fault(
            fault, left, "not-settable", "%s: it cannot be set",
            name->kind == NAME_VECTOR     ? "a vector is a place"
            : name->kind == NAME_HANDLING ? "`handling` tells which interrupt is being handled"
            : name->kind == NAME_DEPTH    ? "`depth` counts the return addresses on the stack"
                                          : "`cycle` tells the time");
    case NAME_PIN:
        return drive_port(session, name->number / OAK_MOST_PINS, name->number % OAK_MOST_PINS, 1, value);
    case NAME_FIELD: return write_field(session, name->reg, name->field->bit, name->field->width, value);
    default: break;
    }
    unsigned space = name->symbol->space;
    if (space == 0 || session_is_place(session, name->symbol)) {
        session_fill_fault(fault, left, "not-settable", "`%s` is %s: there is nothing to set",
                           name->symbol->name, space ? "a place in code" : "a constant");
        oak_part_example(session->part, "Set a register, a variable, a pin, or a cell: `$S[$a]=1`.",
                         fault->hint, sizeof fault->hint);
        return OAK_REFUSED;
    }
    if (about->spaces[space].of_bits) return write_bit_address(session, (uint32_t)name->symbol->value, value);
    return write_cell(session, space, (uint32_t)name->symbol->value, session_bytes_of(session, name->symbol),
                      value);
}

static oak_status write_bit(oak_session *session, const oak_expr *left, int64_t bit, uint64_t value,
                            oak_expr_fault *fault)
{
    const oak_expr *cell = left->as.of.left;
    const watch_name *name = cell->kind == OAK_EXPR_NAME ? cell->as.name : NULL;
    unsigned width = name ? session_width_of(session, cell) : 8;
    if (bit < 0 || bit >= (int64_t)width)
        return session_fill_fault(fault, left, "no-bit", "there is no bit %lld here", (long long)bit);
    if (name && name->kind == NAME_PORT) return drive_port(session, name->number, (unsigned)bit, 1, value);
    if (name && name->kind == NAME_SPECIAL) return write_field(session, name->reg, (unsigned)bit, 1, value);
    if (name && name->kind == NAME_REGISTER) {
        uint32_t whole = 0, mask = (uint32_t)1 << bit;
        oak_status status = session->chip.ops->read_register(session->chip.chip, name->number, &whole);
        whole = value ? whole | mask : whole & ~mask;
        return status ? status : session->chip.ops->write_register(session->chip.chip, name->number, whole);
    }
    oak_watched where;
    uint8_t byte;
    if (session_locate_expr(session, left, &where, fault)) {
        if (fault->code) return OAK_REFUSED;
        return session_fill_fault(fault, left, "not-settable",
                                  "a single bit can be set where it has an address, or in a port");
    }
    oak_status status =
        session->chip.ops->read_memory(session->chip.chip, where.space, where.address, &byte, 1);
    byte = (uint8_t)(value ? byte | where.bits : byte & ~where.bits);
    return status ? status
                  : session->chip.ops->write_memory(session->chip.chip, where.space, where.address, &byte, 1);
}

static oak_status assign(oak_session *session, const oak_expr *left, uint64_t value, oak_expr_fault *fault)
{
    oak_expr_scope scope = session_scope(session);
    oak_value address, bytes = {.number = 1};
    oak_status status;
    unsigned bits;
    switch (left->kind) {
    case OAK_EXPR_NAME: return write_name(session, left->as.name, value, left, fault);
    case OAK_EXPR_BIT:
        status = oak_expr_value(left->as.of.right, &scope, &address, fault);
        return status ? status : write_bit(session, left, address.number, value, fault);
    case OAK_EXPR_CELL:
        scope.in_address = true;
        status = oak_expr_value(left->as.of.left, &scope, &address, fault);
        if (!status && left->as.of.right) status = oak_expr_value(left->as.of.right, &scope, &bytes, fault);
        if (status) return status;
        if (bytes.number < 1 || bytes.number > 8)
            return session_fill_fault(fault, left, "value-range", "1 to 8 bytes can be set as one value");
        bits = session_bits_of_cells(session->part->architecture, left->space, (uint64_t)bytes.number);
        if (bits < 64 && value >> bits && ~value >> (bits - 1))
            return session_fill_fault(fault, left, "value-range", "the value does not fit %u bits", bits);
        if (address.number < 0 || address.number > UINT32_MAX) return OAK_OUT_OF_RANGE;
        if (session->part->architecture->spaces[left->space].of_bits)
            return write_bit_address(session, (uint32_t)address.number, value);
        return write_cell(session, left->space, (uint32_t)address.number, (unsigned)bytes.number, value);
    default:
        return session_fill_fault(fault, left, "not-settable",
                                  "only a register, variable, pin, bit or cell can be set");
    }
}

/* ------------------------------------------------------------------------------------------ several at once */

/* Where the value ends that begins at `at`: in front of a comma outside of brackets and quotes. */
static const char *value_end(const char *at, const char *end)
{
    unsigned depth = 0;
    for (const char *start = at; at < end; at++) {
        if (*at == '(' || *at == '[') depth++;
        else if ((*at == ')' || *at == ']') && depth) depth--;
        else if (*at == ',' && !depth) break;
        if (!oak_opens_quote(start, at)) continue;
        char close = *at++;
        while (at < end && *at != close) at += *at == '\\' && at + 1 < end ? 2 : 1;
        if (at >= end) return end;
    }
    return at;
}

static const char *skip_blanks(const char *at, const char *end)
{
    while (at < end && (*at == ' ' || *at == '\t')) at++;
    return at;
}

/* Behind the quote of `file "NAME"`, or NULL. */
static const char *file_name(const char *at, const char *end)
{
    static const char word[] = "file";
    size_t length = sizeof word - 1;
    if ((size_t)(end - at) <= length || !oak_same_name(at, length, word)) return NULL;
    at = skip_blanks(at + length, end);
    return at < end && *at == '"' ? at + 1 : NULL;
}

static bool is_list(const char *values, const char *end)
{
    const char *first = skip_blanks(values, end);
    return value_end(first, end) < end || (first < end && *first == '"') || file_name(first, end);
}

/* The cells that a list fills, so many bytes for each value. */
typedef struct filler {
    oak_session *session;
    unsigned space, bytes;
    uint8_t *out;
    size_t count, room;
} filler;

static oak_status add_value(filler *self, uint64_t value)
{
    uint8_t *grown = oak_grow(&self->session->host, self->out, &self->room, self->count + self->bytes, 1);
    if (!grown) return OAK_NO_MEMORY;
    self->out = grown;
    oak_put_number(self->session->part->architecture, self->space, value, grown + self->count, self->bytes);
    self->count += self->bytes;
    return OAK_OK;
}

/* The characters of a text, a value each; `at` behind its quote. */
static oak_status add_text(filler *self, const char *at, const char *end, oak_expr_fault *fault,
                           const char *assignment)
{
    const char *start = at - 1;
    while (at < end && *at != '"') {
        uint8_t value;
        size_t used = oak_read_character(at, end, &value);
        if (!used) break;
        at += used;
        oak_status status = add_value(self, value);
        if (status) return status;
    }
    if (at < end && *at == '"' && skip_blanks(at + 1, end) == end) return OAK_OK;
    oak_expr place = {.first = (uint16_t)(start - assignment), .last = (uint16_t)(end - assignment)};
    return session_fill_fault(fault, &place, "text-end", "this text does not end as it should");
}

/* What is in a file, byte by byte; `at` behind the quote of its name. */
static oak_status add_file(filler *self, const char *at, const char *end, oak_expr_fault *fault,
                           const char *assignment)
{
    enum { LARGEST_FILE = 1 << 20, LONGEST_NAME = 1000 };
    const oak_host *host = &self->session->host;
    const char *close = at;
    char name[LONGEST_NAME];
    uint8_t *bytes = NULL, *grown = NULL;
    size_t size = 0;
    oak_expr place = {.first = (uint16_t)(at - 1 - assignment), .last = (uint16_t)(end - assignment)};
    while (close < end && *close != '"') close++;
    if (close == end || skip_blanks(close + 1, end) != end || (size_t)(close - at) >= sizeof name)
        return session_fill_fault(fault, &place, "text-end", "this name of a file does not end as it should");
    oak_format(name, sizeof name, "%.*s", (int)(close - at), at);
    oak_status status =
        host->read_file ? host->read_file(host->context, name, LARGEST_FILE, &bytes, &size) : OAK_UNSUPPORTED;
    if (status == OAK_NO_MEMORY) return status;
    if (status)
        return session_fill_fault(fault, &place, "no-file", "`%s` cannot be read: %s", name,
                                  oak_status_text(status));
    if (size % self->bytes)
        status =
            session_fill_fault(fault, &place, "value-range", "`%s` has %llu bytes: these are no whole cells",
                               name, (unsigned long long)size);
    if (!status) grown = oak_grow(host, self->out, &self->room, self->count + size + 1, 1);
    if (grown) {
        self->out = grown;
        if (size) memcpy(grown + self->count, bytes, size);
        self->count += size;
    } else if (!status) status = OAK_NO_MEMORY;
    if (bytes) host->resize(host->context, bytes, size, 0);
    return status;
}

/* EXPR = VALUE, "TEXT", file "NAME" …: cells one after another, none of them when something is wrong. */
static oak_status set_list(oak_session *session, const char *assignment, const oak_expr *left,
                           const char *values, const oak_diag_sink *sink, oak_expr_fault *fault)
{
    const oak_architecture *about = session->part->architecture;
    const char *end = values + oak_length(values);
    oak_watched where;
    fault->code = NULL;
    bool located = session_locate_expr(session, left, &where, fault) == OAK_OK && where.space && !where.bits;
    if (!located || about->spaces[where.space].of_bits)
        return session_fill_fault(fault, left, "not-settable", "only cells take several values");
    bool named = left->kind == OAK_EXPR_NAME; /* how many bytes its elements have is not known */
    unsigned cells = named || !where.size || where.size > 8 ? 1 : where.size;
    filler self = {
        .session = session, .space = where.space, .bytes = cells * oak_unit_bytes(about, where.space)};
    oak_status status = self.bytes > 8 ? OAK_OUT_OF_RANGE : OAK_OK;
    for (const char *at = values; !status;) {
        at = skip_blanks(at, end);
        const char *stop = value_end(at, end);
        const char *name = file_name(at, stop);
        if (at < end && *at == '"') status = add_text(&self, at + 1, stop, fault, assignment);
        else if (name) status = add_file(&self, name, stop, fault, assignment);
        else {
            oak_reading reading;
            const char *rest;
            const oak_expr *one = session_parse_part(session, at, stop, &rest, sink);
            status = one && rest == stop ? OAK_OK : OAK_REFUSED; /* what cannot be read has been said */
            oak_expr place = {.first = (uint16_t)(at - assignment), .last = (uint16_t)(stop - assignment)};
            if (one && status) session_fill_fault(fault, &place, "extra-text", "this is no value");
            if (!status) status = session_evaluate(session, one, at, sink, &reading);
            unsigned bits = session_bits_of_cells(about, where.space, cells);
            if (status) break;
            if (bits < 64 && reading.value >> bits && ~reading.value >> (bits - 1))
                status = session_fill_fault(fault, &place, "value-range", "%lld does not fit %u bits",
                                            (long long)reading.value, bits);
            else status = add_value(&self, (uint64_t)reading.value);
        }
        if (stop == end) break;
        at = stop + 1;
    }
    const oak_chip_ops *ops = session->chip.ops;
    uint8_t *before = status ? NULL : session->host.resize(session->host.context, NULL, 0, self.count + 1);
    if (!status && !before) status = OAK_NO_MEMORY;
    if (!status)
        status = ops->read_memory(session->chip.chip, where.space, where.address, before, self.count);
    if (!status)
        status = ops->write_memory(session->chip.chip, where.space, where.address, self.out, self.count);
    if (before) session->host.resize(session->host.context, before, self.count + 1, 0);
    oak_release(&session->host, self.out, self.room, 1);
    return status;
}

static oak_status set_one(oak_session *session, const char *assignment, const oak_diag_sink *sink)
{
    session->touched = true;
    const char *end = assignment + oak_length(assignment), *equals = assignment, *rest;
    oak_expr_fault fault = {.code = "assignment"};
    while (equals < end && *equals != '=') equals++;
    if (equals == end) {
        fault.last = (uint16_t)(end - assignment);
        oak_format(fault.message, sizeof fault.message, "this sets nothing");
        oak_part_example(session->part, "Write EXPR=VALUE: `$R=5`, `p1.0=0`, `$X=0x12`.", fault.hint,
                         sizeof fault.hint);
        session_refuse(sink, assignment, &fault);
        return OAK_REFUSED;
    }
    const oak_expr *left = session_parse_part(session, assignment, equals, &rest, sink);
    if (!left) return OAK_REFUSED;
    if (*skip_blanks(assignment, equals) == '(') { /* which some take for memory, as in an instruction */
        fault = (oak_expr_fault){.code = "not-settable", .first = 0, .last = (uint16_t)(rest - assignment)};
        oak_format(fault.message, sizeof fault.message, "parentheses only group here");
        oak_part_example(session->part, "A cell of memory is written with its space: `$S[$a] = 1`.",
                         fault.hint, sizeof fault.hint);
        session_refuse(sink, assignment, &fault);
        return OAK_REFUSED;
    }
    oak_status status = OAK_OK;
    oak_reading reading = {0};
    if (rest != equals) {
        oak_expr at = {.first = (uint16_t)(rest - assignment), .last = (uint16_t)(equals - assignment)};
        status = session_fill_fault(&fault, &at, "extra-text", "this does not belong to the left side");
    } else if (is_list(equals + 1, end)) {
        status = set_list(session, assignment, left, equals + 1, sink, &fault);
        if (status == OAK_NO_MEMORY || (status == OAK_REFUSED && !fault.code)) return status;
        if (status && !fault.code)
            session_fill_fault(&fault, left, "no-cell", "the part has not so many cells there");
    } else {
        status = oak_session_value(session, equals + 1, sink, &reading);
        if (status) return status;
        unsigned width = session_width_of(session, left);
        if (width && width < 64 &&
            (reading.value >= (int64_t)1 << width || reading.value < -((int64_t)1 << (width - 1))))
            status = session_fill_fault(&fault, left, "value-range", "%lld does not fit %u bit%s",
                                        (long long)reading.value, width, width == 1 ? "" : "s");
        else {
            uint64_t value = (uint64_t)reading.value;
            if (width && width < 64) value &= ((uint64_t)1 << width) - 1;
            fault.code = NULL;
            status = assign(session, left, value, &fault);
            if (status && !fault.code)
                session_fill_fault(&fault, left, "no-cell", "the part has nothing there that could be set");
        }
    }
    if (status) session_refuse(sink, assignment, &fault);
    return status ? OAK_REFUSED : OAK_OK;
}

oak_status oak_session_set(oak_session *session, const char *assignment, const oak_diag_sink *sink)
{
    if (!session || !assignment || !sink) return OAK_MISUSE;
    return session_outcome(session, set_one(session, assignment, sink));
}

const char *oak_session_pin_name(const oak_session *session, unsigned pin)
{
    if (!session) return NULL;
    unsigned port = pin / OAK_MOST_PINS;
    for (size_t i = 0; i < session->label_count; i++)
        if (session->labels[i].pin == pin) return session->labels[i].name;
    if (!session->program || port >= session->part->port_count || !session->isa->bit_of) return NULL;
    oak_value cell = {.number = session->part->ports[port].address,
                      .space = session->part->ports[port].space,
                      .known = true},
              bit;
    if (session->isa->bit_of(&cell, pin % OAK_MOST_PINS, &bit)) return NULL;
    const oak_symbol *symbol;
    for (unsigned i = 0; (symbol = oak_program_symbol(session->program, i)); i++)
        if (symbol->space == bit.space && symbol->value == bit.number) return symbol->name;
    return NULL;
}
