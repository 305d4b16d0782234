/* watch.c — watches: what a run ends for beside its stop points.
 *
 * Reads, writes and entries of handlers are seen by the chip alone. A value that changes, or a condition that becomes true, is
 * left to the chip, too, where it depends on nothing but cells of memory and registers of the core; else it is worked out after each instruction. */
#include "base/bytes.h"
#include "base/invariant.h"
#include "session/session_state.h"

static oak_status refuse(const oak_diag_sink *sink, const char *text, const char *hint, const char *message)
{
    oak_expr_fault fault = {.code = "watch", .last = (uint16_t)oak_length(text)};
    oak_format(fault.message, sizeof fault.message, "%s", message);
    oak_format(fault.hint, sizeof fault.hint, "%s", hint);
    session_refuse(sink, text, &fault);
    return OAK_REFUSED;
}

static bool is_range(const char *text)
{
    for (; *text; text++)
        if (text[0] == '.' && text[1] == '.') return true;
    return false;
}

/* ------------------------------------------------------------------------------------------ adding */

static oak_status read_handler(oak_session *session, watch_record *one, const oak_diag_sink *sink)
{
    const oak_part *part = session->part;
    const char *text = one->about.text;
    char hint[300] = "Vectors:";
    oak_reading reading = {0};
    one->cells = (oak_watched){.accesses = OAK_ACCESS_HANDLER};
    if (!*text) return OAK_OK;
    one->cells.size = 1;
    for (unsigned i = 0; i < part->vector_count; i++) { /* a port may have the same name */
        if (!oak_same_name(text, oak_length(text), part->vectors[i].name)) continue;
        one->cells.address = part->vectors[i].address;
        return OAK_OK;
    }
    oak_status status = oak_session_value(session, text, sink, &reading);
    if (status) return status;
    one->cells.address = (uint32_t)reading.value;
    const oak_architecture *about = part->architecture;
    unsigned lines = about->vector_bytes ? about->own_exceptions + part->interrupt_lines : about->own_lines;
    if (reading.value >= 0 && reading.value <= UINT32_MAX && oak_is_vector(about, lines, one->cells.address))
        return OAK_OK;
    for (unsigned i = 0; i < part->vector_count && oak_length(hint) < sizeof hint - 40; i++)
        if (!part->vectors[i].is_value && part->vectors[i].address >= about->vector_first)
            oak_format(hint + oak_length(hint), sizeof hint - oak_length(hint), "%s %s",
                       hint[oak_length(hint) - 1] == ':' ? "" : ",", part->vectors[i].name);
    oak_format(hint + oak_length(hint), sizeof hint - oak_length(hint), "; a handler is a place: `stop %s`.",
               text);
    return refuse(sink, text, hint, "no interrupt has its vector here");
}

/* The cells that a watch of accesses, or of a stretch, is about. */
static oak_status read_cells(oak_session *session, watch_record *one, const oak_diag_sink *sink)
{
    static const uint8_t accesses[] = {[OAK_WATCH_CHANGE] = OAK_ACCESS_CHANGE,
                                       [OAK_WATCH_READ] = OAK_ACCESS_READ,
                                       [OAK_WATCH_WRITE] = OAK_ACCESS_WRITE,
                                       [OAK_WATCH_ACCESS] = OAK_ACCESS_READ | OAK_ACCESS_WRITE};
    const char *text = one->about.text;
    oak_status status;
    if (is_range(text)) {
        unsigned space;
        uint32_t from, to;
        status = oak_session_range(session, text, sink, &space, &from, &to);
        if (!status)
            one->cells = (oak_watched){.space = (uint8_t)space, .address = from, .size = to - from + 1};
    } else {
        bool writes = accesses[one->about.kind] != OAK_ACCESS_READ;
        status = session_locate(session, text, sink, writes, &one->cells);
    }
    if (status) return status;
    one->cells.accesses = accesses[one->about.kind];
    if (!session->chip.ops->watch) {
        (void)refuse(sink, text, "Watch when its value changes, or holds.",
                     "this chip cannot tell of accesses");
        return OAK_UNSUPPORTED;
    }
    if (session->chip.ops->watch(session->chip.chip, &one->cells, 1))
        return refuse(sink, text,
                      "Cells of memory can be, special registers, and whole registers except for pc.",
                      one->about.kind == OAK_WATCH_CHANGE ? "this stretch cannot be watched for changes"
                                                          : "accesses to this cannot be watched");
    return OAK_OK;
}

/* `$` is where execution is. */
bool session_reads_place(const oak_expr *expr)
{
    switch (expr->kind) {
    case OAK_EXPR_HERE: return true;
    case OAK_EXPR_NUMBER:
    case OAK_EXPR_NAME: return false;
    default:
        return session_reads_place(expr->as.of.left) ||
               (expr->as.of.right && session_reads_place(expr->as.of.right)) ||
               (expr->as.of.third && session_reads_place(expr->as.of.third));
    }
}

oak_status session_make_watch(oak_session *session, const char *expression, oak_watch_kind kind,
                              const oak_diag_sink *sink, watch_record *one)
{
    oak_reading reading;
    *one =
        (watch_record){.about = {.text = oak_arena_text(&session->arena, expression, oak_length(expression)),
                                 .kind = kind,
                                 .enabled = true}};
    if (!one->about.text) return OAK_NO_MEMORY;
    if (kind == OAK_WATCH_HANDLER) return read_handler(session, one, sink);
    bool stretch = is_range(one->about.text) && kind != OAK_WATCH_HOLDS;
    if (stretch || (kind != OAK_WATCH_CHANGE && kind != OAK_WATCH_HOLDS)) {
        oak_status status = read_cells(session, one, sink);
        session_disarm_watches(session); /* it was tried out */
        return status;
    }
    one->expr = session_parse(session, one->about.text, sink);
    one->reads_place = one->expr && session_reads_place(one->expr);
    return one->expr ? session_evaluate(session, one->expr, one->about.text, sink, &reading) : OAK_REFUSED;
}

void session_others_are_watched(oak_session *session)
{
    session_unjudge(session);
    session->judges = session->all_later = false;
    session->vain_since = UINT64_MAX; /* the first count tells nothing */
    session->vain_stops = 0;
}

oak_status oak_session_add_watch(oak_session *session, const char *expression, oak_watch_kind kind,
                                 const oak_diag_sink *sink, unsigned *number)
{
    if (!session || !expression || !sink) return OAK_MISUSE;
    watch_record one;
    unsigned by_cells = 0;
    oak_status status = session_make_watch(session, expression, kind, sink, &one);
    for (size_t i = 0; i < session->watch_count; i++)
        by_cells += !session->watches[i].expr && !session->watches[i].about.removed;
    if (!status && !one.expr && by_cells == OAK_MOST_WATCHES)
        status =
            refuse(sink, one.about.text, "Remove one that is not needed.", "no more accesses can be watched");
    if (status) return status;
    watch_record *grown = oak_grow(&session->host, session->watches, &session->watch_room,
                                   session->watch_count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    session->watches = grown;
    if (number) *number = (unsigned)session->watch_count;
    grown[session->watch_count++] = one;
    session_others_are_watched(session);
    return OAK_OK;
}

static watch_record *watch_at(const oak_session *session, unsigned number)
{
    bool there = number < session->watch_count && !session->watches[number].about.removed;
    return there ? &session->watches[number] : NULL;
}

oak_status oak_session_enable_watch(oak_session *session, unsigned number, bool enabled)
{
    if (!session) return OAK_MISUSE;
    watch_record *one = watch_at(session, number);
    if (!one) return OAK_NOT_FOUND;
    one->about.enabled = enabled;
    one->known = false;
    session_others_are_watched(session);
    return OAK_OK;
}

oak_status oak_session_remove_watch(oak_session *session, unsigned number)
{
    if (!session) return OAK_MISUSE;
    watch_record *one = watch_at(session, number);
    if (!one) return OAK_NOT_FOUND;
    one->about.enabled = false;
    one->about.removed = true;
    session_others_are_watched(session);
    return OAK_OK;
}

const oak_watch *oak_session_watch(const oak_session *session, unsigned number)
{
    if (!session) return NULL;
    return number < session->watch_count ? &session->watches[number].about : NULL;
}

/* ------------------------------------------------------------------------------------------ the chip's part */

void session_disarm_watches(oak_session *session)
{
    if (session->chip.ops->watch) session->chip.ops->watch(session->chip.chip, NULL, 0);
    session->armed_count = 0;
    session->halts_at_pins = false;
    session_unjudge(session);
}

static bool same_watched(const oak_watched *a, const oak_watched *b)
{
    return a->space == b->space && a->accesses == b->accesses && a->bits == b->bits &&
           a->address == b->address && a->size == b->size;
}

/* Leaves these to the chip. False when it will not take them. */
static bool arm(oak_session *session, const oak_watched *cells, unsigned count)
{
    OAK_INVARIANT(count <= OAK_MOST_WATCHED);
    bool same = count == session->armed_count;
    for (unsigned i = 0; same && i < count; i++) same = same_watched(&cells[i], &session->armed[i]);
    if (same) return true;
    if (!session->chip.ops->watch || session->chip.ops->watch(session->chip.chip, cells, count)) {
        session_disarm_watches(session);
        return false;
    }
    for (unsigned i = 0; i < count; i++) session->armed[i] = cells[i];
    session->armed_count = count;
    return true;
}

bool session_arm_cells(oak_session *session, const oak_watched *cells, unsigned count)
{
    session_unjudge(session);
    return arm(session, cells, count);
}

/* Where only cells of memory and registers matter the chip looks at them, which is much faster than working values out here. */
static void arm_watches(oak_session *session, bool values)
{
    oak_watched cells[2 * OAK_MOST_WATCHED];
    unsigned count = 0;
    for (size_t i = 0; i < session->watch_count; i++) {
        const watch_record *one = &session->watches[i];
        if (one->expr || !one->about.enabled || count == OAK_MOST_WATCHES) continue;
        session->armed_watch[count] = (int)i;
        cells[count++] = one->cells;
    }
    session->handler_bit = 0;
    if (session->sees_handlers) {
        session->handler_bit = (uint32_t)1 << count;
        session->armed_watch[count] = -1;
        cells[count++] = (oak_watched){.accesses = OAK_ACCESS_HANDLER};
    }
    unsigned accesses = count;
    session->halts_at_pins = false;
    session->watching = values;
    session->samples = session->sampled_count != 0;
    bool told =
        !session->reads_else || (!session->reads_more && session->attached && session->chip.ops->halt);
    /* What is recorded is wanted at each change, and nothing ends for it. Pins change rarely, and are told of. */
    bool samples = session->samples && (!session->reads_pins || !told);
    if ((samples || ((values || session->samples) && (session->judges || session->reads_more))) &&
        session_judge(session)) {
        if (!arm(session, cells, accesses)) session->handler_bit = 0;
        session->watching =
            values && !session->judging; /* a chip that does not take the accesses is disarmed */
        session->samples = session->samples && !session->judging;
        return;
    }
    if ((values || session->samples) && told && count + session->read_count <= OAK_MOST_WATCHED) {
        for (unsigned i = 0; i < session->read_count; i++) {
            session->armed_watch[count] = -1;
            cells[count++] = session->read_cells[i];
        }
        if (arm(session, cells, count)) {
            session->watching = session->samples = false;
            session->halts_at_pins = session->reads_else;
            for (unsigned i = 0; i < OAK_MOST_PORTS; i++) session->halting_pins[i] = session->read_pins[i];
            return;
        }
    }
    if (!arm(session, cells, accesses)) session->handler_bit = 0;
}

/* ------------------------------------------------------------------------------------------ looking */

/* Did it happen? Values are compared with how they were the last time. */
static bool happened(oak_session *session, watch_record *one, uint32_t watched)
{
    oak_reading reading;
    if (!one->expr) {
        for (unsigned i = 0; watched >> i; i++)
            if (watched >> i & 1 && session->armed_watch[i] == one - session->watches) return true;
        return false;
    }
    session->reads_else |= one->reads_place;
    session->reads_more |= one->reads_place;
    if (session_evaluate(session, one->expr, one->about.text, NULL, &reading)) { /* it has no value now */
        if (one->about.kind == OAK_WATCH_HOLDS) one->last = 0;
        return false;
    }
    bool hit = one->known && (one->about.kind == OAK_WATCH_HOLDS ? reading.value && !one->last
                                                                 : reading.value != one->last);
    one->known = true;
    one->last = reading.value;
    return hit;
}

int session_look_at_watches(oak_session *session, uint32_t watched)
{
    int found = -1;
    bool values = false;
    if (session->judges_anew) session_unjudge(session);
    session->reads_else = session->reads_more = session->reads_pins = false;
    session->collects = true;
    session->read_count = 0;
    for (unsigned i = 0; i < OAK_MOST_PORTS; i++) session->read_pins[i] = 0;
    if (!session->judging) session_sample(session); /* what it reads counts as well */
    for (size_t i = 0; i < session->watch_count; i++) {
        watch_record *one = &session->watches[i];
        if (!one->about.enabled) continue;
        values = values || one->expr;
        if (!happened(session, one, watched)) continue;
        one->about.hits++;
        if (found < 0) found = (int)i;
    }
    session->collects = false;
    if (session->watch_count || session->sees_handlers || session->sampled_count)
        arm_watches(session, values);
    else session->watching = session->samples = false;
    return found;
}

void session_forget_values(oak_session *session)
{
    for (size_t i = 0; i < session->watch_count; i++) session->watches[i].known = false;
}
