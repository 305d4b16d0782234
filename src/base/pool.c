/* pool.c — see pool.h. */
#include "base/pool.h"

#include "base/arena.h"
#include "base/bytes.h"

void oak_pool_open(oak_pool *pool, size_t size)
{
    *pool = (oak_pool){.size = size};
}

void *oak_pool_add(const oak_host *host, oak_pool *pool)
{
    size_t chunk = pool->count / OAK_POOL_CHUNK;
    if (pool->count % OAK_POOL_CHUNK == 0) {
        char **grown = oak_grow(host, pool->chunks, &pool->room, chunk + 1, sizeof *grown);
        if (!grown) return NULL;
        pool->chunks = grown;
        grown[chunk] = host->resize(host->context, NULL, 0, OAK_POOL_CHUNK * pool->size);
        if (!grown[chunk]) return NULL;
    }
    void *made = oak_pool_at(pool, pool->count++);
    memset(made, 0, pool->size);
    return made;
}

static size_t chunks_for(size_t count)
{
    return (count + OAK_POOL_CHUNK - 1) / OAK_POOL_CHUNK;
}

void oak_pool_shorten(const oak_host *host, oak_pool *pool, size_t count)
{
    for (size_t chunk = chunks_for(count); chunk < chunks_for(pool->count); chunk++)
        host->resize(host->context, pool->chunks[chunk], OAK_POOL_CHUNK * pool->size, 0);
    pool->count = count;
}

void oak_pool_close(const oak_host *host, oak_pool *pool)
{
    oak_pool_shorten(host, pool, 0);
    oak_release(host, pool->chunks, pool->room, sizeof *pool->chunks);
    oak_pool_open(pool, pool->size);
}
