/* arena.h — memory that is given out piece by piece and freed all at once, for what lives as long as one job. */
#ifndef OAK_BASE_ARENA_H
#define OAK_BASE_ARENA_H

#include <stdalign.h>
#include <stddef.h>
#include <stdint.h>

#include <oakspindle/port.h>

enum { OAK_ARENA_ALIGN = alignof(max_align_t) };

typedef struct oak_arena {
    const oak_host *host;
    struct oak_arena_chunk *chunks;
    char *at;
    char *end;
    size_t total; /* bytes taken from the host */
} oak_arena;

void oak_arena_open(oak_arena *arena, const oak_host *host);
void oak_arena_close(oak_arena *arena);
/* Returns `size` bytes aligned for any type, not cleared, or NULL when there is no memory. */
void *oak_arena_take_more(oak_arena *arena, size_t size); /* where the chunk is used up */
static inline void *oak_arena_take(oak_arena *arena, size_t size)
{
    size_t skip = arena->at ? -(uintptr_t)arena->at % OAK_ARENA_ALIGN : 0;
    if (!size || size > (size_t)(arena->end - arena->at) || skip > (size_t)(arena->end - arena->at) - size)
        return oak_arena_take_more(arena, size);
    void *piece = arena->at + skip;
    arena->at += skip + size;
    return piece;
}
/* The same, cleared. */
void *oak_arena_zero(oak_arena *arena, size_t size);
/* A copy of `length` bytes with a zero byte behind it, or NULL. */
char *oak_arena_text(oak_arena *arena, const char *text, size_t length);

/* Grows an array kept in host memory so that it holds at least `wanted` elements of `element` bytes. *room counts
 * elements. Returns the array, or NULL (and the old array stands). */
/* A new block of zeros; NULL. The host's resize frees it. */
void *oak_take_zeroed(const oak_host *host, size_t size);
void *oak_grow(const oak_host *host, void *array, size_t *room, size_t wanted, size_t element);
void oak_release(const oak_host *host, void *array, size_t room, size_t element);

#endif
