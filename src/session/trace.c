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

oak_status oak_trace_note(oak_trace *trace, const oak_trace_change *change)
{
    if (!trace || !change) return OAK_MISUSE;
    if (trace->paused) return OAK_OK;
    if (change->signal >= trace->signal_count) return OAK_OUT_OF_RANGE;
    trace_signal *signal = &trace->signals[change->signal];
    if (signal->last != TRACE_NONE && !signal->about.is_event) {
        oak_trace_change *last = &trace->changes[signal->last];
        if (last->value == change->value && last->other == change->other) return OAK_OK;
        if (last->time == change->time) {
            last->value = change->value;
            last->other = change->other;
            return OAK_OK;
        }
    }
    if (trace->change_count == trace->most) {
        trace->full = true;
        return OAK_OK;
    }
    if (trace->change_count == trace->change_room) {
        oak_trace_change *grown = oak_grow(&trace->host, trace->changes, &trace->change_room,
                                           trace->change_count + 1, sizeof *grown);
        if (!grown) return OAK_NO_MEMORY;
        trace->changes = grown;
    }
    signal->last = trace->change_count;
    trace->changes[trace->change_count++] = *change;
    if (change->time > trace->end) trace->end = change->time;
    return OAK_OK;
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
