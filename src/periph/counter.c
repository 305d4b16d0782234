/* counter.c — a register that counts up: where it is at a cycle, and when it will overflow, worked out without counting. */
#include "periph/block.h"

void oak_counter_settle(oak_counter *counter, uint64_t now)
{
    uint64_t since = counter->since;
    if (now <= since) return;
    counter->since = now;
    if (!counter->running) return;
    uint64_t steps = (now - since) * counter->per_cycle, missing = counter->top - counter->count;
    if (steps < missing) {
        counter->count += (uint32_t)steps;
        return;
    }
    uint64_t turn = counter->top - counter->reload;
    steps -= missing;
    counter->overflows += 1 + steps / turn;
    counter->count = counter->reload + (uint32_t)(steps % turn);
}

void oak_counter_step(oak_counter *counter)
{
    if (++counter->count < counter->top) return;
    counter->count = counter->reload;
    counter->overflows++;
}

uint64_t oak_counter_time(const oak_counter *counter, uint64_t count)
{
    if (count <= counter->overflows) return counter->since;
    if (!counter->running) return UINT64_MAX;
    uint64_t steps = counter->top - counter->count +
                     (count - counter->overflows - 1) * (uint64_t)(counter->top - counter->reload);
    return counter->since + (steps + counter->per_cycle - 1) / counter->per_cycle;
}

void oak_block_stands(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    (void)block, (void)role, (void)now, (void)course;
}

void oak_block_counts(oak_course *course, uint64_t now, const oak_counting *counting)
{
    uint64_t from = counting->since - counting->part;
    if (counting->since > now) { /* it is held until then */
        oak_course_ends(course, counting->since);
        return;
    }
    if (counting->part > counting->since) { /* nobody has counted so */
        oak_course_ends(course, now + 1);
        return;
    }
    if (counting->left < (UINT64_MAX - from) / counting->step)
        oak_course_ends(course, from + counting->left * counting->step);
    if (!counting->shown) return;
    enum { LONG = 16 };
    if ((uint64_t)counting->step << counting->shift >=
        LONG) { /* what is shown stays that long, and is known sooner so */
        uint64_t steps = (now - from) / counting->step, shown = (uint64_t)1 << counting->shift,
                 value = counting->down ? counting->value - steps : counting->value + steps,
                 left = counting->down ? value % shown + 1 : shown - value % shown;
        oak_course_ends(course, from + (steps + left) * counting->step);
        return;
    }
    course->value = counting->value;
    course->from = from;
    course->step = counting->step;
    course->down = counting->down;
    course->shift = counting->shift;
}
