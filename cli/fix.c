/* fix.c — applying the safe edits of diagnostics to the source files: spindle asm --fix.
 *
 * A file may be reached by several names, and read several times; it is one by device and inode, and an edit is applied once, where
 * the line still is the text that was diagnosed. */
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "cli.h"

enum { MOST_EDITS = 500, MOST_ROUNDS = 10, LARGEST_SOURCE = 256 << 20 };

typedef struct edit {
    char *file, *text, *line_text;
    dev_t device;
    ino_t inode;
    uint32_t line, column, column_end;
} edit;

typedef struct fixer {
    edit edits[MOST_EDITS];
    unsigned count;
    bool out_of_memory;
} fixer;

static bool same_file(const edit *a, const edit *b)
{
    return a->device == b->device && a->inode == b->inode;
}

static void free_edit(edit *one)
{
    free(one->file);
    free(one->text);
    free(one->line_text);
}

/* Keeps the safe edits, one a line: others of the same line come in the next round. */
static void collect(void *context, const oak_diagnostic *d)
{
    fixer *self = context;
    struct stat info;
    if (!d->edit || !d->edit_safe || !d->file || !d->source_line || self->count == MOST_EDITS ||
        stat(d->file, &info))
        return;
    edit one = {.device = info.st_dev,
                .inode = info.st_ino,
                .line = d->line,
                .column = d->edit_column,
                .column_end = d->edit_column_end};
    if (one.column < 1 || one.column_end < one.column || one.column_end - 1 > strlen(d->source_line)) return;
    for (unsigned i = 0; i < self->count; i++)
        if (self->edits[i].line == d->line && same_file(&self->edits[i], &one)) return;
    one.file = cli_strdup(d->file);
    one.text = cli_strdup(d->edit);
    one.line_text = cli_strdup(d->source_line);
    if (one.file && one.text && one.line_text) self->edits[self->count++] = one;
    else {
        self->out_of_memory = true;
        free_edit(&one);
    }
}

static void show_line(const oak_text_sink *shown, char sign, uint32_t line, const char *text, size_t size)
{
    char begin[24];
    int length = snprintf(begin, sizeof begin, "  %c %5u | ", sign, line);
    shown->write(shown->context, begin, (size_t)length);
    shown->write(shown->context, text, size);
    shown->write(shown->context, "\n", 1);
}

/* The edit of a line that still reads as it did; NULL. `length` is without the line's end. */
static const edit *find_edit(const fixer *f, const edit *of, uint32_t line, const char *at, size_t length)
{
    if (length && at[length - 1] == '\r') length--;
    for (unsigned i = 0; i < f->count; i++) {
        const edit *one = &f->edits[i];
        if (one->line != line || !same_file(one, of)) continue;
        if (strlen(one->line_text) == length && memcmp(one->line_text, at, length) == 0) return one;
    }
    return NULL;
}

/* Rewrites one file with its edits; how many were applied, or -1 after a message. */
static int apply(cli *self, const fixer *f, const edit *of)
{
    uint8_t *bytes = NULL;
    size_t size = 0, wanted;
    oak_status status = self->host.read_file(self->host.context, of->file, LARGEST_SOURCE, &bytes, &size);
    if (status) return cli_failed(self, status, of->file) == EXIT_DONE ? 0 : -1;
    cli_text text = {0}, shown_text = {0};
    oak_text_sink sink = cli_text_sink(&text), shown = cli_text_sink(&shown_text);
    const char *at = (const char *)bytes, *end = at + size;
    int applied = 0;
    wanted = size;
    for (uint32_t line = 1; at < end && !text.failed; line++) {
        const char *stop = memchr(at, '\n', (size_t)(end - at));
        size_t length = (size_t)((stop ? stop : end) - at), whole = length + (stop != NULL);
        const edit *found = find_edit(f, of, line, at, length);
        if (!found) {
            sink.write(sink.context, at, whole);
        } else {
            size_t before = text.size, put = strlen(found->text);
            sink.write(sink.context, at, found->column - 1);
            sink.write(sink.context, found->text, put);
            sink.write(sink.context, at + found->column_end - 1, whole - (found->column_end - 1));
            wanted = wanted - (found->column_end - found->column) + put;
            if (text.failed) break;
            applied++;
            show_line(&shown, '-', line, at, length);
            show_line(&shown, '+', line, text.bytes + before, text.size - before - (stop != NULL));
        }
        at += whole;
    }
    if (bytes) self->host.resize(self->host.context, bytes, size, 0);
    /* What replaces a person's text is looked at once more before it does. */
    if (text.failed || shown_text.failed || text.size != wanted) {
        cli_failed(self, OAK_NO_MEMORY, of->file);
        applied = -1;
    }
    const cli_file file = {of->file, &text, true};
    if (applied > 0 && !cli_write_files(self, &file, 1)) applied = -1;
    if (applied > 0) {
        printf("%s\n", of->file);
        fwrite(shown_text.bytes, 1, shown_text.size, stdout);
    }
    free(text.bytes);
    free(shown_text.bytes);
    return applied;
}

bool cli_fix(cli *self, const oak_part *part, const oak_asm_settings *settings)
{
    fixer *f = cli_calloc(1, sizeof *f);
    bool good = f != NULL;
    int total = 0;
    if (!f) cli_failed(self, OAK_NO_MEMORY, "--fix");
    for (unsigned round = 0; good && round < MOST_ROUNDS; round++) {
        oak_diag_sink sink = {f, collect};
        oak_program *program = NULL;
        int applied = 0;
        f->count = 0;
        oak_status status = oak_assemble_files(&self->host, part, settings, &sink, &program);
        oak_program_free(program);
        if (f->out_of_memory || status == OAK_NO_MEMORY)
            good = cli_failed(self, OAK_NO_MEMORY, settings->paths[0]) == EXIT_DONE;
        for (unsigned i = 0; i < f->count && good; i++) {
            bool first = true;
            for (unsigned k = 0; k < i; k++) first = first && !same_file(&f->edits[k], &f->edits[i]);
            int here = first ? apply(self, f, &f->edits[i]) : 0;
            good = here >= 0;
            if (good) applied += here;
        }
        for (unsigned i = 0; i < f->count; i++) free_edit(&f->edits[i]);
        total += applied;
        if (!applied) break;
    }
    free(f);
    cli_clear_leftovers();
    if (good) printf("%d line%s put right\n", total, total == 1 ? "" : "s");
    return good;
}
