/* cmd_look.c — spindle look: an image read back as instructions, or two compared. */
#include <stdlib.h>
#include <string.h>

#include "cli.h"

static int look(cli *self, const oak_part *part, const char *path, const char *symbols, uint32_t base,
                const char *output, bool routines, uint64_t clock)
{
    int exit_code;
    oak_program *program = cli_load_program(self, part, &(oak_asm_settings){.paths = &path, .path_count = 1},
                                            symbols, base, &exit_code);
    if (!program) return exit_code;
    cli_text text = {0};
    oak_text_sink sink = cli_text_sink(&text);
    oak_status status = routines ? oak_look_routines(program, clock, &sink) : oak_look(program, &sink);
    if (status == OAK_UNSUPPORTED && routines) {
        char message[120];
        snprintf(message, sizeof message, "how long routines of %s take is only known when they run",
                 part->architecture->name);
        cli_complain(self, "unsupported", path,
                     "Measure them: `spindle trial` has `call`, `spindle run` has `--lap`.", message);
    }
    if (status == OAK_OUT_OF_RANGE)
        cli_complain(self, "outside-memory", path, "Choose a larger part: `spindle parts` lists them.",
                     "the image has bytes where the part has no code memory");
    exit_code = cli_failed(self, status, path);
    if (!exit_code && !cli_write_file(self, output ? output : "-", &text)) exit_code = EXIT_REFUSED;
    if (!exit_code && self->json) {
        cJSON *document = cJSON_CreateObject();
        cJSON_AddStringToObject(document, "part", part->name);
        cJSON_AddStringToObject(document, "image", path);
        if (output) cJSON_AddStringToObject(document, "output", output);
        cJSON_AddNumberToObject(document, "bytes", (double)oak_image_count(oak_program_image(program)));
        cli_print_json(self, document);
    }
    free(text.bytes);
    oak_program_free(program);
    return exit_code;
}

static int compare(cli *self, const oak_part *part, const char *const *paths, uint32_t base)
{
    int exit_code;
    oak_comparison found = {0};
    oak_program *before = cli_load_program(
        self, part, &(oak_asm_settings){.paths = &paths[0], .path_count = 1}, NULL, base, &exit_code);
    oak_program *after =
        before ? cli_load_program(self, part, &(oak_asm_settings){.paths = &paths[1], .path_count = 1}, NULL,
                                  base, &exit_code)
               : NULL;
    if (after) {
        cli_text text = {0};
        oak_text_sink sink = cli_text_sink(&text);
        exit_code = cli_failed(self, oak_look_compare(before, after, &sink, &found), paths[1]);
        if (!exit_code) {
            printf("- %s\n+ %s\n\n", paths[0], paths[1]);
            if (text.bytes) fputs(text.bytes, stdout);
            if (found.stretches)
                printf("\n%u stretch%s differ%s\n", found.stretches, found.stretches == 1 ? "" : "es",
                       found.stretches == 1 ? "s" : "");
            if (found.moved)
                printf("%u instruction%s and data are the same at another address\n", found.moved,
                       found.moved == 1 ? "" : "s");
            if (!found.stretches && !found.moved) printf("the same bytes\n");
            if (found.stretches || found.moved) exit_code = EXIT_EXPECTATION;
            if (self->json) {
                cJSON *document = cJSON_CreateObject();
                cJSON_AddStringToObject(document, "part", part->name);
                cJSON_AddStringToObject(document, "before", paths[0]);
                cJSON_AddStringToObject(document, "after", paths[1]);
                cJSON_AddNumberToObject(document, "stretches", found.stretches);
                cJSON_AddNumberToObject(document, "moved", found.moved);
                cli_print_json(self, document);
            }
        }
        free(text.bytes);
    }
    oak_program_free(before);
    oak_program_free(after);
    return exit_code;
}

static int run(cli *self, int argc, const char **argv)
{
    char *part_name = NULL, *symbols = NULL, *output = NULL, *clock_text = NULL;
    uint64_t clock = 0;
    int comparing = 0, routines = 0, json = 0;
    long long base = 0;
    const struct poptOption table[] = {
        {"part", 'p', POPT_ARG_STRING, &part_name, 0, NULL, NULL},
        {"symbols", 's', POPT_ARG_STRING, &symbols, 0, NULL, NULL},
        {"output", 'o', POPT_ARG_STRING, &output, 0, NULL, NULL},
        {"compare", 'c', POPT_ARG_NONE, &comparing, 0, NULL, NULL},
        {"routines", 'r', POPT_ARG_NONE, &routines, 0, NULL, NULL},
        {"clock", 0, POPT_ARG_STRING, &clock_text, 0, NULL, NULL},
        {"base", 0, POPT_ARG_LONGLONG, &base, 0, NULL, NULL},
        {"json", 0, POPT_ARG_NONE, &json, 0, NULL, NULL},
        POPT_TABLEEND,
    };
    poptContext context;
    bool done;
    int exit_code;
    const char **files = cli_options(self, &command_look, argc, argv, table, &context, &done);
    if (!files) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (!files[0]) exit_code = cli_usage(self, &command_look, NULL, "no image is given");
    else if (comparing && (!files[1] || files[2]))
        exit_code = cli_usage(self, &command_look, NULL, "--compare takes two images");
    else if (!comparing && files[1])
        exit_code = cli_usage(self, &command_look, "--compare shows what differs between two.",
                              "one image at a time: `%s` is one too many", files[1]);
    else if (clock_text && oak_read_frequency(clock_text, &clock))
        exit_code = cli_usage(self, &command_look, "Write `--clock 12MHz`.", "`%s` is no clock frequency",
                              clock_text);
    else if (cli_take_part(self, &part_name, NULL) > 0) exit_code = EXIT_REFUSED;
    else {
        oak_part *part = cli_load_part(self, &command_look, part_name, &exit_code);
        if (part && !cli_check_base(self, &command_look, files, base)) exit_code = EXIT_USAGE;
        else if (part)
            exit_code = comparing
                            ? compare(self, part, files, (uint32_t)base)
                            : look(self, part, files[0], symbols, (uint32_t)base, output, routines, clock);
        oak_part_free(part);
    }
    if (context) poptFreeContext(context);
    free(part_name);
    free(symbols);
    free(output);
    free(clock_text);
    return exit_code;
}

const command command_look = {
    "look",
    "read an image back as instructions, or compare two",
    "usage: spindle look IMAGE --part PART [options]\n"
    "       spindle look --compare BEFORE AFTER --part PART\n"
    "\n"
    "Follows the code of IMAGE (Intel HEX, S-records, .bin, or a source file) from reset and\n"
    "the vectors, tells it from data, makes up labels, and writes source text that\n"
    "assembles to the same bytes again. --compare shows what differs, as instructions, and\n"
    "ends with exit code 4 when anything does.\n"
    "\n"
    "  -p, --part PART      the microcontroller, by name or as a path to a part file\n"
    "  -s, --symbols FILE   labels from `spindle asm --symbols FILE`\n"
    "  -o, --output FILE    write the text there\n"
    "  -c, --compare        two images side by side\n"
    "  -r, --routines       how long each routine takes, at the shortest and at the longest\n"
    "      --clock F        for the times of --routines, as 12MHz; the part's own when not given\n"
    "      --base ADDRESS   where a raw binary (.bin) begins\n"
    "      --json           as one JSON document, the text in it\n"
    "\n"
    "examples:\n"
    "  spindle look lathe.hex --part mcs51-8k\n"
    "  spindle look lathe.hex --part mcs51-8k --symbols lathe.json -o again.asm\n"
    "  spindle look --routines lathe.asm --part mcs51-8k --clock 24MHz\n"
    "  spindle look --compare old.hex new.hex --part mcs51-8k\n",
    run,
};
