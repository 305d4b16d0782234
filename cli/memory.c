/* memory.c — memory for the tool itself. When there is none, that is remembered: whatever comes of it, the command does not end as if
 * it had done what was asked, and writes nothing any more. */
#include <stdlib.h>
#include <string.h>

#include "cli.h"

static bool lost;

void cli_lose_memory(void)
{
    lost = true;
}

bool cli_memory_lost(void)
{
    return lost;
}

static void *noted(void *block)
{
    lost = lost || !block;
    return block;
}

void *cli_malloc(size_t size)
{
    return noted(malloc(size ? size : 1));
}

void *cli_calloc(size_t count, size_t size)
{
    return noted(calloc(count ? count : 1, size ? size : 1));
}

void *cli_realloc(void *block, size_t size)
{
    return noted(realloc(block, size ? size : 1));
}

char *cli_strdup(const char *text)
{
    return noted(strdup(text));
}

char *cli_strndup(const char *text, size_t length)
{
    return noted(strndup(text, length));
}
