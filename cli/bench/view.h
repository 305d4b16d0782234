/* view.h — inside the full-screen view: what it remembers, drawing, and the panes on its right side. */
#ifndef SPINDLE_VIEW_H
#define SPINDLE_VIEW_H

#include "bench.h"

enum { VIEW_MOST_MESSAGES = 200, VIEW_LONGEST = 400, VIEW_MOST_SEEN = 120, VIEW_MOST_TYPED = 50 };

/* A line as it stood when the chip was here last, so that what has changed can be marked. */
typedef struct seen_line {
    char key[40], text[120];
} seen_line;

typedef struct view {
    bench *b;
    int rows, columns;
    char *messages[VIEW_MOST_MESSAGES];
    unsigned message_count;
    char line[VIEW_LONGEST];
    size_t length;
    char
        *typed[VIEW_MOST_TYPED]; /* lines before this one, and which of them it shows: typed_count for none */
    unsigned typed_count, typed_at;
    cli_changes changes;
    char *source; /* of the file shown last */
    char source_name[300];
    unsigned first_line; /* of the source that is shown */
    int source_top, source_bottom, source_columns;
    int scrolled; /* lines away from where the chip is */
    uint64_t cycle;
    seen_line seen[VIEW_MOST_SEEN], before[VIEW_MOST_SEEN];
    unsigned seen_count, before_count;
    int message_rows;                  /* as they were drawn last */
    unsigned sheet_first, sheet_count; /* messages that are read on a sheet of their own; 0: none */
    int sheet_at;                      /* its row at the top */
    bool meanwhile;                    /* a verb is being done: what is shown passes */
} view;

typedef enum view_style {
    STYLE_PLAIN,
    STYLE_TITLE,
    STYLE_STRONG,
    STYLE_CHANGED,
    STYLE_FAINT,
    STYLE_HERE
} view_style;

/* A text, cut at the column `to`. */
void view_put(int row, int column, int to, view_style style, const char *text);
void view_title(int row, int column, int to, const char *text);
/* True when the line of that name is another one than when the chip stood somewhere else last. */
bool view_is_new(view *v, const char *key, const char *text);

/* The panes of the right side, one below the other; each takes what it needs of the rows from `row` up to `bottom` and returns
 * the row behind it. */
void view_panes(view *v, int row, int bottom, int from, int to);

#endif
