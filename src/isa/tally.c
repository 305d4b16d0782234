/* tally.c — executed instructions counted by slots. */
#include "isa/tally.h"

#include "base/bytes.h"

oak_status oak_tallies_set(oak_tallies *tallies, const oak_host *host, size_t slots, bool on)
{
    if (tallies->at) host->resize(host->context, tallies->at, tallies->slots * sizeof *tallies->at, 0);
    *tallies = (oak_tallies){.slots = slots};
    if (!on) return OAK_OK;
    tallies->at = host->resize(host->context, NULL, 0, slots * sizeof *tallies->at);
    oak_tallies_clear(tallies);
    return tallies->at ? OAK_OK : OAK_NO_MEMORY;
}

void oak_tallies_clear(oak_tallies *tallies)
{
    if (tallies->at) memset(tallies->at, 0, tallies->slots * sizeof *tallies->at);
}

void oak_tallies_tape(oak_tallies *tallies, oak_tape *tape)
{
    size_t used = 0;
    bool back = !tape->saves && tape->at;
    for (size_t i = 0; tallies->at && !back && i < tallies->slots; i++) used += tallies->at[i].times != 0;
    oak_tape_piece(tape, &used, sizeof used);
    if (back) oak_tallies_clear(tallies);
    for (size_t slot = 0; used; used--) {
        oak_tally one = {0};
        if (!back) {
            while (!tallies->at[slot].times) slot++;
            one = tallies->at[slot];
        }
        oak_tape_piece(tape, &slot, sizeof slot);
        oak_tape_piece(tape, &one, sizeof one);
        if (back && tallies->at && slot < tallies->slots) tallies->at[slot] = one;
        slot++;
    }
}
