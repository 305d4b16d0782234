/* judge_make.c — the short programs of judge.c, made of expressions; and what of the chip they are to look at. */
#include "asm/expr_plain.h"
#include "base/bytes.h"
#include "session/judge.h"
#include "session/values.h"

static unsigned code_of(const judge_op *op)
{
    bool operates = op->kind >= JUDGE_AGAINST && op->kind <= JUDGE_TWO;
    return operates ? JUDGE_CODE(op->op, op->kind) : op->kind;
}
_Static_assert(JUDGE_TWO < 8 && JUDGE_SAMPLE < 64, "codes have room for kinds");

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
        session->judged_sources |= 1u << from;
    }
    int number = value_number(session, &made, values);
    if (number < 0) return number;
    session->depth_made = 1u << number;
    session->judged_made |= session->depth_made;
    return number;
}

static bool compile(oak_session *session, const oak_expr *expr, unsigned depth, judged_values *values);

static bool may_fail(unsigned kind)
{
    return kind == JUDGE_THERE || kind == JUDGE_DIVISOR;
}

/* The values that the program reads from here on, and which bits of them. Where it may have gone another way it is put down which ones since it
 * could have before. */
static uint32_t reads_of(oak_session *session, unsigned first, judged_values *values)
{
    uint32_t reads = 0, since = 0;
    for (judge_op *op = session->judged + first; op < session->judged + session->judged_count; op++) {
        const bool has_value = (op->kind >= JUDGE_TIME && op->kind <= JUDGE_WITH) || op->kind == JUDGE_THERE;
        if (judge_gathers(op->kind)) {
            op->mask = since;
            since = 0;
        }
        if (!has_value) continue;
        since |= 1u << op->from;
        reads |= 1u << op->from;
        values->masks[op->from] |= op->mask << op->shift;
    }
    return reads;
}

/* What stands in memory where a value leads: its address is a program of its own. */
static bool compile_pointer(oak_session *session, const oak_expr *expr, judged_values *values)
{
    const oak_architecture *about = session->part->architecture;
    const oak_expr *count = expr->as.of.right;
    const unsigned first = session->judged_count, space = expr->space, number = session->pointer_count;
    const unsigned cells = count && count->kind == OAK_EXPR_NUMBER ? (unsigned)count->as.number : 1;
    const unsigned bytes = cells * oak_unit_bytes(about, space);
    const bool in_address = values->in_address;
    if ((count && count->kind != OAK_EXPR_NUMBER) || about->spaces[space].of_bits || !bytes || bytes > 4 ||
        number == JUDGE_POINTERS)
        return false;
    values->in_address = true;
    const bool made =
        compile(session, expr->as.of.left, 0, values) && put(session, (judge_op){.kind = JUDGE_END});
    values->in_address = in_address;
    const unsigned operations = session->judged_count - first;
    if (!made || session->led_count + operations > JUDGE_LED || session->pointer_count != number)
        return false;
    const uint32_t reads = reads_of(session, first, values), from = first_writable(session, space);
    memcpy(session->led + session->led_count, session->judged + first, operations * sizeof *session->judged);
    session->judged_count = first;
    const int written = value_number(
        session, &(oak_watched){.space = (uint8_t)space, .address = from, .size = UINT32_MAX - from}, values);
    const oak_watched here = {.accesses = OAK_ACCESS_CHANGE,
                              .address = OAK_JUDGED_WORKED_OUT,
                              .size = 2 + 2 * number},
                      there = {.accesses = OAK_ACCESS_CHANGE,
                               .address = OAK_JUDGED_WORKED_OUT,
                               .size = 3 + 2 * number};
    const int cell = value_number(session, &here, values), is = value_number(session, &there, values);
    if (written < 0 || cell < 0 || is < 0) return false;
    values->cells[written].accesses = OAK_ACCESS_WRITE;
    values->masks[written] = UINT32_MAX;
    session->pointers[number] = (judge_pointer){.first = session->led_count,
                                                .space = (uint8_t)space,
                                                .cell = (uint8_t)cell,
                                                .there = (uint8_t)is,
                                                .cells = cells};
    session->led_count += operations;
    session->pointer_count++;
    session->judged_made |= 1u << cell | 1u << is;
    session->judged_sources |= reads | 1u << written;
    return put(session, (judge_op){.kind = JUDGE_THERE, .from = (uint8_t)is, .mask = 1}) &&
           put(session, (judge_op){.kind = JUDGE_VALUE,
                                   .from = (uint8_t)cell,
                                   .mask = UINT32_MAX >> (32 - session_bits_of_cells(about, space, cells))});
}

/* Registers, variables, and cells that lie where they lie. */
static bool compile_place(oak_session *session, const oak_expr *expr, unsigned bits, judged_values *values)
{
    const oak_watched *read = &session->read_cells[0];
    const bool whole = !read->space && read->address >= OAK_JUDGED_TIME;
    const int from = whole && read->address == OAK_JUDGED_WORKED_OUT ? depth_number(session, values)
                                                                     : value_number(session, read, values);
    if (from < 0) return false;
    judge_op op = bits_of(session, expr, (unsigned)from, bits);
    if (whole && read->address == OAK_JUDGED_TIME) op.kind = JUDGE_TIME;
    return put(session, op);
}

static bool compile_bit(oak_session *session, const oak_expr *expr, unsigned depth, judged_values *values)
{
    const oak_expr *bit = expr->as.of.right;
    if (bit->kind != OAK_EXPR_NUMBER || !compile(session, expr->as.of.left, depth, values)) return false;
    judge_op *last = &session->judged[session->judged_count - 1];
    const uint64_t number = (uint64_t)bit->as.number;
    if (last->kind != JUDGE_VALUE || number > 31 || !(last->mask >> number & 1))
        return put(session, (judge_op){.kind = JUDGE_BIT, .shift = (uint8_t)number});
    last->shift = (uint8_t)(last->shift + number); /* the value is read, and a bit of it meant */
    last->mask = 1;
    return true;
}

/* a ? b : c. Of one moment only one of them is worked out, of rows both are. */
static bool compile_choice(oak_session *session, const oak_expr *expr, unsigned depth, judged_values *values)
{
    if (!compile(session, expr->as.of.left, depth, values)) return false;
    const unsigned choose = session->judged_count;
    if (!put(session, (judge_op){.kind = JUDGE_CHOOSE}) ||
        !compile(session, expr->as.of.right, depth + 1, values))
        return false;
    const unsigned past = session->judged_count;
    if (!put(session, (judge_op){.kind = JUDGE_PAST}) ||
        !compile(session, expr->as.of.third, depth + 2, values))
        return false;
    session->judged[choose].number = past - choose;
    session->judged[past].number = session->judged_count - past - 1;
    return put(session, (judge_op){.kind = JUDGE_CHOSEN});
}

/* An operator and its values. */
static bool compile_operator(oak_session *session, const oak_expr *expr, unsigned depth,
                             judged_values *values)
{
    const bool two = expr->kind == OAK_EXPR_BINARY,
               divides = expr->op == OP_DIVIDE || expr->op == OP_REMAINDER;
    const bool in_address = values->in_address;
    bool both = oak_expr_is_both(expr);
    if (!oak_expr_is_plain(expr) && !(two && divides)) return false;
    values->in_address |= expr->op == OP_UPPER; /* as oak_expr_value has it */
    const bool there = compile(session, expr->as.of.left, depth, values);
    values->in_address = in_address;
    if (!there) return false;
    if (expr->op == OP_PLUS) return true;
    const unsigned unless = session->judged_count;
    if (both && !put(session, (judge_op){.kind = JUDGE_UNLESS})) return false;
    unsigned right = session->judged_count;
    if (two && !compile(session, expr->as.of.right, depth + 1, values)) return false;
    bool fails = false;
    for (unsigned i = right; i < session->judged_count; i++) fails |= may_fail(session->judged[i].kind);
    if (both && fails) { /* it is to be seen in any case */
        memmove(session->judged + unless, session->judged + right,
                (session->judged_count - right) * sizeof *session->judged);
        session->judged_count--;
        both = false;
        right--;
    }
    judge_op *last = &session->judged[session->judged_count - 1];
    const bool alone = right == session->judged_count - 1, by_number = alone && last->kind == JUDGE_NUMBER;
    if (divides && !(by_number && last->number))
        return put(session, (judge_op){.kind = JUDGE_DIVISOR}) &&
               put(session, (judge_op){.kind = JUDGE_TWO, .op = expr->op});
    if (two && !both && by_number && last[-1].kind == JUDGE_VALUE) {
        last[-1].kind = JUDGE_AGAINST;
        last[-1].op = expr->op;
        last[-1].number = last->number;
        session->judged_count--;
        return true;
    }
    if (two && !both && alone && (last->kind == JUDGE_VALUE || last->kind == JUDGE_NUMBER)) {
        last->kind = last->kind == JUDGE_VALUE ? JUDGE_WITH : JUDGE_THAN;
        last->op = expr->op;
        return true;
    }
    if (both) session->judged[unless].number = session->judged_count - unless;
    return put(session, (judge_op){.kind = two ? JUDGE_TWO : JUDGE_ONE, .op = expr->op});
}

/* Works it out, and notes what it reads: nothing, where it is a number. */
static oak_status try_out(oak_session *session, const oak_expr *expr, bool in_address, oak_reading *reading)
{
    session->collects = session->compiles = true;
    session->in_address = in_address;
    session->reads_else = false;
    session->read_count = 0;
    const oak_status status = session_evaluate(session, expr, "", NULL, reading);
    session->collects = session->compiles = session->in_address = false;
    return status;
}

static bool is_number(oak_session *session, const oak_expr *expr, bool in_address, oak_reading *reading)
{
    return !try_out(session, expr, in_address, reading) && !session->reads_else && !session->read_count;
}

/* Appends what puts the value of an expression on the stack, which holds `depth` numbers. False when that cannot be said so. */
static bool compile(oak_session *session, const oak_expr *expr, unsigned depth, judged_values *values)
{
    oak_reading reading;
    if (depth >= JUDGE_DEPTH) return false;
    if (is_number(session, expr, values->in_address, &reading))
        return put(session, (judge_op){.kind = JUDGE_NUMBER, .number = reading.value});
    switch (expr->kind) {
    case OAK_EXPR_BIT: return compile_bit(session, expr, depth, values);
    case OAK_EXPR_CHOICE: return compile_choice(session, expr, depth, values);
    case OAK_EXPR_UNARY:
    case OAK_EXPR_BINARY: return compile_operator(session, expr, depth, values);
    case OAK_EXPR_CELL:
        if (!is_number(session, expr->as.of.left, true, &reading))
            return compile_pointer(session, expr, values);
        break;
    case OAK_EXPR_NAME: break;
    default: return false;
    }
    const oak_status status = try_out(session, expr, values->in_address, &reading);
    return !status && !session->reads_else && compile_place(session, expr, reading.bits, values);
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

/* Appends what is to be worked out behind the run (`later`), or at once; passes over the others. */
static bool compile_record(oak_session *session, size_t number, bool later, judged_values *values)
{
    const sampled_value *one = &session->sampled[number];
    unsigned first = session->judged_count, had = values->count, led = session->led_count;
    const unsigned pointers = session->pointer_count;
    const uint32_t depth = session->depth_made, made = session->judged_made,
                   sources = session->judged_sources;
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
        session->depth_made = depth, session->judged_made = made, session->judged_sources = sources;
        session->led_count = led, session->pointer_count = pointers;
        return true;
    }
    session->records[number] =
        (judge_record){.first = first, .reads = later ? reads : 0, .chain = is_chain(op)};
    if (!later) return true;
    values->kept |= reads;
    return true;
}

bool session_make_judge(oak_session *session, judged_values *values)
{
    session->judged_count = session->led_count = session->pointer_count = 0;
    session->depth_made = session->judged_made = session->judged_sources = 0;
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
    for (unsigned i = 0; i < session->led_count; i++) session->led[i].code = code_of(&session->led[i]);
    values->asks = reads_of(session, session->judged_later, values);
    return true;
}
