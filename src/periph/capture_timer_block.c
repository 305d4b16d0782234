/* capture_timer_block.c — timer 2 of the larger MCS-51, as its hardware manual describes it ("Timer 2").
 *
 *   receive-clock or send-clock   baud rate: counts six times a cycle, reloads itself, sets no overflow flag
 *   capture                       16 bits; with `listen`, a falling edge of the trigger keeps the count
 *   else                          16 bits, reloaded from the kept bytes; with `listen`, by a falling edge, too
 *
 * The overflow flag is looked at in the cycle in which the timer overflows: its interrupt is served one cycle earlier than
 * those of timers 0 and 1. */
#include "periph/block.h"

static bool is_baud_clock(const oak_capture_timer *timer)
{
    return timer->receive_clock || timer->send_clock;
}

static void load(oak_capture_timer *timer)
{
    oak_counter *counter = &timer->counter;
    bool baud = is_baud_clock(timer);
    counter->top = 0x10000;
    counter->reload = timer->capture && !baud ? 0 : (uint32_t)timer->kept_high << 8 | timer->kept_low;
    counter->running = timer->run && !timer->edges;
    counter->per_cycle = baud ? 6 : 1;
}

static void settle(oak_block *block, uint64_t now)
{
    oak_capture_timer *timer = &block->as.capture;
    oak_counter *counter = &timer->counter;
    uint64_t before = counter->overflows, from = now;
    bool was = timer->overflow || timer->edge;
    oak_counter_settle(counter, now);
    if (timer->step_at <= now) {
        timer->step_at = UINT64_MAX;
        oak_counter_step(counter);
    }
    if (counter->overflows != before && !is_baud_clock(timer)) timer->overflow = true;
    if (timer->trigger_at <= now) {
        timer->trigger_at = UINT64_MAX;
        timer->edge = true;
        if (!timer->overflow) from = now + 1;
        if (timer->capture && !is_baud_clock(timer)) {
            timer->kept_low = (uint8_t)counter->count;
            timer->kept_high = (uint8_t)(counter->count >> 8);
        } else if (!is_baud_clock(timer)) {
            counter->count = counter->reload;
        }
    }
    if (!was && (timer->overflow || timer->edge)) oak_block_ask(block, 0, true, from);
}

static bool level(const oak_block *block, unsigned use)
{
    uint16_t pin = block->about->uses[use];
    return pin == OAK_NO_PIN || block->services->level(block->services->machine, pin);
}

static void pins(oak_block *block, uint64_t now)
{
    oak_capture_timer *timer = &block->as.capture;
    bool seen = timer->seen, seen_trigger = timer->seen_trigger;
    settle(block, now);
    timer->seen = level(block, OAK_CAPTURE_COUNT);
    timer->seen_trigger = level(block, OAK_CAPTURE_TRIGGER);
    if (timer->run && timer->edges && seen && !timer->seen) timer->step_at = now + 2;
    if (timer->listen && seen_trigger && !timer->seen_trigger) timer->trigger_at = now + 1;
}

static void reset(oak_block *block, uint64_t now)
{
    oak_capture_timer *timer = &block->as.capture;
    *timer = (oak_capture_timer){.step_at = UINT64_MAX, .trigger_at = UINT64_MAX, .counter = {.since = now}};
    timer->seen = level(block, OAK_CAPTURE_COUNT);
    timer->seen_trigger = level(block, OAK_CAPTURE_TRIGGER);
    load(timer);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_capture_timer *timer = &block->as.capture;
    settle(block, now);
    switch (role) {
    case OAK_CAPTURE_RUN: return timer->run;
    case OAK_CAPTURE_EDGES: return timer->edges;
    case OAK_CAPTURE_MODE: return timer->capture;
    case OAK_CAPTURE_LISTEN: return timer->listen;
    case OAK_CAPTURE_RECEIVE_CLOCK: return timer->receive_clock;
    case OAK_CAPTURE_SEND_CLOCK: return timer->send_clock;
    case OAK_CAPTURE_OVERFLOW: return timer->overflow;
    case OAK_CAPTURE_EDGE: return timer->edge;
    case OAK_CAPTURE_LOW: return timer->counter.count & 0xFF;
    case OAK_CAPTURE_HIGH: return timer->counter.count >> 8;
    case OAK_CAPTURE_KEPT_LOW: return timer->kept_low;
    default: return timer->kept_high;
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_capture_timer *timer = &block->as.capture;
    uint32_t *count = &timer->counter.count;
    settle(block, now);
    switch (role) {
    case OAK_CAPTURE_RUN: timer->run = value != 0; break;
    case OAK_CAPTURE_EDGES: timer->edges = value != 0; break;
    case OAK_CAPTURE_MODE: timer->capture = value != 0; break;
    case OAK_CAPTURE_LISTEN: timer->listen = value != 0; break;
    case OAK_CAPTURE_RECEIVE_CLOCK: timer->receive_clock = value != 0; break;
    case OAK_CAPTURE_SEND_CLOCK: timer->send_clock = value != 0; break;
    case OAK_CAPTURE_OVERFLOW: timer->overflow = value != 0; break;
    case OAK_CAPTURE_EDGE: timer->edge = value != 0; break;
    case OAK_CAPTURE_LOW: *count = (*count & 0xFF00) | (value & 0xFF); break;
    case OAK_CAPTURE_HIGH: *count = (*count & 0xFF) | (value & 0xFF) << 8; break;
    case OAK_CAPTURE_KEPT_LOW: timer->kept_low = (uint8_t)value; break;
    default: timer->kept_high = (uint8_t)value; break;
    }
    load(timer);
    return true;
}

static void written(oak_block *block, uint64_t now)
{
    oak_block_ask(block, 0, block->as.capture.overflow || block->as.capture.edge, now + 1);
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_capture_timer *timer = &block->as.capture;
    settle(block, now);
    uint64_t next = timer->step_at < timer->trigger_at ? timer->step_at : timer->trigger_at;
    if (timer->overflow || is_baud_clock(timer)) return next;
    uint64_t at = oak_counter_time(&timer->counter, timer->counter.overflows + 1);
    return at < next ? at : next;
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_capture_timer *it = &block->as.capture;
    OAK_VISIT(it, run, bool)
    OAK_VISIT(it, edges, bool)
    OAK_VISIT(it, capture, bool)
    OAK_VISIT(it, listen, bool)
    OAK_VISIT(it, receive_clock, bool)
    OAK_VISIT(it, send_clock, bool)
    OAK_VISIT(it, overflow, bool)
    OAK_VISIT(it, edge, bool)
    OAK_VISIT(it, kept_low, uint8_t)
    OAK_VISIT(it, kept_high, uint8_t)
    OAK_VISIT(it, counter.count, uint16_t)
    OAK_VISIT(it, counter.since, uint64_t)
    OAK_VISIT(it, counter.overflows, uint64_t)
    OAK_VISIT(it, seen, bool)
    OAK_VISIT(it, seen_trigger, bool)
    OAK_VISIT(it, step_at, uint64_t)
    OAK_VISIT(it, trigger_at, uint64_t)
    oak_block_visit_lines(block, visitor, 1);
    load(it);
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_capture_timer *timer = &block->as.capture;
    const oak_counter *counter = &timer->counter;
    bool high = role == OAK_CAPTURE_HIGH, shown = high || role == OAK_CAPTURE_LOW;
    oak_course_ends(course, timer->step_at);
    oak_course_ends(course, timer->trigger_at);
    if (!counter->running) return;
    if (counter->per_cycle > 1)
        oak_course_ends(course, shown ? now + 1 : oak_counter_time(counter, counter->overflows + 1));
    else
        oak_block_counts(course, now,
                         &(oak_counting){.since = counter->since,
                                         .left = counter->top - counter->count,
                                         .value = counter->count,
                                         .step = 1,
                                         .shown = shown,
                                         .shift = high ? 8 : 0});
}

const oak_block_ops oak_capture_timer_block = {reset, get,  set,     advance, visit,
                                               pins,  NULL, written, NULL,    course};
