/* reference_a32.h — a second classic Arm, written to be read: an instruction is taken apart along the tree of the manual's encoding chapter (A5), not
 * by a table, and flags are kept one by one. Modes, the vectors at 0; 64 KiB of RAM at 0 and nothing else. */
#ifndef REFERENCE_A32_H
#define REFERENCE_A32_H

#include <stdbool.h>
#include <stdint.h>

enum { REFA_USER, REFA_FIQ, REFA_IRQ, REFA_SVC, REFA_ABORT, REFA_UNDEFINED, REFA_BANKS };

typedef struct refa {
    uint32_t r[REFA_BANKS][16]; /* those a mode does not have are in the first row */
    uint32_t spsr[REFA_BANKS];
    uint32_t mode; /* lowest five bits of cpsr */
    bool n, z, c, v, q, a, i, f;
    unsigned ge;
    bool claimed;
    uint32_t claim;
    unsigned cycles; /* of the last instruction */
    bool trapped, sleeps;
    bool stuck; /* it goes where this core cannot follow */
    bool (*refuses)(
        uint32_t
            code); /* what the manual calls unpredictable is an undefined instruction where this says so */
    uint8_t mem[65536]; /* last: what stands before it are registers */
} refa;

/* A register as the mode it is in has it, and as another one has it. */
uint32_t *refa_register(refa *m, uint32_t mode, unsigned number);
uint32_t refa_cpsr(const refa *m);
void refa_set_cpsr(refa *m, uint32_t value);
/* 0 to 5; REFA_USER has no saved status. */
unsigned refa_bank(uint32_t mode);
void refa_step(refa *m);

#endif
