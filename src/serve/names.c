/* names.c — see server.h: from a word to its definition and its uses. */
#include <stdio.h>

#include "serve/server.h"

static cJSON *location(oak_server *server, const serve_name *name)
{
    cJSON *result = cJSON_CreateObject();
    cJSON_AddItemToObject(result, "uri", serve_uri(name->file));
    cJSON_AddItemToObject(result, "range",
                          serve_range(server, serve_load_text(server, name->file), name->line, name->at,
                                      name->at + name->length));
    return result;
}

/* The file that an include names, as it was found: the one of the program's files whose path ends with the name. */
const char *serve_included(const serve_unit *unit, const char *text, size_t length)
{
    const char *file;
    const oak_program *known = serve_known(unit);
    for (unsigned i = 0; known && (file = oak_program_file(known, i)); i++) {
        size_t whole = strlen(file);
        if (whole > length && file[whole - length - 1] == '/' &&
            memcmp(file + whole - length, text, length) == 0)
            return file;
    }
    return NULL;
}

static bool is_include(const serve_spot *spot)
{
    for (size_t i = 0; i < spot->count; i++)
        if (spot->words[i].kind == OAK_WORD_DIRECTIVE &&
            oak_same_name(spot->of + spot->words[i].at, spot->words[i].length, "include"))
            return true;
    return false;
}

cJSON *serve_definition_of(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    (void)why;
    if (!serve_spot_at(server, parameters, &spot) || !spot.word) return NULL;
    if (spot.word->kind == OAK_WORD_TEXT && is_include(&spot) && spot.word->length > 2) {
        const char *file = serve_included(spot.unit, spot.of + spot.word->at + 1, spot.word->length - 2);
        serve_name beginning = {.file = file};
        return file ? location(server, &beginning) : NULL;
    }
    const serve_name *found =
        *spot.name ? serve_definition(server, spot.unit, spot.text->path, spot.name) : NULL;
    return found ? location(server, found) : NULL;
}

/* Does a name in one file mean what the definition defines? A name belongs to its file unless it is exported. */
static bool means(oak_server *server, serve_unit *unit, const serve_name *use, const serve_name *defined,
                  const char *name)
{
    if (!oak_same_name(name, strlen(name), use->name)) return false;
    if (!defined || strcmp(use->file, defined->file) == 0) return true;
    return serve_definition(server, unit, use->file, name) == defined;
}

/* Calls for each place where the name under the cursor stands; the definition, or NULL. */
typedef struct found_names {
    const serve_name **list;
    size_t count, room;
} found_names;

static const serve_name *find_all(oak_server *server, serve_spot *spot, found_names *found)
{
    bool of_part =
        spot->word->kind == OAK_WORD_PART; /* as the name of a vector may be that of a symbol, too */
    const serve_name *defined =
        of_part ? NULL : serve_definition(server, spot->unit, spot->text->path, spot->name);
    serve_names(server, spot->unit);
    for (size_t i = 0; i < spot->unit->name_count; i++) {
        const serve_name *one = &spot->unit->names[i];
        if ((one->kind == OAK_WORD_PART) != of_part || !means(server, spot->unit, one, defined, spot->name))
            continue;
        const serve_name **grown =
            oak_grow(&server->host, found->list, &found->room, found->count + 1, sizeof *grown);
        if (!grown) break;
        found->list = grown;
        grown[found->count++] = one;
    }
    return defined;
}

static void let_go(oak_server *server, found_names *found)
{
    oak_release(&server->host, found->list, found->room, sizeof *found->list);
}

static bool is_a_name(const serve_spot *spot)
{
    return spot->word && *spot->name &&
           (spot->word->kind <= OAK_WORD_MACRO || spot->word->kind == OAK_WORD_CALL ||
            spot->word->kind == OAK_WORD_NAME || spot->word->kind == OAK_WORD_PART);
}

cJSON *serve_references(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    found_names found = {0};
    (void)why;
    const cJSON *with = cJSON_GetObjectItem(cJSON_GetObjectItem(parameters, "context"), "includeDeclaration");
    if (!serve_spot_at(server, parameters, &spot) || !is_a_name(&spot)) return NULL;
    cJSON *result = cJSON_CreateArray();
    const serve_name *defined = find_all(server, &spot, &found);
    for (size_t i = 0; i < found.count; i++)
        if (found.list[i] != defined || !with || cJSON_IsTrue(with))
            cJSON_AddItemToArray(result, location(server, found.list[i]));
    let_go(server, &found);
    return result;
}

cJSON *serve_highlights(oak_server *server, const cJSON *parameters, const char **why)
{
    enum { READ = 2, WRITE = 3 };
    serve_spot spot;
    found_names found = {0};
    (void)why;
    if (!serve_spot_at(server, parameters, &spot) || !is_a_name(&spot)) return NULL;
    cJSON *result = cJSON_CreateArray();
    find_all(server, &spot, &found);
    for (size_t i = 0; i < found.count; i++) {
        const serve_name *one = found.list[i];
        if (strcmp(one->file, spot.text->path) != 0) continue;
        cJSON *mark = cJSON_CreateObject();
        cJSON_AddItemToObject(mark, "range",
                              serve_range(server, spot.text, one->line, one->at, one->at + one->length));
        cJSON_AddNumberToObject(mark, "kind", one->kind <= OAK_WORD_MACRO ? WRITE : READ);
        cJSON_AddItemToArray(result, mark);
    }
    let_go(server, &found);
    return result;
}

/* ------------------------------------------------------------------------------------------ renaming */

/* A structure lends its name to its members. */
static bool lends_name(oak_server *server, serve_unit *unit, const char *name)
{
    size_t length = strlen(name);
    serve_names(server, unit);
    for (size_t i = 0; i < unit->name_count; i++) {
        const serve_name *one = &unit->names[i];
        if (one->kind == OAK_WORD_LABEL && one->left_out == length + 1 && one->name[length] == '_' &&
            oak_same_name(one->name, length, name))
            return true;
    }
    return false;
}

/* What cannot be renamed, and why. */
static const char *cannot_rename(oak_server *server, const serve_spot *spot)
{
    if (!is_a_name(spot)) return "there is no name here";
    if (spot->word->kind == OAK_WORD_PART) return "this name belongs to the part";
    if (!serve_definition(server, spot->unit, spot->text->path, spot->name))
        return "nothing here defines this name";
    if (lends_name(server, spot->unit, spot->name)) return "the names of its members begin with this one";
    if (spot->unit->part->architecture->enters && oak_same_name("start", 5, spot->name))
        return "a loader begins at the name `start`: say `entry` with another one first";
    return NULL;
}

cJSON *serve_prepare_rename(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    if (!serve_spot_at(server, parameters, &spot)) return NULL;
    *why = cannot_rename(server, &spot);
    return *why ? NULL
                : serve_range(server, spot.text, spot.line, spot.word->at, spot.word->at + spot.word->length);
}

/* Could the new name stand where a label stands, and mean nothing else there? */
static const char *cannot_be_named(oak_server *server, const serve_spot *spot, const char *to)
{
    char *text = server->refusal;
    oak_word words[4];
    char line[LONGEST_NAME + 2], whole[2 * LONGEST_NAME];
    size_t length = strlen(to);
    bool local = spot->of[spot->word->at] == '.';
    if (!length || length >= LONGEST_NAME) return "a name has 1 to 199 letters";
    if (local != (*to == '.'))
        return local ? "the name of a local label begins with a point"
                     : "only names of local labels begin with a point";
    snprintf(line, sizeof line, "x %s", to); /* as an operand: a symbol's name, and nothing else */
    size_t count = oak_syntax_words(spot->unit->syntax, line, length + 2, words, 4);
    if (count != 2 || words[1].at != 2 || words[1].length != length)
        return "this is no name: letters, digits and _ make one";
    if (words[1].kind == OAK_WORD_REGISTER) return "this is the name of a register";
    if (words[1].kind == OAK_WORD_PART) return "this name belongs to the part";
    snprintf(line, sizeof line, " %s", to);
    oak_syntax_words(spot->unit->syntax, line, length + 1, words, 4);
    if (!local && (words[0].kind == OAK_WORD_OPERATION || words[0].kind == OAK_WORD_DIRECTIVE))
        return "this is the name of an operation";
    snprintf(whole, sizeof whole, "%.*s%s", (int)spot->left_out, spot->name, to);
    const serve_name *other = serve_definition(server, spot->unit, spot->text->path, whole);
    if (!other || oak_same_name(whole, strlen(whole), spot->name)) return NULL;
    snprintf(text, sizeof server->refusal, "this name is taken: %.60s:%u defines it",
             strrchr(other->file, '/') ? strrchr(other->file, '/') + 1 : other->file, other->line + 1);
    return text;
}

cJSON *serve_rename(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    found_names found = {0};
    const cJSON *to = cJSON_GetObjectItem(parameters, "newName");
    if (!cJSON_IsString(to)) *why = "there is no new name";
    if (*why || !serve_spot_at(server, parameters, &spot)) return NULL;
    *why = cannot_rename(server, &spot);
    if (!*why) *why = cannot_be_named(server, &spot, to->valuestring);
    if (*why) return NULL;
    char whole[2 * LONGEST_NAME];
    snprintf(whole, sizeof whole, "%.*s%s", (int)spot.left_out, spot.name, to->valuestring);
    find_all(server, &spot, &found);
    for (size_t i = 0; i < found.count; i++) /* where a part of it is left out it stays */
        if (strncmp(whole, spot.name, found.list[i]->left_out) != 0)
            *why = "the name of a member begins with that of its structure";
    if (*why) {
        let_go(server, &found);
        return NULL;
    }
    cJSON *result = cJSON_CreateObject(), *changes = cJSON_AddObjectToObject(result, "changes");
    for (size_t i = 0; i < found.count; i++) {
        const serve_name *one = found.list[i];
        cJSON *uri = serve_uri(one->file),
              *list = cJSON_GetObjectItemCaseSensitive(changes, uri->valuestring);
        if (!list) list = cJSON_AddArrayToObject(changes, uri->valuestring);
        cJSON_Delete(uri);
        cJSON *edit = cJSON_CreateObject();
        cJSON_AddItemToObject(edit, "range",
                              serve_range(server, serve_load_text(server, one->file), one->line, one->at,
                                          one->at + one->length));
        cJSON_AddStringToObject(edit, "newText", whole + one->left_out);
        cJSON_AddItemToArray(list, edit);
    }
    let_go(server, &found);
    return result;
}

/* ------------------------------------------------------------------------------------------ outlines */

/* As the protocol numbers them. */
static int kind_of(const serve_unit *unit, const serve_name *name)
{
    enum { FUNCTION = 12, VARIABLE = 13, CONSTANT = 14, STRUCTURE = 23 };
    const oak_symbol *symbol = serve_symbol(unit, name->file, name->name);
    if (name->kind == OAK_WORD_MACRO) return STRUCTURE;
    if (name->kind == OAK_WORD_CONSTANT) return CONSTANT;
    return symbol && symbol->space != unit->part->architecture->code_space && symbol->space ? VARIABLE
                                                                                            : FUNCTION;
}

cJSON *serve_outline(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    (void)why;
    if (!serve_spot_at(server, parameters, &spot)) return NULL;
    serve_names(server, spot.unit);
    cJSON *result = cJSON_CreateArray(), *above = NULL;
    for (size_t i = 0; i < spot.unit->name_count; i++) {
        const serve_name *name = &spot.unit->names[i];
        if (name->kind > OAK_WORD_MACRO || strcmp(name->file, spot.text->path) != 0) continue;
        bool local = strchr(name->name, '.');
        const char *shown = local ? strchr(name->name, '.') : name->name;
        cJSON *one = cJSON_CreateObject();
        cJSON_AddStringToObject(one, "name", shown);
        cJSON_AddNumberToObject(one, "kind", kind_of(spot.unit, name));
        cJSON_AddItemToObject(one, "range",
                              serve_range(server, spot.text, name->line, name->at, name->at + name->length));
        cJSON_AddItemToObject(one, "selectionRange",
                              serve_range(server, spot.text, name->line, name->at, name->at + name->length));
        if (local && above) { /* below the label that it belongs to, whose range reaches as far */
            cJSON *children = cJSON_GetObjectItem(above, "children");
            if (!children) children = cJSON_AddArrayToObject(above, "children");
            cJSON_AddItemToArray(children, one);
            cJSON *end = cJSON_Duplicate(cJSON_GetObjectItem(cJSON_GetObjectItem(one, "range"), "end"), true);
            cJSON_ReplaceItemInObject(cJSON_GetObjectItem(above, "range"), "end", end);
            continue;
        }
        cJSON_AddItemToArray(result, one);
        if (name->kind == OAK_WORD_LABEL) above = one;
    }
    return result;
}

/* All letters of `asked` in their order. */
static bool resembles(const char *name, const char *asked)
{
    for (; *name && *asked; name++)
        if (oak_lower(*name) == oak_lower(*asked)) asked++;
    return !*asked;
}

cJSON *serve_workspace_names(oak_server *server, const cJSON *parameters, const char **why)
{
    enum { MOST = 1000 };
    const cJSON *query = cJSON_GetObjectItem(parameters, "query");
    const char *asked = cJSON_IsString(query) ? query->valuestring : "";
    cJSON *result = cJSON_CreateArray();
    int count = 0;
    (void)why;
    for (size_t u = 0; u < server->unit_count; u++) {
        serve_unit *unit = server->units[u];
        serve_names(server, unit);
        for (size_t i = 0; i < unit->name_count && count < MOST; i++) {
            const serve_name *name = &unit->names[i];
            if (name->kind > OAK_WORD_MACRO || !resembles(name->name, asked)) continue;
            cJSON *one = cJSON_CreateObject();
            cJSON_AddStringToObject(one, "name", name->name);
            cJSON_AddNumberToObject(one, "kind", kind_of(unit, name));
            cJSON_AddItemToObject(one, "location", location(server, name));
            cJSON_AddItemToArray(result, one);
            count++;
        }
    }
    return result;
}
