/* cmd_find.c — `spindle find`: where a name is defined, and where it is used; the language server knows. */
#include <popt.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "serving.h"

static void keep(void *context, const char *bytes, size_t count)
{
    oak_text_sink sink = cli_text_sink(&((serving *)context)->said);
    sink.write(sink.context, bytes, count);
}

static bool tell(oak_server *server, const cJSON *message)
{
    char *body = cJSON_PrintUnformatted(message), header[60];
    int length = body ? snprintf(header, sizeof header, "Content-Length: %zu\r\n\r\n", strlen(body)) : 0;
    bool good =
        body && oak_serve_take(server, header, (size_t)length) && oak_serve_take(server, body, strlen(body));
    free(body);
    return good;
}

/* The result of a request; its parameters go with it. */
static cJSON *ask(serving *state, oak_server *server, const char *method, cJSON *parameters)
{
    cJSON *message = cJSON_CreateObject(), *found = NULL;
    cJSON_AddNumberToObject(message, "id", 1);
    cJSON_AddStringToObject(message, "method", method);
    cJSON_AddItemToObject(message, "params", parameters);
    state->said.size = 0;
    (void)tell(server, message);
    cJSON_Delete(message);
    for (size_t at = 0; at < state->said.size && !found;) { /* beside what it tells by itself */
        const char *body = strstr(state->said.bytes + at, "\r\n\r\n");
        size_t length = strtoul(state->said.bytes + at + strlen("Content-Length: "), NULL, 10);
        if (!body) break;
        cJSON *one = cJSON_ParseWithLength(body + 4, length);
        if (cJSON_HasObjectItem(one, "id")) found = cJSON_DetachItemFromObject(one, "result");
        cJSON_Delete(one);
        at = (size_t)(body + 4 - state->said.bytes) + length;
    }
    return found;
}

/* The path in a location of ours, shorter where it lies below this folder. */
static const char *path_of(const cJSON *location, const char *here, char path[SERVING_PATH])
{
    const char *uri = cJSON_GetStringValue(cJSON_GetObjectItem(location, "uri"));
    size_t length = strlen(here);
    if (!uri || !oak_serve_path(uri, path, SERVING_PATH)) return NULL;
    return strncmp(path, here, length) == 0 && path[length] == '/' ? path + length + 1 : path;
}

static unsigned place_in(const cJSON *location, const char *name)
{
    return (unsigned)cJSON_GetNumberValue(
        cJSON_GetObjectItem(cJSON_GetObjectItem(cJSON_GetObjectItem(location, "range"), "start"), name));
}

static void show(cli *self, const cJSON *location, const char *here, const char *what, cJSON *list)
{
    char room[SERVING_PATH];
    const char *path = path_of(location, here, room);
    uint8_t *bytes = NULL;
    size_t size = 0;
    unsigned line = place_in(location, "line"), column = place_in(location, "character");
    if (!path) return;
    printf("%s:%u:%u: %s", path, line + 1, column + 1, what);
    if (!self->host.read_file(self->host.context, path, 16 << 20, &bytes, &size)) {
        const char *at = (const char *)bytes, *end = at + size, *stop;
        for (unsigned i = 0; i < line && at < end; i++)
            at = (stop = memchr(at, '\n', (size_t)(end - at))) ? stop + 1 : end;
        while (at < end && (*at == ' ' || *at == '\t')) at++;
        stop = at < end ? memchr(at, '\n', (size_t)(end - at)) : NULL;
        printf("  %.*s", (int)((stop ? stop : end) - at), at);
        if (bytes) self->host.resize(self->host.context, bytes, size, 0);
    }
    putchar('\n');
    cJSON *one = cJSON_CreateObject();
    cJSON_AddStringToObject(one, "file", path);
    cJSON_AddNumberToObject(one, "line", line + 1);
    cJSON_AddNumberToObject(one, "column", column + 1);
    cJSON_AddStringToObject(one, "what", what);
    cJSON_AddItemToArray(list, one);
}

static cJSON *of_document(const cJSON *uri)
{
    cJSON *parameters = cJSON_CreateObject(), *document = cJSON_AddObjectToObject(parameters, "textDocument");
    cJSON_AddItemToObject(document, "uri", cJSON_Duplicate(uri, true));
    return parameters;
}

/* Lets the server look at a file, as if an editor had opened it. */
static bool open_file(serving *state, oak_server *server, const char *here, const char *path)
{
    cli *self = state->self;
    char whole[2 * SERVING_PATH], uri_text[6 * SERVING_PATH + 8];
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_status status = self->host.read_file(self->host.context, path, 16 << 20, &bytes, &size);
    if (status) return cli_failed(self, status, path) == EXIT_DONE;
    char *text = cli_calloc(size + 1, 1);
    if (text && size) memcpy(text, bytes, size);
    if (bytes) self->host.resize(self->host.context, bytes, size, 0);
    if (!text) return false;
    snprintf(whole, sizeof whole, "%s%s%s", *path == '/' ? "" : here, *path == '/' ? "" : "/", path);
    if (!oak_serve_uri(whole, uri_text, sizeof uri_text)) *uri_text = 0;
    cJSON *uri = cJSON_CreateString(uri_text), *message = cJSON_CreateObject(),
          *parameters = of_document(uri);
    cJSON_AddStringToObject(cJSON_GetObjectItem(parameters, "textDocument"), "text", text);
    cJSON_AddStringToObject(message, "method", "textDocument/didOpen");
    cJSON_AddItemToObject(message, "params", parameters);
    bool good = tell(server, message);
    cJSON_Delete(message);
    cJSON_Delete(uri);
    free(text);
    return good;
}

static int find(cli *self, const char *part, const char *name, const char *const *files)
{
    char here[SERVING_PATH];
    serving state = {.self = self};
    oak_serve_settings settings = {
        .context = &state, .send = keep, .project = cli_find_project, .part = part};
    oak_server *server;
    if (!getcwd(here, sizeof here)) return cli_failed(self, OAK_IO_ERROR, ".");
    oak_status status = oak_serve_open(&self->host, &settings, &server);
    if (status) return cli_failed(self, status, "find");
    cJSON *first = ask(&state, server, "initialize",
                       cJSON_Parse("{\"capabilities\":{\"general\":{\"positionEncodings\":[\"utf-8\"]}}}"));
    cJSON_Delete(first);
    bool good = true;
    for (unsigned i = 0; files[i] && good; i++) good = open_file(&state, server, here, files[i]);
    cJSON *query = cJSON_CreateObject(), *list = cJSON_CreateArray();
    cJSON_AddStringToObject(query, "query", name);
    cJSON *names = good ? ask(&state, server, "workspace/symbol", query) : NULL;
    if (!good) cJSON_Delete(query);
    const cJSON *one, *use;
    cJSON_ArrayForEach(one, names)
    {
        const char *called = cJSON_GetStringValue(cJSON_GetObjectItem(one, "name")),
                   *point = called ? strchr(called, '.') : NULL;
        const cJSON *location = cJSON_GetObjectItem(one, "location");
        if (!called || (strcasecmp(called, name) != 0 && !(point && strcasecmp(point, name) == 0))) continue;
        show(self, location, here, "defined", list);
        cJSON *parameters = of_document(cJSON_GetObjectItem(location, "uri"));
        cJSON_AddItemToObject(
            parameters, "position",
            cJSON_Duplicate(cJSON_GetObjectItem(cJSON_GetObjectItem(location, "range"), "start"), true));
        cJSON_AddBoolToObject(cJSON_AddObjectToObject(parameters, "context"), "includeDeclaration", false);
        cJSON *uses = ask(&state, server, "textDocument/references", parameters);
        cJSON_ArrayForEach(use, uses) show(self, use, here, "used", list);
        cJSON_Delete(uses);
    }
    cJSON_Delete(names);
    bool any = cJSON_GetArraySize(list) > 0;
    if (good && !any) {
        oak_diagnostic d = {.severity = OAK_ERROR,
                            .code = "unknown-symbol",
                            .message = "nothing here defines this name",
                            .hint = "Names are found in the files that are given and in what they include; a "
                                    "file must know its part."};
        self->sink.report(self->sink.context, &d);
    }
    if (self->json) {
        cJSON *document = cJSON_CreateObject();
        cJSON_AddStringToObject(document, "name", name);
        cJSON_AddItemToObject(document, "places", list);
        cli_print_json(self, document);
    } else cJSON_Delete(list);
    oak_serve_close(server);
    cli_forget_project(&state);
    free(state.said.bytes);
    return good && any ? EXIT_DONE : EXIT_REFUSED;
}

static int run(cli *self, int argc, const char **argv)
{
    char *part = NULL;
    int json = 0;
    cli_project project = {0};
    const struct poptOption table[] = {{"part", 'p', POPT_ARG_STRING, &part, 0, NULL, NULL},
                                       {"json", 0, POPT_ARG_NONE, &json, 0, NULL, NULL},
                                       POPT_TABLEEND};
    poptContext context;
    bool done;
    int exit_code = EXIT_DONE, found = EXIT_DONE;
    const char **words = cli_options(self, &command_find, argc, argv, table, &context, &done);
    bool none = words && words[0] && !words[1];
    if (none) found = cli_read_project(self, &project);
    if (!words) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (!words[0]) exit_code = cli_usage(self, &command_find, NULL, "no name is given");
    else if (found > 0) exit_code = found;
    else if (found < 0)
        exit_code =
            cli_usage(self, &command_find, "Name files, or work in a folder with a " CLI_PROJECT_FILE ".",
                      "no source file is given");
    else exit_code = find(self, part, words[0], none ? (const char *const *)project.sources : words + 1);
    if (context) poptFreeContext(context);
    cli_free_project(&project);
    free(part);
    return exit_code;
}

const command command_find = {
    "find",
    "tell where a name is defined and used",
    "usage: spindle find NAME [FILE...] [--part PART]\n"
    "\n"
    "Tells where sources define NAME (a label, also a local one as `.again` or `main.again`, a\n"
    "constant, a macro) and where they use it, one place a line, as editors read them. Without\n"
    "a FILE: the sources of the project in this folder. The part is that of the project; or a\n"
    "file names it in a comment at its beginning; else --part.\n"
    "\n"
    "  -p, --part PART      for files that say nothing of theirs\n"
    "      --json           print everything as one JSON document\n"
    "\n"
    "examples:\n"
    "  spindle find flow examples/extractor/extractor.asm\n"
    "  spindle find .again guard.asm --part mcs51-8k\n",
    run,
};
