/* wired_line_block.c — a pin that is an interrupt line of the core: it asks as long as the pin is low. No register belongs to it. */
#include "periph/block.h"

static void pins(oak_block *block, uint64_t now)
{
    uint16_t pin = block->about->uses[OAK_WIRED_PIN];
    oak_block_ask(block, 0, pin != OAK_NO_PIN && !block->services->level(block->services->machine, pin), now);
}

static void reset(oak_block *block, uint64_t now)
{
    pins(block, now);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    (void)role, (void)now;
    return block->lines[0];
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    (void)block, (void)role, (void)value, (void)now;
    return false;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    (void)block, (void)now;
    return UINT64_MAX;
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_block_visit_lines(block, visitor, 1);
}

const oak_block_ops oak_wired_line_block = {reset, get,  set,  advance, visit,
                                            pins,  NULL, NULL, NULL,    oak_block_stands};
