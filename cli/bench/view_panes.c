/* view_panes.c — the panes on the right side of the full-screen view. What differs from how it was when the chip stood somewhere
 * else last has a * in front of it, so that it shows without colour, too. */
#include <stdlib.h>
#include <string.h>

#include "view.h"

/* A line with a mark in front when it is another one than before. */
static void put_line(view *v, int row, int from, int to, const char *key, const char *text)
{
    char line[VIEW_LONGEST];
    bool new = view_is_new(v, key, text);
    snprintf(line, sizeof line, "%c%.390s", new ? '*' : ' ', text);
    view_put(row, from, to, new ? STYLE_CHANGED : STYLE_PLAIN, line);
}

static int draw_registers(view *v, int row, int bottom, int from, int to)
{
    const oak_architecture *about = oak_session_part(v->b->session)->architecture;
    oak_chip_port chip = oak_session_chip(v->b->session);
    view_title(row++, from, to, "registers");
    int column = from;
    for (unsigned i = 0; i < about->register_count && row < bottom; i++) {
        const oak_register_info *reg = &about->registers[i];
        uint32_t value = 0;
        char text[60];
        if (cli_is_hidden(v->b->session, i)) continue;
        chip.ops->read_register(chip.chip, i, &value);
        bool new = cli_has_changed(&v->changes, 0, i, 1);
        char number[50];
        cli_write_register(reg, value, v->b->self->register_base, number, sizeof number);
        snprintf(text, sizeof text, "%s%-4s %s", new ? "*" : " ", oak_register_called(about, i), number);
        int width = cli_is_wide(about) ? 18 : 13;
        while (width < (int)strlen(text) + 1) width += 13;
        if (column + width > to) column = from, row++;
        if (row >= bottom) break;
        view_put(row, column, to, new ? STYLE_CHANGED : STYLE_PLAIN, text);
        column += width;
    }
    row++;
    column = from + 1;
    for (unsigned i = 0; i < about->flag_count && row < bottom; i++) {
        const oak_flag_info *flag = &about->flags[i];
        uint32_t value = 0;
        char text[80], key[40];
        if (flag->is_vector) continue;
        chip.ops->read_register(chip.chip, flag->reg, &value);
        snprintf(text, sizeof text, "%s %u", flag->title,
                 (unsigned)(value >> flag->bit & ((1u << flag->width) - 1)));
        snprintf(key, sizeof key, "flag %u", i);
        bool new = view_is_new(v, key, text);
        if (column + (int)strlen(text) > to) column = from + 1, row++;
        if (row < bottom) {
            if (new) view_put(row, column - 1, to, STYLE_CHANGED, "*");
            view_put(row, column, to, new ? STYLE_CHANGED : STYLE_FAINT, text);
        }
        column += (int)strlen(text) + 2;
    }
    row++;
    for (unsigned i = 0; i < about->register_count && row < bottom; i++) {
        char text[200], key[40];
        if (!cli_pointed(v->b->session, i, text, sizeof text)) continue;
        snprintf(key, sizeof key, "pointer %u", i);
        put_line(v, row++, from, to, key, text);
    }
    return row;
}

static int draw_kept(view *v, int row, int bottom, int from, int to)
{
    if (!v->b->kept_count) return row;
    view_title(row++, from, to, "kept");
    for (unsigned i = 0; i < v->b->kept_count && row < bottom; i++, row++) {
        char text[VIEW_LONGEST], key[40];
        bench_kept_text(v->b, i, &oak_silent, text, sizeof text);
        snprintf(key, sizeof key, "kept %.30s", v->b->kept[i]);
        char line[VIEW_LONGEST];
        snprintf(line, sizeof line, "%u %.380s", i, text);
        put_line(v, row, from, to, key, line);
    }
    return row;
}

static int draw_pins(view *v, int row, int bottom, int from, int to)
{
    const oak_part *part = oak_session_part(v->b->session);
    oak_chip_port chip = oak_session_chip(v->b->session);
    view_title(row++, from, to, "pins, high bit first");
    for (unsigned p = 0; p < part->port_count && row < bottom; p++, row++) {
        char text[80], key[40];
        snprintf(text, sizeof text, "%-3s ", part->ports[p].name);
        for (unsigned bit = part->ports[p].pin_count; bit-- > 0;) {
            oak_pin pin = {0};
            chip.ops->read_pin(chip.chip, p * OAK_MOST_PINS + bit, &pin);
            snprintf(text + strlen(text), sizeof text - strlen(text), "%c%s",
                     pin.contention ? '!' : "01z"[pin.result], bit && bit % 4 == 0 ? " " : "");
        }
        snprintf(key, sizeof key, "port %u", p);
        put_line(v, row, from, to, key, text);
    }
    return row;
}

/* As wide as the longest name, within reason. */
static int name_width(oak_board *board)
{
    enum { LEAST = 8, MOST = 16 };
    oak_stand_in *one;
    int width = LEAST;
    for (unsigned i = 0; (one = oak_board_stand_in(board, i)); i++)
        if ((int)strlen(oak_stand_in_name(one)) > width) width = (int)strlen(oak_stand_in_name(one));
    return width < MOST ? width : MOST;
}

static int draw_board(view *v, int row, int bottom, int from, int to)
{
    oak_stand_in *one;
    if (!v->b->board) return row;
    int width = name_width(v->b->board);
    view_title(row++, from, to, oak_board_title(v->b->board));
    for (unsigned i = 0; (one = oak_board_stand_in(v->b->board, i)) && row < bottom; i++) {
        char text[1000], line[VIEW_LONGEST], key[40];
        oak_stand_in_draw(one, text, sizeof text);
        char *next = text;
        for (unsigned number = 0; next && row < bottom; number++) {
            char *stop = strchr(next, '\n');
            if (stop) *stop = 0;
            snprintf(line, sizeof line, "%-*.*s  %.300s", width, width, number ? "" : oak_stand_in_name(one),
                     next);
            snprintf(key, sizeof key, "board %u.%u", i, number);
            put_line(v, row++, from, to, key, line);
            next = stop ? stop + 1 : NULL;
        }
    }
    return row;
}

static int draw_memory(view *v, int row, int bottom, int from, int to)
{
    bench *b = v->b;
    const oak_part *part = oak_session_part(b->session);
    char heading[160];
    bool there = bench_follow_now(b);
    unsigned bytes = b->cells.bytes ? b->cells.bytes : 1, digits = cli_is_wide(part->architecture) ? 8 : 4;
    int space = to - from - (int)digits - 3;
    unsigned columns = cli_cell_columns(&b->cells, space > 0 ? (unsigned)space : 1),
             width = cli_cell_width(&b->cells);
    snprintf(heading, sizeof heading, "%s%s%.80s", part->architecture->spaces[b->memory_space].name,
             b->follow ? " from " : "", b->follow ? b->follow : "");
    view_title(row++, from, to, heading);
    if (!there) view_put(row++, from, to, STYLE_FAINT, " it points to nothing there");
    for (uint64_t at = b->memory_from; there && at <= b->memory_to && row < bottom;
         at += columns * bytes, row++) {
        char text[100], side[100] = "";
        snprintf(text, sizeof text, " %0*llx", (int)digits, (unsigned long long)at);
        view_put(row, from, to, STYLE_FAINT, text);
        int column = from + (int)digits + 2;
        for (unsigned i = 0; i < columns; i++, column += (int)width + 1) {
            uint32_t cell = (uint32_t)(at + (uint64_t)i * bytes);
            char shown[100];
            if (at + (uint64_t)(i + 1) * bytes - 1 > b->memory_to ||
                !cli_cell_text(b->session, b->memory_space, cell, &b->cells, text, sizeof text))
                continue;
            bool new = cli_has_changed(&v->changes, b->memory_space, cell, bytes);
            snprintf(shown, sizeof shown, "%c%*.90s", new ? '*' : ' ', (int)width, text);
            view_put(row, column, to, new ? STYLE_CHANGED : STYLE_PLAIN, shown);
            cli_cell_text(b->session, b->memory_space, cell, &(cli_cells){.bytes = bytes, .base = 't'}, text,
                          sizeof text);
            strncat(side, text, sizeof side - strlen(side) - 1);
        }
        if (b->cells.base == 't') *side = 0;
        uint64_t last = at + columns * bytes - 1 < b->memory_to ? at + columns * bytes - 1 : b->memory_to;
        cli_names_in(b->session, b->memory_space, (uint32_t)at, (uint32_t)last, text, sizeof text);
        view_put(row, column + 1, to, STYLE_FAINT, side);
        view_put(row, column + (*side ? 2 : 1) + (int)strlen(side), to, STYLE_PLAIN, text);
    }
    return row;
}

static int draw_stack(view *v, int row, int bottom, int from, int to)
{
    enum { MOST = 12 };
    oak_stack_item items[MOST];
    char text[200];
    size_t count = oak_session_stack(v->b->session, items, MOST);
    view_title(row++, from, to, "stack, the top first");
    for (size_t i = 0; i < count && row < bottom; i++) {
        bench_stack_words(v->b, &items[i], text, sizeof text);
        view_put(row++, from + 1, to, items[i].kind == OAK_STACK_RETURNS ? STYLE_PLAIN : STYLE_FAINT, text);
    }
    if (!count && row < bottom) view_put(row++, from + 1, to, STYLE_FAINT, "empty");
    return row;
}

typedef struct recent_pane {
    view *v;
    int row, bottom, from, to;
} recent_pane;

static void draw_one_recent(void *context, const oak_recent *one)
{
    recent_pane *pane = context;
    char text[400];
    if (pane->row >= pane->bottom) return;
    bench_recent_words(pane->v->b, one, true, text, sizeof text);
    view_put(pane->row++, pane->from + 1, pane->to, STYLE_PLAIN, text);
}

static int draw_recent(view *v, int row, int bottom, int from, int to)
{
    enum { MOST = 8 };
    recent_pane pane = {v, row + 1, bottom, from, to};
    view_title(row, from, to, "executed last");
    if (v->meanwhile && !(v->b->pace > 0)) return pane.row; /* they pass too fast */
    if (bottom - row > 1 &&
        oak_session_recent(v->b->session, (uint64_t)(bottom - row - 1 < MOST ? bottom - row - 1 : MOST),
                           draw_one_recent, &pane))
        return row + 1;
    return pane.row;
}

static int draw_special(view *v, int row, int bottom, int from, int to)
{
    const oak_part *part = oak_session_part(v->b->session);
    view_title(row++, from, to, "special registers that differ from reset");
    for (unsigned i = 0; i < part->register_count && row < bottom; i++) {
        const oak_part_register *reg = &part->registers[i];
        char text[VIEW_LONGEST];
        uint32_t value;
        if (!cli_special_differs(v->b->session, reg, &value)) continue;
        bool new = cli_has_changed(&v->changes, reg->space, reg->address, 1);
        snprintf(text, sizeof text, "%c%-10s 0x%0*x ", new ? '*' : ' ', reg->name, reg->bits / 4,
                 (unsigned)value);
        for (unsigned f = reg->field_count; f-- > 0;) {
            const oak_part_field *field = &reg->fields[f];
            uint32_t bits = oak_field_value(field, value);
            if (!bits || oak_field_is_second_name(reg, f)) continue;
            snprintf(text + strlen(text), sizeof text - strlen(text), field->width > 1 ? " %s=%u" : " %s",
                     field->name, (unsigned)bits);
        }
        view_put(row++, from, to, new ? STYLE_CHANGED : STYLE_PLAIN, text);
    }
    return row;
}

static int draw_stops(view *v, int row, int bottom, int from, int to)
{
    const oak_stop_point *point;
    const oak_watch *watch;
    char text[VIEW_LONGEST], words[300];
    int first = row++;
    view_title(first, from, to, "stops");
    for (unsigned i = 0; (point = oak_session_stop_point(v->b->session, i)) && row < bottom; i++) {
        if (point->removed) continue;
        snprintf(text, sizeof text, "%u %s %.80s%s%.120s  hit %llu", i, point->enabled ? "on " : "off",
                 point->text, point->condition ? " if " : "", point->condition ? point->condition : "",
                 (unsigned long long)point->hits);
        snprintf(words, sizeof words, "stop %u", i);
        put_line(v, row++, from, to, words, text);
    }
    for (unsigned i = 0; (watch = oak_session_watch(v->b->session, i)) && row < bottom; i++) {
        if (watch->removed) continue;
        bench_watch_words(watch, words, sizeof words);
        snprintf(text, sizeof text, "watch %u %s %.250s  hit %llu", i, watch->enabled ? "on " : "off", words,
                 (unsigned long long)watch->hits);
        snprintf(words, sizeof words, "watch %u", i);
        put_line(v, row++, from, to, words, text);
    }
    if (row == first + 1 && row < bottom) view_put(row++, from + 1, to, STYLE_FAINT, "none");
    return row;
}

typedef struct chip_pane {
    view *v;
    int row, bottom, from, to;
} chip_pane;

static void draw_chip_line(void *context, const char *text, bool marks)
{
    chip_pane *pane = context;
    if (pane->row < pane->bottom)
        view_put(pane->row++, pane->from, pane->to, marks ? STYLE_CHANGED : STYLE_PLAIN, text);
}

/* Memory that is several chips, as many beside each other as there is room for. */
static int draw_chips(view *v, int row, int bottom, int from, int to)
{
    chip_pane pane = {v, row + 1, bottom, from, to};
    view_title(row, from, to, *v->b->chips ? v->b->chips : "chips in which there is something");
    if (!cli_chip_lines(v->b->session, &v->changes, *v->b->chips ? v->b->chips : NULL, (unsigned)(to - from),
                        draw_chip_line, &pane) &&
        pane.row < bottom)
        view_put(pane.row++, from + 1, to, STYLE_FAINT, "none");
    return pane.row;
}

void view_panes(view *v, int row, int bottom, int from, int to)
{
    static int (*const draw[PANES])(view *, int, int, int, int) = {
        [PANE_REGISTERS] = draw_registers, [PANE_KEPT] = draw_kept,       [PANE_BOARD] = draw_board,
        [PANE_PINS] = draw_pins,           [PANE_MEMORY] = draw_memory,   [PANE_STACK] = draw_stack,
        [PANE_RECENT] = draw_recent,       [PANE_SPECIAL] = draw_special, [PANE_STOPS] = draw_stops,
        [PANE_CHIPS] = draw_chips};
    const bench_panes *panes = &v->b->panes;
    for (unsigned i = 0; i < panes->count && row < bottom; i++) {
        /* Memory is as long as there is room: those below it get their few lines first. */
        int end = bottom;
        if (panes->pane[i] == PANE_MEMORY)
            for (unsigned k = i + 1; k < panes->count; k++) end -= 5;
        if (end < row + 4) end = row + 4 < bottom ? row + 4 : bottom;
        row = draw[panes->pane[i]](v, row, end, from, to);
    }
}
