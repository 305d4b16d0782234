/* places.c — points of the program as people name them: label, label+4, file.asm:27, file.asm:label, a vector, 0x0123. */
#include <oakspindle/print.h>

#include "base/bytes.h"
#include "session/session_state.h"
#include "session/values.h"

static const char how_to[] = "Places: a label, label+4, file.asm:27, file.asm:label, a vector, 0x0123.";

static oak_status no_place(const oak_diag_sink *sink, const char *place, const char *hint, const char *what)
{
    oak_refuse(sink, "place", NULL, 0, 0, hint, "`%s` %s", place, what);
    return OAK_REFUSED;
}

/* A label of one file. */
static oak_status label_in_file(oak_session *session, const char *place, const char *colon,
                                const oak_diag_sink *sink, uint32_t *address)
{
    const oak_symbol *symbol = oak_program_find_in(session->program, place, (size_t)(colon - place),
                                                   colon + 1, oak_length(colon + 1), 0);
    if (!symbol) return no_place(sink, place, how_to, "is no label of this file");
    if (!session_is_place(session, symbol))
        return no_place(sink, place, how_to, "is no place in code memory");
    *address = (uint32_t)symbol->value;
    return OAK_OK;
}

static oak_status place_in_file(oak_session *session, const char *place, const char *colon,
                                const oak_diag_sink *sink, uint32_t *address)
{
    uint64_t line;
    size_t used;
    oak_line found;
    const char *end = place + oak_length(place);
    bool named = oak_is_letter(colon[1]) || colon[1] == '.';
    if (!session->program)
        return no_place(sink, place, "Lines and labels are known when the program is given as source.",
                        "is known to nobody");
    if (named) return label_in_file(session, place, colon, sink, address);
    if (oak_read_number(colon + 1, end, &line, &used) || colon + 1 + used != end || line > UINT32_MAX)
        return no_place(sink, place, how_to, "is no place");
    if (oak_program_find_line(session->program, place, (size_t)(colon - place), (uint32_t)line, &found)) {
        oak_refuse(sink, "place", NULL, 0, 0, "Is it the name of a source file of this program?",
                   "no code belongs to `%s` or a line behind it", place);
        return OAK_REFUSED;
    }
    *address = found.address;
    return OAK_OK;
}

/* Several files have a label of this name. */
static oak_status ask_which(const oak_session *session, const char *place, const oak_diag_sink *sink)
{
    char hint[200] = "Say which:";
    const oak_symbol *one;
    size_t length = oak_length(place);
    for (unsigned i = 0; i < 4 && (one = oak_program_find_in(session->program, NULL, 0, place, length, i));
         i++) {
        const char *file = one->file ? one->file : "?", *name = file;
        for (const char *p = file; *p; p++)
            if (*p == '/') name = p + 1;
        oak_format(hint + oak_length(hint), sizeof hint - oak_length(hint), "%s `%s:%s` (line %u)",
                   i ? "," : "", name, place, one->line);
    }
    return no_place(sink, place, hint, "is a label of several files");
}

/* Where the handler of a vector begins. */
static oak_status vector_place(oak_session *session, unsigned number, const char *place,
                               const oak_diag_sink *sink, uint32_t *address)
{
    const oak_part_vector *vector = &session->part->vectors[number];
    const oak_architecture *about = session->part->architecture;
    *address = vector->address;
    if (!about->vector_bytes) return OAK_OK;
    if (vector->is_value) return no_place(sink, place, how_to, "is a vector without a handler");
    uint8_t bytes[8] = {0};
    oak_status status = session->chip.ops->read_memory(session->chip.chip, about->code_space, vector->address,
                                                       bytes, about->vector_bytes);
    if (status) return status;
    *address = (uint32_t)oak_number_at(about, about->code_space, bytes, about->vector_bytes) &
               ~(uint32_t)about->code_bit;
    if (oak_part_find_memory(session->part, about->code_space, *address)) return OAK_OK;
    return no_place(sink, place, "The program gives it one with `vector NAME, handler`.",
                    "is a vector without a handler");
}

/* True when the value depends on what the chip holds, or lies in another space than code. */
static bool is_elsewhere(const oak_session *session, const oak_expr *expr)
{
    const watch_name *name = expr->as.name;
    switch (expr->kind) {
    case OAK_EXPR_NUMBER:
    case OAK_EXPR_HERE: return false;
    case OAK_EXPR_NAME:
        if (name->kind == NAME_VECTOR) return false;
        return name->kind != NAME_SYMBOL ||
               (name->symbol->space && name->symbol->space != session->part->architecture->code_space);
    case OAK_EXPR_CELL:
    case OAK_EXPR_BIT: return true;
    default: break;
    }
    return is_elsewhere(session, expr->as.of.left) ||
           (expr->as.of.right && is_elsewhere(session, expr->as.of.right)) ||
           (expr->as.of.third && is_elsewhere(session, expr->as.of.third));
}

oak_status oak_session_place(oak_session *session, const char *place, const oak_diag_sink *sink,
                             uint32_t *address)
{
    if (!session || !place || !sink || !address) return OAK_MISUSE;
    size_t length = oak_length(place);
    for (const char *p = place; *p; p++)
        if (*p == ':') return place_in_file(session, place, p, sink, address);
    /* A label as a whole first: a local one ("start.loop") is no expression. */
    const oak_symbol *label =
        session->program ? oak_program_find_in(session->program, NULL, 0, place, length, 0) : NULL;
    if (label && session_is_place(session, label)) {
        const oak_symbol *other;
        for (unsigned i = 1; (other = oak_program_find_in(session->program, NULL, 0, place, length, i)); i++)
            if (other->value != label->value || other->space != label->space)
                return ask_which(session, place, sink);
        *address = (uint32_t)label->value;
        return OAK_OK;
    }
    for (unsigned i = 0; !label && i < session->part->vector_count; i++)
        if (oak_same_name(place, length, session->part->vectors[i].name))
            return vector_place(session, i, place, sink, address);
    const oak_expr *expr = session_parse(session, place, sink);
    if (!expr) return OAK_REFUSED;
    if (is_elsewhere(session, expr)) return no_place(sink, place, how_to, "is no place in code memory");
    oak_expr_fault fault;
    oak_value value;
    oak_expr_scope scope = session_scope(session);
    scope.in_address = true;
    if (oak_expr_value(expr, &scope, &value, &fault)) {
        session_refuse(sink, place, &fault);
        return OAK_REFUSED;
    }
    unsigned code = session->part->architecture->code_space;
    bool inside = value.number >= 0 && value.number <= UINT32_MAX &&
                  oak_part_find_memory(session->part, code, (uint32_t)value.number);
    if (!inside) {
        oak_refuse(sink, "place", NULL, 0, 0, NULL, "`%s` is %lld, outside the code memory of %s", place,
                   (long long)value.number, session->part->name);
        return OAK_REFUSED;
    }
    *address = (uint32_t)value.number;
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ places that are reached */

static void warn(const oak_diag_sink *sink, const char *hint, const char *place, const char *what)
{
    char message[300];
    oak_format(message, sizeof message, "`%s` %s", place, what);
    const oak_diagnostic d = {.severity = OAK_WARNING, .code = "place", .message = message, .hint = hint};
    if (sink && sink->report) sink->report(sink->context, &d);
}

static bool is_data(const oak_program *program, uint32_t address)
{
    uint32_t at, size;
    for (size_t next = 0; oak_program_next_data(program, &next, &at, &size) == OAK_OK;)
        if (address - at < size) return true;
    return false;
}

/* Says why execution will hardly arrive there. */
static void doubt(const oak_session *session, const char *place, uint32_t address, const oak_diag_sink *sink)
{
    const oak_program *program = session->program;
    const oak_part_memory *memory =
        oak_part_find_memory(session->part, session->part->architecture->code_space, address);
    uint8_t byte;
    oak_line line;
    char what[200];
    if (!program) return;
    const oak_architecture *about = session->part->architecture;
    if (!oak_image_byte(oak_program_image(program), address * oak_unit_bytes(about, about->code_space),
                        &byte)) {
        if (memory && !oak_memory_is_filled(memory))
            warn(sink, "It is reached only if the program puts code there and runs it.", place,
                 "lies in RAM, where no code is loaded");
        else warn(sink, "It is never reached.", place, "lies where nothing is programmed");
    } else if (is_data(program, address))
        warn(sink, "It is never reached.", place, "is data, no instruction");
    else if (oak_program_line_at(program, address, &line) == OAK_OK && line.address != address) {
        oak_format(what, sizeof what, "lies inside the instruction of %s:%u, which begins at 0x%04x",
                   line.file, line.line, (unsigned)line.address);
        warn(sink, "It is reached only by a jump into the middle.", place, what);
    }
}

oak_status session_reached_place(oak_session *session, const char *place, const oak_diag_sink *sink,
                                 uint32_t *address)
{
    oak_status status = oak_session_place(session, place, sink, address);
    unsigned align = session->part->architecture->code_align;
    if (status) return status;
    if (*address % align) {
        oak_refuse(sink, "place", NULL, 0, 0, NULL,
                   "`%s` is 0x%x: instructions of %s begin at multiples of %u, did you mean 0x%x?", place,
                   (unsigned)*address, session->part->architecture->name, align,
                   (unsigned)(*address - *address % align));
        return OAK_REFUSED;
    }
    doubt(session, place, *address, sink);
    return OAK_OK;
}

void oak_session_name_place(const oak_session *session, uint32_t address, char *text, size_t room)
{
    if (!session || !text) return;
    const oak_symbol *label = session->program ? oak_program_label_below(session->program, address) : NULL;
    unsigned code = session->part->architecture->code_space;
    /* What lies in another memory has nothing to do with the last label before it. */
    if (label && oak_part_find_memory(session->part, code, address) !=
                     oak_part_find_memory(session->part, code, (uint32_t)label->value))
        label = NULL;
    if (!label) oak_format(text, room, "0x%04x", (unsigned)address);
    else if (label->value == address) oak_format(text, room, "%s", label->name);
    else oak_format(text, room, "%s+%u", label->name, (unsigned)(address - label->value));
}
