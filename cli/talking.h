/* talking.h — what `send` and `receive` share: the line and how it is opened, words before the talk, how far it is, how it ended. */
#ifndef SPINDLE_TALKING_H
#define SPINDLE_TALKING_H

#include "cli.h"

/* How something goes over the line. */
typedef enum talk_way {
    TALK_ANY,
    TALK_PEG,
    TALK_XMODEM,
    TALK_XMODEM_CRC,
    TALK_XMODEM_1K,
    TALK_YMODEM
} talk_way;

typedef struct talking {
    cli *self;
    const command *of;
    char *device, *way_name, *parity, *flow, **exchange, *confirm, *part;
    int baud, wait, retries;
    talk_way way;
    oak_linux_line line;
    oak_talk talk;
    bool draws, drawn;   /* how far it is, on a terminal */
    double began, shown; /* seconds */
    const char *doing;
} talking;

enum { TALKING_SAY = 1000, TALKING_AWAIT };
/* The help of the options below. */
#define TALKING_HELP                                                                                         \
    "  -l, --line DEVICE    the serial line, as /dev/ttyUSB0\n"                                              \
    "      --protocol P     peg (docs/programmer.md), xmodem, xmodem-crc, xmodem-1k or ymodem;\n"            \
    "                       when not given, as the other end answers\n"                                      \
    "      --baud N         bits per second; 115200 when not given\n"                                        \
    "      --parity P       none, even or odd\n"                                                             \
    "      --flow F         none, wires (RTS and CTS) or characters (XON and XOFF)\n"                        \
    "      --say TEXT       say something first, as 'P\\r'; \\r \\n \\t \\\\ and \\x1b are known\n"          \
    "      --await TEXT     wait until the other end has said so; both in the order given, repeat\n"         \
    "      --wait MS        how long to wait for an answer\n"                                                \
    "      --retries N      how often a packet is sent again; 10 when not given\n"
/* Of popt. */
#define TALKING_OPTIONS(t)                                                                                   \
    {"line", 'l', POPT_ARG_STRING, &(t)->device, 0, NULL, NULL},                                             \
        {"protocol", 0, POPT_ARG_STRING, &(t)->way_name, 0, NULL, NULL},                                     \
        {"baud", 0, POPT_ARG_INT, &(t)->baud, 0, NULL, NULL},                                                \
        {"parity", 0, POPT_ARG_STRING, &(t)->parity, 0, NULL, NULL},                                         \
        {"flow", 0, POPT_ARG_STRING, &(t)->flow, 0, NULL, NULL},                                             \
        {"say", 0, POPT_ARG_STRING, NULL, TALKING_SAY, NULL, NULL},                                          \
        {"await", 0, POPT_ARG_STRING, NULL, TALKING_AWAIT, NULL, NULL},                                      \
        {"wait", 0, POPT_ARG_INT, &(t)->wait, 0, NULL, NULL},                                                \
        {"retries", 0, POPT_ARG_INT, &(t)->retries, 0, NULL, NULL},                                          \
    {                                                                                                        \
        "part", 'p', POPT_ARG_STRING, &(t)->part, 0, NULL, NULL                                              \
    }

/* Checks the options; EXIT_DONE or, after a message, EXIT_USAGE. argv: for what was said and awaited, in its order. */
int talking_begin(talking *self, cli *tool, const command *of, int argc, const char **argv);
/* Opens the line, says and awaits, and finds out which way the other end wants where none was chosen. An exit code. */
int talking_open(talking *self, bool receives);
/* Waits until the other end has said so. */
oak_status talking_await(talking *self, const char *text);
/* The same line again after it was lost: waits for it. False when it does not come back. */
bool talking_again(talking *self);
/* A message for how it has ended; an exit code. */
int talking_ends(talking *self, oak_status status);
/* Clears what was drawn. */
void talking_clear(talking *self);
void talking_close(talking *self);
void talking_free(talking *self);
const char *talking_way_name(talk_way way);
oak_file_way talking_file_way(talk_way way);
/* What a person calls what is in the socket. */
const char *talking_chip(const oak_chip_job *job);
/* "start+5, lathe.asm:42": what lies at an address of the image; "" where nobody knows. */
void talking_place(const oak_program *program, uint32_t address, char *text, size_t room);

#endif
