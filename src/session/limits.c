/* limits.c — what limits conditions: as long as some sums of values, or what a few steps make of them, lie outside, none of them can hold. */
#include "asm/expr_plain.h"
#include "base/bits.h"
#include "base/bytes.h"
#include "session/judge.h"

/* A sum of values and a number, or what steps have made of values, as limits of nothing yet; or what is 0 where all of some of these lie outside
 * their limits. */
typedef struct limited {
    enum { LIMITED_ELSE, LIMITED_SUM, LIMITED_STEPS, LIMITED_WITHIN } kind;
    bool has_time; /* of which only the lower half is told */
    bool is_exact; /* within the limits it is not 0, too: not where only half of the time is compared */
    int64_t more;  /* of a sum */
    unsigned kept; /* by steps */
    unsigned count;
    oak_judged_limits limits[OAK_MOST_LIMITS];
} limited;

static uint32_t values_in(const limited *one)
{
    return one->limits->values;
}

/* So many times another one is added to a sum. */
static void add_sum(oak_judged_limits *to, const oak_judged_limits *from, int64_t times)
{
    for (unsigned i = 0; i < OAK_MOST_JUDGED; i++) to->times[i] += times * from->times[i];
    to->values |= from->values;
}

/* Two sides compared: their difference is what has limits. */
static limited compared(unsigned op, const limited *left, const limited *right)
{
    enum { TIME_BITS = 32 };
    const bool has_time = left->has_time || right->has_time;
    const bool wraps = left->kind == LIMITED_STEPS; /* it may be any number */
    const int64_t far = wraps ? INT64_MAX : (int64_t)1 << 60, at = right->more - left->more;
    int64_t from = wraps ? INT64_MIN : -far, to = far;
    limited result = {.kind = LIMITED_WITHIN, .count = 1, .is_exact = !has_time, .kept = left->kept};
    if (op == OP_EQUAL) from = to = at;
    else if (op == OP_LESS || op == OP_LESS_EQUAL) to = at - (op == OP_LESS);
    else if (op == OP_GREATER || op == OP_GREATER_EQUAL) from = at + (op == OP_GREATER);
    else if (op == OP_UNEQUAL) from = at + 1, to = at - 1; /* all the way round */
    else result.kind = LIMITED_ELSE;
    if (has_time && op != OP_EQUAL) result.kind = LIMITED_ELSE;
    *result.limits = *left->limits;
    if (!wraps) add_sum(result.limits, right->limits, -1);
    result.limits->from = from;
    result.limits->width = (uint64_t)to - (uint64_t)from;
    result.limits->bits = has_time ? ((uint64_t)1 << TIME_BITS) - 1 : UINT64_MAX;
    return result;
}

/* How seldom somebody has to be asked within these, and how little it is to tell: the least is best. */
static unsigned worth(const limited *one)
{
    enum { STEPS = 2, NARROW = 1, ALL_ROUND = 4, ANOTHER = 8 };
    const uint64_t width = one->limits->width;
    return one->count * ANOTHER + (one->limits->step_count ? STEPS : 0) +
           (width > INT64_MAX ? ALL_ROUND
            : width           ? NARROW
                              : 0);
}

/* Both of them have to hold: the limits of one will do. */
static limited either(const limited *left, const limited *right)
{
    const bool is_left =
        left->kind == LIMITED_WITHIN && (right->kind != LIMITED_WITHIN || worth(left) <= worth(right));
    limited result = is_left ? *left : *right;
    result.is_exact = false;
    return result;
}

/* One of them has to hold: the limits of both. */
static limited both(const limited *left, const limited *right)
{
    limited result = *left;
    if (left->kind != LIMITED_WITHIN || right->kind != LIMITED_WITHIN ||
        left->count + right->count > OAK_MOST_LIMITS)
        return (limited){.kind = LIMITED_ELSE};
    result.is_exact = false; /* as one of several */
    for (unsigned i = 0; i < right->count; i++) result.limits[result.count++] = right->limits[i];
    return result;
}

static bool put_step(limited *to, const oak_judged_step *step)
{
    oak_judged_limits *limits = to->limits;
    if (limits->step_count == OAK_MOST_STEPS) return false;
    limits->steps[limits->step_count++] = *step;
    if (step->of == OAK_STEP_OF_VALUE) limits->values |= 1u << step->value;
    return true;
}
static bool add_step(limited *to, unsigned kind, int64_t number)
{
    return put_step(to, &(oak_judged_step){.kind = (uint8_t)kind, .number = number});
}
static bool add_kept(limited *to, unsigned kind, unsigned which)
{
    const oak_judged_step step = {.kind = (uint8_t)kind, .of = OAK_STEP_OF_KEPT, .value = (uint8_t)which};
    if (to->kept <= which) to->kept = which + 1;
    return which < OAK_MOST_KEPT && put_step(to, &step);
}
static bool add_value(limited *to, unsigned kind, unsigned which)
{
    const oak_judged_step step = {
        .kind = (uint8_t)kind, .of = OAK_STEP_OF_VALUE, .value = (uint8_t)which, .mask = UINT32_MAX};
    return put_step(to, &step);
}

/* A sum as steps: the multiples first. */
static bool sum_steps(limited *one, const oak_judged_limits *sum, int64_t more)
{
    bool fits = true;
    for (unsigned i = 0; i < OAK_MOST_JUDGED; i++) {
        const int64_t times = sum->times[i];
        if (!times || times == 1 || times == -1) continue;
        const bool first = !one->limits->step_count;
        fits = fits && (first || add_kept(one, OAK_STEP_KEEP, 0)) && add_value(one, OAK_STEP_ADD, i) &&
               add_step(one, OAK_STEP_TIMES, times) && (first || add_kept(one, OAK_STEP_ADD, 0));
    }
    for (unsigned i = 0; i < OAK_MOST_JUDGED; i++)
        if (sum->times[i] == 1 || sum->times[i] == -1)
            fits = fits && add_value(one, sum->times[i] == 1 ? OAK_STEP_ADD : OAK_STEP_TAKE, i);
    return fits && (!more || add_step(one, OAK_STEP_ADD, more));
}

/* What lies within limits as 1, or else 0. */
static bool within_steps(limited *one, const oak_judged_limits *limits)
{
    const int64_t sign = INT64_MIN;
    if (limits->width == UINT64_MAX - 1) /* all but one */
        return add_step(one, OAK_STEP_EQUAL, oak_wrapped((uint64_t)limits->from - 1)) &&
               add_step(one, OAK_STEP_EQUAL, 0);
    if (!limits->width) return add_step(one, OAK_STEP_EQUAL, limits->from);
    if (!add_step(one, OAK_STEP_ADD, oak_wrapped(0 - (uint64_t)limits->from))) return false;
    return add_step(one, OAK_STEP_XOR, sign) && /* for numbers without a sign */
           add_step(one, OAK_STEP_MORE, oak_wrapped(limits->width) ^ sign) &&
           add_step(one, OAK_STEP_EQUAL, 0);
}

/* As steps; what is none stays as it is. */
static bool as_steps(limited *one)
{
    const limited was = *one;
    const bool is_within = one->kind == LIMITED_WITHIN;
    if (one->kind == LIMITED_STEPS) return true;
    if (one->kind == LIMITED_ELSE || (is_within && !(one->is_exact && one->count == 1))) return false;
    *one = (limited){.kind = LIMITED_STEPS, .has_time = was.has_time};
    if (!is_within) return sum_steps(one, was.limits, was.more);
    const unsigned count = was.limits->step_count;
    for (unsigned i = 0; i < count; i++)
        if (!put_step(one, &was.limits->steps[i])) return false;
    one->kept = was.kept;
    return (count || sum_steps(one, was.limits, 0)) && within_steps(one, was.limits);
}

static bool is_number(const limited *one)
{
    return one->kind == LIMITED_SUM && !values_in(one);
}

/* A number, or a value alone. */
static bool is_simple(const limited *one)
{
    const uint32_t values = values_in(one);
    if (is_number(one)) return true;
    return one->kind == LIMITED_SUM && !one->more && !(values & (values - 1)) &&
           one->limits->times[oak_lowest_bit(values)] == 1;
}

/* A value that is read alone, or NULL. */
static const oak_judged_step *single(const limited *steps)
{
    const oak_judged_step *step = steps->limits->steps;
    const bool is = steps->limits->step_count == 1 && step->kind == OAK_STEP_ADD;
    return is && step->of == OAK_STEP_OF_VALUE ? step : NULL;
}

/* One kind of step from what is there by something else: a number, a value, or what steps make, before. */
static limited step_by(unsigned kind, const limited *left, const limited *right)
{
    const limited nothing = {.kind = LIMITED_ELSE};
    limited by = *right, result = *left;
    if (!as_steps(&result)) return nothing;
    if (is_number(right)) return add_step(&result, kind, right->more) ? result : nothing;
    if (!as_steps(&by)) return nothing;
    result.has_time |= by.has_time;
    const oak_judged_step *value = single(&by);
    if (value) {
        oak_judged_step step = *value;
        step.kind = (uint8_t)kind;
        return put_step(&result, &step) ? result : nothing;
    }
    const unsigned number = result.kept;
    const limited then = result;
    result = by;
    result.has_time = then.has_time;
    if (!add_kept(&result, OAK_STEP_KEEP, number)) return nothing;
    for (unsigned i = 0; i < then.limits->step_count; i++)
        if (!put_step(&result, &then.limits->steps[i])) return nothing;
    return add_kept(&result, kind, number) ? result : nothing;
}

/* The same by a sum, one value after the other. */
static limited steps_by_sum(bool adds, const limited *left, const limited *right)
{
    limited result = *left;
    bool fits = as_steps(&result);
    for (uint32_t some = values_in(right); some; some &= some - 1) {
        const unsigned i = oak_lowest_bit(some);
        const int64_t times = right->limits->times[i];
        if (times != 1 && times != -1) return step_by(adds ? OAK_STEP_ADD : OAK_STEP_TAKE, left, right);
        fits = fits && add_value(&result, adds == (times == 1) ? OAK_STEP_ADD : OAK_STEP_TAKE, i);
    }
    result.has_time |= right->has_time;
    if (right->more) fits = fits && add_step(&result, adds ? OAK_STEP_ADD : OAK_STEP_TAKE, right->more);
    return fits ? result : (limited){.kind = LIMITED_ELSE};
}

static limited stepped(unsigned op, const limited *left, const limited *right)
{
    static const uint8_t kinds[][2] = {
        {OP_ADD, OAK_STEP_ADD},    {OP_SUBTRACT, OAK_STEP_TAKE},   {OP_AND, OAK_STEP_AND},
        {OP_OR, OAK_STEP_OR},      {OP_XOR, OAK_STEP_XOR},         {OP_LEFT, OAK_STEP_UP},
        {OP_RIGHT, OAK_STEP_DOWN}, {OP_MULTIPLY, OAK_STEP_TIMES},  {OP_MIN, OAK_STEP_LEAST},
        {OP_MAX, OAK_STEP_MOST},   {OP_DIVIDE, OAK_STEP_QUOTIENT}, {OP_REMAINDER, OAK_STEP_REST},
        {OP_LESS, OAK_STEP_LESS},  {OP_GREATER, OAK_STEP_MORE}};
    const limited nothing = {.kind = LIMITED_ELSE};
    unsigned i = 0;
    while (i < sizeof kinds / sizeof *kinds && kinds[i][0] != op) i++;
    if (i == sizeof kinds / sizeof *kinds) return nothing;
    const bool whole = op == OP_RIGHT || op == OP_MIN || op == OP_MAX || op == OP_DIVIDE ||
                       op == OP_REMAINDER || op == OP_LESS || op == OP_GREATER;
    if ((whole && left->has_time) || ((whole || op == OP_LEFT) && right->has_time)) return nothing;
    if (right->kind == LIMITED_SUM && !is_number(right) && (op == OP_ADD || op == OP_SUBTRACT))
        return steps_by_sum(op == OP_ADD, left, right);
    limited result = step_by(kinds[i][1], left, right);
    if (op == OP_AND && is_number(right) && !(right->more >> 32)) result.has_time = false;
    return result;
}

/* None of it is so large that sums would wrap. */
static bool is_near(const limited *one)
{
    const int64_t far = (int64_t)1 << 40, often = (int64_t)1 << 20;
    bool is = one->more >= -far && one->more <= far;
    for (unsigned i = 0; i < OAK_MOST_JUDGED; i++)
        is = is && one->limits->times[i] >= -often && one->limits->times[i] <= often;
    return is;
}

/* What is not 0 holds. */
static limited holds(const limited *one)
{
    const limited nothing = {.kind = LIMITED_SUM};
    if (is_number(one) || (one->kind != LIMITED_SUM && one->kind != LIMITED_STEPS) || !is_near(one))
        return *one;
    return compared(OP_UNEQUAL, one, &nothing);
}

/* Some of the lower bits. */
static limited bits_of(const limited *one, unsigned shift, int64_t mask)
{
    limited result = *one;
    if (shift > 31 || !as_steps(&result) || (shift && !add_step(&result, OAK_STEP_DOWN, shift)) ||
        !add_step(&result, OAK_STEP_AND, mask))
        return (limited){.kind = LIMITED_ELSE};
    result.has_time = false; /* they lie in the lower half */
    return result;
}

/* A sum so many times. */
static limited multiplied(const limited *sum, int64_t times)
{
    limited result = {.kind = LIMITED_SUM, .has_time = sum->has_time, .more = sum->more * times};
    add_sum(result.limits, sum->limits, times);
    return result;
}

/* Two sides compared of which one takes steps. */
static limited compared_steps(unsigned op, const limited *left, const limited *right)
{
    const limited nothing = {.kind = LIMITED_SUM}, number = {.kind = LIMITED_SUM, .more = right->more};
    limited rest = *right;
    if (left->kind == LIMITED_STEPS && is_number(right)) return compared(op, left, right);
    if (op == OP_LESS_EQUAL || op == OP_GREATER_EQUAL) {
        const limited other = stepped(op == OP_LESS_EQUAL ? OP_GREATER : OP_LESS, left, right);
        return other.kind == LIMITED_STEPS ? compared(OP_EQUAL, &other, &nothing) : other;
    }
    if (op == OP_LESS || op == OP_GREATER) return stepped(op, left, right);
    if (op != OP_EQUAL && op != OP_UNEQUAL) return (limited){.kind = LIMITED_ELSE};
    if (left->kind == LIMITED_SUM) return compared_steps(op, right, left);
    if (right->kind == LIMITED_SUM) rest.more = 0;
    const limited difference = stepped(OP_SUBTRACT, left, &rest);
    if (difference.kind != LIMITED_STEPS) return difference;
    return compared(op, &difference, right->kind == LIMITED_SUM ? &number : &nothing);
}

/* What one operand becomes. */
static limited changed(unsigned op, const limited *one)
{
    enum { BYTE = 0xFF };
    const limited nothing = {.kind = LIMITED_SUM};
    limited result = *one;
    if (op == OP_PLUS || one->kind == LIMITED_ELSE) return result;
    if (op == OP_LOW) return bits_of(one, 0, BYTE);
    if (op == OP_HIGH) return bits_of(one, 8, BYTE);
    if (op == OP_UPPER) return bits_of(one, 16, BYTE);
    if (op == OP_NOT && one->kind == LIMITED_SUM && is_number(one))
        return (limited){.kind = LIMITED_SUM, .more = !one->more};
    if (op == OP_NOT && one->kind == LIMITED_WITHIN) {
        if (!one->is_exact || one->count != 1) result.kind = LIMITED_ELSE;
        const uint64_t width = one->limits->width;
        result.limits->from = oak_wrapped((uint64_t)one->limits->from + width + 1);
        result.limits->width = UINT64_MAX - width - 1;
        return result;
    }
    if (op == OP_NOT && is_near(one)) return compared(OP_EQUAL, one, &nothing);
    if (op != OP_NEGATE && op != OP_INVERT) result.kind = LIMITED_ELSE;
    else if (one->kind == LIMITED_SUM && is_near(one)) {
        result = multiplied(one, -1);
        result.more -= op == OP_INVERT;
    } else if (!as_steps(&result) || !add_step(&result, OAK_STEP_TIMES, -1) ||
               (op == OP_INVERT && !add_step(&result, OAK_STEP_TAKE, 1)))
        result.kind = LIMITED_ELSE;
    return result;
}

/* One or the other: both of them are worked out, and all bits of their difference are taken or none. */
static limited chosen(const limited *which, const limited *left, const limited *right)
{
    const limited nothing = {.kind = LIMITED_ELSE};
    limited all = *which;
    if (!as_steps(&all) || all.has_time) return nothing;
    if (!add_step(&all, OAK_STEP_EQUAL, 0) || !add_step(&all, OAK_STEP_TAKE, 1)) return nothing;
    limited difference = {.kind = LIMITED_SUM, .more = left->more ^ right->more};
    if (!is_number(left) || !is_number(right)) difference = stepped(OP_XOR, left, right);
    const limited taken = stepped(OP_AND, &all, &difference);
    return stepped(OP_XOR, &taken, right);
}

static limited combined(unsigned op, const limited *left, const limited *right)
{
    const limited nothing = {.kind = LIMITED_ELSE};
    const int64_t often = (int64_t)1 << 20, by = right->more;
    if (op == OP_AND_THEN || op == OP_OR_ELSE) {
        const limited first = holds(left), second = holds(right);
        if (op == OP_OR_ELSE) return both(&first, &second);
        const limited one = either(&first, &second);
        return one.kind == LIMITED_WITHIN ? one : nothing;
    }
    const bool sums = left->kind == LIMITED_SUM && right->kind == LIMITED_SUM;
    if (!is_near(left) || !is_near(right)) return nothing;
    if (sums && (op == OP_ADD || op == OP_SUBTRACT)) {
        limited result = *left;
        const limited more = multiplied(right, op == OP_ADD ? 1 : -1);
        result.has_time |= right->has_time;
        result.more += more.more;
        add_sum(result.limits, more.limits, 1);
        return result;
    }
    if (sums && op == OP_MULTIPLY && is_number(right) && by >= -often && by <= often)
        return multiplied(left, by);
    if (sums && op == OP_MULTIPLY && is_number(left) && left->more >= -often && left->more <= often)
        return multiplied(right, left->more);
    if (sums && op == OP_LEFT && is_number(right) && by >= 0 && by <= 20)
        return multiplied(left, (int64_t)1 << by);
    const bool turns = op == OP_ADD || op == OP_AND || op == OP_OR || op == OP_XOR || op == OP_MULTIPLY ||
                       op == OP_MIN || op == OP_MAX;
    if (turns && (is_number(left) || (is_simple(left) && !is_simple(right)))) return stepped(op, right, left);
    const bool compares = op >= OP_EQUAL && op <= OP_GREATER_EQUAL;
    if (compares) return sums ? compared(op, left, right) : compared_steps(op, left, right);
    return stepped(op, left, right);
}

/* A value that is read: whole, or some of its bits. */
static limited value_of(const oak_session *session, const judge_op *op)
{
    limited value = {.kind = LIMITED_SUM, .has_time = op->kind == JUDGE_TIME};
    if (!op->shift && !(session->judged_masks[op->from] & ~op->mask)) {
        value.limits->values = 1u << op->from;
        value.limits->times[op->from] = 1;
        return value;
    }
    value.kind = LIMITED_STEPS;
    (void)!put_step(&value, &(oak_judged_step){.kind = OAK_STEP_ADD,
                                               .of = OAK_STEP_OF_VALUE,
                                               .value = op->from,
                                               .shift = op->shift,
                                               .mask = op->mask}); /* the first one fits */
    return value;
}

/* What an operation makes of what there is: `top` is the place above the last one. */
static limited *operate(const oak_session *session, const judge_op *op, limited *top)
{
    const limited number = {.kind = LIMITED_SUM, .more = op->number};
    limited value = {.kind = LIMITED_ELSE};
    if (op->kind == JUDGE_TIME || (op->kind >= JUDGE_VALUE && op->kind <= JUDGE_WITH))
        value = value_of(session, op);
    if (op->kind == JUDGE_NUMBER) *top++ = number;
    else if (op->kind == JUDGE_TIME || op->kind == JUDGE_VALUE) *top++ = value;
    else if (op->kind == JUDGE_AGAINST) *top++ = combined(op->op, &value, &number);
    else if (op->kind == JUDGE_WITH) top[-1] = combined(op->op, &top[-1], &value);
    else if (op->kind == JUDGE_THAN) top[-1] = combined(op->op, &top[-1], &number);
    else if (op->kind == JUDGE_TWO) top--, top[-1] = combined(op->op, &top[-1], &top[0]);
    else if (op->kind == JUDGE_BIT) top[-1] = bits_of(&top[-1], op->shift, 1);
    else if (op->kind == JUDGE_ONE) top[-1] = changed(op->op, &top[-1]);
    else if (op->kind == JUDGE_CHOSEN) top -= 2, top[-1] = chosen(&top[-1], &top[0], &top[1]);
    return top;
}

unsigned session_limits(const oak_session *session, oak_judged_limits *limits)
{
    limited stack[JUDGE_DEPTH + 3], *top = stack; /* the number above the last one */
    limited all = {.kind = LIMITED_WITHIN};
    for (unsigned i = 0; i < session->judged_count; i++) {
        const judge_op *op = &session->judged[i];
        if (op->kind == JUDGE_SAMPLE) return 0;
        top = operate(session, op, top);
        if (op->kind != JUDGE_END) continue;
        if (session->watches[op->number].about.kind != OAK_WATCH_HOLDS) return 0;
        const limited one = holds(--top);
        all = both(&all, &one);
    }
    if (all.kind != LIMITED_WITHIN) return 0;
    memcpy(limits, all.limits, sizeof all.limits);
    return all.count;
}

bool session_lead(const oak_session *session, const judge_pointer *pointer, oak_judged_lead *lead)
{
    enum { WHOLE = 0xFF }; /* at least: neither a bit nor a field */
    limited stack[JUDGE_DEPTH + 3], *top = stack;
    for (const judge_op *op = session->led + pointer->first; op->kind != JUDGE_END; op++) {
        const bool reads = op->kind >= JUDGE_VALUE && op->kind <= JUDGE_WITH;
        if (op->kind > JUDGE_BIT || op->kind == JUDGE_TIME || (reads && (op->shift || op->mask < WHOLE)))
            return false;
        top = operate(session, op, top);
    }
    if (stack->kind != LIMITED_SUM) return false;
    *lead = (oak_judged_lead){.value = pointer->cell,
                              .there = pointer->there,
                              .space = pointer->space,
                              .cells = (uint8_t)pointer->cells,
                              .number = stack->more,
                              .plain = pointer->plain};
    for (uint32_t some = values_in(stack); some; some &= some - 1) {
        if (lead->source_count == OAK_MOST_LED_BY) return false;
        lead->source[lead->source_count] = (uint8_t)oak_lowest_bit(some);
        lead->times[lead->source_count++] = stack->limits->times[oak_lowest_bit(some)];
    }
    return is_near(stack);
}
