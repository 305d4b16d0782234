/* config.c — the words that configure a chip: registers of the part that lie in program memory, given by the names of their fields.
 *
 *   config CONFIG: WDTE = off, FOSC = xt      what is not named stays as on an erased chip */
#include "asm/assembler.h"
#include "base/bytes.h"
#include "part/naming.h"

#define REPORT(as, from, to, code, hint, ...)                                                                \
    asm_report(as, OAK_ERROR, (as)->origin, (size_t)((from) - (as)->text), (size_t)((to) - (as)->text),      \
               code, hint, __VA_ARGS__)

static bool list_words(const assembler *as, char *text, size_t room)
{
    *text = 0;
    for (unsigned i = 0; i < as->part->register_count; i++) {
        const oak_part_register *reg = &as->part->registers[i];
        if (!oak_part_is_configuration(as->part, reg)) continue;
        size_t used = oak_length(text);
        oak_format(text + used, room - used, "%s%s", *text ? ", " : "", reg->name);
    }
    return *text;
}

/* FIELD = VALUE: its name, or a number. False after a report. */
static bool read_field(assembler *as, const oak_part_register *reg, const char **at, const char *end,
                       uint32_t *word)
{
    char hint[300] = "";
    const char *name = *at = asm_skip_blanks(*at, end);
    size_t length = asm_word_length(name, end);
    const oak_part_field *field = NULL;
    for (unsigned f = 0; f < reg->field_count; f++) {
        size_t used = oak_length(hint);
        oak_format(hint + used, sizeof hint - used, "%s%s", f ? ", " : "Fields: ", reg->fields[f].name);
        if (length && oak_same_name(name, length, reg->fields[f].name)) field = &reg->fields[f];
    }
    *at = asm_skip_blanks(name + length, end);
    if (!field || *at == end || **at != '=') {
        if (field) oak_format(hint, sizeof hint, "Write `%s = …`.", field->name);
        REPORT(as, name, name + (length ? length : 1), "config", hint,
               field ? "its value is missing" : "%s has no such field", reg->name);
        return false;
    }
    const char *value_at = *at = asm_skip_blanks(*at + 1, end);
    const char *stop = value_at;
    while (stop < end && *stop != ',' && *stop != ' ' && *stop != '\t') stop++;
    size_t size = (size_t)(stop - value_at), used; /* a name may begin with a digit here */
    uint64_t value = UINT64_MAX;
    hint[0] = 0;
    for (unsigned v = 0; v < field->value_count; v++) {
        used = oak_length(hint);
        oak_format(hint + used, sizeof hint - used, "%s%s", v ? ", " : "Values: ", field->values[v].name);
        if (size && oak_same_name(value_at, size, field->values[v].name)) value = field->values[v].value;
    }
    if (value == UINT64_MAX && (oak_read_number(value_at, stop, &value, &used) || value_at + used != stop))
        value = UINT64_MAX;
    if (value >> field->width) {
        if (!*hint)
            oak_format(hint, sizeof hint, "Write a number up to %u.",
                       (unsigned)oak_field_value(field, UINT32_MAX));
        REPORT(as, value_at, stop > value_at ? stop : value_at + 1, "config", hint, "`%s` has no such value",
               field->name);
        return false;
    }
    *word = (*word & ~(oak_field_value(field, UINT32_MAX) << field->bit)) | (uint32_t)value << field->bit;
    *at = asm_skip_blanks(stop, end);
    return true;
}

void asm_read_config(assembler *as, const char *word, size_t word_length, const char *at, const char *end)
{
    char known[200], name[100], hint[260];
    at = asm_skip_blanks(at, end);
    size_t length = asm_word_length(at, end);
    const oak_part_register *reg = length ? oak_part_find_register(as->part, at, length) : NULL;
    const char *colon = asm_skip_blanks(at + length, end);
    if (!reg || !oak_part_is_configuration(as->part, reg) || colon == end || *colon != ':') {
        bool any = list_words(as, known, sizeof known);
        if (any)
            oak_format(hint, sizeof hint, "Write `config %s: FIELD=VALUE, …`; the words are %s.",
                       reg && oak_part_is_configuration(as->part, reg) ? reg->name : known, known);
        else oak_format(hint, sizeof hint, "Nothing configures %s beside its program.", as->part->name);
        REPORT(as, length ? at : word, length ? at + length : word + word_length, "config", hint,
               reg && oak_part_is_configuration(as->part, reg) ? "its fields are missing"
                                                               : "the part has no such configuration word");
        return;
    }
    oak_format(name, sizeof name, "config_%s", reg->name);
    const asm_name *section = asm_intern(as, name, oak_length(name));
    for (size_t i = 0; section && i < as->section_count; i++) {
        if (as->sections[i].name != section) continue;
        REPORT(as, at, at + length, "config", "Name all of its fields in one line.",
               "`%s` was set in line %u already", reg->name, asm_line_of(as, as->sections[i].origin));
        return;
    }
    uint32_t value = reg->reset;
    for (at = colon; at < end;) {
        at++;
        if (!read_field(as, reg, &at, end, &value)) return;
        if (at < end && *at != ',') {
            asm_nothing_left(as, at, end);
            return;
        }
    }
    asm_put_word(as, name, reg->address, value, (reg->bits + 7u) / 8u);
}

static void say_missing(assembler *as, unsigned count, const char *names, const char *fields,
                        const char *hint)
{
    uint32_t origin = 0;
    for (size_t k = as->statement_count; k-- > 0;)
        if (as->statements[k].kind == STATEMENT_INSN) origin = as->statements[k].origin;
    asm_warn(as, origin, 0, 0, "no-config", hint, "%s %s not set: the chip runs as an erased one, %s", names,
             count > 1 ? "are" : "is", fields);
}

/* What is not set is told, and what the chip would do then: all words at once. */
void asm_check_configuration(assembler *as)
{
    uint8_t byte;
    char names[160] = "", all[300] = "", hint[400];
    unsigned count = 0;
    bool program = asm_code_byte(as, as->part->vector_count ? as->part->vectors[0].address : 0, 0, &byte);
    for (unsigned i = 0; program && i < as->part->register_count; i++) {
        const oak_part_register *reg = &as->part->registers[i];
        char fields[260];
        if (!oak_part_is_configuration(as->part, reg) || reg->may_stay ||
            asm_code_byte(as, reg->address, 0, &byte))
            continue;
        oak_part_write_fields(reg, reg->reset, fields, sizeof fields);
        size_t named = oak_length(names), told = oak_length(all);
        oak_format(names + named, sizeof names - named, "%s`%s`", count ? ", " : "", reg->name);
        oak_format(all + told, sizeof all - told, "%s%s", count ? ", " : "", fields);
        if (count++) continue;
        oak_format(hint, sizeof hint, "Write `config %s: %s`, as it is to be.", reg->name, fields);
    }
    if (count > 1) {
        size_t end = oak_length(hint);
        oak_format(hint + end, sizeof hint - end,
                   " The same for the others; `spindle parts` shows what they mean.");
    }
    if (count) say_missing(as, count, names, all, hint);
}
