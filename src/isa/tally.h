/* tally.h — executed instructions counted by slots, for the cores. */
#ifndef OAK_ISA_TALLY_H
#define OAK_ISA_TALLY_H

#include <oakspindle/port.h>

typedef struct oak_tallies {
    oak_tally *at; /* NULL: nothing is counted */
    size_t slots;
    size_t from, to; /* nothing is counted outside of these */
} oak_tallies;

/* Begins at 0, or ends. OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_tallies_set(oak_tallies *tallies, const oak_host *host, size_t slots, bool on);
void oak_tallies_clear(oak_tallies *tallies);
/* Those above 0 alone. */
void oak_tallies_tape(oak_tallies *tallies, oak_tape *tape);

static inline void oak_tallies_add(oak_tallies *tallies, size_t slot, uint64_t times, uint64_t cycles)
{
    if (slot < tallies->from) tallies->from = slot;
    if (slot >= tallies->to) tallies->to = slot + 1;
    tallies->at[slot].times += times;
    tallies->at[slot].cycles += cycles;
}

#endif
