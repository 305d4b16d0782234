/* interval_watchdog_block.c — a watchdog that runs from reset on until it is held: it resets the chip after 32768, 8192, 512 or 64 steps
 * (`interval` 0 to 3) of the main clock, or of the slow one (`source`), which takes `unit` cycles; or, as an interval timer (`counts`), it sets
 * `event` each time, may ask for an interrupt, and goes on. Its register is only written together with `key`, whose value the part gives;
 * with another one the chip is reset. */
#include "periph/block.h"

static const uint16_t steps[] = {32768, 8192, 512, 64};

static uint64_t length(const oak_block *block)
{
    const oak_interval_watchdog *it = &block->as.interval;
    return (uint64_t)steps[it->interval] * (it->source ? block->about->unit : 1);
}

static bool runs(const oak_block *block)
{
    const oak_interval_watchdog *it = &block->as.interval;
    unsigned stopped = block->services->stopped(block->services->machine);
    return !it->held && !(stopped & (it->source ? OAK_CLOCK_SLOW : OAK_CLOCK_MAIN));
}

uint64_t oak_interval_watchdog_ends_at(const oak_block *block)
{
    const oak_interval_watchdog *it = &block->as.interval;
    return runs(block) && !it->counts ? it->since + length(block) - it->gone : UINT64_MAX;
}

static void update(oak_block *block)
{
    const oak_interval_watchdog *it = &block->as.interval;
    oak_block_interrupt(block, it->event && it->interrupt);
}

static void settle(oak_block *block, uint64_t now)
{
    oak_interval_watchdog *it = &block->as.interval;
    uint64_t passed = now > it->since ? now - it->since : 0, all = length(block);
    it->since = now > it->since ? now : it->since;
    if (!runs(block)) return;
    it->gone += passed;
    if (it->gone < all) return;
    it->gone %= all;
    it->event = true;
    if (!it->counts)
        block->services->bite(block->services->machine,
                              it->touched ? OAK_FAULT_WATCHDOG : OAK_FAULT_WATCHDOG_FREE);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.interval = (oak_interval_watchdog){.since = now};
    update(block);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_interval_watchdog *it = &block->as.interval;
    settle(block, now);
    switch (role) {
    case OAK_INTERVAL_KEY: return block->about->key >> 8 & 0xFF;
    case OAK_INTERVAL_HOLD: return it->held;
    case OAK_INTERVAL_COUNTS: return it->counts;
    case OAK_INTERVAL_CLEAR: return 0;
    case OAK_INTERVAL_SOURCE: return it->source;
    case OAK_INTERVAL_INTERVAL: return it->interval;
    case OAK_INTERVAL_EVENT: return it->event;
    default: return it->interrupt;
    }
}

/* What goes with the key waits for it, in `written`. */
static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_interval_watchdog *it = &block->as.interval;
    settle(block, now);
    switch (role) {
    case OAK_INTERVAL_KEY: it->keyed = true, it->key = (uint8_t)value; break;
    case OAK_INTERVAL_HOLD: it->next = (uint8_t)((it->next & ~0x80u) | (value ? 1u : 0u) << 7); break;
    case OAK_INTERVAL_COUNTS: it->next = (uint8_t)((it->next & ~0x10u) | (value ? 1u : 0u) << 4); break;
    case OAK_INTERVAL_CLEAR: it->next = (uint8_t)((it->next & ~0x08u) | (value ? 1u : 0u) << 3); break;
    case OAK_INTERVAL_SOURCE: it->next = (uint8_t)((it->next & ~0x04u) | (value ? 1u : 0u) << 2); break;
    case OAK_INTERVAL_INTERVAL: it->next = (uint8_t)((it->next & ~0x03u) | (value & 3)); break;
    case OAK_INTERVAL_EVENT: it->event = value != 0; break;
    default: it->interrupt = value != 0; break;
    }
    update(block);
    return true;
}

static void written(oak_block *block, uint64_t now)
{
    oak_interval_watchdog *it = &block->as.interval;
    (void)now;
    if (!it->keyed) return;
    it->keyed = false;
    it->touched = true;
    if (it->key != (block->about->key & 0xFF)) {
        block->services->bite(block->services->machine, OAK_FAULT_WATCHDOG_KEY);
        return;
    }
    it->held = it->next & 0x80, it->counts = it->next & 0x10, it->source = it->next & 4;
    it->interval = it->next & 3;
    if (it->next & 8) it->gone = 0;
    if (it->gone >= length(block)) it->gone = 0;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_interval_watchdog *it = &block->as.interval;
    settle(block, now);
    update(block);
    bool noticed = !it->counts || (it->interrupt && !it->event);
    return runs(block) && noticed ? it->since + length(block) - it->gone : UINT64_MAX;
}

static void served(oak_block *block, unsigned which, uint64_t now)
{
    (void)which;
    settle(block, now);
    block->as.interval.event = false;
    update(block);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_interval_watchdog *it = &block->as.interval;
    OAK_VISIT(it, held, bool)
    OAK_VISIT(it, counts, bool)
    OAK_VISIT(it, source, bool)
    OAK_VISIT(it, event, bool)
    OAK_VISIT(it, touched, bool)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, interval, uint8_t)
    OAK_VISIT(it, next, uint8_t)
    OAK_VISIT(it, gone, uint64_t)
    OAK_VISIT(it, since, uint64_t)
    oak_block_visit_lines(block, visitor, 1);
    it->interval &= 3;
    it->gone %= length(block);
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_interval_watchdog *it = &block->as.interval;
    (void)role, (void)now;
    if (runs(block)) oak_course_ends(course, it->since + length(block) - it->gone);
}

const oak_block_ops oak_interval_watchdog_block = {reset, get,    set,     advance, visit,
                                                   NULL,  served, written, NULL,    course};
