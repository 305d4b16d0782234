/* armed_watchdog_block.c — a watchdog that a program starts once, by its `rate` (0: it stands still; 1 to 7: 1, 4, 16, 64, 256, 512, 1024 times `unit`
 * cycles), and that begins anew whenever 0x55 and then 0xaa is written to `arm`. Any other value there resets the chip at once. */
#include "periph/block.h"

static const uint16_t times[] = {0, 1, 4, 16, 64, 256, 512, 1024};

static bool runs(const oak_block *block)
{
    return block->as.armed.rate && !(block->services->stopped(block->services->machine) & OAK_CLOCK_MAIN);
}

static uint64_t length(const oak_block *block)
{
    return (uint64_t)block->about->unit * times[block->as.armed.rate];
}

uint64_t oak_armed_watchdog_ends_at(const oak_block *block)
{
    const oak_armed_watchdog *it = &block->as.armed;
    return runs(block) ? it->since + length(block) - it->gone : UINT64_MAX;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    oak_armed_watchdog *it = &block->as.armed;
    uint64_t passed = now > it->since ? now - it->since : 0;
    it->since = now > it->since ? now : it->since;
    if (runs(block)) it->gone += passed;
    if (runs(block) && it->gone >= length(block)) {
        it->gone = 0;
        block->services->bite(block->services->machine, OAK_FAULT_WATCHDOG);
    }
    return oak_armed_watchdog_ends_at(block);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.armed = (oak_armed_watchdog){.since = now};
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    (void)now;
    return role == OAK_ARMED_RATE ? block->as.armed.rate : 0;
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_armed_watchdog *it = &block->as.armed;
    advance(block, now);
    if (role == OAK_ARMED_RATE) {
        if (!it->set) it->rate = value & 7, it->gone = 0;
        it->set = true;
    } else if (it->rate && value != 0x55 && value != 0xAA)
        block->services->bite(block->services->machine, OAK_FAULT_WATCHDOG_KEY);
    else {
        if (value == 0xAA && it->half) it->gone = 0;
        it->half = value == 0x55;
    }
    return true;
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_armed_watchdog *it = &block->as.armed;
    OAK_VISIT(it, rate, uint8_t)
    OAK_VISIT(it, set, bool)
    OAK_VISIT(it, half, bool)
    OAK_VISIT(it, gone, uint64_t)
    OAK_VISIT(it, since, uint64_t)
    it->rate &= 7;
}

const oak_block_ops oak_armed_watchdog_block = {reset, get,  set,  advance, visit,
                                                NULL,  NULL, NULL, NULL,    oak_block_stands};
