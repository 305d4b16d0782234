/* trial_run.h — shared by the files of `spindle trial`: files of trials made ready, and what has become of each trial. */
#ifndef SPINDLE_TRIAL_RUN_H
#define SPINDLE_TRIAL_RUN_H

#include <oakspindle/trial.h>

#include "cli.h"

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
} trial_file;

/* What has become of a trial: of all its cases. */
typedef struct trial_outcome {
    const trial_file *file;
    unsigned number;
    const char *name;
    uint64_t cases, ran, failed, checks,
        cycles;              /* ran: those of this shard; cycles: of all of them together */
    uint64_t base;           /* cases of all trials before it */
    uint64_t first;          /* the first case that failed */
    oak_trial_result result; /* of that one */
    bool refused;            /* what it says means nothing here: told already */
    double seconds;
} trial_outcome;

/* outputs.c: documents for other programs. */
bool trial_write_junit(cli *self, const char *path, const trial_outcome *list, size_t count);
void trial_print_tap_begin(size_t count);
void trial_print_tap(size_t number, const trial_outcome *one);
/* merge.c: documents of shards, up to NULL; returns an exit code. */
int trial_merge(cli *self, const char *const *paths);
void trial_print_json(cli *self, const trial_outcome *list, size_t count);
/* "lathe.asm:27" or "guard+4" of where it failed; the file and line of the expectation. */
void trial_place_text(const trial_outcome *one, char *text, size_t room);
void trial_time_text(const trial_file *file, uint64_t cycles, char *text, size_t room);
/* The command that opens the bench there. */
void trial_bench_command(const trial_outcome *one, char *text, size_t room);
void trial_case_words(const trial_outcome *one, uint64_t number, char *text, size_t room);

#endif
