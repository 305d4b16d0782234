/* arena.c — see arena.h. Chunks double up to 4 MiB, so small jobs stay small and large ones ask seldom. */
#include "base/arena.h"

#include <stdalign.h>

#include "base/bytes.h"
#include "base/invariant.h"
#include "base/text.h"

typedef struct oak_arena_chunk {
    struct oak_arena_chunk *next;
    size_t size;
} oak_arena_chunk;

enum { ALIGN = OAK_ARENA_ALIGN, FIRST_CHUNK = 4096, LARGEST_CHUNK = 4 << 20 };

static size_t aligned(size_t size)
{
    return (size + ALIGN - 1) / ALIGN * ALIGN;
}

void oak_arena_open(oak_arena *arena, const oak_host *host)
{
    *arena = (oak_arena){.host = host};
}

void oak_arena_close(oak_arena *arena)
{
    while (arena->chunks) {
        oak_arena_chunk *next = arena->chunks->next;
        arena->host->resize(arena->host->context, arena->chunks, arena->chunks->size, 0);
        arena->chunks = next;
    }
    arena->at = arena->end = NULL;
    arena->total = 0;
}

/* Pieces for any type begin at a multiple of ALIGN; texts lie one behind the other. */
static void *take(oak_arena *arena, size_t size, bool anywhere)
{
    if (size > SIZE_MAX / 4) return NULL;
    if (!size) size = 1;
    if (!anywhere && arena->at) arena->at += aligned((uintptr_t)arena->at) - (uintptr_t)arena->at;
    if (arena->at > arena->end || (size_t)(arena->end - arena->at) < size) {
        size_t header = aligned(sizeof(oak_arena_chunk));
        size_t chunk_size = arena->chunks ? arena->chunks->size * 2 : FIRST_CHUNK;
        if (chunk_size > LARGEST_CHUNK) chunk_size = LARGEST_CHUNK;
        if (chunk_size < header + size)
            chunk_size = header + size; /* a multiple of ALIGN or not: it is one piece */
        oak_arena_chunk *chunk = arena->host->resize(arena->host->context, NULL, 0, chunk_size);
        if (!chunk) return NULL;
        chunk->next = arena->chunks;
        chunk->size = chunk_size;
        arena->chunks = chunk;
        arena->at = (char *)chunk + header;
        arena->end = (char *)chunk + chunk_size;
        arena->total += chunk_size;
    }
    OAK_INVARIANT((size_t)(arena->end - arena->at) >= size);
    void *piece = arena->at;
    arena->at += size;
    return piece;
}

void *oak_arena_take_more(oak_arena *arena, size_t size)
{
    return take(arena, size, false);
}

void *oak_arena_zero(oak_arena *arena, size_t size)
{
    void *piece = oak_arena_take(arena, size);
    if (piece) memset(piece, 0, size);
    return piece;
}

char *oak_arena_text(oak_arena *arena, const char *text, size_t length)
{
    char *copy = take(arena, length + 1, true);
    if (!copy) return NULL;
    memcpy(copy, text, length);
    copy[length] = 0;
    return copy;
}

void *oak_grow(const oak_host *host, void *array, size_t *room, size_t wanted, size_t element)
{
    if (wanted <= *room) return array;
    size_t larger = *room ? *room * 2 : 16;
    if (larger < wanted) larger = wanted;
    if (larger > SIZE_MAX / element) return NULL;
    void *grown = host->resize(host->context, array, *room * element, larger * element);
    if (grown) *room = larger;
    return grown;
}

void *oak_take_zeroed(const oak_host *host, size_t size)
{
    if (host->zeroed) return host->zeroed(host->context, size);
    void *block = host->resize(host->context, NULL, 0, size);
    if (block) memset(block, 0, size);
    return block;
}

void oak_release(const oak_host *host, void *array, size_t room, size_t element)
{
    if (array) host->resize(host->context, array, room * element, 0);
}
