/* cmd_programmer.c — `spindle programmer`: a programmer with a chip in its socket, simulated, at a pseudo-terminal or a pipe. */
#include <errno.h>
#include <popt.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include "chip_file.h"

typedef struct sitting {
    cli *self;
    char *part_name, *path, *at, *write_time, *erase_time, **faults;
    int page, unit, stands, seed, pipe, once, json;
    oak_part *part;
    chip_file chip;
    bool draws, left, made_link, good;
    unsigned talks;
} sitting;

static volatile sig_atomic_t ended;

static void end(int number)
{
    (void)number;
    ended = 1;
}

static void lamps(void *context, bool busy, bool good, bool bad)
{
    sitting *s = context;
    const char *on = "\xe2\x97\x8f", *off = "\xe2\x97\x8b"; /* a full and an empty circle */
    bool colour = s->self->error_colour; /* drawn as it is, so with the codes of terminals (ECMA-48) */
    const char *strong = colour ? "\x1b[1m" : "", *red = colour ? "\x1b[31m" : "",
               *plain = colour ? "\x1b[0m" : "";
    if (s->draws) {
        char line[200];
        snprintf(line, sizeof line, "\r  busy %s%s%s   good %s%s%s   bad %s%s%s  ", busy ? strong : "",
                 busy ? on : off, busy ? plain : "", good ? strong : "", good ? on : off, good ? plain : "",
                 bad ? red : "", bad ? on : off, bad ? plain : "");
        cli_draw(line);
    } else if (good || bad) fprintf(stderr, "spindle: the lamp says %s\n", good ? "good" : "bad");
    if (good || bad) {
        s->left = true;
        s->good = good;
        s->talks++;
    }
}

static bool goes_on(void *context)
{
    const sitting *s = context;
    return !ended && !(s->once && s->left);
}

static void wait_for(void *context, uint32_t microseconds)
{
    struct timespec time = {.tv_sec = microseconds / 1000000, .tv_nsec = microseconds % 1000000 * 1000l};
    (void)context;
    while (nanosleep(&time, &time) && errno == EINTR && !ended) {
    }
}

static oak_status keep(void *context, unsigned region, uint32_t at, const uint8_t *bytes, uint32_t count,
                       uint32_t erasures)
{
    sitting *s = context;
    return chip_file_keep(&s->chip, region, at, bytes, count, erasures);
}

static oak_status keep_lock(void *context, bool locked)
{
    sitting *s = context;
    return chip_file_keep_lock(&s->chip, locked);
}

/* Microseconds of a time, as 4ms; false after a message. */
static bool read_time(sitting *s, const char *option, const char *text, uint32_t *microseconds)
{
    enum { LONGEST = 60000000 };
    uint64_t picoseconds;
    if (!text) return true;
    if (!oak_read_time(text, strlen(text), &picoseconds) && picoseconds / 1000000 <= LONGEST) {
        *microseconds = (uint32_t)(picoseconds / 1000000);
        return true;
    }
    cli_usage(s->self, &command_programmer, "Write it as 4ms, 250us or 1s, at most a minute.",
              "--%s: `%s` is no such time", option, text);
    return false;
}

/* A name for the pseudo-terminal that stays, for scripts. */
static bool make_link(sitting *s, const char *path)
{
    static const char ours[] = "/dev/pts/";
    char old[sizeof ours];
    ssize_t length = readlink(s->at, old, sizeof ours - 1);
    if (length == (ssize_t)sizeof ours - 1 && memcmp(old, ours, sizeof ours - 1) == 0)
        unlink(s->at); /* what a killed one has left */
    if (!symlink(path, s->at)) return s->made_link = true;
    cli_complain(s->self, "line", s->at, NULL, "this name cannot be given to the pseudo-terminal");
    return false;
}

static int serve(sitting *s, oak_line_port line, const char *where)
{
    cli *self = s->self;
    char count[40];
    oak_programmer_setup setup = {.host = &self->host,
                                  .line = line,
                                  .part = s->part->name,
                                  .write_us = 2000,
                                  .erase_us = 10000,
                                  .stands = (uint32_t)s->stands,
                                  .seed = (uint64_t)s->seed,
                                  .context = s,
                                  .wait = wait_for,
                                  .goes_on = goes_on,
                                  .keep = keep,
                                  .keep_lock = keep_lock,
                                  .lamps = lamps};
    oak_programmer *programmer;
    if (!read_time(s, "write-time", s->write_time, &setup.write_us) ||
        !read_time(s, "erase-time", s->erase_time, &setup.erase_us))
        return EXIT_USAGE;
    memcpy(setup.regions, s->chip.regions, sizeof setup.regions);
    setup.region_count = s->chip.region_count;
    oak_status status = oak_programmer_create(&setup, &programmer);
    if (status) return cli_failed(self, status, s->path);
    int exit_code = chip_file_fill(self, &s->chip, s->path, programmer) ? EXIT_DONE : EXIT_REFUSED;
    for (unsigned i = 0; !exit_code && s->faults && s->faults[i]; i++)
        if (!oak_programmer_fault(programmer, s->faults[i]))
            exit_code = cli_usage(self, &command_programmer, "`spindle programmer --help` lists them.",
                                  "--fault: there is no fault `%s` of this chip", s->faults[i]);
    if (!exit_code) {
        uint32_t size = 0;
        for (unsigned i = 0; i < s->chip.region_count; i++) size += s->chip.regions[i].size;
        if (!s->pipe) {
            printf("a programmer is at %s; in its socket %s %s, %s bytes%s\n", where,
                   s->chip.is_new ? "a blank" : "the", s->part->name, cli_count(size, count, sizeof count),
                   oak_programmer_locked(programmer) ? ", locked" : "");
            fflush(stdout);
        }
        status = oak_programmer_serve(programmer);
        if (s->draws) fputc('\n', stderr);
        if (status && !s->pipe) { /* a pipe may end */
            cli_complain(self, "line", where, NULL, "the line is gone");
            exit_code = EXIT_REFUSED;
        }
        if (!exit_code && s->once && !s->good) exit_code = EXIT_EXPECTATION;
    }
    if (self->json) {
        cJSON *document = cJSON_CreateObject();
        cJSON_AddStringToObject(document, "part", s->part->name);
        cJSON_AddStringToObject(document, "chip", s->path);
        cJSON_AddStringToObject(document, "line", where);
        cJSON_AddNumberToObject(document, "talks", s->talks);
        cJSON_AddBoolToObject(document, "good", s->good);
        cJSON_AddBoolToObject(document, "locked", oak_programmer_locked(programmer));
        cli_print_json(self, document);
    }
    oak_programmer_free(programmer);
    return exit_code;
}

static bool is_power(int number)
{
    return number > 0 && !(number & (number - 1));
}

static int sit(sitting *s)
{
    cli *self = s->self;
    oak_chip_region regions[OAK_MOST_REGIONS];
    int exit_code = EXIT_DONE;
    if (!s->path)
        return cli_usage(self, &command_programmer, "A file that is not there yet becomes a blank chip.",
                         "no chip is given: --chip FILE");
    if (!s->part_name)
        return cli_usage(self, &command_programmer, NULL,
                         "the part is missing: --part NAME says what is in the socket");
    if (s->pipe && self->json)
        return cli_usage(self, &command_programmer, "Give it a pseudo-terminal: --at NAME.",
                         "with --pipe standard output is the line, and no document can go there");
    if ((s->page && !is_power(s->page)) || s->unit < 0 || (s->unit && !is_power(s->unit)) || s->stands < 0)
        return cli_usage(self, &command_programmer, NULL,
                         "--page and --unit are powers of two, --stands a number");
    s->part = cli_load_part(self, &command_programmer, s->part_name, &exit_code);
    if (!s->part) return exit_code;
    if (strlen(s->part->name) >= sizeof((oak_chip_found *)NULL)->part)
        return cli_usage(self, &command_programmer, "A name of at most 31 letters goes over the line.",
                         "the name of this part is too long for a chip: %s", s->part->name);
    unsigned count = oak_programmer_regions(s->part, regions);
    if (!count)
        return cli_usage(self, &command_programmer, NULL, "%s has no memory to be programmed", s->part->name);
    for (unsigned i = 0; i < count; i++) {
        if (s->page && regions[i].size % (unsigned)s->page == 0) regions[i].page = (uint32_t)s->page;
        if (s->unit && regions[i].erased) regions[i].erased = (uint32_t)s->unit;
        if (regions[i].erased % regions[i].page) regions[i].erased = regions[i].page;
    }
    if (!chip_file_open(self, &s->chip, s->path, s->part->name, regions, count)) return EXIT_REFUSED;
    oak_line_port line;
    char where[64] = "a pipe";
    oak_status status =
        s->pipe ? oak_linux_line_over(0, 1, &line) : oak_linux_line_pseudo(&line, NULL, where, sizeof where);
    if (status) {
        cli_complain(self, "pseudo-terminal", NULL, NULL, "this system gives no pseudo-terminal");
        exit_code = EXIT_REFUSED;
    } else {
        struct sigaction action = {.sa_handler = end};
        sigaction(SIGINT, &action, NULL);
        sigaction(SIGTERM, &action, NULL);
        signal(SIGPIPE, SIG_IGN);
        s->draws = isatty(2) && !self->json;
        if (s->at && !make_link(s, where)) exit_code = EXIT_REFUSED;
        else exit_code = serve(s, line, s->at ? s->at : where);
        line.ops->close(line.line);
    }
    if (s->made_link) unlink(s->at);
    chip_file_close(&s->chip);
    return exit_code;
}

static int run(cli *self, int argc, const char **argv)
{
    sitting s = {.self = self, .seed = 1};
    char *clock = NULL;
    const struct poptOption table[] = {{"part", 'p', POPT_ARG_STRING, &s.part_name, 0, NULL, NULL},
                                       {"chip", 0, POPT_ARG_STRING, &s.path, 0, NULL, NULL},
                                       {"at", 0, POPT_ARG_STRING, &s.at, 0, NULL, NULL},
                                       {"pipe", 0, POPT_ARG_NONE, &s.pipe, 0, NULL, NULL},
                                       {"once", 0, POPT_ARG_NONE, &s.once, 0, NULL, NULL},
                                       {"page", 0, POPT_ARG_INT, &s.page, 0, NULL, NULL},
                                       {"unit", 0, POPT_ARG_INT, &s.unit, 0, NULL, NULL},
                                       {"write-time", 0, POPT_ARG_STRING, &s.write_time, 0, NULL, NULL},
                                       {"erase-time", 0, POPT_ARG_STRING, &s.erase_time, 0, NULL, NULL},
                                       {"stands", 0, POPT_ARG_INT, &s.stands, 0, NULL, NULL},
                                       {"fault", 0, POPT_ARG_ARGV, &s.faults, 0, NULL, NULL},
                                       {"seed", 0, POPT_ARG_INT, &s.seed, 0, NULL, NULL},
                                       {"json", 0, POPT_ARG_NONE, &s.json, 0, NULL, NULL},
                                       POPT_TABLEEND};
    poptContext context;
    bool done;
    int exit_code;
    const char **words = cli_options(self, &command_programmer, argc, argv, table, &context, &done);
    if (!words) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (words[0])
        exit_code = cli_usage(self, &command_programmer, "`spindle send` brings an image to it.",
                              "`%s`: a programmer takes no files", words[0]);
    else exit_code = cli_take_part(self, &s.part_name, &clock) > 0 ? EXIT_REFUSED : sit(&s);
    if (context) poptFreeContext(context);
    if (s.part) oak_part_free(s.part);
    for (unsigned i = 0; s.faults && s.faults[i]; i++) free(s.faults[i]);
    free(s.faults);
    free(s.part_name), free(s.path), free(s.at), free(s.write_time), free(s.erase_time), free(clock);
    return exit_code;
}

const command command_programmer = {
    "programmer",
    "a simulated programmer with a chip in its socket",
    "usage: spindle programmer --part PART --chip FILE [options]\n"
    "\n"
    "Sits at a pseudo-terminal as a programmer would at a serial line, with a chip in its\n"
    "socket whose memory is FILE (made, blank, when it is not there). `spindle send` and\n"
    "`receive` talk with it; so does any terminal program with XMODEM: P programs, R reads,\n"
    "E erases. It stays until Ctrl-C. Whatever ends it, the file holds each page whole.\n"
    "\n"
    "  -p, --part PART      what is in the socket\n"
    "      --chip FILE      its memory; docs/programmer.md tells what is in the file\n"
    "      --at PATH        a name for the pseudo-terminal, which goes when it ends\n"
    "      --pipe           standard input and output instead\n"
    "      --once           end with the first talk; exit code 4 when the lamp says bad\n"
    "      --page N         bytes of a page, of a new chip; 128 when not given\n"
    "      --unit N         bytes erased at once, of a new chip; 1024 when not given\n"
    "      --write-time T   how long writing a page takes; 2ms when not given\n"
    "      --erase-time T   how long erasing a unit takes; 10ms when not given\n"
    "      --stands N       erasures after which a unit keeps some of its zeros\n"
    "      --fault TEXT     a fault to order, repeat for more:\n"
    "                       'bit 0x1234.3 stuck' (stays 1), 'bit 0x1234.3 stuck low',\n"
    "                       'lose 1 in 1000', 'double 1 in 1000', 'flip 1 in 1000' (bytes),\n"
    "                       'socket PART', 'socket empty', 'power lost at page 3'\n"
    "      --seed N         what the noise begins with; the same seed, the same noise\n"
    "      --json           print everything as one JSON document, when it has ended\n"
    "\n"
    "examples:\n"
    "  spindle programmer --part mcs51-8k --chip lathe.chip --at /tmp/programmer\n"
    "  spindle send lathe.hex --line /tmp/programmer\n",
    run,
};
