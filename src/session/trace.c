/* trace.c — see trace.h. */
#include <oakspindle/trace.h>

#include "base/arena.h"
#include "base/bits.h"
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
    for (size_t i = 0; i < trace->piece_count; i++) {
        oak_release(&host, trace->pieces[i].narrow, trace->pieces[i].narrow ? TRACE_PIECE : 0,
                    sizeof(trace_narrow));
        oak_release(&host, trace->pieces[i].dense, trace->pieces[i].dense ? TRACE_PIECE : 0,
                    sizeof(trace_dense));
        oak_release(&host, trace->pieces[i].wide, trace->pieces[i].wide ? TRACE_PIECE : 0,
                    sizeof(oak_trace_change));
    }
    oak_release(&host, trace->pieces, trace->piece_room, sizeof *trace->pieces);
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

/* A narrow piece has all signals, if they are few, or else this one. */
static void begin_narrow(const oak_trace *trace, trace_piece *piece, uint32_t signal)
{
    const bool are_few = trace->signal_count <= TRACE_NARROW_SIGNALS;
    unsigned some = 1;
    piece->first = are_few ? 0 : signal;
    piece->bits = TRACE_NARROW_BITS;
    for (; are_few && some < trace->signal_count; some *= 2) piece->bits--;
    for (unsigned i = 0; i < some && piece->first + i < trace->signal_count; i++) {
        const trace_signal *one = &trace->signals[piece->first + i];
        const bool is_far = one->about.bits > 16 && one->value > UINT16_MAX / 2;
        piece->least[i] = is_far ? one->value - UINT16_MAX / 2 : 0; /* there is as much room below */
    }
}

/* What this change is in a narrow piece, if it has room in one. */
static bool is_narrow(const trace_piece *piece, uint64_t after, uint32_t signal, uint32_t value,
                      trace_narrow *one)
{
    const uint32_t which = signal - piece->first;
    if (after >> piece->bits || which >> (TRACE_NARROW_BITS - piece->bits)) return false;
    const uint32_t more = value - piece->least[which];
    *one = (uint32_t)after | which << piece->bits | more << TRACE_NARROW_BITS;
    return more <= UINT16_MAX;
}

/* The piece that the next change goes into: narrow if the one before it still is, and after a while, again. */
static trace_piece *next_piece(oak_trace *trace)
{
    size_t number = trace->change_count / TRACE_PIECE, room = 0;
    if (number < trace->piece_count) return &trace->pieces[number];
    trace_piece *grown = oak_grow(&trace->host, trace->pieces, &trace->piece_room, number + 1, sizeof *grown);
    if (!grown) return NULL;
    trace->pieces = grown;
    grown[number] = (trace_piece){0};
    if (number && grown[number - 1].narrow) trace->wait = 0;
    if (number >= trace->narrow_from)
        grown[number].narrow = oak_grow(&trace->host, NULL, &room, TRACE_PIECE, sizeof(trace_narrow));
    else grown[number].dense = oak_grow(&trace->host, NULL, &room, TRACE_PIECE, sizeof(trace_dense));
    if (!grown[number].dense && !grown[number].narrow) return NULL;
    trace->piece_count++;
    return &grown[number];
}

/* Any change has room in it then. */
static bool widen(oak_trace *trace, size_t number)
{
    trace_piece *piece = &trace->pieces[number];
    size_t first = number * TRACE_PIECE, room = 0;
    if (piece->wide) return true;
    oak_trace_change *wide = oak_grow(&trace->host, NULL, &room, TRACE_PIECE, sizeof *wide);
    if (!wide) return false;
    for (size_t i = 0; i < TRACE_PIECE && first + i < trace->change_count; i++)
        wide[i] = trace_change(trace, first + i);
    oak_release(&trace->host, piece->dense, piece->dense ? TRACE_PIECE : 0, sizeof *piece->dense);
    oak_release(&trace->host, piece->narrow, piece->narrow ? TRACE_PIECE : 0, sizeof *piece->narrow);
    piece->dense = NULL;
    piece->narrow = NULL;
    piece->wide = wide;
    return true;
}

/* Levels of any signal have room in it then. */
static bool loosen(oak_trace *trace, size_t number)
{
    trace_piece *piece = &trace->pieces[number];
    const size_t first = number * TRACE_PIECE;
    size_t room = 0;
    enum { LONGEST = 16 };
    if (!piece->narrow) return true;
    trace->narrow_from = number + 1 + trace->wait;
    if (trace->wait < LONGEST) trace->wait = 2 * trace->wait + 1;
    trace_dense *dense = oak_grow(&trace->host, NULL, &room, TRACE_PIECE, sizeof *dense);
    if (!dense) return false;
    for (size_t i = 0; i < TRACE_PIECE && first + i < trace->change_count; i++) {
        const oak_trace_change one = trace_change(trace, first + i);
        dense[i] = trace_dense_of(one.time - piece->base, one.signal, one.value);
    }
    oak_release(&trace->host, piece->narrow, TRACE_PIECE, sizeof *piece->narrow);
    piece->narrow = NULL;
    piece->dense = dense;
    return true;
}

static oak_status append(oak_trace *trace, const oak_trace_change *change)
{
    size_t at = trace->change_count % TRACE_PIECE;
    size_t number = trace->change_count / TRACE_PIECE;
    trace_piece *piece = next_piece(trace);
    if (!piece) return OAK_NO_MEMORY;
    if (!at) piece->base = change->time;
    if (!at && piece->narrow) begin_narrow(trace, piece, change->signal);
    uint64_t after = change->time - piece->base;
    bool is_dense = !piece->wide && after <= UINT16_MAX && !change->other;
    trace_narrow narrow;
    if (is_dense && piece->narrow && is_narrow(piece, after, change->signal, change->value, &narrow))
        piece->narrow[at] = narrow;
    else if (is_dense && loosen(trace, number))
        piece->dense[at] = trace_dense_of(after, change->signal, change->value);
    else if (!is_dense && widen(trace, number)) piece->wide[at] = *change;
    else return OAK_NO_MEMORY;
    trace->change_count++;
    return OAK_OK;
}

/* At the time of this change its signal has become something else. */
static oak_status correct(oak_trace *trace, size_t number, uint32_t value, uint32_t other)
{
    trace_piece *piece = &trace->pieces[number / TRACE_PIECE];
    const oak_trace_change before = trace_change(trace, number);
    size_t at = number % TRACE_PIECE;
    trace_narrow narrow = 0;
    if (other && !widen(trace, number / TRACE_PIECE)) return OAK_NO_MEMORY;
    if (piece->narrow && !is_narrow(piece, before.time - piece->base, before.signal, value, &narrow) &&
        !loosen(trace, number / TRACE_PIECE))
        return OAK_NO_MEMORY;
    if (piece->narrow) piece->narrow[at] = narrow;
    else if (piece->dense)
        piece->dense[at] =
            trace_dense_of(trace_dense_after(piece->dense[at]), trace_dense_signal(piece->dense[at]), value);
    else piece->wide[at].value = value, piece->wide[at].other = other;
    return OAK_OK;
}

/* Of a signal that is there. */
static inline oak_status note(oak_trace *trace, uint64_t time, uint32_t number, uint32_t value,
                              uint32_t other)
{
    trace_signal *signal = &trace->signals[number];
    bool corrects = false;
    if (signal->last != TRACE_NONE && !signal->about.is_event) {
        if (signal->value == value && signal->other == other) return OAK_OK;
        corrects = signal->time == time;
    }
    if (!corrects && trace->change_count == trace->most) {
        trace->full = true;
        return OAK_OK;
    }
    oak_status status = corrects ? correct(trace, signal->last, value, other)
                                 : append(trace, &(oak_trace_change){time, number, value, other});
    if (status) return status;
    signal->value = value;
    signal->other = other;
    if (corrects) return OAK_OK;
    signal->time = time;
    signal->last = trace->change_count - 1;
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

enum { FEW = 32, TOGETHER = 8 };

/* Which of a few levels are not as the one before, 1 each; how many. */
static uint32_t differ_few(uint32_t *restrict differs, const uint32_t *values, uint32_t last)
{
    uint32_t sum = differs[0] = values[0] != last;
    for (unsigned i = 1; i < FEW; i++) sum += differs[i] = values[i] != values[i - 1];
    return sum;
}

/* Levels of one signal, for each of which there is room; where the next one goes. A change is made of time and value. Then the same of several, in the
 * order of time. */
#define PUT_LEVELS(name, type, change)                                                                       \
    static void name##_few(type *restrict to, const uint64_t *restrict times,                                \
                           const uint32_t *restrict values, uint64_t less)                                   \
    {                                                                                                        \
        for (unsigned i = 0; i < FEW; i++) to[i] = change(times[i] - less, values[i]);                       \
    }                                                                                                        \
    static type *name(type *to, const uint64_t *times, const uint32_t *values, uint32_t last, size_t count,  \
                      uint64_t less)                                                                         \
    {                                                                                                        \
        uint32_t differs[FEW];                                                                               \
        type few[FEW];                                                                                       \
        size_t from = 0;                                                                                     \
        for (; count - from >= FEW; last = values[from + FEW - 1], from += FEW) {                            \
            const uint32_t some = differ_few(differs, values + from, last);                                  \
            if (!some) continue;                                                                             \
            name##_few(some == FEW ? to : few, times + from, values + from, less);                           \
            if (some == FEW) to += FEW;                                                                      \
            else                                                                                             \
                for (unsigned i = 0; i < FEW; i += 4) { /* each is the next one, or not */                   \
                    *to = few[i], to += differs[i];                                                          \
                    *to = few[i + 1], to += differs[i + 1];                                                  \
                    *to = few[i + 2], to += differs[i + 2];                                                  \
                    *to = few[i + 3], to += differs[i + 3];                                                  \
                }                                                                                            \
        }                                                                                                    \
        for (; from < count; last = values[from++]) {                                                        \
            *to = change(times[from] - less, values[from]);                                                  \
            to += values[from] != last;                                                                      \
        }                                                                                                    \
        return to;                                                                                           \
    }                                                                                                        \
    OAK_ALWAYS_INLINE type *name##_merged(type *to, type(*few)[FEW], uint32_t(*differs)[FEW], unsigned all)  \
    {                                                                                                        \
        for (unsigned i = 0; i < FEW; i++)                                                                   \
            for (unsigned n = 0; n < all; n++) *to = few[n][i], to += differs[n][i];                         \
        return to;                                                                                           \
    }                                                                                                        \
    static type *name##_some(type *to, const uint64_t *times, trace_column *columns, unsigned column_count,  \
                             size_t count)                                                                   \
    {                                                                                                        \
        size_t from = 0;                                                                                     \
        for (; count - from >= FEW && column_count <= TOGETHER; from += FEW) {                               \
            type few[TOGETHER][FEW];                                                                         \
            uint32_t differs[TOGETHER][FEW];                                                                 \
            unsigned all = 0;                                                                                \
            for (trace_column *one = columns; one < columns + column_count; one++) {                         \
                const uint32_t *values = one->from + from;                                                   \
                if (!differ_few(differs[all], values, one->last)) continue;                                  \
                name##_few(few[all++], times + from, values, one->less);                                     \
                one->last = values[FEW - 1];                                                                 \
            }                                                                                                \
            if (all == 1) to = name##_merged(to, few, differs, 1);                                           \
            else if (all == 2) to = name##_merged(to, few, differs, 2);                                      \
            else if (all == 3) to = name##_merged(to, few, differs, 3);                                      \
            else if (all) to = name##_merged(to, few, differs, all);                                         \
        }                                                                                                    \
        for (; from < count; from++)                                                                         \
            for (trace_column *one = columns; one < columns + column_count; one++) {                         \
                *to = change(times[from] - one->less, one->from[from]);                                      \
                to += one->from[from] != one->last;                                                          \
                one->last = one->from[from];                                                                 \
            }                                                                                                \
        return to;                                                                                           \
    }
#define DENSE(time, value)  ((time) + ((uint64_t)(value) << 32)) /* with its signal in the time */
#define NARROW(time, value) ((uint32_t)(time) + ((value) << TRACE_NARROW_BITS)) /* and what it is more than */
PUT_LEVELS(put_dense, trace_dense, DENSE)
PUT_LEVELS(put_narrow, trace_narrow, NARROW)

/* Whether all of these are at most 16 bits more than the least one. */
static bool are_near(const uint32_t *values, size_t count, uint32_t least)
{
    uint32_t any = 0;
    for (size_t i = 0; i < count; i++) any |= values[i] - least;
    return any <= UINT16_MAX;
}

/* Whether these rows have room in a narrow piece but for their times, and what makes changes of them then. */
static bool are_narrow(const trace_piece *piece, trace_column *columns, unsigned column_count, size_t from,
                       size_t count)
{
    for (trace_column *one = columns; one < columns + column_count; one++) {
        const uint32_t which = one->signal - piece->first;
        if (which >> (TRACE_NARROW_BITS - piece->bits)) return false;
        const uint32_t least = piece->least[which];
        if (!are_near(one->values + from, count, least)) return false;
        one->less = piece->base - (which << piece->bits) + ((uint64_t)least << TRACE_NARROW_BITS);
    }
    return true;
}

/* The usual case: levels behind others in a piece that is not wide, with room for each. How many rows that was. */
static size_t take_rows(oak_trace *trace, const uint64_t *times, trace_column *columns, unsigned column_count,
                        size_t from, size_t count)
{
    const size_t at = trace->change_count % TRACE_PIECE;
    size_t room = trace->most - trace->change_count, rows, put;
    const size_t number = trace->change_count / TRACE_PIECE;
    const trace_piece *piece = &trace->pieces[number];
    if (!at || piece->wide) return 0;
    if (room > TRACE_PIECE - at) room = TRACE_PIECE - at;
    rows = room / column_count < count ? room / column_count : count;
    if (piece->narrow && !are_narrow(piece, columns, column_count, from, rows) && !loosen(trace, number))
        return 0;
    const uint64_t end_of_piece = piece->base + (((uint64_t)1 << (piece->narrow ? piece->bits : 16)) - 1);
    if (times[from] > end_of_piece) return 0;
    while (rows && times[from + rows - 1] > end_of_piece) rows--; /* times go up */
    if (!rows) return 0;
    const size_t end = from + rows - 1;
    for (trace_column *one = columns; one < columns + column_count; one++) {
        const trace_signal *signal = &trace->signals[one->signal];
        if (signal->last == TRACE_NONE || signal->about.is_event || signal->other ||
            signal->time >= times[from])
            return 0;
        one->last = signal->value;
        one->ends = one->values[end] != (rows > 1 ? one->values[end - 1] : one->last);
        if (piece->dense) one->less = piece->base - ((uint64_t)one->signal << 16);
    }
    const uint64_t *const when = times + from;
    for (unsigned c = 0; c < column_count; c++) columns[c].from = columns[c].values + from;
    if (piece->narrow) {
        trace_narrow *const first = piece->narrow + at;
        put = (size_t)((column_count == 1
                            ? put_narrow(first, when, columns->from, columns->last, rows, columns->less)
                            : put_narrow_some(first, when, columns, column_count, rows)) -
                       first);
    } else {
        trace_dense *const first = piece->dense + at;
        put = (size_t)((column_count == 1
                            ? put_dense(first, when, columns->from, columns->last, rows, columns->less)
                            : put_dense_some(first, when, columns, column_count, rows)) -
                       first);
    }
    trace->change_count += put;
    for (trace_column *one = columns; one < columns + column_count; one++) {
        trace_signal *signal = &trace->signals[one->signal];
        signal->value = one->values[end];
        if (!one->ends) continue; /* where it changed is no matter: only the last time may come again */
        signal->time = times[end];
        signal->last = trace->change_count - 1;
        while (trace_change(trace, signal->last).signal != one->signal) signal->last--;
    }
    if (put) {
        const uint64_t time = trace_change(trace, trace->change_count - 1).time;
        if (time > trace->end) trace->end = time;
    }
    return rows;
}

static bool is_as_before(const trace_column *columns, unsigned column_count, size_t row)
{
    for (unsigned c = 0; c < column_count; c++)
        if (columns[c].values[row] != columns[c].values[row - 1]) return false;
    return true;
}

oak_status trace_take_columns(oak_trace *trace, const uint64_t *times, trace_column *columns,
                              unsigned column_count, size_t count)
{
    oak_status status = OAK_OK;
    for (size_t i = 0; column_count && i < count && !status && !trace->paused;) {
        size_t taken = take_rows(trace, times, columns, column_count, i, count - i);
        i += taken;
        if (taken) continue;
        for (const trace_column *one = columns; one < columns + column_count && !status; one++)
            status = note(trace, times[i], one->signal, one->values[i], 0);
        while (++i < count && is_as_before(columns, column_count, i)) continue;
    }
    return status;
}

bool oak_trace_is_full(const oak_trace *trace)
{
    if (!trace) return false;
    return trace->full;
}

void trace_cut(oak_trace *trace, size_t count)
{
    if (count < trace->change_count) trace->change_count = count;
    for (size_t i = 0; i < trace->signal_count; i++) trace->signals[i].last = TRACE_NONE;
    for (size_t i = 0; i < trace->change_count; i++) {
        const oak_trace_change change = trace_change(trace, i);
        trace_signal *signal = &trace->signals[change.signal];
        signal->last = i;
        signal->time = change.time;
        signal->value = change.value;
        signal->other = change.other;
    }
}

void oak_trace_clear(oak_trace *trace)
{
    if (!trace) return;
    trace_cut(trace, 0);
    trace->end = 0;
    trace->full = false;
}

bool oak_trace_change_at(const oak_trace *trace, size_t number, oak_trace_change *change)
{
    if (!trace || !change || number >= trace->change_count) return false;
    *change = trace_change(trace, number);
    return true;
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
