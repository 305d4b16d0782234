/* cmd_tidy.c — `spindle tidy`: lays the lines of sources out, and changes no byte of what they become. */
#include <oakspindle/syntax.h>
#include <popt.h>
#include <stdlib.h>
#include <string.h>

#include "cli.h"

enum { LARGEST_SOURCE = 16 << 20, LONGEST_TIDIED = 4096 };

typedef struct tidier {
    cli *self;
    const oak_syntax *syntax;
    bool only_looks;
    cJSON *files; /* with --json */
    unsigned changed_files;
} tidier;

/* The text laid out; how many lines that changes. */
static unsigned lay_out(const tidier *t, const char *at, size_t size, cli_text *tidy)
{
    char room[LONGEST_TIDIED];
    oak_text_sink sink = cli_text_sink(tidy);
    unsigned changed = 0;
    for (const char *end = at + size; at < end;) {
        const char *stop = memchr(at, '\n', (size_t)(end - at));
        size_t length = (size_t)((stop ? stop : end) - at),
               made = oak_syntax_tidy(t->syntax, at, length, room, sizeof room);
        bool other = made <= sizeof room && (made != length || memcmp(room, at, length) != 0);
        changed += other;
        sink.write(sink.context, other ? room : at, other ? made : length);
        if (stop) sink.write(sink.context, "\n", 1);
        at = stop ? stop + 1 : end;
    }
    return changed;
}

static bool tidy_file(tidier *t, const char *path)
{
    uint8_t *bytes = NULL;
    size_t size = 0;
    cli_text tidy = {0};
    const oak_host *host = &t->self->host;
    oak_status status = host->read_file(host->context, path, LARGEST_SOURCE, &bytes, &size);
    if (status) {
        cli_failed(t->self, status, path);
        return false;
    }
    unsigned changed = size ? lay_out(t, (const char *)bytes, size, &tidy) : 0;
    if (bytes) host->resize(host->context, bytes, size, 0);
    const cli_file file = {path, &tidy, true};
    bool good = !tidy.failed;
    if (!good) cli_failed(t->self, OAK_NO_MEMORY, path);
    if (good && changed && !t->only_looks) good = cli_write_files(t->self, &file, 1);
    free(tidy.bytes);
    if (!good) return false;
    if (changed)
        printf("%s: %u line%s %s\n", path, changed, changed == 1 ? "" : "s",
               t->only_looks ? "would be laid out" : "laid out");
    t->changed_files += changed > 0;
    if (t->files) {
        cJSON *one = cJSON_CreateObject();
        cJSON_AddStringToObject(one, "file", path);
        cJSON_AddNumberToObject(one, "lines", changed);
        cJSON_AddItemToArray(t->files, one);
    }
    return true;
}

static int tidy(cli *self, const oak_part *part, const char *const *files, bool only_looks)
{
    oak_syntax *syntax;
    oak_status status = oak_syntax_open(&self->host, part, &syntax);
    if (status) return cli_failed(self, status, files[0]);
    tidier t = {.self = self,
                .syntax = syntax,
                .only_looks = only_looks,
                .files = self->json ? cJSON_CreateArray() : NULL};
    bool good = true;
    for (unsigned i = 0; files[i]; i++) good = tidy_file(&t, files[i]) && good;
    cli_clear_leftovers();
    oak_syntax_close(syntax);
    if (good && !t.changed_files) printf("all lines are laid out\n");
    if (self->json) {
        cJSON *document = cJSON_CreateObject();
        cJSON_AddStringToObject(document, "part", part->name);
        cJSON_AddItemToObject(document, "files", t.files);
        cli_print_json(self, document);
    }
    return !good ? EXIT_REFUSED : only_looks && t.changed_files ? EXIT_EXPECTATION : EXIT_DONE;
}

static int run(cli *self, int argc, const char **argv)
{
    char *part_name = NULL, **includes = NULL, **warns = NULL;
    int check = 0, json = 0;
    cli_project project = {0};
    const struct poptOption table[] = {{"part", 'p', POPT_ARG_STRING, &part_name, 0, NULL, NULL},
                                       {"check", 0, POPT_ARG_NONE, &check, 0, NULL, NULL},
                                       {"json", 0, POPT_ARG_NONE, &json, 0, NULL, NULL},
                                       POPT_TABLEEND};
    poptContext context;
    bool done;
    int exit_code = EXIT_DONE, found = EXIT_DONE;
    const char **files = cli_options(self, &command_tidy, argc, argv, table, &context, &done);
    if (files && !files[0]) found = cli_take_project(self, &project, &files, &part_name, &includes, &warns);
    else if (files && cli_take_part(self, &part_name, NULL) > 0) found = EXIT_REFUSED;
    if (!files) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (found > 0) exit_code = found;
    else if (found < 0)
        exit_code =
            cli_usage(self, &command_tidy, "Name files, or work in a folder with a " CLI_PROJECT_FILE ".",
                      "no source file is given");
    else {
        oak_part *part = cli_load_part(self, &command_tidy, part_name, &exit_code);
        if (part) exit_code = tidy(self, part, files, check);
        oak_part_free(part);
    }
    if (context) poptFreeContext(context);
    cli_free_project(&project);
    free(includes);
    free(warns);
    free(part_name);
    return exit_code;
}

const command command_tidy = {
    "tidy",
    "lay the lines of sources out",
    "usage: spindle tidy [FILE...] --part PART [--check]\n"
    "\n"
    "Puts labels and names that are defined into the first column, operations into column 9,\n"
    "operands into column 14, comments behind them into column 33 or later. What stands in\n"
    "operands and comments stays as it is, and so does every byte that the source becomes.\n"
    "Without a FILE: the sources of the project in this folder.\n"
    "\n"
    "  -p, --part PART      the microcontroller whose language the files are in\n"
    "      --check          change nothing; exit code 4 when a line would be laid out\n"
    "      --json           print everything as one JSON document\n"
    "\n"
    "examples:\n"
    "  spindle tidy guard.asm --part mcs51-8k\n"
    "  spindle tidy --check\n",
    run,
};
