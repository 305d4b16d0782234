/* edge_inputs_block.c — the two external interrupts of the MCS-51, on a low level or a falling edge, as its hardware manual
 * describes them ("External Interrupts").
 *
 * The pins are sampled in every cycle. What is sampled in cycle c can be read from c + 1 on and is looked at in that cycle:
 * the interrupt is served at the first end of an instruction at c + 2 or later. An edge stays pending until it is served or taken back, a level only as
 * long as it lasts. */
#include "periph/block.h"

static bool level(const oak_block *block, unsigned n)
{
    uint16_t pin = block->about->uses[OAK_EDGE_INPUT_0 + n];
    return pin == OAK_NO_PIN || block->services->level(block->services->machine, pin);
}

static void look(oak_block *block, uint64_t from)
{
    oak_edge_inputs *inputs = &block->as.edges;
    for (unsigned n = 0; n < 2; n++) {
        bool high = inputs->level[n];
        if (!inputs->falling[n]) inputs->pending[n] = !high;
        else if (inputs->seen[n] && !high) inputs->pending[n] = true;
        inputs->seen[n] = high;
        oak_block_ask(block, n, inputs->pending[n], from);
    }
}

static void settle(oak_block *block, uint64_t now)
{
    oak_edge_inputs *inputs = &block->as.edges;
    if (inputs->due > now) return;
    uint64_t from = inputs->due + 1;
    inputs->due = UINT64_MAX;
    look(block, from);
}

static void pins(oak_block *block, uint64_t now)
{
    oak_edge_inputs *inputs = &block->as.edges;
    settle(block, now);
    for (unsigned n = 0; n < 2; n++) inputs->level[n] = level(block, n);
    inputs->due = now + 1;
}

static void reset(oak_block *block, uint64_t now)
{
    oak_edge_inputs *inputs = &block->as.edges;
    *inputs = (oak_edge_inputs){.due = UINT64_MAX};
    for (unsigned n = 0; n < 2; n++) inputs->level[n] = level(block, n);
    look(block, now + 2);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_edge_inputs *inputs = &block->as.edges;
    settle(block, now);
    switch (role) {
    case OAK_EDGE_FALLING_0:
    case OAK_EDGE_FALLING_1: return inputs->falling[role - OAK_EDGE_FALLING_0];
    default: return inputs->pending[role - OAK_EDGE_PENDING_0];
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_edge_inputs *inputs = &block->as.edges;
    settle(block, now);
    if (role <= OAK_EDGE_FALLING_1) inputs->falling[role - OAK_EDGE_FALLING_0] = value != 0;
    else inputs->pending[role - OAK_EDGE_PENDING_0] = value != 0;
    return true;
}

static void written(oak_block *block, uint64_t now)
{
    look(block, now + 1);
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    settle(block, now);
    return block->as.edges.due;
}

static void served(oak_block *block, unsigned which, uint64_t now)
{
    oak_edge_inputs *inputs = &block->as.edges;
    settle(block, now);
    if (!inputs->falling[which]) return; /* the pin says when it is over */
    inputs->pending[which] = false;
    oak_block_ask(block, which, false, 0);
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_edge_inputs *it = &block->as.edges;
    OAK_VISIT(it, falling[0], bool)
    OAK_VISIT(it, falling[1], bool)
    OAK_VISIT(it, pending[0], bool)
    OAK_VISIT(it, pending[1], bool)
    OAK_VISIT(it, seen[0], bool)
    OAK_VISIT(it, seen[1], bool)
    OAK_VISIT(it, level[0], bool)
    OAK_VISIT(it, level[1], bool)
    OAK_VISIT(it, due, uint64_t)
    oak_block_visit_lines(block, visitor, 2);
}

const oak_block_ops oak_edge_inputs_block = {reset, get,    set,     advance, visit,
                                             pins,  served, written, NULL,    oak_block_stands};
