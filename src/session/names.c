/* names.c — what the names in an expression over a running chip stand for. */
#include "base/bytes.h"
#include "periph/block.h"
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

oak_status session_fill_fault(oak_expr_fault *fault, const oak_expr *expr, const char *code,
                              const char *format, ...)
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

int session_port_of(const oak_session *session, unsigned space, uint32_t address)
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
unsigned session_bytes_of(const oak_session *session, const oak_symbol *symbol)
{
    unsigned widest = session->part->architecture->word_bytes;
    return symbol->bytes && widest > 1 ? symbol->bytes : widest;
}

static bool find_flag(const oak_session *session, const char *text, size_t length, watch_name *name)
{
    const oak_architecture *about = session->part->architecture;
    for (unsigned i = 0; i < about->flag_count; i++) {
        if (!oak_same_name(text, length, about->flags[i].name)) continue;
        name->kind = NAME_FLAG;
        name->number = i;
        return true;
    }
    return false;
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
    /* A register may be called like a flag: flag.c is the flag. */
    if (length > 5 && oak_same_name(text, 5, "flag.") && find_flag(session, text + 5, length - 5, name))
        return true;
    for (unsigned i = 0; i < about->register_count; i++) {
        if (!oak_same_name(text, length, about->registers[i].name) &&
            !oak_same_name(text, length, oak_register_called(about, i)))
            continue;
        name->kind = NAME_REGISTER;
        name->number = i;
        return true;
    }
    if ((name->reg = oak_part_find_register(session->part, text, length))) {
        int port = session_port_of(session, name->reg->space, name->reg->address);
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
    if (find_flag(session, text, length, name)) return true;
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
    for (unsigned i = 0; i < about->register_count; i++) consider(&found, oak_register_called(about, i));
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

void session_say_two_faced(oak_session *session, const oak_diag_sink *sink)
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

void *session_meet_name(void *context, const char *text, size_t length, oak_expr_fault *fault)
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

unsigned session_space_named(void *context, const char *text, size_t length)
{
    const oak_session *session = context;
    return oak_part_find_space(session->part, text, length);
}
