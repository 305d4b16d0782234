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
        core->kit.watch_hits |= (uint32_t)1 << i;
        core->kit.watch_pc = place(core);
        core->kit.attention = true;
    }
}

void armm_watch_entry(oak_core *core, unsigned exception)
{
    for (unsigned i = 0; i < core->watched_count; i++) {
        const oak_watched *one = &core->watched[i];
        if (!(one->accesses & OAK_ACCESS_HANDLER) || (one->size && one->address != 4 * exception)) continue;
        core->kit.watch_hits |= (uint32_t)1 << i;
        core->kit.watch_pc = core->kit.pc;
        core->kit.attention = true;
    }
}

/* A window over the larger side of a region that is left when what is forbidden is cut out, from a word's address on. */
static void open_window(struct armm_window *window, const armm_region *region, stretch forbidden)
{
    *window = (struct armm_window){0};
    if (!region) return;
    stretch open = larger_side(region, forbidden);
    open.low = (open.low + 3) & ~(uint32_t)3;
    if (region->base & 3 || open.high < open.low + 4) return;
    uint32_t size = open.high - open.low;
    window->bytes = region->bytes + open.low;
    window->base = region->base + open.low;
    for (uint32_t bytes = 1; bytes <= 4; bytes *= 2) window->reach[bytes] = size / bytes;
    for (uint32_t count = 0; count <= ARMM_REGISTERS_MOST; count++)
        window->words[count] = size / 4 >= count ? size / 4 - count + 1 : 0;
}

/* Where pushes are no news: what plain stores reach, between the floor and the ceiling of the stack. */
static void open_for_pushes(oak_core *core)
{
    struct armm_window *push = &core->push;
    uint64_t low = core->store.base,
             high = low + (core->store.words[0] ? 4 * (uint64_t)(core->store.words[0] - 1) : 0);
    *push = (struct armm_window){0};
    if (low < core->stack_floor) low = ((uint64_t)core->stack_floor + 3) & ~(uint64_t)3;
    if (high > core->stack_ceiling) high = core->stack_ceiling;
    if (high < low + 4) return;
    push->bytes = core->store.bytes + (low - core->store.base);
    push->base = (uint32_t)low;
    uint32_t words = (uint32_t)((high - low) / 4);
    for (uint32_t count = 0; count <= ARMM_REGISTERS_MOST; count++)
        push->words[count] = words >= count ? words - count + 1 : 0;
}

void armm_set_windows(oak_core *core)
{
    const armm_region *ram = NULL, *code = NULL;
    for (unsigned i = 0; i < core->region_count; i++) {
        const armm_region *region = &core->region[i], **largest = region->writable ? &ram : &code;
        if (!*largest || region->size > (*largest)->size) *largest = region;
    }
    if (core->checks_reads || (ram && ram->size < 8)) ram = NULL;
    /* Plain stores must not reach decoded code, nor what is watched for them; loads nothing that is watched for loads. */
    const stretch nothing = {UINT32_MAX, 0};
    stretch forbidden = nothing;
    if (ram && core->ram_code_high > ram->base && core->ram_code_low - ram->base < ram->size)
        forbidden = (stretch){core->ram_code_low - ram->base, core->ram_code_high - ram->base};
    if (ram) forbid_watched(core, ram, OAK_ACCESS_WRITE | OAK_ACCESS_CHANGE, &forbidden);
    open_window(&core->store, ram, forbidden);
    forbidden = nothing;
    if (ram) forbid_watched(core, ram, OAK_ACCESS_READ, &forbidden);
    open_window(&core->load, ram, forbidden);
    forbidden = nothing;
    if (code) forbid_watched(core, code, OAK_ACCESS_READ, &forbidden);
    open_window(&core->code, code, forbidden);
    open_for_pushes(core);
}

void armm_set_alignment(oak_core *core)
{
    uint32_t mask = !core->v7 || core->ccr & 1u << 3 ? 3 : 0;
    core->align[2] = mask & 1;
    core->align[4] = mask;
}

static void absent(oak_core *core, uint32_t address)
{
    enum { NEAR = 1024 };
    oak_fault fault = OAK_FAULT_ABSENT;
    uint32_t sp = core->r[ARM_SP];
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
    if (space != ARM_MEM || !size || !region || !region->writable) return OAK_OK;
    size_t at = objects_up_to(core, address);
    struct armm_object *grown = oak_grow(core->kit.setup.host, core->objects, &core->object_room,
                                         core->object_count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    core->objects = grown;
    memmove(grown + at + 1, grown + at, (core->object_count - at) * sizeof *grown);
    grown[at] = (struct armm_object){address, address + size};
    core->object_count++;
    core->stack_floor = UINT32_MAX;
    open_for_pushes(core);
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
        open_for_pushes(core);
        return;
    }
    bool known =
        sp >= core->stack_floor && sp <= core->stack_ceiling; /* full or empty, it is still in there */
    if (!known) stretch_around(core, sp - 1);
    const struct armm_object *hit = NULL;
    if (to < core->stack_floor) {
        size_t count = objects_up_to(core, core->stack_floor - 1);
        hit = count ? &core->objects[count - 1] : NULL;
        stretch_around(core, to);
    }
    open_for_pushes(core);
    if (hit && hit->end > to && core->kit.setup.suffer)
        core->kit.setup.suffer(core->kit.setup.machine, OAK_FAULT_STACK_DATA, ARM_MEM, hit->first, core->now);
}

static bool is_unaligned(oak_core *core, uint32_t address, unsigned bytes)
{
    if (!(address & core->align[bytes])) return false;
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

/* Whether one of the bytes was written: who copies or searches by words takes neighbours along that it does not use. */
static bool written(const armm_region *region, uint32_t offset, unsigned bytes)
{
    for (uint32_t at = offset; at < offset + bytes; at++)
        if (region->known[at >> 3] >> (at & 7) & 1) return true;
    return false;
}

static inline uint32_t bytes_at(const uint8_t *at, unsigned bytes)
{
    return bytes == 1 ? at[0]
           : bytes == 2
               ? (uint32_t)at[0] | (uint32_t)at[1] << 8
               : (uint32_t)at[0] | (uint32_t)at[1] << 8 | (uint32_t)at[2] << 16 | (uint32_t)at[3] << 24;
}

static inline void put_bytes(uint8_t *at, unsigned bytes, uint32_t value)
{
    at[0] = (uint8_t)value;
    if (bytes == 1) return;
    at[1] = (uint8_t)(value >> 8);
    if (bytes == 2) return;
    at[2] = (uint8_t)(value >> 16);
    at[3] = (uint8_t)(value >> 24);
}

/* Is something watched among these bytes, or between two of them that are? */
static inline bool may_be_watched(const oak_core *core, uint32_t address, unsigned bytes)
{
    return address < core->watched_end && address + (bytes - 1) >= core->watched_from;
}

bool armm_load(oak_core *core, uint32_t address, unsigned bytes, uint32_t *value)
{
    uint32_t cell;
    unsigned bit;
    if (is_unaligned(core, address, bytes)) return false;
    const armm_region *region = armm_region_at(core, address);
    if (region && bytes <= region->size - (address - region->base)) {
        const uint8_t *at = region->bytes + (address - region->base);
        if (region->writable && core->checks_reads && region->known &&
            !written(region, address - region->base, bytes)) {
            armm_fault(core, ARMM_HARD_FAULT, OAK_FAULT_UNWRITTEN, address, 0);
            core->fault_unhandled = true;
            return false;
        }
        *value = bytes_at(at, bytes);
        if (may_be_watched(core, address, bytes)) watch_access(core, address, bytes, OAK_ACCESS_READ, 0);
        return true;
    }
    if (bit_band(core, address, &cell, &bit)) {
        if (!armm_load(core, cell, 4, value)) return false;
        *value = *value >> bit & 1;
        return true;
    }
    if (may_be_watched(core, address, bytes)) watch_access(core, address, bytes, OAK_ACCESS_READ, 0);
    if (armm_is_system(address)) {
        if (armm_privileged(core) && armm_system_read(core, address & ~(uint32_t)3, value)) {
            *value =
                *value >> (8 * (address & 3)) & (bytes == 4 ? UINT32_MAX : ((uint32_t)1 << (8 * bytes)) - 1);
            return true;
        }
    } else if (core->kit.setup.bus_read &&
               !core->kit.setup.bus_read(core->kit.setup.machine, address, bytes, core->now, value)) {
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
        uint8_t *at = region->bytes + offset;
        uint32_t differs = bytes_at(at, bytes) ^ value;
        put_bytes(at, bytes, value);
        for (unsigned i = 0; region->known && i < bytes; i++)
            region->known[(offset + i) >> 3] |= (uint8_t)(1u << ((offset + i) & 7));
        if (address < core->ram_code_high && address + bytes > core->ram_code_low) {
            armm_forget_ram(core);
            core->kit.attention = true;
        }
        if (may_be_watched(core, address, bytes))
            watch_access(core, address, bytes, OAK_ACCESS_WRITE, differs);
        return true;
    }
    if (bit_band(core, address, &cell, &bit)) {
        if (!armm_load(core, cell, 4, &old)) return false;
        return armm_store(core, cell, 4, (old & ~((uint32_t)1 << bit)) | (value & 1) << bit);
    }
    if (may_be_watched(core, address, bytes)) watch_access(core, address, bytes, OAK_ACCESS_WRITE, 0);
    if (armm_is_system(address)) {
        uint32_t shift = 8 * (address & 3),
                 mask = bytes == 4 ? UINT32_MAX : (((uint32_t)1 << (8 * bytes)) - 1) << shift;
        uint32_t word = address & ~(uint32_t)3;
        if (armm_privileged(core) && armm_system_read(core, word, &old)) {
            bool clears = word == 0xE000ED28u || word == 0xE000ED2Cu; /* writing 1 clears: the others stay */
            return armm_system_write(core, word,
                                     (value << shift & mask) | (bytes == 4 || clears ? 0 : old & ~mask));
        }
    } else if (core->kit.setup.bus_write &&
               !core->kit.setup.bus_write(core->kit.setup.machine, address, bytes, value, core->now)) {
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
    core->r[ARM_SP] = sp & ~(uint32_t)3;
    core->kit.pc = pc & ~(uint32_t)1;
    core->not_thumb = !(pc & 1);
}

/* What a reset does on the chip: RAM keeps what it holds. */
static void reset_registers(oak_core *core)
{
    memset(core->r, 0, sizeof core->r);
    core->r[ARM_LR] = UINT32_MAX;
    core->other_sp = 0;
    core->nz = 1;
    core->c = core->v = 0;
    core->q = core->uses_psp = false;
    core->it = core->it_after = 0;
    core->primask = core->faultmask = core->basepri = core->control = 0;
    core->sleeping = core->event = core->kit.resets = false;
    core->claimed = 1;
    core->kit.fault = OAK_FAULT_NONE;
    core->fault_unhandled = core->raised_behind = false;
    core->raised = 0;
    core->kit.attention = true;
    core->kit.next_event = core->kit.next_device = 0;
    core->kit.fault_space = ARM_MEM;
    core->kit.faulted = core->kit.struck = false;
    oak_service_reset(&core->kit.log);
    armm_reset_exceptions(core);
    armm_reset_system(core);
    armm_set_alignment(core);
    armm_forget_ram(core);
    take_reset_vector(core);
}

/* Power comes: RAM begins with zeros, and time with it. */
static void reset(oak_core *core)
{
    for (unsigned i = 0; i < core->region_count && core->kit.used; i++)
        if (core->region[i].writable && core->region[i].known)
            memset(core->region[i].known, 0, (core->region[i].size + 7) / 8);
    kit_reset(core);
}

static void destroy(oak_core *core)
{
    if (!core) return;
    const oak_host *host = core->kit.setup.host;
    for (unsigned i = 0; i < core->region_count; i++) {
        const armm_region *region = &core->region[i];
        if (region->writable && region->known)
            host->resize(host->context, region->known, (region->size + 7) / 8, 0);
    }
    if (core->ops) host->resize(host->context, core->ops, core->kit.slots * sizeof *core->ops, 0);
    if (core->natural) host->resize(host->context, core->natural, core->kit.slots * sizeof *core->natural, 0);
    if (core->judged_by)
        host->resize(host->context, core->judged_by, core->kit.slots * sizeof *core->judged_by, 0);
    if (core->kit.stop_at) host->resize(host->context, core->kit.stop_at, core->kit.slots, 0);
    oak_release(host, core->objects, core->object_room, sizeof *core->objects);
    kit_destroy(core);
}

static bool take_memory(oak_core *core)
{
    const oak_host *host = core->kit.setup.host;
    for (unsigned i = 0; i < core->region_count; i++) {
        armm_region *region = &core->region[i];
        bool keeps = !region->writable;
        if (!kit_take_space(core, ARM_MEM, region->base, region->size, keeps ? 0xFF : 0, keeps)) return false;
        const kit_space *memory = kit_stretch(core, ARM_MEM, region->base);
        region->bytes = memory->cells;
        region->known = memory->known;
    }
    const armm_region *first = &core->region[0];
    core->code_bytes = first->bytes;
    core->code_first = first->base | 1;
    core->code_halves =
        first->base % 4 || first->base >> 28 == 15 || (first->base + first->size - 1) >> 28 == 15
            ? 0
            : first->size / 2;
    core->wide_from = core->v7 ? 0xE8 : 0x100;
    core->ops = oak_take_zeroed(host, core->kit.slots * sizeof *core->ops);
    core->natural = oak_take_zeroed(host, core->kit.slots * sizeof *core->natural);
    core->kit.stop_at = oak_take_zeroed(host, core->kit.slots);
    return core->ops && core->natural && core->kit.stop_at;
}

static oak_status create(const kit_arch *arch, const oak_isa_tables *tables, const oak_core_setup *setup,
                         oak_core **result)
{
    enum { LARGEST = 64 << 20 };
    if (setup->memory_count >= ARMM_MOST_REGIONS || setup->interrupt_count > ARMM_MOST_LINES ||
        setup->priority_bits < 1 || setup->priority_bits > 8)
        return OAK_UNSUPPORTED;
    uint64_t slots = 1;
    oak_core *core;
    oak_status status = kit_create(arch, tables, setup, &core);
    if (status) return status;
    core->v7 = armm_is_v7(tables);
    for (unsigned i = 0; i < setup->memory_count; i++) {
        const oak_core_memory *memory = &setup->memories[i];
        core->region[i] = (armm_region){.base = memory->base,
                                        .size = memory->size,
                                        .writable = memory->writable,
                                        .first_slot = (uint32_t)slots - 1};
        slots += memory->size / 2 + 2;
        if (memory->size > LARGEST || (memory->base & 3) || (memory->size & 3)) {
            destroy(core);
            return OAK_UNSUPPORTED;
        }
    }
    core->region_count = setup->memory_count;
    core->kit.slots = (uint32_t)slots;
    if (!take_memory(core)) {
        destroy(core);
        return OAK_NO_MEMORY;
    }
    armm_forget(core);
    reset(core);
    *result = core;
    return OAK_OK;
}

/* Somebody has written to memory from outside. */
static void stored(oak_core *core, uint32_t address, size_t count)
{
    const armm_region *region = armm_region_at(core, address);
    uint32_t offset = address - region->base;
    core->kit.used = true;
    for (size_t i = 0; region->writable && region->known && i < count; i++)
        region->known[(offset + i) >> 3] |= (uint8_t)(1u << ((offset + i) & 7));
    bool code = address < core->ram_code_high && address + count > core->ram_code_low;
    if (core->kit.decoded && code) armm_forget(core);
    if (!region->writable) armm_forget_singles(core);
    if (core->kit.fresh) take_reset_vector(core);
}

static oak_status program(oak_core *core, uint32_t address, const uint8_t *bytes, size_t count)
{
    oak_status status = kit_program(core, address, bytes, count);
    if (!status) stored(core, address, count);
    return status;
}

static void mark_data(oak_core *core, uint32_t address, uint32_t count)
{
    armm_region *region = armm_region_at(core, address);
    if (!region || region->writable || count > region->size - (address - region->base)) return;
    for (uint32_t i = 0; i < count; i++)
        if (region->known[address - region->base + i]) region->known[address - region->base + i] = 2;
    if (core->kit.decoded) armm_forget(core);
    armm_forget_singles(core);
}

static oak_status check_reads(oak_core *core, bool on)
{
    const oak_host *host = core->kit.setup.host;
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

/* Devices of its own are brought to the present; when the next of them wants attention. */
static uint64_t noticed_at(oak_core *core)
{
    core->now = core->kit.time.cycles;
    core->now_op = NULL;
    return armm_advance_tick(core, core->now);
}

static bool deaf(const oak_core *core)
{
    bool held = core->primask || core->faultmask || core->ipsr == ARMM_NMI || core->ipsr == ARMM_HARD_FAULT;
    return held && !core->sleeping;
}

/* wfe: an event, or an interrupt that is taken; wfi: one that would be but for PRIMASK (B1.5.17, B1.5.18). */
static unsigned asleep(oak_core *core)
{
    if (!core->sleeping) return 0;
    bool wakes = core->waits_for_event ? core->event || armm_may_take(core) : armm_would_wake(core);
    if (!wakes) return 1;
    core->sleeping = false;
    if (core->waits_for_event) core->event = false;
    return 0;
}

static uint32_t round_of(oak_core *core)
{
    return 1 + armm_refill(core, core->kit.pc);
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
    arm_uses uses = armm_next_uses(core);
    if (armm_single_at(core, core->kit.pc)->it_after != core->it) uses.writes |= (uint32_t)1 << ARMM_XPSR;
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
        core->kit.watch_hits |= (uint32_t)1 << i;
        core->kit.watch_pc = core->kit.pc;
        core->kit.attention = true;
    }
}

/* One stretch: whole chains while there is time for them, else one instruction. */
static kit_exit run_stretch(oak_core *core, uint64_t left, bool first)
{
    enum { SLICE = 1000000 }; /* its instructions have room in a cost */
    if (core->not_thumb) {
        armm_refuse_state(core);
        core->raised_behind = false;
        return KIT_EXIT_RAISED;
    }
    uint64_t before = core->kit.time.instructions;
    kit_exit exit = KIT_EXIT_TIME;
    core->kit.counting |= core->kit.counts != NULL;
    core->raised_behind = false;
    if (!first && left > 1 && !core->it)
        exit = (core->kit.judged.way == OAK_WAY_QUICK ? armm_run_kept
                : core->kit.judged.count              ? armm_run_judged
                : core->kit.counts                    ? armm_run_counted
                                   : armm_run_chains)(core, left < SLICE ? (uint32_t)left : SLICE);
    if (exit != KIT_EXIT_TIME || core->kit.time.instructions != before) return exit;
    const armm_op *op = armm_op_at(core, core->kit.pc);
    if (!first && core->kit.stop_at[op - core->ops]) return KIT_EXIT_STOP;
    oak_chip_time began = core->kit.time;
    uint32_t hits = core->watched_registers ? watched_registers(core) : 0, pc = core->kit.pc;
    core->kit.judged_pc = pc;
    exit = armm_run_one(core);
    if (core->kit.time.instructions == began.instructions) return exit;
    if (core->kit.tallies.at)
        oak_tallies_add(&core->kit.tallies, (size_t)(op - core->ops), 1,
                        core->kit.time.cycles - began.cycles);
    if (!hits) return exit;
    core->kit.watch_hits |= hits;
    core->kit.watch_pc = pc;
    core->kit.attention = true;
    return exit;
}

/* An instruction has raised an exception. */
static bool raised(oak_core *core)
{
    core->fault_pc = core->kit.pc;
    core->kit.attention = true;
    return core->kit.struck || (!core->fault_unhandled && armm_take_raised(core));
}

static bool interrupt(oak_core *core)
{
    uint32_t interrupted = core->kit.pc;
    bool taken = armm_take_pending(core);
    if (taken) core->kit.judged_pc = interrupted;
    core->kit.faulted = core->fault_unhandled;
    return taken && !core->fault_unhandled;
}

static bool starts(oak_core *core)
{
    core->fault_unhandled = false;
    bool begins = !core->kit.fresh || has_reset_vector(core);
    if (begins) core->kit.fresh = false;
    else core->kit.fault = OAK_FAULT_NO_HANDLER, core->kit.fault_address = ARMM_RESET;
    return begins;
}

/* A fault that the program has parked in the handler of is told as such. */
static void explain(const oak_core *core, oak_stop *stop)
{
    bool handled = core->ipsr >= ARMM_HARD_FAULT && core->ipsr <= ARMM_USAGE_FAULT && core->kit.fault;
    if (stop->reason == OAK_STOP_PARKED && handled) {
        stop->reason = OAK_STOP_FAULT;
        stop->fault = core->kit.fault;
        stop->fault_space = ARM_MEM;
        stop->fault_address = core->kit.fault_address;
        stop->fault_taken = true;
    }
    if (stop->reason == OAK_STOP_FAULT) stop->fault_pc = core->fault_pc;
}

static void idle(oak_core *core, uint64_t until_cycle)
{
    if (core->kit.time.cycles >= until_cycle) return;
    if (!core->sleeping) {
        uint32_t cycles = 1 + armm_refill(core, core->kit.pc);
        uint64_t rounds = (until_cycle - core->kit.time.cycles + cycles - 1) / cycles;
        core->kit.time.cycles += rounds * cycles;
        core->kit.time.instructions += rounds;
        return;
    }
    core->kit.time.cycles = until_cycle;
}

static oak_status judge(oak_core *core, const oak_judge *asked)
{
    enum { STATE_BITS = 0x0600FC00 };
    const oak_host *host = core->kit.setup.host;
    size_t size = core->kit.slots * sizeof *core->judged_by;
    oak_judged *judged = &core->kit.judged;
    oak_status status = kit_judge(core, asked);
    if (status) return status;
    armm_forget(core); /* two in one cannot be judged */
    if (!judged->count && core->judged_by)
        core->judged_by = host->resize(host->context, core->judged_by, size, 0);
    else if (judged->count && !core->judged_by) {
        core->judged_by = host->resize(host->context, NULL, 0, size);
        if (core->judged_by) memset(core->judged_by, 0xFF, size); /* all of them, until it is decoded */
    }
    core->judges_state = false;
    for (unsigned i = 0; i < judged->count; i++) {
        const oak_watched *cells = &judged->value[i].cells;
        core->judges_state |=
            !cells->space && cells->address == ARMM_XPSR && (judged->value[i].mask & STATE_BITS);
    }
    if (!judged->count || core->judged_by) return OAK_OK;
    *judged = (oak_judged){0};
    return OAK_NO_MEMORY;
}

static oak_status watch(oak_core *core, const oak_watched *cells, unsigned count)
{
    uint32_t registers = 0;
    core->watched_count = 0;
    if (count > OAK_MOST_WATCHED) return OAK_UNSUPPORTED;
    for (unsigned i = 0; i < count; i++) {
        if (!cells[i].space && !(cells[i].accesses & OAK_ACCESS_HANDLER)) {
            bool known = cells[i].address < (core->v7 ? ARMM_REGISTERS : ARMM_BASEPRI) &&
                         cells[i].address != ARM_PC && !cells[i].bits;
            if (!known || (cells[i].accesses & OAK_ACCESS_CHANGE)) return OAK_UNSUPPORTED;
            bool sp =
                cells[i].address == ARM_SP || cells[i].address == ARMM_MSP || cells[i].address == ARMM_PSP;
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
    core->kit.watch_hits = 0;
    core->watched_from = UINT32_MAX;
    core->watched_end = 0;
    for (unsigned i = 0; i < count; i++) {
        uint32_t from = cells[i].address, end = from + cells[i].size;
        if (!cells[i].space) continue;
        if (from < core->watched_from) core->watched_from = from;
        if (end < from) end = UINT32_MAX;
        if (end > core->watched_end) core->watched_end = end;
    }
    if (core->watched_registers != registers) { /* what reaches one stands by itself */
        core->watched_registers = registers;
        armm_forget(core);
    }
    armm_set_windows(core);
    return OAK_OK;
}

/* Where the program is, also in the middle of a chain. */
static uint32_t place(const oak_core *core)
{
    return core->now_op ? armm_pc_of(core, core->now_op) : core->kit.pc;
}

static void tape(oak_core *core, oak_tape *tape)
{
    core->now_op = NULL;
    kit_tape(core, tape);
    for (unsigned i = 0; i < core->region_count; i++) {
        const armm_region *region = &core->region[i];
        if (region->writable && region->known) oak_tape_piece(tape, region->known, (region->size + 7) / 8);
    }
    if (tape->saves || !tape->at) return;
    armm_forget_ram(core);
    armm_set_windows(core); /* the stack was another */
}

static oak_status count(oak_core *core, bool on)
{
    armm_forget_ram(core); /* it is counted one by one */
    return kit_count(core, on);
}

static uint32_t slot_of(const oak_core *core, uint32_t address)
{
    const armm_region *region = armm_region_at(core, address);
    return region ? region->first_slot + (address - region->base) / 2 : core->kit.slots;
}

static oak_status counted(const oak_core *core, uint32_t address, oak_tally *tally)
{
    oak_status status = kit_counted(core, address, tally);
    if (!status && (address & 1)) *tally = (oak_tally){0};
    return status;
}

/* ------------------------------------------------------------------------------------------ looking and changing */

static oak_status read_register(const oak_core *core, unsigned reg, uint32_t *value)
{
    if (reg >= ARMM_REGISTERS || (reg >= ARMM_BASEPRI && !core->v7)) return OAK_OUT_OF_RANGE;
    switch (reg) {
    case ARMM_XPSR: *value = armm_xpsr(core); break;
    case ARMM_MSP: *value = core->uses_psp ? core->other_sp : core->r[ARM_SP]; break;
    case ARMM_PSP: *value = core->uses_psp ? core->r[ARM_SP] : core->other_sp; break;
    case ARMM_PRIMASK: *value = core->primask; break;
    case ARMM_CONTROL: *value = core->control; break;
    case ARMM_BASEPRI: *value = core->basepri; break;
    case ARMM_FAULTMASK: *value = core->faultmask; break;
    case ARM_PC: *value = core->kit.pc; break;
    default: *value = core->r[reg]; break;
    }
    return OAK_OK;
}

static oak_status write_register(oak_core *core, unsigned reg, uint32_t value)
{
    if (reg >= ARMM_REGISTERS || (reg >= ARMM_BASEPRI && !core->v7)) return OAK_OUT_OF_RANGE;
    core->kit.attention = true;
    switch (reg) {
    case ARM_SP: core->r[ARM_SP] = value & ~(uint32_t)3; break;
    case ARM_PC:
        core->kit.pc = value & ~(uint32_t)1;
        core->it = 0;
        core->sleeping = core->kit.fresh = core->not_thumb = false;
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
    case ARMM_MSP: *(core->uses_psp ? &core->other_sp : &core->r[ARM_SP]) = value & ~(uint32_t)3; break;
    case ARMM_PSP: *(core->uses_psp ? &core->r[ARM_SP] : &core->other_sp) = value & ~(uint32_t)3; break;
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
    if (space != ARM_MEM) return OAK_OUT_OF_RANGE;
    if (!armm_is_system(address)) return kit_read_memory(core, space, address, bytes, count);
    uint32_t word = 0;
    for (size_t i = 0; i < count; i++) {
        uint32_t at = address + (uint32_t)i;
        oak_core *self = (oak_core *)(uintptr_t)core;
        bool flag = self->tick_flag, another = !i || !(at & 3);
        self->now = self->kit.time.cycles;
        if (another && (!armm_is_system(at) || !armm_system_read(self, at & ~(uint32_t)3, &word)))
            return OAK_OUT_OF_RANGE;
        self->tick_flag = flag; /* looking clears nothing */
        bytes[i] = (uint8_t)(word >> (8 * (at & 3)));
    }
    return OAK_OK;
}

static oak_status course_of(const oak_core *core, unsigned space, uint32_t address, size_t count,
                            oak_course *course)
{
    return space == ARM_MEM && count == 4 ? armm_system_course(core, address, course) : OAK_UNSUPPORTED;
}

static oak_status write_memory(oak_core *core, unsigned space, uint32_t address, const uint8_t *bytes,
                               size_t count)
{
    if (space != ARM_MEM) return OAK_OUT_OF_RANGE;
    core->kit.attention = true;
    if (!armm_is_system(address)) {
        oak_status status = kit_write_memory(core, space, address, bytes, count);
        if (!status) stored(core, address, count);
        return status;
    }
    if (count != 4) return OAK_OUT_OF_RANGE;
    core->now = core->kit.time.cycles;
    return armm_system_write(core, address,
                             (uint32_t)oak_number_at(&core->kit.arch->isa->about, space, bytes, 4))
               ? OAK_OK
               : OAK_OUT_OF_RANGE;
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

/* clang-format off */
#define INNER(member, most) KIT_INNER(#member, member, most)
static const kit_inner inner[] = {
    INNER(other_sp, UINT32_MAX), INNER(uses_psp, 1), INNER(not_thumb, 1), INNER(ipsr, ARMM_EXCEPTIONS - 1), INNER(sleeping, 1),
    INNER(waits_for_event, 1), INNER(event, 1), INNER(claimed, UINT32_MAX), INNER(cfsr, UINT32_MAX), INNER(hfsr, UINT32_MAX),
    INNER(bfar, UINT32_MAX), INNER(mmfar, UINT32_MAX), INNER(shcsr_enabled, UINT32_MAX), INNER(ccr, UINT32_MAX),
    INNER(scr, UINT32_MAX), INNER(vtor, UINT32_MAX), INNER(aircr_group, UINT32_MAX), INNER(tick_on, 1), INNER(tick_interrupt, 1),
    INNER(tick_flag, 1), INNER(tick_reload, UINT32_MAX), INNER(tick_value, UINT32_MAX), INNER(tick_since, UINT64_MAX),
    INNER(tick_next, UINT64_MAX), {0}};
static const struct kit_register registers_at[ARMM_REGISTERS] = {
    KIT_AT(r[0]), KIT_AT(r[1]), KIT_AT(r[2]), KIT_AT(r[3]), KIT_AT(r[4]), KIT_AT(r[5]), KIT_AT(r[6]), KIT_AT(r[7]),
    KIT_AT(r[8]), KIT_AT(r[9]), KIT_AT(r[10]), KIT_AT(r[11]), KIT_AT(r[12]), KIT_AT(r[13]), KIT_AT(r[14]), KIT_AT(kit.pc)};
/* clang-format on */

static void visit(oak_core *core, const oak_state_visitor *visitor)
{
    kit_visit(core, visitor);
    visit_bits(visitor, "pending", core->pending);
    visit_bits(visitor, "active", core->active);
    visit_bits(visitor, "enabled", core->enabled);
    visit_bits(visitor, "level", core->level);
    for (unsigned i = 0; i < 16 + core->kit.setup.interrupt_count; i++) {
        char name[40];
        uint64_t value = core->priority[i];
        oak_format(name, sizeof name, "priority%u", i);
        visitor->number(visitor->context, "core", name, &value);
        core->priority[i] = (uint8_t)value;
    }
    armm_set_alignment(core);
    core->kit.attention = true;
    core->kit.fresh = false;
}

static unsigned exception_now(const oak_core *core)
{
    return core->ipsr;
}

#define ARCH(isa_of)                                                                                         \
    {                                                                                                        \
        .isa = &(isa_of), .core_size = sizeof(oak_core), .op_bytes = sizeof(armm_op), .slot = slot_of,       \
        .stretch = run_stretch, .round = round_of, .raised = raised, .interrupt = interrupt,                 \
        .starts = starts, .explain = explain, .noticed_at = noticed_at, .deaf = deaf, .asleep = asleep,      \
        .forget = armm_forget, .fold_counts = armm_fold_counts, .reset = reset_registers, .inner = inner,    \
        .registers_at = registers_at, .status = armm_xpsr, .tape_from = offsetof(oak_core, r),               \
        .tape_to = sizeof(oak_core)                                                                          \
    }
static const kit_arch arch_v6 = ARCH(oak_isa_armv6m), arch_v7 = ARCH(oak_isa_armv7m);

static oak_status create_v6(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **core)
{
    return create(&arch_v6, tables, setup, core);
}

static oak_status create_v7(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **core)
{
    return create(&arch_v7, tables, setup, core);
}

#define OPS(create_function)                                                                                 \
    {                                                                                                        \
        .create = create_function, .destroy = destroy, .reset = reset, .program = program, .run = kit_run,   \
        .read_register = read_register, .write_register = write_register, .read_memory = read_memory,        \
        .course = course_of, .write_memory = write_memory, .set_stop = armm_set_stop, .time = kit_time,      \
        .interrupt = armm_interrupt, .halt = kit_halt, .attend = kit_attend, .idle = idle,                   \
        .mark_data = mark_data, .check_reads = check_reads, .strike = kit_strike, .visit = visit,            \
        .exception = exception_now, .services = kit_services, .tape = tape, .place = place, .watch = watch,  \
        .judge = judge, .touches = armm_touches, .count = count, .counted = counted,                         \
        .mark_object = mark_object                                                                           \
    }
const oak_core_ops armv6m_core_ops = OPS(create_v6), armv7m_core_ops = OPS(create_v7);
