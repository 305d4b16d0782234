/* reference_cpu12.h — a second CPU12, written to be read: one instruction at a time, as the manual describes it, with its cycles as the manual's
 * letters, one for each. */
#ifndef REFERENCE_CPU12_H
#define REFERENCE_CPU12_H

#include <stdbool.h>
#include <stdint.h>

typedef struct refcpu {
    uint8_t a, b, ccr, page;
    uint16_t x, y, sp, pc, tmp2, tmp3;
    uint8_t mem[65536];
    unsigned cycles; /* of the last instruction */
} refcpu;

enum { REFCPU_DONE, REFCPU_RESERVED, REFCPU_DEBUG, REFCPU_SLEEPS };
/* Executes one; what is reserved leaves all as it was. */
int refcpu_step(refcpu *m);

#endif
