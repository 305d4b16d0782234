/* memory.c — the verbs of the bench on stretches of memory: looking, following a pointer, searching, filling, copying,
 * to files and from them. */
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "bench.h"

/* "REST as WORDS": takes the words off, into *cells. False after a message. The copy is the caller's to free. */
static bool take_cells(bench *b, const char *rest, cli_cells *cells, char **copy)
{
    char *as = NULL;
    *copy = strdup(rest);
    if (!*copy) return false;
    for (char *p = *copy; (p = strstr(p, " as ")); p += 4) as = p;
    *cells = (cli_cells){0};
    if (as) *as = 0;
    if (!as || cli_read_cells(b->self, b->session, as + 4, cells)) return true;
    free(*copy);
    return false;
}

/* Shows what the memory pane shows. */
static bool show_pane(bench *b, const char *words)
{
    char text[300];
    if (b->view) return true;
    snprintf(text, sizeof text, "%s[0x%lx..0x%lx]%s%s",
             oak_session_part(b->session)->architecture->spaces[b->memory_space].name,
             (unsigned long)b->memory_from, (unsigned long)b->memory_to, words ? " as " : "",
             words ? words : "");
    return cli_show(b->self, b->session, text, false);
}

static const char *words_of(const char *rest)
{
    const char *words = NULL;
    for (const char *p = rest; (p = strstr(p, " as ")); p += 4) words = p + 4;
    return words;
}

/* For doing it again after the program was read anew. */
static void remember(bench *b, const char *verb, const char *rest)
{
    size_t room = strlen(verb) + strlen(rest) + 2;
    free(b->shown_memory);
    b->shown_memory = malloc(room);
    if (b->shown_memory) snprintf(b->shown_memory, room, "%s %s", verb, rest);
}

/* memory RANGE [as …]: shows it, and the full-screen view goes on showing it. */
bool bench_memory(bench *b, const char *rest)
{
    unsigned space;
    uint32_t from, to;
    cli_cells cells;
    char *range;
    if (!*rest) return bench_complain(b, "Write `memory $S[$a..$b]`.", "a stretch of memory is missing");
    if (!take_cells(b, rest, &cells, &range)) return false;
    bool good = oak_session_range(b->session, range, &b->self->sink, &space, &from, &to) == OAK_OK;
    free(range);
    if (!good) return false;
    b->memory_space = space;
    b->memory_from = from;
    b->memory_to = to;
    b->cells = cells;
    free(b->follow);
    b->follow = NULL;
    remember(b, "memory", rest);
    return show_pane(b, words_of(rest));
}

/* ------------------------------------------------------------------------------------------ following */

bool bench_follow_now(bench *b)
{
    enum { SHOWN = 64 };
    oak_reading reading;
    uint8_t byte;
    if (!b->follow) return true;
    if (oak_session_value(b->session, b->follow, &oak_silent, &reading)) return false;
    oak_chip_port chip = oak_session_chip(b->session);
    uint32_t from = (uint32_t)reading.value;
    b->memory_from = b->memory_to = from;
    while (b->memory_to - from < SHOWN - 1 &&
           !chip.ops->read_memory(chip.chip, b->memory_space, b->memory_to + 1, &byte, 1))
        b->memory_to++;
    return chip.ops->read_memory(chip.chip, b->memory_space, from, &byte, 1) == OAK_OK;
}

/* Where a pointer points to: what a register is there for, else where variables lie. */
static unsigned space_of_pointer(bench *b, const char *expression)
{
    const oak_part *part = oak_session_part(b->session);
    for (unsigned i = 0; i < part->architecture->register_count; i++)
        if (strcasecmp(expression, oak_register_called(part->architecture, i)) == 0 &&
            part->architecture->registers[i].points_to)
            return part->architecture->registers[i].points_to;
    for (unsigned i = 0; i < part->memory_count; i++)
        if (part->memories[i].writable) return part->memories[i].space;
    return part->architecture->code_space;
}

/* follow E [in SPACE] [as …]: memory from where a pointer points on, wherever that is after each step. */
bool bench_follow(bench *b, const char *rest)
{
    cli_cells cells;
    char *expression;
    oak_reading reading;
    if (!*rest)
        return bench_complain(b, "Write `follow $Q`, `follow r0 in $S`, `follow sp as 4 bytes`.",
                              "a pointer is missing");
    if (!take_cells(b, rest, &cells, &expression)) return false;
    char *in = strstr(expression, " in ");
    if (in) *in = 0;
    const oak_part *part = oak_session_part(b->session);
    unsigned space = in ? oak_part_find_space(part, in + 4, strlen(in + 4)) : space_of_pointer(b, expression);
    if (!space || part->architecture->spaces[space].of_bits) {
        bench_complain(b, NULL, "%s has no memory space `%s`", part->name, in ? in + 4 : "?");
        free(expression);
        return false;
    }
    if (oak_session_value(b->session, expression, &b->self->sink, &reading)) {
        free(expression);
        return false;
    }
    free(b->follow);
    b->follow = expression;
    b->memory_space = space;
    b->cells = cells;
    remember(b, "follow", rest);
    if (!bench_follow_now(b))
        return b->view ||
               bench_complain(b, NULL, "%s points to 0x%llx now, where there is no %s", expression,
                              (unsigned long long)reading.value, part->architecture->spaces[space].title);
    return show_pane(b, words_of(rest));
}

/* ------------------------------------------------------------------------------------------ searching and changing */

bool bench_matches(bench *b, const char *rest, uint32_t *at, unsigned room, unsigned *found, unsigned *space)
{
    const char *in = strstr(rest, " in ");
    uint8_t wanted[64];
    size_t count = 0;
    uint32_t from, to;
    *found = 0;
    if (!in)
        return bench_complain(b, "Write `find 12 ff in $S[$a..$b]` or `find \"oak\" in $S[$a..$b]`.",
                              "`in` and a range are missing");
    if (*rest == '"')
        for (const char *p = rest + 1; p < in && *p != '"' && count < sizeof wanted; p++)
            wanted[count++] = (uint8_t)*p;
    else
        for (const char *p = rest; p < in && count < sizeof wanted;) {
            char *end;
            unsigned long byte = strtoul(p, &end, 16);
            if (end == p || byte > 0xFF)
                return bench_complain(b, "Bytes are hexadecimal, from 0 to ff.", "`%.*s` are no bytes",
                                      (int)(in - rest), rest);
            wanted[count++] = (uint8_t)byte;
            p = end;
            while (*p == ' ' && p < in) p++;
        }
    if (oak_session_range(b->session, in + 4, &b->self->sink, space, &from, &to)) return false;
    oak_chip_port chip = oak_session_chip(b->session);
    for (uint64_t here = from; count && here + count - 1 <= to; here++) {
        size_t same = 0;
        uint8_t byte;
        while (same < count && !chip.ops->read_memory(chip.chip, *space, (uint32_t)(here + same), &byte, 1) &&
               byte == wanted[same])
            same++;
        if (same < count) continue;
        if (*found < room) at[*found] = (uint32_t)here;
        ++*found;
    }
    return true;
}

/* find BYTES|"TEXT" in RANGE */
bool bench_find(bench *b, const char *rest)
{
    enum { SHOWN = 20 };
    uint32_t at[SHOWN];
    unsigned found, space;
    if (!bench_matches(b, rest, at, SHOWN, &found, &space)) return false;
    for (unsigned i = 0; i < found && i < SHOWN; i++) printf("  0x%04x\n", (unsigned)at[i]);
    printf("  found %u time%s\n", found, found == 1 ? "" : "s");
    return true;
}

/* Writes bytes, and says where that cannot be. */
static bool write_bytes(bench *b, unsigned space, uint32_t at, const uint8_t *bytes, size_t count)
{
    oak_chip_port chip = oak_session_chip(b->session);
    const oak_space_info *about = &oak_session_part(b->session)->architecture->spaces[space];
    uint8_t byte;
    for (size_t i = 0; i < count; i++)
        if (at + i > UINT32_MAX || chip.ops->read_memory(chip.chip, space, (uint32_t)(at + i), &byte, 1))
            return bench_complain(b, NULL, "there is no %s at 0x%04llx: nothing was written", about->title,
                                  (unsigned long long)at + i);
    oak_session_touch(b->session);
    for (size_t i = 0; i < count; i++)
        if (chip.ops->write_memory(chip.chip, space, (uint32_t)(at + i), bytes + i, 1))
            return bench_complain(b, NULL, "%s cannot be written at 0x%04llx", about->title,
                                  (unsigned long long)at + i);
    return true;
}

/* fill RANGE = VALUE */
bool bench_fill(bench *b, const char *rest)
{
    const char *equals = strchr(rest, '=');
    char range[200];
    unsigned space;
    uint32_t from, to;
    oak_reading reading;
    if (!equals || equals - rest >= (int)sizeof range)
        return bench_complain(b, "Write `fill $S[$a..$b] = 0`.", "a = and a value are missing");
    snprintf(range, sizeof range, "%.*s", (int)(equals - rest), rest);
    if (oak_session_range(b->session, range, &b->self->sink, &space, &from, &to) ||
        oak_session_value(b->session, equals + 1, &b->self->sink, &reading))
        return false;
    if (reading.value < -128 || reading.value > 255)
        return bench_complain(b, "A byte holds 0 to 255.", "%lld does not fit a byte",
                              (long long)reading.value);
    size_t count = (size_t)(to - from) + 1;
    uint8_t *bytes = malloc(count);
    if (!bytes) return bench_complain(b, NULL, "no memory");
    memset(bytes, (int)(reading.value & 0xFF), count);
    bool good = write_bytes(b, space, from, bytes, count);
    free(bytes);
    return good;
}

/* "xram[0x4000]", or "xram" alone where addresses come from elsewhere: *whole is set then. */
static bool read_cell(bench *b, const char *text, unsigned *space, uint32_t *at, bool *whole)
{
    const oak_part *part = oak_session_part(b->session);
    char range[220];
    uint32_t end;
    size_t length = strlen(text), name = strcspn(text, "[");
    *whole = false;
    if (name == length && (*space = oak_part_find_space(part, text, length))) return *whole = true;
    if (name == length || text[length - 1] != ']' || length > 100)
        return bench_complain(b, "Write a cell: `$S[$a]`, `$X`.", "`%s` is no cell", text);
    snprintf(range, sizeof range, "%.*s..%.*s]", (int)length - 1, text, (int)(length - name - 2),
             text + name + 1);
    return oak_session_range(b->session, range, &b->self->sink, space, at, &end) == OAK_OK;
}

/* The bytes of a stretch; free them. NULL after a message. */
static uint8_t *read_range(bench *b, const char *text, unsigned *space, uint32_t *from, size_t *count)
{
    oak_chip_port chip = oak_session_chip(b->session);
    uint32_t last;
    if (oak_session_range(b->session, text, &b->self->sink, space, from, &last)) return NULL;
    *count = (size_t)(last - *from) + 1;
    uint8_t *bytes = malloc(*count);
    for (size_t i = 0; bytes && i < *count; i++)
        if (chip.ops->read_memory(chip.chip, *space, *from + (uint32_t)i, bytes + i, 1)) {
            bench_complain(b, NULL, "there is nothing at 0x%04llx", (unsigned long long)*from + i);
            free(bytes);
            return NULL;
        }
    return bytes;
}

/* copy RANGE to CELL: as many bytes as the range has. */
bool bench_copy(bench *b, const char *rest)
{
    const char *to = strstr(rest, " to ");
    char range[200];
    unsigned space, to_space;
    uint32_t from, at;
    size_t count;
    bool whole;
    if (!to || to - rest >= (int)sizeof range)
        return bench_complain(b, "Write `copy $S[$a..$b] to $X`.", "`to` and a cell are missing");
    snprintf(range, sizeof range, "%.*s", (int)(to - rest), rest);
    if (!read_cell(b, to + 4, &to_space, &at, &whole)) return false;
    if (whole) return bench_complain(b, "Write `copy $S[$a..$b] to $X`.", "`%s` is no cell", to + 4);
    uint8_t *bytes = read_range(b, range, &space, &from, &count);
    bool good = bytes && write_bytes(b, to_space, at, bytes, count);
    free(bytes);
    return good;
}

/* ------------------------------------------------------------------------------------------ files */

static bool is_hex_file(const char *path)
{
    size_t length = strlen(path);
    return length > 4 &&
           (strcasecmp(path + length - 4, ".hex") == 0 || strcasecmp(path + length - 4, ".ihx") == 0);
}

static bool save_state(bench *b, const char *path)
{
    cli_text text = {0};
    oak_text_sink sink = cli_text_sink(&text);
    bool good = bench_done(b, oak_session_write_state(b->session, &sink), path) &&
                cli_write_file(b->self, path, &text);
    free(text.bytes);
    return good;
}

/* save FILE: the state. save RANGE to FILE: these bytes, as Intel HEX where the name ends so, else as they are. */
bool bench_save(bench *b, const char *rest)
{
    enum { RECORD = 16 };
    const char *to = strstr(rest, " to ");
    char range[200];
    unsigned space;
    uint32_t from;
    size_t count;
    if (!*rest)
        return bench_complain(b, "Write `save here.json`, or `save $S[$a..$b] to cells.hex`.",
                              "a file is missing");
    if (!to) return save_state(b, rest);
    if (to - rest >= (int)sizeof range) return bench_complain(b, NULL, "this is no stretch of memory");
    snprintf(range, sizeof range, "%.*s", (int)(to - rest), rest);
    uint8_t *bytes = read_range(b, range, &space, &from, &count);
    if (!bytes) return false;
    cli_text text = {0};
    oak_text_sink sink = cli_text_sink(&text);
    oak_image *image = NULL;
    oak_status status = OAK_OK;
    if (is_hex_file(to + 4)) {
        status = oak_image_create(&b->self->host, &image);
        if (!status) status = oak_image_write(image, from, bytes, count);
        if (!status) status = oak_hex_write(image, RECORD, &sink);
        oak_image_free(image);
    } else status = sink.write(sink.context, (const char *)bytes, count);
    free(bytes);
    bool good = bench_done(b, status, to + 4) && cli_write_file(b->self, to + 4, &text);
    free(text.bytes);
    if (good) printf("  %zu bytes from 0x%04lx in %s\n", count, (unsigned long)from, to + 4);
    return good;
}

/* The bytes of a HEX file, each to its address in a space: all of them, or none. */
static bool load_hex(bench *b, const char *path, const char *text, size_t size, unsigned space)
{
    oak_image *image = NULL;
    uint32_t address;
    uint64_t length, total = 0;
    oak_status status = oak_image_create(&b->self->host, &image);
    if (!status) status = oak_hex_read(image, text, size, path, &b->self->sink);
    bool good = bench_done(b, status, path);
    for (uint64_t from = 0;
         good && from <= UINT32_MAX && !oak_image_next_run(image, (uint32_t)from, &address, &length);
         from = address + length) {
        uint8_t *bytes = malloc((size_t)length);
        if (!bytes) good = false;
        else oak_image_read(image, address, 0xFF, bytes, (size_t)length);
        good = good && write_bytes(b, space, address, bytes, (size_t)length);
        free(bytes);
        total += length;
    }
    oak_image_free(image);
    if (good) printf("  %llu bytes\n", (unsigned long long)total);
    return good;
}

/* load FILE: a state. load FILE to CELL: its bytes, from there on. load FILE.hex to SPACE: each to its address. */
bool bench_load(bench *b, const char *rest)
{
    const char *to = NULL;
    uint8_t *bytes;
    size_t size;
    unsigned space = 0;
    uint32_t at = 0;
    bool whole = false, good;
    if (!*rest)
        return bench_complain(b, "Write `load here.json`, or `load cells.bin to $S[$a]`.",
                              "a file is missing");
    for (const char *p = rest; (p = strstr(p, " to ")); p++) to = p;
    if (to && !read_cell(b, to + 4, &space, &at, &whole)) return false;
    char *path = strndup(rest, to ? (size_t)(to - rest) : strlen(rest));
    if (!path) return false;
    bool hex = is_hex_file(path);
    if (to && hex != whole) {
        bench_complain(b, "Write `load cells.hex to $S`, and `load cells.bin to $X`.",
                       hex ? "a HEX file has addresses of its own"
                           : "a file of bytes needs a cell where it begins");
        free(path);
        return false;
    }
    oak_status status = b->self->host.read_file(b->self->host.context, path, 64u << 20, &bytes, &size);
    if (status)
        good = bench_complain(b, "`save` writes such files.", "%s: %s", path, oak_status_text(status));
    else if (!to) {
        good = bench_done(
            b,
            oak_session_read_state(b->session, bytes ? (const char *)bytes : "", size, path, &b->self->sink),
            path);
        if (good) bench_tell(b);
    } else if (hex) good = load_hex(b, path, bytes ? (const char *)bytes : "", size, space);
    else {
        good = write_bytes(b, space, at, bytes, size);
        if (good) printf("  %zu bytes\n", size);
    }
    if (!status && bytes) b->self->host.resize(b->self->host.context, bytes, size, 0);
    free(path);
    return good;
}
