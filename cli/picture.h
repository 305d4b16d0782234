/* picture.h — pictures by cairo, as PNG or SVG: what is called of it, colours, text, and the file. Dark on light, in colours that colour-blind people can
 * tell apart. */
#ifndef SPINDLE_PICTURE_H
#define SPINDLE_PICTURE_H

#include <cairo.h>

#include "late.h"

/* What is called of cairo. */
#define CAIRO_LIST(F)                                                                                        \
    F(cairo_, set_source_rgb)                                                                                \
    F(cairo_, text_extents)                                                                                  \
    F(cairo_, select_font_face)                                                                              \
    F(cairo_, set_font_size)                                                                                 \
    F(cairo_, move_to)                                                                                       \
    F(cairo_, show_text)                                                                                     \
    F(cairo_, line_to)                                                                                       \
    F(cairo_, stroke)                                                                                        \
    F(cairo_, set_line_width)                                                                                \
    F(cairo_, rectangle)                                                                                     \
    F(cairo_, fill)                                                                                          \
    F(cairo_, set_dash)                                                                                      \
    F(cairo_, close_path)                                                                                    \
    F(cairo_, save)                                                                                          \
    F(cairo_, clip)                                                                                          \
    F(cairo_, restore)                                                                                       \
    F(cairo_, paint)                                                                                         \
    F(cairo_, image_surface_create)                                                                          \
    F(cairo_, create)                                                                                        \
    F(cairo_, destroy)                                                                                       \
    F(cairo_, surface_destroy)                                                                               \
    F(cairo_, status)                                                                                        \
    F(cairo_, surface_write_to_png_stream)                                                                   \
    F(cairo_, surface_finish) F(cairo_, surface_status) F(cairo_, debug_reset_static_data)
LATE_TABLE(cairo_table, CAIRO_LIST)
extern cairo_table cairo; /* filled in by picture_load */

typedef struct colour {
    double r, g, b;
} colour;

static const colour ink = {0.10, 0.11, 0.13}, faint = {0.52, 0.54, 0.57}, grid = {0.90, 0.90, 0.91},
                    band = {0.972, 0.975, 0.98}, line = {0.0, 0.36, 0.62}, fill = {0.83, 0.90, 0.96},
                    loose = {0.80, 0.36, 0.0}, mark = {0.48, 0.25, 0.49}, unlike = {0.99, 0.85, 0.62};

/* Loads the library; false after a message, also where the name of the file says no kind of picture, or the size is none. */
bool picture_load(cli *self, const char *path, int width, int height);
/* Draws by `draw` and writes the file; false after a message. */
bool picture_save(cli *self, const char *path, double width, double height,
                  void (*draw)(cairo_t *cr, void *context), void *context);

static inline void picture_use(cairo_t *cr, colour c)
{
    cairo.set_source_rgb(cr, c.r, c.g, c.b);
}
double picture_text_width(cairo_t *cr, const char *text);
void picture_font(cairo_t *cr, double size, bool bold);
void picture_text(cairo_t *cr, double x, double y, const char *text);

#endif
