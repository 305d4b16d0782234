/* trace_state.h — the inside of a trace, for those that write, read and compare traces. */
#ifndef OAK_SESSION_TRACE_STATE_H
#define OAK_SESSION_TRACE_STATE_H

#include <oakspindle/port.h>
#include <oakspindle/trace.h>

#include "base/arena.h"

#define TRACE_NONE SIZE_MAX

typedef struct trace_signal {
    oak_trace_signal about;
    size_t last; /* its last change: TRACE_NONE, or when it was and what it became */
    uint64_t time;
    uint32_t value, other;
} trace_signal;

/* Changes are kept in pieces: dense as long as they follow one another closely and have levels, since what changes with every instruction fills
 * memory quicker than a computer hands it out. */
typedef struct trace_dense {
    uint16_t after; /* the base of its piece */
    uint16_t signal;
    uint32_t value;
} trace_dense;
typedef struct trace_piece {
    uint64_t base;
    trace_dense *dense; /* or else */
    oak_trace_change *wide;
} trace_piece;
enum { TRACE_PIECE = 1024 };

struct oak_trace {
    oak_host host;
    oak_arena arena;
    trace_signal *signals;
    size_t signal_count, signal_room;
    trace_piece *pieces; /* all of them but for the last ones are full */
    size_t piece_count, piece_room, change_count, most;
    uint64_t end;
    uint64_t numerator, denominator; /* picoseconds of a unit */
    uint64_t clock;                  /* 1/1000 Hz, 0: not known */
    uint32_t clocks_per_cycle;
    bool full;
    bool paused; /* somebody looks at what has been recorded already */
};

/* The values of a signal at some times. */
typedef struct trace_column {
    unsigned signal;
    const uint32_t *values;
    uint32_t last; /* for those that take it: what it was last, and where that went */
    const trace_dense *at;
} trace_column;

static inline oak_trace_change trace_change(const oak_trace *trace, size_t number)
{
    const trace_piece *piece = &trace->pieces[number / TRACE_PIECE];
    if (piece->wide) return piece->wide[number % TRACE_PIECE];
    const trace_dense *one = &piece->dense[number % TRACE_PIECE];
    return (oak_trace_change){.time = piece->base + one->after, .signal = one->signal, .value = one->value};
}

/* Forgets all but so many changes. */
void trace_cut(oak_trace *trace, size_t count);
/* As oak_trace_note for each of some signals at each of these times, in their order. */
OAK_MUST_USE oak_status trace_take_columns(oak_trace *trace, const uint64_t *times, trace_column *columns,
                                           unsigned column_count, size_t count);
/* The same for one signal: at these times it has become these bits of these values. */
OAK_MUST_USE oak_status trace_take_column(oak_trace *trace, unsigned signal, const uint64_t *times,
                                          const int64_t *values, uint32_t mask, size_t count);

#endif
