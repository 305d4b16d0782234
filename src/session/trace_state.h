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

/* Changes are kept in pieces: dense as long as they follow one another closely and have levels, and narrow as long as those of a signal differ by no
 * more than 16 bits, too, since what changes with every instruction fills memory quicker than a computer hands it out. */
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
/* When, in the lowest bits; which signal it is of those that the piece has, in the others of 16; and above them what its value is more than the lowest
 * one of that signal in the piece. */
typedef uint32_t trace_narrow;
enum { TRACE_PIECE = 1024, TRACE_NARROW_SIGNALS = 16, TRACE_NARROW_BITS = 16 };
typedef struct trace_piece {
    uint64_t base;
    trace_narrow *narrow; /* or */
    trace_dense *dense;   /* or else */
    oak_trace_change *wide;
    uint32_t first;                       /* if narrow: its signals begin with this one, */
    uint8_t bits;                         /* so many of them say when, */
    uint32_t least[TRACE_NARROW_SIGNALS]; /* and these are their lowest values */
} trace_piece;

struct oak_trace {
    oak_host host;
    oak_arena arena;
    trace_signal *signals;
    size_t signal_count, signal_room;
    trace_piece *pieces; /* all of them but for the last ones are full */
    size_t piece_count, piece_room, change_count, most;
    size_t narrow_from,
        wait; /* from which piece on narrow ones are tried again, and how long it takes after the next that was none */
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
    /* For those that take it: from where on, what it was last, whether it changes at the last time, and what is less in a change than its time. */
    const uint32_t *from;
    uint64_t less;
    uint32_t last;
    bool ends;
} trace_column;

static inline oak_trace_change trace_change(const oak_trace *trace, size_t number)
{
    const trace_piece *piece = &trace->pieces[number / TRACE_PIECE];
    if (piece->wide) return piece->wide[number % TRACE_PIECE];
    if (piece->narrow) {
        const trace_narrow one = piece->narrow[number % TRACE_PIECE];
        const uint32_t which = (one & UINT16_MAX) >> piece->bits;
        return (oak_trace_change){.time = piece->base + (one & (((uint32_t)1 << piece->bits) - 1)),
                                  .signal = piece->first + which,
                                  .value = piece->least[which] + (one >> TRACE_NARROW_BITS)};
    }
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
