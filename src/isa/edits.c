/* edits.c — what somebody has written into memory that keeps its contents. */
#include "isa/edits.h"

#include "base/arena.h"

oak_status oak_edits_add(oak_edits *edits, const oak_host *host, oak_edit edit)
{
    oak_edit *grown = oak_grow(host, edits->list, &edits->room, edits->count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    edits->list = grown;
    grown[edits->count++] = edit;
    return OAK_OK;
}

void oak_edits_free(oak_edits *edits, const oak_host *host)
{
    oak_release(host, edits->list, edits->room, sizeof *edits->list);
    *edits = (oak_edits){0};
}

size_t oak_edits_tape(const oak_edits *edits, oak_tape *tape)
{
    size_t count = edits->count;
    oak_tape_piece(tape, &count, sizeof count);
    return count < edits->count ? edits->count - count : 0;
}

oak_edit oak_edits_pop(oak_edits *edits)
{
    return edits->list[--edits->count];
}
