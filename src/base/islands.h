/* islands.h — stretches of addresses laid end to end, so that what is known of each address fits an array however far apart they lie.
 * One slot stays free behind each, so that what lies there can be asked for. */
#ifndef OAK_BASE_ISLANDS_H
#define OAK_BASE_ISLANDS_H

#include <oakspindle/port.h>

typedef struct oak_island {
    uint32_t base, size, first; /* first: its first slot */
} oak_island;

typedef struct oak_islands {
    oak_island *of;
    size_t count, room;
    uint32_t slots; /* of all, the free ones included; the slot of an address on none */
} oak_islands;

/* Adds addresses, in any order; those that are near others join them. OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_islands_add(oak_islands *islands, const oak_host *host, uint32_t base,
                                        uint32_t size);
/* Numbers the slots, after the last was added. */
void oak_islands_lay_out(oak_islands *islands);
void oak_islands_free(oak_islands *islands, const oak_host *host);
uint32_t oak_islands_search(const oak_islands *islands, uint32_t address);
static inline uint32_t oak_islands_slot(const oak_islands *islands, uint32_t address)
{
    bool first = islands->count && address - islands->of->base <= islands->of->size; /* mostly */
    return first ? address - islands->of->base : oak_islands_search(islands, address);
}
/* The address of a slot; of a free one, the address behind its island. */
uint32_t oak_islands_address(const oak_islands *islands, uint32_t slot);

#endif
