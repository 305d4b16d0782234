/* free_timer_block.c — a counter of 16 bits that runs through all of them, a step 1 << `rate` cycles long, and channels on it. Each channel
 * compares (`compares`): where the count arrives at its value, `event` is set and its pin, by `output`, stays out of it (0), turns over (1), becomes
 * low (2) or high (3), which `force` does at once; or it captures: at a rising (`edges` 1), falling (2) or either (3) edge of its pin the
 * count is kept in its value. A flag is taken back by writing 1; with `fast` reading what was captured, or writing what is compared, does it,
 * and any access to the count takes back the overflow. A pin that is compared for is an output whatever the port says. */
#include "periph/block.h"

static bool runs(const oak_block *timer)
{
    return timer->as.free.runs && !(timer->services->stopped(timer->services->machine) & OAK_CLOCK_MAIN);
}

static void settle(oak_block *timer, uint64_t now)
{
    oak_free_timer *it = &timer->as.free;
    uint64_t gone = now > it->since ? now - it->since : 0;
    it->since = now > it->since ? now : it->since;
    if (!gone || !runs(timer)) return;
    uint64_t all = gone + it->part, count = it->count + (all >> it->rate);
    it->part = (uint32_t)(all & ((1u << it->rate) - 1));
    it->overflow = it->overflow || count > 0xFFFF;
    it->count = (uint32_t)(count & 0xFFFF);
}

/* The cycle at which the count arrives at a value next, behind `since`. */
static uint64_t arrives(const oak_block *timer, uint32_t value)
{
    const oak_free_timer *it = &timer->as.free;
    uint32_t left = (value - it->count) & 0xFFFF;
    return runs(timer) ? it->since - it->part + ((uint64_t)(left ? left : 0x10000) << it->rate) : UINT64_MAX;
}

static void update_timer(oak_block *timer)
{
    oak_block_interrupt(timer, timer->as.free.overflow && timer->as.free.interrupt);
}

static void reset_timer(oak_block *timer, uint64_t now)
{
    timer->as.free = (oak_free_timer){.since = now};
    update_timer(timer);
}

static uint32_t get_timer(oak_block *timer, unsigned role, uint64_t now)
{
    const oak_free_timer *it = &timer->as.free;
    settle(timer, now);
    update_timer(timer);
    switch (role) {
    case OAK_FREE_RUN: return it->runs;
    case OAK_FREE_RATE: return it->rate;
    case OAK_FREE_COUNT: return it->count;
    case OAK_FREE_OVERFLOW: return it->overflow;
    case OAK_FREE_INTERRUPT: return it->interrupt;
    default: return it->fast;
    }
}

static uint64_t advance_timer(oak_block *timer, uint64_t now)
{
    const oak_free_timer *it = &timer->as.free;
    settle(timer, now);
    update_timer(timer);
    return it->interrupt && !it->overflow ? arrives(timer, 0) : UINT64_MAX;
}

static void taken_timer(oak_block *timer, unsigned role, uint64_t now)
{
    (void)now;
    if (role == OAK_FREE_COUNT && timer->as.free.fast) timer->as.free.overflow = false;
    update_timer(timer);
}

static void visit_timer(oak_block *block, const oak_state_visitor *visitor)
{
    oak_free_timer *it = &block->as.free;
    OAK_VISIT(it, runs, bool)
    OAK_VISIT(it, overflow, bool)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, fast, bool)
    OAK_VISIT(it, rate, uint8_t)
    OAK_VISIT(it, count, uint32_t)
    OAK_VISIT(it, part, uint32_t)
    OAK_VISIT(it, since, uint64_t)
    oak_block_visit_lines(block, visitor, 1);
    it->rate &= 7;
    it->count &= 0xFFFF;
    it->part &= (1u << it->rate) - 1;
}

/* ------------------------------------------------------------------------------------------ channels */

static oak_block *timer_of(const oak_block *block)
{
    return block->services->numbered(block->services->machine, block->about->timers[0] - 1u);
}

static void show(oak_block *block, uint64_t now)
{
    const oak_timer_channel *it = &block->as.on_timer;
    uint16_t pin = block->about->uses[OAK_ON_TIMER_PIN];
    if (pin != OAK_NO_PIN)
        block->services->put(block->services->machine, pin, it->compares && it->output, it->out, now);
}

static void act(oak_block *block, uint64_t now)
{
    oak_timer_channel *it = &block->as.on_timer;
    if (!it->output) return;
    it->out = it->output == 1 ? !it->out : it->output == 3;
    show(block, now);
}

/* Matches that have come since it was looked at last; of many only whether the pin has turned over oddly often matters. */
static void match(oak_block *block, uint64_t now)
{
    oak_timer_channel *it = &block->as.on_timer;
    oak_block *timer = timer_of(block);
    if (!it->compares || !runs(timer) || now <= it->since) {
        it->since = now > it->since ? now : it->since;
        return;
    }
    uint64_t turn = (uint64_t)0x10000 << timer->as.free.rate, next = arrives(timer, it->value);
    while (next > it->since + turn) next -= turn; /* counted from where the timer was settled */
    if (next <= it->since) next += turn;
    if (now - it->since > 4 * turn) next += (now - it->since) / (2 * turn) * 2 * turn - 2 * turn;
    for (; next <= now; next += turn) {
        it->event = true;
        act(block, next);
    }
    it->since = now;
}

static void update(oak_block *block)
{
    oak_block_interrupt(block, block->as.on_timer.event && block->as.on_timer.interrupt);
}

static void catch_up(oak_block *block, uint64_t now)
{
    match(block, now);
    settle(timer_of(block), now);
}

static bool level_of(const oak_block *block)
{
    uint16_t pin = block->about->uses[OAK_ON_TIMER_PIN];
    return pin != OAK_NO_PIN && block->services->level(block->services->machine, pin);
}

static void pins(oak_block *block, uint64_t now)
{
    oak_timer_channel *it = &block->as.on_timer;
    bool level = level_of(block), edge = level != it->level;
    it->level = level;
    if (!edge || it->compares || !(it->edges & (level ? 1 : 2))) return;
    catch_up(block, now);
    it->value = timer_of(block)->as.free.count;
    it->event = true;
    update(block);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.on_timer = (oak_timer_channel){.since = now, .level = level_of(block)};
    show(block, now);
    update(block);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_timer_channel *it = &block->as.on_timer;
    catch_up(block, now);
    update(block);
    switch (role) {
    case OAK_ON_TIMER_COMPARES: return it->compares;
    case OAK_ON_TIMER_OUTPUT: return it->output;
    case OAK_ON_TIMER_EDGES: return it->edges;
    case OAK_ON_TIMER_VALUE: return it->value;
    case OAK_ON_TIMER_EVENT: return it->event;
    case OAK_ON_TIMER_INTERRUPT: return it->interrupt;
    default: return 0;
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_timer_channel *it = &block->as.on_timer;
    catch_up(block, now);
    switch (role) {
    case OAK_ON_TIMER_COMPARES: it->compares = value != 0; break;
    case OAK_ON_TIMER_OUTPUT: it->output = value & 3; break;
    case OAK_ON_TIMER_EDGES: it->edges = value & 3; break;
    case OAK_ON_TIMER_VALUE:
        if (it->compares) it->value = value & 0xFFFF; /* else it keeps what was captured */
        if (it->compares && timer_of(block)->as.free.fast) it->event = false;
        break;
    case OAK_ON_TIMER_EVENT: it->event = it->event && !value; break;
    case OAK_ON_TIMER_INTERRUPT: it->interrupt = value != 0; break;
    default:
        if (value && it->compares) act(block, now);
    }
    show(block, now);
    update(block);
    return true;
}

/* Somebody would notice: an interrupt, or a pin that is driven. */
static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_timer_channel *it = &block->as.on_timer;
    catch_up(block, now);
    update(block);
    return it->compares && (it->output || (it->interrupt && !it->event)) ? arrives(timer_of(block), it->value)
                                                                         : UINT64_MAX;
}

static void taken(oak_block *block, unsigned role, uint64_t now)
{
    (void)now;
    oak_timer_channel *it = &block->as.on_timer;
    if (role == OAK_ON_TIMER_VALUE && !it->compares && timer_of(block)->as.free.fast) it->event = false;
    update(block);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_timer_channel *it = &block->as.on_timer;
    OAK_VISIT(it, compares, bool)
    OAK_VISIT(it, event, bool)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, level, bool)
    OAK_VISIT(it, out, bool)
    OAK_VISIT(it, output, uint8_t)
    OAK_VISIT(it, edges, uint8_t)
    OAK_VISIT(it, value, uint32_t)
    OAK_VISIT(it, since, uint64_t)
    oak_block_visit_lines(block, visitor, 1);
    it->output &= 3;
    it->edges &= 3;
    it->value &= 0xFFFF;
}

/* What changes how fast it goes is looked at by each channel before: matches up to now are seen. */
static bool set_timer(oak_block *timer, unsigned role, uint32_t value, uint64_t now)
{
    oak_free_timer *it = &timer->as.free;
    oak_block *one;
    for (unsigned i = 0; (one = timer->services->numbered(timer->services->machine, i)); i++)
        if (one->about->kind == OAK_BLOCK_TIMER_CHANNEL && timer_of(one) == timer) match(one, now);
    settle(timer, now);
    switch (role) {
    case OAK_FREE_RUN: it->runs = value != 0; break;
    case OAK_FREE_RATE:
        if (it->rate != (value & 7)) it->part = 0;
        it->rate = value & 7;
        break;
    case OAK_FREE_OVERFLOW: it->overflow = it->overflow && !value; break;
    case OAK_FREE_INTERRUPT: it->interrupt = value != 0; break;
    case OAK_FREE_FAST: it->fast = value != 0; break;
    default: break; /* the count cannot be written */
    }
    update_timer(timer);
    return true;
}

static void course_timer(oak_block *timer, unsigned role, uint64_t now, oak_course *course)
{
    const oak_free_timer *it = &timer->as.free;
    if (!runs(timer)) return;
    oak_block_counts(course, now,
                     &(oak_counting){.since = it->since,
                                     .part = it->part,
                                     .left = 0x10000 - it->count,
                                     .value = it->count,
                                     .step = 1u << it->rate,
                                     .shown = role == OAK_FREE_COUNT});
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    (void)role, (void)now;
    if (block->as.on_timer.compares)
        oak_course_ends(course, arrives(timer_of(block), block->as.on_timer.value));
}

const oak_block_ops oak_free_timer_block = {reset_timer, get_timer, set_timer, advance_timer, visit_timer,
                                            NULL,        NULL,      NULL,      taken_timer,   course_timer};
const oak_block_ops oak_timer_channel_block = {reset, get,  set,  advance, visit,
                                               pins,  NULL, NULL, taken,   course};
