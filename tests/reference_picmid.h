/* reference_picmid.h — a second mid-range core, from the formats of its databook: codes taken apart by their fields, sums bit by bit. */
#ifndef REFERENCE_PICMID_H
#define REFERENCE_PICMID_H

#include <stdbool.h>
#include <stdint.h>

typedef struct refpic {
    uint16_t code[0x2000];
    uint8_t cell[0x200]; /* by home address; STATUS at 3 whole */
    uint8_t w, levels;   /* levels of the stack in use */
    uint16_t pc, stack[8];
    uint64_t cycles;
} refpic;

/* Where an address of the register file lies first. */
unsigned refpic_home(unsigned address);
/* False for a code that no instruction has. */
bool refpic_is_code(uint16_t code);
/* One instruction. sleep does nothing but for its flags. */
void refpic_step(refpic *m);

#endif
