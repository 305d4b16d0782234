/* prescaled_timer_block.c — an 8-bit timer that shares its prescaler with a watchdog.
 *
 * It counts cycles or, with `edges`, edges of its pin: rising ones, or with `falling` falling ones. Where the prescaler is not `lent` to the watchdog, it
 * counts one of 2 to 256 of them (2 << rate). Behind a write to it two cycles pass before it counts on, and the prescaler begins at 0.
 * From 255 to 0 it sets `overflow`, which the program takes back by writing 0. */
#include "periph/block.h"

enum { HELD = 2, COUNTS = 256 };

static uint32_t step_of(const oak_prescaled_timer *it)
{
    return it->lent ? 1 : 2u << it->rate;
}

static bool pin_high(const oak_block *block)
{
    uint16_t pin = block->about->uses[OAK_PRESCALED_COUNT];
    return pin != OAK_NO_PIN && block->services->level(block->services->machine, pin);
}

/* Brings the count to `now`. */
static void settle(oak_block *block, uint64_t now)
{
    oak_prescaled_timer *it = &block->as.prescaled;
    if (it->edges || now <= it->since) return;
    uint64_t steps = (now - it->since + it->part) / step_of(it);
    it->part = (uint32_t)((now - it->since + it->part) % step_of(it));
    it->since = now;
    if (it->count + steps >= COUNTS) it->overflow = true;
    it->count = (uint32_t)((it->count + steps) % COUNTS);
}

static void update(oak_block *block)
{
    const oak_prescaled_timer *it = &block->as.prescaled;
    oak_block_interrupt(block, it->overflow && it->interrupt);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.prescaled = (oak_prescaled_timer){.since = now, .seen = pin_high(block)};
    oak_block_interrupt(block, false);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_prescaled_timer *it = &block->as.prescaled;
    settle(block, now);
    switch (role) {
    case OAK_PRESCALED_TIME: return it->count;
    case OAK_PRESCALED_EDGES: return it->edges;
    case OAK_PRESCALED_FALLING: return it->falling;
    case OAK_PRESCALED_LENT: return it->lent;
    case OAK_PRESCALED_RATE: return it->rate;
    case OAK_PRESCALED_OVERFLOW: return it->overflow;
    default: return it->interrupt;
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_prescaled_timer *it = &block->as.prescaled;
    settle(block, now);
    switch (role) {
    case OAK_PRESCALED_TIME:
        it->count = value & (COUNTS - 1);
        it->since = now + HELD;
        it->part = 0;
        break;
    case OAK_PRESCALED_EDGES:
        it->edges = value != 0;
        if (it->since < now) it->since = now;
        break;
    case OAK_PRESCALED_FALLING: it->falling = value != 0; break;
    case OAK_PRESCALED_LENT:
        if (it->lent != (value != 0)) it->part = 0;
        it->lent = value != 0;
        break;
    case OAK_PRESCALED_RATE:
        it->rate = value & 7;
        it->part %= step_of(it);
        break;
    case OAK_PRESCALED_OVERFLOW: it->overflow = value != 0; break;
    default: it->interrupt = value != 0; break;
    }
    update(block);
    return true;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_prescaled_timer *it = &block->as.prescaled;
    settle(block, now);
    update(block);
    if (!it->interrupt || it->overflow || it->edges) return UINT64_MAX;
    return it->since + (uint64_t)(COUNTS - it->count) * step_of(it) - it->part;
}

static void pins(oak_block *block, uint64_t now)
{
    oak_prescaled_timer *it = &block->as.prescaled;
    bool level = pin_high(block), counts = level != it->seen && level != it->falling;
    (void)now;
    it->seen = level;
    if (!it->edges || !counts || ++it->part < step_of(it)) return;
    it->part = 0;
    it->count = (it->count + 1) % COUNTS;
    it->overflow |= !it->count;
    update(block);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_prescaled_timer *it = &block->as.prescaled;
    OAK_VISIT(it, edges, bool)
    OAK_VISIT(it, falling, bool)
    OAK_VISIT(it, lent, bool)
    OAK_VISIT(it, overflow, bool)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, seen, bool)
    OAK_VISIT(it, rate, uint32_t)
    OAK_VISIT(it, count, uint32_t)
    OAK_VISIT(it, part, uint32_t)
    OAK_VISIT(it, since, uint64_t)
    oak_block_visit_lines(block, visitor, 1);
    it->rate &= 7;
    it->count %= COUNTS;
    it->part %= step_of(it);
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_prescaled_timer *it = &block->as.prescaled;
    if (it->edges) return;
    oak_block_counts(course, now,
                     &(oak_counting){.since = it->since,
                                     .part = it->part,
                                     .left = COUNTS - it->count,
                                     .value = it->count,
                                     .step = step_of(it),
                                     .shown = role == OAK_PRESCALED_TIME});
}

const oak_block_ops oak_prescaled_timer_block = {reset, get,  set,  advance, visit,
                                                 pins,  NULL, NULL, NULL,    course};
