/* cmd_asm.c — spindle asm: source to Intel HEX, listing and symbols. */
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>

#include "cli.h"

typedef struct asm_options {
    char *part, *output, *listing, *symbols, *deps, *whole, *plot;
    char **includes, **warns;
    char *sarif;
    int record_size, json, map, fill, fix, watch;
} asm_options;

/* The source's name with .hex in place of its ending. */
static char *default_output(const char *source)
{
    const char *slash = strrchr(source, '/'), *dot = strrchr(source, '.');
    size_t length =
        dot && (!slash || dot > slash + 1) && dot != source ? (size_t)(dot - source) : strlen(source);
    char *path = cli_malloc(length + 5);
    if (!path) return NULL;
    memcpy(path, source, length);
    memcpy(path + length, ".hex", 5);
    return path;
}

static void print_summary(cli *self, const oak_program *program, const char *output)
{
    const oak_part *part = oak_program_part(program);
    const oak_image *image = oak_program_image(program);
    char bytes[32], room[32], lines[32];
    uint64_t from = 0, length, count = oak_image_count(image), size = 0;
    uint32_t address, runs = 0, lowest = 0, highest = 0;
    while (from <= UINT32_MAX && oak_image_next_run(image, (uint32_t)from, &address, &length) == OAK_OK) {
        if (!runs++) lowest = address;
        from = address + length;
        highest = (uint32_t)(from - 1);
    }
    unsigned unit = oak_unit_bytes(part->architecture, part->architecture->code_space);
    const char *what = unit > 1 ? "word" : "byte";
    count = (count + unit - 1) / unit;
    lowest /= unit, highest /= unit;
    for (unsigned i = 0; i < part->memory_count; i++)
        if (part->memories[i].space == part->architecture->code_space &&
            (!part->memories[i].writable || part->memories[i].loaded) &&
            !cli_configures(part, &part->memories[i]) && !part->memories[i].mirror)
            size += part->memories[i].size;
    printf("%s%s%s: %s %s%s of code from 0x%04x to 0x%04x", cli_paint(self->result_colour, PAINT_STRONG),
           output, cli_paint(self->result_colour, PAINT_OFF), cli_count(count, bytes, sizeof bytes), what,
           count == 1 ? "" : "s", (unsigned)lowest, (unsigned)highest);
    if (size)
        printf(", %.1f %% of the %s %ss of %s", 100.0 * (double)count / (double)size,
               cli_count(size, room, sizeof room), what, part->name);
    printf("; %s line%s\n", cli_count(oak_program_line_count(program), lines, sizeof lines),
           oak_program_line_count(program) == 1 ? "" : "s");
    if (!count) printf("The program holds no code at all.\n");
}

/* Where the file goes: the memory as a chip of its own. */
static void print_whole(const oak_program *program, const asm_options *options, const char *output)
{
    const oak_part *part = oak_program_part(program);
    char bytes[32];
    for (unsigned i = 0; i < part->memory_count; i++) {
        const oak_part_memory *one = &part->memories[i];
        if (one->space != part->architecture->code_space || strcmp(one->name, options->whole) != 0) continue;
        unsigned unit = oak_unit_bytes(part->architecture, one->space);
        printf("%s holds all of %s: %s bytes, 0x%04lx to 0x%04lx, holes 0x%02x; its first byte is address "
               "0x%04lx\n",
               output, one->name, cli_count((unsigned long long)one->size * unit, bytes, sizeof bytes),
               (unsigned long)one->base, (unsigned long)(one->base + one->size - 1), (unsigned)options->fill,
               (unsigned long)one->base);
        return;
    }
}

static bool ends_with(const char *path, const char *ending)
{
    size_t length = strlen(path), size = strlen(ending);
    return length > size && strcmp(path + length - size, ending) == 0;
}

/* The memory that --whole names; NULL after a message. */
static const oak_part_memory *whole_memory(cli *self, const oak_part *part, const char *name)
{
    char hint[300] = "Memories with code:";
    for (unsigned i = 0; i < part->memory_count; i++) {
        const oak_part_memory *one = &part->memories[i];
        if (one->space != part->architecture->code_space) continue;
        if (strcmp(one->name, name) == 0) return one;
        snprintf(hint + strlen(hint), sizeof hint - strlen(hint), "%s %.40s",
                 hint[strlen(hint) - 1] == ':' ? "" : ",", one->name);
    }
    cli_usage(self, &command_asm, hint, "%s has no memory `%s` for code", part->name, name);
    return NULL;
}

/* All of a memory, its holes filled; NULL after a message. */
static oak_image *make_whole(cli *self, const oak_program *program, const asm_options *options,
                             const char *output)
{
    enum { PIECE = 4096 };
    const oak_part *part = oak_program_part(program);
    const oak_image *image = oak_program_image(program);
    const oak_part_memory *memory = whole_memory(self, part, options->whole);
    if (ends_with(output, ".elf")) {
        cli_usage(self, &command_asm, NULL, "--whole is for raw bytes, HEX and S-records, not for ELF");
        return NULL;
    }
    unsigned unit = oak_unit_bytes(part->architecture, part->architecture->code_space);
    uint64_t begin, end, from = 0, length;
    uint32_t address;
    oak_image *whole = NULL;
    if (!memory) return NULL;
    begin = (uint64_t)memory->base * unit, end = begin + (uint64_t)memory->size * unit;
    while (from <= UINT32_MAX && oak_image_next_run(image, (uint32_t)from, &address, &length) == OAK_OK) {
        from = address + length;
        if (address >= begin && from <= end) continue;
        char message[200];
        snprintf(message, sizeof message, "the code at 0x%04lx does not lie in %.60s, 0x%04lx to 0x%04lx",
                 (unsigned long)(address < begin || address >= end ? address : end) / unit, memory->name,
                 (unsigned long)memory->base, (unsigned long)(memory->base + memory->size - 1));
        cli_complain(self, "whole", NULL, "Leave --whole out, or move the code with `section` or `org`.",
                     message);
        return NULL;
    }
    oak_status status = oak_image_create(&self->host, &whole);
    for (uint64_t at = begin; at < end && !status; at += PIECE) {
        uint8_t bytes[PIECE];
        size_t count = end - at < PIECE ? (size_t)(end - at) : PIECE;
        oak_image_read(image, (uint32_t)at, (uint8_t)options->fill, bytes, count);
        status = oak_image_write(whole, (uint32_t)at, bytes, count);
    }
    if (!status) return whole;
    cli_failed(self, status, options->whole);
    oak_image_free(whole);
    return NULL;
}

/* The ending of the name says the format. */
static oak_status write_image(const oak_program *program, const oak_image *image, const asm_options *options,
                              const char *output, const oak_text_sink *sink)
{
    uint32_t base;
    if (ends_with(output, ".srec"))
        return oak_srec_write(
            image, (unsigned)options->record_size < 250 ? (unsigned)options->record_size : 250, sink);
    if (ends_with(output, ".elf")) return oak_program_write_elf(program, sink);
    if (ends_with(output, ".bin"))
        return oak_raw_write(image, (uint8_t)options->fill, 64u << 20, sink, &base);
    return oak_hex_write(image, (unsigned)options->record_size, sink);
}

/* A name as make reads it. What make would take for something else (a pattern, an assignment, a recipe) cannot be written. */
static bool write_make_name(cli *self, const char *name, const oak_text_sink *sink)
{
    for (const char *p = name; *p; p++) {
        bool control = (unsigned char)*p < ' ' && *p != '\t';
        if (control || *p == 127 || strchr("%*?[];|=&\\", *p) || (p == name && *p == '~')) {
            cli_complain(self, "make-name", name, "Give the file another name, or leave --deps out.",
                         "this name cannot stand in a rule for make");
            return false;
        }
        if (strchr(" \t#:", *p)) sink->write(sink->context, "\\", 1);
        if (*p == '$') sink->write(sink->context, "$", 1);
        sink->write(sink->context, p, 1);
    }
    return true;
}

/* `output: sources`, for make. */
static bool write_dependencies(cli *self, const oak_program *program, const char *output,
                               const oak_text_sink *sink)
{
    const char *file;
    if (!write_make_name(self, output, sink)) return false;
    sink->write(sink->context, ":", 1);
    for (unsigned i = 0; (file = oak_program_file(program, i)); i++) {
        sink->write(sink->context, " ", 1);
        if (!write_make_name(self, file, sink)) return false;
    }
    sink->write(sink->context, "\n", 1);
    return true;
}

/* ------------------------------------------------------------------------------------------ the memory map */

static cJSON *map_json(const oak_program *program)
{
    const oak_part *part = oak_program_part(program);
    cJSON *list = cJSON_CreateArray();
    const oak_section *section;
    for (unsigned i = 0; (section = oak_program_section(program, i)); i++) {
        cJSON *item = cJSON_CreateObject();
        if (section->name) cJSON_AddStringToObject(item, "name", section->name);
        cJSON_AddStringToObject(item, "space", part->architecture->spaces[section->space].name);
        cJSON_AddNumberToObject(item, "at", section->address);
        cJSON_AddNumberToObject(item, "size", section->size);
        cJSON_AddBoolToObject(item, "placed", section->placed);
        cJSON_AddItemToArray(list, item);
    }
    return list;
}

static int write_results(cli *self, const oak_program *program, const asm_options *options,
                         const char *output)
{
    cli_text hex = {0}, listing = {0}, symbols = {0}, deps = {0};
    oak_text_sink deps_sink = cli_text_sink(&deps);
    oak_text_sink hex_sink = cli_text_sink(&hex), listing_sink = cli_text_sink(&listing);
    oak_image *whole = options->whole ? make_whole(self, program, options, output) : NULL;
    if (options->whole && !whole) return EXIT_REFUSED;
    oak_status status =
        write_image(program, whole ? whole : oak_program_image(program), options, output, &hex_sink);
    oak_image_free(whole);
    if (!status && options->listing) status = oak_program_write_listing(program, &listing_sink);
    if (!status && options->symbols) {
        cJSON *root = cli_symbols_json(program);
        symbols.bytes = cli_json_text(root, false);
        symbols.size = symbols.bytes ? strlen(symbols.bytes) : 0;
        cJSON_Delete(root);
        if (!symbols.bytes) status = OAK_NO_MEMORY;
    }
    int exit_code = cli_failed(self, status, "writing the results");
    if (!exit_code && options->deps && !write_dependencies(self, program, output, &deps_sink))
        exit_code = EXIT_REFUSED;
    cli_file files[4] = {{output, &hex, false}};
    unsigned count = 1;
    if (options->listing) files[count++] = (cli_file){options->listing, &listing, false};
    if (options->symbols) files[count++] = (cli_file){options->symbols, &symbols, false};
    if (options->deps) files[count++] = (cli_file){options->deps, &deps, false};
    if (!exit_code && !cli_write_files(self, files, count)) exit_code = EXIT_REFUSED;
    free(deps.bytes);
    free(hex.bytes);
    free(listing.bytes);
    free(symbols.bytes);
    return exit_code;
}

static void print_json(cli *self, const oak_program *program, const char *output, const asm_options *options)
{
    cJSON *root = cJSON_CreateObject();
    cJSON_AddBoolToObject(root, "ok", program != NULL);
    if (program) {
        cJSON_AddStringToObject(root, "part", oak_program_part(program)->name);
        cJSON_AddStringToObject(root, "output", output);
        cJSON_AddNumberToObject(root, "code_bytes", (double)oak_image_count(oak_program_image(program)));
        cJSON_AddNumberToObject(root, "lines", oak_program_line_count(program));
        if (options->whole) cJSON_AddStringToObject(root, "whole", options->whole);
        cJSON_AddItemToObject(root, "map", map_json(program));
        cJSON *named = cJSON_AddArrayToObject(root, "registers");
        const oak_part *part = oak_program_part(program);
        for (unsigned i = 0; i < part->register_count; i++)
            if (oak_program_names_register(program, i))
                cJSON_AddItemToArray(named, cJSON_CreateString(part->registers[i].name));
    }
    cli_print_json(self, root);
}

static int assemble(cli *self, const oak_part *part, const oak_asm_settings *settings,
                    const asm_options *options)
{
    const char *source = settings->paths[0];
    oak_program *program = NULL;
    char *output = options->output ? cli_strdup(options->output) : default_output(source);
    oak_status status =
        output ? oak_assemble_files(&self->host, part, settings, &self->sink, &program) : OAK_NO_MEMORY;
    int exit_code = cli_failed(self, status, source);
    if (!exit_code) exit_code = write_results(self, program, options, output);
    if (self->json) print_json(self, exit_code ? NULL : program, output, options);
    else if (!exit_code && strcmp(output, "-") != 0) {
        print_summary(self, program, output);
        if (options->whole) print_whole(program, options, output);
    }
    if (!exit_code && options->map && !self->json) cli_print_map(self, oak_program_part(program), program);
    if (!exit_code && options->plot && !cli_draw_map(self, oak_program_part(program), program, options->plot))
        exit_code = EXIT_REFUSED;
    if (!self->json && self->errors > 1) fprintf(stderr, "%u errors; nothing was written\n", self->errors);
    oak_program_free(program);
    free(output);
    return exit_code;
}

static volatile sig_atomic_t interrupted;

static void interrupt(int number)
{
    (void)number;
    interrupted = 1;
}

/* What tells that a file has changed. */
static uint64_t stamp_of(const char *path)
{
    struct stat info;
    if (stat(path, &info)) return 0;
    return (uint64_t)info.st_mtim.tv_sec * 1000000000u + (uint64_t)info.st_mtim.tv_nsec +
           (uint64_t)info.st_size * 31 + (uint64_t)info.st_ino * 7;
}

/* Assembles whenever one of the files that were read changes, until it is interrupted. Includes are watched from the first
 * time that all could be read. */
static int watch(cli *self, const oak_part *part, const oak_asm_settings *settings,
                 const asm_options *options)
{
    enum { MOST_FILES = 1000, PAUSE_MS = 15 };
    static char *files[MOST_FILES];
    static uint64_t stamps[MOST_FILES];
    unsigned count = 0;
    for (unsigned i = 0; i < settings->path_count && count < MOST_FILES; i++)
        files[count++] = cli_strdup(settings->paths[i]);
    while (!interrupted) {
        signal(SIGINT, SIG_DFL); /* while it works it is ended at once: what is half written is no file yet */
        signal(SIGTERM, SIG_DFL);
        struct timespec begin, end, pause = {0, PAUSE_MS * 1000000};
        clock_gettime(CLOCK_MONOTONIC, &begin);
        self->errors = self->warnings = 0;
        const unsigned known_before = count;
        for (unsigned i = 0; i < count; i++)
            stamps[i] = stamp_of(files[i]); /* it may change while it is read */
        int exit_code = assemble(self, part, settings, options);
        clock_gettime(CLOCK_MONOTONIC, &end);
        double took =
            (double)(end.tv_sec - begin.tv_sec) * 1000 + (double)(end.tv_nsec - begin.tv_nsec) / 1e6;
        oak_program *program = NULL;
        if (!exit_code && oak_assemble_files(&self->host, part, settings, &oak_silent, &program) == OAK_OK) {
            const char *name;
            for (unsigned i = 0; (name = oak_program_file(program, i)) && count < MOST_FILES; i++) {
                bool known = false;
                for (unsigned k = 0; k < count; k++) known = known || strcmp(files[k], name) == 0;
                if (!known) files[count++] = cli_strdup(name);
            }
        }
        oak_program_free(program);
        for (unsigned i = known_before; i < count; i++) stamps[i] = stamp_of(files[i]);
        if (self->json) cli_finish_json(self, !exit_code), cli_capture(self); /* a document each time */
        else printf("%s in %.1f ms; waiting for changes\n", exit_code ? "refused" : "done", took);
        fflush(stdout); /* whatever changes from here on is noticed */
        signal(SIGINT, interrupt);
        signal(SIGTERM, interrupt);
        for (bool changed = false; !changed && !interrupted;) {
            nanosleep(&pause, NULL);
            for (unsigned i = 0; i < count; i++) changed = changed || stamp_of(files[i]) != stamps[i];
        }
    }
    for (unsigned i = 0; i < count; i++) free(files[i]);
    self->json = false; /* each document has been printed */
    return EXIT_DONE;
}

/* Said before anything is assembled: the sources are known, and so are the outputs. What is included is looked at when it is read. */
static bool outputs_are_free(cli *self, const char *source, const asm_options *options)
{
    char *usual = options->output ? NULL : default_output(source);
    const char *const outputs[] = {options->output ? options->output : usual, options->listing,
                                   options->symbols, options->deps, options->sarif};
    bool good = cli_note_read(source);
    for (size_t i = 0; i < sizeof outputs / sizeof *outputs && good; i++)
        good = !outputs[i] || cli_may_write(self, outputs[i]);
    free(usual);
    return good;
}

/* A project may be somebody else's: what it writes by itself stays in its folder. */
static bool stays_inside(cli *self, const cli_project *project, const asm_options *options)
{
    char *usual = default_output(project->sources[0]);
    const struct {
        const char *key, *path, *given;
    } outputs[] = {{"output", project->output, options->output},
                   {"listing", project->listing, options->listing},
                   {"symbols", project->symbols, options->symbols},
                   /* the one that has its name from the first source */
                   {"sources", project->output || options->output ? NULL : usual, NULL}};
    bool inside = true;
    for (size_t i = 0; i < sizeof outputs / sizeof *outputs && inside; i++) {
        if (!outputs[i].path || outputs[i].given || cli_inside_project(outputs[i].path)) continue;
        char message[400];
        snprintf(message, sizeof message, "`%s: %.200s` would be written outside the folder of the project",
                 outputs[i].key, outputs[i].path);
        cli_complain(self, "outside-project", CLI_PROJECT_FILE,
                     "Where it is meant so, give it on the command line: -o, --listing, --symbols.", message);
        inside = false;
    }
    free(usual);
    return inside;
}

static int run(cli *self, int argc, const char **argv)
{
    asm_options options = {.record_size = 16, .fill = 0xFF};
    const struct poptOption table[] = {
        {"part", 'p', POPT_ARG_STRING, &options.part, 0, NULL, NULL},
        {"output", 'o', POPT_ARG_STRING, &options.output, 0, NULL, NULL},
        {"listing", 'l', POPT_ARG_STRING, &options.listing, 0, NULL, NULL},
        {"symbols", 's', POPT_ARG_STRING, &options.symbols, 0, NULL, NULL},
        {"map", 'm', POPT_ARG_NONE, &options.map, 0, NULL, NULL},
        {"picture", 0, POPT_ARG_STRING, &options.plot, 0, NULL, NULL},
        {"deps", 0, POPT_ARG_STRING, &options.deps, 0, NULL, NULL},
        {"fill", 0, POPT_ARG_INT, &options.fill, 0, NULL, NULL},
        {"fix", 0, POPT_ARG_NONE, &options.fix, 0, NULL, NULL},
        {"sarif", 0, POPT_ARG_STRING, &options.sarif, 0, NULL, NULL},
        {"watch", 0, POPT_ARG_NONE, &options.watch, 0, NULL, NULL},
        {"whole", 0, POPT_ARG_STRING, &options.whole, 0, NULL, NULL},
        {"record", 0, POPT_ARG_INT, &options.record_size, 0, NULL, NULL},
        {"include", 'I', POPT_ARG_ARGV, &options.includes, 0, NULL, NULL},
        {"warn", 'w', POPT_ARG_ARGV, &options.warns, 0, NULL, NULL},
        {"json", 0, POPT_ARG_NONE, &options.json, 0, NULL, NULL},
        POPT_TABLEEND,
    };
    poptContext context;
    bool done;
    int exit_code;
    cli_project project = {0};
    const char **files = cli_options(self, &command_asm, argc, argv, table, &context, &done);
    self->keeps = options.sarif != NULL;
    int found = files && !files[0] ? cli_take_project(self, &project, &files, &options.part,
                                                      &options.includes, &options.warns)
                                   : -1;
    if (found == EXIT_DONE && !stays_inside(self, &project, &options)) found = EXIT_REFUSED;
    if (found == EXIT_DONE) {
        cli_take(&options.output, &project.output);
        cli_take(&options.listing, &project.listing);
        cli_take(&options.symbols, &project.symbols);
    }
    if (files && files[0] && found < 0 && cli_take_part(self, &options.part, NULL) > 0) found = EXIT_REFUSED;
    if (!files) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (found > 0) exit_code = found;
    else if (!files[0])
        exit_code =
            cli_usage(self, &command_asm, NULL, "no source file is given, and there is no " CLI_PROJECT_FILE);
    else if (options.record_size < 1 || options.record_size > 255)
        exit_code = cli_usage(self, &command_asm, NULL, "--record takes 1 to 255 bytes");
    else {
        oak_part *part = cli_load_part(self, &command_asm, options.part, &exit_code);
        oak_warning warnings[CLI_MOST_WARNINGS];
        oak_asm_settings settings;
        bool set =
            cli_settings(self, &command_asm, files, options.includes, options.warns, warnings, &settings);
        if (part && !set) exit_code = EXIT_USAGE;
        else if (part && !outputs_are_free(self, files[0], &options)) exit_code = EXIT_REFUSED;
        else if (part && options.fix && !cli_fix(self, part, &settings)) exit_code = EXIT_REFUSED;
        else if (part && options.watch) exit_code = watch(self, part, &settings, &options);
        else if (part) exit_code = assemble(self, part, &settings, &options);
        if (part && set && options.sarif && !cli_write_sarif(self, options.sarif)) exit_code = EXIT_REFUSED;
        oak_part_free(part);
    }
    if (context) poptFreeContext(context);
    cli_free_project(&project);
    free(options.part);
    free(options.output);
    free(options.whole);
    free(options.plot);
    free(options.listing);
    free(options.symbols);
    free(options.deps);
    free(options.sarif);
    for (char **one = options.includes; one && *one; one++) free(*one);
    for (char **one = options.warns; one && *one; one++) free(*one);
    free(options.includes);
    free(options.warns);
    return exit_code;
}

const command command_asm = {
    "asm",
    "assemble a source file to Intel HEX",
    "usage: spindle asm SOURCE... --part PART [options]\n"
    "\n"
    "Assembles one program of one or more source files and writes an image. When something is\n"
    "wrong, every mistake is shown with its place, and no file is touched.\n"
    "\n"
    "  -p, --part PART      the microcontroller, by name or as a path to a part file\n"
    "  -o, --output FILE    the image: .srec, .bin, .elf by its ending, else Intel HEX;\n"
    "                       SOURCE with .hex when it is not given;\n"
    "                       - writes it to standard output\n"
    "  -l, --listing FILE   write line, address, bytes and cycles beside the source\n"
    "  -s, --symbols FILE   write symbols and lines as JSON\n"
    "  -m, --map            show what lies where, with bars and the largest holes\n"
    "      --picture FILE   draw that: the memories of the part, its chips and devices, and\n"
    "                       what the program uses of each; .png or .svg\n"
    "      --sarif FILE     write errors and warnings there for a code host (SARIF 2.1.0)\n"
    "      --fix            put right in the sources what has only one answer, and show it\n"
    "      --watch          assemble again whenever a source changes\n"
    "      --deps FILE      write a dependency rule for make\n"
    "      --fill N         what fills the holes of raw bytes (255)\n"
    "      --whole MEMORY   the image has every byte of a memory, as a chip of its own holds it\n"
    "      --record N       data bytes in one HEX record (16)\n"
    "  -I, --include FOLDER where included files are looked for, too; repeat for more\n"
    "  -w, --warn CODE=LEVEL  off, on or error; repeat. A comment allow(CODE) silences a line\n"
    "      --json           print the result and the diagnostics as one JSON document\n"
    "\n"
    "examples:\n"
    "  spindle asm lathe.asm --part mcs51-8k\n"
    "  spindle asm lathe.asm --part mcs51-8k -o lathe.hex --listing lathe.lst\n"
    "\n"
    "a first program:\n"
    "          org  0\n"
    "  start:  mov  r2, #3          ; three knocks\n"
    "  knock:  cpl  p1.0            ; SFR and bit names of the part are known\n"
    "          djnz r2, knock\n"
    "  rest:   jmp  rest\n",
    run,
};
