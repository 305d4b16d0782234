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

static bool read_list(cli *self, yaml_document_t *document, const yaml_node_t *list, char **texts)
{
    size_t count = list->type == YAML_SEQUENCE_NODE
                       ? (size_t)(list->data.sequence.items.top - list->data.sequence.items.start)
                       : 0;
    if (!count || count > CLI_MOST_SOURCES || texts[0]) {
        refuse(self, &list->start_mark, "Write the key once, and below it `  - main.asm`.",
               "this must be a list of 1 to 200 names");
        return false;
    }
    for (size_t i = 0; i < count; i++) {
        const yaml_node_t *item = yaml_document_get_node(document, list->data.sequence.items.start[i]);
        if (item->type != YAML_SCALAR_NODE) {
            refuse(self, &item->start_mark, NULL, "a name is wanted here");
            return false;
        }
        texts[i] = cli_strdup((const char *)item->data.scalar.value);
    }
    return true;
}

/* `CODE: level` lines become CODE=level. */
static bool read_warnings(cli *self, yaml_document_t *document, const yaml_node_t *map, char **texts)
{
    if (map->type != YAML_MAPPING_NODE || texts[0]) {
        refuse(self, &map->start_mark, "Write `  missing-mark: off` below it.",
               "`warnings` is a list of codes with off, on or error");
        return false;
    }
    unsigned count = 0;
    for (const yaml_node_pair_t *pair = map->data.mapping.pairs.start;
         pair < map->data.mapping.pairs.top && count < CLI_MOST_SOURCES; pair++) {
        const yaml_node_t *key = yaml_document_get_node(document, pair->key),
                          *value = yaml_document_get_node(document, pair->value);
        char text[200];
        if (key->type != YAML_SCALAR_NODE || value->type != YAML_SCALAR_NODE) {
            refuse(self, &key->start_mark, NULL, "a code and off, on or error are wanted here");
            return false;
        }
        snprintf(text, sizeof text, "%.90s=%.90s", (const char *)key->data.scalar.value,
                 (const char *)value->data.scalar.value);
        texts[count++] = cli_strdup(text);
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
        char **list = strcmp(name, "sources") == 0   ? project->sources
                      : strcmp(name, "include") == 0 ? project->includes
                                                     : NULL;
        if (list) {
            if (!read_list(self, document, value, list)) return false;
            continue;
        }
        if (strcmp(name, "warnings") == 0) {
            if (!read_warnings(self, document, value, project->warnings)) return false;
            continue;
        }
        size_t i = 0;
        while (i < TEXTS && strcmp(texts[i].key, name) != 0) i++;
        if (i == TEXTS || value->type != YAML_SCALAR_NODE || *texts[i].value) {
            char message[200];
            snprintf(message, sizeof message,
                     i == TEXTS ? "there is no key `%.100s`" : "`%.100s` is one text", name);
            refuse(self, &key->start_mark,
                   "Keys: part, clock, sources, include, warnings, output, listing, symbols.", message);
            return false;
        }
        *texts[i].value = cli_strdup((const char *)value->data.scalar.value);
    }
    project->source_count = cli_count_list(project->sources);
    if (project->source_count) return true;
    refuse(self, &root->start_mark, "Write `sources:` and below it `  - main.asm`.",
           "the project names no sources");
    return false;
}

int cli_read_project_at(cli *self, const char *path, cli_project *project)
{
    uint8_t *bytes = NULL;
    size_t size = 0;
    *project = (cli_project){0};
    oak_status status = self->host.read_file(self->host.context, path, 1 << 20, &bytes, &size);
    if (status == OAK_NOT_FOUND) return -1;
    if (status) return cli_failed(self, status, CLI_PROJECT_FILE);
    yaml_parser_t parser;
    yaml_document_t document;
    bool good = false;
    uint32_t line, column;
    if (bytes && oak_yaml_is_deep((const char *)bytes, size, &line, &column)) {
        yaml_mark_t mark = {.line = line - 1, .column = column - 1};
        refuse(self, &mark, NULL, "this is nested deeper than any project file");
    } else if (yaml_parser_initialize(&parser)) {
        yaml_parser_set_input_string(&parser, bytes ? bytes : (const uint8_t *)"", size);
        if (yaml_parser_load(&parser, &document)) {
            good = read_document(self, &document, project);
            yaml_document_delete(&document);
        } else if (parser.error == YAML_MEMORY_ERROR || !parser.problem) {
            cli_lose_memory();
        } else {
            refuse(self, &parser.problem_mark, NULL,
                   parser.problem ? parser.problem : "this is not valid YAML");
        }
        yaml_parser_delete(&parser);
    } else cli_lose_memory();
    if (bytes) self->host.resize(self->host.context, bytes, size, 0);
    if (good && !cli_memory_lost()) return EXIT_DONE;
    cli_free_project(project);
    return cli_memory_lost() ? cli_failed(self, OAK_NO_MEMORY, CLI_PROJECT_FILE) : EXIT_REFUSED;
}

int cli_read_project(cli *self, cli_project *project)
{
    return cli_read_project_at(self, CLI_PROJECT_FILE, project);
}

int cli_take_project(cli *self, cli_project *project, const char ***files, char **part, char ***includes,
                     char ***warns)
{
    int found = cli_read_project(self, project);
    if (found != EXIT_DONE) return found;
    *files = (const char **)(void *)project->sources;
    cli_take(part, &project->part);
    bool good = cli_take_list(includes, project->includes) && cli_take_list(warns, project->warnings);
    return good ? EXIT_DONE : EXIT_REFUSED;
}

int cli_take_part(cli *self, char **part, char **clock)
{
    cli_project project;
    int found = *part ? -1 : cli_read_project(self, &project);
    if (found != EXIT_DONE) return found;
    cli_take(part, &project.part);
    if (clock) cli_take(clock, &project.clock);
    cli_free_project(&project);
    return EXIT_DONE;
}

void cli_free_project(cli_project *project)
{
    for (unsigned i = 0; i < CLI_MOST_SOURCES; i++) {
        free(project->sources[i]);
        free(project->includes[i]);
        free(project->warnings[i]);
    }
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

bool cli_take_list(char ***option, char **from)
{
    unsigned before = cli_count_list(from), after = cli_count_list(*option);
    char **whole = cli_calloc(before + after + 1, sizeof *whole);
    if (!whole) return false;
    for (unsigned i = 0; i < before; i++) whole[i] = from[i], from[i] = NULL;
    for (unsigned i = 0; i < after; i++) whole[before + i] = (*option)[i];
    free(*option);
    *option = whole;
    return true;
}
