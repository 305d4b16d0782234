/* texts.c — see server.h: the texts that editors have open, kept as bytes with the beginnings of their lines. */
#include "serve/server.h"

#include "base/bytes.h"

enum { LARGEST_TEXT = 16 << 20 };

/* ------------------------------------------------------------------------------------------ names of files */

bool oak_serve_path(const char *uri, char *text, size_t room)
{
    static const char scheme[] = "file://";
    size_t size = 0;
    if (!uri || !text || !room || strncmp(uri, scheme, sizeof scheme - 1) != 0) return false;
    for (const char *at = uri + sizeof scheme - 1; *at && size < room; at++) {
        int high = *at == '%' ? oak_hex_digit(at[1]) : -1, low = high >= 0 ? oak_hex_digit(at[2]) : -1;
        text[size++] = low >= 0 ? (char)(high * 16 + low) : *at;
        if (low >= 0) at += 2;
    }
    if (size == room) return false;
    text[size] = 0;
    return true;
}

bool oak_serve_uri(const char *path, char *text, size_t room)
{
    static const char digits[] = "0123456789ABCDEF", plain[] = "/-_.~", scheme[] = "file://";
    size_t at = sizeof scheme - 1;
    if (!path || !text || room < sizeof scheme) return false;
    memcpy(text, scheme, at);
    for (const char *c = path; *c; c++) {
        if (at + 4 > room) return false;
        if (oak_is_word(*c) || strchr(plain, *c)) text[at++] = *c;
        else {
            text[at++] = '%';
            text[at++] = digits[(unsigned char)*c >> 4];
            text[at++] = digits[*c & 15];
        }
    }
    text[at] = 0;
    return true;
}

char *serve_path(oak_server *server, const char *uri)
{
    char path[LONGEST_PATH];
    return oak_serve_path(uri, path, sizeof path) ? serve_copy(server, path) : NULL;
}

cJSON *serve_uri(const char *path)
{
    char text[3 * LONGEST_PATH + 8];
    return cJSON_CreateString(oak_serve_uri(path, text, sizeof text) ? text : "");
}

/* ------------------------------------------------------------------------------------------ texts */

serve_text *serve_find_text(oak_server *server, const char *path)
{
    for (size_t i = 0; i < server->text_count; i++)
        if (strcmp(server->texts[i]->path, path) == 0) return server->texts[i];
    serve_text **grown =
        oak_grow(&server->host, server->texts, &server->text_room, server->text_count + 1, sizeof *grown);
    serve_text *text = grown ? server->host.resize(server->host.context, NULL, 0, sizeof *text) : NULL;
    if (grown) server->texts = grown;
    if (!text) return NULL;
    *text = (serve_text){.path = serve_copy(server, path)};
    oak_buf_open(&text->bytes, &server->host);
    if (!text->path) {
        server->host.resize(server->host.context, text, sizeof *text, 0);
        return NULL;
    }
    return server->texts[server->text_count++] = text;
}

void serve_drop_text(oak_server *server, serve_text *text)
{
    size_t i = 0;
    while (i < server->text_count && server->texts[i] != text) i++;
    if (i == server->text_count) return;
    server->texts[i] = server->texts[--server->text_count];
    oak_buf_close(&text->bytes);
    oak_release(&server->host, text->lines, text->line_room, sizeof *text->lines);
    serve_free(server, text->path);
    server->host.resize(server->host.context, text, sizeof *text, 0);
}

static bool find_lines(oak_server *server, serve_text *text)
{
    const char *start = text->bytes.bytes, *end = start + text->bytes.size;
    text->line_count = 0;
    for (const char *at = start;;) {
        size_t *grown =
            oak_grow(&server->host, text->lines, &text->line_room, text->line_count + 1, sizeof *grown);
        if (!grown) return false;
        text->lines = grown;
        grown[text->line_count++] = at ? (size_t)(at - start) : 0;
        const char *next = text->bytes.size ? memchr(at, '\n', (size_t)(end - at)) : NULL;
        if (!next) return true;
        at = next + 1;
    }
}

bool serve_set_text(oak_server *server, serve_text *text, const char *bytes, size_t size)
{
    text->bytes.size = 0;
    text->bytes.failed = false;
    oak_buf_add(&text->bytes, bytes, size);
    return !text->bytes.failed && find_lines(server, text);
}

serve_text *serve_load_text(oak_server *server, const char *path)
{
    serve_text *text = serve_find_text(server, path);
    if (!text || text->open || (text->read_at == server->turn && text->line_count)) return text;
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_status status = server->host.read_file(server->host.context, path, LARGEST_TEXT, &bytes, &size);
    bool good = !status && serve_set_text(server, text, bytes ? (const char *)bytes : "", size);
    if (bytes) server->host.resize(server->host.context, bytes, size, 0);
    if (!good) {
        serve_drop_text(server, text);
        return NULL;
    }
    text->read_at = server->turn;
    return text;
}

/* The line without its end. */
const char *serve_line(const serve_text *text, size_t line, size_t *size)
{
    *size = 0;
    if (line >= text->line_count || !text->bytes.size) return "";
    size_t from = text->lines[line],
           to = line + 1 < text->line_count ? text->lines[line + 1] - 1 : text->bytes.size;
    if (to > from && text->bytes.bytes[to - 1] == '\r') to--;
    *size = to - from;
    return text->bytes.bytes + from;
}

/* ------------------------------------------------------------------------------------------ places */

/* Bytes of a character, and how many units the client counts for it. What is no UTF-8 is a byte. */
static size_t character_at(const oak_server *server, const char *at, const char *end, unsigned *units)
{
    unsigned char first = (unsigned char)*at;
    size_t length = first < 0xC0 ? 1 : first < 0xE0 ? 2 : first < 0xF0 ? 3 : 4;
    if ((size_t)(end - at) < length) length = 1;
    for (size_t i = 1; i < length; i++)
        if ((at[i] & 0xC0) != 0x80) length = 1;
    *units = server->bytes ? (unsigned)length : length == 4 ? 2 : 1;
    return length;
}

unsigned serve_column(const oak_server *server, const char *line, size_t size, size_t at)
{
    unsigned column = 0, units;
    if (server->bytes) return (unsigned)(at < size ? at : size);
    for (const char *c = line; c < line + size && c < line + at; column += units)
        c += character_at(server, c, line + size, &units);
    return column;
}

size_t serve_byte(const oak_server *server, const char *line, size_t size, double column)
{
    const char *at = line;
    for (unsigned gone = 0, units; at < line + size && gone < column; gone += units)
        at += character_at(server, at, line + size, &units);
    return (size_t)(at - line);
}

static void add_place(cJSON *to, const char *name, size_t line, unsigned column)
{
    cJSON *place = cJSON_AddObjectToObject(to, name);
    cJSON_AddNumberToObject(place, "line", (double)line);
    cJSON_AddNumberToObject(place, "character", column);
}

cJSON *serve_range(const oak_server *server, const serve_text *text, size_t line, size_t from, size_t to)
{
    size_t size = 0;
    const char *of = text ? serve_line(text, line, &size) : "";
    cJSON *range = cJSON_CreateObject();
    add_place(range, "start", line, serve_column(server, of, size, from));
    add_place(range, "end", line, serve_column(server, of, size, to));
    return range;
}

bool serve_place(const oak_server *server, const serve_text *text, const cJSON *position, size_t *line,
                 size_t *at)
{
    double row = cJSON_GetNumberValue(cJSON_GetObjectItem(position, "line")),
           column = cJSON_GetNumberValue(cJSON_GetObjectItem(position, "character"));
    if (!(row >= 0) || !(column >= 0)) return false;
    size_t size;
    bool behind = row >= (double)text->line_count;
    *line = behind ? text->line_count - 1 : (size_t)row;
    const char *of = serve_line(text, *line, &size);
    *at = behind ? size : serve_byte(server, of, size, column);
    return true;
}

/* ------------------------------------------------------------------------------------------ changes */

static bool replace(oak_server *server, serve_text *text, const cJSON *range, const char *by)
{
    size_t line, at, from, to, length = strlen(by);
    if (!text->line_count || !serve_place(server, text, cJSON_GetObjectItem(range, "start"), &line, &at))
        return false;
    from = text->lines[line] + at;
    if (!serve_place(server, text, cJSON_GetObjectItem(range, "end"), &line, &at)) return false;
    to = text->lines[line] + at;
    if (to < from) return false;
    oak_buf made;
    oak_buf_open(&made, &server->host);
    oak_buf_add(&made, text->bytes.bytes, from);
    oak_buf_add(&made, by, length);
    oak_buf_add(&made, text->bytes.bytes + to, text->bytes.size - to);
    if (made.failed) {
        oak_buf_close(&made);
        return false;
    }
    oak_buf_close(&text->bytes);
    text->bytes = made;
    return find_lines(server, text);
}

void serve_change_text(oak_server *server, const cJSON *parameters)
{
    const cJSON *document = cJSON_GetObjectItem(parameters, "textDocument"),
                *uri = cJSON_GetObjectItem(document, "uri"), *change;
    char *path = cJSON_IsString(uri) ? serve_path(server, uri->valuestring) : NULL;
    serve_text *text = path ? serve_find_text(server, path) : NULL;
    serve_free(server, path);
    if (!text || !text->open) {
        if (text) serve_drop_text(server, text);
        return;
    }
    cJSON_ArrayForEach(change, cJSON_GetObjectItem(parameters, "contentChanges"))
    {
        const cJSON *by = cJSON_GetObjectItem(change, "text"), *range = cJSON_GetObjectItem(change, "range");
        if (!cJSON_IsString(by)) continue;
        if (range) (void)replace(server, text, range, by->valuestring);
        else (void)serve_set_text(server, text, by->valuestring, strlen(by->valuestring));
    }
    text->version = (int)cJSON_GetNumberValue(cJSON_GetObjectItem(document, "version"));
}
