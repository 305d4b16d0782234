/* timer_block.c — a timer that counts up from 0 to its period and begins again, a step every prescale + 1 cycles.
 *
 * Passing from the period to 0 sets `overflow`, reaching `compare` sets `match`; each may ask for the interrupt. With
 * `drive`, the pin of the timer is high while the count is below `compare`. The count is worked out from the cycle when it
 * is asked for; nothing happens between. */
#include "periph/block.h"

static uint64_t ticks_until(const oak_timer *timer, uint64_t now)
{
    return timer->running ? (now - timer->since) / ((uint64_t)timer->prescale + 1) : 0;
}

static uint32_t count_at(const oak_timer *timer, uint64_t now)
{
    uint64_t count = timer->count + ticks_until(timer, now), turn = (uint64_t)timer->period + 1;
    return (uint32_t)(count % turn);
}

/* The next cycle behind `after` at which the count becomes `value`. */
static uint64_t when(const oak_timer *timer, uint32_t value, uint64_t after)
{
    uint64_t turn = (uint64_t)timer->period + 1, step = (uint64_t)timer->prescale + 1;
    if (!timer->running || value > timer->period) return UINT64_MAX;
    uint64_t ticks = after < timer->since ? 0 : (after - timer->since) / step;
    uint64_t count = (timer->count + ticks) % turn, missing = (value + turn - count) % turn;
    uint64_t at = timer->since + (ticks + missing) * step;
    return at > after ? at : at + turn * step;
}

static void update(oak_block *block, uint64_t now)
{
    oak_timer *timer = &block->as.timer;
    if (timer->running && now > timer->handled) {
        if (when(timer, 0, timer->handled) <= now) timer->overflow = true;
        if (when(timer, timer->compare, timer->handled) <= now) timer->match = true;
    }
    timer->handled = now;
    if (block->about->pin != OAK_NO_PIN)
        block->services->put(block->services->machine, block->about->pin, timer->drives,
                             timer->drives && count_at(timer, now) < timer->compare, now);
    oak_block_interrupt(block, (timer->overflow && timer->overflow_interrupt) ||
                                   (timer->match && timer->match_interrupt));
}

/* Begins to count anew from what the count is now, so that a setting can change. */
static void hold(oak_block *block, uint64_t now)
{
    oak_timer *timer = &block->as.timer;
    uint64_t step = (uint64_t)timer->prescale + 1, ticks = ticks_until(timer, now);
    timer->count = count_at(timer, now);
    timer->since = timer->running ? timer->since + ticks * step : now;
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.timer = (oak_timer){.period = UINT32_MAX, .since = now, .handled = now};
    update(block, now);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_timer *timer = &block->as.timer;
    switch (role) {
    case OAK_TIMER_RUN: return timer->running;
    case OAK_TIMER_COUNT: return count_at(timer, now);
    case OAK_TIMER_PERIOD: return timer->period;
    case OAK_TIMER_PRESCALE: return timer->prescale;
    case OAK_TIMER_COMPARE: return timer->compare;
    case OAK_TIMER_OVERFLOW: return timer->overflow;
    case OAK_TIMER_MATCH: return timer->match;
    case OAK_TIMER_OVERFLOW_INTERRUPT: return timer->overflow_interrupt;
    case OAK_TIMER_MATCH_INTERRUPT: return timer->match_interrupt;
    default: return timer->drives;
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_timer *timer = &block->as.timer;
    hold(block, now);
    switch (role) {
    case OAK_TIMER_RUN:
        if ((value != 0) != timer->running) timer->since = now;
        timer->running = value != 0;
        break;
    case OAK_TIMER_COUNT:
        timer->count = value > timer->period ? 0 : value;
        timer->since = now;
        break;
    case OAK_TIMER_PERIOD:
        timer->period = value;
        if (timer->count > value) timer->count = 0;
        break;
    case OAK_TIMER_PRESCALE:
        timer->prescale = value;
        timer->since = now;
        break;
    case OAK_TIMER_COMPARE: timer->compare = value; break;
    case OAK_TIMER_OVERFLOW: timer->overflow = timer->overflow && !value; break; /* writing 1 takes it back */
    case OAK_TIMER_MATCH: timer->match = timer->match && !value; break;
    case OAK_TIMER_OVERFLOW_INTERRUPT: timer->overflow_interrupt = value != 0; break;
    case OAK_TIMER_MATCH_INTERRUPT: timer->match_interrupt = value != 0; break;
    default: timer->drives = value != 0; break;
    }
    update(block, now);
    return true;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_timer *timer = &block->as.timer;
    update(block, now);
    uint64_t next = UINT64_MAX, at;
    bool edges = timer->drives && block->about->pin != OAK_NO_PIN;
    if (edges || (timer->overflow_interrupt && !timer->overflow)) next = when(timer, 0, now);
    bool match = edges || (timer->match_interrupt && !timer->match);
    if (match && (at = when(timer, timer->compare, now)) < next) next = at;
    return next;
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_timer *it = &block->as.timer;
    OAK_VISIT(it, running, bool)
    OAK_VISIT(it, drives, bool)
    OAK_VISIT(it, overflow, bool)
    OAK_VISIT(it, match, bool)
    OAK_VISIT(it, overflow_interrupt, bool)
    OAK_VISIT(it, match_interrupt, bool)
    OAK_VISIT(it, period, uint32_t)
    OAK_VISIT(it, prescale, uint32_t)
    OAK_VISIT(it, compare, uint32_t)
    OAK_VISIT(it, count, uint32_t)
    OAK_VISIT(it, since, uint64_t)
    OAK_VISIT(it, handled, uint64_t)
    oak_block_visit_lines(block, visitor, 1);
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_timer *timer = &block->as.timer;
    uint64_t step = (uint64_t)timer->prescale + 1, next = when(timer, 0, now),
             match = when(timer, timer->compare, now);
    if (!timer->running || step > UINT32_MAX) {
        if (timer->running) oak_course_ends(course, now + 1);
        return;
    }
    uint64_t since = timer->since + ticks_until(timer, now) * step;
    oak_course_ends(course, match);
    oak_block_counts(course, now,
                     &(oak_counting){.since = since,
                                     .left = next > since ? (next - since) / step : 0,
                                     .value = count_at(timer, now),
                                     .step = (uint32_t)step,
                                     .shown = role == OAK_TIMER_COUNT});
}

const oak_block_ops oak_timer_block = {reset, get, set, advance, visit, NULL, NULL, NULL, NULL, course};
