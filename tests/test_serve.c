/* The language server, as a client sees it: messages in, messages out. */
#include "support.h"

#include <cjson/cJSON.h>
#include <dirent.h>
#include <math.h>
#include <oakspindle/serve.h>
#include <oakspindle/syntax.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

/* ------------------------------------------------------------------------------------------ a client */

typedef struct client {
    oak_host host;
    oak_server *server;
    text output;   /* what has come and was not looked at */
    cJSON *told;   /* by URI, the diagnostics told last */
    cJSON *answer; /* the last one */
    int number;
    bool alive;
} client;

static void take_bytes(void *context, const char *bytes, size_t count)
{
    oak_text_sink sink = text_sink(&((client *)context)->output);
    sink.write(sink.context, bytes, count);
}

/* Goes through all that has come; keeps diagnostics and the answer. */
static void look(client *c)
{
    size_t at = 0;
    while (at < c->output.size) {
        unsigned length;
        ck_assert_int_eq(sscanf(c->output.bytes + at, "Content-Length: %u\r\n\r\n", &length), 1);
        const char *body = strstr(c->output.bytes + at, "\r\n\r\n") + 4;
        cJSON *message = cJSON_ParseWithLength(body, length);
        ck_assert_ptr_nonnull(message);
        ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(message, "jsonrpc")), "2.0");
        const cJSON *method = cJSON_GetObjectItem(message, "method");
        if (method) {
            cJSON *parameters = cJSON_GetObjectItem(message, "params");
            const char *uri = cJSON_GetStringValue(cJSON_GetObjectItem(parameters, "uri"));
            ck_assert_str_eq(method->valuestring, "textDocument/publishDiagnostics");
            cJSON_DeleteItemFromObjectCaseSensitive(c->told, uri);
            cJSON_AddItemToObject(c->told, uri, cJSON_DetachItemFromObject(parameters, "diagnostics"));
            cJSON_Delete(message);
        } else {
            cJSON_Delete(c->answer);
            c->answer = message;
        }
        at = (size_t)(body - c->output.bytes) + length;
    }
    c->output.size = 0;
}

static void send_text(client *c, const char *body)
{
    char header[60];
    int length = snprintf(header, sizeof header, "Content-Length: %zu\r\n\r\n", strlen(body));
    c->alive =
        oak_serve_take(c->server, header, (size_t)length) && oak_serve_take(c->server, body, strlen(body));
    look(c);
}

static void send(client *c, const char *method, cJSON *parameters, bool asks)
{
    cJSON *message = cJSON_CreateObject();
    cJSON_AddStringToObject(message, "jsonrpc", "2.0");
    if (asks) cJSON_AddNumberToObject(message, "id", ++c->number);
    cJSON_AddStringToObject(message, "method", method);
    if (parameters) cJSON_AddItemToObject(message, "params", parameters);
    char *body = cJSON_PrintUnformatted(message);
    cJSON_Delete(message);
    send_text(c, body);
    free(body);
}

/* The result, or NULL for an error. */
static cJSON *ask(client *c, const char *method, cJSON *parameters)
{
    send(c, method, parameters, true);
    ck_assert_ptr_nonnull(c->answer);
    ck_assert_int_eq((int)cJSON_GetNumberValue(cJSON_GetObjectItem(c->answer, "id")), c->number);
    ck_assert(cJSON_HasObjectItem(c->answer, "result") != cJSON_HasObjectItem(c->answer, "error"));
    return cJSON_GetObjectItem(c->answer, "result");
}

static int error_of(const client *c)
{
    return (int)cJSON_GetNumberValue(cJSON_GetObjectItem(cJSON_GetObjectItem(c->answer, "error"), "code"));
}

static char project_folder[200];
static void two_files(void *context, const char *path, oak_serve_project *project)
{
    static char main_path[300], gate_path[300], include_path[300];
    static const char *sources[] = {main_path, gate_path}, *includes[] = {include_path};
    static const oak_warning warnings[] = {{"runs-off", OAK_WARN_OFF}};
    (void)context;
    if (!*project_folder || strncmp(path, project_folder, strlen(project_folder)) != 0) return;
    snprintf(main_path, sizeof main_path, "%s/main.asm", project_folder);
    snprintf(gate_path, sizeof gate_path, "%s/gate.asm", project_folder);
    snprintf(include_path, sizeof include_path, "%s/inc", project_folder);
    *project = (oak_serve_project){.part = "mcs51-8k",
                                   .sources = sources,
                                   .source_count = 2,
                                   .includes = includes,
                                   .include_count = 1,
                                   .warnings = warnings,
                                   .warning_count = 1};
}

static void meet(client *c, const char *part, bool bytes)
{
    *c = (client){.host = oak_linux_host(), .told = cJSON_CreateObject(), .alive = true};
    oak_serve_settings settings = {.context = c, .send = take_bytes, .part = part, .project = two_files};
    ck_assert_int_eq(oak_serve_open(&c->host, &settings, &c->server), OAK_OK);
    cJSON *parameters =
        cJSON_Parse(bytes ? "{\"capabilities\":{\"general\":{\"positionEncodings\":[\"utf-8\"]}}}"
                          : "{\"capabilities\":{}}");
    cJSON *result = ask(c, "initialize", parameters);
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetObjectItem(result, "capabilities"),
                                                              "positionEncoding")),
                     bytes ? "utf-8" : "utf-16");
}

static void part_from(client *c)
{
    ask(c, "shutdown", NULL);
    send(c, "exit", NULL, false);
    ck_assert(!c->alive);
    ck_assert(oak_serve_ended_well(c->server));
    oak_serve_close(c->server);
    cJSON_Delete(c->told);
    cJSON_Delete(c->answer);
    free(c->output.bytes);
}

static void uri_of(const char *path, char *uri, size_t room)
{
    ck_assert(oak_serve_uri(path, uri, room));
}

static cJSON *document(const char *path)
{
    char uri[400];
    cJSON *parameters = cJSON_CreateObject(), *one = cJSON_AddObjectToObject(parameters, "textDocument");
    uri_of(path, uri, sizeof uri);
    cJSON_AddStringToObject(one, "uri", uri);
    return parameters;
}

static cJSON *place(const char *path, unsigned line, unsigned column)
{
    cJSON *parameters = document(path), *position = cJSON_AddObjectToObject(parameters, "position");
    cJSON_AddNumberToObject(position, "line", line);
    cJSON_AddNumberToObject(position, "character", column);
    return parameters;
}

static void open_text(client *c, const char *path, const char *source)
{
    cJSON *parameters = document(path), *one = cJSON_GetObjectItem(parameters, "textDocument");
    cJSON_AddNumberToObject(one, "version", 1);
    cJSON_AddStringToObject(one, "languageId", "asm");
    cJSON_AddStringToObject(one, "text", source);
    send(c, "textDocument/didOpen", parameters, false);
}

static const cJSON *told_of(const client *c, const char *path)
{
    char uri[400];
    uri_of(path, uri, sizeof uri);
    return cJSON_GetObjectItemCaseSensitive(c->told, uri);
}

static char *file_text(const char *path)
{
    oak_host host = oak_linux_host();
    uint8_t *bytes;
    size_t size;
    ck_assert_msg(host.read_file(host.context, path, 1 << 20, &bytes, &size) == OAK_OK, "%s", path);
    char *copy = malloc(size + 1);
    memcpy(copy, bytes, size);
    copy[size] = 0;
    host.resize(host.context, bytes, size, 0);
    return copy;
}

/* An example of each architecture. */
static const struct {
    const char *part, *path;
} examples[] = {{"mcs51-8k", "extractor/extractor.asm"},
                {"avr-32k", "cabinet/cabinet.asm"},
                {"z80-32k", "press/press.asm"},
                {"picmid-8k", "steambox/steambox.asm"},
                {"pic18-32k", "sander/sander.asm"},
                {"msp430-32k", "shed/shed.asm"},
                {"cpu12-64k", "dowels/dowels.asm"},
                {"rv32-256k", "planer/planer.asm"},
                {"a32-1m", "tags/tags.asm"},
                {"mcs4-4k", "pegs/pegs.asm"},
                {"armv7m-256k", "kiln/kiln.asm"},
                {"armv6m-32k", "loom/loom.asm"}};
enum { EXAMPLES = sizeof examples / sizeof *examples };

static void example_path(unsigned i, char *path, size_t room)
{
    snprintf(path, room, SOURCE_FOLDER "/examples/%s", examples[i].path);
}

/* ------------------------------------------------------------------------------------------ requests */

START_TEST(every_word_of_every_architecture_is_answered_for)
{
    static const char *const whole[] = {"textDocument/documentSymbol", "textDocument/semanticTokens/full",
                                        "textDocument/foldingRange",   "textDocument/codeLens",
                                        "textDocument/documentLink",   "textDocument/inlayHint",
                                        "textDocument/formatting"};
    static const char *const here[] = {"textDocument/hover", "textDocument/definition",
                                       "textDocument/documentHighlight", "textDocument/prepareRename",
                                       "textDocument/signatureHelp"};
    for (unsigned i = 0; i < EXAMPLES; i++) {
        client c;
        char path[300];
        example_path(i, path, sizeof path);
        char *source = file_text(path);
        meet(&c, examples[i].part, i & 1);
        open_text(&c, path, source);
        ck_assert_int_eq(cJSON_GetArraySize(told_of(&c, path)), 0);
        for (unsigned r = 0; r < sizeof whole / sizeof *whole; r++) {
            const cJSON *result = ask(&c, whole[r], document(path));
            ck_assert_msg(result && !cJSON_IsNull(result), "%s: %s", path, whole[r]);
        }
        unsigned line = 0, hovers = 0, jumps = 0;
        for (const char *at = source; *at; line++) {
            size_t length = strcspn(at, "\n");
            for (unsigned column = 0; column < length && column < 40; column += 7)
                for (unsigned r = 0; r < sizeof here / sizeof *here; r++) {
                    const cJSON *result = ask(&c, here[r], place(path, line, column));
                    hovers += !r && cJSON_IsObject(result);
                    jumps += r == 1 && cJSON_IsObject(result);
                    if (!result) ck_assert_int_eq(error_of(&c), -32803); /* no name to rename */
                }
            at += length + (at[length] != 0);
        }
        ck_assert_msg(hovers > line / 2 && jumps > 10, "%s: %u hovers, %u jumps", path, hovers, jumps);
        char trials[320];
        snprintf(trials, sizeof trials, "%.*s.trial.yaml", (int)strlen(path) - 4, path);
        const cJSON *lens = cJSON_GetObjectItem(
            cJSON_GetArrayItem(ask(&c, "textDocument/codeLens", document(path)), 0), "command");
        bool offered = !strcmp(cJSON_GetStringValue(cJSON_GetObjectItem(lens, "command")), "spindle.trial");
        ck_assert_msg(offered == (access(trials, R_OK) == 0), "%s", trials);
        const cJSON *offers =
            cJSON_GetObjectItem(ask(&c, "textDocument/completion", place(path, line - 1, 0)), "items");
        ck_assert_int_gt(cJSON_GetArraySize(offers), 40);
        cJSON *first = cJSON_Duplicate(cJSON_GetArrayItem(offers, 0), true);
        char *label = strdup(cJSON_GetStringValue(cJSON_GetObjectItem(first, "label")));
        ck_assert_msg(cJSON_GetObjectItem(ask(&c, "completionItem/resolve", first), "documentation"),
                      "%s: %s", path, label);
        free(label);
        ck_assert_int_gt(cJSON_GetArraySize(ask(&c, "workspace/symbol", cJSON_Parse("{\"query\":\"\"}"))), 5);
        free(source);
        part_from(&c);
    }
}
END_TEST

START_TEST(what_is_told_is_what_the_manual_and_the_source_say)
{
    static const char source[] = "; part: mcs51-8k\n"
                                 "\n"
                                 "; how far the gate opens\n"
                                 "travel  equ  0x41           ; in steps\n"
                                 "        vector reset, begin\n"
                                 "        section vars, iram\n"
                                 "gate:   ds   2\n"
                                 "        section prog, code\n"
                                 "begin:  mov  a, #travel\n"
                                 ".more:  djnz r2, .more\n"
                                 "        mov  gate, a\n"
                                 "done:   sjmp done\n";
    static const struct {
        unsigned line, column;
        const char *says;
    } hovers[] = {{8, 8, "Load the accumulator"},
                  {8, 18, "`0x41` · `65` · `0b0100_0001` · `'A'`, named 1 time"},
                  {8, 18, "how far the gate opens in steps"},
                  {9, 9, "djnz r2, begin.more"},
                  {10, 14, "in iram at `0x30`, 2 bytes"},
                  {3, 15, "`'A'`"}};
    client c;
    meet(&c, NULL, false);
    open_text(&c, "/nowhere/gate.asm", source);
    ck_assert_int_eq(cJSON_GetArraySize(told_of(&c, "/nowhere/gate.asm")), 0);
    for (unsigned i = 0; i < sizeof hovers / sizeof *hovers; i++) {
        const cJSON *result =
            ask(&c, "textDocument/hover", place("/nowhere/gate.asm", hovers[i].line, hovers[i].column));
        const char *value =
            cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetObjectItem(result, "contents"), "value"));
        ck_assert_msg(value && strstr(value, hovers[i].says), "%s\nsays nothing of %s",
                      value ? value : "nothing", hovers[i].says);
    }
    const cJSON *hints = ask(&c, "textDocument/inlayHint", document("/nowhere/gate.asm"));
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetArrayItem(hints, 2), "label")),
                     "2 cy, 2 B");
    const cJSON *lens =
        cJSON_GetArrayItem(ask(&c, "textDocument/codeLens", document("/nowhere/gate.asm")), 0);
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetObjectItem(lens, "command"), "title")),
                     "6 bytes, 4 cycles once through, 1 use");
    const cJSON *forms = cJSON_GetObjectItem(
        ask(&c, "textDocument/signatureHelp", place("/nowhere/gate.asm", 9, 17)), "signatures");
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetArrayItem(forms, 0), "label")),
                     "djnz rn, rel");
    /* what a general word became, what lies at a label, how a macro is called */
    open_text(&c, "/nowhere/lift.asm",
              "; part: mcs51-8k\nwait macro count, reg=r2 ; so long\n mov reg, #count\n endm\nmain: call "
              "lift\n wait 5, r3\n sjmp main\nlift: inc p1 ; up\n ret\n");
    hints = ask(&c, "textDocument/inlayHint", document("/nowhere/lift.asm"));
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetArrayItem(hints, 0), "label")),
                     "2 cy, 2 B, acall");
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetArrayItem(hints, 2), "label")),
                     "2 cy, 2 B, a round 5 cy, 6 B");
    const cJSON *lies = ask(&c, "textDocument/hover", place("/nowhere/lift.asm", 4, 12));
    ck_assert_ptr_nonnull(
        strstr(cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetObjectItem(lies, "contents"), "value")),
               ": `inc p1`, named 1 time"));
    lies = ask(&c, "textDocument/hover", place("/nowhere/lift.asm", 5, 2));
    ck_assert_ptr_nonnull(
        strstr(cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetObjectItem(lies, "contents"), "value")),
               "so long\n```\n mov r3, #5\n```"));
    lens = cJSON_GetArrayItem(ask(&c, "textDocument/codeLens", document("/nowhere/lift.asm")), 1);
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetObjectItem(lens, "command"), "title")),
                     "3 bytes, 3 cycles once through, 1 use, 3 cycles with all it calls");
    forms = ask(&c, "textDocument/signatureHelp", place("/nowhere/lift.asm", 5, 9));
    ck_assert_int_eq((int)cJSON_GetNumberValue(cJSON_GetObjectItem(forms, "activeParameter")), 1);
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(
                         cJSON_GetArrayItem(cJSON_GetObjectItem(forms, "signatures"), 0), "label")),
                     "wait count, reg=r2");
    part_from(&c);
}
END_TEST

/* ------------------------------------------------------------------------------------------ renaming */

/* Puts edits of one file into its text, from the last one on. */
static char *edited(const char *source, const cJSON *edits)
{
    char *text = strdup(source);
    for (int i = cJSON_GetArraySize(edits); i-- > 0;) {
        const cJSON *edit = cJSON_GetArrayItem(edits, i), *range = cJSON_GetObjectItem(edit, "range"),
                    *start = cJSON_GetObjectItem(range, "start"), *end = cJSON_GetObjectItem(range, "end");
        const char *by = cJSON_GetStringValue(cJSON_GetObjectItem(edit, "newText")), *line = text;
        for (int n = (int)cJSON_GetNumberValue(cJSON_GetObjectItem(start, "line")); n > 0; n--)
            line = strchr(line, '\n') + 1;
        size_t from = (size_t)(line - text) +
                      (size_t)cJSON_GetNumberValue(cJSON_GetObjectItem(start, "character")),
               to = (size_t)(line - text) +
                    (size_t)cJSON_GetNumberValue(cJSON_GetObjectItem(end, "character"));
        char *made = malloc(strlen(text) + strlen(by) + 1);
        sprintf(made, "%.*s%s%s", (int)from, text, by, text + to);
        free(text);
        text = made;
    }
    return text;
}

static text image_of(const oak_part *part, const char *path, const char *source)
{
    oak_host host = oak_linux_host();
    oak_program *program = NULL;
    text hex = {0};
    if (oak_assemble_text(&host, part, path, source, strlen(source), &oak_silent, &program)) return hex;
    oak_text_sink sink = text_sink(&hex);
    ck_assert_int_eq(oak_hex_write(oak_program_image(program), 16, &sink), OAK_OK);
    oak_program_free(program);
    return hex;
}

static void expect_same_image(text a, const oak_part *part, const char *path, const char *source,
                              const char *what)
{
    text b = image_of(part, path, source);
    ck_assert_msg(a.size == b.size && (!a.size || !memcmp(a.bytes, b.bytes, a.size)),
                  "%s: %s changes the bytes", path, what);
    free(b.bytes);
}

static cJSON *calls_of(client *c, const char *method, const char *path, unsigned line, unsigned column)
{
    const cJSON *items = ask(c, "textDocument/prepareCallHierarchy", place(path, line, column));
    if (!cJSON_IsArray(items)) return NULL;
    cJSON *parameters = cJSON_CreateObject();
    cJSON_AddItemToObject(parameters, "item", cJSON_Duplicate(cJSON_GetArrayItem(items, 0), true));
    return ask(c, method, parameters);
}

/* The names of the other routines with how often each is called, "show 2, wait 1". */
static const char *told_calls(const cJSON *list, const char *role)
{
    static char text[300];
    const cJSON *one;
    *text = 0;
    cJSON_ArrayForEach(one, list)
        snprintf(text + strlen(text), sizeof text - strlen(text), "%s%s %d", *text ? ", " : "",
                 cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetObjectItem(one, role), "name")),
                 cJSON_GetArraySize(cJSON_GetObjectItem(one, "fromRanges")));
    return text;
}

START_TEST(who_calls_whom_is_known)
{
    static const char source[] =
        "main: call show\n lcall wait\n call show\n sjmp main\nshow: mov a, #5\n.x: djnz r2, .x\n acall "
        "wait\n ret\nwait: nop\n jnb f0, wait\n mov dptr, #show\n ret\n";
    client c;
    meet(&c, "mcs51-8k", true);
    open_text(&c, "/nowhere/a.asm", source);
    ck_assert_str_eq(told_calls(calls_of(&c, "callHierarchy/incomingCalls", "/nowhere/a.asm", 8, 1), "from"),
                     "main 1, show 1");
    ck_assert_str_eq(told_calls(calls_of(&c, "callHierarchy/incomingCalls", "/nowhere/a.asm", 4, 1), "from"),
                     "main 2");
    ck_assert_str_eq(told_calls(calls_of(&c, "callHierarchy/outgoingCalls", "/nowhere/a.asm", 0, 1), "to"),
                     "show 2, wait 1");
    ck_assert_str_eq(told_calls(calls_of(&c, "callHierarchy/outgoingCalls", "/nowhere/a.asm", 8, 1), "to"),
                     "");
    ck_assert_ptr_null(calls_of(&c, "callHierarchy/outgoingCalls", "/nowhere/a.asm", 5, 1)); /* no routine */
    part_from(&c);
    for (unsigned i = 0; i < EXAMPLES; i++) { /* every example has a routine that is called */
        char path[300];
        unsigned called = 0;
        example_path(i, path, sizeof path);
        char *text = file_text(path);
        meet(&c, examples[i].part, true);
        open_text(&c, path, text);
        cJSON *names = cJSON_Duplicate(ask(&c, "textDocument/documentSymbol", document(path)), true);
        const cJSON *name;
        cJSON_ArrayForEach(name, names)
        {
            const cJSON *start = cJSON_GetObjectItem(cJSON_GetObjectItem(name, "selectionRange"), "start");
            called += cJSON_GetArraySize(calls_of(
                          &c, "callHierarchy/incomingCalls", path,
                          (unsigned)cJSON_GetNumberValue(cJSON_GetObjectItem(start, "line")), 0)) > 0;
        }
        ck_assert_msg(called > 0, "%s", path);
        cJSON_Delete(names);
        part_from(&c);
        free(text);
    }
}
END_TEST

START_TEST(whatever_is_renamed_the_bytes_stay)
{
    for (unsigned i = 0; i < EXAMPLES; i++) {
        client c;
        char path[300], uri[400];
        oak_part *part;
        unsigned renamed = 0;
        example_path(i, path, sizeof path);
        uri_of(path, uri, sizeof uri);
        char *source = file_text(path);
        ck_assert_int_eq(oak_part_named(examples[i].part, &oak_silent, &part), OAK_OK);
        text before = image_of(part, path, source);
        ck_assert_uint_gt(before.size, 100);
        meet(&c, examples[i].part, true);
        open_text(&c, path, source);
        cJSON *names = cJSON_Duplicate(ask(&c, "textDocument/documentSymbol", document(path)), true);
        const cJSON *name;
        cJSON_ArrayForEach(name, names)
        {
            const cJSON *start = cJSON_GetObjectItem(cJSON_GetObjectItem(name, "selectionRange"), "start");
            cJSON *parameters =
                place(path, (unsigned)cJSON_GetNumberValue(cJSON_GetObjectItem(start, "line")),
                      (unsigned)cJSON_GetNumberValue(cJSON_GetObjectItem(start, "character")));
            cJSON_AddStringToObject(parameters, "newName", "renamed_here");
            const cJSON *changes = cJSON_GetObjectItem(ask(&c, "textDocument/rename", parameters), "changes");
            const char *called = cJSON_GetStringValue(cJSON_GetObjectItem(name, "name"));
            bool loader = !strcmp(examples[i].part, "a32-1m") && !strcmp(called, "start"),
                 structure = !strcmp(called, "stretch");
            if (loader || structure) { /* others begin with it */
                ck_assert_ptr_null(changes);
                continue;
            }
            ck_assert_msg(changes, "%s: %s", path, called);
            char *after = edited(source, cJSON_GetObjectItemCaseSensitive(changes, uri));
            ck_assert_ptr_nonnull(strstr(after, "renamed_here"));
            expect_same_image(before, part, path, after,
                              cJSON_GetStringValue(cJSON_GetObjectItem(name, "name")));
            renamed++;
            free(after);
        }
        ck_assert_uint_gt(renamed, 8);
        cJSON_Delete(names);
        part_from(&c);
        oak_part_free(part);
        free(before.bytes);
        free(source);
    }
}
END_TEST

START_TEST(a_name_that_would_clash_is_refused)
{
    static const char source[] =
        "saw bit p1.0\nflow equ 3\nmain: mov a, #flow\n.x: djnz r2, .x\n.y: setb saw\n sjmp main\n";
    static const struct {
        unsigned line, column;
        const char *to, *why;
    } wrong[] = {{1, 1, "main", "taken: saw.asm:3"},
                 {1, 1, "MAIN", "taken"},
                 {1, 1, "mov", "operation"},
                 {1, 1, "dptr", "register"},
                 {1, 1, "TCON", "part"},
                 {1, 1, "two words", "no name"},
                 {1, 1, "", "1 to 199"},
                 {1, 1, ".x", "only names"},
                 {3, 1, "x", "begins with a point"},
                 {3, 1, ".y", "taken"},
                 {0, 10, "pin", "the part"},
                 {2, 7, "load", "no name here"}};
    client c;
    meet(&c, "mcs51-8k", true);
    open_text(&c, "/nowhere/saw.asm", source);
    for (unsigned i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        cJSON *parameters = place("/nowhere/saw.asm", wrong[i].line, wrong[i].column);
        cJSON_AddStringToObject(parameters, "newName", wrong[i].to);
        ck_assert_msg(!ask(&c, "textDocument/rename", parameters), "%s", wrong[i].to);
        const char *why =
            cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetObjectItem(c.answer, "error"), "message"));
        ck_assert_msg(strstr(why, wrong[i].why), "%s: %s", wrong[i].to, why);
    }
    part_from(&c);
}
END_TEST

/* ------------------------------------------------------------------------------------------ diagnostics while somebody types */

typedef struct heard {
    text list;
} heard;
static void hear(void *context, const oak_diagnostic *d)
{
    char line[700];
    oak_text_sink sink = text_sink(context);
    int length = snprintf(line, sizeof line, "%u:%u %s %s\n", d->line ? d->line - 1 : 0,
                          d->column ? d->column - 1 : 0, d->code, d->message);
    sink.write(sink.context, line, (size_t)length < sizeof line ? (size_t)length : sizeof line - 1);
}

static void expect_told(client *c, const oak_part *part, const char *path, const char *source)
{
    text fresh = {0}, told = {0};
    oak_diag_sink sink = {&fresh, hear};
    oak_program *program = NULL;
    if (!oak_assemble_text(&c->host, part, path, source, strlen(source), &sink, &program))
        oak_program_free(program);
    const cJSON *one;
    cJSON_ArrayForEach(one, told_of(c, path))
    {
        const cJSON *start = cJSON_GetObjectItem(cJSON_GetObjectItem(one, "range"), "start");
        char line[700], message[600];
        snprintf(message, sizeof message, "%s", cJSON_GetStringValue(cJSON_GetObjectItem(one, "message")));
        message[strcspn(message, "\n")] = 0;
        oak_text_sink to = text_sink(&told);
        int length = snprintf(line, sizeof line, "%d:%d %s %s\n",
                              (int)cJSON_GetNumberValue(cJSON_GetObjectItem(start, "line")),
                              (int)cJSON_GetNumberValue(cJSON_GetObjectItem(start, "character")),
                              cJSON_GetStringValue(cJSON_GetObjectItem(one, "code")), message);
        to.write(to.context, line, (size_t)length);
    }
    ck_assert_msg(told.size == fresh.size && (!told.size || !memcmp(told.bytes, fresh.bytes, told.size)),
                  "told:\n%.600s\nbut it is:\n%.600s\nfor\n%.2000s", told.size ? told.bytes : "",
                  fresh.size ? fresh.bytes : "", source);
    free(fresh.bytes), free(told.bytes);
}

static uint32_t any(uint32_t *seed)
{
    return (*seed = *seed * 1103515245 + 12345) >> 16;
}

/* Edits as an editor tells them, each against a fresh assembly of the same text. */
static void type_at_random(unsigned example, unsigned edits, uint32_t seed)
{
    static const char *const pieces[] = {"x",     " ",    "\n", ":",     ";",  "mov",    "equ 3",
                                         "macro", "endm", "\"", "(",     "0x", "if 1\n", "endif\n",
                                         ".a",    "#",    "\t", "end\n", "é"};
    client c;
    char path[300];
    oak_part *part;
    example_path(example, path, sizeof path);
    char *source = file_text(path);
    source[strlen(source) < 1500 ? strlen(source) : 1500] = 0;
    ck_assert_int_eq(oak_part_named(examples[example].part, &oak_silent, &part), OAK_OK);
    meet(&c, examples[example].part, true);
    open_text(&c, path, source);
    expect_told(&c, part, path, source);
    for (unsigned n = 0; n < edits; n++) {
        size_t size = strlen(source), from = any(&seed) % (size + 1), to = from + any(&seed) % 6;
        const char *by = any(&seed) % 3 ? pieces[any(&seed) % (sizeof pieces / sizeof *pieces)] : "";
        if (to > size || any(&seed) % 2) to = from;
        while (from && (source[from] & 0xC0) == 0x80) from--; /* not inside a letter */
        while ((source[to] & 0xC0) == 0x80) to++;
        size_t places[2] = {from, to};
        cJSON *parameters = document(path), *change = cJSON_CreateObject(),
              *range = cJSON_AddObjectToObject(change, "range");
        cJSON_AddNumberToObject(cJSON_GetObjectItem(parameters, "textDocument"), "version", n + 2);
        for (unsigned k = 0; k < 2; k++) {
            cJSON *position = cJSON_AddObjectToObject(range, k ? "end" : "start");
            unsigned line = 0;
            size_t begins = 0;
            for (size_t b = 0; b < places[k]; b++)
                if (source[b] == '\n') line++, begins = b + 1;
            cJSON_AddNumberToObject(position, "line", line);
            cJSON_AddNumberToObject(position, "character", (double)(places[k] - begins));
        }
        cJSON_AddStringToObject(change, "text", by);
        cJSON_AddItemToArray(cJSON_AddArrayToObject(parameters, "contentChanges"), change);
        send(&c, "textDocument/didChange", parameters, false);
        char *made = malloc(size + strlen(by) + 1);
        sprintf(made, "%.*s%s%s", (int)from, source, by, source + to);
        free(source);
        source = made;
        expect_told(&c, part, path, source);
        if (n % 8 == 0) (void)ask(&c, "textDocument/hover", place(path, any(&seed) % 40, any(&seed) % 20));
        if (n % 16 == 0)
            (void)ask(&c, "textDocument/completion", place(path, any(&seed) % 40, any(&seed) % 20));
        if (n % 32 == 0) (void)ask(&c, "textDocument/documentSymbol", document(path));
        if (strlen(source) > 3000) source[1500] = 0, open_text(&c, path, source);
    }
    free(source);
    part_from(&c);
    oak_part_free(part);
}

START_TEST(after_any_edit_the_diagnostics_are_those_of_a_fresh_assembly)
{
    const char *more = getenv("OAK_EDITS");
    unsigned edits = more ? (unsigned)atoi(more) : 150;
    for (unsigned i = 0; i < EXAMPLES; i++) type_at_random(i, edits, i + 1);
}
END_TEST

START_TEST(a_broken_file_keeps_what_was_known_and_repairs_are_offered)
{
    client c;
    meet(&c, "mcs51-8k", false);
    open_text(&c, "/nowhere/a.asm", "flow equ 7\nmain: mov a, #flow\n sjmp main\n");
    cJSON *parameters = document("/nowhere/a.asm");
    cJSON_AddItemToArray(cJSON_AddArrayToObject(parameters, "contentChanges"),
                         cJSON_Parse("{\"text\": \"flow equ 7\\nmain: mvo a, #flow\\n sjmp main\\n\"}"));
    send(&c, "textDocument/didChange", parameters, false);
    const cJSON *told = cJSON_GetArrayItem(told_of(&c, "/nowhere/a.asm"), 0);
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(told, "code")), "unknown-operation");
    const cJSON *hover = ask(&c, "textDocument/hover", place("/nowhere/a.asm", 1, 15));
    ck_assert_ptr_nonnull(strstr(
        cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetObjectItem(hover, "contents"), "value")), "`7`"));
    parameters = document("/nowhere/a.asm");
    cJSON_AddItemToObject(parameters, "range", cJSON_Duplicate(cJSON_GetObjectItem(told, "range"), true));
    const cJSON *action = cJSON_GetArrayItem(ask(&c, "textDocument/codeAction", parameters), 0);
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(action, "title")), "mvo → mov");
    const cJSON *edits = cJSON_GetObjectItem(cJSON_GetObjectItem(action, "edit"), "changes")->child;
    char *after = edited("flow equ 7\nmain: mvo a, #flow\n sjmp main\n", edits);
    ck_assert_str_eq(after, "flow equ 7\nmain: mov a, #flow\n sjmp main\n");
    free(after);
    send(&c, "textDocument/didClose", document("/nowhere/a.asm"), false);
    ck_assert_int_eq(cJSON_GetArraySize(told_of(&c, "/nowhere/a.asm")),
                     0); /* a file that is closed has no marks */
    part_from(&c);
}
END_TEST

static void write_text(const char *name, const char *content)
{
    char path[400];
    snprintf(path, sizeof path, "%s/%s", project_folder, name);
    FILE *file = fopen(path, "w");
    ck_assert_ptr_nonnull(file);
    fputs(content, file);
    fclose(file);
}

START_TEST(files_of_a_project_belong_together_and_may_vanish)
{
    client c;
    char main_path[300], gate_path[300], other_path[300], uri[400];
    strcpy(project_folder, "/tmp/oak-serve-XXXXXX");
    ck_assert_ptr_nonnull(mkdtemp(project_folder));
    snprintf(main_path, sizeof main_path, "%s/main.asm", project_folder);
    snprintf(gate_path, sizeof gate_path, "%s/gate.asm", project_folder);
    snprintf(uri, sizeof uri, "%s/inc", project_folder);
    ck_assert_int_eq(mkdir(uri, 0700), 0);
    static const char main_text[] = " include \"pins.inc\"\n vector reset, begin\n section prog, "
                                    "code\nbegin: call open\n setb motor\n sjmp begin\n";
    static const char gate_text[] = " export open\n section prog, code\nopen: nop\n ret\nbegin: nop\n";
    write_text("main.asm", main_text);
    write_text("gate.asm", gate_text);
    write_text("inc/pins.inc", "motor bit p1.2\n");
    meet(&c, NULL, true);
    open_text(&c, main_path, main_text);
    ck_assert_int_eq(cJSON_GetArraySize(told_of(&c, main_path)), 0);
    const cJSON *jump = ask(&c, "textDocument/definition", place(main_path, 3, 13));
    uri_of(gate_path, uri, sizeof uri);
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(jump, "uri")), uri);
    cJSON *parameters = place(main_path, 3, 13);
    cJSON_AddStringToObject(parameters, "newName", "lift");
    const cJSON *changes = cJSON_GetObjectItem(ask(&c, "textDocument/rename", parameters), "changes");
    char *lifted = edited(gate_text, cJSON_GetObjectItemCaseSensitive(changes, uri));
    ck_assert_str_eq(lifted, " export lift\n section prog, code\nlift: nop\n ret\nbegin: nop\n");
    free(lifted);
    /* a name that both files have for themselves is two names */
    ck_assert_int_eq(cJSON_GetArraySize(ask(&c, "textDocument/references", place(main_path, 3, 2))), 3);
    ck_assert_int_eq(cJSON_GetArraySize(ask(&c, "textDocument/documentLink", document(main_path))), 1);
    /* a source beside the project that it does not read is a program of its own, and tells its own mistakes */
    snprintf(other_path, sizeof other_path, "%s/other.asm", project_folder);
    open_text(&c, other_path, " section prog, code\nopen: nop\n retx\n");
    ck_assert_int_eq(cJSON_GetArraySize(told_of(&c, other_path)), 1);
    ck_assert_int_eq(cJSON_GetArraySize(told_of(&c, main_path)), 0);
    parameters = document(other_path);
    cJSON_AddItemToArray(cJSON_AddArrayToObject(parameters, "contentChanges"),
                         cJSON_Parse("{\"text\": \" section prog, code\\nx: sjmp x\\n\"}"));
    send(&c, "textDocument/didChange", parameters, false);
    ck_assert_int_eq(cJSON_GetArraySize(told_of(&c, other_path)), 0);
    send(&c, "textDocument/didClose", document(other_path), false);
    /* a mistake in a file that is open tells itself there, and ends with it */
    open_text(&c, gate_path, " export open\n section prog, code\nopen: nop\n retx\n");
    ck_assert_int_eq(cJSON_GetArraySize(told_of(&c, gate_path)), 1);
    ck_assert_int_eq(cJSON_GetArraySize(told_of(&c, main_path)), 0);
    send(&c, "textDocument/didClose", document(gate_path), false);
    ck_assert_int_eq(cJSON_GetArraySize(told_of(&c, gate_path)), 0);
    unlink(gate_path);
    send(&c, "textDocument/didSave", document(main_path), false);
    ck_assert_str_eq(
        cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetArrayItem(told_of(&c, gate_path), 0), "code")),
        "no-file");
    ck_assert(cJSON_IsObject(ask(&c, "textDocument/hover", place(main_path, 4, 2))));
    part_from(&c);
    char command[300];
    snprintf(command, sizeof command, "rm -r %s", project_folder);
    ck_assert_int_eq(system(command), 0);
    *project_folder = 0;
}
END_TEST

/* ------------------------------------------------------------------------------------------ what should not come */

START_TEST(places_count_as_the_client_does)
{
    /* an accented letter is two bytes and one unit; a letter beyond 16 bits four bytes and two units */
    static const char source[] = "main: db \"é𝄞\", later ; é\n sjmp main\nlater equ 1\n";
    for (unsigned bytes = 0; bytes < 2; bytes++) {
        client c;
        meet(&c, "mcs51-8k", bytes);
        open_text(&c, "/nowhere/a.asm", source);
        unsigned column = bytes ? 19 : 16;
        const cJSON *jump = ask(&c, "textDocument/definition", place("/nowhere/a.asm", 0, column));
        ck_assert_msg(cJSON_IsObject(jump), "%s", bytes ? "bytes" : "units");
        const cJSON *uses = ask(&c, "textDocument/documentHighlight", place("/nowhere/a.asm", 2, 1));
        const cJSON *start =
            cJSON_GetObjectItem(cJSON_GetObjectItem(cJSON_GetArrayItem(uses, 0), "range"), "start");
        ck_assert_int_eq((int)cJSON_GetNumberValue(cJSON_GetObjectItem(start, "character")), bytes ? 19 : 16);
        part_from(&c);
    }
}
END_TEST

START_TEST(nonsense_is_refused_and_the_conversation_goes_on)
{
    static const char *const
        wrong[] =
            {"{",
             "[]",
             "7",
             "{\"id\":1}",
             "{\"method\":7,\"id\":2}",
             "\"x\"",
             "{\"id\":3,\"method\":\"textDocument/hover\"}",
             "{\"id\":4,\"method\":\"textDocument/hover\",\"params\":{\"textDocument\":7}}",
             "{\"id\":5,\"method\":\"textDocument/hover\",\"params\":{\"textDocument\":{\"uri\":\"file:///"
             "nowhere/b.asm\"},\"position\":{\"line\":1,\"character\":1}}}",
             "{\"id\":6,\"method\":\"textDocument/rename\",\"params\":{}}",
             "{\"id\":7,\"method\":\"nothing/such\"}",
             "{\"id\":8,\"method\":\"textDocument/"
             "foldingRange\",\"params\":{\"textDocument\":{\"uri\":\"http://x\"}}}",
             "{\"id\":9,\"method\":\"completionItem/resolve\",\"params\":{\"label\":7,\"data\":[]}}"},
        *const quiet[] = {
            "{\"method\":\"textDocument/didChange\",\"params\":{\"textDocument\":{\"uri\":\"file:///nowhere/"
            "c.asm\"},\"contentChanges\":[{\"text\":\"x\"}]}}",
            "{\"method\":\"textDocument/didOpen\",\"params\":{}}",
            "{\"method\":\"textDocument/didClose\"}",
            "{\"method\":\"$/cancelRequest\",\"params\":{\"id\":99}}",
            "{\"method\":\"nothing/such\"}",
            "{\"method\":\"workspace/didChangeConfiguration\",\"params\":{\"settings\":{\"part\":7}}}"};
    client c;
    meet(&c, "mcs51-8k", false);
    open_text(&c, "/nowhere/a.asm", "main: sjmp main\n");
    for (unsigned i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        cJSON_Delete(c.answer);
        c.answer = NULL;
        send_text(&c, wrong[i]);
        ck_assert_msg(c.alive && c.answer, "%s", wrong[i]);
    }
    for (unsigned i = 0; i < sizeof quiet / sizeof *quiet; i++) {
        cJSON_Delete(c.answer);
        c.answer = NULL;
        send_text(&c, quiet[i]);
        ck_assert_msg(c.alive && !c.answer, "%s", quiet[i]);
    }
    static const double far[][2] = {{-1, 0}, {0, -5}, {1e9, 1e9}, {1e300, 0}, {0, 1e300}, {NAN, 0}};
    for (unsigned i = 0; i < sizeof far / sizeof *far; i++) {
        cJSON *parameters = document("/nowhere/a.asm"),
              *position = cJSON_AddObjectToObject(parameters, "position");
        cJSON_AddNumberToObject(position, "line", far[i][0]);
        cJSON_AddNumberToObject(position, "character", far[i][1]);
        (void)ask(&c, "textDocument/hover", parameters);
        ck_assert(c.alive);
    }
    ck_assert(cJSON_IsObject(ask(&c, "textDocument/definition", place("/nowhere/a.asm", 0, 12))));
    send_text(&c, "{\"method\":\"$/cancelRequest\",\"params\":{\"id\":500}}");
    send_text(&c, "{\"id\":500,\"method\":\"shutdown\"}"); /* cancelled before it came */
    ck_assert_int_eq(error_of(&c), -32800);
    part_from(&c);
}
END_TEST

START_TEST(names_of_files_are_written_as_the_protocol_has_them)
{
    static const char *const paths[] = {"/a/b.asm", "/with blank/100 %/\xc3\xa9.asm", "/"};
    char uri[100], path[100];
    for (unsigned i = 0; i < sizeof paths / sizeof *paths; i++) {
        ck_assert(oak_serve_uri(paths[i], uri, sizeof uri));
        ck_assert_ptr_null(strchr(uri, ' '));
        ck_assert(oak_serve_path(uri, path, sizeof path));
        ck_assert_str_eq(path, paths[i]);
        ck_assert(!oak_serve_uri(paths[i], uri, 8 + i));
        ck_assert(!oak_serve_path("file:///long/name", path, 5));
    }
    ck_assert(!oak_serve_path("http://x/y", path, sizeof path));
    ck_assert(oak_serve_path("file:///a%2", path, sizeof path)); /* what is no code stays */
    ck_assert_str_eq(path, "/a%2");
}
END_TEST

START_TEST(half_messages_wait_and_broken_headers_end_it)
{
    static const char *const broken[] = {"Content-Length: x\r\n\r\n{}", "Hello\r\n\r\n",
                                         "Content-Length: 99999999999\r\n\r\n", "Content-Length: -1\r\n\r\n"};
    static const char whole[] =
        "Content-Type: x\r\ncontent-length: 41\r\n\r\n{\"id\":1,\"method\":\"initialize\",\"params\":1}";
    oak_host host = oak_linux_host();
    for (unsigned i = 0; i < sizeof broken / sizeof *broken; i++) {
        client c = {.host = host, .told = NULL};
        oak_serve_settings settings = {.context = &c, .send = take_bytes};
        ck_assert_int_eq(oak_serve_open(&host, &settings, &c.server), OAK_OK);
        ck_assert_msg(!oak_serve_take(c.server, broken[i], strlen(broken[i])), "%s", broken[i]);
        ck_assert(!oak_serve_ended_well(c.server));
        oak_serve_close(c.server);
        free(c.output.bytes);
    }
    client c = {.host = host, .told = NULL};
    oak_serve_settings settings = {.context = &c, .send = take_bytes};
    ck_assert_int_eq(oak_serve_open(&host, &settings, &c.server), OAK_OK);
    for (size_t i = 0; i < sizeof whole - 1; i++) {
        ck_assert_uint_eq(c.output.size, 0);
        ck_assert(oak_serve_take(c.server, whole + i, 1));
    }
    ck_assert_uint_gt(c.output.size, 100);
    char long_header[6000];
    memset(long_header, 'x', sizeof long_header);
    ck_assert(!oak_serve_take(c.server, long_header, sizeof long_header));
    oak_serve_close(c.server);
    free(c.output.bytes);
}
END_TEST

/* ------------------------------------------------------------------------------------------ the layout of lines */

static char *tidied(const oak_syntax *syntax, const char *source)
{
    char *made = malloc(4 * strlen(source) + 100), *to = made;
    for (const char *at = source; *at;) {
        size_t size = strcspn(at, "\n");
        to += oak_syntax_tidy(syntax, at, size, to, 3 * size + 60);
        at += size;
        if (*at) *to++ = *at++;
    }
    *to = 0;
    return made;
}

START_TEST(a_layout_changes_no_byte_and_a_second_one_nothing)
{
    enum { GENERATED = 900 / STRIDE, LINES = 24 }; /* of each of 12 */
    uint32_t seed = 5;
    unsigned assembled = 0, changed = 0;
    for (unsigned i = 0; i < EXAMPLES; i++) {
        oak_host host = oak_linux_host();
        oak_part *part;
        oak_syntax *syntax;
        char path[300], *lines[2000];
        unsigned count = 0;
        example_path(i, path, sizeof path);
        ck_assert_int_eq(oak_part_named(examples[i].part, &oak_silent, &part), OAK_OK);
        ck_assert_int_eq(oak_syntax_open(&host, part, &syntax), OAK_OK);
        char *source = file_text(path), *once = tidied(syntax, source), *twice = tidied(syntax, once);
        ck_assert_str_eq(once, twice);
        text before = image_of(part, path, source);
        expect_same_image(before, part, path, once, "a layout");
        free(before.bytes);
        for (char *line = strtok(source, "\n"); line && count < 2000; line = strtok(NULL, "\n"))
            lines[count++] = line;
        for (unsigned n = 0; n < GENERATED; n++) { /* all or any of its lines, with other blanks */
            bool all = n % 9 == 0;
            unsigned wanted = all ? count : LINES;
            char *made = malloc(wanted * 400 + 1), *to = made;
            for (unsigned l = 0; l < wanted; l++) {
                const char *line = lines[all ? l : any(&seed) % count];
                bool blank = any(&seed) % 3 == 0;
                if (strlen(line) > 180) continue;
                if (any(&seed) % 6 == 0 && (!all || *line == ' ')) *to++ = any(&seed) % 2 ? ' ' : '\t';
                for (const char *c = line; *c; c++) {
                    *to++ = *c;
                    if (*c == ' ' && blank && any(&seed) % 2) *to++ = any(&seed) % 4 ? ' ' : '\t';
                }
                *to++ = '\n';
            }
            *to = 0;
            char *tidy = tidied(syntax, made), *again = tidied(syntax, tidy);
            ck_assert_str_eq(tidy, again);
            text own = image_of(part, path, made);
            expect_same_image(own, part, path, tidy, made);
            assembled += own.size > 0;
            changed += strcmp(made, tidy) != 0;
            free(own.bytes), free(tidy), free(again), free(made);
        }
        free(source), free(once), free(twice);
        oak_syntax_close(syntax);
        oak_part_free(part);
    }
    ck_assert_uint_gt(changed, 5000 / STRIDE);
    ck_assert_uint_gt(assembled, 100 / STRIDE);
}
END_TEST

RUN_SUITE("serve", every_word_of_every_architecture_is_answered_for,
          what_is_told_is_what_the_manual_and_the_source_say, who_calls_whom_is_known,
          whatever_is_renamed_the_bytes_stay, a_name_that_would_clash_is_refused,
          after_any_edit_the_diagnostics_are_those_of_a_fresh_assembly,
          a_broken_file_keeps_what_was_known_and_repairs_are_offered,
          files_of_a_project_belong_together_and_may_vanish, places_count_as_the_client_does,
          nonsense_is_refused_and_the_conversation_goes_on, half_messages_wait_and_broken_headers_end_it,
          names_of_files_are_written_as_the_protocol_has_them,
          a_layout_changes_no_byte_and_a_second_one_nothing)
