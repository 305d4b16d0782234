/* part_svd.h — registers and fields out of CMSIS-SVD, the XML register description that chip makers publish. */
#ifndef OAK_PART_SVD_H
#define OAK_PART_SVD_H

#include <oakspindle/part.h>

#include "base/arena.h"

typedef struct oak_part_import {
    const oak_host *host;
    oak_arena *arena; /* names and fields live here */
    const oak_diag_sink *sink;
    const char *from;             /* the part file, for messages */
    oak_part_register *registers; /* grown by the reader; given back by the caller */
    size_t count, room;
} oak_part_import;

/* Reads a file. Registers are named PERIPHERAL_REGISTER. OAK_REFUSED after a diagnostic with line and column,
 * OAK_NOT_FOUND, OAK_IO_ERROR, OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_part_read_svd(oak_part_import *import, const char *path);

#endif
