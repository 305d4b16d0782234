/* compare_timer_block.c — a counter of 16 bits with three units that compare or capture. A step takes `unit` cycles of the slow clock (source
 * 1), one of the main one (2), or an edge on its pin, times 1, 2, 4 or 8 (`divider`). By `mode` it stands still, counts up to the value of
 * unit 0 and begins again, through all of its 16 bits, or up to that value and down again.
 *
 * Of each unit: where it does not capture, the count's arriving at its value is its event; it drives its pin by `output`:
 *
 *   0 as `set` says   1 high at its value   2 turned there, low with unit 0   3 high there, low with unit 0
 *   4 turned there    5 low there           6 turned there, high with unit 0  7 low there, high with unit 0
 *
 * "with unit 0" is where the count begins again (mode 1), or arrives at the value of unit 0. Where it captures, an edge of its input puts
 * the count into its value. The event of unit 0 asks on the first line and is taken back when it is served; the others and the overflow
 * ask on the second, and `cause` tells the first of them, which reading it takes back. */
#include "periph/block.h"

typedef struct oak_compare_unit unit;

static uint32_t step_of(const oak_block *block)
{
    const oak_compare_timer *it = &block->as.compare;
    return (it->source == OAK_COMPARE_SLOW ? block->about->unit : 1) << it->divider;
}

static bool by_pin(const oak_compare_timer *it)
{
    return it->source != OAK_COMPARE_SLOW && it->source != OAK_COMPARE_MAIN;
}

/* It counts with a clock, and that clock runs. */
static bool runs(const oak_block *block)
{
    const oak_compare_timer *it = &block->as.compare;
    unsigned stopped = block->services->stopped(block->services->machine);
    if (by_pin(it) || !it->mode || (it->mode != OAK_COMPARE_ROUND && !it->unit[0].value)) return false;
    return !(stopped & (it->source == OAK_COMPARE_SLOW ? OAK_CLOCK_SLOW : OAK_CLOCK_MAIN));
}

/* Steps until the count arrives at a value, 1 or more; UINT64_MAX for never. */
static uint64_t distance(const oak_compare_timer *it, uint32_t value)
{
    uint32_t top = it->unit[0].value, count = it->count;
    if (!it->mode || (it->mode != OAK_COMPARE_ROUND && !top)) return UINT64_MAX;
    if (it->mode == OAK_COMPARE_ROUND) {
        uint32_t left = (value - count) & 0xFFFF;
        return left ? left : 0x10000;
    }
    if (value > top) return UINT64_MAX;
    if (it->mode == OAK_COMPARE_UP) {
        if (value > count) return value - count;
        return (count <= top ? top - count + 1 : 1) + value;
    }
    bool down = count && (it->down || count >= top);
    if (!down) return value > count ? value - count : (top - count) + (top - value);
    return value < count ? count - value : count + value;
}

static void move(oak_compare_timer *it, uint32_t steps)
{
    uint32_t top = it->unit[0].value;
    if (it->mode == OAK_COMPARE_ROUND) it->count = (it->count + steps) & 0xFFFF;
    else if (it->mode == OAK_COMPARE_UP) it->count = it->count >= top ? steps - 1 : it->count + steps;
    else {
        it->down = it->count && (it->down || it->count >= top);
        it->count = it->down ? it->count - steps : it->count + steps;
        it->down = it->count && (it->down || it->count >= top);
    }
}

static void show(oak_block *block, unsigned number, uint64_t now)
{
    uint16_t pin = block->about->uses[OAK_COMPARE_PIN_0 + number];
    if (pin != OAK_NO_PIN)
        block->services->put(block->services->machine, pin, true, block->as.compare.unit[number].out, now);
}

/* The count has arrived at the value of unit 0, or begun again: what that does to the pin of another one. */
static void by_first(unit *one)
{
    if (one->output == 2 || one->output == 3) one->out = false;
    if (one->output == 6 || one->output == 7) one->out = true;
}

static void by_itself(unit *one)
{
    static const uint8_t turns = 1 << 2 | 1 << 4 | 1 << 6, sets = 1 << 1 | 1 << 3;
    if (!one->output) return;
    one->out = turns >> one->output & 1 ? !one->out : sets >> one->output & 1;
}

static void arrive(oak_block *block, uint64_t now)
{
    oak_compare_timer *it = &block->as.compare;
    bool begins = it->count == 0, first = it->count == it->unit[0].value;
    if (begins) it->overflow = true;
    for (unsigned i = 0; i < OAK_COMPARE_UNITS; i++) {
        unit *one = &it->unit[i];
        if (one->captures) continue;
        if (it->mode == OAK_COMPARE_UP ? begins : first) by_first(one);
        if (it->count == one->value) {
            by_itself(one);
            one->event = true;
            one->latched = one->level;
        }
        show(block, i, now);
    }
}

/* Steps to the next value where something happens. */
static uint64_t next_arrival(const oak_compare_timer *it)
{
    uint64_t next = distance(it, 0), other = distance(it, it->unit[0].value);
    if (other < next) next = other;
    for (unsigned i = 1; i < OAK_COMPARE_UNITS; i++) {
        other = it->unit[i].captures ? UINT64_MAX : distance(it, it->unit[i].value);
        if (other < next) next = other;
    }
    return next;
}

/* So many steps, of which the last is done at `now`; a step takes `each` cycles. What repeats in every two turns is left out. */
static void count_on(oak_block *block, uint64_t steps, uint64_t now, uint32_t each)
{
    oak_compare_timer *it = &block->as.compare;
    uint64_t top = it->unit[0].value, turn = it->mode == OAK_COMPARE_ROUND ? 0x10000
                                             : it->mode == OAK_COMPARE_UP  ? top + 1
                                                                           : 2 * top;
    uint64_t twice = 2 * turn;
    if (twice && steps > 3 * twice) steps = 2 * twice + steps % twice;
    while (steps) {
        uint64_t next = next_arrival(it);
        if (next > steps) {
            move(it, (uint32_t)steps);
            return;
        }
        move(it, (uint32_t)next);
        steps -= next;
        arrive(block, now - steps * each);
    }
}

static void settle(oak_block *block, uint64_t now)
{
    oak_compare_timer *it = &block->as.compare;
    uint64_t gone = now > it->since ? now - it->since : 0;
    it->since = now > it->since ? now : it->since;
    if (!gone || !runs(block)) return;
    uint32_t each = step_of(block);
    uint64_t all = gone + it->part;
    it->part = (uint32_t)(all % each);
    count_on(block, all / each, now - it->part, each);
}

static unsigned cause_of(const oak_compare_timer *it)
{
    for (unsigned i = 1; i < OAK_COMPARE_UNITS; i++)
        if (it->unit[i].event && it->unit[i].interrupt) return 2 * i;
    return it->overflow && it->interrupt ? 10 : 0;
}

static void update(oak_block *block)
{
    const oak_compare_timer *it = &block->as.compare;
    oak_block_interrupt(block, it->unit[0].event && it->unit[0].interrupt);
    oak_block_ask(block, 1, cause_of(it) != 0, 0);
}

static bool input_of(const oak_block *block, unsigned number)
{
    const unit *one = &block->as.compare.unit[number];
    uint16_t pin = block->about->uses[OAK_COMPARE_PIN_0 + number];
    if (one->input >= 2) return one->input == 3;
    return !one->input && pin != OAK_NO_PIN && block->services->level(block->services->machine, pin);
}

/* Inputs may have changed: edges are captured, the count of edges goes on. */
static void look(oak_block *block, uint64_t now)
{
    oak_compare_timer *it = &block->as.compare;
    uint16_t pin = block->about->uses[OAK_COMPARE_COUNT];
    settle(block, now);
    bool high = pin != OAK_NO_PIN && block->services->level(block->services->machine, pin);
    bool counts = high != it->pin_high && high == (it->source == OAK_COMPARE_EDGES);
    it->pin_high = high;
    if (counts && by_pin(it) && it->mode && ++it->part >= 1u << it->divider) {
        it->part = 0;
        count_on(block, 1, now, 1);
    }
    for (unsigned i = 0; i < OAK_COMPARE_UNITS; i++) {
        unit *one = &it->unit[i];
        bool level = input_of(block, i), edge = level != one->level;
        one->level = level;
        if (!edge || !one->captures || !(one->edges & (level ? 1 : 2))) continue;
        one->lost |= one->unread;
        one->value = it->count;
        one->event = one->unread = true;
    }
    update(block);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.compare = (oak_compare_timer){.since = now};
    for (unsigned i = 0; i < OAK_COMPARE_UNITS; i++) {
        block->as.compare.unit[i].level = input_of(block, i);
        show(block, i, now);
    }
    update(block);
}

/* Roles of units lie one behind the other. */
static unsigned unit_of(unsigned *role)
{
    unsigned number = (*role - OAK_COMPARE_UNIT_0) / OAK_COMPARE_UNIT_ROLES;
    *role -= number * OAK_COMPARE_UNIT_ROLES;
    return number;
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_compare_timer *it = &block->as.compare;
    settle(block, now);
    update(block);
    switch (role) {
    case OAK_COMPARE_SOURCE: return it->source;
    case OAK_COMPARE_DIVIDER: return it->divider;
    case OAK_COMPARE_MODE: return it->mode;
    case OAK_COMPARE_CLEAR: return 0;
    case OAK_COMPARE_INTERRUPT: return it->interrupt;
    case OAK_COMPARE_OVERFLOW: return it->overflow;
    case OAK_COMPARE_NOW: return it->count;
    case OAK_COMPARE_CAUSE: return cause_of(it);
    default: break;
    }
    const unit *one = &it->unit[unit_of(&role)];
    switch (role) {
    case OAK_COMPARE_EDGES_0: return one->edges;
    case OAK_COMPARE_INPUT_0: return one->input;
    case OAK_COMPARE_LATCHED_0: return one->latched;
    case OAK_COMPARE_CAPTURES_0: return one->captures;
    case OAK_COMPARE_OUTPUT_0: return one->output;
    case OAK_COMPARE_INTERRUPT_0: return one->interrupt;
    case OAK_COMPARE_LEVEL_0: return one->level;
    case OAK_COMPARE_SET_0: return one->set;
    case OAK_COMPARE_LOST_0: return one->lost;
    case OAK_COMPARE_EVENT_0: return one->event;
    default: return one->value;
    }
}

static void set_unit(oak_block *block, unsigned number, unsigned role, uint32_t value, uint64_t now)
{
    unit *one = &block->as.compare.unit[number];
    switch (role) {
    case OAK_COMPARE_EDGES_0: one->edges = value & 3; break;
    case OAK_COMPARE_INPUT_0: one->input = value & 3; break;
    case OAK_COMPARE_CAPTURES_0: one->captures = value != 0; break;
    case OAK_COMPARE_OUTPUT_0: one->output = value & 7; break;
    case OAK_COMPARE_INTERRUPT_0: one->interrupt = value != 0; break;
    case OAK_COMPARE_SET_0: one->set = value != 0; break;
    case OAK_COMPARE_LOST_0: one->lost = value != 0; break;
    case OAK_COMPARE_EVENT_0: one->event = value != 0; break;
    case OAK_COMPARE_VALUE_0: one->value = value & 0xFFFF; break;
    default: break; /* what only tells something */
    }
    if (!one->output) one->out = one->set;
    show(block, number, now);
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_compare_timer *it = &block->as.compare;
    settle(block, now);
    switch (role) {
    case OAK_COMPARE_SOURCE:
        if (it->source != (value & 3)) it->part = 0;
        it->source = value & 3;
        break;
    case OAK_COMPARE_DIVIDER:
        if (it->divider != (value & 3)) it->part = 0;
        it->divider = value & 3;
        break;
    case OAK_COMPARE_MODE:
        it->mode = value & 3;
        if (it->mode != OAK_COMPARE_BACK) it->down = false;
        break;
    case OAK_COMPARE_CLEAR:
        if (value) it->count = it->part = 0, it->down = false;
        break;
    case OAK_COMPARE_INTERRUPT: it->interrupt = value != 0; break;
    case OAK_COMPARE_OVERFLOW: it->overflow = value != 0; break;
    case OAK_COMPARE_NOW: it->count = value & 0xFFFF; break;
    case OAK_COMPARE_CAUSE: break;
    default: {
        unsigned number = unit_of(&role);
        set_unit(block, number, role, value, now);
        break;
    }
    }
    look(block, now);
    return true;
}

/* Somebody would notice: an interrupt, or a pin that is driven by more than `set`. */
static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_compare_timer *it = &block->as.compare;
    settle(block, now);
    update(block);
    if (!runs(block)) return UINT64_MAX;
    uint64_t next = it->interrupt && !it->overflow ? distance(it, 0) : UINT64_MAX;
    for (unsigned i = 0; i < OAK_COMPARE_UNITS; i++) {
        const unit *one = &it->unit[i];
        bool pin = block->about->uses[OAK_COMPARE_PIN_0 + i] != OAK_NO_PIN && one->output;
        if (one->captures || !(pin || (one->interrupt && !one->event))) continue;
        uint64_t steps = pin ? next_arrival(it) : distance(it, one->value);
        if (steps < next) next = steps;
    }
    return next == UINT64_MAX ? next : it->since + next * step_of(block) - it->part;
}

static void served(oak_block *block, unsigned which, uint64_t now)
{
    settle(block, now);
    if (!which) block->as.compare.unit[0].event = false;
    update(block);
}

/* Reading the cause takes it back; reading a value makes place for the next one. */
static void taken(oak_block *block, unsigned role, uint64_t now)
{
    oak_compare_timer *it = &block->as.compare;
    (void)now;
    unsigned cause = cause_of(it);
    if (role == OAK_COMPARE_CAUSE && cause == 10) it->overflow = false;
    else if (role == OAK_COMPARE_CAUSE && cause) it->unit[cause / 2].event = false;
    else if (role >= OAK_COMPARE_UNIT_0) {
        unsigned number = unit_of(&role);
        if (role == OAK_COMPARE_VALUE_0) it->unit[number].unread = false;
    }
    update(block);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_compare_timer *it = &block->as.compare;
    OAK_VISIT(it, source, uint8_t)
    OAK_VISIT(it, divider, uint8_t)
    OAK_VISIT(it, mode, uint8_t)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, overflow, bool)
    OAK_VISIT(it, down, bool)
    OAK_VISIT(it, pin_high, bool)
    OAK_VISIT(it, count, uint16_t)
    OAK_VISIT(it, part, uint32_t)
    OAK_VISIT(it, since, uint64_t)
    it->source &= 3, it->divider &= 3, it->mode &= 3;
    it->part %= step_of(block);
#define OF_UNIT(n)                                                                                           \
    OAK_VISIT(it, unit[n].edges, uint8_t)                                                                    \
    OAK_VISIT(it, unit[n].input, uint8_t)                                                                    \
    OAK_VISIT(it, unit[n].output, uint8_t)                                                                   \
    OAK_VISIT(it, unit[n].captures, bool)                                                                    \
    OAK_VISIT(it, unit[n].interrupt, bool)                                                                   \
    OAK_VISIT(it, unit[n].event, bool)                                                                       \
    OAK_VISIT(it, unit[n].lost, bool)                                                                        \
    OAK_VISIT(it, unit[n].unread, bool)                                                                      \
    OAK_VISIT(it, unit[n].set, bool)                                                                         \
    OAK_VISIT(it, unit[n].out, bool)                                                                         \
    OAK_VISIT(it, unit[n].latched, bool)                                                                     \
    OAK_VISIT(it, unit[n].level, bool)                                                                       \
    OAK_VISIT(it, unit[n].value, uint16_t)                                                                   \
    it->unit[n].edges &= 3, it->unit[n].input &= 3, it->unit[n].output &= 7;
    OF_UNIT(0)
    OF_UNIT(1)
    OF_UNIT(2)
#undef OF_UNIT
    oak_block_visit_lines(block, visitor, 2);
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_compare_timer *it = &block->as.compare;
    uint64_t next = next_arrival(it);
    if (!runs(block)) return;
    bool down = it->mode == OAK_COMPARE_BACK && it->count && (it->down || it->count >= it->unit[0].value);
    oak_block_counts(course, now,
                     &(oak_counting){.since = it->since,
                                     .part = it->part,
                                     .left = next,
                                     .value = it->count,
                                     .step = step_of(block),
                                     .down = down,
                                     .shown = role == OAK_COMPARE_NOW});
}

const oak_block_ops oak_compare_timer_block = {reset, get,    set,  advance, visit,
                                               look,  served, NULL, taken,   course};
