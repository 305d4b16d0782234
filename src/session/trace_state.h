/* trace_state.h — the inside of a trace, for trace.c and vcd.c. */
#ifndef OAK_SESSION_TRACE_STATE_H
#define OAK_SESSION_TRACE_STATE_H

#include <oakspindle/port.h>
#include <oakspindle/trace.h>

#include "base/arena.h"

#define TRACE_NONE SIZE_MAX

typedef struct trace_signal {
    oak_trace_signal about;
    size_t last; /* its last change */
} trace_signal;

struct oak_trace {
    oak_host host;
    oak_arena arena;
    trace_signal *signals;
    size_t signal_count, signal_room;
    oak_trace_change *changes;
    size_t change_count, change_room, most;
    uint64_t end;
    uint64_t numerator, denominator; /* picoseconds of a unit */
    uint64_t clock;                  /* 1/1000 Hz, 0: not known */
    uint32_t clocks_per_cycle;
    bool full;
    bool paused; /* somebody looks at what has been recorded already */
};

/* The signal that a value is recorded as, and which bits of it. */
typedef struct trace_kept {
    unsigned signal;
    uint32_t mask;
    uint8_t shift;
} trace_kept;

/* As oak_trace_note for each of these, in their order. */
OAK_MUST_USE oak_status trace_take(oak_trace *trace, const oak_judged_change *changes, size_t count,
                                   const trace_kept *kept);

#endif
