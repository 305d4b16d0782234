/* reference_msp430.h — a second MSP430, written to be read: one instruction at a time, as the manual describes it. */
#ifndef REFERENCE_MSP430_H
#define REFERENCE_MSP430_H

#include <stdbool.h>
#include <stdint.h>

typedef struct refmsp {
    uint16_t r[16]; /* r[0] is pc, r[1] sp, r[2] sr */
    uint8_t mem[65536];
    unsigned cycles; /* of the last instruction */
} refmsp;

enum { REFMSP_DONE, REFMSP_RESERVED, REFMSP_ODD };
/* Executes one; what is reserved, or a word at an odd address, leaves all as it was. */
int refmsp_step(refmsp *m);

#endif
