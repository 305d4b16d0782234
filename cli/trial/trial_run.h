/* trial_run.h — shared by the files of `spindle trial`: files of trials made ready, and what has become of each trial.
 *
 *   cmd_trial.c   options, files, one trial after another
 *   processes.c   a process for each case
 *   telling.c     what has become of a trial, for people; pictures
 *   outputs.c     the same for other programs
 *   merge.c       what shards have found, put together
 *   kept.c        trials that have passed, and are as they were
 *   coverage.c    which lines have run */
#ifndef SPINDLE_TRIAL_RUN_H
#define SPINDLE_TRIAL_RUN_H

#include <oakspindle/trial.h>
#include <stdatomic.h>
#include <sys/types.h>

#include "cli.h"

enum { TRIAL_MOST_READS = 8 };

/* 128 bits that tell what is the same. */
typedef struct trial_hash {
    uint64_t low, high;
} trial_hash;

/* A line of the program, and how often it has run in all cases: in memory that processes share. */
typedef struct trial_line {
    const char *file;
    uint32_t line, address;
    _Atomic uint64_t times;
} trial_line;

/* A file, and all it takes to run its trials: as they stand, each case is run in a process of its own. */
typedef struct trial_file {
    char *path;
    oak_trials *trials;
    oak_part *part;
    oak_program *program;
    oak_machine *machine;
    oak_session *session;
    oak_board *board;
    char *program_path, *part_name, *clock;
    trial_hash key;    /* of everything that was read for it, its image and the tool; 0: not known */
    trial_line *lines; /* coverage.c; NULL: nobody asks */
    size_t line_count;
} trial_file;

/* A file that a case has read by itself. */
typedef struct trial_read {
    char path[240];
    trial_hash hash;
} trial_read;

typedef struct trial_most {
    oak_trial_most about;
    uint64_t one; /* the case that took so long */
} trial_most;

/* What has become of a trial: of all its cases. */
typedef struct trial_outcome {
    const trial_file *file;
    unsigned number;
    const char *name;
    uint64_t cases, ran, failed, checks,
        cycles;              /* ran: those of this shard; cycles: of all of them together */
    uint64_t base;           /* cases of all trials before it */
    uint64_t first;          /* the first case that failed */
    uint64_t shown;          /* the simplest one that was found to fail, or the first */
    oak_trial_result result; /* of that one */
    trial_most most[OAK_TRIAL_MOSTS];
    unsigned most_count;
    trial_read reads[TRIAL_MOST_READS];
    unsigned read_count; /* above TRIAL_MOST_READS: there were more */
    bool refused;        /* what it says means nothing here: told already */
    uint64_t refused_at; /* in this case */
    bool unchanged;      /* it has passed before, and nothing is otherwise now */
    double seconds;
    /* processes.c */
    bool begun, may_be_unchanged, broken;    /* broken: the process of a case has ended before it had run */
    unsigned parts, parts_begun, parts_done; /* that its cases are run in */
    double began;
} trial_outcome;

typedef struct trial_options {
    char *only, *junit, *part, *shard, *pictures, *coverage;
    unsigned shard_number, shards; /* from 0; at least 1 */
    int tap, json, first_failure, list, merge, keep, afresh;
    long long workers, repeat;
} trial_options;

/* What a process leaves behind: in memory that it shares. */
typedef struct trial_slot {
    pid_t process;
    oak_status status;
    bool done;
    uint64_t one;
    trial_read reads[TRIAL_MOST_READS];
    unsigned read_count;
    oak_trial_result result;
} trial_slot;

/* processes.c: so many processes at a time run the cases of a list of trials, whose outcomes are filled in. */
typedef struct trial_crew trial_crew;
trial_crew *trial_open_crew(cli *self, trial_outcome *list, size_t count, const trial_options *options,
                            unsigned workers);
void trial_close_crew(trial_crew *crew); /* ends what is running */
/* Waits until all cases of a trial, by its number in the list, have been run, while those behind it are; false when somebody has interrupted it. A case of a sample that fails is
 * followed by simpler ones. Trials are asked for in their order. */
bool trial_run_cases(trial_crew *crew, size_t number);
void trial_catch_signals(void);
int trial_caught(void); /* the signal, or 0 */
double trial_seconds_now(void);
/* Runs `work` in a process and waits for it: what it does to the chip stays there. */
void trial_apart(void (*work)(void *context), void *context);

/* telling.c: the place where it failed; what has become of it, in words; a picture of it. */
void trial_locate(cli *self, trial_outcome *one, trial_slot *slot);
void trial_print_outcome(cli *self, const trial_outcome *one);
void trial_draw_outcome(cli *self, const trial_outcome *one, const char *folder);

/* kept.c: hashes; whether a trial has passed before, as it is now; keeping that it has. */
trial_hash trial_hash_of(const void *bytes, size_t size, trial_hash before);
bool trial_same_hash(trial_hash a, trial_hash b);
bool trial_hash_tool(trial_hash *hash);
bool trial_look_up(trial_outcome *one, const trial_options *options);
void trial_look_after(const trial_outcome *one, const trial_options *options);

/* coverage.c: false after a message. */
bool trial_open_lines(cli *self, trial_file *file);
void trial_close_lines(trial_file *file);
void trial_count_lines(const trial_file *file);
/* {"lathe.asm": {"27": 1204, …}, …}: for each source, how often each line of it has run; and those of another added to them. */
cJSON *trial_lines_json(const trial_file *file);
void trial_add_lines(cJSON *into, const cJSON *from);
/* As a tracefile that many tools read, and in a line of text for each source. */
bool trial_write_lines(cli *self, const char *path, const cJSON *programs);
void trial_print_lines(const cJSON *programs);

/* outputs.c: documents for other programs. */
bool trial_write_junit(cli *self, const char *path, const trial_outcome *list, size_t count);
void trial_print_tap_begin(size_t count);
void trial_print_tap(size_t number, const trial_outcome *one);
/* `coverage` (or NULL) is taken over. */
void trial_print_json(cli *self, const trial_outcome *list, size_t count, cJSON *coverage);
/* "lathe.asm:27" or "guard+4" of where it failed; the file and line of the expectation. */
void trial_place_text(const trial_outcome *one, char *text, size_t room);
void trial_time_text(const trial_file *file, uint64_t cycles, char *text, size_t room);
/* The command that opens the bench there. */
void trial_bench_command(const trial_outcome *one, char *text, size_t room);
void trial_case_words(const trial_outcome *one, uint64_t number, char *text, size_t room);

/* merge.c: documents of shards, up to NULL; returns an exit code. */
int trial_merge(cli *self, const char *const *paths, const trial_options *options);

#endif
