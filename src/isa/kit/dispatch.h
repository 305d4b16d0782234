/* dispatch.h — over computed goto where the compiler has it, and a switch elsewhere: how the loop goes from one operation to the
 * next. Included once before the two forms of a loop. */
#if defined(__GNUC__) && !defined(OAK_NO_COMPUTED_GOTO)
#define KIT_COMPUTED_GOTO 1
#pragma GCC diagnostic ignored "-Wpedantic" /* labels as values */
#define RESUME(number) goto *handlers[number]
#define BEGIN_CASES
#define END_CASES
#define CASE(name)    CASE_OF(name) /* of a handler that is no row */
#define ON(name)      CASE_OF(name) /* of a row */
#define CASE_OF(name) on_##name
/* Locals are worked out before the next operation is looked up, so that nothing stands between that and the jump. */
#define KIT_SETTLE(a, b, c, d) __asm__("" : "+r"(a), "+r"(b), "+r"(c), "+r"(d))
/* What was worked out from an operation is forgotten: on a path that is rare it is worked out anew, so that nothing is kept for it. */
#define KIT_ANEW(op) __asm__("" : "+r"(op))
#else
#define KIT_COMPUTED_GOTO 0
#define RESUME(number)                                                                                       \
    do {                                                                                                     \
        next_handler = (number);                                                                             \
        goto dispatch;                                                                                       \
    } while (0)
#define BEGIN_CASES                                                                                          \
    dispatch:                                                                                                \
    switch (next_handler) {
#define END_CASES                                                                                            \
    default: break;                                                                                          \
        }
#define CASE(name) case name
#define ON(name)   case KIT_FIRST_ROW + (name)
#endif
#ifndef KIT_SETTLE
#define KIT_SETTLE(a, b, c, d) (void)0
#define KIT_ANEW(op)           (void)0
#endif
#define DISPATCH RESUME(op->handler)
/* Before an instruction on a register with an effect is given up: back to its own operation. */
#define EFFECT_GIVEN_UP                                                                                      \
    do {                                                                                                     \
        if (kit->effect.op) op = kit->effect.op;                                                             \
        kit->effect.op = NULL;                                                                               \
    } while (0)
#if defined(__GNUC__)
#define KIT_RARELY(condition) __builtin_expect(!!(condition), 0)
#define KIT_MAYBE_UNUSED      __attribute__((unused)) /* of labels: not every architecture goes there */
#else
#define KIT_RARELY(condition) (condition)
#define KIT_MAYBE_UNUSED
#endif
