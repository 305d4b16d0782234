/* cmd_bench.c — spindle bench: a typed console over one session. On a terminal lines are edited, completed and kept; from a
 * pipe or a script they are read as they are; with --json each answer is one document on a line. */
#include <editline/readline.h>
#include <errno.h>
#include <setjmp.h>
#include <signal.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <sys/stat.h>
#include <unistd.h>

#include "bench.h"
#include "late.h"

enum { MOST_CHANGES = 12, LONGEST_LINE = 4096, MOST_KEPT = 200, MOST_LINES = 500 };

typedef struct bench_options {
    char **scripts, **firsts;
    /* What survives `again`: the script and where it stands, what went wrong, verbs that bring back what was set up. */
    FILE *script;
    unsigned script_number, script_line, failures;
    char *kept[MOST_KEPT];
    unsigned kept_count;
    double pace;
    bool resumed;
    int view;
} bench_options;

static bench *completing; /* completion has no context of its own */

/* ------------------------------------------------------------------------------------------ telling */

/* The same change seen as a register that changed before it in the list. */
bool bench_is_a_register(const oak_part *part, const oak_change *changes, size_t number)
{
    const oak_architecture *about = part->architecture;
    const oak_change *c = &changes[number];
    for (unsigned k = 0; k < about->cells_count; k++) {
        const oak_register_cells *cells = &about->cells[k];
        uint32_t at = c->address - cells->address;
        bool lies =
            cells->space == c->space &&
            (cells->banks ? at % cells->stride == 0 && at / cells->stride < cells->banks : at < cells->size);
        if (lies && cells->reg == about->pc_register) return true; /* every instruction changes it */
        for (size_t i = 0; lies && i < number; i++) {
            bool same = cells->size > 1 || (changes[i].before == c->before && changes[i].after == c->after);
            if (!changes[i].space && changes[i].address == cells->reg && same) return true;
        }
    }
    return false;
}

static void tell_changes(bench *b)
{
    oak_change changes[2 * MOST_CHANGES]; /* some are seen twice */
    const oak_part *part = oak_session_part(b->session);
    size_t count, shown = 0, told = 0;
    if (oak_session_changes(b->session, changes, 2 * MOST_CHANGES, &count)) return;
    for (size_t i = 0; i < count && i < 2 * MOST_CHANGES && shown < MOST_CHANGES; i++) {
        told = i + 1;
        const oak_change *c = &changes[i];
        char name[60];
        if (!c->space && !cli_tells_register(b->session, c->address)) continue;
        if (c->space && bench_is_a_register(part, changes, i)) continue;
        cli_change_name(part, c, name, sizeof name);
        printf("%s%s 0x%02x -> 0x%02x", shown++ ? ", " : "  changed: ", name, (unsigned)c->before,
               (unsigned)c->after);
    }
    if (count > told) printf(" and %zu more", count - told);
    if (shown) putchar('\n');
}

void bench_tell(bench *b)
{
    if (b->view) { /* it shows all the rest by itself */
        if (oak_session_last_event(b->session)->stop.reason == OAK_STOP_FAULT)
            cli_report_why(b->self, b->session, "as asked");
        return;
    }
    cli_report_where(b->self, b->session, "as asked");
    tell_changes(b);
    for (unsigned i = 0; i < b->kept_count; i++) {
        char text[sizeof b->kept_text[i]] = "";
        bench_kept_text(b, i, &b->self->sink, text, sizeof text);
        bool new = *b->kept_text[i] && strcmp(text, b->kept_text[i]) != 0;
        memcpy(b->kept_text[i], text, sizeof text);
        cli_show(b->self, b->session, b->kept[i], new);
    }
}

/* What pins are compared with when they are shown. */
static void remember_ports(bench *b)
{
    const oak_part *part = oak_session_part(b->session);
    for (unsigned p = 0; p < part->port_count && p < OAK_MOST_PORTS; p++)
        b->self->port_levels[p] = cli_port_levels(b->session, p);
}

bool bench_do(bench *b, const char *line)
{
    while (*line == ' ' || *line == '\t') line++;
    if (!*line || *line == '#') return true;
    char copy[LONGEST_LINE];
    size_t length = strlen(line);
    if (length >= sizeof copy) {
        cli_complain(b->self, "bench", NULL, NULL, "this line is too long");
        b->failures++;
        return false;
    }
    memcpy(copy, line, length + 1);
    while (length && strchr(" \t\r\n", copy[length - 1])) copy[--length] = 0;
    const char *rest;
    const bench_verb *verb = bench_verb_of(b, copy, &rest);
    if (verb && verb->moves) remember_ports(b);
    bool alone = verb && !*verb->arguments;
    if (alone && *rest)
        bench_complain(b, NULL, "`%s` stands alone: `%.*s` means nothing here", verb->name,
                       (int)(strlen(rest) < 60 ? strlen(rest) : 60), rest);
    bool good = verb && !(alone && *rest) && verb->run(b, rest);
    if (good && verb->moves && strcmp(verb->name, "where") != 0)
        b->went_back = strcmp(verb->name, "back") == 0;
    if (good && verb->moves) bench_tell(b);
    if (good && b->self->json && !b->data) b->data = bench_data(b, verb, rest);
    if (!good) cJSON_Delete(b->data), b->data = NULL;
    if (!good) b->failures++;
    return good;
}

/* Everything printed meanwhile goes into the document. */
static void do_as_json(bench *b, const char *line)
{
    char *text = NULL;
    size_t size = 0;
    FILE *real = stdout, *kept = open_memstream(&text, &size);
    if (!kept) cli_lose_memory();
    else stdout = kept;
    bool good = kept && bench_do(b, line);
    if (kept && (fflush(kept) || ferror(kept))) cli_lose_memory();
    if (kept) fclose(kept);
    stdout = real;
    cJSON *root = cJSON_CreateObject();
    const oak_event *event = oak_session_last_event(b->session);
    oak_chip_port chip = oak_session_chip(b->session);
    oak_chip_time time = {0};
    uint32_t pc = bench_pc(b);
    char place[120];
    chip.ops->read_time(chip.chip, &time);
    oak_session_name_place(b->session, pc, place, sizeof place);
    cJSON_AddNumberToObject(root, "version", CLI_DOCUMENT_VERSION);
    cJSON_AddStringToObject(root, "command", "bench");
    cJSON_AddStringToObject(root, "line", line);
    cJSON_AddBoolToObject(root, "ok", good);
    cJSON_AddNumberToObject(root, "cycles", (double)time.cycles);
    cJSON_AddNumberToObject(root, "instructions", (double)time.instructions);
    cJSON_AddNumberToObject(root, "pc", pc);
    cJSON_AddStringToObject(root, "place", place);
    cJSON_AddStringToObject(root, "reason", oak_stop_word(event->stop.reason));
    if (event->stop.reason == OAK_STOP_FAULT)
        cJSON_AddStringToObject(root, "fault", oak_fault_word(event->stop.fault));
    cli_json_fault(b->session, root);
    cJSON_AddStringToObject(root, "text", text ? text : "");
    if (b->data) cJSON_AddItemToObject(root, "data", b->data);
    b->data = NULL;
    if (cJSON_GetArraySize(b->self->diagnostics)) {
        cJSON_AddItemToObject(root, "diagnostics", b->self->diagnostics);
        b->self->diagnostics = cJSON_CreateArray();
    }
    char *document = cli_json_text(root, true);
    b->self->printed = true;
    puts(document ? document
                  : "{\"version\": 1, \"command\": \"bench\", \"ok\": false, \"text\": \"out of memory\"}");
    if (!document) b->failures++;
    fflush(stdout);
    free(document);
    cJSON_Delete(root);
    free(text);
}

static bool nobody_interrupts(void *context)
{
    bench *b = context;
    if (b->meanwhile && bench_lasts(b)) b->meanwhile(b, true);
    return !cli_was_interrupted();
}

static void do_line(bench *b, const char *line)
{
    cli_catch_interrupts(true);
    if (b->self->json) do_as_json(b, line);
    else bench_do(b, line);
    fflush(stdout);
}

/* ------------------------------------------------------------------------------------------ lines */

/* Lines of a script or a pipe; one that is longer than any line should be is refused whole. */
static void read_lines(bench *b, FILE *from, unsigned *number)
{
    char line[LONGEST_LINE + 2];
    while (!b->quits && !b->again && fgets(line, sizeof line, from)) {
        b->self->script_line = ++*number;
        size_t length = strlen(line);
        if (length && line[length - 1] != '\n' && !feof(from)) {
            int c;
            while ((c = getc(from)) != EOF && c != '\n') continue;
            cli_complain(b->self, "bench", NULL, NULL, "this line is too long");
            b->failures++;
            continue;
        }
        line[strcspn(line, "\r\n")] = 0;
        if (b->echoes)
            printf("%s> %s%s\n", cli_paint(b->self->result_colour, PAINT_FAINT), line,
                   cli_paint(b->self->result_colour, PAINT_OFF));
        do_line(b, line);
    }
    b->self->script_line = 0;
}

/* The scripts from where they stand: `again` leaves one in the middle, and comes back. False after a message. */
static bool read_scripts(bench *b, bench_options *options)
{
    while (!b->quits && options->scripts && options->scripts[options->script_number]) {
        const char *path = options->scripts[options->script_number];
        if (!options->script) {
            options->script = fopen(path, "r");
            options->script_line = 0;
            if (!options->script) {
                cli_complain(b->self, "no-file", path, "A script has a verb a line.", strerror(errno));
                return false;
            }
            if (!cli_note_read(path)) {
                cli_failed(b->self, OAK_NO_MEMORY, path);
                return false;
            }
        }
        b->self->script = path;
        read_lines(b, options->script, &options->script_line);
        b->self->script = NULL;
        if (b->again) return true;
        fclose(options->script);
        options->script = NULL;
        options->script_number++;
    }
    return true;
}

/* The words that could stand where `text` stands in a line: verbs, registers, symbols, by number from state 0. */
static char *complete_word(const char *text, int state)
{
    static unsigned at, source;
    static size_t length;
    const oak_part *part = oak_session_part(completing->session);
    const oak_program *program = oak_session_program(completing->session);
    if (!state) at = source = 0, length = strlen(text);
    for (; source < 4; source++, at = 0)
        for (;;) {
            const char *name = NULL;
            const oak_symbol *symbol;
            if (source == 0) name = bench_verbs[at].name;
            else if (source == 1)
                name = at < part->architecture->register_count ? oak_register_called(part->architecture, at)
                                                               : NULL;
            else if (source == 2) name = at < part->register_count ? part->registers[at].name : NULL;
            else name = program && (symbol = oak_program_symbol(program, at)) ? symbol->name : NULL;
            if (!name) break;
            at++;
            if (strncasecmp(name, text, length) == 0) return cli_strdup(name);
        }
    return NULL;
}

/* What is used of the library that edits lines. */
#define EDIT_LIST(F)                                                                                         \
    F(, rl_point)                                                                                            \
    F(, rl_line_buffer)                                                                                      \
    F(, rl_outstream)                                                                                        \
    F(, rl_completion_entry_function)                                                                        \
    F(, rl_basic_word_break_characters)                                                                      \
    F(, rl_filename_completion_function)                                                                     \
    F(, using_history) F(, stifle_history) F(, read_history) F(, readline) F(, add_history) F(, write_history)
LATE_TABLE(edit_table, EDIT_LIST)
static edit_table edit;

/* A word ends at a slash; the name of a file does not, so only what follows the last slash is given back. */
static char *complete_file(const char *text, int state)
{
    static char path[LONGEST_LINE];
    static size_t before;
    if (!state) {
        size_t end = (size_t)(*edit.rl_point) < sizeof path ? (size_t)(*edit.rl_point) : sizeof path - 1,
               start = end;
        while (start && (*edit.rl_line_buffer)[start - 1] != ' ') start--;
        snprintf(path, sizeof path, "%.*s", (int)(end - start), (*edit.rl_line_buffer) + start);
        before = strlen(path) > strlen(text) ? strlen(path) - strlen(text) : 0;
    }
    char *found = edit.rl_filename_completion_function(path, state);
    if (found && strlen(found) >= before) memmove(found, found + before, strlen(found) - before + 1);
    return found;
}

/* Is a file wanted in this line? */
static bool takes_file(const char *line)
{
    return strncmp(line, "save ", 5) == 0 || strncmp(line, "load ", 5) == 0;
}

static char *complete(const char *text, int state)
{
    static bool files;
    if (!state) files = takes_file((*edit.rl_line_buffer));
    return files ? complete_file(text, state) : complete_word(text, state);
}

char *bench_complete(bench *b, const char *text, int state)
{
    completing = b;
    return complete_word(text, state);
}

/* Where lines are kept from one session to the next; false where there is no such place. */
static bool history_path(char *path, size_t room, bool make)
{
    const char *state = getenv("XDG_STATE_HOME"), *home = getenv("HOME");
    char folder[400];
    if (state && *state) snprintf(folder, sizeof folder, "%.380s", state);
    else if (home && *home) snprintf(folder, sizeof folder, "%.360s/.local/state", home);
    else return false;
    for (char *p = folder + 1; make && *p; p++)
        if (*p == '/') *p = 0, mkdir(folder, 0700), *p = '/';
    if (make) mkdir(folder, 0700);
    snprintf(path, room, "%s/oakspindle", folder);
    if (make) mkdir(path, 0700);
    snprintf(path, room, "%s/oakspindle/bench-lines", folder);
    return true;
}

static sigjmp_buf at_prompt;

static void leave_line(int number)
{
    (void)number;
    siglongjmp(at_prompt, 1);
}

static void read_terminal(bench *b)
{
    completing = b;
    if (!LATE_LOAD(b->self, &edit, EDIT_LIST, "libedit.so.2", "libedit2")) return;
    (*edit.rl_outstream) = cli_terminal();
    (*edit.rl_completion_entry_function) = complete;
    (*edit.rl_basic_word_break_characters) = " \t\n\"'=+-*/<>|&^!~()[]:";
    edit.using_history();
    edit.stifle_history(MOST_LINES);
    char *line, path[500];
    if (history_path(path, sizeof path, false)) edit.read_history(path);
    while (!b->quits && !b->again) {
        /* Ctrl-C while a line is typed leaves the line, not the session. */
        if (sigsetjmp(at_prompt, 1)) putchar('\n');
        signal(SIGINT, leave_line);
        line = edit.readline("spindle> ");
        cli_catch_interrupts(true);
        if (!line) break;
        if (*line) edit.add_history(line);
        do_line(b, line);
        free(line);
    }
    if (!b->quits && !b->again) putchar('\n');
    if (history_path(path, sizeof path, true)) edit.write_history(path);
}

/* ------------------------------------------------------------------------------------------ the command */

static void keep_line(bench_options *options, const char *format, ...)
{
    char text[1000];
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    char *copy = options->kept_count < MOST_KEPT ? cli_strdup(text) : NULL;
    if (copy) options->kept[options->kept_count++] = copy;
}

/* What somebody has set up, as the verbs that set it up again. Options of the command do their part by themselves. */
static void keep_all(bench *b, bench_options *options)
{
    static const char *const watch_words[] = {
        [OAK_WATCH_CHANGE] = "watch ",        [OAK_WATCH_HOLDS] = "when ",
        [OAK_WATCH_READ] = "watch read ",     [OAK_WATCH_WRITE] = "watch write ",
        [OAK_WATCH_ACCESS] = "watch access ", [OAK_WATCH_HANDLER] = "interrupt "};
    const oak_stop_point *point;
    const oak_watch *watch;
    const oak_lap *lap;
    unsigned number = 0;
    for (unsigned i = 0; i < options->kept_count; i++) free(options->kept[i]);
    options->kept_count = 0;
    for (unsigned i = b->given_stops; (point = oak_session_stop_point(b->session, i)); i++) {
        if (point->removed) continue;
        keep_line(options, "stop %s%s%s every %llu%s", point->text, point->condition ? " if " : "",
                  point->condition ? point->condition : "", (unsigned long long)point->every,
                  point->once ? " once" : "");
        if (!point->enabled) keep_line(options, "off %u", b->given_stops + number);
        number++;
    }
    for (unsigned i = 0; i < b->given_stops; i++) {
        point = oak_session_stop_point(b->session, i);
        if (point->removed) keep_line(options, "remove %u", i);
        else if (!point->enabled) keep_line(options, "off %u", i);
    }
    number = 0;
    for (unsigned i = 0; (watch = oak_session_watch(b->session, i)); i++) {
        if (watch->removed) continue;
        keep_line(options, "%s%s", watch_words[watch->kind], watch->text);
        if (!watch->enabled) keep_line(options, "off watch %u", number);
        number++;
    }
    for (unsigned i = 0; i < b->said_count; i++)
        if (b->said[i].expression)
            keep_line(options, "say %s at %s", b->said[i].expression, b->said[i].place);
    for (unsigned i = b->given_laps; (lap = oak_session_lap(b->session, i)); i++)
        keep_line(options, "lap %s to %s", lap->from, lap->to);
    for (unsigned i = 0; i < b->kept_count; i++) keep_line(options, "keep %s", b->kept[i]);
    for (unsigned i = 0; i < b->drive_count; i++) keep_line(options, "drive %s", b->drives[i]);
    if (b->shown_memory) keep_line(options, "%s", b->shown_memory);
    oak_tally tally;
    if (oak_session_counted(b->session, 0, &tally) == OAK_OK) keep_line(options, "tally on");
    options->pace = b->pace;
}

/* Sets it up again; what it prints is not for anybody. */
static void set_up_again(bench *b, bench_options *options)
{
    char *text = NULL;
    size_t size = 0;
    FILE *real = stdout, *kept = open_memstream(&text, &size);
    if (!kept) {
        cli_lose_memory();
        return;
    }
    unsigned failures = b->failures;
    stdout = kept;
    for (unsigned i = 0; i < options->kept_count; i++) bench_do(b, options->kept[i]);
    if (fflush(kept) || ferror(kept)) cli_lose_memory();
    fclose(kept);
    stdout = real;
    free(text);
    b->failures = failures;
    b->pace = options->pace;
}

static unsigned count_stops(const oak_session *session)
{
    unsigned count = 0;
    while (oak_session_stop_point(session, count)) count++;
    return count;
}

static unsigned count_laps(const oak_session *session)
{
    unsigned count = 0;
    while (oak_session_lap(session, count)) count++;
    return count;
}

static int bench_session(cli *self, oak_session *session, oak_board *board, const char *path, void *context)
{
    bench_options *options = context;
    self->marks = true;
    bench b = {.self = self, .session = session, .board = board, .path = path};
    bool terminal = isatty(0) && !self->json;
    b.failures = options->failures;
    b.bounded = !terminal;
    bench_recall_panes(&b);
    remember_ports(&b);
    oak_status kept = oak_session_keep_history(session, 0);
    if (kept == OAK_NO_MEMORY) return cli_failed(self, kept, path); /* a chip that cannot go back is fine */
    oak_session_ask(session, nobody_interrupts, &b);
    cli_catch_interrupts(true);
    b.given_stops = count_stops(session);
    b.given_laps = count_laps(session);
    if (options->resumed) set_up_again(&b, options);
    b.echoes = !self->json && !options->view && (options->scripts || !terminal);
    if (!self->json && !options->view && (terminal || options->resumed)) {
        printf("%s on %s%s%s; `help` lists the verbs\n", path, oak_session_part(session)->name,
               board ? ", " : "", board ? oak_board_title(board) : "");
        bench_tell(&b);
    }
    for (char **one = options->resumed ? NULL : options->firsts; one && *one; one++) {
        if (b.echoes) printf("> %s\n", *one);
        do_line(&b, *one);
    }
    bool readable = read_scripts(&b, options);
    if (!readable) b.failures++;
    if (readable && !b.quits && !b.again && (options->view || !options->scripts)) {
        if (options->view && isatty(1)) {
            if (!bench_view(&b)) b.failures++;
        } else if (terminal) read_terminal(&b);
        else {
            self->script = "<stdin>";
            read_lines(&b, stdin, &options->script_line);
            self->script = NULL;
        }
    }
    if (b.again) keep_all(&b, options);
    for (unsigned i = 0; i < b.kept_count; i++) free(b.kept[i]);
    for (unsigned i = 0; i < b.drive_count; i++) free(b.drives[i]);
    for (unsigned i = 0; i < b.said_count; i++) free(b.said[i].expression), free(b.said[i].place);
    free(b.follow);
    free(b.shown_memory);
    options->failures = b.failures;
    if (!b.again) return b.failures && (!terminal || options->scripts) ? EXIT_REFUSED : EXIT_DONE;
    options->resumed = true;
    return CLI_AGAIN;
}

static int run(cli *self, int argc, const char **argv)
{
    bench_options options = {0};
    const struct poptOption table[] = {{"script", 'x', POPT_ARG_ARGV, &options.scripts, 0, NULL, NULL},
                                       {"first", 0, POPT_ARG_ARGV, &options.firsts, 0, NULL, NULL},
                                       {"view", 0, POPT_ARG_NONE, &options.view, 0, NULL, NULL},
                                       POPT_TABLEEND};
    const cli_runner runner = {
        .of = &command_bench, .options = table, .context = &options, .instead = bench_session};
    int exit_code = cli_run(self, &runner, argc, argv);
    if (options.script) fclose(options.script);
    for (char **one = options.scripts; one && *one; one++) free(*one);
    free(options.scripts);
    for (char **one = options.firsts; one && *one; one++) free(*one);
    free(options.firsts);
    for (unsigned i = 0; i < options.kept_count; i++) free(options.kept[i]);
    return exit_code;
}

const command command_bench = {
    "bench",
    "stop, look, change, step forward and back, at a console",
    "usage: spindle bench PROGRAM... --part PART [options of run] [-x SCRIPT]\n"
    "\n"
    "Opens PROGRAM (source, or an image) on the simulated chip and takes verbs: step, over,\n"
    "out, go, to, back (also to the last change of a cell), stop, watch, show, set … `help`\n"
    "lists them, `help VERB` tells of one. Verbs may be shortened. Everything that `spindle\n"
    "run` can be given (--board, --drive, --stimuli, --clock, --stop-at, --state-in …) can be\n"
    "given here as well.\n"
    "\n"
    "On a terminal lines are edited, kept, and completed with the tab key. From a pipe, or\n"
    "with -x, verbs are read a line each; a verb that cannot be done makes the exit code 1.\n"
    "\n"
    "      --view            the full-screen view: source, registers, memory, pins, board\n"
    "      --first VERB      a verb to begin with; repeat for more\n"
    "  -x, --script FILE     do the verbs in FILE, then leave; repeat for more\n"
    "      --json            each answer is one JSON document on a line\n"
    "\n"
    "examples:\n"
    "  spindle bench lathe.asm --part mcs51-8k --board board.yaml\n"
    "  echo 'to halt\n"
    "  show trips\n"
    "  back change relay' | spindle bench lathe.asm --part mcs51-8k --board board.yaml\n",
    run,
};
