/* kind.h — what the files of stand-ins share. They use the public header alone, as one written elsewhere would. */
#ifndef OAK_BOARD_KIND_H
#define OAK_BOARD_KIND_H

#include <oakspindle/board.h>

#include "base/bytes.h"
#include "base/text.h"

#define COUNT_OF(array) (sizeof(array) / sizeof *(array))

static const char *const LEVEL_WORDS[] = {"low", "high", NULL};
static const char *const PULL_WORDS[] = {"up", "down", "none", NULL};
enum { PULL_UP, PULL_DOWN, PULL_NONE };

static inline oak_level pulled(uint64_t pull)
{
    return pull == PULL_UP ? OAK_PULLED_HIGH : pull == PULL_DOWN ? OAK_PULLED_LOW : OAK_FLOAT;
}

/* The words of what somebody does: "turn 3" is the word "turn". */
static inline bool says(const char *what, const char *word)
{
    size_t length = oak_length(word);
    return oak_length(what) >= length && memcmp(what, word, length) == 0 &&
           (!what[length] || what[length] == ' ');
}

/* What stands behind the word. */
static inline const char *behind(const char *what)
{
    while (*what && *what != ' ') what++;
    while (*what == ' ') what++;
    return what;
}

#endif
