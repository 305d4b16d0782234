/* registers.c — special registers: what stands behind each, reads and writes by the core, when devices want attention, what they notice. */
#include <oakspindle/machine.h>

#include "base/bytes.h"
#include "base/text.h"
#include "sim/machine_state.h"

/* ------------------------------------------------------------------------------------------ special registers */

/* True where special registers lie in spaces of their own; else they are on the one bus. */
bool sim_has_special_space(const oak_machine *machine)
{
    for (unsigned i = 1; i < machine->isa->about.space_count; i++)
        if (machine->isa->about.spaces[i].special) return true;
    return false;
}

size_t sim_special_count(const oak_space_info *space)
{
    return (size_t)(space->end - space->first);
}

static struct oak_special *special_at(const oak_machine *machine, unsigned space, uint32_t address)
{
    const oak_space_info *about = &machine->isa->about.spaces[space];
    if (space >= OAK_MOST_SPACES || !machine->special[space]) return NULL;
    return address >= about->first && address < about->end ? &machine->special[space][address - about->first]
                                                           : NULL;
}

/* What stands behind the special registers: latches of ports, roles of blocks. False when there is no memory. */
bool sim_find_specials(oak_machine *machine)
{
    const oak_part *part = machine->part;
    const oak_space_info *spaces = machine->isa->about.spaces;
    for (unsigned s = 1; s < machine->isa->about.space_count && s < OAK_MOST_SPACES; s++) {
        if (!spaces[s].special) continue;
        size_t count = sim_special_count(&spaces[s]);
        machine->special[s] =
            machine->host.resize(machine->host.context, NULL, 0, count * sizeof *machine->special[s]);
        if (!machine->special[s]) return false;
        for (size_t i = 0; i < count; i++) machine->special[s][i] = (struct oak_special){-1, -1, false};
    }
    for (unsigned i = 0; i < part->port_count; i++) {
        struct oak_special *special = special_at(machine, part->ports[i].space, part->ports[i].address);
        if (special && !part->ports[i].has_block) special->port = (int8_t)i;
    }
    for (unsigned n = 0; n < part->register_count; n++) {
        struct oak_special *special =
            special_at(machine, part->registers[n].space, part->registers[n].address);
        if (!special) continue;
        special->present = true;
        if (machine->first_binding[n] != machine->first_binding[n + 1]) special->number = (int16_t)n;
    }
    return true;
}

oak_cell_kind sim_cell_kind(void *context, unsigned space, uint32_t address)
{
    const struct oak_special *special = special_at(context, space, address);
    if (!special) return OAK_CELL_ABSENT;
    if (special->port >= 0 || special->number >= 0) return OAK_CELL_DEVICE;
    return special->present ? OAK_CELL_PLAIN : OAK_CELL_ABSENT;
}

/* ------------------------------------------------------------------------------------------ blocks on the bus */

/* The register whose bytes hold an address; they are sorted, and mostly it is the one that was used last. */
const oak_part_register *sim_register_over(oak_machine *machine, uint32_t address, unsigned *number)
{
    const oak_part *part = machine->part;
    const oak_part_register *reg = &part->registers[machine->used_last];
    *number = machine->used_last;
    if (part->register_count && address - reg->address < (reg->bits + 7u) / 8u) return reg;
    unsigned low = 0, high = part->register_count;
    while (low < high) {
        unsigned middle = low + (high - low) / 2;
        if (part->registers[middle].address <= address) low = middle + 1;
        else high = middle;
    }
    if (!low) return NULL;
    *number = low - 1;
    reg = &part->registers[low - 1];
    if (address - reg->address >= (reg->bits + 7u) / 8u) return NULL;
    machine->used_last = low - 1;
    return reg;
}

uint32_t sim_field_mask(unsigned width)
{
    return width >= 32 ? UINT32_MAX : ((uint32_t)1 << width) - 1;
}

void sim_call_attention(oak_machine *machine)
{
    machine->next = 0;
    sim_touch(machine);
    for (unsigned i = 0; i < machine->part->block_count; i++) machine->block[i].next = 0;
    if (machine->core && machine->isa->core->attend) machine->isa->core->attend(machine->core);
}

/* Goes through the events up to `now` in their order: at each, first the devices, then the outside, then the devices that
 * sim_notice what the outside has changed. Returns the cycle of the next one. */
uint64_t sim_advance(void *context, uint64_t now)
{
    oak_machine *machine = context;
    if (machine->advancing) return machine->next;
    machine->advancing = true;
    sim_touch(machine);
    for (;;) {
        uint64_t at = machine->next < now ? machine->next : now;
        if (at < machine->moment) at = machine->moment;
        machine->moment = at;
        machine->next = UINT64_MAX;
        uint64_t next = UINT64_MAX;
        for (unsigned i = 0; i < machine->part->block_count; i++) {
            oak_block *block = &machine->block[i];
            if (block->next <= at) {
                block->next = UINT64_MAX; /* it may be called to attention meanwhile */
                uint64_t due = oak_block_ops_of(block)->advance(block, at);
                if (due <= at) due = at + 1;
                if (due < block->next) block->next = due;
            }
            if (block->next < next) next = block->next;
        }
        if (machine->outside && machine->outside_next <= at) {
            uint64_t due = machine->outside->advance(machine->outside->context, at);
            machine->outside_next = due > at ? due : at + 1;
            machine->next = at;
        } else {
            if (machine->outside && machine->outside_next < next) next = machine->outside_next;
            machine->next = machine->next < next ? machine->next : next;
        }
        if (machine->next > now) break;
    }
    if (now > machine->moment) machine->moment = now;
    machine->advancing = false;
    return machine->next;
}

static void catch_up_to(oak_machine *machine, uint64_t now)
{
    if (machine->resetting) return;
    if (machine->next <= now) sim_advance(machine, now);
    else if (now > machine->moment) machine->moment = now;
}

uint64_t sim_now_of(oak_machine *machine)
{
    return machine->isa->core->time(machine->core)->cycles;
}

/* Notes the pins that are read though nothing drives them: those that are asked for, or, where a whole port is read, none
 * when there is anything on it, since nobody knows which of the bits matter. */
static void check_floating(oak_machine *machine, unsigned port, uint32_t asked, bool whole, uint64_t now)
{
    uint32_t all = sim_field_mask(machine->gpio[port].pin_count),
             floats = oak_gpio_floating(&machine->gpio[port]) & all;
    floats = whole ? (floats == all ? 1 : 0) : floats & asked;
    for (unsigned bit = 0; floats >> bit; bit++)
        if (floats >> bit & 1) sim_suffer(machine, OAK_FAULT_FLOATING, port * OAK_MOST_PINS + bit, now);
}

/* ------------------------------------------------------------------------------------------ ports that are registers */

/* A port without a block: writing its register is writing its latch, wherever that lies; -1 for other registers. */
static int port_of(const oak_machine *machine, const oak_part_register *reg)
{
    for (unsigned i = 0; i < machine->part->port_count; i++) {
        const oak_part_port *port = &machine->part->ports[i];
        if (!port->has_block && port->space == reg->space && port->address == reg->address) return (int)i;
    }
    return -1;
}

static void set_latch(oak_machine *machine, int port, uint32_t value, uint64_t now)
{
    if (port < 0) return;
    catch_up_to(machine, now);
    sim_touch(machine);
    if (machine->gpio[port].latch == value) return;
    machine->gpio[port].latch = value;
    oak_machine_pins(machine, (unsigned)port, now);
}

void sim_set_port(oak_machine *machine, unsigned number, uint32_t value, uint64_t now)
{
    set_latch(machine, port_of(machine, &machine->part->registers[number]), value, now);
}

bool sim_outside_acts(void *context)
{
    const oak_machine *machine = context;
    return machine->outside && machine->outside_next != UINT64_MAX;
}

/* What a program reads: the pins, or, where it writes back what it has changed, the latch. */
static uint32_t read_port(oak_machine *machine, int port, uint32_t latch, bool writes_back, uint32_t asked,
                          uint64_t now)
{
    if (port < 0 || writes_back) return latch;
    uint32_t all = sim_field_mask(machine->gpio[port].pin_count);
    catch_up_to(machine, now);
    if (oak_gpio_floating(&machine->gpio[port]))
        check_floating(machine, (unsigned)port, asked, (asked & all) == all, now);
    return oak_gpio_levels(&machine->gpio[port]);
}

uint32_t sim_pins(void *context, unsigned port)
{
    oak_machine *machine = context;
    if (port >= machine->part->port_count) return 0;
    catch_up_to(machine, sim_now_of(machine));
    return oak_gpio_levels(&machine->gpio[port]) | oak_gpio_floating(&machine->gpio[port]);
}

/* ------------------------------------------------------------------------------------------ values */

/* The value of a register: what was written, with the roles of blocks over it. */
uint32_t sim_register_value(oak_machine *machine, unsigned number, uint32_t value, uint64_t now, bool latch,
                            uint32_t asked)
{
    catch_up_to(machine, now);
    if (asked) sim_touch(machine);
    for (unsigned i = machine->first_binding[number]; i < machine->first_binding[number + 1]; i++) {
        oak_block *block = &machine->block[machine->bindings[i].block];
        const oak_part_role *role = &block->about->roles[machine->bindings[i].role];
        const oak_block_ops *ops = oak_block_ops_of(block);
        uint32_t mask = sim_field_mask(role->width);
        if (latch && asked && oak_role_acts(block->about->kind, role->role)) {
            value &= ~(mask << role->bit);
            continue;
        }
        bool again = i > machine->first_binding[number] &&
                     machine->bindings[i - 1].block == machine->bindings[i].block;
        if (!again) ops->advance(block, now);
        uint32_t field = ops->get(block, role->role, now);
        bool pins = role->role == OAK_PORT_INPUT || role->role == OAK_PORT_DATA;
        if (asked && block->about->kind == OAK_BLOCK_PORT && pins)
            check_floating(machine, block->about->pin, asked >> role->bit,
                           (asked >> role->bit & mask) == mask, now);
        value = (value & ~(mask << role->bit)) | (field & mask) << role->bit;
        block->asked = asked >> role->bit;
        if (asked && ops->taken) ops->taken(block, role->role, now);
    }
    return value;
}

static void write_register_value(oak_machine *machine, unsigned number, uint32_t value, uint64_t now)
{
    bool sooner = false;
    sim_touch(machine);
    const oak_part_register *reg = &machine->part->registers[number];
    catch_up_to(machine, now);
    if (reg->access == OAK_READ_ONLY) {
        sim_suffer(machine, OAK_FAULT_READ_ONLY_REGISTER, reg->address, now);
        return;
    }
    if (machine->stored) {
        machine->stored[number] = value;
        sim_set_port(machine, number, value, now);
    }
    for (unsigned i = machine->first_binding[number]; i < machine->first_binding[number + 1]; i++) {
        oak_block *block = &machine->block[machine->bindings[i].block];
        const oak_part_role *role = &block->about->roles[machine->bindings[i].role];
        const oak_block_ops *ops = oak_block_ops_of(block);
        ops->advance(block, now);
        sooner |= ops->set(block, role->role, value >> role->bit & sim_field_mask(role->width), now);
        if (block->about->kind == OAK_BLOCK_PORT) oak_machine_pins(machine, block->about->pin, now);
    }
    for (unsigned i = machine->first_binding[number]; i < machine->first_binding[number + 1]; i++) {
        oak_block *block = &machine->block[machine->bindings[i].block];
        bool again = i > machine->first_binding[number] &&
                     machine->bindings[i - 1].block == machine->bindings[i].block;
        if (!again && oak_block_ops_of(block)->written) oak_block_ops_of(block)->written(block, now);
    }
    if (sooner) sim_call_attention(machine);
}

/* Its number, where all of it is meant; or -1. */
static int whole_register(oak_machine *machine, unsigned space, uint32_t address, size_t count)
{
    unsigned number;
    const struct oak_special *special = special_at(machine, space, address);
    if (special) return count == 1 ? special->number : -1;
    if (!machine->stored || space != machine->isa->about.code_space) return -1;
    const oak_part_register *reg = sim_register_over(machine, address, &number);
    return reg && reg->address == address && count == (reg->bits + 7u) / 8u ? (int)number : -1;
}

oak_status sim_course(void *context, unsigned space, uint32_t address, size_t count, oak_course *course)
{
    oak_machine *machine = context;
    const struct oak_special *special = special_at(machine, space, address);
    int number = whole_register(machine, space, address, count);
    uint64_t now = sim_now_of(machine);
    *course = (oak_course){.until = machine->next};
    if (!space) return OAK_OK; /* pins */
    if (special && special->port >= 0 && special->number < 0 && count == 1) return OAK_OK;
    if (number < 0) return OAK_UNSUPPORTED;
    for (unsigned i = machine->first_binding[number]; i < machine->first_binding[number + 1]; i++) {
        oak_block *block = &machine->block[machine->bindings[i].block];
        const oak_part_role *role = &block->about->roles[machine->bindings[i].role];
        const oak_block_ops *ops = oak_block_ops_of(block);
        oak_course own = {.until = UINT64_MAX};
        if (!ops->course) return OAK_UNSUPPORTED;
        ops->course(block, role->role, now, &own);
        if (own.step && course->step) return OAK_UNSUPPORTED; /* two of them count */
        if (course->until < own.until) own.until = course->until;
        if (!own.step) {
            course->until = own.until;
            continue;
        }
        own.bit = role->bit;
        own.mask = sim_field_mask(role->width);
        *course = own;
    }
    return OAK_OK;
}

uint32_t sim_device_read(void *context, unsigned space, uint32_t address, uint32_t stored, bool latch,
                         uint32_t asked, uint64_t now)
{
    oak_machine *machine = context;
    const struct oak_special *special = special_at(machine, space, address);
    if (!special) return stored;
    if (special->number >= 0)
        return sim_register_value(machine, (unsigned)special->number, stored, now, latch, asked);
    return read_port(machine, special->port, stored, latch, asked, now);
}

void sim_device_write(void *context, unsigned space, uint32_t address, uint32_t value, uint64_t now)
{
    oak_machine *machine = context;
    const struct oak_special *special = special_at(machine, space, address);
    if (!special) return;
    const oak_part_register *reg =
        special->port >= 0 ? oak_part_register_at(machine->part, space, address) : NULL;
    if (reg && reg->access == OAK_READ_ONLY) {
        if (!machine->resetting) sim_suffer(machine, OAK_FAULT_READ_ONLY_REGISTER, reg->address, now);
        else set_latch(machine, special->port, value, now);
        return;
    }
    set_latch(machine, special->port, value, now);
    if (special->number >= 0) write_register_value(machine, (unsigned)special->number, value, now);
}

/* Where the lowest bit of an access lies in a register. */
static unsigned part_of(const oak_machine *machine, const oak_part_register *reg, uint32_t address,
                        unsigned bytes)
{
    unsigned behind = address - reg->address, whole = reg->bits / 8u;
    if (!machine->part->architecture->big_endian) return 8 * behind;
    return behind + bytes < whole ? 8 * (whole - behind - bytes) : 0;
}

/* Bytes of an access that lie in a register; the others, where the high byte stands first, in what lies behind it. */
static unsigned inside(const oak_machine *machine, const oak_part_register *reg, uint32_t address,
                       unsigned bytes)
{
    unsigned left = reg->address + reg->bits / 8u - address;
    return machine->part->architecture->big_endian && left < bytes ? left : bytes;
}

oak_status sim_bus_read(void *context, uint32_t address, unsigned bytes, uint64_t now, uint32_t *value)
{
    oak_machine *machine = context;
    unsigned number;
    const oak_part_register *reg = sim_register_over(machine, address, &number);
    if (!reg) return OAK_OUT_OF_RANGE;
    unsigned here = inside(machine, reg, address, bytes);
    if (here < bytes) {
        uint32_t rest = 0;
        oak_status status = sim_bus_read(context, address, here, now, value);
        if (!status) status = sim_bus_read(context, address + here, bytes - here, now, &rest);
        *value = *value << 8 * (bytes - here) | rest;
        return status;
    }
    uint32_t whole = sim_register_value(machine, number, machine->stored[number], now, false, UINT32_MAX);
    *value = read_port(machine, port_of(machine, reg), whole, false, UINT32_MAX, now) >>
             part_of(machine, reg, address, bytes);
    if (bytes < 4) *value &= sim_field_mask(8 * bytes);
    return OAK_OK;
}

oak_status sim_bus_write(void *context, uint32_t address, unsigned bytes, uint32_t value, uint64_t now)
{
    oak_machine *machine = context;
    unsigned number;
    const oak_part_register *reg = sim_register_over(machine, address, &number);
    if (!reg) return OAK_OUT_OF_RANGE;
    unsigned here = inside(machine, reg, address, bytes);
    if (here < bytes) {
        oak_status status = sim_bus_write(context, address, here, value >> 8 * (bytes - here), now);
        return status ? status : sim_bus_write(context, address + here, bytes - here, value, now);
    }
    if (8 * bytes < reg->bits) { /* a part of it: the rest stays */
        unsigned shift = part_of(machine, reg, address, bytes);
        uint32_t mask = sim_field_mask(8 * bytes) << shift;
        value = (machine->stored[number] & ~mask) | (value << shift & mask);
    }
    write_register_value(machine, number, value, now);
    return OAK_OK;
}

uint64_t sim_resets_at(void *context)
{
    const oak_machine *machine = context;
    uint64_t soonest = UINT64_MAX;
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        oak_block_kind kind = machine->part->blocks[i].kind;
        uint64_t at =
            kind == OAK_BLOCK_WATCHDOG            ? oak_watchdog_bites_at(&machine->block[i])
            : kind == OAK_BLOCK_INTERVAL_WATCHDOG ? oak_interval_watchdog_ends_at(&machine->block[i])
            : kind == OAK_BLOCK_ARMED_WATCHDOG    ? oak_armed_watchdog_ends_at(&machine->block[i])
            : kind == OAK_BLOCK_GUARDED_WATCHDOG  ? oak_guarded_watchdog_resets_at(&machine->block[i])
                                                  : UINT64_MAX;
        if (at < soonest) soonest = at;
    }
    return soonest;
}

void sim_clocks(void *context, unsigned stopped, uint64_t now)
{
    oak_machine *machine = context;
    if (machine->stopped == stopped) return;
    catch_up_to(machine, now);
    for (unsigned i = 0; i < machine->part->block_count; i++)
        oak_block_ops_of(&machine->block[i])->advance(&machine->block[i], now);
    machine->stopped = stopped;
    sim_call_attention(machine);
}

void sim_raise_line(void *context, unsigned line, bool level, uint64_t from)
{
    oak_machine *machine = context;
    if (!machine->core || !machine->isa->core->interrupt) return;
    if (machine->isa->core->services)
        oak_service_ask(machine->isa->core->services(machine->core),
                        machine->isa->about.own_exceptions + line, level,
                        from > machine->moment ? from : machine->moment);
    machine->isa->core->interrupt(machine->core, line, level, from);
}

uint64_t sim_acknowledge(void *context, unsigned line, uint64_t now)
{
    oak_machine *machine = context;
    if (machine->isa->core->services)
        oak_service_take(machine->isa->core->services(machine->core),
                         machine->isa->about.own_exceptions + line);
    catch_up_to(machine, now);
    sim_touch(machine);
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        oak_block *block = &machine->block[i];
        unsigned which = 0;
        while (which < OAK_MOST_BLOCK_LINES && block->about->interrupts[which] != line) which++;
        const oak_block_ops *ops = oak_block_ops_of(block);
        if (which == OAK_MOST_BLOCK_LINES || !ops->served) continue;
        ops->served(block, which, now);
        block->next = ops->advance(block, now);
        if (block->next < machine->next) machine->next = block->next;
    }
    return machine->next;
}

/* Tells the outside what the chip suffers; true when the run is to end with it. */
bool sim_notice(oak_machine *machine, const oak_notice *what, bool otherwise)
{
    if (machine->resetting) return false;
    if (!machine->outside || !machine->outside->noticed) return otherwise;
    return machine->outside->noticed(machine->outside->context, what);
}

oak_notice sim_make_notice(oak_machine *machine, oak_fault fault, unsigned space, uint32_t address,
                           uint64_t now)
{
    oak_notice what = {.fault = fault, .space = (uint8_t)space, .address = address, .cycle = now};
    what.pc = machine->isa->core->place(machine->core);
    return what;
}

void sim_suffer(void *context, oak_fault fault, uint32_t address, uint64_t now)
{
    oak_machine *machine = context;
    if (!machine->core) return;
    oak_notice what = sim_make_notice(machine, fault, 0, address, now);
    if (sim_notice(machine, &what, false) && machine->isa->core->strike)
        machine->isa->core->strike(machine->core, &what, true, false);
}

bool sim_suffer_in_core(void *context, oak_fault fault, unsigned space, uint32_t address, uint64_t now)
{
    oak_machine *machine = context;
    oak_notice what = sim_make_notice(machine, fault, space, address, now);
    bool ends = sim_notice(machine, &what, fault == OAK_FAULT_NO_HANDLER);
    if (ends && fault != OAK_FAULT_NO_HANDLER) machine->isa->core->strike(machine->core, &what, true, false);
    return ends;
}
