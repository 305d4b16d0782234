/* cli.h — shared by the commands: diagnostics on a terminal or as JSON, files, parts, help.
 *
 * Exit codes: 0 done; 1 the input was refused; 2 wrong usage; 3 the simulated program faulted; 4 an expectation failed. */
#ifndef SPINDLE_CLI_H
#define SPINDLE_CLI_H

#include <cjson/cJSON.h>
#include <popt.h>
#include <stdbool.h>
#include <stdio.h>

#include <oakspindle/oakspindle.h>

enum { EXIT_DONE = 0, EXIT_REFUSED = 1, EXIT_USAGE = 2, EXIT_FAULTED = 3, EXIT_EXPECTATION = 4 };

/* What every command carries along. */
typedef struct cli {
    oak_host host;
    oak_diag_sink sink;
    bool json;
    bool keeps;          /* what is reported, for a log */
    cJSON *diagnostics;  /* when json, or keeps: what was reported, */
    cJSON *document;     /* and what the command has to say, or NULL */
    const char *command; /* its name */
    bool error_colour, result_colour;
    char register_base;                   /* in which registers are shown, as in cli_cells; 0: hexadecimal */
    bool marks;                           /* what the last run has changed is marked with a * */
    uint32_t port_levels[OAK_MOST_PORTS]; /* with marks: what stood on the pins before it */
    unsigned errors, warnings;
    bool printed;       /* a document has been */
    bool said_memory;   /* that there is no memory has been told */
    const char *script; /* NULL, or what verbs are read from, and the line that is being done */
    unsigned script_line;
} cli;

typedef struct command {
    const char *name;
    const char *summary;
    const char *help; /* how to use it, with examples */
    int (*run)(cli *self, int argc, const char **argv);
} command;

extern const command command_send, command_receive, command_programmer, command_tidy, command_find,
    command_asm, command_run, command_parts, command_look, command_explain, command_new, command_serve,
    command_wave, command_bench, command_trial;

/* The kinds of colour; "" where there is none. */
typedef enum paint {
    PAINT_OFF,
    PAINT_ERROR,
    PAINT_WARNING,
    PAINT_PLACE,
    PAINT_HINT,
    PAINT_TITLE,
    PAINT_STRONG,
    PAINT_FAINT
} paint;
const char *cli_paint(bool colour, paint kind);

/* terminal.c: from now on what is printed reaches the terminal as text only; colours come from cli_paint. */
void cli_open_streams(void);
/* Standard output itself, for what draws on a terminal. */
FILE *cli_terminal(void);
/* As it is, to standard error: for a line that is drawn over and over there. */
void cli_draw(const char *text);
/* What the chip has sent; line ends, backspace and bell go through, other control characters only `as_is`. */
void cli_print_received(const void *bytes, size_t size, bool as_is);

/* The sink of every command: to standard error, or into the document. `context` is a cli. */
void cli_report_diagnostic(void *context, const oak_diagnostic *d);
/* In how many letters two names differ; more than 3 is 4. */
unsigned cli_letters_apart(const char *a, const char *b);
/* Reports a mistake in the call itself and returns EXIT_USAGE. */
int cli_usage(cli *self, const command *of, const char *hint, const char *format, ...)
    __attribute__((format(printf, 4, 5)));
/* Reports a status nothing was said about yet; returns the exit code for it. */
int cli_failed(cli *self, oak_status status, const char *what);

/* Runs popt over the options; returns the arguments left over (owned by the context), or NULL after a message. --help is
 * answered here: *done is set and the result is NULL. */
const char **cli_options(cli *self, const command *of, int argc, const char **argv,
                         const struct poptOption *options, poptContext *context, bool *done);

/* Loads a part by name or by path. NULL after a message; *exit_code says how to end. */
oak_part *cli_load_part(cli *self, const command *of, const char *name, int *exit_code);
/* The folder the shipped parts lie in; CLI_BUILT_IN "/parts" where there is none. */
const char *cli_parts_folder(void);
/* The file of our own that is meant where there is none of this name; NULL: none is. */
#define CLI_BUILT_IN "(built in)"
const struct built_in_file *cli_built_in(const char *path);
/* The names of the shipped parts in order, NULL-terminated; free each and the list. */
char **cli_part_names(void);

/* A growing text, and a sink that fills it. */
typedef struct cli_text {
    char *bytes;
    size_t size, room;
    bool failed; /* memory has run out: it is not complete, and is never written anywhere */
} cli_text;
oak_text_sink cli_text_sink(cli_text *text);

/* files.c: what is read is remembered, and never written over. The host of the command, for the arguments it was given. */
oak_host cli_host(int count, const char **arguments);
/* Remembers a file that was read in another way; false when there is no memory. */
/* Registers and addresses of 32 bits want columns of their own. */
static inline bool cli_is_wide(const oak_architecture *about)
{
    return about->registers[about->pc_register].bits > 24;
}
bool cli_note_read(const char *path);
/* Tells somebody (or NULL: nobody any more) of every file that is read through the host, with what was in it. */
typedef void (*cli_read_fn)(void *context, const char *path, const uint8_t *bytes, size_t size);
void cli_watch_reads(cli_read_fn tell, void *context);
void cli_forget_files(void);
/* Removes what killed runs have left beside the files that were read. */
void cli_clear_leftovers(void);

/* memory.c: as in the C library; that there was none is remembered. Then nothing is written any more, and the command has not done
 * what was asked. */
void *cli_malloc(size_t size);
void *cli_calloc(size_t count, size_t size);
void *cli_realloc(void *block, size_t size);
char *cli_strdup(const char *text);
char *cli_strndup(const char *text, size_t length);
void cli_lose_memory(void);
bool cli_memory_lost(void);
/* Writes files, all or none; false after a message. A file that was read, or is written twice, is refused; - is standard output. */
typedef struct cli_file {
    const char *path;
    const cli_text *text;
    bool own; /* it was read, and this is what becomes of it: its owner, mode and other names stay */
} cli_file;
bool cli_write_files(cli *self, const cli_file *files, unsigned count);
bool cli_write_file(cli *self, const char *path, const cli_text *text);
/* False, after a message, for a file that was read: to be asked before long work. */
bool cli_may_write(cli *self, const char *path);
/* Does a name of a project file stay inside its folder, links followed? */
bool cli_inside_project(const char *path);
/* Bytes as they are, to standard output; false after a message. */
bool cli_print_bytes(cli *self, const void *bytes, size_t size);
/* The same without a message. */
bool cli_write_raw(const void *bytes, size_t size);

/* json.c: before the first document. */
void cli_open_json(void);
/* A document as text, valid whatever it holds; NULL when there is no memory. Free it. */
char *cli_json_text(const cJSON *document, bool on_one_line);
/* sarif.c: what was reported, for code hosts. False after a message. */
bool cli_write_sarif(cli *self, const char *path);
/* Prints a document (and takes it over), with the diagnostics under "diagnostics". */
/* What a command has to say with --json; takes it over. It is printed when the command has ended. */
void cli_print_json(cli *self, cJSON *document);
enum { CLI_DOCUMENT_VERSION = 1 }; /* of docs/schema */
/* From now on what is printed goes into the document; printed and begun anew. */
void cli_capture(cli *self);
bool cli_captures(void);
void cli_finish_json(cli *self, bool ok);
/* `count` with separators: 41,667. */
const char *cli_count(unsigned long long count, char *text, size_t room);

/* load.c: a program from source, Intel HEX, S-records or raw binary; NULL after a message. `symbols` may be NULL. */
/* The same, of what is done all the same. */
void cli_remark(cli *self, const char *code, const char *file, const char *hint, const char *message);
/* False, after a message, when --base was given for what is no raw image. */
bool cli_check_base(cli *self, const command *of, const char *const *paths, long long base);
oak_program *cli_load_program(cli *self, const oak_part *part, const oak_asm_settings *settings,
                              const char *symbols, uint32_t base, int *exit_code);
/* What the assembler is told, from files and options; `warnings` has room for CLI_MOST_WARNINGS and is filled from
 * CODE=off|on|error. False after a message. */
enum { CLI_MOST_WARNINGS = 40 };
bool cli_settings(cli *self, const command *of, const char *const *files, char **includes, char **warns,
                  oak_warning *warnings, oak_asm_settings *settings);
unsigned cli_count_list(char *const *list);
void cli_complain(cli *self, const char *code, const char *file, const char *hint, const char *message);

/* attach.c: a terminal of the board, at this terminal or at a pseudo-terminal. */
typedef struct cli_attached {
    oak_stand_in *who;
    bool pseudo, reads;
    bool as_is; /* what it sends is sent on with its control sequences */
    int file;
    oak_line_port line; /* of a pseudo-terminal */
} cli_attached;
bool cli_attach(cli *self, oak_board *board, const char *name, bool pseudo, bool as_is,
                cli_attached *attached);
/* Hands over what was typed meanwhile. */
void cli_attached_poll(cli_attached *attached);
void cli_detach(cli_attached *attached);
/* The terminal is as it was before it was attached; may be called out of a signal. */
void cli_restore_terminal(void);

/* run.c: runs a program as the options say that all such commands share. */
enum { CLI_AGAIN = 100 };
typedef struct cli_runner {
    const command *of;
    const struct poptOption *options; /* its own; NULL: none */
    void *context;
    /* NULL, or: the arguments are none of a program, and have been dealt with. */
    bool (*takes)(cli *self, const char **files, void *context, int *exit_code);
    /* NULL, or: before the run. Returns an exit code. */
    int (*prepare)(cli *self, oak_session *session, void *context);
    /* NULL, or: in place of the run and its report. CLI_AGAIN: everything is loaded anew, and it is called again. */
    int (*instead)(cli *self, oak_session *session, oak_board *board, const char *path, void *context);
    /* NULL: prints the report of the run. */
    int (*finish)(cli *self, oak_session *session, const char *path, void *context);
} cli_runner;
/* Can the program be read again, as it stands now? False after messages. */
bool cli_would_load(cli *self);
int cli_run(cli *self, const cli_runner *runner, int argc, const char **argv);

/* project.c: the project file of this folder. -1 when there is none, else an exit code (after a message). */
#define CLI_PROJECT_FILE "spindle.yaml"
enum { CLI_MOST_SOURCES = 200 };
typedef struct cli_project {
    char *part, *clock, *output, *listing, *symbols;
    char *sources[CLI_MOST_SOURCES + 1];
    char *includes[CLI_MOST_SOURCES + 1];
    char *warnings[CLI_MOST_SOURCES + 1]; /* CODE=LEVEL */
    unsigned source_count;
} cli_project;
int cli_read_project(cli *self, cli_project *project);
/* The same for the project file at a path. */
int cli_read_project_at(cli *self, const char *path, cli_project *project);
/* The same, and takes what every command takes: sources, part, folders of includes, warnings. */
int cli_take_project(cli *self, cli_project *project, const char ***files, char **part, char ***includes,
                     char ***warns);
/* The part (and clock) of the project whose folder this is, where a file but no part is named. As cli_read_project. */
int cli_take_part(cli *self, char **part, char **clock);
void cli_free_project(cli_project *project);
/* Fills an option that was not given from the project, which gives the text away. */
void cli_take(char **option, char **from);
/* Puts a list of the project before that of the options; the project gives its texts away. */
bool cli_take_list(char ***option, char **from);

/* fix.c: applies the safe edits of diagnostics to the sources and shows them; false after a message. */
bool cli_fix(cli *self, const oak_part *part, const oak_asm_settings *settings);

/* symbols.c: symbols and lines of a program as JSON, both ways. */
cJSON *cli_symbols_json(const oak_program *program);
bool cli_read_symbols(cli *self, const char *path, oak_program *program);

/* show.c: values and memory as somebody has asked for them. */
typedef enum cli_order { CLI_ORDER_OF_PART, CLI_ORDER_LITTLE, CLI_ORDER_BIG } cli_order;
typedef struct cli_cells {
    unsigned bytes; /* of a cell: 1, 2, 4; 0: 1 */
    cli_order order;
    char base;        /* 'h'ex, 'd'ecimal, 's'igned, 'o'ctal, 'b'inary, 't'ext; 0: the usual */
    unsigned columns; /* 0: as many as fit */
} cli_cells;
/* Reads "2 bytes big signed 8 columns"; false after a message. */
bool cli_read_cells(cli *self, oak_session *session, const char *words, cli_cells *cells);
/* Characters of a cell, and how many fit, with a blank before each and their text beside. */
unsigned cli_cell_width(const cli_cells *cells);
unsigned cli_cell_columns(const cli_cells *cells, unsigned width);
/* False when nothing is there. */
bool cli_cell_text(oak_session *session, unsigned space, uint32_t at, const cli_cells *cells, char *text,
                   size_t room);
void cli_write_binary(uint64_t value, unsigned bits, char *text);
void cli_write_number(uint64_t value, unsigned bits, char base, char *text, size_t room);
/* The same with what tells the base: 0x1f, 31, 0o37, 0b00011111. */
void cli_write_register(const oak_register_info *reg, uint32_t value, char base, char *text, size_t room);

/* What the last run or step has changed. */
enum { CLI_MOST_CHANGES = 1000 };
typedef struct cli_changes {
    oak_change list[CLI_MOST_CHANGES];
    size_t count;
} cli_changes;
void cli_take_changes(oak_session *session, cli_changes *changes);
/* Anything in so many bytes; a register of the core is one byte of space 0. */
bool cli_has_changed(const cli_changes *changes, unsigned space, uint32_t address, unsigned bytes);
/* What lies where in a part, and what a program uses of it (or NULL): as text, and drawn into a file; false after a message. */
void cli_print_map(cli *self, const oak_part *part, const oak_program *program);
bool cli_draw_map(cli *self, const oak_part *part, const oak_program *program, const char *path);
/* Memory that is several chips, as lines, each with the marks below it: those that a list names ("ram3 ram4..ram7", "all"), else those of RAM in which
 * there is something. Returns how many. */
typedef void (*chips_line)(void *context, const char *text, bool marks);
bool cli_has_chips(const oak_part *part);
unsigned cli_chip_lines(oak_session *session, const cli_changes *changes, const char *chosen,
                        unsigned columns, chips_line say, void *context);
unsigned cli_report_chips(cli *self, oak_session *session, const char *chosen);
/* What went out of each serial port since it was asked last, with the cycle of each stop bit where that is known. */
cJSON *cli_json_sent(oak_session *session);
cJSON *cli_json_chips(oak_session *session, const char *chosen);
/* Whether there are chips that a list names; the empty one does. */
bool cli_are_chips(oak_session *session, const char *names);
/* "chips ram0 ram1": the names in what is to be shown; NULL where it is no such thing. */
const char *cli_shows_chips(const char *what);
/* "fsr0 leads to line+3, 0x37": what a register that is a pointer leads to; false where it is none, or leads nowhere. */
bool cli_pointed(oak_session *session, unsigned number, char *text, size_t room);
/* "line+3 WDTCTL": the names of what lies in a stretch, in the order of addresses; of what it begins in, too. */
void cli_names_in(oak_session *session, unsigned space, uint32_t from, uint32_t to, char *text, size_t room);
/* A register that is not shown: a level of a hardware stack that is not in use; of another mode, without anything new in it. */
bool cli_is_hidden(oak_session *session, unsigned reg);
/* Whether a change of a register is worth a word: not of those that always change, nor of what is only part of others. */
bool cli_tells_register(oak_session *session, uint32_t reg);
/* "r3", "TCON", "iram[0x30]" */
void cli_change_name(const oak_part *part, const oak_change *change, char *name, size_t room);

/* "r3 = 0x05", "count = 0x2a", "xram[0x4010..0x4017] = …": something that an instruction touches, with what is in it. */
void cli_touched_text(oak_session *session, const oak_watched *one, char *text, size_t room);

typedef struct show_item {
    const char *text;    /* as it was asked for */
    char *expression;    /* without the base; a variable of several bytes is the cell it is */
    size_t label_length; /* of the text, what it is called */
    cli_cells cells;
    bool is_range; /* space[from..to] */
    bool is_new;   /* a value that is marked */
    unsigned space;
    uint32_t from, to;
} show_item;
/* Reads "EXPR [as …]", "space[from..to] [as …]", "changes"; false after a message. Free the expression. */
bool cli_read_show(cli *self, oak_session *session, const char *text, show_item *item);
void cli_show_item(cli *self, oak_session *session, const show_item *item);
/* Reads and shows it; false after a message. */
bool cli_show(cli *self, oak_session *session, const char *text, bool is_new);

/* report.c: what is printed when a run has ended. */
typedef struct cli_reported {
    const char *program_name, *budget;
    const show_item *shows;
    unsigned show_count;
    bool brief;
    oak_board *board; /* or NULL */
} cli_reported;
void cli_report(cli *self, oak_session *session, const cli_reported *what);
/* One part of the report: "registers", "special", "pins", "interrupts", "board", "laps", "noticed", "output"; false when there is
 * no such part. */
bool cli_report_part(cli *self, oak_session *session, oak_board *board, const char *part);
/* What a meter would show as high, a bit a pin. */
uint32_t cli_port_levels(oak_session *session, unsigned port);
/* Why the last run has ended. */
void cli_report_why(cli *self, oak_session *session, const char *budget);
/* Why and where the last run has ended, and how long it took. */
void cli_report_where(cli *self, oak_session *session, const char *budget);
/* What a special register holds, false where it cannot be read; whether a name means it: its own, its device's, or "". */
bool cli_read_special(oak_session *session, const oak_part_register *reg, uint32_t *value);
/* Memory that holds words which configure the chip is no room for a program. */
bool cli_configures(const oak_part *part, const oak_part_memory *memory);
/* True when one that is told of by itself holds something else than after a reset. */
bool cli_special_differs(oak_session *session, const oak_part_register *reg, uint32_t *value);
bool cli_names_special(const oak_part_register *reg, const char *name);
/* Special registers with every field: all (""), those of a device, or one. False when there is no such. */
bool cli_report_special(cli *self, oak_session *session, const char *name);
/* Adds "PLACE [if CONDITION] [every N] [once]"; false after a message. */
bool cli_add_stop(cli *self, oak_session *session, const char *text);
/* From now on Ctrl-C is only noted; pressed three times it ends the tool, unless that is held for good. */
void cli_catch_interrupts(bool for_good);
bool cli_was_interrupted(void);
/* Ends a run when somebody has pressed Ctrl-C, and lets time pass at a pace (0: as fast as it goes). */
void cli_breathe(oak_session *session, double pace, oak_budget *budget);
const char *cli_vector_name(const oak_session *session, uint32_t vector);

/* report_json.c: the same, as documents that belong to the caller. */
void cli_report_json(cli *self, oak_session *session, const cli_reported *what);
/* If a fault is why it stands: what happened, and where it came from if its handler was entered. */
void cli_json_fault(oak_session *session, cJSON *into);
cJSON *cli_json_show(cli *self, oak_session *session, const show_item *item);
/* What differs from how it was when the run began; a list of changes. */
cJSON *cli_json_changes(oak_session *session);
cJSON *cli_json_change_list(oak_session *session, const oak_change *changes, size_t count);
cJSON *cli_json_stop_points(oak_session *session);
cJSON *cli_json_laps(oak_session *session);
cJSON *cli_json_board(oak_board *board);
cJSON *cli_json_noticed(oak_session *session);
cJSON *cli_json_interrupts(oak_session *session);

#endif
