/* show.c — values, stretches of memory and changes, as somebody has asked for them: in any base, cells of any size. */
#include <stdlib.h>
#include <string.h>

#include "cli.h"

/* ------------------------------------------------------------------------------------------ what to show */

/* The words behind `as`: a base, the bytes of a cell, their order, "8 columns". */
static bool read_word(const oak_architecture *about, const char *word, size_t length, const char *next,
                      cli_cells *cells, bool *takes_next)
{
    static const char *const sizes[] = {"bytes", "halfwords", "words"};
    for (unsigned i = 0; i < 3; i++)
        if (length == strlen(sizes[i]) && strncmp(word, sizes[i], length) == 0) {
            cells->bytes = i == 2 && about->word_bytes > 2 ? about->word_bytes : i ? 2 : 1;
            return true;
        }
    static const struct {
        const char *word;
        char base;
    } bases[] = {{"hex", 'h'}, {"dec", 'd'}, {"signed", 's'}, {"oct", 'o'}, {"bin", 'b'}, {"text", 't'}};
    for (size_t i = 0; i < sizeof bases / sizeof *bases; i++)
        if (length == strlen(bases[i].word) && strncmp(word, bases[i].word, length) == 0) {
            cells->base = bases[i].base;
            return true;
        }
    if ((length == 6 && strncmp(word, "little", 6) == 0) || (length == 3 && strncmp(word, "big", 3) == 0)) {
        cells->order = length == 3 ? CLI_ORDER_BIG : CLI_ORDER_LITTLE;
        return true;
    }
    char *end;
    unsigned long count = strtoul(word, &end, 10);
    if (end != word + length || !count) return false;
    if (strncmp(next, "column", 6) == 0) {
        cells->columns = (unsigned)count;
        *takes_next = true;
        return count <= 64;
    }
    *takes_next = strncmp(next, "byte", 4) == 0;
    cells->bytes = (unsigned)count;
    return count == 1 || count == 2 || count == 4;
}

bool cli_read_cells(cli *self, oak_session *session, const char *words, cli_cells *cells)
{
    for (const char *at = words; *at;) {
        size_t length = strcspn(at, " ,");
        const char *next = at + length + strspn(at + length, " ,");
        bool takes_next = false;
        if (!read_word(oak_session_part(session)->architecture, at, length, next, cells, &takes_next)) {
            char message[200];
            snprintf(message, sizeof message, "behind `as`, `%.*s` means nothing",
                     (int)(length < 60 ? length : 60), at);
            cli_complain(self, "show", NULL,
                         "Write hex, dec, signed, oct, bin or text; 1, 2 or 4 bytes, or bytes, halfwords, "
                         "words; little or big; 8 "
                         "columns.",
                         message);
            return false;
        }
        at = takes_next ? next + strcspn(next, " ,") : next;
        at += strspn(at, " ,");
    }
    return true;
}

/* A variable of two or four bytes is shown whole, in the order of its bytes, also where the chip handles bytes: the cell it is, or NULL. */
static char *whole_variable(oak_session *session, const char *name)
{
    const oak_program *program = oak_session_program(session);
    const oak_symbol *symbol = program ? oak_program_find(program, name, strlen(name)) : NULL;
    const oak_part *part = oak_session_part(session);
    if (!symbol || symbol->kind != OAK_SYMBOL_LABEL || (symbol->size != 2 && symbol->size != 4) ||
        part->architecture->word_bytes > 1)
        return NULL;
    const oak_part_memory *memory = oak_part_find_memory(part, symbol->space, (uint32_t)symbol->value);
    if (!memory || !memory->writable) return NULL;
    char cell[80];
    snprintf(cell, sizeof cell, "%s[0x%x:%u]", part->architecture->spaces[symbol->space].name,
             (unsigned)symbol->value, (unsigned)symbol->size);
    return cli_strdup(cell);
}

bool cli_read_show(cli *self, oak_session *session, const char *text, show_item *item)
{
    *item = (show_item){.text = text, .expression = cli_strdup(text)};
    if (!item->expression) return false;
    char *as = NULL;
    for (char *p = item->expression; (p = strstr(p, " as ")); p += 4) as = p;
    bool good = true;
    oak_reading ignored;
    if (as) {
        *as = 0;
        good = cli_read_cells(self, session, as + 4, &item->cells);
    }
    if (good && cli_shows_chips(item->expression) && cli_has_chips(oak_session_part(session))) {
        good = cli_are_chips(session, cli_shows_chips(item->expression));
        if (!good)
            cli_complain(self, "expression", text,
                         "They are called as `chips all` shows them: chips ram0 ram4..ram7.",
                         "there is no such chip");
    } else if (good && strstr(item->expression, "..")) {
        item->is_range = true;
        good = oak_session_range(session, item->expression, &self->sink, &item->space, &item->from,
                                 &item->to) == OAK_OK;
    } else if (good && strcmp(item->expression, "changes") != 0)
        good = oak_session_value(session, item->expression, &self->sink, &ignored) == OAK_OK;
    item->label_length = strlen(item->expression);
    char *whole = good && !item->is_range ? whole_variable(session, item->expression) : NULL;
    if (whole) {
        free(item->expression);
        item->expression = whole;
    }
    if (!good) free(item->expression);
    return good;
}

/* ------------------------------------------------------------------------------------------ numbers */

void cli_write_binary(uint64_t value, unsigned bits, char *text)
{
    size_t at = 0;
    for (unsigned bit = bits; bit-- > 0;) {
        text[at++] = value >> bit & 1 ? '1' : '0';
        if (bit && bit % 4 == 0) text[at++] = ' ';
    }
    text[at] = 0;
}

static int64_t with_sign(uint64_t value, unsigned bits)
{
    uint64_t sign = (uint64_t)1 << (bits - 1);
    return bits >= 64 ? (int64_t)value : (int64_t)((value ^ sign) - sign);
}

/* A value of so many bits in a base; 0 for hexadecimal. */
void cli_write_number(uint64_t value, unsigned bits, char base, char *text, size_t room)
{
    char binary[100];
    if (bits < 64) value &= ((uint64_t)1 << bits) - 1;
    switch (base) {
    case 'd': snprintf(text, room, "%llu", (unsigned long long)value); break;
    case 's': snprintf(text, room, "%lld", (long long)with_sign(value, bits)); break;
    case 'o': snprintf(text, room, "%0*llo", (int)((bits + 2) / 3), (unsigned long long)value); break;
    case 'b':
        cli_write_binary(value, bits, binary);
        snprintf(text, room, "%s", binary);
        break;
    case 't':
        for (unsigned i = 0; i < (bits + 7) / 8 && i + 1 < room; i++) {
            char c = (char)(value >> (8 * i));
            text[i] = c >= ' ' && c < 127 ? c : '.';
            text[i + 1] = 0;
        }
        break;
    default: snprintf(text, room, "%0*llx", (int)((bits + 3) / 4), (unsigned long long)value); break;
    }
}

void cli_write_register(const oak_register_info *reg, uint32_t value, char base, char *text, size_t room)
{
    char number[100];
    cli_write_number(value, reg->bits, base, number, sizeof number);
    snprintf(text, room, "%s%s",
             !base || base == 'h' ? "0x"
             : base == 'o'        ? "0o"
             : base == 'b'        ? "0b"
                                  : "",
             number);
}

/* The flags of a status register, one by one, under it. */
static void show_flags(const oak_architecture *about, const char *name, uint32_t value)
{
    enum { WIDTH = 100 };
    int width = 0;
    for (unsigned i = 0; i < about->flag_count; i++) {
        const oak_flag_info *flag = &about->flags[i];
        const char *reg = oak_register_called(about, flag->reg);
        char text[120];
        if (strcasecmp(reg, name) != 0 && strcasecmp(about->registers[flag->reg].name, name) != 0) continue;
        int length = snprintf(text, sizeof text, "%s=%u %s", flag->name,
                              (unsigned)(value >> flag->bit & ((1u << flag->width) - 1)), flag->title);
        bool breaks = !width || width + 2 + length > WIDTH;
        printf("%s%s", !breaks ? "  " : width ? "\n      " : "      ", text);
        width = (breaks ? 6 : width + 2) + length;
    }
    if (width) putchar('\n');
}

static void show_value(cli *self, oak_session *session, const show_item *item)
{
    oak_reading reading;
    if (oak_session_value(session, item->expression, &self->sink, &reading)) return;
    bool fits = reading.value >= 0 && reading.value <= 0xFFFF;
    unsigned bits = reading.bits < 64 ? reading.bits : !fits ? 64 : reading.value <= 0xFF ? 8 : 16;
    uint64_t value =
        bits < 64 ? (uint64_t)reading.value & (((uint64_t)1 << bits) - 1) : (uint64_t)reading.value;
    char text[100];
    printf(" %c%-18.*s ", item->is_new ? '*' : ' ', (int)item->label_length, item->text);
    if (item->cells.base) {
        bool plain =
            reading.bits == 64 && item->cells.base == 's'; /* something computed has a sign of its own */
        cli_write_number((uint64_t)reading.value, plain ? 64 : bits, item->cells.base, text, sizeof text);
        printf("%s%s\n", item->cells.base == 'h' ? "0x" : "", text);
    } else if (bits == 1) printf("%llu\n", (unsigned long long)value);
    else {
        printf("0x%0*llx  %lld", (int)((bits + 3) / 4), (unsigned long long)value, (long long)reading.value);
        cli_write_binary(value, bits, text);
        if (bits <= 16) printf("  %s", text);
        if (value >= ' ' && value < 127) printf("  '%c'", (char)value);
        if (reading.is_address) {
            char place[100];
            oak_session_name_place(session, (uint32_t)value, place, sizeof place);
            printf("  place %s", place);
        }
        putchar('\n');
        show_flags(oak_session_part(session)->architecture, item->expression, (uint32_t)value);
    }
}

/* ------------------------------------------------------------------------------------------ memory */

static unsigned bytes_of(const cli_cells *cells)
{
    return cells->bytes ? cells->bytes : 1;
}

unsigned cli_cell_width(const cli_cells *cells)
{
    unsigned bytes = bytes_of(cells);
    static const unsigned decimal[] = {0, 3, 5, 0, 10}, octal[] = {0, 3, 6, 0, 11};
    switch (cells->base) {
    case 'd': return decimal[bytes];
    case 's': return decimal[bytes] + 1;
    case 'o': return octal[bytes];
    case 'b': return 10 * bytes - 1;
    case 't': return bytes;
    default: return 2 * bytes;
    }
}

unsigned cli_cell_columns(const cli_cells *cells, unsigned width)
{
    if (cells->columns) return cells->columns;
    unsigned each = cli_cell_width(cells) + 1, bytes = bytes_of(cells);
    if (cells->base != 't') each += bytes; /* the text beside */
    for (unsigned columns = 16; columns > 1; columns /= 2)
        if (columns * bytes <= 16 && columns * each + 2 <= width) return columns;
    return 1;
}

bool cli_cell_text(oak_session *session, unsigned space, uint32_t at, const cli_cells *cells, char *text,
                   size_t room)
{
    oak_chip_port chip = oak_session_chip(session);
    uint8_t read[4];
    uint64_t value = 0;
    unsigned bytes = bytes_of(cells);
    bool big = cells->order ? cells->order == CLI_ORDER_BIG
                            : oak_is_high_first(oak_session_part(session)->architecture, space);
    text[0] = 0;
    if (chip.ops->read_memory(chip.chip, space, at, read, bytes)) return false;
    if (cells->base == 't') big = false; /* letters stand as they lie */
    for (unsigned i = 0; i < bytes; i++) value |= (uint64_t)read[big ? bytes - 1 - i : i] << (8 * i);
    cli_write_number(value, 8 * bytes, cells->base, text, room);
    return true;
}

void cli_take_changes(oak_session *session, cli_changes *changes)
{
    if (oak_session_changes(session, changes->list, CLI_MOST_CHANGES, &changes->count)) changes->count = 0;
    if (changes->count > CLI_MOST_CHANGES) changes->count = CLI_MOST_CHANGES;
}

bool cli_tells_register(oak_session *session, uint32_t reg)
{
    const oak_architecture *about = oak_session_part(session)->architecture;
    if (cli_is_hidden(session, reg)) return false;
    if (reg == about->pc_register || reg + 1 == about->restless_register) return false;
    for (unsigned i = 0; i < about->cells_count; i++)
        if (about->cells[i].reg == reg && about->cells[i].space == OAK_REGISTER_FILE)
            return !about->registers[reg].derived;
    return true;
}

bool cli_has_changed(const cli_changes *changes, unsigned space, uint32_t address, unsigned bytes)
{
    for (size_t i = 0; i < changes->count; i++)
        if (changes->list[i].space == space && changes->list[i].address - address < bytes) return true;
    return false;
}

static void show_range(cli *self, oak_session *session, const show_item *item)
{
    enum { WIDTH = 100 };
    static cli_changes changes;
    unsigned bytes = bytes_of(&item->cells), columns = cli_cell_columns(&item->cells, WIDTH),
             width = cli_cell_width(&item->cells);
    uint64_t cells = ((uint64_t)item->to - item->from) / bytes + 1;
    if (bytes > 1 && cells < columns) columns = (unsigned)cells;
    unsigned step = columns * bytes;
    changes.count = 0;
    if (self->marks) cli_take_changes(session, &changes);
    printf("  %s\n", item->text);
    /* Whole rows, as addresses have them; cells of several bytes begin where the stretch does. */
    uint64_t first = bytes > 1 ? item->from : item->from / step * step;
    for (uint64_t row = first; row <= item->to; row += step) {
        char beside[400] = "", names[60];
        printf("    0x%04llx ", (unsigned long long)row);
        for (unsigned i = 0; i < columns; i++) {
            char text[100];
            uint64_t at = row + (uint64_t)i * bytes;
            /* Where the stretch ends within a cell, the bytes that are left. */
            unsigned here =
                at <= item->to && item->to - at + 1 < bytes ? (unsigned)(item->to - at + 1) : bytes;
            cli_cells one = item->cells;
            if (here < bytes) one = (cli_cells){.bytes = here == 2 ? 2 : 1, .order = CLI_ORDER_BIG};
            bool inside = at >= item->from && at <= item->to &&
                          cli_cell_text(session, item->space, (uint32_t)at, &one, text, sizeof text);
            if (i == 8 && columns == 16) putchar(' ');
            if (!inside) {
                printf("%*s", (int)width + 1, "");
                snprintf(beside + strlen(beside), sizeof beside - strlen(beside), "%*s", (int)bytes, "");
                continue;
            }
            printf("%c%*s", cli_has_changed(&changes, item->space, (uint32_t)at, bytes) ? '*' : ' ',
                   (int)width, text);
            cli_cell_text(session, item->space, (uint32_t)at, &(cli_cells){.bytes = one.bytes, .base = 't'},
                          text, sizeof text);
            snprintf(beside + strlen(beside), sizeof beside - strlen(beside), "%s", text);
        }
        uint64_t last = row + step - 1 < item->to ? row + step - 1 : item->to;
        cli_names_in(session, item->space, (uint32_t)(row > item->from ? row : item->from), (uint32_t)last,
                     names, sizeof names);
        if (item->cells.base == 't') *beside = 0;
        for (size_t end = strlen(beside); !*names && end && beside[end - 1] == ' ';) beside[--end] = 0;
        printf("%s%s%s%s\n", *beside ? "  " : "", beside, *names ? "  " : "", names);
    }
}

static void show_changes(oak_session *session)
{
    enum { MOST = 200 };
    static oak_change changes[MOST];
    const oak_part *part = oak_session_part(session);
    size_t count;
    if (oak_session_changes(session, changes, MOST, &count)) return;
    printf("  changed since the run began\n");
    for (size_t i = 0; i < count && i < MOST; i++) {
        const oak_change *c = &changes[i];
        const oak_part_register *reg = c->space ? oak_part_register_at(part, c->space, c->address) : NULL;
        char name[60];
        cli_change_name(part, c, name, sizeof name);
        int digits = reg        ? reg->bits / 4
                     : c->space ? 2
                                : (part->architecture->registers[c->address].bits + 3) / 4;
        printf("    %-18s 0x%0*x -> 0x%0*x\n", name, digits, (unsigned)c->before, digits, (unsigned)c->after);
    }
    if (count > MOST) printf("    and %zu more\n", count - MOST);
    if (!count) printf("    nothing\n");
}

void cli_change_name(const oak_part *part, const oak_change *change, char *name, size_t room)
{
    const oak_part_register *reg =
        change->space ? oak_part_register_at(part, change->space, change->address) : NULL;
    if (!change->space) snprintf(name, room, "%s", oak_register_called(part->architecture, change->address));
    else if (reg) snprintf(name, room, "%s", reg->name);
    else
        snprintf(name, room, "%s[0x%02x]", part->architecture->spaces[change->space].name,
                 (unsigned)change->address);
}

/* "cy = 1, ac = 0": the flags of a register that are among these bits; 0: all. Nothing where it has none. */
static void flags_text(const oak_architecture *about, unsigned reg, uint32_t bits, uint32_t value, char *text,
                       size_t room)
{
    text[0] = 0;
    for (unsigned i = 0; i < about->flag_count; i++) {
        const oak_flag_info *flag = &about->flags[i];
        if (flag->reg != reg || flag->width != 1 || (bits && !(bits >> flag->bit & 1))) continue;
        size_t used = strlen(text);
        snprintf(text + used, room - used, "%s%s = %u", used ? ", " : "", flag->name,
                 (unsigned)(value >> flag->bit & 1));
    }
}

static unsigned bit_number(uint8_t bits)
{
    unsigned number = 0;
    while (number < 7 && !(bits >> number & 1)) number++;
    return number;
}

/* A port of an 8-bit part has two values: what is on its pins, which is read, and what is in its latch, which is written. */
static bool touched_port(oak_session *session, const oak_watched *one, const char *name, uint8_t latch,
                         char *text, size_t room)
{
    const oak_part *part = oak_session_part(session);
    const oak_part_port *port = NULL;
    bool reads = one->accesses == OAK_ACCESS_READ;
    for (unsigned i = 0; i < part->port_count; i++)
        if (!part->ports[i].has_block && part->ports[i].space == one->space &&
            part->ports[i].address == one->address)
            port = &part->ports[i];
    oak_reading reading = {0};
    if (!port || oak_session_value(session, port->name, &oak_silent, &reading)) return false;
    uint8_t value = reads ? (uint8_t)reading.value : latch;
    const char *where = reads ? "on the pins" : "in the latch";
    if (one->bits && !(one->bits & (one->bits - 1)))
        snprintf(text, room, "%s.%u = %u %s", name, bit_number(one->bits), (value & one->bits) != 0,
                 reads ? "on the pin" : where);
    else snprintf(text, room, "%s = 0x%02x %s", name, value, where);
    return true;
}

void cli_touched_text(oak_session *session, const oak_watched *one, char *text, size_t room)
{
    const oak_architecture *about = oak_session_part(session)->architecture;
    oak_chip_port chip = oak_session_chip(session);
    uint8_t bytes[8];
    uint32_t whole = 0;
    uint64_t value = 0;
    if (!one->space) {
        const oak_register_info *reg = &about->registers[one->address];
        chip.ops->read_register(chip.chip, one->address, &whole);
        if (one->bits || one->accesses == OAK_ACCESS_READ) /* else it is not known which it writes */
            flags_text(about, one->address, one->bits, whole, text, room);
        else text[0] = 0;
        if (*text) return;
        snprintf(text, room, "%s = 0x%0*x", oak_register_called(about, one->address), (reg->bits + 3) / 4,
                 (unsigned)whole);
        return;
    }
    char name[120];
    oak_session_name_cell(session, one->space, one->address, name, sizeof name);
    if (!strchr(name, '[') && !oak_part_register_at(oak_session_part(session), one->space, one->address))
        snprintf(name + strlen(name), sizeof name - strlen(name), " at 0x%x", (unsigned)one->address);
    if (one->size > sizeof bytes) {
        snprintf(text, room, "%s, %u bytes", name, (unsigned)one->size);
        return;
    }
    if (chip.ops->read_memory(chip.chip, one->space, one->address, bytes, one->size)) {
        snprintf(text, room, "%s, where nothing is", name);
        return;
    }
    value = oak_number_at(about, one->space, bytes, one->size);
    if (touched_port(session, one, name, (uint8_t)value, text, room)) return;
    if (one->bits && !(one->bits & (one->bits - 1))) {
        snprintf(text, room, "%s.%u = %u", name, bit_number(one->bits), (value & one->bits) != 0);
        return;
    }
    int used = snprintf(text, room, "%s = 0x%0*llx", name, (int)(2 * one->size), (unsigned long long)value);
    /* A word may be the address of something. */
    if (about->word_bytes != one->size || one->size == 1 || (size_t)used >= room) return;
    oak_session_name_cell(session, one->space, (uint32_t)value, name, sizeof name);
    if (!strchr(name, '[')) snprintf(text + used, room - (size_t)used, " (%s)", name);
}

void cli_show_item(cli *self, oak_session *session, const show_item *item)
{
    if (item->is_range) show_range(self, session, item);
    else if (strcmp(item->expression, "changes") == 0) show_changes(session);
    else if (cli_shows_chips(item->expression) && cli_has_chips(oak_session_part(session))) {
        const char *names = cli_shows_chips(item->expression);
        if (!cli_report_chips(self, session, *names ? names : NULL))
            printf("  nothing is in any of the chips\n");
    } else show_value(self, session, item);
}

bool cli_show(cli *self, oak_session *session, const char *text, bool is_new)
{
    show_item item;
    if (!cli_read_show(self, session, text, &item)) return false;
    item.is_new = is_new;
    cli_show_item(self, session, &item);
    free(item.expression);
    return true;
}
