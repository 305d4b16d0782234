/* trial_state.h — shared by the files of a trial: what was read, and the words it is written in.
 *
 *   trial_yaml.c   reading a file
 *   phrase.c       "within 2ms after door falls", "from a to b": what an expectation speaks of
 *   cases_csv.c    tables of cases in files of their own
 *   cases.c        tables and ranges of values, and texts with their values put in
 *   trial.c        giving and running
 *   conditions.c   texts, expressions, pins: whether they are as expected
 *   shape.c        how regular a pin was
 *   golden.c       runs that are kept, and held against later ones */
#ifndef OAK_TRIAL_STATE_H
#define OAK_TRIAL_STATE_H

#include <oakspindle/trial.h>

#include "base/arena.h"
#include "base/diag.h"

enum {
    TRIAL_MOST_COLUMNS = 16,
    TRIAL_MOST_EXPECTATIONS = 40,
    TRIAL_MOST_EVENTS = 16,  /* in one order */
    TRIAL_MOST_ROWS = 10000, /* of a table */
    TRIAL_LONGEST = 500      /* text with its values put in */
};

typedef struct trial_text {
    const char *text;
    uint32_t line, column;
} trial_text;

typedef struct trial_list {
    trial_text *items;
    unsigned count, room;
} trial_list;

/* A length of time, or a number of cycles. */
typedef struct trial_span {
    uint64_t picoseconds, cycles;
    bool is_cycles;
} trial_span;

typedef enum trial_when {
    TRIAL_AT_END,
    TRIAL_AT_TIME,
    TRIAL_AT_PLACE, /* each time it is reached */
    TRIAL_AT_FIRST, /* the first time */
    TRIAL_ALWAYS,
    TRIAL_NEVER,
    TRIAL_WITHIN,   /* a span after an event */
    TRIAL_IN_ORDER, /* events, one after another */
    TRIAL_FROM_TO,  /* how long it takes from one place to another */
    TRIAL_STACK,    /* how deep it grows, from a place on or from the beginning */
    TRIAL_KEEPS,    /* what holds at the end what it held at the beginning */
    TRIAL_ENDS,     /* why the run ends */
    TRIAL_PIN,      /* how regular a pin is */
    TRIAL_GOLDEN    /* as in a run that was kept */
} trial_when;

typedef struct trial_expectation {
    trial_when when;
    trial_text key;             /* as it is written */
    trial_text value;           /* behind the colon */
    trial_list events;          /* of TRIAL_IN_ORDER */
    const char *place, *second; /* or the pin */
    trial_text event;
    trial_span span;
} trial_expectation;

/* Values a column takes: stretches of numbers. */
typedef struct trial_stretch {
    int64_t from, to;
} trial_stretch;

typedef struct trial_column {
    const char *name;
    trial_stretch *stretches; /* NULL: it is a column of the table */
    unsigned stretch_count;
    uint64_t values;
} trial_column;

typedef struct trial {
    oak_trial_about about;
    trial_text call;  /* a routine alone; NULL */
    trial_text after; /* and the place from which on it can be called */
    trial_list given, acts, drives;
    trial_span run;
    bool has_run;
    trial_column columns[TRIAL_MOST_COLUMNS];
    unsigned column_count, table_columns; /* those of the table come first */
    const char **cells;                   /* of the table, row by row */
    uint64_t rows, sample;
    trial_expectation *expectations;
    unsigned expectation_count;
} trial;

struct oak_trials {
    oak_arena arena;
    const char *path;
    oak_trials_about about;
    trial *list;
    unsigned count;
    struct trial_running *running; /* trial.c */
    oak_trial_golden_fn show;      /* or NULL */
    void *show_context;
};

/* Reports at a place in the file. */
#define TRIAL_REFUSE(sink, trials, at, code, hint, ...)                                                      \
    oak_refuse(sink, code, (trials)->path, (at)->line, (at)->column, hint, __VA_ARGS__)

/* phrase.c: fills `one` from its key and value; false with a message and a hint. */
bool trial_read_phrase(oak_arena *arena, trial_expectation *one, char *message, size_t room,
                       const char **hint);
bool trial_read_span(const char *text, size_t length, trial_span *span);

/* cases.c: how many cases there are, and the value of a column in one of them; the text with {x}, and where `bare` also x itself, replaced. False
 * when it does not fit. */
uint64_t trial_count_cases(const trial *one);
/* Cases have numbers below this: where a sample is taken, every case that could be has one behind those of the sample. */
uint64_t trial_reach(const trial *one);
bool trial_value(const oak_trials *trials, const trial *one, uint64_t number, unsigned column, char *text,
                 size_t room);
bool trial_fill(const oak_trials *trials, const trial *one, uint64_t number, const char *text, bool bare,
                char *filled, size_t room);

/* Does it depend on the case? */
bool trial_mentions(const oak_trials *trials, const trial *one, const char *text, bool bare);
/* Is it a word that can name a column? */
bool trial_is_column(const char *name);
/* A file is named from where the file of trials lies: NULL when there is no memory. */
const char *trial_beside(oak_trials *trials, const char *name);

/* cases_csv.c: the rows of a table, before anything else of columns is known. OAK_REFUSED after a diagnostic, OAK_NO_MEMORY. */
oak_status trial_read_csv(oak_trials *trials, trial *one, const char *path, const trial_text *where,
                          const oak_diag_sink *sink);

/* shape.c: "1kHz +- 2%, duty 25% +- 1%, high 250us, low 750us" against what was recorded of a pin from a cycle on. False with what was found; *refused when it
 * cannot be read. */
bool trial_shape_holds(const oak_trace *trace, const char *pin, uint64_t from_cycle, const char *wanted,
                       char *found, size_t room, bool *refused);

#endif
