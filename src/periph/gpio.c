/* gpio.c — see gpio.h.
 *
 *   stage               latch 0       latch 1
 *   quasi-bidirectional drives low    weakly high: the outside can pull it low
 *   open drain          drives low    lets go: floats unless the outside drives
 *   push-pull           drives low    drives high
 *
 * A pull outside gives way to whatever drives, and wins over the weak high of the chip, which is the weaker one. */
#include "periph/gpio.h"

void oak_gpio_open(oak_gpio *gpio, const oak_part_port *port)
{
    *gpio = (oak_gpio){.stage = port->stage, .pin_count = port->pin_count, .directed = port->has_block};
}

/* What stands in for the latch. */
static uint32_t output_of(const oak_gpio *gpio)
{
    uint32_t level = gpio->alternate_level, alternate = gpio->alternate & ~gpio->own;
    if (!gpio->directed) level &= gpio->latch; /* the other function works through the latch */
    return (gpio->latch & ~alternate) | (level & alternate);
}

/* Pins that the chip drives, of a port with directions. */
static uint32_t outputs_of(const oak_gpio *gpio)
{
    return gpio->direction | (gpio->alternate & gpio->forced & ~gpio->own);
}

uint32_t oak_gpio_levels(const oak_gpio *gpio)
{
    uint32_t all = gpio->pin_count < 32 ? ((uint32_t)1 << gpio->pin_count) - 1 : UINT32_MAX;
    uint32_t pulls = gpio->pulled & ~gpio->driven, held = gpio->driven | pulls;
    uint32_t levels = (gpio->driven & gpio->driven_level) | (pulls & gpio->pulled_level);
    if (gpio->directed)
        return ((output_of(gpio) & outputs_of(gpio)) |
                (~outputs_of(gpio) & (levels | (~held & gpio->pull_up)))) &
               all;
    /* A strong low always wins over the weak or missing high of these stages; push-pull wins over the outside. */
    uint32_t free = gpio->stage == OAK_PUSH_PULL ? 0 : held;
    uint32_t output = output_of(gpio);
    return (output & ~free) | (output & levels & free);
}

/* Pins that the chip itself drives strongly. */
static uint32_t strong(const oak_gpio *gpio)
{
    if (gpio->directed) return outputs_of(gpio);
    return gpio->stage == OAK_PUSH_PULL ? UINT32_MAX : ~output_of(gpio);
}

uint32_t oak_gpio_floating(const oak_gpio *gpio)
{
    uint32_t all = gpio->pin_count < 32 ? ((uint32_t)1 << gpio->pin_count) - 1 : UINT32_MAX;
    if (!gpio->directed && gpio->stage == OAK_QUASI) return 0;
    uint32_t held = gpio->directed ? gpio->pull_up | gpio->pull_down : 0u;
    return all & ~(strong(gpio) | gpio->driven | gpio->pulled | held);
}

uint32_t oak_gpio_contention(const oak_gpio *gpio)
{
    return strong(gpio) & gpio->driven & (output_of(gpio) ^ gpio->driven_level);
}

oak_pin oak_gpio_pin(const oak_gpio *gpio, unsigned bit)
{
    bool high = output_of(gpio) >> bit & 1, driven = gpio->driven >> bit & 1;
    bool pulled = !driven && gpio->pulled >> bit & 1;
    oak_level pull = gpio->pulled_level >> bit & 1 ? OAK_PULLED_HIGH : OAK_PULLED_LOW;
    oak_level outside = OAK_FLOAT;
    if (driven) outside = gpio->driven_level >> bit & 1 ? OAK_HIGH : OAK_LOW;
    else if (pulled) outside = pull;
    oak_pin pin = {.outside = outside};
    pin.chip = !high ? OAK_LOW : gpio->stage == OAK_PUSH_PULL ? OAK_HIGH : OAK_FLOAT;
    pin.weak_high = high && gpio->stage == OAK_QUASI;
    if (gpio->directed && !(outputs_of(gpio) >> bit & 1)) {
        pin.chip = OAK_FLOAT;
        pin.weak_high = gpio->pull_up >> bit & 1;
    }
    pin.contention = driven && pin.chip != OAK_FLOAT && pin.chip != outside;
    if (pin.chip != OAK_FLOAT) pin.result = pin.chip;
    else if (driven) pin.result = outside;
    else if (pulled) pin.result = pull == OAK_PULLED_HIGH ? OAK_HIGH : OAK_LOW;
    else pin.result = pin.weak_high ? OAK_HIGH : gpio->pull_down >> bit & 1 ? OAK_LOW : OAK_FLOAT;
    return pin;
}

void oak_gpio_drive(oak_gpio *gpio, unsigned bit, oak_level level)
{
    uint32_t mask = (uint32_t)1 << bit;
    bool drives = level == OAK_LOW || level == OAK_HIGH,
         pulls = level == OAK_PULLED_LOW || level == OAK_PULLED_HIGH;
    gpio->driven = drives ? gpio->driven | mask : gpio->driven & ~mask;
    gpio->pulled = pulls ? gpio->pulled | mask : gpio->pulled & ~mask;
    gpio->pulled_level = level == OAK_PULLED_HIGH ? gpio->pulled_level | mask : gpio->pulled_level & ~mask;
    gpio->driven_level = level == OAK_HIGH ? gpio->driven_level | mask : gpio->driven_level & ~mask;
}
