/* values.h — what names in expressions over a running chip stand for. */
#ifndef OAK_SESSION_VALUES_H
#define OAK_SESSION_VALUES_H

#include "session/session_state.h"

typedef enum name_kind {
    NAME_REGISTER,
    NAME_FLAG,
    NAME_SPECIAL,
    NAME_PORT,
    NAME_PIN,
    NAME_HANDLING,
    NAME_DEPTH,
    NAME_CYCLE,
    NAME_FIELD,
    NAME_VECTOR,
    NAME_SYMBOL
} name_kind;

/* What a name in an expression stands for; lives in the session's arena. */
typedef struct watch_name {
    name_kind kind;
    unsigned number; /* register, flag, port or vector */
    const oak_part_register *reg;
    const oak_part_field *field;
    const oak_symbol *symbol;
} watch_name;

/* The scope in which the names of an expression have their values now. */
oak_expr_scope session_scope(oak_session *session);
/* A symbol that stands for a place in the program rather than for a variable: in the code space, and not in its RAM. */
bool session_is_place(const oak_session *session, const oak_symbol *symbol);

#endif
