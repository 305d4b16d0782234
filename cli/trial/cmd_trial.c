/* cmd_trial.c — spindle trial: every case in a process of its own, made from one in which the chip, its program and its board stand ready: so it
 * costs little to begin, and nothing that happens in one reaches another. */
#include <dirent.h>
#include <errno.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include "trial_run.h"

enum { MOST_FILES = 500, MOST_WORKERS = 64, DEEPEST = 8 };
#define ENDING ".trial.yaml"

typedef struct trial_options {
    char *only, *junit, *part;
    char *shard;
    unsigned shard_number, shards; /* from 0; at least 1 */
    int tap, json, first_failure, list, merge;
    long long workers, repeat;
} trial_options;

/* What a process leaves behind: in memory that it shares. */
typedef struct trial_slot {
    pid_t process;
    oak_status status;
    bool done;
    uint64_t one;
    oak_trial_result result;
} trial_slot;

/* ------------------------------------------------------------------------------------------ files */

static int by_name(const void *a, const void *b)
{
    return strcmp(*(char *const *)a, *(char *const *)b);
}

/* The files of trials in a folder and those below it. */
static void find_files(const char *folder, char **list, unsigned *count, unsigned depth)
{
    DIR *open = opendir(folder);
    struct dirent *entry;
    while (open && (entry = readdir(open))) {
        char path[1000];
        struct stat about;
        if (*entry->d_name == '.' || *count == MOST_FILES) continue;
        int length = strcmp(folder, ".") == 0 ? snprintf(path, sizeof path, "%s", entry->d_name)
                                              : snprintf(path, sizeof path, "%s/%s", folder, entry->d_name);
        if (length < 0 || (size_t)length >= sizeof path || lstat(path, &about)) continue;
        size_t ending = strlen(ENDING), name = strlen(path);
        if (S_ISDIR(about.st_mode) && depth < DEEPEST) find_files(path, list, count, depth + 1);
        else if (S_ISREG(about.st_mode) && name > ending && strcmp(path + name - ending, ENDING) == 0)
            list[(*count)++] = cli_strdup(path);
    }
    if (open) closedir(open);
}

static void close_file(trial_file *file)
{
    oak_session_close(file->session);
    oak_board_free(file->board);
    oak_machine_free(file->machine);
    oak_program_free(file->program);
    oak_part_free(file->part);
    oak_trials_free(file->trials);
    free(file->path);
    free(file->program_path);
    free(file->part_name);
    free(file->clock);
}

/* Everything up to where a case is given what it is given. */
static int open_chip(cli *self, trial_file *file, const oak_trials_about *about)
{
    uint32_t outside = 0, at, size;
    oak_status status = oak_machine_create(&self->host, file->part, &file->machine);
    if (!status) status = oak_machine_load(file->machine, oak_program_image(file->program), &outside);
    if (status == OAK_OUT_OF_RANGE)
        cli_complain(self, "outside-memory", file->program_path, "Choose a larger part.",
                     "the image has bytes where the part has no code memory");
    oak_chip_port chip = {0};
    if (!status) {
        chip = oak_machine_port(file->machine);
        status = oak_session_open(&self->host, &chip, file->program, &file->session);
    }
    for (size_t next = 0; !status && oak_program_next_data(file->program, &next, &at, &size) == OAK_OK;)
        oak_machine_mark_data(file->machine, at, size);
    if (!status) oak_session_set_seed(file->session, about->seed);
    if (!status && about->board) {
        status = oak_board_load(&self->host, about->board, file->part, NULL, &self->sink, &file->board);
        if (!status && oak_board_clock(file->board))
            status = oak_session_set_clock(file->session, oak_board_clock(file->board));
        if (!status) status = oak_board_join(file->board, file->session, about->seed);
    }
    uint64_t clock;
    if (!status && file->clock) {
        if (oak_read_frequency(file->clock, &clock)) {
            cli_complain(self, "trial", file->path, "Write `clock: 12MHz`.", "the clock is no frequency");
            return EXIT_REFUSED;
        }
        status = oak_session_set_clock(file->session, clock);
    }
    return cli_failed(self, status, file->path);
}

static int open_file(cli *self, const command *of, trial_file *file, const char *path,
                     const trial_options *options)
{
    int exit_code = EXIT_DONE;
    cli_project project = {0};
    file->path = cli_strdup(path);
    oak_status status = oak_trials_load(&self->host, path, &self->sink, &file->trials);
    if (status) return cli_failed(self, status, path);
    const oak_trials_about *about = oak_trials_about_of(file->trials);
    const char *program = about->program, *part = options->part ? options->part : about->part;
    char *includes[1] = {NULL};
    const char *sources[CLI_MOST_SOURCES + 1] = {program, NULL};
    bool in_project = !program || !part;
    if (in_project) {
        int found = cli_read_project(self, &project);
        if (found > 0) return found;
        if (!program && found == EXIT_DONE)
            for (unsigned i = 0; i < project.source_count; i++) sources[i] = project.sources[i];
        if (!part) part = project.part;
        if (!about->clock && project.clock) file->clock = cli_strdup(project.clock);
    }
    if (about->clock) file->clock = cli_strdup(about->clock);
    if (!sources[0] || !part) {
        cli_complain(
            self, "trial", path,
            "Write `program: main.asm` and `part: mcs51-8k` at its beginning, or run it in a project.",
            sources[0] ? "it names no part" : "it names no program");
        exit_code = EXIT_REFUSED;
    }
    if (!exit_code) {
        oak_asm_settings settings;
        oak_warning warnings[CLI_MOST_WARNINGS];
        file->program_path = cli_strdup(sources[0]);
        file->part_name = cli_strdup(part);
        if (!cli_settings(self, of, sources, in_project && project.includes[0] ? project.includes : includes,
                          NULL, warnings, &settings))
            exit_code = EXIT_USAGE;
        if (!exit_code) file->part = cli_load_part(self, of, part, &exit_code);
        if (!exit_code && file->part)
            file->program = cli_load_program(self, file->part, &settings, NULL, 0, &exit_code);
    }
    cli_free_project(&project);
    return exit_code ? exit_code : open_chip(self, file, about);
}

/* ------------------------------------------------------------------------------------------ cases */

static volatile sig_atomic_t stopped;
static void on_signal(int number)
{
    stopped = number;
}

static bool goes_on(void *context, uint64_t cycles)
{
    (void)context, (void)cycles;
    return !stopped;
}

/* Runs a case in a process of its own. */
static void say_nothing(void *context, const oak_diagnostic *d)
{
    (void)context, (void)d;
}

/* What is wrong with what is written is told by one of them, aloud. */
static pid_t start_case(cli *self, const trial_outcome *one, uint64_t number, trial_slot *slot, bool aloud)
{
    const oak_diag_sink quiet = {.report = say_nothing};
    slot->done = false;
    slot->one = number;
    fflush(stdout);
    pid_t process = fork();
    if (process) return process;
    slot->status = oak_trial_run(one->file->trials, one->number, number, one->file->session, one->file->board,
                                 goes_on, NULL, aloud ? &self->sink : &quiet, &slot->result);
    if (slot->status && slot->status != OAK_REFUSED && slot->status != OAK_INTERRUPTED)
        cli_failed(self, slot->status, one->name);
    slot->done = true;
    fflush(stderr);
    _exit(0);
}

static void add_up(trial_outcome *one, const trial_slot *slot)
{
    one->checks += slot->result.checks;
    one->cycles += slot->result.time.cycles;
    if (!slot->done || slot->status) {
        if (!one->refused || slot->one < one->first) one->first = slot->one;
        one->refused = true;
    } else if (!slot->result.passed) {
        if (!one->failed || slot->one < one->first) one->first = slot->one, one->result = slot->result;
        one->failed++;
    }
}

static double seconds_now(void)
{
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return (double)now.tv_sec + (double)now.tv_nsec / 1e9;
}

static void tell_progress(const trial_outcome *one, uint64_t done, double began)
{
    static double told;
    double now = seconds_now();
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

/* All cases of a trial, on so many processes at a time. False when somebody has interrupted it. */
static bool run_trial(cli *self, trial_outcome *one, trial_slot *slots, const trial_options *options,
                      unsigned workers)
{
    uint64_t next = next_case(one, 0, options);
    unsigned running = 0;
    double began = seconds_now();
    one->ran = one->cycles = one->checks = 0;
    for (bool first = true; (next < one->cases && !stopped && !one->refused) || running;) {
        if (running < workers && next < one->cases && !stopped && !one->refused) {
            trial_slot *free_slot = slots;
            while (free_slot->process) free_slot++;
            free_slot->process = start_case(self, one, next, free_slot, first);
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
        pid_t again = start_case(self, one, one->first, &slots[0], true);
        if (again > 0) waitpid(again, NULL, 0);
    }
    if (one->refused && !slots[0].done && !stopped)
        cli_complain(self, "trial", one->file->path, NULL,
                     "the process of a case has ended before it had run");
    if (isatty(2) && seconds_now() - began >= 1) fputs("\r\033[K", stderr);
    one->seconds = seconds_now() - began;
    return !stopped;
}

/* ------------------------------------------------------------------------------------------ telling */

static void print_recent(void *context, const oak_recent *one)
{
    oak_session *session = context;
    char place[100] = "", time[60];
    uint8_t byte;
    if (oak_image_byte(oak_program_image(oak_session_program(session)), one->pc, &byte))
        oak_session_name_place(session, one->pc, place, sizeof place);
    oak_write_time(one->cycle, oak_session_clock(session), oak_session_part(session)->clocks_per_cycle, time,
                   sizeof time);
    printf("      %12s  %-20s %s\n", time, place, one->text);
}

/* The last edges of pins that have a name. */
static void print_edges(oak_session *session)
{
    enum { EDGES = 6 };
    const oak_trace *trace = oak_session_trace(session);
    const oak_trace_change *change;
    size_t count = 0, first = 0;
    for (; trace && (change = oak_trace_change_at(trace, count)); count++)
        if (!change->time) first = count + 1; /* what stood there from the beginning */
    if (count > first + EDGES) first = count - EDGES;
    if (count > first) puts("    pins before it");
    for (size_t i = first; i < count; i++) {
        char time[60];
        change = oak_trace_change_at(trace, i);
        const oak_trace_signal *signal = oak_trace_signal_at(trace, change->signal);
        oak_write_time(change->time, oak_session_clock(session), oak_session_part(session)->clocks_per_cycle,
                       time, sizeof time);
        printf("      %12s  %-20s %s\n", time, signal->name,
               change->other & 1   ? "floats"
               : signal->bits > 1  ? "changes"
               : change->value & 1 ? "rises"
                                   : "falls");
    }
}

/* Brings a chip to where a case has failed: the same, since nothing but the case decides. */
static bool go_there(cli *self, const trial_outcome *one, bool keeps_past)
{
    oak_session *session = one->file->session;
    uint64_t begun = one->result.begun, at = one->result.time.cycles;
    oak_budget budget = {.cycles = at > begun ? at - begun : 0};
    oak_event ended;
    if (keeps_past &&
        (oak_session_record(session, "pins", &self->sink) || oak_session_keep_history(session, 0)))
        return false;
    return !oak_trial_give(one->file->trials, one->number, one->first, session, one->file->board,
                           &self->sink) &&
           (!budget.cycles || !oak_session_run(session, &budget, &self->sink, &ended));
}

/* Where the program was in that cycle, when the run had gone on since. */
static void locate(cli *self, trial_outcome *one, trial_slot *slot)
{
    fflush(stdout);
    pid_t process = fork();
    if (!process) {
        oak_chip_port chip = oak_session_chip(one->file->session);
        slot->result = one->result;
        if (go_there(self, one, false)) {
            chip.ops->read_register(chip.chip, one->file->part->architecture->pc_register, &slot->result.pc);
            chip.ops->read_time(chip.chip, &slot->result.time);
        }
        _exit(0);
    }
    if (process > 0 && waitpid(process, NULL, 0) == process) one->result = slot->result;
}

static void print_before(cli *self, const trial_outcome *one)
{
    fflush(stdout);
    pid_t process = fork();
    if (!process) {
        if (go_there(self, one, true)) {
            puts("    instructions before it");
            (void)!oak_session_recent(one->file->session, 6, print_recent, one->file->session);
            print_edges(one->file->session);
        }
        fflush(stdout);
        _exit(0);
    }
    if (process > 0) waitpid(process, NULL, 0);
}

static void print_outcome(cli *self, const trial_outcome *one)
{
    bool colour = self->result_colour, passed = !one->failed && !one->refused;
    char cases[60] = "", time[60], number[40];
    trial_time_text(one->file, one->cycles, time, sizeof time);
    if (one->cases > 1 && one->ran != one->cases)
        snprintf(cases, sizeof cases, "%llu of %llu cases, ", (unsigned long long)one->ran,
                 (unsigned long long)one->cases);
    else if (one->cases > 1)
        snprintf(cases, sizeof cases, "%s cases, ", cli_count(one->cases, number, sizeof number));
    printf("%s%s%s  %s  %s(%s%s of the chip)%s\n", cli_paint(colour, passed ? PAINT_STRONG : PAINT_ERROR),
           one->refused ? "refused"
           : passed     ? "passed"
                        : "FAILED",
           cli_paint(colour, PAINT_OFF), one->name, cli_paint(colour, PAINT_FAINT), cases, time,
           cli_paint(colour, PAINT_OFF));
    if (passed || one->refused) return;
    char place[200], words[400], bench[700];
    trial_place_text(one, place, sizeof place);
    trial_time_text(one->file, one->result.time.cycles, time, sizeof time);
    trial_case_words(one, one->first, words, sizeof words);
    if (one->cases > 1)
        printf("    %llu of %llu cases; the first is %s\n", (unsigned long long)one->failed,
               (unsigned long long)one->ran, words);
    if (*one->result.expectation)
        printf("    expected  %s  (%s:%u)\n", one->result.expectation, one->file->path,
               (unsigned)one->result.line);
    printf("    found     %s\n", one->result.found);
    printf("    when      %s, cycle %llu, at %s\n", time, (unsigned long long)one->result.time.cycles, place);
    print_before(self, one);
    trial_bench_command(one, bench, sizeof bench);
    printf("    go there  %s\n", bench);
}

/* ------------------------------------------------------------------------------------------ the command */

static int run_all(cli *self, const trial_file *files, unsigned file_count, const trial_options *options)
{
    size_t count = 0, room = 0, at = 0, failed = 0, refused = 0;
    uint64_t cases = 0, all_cases = 0;
    long cores = sysconf(_SC_NPROCESSORS_ONLN);
    unsigned workers = options->workers ? (unsigned)options->workers : cores > 0 ? (unsigned)cores : 1;
    if (workers > MOST_WORKERS) workers = MOST_WORKERS;
    for (unsigned i = 0; i < file_count; i++)
        for (unsigned n = 0; oak_trial_at(files[i].trials, n); n++) room++;
    trial_outcome *list = cli_calloc(room ? room : 1, sizeof *list);
    trial_slot *slots =
        mmap(NULL, workers * sizeof *slots, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1, 0);
    if (!list || slots == MAP_FAILED) {
        free(list);
        return cli_failed(self, OAK_NO_MEMORY, "trials");
    }
    for (unsigned i = 0; i < file_count; i++) {
        const oak_trial_about *about;
        for (unsigned n = 0; (about = oak_trial_at(files[i].trials, n)); n++) {
            if (options->only && !strstr(about->name, options->only)) continue;
            list[count++] = (trial_outcome){.file = &files[i],
                                            .number = n,
                                            .name = about->name,
                                            .cases = about->cases,
                                            .base = all_cases};
            all_cases += about->cases;
        }
    }
    struct sigaction action = {.sa_handler = on_signal};
    sigaction(SIGINT, &action, NULL);
    sigaction(SIGTERM, &action, NULL);
    if (options->tap) trial_print_tap_begin(count);
    double began = seconds_now();
    const trial_file *last = NULL;
    bool whole = true;
    for (at = 0; at < count && whole; at++) {
        trial_outcome *one = &list[at];
        if (options->list) {
            printf("%s:%s  %llu\n", one->file->path, one->name, (unsigned long long)one->cases);
            continue;
        }
        for (long long again = 0; again < options->repeat && whole && !one->failed && !one->refused;
             again++) {
            whole = run_trial(self, one, slots, options, workers);
        }
        if (!whole) break;
        if (one->failed && !one->refused) locate(self, one, slots);
        refused += one->refused;
        failed += !one->refused && one->failed;
        cases += one->ran;
        if (options->tap) trial_print_tap(at + 1, one);
        else if (!options->json) {
            if (one->file != last) printf("%s\n", one->file->path);
            print_outcome(self, one);
            fflush(stdout);
        }
        last = one->file;
        if (options->first_failure && (one->failed || one->refused)) {
            at++;
            break;
        }
    }
    int exit_code = failed ? EXIT_EXPECTATION : refused ? EXIT_REFUSED : EXIT_DONE;
    if (!count && options->only) {
        cli_complain(self, "trial", NULL, "`spindle trial --list` shows their names.",
                     "no trial has this in its name");
        exit_code = EXIT_REFUSED;
    }
    if (!whole) {
        cli_complain(self, "trial", NULL, NULL, "interrupted: what was not finished is not told");
        exit_code = 128 + (stopped ? stopped : SIGINT);
    }
    if (options->junit && whole && !trial_write_junit(self, options->junit, list, at))
        exit_code = EXIT_REFUSED;
    if (options->json && whole) trial_print_json(self, list, at);
    else if (!options->tap && !options->list && whole && count) {
        char number[40];
        printf("\n%zu trial%s, %s case%s: %zu passed, %zu failed%s; %.1f s\n", at, at == 1 ? "" : "s",
               cli_count(cases, number, sizeof number), cases == 1 ? "" : "s", at - failed - refused, failed,
               refused ? ", some cannot be run" : "", seconds_now() - began);
    }
    munmap(slots, workers * sizeof *slots);
    free(list);
    return exit_code;
}

/* "3/16" */
static bool read_shard(const char *text, trial_options *options)
{
    char *end;
    unsigned long number = strtoul(text, &end, 10), shards = *end == '/' ? strtoul(end + 1, &end, 10) : 0;
    options->shard_number = (unsigned)number - 1;
    options->shards = (unsigned)shards;
    return *text >= '0' && *text <= '9' && !*end && number >= 1 && number <= shards && shards <= 100000;
}

static int run(cli *self, int argc, const char **argv)
{
    trial_options options = {.repeat = 1, .shards = 1};
    const struct poptOption table[] = {
        {"only", 0, POPT_ARG_STRING, &options.only, 0, NULL, NULL},
        {"part", 'p', POPT_ARG_STRING, &options.part, 0, NULL, NULL},
        {"first-failure", 0, POPT_ARG_NONE, &options.first_failure, 0, NULL, NULL},
        {"repeat", 0, POPT_ARG_LONGLONG, &options.repeat, 0, NULL, NULL},
        {"workers", 'j', POPT_ARG_LONGLONG, &options.workers, 0, NULL, NULL},
        {"list", 0, POPT_ARG_NONE, &options.list, 0, NULL, NULL},
        {"shard", 0, POPT_ARG_STRING, &options.shard, 0, NULL, NULL},
        {"merge", 0, POPT_ARG_NONE, &options.merge, 0, NULL, NULL},
        {"tap", 0, POPT_ARG_NONE, &options.tap, 0, NULL, NULL},
        {"junit", 0, POPT_ARG_STRING, &options.junit, 0, NULL, NULL},
        {"json", 0, POPT_ARG_NONE, &self->json, 0, NULL, NULL},
        POPT_TABLEEND};
    poptContext context;
    bool done;
    const char **given = cli_options(self, &command_trial, argc, argv, table, &context, &done);
    char *found[MOST_FILES + 1] = {0};
    unsigned count = 0;
    int exit_code = given ? EXIT_DONE : done ? EXIT_DONE : EXIT_USAGE;
    options.json = self->json;
    if (given && (options.workers < 0 || options.workers > MOST_WORKERS || options.repeat < 1))
        exit_code =
            cli_usage(self, &command_trial, NULL, "workers are 1 to %d, repetitions 1 or more", MOST_WORKERS);
    else if (given && options.tap && options.json)
        exit_code = cli_usage(self, &command_trial, NULL, "one of --tap and --json");
    else if (given && options.shard && !read_shard(options.shard, &options))
        exit_code = cli_usage(self, &command_trial, "Write --shard 3/16: the third of sixteen.",
                              "`%s` is no shard", options.shard);
    else if (given && options.merge && (!given[0] || options.shard || options.tap || options.junit))
        exit_code = cli_usage(self, &command_trial, "Write `spindle trial --merge one.json two.json`.",
                              "--merge takes documents, and no trials");
    else if (given && options.merge) exit_code = trial_merge(self, given);
    else if (given && given[0])
        for (; given[count] && count < MOST_FILES; count++) found[count] = cli_strdup(given[count]);
    else if (given) {
        find_files(".", found, &count, 0);
        qsort(found, count, sizeof *found, by_name);
        if (!count) {
            cli_complain(self, "trial", NULL, "Write one beside the source: docs/trials.md shows how.",
                         "there is no file *" ENDING " here or below");
            exit_code = EXIT_REFUSED;
        }
    }
    trial_file *files = cli_calloc(count ? count : 1, sizeof *files);
    unsigned opened = 0;
    for (; given && !exit_code && files && opened < count;)
        exit_code = open_file(self, &command_trial, &files[opened], found[opened], &options), opened++;
    if (given && !exit_code && files && count) exit_code = run_all(self, files, count, &options);
    for (unsigned i = 0; files && i < opened; i++) close_file(&files[i]);
    for (unsigned i = 0; i < count; i++) free(found[i]);
    free(files);
    if (context) poptFreeContext(context);
    free(options.only);
    free(options.shard);
    free(options.junit);
    free(options.part);
    return exit_code;
}

const command command_trial = {
    "trial",
    "run trials: given data and expectations that pass or fail",
    "usage: spindle trial [FILE...] [options]\n"
    "\n"
    "Runs the trials in FILE..., or in every *.trial.yaml of this folder and those below it.\n"
    "A trial says what a program is given and what is expected of it (docs/trials.md); each\n"
    "case runs on a chip of its own, on all cores, and always gives the same. For what fails:\n"
    "what was found, when and where, what ran before it, and how to open the bench there.\n"
    "\n"
    "      --only TEXT       only trials with TEXT in their names\n"
    "      --first-failure   stop behind the first trial that fails\n"
    "      --repeat N        run each N times, as long as it passes\n"
    "  -j, --workers N       so many cases at a time; as many as there are cores\n"
    "  -p, --part PART       on another part\n"
    "      --shard K/N       every Nth of all cases, from the Kth on: for N machines\n"
    "      --merge           FILE... are documents of --json, one a shard: the whole\n"
    "      --list            names and numbers of cases; nothing is run\n"
    "      --tap             Test Anything Protocol, version 14\n"
    "      --junit FILE      JUnit XML as well\n"
    "      --json            one JSON document\n"
    "\n"
    "exit codes: 0 all have passed, 1 something was refused, 4 one or more have failed\n"
    "\n"
    "examples:\n"
    "  spindle trial\n"
    "  spindle trial lathe.trial.yaml --only door --first-failure\n",
    run,
};
