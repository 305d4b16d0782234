/* values.c — expressions over a running chip: what names mean, reading and setting. */
#include <oakspindle/print.h>

#include "base/bytes.h"
#include "periph/block.h"
#include "session/session_state.h"
#include "session/values.h"

void session_refuse(const oak_diag_sink *sink, const char *text, const oak_expr_fault *fault)
{
    oak_diagnostic diagnostic = {.severity = OAK_ERROR,
                                 .code = fault->code,
                                 .message = fault->message,
                                 .hint = *fault->hint ? fault->hint : NULL,
                                 .column = fault->first + 1u,
                                 .column_end = fault->last + 1u,
                                 .source_line = text};
    if (sink && sink->report) sink->report(sink->context, &diagnostic);
}

/* Fills in a fault about an expression and returns OAK_REFUSED. */
static oak_status OAK_PRINTF(4, 5)
    fill_fault(oak_expr_fault *fault, const oak_expr *expr, const char *code, const char *format, ...)
{
    va_list arguments;
    fault->code = code;
    fault->first = expr->first;
    fault->last = expr->last;
    fault->hint[0] = 0;
    va_start(arguments, format);
    oak_vformat(fault->message, sizeof fault->message, format, arguments);
    va_end(arguments);
    return OAK_REFUSED;
}

/* ------------------------------------------------------------------------------------------ names */

static int port_of(const oak_session *session, unsigned space, uint32_t address)
{
    for (unsigned i = 0; i < session->part->port_count; i++)
        if (session->part->ports[i].space == space && session->part->ports[i].address == address)
            return (int)i;
    return -1;
}

bool session_is_place(const oak_session *session, const oak_symbol *symbol)
{
    if (symbol->space != session->part->architecture->code_space) return false;
    const oak_part_memory *memory =
        oak_part_find_memory(session->part, symbol->space, (uint32_t)symbol->value);
    bool variable = memory && memory->loaded && symbol->bytes; /* data in RAM */
    return !memory || (oak_memory_is_filled(memory) && !variable);
}

/* Bytes of the variable a symbol names. */
static unsigned bytes_of(const oak_session *session, const oak_symbol *symbol)
{
    unsigned widest = session->part->architecture->word_bytes;
    return symbol->bytes && widest > 1 ? symbol->bytes : widest;
}

static bool find_name(oak_session *session, const char *text, size_t length, watch_name *name)
{
    const oak_architecture *about = session->part->architecture;
    *name = (watch_name){0};
    /* The program's own names come first: they cannot be those of the part. */
    if (session->program && (name->symbol = oak_program_find(session->program, text, length))) {
        name->kind = NAME_SYMBOL;
        return true;
    }
    for (unsigned i = 0; i < about->register_count; i++) {
        if (!oak_same_name(text, length, about->registers[i].name)) continue;
        name->kind = NAME_REGISTER;
        name->number = i;
        return true;
    }
    if ((name->reg = oak_part_find_register(session->part, text, length))) {
        int port = port_of(session, name->reg->space, name->reg->address);
        name->kind = port >= 0 ? NAME_PORT : NAME_SPECIAL;
        name->number = port >= 0 ? (unsigned)port : 0;
        return true;
    }
    for (unsigned i = 0; i < session->part->port_count; i++) { /* where a port is no register, but several */
        if (!oak_same_name(text, length, session->part->ports[i].name)) continue;
        name->kind = NAME_PORT;
        name->number = i;
        return true;
    }
    if (oak_part_find_field(session->part, text, length, &name->reg, &name->field)) {
        name->kind = NAME_FIELD;
        return true;
    }
    for (unsigned i = 0; i < about->flag_count; i++) {
        if (!oak_same_name(text, length, about->flags[i].name)) continue;
        name->kind = NAME_FLAG;
        name->number = i;
        return true;
    }
    if (oak_same_name(text, length, "handling") && session->chip.ops->served) {
        name->kind = NAME_HANDLING;
        return true;
    }
    if (oak_same_name(text, length, "depth") || oak_same_name(text, length, "cycle")) {
        name->kind = oak_same_name(text, length, "depth") ? NAME_DEPTH : NAME_CYCLE;
        return true;
    }
    for (size_t i = 0; i < session->label_count; i++) {
        if (!oak_same_name(text, length, session->labels[i].name)) continue;
        name->kind = NAME_PIN;
        name->number = session->labels[i].pin;
        return true;
    }
    for (unsigned i = 0; i < session->part->vector_count; i++) { /* as reports call the interrupts */
        if (!oak_same_name(text, length, session->part->vectors[i].name)) continue;
        name->kind = NAME_VECTOR;
        name->number = i;
        return true;
    }
    return false;
}

/* The name that is nearest to a text so far. */
typedef struct nearest {
    const char *text, *best;
    size_t length;
    unsigned least; /* its distance, or one more than is near */
} nearest;

static void consider(nearest *self, const char *name)
{
    unsigned distance = oak_name_distance(self->text, self->length, name, oak_length(name), self->least - 1);
    if (distance >= self->least) return;
    self->least = distance;
    self->best = name;
}

static void suggest(const oak_session *session, const char *text, size_t length, char *hint, size_t room)
{
    enum { MOST_LOOKED_AT = 20000 };
    const oak_architecture *about = session->part->architecture;
    const oak_symbol *symbol;
    /* Of one letter everything is near. */
    nearest found = {.text = text, .length = length, .least = length < 2 ? 1 : length < 4 ? 2 : 3};
    hint[0] = 0;
    for (unsigned i = 0;
         session->program && i < MOST_LOOKED_AT && (symbol = oak_program_symbol(session->program, i)); i++)
        consider(&found, symbol->name);
    for (unsigned i = 0; i < about->register_count; i++) consider(&found, about->registers[i].name);
    for (unsigned i = 0; i < session->part->register_count; i++)
        consider(&found, session->part->registers[i].name);
    for (unsigned i = 0; i < about->flag_count; i++) consider(&found, about->flags[i].name);
    for (size_t i = 0; i < session->label_count; i++) consider(&found, session->labels[i].name);
    for (unsigned i = 0; i < session->part->vector_count; i++)
        consider(&found, session->part->vectors[i].name);
    consider(&found, "handling");
    consider(&found, "depth");
    consider(&found, "cycle");
    if (found.best) oak_format(hint, room, "Did you mean `%s`?", found.best);
}

/* A symbol of the program that another file has as well, for something else. */
static bool is_doubtful(const oak_session *session, const watch_name *name, const char *text, size_t length,
                        oak_expr_fault *fault)
{
    const oak_symbol *one = name->symbol, *other;
    for (unsigned i = 1; one && (other = oak_program_find_in(session->program, NULL, 0, text, length, i));
         i++) {
        if (other->value == one->value && other->space == one->space) continue;
        fault->code = "unknown-name";
        oak_format(fault->message, sizeof fault->message, "`%s` is 0x%llx in %s and 0x%llx in %s", one->name,
                   (unsigned long long)one->value, one->file ? one->file : "one file",
                   (unsigned long long)other->value, other->file ? other->file : "another");
        if (session_is_place(session, one))
            oak_format(fault->hint, sizeof fault->hint, "Write the address; as a place it is FILE:%s.",
                       one->name);
        else if (one->space)
            oak_format(fault->hint, sizeof fault->hint, "Write the address: `%s[0x%llx]`, `%s[0x%llx]`.",
                       session->part->architecture->spaces[one->space].name, (unsigned long long)one->value,
                       session->part->architecture->spaces[other->space ? other->space : one->space].name,
                       (unsigned long long)other->value);
        return true;
    }
    return false;
}

/* A plain number of the program that is called like a pin: what reads it may mean the pin. */
static void note_pin_of_name(oak_session *session, const oak_symbol *symbol)
{
    for (size_t i = 0; i < session->label_count; i++)
        if (!session->labels[i].told &&
            oak_same_name(symbol->name, oak_length(symbol->name), session->labels[i].name))
            session->two_faced = symbol, session->two_faced_label = i;
}

static void say_two_faced(oak_session *session, const oak_diag_sink *sink)
{
    char message[200], hint[120];
    const oak_symbol *symbol = session->two_faced;
    session->two_faced = NULL;
    if (!symbol || !sink || !sink->report) return;
    pin_label *label = &session->labels[session->two_faced_label];
    const char *port = session->part->ports[label->pin / OAK_MOST_PINS].name;
    unsigned bit = label->pin % OAK_MOST_PINS;
    label->told = true;
    oak_format(message, sizeof message,
               "`%s` is a constant of the program here (%lld), and the name of a pin, too", symbol->name,
               (long long)symbol->value);
    oak_format(hint, sizeof hint, "The pin is `%s.%u`.", port, bit);
    sink->report(
        sink->context,
        &(oak_diagnostic){.severity = OAK_WARNING, .code = "two-meanings", .message = message, .hint = hint});
}

static void *meet_name(void *context, const char *text, size_t length, oak_expr_fault *fault)
{
    oak_session *session = context;
    watch_name *name = oak_arena_take(&session->arena, sizeof *name);
    if (name && find_name(session, text, length, name)) {
        if (is_doubtful(session, name, text, length, fault)) return NULL;
        if (name->kind == NAME_SYMBOL && !name->symbol->space) note_pin_of_name(session, name->symbol);
        return name;
    }
    fault->code = "unknown-name";
    oak_format(fault->message, sizeof fault->message,
               "there is no register, special register or symbol `%.*s`", (int)(length < 60 ? length : 60),
               text);
    suggest(session, text, length, fault->hint, sizeof fault->hint);
    if (!session->program && !*fault->hint)
        oak_format(fault->hint, sizeof fault->hint, "Labels are known when the program is given as source.");
    return NULL;
}

static unsigned space_named(void *context, const char *text, size_t length)
{
    const oak_session *session = context;
    return oak_part_find_space(session->part, text, length);
}

/* ------------------------------------------------------------------------------------------ reading */

/* The cell that a bit address lies in; its bit is the address modulo 8. Found by asking the instruction set. */
static bool find_bit_cell(const oak_session *session, uint32_t address, unsigned *space, uint32_t *cell)
{
    uint8_t byte;
    for (*cell = 0; *cell < 256; (*cell)++)
        for (*space = 1; *space < session->part->architecture->space_count; (*space)++) {
            oak_value at = {.number = *cell, .space = (uint8_t)*space, .known = true}, bit;
            if (session->isa->bit_of(&at, address & 7, &bit) || bit.number != address) continue;
            if (!session->chip.ops->read_memory(session->chip.chip, *space, *cell, &byte, 1)) return true;
        }
    return false;
}

/* What an expression depends on: cells of memory, or something else. */
static void note_read(oak_session *session, unsigned space, uint32_t address, unsigned bytes, uint8_t bits)
{
    bool memory = oak_part_find_memory(session->part, space, address) != NULL;
    if (!session->collects) return;
    if (!memory || session->read_count == OAK_MOST_WATCHED) session->reads_else = true;
    else
        session->read_cells[session->read_count++] =
            (oak_watched){(uint8_t)space, OAK_ACCESS_CHANGE, bits, address, bytes};
}

/* A register of the core: what it holds may have changed when something has written it. The program counter always has. */
static void note_register(oak_session *session, unsigned number)
{
    if (!session->collects) return;
    if (number == session->part->architecture->pc_register || session->read_count == OAK_MOST_WATCHED)
        session->reads_else = true;
    else
        session->read_cells[session->read_count++] =
            (oak_watched){.accesses = OAK_ACCESS_WRITE, .address = number, .size = 1};
}

/* Levels of pins are read. */
static void note_pins(oak_session *session, unsigned port, uint32_t mask)
{
    if (!session->collects) return;
    session->reads_pins = true;
    session->read_pins[port] |= mask;
}

static void note_pins_of(oak_session *session, const oak_part_register *reg, uint32_t mask)
{
    int port = port_of(session, reg->space, reg->address);
    if (port >= 0) note_pins(session, (unsigned)port, mask);
}

/* Reads a number of cells (words, where a space has words) as one value. */
static oak_status read_cell(oak_session *session, unsigned space, uint32_t address, unsigned cells,
                            uint64_t *value)
{
    uint8_t read[8];
    const oak_space_info *about = &session->part->architecture->spaces[space];
    unsigned bytes = cells * oak_unit_bytes(session->part->architecture, space);
    *value = 0;
    if (bytes > sizeof read) return OAK_OUT_OF_RANGE;
    if (about->of_bits) {
        unsigned in, bit = address & 7;
        uint32_t cell;
        oak_pin pin;
        if (!find_bit_cell(session, address, &in, &cell)) return OAK_OUT_OF_RANGE;
        session->chip.ops->read_memory(session->chip.chip, in, cell, read, 1);
        note_read(session, in, cell, 1, (uint8_t)(1u << bit));
        *value = read[0] >> bit & 1;
        int port = port_of(session, in, cell);
        if (port < 0) return OAK_OK;
        note_pins(session, (unsigned)port, (uint32_t)1 << bit);
        if (!session->chip.ops->read_pin(session->chip.chip, (unsigned)port * OAK_MOST_PINS + bit, &pin))
            *value = pin.result != OAK_LOW;
        return OAK_OK;
    }
    oak_status status = session->chip.ops->read_memory(session->chip.chip, space, address, read, bytes);
    if (status) return status;
    note_read(session, space, address, cells, 0);
    *value = oak_number_at(session->part->architecture, space, read, bytes);
    return OAK_OK;
}

static oak_status read_scope_cell(void *context, unsigned space, uint32_t address, unsigned bytes,
                                  oak_value *value)
{
    uint64_t number;
    oak_status status = read_cell(context, space, address, bytes, &number);
    if (status) return status;
    *value = (oak_value){.known = true};
    memcpy(&value->number, &number, sizeof number);
    return OAK_OK;
}

static uint32_t port_levels(oak_session *session, unsigned port)
{
    session->reads_else = true;
    uint32_t levels = 0;
    for (unsigned bit = 0; bit < session->part->ports[port].pin_count; bit++) {
        oak_pin pin;
        if (session->chip.ops->read_pin(session->chip.chip, port * OAK_MOST_PINS + bit, &pin)) continue;
        levels |= (uint32_t)(pin.result != OAK_LOW) << bit;
    }
    return levels;
}

static uint32_t read_special(oak_session *session, const oak_part_register *reg)
{
    session->reads_else = true;
    int port = port_of(session, reg->space, reg->address);
    if (port >= 0) return port_levels(session, (unsigned)port);
    uint8_t bytes[4] = {0};
    session->chip.ops->read_memory(session->chip.chip, reg->space, reg->address, bytes,
                                   (reg->bits + 7u) / 8u);
    return (uint32_t)bytes[0] | (uint32_t)bytes[1] << 8 | (uint32_t)bytes[2] << 16 | (uint32_t)bytes[3] << 24;
}

/* Bits of a value that lies in so many cells of a space. */
static unsigned bits_of_cells(const oak_architecture *about, unsigned space, uint64_t cells)
{
    const oak_space_info *info = &about->spaces[space];
    if (info->of_bits) return 1;
    if (cells == 1 && info->unit_bits) return info->unit_bits;
    return cells > 8 ? 64 : 8 * (unsigned)cells * oak_unit_bytes(about, space);
}

static oak_status read_name(oak_session *session, const watch_name *name, bool as_address, int64_t *value,
                            uint8_t *bits)
{
    const oak_architecture *about = session->part->architecture;
    uint32_t read = 0;
    uint64_t cell;
    oak_status status = OAK_OK;
    *bits = 64;
    bool other = name->kind != NAME_SYMBOL && name->kind != NAME_REGISTER && name->kind != NAME_FLAG;
    if (other) session->reads_else = true;
    switch (name->kind) {
    case NAME_REGISTER:
        note_register(session, name->number);
        status = session->chip.ops->read_register(session->chip.chip, name->number, &read);
        *bits = about->registers[name->number].bits;
        break;
    case NAME_FLAG:
        note_register(session, about->flags[name->number].reg);
        status = session->chip.ops->read_register(session->chip.chip, about->flags[name->number].reg, &read);
        *bits = about->flags[name->number].width;
        read = read >> about->flags[name->number].bit & ((1u << *bits) - 1);
        break;
    case NAME_SPECIAL:
        read = read_special(session, name->reg);
        note_pins_of(session, name->reg, UINT32_MAX);
        *bits = name->reg->bits;
        break;
    case NAME_PORT:
        note_pins(session, name->number, UINT32_MAX);
        read = port_levels(session, name->number);
        *bits = session->part->ports[name->number].pin_count;
        break;
    case NAME_HANDLING: {
        uint32_t vector = 0;
        session->chip.ops->served(session->chip.chip, &vector);
        read = vector;
        *bits = 32;
        break;
    }
    case NAME_VECTOR: *value = session->part->vectors[name->number].address; return OAK_OK;
    case NAME_DEPTH: read = session_depth(session); break;
    case NAME_CYCLE: *value = (int64_t)session_time(session).cycles; return OAK_OK;
    case NAME_PIN:
        note_pins(session, name->number / OAK_MOST_PINS, (uint32_t)1 << name->number % OAK_MOST_PINS);
        read = port_levels(session, name->number / OAK_MOST_PINS) >> name->number % OAK_MOST_PINS & 1;
        *bits = 1;
        break;
    case NAME_FIELD:
        read = read_special(session, name->reg) >> name->field->bit & ((1u << name->field->width) - 1);
        *bits = name->field->width;
        note_pins_of(session, name->reg,
                     (((uint32_t)1 << (*bits < 32 ? *bits : 31)) - 1) << name->field->bit);
        break;
    case NAME_SYMBOL:
        *value = name->symbol->value;
        if (name->symbol->space == 0 || session_is_place(session, name->symbol) || as_address) return OAK_OK;
        status = read_cell(session, name->symbol->space, (uint32_t)name->symbol->value,
                           bytes_of(session, name->symbol), &cell);
        *bits = (uint8_t)bits_of_cells(about, name->symbol->space, bytes_of(session, name->symbol));
        read = (uint32_t)cell;
        break;
    }
    *value = read;
    return status;
}

static oak_status value_of_name(const oak_expr_scope *scope, const oak_expr *expr, oak_value *value,
                                oak_expr_fault *fault)
{
    uint8_t bits;
    *value = (oak_value){.known = true};
    if (read_name(scope->context, expr->as.name, scope->in_address, &value->number, &bits))
        return fill_fault(fault, expr, "no-cell", "the part has nothing at this address");
    return OAK_OK;
}

static unsigned width_of(const oak_session *session, const oak_expr *left);

static oak_status value_of_bit(void *context, const oak_expr *cell, const oak_value *value, int64_t bit,
                               oak_value *result)
{
    unsigned width = width_of(context, cell);
    if (bit < 0 || bit >= (int64_t)(width ? width : 64)) return OAK_REFUSED;
    *result = (oak_value){.number = value->number >> bit & 1, .known = true};
    return OAK_OK;
}

oak_expr_scope session_scope(oak_session *session)
{
    oak_expr_scope scope = {.context = session,
                            .about = session->part->architecture,
                            .value_of = value_of_name,
                            .cell = read_scope_cell,
                            .bit = value_of_bit,
                            .here = {.known = true}};
    uint32_t pc = 0;
    session->chip.ops->read_register(session->chip.chip, session->part->architecture->pc_register, &pc);
    scope.here.number = pc;
    return scope;
}

static const oak_expr *parse_part(oak_session *session, const char *text, const char *end, const char **rest,
                                  const oak_diag_sink *sink)
{
    oak_expr_fault fault;
    oak_expr_parser parser = {.arena = &session->arena,
                              .line = text,
                              .at = text,
                              .end = end,
                              .context = session,
                              .name = meet_name,
                              .space = space_named,
                              .fault = &fault};
    session->two_faced = NULL;
    const oak_expr *expr = oak_expr_parse(&parser);
    if (!expr) session_refuse(sink, text, &fault);
    else say_two_faced(session, sink);
    while (parser.at < end && *parser.at == ' ') parser.at++;
    *rest = parser.at;
    return expr;
}

const oak_expr *session_parse(oak_session *session, const char *text, const oak_diag_sink *sink)
{
    const char *end = text + oak_length(text), *rest;
    const oak_expr *expr = parse_part(session, text, end, &rest, sink);
    if (!expr || rest == end) return expr;
    oak_expr at = {.first = (uint16_t)(rest - text), .last = (uint16_t)(end - text)};
    oak_expr_fault fault;
    fill_fault(&fault, &at, "extra-text", "this does not belong to the expression");
    session_refuse(sink, text, &fault);
    return NULL;
}

oak_status session_evaluate(oak_session *session, const oak_expr *expr, const char *text,
                            const oak_diag_sink *sink, oak_reading *reading)
{
    oak_expr_fault fault;
    oak_value value;
    oak_expr_scope scope = session_scope(session);
    oak_status status = oak_expr_value(expr, &scope, &value, &fault);
    if (status) {
        session_refuse(sink, text, &fault);
        return status;
    }
    *reading = (oak_reading){.value = value.number, .bits = 64};
    if (expr->kind == OAK_EXPR_NAME) {
        const watch_name *name = expr->as.name;
        int64_t again;
        read_name(session, name, false, &again, &reading->bits);
        reading->is_address = name->kind == NAME_SYMBOL && session_is_place(session, name->symbol);
    } else if (expr->kind == OAK_EXPR_BIT) {
        reading->bits = 1;
    } else if (expr->kind == OAK_EXPR_CELL) {
        bool counted = expr->as.of.right && expr->as.of.right->kind == OAK_EXPR_NUMBER;
        reading->bits = (uint8_t)bits_of_cells(session->part->architecture, expr->space,
                                               counted ? (uint64_t)expr->as.of.right->as.number : 1);
    }
    return OAK_OK;
}

oak_status oak_session_value(oak_session *session, const char *expression, const oak_diag_sink *sink,
                             oak_reading *reading)
{
    const oak_expr *expr = session_parse(session, expression, sink);
    return expr ? session_evaluate(session, expr, expression, sink, reading) : OAK_REFUSED;
}

/* One end of a stretch; variables mean their addresses. */
static oak_status range_end(oak_session *session, const char *text, const char *at, const char *end,
                            const oak_diag_sink *sink, int64_t *address)
{
    oak_expr_fault fault;
    oak_expr_parser parser = {.arena = &session->arena,
                              .line = text,
                              .at = at,
                              .end = end,
                              .context = session,
                              .name = meet_name,
                              .space = space_named,
                              .fault = &fault};
    oak_expr_scope scope = session_scope(session);
    oak_value value = {0};
    scope.in_address = true;
    const oak_expr *expr = oak_expr_parse(&parser);
    if (!expr || oak_expr_value(expr, &scope, &value, &fault)) {
        session_refuse(sink, text, &fault);
        return OAK_REFUSED;
    }
    *address = value.number;
    return OAK_OK;
}

oak_status oak_session_range(oak_session *session, const char *range, const oak_diag_sink *sink,
                             unsigned *space, uint32_t *from, uint32_t *to)
{
    const char *end = range + oak_length(range), *open = range, *dots, *close = end;
    oak_expr_fault fault = {.code = "range", .last = (uint16_t)(end - range)};
    while (open < end && *open != '[') open++;
    for (dots = open; dots < end && !(dots[0] == '.' && dots[1] == '.');) dots++;
    while (close > dots && close[-1] == ' ') close--;
    *space = oak_part_find_space(session->part, range, (size_t)(open - range));
    if (!*space || dots == end || close[-1] != ']') {
        oak_format(fault.message, sizeof fault.message, "this is no stretch of memory");
        oak_part_example(session->part, "Write `$S[$a..$b]` or `$S[table..table+15]`.", fault.hint,
                         sizeof fault.hint);
        session_refuse(sink, range, &fault);
        return OAK_REFUSED;
    }
    int64_t first, last;
    if (range_end(session, range, open + 1, dots, sink, &first) ||
        range_end(session, range, dots + 2, close - 1, sink, &last))
        return OAK_REFUSED;
    uint8_t byte;
    bool inside = first >= 0 && last >= first && last <= UINT32_MAX &&
                  !session->chip.ops->read_memory(session->chip.chip, *space, (uint32_t)first, &byte, 1) &&
                  !session->chip.ops->read_memory(session->chip.chip, *space, (uint32_t)last, &byte, 1);
    if (!inside) {
        oak_format(fault.message, sizeof fault.message, "%s has no %s from 0x%llx to 0x%llx",
                   session->part->name, session->part->architecture->spaces[*space].title,
                   (unsigned long long)first, (unsigned long long)last);
        session_refuse(sink, range, &fault);
        return OAK_REFUSED;
    }
    *from = (uint32_t)first;
    *to = (uint32_t)last;
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ where it lies */

static oak_status locate_bit(oak_session *session, uint32_t address, oak_watched *where)
{
    unsigned space;
    if (!find_bit_cell(session, address, &space, &where->address)) return OAK_OUT_OF_RANGE;
    where->space = (uint8_t)space;
    where->size = 1;
    where->bits = (uint8_t)(1u << (address & 7));
    return OAK_OK;
}

static oak_status locate_register(const oak_part_register *reg, oak_watched *where)
{
    *where = (oak_watched){.space = reg->space, .address = reg->address, .size = (reg->bits + 7u) / 8u};
    return OAK_OK;
}

/* Where the levels on the pins of a port of several registers are read. */
static const oak_part_role *input_of(const oak_session *session, unsigned port)
{
    for (unsigned i = 0; i < session->part->block_count; i++) {
        const oak_part_block *block = &session->part->blocks[i];
        if (block->kind != OAK_BLOCK_PORT || block->pin != port) continue;
        for (unsigned r = 0; r < block->role_count; r++)
            if (block->roles[r].role == OAK_PORT_INPUT) return &block->roles[r];
    }
    return NULL;
}

/* A port is a register where the instruction set has addresses for its bits; elsewhere it is several, of which one is read.
 * pin: -1 for all of them. */
static oak_status locate_port(const oak_session *session, unsigned port, int pin, oak_watched *where)
{
    const oak_part_port *about = &session->part->ports[port];
    *where = (oak_watched){.space = about->space, .address = about->address, .size = 1};
    if (about->has_block) {
        const oak_part_role *input = input_of(session, port);
        if (!input || input->bit) return OAK_UNSUPPORTED;
        where->address = input->address;
        where->size = (about->pin_count + 7u) / 8;
    }
    if (pin < 0) return OAK_OK;
    where->address += (unsigned)pin / 8;
    where->size = 1;
    where->bits = (uint8_t)(1u << pin % 8);
    return OAK_OK;
}

static oak_status locate_name(oak_session *session, const watch_name *name, oak_watched *where)
{
    unsigned bit;
    switch (name->kind) {
    case NAME_SPECIAL: return locate_register(name->reg, where);
    case NAME_FIELD:
        locate_register(name->reg, where);
        bit = name->field->bit;
        if (bit / 8 != (bit + name->field->width - 1u) / 8) return OAK_OK; /* the whole of it */
        where->address += bit / 8;
        where->size = 1;
        where->bits = (uint8_t)(((1u << name->field->width) - 1) << bit % 8);
        return OAK_OK;
    case NAME_REGISTER: *where = (oak_watched){.address = name->number, .size = 1}; return OAK_OK;
    case NAME_FLAG: {
        const oak_flag_info *flag = &session->part->architecture->flags[name->number];
        bool narrow = session->part->architecture->registers[flag->reg].bits <= 8;
        *where = (oak_watched){.address = flag->reg, .size = 1};
        if (narrow) where->bits = (uint8_t)(((1u << flag->width) - 1) << flag->bit);
        return OAK_OK;
    }
    case NAME_PORT: return locate_port(session, name->number, -1, where);
    case NAME_PIN:
        return locate_port(session, name->number / OAK_MOST_PINS, (int)(name->number % OAK_MOST_PINS), where);
    case NAME_SYMBOL: break;
    default: return OAK_UNSUPPORTED;
    }
    const oak_symbol *symbol = name->symbol;
    if (!symbol->space) return OAK_UNSUPPORTED;
    if (session->part->architecture->spaces[symbol->space].of_bits)
        return locate_bit(session, (uint32_t)symbol->value, where);
    *where = (oak_watched){
        .space = symbol->space, .address = (uint32_t)symbol->value, .size = bytes_of(session, symbol)};
    return OAK_OK;
}

static oak_status locate(oak_session *session, const oak_expr *expr, oak_watched *where,
                         oak_expr_fault *fault)
{
    oak_expr_scope scope = session_scope(session);
    oak_value value, bytes = {.number = 1};
    oak_status status;
    *where = (oak_watched){0};
    switch (expr->kind) {
    case OAK_EXPR_NAME: return locate_name(session, expr->as.name, where);
    case OAK_EXPR_BIT:
        status = locate(session, expr->as.of.left, where, fault);
        if (!status) status = oak_expr_value(expr->as.of.right, &scope, &value, fault);
        if (status || value.number < 0 || value.number >= 8 * (int64_t)where->size)
            return status ? status : OAK_OUT_OF_RANGE;
        where->address += (uint32_t)value.number / 8;
        where->bits = (uint8_t)(1u << value.number % 8);
        where->size = 1;
        return OAK_OK;
    case OAK_EXPR_CELL:
        scope.in_address = true;
        status = oak_expr_value(expr->as.of.left, &scope, &value, fault);
        if (!status && expr->as.of.right) status = oak_expr_value(expr->as.of.right, &scope, &bytes, fault);
        if (status) return status;
        if (value.number < 0 || value.number > UINT32_MAX || bytes.number < 1 || bytes.number > 8)
            return OAK_OUT_OF_RANGE;
        if (session->part->architecture->spaces[expr->space].of_bits)
            return locate_bit(session, (uint32_t)value.number, where);
        *where = (oak_watched){
            .space = (uint8_t)expr->space, .address = (uint32_t)value.number, .size = (uint32_t)bytes.number};
        return OAK_OK;
    default: return OAK_UNSUPPORTED;
    }
}

/* Is this a port, or a pin of one, that several registers drive? */
static bool has_several_outputs(const oak_session *session, const oak_expr *expr)
{
    if (expr->kind == OAK_EXPR_BIT) expr = expr->as.of.left;
    if (expr->kind != OAK_EXPR_NAME) return false;
    const watch_name *name = expr->as.name;
    return (name->kind == NAME_PORT && session->part->ports[name->number].has_block) ||
           (name->kind == NAME_PIN && session->part->ports[name->number / OAK_MOST_PINS].has_block);
}

oak_status session_locate(oak_session *session, const char *text, const oak_diag_sink *sink, bool writes,
                          oak_watched *where)
{
    const oak_expr *expr = session_parse(session, text, sink);
    if (!expr) return OAK_REFUSED;
    oak_expr_fault fault = {0};
    oak_status status = locate(session, expr, where, &fault);
    if (writes && !status && has_several_outputs(session, expr)) {
        status = fill_fault(&fault, expr, "watch", "several registers drive the pins of this port");
        oak_format(fault.hint, sizeof fault.hint,
                   "Watch it for changes, or watch the registers of the port for writes.");
    }
    if (!status) return OAK_OK;
    if (!fault.code) {
        fill_fault(&fault, expr, "watch", "this lies in no cell that could be read or written");
        oak_format(
            fault.hint, sizeof fault.hint,
            "A variable, a cell, a stretch of them, a bit, a register or a special register does. Of all "
            "else, changes can be watched.");
    }
    session_refuse(sink, text, &fault);
    return OAK_REFUSED;
}

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
    int port = port_of(session, reg->space, reg->address);
    if (port >= 0) return drive_port(session, (unsigned)port, bit, width, value);
    uint32_t mask = ((width >= 32 ? 0 : (uint32_t)1 << width) - 1) << bit;
    uint32_t whole = (read_special(session, reg) & ~mask) | ((uint32_t)value << bit & mask);
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
    if (!find_bit_cell(session, address, &space, &cell)) return OAK_OUT_OF_RANGE;
    int port = port_of(session, space, cell);
    if (port >= 0) return drive_port(session, (unsigned)port, address & 7, 1, value);
    session->chip.ops->read_memory(session->chip.chip, space, cell, &byte, 1);
    byte = (uint8_t)((byte & ~(1u << (address & 7))) | (unsigned)(value & 1) << (address & 7));
    return session->chip.ops->write_memory(session->chip.chip, space, cell, &byte, 1);
}

static unsigned width_of(const oak_session *session, const oak_expr *left)
{
    const oak_architecture *about = session->part->architecture;
    if (left->kind == OAK_EXPR_BIT) return 1;
    if (left->kind == OAK_EXPR_CELL && !about->spaces[left->space].of_bits)
        return !left->as.of.right ? bits_of_cells(about, left->space, 1)
               : left->as.of.right->kind == OAK_EXPR_NUMBER
                   ? bits_of_cells(about, left->space, (uint64_t)left->as.of.right->as.number)
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
    default: return bits_of_cells(about, name->symbol->space, bytes_of(session, name->symbol));
    }
}

static oak_status write_name(oak_session *session, const watch_name *name, uint64_t value,
                             const oak_expr *left, oak_expr_fault *fault)
{
    const oak_architecture *about = session->part->architecture;
    switch (name->kind) {
    case NAME_REGISTER:
        return session->chip.ops->write_register(session->chip.chip, name->number, (uint32_t)value);
    case NAME_FLAG: {
        const oak_flag_info *flag = &about->flags[name->number];
        uint32_t mask = ((1u << flag->width) - 1) << flag->bit, whole = 0;
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
        return fill_fault(fault, left, "not-settable", "%s: it cannot be set",
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
        fill_fault(fault, left, "not-settable", "`%s` is %s: there is nothing to set", name->symbol->name,
                   space ? "a place in code" : "a constant");
        oak_part_example(session->part, "Set a register, a variable, a pin, or a cell: `$S[$a]=1`.",
                         fault->hint, sizeof fault->hint);
        return OAK_REFUSED;
    }
    if (about->spaces[space].of_bits) return write_bit_address(session, (uint32_t)name->symbol->value, value);
    return write_cell(session, space, (uint32_t)name->symbol->value, bytes_of(session, name->symbol), value);
}

static oak_status write_bit(oak_session *session, const oak_expr *left, int64_t bit, uint64_t value,
                            oak_expr_fault *fault)
{
    const oak_expr *cell = left->as.of.left;
    const watch_name *name = cell->kind == OAK_EXPR_NAME ? cell->as.name : NULL;
    unsigned width = name ? width_of(session, cell) : 8;
    if (bit < 0 || bit >= (int64_t)width)
        return fill_fault(fault, left, "no-bit", "there is no bit %lld here", (long long)bit);
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
    if (locate(session, left, &where, fault)) {
        if (fault->code) return OAK_REFUSED;
        return fill_fault(fault, left, "not-settable",
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
            return fill_fault(fault, left, "value-range", "1 to 8 bytes can be set as one value");
        if (bytes.number < 8 && value >> (8 * bytes.number) && ~value >> (8 * bytes.number - 1))
            return fill_fault(fault, left, "value-range", "the value does not fit %lld bytes",
                              (long long)bytes.number);
        if (address.number < 0 || address.number > UINT32_MAX) return OAK_OUT_OF_RANGE;
        if (session->part->architecture->spaces[left->space].of_bits)
            return write_bit_address(session, (uint32_t)address.number, value);
        return write_cell(session, left->space, (uint32_t)address.number, (unsigned)bytes.number, value);
    default:
        return fill_fault(fault, left, "not-settable",
                          "only a register, variable, pin, bit or cell can be set");
    }
}

oak_status oak_session_set(oak_session *session, const char *assignment, const oak_diag_sink *sink)
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
    const oak_expr *left = parse_part(session, assignment, equals, &rest, sink);
    if (!left) return OAK_REFUSED;
    oak_status status = OAK_OK;
    oak_reading reading = {0};
    if (rest != equals) {
        oak_expr at = {.first = (uint16_t)(rest - assignment), .last = (uint16_t)(equals - assignment)};
        status = fill_fault(&fault, &at, "extra-text", "this does not belong to the left side");
    } else {
        status = oak_session_value(session, equals + 1, sink, &reading);
        if (status) return status;
        unsigned width = width_of(session, left);
        if (width && width < 64 &&
            (reading.value >= (int64_t)1 << width || reading.value < -((int64_t)1 << (width - 1))))
            status = fill_fault(&fault, left, "value-range", "%lld does not fit %u bit%s",
                                (long long)reading.value, width, width == 1 ? "" : "s");
        else {
            uint64_t value = (uint64_t)reading.value;
            if (width && width < 64) value &= ((uint64_t)1 << width) - 1;
            fault.code = NULL;
            status = assign(session, left, value, &fault);
            if (status && !fault.code)
                fill_fault(&fault, left, "no-cell", "the part has nothing there that could be set");
        }
    }
    if (status) session_refuse(sink, assignment, &fault);
    return status ? OAK_REFUSED : OAK_OK;
}

const char *oak_session_pin_name(const oak_session *session, unsigned pin)
{
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
