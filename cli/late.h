/* late.h — libraries that few commands need are loaded when one does: loading cairo takes longer than most commands run.
 *
 * A list names functions and variables, NAME of the prefix PRE: F(PRE, NAME). LATE_TABLE makes a type with a pointer for each, named
 * without the prefix; cli_late fills it in. */
#ifndef CLI_LATE_H
#define CLI_LATE_H

#include "cli.h"

#define LATE_POINTER(prefix, name) __typeof__(prefix##name) *name;
#define LATE_NAME(prefix, name)    #prefix #name,
#define LATE_TABLE(type, LIST)                                                                               \
    typedef struct type {                                                                                    \
        LIST(LATE_POINTER)                                                                                   \
    } type;
/* Looks up everything in a list. False after a message that names the library and the package it is in. */
#define LATE_LOAD(self, table, LIST, library, package)                                                       \
    cli_late(self, library, package, (const char *const[]){LIST(LATE_NAME) NULL}, (void **)(void *)(table))
bool cli_late(cli *self, const char *library, const char *package, const char *const *names, void **table);

#endif
