/* values.h — what names in expressions over a running chip stand for. */
#ifndef OAK_SESSION_VALUES_H
#define OAK_SESSION_VALUES_H

#include <oakspindle/print.h>

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

/* ------------------------------------------------------------------------------------------ between the files */

/* Fills in a fault about an expression and returns OAK_REFUSED. */
oak_status OAK_PRINTF(4, 5) session_fill_fault(oak_expr_fault *fault, const oak_expr *expr, const char *code,
                                               const char *format, ...);

/* names.c */
int session_port_of(const oak_session *session, unsigned space, uint32_t address);
unsigned session_bytes_of(const oak_session *session, const oak_symbol *symbol);
void session_say_two_faced(oak_session *session, const oak_diag_sink *sink);
void *session_meet_name(void *context, const char *text, size_t length, oak_expr_fault *fault);
unsigned session_space_named(void *context, const char *text, size_t length);

/* values.c */
bool session_find_bit_cell(const oak_session *session, uint32_t address, unsigned *space, uint32_t *cell);
uint32_t session_read_special(oak_session *session, const oak_part_register *reg);
unsigned session_bits_of_cells(const oak_architecture *about, unsigned space, uint64_t cells);
const oak_expr *session_parse_part(oak_session *session, const char *text, const char *end, const char **rest,
                                   const oak_diag_sink *sink);

/* locate.c */
OAK_MUST_USE oak_status session_locate_expr(oak_session *session, const oak_expr *expr, oak_watched *where,
                                            oak_expr_fault *fault);

/* setting.c */
unsigned session_width_of(const oak_session *session, const oak_expr *left);

#endif
