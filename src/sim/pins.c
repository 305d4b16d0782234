/* pins.c — pins of ports: levels that chip and outside give them, and who is told. */
#include <oakspindle/machine.h>

#include "base/bytes.h"
#include "base/text.h"
#include "sim/machine_state.h"

/* ------------------------------------------------------------------------------------------ pins */

uint64_t oak_machine_moment(oak_machine *machine)
{
    /* While somebody is told of a pin the core may be in the middle of a stretch, and its own time behind or ahead. */
    return machine->advancing || machine->telling ? machine->moment : sim_now_of(machine);
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
    news &= sim_field_mask(gpio->pin_count);
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
    sim_touch(machine);
    if (machine->resetting) return;
    uint32_t levels = oak_gpio_levels(&machine->gpio[port]),
             fights = oak_gpio_contention(&machine->gpio[port]);
    uint32_t new_fights = fights & ~machine->fights[port];
    machine->fights[port] = fights;
    for (unsigned bit = 0; new_fights >> bit; bit++)
        if (new_fights >> bit & 1) sim_suffer(machine, OAK_FAULT_CONTENTION, port * OAK_MOST_PINS + bit, now);
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
            sim_call_attention(machine);
        }
    }
    if (machine->outside && machine->outside->pin_changed) show_pins(machine, port, now);
}

void sim_put(void *context, unsigned pin, bool drives, bool high, uint64_t now)
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

bool sim_level_of(void *context, unsigned pin)
{
    oak_machine *machine = context;
    return oak_gpio_levels(&machine->gpio[pin / OAK_MOST_PINS]) >> pin % OAK_MOST_PINS & 1;
}

oak_block *sim_first_of(void *context, oak_block_kind kind)
{
    return ((oak_machine *)context)->first_of[kind];
}
