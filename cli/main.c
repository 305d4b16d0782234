/* main.c — which command is meant, and its exit code. */
#define _POSIX_C_SOURCE 200809L
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli.h"

static const command *const commands[] = {&command_parts,   &command_new,        &command_asm,  &command_run,
                                          &command_bench,   &command_trial,      &command_wave, &command_look,
                                          &command_explain, &command_find,       &command_tidy, &command_send,
                                          &command_receive, &command_programmer, &command_serve};
enum { COMMANDS = sizeof commands / sizeof *commands };

static void print_help(void)
{
    puts("spindle " OAK_VERSION_TEXT " - assemble and simulate firmware written in assembly\n\n"
         "usage: spindle COMMAND [options] FILE...\n");
    for (size_t i = 0; i < COMMANDS; i++) printf("  %-10s %s\n", commands[i]->name, commands[i]->summary);
    puts("\n`spindle COMMAND --help` tells more, with examples. To begin:\n\n"
         "  spindle parts\n"
         "  spindle asm guard.asm --part mcs51-8k\n"
         "  spindle run guard.asm --part mcs51-8k --stop-at main --time 5ms\n\n"
         "exit codes: 0 done, 1 the input was refused, 2 wrong usage,\n"
         "            3 the simulated program faulted, 4 an expectation failed");
}

static bool wants_colour(int descriptor)
{
    const char *none = getenv("NO_COLOR"), *terminal = getenv("TERM");
    return isatty(descriptor) && !(none && *none) && terminal && strcmp(terminal, "dumb") != 0;
}

int main(int argc, const char **argv)
{
    cli_open_streams();
    cli_open_json();
    cli self = {
        .host = cli_host(argc, argv), .error_colour = wants_colour(2), .result_colour = wants_colour(1)};
    self.sink = (oak_diag_sink){.context = &self, .report = cli_report_diagnostic};
    self.diagnostics = cJSON_CreateArray();
    const char *name = argc > 1 ? argv[1] : "help";
    bool talks = strcmp(name, "bench") == 0; /* a document a line */
    for (int i = 1; i < argc && strcmp(argv[i], "--") != 0; i++)
        if (strcmp(argv[i], "--json") == 0 && !self.json && !talks) cli_capture(&self);
    for (size_t i = 0; i < COMMANDS; i++)
        if (strcmp(commands[i]->name, name) == 0) self.command = commands[i]->name;
    int exit_code = -1;
    if (strcmp(name, "help") == 0 || strcmp(name, "--help") == 0 || strcmp(name, "-h") == 0) {
        const command *of = NULL;
        for (size_t i = 0; argc > 2 && i < COMMANDS; i++)
            if (strcmp(commands[i]->name, argv[2]) == 0) of = commands[i];
        if (of) fputs(of->help, stdout);
        else print_help();
        exit_code = argc > 1 ? EXIT_DONE : EXIT_USAGE;
    } else if (strcmp(name, "--version") == 0) {
        printf("spindle %s\n", oak_version());
        exit_code = EXIT_DONE;
    }
    for (size_t i = 0; i < COMMANDS && exit_code < 0; i++)
        if (strcmp(commands[i]->name, name) == 0) exit_code = commands[i]->run(&self, argc - 1, argv + 1);
    if (exit_code < 0) {
        char hint[100] = "";
        unsigned least = 3;
        for (size_t i = 0; i < COMMANDS; i++) {
            unsigned apart = cli_letters_apart(commands[i]->name, name);
            if (apart >= least || apart >= strlen(name)) continue;
            least = apart;
            snprintf(hint, sizeof hint, "Did you mean `spindle %s`?", commands[i]->name);
        }
        exit_code = cli_usage(&self, NULL, *hint ? hint : NULL, "there is no command `%s`", name);
    }
    /* Whatever has failed for lack of memory, and has not been told: the result is not what was asked for. */
    if (cli_memory_lost()) {
        exit_code = EXIT_REFUSED;
        self.errors = 0;
        if (!self.json && !self.said_memory) cli_failed(&self, OAK_NO_MEMORY, name);
    }
    /* A refusal at the bench, before it could begin, is a document too. */
    if (self.json && (!talks || cJSON_GetArraySize(self.diagnostics) || (cli_memory_lost() && !self.printed)))
        cli_finish_json(&self, exit_code == EXIT_DONE);
    cJSON_Delete(self.document);
    cJSON_Delete(self.diagnostics);
    cli_forget_files();
    if (fflush(stdout) || ferror(stdout)) exit_code = exit_code ? exit_code : EXIT_REFUSED;
    return exit_code;
}
