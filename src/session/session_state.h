/* session_state.h — the inside of a session, shared by its files:
 *
 *   session.c     opening, stop points, running, what changed
 *   watch.c       expressions over a chip: places, values, setting
 *   drive.c       pins driven over time
 *   state_json.c  the state as a document (not part of the freestanding core)
 */
#ifndef OAK_SESSION_STATE_H
#define OAK_SESSION_STATE_H

#include <oakspindle/session.h>

#include "asm/expr.h"
#include "base/arena.h"
#include "base/diag.h"

typedef struct stop_record {
    oak_stop_point point;
    const oak_expr *condition;
} stop_record;

/* One level of a driven pin. */
typedef struct drive_item {
    oak_level level;
    bool until;      /* the end is an absolute time */
    bool timed;      /* false: stays for ever */
    uint64_t cycles; /* duration or end: in cycles, plus */
    uint64_t picoseconds;
} drive_item;

typedef struct drive {
    unsigned pin;
    bool repeats;
    const drive_item *items;
    unsigned count;
    unsigned next;   /* item that begins at the next event */
    uint64_t cycles; /* when it begins: cycles, plus */
    uint64_t picoseconds;
    bool finished;
} drive;

typedef struct snapshot {
    uint8_t *bytes;
    size_t size;
    uint32_t registers[64];
    bool taken;
} snapshot;

struct oak_session {
    oak_host host;
    oak_arena arena;
    oak_chip_port chip;
    const oak_part *part;
    const oak_isa *isa;
    oak_isa_tables *tables;
    const oak_program *program;
    uint64_t clock_millihertz;
    stop_record *stops;
    size_t stop_count, stop_room;
    drive *drives;
    size_t drive_count, drive_room;
    snapshot before;
    oak_event last;
    oak_outside outside; /* this session, as the chip sees it */
    bool attached;       /* pins change on their cycle, inside a run */
};

/* watch.c */
const oak_expr *session_parse(oak_session *session, const char *text, const oak_diag_sink *sink);
oak_status session_evaluate(oak_session *session, const oak_expr *expr, const char *text,
                            const oak_diag_sink *sink, oak_reading *reading);
/* Reports a fault in a text that was typed rather than read from a file. */
void session_refuse(const oak_diag_sink *sink, const char *text, const oak_expr_fault *fault);

/* drive.c */
/* Applies what is due and returns the cycle of the next change, UINT64_MAX when there is none. */
uint64_t session_apply_drives(oak_session *session, uint64_t now);
void session_rewind_drives(oak_session *session);
/* Something has changed in what is driven when. */
void session_attach(oak_session *session);

#endif
