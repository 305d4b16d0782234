/* reference_mcs4.h — a second four-bit core with its chips, written to be read: the program counter and its stack are four registers that go round, each
 * chip keeps by itself what it was sent. */
#ifndef REFERENCE_MCS4_H
#define REFERENCE_MCS4_H

#include <stdbool.h>
#include <stdint.h>

typedef struct refmcs4_chip {
    uint8_t characters[4][16], states[4][4], port;
    uint8_t reg, character; /* what it was sent */
    bool chosen;
} refmcs4_chip;

typedef struct refmcs4 {
    uint8_t code[4096];
    uint16_t address[4]; /* one is the program counter, */
    unsigned at;         /* this one */
    uint8_t index[16], acc, carry, command;
    uint8_t rom_port[16], rom; /* the ROM chip that is chosen */
    bool test;
    refmcs4_chip chip[4][4]; /* by bank */
    unsigned cycles;         /* of the last instruction */
} refmcs4;

enum { REFMCS4_DONE, REFMCS4_RESERVED, REFMCS4_NO_RAM };
int refmcs4_step(refmcs4 *m);

#endif
