/* block.h — devices built from blocks: what every kind offers, and what it may ask of the machine around it.
 *
 * A block knows no registers. It has roles ("period", "run"), numbered here and named in part files; the machine breaks a
 * register access into its roles. A role is read with get and written with set; both are told the cycle of the access, to
 * which the block has been brought before. */
#ifndef OAK_PERIPH_BLOCK_H
#define OAK_PERIPH_BLOCK_H

#include "periph/gpio.h"

#define OAK_PORT_ROLES(X)                                                                                    \
    X(OAK_PORT_DIRECTION, "direction")                                                                       \
    X(OAK_PORT_OUTPUT, "output")                                                                             \
    X(OAK_PORT_INPUT, "input")                                                                               \
    X(OAK_PORT_SET, "set")                                                                                   \
    X(OAK_PORT_CLEAR, "clear")                                                                               \
    X(OAK_PORT_TOGGLE, "toggle")                                                                             \
    X(OAK_PORT_PULL, "pull-up")                                                                              \
    X(OAK_PORT_RISE, "rise")                                                                                 \
    X(OAK_PORT_FALL, "fall")                                                                                 \
    X(OAK_PORT_PENDING, "pending")
#define OAK_TIMER_ROLES(X)                                                                                   \
    X(OAK_TIMER_RUN, "run")                                                                                  \
    X(OAK_TIMER_COUNT, "count")                                                                              \
    X(OAK_TIMER_PERIOD, "period")                                                                            \
    X(OAK_TIMER_PRESCALE, "prescale")                                                                        \
    X(OAK_TIMER_COMPARE, "compare")                                                                          \
    X(OAK_TIMER_OVERFLOW, "overflow")                                                                        \
    X(OAK_TIMER_MATCH, "match")                                                                              \
    X(OAK_TIMER_OVERFLOW_INTERRUPT, "overflow-interrupt")                                                    \
    X(OAK_TIMER_MATCH_INTERRUPT, "match-interrupt")                                                          \
    X(OAK_TIMER_DRIVE, "drive")
#define OAK_SERIAL_ROLES(X)                                                                                  \
    X(OAK_SERIAL_RUN, "run")                                                                                 \
    X(OAK_SERIAL_DATA, "data")                                                                               \
    X(OAK_SERIAL_DIVISOR, "divisor")                                                                         \
    X(OAK_SERIAL_ROOM, "room")                                                                               \
    X(OAK_SERIAL_SENT, "sent")                                                                               \
    X(OAK_SERIAL_RECEIVED, "received")                                                                       \
    X(OAK_SERIAL_OVERRUN, "overrun")                                                                         \
    X(OAK_SERIAL_ROOM_INTERRUPT, "room-interrupt")                                                           \
    X(OAK_SERIAL_RECEIVED_INTERRUPT, "received-interrupt")
#define OAK_WATCHDOG_ROLES(X)                                                                                \
    X(OAK_WATCHDOG_RUN, "run")                                                                               \
    X(OAK_WATCHDOG_PERIOD, "period")                                                                         \
    X(OAK_WATCHDOG_FEED, "feed")                                                                             \
    X(OAK_WATCHDOG_COUNT, "count")

#define OAK_ROLE_NUMBER(number, name) number,
enum oak_port_role { OAK_PORT_ROLES(OAK_ROLE_NUMBER) OAK_PORT_ROLE_COUNT };
enum oak_timer_role { OAK_TIMER_ROLES(OAK_ROLE_NUMBER) OAK_TIMER_ROLE_COUNT };
enum oak_serial_role { OAK_SERIAL_ROLES(OAK_ROLE_NUMBER) OAK_SERIAL_ROLE_COUNT };
enum oak_watchdog_role { OAK_WATCHDOG_ROLES(OAK_ROLE_NUMBER) OAK_WATCHDOG_ROLE_COUNT };
#undef OAK_ROLE_NUMBER

typedef struct oak_timer {
    bool running, drives, overflow, match, overflow_interrupt, match_interrupt;
    uint32_t period, prescale, compare;
    uint32_t count; /* at the cycle `since` */
    uint64_t since;
    uint64_t handled; /* events before and at this cycle are in the flags */
} oak_timer;

enum { OAK_SERIAL_KEPT = 65536 };
typedef struct oak_serial {
    bool running, shifting, holding, received, overrun, room_interrupt, received_interrupt;
    uint8_t shifter, held, data;
    uint32_t divisor; /* cycles of a bit */
    uint64_t done;    /* when the byte in the shifter is out */
    uint8_t
        *sent; /* what was sent and has not been taken yet; the oldest is dropped when there is too much */
    size_t sent_count, sent_room;
} oak_serial;

typedef struct oak_watchdog {
    bool running;
    uint32_t period;
    uint64_t fed;
} oak_watchdog;

typedef struct oak_block oak_block;

/* What a block asks of the machine. */
typedef struct oak_block_services {
    void *machine;
    const oak_host *host;
    void (*interrupt)(void *machine, unsigned line, bool level);
    void (*bite)(void *machine);
} oak_block_services;

struct oak_block {
    const oak_part_block *about;
    const oak_block_services *services;
    bool line; /* its interrupt is asked for */
    union {
        oak_gpio *port;
        oak_timer timer;
        oak_serial serial;
        oak_watchdog watchdog;
    } as;
    oak_gpio *driven; /* of a timer: the port with its pin, or NULL */
};

typedef struct oak_block_ops {
    void (*reset)(oak_block *block, uint64_t now);
    uint32_t (*get)(oak_block *block, unsigned role, uint64_t now);
    /* True when something may happen sooner than advance has said. */
    bool (*set)(oak_block *block, unsigned role, uint32_t value, uint64_t now);
    /* Brings it to `now` and returns the cycle at which something happens next that others notice, UINT64_MAX for never. */
    uint64_t (*advance)(oak_block *block, uint64_t now);
    /* Shows what it remembers. */
    void (*visit)(oak_block *block, const oak_state_visitor *visitor);
} oak_block_ops;

#define OAK_VISIT(object, name_, type)                                                                       \
    {                                                                                                        \
        uint64_t value_ = (object)->name_;                                                                   \
        visitor->number(visitor->context, block->about->name, #name_, &value_);                              \
        (object)->name_ = (type)value_;                                                                      \
    }

extern const oak_block_ops oak_port_block, oak_timer_block, oak_serial_block, oak_watchdog_block;

static inline const oak_block_ops *oak_block_ops_of(const oak_block *block)
{
    static const oak_block_ops *const all[] = {[OAK_BLOCK_PORT] = &oak_port_block,
                                               [OAK_BLOCK_TIMER] = &oak_timer_block,
                                               [OAK_BLOCK_SERIAL] = &oak_serial_block,
                                               [OAK_BLOCK_WATCHDOG] = &oak_watchdog_block};
    return all[block->about->kind];
}

/* Raises or lowers the interrupt line of a block when that is a change. */
void oak_block_interrupt(oak_block *block, bool level);
/* Takes note of edges on the pins of a port. */
void oak_port_edges(oak_block *block);
/* The cycle at which a watchdog bites, UINT64_MAX while it does not run. */
uint64_t oak_watchdog_bites_at(const oak_block *block);
/* A byte arrives at a serial port. */
void oak_serial_receive(oak_block *block, uint8_t byte);

#endif
