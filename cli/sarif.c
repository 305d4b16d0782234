/* sarif.c — what was reported, as a log in the Static Analysis Results Interchange Format (SARIF 2.1.0, an OASIS standard), which code hosts show
 * beside the lines. */
#include <oakspindle/look.h>
#include <oakspindle/serve.h>
#include <oakspindle/version.h>
#include <stdlib.h>
#include <string.h>

#include "cli.h"

static void add_text(cJSON *to, const char *name, const char *text)
{
    cJSON_AddStringToObject(cJSON_AddObjectToObject(to, name), "text", text);
}

/* The place in the list of rules, where it is put when it is new. */
static int rule_of(cJSON *rules, const char *code)
{
    int number = 0;
    const cJSON *one;
    cJSON_ArrayForEach(one, rules)
    {
        if (strcmp(cJSON_GetStringValue(cJSON_GetObjectItem(one, "id")), code) == 0) return number;
        number++;
    }
    cli_text meaning = {0};
    oak_text_sink sink = cli_text_sink(&meaning);
    cJSON *rule = cJSON_CreateObject();
    cJSON_AddStringToObject(rule, "id", code);
    if (oak_explain_code(code, &sink) == OAK_OK && meaning.bytes)
        add_text(rule, "fullDescription", meaning.bytes);
    cJSON_AddItemToArray(rules, rule);
    free(meaning.bytes);
    return number;
}

static void add_result(cJSON *results, cJSON *rules, const cJSON *d)
{
    const char *code = cJSON_GetStringValue(cJSON_GetObjectItem(d, "code")),
               *file = cJSON_GetStringValue(cJSON_GetObjectItem(d, "file")),
               *hint = cJSON_GetStringValue(cJSON_GetObjectItem(d, "hint"));
    const cJSON *line = cJSON_GetObjectItem(d, "line"), *column = cJSON_GetObjectItem(d, "column");
    cJSON *result = cJSON_CreateObject();
    char message[2000];
    snprintf(message, sizeof message, "%s%s%s", cJSON_GetStringValue(cJSON_GetObjectItem(d, "message")),
             hint ? "\n" : "", hint ? hint : "");
    cJSON_AddStringToObject(result, "ruleId", code);
    cJSON_AddNumberToObject(result, "ruleIndex", rule_of(rules, code));
    cJSON_AddStringToObject(result, "level", cJSON_GetStringValue(cJSON_GetObjectItem(d, "severity")));
    add_text(result, "message", message);
    cJSON_AddItemToArray(results, result);
    if (!file) return;
    cJSON *location = cJSON_CreateObject(), *place = cJSON_AddObjectToObject(location, "physicalLocation");
    cJSON_AddItemToArray(cJSON_AddArrayToObject(result, "locations"), location);
    char uri[12300]; /* a relative one where the path is: all of it but the scheme */
    bool whole = *file == '/';
    if (oak_serve_uri(file, uri, sizeof uri))
        cJSON_AddStringToObject(cJSON_AddObjectToObject(place, "artifactLocation"), "uri",
                                whole ? uri : uri + strlen("file://"));
    if (!line) return;
    cJSON *region = cJSON_AddObjectToObject(place, "region");
    cJSON_AddNumberToObject(region, "startLine", line->valueint);
    if (!column) return;
    cJSON_AddNumberToObject(region, "startColumn", column->valueint);
    cJSON_AddNumberToObject(region, "endColumn", cJSON_GetNumberValue(cJSON_GetObjectItem(d, "column_end")));
}

bool cli_write_sarif(cli *self, const char *path)
{
    cJSON *log = cJSON_CreateObject(), *run = cJSON_CreateObject();
    cJSON_AddStringToObject(log, "version", "2.1.0");
    cJSON_AddItemToArray(cJSON_AddArrayToObject(log, "runs"), run);
    cJSON *driver = cJSON_AddObjectToObject(cJSON_AddObjectToObject(run, "tool"), "driver");
    cJSON_AddStringToObject(driver, "name", "Oak Spindle");
    cJSON_AddStringToObject(driver, "version", oak_version());
    cJSON *rules = cJSON_AddArrayToObject(driver, "rules"), *results = cJSON_AddArrayToObject(run, "results");
    const cJSON *one;
    cJSON_ArrayForEach(one, self->diagnostics) add_result(results, rules, one);
    char *json = cli_json_text(log, false);
    cJSON_Delete(log);
    cli_text text = {0};
    oak_text_sink sink = cli_text_sink(&text);
    bool good = json && sink.write(sink.context, json, strlen(json)) == OAK_OK &&
                sink.write(sink.context, "\n", 1) == OAK_OK && cli_write_file(self, path, &text);
    if (!json) cli_lose_memory();
    free(json);
    free(text.bytes);
    return good;
}
