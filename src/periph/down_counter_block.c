/* down_counter_block.c — one channel of a counter and timer: counts down from `reload`, and at zero begins there again.
 *
 * A step comes every `prescale` cycles (0 counts as 1; with `slow`, 16 times as many), or, with `edges`, at each falling edge of its pin. Zero sets
 * `zero`, may ask for the interrupt, and turns over its other pin, where it has one. A reload of 0 means one more than the register
 * holds. Writing `reload` while it stands still begins anew, else it counts from the next zero on. */
#include "periph/block.h"

static uint64_t step_of(const oak_down_counter *it)
{
    uint64_t cycles = it->prescale ? it->prescale : 1;
    return it->slow ? 16 * cycles : cycles;
}

static uint32_t full_of(const oak_block *block)
{
    return block->as.down.reload ? block->as.down.reload : 256;
}

static bool pin_high(const oak_block *block)
{
    uint16_t pin = block->about->uses[OAK_DOWN_COUNT_PIN];
    return pin == OAK_NO_PIN || block->services->level(block->services->machine, pin);
}

static void update(oak_block *block, uint64_t now)
{
    const oak_down_counter *it = &block->as.down;
    uint16_t pin = block->about->uses[OAK_DOWN_PULSE_PIN];
    if (pin != OAK_NO_PIN) block->services->put(block->services->machine, pin, it->running, it->level, now);
    oak_block_interrupt(block, it->zero && it->interrupt);
}

static void pass_zero(oak_block *block)
{
    oak_down_counter *it = &block->as.down;
    it->count = full_of(block);
    it->zero = true;
    it->level = !it->level;
}

/* Brings the count to `now`, zero by zero: each turns over the pin at its time. */
static void settle(oak_block *block, uint64_t now)
{
    oak_down_counter *it = &block->as.down;
    uint64_t step = step_of(it);
    if (!it->running || it->edges) {
        it->since = now;
        return;
    }
    uint64_t turn = full_of(block) * step;
    while (it->since + it->count * step <= now) {
        it->since += it->count * step;
        pass_zero(block);
        if (block->about->uses[OAK_DOWN_PULSE_PIN] == OAK_NO_PIN)
            it->since += (now - it->since) / turn * turn;
        update(block, it->since);
    }
    uint64_t steps = (now - it->since) / step;
    it->count -= (uint32_t)steps;
    it->since += steps * step;
}

static void pins(oak_block *block, uint64_t now)
{
    oak_down_counter *it = &block->as.down;
    bool level = pin_high(block), fell = it->seen && !level;
    it->seen = level;
    if (!fell || !it->running || !it->edges) return;
    if (!--it->count) pass_zero(block);
    update(block, now);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.down = (oak_down_counter){.count = 256, .since = now, .seen = pin_high(block)};
    update(block, now);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_down_counter *it = &block->as.down;
    settle(block, now);
    switch (role) {
    case OAK_DOWN_RUN: return it->running;
    case OAK_DOWN_EDGES: return it->edges;
    case OAK_DOWN_SLOW: return it->slow;
    case OAK_DOWN_PRESCALE: return it->prescale;
    case OAK_DOWN_RELOAD: return it->reload;
    case OAK_DOWN_COUNT: return it->count;
    case OAK_DOWN_ZERO: return it->zero;
    default: return it->interrupt;
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_down_counter *it = &block->as.down;
    settle(block, now);
    switch (role) {
    case OAK_DOWN_RUN:
        if (value && !it->running) it->count = full_of(block), it->since = now;
        it->running = value != 0;
        break;
    case OAK_DOWN_EDGES: it->edges = value != 0; break;
    case OAK_DOWN_SLOW: it->slow = value != 0; break;
    case OAK_DOWN_PRESCALE: it->prescale = value; break;
    case OAK_DOWN_RELOAD: it->reload = value; break;
    case OAK_DOWN_ZERO: it->zero = it->zero && !value; break; /* writing 1 takes it back */
    case OAK_DOWN_INTERRUPT: it->interrupt = value != 0; break;
    default: break; /* count */
    }
    update(block, now);
    return true;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_down_counter *it = &block->as.down;
    settle(block, now);
    update(block, now);
    bool seen = (it->interrupt && !it->zero) || block->about->uses[OAK_DOWN_PULSE_PIN] != OAK_NO_PIN;
    return it->running && !it->edges && seen ? it->since + it->count * step_of(it) : UINT64_MAX;
}

static void served(oak_block *block, unsigned which, uint64_t now)
{
    (void)which;
    settle(block, now);
    block->as.down.zero = false; /* the acknowledgement takes it back */
    update(block, now);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_down_counter *it = &block->as.down;
    OAK_VISIT(it, running, bool)
    OAK_VISIT(it, edges, bool)
    OAK_VISIT(it, slow, bool)
    OAK_VISIT(it, zero, bool)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, level, bool)
    OAK_VISIT(it, seen, bool)
    OAK_VISIT(it, prescale, uint32_t)
    OAK_VISIT(it, reload, uint32_t)
    OAK_VISIT(it, count, uint32_t)
    OAK_VISIT(it, since, uint64_t)
    oak_block_visit_lines(block, visitor, 1);
    if (!it->count) it->count = 1;
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_down_counter *it = &block->as.down;
    if (!it->running || it->edges) return;
    oak_block_counts(course, now,
                     &(oak_counting){.since = it->since,
                                     .left = it->count,
                                     .value = it->count,
                                     .step = (uint32_t)step_of(it),
                                     .down = true,
                                     .shown = role == OAK_DOWN_COUNT});
}

const oak_block_ops oak_down_counter_block = {reset, get,    set,  advance, visit,
                                              pins,  served, NULL, NULL,    course};
