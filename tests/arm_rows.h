/* arm_rows.h — the rows of the Arm table, and random codes of a row, for the suites that go through all of them. */
#ifndef TEST_ARM_ROWS_H
#define TEST_ARM_ROWS_H

#include <stdbool.h>
#include <stdint.h>

typedef struct arm_row {
    const char *mnemonic, *operands, *bits;
    bool v7;
} arm_row;
extern const arm_row arm_rows[];
extern const unsigned arm_row_count;

/* The code of a row with its fields filled at random, halfword by halfword from the top; the length in bytes. */
unsigned arm_sample(unsigned row, uint64_t *seed, uint32_t *word);

#endif
