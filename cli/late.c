/* late.c — see late.h. */
#include <dlfcn.h>
#include <stdio.h>

#include "late.h"

bool cli_late(cli *self, const char *library, const char *package, const char *const *names, void **table)
{
    void *loaded = dlopen(library, RTLD_NOW | RTLD_GLOBAL);
    bool good = loaded != NULL;
    for (unsigned i = 0; good && names[i]; i++) {
        table[i] = dlsym(loaded, names[i]);
        good = table[i] != NULL;
    }
    if (good) return true;
    char hint[120];
    snprintf(hint, sizeof hint, "Install it: on Debian it is in the package %s.", package);
    cli_complain(self, "library", library, hint,
                 loaded ? "this library is too old for this" : "this library is not there");
    return false;
}
