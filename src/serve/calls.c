/* calls.c — see server.h: who calls a routine, and whom it calls: the protocol's hierarchy of calls. What is a call is known from the code of the
 * program, so there are calls as long as it has no errors. */
#include "asm/program.h"
#include "isa/isa.h"
#include "serve/server.h"

bool serve_decode(const serve_unit *unit, uint32_t address, oak_decoded *decoded,
                  uint8_t bytes[SERVE_LONGEST_CODE])
{
    const oak_isa *isa = oak_isa_find(unit->part->architecture->name);
    uint32_t unit_bytes = oak_unit_bytes(&isa->about, isa->about.code_space);
    oak_image_read(unit->program->image, address * unit_bytes, 0xFF, bytes, SERVE_LONGEST_CODE);
    return !isa->decode(unit->program->tables, bytes, SERVE_LONGEST_CODE, address, 0, decoded) &&
           decoded->size;
}

static bool is_call(const serve_unit *unit, const char *file, uint32_t line)
{
    oak_line found;
    oak_decoded decoded;
    uint8_t bytes[SERVE_LONGEST_CODE];
    const oak_program *program = unit->program;
    const oak_isa *isa = oak_isa_find(unit->part->architecture->name);
    if (!unit->good || oak_program_find_line(program, file, strlen(file), line + 1, &found) ||
        found.line != line + 1 || strcmp(found.file, file) != 0)
        return false;
    unsigned unit_bytes = oak_unit_bytes(&isa->about, isa->about.code_space);
    for (uint32_t at = 0; at < found.size;) { /* a jump or call to any place may be several instructions */
        uint32_t address = found.address + at / unit_bytes;
        if (!serve_decode(unit, address, &decoded, bytes)) return false;
        if (isa->flow_of(program->tables, decoded.row, bytes, 0) == OAK_FLOW_CALL) return true;
        at += decoded.size * unit_bytes;
    }
    return false;
}

static bool is_routine(const serve_name *name)
{
    return name->kind == OAK_WORD_LABEL && !name->left_out && name->name[0] != '.';
}

/* The label that is not local in or above a name, in its file; NULL. */
static const serve_name *routine_of(const serve_unit *unit, size_t number)
{
    for (size_t i = number + 1; i-- > 0 && strcmp(unit->names[i].file, unit->names[number].file) == 0;)
        if (is_routine(&unit->names[i])) return &unit->names[i];
    return NULL;
}

static cJSON *item_of(oak_server *server, const serve_name *name)
{
    enum { FUNCTION = 12 };
    const serve_text *text = serve_load_text(server, name->file);
    cJSON *item = cJSON_CreateObject();
    cJSON_AddStringToObject(item, "name", name->name);
    cJSON_AddNumberToObject(item, "kind", FUNCTION);
    cJSON_AddItemToObject(item, "uri", serve_uri(name->file));
    cJSON_AddItemToObject(item, "range",
                          serve_range(server, text, name->line, name->at, name->at + name->length));
    cJSON_AddItemToObject(item, "selectionRange",
                          serve_range(server, text, name->line, name->at, name->at + name->length));
    return item;
}

/* The routine that an item of ours is, in its unit. */
static const serve_name *routine_named(oak_server *server, const cJSON *item, serve_spot *spot)
{
    cJSON *place = cJSON_CreateObject(), *document = cJSON_AddObjectToObject(place, "textDocument");
    cJSON_AddItemToObject(document, "uri", cJSON_Duplicate(cJSON_GetObjectItem(item, "uri"), true));
    cJSON_AddItemToObject(
        place, "position",
        cJSON_Duplicate(cJSON_GetObjectItem(cJSON_GetObjectItem(item, "selectionRange"), "start"), true));
    bool good = serve_spot_at(server, place, spot) && *spot->name;
    const serve_name *found =
        good ? serve_definition(server, spot->unit, spot->text->path, spot->name) : NULL;
    cJSON_Delete(place);
    return found && is_routine(found) ? found : NULL;
}

cJSON *serve_prepare_calls(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    (void)why;
    if (!serve_spot_at(server, parameters, &spot) || !*spot.name) return NULL;
    const serve_name *found = serve_definition(server, spot.unit, spot.text->path, spot.name);
    if (!found || !is_routine(found)) return NULL;
    cJSON *result = cJSON_CreateArray();
    cJSON_AddItemToArray(result, item_of(server, found));
    return result;
}

/* Adds a place to the entry of another routine, which is made when it is the first one. */
static void add_call(oak_server *server, cJSON *list, const char *role, const serve_name *other,
                     const serve_name *at)
{
    cJSON *entry;
    cJSON_ArrayForEach(entry, list)
    {
        const cJSON *item = cJSON_GetObjectItem(entry, role), *name = cJSON_GetObjectItem(item, "name");
        if (strcmp(cJSON_GetStringValue(name), other->name) == 0) break;
    }
    if (!entry) {
        entry = cJSON_CreateObject();
        cJSON_AddItemToObject(entry, role, item_of(server, other));
        cJSON_AddArrayToObject(entry, "fromRanges");
        cJSON_AddItemToArray(list, entry);
    }
    cJSON_AddItemToArray(
        cJSON_GetObjectItem(entry, "fromRanges"),
        serve_range(server, serve_load_text(server, at->file), at->line, at->at, at->at + at->length));
}

static cJSON *calls(oak_server *server, const cJSON *parameters, bool incoming)
{
    serve_spot spot;
    const serve_name *routine = routine_named(server, cJSON_GetObjectItem(parameters, "item"), &spot);
    if (!routine) return NULL;
    cJSON *result = cJSON_CreateArray();
    const serve_unit *unit = spot.unit;
    for (size_t i = 0; i < unit->name_count; i++) {
        const serve_name *use = &unit->names[i],
                         *within = use->kind == OAK_WORD_NAME ? routine_of(unit, i) : NULL;
        if (!within || (!incoming && within != routine)) continue;
        if (incoming && !oak_same_name(routine->name, strlen(routine->name), use->name)) continue;
        const serve_name *called = serve_definition(server, spot.unit, use->file, use->name);
        if (!called || !is_routine(called) || (incoming && called != routine) ||
            !is_call(unit, use->file, use->line))
            continue;
        add_call(server, result, incoming ? "from" : "to", incoming ? within : called, use);
    }
    return result;
}

cJSON *serve_calls_in(oak_server *server, const cJSON *parameters, const char **why)
{
    (void)why;
    return calls(server, parameters, true);
}

cJSON *serve_calls_out(oak_server *server, const cJSON *parameters, const char **why)
{
    (void)why;
    return calls(server, parameters, false);
}
