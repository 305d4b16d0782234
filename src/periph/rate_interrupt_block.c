/* rate_interrupt_block.c — an interrupt again and again: after `unit` cycles times `steps` and one, twice as long for each step of `rate`; it stands
 * still at 0. `event` is taken back by writing 1. */
#include "periph/block.h"

static uint64_t turn_of(const oak_block *block)
{
    const oak_rate_interrupt *it = &block->as.rated;
    bool still = !it->rate || block->services->stopped(block->services->machine) & OAK_CLOCK_MAIN;
    return still ? 0 : (uint64_t)block->about->unit * (it->steps + 1u) << it->rate;
}

static void settle(oak_block *block, uint64_t now)
{
    oak_rate_interrupt *it = &block->as.rated;
    uint64_t turn = turn_of(block), passed = now > it->since ? now - it->since : 0;
    it->since = now > it->since ? now : it->since;
    if (!turn) return;
    it->gone += passed;
    it->event = it->event || it->gone >= turn;
    it->gone %= turn;
}

static void update(oak_block *block)
{
    oak_block_interrupt(block, block->as.rated.event && block->as.rated.interrupt);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.rated = (oak_rate_interrupt){.since = now};
    update(block);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_rate_interrupt *it = &block->as.rated;
    settle(block, now);
    update(block);
    switch (role) {
    case OAK_RATE_RATE: return it->rate;
    case OAK_RATE_STEPS: return it->steps;
    case OAK_RATE_EVENT: return it->event;
    default: return it->interrupt;
    }
}

/* A new rate begins a new turn. */
static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_rate_interrupt *it = &block->as.rated;
    settle(block, now);
    switch (role) {
    case OAK_RATE_RATE: it->rate = value & 7, it->gone = 0; break;
    case OAK_RATE_STEPS: it->steps = value & 15, it->gone = 0; break;
    case OAK_RATE_EVENT: it->event = it->event && !value; break;
    default: it->interrupt = value != 0; break;
    }
    update(block);
    return true;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_rate_interrupt *it = &block->as.rated;
    settle(block, now);
    update(block);
    uint64_t turn = turn_of(block);
    return turn && it->interrupt && !it->event ? it->since + turn - it->gone : UINT64_MAX;
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_rate_interrupt *it = &block->as.rated;
    OAK_VISIT(it, rate, uint8_t)
    OAK_VISIT(it, steps, uint8_t)
    OAK_VISIT(it, event, bool)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, gone, uint64_t)
    OAK_VISIT(it, since, uint64_t)
    oak_block_visit_lines(block, visitor, 1);
    it->rate &= 7;
    it->steps &= 15;
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_rate_interrupt *it = &block->as.rated;
    uint64_t turn = turn_of(block);
    (void)role, (void)now;
    if (turn) oak_course_ends(course, it->since + turn - it->gone);
}

const oak_block_ops oak_rate_interrupt_block = {reset, get,  set,  advance, visit,
                                                NULL,  NULL, NULL, NULL,    course};
