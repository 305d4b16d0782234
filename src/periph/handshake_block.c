/* handshake_block.c — eight pins out and eight pins in, each way with two lines on which both sides agree.
 *
 *   out: writing a byte raises `offer`; a falling edge on `taken` tells that the other side has it, and lowers it again
 *   in:  with `strobed` set, a falling edge on `strobe` keeps the levels of the pins until the byte is read; `free` is low meanwhile. A
 *        strobe while one is kept loses the older one. Without `strobed` the pins are read as they are.
 *
 * Lines without a pin are left out. */
#include "periph/block.h"

static bool high(const oak_block *block, unsigned use, unsigned bit)
{
    uint16_t pin = block->about->uses[use];
    return pin == OAK_NO_PIN || block->services->level(block->services->machine, pin + bit);
}

static uint8_t levels(const oak_block *block)
{
    unsigned byte = 0;
    for (unsigned bit = 0; bit < 8; bit++) byte |= (unsigned)high(block, OAK_HANDSHAKE_PINS, bit) << bit;
    return (uint8_t)byte;
}

static void put(oak_block *block, unsigned use, bool level, uint64_t now)
{
    uint16_t pin = block->about->uses[use];
    if (pin != OAK_NO_PIN) block->services->put(block->services->machine, pin, true, level, now);
}

static void update(oak_block *block, uint64_t now)
{
    const oak_handshake *it = &block->as.handshake;
    put(block, OAK_HANDSHAKE_OFFER, it->offered, now);
    put(block, OAK_HANDSHAKE_FREE, !it->full, now);
    oak_block_interrupt(block, (it->full && it->full_interrupt) || (it->was_taken && it->taken_interrupt));
}

static void pins(oak_block *block, uint64_t now)
{
    oak_handshake *it = &block->as.handshake;
    bool strobe = high(block, OAK_HANDSHAKE_STROBE, 0), taken = high(block, OAK_HANDSHAKE_TAKEN, 0);
    bool struck = it->seen_strobe && !strobe && it->strobed,
         fetched = it->seen_taken && !taken && it->offered;
    it->seen_strobe = strobe;
    it->seen_taken = taken;
    if (!struck && !fetched) return;
    if (struck) {
        if (it->full) block->services->suffer(block->services->machine, OAK_FAULT_OVERRUN, it->kept, now);
        it->kept = levels(block);
        it->full = true;
    }
    if (fetched) it->offered = false, it->was_taken = true;
    update(block, now);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.handshake = (oak_handshake){.seen_strobe = high(block, OAK_HANDSHAKE_STROBE, 0),
                                          .seen_taken = high(block, OAK_HANDSHAKE_TAKEN, 0)};
    update(block, now);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_handshake *it = &block->as.handshake;
    (void)now;
    switch (role) {
    case OAK_HANDSHAKE_INPUT: return it->strobed ? it->kept : levels(block);
    case OAK_HANDSHAKE_OUTPUT: return it->output;
    case OAK_HANDSHAKE_STROBED: return it->strobed;
    case OAK_HANDSHAKE_FULL: return it->full;
    case OAK_HANDSHAKE_WAITING: return it->offered;
    case OAK_HANDSHAKE_WAS_TAKEN: return it->was_taken;
    case OAK_HANDSHAKE_FULL_INTERRUPT: return it->full_interrupt;
    default: return it->taken_interrupt;
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_handshake *it = &block->as.handshake;
    switch (role) {
    case OAK_HANDSHAKE_OUTPUT:
        it->output = (uint8_t)value;
        it->offered = block->about->uses[OAK_HANDSHAKE_TAKEN] != OAK_NO_PIN;
        it->was_taken = false;
        break;
    case OAK_HANDSHAKE_STROBED: it->strobed = value != 0; break;
    case OAK_HANDSHAKE_FULL: it->full = it->full && !value; break; /* writing 1 takes it back */
    case OAK_HANDSHAKE_WAS_TAKEN: it->was_taken = it->was_taken && !value; break;
    case OAK_HANDSHAKE_FULL_INTERRUPT: it->full_interrupt = value != 0; break;
    case OAK_HANDSHAKE_TAKEN_INTERRUPT: it->taken_interrupt = value != 0; break;
    default: break; /* input, waiting */
    }
    update(block, now);
    return true;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    (void)block, (void)now;
    return UINT64_MAX; /* only pins change something */
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_handshake *it = &block->as.handshake;
    OAK_VISIT(it, strobed, bool)
    OAK_VISIT(it, full, bool)
    OAK_VISIT(it, offered, bool)
    OAK_VISIT(it, was_taken, bool)
    OAK_VISIT(it, full_interrupt, bool)
    OAK_VISIT(it, taken_interrupt, bool)
    OAK_VISIT(it, seen_strobe, bool)
    OAK_VISIT(it, seen_taken, bool)
    OAK_VISIT(it, kept, uint8_t)
    OAK_VISIT(it, output, uint8_t)
    oak_block_visit_lines(block, visitor, 1);
}

/* Reading takes the byte. */
static void taken(oak_block *block, unsigned role, uint64_t now)
{
    if (role == OAK_HANDSHAKE_INPUT) set(block, OAK_HANDSHAKE_FULL, 1, now);
}

const oak_block_ops oak_handshake_block = {reset, get,  set,  advance, visit,
                                           pins,  NULL, NULL, taken,   oak_block_stands};
