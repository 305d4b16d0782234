/* session_state.h — the inside of a session, shared by its files:
 *
 *   session.c     opening, stop points, running, what changed
 *   values.c      expressions over a chip: places, values, setting
 *   watch.c       what a run ends for beside stop points
 *   drive.c       reading how pins are driven over time
 *   drive_run.c   driving them
 *   history.c     going back
 *   calls.c       how deep calls are; running out of a subroutine
 *   stack.c       what lies on the stack
 *   record.c      signals over time
 *   laps.c        how long it takes from one thing to another
 *   outside.c     several things outside the chip; what the chip suffers
 *   state_json.c  the state as a document (not part of the freestanding core)
 */
#ifndef OAK_SESSION_STATE_H
#define OAK_SESSION_STATE_H

#include <oakspindle/session.h>

#include "asm/expr.h"
#include "base/arena.h"
#include "base/diag.h"
#include "isa/isa.h"
#include "session/trace_state.h"

/* What happens at a place, beside stopping. */
typedef enum passing { PASS_STOPS, PASS_MARK, PASS_LAP_BEGIN, PASS_LAP_END, PASS_ACTION } passing;

typedef struct stop_record {
    oak_stop_point point;
    const oak_expr *condition;
    passing passing;
    unsigned number; /* signal of a mark, number of a lap */
    void (*reached)(void *context, unsigned number);
    void *context;
} stop_record;

/* What a lap begins or ends with. */
typedef struct lap_point {
    enum { LAP_PLACE, LAP_EDGE, LAP_RETURN } kind;
    bool rises, falls;
    unsigned pin;
    size_t stop; /* its record among the stops */
} lap_point;

typedef struct lap_record {
    oak_lap about;
    lap_point from, to;
    bool under_way;
    uint64_t began;
    uint32_t back,
        stack; /* where its return leads to, and the stack where it began; by_vector: the vector that was served */
    bool by_vector;
} lap_record;

/* A value that is recorded: whenever it has changed, after the instruction. */
typedef struct sampled_value {
    const oak_expr *expr;
    const char *text;
    uint32_t mask;
    unsigned signal;
    bool reads_place; /* its value depends on where execution is */
    bool known;       /* what it was last, while the chip looks at it */
    uint32_t last;
} sampled_value;

/* A time: cycles plus picoseconds. Turned into a cycle only to compare, so that nothing drifts. */
typedef struct drive_time {
    uint64_t cycles, picoseconds;
} drive_time;

/* One level of a driven pin. */
typedef struct drive_item {
    oak_level level;
    bool until; /* the end is an absolute time */
    bool timed; /* false: stays for ever */
    drive_time time;
    drive_time bounce; /* the contact bounces for so long when the level begins */
} drive_item;

typedef enum drive_kind { DRIVE_LEVELS, DRIVE_PULSES, DRIVE_BYTES, DRIVE_RANDOM } drive_kind;

typedef struct drive {
    unsigned pin;
    drive_kind kind;
    drive_time from, until; /* pulses, bytes, random; until 0: for ever */
    /* levels, one after the other */
    bool repeats;
    const drive_item *items;
    unsigned count;
    /* pulses: either a rate, with a share of high time, or a width and a period */
    uint64_t rate;  /* 1/1000 Hz, or 0 */
    uint32_t share; /* 1/100000 */
    drive_time width, period;
    uint64_t times; /* 0: for ever */
    bool inverted;
    /* bytes */
    const uint8_t *bytes;
    unsigned byte_count;
    uint64_t baud;             /* 1/1000 bits a second */
    uint8_t parity, stop_bits; /* parity: 0 none, 1 odd, 2 even */
    unsigned bad_stop;         /* the byte, from 1, whose stop bit is missing */
    /* random: high and low for times between */
    drive_time least, most;
    uint64_t seed;
    /* begins when another pin changes */
    bool triggered, once, on_rise, on_fall;
    unsigned trigger_pin;
    drive_time delay;
    /* where it is */
    bool finished, bouncing, fired;
    uint64_t origin;   /* cycle from which its times count */
    uint64_t index;    /* how many changes there were */
    unsigned next;     /* item that begins at the next change */
    drive_time begins; /* and when, from the origin */
    uint64_t due;      /* cycle of the next change */
    uint64_t bounce_due, bounce_end;
    oak_level level; /* now, and what it was before */
    oak_level settled;
    oak_level before;
    uint64_t random;
} drive;

/* A name that a pin was given, beside those of the program. */
typedef struct pin_label {
    const char *name;
    unsigned pin;
    bool told; /* that the program has a number of this name */
} pin_label;

typedef struct snapshot {
    uint8_t *bytes;
    size_t size;
    uint32_t registers[64];
    bool taken;
} snapshot;

/* Something outside that takes part, and when it wants to act. */
typedef struct joined_outside {
    oak_outside outside;
    uint64_t due;
} joined_outside;

/* What one of them drives; source 0 are the drives of the session. */
typedef struct pin_put {
    uint16_t pin, source;
    oak_level level;
} pin_put;

/* What ends a run: a value that changes or holds, or, without an expression, an access to cells. */
typedef struct watch_record {
    oak_watch about;
    const oak_expr *expr;
    oak_watched cells;
    bool known, reads_place; /* its value depends on where execution is */
    int64_t last;
} watch_record;

/* One step of the program that judges conditions, see judge.c. */
typedef struct judge_op {
    uint8_t kind, op, from, shift;
    uint32_t mask;
    int64_t number;
    unsigned code; /* of kind and operator together */
} judge_op;
enum { JUDGE_DEPTH = 16, JUDGE_MOST = 96, JUDGE_ROWS = OAK_JUDGED_ROWS };

/* A value that stands in memory where others lead to: the program of its address, among all of these; and memory that is no more than that, which
 * was found last. */
enum { JUDGE_LED = 48, JUDGE_POINTERS = OAK_MOST_LEADS };
typedef struct judge_pointer {
    unsigned first, cells;
    uint8_t space, cell, there; /* the values that it, and whether there is memory, are told as */
    bool is_there, restless;
    uint32_t plain[2]; /* the first cell, and how many */
} judge_pointer;

/* A piece of the program for what is recorded: where it begins, and what it depends on, a bit for each value. */
typedef struct judge_record {
    unsigned first;
    uint32_t reads;
    bool chain; /* the lower halves of values are enough */
} judge_record;

/* What the depth of calls is worked out of. */
enum { DEPTH_PC, DEPTH_STACK, DEPTH_LINK, DEPTH_HANDLED, DEPTH_BY, DEPTH_WRITTEN = DEPTH_BY, DEPTH_SOURCES };
enum { DEPTHS_KNOWN = 1024 };
/* How deep calls are, with all that says so: what lies on the stack by a mark of it (0: nothing is known). */
typedef struct depth_known {
    uint64_t stack;
    uint32_t by[DEPTH_BY], depth;
} depth_known;
/* What the chip keeps and has asked about, and what is worked out of it: some moments at a time, a column for each value. */
typedef struct judge_space {
    oak_judged_rows rows;
    oak_judged_vain vain[OAK_JUDGED_VAIN];
    uint32_t last[OAK_MOST_JUDGED]; /* in the rows before */
    bool any_before;
    int64_t stack[JUDGE_DEPTH + 2][JUDGE_ROWS];
    uint32_t result[JUDGE_MOST / 2][JUDGE_ROWS], unknown[JUDGE_MOST / 2][JUDGE_ROWS];
    depth_known depths[DEPTHS_KNOWN];
    depth_known depth_last; /* whose stack is known */
    uint32_t written_last;
} judge_space;

/* A place at which a run ends this once. */
typedef struct passing_stop {
    bool on, by_stack;
    uint32_t address, stack; /* by_stack: only when the stack is no deeper than this */
} passing_stop;

typedef struct session_history session_history;

enum { SESSION_MOST_NOTICED = 64, SESSION_FAULTS = OAK_FAULT_STARVED + 1 };

/* A call of a routine alone, made ready (alone.c). */
typedef struct made_call {
    uint32_t target, from, back, size; /* size 0: none */
    uint8_t bytes[64];
} made_call;

struct oak_session {
    oak_host host;
    oak_arena arena;
    oak_chip_port chip, port; /* guarded by guard.c; the port itself */
    oak_chip_ops guarded;
    bool broken; /* the port could not be read or written */
    made_call called;
    const oak_part *part;
    const oak_isa *isa;
    oak_isa_tables *tables;
    bool borrowed; /* they are the program's */
    const oak_program *program;
    struct looker
        *read_back; /* of the program, where banks are followed; made when an instruction is printed first */
    uint64_t clock_millihertz;
    bool has_run;              /* since it was opened, and not only been told of a state */
    bool stops_hit;            /* some may have been, since reset */
    uint8_t stop_filter[8192]; /* a bit for some addresses: none has a stop point when its bit is 0 */
    stop_record *stops;
    size_t stop_count, stop_room;
    drive *drives;
    size_t drive_count, drive_room;
    pin_label *labels;
    size_t label_count, label_room;
    const oak_symbol *two_faced; /* met in the expression that is read: also the name of a pin */
    size_t two_faced_label;
    uint64_t seed;
    lap_record *laps;
    size_t lap_count, lap_room;
    uint64_t passed;    /* the instruction before which places were passed last, */
    uint32_t passed_at; /* and where: a handler may begin before the same one */
    oak_trace *trace;
    bool lost; /* something was, for lack of memory: runs no longer end well */
    int16_t recorded_pin[OAK_MOST_PORTS * OAK_MOST_PINS], recorded_port[OAK_MOST_PORTS]; /* signal, or -1 */
    sampled_value *sampled;
    size_t sampled_count, sampled_room;
    bool
        samples; /* each instruction has to be looked at, since the chip does not tell of all that is recorded */
    watch_record *watches;
    size_t watch_count, watch_room;
    session_history *history;
    bool (*goes_on)(void *context); /* asked while the past is searched; NULL: nobody */
    void *asks;
    passing_stop once;
    bool replaying, watching, keeps_before, tracks;
    uint64_t starved_at; /* the cycle at which it was looked whether interrupts leave time */
    /* What the chip looks at, and the watch that each is for, -1 for values. */
    oak_watched armed[OAK_MOST_WATCHED];
    int armed_watch[2 * OAK_MOST_WATCHED];
    unsigned armed_count;
    judge_op judged[JUDGE_MOST];
    uint32_t judged_masks[OAK_MOST_JUDGED];
    /* First what is recorded and worked out behind the run, then what is recorded at once, then conditions. */
    unsigned judged_later, judged_samples, judged_count;
    judge_record records[JUDGE_MOST / 2]; /* one for each, of two operations at least */
    uint32_t keeps;                       /* the values of what is recorded, a bit each */
    bool
        all_later; /* it is all worked out behind the run: to say when a counter will have changed something does not pay */
    bool judges_anew; /* which has just turned out */
    unsigned asked;   /* so often, since the instruction */
    uint64_t asked_since;
    judge_op led[JUDGE_LED];
    judge_pointer pointers[JUDGE_POINTERS];
    unsigned led_count, pointer_count;
    uint32_t judged_made,
        judged_sources; /* the values that are worked out, and those that they are worked out of, a bit each */
    bool restless;      /* a pointer leads to what may change by itself */
    uint32_t depth_made;               /* the one of them that is the depth of calls */
    uint8_t depth_from[DEPTH_SOURCES]; /* which of them are: OAK_MOST_JUDGED for none */
    judge_space *judge_space;
    uint32_t marked_top, marked_from,
        marked_end; /* the stretch of the stack that was marked last; no end: none */
    oak_judged_known vain;

    bool judges, judging;     /* conditions are to be judged behind each instruction; and are, */
    uint64_t vain_since;      /* the instruction since which */
    unsigned vain_stops;      /* so many stops have come to nothing */
    bool searching;           /* a replay meets what the chip watches for, and goes on, */
    bool pauses;              /* or ends there */
    uint64_t hit_instruction; /* and was there last */
    oak_watched read_cells[OAK_MOST_WATCHED]; /* what evaluating has read, while `collects` */
    unsigned read_count;
    bool collects, reads_else;
    bool compiles;                         /* for who judges, who can look at more */
    bool in_address;                       /* where variables mean their addresses */
    bool reads_more;                       /* something else than cells and pins */
    uint32_t halting_pins[OAK_MOST_PORTS]; /* a run ends when one of them changes */
    bool halts_at_pins, halted;
    bool reads_pins; /* where it reads levels of pins: which, */
    uint32_t read_pins[OAK_MOST_PORTS];
    uint64_t pin_cycle; /* and, while they are looked for, when one of them has changed last */
    bool looks_for_pins;
    bool sees_handlers;   /* a run ends where a handler is entered, and says so in `entered`; */
    uint32_t handler_bit; /* the chip tells it by this bit, 0: it does not */
    bool entered;
    bool ends_at_flow; /* a run ends wherever the chip stops or pauses */
    uint32_t *entries; /* of subroutines and handlers, once somebody has asked for them */
    size_t entry_count, entry_room;
    bool entries_known, stack_known;
    uint32_t stack_first; /* where the program lets an 8-bit stack begin */
    bool begin_known;     /* where else one with this top does */
    uint32_t begin_top, begin;
    bool touched; /* since the last copy of the state somebody has changed something */
    snapshot before;
    oak_event last;
    oak_outside outside; /* this session, as the chip sees it */
    bool attached;       /* pins change on their cycle, inside a run */
    joined_outside *joined;
    size_t joined_count, joined_room;
    pin_put *puts;
    size_t put_count, put_room;
    uint8_t levels[SESSION_FAULTS]; /* oak_notice_level of each fault */
    oak_noticed noticed[SESSION_MOST_NOTICED];
    unsigned noticed_count;
};

/* judge.c: has the chip ask behind each change of what the conditions depend on; false when it cannot. */
bool session_judge(oak_session *session);
/* Something of all that the walk over the stack reads of it, which is the same for the same; 0: nobody knows. */
uint64_t session_stack_mark(oak_session *session, uint32_t sp);
/* Wherever the instruction at this address goes on, the walk begins there as it does here. */
bool session_stack_stays(oak_session *session, uint32_t address);
/* What the judge has kept goes into the trace. */
void session_take_kept(oak_session *session);
void session_unjudge(oak_session *session);
/* A run has ended where a condition might have changed, and had not. */
void session_met_nothing(oak_session *session, uint64_t instruction);

/* values.c */
const oak_expr *session_parse(oak_session *session, const char *text, const oak_diag_sink *sink);
OAK_MUST_USE oak_status session_evaluate(oak_session *session, const oak_expr *expr, const char *text,
                                         const oak_diag_sink *sink, oak_reading *reading);
/* Reports a fault in a text that was typed rather than read from a file. */
void session_refuse(const oak_diag_sink *sink, const char *text, const oak_expr_fault *fault);

/* The cell that something lies in that has one: a variable, a special register, a bit, a pin; or its register. `writes`: where it
 * is written, which not everything has that is read. OAK_REFUSED after a diagnostic. */
OAK_MUST_USE oak_status session_locate(oak_session *session, const char *text, const oak_diag_sink *sink,
                                       bool writes, oak_watched *where);

/* watch.c */
/* Reads what a watch is about, without adding it; the chip must be armed anew afterwards. */
OAK_MUST_USE oak_status session_make_watch(oak_session *session, const char *expression, oak_watch_kind kind,
                                           const oak_diag_sink *sink, watch_record *one);
/* The first watch that ends a run here, -1 for none; `watched` is what the chip says of it. Arms the chip anew. */
int session_look_at_watches(oak_session *session, uint32_t watched);
/* What values were before does not count any more. */
void session_forget_values(oak_session *session);
void session_disarm_watches(oak_session *session);
/* Lets the chip look for these alone. False when it cannot. */
bool session_arm_cells(oak_session *session, const oak_watched *cells, unsigned count);

/* drive.c */
/* A pin by port and bit, by the name of a bit of its register, or by a name somebody gave it. */
bool session_find_pin(const oak_session *session, const char *name, size_t length, unsigned *pin);

/* drive_run.c */
/* Where a drive stands at reset. */
void session_rewind_drive(oak_session *session, drive *one);
/* A pin changes: whoever waits for that begins. True when somebody does. */
bool session_trigger_drives(oak_session *session, unsigned pin, oak_level level, uint64_t now);
/* Applies what is due and returns the cycle of the next change, UINT64_MAX when there is none. */
uint64_t session_apply_drives(oak_session *session, uint64_t now);
void session_rewind_drives(oak_session *session);

/* session.c */
/* Adds a place where something happens without stopping. */
/* The address of a place at which a run is to arrive; says so where it hardly can. */
OAK_MUST_USE oak_status session_reached_place(oak_session *session, const char *place,
                                              const oak_diag_sink *sink, uint32_t *address);
OAK_MUST_USE oak_status session_add_passing(oak_session *session, const char *place, passing kind,
                                            unsigned number, const oak_diag_sink *sink);
/* Takes back the one that was added last: what it belongs to could not be made. */
void session_drop_passing(oak_session *session);
/* One that is nowhere yet, and then at an address for as long as it is on. */
OAK_MUST_USE oak_status session_add_aimed(oak_session *session, passing kind, unsigned number);
void session_aim(oak_session *session, size_t stop, uint32_t address, bool on);

/* Runs without stopping anywhere: what is passed is passed as it was the first time. */
OAK_MUST_USE oak_status session_replay(oak_session *session, uint64_t until_cycle, uint64_t until_instruction,
                                       oak_stop *stop);
oak_chip_time session_time(const oak_session *session);
uint32_t session_pc(const oak_session *session);
/* Runs to an address as if a stop point were there; event->stop.reason is OAK_STOP_STEP then. */
OAK_MUST_USE oak_status session_run_to_address(oak_session *session, uint32_t address,
                                               const oak_budget *budget, const oak_diag_sink *sink,
                                               oak_event *event);
/* guard.c: puts the chip of the session in front of the port; what a call returns, or OAK_IO_ERROR where the port has failed meanwhile. */
void session_guard(oak_session *session, const oak_chip_port *port);
oak_status session_outcome(oak_session *session, oak_status status);
OAK_MUST_USE oak_status session_take_snapshot(oak_session *session);
/* The same before what moves the chip, where changes are tracked. */
OAK_MUST_USE oak_status session_note_before(oak_session *session);
/* Decodes the instruction at an address of code; plain: as if it stood in no conditional block. */
OAK_MUST_USE oak_status session_decode(oak_session *session, uint32_t address, oak_decoded *decoded);
OAK_MUST_USE oak_status session_decode_plain(const oak_session *session, uint32_t address,
                                             oak_decoded *decoded);
/* There is a stop point, a mark, a lap or an action at an address. */
bool session_stops_at(const oak_session *session, uint32_t address);
/* The number of the stop point that ends a run just here, -1 when none does. OAK_REFUSED when a condition cannot be worked out. */
OAK_MUST_USE oak_status session_stop_here(oak_session *session, const oak_diag_sink *sink, int *number);

/* calls.c */
/* The vector of the interrupt that is being handled, 0 in the main program. */
uint32_t session_handled(const oak_session *session);
/* An instruction about to be executed. */
typedef struct call_watch {
    uint32_t pc, vector, stack;
    uint64_t instructions;
    oak_decoded decoded; /* as if it stood in no conditional block */
    bool known;
} call_watch;
/* How deep calls are, against where counting began, which is CALL_LEVELS / 2; an interrupt counts as a call. */
enum { CALL_LEVELS = 256 };
typedef struct call_levels {
    int depth;
    /* Where the call of a level was seen, `stack` is the stack pointer before it; else the shallowest one at that level. */
    bool called[CALL_LEVELS];
    uint32_t stack[CALL_LEVELS];
} call_levels;
void session_begin_calls(const oak_session *session, call_levels *levels);
void session_before_step(const oak_session *session, call_levels *levels, call_watch *before);
/* `entered`: a handler was entered, behind the instruction, by it, or before it, which has not been executed then. */
void session_count_calls(oak_session *session, call_levels *levels, const call_watch *before, bool entered);

/* stack.c */
/* How many return addresses lie on the stack. */
uint32_t session_depth(oak_session *session);
uint32_t session_stack_pointer(const oak_session *session);
/* True for a deeper level of the stack than `other`, of the same architecture. */
bool session_is_deeper(const oak_session *session, uint32_t stack, uint32_t than);

/* history.c */
/* A run begins or goes on: keeps a copy of the state when one is due. Returns the cycle at which the next one is. */
uint64_t session_keep_moment(oak_session *session);
void session_forget_history(oak_session *session);
void session_close_history(oak_session *session);
void session_close_names(oak_session *session); /* print.c */

/* record.c */
void session_record_pin(oak_session *session, unsigned pin, oak_level level, uint64_t cycle);
/* An instruction has ended. */
void session_sample(oak_session *session);
/* Who judges has worked a recorded value out. */
void session_sample_judged(oak_session *session, size_t number, const int64_t *value);
void session_rewind_records(oak_session *session);
void session_pass(oak_session *session, const stop_record *record);
/* calls.c: the call that ends just before an address; *call may be written where there is none. */
bool session_call_before(const oak_session *session, uint32_t address, oak_decoded *call);
/* watch.c: they are others than before, and how often they stop in vain is not known. */
void session_others_are_watched(oak_session *session);
/* `$` is where execution is. */
bool session_reads_place(const oak_expr *expr);

/* laps.c */
void session_pass_lap(oak_session *session, const stop_record *record, uint64_t now);
void session_lap_pin(oak_session *session, unsigned pin, oak_level level, uint64_t cycle);
void session_rewind_laps(oak_session *session);
void session_tape_laps(oak_session *session, oak_tape *tape);

/* outside.c */
void session_open_outside(oak_session *session);
/* Something has changed in what is driven when. */
void session_attach(oak_session *session);
/* A reset: everybody outside acts at cycle 0 again. */
void session_rewind_outside(oak_session *session);
void session_visit_outside(oak_session *session, const oak_state_visitor *visitor);
void session_usual_levels(oak_session *session);
bool session_noticed(void *context, const oak_notice *notice);
/* At the end of a run: have interrupts left the main program too little? True when that ends it as a fault. */
bool session_check_starved(oak_session *session, oak_event *event);

#endif
