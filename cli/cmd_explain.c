/* cmd_explain.c — spindle explain: what an instruction, some bytes, or a diagnostic is. */
#include <stdlib.h>
#include <string.h>

#include "cli.h"

static bool explain_bytes(cli *self, const oak_part *part, const char *const *words,
                          const oak_text_sink *sink, int *exit_code)
{
    uint8_t bytes[16];
    size_t count = 0;
    for (unsigned w = 0; words[w]; w++) {
        const char *p = words[w];
        if (p[0] == '0' && (p[1] == 'x' || p[1] == 'X')) p += 2;
        for (; *p; p += 2) {
            char pair[3] = {p[0], p[1], 0};
            if (!strchr("0123456789abcdefABCDEF", p[0]) || !p[1] || !strchr("0123456789abcdefABCDEF", p[1]) ||
                count == sizeof bytes)
                return false;
            bytes[count++] = (uint8_t)strtoul(pair, NULL, 16);
        }
    }
    oak_status status = oak_explain_bytes(&self->host, part, bytes, count, sink);
    if (status == OAK_REFUSED)
        cli_complain(self, "reserved", NULL, NULL, "no instruction has this operation code: it is reserved");
    if (status == OAK_OUT_OF_RANGE)
        cli_complain(self, "too-short", NULL, "Give all bytes of the instruction.",
                     "the instruction is longer than these bytes");
    *exit_code = cli_failed(self, status, words[0]);
    return true;
}

static int explain(cli *self, const oak_part *part, const char *const *words)
{
    int exit_code = EXIT_DONE;
    cli_text text = {0};
    oak_text_sink sink = cli_text_sink(&text);
    oak_status status =
        words[1] ? OAK_NOT_FOUND : oak_explain_mnemonic(&self->host, part->architecture, words[0], &sink);
    if (status == OAK_NOT_FOUND && !words[1]) status = oak_explain_code(words[0], &sink);
    if (status == OAK_NOT_FOUND && !explain_bytes(self, part, words, &sink, &exit_code))
        exit_code = cli_usage(self, &command_explain,
                              "Give a mnemonic (djnz), the bytes of an instruction (d8 fe) or the code of a "
                              "message (value-range).",
                              "`%s` is no instruction of %s, no bytes and no code", words[0],
                              part->architecture->name);
    else if (status && status != OAK_NOT_FOUND) exit_code = cli_failed(self, status, words[0]);
    if (!exit_code && text.bytes) fputs(text.bytes, stdout);
    free(text.bytes);
    return exit_code;
}

static int run(cli *self, int argc, const char **argv)
{
    char *part_name = NULL;
    const struct poptOption table[] = {{"part", 'p', POPT_ARG_STRING, &part_name, 0, NULL, NULL},
                                       POPT_TABLEEND};
    poptContext context;
    bool done;
    int exit_code;
    const char **words = cli_options(self, &command_explain, argc, argv, table, &context, &done);
    if (!words) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (!words[0]) exit_code = cli_usage(self, &command_explain, NULL, "nothing to explain is given");
    else {
        oak_part *part =
            cli_load_part(self, &command_explain, part_name ? part_name : "mcs51-8k", &exit_code);
        if (part) exit_code = explain(self, part, words);
        oak_part_free(part);
    }
    if (context) poptFreeContext(context);
    free(part_name);
    return exit_code;
}

const command command_explain = {
    "explain",
    "tell what an instruction, some bytes, or a message means",
    "usage: spindle explain MNEMONIC | BYTES | CODE [--part PART]\n"
    "\n"
    "A mnemonic: every form with its bits drawn, size, cycles, flags and what it does.\n"
    "Bytes: the instruction they are, with the bits of its operands filled in. The code in\n"
    "brackets behind a message: what it means, with a wrong and a right example.\n"
    "\n"
    "examples:\n"
    "  spindle explain djnz\n"
    "  spindle explain 75 90 fe\n"
    "  spindle explain wrong-space\n",
    run,
};
