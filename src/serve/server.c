/* server.c — see server.h: messages of the protocol (a header with their length, then JSON), and who answers which. */
#include "serve/server.h"

#include <oakspindle/version.h>
#include <stdio.h>
#include <stdlib.h>

enum { LONGEST_MESSAGE = 64 << 20, LONGEST_HEADER = 4096 };
enum {
    PARSE_ERROR = -32700,
    INVALID_REQUEST = -32600,
    NO_METHOD = -32601,
    REFUSED = -32803,
    NOT_READY = -32002,
    CANCELLED = -32800
};

char *serve_copy(oak_server *server, const char *text)
{
    size_t size = strlen(text) + 1;
    char *copy = server->host.resize(server->host.context, NULL, 0, size);
    if (copy) memcpy(copy, text, size);
    return copy;
}

void serve_free(oak_server *server, char *text)
{
    if (text) server->host.resize(server->host.context, text, strlen(text) + 1, 0);
}

/* ------------------------------------------------------------------------------------------ sending */

static void send_message(oak_server *server, cJSON *message)
{
    cJSON_AddStringToObject(message, "jsonrpc", "2.0");
    char *text = cJSON_PrintUnformatted(message), header[60];
    cJSON_Delete(message);
    if (!text) return;
    int length = snprintf(header, sizeof header, "Content-Length: %zu\r\n\r\n", strlen(text));
    server->settings.send(server->settings.context, header, (size_t)length);
    server->settings.send(server->settings.context, text, strlen(text));
    cJSON_free(text);
}

void serve_notify(oak_server *server, const char *method, cJSON *parameters)
{
    cJSON *message = cJSON_CreateObject();
    cJSON_AddStringToObject(message, "method", method);
    cJSON_AddItemToObject(message, "params", parameters);
    send_message(server, message);
}

static cJSON *answer_to(const cJSON *id)
{
    cJSON *message = cJSON_CreateObject();
    cJSON_AddItemToObject(message, "id", id ? cJSON_Duplicate(id, true) : cJSON_CreateNull());
    return message;
}

static void send_error(oak_server *server, const cJSON *id, int code, const char *why)
{
    cJSON *message = answer_to(id), *error = cJSON_AddObjectToObject(message, "error");
    cJSON_AddNumberToObject(error, "code", code);
    cJSON_AddStringToObject(error, "message", why);
    send_message(server, message);
}

/* ------------------------------------------------------------------------------------------ life */

static void add_options(cJSON *to, const char *name, const char *option, bool on)
{
    cJSON *options = cJSON_AddObjectToObject(to, name);
    if (option) cJSON_AddBoolToObject(options, option, on);
}

static cJSON *capabilities(const oak_server *server)
{
    static const char *const plain[] = {"hoverProvider",
                                        "definitionProvider",
                                        "referencesProvider",
                                        "documentSymbolProvider",
                                        "workspaceSymbolProvider",
                                        "foldingRangeProvider",
                                        "documentFormattingProvider",
                                        "documentHighlightProvider",
                                        "inlayHintProvider",
                                        "callHierarchyProvider"};
    static const char *const before[] = {" ", ",", "."};
    cJSON *all = cJSON_CreateObject(), *sync = cJSON_AddObjectToObject(all, "textDocumentSync");
    cJSON_AddStringToObject(all, "positionEncoding", server->bytes ? "utf-8" : "utf-16");
    cJSON_AddBoolToObject(sync, "openClose", true);
    cJSON_AddNumberToObject(sync, "change", 2);
    cJSON_AddBoolToObject(sync, "save", true);
    for (size_t i = 0; i < sizeof plain / sizeof *plain; i++) cJSON_AddBoolToObject(all, plain[i], true);
    add_options(all, "renameProvider", "prepareProvider", true);
    add_options(all, "codeLensProvider", "resolveProvider", false);
    add_options(all, "documentLinkProvider", "resolveProvider", false);
    cJSON *completion = cJSON_AddObjectToObject(all, "completionProvider");
    cJSON_AddBoolToObject(completion, "resolveProvider", true);
    cJSON_AddItemToArray(cJSON_AddArrayToObject(completion, "triggerCharacters"), cJSON_CreateString("."));
    cJSON *signature = cJSON_AddObjectToObject(all, "signatureHelpProvider"),
          *triggers = cJSON_AddArrayToObject(signature, "triggerCharacters");
    for (size_t i = 0; i < 2; i++) cJSON_AddItemToArray(triggers, cJSON_CreateString(before[i]));
    cJSON *actions = cJSON_AddObjectToObject(all, "codeActionProvider");
    cJSON_AddItemToArray(cJSON_AddArrayToObject(actions, "codeActionKinds"), cJSON_CreateString("quickfix"));
    cJSON *colours = cJSON_AddObjectToObject(all, "semanticTokensProvider");
    cJSON_AddItemToObject(colours, "legend", serve_colour_legend());
    cJSON_AddBoolToObject(colours, "full", true);
    return all;
}

static cJSON *initialize(oak_server *server, const cJSON *parameters, const char **why)
{
    (void)why;
    const cJSON *general = cJSON_GetObjectItem(cJSON_GetObjectItem(parameters, "capabilities"), "general"),
                *encoding,
                *part = cJSON_GetObjectItem(cJSON_GetObjectItem(parameters, "initializationOptions"), "part");
    cJSON_ArrayForEach(encoding, cJSON_GetObjectItem(general, "positionEncodings"))
    {
        if (cJSON_IsString(encoding) && strcmp(encoding->valuestring, "utf-8") == 0) server->bytes = true;
    }
    if (cJSON_IsString(part)) {
        serve_free(server, server->part);
        server->part = serve_copy(server, part->valuestring);
    }
    server->ready = true;
    cJSON *result = cJSON_CreateObject();
    cJSON_AddItemToObject(result, "capabilities", capabilities(server));
    cJSON *info = cJSON_AddObjectToObject(result, "serverInfo");
    cJSON_AddStringToObject(info, "name", "spindle");
    cJSON_AddStringToObject(info, "version", oak_version());
    return result;
}

static cJSON *shut_down(oak_server *server, const cJSON *parameters, const char **why)
{
    (void)parameters, (void)why;
    server->shut = true;
    return cJSON_CreateNull();
}

static void leave(oak_server *server, const cJSON *parameters)
{
    (void)parameters;
    server->over = true;
    server->well = server->shut;
}

static void cancel(oak_server *server, const cJSON *parameters)
{
    enum { MOST = 100 };
    const cJSON *id = cJSON_GetObjectItem(parameters, "id");
    if (id) cJSON_AddItemToArray(server->cancelled, cJSON_Duplicate(id, true));
    if (cJSON_GetArraySize(server->cancelled) > MOST) cJSON_DeleteItemFromArray(server->cancelled, 0);
}

static void set_up(oak_server *server, const cJSON *parameters)
{
    const cJSON *all = cJSON_GetObjectItem(parameters, "settings"),
                *own = cJSON_GetObjectItem(all, "spindle"),
                *part = cJSON_GetObjectItem(own ? own : all, "part");
    if (!cJSON_IsString(part)) return;
    serve_free(server, server->part);
    server->part = serve_copy(server, part->valuestring);
    while (server->unit_count) serve_drop_unit(server, server->units[0]);
    serve_check(server);
}

/* ------------------------------------------------------------------------------------------ texts that come and go */

static const cJSON *document_of(const cJSON *parameters, const char **uri)
{
    const cJSON *document = cJSON_GetObjectItem(parameters, "textDocument"),
                *text = cJSON_GetObjectItem(document, "uri");
    *uri = cJSON_IsString(text) ? text->valuestring : NULL;
    return document;
}

static void did_open(oak_server *server, const cJSON *parameters)
{
    const char *uri;
    const cJSON *document = document_of(parameters, &uri), *text = cJSON_GetObjectItem(document, "text");
    char *path = uri && cJSON_IsString(text) ? serve_path(server, uri) : NULL;
    serve_text *opened = path ? serve_find_text(server, path) : NULL;
    if (opened && serve_set_text(server, opened, text->valuestring, strlen(text->valuestring))) {
        opened->open = true;
        opened->version = (int)cJSON_GetNumberValue(cJSON_GetObjectItem(document, "version"));
        serve_stale(server, NULL);
        serve_check(server);
    }
    serve_free(server, path);
}

static void did_change(oak_server *server, const cJSON *parameters)
{
    const char *uri;
    document_of(parameters, &uri);
    char *path = uri ? serve_path(server, uri) : NULL;
    serve_change_text(server, parameters);
    if (path) serve_stale(server, path);
    serve_free(server, path);
    serve_check(server);
}

static void did_save(oak_server *server, const cJSON *parameters)
{
    (void)parameters;
    serve_stale(server, NULL); /* other files may have changed, too */
    serve_check(server);
}

static void did_close(oak_server *server, const cJSON *parameters)
{
    const char *uri;
    document_of(parameters, &uri);
    char *path = uri ? serve_path(server, uri) : NULL;
    for (size_t i = 0; path && i < server->text_count; i++)
        if (strcmp(server->texts[i]->path, path) == 0) {
            serve_drop_text(server, server->texts[i]);
            break;
        }
    for (size_t i = 0; path && i < server->unit_count; i++)
        if (strcmp(server->units[i]->key, path) == 0) {
            serve_drop_unit(server, server->units[i]);
            break;
        }
    serve_free(server, path);
    serve_stale(server, NULL);
    serve_check(server);
}

/* ------------------------------------------------------------------------------------------ who answers */

static const struct request {
    const char *method;
    serve_answer *answer;
} requests[] = {{"initialize", initialize},
                {"shutdown", shut_down},
                {"textDocument/definition", serve_definition_of},
                {"textDocument/references", serve_references},
                {"textDocument/documentHighlight", serve_highlights},
                {"textDocument/prepareRename", serve_prepare_rename},
                {"textDocument/rename", serve_rename},
                {"textDocument/documentSymbol", serve_outline},
                {"workspace/symbol", serve_workspace_names},
                {"textDocument/prepareCallHierarchy", serve_prepare_calls},
                {"callHierarchy/incomingCalls", serve_calls_in},
                {"callHierarchy/outgoingCalls", serve_calls_out},
                {"textDocument/hover", serve_hover},
                {"textDocument/signatureHelp", serve_signature},
                {"textDocument/inlayHint", serve_inlays},
                {"textDocument/codeLens", serve_lenses},
                {"textDocument/completion", serve_completion},
                {"completionItem/resolve", serve_more_of},
                {"textDocument/semanticTokens/full", serve_colours},
                {"textDocument/foldingRange", serve_folds},
                {"textDocument/codeAction", serve_actions},
                {"textDocument/formatting", serve_layout},
                {"textDocument/documentLink", serve_links}};

static const struct notice {
    const char *method;
    void (*take)(oak_server *server, const cJSON *parameters);
} notices[] = {{"exit", leave},
               {"$/cancelRequest", cancel},
               {"textDocument/didOpen", did_open},
               {"textDocument/didChange", did_change},
               {"textDocument/didSave", did_save},
               {"textDocument/didClose", did_close},
               {"workspace/didChangeWatchedFiles", did_save},
               {"workspace/didChangeConfiguration", set_up}};

static bool was_cancelled(oak_server *server, const cJSON *id)
{
    for (int i = 0; i < cJSON_GetArraySize(server->cancelled); i++)
        if (cJSON_Compare(cJSON_GetArrayItem(server->cancelled, i), id, true)) {
            cJSON_DeleteItemFromArray(server->cancelled, i);
            return true;
        }
    return false;
}

static void answer(oak_server *server, const cJSON *id, const char *method, const cJSON *parameters)
{
    const char *why = NULL;
    for (size_t i = 0; i < sizeof requests / sizeof *requests; i++) {
        if (strcmp(requests[i].method, method) != 0) continue;
        if (server->shut) send_error(server, id, INVALID_REQUEST, "the server has been shut down");
        else if (!server->ready && i) send_error(server, id, NOT_READY, "`initialize` comes first");
        else if (was_cancelled(server, id)) send_error(server, id, CANCELLED, "cancelled");
        else {
            cJSON *result = requests[i].answer(server, parameters, &why);
            if (why) {
                cJSON_Delete(result);
                send_error(server, id, REFUSED, why);
                return;
            }
            cJSON *message = answer_to(id);
            cJSON_AddItemToObject(message, "result", result ? result : cJSON_CreateNull());
            send_message(server, message);
        }
        return;
    }
    send_error(server, id, NO_METHOD, "there is no such request");
}

static void take_message(oak_server *server, const char *text, size_t size)
{
    cJSON *message = cJSON_ParseWithLength(text, size);
    const cJSON *id = cJSON_GetObjectItem(message, "id"), *method = cJSON_GetObjectItem(message, "method"),
                *parameters = cJSON_GetObjectItem(message, "params");
    server->turn++;
    if (!message) send_error(server, NULL, PARSE_ERROR, "this is no JSON");
    else if (cJSON_IsString(method) && id) answer(server, id, method->valuestring, parameters);
    else if (cJSON_IsString(method)) {
        for (size_t i = 0; i < sizeof notices / sizeof *notices; i++)
            if (strcmp(notices[i].method, method->valuestring) == 0 && (server->ready || !i))
                notices[i].take(server, parameters);
    } else if (!id || !(cJSON_HasObjectItem(message, "result") || cJSON_HasObjectItem(message, "error")))
        send_error(server, id, INVALID_REQUEST, "a message has a method");
    cJSON_Delete(message);
}

/* ------------------------------------------------------------------------------------------ taking messages apart */

/* The length that a header says, and its own; 0: it is not whole yet, -1: it is none. */
static int read_header(const char *text, size_t size, size_t *length)
{
    const char *end = NULL;
    for (size_t i = 0; i + 4 <= size && i < LONGEST_HEADER && !end; i++)
        if (memcmp(text + i, "\r\n\r\n", 4) == 0) end = text + i + 4;
    if (!end) return size < LONGEST_HEADER ? 0 : -1;
    bool found = false;
    for (const char *line = text; line < end - 2;) {
        const char *line_end = line;
        while (memcmp(line_end, "\r\n", 2) != 0) line_end++;
        static const char name[] = "content-length:";
        if ((size_t)(line_end - line) > sizeof name - 1 && oak_same_name(line, sizeof name - 1, name)) {
            unsigned long long value = 0;
            const char *at = line + sizeof name - 1;
            while (at < line_end && *at == ' ') at++;
            found = at < line_end;
            for (; at < line_end && value <= LONGEST_MESSAGE; at++) {
                found = found && *at >= '0' && *at <= '9';
                value = 10 * value + (unsigned)(*at - '0');
            }
            *length = (size_t)value;
        }
        line = line_end + 2;
    }
    return found && *length <= LONGEST_MESSAGE ? (int)(end - text) : -1;
}

bool oak_serve_take(oak_server *server, const char *bytes, size_t count)
{
    if (!server || (!bytes && count)) return false;
    oak_buf_add(&server->input, bytes, count);
    size_t done = 0;
    while (!server->over) {
        size_t length = 0;
        int header = read_header(server->input.bytes ? server->input.bytes + done : "",
                                 server->input.size - done, &length);
        if (header < 0 || server->input.failed) {
            server->over = true;
        }
        if (header <= 0 || server->input.size - done - (size_t)header < length) break;
        take_message(server, server->input.bytes + done + header, length);
        done += (size_t)header + length;
    }
    if (done) {
        memmove(server->input.bytes, server->input.bytes + done, server->input.size - done);
        server->input.size -= done;
    }
    return !server->over;
}

bool oak_serve_ended_well(const oak_server *server)
{
    return server && server->well;
}

/* ------------------------------------------------------------------------------------------ opening and closing */

/* What is open in an editor goes before what lies on the disk. */
static oak_status read_file(void *context, const char *path, size_t limit, uint8_t **bytes, size_t *size)
{
    oak_server *server = context;
    for (size_t i = 0; i < server->text_count; i++) {
        const serve_text *text = server->texts[i];
        if (!text->open || strcmp(text->path, path) != 0) continue;
        if (text->bytes.size > limit) return OAK_OUT_OF_RANGE;
        *size = text->bytes.size;
        *bytes = NULL;
        if (!*size) return OAK_OK;
        *bytes = server->host.resize(server->host.context, NULL, 0, *size);
        if (!*bytes) return OAK_NO_MEMORY;
        memcpy(*bytes, text->bytes.bytes, *size);
        return OAK_OK;
    }
    return server->host.read_file(server->host.context, path, limit, bytes, size);
}

static void *resize(void *context, void *block, size_t old_size, size_t new_size)
{
    const oak_host *host = &((oak_server *)context)->host;
    return host->resize(host->context, block, old_size, new_size);
}

oak_status oak_serve_open(const oak_host *host, const oak_serve_settings *settings, oak_server **result)
{
    if (!host || !settings || !settings->send || !result) return OAK_MISUSE;
    if (!host->read_file) return OAK_UNSUPPORTED;
    oak_server *server = host->resize(host->context, NULL, 0, sizeof *server);
    if (!server) return OAK_NO_MEMORY;
    memset(server, 0, sizeof *server);
    server->host = *host;
    server->reading = (oak_host){.context = server, .resize = resize, .read_file = read_file};
    server->settings = *settings;
    server->cancelled = cJSON_CreateArray();
    oak_buf_open(&server->input, &server->host);
    *result = server;
    return OAK_OK;
}

void oak_serve_close(oak_server *server)
{
    if (!server) return;
    server->over = true; /* nobody is there any more to be told */
    while (server->unit_count) serve_drop_unit(server, server->units[0]);
    while (server->text_count) serve_drop_text(server, server->texts[0]);
    oak_host host = server->host;
    oak_release(&host, server->units, server->unit_room, sizeof *server->units);
    oak_release(&host, server->texts, server->text_room, sizeof *server->texts);
    oak_buf_close(&server->input);
    cJSON_Delete(server->cancelled);
    serve_free(server, server->part);
    host.resize(host.context, server, sizeof *server, 0);
}
