/* period_timer_block.c — an 8-bit timer that begins anew behind the value in `top`: a step comes every cycle, or every 4 or 16 (`rate` 0, 1, 2 and 3). One of
 * `every` + 1 turns sets `match`, which the program takes back by writing 0. */
#include "periph/block.h"

static uint32_t step_of(const oak_period_timer *it)
{
    return it->rate > 1 ? 16 : it->rate ? 4 : 1;
}

/* Steps to the end of this turn; from beyond `top` it counts through 255. */
static uint32_t left_of(const oak_period_timer *it)
{
    return (it->count <= it->top ? it->top : 255) - it->count + 1;
}

static void turn(oak_period_timer *it, uint64_t turns)
{
    uint64_t all = it->turns + turns;
    if (all > it->every) it->match = true;
    it->turns = (uint32_t)(all % (it->every + 1));
}

static void settle(oak_block *block, uint64_t now)
{
    oak_period_timer *it = &block->as.period;
    if (now <= it->since) return;
    uint64_t steps = (now - it->since + it->part) / step_of(it);
    it->part = (uint32_t)((now - it->since + it->part) % step_of(it));
    it->since = now;
    if (!it->run) it->part = 0;
    if (!it->run) return;
    if (steps < left_of(it)) {
        it->count += (uint32_t)steps;
        return;
    }
    steps -= left_of(it);
    turn(it, 1);
    turn(it, steps / (it->top + 1));
    it->count = (uint32_t)(steps % (it->top + 1));
}

static void update(oak_block *block)
{
    const oak_period_timer *it = &block->as.period;
    oak_block_ask_by(block, it->urgent, it->match && it->interrupt);
}

uint32_t oak_period_timer_turn(oak_block *block, uint64_t now, uint64_t *began, uint64_t *next)
{
    const oak_period_timer *it = &block->as.period;
    settle(block, now);
    uint64_t gone = (uint64_t)it->count * step_of(it) + it->part;
    *began = it->since >= gone ? it->since - gone : 0;
    *next = it->run ? it->since + (uint64_t)left_of(it) * step_of(it) - it->part : UINT64_MAX;
    return step_of(it);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.period = (oak_period_timer){.since = now, .top = 0xFF, .urgent = true};
    update(block);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_period_timer *it = &block->as.period;
    settle(block, now);
    switch (role) {
    case OAK_PERIOD_RUN: return it->run;
    case OAK_PERIOD_RATE: return it->rate;
    case OAK_PERIOD_EVERY: return it->every;
    case OAK_PERIOD_COUNT: return it->count;
    case OAK_PERIOD_TOP: return it->top;
    case OAK_PERIOD_MATCH: return it->match;
    case OAK_PERIOD_INTERRUPT: return it->interrupt;
    default: return it->urgent;
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_period_timer *it = &block->as.period;
    settle(block, now);
    switch (role) {
    case OAK_PERIOD_RUN: it->run = value != 0; break;
    case OAK_PERIOD_RATE: it->rate = value & 3, it->part = 0, it->turns = 0; break;
    case OAK_PERIOD_EVERY: it->every = value & 15, it->turns = 0; break;
    case OAK_PERIOD_COUNT: it->count = value & 0xFF, it->part = 0, it->turns = 0; break;
    case OAK_PERIOD_TOP: it->top = value & 0xFF; break;
    case OAK_PERIOD_MATCH: it->match = value != 0; break;
    case OAK_PERIOD_INTERRUPT: it->interrupt = value != 0; break;
    default: it->urgent = value != 0; break;
    }
    update(block);
    return true;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_period_timer *it = &block->as.period;
    settle(block, now);
    update(block);
    if (!it->run || !it->interrupt || it->match) return UINT64_MAX;
    uint64_t steps = left_of(it) + (uint64_t)(it->every - it->turns) * (it->top + 1);
    return it->since + steps * step_of(it) - it->part;
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_period_timer *it = &block->as.period;
    OAK_VISIT(it, run, bool)
    OAK_VISIT(it, match, bool)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, urgent, bool)
    OAK_VISIT(it, rate, uint32_t)
    OAK_VISIT(it, every, uint32_t)
    OAK_VISIT(it, count, uint8_t)
    OAK_VISIT(it, top, uint8_t)
    OAK_VISIT(it, part, uint32_t)
    OAK_VISIT(it, turns, uint32_t)
    OAK_VISIT(it, since, uint64_t)
    oak_block_visit_lines(block, visitor, 2);
    it->rate &= 3, it->every &= 15;
    it->turns %= it->every + 1;
    it->part %= step_of(it);
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_period_timer *it = &block->as.period;
    if (!it->run) return;
    oak_block_counts(course, now,
                     &(oak_counting){.since = it->since,
                                     .part = it->part,
                                     .left = left_of(it),
                                     .value = it->count,
                                     .step = step_of(it),
                                     .shown = role == OAK_PERIOD_COUNT});
}

const oak_block_ops oak_period_timer_block = {reset, get,  set,  advance, visit,
                                              NULL,  NULL, NULL, NULL,    course};
