/* values.c — expressions over a running chip: the values of names, cells and pins. */
#include "session/values.h"
#include "base/bytes.h"
#include "periph/block.h"

/* ------------------------------------------------------------------------------------------ reading */

/* The cell that a bit address lies in; its bit is the address modulo 8. Found by asking the instruction set. */
bool session_find_bit_cell(const oak_session *session, uint32_t address, unsigned *space, uint32_t *cell)
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

/* Of something that neither the chip nor the outside tells of. */
static void note_else(oak_session *session)
{
    session->reads_else = session->reads_more = true;
}

/* One more of what an expression depends on. What changes by itself only who judges can look at. */
static void note_cell(oak_session *session, oak_watched cell, bool by_itself)
{
    if (session->read_count == OAK_MOST_WATCHED || (by_itself && !session->compiles)) note_else(session);
    else session->read_cells[session->read_count++] = cell;
}

/* Something of the chip as a whole, which by its own account only who judges can look at. */
static void note_whole(oak_session *session, uint32_t which, uint8_t bits)
{
    const oak_watched cell = {.accesses = OAK_ACCESS_CHANGE, .bits = bits, .address = which, .size = 1};
    if (session->collects) note_cell(session, cell, true);
}

static void note_written(oak_session *session, unsigned number)
{
    bool place = number == session->part->architecture->pc_register;
    note_cell(
        session,
        (oak_watched){.accesses = place ? OAK_ACCESS_CHANGE : OAK_ACCESS_WRITE, .address = number, .size = 1},
        place);
}

/* Bits of a register of the core: what they hold may have changed when something has written it, or what they follow. The program
 * counter always has. */
static void note_register(oak_session *session, unsigned number, uint32_t bits)
{
    const oak_architecture *about = session->part->architecture;
    if (!session->collects) return;
    note_written(session, number);
    for (unsigned i = 0; about->bank_flag && i < about->cells_count;
         i++) { /* or when another bank is selected */
        const oak_flag_info *flag = &about->flags[about->bank_flag - 1];
        if (about->cells[i].reg != number || !about->cells[i].banks) continue;
        unsigned noted = session->read_count;
        note_written(session, flag->reg);
        if (session->read_count > noted)
            session->read_cells[noted].bits = (uint8_t)(((1u << flag->width) - 1) << flag->bit);
    }
    for (unsigned i = 0; i < about->flag_count; i++)
        if (about->flags[i].reg == number && about->flags[i].follows && (bits >> about->flags[i].bit & 1))
            note_written(session, about->flags[i].follows);
}

/* A register of the core may lie in cells of a special space: what writes them is seen. */
static bool note_core_cell(oak_session *session, unsigned space, uint32_t address, uint32_t bits)
{
    const oak_architecture *about = session->part->architecture;
    for (unsigned i = 0; i < about->cells_count; i++) {
        const oak_register_cells *cells = &about->cells[i];
        if (cells->space != space || cells->banks || address - cells->address >= cells->size) continue;
        if (cells->size > 1) bits = UINT32_MAX;
        unsigned first = session->read_count;
        note_register(session, cells->reg, bits);
        if (session->read_count == first) return true;
        session->read_cells[first] =
            (oak_watched){(uint8_t)space, OAK_ACCESS_WRITE, (uint8_t)(bits > 0xFF ? 0 : bits), address, 1};
        return true;
    }
    return false;
}

/* What an expression depends on: cells of memory, or something else. */
static void note_read(oak_session *session, unsigned space, uint32_t address, unsigned bytes, uint8_t bits)
{
    if (!session->collects) return;
    if (note_core_cell(session, space, address, bits ? bits : UINT32_MAX)) return;
    note_cell(session, (oak_watched){(uint8_t)space, OAK_ACCESS_CHANGE, bits, address, bytes},
              !oak_part_find_memory(session->part, space, address));
}

/* Levels of pins are read. */
static void note_pins(oak_session *session, unsigned port, uint32_t mask)
{
    if (!session->collects) return;
    session->reads_pins = true;
    session->read_pins[port] |= mask;
    if (session->compiles)
        note_whole(session, OAK_JUDGED_PINS + port, mask > 0x80 || mask & (mask - 1) ? 0 : (uint8_t)mask);
    else session->reads_else = true;
}

static void note_pins_of(oak_session *session, const oak_part_register *reg, uint32_t mask)
{
    int port = session_port_of(session, reg->space, reg->address);
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
        if (!session_find_bit_cell(session, address, &in, &cell)) return OAK_OUT_OF_RANGE;
        session->chip.ops->read_memory(session->chip.chip, in, cell, read, 1);
        *value = read[0] >> bit & 1;
        int port = session_port_of(session, in, cell);
        if (port < 0) note_read(session, in, cell, 1, (uint8_t)(1u << bit));
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
    uint32_t levels = 0;
    for (unsigned bit = 0; bit < session->part->ports[port].pin_count; bit++) {
        oak_pin pin;
        if (session->chip.ops->read_pin(session->chip.chip, port * OAK_MOST_PINS + bit, &pin)) continue;
        levels |= (uint32_t)(pin.result != OAK_LOW) << bit;
    }
    return levels;
}

/* A special register; `bits` are those that somebody wants to know. */
static uint32_t read_bits(oak_session *session, const oak_part_register *reg, uint32_t bits)
{
    int port = session_port_of(session, reg->space, reg->address);
    if (port >= 0) return port_levels(session, (unsigned)port);
    note_read(session, reg->space, reg->address, (reg->bits + 7u) / 8u, bits > 0xFF ? 0 : (uint8_t)bits);
    uint8_t bytes[4] = {0};
    session->chip.ops->read_memory(session->chip.chip, reg->space, reg->address, bytes,
                                   (reg->bits + 7u) / 8u);
    return (uint32_t)oak_number_at(session->part->architecture, reg->space, bytes, (reg->bits + 7u) / 8u);
}

uint32_t session_read_special(oak_session *session, const oak_part_register *reg)
{
    return read_bits(session, reg, UINT32_MAX);
}

/* Bits of a value that lies in so many cells of a space. */
unsigned session_bits_of_cells(const oak_architecture *about, unsigned space, uint64_t cells)
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
    switch (name->kind) {
    case NAME_REGISTER:
        note_register(session, name->number, UINT32_MAX);
        status = session->chip.ops->read_register(session->chip.chip, name->number, &read);
        *bits = about->registers[name->number].bits;
        break;
    case NAME_FLAG:
        note_register(session, about->flags[name->number].reg, 1u << about->flags[name->number].bit);
        status = session->chip.ops->read_register(session->chip.chip, about->flags[name->number].reg, &read);
        *bits = about->flags[name->number].width;
        read = read >> about->flags[name->number].bit & ((1u << *bits) - 1);
        break;
    case NAME_SPECIAL:
        if (as_address) {
            *value = name->reg->address;
            return OAK_OK;
        }
        read = session_read_special(session, name->reg);
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
        note_whole(session, OAK_JUDGED_HANDLED, 0);
        session->chip.ops->served(session->chip.chip, &vector);
        read = vector;
        *bits = 32;
        break;
    }
    case NAME_VECTOR: *value = session->part->vectors[name->number].address; return OAK_OK;
    case NAME_DEPTH:
        note_whole(session, OAK_JUDGED_WORKED_OUT, 0);
        read = session_depth(session);
        break;
    case NAME_CYCLE:
        note_whole(session, OAK_JUDGED_TIME, 0);
        *value = (int64_t)session_time(session).cycles;
        return OAK_OK;
    case NAME_PIN:
        note_pins(session, name->number / OAK_MOST_PINS, (uint32_t)1 << name->number % OAK_MOST_PINS);
        read = port_levels(session, name->number / OAK_MOST_PINS) >> name->number % OAK_MOST_PINS & 1;
        *bits = 1;
        break;
    case NAME_FIELD:
        read = read_bits(session, name->reg, ((1u << name->field->width) - 1) << name->field->bit) >>
                   name->field->bit &
               ((1u << name->field->width) - 1);
        *bits = name->field->width;
        note_pins_of(session, name->reg,
                     (((uint32_t)1 << (*bits < 32 ? *bits : 31)) - 1) << name->field->bit);
        break;
    case NAME_SYMBOL:
        *value = name->symbol->value;
        if (name->symbol->space == 0 || session_is_place(session, name->symbol) || as_address) return OAK_OK;
        status = read_cell(session, name->symbol->space, (uint32_t)name->symbol->value,
                           session_bytes_of(session, name->symbol), &cell);
        *bits = (uint8_t)session_bits_of_cells(about, name->symbol->space,
                                               session_bytes_of(session, name->symbol));
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
        return session_fill_fault(fault, expr, "no-cell", "the part has nothing at this address");
    return OAK_OK;
}

static oak_status value_of_bit(void *context, const oak_expr *cell, const oak_value *value, int64_t bit,
                               oak_value *result)
{
    unsigned width = session_width_of(context, cell);
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

const oak_expr *session_parse_part(oak_session *session, const char *text, const char *end, const char **rest,
                                   const oak_diag_sink *sink)
{
    oak_expr_fault fault;
    oak_expr_parser parser = {.arena = &session->arena,
                              .line = text,
                              .at = text,
                              .end = end,
                              .context = session,
                              .name = session_meet_name,
                              .space = session_space_named,
                              .family = "flag",
                              .fault = &fault};
    session->two_faced = NULL;
    const oak_expr *expr = oak_expr_parse(&parser);
    if (!expr) session_refuse(sink, text, &fault);
    else session_say_two_faced(session, sink);
    while (parser.at < end && *parser.at == ' ') parser.at++;
    *rest = parser.at;
    return expr;
}

const oak_expr *session_parse(oak_session *session, const char *text, const oak_diag_sink *sink)
{
    const char *end = text + oak_length(text), *rest;
    const oak_expr *expr = session_parse_part(session, text, end, &rest, sink);
    if (!expr || rest == end) return expr;
    oak_expr at = {.first = (uint16_t)(rest - text), .last = (uint16_t)(end - text)};
    oak_expr_fault fault;
    session_fill_fault(&fault, &at, "extra-text", "this does not belong to the expression");
    session_refuse(sink, text, &fault);
    return NULL;
}

oak_status session_evaluate(oak_session *session, const oak_expr *expr, const char *text,
                            const oak_diag_sink *sink, oak_reading *reading)
{
    oak_expr_fault fault;
    oak_value value;
    oak_expr_scope scope = session_scope(session);
    scope.in_address = session->in_address;
    oak_status status = oak_expr_value(expr, &scope, &value, &fault);
    if (status) {
        session_refuse(sink, text, &fault);
        return status;
    }
    *reading = (oak_reading){.value = value.number, .bits = 64};
    if (expr->kind == OAK_EXPR_NAME) {
        const watch_name *name = expr->as.name;
        int64_t again;
        read_name(session, name, session->in_address, &again, &reading->bits);
        reading->is_address = name->kind == NAME_SYMBOL && session_is_place(session, name->symbol);
    } else if (expr->kind == OAK_EXPR_BIT) {
        reading->bits = 1;
    } else if (expr->kind == OAK_EXPR_CELL) {
        bool counted = expr->as.of.right && expr->as.of.right->kind == OAK_EXPR_NUMBER;
        reading->bits = (uint8_t)session_bits_of_cells(session->part->architecture, expr->space,
                                                       counted ? (uint64_t)expr->as.of.right->as.number : 1);
    }
    return OAK_OK;
}

static oak_status work_out(oak_session *session, const char *expression, const oak_diag_sink *sink,
                           oak_reading *reading)
{
    const oak_expr *expr = session_parse(session, expression, sink);
    return expr ? session_evaluate(session, expr, expression, sink, reading) : OAK_REFUSED;
}

oak_status oak_session_value(oak_session *session, const char *expression, const oak_diag_sink *sink,
                             oak_reading *reading)
{
    if (!session || !expression || !sink || !reading) return OAK_MISUSE;
    return session_outcome(session, work_out(session, expression, sink, reading));
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
                              .name = session_meet_name,
                              .space = session_space_named,
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
    if (!session || !range || !sink || !space || !from || !to) return OAK_MISUSE;
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
