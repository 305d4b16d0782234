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
#include <oakspindle/trace.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct oak_session oak_session;

/* Opens a session on a chip. The host, the chip and the program (which may be NULL) must outlive it. OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_session_open(const oak_host *host, const oak_chip_port *chip,
                                         const oak_program *program, oak_session **session);
/* Closes it and takes its stop points off the chip; NULL is allowed. */
void oak_session_close(oak_session *session);

const oak_part *oak_session_part(const oak_session *session);
const oak_program *oak_session_program(const oak_session *session);
oak_chip_port oak_session_chip(const oak_session *session);

/* The clock in 1/1000 Hz; the part's usual clock until it is set. */
uint64_t oak_session_clock(const oak_session *session);
OAK_MUST_USE oak_status oak_session_set_clock(oak_session *session, uint64_t millihertz);

/* Resolves a place. OAK_REFUSED after a diagnostic. */
OAK_MUST_USE oak_status oak_session_place(oak_session *session, const char *place, const oak_diag_sink *sink,
                                          uint32_t *address);
/* Writes "label+4" or "0x0123" for an address of code. */
void oak_session_name_place(const oak_session *session, uint32_t address, char *text, size_t room);
/* A cell by the name that the program or the part has for it, else as `iram[0x30]`. */
void oak_session_name_cell(const oak_session *session, unsigned space, uint32_t address, char *text,
                           size_t room);
/* What the instruction that comes next reads and writes, registers of the core (space 0) and cells, or bits of them:
 * at most `room` of them; how many is returned. 0 where the chip port does not know. */
unsigned oak_session_touches(const oak_session *session, oak_watched *list, unsigned room);

/* --- stop points ---------------------------------------------------------------------------------------------- */

typedef struct oak_stop_point {
    uint32_t address;
    const char *text;      /* as it was given */
    const char *condition; /* as it was given, or NULL */
    uint64_t every;        /* stops at every Nth time it holds, from 1 */
    uint64_t hits;         /* how often it held */
    bool enabled, removed;
    bool once; /* it is removed when it has ended a run */
} oak_stop_point;

/* Adds a stop point at a place; texts are copied. `condition` and `number` may be NULL; `every` 0 means 1. It ends a run in front of the instruction at which execution
 * arrives: a run that begins there goes on first. Several may be at one place. OAK_REFUSED after a diagnostic. */
OAK_MUST_USE oak_status oak_session_add_stop(oak_session *session, const char *place, const char *condition,
                                             uint64_t every, const oak_diag_sink *sink, unsigned *number);
OAK_MUST_USE oak_status oak_session_enable_stop(oak_session *session, unsigned number, bool enabled);
/* It is removed for good, or after it has ended a run. The numbers of the others stay. OAK_NOT_FOUND. */
OAK_MUST_USE oak_status oak_session_remove_stop(oak_session *session, unsigned number);
OAK_MUST_USE oak_status oak_session_stop_once(oak_session *session, unsigned number);
/* By number from 0; NULL after the last. */
const oak_stop_point *oak_session_stop_point(const oak_session *session, unsigned number);

/* --- running -------------------------------------------------------------------------------------------------- */

typedef struct oak_budget {
    uint64_t cycles;       /* at most so many more; 0: no limit */
    uint64_t instructions; /* at most so many more; 0: no limit */
    /* Called every so many cycles, between two instructions; false ends the run as OAK_STOP_USER. May be NULL. */
    bool (*breathe)(void *context, uint64_t cycles);
    void *context;
    uint64_t breath; /* cycles */
} oak_budget;

typedef struct oak_event {
    oak_stop stop;
    int stop_point; /* its number, or -1 */
    int watch; /* the same for OAK_STOP_WATCH; stop.watched_pc is the instruction, where the chip has seen it */
} oak_event;

/* For what takes part in a session: something of it was lost, since there was no memory. The run under way ends, and it and every later
 * one returns OAK_NO_MEMORY: its figures would not be true. */
void oak_session_fail(oak_session *session);

/* Resets the chip; driven pins keep their drives, hit counts begin anew. */
OAK_MUST_USE oak_status oak_session_reset(oak_session *session);
/* Runs until something stops it. OAK_REFUSED, after a diagnostic, when a condition cannot be worked out. */
OAK_MUST_USE oak_status oak_session_run(oak_session *session, const oak_budget *budget,
                                        const oak_diag_sink *sink, oak_event *event);
/* Executes one instruction. */
OAK_MUST_USE oak_status oak_session_step(oak_session *session, oak_event *event);
/* The same, but a call with all that it calls counts as one; and until the subroutine or handler that is running has
 * returned. A stop point inside ends it, as does the budget. */
OAK_MUST_USE oak_status oak_session_step_over(oak_session *session, const oak_budget *budget,
                                              const oak_diag_sink *sink, oak_event *event);
OAK_MUST_USE oak_status oak_session_run_out(oak_session *session, const oak_budget *budget,
                                            const oak_diag_sink *sink, oak_event *event);
/* Was what runs here called, or has it interrupted something: is there a way out of it? */
bool oak_session_is_called(oak_session *session);
/* Where an address of code leads: to the target of the jump that stands there, else to itself. */
uint32_t oak_session_leads_to(const oak_session *session, uint32_t address);
/* Runs to a place as if a stop point were there for this once: arriving ends it with OAK_STOP_STEP and event->stop.pc there, the instruction not yet
 * executed; where it stands there already it runs until it comes there again. Other stop points on the way end it as they end a run. */
OAK_MUST_USE oak_status oak_session_run_to(oak_session *session, const char *place, const oak_budget *budget,
                                           const oak_diag_sink *sink, oak_event *event);
/* What ends a run beside stop points. */
typedef enum oak_watch_kind {
    OAK_WATCH_CHANGE, /* an expression, or something in a stretch of memory ("iram[0x30..0x3f]"), is not what it was */
    OAK_WATCH_HOLDS, /* an expression becomes true */
    OAK_WATCH_READ, /* the program reads a variable, cell, stretch, bit, special register, or pin of an 8-bit port; */
    OAK_WATCH_WRITE,  /* or writes it, be it the same value; */
    OAK_WATCH_ACCESS, /* or either */
    OAK_WATCH_HANDLER /* a handler is entered: of any interrupt or exception (""), or of the one with this vector */
} oak_watch_kind;
typedef struct oak_watch {
    const char *text; /* as it was given */
    oak_watch_kind kind;
    uint64_t hits;
    bool enabled, removed;
} oak_watch;

/* Ends runs behind the instruction. Accesses and changes of memory cost little, as do expressions of pins, and of cells and registers that the
 * program seldom writes, or of devices that stand still; what changes with every instruction (the program counter, a counter that runs with the clock) is looked
 * at behind each, and a run is up to eleven times slower while there is such an expression (docs/bench.md). At most
 * OAK_MOST_WATCHES watches of accesses. `number` may be NULL. OAK_REFUSED after a diagnostic; OAK_UNSUPPORTED, after one too, where the chip cannot tell of accesses. */
enum { OAK_MOST_WATCHES = OAK_MOST_WATCHED - 1 }; /* the session needs one for itself */
OAK_MUST_USE oak_status oak_session_add_watch(oak_session *session, const char *expression,
                                              oak_watch_kind kind, const oak_diag_sink *sink,
                                              unsigned *number);
/* OAK_NOT_FOUND when there is no such watch. The numbers of the others stay. */
OAK_MUST_USE oak_status oak_session_enable_watch(oak_session *session, unsigned number, bool enabled);
OAK_MUST_USE oak_status oak_session_remove_watch(oak_session *session, unsigned number);
/* By number from 0, also one that was removed; NULL behind the last. */
const oak_watch *oak_session_watch(const oak_session *session, unsigned number);
/* How the last run ended. */
const oak_event *oak_session_last_event(const oak_session *session);

/* --- pins ----------------------------------------------------------------------------------------------------- */

/* Drives a pin by a text, as docs/stimuli.md describes them all: "p1.0 = 1 until 40ms, 0 bounce 2ms", "p3.4 = clock 1kHz",
 * "p3.0 = bytes "ok" at 9600", "when p1.3 rises after 3ms: p1.2 = 0". Times count from reset in s, ms, us, ns, ps or cycles.
 * OAK_REFUSED after a diagnostic. */
OAK_MUST_USE oak_status oak_session_drive(oak_session *session, const char *text, const oak_diag_sink *sink);
/* The same for a file of them, one a line; `name` is what diagnostics call it. Reports every wrong line. */
OAK_MUST_USE oak_status oak_session_read_stimuli(oak_session *session, const char *text, size_t size,
                                                 const char *name, const oak_diag_sink *sink);
/* What everything random begins with, 1 when it is not set; drives given before keep theirs. */
void oak_session_set_seed(oak_session *session, uint64_t seed);
/* Gives a pin a name, beside those of the program. OAK_REFUSED when another pin has it. */
OAK_MUST_USE oak_status oak_session_label_pin(oak_session *session, const char *name, size_t length,
                                              unsigned pin);

/* The name the program gives a pin ("door bit p3.0"), or NULL. Pins are numbered as in the chip port. */
const char *oak_session_pin_name(const oak_session *session, unsigned pin);

/* --- traces --------------------------------------------------------------------------------------------------- */

/* Records from now on: a pin ("p1.3", "door"), a port ("p1"), every pin that has a name ("pins"), or an expression, whose value is
 * kept whenever it changes; see the watches for what that costs. OAK_REFUSED after a diagnostic. */
OAK_MUST_USE oak_status oak_session_record(oak_session *session, const char *what, const oak_diag_sink *sink);
/* Records each moment at which a place is reached. */
OAK_MUST_USE oak_status oak_session_mark(oak_session *session, const char *place, const oak_diag_sink *sink);
/* What was recorded up to now, NULL for nothing. It belongs to the session. */
const oak_trace *oak_session_trace(oak_session *session);

/* How many cycles it takes from one thing to another: places that are reached, both may be the same; pins ("p1.1 rises", "door falls",
 * "p1.1 changes"); and, of a subroutine or handler at whose label it begins, "its return": execution is back where it was called, whichever
 * way it went. A lap begins with `from` (again, after it has ended) and ends with `to`. */
enum { OAK_LAP_BINS = 64 };
typedef struct oak_lap {
    const char *from, *to; /* as they were given */
    uint64_t count;
    uint64_t last, shortest, longest, total; /* cycles */
    /* How many took how long: bin i those of bin_from + i * bin_width cycles to less than one width more. A width is a power of two, and becomes wider as needed. */
    uint64_t bins[OAK_LAP_BINS], bin_from, bin_width;
} oak_lap;
OAK_MUST_USE oak_status oak_session_add_lap(oak_session *session, const char *from, const char *to,
                                            const oak_diag_sink *sink);
/* By number from 0; NULL behind the last. */
const oak_lap *oak_session_lap(const oak_session *session, unsigned number);

/* --- what the chip suffers ------------------------------------------------------------------------------------ */

/* Things that a real chip suffers and says nothing about: pins driven against each other, a byte that is lost … Each kind
 * stops the run as a fault, is a warning that the run goes on after, or is off. */
typedef enum oak_notice_level { OAK_NOTICE_OFF, OAK_NOTICE_WARNING, OAK_NOTICE_STOP } oak_notice_level;
enum { OAK_NOTICE_OUTSIDE = 1 }; /* the space of a contention in which the chip takes no part */
typedef struct oak_noticed {
    oak_notice first; /* the first time; later ones at the same place only count */
    uint64_t count;
} oak_noticed;

/* The word of each kind by number from 0 ("contention"), NULL after the last, and its usual level (`usual` may be NULL). */
const char *oak_notice_word(unsigned number, oak_notice_level *usual);
/* What it means and how to put it right, in some sentences; NULL after the last. */
const char *oak_notice_meaning(unsigned number);
/* OAK_NOT_FOUND when there is no such kind. */
OAK_MUST_USE oak_status oak_session_set_level(oak_session *session, const char *word, size_t length,
                                              oak_notice_level level);
/* The level of a kind; OAK_NOTICE_OFF when there is no such kind. */
oak_notice_level oak_session_level(const oak_session *session, const char *word);
/* What was noticed since reset, by number from 0; NULL after the last. */
const oak_noticed *oak_session_noticed(const oak_session *session, unsigned number);
/* Something outside has noticed it: kept unless that kind is off; it does not stop the run. */
void oak_session_note(oak_session *session, const oak_notice *notice);
/* A sentence about it. */
void oak_notice_sentence(const oak_session *session, const oak_notice *notice, char *text, size_t room);

/* --- what is outside ------------------------------------------------------------------------------------------ */

/* Something outside the chip that takes part: a board, a recorder. It must outlive the session, acts at cycle 0 first, and
 * drives pins as *source, from 1. OAK_UNSUPPORTED where the chip port has no such thing. */
OAK_MUST_USE oak_status oak_session_join(oak_session *session, const oak_outside *outside, unsigned *source);
/* Drives a pin for one of them. All of them together: a strong level comes before a pull, low before high. */
OAK_MUST_USE oak_status oak_session_put(oak_session *session, unsigned source, unsigned pin, oak_level level);
/* It wants to act at a cycle, sooner than it has said. */
void oak_session_wake(oak_session *session, unsigned source, uint64_t cycle);

/* --- values --------------------------------------------------------------------------------------------------- */

typedef struct oak_reading {
    int64_t value;
    uint8_t bits;    /* width of what was read; 64 for anything computed */
    bool is_address; /* an address of code */
} oak_reading;

/* Works out an expression now. OAK_REFUSED after a diagnostic. */
OAK_MUST_USE oak_status oak_session_value(oak_session *session, const char *expression,
                                          const oak_diag_sink *sink, oak_reading *reading);
/* Resolves a stretch of memory, "space[from..to]": its space and first and last address. OAK_REFUSED after a diagnostic. */
OAK_MUST_USE oak_status oak_session_range(oak_session *session, const char *range, const oak_diag_sink *sink,
                                          unsigned *space, uint32_t *from, uint32_t *to);
/* Sets what the left side of "EXPR=VALUE" names: a register, a special register, a bit, a cell, a variable, a pin (which
 * drives it from outside). Of a cell also several, one after another: "iram[0x30] = 1, 2, \"text\"", all or none of them; space[a:2] takes
 * words, a variable bytes. OAK_REFUSED after a diagnostic. */
OAK_MUST_USE oak_status oak_session_set(oak_session *session, const char *assignment,
                                        const oak_diag_sink *sink);

/* --- what changed --------------------------------------------------------------------------------------------- */

typedef struct oak_change {
    uint8_t space;    /* 0: a register of the core */
    uint32_t address; /* or the number of the register */
    uint32_t before;
    uint32_t after;
} oak_change;

/* Runs one routine: a call of it is put where code memory is free, and run until it comes back (event->stop.reason is OAK_STOP_STEP). What it is
 * given is set before, by oak_session_set; what it has made of that is read after, by oak_session_value. Execution then stands where it stood before, and the code
 * memory is as it was. The stack is used as it is: on a part where it has to be set up first, run to behind that. OAK_INTERRUPTED: it did not come back within the
 * budget, or at a stop point; execution stands there. OAK_REFUSED after a diagnostic, OAK_NOT_FOUND: no code memory is free;
 * OAK_OUT_OF_RANGE: it cannot be called from there; OAK_UNSUPPORTED: without a program; OAK_MISUSE for a null pointer. */
OAK_MUST_USE oak_status oak_session_call(oak_session *session, const char *routine, const oak_budget *budget,
                                         const oak_diag_sink *sink, oak_event *event);
/* The number of a register of the core by its name, as the chip port takes it; -1 when there is none. */
int oak_session_register(const oak_session *session, const char *name);
/* Where a variable, label, cell or special register lies: "count", "iram[0x30]", "TCON"; size: its bytes. OAK_REFUSED after a diagnostic. */
OAK_MUST_USE oak_status oak_session_address(oak_session *session, const char *what, const oak_diag_sink *sink,
                                            unsigned *space, uint32_t *address, uint32_t *size);
/* Takes what a serial port of the part has sent since it was asked last, at most `room` bytes; `port` counts those that can send, from 0. OAK_UNSUPPORTED: this chip does not
 * tell; OAK_OUT_OF_RANGE: there is no such port. */
OAK_MUST_USE oak_status oak_session_take_output(oak_session *session, unsigned port, uint8_t *bytes,
                                                size_t room, size_t *count);

/* Whether each run first takes note of how all is: registers, special registers, every memory that can be written. It costs what reading all of
 * that costs, so it is off until somebody asks. */
void oak_session_track_changes(oak_session *session, bool on);
/* What differs from how it was when the last run began: registers first, then memory, ascending. `room` changes are
 * written; *count tells how many there are, none before the first run. OAK_UNSUPPORTED where changes are not tracked. */
OAK_MUST_USE oak_status oak_session_changes(oak_session *session, oak_change *changes, size_t room,
                                            size_t *count);

/* --- words ---------------------------------------------------------------------------------------------------- */

/* One word for a stop reason or a fault, the same in reports and state files: "stop-point", "parked", "stack-overflow". */
const char *oak_stop_word(oak_stop_reason reason);
const char *oak_fault_word(oak_fault fault);
/* A sentence about the fault a run ended with: what happened, and at which address. */
void oak_fault_sentence(const oak_session *session, const oak_stop *stop, char *text, size_t room);

/* --- going back ----------------------------------------------------------------------------------------------- */

/* From now on the past is kept, in at most so many bytes (0: 64 MiB): copies of the state now and then, from which any moment
 * between can be reached again by running, exactly. What somebody changes between two runs belongs to its moment: going back
 * before it takes it back. OAK_UNSUPPORTED where the chip port cannot be brought back. */
OAK_MUST_USE oak_status oak_session_keep_history(oak_session *session, size_t bytes);
/* Somebody has changed something that the session does not know of: memory through the chip port, a board. */
void oak_session_touch(oak_session *session);
/* What is run has been run before: who shows things to people at once keeps still. */
bool oak_session_is_replaying(const oak_session *session);
/* The earliest moment that can be reached. */
OAK_MUST_USE oak_status oak_session_earliest(const oak_session *session, oak_chip_time *time);

/* Asks somebody now and then, while the past is searched, whether it should go on; false ends it with OAK_INTERRUPTED, where it
 * began. NULL: nobody. */
void oak_session_ask(oak_session *session, bool (*goes_on)(void *context), void *context);

/* Goes back, each to a boundary between instructions: by a count of them; to the first one at or behind a cycle; to the last
 * one before now at which an expression held, or before the instruction that changed it last; over a subroutine that has
 * just ended. What comes later is forgotten. OAK_NOT_FOUND when there is no such moment: nothing has changed then.
 * OAK_REFUSED after a diagnostic. */
OAK_MUST_USE oak_status oak_session_back_steps(oak_session *session, uint64_t steps, oak_event *event);
OAK_MUST_USE oak_status oak_session_back_to_cycle(oak_session *session, uint64_t cycle, oak_event *event);
OAK_MUST_USE oak_status oak_session_back_until(oak_session *session, const char *expression,
                                               const oak_diag_sink *sink, oak_event *event);
OAK_MUST_USE oak_status oak_session_back_change(oak_session *session, const char *expression,
                                                const oak_diag_sink *sink, oak_event *event);
OAK_MUST_USE oak_status oak_session_back_over(oak_session *session, oak_event *event);
/* In front of the last instruction that has done what such a watch (not OAK_WATCH_HOLDS) would have ended a run for. */
OAK_MUST_USE oak_status oak_session_back_access(oak_session *session, const char *expression,
                                                oak_watch_kind kind, const oak_diag_sink *sink,
                                                oak_event *event);

/* One instruction of the past: where, what, and what it changed; what devices changed meanwhile only where it had to do with
 * them. */
typedef struct oak_recent {
    uint64_t cycle; /* before it */
    uint32_t pc;
    const char *text;
    const oak_change *changes;
    size_t change_count;
} oak_recent;
/* Tells of the last instructions, oldest first, and ends where it began. OAK_NOT_FOUND when nothing is kept of the past. */
OAK_MUST_USE oak_status oak_session_recent(oak_session *session, uint64_t count,
                                           void (*tell)(void *context, const oak_recent *one), void *context);

/* Calls somebody each time a place is reached; the run goes on. */
OAK_MUST_USE oak_status oak_session_add_action(oak_session *session, const char *place,
                                               void (*reached)(void *context, unsigned number), void *context,
                                               unsigned number, const oak_diag_sink *sink);

/* --- what ran ------------------------------------------------------------------------------------------------- */

/* Counts how often each instruction is executed, from now on or no longer; a reset begins at 0, and going back takes back.
 * OAK_UNSUPPORTED where the chip port does not count. A run takes up to twice as long meanwhile. */
OAK_MUST_USE oak_status oak_session_count(oak_session *session, bool on);
/* What was counted for the instruction at an address of code. OAK_UNSUPPORTED while nothing is counted. */
OAK_MUST_USE oak_status oak_session_counted(const oak_session *session, uint32_t address, oak_tally *tally);

/* --- the stack ------------------------------------------------------------------------------------------------- */

/* What lies on the stack, from the top, worked out from the code of the subroutines under way. */
typedef enum oak_stack_kind {
    OAK_STACK_UNKNOWN,
    OAK_STACK_RETURNS,     /* a return address, behind a call */
    OAK_STACK_INTERRUPTED, /* where an interrupt or exception came */
    OAK_STACK_SAVED        /* a register or cell that was put there */
} oak_stack_kind;
typedef struct oak_stack_item {
    uint32_t at, value; /* its lowest address */
    uint8_t bytes;
    oak_stack_kind kind;
    uint8_t space;   /* OAK_STACK_SAVED: 0 for a register of the core, */
    uint32_t number; /* its number, or the address in that space */
} oak_stack_item;
/* Writes at most `room` of them and returns how many. It ends where the stack began at reset, or with the RAM. */
size_t oak_session_stack(oak_session *session, oak_stack_item *items, size_t room);

/* --- state ---------------------------------------------------------------------------------------------------- */

/* Writes the state of the chip as the JSON document of docs/files.md. */
OAK_MUST_USE oak_status oak_session_write_state(oak_session *session, const oak_text_sink *out);
/* Takes such a document; what it does not name keeps its value. OAK_REFUSED after a diagnostic. `name` is what
 * diagnostics call it. */
OAK_MUST_USE oak_status oak_session_read_state(oak_session *session, const char *text, size_t size,
                                               const char *name, const oak_diag_sink *sink);

#ifdef __cplusplus
}
#endif
#endif
