/* golden.c — a run that was kept: pins, values and what was sent are recorded, and held against a dump of an earlier run. */
#include <oakspindle/print.h>

#include "base/bytes.h"
#include "trial/running.h"

enum { LARGEST_FILE = 64 << 20, MOST_NAMES = 200, MOST_SIGNALS = 4096 };

static bool add_name(trial_running *r, trial_progress *p, const char *name)
{
    if (!p->recorded) p->recorded = oak_arena_take(&r->trials->arena, MOST_NAMES * sizeof *p->recorded);
    const char *kept = p->recorded && p->recorded_count < MOST_NAMES
                           ? oak_arena_text(&r->trials->arena, name, oak_length(name))
                           : NULL;
    if (kept) p->recorded[p->recorded_count++] = kept;
    return kept;
}

/* The signals a session records when it is asked for a thing. */
static oak_status record(trial_running *r, trial_progress *p, const char *name, const oak_diag_sink *sink)
{
    const oak_trace_signal *signal;
    oak_status status = oak_session_record(r->session, name, sink);
    if (status) return status;
    const oak_trace *trace = oak_session_trace(r->session);
    for (unsigned i = 0; (signal = oak_trace_signal_at(trace, i)); i++) {
        bool known = signal->is_event || (!oak_same(name, "pins") && !oak_same(signal->name, name));
        for (unsigned k = 0; k < p->recorded_count; k++) known |= oak_same(signal->name, p->recorded[k]);
        if (!known && !add_name(r, p, signal->name)) return OAK_NO_MEMORY;
    }
    return OAK_OK;
}

/* "pins, serial, count +- 5us": how far a change may be from its time is cut off. */
static bool cut_off(trial_running *r, char *text, uint64_t *off)
{
    *off = 0;
    for (char *at = text; *at; at++) {
        trial_span span;
        if (at[0] != '+' || at[1] != '-') continue;
        *at = 0;
        for (at += 2; *at == ' '; at++) {
        }
        if (!trial_read_span(at, oak_length(at), &span)) return false;
        *off = trial_cycles(r, &span);
        return true;
    }
    return true;
}

oak_status trial_begin_golden(trial_running *r, const trial_expectation *what, trial_progress *p)
{
    char text[TRIAL_LONGEST];
    uint64_t off;
    oak_diag_sink sink = trial_sink(r, &what->value);
    oak_status status = trial_filled(r, &what->value, false, text);
    if (status) return status;
    bool one_file = r->one->about.cases > 1;
    for (const char *at = what->place; *at; at++) one_file = one_file && *at != '{';
    if (one_file || !cut_off(r, text, &off)) {
        TRIAL_REFUSE(r->sink, r->trials, one_file ? &what->key : &what->value, "trial",
                     one_file ? "Name a file for each case: `as in run-{x}.vcd`."
                              : "Write `as in run.vcd: pins, serial, count +- 5us`.",
                     one_file ? "one file cannot hold the runs of several cases"
                              : "behind +- stands a time, or a number of cycles");
        return OAK_REFUSED;
    }
    for (char *at = text; *at && !status;) {
        char *end = at;
        while (*end && *end != ',') end++;
        char *next = *end ? end + 1 : end;
        while (end > at && end[-1] == ' ') end--;
        *end = 0;
        bool sends = oak_same(at, "serial");
        for (unsigned i = 0; i < r->output_count; i++) sends |= oak_same(at, r->output[i].name);
        if (sends) p->sends = true;
        else if (*at) status = record(r, p, at, &sink);
        for (at = next; *at == ' '; at++) {
        }
    }
    return status;
}

/* ------------------------------------------------------------------------------------------ the run as a trace */

typedef struct shown {
    trial_running *r;
    oak_trace *trace;
    const oak_trace *all;               /* what the session has recorded */
    int16_t *as;                        /* its signals' numbers here; -1: not wanted */
    unsigned first[TRIAL_MOST_OUTPUTS]; /* of what was sent: the byte on the line, and a moment for each */
    size_t change, sent[TRIAL_MOST_OUTPUTS];
} shown;

static oak_status add_signals(shown *s, const trial_progress *p)
{
    const oak_trace_signal *signal;
    oak_status status = OAK_OK;
    unsigned number;
    for (unsigned i = 0; s->all && !status && i < MOST_SIGNALS && (signal = oak_trace_signal_at(s->all, i));
         i++) {
        s->as[i] = -1;
        for (unsigned k = 0; k < p->recorded_count && !status && s->as[i] < 0; k++) {
            if (!oak_same(signal->name, p->recorded[k])) continue;
            status = oak_trace_add_signal(s->trace, signal->name, signal->bits, false, &number);
            s->as[i] = (int16_t)number;
        }
    }
    for (unsigned i = 0; p->sends && i < s->r->output_count && !status; i++) {
        char name[100];
        oak_format(name, sizeof name, "%s.sent", s->r->output[i].name);
        status = oak_trace_add_signal(s->trace, s->r->output[i].name, 8, false, &s->first[i]);
        if (!status) status = oak_trace_add_signal(s->trace, name, 1, true, &number);
        trial_take_output(s->r, i);
    }
    return status;
}

/* The earliest of what comes next. False behind the last. */
static bool note_next(shown *s, bool sends, oak_status *status)
{
    oak_trace_change change = {.time = UINT64_MAX};
    bool any = oak_trace_change_at(s->all, s->change, &change);
    int from = -1;
    oak_trace_change one = {.time = change.time};
    for (unsigned i = 0; sends && i < s->r->output_count; i++)
        if (s->sent[i] < s->r->output[i].count && s->r->output[i].at[s->sent[i]] < one.time)
            one.time = s->r->output[i].at[s->sent[i]], from = (int)i;
    if (from < 0 && !any) return false;
    if (from < 0) {
        s->change++;
        if (change.signal >= MOST_SIGNALS || s->as[change.signal] < 0) return true;
        one = change;
        one.signal = (uint32_t)s->as[change.signal];
        *status = oak_trace_note(s->trace, &one);
        return true;
    }
    one.signal = s->first[from];
    one.value = s->r->output[from].bytes[s->sent[from]++];
    *status = oak_trace_note(s->trace, &one);
    one.signal++, one.value = 1;
    if (!*status) *status = oak_trace_note(s->trace, &one);
    return true;
}

static oak_status make_trace(trial_running *r, const trial_progress *p, oak_trace **result)
{
    shown s = {.r = r, .all = oak_session_trace(r->session)};
    s.as = oak_arena_take(&r->trials->arena, MOST_SIGNALS * sizeof *s.as);
    oak_status status = s.as ? oak_trace_create(r->trials->arena.host, 0, &s.trace) : OAK_NO_MEMORY;
    if (status) return status;
    *result = s.trace;
    oak_trace_set_clock(s.trace, oak_session_clock(r->session), r->part->clocks_per_cycle);
    status = add_signals(&s, p);
    while (!status && note_next(&s, p->sends, &status)) {
    }
    oak_chip_time time = {0};
    r->chip.ops->read_time(r->chip.chip, &time);
    oak_trace_set_end(s.trace, time.cycles);
    return status;
}

/* ------------------------------------------------------------------------------------------ in words */

static void write_when(const oak_trace *now, uint64_t time, char *text, size_t room)
{
    uint32_t clocks;
    uint64_t clock = oak_trace_clock(now, &clocks);
    oak_write_time(time, clock, clocks, text, room);
}

static void write_deed(const oak_trace_difference *one, uint32_t value, uint32_t other, char *text,
                       size_t room)
{
    if (one->is_event) oak_format(text, room, "%s happens", one->signal);
    else if (one->bits == 1)
        oak_format(text, room, "%s %s", one->signal, other & 1 ? "floats" : value & 1 ? "rises" : "falls");
    else oak_format(text, room, "%s becomes 0x%x", one->signal, (unsigned)value);
}

void oak_trial_difference_text(const oak_trace *now, const oak_trace_difference *one, char *text, size_t room)
{
    if (!now || !one || !text) return;
    char deed[160], old[160], when[60], then[60], apart[60];
    write_deed(one, one->value, one->other, deed, sizeof deed);
    write_deed(one, one->before_value, one->before_other, old, sizeof old);
    write_when(now, one->now_time, when, sizeof when);
    write_when(now, one->before_time, then, sizeof then);
    bool later = one->now_time > one->before_time;
    write_when(now, later ? one->now_time - one->before_time : one->before_time - one->now_time, apart,
               sizeof apart);
    switch (one->what) {
    case OAK_UNLIKE_MOVED:
        oak_format(text, room, "%s at %s, %s %s than before", deed, when, apart, later ? "later" : "sooner");
        break;
    case OAK_UNLIKE_VALUE: oak_format(text, room, "%s at %s; before, %s at %s", deed, when, old, then); break;
    case OAK_UNLIKE_MISSING: oak_format(text, room, "%s no longer at %s", old, then); break;
    case OAK_UNLIKE_NEW: oak_format(text, room, "%s at %s, as it did not before", deed, when); break;
    default:
        oak_format(text, room, "%s %s", one->signal,
                   one->in_now ? "is not in what was kept" : "was kept, and is not recorded any more");
        break;
    }
}

/* ------------------------------------------------------------------------------------------ looking */

static oak_status read_kept(trial_running *r, const trial_expectation *what, const char *path,
                            oak_trace **before)
{
    const oak_host *host = r->trials->arena.host;
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_status status =
        host->read_file ? host->read_file(host->context, path, LARGEST_FILE, &bytes, &size) : OAK_UNSUPPORTED;
    if (status == OAK_NO_MEMORY) return status;
    if (status) {
        TRIAL_REFUSE(r->sink, r->trials, &what->key, "trial",
                     "`spindle trial --keep` writes it from a run that is right.",
                     "no run is kept in `%s`: %s", path, oak_status_text(status));
        return OAK_REFUSED;
    }
    status = oak_trace_read_vcd(host, bytes ? (const char *)bytes : "", size, path, r->sink, before);
    if (bytes) host->resize(host->context, bytes, size, 0);
    return status;
}

/* Both runs beside each other. */
static void compare(trial_running *r, const trial_expectation *what, const oak_trial_golden *golden)
{
    char found[400];
    oak_trace_difference first;
    size_t count = 0;
    oak_trace_compare(golden->before, golden->now, golden->off, &first, 1, &count);
    if (!count) return;
    oak_trial_difference_text(golden->now, &first, found, sizeof found);
    if (count == 1) trial_fail(r, what, "%s", found);
    else trial_fail(r, what, "%s; %llu differences in all", found, (unsigned long long)count);
    r->result->time.cycles = first.in_now ? first.now_time : first.before_time;
}

oak_status trial_expect_golden(trial_running *r, const trial_expectation *what, const trial_progress *p)
{
    char text[TRIAL_LONGEST], name[TRIAL_LONGEST];
    oak_trace *before = NULL, *now = NULL;
    oak_trial_golden golden = {0};
    trial_text file = what->key;
    file.text = what->place;
    oak_status status = trial_filled(r, &what->value, false, text);
    if (!status) status = trial_filled(r, &file, false, name);
    if (!status && cut_off(r, text, &golden.off)) golden.path = trial_beside(r->trials, name);
    if (!status && !golden.path) status = OAK_NO_MEMORY;
    if (!status) status = make_trace(r, p, &now);
    golden.now = now;
    r->result->checks++;
    if (!status && oak_trace_is_full(now)) {
        TRIAL_REFUSE(r->sink, r->trials, &what->key, "trial",
                     "Let it run for a shorter time, or name fewer signals.",
                     "there are too many changes to be kept");
        status = OAK_REFUSED;
    }
    oak_trial_golden_fn show = r->trials->show;
    if (!status && !(show && show(r->trials->show_context, &golden))) {
        status = read_kept(r, what, golden.path, &before);
        golden.before = before;
        if (!status) compare(r, what, &golden);
        if (!status && show) show(r->trials->show_context, &golden);
    }
    oak_trace_free(before);
    oak_trace_free(now);
    return status;
}
