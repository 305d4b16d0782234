/* open.c — see open.h. The parts it brings are their files, as text within the library; those that they extend are found among them. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include <oakspindle/linux.h>
#include <oakspindle/open.h>

#include "open/part_texts.h"

#define BUILT_IN "built-in/"
enum { ENDING = sizeof ".yaml" - 1 };

void oak_print_diagnostic(void *context, const oak_diagnostic *d)
{
    if (!d) return;
    static const char *const words[] = {
        [OAK_ERROR] = "error", [OAK_WARNING] = "warning", [OAK_NOTE] = "note"};
    (void)context;
    if (d->file) fprintf(stderr, "%s:", d->file);
    if (d->line) fprintf(stderr, "%u:", (unsigned)d->line);
    if (d->column) fprintf(stderr, "%u:", (unsigned)d->column);
    fprintf(stderr, "%s%s: %s [%s]\n", d->file ? " " : "", words[d->severity], d->message, d->code);
    if (d->hint && *d->hint) fprintf(stderr, "    %s\n", d->hint);
}

const oak_diag_sink oak_printer = {NULL, oak_print_diagnostic};

/* ------------------------------------------------------------------------------------------ parts */

static const oak_part_text *text_of(const char *path)
{
    size_t length = strlen(path);
    if (strncmp(path, BUILT_IN, sizeof BUILT_IN - 1) != 0 || length < sizeof BUILT_IN - 1 + ENDING)
        return NULL;
    path += sizeof BUILT_IN - 1, length -= sizeof BUILT_IN - 1 + ENDING;
    for (const oak_part_text *one = oak_part_texts; one->name; one++)
        if (strlen(one->name) == length && strncmp(one->name, path, length) == 0) return one;
    return NULL;
}

/* Only what is brought. */
static oak_status read_text(void *context, const char *path, size_t limit, uint8_t **bytes, size_t *size)
{
    oak_host host = oak_linux_host();
    const oak_part_text *text = text_of(path);
    (void)context;
    if (!text) return OAK_NOT_FOUND;
    if (text->size > limit) return OAK_OUT_OF_RANGE;
    *bytes = host.resize(host.context, NULL, 0, text->size);
    if (!*bytes) return OAK_NO_MEMORY;
    memcpy(*bytes, text->bytes, text->size);
    *size = text->size;
    return OAK_OK;
}

const char *oak_part_name_at(unsigned index)
{
    for (unsigned i = 0; i < index; i++)
        if (!oak_part_texts[i].name) return NULL;
    return oak_part_texts[index].name;
}

oak_status oak_part_named(const char *name, const oak_diag_sink *sink, oak_part **part)
{
    if (!name || !sink || !part) return OAK_MISUSE;
    oak_host host = oak_linux_host();
    char path[200];
    size_t length = strlen(name);
    if (strchr(name, '/') || (length > ENDING && strcasecmp(name + length - ENDING, ".yaml") == 0))
        return oak_part_load(&host, name, sink, part);
    snprintf(path, sizeof path, BUILT_IN "%.150s.yaml", name);
    if (!text_of(path)) {
        const oak_diagnostic unknown = {
            .severity = OAK_ERROR,
            .code = "usage",
            .file = name,
            .message = "the library brings no such part",
            .hint = "oak_part_name_at tells those that it brings; a part file is given by its path."};
        if (sink->report) sink->report(sink->context, &unknown);
        return OAK_NOT_FOUND;
    }
    host.read_file = read_text;
    return oak_part_load(&host, path, sink, part);
}

/* ------------------------------------------------------------------------------------------ everything */

/* `text` or the file `path`. */
static oak_status open_all(const char *part, const char *path, const char *text, oak_opened *opened)
{
    if (opened) memset(opened, 0, sizeof *opened);
    if (!opened || !part || (!path && !text)) return OAK_MISUSE;
    uint32_t outside;
    opened->host = oak_linux_host();
    oak_status status = oak_part_named(part, &oak_printer, &opened->part);
    if (!status)
        status = text ? oak_assemble_text(&opened->host, opened->part, "text", text, strlen(text),
                                          &oak_printer, &opened->program)
                      : oak_assemble(&opened->host, opened->part, path, &oak_printer, &opened->program);
    if (!status) status = oak_machine_create(&opened->host, opened->part, &opened->machine);
    if (!status) status = oak_machine_load(opened->machine, oak_program_image(opened->program), &outside);
    if (!status) {
        opened->chip = oak_machine_port(opened->machine);
        status = oak_session_open(&opened->host, &opened->chip, opened->program, &opened->session);
    }
    if (status) oak_close(opened);
    return status;
}

oak_status oak_open(const char *part, const char *path, oak_opened *opened)
{
    if (!part || !path || !opened) return OAK_MISUSE;
    return open_all(part, path, NULL, opened);
}

oak_status oak_open_text(const char *part, const char *text, oak_opened *opened)
{
    if (!part || !text || !opened) return OAK_MISUSE;
    return open_all(part, NULL, text, opened);
}

void oak_close(oak_opened *opened)
{
    if (!opened) return;
    oak_session_close(opened->session);
    oak_machine_free(opened->machine);
    oak_program_free(opened->program);
    oak_part_free(opened->part);
    memset(opened, 0, sizeof *opened);
}
