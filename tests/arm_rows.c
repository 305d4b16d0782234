#include "arm_rows.h"

#include "support.h"

const arm_row arm_rows[] = {
#define V6 false
#define V7 true
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)                   \
    {#mnemonic, operands, bits, since},
#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#include "isa/armm/armm.def"
};
const unsigned arm_row_count = sizeof arm_rows / sizeof *arm_rows;

unsigned arm_sample(unsigned row, uint64_t *seed, uint32_t *word)
{
    unsigned bits = 0;
    *word = 0;
    for (const char *p = arm_rows[row].bits; *p; p++) {
        if (*p == ' ') continue;
        unsigned bit = *p == '1' || (*p != '0' && random32(seed) >> 13 & 1);
        *word = *word << 1 | bit;
        bits++;
    }
    return bits / 8;
}
