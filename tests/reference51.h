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
    const uint8_t *earlier; /* special registers as a plain read sees them; NULL: sfr */
} ref51;

/* Executes one instruction; returns its machine cycles, 0 for the reserved code. */
unsigned ref51_step(ref51 *m);

/* The same with its timers, external interrupts and interrupt system, which live cycle by cycle and flag by flag. */
typedef struct ref51_chip {
    ref51 m;
    uint64_t now;
    uint8_t earlier[256];
    int level[6], edge[3]; /* of INT0, INT1, T0, T1, T2, T2EX; edges that count in the next cycle */
    int active[6];         /* what asks for an interrupt */
    uint64_t since[6];     /* the cycle in which that began */
    int serving_low, serving_high, blocked;
} ref51_chip;
void ref51_start(ref51_chip *c);
/* One instruction, and the entry into an interrupt if one comes behind it. */
void ref51_chip_step(ref51_chip *c);

#endif
