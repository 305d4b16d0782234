/* divide.h — numbers with a sign from those without: quotients towards 0 and what is left over, sooner than by a division of 64 bits where numbers are small. */
#ifndef OAK_BASE_DIVIDE_H
#define OAK_BASE_DIVIDE_H

#include <stdbool.h>
#include <stdint.h>

#include "base/bytes.h"

/* The number with these bits. */
static inline int64_t oak_wrapped(uint64_t value)
{
    int64_t result;
    memcpy(&result, &value, sizeof result);
    return result;
}

/* 0 of what is divided by 0; the lowest number by -1 is itself. */
static inline int64_t oak_quotient(int64_t left, int64_t right)
{
    if (!(((uint64_t)left | (uint64_t)right) >> 32) && right) return (uint32_t)left / (uint32_t)right;
    return !right ? 0 : right != -1 ? left / right : left == INT64_MIN ? left : -left;
}
static inline int64_t oak_rest(int64_t left, int64_t right)
{
    if (!(((uint64_t)left | (uint64_t)right) >> 32) && right) return (uint32_t)left % (uint32_t)right;
    return !right || right == -1 ? 0 : left % right;
}

/* What numbers below 2^32 are multiplied by in place of a division by one: 2^32 / by, or 0 where they are not. */
static inline uint32_t oak_reciprocal(int64_t by)
{
    return by > 1 && by <= UINT32_MAX ? (uint32_t)(((uint64_t)1 << 32) / (uint64_t)by) : 0;
}
/* The same as oak_quotient and oak_rest, with the reciprocal of `by`. */
static inline int64_t oak_divided(int64_t left, int64_t by, uint32_t reciprocal, bool rest)
{
    if ((uint64_t)left >> 32 || !reciprocal) return rest ? oak_rest(left, by) : oak_quotient(left, by);
    const uint32_t quotient = (uint32_t)((uint64_t)left * reciprocal >> 32); /* or one less than it is */
    const uint32_t left_over = (uint32_t)left - quotient * (uint32_t)by;
    const bool one_more = left_over >= (uint32_t)by;
    return rest ? left_over - (one_more ? (uint32_t)by : 0) : (int64_t)quotient + one_more;
}

#endif
