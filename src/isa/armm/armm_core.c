/* armm_core.c — one M-profile core: creating it, its memory, looking and changing, and the run around the loop. */
#include "isa/armm/armm_core.h"

#include "base/arena.h"
#include "base/bytes.h"
#include "base/text.h"

/* ------------------------------------------------------------------------------------------ memory */

armm_region *armm_region_at(const oak_core *core, uint32_t address)
{
    for (unsigned i = 0; i < core->region_count; i++)
        if (address - core->region[i].base < core->region[i].size)
            return (armm_region *)(uintptr_t)&core->region[i];
    return NULL;
}

/* Bytes of the RAM from `low` up to `high`. */
typedef struct stretch {
    uint32_t low, high;
} stretch;

static void forbid_watched(const oak_core *core, const armm_region *ram, unsigned accesses, stretch *all)
{
    for (unsigned i = 0; i < core->watched_count; i++) {
        const oak_watched *one = &core->watched[i];
        uint64_t end = (uint64_t)one->address + one->size, ram_end = (uint64_t)ram->base + ram->size;
        if (!one->space || !(one->accesses & accesses) || one->address >= ram_end || end <= ram->base)
            continue;
        uint32_t low = one->address > ram->base ? one->address - ram->base : 0;
        uint32_t high = (uint32_t)((end < ram_end ? end : ram_end) - ram->base);
        if (low < all->low) all->low = low;
        if (high > all->high) all->high = high;
    }
}

/* What lies on the larger side of a stretch, or all where there is none. */
static stretch larger_side(const armm_region *ram, stretch forbidden)
{
    if (!forbidden.high) return (stretch){0, ram->size};
    if (forbidden.high > ram->size) forbidden.high = ram->size;
    return forbidden.low > ram->size - forbidden.high ? (stretch){0, forbidden.low}
                                                      : (stretch){forbidden.high, ram->size};
}

static uint32_t place(const oak_core *core);

/* The program has read or written: is that watched? `differs`: the bits that a write has changed. */
static void watch_access(oak_core *core, uint32_t address, unsigned bytes, oak_access access,
                         uint32_t differs)
{
    for (unsigned i = 0; i < core->watched_count; i++) {
        const oak_watched *one = &core->watched[i];
        bool hit = false;
        if (!one->space || (address - one->address >= one->size && one->address - address >= bytes)) continue;
        for (unsigned b = 0; b < bytes; b++) {
            uint32_t changed = differs >> (8 * b) & (one->bits ? one->bits : 0xFFu);
            bool inside = address + b - one->address < one->size;
            hit = hit ||
                  (inside && ((one->accesses & access) || (changed && (one->accesses & OAK_ACCESS_CHANGE))));
        }
        if (!hit) continue;
        core->watch_hits |= (uint32_t)1 << i;
        core->watch_pc = place(core);
        core->attention = true;
    }
}

void armm_watch_entry(oak_core *core, unsigned exception)
{
    for (unsigned i = 0; i < core->watched_count; i++) {
        const oak_watched *one = &core->watched[i];
        if (!(one->accesses & OAK_ACCESS_HANDLER) || (one->size && one->address != 4 * exception)) continue;
        core->watch_hits |= (uint32_t)1 << i;
        core->watch_pc = core->r[ARMM_PC];
        core->attention = true;
    }
}

void armm_set_windows(oak_core *core)
{
    const armm_region *ram = NULL;
    for (unsigned i = 0; i < core->region_count; i++)
        if (core->region[i].writable && (!ram || core->region[i].size > ram->size)) ram = &core->region[i];
    memset(core->load_bytes, 0, sizeof core->load_bytes);
    memset(core->store_bytes, 0, sizeof core->store_bytes);
    if (!ram || core->checks_reads || ram->size < 8) return;
    /* Plain stores must not reach decoded code, nor what is watched for them; loads nothing that is watched for loads. */
    stretch forbidden = {UINT32_MAX, 0};
    if (core->ram_code_high > ram->base && core->ram_code_low - ram->base < ram->size)
        forbidden = (stretch){core->ram_code_low - ram->base, core->ram_code_high - ram->base};
    forbid_watched(core, ram, OAK_ACCESS_WRITE | OAK_ACCESS_CHANGE, &forbidden);
    stretch open = larger_side(ram, forbidden);
    core->store_ram = ram->bytes + open.low;
    core->store_base = ram->base + open.low;
    for (uint32_t bytes = 1; bytes <= 4; bytes *= 2)
        core->store_bytes[bytes] = open.high - open.low > bytes ? open.high - open.low - (bytes - 1) : 0;
    forbidden = (stretch){UINT32_MAX, 0};
    forbid_watched(core, ram, OAK_ACCESS_READ, &forbidden);
    open = larger_side(ram, forbidden);
    core->load_ram = ram->bytes + open.low;
    core->load_base = ram->base + open.low;
    for (uint32_t bytes = 1; bytes <= 4; bytes *= 2)
        core->load_bytes[bytes] = open.high - open.low > bytes ? open.high - open.low - (bytes - 1) : 0;
}

static void absent(oak_core *core, uint32_t address)
{
    enum { NEAR = 1024 };
    oak_fault fault = OAK_FAULT_ABSENT;
    uint32_t sp = core->r[ARMM_SP];
    for (unsigned i = 0; i < core->region_count; i++) {
        const armm_region *region = &core->region[i];
        uint32_t end = region->base + region->size;
        bool near = address - sp < NEAR || sp - address < NEAR;
        if (!region->writable || !near) continue;
        if (region->base - address - 1 < NEAR && address < region->base) fault = OAK_FAULT_STACK_OVERFLOW;
        if (address - end < NEAR) fault = OAK_FAULT_STACK_UNDERFLOW;
    }
    core->bfar = address;
    armm_fault(core, core->v7 ? ARMM_BUS_FAULT : ARMM_HARD_FAULT, fault,
               fault == OAK_FAULT_ABSENT ? address : sp, 1u << 9 | 1u << 15);
}

/* ------------------------------------------------------------------------------------------ stack and data */

/* How many objects begin at or below an address. */
static size_t objects_up_to(const oak_core *core, uint32_t address)
{
    size_t low = 0, high = core->object_count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (core->objects[middle].first <= address) low = middle + 1;
        else high = middle;
    }
    return low;
}

static oak_status mark_object(oak_core *core, unsigned space, uint32_t address, uint32_t size)
{
    const armm_region *region = armm_region_at(core, address);
    if (space != ARMM_MEM || !size || !region || !region->writable) return OAK_OK;
    size_t at = objects_up_to(core, address);
    struct armm_object *grown =
        oak_grow(core->setup.host, core->objects, &core->object_room, core->object_count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    core->objects = grown;
    memmove(grown + at + 1, grown + at, (core->object_count - at) * sizeof *grown);
    grown[at] = (struct armm_object){address, address + size};
    core->object_count++;
    core->stack_floor = UINT32_MAX;
    return OAK_OK;
}

/* The object that a byte lies in, or the space around it. */
static void stretch_around(oak_core *core, uint32_t byte)
{
    size_t count = objects_up_to(core, byte);
    const struct armm_object *below = count ? &core->objects[count - 1] : NULL;
    bool inside = below && byte < below->end;
    core->stack_floor = inside ? below->first : below ? below->end : 0;
    core->stack_ceiling = inside                       ? below->end
                          : count < core->object_count ? core->objects[count].first
                                                       : UINT32_MAX;
}

void armm_stack_grew(oak_core *core, uint32_t sp, uint32_t to)
{
    if (!core->object_count || !sp) {
        core->stack_floor = 0;
        core->stack_ceiling = UINT32_MAX;
        return;
    }
    bool known =
        sp >= core->stack_floor && sp <= core->stack_ceiling; /* full or empty, it is still in there */
    if (!known) stretch_around(core, sp - 1);
    if (to >= core->stack_floor) return;
    size_t count = objects_up_to(core, core->stack_floor - 1);
    const struct armm_object *hit = count ? &core->objects[count - 1] : NULL;
    stretch_around(core, to);
    if (hit && hit->end > to && core->setup.suffer)
        core->setup.suffer(core->setup.machine, OAK_FAULT_STACK_DATA, ARMM_MEM, hit->first, core->now);
}

static bool is_unaligned(oak_core *core, uint32_t address, unsigned bytes)
{
    if (!(address & (bytes - 1) & core->align_mask)) return false;
    armm_fault(core, core->v7 ? ARMM_USAGE_FAULT : ARMM_HARD_FAULT, OAK_FAULT_UNALIGNED, address, 1u << 24);
    return true;
}

/* The bit-band regions (B3.1): a word there is a bit of the RAM or of the peripherals. */
static bool bit_band(const oak_core *core, uint32_t address, uint32_t *cell, unsigned *bit)
{
    uint32_t top = address >> 25;
    if (!core->v7 || (top != 0x22000000u >> 25 && top != 0x42000000u >> 25)) return false;
    uint32_t offset = address & 0x01FFFFFF, byte = (address & 0xF0000000u) + (offset >> 5);
    *cell = byte & ~(uint32_t)3;
    *bit = (byte & 3) * 8 + (offset >> 2 & 7);
    return true;
}

static bool written(const armm_region *region, uint32_t offset, unsigned bytes, uint32_t *which)
{
    for (unsigned i = 0; i < bytes; i++) {
        *which = offset + i;
        if (!(region->known[*which >> 3] >> (*which & 7) & 1)) return false;
    }
    return true;
}

bool armm_load(oak_core *core, uint32_t address, unsigned bytes, uint32_t *value)
{
    uint32_t cell, which = 0;
    unsigned bit;
    if (is_unaligned(core, address, bytes)) return false;
    const armm_region *region = armm_region_at(core, address);
    if (region && bytes <= region->size - (address - region->base)) {
        const uint8_t *at = region->bytes + (address - region->base);
        if (region->writable && core->checks_reads && region->known &&
            !written(region, address - region->base, bytes, &which)) {
            armm_fault(core, ARMM_HARD_FAULT, OAK_FAULT_UNWRITTEN, region->base + which, 0);
            core->fault_unhandled = true;
            return false;
        }
        *value = 0;
        for (unsigned i = 0; i < bytes; i++) *value |= (uint32_t)at[i] << (8 * i);
        if (core->watched_count) watch_access(core, address, bytes, OAK_ACCESS_READ, 0);
        return true;
    }
    if (bit_band(core, address, &cell, &bit)) {
        if (!armm_load(core, cell, 4, value)) return false;
        *value = *value >> bit & 1;
        return true;
    }
    if (core->watched_count) watch_access(core, address, bytes, OAK_ACCESS_READ, 0);
    if (armm_is_system(address)) {
        if (armm_privileged(core) && armm_system_read(core, address & ~(uint32_t)3, value)) {
            *value =
                *value >> (8 * (address & 3)) & (bytes == 4 ? UINT32_MAX : ((uint32_t)1 << (8 * bytes)) - 1);
            return true;
        }
    } else if (core->setup.bus_read &&
               !core->setup.bus_read(core->setup.machine, address, bytes, core->now, value)) {
        return true;
    }
    absent(core, address);
    return false;
}

bool armm_store(oak_core *core, uint32_t address, unsigned bytes, uint32_t value)
{
    uint32_t cell, old;
    unsigned bit;
    if (is_unaligned(core, address, bytes)) return false;
    armm_region *region = armm_region_at(core, address);
    if (region && bytes <= region->size - (address - region->base)) {
        uint32_t offset = address - region->base;
        if (!region->writable) {
            core->bfar = address;
            armm_fault(core, core->v7 ? ARMM_BUS_FAULT : ARMM_HARD_FAULT, OAK_FAULT_READ_ONLY, address,
                       1u << 9 | 1u << 15);
            return false;
        }
        uint32_t differs = 0;
        for (unsigned i = 0; i < bytes; i++) {
            differs |= (uint32_t)(region->bytes[offset + i] ^ (uint8_t)(value >> (8 * i))) << (8 * i);
            region->bytes[offset + i] = (uint8_t)(value >> (8 * i));
            if (region->known) region->known[(offset + i) >> 3] |= (uint8_t)(1u << ((offset + i) & 7));
        }
        if (address < core->ram_code_high && address + bytes > core->ram_code_low) {
            armm_forget_ram(core);
            core->attention = true;
        }
        if (core->watched_count) watch_access(core, address, bytes, OAK_ACCESS_WRITE, differs);
        return true;
    }
    if (bit_band(core, address, &cell, &bit)) {
        if (!armm_load(core, cell, 4, &old)) return false;
        return armm_store(core, cell, 4, (old & ~((uint32_t)1 << bit)) | (value & 1) << bit);
    }
    if (core->watched_count) watch_access(core, address, bytes, OAK_ACCESS_WRITE, 0);
    if (armm_is_system(address)) {
        uint32_t shift = 8 * (address & 3),
                 mask = bytes == 4 ? UINT32_MAX : (((uint32_t)1 << (8 * bytes)) - 1) << shift;
        uint32_t word = address & ~(uint32_t)3;
        if (armm_privileged(core) && armm_system_read(core, word, &old)) {
            bool clears = word == 0xE000ED28u || word == 0xE000ED2Cu; /* writing 1 clears: the others stay */
            return armm_system_write(core, word,
                                     (value << shift & mask) | (bytes == 4 || clears ? 0 : old & ~mask));
        }
    } else if (core->setup.bus_write &&
               !core->setup.bus_write(core->setup.machine, address, bytes, value, core->now)) {
        return true;
    }
    absent(core, address);
    return false;
}

/* ------------------------------------------------------------------------------------------ flags, reset, creating */

uint32_t armm_xpsr(const oak_core *core)
{
    uint32_t flags = (uint32_t)(core->nz < 0) << 31 | (uint32_t)((uint32_t)core->nz == 0) << 30 |
                     core->c << 29 | (core->v >> 31) << 28 | (uint32_t)core->q << 27;
    return flags | (uint32_t)!core->not_thumb << 24 | core->ipsr | (core->it & 3u) << 25 |
           (core->it & 0xFCu) << 8;
}

void armm_set_flags(oak_core *core, uint32_t xpsr)
{
    core->nz = (xpsr >> 31 ? INT64_MIN : 0) | !(xpsr >> 30 & 1);
    core->c = xpsr >> 29 & 1;
    core->v = xpsr << 3 & 0x80000000u;
    core->q = core->v7 && (xpsr >> 27 & 1);
}

static void take_reset_vector(oak_core *core)
{
    uint32_t sp = 0, pc = 0;
    const armm_region *region = armm_region_at(core, 0);
    if (region && region->size >= 8) {
        const uint8_t *at = region->bytes + (0 - region->base);
        for (unsigned i = 0; i < 4; i++)
            sp |= (uint32_t)at[i] << (8 * i), pc |= (uint32_t)at[4 + i] << (8 * i);
    }
    core->r[ARMM_SP] = sp & ~(uint32_t)3;
    core->r[ARMM_PC] = pc & ~(uint32_t)1;
    core->not_thumb = !(pc & 1);
}

/* What a reset does on the chip: RAM keeps what it holds. */
static void reset_registers(oak_core *core)
{
    memset(core->r, 0, sizeof core->r);
    core->r[ARMM_LR] = UINT32_MAX;
    core->other_sp = 0;
    core->nz = 1;
    core->c = core->v = 0;
    core->q = core->uses_psp = false;
    core->it = core->it_after = 0;
    core->primask = core->faultmask = core->basepri = core->control = 0;
    core->sleeping = core->event = core->reset_requested = false;
    core->claimed = 1;
    core->fault = OAK_FAULT_NONE;
    core->fault_unhandled = core->raised_behind = false;
    core->raised = 0;
    core->attention = true;
    core->next_event = 0;
    core->fresh = true;
    core->log.depth = 0;
    armm_reset_exceptions(core);
    armm_reset_system(core);
    core->align_mask = core->v7 ? 0 : 3;
    armm_forget_ram(core);
    take_reset_vector(core);
}

/* Power comes: RAM begins with zeros, and time with it. */
static void reset(oak_core *core)
{
    for (unsigned i = 0; i < core->region_count && core->used; i++) {
        armm_region *region = &core->region[i];
        if (!region->writable) continue;
        memset(region->bytes, 0, region->size);
        if (region->known) memset(region->known, 0, (region->size + 7) / 8);
    }
    core->used = false;
    core->time = (oak_chip_time){0};
    core->log = (oak_service_log){0};
    armm_fold_counts(core);
    oak_tallies_clear(&core->tallies);
    reset_registers(core);
}

static void destroy(oak_core *core)
{
    const oak_host *host = core->setup.host;
    (void)!oak_tallies_set(&core->tallies, host, 0, false); /* giving back cannot fail */
    oak_edits_free(&core->edits, host);
    for (unsigned i = 0; i < core->region_count; i++) {
        const armm_region *region = &core->region[i];
        size_t known = region->writable ? (region->size + 7) / 8 : region->size;
        if (region->bytes) host->resize(host->context, region->bytes, region->size, 0);
        if (region->known) host->resize(host->context, region->known, known, 0);
    }
    for (unsigned i = 0; i < ARMM_MOST_CHUNKS; i++)
        if (core->chunk[i]) host->resize(host->context, core->chunk[i], sizeof(armm_shadow) * ARMM_CHUNK, 0);
    if (core->counts) host->resize(host->context, core->counts, core->slots * sizeof *core->ops, 0);
    if (core->ops) host->resize(host->context, core->ops, core->slots * sizeof *core->ops, 0);
    if (core->natural) host->resize(host->context, core->natural, core->slots, 0);
    if (core->judged_by)
        host->resize(host->context, core->judged_by, core->slots * sizeof *core->judged_by, 0);
    if (core->stop_at) host->resize(host->context, core->stop_at, core->slots, 0);
    oak_release(host, core->objects, core->object_room, sizeof *core->objects);
    host->resize(host->context, core, sizeof *core, 0);
}

static bool take_memory(oak_core *core)
{
    const oak_host *host = core->setup.host;
    for (unsigned i = 0; i < core->region_count; i++) {
        armm_region *region = &core->region[i];
        region->bytes = region->writable ? oak_take_zeroed(host, region->size)
                                         : host->resize(host->context, NULL, 0, region->size);
        if (!region->bytes) return false;
        if (region->writable) continue;
        memset(region->bytes, 0xFF, region->size);
        region->known = oak_take_zeroed(host, region->size);
        if (!region->known) return false;
    }
    core->ops = oak_take_zeroed(host, core->slots * sizeof *core->ops);
    core->natural = oak_take_zeroed(host, core->slots);
    core->stop_at = oak_take_zeroed(host, core->slots);
    return core->ops && core->natural && core->stop_at;
}

static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **result)
{
    enum { LARGEST = 64 << 20 };
    const oak_host *host = setup->host;
    if (setup->memory_count >= ARMM_MOST_REGIONS || setup->interrupt_count > ARMM_MOST_LINES ||
        setup->priority_bits < 1 || setup->priority_bits > 8)
        return OAK_UNSUPPORTED;
    oak_core *core = host->resize(host->context, NULL, 0, sizeof *core);
    if (!core) return OAK_NO_MEMORY;
    memset(core, 0, sizeof *core);
    core->tables = tables;
    core->setup = *setup;
    core->v7 = tables->v7;
    uint64_t slots = 1;
    for (unsigned i = 0; i < setup->memory_count; i++) {
        const oak_core_memory *memory = &setup->memories[i];
        core->region[i] = (armm_region){.base = memory->base,
                                        .size = memory->size,
                                        .writable = memory->writable,
                                        .first_slot = (uint32_t)slots - 1};
        slots += memory->size / 2 + 2;
        if (memory->size > LARGEST || (memory->base & 3) || (memory->size & 3)) {
            host->resize(host->context, core, sizeof *core, 0);
            return OAK_UNSUPPORTED;
        }
    }
    core->region_count = setup->memory_count;
    core->slots = (uint32_t)slots;
    if (!take_memory(core)) {
        destroy(core);
        return OAK_NO_MEMORY;
    }
    armm_forget(core);
    reset(core);
    *result = core;
    return OAK_OK;
}

static oak_status program(oak_core *core, uint32_t address, const uint8_t *bytes, size_t count)
{
    core->used = true;
    armm_region *region = armm_region_at(core, address);
    if (!region || count > region->size - (address - region->base)) return OAK_OUT_OF_RANGE;
    uint32_t offset = address - region->base;
    memcpy(region->bytes + offset, bytes, count);
    if (!region->writable) memset(region->known + offset, 1, count);
    for (size_t i = 0; region->writable && region->known && i < count; i++)
        region->known[(offset + i) >> 3] |= (uint8_t)(1u << ((offset + i) & 7));
    bool code = address < core->ram_code_high && address + count > core->ram_code_low;
    if (core->decoded && (code || !region->writable)) armm_forget(core);
    if (!region->writable) armm_forget_singles(core);
    if (core->fresh) take_reset_vector(core);
    return OAK_OK;
}

static void mark_data(oak_core *core, uint32_t address, uint32_t count)
{
    armm_region *region = armm_region_at(core, address);
    if (!region || region->writable || count > region->size - (address - region->base)) return;
    for (uint32_t i = 0; i < count; i++)
        if (region->known[address - region->base + i]) region->known[address - region->base + i] = 2;
    if (core->decoded) armm_forget(core);
    armm_forget_singles(core);
}

static oak_status check_reads(oak_core *core, bool on)
{
    const oak_host *host = core->setup.host;
    core->checks_reads = on;
    for (unsigned i = 0; i < core->region_count; i++) {
        armm_region *region = &core->region[i];
        if (!region->writable || region->known) continue;
        region->known = host->resize(host->context, NULL, 0, (region->size + 7) / 8);
        if (!region->known) {
            core->checks_reads = false;
            armm_forget(core);
            return OAK_NO_MEMORY;
        }
        memset(region->known, 0, (region->size + 7) / 8);
    }
    armm_forget(core);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ running */

static void fill_stop(const oak_core *core, oak_stop_reason reason, oak_stop *stop)
{
    *stop = (oak_stop){.reason = reason, .pc = core->r[ARMM_PC]};
    if (reason == OAK_STOP_WATCH) stop->watched = core->watch_hits, stop->watched_pc = core->watch_pc;
    if (reason != OAK_STOP_FAULT) return;
    stop->fault = core->fault;
    stop->fault_space = ARMM_MEM;
    stop->fault_address = core->fault_address;
    stop->fault_pc = core->fault_pc;
}

static void attend(oak_core *core)
{
    uint64_t now = core->time.cycles, next = UINT64_MAX;
    core->attention = false;
    core->now = now;
    core->now_op = NULL;
    if (core->setup.advance) next = core->setup.advance(core->setup.machine, now);
    uint64_t tick = armm_advance_tick(core, now);
    core->next_event = tick < next ? tick : next;
}

/* The reset that the program or a watchdog asked for. Time goes on. */
static void reset_itself(oak_core *core)
{
    reset_registers(core);
    if (core->setup.reset_devices) core->setup.reset_devices(core->setup.machine);
    armm_reset_system(core);
}

/* Nothing inside the chip can end this sleep or loop. */
static bool is_lost(const oak_core *core)
{
    bool deaf = core->primask || core->faultmask || core->ipsr == ARMM_NMI || core->ipsr == ARMM_HARD_FAULT;
    bool resets = core->setup.resets_at && core->setup.resets_at(core->setup.machine) != UINT64_MAX;
    return core->next_event == UINT64_MAX || (deaf && !resets);
}

static bool sleep_on(oak_core *core, uint64_t until_cycle)
{
    /* wfe: an event, or an interrupt that is taken; wfi: one that would be but for PRIMASK (B1.5.17, B1.5.18). */
    bool wakes = core->waits_for_event ? core->event || armm_may_take(core) : armm_would_wake(core);
    if (wakes) {
        core->sleeping = false;
        if (core->waits_for_event) core->event = false;
        return true;
    }
    if (core->next_event == UINT64_MAX) return false;
    uint64_t until = core->next_event < until_cycle ? core->next_event : until_cycle;
    if (until > core->time.cycles) core->time.cycles = until;
    return true;
}

/* Goes round a jump to itself until something may happen; false when nothing ever will. */
static bool circle(oak_core *core, uint64_t until_cycle, uint64_t until_instruction)
{
    if (is_lost(core)) return false;
    uint64_t until = core->next_event < until_cycle ? core->next_event : until_cycle;
    uint32_t cycles = 1 + armm_refill(core, core->r[ARMM_PC]);
    uint64_t rounds = until > core->time.cycles ? (until - core->time.cycles + cycles - 1) / cycles : 1;
    uint64_t most = until_instruction - core->time.instructions;
    if (rounds > most) rounds = most;
    core->time.cycles += rounds * cycles;
    core->time.instructions += rounds;
    if (core->tallies.at)
        oak_tallies_add(&core->tallies, (size_t)(armm_op_at(core, core->r[ARMM_PC]) - core->ops), rounds,
                        rounds * cycles);
    return true;
}

static bool has_reset_vector(const oak_core *core)
{
    const armm_region *region = armm_region_at(core, 4);
    return region &&
           (region->writable || (region->known[4 - region->base] && region->known[7 - region->base]));
}

/* Which of those watched the instruction at pc reaches in registers. */
static uint32_t watched_registers(oak_core *core)
{
    uint32_t hits = 0;
    armm_uses uses = armm_next_uses(core);
    if (armm_single_at(core, core->r[ARMM_PC])->it_after != core->it) uses.writes |= (uint32_t)1 << ARMM_XPSR;
    for (unsigned i = 0; i < core->watched_count; i++) {
        const oak_watched *one = &core->watched[i];
        if (one->space || (one->accesses & OAK_ACCESS_HANDLER)) continue;
        bool hit = ((one->accesses & OAK_ACCESS_READ) && (uses.reads >> one->address & 1)) ||
                   ((one->accesses & OAK_ACCESS_WRITE) && (uses.writes >> one->address & 1));
        hits |= (uint32_t)hit << i;
    }
    return hits;
}

void armm_note_registers(oak_core *core, uint32_t written)
{
    for (unsigned i = 0; (written & core->watched_registers) && i < core->watched_count; i++) {
        const oak_watched *one = &core->watched[i];
        bool hit = !one->space && !(one->accesses & OAK_ACCESS_HANDLER) &&
                   (one->accesses & OAK_ACCESS_WRITE) && (written >> one->address & 1);
        if (!hit) continue;
        core->watch_hits |= (uint32_t)1 << i;
        core->watch_pc = core->r[ARMM_PC];
        core->attention = true;
    }
}

/* One stretch: whole blocks while there is time for them, else one instruction. */
static armm_exit run_stretch(oak_core *core, uint64_t left, bool first)
{
    enum { SLICE = 1 << 30 };
    uint64_t before = core->time.instructions;
    armm_exit exit = ARMM_EXIT_TIME;
    core->counting |= core->counts != NULL;
    core->raised_behind = false;
    if (!first && left > 1 && !core->it)
        exit = (core->judged.count ? armm_run_judged
                : core->counts     ? armm_run_counted
                                   : armm_run_blocks)(core, left < SLICE ? (uint32_t)left : SLICE);
    if (exit != ARMM_EXIT_TIME || core->time.instructions != before) return exit;
    const armm_op *op = armm_op_at(core, core->r[ARMM_PC]);
    if (!first && core->stop_at[op - core->ops]) return ARMM_EXIT_STOP;
    oak_chip_time began = core->time;
    uint32_t hits = core->watched_registers ? watched_registers(core) : 0, pc = core->r[ARMM_PC];
    core->judged_pc = pc;
    exit = armm_run_one(core);
    if (core->time.instructions == began.instructions) return exit;
    if (core->tallies.at)
        oak_tallies_add(&core->tallies, (size_t)(op - core->ops), 1, core->time.cycles - began.cycles);
    if (!hits) return exit;
    core->watch_hits |= hits;
    core->watch_pc = pc;
    core->attention = true;
    return exit;
}

/* Something may have changed that somebody judges. */
static void look(oak_core *core)
{
    if (core->judged.count && oak_judged_look(&core->judged, core, OAK_JUDGED_ALL))
        core->watch_pc = core->judged_pc;
}

static void run(oak_core *core, uint64_t until_cycle, uint64_t until_instruction, oak_stop *stop)
{
    core->used = true;
    bool first = true;
    if (core->fresh && !has_reset_vector(core)) {
        core->fault = OAK_FAULT_NO_HANDLER;
        core->fault_address = ARMM_RESET;
        fill_stop(core, OAK_STOP_FAULT, stop);
        return;
    }
    core->fresh = false;
    core->fault_unhandled = core->struck;
    if (core->judged.count) oak_judged_begin(&core->judged, core);
    for (;;) {
        look(core);
        if (core->attention || core->time.cycles >= core->next_event) attend(core);
        if (core->reset_requested && !core->fault_unhandled) {
            reset_itself(core);
            first = false;
            continue;
        }
        uint32_t interrupted = core->r[ARMM_PC];
        if (!core->fault_unhandled && armm_take_pending(core)) {
            first = false;
            core->judged_pc = interrupted;
            look(core);
        }
        if (core->fault_unhandled) {
            core->struck = false;
            fill_stop(core, OAK_STOP_FAULT, stop);
            return;
        }
        if (core->watch_hits ||
            core->judged.hit) { /* behind an interrupt that comes here, as behind a step */
            fill_stop(core, OAK_STOP_WATCH, stop);
            core->watch_hits = 0;
            core->judged.hit = false;
            return;
        }
        if (core->time.cycles >= until_cycle || core->time.instructions >= until_instruction) {
            fill_stop(core, core->time.cycles >= until_cycle ? OAK_STOP_CYCLES : OAK_STOP_STEPS, stop);
            return;
        }
        if (core->attention || core->time.cycles >= core->next_event) continue;
        armm_exit exit;
        if (core->sleeping) {
            if (sleep_on(core, until_cycle)) continue;
            exit = ARMM_EXIT_PARKED;
        } else if (core->not_thumb) {
            armm_refuse_state(core);
            core->raised_behind = first = false;
            exit = ARMM_EXIT_RAISED;
        } else {
            uint64_t until = core->next_event < until_cycle ? core->next_event : until_cycle;
            uint64_t left = until - core->time.cycles, steps = until_instruction - core->time.instructions;
            exit = run_stretch(core, steps < left ? steps : left, first);
            first = false;
            if (exit == ARMM_EXIT_PARKED && circle(core, until_cycle, until_instruction)) continue;
        }
        if (exit == ARMM_EXIT_RAISED) {
            core->fault_pc = core->r[ARMM_PC];
            if (!core->fault_unhandled && armm_take_raised(core)) continue;
            fill_stop(core, OAK_STOP_FAULT, stop);
            return;
        }
        if (exit == ARMM_EXIT_PARKED) {
            bool faulted = core->ipsr >= ARMM_HARD_FAULT && core->ipsr <= ARMM_USAGE_FAULT && core->fault;
            fill_stop(core, faulted ? OAK_STOP_FAULT : OAK_STOP_PARKED, stop);
            stop->fault_taken = faulted;
            stop->asleep = core->sleeping;
            return;
        }
        if (exit == ARMM_EXIT_STOP) {
            fill_stop(core, OAK_STOP_POINT, stop);
            return;
        }
    }
}

static void idle(oak_core *core, uint64_t until_cycle)
{
    if (core->time.cycles >= until_cycle) return;
    if (!core->sleeping) {
        uint32_t cycles = 1 + armm_refill(core, core->r[ARMM_PC]);
        uint64_t rounds = (until_cycle - core->time.cycles + cycles - 1) / cycles;
        core->time.cycles += rounds * cycles;
        core->time.instructions += rounds;
        return;
    }
    core->time.cycles = until_cycle;
}

static void attention(oak_core *core)
{
    core->attention = true;
}

static void strike(oak_core *core, const oak_notice *notice, bool ends_run, bool resets)
{
    if (ends_run) {
        core->fault = notice->fault;
        core->fault_address = notice->address;
        core->fault_unhandled = core->struck = true;
    }
    core->reset_requested |= resets; /* when the run goes on */
    core->attention = true;
}

static oak_status judge(oak_core *core, const oak_judge *asked)
{
    enum { STATE_BITS = 0x0600FC00 };
    const oak_host *host = core->setup.host;
    const oak_isa *isa = core->v7 ? &oak_isa_armv7m : &oak_isa_armv6m;
    oak_status status = oak_judged_set(&core->judged, isa, core, asked);
    if (status) return status;
    size_t size = core->slots * sizeof *core->judged_by;
    core->judges_state = false;
    armm_forget(core); /* two in one cannot be judged */
    if (!core->judged.count && core->judged_by)
        core->judged_by = host->resize(host->context, core->judged_by, size, 0);
    else if (core->judged.count && !core->judged_by)
        core->judged_by = host->resize(host->context, NULL, 0, size);
    if (core->judged.count && !core->judged_by) {
        core->judged = (oak_judged){0};
        return OAK_NO_MEMORY;
    }
    for (unsigned i = 0; i < core->judged.count; i++) {
        const oak_watched *cells = &core->judged.value[i].cells;
        const armm_region *region = cells->space ? armm_region_at(core, cells->address) : NULL;
        if (!cells->space && cells->address < ARMM_PC)
            oak_judged_at(&core->judged, i, &core->r[cells->address], sizeof *core->r, true);
        else if (region && cells->size <= region->size - (cells->address - region->base))
            oak_judged_at(&core->judged, i, region->bytes + (cells->address - region->base), cells->size,
                          false);
        core->judges_state |=
            !cells->space && cells->address == ARMM_XPSR && (core->judged.value[i].mask & STATE_BITS);
    }
    return OAK_OK;
}

static oak_status watch(oak_core *core, const oak_watched *cells, unsigned count)
{
    uint32_t registers = 0;
    core->watched_count = 0;
    if (count > OAK_MOST_WATCHED) return OAK_UNSUPPORTED;
    for (unsigned i = 0; i < count; i++) {
        if (!cells[i].space && !(cells[i].accesses & OAK_ACCESS_HANDLER)) {
            bool known = cells[i].address < (core->v7 ? ARMM_REGISTERS : ARMM_BASEPRI) &&
                         cells[i].address != ARMM_PC && !cells[i].bits;
            if (!known || (cells[i].accesses & OAK_ACCESS_CHANGE)) return OAK_UNSUPPORTED;
            bool sp =
                cells[i].address == ARMM_SP || cells[i].address == ARMM_MSP || cells[i].address == ARMM_PSP;
            registers |= sp ? ARMM_STACK_POINTERS : (uint32_t)1 << cells[i].address;
            core->watched[i] = cells[i];
            continue;
        }
        const armm_region *region = armm_region_at(core, cells[i].address);
        bool memory = region && cells[i].size <= region->size - (cells[i].address - region->base);
        if (cells[i].accesses & OAK_ACCESS_CHANGE && !memory) return OAK_UNSUPPORTED;
        core->watched[i] = cells[i];
    }
    core->watched_count = count;
    core->watch_hits = 0;
    if (core->watched_registers != registers) { /* what reaches one stands by itself */
        core->watched_registers = registers;
        armm_forget(core);
    }
    armm_set_windows(core);
    return OAK_OK;
}

/* Where the program is, also in the middle of a block. */
static uint32_t place(const oak_core *core)
{
    return core->now_op ? armm_pc_of(core, core->now_op) : core->r[ARMM_PC];
}

/* Of memory that keeps its contents only what somebody has written there meanwhile is taken back. */
static void tape(oak_core *core, oak_tape *tape)
{
    core->used = true;
    core->now_op = NULL;
    oak_tape_piece(tape, &core->time, offsetof(oak_core, region) - offsetof(oak_core, time));
    oak_tape_piece(tape, &core->align_mask, sizeof core->align_mask);
    oak_tape_piece(tape, &core->now, sizeof *core - offsetof(oak_core, now));
    for (unsigned i = 0; i < core->region_count; i++) {
        armm_region *region = &core->region[i];
        if (!region->writable) continue;
        oak_tape_piece(tape, region->bytes, region->size);
        if (region->known) oak_tape_piece(tape, region->known, (region->size + 7) / 8);
    }
    size_t taken_back = oak_edits_tape(&core->edits, tape);
    if (taken_back) armm_forget(core);
    while (taken_back--) {
        oak_edit edit = oak_edits_pop(&core->edits);
        armm_region *region = armm_region_at(core, edit.address);
        region->bytes[edit.address - region->base] = edit.value;
        region->known[edit.address - region->base] = edit.known;
    }
    armm_fold_counts(core);
    oak_tallies_tape(&core->tallies, tape);
    core->judged.hit = false;
    core->watch_hits = 0;
    if (!tape->saves && tape->at) armm_forget_ram(core);
    core->attention = true;
}

static oak_status count(oak_core *core, bool on)
{
    const oak_host *host = core->setup.host;
    size_t size = core->slots * sizeof *core->ops;
    oak_status status = oak_tallies_set(&core->tallies, host, core->slots, on);
    if (core->counts) host->resize(host->context, core->counts, size, 0);
    core->counts = on && !status ? oak_take_zeroed(host, size) : NULL;
    core->counting = false;
    armm_forget_ram(core); /* it is counted one by one */
    if (on && !status && !core->counts) {
        status = OAK_NO_MEMORY;
        (void)!oak_tallies_set(&core->tallies, host, 0, false); /* giving back cannot fail */
    }
    return status;
}

static oak_status counted(const oak_core *core, uint32_t address, oak_tally *tally)
{
    const armm_region *region = armm_region_at(core, address);
    if (!region) return OAK_OUT_OF_RANGE;
    if (!core->tallies.at) return OAK_UNSUPPORTED;
    if (core->counting)
        armm_fold_counts((oak_core *)(uintptr_t)core); /* what was counted stays what it was */
    if (address & 1) *tally = (oak_tally){0};
    else *tally = core->tallies.at[region->first_slot + (address - region->base) / 2];
    return OAK_OK;
}

static const oak_service_log *services(const oak_core *core)
{
    return &core->log;
}

/* ------------------------------------------------------------------------------------------ looking and changing */

static oak_status read_register(const oak_core *core, unsigned reg, uint32_t *value)
{
    if (reg >= ARMM_REGISTERS || (reg >= ARMM_BASEPRI && !core->v7)) return OAK_OUT_OF_RANGE;
    switch (reg) {
    case ARMM_XPSR: *value = armm_xpsr(core); break;
    case ARMM_MSP: *value = core->uses_psp ? core->other_sp : core->r[ARMM_SP]; break;
    case ARMM_PSP: *value = core->uses_psp ? core->r[ARMM_SP] : core->other_sp; break;
    case ARMM_PRIMASK: *value = core->primask; break;
    case ARMM_CONTROL: *value = core->control; break;
    case ARMM_BASEPRI: *value = core->basepri; break;
    case ARMM_FAULTMASK: *value = core->faultmask; break;
    default: *value = core->r[reg]; break;
    }
    return OAK_OK;
}

static oak_status write_register(oak_core *core, unsigned reg, uint32_t value)
{
    if (reg >= ARMM_REGISTERS || (reg >= ARMM_BASEPRI && !core->v7)) return OAK_OUT_OF_RANGE;
    core->attention = true;
    switch (reg) {
    case ARMM_SP: core->r[ARMM_SP] = value & ~(uint32_t)3; break;
    case ARMM_PC:
        core->r[ARMM_PC] = value & ~(uint32_t)1;
        core->it = 0;
        core->sleeping = core->fresh = core->not_thumb = false;
        break;
    case ARMM_XPSR:
        armm_set_flags(core, value);
        core->it = core->v7 ? (uint8_t)((value >> 25 & 3) | (value >> 8 & 0xFC)) : 0;
        if ((value & 0x1FF) != core->ipsr && (value & 0x1FF) < ARMM_EXCEPTIONS) {
            if (core->ipsr) armm_put_bit(core->active, core->ipsr, false);
            core->ipsr = value & 0x1FF;
            if (core->ipsr) armm_put_bit(core->active, core->ipsr, true);
        }
        break;
    case ARMM_MSP: *(core->uses_psp ? &core->other_sp : &core->r[ARMM_SP]) = value & ~(uint32_t)3; break;
    case ARMM_PSP: *(core->uses_psp ? &core->r[ARMM_SP] : &core->other_sp) = value & ~(uint32_t)3; break;
    case ARMM_PRIMASK: core->primask = value & 1; break;
    case ARMM_CONTROL: armm_write_control(core, value & 3); break;
    case ARMM_BASEPRI: core->basepri = (uint8_t)value; break;
    case ARMM_FAULTMASK: core->faultmask = value & 1; break;
    default: core->r[reg] = value; break;
    }
    return OAK_OK;
}

static oak_status read_memory(const oak_core *core, unsigned space, uint32_t address, uint8_t *bytes,
                              size_t count)
{
    if (space != ARMM_MEM) return OAK_OUT_OF_RANGE;
    const armm_region *region = armm_region_at(core, address);
    if (region) {
        if (count > region->size - (address - region->base)) return OAK_OUT_OF_RANGE;
        memcpy(bytes, region->bytes + (address - region->base), count);
        return OAK_OK;
    }
    if (!armm_is_system(address)) return OAK_OUT_OF_RANGE;
    for (size_t i = 0; i < count; i++) {
        uint32_t word, at = address + (uint32_t)i;
        oak_core *self = (oak_core *)(uintptr_t)core;
        bool flag = self->tick_flag;
        self->now = self->time.cycles;
        if (!armm_is_system(at) || !armm_system_read(self, at & ~(uint32_t)3, &word)) return OAK_OUT_OF_RANGE;
        self->tick_flag = flag; /* looking clears nothing */
        bytes[i] = (uint8_t)(word >> (8 * (at & 3)));
    }
    return OAK_OK;
}

static oak_status write_memory(oak_core *core, unsigned space, uint32_t address, const uint8_t *bytes,
                               size_t count)
{
    core->used = true;
    if (space != ARMM_MEM) return OAK_OUT_OF_RANGE;
    armm_region *region = armm_region_at(core, address);
    core->attention = true;
    if (region) {
        uint32_t offset = address - region->base;
        if (count > region->size - offset) return OAK_OUT_OF_RANGE;
        for (size_t i = 0; !region->writable && i < count; i++) {
            oak_edit edit = {address + (uint32_t)i, region->bytes[offset + i], region->known[offset + i]};
            if (oak_edits_add(&core->edits, core->setup.host, edit)) return OAK_NO_MEMORY;
        }
        return program(core, address, bytes, count);
    }
    if (!armm_is_system(address) || count != 4) return OAK_OUT_OF_RANGE;
    core->now = core->time.cycles;
    uint32_t word =
        (uint32_t)bytes[0] | (uint32_t)bytes[1] << 8 | (uint32_t)bytes[2] << 16 | (uint32_t)bytes[3] << 24;
    return armm_system_write(core, address, word) ? OAK_OK : OAK_OUT_OF_RANGE;
}

static void visit_bits(const oak_state_visitor *visitor, const char *name, uint8_t *bits)
{
    for (unsigned i = 0; i < ARMM_EXCEPTIONS / 8; i += 4) {
        char whole[40];
        uint64_t value = 0;
        for (unsigned b = 0; b < 4; b++) value |= (uint64_t)bits[i + b] << (8 * b);
        oak_format(whole, sizeof whole, "%s%u", name, i / 4);
        visitor->number(visitor->context, "core", whole, &value);
        for (unsigned b = 0; b < 4; b++) bits[i + b] = (uint8_t)(value >> (8 * b));
    }
}

/* Each with the type it has. */
#define VISIT_NUMBER(name, type)                                                                             \
    {                                                                                                        \
        uint64_t value = core->name;                                                                         \
        visitor->number(visitor->context, "core", #name, &value);                                            \
        core->name = (type)value;                                                                            \
    }
/* clang-format off */
#define VISIT_ALL(X)                                                                                         \
    X(other_sp, uint32_t)                                                                                    \
    X(uses_psp, bool)                                                                                        \
    X(not_thumb, bool)                                                                                       \
    X(ipsr, uint16_t)                                                                                        \
    X(sleeping, bool)                                                                                        \
    X(waits_for_event, bool)                                                                                 \
    X(event, bool)                                                                                           \
    X(claimed, uint32_t)                                                                                     \
    X(cfsr, uint32_t)                                                                                        \
    X(hfsr, uint32_t)                                                                                        \
    X(bfar, uint32_t)                                                                                        \
    X(mmfar, uint32_t)                                                                                       \
    X(shcsr_enabled, uint32_t)                                                                               \
    X(ccr, uint32_t)                                                                                         \
    X(scr, uint32_t)                                                                                         \
    X(vtor, uint32_t)                                                                                        \
    X(aircr_group, uint32_t)                                                                                 \
    X(tick_on, bool)                                                                                         \
    X(tick_interrupt, bool) X(tick_flag, bool) X(tick_reload, uint32_t) X(tick_value, uint32_t)              \
        X(tick_since, uint64_t) X(tick_next, uint64_t)
/* clang-format on */

static void visit(oak_core *core, const oak_state_visitor *visitor)
{
    VISIT_ALL(VISIT_NUMBER)
    visit_bits(visitor, "pending", core->pending);
    visit_bits(visitor, "active", core->active);
    visit_bits(visitor, "enabled", core->enabled);
    visit_bits(visitor, "level", core->level);
    for (unsigned i = 0; i < 16 + core->setup.interrupt_count; i++) {
        char name[40];
        uint64_t value = core->priority[i];
        oak_format(name, sizeof name, "priority%u", i);
        visitor->number(visitor->context, "core", name, &value);
        core->priority[i] = (uint8_t)value;
    }
    core->align_mask = !core->v7 || core->ccr & 1u << 3 ? 3 : 0;
    core->attention = true;
    core->fresh = false;
}

static oak_chip_time *core_time(oak_core *core)
{
    return &core->time;
}

static unsigned exception_now(const oak_core *core)
{
    return core->ipsr;
}

#define OPS                                                                                                  \
    {                                                                                                        \
        .create = create, .destroy = destroy, .reset = reset, .program = program, .run = run,                \
        .read_register = read_register, .write_register = write_register, .read_memory = read_memory,        \
        .write_memory = write_memory, .set_stop = armm_set_stop, .time = core_time,                          \
        .interrupt = armm_interrupt, .attend = attention, .idle = idle, .mark_data = mark_data,              \
        .check_reads = check_reads, .strike = strike, .visit = visit, .exception = exception_now,            \
        .services = services, .tape = tape, .place = place, .watch = watch, .judge = judge,                  \
        .touches = armm_touches, .count = count, .counted = counted, .mark_object = mark_object              \
    }
const oak_core_ops armv6m_core_ops = OPS, armv7m_core_ops = OPS;
