/* history.c — going back in time.
 *
 * A run is determined by its state, so any moment of the past is reached by bringing back a copy of the state from before it,
 * and running to it. Copies are taken every `spacing` cycles, and wherever somebody has changed something, since a replay
 * knows nothing of that. What a copy has in common with the one before it, page by page, is kept once. When there is no room for more,
 * every other copy is dropped and the spacing doubled; when only changes are left, the oldest goes. */
#include <oakspindle/print.h>

#include "base/arena.h"
#include "base/bytes.h"
#include "session/session_state.h"
#include "session/trace_state.h"

enum { FIRST_SPACING = 500000, USUAL_BYTES = 64 << 20, ASKED_EVERY = 4096 };

enum { PAGE = 4096 };
typedef struct page {
    size_t users; /* moments that have it */
    uint8_t bytes[PAGE];
} page;

typedef struct moment {
    page **pages;
    size_t size; /* in bytes */
    oak_chip_time time;
    bool changed; /* somebody has changed something just before */
} moment;

struct session_history {
    moment *moments;
    size_t count, room, bytes, most_bytes; /* bytes: of all pages, each once, and of their lists */
    uint64_t spacing;
    uint8_t *whole; /* a copy in one piece, while it is taken or brought back */
    size_t whole_room;
};

static size_t pages_of(size_t size)
{
    return (size + PAGE - 1) / PAGE;
}

/* ------------------------------------------------------------------------------------------ copies */

static void tape_trace(oak_trace *trace, oak_tape *tape)
{
    size_t changes = trace->change_count;
    oak_tape_piece(tape, &changes, sizeof changes);
    oak_tape_piece(tape, &trace->end, sizeof trace->end);
    oak_tape_piece(tape, &trace->full, sizeof trace->full);
    if (tape->saves || !tape->at || trace->paused) return;
    trace_cut(trace, changes);
}

/* A list that only grows: what was added later is dropped. */
#define TAPE_LIST(tape, list, count_)                                                                        \
    do {                                                                                                     \
        size_t kept_ = (count_);                                                                             \
        oak_tape_piece(tape, &kept_, sizeof kept_);                                                          \
        if (kept_ <= (count_) || (tape)->whole) (count_) = kept_;                                            \
        oak_tape_piece(tape, (list), kept_ * sizeof *(list));                                                \
    } while (0)

static oak_status run_tape(oak_session *session, oak_tape *tape)
{
    oak_status status = session->chip.ops->tape(session->chip.chip, tape);
    if (status) return status;
    TAPE_LIST(tape, session->drives, session->drive_count);
    TAPE_LIST(tape, session->puts, session->put_count);
    size_t noticed = session->noticed_count;
    TAPE_LIST(tape, session->noticed, noticed);
    session->noticed_count = (unsigned)noticed;
    oak_tape_piece(tape, &session->passed, sizeof session->passed);
    oak_tape_piece(tape, &session->passed_at, sizeof session->passed_at);
    for (size_t i = 0; i < session->joined_count; i++) {
        joined_outside *one = &session->joined[i];
        oak_tape_piece(tape, &one->due, sizeof one->due);
        if (one->outside.tape) one->outside.tape(one->outside.context, tape);
    }
    /* Settings of the user stay; only what they have counted goes back. */
    size_t hit = 0;
    bool back = !tape->saves && tape->at;
    for (size_t i = 0; session->stops_hit && i < session->stop_count; i++)
        hit += session->stops[i].point.hits != 0;
    oak_tape_piece(tape, &hit, sizeof hit);
    for (size_t i = 0; back && session->stops_hit && i < session->stop_count; i++)
        session->stops[i].point.hits = 0;
    for (size_t i = 0; hit; i++) {
        size_t number = i;
        if (!back && !session->stops[i].point.hits) continue;
        uint64_t hits = back ? 0 : session->stops[i].point.hits;
        oak_tape_piece(tape, &number, sizeof number);
        oak_tape_piece(tape, &hits, sizeof hits);
        if (back && number < session->stop_count) session->stops[number].point.hits = hits;
        hit--;
    }
    session_tape_laps(session, tape);
    bool traced = session->trace != NULL;
    oak_tape_piece(tape, &traced, sizeof traced);
    if (traced && session->trace) tape_trace(session->trace, tape);
    return OAK_OK;
}

static void free_pages(oak_session *session, moment *one)
{
    for (size_t i = 0; i < pages_of(one->size); i++) {
        if (!one->pages[i] || --one->pages[i]->users) continue;
        session->host.resize(session->host.context, one->pages[i], sizeof(page), 0);
        session->history->bytes -= sizeof(page);
    }
    oak_release(&session->host, one->pages, pages_of(one->size), sizeof *one->pages);
    session->history->bytes -= pages_of(one->size) * sizeof *one->pages;
}

static void drop(oak_session *session, size_t number)
{
    session_history *history = session->history;
    free_pages(session, &history->moments[number]);
    memmove(history->moments + number, history->moments + number + 1,
            (history->count - number - 1) * sizeof *history->moments);
    history->count--;
}

/* The pages of the copy in one piece; those that the moment before has as well are shared. */
static oak_status take_pages(oak_session *session, moment *made)
{
    session_history *history = session->history;
    const moment *before = history->count ? &history->moments[history->count - 1] : NULL;
    made->pages = oak_take_zeroed(&session->host, pages_of(made->size) * sizeof *made->pages);
    if (!made->pages) return OAK_NO_MEMORY;
    history->bytes += pages_of(made->size) * sizeof *made->pages;
    for (size_t i = 0; i < pages_of(made->size); i++) {
        size_t left = made->size - i * PAGE, length = left < PAGE ? left : PAGE;
        const uint8_t *bytes = history->whole + i * PAGE;
        page *same = before && i < pages_of(before->size) ? before->pages[i] : NULL;
        if (!same || memcmp(same->bytes, bytes, length) != 0) {
            same = oak_take_zeroed(&session->host, sizeof *same);
            if (!same) return OAK_NO_MEMORY;
            memcpy(same->bytes, bytes, length);
            history->bytes += sizeof *same;
        }
        same->users++;
        made->pages[i] = same;
    }
    return OAK_OK;
}

/* Makes room for one more. */
static void thin(oak_session *session)
{
    session_history *history = session->history;
    size_t before = history->count;
    for (size_t i = history->count; i-- > 1;)
        if (i % 2 && !history->moments[i].changed && i + 1 < history->count) drop(session, i);
    if (history->count == before && before) drop(session, 0);
    else history->spacing *= 2;
}

static oak_status copy_now(oak_session *session, bool changed)
{
    session_history *history = session->history;
    oak_tape tape = {0};
    oak_status status = run_tape(session, &tape);
    if (status) return status;
    moment made = {.size = tape.size, .time = session_time(session), .changed = changed};
    moment *grown =
        oak_grow(&session->host, history->moments, &history->room, history->count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    history->moments = grown;
    uint8_t *whole = oak_grow(&session->host, history->whole, &history->whole_room, made.size, 1);
    if (!whole) return OAK_NO_MEMORY;
    history->whole = whole;
    tape = (oak_tape){.at = whole, .saves = true};
    status = run_tape(session, &tape);
    if (!status) status = take_pages(session, &made);
    if (status) {
        if (made.pages) free_pages(session, &made);
        return status;
    }
    while (history->count && history->bytes > history->most_bytes) thin(session);
    history->moments[history->count++] = made;
    return OAK_OK;
}

uint64_t session_keep_moment(oak_session *session)
{
    session_history *history = session->history;
    if (!history) return UINT64_MAX;
    oak_chip_time now = session_time(session);
    const moment *last = history->count ? &history->moments[history->count - 1] : NULL;
    bool changed = session->touched || !last;
    if (changed && last && last->time.instructions == now.instructions && last->time.cycles == now.cycles)
        drop(session, history->count - 1);
    bool due = last && now.cycles - last->time.cycles >= history->spacing;
    /* Without what somebody has changed the past would be another one. */
    if ((changed || due) && copy_now(session, changed) == OAK_NO_MEMORY && changed) session->lost = true;
    session->touched = false;
    uint64_t next =
        history->count ? history->moments[history->count - 1].time.cycles + history->spacing : UINT64_MAX;
    return next > now.cycles ? next : now.cycles + history->spacing;
}

void session_forget_history(oak_session *session)
{
    while (session->history && session->history->count) drop(session, session->history->count - 1);
}

void session_close_history(oak_session *session)
{
    if (!session->history) return;
    session_forget_history(session);
    oak_release(&session->host, session->history->moments, session->history->room,
                sizeof *session->history->moments);
    oak_release(&session->host, session->history->whole, session->history->whole_room, 1);
    session->host.resize(session->host.context, session->history, sizeof *session->history, 0);
    session->history = NULL;
}

oak_status oak_session_keep_history(oak_session *session, size_t bytes)
{
    if (!session) return OAK_MISUSE;
    if (!session->chip.ops->tape) return OAK_UNSUPPORTED;
    if (!session->history) {
        session->history = session->host.resize(session->host.context, NULL, 0, sizeof *session->history);
        if (!session->history) return OAK_NO_MEMORY;
        memset(session->history, 0, sizeof *session->history);
    }
    session->history->most_bytes = bytes ? bytes : USUAL_BYTES;
    session->history->spacing = FIRST_SPACING;
    session->touched = true;
    return OAK_OK;
}

void oak_session_touch(oak_session *session)
{
    if (!session) return;
    session->touched = true;
}

oak_status oak_session_earliest(const oak_session *session, oak_chip_time *time)
{
    if (!session || !time) return OAK_MISUSE;
    if (!session->history || !session->history->count) return OAK_NOT_FOUND;
    *time = session->history->moments[0].time;
    return OAK_OK;
}

void oak_session_ask(oak_session *session, bool (*goes_on)(void *context), void *context)
{
    if (!session) return;
    session->goes_on = goes_on;
    session->asks = context;
}

static bool goes_on(const oak_session *session)
{
    return !session->goes_on || session->goes_on(session->asks);
}

/* ------------------------------------------------------------------------------------------ going back */

static oak_status bring_back(oak_session *session, size_t number)
{
    session_history *history = session->history;
    const moment *one = &history->moments[number];
    uint8_t *whole = oak_grow(&session->host, history->whole, &history->whole_room, one->size, 1);
    if (!whole) return OAK_NO_MEMORY;
    history->whole = whole;
    for (size_t i = 0; i < pages_of(one->size); i++) {
        size_t left = one->size - i * PAGE;
        memcpy(whole + i * PAGE, one->pages[i]->bytes, left < PAGE ? left : PAGE);
    }
    oak_tape tape = {.at = whole};
    return run_tape(session, &tape);
}

/* The present, kept while somebody looks at the past: it is brought back as it was, and nobody can tell. */
typedef struct present_state {
    uint8_t *bytes;
    size_t size;
    oak_chip_time time;
} present_state;

static oak_status keep_present(oak_session *session, present_state *present)
{
    oak_tape tape = {.whole = true};
    oak_status status = run_tape(session, &tape);
    *present = (present_state){.size = tape.size, .time = session_time(session)};
    if (status) return status;
    present->bytes = session->host.resize(session->host.context, NULL, 0, tape.size);
    if (!present->bytes) return OAK_NO_MEMORY;
    tape = (oak_tape){.at = present->bytes, .saves = true, .whole = true};
    status = run_tape(session, &tape);
    if (session->trace) session->trace->paused = true; /* what is looked at has been recorded */
    return status;
}

static void drop_present(oak_session *session, present_state *present)
{
    if (session->trace) session->trace->paused = false;
    if (present->bytes) session->host.resize(session->host.context, present->bytes, present->size, 0);
    present->bytes = NULL;
}

static oak_status bring_present(oak_session *session, present_state *present)
{
    oak_tape tape = {.at = present->bytes, .whole = true};
    oak_status status = present->bytes ? run_tape(session, &tape) : OAK_NO_MEMORY;
    drop_present(session, present);
    return status;
}

/* Goes back for good: what comes later is forgotten. What has changed is told against the snapshot that was taken before. */
static oak_status arrive(oak_session *session, size_t from, uint64_t cycle, uint64_t instruction,
                         oak_event *event)
{
    oak_status status = OAK_OK;
    *event = (oak_event){.stop_point = -1, .watch = -1};
    if (!status) status = bring_back(session, from);
    while (session->history->count > from + 1) drop(session, session->history->count - 1);
    if (!status) status = session_replay(session, cycle, instruction, &event->stop);
    event->stop.reason = OAK_STOP_STEP;
    event->stop.fault = OAK_FAULT_NONE;
    session->touched = false;
    session->last = *event;
    session_forget_values(session);
    return status;
}

/* The moment nothing can be done about: now, in a history that has nothing of it yet. */
static oak_status ready(oak_session *session)
{
    if (!session->history) return OAK_UNSUPPORTED;
    return session->history->count ? OAK_OK : OAK_NOT_FOUND;
}

static oak_status go_back_steps(oak_session *session, uint64_t steps, oak_event *event)
{
    uint64_t now = session_time(session).instructions;
    oak_status status = ready(session);
    if (status) return status;
    if (steps > now) return OAK_NOT_FOUND;
    status = session_note_before(session);
    if (status) return status;
    for (size_t i = session->history->count; i-- > 0;)
        if (session->history->moments[i].time.instructions <= now - steps)
            return arrive(session, i, UINT64_MAX, now - steps, event);
    return OAK_NOT_FOUND;
}

oak_status oak_session_back_steps(oak_session *session, uint64_t steps, oak_event *event)
{
    if (!session || !event) return OAK_MISUSE;
    return session_outcome(session, go_back_steps(session, steps, event));
}

static oak_status go_back_to_cycle(oak_session *session, uint64_t cycle, oak_event *event)
{
    oak_status status = ready(session);
    if (status) return status;
    if (cycle > session_time(session).cycles) return OAK_NOT_FOUND;
    status = session_note_before(session);
    if (status) return status;
    for (size_t i = session->history->count; i-- > 0;)
        if (session->history->moments[i].time.cycles <= cycle)
            return arrive(session, i, cycle, UINT64_MAX, event);
    return OAK_NOT_FOUND;
}

oak_status oak_session_back_to_cycle(oak_session *session, uint64_t cycle, oak_event *event)
{
    if (!session || !event) return OAK_MISUSE;
    return session_outcome(session, go_back_to_cycle(session, cycle, event));
}

/* What is looked for: an expression that holds, one that changes, calls that are no deeper. */
typedef struct search {
    const oak_expr *expr;
    const char *text;
    const oak_diag_sink *sink;
    bool changes, calls;
    int above; /* calls: how much deeper it is now than at the end of the stretch looked at */
    bool known;
    int64_t last;
    /* Or what the chip finds by itself, where count is above 0. */
    oak_watched cells[OAK_MOST_WATCHED];
    unsigned count;
    bool pins; /* or levels of pins alone, which the outside is told of: those in read_pins of the session */
} search;

/* Looks at the present moment. True: it is one; with `changes`, the one before this was. */
static bool hits(oak_session *session, search *what)
{
    oak_reading reading = {0};
    if (session_evaluate(session, what->expr, what->text, what->sink, &reading)) return false;
    bool changed = what->known && reading.value != what->last;
    what->known = true;
    what->last = reading.value;
    return what->changes ? changed : reading.value != 0;
}

/* The last moment of a stretch, from the present up to `end` (and to the first at or behind a cycle), that is one; UINT64_MAX
 * when there is none. Step by step. */
static uint64_t search_until(oak_session *session, search *what, uint64_t end, uint64_t now, uint64_t cycle)
{
    oak_stop stop;
    uint64_t at = session_time(session).instructions, found = UINT64_MAX;
    what->known = false;
    if (hits(session, what) && at < now && !what->changes) found = at;
    while (at < end && session_time(session).cycles < cycle) {
        oak_status status = session_replay(session, UINT64_MAX, at + 1, &stop);
        uint64_t before = at;
        at = session_time(session).instructions;
        if (status || at == before || (at % ASKED_EVERY == 0 && !goes_on(session))) break;
        if (!hits(session, what)) continue;
        if (what->changes) found = before;
        else if (at < now) found = at;
    }
    return found;
}

static uint64_t search_stretch(oak_session *session, search *what, uint64_t end, uint64_t now)
{
    return search_until(session, what, end, now, UINT64_MAX);
}

/* The same for the last change of pins: the whole stretch is run at once, and what is around the last change that the outside was
 * told of is looked at step by step. Where that shows nothing (it changed and was back within an instruction), all is. */
static uint64_t search_pins(oak_session *session, search *what, size_t number, uint64_t end, uint64_t now)
{
    enum { AROUND = 64 }; /* cycles: longer than an instruction */
    oak_stop stop;
    what->known = false;
    hits(session, what);
    session->pin_cycle = UINT64_MAX;
    session->looks_for_pins = true;
    if (session_replay(session, UINT64_MAX, end, &stop)) {
        session->looks_for_pins = false;
        return UINT64_MAX;
    }
    bool other = hits(session, what); /* looking brings devices and the outside to this moment */
    session->looks_for_pins = false;
    uint64_t cycle = session->pin_cycle, found = UINT64_MAX;
    if ((cycle == UINT64_MAX && !other) || bring_back(session, number)) return UINT64_MAX;
    if (cycle != UINT64_MAX) {
        if (cycle > AROUND && session_replay(session, cycle - AROUND, end, &stop)) return UINT64_MAX;
        found = search_until(session, what, end, now, cycle + AROUND);
        if (found != UINT64_MAX || bring_back(session, number)) return found;
    }
    return search_stretch(session, what, end, now);
}

/* The same for an expression that depends on nothing but cells of memory: it keeps its value until the chip has met a change
 * of one. Where that ends, what is left is done step by step. */
static uint64_t search_holding(oak_session *session, search *what, uint64_t end, uint64_t now)
{
    uint64_t at = session_time(session).instructions, found = UINT64_MAX, rounds = 0, last_cycle = UINT64_MAX;
    while (at < now) {
        oak_stop stop;
        session->collects = true;
        session->reads_else = false;
        session->read_count = 0;
        bool holds = hits(session, what);
        session->collects = false;
        if (holds) found = at;
        if (at >= end) break;
        if (session->reads_else || !session_arm_cells(session, session->read_cells, session->read_count)) {
            uint64_t later = search_stretch(session, what, end, now);
            return later == UINT64_MAX ? found : later;
        }
        session->searching = session->pauses = true;
        oak_status status = session_replay(session, UINT64_MAX, end, &stop);
        session->searching = session->pauses = false;
        if (status) break;
        uint64_t before = at, cycle = session_time(session).cycles;
        at = session_time(session).instructions;
        if (at == before && cycle == last_cycle)
            break; /* a handler may be entered between two instructions */
        last_cycle = cycle;
        /* It held until the instruction that changed something; up to the end where nothing did. */
        if (holds) found = at - 1 < now ? at - 1 : now - 1;
        if (++rounds % ASKED_EVERY == 0 && !goes_on(session)) break;
    }
    session_disarm_watches(session);
    return found;
}

/* The last moment at which calls were no deeper than now. How deep they are is known against the beginning of the stretch. */
static uint64_t search_calls(oak_session *session, search *what, uint64_t end, uint64_t now)
{
    enum { LEVELS = CALL_LEVELS, MIDDLE = LEVELS / 2 };
    static const oak_watched handlers = {.accesses = OAK_ACCESS_HANDLER};
    oak_stop stop;
    call_levels levels;
    uint64_t last[LEVELS], at = session_time(session).instructions, found = UINT64_MAX;
    for (unsigned i = 0; i < LEVELS; i++) last[i] = UINT64_MAX;
    session_begin_calls(session, &levels);
    session->searching = session->pauses = session_arm_cells(session, &handlers, 1);
    while (at < end) {
        call_watch before;
        uint64_t from = at;
        if (at < now) last[levels.depth] = at;
        session_before_step(session, &levels, &before);
        if (session_replay(session, UINT64_MAX, at + 1, &stop)) break;
        at = session_time(session).instructions;
        bool entered = session->searching && stop.reason == OAK_STOP_WATCH;
        if ((at == from && !entered) || (at % ASKED_EVERY == 0 && !goes_on(session))) break;
        session_count_calls(session, &levels, &before, entered);
    }
    session->searching = session->pauses = false;
    session_disarm_watches(session);
    int deepest = levels.depth + what->above;
    for (int i = 0; i <= deepest && i < LEVELS; i++)
        if (last[i] != UINT64_MAX && (found == UINT64_MAX || last[i] > found)) found = last[i];
    what->above = deepest - MIDDLE;
    return found;
}

/* The same by the chip, which runs on by itself until it meets one. */
static uint64_t search_cells(oak_session *session, const search *what, uint64_t end)
{
    oak_stop stop;
    session->hit_instruction = UINT64_MAX;
    if (!session_arm_cells(session, what->cells, what->count)) return UINT64_MAX;
    session->searching = true;
    oak_status status = session_replay(session, UINT64_MAX, end, &stop);
    session->searching = false;
    session_disarm_watches(session);
    if (status) return UINT64_MAX;
    uint64_t behind = session->hit_instruction;
    return behind == UINT64_MAX || !behind ? UINT64_MAX : behind - 1;
}

static void drop_snapshot(oak_session *session, snapshot *one)
{
    if (one->bytes) session->host.resize(session->host.context, one->bytes, one->size, 0);
    one->bytes = NULL;
}

/* The last moment before now that is one, from the last copy backwards: each stretch is run once. Nowhere, it is the present again. */
static oak_status find_back(oak_session *session, search *what, oak_event *event)
{
    present_state present = {0};
    oak_status status = ready(session);
    if (status) return status;
    snapshot kept = session->before; /* what has changed until now is asked for again when nothing is found */
    session->before = (snapshot){0};
    status = session_note_before(session);
    if (!status) status = keep_present(session, &present);
    uint64_t end = present.time.instructions;
    for (size_t i = status ? 0 : session->history->count; i-- > 0;) {
        uint64_t at = session->history->moments[i].time.instructions, found = UINT64_MAX;
        if (at > end) continue;
        if (!goes_on(session)) break;
        status = bring_back(session, i);
        if (status) break;
        found = what->count     ? search_cells(session, what, end)
                : what->pins    ? search_pins(session, what, i, end, present.time.instructions)
                : what->calls   ? search_calls(session, what, end, present.time.instructions)
                : what->changes ? search_stretch(session, what, end, present.time.instructions)
                                : search_holding(session, what, end, present.time.instructions);
        if (!goes_on(session)) break;
        if (found != UINT64_MAX) {
            drop_present(session, &present);
            drop_snapshot(session, &kept);
            return arrive(session, i, UINT64_MAX, found, event);
        }
        end = session->history->moments[i].time.instructions;
    }
    oak_status back = present.bytes ? bring_present(session, &present) : OAK_OK;
    drop_snapshot(session, &session->before);
    session->before = kept;
    if (status || back) return status ? status : back;
    return goes_on(session) ? OAK_NOT_FOUND : OAK_INTERRUPTED;
}

oak_status oak_session_back_until(oak_session *session, const char *expression, const oak_diag_sink *sink,
                                  oak_event *event)
{
    if (!session || !expression || !sink || !event) return OAK_MISUSE;
    watch_record one;
    oak_status status = session_make_watch(session, expression, OAK_WATCH_HOLDS, sink, &one);
    if (status) return status;
    search what = {.expr = one.expr, .text = one.about.text, .sink = sink};
    return find_back(session, &what, event);
}

/* A pin as `p1.3`; of what was noted as read only that is kept. */
static bool is_bit_of_port(oak_session *session, const oak_expr *expr)
{
    bool bit = expr && expr->kind == OAK_EXPR_BIT && expr->as.of.left->kind == OAK_EXPR_NAME &&
               expr->as.of.right->kind == OAK_EXPR_NUMBER;
    int64_t number = bit ? expr->as.of.right->as.number : 0;
    for (unsigned i = 0; bit && number >= 0 && number < OAK_MOST_PINS && i < OAK_MOST_PORTS; i++)
        session->read_pins[i] &= (uint32_t)1 << number;
    return bit;
}

oak_status oak_session_back_access(oak_session *session, const char *expression, oak_watch_kind kind,
                                   const oak_diag_sink *sink, oak_event *event)
{
    if (!session || !expression || !sink || !event) return OAK_MISUSE;
    watch_record one;
    oak_status status = kind == OAK_WATCH_HOLDS ? OAK_OUT_OF_RANGE
                                                : session_make_watch(session, expression, kind, sink, &one);
    if (status) return status;
    search what = {.expr = one.expr, .text = one.about.text, .sink = sink, .changes = true};
    session->reads_else = session->reads_pins = false;
    session->read_count = 0;
    for (unsigned i = 0; i < OAK_MOST_PORTS; i++) session->read_pins[i] = 0;
    session->collects = true;
    if (!one.expr) what.cells[what.count++] = one.cells;
    else if (session_evaluate(session, one.expr, one.about.text, NULL, &(oak_reading){0}))
        session->reads_else = true;
    session->collects = false;
    /* A cell as such, not something worked out from cells: that may stay the same when they change. */
    for (unsigned i = 0; i < session->read_count; i++) /* writing a register need not change it */
        session->reads_else |= !(session->read_cells[i].accesses & OAK_ACCESS_CHANGE);
    bool plain = one.expr && (one.expr->kind == OAK_EXPR_NAME || one.expr->kind == OAK_EXPR_CELL);
    for (unsigned i = 0; plain && !session->reads_else && i < session->read_count; i++)
        what.cells[what.count++] = session->read_cells[i];
    what.pins = session->attached && session->reads_pins && (plain || is_bit_of_port(session, one.expr));
    return find_back(session, &what, event);
}

oak_status oak_session_back_change(oak_session *session, const char *expression, const oak_diag_sink *sink,
                                   oak_event *event)
{
    if (!session || !expression || !sink || !event) return OAK_MISUSE;
    return oak_session_back_access(session, expression, OAK_WATCH_CHANGE, sink, event);
}

oak_status oak_session_back_over(oak_session *session, oak_event *event)
{
    if (!session || !event) return OAK_MISUSE;
    search what = {.calls = true};
    return find_back(session, &what, event);
}

/* ------------------------------------------------------------------------------------------ what has just been */

/* The instruction that comes next uses a special register in a way that devices notice. */
static bool reaches_devices(oak_session *session)
{
    enum { ROOM = 40 };
    oak_watched list[ROOM];
    unsigned count = oak_session_touches(session, list, ROOM);
    for (unsigned i = 0; i < count && i < ROOM; i++) {
        /* Reading has effects only where registers lie among the memory. */
        unsigned space = list[i].space;
        bool notices =
            list[i].accesses & OAK_ACCESS_WRITE || !session->part->architecture->spaces[space].special;
        if (space && notices && oak_part_register_at(session->part, space, list[i].address)) return true;
    }
    return false;
}

/* Leaves out what devices did by themselves. */
static size_t without_devices(const oak_session *session, oak_change *changes, size_t count)
{
    size_t kept = 0;
    for (size_t i = 0; i < count; i++) {
        const oak_change *one = &changes[i];
        if (one->space && oak_part_register_at(session->part, one->space, one->address)) continue;
        changes[kept++] = *one;
    }
    return kept;
}

oak_status oak_session_recent(oak_session *session, uint64_t count,
                              void (*tell)(void *context, const oak_recent *one), void *context)
{
    if (!session || !tell) return OAK_MISUSE;
    enum { MOST = 64 };
    oak_chip_time now = session_time(session);
    oak_status status = ready(session);
    if (!now.instructions && session->history) return OAK_OK; /* nothing has run */
    if (status) return status;
    present_state present;
    status = keep_present(session, &present);
    if (status) {
        drop_present(session, &present);
        return status;
    }
    snapshot kept = session->before; /* what has changed since the last run is asked for later */
    session->before = (snapshot){0};
    uint64_t from = now.instructions > count ? now.instructions - count : 0;
    size_t i = session->history->count;
    while (i-- > 0)
        if (session->history->moments[i].time.instructions <= from) break;
    if (i == SIZE_MAX) i = 0, from = session->history->moments[0].time.instructions;
    oak_stop stop;
    status = bring_back(session, i);
    if (!status) status = session_replay(session, UINT64_MAX, from, &stop);
    while (!status && session_time(session).instructions < now.instructions) {
        oak_change changes[MOST];
        char text[160] = "?";
        unsigned size;
        oak_chip_time at = session_time(session);
        oak_recent one = {.cycle = at.cycles, .text = text, .changes = changes};
        session->chip.ops->read_register(session->chip.chip, session->part->architecture->pc_register,
                                         &one.pc);
        if (oak_session_print_instruction(session, one.pc, text, sizeof text, &size))
            text[0] = '?', text[1] = 0;
        bool devices = reaches_devices(session);
        status = session_take_snapshot(session);
        if (!status) status = session_replay(session, UINT64_MAX, at.instructions + 1, &stop);
        if (!status) status = oak_session_changes(session, changes, MOST, &one.change_count);
        if (session_time(session).instructions == at.instructions) break;
        if (one.change_count > MOST) one.change_count = MOST;
        if (!devices) one.change_count = without_devices(session, changes, one.change_count);
        if (!status) tell(context, &one);
    }
    oak_status back = bring_present(session, &present);
    if (!status) status = back;
    drop_snapshot(session, &session->before);
    session->before = kept;
    return status;
}
