/* trace.c — see trace.h. */
#include <oakspindle/trace.h>

#include "base/arena.h"
#include "base/bytes.h"
#include "base/ratio.h"
#include "base/text.h"
#include "session/trace_state.h"

enum { USUAL_MOST = 4 << 20, MOST_SIGNALS = 4096 };

oak_status oak_trace_create(const oak_host *host, size_t most, oak_trace **result)
{
    if (!host || !result) return OAK_MISUSE;
    oak_trace *trace = host->resize(host->context, NULL, 0, sizeof *trace);
    if (!trace) return OAK_NO_MEMORY;
    memset(trace, 0, sizeof *trace);
    trace->host = *host;
    oak_arena_open(&trace->arena, &trace->host);
    trace->most = most ? most : USUAL_MOST;
    trace->numerator = trace->denominator = 1;
    *result = trace;
    return OAK_OK;
}

void oak_trace_free(oak_trace *trace)
{
    if (!trace) return;
    oak_host host = trace->host;
    oak_release(&host, trace->signals, trace->signal_room, sizeof *trace->signals);
    oak_release(&host, trace->changes, trace->change_room, sizeof *trace->changes);
    oak_arena_close(&trace->arena);
    host.resize(host.context, trace, sizeof *trace, 0);
}

void oak_trace_set_clock(oak_trace *trace, uint64_t clock_millihertz, uint32_t clocks_per_cycle)
{
    if (!trace) return;
    trace->clock = clock_millihertz;
    trace->clocks_per_cycle = clocks_per_cycle;
    trace->numerator = (uint64_t)1000000000000000u * clocks_per_cycle;
    trace->denominator = clock_millihertz;
}

uint64_t oak_trace_clock(const oak_trace *trace, uint32_t *clocks_per_cycle)
{
    if (!trace || !clocks_per_cycle) return 0;
    *clocks_per_cycle = trace->clocks_per_cycle;
    return trace->clock;
}

oak_status oak_trace_add_signal(oak_trace *trace, const char *name, unsigned bits, bool is_event,
                                unsigned *number)
{
    if (!trace || !name || !number) return OAK_MISUSE;
    if (!bits || bits > 32 || trace->signal_count == MOST_SIGNALS) return OAK_OUT_OF_RANGE;
    trace_signal *grown =
        oak_grow(&trace->host, trace->signals, &trace->signal_room, trace->signal_count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    trace->signals = grown;
    const char *copy = oak_arena_text(&trace->arena, name, oak_length(name));
    if (!copy) return OAK_NO_MEMORY;
    grown[trace->signal_count] = (trace_signal){.about = {copy, (uint8_t)bits, is_event}, .last = TRACE_NONE};
    *number = (unsigned)trace->signal_count++;
    return OAK_OK;
}

const oak_trace_signal *oak_trace_signal_at(const oak_trace *trace, unsigned number)
{
    if (!trace) return NULL;
    return number < trace->signal_count ? &trace->signals[number].about : NULL;
}

static bool has_room(oak_trace *trace, size_t count)
{
    if (count <= trace->change_room - trace->change_count) return true;
    oak_trace_change *grown = oak_grow(&trace->host, trace->changes, &trace->change_room,
                                       trace->change_count + count, sizeof *grown);
    if (grown) trace->changes = grown;
    return grown;
}

/* Of a signal that is there. */
static inline oak_status note(oak_trace *trace, uint64_t time, uint32_t number, uint32_t value,
                              uint32_t other)
{
    trace_signal *signal = &trace->signals[number];
    if (signal->last != TRACE_NONE && !signal->about.is_event) {
        oak_trace_change *last = &trace->changes[signal->last];
        if (last->value == value && last->other == other) return OAK_OK;
        if (last->time == time) {
            last->value = value;
            last->other = other;
            return OAK_OK;
        }
    }
    if (trace->change_count == trace->most) {
        trace->full = true;
        return OAK_OK;
    }
    if (!has_room(trace, 1)) return OAK_NO_MEMORY;
    signal->last = trace->change_count++;
    trace->changes[signal->last] = (oak_trace_change){time, number, value, other};
    if (time > trace->end) trace->end = time;
    return OAK_OK;
}

oak_status oak_trace_note(oak_trace *trace, const oak_trace_change *change)
{
    if (!trace || !change) return OAK_MISUSE;
    if (trace->paused) return OAK_OK;
    if (change->signal >= trace->signal_count) return OAK_OUT_OF_RANGE;
    return note(trace, change->time, change->signal, change->value, change->other);
}

/* Changes of one signal whose last change is the one before, as many as there are and go in. */
static size_t take_run(oak_trace *trace, const oak_judged_change *changes, size_t count, uint32_t number,
                       const trace_kept *as)
{
    size_t room = trace->most - trace->change_count;
    if (count > room) count = room;
    if (!count || !has_room(trace, count)) return 0;
    oak_trace_change *to = trace->changes + trace->change_count, last = to[-1];
    const uint32_t mask = as->mask;
    const unsigned shift = as->shift;
    size_t i;
    for (i = 0; i < count && changes[i].number == number; i++) {
        uint32_t value = changes[i].value >> shift & mask;
        if (value == last.value || changes[i].cycle == last.time) break;
        last.value = value;
        last.time = changes[i].cycle;
        *to++ = last;
    }
    trace->change_count += i;
    trace->signals[as->signal].last = trace->change_count - 1;
    if (last.time > trace->end) trace->end = last.time;
    return i;
}

oak_status trace_take(oak_trace *trace, const oak_judged_change *changes, size_t count,
                      const trace_kept *kept)
{
    oak_status status = OAK_OK;
    for (size_t i = 0; i < count && !status && !trace->paused;) {
        const uint32_t number = changes[i].number;
        const trace_kept *as = &kept[number];
        status = note(trace, changes[i].cycle, as->signal, changes[i].value >> as->shift & as->mask, 0);
        i++;
        if (!status && trace->signals[as->signal].last == trace->change_count - 1)
            i += take_run(trace, changes + i, count - i, number, as);
    }
    return status;
}

bool oak_trace_is_full(const oak_trace *trace)
{
    if (!trace) return false;
    return trace->full;
}

void oak_trace_clear(oak_trace *trace)
{
    if (!trace) return;
    trace->change_count = 0;
    trace->end = 0;
    trace->full = false;
    for (size_t i = 0; i < trace->signal_count; i++) trace->signals[i].last = TRACE_NONE;
}

const oak_trace_change *oak_trace_change_at(const oak_trace *trace, size_t number)
{
    if (!trace) return NULL;
    return number < trace->change_count ? &trace->changes[number] : NULL;
}

uint64_t oak_trace_end(const oak_trace *trace)
{
    if (!trace) return 0;
    return trace->end;
}

void oak_trace_set_end(oak_trace *trace, uint64_t time)
{
    if (!trace) return;
    if (time > trace->end) trace->end = time;
}

/* a * b / c to the nearest whole number. */
static uint64_t nearest(uint64_t a, uint64_t b, uint64_t c)
{
    uint64_t down = oak_scaled(a, b, c, false);
    if (down >= UINT64_MAX / 2) return down;
    /* twice the quotient, rounded down, is odd when the rest is half or more */
    uint64_t twice = b <= UINT64_MAX / 2 ? oak_scaled(a, 2 * b, c, false) : 2 * down;
    return down + (twice & 1);
}

uint64_t oak_trace_picoseconds(const oak_trace *trace, uint64_t time)
{
    if (!trace) return 0;
    return nearest(time, trace->numerator, trace->denominator);
}

uint64_t oak_trace_time(const oak_trace *trace, uint64_t picoseconds)
{
    if (!trace) return 0;
    return nearest(picoseconds, trace->denominator, trace->numerator);
}

uint64_t oak_trace_cycles(const oak_trace *trace, uint64_t time)
{
    if (!trace) return 0;
    if (!trace->clock) return UINT64_MAX;
    uint64_t per_cycle = (uint64_t)1000000000000000u * trace->clocks_per_cycle;
    if (trace->numerator == per_cycle && trace->denominator == trace->clock) return time;
    return nearest(oak_trace_picoseconds(trace, time), trace->clock, per_cycle);
}
