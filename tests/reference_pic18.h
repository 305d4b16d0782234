/* reference_pic18.h — a second core with 16-bit instructions, from the formats of its databook: codes taken apart by their fields, sums bit by bit. */
#ifndef REFERENCE_PIC18_H
#define REFERENCE_PIC18_H

#include <stdbool.h>
#include <stdint.h>

typedef struct refpic18 {
    uint8_t code[0x20000];
    uint8_t cell[0x1000];   /* with w, STATUS, BSR and all others at their places */
    uint8_t shadow[3];      /* w, STATUS, BSR */
    uint8_t levels, ends;   /* levels in use; ends: STKFUL and STKUNF */
    uint32_t pc, stack[32]; /* by level, from 1 */
    uint64_t cycles;
    bool lost; /* it goes, or reaches, where nothing is */
} refpic18;

/* False for a code that no instruction has. */
bool refpic18_is_code(uint16_t code, uint16_t next);
/* One instruction. sleep, clrwdt and reset do nothing. */
void refpic18_step(refpic18 *m);
/* A register as a program sees it, without effects. */
uint8_t refpic18_look(const refpic18 *m, unsigned address);

#endif
