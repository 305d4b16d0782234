/* costs.c — see server.h: bytes and cycles beside lines and above routines, and what general words became. */
#include <oakspindle/look.h>
#include <stdio.h>
#include <stdlib.h>

#include "asm/program.h"
#include "isa/isa.h"
#include "serve/server.h"

static bool line_of(const serve_spot *spot, unsigned index, oak_line *line)
{
    return spot->unit->good && spot->unit->program &&
           oak_program_line(spot->unit->program, index, line) == OAK_OK;
}

/* What a general word became: the instruction as it reads back, where that has another name. */
static void tell_became(const serve_spot *spot, const oak_line *line, const oak_word *words, size_t count,
                        const char *of, char *text, size_t room)
{
    oak_decoded decoded;
    uint8_t bytes[SERVE_LONGEST_CODE];
    oak_buf printed;
    oak_host host = oak_program_host(spot->unit->program);
    const oak_isa *isa = oak_isa_find(spot->unit->part->architecture->name);
    const oak_word *operation = NULL;
    for (size_t i = 0; i < count && i < MOST_WORDS && !operation; i++)
        if (words[i].kind == OAK_WORD_OPERATION) operation = &words[i];
    *text = 0;
    if (!operation || !serve_decode(spot->unit, line->address, &decoded, bytes)) return;
    oak_buf_open(&printed, &host);
    isa->print(spot->unit->program->tables, &decoded, &(oak_namer){0}, &printed);
    const char *became = oak_buf_string(&printed);
    size_t length = strcspn(became, " ");
    char name[40];
    snprintf(name, sizeof name, "%.*s", (int)(length < 39 ? length : 39), became);
    /* with a condition behind it it is the same: a row of them is a matter of the instruction before */
    bool begins = strlen(name) <= operation->length && oak_same_name(of + operation->at, strlen(name), name);
    if (!begins) snprintf(text, room, ", %s", name);
    oak_buf_close(&printed);
}

cJSON *serve_inlays(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    oak_line line;
    size_t from = 0, to = SIZE_MAX - 1, at;
    (void)why;
    if (!serve_spot_at(server, parameters, &spot)) return NULL;
    const cJSON *range = cJSON_GetObjectItem(parameters, "range");
    if (range) {
        (void)serve_place(server, spot.text, cJSON_GetObjectItem(range, "start"), &from, &at);
        (void)serve_place(server, spot.text, cJSON_GetObjectItem(range, "end"), &to, &at);
    }
    cJSON *result = cJSON_CreateArray();
    for (unsigned i = 0; line_of(&spot, i, &line); i++) {
        if (!line.cycles || line.line < from + 1 || line.line > to + 1 ||
            strcmp(line.file, spot.text->path) != 0)
            continue;
        size_t size;
        const char *of = serve_line(spot.text, line.line - 1, &size);
        oak_word words[MOST_WORDS];
        size_t count = oak_syntax_words(spot.unit->syntax, of, size, words, MOST_WORDS), end = size;
        if (count && count <= MOST_WORDS && words[count - 1].kind == OAK_WORD_COMMENT)
            end = words[count - 1].at;
        while (end && (of[end - 1] == ' ' || of[end - 1] == '\t')) end--;
        char label[100], became[60];
        tell_became(&spot, &line, words, count, of, became, sizeof became);
        snprintf(label, sizeof label, "%u cy, %u B%s", line.cycles, line.size, became);
        cJSON *one = cJSON_CreateObject(), *place = cJSON_AddObjectToObject(one, "position");
        cJSON_AddNumberToObject(place, "line", line.line - 1);
        cJSON_AddNumberToObject(place, "character", serve_column(server, of, size, end));
        cJSON_AddStringToObject(one, "label", label);
        cJSON_AddBoolToObject(one, "paddingLeft", true);
        cJSON_AddStringToObject(one, "tooltip", "the fewest cycles and the bytes of this line");
        cJSON_AddItemToArray(result, one);
    }
    return result;
}

/* Bytes and cycles of each line of a text, one sum behind the other; NULL when there is no memory. */
typedef struct line_sum {
    unsigned bytes, cycles;
} line_sum;
static line_sum *sums_of(oak_server *server, const serve_spot *spot)
{
    oak_line line;
    size_t count = spot->text->line_count + 2;
    line_sum *sums = server->host.resize(server->host.context, NULL, 0, count * sizeof *sums);
    if (!sums) return NULL;
    memset(sums, 0, count * sizeof *sums);
    for (unsigned i = 0; line_of(spot, i, &line); i++) {
        if (line.line + 1 >= count || strcmp(line.file, spot->text->path) != 0) continue;
        sums[line.line].bytes += line.size;
        sums[line.line].cycles += line.cycles;
    }
    for (size_t i = 1; i < count; i++)
        sums[i].bytes += sums[i - 1].bytes, sums[i].cycles += sums[i - 1].cycles;
    return sums;
}

/* Routines whose cycles are known without running them, with calls and loops that are counted: by address. */
typedef struct routine_time {
    uint32_t address;
    char shortest[16], longest[16];
} routine_time;
typedef struct routine_times {
    routine_time *list;
    size_t count, room;
} routine_times;

static void look_at_routines(oak_server *server, const serve_unit *unit, routine_times *times)
{
    oak_buf text;
    oak_buf_open(&text, &server->host);
    oak_text_sink sink = {&text, serve_add_text};
    bool good = oak_look_routines(unit->program, 0, &sink) == OAK_OK;
    const char *at = oak_buf_string(&text), *end = at + text.size;
    for (; good && at < end; at = oak_line_end(at, end) + 1) {
        routine_time one;
        int address;
        if (sscanf(at, "%*s %i %15s %*s %*s %15s", &address, one.shortest, one.longest) != 3) continue;
        routine_time *grown =
            oak_grow(&server->host, times->list, &times->room, times->count + 1, sizeof *grown);
        if (!grown) break;
        times->list = grown;
        one.address = (uint32_t)address;
        grown[times->count++] = one;
    }
    oak_buf_close(&text);
}

static void tell_time(const routine_times *times, uint32_t address, char *title, size_t room)
{
    for (size_t i = 0; i < times->count; i++) {
        const routine_time *one = &times->list[i];
        size_t used = strlen(title);
        if (one->address != address || one->shortest[0] < '0' || one->shortest[0] > '9') continue;
        if (strcmp(one->shortest, one->longest) == 0)
            snprintf(title + used, room - used, ", %s cycles with all it calls", one->shortest);
        else if (one->longest[0] == '-')
            snprintf(title + used, room - used, ", %s cycles or more with all it calls", one->shortest);
        else
            snprintf(title + used, room - used, ", %s to %s cycles with all it calls", one->shortest,
                     one->longest);
        return;
    }
}

static bool begins_routine(const serve_spot *spot, const serve_name *name)
{
    return name->kind == OAK_WORD_LABEL && !strchr(name->name, '.') &&
           strcmp(name->file, spot->text->path) == 0;
}

/* At the top of a file with trials beside it (guard.asm, guard.trial.yaml): to run them, which the editor does. */
static void offer_trials(oak_server *server, const serve_spot *spot, cJSON *list)
{
    char path[4096];
    uint8_t *bytes = NULL;
    size_t size = 0, length = strlen(spot->text->path);
    const char *point = strrchr(spot->text->path, '.');
    if (point && !strchr(point, '/')) length = (size_t)(point - spot->text->path);
    snprintf(path, sizeof path, "%.*s.trial.yaml", (int)(length < 4000 ? length : 4000), spot->text->path);
    if (server->host.read_file(server->host.context, path, 1 << 20, &bytes, &size)) return;
    if (bytes) server->host.resize(server->host.context, bytes, size, 0);
    cJSON *one = cJSON_CreateObject();
    cJSON_AddItemToObject(one, "range", serve_range(server, spot->text, 0, 0, 0));
    cJSON *command = cJSON_AddObjectToObject(one, "command");
    cJSON_AddStringToObject(command, "title", "run the trials");
    cJSON_AddStringToObject(command, "command", "spindle.trial");
    cJSON_AddItemToArray(cJSON_AddArrayToObject(command, "arguments"), cJSON_CreateString(path));
    cJSON_InsertItemInArray(list, 0, one);
}

/* Above each label of code that is not local: the bytes up to the next one, and the sum of the fewest cycles of its lines. */
cJSON *serve_lenses(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    (void)why;
    if (!serve_spot_at(server, parameters, &spot)) return NULL;
    cJSON *result = cJSON_CreateArray();
    serve_names(server, spot.unit);
    const serve_unit *unit = spot.unit;
    line_sum *sums = sums_of(server, &spot);
    routine_times times = {0};
    if (unit->good) look_at_routines(server, unit, &times);
    uint32_t end = (uint32_t)spot.text->line_count; /* from the last one upwards */
    for (size_t i = unit->name_count; sums && unit->good && i-- > 0;) {
        const serve_name *name = &unit->names[i];
        if (!begins_routine(&spot, name)) continue;
        const oak_symbol *symbol = serve_symbol(unit, name->file, name->name);
        unsigned bytes = sums[end].bytes - sums[name->line].bytes,
                 cycles = sums[end].cycles - sums[name->line].cycles;
        end = name->line;
        if (!symbol || symbol->space != unit->part->architecture->code_space || !cycles) continue;
        char title[200];
        snprintf(title, sizeof title, "%u byte%s, %u cycle%s once through, %u use%s", bytes,
                 bytes == 1 ? "" : "s", cycles, cycles == 1 ? "" : "s", symbol->uses,
                 symbol->uses == 1 ? "" : "s");
        tell_time(&times, (uint32_t)symbol->value, title, sizeof title);
        cJSON *one = cJSON_CreateObject();
        cJSON_AddItemToObject(one, "range",
                              serve_range(server, spot.text, name->line, name->at, name->at + name->length));
        cJSON *command = cJSON_AddObjectToObject(one, "command");
        cJSON_AddStringToObject(command, "title", title);
        cJSON_AddStringToObject(command, "command", "");
        cJSON_InsertItemInArray(result, 0, one);
    }
    if (sums) server->host.resize(server->host.context, sums, (spot.text->line_count + 2) * sizeof *sums, 0);
    offer_trials(server, &spot, result);
    oak_release(&server->host, times.list, times.room, sizeof *times.list);
    return result;
}
