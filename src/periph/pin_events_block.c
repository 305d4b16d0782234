/* pin_events_block.c — an edge of one pin, and any change of four others, that set flags and may interrupt.
 *
 * The edge is a rising one with `rising`, else a falling one. A change is a difference of a pin, while it is an input, to what stood there when the
 * port was read or written last (`compared`). The program takes flags back by writing 0; that of a change comes again while there is one. */
#include "periph/block.h"

enum { PINS = 4 };

static unsigned level_of(const oak_block *block, unsigned use, unsigned more)
{
    uint16_t pin = block->about->uses[use];
    return pin != OAK_NO_PIN && block->services->level(block->services->machine, pin + more);
}

static uint32_t pins_now(const oak_block *block)
{
    uint32_t levels = 0;
    for (unsigned i = 0; i < PINS; i++) levels |= (uint32_t)level_of(block, OAK_EVENTS_CHANGING, i) << i;
    return levels;
}

static void update(oak_block *block)
{
    oak_pin_events *it = &block->as.events;
    it->changed |= pins_now(block) != it->compared;
    bool edge = it->edge && it->edge_interrupt, change = it->changed && it->change_interrupt;
    oak_block_interrupt(block, (edge && it->edge_urgent) || (change && it->change_urgent));
    oak_block_ask(block, 1, (edge && !it->edge_urgent) || (change && !it->change_urgent), 0);
}

static void reset(oak_block *block, uint64_t now)
{
    (void)now;
    block->as.events = (oak_pin_events){.seen = level_of(block, OAK_EVENTS_EDGE, 0),
                                        .compared = pins_now(block),
                                        .edge_urgent = true,
                                        .change_urgent = true};
    oak_block_interrupt(block, false);
    oak_block_ask(block, 1, false, 0);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    oak_pin_events *it = &block->as.events;
    (void)now;
    switch (role) {
    case OAK_EVENTS_RISING: return it->rising;
    case OAK_EVENTS_EDGE_FLAG: return it->edge;
    case OAK_EVENTS_EDGE_INTERRUPT: return it->edge_interrupt;
    case OAK_EVENTS_CHANGED: return it->changed;
    case OAK_EVENTS_COMPARED: return pins_now(block);
    case OAK_EVENTS_EDGE_URGENT: return it->edge_urgent;
    case OAK_EVENTS_CHANGE_URGENT: return it->change_urgent;
    default: return it->change_interrupt;
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_pin_events *it = &block->as.events;
    (void)now;
    switch (role) {
    case OAK_EVENTS_RISING: it->rising = value != 0; break;
    case OAK_EVENTS_EDGE_FLAG: it->edge = value != 0; break;
    case OAK_EVENTS_EDGE_INTERRUPT: it->edge_interrupt = value != 0; break;
    case OAK_EVENTS_CHANGED: it->changed = value != 0; break;
    case OAK_EVENTS_COMPARED: it->compared = pins_now(block); break;
    case OAK_EVENTS_EDGE_URGENT: it->edge_urgent = value != 0; break;
    case OAK_EVENTS_CHANGE_URGENT: it->change_urgent = value != 0; break;
    default: it->change_interrupt = value != 0; break;
    }
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
    oak_pin_events *it = &block->as.events;
    bool level = level_of(block, OAK_EVENTS_EDGE, 0);
    (void)now;
    it->edge |= level != it->seen && level == it->rising;
    it->seen = level;
    update(block);
}

static void taken(oak_block *block, unsigned role, uint64_t now)
{
    (void)now;
    if (role == OAK_EVENTS_COMPARED) block->as.events.compared = pins_now(block);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_pin_events *it = &block->as.events;
    OAK_VISIT(it, rising, bool)
    OAK_VISIT(it, edge, bool)
    OAK_VISIT(it, edge_interrupt, bool)
    OAK_VISIT(it, changed, bool)
    OAK_VISIT(it, change_interrupt, bool)
    OAK_VISIT(it, edge_urgent, bool)
    OAK_VISIT(it, change_urgent, bool)
    OAK_VISIT(it, seen, bool)
    OAK_VISIT(it, compared, uint32_t)
    oak_block_visit_lines(block, visitor, 2);
}

const oak_block_ops oak_pin_events_block = {reset, get,  set,  advance, visit,
                                            pins,  NULL, NULL, taken,   oak_block_stands};
