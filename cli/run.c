/* run.c — running a program as the options say, for every command that does. */
#include <limits.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include <oakspindle/trial.h>

#include "cli.h"

enum { DEFAULT_SECONDS = 10, MOST_SHOWS = 64 };
static const long long NOT_GIVEN = LLONG_MIN;

typedef struct run_options {
    char *given; /* FILE:TRIAL */
    char *part, *clock, *time, *state_in, *state_out, *symbols, *dump, *pace, *board, *attach, *pseudo;
    char **stops, **sets, **drives, **shows, **includes, **warns, **notices, **stimuli, **records, **marks,
        **laps, **acts;
    long long cycles, steps, base, seed;
    int json, brief, check_reads, data_runs, as_is;
} run_options;

/* ------------------------------------------------------------------------------------------ preparing */

/* "PLACE [if CONDITION] [every N] [once]" */
bool cli_add_stop(cli *self, oak_session *session, const char *text)
{
    char *copy = cli_strdup(text), *condition = copy ? strstr(copy, " if ") : NULL,
         *every = copy ? strstr(copy, " every ") : NULL, *end = NULL;
    unsigned long long count = 1;
    unsigned number;
    size_t length = copy ? strlen(copy) : 0;
    if (!copy) return false;
    bool once = length > 5 && strcmp(copy + length - 5, " once") == 0;
    if (once) copy[length - 5] = 0;
    if (every) {
        count = strtoull(every + 7, &end, 10);
        *every = 0;
        if (every[7] < '0' || every[7] > '9' || !count || (*end && strncmp(end, " if ", 4) != 0)) {
            cli_complain(self, "stop", NULL, "Write `--stop-at 'label every 3'`.",
                         "behind `every` comes a number from 1");
            free(copy);
            return false;
        }
    }
    if (condition) *condition = 0, condition += 4;
    for (char *tail = copy + strlen(copy); tail > copy && tail[-1] == ' '; tail--) tail[-1] = 0;
    oak_status status = oak_session_add_stop(session, copy, condition, count, &self->sink, &number);
    if (!status && once) status = oak_session_stop_once(session, number);
    if (status && status != OAK_REFUSED) cli_failed(self, status, text);
    free(copy);
    return status == OAK_OK;
}

/* "PLACE to PLACE" */
static int add_lap(cli *self, const command *of, oak_session *session, const char *text)
{
    const char *to = strstr(text, " to ");
    if (!to) {
        cli_usage(self, of,
                  "Write `--lap 'begin to end'`: places, which may be the same, or pins: 'p1.1 rises to p0.0 "
                  "falls', or "
                  "'look to its return'.",
                  "`%s` is no lap", text);
        return EXIT_USAGE;
    }
    char *from = cli_strndup(text, (size_t)(to - text));
    oak_status status = from ? oak_session_add_lap(session, from, to + 4, &self->sink) : OAK_NO_MEMORY;
    free(from);
    if (status && status != OAK_REFUSED) cli_failed(self, status, text);
    return status ? EXIT_REFUSED : EXIT_DONE;
}

static bool read_stimuli(cli *self, oak_session *session, const char *path)
{
    uint8_t *bytes;
    size_t size;
    oak_status status = self->host.read_file(self->host.context, path, 16u << 20, &bytes, &size);
    if (status) {
        cli_complain(self, "no-file", path,
                     "A stimulus file has a line like `p1.0 = 1 until 40ms, 0` for each pin.",
                     status == OAK_NOT_FOUND ? "there is no such stimulus file" : oak_status_text(status));
        return false;
    }
    status = oak_session_read_stimuli(session, bytes ? (const char *)bytes : "", size, path, &self->sink);
    if (bytes) self->host.resize(self->host.context, bytes, size, 0);
    return cli_failed(self, status, path) == EXIT_DONE;
}

static bool read_state(cli *self, oak_session *session, const char *path)
{
    uint8_t *bytes;
    size_t size;
    oak_status status = self->host.read_file(self->host.context, path, 64u << 20, &bytes, &size);
    if (status) {
        cli_complain(self, "no-file", path, "State files are written by --state-out.",
                     status == OAK_NOT_FOUND ? "there is no such state file" : oak_status_text(status));
        return false;
    }
    status = oak_session_read_state(session, bytes ? (const char *)bytes : "", size, path, &self->sink);
    if (bytes) self->host.resize(self->host.context, bytes, size, 0);
    return cli_failed(self, status, path) == EXIT_DONE;
}

/* What a trial is given: "FILE:NAME", "FILE:NAME/3" for its third case; its name may be left out where it is the only one. */
static int give(cli *self, const command *of, oak_session *session, oak_board *board, const char *text)
{
    static const char ending[] = ".yaml";
    const char *mark = strstr(text, ending);
    oak_trials *trials = NULL;
    unsigned number = 0;
    uint64_t which = 0;
    char *path = mark ? cli_strndup(text, (size_t)(mark - text) + strlen(ending)) : cli_strdup(text);
    const char *name = mark && mark[strlen(ending)] == ':' ? mark + strlen(ending) + 1 : NULL;
    oak_status status = path ? oak_trials_load(&self->host, path, &self->sink, &trials) : OAK_NO_MEMORY;
    int exit_code = cli_failed(self, status, path);
    if (!status &&
        ((!name && oak_trial_at(trials, 1)) || (name && !oak_trial_find(trials, name, &number, &which)))) {
        char hint[300] = "Trials:";
        const oak_trial_about *about;
        for (unsigned i = 0; (about = oak_trial_at(trials, i)); i++)
            snprintf(hint + strlen(hint), sizeof hint - strlen(hint), "%s `%s`", i ? "," : "", about->name);
        exit_code = cli_usage(self, of, hint,
                              "`%s` names no trial; write FILE:NAME, or FILE:NAME/3 for a case", text);
    } else if (!status)
        exit_code =
            cli_failed(self, oak_trial_give(trials, number, which, session, board, &self->sink), path);
    oak_trials_free(trials);
    free(path);
    return exit_code;
}

/* KIND=stop, KIND=warning, KIND=off */
static bool set_notice(cli *self, const command *of, oak_session *session, const char *text)
{
    static const char *const levels[] = {"off", "warning", "stop"};
    const char *equals = strchr(text, '=');
    for (unsigned level = 0; equals && level < 3; level++)
        if (strcmp(equals + 1, levels[level]) == 0 &&
            oak_session_set_level(session, text, (size_t)(equals - text), (oak_notice_level)level) == OAK_OK)
            return true;
    char all[400] = "Write --notice KIND=off, warning or stop. Kinds:";
    oak_notice_level usual;
    const char *word;
    for (unsigned i = 0; (word = oak_notice_word(i, &usual)); i++)
        snprintf(all + strlen(all), sizeof all - strlen(all), "%s %s", i ? "," : "", word);
    cli_usage(self, of, all, "`%s` sets no notice", text);
    return false;
}

/* Clock, state, drives, settings, stop points: in the order in which each may rely on the other. */
static int prepare(cli *self, const command *of, oak_session *session, oak_board *board,
                   const run_options *options)
{
    uint64_t clock;
    if (options->seed < 0) return cli_usage(self, of, NULL, "a seed is a whole number from 0");
    if (options->seed) oak_session_set_seed(session, (uint64_t)options->seed);
    if (board) {
        oak_status status =
            oak_board_clock(board) ? oak_session_set_clock(session, oak_board_clock(board)) : OAK_OK;
        if (!status) status = oak_board_join(board, session, options->seed ? (uint64_t)options->seed : 1);
        if (status) return cli_failed(self, status, options->board);
    }
    if (options->state_in && !read_state(self, session, options->state_in)) return EXIT_REFUSED;
    if (options->clock) {
        if (oak_read_frequency(options->clock, &clock))
            return cli_usage(self, of, "Write --clock 12MHz or --clock 11.0592MHz.",
                             "`%s` is no clock frequency", options->clock);
        size_t digits = strspn(options->clock, "0123456789.");
        if (!options->clock[digits] && clock < 1000000) /* 11.0592 */
            return cli_usage(self, of, "Write --clock 11.0592MHz; a clock as slow as that is written 50Hz.",
                             "`%s` without a unit would be %s Hz", options->clock, options->clock);
        oak_status status = oak_session_set_clock(session, clock);
        if (status) return cli_failed(self, status, options->clock);
    }
    for (char **one = options->notices; one && *one; one++)
        if (!set_notice(self, of, session, *one)) return EXIT_USAGE;
    for (char **one = options->acts; one && *one; one++) {
        if (!board) return cli_usage(self, of, "Give the board with --board F.", "--act needs a board");
        if (oak_board_act(board, *one, &self->sink)) return EXIT_REFUSED;
    }
    for (char **one = options->stimuli; one && *one; one++)
        if (!read_stimuli(self, session, *one)) return EXIT_REFUSED;
    for (char **one = options->drives; one && *one; one++)
        if (oak_session_drive(session, *one, &self->sink)) return EXIT_REFUSED;
    if (options->given) {
        int exit_code = give(self, of, session, board, options->given);
        if (exit_code) return exit_code;
    }
    for (char **one = options->sets; one && *one; one++)
        if (oak_session_set(session, *one, &self->sink)) return EXIT_REFUSED;
    for (char **one = options->stops; one && *one; one++)
        if (!cli_add_stop(self, session, *one)) return EXIT_REFUSED;
    for (char **one = options->laps; one && *one; one++) {
        int exit_code = add_lap(self, of, session, *one);
        if (exit_code) return exit_code;
    }
    for (char **one = options->records; one && *one; one++)
        if (oak_session_record(session, *one, &self->sink)) return EXIT_REFUSED;
    for (char **one = options->marks; one && *one; one++)
        if (oak_session_mark(session, *one, &self->sink)) return EXIT_REFUSED;
    if (options->dump && !options->records)
        return cli_failed(self, oak_session_record(session, "pins", &self->sink), options->dump);
    return EXIT_DONE;
}

static int read_budget(cli *self, const command *of, oak_session *session, const run_options *options,
                       oak_budget *budget, char *words, size_t room)
{
    uint64_t picoseconds;
    unsigned clocks = oak_session_part(session)->clocks_per_cycle;
    *budget = (oak_budget){0};
    bool bad_cycles = options->cycles != NOT_GIVEN && options->cycles < 1,
         bad_steps = options->steps != NOT_GIVEN && options->steps < 1;
    if (bad_cycles || bad_steps) return cli_usage(self, of, NULL, "a budget is a whole number from 1");
    if (options->cycles != NOT_GIVEN) budget->cycles = (uint64_t)options->cycles;
    if (options->steps != NOT_GIVEN) budget->instructions = (uint64_t)options->steps;
    if (options->time) {
        if (oak_read_time(options->time, strlen(options->time), &picoseconds))
            return cli_usage(self, of, "Write --time 5ms, --time 1.5s, --time 250us.", "`%s` is no time",
                             options->time);
        uint64_t cycles = oak_time_to_cycles(picoseconds, oak_session_clock(session), clocks);
        if (!cycles) return cli_usage(self, of, NULL, "the time budget is shorter than a cycle");
        bool shorter = !budget->cycles || cycles < budget->cycles;
        if (shorter) budget->cycles = cycles;
        if (shorter) snprintf(words, room, "--time %s", options->time);
        else snprintf(words, room, "--cycles %lld", options->cycles);
    } else if (!budget->cycles && !budget->instructions) {
        if (options->pseudo) return EXIT_DONE; /* whoever sits there ends it */
        budget->cycles = oak_time_to_cycles((uint64_t)DEFAULT_SECONDS * 1000000000000u,
                                            oak_session_clock(session), clocks);
        snprintf(words, room, "the usual %d s; --time gives more", DEFAULT_SECONDS);
    } else if (budget->cycles) snprintf(words, room, "--cycles %lld", options->cycles);
    else snprintf(words, room, "--steps %lld", options->steps);
    return EXIT_DONE;
}

/* ------------------------------------------------------------------------------------------ running */

/* Real time beside simulated time, and Ctrl-C. */
typedef struct pacer {
    struct timespec began;
    uint64_t first_cycle;
    double picoseconds_per_cycle, pace; /* pace 0: as fast as it goes */
    cli_attached attached;
} pacer;

static volatile sig_atomic_t interrupted;

/* Whoever insists gets away, unless that would lose a session. */
static volatile sig_atomic_t holds_on;
static void on_interrupt(int number)
{
    enum { INSISTS = 3 };
    if (++interrupted < INSISTS || holds_on) return;
    cli_restore_terminal();
    signal(number, SIG_DFL);
    raise(number);
}

void cli_catch_interrupts(bool for_good)
{
    interrupted = 0;
    holds_on = for_good;
    struct sigaction action = {.sa_handler = on_interrupt};
    sigaction(SIGINT, &action, NULL);
}

bool cli_was_interrupted(void)
{
    return interrupted != 0;
}

static bool breathe(void *context, uint64_t cycles)
{
    pacer *p = context;
    cli_attached_poll(&p->attached);
    if (p->pace > 0) {
        double due = (double)(cycles - p->first_cycle) * p->picoseconds_per_cycle / 1e12 / p->pace;
        struct timespec now;
        clock_gettime(CLOCK_MONOTONIC, &now);
        double left =
            due - ((double)(now.tv_sec - p->began.tv_sec) + (double)(now.tv_nsec - p->began.tv_nsec) / 1e9);
        struct timespec pause = {(time_t)left, (long)((left - (double)(time_t)left) * 1e9)};
        if (left > 0) nanosleep(&pause, NULL);
    }
    return !interrupted;
}

/* "1", "0.1", "25%" */
static bool read_pace(const char *text, double *pace)
{
    char *end;
    *pace = strtod(text, &end);
    if (strcmp(end, "%") == 0) *pace /= 100, end++;
    return end != text && !*end && *pace > 0 && *pace < 1e6;
}

static void begin_breathing(oak_session *session, pacer *p, oak_budget *budget)
{
    const oak_part *part = oak_session_part(session);
    oak_chip_port chip = oak_session_chip(session);
    oak_chip_time time = {0};
    enum { BREATH = 200000, PACED_PARTS = 100 }; /* cycles; of a second */
    chip.ops->read_time(chip.chip, &time);
    p->first_cycle = time.cycles;
    p->picoseconds_per_cycle = 1e15 * part->clocks_per_cycle / (double)oak_session_clock(session);
    clock_gettime(CLOCK_MONOTONIC, &p->began);
    double second = 1e12 / p->picoseconds_per_cycle;
    budget->breathe = breathe;
    budget->context = p;
    budget->breath = p->pace > 0 ? (uint64_t)(second * p->pace / PACED_PARTS) + 1 : BREATH;
    if (p->attached.who && budget->breath > second / PACED_PARTS)
        budget->breath = (uint64_t)(second / PACED_PARTS) + 1;
    cli_catch_interrupts(holds_on);
}

void cli_breathe(oak_session *session, double pace, oak_budget *budget)
{
    static pacer p;
    p = (pacer){.pace = pace};
    begin_breathing(session, &p, budget);
}

static bool begin_pace(cli *self, const command *of, oak_session *session, const run_options *options,
                       pacer *p, oak_budget *budget)
{
    if (options->pace && !read_pace(options->pace, &p->pace)) {
        cli_usage(self, of, "Write --pace 1 for the speed of the chip, --pace 0.1 or --pace 10%.",
                  "`%s` is no pace", options->pace);
        return false;
    }
    begin_breathing(session, p, budget);
    return true;
}

/* State and dump, as they were asked for: both or neither. */
static int write_outputs(cli *self, oak_session *session, const run_options *options)
{
    cli_text state = {0}, dump = {0};
    oak_text_sink state_sink = cli_text_sink(&state), dump_sink = cli_text_sink(&dump);
    cli_file files[2];
    unsigned count = 0;
    int exit_code = EXIT_DONE;
    if (options->state_out) {
        exit_code = cli_failed(self, oak_session_write_state(session, &state_sink), options->state_out);
        files[count++] = (cli_file){options->state_out, &state, false};
    }
    if (!exit_code && options->dump) {
        const oak_trace *trace = oak_session_trace(session);
        if (oak_trace_is_full(trace))
            cli_complain(self, "trace-full", options->dump, "Record fewer pins, or a shorter time.",
                         "the dump ends early: there are more changes than are kept");
        exit_code = cli_failed(self, oak_trace_write_vcd(trace, &dump_sink), options->dump);
        files[count++] = (cli_file){options->dump, &dump, false};
    }
    if (!exit_code && count && !cli_write_files(self, files, count)) exit_code = EXIT_REFUSED;
    free(state.bytes);
    free(dump.bytes);
    return exit_code;
}

static int run_session(cli *self, const cli_runner *runner, oak_session *session, oak_board *board,
                       const char *path, const run_options *options)
{
    const command *of = runner->of;
    show_item shows[MOST_SHOWS];
    unsigned show_count = 0;
    char words[100] = "";
    oak_budget budget;
    oak_event event;
    pacer pace = {0};
    bool may = (!options->state_out || cli_may_write(self, options->state_out)) &&
               (!options->dump || cli_may_write(self, options->dump));
    int exit_code = may ? prepare(self, of, session, board, options) : EXIT_REFUSED;
    if (!exit_code) exit_code = read_budget(self, of, session, options, &budget, words, sizeof words);
    for (char **one = options->shows; !exit_code && one && *one; one++) {
        if (show_count == MOST_SHOWS)
            exit_code = cli_usage(self, of, NULL, "--show can be given %d times", MOST_SHOWS);
        else if (!cli_read_show(self, session, *one, &shows[show_count])) exit_code = EXIT_REFUSED;
        else show_count++;
    }
    if (!exit_code && runner->prepare) exit_code = runner->prepare(self, session, runner->context);
    if (!exit_code && runner->instead) {
        for (unsigned i = 0; i < show_count; i++) free(shows[i].expression);
        return runner->instead(self, session, board, path, runner->context);
    }
    if (!exit_code && options->attach &&
        !cli_attach(self, board, options->attach, false, options->as_is != 0, &pace.attached))
        exit_code = EXIT_REFUSED;
    if (!exit_code && options->pseudo &&
        !cli_attach(self, board, options->pseudo, true, true, &pace.attached))
        exit_code = EXIT_REFUSED;
    if (!exit_code && !begin_pace(self, of, session, options, &pace, &budget)) exit_code = EXIT_USAGE;
    oak_status status = exit_code ? OAK_OK : oak_session_run(session, &budget, &self->sink, &event);
    cli_detach(&pace.attached);
    if (status) exit_code = cli_failed(self, status, path);
    else if (!exit_code && event.stop.reason == OAK_STOP_STEPS)
        snprintf(words, sizeof words, "--steps %lld", options->steps);
    if (!exit_code) exit_code = write_outputs(self, session, options);
    if (!exit_code && runner->finish) exit_code = runner->finish(self, session, path, runner->context);
    else if (!exit_code) {
        const cli_reported what = {path, words, shows, show_count, options->brief, board};
        if (self->json) cli_report_json(self, session, &what);
        else cli_report(self, session, &what);
    }
    if (!exit_code && event.stop.reason == OAK_STOP_FAULT) exit_code = EXIT_FAULTED;
    for (unsigned i = 0; i < show_count; i++) free(shows[i].expression);
    return exit_code;
}

/* What the program came from, for reading it again. */
static struct loaded {
    const oak_part *part;
    const oak_asm_settings *settings;
    const run_options *options;
} loaded;

bool cli_would_load(cli *self)
{
    int exit_code;
    if (!loaded.part) {
        cli_complain(self, "bench", NULL, NULL, "nothing has been read that could be read anew");
        return false;
    }
    oak_program *program = cli_load_program(self, loaded.part, loaded.settings, loaded.options->symbols,
                                            (uint32_t)loaded.options->base, &exit_code);
    oak_program_free(program);
    return program != NULL;
}

static bool program_knows_data(const oak_program *program)
{
    uint32_t at, size;
    size_t next = 0;
    return oak_program_next_data(program, &next, &at, &size) == OAK_OK;
}

static int run_program(cli *self, const cli_runner *runner, const oak_part *part,
                       const oak_asm_settings *settings, const run_options *options)
{
    const char *path = settings->paths[0];
    int exit_code;
    loaded = (struct loaded){part, settings, options};
    oak_machine *machine = NULL;
    oak_session *session = NULL;
    uint32_t outside = 0;
    oak_program *program =
        cli_load_program(self, part, settings, options->symbols, (uint32_t)options->base, &exit_code);
    if (!program) return exit_code;
    oak_status status = oak_machine_create(&self->host, part, &machine);
    if (!status) status = oak_machine_load(machine, oak_program_image(program), &outside);
    if (status == OAK_OUT_OF_RANGE) {
        char message[200];
        snprintf(message, sizeof message, "the image has bytes at 0x%04x, where %s has no code memory",
                 (unsigned)outside, part->name);
        cli_complain(self, "outside-memory", path, "Choose a larger part: `spindle parts` lists them.",
                     message);
    }
    if (!status) {
        oak_chip_port chip = oak_machine_port(machine);
        status = oak_session_open(&self->host, &chip, program, &session);
        if (!status) oak_session_track_changes(session, true);
    }
    uint32_t at, size;
    if (!status && options->data_runs && !program_knows_data(program))
        cli_remark(self, "usage", path, "Only a source tells data from instructions.",
                   "--data-runs changes nothing here");
    for (size_t next = 0;
         !status && !options->data_runs && oak_program_next_data(program, &next, &at, &size) == OAK_OK;)
        oak_machine_mark_data(machine, at, size);
    oak_status checks = !status && options->check_reads ? oak_machine_check_reads(machine, true) : OAK_OK;
    if (checks == OAK_NO_MEMORY) status = checks;
    else if (checks)
        cli_complain(self, "no-check", path, NULL,
                     "this architecture does not watch for reads of unwritten memory");
    oak_board *board = NULL;
    if (!status && options->board)
        status = oak_board_load(&self->host, options->board, part, NULL, &self->sink, &board);
    exit_code = cli_failed(self, status, path);
    if (!exit_code) exit_code = run_session(self, runner, session, board, path, options);
    oak_session_close(session);
    oak_board_free(board);
    oak_machine_free(machine);
    oak_program_free(program);
    return exit_code;
}

static void free_list(char **list)
{
    for (char **one = list; one && *one; one++) free(*one);
    free(list);
}

int cli_run(cli *self, const cli_runner *runner, int argc, const char **argv)
{
    const command *of = runner->of;
    run_options options = {.cycles = NOT_GIVEN, .steps = NOT_GIVEN};
    static const struct poptOption nothing[] = {POPT_TABLEEND};
    const struct poptOption table[] = {
        {NULL, 0, POPT_ARG_INCLUDE_TABLE, (void *)(runner->options ? runner->options : nothing), 0, NULL,
         NULL},
        {"part", 'p', POPT_ARG_STRING, &options.part, 0, NULL, NULL},
        {"clock", 0, POPT_ARG_STRING, &options.clock, 0, NULL, NULL},
        {"stop-at", 0, POPT_ARG_ARGV, &options.stops, 0, NULL, NULL},
        {"steps", 0, POPT_ARG_LONGLONG, &options.steps, 0, NULL, NULL},
        {"cycles", 0, POPT_ARG_LONGLONG, &options.cycles, 0, NULL, NULL},
        {"time", 0, POPT_ARG_STRING, &options.time, 0, NULL, NULL},
        {"set", 0, POPT_ARG_ARGV, &options.sets, 0, NULL, NULL},
        {"drive", 0, POPT_ARG_ARGV, &options.drives, 0, NULL, NULL},
        {"notice", 0, POPT_ARG_ARGV, &options.notices, 0, NULL, NULL},
        {"given", 0, POPT_ARG_STRING, &options.given, 0, NULL, NULL},
        {"stimuli", 0, POPT_ARG_ARGV, &options.stimuli, 0, NULL, NULL},
        {"seed", 0, POPT_ARG_LONGLONG, &options.seed, 0, NULL, NULL},
        {"record", 0, POPT_ARG_ARGV, &options.records, 0, NULL, NULL},
        {"mark", 0, POPT_ARG_ARGV, &options.marks, 0, NULL, NULL},
        {"dump", 0, POPT_ARG_STRING, &options.dump, 0, NULL, NULL},
        {"lap", 0, POPT_ARG_ARGV, &options.laps, 0, NULL, NULL},
        {"pace", 0, POPT_ARG_STRING, &options.pace, 0, NULL, NULL},
        {"board", 0, POPT_ARG_STRING, &options.board, 0, NULL, NULL},
        {"act", 0, POPT_ARG_ARGV, &options.acts, 0, NULL, NULL},
        {"attach", 0, POPT_ARG_STRING, &options.attach, 0, NULL, NULL},
        {"as-is", 0, POPT_ARG_NONE, &options.as_is, 0, NULL, NULL},
        {"pty", 0, POPT_ARG_STRING, &options.pseudo, 0, NULL, NULL},
        {"show", 0, POPT_ARG_ARGV, &options.shows, 0, NULL, NULL},
        {"state-in", 0, POPT_ARG_STRING, &options.state_in, 0, NULL, NULL},
        {"state-out", 0, POPT_ARG_STRING, &options.state_out, 0, NULL, NULL},
        {"symbols", 's', POPT_ARG_STRING, &options.symbols, 0, NULL, NULL},
        {"base", 0, POPT_ARG_LONGLONG, &options.base, 0, NULL, NULL},
        {"check-reads", 0, POPT_ARG_NONE, &options.check_reads, 0, NULL, NULL},
        {"data-runs", 0, POPT_ARG_NONE, &options.data_runs, 0, NULL, NULL},
        {"brief", 'b', POPT_ARG_NONE, &options.brief, 0, NULL, NULL},
        {"include", 'I', POPT_ARG_ARGV, &options.includes, 0, NULL, NULL},
        {"warn", 'w', POPT_ARG_ARGV, &options.warns, 0, NULL, NULL},
        {"json", 0, POPT_ARG_NONE, &options.json, 0, NULL, NULL},
        POPT_TABLEEND,
    };
    poptContext context;
    bool done;
    int exit_code;
    cli_project project = {0};
    const char **files = cli_options(self, of, argc, argv, table, &context, &done);
    bool taken =
        files && files[0] && runner->takes && runner->takes(self, files, runner->context, &exit_code);
    int found = files && !taken && !files[0] ? cli_take_project(self, &project, &files, &options.part,
                                                                &options.includes, &options.warns)
                                             : -1;
    if (found == EXIT_DONE) cli_take(&options.clock, &project.clock);
    if (files && files[0] && found < 0 && !taken && cli_take_part(self, &options.part, &options.clock) > 0)
        found = EXIT_REFUSED;
    if (!files) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (taken) found = 0;
    else if (found > 0) exit_code = found;
    else if (!files[0])
        exit_code = cli_usage(self, of, NULL, "no program is given, and there is no " CLI_PROJECT_FILE);
    else {
        oak_part *part = cli_load_part(self, of, options.part, &exit_code);
        oak_warning warnings[CLI_MOST_WARNINGS];
        oak_asm_settings settings;
        bool set = cli_settings(self, of, files, options.includes, options.warns, warnings, &settings);
        if (part && (!set || !cli_check_base(self, of, files, options.base))) exit_code = EXIT_USAGE;
        else if (part) {
            do exit_code = run_program(self, runner, part, &settings, &options);
            while (exit_code == CLI_AGAIN);
        }
        oak_part_free(part);
    }
    if (context) poptFreeContext(context);
    cli_free_project(&project);
    free_list(options.stops);
    free_list(options.sets);
    free_list(options.drives);
    free_list(options.notices);
    free_list(options.stimuli);
    free(options.given);
    free_list(options.records);
    free_list(options.marks);
    free_list(options.laps);
    free_list(options.acts);
    free(options.board);
    free(options.attach);
    free(options.pseudo);
    free(options.dump);
    free(options.pace);
    free_list(options.shows);
    free_list(options.includes);
    free_list(options.warns);
    free(options.part);
    free(options.clock);
    free(options.time);
    free(options.state_in);
    free(options.state_out);
    free(options.symbols);
    return exit_code;
}
