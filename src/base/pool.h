/* pool.h — elements of one size that stay where they are, by number, in the order in which they were made. */
#ifndef OAK_BASE_POOL_H
#define OAK_BASE_POOL_H

#include <oakspindle/port.h>

enum { OAK_POOL_CHUNK = 2048 }; /* elements that are taken from the host at once */

typedef struct oak_pool {
    char **chunks;
    size_t room;
    size_t count;
    size_t size; /* of an element */
} oak_pool;

void oak_pool_open(oak_pool *pool, size_t size);
/* A new element, cleared; NULL when there is no memory. */
void *oak_pool_add(const oak_host *host, oak_pool *pool);
static inline void *oak_pool_at(const oak_pool *pool, size_t number)
{
    return pool->chunks[number / OAK_POOL_CHUNK] + number % OAK_POOL_CHUNK * pool->size;
}
/* Takes back the last elements, so that `count` stay. */
void oak_pool_shorten(const oak_host *host, oak_pool *pool, size_t count);
void oak_pool_close(const oak_host *host, oak_pool *pool);

#endif
