/* runtime_wide.h — for machines whose words have 8 or 16 bits: what a compiler calls for memory and for numbers of 64 bits, by adding and doubling: nothing here
 * may need what it defines. */
#include <stddef.h>
#include <stdint.h>

void *memcpy(void *to, const void *from, size_t count)
{
    char *t = to;
    const char *f = from;
    while (count--) {
        *t++ = *f++;
        __asm__ volatile("" ::: "memory");
    }
    return to;
}
void *memset(void *to, int value, size_t count)
{
    char *t = to;
    while (count--) {
        *t++ = (char)value;
        __asm__ volatile("" ::: "memory");
    }
    return to;
}

__attribute__((used)) uint64_t multiply(uint64_t a, uint64_t b)
{
    uint64_t product = 0;
    for (unsigned i = 0; i < 64; i++, a += a) {
        if ((uint16_t)b & 1) product += a;
        uint32_t low = (uint32_t)b, high = (uint32_t)(b >> 32);
        low = low >> 1 | (high & 1 ? 0x80000000u : 0);
        b = (uint64_t)(high >> 1) << 32 | low;
    }
    return product;
}
uint64_t __ashldi3(uint64_t value, int count)
{
    while (count--) value += value;
    return value;
}
static uint64_t right(uint64_t value, int count, uint32_t sign)
{
    uint32_t low = (uint32_t)value, high = (uint32_t)(value >> 32);
    while (count--) low = low >> 1 | (high & 1 ? 0x80000000u : 0), high = high >> 1 | sign;
    return (uint64_t)high << 32 | low;
}
uint64_t __lshrdi3(uint64_t value, int count)
{
    return right(value, count, 0);
}
uint64_t __ashrdi3(uint64_t value, int count)
{
    return right(value, count, (uint32_t)(value >> 32) & 0x80000000u);
}

#define DIVISION(name, type, bits)                                                                           \
    static type name(type dividend, type divisor, type *left)                                                \
    {                                                                                                        \
        type quotient = 0, rest = 0;                                                                         \
        for (unsigned i = 0; i < bits; i++) {                                                                \
            rest += rest;                                                                                    \
            if ((dividend & (type)1 << (bits - 1)) != 0) rest++;                                             \
            dividend += dividend;                                                                            \
            quotient += quotient;                                                                            \
            if (rest >= divisor) rest -= divisor, quotient++;                                                \
        }                                                                                                    \
        *left = rest;                                                                                        \
        return quotient;                                                                                     \
    }
DIVISION(divide_16, uint16_t, 16)
DIVISION(divide_32, uint32_t, 32)
DIVISION(divide_64, uint64_t, 64)

/* Called with the divisor first. */
__attribute__((used)) uint64_t divide(uint64_t by, uint64_t value)
{
    uint64_t rest;
    return divide_64(value, by, &rest);
}
__attribute__((used)) uint64_t rest(uint64_t by, uint64_t value)
{
    uint64_t left;
    return divide_64(value, by, &left), left;
}
static uint64_t positive(uint64_t value)
{
    return (int64_t)value < 0 ? 0 - value : value;
}
__attribute__((used)) uint64_t divide_signed(uint64_t by, uint64_t value)
{
    uint64_t q = divide(positive(by), positive(value));
    return ((int64_t)by < 0) != ((int64_t)value < 0) ? 0 - q : q;
}
__attribute__((used)) uint64_t rest_signed(uint64_t by, uint64_t value)
{
    uint64_t left = rest(positive(by), positive(value));
    return (int64_t)value < 0 ? 0 - left : left;
}
