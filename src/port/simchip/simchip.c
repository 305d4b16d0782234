/* simchip.c — the simulator behind the chip port: what a session sees of it. */
#include "sim/machine_state.h"

static const oak_part *chip_part(void *chip)
{
    return ((oak_machine *)chip)->part;
}

static oak_status chip_reset(void *chip)
{
    oak_machine_reset(chip);
    return OAK_OK;
}

static oak_status chip_run(void *chip, uint64_t until_cycle, uint64_t until_instruction, oak_stop *stop)
{
    oak_machine *machine = chip;
    machine->isa->core->run(machine->core, until_cycle, until_instruction, stop);
    return OAK_OK;
}

static oak_status chip_read_register(void *chip, unsigned reg, uint32_t *value)
{
    oak_machine *machine = chip;
    return machine->isa->core->read_register(machine->core, reg, value);
}

static oak_status chip_write_register(void *chip, unsigned reg, uint32_t value)
{
    oak_machine *machine = chip;
    return machine->isa->core->write_register(machine->core, reg, value);
}

static oak_status chip_read_memory(void *chip, unsigned space, uint32_t address, uint8_t *bytes, size_t count)
{
    oak_machine *machine = chip;
    return machine->isa->core->read_memory(machine->core, space, address, bytes, count);
}

static oak_status chip_write_memory(void *chip, unsigned space, uint32_t address, const uint8_t *bytes,
                                    size_t count)
{
    oak_machine *machine = chip;
    return machine->isa->core->write_memory(machine->core, space, address, bytes, count);
}

static oak_gpio *gpio_of(oak_machine *machine, unsigned pin)
{
    unsigned port = pin / OAK_MOST_PINS;
    if (port >= machine->part->port_count || pin % OAK_MOST_PINS >= machine->part->ports[port].pin_count)
        return NULL;
    return &machine->gpio[port];
}

static oak_status chip_read_pin(void *chip, unsigned pin, oak_pin *state)
{
    const oak_gpio *gpio = gpio_of(chip, pin);
    if (!gpio) return OAK_OUT_OF_RANGE;
    *state = oak_gpio_pin(gpio, pin % OAK_MOST_PINS);
    return OAK_OK;
}

static oak_status chip_drive_pin(void *chip, unsigned pin, oak_level level)
{
    oak_gpio *gpio = gpio_of(chip, pin);
    if (!gpio) return OAK_OUT_OF_RANGE;
    oak_gpio_drive(gpio, pin % OAK_MOST_PINS, level);
    return OAK_OK;
}

static oak_status chip_set_stop(void *chip, uint32_t address, bool on)
{
    oak_machine *machine = chip;
    return machine->isa->core->set_stop(machine->core, address, on);
}

static oak_status chip_read_time(void *chip, oak_chip_time *time)
{
    oak_machine *machine = chip;
    *time = *machine->isa->core->time(machine->core);
    return OAK_OK;
}

static oak_status chip_write_time(void *chip, const oak_chip_time *time)
{
    oak_machine *machine = chip;
    *machine->isa->core->time(machine->core) = *time;
    return OAK_OK;
}

oak_chip_port oak_machine_port(oak_machine *machine)
{
    static const oak_chip_ops ops = {
        .part = chip_part,
        .reset = chip_reset,
        .run = chip_run,
        .read_register = chip_read_register,
        .write_register = chip_write_register,
        .read_memory = chip_read_memory,
        .write_memory = chip_write_memory,
        .read_pin = chip_read_pin,
        .drive_pin = chip_drive_pin,
        .set_stop = chip_set_stop,
        .read_time = chip_read_time,
        .write_time = chip_write_time,
    };
    return (oak_chip_port){.chip = machine, .ops = &ops};
}
