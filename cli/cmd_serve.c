/* cmd_serve.c — `spindle serve`: what editors ask for, over standard input and output. */
#include <errno.h>
#include <popt.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "serving.h"

static void send_bytes(void *context, const char *bytes, size_t count)
{
    serving *self = context;
    while (count && !self->failed) {
        ssize_t sent = write(STDOUT_FILENO, bytes, count);
        if (sent < 0 && errno == EINTR) continue;
        self->failed = sent <= 0;
        if (sent > 0) bytes += sent, count -= (size_t)sent;
    }
}

static int serve(cli *self, const char *part)
{
    serving state = {.self = self};
    oak_serve_settings settings = {
        .context = &state, .send = send_bytes, .project = cli_find_project, .part = part};
    oak_server *server;
    oak_status status = oak_serve_open(&self->host, &settings, &server);
    if (status) return cli_failed(self, status, "serve");
    char bytes[65536];
    for (bool goes_on = true; goes_on && !state.failed;) {
        ssize_t count = read(STDIN_FILENO, bytes, sizeof bytes);
        if (count < 0 && errno == EINTR) continue;
        goes_on = count > 0 && oak_serve_take(server, bytes, (size_t)count);
    }
    int exit_code = oak_serve_ended_well(server) ? EXIT_DONE : EXIT_REFUSED;
    oak_serve_close(server);
    cli_forget_project(&state);
    return exit_code;
}

static int run(cli *self, int argc, const char **argv)
{
    char *part = NULL;
    int language = 0;
    const struct poptOption table[] = {{"language", 0, POPT_ARG_NONE, &language, 0, NULL, NULL},
                                       {"part", 'p', POPT_ARG_STRING, &part, 0, NULL, NULL},
                                       POPT_TABLEEND};
    poptContext context;
    bool done;
    int exit_code;
    const char **words = cli_options(self, &command_serve, argc, argv, table, &context, &done);
    if (done) exit_code = EXIT_DONE;
    else if (words && words[0])
        exit_code = cli_usage(self, &command_serve, NULL, "`%s` is not wanted here", words[0]);
    else if (!language)
        exit_code = cli_usage(self, &command_serve,
                              "Editors start `spindle serve --language`; docs/editor.md says how.",
                              "nothing to serve is given");
    else exit_code = serve(self, part);
    if (context) poptFreeContext(context);
    free(part);
    return exit_code;
}

const command command_serve = {
    "serve",
    "answer an editor while somebody writes",
    "usage: spindle serve --language [--part PART]\n"
    "\n"
    "Speaks the Language Server Protocol over standard input and output, for an editor\n"
    "that starts it: diagnostics while one types, with repairs; what an instruction, a\n"
    "name, a number or a register is; definitions, uses, renaming; outlines; completion;\n"
    "colours; folding; the layout of lines; bytes and cycles of lines and routines.\n"
    "\n"
    "The part of a file is that of spindle.yaml in its folder or one above it; or a file\n"
    "names it in a comment at its beginning (`; part: avr-32k`); else --part. The editors\n"
    "and their settings: docs/editor.md.\n"
    "\n"
    "examples:\n"
    "  spindle serve --language\n",
    run,
};
