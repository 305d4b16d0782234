/* islands.c — stretches of addresses laid end to end. */
#include "base/islands.h"

#include "base/arena.h"
#include "base/bytes.h"

enum { NEAR = 256 };

oak_status oak_islands_add(oak_islands *islands, const oak_host *host, uint32_t base, uint32_t size)
{
    oak_island *last = islands->count ? &islands->of[islands->count - 1] : NULL;
    uint64_t end = (uint64_t)base + size;
    if (!size) return OAK_OK;
    if (last && base >= last->base && base - last->base <= (uint64_t)last->size + NEAR) {
        if (end - last->base > last->size) last->size = (uint32_t)(end - last->base);
        return OAK_OK;
    }
    oak_island *grown = oak_grow(host, islands->of, &islands->room, islands->count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    islands->of = grown;
    /* Most come in order: a new one goes to its place among those before it. */
    size_t at = islands->count++;
    for (; at && grown[at - 1].base > base; at--) grown[at] = grown[at - 1];
    grown[at] = (oak_island){.base = base, .size = size};
    return OAK_OK;
}

void oak_islands_lay_out(oak_islands *islands)
{
    size_t count = 0;
    islands->slots = 0;
    for (size_t i = 0; i < islands->count; i++) {
        oak_island *last = count ? &islands->of[count - 1] : NULL, one = islands->of[i];
        uint64_t end = (uint64_t)one.base + one.size;
        if (!last || one.base - last->base > (uint64_t)last->size + NEAR) islands->of[count++] = one;
        else if (end - last->base > last->size) last->size = (uint32_t)(end - last->base);
    }
    islands->count = count;
    for (size_t i = 0; i < count; i++) {
        islands->of[i].first = islands->slots;
        islands->slots += islands->of[i].size + 1;
    }
}

void oak_islands_free(oak_islands *islands, const oak_host *host)
{
    oak_release(host, islands->of, islands->room, sizeof *islands->of);
    *islands = (oak_islands){0};
}

/* The last island that begins at or below an address, or (by_slot) a slot; NULL. */
static const oak_island *last_from(const oak_islands *islands, uint32_t value, bool by_slot)
{
    size_t low = 0, high = islands->count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        const oak_island *one = &islands->of[middle];
        if ((by_slot ? one->first : one->base) <= value) low = middle + 1;
        else high = middle;
    }
    return low ? &islands->of[low - 1] : NULL;
}

uint32_t oak_islands_search(const oak_islands *islands, uint32_t address)
{
    const oak_island *one = last_from(islands, address, false);
    return one && address - one->base <= one->size ? one->first + (address - one->base) : islands->slots;
}

uint32_t oak_islands_address(const oak_islands *islands, uint32_t slot)
{
    const oak_island *one = last_from(islands, slot, true);
    return one ? one->base + (slot - one->first) : 0;
}
