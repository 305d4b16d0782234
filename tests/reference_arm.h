/* reference_arm.h — a second interpreter of Thumb instructions, written from the manual's encodings by masks and without
 * the table, to compare with. One instruction at a time; no exceptions, no it blocks. */
#ifndef REFERENCE_ARM_H
#define REFERENCE_ARM_H

#include <stdbool.h>
#include <stdint.h>

enum { REFERENCE_RAM = 0x20000000, REFERENCE_RAM_SIZE = 0x1000, REFERENCE_FLASH_SIZE = 0x8000 };

typedef struct reference_arm {
    uint32_t r[16]; /* 15: address of the instruction, then of the next */
    bool n, z, c, v, q;
    uint8_t ram[REFERENCE_RAM_SIZE];
    const uint8_t *flash; /* from address 0 */
} reference_arm;

typedef enum reference_done {
    REFERENCE_DONE,
    REFERENCE_SKIPPED /* not its business: a fault, a hint, an exception, or unpredictable */
} reference_done;

reference_done reference_arm_step(reference_arm *cpu, uint16_t first, uint16_t second, bool v7);

#endif
