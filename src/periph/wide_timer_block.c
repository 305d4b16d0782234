/* wide_timer_block.c — a 16-bit timer with two registers of a byte.
 *
 * It counts cycles or, with `edges`, rising edges of its pin (with `falling`, falling ones), one of `unit` << rate of them; with `direct`, each. From 0xffff
 * (`narrow`: 0xff) to 0 it sets `overflow`, which the program takes back by writing 0. Writing to `low` begins the prescaler at 0.
 *
 * Where it is `buffered`, reading `low` keeps the high byte for a read of `high`, and what is written to `high` goes in with a write to `low`. With the key 1
 * it is always so, and behind a write two cycles pass before it counts on. */
#include "periph/block.h"

enum { HELD = 2, ALWAYS_BUFFERED = 1 };

void oak_block_ask_by(oak_block *block, bool urgent, bool asks)
{
    oak_block_ask(block, 0, asks && urgent, 0);
    oak_block_ask(block, 1, asks && !urgent, 0);
}

bool oak_block_has(const oak_block *block, unsigned role)
{
    for (unsigned i = 0; i < block->about->role_count; i++)
        if (block->about->roles[i].role == role) return true;
    return false;
}

static uint32_t step_of(const oak_block *block)
{
    const oak_wide_timer *it = &block->as.wide;
    return it->direct ? 1 : block->about->unit << it->rate;
}

static bool is_buffered(const oak_block *block)
{
    return block->as.wide.buffered || block->about->key == ALWAYS_BUFFERED;
}

static bool pin_high(const oak_block *block)
{
    uint16_t pin = block->about->uses[OAK_WIDE_COUNT];
    return pin != OAK_NO_PIN && block->services->level(block->services->machine, pin);
}

/* So many steps on. What stands beyond `top` goes on to the end. */
static void step(oak_block *block, uint64_t steps)
{
    oak_wide_timer *it = &block->as.wide;
    uint32_t most = it->narrow ? 0xFF : 0xFFFF;
    while (steps) {
        uint32_t top = it->top < most && it->count <= it->top ? it->top : most;
        uint64_t left = (uint64_t)top - (it->count & most) + 1;
        if (steps < left) {
            it->count += (uint32_t)steps;
            return;
        }
        steps -= left;
        it->count = 0;
        if (top == most) it->overflow = true;
        steps %= (uint64_t)(it->top < most ? it->top : most) + 1;
    }
}

static void settle(oak_block *block, uint64_t now)
{
    oak_wide_timer *it = &block->as.wide;
    if (now <= it->since) return;
    uint64_t steps = (now - it->since + it->part) / step_of(block);
    it->part = (uint32_t)((now - it->since + it->part) % step_of(block));
    it->since = now;
    if (!it->run || it->edges) it->part = 0;
    else step(block, steps);
}

static void update(oak_block *block)
{
    const oak_wide_timer *it = &block->as.wide;
    oak_block_ask_by(block, it->urgent, it->overflow && it->interrupt);
}

uint64_t oak_wide_timer_time(oak_block *block, uint32_t value, uint64_t now)
{
    const oak_wide_timer *it = &block->as.wide;
    settle(block, now);
    uint32_t most = it->narrow ? 0xFF : 0xFFFF, top = it->top < most && it->count <= it->top ? it->top : most;
    if (!it->run || it->edges || value > most) return UINT64_MAX;
    uint64_t steps = value > it->count ? value - it->count : (uint64_t)top - it->count + 1 + value;
    return it->since + steps * step_of(block) - it->part;
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.wide = (oak_wide_timer){.since = now, .seen = pin_high(block), .urgent = true, .top = 0xFFFF};
    update(block);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_wide_timer *it = &block->as.wide;
    settle(block, now);
    switch (role) {
    case OAK_WIDE_RUN: return it->run;
    case OAK_WIDE_EDGES: return it->edges;
    case OAK_WIDE_FALLING: return it->falling;
    case OAK_WIDE_RATE: return it->rate;
    case OAK_WIDE_DIRECT: return it->direct;
    case OAK_WIDE_NARROW: return it->narrow;
    case OAK_WIDE_BUFFERED: return it->buffered;
    case OAK_WIDE_LOW: return it->count & 0xFF;
    case OAK_WIDE_HIGH: return is_buffered(block) ? it->kept : it->count >> 8;
    case OAK_WIDE_OVERFLOW: return it->overflow;
    case OAK_WIDE_INTERRUPT: return it->interrupt;
    default: return it->urgent;
    }
}

static void put_low(oak_block *block, uint32_t value, uint64_t now)
{
    oak_wide_timer *it = &block->as.wide;
    uint32_t high = is_buffered(block) ? it->kept : it->count >> 8;
    it->count = (it->narrow ? 0 : high << 8) | (value & 0xFF);
    it->part = 0;
    it->since = now + (block->about->key == ALWAYS_BUFFERED ? HELD : 0);
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_wide_timer *it = &block->as.wide;
    bool on = value != 0;
    settle(block, now);
    switch (role) {
    case OAK_WIDE_RUN: it->run = on; break;
    case OAK_WIDE_EDGES: it->edges = on; break;
    case OAK_WIDE_FALLING: it->falling = on; break;
    case OAK_WIDE_RATE: it->rate = value & 7; break;
    case OAK_WIDE_DIRECT: it->direct = on; break;
    case OAK_WIDE_NARROW: it->narrow = on; break;
    case OAK_WIDE_BUFFERED: it->buffered = on; break;
    case OAK_WIDE_LOW: put_low(block, value, now); break;
    case OAK_WIDE_HIGH:
        it->kept = (uint8_t)value;
        if (!is_buffered(block)) it->count = (it->count & 0xFF) | (value & 0xFF) << 8;
        break;
    case OAK_WIDE_OVERFLOW: it->overflow = on; break;
    case OAK_WIDE_INTERRUPT: it->interrupt = on; break;
    default: it->urgent = on; break;
    }
    if (it->narrow) it->count &= 0xFF;
    it->part %= step_of(block);
    update(block);
    return true;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_wide_timer *it = &block->as.wide;
    settle(block, now);
    update(block);
    return it->interrupt && !it->overflow ? oak_wide_timer_time(block, 0, now) : UINT64_MAX;
}

static void pins(oak_block *block, uint64_t now)
{
    oak_wide_timer *it = &block->as.wide;
    bool level = pin_high(block), counts = level != it->seen && level != it->falling;
    settle(block, now);
    it->seen = level;
    if (!it->run || !it->edges || !counts || ++it->part < step_of(block)) return;
    it->part = 0;
    step(block, 1);
    update(block);
}

static void taken(oak_block *block, unsigned role, uint64_t now)
{
    (void)now;
    if (role == OAK_WIDE_LOW && is_buffered(block))
        block->as.wide.kept = (uint8_t)(block->as.wide.count >> 8);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_wide_timer *it = &block->as.wide;
    OAK_VISIT(it, run, bool)
    OAK_VISIT(it, edges, bool)
    OAK_VISIT(it, falling, bool)
    OAK_VISIT(it, direct, bool)
    OAK_VISIT(it, narrow, bool)
    OAK_VISIT(it, buffered, bool)
    OAK_VISIT(it, overflow, bool)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, urgent, bool)
    OAK_VISIT(it, seen, bool)
    OAK_VISIT(it, kept, uint8_t)
    OAK_VISIT(it, rate, uint32_t)
    OAK_VISIT(it, count, uint16_t)
    OAK_VISIT(it, part, uint32_t)
    OAK_VISIT(it, top, uint16_t)
    OAK_VISIT(it, since, uint64_t)
    oak_block_visit_lines(block, visitor, 2);
    it->rate &= 7;
    it->part %= step_of(block);
    if (it->narrow) it->count &= 0xFF;
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_wide_timer *it = &block->as.wide;
    uint32_t most = it->narrow ? 0xFF : 0xFFFF, top = it->top < most && it->count <= it->top ? it->top : most;
    bool high = role == OAK_WIDE_HIGH && !is_buffered(block);
    if (!it->run || it->edges) return;
    oak_block_counts(course, now,
                     &(oak_counting){.since = it->since,
                                     .part = it->part,
                                     .left = (uint64_t)top - (it->count & most) + 1,
                                     .value = it->count,
                                     .step = step_of(block),
                                     .shown = role == OAK_WIDE_LOW || high,
                                     .shift = high ? 8 : 0});
}

const oak_block_ops oak_wide_timer_block = {reset, get, set, advance, visit, pins, NULL, NULL, taken, course};
