/* talking.c — the line, and how it is opened; words before the talk; how far it is; how it has ended. */
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#include "talking.h"

static volatile sig_atomic_t interrupted;

static void interrupt(int number)
{
    (void)number;
    interrupted = 1;
}

static double now(void)
{
    struct timespec time;
    clock_gettime(CLOCK_MONOTONIC, &time);
    return (double)time.tv_sec + (double)time.tv_nsec / 1e9;
}

static const struct {
    const char *name;
    talk_way way;
    oak_file_way file;
} ways[] = {{"peg", TALK_PEG, OAK_XMODEM},
            {"xmodem", TALK_XMODEM, OAK_XMODEM},
            {"xmodem-crc", TALK_XMODEM_CRC, OAK_XMODEM_CRC},
            {"xmodem-1k", TALK_XMODEM_1K, OAK_XMODEM_1K},
            {"ymodem", TALK_YMODEM, OAK_YMODEM}};
enum { WAYS = sizeof ways / sizeof *ways };

const char *talking_way_name(talk_way way)
{
    for (unsigned i = 0; i < WAYS; i++)
        if (ways[i].way == way) return ways[i].name;
    return "";
}

oak_file_way talking_file_way(talk_way way)
{
    for (unsigned i = 0; i < WAYS; i++)
        if (ways[i].way == way) return ways[i].file;
    return OAK_XMODEM;
}

/* The number of a word in a list ended by NULL, or -1 after a message. */
static int choose(talking *self, const char *option, const char *word, const char *const *list)
{
    char all[100] = "";
    if (!word) return 0;
    for (int i = 0; list[i]; i++) {
        if (strcmp(word, list[i]) == 0) return i;
        snprintf(all + strlen(all), sizeof all - strlen(all), "%s%s", i ? ", " : "There are: ", list[i]);
    }
    cli_usage(self->self, self->of, all, "--%s: there is no `%s`", option, word);
    return -1;
}

int talking_begin(talking *self, cli *tool, const command *of, int argc, const char **argv)
{
    static const char *const parities[] = {"none", "even", "odd", NULL}, *const flows[] = {"none", "wires",
                                                                                           "characters",
                                                                                           NULL};
    self->self = tool;
    self->of = of;
    int parity = choose(self, "parity", self->parity, parities),
        flow = choose(self, "flow", self->flow, flows);
    if (parity < 0 || flow < 0) return EXIT_USAGE;
    for (unsigned i = 0; self->way_name && i < WAYS; i++)
        if (strcmp(ways[i].name, self->way_name) == 0) self->way = ways[i].way;
    if (self->way_name && self->way == TALK_ANY)
        return cli_usage(tool, of, "There are: peg, xmodem, xmodem-crc, xmodem-1k, ymodem.",
                         "--protocol: there is no `%s`", self->way_name);
    if (!self->device)
        return cli_usage(tool, of, "Say where the programmer is: --line /dev/ttyUSB0.", "no line is given");
    if (self->baud < 0 || self->wait < 0 || self->retries < 0 || self->retries > 1000)
        return cli_usage(tool, of, NULL, "--baud, --wait and --retries are numbers above 0");
    if (flow == OAK_FLOW_CHARACTERS)
        cli_remark(tool, "usage", NULL, "XMODEM, YMODEM and pegs send bytes of every value.",
                   "with --flow characters the bytes 0x11 and 0x13 get lost");
    self->line = (oak_linux_line){.device = self->device,
                                  .bits_per_second = self->baud ? (uint32_t)self->baud : 115200,
                                  .parity = (oak_line_parity)parity,
                                  .flow = (oak_line_flow)flow};
    self->exchange = cli_calloc((size_t)argc + 1, sizeof *self->exchange);
    if (!self->exchange) return EXIT_REFUSED;
    unsigned count = 0;
    for (int i = 1; i < argc; i++) { /* in the order given, which popt does not keep across options */
        bool say = strncmp(argv[i], "--say", 5) == 0, await = strncmp(argv[i], "--await", 7) == 0;
        const char *behind = argv[i] + (say ? 5 : 7), *text = NULL;
        if (strcmp(argv[i], "--") == 0) break;
        if ((say || await) && *behind == '=') text = behind + 1;
        else if ((say || await) && !*behind && i + 1 < argc) text = argv[++i];
        if (!text) continue;
        self->exchange[count] = cli_malloc(strlen(text) + 2);
        if (!self->exchange[count]) return EXIT_REFUSED;
        sprintf(self->exchange[count++], "%c%s", say ? 's' : 'a', text);
    }
    return EXIT_DONE;
}

static bool goes_on(void *context, const oak_progress *progress)
{
    talking *self = context;
    double time = now();

    if (self->draws && (time - self->shown > 0.1 || progress->doing != self->doing)) {
        char done[40], of[40], line[160], drawn[170];
        double spent = time - self->began, rate = spent > 0.2 ? (double)progress->done / spent : 0;
        if (progress->doing != self->doing) self->began = time, rate = 0;
        snprintf(line, sizeof line, "%s", progress->doing);
        if (progress->done)
            snprintf(line + strlen(line), sizeof line - strlen(line), " %s",
                     cli_count(progress->done, done, sizeof done));
        if (progress->done && progress->of)
            snprintf(line + strlen(line), sizeof line - strlen(line), " of %s",
                     cli_count(progress->of, of, sizeof of));
        if (progress->done) snprintf(line + strlen(line), sizeof line - strlen(line), " bytes");
        if (rate > 0) snprintf(line + strlen(line), sizeof line - strlen(line), ", %.1f KiB/s", rate / 1024);
        if (rate > 0 && progress->of > progress->done)
            snprintf(line + strlen(line), sizeof line - strlen(line), ", %.0f s left",
                     (double)(progress->of - progress->done) / rate);
        if (progress->again)
            snprintf(line + strlen(line), sizeof line - strlen(line), ", %u again", progress->again);
        snprintf(drawn, sizeof drawn, "\r%-72s", line);
        cli_draw(drawn);
        self->shown = time;
        self->drawn = true;
    }
    self->doing = progress->doing;
    return !interrupted;
}

void talking_clear(talking *self)
{
    char blank[80];
    snprintf(blank, sizeof blank, "\r%-72s\r", "");
    if (self->drawn) cli_draw(blank);
    self->drawn = false;
}

/* What stands for bytes in --say and --await. */
static size_t unescape(const char *text, char *bytes)
{
    static const char letters[] = "rntae0\\", values[] = "\r\n\t\a\x1b\0\\";
    size_t count = 0;
    for (; *text; text++) {
        const char *known = *text == '\\' && text[1] ? strchr(letters, text[1]) : NULL;
        char *end;
        if (known) bytes[count++] = values[known - letters], text++;
        else if (*text == '\\' && text[1] == 'x' && text[2]) {
            char digits[3] = {text[2], text[3], 0};
            bytes[count++] = (char)strtoul(digits, &end, 16);
            text += 1 + (end - digits);
        } else bytes[count++] = *text;
    }
    return count;
}

/* Says a text, or waits until it is said. */
static oak_status exchange_one(talking *self, const char *text, bool says)
{
    enum { USUAL_MS = 10000 };
    char *bytes = cli_malloc(strlen(text) + 1);
    if (!bytes) return OAK_NO_MEMORY;
    size_t count = unescape(text, bytes);
    oak_status status =
        says ? oak_talk_say(&self->talk, bytes, count)
             : oak_talk_await(&self->talk, bytes, count, self->wait ? (uint32_t)self->wait : USUAL_MS);
    if (status == OAK_NOT_FOUND) oak_talk_fails(&self->talk, status, "the other end has not said `%s`", text);
    free(bytes);
    return status;
}

oak_status talking_await(talking *self, const char *text)
{
    return exchange_one(self, text, false);
}

static oak_status exchange(talking *self)
{
    oak_status status = OAK_OK;
    for (unsigned i = 0; !status && self->exchange && self->exchange[i]; i++)
        status = exchange_one(self, self->exchange[i] + 1, self->exchange[i][0] == 's');
    return status;
}

/* Who asks for a file begins; a programmer answers pegs. */
static oak_status find_way(talking *self, bool receives)
{
    enum { LISTENS_MS = 700 };
    oak_talk *talk = &self->talk;
    uint8_t byte = 0;
    oak_status status = OAK_OK;
    self->way = receives ? TALK_XMODEM_CRC : TALK_XMODEM;
    for (unsigned i = 0; !receives && !status && i < sizeof talk->heard; i++) {
        status = oak_talk_hear(talk, LISTENS_MS, &byte);
        if (!status && (byte == 'C' || byte == 0x15)) {
            talk->heard_at--;
            return OAK_OK;
        }
    }
    if (status && status != OAK_NOT_FOUND) return status;
    oak_chip_found found;
    unsigned retries = talk->retries;
    uint32_t wait = talk->wait_ms;
    talk->retries = 2;
    talk->wait_ms = LISTENS_MS;
    status = oak_peg.greet(talk, &found);
    talk->retries = retries;
    talk->wait_ms = wait;
    talk->progress.again = 0;
    if (!status || status == OAK_REFUSED) self->way = TALK_PEG;
    return status == OAK_NOT_FOUND || status == OAK_REFUSED ? OAK_OK : status;
}

static oak_status open_line(talking *self)
{
    oak_status status = oak_linux_line_open_as(&self->line, &self->talk.line);
    if (!status) return status;
    char why[120];
    snprintf(why, sizeof why, "%s",
             status == OAK_NOT_FOUND     ? "there is no such line"
             : status == OAK_UNSUPPORTED ? "it is no serial line, or has no such speed"
             : status == OAK_INTERRUPTED ? "another program is using the line"
                                         : "the line cannot be opened");
    oak_talk_fails(&self->talk, status, why, "");
    return status;
}

int talking_open(talking *self, bool receives)
{
    self->talk = (oak_talk){.host = &self->self->host,
                            .wait_ms = (uint32_t)self->wait,
                            .retries = (unsigned)self->retries,
                            .context = self,
                            .goes_on = goes_on};
    self->draws = isatty(2) && !self->self->json;
    self->began = self->shown = now();
    struct sigaction action = {.sa_handler = interrupt}; /* a read that waits returns */
    sigaction(SIGINT, &action, NULL);
    sigaction(SIGTERM, &action, NULL);
    signal(SIGPIPE, SIG_IGN);
    oak_status status = open_line(self);
    if (status) {
        cli_complain(self->self, "line", self->device, NULL, self->talk.why);
        return EXIT_REFUSED;
    }
    status = exchange(self);
    if (!status && self->way == TALK_ANY) status = find_way(self, receives);
    return status ? talking_ends(self, status) : EXIT_DONE;
}

bool talking_again(talking *self)
{
    enum { TRIES = 40, EACH_NS = 250000000 };
    talking_close(self);
    talking_clear(self);
    if (!self->self->json) fprintf(stderr, "spindle: the line is gone; waiting for it to come back\n");
    for (unsigned i = 0; i < TRIES && !interrupted; i++) {
        nanosleep(&(struct timespec){.tv_nsec = EACH_NS}, NULL);
        self->talk.heard_at = self->talk.heard_count = 0;
        if (!open_line(self)) return true;
    }
    return false;
}

void talking_close(talking *self)
{
    if (self->talk.line.ops) self->talk.line.ops->close(self->talk.line.line);
    self->talk.line.ops = NULL;
}

void talking_free(talking *self)
{
    for (unsigned i = 0; self->exchange && self->exchange[i]; i++) free(self->exchange[i]);
    free(self->exchange);
    free(self->confirm), free(self->device), free(self->way_name), free(self->parity), free(self->flow),
        free(self->part);
}

int talking_ends(talking *self, oak_status status)
{
    talking_clear(self);
    if (!status) return EXIT_DONE;
    if (status == OAK_NO_MEMORY) return cli_failed(self->self, status, self->device);
    const char *hint = NULL;
    if (status == OAK_NOT_FOUND) hint = "Check the line, its speed (--baud) and the protocol (--protocol).";
    if (interrupted)
        cli_complain(self->self, "line", self->device, "The other end was told.", "ended as asked");
    else
        cli_complain(self->self, "line", self->device, hint,
                     *self->talk.why ? self->talk.why : oak_status_text(status));
    return EXIT_REFUSED;
}

const char *talking_chip(const oak_chip_job *job)
{
    return *job->found.part ? job->found.part : "the chip";
}

void talking_place(const oak_program *program, uint32_t address, char *text, size_t room)
{
    const oak_part *part = oak_program_part(program);
    uint32_t at = address / oak_unit_bytes(part->architecture, part->architecture->code_space);
    const oak_symbol *label = oak_program_label_below(program, at);
    oak_line line;
    *text = 0;
    if (label && label->value == at) snprintf(text, room, "%s", label->name);
    else if (label) snprintf(text, room, "%s+%lld", label->name, (long long)(at - label->value));
    if (!oak_program_line_at(program, at, &line))
        snprintf(text + strlen(text), room - strlen(text), "%s%s:%u", label ? ", " : "", line.file,
                 line.line);
}
