/* session.h — run control over a chip port: stop points, expressions, driven pins, what changed.
 *
 * A session speaks to nothing but a chip port, so it works the same on the simulator and on real silicon.
 *
 * Places:       label   label+4   file.asm:27   0x0123
 * Expressions:  a   p1.3   iram[0x30]   xram[0x4000:2]   counter   TR0   and C operators.
 *               A register, special register, pin or variable means what it holds; a label of code means its address;
 *               inside the brackets of space[…] a variable means its address. A port (p1, p1.3) means what stands on
 *               its pins, sfr[0x90] what is stored in its latch. */
#ifndef OAKSPINDLE_SESSION_H
#define OAKSPINDLE_SESSION_H

#include <oakspindle/asm.h>
#include <oakspindle/port.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct oak_session oak_session;

/* Opens a session on a chip. The host, the chip and the program (which may be NULL) must outlive it. OAK_NO_MEMORY. */
oak_status oak_session_open(const oak_host *host, const oak_chip_port *chip, const oak_program *program,
                            oak_session **session);
/* Closes it and takes its stop points off the chip; NULL is allowed. */
void oak_session_close(oak_session *session);

const oak_part *oak_session_part(const oak_session *session);
const oak_program *oak_session_program(const oak_session *session);
oak_chip_port oak_session_chip(const oak_session *session);

/* The clock in 1/1000 Hz; the part's usual clock until it is set. */
uint64_t oak_session_clock(const oak_session *session);
oak_status oak_session_set_clock(oak_session *session, uint64_t millihertz);

/* Resolves a place. OAK_REFUSED after a diagnostic. */
oak_status oak_session_place(oak_session *session, const char *place, const oak_diag_sink *sink,
                             uint32_t *address);
/* Writes "label+4" or "0x0123" for an address of code. */
void oak_session_name_place(const oak_session *session, uint32_t address, char *text, size_t room);

/* --- stop points ---------------------------------------------------------------------------------------------- */

typedef struct oak_stop_point {
    uint32_t address;
    const char *text;      /* as it was given */
    const char *condition; /* as it was given, or NULL */
    uint64_t every;        /* stops at every Nth time it holds, from 1 */
    uint64_t hits;         /* how often it held */
    bool enabled;
} oak_stop_point;

/* Adds a stop point at a place. `condition` may be NULL; `every` 0 means 1. OAK_REFUSED after a diagnostic. */
oak_status oak_session_add_stop(oak_session *session, const char *place, const char *condition,
                                uint64_t every, const oak_diag_sink *sink, unsigned *number);
oak_status oak_session_enable_stop(oak_session *session, unsigned number, bool enabled);
/* By number from 0; NULL after the last. */
const oak_stop_point *oak_session_stop_point(const oak_session *session, unsigned number);

/* --- running -------------------------------------------------------------------------------------------------- */

typedef struct oak_budget {
    uint64_t cycles;       /* at most so many more; 0: no limit */
    uint64_t instructions; /* at most so many more; 0: no limit */
} oak_budget;

typedef struct oak_event {
    oak_stop stop;
    int stop_point; /* its number, or -1 */
} oak_event;

/* Resets the chip; driven pins keep their drives, hit counts begin anew. */
oak_status oak_session_reset(oak_session *session);
/* Runs until something stops it. OAK_REFUSED, after a diagnostic, when a condition cannot be worked out. */
oak_status oak_session_run(oak_session *session, const oak_budget *budget, const oak_diag_sink *sink,
                           oak_event *event);
/* Executes one instruction. */
oak_status oak_session_step(oak_session *session, oak_event *event);
/* How the last run ended. */
const oak_event *oak_session_last_event(const oak_session *session);

/* --- pins ----------------------------------------------------------------------------------------------------- */

/* Drives a pin by a text: "p1.0 = 1", "p1.0 = 1 until 40ms, 0", "p3.4 = 1 for 2ms, 0 for 2ms, repeat". Levels: 0, 1, z (let
 * go). Times count from reset in s, ms, us, ns or cycles; the last level stays. OAK_REFUSED after a diagnostic. */
oak_status oak_session_drive(oak_session *session, const char *text, const oak_diag_sink *sink);

/* The name the program gives a pin ("door bit p3.0"), or NULL. Pins are numbered as in the chip port. */
const char *oak_session_pin_name(const oak_session *session, unsigned pin);

/* --- values --------------------------------------------------------------------------------------------------- */

typedef struct oak_reading {
    int64_t value;
    uint8_t bits;    /* width of what was read; 64 for anything computed */
    bool is_address; /* an address of code */
} oak_reading;

/* Works out an expression now. OAK_REFUSED after a diagnostic. */
oak_status oak_session_value(oak_session *session, const char *expression, const oak_diag_sink *sink,
                             oak_reading *reading);
/* Resolves a stretch of memory, "space[from..to]": its space and first and last address. OAK_REFUSED after a diagnostic. */
oak_status oak_session_range(oak_session *session, const char *range, const oak_diag_sink *sink,
                             unsigned *space, uint32_t *from, uint32_t *to);
/* Sets what the left side of "EXPR=VALUE" names: a register, a special register, a bit, a cell, a variable, a pin (which
 * drives it from outside). OAK_REFUSED after a diagnostic. */
oak_status oak_session_set(oak_session *session, const char *assignment, const oak_diag_sink *sink);

/* --- what changed --------------------------------------------------------------------------------------------- */

typedef struct oak_change {
    uint8_t space;    /* 0: a register of the core */
    uint32_t address; /* or the number of the register */
    uint32_t before;
    uint32_t after;
} oak_change;

/* What differs from how it was when the last run began: registers first, then memory, ascending. `room` changes are
 * written; *count tells how many there are. */
oak_status oak_session_changes(oak_session *session, oak_change *changes, size_t room, size_t *count);

/* --- words ---------------------------------------------------------------------------------------------------- */

/* One word for a stop reason or a fault, the same in reports and state files: "stop-point", "parked", "stack-overflow". */
const char *oak_stop_word(oak_stop_reason reason);
const char *oak_fault_word(oak_fault fault);
/* A sentence about the fault a run ended with: what happened, and at which address. */
void oak_fault_sentence(const oak_session *session, const oak_stop *stop, char *text, size_t room);

/* --- state ---------------------------------------------------------------------------------------------------- */

/* Writes the state of the chip as the JSON document of docs/state-files.md. */
oak_status oak_session_write_state(oak_session *session, const oak_text_sink *out);
/* Takes such a document; what it does not name keeps its value. OAK_REFUSED after a diagnostic. `name` is what
 * diagnostics call it. */
oak_status oak_session_read_state(oak_session *session, const char *text, size_t size, const char *name,
                                  const oak_diag_sink *sink);

#ifdef __cplusplus
}
#endif
#endif
