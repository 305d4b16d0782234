/* cases_csv.c — a table of cases in a file of comma-separated values (RFC 4180): the first line names the columns. */
#include <csv.h>

#include <oakspindle/print.h>

#include "base/bytes.h"
#include "trial/trial_state.h"

enum { LARGEST_FILE = 4 << 20 };

typedef struct table {
    oak_trials *trials;
    trial *one;
    const char *path;
    const oak_diag_sink *sink;
    uint32_t line;
    unsigned column;
    size_t room; /* rows */
    bool named, refused;
    oak_status status;
} table;

#define REFUSE(t, hint, ...)                                                                                 \
    ((t)->refused = true, oak_refuse((t)->sink, "trial", (t)->path, (t)->line, 0, hint, __VA_ARGS__))

/* A piece of the first line is the name of a column, any other one a value. */
static void take_piece(void *bytes, size_t length, void *context)
{
    table *t = context;
    trial *one = t->one;
    const char *text = bytes;
    while (length && (*text == ' ' || *text == '\t')) text++, length--;
    while (length && (text[length - 1] == ' ' || text[length - 1] == '\t')) length--;
    if (t->refused || t->status) return;
    const char *kept = oak_arena_text(&t->trials->arena, text, length);
    if (!kept) t->status = OAK_NO_MEMORY;
    else if (!t->named) {
        if (!trial_is_column(kept))
            REFUSE(t, "The first line names the columns: `left,right`.", "`%s` is no name for a column",
                   kept);
        else if (one->column_count == TRIAL_MOST_COLUMNS)
            REFUSE(t, NULL, "a trial has at most %d columns", (int)TRIAL_MOST_COLUMNS);
        else one->columns[one->column_count++].name = kept;
    } else if (t->column == one->table_columns)
        REFUSE(t, NULL, "this line has more values than the first has names");
    else if (!length) REFUSE(t, NULL, "`%s` has no value here", one->columns[t->column].name);
    else one->cells[one->rows * one->table_columns + t->column++] = kept;
}

static void end_names(table *t)
{
    trial *one = t->one;
    t->named = true;
    one->table_columns = one->column_count;
    for (unsigned i = 0; i < one->column_count; i++)
        for (unsigned k = 0; k < i; k++)
            if (oak_same_name(one->columns[i].name, oak_length(one->columns[i].name), one->columns[k].name))
                REFUSE(t, NULL, "the column `%s` stands here twice", one->columns[i].name);
}

static void end_line(int end, void *context)
{
    table *t = context;
    trial *one = t->one;
    (void)end;
    if (t->refused || t->status) return;
    if (!t->named) end_names(t);
    else if (t->column < one->table_columns)
        REFUSE(t, NULL, "`%s` has no value here", one->columns[t->column].name);
    else one->rows++, t->column = 0;
    if (one->rows == TRIAL_MOST_ROWS) REFUSE(t, NULL, "a table has at most %d rows", (int)TRIAL_MOST_ROWS);
    if (t->refused || one->rows < t->room) return;
    size_t room = t->room ? t->room * 2 : 64, columns = one->table_columns ? one->table_columns : 1;
    const char **cells = oak_arena_take(&t->trials->arena, room * columns * sizeof *cells);
    if (!cells) {
        t->status = OAK_NO_MEMORY;
        return;
    }
    if (one->rows) memcpy(cells, one->cells, one->rows * columns * sizeof *cells);
    one->cells = cells;
    t->room = room;
}

oak_status trial_read_csv(oak_trials *trials, trial *one, const char *path, const trial_text *where,
                          const oak_diag_sink *sink)
{
    table t = {.trials = trials, .one = one, .path = path, .sink = sink, .line = 1};
    const oak_host *host = trials->arena.host;
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_status status = host->read_file(host->context, path, LARGEST_FILE, &bytes, &size);
    if (status == OAK_NO_MEMORY) return status;
    if (status) {
        TRIAL_REFUSE(sink, trials, where, "no-file", NULL, "the table `%s` cannot be read: %s", path,
                     oak_status_text(status));
        return OAK_REFUSED;
    }
    struct csv_parser parser;
    bool good = csv_init(&parser, CSV_STRICT | CSV_STRICT_FINI) == 0;
    for (size_t i = 0; i < size && good && !t.refused && !t.status; i++) {
        good = csv_parse(&parser, &bytes[i], 1, take_piece, end_line, &t) == 1;
        t.line += bytes[i] == '\n' && good && !t.refused;
    }
    if (good && !t.refused && !t.status) good = csv_fini(&parser, take_piece, end_line, &t) == 0;
    if (!good && !t.refused)
        REFUSE(&t, "A value with commas or quotes stands in quotes, quotes in it twice.",
               "this is no line of comma-separated values");
    if (!t.refused && !t.status && !one->rows)
        REFUSE(&t, "Below the names of the columns stand lines of values.", "this table has no rows");
    csv_free(&parser);
    if (bytes) host->resize(host->context, bytes, size, 0);
    return t.status ? t.status : t.refused ? OAK_REFUSED : OAK_OK;
}
