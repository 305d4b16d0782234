/* part_svd.h — registers, fields and interrupts out of CMSIS-SVD, the XML register description that chip makers publish. */
#ifndef OAK_PART_SVD_H
#define OAK_PART_SVD_H

#include <oakspindle/part.h>

#include "base/arena.h"

/* An interrupt: its number as the description counts them, and where it is said. */
typedef struct svd_interrupt {
    const char *name, *title;
    uint32_t number;
    uint32_t line, column;
} svd_interrupt;

typedef struct oak_part_import {
    const oak_host *host;
    oak_arena *arena; /* names and fields live here */
    const oak_diag_sink *sink;
    oak_part_register *registers; /* by their addresses; grown by the reader, given back by the caller */
    size_t count, room;
    svd_interrupt *interrupts; /* by their numbers; in the arena */
    size_t interrupt_count;
    unsigned priority_bits; /* of interrupts; 0: it does not say */
} oak_part_import;

/* Reads a file. Registers are named PERIPHERAL_REGISTER, or PERIPHERAL_CLUSTER_REGISTER. OAK_REFUSED after diagnostics with line and column,
 * OAK_NOT_FOUND, OAK_IO_ERROR, OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_part_read_svd(oak_part_import *import, const char *path);

#endif
