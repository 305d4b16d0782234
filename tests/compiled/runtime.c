/* runtime.c — what a compiled program needs on the bare core: vectors, start, and the helpers the compiler calls for
 * arithmetic the core does not have. */
#include <stddef.h>
#include <stdint.h>

extern uint32_t stack_top[], data_load[], data_start[], data_end[], bss_start[], bss_end[];
void program(uint32_t *results);
void start(void);
void parked(void);

__attribute__((section(".results"))) uint32_t results[64];
#if defined(__arm__) && !defined(__thumb__)
#define CLASSIC 1
#else
#define CLASSIC 0
#endif
#if !defined(__riscv) && !CLASSIC
__attribute__((section(".vectors"), used)) static const void *const vectors[16] = {
    stack_top, (const void *)start, (const void *)parked, (const void *)parked};
#endif

void parked(void)
{
    for (;;) __asm__ volatile("nop");
}

__attribute__((used)) void begin(void)
{
    uint32_t *from = data_load;
    for (uint32_t *to = data_start; to < data_end;) *to++ = *from++;
    for (uint32_t *to = bss_start; to < bss_end;) *to++ = 0;
    program(results);
}

#ifdef __riscv
__attribute__((naked, section(".vectors"))) void start(void)
{
    __asm__("la sp, stack_top\n"
            "call begin\n"
            "1: j 1b\n");
}
#elif CLASSIC
__attribute__((naked, section(".vectors"))) void start(void)
{
    __asm__("ldr sp, =stack_top\n"
            "bl begin\n"
            "b .\n");
}
#else
__attribute__((naked)) void start(void)
{
    __asm__("bl begin\n"
            "b .\n");
}
#endif

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
void *memmove(void *to, const void *from, size_t count)
{
    char *t = to;
    const char *f = from;
    if (t < f) return memcpy(to, from, count);
    while (count--) {
        t[count] = f[count];
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
void __aeabi_memcpy(void *to, const void *from, size_t count)
{
    memcpy(to, from, count);
}
void __aeabi_memcpy4(void *to, const void *from, size_t count)
{
    memcpy(to, from, count);
}
void __aeabi_memcpy8(void *to, const void *from, size_t count)
{
    memcpy(to, from, count);
}
void __aeabi_memmove(void *to, const void *from, size_t count)
{
    memmove(to, from, count);
}
void __aeabi_memmove4(void *to, const void *from, size_t count)
{
    memmove(to, from, count);
}
void __aeabi_memset(void *to, size_t count, int value)
{
    memset(to, value, count);
}
void __aeabi_memset4(void *to, size_t count, int value)
{
    memset(to, value, count);
}
void __aeabi_memset8(void *to, size_t count, int value)
{
    memset(to, value, count);
}
void __aeabi_memclr(void *to, size_t count)
{
    memset(to, 0, count);
}
void __aeabi_memclr4(void *to, size_t count)
{
    memset(to, 0, count);
}
void __aeabi_memclr8(void *to, size_t count)
{
    memset(to, 0, count);
}

static uint32_t divide32(uint32_t n, uint32_t d, uint32_t *remainder)
{
    uint32_t quotient = 0, rest = 0;
    for (int i = 31; i >= 0; i--) {
        rest = rest << 1 | (n >> i & 1);
        if (rest >= d) rest -= d, quotient |= (uint32_t)1 << i;
    }
    *remainder = rest;
    return quotient;
}
uint64_t __aeabi_uidivmod(uint32_t n, uint32_t d)
{
    uint32_t rest, quotient = divide32(n, d, &rest);
    return quotient | (uint64_t)rest << 32;
}
uint32_t __aeabi_uidiv(uint32_t n, uint32_t d)
{
    return (uint32_t)__aeabi_uidivmod(n, d);
}
uint64_t __aeabi_idivmod(int32_t n, int32_t d)
{
    uint32_t rest, quotient = divide32(n < 0 ? 0u - (uint32_t)n : (uint32_t)n,
                                       d < 0 ? 0u - (uint32_t)d : (uint32_t)d, &rest);
    if ((n < 0) != (d < 0)) quotient = 0u - quotient;
    if (n < 0) rest = 0u - rest;
    return quotient | (uint64_t)rest << 32;
}
int32_t __aeabi_idiv(int32_t n, int32_t d)
{
    return (int32_t)__aeabi_idivmod(n, d);
}

int __clzsi2(uint32_t value)
{
    int count = 32;
    for (; value; value >>= 1) count--;
    return count;
}

/* Shifts of 64 bits by a variable, in halves. */
uint64_t __aeabi_llsl(uint64_t value, int by)
{
    uint32_t low = (uint32_t)value, high = (uint32_t)(value >> 32);
    if (by >= 32) return (uint64_t)(low << (by - 32)) << 32;
    if (!by) return value;
    return (uint64_t)(high << by | low >> (32 - by)) << 32 | low << by;
}
uint64_t __aeabi_llsr(uint64_t value, int by)
{
    uint32_t low = (uint32_t)value, high = (uint32_t)(value >> 32);
    if (by >= 32) return high >> (by - 32);
    if (!by) return value;
    return (uint64_t)(high >> by) << 32 | (low >> by | high << (32 - by));
}
int64_t __aeabi_lasr(int64_t value, int by)
{
    uint32_t low = (uint32_t)value;
    int32_t high = (int32_t)(value >> 32);
    if (by >= 32) return (int64_t)((uint64_t)(uint32_t)(high >> 31) << 32 | (uint32_t)(high >> (by - 32)));
    if (!by) return value;
    return (int64_t)((uint64_t)(uint32_t)(high >> by) << 32 | (low >> by | (uint32_t)high << (32 - by)));
}
uint64_t __aeabi_lmul(uint64_t a, uint64_t b)
{
    uint32_t al = (uint32_t)a, bl = (uint32_t)b;
    uint32_t a0 = al & 0xFFFF, a1 = al >> 16, b0 = bl & 0xFFFF, b1 = bl >> 16;
    uint32_t low = a0 * b0, middle = a1 * b0, other = a0 * b1, high = a1 * b1;
    uint32_t sum = (low >> 16) + (middle & 0xFFFF) + (other & 0xFFFF);
    high +=
        (middle >> 16) + (other >> 16) + (sum >> 16) + (uint32_t)(a >> 32) * bl + al * (uint32_t)(b >> 32);
    return (uint64_t)high << 32 | (sum << 16 | (low & 0xFFFF));
}

__attribute__((used)) uint64_t divide64(uint64_t n, uint64_t d, uint64_t *remainder)
{
    uint64_t quotient = 0, rest = 0;
    for (int i = 0; i < 64; i++) {
        rest = rest + rest + (n >> 63);
        n += n;
        quotient += quotient;
        if (rest >= d) rest -= d, quotient |= 1;
    }
    *remainder = rest;
    return quotient;
}
__attribute__((used)) int64_t divide64_signed(int64_t n, int64_t d, int64_t *remainder)
{
    uint64_t rest, quotient = divide64(n < 0 ? 0 - (uint64_t)n : (uint64_t)n,
                                       d < 0 ? 0 - (uint64_t)d : (uint64_t)d, &rest);
    *remainder = n < 0 ? (int64_t)(0 - rest) : (int64_t)rest;
    return (n < 0) != (d < 0) ? (int64_t)(0 - quotient) : (int64_t)quotient;
}
#ifdef __riscv
#define DIVIDES(type, name, rest_name, by)                                                                   \
    type name(type n, type d)                                                                                \
    {                                                                                                        \
        type rest;                                                                                           \
        return by(n, d, &rest);                                                                              \
    }                                                                                                        \
    type rest_name(type n, type d)                                                                           \
    {                                                                                                        \
        type rest;                                                                                           \
        by(n, d, &rest);                                                                                     \
        return rest;                                                                                         \
    }
DIVIDES(uint64_t, __udivdi3, __umoddi3, divide64)
DIVIDES(int64_t, __divdi3, __moddi3, divide64_signed)
uint64_t __ashldi3(uint64_t value, int by)
{
    return __aeabi_llsl(value, by);
}
uint64_t __lshrdi3(uint64_t value, int by)
{
    return __aeabi_llsr(value, by);
}
int64_t __ashrdi3(int64_t value, int by)
{
    return __aeabi_lasr(value, by);
}
#else
#define RETURNS_PAIR(name, of)                                                                               \
    __attribute__((naked)) void name(void)                                                                   \
    {                                                                                                        \
        __asm__("push {r6, lr}\n sub sp, #16\n add r6, sp, #8\n str r6, [sp]\n bl " of "\n"                  \
                "ldr r2, [sp, #8]\n ldr r3, [sp, #12]\n add sp, #16\n pop {r6, pc}\n");                      \
    }
RETURNS_PAIR(__aeabi_uldivmod, "divide64")
RETURNS_PAIR(__aeabi_ldivmod, "divide64_signed")
#endif
