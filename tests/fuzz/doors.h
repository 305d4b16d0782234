/* doors.h — every way in which bytes of a stranger reach the library and the tool, each as one function to be tried with any bytes.
 *
 * fuzz.c lets a coverage-guided fuzzer try them (`./dev fuzz`), replay.c tries what is kept in corpus/ (`./dev test`). */
#ifndef TEST_FUZZ_DOORS_H
#define TEST_FUZZ_DOORS_H

#include <stddef.h>
#include <stdint.h>

typedef struct door {
    const char *name;
    size_t longest;      /* bytes that are tried */
    const char *subject; /* the part, where there are several */
    /* Ends the process when something is wrong: a refusal without a message, a document that is none. */
    void (*enter)(const struct door *self, const uint8_t *bytes, size_t size);
} door;

extern const door doors[];
extern const unsigned door_count;
/* NULL where there is none. */
const door *find_door(const char *name);

#endif
