/* project.c — the project file spindle.yaml (docs/project-files.md): part, clock, sources, outputs. */
#include <stdlib.h>
#include <string.h>

#include <yaml.h>

#include "cli.h"

static void refuse(cli *self, const yaml_mark_t *mark, const char *hint, const char *message)
{
    oak_diagnostic d = {.severity = OAK_ERROR,
                        .code = "project-file",
                        .file = CLI_PROJECT_FILE,
                        .line = (uint32_t)mark->line + 1,
                        .column = (uint32_t)mark->column + 1,
                        .column_end = (uint32_t)mark->column + 2,
                        .message = message,
                        .hint = hint};
    self->sink.report(self->sink.context, &d);
}

static bool read_sources(cli *self, yaml_document_t *document, const yaml_node_t *list, cli_project *project)
{
    size_t count = list->type == YAML_SEQUENCE_NODE
                       ? (size_t)(list->data.sequence.items.top - list->data.sequence.items.start)
                       : 0;
    if (!count || count > CLI_MOST_SOURCES) {
        refuse(self, &list->start_mark, "Write `sources:` and below it `  - main.asm`.",
               "`sources` must be a list of 1 to 200 files");
        return false;
    }
    for (size_t i = 0; i < count; i++) {
        const yaml_node_t *item = yaml_document_get_node(document, list->data.sequence.items.start[i]);
        if (item->type != YAML_SCALAR_NODE) {
            refuse(self, &item->start_mark, NULL, "a source is the name of a file");
            return false;
        }
        project->sources[project->source_count++] = strdup((const char *)item->data.scalar.value);
    }
    return true;
}

static bool read_document(cli *self, yaml_document_t *document, cli_project *project)
{
    const yaml_node_t *root = yaml_document_get_root_node(document);
    struct {
        const char *key;
        char **value;
    } texts[] = {{"part", &project->part},
                 {"clock", &project->clock},
                 {"output", &project->output},
                 {"listing", &project->listing},
                 {"symbols", &project->symbols}};
    enum { TEXTS = sizeof texts / sizeof *texts };
    yaml_mark_t begin = {0};
    if (!root || root->type != YAML_MAPPING_NODE) {
        refuse(self, root ? &root->start_mark : &begin, NULL,
               "a project file is a list of `key: value` lines");
        return false;
    }
    for (const yaml_node_pair_t *pair = root->data.mapping.pairs.start; pair < root->data.mapping.pairs.top;
         pair++) {
        const yaml_node_t *key = yaml_document_get_node(document, pair->key),
                          *value = yaml_document_get_node(document, pair->value);
        const char *name = key->type == YAML_SCALAR_NODE ? (const char *)key->data.scalar.value : "?";
        if (strcmp(name, "sources") == 0) {
            if (!read_sources(self, document, value, project)) return false;
            continue;
        }
        size_t i = 0;
        while (i < TEXTS && strcmp(texts[i].key, name) != 0) i++;
        if (i == TEXTS || value->type != YAML_SCALAR_NODE || *texts[i].value) {
            char message[200];
            snprintf(message, sizeof message,
                     i == TEXTS ? "there is no key `%.100s`" : "`%.100s` is one text", name);
            refuse(self, &key->start_mark, "Keys: part, clock, sources, output, listing, symbols.", message);
            return false;
        }
        *texts[i].value = strdup((const char *)value->data.scalar.value);
    }
    if (project->source_count) return true;
    refuse(self, &root->start_mark, "Write `sources:` and below it `  - main.asm`.",
           "the project names no sources");
    return false;
}

int cli_read_project(cli *self, cli_project *project)
{
    uint8_t *bytes = NULL;
    size_t size = 0;
    *project = (cli_project){0};
    oak_status status = self->host.read_file(self->host.context, CLI_PROJECT_FILE, 1 << 20, &bytes, &size);
    if (status == OAK_NOT_FOUND) return -1;
    if (status) return cli_failed(self, status, CLI_PROJECT_FILE);
    yaml_parser_t parser;
    yaml_document_t document;
    bool good = false;
    if (yaml_parser_initialize(&parser)) {
        yaml_parser_set_input_string(&parser, bytes ? bytes : (const uint8_t *)"", size);
        if (yaml_parser_load(&parser, &document)) {
            good = read_document(self, &document, project);
            yaml_document_delete(&document);
        } else {
            refuse(self, &parser.problem_mark, NULL,
                   parser.problem ? parser.problem : "this is not valid YAML");
        }
        yaml_parser_delete(&parser);
    }
    if (bytes) self->host.resize(self->host.context, bytes, size, 0);
    if (good) return EXIT_DONE;
    cli_free_project(project);
    return EXIT_REFUSED;
}

void cli_free_project(cli_project *project)
{
    for (unsigned i = 0; i < project->source_count; i++) free(project->sources[i]);
    free(project->part);
    free(project->clock);
    free(project->output);
    free(project->listing);
    free(project->symbols);
    *project = (cli_project){0};
}

void cli_take(char **option, char **from)
{
    if (*option || !*from) return;
    *option = *from;
    *from = NULL;
}
