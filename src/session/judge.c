/* judge.c — conditions on registers and cells of memory that the program changes all the time, as short programs for a stack of numbers:
 * the chip asks behind each change. Where changes are rare its watches are quicker; see session_met_nothing. */
#include "session/judge.h"
#include "asm/expr_plain.h"
#include "base/bits.h"
#include "base/bytes.h"
#include "session/session_state.h"
#include "session/values.h"

/* What conditions are compared with may be another value now. */
static void forget_vain(oak_session *session)
{
    if (!++session->vain.since) session->vain.since = 1; /* what is as old as that has gone long ago */
}

typedef struct worked {
    int64_t value;
    bool is; /* it has one */
} worked;

/* What a piece of the program makes of the values; `*at` is its first operation, then its last, which says what it is for. What was read is said by
 * where it could have gone another way. `cycle`: of a moment that has passed, or NULL. */
OAK_ALWAYS_INLINE worked work_out(const oak_session *session, const judge_op **at, const uint32_t *values,
                                  const uint64_t *cycle, uint32_t *read)
{
    int64_t stack[JUDGE_DEPTH + 1], *below = stack, top = 0;
    const judge_op *op = *at;
#define VALUE ((int64_t)(values[op->from] >> op->shift & op->mask))
#define FORM(operator, kind, on_left, on_right, result)                                                      \
    case JUDGE_CODE(operator, kind): {                                                                       \
        const int64_t left = (on_left), right = (on_right);                                                  \
        const uint64_t a = (uint64_t)left, b = (uint64_t)right;                                              \
        (void)a, (void)b, (void)left, (void)right;                                                           \
        top = (result);                                                                                      \
        continue;                                                                                            \
    }
#define FORMS(operator, result)                                                                              \
    FORM(operator, JUDGE_AGAINST, (*below++ = top, VALUE), op->number, result)                               \
    FORM(operator, JUDGE_WITH, top, VALUE, result)                                                           \
    FORM(operator, JUDGE_THAN, top, op->number, result)                                                      \
    FORM(operator, JUDGE_ONE, top, 0, result)                                                                \
    FORM(operator, JUDGE_TWO, (*read |= op->mask, *--below), top, result)
    for (;; op++) {
        switch (op->code) {
            OAK_EACH_PLAIN(FORMS)
        case JUDGE_NUMBER: *below++ = top, top = op->number; continue;
        case JUDGE_TIME:
            *below++ = top, top = (int64_t)(cycle ? *cycle : session_time(session).cycles);
            continue;
        case JUDGE_VALUE: *below++ = top, top = VALUE; continue;
        case JUDGE_BIT: top = top >> op->shift & 1; continue;
        case JUDGE_UNLESS:
            *read |= op->mask;
            if (!top) op += op->number;
            continue;
        case JUDGE_CHOOSE:
            *read |= op->mask;
            if (!top) op += op->number;
            top = *--below;
            continue;
        case JUDGE_PAST: *read |= op->mask, op += op->number; continue;
        case JUDGE_CHOSEN: *read |= op->mask; continue;
        case JUDGE_THERE:
            if (values[op->from]) continue;
            break;
        case JUDGE_DIVISOR:
            if (top) continue;
            break;
        default:
            *read |= op->mask;
            *at = op;
            return (worked){top, true};
        }
        for (; op->kind < JUDGE_END; op++) /* it has no value; all of it matters */
            if (judge_gathers(op->kind)) *read |= op->mask;
        *read |= op->mask;
        *at = op;
        return (worked){0, false};
    }
#undef VALUE
}

static void load(const judge_space *space, const judge_op *op, int64_t *to)
{
    const uint32_t *values = space->rows.value[op->from];
    const uint64_t *cycles = space->rows.cycle;
    const unsigned count = space->rows.count;
    if (op->kind == JUDGE_TIME)
        for (unsigned i = 0; i < count; i++) to[i] = (int64_t)cycles[i];
    else if (!op->shift && op->mask == UINT32_MAX)
        for (unsigned i = 0; i < count; i++) to[i] = values[i];
    else
        for (unsigned i = 0; i < count; i++) to[i] = values[i] >> op->shift & op->mask;
}

static void fill(const judge_space *space, int64_t number, int64_t *to)
{
    for (unsigned i = 0; i < space->rows.count; i++) to[i] = number;
}

/* By a number: several operators take long, and less where it is known before. */
static void operate_each(unsigned op, int64_t *left, int64_t number, int64_t *spare, unsigned count)
{
    if (op == OP_DIVIDE || op == OP_REMAINDER) {
        const uint32_t reciprocal = oak_reciprocal(number);
        const bool rest = op == OP_REMAINDER;
        for (unsigned i = 0; i < count; i++) left[i] = oak_divided(left[i], number, reciprocal, rest);
        return;
    }
    for (unsigned i = 0; i < count; i++) spare[i] = number;
    oak_expr_plain_each(op, left, spare, count);
}

/* The same for all rows; what need not be worked out does no harm. NULL where something of it may have no value. */
static const int64_t *work_out_rows(judge_space *space, const judge_op *op)
{
    int64_t(*top)[JUDGE_ROWS] = space->stack; /* the number above the last one */
    bool fails = false;
    for (; op->kind < JUDGE_END; op++) {
        if (op->kind == JUDGE_NUMBER) fill(space, op->number, *top++);
        else if (op->kind == JUDGE_THAN) operate_each(op->op, top[-1], op->number, *top, space->rows.count);
        else if (op->kind <= JUDGE_WITH) {
            load(space, op, *top);
            if (op->kind != JUDGE_WITH) top++;
            if (op->kind == JUDGE_AGAINST) operate_each(op->op, top[-1], op->number, *top, space->rows.count);
            if (op->kind == JUDGE_WITH) oak_expr_plain_each(op->op, top[-1], *top, space->rows.count);
        } else if (op->kind == JUDGE_TWO) {
            top--;
            oak_expr_plain_each(op->op, top[-1], *top, space->rows.count);
        } else if (op->kind == JUDGE_ONE) oak_expr_plain_each(op->op, top[-1], top[-1], space->rows.count);
        else if (op->kind == JUDGE_BIT)
            for (unsigned i = 0; i < space->rows.count; i++) top[-1][i] = top[-1][i] >> op->shift & 1;
        else if (op->kind == JUDGE_CHOSEN) {
            top -= 2;
            for (unsigned i = 0; i < space->rows.count; i++) top[-1][i] = top[-1][i] ? top[0][i] : top[1][i];
        } else if (op->kind == JUDGE_THERE)
            for (unsigned i = 0; i < space->rows.count; i++) fails |= !space->rows.value[op->from][i];
        else if (op->kind == JUDGE_DIVISOR)
            for (unsigned i = 0; i < space->rows.count; i++) fails |= !top[-1][i];
    }
    return fails ? NULL : space->stack[0];
}

/* The lower halves of what comes of such a chain. */
static void work_out_chain(const judge_space *space, const judge_op *op, uint32_t *restrict to)
{
    const unsigned count = space->rows.count;
    const uint32_t *from = space->rows.value[op->from], shift = op->shift, mask = op->mask;
    for (unsigned i = 0; i < count; i++) to[i] = from[i] >> shift & mask;
    for (op++; op->kind < JUDGE_END; op++) {
#define EACH(operator, with)                                                                                 \
    case operator:                                                                                           \
        for (unsigned i = 0; i < count; i++) to[i] = to[i] with right;                                       \
        break;
#define ALL(operators) EACH(OP_ADD, +) EACH(OP_SUBTRACT, -) EACH(OP_AND, &) EACH(OP_OR, |) EACH(OP_XOR, ^)
        if (op->kind == JUDGE_THAN) {
            const uint32_t right = (uint32_t)op->number;
            switch (op->op) {
                ALL()
            }
        } else {
            const uint32_t *rights = space->rows.value[op->from], by = op->shift, bits = op->mask;
#define right (rights[i] >> by & bits)
            switch (op->op) {
                ALL()
            }
#undef right
        }
#undef ALL
#undef EACH
    }
}

static void took(oak_session *session, oak_status status)
{
    if (status == OAK_NO_MEMORY) session->lost = true;
}

/* The values that are not the same in all rows, and in the one before them: a bit each. */
static uint32_t changed_in(judge_space *space, uint32_t kept)
{
    const unsigned count = space->rows.count;
    uint32_t changed = space->any_before ? 0 : kept;
    space->any_before = true;
    for (; kept; kept &= kept - 1) {
        const unsigned i = oak_lowest_bit(kept);
        const uint32_t *values = space->rows.value[i], last = space->last[i];
        uint32_t differs = 0;
        for (unsigned r = 0; r < count; r++) differs |= values[r] ^ last;
        space->last[i] = values[count - 1];
        changed |= (uint32_t)(differs != 0) << i;
    }
    return changed;
}

/* The column of a value that is recorded as it is, or NULL. */
static const uint32_t *as_is(const oak_session *session, const judge_op *op, uint32_t mask)
{
    const bool alone = op->kind == JUDGE_VALUE && op[1].kind == JUDGE_SAMPLE && !op->shift;
    if (!alone || session->judged_masks[op->from] & ~(op->mask & mask)) return NULL;
    return session->judge_space->rows.value[op->from];
}

/* Row by row, where some have no value: those are unknown then. */
static void work_out_each(const oak_session *session, const judge_op *op, uint32_t *to, uint32_t *unknown)
{
    const judge_space *space = session->judge_space;
    for (unsigned r = 0; r < space->rows.count; r++) {
        uint32_t values[OAK_MOST_JUDGED], read = 0;
        const judge_op *at = op;
        for (unsigned i = 0; i < OAK_MOST_JUDGED; i++) values[i] = space->rows.value[i][r];
        const worked now = work_out(session, &at, values, &space->rows.cycle[r], &read);
        to[r] = now.is ? (uint32_t)now.value : UINT32_MAX;
        unknown[r] = now.is ? 0 : UINT32_MAX;
    }
}

/* Columns of which some are not known everywhere. */
static oak_status take_each(oak_trace *trace, const judge_space *space, const trace_column *columns,
                            unsigned count, uint64_t unknown)
{
    oak_status status = OAK_OK;
    for (unsigned r = 0; r < space->rows.count; r++)
        for (unsigned c = 0; c < count && !status; c++)
            status = oak_trace_note(
                trace, &(oak_trace_change){.time = space->rows.cycle[r],
                                           .signal = columns[c].signal,
                                           .value = columns[c].values[r],
                                           .other = unknown >> c & 1 ? space->unknown[c][r] : 0});
    return status;
}

/* Each of the records, in the order of time. */
static void take_records(oak_session *session, uint32_t changed)
{
    judge_space *space = session->judge_space;
    trace_column columns[JUDGE_MOST / 2];
    unsigned count = 0;
    uint64_t unknown = 0;
    for (size_t i = 0; i < session->sampled_count; i++) {
        const judge_record *record = &session->records[i];
        sampled_value *one = &session->sampled[i];
        if (!(record->reads & changed)) continue;
        const judge_op *op = session->judged + record->first;
        uint32_t *const result = space->result[count];
        const uint32_t mask = one->mask, rows = space->rows.count;
        const uint32_t *const is = as_is(session, op, mask);
        if (record->chain && !is) work_out_chain(space, op, result);
        else if (!is) {
            const int64_t *values = work_out_rows(space, op);
            for (unsigned r = 0; r < rows && values; r++) result[r] = (uint32_t)values[r];
            if (!values) work_out_each(session, op, result, space->unknown[count]);
            if (!values) unknown |= (uint64_t)1 << count;
        }
        for (unsigned r = 0; r < rows && !is; r++) result[r] &= mask;
        columns[count] = (trace_column){.signal = one->signal, .values = is ? is : result};
        one->known = !(unknown >> count & 1) || !space->unknown[count][rows - 1];
        one->last = columns[count++].values[rows - 1];
    }
    took(session,
         unknown ? take_each(session->trace, space, columns, count, unknown)
                 : trace_take_columns(session->trace, space->rows.cycle, columns, count, space->rows.count));
}

void session_take_kept(oak_session *session)
{
    judge_space *space = session->judge_space;
    if (!space || !space->rows.count) return;
    if (space->rows.complete) space->rows.complete(&space->rows);
    const bool alone = session->sampled_count == 1;
    take_records(session, alone ? session->keeps : changed_in(space, session->keeps));
    space->rows.count = space->rows.whole = 0;
}

/* What is worked out at once: nothing more is recorded when the trace is full. */
static const judge_op *first_of(const oak_session *session)
{
    bool records = session->judged_later < session->judged_samples && !oak_trace_is_full(session->trace);
    return session->judged + (records ? session->judged_later : session->judged_samples);
}

/* Where it is asked almost every time what has come of a counter, it is better not to ask. */
static bool turns_out(oak_session *session)
{
    enum { OFTEN = 1024, APART = 4 };
    if (++session->asked < OFTEN) return false;
    uint64_t now = session_time(session).instructions;
    session->all_later = now - session->asked_since < OFTEN * APART;
    session->asked_since = now;
    session->asked = 0;
    return session->all_later;
}

static uint32_t depth_of(oak_session *session, const uint32_t *values)
{
    judge_space *space = session->judge_space;
    depth_known *last = &space->depth_last;
    const unsigned written = session->depth_from[DEPTH_WRITTEN];
    const uint32_t stack_was = last->by[DEPTH_STACK];
    bool same = last->stack != 0;
    for (unsigned i = 0; i < DEPTH_BY; i++) {
        const unsigned from = session->depth_from[i];
        const uint32_t by = from < OAK_MOST_JUDGED ? values[from] : 0;
        same &= by == last->by[i];
        last->by[i] = by;
    }
    if (written < OAK_MOST_JUDGED &&
        (last->by[DEPTH_STACK] != stack_was || values[written] != space->written_last)) {
        const uint64_t mark = session_stack_mark(session, last->by[DEPTH_STACK]);
        same &= mark == last->stack;
        last->stack = mark;
        space->written_last = values[written];
    }
    if (same) return last->depth;
    uint32_t mixed = 0;
    for (unsigned i = 0; i < DEPTH_BY; i++) mixed = (mixed ^ last->by[i]) * 0x9E3779B1u;
    depth_known *known = &space->depths[(mixed ^ (uint32_t)last->stack) * 0x85EBCA6Bu >> 22];
    if (known->stack != last->stack || !last->stack || memcmp(known->by, last->by, sizeof known->by) != 0) {
        *known = *last;
        known->depth = session_depth(session);
    }
    return last->depth = known->depth;
}

/* Memory that is no more than that, around an address; false where it is none. */
static bool find_plain(const oak_session *session, judge_pointer *one, uint32_t address)
{
    const oak_architecture *about = session->part->architecture;
    const oak_part_memory *memory = oak_part_find_memory(session->part, one->space, address);
    uint32_t first, behind;
    if (!memory) return false;
    first = memory->base, behind = memory->base + memory->size - 1;
    for (unsigned i = 0; i < about->cells_count; i++) { /* registers lie in some of it */
        const oak_register_cells *cells = &about->cells[i];
        if (cells->space != one->space || cells->banks) continue;
        const uint32_t last = cells->address + cells->size - 1;
        if (last < address) first = last + 1 > first ? last + 1 : first;
        else if (cells->address > address) behind = cells->address - 1 < behind ? cells->address - 1 : behind;
        else return false;
    }
    one->plain[0] = first;
    one->plain[1] = behind - first + 1;
    return true;
}

/* What is where a pointer leads to now. */
static uint32_t follow(oak_session *session, judge_pointer *one, const uint32_t *values)
{
    uint8_t bytes[4];
    uint32_t read = 0;
    const judge_op *op = session->led + one->first;
    const worked address = work_out(session, &op, values, NULL, &read);
    const uint32_t at = (uint32_t)address.value;
    const unsigned count = one->cells * oak_unit_bytes(session->part->architecture, one->space);
    one->is_there = address.is && at == address.value &&
                    !session->chip.ops->read_memory(session->chip.chip, one->space, at, bytes, count);
    const bool plain = !one->is_there || at - one->plain[0] < one->plain[1] || find_plain(session, one, at);
    one->restless = !plain || (one->is_there && one->cells > one->plain[1] - (at - one->plain[0]));
    session->restless = false;
    for (unsigned i = 0; i < session->pointer_count; i++) session->restless |= session->pointers[i].restless;
    return one->is_there ? (uint32_t)oak_number_at(session->part->architecture, one->space, bytes, count) : 0;
}

static uint32_t works_out(void *context, unsigned number, const uint32_t *values)
{
    oak_session *session = context;
    if (session->depth_made >> number & 1) return depth_of(session, values);
    judge_pointer *one = session->pointers;
    while (one->cell != number && one->there != number) one++;
    return one->there == number ? one->is_there : follow(session, one, values);
}

static bool written(void *context)
{
    oak_session *session = context;
    const depth_known *last = &session->judge_space->depth_last;
    const uint64_t mark = session_stack_mark(session, last->by[DEPTH_STACK]);
    return !mark || mark != last->stack;
}

static bool stays(void *context, uint32_t address)
{
    oak_session *session = context;
    return session_stack_stays(session, address);
}

/* A condition is another number than before: does the run end for it? */
static bool turns(oak_session *session, watch_record *one, worked now)
{
    const bool holds = one->about.kind == OAK_WATCH_HOLDS;
    if (!now.is && !holds) return false; /* what has no value is as before, but holds no longer */
    forget_vain(session);
    if (!holds || (now.value && !one->last))
        return true; /* who looks then compares with the last value, too */
    one->last = now.value;
    return false;
}

/* Where nothing is recorded. */
static bool any_holds(void *context, const uint32_t *values, uint32_t *matter)
{
    oak_session *session = context;
    const judge_op *op = session->judged, *const behind = op + session->judged_count;
    uint32_t read = 0;
    for (; op < behind; op++) {
        const worked now = work_out(session, &op, values, NULL, &read);
        watch_record *one = &session->watches[op->number];
        if (one->last != now.value && turns(session, one, now)) return true;
    }
    *matter = read & session->judged_made ? read | session->judged_sources : read;
    return false;
}

static bool ends(void *context, const uint32_t *values, uint32_t *matter)
{
    oak_session *session = context;
    const judge_op *op = first_of(session), *behind = session->judged + session->judged_count;
    uint32_t read = 0;
    if (session->keeps && session->judge_space->rows.count == OAK_JUDGED_ROWS) session_take_kept(session);
    if (session->judged_later < session->judged_samples && turns_out(session))
        return session->judges_anew = true;
    for (; op < behind; op++) {
        const worked now = work_out(session, &op, values, NULL, &read);
        if (op->kind == JUDGE_SAMPLE) {
            session_sample_judged(session, (size_t)op->number, now.is ? &now.value : NULL);
            continue;
        }
        watch_record *one = &session->watches[op->number];
        if (one->last != now.value && turns(session, one, now)) return true;
    }
    *matter = read | (session->keeps && !oak_trace_is_full(session->trace) ? session->keeps : 0);
    if (*matter & session->judged_made) *matter |= session->judged_sources;
    return false;
}

/* As work_out goes for conditions, with one of the values as the one that others grow with: where anything else than the result of a comparison
 * comes out of it there is no room. */
static bool goes(const oak_session *session, const uint32_t *values, unsigned number, oak_expr_room *room)
{
    oak_expr_sloped stack[JUDGE_DEPTH + 1], *below = stack, top = {0};
    const judge_op *op = first_of(session), *behind = session->judged + session->judged_count;
    if ((session->keeps | session->judged_sources) >> number & 1)
        return false; /* each of its changes is kept, or others follow it */
    for (; op < behind; op++) {
        const oak_expr_sloped against = {.at = op->number};
        oak_expr_sloped left = top;
        if (op->kind <= JUDGE_AGAINST) *below++ = top;
        if (op->kind <= JUDGE_WITH) top = (oak_expr_sloped){.at = op->number};
        if (op->kind <= JUDGE_WITH && op->kind != JUDGE_NUMBER) {
            top.at = op->kind == JUDGE_TIME ? (int64_t)session_time(session).cycles
                                            : (int64_t)(values[op->from] >> op->shift & op->mask);
            top.slope = op->from == number;
            if (top.slope && (op->shift || session->judged_masks[number] & ~op->mask)) return false;
        }
        if (op->kind == JUDGE_AGAINST) {
            if (!oak_expr_slopes(op->op, &top, &against, room)) return false;
        } else if (op->kind == JUDGE_WITH) {
            if (!oak_expr_slopes(op->op, &left, &top, room)) return false;
            top = left;
        } else if (op->kind == JUDGE_THAN) {
            if (!oak_expr_slopes(op->op, &top, &against, room)) return false;
        } else if (op->kind == JUDGE_SAMPLE || op->kind == JUDGE_END) {
            if (top.slope &&
                (op->kind == JUDGE_SAMPLE || session->watches[op->number].about.kind != OAK_WATCH_HOLDS ||
                 !oak_expr_truth_stays(&top, room)))
                return false;
            below = stack;
        } else if (op->kind == JUDGE_UNLESS) {
            if (!oak_expr_truth_stays(&top, room)) return false;
            if (!top.at) op += op->number;
        } else if (op->kind == JUDGE_CHOOSE || op->kind == JUDGE_PAST || op->kind == JUDGE_DIVISOR) {
            return false;
        } else if (op->kind == JUDGE_TWO) {
            left = *--below;
            if (!oak_expr_slopes(op->op, &left, &top, room)) return false;
            top = left;
        } else if (op->kind == JUDGE_ONE) {
            if (!oak_expr_slopes(op->op, &top, &(oak_expr_sloped){0}, room)) return false;
        } else if (op->kind == JUDGE_BIT) {
            if (!oak_expr_bits_stay(&top, op->shift, room)) return false;
            top = (oak_expr_sloped){.at = top.at >> op->shift & 1};
        }
    }
    return true;
}

static void room_of(void *context, const uint32_t *values, unsigned number, uint32_t *below, uint32_t *above)
{
    oak_expr_room room = {UINT32_MAX, UINT32_MAX};
    if (!goes(context, values, number, &room)) room = (oak_expr_room){0};
    *below = (uint32_t)room.below;
    *above = (uint32_t)room.above;
}

static bool has_room(oak_session *session)
{
    if (session->judge_space) return true;
    judge_space *space = oak_take_zeroed(&session->host, sizeof *space);
    if (!space) return false;
    session->judge_space = space;
    session->vain.at = space->vain;
    return true;
}

/* Pointers that the chip can follow, all of them or none. */
static void leave_to_chip(const oak_session *session, oak_judge *judge)
{
    for (unsigned i = 0; i < session->pointer_count; i++)
        judge->lead_count += session_lead(session, &session->pointers[i], &judge->leads[judge->lead_count]);
    if (judge->lead_count < session->pointer_count || session->depth_made) judge->lead_count = 0;
}

bool session_judge(oak_session *session)
{
    judged_values values = {.count = 0};
    oak_judge judge = {.context = session,
                       .ends = ends,
                       .room = room_of,
                       .works_out = works_out,
                       .written = written,
                       .stays = stays,
                       .cells = values.cells,
                       .masks = session->judged_masks};
    oak_watched read[OAK_MOST_WATCHED];
    unsigned read_count = session->read_count;
    bool reads_else = session->reads_else;
    if (session->judging) {
        forget_vain(session);
        return true;
    }
    if (!session->chip.ops->judge) return false;
    memcpy(read, session->read_cells, sizeof read);
    if (session_make_judge(session, &values) && has_room(session)) {
        judge.count = values.count;
        judge.kept = session->keeps = values.kept;
        judge.asks = values.asks;
        judge.rows = &session->judge_space->rows;
        session->judge_space->any_before = false;
        if (session->judged_samples == session->judged_later) judge.vain = &session->vain;
        memcpy(session->judged_masks, values.masks, sizeof values.masks);
        forget_vain(session);
        judge.limit_count = session_limits(session, judge.limits);
        judge.sources = session->judged_sources;
        leave_to_chip(session, &judge);
        judge.restless = session->pointer_count ? &session->restless : NULL;
        if (session->pointer_count) judge.written = NULL; /* whatever is written may be where one leads to */
        session->restless = false;
        if (!session->judged_samples) judge.ends = any_holds;
        memset(session->judge_space->depths, 0, sizeof session->judge_space->depths);
        session->judge_space->depth_last = (depth_known){.stack = 1};  /* where nothing lies in memory */
        session->judge_space->depth_last.by[DEPTH_STACK] = UINT32_MAX; /* which nothing is yet */
        session->marked_end = 0;
        session->judge_space->written_last = UINT32_MAX;
        session->judges_anew = false;
        session->judging = session->chip.ops->judge(session->chip.chip, &judge) == OAK_OK;
    }
    memcpy(session->read_cells, read, sizeof read);
    session->read_count = read_count;
    session->reads_else = reads_else;
    return session->judging;
}

void session_unjudge(oak_session *session)
{
    if (session->judging) session->chip.ops->judge(session->chip.chip, NULL);
    session->judging = session->judges_anew = false;
    session->keeps = 0;
}

void session_met_nothing(oak_session *session, uint64_t instruction)
{
    enum { STOPS = 64, RARE = 96 }; /* instructions between two stops from which on watches are quicker */
    if (++session->vain_stops < STOPS) return;
    session->judges = instruction - session->vain_since < STOPS * RARE;
    session->vain_since = instruction;
    session->vain_stops = 0;
}
