/* built_in.h — our own parts, made ready when the tool is built: reading their files takes longer than assembling a small program.
 *
 * They are taken only where the files that are found say, byte for byte, what these were made from. */
#ifndef CLI_BUILT_IN_H
#define CLI_BUILT_IN_H

#include <stddef.h>

#include <oakspindle/part.h>

enum { BUILT_IN_FILES = 4 }; /* of a part: its own and those it extends */

typedef struct built_in_part {
    const char *architecture;
    struct {
        const char *name; /* in the folder of the first; NULL behind the last */
        uint64_t hash;
    } file[BUILT_IN_FILES];
    oak_part part; /* but for its architecture */
} built_in_part;

extern const built_in_part built_in_parts[]; /* up to one without an architecture */

/* The files of our parts and templates as they were: for a tool that stands alone. "parts/z80-32k.yaml", "templates/z80/basic/main.asm". */
typedef struct built_in_file {
    const char *name; /* a list ends with NULL */
    const unsigned char *bytes;
    size_t size;
} built_in_file;
extern const built_in_file built_in_files[];

static inline uint64_t built_in_hash(const uint8_t *bytes, size_t size)
{
    uint64_t hash = 0xCBF29CE484222325u ^ size, word;
    for (; size >= sizeof word; bytes += sizeof word, size -= sizeof word) {
        word = 0;
        for (unsigned i = 0; i < sizeof word; i++) word |= (uint64_t)bytes[i] << (8 * i);
        hash = (hash ^ word) * 0x9E3779B97F4A7C15u;
        hash ^= hash >> 29;
    }
    for (; size; size--) hash = (hash ^ *bytes++) * 0x100000001B3u;
    return hash;
}

#endif
