/* timeout_block.c — a watchdog that its core starts and feeds by acknowledging its line: `unit` cycles later, or, where a prescaler is `lent` to it, 1 << rate
 * times as many, it asks. */
#include "periph/block.h"

static uint64_t over_at(const oak_block *block)
{
    const oak_timeout *it = &block->as.timeout;
    return it->runs ? it->fed + ((uint64_t)block->about->unit << (it->lent ? it->rate : 0)) : UINT64_MAX;
}

static void reset(oak_block *block, uint64_t now)
{
    (void)now;
    block->as.timeout = (oak_timeout){0};
    oak_block_interrupt(block, false);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    (void)now;
    return role == OAK_TIMEOUT_LENT ? block->as.timeout.lent : block->as.timeout.rate;
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    (void)now;
    if (role == OAK_TIMEOUT_LENT) block->as.timeout.lent = value != 0;
    else block->as.timeout.rate = value & 7;
    return true;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    uint64_t at = over_at(block);
    if (at > now) return at;
    oak_block_interrupt(block, true);
    return UINT64_MAX;
}

static void served(oak_block *block, unsigned which, uint64_t now)
{
    (void)which;
    block->as.timeout.runs = true;
    block->as.timeout.fed = now;
    oak_block_interrupt(block, false);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_timeout *it = &block->as.timeout;
    OAK_VISIT(it, runs, bool)
    OAK_VISIT(it, lent, bool)
    OAK_VISIT(it, rate, uint32_t)
    OAK_VISIT(it, fed, uint64_t)
    oak_block_visit_lines(block, visitor, 1);
    it->rate &= 7;
}

const oak_block_ops oak_timeout_block = {reset, get,    set,  advance, visit,
                                         NULL,  served, NULL, NULL,    oak_block_stands};
