/* machine_timer_block.c — the time as a number of 64 bits, a step a cycle, and a moment to compare it with; and a bit by which a program asks for an
 * interrupt itself.
 *
 * The first line asks while the time is not below the moment, the second one while the bit is set. The halves are written one by one: who moves the
 * moment puts the upper half out of reach first. */
#include "periph/block.h"

static uint64_t time_at(const oak_block *block, uint64_t now)
{
    return now + block->as.machine.ahead;
}

/* The lines as they are now, and the next cycle at which the first one changes. */
static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_machine_timer *it = &block->as.machine;
    uint64_t time = time_at(block, now);
    bool reached = time >= it->moment;
    uint64_t missing =
        reached ? 0 - time : it->moment - time; /* to the moment, or until the time is 0 again */
    oak_block_ask(block, 0, reached, now);
    oak_block_ask(block, 1, it->request, now);
    return (reached && !it->moment) || missing > UINT64_MAX - now ? UINT64_MAX : now + missing;
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.machine = (oak_machine_timer){.ahead = 0 - now};
    (void)advance(block, now);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_machine_timer *it = &block->as.machine;
    switch (role) {
    case OAK_MACHINE_TIME: return (uint32_t)time_at(block, now);
    case OAK_MACHINE_TIME_HIGH: return (uint32_t)(time_at(block, now) >> 32);
    case OAK_MACHINE_MOMENT: return (uint32_t)it->moment;
    case OAK_MACHINE_MOMENT_HIGH: return (uint32_t)(it->moment >> 32);
    default: return it->request;
    }
}

static uint64_t with_half(uint64_t whole, bool upper, uint32_t half)
{
    return upper ? (uint64_t)half << 32 | (uint32_t)whole : whole >> 32 << 32 | half;
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_machine_timer *it = &block->as.machine;
    bool upper = role == OAK_MACHINE_TIME_HIGH || role == OAK_MACHINE_MOMENT_HIGH;
    if (role == OAK_MACHINE_TIME || role == OAK_MACHINE_TIME_HIGH)
        it->ahead = with_half(time_at(block, now), upper, value) - now;
    else if (role == OAK_MACHINE_REQUEST) it->request = value != 0;
    else it->moment = with_half(it->moment, upper, value);
    (void)advance(block, now);
    return true;
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_machine_timer *it = &block->as.machine;
    OAK_VISIT(it, ahead, uint64_t)
    OAK_VISIT(it, moment, uint64_t)
    OAK_VISIT(it, request, bool)
    oak_block_visit_lines(block, visitor, 2);
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    bool high = role == OAK_MACHINE_TIME_HIGH;
    oak_block_counts(course, now,
                     &(oak_counting){.since = now,
                                     .left = UINT64_MAX,
                                     .value = time_at(block, now),
                                     .step = 1,
                                     .shown = high || role == OAK_MACHINE_TIME,
                                     .shift = high ? 32 : 0});
}

const oak_block_ops oak_machine_timer_block = {reset, get,  set,  advance, visit,
                                               NULL,  NULL, NULL, NULL,    course};
