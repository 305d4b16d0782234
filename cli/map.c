/* map.c — what memory and registers a part has, and what a program uses of them: as text with bars, and as a picture. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "picture.h"

/* What one address of a space is called. */
static const char *unit_of(const oak_part *part, unsigned space, uint64_t count)
{
    unsigned bits = part->architecture->spaces[space].unit_bits;
    if (count == 1) return bits > 8 ? "word " : bits && bits < 8 ? "cell " : "byte ";
    return bits > 8 ? "words" : bits && bits < 8 ? "cells" : "bytes";
}

/* How many of the bytes of a stretch are in use. */
static uint64_t used_bytes(const oak_program *program, unsigned space, uint64_t from, uint64_t to)
{
    uint64_t used = 0, at = from;
    const oak_section *section;
    for (unsigned i = 0; (section = oak_program_section(program, i)); i++) {
        uint64_t first = section->address, last = first + section->size;
        if (section->space != space || last <= at || first >= to) continue;
        if (first < at) first = at;
        if (last > to) last = to;
        used += last - first;
        at = last;
    }
    return used;
}

static int by_size(const void *a, const void *b)
{
    const oak_section *left = *(const oak_section *const *)a, *right = *(const oak_section *const *)b;
    if (left->size != right->size) return left->size > right->size ? -1 : 1;
    return left->address < right->address ? -1 : left->address > right->address;
}

typedef struct hole {
    uint64_t size, at;
} hole;

/* The largest holes of a memory, at most `room`; sections come ascending by address. */
static unsigned find_holes(const oak_program *program, const oak_part_memory *memory, hole *holes,
                           unsigned room)
{
    uint64_t at = memory->base, end = (uint64_t)memory->base + memory->size;
    unsigned count = 0;
    const oak_section *section;
    for (unsigned i = 0; at < end; i++) {
        section = oak_program_section(program, i);
        if (section && section->space != memory->space) continue;
        uint64_t first = section && section->address < end ? section->address : end;
        if (first > at) {
            unsigned place = count < room ? count++ : room;
            for (; place && holes[place - 1].size < first - at; place--)
                if (place < room) holes[place] = holes[place - 1];
            if (place < room) holes[place] = (hole){first - at, at};
        }
        if (!section) break;
        if ((uint64_t)section->address + section->size > at) at = (uint64_t)section->address + section->size;
    }
    return count;
}

static const char *kind_of(const oak_part_memory *memory)
{
    return memory->writable ? "RAM" : "ROM";
}

/* ------------------------------------------------------------------------------------------ as text */

/* A bar; where the memory is several chips, and there is room, one for each. */
static void print_bar(const oak_program *program, const oak_part_memory *memory)
{
    enum { BAR = 64 };
    unsigned chips = memory->chips.each ? memory->size / memory->chips.each : 1,
             each = chips <= BAR / 2 ? BAR / chips : BAR;
    if (chips > BAR / 2) chips = 1;
    printf("  |");
    for (unsigned b = 0; b < chips * each; b++) {
        uint64_t from = memory->base + (uint64_t)memory->size * b / (chips * each),
                 to = memory->base + (uint64_t)memory->size * (b + 1) / (chips * each);
        uint64_t part_used = program ? used_bytes(program, memory->space, from, to) : 0;
        if (b && b % each == 0) putchar('|');
        putchar(!part_used ? '.' : 2 * part_used < to - from ? '-' : '#');
    }
    printf("|");
    if (chips > 1)
        printf("  %u chips, %s0 to %s%u", chips, memory->chips.called, memory->chips.called, chips - 1);
    putchar('\n');
}

enum { MOST_SECTIONS = 2000 };

/* What a program has in a memory, the largest first; how many. */
static unsigned sections_of(const oak_program *program, const oak_part_memory *memory,
                            const oak_section **sections)
{
    const oak_section *section;
    uint64_t end = (uint64_t)memory->base + memory->size;
    unsigned count = 0;
    for (unsigned i = 0; (section = oak_program_section(program, i)); i++)
        if (section->space == memory->space && section->address >= memory->base && section->address < end &&
            section->size && count < MOST_SECTIONS)
            sections[count++] = section;
    qsort(sections, count, sizeof *sections, by_size);
    return count;
}

static void print_sections(const oak_part *part, const oak_program *program, const oak_part_memory *memory)
{
    enum { HOLES = 3 };
    static const oak_section *sections[MOST_SECTIONS];
    hole holes[HOLES];
    unsigned count = sections_of(program, memory, sections);
    char size_text[32];
    for (unsigned i = 0; i < count; i++)
        printf("  %7s %s  0x%04x to 0x%04x  %s%s\n",
               cli_count(sections[i]->size, size_text, sizeof size_text),
               unit_of(part, memory->space, sections[i]->size), (unsigned)sections[i]->address,
               (unsigned)(sections[i]->address + sections[i]->size - 1),
               sections[i]->name ? sections[i]->name : "placed by org",
               sections[i]->placed ? ", placed by the tool" : "");
    unsigned found = find_holes(program, memory, holes, HOLES);
    for (unsigned i = 0; i < found; i++)
        printf("  %7s free   0x%04x to 0x%04x\n", cli_count(holes[i].size, size_text, sizeof size_text),
               (unsigned)holes[i].at, (unsigned)(holes[i].at + holes[i].size - 1));
}

static void print_memory(cli *self, const oak_part *part, const oak_program *program,
                         const oak_part_memory *memory)
{
    char used_text[32], size_text[32];
    uint64_t end = (uint64_t)memory->base + memory->size,
             used = program ? used_bytes(program, memory->space, memory->base, end) : 0;
    printf("\n%s%s%s  ", cli_paint(self->result_colour, PAINT_TITLE), memory->name,
           cli_paint(self->result_colour, PAINT_OFF));
    if (program)
        printf("%s of %s %s used, %.1f %%\n", cli_count(used, used_text, sizeof used_text),
               cli_count(memory->size, size_text, sizeof size_text),
               unit_of(part, memory->space, memory->size), 100.0 * (double)used / (double)memory->size);
    else
        printf("%s, %s %s, 0x%04x to 0x%04llx  %s\n", kind_of(memory),
               cli_count(memory->size, size_text, sizeof size_text),
               unit_of(part, memory->space, memory->size), (unsigned)memory->base,
               (unsigned long long)(end - 1), memory->title);
    print_bar(program, memory);
    if (program) print_sections(part, program, memory);
}

/* What a register belongs to: the title of a device, "several devices", or "" for the core. */
static const char *owner_of(const oak_part *part, const oak_part_register *reg)
{
    const char *found = "";
    for (unsigned i = 0; i < part->block_count; i++) {
        const oak_part_block *block = &part->blocks[i];
        for (unsigned r = 0; r < block->role_count; r++) {
            if (block->space != reg->space || block->roles[r].address != reg->address) continue;
            const char *title = *block->title ? block->title : block->name;
            if (*found && strcmp(found, title) != 0) return "several devices";
            found = title;
        }
    }
    return found;
}

static uint32_t end_of(const oak_part_register *reg)
{
    return reg->address + (reg->bits + 7u) / 8u;
}

/* Registers of a space and of one device, from one to the last of them in a row; the number of the next. */
static unsigned run_of(const oak_part *part, unsigned first)
{
    const oak_part_register *before = &part->registers[first], *one;
    const char *owner = owner_of(part, before);
    unsigned next = first + 1;
    for (; next < part->register_count; next++, before = one) {
        one = &part->registers[next];
        if (one->space != before->space || one->address < before->address ||
            one->address - before->address > 16 || oak_part_is_configuration(part, one) ||
            strcmp(owner_of(part, one), owner) != 0)
            break;
    }
    return next;
}

static void print_registers(cli *self, const oak_part *part)
{
    unsigned last = 0;
    for (unsigned i = 0, next; i < part->register_count; i = next) {
        const oak_part_register *one = &part->registers[i], *end = &part->registers[run_of(part, i) - 1];
        const char *owner = owner_of(part, one);
        next = run_of(part, i);
        if (oak_part_is_configuration(part, one)) continue;
        if (!last || last != one->space + 1u)
            printf("\n%sregisters in %s%s\n", cli_paint(self->result_colour, PAINT_TITLE),
                   part->architecture->spaces[one->space].name, cli_paint(self->result_colour, PAINT_OFF));
        last = one->space + 1u;
        char to[24] = "", names[80];
        if (end_of(end) - 1 > one->address) snprintf(to, sizeof to, "to 0x%04x", (unsigned)(end_of(end) - 1));
        snprintf(names, sizeof names, "%s%s%s", one->name, one == end ? "" : " to ",
                 one == end ? "" : end->name);
        printf("  0x%04x %-*s  %s%s%s\n", (unsigned)one->address, one->address > 0xFFFF ? 13 : 9, to, names,
               *owner ? ", " : "", owner);
    }
}

/* The registers that the source names, device by device. */
static void print_named(cli *self, const oak_part *part, const oak_program *program)
{
    unsigned shown = 0;
    for (unsigned i = 0; i < part->register_count; i++) {
        const char *owner = owner_of(part, &part->registers[i]);
        bool first = oak_program_names_register(program, i);
        for (unsigned k = 0; k < i && first; k++)
            first = !oak_program_names_register(program, k) ||
                    strcmp(owner_of(part, &part->registers[k]), owner) != 0;
        if (!first) continue;
        if (!shown++)
            printf("\n%sregisters%s  those that the source names, by device\n",
                   cli_paint(self->result_colour, PAINT_TITLE), cli_paint(self->result_colour, PAINT_OFF));
        printf("  %-24s", *owner ? owner : "the core");
        unsigned column = 26;
        for (unsigned k = i; k < part->register_count; k++) {
            const oak_part_register *one = &part->registers[k];
            if (!oak_program_names_register(program, k) || strcmp(owner_of(part, one), owner) != 0) continue;
            if (column + 1 + strlen(one->name) > 100) printf("\n  %-24s", ""), column = 26;
            column += (unsigned)printf(" %s", one->name);
        }
        putchar('\n');
    }
}

void cli_print_map(cli *self, const oak_part *part, const oak_program *program)
{
    for (unsigned m = 0; m < part->memory_count; m++) print_memory(self, part, program, &part->memories[m]);
    if (!program) print_registers(self, part);
    if (program) print_named(self, part, program);
    if (program)
        printf("\n  # more than half used, - less, . free; below: what is there by size, then the largest "
               "holes\n");
}

/* ------------------------------------------------------------------------------------------ as a picture */

enum {
    WIDTH = 1280,
    SIDE = 24,
    NAMES = 190,
    HEAD = 76,
    ROW = 62,
    BAR_HEIGHT = 26,
    CELLS = 16,
    CELL_ROW = 33,
    CELL_HEIGHT = 20
};

typedef struct map_picture {
    const oak_part *part;
    const oak_program *program;
    double height;
    cairo_t *cr;
    double bar, end; /* of all bars */
} map_picture;

static const colour rom = {0.83, 0.90, 0.96}, ram = {0.88, 0.94, 0.84}, taken_rom = {0.0, 0.36, 0.62},
                    taken_ram = {0.18, 0.45, 0.10}, device = {0.96, 0.88, 0.78},
                    taken_device = {0.62, 0.33, 0.0}, plain = {0.90, 0.90, 0.91};

/* A stretch of a bar, with its name where that has room. */
static void stretch(const map_picture *p, double y, double from, double to, colour c, colour words,
                    const char *name)
{
    double x = p->bar + from * (p->end - p->bar), width = (to - from) * (p->end - p->bar);
    if (width < 1.5) width = 1.5;
    picture_use(p->cr, c);
    cairo.rectangle(p->cr, x, y, width, BAR_HEIGHT);
    cairo.fill(p->cr);
    picture_font(p->cr, 10.5, false);
    if (!name || picture_text_width(p->cr, name) + 6 > width) return;
    picture_use(p->cr, words);
    picture_text(p->cr, x + 4, y + BAR_HEIGHT / 2.0 + 4, name);
}

static void divider(const map_picture *p, double y, double at)
{
    double x = p->bar + at * (p->end - p->bar);
    cairo.set_source_rgb(p->cr, 1, 1, 1);
    cairo.set_line_width(p->cr, 2);
    cairo.move_to(p->cr, x, y);
    cairo.line_to(p->cr, x, y + BAR_HEIGHT);
    cairo.stroke(p->cr);
}

static void label(const map_picture *p, double y, const char *name, const char *what, uint64_t first,
                  uint64_t last, const char *right)
{
    char text[80];
    picture_use(p->cr, ink);
    picture_font(p->cr, 13, true);
    picture_text(p->cr, SIDE, y + 12, name);
    picture_use(p->cr, faint);
    picture_font(p->cr, 10.5, false);
    picture_text(p->cr, SIDE, y + 27, what);
    snprintf(text, sizeof text, "0x%llx", (unsigned long long)first);
    picture_text(p->cr, p->bar, y + BAR_HEIGHT + 14, text);
    snprintf(text, sizeof text, "0x%llx", (unsigned long long)last);
    picture_text(p->cr, p->end - picture_text_width(p->cr, text), y + BAR_HEIGHT + 14, text);
    if (*right)
        picture_text(p->cr, (p->bar + p->end - picture_text_width(p->cr, right)) / 2, y + BAR_HEIGHT + 14,
                     right);
}

static void draw_memory(const map_picture *p, const oak_part_memory *memory, double y)
{
    static const colour white = {1, 1, 1};
    const oak_section *section;
    char what[120], used_words[300] = "", text[32];
    uint64_t end = (uint64_t)memory->base + memory->size;
    stretch(p, y, 0, 1, memory->writable ? ram : rom, ink, NULL);
    for (unsigned i = 0; p->program && (section = oak_program_section(p->program, i)); i++) {
        uint64_t first = section->address, last = first + section->size;
        if (section->space != memory->space || first >= end || last <= memory->base || !section->size)
            continue;
        if (last > end) last = end;
        if (first < memory->base) first = memory->base;
        stretch(p, y, (double)(first - memory->base) / memory->size,
                (double)(last - memory->base) / memory->size, memory->writable ? taken_ram : taken_rom, white,
                section->name ? section->name : "");
    }
    unsigned chips = memory->chips.each ? memory->size / memory->chips.each : 0;
    for (unsigned n = 0; n < chips && chips <= 64; n++) {
        double x = (double)n / chips;
        char name[40];
        snprintf(name, sizeof name, "%s%u", memory->chips.called, n);
        if (n) divider(p, y, x);
        picture_use(p->cr, faint);
        picture_font(p->cr, 9, false);
        double at = p->bar + x * (p->end - p->bar) + 3;
        if (picture_text_width(p->cr, name) + 6 < (p->end - p->bar) / chips)
            picture_text(p->cr, at, y - 3, name);
    }
    snprintf(what, sizeof what, "%s, %s %s", kind_of(memory), cli_count(memory->size, text, sizeof text),
             unit_of(p->part, memory->space, memory->size));
    if (p->program) {
        uint64_t used = used_bytes(p->program, memory->space, memory->base, end);
        int at = snprintf(used_words, sizeof used_words, "%s used, %.1f %%",
                          cli_count(used, text, sizeof text), 100.0 * (double)used / memory->size);
        static const oak_section *largest[MOST_SECTIONS];
        unsigned count = sections_of(p->program, memory, largest);
        for (unsigned i = 0; i < count && i < 4; i++)
            at += snprintf(used_words + at, sizeof used_words - (size_t)at, "%s %.24s %s", i ? "," : ":",
                           largest[i]->name ? largest[i]->name : "placed by org",
                           cli_count(largest[i]->size, text, sizeof text));
        if (count > 4) snprintf(used_words + at, sizeof used_words - (size_t)at, " and %u more", count - 4);
    } else snprintf(used_words, sizeof used_words, "%s", memory->title);
    label(p, y, memory->name, what, memory->base, end - 1, used_words);
}

/* ------------------------------------------------------------------------------------------ registers in it */

/* Registers lie in rows of 16 cells; a cell is an address, or two or four where every register of the space has so many. */
static unsigned cell_size(const oak_part *part, unsigned space)
{
    unsigned size = 4;
    for (unsigned i = 0; i < part->register_count; i++) {
        const oak_part_register *one = &part->registers[i];
        if (one->space == space && !oak_part_is_configuration(part, one))
            while (one->address % size || (one->bits + 7u) / 8u < size) size /= 2;
    }
    return size;
}

/* The first row behind `after` in which there is a register, as the address where it begins; UINT32_MAX when there is none. */
static uint64_t next_row(const oak_part *part, unsigned space, unsigned size, uint64_t from)
{
    uint64_t found = UINT64_MAX;
    for (unsigned i = 0; i < part->register_count; i++) {
        const oak_part_register *one = &part->registers[i];
        uint64_t row = one->address - one->address % (CELLS * size);
        if (one->space == space && !oak_part_is_configuration(part, one) && row >= from && row < found)
            found = row;
    }
    return found;
}

static unsigned count_rows(const oak_part *part, unsigned space)
{
    unsigned rows = 0, size = cell_size(part, space);
    for (uint64_t row = next_row(part, space, size, 0); row != UINT64_MAX;
         row = next_row(part, space, size, row + CELLS * size))
        rows++;
    return rows;
}

/* Text that ends where its place does. */
static void text_within(cairo_t *cr, double x, double y, double width, const char *text)
{
    cairo.save(cr);
    cairo.rectangle(cr, x, y - 14, width, 20);
    cairo.clip(cr);
    picture_text(cr, x, y, text);
    cairo.restore(cr);
}

static void draw_row(const map_picture *p, unsigned space, uint64_t row, unsigned size, double y)
{
    static const colour white = {1, 1, 1};
    const oak_part *part = p->part;
    double cell = (p->end - p->bar) / CELLS;
    const char *before = "";
    uint32_t before_end = 0;
    char text[40];
    snprintf(text, sizeof text, "0x%04llx", (unsigned long long)row);
    picture_font(p->cr, 10.5, false);
    picture_use(p->cr, faint);
    picture_text(p->cr, p->bar - 8 - picture_text_width(p->cr, text), y + 14, text);
    picture_use(p->cr, band);
    cairo.rectangle(p->cr, p->bar, y, p->end - p->bar, CELL_HEIGHT);
    cairo.fill(p->cr);
    for (unsigned i = 0; i < part->register_count; i++) {
        const oak_part_register *one = &part->registers[i];
        if (one->space != space || oak_part_is_configuration(part, one) || one->address < row ||
            one->address >= row + CELLS * size)
            continue;
        const char *owner = owner_of(part, one);
        bool named = p->program && oak_program_names_register(p->program, i);
        double x = p->bar + (double)(one->address - row) / size * cell,
               width = (double)(end_of(one) - one->address) / size * cell;
        if (x + width > p->end) width = p->end - x;
        picture_use(p->cr, named ? taken_device : *owner ? device : plain);
        cairo.rectangle(p->cr, x + 0.5, y, width - 1, CELL_HEIGHT);
        cairo.fill(p->cr);
        picture_font(p->cr, 9.5, named);
        picture_use(p->cr, named ? white : ink);
        text_within(p->cr, x + 3, y + 14, width - 4, one->name);
        if (!*owner) before = "";
        if (!*owner || (strcmp(owner, before) == 0 && one->address == before_end)) {
            before_end = end_of(one);
            continue;
        }
        /* The device above its first register, as far as it has others behind that. */
        double room = width;
        uint32_t last = end_of(one);
        for (unsigned k = i + 1; k < part->register_count && part->registers[k].address == last &&
                                 strcmp(owner_of(part, &part->registers[k]), owner) == 0;
             k++)
            last = end_of(&part->registers[k]);
        room = (double)(last - one->address) / size * cell;
        if (x + room > p->end) room = p->end - x;
        picture_font(p->cr, 8.5, false);
        picture_use(p->cr, faint);
        text_within(p->cr, x + 3, y - 3, room - 4, owner);
        before = owner, before_end = end_of(one);
    }
}

/* The registers of a space; the height that they take. */
static double draw_registers(const map_picture *p, unsigned space, double y)
{
    const oak_part *part = p->part;
    unsigned count = 0, named = 0, size = cell_size(part, space);
    char text[80];
    for (unsigned i = 0; i < part->register_count; i++)
        if (part->registers[i].space == space && !oak_part_is_configuration(part, &part->registers[i])) {
            count++;
            named += p->program && oak_program_names_register(p->program, i);
        }
    picture_use(p->cr, ink);
    picture_font(p->cr, 13, true);
    picture_text(p->cr, SIDE, y + 12, part->architecture->spaces[space].name);
    picture_use(p->cr, faint);
    picture_font(p->cr, 10.5, false);
    snprintf(text, sizeof text, "%u registers", count);
    picture_text(p->cr, SIDE, y + 27, text);
    if (named) {
        snprintf(text, sizeof text, "%u named", named);
        picture_text(p->cr, SIDE, y + 42, text);
    }
    double top = y;
    for (uint64_t row = next_row(part, space, size, 0); row != UINT64_MAX; y += CELL_ROW) {
        uint64_t next = next_row(part, space, size, row + CELLS * size);
        draw_row(p, space, row, size, y);
        row = next;
    }
    return y - top + 20;
}

static bool has_registers(const oak_part *part, unsigned space)
{
    for (unsigned i = 0; i < part->register_count; i++)
        if (part->registers[i].space == space && !oak_part_is_configuration(part, &part->registers[i]))
            return true;
    return false;
}

static void draw_all(cairo_t *cr, void *context)
{
    map_picture *p = context;
    char title[300];
    p->cr = cr;
    p->bar = SIDE + NAMES, p->end = WIDTH - SIDE;
    cairo.set_source_rgb(cr, 1, 1, 1);
    cairo.paint(cr);
    picture_use(cr, ink);
    picture_font(cr, 18, true);
    picture_text(cr, SIDE, 34, p->part->name);
    picture_font(cr, 12, false);
    picture_use(cr, faint);
    snprintf(title, sizeof title, "%s%s", p->part->title,
             p->program ? "; dark is what the program takes, and the registers that it names" : "");
    picture_text(cr, SIDE, 54, title);
    double y = HEAD;
    for (unsigned m = 0; m < p->part->memory_count; m++, y += ROW) draw_memory(p, &p->part->memories[m], y);
    for (unsigned s = 1; s < p->part->architecture->space_count; s++)
        if (has_registers(p->part, s)) y += draw_registers(p, s, y);
}

bool cli_draw_map(cli *self, const oak_part *part, const oak_program *program, const char *path)
{
    map_picture p = {.part = part, .program = program};
    p.height = HEAD + part->memory_count * ROW;
    for (unsigned s = 1; s < part->architecture->space_count; s++)
        if (has_registers(part, s)) p.height += count_rows(part, s) * CELL_ROW + 20;
    if (!picture_load(self, path, WIDTH, (int)p.height) ||
        !picture_save(self, path, WIDTH, p.height, draw_all, &p))
        return false;
    if (!self->json) printf("%s: %d by %d pixels\n", path, WIDTH, (int)p.height);
    return true;
}
