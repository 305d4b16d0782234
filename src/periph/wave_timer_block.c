/* wave_timer_block.c — a counter of 8 bits (`key` with bit 0: of 16) with two values that it is compared with, two pins, and, of 16 bits, the capture
 * of an edge.
 *
 * `clock` 0 stands still; 1 to 5 take every 1, 8, 64, 256 or 1024 cycles (`key` with bit 1: 1 to 7 take 1, 8, 32, 64, 128, 256, 1024), 6 and 7 falling and
 * rising edges of the pin `count`. The prescaler runs all the time, and begins anew where `restart` is set.
 *
 * `waveform` says up to which value it counts, its top, and how: through all of its bits; to its top and from 0 again (clear on match, or fast pulses); to
 * its top and down again (pulses that are symmetrical). In the last two kinds values take effect when a turn is over. What is compared is told
 * with the step that leaves the value. A pin is turned over (1), made low (2) or high (3) there by its `output`; with pulses 2 is high up to the value and 3
 * low up to it. Flags are taken back by writing 1, or by being served: overflow, a, b, captured, each on a line of its own. */
#include "periph/block.h"

enum { OVERFLOW, MATCH_A, MATCH_B, CAPTURED };
enum { WIDE = 1, OWN_RATES = 2 };             /* of the key */
enum { FALLING_EDGES = 6, RISING_EDGES = 7 }; /* clocks */
enum {
    ROUND,
    CLEARS,
    FAST,
    BOTH_WAYS,
    BOTH_WAYS_LATE
};                        /* ways to count; late: values take effect at the bottom */
enum { ALL, OF_A, KEPT }; /* what the top is */

typedef struct way {
    uint8_t kind, by;
    uint32_t top; /* where `by` is ALL */
} way;

static bool is_wide(const oak_block *block)
{
    return block->about->key & WIDE;
}

static way way_of(const oak_block *block)
{
    static const way narrow[8] = {{ROUND, ALL, 0xFF}, {BOTH_WAYS, ALL, 0xFF}, {CLEARS, OF_A, 0},
                                  {FAST, ALL, 0xFF},  {ROUND, ALL, 0xFF},     {BOTH_WAYS, OF_A, 0},
                                  {ROUND, ALL, 0xFF}, {FAST, OF_A, 0}};
    static const way wide[16] = {{ROUND, ALL, 0xFFFF},      {BOTH_WAYS, ALL, 0xFF},
                                 {BOTH_WAYS, ALL, 0x1FF},   {BOTH_WAYS, ALL, 0x3FF},
                                 {CLEARS, OF_A, 0},         {FAST, ALL, 0xFF},
                                 {FAST, ALL, 0x1FF},        {FAST, ALL, 0x3FF},
                                 {BOTH_WAYS_LATE, KEPT, 0}, {BOTH_WAYS_LATE, OF_A, 0},
                                 {BOTH_WAYS, KEPT, 0},      {BOTH_WAYS, OF_A, 0},
                                 {CLEARS, KEPT, 0},         {ROUND, ALL, 0xFFFF},
                                 {FAST, KEPT, 0},           {FAST, OF_A, 0}};
    return is_wide(block) ? wide[block->as.wave.waveform & 15] : narrow[block->as.wave.waveform & 7];
}

static uint32_t limit_of(const oak_block *block)
{
    return is_wide(block) ? 0xFFFF : 0xFF;
}

static uint32_t top_of(const oak_block *block)
{
    way now = way_of(block);
    return now.by == OF_A ? block->as.wave.match[0] : now.by == KEPT ? block->as.wave.captured : now.top;
}

static uint32_t rate_of(const oak_block *block)
{
    static const uint16_t shared[8] = {0, 1, 8, 64, 256, 1024, 0, 0},
                          own[8] = {0, 1, 8, 32, 64, 128, 256, 1024};
    return (block->about->key & OWN_RATES ? own : shared)[block->as.wave.clock & 7];
}

static bool by_edges(const oak_block *block)
{
    return !(block->about->key & OWN_RATES) && block->as.wave.clock >= FALLING_EDGES;
}

static bool runs(const oak_block *block)
{
    return rate_of(block) && !(block->services->stopped(block->services->machine) & OAK_CLOCK_MAIN);
}

static bool both_ways(const oak_block *block)
{
    uint8_t kind = way_of(block).kind;
    return kind == BOTH_WAYS || kind == BOTH_WAYS_LATE;
}

/* ------------------------------------------------------------------------------------------ steps */

/* Where it is in a turn, and how long one is. */
static uint32_t phase_of(const oak_block *block, uint32_t *turn)
{
    const oak_wave_timer *it = &block->as.wave;
    uint32_t top = top_of(block), limit = limit_of(block);
    if (!both_ways(block)) {
        *turn = (it->count > top ? limit : top) + 1;
        return it->count;
    }
    *turn = top ? 2 * top : 1;
    uint32_t count = it->count > top ? top : it->count;
    return it->down && count ? 2 * top - count : count % *turn;
}

/* Steps until the one that leaves a value; 0 is never. */
static uint64_t leaves(const oak_block *block, uint32_t value)
{
    uint32_t turn, phase = phase_of(block, &turn), top = top_of(block);
    if (!both_ways(block)) {
        if (value >= phase) return value < turn ? value - phase + 1 : 0;
        return value <= top ? turn - phase + value + 1 : 0;
    }
    if (value > top) return 0;
    uint32_t up = (value + turn - phase) % turn, down = (2 * turn - value - phase) % turn;
    return (up < down ? up : down) + 1u;
}

/* Steps until it arrives at a value. */
static uint64_t arrives(const oak_block *block, uint32_t value)
{
    uint32_t turn, phase = phase_of(block, &turn);
    uint32_t far = (value + turn - phase) % turn;
    return far ? far : turn;
}

static void show(oak_block *block, unsigned n, uint64_t now)
{
    const oak_wave_timer *it = &block->as.wave;
    uint16_t pin = block->about->uses[OAK_WAVE_PIN_A + n];
    way how = way_of(block);
    bool pulses = how.kind >= FAST, turns = it->output[n] == 1;
    bool own =
        !n && (how.by == OF_A || (how.by == KEPT && how.kind == FAST)); /* pulses turn it over only then */
    bool drives = it->output[n] && !(turns && pulses && !own);
    if (pin != OAK_NO_PIN) block->services->put(block->services->machine, pin, drives, it->out[n], now);
}

static void match(oak_block *block, unsigned n, uint64_t now)
{
    oak_wave_timer *it = &block->as.wave;
    bool up = !both_ways(block) || !(it->down || it->count >= top_of(block));
    if (it->output[n] == 1) it->out[n] = !it->out[n];
    else if (it->output[n]) it->out[n] = (it->output[n] == 3) == up;
    show(block, n, now);
}

static void take_values(oak_block *block)
{
    oak_wave_timer *it = &block->as.wave;
    it->match[0] = it->next[0], it->match[1] = it->next[1];
}

/* One step, done at `now`. */
static void step(oak_block *block, uint64_t now)
{
    oak_wave_timer *it = &block->as.wave;
    way how = way_of(block);
    uint32_t top = top_of(block);
    for (unsigned n = 0; n < 2 && !it->blocked; n++)
        if (it->count == it->match[n]) {
            it->event[MATCH_A + n] = true;
            match(block, n, now);
        }
    if (how.by == KEPT && it->count == top && !it->blocked) it->event[CAPTURED] = true;
    it->blocked = false;
    if (!both_ways(block)) {
        bool full = it->count == limit_of(block), turns = it->count == top || full;
        it->count = turns ? 0 : it->count + 1;
        if (turns && (how.kind == FAST || full)) it->event[OVERFLOW] = true;
        if (!turns || how.kind != FAST) return;
        take_values(block);
        for (unsigned n = 0; n < 2; n++) {
            if (it->output[n] < 2) continue;
            it->out[n] = it->output[n] == 2;
            show(block, n, now);
        }
        return;
    }
    if (it->count > top) it->count = top;
    it->down = it->count && (it->down || it->count >= top);
    it->count = it->down ? it->count - 1 : top ? it->count + 1 : 0;
    if (it->count == top && how.kind == BOTH_WAYS) take_values(block);
    if (it->count) return;
    it->down = false;
    it->event[OVERFLOW] = true;
    if (how.kind == BOTH_WAYS_LATE) take_values(block);
}

static uint64_t least(uint64_t a, uint64_t b)
{
    return b && b < a ? b : a;
}

/* Steps until the next one where something happens. */
static uint64_t next_event(const oak_block *block)
{
    const oak_wave_timer *it = &block->as.wave;
    way how = way_of(block);
    if (it->blocked || (both_ways(block) && it->count > top_of(block))) return 1;
    uint64_t next = arrives(block, 0);
    for (unsigned n = 0; n < 2; n++) next = least(next, leaves(block, it->match[n]));
    if (how.by == KEPT) next = least(next, leaves(block, it->captured));
    return both_ways(block) ? least(next, arrives(block, top_of(block))) : next;
}

static void move(oak_block *block, uint32_t steps)
{
    oak_wave_timer *it = &block->as.wave;
    uint32_t turn, phase = phase_of(block, &turn) + steps, top = top_of(block);
    it->down = both_ways(block) && phase > top;
    it->count = it->down ? 2 * top - phase : phase;
}

/* So many steps, `each` cycles apart, the last one done at `now`. What repeats in every two turns is left out. */
static void count_on(oak_block *block, uint64_t steps, uint64_t now, uint32_t each)
{
    uint32_t turn;
    (void)phase_of(block, &turn);
    for (unsigned n = 0; steps; n++) {
        uint64_t next = next_event(block);
        if (n == 16) { /* values have taken effect, and it goes round */
            (void)phase_of(block, &turn);
            if (steps > 4 * (uint64_t)turn) steps = 2 * (uint64_t)turn + steps % (2 * (uint64_t)turn);
        }
        if (next > steps) {
            move(block, (uint32_t)steps);
            return;
        }
        move(block, (uint32_t)next - 1);
        steps -= next;
        step(block, now - steps * each);
    }
}

/* Steps of the prescaler up to a cycle. */
static uint64_t steps_at(const oak_block *block, uint64_t cycle)
{
    const oak_wave_timer *it = &block->as.wave;
    return cycle > it->base ? (cycle - it->base) / rate_of(block) : 0;
}

static void settle(oak_block *block, uint64_t now)
{
    oak_wave_timer *it = &block->as.wave;
    if (now <= it->since) return;
    if (runs(block)) {
        uint32_t each = rate_of(block);
        uint64_t last = steps_at(block, now);
        count_on(block, last - steps_at(block, it->since), it->base + last * each, each);
    }
    it->since = now;
}

static void update(oak_block *block)
{
    const oak_wave_timer *it = &block->as.wave;
    for (unsigned i = 0; i < OAK_MOST_BLOCK_LINES; i++)
        oak_block_ask(block, i, it->event[i] && it->interrupt[i], 0);
}

static bool level_of(const oak_block *block, unsigned use)
{
    uint16_t pin = block->about->uses[use];
    return pin != OAK_NO_PIN && block->services->level(block->services->machine, pin);
}

/* ------------------------------------------------------------------------------------------ the block */

static void reset(oak_block *block, uint64_t now)
{
    block->as.wave = (oak_wave_timer){.since = now,
                                      .base = now,
                                      .seen = level_of(block, OAK_WAVE_COUNT),
                                      .seen_capture = level_of(block, OAK_WAVE_CAPTURE)};
    for (unsigned n = 0; n < 2; n++) show(block, n, now);
    update(block);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_wave_timer *it = &block->as.wave;
    settle(block, now);
    switch (role) {
    case OAK_WAVE_WAVEFORM: return it->waveform & 3;
    case OAK_WAVE_WAVEFORM_HIGH: return it->waveform >> 2;
    case OAK_WAVE_CLOCK: return it->clock;
    case OAK_WAVE_LOW: return it->count & 0xFF;
    case OAK_WAVE_HIGH:
    case OAK_WAVE_KEPT_HIGH: return it->kept; /* as it was when the low byte was read */
    case OAK_WAVE_A_LOW: return it->next[0] & 0xFF;
    case OAK_WAVE_A_HIGH: return it->next[0] >> 8;
    case OAK_WAVE_B_LOW: return it->next[1] & 0xFF;
    case OAK_WAVE_B_HIGH: return it->next[1] >> 8;
    case OAK_WAVE_KEPT_LOW: return it->captured & 0xFF;
    case OAK_WAVE_OUTPUT_A:
    case OAK_WAVE_OUTPUT_B: return it->output[role - OAK_WAVE_OUTPUT_A];
    case OAK_WAVE_RISING: return it->rising;
    case OAK_WAVE_FILTER: return it->filter;
    case OAK_WAVE_OVERFLOW:
    case OAK_WAVE_MATCH_A:
    case OAK_WAVE_MATCH_B:
    case OAK_WAVE_CAPTURED: return it->event[role - OAK_WAVE_OVERFLOW];
    case OAK_WAVE_OVERFLOW_INTERRUPT:
    case OAK_WAVE_A_INTERRUPT:
    case OAK_WAVE_B_INTERRUPT:
    case OAK_WAVE_CAPTURED_INTERRUPT: return it->interrupt[role - OAK_WAVE_OVERFLOW_INTERRUPT];
    default: return 0; /* what begins something */
    }
}

/* A whole value: of 16 bits the high byte was written before. */
static void set_value(oak_block *block, unsigned role, uint32_t value)
{
    oak_wave_timer *it = &block->as.wave;
    way how = way_of(block);
    if (is_wide(block)) value |= (uint32_t)it->kept << 8;
    if (role == OAK_WAVE_LOW) it->count = value, it->blocked = true;
    else if (role == OAK_WAVE_A_LOW) it->next[0] = value;
    else if (role == OAK_WAVE_B_LOW) it->next[1] = value;
    else if (how.by == KEPT) it->captured = value;
    if (how.kind < FAST) take_values(block);
}

static void set_waveform(oak_block *block, uint32_t value, uint64_t now)
{
    oak_wave_timer *it = &block->as.wave;
    it->waveform = value & 15;
    if (!both_ways(block)) it->down = false;
    if (way_of(block).kind < FAST) take_values(block);
    for (unsigned n = 0; n < 2; n++) show(block, n, now);
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_wave_timer *it = &block->as.wave;
    settle(block, now);
    switch (role) {
    case OAK_WAVE_WAVEFORM: set_waveform(block, (it->waveform & ~3u) | (value & 3), now); break;
    case OAK_WAVE_WAVEFORM_HIGH: set_waveform(block, (it->waveform & 3u) | value << 2, now); break;
    case OAK_WAVE_CLOCK: it->clock = value & 7; break;
    case OAK_WAVE_RESTART:
        if (value) it->base = now;
        break;
    case OAK_WAVE_HIGH:
    case OAK_WAVE_A_HIGH:
    case OAK_WAVE_B_HIGH:
    case OAK_WAVE_KEPT_HIGH: it->kept = value & 0xFF; break;
    case OAK_WAVE_LOW:
    case OAK_WAVE_A_LOW:
    case OAK_WAVE_B_LOW:
    case OAK_WAVE_KEPT_LOW: set_value(block, role, value & 0xFF); break;
    case OAK_WAVE_OUTPUT_A:
    case OAK_WAVE_OUTPUT_B:
        it->output[role - OAK_WAVE_OUTPUT_A] = value & 3;
        show(block, role - OAK_WAVE_OUTPUT_A, now);
        break;
    case OAK_WAVE_FORCE_A:
    case OAK_WAVE_FORCE_B:
        if (value && way_of(block).kind < FAST) match(block, role - OAK_WAVE_FORCE_A, now);
        break;
    case OAK_WAVE_RISING: it->rising = value != 0; break;
    case OAK_WAVE_FILTER: it->filter = value != 0; break;
    case OAK_WAVE_OVERFLOW:
    case OAK_WAVE_MATCH_A:
    case OAK_WAVE_MATCH_B:
    case OAK_WAVE_CAPTURED:
        if (value) it->event[role - OAK_WAVE_OVERFLOW] = false;
        break;
    case OAK_WAVE_OVERFLOW_INTERRUPT:
    case OAK_WAVE_A_INTERRUPT:
    case OAK_WAVE_B_INTERRUPT:
    case OAK_WAVE_CAPTURED_INTERRUPT: it->interrupt[role - OAK_WAVE_OVERFLOW_INTERRUPT] = value != 0; break;
    default: break;
    }
    update(block);
    return true;
}

/* Somebody would notice: a pin that is driven, or an interrupt. */
static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_wave_timer *it = &block->as.wave;
    settle(block, now);
    update(block);
    if (!runs(block)) return UINT64_MAX;
    bool matters = false;
    for (unsigned i = 0; i < CAPTURED; i++) matters |= it->interrupt[i] && !it->event[i];
    matters |= it->interrupt[CAPTURED] && !it->event[CAPTURED] && way_of(block).by == KEPT;
    for (unsigned n = 0; n < 2; n++)
        matters |= it->output[n] && block->about->uses[OAK_WAVE_PIN_A + n] != OAK_NO_PIN;
    if (!matters) return UINT64_MAX;
    return it->base + (steps_at(block, it->since) + next_event(block)) * rate_of(block);
}

static void pins(oak_block *block, uint64_t now)
{
    oak_wave_timer *it = &block->as.wave;
    bool high = level_of(block, OAK_WAVE_COUNT), capture = level_of(block, OAK_WAVE_CAPTURE);
    if (high == it->seen && capture == it->seen_capture) return;
    settle(block, now);
    if (high != it->seen && by_edges(block) && high == (it->clock == RISING_EDGES))
        count_on(block, 1, now, 1);
    if (capture != it->seen_capture && capture == it->rising && way_of(block).by != KEPT) {
        it->captured = it->count;
        it->event[CAPTURED] = true;
    }
    it->seen = high, it->seen_capture = capture;
    update(block);
}

static void served(oak_block *block, unsigned which, uint64_t now)
{
    settle(block, now);
    block->as.wave.event[which] = false;
    update(block);
}

/* Reading the low byte keeps the high one. */
static void taken(oak_block *block, unsigned role, uint64_t now)
{
    oak_wave_timer *it = &block->as.wave;
    (void)now;
    if (!is_wide(block)) return;
    if (role == OAK_WAVE_LOW) it->kept = (uint8_t)(it->count >> 8);
    if (role == OAK_WAVE_KEPT_LOW) it->kept = (uint8_t)(it->captured >> 8);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_wave_timer *it = &block->as.wave;
    OAK_VISIT(it, waveform, uint8_t)
    OAK_VISIT(it, clock, uint8_t)
    OAK_VISIT(it, rising, bool)
    OAK_VISIT(it, filter, bool)
    OAK_VISIT(it, down, bool)
    OAK_VISIT(it, blocked, bool)
    OAK_VISIT(it, seen, bool)
    OAK_VISIT(it, seen_capture, bool)
    OAK_VISIT(it, kept, uint8_t)
    OAK_VISIT(it, count, uint32_t)
    OAK_VISIT(it, captured, uint32_t)
    OAK_VISIT(it, since, uint64_t)
    OAK_VISIT(it, base, uint64_t)
#define OF_EACH(n)                                                                                           \
    OAK_VISIT(it, output[n], uint8_t)                                                                        \
    OAK_VISIT(it, out[n], bool)                                                                              \
    OAK_VISIT(it, match[n], uint32_t)                                                                        \
    OAK_VISIT(it, next[n], uint32_t)                                                                         \
    it->output[n] &= 3, it->match[n] &= limit_of(block), it->next[n] &= limit_of(block);
    OF_EACH(0)
    OF_EACH(1)
#undef OF_EACH
#define OF_LINE(n)                                                                                           \
    OAK_VISIT(it, event[n], bool)                                                                            \
    OAK_VISIT(it, interrupt[n], bool)
    OF_LINE(0)
    OF_LINE(1)
    OF_LINE(2)
    OF_LINE(3)
#undef OF_LINE
    it->waveform &= 15, it->clock &= 7, it->count &= limit_of(block), it->captured &= limit_of(block);
    if (it->base > it->since) it->base = it->since;
    oak_block_visit_lines(block, visitor, OAK_MOST_BLOCK_LINES);
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_wave_timer *it = &block->as.wave;
    if (!runs(block)) return;
    uint32_t turn, each = rate_of(block), phase = phase_of(block, &turn), top = top_of(block);
    bool down = both_ways(block) && top && phase >= top;
    uint64_t since = now < it->base ? now + 1 : it->base + steps_at(block, now) * each;
    oak_block_counts(course, now,
                     &(oak_counting){.since = since,
                                     .left = next_event(block),
                                     .value = it->count,
                                     .step = each,
                                     .down = down,
                                     .shown = role == OAK_WAVE_LOW});
}

const oak_block_ops oak_wave_timer_block = {reset, get,    set,  advance, visit,
                                            pins,  served, NULL, taken,   course};
