/* machine.c — the simulated chip: joins a core to the special registers and pins of its part. */
#include <oakspindle/machine.h>

#include "base/bytes.h"
#include "base/text.h"
#include "sim/machine_state.h"

/* ------------------------------------------------------------------------------------------ special registers */

/* True where special registers lie in spaces of their own; else they are on the one bus. */
static bool has_special_space(const oak_machine *machine)
{
    for (unsigned i = 1; i < machine->isa->about.space_count; i++)
        if (machine->isa->about.spaces[i].special) return true;
    return false;
}

static size_t special_count(const oak_space_info *space)
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
static bool find_specials(oak_machine *machine)
{
    const oak_part *part = machine->part;
    const oak_space_info *spaces = machine->isa->about.spaces;
    for (unsigned s = 1; s < machine->isa->about.space_count && s < OAK_MOST_SPACES; s++) {
        if (!spaces[s].special) continue;
        size_t count = special_count(&spaces[s]);
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

static oak_cell_kind cell_kind(void *context, unsigned space, uint32_t address)
{
    const struct oak_special *special = special_at(context, space, address);
    if (!special) return OAK_CELL_ABSENT;
    if (special->port >= 0 || special->number >= 0) return OAK_CELL_DEVICE;
    return special->present ? OAK_CELL_PLAIN : OAK_CELL_ABSENT;
}

/* ------------------------------------------------------------------------------------------ blocks on the bus */

/* The register whose bytes hold an address; they are sorted, and mostly it is the one that was used last. */
static const oak_part_register *register_over(oak_machine *machine, uint32_t address, unsigned *number)
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

static uint32_t field_mask(unsigned width)
{
    return width >= 32 ? UINT32_MAX : ((uint32_t)1 << width) - 1;
}

static void suffer(void *context, oak_fault fault, uint32_t address, uint64_t now);

static void call_attention(oak_machine *machine)
{
    machine->next = 0;
    for (unsigned i = 0; i < machine->part->block_count; i++) machine->block[i].next = 0;
    if (machine->core && machine->isa->core->attend) machine->isa->core->attend(machine->core);
}

/* Goes through the events up to `now` in their order: at each, first the devices, then the outside, then the devices that
 * notice what the outside has changed. Returns the cycle of the next one. */
static uint64_t advance(void *context, uint64_t now)
{
    oak_machine *machine = context;
    if (machine->advancing) return machine->next;
    machine->advancing = true;
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
    if (machine->next <= now) advance(machine, now);
    else if (now > machine->moment) machine->moment = now;
}

static uint64_t now_of(oak_machine *machine)
{
    return machine->isa->core->time(machine->core)->cycles;
}

/* Notes the pins that are read though nothing drives them: those that are asked for, or, where a whole port is read, none
 * when there is anything on it, since nobody knows which of the bits matter. */
static void check_floating(oak_machine *machine, unsigned port, uint32_t asked, bool whole, uint64_t now)
{
    uint32_t all = field_mask(machine->gpio[port].pin_count),
             floats = oak_gpio_floating(&machine->gpio[port]) & all;
    floats = whole ? (floats == all ? 1 : 0) : floats & asked;
    for (unsigned bit = 0; floats >> bit; bit++)
        if (floats >> bit & 1) suffer(machine, OAK_FAULT_FLOATING, port * OAK_MOST_PINS + bit, now);
}

/* The value of a register: what was written, with the roles of blocks over it. */
static uint32_t register_value(oak_machine *machine, unsigned number, uint32_t value, uint64_t now,
                               bool looking)
{
    catch_up_to(machine, now);
    for (unsigned i = machine->first_binding[number]; i < machine->first_binding[number + 1]; i++) {
        oak_block *block = &machine->block[machine->bindings[i].block];
        const oak_part_role *role = &block->about->roles[machine->bindings[i].role];
        const oak_block_ops *ops = oak_block_ops_of(block);
        ops->advance(block, now);
        uint32_t field = ops->get(block, role->role, now), mask = field_mask(role->width);
        if (!looking && block->about->kind == OAK_BLOCK_PORT && role->role == OAK_PORT_INPUT)
            check_floating(machine, block->about->pin, 0, true, now);
        value = (value & ~(mask << role->bit)) | (field & mask) << role->bit;
        bool takes = !looking && block->about->kind == OAK_BLOCK_SERIAL && role->role == OAK_SERIAL_DATA;
        if (takes) ops->set(block, OAK_SERIAL_RECEIVED, 1, now); /* reading takes the byte */
    }
    return value;
}

static void write_register_value(oak_machine *machine, unsigned number, uint32_t value, uint64_t now)
{
    bool sooner = false;
    const oak_part_register *reg = &machine->part->registers[number];
    catch_up_to(machine, now);
    if (reg->read_only) {
        suffer(machine, OAK_FAULT_READ_ONLY_REGISTER, reg->address, now);
        return;
    }
    if (machine->stored) machine->stored[number] = value;
    for (unsigned i = machine->first_binding[number]; i < machine->first_binding[number + 1]; i++) {
        oak_block *block = &machine->block[machine->bindings[i].block];
        const oak_part_role *role = &block->about->roles[machine->bindings[i].role];
        const oak_block_ops *ops = oak_block_ops_of(block);
        ops->advance(block, now);
        sooner |= ops->set(block, role->role, value >> role->bit & field_mask(role->width), now);
        if (block->about->kind == OAK_BLOCK_PORT) oak_machine_pins(machine, block->about->pin, now);
    }
    for (unsigned i = machine->first_binding[number]; i < machine->first_binding[number + 1]; i++) {
        oak_block *block = &machine->block[machine->bindings[i].block];
        bool again = i > machine->first_binding[number] &&
                     machine->bindings[i - 1].block == machine->bindings[i].block;
        if (!again && oak_block_ops_of(block)->written) oak_block_ops_of(block)->written(block, now);
    }
    if (sooner) call_attention(machine);
}

static uint32_t device_read(void *context, unsigned space, uint32_t address, uint32_t stored, bool latch,
                            uint32_t asked, uint64_t now)
{
    oak_machine *machine = context;
    const struct oak_special *special = special_at(machine, space, address);
    if (!special) return stored;
    if (special->number >= 0) return register_value(machine, (unsigned)special->number, stored, now, false);
    if (special->port < 0 || latch) return stored;
    catch_up_to(machine, now);
    if (oak_gpio_floating(&machine->gpio[special->port]))
        check_floating(machine, (unsigned)special->port, asked, asked == 0xFF, now);
    return oak_gpio_levels(&machine->gpio[special->port]);
}

static void device_write(void *context, unsigned space, uint32_t address, uint32_t value, uint64_t now)
{
    oak_machine *machine = context;
    const struct oak_special *special = special_at(machine, space, address);
    if (!special) return;
    if (special->port >= 0) {
        catch_up_to(machine, now);
        if (machine->gpio[special->port].latch != value) {
            machine->gpio[special->port].latch = value;
            oak_machine_pins(machine, (unsigned)special->port, now);
        }
    }
    if (special->number >= 0) write_register_value(machine, (unsigned)special->number, value, now);
}

static oak_status bus_read(void *context, uint32_t address, unsigned bytes, uint64_t now, uint32_t *value)
{
    oak_machine *machine = context;
    unsigned number;
    const oak_part_register *reg = register_over(machine, address, &number);
    if (!reg) return OAK_OUT_OF_RANGE;
    *value = register_value(machine, number, machine->stored[number], now, false) >>
             (8 * (address - reg->address));
    if (bytes < 4) *value &= field_mask(8 * bytes);
    return OAK_OK;
}

static oak_status bus_write(void *context, uint32_t address, unsigned bytes, uint32_t value, uint64_t now)
{
    oak_machine *machine = context;
    unsigned number;
    const oak_part_register *reg = register_over(machine, address, &number);
    if (!reg) return OAK_OUT_OF_RANGE;
    if (8 * bytes < reg->bits) { /* a part of it: the rest stays */
        unsigned shift = 8 * (address - reg->address);
        uint32_t mask = field_mask(8 * bytes) << shift;
        value = (machine->stored[number] & ~mask) | (value << shift & mask);
    }
    write_register_value(machine, number, value, now);
    return OAK_OK;
}

static uint64_t resets_at(void *context)
{
    const oak_machine *machine = context;
    uint64_t soonest = UINT64_MAX;
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        if (machine->part->blocks[i].kind != OAK_BLOCK_WATCHDOG) continue;
        uint64_t at = oak_watchdog_bites_at(&machine->block[i]);
        if (at < soonest) soonest = at;
    }
    return soonest;
}

static void raise_line(void *context, unsigned line, bool level, uint64_t from)
{
    oak_machine *machine = context;
    if (machine->core && machine->isa->core->interrupt)
        machine->isa->core->interrupt(machine->core, line, level, from);
}

static uint64_t acknowledge(void *context, unsigned line, uint64_t now)
{
    oak_machine *machine = context;
    catch_up_to(machine, now);
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        oak_block *block = &machine->block[i];
        bool second = block->about->second_interrupt == line;
        if (block->about->interrupt != line && !second) continue;
        const oak_block_ops *ops = oak_block_ops_of(block);
        if (!ops->served) continue;
        ops->served(block, second, now);
        block->next = ops->advance(block, now);
        if (block->next < machine->next) machine->next = block->next;
    }
    return machine->next;
}

/* Tells the outside what the chip suffers; true when the run is to end with it. */
static bool notice(oak_machine *machine, const oak_notice *what, bool otherwise)
{
    if (machine->resetting) return false;
    if (!machine->outside || !machine->outside->noticed) return otherwise;
    return machine->outside->noticed(machine->outside->context, what);
}

static oak_notice make_notice(oak_machine *machine, oak_fault fault, unsigned space, uint32_t address,
                              uint64_t now)
{
    oak_notice what = {.fault = fault, .space = (uint8_t)space, .address = address, .cycle = now};
    what.pc = machine->isa->core->place(machine->core);
    return what;
}

static void suffer(void *context, oak_fault fault, uint32_t address, uint64_t now)
{
    oak_machine *machine = context;
    if (!machine->core) return;
    oak_notice what = make_notice(machine, fault, 0, address, now);
    if (notice(machine, &what, false) && machine->isa->core->strike)
        machine->isa->core->strike(machine->core, &what, true, false);
}

static bool suffer_in_core(void *context, oak_fault fault, unsigned space, uint32_t address, uint64_t now)
{
    oak_machine *machine = context;
    oak_notice what = make_notice(machine, fault, space, address, now);
    bool ends = notice(machine, &what, fault == OAK_FAULT_NO_HANDLER);
    if (ends && fault != OAK_FAULT_NO_HANDLER) machine->isa->core->strike(machine->core, &what, true, false);
    return ends;
}

/* ------------------------------------------------------------------------------------------ pins */

uint64_t oak_machine_moment(oak_machine *machine)
{
    /* While somebody is told of a pin the core may be in the middle of a stretch, and its own time behind or ahead. */
    return machine->advancing || machine->telling ? machine->moment : now_of(machine);
}

static void remember(oak_machine *machine, unsigned port, uint32_t mask, oak_level level)
{
    bool floats = level == OAK_FLOAT, high = level == OAK_HIGH;
    machine->floats[port] = floats ? machine->floats[port] | mask : machine->floats[port] & ~mask;
    machine->shown[port] = high ? machine->shown[port] | mask : machine->shown[port] & ~mask;
}

void oak_machine_remember_pins(oak_machine *machine)
{
    for (unsigned port = 0; port < machine->part->port_count; port++)
        for (unsigned bit = 0; bit < machine->gpio[port].pin_count; bit++)
            remember(machine, port, (uint32_t)1 << bit, oak_gpio_pin(&machine->gpio[port], bit).result);
}

/* Tells the outside what a meter would show, where that is not what it knows. */
static void show_pins(oak_machine *machine, unsigned port, uint64_t now)
{
    const oak_gpio *gpio = &machine->gpio[port];
    uint32_t floats = oak_gpio_floating(gpio), high = oak_gpio_levels(gpio) & ~floats,
             news = (floats ^ machine->floats[port]) | (high ^ machine->shown[port]);
    news &= field_mask(gpio->pin_count);
    bool telling = machine->telling;
    machine->telling = true;
    if (now > machine->moment) machine->moment = now;
    for (unsigned bit = 0; news >> bit; bit++) {
        uint32_t mask = (uint32_t)1 << bit;
        if (!(news & mask)) continue;
        /* Who was told of another pin may have changed this one, and then has been told of it. */
        oak_level level = oak_gpio_pin(gpio, bit).result;
        bool floating = level == OAK_FLOAT, is_high = level == OAK_HIGH;
        if (floating == !!(machine->floats[port] & mask) && is_high == !!(machine->shown[port] & mask))
            continue;
        remember(machine, port, mask, level);
        machine->outside->pin_changed(machine->outside->context, port * OAK_MOST_PINS + bit, level, now);
    }
    machine->telling = telling;
}

void oak_machine_pins(oak_machine *machine, unsigned port, uint64_t now)
{
    if (machine->resetting) return;
    uint32_t levels = oak_gpio_levels(&machine->gpio[port]),
             fights = oak_gpio_contention(&machine->gpio[port]);
    uint32_t new_fights = fights & ~machine->fights[port];
    machine->fights[port] = fights;
    for (unsigned bit = 0; new_fights >> bit; bit++)
        if (new_fights >> bit & 1) suffer(machine, OAK_FAULT_CONTENTION, port * OAK_MOST_PINS + bit, now);
    if (levels != machine->levels[port]) {
        machine->levels[port] = levels;
        for (unsigned i = 0; i < machine->part->block_count; i++) {
            oak_block *block = &machine->block[i];
            const oak_block_ops *ops = oak_block_ops_of(block);
            bool listens = false;
            if (block->about->kind == OAK_BLOCK_PORT && block->as.port == &machine->gpio[port])
                oak_port_edges(block);
            for (unsigned use = 0; ops->pins && use < OAK_MOST_USES; use++)
                listens = listens || block->about->uses[use] / OAK_MOST_PINS == port;
            if (!listens) continue;
            ops->pins(block, now);
            call_attention(machine);
        }
    }
    if (machine->outside && machine->outside->pin_changed) show_pins(machine, port, now);
}

static void put(void *context, unsigned pin, bool drives, bool high, uint64_t now)
{
    oak_machine *machine = context;
    unsigned port = pin / OAK_MOST_PINS;
    oak_gpio *gpio = &machine->gpio[port];
    uint32_t mask = (uint32_t)1 << pin % OAK_MOST_PINS;
    if (drives == !!(gpio->alternate & mask) && high == !!(gpio->alternate_level & mask)) return;
    gpio->alternate = drives ? gpio->alternate | mask : gpio->alternate & ~mask;
    gpio->alternate_level = high ? gpio->alternate_level | mask : gpio->alternate_level & ~mask;
    oak_machine_pins(machine, port, now);
}

static bool level_of(void *context, unsigned pin)
{
    oak_machine *machine = context;
    return oak_gpio_levels(&machine->gpio[pin / OAK_MOST_PINS]) >> pin % OAK_MOST_PINS & 1;
}

static oak_block *first_of(void *context, oak_block_kind kind)
{
    return ((oak_machine *)context)->first_of[kind];
}

/* ------------------------------------------------------------------------------------------ devices as a whole */

static void bite(void *context)
{
    oak_machine *machine = context;
    oak_notice what = make_notice(machine, OAK_FAULT_WATCHDOG, machine->isa->about.code_space, 0,
                                  oak_machine_moment(machine));
    what.address = what.pc;
    if (machine->isa->core->strike)
        machine->isa->core->strike(machine->core, &what, notice(machine, &what, true), true);
}

static void reset_register(oak_machine *machine, unsigned number)
{
    const oak_part_register *reg = &machine->part->registers[number];
    uint8_t bytes[4];
    if (machine->stored) machine->stored[number] = reg->reset; /* it lies on the bus */
    if (machine->stored || machine->first_binding[number] != machine->first_binding[number + 1]) return;
    oak_put_number(&machine->isa->about, reg->space, reg->reset, bytes, (reg->bits + 7u) / 8u);
    machine->isa->core->write_memory(machine->core, reg->space, reg->address, bytes, (reg->bits + 7u) / 8u);
}

/* Settings that hold plain numbers begin with what the part says their register holds after reset. */
static void set_up_block(oak_machine *machine, unsigned number, uint64_t now)
{
    const oak_part_register *reg = &machine->part->registers[number];
    for (unsigned i = machine->first_binding[number]; reg->reset && i < machine->first_binding[number + 1];
         i++) {
        oak_block *block = &machine->block[machine->bindings[i].block];
        const oak_part_role *role = &block->about->roles[machine->bindings[i].role];
        bool plain = (block->about->kind == OAK_BLOCK_WATCHDOG && role->role == OAK_WATCHDOG_PERIOD) ||
                     (block->about->kind == OAK_BLOCK_TIMER &&
                      (role->role == OAK_TIMER_PERIOD || role->role == OAK_TIMER_PRESCALE ||
                       role->role == OAK_TIMER_COMPARE)) ||
                     (block->about->kind == OAK_BLOCK_SERIAL && role->role == OAK_SERIAL_DIVISOR);
        if (plain)
            oak_block_ops_of(block)->set(block, role->role, reg->reset >> role->bit & field_mask(role->width),
                                         now);
    }
}

static void reset_devices(void *context)
{
    oak_machine *machine = context;
    uint64_t now = now_of(machine);
    machine->moment = now;
    machine->resetting = true;
    for (unsigned i = 0; i < machine->part->port_count; i++) machine->gpio[i].alternate = 0;
    for (unsigned i = 0; i < machine->part->register_count; i++) reset_register(machine, i);
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        machine->block[i].line = machine->block[i].second_line = false;
        oak_block_ops_of(&machine->block[i])->reset(&machine->block[i], now);
    }
    for (unsigned i = 0; i < machine->part->register_count; i++) set_up_block(machine, i, now);
    machine->resetting = false;
    for (unsigned i = 0; i < machine->part->port_count; i++) oak_machine_pins(machine, i, now);
    call_attention(machine);
}

void oak_machine_catch_up(oak_machine *machine)
{
    if (!machine->advancing) advance(machine, now_of(machine));
}

oak_status oak_machine_read_device(oak_machine *machine, uint32_t address, uint8_t *bytes, size_t count)
{
    unsigned number;
    for (size_t i = 0; i < count; i++) {
        uint32_t at = address + (uint32_t)i;
        const oak_part_register *reg = register_over(machine, at, &number);
        if (!reg) return OAK_OUT_OF_RANGE;
        uint8_t all[4];
        uint32_t value = register_value(machine, number, machine->stored[number], now_of(machine), true);
        oak_put_number(&machine->isa->about, reg->space, value, all, (reg->bits + 7u) / 8u);
        bytes[i] = all[at - reg->address];
    }
    return OAK_OK;
}

oak_status oak_machine_write_device(oak_machine *machine, uint32_t address, const uint8_t *bytes,
                                    size_t count)
{
    if (count > 4) return OAK_OUT_OF_RANGE;
    uint32_t value =
        (uint32_t)oak_number_at(&machine->isa->about, machine->isa->about.code_space, bytes, (unsigned)count);
    return bus_write(machine, address, (unsigned)count, value, now_of(machine));
}

static void lose(void *context)
{
    oak_machine *machine = context;
    machine->lost = true;
}

static void open_blocks(oak_machine *machine)
{
    const oak_part *part = machine->part;
    machine->services = (oak_block_services){machine,  &machine->host, raise_line, bite, put,
                                             level_of, first_of,       suffer,     lose};
    for (unsigned i = 0; i < part->block_count; i++) {
        oak_block *block = &machine->block[i];
        block->about = &part->blocks[i];
        block->services = &machine->services;
        if (!machine->first_of[block->about->kind]) machine->first_of[block->about->kind] = block;
        if (part->blocks[i].kind == OAK_BLOCK_PORT) block->as.port = &machine->gpio[part->blocks[i].pin];
    }
}

/* Roles by register; false when there is no memory. */
static bool bind_roles(oak_machine *machine)
{
    const oak_part *part = machine->part;
    const oak_host *host = &machine->host;
    unsigned count = 0;
    for (unsigned i = 0; i < part->block_count; i++) count += part->blocks[i].role_count;
    machine->binding_count = count + 1;
    machine->bindings =
        host->resize(host->context, NULL, 0, machine->binding_count * sizeof *machine->bindings);
    machine->first_binding =
        host->resize(host->context, NULL, 0, (part->register_count + 1) * sizeof *machine->first_binding);
    if (!machine->bindings || !machine->first_binding) return false;
    unsigned filled = 0;
    for (unsigned n = 0; n < part->register_count; n++) {
        machine->first_binding[n] = (uint16_t)filled;
        for (uint16_t i = 0; i < part->block_count; i++)
            for (uint16_t r = 0; r < part->blocks[i].role_count; r++)
                if (part->blocks[i].roles[r].address == part->registers[n].address &&
                    part->blocks[i].space == part->registers[n].space && filled < count)
                    machine->bindings[filled++] = (struct oak_binding){i, r};
    }
    machine->first_binding[part->register_count] = (uint16_t)filled;
    return true;
}

/* ------------------------------------------------------------------------------------------ the machine */

/* What a loader has put into RAM is there again. */
static void fill_loaded(oak_machine *machine)
{
    for (unsigned i = 0; i < machine->part->memory_count; i++) {
        const oak_part_memory *memory = &machine->part->memories[i];
        size_t bytes = (size_t)memory->size * oak_unit_bytes(&machine->isa->about, memory->space);
        if (machine->loaded[i])
            (void)!machine->isa->core->program(machine->core, memory->base, machine->loaded[i], bytes);
    }
}

/* Keeps what the memories that are loaded hold now. */
static oak_status keep_loaded(oak_machine *machine)
{
    for (unsigned i = 0; i < machine->part->memory_count; i++) {
        const oak_part_memory *memory = &machine->part->memories[i];
        size_t bytes = (size_t)memory->size * oak_unit_bytes(&machine->isa->about, memory->space);
        if (!memory->loaded) continue;
        if (!machine->loaded[i])
            machine->loaded[i] = machine->host.resize(machine->host.context, NULL, 0, bytes);
        if (!machine->loaded[i]) return OAK_NO_MEMORY;
        oak_status status = machine->isa->core->read_memory(machine->core, memory->space, memory->base,
                                                            machine->loaded[i], bytes);
        if (status) return status;
    }
    return OAK_OK;
}

void oak_machine_reset(oak_machine *machine)
{
    machine->isa->core->reset(machine->core);
    fill_loaded(machine);
    machine->lost = false;
    machine->outside_next = 0;
    reset_devices(machine);
}

/* A core relies on it: what a part says of its memories, whoever has made it, fits the spaces. */
static bool memories_fit(const oak_isa *isa, const oak_part *part)
{
    for (unsigned i = 0; i < part->memory_count; i++) {
        const oak_part_memory *memory = &part->memories[i];
        if (memory->space >= isa->about.space_count) return false;
        const oak_space_info *space = &isa->about.spaces[memory->space];
        uint64_t end = (uint64_t)memory->base + memory->size;
        if ((space->special && !space->takes_memory) || space->of_bits || !memory->size ||
            memory->size > OAK_LARGEST_MEMORY || memory->base < space->first || end > space->end)
            return false;
    }
    return true;
}

oak_status oak_machine_create(const oak_host *host, const oak_part *part, oak_machine **result)
{
    const oak_isa *isa = oak_isa_find(part->architecture->name);
    if (!isa || !isa->core || part->memory_count > OAK_MOST_MEMORIES || part->block_count > OAK_MOST_BLOCKS)
        return OAK_UNSUPPORTED;
    if (!memories_fit(isa, part)) return OAK_OUT_OF_RANGE;
    oak_machine *machine = host->resize(host->context, NULL, 0, sizeof *machine);
    if (!machine) return OAK_NO_MEMORY;
    memset(machine, 0, sizeof *machine);
    machine->host = *host;
    machine->part = part;
    machine->isa = isa;
    for (unsigned i = 0; i < part->port_count; i++) oak_gpio_open(&machine->gpio[i], &part->ports[i]);
    oak_core_memory memories[OAK_MOST_MEMORIES];
    for (unsigned i = 0; i < part->memory_count; i++) {
        const oak_part_memory *memory = &part->memories[i];
        memories[i] = (oak_core_memory){memory->space, memory->writable, memory->base, memory->size};
    }
    open_blocks(machine);
    bool on_bus = !has_special_space(machine);
    size_t size = (part->register_count + 1) * sizeof *machine->stored;
    if (on_bus) machine->stored = host->resize(host->context, NULL, 0, size);
    if (machine->stored) memset(machine->stored, 0, size);
    if ((on_bus && !machine->stored) || !bind_roles(machine) || !find_specials(machine)) {
        oak_machine_free(machine);
        return OAK_NO_MEMORY;
    }
    oak_core_setup setup = {.host = &machine->host,
                            .memories = memories,
                            .memory_count = part->memory_count,
                            .machine = machine,
                            .cell_kind = cell_kind,
                            .device_read = device_read,
                            .device_write = device_write,
                            .bus_read = bus_read,
                            .bus_write = bus_write,
                            .advance = advance,
                            .acknowledge = acknowledge,
                            .suffer = suffer_in_core,
                            .reset_devices = reset_devices,
                            .resets_at = resets_at,
                            .interrupt_count = part->interrupt_lines,
                            .priority_bits = part->priority_bits};
    oak_status status = isa->open(host, &machine->tables);
    if (!status) status = isa->core->create(machine->tables, &setup, &machine->core);
    if (status) {
        oak_machine_free(machine);
        return status;
    }
    oak_machine_reset(machine);
    *result = machine;
    return OAK_OK;
}

void oak_machine_free(oak_machine *machine)
{
    if (!machine) return;
    oak_host host = machine->host;
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        const oak_sent *sent = &machine->block[i].sent;
        if (sent->bytes) host.resize(host.context, sent->bytes, sent->room, 0);
        if (sent->cycles) host.resize(host.context, sent->cycles, sent->room * sizeof *sent->cycles, 0);
    }
    if (machine->bindings)
        host.resize(host.context, machine->bindings, machine->binding_count * sizeof *machine->bindings, 0);
    if (machine->first_binding)
        host.resize(host.context, machine->first_binding,
                    (machine->part->register_count + 1) * sizeof *machine->first_binding, 0);
    for (unsigned i = 0; i < OAK_MOST_SPACES; i++)
        if (machine->special[i])
            host.resize(host.context, machine->special[i],
                        special_count(&machine->isa->about.spaces[i]) * sizeof *machine->special[i], 0);
    if (machine->stored)
        host.resize(host.context, machine->stored,
                    (machine->part->register_count + 1) * sizeof *machine->stored, 0);
    for (unsigned i = 0; i < machine->part->memory_count; i++)
        if (i < OAK_MOST_MEMORIES && machine->loaded[i])
            host.resize(host.context, machine->loaded[i],
                        (size_t)machine->part->memories[i].size *
                            oak_unit_bytes(&machine->isa->about, machine->part->memories[i].space),
                        0);
    if (machine->core) machine->isa->core->destroy(machine->core);
    if (machine->tables) machine->isa->close(&host, machine->tables);
    host.resize(host.context, machine, sizeof *machine, 0);
}

oak_status oak_machine_load(oak_machine *machine, const oak_image *image, uint32_t *outside)
{
    enum { PIECE = 256 };
    uint64_t from = 0, length;
    uint32_t address;
    unsigned code = machine->isa->about.code_space, unit = oak_unit_bytes(&machine->isa->about, code);
    while (from <= UINT32_MAX && oak_image_next_run(image, (uint32_t)from, &address, &length) == OAK_OK) {
        from = address + length;
        uint32_t at = address / unit, end = (uint32_t)((from + unit - 1) / unit);
        while (at < end) {
            uint8_t bytes[PIECE];
            uint32_t count = end - at < PIECE / unit ? end - at : PIECE / unit;
            const oak_part_memory *memory = oak_part_find_memory(machine->part, code, at);
            if (!memory) {
                *outside = at;
                return OAK_OUT_OF_RANGE;
            }
            if (memory->base + (memory->size - 1) - at < count - 1) count = memory->base + memory->size - at;
            oak_image_read(image, at * unit, 0xFF, bytes, count * unit);
            oak_status status = machine->isa->core->program(machine->core, at, bytes, count * unit);
            if (status) return status;
            at += count;
        }
    }
    return keep_loaded(machine);
}

void oak_machine_mark_data(oak_machine *machine, uint32_t address, uint32_t count)
{
    if (machine->isa->core->mark_data) machine->isa->core->mark_data(machine->core, address, count);
}

oak_status oak_machine_check_reads(oak_machine *machine, bool on)
{
    if (!machine->isa->core->check_reads) return OAK_UNSUPPORTED;
    return machine->isa->core->check_reads(machine->core, on);
}

oak_status oak_machine_receive(oak_machine *machine, unsigned line, uint8_t byte)
{
    oak_machine_catch_up(machine);
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        oak_block *block = &machine->block[i];
        if (!oak_block_sends(block->about->kind) || line--) continue;
        if (block->about->kind == OAK_BLOCK_SERIAL) oak_serial_receive(block, byte, now_of(machine));
        else oak_framed_serial_receive(block, byte, now_of(machine));
        call_attention(machine);
        return OAK_OK;
    }
    return OAK_OUT_OF_RANGE;
}
