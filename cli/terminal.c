/* terminal.c — what is printed reaches a terminal as text: control characters of strangers are shown, not sent.
 *
 * Names of files and parts, texts of a source, bytes of a serial port may hold sequences that a terminal obeys. So standard output
 * and standard error are streams of their own that let through text, line ends and tabs, and show every other control character as
 * \x1b. Colours are this tool's own: they are marked with a number nobody else knows. */
#define _GNU_SOURCE
#include <stdio.h>
#include <string.h>
#include <sys/random.h>
#include <unistd.h>

#include "cli.h"

enum { MARK = 0x01, SECRET = 8, MARK_SIZE = 1 + SECRET + 1 };

typedef struct stream {
    FILE *real;
    unsigned char waiting[MARK_SIZE]; /* the beginning of a mark or of a character */
    size_t count;
    bool also_edits; /* carriage return, backspace and bell go through as well */
} stream;

static stream out, err;
static char marks[PAINT_FAINT + 1][MARK_SIZE + 1]; /* "" where colours are not used */

static const char *const codes[] = {
    [PAINT_OFF] = "\x1b[0m",    [PAINT_ERROR] = "\x1b[1;31m", [PAINT_WARNING] = "\x1b[1;33m",
    [PAINT_PLACE] = "\x1b[1m",  [PAINT_HINT] = "\x1b[36m",    [PAINT_TITLE] = "\x1b[1;36m",
    [PAINT_STRONG] = "\x1b[1m", [PAINT_FAINT] = "\x1b[2m"};
enum { PAINTS = sizeof codes / sizeof *codes };

const char *cli_paint(bool colour, paint kind)
{
    return colour ? marks[kind] : "";
}

/* How many bytes a character has by its first one; 0: no character begins so. */
static size_t length_of(unsigned char first)
{
    return first < 0x80                    ? 1
           : first >= 0xC2 && first < 0xE0 ? 2
           : (first & 0xF0) == 0xE0        ? 3
           : first >= 0xF0 && first < 0xF5 ? 4
                                           : 0;
}

static void show(stream *to, unsigned char byte)
{
    fprintf(to->real, "\\x%02x", byte);
}

/* What has been gathered is no mark and no character: its first byte is shown, the rest is looked at anew. */
static void give_up(stream *to);

static void take(stream *to, unsigned char byte)
{
    unsigned char *w = to->waiting;
    w[to->count++] = byte;
    if (w[0] == MARK && *marks[0]) {
        if (to->count < MARK_SIZE) {
            if (memcmp(w, marks[0], to->count < MARK_SIZE - 1 ? to->count : MARK_SIZE - 1) != 0) give_up(to);
            return;
        }
        if (memcmp(w, marks[0], MARK_SIZE - 1) == 0 && w[MARK_SIZE - 1] - 'a' < PAINTS) {
            fputs(codes[w[MARK_SIZE - 1] - 'a'], to->real);
            to->count = 0;
        } else give_up(to);
        return;
    }
    size_t length = length_of(w[0]);
    if (to->count == 1) {
        bool plain = (w[0] >= ' ' && w[0] < 127) || w[0] == '\n' || w[0] == '\t';
        bool edits = to->also_edits && (w[0] == '\r' || w[0] == '\b' || w[0] == '\a');
        if (length > 1) return;
        if (plain || edits) fputc(w[0], to->real);
        else show(to, w[0]);
        to->count = 0;
        return;
    }
    if ((byte & 0xC0) != 0x80) give_up(to);
    else if (to->count == length) {
        bool overlong = (w[0] == 0xE0 && w[1] < 0xA0) || (w[0] == 0xF0 && w[1] < 0x90),
             surrogate = w[0] == 0xED && w[1] >= 0xA0;
        bool beyond = w[0] == 0xF4 && w[1] >= 0x90, control = w[0] == 0xC2 && w[1] < 0xA0;
        if (overlong || surrogate || beyond) give_up(to);
        else {
            if (control) fprintf(to->real, "\\u%04x", w[1]);
            else fwrite(w, 1, length, to->real);
            to->count = 0;
        }
    }
}

static void give_up(stream *to)
{
    unsigned char rest[MARK_SIZE];
    size_t count = to->count - 1;
    show(to, to->waiting[0]);
    memcpy(rest, to->waiting + 1, count);
    to->count = 0;
    for (size_t i = 0; i < count; i++) take(to, rest[i]);
}

static ssize_t write_stream(void *context, const char *bytes, size_t size)
{
    stream *to = context;
    for (size_t i = 0; i < size; i++) take(to, (unsigned char)bytes[i]);
    return fflush(to->real) || ferror(to->real) ? 0 : (ssize_t)size;
}

static FILE *open_stream(stream *to, FILE *real, int buffering)
{
    to->real = real;
    FILE *made = fopencookie(to, "w", (cookie_io_functions_t){.write = write_stream});
    if (!made) return real;
    setvbuf(made, NULL, buffering, BUFSIZ);
    return made;
}

void cli_open_streams(void)
{
    unsigned char secret[SECRET];
    bool random = getrandom(secret, sizeof secret, 0) == sizeof secret;
    for (unsigned kind = 0; kind < PAINTS && random; kind++) {
        marks[kind][0] = MARK;
        for (unsigned i = 0; i < SECRET; i++) marks[kind][1 + i] = (char)(0x80 | secret[i]);
        marks[kind][1 + SECRET] = (char)('a' + kind);
    }
    stdout = open_stream(&out, stdout, isatty(1) ? _IOLBF : _IOFBF);
    stderr = open_stream(&err, stderr, _IOLBF);
}

void cli_draw(const char *text)
{
    size_t left = strlen(text);
    fflush(stderr);
    while (left) {
        ssize_t done = write(2, text, left);
        if (done <= 0) return;
        text += done;
        left -= (size_t)done;
    }
}

FILE *cli_terminal(void)
{
    return out.real ? out.real : stdout;
}

bool cli_write_raw(const void *bytes, size_t size)
{
    if (!out.real || cli_captures() || isatty(1))
        return fwrite(bytes, 1, size, stdout) == size && fflush(stdout) == 0;
    return fwrite(bytes, 1, size, out.real) == size && fflush(out.real) == 0;
}

void cli_print_received(const void *bytes, size_t size, bool as_is)
{
    fflush(stdout);
    if (as_is || !out.real) fwrite(bytes, 1, size, cli_terminal());
    else {
        out.also_edits = true;
        write_stream(&out, bytes, size);
        out.also_edits = false;
    }
    fflush(cli_terminal());
}
