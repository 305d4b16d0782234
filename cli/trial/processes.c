/* processes.c — every case in a process of its own, made from one in which the chip, its program and its board stand ready: so it costs little to begin, and
 * nothing that happens in one reaches another.
 *
 * As many processes as there are cores each have a part of the cases of a trial, and make one for each case. What cases have in common such a process runs
 * itself, once, ahead of them: cases that part from the others late cost only what is theirs. */
#include <errno.h>
#include <limits.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/prctl.h>
#include <sys/time.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include "trial_run.h"

static volatile sig_atomic_t stopped;
static void on_signal(int number)
{
    stopped = number;
}

static void on_tick(int number)
{
    (void)number; /* whoever waits looks up */
}

void trial_catch_signals(void)
{
    struct sigaction action = {.sa_handler = on_signal};
    sigaction(SIGINT, &action, NULL);
    sigaction(SIGTERM, &action, NULL);
    action.sa_handler = on_tick;
    sigaction(SIGALRM, &action, NULL);
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

/* Who is told to stop tells it on. */
static void wait_for(pid_t process)
{
    while (process > 0 && waitpid(process, NULL, 0) < 0 && errno == EINTR)
        if (stopped) kill(process, SIGTERM);
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

/* How a case is run: from the beginning, or from where this process has come to; what is wrong with what is written is told, or not. */
typedef struct manner {
    bool shared, aloud, keep;
} manner;

/* Runs a case in a process of its own, to its end; what became of it is in the slot. */
static void run_case(cli *self, const trial_outcome *one, uint64_t number, trial_slot *slot, manner how)
{
    slot->done = false;
    slot->one = number;
    slot->read_count = 0;
    fflush(stdout);
    pid_t process = fork();
    if (process) {
        wait_for(process);
        return;
    }
    prctl(PR_SET_PDEATHSIG, SIGTERM);
    cli_watch_reads(note_read, slot);
    if (how.keep) oak_trials_show_golden(one->file->trials, keep_run, self);
    if (one->file->lines && !how.shared) (void)!oak_session_count(one->file->session, true);
    const oak_diag_sink *sink = how.aloud ? &self->sink : &oak_silent;
    slot->status = how.shared ? oak_trial_go_on(one->file->trials, number, goes_on, NULL, sink, &slot->result)
                              : oak_trial_run(one->file->trials, one->number, number, one->file->session,
                                              one->file->board, goes_on, NULL, sink, &slot->result);
    if (slot->status && slot->status != OAK_REFUSED && slot->status != OAK_INTERRUPTED)
        cli_failed(self, slot->status, one->name);
    if (one->file->lines) trial_count_lines(one->file);
    slot->done = true;
    fflush(stderr);
    _exit(0);
}

double trial_seconds_now(void)
{
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (double)now.tv_sec + (double)now.tv_nsec / 1e9;
}

/* ------------------------------------------------------------------------------------------ adding up */

/* What took the longest of all cases; of several the first. */
static void add_most(trial_outcome *one, unsigned number, const oak_trial_most *about, uint64_t of)
{
    trial_most *most = &one->most[number];
    if (number >= one->most_count) *most = (trial_most){*about, of}, one->most_count = number + 1;
    else if (about->cycles > most->about.cycles || (about->cycles == most->about.cycles && of < most->one))
        most->about.cycles = about->cycles, most->one = of;
}

static void add_reads(trial_outcome *one, const trial_read *reads, unsigned count)
{
    for (unsigned i = 0; i < count && i < TRIAL_MOST_READS && one->read_count <= TRIAL_MOST_READS; i++) {
        unsigned k = 0;
        while (k < one->read_count && strcmp(one->reads[k].path, reads[i].path)) k++;
        bool other = k < one->read_count && !trial_same_hash(one->reads[k].hash, reads[i].hash);
        if (k == TRIAL_MOST_READS || other) one->read_count = TRIAL_MOST_READS + 1;
        else if (k == one->read_count) one->reads[one->read_count++] = reads[i];
    }
    if (count > TRIAL_MOST_READS) one->read_count = TRIAL_MOST_READS + 1;
}

static void add_failures(trial_outcome *one, uint64_t count, uint64_t first, const oak_trial_result *result)
{
    if (count && (!one->failed || first < one->first)) one->first = one->shown = first, one->result = *result;
    one->failed += count;
}

static void add_refusal(trial_outcome *one, uint64_t first)
{
    if (!one->refused || first < one->refused_at) one->refused_at = first;
    one->refused = true;
}

static void add_case(trial_outcome *one, const trial_slot *slot)
{
    const oak_trial_result *result = &slot->result;
    one->ran++;
    add_reads(one, slot->reads, slot->read_count);
    if (!slot->done || slot->status) {
        one->broken |= !slot->done;
        add_refusal(one, slot->one);
        return;
    }
    for (unsigned i = 0; i < result->most_count; i++) add_most(one, i, &result->most[i], slot->one);
    one->checks += result->checks;
    one->cycles += result->time.cycles;
    add_failures(one, !result->passed, slot->one, result);
}

static void add_part(trial_outcome *one, const trial_outcome *part)
{
    one->ran += part->ran, one->checks += part->checks, one->cycles += part->cycles;
    one->broken |= part->broken;
    add_reads(one, part->reads, part->read_count);
    for (unsigned i = 0; i < part->most_count; i++) add_most(one, i, &part->most[i].about, part->most[i].one);
    add_failures(one, part->failed, part->first, &part->result);
    if (part->refused) add_refusal(one, part->refused_at);
}

/* ------------------------------------------------------------------------------------------ a part of the cases */

/* A process that has every so manieth case of a trial. In memory that is shared with it. */
typedef struct trial_job {
    pid_t process;
    size_t trial;
    unsigned part, parts;
    bool shared; /* what its cases have in common is run once */
    bool done;
    uint64_t position; /* so many of its cases have been run */
    trial_outcome sum; /* of these */
    trial_slot slot;
    oak_trial_result common;
} trial_job;

typedef struct parting {
    uint64_t cycle, one;
} parting;

static int sooner(const void *a, const void *b)
{
    const parting *x = a, *y = b;
    return x->cycle != y->cycle ? (x->cycle > y->cycle) - (x->cycle < y->cycle)
                                : (x->one > y->one) - (x->one < y->one);
}

/* The number of cases of a trial in this shard, which has every so manieth of all cases of all trials; and the first of them. */
static uint64_t count_cases(const trial_outcome *one, const trial_options *options, uint64_t *first)
{
    uint64_t at = one->base % options->shards;
    *first = (options->shard_number + options->shards - at) % options->shards;
    return *first < one->cases ? (one->cases - *first - 1) / options->shards + 1 : 0;
}

/* Cases in the order in which they part from the others; NULL where they do so from the beginning: as they are numbered. */
static parting *put_in_order(const trial_job *job, const trial_options *options, uint64_t count)
{
    enum { MOST = 1 << 20 };
    const trial_outcome *one = &job->sum;
    uint64_t first;
    (void)count_cases(one, options, &first);
    uint64_t cycle = oak_trial_parting(one->file->trials, one->number, first, one->file->session);
    if (!cycle || cycle == UINT64_MAX || count > MOST) return NULL;
    parting *order = cli_malloc((size_t)count * sizeof *order);
    for (uint64_t i = 0; order && i < count; i++) {
        order[i].one = first + i * options->shards;
        order[i].cycle = oak_trial_parting(one->file->trials, one->number, order[i].one, one->file->session);
    }
    if (order) qsort(order, (size_t)count, sizeof *order, sooner);
    return order;
}

/* All cases of its part, one after another. It ends early where nothing can be shared; then somebody goes on from its position without. */
static void work(cli *self, trial_job *job, const trial_options *options)
{
    trial_outcome *one = &job->sum;
    const trial_file *file = one->file;
    uint64_t first, count = count_cases(one, options, &first);
    trial_slot ahead = {0};
    cli_watch_reads(note_read, &ahead);
    if (job->shared && file->lines) (void)!oak_session_count(file->session, true);
    parting *order = put_in_order(job, options, count);
    for (;; job->position++) {
        uint64_t at = job->part + job->position * job->parts;
        if (at >= count || stopped || one->refused) break;
        uint64_t number = order ? order[at].one : first + at * options->shards;
        if (job->shared && !oak_trial_share(file->trials, one->number, file->session, file->board,
                                            order ? order[at].cycle : 0, goes_on, NULL, &job->common))
            _exit(0);
        run_case(self, one, number, &job->slot, (manner){.shared = job->shared, .keep = options->keep});
        if (!stopped) add_case(one, &job->slot);
    }
    add_reads(one, ahead.reads, ahead.read_count);
    job->done = true;
}

/* ------------------------------------------------------------------------------------------ all trials */

struct trial_crew {
    cli *self;
    trial_outcome *list;
    size_t count, next; /* next: the first trial of which not every part has been begun */
    const trial_options *options;
    unsigned workers;
    trial_job *jobs; /* one for each worker */
};

trial_crew *trial_open_crew(cli *self, trial_outcome *list, size_t count, const trial_options *options,
                            unsigned workers)
{
    trial_crew *crew = cli_calloc(1, sizeof *crew);
    if (!crew) return NULL;
    *crew = (trial_crew){self, list, count, 0, options, workers, NULL};
    crew->jobs =
        mmap(NULL, workers * sizeof *crew->jobs, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1, 0);
    if (crew->jobs != MAP_FAILED) return crew;
    free(crew);
    return NULL;
}

void trial_close_crew(trial_crew *crew)
{
    for (unsigned i = 0; i < crew->workers; i++)
        if (crew->jobs[i].process > 0) {
            kill(crew->jobs[i].process, SIGTERM);
            wait_for(crew->jobs[i].process);
        }
    munmap(crew->jobs, crew->workers * sizeof *crew->jobs);
    free(crew);
}

static void start_job(trial_crew *crew, trial_job *job)
{
    trial_outcome *one = &crew->list[job->trial];
    job->done = false;
    fflush(stdout);
    pid_t process = fork();
    if (!process) { /* the job is shared: here it is not to be said who it is */
        prctl(PR_SET_PDEATHSIG, SIGTERM);
        work(crew->self, job, crew->options);
        fflush(stderr);
        _exit(0);
    }
    if (process > 0) {
        job->process = process;
        return;
    }
    one->parts_done++;
    one->broken = true;
    add_refusal(one, 0);
}

/* Looks up whether a trial has to be run, and in how many parts; again for each repetition. */
static void begin_trial(trial_crew *crew, trial_outcome *one)
{
    const trial_options *options = crew->options;
    uint64_t first, count = count_cases(one, options, &first);
    one->may_be_unchanged = !options->afresh && !options->keep && !options->coverage &&
                            options->repeat == 1 && (one->file->key.low || one->file->key.high);
    one->begun = true;
    one->began = trial_seconds_now();
    one->ran = one->cycles = one->checks = 0;
    one->most_count = one->read_count = one->parts_begun = one->parts_done = 0;
    one->parts = count < crew->workers ? (unsigned)count : crew->workers;
    if (one->may_be_unchanged && trial_look_up(one, options)) one->parts = 0;
}

/* Gives everybody who has nothing to do a part of a trial. */
static void start_jobs(trial_crew *crew)
{
    for (unsigned i = 0; i < crew->workers && !stopped; i++) {
        trial_job *job = &crew->jobs[i];
        if (job->process) continue;
        for (; crew->next < crew->count; crew->next++) {
            trial_outcome *one = &crew->list[crew->next];
            if (!one->begun) begin_trial(crew, one);
            if (one->parts_begun < one->parts) break;
        }
        if (crew->next == crew->count) return;
        trial_outcome *one = &crew->list[crew->next];
        memset(job, 0, sizeof *job);
        job->trial = crew->next;
        job->part = one->parts_begun++;
        job->parts = one->parts;
        job->shared = one->cases > 1;
        job->sum = (trial_outcome){.file = one->file,
                                   .number = one->number,
                                   .name = one->name,
                                   .cases = one->cases,
                                   .base = one->base};
        start_job(crew, job);
    }
}

static void end_job(trial_crew *crew, trial_job *job)
{
    trial_outcome *one = &crew->list[job->trial];
    job->process = 0;
    if (stopped) return;
    if (!job->done && job->shared) { /* from its beginning on, then */
        job->shared = false;
        start_job(crew, job);
        return;
    }
    if (!job->done) {
        job->sum.broken = true;
        add_refusal(&job->sum, job->position);
    }
    add_part(one, &job->sum);
    one->parts_done++;
}

static void tell_progress(const trial_crew *crew, const trial_outcome *one)
{
    uint64_t ran = one->ran;
    if (trial_seconds_now() - one->began < 1) return;
    for (unsigned i = 0; i < crew->workers; i++)
        if (crew->jobs[i].process && &crew->list[crew->jobs[i].trial] == one) ran += crew->jobs[i].sum.ran;
    fprintf(stderr, "\r%s: %llu of %llu \r", one->name, (unsigned long long)ran,
            (unsigned long long)one->cases);
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
        run_case(self, one, simpler, slot, (manner){0});
        runs++;
        if (!slot->done || slot->status || slot->result.passed || slot->result.line != one->result.line)
            continue;
        one->shown = simpler;
        one->result = slot->result;
        attempt = UINT_MAX; /* from the beginning */
    }
}

/* What is to be done when all its cases have been run. */
static void end_trial(trial_crew *crew, trial_outcome *one, trial_slot *slot)
{
    if (one->broken)
        cli_complain(crew->self, "trial", one->file->path, NULL,
                     "the process of a case has ended before it had run");
    else if (one->refused)
        run_case(crew->self, one, one->refused_at, slot, (manner){.aloud = true}); /* why */
    if (one->refused) one->ran = one->cycles = one->checks = one->failed = 0;
    if (one->failed && !stopped) simplify(crew->self, one, slot);
    if (one->failed && !stopped) trial_locate(crew->self, one, slot);
    one->seconds = one->unchanged ? 0 : trial_seconds_now() - one->began;
    if (one->may_be_unchanged && !one->unchanged) trial_look_after(one, crew->options);
}

bool trial_run_cases(trial_crew *crew, size_t number)
{
    trial_outcome *one = &crew->list[number];
    bool shows = isatty(2);
    const struct itimerval ticks = {{0, 200000}, {0, 200000}}, none = {{0, 0}, {0, 0}};
    trial_slot *slot = mmap(NULL, sizeof *slot, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1, 0);
    if (slot == MAP_FAILED) return false;
    for (long long again = 1; !stopped; again++) {
        for (start_jobs(crew); one->parts_done < one->parts && !stopped; start_jobs(crew)) {
            if (shows) setitimer(ITIMER_REAL, &ticks, NULL);
            pid_t ended = wait(NULL);
            if (shows) setitimer(ITIMER_REAL, &none, NULL);
            if (ended < 0 && errno != EINTR) return false;
            for (unsigned i = 0; i < crew->workers && ended > 0; i++)
                if (crew->jobs[i].process == ended) end_job(crew, &crew->jobs[i]);
            if (shows) tell_progress(crew, one);
        }
        if (again >= crew->options->repeat || one->failed || one->refused) break;
        one->begun = false;
        if (crew->next > number) crew->next = number;
    }
    if (shows && trial_seconds_now() - one->began >= 1) fputs("\r\033[K", stderr);
    if (!stopped) end_trial(crew, one, slot);
    munmap(slot, sizeof *slot);
    return !stopped;
}
