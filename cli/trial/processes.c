/* processes.c — every case in a process of its own, made from one in which the chip, its program and its board stand ready: so it costs little to begin, and
 * nothing that happens in one reaches another. */
#include <errno.h>
#include <limits.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include "trial_run.h"

static volatile sig_atomic_t stopped;
static void on_signal(int number)
{
    stopped = number;
}

void trial_catch_signals(void)
{
    struct sigaction action = {.sa_handler = on_signal};
    sigaction(SIGINT, &action, NULL);
    sigaction(SIGTERM, &action, NULL);
}

int trial_caught(void)
{
    return stopped;
}

static bool goes_on(void *context, uint64_t cycles)
{
    (void)context, (void)cycles;
    return !stopped;
}

static void say_nothing(void *context, const oak_diagnostic *d)
{
    (void)context, (void)d;
}

static void wait_for(pid_t process)
{
    while (process > 0 && waitpid(process, NULL, 0) < 0 && errno == EINTR) {
    }
}

void trial_apart(void (*work)(void *context), void *context)
{
    fflush(stdout);
    pid_t process = fork();
    if (!process) {
        work(context);
        fflush(stdout);
        fflush(stderr);
        _exit(0);
    }
    wait_for(process);
}

/* What a case reads beyond what was read when it was made ready. */
static void note_read(void *context, const char *path, const uint8_t *bytes, size_t size)
{
    trial_slot *slot = context;
    unsigned number = slot->read_count++;
    if (number >= TRIAL_MOST_READS || strlen(path) >= sizeof slot->reads->path) {
        slot->read_count = TRIAL_MOST_READS + 1;
        return;
    }
    strcpy(slot->reads[number].path, path);
    slot->reads[number].hash = trial_hash_of(bytes, size, (trial_hash){0});
}

/* A run that is right is written, in place of the one that was kept before. */
static bool keep_run(void *context, const oak_trial_golden *golden)
{
    cli *self = context;
    cli_text text = {0};
    oak_text_sink out = cli_text_sink(&text);
    if (oak_trace_write_vcd(golden->now, &out) == OAK_OK && cli_write_file(self, golden->path, &text))
        fprintf(stderr, "kept  %s\n", golden->path);
    free(text.bytes);
    return true;
}

/* Runs a case in a process of its own. What is wrong with what is written is told by one of them, aloud. */
static pid_t start_case(cli *self, const trial_outcome *one, uint64_t number, trial_slot *slot, bool aloud,
                        bool keep)
{
    const oak_diag_sink quiet = {.report = say_nothing};
    slot->done = false;
    slot->one = number;
    slot->read_count = 0;
    fflush(stdout);
    pid_t process = fork();
    if (process) return process;
    cli_watch_reads(note_read, slot);
    if (keep) oak_trials_show_golden(one->file->trials, keep_run, self);
    if (one->file->lines) (void)!oak_session_count(one->file->session, true);
    slot->status = oak_trial_run(one->file->trials, one->number, number, one->file->session, one->file->board,
                                 goes_on, NULL, aloud ? &self->sink : &quiet, &slot->result);
    if (slot->status && slot->status != OAK_REFUSED && slot->status != OAK_INTERRUPTED)
        cli_failed(self, slot->status, one->name);
    if (one->file->lines) trial_count_lines(one->file);
    slot->done = true;
    fflush(stderr);
    _exit(0);
}

/* What took the longest of all cases; of several the first. */
static void add_most(trial_outcome *one, const trial_slot *slot)
{
    for (unsigned i = 0; i < slot->result.most_count; i++) {
        trial_most *most = &one->most[i];
        uint64_t cycles = slot->result.most[i].cycles;
        if (i >= one->most_count)
            *most = (trial_most){slot->result.most[i], slot->one}, one->most_count = i + 1;
        else if (cycles > most->about.cycles || (cycles == most->about.cycles && slot->one < most->one))
            most->about.cycles = cycles, most->one = slot->one;
    }
}

static void add_reads(trial_outcome *one, const trial_slot *slot)
{
    for (unsigned i = 0; i < slot->read_count && i < TRIAL_MOST_READS && one->read_count <= TRIAL_MOST_READS;
         i++) {
        const trial_read *read = &slot->reads[i];
        unsigned k = 0;
        while (k < one->read_count && strcmp(one->reads[k].path, read->path)) k++;
        bool other = k < one->read_count && !trial_same_hash(one->reads[k].hash, read->hash);
        if (k == TRIAL_MOST_READS || other) one->read_count = TRIAL_MOST_READS + 1;
        else if (k == one->read_count) one->reads[one->read_count++] = *read;
    }
    if (slot->read_count > TRIAL_MOST_READS) one->read_count = TRIAL_MOST_READS + 1;
}

static void add_up(trial_outcome *one, const trial_slot *slot)
{
    add_reads(one, slot);
    if (slot->done && !slot->status) add_most(one, slot);
    one->checks += slot->result.checks;
    one->cycles += slot->result.time.cycles;
    if (!slot->done || slot->status) {
        if (!one->refused || slot->one < one->first) one->first = slot->one;
        one->refused = true;
    } else if (!slot->result.passed) {
        if (!one->failed || slot->one < one->first)
            one->first = one->shown = slot->one, one->result = slot->result;
        one->failed++;
    }
}

double trial_seconds_now(void)
{
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (double)now.tv_sec + (double)now.tv_nsec / 1e9;
}

static void tell_progress(const trial_outcome *one, uint64_t done, double began)
{
    static double told;
    double now = trial_seconds_now();
    if (!isatty(2) || now - began < 1 || now - told < 0.2) return;
    told = now;
    fprintf(stderr, "\r%s: %llu of %llu \r", one->name, (unsigned long long)done,
            (unsigned long long)one->cases);
}

/* The first case from `number` on that belongs to this shard: every so manieth of all cases of all trials. */
static uint64_t next_case(const trial_outcome *one, uint64_t number, const trial_options *options)
{
    uint64_t at = (one->base + number) % options->shards;
    return number + (options->shard_number + options->shards - at) % options->shards;
}

/* Simpler cases of a sample that fail as the first one did, as long as there are some. */
static void simplify(cli *self, trial_outcome *one, trial_slot *slot)
{
    enum { MOST_RUNS = 400 };
    uint64_t simpler;
    unsigned runs = 0;
    for (unsigned attempt = 0; runs < MOST_RUNS && !stopped; attempt++) {
        char now[300], before[300];
        if (!oak_trial_simpler(one->file->trials, one->number, one->shown, attempt, &simpler)) break;
        oak_trial_case_text(one->file->trials, one->number, simpler, now, sizeof now);
        oak_trial_case_text(one->file->trials, one->number, one->shown, before, sizeof before);
        if (!strcmp(now, before)) continue;
        pid_t process = start_case(self, one, simpler, slot, false, false);
        wait_for(process);
        runs++;
        if (process <= 0 || !slot->done || slot->status || slot->result.passed ||
            slot->result.line != one->result.line)
            continue;
        one->shown = simpler;
        one->result = slot->result;
        attempt = UINT_MAX; /* from the beginning */
    }
    slot->process = 0;
}

bool trial_run_cases(cli *self, trial_outcome *one, trial_slot *slots, const trial_options *options,
                     unsigned workers)
{
    uint64_t next = next_case(one, 0, options);
    unsigned running = 0;
    double began = trial_seconds_now();
    one->ran = one->cycles = one->checks = 0;
    one->most_count = one->read_count = 0;
    for (bool first = true; (next < one->cases && !stopped && !one->refused) || running;) {
        if (running < workers && next < one->cases && !stopped && !one->refused) {
            trial_slot *free_slot = slots;
            while (free_slot->process) free_slot++;
            free_slot->process = start_case(self, one, next, free_slot, first, options->keep);
            if (free_slot->process < 0) {
                free_slot->process = 0;
                if (!running) {
                    cli_complain(self, "trial", one->file->path, NULL, "no process can be started");
                    one->refused = true;
                }
            } else next = next_case(one, next + 1, options), running++;
            bool alone = first; /* it may be refused */
            first = false;
            if (running < workers && !alone && next < one->cases) continue;
        }
        if (!running) continue;
        pid_t ended = wait(NULL);
        if (ended < 0 && errno != EINTR) break;
        for (unsigned i = 0; i < workers && ended > 0; i++) {
            if (slots[i].process != ended) continue;
            if (!stopped) add_up(one, &slots[i]);
            slots[i].process = 0;
            running--;
            one->ran++;
        }
        tell_progress(one, one->ran, began);
    }
    if (one->refused && one->ran > 1) { /* not the first: why, aloud */
        wait_for(start_case(self, one, one->first, &slots[0], true, false));
    }
    if (one->refused && !slots[0].done && !stopped)
        cli_complain(self, "trial", one->file->path, NULL,
                     "the process of a case has ended before it had run");
    if (isatty(2) && trial_seconds_now() - began >= 1) fputs("\r\033[K", stderr);
    if (one->failed && !one->refused && !stopped) simplify(self, one, &slots[0]);
    one->seconds = trial_seconds_now() - began;
    return !stopped;
}
