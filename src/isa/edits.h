/* edits.h — what somebody has written into memory that keeps its contents, so that going back can take it back. A program
 * cannot write there; copies of the state need no copy of that memory, only how many edits there were. */
#ifndef OAK_ISA_EDITS_H
#define OAK_ISA_EDITS_H

#include <oakspindle/port.h>

typedef struct oak_edit {
    uint32_t address;
    uint8_t value, known; /* what was there before */
} oak_edit;

typedef struct oak_edits {
    oak_edit *list;
    size_t count, room;
} oak_edits;

/* OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_edits_add(oak_edits *edits, const oak_host *host, oak_edit edit);
void oak_edits_free(oak_edits *edits, const oak_host *host);
/* Brings their number on the tape, or back; returns how many of the last ones are to be taken back by oak_edits_pop. */
size_t oak_edits_tape(const oak_edits *edits, oak_tape *tape);
oak_edit oak_edits_pop(oak_edits *edits);

#endif
