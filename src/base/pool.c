/* pool.c — see pool.h. */
#include "base/pool.h"

#include "base/arena.h"
#include "base/bytes.h"

void oak_pool_open(oak_pool *pool, size_t size)
{
    *pool = (oak_pool){.size = size};
}

/* The first chunks are taken from the host one by one; those behind them many at once, and kept by the first of them. */
enum { SINGLE = 8, TOGETHER = 32 };

static size_t chunks_at_once(size_t chunk)
{
    return chunk < SINGLE ? 1 : (chunk - SINGLE) % TOGETHER ? 0 : TOGETHER;
}

static bool more(const oak_host *host, oak_pool *pool, size_t chunk)
{
    size_t size = OAK_POOL_CHUNK * pool->size, count = chunks_at_once(chunk);
    char **grown = oak_grow(host, pool->chunks, &pool->room, chunk + 1, sizeof *grown);
    if (!grown) return false;
    pool->chunks = grown;
    grown[chunk] = count ? host->resize(host->context, NULL, 0, count * size) : grown[chunk - 1] + size;
    return grown[chunk];
}

void *oak_pool_add(const oak_host *host, oak_pool *pool)
{
    if (pool->count % OAK_POOL_CHUNK == 0 && !more(host, pool, pool->count / OAK_POOL_CHUNK)) return NULL;
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
    for (size_t chunk = chunks_for(pool->count); chunk-- > chunks_for(count);) {
        size_t given = chunks_at_once(chunk);
        if (given) host->resize(host->context, pool->chunks[chunk], given * OAK_POOL_CHUNK * pool->size, 0);
    }
    pool->count = count;
}

void oak_pool_close(const oak_host *host, oak_pool *pool)
{
    oak_pool_shorten(host, pool, 0);
    oak_release(host, pool->chunks, pool->room, sizeof *pool->chunks);
    oak_pool_open(pool, pool->size);
}
