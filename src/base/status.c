/* status.c — words for status codes, stop reasons and faults; the version. */
#include <oakspindle/status.h>
#include <oakspindle/version.h>

const char *oak_status_text(oak_status status)
{
    switch (status) {
    case OAK_OK: return "done";
    case OAK_NO_MEMORY: return "out of memory";
    case OAK_REFUSED: return "the input was refused";
    case OAK_NOT_FOUND: return "not found";
    case OAK_OUT_OF_RANGE: return "out of range";
    case OAK_UNSUPPORTED: return "not supported here";
    case OAK_IO_ERROR: return "could not be read or written";
    case OAK_INTERRUPTED: return "interrupted";
    case OAK_NOT_A_FILE: return "it is a folder, a pipe or a device, and no file";
    case OAK_MISUSE: return "wrong use of the library";
    }
    return "unknown status";
}

const char *oak_version(void)
{
    return OAK_VERSION_TEXT;
}
