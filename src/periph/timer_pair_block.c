/* timer_pair_block.c — the two timers of the MCS-51, as its hardware manual describes them ("Timer/Counters").
 *
 *   mode 0   13 bits: the high byte and five bits of the low one    mode 2   8 bits, reloaded from the high byte
 *   mode 1   16 bits                                                mode 3   timer 0: two of 8 bits; timer 1: stands still
 *
 * A timer counts the machine cycles in which it runs: the first is the one that follows the instruction that starts it. As a
 * counter it counts falling edges, each in the cycle behind the one in which the pin is seen low. When the last value is
 * passed in cycle c, the flag can be read from cycle c + 1 on, and the interrupt is served at the first end of an
 * instruction at c + 2 or later. In mode 3 timer 0 uses the run bit and the flag of timer 1, which runs freely then. */
#include "periph/block.h"

enum { HIGH_BYTE = 2 }; /* the counter in the high byte of timer 0 */

static bool is_split(const oak_timer_pair *pair)
{
    return pair->mode[0] == 3;
}

/* The flag that a counter sets; NULL for none. */
static bool *flag_of(oak_timer_pair *pair, unsigned number)
{
    if (number == HIGH_BYTE) return &pair->overflow[1];
    return number == 1 && is_split(pair) ? NULL : &pair->overflow[number];
}

/* The bytes as they stand in the counters. */
static void unload(oak_timer_pair *pair)
{
    for (unsigned n = 0; n < 2; n++) {
        uint32_t count = pair->counter[n].count;
        switch (pair->mode[n]) {
        case 0:
            pair->low[n] = (uint8_t)((pair->low[n] & 0xE0) | (count & 0x1F));
            pair->high[n] = (uint8_t)(count >> 5);
            break;
        case 1:
            pair->low[n] = (uint8_t)count;
            pair->high[n] = (uint8_t)(count >> 8);
            break;
        case 2: pair->low[n] = (uint8_t)count; break;
        default:
            if (n) break; /* it stands still */
            pair->low[0] = (uint8_t)count;
            pair->high[0] = (uint8_t)pair->counter[HIGH_BYTE].count;
        }
    }
}

/* The counters as bytes and settings have them. */
static void load(oak_timer_pair *pair)
{
    static const uint32_t tops[] = {0x2000, 0x10000, 0x100, 0x100};
    bool split = is_split(pair);
    for (unsigned n = 0; n < 2; n++) {
        oak_counter *counter = &pair->counter[n];
        unsigned mode = pair->mode[n];
        counter->top = tops[mode];
        counter->reload = mode == 2 ? pair->high[n] : 0;
        counter->count = mode == 0   ? (uint32_t)pair->high[n] << 5 | (pair->low[n] & 0x1F)
                         : mode == 1 ? (uint32_t)pair->high[n] << 8 | pair->low[n]
                                     : pair->low[n];
        bool runs = pair->run[n] && (!pair->gate[n] || pair->open[n]);
        if (n && split) runs = true;
        if (n && mode == 3) runs = false;
        counter->running = runs && !pair->edges[n];
    }
    oak_counter *high = &pair->counter[HIGH_BYTE];
    high->top = 0x100;
    high->reload = 0;
    high->count = pair->high[0];
    high->running = split && pair->run[1];
}

static void ask(oak_block *block, uint64_t from)
{
    oak_block_ask(block, 0, block->as.pair.overflow[0], from);
    oak_block_ask(block, 1, block->as.pair.overflow[1], from);
}

/* Brings the counters to `now` and notes what has overflown. */
static void settle(oak_block *block, uint64_t now)
{
    bool asks = false;
    oak_timer_pair *pair = &block->as.pair;
    if (pair->settled == now) return;
    pair->settled = now;
    for (unsigned n = 0; n < 3; n++) {
        oak_counter *counter = &pair->counter[n];
        if (!counter->running && (n == HIGH_BYTE || pair->step_at[n] > now)) {
            counter->since = now;
            continue;
        }
        uint64_t before = counter->overflows;
        oak_counter_settle(counter, now);
        if (n < 2 && pair->step_at[n] <= now) {
            pair->step_at[n] = UINT64_MAX;
            oak_counter_step(counter);
        }
        bool *flag = flag_of(pair, n);
        if (counter->overflows != before && flag) *flag = asks = true;
    }
    if (asks) ask(block, now + 1);
}

static bool level(const oak_block *block, unsigned use)
{
    uint16_t pin = block->about->uses[use];
    return pin == OAK_NO_PIN || block->services->level(block->services->machine, pin);
}

static void look_at_pins(oak_block *block)
{
    oak_timer_pair *pair = &block->as.pair;
    for (unsigned n = 0; n < 2; n++) {
        pair->seen[n] = level(block, OAK_PAIR_COUNT_0 + n);
        pair->open[n] = level(block, OAK_PAIR_OPEN_0 + n);
    }
}

static void pins(oak_block *block, uint64_t now)
{
    oak_timer_pair *pair = &block->as.pair;
    bool before[2] = {pair->seen[0], pair->seen[1]};
    settle(block, now);
    unload(pair);
    look_at_pins(block);
    for (unsigned n = 0; n < 2; n++) {
        bool runs = pair->run[n] && (!pair->gate[n] || pair->open[n]);
        if (n && is_split(pair)) runs = true;
        bool counts = runs && pair->edges[n] && !(n && pair->mode[n] == 3);
        if (counts && before[n] && !pair->seen[n]) pair->step_at[n] = now + 2;
    }
    load(pair);
}

static void reset(oak_block *block, uint64_t now)
{
    oak_timer_pair *pair = &block->as.pair;
    *pair = (oak_timer_pair){.step_at = {UINT64_MAX, UINT64_MAX}, .settled = now};
    for (unsigned n = 0; n < 3; n++) pair->counter[n] = (oak_counter){.per_cycle = 1, .since = now};
    look_at_pins(block);
    load(pair);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    oak_timer_pair *pair = &block->as.pair;
    settle(block, now);
    unload(pair);
    unsigned n = role & 1;
    switch (role) {
    case OAK_PAIR_RUN_0:
    case OAK_PAIR_RUN_1: return pair->run[n];
    case OAK_PAIR_MODE_0:
    case OAK_PAIR_MODE_1: return pair->mode[n];
    case OAK_PAIR_EDGES_0:
    case OAK_PAIR_EDGES_1: return pair->edges[n];
    case OAK_PAIR_GATE_0:
    case OAK_PAIR_GATE_1: return pair->gate[n];
    case OAK_PAIR_LOW_0:
    case OAK_PAIR_LOW_1: return pair->low[n];
    case OAK_PAIR_HIGH_0:
    case OAK_PAIR_HIGH_1: return pair->high[n];
    default: return pair->overflow[n];
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_timer_pair *pair = &block->as.pair;
    unsigned n = role & 1;
    settle(block, now);
    unload(pair);
    switch (role) {
    case OAK_PAIR_RUN_0:
    case OAK_PAIR_RUN_1: pair->run[n] = value != 0; break;
    case OAK_PAIR_MODE_0:
    case OAK_PAIR_MODE_1: pair->mode[n] = value & 3; break;
    case OAK_PAIR_EDGES_0:
    case OAK_PAIR_EDGES_1: pair->edges[n] = value != 0; break;
    case OAK_PAIR_GATE_0:
    case OAK_PAIR_GATE_1: pair->gate[n] = value != 0; break;
    case OAK_PAIR_LOW_0:
    case OAK_PAIR_LOW_1: pair->low[n] = (uint8_t)value; break;
    case OAK_PAIR_HIGH_0:
    case OAK_PAIR_HIGH_1: pair->high[n] = (uint8_t)value; break;
    default: pair->overflow[n] = value != 0; break;
    }
    load(pair);
    return true;
}

static void written(oak_block *block, uint64_t now)
{
    ask(block, now + 1);
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    oak_timer_pair *pair = &block->as.pair;
    uint64_t next = UINT64_MAX;
    settle(block, now);
    for (unsigned n = 0; n < 3; n++) {
        const bool *flag = flag_of(pair, n);
        if (n < 2 && pair->step_at[n] < next) next = pair->step_at[n];
        if (!flag || *flag) continue; /* nobody would notice */
        uint64_t at = oak_counter_time(&pair->counter[n], pair->counter[n].overflows + 1);
        if (at < next) next = at;
    }
    return next;
}

static void served(oak_block *block, unsigned which, uint64_t now)
{
    settle(block, now);
    block->as.pair.overflow[which] = false;
    oak_block_ask(block, which, false, 0);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_timer_pair *it = &block->as.pair;
    unload(it);
#define BOTH(name, type) OAK_VISIT(it, name[0], type) OAK_VISIT(it, name[1], type)
    BOTH(run, bool)
    BOTH(edges, bool)
    BOTH(gate, bool)
    BOTH(overflow, bool)
    BOTH(mode, uint8_t)
    BOTH(low, uint8_t)
    BOTH(high, uint8_t)
    BOTH(seen, bool)
    BOTH(open, bool)
    BOTH(step_at, uint64_t)
#undef BOTH
#define COUNTER(n) OAK_VISIT(it, counter[n].since, uint64_t) OAK_VISIT(it, counter[n].overflows, uint64_t)
    COUNTER(0)
    COUNTER(1)
    COUNTER(2)
#undef COUNTER
    oak_block_visit_lines(block, visitor, 2);
    it->settled = UINT64_MAX;
    it->mode[0] &= 3;
    it->mode[1] &= 3;
    load(it);
}

/* Only its own counter and what it sets matters to a role, but for timer 0 as two. */
static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_timer_pair *pair = &block->as.pair;
    unsigned n = role & 1, mode = pair->mode[n];
    bool high = role == OAK_PAIR_HIGH_0 || role == OAK_PAIR_HIGH_1;
    bool shown = high || role == OAK_PAIR_LOW_0 || role == OAK_PAIR_LOW_1;
    for (unsigned i = 0; i < 3; i++) {
        const oak_counter *counter = &pair->counter[i];
        if (i < 2) oak_course_ends(course, pair->step_at[i]);
        if (!counter->running) continue;
        bool own = i == n && shown && !(high && mode >= 2);
        if (role == OAK_PAIR_HIGH_0 && mode == 3 && i == HIGH_BYTE) own = true; /* timer 1 just stands */
        if (own && !mode) oak_course_ends(course, now + 1); /* five bits of the low byte */
        oak_block_counts(course, now,
                         &(oak_counting){.since = counter->since,
                                         .left = counter->top - counter->count,
                                         .value = counter->count,
                                         .step = 1,
                                         .shown = own && mode,
                                         .shift = high && mode == 1 ? 8 : 0});
    }
}

const oak_block_ops oak_timer_pair_block = {reset, get,    set,     advance, visit,
                                            pins,  served, written, NULL,    course};
