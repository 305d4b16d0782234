/* watchdog_block.c — a watchdog that, once it runs, must be fed before `period` steps of `unit` cycles have passed. It
 * cannot be stopped again but by reset. */
#include "periph/block.h"

uint64_t oak_watchdog_bites_at(const oak_block *block)
{
    const oak_watchdog *dog = &block->as.watchdog;
    return dog->running ? dog->fed + (uint64_t)dog->period * block->about->unit : UINT64_MAX;
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.watchdog = (oak_watchdog){.period = 0xFFFF, .fed = now};
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_watchdog *dog = &block->as.watchdog;
    switch (role) {
    case OAK_WATCHDOG_RUN: return dog->running;
    case OAK_WATCHDOG_PERIOD: return dog->period;
    case OAK_WATCHDOG_COUNT: {
        uint64_t at = oak_watchdog_bites_at(block);
        return !dog->running ? dog->period : at > now ? (uint32_t)((at - now) / block->about->unit) : 0;
    }
    default: return 0;
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_watchdog *dog = &block->as.watchdog;
    switch (role) {
    case OAK_WATCHDOG_RUN:
        if (value && !dog->running) dog->fed = now;
        dog->running = dog->running || value;
        break;
    case OAK_WATCHDOG_PERIOD: dog->period = value; break;
    case OAK_WATCHDOG_FEED:
        if (!block->about->key || value == block->about->key) dog->fed = now;
        break;
    default: break;
    }
    return role != OAK_WATCHDOG_FEED;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    uint64_t at = oak_watchdog_bites_at(block);
    if (at > now) return at;
    block->as.watchdog.fed = now;
    block->services->bite(block->services->machine, OAK_FAULT_WATCHDOG);
    return oak_watchdog_bites_at(block);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_watchdog *it = &block->as.watchdog;
    OAK_VISIT(it, running, bool)
    OAK_VISIT(it, period, uint32_t)
    OAK_VISIT(it, fed, uint64_t)
    oak_block_visit_lines(block, visitor, 1);
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    if (role == OAK_WATCHDOG_COUNT && block->as.watchdog.running)
        oak_course_ends(course, now + 1 + (oak_watchdog_bites_at(block) - now) % block->about->unit);
}

const oak_block_ops oak_watchdog_block = {reset, get, set, advance, visit, NULL, NULL, NULL, NULL, course};
