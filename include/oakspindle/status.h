/* status.h — the result of a call.
 *
 * Every function of Oak Spindle that can fail returns an oak_status; results come through its last pointer.
 * There is no errno and no hidden state. Where a status is OAK_REFUSED, the diagnostics sink that was passed
 * in has been told why, in words for the person who wrote the input.
 *
 * What holds for all of them: a pointer must not be NULL unless its header says that it may; one that is makes the call return OAK_MISUSE,
 * or 0, false or NULL where there is no status, and nothing happens. Text and data that are given are copied, unless a header says that they must outlive
 * something. Results are written only when the status is OAK_OK, unless a header says more. `context` is whatever the caller wants. */
#ifndef OAKSPINDLE_STATUS_H
#define OAKSPINDLE_STATUS_H

#ifdef __cplusplus
extern "C" {
#endif

/* Whoever drops the result of such a call claims success that may not be. */
#if defined(__GNUC__)
#define OAK_MUST_USE __attribute__((warn_unused_result))
#else
#define OAK_MUST_USE
#endif

typedef enum oak_status {
    OAK_OK = 0,
    OAK_NO_MEMORY,    /* the host port gave no memory; nothing was changed */
    OAK_REFUSED,      /* the input was refused; the diagnostics say why */
    OAK_NOT_FOUND,    /* no such file, name, register, pin, place */
    OAK_OUT_OF_RANGE, /* an address or a value outside what exists */
    OAK_UNSUPPORTED,  /* this port or part cannot do it */
    OAK_IO_ERROR,     /* the host could not read or write */
    OAK_INTERRUPTED,  /* somebody has asked it to end before its time; nothing was changed */
    OAK_NOT_A_FILE,   /* it is a folder, a pipe or a device */
    OAK_MISUSE        /* the call itself is wrong (a null pointer, a wrong order of calls) */
} oak_status;

/* Returns a short English phrase for a status, never NULL. */
const char *oak_status_text(oak_status status);

#ifdef __cplusplus
}
#endif
#endif
