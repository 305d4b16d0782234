/* runtime_avr.c — what a compiled program needs on the bare register core: start, and the helpers the compiler calls for arithmetic the core does not have. */
#include "runtime_wide.h"

extern uint8_t data_load[], data_start[], data_end[], bss_start[], bss_end[];
void program(uint32_t *results);

__attribute__((section(".results"))) uint32_t results[64];

#define NEGATED(a, b, c, d)                                                                                  \
    " com r" d "\n com r" c "\n com r" b "\n neg r" a "\n sbci r" b ", 255\n sbci r" c ", 255\n sbci r" d    \
    ", 255\n"
__asm__(
    ".section .vectors,\"ax\"\n jmp start\n .text\n .global start\n"
    "start: clr r1\n ldi r28, lo8(stack_top)\n ldi r29, hi8(stack_top)\n out 0x3e, r29\n out 0x3d, r28\n"
    " ldi r26, lo8(data_start)\n ldi r27, hi8(data_start)\n ldi r30, lo8(data_load)\n ldi r31, "
    "hi8(data_load)\n ldi r16, lo8(data_end)\n ldi r17, hi8(data_end)\n"
    "1: cp r26, r16\n cpc r27, r17\n breq 2f\n lpm r0, z+\n st x+, r0\n rjmp 1b\n"
    "2: ldi r16, lo8(bss_end)\n ldi r17, hi8(bss_end)\n ldi r26, lo8(bss_start)\n ldi r27, hi8(bss_start)\n"
    "3: cp r26, r16\n cpc r27, r17\n breq 4f\n st x+, r1\n rjmp 3b\n"
    "4: ldi r24, lo8(results)\n ldi r25, hi8(results)\n call program\nhere: rjmp here\n"
    ".global __do_copy_data\n.global __do_clear_bss\n__do_copy_data:\n__do_clear_bss: ret\n"
    /* Dividend in r22 to r25, divisor in r18 to r21; what is left in the one, the quotient in the other. */
    ".global __udivmodsi4\n__udivmodsi4: push r16\n ldi r16, 32\n clr r26\n clr r27\n movw r30, r26\n"
    "1: lsl r22\n rol r23\n rol r24\n rol r25\n rol r26\n rol r27\n rol r30\n rol r31\n cp r26, r18\n cpc "
    "r27, r19\n cpc r30, r20\n cpc r31, r21\n brlo 2f\n"
    " sub r26, r18\n sbc r27, r19\n sbc r30, r20\n sbc r31, r21\n inc r22\n2: dec r16\n brne 1b\n"
    " movw r18, r22\n movw r20, r24\n movw r22, r26\n movw r24, r30\n pop r16\n ret\n"
    ".global __divmodsi4\n__divmodsi4: push r28\n push r29\n mov r28, r25\n mov r29, r25\n eor r29, r21\n"
    " tst r25\n brpl 1f\n" NEGATED("22", "23", "24", "25") "1: tst r21\n brpl 2f\n" NEGATED(
        "18", "19", "20",
        "21") "2: call __udivmodsi4\n"
              " tst r29\n brpl 3f\n" NEGATED("18", "19", "20", "21") "3: tst r28\n brpl 4f\n" NEGATED(
                  "22", "23", "24",
                  "25") "4: pop r29\n pop r28\n ret\n"
                        /* The same of 16 bits: r24 and r25, r22 and r23. */
                        ".global __udivmodhi4\n__udivmodhi4: push r16\n ldi r16, 16\n clr r26\n clr r27\n"
                        "1: lsl r24\n rol r25\n rol r26\n rol r27\n cp r26, r22\n cpc r27, r23\n brlo 2f\n "
                        "sub r26, r22\n sbc r27, r23\n inc r24\n2: dec r16\n brne 1b\n"
                        " movw r22, r24\n movw r24, r26\n pop r16\n ret\n");

uint32_t __mulsi3(uint32_t a, uint32_t b)
{
    uint32_t product = 0;
    for (; b; b >>= 1, a += a)
        if (b & 1) product += a;
    return product;
}
uint64_t __muldi3(uint64_t a, uint64_t b)
{
    return multiply(a, b);
}
int64_t __divdi3(int64_t a, int64_t b)
{
    return (int64_t)divide_signed((uint64_t)b, (uint64_t)a);
}
uint64_t __udivdi3(uint64_t a, uint64_t b)
{
    return divide(b, a);
}
uint64_t __umoddi3(uint64_t a, uint64_t b)
{
    return rest(b, a);
}
