/* machine.c — the simulated chip: joins a core to the special registers and pins of its part. */
#include <oakspindle/machine.h>

#include "base/bytes.h"
#include "base/text.h"
#include "sim/machine_state.h"

enum { MOST_MEMORIES = 16 };

/* ------------------------------------------------------------------------------------------ special registers */

static oak_gpio *port_at(oak_machine *machine, uint32_t address)
{
    for (unsigned i = 0; i < machine->part->port_count; i++)
        if (machine->part->ports[i].address == address && !machine->part->ports[i].has_block)
            return &machine->gpio[i];
    return NULL;
}

static unsigned special_space(const oak_machine *machine)
{
    for (unsigned i = 1; i < machine->isa->about.space_count; i++)
        if (machine->isa->about.spaces[i].special) return i;
    return 0;
}

static oak_cell_kind cell_kind(void *context, uint32_t address)
{
    oak_machine *machine = context;
    if (port_at(machine, address)) return OAK_CELL_DEVICE;
    return oak_part_register_at(machine->part, special_space(machine), address) ? OAK_CELL_PLAIN
                                                                                : OAK_CELL_ABSENT;
}

static uint32_t device_read(void *context, uint32_t address, uint32_t stored)
{
    const oak_gpio *gpio = port_at(context, address);
    return gpio ? oak_gpio_levels(gpio) : stored;
}

static void device_write(void *context, uint32_t address, uint32_t value)
{
    oak_gpio *gpio = port_at(context, address);
    if (gpio) gpio->latch = value;
}

/* ------------------------------------------------------------------------------------------ blocks on the bus */

/* The register whose bytes hold an address; they are few, and sorted. */
static const oak_part_register *register_over(const oak_machine *machine, uint32_t address, unsigned *number)
{
    const oak_part *part = machine->part;
    unsigned low = 0, high = part->register_count;
    while (low < high) {
        unsigned middle = low + (high - low) / 2;
        if (part->registers[middle].address <= address) low = middle + 1;
        else high = middle;
    }
    if (!low) return NULL;
    *number = low - 1;
    const oak_part_register *reg = &part->registers[low - 1];
    return address - reg->address < reg->bits / 8u ? reg : NULL;
}

static uint32_t field_mask(unsigned width)
{
    return width >= 32 ? UINT32_MAX : ((uint32_t)1 << width) - 1;
}

/* The value of a register: what was written, with the roles of blocks over it. */
static uint32_t register_value(oak_machine *machine, const oak_part_register *reg, unsigned number,
                               uint64_t now, bool looking)
{
    uint32_t value = machine->stored[number];
    (void)reg;
    for (unsigned i = machine->first_binding[number]; i < machine->first_binding[number + 1]; i++) {
        oak_block *block = &machine->block[machine->bindings[i].block];
        const oak_part_role *role = &block->about->roles[machine->bindings[i].role];
        const oak_block_ops *ops = oak_block_ops_of(block);
        ops->advance(block, now);
        uint32_t field = ops->get(block, role->role, now), mask = field_mask(role->width);
        value = (value & ~(mask << role->bit)) | (field & mask) << role->bit;
        bool takes = !looking && block->about->kind == OAK_BLOCK_SERIAL && role->role == OAK_SERIAL_DATA;
        if (takes) ops->set(block, OAK_SERIAL_RECEIVED, 1, now); /* reading takes the byte */
    }
    return value;
}

static void write_register_value(oak_machine *machine, const oak_part_register *reg, unsigned number,
                                 uint32_t value, uint64_t now)
{
    bool sooner = false;
    (void)reg;
    machine->stored[number] = value;
    for (unsigned i = machine->first_binding[number]; i < machine->first_binding[number + 1]; i++) {
        oak_block *block = &machine->block[machine->bindings[i].block];
        const oak_part_role *role = &block->about->roles[machine->bindings[i].role];
        const oak_block_ops *ops = oak_block_ops_of(block);
        ops->advance(block, now);
        sooner |= ops->set(block, role->role, value >> role->bit & field_mask(role->width), now);
    }
    if (sooner && machine->isa->core->attend) machine->isa->core->attend(machine->core);
}

static oak_status bus_read(void *context, uint32_t address, unsigned bytes, uint64_t now, uint32_t *value)
{
    oak_machine *machine = context;
    unsigned number;
    const oak_part_register *reg = register_over(machine, address, &number);
    if (!reg) return OAK_OUT_OF_RANGE;
    *value = register_value(machine, reg, number, now, false) >> (8 * (address - reg->address));
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
    write_register_value(machine, reg, number, value, now);
    return OAK_OK;
}

static uint64_t advance(void *context, uint64_t now)
{
    oak_machine *machine = context;
    uint64_t next = UINT64_MAX;
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        uint64_t at = oak_block_ops_of(&machine->block[i])->advance(&machine->block[i], now);
        if (at < next) next = at;
    }
    return next;
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

static void raise_line(void *context, unsigned line, bool level)
{
    oak_machine *machine = context;
    if (machine->core && machine->isa->core->interrupt)
        machine->isa->core->interrupt(machine->core, line, level);
}

static void bite(void *context)
{
    oak_machine *machine = context;
    if (machine->isa->core->strike) machine->isa->core->strike(machine->core, OAK_FAULT_WATCHDOG);
}

static uint64_t now_of(oak_machine *machine)
{
    return machine->isa->core->time(machine->core)->cycles;
}

static void reset_devices(void *context)
{
    oak_machine *machine = context;
    for (unsigned i = 0; i < machine->part->register_count; i++)
        machine->stored[i] = machine->part->registers[i].reset;
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        machine->block[i].line = false;
        oak_block_ops_of(&machine->block[i])->reset(&machine->block[i], now_of(machine));
    }
}

void oak_machine_catch_up(oak_machine *machine)
{
    if (machine->part->block_count) advance(machine, now_of(machine));
}

oak_status oak_machine_read_device(oak_machine *machine, uint32_t address, uint8_t *bytes, size_t count)
{
    unsigned number;
    for (size_t i = 0; i < count; i++) {
        uint32_t at = address + (uint32_t)i;
        const oak_part_register *reg = register_over(machine, at, &number);
        if (!reg) return OAK_OUT_OF_RANGE;
        bytes[i] = (uint8_t)(register_value(machine, reg, number, now_of(machine), true) >>
                             (8 * (at - reg->address)));
    }
    return OAK_OK;
}

oak_status oak_machine_write_device(oak_machine *machine, uint32_t address, const uint8_t *bytes,
                                    size_t count)
{
    uint32_t value = 0;
    if (count > 4) return OAK_OUT_OF_RANGE;
    for (size_t i = 0; i < count; i++) value |= (uint32_t)bytes[i] << (8 * i);
    return bus_write(machine, address, (unsigned)count, value, now_of(machine));
}

void oak_machine_pin_changed(oak_machine *machine, unsigned port)
{
    for (unsigned i = 0; i < machine->part->block_count; i++)
        if (machine->block[i].about->kind == OAK_BLOCK_PORT &&
            machine->block[i].as.port == &machine->gpio[port])
            oak_port_edges(&machine->block[i]);
}

static void open_blocks(oak_machine *machine)
{
    const oak_part *part = machine->part;
    machine->services = (oak_block_services){machine, &machine->host, raise_line, bite};
    for (unsigned i = 0; i < part->block_count; i++) {
        oak_block *block = &machine->block[i];
        block->about = &part->blocks[i];
        block->services = &machine->services;
        if (part->blocks[i].kind == OAK_BLOCK_PORT) block->as.port = &machine->gpio[part->blocks[i].pin];
        if (part->blocks[i].kind == OAK_BLOCK_TIMER && part->blocks[i].pin != OAK_NO_PIN)
            block->driven = &machine->gpio[part->blocks[i].pin / OAK_MOST_PINS];
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
                if (part->blocks[i].roles[r].address == part->registers[n].address && filled < count)
                    machine->bindings[filled++] = (struct oak_binding){i, r};
    }
    machine->first_binding[part->register_count] = (uint16_t)filled;
    return true;
}

/* ------------------------------------------------------------------------------------------ the machine */

void oak_machine_reset(oak_machine *machine)
{
    machine->isa->core->reset(machine->core);
    if (machine->stored) reset_devices(machine);
    for (unsigned i = 0; i < machine->part->register_count; i++) {
        const oak_part_register *reg = &machine->part->registers[i];
        uint8_t bytes[4];
        if (machine->stored) break; /* they lie on the bus */
        for (unsigned b = 0; b < reg->bits / 8u; b++) bytes[b] = (uint8_t)(reg->reset >> (8 * b));
        machine->isa->core->write_memory(machine->core, reg->space, reg->address, bytes, reg->bits / 8u);
    }
}

oak_status oak_machine_create(const oak_host *host, const oak_part *part, oak_machine **result)
{
    const oak_isa *isa = oak_isa_find(part->architecture->name);
    if (!isa || !isa->core || part->memory_count > MOST_MEMORIES || part->block_count > OAK_MOST_BLOCKS)
        return OAK_UNSUPPORTED;
    oak_machine *machine = host->resize(host->context, NULL, 0, sizeof *machine);
    if (!machine) return OAK_NO_MEMORY;
    memset(machine, 0, sizeof *machine);
    machine->host = *host;
    machine->part = part;
    machine->isa = isa;
    for (unsigned i = 0; i < part->port_count; i++) oak_gpio_open(&machine->gpio[i], &part->ports[i]);
    oak_core_memory memories[MOST_MEMORIES];
    for (unsigned i = 0; i < part->memory_count; i++) {
        const oak_part_memory *memory = &part->memories[i];
        memories[i] = (oak_core_memory){memory->space, memory->writable, memory->base, memory->size};
    }
    open_blocks(machine);
    bool on_bus = !special_space(machine);
    if (on_bus) {
        size_t size = (part->register_count + 1) * sizeof *machine->stored;
        machine->stored = host->resize(host->context, NULL, 0, size);
        if (!machine->stored || !bind_roles(machine)) {
            oak_machine_free(machine);
            return OAK_NO_MEMORY;
        }
        memset(machine->stored, 0, size);
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
                            .advance = part->block_count ? advance : NULL,
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
        oak_serial *serial = &machine->block[i].as.serial;
        bool is_serial = machine->block[i].about && machine->block[i].about->kind == OAK_BLOCK_SERIAL;
        if (is_serial && serial->sent) host.resize(host.context, serial->sent, serial->sent_room, 0);
    }
    if (machine->bindings)
        host.resize(host.context, machine->bindings, machine->binding_count * sizeof *machine->bindings, 0);
    if (machine->first_binding)
        host.resize(host.context, machine->first_binding,
                    (machine->part->register_count + 1) * sizeof *machine->first_binding, 0);
    if (machine->stored)
        host.resize(host.context, machine->stored,
                    (machine->part->register_count + 1) * sizeof *machine->stored, 0);
    if (machine->core) machine->isa->core->destroy(machine->core);
    if (machine->tables) machine->isa->close(&host, machine->tables);
    host.resize(host.context, machine, sizeof *machine, 0);
}

oak_status oak_machine_load(oak_machine *machine, const oak_image *image, uint32_t *outside)
{
    uint64_t from = 0, length;
    uint32_t address;
    while (from <= UINT32_MAX && oak_image_next_run(image, (uint32_t)from, &address, &length) == OAK_OK) {
        from = address + length;
        uint32_t at = address;
        while (length) {
            uint8_t bytes[256];
            size_t count = length < sizeof bytes ? (size_t)length : sizeof bytes;
            const oak_part_memory *memory =
                oak_part_find_memory(machine->part, machine->isa->about.code_space, at);
            if (!memory) {
                *outside = at;
                return OAK_OUT_OF_RANGE;
            }
            if (memory->base + (memory->size - 1) - at < count - 1) count = memory->base + memory->size - at;
            oak_image_read(image, at, 0xFF, bytes, count);
            oak_status status = machine->isa->core->program(machine->core, at, bytes, count);
            if (status) return status;
            at += (uint32_t)count;
            length -= count;
        }
    }
    return OAK_OK;
}

void oak_machine_mark_data(oak_machine *machine, uint32_t address, uint32_t count)
{
    if (machine->isa->core->mark_data) machine->isa->core->mark_data(machine->core, address, count);
}

oak_status oak_machine_check_reads(oak_machine *machine, bool on)
{
    if (!machine->isa->core->check_reads) return OAK_UNSUPPORTED;
    machine->isa->core->check_reads(machine->core, on);
    return OAK_OK;
}

oak_status oak_machine_receive(oak_machine *machine, unsigned line, uint8_t byte)
{
    oak_machine_catch_up(machine);
    for (unsigned i = 0; i < machine->part->block_count; i++) {
        if (machine->part->blocks[i].kind != OAK_BLOCK_SERIAL || line--) continue;
        oak_serial_receive(&machine->block[i], byte);
        return OAK_OK;
    }
    return OAK_OUT_OF_RANGE;
}
