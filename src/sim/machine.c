/* machine.c — the simulated chip: joins a core to the special registers and pins of its part. */
#include <oakspindle/machine.h>

#include "base/bytes.h"
#include "base/text.h"
#include "sim/machine_state.h"

/* ------------------------------------------------------------------------------------------ devices as a whole */

static void bite(void *context, oak_fault fault)
{
    oak_machine *machine = context;
    oak_notice what =
        sim_make_notice(machine, fault, machine->isa->about.code_space, 0, oak_machine_moment(machine));
    what.address = what.pc;
    if (machine->isa->core->strike)
        machine->isa->core->strike(machine->core, &what, sim_notice(machine, &what, true), true);
}

/* Is it a register of the core, which resets it? */
static bool is_core_register(const oak_isa *isa, const oak_part_register *reg)
{
    const oak_architecture *about = &isa->about;
    if (isa->own_register && isa->own_register(reg->space, reg->address)) return true;
    for (unsigned i = 0; i < about->cells_count; i++)
        if (about->cells[i].space == reg->space && about->cells[i].address == reg->address) return true;
    return false;
}

static void reset_register(oak_machine *machine, unsigned number)
{
    const oak_part_register *reg = &machine->part->registers[number];
    if (is_core_register(machine->isa, reg) || oak_part_is_configuration(machine->part, reg))
        return; /* the core resets its own; words that configure it are programmed */
    uint8_t bytes[4];
    bool has_roles = machine->first_binding[number] != machine->first_binding[number + 1];
    if (machine->stored) machine->stored[number] = reg->reset; /* it lies on the bus */
    if (machine->stored || has_roles) {
        sim_set_port(machine, number, reg->reset, machine->moment);
        return;
    }
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
                     (block->about->kind == OAK_BLOCK_SERIAL &&
                      (role->role == OAK_SERIAL_DIVISOR || role->role == OAK_SERIAL_SIXTEENTHS ||
                       role->role == OAK_SERIAL_ROOM_URGENT || role->role == OAK_SERIAL_RECEIVED_URGENT)) ||
                     (block->about->kind >= OAK_BLOCK_PRESCALED_TIMER &&
                      block->about->kind < OAK_BLOCK_INTERVAL_WATCHDOG) ||
                     (block->about->kind == OAK_BLOCK_PORT &&
                      (role->role == OAK_PORT_LOOSE || role->role == OAK_PORT_ALL_UP));
        if (plain)
            oak_block_ops_of(block)->set(block, role->role,
                                         reg->reset >> role->bit & sim_field_mask(role->width), now);
    }
}

static void reset_devices(void *context)
{
    oak_machine *machine = context;
    uint64_t now = sim_now_of(machine);
    machine->moment = now;
    machine->resetting = true;
    machine->stopped = 0;
    for (unsigned i = 0; i < machine->part->port_count; i++) machine->gpio[i].alternate = 0;
    for (unsigned i = 0; i < machine->part->register_count; i++) reset_register(machine, i);
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        memset(machine->block[i].lines, 0, sizeof machine->block[i].lines);
        oak_block_ops_of(&machine->block[i])->reset(&machine->block[i], now);
    }
    for (unsigned i = 0; i < machine->part->register_count; i++) set_up_block(machine, i, now);
    machine->resetting = false;
    for (unsigned i = 0; i < machine->part->port_count; i++) oak_machine_pins(machine, i, now);
    sim_call_attention(machine);
}

void oak_machine_catch_up(oak_machine *machine)
{
    if (!machine->advancing) sim_advance(machine, sim_now_of(machine));
}

oak_status oak_machine_read_device(oak_machine *machine, uint32_t address, uint8_t *bytes, size_t count)
{
    unsigned number;
    uint8_t all[4];
    const oak_part_register *last = NULL;
    for (size_t i = 0; i < count; i++) {
        uint32_t at = address + (uint32_t)i;
        const oak_part_register *reg = sim_register_over(machine, at, &number);
        if (!reg) return OAK_OUT_OF_RANGE;
        if (reg != last) { /* once for all of its bytes */
            uint32_t value =
                sim_register_value(machine, number, machine->stored[number], sim_now_of(machine), false, 0);
            oak_put_number(&machine->isa->about, reg->space, value, all, (reg->bits + 7u) / 8u);
            last = reg;
        }
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
    return sim_bus_write(machine, address, (unsigned)count, value, sim_now_of(machine));
}

static oak_status look(void *context, unsigned space, uint32_t address, uint8_t *bytes, size_t count)
{
    oak_machine *machine = context;
    if (!machine->stored || space != machine->isa->about.code_space) return OAK_OUT_OF_RANGE;
    return oak_machine_read_device(machine, address, bytes, count);
}

static void lose(void *context)
{
    oak_machine *machine = context;
    machine->lost = true;
}

static void kept(void *context, const oak_block *block, uint32_t index, uint8_t *value, bool writes)
{
    oak_machine *machine = context;
    const char *name = block->about->memory;
    const oak_part_memory *memory =
        name ? oak_part_find_memory_named(machine->part, name, oak_length(name)) : NULL;
    if (!memory || index >= memory->size) return; /* nothing is there */
    if (writes)
        machine->isa->core->write_memory(machine->core, memory->space, memory->base + index, value, 1);
    else machine->isa->core->read_memory(machine->core, memory->space, memory->base + index, value, 1);
}

static unsigned stopped(void *context)
{
    return ((oak_machine *)context)->stopped;
}

static void stall(void *context, uint32_t cycles)
{
    oak_machine *machine = context;
    if (machine->isa->core->stall) machine->isa->core->stall(machine->core, cycles);
}

static oak_block *numbered(void *context, unsigned number)
{
    oak_machine *machine = context;
    return number < machine->part->block_count ? &machine->block[number] : NULL;
}

/* The pin that a serial port sends on is its own as soon as it runs, where the chip needs no direction for that. */
static void force_pin(oak_machine *machine, const oak_block *block)
{
    bool serial = block->about->kind == OAK_BLOCK_SERIAL &&
                  (oak_block_has(block, OAK_SERIAL_COUNT) || oak_block_has(block, OAK_SERIAL_HELD) ||
                   oak_block_has(block, OAK_SERIAL_SIXTEENTHS)),
         channel = block->about->kind == OAK_BLOCK_TIMER_CHANNEL;
    uint16_t pin = block->about->uses[channel ? OAK_ON_TIMER_PIN : OAK_SERIAL_SEND_PIN];
    if ((serial || channel) && pin != OAK_NO_PIN)
        machine->gpio[pin / OAK_MOST_PINS].forced |= (uint32_t)1 << pin % OAK_MOST_PINS;
}

static void open_blocks(oak_machine *machine)
{
    const oak_part *part = machine->part;
    machine->services = (oak_block_services){machine,      &machine->host, sim_raise_line, bite, sim_put,
                                             sim_level_of, sim_first_of,   sim_suffer,     lose, kept,
                                             numbered,     stopped,        stall};
    for (unsigned i = 0; i < part->block_count; i++) {
        oak_block *block = &machine->block[i];
        block->about = &part->blocks[i];
        block->services = &machine->services;
        if (!machine->first_of[block->about->kind]) machine->first_of[block->about->kind] = block;
        force_pin(machine, block);
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

/* What a loader has put into RAM is there again, and nothing else. */
static void fill_loaded(oak_machine *machine)
{
    enum { PIECE = 256 };
    uint64_t from = 0, length;
    uint32_t address;
    unsigned unit = oak_unit_bytes(&machine->isa->about, machine->isa->about.code_space);
    while (machine->loaded && from <= UINT32_MAX &&
           oak_image_next_run(machine->loaded, (uint32_t)from, &address, &length) == OAK_OK) {
        uint8_t bytes[PIECE];
        size_t count = length < PIECE ? (size_t)length : PIECE;
        oak_image_read(machine->loaded, address, 0, bytes, count);
        (void)!machine->isa->core->program(machine->core, address / unit, bytes, count);
        from = (uint64_t)address + count;
    }
}

/* Keeps what goes into memories that are loaded. */
static oak_status keep_loaded(oak_machine *machine, uint32_t address, const uint8_t *bytes, size_t count)
{
    oak_status status = OAK_OK;
    if (!machine->loaded) status = oak_image_create(&machine->host, &machine->loaded);
    return status ? status : oak_image_write(machine->loaded, address, bytes, count);
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
    if (!host || !part || !result) return OAK_MISUSE;
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
    bool on_bus = !sim_has_special_space(machine);
    size_t size = (part->register_count + 1) * sizeof *machine->stored;
    if (on_bus) machine->stored = host->resize(host->context, NULL, 0, size);
    if (machine->stored) memset(machine->stored, 0, size);
    if ((on_bus && !machine->stored) || !bind_roles(machine) || !sim_find_specials(machine)) {
        oak_machine_free(machine);
        return OAK_NO_MEMORY;
    }
    oak_core_setup setup = {.host = &machine->host,
                            .memories = memories,
                            .memory_count = part->memory_count,
                            .machine = machine,
                            .cell_kind = sim_cell_kind,
                            .device_read = sim_device_read,
                            .device_write = sim_device_write,
                            .bus_read = sim_bus_read,
                            .bus_write = sim_bus_write,
                            .advance = sim_advance,
                            .acknowledge = sim_acknowledge,
                            .suffer = sim_suffer_in_core,
                            .reset_devices = reset_devices,
                            .look = look,
                            .course = sim_course,
                            .touched = &machine->touched,
                            .known = &machine->known,
                            .pins = sim_pins,
                            .resets_at = sim_resets_at,
                            .clocks = sim_clocks,
                            .outside_acts = sim_outside_acts,
                            .interrupt_count = part->interrupt_lines,
                            .priority_bits = part->priority_bits};
    for (unsigned i = 0; i < part->block_count; i++)
        for (unsigned which = 0; which < OAK_MOST_BLOCK_LINES; which++) {
            unsigned line = part->blocks[i].interrupts[which];
            if (line < 32) setup.lines |= (uint32_t)1 << line;
        }
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
                        sim_special_count(&machine->isa->about.spaces[i]) * sizeof *machine->special[i], 0);
    if (machine->stored)
        host.resize(host.context, machine->stored,
                    (machine->part->register_count + 1) * sizeof *machine->stored, 0);
    oak_image_free(machine->loaded);
    if (machine->core) machine->isa->core->destroy(machine->core);
    if (machine->tables) machine->isa->close(&host, machine->tables);
    host.resize(host.context, machine, sizeof *machine, 0);
}

oak_status oak_machine_load(oak_machine *machine, const oak_image *image, uint32_t *outside)
{
    if (!machine || !image || !outside) return OAK_MISUSE;
    enum { PIECE = 256 };
    uint64_t from = 0, length;
    uint32_t address;
    unsigned code = machine->isa->about.code_space, unit = oak_unit_bytes(&machine->isa->about, code);
    if (machine->isa->about.enters && oak_image_entry(image, &address))
        machine->isa->core->begins(machine->core, address);
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
            if (!status && memory->loaded) status = keep_loaded(machine, at * unit, bytes, count * unit);
            if (status) return status;
            at += count;
        }
    }
    return OAK_OK;
}

void oak_machine_mark_data(oak_machine *machine, uint32_t address, uint32_t count)
{
    if (!machine) return;
    if (machine->isa->core->mark_data) machine->isa->core->mark_data(machine->core, address, count);
}

oak_status oak_machine_check_reads(oak_machine *machine, bool on)
{
    if (!machine) return OAK_MISUSE;
    if (!machine->isa->core->check_reads) return OAK_UNSUPPORTED;
    return machine->isa->core->check_reads(machine->core, on);
}

oak_status oak_machine_receive(oak_machine *machine, unsigned line, uint8_t byte)
{
    if (!machine) return OAK_MISUSE;
    oak_machine_catch_up(machine);
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        oak_block *block = &machine->block[i];
        if (!oak_block_sends(block->about->kind) || line--) continue;
        if (block->about->kind == OAK_BLOCK_SERIAL) oak_serial_receive(block, byte, sim_now_of(machine));
        else oak_framed_serial_receive(block, byte, sim_now_of(machine));
        sim_call_attention(machine);
        return OAK_OK;
    }
    return OAK_OUT_OF_RANGE;
}
