/* picture.c — see picture.h. */
#include "picture.h"

#include <cairo-svg.h>
#include <fontconfig/fontconfig.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#define SVG_LIST(F)  F(cairo_, svg_surface_create_for_stream)
#define FONT_LIST(F) F(Fc, Fini)
LATE_TABLE(svg_table, SVG_LIST)
LATE_TABLE(font_table, FONT_LIST)
cairo_table cairo;
static svg_table svg_library;
static font_table font_library;

static cairo_status_t take(void *closure, const unsigned char *bytes, unsigned count)
{
    oak_text_sink *sink = closure;
    return sink->write(sink->context, (const char *)bytes, count) ? CAIRO_STATUS_WRITE_ERROR
                                                                  : CAIRO_STATUS_SUCCESS;
}

static bool is_svg(const char *path)
{
    const char *ending = strrchr(path, '.');
    return ending && strcasecmp(ending, ".svg") == 0;
}

bool picture_load(cli *self, const char *path, int width, int height)
{
    const char *ending = strrchr(path, '.');
    if (!is_svg(path) && (!ending || strcasecmp(ending, ".png") != 0)) {
        cli_complain(self, "picture", path, "Let its name end in .png or .svg.",
                     "this is no kind of picture");
        return false;
    }
    if (width < 400 || width > 8000 || height < 0 || height > 8000) {
        cli_complain(self, "picture", path, "Widths go from 400 to 8000 pixels, heights up to 8000.",
                     "the picture has no such size");
        return false;
    }
    return LATE_LOAD(self, &cairo, CAIRO_LIST, "libcairo.so.2", "libcairo2") &&
           LATE_LOAD(self, &svg_library, SVG_LIST, "libcairo.so.2", "libcairo2") &&
           LATE_LOAD(self, &font_library, FONT_LIST, "libfontconfig.so.1", "libfontconfig1");
}

bool picture_save(cli *self, const char *path, double width, double height,
                  void (*draw)(cairo_t *cr, void *context), void *context)
{
    cli_text bytes = {0};
    oak_text_sink sink = cli_text_sink(&bytes);
    bool svg = is_svg(path);
    cairo_surface_t *surface = svg ? svg_library.svg_surface_create_for_stream(take, &sink, width, height)
                                   : cairo.image_surface_create(CAIRO_FORMAT_RGB24, (int)width, (int)height);
    cairo_t *cr = cairo.create(surface);
    draw(cr, context);
    bool good = cairo.status(cr) == CAIRO_STATUS_SUCCESS;
    cairo.destroy(cr);
    if (good && !svg) good = cairo.surface_write_to_png_stream(surface, take, &sink) == CAIRO_STATUS_SUCCESS;
    cairo.surface_finish(surface);
    good = good && cairo.surface_status(surface) == CAIRO_STATUS_SUCCESS;
    cairo.surface_destroy(surface);
    if (!good) cli_failed(self, OAK_NO_MEMORY, path);
    else good = cli_write_file(self, path, &bytes);
    cairo.debug_reset_static_data(); /* fonts are kept otherwise, which looks like a leak */
    font_library.Fini();
    free(bytes.bytes);
    return good;
}

double picture_text_width(cairo_t *cr, const char *text)
{
    cairo_text_extents_t size;
    cairo.text_extents(cr, text, &size);
    return size.x_advance;
}

void picture_font(cairo_t *cr, double size, bool bold)
{
    cairo.select_font_face(cr, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL,
                           bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
    cairo.set_font_size(cr, size);
}

void picture_text(cairo_t *cr, double x, double y, const char *text)
{
    cairo.move_to(cr, x, y);
    cairo.show_text(cr, text);
}
