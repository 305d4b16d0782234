/* reference_avr.h — a second register core, written to be read: one instruction at a time, as the manual describes it. */
#ifndef REFERENCE_AVR_H
#define REFERENCE_AVR_H

#include <stdbool.h>
#include <stdint.h>

typedef struct refavr {
    uint8_t data[65536]; /* registers are the first 32; SREG and the stack pointer lie at 0x5d to 0x5f */
    uint16_t code[65536];
    uint16_t pc;
    unsigned cycles; /* of the last instruction */
} refavr;

enum { REFAVR_DONE, REFAVR_RESERVED, REFAVR_SLEEPS, REFAVR_PROGRAMS };
/* Executes one; what is reserved, or spm, leaves all as it was. */
int refavr_step(refavr *m);

#endif
