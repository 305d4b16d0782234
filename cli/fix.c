/* fix.c — applying the safe edits of diagnostics to the source files: spindle asm --fix. */
#include <stdlib.h>
#include <string.h>

#include "cli.h"

enum { MOST_EDITS = 500, MOST_ROUNDS = 10 };

typedef struct edit {
    char *file, *text;
    uint32_t line, column, column_end;
} edit;

typedef struct fixer {
    edit edits[MOST_EDITS];
    unsigned count;
} fixer;

/* Keeps the safe edits, one a line: others of the same line come in the next round. */
static void collect(void *context, const oak_diagnostic *d)
{
    fixer *self = context;
    if (!d->edit || !d->edit_safe || !d->file || self->count == MOST_EDITS) return;
    for (unsigned i = 0; i < self->count; i++)
        if (self->edits[i].line == d->line && strcmp(self->edits[i].file, d->file) == 0) return;
    self->edits[self->count++] =
        (edit){strdup(d->file), strdup(d->edit), d->line, d->edit_column, d->edit_column_end};
}

static void show_line(char sign, uint32_t line, const char *text, size_t size)
{
    printf("  %c %5u | %.*s\n", sign, line, (int)size, text);
}

/* Rewrites one file with its edits; false after a message. */
static bool apply(cli *self, const fixer *f, const char *file)
{
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_status status = self->host.read_file(self->host.context, file, 256u << 20, &bytes, &size);
    if (status) return cli_failed(self, status, file) == EXIT_DONE;
    cli_text text = {0};
    oak_text_sink sink = cli_text_sink(&text);
    printf("%s\n", file);
    const char *at = (const char *)bytes, *end = at + size;
    for (uint32_t line = 1; at < end; line++) {
        const char *stop = memchr(at, '\n', (size_t)(end - at));
        size_t length = (size_t)((stop ? stop : end) - at), whole = length + (stop != NULL);
        const edit *found = NULL;
        for (unsigned i = 0; i < f->count && !found; i++)
            if (f->edits[i].line == line && strcmp(f->edits[i].file, file) == 0 &&
                f->edits[i].column_end - 1 <= length)
                found = &f->edits[i];
        if (!found) {
            sink.write(sink.context, at, whole);
        } else {
            size_t before = text.size;
            sink.write(sink.context, at, found->column - 1);
            sink.write(sink.context, found->text, strlen(found->text));
            sink.write(sink.context, at + found->column_end - 1, whole - (found->column_end - 1));
            show_line('-', line, at, length);
            show_line('+', line, text.bytes + before, text.size - before - (stop != NULL));
        }
        at += whole;
    }
    if (bytes) self->host.resize(self->host.context, bytes, size, 0);
    bool good = cli_write_file(self, file, &text);
    free(text.bytes);
    return good;
}

bool cli_fix(cli *self, const oak_part *part, const oak_asm_settings *settings)
{
    fixer *f = malloc(sizeof *f);
    bool good = f != NULL;
    unsigned total = 0;
    for (unsigned round = 0; good && round < MOST_ROUNDS; round++) {
        oak_diag_sink sink = {f, collect};
        oak_program *program = NULL;
        f->count = 0;
        oak_assemble_files(&self->host, part, settings, &sink, &program);
        oak_program_free(program);
        if (!f->count) break;
        for (unsigned i = 0; i < f->count && good; i++) {
            bool first = true;
            for (unsigned k = 0; k < i; k++) first = first && strcmp(f->edits[k].file, f->edits[i].file) != 0;
            if (first) good = apply(self, f, f->edits[i].file);
        }
        total += f->count;
        for (unsigned i = 0; i < f->count; i++) {
            free(f->edits[i].file);
            free(f->edits[i].text);
        }
    }
    free(f);
    if (good) printf("%u line%s put right\n", total, total == 1 ? "" : "s");
    return good;
}
