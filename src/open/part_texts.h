/* part_texts.h — our part files as text, made while the library is built (cli/parts/embed.c). */
#ifndef OAK_OPEN_PART_TEXTS_H
#define OAK_OPEN_PART_TEXTS_H

#include <stddef.h>

typedef struct oak_part_text {
    const char *name; /* of the part; a list ends with NULL */
    const unsigned char *bytes;
    size_t size;
} oak_part_text;
extern const oak_part_text oak_part_texts[];

#endif
