/* filed.c — see filed.h. */
#include "isa/kit/filed.h"

#include "base/bytes.h"

void kit_line(oak_core *core, kit_lines *lines, unsigned line, bool level, uint64_t from)
{
    if (line >= KIT_MOST_LINES) return;
    lines->asks = level ? lines->asks | 1u << line : lines->asks & ~(1u << line);
    lines->from[line] = from;
    kit_of(core)->attention = true;
}

uint32_t kit_lines_due(const oak_core *core, uint32_t which, const kit_lines *lines)
{
    uint32_t left = which & lines->asks;
    for (unsigned n = 0; which >> n; n++) {
        if (lines->from[n] > kit_look(core)->time.cycles) left &= ~(1u << n);
        if (n == KIT_MOST_LINES - 1) break;
    }
    return left;
}

uint64_t kit_lines_next(const oak_core *core, uint32_t which, const kit_lines *lines)
{
    uint64_t at = UINT64_MAX;
    for (unsigned n = 0; n < KIT_MOST_LINES; n++)
        if (which & lines->asks & 1u << n && lines->from[n] > kit_look(core)->time.cycles &&
            lines->from[n] < at)
            at = lines->from[n];
    return at;
}

void kit_watchdog_feed(oak_core *core, unsigned line, uint64_t now)
{
    kit_core *kit = kit_of(core);
    if (kit->setup.acknowledge) kit->next_device = kit->setup.acknowledge(kit->setup.machine, line, now);
    kit->attention = true;
}

bool kit_watchdog_over(oak_core *core, kit_lines *lines, unsigned line)
{
    if (!kit_lines_due(core, 1u << line, lines)) return false;
    lines->asks &= ~(1u << line);
    kit_watchdog_feed(core, line, kit_of(core)->time.cycles);
    return true;
}

void kit_watchdog_resets(oak_core *core)
{
    kit_core *kit = kit_of(core);
    kit->resets = true;
    if (kit->setup.suffer)
        kit->setup.suffer(kit->setup.machine, OAK_FAULT_WATCHDOG, kit->arch->isa->about.code_space, kit->pc,
                          kit->time.cycles);
}

bool kit_handler_missing(oak_core *core, uint32_t vector, unsigned units)
{
    kit_core *kit = kit_of(core);
    unsigned code = kit->arch->isa->about.code_space;
    uint32_t which;
    bool lost = kit_missing(core, vector, units, &which) &&
                (!kit->setup.suffer ||
                 kit->setup.suffer(kit->setup.machine, OAK_FAULT_NO_HANDLER, code, vector, kit->time.cycles));
    if (kit->struck) return true; /* somebody wants to see it */
    if (!lost) return false;
    (void)kit_fail(core, OAK_FAULT_NO_HANDLER, vector);
    return kit->faulted = true;
}

oak_status kit_create_filed(const kit_arch *arch, const oak_isa_tables *tables, const oak_core_setup *setup,
                            unsigned space, size_t at, uint32_t size, void (*lay)(oak_core *core),
                            oak_core **result)
{
    oak_core *core;
    oak_status status = kit_create(arch, tables, setup, &core);
    if (status) return status;
    uint8_t *cells = (uint8_t *)(void *)core + at;
    bool taken =
        kit_put_space(core, (kit_space){.number = (uint8_t)space, .cells = cells, .size = size, .unit = 1});
    for (unsigned i = 0; i < setup->memory_count && taken; i++) {
        const oak_core_memory *memory = &setup->memories[i];
        bool code = memory->space == arch->isa->about.code_space;
        if (memory->space != space)
            taken = kit_take_space(core, memory->space, memory->base, memory->size, 0xFF, code);
    }
    if (!taken) {
        kit_destroy(core);
        return OAK_NO_MEMORY;
    }
    lay(core);
    kit_begin(core);
    *result = core;
    return OAK_OK;
}

#define SAY(why, ...)  oak_format((why)->message, sizeof(why)->message, __VA_ARGS__)
#define HINT(why, ...) oak_format((why)->hint, sizeof(why)->hint, __VA_ARGS__)

bool kit_filed_doubt(const oak_isa_tables *tables, unsigned row, const oak_insn *insn, const oak_value *value,
                     unsigned decimal, unsigned immediate, unsigned space, bool moves, oak_refusal *why)
{
    const kit_shape_of_row *shape = &kit_tables_of(tables)->row[row];
    why->operand = 0;
    if (insn->count > 1 && !insn->operand[1].kind && insn->operand[1].extra == 1) {
        why->code = "no-destination";
        SAY(why, "the result goes back to the register: no destination is written");
        HINT(why, "Write `, f` for that, or `, w` to leave it in w.");
        why->has_edit = true;
        why->edit_first = why->edit_last = insn->operand->last;
        oak_format(why->edit, sizeof why->edit, ", f");
        why->edit_safe = true;
        return true;
    }
    why->code = "doubtful-mark";
    if (shape->class_of[0] == immediate && value->name && value->space == space) {
        SAY(why, "this takes the address of `%s`, 0x%02x, as a number", value->name, (unsigned)value->number);
        HINT(why, "Write `movf %s, w` for what is kept there; `low(%s)` says that its address is meant.",
             value->name, value->name);
        return true;
    }
    if (moves && !value->space && (value->name || decimal & 1)) {
        SAY(why, "this is the register at address %u, not the number %u", (unsigned)value->number,
            (unsigned)value->number);
        HINT(why, "Write `movlw %u` for the number.", (unsigned)value->number);
        return true;
    }
    return false;
}

char kit_single(const oak_operand_reader *reader, const oak_operand *operand)
{
    return operand->last == operand->first + 1 ? oak_lower(reader->line[operand->first]) : 0;
}

void kit_become(const oak_isa_tables *tables, oak_operand *operand, const char *word)
{
    operand->kind = 0;
    operand->expr = NULL;
    operand->reg = (uint8_t)kit_find_word(kit_tables_of(tables), word, oak_length(word));
}

void kit_put_word(const oak_isa_tables *tables, oak_insn *insn, unsigned at, const char *word, unsigned extra)
{
    const oak_operand *last = &insn->operand[insn->count - 1];
    for (unsigned i = insn->count; i > at; i--) insn->operand[i] = insn->operand[i - 1];
    insn->operand[at] = (oak_operand){.first = last->first, .last = last->last, .extra = extra};
    kit_become(tables, &insn->operand[at], word);
    insn->count++;
}

const char *kit_first_operands(const oak_isa_tables *tables, unsigned mnemonic)
{
    unsigned row = kit_tables_of(tables)->first_row[mnemonic];
    return row == KIT_NO_ROW ? "" : kit_tables_of(tables)->language->isa->rows[row].operands;
}

oak_flow kit_decoded_flow(const oak_isa_tables *tables, unsigned row, const uint8_t *bytes, uint32_t state)
{
    oak_decoded decoded;
    const oak_isa *isa = kit_tables_of(tables)->language->isa;
    unsigned size = kit_row_size(tables, row) * oak_unit_bytes(&isa->about, isa->about.code_space);
    return isa->decode(tables, bytes, size, 0, state, &decoded) ? kit_flow_of(tables, row, bytes, state)
                                                                : decoded.flow;
}
