/* bits.h — a word turned, reversed, measured: one machine instruction each where the compiler has it. */
#ifndef OAK_BITS_H
#define OAK_BITS_H

#include <stdint.h>

/* In each place that calls it, however long it is. */
#ifdef __GNUC__
#define OAK_ALWAYS_INLINE __attribute__((always_inline)) static inline
#else
#define OAK_ALWAYS_INLINE static inline
#endif

/* A word turned right by 0 to 31 bits. */
static inline uint32_t oak_rotated_right(uint32_t value, unsigned by)
{
    return value >> by | value << ((32 - by) & 31);
}

/* The bits a number needs: 0 for 0, 32 where the highest is set. */
static inline uint32_t oak_bit_width(uint32_t value)
{
#ifdef __GNUC__
    return value ? 32 - (uint32_t)__builtin_clz(value) : 0;
#else
    uint32_t bits = 0;
    for (; value; value >>= 1) bits++;
    return bits;
#endif
}

/* The number of the lowest bit that is set, of a value that is not 0. */
static inline unsigned oak_lowest_bit(uint32_t value)
{
#ifdef __GNUC__
    return (unsigned)__builtin_ctz(value);
#else
    unsigned bit = 0;
    while (!(value >> bit & 1)) bit++;
    return bit;
#endif
}

static inline uint32_t oak_reversed_bytes(uint32_t value)
{
    return value >> 24 | (value >> 8 & 0xFF00) | (value << 8 & 0xFF0000) | value << 24;
}

#endif
