/* cli.c — the parts all commands share. */
#define _POSIX_C_SOURCE 200809L
#include "cli.h"
#include "parts/built_in.h"

enum { LARGEST_PART = 1 << 20 }; /* bytes of a file that may be one of our own */

#include <ctype.h>
#include <dirent.h>
#include <errno.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#ifndef OAK_PARTS_FOLDER
#define OAK_PARTS_FOLDER "/usr/local/share/oakspindle/parts"
#endif

/* ------------------------------------------------------------------------------------------ messages */

/* How many columns a text takes, tabs to every eighth; bytes of one UTF-8 character count once. */
static unsigned width_of(const char *text, unsigned bytes, unsigned from)
{
    unsigned column = from;
    for (unsigned i = 0; i < bytes && text[i]; i++) {
        if (text[i] == '\t') column = column / 8 * 8 + 8;
        else if (((unsigned char)text[i] & 0xC0) != 0x80) column++;
    }
    return column;
}

static void print_source_line(const char *text)
{
    unsigned column = 0;
    for (const char *p = text; *p; p++) {
        unsigned next = width_of(p, 1, column);
        unsigned char c = (unsigned char)*p;
        if (c == '\t') fprintf(stderr, "%*s", (int)(next - column), "");
        else if (c == 0xC2 && (unsigned char)p[1] >= 0x80 && (unsigned char)p[1] < 0xA0)
            fputc('?', stderr), p++;
        else fputc(c < ' ' || c == 127 ? '?' : c, stderr); /* one column each, as they are counted */
        column = next;
    }
    fputc('\n', stderr);
}

static void underline(cli *self, const oak_diagnostic *d)
{
    unsigned start = width_of(d->source_line, d->column - 1, 0);
    unsigned end =
        width_of(d->source_line + strnlen(d->source_line, d->column - 1), d->column_end - d->column, start);
    bool colour = self->error_colour;
    if (d->line)
        fprintf(stderr, "%s%6u |%s ", cli_paint(colour, PAINT_FAINT), d->line, cli_paint(colour, PAINT_OFF));
    else fprintf(stderr, "         ");
    print_source_line(d->source_line);
    fprintf(stderr, "%s%s%s %*s%s", cli_paint(colour, PAINT_FAINT), d->line ? "       |" : "        ",
            cli_paint(colour, PAINT_OFF), (int)start, "", cli_paint(colour, PAINT_ERROR));
    for (unsigned i = start; i < end || i == start; i++) fputc('^', stderr);
    fprintf(stderr, "%s\n", cli_paint(colour, PAINT_OFF));
}

/* What is said of a verb in a script, and of no place in a source, is said of the line of the verb. */
static oak_diagnostic placed(const cli *self, const oak_diagnostic *d)
{
    oak_diagnostic at = *d;
    if (!d->file && self->script && self->script_line) {
        at.file = self->script;
        at.line = self->script_line;
        if (self->json) at.column = 0; /* of the expression, not of the line */
    }
    return at;
}

static cJSON *diagnostic_json(const oak_diagnostic *d)
{
    static const char *const severities[] = {"error", "warning", "note"};
    cJSON *item = cJSON_CreateObject();
    cJSON_AddStringToObject(item, "severity", severities[d->severity]);
    cJSON_AddStringToObject(item, "code", d->code ? d->code : "");
    if (d->file) cJSON_AddStringToObject(item, "file", d->file);
    if (d->line) cJSON_AddNumberToObject(item, "line", d->line);
    if (d->column) {
        cJSON_AddNumberToObject(item, "column", d->column);
        cJSON_AddNumberToObject(item, "column_end", d->column_end);
    }
    cJSON_AddStringToObject(item, "message", d->message);
    if (d->hint) cJSON_AddStringToObject(item, "hint", d->hint);
    if (d->edit) {
        cJSON *edit = cJSON_AddObjectToObject(item, "edit");
        cJSON_AddNumberToObject(edit, "line", d->line);
        cJSON_AddNumberToObject(edit, "column", d->edit_column);
        cJSON_AddNumberToObject(edit, "column_end", d->edit_column_end);
        cJSON_AddStringToObject(edit, "text", d->edit);
        cJSON_AddBoolToObject(edit, "safe", d->edit_safe);
    }
    return item;
}

void cli_report_diagnostic(void *context, const oak_diagnostic *reported)
{
    cli *self = context;
    const oak_diagnostic at = placed(self, reported), *d = &at;
    static const char *const words[] = {"error", "warning", "note"};
    bool colour = self->error_colour;
    if (d->severity == OAK_ERROR) self->errors++;
    if (strstr(d->message, "out of memory")) self->said_memory = true;
    if (d->severity == OAK_WARNING) self->warnings++;
    if (self->json || self->keeps) cJSON_AddItemToArray(self->diagnostics, diagnostic_json(d));
    if (self->json) return;
    fflush(stdout); /* what was printed before stands before it, also in one file */
    fprintf(stderr, "%s", cli_paint(colour, PAINT_PLACE));
    if (d->file) fprintf(stderr, "%s:", d->file);
    if (d->file && d->line) fprintf(stderr, "%u:", d->line);
    if (reported->file && d->line && d->column) fprintf(stderr, "%u:", d->column);
    fprintf(stderr, "%s%s%s%s:%s %s", cli_paint(colour, PAINT_OFF), d->file ? " " : "spindle: ",
            cli_paint(colour, d->severity == OAK_ERROR ? PAINT_ERROR : PAINT_WARNING), words[d->severity],
            cli_paint(colour, PAINT_OFF), d->message);
    if (d->code && *d->code)
        fprintf(stderr, " %s[%s]%s", cli_paint(colour, PAINT_FAINT), d->code, cli_paint(colour, PAINT_OFF));
    fputc('\n', stderr);
    if (d->source_line && d->column) underline(self, d);
    if (d->hint)
        fprintf(stderr, "%s%s%s\n", cli_paint(colour, PAINT_HINT),
                d->line && d->source_line ? "       > " : "         ", d->hint);
    if (d->hint && colour) fprintf(stderr, "%s", cli_paint(colour, PAINT_OFF));
}

int cli_usage(cli *self, const command *of, const char *hint, const char *format, ...)
{
    char message[400];
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(message, sizeof message, format, arguments);
    va_end(arguments);
    char more[200];
    snprintf(more, sizeof more, "`spindle %s%s--help` shows how to use it.", of ? of->name : "",
             of ? " " : "");
    oak_diagnostic d = {
        .severity = OAK_ERROR, .code = "usage", .message = message, .hint = hint ? hint : more};
    self->sink.report(self->sink.context, &d);
    return EXIT_USAGE;
}

int cli_failed(cli *self, oak_status status, const char *what)
{
    if (status == OAK_OK) return EXIT_DONE;
    if (!self->errors) {
        char message[300];
        snprintf(message, sizeof message, "%.200s: %s", what, oak_status_text(status));
        oak_diagnostic d = {.severity = OAK_ERROR, .code = "failed", .message = message};
        self->sink.report(self->sink.context, &d);
    }
    return EXIT_REFUSED;
}

/* ------------------------------------------------------------------------------------------ options */

static const struct poptOption *find_option(const struct poptOption *options, const char *name, size_t length,
                                            char letter)
{
    for (const struct poptOption *o = options; o->longName || o->shortName || o->arg; o++) {
        if (o->argInfo == POPT_ARG_INCLUDE_TABLE) {
            const struct poptOption *inner = find_option(o->arg, name, length, letter);
            if (inner) return inner;
            continue;
        }
        bool same =
            name ? o->longName && strlen(o->longName) == length && strncmp(o->longName, name, length) == 0
                 : o->shortName == letter;
        if (same) return o;
    }
    return NULL;
}

/* The library for options drops what it has no memory for, and says nothing: is all that was given there? */
static bool options_are_whole(int argc, const char **argv, const struct poptOption *options,
                              const char **rest)
{
    int left = 0;
    for (int i = 1; i < argc; i++) {
        const char *arg = argv[i], *equals = strchr(arg, '=');
        if (strcmp(arg, "--") == 0) {
            left += argc - i - 1;
            break;
        }
        if (arg[0] != '-' || !arg[1]) {
            left++;
            continue;
        }
        bool is_long = arg[1] == '-';
        const struct poptOption *o =
            is_long ? find_option(options, arg + 2, equals ? (size_t)(equals - arg - 2) : strlen(arg + 2), 0)
                    : find_option(options, NULL, 0, arg[1]);
        if (!o || !o->arg) return true; /* popt has its own ways */
        if (o->argInfo == POPT_ARG_NONE) {
            if (!*(const int *)o->arg) return false;
            if (!is_long && arg[2]) return true;
            continue;
        }
        if ((o->argInfo == POPT_ARG_STRING || o->argInfo == POPT_ARG_ARGV) && !*(void *const *)o->arg)
            return false;
        if (is_long ? !equals : !arg[2]) i++;
    }
    int found = 0;
    while (rest && rest[found]) found++;
    return found == left;
}

const char **cli_options(cli *self, const command *of, int argc, const char **argv,
                         const struct poptOption *options, poptContext *context, bool *done)
{
    static const char *const none[] = {NULL};
    *done = false;
    for (int i = 1; i < argc; i++) {
        if (strcmp(argv[i], "--") == 0) break;
        if (strcmp(argv[i], "--json") == 0) self->json = true;
        if (strcmp(argv[i], "--help") != 0 && strcmp(argv[i], "-h") != 0) continue;
        fputs(of->help, stdout);
        *done = true;
        *context = NULL;
        return NULL;
    }
    *context = poptGetContext("spindle", argc, argv, options, 0);
    if (!*context) {
        cli_lose_memory();
        return NULL;
    }
    int result;
    while ((result = poptGetNextOpt(*context)) > 0) {
    }
    if (result == POPT_ERROR_MALLOC || result == POPT_ERROR_NULLARG) {
        cli_lose_memory();
        return NULL;
    }
    if (result < -1) {
        const char *bad = poptBadOption(*context, POPT_BADOPTION_NOALIAS);
        char hint[120] = "";
        unsigned least = 4;
        for (const struct poptOption *o = options; result == POPT_ERROR_BADOPT && bad && o->longName; o++) {
            const char *name = bad + strspn(bad, "-");
            unsigned apart = oak_name_distance(name, strlen(name), o->longName, strlen(o->longName), 3);
            if (apart >= least) continue;
            least = apart;
            snprintf(hint, sizeof hint, "Did you mean --%s?", o->longName);
        }
        bool number = result == POPT_ERROR_BADNUMBER || result == POPT_ERROR_OVERFLOW;
        if (number) cli_usage(self, of, NULL, "`%s` is no number an option could take", bad ? bad : "?");
        else
            cli_usage(self, of, *hint ? hint : NULL, "%s: %s", bad ? bad : "?",
                      result == POPT_ERROR_BADOPT ? "there is no such option" : poptStrerror(result));
        return NULL;
    }
    const char **rest = poptGetArgs(*context);
    if (!options_are_whole(argc, argv, options, rest)) {
        cli_lose_memory();
        cli_failed(self, OAK_NO_MEMORY, of->name);
        return NULL;
    }
    return rest ? rest : (const char **)(void *)none;
}

/* ------------------------------------------------------------------------------------------ parts */

static bool is_folder(const char *path)
{
    struct stat info;
    return stat(path, &info) == 0 && S_ISDIR(info.st_mode);
}

const char *cli_parts_folder(void)
{
    static char folder[4200];
    const char *given = getenv("OAKSPINDLE_PARTS");
    if (given && is_folder(given)) return given;
    char self[4000];
    ssize_t length = readlink("/proc/self/exe", self, sizeof self - 1);
    static const char *const beside[] = {"/../share/oakspindle/parts", "/../../parts", "/../parts"};
    if (length > 0) {
        self[length] = 0;
        char *slash = strrchr(self, '/');
        if (slash) *slash = 0;
        for (size_t i = 0; i < sizeof beside / sizeof *beside; i++) {
            snprintf(folder, sizeof folder, "%s%s", self, beside[i]);
            if (is_folder(folder)) return folder;
        }
    }
    return is_folder(OAK_PARTS_FOLDER) ? OAK_PARTS_FOLDER : CLI_BUILT_IN "/parts";
}

/* Names in order, numbers in them by their value: 8k before 64k. */
static int by_name(const void *a, const void *b)
{
    const char *x = *(char *const *)a, *y = *(char *const *)b;
    for (;; x++, y++) {
        if (isdigit((unsigned char)*x) && isdigit((unsigned char)*y)) {
            char *x_end, *y_end;
            unsigned long p = strtoul(x, &x_end, 10), q = strtoul(y, &y_end, 10);
            if (p != q) return p < q ? -1 : 1;
            x = x_end, y = y_end;
        }
        if (*x != *y || !*x) return (unsigned char)*x - (unsigned char)*y;
    }
}

typedef struct name_list {
    char **names; /* up to NULL */
    size_t count;
} name_list;

/* "chip.yaml", "parts/chip.yaml" as "chip", once. */
static void add_part_name(name_list *list, const char *file)
{
    const char *slash = strrchr(file, '/'), *name = slash ? slash + 1 : file;
    size_t length = strlen(name);
    if (!list->names || length < 6 || strcmp(name + length - 5, ".yaml") != 0) return;
    for (size_t i = 0; i < list->count; i++)
        if (strlen(list->names[i]) == length - 5 && strncmp(list->names[i], name, length - 5) == 0) return;
    char **grown = cli_realloc(list->names, (list->count + 2) * sizeof *grown);
    if (!grown) return;
    list->names = grown;
    grown[list->count] = cli_strndup(name, length - 5);
    if (grown[list->count]) grown[++list->count] = NULL;
}

char **cli_part_names(void)
{
    name_list list = {.names = cli_calloc(1, sizeof(char *))};
    const char *folder = cli_parts_folder();
    bool real = strncmp(folder, CLI_BUILT_IN, sizeof CLI_BUILT_IN - 1) != 0;
    DIR *entries = real ? opendir(folder) : NULL;
    if (real && !entries && errno == ENOMEM) cli_lose_memory();
    struct dirent *entry;
    while (entries && (entry = readdir(entries))) add_part_name(&list, entry->d_name);
    if (entries) closedir(entries);
    for (const built_in_file *one = built_in_files; one->name; one++)
        if (strncmp(one->name, "parts/", 6) == 0) add_part_name(&list, one->name);
    if (list.names) qsort(list.names, list.count, sizeof *list.names, by_name);
    return list.names;
}

unsigned cli_letters_apart(const char *a, const char *b)
{
    return oak_name_distance(a, strlen(a), b, strlen(b), 3);
}

/* One of our own parts, where its files are as they were when the tool was built; NULL otherwise, or without memory. */
static oak_part *take_built_in(cli *self, const char *path)
{
    const char *slash = strrchr(path, '/'), *name = slash ? slash + 1 : path;
    const built_in_part *one = built_in_parts;
    while (one->architecture && strcmp(one->file[0].name, name)) one++;
    if (!one->architecture || !oak_architecture_find(one->architecture)) return NULL;
    for (unsigned i = 0; i < BUILT_IN_FILES && one->file[i].name; i++) {
        char file[8600];
        uint8_t *bytes;
        size_t size;
        snprintf(file, sizeof file, "%.*s%s", (int)(name - path), path, one->file[i].name);
        if (self->host.read_file(self->host.context, file, LARGEST_PART, &bytes, &size)) return NULL;
        bool same = built_in_hash(bytes, size) == one->file[i].hash;
        self->host.resize(self->host.context, bytes, size, 0);
        if (!same) return NULL;
    }
    oak_part plain = one->part, *part = NULL;
    plain.architecture = oak_architecture_find(one->architecture);
    return oak_part_copy(&self->host, &plain, &part) ? NULL : part;
}

oak_part *cli_load_part(cli *self, const command *of, const char *name, int *exit_code)
{
    oak_part *part = NULL;
    *exit_code = EXIT_USAGE;
    if (!name) {
        cli_usage(self, of, "Say which microcontroller: --part mcs51-8k. `spindle parts` lists them.",
                  "no part is given");
        return NULL;
    }
    size_t length = strlen(name);
    bool is_path = strchr(name, '/') || (length > 5 && strcmp(name + length - 5, ".yaml") == 0);
    char path[8400];
    if (is_path) {
        snprintf(path, sizeof path, "%s", name);
    } else {
        char **names = cli_part_names();
        const char *nearest = NULL;
        bool known = false;
        unsigned least = 4;
        for (char **one = names; one && *one; one++) {
            if (strcmp(*one, name) == 0) known = true;
            if (cli_letters_apart(*one, name) < least) least = cli_letters_apart(*one, name), nearest = *one;
        }
        if (!known) {
            char hint[200];
            if (nearest)
                snprintf(hint, sizeof hint, "Did you mean %s? `spindle parts` lists them all.", nearest);
            else
                snprintf(hint, sizeof hint,
                         "`spindle parts` lists them; your own is given as a path: --part ./chip.yaml.");
            cli_usage(self, of, hint, "there is no part `%s`", name);
        }
        snprintf(path, sizeof path, "%s/%s.yaml", cli_parts_folder(), name);
        for (char **one = names; one && *one; one++) free(*one);
        free(names);
        if (!known) return NULL;
    }
    part = take_built_in(self, path);
    oak_status status = OAK_OK;
    if (!part) {
        char **names = cli_part_names();
        const oak_part_shelf shelf = {cli_parts_folder(), (const char *const *)names};
        status = oak_part_load_from(&self->host, path, &shelf, &self->sink, &part);
        for (char **one = names; one && *one; one++) free(*one);
        free(names);
    }
    *exit_code = cli_failed(self, status, path);
    return status ? NULL : part;
}

/* ------------------------------------------------------------------------------------------ text, files, JSON */

static oak_status add_text(void *context, const char *bytes, size_t size)
{
    cli_text *text = context;
    if (text->failed) return OAK_NO_MEMORY;
    if (text->room - text->size < size + 1) {
        size_t room = (text->size + size + 1) * 2;
        char *grown = cli_realloc(text->bytes, room);
        if (!grown) {
            text->failed = true;
            return OAK_NO_MEMORY;
        }
        text->bytes = grown;
        text->room = room;
    }
    memcpy(text->bytes + text->size, bytes, size);
    text->size += size;
    text->bytes[text->size] = 0;
    return OAK_OK;
}

oak_text_sink cli_text_sink(cli_text *text)
{
    return (oak_text_sink){.context = text, .write = add_text};
}

const char *cli_count(unsigned long long count, char *text, size_t room)
{
    char digits[32];
    int length = snprintf(digits, sizeof digits, "%llu", count);
    size_t at = 0;
    for (int i = 0; i < length && at + 2 < room; i++) {
        if (i && (length - i) % 3 == 0) text[at++] = ',';
        text[at++] = digits[i];
    }
    text[at] = 0;
    return text;
}
