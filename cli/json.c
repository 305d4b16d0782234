/* json.c — documents are complete and valid, or there is none; and one stands alone on standard output: what a command prints besides is in it.
 *
 * Whatever cannot be added to a document for lack of memory is noticed here, where all memory for documents is taken; and bytes that
 * are no characters, out of a source say, become U+FFFD; control characters are escaped. */
#include <stdlib.h>
#include <string.h>

#include "cli.h"

static void *take(size_t size)
{
    void *block = cli_malloc(size);
    if (!block) cli_lose_memory();
    return block;
}

void cli_open_json(void)
{
    cJSON_Hooks hooks = {.malloc_fn = take, .free_fn = free};
    cJSON_InitHooks(&hooks);
}

/* The size of the character at `p`, 0 where there is none. */
static size_t character(const unsigned char *p)
{
    if (*p < 0x80) return 1;
    size_t size = *p >= 0xC2 && *p < 0xE0 ? 2 : (*p & 0xF0) == 0xE0 ? 3 : *p >= 0xF0 && *p < 0xF5 ? 4 : 0;
    for (size_t i = 1; i < size; i++)
        if ((p[i] & 0xC0) != 0x80) return 0;
    if ((*p == 0xE0 && p[1] < 0xA0) || (*p == 0xED && p[1] >= 0xA0) || (*p == 0xF0 && p[1] < 0x90) ||
        (*p == 0xF4 && p[1] >= 0x90))
        return 0;
    return size;
}

/* A control character that JSON would let through: a terminal obeys some of them. */
static bool is_control(const unsigned char *p)
{
    return *p == 127 || (*p == 0xC2 && p[1] >= 0x80 && p[1] < 0xA0);
}

static char *repaired(const char *text)
{
    static const char instead[] = "\xEF\xBF\xBD";
    enum { ESCAPE = 6 }; /* \u0080 */
    size_t more = 0, length = strlen(text);
    for (const unsigned char *p = (const unsigned char *)text; *p;) {
        size_t size = character(p);
        more += !size ? sizeof instead - 1 : is_control(p) ? ESCAPE : 0;
        p += size ? size : 1;
    }
    char *copy = cli_malloc(length + more + 1), *to = copy;
    for (const unsigned char *p = (const unsigned char *)text; copy && *p;) {
        size_t size = character(p);
        if (size && is_control(p)) to += sprintf(to, "\\u%04x", (unsigned)(*p == 127 ? 127 : p[1]));
        else {
            memcpy(to, size ? (const char *)p : instead, size ? size : sizeof instead - 1);
            to += size ? size : sizeof instead - 1;
        }
        p += size ? size : 1;
    }
    if (copy) *to = 0;
    return copy;
}

char *cli_json_text(const cJSON *document, bool on_one_line)
{
    char *text = cli_memory_lost() ? NULL
                 : on_one_line     ? cJSON_PrintUnformatted(document)
                                   : cJSON_Print(document);
    char *valid = text ? repaired(text) : NULL;
    cJSON_free(text);
    if (!cli_memory_lost()) return valid;
    free(valid);
    return NULL;
}

void cli_print_json(cli *self, cJSON *document)
{
    cJSON_Delete(self->document);
    self->document = document;
}

/* ------------------------------------------------------------------------------------------ one document alone */

static FILE *captured, *real_output;
static char *captured_text;
static size_t captured_size;

void cli_capture(cli *self)
{
    self->json = true;
    captured = open_memstream(&captured_text, &captured_size);
    if (!captured) {
        cli_lose_memory();
        return;
    }
    real_output = stdout;
    stdout = captured;
}

bool cli_captures(void)
{
    return captured != NULL;
}

/* Members in front of those of a command; those it has itself stand as they are. */
static cJSON *complete(cli *self, bool ok)
{
    cJSON *whole = cJSON_CreateObject(), *own = self->document, *one;
    cJSON_AddNumberToObject(whole, "version", CLI_DOCUMENT_VERSION);
    cJSON_AddStringToObject(whole, "spindle", oak_version());
    if (self->command) cJSON_AddStringToObject(whole, "command", self->command);
    cJSON_AddBoolToObject(whole, "ok", ok);
    if (own) cJSON_DeleteItemFromObjectCaseSensitive(own, "ok");
    while (own && (one = own->child)) {
        cJSON_DetachItemViaPointer(own, one);
        char *name = one->string;
        one->string = NULL;
        if (!name || !cJSON_AddItemToObject(whole, name, one)) cJSON_Delete(one);
        cJSON_free(name);
    }
    cJSON_Delete(own);
    self->document = NULL;
    return whole;
}

void cli_finish_json(cli *self, bool ok)
{
    static const char nothing[] =
        "{\"version\": 1, \"ok\": false, \"diagnostics\": [{\"severity\": \"error\", "
        "\"code\": \"failed\", \"message\": \"out of memory\"}]}";
    if (captured) {
        if (fflush(captured) || ferror(captured)) cli_lose_memory();
        fclose(captured);
        stdout = real_output;
        captured = NULL;
    }
    cJSON *whole = complete(self, ok && !cli_memory_lost());
    if (captured_text && captured_text[strspn(captured_text, "\n")] &&
        !cJSON_GetObjectItemCaseSensitive(whole, "text"))
        cJSON_AddStringToObject(whole, "text", captured_text);
    free(captured_text);
    captured_text = NULL;
    if (!cJSON_AddItemToObject(whole, "diagnostics", self->diagnostics)) cJSON_Delete(self->diagnostics);
    self->diagnostics = cJSON_CreateArray();
    char *text = cli_json_text(whole, self->command && strcmp(self->command, "bench") == 0);
    puts(text ? text : nothing);
    fflush(stdout);
    free(text);
    cJSON_Delete(whole);
}
