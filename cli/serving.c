/* serving.c — see serving.h. */
#include "serving.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

void cli_forget_project(serving *self)
{
    for (size_t i = 0; i < sizeof self->paths / sizeof *self->paths; i++) {
        free(self->paths[i]);
        self->paths[i] = NULL;
    }
    for (size_t i = 0; i < CLI_MOST_SOURCES; i++) {
        free(self->warning_texts[i]);
        self->warning_texts[i] = NULL;
    }
    free(self->part);
    self->part = NULL;
    if (self->read) cli_free_project(&self->project);
    self->read = false;
}

static char *in_folder(const char *folder, const char *name)
{
    char path[2 * SERVING_PATH];
    if (*name == '/') return cli_strdup(name);
    snprintf(path, sizeof path, "%s/%s", folder, name);
    return cli_strdup(path);
}

/* CODE=level, as the reader of projects makes them. */
static unsigned take_warnings(serving *self)
{
    static const char *const levels[] = {"off", "on", "error"};
    unsigned count = 0;
    for (unsigned i = 0; i < CLI_MOST_SOURCES && self->project.warnings[i]; i++) {
        char *text = cli_strdup(self->project.warnings[i]), *level = text ? strchr(text, '=') : NULL;
        self->warning_texts[count] = text;
        if (!level) continue;
        *level++ = 0;
        for (unsigned l = 0; l < 3; l++)
            if (strcmp(level, levels[l]) == 0)
                self->warnings[count] = (oak_warning){text, (oak_warning_level)l};
        if (self->warnings[count].code == text) count++;
    }
    return count;
}

/* The project file in the folder of the file or one above it. */
void cli_find_project(void *context, const char *path, oak_serve_project *project)
{
    serving *self = context;
    cli_forget_project(self);
    snprintf(self->folder, sizeof self->folder, "%s", path);
    for (char *end; (end = strrchr(self->folder, '/'));) {
        char name[SERVING_PATH + 20];
        *end = 0;
        snprintf(name, sizeof name, "%s/%s", self->folder, CLI_PROJECT_FILE);
        if (access(name, R_OK) == 0) {
            self->read = cli_read_project_at(self->self, name, &self->project) == EXIT_DONE;
            break;
        }
    }
    if (!self->read) return;
    unsigned count = 0;
    for (unsigned i = 0; i < self->project.source_count; i++) {
        self->paths[count] = in_folder(self->folder, self->project.sources[i]);
        count += self->paths[count] != NULL;
    }
    self->part = !self->project.part               ? NULL
                 : strchr(self->project.part, '.') ? in_folder(self->folder, self->project.part)
                                                   : cli_strdup(self->project.part);
    project->part = self->part;
    project->warnings = self->warnings;
    project->warning_count = take_warnings(self);
    project->sources = (const char *const *)self->paths;
    project->source_count = count;
    project->includes = (const char *const *)(self->paths + count);
    for (unsigned i = 0; i < CLI_MOST_SOURCES && self->project.includes[i]; i++) {
        self->paths[count + i] = in_folder(self->folder, self->project.includes[i]);
        project->include_count++;
    }
}
