/* verbs.c — the list of what can be done at the bench, and finding a verb in it. Each verb asks the session and prints what it returns. */
#include <ctype.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "bench.h"

bool bench_complain(bench *b, const char *hint, const char *format, ...)
{
    char message[300], example[300];
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(message, sizeof message, format, arguments);
    va_end(arguments);
    if (hint) oak_part_example(oak_session_part(b->session), hint, example, sizeof example);
    cli_complain(b->self, "bench", NULL, hint ? example : NULL, message);
    return false;
}

bool bench_done(bench *b, oak_status status, const char *what)
{
    if (!status) return true;
    if (status == OAK_INTERRUPTED)
        return bench_complain(b, NULL, "interrupted: everything stands where it stood");
    if (status == OAK_NOT_FOUND)
        return bench_complain(b, NULL, "%s: there is no such moment in what is kept of the past", what);
    if (status != OAK_REFUSED) return bench_complain(b, NULL, "%s: %s", what, oak_status_text(status));
    return false; /* it has been said */
}

/* ------------------------------------------------------------------------------------------ the bench itself */

static bool verb_where(bench *b, const char *rest)
{
    (void)rest;
    if (b->view)
        cli_report_where(b->self, b->session,
                         "as asked"); /* elsewhere it is told behind each verb that moves */
    return true;
}

static bool verb_quit(bench *b, const char *rest)
{
    (void)rest;
    b->quits = true;
    return true;
}

static bool verb_help(bench *b, const char *rest)
{
    if (*rest) {
        const bench_verb *verb = bench_find_verb(b, rest, strcspn(rest, " "));
        if (!verb) return false;
        char example[200];
        oak_part_example(oak_session_part(b->session), verb->example, example, sizeof example);
        printf("  %s %s\n  %s\n\n  %s\n", verb->name, verb->arguments, verb->help, example);
        return true;
    }
    for (const bench_verb *verb = bench_verbs; verb->name; verb++)
        printf("  %-11s %-34s %s\n", verb->name, verb->arguments, verb->help);
    printf("\n  A verb may be shortened as long as only one begins so; `help VERB` gives an example.\n"
           "  An expression or a stretch of memory alone is shown; a name comes before the beginning of a "
           "verb.\n");
    return true;
}

const bench_verb bench_verbs[] = {
    {"step", "[N]", "execute one instruction, or N", "step 5", bench_verb_step, true},
    {"over", "", "execute one instruction; a call with all that it calls is one", "over", bench_verb_over,
     true},
    {"out", "", "run until this subroutine or handler has returned", "out", bench_verb_out, true},
    {"to", "PLACE", "run to a place", "to halt", bench_verb_to, true},
    {"go", "[TIME | N cycles | N steps]", "run until something stops it", "go 20ms", bench_verb_go, true},
    {"back", "[N | over | until E | change E | write E | read E | to CYCLE]", "go back in time",
     "back change $S[$a]", bench_verb_back, true},
    {"reset", "", "begin anew, with the same drives, stops and board", "reset", bench_verb_reset, true},
    {"again", "", "read and assemble everything anew, and begin anew", "again", bench_verb_again, false},
    {"pace", "SPEED | off", "run at the speed of the chip, or a share of it", "pace 10%", bench_verb_pace,
     false},
    {"stop", "PLACE [if E] [every N] [once]", "add a stop point", "stop guard if trips > 0", bench_stop,
     false},
    {"watch", "[read | write | access] E | RANGE", "stop when a value changes, or on an access",
     "watch write $S[$a..$b]", bench_watch, false},
    {"interrupt", "[VECTOR]", "stop when the handler of an interrupt is entered", "interrupt timer0",
     bench_interrupt, false},
    {"say", "E at PLACE", "print a value each time a place is reached, and go on", "say trips at halt",
     bench_say, false},
    {"when", "E", "stop when a condition becomes true", "when r3 == 5 && !relay", bench_when, false},
    {"stops", "", "list stop points and watches with their hits", "stops", bench_stops, false},
    {"off", "N | watch N", "disable a stop point or a watch", "off 0", bench_off, false},
    {"on", "N | watch N", "enable it again", "on watch 0", bench_on, false},
    {"remove", "N | watch N | say N", "remove it for good", "remove watch 0", bench_remove, false},
    {"notice", "[KIND stop | warning | off]", "what becomes of something a chip suffers silently",
     "notice contention stop", bench_notice, false},
    {"lap", "PLACE to PLACE", "measure from one place to another, from or to `PIN rises`, to `its return`",
     "lap main to main", bench_lap, false},
    {"where", "", "tell where it is", "where", verb_where, true},
    {"show", "E | RANGE [as WORDS]", "show a value or a stretch of memory",
     "show $S[$a..$b] as 2 bytes big dec", bench_verb_show, false},
    {"keep", "E", "show a value each time the chip has moved", "keep trips", bench_verb_keep, false},
    {"forget", "N", "keep it no longer", "forget 0", bench_verb_forget, false},
    {"memory", "RANGE [as WORDS]", "show a stretch of memory, and keep it in the view",
     "memory $S[$a..$b] as 2 bytes big", bench_memory, false},
    {"follow", "E [in SPACE] [as WORDS]", "show the memory a pointer points to, and keep following it",
     "follow $Q", bench_follow, false},
    {"registers", "[as hex | dec | signed | oct | bin]", "registers and flags", "registers as dec",
     bench_verb_registers, false},
    {"special", "[all | NAME]", "special registers that differ from reset; all or one, with every bit",
     "special TCON", bench_verb_special, false},
    {"chips", "[NAMES | all | usual]", "memory that is several chips; names choose which, from now on",
     "chips all", bench_verb_chips, false},
    {"pins", "", "ports and pins", "pins", bench_verb_pins, false},
    {"board", "", "what a person sees of the board", "board", bench_verb_board, false},
    {"source", "[PLACE]", "the source around a place", "source halt", bench_verb_source, false},
    {"code", "[PLACE]", "instructions from a place on", "code main", bench_verb_code, false},
    {"stack", "", "what is on the stack, and what of it are return addresses", "stack", bench_verb_stack,
     false},
    {"touches", "", "what the next instruction reads and writes, and what is in it now", "touches",
     bench_verb_touches, false},
    {"recent", "[N]", "the last instructions, with what each has changed", "recent 20", bench_verb_recent,
     false},
    {"tally", "[on | off]", "count what runs, line by line; alone: where the cycles went", "tally on",
     bench_verb_tally, false},
    {"changes", "", "what differs from how it was when the last run began", "changes", bench_verb_changes,
     false},
    {"interrupts", "", "how often interrupts were handled, and how long", "interrupts", bench_verb_interrupts,
     false},
    {"laps", "", "what laps have measured", "laps", bench_verb_laps, false},
    {"noticed", "", "what a chip would have suffered silently", "noticed", bench_verb_noticed, false},
    {"output", "", "what went out of serial ports", "output", bench_verb_output, false},
    {"find", "BYTES | \"TEXT\" in RANGE", "search memory", "find 3a 00 in $S[$a..$b]", bench_find, false},
    {"set", "E = VALUE", "set a register, bit, cell, variable or pin", "set r3 = 5", bench_verb_set, false},
    {"fill", "RANGE = VALUE", "fill a stretch of memory", "fill $S[$a..$b] = 0", bench_fill, false},
    {"copy", "RANGE to CELL", "copy a stretch of memory", "copy $S[$a..$b] to $X", bench_copy, false},
    {"put", "INSTRUCTION at PLACE", "assemble one instruction in place", "put setb relay at halt",
     bench_verb_put, false},
    {"drive", "WAVE", "drive a pin over time", "drive p3.0 = 1 until 5ms, 0", bench_verb_drive, false},
    {"act", "DEED", "do something on the board", "act door open", bench_verb_act, false},
    {"save", "FILE | RANGE to FILE", "write a state file, or a stretch of memory",
     "save $S[$a..$b] to cells.bin", bench_save, false},
    {"load", "FILE | FILE to CELL", "take a state file, or bytes into memory", "load cells.bin to $X",
     bench_load, false},
    {"panes", "[NAME... | usual]", "which panes the view has, from the top",
     "panes registers kept stack memory", bench_panes_verb, false},
    {"divide", "N% | messages N", "how wide the left side of the view is, how high its messages",
     "divide 60%", bench_divide, false},
    {"mouse", "on | off", "in the view: a click on a line sets a stop point", "mouse on", bench_mouse, false},
    {"help", "[VERB]", "list the verbs, or tell of one", "help back", verb_help, false},
    {"quit", "", "leave the bench", "quit", verb_quit, false},
    {NULL, NULL, NULL, NULL, NULL, false}};

/* The verb that a word is, or is the beginning of: NULL with *count of those that begin so, listed in `all`. */
static const bench_verb *match_verb(const char *word, size_t length, unsigned *count, char *all, size_t room)
{
    const bench_verb *found = NULL;
    snprintf(all, room, "It may be");
    *count = 0;
    for (const bench_verb *verb = bench_verbs; verb->name; verb++) {
        if (strncasecmp(verb->name, word, length) != 0) continue;
        if (strlen(verb->name) == length) return verb;
        snprintf(all + strlen(all), room - strlen(all), "%s %s", (*count)++ ? "," : "", verb->name);
        /* `stop` is meant by `sto`, though `stops` begins so as well. */
        if (found && strncmp(verb->name, found->name, strlen(found->name)) == 0) --*count;
        else found = verb;
    }
    return *count == 1 ? found : NULL;
}

/* A line that is no verb may be an expression, or a stretch of memory: it is shown. */
static bool is_shown(bench *b, const char *line)
{
    oak_reading reading;
    unsigned space;
    uint32_t from, to;
    char *copy = cli_strdup(line), *as = copy ? strstr(copy, " as ") : NULL;
    if (as) *as = 0;
    bool shown = copy && (oak_session_value(b->session, copy, &oak_silent, &reading) == OAK_OK ||
                          oak_session_range(b->session, copy, &oak_silent, &space, &from, &to) == OAK_OK);
    free(copy);
    return shown;
}

const bench_verb *bench_verb_of(bench *b, const char *line, const char **rest)
{
    unsigned count;
    char all[300];
    size_t length = strcspn(line, " \t");
    const bench_verb *verb = match_verb(line, length, &count, all, sizeof all);
    *rest = line + length + strspn(line + length, " \t");
    if (verb && strlen(verb->name) == length) return verb;
    /* What has a name comes before the beginning of a verb: sp is a register. */
    if (!is_shown(b, line)) return verb ? verb : bench_find_verb(b, line, length);
    *rest = line;
    return match_verb("show", strlen("show"), &count, all, sizeof all);
}

const bench_verb *bench_find_verb(bench *b, const char *word, size_t length)
{
    unsigned count;
    char all[300];
    const bench_verb *found = match_verb(word, length, &count, all, sizeof all);
    if (found) return found;
    unsigned least = 3;
    for (const bench_verb *verb = bench_verbs; !count && verb->name; verb++) {
        unsigned apart = oak_name_distance(word, length, verb->name, strlen(verb->name), 2);
        if (apart >= least) continue;
        least = apart;
        snprintf(all, sizeof all, "Did you mean `%s`?", verb->name);
    }
    if (!count && least == 3)
        snprintf(all, sizeof all, "`help` lists the verbs; an expression alone is shown.");
    bench_complain(b, all, count ? "`%.*s` is the beginning of several verbs" : "there is no verb `%.*s`",
                   (int)(length < 60 ? length : 60), word);
    return NULL;
}

bool bench_moves(const char *line)
{
    size_t length;
    line += strspn(line, " ");
    length = strcspn(line, " ");
    for (const bench_verb *verb = bench_verbs; verb->name && length; verb++)
        if (strncmp(verb->name, line, length) == 0) return verb->moves;
    return false;
}
