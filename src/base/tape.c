/* tape.c — see oak_tape in port.h. */
#include <oakspindle/port.h>

#include "base/bytes.h"

void oak_tape_piece(oak_tape *tape, void *piece, size_t size)
{
    if (!tape || !piece) return;
    tape->size += size;
    if (!tape->at || !size) return;
    if (tape->saves) memcpy(tape->at, piece, size);
    else memcpy(piece, tape->at, size);
    tape->at += size;
}
