/* laps.c — how long it takes from one thing to another: places that are reached, pins that change, a return. */
#include "base/bytes.h"
#include "session/session_state.h"

/* ------------------------------------------------------------------------------------------ what begins and ends them */

static const char RETURN[] = "its return";

/* "p1.1 rises", "door falls", "p1.1 changes". False with a status other than OAK_OK: told. */
static bool read_edge(oak_session *session, const char *text, const oak_diag_sink *sink, lap_point *point,
                      oak_status *status)
{
    static const char *const words[] = {"rises", "falls", "changes"};
    size_t length = 0, all = oak_length(text);
    unsigned pin, which = 0;
    while (text[length] && text[length] != ' ') length++;
    *status = OAK_OK;
    if (length == all || !length) return false;
    const char *word = text + length;
    while (*word == ' ') word++;
    while (which < 3 && !oak_same(word, words[which])) which++;
    bool known = session_find_pin(session, text, length, &pin);
    if (!known && which == 3) return false; /* a place with blanks in it */
    *status = OAK_REFUSED;
    if (!known)
        oak_refuse(sink, "no-pin", NULL, 0, 0,
                   "Pins are written like p1.3, or as the program or the board calls them.",
                   "`%.*s`: the part has no such pin", (int)length, text);
    else if (which == 3)
        oak_refuse(sink, "no-pin", NULL, 0, 0, "A pin rises, falls or changes: p1.3 rises.",
                   "`%s` says nothing of pin `%.*s`", word, (int)length, text);
    else if (!session->attached)
        oak_refuse(sink, "no-pin", NULL, 0, 0, NULL, "this chip does not tell when its pins change");
    else {
        *point = (lap_point){.kind = LAP_EDGE, .pin = pin, .rises = which != 1, .falls = which != 0};
        *status = OAK_OK;
    }
    return *status == OAK_OK;
}

static oak_status add_point(oak_session *session, const char *text, bool ends, lap_point *point,
                            const oak_diag_sink *sink)
{
    oak_status status;
    passing kind = ends ? PASS_LAP_END : PASS_LAP_BEGIN;
    *point = (lap_point){.kind = LAP_PLACE};
    if (read_edge(session, text, sink, point, &status) || status) return status;
    bool returns = ends && oak_same(text, RETURN);
    if (returns) point->kind = LAP_RETURN;
    point->stop = session->stop_count;
    return returns ? session_add_aimed(session, kind, (unsigned)session->lap_count)
                   : session_add_passing(session, text, kind, (unsigned)session->lap_count, sink);
}

oak_status oak_session_add_lap(oak_session *session, const char *from, const char *to,
                               const oak_diag_sink *sink)
{
    if (!session || !from || !to || !sink) return OAK_MISUSE;
    lap_record *grown =
        oak_grow(&session->host, session->laps, &session->lap_room, session->lap_count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    session->laps = grown;
    lap_record one = {.about = {.from = oak_arena_text(&session->arena, from, oak_length(from)),
                                .to = oak_arena_text(&session->arena, to, oak_length(to))}};
    if (!one.about.from || !one.about.to) return OAK_NO_MEMORY;
    size_t stops = session->stop_count;
    /* The end first: where both are the same place, a lap ends before the next one begins. */
    oak_status status = add_point(session, to, true, &one.to, sink);
    if (!status) status = add_point(session, from, false, &one.from, sink);
    if (!status && one.to.kind == LAP_RETURN && one.from.kind != LAP_PLACE) {
        oak_refuse(sink, "no-return", NULL, 0, 0,
                   "Begin at the label of a subroutine or a handler: 'look to its return'.",
                   "`%s` returns nowhere", from);
        status = OAK_REFUSED;
    }
    while (status && session->stop_count > stops) session_drop_passing(session);
    if (status) return status;
    grown[session->lap_count++] = one;
    return OAK_OK;
}

const oak_lap *oak_session_lap(const oak_session *session, unsigned number)
{
    if (!session) return NULL;
    return number < session->lap_count ? &session->laps[number].about : NULL;
}

/* ------------------------------------------------------------------------------------------ returns */

/* What stands before an address has called what begins here. */
static bool has_called(const oak_session *session, uint32_t back, uint32_t here)
{
    oak_decoded call;
    return session_call_before(session, back, &call) &&
           (!call.has_target || call.target == here || oak_session_leads_to(session, call.target) == here);
}

/* Where what begins here will return to; by_vector: a handler that keeps nothing on a stack, and may have one of its own. */
static bool returns_to(oak_session *session, uint32_t *back, bool *by_vector)
{
    enum { ROOM = 16 };
    oak_stack_item items[ROOM];
    const oak_exception_frame *frame = session->isa->frame;
    uint32_t link = 0;
    *by_vector = false;
    if (frame) session->chip.ops->read_register(session->chip.chip, frame->link_register, &link);
    if (frame && link < frame->returns_from &&
        has_called(session, link & ~(uint32_t)1, session_pc(session))) {
        *back = link & ~(uint32_t)1;
        return true;
    }
    if (frame && frame->came_from) {
        oak_reading reading;
        bool known =
            session_handled(session) && !oak_session_value(session, frame->came_from, &oak_silent, &reading);
        if (known) *back = (uint32_t)reading.value;
        return *by_vector = known;
    }
    size_t count = oak_session_stack(session, items, ROOM);
    for (size_t i = 0; i < count && i < ROOM; i++) {
        if (items[i].kind != OAK_STACK_INTERRUPTED && (frame || items[i].kind != OAK_STACK_RETURNS)) continue;
        *back = items[i].value & (frame ? ~(uint32_t)1 : UINT32_MAX);
        return true;
    }
    return false;
}

/* Execution has come to where it would: also with the stack as it was? */
static bool has_returned(const oak_session *session, const lap_record *lap)
{
    uint32_t now = session_stack_pointer(session);
    if (lap->by_vector) return session_handled(session) != lap->stack;
    return session->isa->frame ? !session_is_deeper(session, now, lap->stack)
                               : session_is_deeper(session, lap->stack, now);
}

/* ------------------------------------------------------------------------------------------ measuring */

/* The narrowest bins, of a power of two of cycles, that hold all from the shortest to the longest. */
static void put_in_bins(oak_lap *lap)
{
    uint64_t width = lap->bin_width ? lap->bin_width : 1, bins[OAK_LAP_BINS] = {0};
    while (lap->longest / width - lap->shortest / width >= OAK_LAP_BINS) width *= 2;
    uint64_t from = lap->shortest / width * width;
    if (width != lap->bin_width || from != lap->bin_from) {
        for (unsigned i = 0; i < OAK_LAP_BINS && lap->bin_width; i++)
            if (lap->bins[i]) bins[(lap->bin_from + i * lap->bin_width - from) / width] += lap->bins[i];
        for (unsigned i = 0; i < OAK_LAP_BINS; i++) lap->bins[i] = bins[i];
        lap->bin_width = width, lap->bin_from = from;
    }
    lap->bins[(lap->last - from) / width]++;
}

static void begin_lap(oak_session *session, lap_record *one, uint64_t now)
{
    bool returns = one->to.kind == LAP_RETURN;
    /* A handler may be left for the next one at once, with nothing executed between: when it was left is not known, and it does not count. */
    bool anew = one->under_way && returns &&
                (one->by_vector || !session_is_deeper(session, session_stack_pointer(session), one->stack));
    if (one->under_way && !anew) return;
    if (anew) session_aim(session, one->to.stop, one->back, false);
    one->under_way = false;
    if (returns) {
        uint32_t back;
        if (!returns_to(session, &back, &one->by_vector)) return;
        one->back = back;
        one->stack = one->by_vector ? session_handled(session) : session_stack_pointer(session);
        session_aim(session, one->to.stop, back, true);
    }
    one->under_way = true;
    one->began = now;
}

static void end_lap(oak_session *session, lap_record *one, uint64_t now)
{
    oak_lap *lap = &one->about;
    if (!one->under_way || (one->to.kind == LAP_RETURN && !has_returned(session, one))) return;
    one->under_way = false;
    if (one->to.kind == LAP_RETURN) session_aim(session, one->to.stop, one->back, false);
    lap->last = now - one->began;
    lap->total += lap->last;
    if (!lap->count || lap->last < lap->shortest) lap->shortest = lap->last;
    if (lap->last > lap->longest) lap->longest = lap->last;
    lap->count++;
    put_in_bins(lap);
}

void session_pass_lap(oak_session *session, const stop_record *record, uint64_t now)
{
    lap_record *lap = &session->laps[record->number];
    if (record->passing == PASS_LAP_END) end_lap(session, lap, now);
    else begin_lap(session, lap, now);
}

void session_lap_pin(oak_session *session, unsigned pin, oak_level level, uint64_t cycle)
{
    for (size_t i = 0; i < session->lap_count; i++) {
        lap_record *lap = &session->laps[i];
        for (unsigned begins = 0; begins < 2; begins++) {
            const lap_point *point = begins ? &lap->from : &lap->to;
            if (point->kind != LAP_EDGE || point->pin != pin) continue;
            if (!(level == OAK_HIGH && point->rises) && !(level == OAK_LOW && point->falls)) continue;
            if (begins) begin_lap(session, lap, cycle);
            else end_lap(session, lap, cycle);
        }
    }
}

void session_rewind_laps(oak_session *session)
{
    for (size_t i = 0; i < session->lap_count; i++) {
        lap_record *one = &session->laps[i];
        if (one->under_way && one->to.kind == LAP_RETURN)
            session_aim(session, one->to.stop, one->back, false);
        one->under_way = false;
        one->about = (oak_lap){.from = one->about.from, .to = one->about.to};
    }
}

void session_tape_laps(oak_session *session, oak_tape *tape)
{
    size_t laps = session->lap_count;
    bool back = !tape->saves && tape->at;
    oak_tape_piece(tape, &laps, sizeof laps);
    for (size_t i = 0; i < laps && i < session->lap_count; i++) {
        lap_record *lap = &session->laps[i];
        bool aimed = lap->under_way && lap->to.kind == LAP_RETURN;
        if (back && aimed) session_aim(session, lap->to.stop, lap->back, false);
        oak_tape_piece(tape, &lap->under_way, sizeof lap->under_way);
        oak_tape_piece(tape, &lap->began, sizeof lap->began);
        oak_tape_piece(tape, &lap->back, sizeof lap->back);
        oak_tape_piece(tape, &lap->stack, sizeof lap->stack);
        oak_tape_piece(tape, &lap->by_vector, sizeof lap->by_vector);
        oak_tape_piece(tape, &lap->about.count, sizeof lap->about - offsetof(oak_lap, count));
        aimed = lap->under_way && lap->to.kind == LAP_RETURN;
        if (back && aimed) session_aim(session, lap->to.stop, lap->back, true);
    }
}
