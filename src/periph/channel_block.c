/* channel_block.c — a channel of timers, by its `mode`:
 *
 *   4, 5     the count of a wide timer is kept at each falling, rising edge of the pin; 6, 7: at every fourth, sixteenth rising one
 *   2        at a match of the count with what is in the registers the pin turns over
 *   8, 9     it becomes high, low; from when the mode is set until then it is the other way
 *   10       nothing but `event`;  11: the wide timer begins anew behind the match
 *   12 - 15  pulses: the pin is high from the beginning of each turn of the period timer for `low` steps and `fine` quarters of one
 *
 * Each capture or match sets `event`, which the program takes back by writing 0. `second` (or `second-always`) takes the second wide timer. The width of a pulse is taken over
 * where a turn begins; a quarter of a cycle is rounded down. The pin is the channel's where the port has it as an output. */
#include "periph/block.h"

enum {
    TURNS_OVER = 2,
    FALLS = 4,
    RISES,
    FOURTH,
    SIXTEENTH,
    BECOMES_HIGH,
    BECOMES_LOW,
    TELLS,
    BEGINS_ANEW,
    PULSES
};

static oak_block *timer_of(const oak_block *block, unsigned which)
{
    unsigned number = block->about->timers[which];
    return number ? block->services->numbered(block->services->machine, number - 1) : NULL;
}

static oak_block *wide_of(const oak_block *block)
{
    bool second = (block->as.channel.second || block->as.channel.second_always) && block->about->timers[1];
    return timer_of(block, second);
}

static uint32_t value_of(const oak_channel *it)
{
    return (uint32_t)it->high << 8 | it->low;
}

static bool compares(const oak_channel *it)
{
    return it->mode == TURNS_OVER || (it->mode >= BECOMES_HIGH && it->mode <= BEGINS_ANEW);
}

static bool drives(const oak_channel *it)
{
    return it->mode == TURNS_OVER || it->mode == BECOMES_HIGH || it->mode == BECOMES_LOW ||
           it->mode >= PULSES;
}

static void put(oak_block *block, uint64_t now)
{
    uint16_t pin = block->about->uses[OAK_CHANNEL_PIN];
    const oak_channel *it = &block->as.channel;
    if (pin != OAK_NO_PIN) block->services->put(block->services->machine, pin, drives(it), it->level, now);
}

static void update(oak_block *block)
{
    const oak_channel *it = &block->as.channel;
    oak_block_ask_by(block, it->urgent, it->event && it->interrupt);
}

static void match(oak_block *block, uint64_t at)
{
    oak_channel *it = &block->as.channel;
    it->event = true;
    if (it->mode == TURNS_OVER) it->level = !it->level;
    else it->level = it->mode == BECOMES_HIGH;
    put(block, at);
}

/* A turn of the period timer begins. */
static void begin_turn(oak_block *block, uint64_t at)
{
    oak_channel *it = &block->as.channel;
    it->width = (uint32_t)it->low << 2 | it->fine;
    it->high = it->low; /* the chip keeps it there, too */
    it->level = it->width != 0;
    it->fell = !it->level;
    put(block, at);
}

/* What comes next, and when: UINT64_MAX for never. */
static uint64_t next_of(oak_block *block, uint64_t now)
{
    const oak_channel *it = &block->as.channel;
    uint64_t began, next;
    if (compares(it)) {
        oak_block *wide = wide_of(block);
        return wide ? oak_wide_timer_time(wide, value_of(it), now) : UINT64_MAX;
    }
    oak_block *period = it->mode >= PULSES ? timer_of(block, 2) : NULL;
    if (!period) return UINT64_MAX;
    uint32_t step = oak_period_timer_turn(period, now, &began, &next);
    uint64_t falls = began + (uint64_t)it->width * step / 4;
    if (next == UINT64_MAX) return next;
    return !it->fell && falls > now && falls < next ? falls : next;
}

/* Brings it to `now`; it is never called late. */
static void settle(oak_block *block, uint64_t now)
{
    oak_channel *it = &block->as.channel;
    uint64_t before = it->settled, began, next;
    if (now <= before) return;
    it->settled = now;
    oak_block *wide = compares(it) ? wide_of(block) : NULL;
    if (wide) {
        (void)oak_wide_timer_time(wide, 0, now); /* brings it to now */
        uint32_t count = wide->as.wide.count;
        bool here = count == value_of(it) && count != it->last;
        if (wide->as.wide.edges ? here : it->due <= now) match(block, now);
        it->last = count;
        it->due = UINT64_MAX;
    } else if (it->mode >= PULSES && timer_of(block, 2)) {
        uint32_t step = oak_period_timer_turn(timer_of(block, 2), now, &began, &next);
        if (next == UINT64_MAX) return;
        if (began > before) begin_turn(block, began);
        if (!it->fell && began + (uint64_t)it->width * step / 4 <= now) {
            it->fell = true;
            it->level = false;
            put(block, now);
        }
    }
}

/* In mode 11 the wide timer ends where the match is. */
static void bind(oak_block *block, bool on)
{
    oak_block *wide = wide_of(block);
    if (block->as.channel.mode == BEGINS_ANEW && wide)
        wide->as.wide.top = on ? value_of(&block->as.channel) : 0xFFFF;
}

static bool pin_high(const oak_block *block)
{
    uint16_t pin = block->about->uses[OAK_CHANNEL_PIN];
    return pin != OAK_NO_PIN && block->services->level(block->services->machine, pin);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.channel = (oak_channel){
        .settled = now, .due = UINT64_MAX, .urgent = true, .seen = pin_high(block), .fell = true};
    put(block, now);
    update(block);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_channel *it = &block->as.channel;
    (void)now;
    switch (role) {
    case OAK_CHANNEL_MODE: return it->mode;
    case OAK_CHANNEL_FINE: return it->fine;
    case OAK_CHANNEL_FINE_HIGH: return it->fine >> 1;
    case OAK_CHANNEL_FINE_LOW: return it->fine & 1;
    case OAK_CHANNEL_LOW: return it->low;
    case OAK_CHANNEL_HIGH: return it->high;
    case OAK_CHANNEL_SECOND: return it->second;
    case OAK_CHANNEL_SECOND_ALWAYS: return it->second_always;
    case OAK_CHANNEL_EVENT: return it->event;
    case OAK_CHANNEL_INTERRUPT: return it->interrupt;
    default: return it->urgent;
    }
}

static void set_mode(oak_block *block, uint32_t mode, uint64_t now)
{
    oak_channel *it = &block->as.channel;
    if (it->mode == mode) return;
    it->mode = (uint8_t)mode;
    it->edges = 0;
    it->fell = true;
    it->width = 0;
    if (mode == BECOMES_HIGH || mode >= PULSES) it->level = false;
    if (mode == BECOMES_LOW) it->level = true;
    put(block, now);
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_channel *it = &block->as.channel;
    settle(block, now);
    bind(block, false);
    switch (role) {
    case OAK_CHANNEL_MODE: set_mode(block, value & 15, now); break;
    case OAK_CHANNEL_FINE: it->fine = value & 3; break;
    case OAK_CHANNEL_FINE_HIGH: it->fine = (uint8_t)((it->fine & 1) | (value & 1) << 1); break;
    case OAK_CHANNEL_FINE_LOW: it->fine = (uint8_t)((it->fine & 2) | (value & 1)); break;
    case OAK_CHANNEL_LOW: it->low = (uint8_t)value; break;
    case OAK_CHANNEL_HIGH:
        if (it->mode < PULSES) it->high = (uint8_t)value; /* else it can only be read */
        break;
    case OAK_CHANNEL_SECOND: it->second = value != 0; break;
    case OAK_CHANNEL_SECOND_ALWAYS: it->second_always = value != 0; break;
    case OAK_CHANNEL_EVENT: it->event = value != 0; break;
    case OAK_CHANNEL_INTERRUPT: it->interrupt = value != 0; break;
    default: it->urgent = value != 0; break;
    }
    bind(block, true);
    update(block);
    return true;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    settle(block, now);
    update(block);
    return block->as.channel.due = next_of(block, now);
}

static void pins(oak_block *block, uint64_t now)
{
    oak_channel *it = &block->as.channel;
    bool level = pin_high(block), changed = level != it->seen;
    unsigned every = it->mode == FOURTH ? 4 : it->mode == SIXTEENTH ? 16 : 1;
    oak_block *wide = wide_of(block);
    it->seen = level;
    if (!changed || it->mode < FALLS || it->mode > SIXTEENTH || level == (it->mode == FALLS) || !wide) return;
    if (++it->edges < every) return;
    it->edges = 0;
    (void)oak_wide_timer_time(wide, 0, now); /* brings it to now */
    it->low = (uint8_t)wide->as.wide.count;
    it->high = (uint8_t)(wide->as.wide.count >> 8);
    it->event = true;
    update(block);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_channel *it = &block->as.channel;
    OAK_VISIT(it, event, bool)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, urgent, bool)
    OAK_VISIT(it, second, bool)
    OAK_VISIT(it, second_always, bool)
    OAK_VISIT(it, seen, bool)
    OAK_VISIT(it, level, bool)
    OAK_VISIT(it, fell, bool)
    OAK_VISIT(it, mode, uint8_t)
    OAK_VISIT(it, fine, uint8_t)
    OAK_VISIT(it, low, uint8_t)
    OAK_VISIT(it, high, uint8_t)
    OAK_VISIT(it, edges, uint8_t)
    OAK_VISIT(it, width, uint32_t)
    OAK_VISIT(it, last, uint16_t)
    OAK_VISIT(it, settled, uint64_t)
    OAK_VISIT(it, due, uint64_t)
    oak_block_visit_lines(block, visitor, 2);
    it->mode &= 15, it->fine &= 3, it->edges &= 15, it->width &= 1023;
}

const oak_block_ops oak_channel_block = {reset, get,  set,  advance, visit,
                                         pins,  NULL, NULL, NULL,    oak_block_stands};
