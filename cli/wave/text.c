/* text.c — signals over time as text: a line a signal, a column a stretch of time. */
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "wave.h"

enum { MOST_COLUMNS = 400, LONGEST_NAME = 24 };

static double column_time(const wave_view *view, unsigned column, unsigned columns)
{
    return (double)view->from + (double)(view->to - view->from) * column / columns;
}

/* The piece that holds at a time. */
static size_t piece_at(const wave_row *row, double time, size_t from)
{
    while (from + 1 < row->count && (double)row->pieces[from].to <= time) from++;
    return from;
}

static void print_levels(const wave_view *view, const wave_row *row, unsigned columns)
{
    size_t at = 0;
    for (unsigned c = 0; c < columns; c++) {
        size_t before = piece_at(row, column_time(view, c, columns), at);
        size_t behind = piece_at(row, column_time(view, c + 1, columns), before);
        const wave_piece *piece = &row->pieces[behind];
        at = before;
        size_t changes = behind - before;
        if (behind + 1 == row->count && changes && (double)piece->from >= column_time(view, c + 1, columns))
            changes--;
        if (changes > 1) fputs("▒", stdout);
        else if (changes == 1) fputs(piece->other ? "╎" : "│", stdout);
        else if (row->pieces[before].other) fputs(row->pieces[before].value ? "?" : "╌", stdout);
        else fputs(row->pieces[before].value ? "▔" : "▁", stdout);
    }
    putchar('\n');
}

/* Values of a bus: ‹3f› as far as there is room, else ▒. */
static void print_values(const wave_view *view, const wave_row *row, unsigned columns)
{
    for (size_t i = 0; i < row->count; i++) {
        const wave_piece *piece = &row->pieces[i];
        double scale = columns / (double)(view->to - view->from);
        int from = (int)floor(((double)piece->from - (double)view->from) * scale + 0.5);
        int to = i + 1 == row->count ? (int)columns
                                     : (int)floor(((double)piece->to - (double)view->from) * scale + 0.5);
        char text[40];
        uint32_t all = row->bits < 32 ? ((uint32_t)1 << row->bits) - 1 : UINT32_MAX;
        if ((piece->other & all) == all) snprintf(text, sizeof text, "%s", piece->value & all ? "?" : "z");
        else
            snprintf(text, sizeof text, "%0*x%s", (int)((row->bits + 3) / 4),
                     (unsigned)(piece->value & ~piece->other), piece->other ? "+z" : "");
        int room = to - from - 1, length = (int)strlen(text);
        if (room < 0) continue;
        if (i) fputs("│", stdout);
        else room++;
        if (length > room) {
            for (int c = 0; c < room; c++) fputs(room > 1 ? "·" : "▒", stdout);
        } else printf("%s%*s", text, room - length, "");
    }
    putchar('\n');
}

static void print_axis(cli *self, const wave_view *view, unsigned name_width, unsigned columns)
{
    char marks[MOST_COLUMNS * 4] = "";
    double span = (double)(view->to - view->from), step = wave_step(span, columns / 14.0);
    unsigned used = 0;
    memset(marks, ' ', columns);
    for (double t = ceil((double)view->from / step) * step; t <= (double)view->to; t += step) {
        char text[40];
        wave_time(t, step, text, sizeof text);
        unsigned at = (unsigned)((t - (double)view->from) / span * columns),
                 length = (unsigned)strlen(text) + 1;
        if (at < used || at + length > columns) continue;
        memcpy(marks + at, "|", 1);
        memcpy(marks + at + 1, text, length - 1);
        used = at + length + 1;
    }
    marks[columns] = 0;
    printf("%*s %s%s%s\n", (int)name_width, "", cli_paint(self->result_colour, PAINT_FAINT), marks,
           cli_paint(self->result_colour, PAINT_OFF));
}

static void print_marks(cli *self, const wave_view *view)
{
    enum { MOST = 20 };
    for (size_t i = 0; i < view->mark_count && i < MOST; i++) {
        char time[60], cycles[40] = "";
        wave_time((double)view->marks[i].time, (double)(view->to - view->from) / 1e5, time, sizeof time);
        if (view->cycle > 0) {
            char count[40];
            snprintf(cycles, sizeof cycles, ", cycle %s",
                     cli_count((unsigned long long)((double)view->marks[i].time / view->cycle + 0.5), count,
                               sizeof count));
        }
        printf("  %s%s%s at %s%s\n", cli_paint(self->result_colour, PAINT_STRONG), view->marks[i].name,
               cli_paint(self->result_colour, PAINT_OFF), time, cycles);
    }
    if (view->mark_count > MOST) printf("  and %zu more\n", view->mark_count - MOST);
}

void wave_print(cli *self, const wave_view *view, unsigned width)
{
    unsigned names = 4;
    for (unsigned i = 0; i < view->row_count; i++)
        if (strlen(view->rows[i].name) > names) names = (unsigned)strlen(view->rows[i].name);
    if (names > LONGEST_NAME) names = LONGEST_NAME;
    unsigned columns = width > names + 22 ? width - names - 2 : 20;
    if (columns > MOST_COLUMNS - 1) columns = MOST_COLUMNS - 1;
    printf("%s\n", view->title);
    print_axis(self, view, names, columns);
    for (unsigned i = 0; i < view->row_count; i++) {
        const wave_row *row = &view->rows[i];
        printf("%s%-*.*s%s ", cli_paint(self->result_colour, PAINT_STRONG), (int)names, (int)names, row->name,
               cli_paint(self->result_colour, PAINT_OFF));
        if (row->bits == 1) print_levels(view, row, columns);
        else print_values(view, row, columns);
    }
    bool any = false;
    for (unsigned i = 0; i < view->row_count; i++) {
        char text[100];
        wave_measured(&view->rows[i], text, sizeof text);
        if (*text) printf("%s  %s: %s\n", any ? "" : "\n", view->rows[i].name, text);
        any = any || *text;
    }
    if (view->mark_count) putchar('\n');
    print_marks(self, view);
    if (view->left_out) printf("\n  %u more signals: choose with --only\n", view->left_out);
}
