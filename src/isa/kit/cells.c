/* cells.c — the spaces of a core as a table: creating, programming, reading and writing from outside, the tape, tallies. */
#include "base/arena.h"
#include "base/bytes.h"
#include "isa/kit/kit.h"

static size_t row_size(const kit_core *kit)
{
    return kit->span * sizeof *kit->row;
}

static size_t ops_size(const kit_core *kit)
{
    if (kit->arch->op_bytes) return kit->slots * kit->arch->op_bytes;
    return (kit->span + 2 * KIT_SPARE) * sizeof *kit->ops;
}

static size_t owned_bytes(const kit_space *space, bool keeps)
{
    return (size_t)space->size * (space->unit + (keeps ? 1u : 0u));
}

void kit_destroy(oak_core *core)
{
    if (!core) return;
    kit_core *kit = kit_of(core);
    const oak_host *host = kit->setup.host;
    (void)!oak_tallies_set(&kit->tallies, host, 0, false); /* giving back cannot fail */
    oak_edits_free(&kit->edits, host);
    oak_release(host, kit->known, KIT_MOST_KNOWN, sizeof *kit->known);
    for (unsigned i = 0; i < KIT_MOST_STRETCHES; i++) {
        kit_space *space = &kit->space[i];
        if (space->owned && space->cells)
            host->resize(host->context, space->cells, owned_bytes(space, space->known != NULL), 0);
        if (space->present) host->resize(host->context, space->present, space->size, 0);
    }
    if (kit->counts) host->resize(host->context, kit->counts, ops_size(kit), 0);
    size_t laid_out = ops_size(kit) + row_size(kit) + kit->span;
    if (kit->arch->slot_bytes && kit->guard) host->resize(host->context, kit->guard, kit->guard_bytes, 0);
    if (kit->ops) host->resize(host->context, kit->ops, laid_out, 0);
    host->resize(host->context, core, kit->arch->core_size, 0);
}

oak_status kit_create(const kit_arch *arch, const oak_isa_tables *tables, const oak_core_setup *setup,
                      oak_core **result)
{
    const oak_host *host = setup->host;
    oak_core *core = oak_take_zeroed(host, arch->core_size);
    if (!core) return OAK_NO_MEMORY;
    kit_core *kit = kit_of(core);
    kit->arch = arch;
    kit->tables = tables;
    kit->setup = *setup;
    kit->own_cycles = arch->cycles;
    *result = core;
    if (arch->op_bytes) return OAK_OK;
    kit->span = kit->guard_bytes = arch->code_span;
    if (arch->slot_bytes && !kit_lay_lands(core)) {
        kit_destroy(core);
        return OAK_UNSUPPORTED;
    }
    kit->ops = oak_take_zeroed(host, ops_size(kit) + row_size(kit) + kit->span); /* in one piece */
    if (!kit->ops) {
        kit_destroy(core);
        return OAK_NO_MEMORY;
    }
    kit->row = (uint16_t *)(void *)((char *)kit->ops + ops_size(kit));
    kit->stop_at = (uint8_t *)kit->row + row_size(kit);
    return OAK_OK;
}

static kit_space *free_stretch(oak_core *core, unsigned number)
{
    kit_space *space = &kit_of(core)->space[number];
    for (unsigned i = KIT_MOST_SPACES; space->size; i++) { /* one more of this space */
        if (i == KIT_MOST_STRETCHES) return NULL;
        space = &kit_of(core)->space[i];
    }
    return space;
}

bool kit_put_space(oak_core *core, kit_space space)
{
    kit_space *at = free_stretch(core, space.number);
    if (at) *at = space;
    return at != NULL;
}

bool kit_lay_space(oak_core *core, kit_space space)
{
    const oak_host *host = kit_of(core)->setup.host;
    kit_space *old = kit_stretch(core, space.number, space.first);
    if (!old || !old->owned || old->first != space.first) return kit_put_space(core, space);
    host->resize(host->context, old->cells, owned_bytes(old, old->known != NULL), 0);
    *old = space;
    return true;
}

bool kit_take_space(oak_core *core, unsigned number, uint32_t first, uint32_t size, uint8_t fill, bool keeps)
{
    const oak_host *host = kit_of(core)->setup.host;
    kit_space *space = free_stretch(core, number);
    if (!space) return false;
    *space = (kit_space){.number = (uint8_t)number, .first = first, .size = size, .owned = true};
    space->unit = (uint8_t)oak_unit_bytes(&kit_of(core)->arch->isa->about, number);
    if (!size) return true;
    space->cells = oak_take_zeroed(host, owned_bytes(space, keeps));
    if (!space->cells) return false;
    if (fill) memset(space->cells, fill, size * space->unit);
    space->lasts = fill != 0;
    if (keeps) space->known = space->cells + size * space->unit; /* in one piece */
    return true;
}

/* A special space lies whole in memory; `present` says where there are registers. */
static bool take_special(oak_core *core, unsigned number)
{
    kit_core *kit = kit_of(core);
    const oak_space_info *info = &kit->arch->isa->about.spaces[number];
    const oak_host *host = kit->setup.host;
    uint32_t size = (uint32_t)(info->end - info->first);
    if (kit->space[number].cells) return true; /* the part has put RAM there */
    if (!kit_take_space(core, number, info->first, size, 0, false)) return false;
    kit->space[number].present = host->resize(host->context, NULL, 0, size);
    for (uint32_t i = 0; kit->space[number].present && i < size; i++)
        kit->space[number].present[i] =
            kit->setup.cell_kind(kit->setup.machine, number, info->first + i) != OAK_CELL_ABSENT;
    return kit->space[number].present != NULL;
}

bool kit_take_specials(oak_core *core)
{
    const oak_architecture *about = &kit_of(core)->arch->isa->about;
    for (unsigned i = 1; i < about->space_count; i++)
        if (about->spaces[i].special && !about->spaces[i].of_bits && !take_special(core, i)) return false;
    return true;
}

oak_status kit_create_plain(const kit_arch *arch, const oak_isa_tables *tables, const oak_core_setup *setup,
                            oak_core **result)
{
    const oak_architecture *about = &arch->isa->about;
    oak_core *core;
    oak_status status = kit_create(arch, tables, setup, &core);
    if (status) return status;
    bool taken = true;
    for (unsigned i = 0; i < setup->memory_count && taken; i++) {
        const oak_core_memory *memory = &setup->memories[i];
        bool code = memory->space == about->code_space;
        taken = kit_take_space(core, memory->space, memory->base, memory->size, code ? 0xFF : 0, code);
    }
    if (!taken || !kit_take_specials(core)) {
        kit_destroy(core);
        return OAK_NO_MEMORY;
    }
    kit_begin(core);
    *result = core;
    return OAK_OK;
}

static uint8_t *register_cell(const oak_core *core, unsigned number, uint32_t address)
{
    const kit_space *space = &kit_look(core)->space[number];
    uint8_t *cell = kit_cells(core, number, address, 1);
    return cell && (!space->present || space->present[address - space->first]) ? cell : NULL;
}

bool kit_in(oak_core *core, unsigned space, uint32_t address, uint64_t now, uint32_t *value)
{
    kit_core *kit = kit_of(core);
    const uint8_t *cell = register_cell(core, space, address);
    if (!cell) return false;
    bool plain = !kit->space[space].present;
    *value =
        plain ? *cell : kit->setup.device_read(kit->setup.machine, space, address, *cell, false, 0xFF, now);
    return true;
}

bool kit_out(oak_core *core, unsigned space, uint32_t address, uint8_t value, uint64_t now)
{
    kit_core *kit = kit_of(core);
    uint8_t *cell = register_cell(core, space, address);
    if (!cell) return false;
    *cell = value;
    if (kit->space[space].present) kit->setup.device_write(kit->setup.machine, space, address, value, now);
    return true;
}

static uint8_t peek(const oak_core *core, unsigned space, uint32_t address, uint8_t stored)
{
    const kit_core *kit = kit_look(core);
    if (kit->arch->peek) return kit->arch->peek(core, space, address, stored);
    if (!kit->space[space].present || !register_cell(core, space, address)) return stored;
    return (uint8_t)kit->setup.device_read(kit->setup.machine, space, address, stored, true, 0,
                                           kit->time.cycles);
}

static void poke(oak_core *core, unsigned space, uint32_t address, uint8_t value)
{
    const kit_core *kit = kit_look(core);
    if (kit->arch->poke) kit->arch->poke(core, space, address, value);
    else (void)kit_out(core, space, address, value, kit->time.cycles);
}

kit_space *kit_stretch(const oak_core *core, unsigned number, uint32_t address)
{
    kit_core *kit = kit_of((oak_core *)(uintptr_t)core);
    if (number >= KIT_MOST_SPACES) return NULL;
    kit_space *space = &kit->space[number];
    if (address - space->first < space->size) return space;
    for (unsigned i = KIT_MOST_SPACES; i < KIT_MOST_STRETCHES && kit->space[i].size; i++) {
        space = &kit->space[i];
        if (space->number == number && address - space->first < space->size) return space;
    }
    return NULL;
}

static unsigned unit_of(const kit_space *space)
{
    return space->unit ? space->unit : 1;
}

uint8_t *kit_cells(const oak_core *core, unsigned number, uint32_t address, size_t count)
{
    const kit_space *space = kit_stretch(core, number, address);
    if (!space || count > (size_t)(space->size - (address - space->first)) * unit_of(space)) return NULL;
    return space->cells + (address - space->first) * unit_of(space);
}

void kit_fetch(const oak_core *core, uint32_t pc, uint8_t *bytes)
{
    const kit_core *kit = kit_look(core);
    unsigned code = kit->arch->isa->about.code_space;
    const kit_space *space = NULL;
    for (unsigned i = 0; i < OAK_LONGEST_INSN; i++) {
        uint32_t unit = i / unit_of(&kit->space[code]), at = pc + unit;
        if (kit->arch->code_span) at %= kit->arch->code_span;
        if (!space || at - space->first >= space->size) space = kit_stretch(core, code, at);
        bytes[i] = space ? space->cells[(at - space->first) * unit_of(space) + i % unit_of(space)] : 0xFF;
    }
}

void kit_clocks(oak_core *core, unsigned off, uint64_t now)
{
    const oak_core_setup *setup = &kit_look(core)->setup;
    if (setup->clocks) setup->clocks(setup->machine, off, now);
}

bool kit_fail(oak_core *core, oak_fault fault, uint32_t address)
{
    kit_core *kit = kit_of(core);
    kit->fault = fault;
    kit->fault_space = (uint8_t)kit->arch->isa->about.code_space;
    kit->fault_address = address;
    return false;
}

void kit_reset_chip(oak_core *core)
{
    kit_core *kit = kit_of(core);
    kit->pc = 0;
    kit->fresh = true;
    kit->arch->reset(core);
    oak_service_reset(&kit->log);
    kit->blocked = kit->struck = kit->resets = kit->faulted = false;
    kit->attention = true;
    kit->next_event = kit->next_device = 0;
}

void kit_reset(oak_core *core)
{
    kit_core *kit = kit_of(core);
    for (unsigned i = 0; i < KIT_MOST_STRETCHES && kit->used; i++)
        if (kit->space[i].cells && !kit->space[i].known && !kit->space[i].lasts)
            memset(kit->space[i].cells, 0, kit->space[i].size * unit_of(&kit->space[i]));
    kit->used = false;
    kit->time = (oak_chip_time){0};
    kit->log = (oak_service_log){0};
    kit_fold_counts(core);
    oak_tallies_clear(&kit->tallies);
    kit_guard_lay(core);
    kit_reset_chip(core);
}

void kit_begin(oak_core *core)
{
    kit_lay_out(core);
    kit_guard_lay(core);
    kit_reset_chip(core); /* everything else is 0 as it was made */
}

oak_status kit_program(oak_core *core, uint32_t address, const uint8_t *bytes, size_t count)
{
    kit_core *kit = kit_of(core);
    unsigned code = kit->arch->isa->about.code_space;
    uint8_t *cells = kit_cells(core, code, address, count);
    if (!cells) return OAK_OUT_OF_RANGE;
    memcpy(cells, bytes, count);
    const kit_space *space = kit_stretch(core, code, address);
    if (space->known)
        memset(space->known + (address - space->first), 1, (count + unit_of(space) - 1) / unit_of(space));
    kit_guard_written(core, address, count);
    if (kit->decoded) kit_forget(core);
    if (kit->arch->programmed) kit->arch->programmed(core);
    return OAK_OK;
}

static bool is_special(const kit_core *kit, unsigned space)
{
    return kit->arch->isa->about.spaces[space].special;
}

oak_status kit_read_memory(const oak_core *core, unsigned space, uint32_t address, uint8_t *bytes,
                           size_t count)
{
    const kit_core *kit = kit_look(core);
    const uint8_t *from = kit_cells(core, space, address, count);
    if (!from) return OAK_OUT_OF_RANGE;
    memcpy(bytes, from, count);
    for (size_t i = 0; is_special(kit, space) && i < count; i++)
        bytes[i] = peek(core, space, address + (uint32_t)i, bytes[i]);
    return OAK_OK;
}

oak_status kit_write_memory(oak_core *core, unsigned space, uint32_t address, const uint8_t *bytes,
                            size_t count)
{
    kit_core *kit = kit_of(core);
    uint8_t *to = kit_cells(core, space, address, count);
    if (!to) return OAK_OUT_OF_RANGE;
    kit->used = true;
    const kit_space *stretch = kit_stretch(core, space, address);
    if (space == kit->arch->isa->about.code_space && stretch->known) {
        const uint8_t *known = stretch->known + (address - stretch->first);
        unsigned unit = unit_of(stretch);
        for (size_t i = 0; i < count; i++) {
            oak_edit edit = {address * unit + (uint32_t)i, to[i], known[i / unit]};
            if (oak_edits_add(&kit->edits, kit->setup.host, edit)) return OAK_NO_MEMORY;
        }
        return kit_program(core, address, bytes, count);
    }
    unsigned bits = kit->arch->isa->about.spaces[space].unit_bits;
    if (!is_special(kit, space)) {
        if (space == kit->arch->isa->about.code_space) kit_guard_written(core, address, count);
        for (size_t i = 0; i < count; i++)
            to[i] = (uint8_t)(bits && bits < 8 ? bytes[i] & ((1u << bits) - 1) : bytes[i]);
        return OAK_OK;
    }
    bool blocked = kit->blocked;
    for (size_t i = 0; i < count; i++) poke(core, space, address + (uint32_t)i, bytes[i]);
    kit->blocked = blocked; /* no instruction has written it */
    return OAK_OK;
}

oak_chip_time *kit_time(oak_core *core)
{
    return &kit_of(core)->time;
}

uint32_t kit_place(const oak_core *core)
{
    return kit_address(core, kit_look(core)->pc);
}

/* What is decoded stays, unless the code was another. */
void kit_tape(oak_core *core, oak_tape *tape)
{
    kit_core *kit = kit_of(core);
    kit->used = true;
    const kit_arch *arch = kit->arch;
    unsigned code = arch->isa->about.code_space;
    oak_tape_piece(tape, &kit->time, sizeof *kit - offsetof(kit_core, time));
    oak_tape_piece(tape, (char *)(void *)core + arch->tape_from, arch->tape_to - arch->tape_from);
    for (unsigned i = 0; i < KIT_MOST_STRETCHES; i++)
        if (kit->space[i].owned && kit->space[i].cells && !kit->space[i].known)
            oak_tape_piece(tape, kit->space[i].cells, (size_t)kit->space[i].size * kit->space[i].unit);
    if (kit->guard) {
        oak_tape_piece(tape, kit->guard, kit->guard_bytes);
        if (!tape->saves && tape->at && kit->decoded)
            kit_forget(core); /* what was code may be other code now */
    }
    size_t taken_back = oak_edits_tape(&kit->edits, tape);
    if (taken_back) kit_forget(core);
    while (taken_back--) {
        oak_edit edit = oak_edits_pop(&kit->edits);
        unsigned unit = unit_of(&kit->space[code]); /* its addresses are counted in bytes */
        kit_space *space = kit_stretch(core, code, edit.address / unit);
        space->cells[edit.address - space->first * unit] = edit.value;
        space->known[edit.address / unit - space->first] = edit.known;
    }
    kit_fold_counts(core);
    oak_tallies_tape(&kit->tallies, tape);
    kit->watch_hits = 0;
    kit->judged.hit = false;
    kit->attention = true;
}

oak_status kit_count(oak_core *core, bool on)
{
    kit_core *kit = kit_of(core);
    const oak_host *host = kit->setup.host;
    oak_status status =
        oak_tallies_set(&kit->tallies, host, kit->arch->op_bytes ? kit->slots : kit->span, on);
    if (kit->counts) host->resize(host->context, kit->counts, ops_size(kit), 0);
    kit->counts = on && !status ? oak_take_zeroed(host, ops_size(kit)) : NULL;
    kit->counting = false;
    if (on && !status && !kit->counts) {
        status = OAK_NO_MEMORY;
        (void)!oak_tallies_set(&kit->tallies, host, 0, false); /* giving back cannot fail */
    }
    kit->observed = kit->watched_count || kit->tallies.at || kit->judged.count;
    return status;
}

oak_status kit_counted(const oak_core *core, uint32_t address, oak_tally *tally)
{
    const kit_core *kit = kit_look(core);
    uint32_t slots = kit->arch->slot ? kit->slots : kit->span,
             slot = kit->arch->slot ? kit->arch->slot(core, address) : kit_find_slot(core, address);
    if (slot >= slots) return OAK_OUT_OF_RANGE;
    bool between = kit->arch->slot_bytes && address % kit->arch->slot_bytes; /* no instruction begins there */
    if (!kit->tallies.at) return OAK_UNSUPPORTED;
    if (kit->counting) kit_fold_counts((oak_core *)(uintptr_t)core); /* what was counted stays what it was */
    *tally = between ? (oak_tally){0} : kit->tallies.at[slot];
    return OAK_OK;
}

void kit_halt(oak_core *core)
{
    kit_of(core)->halted = kit_of(core)->attention = true;
}

oak_service_log *kit_services(oak_core *core)
{
    return &kit_of(core)->log;
}
