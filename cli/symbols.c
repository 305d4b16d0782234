/* symbols.c — symbols and lines of a program as JSON, both ways (docs/symbol-files.md). */
#include <string.h>

#include "cli.h"

static const char *const kinds[] = {"label", "constant", "variable"};

cJSON *cli_symbols_json(const oak_program *program)
{
    const oak_architecture *about = oak_program_part(program)->architecture;
    cJSON *root = cJSON_CreateObject();
    cJSON_AddStringToObject(root, "part", oak_program_part(program)->name);
    cJSON *symbols = cJSON_AddArrayToObject(root, "symbols");
    const oak_symbol *symbol;
    for (unsigned i = 0; (symbol = oak_program_symbol(program, i)); i++) {
        cJSON *item = cJSON_CreateObject();
        cJSON_AddStringToObject(item, "name", symbol->name);
        cJSON_AddStringToObject(item, "kind", kinds[symbol->kind]);
        cJSON_AddStringToObject(item, "space", about->spaces[symbol->space].name);
        cJSON_AddNumberToObject(item, "value", (double)symbol->value);
        if (symbol->file) cJSON_AddStringToObject(item, "file", symbol->file);
        cJSON_AddNumberToObject(item, "line", symbol->line);
        cJSON_AddNumberToObject(item, "uses", symbol->uses);
        if (symbol->bytes) cJSON_AddNumberToObject(item, "bytes", symbol->bytes);
        if (symbol->size) cJSON_AddNumberToObject(item, "size", symbol->size);
        cJSON_AddItemToArray(symbols, item);
    }
    cJSON *lines = cJSON_AddArrayToObject(root, "lines");
    oak_line line;
    for (unsigned i = 0; oak_program_line(program, i, &line) == OAK_OK; i++) {
        cJSON *item = cJSON_CreateObject();
        cJSON_AddNumberToObject(item, "at", line.address);
        cJSON_AddNumberToObject(item, "size", line.size);
        cJSON_AddStringToObject(item, "file", line.file);
        cJSON_AddNumberToObject(item, "line", line.line);
        cJSON_AddItemToArray(lines, item);
    }
    return root;
}

static bool whole(const cJSON *object, const char *name, double most, uint32_t *value)
{
    const cJSON *item = cJSON_GetObjectItemCaseSensitive(object, name);
    if (!cJSON_IsNumber(item) || !(item->valuedouble >= 0) || item->valuedouble > most) return false;
    *value = (uint32_t)item->valuedouble;
    return true;
}

static bool add_symbol(const cJSON *item, oak_program *program)
{
    const oak_part *part = oak_program_part(program);
    const char *name = cJSON_GetStringValue(cJSON_GetObjectItemCaseSensitive(item, "name"));
    const char *kind = cJSON_GetStringValue(cJSON_GetObjectItemCaseSensitive(item, "kind"));
    const char *space = cJSON_GetStringValue(cJSON_GetObjectItemCaseSensitive(item, "space"));
    const cJSON *value = cJSON_GetObjectItemCaseSensitive(item, "value");
    oak_symbol symbol = {.name = name,
                         .file = cJSON_GetStringValue(cJSON_GetObjectItemCaseSensitive(item, "file"))};
    if (!name || !kind || !space || !cJSON_IsNumber(value) ||
        !(value->valuedouble > -9e15 && value->valuedouble < 9e15))
        return false;
    for (unsigned i = 0; i < 3; i++)
        if (strcmp(kind, kinds[i]) == 0) symbol.kind = (oak_symbol_kind)i;
    symbol.space = (uint8_t)oak_part_find_space(part, space, strlen(space));
    symbol.value = (int64_t)value->valuedouble;
    uint32_t bytes = 0;
    whole(item, "line", 4e9, &symbol.line);
    whole(item, "bytes", 8, &bytes);
    whole(item, "size", 4294967295.0, &symbol.size);
    symbol.bytes = (uint8_t)bytes;
    return oak_program_add_symbol(program, &symbol) == OAK_OK;
}

static bool add_line(const cJSON *item, oak_program *program)
{
    oak_line line = {.file = cJSON_GetStringValue(cJSON_GetObjectItemCaseSensitive(item, "file"))};
    if (!line.file || !whole(item, "at", 4294967295.0, &line.address) ||
        !whole(item, "size", 65536, &line.size) || !whole(item, "line", 4e9, &line.line))
        return false;
    return oak_program_add_line(program, &line) == OAK_OK;
}

bool cli_read_symbols(cli *self, const char *path, oak_program *program)
{
    uint8_t *bytes;
    size_t size;
    oak_status status = self->host.read_file(self->host.context, path, 256u << 20, &bytes, &size);
    if (status) {
        cli_failed(self, status, path);
        return false;
    }
    cJSON *root = cJSON_ParseWithLength(bytes ? (const char *)bytes : "", size);
    const cJSON *item;
    bool good = cJSON_IsObject(root);
    cJSON_ArrayForEach(item, cJSON_GetObjectItemCaseSensitive(root, "symbols")) good =
        good && add_symbol(item, program);
    cJSON_ArrayForEach(item, cJSON_GetObjectItemCaseSensitive(root, "lines")) good =
        good && add_line(item, program);
    cJSON_Delete(root);
    self->host.resize(self->host.context, bytes, size, 0);
    if (good) return true;
    if (cli_memory_lost()) return cli_failed(self, OAK_NO_MEMORY, path) == EXIT_DONE;
    oak_diagnostic d = {.severity = OAK_ERROR,
                        .code = "symbol-file",
                        .file = path,
                        .message = "this is no symbol file",
                        .hint = "Symbol files are written by `spindle asm --symbols F.json`."};
    self->sink.report(self->sink.context, &d);
    return false;
}
