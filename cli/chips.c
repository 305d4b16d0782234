/* chips.c — memory that is several chips: rows, what stands beside them, and their ports, side by side; what is pointed to and what has changed marked
 * below. */
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "cli.h"

enum { LONGEST = 400, MOST_ROWS = 16, MOST_SHOWN = 8, MOST_POINTERS = 12 };

typedef struct chips {
    oak_session *session;
    const oak_part *part;
    const oak_part_memory *memory, *beside;
    const cli_changes *changes;
    unsigned space, digits, rows, beside_row; /* digits of a cell; rows of a chip; cells beside a row */
    uint32_t pointer[MOST_POINTERS];
    unsigned pointers;
} chips;

static uint8_t cell_of(const chips *c, unsigned space, uint32_t address)
{
    oak_chip_port chip = oak_session_chip(c->session);
    uint8_t value = 0;
    return chip.ops->read_memory(chip.chip, space, address, &value, 1) ? 0 : value;
}

static uint32_t first_of(const chips *c, unsigned number)
{
    return c->memory->base + number * c->memory->chips.each;
}

static bool is_pointed(const chips *c, uint32_t from, uint32_t size)
{
    for (unsigned i = 0; i < c->pointers; i++)
        if (c->pointer[i] - from < size) return true;
    return false;
}

/* The first cell beside a row. */
static uint32_t beside_of(const chips *c, unsigned number, unsigned row)
{
    return c->beside->base + (number * c->rows + row) * c->beside_row;
}

static const oak_part_register *port_of(const chips *c, unsigned number)
{
    return c->memory->chips.ports ? oak_part_register_at(c->part, c->memory->chips.ports, number) : NULL;
}

/* Is there something in it, or new, or pointed to? */
static bool matters(const chips *c, unsigned number)
{
    uint32_t from = first_of(c, number), each = c->memory->chips.each;
    const oak_part_register *port = port_of(c, number);
    bool any = is_pointed(c, from, each) || cli_has_changed(c->changes, c->space, from, each) ||
               (port && cell_of(c, port->space, port->address));
    for (uint32_t i = 0; i < each && !any; i++) any = cell_of(c, c->space, from + i) != 0;
    for (uint32_t i = 0; c->beside && i < c->rows * c->beside_row && !any; i++)
        any = cell_of(c, c->beside->space, beside_of(c, number, 0) + i) != 0;
    return any;
}

/* "ram3", "ram4..ram7", "ram", "all": does a list of such name it? */
static bool is_named(const chips *c, unsigned number, const char *list)
{
    const char *called = c->memory->chips.called;
    size_t prefix = strlen(called);
    while (*list) {
        size_t length = strcspn(list, " ,");
        unsigned long low = 0, high = ULONG_MAX;
        char *end = NULL;
        bool all = length == 3 && strncasecmp(list, "all", 3) == 0,
             own = length >= prefix && strncasecmp(list, called, prefix) == 0;
        if (own && length > prefix) {
            low = high = strtoul(list + prefix, &end, 10);
            if (end[0] == '.' && end[1] == '.')
                high = strtoul(end + 2 + (strncasecmp(end + 2, called, prefix) ? 0 : prefix), &end, 10);
            own = end == list + length;
        }
        if ((all && c->memory->writable) || (own && number >= low && number <= high)) return true;
        list += length;
        list += strspn(list, " ,");
    }
    return false;
}

static unsigned row_width(const chips *c)
{
    unsigned row = c->memory->chips.row, cells = c->digits == 1 ? row + (row - 1) / 4 : row * 3 - 1;
    return cells + (c->beside ? 2 + c->beside_row : 0);
}

/* A row of one chip, and the marks below it; true when there are some. */
static bool write_row(const chips *c, unsigned number, unsigned row, char *text, char *marks)
{
    uint32_t from = first_of(c, number) + row * c->memory->chips.row;
    bool any = false;
    *text = *marks = 0;
    for (unsigned i = 0; i < c->memory->chips.row + (c->beside ? c->beside_row : 0); i++) {
        bool side = i >= c->memory->chips.row;
        unsigned space = side ? c->beside->space : c->space;
        uint32_t at = side ? beside_of(c, number, row) + i - c->memory->chips.row : from + i;
        bool changed = cli_has_changed(c->changes, space, at, 1), points = !side && is_pointed(c, at, 1);
        const char *gap = !i                            ? ""
                          : side                        ? (i == c->memory->chips.row ? "  " : "")
                          : c->digits > 1 || i % 4 == 0 ? " "
                                                        : "";
        any |= changed || points;
        sprintf(text + strlen(text), "%s%0*x", gap, (int)(side ? 1 : c->digits), cell_of(c, space, at));
        sprintf(marks + strlen(marks), "%*s%s%c", (int)strlen(gap), "", c->digits > 1 && !side ? " " : "",
                points && changed ? '!'
                : points          ? '^'
                : changed         ? '*'
                                  : ' ');
    }
    return any;
}

static bool is_empty_row(const chips *c, unsigned number, unsigned row)
{
    uint32_t from = first_of(c, number) + row * c->memory->chips.row;
    for (unsigned i = 0; i < c->memory->chips.row; i++)
        if (cell_of(c, c->space, from + i)) return false;
    return !is_pointed(c, from, c->memory->chips.row) &&
           !cli_has_changed(c->changes, c->space, from, c->memory->chips.row);
}

static void tell(chips_line say, void *context, const char *text, bool marks)
{
    if (say) say(context, text, marks);
}

static void show_group(const chips *c, const unsigned *number, unsigned count, chips_line say, void *context)
{
    const oak_part_chips *about = &c->memory->chips;
    int width = (int)row_width(c) + 3;
    char line[LONGEST] = "     ", marks[LONGEST], text[LONGEST], below[LONGEST];
    for (unsigned i = 0; i < count; i++) {
        char name[120], bank[40] = "";
        if (about->bank) snprintf(bank, sizeof bank, ", bank %u", number[i] / about->bank);
        snprintf(name, sizeof name, "%.40s%u%s", about->called, number[i], bank);
        snprintf(line + strlen(line), sizeof line - strlen(line), "%-*s", width, name);
    }
    tell(say, context, line, false);
    unsigned shown = 0, empty = 0, more = 0;
    for (unsigned row = 0; row < c->rows; row++) {
        bool marked = false;
        if (c->rows > MOST_ROWS && is_empty_row(c, number[0], row)) {
            empty++;
            continue;
        }
        if (c->rows > MOST_ROWS && shown == MOST_SHOWN) {
            more++;
            continue;
        }
        shown++;
        if (c->rows > MOST_ROWS)
            snprintf(line, sizeof line, "%04x ", (unsigned)(first_of(c, number[0]) + row * about->row));
        else snprintf(line, sizeof line, "%3x  ", row);
        strcpy(marks, "     ");
        for (unsigned i = 0; i < count; i++) {
            marked |= write_row(c, number[i], row, text, below);
            snprintf(line + strlen(line), sizeof line - strlen(line), "%-*s", width, text);
            snprintf(marks + strlen(marks), sizeof marks - strlen(marks), "%-*s", width, below);
        }
        tell(say, context, line, false);
        if (marked) tell(say, context, marks, true);
    }
    if (empty || more) {
        int at = snprintf(line, sizeof line, "     %s rows are empty", cli_count(empty, text, sizeof text));
        if (more)
            snprintf(line + at, sizeof line - (size_t)at, ", %s more hold something: `memory` shows them",
                     cli_count(more, text, sizeof text));
        tell(say, context, line, false);
    }
    if (!port_of(c, number[0])) return;
    strcpy(line, "     ");
    for (unsigned i = 0; i < count; i++) {
        const oak_part_register *port = port_of(c, number[i]);
        uint8_t value = port ? cell_of(c, port->space, port->address) : 0;
        if (!port) *text = 0;
        else
            snprintf(text, sizeof text, "port %s %u%u%u%u%s", port->name, value >> 3 & 1, value >> 2 & 1,
                     value >> 1 & 1, value & 1,
                     cli_has_changed(c->changes, port->space, port->address, 1) ? " *" : "");
        snprintf(line + strlen(line), sizeof line - strlen(line), "%-*s", width, text);
    }
    tell(say, context, line, false);
}

static void find_pointers(chips *c)
{
    oak_chip_port chip = oak_session_chip(c->session);
    const oak_architecture *about = c->part->architecture;
    c->pointers = 0;
    for (unsigned i = 0; i < about->register_count && c->pointers < MOST_POINTERS; i++)
        if (about->registers[i].points_to == c->space && i != about->pc_register &&
            chip.ops->read_register(chip.chip, i, &c->pointer[c->pointers]) == OAK_OK)
            c->pointers++;
}

/* Takes the next memory that is several chips; false when there is no more. */
static bool next_memory(chips *c, unsigned *index, bool chosen)
{
    for (; *index < c->part->memory_count; ++*index) {
        const oak_part_memory *memory = &c->part->memories[*index];
        const oak_part_chips *about = &memory->chips;
        unsigned bits = c->part->architecture->spaces[memory->space].unit_bits;
        if (!about->each || (!memory->writable && !chosen)) continue;
        c->memory = memory, c->space = memory->space;
        c->beside =
            about->beside ? oak_part_find_memory_named(c->part, about->beside, strlen(about->beside)) : NULL;
        c->digits = bits && bits <= 4 ? 1 : 2;
        c->rows = about->each / about->row;
        c->beside_row = c->beside ? c->beside->size / (memory->size / about->row) : 0;
        find_pointers(c);
        ++*index;
        return true;
    }
    return false;
}

static bool is_shown(const chips *c, unsigned number, const char *chosen)
{
    return chosen ? is_named(c, number, chosen) : matters(c, number);
}

unsigned cli_chip_lines(oak_session *session, const cli_changes *changes, const char *chosen,
                        unsigned columns, chips_line say, void *context)
{
    chips c = {.session = session, .part = oak_session_part(session), .changes = changes};
    unsigned total = 0, index = 0;
    while (next_memory(&c, &index, chosen != NULL)) {
        const oak_part_chips *about = &c.memory->chips;
        unsigned group[8], count = 0, last_bank = 0;
        unsigned fit = (columns - 5) / (row_width(&c) + 3);
        if (fit < 1 || c.rows > MOST_ROWS) fit = 1;
        if (fit > 8) fit = 8;
        if (about->bank && fit > about->bank) fit = about->bank;
        while (about->bank && about->bank % fit) fit--; /* as many in each line */
        for (unsigned n = 0; n < c.memory->size / about->each; n++) {
            if (!is_shown(&c, n, chosen)) continue;
            unsigned bank = about->bank ? n / about->bank : 0;
            if (count == fit || (count && bank != last_bank))
                show_group(&c, group, count, say, context), count = 0;
            group[count++] = n;
            last_bank = bank;
            total++;
        }
        if (count) show_group(&c, group, count, say, context);
    }
    return total;
}

cJSON *cli_json_chips(oak_session *session, const char *chosen)
{
    static cli_changes none;
    chips c = {.session = session, .part = oak_session_part(session), .changes = &none};
    cJSON *list = cJSON_CreateArray();
    unsigned index = 0;
    while (next_memory(&c, &index, chosen != NULL)) {
        const oak_part_chips *about = &c.memory->chips;
        for (unsigned n = 0; n < c.memory->size / about->each; n++) {
            if (!is_shown(&c, n, chosen)) continue;
            const oak_part_register *port = port_of(&c, n);
            char name[60];
            cJSON *chip = cJSON_CreateObject();
            snprintf(name, sizeof name, "%.40s%u", about->called, n);
            cJSON_AddStringToObject(chip, "name", name);
            if (about->bank) cJSON_AddNumberToObject(chip, "bank", n / about->bank);
            cJSON_AddStringToObject(chip, "space", c.part->architecture->spaces[c.space].name);
            cJSON_AddNumberToObject(chip, "at", first_of(&c, n));
            cJSON *cells = cJSON_AddArrayToObject(chip, "cells");
            for (uint32_t i = 0; i < about->each; i++)
                cJSON_AddItemToArray(cells, cJSON_CreateNumber(cell_of(&c, c.space, first_of(&c, n) + i)));
            cells = c.beside ? cJSON_AddArrayToObject(chip, "beside") : NULL;
            for (uint32_t i = 0; cells && i < c.rows * c.beside_row; i++)
                cJSON_AddItemToArray(
                    cells, cJSON_CreateNumber(cell_of(&c, c.beside->space, beside_of(&c, n, 0) + i)));
            if (port) cJSON_AddNumberToObject(chip, "port", cell_of(&c, port->space, port->address));
            cells = cJSON_AddArrayToObject(chip, "pointed");
            for (unsigned i = 0; i < c.pointers; i++)
                if (c.pointer[i] - first_of(&c, n) < about->each)
                    cJSON_AddItemToArray(cells, cJSON_CreateNumber(c.pointer[i]));
            cJSON_AddItemToArray(list, chip);
        }
    }
    return list;
}

bool cli_are_chips(oak_session *session, const char *names)
{
    static cli_changes none;
    return !*names || cli_chip_lines(session, &none, names, 106, NULL, NULL);
}

const char *cli_shows_chips(const char *what)
{
    if (strncmp(what, "chips", 5) != 0 || (what[5] && what[5] != ' ')) return NULL;
    return what + 5 + strspn(what + 5, " ");
}

/* ------------------------------------------------------------------------------------------ in reports */

static void print_line(void *context, const char *text, bool marks)
{
    size_t length = strlen(text);
    (void)context, (void)marks;
    while (length && text[length - 1] == ' ') length--;
    printf("%.*s\n", (int)length, text);
}

bool cli_has_chips(const oak_part *part)
{
    for (unsigned i = 0; i < part->memory_count; i++)
        if (part->memories[i].chips.each) return true;
    return false;
}

unsigned cli_report_chips(cli *self, oak_session *session, const char *chosen)
{
    static cli_changes changes;
    changes.count = 0;
    if (self->marks) cli_take_changes(session, &changes);
    unsigned shown = cli_chip_lines(session, &changes, chosen, 106, print_line, NULL);
    if (shown)
        printf("  %s%s^ selected: a register leads there%s\n", cli_paint(self->result_colour, PAINT_FAINT),
               self->marks ? "* changed, " : "", cli_paint(self->result_colour, PAINT_OFF));
    return shown;
}
