/* panes.c — which panes the full-screen view has, how large they are, and remembering that for a project. */
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "bench.h"

static const char *const names[] = {"registers", "kept",   "board",   "pins",  "memory",
                                    "stack",     "recent", "special", "stops", "chips"};
enum { NAMES = sizeof names / sizeof *names };

static const bench_panes usual = {.pane = {PANE_REGISTERS, PANE_KEPT, PANE_BOARD, PANE_PINS, PANE_MEMORY},
                                  .count = 5,
                                  .left = 0,
                                  .messages = 0};

/* The pane a word means, or a beginning of it that no other has; -1 for none. */
static int find_pane(const char *word, size_t length)
{
    int found = -1;
    for (int i = 0; i < NAMES; i++) {
        if (strncasecmp(names[i], word, length) != 0) continue;
        if (found >= 0) return strlen(names[i]) == length ? i : -1;
        found = i;
    }
    return found;
}

/* Reads names of panes; false where one is none, *wrong points to it. Each counts once. */
static bool read_panes(const char *words, bench_panes *panes, const char **wrong)
{
    bool taken[NAMES] = {false};
    panes->count = 0;
    for (const char *at = words; *at;) {
        size_t length = strcspn(at, " ,");
        int pane = find_pane(at, length);
        *wrong = at;
        if (pane < 0) return false;
        if (!taken[pane]) panes->pane[panes->count++] = (bench_pane)pane;
        taken[pane] = true;
        at += length;
        at += strspn(at, " ,");
    }
    return true;
}

/* panes: tells; panes NAME...: these, in this order; panes usual. */
bool bench_panes_verb(bench *b, const char *rest)
{
    bench_panes wanted = b->panes;
    const char *wrong = rest;
    if (!*rest) {
        printf("  shown: ");
        for (unsigned i = 0; i < b->panes.count; i++) printf(" %s", names[b->panes.pane[i]]);
        printf("\n  all:   ");
        for (unsigned i = 0; i < NAMES; i++) printf(" %s", names[i]);
        putchar('\n');
        return true;
    }
    if (strcmp(rest, "usual") == 0) wanted = usual;
    else if (!read_panes(rest, &wanted, &wrong))
        return bench_complain(b, "`panes` alone lists them.", "there is no pane `%.*s`",
                              (int)strcspn(wrong, " ,"), wrong);
    b->panes = wanted;
    b->panes.touched = true;
    return true;
}

/* divide N%: the columns of the left side. divide messages N: the rows of the messages. */
bool bench_divide(bench *b, const char *rest)
{
    enum { LEAST = 20, MOST = 85, MOST_ROWS = 40 };
    bool messages = strncmp(rest, "messages ", 9) == 0;
    const char *text = messages ? rest + 9 : rest;
    char *end;
    long number = strtol(text, &end, 10);
    if (!messages && *end == '%') end++;
    bool good = end != text && !*end &&
                (messages ? number >= 1 && number <= MOST_ROWS : number >= LEAST && number <= MOST);
    if (!good)
        return bench_complain(b, "Write `divide 60%` for the left side (20 to 85), or `divide messages 8`.",
                              "`%s` is no size", rest);
    if (messages) b->panes.messages = (unsigned)number;
    else b->panes.left = (unsigned)number;
    b->panes.touched = true;
    return true;
}

bool bench_mouse(bench *b, const char *rest)
{
    bool on = strcmp(rest, "on") == 0;
    if (!on && strcmp(rest, "off") != 0)
        return bench_complain(b, "Write `mouse on` or `mouse off`.", "`%s` means nothing here", rest);
    b->panes.mouse = on;
    b->panes.touched = true;
    return true;
}

/* ------------------------------------------------------------------------------------------ remembering */

/* Beside the program. False when the path is too long. */
static bool remembered_path(const bench *b, char *path, size_t room)
{
    const char *slash = strrchr(b->path, '/');
    int length =
        snprintf(path, room, "%.*s" BENCH_REMEMBERED, slash ? (int)(slash - b->path) + 1 : 0, b->path);
    return length > 0 && (size_t)length < room;
}

static unsigned number_of(const cJSON *root, const char *name, unsigned most)
{
    const cJSON *item = cJSON_GetObjectItem(root, name);
    return cJSON_IsNumber(item) && item->valueint > 0 && item->valueint <= (int)most
               ? (unsigned)item->valueint
               : 0;
}

/* What is not understood is left as usual: it is only an arrangement. */
void bench_recall_panes(bench *b)
{
    char path[600], words[300] = "";
    uint8_t *bytes;
    size_t size;
    b->panes = usual;
    if (!remembered_path(b, path, sizeof path) ||
        b->self->host.read_file(b->self->host.context, path, 100000, &bytes, &size))
        return;
    cJSON *root = cJSON_ParseWithLength(bytes ? (const char *)bytes : "", size), *item;
    const cJSON *list = cJSON_GetObjectItem(root, "panes");
    cJSON_ArrayForEach(item, list) if (cJSON_IsString(item) &&
                                       strlen(words) + strlen(item->valuestring) + 2 < sizeof words)
        sprintf(words + strlen(words), "%s%s", *words ? " " : "", item->valuestring);
    bench_panes wanted = usual;
    const char *wrong;
    if (cJSON_IsArray(list) && read_panes(words, &wanted, &wrong)) b->panes = wanted;
    b->panes.left = number_of(root, "left", 85);
    b->panes.messages = number_of(root, "messages", 40);
    b->panes.mouse = cJSON_IsTrue(cJSON_GetObjectItem(root, "mouse"));
    b->panes.code = cJSON_IsTrue(cJSON_GetObjectItem(root, "code"));
    const char *base = cJSON_GetStringValue(cJSON_GetObjectItem(root, "registers"));
    if (base && *base && strchr("hdsob", *base)) b->self->register_base = *base;
    cJSON_Delete(root);
    if (bytes) b->self->host.resize(b->self->host.context, bytes, size, 0);
}

void bench_remember_panes(bench *b)
{
    char path[600];
    if (!b->panes.touched || !remembered_path(b, path, sizeof path)) return;
    cJSON *root = cJSON_CreateObject(), *list = cJSON_AddArrayToObject(root, "panes");
    for (unsigned i = 0; i < b->panes.count; i++)
        cJSON_AddItemToArray(list, cJSON_CreateString(names[b->panes.pane[i]]));
    if (b->panes.left) cJSON_AddNumberToObject(root, "left", b->panes.left);
    if (b->panes.messages) cJSON_AddNumberToObject(root, "messages", b->panes.messages);
    cJSON_AddBoolToObject(root, "mouse", b->panes.mouse);
    cJSON_AddBoolToObject(root, "code", b->panes.code);
    if (b->self->register_base)
        cJSON_AddStringToObject(root, "registers", (const char[]){b->self->register_base, 0});
    char *document = cli_json_text(root, false);
    if (document) {
        cli_text text = {.bytes = document, .size = strlen(document)};
        const cli_file file = {path, &text, true}; /* it is this tool's own */
        cli_write_files(b->self, &file, 1);
        free(document);
    }
    cJSON_Delete(root);
}
