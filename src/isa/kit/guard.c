/* guard.c — code and data in one memory: a byte for each address of code says what a store must look at first. Where nothing is said, a
 * store is plain; all else comes here. Code that was decoded and is overwritten is forgotten before the next instruction runs. */
#include "base/bytes.h"
#include "isa/kit/kit.h"

static unsigned code_of(const kit_core *kit)
{
    return kit->arch->isa->about.code_space;
}

static uint8_t fresh(const kit_core *kit)
{
    return (uint8_t)(KIT_GUARD_FRESH | (kit->checks_reads ? KIT_GUARD_UNREAD : 0));
}

void kit_guard_lay(oak_core *core)
{
    kit_core *kit = kit_of(core);
    if (!kit->guard) return;
    memset(kit->guard, KIT_GUARD_ABSENT, kit->guard_bytes);
    for (unsigned i = 0; i < KIT_MOST_STRETCHES; i++) {
        const kit_space *space = &kit->space[i];
        if (space->number == code_of(kit) && space->size)
            memset(kit_guard_at(core, space->first), space->known ? KIT_GUARD_FIXED : fresh(kit),
                   space->size);
    }
    kit->overwritten = false;
    if (kit->decoded) kit_forget(core);
}

void kit_guard_decoded(oak_core *core, uint32_t pc, unsigned units)
{
    const kit_core *kit = kit_look(core);
    for (unsigned i = 0; i < units; i++) {
        uint32_t at = kit->arch->code_span ? (pc + i) % kit->arch->code_span : pc + i;
        uint8_t *guard = kit_guard_at(core, at);
        if (guard && !(*guard & KIT_GUARD_FIXED)) *guard |= KIT_GUARD_CODE;
    }
}

static void overwrite(oak_core *core, uint32_t address)
{
    kit_core *kit = kit_of(core);
    uint32_t slot = kit_find_slot(core, address);
    if (!kit->overwritten || slot < kit->first_over) kit->first_over = slot;
    if (!kit->overwritten || slot > kit->last_over) kit->last_over = slot;
    kit->overwritten = kit->attention = true;
}

bool kit_store(oak_core *core, uint32_t address, uint8_t value)
{
    uint8_t *guard = kit_guard_at(core, address),
            *cell = kit_cells(core, code_of(kit_look(core)), address, 1);
    if (!cell || !guard || *guard & (KIT_GUARD_FIXED | KIT_GUARD_ABSENT))
        return kit_fail(core, guard && *guard & KIT_GUARD_FIXED ? OAK_FAULT_READ_ONLY : OAK_FAULT_ABSENT,
                        address);
    if (*guard & KIT_GUARD_CODE) overwrite(core, address);
    *guard = 0;
    *cell = value;
    return true;
}

void kit_unread(oak_core *core, uint32_t address)
{
    const uint8_t *guard = kit_guard_at(core, address);
    bool absent = !guard || *guard & KIT_GUARD_ABSENT;
    (void)kit_fail(core, absent ? OAK_FAULT_ABSENT : OAK_FAULT_UNWRITTEN, address);
}

/* The address of a byte, counted from the lowest place of the value; and whether a device may have it. */
static uint32_t byte_at(const kit_core *kit, uint32_t address, unsigned bytes, unsigned n)
{
    return (address + (kit->arch->isa->about.big_endian ? bytes - 1 - n : n)) & 0xFFFF;
}

static bool has_device(const kit_core *kit, uint32_t address, unsigned bytes)
{
    uint32_t last = (address + bytes - 1) & 0xFFFF;
    return (kit->guard[address] | kit->guard[last]) & KIT_GUARD_ABSENT && last >= address;
}

bool kit_guarded_read(oak_core *core, uint32_t address, unsigned bytes, uint64_t now, uint32_t *value)
{
    const kit_core *kit = kit_look(core);
    const oak_core_setup *setup = &kit->setup;
    bool device = setup->bus_read && has_device(kit, address, bytes);
    if (device && !setup->bus_read(setup->machine, address, bytes, now, value)) return true;
    *value = 0;
    for (unsigned i = 0; i < bytes; i++)
        if (kit->guard[(address + i) & 0xFFFF] & KIT_GUARD_READS) {
            kit_unread(core, (address + i) & 0xFFFF);
            return false;
        }
    for (unsigned i = 0; i < bytes; i++)
        *value |= (uint32_t)*kit_cells(core, code_of(kit), byte_at(kit, address, bytes, i), 1) << 8 * i;
    return true;
}

bool kit_guarded_write(oak_core *core, uint32_t address, unsigned bytes, uint32_t value, uint64_t now)
{
    const kit_core *kit = kit_look(core);
    const oak_core_setup *setup = &kit->setup;
    bool device = setup->bus_write && has_device(kit, address, bytes), big = kit->arch->isa->about.big_endian;
    if (device && !setup->bus_write(setup->machine, address, bytes, value, now)) return true;
    for (unsigned i = 0; i < bytes; i++) /* in ascending order */
        if (!kit_store(core, (address + i) & 0xFFFF, (uint8_t)(value >> 8 * (big ? bytes - 1 - i : i))))
            return false;
    return true;
}

void kit_guard_written(oak_core *core, uint32_t address, size_t count)
{
    kit_core *kit = kit_of(core);
    if (!kit->guard) return;
    for (size_t i = 0; i < count; i++) {
        uint8_t *guard = kit_guard_at(core, address + (uint32_t)i);
        if (!guard || *guard & KIT_GUARD_FIXED) continue;
        if (*guard & KIT_GUARD_CODE) overwrite(core, address + (uint32_t)i);
        *guard = 0;
    }
    if (kit->overwritten) kit_forget_overwritten(core);
}

static void forget_one(kit_core *kit, uint32_t pc)
{
    if (kit->known) kit->known[pc % KIT_MOST_KNOWN].filled = false;
    kit->last_known.filled = false;
    kit->ops[pc] = (kit_op){0};
    kit->row[pc] = KIT_DECODE;
}

/* An operation goes when it lies there, or its chain runs on into one that goes: looked at backwards, from the last one on. */
void kit_forget_overwritten(oak_core *core)
{
    kit_core *kit = kit_of(core);
    uint32_t first = kit->first_over, pc = kit->last_over;
    unsigned gone = 0; /* a bit for each of the operations behind this one, the next one lowest */
    kit->overwritten = false;
    if (!kit->decoded) return;
    if (first <= OAK_LONGEST_INSN) { /* what runs into it may lie at the end of memory */
        kit_forget(core);
        return;
    }
    kit_fold_counts(core);
    for (;; pc--) {
        unsigned row = kit->row[pc], size = kit->ops[pc].size;
        bool goes = false;
        if (row >= KIT_FIRST_ROW)
            goes = pc >= first || pc + size > first || (!kit_ends_chain(core, pc) && gone >> (size - 1) & 1);
        else if (row != KIT_DECODE) goes = pc + OAK_LONGEST_INSN > first;
        if (goes) forget_one(kit, pc);
        gone = gone << 1 | goes;
        if (pc == kit->low || (pc + OAK_LONGEST_INSN < first && !(gone & 0xFF))) return;
    }
}

oak_status kit_check_reads(oak_core *core, bool on)
{
    kit_core *kit = kit_of(core);
    if (!kit->guard) return OAK_UNSUPPORTED;
    kit->checks_reads = on;
    for (uint32_t at = 0; at < kit->guard_bytes; at++)
        if (kit->guard[at] & KIT_GUARD_FRESH)
            kit->guard[at] =
                (uint8_t)(on ? kit->guard[at] | KIT_GUARD_UNREAD : kit->guard[at] & ~KIT_GUARD_UNREAD);
    return OAK_OK;
}

oak_status kit_create_guarded(const kit_arch *arch, const oak_isa_tables *tables, const oak_core_setup *setup,
                              size_t mem, size_t known, size_t guard, oak_core **result)
{
    oak_core *core;
    oak_status status = kit_create(arch, tables, setup, &core);
    if (status) return status;
    uint8_t *at = (uint8_t *)core;
    kit_of(core)->guard = at + guard;
    at[guard + arch->code_span] = 0xFF;
    for (unsigned i = 0; i < setup->memory_count && !status; i++) {
        const oak_core_memory *one = &setup->memories[i];
        kit_space space = {.number = one->space, .first = one->base, .size = one->size, .unit = 1};
        if (one->space != arch->isa->about.code_space) {
            if (!kit_take_space(core, one->space, one->base, one->size, 0, false)) status = OAK_NO_MEMORY;
            continue;
        }
        space.cells = at + mem + one->base;
        if (!one->writable) space.known = at + known + one->base;
        if (space.known) memset(space.cells, 0xFF, one->size);
        if (!kit_put_space(core, space)) status = OAK_UNSUPPORTED;
    }
    if (!status && !kit_take_specials(core)) status = OAK_NO_MEMORY;
    if (status) {
        kit_destroy(core);
        return status;
    }
    kit_begin(core);
    *result = core;
    return OAK_OK;
}
