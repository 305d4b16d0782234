/* judge.h — the short programs of judge.c, and what limits their conditions. */
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
    JUDGE_UNLESS, /* 0: goes on at the operation `number` */
    JUDGE_END,    /* of a piece of the program: a condition, whose watch is `number`, */
    JUDGE_SAMPLE  /* or what is recorded */
};

/* What limits all conditions of the program by itself, as OAK_MOST_LIMITS limits of the chip port; how many, 0 where nothing does. The masks of the
 * values have been put down. */
unsigned session_limits(const oak_session *session, oak_judged_limits *limits);

#endif
