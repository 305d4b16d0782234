/* serving.h — what the commands that ask the language server have in common: the project of a file. */
#ifndef CLI_SERVING_H
#define CLI_SERVING_H

#include <oakspindle/serve.h>

#include "cli.h"

enum { SERVING_PATH = 4096 };
typedef struct serving {
    cli *self;
    cli_project project;
    char folder[SERVING_PATH];
    char *part; /* its file in that folder, or its name */
    char *paths[2 * CLI_MOST_SOURCES + 1];
    oak_warning warnings[CLI_MOST_SOURCES];
    char *warning_texts[CLI_MOST_SOURCES];
    bool read, failed;
    cli_text said; /* by cmd_find */
} serving;

/* The project file in the folder of a file or one above it, for the server (context: a serving). */
void cli_find_project(void *context, const char *path, oak_serve_project *project);
void cli_forget_project(serving *state);

#endif
