/* machine.c — the simulated chip: joins a core to the special registers and pins of its part. */
#include <oakspindle/machine.h>

#include "base/bytes.h"
#include "sim/machine_state.h"

enum { MOST_MEMORIES = 16 };

/* ------------------------------------------------------------------------------------------ special registers */

static oak_gpio *port_at(oak_machine *machine, uint32_t address)
{
    for (unsigned i = 0; i < machine->part->port_count; i++)
        if (machine->part->ports[i].address == address) return &machine->gpio[i];
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

/* ------------------------------------------------------------------------------------------ the machine */

void oak_machine_reset(oak_machine *machine)
{
    machine->isa->core->reset(machine->core);
    for (unsigned i = 0; i < machine->part->register_count; i++) {
        const oak_part_register *reg = &machine->part->registers[i];
        uint8_t bytes[4];
        for (unsigned b = 0; b < reg->bits / 8u; b++) bytes[b] = (uint8_t)(reg->reset >> (8 * b));
        machine->isa->core->write_memory(machine->core, reg->space, reg->address, bytes, reg->bits / 8u);
    }
}

oak_status oak_machine_create(const oak_host *host, const oak_part *part, oak_machine **result)
{
    const oak_isa *isa = oak_isa_find(part->architecture->name);
    if (!isa || !isa->core || part->memory_count > MOST_MEMORIES) return OAK_UNSUPPORTED;
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
    oak_core_setup setup = {.host = &machine->host,
                            .memories = memories,
                            .memory_count = part->memory_count,
                            .machine = machine,
                            .cell_kind = cell_kind,
                            .device_read = device_read,
                            .device_write = device_write};
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
