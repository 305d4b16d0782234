/* two_ends.h — both ends of a line in one process and in a time of their own: only one of them is under way at a time, so that every run
 * of a seed is the same; when both wait, time passes at once. */
#ifndef TEST_TWO_ENDS_H
#define TEST_TWO_ENDS_H

#include <pthread.h>

#include "support.h"

typedef struct two_ends two_ends;

/* What happens to bytes on the way, one in so many; 0: nothing. */
typedef struct weather {
    uint32_t lost, doubled, flipped;
    uint64_t seed;
} weather;

two_ends *two_ends_open(const weather *of);
/* The line of one end, 0 or 1. */
oak_line_port two_ends_line(two_ends *ends, unsigned number);
/* Runs both until they return; what they return. */
typedef int (*end_fn)(void *context);
void two_ends_run(two_ends *ends, end_fn first, void *of_first, end_fn second, void *of_second,
                  int results[2]);
/* For an end that is under way: time passes; the other one is gone; how late it is. */
void two_ends_wait(two_ends *ends, unsigned number, uint64_t microseconds);
bool two_ends_is_alone(two_ends *ends, unsigned number);
uint64_t two_ends_now(const two_ends *ends);
/* The line breaks when so many bytes have gone over it, for both. */
void two_ends_break(two_ends *ends, uint64_t bytes);
void two_ends_close(two_ends *ends);

#endif
