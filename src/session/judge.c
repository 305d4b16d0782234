/* judge.c — conditions on registers and cells of memory that the program changes all the time, as short programs for a stack of numbers:
 * the chip asks behind each change. Where changes are rare its watches are quicker; see session_met_nothing. */
#include "base/bytes.h"
#include "session/session_state.h"
#include "session/values.h"

enum { JUDGE_NUMBER, JUDGE_VALUE, JUDGE_AGAINST, JUDGE_ONE, JUDGE_TWO, JUDGE_BIT, JUDGE_END };

/* What the chip is to look at. */
typedef struct judged_values {
    oak_watched cells[OAK_MOST_WATCHED];
    uint32_t masks[OAK_MOST_WATCHED];
    unsigned count;
} judged_values;

static bool ends(void *context, const uint32_t *values)
{
    oak_session *session = context;
    int64_t stack[JUDGE_DEPTH];
    unsigned depth = 0;
    for (const judge_op *op = session->judged; op < session->judged + session->judged_count; op++)
        switch (op->kind) {
        case JUDGE_NUMBER: stack[depth++] = op->number; break;
        case JUDGE_VALUE: stack[depth++] = values[op->from] >> op->shift & op->mask; break;
        case JUDGE_AGAINST: /* a value and a number, the usual case */
            stack[depth++] = oak_expr_plain(op->op, values[op->from] >> op->shift & op->mask, op->number);
            break;
        case JUDGE_ONE: stack[depth - 1] = oak_expr_plain(op->op, stack[depth - 1], 0); break;
        case JUDGE_BIT: stack[depth - 1] = stack[depth - 1] >> op->shift & 1; break;
        case JUDGE_TWO:
            depth--;
            stack[depth - 1] = oak_expr_plain(op->op, stack[depth - 1], stack[depth]);
            break;
        default: {
            watch_record *one = &session->watches[op->number];
            int64_t value = stack[--depth];
            bool hit = one->about.kind == OAK_WATCH_HOLDS ? value && !one->last : value != one->last;
            if (hit) return true; /* who looks then compares with the last value, too */
            one->last = value;
            break;
        }
        }
    return false;
}

static bool put(oak_session *session, judge_op op)
{
    if (session->judged_count == sizeof session->judged / sizeof *session->judged) return false;
    session->judged[session->judged_count++] = op;
    return true;
}

/* The number of a value that has just been read, among those that the chip is to look at. */
static int value_number(const oak_session *session, judged_values *values)
{
    const oak_watched *read = &session->read_cells[0];
    for (unsigned i = 0; i < values->count; i++) {
        const oak_watched *one = &values->cells[i];
        if (one->space == read->space && one->address == read->address && one->size == read->size)
            return (int)i;
    }
    if (values->count == OAK_MOST_WATCHED) return -1;
    values->cells[values->count] =
        (oak_watched){.space = read->space, .address = read->address, .size = read->size};
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
    session->collects = true;
    session->reads_else = false;
    session->read_count = 0;
    oak_status status = session_evaluate(session, expr, "", NULL, &reading);
    session->collects = false;
    if (status || session->reads_else) return false;
    if (!session->read_count)
        return put(session, (judge_op){.kind = JUDGE_NUMBER, .number = reading.value});
    if (expr->kind == OAK_EXPR_NAME || expr->kind == OAK_EXPR_CELL) {
        for (unsigned i = 1; i < session->read_count; i++) /* a name is read twice, to tell its width */
            if (session->read_cells[i].space != session->read_cells[0].space ||
                session->read_cells[i].address != session->read_cells[0].address)
                return false;
        int from = value_number(session, values);
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
    bool two = expr->kind == OAK_EXPR_BINARY;
    if (two && !compile(session, expr->as.of.right, depth + 1, values)) return false;
    judge_op *last = &session->judged[session->judged_count - 1];
    if (two && last->kind == JUDGE_NUMBER && last[-1].kind == JUDGE_VALUE) {
        last[-1].kind = JUDGE_AGAINST;
        last[-1].op = expr->op;
        last[-1].number = last->number;
        session->judged_count--;
        return true;
    }
    return put(session, (judge_op){.kind = two ? JUDGE_TWO : JUDGE_ONE, .op = expr->op});
}

static bool compile_all(oak_session *session, judged_values *values)
{
    session->judged_count = 0;
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
    oak_judge judge = {.context = session, .ends = ends, .cells = values.cells, .masks = values.masks};
    oak_watched read[OAK_MOST_WATCHED];
    unsigned read_count = session->read_count;
    bool reads_else = session->reads_else;
    if (session->judging) return true;
    if (!session->chip.ops->judge) return false;
    memcpy(read, session->read_cells, sizeof read);
    if (compile_all(session, &values)) {
        judge.count = values.count;
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
