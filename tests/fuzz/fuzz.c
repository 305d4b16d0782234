/* fuzz.c — one door for the coverage-guided fuzzer; OAK_DOOR names it. */
#include <stdio.h>
#include <stdlib.h>

#include "doors.h"

static const door *chosen;

int LLVMFuzzerInitialize(int *count, char ***arguments);
int LLVMFuzzerInitialize(int *count, char ***arguments)
{
    (void)count, (void)arguments;
    const char *name = getenv("OAK_DOOR");
    chosen = name ? find_door(name) : NULL;
    if (chosen) return 0;
    fprintf(stderr, "OAK_DOOR is one of:");
    for (unsigned i = 0; i < door_count; i++) fprintf(stderr, " %s", doors[i].name);
    fputc('\n', stderr);
    exit(2);
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t size);
int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t size)
{
    chosen->enter(chosen, bytes, size);
    return 0;
}
