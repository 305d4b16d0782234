/* cmd_asm.c — spindle asm: source to Intel HEX, listing and symbols. */
#include <stdlib.h>
#include <string.h>

#include "cli.h"

typedef struct asm_options {
    char *part, *output, *listing, *symbols;
    int record_size, json;
} asm_options;

/* The source's name with .hex in place of its ending. */
static char *default_output(const char *source)
{
    const char *slash = strrchr(source, '/'), *dot = strrchr(source, '.');
    size_t length =
        dot && (!slash || dot > slash + 1) && dot != source ? (size_t)(dot - source) : strlen(source);
    char *path = malloc(length + 5);
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
    for (unsigned i = 0; i < part->memory_count; i++)
        if (part->memories[i].space == part->architecture->code_space) size += part->memories[i].size;
    printf("%s%s%s: %s byte%s of code from 0x%04x to 0x%04x", cli_paint(self->result_colour, PAINT_STRONG),
           output, cli_paint(self->result_colour, PAINT_OFF), cli_count(count, bytes, sizeof bytes),
           count == 1 ? "" : "s", (unsigned)lowest, (unsigned)highest);
    if (size)
        printf(", %.1f %% of the %s bytes of %s", 100.0 * (double)count / (double)size,
               cli_count(size, room, sizeof room), part->name);
    printf("; %s lines\n", cli_count(oak_program_line_count(program), lines, sizeof lines));
    if (!count) printf("The program holds no code at all.\n");
}

static int write_results(cli *self, const oak_program *program, const asm_options *options,
                         const char *output)
{
    cli_text hex = {0}, listing = {0}, symbols = {0};
    oak_text_sink hex_sink = cli_text_sink(&hex), listing_sink = cli_text_sink(&listing);
    oak_status status = oak_hex_write(oak_program_image(program), (unsigned)options->record_size, &hex_sink);
    if (!status && options->listing) status = oak_program_write_listing(program, &listing_sink);
    if (!status && options->symbols) {
        cJSON *root = cli_symbols_json(program);
        symbols.bytes = cJSON_Print(root);
        symbols.size = symbols.bytes ? strlen(symbols.bytes) : 0;
        cJSON_Delete(root);
        if (!symbols.bytes) status = OAK_NO_MEMORY;
    }
    int exit_code = cli_failed(self, status, "writing the results");
    if (!exit_code && options->listing && !cli_write_file(self, options->listing, &listing))
        exit_code = EXIT_REFUSED;
    if (!exit_code && options->symbols && !cli_write_file(self, options->symbols, &symbols))
        exit_code = EXIT_REFUSED;
    if (!exit_code && !cli_write_file(self, output, &hex)) exit_code = EXIT_REFUSED;
    free(hex.bytes);
    free(listing.bytes);
    cJSON_free(symbols.bytes);
    return exit_code;
}

static void print_json(cli *self, const oak_program *program, const char *output)
{
    cJSON *root = cJSON_CreateObject();
    cJSON_AddBoolToObject(root, "ok", program != NULL);
    if (program) {
        cJSON_AddStringToObject(root, "part", oak_program_part(program)->name);
        cJSON_AddStringToObject(root, "output", output);
        cJSON_AddNumberToObject(root, "code_bytes", (double)oak_image_count(oak_program_image(program)));
        cJSON_AddNumberToObject(root, "lines", oak_program_line_count(program));
    }
    cli_print_json(self, root);
}

static int assemble(cli *self, const oak_part *part, const char *source, const asm_options *options)
{
    oak_program *program = NULL;
    char *output = options->output ? strdup(options->output) : default_output(source);
    oak_status status =
        output ? oak_assemble(&self->host, part, source, &self->sink, &program) : OAK_NO_MEMORY;
    int exit_code = cli_failed(self, status, source);
    if (!exit_code) exit_code = write_results(self, program, options, output);
    if (self->json) print_json(self, exit_code ? NULL : program, output);
    else if (!exit_code && strcmp(output, "-") != 0) print_summary(self, program, output);
    else if (self->errors > 1) fprintf(stderr, "%u errors; nothing was written\n", self->errors);
    oak_program_free(program);
    free(output);
    return exit_code;
}

static int run(cli *self, int argc, const char **argv)
{
    asm_options options = {.record_size = 16};
    const struct poptOption table[] = {
        {"part", 'p', POPT_ARG_STRING, &options.part, 0, NULL, NULL},
        {"output", 'o', POPT_ARG_STRING, &options.output, 0, NULL, NULL},
        {"listing", 'l', POPT_ARG_STRING, &options.listing, 0, NULL, NULL},
        {"symbols", 's', POPT_ARG_STRING, &options.symbols, 0, NULL, NULL},
        {"record", 0, POPT_ARG_INT, &options.record_size, 0, NULL, NULL},
        {"json", 0, POPT_ARG_NONE, &options.json, 0, NULL, NULL},
        POPT_TABLEEND,
    };
    poptContext context;
    bool done;
    int exit_code;
    const char **files = cli_options(self, &command_asm, argc, argv, table, &context, &done);
    if (!files) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (!files[0]) exit_code = cli_usage(self, &command_asm, NULL, "no source file is given");
    else if (files[1])
        exit_code =
            cli_usage(self, &command_asm, NULL, "one source file at a time: `%s` is one too many", files[1]);
    else if (options.record_size < 1 || options.record_size > 255)
        exit_code = cli_usage(self, &command_asm, NULL, "--record takes 1 to 255 bytes");
    else {
        oak_part *part = cli_load_part(self, &command_asm, options.part, &exit_code);
        if (part) exit_code = assemble(self, part, files[0], &options);
        oak_part_free(part);
    }
    if (context) poptFreeContext(context);
    free(options.part);
    free(options.output);
    free(options.listing);
    free(options.symbols);
    return exit_code;
}

const command command_asm = {
    "asm",
    "assemble a source file to Intel HEX",
    "usage: spindle asm SOURCE --part PART [options]\n"
    "\n"
    "Assembles SOURCE for a microcontroller and writes Intel HEX. When something is\n"
    "wrong, every mistake is shown with its place, and no file is touched.\n"
    "\n"
    "  -p, --part PART      the microcontroller, by name or as a path to a part file\n"
    "  -o, --output FILE    the HEX file; SOURCE with .hex when it is not given;\n"
    "                       - writes it to standard output\n"
    "  -l, --listing FILE   write line, address, bytes and cycles beside the source\n"
    "  -s, --symbols FILE   write symbols and lines as JSON\n"
    "      --record N       data bytes in one HEX record (16)\n"
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
