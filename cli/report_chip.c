/* report_chip.c — what a run has left in the chip: registers, special registers, ports. */
#include "cli.h"
#include "report.h"
#include <string.h>

/* "in the main program", "handling systick (15)" */
static void say_exception(cli *self, oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    oak_chip_port chip = oak_session_chip(session);
    const char *name = NULL;
    uint32_t vector = 0;
    unsigned bytes = part->architecture->vector_bytes;
    if (!chip.ops->served || chip.ops->served(chip.chip, &vector)) return;
    for (unsigned i = 0; i < part->vector_count; i++)
        if (part->vectors[i].address == vector) name = part->vectors[i].name;
    printf("; %s", cli_paint(self->result_colour, PAINT_STRONG));
    if (!vector) printf("in the main program");
    else if (bytes && name && !part->architecture->own_lines)
        printf("handling %s (exception %u)", name, (unsigned)vector / bytes);
    else if (bytes && !part->architecture->own_lines)
        printf("handling exception %u", (unsigned)vector / bytes);
    else printf("handling the interrupt %s", name ? name : cli_vector_name(session, vector));
    printf("%s", cli_paint(self->result_colour, PAINT_OFF));
}

/* A register of another mode that says no more than what is shown anyway: 0, or what the one in use holds. */
static bool is_aside(oak_session *session, unsigned reg)
{
    const oak_architecture *about = oak_session_part(session)->architecture;
    oak_chip_port chip = oak_session_chip(session);
    uint32_t value = 0, other = 0;
    if (!about->banked_from || reg < about->banked_from) return false;
    const char *name = about->registers[reg].name;
    size_t length = strcspn(name, "_");
    chip.ops->read_register(chip.chip, reg, &value);
    for (unsigned i = 0; i < about->banked_from; i++)
        if (strlen(about->registers[i].name) == length && !strncmp(about->registers[i].name, name, length))
            chip.ops->read_register(chip.chip, i, &other);
    return !value || value == other;
}

bool cli_is_hidden(oak_session *session, unsigned reg)
{
    const oak_stack_info *stack = &oak_session_part(session)->architecture->stack;
    oak_chip_port chip = oak_session_chip(session);
    uint32_t used = 0;
    if (is_aside(session, reg)) return true;
    if (!stack->levels || reg < stack->first_level || reg >= (unsigned)stack->first_level + stack->levels)
        return false;
    chip.ops->read_register(chip.chip, stack->pointer, &used);
    return reg - stack->first_level >= used;
}

/* "line+3": what the program calls an address of a space, or what lies at most 255 before it. */
static bool name_near(const oak_program *program, unsigned space, uint32_t address, char *text, size_t room)
{
    const oak_symbol *one, *found = NULL;
    for (unsigned i = 0; program && (one = oak_program_symbol(program, i)); i++)
        if (one->space == space && one->value <= address && address - one->value < 256 &&
            (!found || one->value > found->value))
            found = one;
    if (found)
        snprintf(text, room, found->value == address ? "%.90s" : "%.90s+%u", found->name,
                 (unsigned)(address - found->value));
    return found != NULL;
}

void cli_names_in(oak_session *session, unsigned space, uint32_t from, uint32_t to, char *text, size_t room)
{
    const oak_program *program = oak_session_program(session);
    const oak_part *part = oak_session_part(session);
    const oak_symbol *one, *before = NULL;
    size_t length = 0;
    *text = 0;
    for (unsigned i = 0; program && (one = oak_program_symbol(program, i)); i++)
        if (one->space == space && one->value < from && from - one->value < one->size &&
            (!before || one->value > before->value))
            before = one;
    if (before)
        length = (size_t)snprintf(text, room, "%s+%u", before->name, (unsigned)(from - before->value));
    for (uint64_t at = from; at <= to && length < room; at++) {
        const oak_part_register *reg = oak_part_register_at(part, space, (uint32_t)at);
        const char *name = reg && reg->address == at ? reg->name : NULL;
        for (unsigned i = 0; program && !name && (one = oak_program_symbol(program, i)); i++)
            if (one->space == space && one->value == (int64_t)at && one->kind == OAK_SYMBOL_LABEL)
                name = one->name;
        if (name) length += (size_t)snprintf(text + length, room - length, "%s%s", length ? " " : "", name);
    }
    if (length >= room) memcpy(text + room - 4, "...", 4);
}

bool cli_pointed(oak_session *session, unsigned number, char *text, size_t room)
{
    const oak_architecture *about = oak_session_part(session)->architecture;
    const oak_register_info *reg = &about->registers[number];
    oak_chip_port chip = oak_session_chip(session);
    uint32_t address = 0, top = 0;
    uint8_t bytes[8];
    char name[120];
    unsigned unit = oak_unit_bytes(about, reg->points_to), size = unit > 1 ? unit : about->word_bytes;
    if (!reg->points_to || number == about->pc_register) return false;
    chip.ops->read_register(chip.chip, number, &address);
    if (about->stack.space == reg->points_to) chip.ops->read_register(chip.chip, about->stack.pointer, &top);
    if (!address || address == top || size > sizeof bytes ||
        chip.ops->read_memory(chip.chip, reg->points_to, address, bytes, size) ||
        !name_near(oak_session_program(session), reg->points_to, address, name, sizeof name))
        return false; /* a number that is no address now leads nowhere in particular */
    snprintf(text, room, "%s leads to %s, 0x%0*llx", oak_register_called(about, number), name, (int)size * 2,
             (unsigned long long)oak_number_at(about, reg->points_to, bytes, size));
    return true;
}

/* What each pointer leads to, as many in a line as fit. */
static void report_pointers(oak_session *session)
{
    enum { WIDTH = 100 };
    const oak_architecture *about = oak_session_part(session)->architecture;
    int width = 0;
    for (unsigned i = 0; i < about->register_count; i++) {
        char text[200];
        if (!cli_pointed(session, i, text, sizeof text)) continue;
        bool breaks = !width || width + (int)strlen(text) + 2 > WIDTH;
        printf("%s%s", breaks ? "\n  " : "; ", text);
        width = (breaks ? 0 : width) + 2 + (int)strlen(text);
    }
}

void report_registers(cli *self, oak_session *session)
{
    const oak_architecture *about = oak_session_part(session)->architecture;
    oak_chip_port chip = oak_session_chip(session);
    report_title(self, "Registers");
    static cli_changes changes;
    changes.count = 0;
    if (self->marks) cli_take_changes(session, &changes);
    enum { WIDTH = 100 };
    bool derived = false, wide = cli_is_wide(about) && (!self->register_base || self->register_base == 'h');
    unsigned column = 0;
    int width = 1;
    printf(" ");
    for (unsigned i = 0; i < about->register_count; i++) {
        const oak_register_info *reg = &about->registers[i];
        uint32_t value = 0;
        char text[100];
        if (cli_is_hidden(session, i)) continue;
        chip.ops->read_register(chip.chip, i, &value);
        cli_write_register(reg, value, self->register_base, text, sizeof text);
        const char *name = oak_register_called(about, i);
        int pad = wide && reg->bits == 32 ? 4 - (int)strlen(name) : 0;
        if (pad < 0) pad = 0;
        int room = 3 + (int)strlen(name) + pad + (int)strlen(text);
        /* Narrow ones in as few lines as they need, the derived ones below; wide ones six a line, aligned. */
        bool breaks = wide ? column == 6 : (reg->derived && !derived) || width + room > WIDTH;
        if (breaks) printf("\n "), column = 0, width = 1;
        derived = reg->derived;
        column++;
        width += room;
        printf("%c%s%s%s%*s %s ", cli_has_changed(&changes, 0, i, 1) ? '*' : ' ',
               cli_paint(self->result_colour, PAINT_STRONG), name, cli_paint(self->result_colour, PAINT_OFF),
               pad, "", text);
    }
    printf("\n  flags:");
    for (unsigned i = 0; i < about->flag_count; i++) {
        const oak_flag_info *flag = &about->flags[i];
        uint32_t value = 0;
        chip.ops->read_register(chip.chip, flag->reg, &value);
        if (flag->is_vector) continue; /* said behind the flags */
        printf("%s %s %s%u%s", i ? "," : "", flag->title, cli_paint(self->result_colour, PAINT_STRONG),
               (unsigned)(value >> flag->bit & ((1u << flag->width) - 1)),
               cli_paint(self->result_colour, PAINT_OFF));
    }
    say_exception(self, session);
    report_pointers(session);
    putchar('\n');
}

/* The bits of a port are pins and are shown as such. */
static bool is_port(const oak_part *part, const oak_part_register *reg)
{
    for (unsigned i = 0; i < part->port_count; i++)
        if (part->ports[i].space == reg->space && part->ports[i].address == reg->address) return true;
    return false;
}

/* A field that is not 0: its name, its value, and what that means where it is known. False when there is nothing to show. */
static bool show_field(const oak_part_field *field, uint32_t whole, const char *before)
{
    uint32_t value = oak_field_value(field, whole);
    const char *meaning = oak_field_meaning(field, whole);
    if (meaning) printf("%s%s=%u (%s)", before, field->name, (unsigned)value, meaning);
    else if (value && field->width == 1) printf("%s%s", before, field->name);
    else if (value) printf("%s%s=%u", before, field->name, (unsigned)value);
    return meaning || value;
}

bool cli_read_special(oak_session *session, const oak_part_register *reg, uint32_t *value)
{
    oak_chip_port chip = oak_session_chip(session);
    uint8_t bytes[4] = {0};
    if (chip.ops->read_memory(chip.chip, reg->space, reg->address, bytes, (reg->bits + 7u) / 8u))
        return false;
    *value = (uint32_t)oak_number_at(oak_session_part(session)->architecture, reg->space, bytes,
                                     (reg->bits + 7u) / 8u);
    return true;
}

bool cli_names_special(const oak_part_register *reg, const char *name)
{
    size_t length = strlen(name);
    bool begins = strncasecmp(reg->name, name, length) == 0;
    return !length || (begins && (!reg->name[length] || reg->name[length] == '_')); /* or all of a device */
}

bool cli_special_differs(oak_session *session, const oak_part_register *reg, uint32_t *value)
{
    const oak_architecture *about = oak_session_part(session)->architecture;
    if (oak_part_is_configuration(oak_session_part(session), reg)) return false;
    for (unsigned i = 0; i < about->cells_count; i++) {
        const oak_register_cells *cells = &about->cells[i];
        if (cells->reg == about->pc_register && cells->space == reg->space && cells->address == reg->address)
            return false;
    }
    return cli_read_special(session, reg, value) && *value != reg->reset;
}

/* One a line, with its bits and what it is. */
static void show_narrow_special(const oak_part *part, const oak_part_register *reg, uint32_t value, bool new)
{
    char binary[48];
    cli_write_binary(value, reg->bits, binary);
    printf(" %c%-6s 0x%0*x  %s  ", new ? '*' : ' ', reg->name, reg->bits / 4, (unsigned)value, binary);
    bool fields = false;
    for (unsigned f = 0; f < reg->field_count && !is_port(part, reg); f++)
        fields = fields || oak_field_value(&reg->fields[f], value);
    printf("%-*s", fields ? 24 : 0, reg->title);
    for (unsigned f = 0; fields && f < reg->field_count; f++)
        if (!oak_field_is_second_name(reg, f)) show_field(&reg->fields[f], value, " ");
    putchar('\n');
}

/* Many registers: those of one device in a row, without what their names have in common; fields in parentheses. */
static void show_wide_special(cli *self, const oak_part_register *reg, uint32_t value, bool new, char *device,
                              size_t room, unsigned *column)
{
    enum { WIDTH = 100 };
    const char *rest = strchr(reg->name, '_');
    size_t length = rest ? (size_t)(rest - reg->name) : 0;
    unsigned needed = (unsigned)strlen(rest ? rest + 1 : reg->name) + 14;
    if (strncmp(device, reg->name, length) != 0 || device[length] || (!length && *device) || !*device) {
        printf("%s  %s%-6.*s%s", *device ? "\n" : "", cli_paint(self->result_colour, PAINT_STRONG),
               (int)length, reg->name, cli_paint(self->result_colour, PAINT_OFF));
        snprintf(device, room, "%.*s", (int)length, reg->name);
        *column = 8;
    } else if (*column + needed > WIDTH) {
        printf("\n        ");
        *column = 8;
    }
    printf("%c%s %s0x%x%s", new ? '*' : ' ', rest ? rest + 1 : reg->name,
           cli_paint(self->result_colour, PAINT_STRONG), (unsigned)value,
           cli_paint(self->result_colour, PAINT_OFF));
    bool fields = false;
    for (unsigned f = 0; f < reg->field_count; f++)
        fields = fields || oak_field_value(&reg->fields[f], value);
    const char *before = " (";
    for (unsigned f = 0; fields && f < reg->field_count; f++) {
        if (oak_field_is_second_name(reg, f) || !show_field(&reg->fields[f], value, before)) continue;
        *column += 8;
        before = " ";
    }
    printf("%s ", fields ? ")" : "");
    *column += needed;
}

void report_specials(cli *self, oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    bool any = false, wide = cli_is_wide(part->architecture);
    char device[80] = "";
    unsigned column = 0;
    uint32_t value;
    static cli_changes changes;
    changes.count = 0;
    if (self->marks) cli_take_changes(session, &changes);
    report_title(self, "Special function registers that differ from reset");
    for (unsigned i = 0; i < part->register_count; i++) {
        if (!cli_special_differs(session, &part->registers[i], &value)) continue;
        any = true;
        bool new = cli_has_changed(&changes, part->registers[i].space, part->registers[i].address, 1);
        if (wide) show_wide_special(self, &part->registers[i], value, new, device, sizeof device, &column);
        else show_narrow_special(part, &part->registers[i], value, new);
    }
    if (!any) printf("  none\n");
    else if (wide) putchar('\n');
}

static void show_whole_field(const oak_part_field *field, uint32_t whole)
{
    const char *meaning = oak_field_meaning(field, whole);
    printf("%s=%u", field->name, (unsigned)oak_field_value(field, whole));
    if (meaning) printf(" (%s)", meaning);
}

bool cli_report_special(cli *self, oak_session *session, const char *name)
{
    const oak_part *part = oak_session_part(session);
    static cli_changes changes;
    unsigned found = 0;
    changes.count = 0;
    if (self->marks) cli_take_changes(session, &changes);
    for (unsigned i = 0; i < part->register_count; i++) {
        const oak_part_register *reg = &part->registers[i];
        uint32_t value;
        if (!cli_names_special(reg, name) || !cli_read_special(session, reg, &value)) continue;
        found++;
        printf(" %c%s%-14s%s 0x%0*x  at 0x%02x  %s\n",
               cli_has_changed(&changes, reg->space, reg->address, 1) ? '*' : ' ',
               cli_paint(self->result_colour, PAINT_STRONG), reg->name,
               cli_paint(self->result_colour, PAINT_OFF), reg->bits / 4, (unsigned)value,
               (unsigned)reg->address, reg->title);
        unsigned shown = 0;
        for (unsigned bit = 32; bit-- > 0;) /* the highest first, as manuals draw them */
            for (unsigned f = 0; f < reg->field_count; f++) {
                if (reg->fields[f].bit != bit || oak_field_is_second_name(reg, f)) continue;
                printf("%s", shown % 8 ? "  " : shown ? "\n      " : "      ");
                show_whole_field(&reg->fields[f], value);
                shown++;
            }
        if (reg->field_count) putchar('\n');
    }
    return found != 0;
}

/* The pins of a port that have a name in the program. */
static void show_named_pins(cli *self, oak_session *session, unsigned port)
{
    oak_chip_port chip = oak_session_chip(session);
    const oak_part_port *about = &oak_session_part(session)->ports[port];
    unsigned shown = 0;
    for (unsigned bit = 0; bit < about->pin_count; bit++) {
        unsigned number = port * OAK_MOST_PINS + bit;
        const char *name = oak_session_pin_name(session, number);
        oak_pin pin;
        if (!name || chip.ops->read_pin(chip.chip, number, &pin)) continue;
        if (!shown++) printf("  %-5s ", about->name);
        printf("%s%s %s%c%s", shown > 1 ? ", " : "", name, cli_paint(self->result_colour, PAINT_STRONG),
               "01z"[pin.result], cli_paint(self->result_colour, PAINT_OFF));
    }
    if (shown) putchar('\n');
}

uint32_t cli_port_levels(oak_session *session, unsigned port)
{
    oak_chip_port chip = oak_session_chip(session);
    uint32_t levels = 0;
    for (unsigned bit = 0; bit < oak_session_part(session)->ports[port].pin_count; bit++) {
        oak_pin pin = {0};
        chip.ops->read_pin(chip.chip, port * OAK_MOST_PINS + bit, &pin);
        levels |= (uint32_t)(pin.result == OAK_HIGH) << bit;
    }
    return levels;
}

/* One port, bit by bit: what the program wrote, what the outside drives, what stands on the pins. */
enum { MANY_PORTS = 8 }; /* of more than so many those are left out that nothing has happened to */

static uint32_t reset_of(const oak_part *part, const oak_part_port *port)
{
    const oak_part_register *reg = oak_part_register_at(part, port->space, port->address);
    return reg ? reg->reset : 0;
}

void report_ports(cli *self, oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    oak_chip_port chip = oak_session_chip(session);
    unsigned most = 0;
    for (unsigned p = 0; p < part->port_count; p++)
        if (part->ports[p].pin_count > most) most = part->ports[p].pin_count;
    if (!most) return;
    int width = (int)(most + (most - 1) / 4) < 14 ? 14 : (int)(most + (most - 1) / 4);
    char heading[60];
    unsigned left_out = 0;
    snprintf(heading, sizeof heading, "Ports, bit %u to bit 0", most - 1);
    report_title(self, heading);
    printf("  %-5s %-*s  %-*s  %s\n", "", width, part->ports[0].has_block ? "driven by chip" : "latch", width,
           "driven outside", "on the pins");
    for (unsigned p = 0; p < part->port_count; p++) {
        const oak_part_port *port = &part->ports[p];
        char latch[80] = "", outside[80] = "", result[80] = "";
        bool contention = false, moved = false;
        uint8_t stored = 0;
        if (!port->has_block) chip.ops->read_memory(chip.chip, port->space, port->address, &stored, 1);
        for (unsigned bit = port->pin_count; bit-- > 0;) {
            oak_pin pin = {0};
            static const char levels[] = "01-du", results[] = "01z";
            chip.ops->read_pin(chip.chip, p * OAK_MOST_PINS + bit, &pin);
            const char *gap = bit && bit % 4 == 0 ? " " : "";
            char own = port->has_block      ? (pin.weak_high ? '+' : levels[pin.chip])
                       : stored >> bit & 1u ? '1'
                                            : '0';
            snprintf(latch + strlen(latch), sizeof latch - strlen(latch), "%c%s", own, gap);
            snprintf(outside + strlen(outside), sizeof outside - strlen(outside), "%c%s", levels[pin.outside],
                     gap);
            snprintf(result + strlen(result), sizeof result - strlen(result), "%c%s",
                     pin.contention ? '!' : results[pin.result], gap);
            contention = contention || pin.contention;
            moved = moved || pin.outside != OAK_FLOAT;
        }
        bool new = self->marks &&p < OAK_MOST_PORTS && self->port_levels[p] != cli_port_levels(session, p);
        if (part->port_count > MANY_PORTS && !moved && !new &&stored == reset_of(part, port)) {
            left_out++;
            continue;
        }
        printf(" %c%-5s %-*s  %-*s  %s%s\n", new ? '*' : ' ', port->name, width, latch, width, outside,
               result, contention ? "  ! chip and outside drive against each other" : "");
    }
    if (left_out) printf("  %u others stand as after reset, and nothing outside is at them\n", left_out);
    for (unsigned p = 0; p < part->port_count; p++) show_named_pins(self, session, p);
    printf("  %s- nobody drives it, %sd u pulled down or up, z floating%s\n",
           cli_paint(self->result_colour, PAINT_FAINT), part->ports[0].has_block ? "+ held up weakly, " : "",
           cli_paint(self->result_colour, PAINT_OFF));
}
