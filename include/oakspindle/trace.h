/* trace.h — signals over time: what was recorded of pins, registers and cells, and value-change dumps (IEEE 1364).
 *
 * Times are whole numbers of a unit: a cycle of the chip for what a session records, the time step of the file for a dump
 * that was read. */
#ifndef OAKSPINDLE_TRACE_H
#define OAKSPINDLE_TRACE_H

#include <oakspindle/diag.h>
#include <oakspindle/image.h>
#include <oakspindle/port.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct oak_trace oak_trace;

typedef struct oak_trace_signal {
    const char *name;
    uint8_t bits;  /* 1 to 32 */
    bool is_event; /* no level: its changes are moments, as a place in the program that was passed */
} oak_trace_signal;

/* What a signal becomes. A bit of `other` is set where there is no level: floating where the same bit of `value` is 0,
 * unknown where it is 1. */
typedef struct oak_trace_change {
    uint64_t time;
    uint32_t signal;
    uint32_t value, other;
} oak_trace_change;

/* A trace of at most `most` changes (0: 4 million). The host must outlive it. OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_trace_create(const oak_host *host, size_t most, oak_trace **trace);
void oak_trace_free(oak_trace *trace);

/* The unit is a cycle: so many clocks of a clock in 1/1000 Hz. */
void oak_trace_set_clock(oak_trace *trace, uint64_t clock_millihertz, uint32_t clocks_per_cycle);
/* The clock, 0 when it is not known. */
uint64_t oak_trace_clock(const oak_trace *trace, uint32_t *clocks_per_cycle);

/* Adds a signal; the name is copied. OAK_NO_MEMORY, OAK_OUT_OF_RANGE for a wrong number of bits. */
OAK_MUST_USE oak_status oak_trace_add_signal(oak_trace *trace, const char *name, unsigned bits, bool is_event,
                                             unsigned *number);
/* By number from 0; NULL behind the last. */
const oak_trace_signal *oak_trace_signal_at(const oak_trace *trace, unsigned number);

/* Notes a change; times must not go back. One that says nothing new is passed over, and of several at one time the last
 * counts, but for events. When the trace is full nothing more is noted, and oak_trace_is_full tells so. OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_trace_note(oak_trace *trace, const oak_trace_change *change);
bool oak_trace_is_full(const oak_trace *trace);
/* Forgets all changes, keeps the signals. */
void oak_trace_clear(oak_trace *trace);
/* Changes in the order of time, numbered from 0; false behind the last. */
bool oak_trace_change_at(const oak_trace *trace, size_t number, oak_trace_change *change);
/* The time at which it ends: of the last change, or later. */
uint64_t oak_trace_end(const oak_trace *trace);
void oak_trace_set_end(oak_trace *trace, uint64_t time);

/* A time in picoseconds, rounded to the nearest one; UINT64_MAX when it does not fit. And the other way round. */
uint64_t oak_trace_picoseconds(const oak_trace *trace, uint64_t time);
uint64_t oak_trace_time(const oak_trace *trace, uint64_t picoseconds);
/* A time in cycles, rounded to the nearest one; UINT64_MAX when the clock is not known. */
uint64_t oak_trace_cycles(const oak_trace *trace, uint64_t time);

/* Writes it as a value-change dump with the coarsest time step that is exact, or picoseconds. */
OAK_MUST_USE oak_status oak_trace_write_vcd(const oak_trace *trace, const oak_text_sink *out);
/* Reads a value-change dump. Variables of more than 32 bits and real numbers are left out, with a warning. OAK_REFUSED
 * after a diagnostic with line and column. */
OAK_MUST_USE oak_status oak_trace_read_vcd(const oak_host *host, const char *text, size_t size,
                                           const char *name, const oak_diag_sink *sink, oak_trace **trace);

/* Two runs beside each other. A signal changes as it did before when it takes the same values in the same order, each at most `off` away from
 * its time then. Times are units of `now`. */
typedef enum oak_trace_unlike {
    OAK_UNLIKE_MOVED,    /* the same value, at another time */
    OAK_UNLIKE_VALUE,    /* another value */
    OAK_UNLIKE_MISSING,  /* a change that was there before, and is not now */
    OAK_UNLIKE_NEW,      /* one that is there now, and was not before */
    OAK_UNLIKE_NO_SIGNAL /* the signal is in one of them only: in_before and in_now tell in which */
} oak_trace_unlike;

typedef struct oak_trace_difference {
    oak_trace_unlike what;
    const char *signal; /* its name; it belongs to one of the traces */
    unsigned bits;
    bool is_event, in_before, in_now;
    uint64_t before_time, now_time;
    uint32_t before_value, before_other, value, other;
} oak_trace_difference;

/* Writes the first `room` differences in the order of time and tells how many there are. Signals are the same by their names; with blanks as `_`,
 * as dumps have them. */
void oak_trace_compare(const oak_trace *before, const oak_trace *now, uint64_t off,
                       oak_trace_difference *list, size_t room, size_t *count);

#ifdef __cplusplus
}
#endif
#endif
