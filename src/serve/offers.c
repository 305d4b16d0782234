/* offers.c — see server.h: what could be written here, colours, folding, repairs, the layout of lines. */
#include <oakspindle/look.h>
#include <oakspindle/open.h>
#include <stdio.h>

#include "serve/server.h"

/* ------------------------------------------------------------------------------------------ completion */

/* As the protocol numbers them. */
enum {
    ITEM_FUNCTION = 3,
    ITEM_VARIABLE = 6,
    ITEM_PROPERTY = 10,
    ITEM_VALUE = 12,
    ITEM_KEYWORD = 14,
    ITEM_CONSTANT = 21,
    ITEM_STRUCTURE = 22,
    ITEM_MODULE = 9,
    ITEM_OPERATOR = 24
};

static void offer(cJSON *list, const char *label, int kind, const char *detail)
{
    cJSON *item = cJSON_CreateObject();
    cJSON_AddStringToObject(item, "label", label);
    cJSON_AddNumberToObject(item, "kind", kind);
    if (detail && *detail) cJSON_AddStringToObject(item, "detail", detail);
    cJSON_AddItemToArray(list, item);
}

static oak_status drop_text(void *context, const char *bytes, size_t count)
{
    (void)context, (void)bytes, (void)count;
    return OAK_OK;
}

static void offer_operations(const oak_host *host, cJSON *list, serve_unit *unit)
{
    oak_text_sink nowhere = {NULL, drop_text};
    const char *name;
    for (unsigned i = 0; (name = oak_syntax_mnemonic(unit->syntax, i)); i++) {
        /* those that a larger core of its kind has are known, too, and are not offered */
        if (oak_explain_mnemonic(host, unit->part->architecture, name, &nowhere)) continue;
        offer(list, name, ITEM_KEYWORD, "instruction");
        cJSON_AddStringToObject(list->child->prev, "data",
                                unit->part->architecture->name); /* for whoever asks for more */
    }
    for (unsigned i = 0; (name = oak_syntax_directive(unit->syntax, i)); i++)
        offer(list, name, ITEM_OPERATOR, "directive");
    for (size_t i = 0; i < unit->name_count; i++)
        if (unit->names[i].kind == OAK_WORD_MACRO) offer(list, unit->names[i].name, ITEM_STRUCTURE, "macro");
}

static void offer_values(cJSON *list, serve_unit *unit, const char *scope, size_t scoped)
{
    const oak_architecture *about = unit->part->architecture;
    char detail[100];
    for (size_t i = 0; i < unit->name_count; i++) {
        const serve_name *name = &unit->names[i];
        const char *local = strchr(name->name, '.');
        if (name->kind > OAK_WORD_CONSTANT) continue;
        if (local && ((size_t)(local - name->name) != scoped || memcmp(name->name, scope, scoped) != 0))
            continue;
        const oak_symbol *symbol = serve_symbol(unit, name->file, name->name);
        *detail = 0;
        if (symbol)
            snprintf(detail, sizeof detail, "%s%s0x%llx",
                     symbol->space ? about->spaces[symbol->space].name : "", symbol->space ? " " : "",
                     (unsigned long long)symbol->value);
        bool data = symbol && symbol->space && symbol->space != about->code_space;
        int kind = name->kind == OAK_WORD_CONSTANT ? ITEM_CONSTANT : data ? ITEM_VARIABLE : ITEM_FUNCTION;
        offer(list, local ? local : name->name, kind, detail);
    }
    for (unsigned i = 0; i < about->register_count; i++)
        offer(list, oak_register_called(about, i), ITEM_VARIABLE, about->registers[i].title);
    for (unsigned i = 0; i < unit->part->register_count; i++) {
        const oak_part_register *reg = &unit->part->registers[i];
        offer(list, reg->name, ITEM_PROPERTY, reg->title);
        for (unsigned f = 0; f < reg->field_count; f++)
            if (about->fields_by_name || about->spaces[reg->space].special)
                offer(list, reg->fields[f].name, ITEM_VALUE, reg->fields[f].title);
    }
}

static void offer_parts(cJSON *list)
{
    const char *name;
    for (unsigned i = 0; (name = oak_part_name_at(i)); i++) offer(list, name, ITEM_MODULE, "part");
}

cJSON *serve_completion(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    char scope[LONGEST_NAME];
    bool behind = false;
    (void)why;
    if (!serve_spot_at(server, parameters, &spot)) return NULL;
    cJSON *result = cJSON_CreateObject(), *list = cJSON_CreateArray();
    cJSON_AddBoolToObject(result, "isIncomplete", false);
    cJSON_AddItemToObject(result, "items", list);
    serve_names(server, spot.unit);
    for (size_t i = 0; i < spot.count; i++) {
        const oak_word *word = &spot.words[i];
        bool operation = word->kind == OAK_WORD_OPERATION || word->kind == OAK_WORD_DIRECTIVE ||
                         word->kind == OAK_WORD_CALL;
        behind = behind || (operation && word->at + word->length < spot.at);
        if (word->kind == OAK_WORD_COMMENT && word->at < spot.at) {
            bool of_part = false;
            for (size_t at = word->at; at + 5 <= spot.size; at++)
                of_part |= oak_same_name(spot.of + at, 5, "part:");
            if (of_part) offer_parts(list);
            return result;
        }
    }
    size_t scoped = serve_scope(spot.unit, spot.text, spot.line, scope, sizeof scope);
    if (behind) offer_values(list, spot.unit, scope, scoped);
    else offer_operations(&server->host, list, spot.unit);
    return result;
}

/* The explanation of an instruction that was offered. */
cJSON *serve_more_of(oak_server *server, const cJSON *parameters, const char **why)
{
    const cJSON *label = cJSON_GetObjectItem(parameters, "label"),
                *of = cJSON_GetObjectItem(parameters, "data");
    const oak_architecture *about = cJSON_IsString(of) ? oak_architecture_find(of->valuestring) : NULL;
    cJSON *item = cJSON_Duplicate(parameters, true);
    (void)why;
    if (!about || !cJSON_IsString(label)) return item;
    oak_buf text;
    oak_buf_open(&text, &server->host);
    oak_text_sink sink = {&text, serve_add_text};
    oak_buf_text(&text, "```\n");
    bool good = oak_explain_mnemonic(&server->host, about, label->valuestring, &sink) == OAK_OK;
    oak_buf_text(&text, "```\n");
    if (good) {
        cJSON *content = cJSON_AddObjectToObject(item, "documentation");
        cJSON_AddStringToObject(content, "kind", "markdown");
        cJSON_AddStringToObject(content, "value", oak_buf_string(&text));
    }
    oak_buf_close(&text);
    return item;
}

/* ------------------------------------------------------------------------------------------ colours */

static const char *const colours[] = {"function", "variable", "macro",  "keyword", "modifier", "parameter",
                                      "property", "number",   "string", "comment", "namespace"};
static const char *const shades[] = {"declaration", "readonly"};
static const struct {
    uint8_t colour, shade;
} colour_of[] = {[OAK_WORD_LABEL] = {0, 1},     [OAK_WORD_CONSTANT] = {1, 3},  [OAK_WORD_MACRO] = {2, 1},
                 [OAK_WORD_OPERATION] = {3, 0}, [OAK_WORD_DIRECTIVE] = {4, 0}, [OAK_WORD_CALL] = {2, 0},
                 [OAK_WORD_NAME] = {1, 0},      [OAK_WORD_REGISTER] = {5, 0},  [OAK_WORD_PART] = {6, 0},
                 [OAK_WORD_SECTION] = {10, 0},  [OAK_WORD_NUMBER] = {7, 0},    [OAK_WORD_TEXT] = {8, 0},
                 [OAK_WORD_COMMENT] = {9, 0}};

cJSON *serve_colour_legend(void)
{
    cJSON *legend = cJSON_CreateObject();
    cJSON_AddItemToObject(legend, "tokenTypes",
                          cJSON_CreateStringArray(colours, sizeof colours / sizeof *colours));
    cJSON_AddItemToObject(legend, "tokenModifiers",
                          cJSON_CreateStringArray(shades, sizeof shades / sizeof *shades));
    return legend;
}

cJSON *serve_colours(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    oak_word words[MOST_WORDS];
    int *data = NULL;
    size_t count = 0, room = 0, last_line = 0;
    unsigned last = 0;
    (void)why;
    if (!serve_spot_at(server, parameters, &spot)) return NULL;
    for (size_t line = 0; line < spot.text->line_count; line++) {
        size_t size;
        const char *of = serve_line(spot.text, line, &size);
        size_t found = oak_syntax_words(spot.unit->syntax, of, size, words, MOST_WORDS);
        for (size_t i = 0; i < found && i < MOST_WORDS; i++) {
            unsigned from = serve_column(server, of, size, words[i].at),
                     to = serve_column(server, of, size, words[i].at + words[i].length);
            int *grown = oak_grow(&server->host, data, &room, count + 5, sizeof *grown);
            if (!grown) break;
            data = grown;
            data[count++] = (int)(line - last_line);
            data[count++] = (int)(line == last_line ? from - last : from);
            data[count++] = (int)(to - from);
            data[count++] = colour_of[words[i].kind].colour;
            data[count++] = colour_of[words[i].kind].shade;
            last_line = line, last = from;
        }
    }
    cJSON *result = cJSON_CreateObject();
    cJSON_AddItemToObject(result, "data",
                          data ? cJSON_CreateIntArray(data, (int)count) : cJSON_CreateArray());
    oak_release(&server->host, data, room, sizeof *data);
    return result;
}

/* ------------------------------------------------------------------------------------------ folding */

static void fold(cJSON *list, size_t from, size_t to, const char *kind)
{
    if (to <= from) return;
    cJSON *one = cJSON_CreateObject();
    cJSON_AddNumberToObject(one, "startLine", (double)from);
    cJSON_AddNumberToObject(one, "endLine", (double)to);
    if (kind) cJSON_AddStringToObject(one, "kind", kind);
    cJSON_AddItemToArray(list, one);
}

/* 1: it opens something, -1: it closes it. */
static int opens(const char *word, size_t length)
{
    static const char *const opening[] = {"if", "ifdef", "ifndef", "macro", "repeat", "each", "struct"},
                             *const closing[] = {"endif", "endm", "endr", "ends"};
    if (length && *word == '.') word++, length--;
    for (size_t i = 0; i < sizeof opening / sizeof *opening; i++)
        if (oak_same_name(word, length, opening[i])) return 1;
    for (size_t i = 0; i < sizeof closing / sizeof *closing; i++)
        if (oak_same_name(word, length, closing[i])) return -1;
    return 0;
}

cJSON *serve_folds(oak_server *server, const cJSON *parameters, const char **why)
{
    enum { DEEPEST = 64 };
    serve_spot spot;
    oak_word words[MOST_WORDS];
    size_t open[DEEPEST], depth = 0, comment = SIZE_MAX, routine = SIZE_MAX,
                          full = 0; /* full: the last line with anything in it */
    (void)why;
    if (!serve_spot_at(server, parameters, &spot)) return NULL;
    cJSON *result = cJSON_CreateArray();
    for (size_t line = 0; line <= spot.text->line_count; line++) {
        size_t size;
        const char *of = serve_line(spot.text, line, &size);
        size_t count = line < spot.text->line_count
                           ? oak_syntax_words(spot.unit->syntax, of, size, words, MOST_WORDS)
                           : 0;
        bool remark = count == 1 && words[0].kind == OAK_WORD_COMMENT;
        if (remark && comment == SIZE_MAX) comment = line;
        if (!remark && comment != SIZE_MAX) {
            fold(result, comment, line - 1, "comment");
            comment = SIZE_MAX;
        }
        bool label = count && words[0].kind == OAK_WORD_LABEL && of[words[0].at] != '.';
        if ((label || line == spot.text->line_count) && routine != SIZE_MAX)
            fold(result, routine, full, NULL);
        if (label) routine = line;
        for (size_t i = 0; i < count && i < MOST_WORDS; i++) {
            if (words[i].kind != OAK_WORD_DIRECTIVE) continue;
            int way = opens(of + words[i].at, words[i].length);
            if (way > 0 && depth < DEEPEST) open[depth++] = line;
            if (way < 0 && depth) fold(result, open[--depth], line, NULL);
        }
        if (count && !remark) full = line;
    }
    return result;
}

/* ------------------------------------------------------------------------------------------ repairs */

static void add_edit(cJSON *action, const char *path, cJSON *range, const char *text)
{
    cJSON *changes = cJSON_AddObjectToObject(cJSON_AddObjectToObject(action, "edit"), "changes"),
          *uri = serve_uri(path);
    cJSON *list = cJSON_AddArrayToObject(changes, uri->valuestring), *edit = cJSON_CreateObject();
    cJSON_Delete(uri);
    cJSON_AddItemToObject(edit, "range", range);
    cJSON_AddStringToObject(edit, "newText", text);
    cJSON_AddItemToArray(list, edit);
}

cJSON *serve_actions(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    size_t from, to, at;
    (void)why;
    const cJSON *range = cJSON_GetObjectItem(parameters, "range");
    if (!serve_spot_at(server, parameters, &spot)) return NULL;
    if (!serve_place(server, spot.text, cJSON_GetObjectItem(range, "start"), &from, &at) ||
        !serve_place(server, spot.text, cJSON_GetObjectItem(range, "end"), &to, &at))
        return NULL;
    cJSON *result = cJSON_CreateArray();
    for (size_t i = 0; i < spot.unit->edit_count; i++) {
        const serve_edit *edit = &spot.unit->edits[i];
        if (edit->line < from || edit->line > to || strcmp(edit->path, spot.text->path) != 0) continue;
        size_t size;
        const char *of = serve_line(spot.text, edit->line, &size);
        if (edit->edit_to > size || edit->edit_from > edit->edit_to) continue;
        char title[300];
        snprintf(title, sizeof title, "%.*s → %.100s",
                 (int)(edit->edit_to - edit->edit_from < 100 ? edit->edit_to - edit->edit_from : 100),
                 of + edit->edit_from, edit->text);
        cJSON *action = cJSON_CreateObject();
        cJSON_AddStringToObject(action, "title", title);
        cJSON_AddStringToObject(action, "kind", "quickfix");
        cJSON_AddBoolToObject(action, "isPreferred", edit->safe);
        add_edit(action, edit->path,
                 serve_range(server, spot.text, edit->line, edit->edit_from, edit->edit_to), edit->text);
        cJSON_AddItemToArray(result, action);
    }
    return result;
}

/* ------------------------------------------------------------------------------------------ layout */

cJSON *serve_layout(oak_server *server, const cJSON *parameters, const char **why)
{
    enum { ROOM = 4096 };
    serve_spot spot;
    char tidy[ROOM];
    (void)why;
    if (!serve_spot_at(server, parameters, &spot)) return NULL;
    cJSON *result = cJSON_CreateArray();
    for (size_t line = 0; line < spot.text->line_count; line++) {
        size_t size;
        const char *of = serve_line(spot.text, line, &size);
        size_t length = oak_syntax_tidy(spot.unit->syntax, of, size, tidy, ROOM - 1);
        if (length >= ROOM || (length == size && memcmp(of, tidy, size) == 0)) continue;
        tidy[length] = 0;
        cJSON *edit = cJSON_CreateObject();
        cJSON_AddItemToObject(edit, "range", serve_range(server, spot.text, line, 0, size));
        cJSON_AddStringToObject(edit, "newText", tidy);
        cJSON_AddItemToArray(result, edit);
    }
    return result;
}

/* ------------------------------------------------------------------------------------------ links */

cJSON *serve_links(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    oak_word words[MOST_WORDS];
    (void)why;
    if (!serve_spot_at(server, parameters, &spot)) return NULL;
    cJSON *result = cJSON_CreateArray();
    for (size_t line = 0; line < spot.text->line_count; line++) {
        size_t size;
        const char *of = serve_line(spot.text, line, &size);
        size_t count = oak_syntax_words(spot.unit->syntax, of, size, words, MOST_WORDS);
        bool includes = false;
        for (size_t i = 0; i < count && i < MOST_WORDS; i++) {
            const oak_word *word = &words[i];
            if (word->kind == OAK_WORD_DIRECTIVE)
                includes = oak_same_name(of + word->at, word->length, "include");
            if (word->kind != OAK_WORD_TEXT || !includes || word->length < 3) continue;
            const char *file = serve_included(spot.unit, of + word->at + 1, word->length - 2);
            if (!file) continue;
            cJSON *link = cJSON_CreateObject();
            cJSON_AddItemToObject(
                link, "range",
                serve_range(server, spot.text, line, word->at + 1, word->at + word->length - 1));
            cJSON_AddItemToObject(link, "target", serve_uri(file));
            cJSON_AddItemToArray(result, link);
        }
    }
    return result;
}
