/* cmd_serve.c — `spindle serve`: what editors ask for, over standard input and output. */
#include <errno.h>
#include <oakspindle/serve.h>
#include <popt.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli.h"

enum { LONGEST_PATH = 4096 };

typedef struct serving {
    cli *self;
    cli_project project;
    char folder[LONGEST_PATH];
    char *paths[2 * CLI_MOST_SOURCES + 1];
    oak_warning warnings[CLI_MOST_SOURCES];
    char *warning_texts[CLI_MOST_SOURCES];
    bool read, failed;
} serving;

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

static void forget_project(serving *self)
{
    for (size_t i = 0; i < sizeof self->paths / sizeof *self->paths; i++) {
        free(self->paths[i]);
        self->paths[i] = NULL;
    }
    for (size_t i = 0; i < CLI_MOST_SOURCES; i++) {
        free(self->warning_texts[i]);
        self->warning_texts[i] = NULL;
    }
    if (self->read) cli_free_project(&self->project);
    self->read = false;
}

static char *in_folder(const char *folder, const char *name)
{
    char path[2 * LONGEST_PATH];
    if (*name == '/') return cli_strdup(name);
    snprintf(path, sizeof path, "%s/%s", folder, name);
    return cli_strdup(path);
}

/* CODE=level, as the reader of projects makes them. */
static unsigned take_warnings(serving *self)
{
    static const char *const levels[] = {"off", "on", "error"};
    unsigned count = 0;
    for (unsigned i = 0; i < CLI_MOST_SOURCES && self->project.warnings[i]; i++) {
        char *text = cli_strdup(self->project.warnings[i]), *level = text ? strchr(text, '=') : NULL;
        self->warning_texts[count] = text;
        if (!level) continue;
        *level++ = 0;
        for (unsigned l = 0; l < 3; l++)
            if (strcmp(level, levels[l]) == 0)
                self->warnings[count] = (oak_warning){text, (oak_warning_level)l};
        if (self->warnings[count].code == text) count++;
    }
    return count;
}

/* The project file in the folder of the file or one above it. */
static void find_project(void *context, const char *path, oak_serve_project *project)
{
    serving *self = context;
    forget_project(self);
    snprintf(self->folder, sizeof self->folder, "%s", path);
    for (char *end; (end = strrchr(self->folder, '/'));) {
        char name[LONGEST_PATH + 20];
        *end = 0;
        snprintf(name, sizeof name, "%s/%s", self->folder, CLI_PROJECT_FILE);
        if (access(name, R_OK) == 0) {
            self->read = cli_read_project_at(self->self, name, &self->project) == EXIT_DONE;
            break;
        }
    }
    if (!self->read) return;
    unsigned count = 0;
    for (unsigned i = 0; i < self->project.source_count; i++) {
        self->paths[count] = in_folder(self->folder, self->project.sources[i]);
        count += self->paths[count] != NULL;
    }
    project->part = self->project.part;
    project->warnings = self->warnings;
    project->warning_count = take_warnings(self);
    project->sources = (const char *const *)self->paths;
    project->source_count = count;
    project->includes = (const char *const *)(self->paths + count);
    for (unsigned i = 0; i < CLI_MOST_SOURCES && self->project.includes[i]; i++) {
        self->paths[count + i] = in_folder(self->folder, self->project.includes[i]);
        project->include_count++;
    }
}

static int serve(cli *self, const char *part)
{
    serving state = {.self = self};
    oak_serve_settings settings = {
        .context = &state, .send = send_bytes, .project = find_project, .part = part};
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
    forget_project(&state);
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
