/* trial.h — trials: scripted runs with given data and expectations, that pass or fail. docs/trials.md describes their files.
 *
 * A trial has one or more cases; each is run on a chip fresh from reset, and depends on nothing but the image, the part, the board and
 * its file. */
#ifndef OAKSPINDLE_TRIAL_H
#define OAKSPINDLE_TRIAL_H

#include <oakspindle/board.h>
#include <oakspindle/session.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct oak_trials oak_trials; /* a file of them */

/* Reads a file of trials. Every fault is reported with line and column: OAK_REFUSED; OAK_NO_MEMORY. The host must outlive it. */
OAK_MUST_USE oak_status oak_trials_load(const oak_host *host, const char *path, const oak_diag_sink *sink,
                                        oak_trials **trials);
void oak_trials_free(oak_trials *trials);

/* What the file says they run on: names of files as they are to be opened; NULL where it says nothing. */
typedef struct oak_trials_about {
    const char *program, *part, *board, *clock;
    uint64_t seed; /* 1 where it says nothing */
} oak_trials_about;
const oak_trials_about *oak_trials_about_of(const oak_trials *trials);

/* By number from 0; NULL behind the last. */
typedef struct oak_trial_about {
    const char *name;
    uint32_t line;  /* of the file */
    uint64_t cases; /* how many, 1 or more */
} oak_trial_about;
const oak_trial_about *oak_trial_at(const oak_trials *trials, unsigned number);
/* "x = 3, y = 4"; "" where there is one case only. */
void oak_trial_case_text(const oak_trials *trials, unsigned number, uint64_t one, char *text, size_t room);
/* Where a sample is taken, a case that is simpler than this one: the same but for one value, which is nearer to 0 (or the same). Attempts count from 0, for each value the
 * nearest first; false behind the last. A simpler case has a number behind those of the sample, which serves as theirs does. */
bool oak_trial_simpler(const oak_trials *trials, unsigned number, uint64_t one, unsigned attempt,
                       uint64_t *simpler);
/* A trial by its name; with "/3" behind it the third of its cases (else the first). False when there is none. */
bool oak_trial_find(const oak_trials *trials, const char *text, unsigned *number, uint64_t *one);

/* Gives a session, fresh from reset and on its board (NULL: there is none), what a case is given: values, acts, drives; a routine alone
 * stands before its call. OAK_REFUSED after a diagnostic. */
OAK_MUST_USE oak_status oak_trial_give(oak_trials *trials, unsigned number, uint64_t one,
                                       oak_session *session, oak_board *board, const oak_diag_sink *sink);

/* What an expectation took at the longest: `from … to`, `within … after`. */
typedef struct oak_trial_most {
    char what[120]; /* as it is written in front of the colon */
    uint64_t cycles;
} oak_trial_most;
enum { OAK_TRIAL_MOSTS = 8 };

typedef struct oak_trial_result {
    bool passed;
    uint64_t begun; /* the cycle at which it began: behind what leads to a routine alone */
    oak_chip_time
        time; /* when it ended, or failed: its cycles are exact, the rest is from when that was seen */
    uint32_t pc;
    uint32_t line, column; /* of the expectation that failed, in the file of trials */
    char expectation[200]; /* as it was written; "" where nothing was expected that has failed (a fault) */
    char found[400];       /* what was found instead */
    uint64_t checks;       /* how many times something was looked at */
    oak_trial_most most[OAK_TRIAL_MOSTS];
    unsigned most_count;
} oak_trial_result;

/* A run held against one that was kept in a file: `as in FILE.vcd`. */
typedef struct oak_trial_golden {
    const char *path;
    const oak_trace *before; /* what was kept; NULL: nothing was read */
    const oak_trace *now;
    uint64_t off; /* how far a change may be from its time, in cycles */
} oak_trial_golden;
/* At the end of a case, for each of them: first with `before` NULL; true: it is taken care of (kept), and nothing is compared. Then, unless it was, with both. NULL: nobody is asked. */
typedef bool (*oak_trial_golden_fn)(void *context, const oak_trial_golden *golden);
void oak_trials_show_golden(oak_trials *trials, oak_trial_golden_fn show, void *context);
/* A difference in a sentence: "relay falls at 12.350 ms, 5.000 us later than before". */
void oak_trial_difference_text(const oak_trace *now, const oak_trace_difference *one, char *text,
                               size_t room);

/* Gives it what it is given, and runs it. The session serves once; the trials must outlive it; `board` may be NULL. A failure is a result, no status. OAK_REFUSED after a diagnostic, where what is
 * written means nothing to this program; OAK_INTERRUPTED when `goes_on` (may be NULL), asked now and then, says false. */
OAK_MUST_USE oak_status oak_trial_run(oak_trials *trials, unsigned number, uint64_t one, oak_session *session,
                                      oak_board *board, bool (*goes_on)(void *context, uint64_t cycles),
                                      void *context, const oak_diag_sink *sink, oak_trial_result *result);

/* The cycle before which a case runs as all others of its trial do, as far as that can be seen: they differ in what somebody does with the board later, or
 * in what is expected in the end. 0: from the beginning on. */
uint64_t oak_trial_parting(const oak_trials *trials, unsigned number, uint64_t one,
                           const oak_session *session);
/* Runs what cases have in common once: up to a little before cycle `until`, which is called again with later ones; 0: to where a routine alone is called. False where
 * it cannot be shared, since the run has ended before, or something has failed: the session has served then. *result must stay. `board` and `goes_on` may be NULL. */
bool oak_trial_share(oak_trials *trials, unsigned number, oak_session *session, oak_board *board,
                     uint64_t until, bool (*goes_on)(void *context, uint64_t cycles), void *context,
                     oak_trial_result *result);
/* A case from there on, which must not have parted before: with the result that oak_trial_run gives. The session has served then. `goes_on` may be NULL. */
OAK_MUST_USE oak_status oak_trial_go_on(oak_trials *trials, uint64_t one,
                                        bool (*goes_on)(void *context, uint64_t cycles), void *context,
                                        const oak_diag_sink *sink, oak_trial_result *result);

#ifdef __cplusplus
}
#endif
#endif
