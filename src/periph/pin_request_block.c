/* pin_request_block.c — a request by one pin, or by a change of some of eight.
 *
 * Of one pin, `sense` says what asks: a low level (0), a change (1), a falling (2) or a rising (3) edge. With `mask`, every change of a pin whose bit is set
 * there does, of eight from `pin` on. What has come is kept in `event` until it is served, or taken back by writing 1; a level asks as long as it lasts. */
#include "periph/block.h"

enum { LOW, CHANGE, FALLING, RISING };

static bool is_masked(const oak_block *block)
{
    return oak_block_has(block, OAK_REQUEST_MASK);
}

static uint32_t levels(const oak_block *block)
{
    const oak_block_services *services = block->services;
    uint16_t pin = block->about->uses[OAK_REQUEST_PIN];
    uint32_t result = 0;
    for (unsigned i = 0; pin != OAK_NO_PIN && i < (is_masked(block) ? 8 : 1); i++)
        result |= (uint32_t)services->level(services->machine, pin + i) << i;
    return result;
}

static void update(oak_block *block)
{
    const oak_pin_request *it = &block->as.request;
    bool level = !is_masked(block) && it->sense == LOW;
    oak_block_interrupt(block, it->interrupt && (level ? !it->seen : it->event));
}

static void reset(oak_block *block, uint64_t now)
{
    (void)now;
    block->as.request = (oak_pin_request){.seen = levels(block)};
    update(block);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_pin_request *it = &block->as.request;
    (void)now;
    return role == OAK_REQUEST_SENSE   ? it->sense
           : role == OAK_REQUEST_MASK  ? it->mask
           : role == OAK_REQUEST_EVENT ? it->event
                                       : it->interrupt;
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_pin_request *it = &block->as.request;
    (void)now;
    if (role == OAK_REQUEST_SENSE) it->sense = value & 3;
    else if (role == OAK_REQUEST_MASK) it->mask = value & 0xFF;
    else if (role == OAK_REQUEST_INTERRUPT) it->interrupt = value != 0;
    else if (value) it->event = false;
    update(block);
    return true;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    (void)now;
    update(block);
    return UINT64_MAX;
}

static void pins(oak_block *block, uint64_t now)
{
    oak_pin_request *it = &block->as.request;
    uint32_t high = levels(block), changed = high ^ it->seen;
    (void)now;
    it->seen = high;
    if (is_masked(block)) it->event = it->event || changed & it->mask;
    else if (changed && it->sense != LOW)
        it->event = it->event || it->sense == CHANGE || (it->sense == RISING) == (high != 0);
    update(block);
}

static void served(oak_block *block, unsigned which, uint64_t now)
{
    (void)which, (void)now;
    block->as.request.event = false;
    update(block);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_pin_request *it = &block->as.request;
    OAK_VISIT(it, sense, uint8_t)
    OAK_VISIT(it, mask, uint32_t)
    OAK_VISIT(it, event, bool)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, seen, uint32_t)
    it->sense &= 3, it->mask &= 0xFF;
    oak_block_visit_lines(block, visitor, 1);
}

const oak_block_ops oak_pin_request_block = {reset, get,    set,  advance, visit,
                                             pins,  served, NULL, NULL,    oak_block_stands};
