/* attach.c — a serial terminal of the board at this terminal, or at a pseudo-terminal for any terminal program. */
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <termios.h>
#include <unistd.h>

#include "cli.h"

static struct termios saved;
static bool changed;

static void restore(void)
{
    if (changed) tcsetattr(0, TCSANOW, &saved);
    changed = false;
}

void cli_restore_terminal(void)
{
    restore();
}

/* Whatever ends the tool, the terminal is left as it was. */
static void give_back(int number)
{
    restore();
    signal(number, SIG_DFL);
    raise(number);
}

static void heard(void *context, const uint8_t *bytes, size_t count)
{
    const cli_attached *attached = context;
    if (!attached->pseudo) {
        cli_print_received(bytes, count, attached->as_is);
        return;
    }
    while (count) {
        ssize_t done = write(attached->file, bytes, count);
        if (done <= 0) return; /* nobody listens */
        bytes += done;
        count -= (size_t)done;
    }
}

static bool open_pseudo(cli *self, cli_attached *attached, const char *name)
{
    char path[64];
    if (oak_linux_line_pseudo(&attached->line, &attached->file, path, sizeof path)) {
        cli_complain(self, "pseudo-terminal", NULL, NULL, "this system gives no pseudo-terminal");
        return false;
    }
    fcntl(attached->file, F_SETFL, O_NONBLOCK);
    fprintf(stderr, "spindle: %s is at %s\n", name, path);
    return true;
}

bool cli_attach(cli *self, oak_board *board, const char *name, bool pseudo, bool as_is,
                cli_attached *attached)
{
    *attached = (cli_attached){.who = board ? oak_board_find(board, name, strlen(name)) : NULL,
                               .pseudo = pseudo,
                               .as_is = as_is,
                               .file = -1};
    if (!attached->who || !oak_stand_in_kind_of(attached->who)->type) {
        char message[200], hint[300] = "";
        const oak_stand_in *one;
        for (unsigned i = 0; board && (one = oak_board_stand_in(board, i)); i++)
            if (oak_stand_in_kind_of(one)->type)
                snprintf(hint + strlen(hint), sizeof hint - strlen(hint), "%s %.60s",
                         *hint ? "," : "There are:", oak_stand_in_name(one));
        snprintf(message, sizeof message, "the board has no terminal `%.100s`", name);
        cli_complain(self, "no-terminal", NULL,
                     *hint ? hint : "Give a board with a stand-in of kind terminal: --board F.", message);
        attached->who = NULL;
        return false;
    }
    if (pseudo) {
        if (!open_pseudo(self, attached, name)) return false;
    } else {
        attached->file = 0;
        attached->reads = isatty(0);
        if (attached->reads && tcgetattr(0, &saved) == 0) {
            struct termios raw = saved;
            raw.c_lflag &= (tcflag_t) ~(ICANON | ECHO);
            raw.c_cc[VMIN] = 0;
            raw.c_cc[VTIME] = 0;
            changed = true;
            atexit(restore);
            static const int ends[] = {SIGTERM, SIGHUP, SIGQUIT};
            for (size_t i = 0; i < sizeof ends / sizeof *ends; i++) signal(ends[i], give_back);
            tcsetattr(0, TCSANOW, &raw);
        }
    }
    oak_stand_in_listen(attached->who, heard, attached);
    return true;
}

void cli_attached_poll(cli_attached *attached)
{
    uint8_t bytes[64];
    if (!attached->who || (!attached->pseudo && !attached->reads)) return;
    ssize_t count = read(attached->file, bytes, sizeof bytes);
    if (count > 0) oak_stand_in_type(attached->who, bytes, (size_t)count);
}

void cli_detach(cli_attached *attached)
{
    if (!attached->who) return;
    restore();
    oak_stand_in_listen(attached->who, NULL, NULL);
    if (attached->pseudo) attached->line.ops->close(attached->line.line);
    attached->who = NULL;
}
