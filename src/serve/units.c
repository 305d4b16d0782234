/* units.c — see server.h: files that are assembled together. Each is assembled anew as a whole when a text has changed, which takes
 * milliseconds; what is only looked for in texts (where names stand) is found when somebody asks. */
#include <oakspindle/open.h>
#include <stdio.h>

#include "base/bytes.h"
#include "serve/server.h"

/* ------------------------------------------------------------------------------------------ which part */

/* A file may name its part in the comments at its beginning: `; part: avr-32k`, or any word that is the name of a part. */
static bool part_in_text(const serve_text *text, char *name, size_t room)
{
    enum { FIRST_LINES = 20 };
    for (size_t line = 0; line < text->line_count && line < FIRST_LINES; line++) {
        size_t size;
        const char *at = serve_line(text, line, &size), *end = at + size;
        at = oak_find_any(at, end, ";/;/");
        while (at < end) {
            const char *from = at;
            while (at < end && (oak_is_word(*at) || *at == '-')) at++;
            size_t length = (size_t)(at - from);
            const char *one;
            for (unsigned i = 0; length > 3 && length < room && (one = oak_part_name_at(i)); i++)
                if (oak_same_name(from, length, one)) {
                    memcpy(name, one, length);
                    name[length] = 0;
                    return true;
                }
            if (length == 4 && oak_same_name(from, 4, "part") && at < end &&
                *at == ':') { /* a file of one's own */
                for (at++; at < end && *at == ' ';) at++;
                for (from = at; at < end && *at != ' ' && *at != '\t';) at++;
                length = (size_t)(at - from);
                if (!length || length >= room) return false;
                memcpy(name, from, length);
                name[length] = 0;
                return true;
            }
            if (at < end) at++;
        }
    }
    return false;
}

/* ------------------------------------------------------------------------------------------ units */

static void forget_names(oak_server *server, serve_unit *unit)
{
    oak_arena_close(&unit->names_of);
    oak_arena_open(&unit->names_of, &server->host);
    unit->name_count = 0;
    unit->named = false;
}

static void forget_edits(oak_server *server, serve_unit *unit)
{
    for (size_t i = 0; i < unit->edit_count; i++) {
        serve_free(server, unit->edits[i].path);
        serve_free(server, unit->edits[i].text);
    }
    unit->edit_count = 0;
}

void serve_drop_unit(oak_server *server, serve_unit *unit)
{
    for (size_t i = 0; i < server->unit_count; i++)
        if (server->units[i] == unit) {
            server->units[i] = server->units[--server->unit_count];
            break;
        }
    for (size_t i = 0; i < unit->told_count; i++) {
        cJSON *parameters = cJSON_CreateObject();
        cJSON_AddItemToObject(parameters, "uri", serve_uri(unit->told[i]));
        cJSON_AddArrayToObject(parameters, "diagnostics");
        if (!server->shut && !server->over)
            serve_notify(server, "textDocument/publishDiagnostics", parameters);
        else cJSON_Delete(parameters);
        serve_free(server, unit->told[i]);
    }
    oak_release(&server->host, unit->told, unit->told_room, sizeof *unit->told);
    forget_edits(server, unit);
    oak_release(&server->host, unit->edits, unit->edit_room, sizeof *unit->edits);
    oak_arena_close(&unit->names_of);
    oak_release(&server->host, unit->names, unit->name_room, sizeof *unit->names);
    oak_program_free(unit->program);
    oak_program_free(unit->partial);
    oak_syntax_close(unit->syntax);
    oak_part_free(unit->part);
    serve_free(server, unit->key);
    serve_free(server, unit->part_name);
    server->host.resize(server->host.context, unit, sizeof *unit, 0);
}

static serve_unit *make_unit(oak_server *server, const char *key, const char *part_name)
{
    serve_unit **grown =
        oak_grow(&server->host, server->units, &server->unit_room, server->unit_count + 1, sizeof *grown);
    if (!grown) return NULL;
    server->units = grown;
    serve_unit *unit = server->host.resize(server->host.context, NULL, 0, sizeof *unit);
    if (!unit) return NULL;
    *unit = (serve_unit){.key = serve_copy(server, key), .part_name = serve_copy(server, part_name)};
    oak_arena_open(&unit->names_of, &server->host);
    grown[server->unit_count++] = unit;
    if (unit->key && unit->part_name && !oak_part_named(part_name, &oak_silent, &unit->part) &&
        !oak_syntax_open(&server->host, unit->part, &unit->syntax))
        return unit;
    serve_drop_unit(server, unit);
    return NULL;
}

static bool belongs(const serve_unit *unit, const char *path)
{
    const char *file;
    const oak_program *known = serve_known(unit);
    if (strcmp(unit->key, path) == 0) return true;
    for (unsigned i = 0; known && (file = oak_program_file(known, i)); i++)
        if (strcmp(file, path) == 0) return true;
    return false;
}

static void project_of(oak_server *server, const char *path, oak_serve_project *project)
{
    *project = (oak_serve_project){.part = NULL};
    if (server->settings.project) server->settings.project(server->settings.context, path, project);
}

/* ------------------------------------------------------------------------------------------ what is wrong */

typedef struct telling {
    oak_server *server;
    serve_unit *unit;
    cJSON *files; /* an object: by path, their diagnostics */
} telling;

static void keep_edit(telling *self, const oak_diagnostic *d, const char *path)
{
    oak_server *server = self->server;
    serve_unit *unit = self->unit;
    serve_edit *grown =
        oak_grow(&server->host, unit->edits, &unit->edit_room, unit->edit_count + 1, sizeof *grown);
    if (!grown) return;
    unit->edits = grown;
    serve_edit edit = {.path = serve_copy(server, path),
                       .text = serve_copy(server, d->edit),
                       .line = d->line ? d->line - 1 : 0,
                       .edit_from = d->edit_column - 1,
                       .edit_to = d->edit_column_end - 1,
                       .safe = d->edit_safe};
    if (edit.path && edit.text) grown[unit->edit_count++] = edit;
    else serve_free(server, edit.path), serve_free(server, edit.text);
}

static void report(void *context, const oak_diagnostic *d)
{
    telling *self = context;
    oak_server *server = self->server;
    const char *path = d->file ? d->file : self->unit->key;
    const serve_text *text = serve_load_text(server, path);
    cJSON *list = cJSON_GetObjectItemCaseSensitive(self->files, path), *one = cJSON_CreateObject();
    if (!list) list = cJSON_AddArrayToObject(self->files, path);
    size_t line = d->line ? d->line - 1 : 0, from = d->column ? d->column - 1 : 0;
    size_t to = d->column_end > d->column ? d->column_end - 1 : from + 1;
    cJSON_AddItemToObject(one, "range", serve_range(server, text, line, from, to));
    cJSON_AddNumberToObject(one, "severity",
                            d->severity == OAK_ERROR     ? 1
                            : d->severity == OAK_WARNING ? 2
                                                         : 3);
    cJSON_AddStringToObject(one, "code", d->code);
    cJSON_AddStringToObject(one, "source", "spindle");
    char message[1200];
    snprintf(message, sizeof message, "%s%s%s", d->message, d->hint ? "\n" : "", d->hint ? d->hint : "");
    cJSON_AddStringToObject(one, "message", message);
    cJSON_AddItemToArray(list, one);
    if (d->edit && d->edit_column) keep_edit(self, d, path);
}

/* Tells each file's diagnostics, and of files that have none any more that they have none. */
static void tell(oak_server *server, serve_unit *unit, cJSON *files)
{
    for (size_t i = 0; i < unit->told_count; i++)
        if (!cJSON_GetObjectItemCaseSensitive(files, unit->told[i]))
            cJSON_AddArrayToObject(files, unit->told[i]);
    for (size_t i = 0; i < server->text_count; i++) {
        const char *path = server->texts[i]->path;
        if (server->texts[i]->open && belongs(unit, path) && !cJSON_GetObjectItemCaseSensitive(files, path))
            cJSON_AddArrayToObject(files, path);
    }
    for (size_t i = 0; i < unit->told_count; i++) serve_free(server, unit->told[i]);
    unit->told_count = 0;
    for (cJSON *list = files->child, *next; list; list = next) {
        next = list->next;
        cJSON *parameters = cJSON_CreateObject();
        char **grown =
            oak_grow(&server->host, unit->told, &unit->told_room, unit->told_count + 1, sizeof *grown);
        if (grown) unit->told = grown;
        if (grown && cJSON_GetArraySize(list)) grown[unit->told_count++] = serve_copy(server, list->string);
        cJSON_AddItemToObject(parameters, "uri", serve_uri(list->string));
        for (size_t i = 0; i < server->text_count; i++)
            if (server->texts[i]->open && strcmp(server->texts[i]->path, list->string) == 0)
                cJSON_AddNumberToObject(parameters, "version", server->texts[i]->version);
        cJSON_AddItemToObject(parameters, "diagnostics", cJSON_Duplicate(list, true));
        serve_notify(server, "textDocument/publishDiagnostics", parameters);
    }
}

static void assemble(oak_server *server, serve_unit *unit, const oak_serve_project *project)
{
    telling self = {server, unit, cJSON_CreateObject()};
    oak_diag_sink sink = {&self, report};
    const char *alone = unit->key;
    oak_asm_settings settings = {.paths = project->source_count ? project->sources : &alone,
                                 .path_count = project->source_count ? project->source_count : 1,
                                 .include_paths = project->includes,
                                 .include_count = project->include_count,
                                 .warnings = project->warnings,
                                 .warning_count = project->warning_count};
    oak_program *program = NULL;
    settings.keep_refused = true;
    forget_edits(server, unit);
    oak_status status = oak_assemble_files(&server->reading, unit->part, &settings, &sink, &program);
    unit->fresh = true;
    unit->good = status == OAK_OK;
    oak_program_free(unit->partial);
    unit->partial = unit->good ? NULL : program;
    if (unit->good) {
        oak_program_free(unit->program);
        unit->program = program;
    }
    forget_names(server, unit);
    tell(server, unit, self.files);
    cJSON_Delete(self.files);
}

void serve_stale(oak_server *server, const char *path)
{
    for (size_t i = 0; i < server->unit_count; i++)
        if (!path || belongs(server->units[i], path)) server->units[i]->fresh = false;
}

/* A part file that a source names lies beside it, unless its path is whole. */
static const char *beside(const char *path, const char *part, char *whole, size_t room)
{
    const char *folder_end = strrchr(path, '/');
    if (*part == '/' || !strchr(part, '.') || !folder_end) return part;
    snprintf(whole, room, "%.*s/%s", (int)(folder_end - path), path, part);
    return whole;
}

/* A source beside a project that does not read it is a program of its own. */
static bool is_source(const char *path)
{
    size_t length = strlen(path);
    return length > 4 && oak_same_name(path + length - 4, 4, ".asm");
}

static serve_unit *unit_of(oak_server *server, const char *path, bool alone)
{
    char named[LONGEST_NAME], whole[LONGEST_PATH];
    serve_unit *unit = NULL;
    for (size_t i = 0; i < server->unit_count; i++) /* a project goes before a file alone */
        if (belongs(server->units[i], path) && (!unit || unit->alone)) unit = server->units[i];
    if (unit && unit->fresh) return unit;
    oak_serve_project project;
    project_of(server, unit ? unit->key : path, &project);
    if (alone || (unit && unit->alone)) project.source_count = 0;
    const char *key = unit ? unit->key : project.source_count ? project.sources[0] : path;
    for (size_t i = 0; i < server->unit_count && !unit; i++)
        if (strcmp(server->units[i]->key, key) == 0) unit = server->units[i];
    const serve_text *text = serve_load_text(server, key);
    const char *part = project.part ? project.part
                       : text && part_in_text(text, named, sizeof named)
                           ? beside(key, named, whole, sizeof whole)
                       : server->part ? server->part
                                      : server->settings.part;
    if (unit && part && strcmp(unit->part_name, part) != 0) { /* it says otherwise now */
        serve_drop_unit(server, unit);
        return unit_of(server, path, alone);
    }
    if (!unit && part) unit = make_unit(server, key, part);
    if (unit && alone) unit->alone = true;
    if (unit && !unit->fresh) assemble(server, unit, &project);
    return unit;
}

serve_unit *serve_unit_of(oak_server *server, const char *path)
{
    serve_unit *unit = unit_of(server, path, false);
    return unit && is_source(path) && !belongs(unit, path) ? unit_of(server, path, true) : unit;
}

/* Says once of a file that nobody knows its part. */
static void tell_no_part(oak_server *server, const serve_text *text)
{
    cJSON *parameters = cJSON_CreateObject(), *list, *one = cJSON_CreateObject();
    cJSON_AddItemToObject(parameters, "uri", serve_uri(text->path));
    cJSON_AddNumberToObject(parameters, "version", text->version);
    list = cJSON_AddArrayToObject(parameters, "diagnostics");
    cJSON_AddItemToArray(list, one);
    cJSON_AddItemToObject(one, "range", serve_range(server, text, 0, 0, 1));
    cJSON_AddNumberToObject(one, "severity", 3);
    cJSON_AddStringToObject(one, "code", "no-part");
    cJSON_AddStringToObject(one, "source", "spindle");
    cJSON_AddStringToObject(one, "message",
                            "nobody has said which part this is for\nWrite `; part: avr-32k` at the top, or "
                            "`part:` in spindle.yaml; `spindle "
                            "parts` lists them.");
    serve_notify(server, "textDocument/publishDiagnostics", parameters);
}

void serve_check(oak_server *server)
{
    for (size_t i = 0; i < server->text_count; i++)
        if (server->texts[i]->open && !serve_unit_of(server, server->texts[i]->path))
            tell_no_part(server, server->texts[i]);
}

/* ------------------------------------------------------------------------------------------ where names stand */

size_t serve_scope(serve_unit *unit, const serve_text *text, size_t line, char *name, size_t room)
{
    oak_word words[MOST_WORDS];
    for (size_t i = line + 1; i-- > 0;) {
        size_t size;
        const char *of = serve_line(text, i, &size);
        size_t count = oak_syntax_words(unit->syntax, of, size, words, MOST_WORDS);
        for (size_t w = count < MOST_WORDS ? count : MOST_WORDS; w-- > 0;) {
            if (words[w].kind != OAK_WORD_LABEL || of[words[w].at] == '.' || words[w].length >= room)
                continue;
            memcpy(name, of + words[w].at, words[w].length);
            return words[w].length;
        }
    }
    return 0;
}

static bool is_name(unsigned kind)
{
    return kind <= OAK_WORD_MACRO || kind == OAK_WORD_CALL || kind == OAK_WORD_NAME || kind == OAK_WORD_PART;
}

static void add_names(oak_server *server, serve_unit *unit, const char *path)
{
    const serve_text *text = serve_load_text(server, path);
    oak_word words[MOST_WORDS];
    char scope[LONGEST_NAME], structure[LONGEST_NAME], whole[2 * LONGEST_NAME];
    size_t scoped = 0, structured = 0;
    const char *file = text ? oak_arena_text(&unit->names_of, path, strlen(path)) : NULL;
    for (size_t line = 0; file && line < text->line_count; line++) {
        size_t size;
        const char *of = serve_line(text, line, &size);
        size_t count = oak_syntax_words(unit->syntax, of, size, words, MOST_WORDS);
        bool exports = false;
        for (size_t w = 0; w < count && w < MOST_WORDS; w++) {
            const oak_word *word = &words[w];
            const char *says = of + word->at;
            if (word->kind == OAK_WORD_DIRECTIVE && oak_same_name(says, word->length, "ends")) structured = 0;
            if (word->kind == OAK_WORD_DIRECTIVE) exports = oak_same_name(says, word->length, "export");
            if (!is_name(word->kind) || word->length + 1 >= LONGEST_NAME) continue;
            bool local = *says == '.', label = word->kind == OAK_WORD_LABEL && !local,
                 opens = word->kind == OAK_WORD_MACRO && w &&
                         oak_same_name(of + words[w - 1].at, words[w - 1].length, "struct");
            if (opens) {
                memcpy(structure, says, structured = word->length);
                structure[structured++] = '_';
            } else if (label && !structured) memcpy(scope, says, scoped = word->length);
            bool member = label && structured;
            size_t length = local ? scoped : member ? structured : 0;
            memcpy(whole, member ? structure : scope, length);
            memcpy(whole + length, of + word->at, word->length);
            serve_name *grown =
                oak_grow(&server->host, unit->names, &unit->name_room, unit->name_count + 1, sizeof *grown);
            const char *name = oak_arena_text(&unit->names_of, whole, length + word->length);
            if (grown) unit->names = grown;
            if (!grown || !name) return;
            grown[unit->name_count++] = (serve_name){.name = name,
                                                     .file = file,
                                                     .line = (uint32_t)line,
                                                     .at = word->at,
                                                     .length = word->length,
                                                     .exports = exports,
                                                     .left_out = (uint32_t)length,
                                                     .kind = word->kind};
        }
    }
}

void serve_names(oak_server *server, serve_unit *unit)
{
    const char *file;
    bool key_in = false;
    const oak_program *known = serve_known(unit);
    if (unit->named) return;
    forget_names(server, unit);
    for (unsigned i = 0; known && (file = oak_program_file(known, i)); i++) {
        key_in = key_in || strcmp(file, unit->key) == 0;
        add_names(server, unit, file);
    }
    if (!key_in) add_names(server, unit, unit->key);
    unit->named = true;
}

/* A name that several files have for themselves is, elsewhere, that of the file which exports it. */
static bool is_exported(const serve_unit *unit, const serve_name *name)
{
    for (size_t i = 0; i < unit->name_count; i++) {
        const serve_name *one = &unit->names[i];
        if (one->exports && strcmp(one->file, name->file) == 0 &&
            oak_same_name(name->name, strlen(name->name), one->name))
            return true;
    }
    return false;
}

const serve_name *serve_definition(oak_server *server, serve_unit *unit, const char *file, const char *name)
{
    const serve_name *found = NULL;
    serve_names(server, unit);
    for (size_t i = 0; i < unit->name_count; i++) {
        const serve_name *one = &unit->names[i];
        if (one->kind > OAK_WORD_MACRO || !oak_same_name(name, strlen(name), one->name)) continue;
        if (strcmp(one->file, file) == 0) return one;
        if (!found || (!is_exported(unit, found) && is_exported(unit, one))) found = one;
    }
    return found;
}

const oak_symbol *serve_symbol(const serve_unit *unit, const char *file, const char *name)
{
    const oak_program *programs[] = {unit->partial, unit->program};
    for (unsigned i = 0; i < 2; i++) {
        if (!programs[i]) continue;
        const oak_symbol *own = oak_program_find_in(programs[i], file, strlen(file), name, strlen(name), 0);
        if (!own) own = oak_program_find(programs[i], name, strlen(name));
        if (own) return own;
    }
    return NULL;
}

bool serve_spot_at(oak_server *server, const cJSON *parameters, serve_spot *spot)
{
    const cJSON *uri = cJSON_GetObjectItem(cJSON_GetObjectItem(parameters, "textDocument"), "uri"),
                *position = cJSON_GetObjectItem(parameters, "position");
    char *path = cJSON_IsString(uri) ? serve_path(server, uri->valuestring) : NULL;
    *spot = (serve_spot){.text = path ? serve_load_text(server, path) : NULL};
    if (spot->text) spot->unit = serve_unit_of(server, path);
    serve_free(server, path);
    if (!spot->text || !spot->unit || !spot->text->line_count) return false;
    if (position && !serve_place(server, spot->text, position, &spot->line, &spot->at)) return false;
    spot->of = serve_line(spot->text, spot->line, &spot->size);
    spot->count = oak_syntax_words(spot->unit->syntax, spot->of, spot->size, spot->words, MOST_WORDS);
    if (spot->count > MOST_WORDS) spot->count = MOST_WORDS;
    for (size_t i = 0; i < spot->count; i++) {
        const oak_word *word = &spot->words[i];
        if (spot->at >= word->at && spot->at <= word->at + word->length) spot->word = word;
    }
    if (!spot->word || spot->word->length >= LONGEST_NAME) return true;
    memcpy(spot->name, spot->of + spot->word->at, spot->word->length);
    if (!is_name(spot->word->kind)) return true;
    serve_names(server, spot->unit);
    for (size_t i = 0; i < spot->unit->name_count; i++) {
        const serve_name *one = &spot->unit->names[i];
        if (one->line != spot->line || one->at != spot->word->at || strcmp(one->file, spot->text->path) != 0)
            continue;
        memcpy(spot->name, one->name, strlen(one->name) + 1);
        spot->left_out = one->left_out;
        break;
    }
    return true;
}
