/* cmd_explain.c — spindle explain: what an instruction, some bytes, or a diagnostic is. */
#include <stdlib.h>
#include <string.h>

#include "cli.h"

static bool explain_bytes(cli *self, const oak_part *part, const char *const *words,
                          const oak_text_sink *sink, int *exit_code)
{
    const oak_architecture *about = part->architecture;
    uint8_t bytes[16];
    size_t count = 0, unit = oak_unit_bytes(about, about->code_space);
    if (unit < about->code_align) unit = about->code_align;
    if (oak_is_high_first(about, about->code_space)) unit = 1;
    for (unsigned w = 0; words[w]; w++) {
        const char *p = words[w];
        size_t first = count;
        bool number = p[0] == '0' && (p[1] == 'x' || p[1] == 'X');
        if (number) p += 2;
        for (; *p; p += 2) {
            char pair[3] = {p[0], p[1], 0};
            if (!strchr("0123456789abcdefABCDEF", p[0]) || !p[1] || !strchr("0123456789abcdefABCDEF", p[1]) ||
                count == sizeof bytes)
                return false;
            bytes[count++] = (uint8_t)strtoul(pair, NULL, 16);
        }
        /* A number is a word of code, whose bytes lie as the architecture has them. */
        if (number && count - first == unit)
            for (size_t i = 0; i < unit / 2; i++) {
                uint8_t low = bytes[first + i];
                bytes[first + i] = bytes[first + unit - 1 - i];
                bytes[first + unit - 1 - i] = low;
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

static void print_wrapped(const char *text)
{
    enum { WIDTH = 92 };
    size_t column = 0;
    while (*text) {
        size_t length = strcspn(text, " ");
        if (column + length > WIDTH) putchar('\n'), column = 0;
        printf("%s%.*s", column ? " " : "  ", (int)length, text);
        column += length + (column ? 1 : 2);
        text += length;
        while (*text == ' ') text++;
    }
    putchar('\n');
}

/* What a chip suffers silently: one kind, or all of them. */
static bool explain_notice(const char *word)
{
    static const char *const levels[] = {"off", "warning", "stop"};
    bool all = strcmp(word, "notices") == 0, any = false;
    const char *kind;
    oak_notice_level usual;
    if (all)
        printf("What a real chip suffers silently, and what usually becomes of it here. `--notice "
               "KIND=LEVEL`\nchanges that: off, warning, or stop.\n\n");
    for (unsigned i = 0; (kind = oak_notice_word(i, &usual)); i++) {
        if (!all && strcmp(kind, word) != 0) continue;
        any = true;
        printf("%s (%s)\n", kind, levels[usual]);
        print_wrapped(oak_notice_meaning(i));
    }
    return any;
}

static void explain_one_kind(const oak_stand_in_kind *kind)
{
    printf("%s: %s\n", kind->name, kind->title);
    printf("\n  terminals\n");
    for (unsigned i = 0; i < kind->terminal_count; i++) {
        const oak_terminal *row = &kind->terminals[i];
        char name[60];
        if (row->count == 1) snprintf(name, sizeof name, "%s", row->name);
        else snprintf(name, sizeof name, "%s0 .. %s%u", row->name, row->name, row->count - 1);
        static const char *const uses[] = {"in", "out", "open", "bus"};
        printf("    %-14s %-5s %s%s\n", name, uses[row->use], row->title,
               row->needed ? " (must be wired)" : "");
    }
    if (kind->setting_count) printf("\n  settings, with their usual values\n");
    for (unsigned i = 0; i < kind->setting_count; i++) {
        const oak_setting *setting = &kind->settings[i];
        char words[200] = "";
        for (unsigned w = 0; setting->words && setting->words[w]; w++)
            snprintf(words + strlen(words), sizeof words - strlen(words), "%s%s", w ? ", " : " (",
                     setting->words[w]);
        printf("    %-14s %-18s %s%s%s\n", setting->name,
               setting->usual ? (*setting->usual ? setting->usual : "none") : "must be given", setting->title,
               words, *words ? ")" : "");
    }
    if (kind->acts) printf("\n  one can: %s\n", kind->acts);
}

/* The stand-ins of boards: one kind, or all of them. */
static bool explain_kind(const char *word)
{
    const oak_stand_in_kind *kind;
    bool all = strcmp(word, "board") == 0;
    if (all)
        printf("Kinds of stand-ins for a board file; `spindle explain KIND` tells of their terminals and "
               "settings.\n\n");
    for (unsigned i = 0; (kind = oak_stand_in_kind_at(i)); i++) {
        if (all) printf("  %-18s %s\n", kind->name, kind->title);
        else if (strcmp(kind->name, word) == 0) {
            explain_one_kind(kind);
            return true;
        }
    }
    return all;
}

/* A mnemonic where no part was named: of the first architecture that has it, with a word on the others. */
static oak_status explain_anywhere(cli *self, const char *word, const oak_text_sink *sink)
{
    const oak_architecture *one, *first = NULL;
    char others[200] = "", line[400];
    for (unsigned i = 0; (one = oak_architecture_at(i)); i++) {
        cli_text unread = {0};
        oak_text_sink aside = cli_text_sink(&unread);
        oak_status status = oak_explain_mnemonic(&self->host, one, word, first ? &aside : sink);
        free(unread.bytes);
        if (status == OAK_NOT_FOUND) continue;
        if (status) return status;
        if (first)
            snprintf(others + strlen(others), sizeof others - strlen(others), "%s%s", *others ? " and " : "",
                     one->name);
        else first = one;
    }
    if (!first) return OAK_NOT_FOUND;
    int length = snprintf(line, sizeof line, "\nAn instruction of %s", first->name);
    if (*others)
        length += snprintf(line + length, sizeof line - (size_t)length,
                           ", also of %s: name a part with --part to see its forms", others);
    sink->write(sink->context, line, (size_t)length);
    sink->write(sink->context, ".\n", 2);
    return OAK_OK;
}

static int explain(cli *self, const oak_part *part, bool part_named, const char *const *words)
{
    int exit_code = EXIT_DONE;
    const char *kind = "instruction";
    cli_text text = {0};
    oak_text_sink sink = cli_text_sink(&text);
    oak_status status = OAK_NOT_FOUND;
    if (!words[1])
        status = part_named ? oak_explain_mnemonic(&self->host, part->architecture, words[0], &sink)
                            : explain_anywhere(self, words[0], &sink);
    if (status == OAK_NOT_FOUND && !words[1]) status = oak_explain_code(words[0], &sink), kind = "message";
    if (status == OAK_NOT_FOUND && !words[1] && explain_notice(words[0])) status = OAK_OK, kind = "notice";
    if (status == OAK_NOT_FOUND && !words[1] && explain_kind(words[0])) status = OAK_OK, kind = "stand-in";
    if (status == OAK_NOT_FOUND) kind = "bytes";
    if (status == OAK_NOT_FOUND && !explain_bytes(self, part, words, &sink, &exit_code))
        exit_code =
            cli_usage(self, &command_explain,
                      "Give a mnemonic (djnz), the bytes of an instruction (d8 fe), the code of a message "
                      "(value-range), notices, or board.",
                      "`%s` is no instruction%s%s, no bytes and no code", words[0], part_named ? " of " : "",
                      part_named ? part->architecture->name : "");
    else if (status && status != OAK_NOT_FOUND) exit_code = cli_failed(self, status, words[0]);
    if (!exit_code && text.bytes) fputs(text.bytes, stdout);
    if (!exit_code && self->json) {
        cJSON *document = cJSON_CreateObject();
        cJSON_AddStringToObject(document, "kind", kind);
        cJSON_AddStringToObject(document, "of", words[0]);
        if (part_named || kind[0] == 'b') cJSON_AddStringToObject(document, "part", part->name);
        cli_print_json(self, document);
    }
    free(text.bytes);
    return exit_code;
}

static int run(cli *self, int argc, const char **argv)
{
    char *part_name = NULL;
    int json = 0;
    const struct poptOption table[] = {{"part", 'p', POPT_ARG_STRING, &part_name, 0, NULL, NULL},
                                       {"json", 0, POPT_ARG_NONE, &json, 0, NULL, NULL},
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
        if (part) exit_code = explain(self, part, part_name != NULL, words);
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
    "Bytes as they lie in memory, or words of code as numbers (0x4770): the instruction they\n"
    "are, with the bits of its operands filled in. The code in brackets behind a message:\n"
    "what it means, with a wrong and a right example. `notices`: what a chip suffers\n"
    "silently, or one kind of it (contention). `board`: the kinds of stand-ins on boards,\n"
    "or one of them (motor) with its terminals and settings. --json: as a JSON document.\n"
    "\n"
    "examples:\n"
    "  spindle explain djnz\n"
    "  spindle explain 75 90 fe\n"
    "  spindle explain 0x40b2 0x5a80 0x0120 --part msp430-32k\n"
    "  spindle explain wrong-space\n"
    "  spindle explain motor\n",
    run,
};
