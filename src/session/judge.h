/* judge.h — the short programs of judge.c, how they are made, and what limits their conditions. */
#ifndef OAK_SESSION_JUDGE_H
#define OAK_SESSION_JUDGE_H

#include "session/session_state.h"

enum {
    JUDGE_NUMBER,
    JUDGE_TIME, /* in cycles: the value is their lower half */
    JUDGE_VALUE,
    JUDGE_AGAINST, /* a value and a number, the usual case */
    JUDGE_WITH,    /* what there is and a value */

    JUDGE_THAN, /* what there is and a number */
    JUDGE_ONE,
    JUDGE_TWO,
    JUDGE_BIT,
    JUDGE_THERE,   /* 0: it has no value, as there is no memory where a pointer leads to */
    JUDGE_DIVISOR, /* likewise what there is, 0 */
    JUDGE_UNLESS,  /* 0: goes on so many operations further */
    JUDGE_CHOOSE,  /* likewise, and is gone: behind the next one, */
    JUDGE_PAST, /* which goes on further in any case; of rows both ways are gone, and all three values are there at */
    JUDGE_CHOSEN,
    JUDGE_END,   /* of a piece of the program: a condition, whose watch is `number`, */
    JUDGE_SAMPLE /* or what is recorded */
};

/* One of these for an operator in each form that it comes in; other operations are their kind. */
#define JUDGE_CODE(operator, kind) (64 + (unsigned)(operator) * 8 + (unsigned)(kind))

/* Its mask says what was read since the one before it that says so. */
static inline bool judge_gathers(unsigned kind)
{
    return kind == JUDGE_TWO || kind >= JUDGE_UNLESS;
}

/* What the chip is to look at. */
typedef struct judged_values {
    oak_watched cells[OAK_MOST_JUDGED];
    uint32_t masks[OAK_MOST_JUDGED];
    uint32_t kept, asks; /* those of what is recorded, and of conditions: a bit each */
    unsigned count;
    bool in_address; /* variables mean their addresses */
} judged_values;

/* The program of all that is recorded and asked, and the values that it needs. False when something cannot be said so. */
bool session_make_judge(oak_session *session, judged_values *values);

/* What limits all conditions of the program by itself, as OAK_MOST_LIMITS limits of the chip port; how many, 0 where nothing does. The masks of the
 * values have been put down. */
unsigned session_limits(const oak_session *session, oak_judged_limits *limits);

/* Where a pointer leads to as a sum that the chip can follow; false where it is none. */
bool session_lead(const oak_session *session, const judge_pointer *pointer, oak_judged_lead *lead);

#endif
