/* trace_state.h — the inside of a trace, for those that write, read and compare traces. */
#ifndef OAK_SESSION_TRACE_STATE_H
#define OAK_SESSION_TRACE_STATE_H

#include <oakspindle/port.h>
#include <oakspindle/trace.h>

#include "base/arena.h"

#define TRACE_NONE SIZE_MAX

typedef struct trace_signal {
    oak_trace_signal about;
    size_t last;           /* TRACE_NONE: it has no change; else the last one, where that was at `time`, */
    uint64_t time;         /* or earlier: then it was before that of the last change of all */
    uint32_t value, other; /* what it became */
} trace_signal;

/* Changes are kept in pieces: dense as long as they follow one another closely and have levels, and narrow as long as only one signal of few bits
 * changes, since what changes with every instruction fills memory quicker than a computer hands it out. */
typedef uint64_t
    trace_dense; /* how long after the base of its piece, in 16 bits, the signal in 16, and the value above them */
static inline trace_dense trace_dense_of(uint64_t after, uint32_t signal, uint32_t value)
{
    return (after & UINT16_MAX) | (uint64_t)signal << 16 | (uint64_t)value << 32;
}
static inline uint32_t trace_dense_after(trace_dense one)
{
    return one & UINT16_MAX;
}
static inline uint32_t trace_dense_signal(trace_dense one)
{
    return one >> 16 & UINT16_MAX;
}
static inline uint32_t trace_dense_value(trace_dense one)
{
    return (uint32_t)(one >> 32);
}
typedef uint32_t trace_narrow; /* of one signal alone: when, in 16 bits, and a value of 16 bits above them */
static inline trace_narrow trace_narrow_of(uint64_t after, uint32_t value)
{
    return (uint32_t)(after & UINT16_MAX) | value << 16;
}
enum { TRACE_NARROW_BITS = 16 };
typedef struct trace_piece {
    uint64_t base;
    trace_narrow *narrow; /* of this signal, or */
    uint32_t signal;
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
    uint32_t last; /* for those that take it: what it was last, and whether it changes at the last time */
    bool ends;
} trace_column;

static inline oak_trace_change trace_change(const oak_trace *trace, size_t number)
{
    const trace_piece *piece = &trace->pieces[number / TRACE_PIECE];
    if (piece->wide) return piece->wide[number % TRACE_PIECE];
    if (piece->narrow)
        return (oak_trace_change){.time = piece->base + (piece->narrow[number % TRACE_PIECE] & UINT16_MAX),
                                  .signal = piece->signal,
                                  .value = piece->narrow[number % TRACE_PIECE] >> TRACE_NARROW_BITS};
    const trace_dense one = piece->dense[number % TRACE_PIECE];
    return (oak_trace_change){.time = piece->base + trace_dense_after(one),
                              .signal = trace_dense_signal(one),
                              .value = trace_dense_value(one)};
}

/* Forgets all but so many changes. */
void trace_cut(oak_trace *trace, size_t count);
/* As oak_trace_note for each of some signals at each of these times, in their order. */
OAK_MUST_USE oak_status trace_take_columns(oak_trace *trace, const uint64_t *times, trace_column *columns,
                                           unsigned column_count, size_t count);

#endif
