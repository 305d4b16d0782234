/* bytes.h — the four functions a C compiler may call in any environment, hosted or not.
 *
 * A bare-metal build has no <string.h>, yet every compiler expects these to exist; the core uses no others. */
#ifndef OAK_BASE_BYTES_H
#define OAK_BASE_BYTES_H

#include <stddef.h>

void *memcpy(void *restrict to, const void *restrict from, size_t count);
void *memmove(void *to, const void *from, size_t count);
void *memset(void *to, int value, size_t count);
int memcmp(const void *a, const void *b, size_t count);

#endif
