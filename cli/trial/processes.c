/* processes.c — every case in a process of its own, made from one in which the chip, its program and its board stand ready: so it costs little to begin, and
 * nothing that happens in one reaches another. What cases have in common is run once, by a process that goes ahead of them: those that part from the others late
 * cost only what is theirs. */
#include <errno.h>
#include <limits.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/prctl.h>
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

/* Runs a case in a process of its own: from the beginning, or (`shared`) from where this one has come to. What is wrong with what is written is told by one of them, aloud. */
static pid_t start_case(cli *self, const trial_outcome *one, uint64_t number, trial_slot *slot, bool aloud,
                        bool keep, bool shared)
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
    if (one->file->lines && !shared) (void)!oak_session_count(one->file->session, true);
    const oak_diag_sink *sink = aloud ? &self->sink : &quiet;
    slot->status = shared ? oak_trial_go_on(one->file->trials, number, goes_on, NULL, sink, &slot->result)
                          : oak_trial_run(one->file->trials, one->number, number, one->file->session,
                                          one->file->board, goes_on, NULL, sink, &slot->result);
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
        pid_t process = start_case(self, one, simpler, slot, false, false, false);
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

/* Cases in the order in which they part from what all have in common. */
typedef struct parting {
    uint64_t cycle, one;
} parting;

typedef struct crew {
    cli *self;
    trial_outcome *one;
    trial_slot *slots;
    const trial_options *options;
    unsigned workers;
    uint64_t next;  /* the case that comes next, or */
    parting *order; /* (NULL: as they are numbered) its place in here */
    size_t count;
    bool shared, lost; /* lost: there is nothing in common */
    oak_trial_result result; /* of what is */
} crew;

static int sooner(const void *a, const void *b)
{
    const parting *x = a, *y = b;
    return x->cycle != y->cycle ? (x->cycle > y->cycle) - (x->cycle < y->cycle)
                                : (x->one > y->one) - (x->one < y->one);
}

/* Where cases part late, in that order. */
static void put_in_order(crew *c)
{
    enum { MOST = 1 << 20 };
    const trial_outcome *one = c->one;
    uint64_t first = next_case(one, 0, c->options),
             cycle = oak_trial_parting(one->file->trials, one->number, first, one->file->session);
    c->next = first;
    if (!c->shared || !cycle || cycle == UINT64_MAX || one->cases / c->options->shards >= MOST) return;
    c->order = cli_malloc((size_t)(one->cases / c->options->shards + 1) * sizeof *c->order);
    for (uint64_t next = first; c->order && next < one->cases; next = next_case(one, next + 1, c->options))
        c->order[c->count++] = (parting){
            oak_trial_parting(one->file->trials, one->number, next, one->file->session), next};
    if (c->order) qsort(c->order, c->count, sizeof *c->order, sooner);
    c->next = 0;
}

static bool is_there_more(const crew *c)
{
    return (c->order ? c->next < c->count : c->next < c->one->cases) && !stopped && !c->one->refused &&
           !c->lost;
}

/* The number of the next case; what is common up to there is run. */
static bool take_case(crew *c, uint64_t *number)
{
    const trial_file *file = c->one->file;
    uint64_t until = 0;
    *number = c->order ? c->order[c->next].one : c->next;
    if (c->order) until = c->order[c->next].cycle;
    c->lost = c->shared && !oak_trial_share(file->trials, c->one->number, file->session, file->board, until,
                                            goes_on, NULL, &c->result);
    c->next = c->order ? c->next + 1 : next_case(c->one, c->next + 1, c->options);
    return !c->lost;
}

static void start_next(crew *c, bool first)
{
    uint64_t number;
    trial_slot *slot = c->slots;
    while (slot->process) slot++;
    if (!take_case(c, &number)) return;
    slot->process = start_case(c->self, c->one, number, slot, first, c->options->keep, c->shared);
    if (slot->process > 0) return;
    slot->process = 0;
    cli_complain(c->self, "trial", c->one->file->path, NULL, "no process can be started");
    c->one->refused = true;
}

/* All of them, so many at a time. */
static void run_crew(crew *c)
{
    trial_outcome *one = c->one;
    unsigned running = 0;
    bool first = true; /* it runs alone: it may be refused */
    double began = trial_seconds_now();
    one->ran = one->cycles = one->checks = 0;
    one->most_count = one->read_count = 0;
    put_in_order(c);
    for (;;) {
        while (running < c->workers && is_there_more(c) && !(running && first)) {
            start_next(c, first && !running);
            running = 0;
            for (unsigned i = 0; i < c->workers; i++) running += c->slots[i].process != 0;
            if (first) break;
        }
        if (!running) break;
        pid_t ended = wait(NULL);
        if (ended < 0 && errno != EINTR) break;
        for (unsigned i = 0; i < c->workers && ended > 0; i++) {
            if (c->slots[i].process != ended) continue;
            if (!stopped) add_up(one, &c->slots[i]);
            c->slots[i].process = 0;
            running--;
            first = false;
            one->ran++;
        }
        tell_progress(one, one->ran, began);
    }
    if (isatty(2) && trial_seconds_now() - began >= 1) fputs("\r\033[K", stderr);
    free(c->order);
    c->order = NULL;
}

/* The same by a process that goes ahead, and shares what is common. False when nothing could be shared: nothing has been done then. */
static bool run_shared(crew *c)
{
    trial_outcome before = *c->one;
    c->one->whole = false;
    fflush(stdout);
    pid_t process = fork();
    if (process < 0) return false;
    if (!process) {
        trial_slot ahead = {0};
        prctl(PR_SET_PDEATHSIG, SIGTERM);
        cli_watch_reads(note_read, &ahead);
        if (c->one->file->lines) (void)!oak_session_count(c->one->file->session, true);
        c->shared = true;
        run_crew(c);
        add_reads(c->one, &ahead);
        c->one->whole = !c->lost;
        fflush(stderr);
        _exit(0);
    }
    while (waitpid(process, NULL, 0) < 0 && errno == EINTR)
        if (stopped) kill(process, SIGTERM);
    if (c->one->whole || stopped) return true;
    *c->one = before;
    for (unsigned i = 0; i < c->workers; i++) c->slots[i].process = 0;
    return false;
}

bool trial_run_cases(cli *self, trial_outcome *one, trial_slot *slots, const trial_options *options,
                     unsigned workers)
{
    crew c = {.self = self, .one = one, .slots = slots, .options = options, .workers = workers};
    double began = trial_seconds_now();
    if (one->cases == 1 || !run_shared(&c)) run_crew(&c);
    if (one->refused && one->ran > 1) /* not the first: why, aloud */
        wait_for(start_case(self, one, one->first, &slots[0], true, false, false));
    if (one->refused && !slots[0].done && !stopped)
        cli_complain(self, "trial", one->file->path, NULL,
                     "the process of a case has ended before it had run");
    if (one->failed && !one->refused && !stopped) simplify(self, one, &slots[0]);
    one->seconds = trial_seconds_now() - began;
    return !stopped;
}
