/* view.c — the bench on the full screen: the line that comes next, what it touches and what the last one changed in the
 * middle of attention; registers, kept values, memory, pins and board beside it; messages and a line for verbs below.
 * It computes nothing: everything shown is asked of the session, and every change goes through a verb. */
#define _XOPEN_SOURCE_EXTENDED 1
#include <limits.h>
#include <locale.h>
#include <ncurses.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "bench.h"

enum {
    MOST_CHANGES = 400,
    MOST_MESSAGES = 200,
    LONGEST = 400,
    LEAST_COLUMNS = 60,
    LEAST_ROWS = 14,
    MESSAGE_ROWS = 5
};

typedef struct view {
    bench *b;
    WINDOW *screen;
    int rows, columns, split; /* split: the first column of the right side, 0: there is none */
    char *messages[MOST_MESSAGES];
    unsigned message_count;
    char line[LONGEST];
    size_t length;
    oak_change changes[MOST_CHANGES];
    size_t change_count;
    char *source; /* of the file shown last */
    char source_name[300];
    bool code; /* instructions in place of the source */
    unsigned scrolled;
} view;

enum { STYLE_PLAIN, STYLE_TITLE, STYLE_STRONG, STYLE_CHANGED, STYLE_FAINT, STYLE_HERE };

/* ------------------------------------------------------------------------------------------ drawing */

static attr_t style(int kind)
{
    switch (kind) {
    case STYLE_TITLE: return (attr_t)(A_BOLD | (has_colors() ? COLOR_PAIR(1) : 0));
    case STYLE_STRONG: return A_BOLD;
    case STYLE_CHANGED: return (attr_t)(A_BOLD | (has_colors() ? COLOR_PAIR(2) : A_UNDERLINE));
    case STYLE_FAINT: return A_DIM;
    case STYLE_HERE: return A_REVERSE;
    default: return A_NORMAL;
    }
}

/* A text, cut at a column. */
static void put(int row, int column, int to, int kind, const char *text)
{
    if (column >= to) return;
    attrset(style(kind));
    wchar_t wide[LONGEST];
    size_t count = mbstowcs(wide, text, LONGEST - 1);
    if (count == (size_t)-1) mvaddnstr(row, column, text, to - column);
    else {
        wide[count < LONGEST ? count : LONGEST - 1] = 0;
        for (size_t i = 0; i < count; i++)
            if (wide[i] == L'\t') wide[i] = L' ';
        mvaddnwstr(row, column, wide, to - column);
    }
    attrset(A_NORMAL);
}

static void title(int row, int column, int to, const char *text)
{
    attrset(style(STYLE_FAINT));
    mvhline(row, column, ACS_HLINE, to - column);
    attrset(A_NORMAL);
    put(row, column + 1, to, STYLE_TITLE, text);
}

static bool changed(const view *v, unsigned space, uint32_t address)
{
    for (size_t i = 0; i < v->change_count && i < MOST_CHANGES; i++)
        if (v->changes[i].space == space && v->changes[i].address == address) return true;
    return false;
}

static uint32_t pc_of(const view *v)
{
    oak_chip_port chip = oak_session_chip(v->b->session);
    uint32_t pc = 0;
    chip.ops->read_register(chip.chip, oak_session_part(v->b->session)->architecture->pc_register, &pc);
    return pc;
}

static bool has_stop(const view *v, uint32_t address)
{
    const oak_stop_point *point;
    for (unsigned i = 0; (point = oak_session_stop_point(v->b->session, i)); i++)
        if (point->enabled && point->address == address) return true;
    return false;
}

/* ------------------------------------------------------------------------------------------ the left side */

static const char *load_source(view *v, const char *name)
{
    uint8_t *bytes;
    size_t size;
    if (v->source && strcmp(v->source_name, name) == 0) return v->source;
    free(v->source);
    v->source = NULL;
    if (v->b->self->host.read_file(v->b->self->host.context, name, 16u << 20, &bytes, &size)) return NULL;
    v->source = malloc(size + 1);
    if (v->source) memcpy(v->source, bytes ? bytes : (uint8_t *)"", size), v->source[size] = 0;
    if (bytes) v->b->self->host.resize(v->b->self->host.context, bytes, size, 0);
    snprintf(v->source_name, sizeof v->source_name, "%s", name);
    return v->source;
}

/* Stop points by line of the file that is shown. */
static bool stop_in_line(const view *v, const char *file, unsigned number)
{
    const oak_stop_point *point;
    oak_line line;
    for (unsigned i = 0; (point = oak_session_stop_point(v->b->session, i)); i++)
        if (point->enabled &&
            oak_program_line_at(oak_session_program(v->b->session), point->address, &line) == OAK_OK &&
            line.line == number && strcmp(line.file, file) == 0)
            return true;
    return false;
}

static bool draw_source(view *v, int top, int bottom, int to)
{
    oak_line here;
    const oak_program *program = oak_session_program(v->b->session);
    if (v->code || !program || oak_program_line_at(program, pc_of(v), &here)) return false;
    const char *text = load_source(v, here.file);
    if (!text) return false;
    title(top, 0, to, here.file);
    int rows = bottom - top - 1, first = (int)here.line - rows / 2;
    if (first < 1) first = 1;
    int number = 1;
    for (; *text && number < first; number++) {
        text = strchr(text, '\n');
        if (!text) return true;
        text++;
    }
    for (int row = top + 1; row < bottom && *text; row++, number++) {
        char line[LONGEST];
        size_t length = strcspn(text, "\n");
        bool is_here = (unsigned)number == here.line;
        char expanded[LONGEST];
        size_t column = 0;
        for (size_t i = 0; i < length && column + 9 < sizeof expanded; i++) {
            if (text[i] == '\t') do
                    expanded[column++] = ' ';
                while (column % 8);
            else expanded[column++] = text[i];
        }
        expanded[column] = 0;
        snprintf(line, sizeof line, "%c%c%5d  %.370s", is_here ? '>' : ' ',
                 stop_in_line(v, here.file, (unsigned)number) ? '*' : ' ', number, expanded);
        if (is_here) {
            attrset(style(STYLE_HERE));
            mvhline(row, 0, ' ', to);
        }
        put(row, 0, to, is_here ? STYLE_HERE : STYLE_PLAIN, line);
        text += length;
        if (*text) text++;
    }
    return true;
}

static void draw_code(view *v, int top, int bottom, int to)
{
    uint32_t pc = pc_of(v), at = pc;
    title(top, 0, to, "instructions");
    for (int row = top + 1; row < bottom; row++) {
        char text[160], place[120], line[LONGEST];
        unsigned size;
        if (oak_session_print_instruction(v->b->session, at, text, sizeof text, &size)) break;
        oak_session_name_place(v->b->session, at, place, sizeof place);
        if (!strchr(place, '+') && strncmp(place, "0x", 2) != 0 && row + 1 < bottom) {
            snprintf(line, sizeof line, "       %s:", place);
            put(row++, 0, to, STYLE_STRONG, line);
        }
        snprintf(line, sizeof line, "%c%c 0x%04x  %s", at == pc ? '>' : ' ', has_stop(v, at) ? '*' : ' ',
                 (unsigned)at, text);
        if (at == pc) {
            attrset(style(STYLE_HERE));
            mvhline(row, 0, ' ', to);
        }
        put(row, 0, to, at == pc ? STYLE_HERE : STYLE_PLAIN, line);
        at += size;
    }
}

static void say_nothing(void *context, const oak_diagnostic *diagnostic)
{
    (void)context, (void)diagnostic;
}

/* The instruction that comes next, and what the names in it hold now. */
static void draw_next(view *v, int row, int to)
{
    char text[160], line[LONGEST] = "next     ";
    unsigned size, shown = 0;
    oak_diag_sink quiet = {NULL, say_nothing};
    if (oak_session_print_instruction(v->b->session, pc_of(v), text, sizeof text, &size)) return;
    snprintf(line + 9, sizeof line - 9, "%s", text);
    put(row, 0, to, STYLE_STRONG, line);
    char *p = text + strcspn(text, " ");
    size_t used = 9 + strlen(text);
    while (*p && shown < 4) {
        p += strcspn(p, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ_");
        size_t length = strspn(p, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ_0123456789.");
        char name[80], value[140];
        oak_reading reading;
        snprintf(name, sizeof name, "%.*s", (int)length, p);
        bool digit = p > text && (p[-1] == 'x' || (p[-1] >= '0' && p[-1] <= '9') || p[-1] == '#');
        p += length ? length : (*p != 0);
        if (!length || digit || oak_session_value(v->b->session, name, &quiet, &reading) ||
            reading.is_address)
            continue;
        snprintf(value, sizeof value, "%s%s = 0x%llx", shown++ ? ", " : "   ", name,
                 (unsigned long long)reading.value);
        put(row, (int)used, to, STYLE_PLAIN, value);
        used += strlen(value);
    }
}

/* What the last run or step has changed. */
static void draw_changed(view *v, int row, int to)
{
    const oak_part *part = oak_session_part(v->b->session);
    char line[LONGEST] = "changed  ";
    size_t shown = 0;
    for (size_t i = 0; i < v->change_count && i < MOST_CHANGES && strlen(line) + 60 < sizeof line; i++) {
        const oak_change *c = &v->changes[i];
        const oak_part_register *reg = c->space ? oak_part_register_at(part, c->space, c->address) : NULL;
        if (!c->space && c->address == part->architecture->pc_register) continue;
        if (c->space && !reg && c->address < 0x20 && part->architecture->word_bytes == 1) continue;
        if (!c->space)
            snprintf(line + strlen(line), 60, "%s%s 0x%x -> 0x%x", shown ? ", " : "",
                     part->architecture->registers[c->address].name, (unsigned)c->before, (unsigned)c->after);
        else if (reg)
            snprintf(line + strlen(line), 60, "%s%s 0x%x -> 0x%x", shown ? ", " : "", reg->name,
                     (unsigned)c->before, (unsigned)c->after);
        else
            snprintf(line + strlen(line), 60, "%s%s[0x%02x] 0x%02x -> 0x%02x", shown ? ", " : "",
                     part->architecture->spaces[c->space].name, (unsigned)c->address, (unsigned)c->before,
                     (unsigned)c->after);
        shown++;
    }
    if (!shown) snprintf(line + strlen(line), 40, "nothing");
    put(row, 0, to, shown ? STYLE_CHANGED : STYLE_FAINT, line);
}

/* ------------------------------------------------------------------------------------------ the right side */

static int draw_registers(view *v, int row, int bottom, int from, int to)
{
    const oak_architecture *about = oak_session_part(v->b->session)->architecture;
    oak_chip_port chip = oak_session_chip(v->b->session);
    title(row++, from, to, "registers");
    int column = from;
    for (unsigned i = 0; i < about->register_count && row < bottom; i++) {
        const oak_register_info *reg = &about->registers[i];
        uint32_t value = 0;
        char text[60];
        chip.ops->read_register(chip.chip, i, &value);
        bool new = changed(v, 0, i);
        snprintf(text, sizeof text, "%s%-4s 0x%0*x", new ? "*" : " ", reg->name, (reg->bits + 3) / 4,
                 (unsigned)value);
        int width = about->word_bytes > 2 ? 18 : 13;
        if (column + width > to) column = from, row++;
        if (row >= bottom) break;
        put(row, column, to, new ? STYLE_CHANGED : STYLE_PLAIN, text);
        column += width;
    }
    row++;
    column = from + 1;
    for (unsigned i = 0; i < about->flag_count && row < bottom; i++) {
        const oak_flag_info *flag = &about->flags[i];
        uint32_t value = 0;
        char text[80];
        if (flag->is_vector) continue;
        chip.ops->read_register(chip.chip, flag->reg, &value);
        snprintf(text, sizeof text, "%s %u  ", flag->title,
                 (unsigned)(value >> flag->bit & ((1u << flag->width) - 1)));
        if (column + (int)strlen(text) > to) column = from + 1, row++;
        if (row < bottom) put(row, column, to, STYLE_FAINT, text);
        column += (int)strlen(text);
    }
    return row + 1;
}

static int draw_kept(view *v, int row, int bottom, int from, int to)
{
    oak_diag_sink quiet = {NULL, say_nothing};
    if (!v->b->kept_count || row >= bottom) return row;
    title(row++, from, to, "kept");
    for (unsigned i = 0; i < v->b->kept_count && row < bottom; i++, row++) {
        oak_reading reading;
        char text[LONGEST];
        if (oak_session_value(v->b->session, v->b->kept[i], &quiet, &reading))
            snprintf(text, sizeof text, " %u %.60s  ?", i, v->b->kept[i]);
        else
            snprintf(text, sizeof text, " %u %.60s  0x%llx  %lld", i, v->b->kept[i],
                     (unsigned long long)reading.value, (long long)reading.value);
        put(row, from, to, STYLE_PLAIN, text);
    }
    return row;
}

static int draw_pins(view *v, int row, int bottom, int from, int to)
{
    const oak_part *part = oak_session_part(v->b->session);
    oak_chip_port chip = oak_session_chip(v->b->session);
    if (row >= bottom) return row;
    title(row++, from, to, "pins, high bit first");
    for (unsigned p = 0; p < part->port_count && row < bottom; p++, row++) {
        char text[80];
        snprintf(text, sizeof text, " %-3s ", part->ports[p].name);
        for (unsigned bit = part->ports[p].pin_count; bit-- > 0;) {
            oak_pin pin = {0};
            chip.ops->read_pin(chip.chip, p * OAK_MOST_PINS + bit, &pin);
            snprintf(text + strlen(text), sizeof text - strlen(text), "%c%s",
                     pin.contention ? '!' : "01z"[pin.result], bit && bit % 4 == 0 ? " " : "");
        }
        put(row, from, to, STYLE_PLAIN, text);
    }
    return row;
}

static int draw_board(view *v, int row, int bottom, int from, int to)
{
    oak_stand_in *one;
    if (!v->b->board || row >= bottom) return row;
    title(row++, from, to, oak_board_title(v->b->board));
    for (unsigned i = 0; (one = oak_board_stand_in(v->b->board, i)) && row < bottom; i++) {
        char text[1000], line[LONGEST];
        oak_stand_in_show(one, text, sizeof text);
        char *next = text;
        for (bool first = true; next && row < bottom; first = false) {
            char *stop = strchr(next, '\n');
            if (stop) *stop = 0;
            snprintf(line, sizeof line, " %-9.20s %.300s", first ? oak_stand_in_name(one) : "", next);
            put(row++, from, to, STYLE_PLAIN, line);
            next = stop ? stop + 1 : NULL;
        }
    }
    return row;
}

static int draw_memory(view *v, int row, int bottom, int from, int to)
{
    oak_chip_port chip = oak_session_chip(v->b->session);
    const oak_part *part = oak_session_part(v->b->session);
    char heading[80];
    if (row >= bottom) return row;
    unsigned columns = to - from >= 74 ? 16 : 8;
    snprintf(heading, sizeof heading, "%s", part->architecture->spaces[v->b->memory_space].name);
    title(row++, from, to, heading);
    for (uint64_t at = v->b->memory_from; at <= v->b->memory_to && row < bottom; at += columns, row++) {
        char text[20], side[20] = "";
        snprintf(text, sizeof text, " %0*llx", part->architecture->word_bytes > 2 ? 8 : 4,
                 (unsigned long long)at);
        put(row, from, to, STYLE_FAINT, text);
        int column = from + (int)strlen(text) + 1;
        for (unsigned i = 0; i < columns; i++, column += 3) {
            uint8_t byte = 0;
            bool inside = at + i <= v->b->memory_to &&
                          !chip.ops->read_memory(chip.chip, v->b->memory_space, (uint32_t)(at + i), &byte, 1);
            bool new = changed(v, v->b->memory_space, (uint32_t)(at + i));
            snprintf(text, sizeof text, "%s%02x", new ? "*" : " ", byte);
            if (inside) put(row, column, to, new ? STYLE_CHANGED : STYLE_PLAIN, text);
            side[i] = !inside ? ' ' : byte >= ' ' && byte < 127 ? (char)byte : '.';
            side[i + 1] = 0;
        }
        put(row, column + 1, to, STYLE_FAINT, side);
    }
    return row;
}

/* ------------------------------------------------------------------------------------------ the whole */

static void draw_head(view *v)
{
    const oak_part *part = oak_session_part(v->b->session);
    const oak_event *event = oak_session_last_event(v->b->session);
    oak_chip_port chip = oak_session_chip(v->b->session);
    oak_chip_time time = {0};
    char text[LONGEST], cycles[40], when[40], place[120];
    chip.ops->read_time(chip.chip, &time);
    oak_write_time(time.cycles, oak_session_clock(v->b->session), part->clocks_per_cycle, when, sizeof when);
    oak_session_name_place(v->b->session, pc_of(v), place, sizeof place);
    const char *why = event->stop.reason == OAK_STOP_FAULT ? oak_fault_word(event->stop.fault)
                                                           : oak_stop_word(event->stop.reason);
    attrset(A_REVERSE);
    mvhline(0, 0, ' ', v->columns);
    snprintf(text, sizeof text, " %s  %s   %s   cycle %s = %s   [%s]", v->b->path, part->name, place,
             cli_count(time.cycles, cycles, sizeof cycles), when, why);
    put(0, 0, v->columns, STYLE_HERE, text);
}

static void draw_bottom(view *v, int row)
{
    title(row++, 0, v->columns, "messages");
    int rows = v->rows - 2 - row;
    for (int i = 0; i < rows; i++) {
        int number = (int)v->message_count - rows + i;
        if (number >= 0) put(row + i, 0, v->columns, STYLE_PLAIN, v->messages[number]);
    }
    put(v->rows - 2, 0, v->columns, STYLE_FAINT,
        v->columns < 110 ? "F1 help F2 step F3 over F4 out F5 back F6 go F7 stop F8 code F10 leave"
                         : "F1 help  F2 step  F3 over  F4 out  F5 back  F6 go  F7 stop here  F8 source/code  "
                           "F10 leave   or type a verb");
    char line[LONGEST + 2];
    snprintf(line, sizeof line, "> %s", v->line);
    int shift = (int)strlen(line) > v->columns - 2 ? (int)strlen(line) - v->columns + 2 : 0;
    put(v->rows - 1, 0, v->columns, STYLE_PLAIN, line + shift);
    move(v->rows - 1, (int)strlen(line) - shift);
}

static void draw(view *v)
{
    getmaxyx(stdscr, v->rows, v->columns);
    erase();
    if (v->rows < 3 || v->columns < 20) {
        put(0, 0, v->columns, STYLE_PLAIN, "too small");
        refresh();
        return;
    }
    oak_session_changes(v->b->session, v->changes, MOST_CHANGES, &v->change_count);
    draw_head(v);
    bool small = v->columns < LEAST_COLUMNS || v->rows < LEAST_ROWS;
    int messages = small ? (v->rows > 8 ? 3 : 0) : v->rows >= 40 ? MESSAGE_ROWS + 3 : MESSAGE_ROWS;
    int bottom = v->rows - 2 - (messages ? messages + 1 : 0), right = small ? 0
                                                                      : v->columns >= 110
                                                                          ? v->columns * 11 / 20
                                                                          : v->columns - 37;
    int left = right ? right - 1 : v->columns, source_bottom = bottom - 3 > 2 ? bottom - 3 : bottom;
    if (!draw_source(v, 1, source_bottom, left)) draw_code(v, 1, source_bottom, left);
    if (source_bottom < bottom) {
        title(source_bottom, 0, left, "at this line");
        draw_next(v, source_bottom + 1, left);
        draw_changed(v, source_bottom + 2, left);
    }
    if (right) {
        attrset(style(STYLE_FAINT));
        mvvline(1, right - 1, ACS_VLINE, bottom - 1);
        attrset(A_NORMAL);
        int row = draw_registers(v, 1, bottom, right, v->columns);
        row = draw_kept(v, row, bottom, right, v->columns);
        row = draw_board(v, row, bottom, right, v->columns);
        row = draw_pins(v, row, bottom, right, v->columns);
        draw_memory(v, row, bottom, right, v->columns);
    }
    if (messages) draw_bottom(v, bottom);
    else {
        char line[LONGEST + 2];
        snprintf(line, sizeof line, "> %s", v->line);
        put(v->rows - 1, 0, v->columns, STYLE_PLAIN, line);
    }
    refresh();
}

/* ------------------------------------------------------------------------------------------ verbs and keys */

static void add_message(view *v, const char *text, size_t length)
{
    if (v->message_count == MOST_MESSAGES) {
        free(v->messages[0]);
        memmove(v->messages, v->messages + 1, (MOST_MESSAGES - 1) * sizeof *v->messages);
        v->message_count--;
    }
    char *copy = strndup(text, length);
    if (copy) v->messages[v->message_count++] = copy;
}

/* Does a verb; what it prints, and what it complains of, goes to the messages. */
static void run_verb(view *v, const char *line)
{
    char *text = NULL;
    size_t size = 0;
    FILE *out = stdout, *err = stderr, *kept = open_memstream(&text, &size);
    char typed[LONGEST + 2];
    if (!kept) return;
    snprintf(typed, sizeof typed, "> %s", line);
    add_message(v, typed, strlen(typed));
    bool colour = v->b->self->result_colour, error_colour = v->b->self->error_colour;
    v->b->self->result_colour = v->b->self->error_colour = false;
    stdout = stderr = kept;
    bench_do(v->b, line);
    fclose(kept);
    stdout = out;
    stderr = err;
    v->b->self->result_colour = colour;
    v->b->self->error_colour = error_colour;
    signal(SIGINT, SIG_IGN); /* only a run is ended by it */
    for (char *p = text; p && *p;) {
        size_t length = strcspn(p, "\n");
        if (length) add_message(v, p, length);
        p += length;
        if (*p) p++;
    }
    free(text);
}

static void stop_here(view *v)
{
    const oak_stop_point *point;
    char line[60];
    uint32_t pc = pc_of(v);
    for (unsigned i = 0; (point = oak_session_stop_point(v->b->session, i)); i++)
        if (point->address == pc && !point->removed) {
            snprintf(line, sizeof line, "%s %u", point->enabled ? "off" : "on", i);
            run_verb(v, line);
            return;
        }
    snprintf(line, sizeof line, "stop 0x%04x", (unsigned)pc);
    run_verb(v, line);
}

static void take_key(view *v, wint_t key, bool special)
{
    if (special) switch (key) {
        case KEY_F(1): run_verb(v, "help"); return;
        case KEY_F(2): run_verb(v, "step"); return;
        case KEY_F(3): run_verb(v, "over"); return;
        case KEY_F(4): run_verb(v, "out"); return;
        case KEY_F(6): run_verb(v, "go"); return;
        case KEY_F(5): run_verb(v, "back"); return;
        case KEY_F(7): stop_here(v); return;
        case KEY_F(8): v->code = !v->code; return;
        case KEY_F(10): v->b->quits = true; return;
        case KEY_BACKSPACE:
            while (v->length && ((unsigned char)v->line[--v->length] & 0xC0) == 0x80) continue;
            v->line[v->length] = 0;
            return;
        default: return;
        }
    if (key == '\n' || key == '\r') {
        if (!v->length) return;
        char line[LONGEST];
        memcpy(line, v->line, v->length + 1);
        v->length = 0;
        v->line[0] = 0;
        run_verb(v, line);
    } else if (key == 127 || key == 8) {
        while (v->length && ((unsigned char)v->line[--v->length] & 0xC0) == 0x80) continue;
        v->line[v->length] = 0;
    } else if (key == 21) v->length = 0, v->line[0] = 0;
    else if (key >= ' ') {
        char bytes[MB_LEN_MAX + 1];
        int count = wctomb(bytes, (wchar_t)key);
        if (count > 0 && v->length + (size_t)count < sizeof v->line - 1) {
            memcpy(v->line + v->length, bytes, (size_t)count);
            v->length += (size_t)count;
            v->line[v->length] = 0;
        }
    }
}

static void give_back(int number)
{
    endwin();
    signal(number, SIG_DFL);
    raise(number);
}

static view *looking;

static void look_on(bench *b)
{
    (void)b;
    FILE *kept = stdout;
    draw(looking);
    stdout = kept;
}

bool bench_view(bench *b)
{
    static view v;
    v = (view){.b = b};
    setlocale(LC_CTYPE, "");
    FILE *terminal_in = stdin;
    SCREEN *screen = newterm(NULL, stdout, terminal_in);
    if (!screen) return false;
    static const int ends[] = {SIGSEGV, SIGABRT, SIGTERM, SIGHUP, SIGFPE, SIGBUS, SIGILL};
    for (size_t i = 0; i < sizeof ends / sizeof *ends; i++) signal(ends[i], give_back);
    signal(SIGINT, SIG_IGN);
    cbreak();
    noecho();
    keypad(stdscr, TRUE);
    set_escdelay(50);
    if (has_colors()) {
        start_color();
        use_default_colors();
        init_pair(1, COLOR_CYAN, -1);
        init_pair(2, COLOR_YELLOW, -1);
    }
    b->view = true;
    b->moved = look_on;
    looking = &v;
    if (!b->memory_to) { /* what is looked at most: the RAM */
        const oak_part *part = oak_session_part(b->session);
        for (unsigned i = 0; i < part->memory_count && !b->memory_to; i++)
            if (part->memories[i].writable) {
                b->memory_space = part->memories[i].space;
                b->memory_from = part->memories[i].base;
                b->memory_to = part->memories[i].base +
                               (part->memories[i].size < 256 ? part->memories[i].size - 1 : 255);
            }
    }
    add_message(&v, "Type a verb, as `step` or `back change relay`; `help` lists them.", 65);
    while (!b->quits && !b->again) {
        wint_t key;
        draw(&v);
        int kind = get_wch(&key);
        if (kind == ERR) break; /* the terminal is gone */
        take_key(&v, key, kind == KEY_CODE_YES);
    }
    endwin();
    delscreen(screen);
    for (size_t i = 0; i < sizeof ends / sizeof *ends; i++) signal(ends[i], SIG_DFL);
    signal(SIGINT, SIG_DFL);
    for (unsigned i = 0; i < v.message_count; i++) free(v.messages[i]);
    free(v.source);
    b->view = false;
    b->moved = NULL;
    return true;
}
