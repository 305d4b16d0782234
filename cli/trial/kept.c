/* kept.c — trials that have passed and are as they were are not run again: what was found of them is kept in a file for each, in the user's
 * cache, with a hash of all it depends on: the tool, the image, everything that was read. A file is written whole or not at all. */
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>
#define XXH_INLINE_ALL
#include <xxhash.h>

#include <oakspindle/linux.h>

#include "trial_run.h"

typedef struct kept_trial {
    trial_hash key, sum; /* sum: of what follows */
    uint64_t cases, ran, checks, cycles;
    unsigned most_count, read_count;
    trial_most most[OAK_TRIAL_MOSTS];
    trial_read reads[TRIAL_MOST_READS];
} kept_trial;

trial_hash trial_hash_of(const void *bytes, size_t size, trial_hash before)
{
    XXH128_hash_t seed = XXH3_128bits_withSeed(&before, sizeof before, size),
                  hash = size ? XXH3_128bits_withSeed(bytes, size, seed.low64) : seed;
    return (trial_hash){hash.low64, hash.high64 ^ seed.high64};
}

bool trial_same_hash(trial_hash a, trial_hash b)
{
    return a.low == b.low && a.high == b.high;
}

static bool hash_file(const char *path, trial_hash *hash)
{
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_host host = oak_linux_host();
    if (host.read_file(host.context, path, 256u << 20, &bytes, &size)) return false;
    *hash = trial_hash_of(bytes, size, (trial_hash){0});
    if (bytes) host.resize(host.context, bytes, size, 0);
    return true;
}

bool trial_hash_tool(trial_hash *hash)
{
    return hash_file("/proc/self/exe", hash);
}

/* Where it is kept: by the file, the trial and the shard. False where there is no place for it. */
static bool name_kept(const trial_outcome *one, const trial_options *options, char *path, size_t room)
{
    const char *cache = getenv("XDG_CACHE_HOME"), *home = getenv("HOME"), *part = options->part;
    char *whole = realpath(one->file->path, NULL);
    int length = 0;
    if (cache && *cache == '/') length = snprintf(path, room, "%s/oakspindle", cache);
    else if (home && *home == '/') length = snprintf(path, room, "%s/.cache/oakspindle", home);
    bool good = whole && length > 0 && (size_t)length + 60 < room;
    if (good) {
        unsigned shard[] = {options->shard_number, options->shards};
        trial_hash name = trial_hash_of(whole, strlen(whole), (trial_hash){0});
        name = trial_hash_of(one->name, strlen(one->name), name);
        name = trial_hash_of(shard, sizeof shard, name);
        name = trial_hash_of(part, part ? strlen(part) : 0, name);
        snprintf(path + length, room - (size_t)length, "/trials/%016llx%016llx",
                 (unsigned long long)name.high, (unsigned long long)name.low);
    }
    free(whole);
    return good;
}

/* What it all depends on, but for what a case reads by itself. */
static trial_hash key_of(const trial_outcome *one)
{
    trial_hash key = trial_hash_of(one->name, strlen(one->name), one->file->key);
    return trial_hash_of(&one->base, sizeof one->base, key);
}

static trial_hash sum_of(const kept_trial *kept)
{
    return trial_hash_of(&kept->cases, sizeof *kept - offsetof(kept_trial, cases), kept->key);
}

bool trial_look_up(trial_outcome *one, const trial_options *options)
{
    char path[1200];
    kept_trial kept;
    trial_hash hash;
    FILE *file = name_kept(one, options, path, sizeof path) ? fopen(path, "rb") : NULL;
    bool good = file && fread(&kept, sizeof kept, 1, file) == 1;
    if (file) fclose(file);
    if (!good || !trial_same_hash(kept.key, key_of(one)) || !trial_same_hash(kept.sum, sum_of(&kept)))
        return false;
    for (unsigned i = 0; i < kept.read_count && i < TRIAL_MOST_READS; i++)
        if (!hash_file(kept.reads[i].path, &hash) || !trial_same_hash(hash, kept.reads[i].hash)) return false;
    one->ran = kept.ran, one->checks = kept.checks, one->cycles = kept.cycles;
    one->most_count = kept.most_count;
    memcpy(one->most, kept.most, sizeof one->most);
    return one->unchanged = true;
}

void trial_look_after(const trial_outcome *one, const trial_options *options)
{
    char path[1200];
    kept_trial kept;
    if (one->failed || one->refused || one->read_count > TRIAL_MOST_READS ||
        !name_kept(one, options, path, sizeof path))
        return;
    for (char *at = strchr(path + 1, '/'); at; at = strchr(at + 1, '/')) { /* folders that are not there */
        *at = 0;
        mkdir(path, 0700);
        *at = '/';
    }
    memset(&kept, 0, sizeof kept); /* also what lies between */
    kept.cases = one->cases, kept.ran = one->ran, kept.checks = one->checks, kept.cycles = one->cycles;
    kept.most_count = one->most_count, kept.read_count = one->read_count;
    memcpy(kept.most, one->most, sizeof kept.most);
    memcpy(kept.reads, one->reads, sizeof kept.reads);
    kept.key = key_of(one);
    kept.sum = sum_of(&kept);
    (void)!oak_linux_write_file(path, &kept, sizeof kept); /* or it is run again, that is all */
}
