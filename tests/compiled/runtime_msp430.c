/* runtime_msp430.c — what a compiled program needs on the bare MSP430: vectors, start, and the helpers the compiler calls for
 * arithmetic the core does not have. */
#include "runtime_wide.h"

extern uint16_t data_load[], data_start[], data_end[], bss_start[], bss_end[];
void program(uint32_t *results);

__attribute__((section(".results"))) uint32_t results[64];

/* Helpers of 64 bits have their first operand in r8 to r11, the second in r12 to r15. */
#define WIDE(name, helper)                                                                                   \
    ".global " name "\n" name ": push r11\n push r10\n push r9\n push r8\n call #" helper                    \
    "\n add #8, r1\n ret\n"
__asm__(
    ".section .vectors,\"a\"\n .fill 15, 2, 0xffff\n .word start\n .text\n .global start\n"
    "start: mov #stack_top, r1\n mov #0x5a80, &0x120\n call #begin\nhere: jmp here\n"
    ".global __mspabi_slll\n__mspabi_slll: tst.b r14\n jz 2f\n1: rla r12\n rlc r13\n dec.b r14\n jnz 1b\n2: "
    "ret\n"
    ".global __mspabi_srll\n__mspabi_srll: tst.b r14\n jz 2f\n1: clrc\n rrc r13\n rrc r12\n dec.b r14\n jnz "
    "1b\n2: ret\n"
    ".global __mspabi_sral\n__mspabi_sral: tst.b r14\n jz 2f\n1: rra r13\n rrc r12\n dec.b r14\n jnz 1b\n2: "
    "ret\n"
    ".global __mspabi_slli\n__mspabi_slli: tst.b r13\n jz 2f\n1: rla r12\n dec.b r13\n jnz 1b\n2: ret\n"
    ".global __mspabi_srli\n__mspabi_srli: tst.b r13\n jz 2f\n1: clrc\n rrc r12\n dec.b r13\n jnz 1b\n2: "
    "ret\n"
    ".global __mspabi_srai\n__mspabi_srai: tst.b r13\n jz 2f\n1: rra r12\n dec.b r13\n jnz 1b\n2: ret\n" WIDE(
        "__mspabi_mpyll", "multiply") WIDE("__mspabi_divlli", "divide_signed")
        WIDE("__mspabi_divull", "divide") WIDE("__mspabi_remlli", "rest_signed")
            WIDE("__mspabi_remull", "rest"));

__attribute__((used)) void begin(void)
{
    uint16_t *from = data_load;
    for (uint16_t *to = data_start; to < data_end;) *to++ = *from++;
    for (uint16_t *to = bss_start; to < bss_end;) *to++ = 0;
    program(results);
}

/* By adding and doubling: nothing here may need what it defines. */
uint16_t __mspabi_mpyi(uint16_t a, uint16_t b)
{
    uint16_t product = 0;
    for (; b; b >>= 1, a += a)
        if (b & 1) product += a;
    return product;
}
uint32_t __mspabi_mpyl(uint32_t a, uint32_t b)
{
    uint32_t product = 0;
    for (; b; b >>= 1, a += a)
        if (b & 1) product += a;
    return product;
}
uint16_t __mspabi_divu(uint16_t a, uint16_t b)
{
    uint16_t rest;
    return divide_16(a, b, &rest);
}
uint16_t __mspabi_remu(uint16_t a, uint16_t b)
{
    uint16_t rest;
    return divide_16(a, b, &rest), rest;
}
int16_t __mspabi_divi(int16_t a, int16_t b)
{
    uint16_t q = __mspabi_divu((uint16_t)(a < 0 ? -a : a), (uint16_t)(b < 0 ? -b : b));
    return (int16_t)((a < 0) != (b < 0) ? -q : q);
}
int16_t __mspabi_remi(int16_t a, int16_t b)
{
    uint16_t r = __mspabi_remu((uint16_t)(a < 0 ? -a : a), (uint16_t)(b < 0 ? -b : b));
    return (int16_t)(a < 0 ? -r : r);
}
uint32_t __mspabi_divul(uint32_t a, uint32_t b)
{
    uint32_t rest;
    return divide_32(a, b, &rest);
}
uint32_t __mspabi_remul(uint32_t a, uint32_t b)
{
    uint32_t rest;
    return divide_32(a, b, &rest), rest;
}
int32_t __mspabi_divli(int32_t a, int32_t b)
{
    uint32_t q =
        __mspabi_divul(a < 0 ? 0u - (uint32_t)a : (uint32_t)a, b < 0 ? 0u - (uint32_t)b : (uint32_t)b);
    return (int32_t)((a < 0) != (b < 0) ? 0u - q : q);
}
int32_t __mspabi_remli(int32_t a, int32_t b)
{
    uint32_t r =
        __mspabi_remul(a < 0 ? 0u - (uint32_t)a : (uint32_t)a, b < 0 ? 0u - (uint32_t)b : (uint32_t)b);
    return (int32_t)(a < 0 ? 0u - r : r);
}
