/* bench.h — the bench: verbs over one session, for a typed console and for whatever else takes them. */
#ifndef SPINDLE_BENCH_H
#define SPINDLE_BENCH_H

#include <time.h>

#include "cli.h"

enum { BENCH_MOST_KEPT = 20 };
#define BENCH_REMEMBERED ".spindle-bench.json" /* beside the program: how its view was arranged */

typedef enum bench_pane {
    PANE_REGISTERS,
    PANE_KEPT,
    PANE_BOARD,
    PANE_PINS,
    PANE_MEMORY,
    PANE_STACK,
    PANE_RECENT,
    PANE_SPECIAL,
    PANE_STOPS,
    PANE_CHIPS,
    PANES
} bench_pane;
typedef struct bench_panes {
    bench_pane pane[PANES]; /* from the top */
    unsigned count;
    unsigned left;     /* the columns of the left side in percent, 0: the usual */
    unsigned messages; /* their rows, 0: the usual */
    bool code;         /* instructions in place of the source */
    bool mouse;
    bool touched; /* somebody has arranged them: to be remembered */
} bench_panes;

typedef struct bench {
    cli *self;
    oak_session *session;
    oak_board *board; /* or NULL */
    const char *path;
    char chips[200]; /* names of those that are shown; empty: those in which there is something */
    double pace;     /* 0: as fast as it goes */
    bool bounded;    /* a run without bounds ends after a while: nobody is there to end it */
    bool quits, again;
    bool echoes;                 /* each verb is printed before what it answers: nobody has typed it here */
    bool went_back;              /* the last verb that moves did */
    unsigned failures;           /* verbs that could not be done */
    char *kept[BENCH_MOST_KEPT]; /* expressions that are shown again and again */
    char kept_text[BENCH_MOST_KEPT][100]; /* and what they were when they were shown last */
    unsigned kept_count;
    bool view; /* the full-screen view shows things by itself */
    bench_panes panes;
    unsigned memory_space;
    uint32_t memory_from, memory_to;
    cli_cells cells;               /* how it is shown */
    char *follow;                  /* NULL, or the pointer it follows */
    char *shown_memory;            /* the verb that has set this, or NULL */
    char *drives[BENCH_MOST_KEPT]; /* what was driven by verbs, for doing it again */
    unsigned drive_count;
    unsigned given_stops, given_laps; /* how many the options of the command have set */
    struct bench_said {               /* what is said at places */
        char *expression, *place;     /* NULL: removed */
        unsigned long long times;
    } said[BENCH_MOST_KEPT];
    unsigned said_count;
    /* NULL, or: somebody looks on while the chip moves slowly, or for long, or while the past is searched. */
    void (*meanwhile)(struct bench *b, bool searches);
    struct timespec shown; /* when somebody could see it last, while a verb is being done */
    oak_budget inner;
    cJSON *data; /* with --json: what the verb that was just done has found, or NULL */
} bench;
/* The same change seen through another name: ACC for a, iram[0x00] for r0. */
bool bench_is_a_register(const oak_part *part, const oak_change *changes, size_t number);

typedef struct bench_verb {
    const char *name;
    const char *arguments; /* as help shows them */
    const char *help;      /* one line */
    const char *example;
    /* False after a message. `rest` is what stands behind the verb. */
    bool (*run)(bench *b, const char *rest);
    bool moves; /* the chip may be somewhere else behind it: where is told */
} bench_verb;

extern const bench_verb bench_verbs[];
/* The verb a word means: the whole of it, or a beginning that only one has. NULL after a message. */
/* True when the line is a verb that may move the chip. */
bool bench_moves(const char *line);
const bench_verb *bench_find_verb(bench *b, const char *word, size_t length);
/* The verb of a line, and what stands behind it: an expression alone is shown. NULL after a message. */
const bench_verb *bench_verb_of(bench *b, const char *line, const char **rest);
/* Addresses from here up to the last one of *to hold nothing that anybody has put there. */
bool bench_not_programmed(bench *b, uint32_t at, uint32_t *to);
/* Does one line. */
bool bench_do(bench *b, const char *line);
/* True four times a second while a verb is being done: it is time to show something. */
bool bench_lasts(bench *b);
/* The labels of the program with what ran between each and the next, the most expensive first. NULL after a message; free it. */
typedef struct bench_labelled {
    const char *name;
    uint32_t at;
    uint64_t times, cycles; /* how often the label was reached, and what it took up to the next one */
    bool reached;           /* something was executed in between */
} bench_labelled;
bench_labelled *bench_tallies(bench *b, size_t *count);
/* Where `BYTES in RANGE`, `"TEXT" in RANGE` are found: how often, and the first of them. False after a message. */
bool bench_matches(bench *b, const char *rest, uint32_t *at, unsigned room, unsigned *found, unsigned *space);
/* What a verb that was done has found, for a program to read; NULL where that is nothing. It belongs to the caller. */
cJSON *bench_data(bench *b, const bench_verb *verb, const char *rest);
uint32_t bench_pc(bench *b);
/* Says what is wrong; returns false. */
bool bench_complain(bench *b, const char *hint, const char *format, ...)
    __attribute__((format(printf, 3, 4)));
/* True for OAK_OK, else false after a message. */
bool bench_done(bench *b, oak_status status, const char *what);
/* Where the chip is, and what has changed since the last time. */
void bench_tell(bench *b);

/* A kept expression and its value, in its base. */
void bench_kept_text(bench *b, unsigned number, const oak_diag_sink *sink, char *text, size_t room);
/* "0x0049  0x0049  returns to main+2" */
void bench_stack_words(bench *b, const oak_stack_item *item, char *text, size_t room);
/* Cycle, address, place, instruction, and what it changed; narrow: without the first two. */
void bench_recent_words(bench *b, const oak_recent *one, bool narrow, char *text, size_t room);
/* What was counted for a line of the source: how often it began, and the cycles of all of it. False when nothing is counted,
 * or it has no code. */
bool bench_line_tally(bench *b, const char *file, unsigned number, oak_tally *tally);
/* '*' for a stop point in a line of the source, '-' for one that is off, ' ' for none. */
char bench_line_mark(bench *b, const char *file, unsigned number);

/* stops.c: the verbs that end runs, or note something on the way. */
bool bench_stop(bench *b, const char *rest);
bool bench_watch(bench *b, const char *rest);
bool bench_when(bench *b, const char *rest);
bool bench_interrupt(bench *b, const char *rest);
bool bench_say(bench *b, const char *rest);
bool bench_stops(bench *b, const char *rest);
bool bench_off(bench *b, const char *rest);
bool bench_on(bench *b, const char *rest);
bool bench_remove(bench *b, const char *rest);
bool bench_lap(bench *b, const char *rest);
bool bench_notice(bench *b, const char *rest);
/* What a watch ends a run for, in words: "trips is written". */
void bench_watch_words(const oak_watch *watch, char *text, size_t room);

/* memory.c: the verbs on stretches of memory. */
bool bench_memory(bench *b, const char *rest);
bool bench_follow(bench *b, const char *rest);
bool bench_find(bench *b, const char *rest);
bool bench_fill(bench *b, const char *rest);
bool bench_copy(bench *b, const char *rest);
bool bench_save(bench *b, const char *rest);
bool bench_load(bench *b, const char *rest);
/* Brings the stretch of memory to where the pointer points now. False when it points nowhere. */
bool bench_follow_now(bench *b);

/* panes.c: the arrangement of the full-screen view. */
bool bench_panes_verb(bench *b, const char *rest);
bool bench_divide(bench *b, const char *rest);
bool bench_mouse(bench *b, const char *rest);
void bench_recall_panes(bench *b);
void bench_remember_panes(bench *b);

/* A word that could stand in place of a beginning, by number from state 0; NULL after the last. Free it. */
char *bench_complete(bench *b, const char *text, int state);

/* view.c: the full-screen view, until somebody leaves it. False when the terminal cannot do it. */
bool bench_view(bench *b);

/* running.c */
bool bench_verb_go(bench *b, const char *rest);
bool bench_read_count(bench *b, const char *rest, unsigned long long *count);
bool bench_verb_step(bench *b, const char *rest);
bool bench_verb_over(bench *b, const char *rest);
bool bench_verb_out(bench *b, const char *rest);
bool bench_verb_to(bench *b, const char *rest);
bool bench_verb_reset(bench *b, const char *rest);
bool bench_verb_again(bench *b, const char *rest);
bool bench_verb_back(bench *b, const char *rest);
bool bench_verb_pace(bench *b, const char *rest);

/* looking.c */
bool bench_verb_touches(bench *b, const char *rest);
bool bench_verb_recent(bench *b, const char *rest);
bool bench_verb_show(bench *b, const char *rest);
bool bench_verb_keep(bench *b, const char *rest);
bool bench_verb_forget(bench *b, const char *rest);
bool bench_verb_registers(bench *b, const char *rest);
bool bench_verb_special(bench *b, const char *rest);
bool bench_verb_chips(bench *b, const char *rest);
bool bench_verb_pins(bench *b, const char *rest);
bool bench_verb_board(bench *b, const char *rest);
bool bench_verb_interrupts(bench *b, const char *rest);
bool bench_verb_laps(bench *b, const char *rest);
bool bench_verb_noticed(bench *b, const char *rest);
bool bench_verb_output(bench *b, const char *rest);
bool bench_verb_changes(bench *b, const char *rest);
bool bench_verb_code(bench *b, const char *rest);

/* counting.c */
bool bench_verb_tally(bench *b, const char *rest);
bool bench_verb_source(bench *b, const char *rest);
bool bench_verb_stack(bench *b, const char *rest);

/* changing.c */
bool bench_verb_set(bench *b, const char *rest);
bool bench_verb_drive(bench *b, const char *rest);
bool bench_verb_act(bench *b, const char *rest);
bool bench_verb_put(bench *b, const char *rest);

#endif
