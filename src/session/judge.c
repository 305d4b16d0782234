/* judge.c — conditions on registers and cells of memory that the program changes all the time, as short programs for a stack of numbers:
 * the chip asks behind each change. Where changes are rare its watches are quicker; see session_met_nothing. */
#include "session/judge.h"
#include "asm/expr_plain.h"
#include "base/bits.h"
#include "base/bytes.h"
#include "session/session_state.h"
#include "session/values.h"

/* What the chip is to look at. */
typedef struct judged_values {
    oak_watched cells[OAK_MOST_JUDGED];
    uint32_t masks[OAK_MOST_JUDGED];
    uint32_t kept, asks; /* those of what is recorded, and of conditions: a bit each */
    unsigned count;
} judged_values;

/* What conditions are compared with may be another value now. */
static void forget_vain(oak_session *session)
{
    if (!++session->vain.since) session->vain.since = 1; /* what is as old as that has gone long ago */
}

/* One of these for an operator in each form that it comes in; other operations are their kind. */
#define CODE(operator, kind) (64 + (unsigned)(operator) * 8 + (unsigned)(kind))
static unsigned code_of(const judge_op *op)
{
    bool operates = op->kind >= JUDGE_AGAINST && op->kind <= JUDGE_TWO;
    return operates ? CODE(op->op, op->kind) : op->kind;
}
_Static_assert(JUDGE_TWO < 8 && JUDGE_SAMPLE < 64, "codes have room for kinds");

/* What a piece of the program makes of the values; `*at` is its first operation, then its last, which says what it is for. What was read is said by
 * where it could have gone another way. */
OAK_ALWAYS_INLINE int64_t work_out(const oak_session *session, const judge_op **at, const uint32_t *values,
                                   uint32_t *read)
{
    int64_t stack[JUDGE_DEPTH + 1], *below = stack, top = 0;
    const judge_op *op = *at;
#define VALUE ((int64_t)(values[op->from] >> op->shift & op->mask))
#define FORM(operator, kind, on_left, on_right, result)                                                      \
    case CODE(operator, kind): {                                                                             \
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
        case JUDGE_TIME: *below++ = top, top = (int64_t)session_time(session).cycles; continue;
        case JUDGE_VALUE: *below++ = top, top = VALUE; continue;
        case JUDGE_BIT: top = top >> op->shift & 1; continue;
        case JUDGE_UNLESS:
            *read |= op->mask;
            if (!top) op = session->judged + op->number - 1;
            continue;
        default:
            *read |= op->mask;
            *at = op;
            return top;
        }
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

/* The same for all rows; what need not be worked out does no harm. */
static const int64_t *work_out_rows(judge_space *space, const judge_op *op)
{
    int64_t(*top)[JUDGE_ROWS] = space->stack; /* the number above the last one */
    for (; op->kind < JUDGE_END; op++) {
        if (op->kind == JUDGE_NUMBER) fill(space, op->number, *top++);
        else if (op->kind == JUDGE_THAN) {
            fill(space, op->number, *top);
            oak_expr_plain_each(op->op, top[-1], *top, space->rows.count);
        } else if (op->kind <= JUDGE_WITH) {
            load(space, op, *top);
            if (op->kind != JUDGE_WITH) top++;
            if (op->kind == JUDGE_AGAINST) fill(space, op->number, *top);
            if (op->kind > JUDGE_VALUE) oak_expr_plain_each(op->op, top[-1], *top, space->rows.count);
        } else if (op->kind == JUDGE_TWO) {
            top--;
            oak_expr_plain_each(op->op, top[-1], *top, space->rows.count);
        } else if (op->kind == JUDGE_ONE) oak_expr_plain_each(op->op, top[-1], top[-1], space->rows.count);
        else if (op->kind == JUDGE_BIT)
            for (unsigned i = 0; i < space->rows.count; i++) top[-1][i] = top[-1][i] >> op->shift & 1;
    }
    return space->stack[0];
}

/* Only the lower half of each value says what that of the result is, and one follows the other. */
static bool is_chain(const judge_op *op)
{
    bool is = op->kind == JUDGE_VALUE || op->kind == JUDGE_TIME;
    for (op++; is && op->kind < JUDGE_END; op++)
        is = (op->kind == JUDGE_WITH || op->kind == JUDGE_THAN) &&
             (op->op == OP_ADD || op->op == OP_SUBTRACT || op->op == OP_AND || op->op == OP_OR ||
              op->op == OP_XOR);
    return is;
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

/* Each of the records, in the order of time. */
static void take_records(oak_session *session, uint32_t changed)
{
    judge_space *space = session->judge_space;
    trace_column columns[JUDGE_MOST / 2];
    unsigned count = 0;
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
            for (unsigned r = 0; r < rows; r++) result[r] = (uint32_t)values[r];
        }
        for (unsigned r = 0; r < rows && !is; r++) result[r] &= mask;
        columns[count] = (trace_column){.signal = one->signal, .values = is ? is : result};
        one->known = true;
        one->last = columns[count++].values[rows - 1];
    }
    took(session, trace_take_columns(session->trace, space->rows.cycle, columns, count, space->rows.count));
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

static uint32_t works_out(void *context, const uint32_t *values)
{
    oak_session *session = context;
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
static bool turns(oak_session *session, watch_record *one, int64_t now)
{
    forget_vain(session);
    if (one->about.kind != OAK_WATCH_HOLDS || (now && !one->last))
        return true; /* who looks then compares with the last value, too */
    one->last = now;
    return false;
}

/* Where nothing is recorded. */
static bool any_holds(void *context, const uint32_t *values, uint32_t *matter)
{
    oak_session *session = context;
    const judge_op *op = session->judged, *const behind = op + session->judged_count;
    uint32_t read = 0;
    for (; op < behind; op++) {
        int64_t now = work_out(session, &op, values, &read);
        watch_record *one = &session->watches[op->number];
        if (one->last != now && turns(session, one, now)) return true;
    }
    *matter = read & session->depth_made ? read | session->depth_sources : read;
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
        int64_t now = work_out(session, &op, values, &read);
        if (op->kind == JUDGE_SAMPLE) {
            session_sample_judged(session, (size_t)op->number, now);
            continue;
        }
        watch_record *one = &session->watches[op->number];
        if (one->last != now && turns(session, one, now)) return true;
    }
    *matter = read | (session->keeps && !oak_trace_is_full(session->trace) ? session->keeps : 0);
    if (*matter & session->depth_made) *matter |= session->depth_sources;
    return false;
}

/* As work_out goes for conditions, with one of the values as the one that others grow with: where anything else than the result of a comparison
 * comes out of it there is no room. */
static bool goes(const oak_session *session, const uint32_t *values, unsigned number, oak_expr_room *room)
{
    oak_expr_sloped stack[JUDGE_DEPTH + 1], *below = stack, top = {0};
    const judge_op *op = first_of(session), *behind = session->judged + session->judged_count;
    if (session->keeps >> number & 1) return false; /* each of its changes is kept */
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
            if (!top.at) op = session->judged + op->number - 1;
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

/* Which bits of the value are meant: so many, or a flag's, or a single one. */
static judge_op bits_of(const oak_session *session, const oak_expr *expr, unsigned from, unsigned width)
{
    judge_op op = {.kind = JUDGE_VALUE, .from = (uint8_t)from, .mask = UINT32_MAX};
    if (width && width < 32) op.mask >>= 32 - width;
    const watch_name *name = expr->kind == OAK_EXPR_NAME ? expr->as.name : NULL;
    uint8_t bits = session->read_cells[0].bits;
    if (name && name->kind == NAME_FLAG) {
        const oak_flag_info *flag = &session->part->architecture->flags[name->number];
        op.shift = flag->bit;
        op.mask = (1u << flag->width) - 1;
    } else if (name && name->kind == NAME_FIELD) {
        op.shift = name->field->bit;
        op.mask = name->field->width < 32 ? (1u << name->field->width) - 1 : UINT32_MAX;
    } else if (name && name->kind == NAME_PIN) {
        op.shift = name->number % OAK_MOST_PINS;
        op.mask = 1;
    } else if (bits) {
        while (!(bits >> op.shift & 1)) op.shift++;
        op.mask = 1;
    }
    return op;
}

/* Where the memory that a stack can lie in begins. */
static uint32_t first_writable(const oak_session *session, unsigned space)
{
    uint32_t first = UINT32_MAX;
    for (unsigned i = 0; i < session->part->memory_count; i++) {
        const oak_part_memory *one = &session->part->memories[i];
        if (one->space == space && one->writable && one->base < first) first = one->base;
    }
    return first == UINT32_MAX ? 0 : first;
}

/* The depth of calls, which is worked out of the values before it. */
static int depth_number(oak_session *session, judged_values *values)
{
    const oak_architecture *about = session->part->architecture;
    const oak_exception_frame *frame = session->isa->frame;
    const uint32_t first = first_writable(session, about->stack.space);
    const oak_watched sources[DEPTH_SOURCES] = {
        [DEPTH_PC] = {.accesses = OAK_ACCESS_CHANGE, .address = OAK_JUDGED_PLACE, .size = 1},
        [DEPTH_STACK] = {.address = about->stack.pointer, .size = 1},
        [DEPTH_LINK] = {.address = frame ? frame->link_register : 0, .size = frame ? 1 : 0},
        [DEPTH_HANDLED] = {.accesses = OAK_ACCESS_CHANGE, .address = OAK_JUDGED_HANDLED, .size = 1},
        [DEPTH_WRITTEN] = {.space = about->stack.space,
                           .address = first,
                           .size = about->stack.space ? UINT32_MAX - first : 0}};
    const oak_watched made = {.accesses = OAK_ACCESS_CHANGE, .address = OAK_JUDGED_WORKED_OUT, .size = 1};
    for (unsigned i = 0; i < DEPTH_SOURCES && !session->depth_made; i++) {
        bool matters = about->stack.levels ? i == DEPTH_STACK : sources[i].size;
        int from = matters ? value_number(session, &sources[i], values) : OAK_MOST_JUDGED;
        if (from < 0) return -1;
        session->depth_from[i] = (uint8_t)from;
        if (!matters) continue;
        if (i == DEPTH_WRITTEN) values->cells[from].accesses = OAK_ACCESS_WRITE;
        values->masks[from] = UINT32_MAX;
        session->depth_sources |= 1u << from;
    }
    int number = value_number(session, &made, values);
    if (number >= 0) session->depth_made = 1u << number;
    return number;
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
        const oak_watched *read = &session->read_cells[0];
        bool whole = !read->space && read->address >= OAK_JUDGED_TIME;
        int from = whole && read->address == OAK_JUDGED_WORKED_OUT ? depth_number(session, values)
                                                                   : value_number(session, read, values);
        if (from < 0) return false;
        judge_op op = bits_of(session, expr, (unsigned)from, reading.bits);
        if (whole && read->address == OAK_JUDGED_TIME) op.kind = JUDGE_TIME;
        return put(session, op);
    }
    if (expr->kind == OAK_EXPR_BIT) {
        const oak_expr *bit = expr->as.of.right;
        if (bit->kind != OAK_EXPR_NUMBER || !compile(session, expr->as.of.left, depth, values)) return false;
        judge_op *last = &session->judged[session->judged_count - 1];
        uint64_t number = (uint64_t)bit->as.number;
        bool inside = last->kind == JUDGE_VALUE && number < 32 && (last->mask >> number & 1);
        if (inside) { /* the value is read, and a bit of it meant */
            last->shift = (uint8_t)(last->shift + number);
            last->mask = 1;
        }
        return inside || put(session, (judge_op){.kind = JUDGE_BIT, .shift = (uint8_t)bit->as.number});
    }
    if (!oak_expr_is_plain(expr) || !compile(session, expr->as.of.left, depth, values)) return false;
    bool two = expr->kind == OAK_EXPR_BINARY, both = oak_expr_is_both(expr);
    unsigned unless = session->judged_count;
    if (both && !put(session, (judge_op){.kind = JUDGE_UNLESS})) return false;
    unsigned right = session->judged_count;
    if (two && !compile(session, expr->as.of.right, depth + 1, values)) return false;
    judge_op *last = &session->judged[session->judged_count - 1];
    if (two && last->kind == JUDGE_NUMBER && last[-1].kind == JUDGE_VALUE) {
        last[-1].kind = JUDGE_AGAINST;
        last[-1].op = expr->op;
        last[-1].number = last->number;
        session->judged_count--;
        return true;
    }
    if (two && !both && right == session->judged_count - 1 &&
        (last->kind == JUDGE_VALUE || last->kind == JUDGE_NUMBER)) {
        last->kind = last->kind == JUDGE_VALUE ? JUDGE_WITH : JUDGE_THAN;
        last->op = expr->op;
        return true;
    }
    if (both) session->judged[unless].number = session->judged_count + 1;
    return put(session, (judge_op){.kind = two ? JUDGE_TWO : JUDGE_ONE, .op = expr->op});
}

/* The values that the program reads from here on, and which bits of them. Where it may have gone another way it is put down which ones since it
 * could have before. */
static uint32_t reads_of(oak_session *session, unsigned first, judged_values *values)
{
    uint32_t reads = 0, since = 0;
    for (judge_op *op = session->judged + first; op < session->judged + session->judged_count; op++) {
        bool reads_nothing = op->kind == JUDGE_NUMBER || op->kind == JUDGE_THAN || op->kind == JUDGE_ONE ||
                             op->kind == JUDGE_BIT;
        if (reads_nothing) continue;
        if (op->kind > JUDGE_WITH) {
            op->mask = since;
            since = 0;
            continue;
        }
        since |= 1u << op->from;
        reads |= 1u << op->from;
        values->masks[op->from] |= op->mask << op->shift;
    }
    return reads;
}

/* One of them counts by itself: what an expression makes of it changes more rarely. */
static bool any_counts(const judged_values *values, uint32_t reads)
{
    for (unsigned i = 0; i < values->count; i++)
        if (reads >> i & 1 && values->cells[i].accesses & OAK_ACCESS_CHANGE &&
            (values->cells[i].space || values->cells[i].address == OAK_JUDGED_TIME))
            return true;
    return false;
}

/* Appends what is to be worked out behind the run (`later`), or at once; passes over the others. */
static bool compile_record(oak_session *session, size_t number, bool later, judged_values *values)
{
    const sampled_value *one = &session->sampled[number];
    unsigned first = session->judged_count, had = values->count;
    const uint32_t made = session->depth_made, sources = session->depth_sources;
    if (number == JUDGE_MOST / 2 || session_reads_place(one->expr) ||
        !compile(session, one->expr, 0, values) ||
        !put(session, (judge_op){.kind = JUDGE_SAMPLE, .number = (int64_t)number}))
        return false;
    const judge_op *op = &session->judged[first];
    uint32_t reads = reads_of(session, first, values);
    bool alone = session->judged_count == first + 2 && op->kind == JUDGE_VALUE;
    if ((alone || session->all_later || !any_counts(values, reads)) != later) {
        session->judged_count = first;
        values->count = had;
        session->depth_made = made, session->depth_sources = sources;
        return true;
    }
    session->records[number] =
        (judge_record){.first = first, .reads = later ? reads : 0, .chain = is_chain(op)};
    if (!later) return true;
    values->kept |= reads;
    return true;
}

static bool compile_all(oak_session *session, judged_values *values)
{
    session->judged_count = 0;
    session->depth_made = session->depth_sources = 0;
    for (size_t i = 0; i < session->sampled_count; i++)
        if (!compile_record(session, i, true, values)) return false;
    session->judged_later = session->judged_count;
    for (size_t i = 0; i < session->sampled_count; i++)
        if (!compile_record(session, i, false, values)) return false;
    session->judged_samples = session->judged_count;
    for (size_t i = 0; i < session->watch_count; i++) {
        const watch_record *one = &session->watches[i];
        if (!one->expr || !one->about.enabled) continue;
        if (one->reads_place || !compile(session, one->expr, 0, values) ||
            !put(session, (judge_op){.kind = JUDGE_END, .number = (int64_t)i}))
            return false;
    }
    for (unsigned i = 0; i < session->judged_count; i++)
        session->judged[i].code = code_of(&session->judged[i]);
    values->asks = reads_of(session, session->judged_later, values);
    return true;
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
    if (compile_all(session, &values) && has_room(session)) {
        judge.count = values.count;
        judge.kept = session->keeps = values.kept;
        judge.asks = values.asks;
        judge.rows = &session->judge_space->rows;
        session->judge_space->any_before = false;
        if (session->judged_samples == session->judged_later) judge.vain = &session->vain;
        memcpy(session->judged_masks, values.masks, sizeof values.masks);
        forget_vain(session);
        judge.limit_count = session_limits(session, judge.limits);
        judge.sources = session->depth_sources;
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
