/* alone.h — a call of a routine, put where code memory is free. */
#ifndef OAK_SESSION_ALONE_H
#define OAK_SESSION_ALONE_H

#include <oakspindle/session.h>

/* Puts a call where code memory is free. OAK_NOT_FOUND: nothing is free; OAK_OUT_OF_RANGE: it cannot be called from there; OAK_UNSUPPORTED without a
 * program. */
typedef struct session_call {
    uint32_t from, back; /* where the call lies, and what comes behind it */
    uint8_t before[64];  /* what was there */
    uint32_t size;
} session_call;
OAK_MUST_USE oak_status session_put_call(oak_session *session, uint32_t target, session_call *call);

#endif
