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
    int64_t more;  /* of a sum */
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
    limited result = {.kind = LIMITED_WITHIN, .count = 1};
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
    if (left->kind != LIMITED_WITHIN) return *right;
    return right->kind != LIMITED_WITHIN || worth(left) <= worth(right) ? *left : *right;
}

/* One of them has to hold: the limits of both. */
static limited both(const limited *left, const limited *right)
{
    limited result = *left;
    if (left->kind != LIMITED_WITHIN || right->kind != LIMITED_WITHIN ||
        left->count + right->count > OAK_MOST_LIMITS)
        return (limited){.kind = LIMITED_ELSE};
    for (unsigned i = 0; i < right->count; i++) result.limits[result.count++] = right->limits[i];
    return result;
}

static bool add_step(limited *to, const oak_judged_step *step)
{
    oak_judged_limits *limits = to->limits;
    if (limits->step_count == OAK_MOST_STEPS) return false;
    limits->steps[limits->step_count++] = *step;
    if (step->is_value) limits->values |= 1u << step->value;
    return true;
}

/* A sum as steps; it stays where it is none. */
static bool as_steps(limited *one)
{
    if (one->kind != LIMITED_SUM) return one->kind == LIMITED_STEPS;
    const oak_judged_limits sum = *one->limits;
    oak_judged_step step = {.is_value = true, .mask = UINT32_MAX};
    bool fits = true;
    const bool alone = !(sum.values & (sum.values - 1));
    *one->limits = (oak_judged_limits){.values = 0};
    one->kind = LIMITED_STEPS;
    for (step.value = 0; step.value < OAK_MOST_JUDGED; step.value++) {
        if (!(sum.values >> step.value & 1)) continue;
        const int64_t times = sum.times[step.value];
        const bool once = times == 1 || times == -1;
        step.kind = times == -1 ? OAK_STEP_TAKE : OAK_STEP_ADD;
        fits = fits && (once || alone) && add_step(one, &step);
        if (!once) fits = fits && add_step(one, &(oak_judged_step){.kind = OAK_STEP_TIMES, .number = times});
    }
    step = (oak_judged_step){.kind = OAK_STEP_ADD, .number = one->more};
    if (one->more) fits = fits && add_step(one, &step);
    one->more = 0;
    return fits;
}

static bool is_number(const limited *one)
{
    return one->kind == LIMITED_SUM && !values_in(one);
}

/* What is there, and a single value or a number: another step. */
static limited stepped(unsigned op, const limited *left, const limited *right)
{
    static const uint8_t kinds[][2] = {
        {OP_ADD, OAK_STEP_ADD},    {OP_SUBTRACT, OAK_STEP_TAKE},   {OP_AND, OAK_STEP_AND},
        {OP_OR, OAK_STEP_OR},      {OP_XOR, OAK_STEP_XOR},         {OP_LEFT, OAK_STEP_TIMES},
        {OP_RIGHT, OAK_STEP_DOWN}, {OP_MULTIPLY, OAK_STEP_TIMES},  {OP_MIN, OAK_STEP_LEAST},
        {OP_MAX, OAK_STEP_MOST},   {OP_DIVIDE, OAK_STEP_QUOTIENT}, {OP_REMAINDER, OAK_STEP_REST}};
    const limited nothing = {.kind = LIMITED_ELSE};
    limited result = *left, by = *right;
    if (!as_steps(&result)) return nothing;
    const bool by_number = is_number(right);
    oak_judged_step step = {.number = right->more};
    if (!by_number) {
        if (!as_steps(&by) || by.limits->step_count != 1) return nothing;
        step = *by.limits->steps;
        if (!step.is_value || step.kind != OAK_STEP_ADD) return nothing;
    }
    unsigned i = 0;
    while (i < sizeof kinds / sizeof *kinds && kinds[i][0] != op) i++;
    if (i == sizeof kinds / sizeof *kinds) return nothing;
    step.kind = kinds[i][1];
    const bool shifts = op == OP_LEFT || op == OP_RIGHT;
    if (shifts && (!by_number || step.number < 0 || step.number > 31)) return nothing;
    const bool divides = op == OP_DIVIDE || op == OP_REMAINDER;
    if (divides && (!by_number || !step.number || step.number == -1)) return nothing;
    if ((divides || op == OP_MIN || op == OP_MAX) && (result.has_time || right->has_time)) return nothing;
    if (op == OP_LEFT) step.number = (int64_t)1 << step.number;
    result.has_time |= right->has_time;
    if (op == OP_RIGHT && result.has_time) return nothing; /* its upper half would come down */
    if (op == OP_AND && by_number && !(step.number >> 32)) result.has_time = false;
    return add_step(&result, &step) ? result : nothing;
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

static limited bit_of(const limited *one, unsigned number)
{
    limited result = *one;
    const oak_judged_step down = {.kind = OAK_STEP_DOWN, .number = number},
                          only = {.kind = OAK_STEP_AND, .number = 1};
    if (number > 31 || !as_steps(&result) || (number && !add_step(&result, &down)) ||
        !add_step(&result, &only))
        return (limited){.kind = LIMITED_ELSE};
    result.has_time = false; /* it lies in the lower half */
    return result;
}

/* A sum so many times. */
static limited multiplied(const limited *sum, int64_t times)
{
    limited result = {.kind = LIMITED_SUM, .has_time = sum->has_time, .more = sum->more * times};
    add_sum(result.limits, sum->limits, times);
    return result;
}

/* What steps make of values, and a sum: the difference is 0, or not. */
static limited equal_steps(unsigned op, const limited *left, const limited *right)
{
    limited difference = *left;
    const limited rest = {.kind = LIMITED_SUM, .more = right->more};
    oak_judged_step step = {.is_value = true, .mask = UINT32_MAX};
    bool fits = right->kind == LIMITED_SUM;
    for (uint32_t some = values_in(right); some && fits; some &= some - 1) {
        step.value = (uint8_t)oak_lowest_bit(some);
        const int64_t times = right->limits->times[step.value];
        step.kind = times == 1 ? OAK_STEP_TAKE : OAK_STEP_ADD;
        fits = (times == 1 || times == -1) && add_step(&difference, &step);
    }
    difference.has_time |= right->has_time;
    return fits ? compared(op, &difference, &rest) : (limited){.kind = LIMITED_ELSE};
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
    const limited further = stepped(op, left, right);
    if (further.kind == LIMITED_STEPS) return further;
    const bool turns = op == OP_ADD || op == OP_AND || op == OP_OR || op == OP_XOR || op == OP_MULTIPLY ||
                       op == OP_MIN || op == OP_MAX;
    if (turns) return stepped(op, right, left);
    if (sums || (left->kind == LIMITED_STEPS && is_number(right))) return compared(op, left, right);
    if (op != OP_EQUAL && op != OP_UNEQUAL) return nothing;
    if (left->kind == LIMITED_STEPS) return equal_steps(op, left, right);
    return right->kind == LIMITED_STEPS ? equal_steps(op, right, left) : nothing;
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
    add_step(
        &value,
        &(oak_judged_step){
            .kind = OAK_STEP_ADD, .is_value = true, .value = op->from, .shift = op->shift, .mask = op->mask});
    return value;
}

/* What an operation makes of what there is: `top` is the place above the last one. */
static limited *operate(const oak_session *session, const judge_op *op, limited *top)
{
    const limited none = {.kind = LIMITED_SUM}, number = {.kind = LIMITED_SUM, .more = op->number};
    limited value = {.kind = LIMITED_ELSE};
    if (op->kind == JUDGE_TIME || (op->kind >= JUDGE_VALUE && op->kind <= JUDGE_WITH))
        value = value_of(session, op);
    if (op->kind == JUDGE_NUMBER) *top++ = number;
    else if (op->kind == JUDGE_TIME || op->kind == JUDGE_VALUE) *top++ = value;
    else if (op->kind == JUDGE_AGAINST) *top++ = combined(op->op, &value, &number);
    else if (op->kind == JUDGE_WITH) top[-1] = combined(op->op, &top[-1], &value);
    else if (op->kind == JUDGE_THAN) top[-1] = combined(op->op, &top[-1], &number);
    else if (op->kind == JUDGE_TWO) top--, top[-1] = combined(op->op, &top[-1], &top[0]);
    else if (op->kind == JUDGE_BIT) top[-1] = bit_of(&top[-1], op->shift);
    else if (op->kind == JUDGE_ONE && op->op == OP_NOT && is_near(&top[-1]) && !is_number(&top[-1]) &&
             (top[-1].kind == LIMITED_SUM || top[-1].kind == LIMITED_STEPS))
        top[-1] = compared(OP_EQUAL, &top[-1], &none);
    else if (op->kind == JUDGE_CHOSEN) top -= 2, top[-1].kind = LIMITED_ELSE;
    else if (op->kind == JUDGE_ONE) top[-1].kind = LIMITED_ELSE;
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
