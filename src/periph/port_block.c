/* port_block.c — a port with a direction for each pin, and interrupts on edges.
 *
 * Where reading and writing go to one register (`data`), an instruction that reads the port, changes it and writes it back puts what stands on the other pins
 * into their latches. When such a pin drives that, it is noticed. */
#include "periph/block.h"

void oak_block_ask(oak_block *block, unsigned which, bool level, uint64_t from)
{
    bool *line = &block->lines[which];
    uint16_t number = block->about->interrupts[which];
    if (*line == level || number == OAK_NO_LINE) return;
    *line = level;
    block->services->interrupt(block->services->machine, number, level, from);
}

void oak_block_visit_lines(oak_block *block, const oak_state_visitor *visitor, unsigned count)
{
    static const char *const names[OAK_MOST_BLOCK_LINES] = {"line", "second_line", "third_line",
                                                            "fourth_line"};
    for (unsigned i = 0; i < count; i++) {
        uint64_t value = block->lines[i];
        visitor->number(visitor->context, block->about->name, names[i], &value);
        block->lines[i] = value != 0;
    }
}

void oak_block_interrupt(oak_block *block, bool level)
{
    oak_block_ask(block, 0, level, 0);
}

void oak_port_edges(oak_block *block)
{
    oak_gpio *port = block->as.port;
    uint32_t now = oak_gpio_levels(port), changed = now ^ port->seen;
    port->seen = now;
    port->pending |= changed & ((now & port->rise) | (~now & port->fall));
    port->edges |= changed & (now ^ port->falling);
    oak_block_interrupt(block, port->pending || port->edges & port->edge_enabled);
}

/* Pins that drive what was only read. */
static void look_at_borrowed(oak_block *block, uint64_t now)
{
    oak_gpio *port = block->as.port;
    uint32_t drive = port->borrowed & port->direction;
    port->borrowed &= ~drive;
    for (unsigned bit = 0; drive >> bit; bit++)
        if (drive >> bit & 1)
            block->services->suffer(block->services->machine, OAK_FAULT_BORROWED_LEVEL,
                                    (uint32_t)block->about->pin * OAK_MOST_PINS + bit, now);
}

/* A write to the pins' register: an instruction that has read it in this same cycle writes back what it did not change. */
static void set_data(oak_block *block, uint32_t value, uint64_t now)
{
    oak_gpio *port = block->as.port;
    uint32_t was = port->latch, same = ~(value ^ port->read);
    bool writes_back = now == port->read_at + 1;
    port->latch = value;
    port->borrowed = writes_back ? (port->borrowed | (was ^ value)) & same & ~port->chosen : 0;
    look_at_borrowed(block, now);
}

static void reset(oak_block *block, uint64_t now)
{
    oak_gpio *port = block->as.port;
    (void)now;
    port->read = port->borrowed = port->chosen = 0, port->read_at = UINT64_MAX - 1;
    port->loose = false;
    port->latch = port->direction = port->pull_up = port->rise = port->fall = port->pending = 0;
    port->pulls = port->pull_down = port->falling = port->edges = port->edge_enabled = 0;
    port->own = oak_block_has(block, OAK_PORT_OTHERS) ? UINT32_MAX : 0;
    port->alternate = port->alternate_level = 0;
    port->seen = oak_gpio_levels(port);
    oak_block_interrupt(block, false);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_gpio *port = block->as.port;
    (void)now;
    switch (role) {
    case OAK_PORT_DIRECTION: return port->direction;
    case OAK_PORT_OUTPUT: return port->latch;
    case OAK_PORT_INPUT: return oak_gpio_levels(port);
    case OAK_PORT_PULL: return port->pull_up;
    case OAK_PORT_RISE: return port->rise;
    case OAK_PORT_FALL: return port->fall;
    case OAK_PORT_PENDING: return port->pending;
    case OAK_PORT_DATA: return oak_gpio_levels(port);
    case OAK_PORT_INPUTS: return ~port->direction & (uint32_t)(((uint64_t)1 << port->pin_count) - 1);
    case OAK_PORT_LOOSE: return !port->pull_up;
    case OAK_PORT_ALL_UP: return port->pull_up != 0;
    case OAK_PORT_FALLING: return port->falling;
    case OAK_PORT_EDGES: return port->edges;
    case OAK_PORT_EDGE_INTERRUPT: return port->edge_enabled;
    case OAK_PORT_PULLS: return port->pulls;
    case OAK_PORT_OTHERS: return ~port->own;
    case OAK_PORT_LATCH_LOOSE: return port->loose;
    default: return 0; /* set, clear, toggle */
    }
}

/* Pins with a pull go where the latch says. */
static void hold_by_latch(oak_block *block)
{
    oak_gpio *port = block->as.port;
    if (oak_block_has(block, OAK_PORT_LATCH_LOOSE)) port->pull_up = port->loose ? 0 : port->latch;
    if (!oak_block_has(block, OAK_PORT_PULLS)) return;
    port->pull_up = port->pulls & port->latch;
    port->pull_down = port->pulls & ~port->latch;
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_gpio *port = block->as.port;
    switch (role) {
    case OAK_PORT_DIRECTION: port->direction = value; break;
    case OAK_PORT_OUTPUT: port->latch = value, port->borrowed = 0; break;
    case OAK_PORT_SET: port->latch |= value; break;
    case OAK_PORT_CLEAR: port->latch &= ~value; break;
    case OAK_PORT_TOGGLE: port->latch ^= value; break;
    case OAK_PORT_PULL: port->pull_up = value; break;
    case OAK_PORT_RISE: port->rise = value; break;
    case OAK_PORT_FALL: port->fall = value; break;
    case OAK_PORT_PENDING: port->pending &= ~value; break; /* writing 1 takes it back */
    case OAK_PORT_DATA: set_data(block, value, now); break;
    case OAK_PORT_INPUTS:
        port->direction = ~value;
        look_at_borrowed(block, now);
        break;
    case OAK_PORT_LOOSE:
    case OAK_PORT_ALL_UP: port->pull_up = (role == OAK_PORT_ALL_UP) == (value != 0) ? UINT32_MAX : 0; break;
    case OAK_PORT_FALLING: port->falling = value; break;
    case OAK_PORT_EDGES: port->edges = value; break;
    case OAK_PORT_EDGE_INTERRUPT: port->edge_enabled = value; break;
    case OAK_PORT_PULLS: port->pulls = value; break;
    case OAK_PORT_OTHERS: port->own = ~value; break;
    case OAK_PORT_LATCH_LOOSE: port->loose = value != 0; break;
    default: break;
    }
    hold_by_latch(block);
    oak_port_edges(block);
    return false; /* an interrupt asks for attention by itself */
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    (void)now;
    oak_port_edges(block);
    return UINT64_MAX;
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_gpio *it = block->as.port;
    OAK_VISIT(it, latch, uint32_t)
    OAK_VISIT(it, direction, uint32_t)
    OAK_VISIT(it, pull_up, uint32_t)
    OAK_VISIT(it, alternate, uint32_t)
    OAK_VISIT(it, alternate_level, uint32_t)
    OAK_VISIT(it, rise, uint32_t)
    OAK_VISIT(it, fall, uint32_t)
    OAK_VISIT(it, pending, uint32_t)
    OAK_VISIT(it, pulls, uint32_t)
    OAK_VISIT(it, falling, uint32_t)
    OAK_VISIT(it, edges, uint32_t)
    OAK_VISIT(it, edge_enabled, uint32_t)
    OAK_VISIT(it, own, uint32_t)
    OAK_VISIT(it, loose, bool)
    hold_by_latch(block);
    OAK_VISIT(it, seen, uint32_t)
    OAK_VISIT(it, read, uint32_t)
    OAK_VISIT(it, borrowed, uint32_t)
    OAK_VISIT(it, chosen, uint32_t)
    OAK_VISIT(it, read_at, uint64_t)
    oak_block_visit_lines(block, visitor, 1);
}

static void taken(oak_block *block, unsigned role, uint64_t now)
{
    oak_gpio *port = block->as.port;
    if (role != OAK_PORT_DATA) return;
    port->read = oak_gpio_levels(port);
    port->read_at = now;
    bool one = block->asked && !(block->asked & (block->asked - 1));
    port->chosen = one ? block->asked : 0;
}

const oak_block_ops oak_port_block = {reset, get,  set,  advance, visit,
                                      NULL,  NULL, NULL, taken,   oak_block_stands};
