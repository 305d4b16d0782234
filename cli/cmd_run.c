/* cmd_run.c — spindle run: simulate a program until something stops it, and report. */
#include <stdlib.h>
#include <string.h>

#include "cli.h"

enum { DEFAULT_SECONDS = 10, MOST_SHOWS = 64 };

typedef struct run_options {
    char *part, *clock, *time, *state_in, *state_out, *symbols;
    char **stops, **sets, **drives, **shows, **includes, **warns;
    long long cycles, steps, base;
    int json, brief, check_reads, data_runs;
} run_options;

/* ------------------------------------------------------------------------------------------ preparing */

/* "PLACE [if CONDITION] [every N]" */
static bool add_stop(cli *self, oak_session *session, const char *text)
{
    char *copy = strdup(text), *condition = copy ? strstr(copy, " if ") : NULL,
         *every = copy ? strstr(copy, " every ") : NULL, *end = NULL;
    unsigned long long count = 1;
    if (!copy) return false;
    if (every) {
        count = strtoull(every + 7, &end, 10);
        *every = 0;
        if (!count || (*end && strncmp(end, " if ", 4) != 0)) {
            cli_complain(self, "stop", NULL, "Write `--stop-at 'label every 3'`.",
                         "behind `every` comes a number from 1");
            free(copy);
            return false;
        }
    }
    if (condition) *condition = 0, condition += 4;
    for (char *tail = copy + strlen(copy); tail > copy && tail[-1] == ' '; tail--) tail[-1] = 0;
    oak_status status = oak_session_add_stop(session, copy, condition, count, &self->sink, NULL);
    if (status && status != OAK_REFUSED) cli_failed(self, status, text);
    free(copy);
    return status == OAK_OK;
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

/* Clock, state, drives, settings, stop points: in the order in which each may rely on the other. */
static int prepare(cli *self, oak_session *session, const run_options *options)
{
    uint64_t clock;
    if (options->state_in && !read_state(self, session, options->state_in)) return EXIT_REFUSED;
    if (options->clock) {
        if (oak_read_frequency(options->clock, &clock))
            return cli_usage(self, &command_run, "Write --clock 12MHz or --clock 11.0592MHz.",
                             "`%s` is no clock frequency", options->clock);
        oak_session_set_clock(session, clock);
    }
    for (char **one = options->drives; one && *one; one++)
        if (oak_session_drive(session, *one, &self->sink)) return EXIT_REFUSED;
    for (char **one = options->sets; one && *one; one++)
        if (oak_session_set(session, *one, &self->sink)) return EXIT_REFUSED;
    for (char **one = options->stops; one && *one; one++)
        if (!add_stop(self, session, *one)) return EXIT_REFUSED;
    return EXIT_DONE;
}

static int read_budget(cli *self, oak_session *session, const run_options *options, oak_budget *budget,
                       char *words, size_t room)
{
    uint64_t picoseconds;
    unsigned clocks = oak_session_part(session)->clocks_per_cycle;
    *budget = (oak_budget){0};
    if (options->cycles < 0 || options->steps < 0)
        return cli_usage(self, &command_run, NULL, "a budget is a whole number from 1");
    budget->cycles = (uint64_t)options->cycles;
    budget->instructions = (uint64_t)options->steps;
    if (options->time) {
        if (oak_read_time(options->time, strlen(options->time), &picoseconds))
            return cli_usage(self, &command_run, "Write --time 5ms, --time 1.5s, --time 250us.",
                             "`%s` is no time", options->time);
        uint64_t cycles = oak_time_to_cycles(picoseconds, oak_session_clock(session), clocks);
        if (!cycles) return cli_usage(self, &command_run, NULL, "the time budget is shorter than a cycle");
        if (!budget->cycles || cycles < budget->cycles) budget->cycles = cycles;
        snprintf(words, room, "--time %s", options->time);
    } else if (!budget->cycles && !budget->instructions) {
        budget->cycles = oak_time_to_cycles((uint64_t)DEFAULT_SECONDS * 1000000000000u,
                                            oak_session_clock(session), clocks);
        snprintf(words, room, "the usual %d s; --time gives more", DEFAULT_SECONDS);
    } else if (budget->cycles) snprintf(words, room, "--cycles %lld", options->cycles);
    else snprintf(words, room, "--steps %lld", options->steps);
    return EXIT_DONE;
}

/* ------------------------------------------------------------------------------------------ running */

static int run_session(cli *self, oak_session *session, const char *path, const run_options *options)
{
    show_item shows[MOST_SHOWS];
    unsigned show_count = 0;
    char words[100] = "";
    oak_budget budget;
    oak_event event;
    int exit_code = prepare(self, session, options);
    if (!exit_code) exit_code = read_budget(self, session, options, &budget, words, sizeof words);
    for (char **one = options->shows; !exit_code && one && *one; one++) {
        if (show_count == MOST_SHOWS)
            exit_code = cli_usage(self, &command_run, NULL, "--show can be given %d times", MOST_SHOWS);
        else if (!cli_read_show(self, session, *one, &shows[show_count])) exit_code = EXIT_REFUSED;
        else show_count++;
    }
    oak_status status = exit_code ? OAK_OK : oak_session_run(session, &budget, &self->sink, &event);
    if (status) exit_code = cli_failed(self, status, path);
    cli_text state = {0};
    oak_text_sink sink = cli_text_sink(&state);
    if (!exit_code && options->state_out) {
        exit_code = cli_failed(self, oak_session_write_state(session, &sink), options->state_out);
        if (!exit_code && !cli_write_file(self, options->state_out, &state)) exit_code = EXIT_REFUSED;
    }
    free(state.bytes);
    if (!exit_code) {
        if (self->json) cli_report_json(self, session, shows, show_count);
        else cli_report(self, session, path, words, shows, show_count, options->brief);
        if (event.stop.reason == OAK_STOP_FAULT) exit_code = EXIT_FAULTED;
    }
    for (unsigned i = 0; i < show_count; i++) free(shows[i].expression);
    return exit_code;
}

static int run_program(cli *self, const oak_part *part, const oak_asm_settings *settings,
                       const run_options *options)
{
    const char *path = settings->paths[0];
    int exit_code;
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
    }
    uint32_t at, size;
    for (size_t next = 0;
         !status && !options->data_runs && oak_program_next_data(program, &next, &at, &size) == OAK_OK;)
        oak_machine_mark_data(machine, at, size);
    if (!status && options->check_reads && oak_machine_check_reads(machine, true))
        cli_complain(self, "no-check", path, NULL,
                     "this architecture does not watch for reads of unwritten memory");
    exit_code = cli_failed(self, status, path);
    if (!exit_code) exit_code = run_session(self, session, path, options);
    oak_session_close(session);
    oak_machine_free(machine);
    oak_program_free(program);
    return exit_code;
}

static void free_list(char **list)
{
    for (char **one = list; one && *one; one++) free(*one);
    free(list);
}

static int run(cli *self, int argc, const char **argv)
{
    run_options options = {0};
    const struct poptOption table[] = {
        {"part", 'p', POPT_ARG_STRING, &options.part, 0, NULL, NULL},
        {"clock", 0, POPT_ARG_STRING, &options.clock, 0, NULL, NULL},
        {"stop-at", 0, POPT_ARG_ARGV, &options.stops, 0, NULL, NULL},
        {"steps", 0, POPT_ARG_LONGLONG, &options.steps, 0, NULL, NULL},
        {"cycles", 0, POPT_ARG_LONGLONG, &options.cycles, 0, NULL, NULL},
        {"time", 0, POPT_ARG_STRING, &options.time, 0, NULL, NULL},
        {"set", 0, POPT_ARG_ARGV, &options.sets, 0, NULL, NULL},
        {"drive", 0, POPT_ARG_ARGV, &options.drives, 0, NULL, NULL},
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
    const char **files = cli_options(self, &command_run, argc, argv, table, &context, &done);
    int found = files && !files[0] ? cli_read_project(self, &project) : -1;
    if (found == EXIT_DONE) {
        files = (const char **)(void *)project.sources;
        cli_take(&options.part, &project.part);
        if (!cli_take_list(&options.includes, project.includes) ||
            !cli_take_list(&options.warns, project.warnings))
            found = EXIT_REFUSED;
        cli_take(&options.clock, &project.clock);
    }
    if (!files) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (found > 0) exit_code = found;
    else if (!files[0])
        exit_code =
            cli_usage(self, &command_run, NULL, "no program is given, and there is no " CLI_PROJECT_FILE);
    else {
        oak_part *part = cli_load_part(self, &command_run, options.part, &exit_code);
        oak_warning warnings[CLI_MOST_WARNINGS];
        oak_asm_settings settings;
        bool set =
            cli_settings(self, &command_run, files, options.includes, options.warns, warnings, &settings);
        if (part && !set) exit_code = EXIT_USAGE;
        else if (part) exit_code = run_program(self, part, &settings, &options);
        oak_part_free(part);
    }
    if (context) poptFreeContext(context);
    cli_free_project(&project);
    free_list(options.stops);
    free_list(options.sets);
    free_list(options.drives);
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

const command command_run = {
    "run",
    "simulate a program and report what became of it",
    "usage: spindle run PROGRAM... --part PART [options]\n"
    "\n"
    "Runs PROGRAM (source files, or one image: Intel HEX, S-records, .bin) on the chip\n"
    "until something stops it: a stop point, a budget, a jump to itself that nothing can\n"
    "wake (parked), or a fault. Then it reports where, why, after how many cycles, and what\n"
    "the registers and pins hold. A fault ends with exit code 3.\n"
    "\n"
    "  -p, --part PART       the microcontroller, by name or as a path to a part file\n"
    "      --clock F         clock frequency, as 12MHz; the part's own when not given\n"
    "      --stop-at PLACE   a label, label+4, file.asm:27 or 0x0123; repeat for more;\n"
    "                        'PLACE if CONDITION' and 'PLACE every N' narrow it down\n"
    "      --steps N         stop after N instructions\n"
    "      --cycles N        stop after N cycles\n"
    "      --time T          stop after simulated time: 5ms, 1.5s, 250us; usually 10s\n"
    "      --set EXPR=VALUE  before the run, set a register, cell, bit or pin; repeat\n"
    "      --drive WAVE      drive a pin over time: 'p1.0 = 1 until 40ms, 0' or\n"
    "                        'p3.4 = 1 for 2ms, 0 for 2ms, repeat'; repeat for more pins\n"
    "      --show WHAT       also show an expression ('xram[0x4000:2]', 'count as bin'), a\n"
    "                        stretch of memory ('iram[0x30..0x4f]') or 'changes'; repeat\n"
    "      --state-in F      begin from a state file\n"
    "      --state-out F     write the state at the end; --state-in takes it\n"
    "  -s, --symbols F       labels and lines for a HEX file, from `spindle asm --symbols F`\n"
    "      --base ADDRESS    where a raw binary (.bin) begins; 0 when not given\n"
    "      --check-reads     reading RAM that nothing has written since reset is a fault, on parts that can "
    "tell\n"
    "      --data-runs       executing what the source defines as data is no fault\n"
    "  -b, --brief           only why and where it stopped, and what --show asks for\n"
    "  -I, --include FOLDER where included files are looked for, too; repeat for more\n"
    "  -w, --warn CODE=LEVEL  off, on or error; repeat. A comment allow(CODE) silences a line\n"
    "      --json            print everything as one JSON document\n"
    "\n"
    "expressions: registers, a  r3; pins, p1.3; special registers and their bits, TR0; cells,\n"
    "iram[0x30]  mem[0x20000000:4]; variables and labels of the program; with C operators\n"
    "\n"
    "examples:\n"
    "  spindle run lathe.asm --part mcs51-8k --stop-at door_opened\n"
    "  spindle run lathe.hex --part mcs51-8k --cycles 20000 --show 'iram[0x30..0x3f]'\n"
    "  spindle run lathe.asm --part mcs51-8k --stop-at 'measure if a > 100' --set p1.0=0\n",
    run,
};
