/* fuzz.c — one door for the coverage-guided fuzzer; OAK_DOOR names it. */
#include <stdio.h>
#include <stdlib.h>

#include "doors.h"

static const door *chosen;

int LLVMFuzzerInitialize(int *count, char ***arguments);
int LLVMFuzzerInitialize(int *count, char ***arguments)
{
    const char *name = getenv("OAK_DOOR");
    chosen = name ? find_door(name) : NULL;
    static char longest[40];
    static char *all[100];
    if (chosen && *count < 98) { /* no input is longer than what the door takes */
        snprintf(longest, sizeof longest, "-max_len=%zu", chosen->longest);
        all[0] = (*arguments)[0];
        all[1] = longest;
        for (int i = 1; i <= *count; i++) all[i + 1] = (*arguments)[i];
        *arguments = all;
        ++*count;
        return 0;
    }
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
