/* reference_rv32.h — a second RV32IMC, written to be read: a short code is first written out in full, as the manual's tables do, then one instruction
 * is executed by the fields of its 32 bits. Machine mode, traps to mtvec; 64 KiB of RAM at 0 and nothing else. */
#ifndef REFERENCE_RV32_H
#define REFERENCE_RV32_H

#include <stdbool.h>
#include <stdint.h>

typedef struct refrv {
    uint32_t x[32], pc;
    uint32_t mstatus, mtvec, mepc, mcause, mtval, mie, mscratch;
    uint64_t time, count; /* cycles and instructions before the one that is executed */
    unsigned cycles;      /* of the last instruction */
    bool trapped, sleeps;
    uint8_t mem[65536]; /* last: what stands before it are registers */
} refrv;

/* The 32 bits that a short code stands for; 0: it is reserved. */
uint32_t refrv_in_full(uint16_t code);
/* Executes one. */
void refrv_step(refrv *m);

#endif
