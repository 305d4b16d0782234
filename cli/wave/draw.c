/* draw.c — a picture of signals over time, by cairo: names on the left, what was measured on the right, times above,
 * cycles below. Dark on light, in colours that colour-blind people can tell apart; what has no level is also drawn
 * differently, not only in another colour. */
#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "picture.h"
#include "wave.h"

enum { TOP = 86, BOTTOM = 44, GAP = 14, SIDE = 20, LEAST_ROW = 26, MOST_ROW = 64, USUAL_HEIGHT = 800 };

typedef struct drawing {
    cairo_t *cr;
    const wave_view *view;
    double left, right, top, row, width, height; /* of the plot, of a row, of the picture */
} drawing;

static void use(const drawing *d, colour c)
{
    picture_use(d->cr, c);
}

static double text_width(const drawing *d, const char *text)
{
    return picture_text_width(d->cr, text);
}

static void font(const drawing *d, double size, bool bold)
{
    picture_font(d->cr, size, bold);
}

static void text_at(const drawing *d, double x, double y, const char *text)
{
    picture_text(d->cr, x, y, text);
}

static double x_of(const drawing *d, double time)
{
    const wave_view *v = d->view;
    return d->left + (time - (double)v->from) / (double)(v->to - v->from) * (d->right - d->left);
}

/* ------------------------------------------------------------------------------------------ axes */

/* The words at a tick of the upper axis (time) or the lower one (cycles). */
static void tick_text(bool cycles, double at, double step, char *text, size_t room)
{
    if (cycles) cli_count((unsigned long long)(at + 0.5), text, room);
    else wave_time(at, step, text, room);
}

/* A step whose labels have room beside each other; in cycles, or in the unit of time of the view. */
static double label_step(const drawing *d, bool cycles)
{
    enum { APART = 24, USUAL = 110 };
    const wave_view *v = d->view;
    double unit = cycles ? v->cycle : 1, span = (double)(v->to - v->from) / unit, step, room, needed;
    char text[60];
    for (double count = (d->right - d->left) / USUAL;; count *= 0.8) {
        step = wave_step(span, count);
        room = (d->right - d->left) * step / span;
        tick_text(cycles, (double)v->to / unit, step, text, sizeof text);
        needed = text_width(d, text) + APART;
        if (room >= needed || count < 1) return step;
    }
}

/* An axis: a line or a mark at each step, and a label where it does not touch the one before it. */
static void draw_axis(const drawing *d, bool cycles)
{
    const wave_view *v = d->view;
    double bottom = d->top + d->row * v->row_count, unit = cycles ? v->cycle : 1, behind = 0,
           step = label_step(d, cycles);
    char text[60];
    for (double t = ceil((double)v->from / unit / step) * step; t * unit <= (double)v->to * (1 + 1e-12);
         t += step) {
        double x = floor(x_of(d, t * unit)) + 0.5;
        use(d, cycles ? faint : grid);
        cairo.move_to(d->cr, x, cycles ? bottom : d->top - 6);
        cairo.line_to(d->cr, x, cycles ? bottom + 5 : bottom);
        cairo.stroke(d->cr);
        tick_text(cycles, t, step, text, sizeof text);
        double w = text_width(d, text), at = x - w / 2;
        if (at + w > d->width - SIDE) at = d->width - SIDE - w;
        if (at < d->left - 10) at = d->left - 10;
        if (at < behind + 6) continue;
        behind = at + w;
        use(d, cycles ? faint : ink);
        text_at(d, at, cycles ? bottom + 19 : d->top - 12, text);
    }
    if (cycles) text_at(d, SIDE, bottom + 19, "cycles");
}

static void draw_axes(const drawing *d)
{
    font(d, 12, false);
    cairo.set_line_width(d->cr, 1);
    draw_axis(d, false);
    if (d->view->cycle > 0) draw_axis(d, true);
}

/* ------------------------------------------------------------------------------------------ rows */

/* More changes than can be seen: a band. Returns the first piece behind it. */
static size_t draw_crowd(const drawing *d, const wave_row *row, size_t first, double high, double low)
{
    double from = x_of(d, (double)row->pieces[first].from), to = from;
    size_t i = first;
    for (; i < row->count; i++) {
        double end = x_of(d, (double)row->pieces[i].to);
        if (end - x_of(d, (double)row->pieces[i].from) >= 2.5) break;
        to = end;
    }
    use(d, line);
    cairo.rectangle(d->cr, from, high, to - from < 1 ? 1 : to - from, low - high);
    cairo.fill(d->cr);
    return i;
}

static void draw_levels(const drawing *d, const wave_row *row, double high, double low)
{
    double middle = (high + low) / 2, last = NAN;
    for (size_t i = 0; i < row->count;) {
        const wave_piece *piece = &row->pieces[i];
        double from = x_of(d, (double)piece->from), to = x_of(d, (double)piece->to);
        bool crowded =
            to - from < 2.5 && i + 1 < row->count && x_of(d, (double)row->pieces[i + 1].to) - to < 2.5;
        if (crowded) {
            i = draw_crowd(d, row, i, high, low);
            last = NAN;
            continue;
        }
        double y = piece->other ? middle : piece->value ? high : low;
        if (piece->value && !piece->other) {
            use(d, fill);
            cairo.rectangle(d->cr, from, high, to - from, low - high);
            cairo.fill(d->cr);
        }
        use(d, piece->other ? loose : line);
        cairo.set_line_width(d->cr, 1.6);
        double dashes[] = {4, 3};
        if (!isnan(last) && last != y) {
            use(d, line);
            cairo.move_to(d->cr, from, last);
            cairo.line_to(d->cr, from, y);
            cairo.stroke(d->cr);
            use(d, piece->other ? loose : line);
        }
        if (piece->other) cairo.set_dash(d->cr, dashes, piece->value ? 0 : 2, 0);
        cairo.move_to(d->cr, from, y);
        cairo.line_to(d->cr, to, y);
        cairo.stroke(d->cr);
        cairo.set_dash(d->cr, NULL, 0, 0);
        if (piece->other && to - from > 70) {
            font(d, 10, false);
            text_at(d, from + 6, middle - 3, piece->value ? "unknown" : "floating");
        }
        last = y;
        i++;
    }
}

/* A bus: a box for each value, with the value in it where it fits. */
static void draw_values(const drawing *d, const wave_row *row, double high, double low)
{
    double middle = (high + low) / 2;
    font(d, 11.5, false);
    for (size_t i = 0; i < row->count;) {
        const wave_piece *piece = &row->pieces[i];
        double from = x_of(d, (double)piece->from), to = x_of(d, (double)piece->to);
        bool crowded = to - from < 2.5 && i + 1 < row->count;
        if (crowded) {
            i = draw_crowd(d, row, i, high, low);
            continue;
        }
        double slant = to - from > 8 ? 3 : (to - from) / 3;
        uint32_t all = row->bits < 32 ? ((uint32_t)1 << row->bits) - 1 : UINT32_MAX;
        bool none = (piece->other & all) == all;
        use(d, none ? loose : line);
        cairo.set_line_width(d->cr, 1.3);
        cairo.move_to(d->cr, from, middle);
        cairo.line_to(d->cr, from + slant, high);
        cairo.line_to(d->cr, to - slant, high);
        cairo.line_to(d->cr, to, middle);
        cairo.line_to(d->cr, to - slant, low);
        cairo.line_to(d->cr, from + slant, low);
        cairo.close_path(d->cr);
        cairo.stroke(d->cr);
        char text[40];
        if (none) snprintf(text, sizeof text, "%s", piece->value & all ? "unknown" : "floating");
        else if (piece->other) {
            char *to_text = text;
            for (unsigned bit = row->bits; bit-- > 0;)
                *to_text++ = piece->other >> bit & 1   ? (piece->value >> bit & 1 ? 'x' : 'z')
                             : piece->value >> bit & 1 ? '1'
                                                       : '0';
            *to_text = 0;
        } else snprintf(text, sizeof text, "0x%0*x", (int)((row->bits + 3) / 4), (unsigned)piece->value);
        double w = text_width(d, text);
        if (w > to - from - 2 * slant - 4 && !piece->other && text[0] == '0')
            memmove(text, text + 2, strlen(text) - 1);
        w = text_width(d, text);
        use(d, ink);
        if (w <= to - from - 2 * slant - 3) text_at(d, (from + to - w) / 2, middle + 4, text);
        i++;
    }
}

/* Cuts a text with … so that it fits. */
static void fit(const drawing *d, char *text, double room)
{
    size_t length = strlen(text);
    while (length > 3 && text_width(d, text) > room) {
        length--;
        strcpy(text + length - 3, "...");
    }
}

/* Where it is not as the row above it, over both. */
static void draw_unlike(const drawing *d, unsigned number)
{
    const wave_row *row = &d->view->rows[number], *other = row->as;
    double top = d->top + d->row * (number - 1.0);
    size_t a = 0, b = 0;
    use(d, unlike);
    while (other && a < row->count && b < other->count) {
        const wave_piece *one = &row->pieces[a], *two = &other->pieces[b];
        uint64_t from = one->from > two->from ? one->from : two->from,
                 to = one->to < two->to ? one->to : two->to;
        if (to > from && (one->value != two->value || one->other != two->other)) {
            double x = x_of(d, (double)from), width = x_of(d, (double)to) - x;
            if (width < 3) x -= (3 - width) / 2, width = 3;
            cairo.rectangle(d->cr, x, top + 2, width, 2 * d->row - 4);
            cairo.fill(d->cr);
        }
        a += one->to == to;
        b += two->to == to;
    }
}

static void draw_row(const drawing *d, unsigned number)
{
    const wave_row *row = &d->view->rows[number];
    double top = d->top + d->row * number, pad = d->row > 36 ? 9 : 5, high = floor(top + pad) + 0.5,
           low = floor(top + d->row - pad) + 0.5;
    char text[160];
    cairo.save(d->cr);
    cairo.rectangle(d->cr, d->left, top, d->right - d->left, d->row);
    cairo.clip(d->cr);
    if (row->bits == 1) draw_levels(d, row, high, low);
    else draw_values(d, row, high, low);
    cairo.restore(d->cr);
    font(d, 13, true);
    use(d, ink);
    snprintf(text, sizeof text, "%s", row->name);
    fit(d, text, d->left - SIDE - GAP);
    wave_measured(row, text + 80, sizeof text - 80);
    bool two = text[80] && d->row >= 40;
    text_at(d, SIDE, (high + low) / 2 + (two ? -1 : 5), text);
    if (!text[80]) return;
    font(d, 10.5, false);
    use(d, faint);
    if (two) text_at(d, SIDE, (high + low) / 2 + 13, text + 80);
}

/* ------------------------------------------------------------------------------------------ marks */

/* A line for each, its name at the top where there is room; three rows of names. */
static void draw_marks(const drawing *d)
{
    const wave_view *v = d->view;
    double free_from[2] = {0, 0}, bottom = d->top + d->row * v->row_count, last = -10;
    double dashes[] = {2, 2};
    font(d, 11, false);
    for (size_t i = 0; i < v->mark_count; i++) {
        double x = floor(x_of(d, (double)v->marks[i].time)) + 0.5, w = text_width(d, v->marks[i].name);
        use(d, mark);
        cairo.set_line_width(d->cr, 1.2);
        if (x - last >= 2) {
            cairo.set_dash(d->cr, dashes, 2, 0);
            cairo.move_to(d->cr, x, d->top - 32);
            cairo.line_to(d->cr, x, bottom);
            cairo.stroke(d->cr);
            cairo.set_dash(d->cr, NULL, 0, 0);
            last = x;
        }
        double at = x + 3 + w > d->width - 4 ? x - 3 - w : x + 3;
        for (unsigned level = 0; level < 2; level++) {
            if (at < free_from[level]) continue;
            free_from[level] = at + w + 8;
            text_at(d, at, d->top - 34 - 13 * level + 8 * 0, v->marks[i].name);
            break;
        }
    }
}

static void draw_all(const drawing *d)
{
    const wave_view *v = d->view;
    char from[60], to[60], text[200];
    cairo.set_source_rgb(d->cr, 1, 1, 1);
    cairo.paint(d->cr);
    for (unsigned i = 0; i < v->row_count; i += 2) {
        use(d, band);
        cairo.rectangle(d->cr, SIDE / 2.0, d->top + d->row * i, d->width - SIDE, d->row);
        cairo.fill(d->cr);
    }
    font(d, 15, true);
    use(d, ink);
    text_at(d, SIDE, 26, v->title);
    double after = SIDE + text_width(d, v->title) + 16, span = (double)(v->to - v->from);
    wave_time((double)v->from, span / 1000, from, sizeof from);
    wave_time((double)v->to, span / 1000, to, sizeof to);
    snprintf(text, sizeof text, "%s to %s", from, to);
    font(d, 12, false);
    use(d, faint);
    text_at(d, after, 26, text);
    if (v->left_out) {
        snprintf(text, sizeof text, "%u more signals: choose with --only", v->left_out);
        text_at(d, d->width - SIDE - text_width(d, text), 26, text);
    }
    draw_axes(d);
    for (unsigned i = 0; i < v->row_count; i++) draw_unlike(d, i);
    for (unsigned i = 0; i < v->row_count; i++) draw_row(d, i);
    draw_marks(d);
}

/* ------------------------------------------------------------------------------------------ files */

static double widest_name(const wave_view *view)
{
    cairo_surface_t *probe = cairo.image_surface_create(CAIRO_FORMAT_RGB24, 8, 8);
    drawing d = {.cr = cairo.create(probe), .view = view};
    double most = 60;
    for (unsigned i = 0; i < view->row_count; i++) {
        char text[100];
        font(&d, 13, true);
        double w = text_width(&d, view->rows[i].name);
        if (w > most) most = w;
        font(&d, 10.5, false);
        wave_measured(&view->rows[i], text, sizeof text);
        w = text_width(&d, text);
        if (w > most) most = w;
    }
    cairo.destroy(d.cr);
    cairo.surface_destroy(probe);
    return most;
}

static void draw_for(cairo_t *cr, void *context)
{
    drawing *d = context;
    d->cr = cr;
    draw_all(d);
}

bool wave_draw(cli *self, const wave_view *view, const char *path, int width, int height)
{
    if (!picture_load(self, path, width, height)) return false;
    drawing d = {.view = view, .top = TOP, .width = width};
    double names = widest_name(view), most = width * 0.3;
    d.left = SIDE + (names < most ? names : most) + GAP;
    d.right = width - SIDE - 8;
    d.row = ((height ? height : USUAL_HEIGHT) - TOP - BOTTOM) / (double)view->row_count;
    if (!height && d.row > MOST_ROW) d.row = MOST_ROW;
    if (d.row < LEAST_ROW) d.row = LEAST_ROW;
    d.row = floor(d.row);
    d.height = TOP + BOTTOM + d.row * view->row_count;
    if (d.height < height) d.height = height;
    bool good = picture_save(self, path, d.width, d.height, draw_for, &d);
    if (good && !self->json)
        printf("%s: %d by %d pixels, %u signal%s\n", path, width, (int)d.height, view->row_count,
               view->row_count == 1 ? "" : "s");
    return good;
}
