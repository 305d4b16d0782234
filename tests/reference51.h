/* reference51.h — a second MCS-51, written apart from the library and sharing nothing with it: one flat switch over the
 * operation codes, special registers as a plain array, cycles as the manual's table of operation codes has them. */
#ifndef REFERENCE51_H
#define REFERENCE51_H

#include <stdint.h>

typedef struct ref51 {
    uint16_t pc;
    uint8_t iram[256], sfr[256]; /* sfr by address, 0x80 and up */
    uint8_t pins[4];             /* what the outside lets stand on each port: 0 pulls low */
    uint8_t xram[65536], code[65536];
} ref51;

/* Executes one instruction; returns its machine cycles, 0 for the reserved code. */
unsigned ref51_step(ref51 *m);

#endif
