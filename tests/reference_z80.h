/* reference_z80.h — a second Z80, written apart from the library and sharing nothing with it: operation codes taken apart by the octal digits
 * of their bytes, flags worked out bit by bit as their definitions say, T states added up machine cycle by machine cycle. */
#ifndef REFERENCE_Z80_H
#define REFERENCE_Z80_H

#include <stdbool.h>
#include <stdint.h>

typedef struct refz80 {
    uint8_t r8[8];  /* b c d e h l - a */
    uint8_t alt[8]; /* the second ones, and f' in the place of - */
    uint8_t f, i, r, iff1, iff2, im;
    uint16_t ix, iy, sp, pc, wz;
    bool halted;
    uint8_t mem[65536], io[256];
    unsigned t; /* T states of the last step */
} refz80;

/* One instruction, or one prefix that changes nothing. False for a code that is left reserved. */
bool refz80_step(refz80 *m);

#endif
