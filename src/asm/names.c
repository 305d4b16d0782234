/* names.c — names, symbols, suggestions for misspelt ones, and the list of diagnostics. */
#include <oakspindle/print.h>

#include "asm/assembler.h"
#include "base/bytes.h"
#include "base/diag.h"

enum { FIRST_SLOTS = 1024, MOST_REPORTS = 1000 };

/* ------------------------------------------------------------------------------------------ names */

/* A slot holds the number of a name + 1, and above it, as many bits as are left, of its hash: others are passed without a look at
 * them. */
static uint32_t slot_of(const assembler *as, uint32_t hash, uint32_t number)
{
    return number | (hash & ~(uint32_t)(as->slot_count - 1));
}

static bool more_slots(assembler *as)
{
    size_t before = as->slot_count, count = before ? before * 4 : FIRST_SLOTS;
    uint32_t *slots = as->host->resize(as->host->context, NULL, 0, count * sizeof *slots);
    if (!slots) return false;
    memset(slots, 0, count * sizeof *slots);
    oak_release(as->host, as->slots, before, sizeof *slots);
    as->slots = slots;
    as->slot_count = count;
    for (size_t i = 0; i < as->names.count; i++) {
        uint32_t hash = asm_name_at(as, i)->hash;
        size_t at = hash & (count - 1);
        while (slots[at]) at = (at + 1) & (count - 1);
        slots[at] = slot_of(as, hash, (uint32_t)i + 1);
    }
    return true;
}

/* The name, or NULL with the slot where it belongs. */
static asm_name *look_up(const assembler *as, const char *text, size_t length, uint32_t hash, uint32_t *where)
{
    uint32_t mask = (uint32_t)as->slot_count - 1, at = hash & mask;
    for (uint32_t slot; (slot = as->slots[at]); at = (at + 1) & mask) {
        if ((slot ^ hash) & ~mask) continue;
        asm_name *name = asm_name_at(as, (slot & mask) - 1);
        if (name->hash == hash && name->length == length &&
            (memcmp(text, name->text, length) == 0 || oak_same_name(text, length, name->text)))
            return name;
    }
    *where = at;
    return NULL;
}

const asm_name *asm_known(const assembler *as, const char *text, size_t length)
{
    uint32_t at;
    return as->slot_count ? look_up(as, text, length, oak_name_hash(text, length), &at) : NULL;
}

asm_name *asm_intern(assembler *as, const char *text, size_t length)
{
    uint32_t hash = oak_name_hash(text, length), at;
    if (as->names.count >= as->slot_count / 4 * 3 && !more_slots(as)) {
        as->out_of_memory = true;
        return NULL;
    }
    asm_name *known = look_up(as, text, length, hash, &at);
    if (known) return known;
    char *copy = length <= UINT16_MAX ? oak_arena_text(&as->program->arena, text, length) : NULL;
    asm_name *name = copy ? oak_pool_add(as->host, &as->names) : NULL;
    if (!name) {
        as->out_of_memory = true;
        return NULL;
    }
    name->hash = hash;
    name->text = copy;
    name->length = (uint16_t)length;
    name->mnemonic = WORD_UNKNOWN;
    name->directive = (int8_t)asm_directive(as, text, length);
    name->is_register = as->isa->is_register(as->tables, text, length);
    name->number = (uint32_t)as->names.count - 1;
    as->slots[at] = slot_of(as, hash, name->number + 1);
    return name;
}

asm_rare *asm_make_rare(assembler *as, asm_name *name)
{
    if (!name->rare) name->rare = oak_arena_zero(&as->arena, sizeof *name->rare);
    if (!name->rare) as->out_of_memory = true;
    return name->rare;
}

int asm_mnemonic(assembler *as, asm_name *name)
{
    if (name->mnemonic == WORD_UNKNOWN)
        name->mnemonic = (int16_t)as->isa->mnemonic(as->tables, name->text, name->length);
    return name->mnemonic;
}

asm_symbol *asm_new_symbol(assembler *as, asm_name *name)
{
    asm_symbol *symbol = oak_pool_add(as->host, &as->symbols);
    if (!symbol) {
        as->out_of_memory = true;
        return NULL;
    }
    symbol->name = name->number;
    if (name->symbol) name->symbol->replaced = true;
    name->symbol = symbol;
    return symbol;
}

/* of: the number of the register it names, or a bit of which it names, + 1. */
static bool add_part_name(assembler *as, unsigned of, const char *text, unsigned space, int64_t value)
{
    asm_name *name = asm_intern(as, text, oak_length(text));
    if (!name || name->symbol) return name != NULL;
    asm_symbol *symbol = asm_new_symbol(as, name);
    if (!symbol) return false;
    symbol->kind = SYMBOL_PART;
    symbol->of = (uint16_t)of;
    symbol->space = (uint8_t)space;
    symbol->value = value;
    return true;
}

static bool has_capital(const char *text)
{
    for (; *text; text++)
        if (*text >= 'A' && *text <= 'Z') return true;
    return false;
}

/* A field as its bits: MC; its values as MC_1, where there are few; and by the names of what they mean, where those are written large. */
static bool add_masks(assembler *as, unsigned of, const oak_part_field *field)
{
    uint32_t most = ((uint32_t)1 << field->width) - 1;
    char name[120];
    if (field->width >= 32) return true;
    if (!add_part_name(as, of, field->name, 0, (int64_t)most << field->bit)) return false;
    for (uint32_t i = 0; field->width > 1 && field->width <= 3 && i <= most; i++) {
        oak_format(name, sizeof name, "%s_%u", field->name, i);
        if (!add_part_name(as, of, name, 0, (int64_t)i << field->bit)) return false;
    }
    for (unsigned i = 0; i < field->value_count; i++) {
        const oak_part_value *one = &field->values[i];
        if (has_capital(one->name) && !add_part_name(as, of, one->name, 0, (int64_t)one->value << field->bit))
            return false;
    }
    return true;
}

/* Flags that have a name and no letter alone. */
static bool add_flags(assembler *as)
{
    const oak_architecture *about = as->part->architecture;
    for (unsigned i = 0; about->fields_are_masks && i < about->flag_count; i++)
        if (oak_length(about->flags[i].name) > 1 &&
            !add_part_name(as, 0, about->flags[i].name, 0, (int64_t)1 << about->flags[i].bit))
            return false;
    return true;
}

bool asm_add_part_names(assembler *as)
{
    if (!add_flags(as)) return false;
    for (unsigned i = 0; i < as->part->register_count; i++) {
        const oak_part_register *reg = &as->part->registers[i];
        if (!add_part_name(as, i + 1, reg->name, reg->space, reg->address)) return false;
        for (unsigned f = 0; f < reg->field_count; f++) {
            if (!as->isa
                     ->bit_of) { /* no bit has an address of its own: REGISTER_FIELD is where the field begins */
                char name[120];
                oak_format(name, sizeof name, "%s_%s", reg->name, reg->fields[f].name);
                if (!add_part_name(as, i + 1, name, 0, reg->fields[f].bit)) return false;
                if (as->part->architecture->fields_by_name && reg->fields[f].width == 1 &&
                    !add_part_name(as, i + 1, reg->fields[f].name, 0, reg->fields[f].bit))
                    return false;
                if (as->part->architecture->fields_are_masks && !add_masks(as, i + 1, &reg->fields[f]))
                    return false;
                continue;
            }
            if (reg->fields[f].width != 1) continue;
            oak_value cell = {.number = reg->address, .space = reg->space, .known = true}, bit;
            if (as->isa->bit_of(&cell, reg->fields[f].bit, &bit)) continue;
            if (!add_part_name(as, i + 1, reg->fields[f].name, bit.space, bit.number)) return false;
        }
    }
    return true;
}

/* ------------------------------------------------------------------------------------------ suggestions */

typedef struct nearest {
    const char *text;
    unsigned distance;
} nearest;

static void consider(nearest *best, const char *text, size_t length, const char *candidate)
{
    /* A word of two letters is as near to any other; two mistakes in a short word leave at least how it begins. */
    bool begins_alike = length && oak_lower(*text) == oak_lower(*candidate);
    unsigned limit = length <= 2   ? 0
                     : length <= 3 ? 1
                     : length <= 6 ? 1u + begins_alike
                     : length <= 9 ? 2
                                   : 3;
    unsigned distance = oak_name_distance(text, length, candidate, oak_length(candidate), limit);
    if (distance > limit || (best->text && distance >= best->distance)) return;
    best->text = candidate;
    best->distance = distance;
}

static void say_nearest(assembler *as, const nearest *best, size_t first, size_t last, char *hint,
                        size_t room)
{
    if (best->text) asm_suggest_edit(as, first, last, best->text, false);
    if (best->text) oak_format(hint, room, "Did you mean `%s`?", best->text);
    else hint[0] = 0;
}

void asm_suggest_symbol(assembler *as, const asm_name *name, size_t first, char *hint, size_t room)
{
    nearest best = {0};
    oak_trade kind = asm_trade_of(name->text, name->length);
    hint[0] = 0;
    if (kind >= OAK_TRADE_REGISTER_ADDRESS && as->isa->trade && as->isa->trade[kind]) {
        oak_format(hint, room, "%s", as->isa->trade[kind]);
        return;
    }
    if (!as->suggestions_left) return;
    as->suggestions_left--;
    for (size_t i = 0; i < as->names.count; i++) {
        const asm_name *other = asm_name_at(as, i);
        if (other != name && other->symbol && other->symbol->kind != SYMBOL_UNDEFINED)
            consider(&best, name->text, name->length, other->text);
    }
    say_nearest(as, &best, first, first + name->length, hint, room);
}

void asm_suggest_operation(assembler *as, const char *text, size_t length, size_t first, char *hint,
                           size_t room)
{
    nearest best = {0};
    const char *candidate;
    hint[0] = 0;
    if (asm_trade_hint(as, text, length, hint, room)) return;
    if (!as->operations_left) return;
    as->operations_left--;
    for (unsigned i = 0; (candidate = as->isa->mnemonic_name(as->tables, i)); i++)
        consider(&best, text, length, candidate);
    for (unsigned i = 0; (candidate = asm_directive_name(as, i)); i++)
        consider(&best, text, length, candidate);
    for (size_t i = 0; i < as->names.count; i++)
        if (asm_macro_of(asm_name_at(as, i))) consider(&best, text, length, asm_name_at(as, i)->text);
    say_nearest(as, &best, first, first + length, hint, room);
}

/* ------------------------------------------------------------------------------------------ diagnostics */

void asm_report(assembler *as, oak_severity severity, uint32_t origin, size_t first, size_t last,
                const char *code, const char *hint, const char *format, ...)
{
    asm_edit edit = as->edit;
    as->edit = (asm_edit){0};
    if (as->trying) return;
    if (severity == OAK_ERROR) as->error_count++;
    if (as->diag_count >= MOST_REPORTS) return;
    char message[400];
    va_list arguments;
    va_start(arguments, format);
    oak_vformat(message, sizeof message, format, arguments);
    va_end(arguments);
    asm_diag *grown = oak_grow(as->host, as->diags, &as->diag_room, as->diag_count + 1, sizeof *grown);
    if (grown) as->diags = grown;
    const char *copy = oak_arena_text(&as->arena, message, oak_length(message));
    const char *hint_copy = hint && *hint ? oak_arena_text(&as->arena, hint, oak_length(hint)) : NULL;
    if (!grown || !copy || (hint && *hint && !hint_copy)) {
        as->out_of_memory = true;
        return;
    }
    if (last <= first) last = first + 1;
    as->diags[as->diag_count++] = (asm_diag){.origin = origin,
                                             .edit = edit,
                                             .first = (uint16_t)(first < UINT16_MAX ? first : UINT16_MAX),
                                             .last = (uint16_t)(last < UINT16_MAX ? last : UINT16_MAX),
                                             .severity = (uint8_t)severity,
                                             .code = code,
                                             .message = copy,
                                             .hint = hint_copy};
}

void asm_suggest_edit(assembler *as, size_t first, size_t last, const char *text, bool safe)
{
    const char *kept = oak_arena_text(&as->arena, text, oak_length(text));
    if (!kept) as->out_of_memory = true;
    as->edit = (asm_edit){(uint16_t)first, (uint16_t)last, safe, kept};
}

static const oak_warning usual_levels[] = {
    {"runs-off", OAK_WARN_ON},         {"jump-into-data", OAK_WARN_ON}, {"missing-mark", OAK_WARN_ON},
    {"doubtful-mark", OAK_WARN_ON},    {"no-destination", OAK_WARN_ON}, {"no-config", OAK_WARN_ON},
    {"other-bank", OAK_WARN_ON},       {"other-page", OAK_WARN_ON},     {"computed-block", OAK_WARN_ON},
    {"skips-part", OAK_WARN_ON},       {"all-inputs", OAK_WARN_ON},     {"operation-as-label", OAK_WARN_ON},
    {"counts-from-zero", OAK_WARN_ON}, {"never-returns", OAK_WARN_ON},  {"handler-return", OAK_WARN_ON},
    {"falls-into", OAK_WARN_ON},       {"not-copied", OAK_WARN_ON},     {"odd-word", OAK_WARN_ON},
    {"unused-label", OAK_WARN_OFF},
};
enum { WARNINGS = sizeof usual_levels / sizeof *usual_levels };

const char *oak_warning_at(unsigned index, oak_warning_level *usual)
{
    if (index >= WARNINGS) return NULL;
    if (usual) *usual = usual_levels[index].level;
    return usual_levels[index].code;
}

/* True when the comment of a line says allow(CODE). */
static bool is_allowed(const assembler *as, oak_source_line line, const char *code)
{
    static const char word[] = "allow(";
    size_t length = oak_length(code), size = sizeof word - 1;
    const char *at = asm_find_comment(line.text, line.text + line.size, as->isa->manual_marks),
               *end = line.text + line.size;
    for (; at + size + length < end; at++)
        if (memcmp(at, word, size) == 0 && memcmp(at + size, code, length) == 0 && at[size + length] == ')')
            return true;
    return false;
}

static oak_warning_level warning_level(const assembler *as, const char *code)
{
    oak_warning_level level = OAK_WARN_ON;
    for (unsigned i = 0; i < WARNINGS; i++)
        if (oak_same(usual_levels[i].code, code)) level = usual_levels[i].level;
    for (unsigned i = 0; as->settings && i < as->settings->warning_count; i++)
        if (oak_same(as->settings->warnings[i].code, code)) level = as->settings->warnings[i].level;
    return level;
}

bool asm_warns(const assembler *as, const char *code)
{
    return warning_level(as, code) != OAK_WARN_OFF;
}

void asm_warn(assembler *as, uint32_t origin, size_t first, size_t last, const char *code, const char *hint,
              const char *format, ...)
{
    oak_warning_level level = warning_level(as, code);
    oak_source_line line = asm_source(as, origin);
    if (level == OAK_WARN_OFF || is_allowed(as, line, code)) return;
    while (first < last && first < line.size && (line.text[first] == ' ' || line.text[first] == '\t'))
        first++;
    char message[300];
    va_list arguments;
    va_start(arguments, format);
    oak_vformat(message, sizeof message, format, arguments);
    va_end(arguments);
    asm_report(as, level == OAK_WARN_ERROR ? OAK_ERROR : OAK_WARNING, origin, first, last, code, hint, "%s",
               message);
}

void asm_report_fault(assembler *as, uint32_t origin, const oak_expr_fault *fault)
{
    asm_report(as, OAK_ERROR, origin, fault->first, fault->last, fault->code, fault->hint, "%s",
               fault->message);
}

uint32_t asm_line_of(const assembler *as, uint32_t origin)
{
    return origin < as->program->source_count ? asm_source(as, origin).line : 0;
}

static int in_source_order(const void *a, const void *b, const void *context)
{
    (void)context;
    const asm_diag *left = a, *right = b;
    if (left->origin != right->origin) return left->origin < right->origin ? -1 : 1;
    return left->first < right->first ? -1 : left->first > right->first;
}

/* True when the same mistake was reported out of another expansion or include of the same line. */
static bool said_before(const assembler *as, size_t index)
{
    const asm_diag *diag = &as->diags[index];
    if (diag->origin == OAK_NO_PLACE) return false;
    oak_source_line line = asm_source(as, diag->origin);
    if (line.parent == OAK_NO_PLACE) return false;
    for (size_t i = 0; i < index; i++) {
        const asm_diag *other = &as->diags[i];
        if (other->origin == OAK_NO_PLACE || !oak_same(other->code, diag->code)) continue;
        oak_source_line before = asm_source(as, other->origin);
        if (before.line == line.line &&
            oak_same(as->program->files[before.file].name, as->program->files[line.file].name))
            return true;
    }
    return false;
}

/* What is included by mistake, or to be seen, is not shown unless it is text. */
static bool is_text(oak_source_file *file)
{
    if (file->looked) return file->is_text;
    file->looked = file->is_text = true;
    for (size_t i = 0; i < file->size && file->is_text; i++) file->is_text = file->text[i] != 0;
    return file->is_text;
}

static void deliver(assembler *as, uint32_t origin, oak_diagnostic *out)
{
    oak_program *program = as->program;
    oak_buf text;
    oak_buf_open(&text, as->host);
    out->file = program->files[0].name;
    if (origin != OAK_NO_PLACE) {
        oak_source_line line = asm_source(as, origin);
        oak_buf_add(&text, line.text, line.size < 2000 ? line.size : 2000);
        out->file = program->files[line.file].name;
        out->line = line.line;
        if (!text.failed && is_text(&program->files[line.file])) out->source_line = oak_buf_string(&text);
    }
    as->sink->report(as->sink->context, out);
    oak_buf_close(&text);
}

/* The way a faulty line came about: each call, repetition or include it went through. */
static void deliver_chain(assembler *as, uint32_t origin)
{
    enum { MOST_NOTES = 6 };
    for (unsigned notes = 0; notes < MOST_NOTES; notes++) {
        oak_source_line line = asm_source(as, origin);
        bool expanded = line.expanded;
        origin = line.parent;
        if (origin == OAK_NO_PLACE) break;
        oak_diagnostic note = {.severity = OAK_NOTE,
                               .code = "",
                               .message = expanded ? "it is expanded here" : "it is included here"};
        deliver(as, origin, &note);
    }
}

oak_status asm_deliver_reports(assembler *as)
{
    if (!as->sink || !as->sink->report) return OAK_OK;
    oak_status status =
        oak_sort(as->host, as->diags, as->diag_count, sizeof *as->diags, in_source_order, NULL);
    if (status) return status;
    for (size_t i = 0; i < as->diag_count; i++) {
        const asm_diag *diag = &as->diags[i];
        if (said_before(as, i)) continue;
        bool placed = diag->origin != OAK_NO_PLACE;
        oak_diagnostic out = {
            .severity = diag->severity,
            .code = diag->code,
            .column = placed ? diag->first + 1u : 0,
            .column_end = placed ? diag->last + 1u : 0,
            .message = diag->message,
            .hint = diag->hint,
            .edit = placed && !asm_source(as, diag->origin).expanded ? diag->edit.text : NULL,
            .edit_column = diag->edit.first + 1u,
            .edit_column_end = diag->edit.last + 1u,
            .edit_safe = diag->edit.safe && (!diag->trial || asm_trial_holds(as, diag->trial))};
        deliver(as, diag->origin, &out);
        if (placed) deliver_chain(as, diag->origin);
    }
    if (as->error_count > MOST_REPORTS)
        oak_refuse(as->sink, "too-many-errors", as->program->files[0].name, 0, 0, NULL,
                   "there are more: %zu errors in all", as->error_count);
    return OAK_OK;
}
