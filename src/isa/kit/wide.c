/* wide.c — addresses of 32 bits: where code lies among them, and what is reached that is not plain memory. */
#include "base/arena.h"
#include "base/bytes.h"
#include "base/invariant.h"
#include "isa/kit/kit.h"

/* Slots that follow a memory, where a program runs out of it. */
enum { BEHIND = KIT_SPARE };

bool kit_lay_lands(oak_core *core)
{
    kit_core *kit = kit_of(core);
    uint32_t slot = 0, bytes = 0;
    for (unsigned i = 0; i < kit->setup.memory_count; i++) {
        const oak_core_memory *one = &kit->setup.memories[i];
        if (one->space != kit->arch->isa->about.code_space) continue;
        if (kit->land_count == KIT_MOST_LANDS || one->size > KIT_MOST_LAND_BYTES - bytes) return false;
        kit->land[kit->land_count++] = (kit_land){one->base, one->size, slot, bytes};
        slot += one->size / kit->arch->slot_bytes + BEHIND;
        bytes += one->size;
    }
    kit->span = slot + KIT_NOWHERES;
    kit->guard_bytes = bytes + 1; /* never none */
    return true;
}

static const kit_land *land_at(const kit_core *kit, uint32_t address)
{
    for (const kit_land *land = kit->land; land < kit->land + kit->land_count; land++)
        if (address - land->base < land->size) return land;
    return NULL;
}

uint32_t kit_far_address(const oak_core *core, uint32_t slot)
{
    const kit_core *kit = kit_look(core);
    const kit_land *land = kit->land + kit->land_count;
    if (slot >= kit->span - KIT_NOWHERES)
        return kit->nowhere[(slot - (kit->span - KIT_NOWHERES)) % KIT_NOWHERES];
    while (land > kit->land + 1 && slot < land[-1].first) land--;
    land -= land > kit->land;
    return land->base + (slot - land->first) * kit->arch->slot_bytes;
}

uint32_t kit_find_slot(const oak_core *core, uint32_t address)
{
    const kit_core *kit = kit_look(core);
    if (!kit->arch->slot_bytes) return address;
    const kit_land *land = land_at(kit, address);
    return land ? land->first + (address - land->base) / kit->arch->slot_bytes : kit->span;
}

uint32_t kit_far_slot(oak_core *core, uint32_t address)
{
    kit_core *kit = kit_of(core);
    uint32_t slot = kit_find_slot(core, address), n = 0;
    if (slot < kit->span) return slot;
    while (n < KIT_GONE_TO && kit->nowhere[n] != address) n++;
    if (n == KIT_GONE_TO) n = kit->nowhere_next++ % KIT_GONE_TO;
    kit->nowhere[n] = address;
    return kit->span - KIT_NOWHERES + n;
}

uint32_t kit_target_slot(oak_core *core, uint32_t address)
{
    kit_core *kit = kit_of(core);
    uint32_t slot = kit_find_slot(core, address), n = KIT_GONE_TO;
    if (slot < kit->span) return slot;
    while (n < KIT_GONE_TO + kit->nowhere_used && kit->nowhere[n] != address) n++;
    OAK_INVARIANT(n < KIT_NOWHERES);
    kit->nowhere[n] = address;
    if (n == KIT_GONE_TO + kit->nowhere_used) kit->nowhere_used++;
    return kit->span - KIT_NOWHERES + n;
}

void kit_forget_targets(oak_core *core)
{
    kit_core *kit = kit_of(core);
    if (!kit->nowhere_used) return;
    uint32_t address = kit_far_address(core, kit->pc);
    kit->nowhere_used = 0;
    kit->pc = kit_far_slot(core, address);
}

uint8_t *kit_guard_at(const oak_core *core, uint32_t address)
{
    const kit_core *kit = kit_look(core);
    if (!kit->arch->slot_bytes) return &kit->guard[address];
    const kit_land *land = land_at(kit, address);
    return land ? &kit->guard[land->bytes + (address - land->base)] : NULL;
}

oak_status kit_create_wide(const kit_arch *arch, const oak_isa_tables *tables, const oak_core_setup *setup,
                           oak_core **result)
{
    oak_core *core;
    oak_status status = kit_create(arch, tables, setup, &core);
    if (status) return status;
    kit_core *kit = kit_of(core);
    kit->guard = oak_take_zeroed(setup->host, kit->guard_bytes);
    bool taken = kit->guard != NULL;
    for (unsigned i = 0; i < setup->memory_count && taken; i++) {
        const oak_core_memory *one = &setup->memories[i];
        taken =
            kit_take_space(core, one->space, one->base, one->size, one->writable ? 0 : 0xFF, !one->writable);
    }
    if (!taken || !kit_take_specials(core)) {
        kit_destroy(core);
        return OAK_NO_MEMORY;
    }
    kit_begin(core);
    *result = core;
    return OAK_OK;
}

static bool is_memory(const oak_core *core, uint32_t address, unsigned bytes)
{
    const kit_land *land = land_at(kit_look(core), address);
    return land && land->size - (address - land->base) >= bytes;
}

bool kit_load(oak_core *core, uint32_t address, unsigned bytes, uint64_t now, uint32_t *value)
{
    const kit_core *kit = kit_look(core);
    const oak_core_setup *setup = &kit->setup;
    unsigned code = kit->arch->isa->about.code_space;
    *value = 0;
    if (!is_memory(core, address, bytes)) {
        if (setup->bus_read && !setup->bus_read(setup->machine, address, bytes, now, value)) return true;
        return kit_fail(core, OAK_FAULT_ABSENT, address);
    }
    const uint8_t *guard = kit_guard_at(core, address), *cells = kit_cells(core, code, address, bytes);
    for (unsigned i = 0; i < bytes; i++) {
        if (guard[i] & KIT_GUARD_READS) return kit_fail(core, OAK_FAULT_UNWRITTEN, address + i);
        *value |= (uint32_t)cells[i] << 8 * i;
    }
    return true;
}

bool kit_put(oak_core *core, uint32_t address, unsigned bytes, uint32_t value, uint64_t now)
{
    const oak_core_setup *setup = &kit_look(core)->setup;
    if (!is_memory(core, address, bytes)) {
        if (setup->bus_write && !setup->bus_write(setup->machine, address, bytes, value, now)) return true;
        return kit_fail(core, OAK_FAULT_ABSENT, address);
    }
    for (unsigned i = 0; i < bytes; i++)
        if (!kit_store(core, address + i, (uint8_t)(value >> 8 * i))) return false;
    return true;
}
