/* judge.c — conditions on registers and cells of memory that the program changes all the time, as short programs for a stack of numbers:
 * the chip asks behind each change. Where changes are rare its watches are quicker; see session_met_nothing. */
#include "base/bytes.h"
#include "base/invariant.h"
#include "session/session_state.h"
#include "session/values.h"

enum {
    JUDGE_NUMBER,
    JUDGE_VALUE,
    JUDGE_AGAINST, /* a value and a number, the usual case */
    JUDGE_ONE,
    JUDGE_TWO,
    JUDGE_BIT,
    JUDGE_UNLESS, /* 0: goes on at the operation `number` */
    JUDGE_END,
    JUDGE_SAMPLE /* what was worked out is recorded */
};

/* What the chip is to look at. */
typedef struct judged_values {
    oak_watched cells[OAK_MOST_JUDGED];
    uint32_t masks[OAK_MOST_JUDGED];
    unsigned count;
} judged_values;

static uint32_t slot_of(uint32_t value)
{
    return value * 0x9E3779B1u >> 28;
}

/* Of a single value: with it nothing came of it, and nothing has come since. Flags come back all the time. */
static bool is_vain(oak_session *session, uint32_t value)
{
    uint32_t *kept = &session->vain_value[slot_of(value)];
    if (*kept == value) return true;
    *kept = value;
    return false;
}

static void forget_vain(oak_session *session)
{
    for (unsigned i = 0; i < JUDGE_VAIN; i++) session->vain_value[i] = slot_of(0) == i; /* of another slot */
    OAK_INVARIANT(slot_of(1) != slot_of(0));
}

static bool works_out(oak_session *session, const uint32_t *values, uint32_t *matter)
{
    int64_t stack[JUDGE_DEPTH + 1], *below = stack, top = 0;
    const judge_op *op = session->judged, *behind = op + session->judged_count;
    uint32_t read = 0;
    if (session->judged_samples && oak_trace_is_full(session->trace))
        op += session->judged_samples; /* nothing more goes in */
    for (; op < behind; op++) {
        if (op->kind == JUDGE_SAMPLE) {
            session_sample_judged(session, (unsigned)op->number, top);
            below = stack;
            continue;
        }
        if (op->kind <= JUDGE_AGAINST) {
            *below++ = top;
            read |= 1u << op->from;
        }
        if (op->kind == JUDGE_AGAINST)
            top = oak_expr_plain(op->op, values[op->from] >> op->shift & op->mask, op->number);
        else if (op->kind == JUDGE_VALUE) top = values[op->from] >> op->shift & op->mask;
        else if (op->kind == JUDGE_END) {
            watch_record *one = &session->watches[op->number];
            bool hit = one->about.kind == OAK_WATCH_HOLDS ? top && !one->last : top != one->last;
            if (one->last != top) forget_vain(session);
            if (hit) return true; /* who looks then compares with the last value, too */
            one->last = top;
            below = stack;
        } else if (op->kind == JUDGE_UNLESS) {
            if (!top) op = session->judged + op->number - 1;
        } else if (op->kind == JUDGE_TWO) top = oak_expr_plain(op->op, *--below, top);
        else if (op->kind == JUDGE_ONE) top = oak_expr_plain(op->op, top, 0);
        else top = op->kind == JUDGE_BIT ? top >> op->shift & 1 : op->number;
    }
    *matter = read;
    return false;
}

static bool ends(void *context, const uint32_t *values, uint32_t *matter)
{
    oak_session *session = context;
    if (session->judges_one && is_vain(session, values[0])) return false;
    const judge_op *op = session->judged;
    if (session->judged_count == 2 && op->kind == JUDGE_VALUE && op[1].kind == JUDGE_SAMPLE) {
        session_sample_judged(session, 0, values[op->from] >> op->shift & op->mask); /* the usual record */
        return false;
    }
    return works_out(session, values, matter);
}

/* As works_out goes, with one of the values as the one that others grow with: where anything else than the result of a comparison
 * comes out of it there is no room. */
static bool goes(const oak_session *session, const uint32_t *values, unsigned number, oak_expr_room *room)
{
    oak_expr_sloped stack[JUDGE_DEPTH + 1], *below = stack, top = {0};
    const judge_op *op = session->judged, *behind = op + session->judged_count;
    if (session->judged_samples && oak_trace_is_full(session->trace)) op += session->judged_samples;
    for (; op < behind; op++) {
        const oak_expr_sloped against = {.at = op->number};
        if (op->kind <= JUDGE_AGAINST) {
            *below++ = top;
            top = (oak_expr_sloped){.at = op->number};
        }
        if (op->kind == JUDGE_VALUE || op->kind == JUDGE_AGAINST) {
            top.at = values[op->from] >> op->shift & op->mask;
            top.slope = op->from == number;
            if (top.slope && (op->shift || session->judged_masks[number] & ~op->mask)) return false;
        }
        if (op->kind == JUDGE_AGAINST) {
            if (!oak_expr_slopes(op->op, &top, &against, room)) return false;
        } else if (op->kind == JUDGE_SAMPLE || op->kind == JUDGE_END) {
            if (top.slope &&
                (op->kind == JUDGE_SAMPLE || session->watches[op->number].about.kind != OAK_WATCH_HOLDS ||
                 !oak_expr_truth_stays(&top, room)))
                return false;
            below = stack;
        } else if (op->kind == JUDGE_UNLESS) {
            if (!oak_expr_truth_stays(&top, room)) return false;
            if (!top.at) op = session->judged + op->number - 1;
        } else if (op->kind == JUDGE_TWO) {
            oak_expr_sloped left = *--below;
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

static bool put(oak_session *session, judge_op op)
{
    if (session->judged_count == sizeof session->judged / sizeof *session->judged) return false;
    session->judged[session->judged_count++] = op;
    return true;
}

/* The program counter, and what no memory is: a register of a device. */
static bool changes_itself(const oak_session *session, const oak_watched *read)
{
    return !read->space || !oak_part_find_memory(session->part, read->space, read->address);
}

/* The number of a value that has just been read, among those that the chip is to look at. */
static int value_number(const oak_session *session, const oak_watched *read, judged_values *values)
{
    for (unsigned i = 0; i < values->count; i++) {
        const oak_watched *one = &values->cells[i];
        if (one->space == read->space && one->address == read->address && one->size == read->size)
            return (int)i;
    }
    if (values->count == OAK_MOST_JUDGED) return -1;
    values->cells[values->count] = (oak_watched){
        .space = read->space,
        .accesses =
            read->accesses & OAK_ACCESS_CHANGE && changes_itself(session, read) ? OAK_ACCESS_CHANGE : 0,
        .address = read->address,
        .size = read->size};
    values->masks[values->count] = 0;
    return (int)values->count++;
}

/* Which bits of the value are meant: a flag's, or a single one. */
static judge_op bits_of(const oak_session *session, const oak_expr *expr, unsigned from)
{
    judge_op op = {.kind = JUDGE_VALUE, .from = (uint8_t)from, .mask = UINT32_MAX};
    const watch_name *name = expr->kind == OAK_EXPR_NAME ? expr->as.name : NULL;
    uint8_t bits = session->read_cells[0].bits;
    if (name && name->kind == NAME_FLAG) {
        const oak_flag_info *flag = &session->part->architecture->flags[name->number];
        op.shift = flag->bit;
        op.mask = (1u << flag->width) - 1;
    } else if (name && name->kind == NAME_FIELD) {
        op.shift = name->field->bit;
        op.mask = name->field->width < 32 ? (1u << name->field->width) - 1 : UINT32_MAX;
    } else if (bits) {
        while (!(bits >> op.shift & 1)) op.shift++;
        op.mask = 1;
    }
    return op;
}

/* Appends what puts the value of an expression on the stack, which holds `depth` numbers. False when that cannot be said so. */
static bool compile(oak_session *session, const oak_expr *expr, unsigned depth, judged_values *values)
{
    oak_reading reading;
    if (depth == JUDGE_DEPTH) return false;
    session->collects = session->compiles = true;
    session->reads_else = false;
    session->read_count = 0;
    oak_status status = session_evaluate(session, expr, "", NULL, &reading);
    session->collects = session->compiles = false;
    if (status || session->reads_else) return false;
    if (!session->read_count) return put(session, (judge_op){.kind = JUDGE_NUMBER, .number = reading.value});
    if (expr->kind == OAK_EXPR_NAME || expr->kind == OAK_EXPR_CELL) {
        int from = value_number(session, &session->read_cells[0], values);
        if (from < 0) return false;
        judge_op op = bits_of(session, expr, (unsigned)from);
        values->masks[from] |= op.mask << op.shift;
        return put(session, op);
    }
    if (expr->kind == OAK_EXPR_BIT) {
        const oak_expr *bit = expr->as.of.right;
        return bit->kind == OAK_EXPR_NUMBER && compile(session, expr->as.of.left, depth, values) &&
               put(session, (judge_op){.kind = JUDGE_BIT, .shift = (uint8_t)bit->as.number});
    }
    if (!oak_expr_is_plain(expr) || !compile(session, expr->as.of.left, depth, values)) return false;
    bool two = expr->kind == OAK_EXPR_BINARY, both = oak_expr_is_both(expr);
    unsigned unless = session->judged_count;
    if (both && !put(session, (judge_op){.kind = JUDGE_UNLESS})) return false;
    if (two && !compile(session, expr->as.of.right, depth + 1, values)) return false;
    judge_op *last = &session->judged[session->judged_count - 1];
    if (two && last->kind == JUDGE_NUMBER && last[-1].kind == JUDGE_VALUE) {
        last[-1].kind = JUDGE_AGAINST;
        last[-1].op = expr->op;
        last[-1].number = last->number;
        session->judged_count--;
        return true;
    }
    if (both) session->judged[unless].number = session->judged_count + 1;
    return put(session, (judge_op){.kind = two ? JUDGE_TWO : JUDGE_ONE, .op = expr->op});
}

static bool compile_all(oak_session *session, judged_values *values)
{
    session->judged_count = 0;
    for (size_t i = 0; i < session->sampled_count; i++)
        if (session_reads_place(session->sampled[i].expr) ||
            !compile(session, session->sampled[i].expr, 0, values) ||
            !put(session, (judge_op){.kind = JUDGE_SAMPLE, .number = (int64_t)i}))
            return false;
    session->judged_samples = session->judged_count;
    for (size_t i = 0; i < session->watch_count; i++) {
        const watch_record *one = &session->watches[i];
        if (!one->expr || !one->about.enabled) continue;
        if (one->reads_place || !compile(session, one->expr, 0, values) ||
            !put(session, (judge_op){.kind = JUDGE_END, .number = (int64_t)i}))
            return false;
    }
    return true;
}

bool session_judge(oak_session *session)
{
    judged_values values = {.count = 0};
    oak_judge judge = {.context = session,
                       .ends = ends,
                       .room = room_of,
                       .cells = values.cells,
                       .masks = session->judged_masks};
    oak_watched read[OAK_MOST_WATCHED];
    unsigned read_count = session->read_count;
    bool reads_else = session->reads_else;
    if (session->judging) {
        forget_vain(session); /* what they were compared with may be another value */
        return true;
    }
    if (!session->chip.ops->judge) return false;
    memcpy(read, session->read_cells, sizeof read);
    if (compile_all(session, &values)) {
        judge.count = values.count;
        memcpy(session->judged_masks, values.masks, sizeof values.masks);
        session->judges_one = values.count == 1 && !session->sampled_count;
        forget_vain(session);
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
    session->judging = false;
}

void session_met_nothing(oak_session *session, uint64_t instruction)
{
    enum { STOPS = 64, RARE = 96 }; /* instructions between two stops from which on watches are quicker */
    if (++session->vain_stops < STOPS) return;
    session->judges = instruction - session->vain_since < STOPS * RARE;
    session->vain_since = instruction;
    session->vain_stops = 0;
}
