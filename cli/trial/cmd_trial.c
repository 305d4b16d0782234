/* cmd_trial.c — spindle trial: files of trials are found and made ready, and run one after another. */
#include <dirent.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "trial_run.h"

enum { MOST_FILES = 500, MOST_WORKERS = 64, DEEPEST = 8 };
#define ENDING ".trial.yaml"

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
    trial_close_lines(file);
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

/* Everything that is read for a file of trials becomes a part of its key. */
static void add_to_key(void *context, const char *path, const uint8_t *bytes, size_t size)
{
    trial_file *file = context;
    file->key = trial_hash_of(path, strlen(path), file->key);
    file->key = trial_hash_of(bytes, size, file->key);
}

static oak_status add_text(void *context, const char *text, size_t size)
{
    trial_file *file = context;
    file->key = trial_hash_of(text, size, file->key);
    return OAK_OK;
}

/* And the tool, the part by its name, the image. */
static bool finish_key(trial_file *file)
{
    trial_hash tool;
    const oak_text_sink sink = {file, add_text};
    if (!trial_hash_tool(&tool)) return false;
    file->key = trial_hash_of(&tool, sizeof tool, file->key);
    file->key = trial_hash_of(file->part_name, strlen(file->part_name), file->key);
    return oak_hex_write(oak_program_image(file->program), 0, &sink) == OAK_OK;
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

static int read_files(cli *self, const command *of, trial_file *file, const char *path,
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

static int open_file(cli *self, const command *of, trial_file *file, const char *path,
                     const trial_options *options)
{
    cli_watch_reads(add_to_key, file);
    int exit_code = read_files(self, of, file, path, options);
    cli_watch_reads(NULL, NULL);
    if (!exit_code && options->coverage && !trial_open_lines(self, file)) exit_code = EXIT_REFUSED;
    if (!exit_code && !finish_key(file)) file->key = (trial_hash){0};
    return exit_code;
}

/* ------------------------------------------------------------------------------------------ the command */

/* All trials that are wanted, of all files. */
static trial_outcome *list_trials(const trial_file *files, unsigned file_count, const trial_options *options,
                                  size_t *count)
{
    size_t room = 0;
    uint64_t all_cases = 0;
    for (unsigned i = 0; i < file_count; i++)
        for (unsigned n = 0; oak_trial_at(files[i].trials, n); n++) room++;
    trial_outcome *list = cli_calloc(room ? room : 1, sizeof *list);
    *count = 0;
    for (unsigned i = 0; list && i < file_count; i++) {
        const oak_trial_about *about;
        for (unsigned n = 0; (about = oak_trial_at(files[i].trials, n)); n++) {
            if (options->only && !strstr(about->name, options->only)) continue;
            list[(*count)++] = (trial_outcome){.file = &files[i],
                                               .number = n,
                                               .name = about->name,
                                               .cases = about->cases,
                                               .base = all_cases};
            all_cases += about->cases;
        }
    }
    return list;
}

static void print_sum(const trial_outcome *list, size_t count, double seconds)
{
    char number[40];
    uint64_t cases = 0;
    size_t failed = 0, refused = 0, unchanged = 0;
    for (size_t i = 0; i < count; i++) {
        cases += list[i].ran;
        refused += list[i].refused;
        failed += !list[i].refused && list[i].failed;
        unchanged += list[i].unchanged;
    }
    printf("\n%zu trial%s, %s case%s: %zu passed", count, count == 1 ? "" : "s",
           cli_count(cases, number, sizeof number), cases == 1 ? "" : "s", count - failed - refused);
    if (unchanged) printf(" (%zu unchanged)", unchanged);
    printf(", %zu failed%s; %.1f s\n", failed, refused ? ", some cannot be run" : "", seconds);
}

static cJSON *coverage_of(const trial_file *files, unsigned count)
{
    cJSON *all = cJSON_CreateObject();
    for (unsigned i = 0; i < count; i++) {
        cJSON *one = trial_lines_json(&files[i]);
        trial_add_lines(all, one);
        cJSON_Delete(one);
    }
    return all;
}

/* Documents, and what all has come to. */
static int finish(cli *self, const trial_file *files, unsigned file_count, const trial_outcome *list,
                  size_t count, const trial_options *options, double seconds)
{
    cJSON *coverage = options->coverage ? coverage_of(files, file_count) : NULL;
    bool good = true, failed = false, refused = false;
    for (size_t i = 0; i < count; i++) {
        refused |= list[i].refused;
        failed |= !list[i].refused && list[i].failed;
    }
    if (options->junit) good = trial_write_junit(self, options->junit, list, count);
    if (coverage && good) good = trial_write_lines(self, options->coverage, coverage);
    if (options->json) trial_print_json(self, list, count, coverage);
    else {
        if (!options->tap && count) {
            print_sum(list, count, seconds);
            if (coverage) trial_print_lines(coverage);
        }
        cJSON_Delete(coverage);
    }
    return failed ? EXIT_EXPECTATION : refused || !good ? EXIT_REFUSED : EXIT_DONE;
}

static void tell_one(cli *self, const trial_outcome *one, size_t number, const trial_file *last,
                     const trial_options *options)
{
    if (options->tap) trial_print_tap(number, one);
    else if (!options->json) {
        if (one->file != last) printf("%s\n", one->file->path);
        trial_print_outcome(self, one);
        if (options->pictures && one->failed && !one->refused)
            trial_draw_outcome(self, one, options->pictures);
    }
    fflush(stdout);
}

static int run_all(cli *self, const trial_file *files, unsigned file_count, const trial_options *options)
{
    size_t count = 0, at = 0;
    long cores = sysconf(_SC_NPROCESSORS_ONLN);
    unsigned workers = options->workers ? (unsigned)options->workers : cores > 0 ? (unsigned)cores : 1;
    if (workers > MOST_WORKERS) workers = MOST_WORKERS;
    trial_outcome *list = list_trials(files, file_count, options, &count);
    trial_crew *crew = list ? trial_open_crew(self, list, count, options, workers) : NULL;
    if (!crew) {
        free(list);
        return cli_failed(self, OAK_NO_MEMORY, "trials");
    }
    trial_catch_signals();
    if (options->tap && !options->list) trial_print_tap_begin(count);
    double began = trial_seconds_now();
    bool whole = true, ends = false;
    int exit_code = EXIT_DONE;
    while (at < count && whole && !ends) {
        trial_outcome *one = &list[at];
        if (options->list)
            printf("%s:%s  %llu\n", one->file->path, one->name, (unsigned long long)one->cases);
        else if ((whole = trial_run_cases(crew, at)))
            tell_one(self, one, at + 1, at ? one[-1].file : NULL, options);
        at += whole;
        ends = options->first_failure && (one->failed || one->refused);
    }
    if (!whole) {
        cli_complain(self, "trial", NULL, NULL, "interrupted: what was not finished is not told");
        exit_code = 128 + (trial_caught() ? trial_caught() : SIGINT);
    } else if (!count && options->only) {
        cli_complain(self, "trial", NULL, "`spindle trial --list` shows their names.",
                     "no trial has this in its name");
        exit_code = EXIT_REFUSED;
    } else if (!options->list)
        exit_code = finish(self, files, file_count, list, at, options, trial_seconds_now() - began);
    trial_close_crew(crew);
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
        {"keep", 0, POPT_ARG_NONE, &options.keep, 0, NULL, NULL},
        {"afresh", 0, POPT_ARG_NONE, &options.afresh, 0, NULL, NULL},
        {"coverage", 0, POPT_ARG_STRING, &options.coverage, 0, NULL, NULL},
        {"pictures", 0, POPT_ARG_STRING, &options.pictures, 0, NULL, NULL},
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
    else if (given && options.pictures && (options.tap || options.json))
        exit_code = cli_usage(self, &command_trial, NULL, "--pictures goes with neither --tap nor --json");
    else if (given && options.merge) exit_code = trial_merge(self, given, &options);
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
    free(options.coverage);
    free(options.pictures);
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
    "      --afresh          also those that have passed and are unchanged since\n"
    "      --keep            write the runs that `as in FILE.vcd` is held against, from these\n"
    "      --coverage FILE   how often each line has run, as a tracefile (LCOV)\n"
    "      --pictures FOLDER waves of each trial that fails\n"
    "      --list            names and numbers of cases; nothing is run\n"
    "      --tap             Test Anything Protocol, version 14\n"
    "      --junit FILE      JUnit XML as well\n"
    "      --json            one JSON document\n"
    "\n"
    "exit codes: 0 all have passed, 1 something was refused, 4 one or more have failed\n"
    "\n"
    "examples:\n"
    "  spindle trial\n"
    "  spindle trial lathe.trial.yaml --only door --first-failure\n"
    "  spindle trial --shard 1/2 --json > one.json; spindle trial --merge one.json two.json\n",
    run,
};
