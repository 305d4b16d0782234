/* wave.h — signals of a trace as rows of a picture: what the drawing and the text view share. */
#ifndef SPINDLE_WAVE_H
#define SPINDLE_WAVE_H

#include "cli.h"

enum { WAVE_MOST_ROWS = 64 };

/* One state of a row and how long it lasts. */
typedef struct wave_piece {
    uint64_t from, to; /* picoseconds */
    uint32_t value, other;
} wave_piece;

typedef struct wave_row {
    const char *name;
    unsigned signal, bits;
    wave_piece *pieces;
    size_t count;
    /* Measured inside the window, for rows of one bit; the period is 0 when there is none, or it is not a regular one. */
    double period, high; /* picoseconds, the mean; share of it */
    size_t rises;
    const oak_trace *trace;    /* it comes from */
    const struct wave_row *as; /* the row of the other run above it, where they differ; or NULL */
} wave_row;

typedef struct wave_mark {
    const char *name;
    uint64_t time; /* picoseconds */
} wave_mark;

typedef struct wave_view {
    const oak_trace *trace;
    const oak_trace
        *beside;  /* another run to be shown beside it, or NULL: signals that differ have a row for each */
    uint64_t off; /* cycles that changes may be apart */
    const char *title;
    const char *stop;  /* what the run has stopped at, marked at the end; or NULL */
    uint64_t from, to; /* picoseconds */
    double cycle;      /* picoseconds of a cycle, 0 when it is not known */
    wave_row rows[WAVE_MOST_ROWS];
    unsigned row_count, left_out;
    wave_mark *marks;
    size_t mark_count, mark_room;
} wave_view;

/* Fills in rows and marks between from and to; `only` (may be NULL) are the names wanted, in their order. False after a
 * message. */
bool wave_open(cli *self, wave_view *view, char *const *only);
void wave_close(wave_view *view);
/* "6.000 ms", with as many digits as needed to tell times `step` apart. */
void wave_time(double picoseconds, double step, char *text, size_t room);
/* A step of 1, 2 or 5 times a power of ten so that about `wanted` fit. */
double wave_step(double span, double wanted);
/* "every 6.000 ms, high 25.0 %", "rises 7 times", or "". */
void wave_measured(const wave_row *row, char *text, size_t room);

/* draw.c: a picture, PNG or SVG by the ending of the path. */
bool wave_draw(cli *self, const wave_view *view, const char *path, int width, int height);
/* text.c: the same for a terminal. */
void wave_print(cli *self, const wave_view *view, unsigned columns);

#endif
