/* judge_steps.c — what steps make of values: each of them a function that goes on to the next one. */
#include "base/divide.h"
#include "isa/judge.h"

typedef oak_judged_walk walk;

static inline bool is_less(uint64_t left, uint64_t right)
{
    const uint64_t SIGN = (uint64_t)1 << 63;
    return (left ^ SIGN) < (right ^ SIGN);
}

static inline uint64_t down(uint64_t left, uint64_t by)
{
    const uint64_t most = by > 63 ? 63 : by;
    return left >> 63 ? ~(~left >> most) : left >> most;
}

/* All kinds of steps but for OAK_STEP_KEEP. */
#define EACH_STEP(X)                                                                                         \
    X(OAK_STEP_ADD, left + right)                                                                            \
    X(OAK_STEP_TAKE, left - right)                                                                           \
    X(OAK_STEP_AND, left &right)                                                                             \
    X(OAK_STEP_OR, left | right)                                                                             \
    X(OAK_STEP_XOR, left ^ right)                                                                            \
    X(OAK_STEP_TIMES, left *right)                                                                           \
    X(OAK_STEP_LEAST, is_less(left, right) ? left : right)                                                   \
    X(OAK_STEP_MOST, is_less(left, right) ? right : left)                                                    \
    X(OAK_STEP_QUOTIENT, (uint64_t)oak_quotient(oak_wrapped(left), oak_wrapped(right)))                      \
    X(OAK_STEP_REST, (uint64_t)oak_rest(oak_wrapped(left), oak_wrapped(right)))                              \
    X(OAK_STEP_UP, right > 63 ? 0 : left << right)                                                           \
    X(OAK_STEP_DOWN, down(left, right))                                                                      \
    X(OAK_STEP_EQUAL, left == right)                                                                         \
    X(OAK_STEP_LESS, is_less(left, right))                                                                   \
    X(OAK_STEP_MORE, is_less(right, left))

typedef uint64_t step_on(const oak_judged_stride *one, walk *with, uint64_t left);

static uint64_t arrive(const oak_judged_stride *one, walk *with, uint64_t left)
{
    (void)one;
    (void)with;
    return left;
}
static uint64_t put_by(const oak_judged_stride *one, walk *with, uint64_t left)
{
    with->kept[one->number] = left;
    return one[1].go(one + 1, with, 0);
}

#define STEP(name, come_by, result)                                                                          \
    static uint64_t name(const oak_judged_stride *one, walk *with, uint64_t left)                            \
    {                                                                                                        \
        const uint64_t right = come_by;                                                                      \
        return one[1].go(one + 1, with, result);                                                             \
    }
#define STEPS(kind, result)                                                                                  \
    STEP(number_##kind, one->number, result)                                                                 \
    STEP(kept_##kind, with->kept[one->number], result)                                                       \
    STEP(byte_##kind, *one->at & one->mask, result)                                                          \
    STEP(word_##kind, oak_judged_word(one->at) & one->mask, result)                                          \
    STEP(shifted_##kind, oak_judged_word(one->at) >> one->shift & one->mask, result)                         \
    STEP(banked_##kind, one->at[*one->bank & one->bank_bits] & one->mask, result)                            \
    STEP(any_##kind,                                                                                         \
         oak_judged_quick_word(with->judged, with->core, &with->judged->quick[one->number], with->now) >>    \
                 one->shift &                                                                                \
             one->mask,                                                                                      \
         result)
EACH_STEP(STEPS)

/* By a number, with its reciprocal. */
STEP(soon_OAK_STEP_QUOTIENT, one->number,
     (uint64_t)oak_divided(oak_wrapped(left), oak_wrapped(right), one->mask, false))
STEP(soon_OAK_STEP_REST, one->number,
     (uint64_t)oak_divided(oak_wrapped(left), oak_wrapped(right), one->mask, true))

typedef enum come_by {
    BY_NUMBER,
    BY_KEPT,
    BY_BYTE,
    BY_WORD,
    BY_SHIFTED,
    BY_BANKED,
    BY_ANY,
    COME_BY_COUNT
} come_by;
static step_on *const steps[][COME_BY_COUNT] = {
#define ROW(kind, result)                                                                                    \
    [kind] = {number_##kind,  kept_##kind,   byte_##kind, word_##kind,                                       \
              shifted_##kind, banked_##kind, any_##kind},
    EACH_STEP(ROW)
#undef ROW
};

void oak_judged_place_steps(const oak_judged *judged, oak_judged_reads *reads)
{
    oak_judged_stride *to = reads->strides;
    const oak_judged_limits *limits = &reads->limits;
    const bool big = oak_is_host_big();
    for (const oak_judged_step *one = limits->steps; one < limits->steps + limits->step_count; one++, to++) {
        const oak_judged_quick *quick = &judged->quick[one->value];
        *to =
            (oak_judged_stride){.number = one->of == OAK_STEP_OF_NUMBER ? (uint64_t)one->number : one->value};
        if (one->kind == OAK_STEP_KEEP) {
            to->go = put_by;
            continue;
        }
        come_by by = one->of == OAK_STEP_OF_KEPT ? BY_KEPT : BY_NUMBER;
        if (one->of == OAK_STEP_OF_VALUE) {
            const bool is_word = !big && judged->words >> one->value & 1;
            by = quick->kind == OAK_QUICK_BANKED && !one->shift ? BY_BANKED
                 : quick->kind == OAK_QUICK_BYTE && !one->shift ? BY_BYTE
                 : is_word                                      ? (one->shift ? BY_SHIFTED : BY_WORD)
                                                                : BY_ANY;
            to->at = quick->at;
            to->bank = quick->bank;
            to->bank_bits = quick->bank_bits;
            to->shift = one->shift;
            to->mask = one->mask & quick->mask >> one->shift;
        }
        to->go = steps[one->kind][by];
        if (by != BY_NUMBER) continue;
        to->mask = oak_reciprocal(one->number);
        if (to->mask && one->kind == OAK_STEP_QUOTIENT) to->go = soon_OAK_STEP_QUOTIENT;
        if (to->mask && one->kind == OAK_STEP_REST) to->go = soon_OAK_STEP_REST;
    }
    *to = (oak_judged_stride){.go = arrive};
}

uint64_t oak_judged_steps_of(const oak_judged_limits *limits, const uint32_t *values)
{
    uint64_t left = 0, kept[OAK_MOST_KEPT] = {0};
    for (const oak_judged_step *one = limits->steps; one < limits->steps + limits->step_count; one++) {
        uint64_t right = (uint64_t)one->number;
        if (one->of == OAK_STEP_OF_KEPT) right = kept[one->value];
        else if (one->of == OAK_STEP_OF_VALUE) right = values[one->value] >> one->shift & one->mask;
        switch (one->kind) {
#define MAKE(kind, result)                                                                                   \
    case kind: left = result; break;
            EACH_STEP(MAKE)
#undef MAKE
        default:
            kept[one->value] = left;
            left = 0;
            break;
        }
    }
    return left;
}

bool oak_judged_are_steps(const oak_judged_limits *limits, unsigned count)
{
    uint32_t kept = 0;
    if (limits->step_count > OAK_MOST_STEPS) return false;
    for (const oak_judged_step *one = limits->steps; one < limits->steps + limits->step_count; one++) {
        const bool keeps = one->kind == OAK_STEP_KEEP;
        if (one->kind > OAK_STEP_KEEP || one->of > OAK_STEP_OF_KEPT) return false;
        if (keeps || one->of == OAK_STEP_OF_KEPT) {
            if (one->value >= OAK_MOST_KEPT ||
                (keeps ? one->of != OAK_STEP_OF_KEPT : !(kept >> one->value & 1)))
                return false;
            kept |= 1u << one->value;
        } else if (one->of == OAK_STEP_OF_VALUE &&
                   (one->shift > 31 || one->value >= count || !(limits->values >> one->value & 1)))
            return false;
    }
    return true;
}
