/* guarded_watchdog_block.c — a watchdog whose setting is guarded: `unit` << (`rate` and above it `rate-high`) cycles after it was fed, it asks on its first
 * line (`interrupt`), or resets the chip (`resets`); with both, it asks first and resets the next time. The core feeds it by acknowledging its second line.
 *
 * Its rate changes, and `resets` is taken back, only by a write in the four cycles behind one that has set `change` and `resets`. After a reset of its own
 * `resets` stays set, and so does `caused`, until a program takes that back. */
#include "periph/block.h"

enum { OPEN = 4, LONGEST = 9 };

static bool runs(const oak_block *block)
{
    const oak_guarded_watchdog *it = &block->as.guarded;
    return it->resets || it->interrupt;
}

static uint64_t ends_at(const oak_block *block)
{
    const oak_guarded_watchdog *it = &block->as.guarded;
    return runs(block) ? it->since + ((uint64_t)block->about->unit << it->rate) : UINT64_MAX;
}

uint64_t oak_guarded_watchdog_resets_at(const oak_block *block)
{
    return block->as.guarded.resets ? ends_at(block) : UINT64_MAX;
}

static bool is_open(const oak_guarded_watchdog *it, uint64_t now)
{
    return now > it->opened && now - it->opened <= OPEN;
}

static void update(oak_block *block)
{
    oak_block_interrupt(block, block->as.guarded.event && block->as.guarded.interrupt);
}

static void reset(oak_block *block, uint64_t now)
{
    bool bitten = block->as.guarded.bitten;
    block->as.guarded =
        (oak_guarded_watchdog){.since = now, .opened = UINT64_MAX, .resets = bitten, .caused = bitten};
    update(block);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_guarded_watchdog *it = &block->as.guarded;
    switch (role) {
    case OAK_GUARDED_RATE: return it->rate & 7;
    case OAK_GUARDED_RATE_HIGH: return it->rate >> 3;
    case OAK_GUARDED_CHANGE: return is_open(it, now);
    case OAK_GUARDED_RESETS: return it->resets;
    case OAK_GUARDED_INTERRUPT: return it->interrupt;
    case OAK_GUARDED_EVENT: return it->event;
    default: return it->caused;
    }
}

/* What is guarded waits until all of the register has been written. */
static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_guarded_watchdog *it = &block->as.guarded;
    bool ran = runs(block);
    switch (role) {
    case OAK_GUARDED_RATE: it->written.rate = (uint8_t)((it->written.rate & 8) | (value & 7)); break;
    case OAK_GUARDED_RATE_HIGH:
        it->written.rate = (uint8_t)((it->written.rate & 7) | (value & 1) << 3);
        break;
    case OAK_GUARDED_CHANGE: it->written.change = value != 0; break;
    case OAK_GUARDED_RESETS: it->written.resets = value != 0; break;
    case OAK_GUARDED_INTERRUPT: it->interrupt = value != 0; break;
    case OAK_GUARDED_EVENT:
        if (value) it->event = false;
        break;
    default: it->caused = it->caused && value; break;
    }
    if (runs(block) && !ran) it->since = now;
    update(block);
    return true;
}

static void written(oak_block *block, uint64_t now)
{
    oak_guarded_watchdog *it = &block->as.guarded;
    bool ran = runs(block), open = is_open(it, now);
    if (it->written.resets || (open && !it->caused)) it->resets = it->written.resets;
    if (open) it->rate = it->written.rate < LONGEST ? it->written.rate : LONGEST;
    if (it->written.change && it->written.resets) it->opened = now;
    it->written.change = false;
    if (runs(block) && !ran) it->since = now;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    oak_guarded_watchdog *it = &block->as.guarded;
    while (ends_at(block) <= now) {
        it->since = ends_at(block);
        if (it->interrupt) it->event = true;
        else {
            it->bitten = true;
            block->services->bite(block->services->machine, OAK_FAULT_WATCHDOG);
        }
    }
    update(block);
    return ends_at(block);
}

static void served(oak_block *block, unsigned which, uint64_t now)
{
    oak_guarded_watchdog *it = &block->as.guarded;
    if (which) it->since = now;
    else {
        it->event = false;
        if (it->resets) it->interrupt = false; /* the next time it resets */
    }
    update(block);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_guarded_watchdog *it = &block->as.guarded;
    OAK_VISIT(it, rate, uint8_t)
    OAK_VISIT(it, resets, bool)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, event, bool)
    OAK_VISIT(it, caused, bool)
    OAK_VISIT(it, bitten, bool)
    OAK_VISIT(it, since, uint64_t)
    OAK_VISIT(it, opened, uint64_t)
    if (it->rate > LONGEST) it->rate = LONGEST;
    oak_block_visit_lines(block, visitor, 1);
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_guarded_watchdog *it = &block->as.guarded;
    if (role != OAK_GUARDED_CHANGE || it->opened == UINT64_MAX || it->opened + OPEN < now) return;
    oak_course_ends(course, is_open(it, now) ? it->opened + OPEN + 1 : it->opened + 1);
}

const oak_block_ops oak_guarded_watchdog_block = {reset, get,    set,     advance, visit,
                                                  NULL,  served, written, NULL,    course};
