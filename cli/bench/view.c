/* view.c — the bench on the full screen: the line that comes next, what it touches and what the last one changed in the
 * middle of attention; registers, kept values, memory, pins and board beside it; messages and a line for verbs below.
 * It computes nothing: everything shown is asked of the session, and every change goes through a verb. */
#define _XOPEN_SOURCE_EXTENDED 1
#include <limits.h>
#include <locale.h>
#define NCURSES_NOMACROS
#include <ncurses.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "late.h"
#include "view.h"

/* What is used of curses. */
#define CURSES_LIST(F)                                                                                       \
    F(, attrset)                                                                                             \
    F(, cbreak)                                                                                              \
    F(, clrtoeol)                                                                                            \
    F(, delscreen)                                                                                           \
    F(, endwin)                                                                                              \
    F(, erase)                                                                                               \
    F(, get_wch)                                                                                             \
    F(, getmouse)                                                                                            \
    F(, has_colors)                                                                                          \
    F(, init_pair)                                                                                           \
    F(, keypad)                                                                                              \
    F(, mousemask)                                                                                           \
    F(, move)                                                                                                \
    F(, mvaddnstr)                                                                                           \
    F(, mvaddnwstr)                                                                                          \
    F(, mvhline)                                                                                             \
    F(, mvvline)                                                                                             \
    F(, newterm)                                                                                             \
    F(, noecho)                                                                                              \
    F(, refresh)                                                                                             \
    F(, set_escdelay)                                                                                        \
    F(, start_color)                                                                                         \
    F(, use_default_colors)                                                                                  \
    F(, COLOR_PAIR) F(, mouseinterval) F(, getmaxx) F(, getmaxy) F(, stdscr) F(, acs_map)
LATE_TABLE(curses_table, CURSES_LIST)
static curses_table curses;

enum { LEAST_COLUMNS = 60, LEAST_ROWS = 14, MESSAGE_ROWS = 5 };

/* ------------------------------------------------------------------------------------------ drawing */

static attr_t style(view_style kind)
{
    switch (kind) {
    case STYLE_TITLE: return (attr_t)(A_BOLD | (curses.has_colors() ? (attr_t)curses.COLOR_PAIR(1) : 0));
    case STYLE_STRONG: return A_BOLD;
    case STYLE_CHANGED:
        return (attr_t)(A_BOLD | (curses.has_colors() ? (attr_t)curses.COLOR_PAIR(2) : A_UNDERLINE));
    case STYLE_FAINT: return A_DIM;
    case STYLE_HERE: return A_REVERSE;
    default: return A_NORMAL;
    }
}

/* A text, cut at a column; where it is cut there is a sign of it. */
void view_put(int row, int column, int to, view_style kind, const char *text)
{
    if (column >= to) return;
    curses.attrset(style(kind));
    wchar_t wide[VIEW_LONGEST];
    size_t count = mbstowcs(wide, text, VIEW_LONGEST - 1), room = (size_t)(to - column);
    if (count == (size_t)-1) curses.mvaddnstr(row, column, text, to - column);
    else {
        wide[count < VIEW_LONGEST ? count : VIEW_LONGEST - 1] = 0;
        for (size_t i = 0; i < count; i++)
            if (wide[i] == L'\t') wide[i] = L' ';
        if (count > room && room > 1) wide[room - 1] = MB_CUR_MAX > 1 ? L'\u2026' : L'~';
        curses.mvaddnwstr(row, column, wide, to - column);
    }
    curses.attrset(A_NORMAL);
}

void view_title(int row, int column, int to, const char *text)
{
    curses.attrset(style(STYLE_FAINT));
    curses.mvhline(row, column, (*curses.acs_map)['q'], to - column);
    curses.attrset(A_NORMAL);
    view_put(row, column + 1, to, STYLE_TITLE, text);
}

bool view_is_new(view *v, const char *key, const char *text)
{
    const char *was = NULL;
    for (unsigned i = 0; i < v->before_count; i++)
        if (strcmp(v->before[i].key, key) == 0) was = v->before[i].text;
    bool known = false;
    for (unsigned i = 0; i < v->seen_count; i++) known = known || strcmp(v->seen[i].key, key) == 0;
    if (!known && v->seen_count < VIEW_MOST_SEEN) {
        seen_line *one = &v->seen[v->seen_count++];
        snprintf(one->key, sizeof one->key, "%s", key);
        snprintf(one->text, sizeof one->text, "%s", text);
    }
    return was && strncmp(was, text, sizeof v->before->text - 1) != 0;
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
    v->source = cli_malloc(size + 1);
    if (v->source) memcpy(v->source, bytes ? bytes : (uint8_t *)"", size), v->source[size] = 0;
    if (bytes) v->b->self->host.resize(v->b->self->host.context, bytes, size, 0);
    snprintf(v->source_name, sizeof v->source_name, "%s", name);
    return v->source;
}

/* A line as it is shown: its marks, how often it ran where that is counted, its number and text. */
static void source_line(view *v, const char *file, int number, bool is_here, const char *text, size_t length,
                        char *line, size_t room)
{
    char expanded[VIEW_LONGEST], counted[40] = "";
    size_t column = 0;
    oak_tally tally;
    for (size_t i = 0; i < length && column + 9 < sizeof expanded; i++) {
        if (text[i] == '\t') do
                expanded[column++] = ' ';
            while (column % 8);
        else expanded[column++] = text[i];
    }
    expanded[column] = 0;
    if (oak_session_counted(v->b->session, 0, &tally) != OAK_UNSUPPORTED) {
        if (bench_line_tally(v->b, file, (unsigned)number, &tally))
            snprintf(counted, sizeof counted, "%9llu x", (unsigned long long)tally.times);
        else snprintf(counted, sizeof counted, "%11s", "");
    }
    snprintf(line, room, "%c%c%5d %s %.350s", is_here ? '>' : ' ',
             bench_line_mark(v->b, file, (unsigned)number), number, counted, expanded);
}

static bool draw_source(view *v, int top, int bottom, int to)
{
    oak_line here;
    const oak_program *program = oak_session_program(v->b->session);
    v->first_line = 0;
    if (v->b->panes.code || !program || oak_program_line_at(program, bench_pc(v->b), &here)) return false;
    const char *text = load_source(v, here.file);
    if (!text) return false;
    view_title(top, 0, to, here.file);
    int rows = bottom - top - 1, lines = 1;
    for (const char *p = text; (p = strchr(p, '\n')) && p[1]; p++) lines++;
    int first = (int)here.line - rows / 2 + v->scrolled;
    if (first > lines - rows + 1) first = lines - rows + 1;
    if (first < 1) first = 1;
    v->scrolled = first - ((int)here.line - rows / 2 > 1 ? (int)here.line - rows / 2 : 1);
    v->first_line = (unsigned)first;
    v->source_top = top + 1;
    v->source_bottom = bottom;
    v->source_columns = to;
    int number = 1;
    for (; number < first; number++) text = strchr(text, '\n') + 1;
    for (int row = top + 1; row < bottom && *text; row++, number++) {
        char line[VIEW_LONGEST + 60];
        size_t length = strcspn(text, "\n");
        bool is_here = (unsigned)number == here.line;
        source_line(v, here.file, number, is_here, text, length, line, sizeof line);
        if (is_here) {
            curses.attrset(style(STYLE_HERE));
            curses.mvhline(row, 0, ' ', to);
        }
        view_put(row, 0, to, is_here ? STYLE_HERE : STYLE_PLAIN, line);
        text += length;
        if (*text) text++;
    }
    return true;
}

static void draw_code(view *v, int top, int bottom, int to)
{
    uint32_t pc = bench_pc(v->b), at = pc;
    view_title(top, 0, to, "instructions");
    for (int row = top + 1; row < bottom; row++) {
        char text[160], place[120], line[VIEW_LONGEST];
        unsigned size;
        uint32_t last;
        if (bench_not_programmed(v->b, at, &last)) {
            snprintf(line, sizeof line, "%c%c 0x%04x  not programmed, up to 0x%04x", at == pc ? '>' : ' ',
                     has_stop(v, at) ? '*' : ' ', (unsigned)at, (unsigned)last);
            view_put(row, 0, to, at == pc ? STYLE_HERE : STYLE_FAINT, line);
            if (last == UINT32_MAX) break;
            at = last + 1;
            continue;
        }
        if (oak_session_print_instruction(v->b->session, at, text, sizeof text, &size)) break;
        oak_session_name_place(v->b->session, at, place, sizeof place);
        if (!strchr(place, '+') && strncmp(place, "0x", 2) != 0 && row + 1 < bottom) {
            snprintf(line, sizeof line, "       %s:", place);
            view_put(row++, 0, to, STYLE_STRONG, line);
        }
        snprintf(line, sizeof line, "%c%c 0x%04x  %s", at == pc ? '>' : ' ', has_stop(v, at) ? '*' : ' ',
                 (unsigned)at, text);
        if (at == pc) {
            curses.attrset(style(STYLE_HERE));
            curses.mvhline(row, 0, ' ', to);
        }
        view_put(row, 0, to, at == pc ? STYLE_HERE : STYLE_PLAIN, line);
        at += size;
    }
}

/* The cells that it reaches by a pointer, behind what it names. */
static void draw_reached(view *v, const char *instruction, int row, int column, int to, unsigned shown)
{
    enum { ROOM = 24 };
    oak_watched list[ROOM];
    const oak_part *part = oak_session_part(v->b->session);
    unsigned count = oak_session_touches(v->b->session, list, ROOM);
    for (unsigned i = 0; i < count; i++) {
        const oak_watched *one = &list[i];
        char text[200], line[240], name[120];
        bool pointed = part->architecture->word_bytes > 1 ||
                       (one->space && oak_part_find_memory(part, one->space, one->address));
        if (!one->space || !pointed) continue;
        oak_session_name_cell(v->b->session, one->space, one->address, name, sizeof name);
        if (strstr(instruction, name)) continue; /* told already */
        cli_touched_text(v->b->session, one, text, sizeof text);
        snprintf(line, sizeof line, "%s%s %s", shown++ ? ", " : "   ",
                 !(one->accesses & OAK_ACCESS_WRITE)  ? "reads"
                 : !(one->accesses & OAK_ACCESS_READ) ? "writes"
                                                      : "changes",
                 text);
        view_put(row, column, to, STYLE_PLAIN, line);
        column += (int)strlen(line);
    }
}

/* The instruction that comes next, and what the names in it hold now. */
static void draw_next(view *v, int row, int to)
{
    char text[160], line[VIEW_LONGEST] = "next     ";
    unsigned size, shown = 0;
    if (oak_session_print_instruction(v->b->session, bench_pc(v->b), text, sizeof text, &size)) return;
    snprintf(line + 9, sizeof line - 9, "%s", text);
    view_put(row, 0, to, STYLE_STRONG, line);
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
        if (!length || digit || oak_session_value(v->b->session, name, &oak_silent, &reading) ||
            reading.is_address)
            continue;
        snprintf(value, sizeof value, "%s%s = 0x%llx", shown++ ? ", " : "   ", name,
                 (unsigned long long)reading.value);
        view_put(row, (int)used, to, STYLE_PLAIN, value);
        used += strlen(value);
    }
    draw_reached(v, text, row, (int)used, to, shown);
}

/* What the last run or step has changed; special registers last, since many of them count by themselves. */
static void draw_changed(view *v, int row, int to)
{
    const oak_part *part = oak_session_part(v->b->session);
    char line[VIEW_LONGEST] = "changed  ";
    size_t shown = 0;
    for (size_t n = 0; n < 2 * v->changes.count && strlen(line) + 100 < sizeof line; n++) {
        size_t i = n % v->changes.count;
        const oak_change *c = &v->changes.list[i];
        char name[60];
        bool special = c->space && oak_part_register_at(part, c->space, c->address);
        if (special != (n >= v->changes.count)) continue;
        if (!c->space && !cli_tells_register(v->b->session, c->address)) continue;
        if (c->space && bench_is_a_register(part, v->changes.list, i)) continue;
        cli_change_name(part, c, name, sizeof name);
        int digits = strchr(name, '[') ? 2 : 1;
        snprintf(line + strlen(line), 100, "%s%s 0x%0*x -> 0x%0*x", shown ? ", " : "", name, digits,
                 (unsigned)c->before, digits, (unsigned)c->after);
        shown++;
    }
    if (!shown) snprintf(line + strlen(line), 40, "nothing");
    view_put(row, 0, to, shown ? STYLE_CHANGED : STYLE_FAINT, line);
}

/* ------------------------------------------------------------------------------------------ the whole */

static const char *why_it_stands(const view *v)
{
    const oak_stop *stop = &oak_session_last_event(v->b->session)->stop;
    if (v->meanwhile) return "running";
    switch (stop->reason) {
    case OAK_STOP_FAULT: return oak_fault_word(stop->fault);
    case OAK_STOP_USER: return "paused";
    case OAK_STOP_CYCLES:
    case OAK_STOP_STEPS: return "as far as asked";
    case OAK_STOP_STEP: return v->b->went_back ? "back" : oak_stop_word(stop->reason);
    default: return oak_stop_word(stop->reason);
    }
}

static void draw_head(view *v)
{
    const oak_part *part = oak_session_part(v->b->session);
    oak_chip_port chip = oak_session_chip(v->b->session);
    oak_chip_time time = {0};
    char text[VIEW_LONGEST], cycles[40], when[40], place[120];
    chip.ops->read_time(chip.chip, &time);
    oak_write_time(time.cycles, oak_session_clock(v->b->session), part->clocks_per_cycle, when, sizeof when);
    oak_session_name_place(v->b->session, bench_pc(v->b), place, sizeof place);
    curses.attrset(A_REVERSE);
    curses.mvhline(0, 0, ' ', v->columns);
    snprintf(text, sizeof text, " %s  %s   %s   cycle %s = %s   [%s]", v->b->path, part->name, place,
             cli_count(time.cycles, cycles, sizeof cycles), when, why_it_stands(v));
    view_put(0, 0, v->columns, STYLE_HERE, text);
}

static void draw_keys(view *v)
{
    view_put(v->rows - 2, 0, v->columns, v->meanwhile ? STYLE_STRONG : STYLE_FAINT,
             v->meanwhile ? "It runs; Ctrl-C pauses it."
             : v->columns < 110
                 ? "F1 help F2 step F3 over F4 out F5 back F6 go F7 stop F8 code F10 leave"
                 : "F1 help  F2 step  F3 over  F4 out  F5 back  F6 go  F7 stop here  F8 source/code  "
                   "F10 leave   Shift-arrows: sizes  PgUp PgDn");
}

static void draw_bottom(view *v, int row)
{
    view_title(row++, 0, v->columns, "messages");
    int rows = v->rows - 2 - row;
    v->message_rows = rows;
    for (int i = 0; i < rows; i++) {
        int number = (int)v->message_count - rows + i;
        if (number >= 0) view_put(row + i, 0, v->columns, STYLE_PLAIN, v->messages[number]);
    }
    draw_keys(v);
    char line[VIEW_LONGEST + 2];
    snprintf(line, sizeof line, "> %s", v->line);
    int shift = (int)strlen(line) > v->columns - 2 ? (int)strlen(line) - v->columns + 2 : 0;
    view_put(v->rows - 1, 0, v->columns, STYLE_PLAIN, line + shift);
    curses.move(v->rows - 1, (int)strlen(line) - shift);
}

/* The chip stands somewhere else: what was shown until now is what is compared with. While a run lasts that stays what was
 * shown before it. */
static void notice_moves(view *v)
{
    oak_chip_port chip = oak_session_chip(v->b->session);
    oak_chip_time time = {0};
    chip.ops->read_time(chip.chip, &time);
    if (v->meanwhile || time.cycles != v->cycle) {
        memcpy(v->before, v->seen, sizeof v->seen);
        v->before_count = v->seen_count;
        v->scrolled = 0;
    }
    v->seen_count = 0;
    if (!v->meanwhile) v->cycle = time.cycles;
}

/* What does not fit below is read on a sheet in place of everything else. */
static void draw_sheet(view *v)
{
    int rows = v->rows - 3, most = (int)v->sheet_count - rows;
    char title[VIEW_LONGEST];
    if (v->sheet_at > most) v->sheet_at = most;
    if (v->sheet_at < 0) v->sheet_at = 0;
    int last = v->sheet_at + rows < (int)v->sheet_count ? v->sheet_at + rows : (int)v->sheet_count;
    snprintf(title, sizeof title, "%s   %d to %d of %u", v->messages[v->sheet_first], v->sheet_at + 1,
             last < (int)v->sheet_count ? last : last - 1, v->sheet_count - 1);
    view_title(0, 0, v->columns, title + 2);
    for (int i = 0; i < rows && v->sheet_at + i + 1 < (int)v->sheet_count; i++)
        view_put(1 + i, 0, v->columns, STYLE_PLAIN,
                 v->messages[v->sheet_first + (unsigned)(v->sheet_at + i + 1)]);
    view_put(v->rows - 1, 0, v->columns, STYLE_FAINT, "PgUp, PgDn and the arrows go on; Enter goes back.");
    curses.refresh();
}

/* A key while a sheet is read; false: it has gone, and the key is for what lies below. */
static bool take_sheet_key(view *v, wint_t key, bool special)
{
    int page = v->rows > 5 ? v->rows - 4 : 1;
    int way = !special           ? (key == ' ' ? page : 0)
              : key == KEY_PPAGE ? -page
              : key == KEY_NPAGE ? page
              : key == KEY_UP    ? -1
              : key == KEY_DOWN  ? 1
              : key == KEY_HOME  ? -VIEW_MOST_MESSAGES
              : key == KEY_END   ? VIEW_MOST_MESSAGES
                                 : 0;
    v->sheet_at += way;
    if (way || (special && key == KEY_RESIZE)) return true;
    v->sheet_count = 0;
    return key == '\n' || key == '\r' || key == 27 || key == 'q';
}

static void draw(view *v)
{
    v->rows = curses.getmaxy(*curses.stdscr), v->columns = curses.getmaxx(*curses.stdscr);
    curses.erase();
    if (v->rows < 3 || v->columns < 20) {
        view_put(0, 0, v->columns, STYLE_PLAIN, "too small");
        curses.refresh();
        return;
    }
    if (v->sheet_count && !v->meanwhile) {
        draw_sheet(v);
        return;
    }
    cli_take_changes(v->b->session, &v->changes);
    notice_moves(v);
    draw_head(v);
    bool small = v->columns < LEAST_COLUMNS || v->rows < LEAST_ROWS;
    const bench_panes *panes = &v->b->panes;
    int messages = small ? (v->rows > 8 ? 3 : 0) : MESSAGE_ROWS;
    if (panes->messages && !small)
        messages = (int)panes->messages < v->rows / 2 ? (int)panes->messages : v->rows / 2;
    int bottom = v->rows - 2 - (messages ? messages + 1 : 0), right = 0;
    if (!small && panes->count)
        right = panes->left         ? v->columns * (int)panes->left / 100
                : v->columns >= 110 ? v->columns * 11 / 20
                                    : v->columns - 37;
    int left = right ? right - 1 : v->columns, source_bottom = bottom - 3 > 2 ? bottom - 3 : bottom;
    if (!draw_source(v, 1, source_bottom, left)) draw_code(v, 1, source_bottom, left);
    if (source_bottom < bottom) {
        view_title(source_bottom, 0, left, "at this line");
        draw_next(v, source_bottom + 1, left);
        draw_changed(v, source_bottom + 2, left);
    }
    if (right) {
        curses.attrset(style(STYLE_FAINT));
        curses.mvvline(1, right - 1, (*curses.acs_map)['x'], bottom - 1);
        curses.attrset(A_NORMAL);
        view_panes(v, 1, bottom, right, v->columns);
    }
    if (messages) draw_bottom(v, bottom);
    else {
        char line[VIEW_LONGEST + 2];
        snprintf(line, sizeof line, "> %s", v->line);
        view_put(v->rows - 1, 0, v->columns, STYLE_PLAIN, line);
    }
    curses.refresh();
    if (!v->meanwhile) return;
    memcpy(v->seen, v->before, sizeof v->seen);
    v->seen_count = v->before_count;
}

/* ------------------------------------------------------------------------------------------ verbs and keys */

static void add_message(view *v, const char *text, size_t length)
{
    if (v->message_count == VIEW_MOST_MESSAGES) {
        free(v->messages[0]);
        memmove(v->messages, v->messages + 1, (VIEW_MOST_MESSAGES - 1) * sizeof *v->messages);
        v->message_count--;
    }
    char *copy = cli_strndup(text, length);
    if (copy) v->messages[v->message_count++] = copy;
}

/* Does a verb; what it prints, and what it complains of, goes to the messages. */
static void run_verb(view *v, const char *line)
{
    char *text = NULL;
    size_t size = 0;
    FILE *out = stdout, *err = stderr, *kept = open_memstream(&text, &size);
    char typed[VIEW_LONGEST + 2];
    if (!kept) return;
    snprintf(typed, sizeof typed, "> %s", line);
    add_message(v, typed, strlen(typed));
    unsigned added = 1;
    bool colour = v->b->self->result_colour, error_colour = v->b->self->error_colour;
    v->b->self->result_colour = v->b->self->error_colour = false;
    stdout = stderr = kept;
    cli_catch_interrupts(true);
    clock_gettime(CLOCK_MONOTONIC, &v->b->shown);
    bench_do(v->b, line);
    if (fflush(kept) || ferror(kept)) cli_lose_memory();
    fclose(kept);
    stdout = out;
    stderr = err;
    v->b->self->result_colour = colour;
    v->b->self->error_colour = error_colour;
    signal(SIGINT, SIG_IGN); /* only a run is ended by it */
    for (char *p = text; p && *p;) {
        size_t length = strcspn(p, "\n");
        if (length) add_message(v, p, length), added++;
        p += length;
        if (*p) p++;
    }
    free(text);
    if (added > v->message_count) added = v->message_count;
    v->sheet_at = 0;
    v->sheet_first = v->message_count - added;
    v->sheet_count = added > (unsigned)v->message_rows + 1 && !bench_moves(line) && v->rows > 5 ? added : 0;
}

static void stop_here(view *v)
{
    const oak_stop_point *point;
    char line[60];
    uint32_t pc = bench_pc(v->b);
    for (unsigned i = 0; (point = oak_session_stop_point(v->b->session, i)); i++)
        if (point->address == pc && !point->removed) {
            snprintf(line, sizeof line, "%s %u", point->enabled ? "off" : "on", i);
            run_verb(v, line);
            return;
        }
    snprintf(line, sizeof line, "stop 0x%04x", (unsigned)pc);
    run_verb(v, line);
}

/* Moves the border between the two sides, or the height of the messages. */
static void divide(view *v, int columns, int rows)
{
    bench_panes *panes = &v->b->panes;
    int left = panes->left ? (int)panes->left : v->columns >= 110 ? 55 : (v->columns - 37) * 100 / v->columns;
    int messages = panes->messages ? (int)panes->messages : MESSAGE_ROWS;
    left += columns;
    messages += rows;
    if (columns && left >= 20 && left <= 85) panes->left = (unsigned)left;
    if (rows && messages >= 1 && messages < v->rows / 2) panes->messages = (unsigned)messages;
    panes->touched = true;
}

/* A click on a line of the source sets a stop point there, or takes it away; the wheel moves the source. */
static void click(view *v)
{
    MEVENT event;
    if (curses.getmouse(&event) != OK) return;
    if (event.bstate & BUTTON4_PRESSED) v->scrolled -= 3;
    if (event.bstate & BUTTON5_PRESSED) v->scrolled += 3;
    bool inside = v->first_line && event.x < v->source_columns && event.y >= v->source_top &&
                  event.y < v->source_bottom;
    if (!(event.bstate & (BUTTON1_CLICKED | BUTTON1_PRESSED)) || !inside) return;
    char line[400];
    unsigned number = v->first_line + (unsigned)(event.y - v->source_top);
    const oak_stop_point *point;
    oak_line at;
    const oak_program *program = oak_session_program(v->b->session);
    for (unsigned i = 0; (point = oak_session_stop_point(v->b->session, i)); i++)
        if (!point->removed && oak_program_line_at(program, point->address, &at) == OAK_OK &&
            at.line == number && strcmp(at.file, v->source_name) == 0) {
            snprintf(line, sizeof line, "remove %u", i);
            run_verb(v, line);
            return;
        }
    snprintf(line, sizeof line, "stop %s:%u", v->source_name, number);
    run_verb(v, line);
}

static void set_line(view *v, const char *text)
{
    snprintf(v->line, sizeof v->line, "%s", text);
    v->length = strlen(v->line);
}

static void recall(view *v, int by)
{
    if (by < 0 ? v->typed_at == 0 : v->typed_at >= v->typed_count) return;
    v->typed_at += (unsigned)by;
    set_line(v, v->typed_at < v->typed_count ? v->typed[v->typed_at] : "");
}

static void keep_typed(view *v, const char *line)
{
    if (v->typed_count == VIEW_MOST_TYPED) {
        free(v->typed[0]);
        memmove(v->typed, v->typed + 1, (VIEW_MOST_TYPED - 1) * sizeof *v->typed);
        v->typed_count--;
    }
    if ((v->typed[v->typed_count] = cli_strdup(line))) v->typed_count++;
    v->typed_at = v->typed_count;
}

/* Completes the word at the end of the line as far as all that begin so are the same; more than one are shown. */
static void complete_line(view *v)
{
    char common[VIEW_LONGEST] = "", all[VIEW_LONGEST] = "", *word;
    size_t start = v->length, count = 0;
    while (start && !strchr(" \"'=+-*/<>|&^!~()[]:", v->line[start - 1])) start--;
    for (int state = 0; (word = bench_complete(v->b, v->line + start, state)); state++, count++) {
        if (!count) snprintf(common, sizeof common, "%s", word);
        size_t same = 0;
        while (common[same] && common[same] == word[same]) same++;
        common[same] = 0;
        if (strlen(all) + strlen(word) + 3 < sizeof all) strcat(strcat(all, " "), word);
        free(word);
    }
    if (count > 1 && strlen(common) == v->length - start) add_message(v, all, strlen(all));
    if (!*common || start + strlen(common) + 2 > sizeof v->line) return;
    strcpy(v->line + start, common);
    if (count == 1) strcat(v->line, " ");
    v->length = strlen(v->line);
}

static void take_key(view *v, wint_t key, bool special)
{
    if (v->sheet_count && take_sheet_key(v, key, special)) return;
    if (special) switch (key) {
        case KEY_F(1): run_verb(v, "help"); return;
        case KEY_F(2): run_verb(v, "step"); return;
        case KEY_F(3): run_verb(v, "over"); return;
        case KEY_F(4): run_verb(v, "out"); return;
        case KEY_F(6): run_verb(v, "go"); return;
        case KEY_F(5): run_verb(v, "back"); return;
        case KEY_F(7): stop_here(v); return;
        case KEY_F(8):
            v->b->panes.code = !v->b->panes.code;
            v->b->panes.touched = true;
            return;
        case KEY_PPAGE: v->scrolled -= (v->source_bottom - v->source_top) / 2; return;
        case KEY_NPAGE: v->scrolled += (v->source_bottom - v->source_top) / 2; return;
        case KEY_SLEFT: divide(v, -2, 0); return;
        case KEY_SRIGHT: divide(v, 2, 0); return;
        case KEY_SR: divide(v, 0, 1); return;
        case KEY_SF: divide(v, 0, -1); return;
        case KEY_MOUSE: click(v); return;
        case KEY_UP: recall(v, -1); return;
        case KEY_DOWN: recall(v, 1); return;
        case KEY_F(10): v->b->quits = true; return;
        case KEY_BACKSPACE:
            while (v->length && ((unsigned char)v->line[--v->length] & 0xC0) == 0x80) continue;
            v->line[v->length] = 0;
            return;
        default: return;
        }
    if (key == '\n' || key == '\r') {
        if (!v->length) return;
        char line[VIEW_LONGEST];
        memcpy(line, v->line, v->length + 1);
        set_line(v, "");
        keep_typed(v, line);
        run_verb(v, line);
    } else if (key == '\t') complete_line(v);
    else if (key == 127 || key == 8) {
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
    curses.endwin();
    signal(number, SIG_DFL);
    raise(number);
}

static view *looking;

/* A verb is being done. While the past is searched the chip is somewhere else, and that is not shown. */
static void look_on(bench *b, bool searches)
{
    FILE *kept = stdout;
    looking->meanwhile = true;
    if (!searches) draw(looking);
    else if (looking->rows >= LEAST_ROWS) {
        curses.move(looking->rows - 2, 0);
        curses.clrtoeol();
        view_put(looking->rows - 2, 0, looking->columns, STYLE_STRONG,
                 "The past is searched; Ctrl-C ends it.");
        curses.refresh();
    }
    looking->meanwhile = false;
    stdout = kept;
    (void)b;
}

/* What is looked at most: the RAM, from where the variables of the program begin. */
static void show_variables(bench *b)
{
    enum { ROW = 16, SHOWN = 256 };
    const oak_part *part = oak_session_part(b->session);
    const oak_program *program = oak_session_program(b->session);
    const oak_symbol *symbol;
    const oak_part_memory *ram = NULL;
    for (unsigned i = 0; i < part->memory_count && !ram; i++)
        if (part->memories[i].writable) ram = &part->memories[i];
    if (!ram) return;
    uint32_t first = UINT32_MAX;
    for (unsigned i = 0; program && (symbol = oak_program_symbol(program, i)); i++) {
        uint32_t at = (uint32_t)symbol->value - ram->base;
        if (symbol->kind == OAK_SYMBOL_LABEL && symbol->space == ram->space && at < ram->size && at < first)
            first = at;
    }
    if (first == UINT32_MAX) first = 0;
    first -= first % ROW;
    b->memory_space = ram->space;
    b->memory_from = ram->base + first;
    b->memory_to = b->memory_from + (ram->size - first < SHOWN ? ram->size - first : SHOWN) - 1;
}

bool bench_view(bench *b)
{
    static view v;
    v = (view){.b = b};
    setlocale(LC_CTYPE, "");
    FILE *terminal_in = stdin;
    if (!LATE_LOAD(b->self, &curses, CURSES_LIST, "libncursesw.so.6", "libncursesw6")) return false;
    SCREEN *screen = curses.newterm(NULL, cli_terminal(), terminal_in);
    if (!screen) {
        cli_complain(b->self, "no-view", NULL, "Leave --view out: the console works everywhere.",
                     "this terminal cannot show the full-screen view");
        return false;
    }
    static const int ends[] = {SIGSEGV, SIGABRT, SIGTERM, SIGHUP, SIGFPE, SIGBUS, SIGILL};
    for (size_t i = 0; i < sizeof ends / sizeof *ends; i++) signal(ends[i], give_back);
    signal(SIGINT, SIG_IGN);
    curses.cbreak();
    curses.noecho();
    curses.keypad(*curses.stdscr, TRUE);
    curses.set_escdelay(50);
    if (curses.has_colors()) {
        curses.start_color();
        curses.use_default_colors();
        curses.init_pair(1, COLOR_CYAN, -1);
        curses.init_pair(2, COLOR_YELLOW, -1);
    }
    b->view = true;
    b->meanwhile = look_on;
    looking = &v;
    if (!b->memory_to) show_variables(b);
    add_message(&v, "Type a verb, as `step` or `back change relay`; `help` lists them.", 65);
    bool mouse = false;
    while (!b->quits && !b->again) {
        wint_t key;
        if (b->panes.mouse != mouse) {
            mouse = b->panes.mouse;
            curses.mousemask(
                mouse ? BUTTON1_CLICKED | BUTTON1_PRESSED | BUTTON4_PRESSED | BUTTON5_PRESSED : 0, NULL);
            curses.mouseinterval(0);
        }
        draw(&v);
        int kind = curses.get_wch(&key);
        if (kind == ERR) break; /* the terminal is gone */
        take_key(&v, key, kind == KEY_CODE_YES);
    }
    signal(SIGHUP, SIG_IGN); /* what is being written is written whole */
    signal(SIGTERM, SIG_IGN);
    bench_remember_panes(b);
    curses.endwin();
    curses.delscreen(screen);
    for (size_t i = 0; i < sizeof ends / sizeof *ends; i++) signal(ends[i], SIG_DFL);
    signal(SIGINT, SIG_DFL);
    for (unsigned i = 0; i < v.message_count; i++) free(v.messages[i]);
    for (unsigned i = 0; i < v.typed_count; i++) free(v.typed[i]);
    free(v.source);
    b->view = false;
    b->meanwhile = NULL;
    return true;
}
