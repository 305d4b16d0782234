/* locate.c — where it lies what an expression names: for watches. */
#include "base/bytes.h"
#include "periph/block.h"
#include "session/values.h"

/* ------------------------------------------------------------------------------------------ where it lies */

static oak_status locate_bit(oak_session *session, uint32_t address, oak_watched *where)
{
    unsigned space;
    if (!session_find_bit_cell(session, address, &space, &where->address)) return OAK_OUT_OF_RANGE;
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
    *where = (oak_watched){.space = symbol->space,
                           .address = (uint32_t)symbol->value,
                           .size = session_bytes_of(session, symbol)};
    return OAK_OK;
}

oak_status session_locate_expr(oak_session *session, const oak_expr *expr, oak_watched *where,
                               oak_expr_fault *fault)
{
    oak_expr_scope scope = session_scope(session);
    oak_value value, bytes = {.number = 1};
    oak_status status;
    *where = (oak_watched){0};
    switch (expr->kind) {
    case OAK_EXPR_NAME: return locate_name(session, expr->as.name, where);
    case OAK_EXPR_BIT:
        status = session_locate_expr(session, expr->as.of.left, where, fault);
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
    oak_status status = session_locate_expr(session, expr, where, &fault);
    if (writes && !status && has_several_outputs(session, expr)) {
        status = session_fill_fault(&fault, expr, "watch", "several registers drive the pins of this port");
        oak_format(fault.hint, sizeof fault.hint,
                   "Watch it for changes, or watch the registers of the port for writes.");
    }
    if (!status) return OAK_OK;
    if (!fault.code) {
        session_fill_fault(&fault, expr, "watch", "this lies in no cell that could be read or written");
        oak_format(
            fault.hint, sizeof fault.hint,
            "A variable, a cell, a stretch of them, a bit, a register or a special register does. Of all "
            "else, changes can be watched.");
    }
    session_refuse(sink, text, &fault);
    return OAK_REFUSED;
}
