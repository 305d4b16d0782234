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

/* What lies below an address, of all lines of the program, in the order of addresses: what macros become is in it, too. */
typedef struct code_sum {
    uint32_t address;
    unsigned bytes, cycles; /* of the lines before this one */
} code_sum;
typedef struct code_sums {
    code_sum *list;
    size_t count, room;
} code_sums;

static bool sum_up(oak_server *server, const serve_spot *spot, code_sums *sums)
{
    oak_line line;
    code_sum next = {0};
    unsigned unit =
        oak_unit_bytes(spot->unit->part->architecture, spot->unit->part->architecture->code_space);
    for (unsigned i = 0; line_of(spot, i, &line); i++) {
        code_sum *grown = oak_grow(&server->host, sums->list, &sums->room, sums->count + 2, sizeof *grown);
        if (!grown) return false;
        sums->list = grown;
        next.address = line.address;
        grown[sums->count++] = next;
        next.address += line.size / unit;
        next.bytes += line.size;
        next.cycles += line.cycles;
    }
    if (sums->count) sums->list[sums->count++] = next;
    return sums->count > 0;
}

/* The first at or behind an address. */
static const code_sum *sum_at(const code_sums *sums, uint32_t address)
{
    size_t low = 0, high = sums->count - 1;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (sums->list[middle].address < address) low = middle + 1;
        else high = middle;
    }
    return &sums->list[low];
}

/* A branch or jump back to a label of the same file ends a loop: what a round of it costs, straight through. */
static void tell_round(oak_server *server, const serve_spot *spot, const oak_line *line,
                       const oak_word *words, size_t count, const char *of, const code_sums *sums, char *text,
                       size_t room)
{
    oak_decoded decoded;
    uint8_t bytes[SERVE_LONGEST_CODE];
    const serve_unit *unit = spot->unit;
    const oak_isa *isa = oak_isa_find(unit->part->architecture->name);
    if (!sums->count || !serve_decode(unit, line->address, &decoded, bytes)) return;
    oak_flow flow = isa->flow_of(unit->program->tables, decoded.row, bytes, 0);
    if (flow != OAK_FLOW_BRANCH && flow != OAK_FLOW_JUMP) return;
    for (size_t i = count < MOST_WORDS ? count : MOST_WORDS; i-- > 0;) {
        char name[2 * LONGEST_NAME];
        size_t scoped = 0;
        if (words[i].kind != OAK_WORD_NAME || words[i].length >= LONGEST_NAME) continue;
        if (of[words[i].at] == '.')
            scoped = serve_scope(spot->unit, spot->text, line->line - 1, name, LONGEST_NAME);
        memcpy(name + scoped, of + words[i].at, words[i].length);
        name[scoped + words[i].length] = 0;
        const serve_name *to = serve_definition(server, spot->unit, spot->text->path, name);
        const oak_symbol *symbol = to && to->kind == OAK_WORD_LABEL && strcmp(to->file, spot->text->path) == 0
                                       ? serve_symbol(unit, to->file, name)
                                       : NULL;
        if (!symbol || symbol->space != isa->about.code_space || symbol->value >= line->address) continue;
        const code_sum *first = sum_at(sums, (uint32_t)symbol->value),
                       *last =
                           sum_at(sums, line->address +
                                            line->size / oak_unit_bytes(&isa->about, isa->about.code_space));
        snprintf(text, room, ", a round %u cy, %u B", last->cycles - first->cycles,
                 last->bytes - first->bytes);
        return;
    }
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
    code_sums sums = {0};
    if (spot.unit->good) (void)sum_up(server, &spot, &sums);
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
        char label[160], became[60], round[60] = "";
        tell_became(&spot, &line, words, count, of, became, sizeof became);
        tell_round(server, &spot, &line, words, count, of, &sums, round, sizeof round);
        snprintf(label, sizeof label, "%u cy, %u B%s%s", line.cycles, line.size, became, round);
        cJSON *one = cJSON_CreateObject(), *place = cJSON_AddObjectToObject(one, "position");
        cJSON_AddNumberToObject(place, "line", line.line - 1);
        cJSON_AddNumberToObject(place, "character", serve_column(server, of, size, end));
        cJSON_AddStringToObject(one, "label", label);
        cJSON_AddBoolToObject(one, "paddingLeft", true);
        cJSON_AddStringToObject(one, "tooltip", "the fewest cycles and the bytes of this line");
        cJSON_AddItemToArray(result, one);
    }
    oak_release(&server->host, sums.list, sums.room, sizeof *sums.list);
    return result;
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
/* What lies one behind the other from an address on, at most up to another one. */
static code_sum stretch_of(const code_sums *sums, uint32_t from, uint32_t to, unsigned unit)
{
    const code_sum *first = sum_at(sums, from), *last = first, *end = sums->list + sums->count - 1;
    if (first->address != from) return (code_sum){0};
    while (last < end && last->address < to &&
           (last[1].address - last->address) * unit == last[1].bytes - last->bytes)
        last++;
    return (code_sum){.bytes = last->bytes - first->bytes, .cycles = last->cycles - first->cycles};
}

cJSON *serve_lenses(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    (void)why;
    if (!serve_spot_at(server, parameters, &spot)) return NULL;
    cJSON *result = cJSON_CreateArray();
    serve_names(server, spot.unit);
    const serve_unit *unit = spot.unit;
    code_sums sums = {0};
    routine_times times = {0};
    const oak_architecture *about = unit->part->architecture;
    if (unit->good && sum_up(server, &spot, &sums)) look_at_routines(server, unit, &times);
    uint32_t next = UINT32_MAX; /* from the last one upwards */
    for (size_t i = unit->name_count; sums.count && i-- > 0;) {
        const serve_name *name = &unit->names[i];
        const oak_symbol *symbol =
            begins_routine(&spot, name) ? serve_symbol(unit, name->file, name->name) : NULL;
        if (!symbol || symbol->space != about->code_space) continue;
        uint32_t at = (uint32_t)symbol->value, to = next > at ? next : UINT32_MAX;
        code_sum costs = stretch_of(&sums, at, to, oak_unit_bytes(about, about->code_space));
        unsigned bytes = costs.bytes, cycles = costs.cycles;
        next = at;
        if (!cycles) continue;
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
    oak_release(&server->host, sums.list, sums.room, sizeof *sums.list);
    offer_trials(server, &spot, result);
    oak_release(&server->host, times.list, times.room, sizeof *times.list);
    return result;
}
