/* cmd_new.c — spindle new: a project that builds and runs as it stands. */
#define _POSIX_C_SOURCE 200809L
#include <dirent.h>
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "cli.h"
#include "parts/built_in.h"

/* Copies a text with {part} and {name} filled in. */
static void fill_in(const char *text, size_t size, const char *part, const char *name,
                    const oak_text_sink *out)
{
    for (size_t at = 0; at < size;) {
        const char *word = NULL;
        size_t used = 0;
        if (size - at >= 6 && memcmp(text + at, "{part}", 6) == 0) word = part, used = 6;
        else if (size - at >= 6 && memcmp(text + at, "{name}", 6) == 0) word = name, used = 6;
        if (word) out->write(out->context, word, strlen(word));
        else out->write(out->context, text + at, used = 1);
        at += used;
    }
}

/* What a project consists of, before any of it is written. */
enum { MOST_FILES = 32 };
typedef struct made_file {
    char *path;
    cli_text text;
} made_file;

static int fill_file(cli *self, const char *from, const char *to, const char *part, const char *name,
                     made_file *made)
{
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_status status = self->host.read_file(self->host.context, from, 1 << 20, &bytes, &size);
    if (status) return cli_failed(self, status, from);
    oak_text_sink sink = cli_text_sink(&made->text);
    fill_in((const char *)bytes, size, part, name, &sink);
    if (bytes) self->host.resize(self->host.context, bytes, size, 0);
    made->path = cli_strdup(to);
    return cli_failed(self, made->path ? OAK_OK : OAK_NO_MEMORY, to);
}

/* The templates of an architecture lie beside the parts, templates/ARCHITECTURE/NAME; ours are built in, too. The names of the files of
 * one, up to NULL; NULL: there is none. */
static char **template_files(const oak_part *part, const char *name, char *folder, size_t room)
{
    const char *parts = cli_parts_folder();
    char ours[200];
    size_t count = 0;
    char **names = cli_calloc(MOST_FILES + 1, sizeof *names);
    snprintf(folder, room, "%s/../templates/%s/%s", parts, part->architecture->name, name);
    DIR *entries = opendir(folder);
    if (!entries && errno == ENOMEM) cli_lose_memory();
    struct dirent *entry;
    while (names && entries && (entry = readdir(entries)) && count < MOST_FILES)
        if (entry->d_name[0] != '.' && (names[count] = cli_strdup(entry->d_name))) count++;
    if (entries) closedir(entries);
    snprintf(ours, sizeof ours, "templates/%.80s/%.80s/", part->architecture->name, name);
    for (const built_in_file *one = built_in_files; names && !entries && one->name && count < MOST_FILES;
         one++)
        if (strncmp(one->name, ours, strlen(ours)) == 0 &&
            (names[count] = cli_strdup(one->name + strlen(ours))))
            count++;
    if (!entries) snprintf(folder, room, CLI_BUILT_IN "/%.*s", (int)strlen(ours) - 1, ours);
    if (count) return names;
    free(names);
    return NULL;
}

/* The folder as a shell takes it. */
static void say_begin(const char *folder, const char *part)
{
    static const char plain[] = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_./+:,@%";
    bool quoted = folder[strspn(folder, plain)] || *folder == '-';
    printf("%s: a project for %s. Begin with:\n\n  cd %s", folder, part, *folder == '-' ? "./" : "");
    if (!quoted) printf("%s", folder);
    else putchar('\'');
    for (const char *p = folder; quoted && *p; p++) printf(*p == '\'' ? "'\\''" : "%c", *p);
    printf("%s\n  spindle asm\n  spindle run --time 5ms\n", quoted ? "'" : "");
}

static int make(cli *self, const char *folder, const oak_part *part, const char *part_name,
                const char *template_name)
{
    char from[9000], source[9600], target[9600];
    const char *slash = strrchr(folder, '/'), *name = slash && slash[1] ? slash + 1 : folder;
    char **names = template_files(part, template_name, from, sizeof from);
    if (!names && cli_memory_lost()) return EXIT_REFUSED;
    if (!names)
        return cli_usage(self, &command_new, "`basic` is always there.", "there is no template `%s` for %s",
                         template_name, part->architecture->name);
    int exit_code = EXIT_DONE;
    if (mkdir(folder, 0777) && errno != EEXIST) {
        cli_complain(self, "no-output", folder, "Does the folder above it exist, and may you write there?",
                     "this folder cannot be made");
        exit_code = EXIT_REFUSED;
    }
    made_file made[MOST_FILES] = {0};
    cli_file files[MOST_FILES];
    unsigned count = 0;
    for (char **one = names; !exit_code && *one; one++) {
        snprintf(source, sizeof source, "%s/%s", from, *one);
        snprintf(target, sizeof target, "%.8000s/%s", folder, *one);
        if (access(target, F_OK) == 0) {
            cli_complain(self, "exists", target, "Choose a new folder; nothing was written.",
                         "this file is already there");
            exit_code = EXIT_REFUSED;
        } else {
            exit_code = fill_file(self, source, target, part_name, name, &made[count]);
            files[count] = (cli_file){made[count].path, &made[count].text, false};
            count++;
        }
    }
    if (!exit_code && !cli_write_files(self, files, count)) exit_code = EXIT_REFUSED;
    if (!exit_code && self->json) {
        cJSON *document = cJSON_CreateObject();
        cJSON_AddStringToObject(document, "part", part->name);
        cJSON_AddStringToObject(document, "folder", folder);
        cJSON *list = cJSON_AddArrayToObject(document, "files");
        for (unsigned i = 0; i < count; i++) cJSON_AddItemToArray(list, cJSON_CreateString(made[i].path));
        cli_print_json(self, document);
    }
    for (unsigned i = 0; i < count; i++) free(made[i].path), free(made[i].text.bytes);
    for (char **one = names; *one; one++) free(*one);
    free(names);
    if (!exit_code) say_begin(folder, part->name);
    return exit_code;
}

static int run(cli *self, int argc, const char **argv)
{
    char *part_name = NULL, *template_name = NULL;
    int json = 0;
    const struct poptOption table[] = {{"part", 'p', POPT_ARG_STRING, &part_name, 0, NULL, NULL},
                                       {"template", 't', POPT_ARG_STRING, &template_name, 0, NULL, NULL},
                                       {"json", 0, POPT_ARG_NONE, &json, 0, NULL, NULL},
                                       POPT_TABLEEND};
    poptContext context;
    bool done;
    int exit_code;
    const char **folders = cli_options(self, &command_new, argc, argv, table, &context, &done);
    if (!folders) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (!folders[0] || folders[1])
        exit_code = cli_usage(self, &command_new, NULL, "one folder is needed");
    else {
        oak_part *part = cli_load_part(self, &command_new, part_name, &exit_code);
        if (part)
            exit_code = make(self, folders[0], part, part_name, template_name ? template_name : "basic");
        oak_part_free(part);
    }
    if (context) poptFreeContext(context);
    free(part_name);
    free(template_name);
    return exit_code;
}

const command command_new = {
    "new",
    "begin a project that builds and runs as it stands",
    "usage: spindle new FOLDER --part PART [--template NAME]\n"
    "\n"
    "Writes a small program with vectors, variables, port setup, a main loop and a\n"
    "subroutine, a project file (spindle.yaml) and a README with a first check. In the\n"
    "folder, `spindle asm` and `spindle run` need no file names.\n"
    "\n"
    "  -p, --part PART        the microcontroller, by name or as a path to a part file\n"
    "  -t, --template NAME    another beginning than `basic`\n"
    "      --json             tell what was written as a JSON document\n"
    "\n"
    "examples:\n"
    "  spindle new knocker --part mcs51-8k\n",
    run,
};
