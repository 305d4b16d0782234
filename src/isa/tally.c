/* tally.c — executed instructions counted by slots. */
#include "isa/tally.h"

#include "base/bytes.h"

oak_status oak_tallies_set(oak_tallies *tallies, const oak_host *host, size_t slots, bool on)
{
    if (tallies->at) host->resize(host->context, tallies->at, tallies->slots * sizeof *tallies->at, 0);
    *tallies = (oak_tallies){.slots = slots, .to = slots};
    if (!on) return OAK_OK;
    tallies->at = host->resize(host->context, NULL, 0, slots * sizeof *tallies->at);
    oak_tallies_clear(tallies);
    return tallies->at ? OAK_OK : OAK_NO_MEMORY;
}

void oak_tallies_clear(oak_tallies *tallies)
{
    if (tallies->at && tallies->from < tallies->to)
        memset(tallies->at + tallies->from, 0, (tallies->to - tallies->from) * sizeof *tallies->at);
    tallies->from = tallies->slots;
    tallies->to = 0;
}

void oak_tallies_tape(oak_tallies *tallies, oak_tape *tape)
{
    size_t used = 0;
    bool back = !tape->saves && tape->at;
    for (size_t i = tallies->from; tallies->at && !back && i < tallies->to; i++)
        used += tallies->at[i].times != 0;
    oak_tape_piece(tape, &used, sizeof used);
    if (back) oak_tallies_clear(tallies);
    for (size_t slot = back ? 0 : tallies->from; used; used--) {
        oak_tally one = {0};
        if (!back) {
            while (!tallies->at[slot].times) slot++;
            one = tallies->at[slot];
        }
        oak_tape_piece(tape, &slot, sizeof slot);
        oak_tape_piece(tape, &one, sizeof one);
        if (back && tallies->at && slot < tallies->slots)
            oak_tallies_add(tallies, slot, one.times, one.cycles);
        slot++;
    }
}
