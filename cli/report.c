/* report.c — what is printed when a run has ended. */
#include <ctype.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "cli.h"

/* ------------------------------------------------------------------------------------------ the report */

static void title(cli *self, const char *text)
{
    printf("\n%s%s%s\n", cli_paint(self->result_colour, PAINT_TITLE), text,
           cli_paint(self->result_colour, PAINT_OFF));
}

static void say_watch(oak_session *session, const oak_event *event, const char *strong, const char *off)
{
    static const char *const deeds[] = {
        [OAK_WATCH_CHANGE] = "changed",      [OAK_WATCH_HOLDS] = "became true",
        [OAK_WATCH_READ] = "was read",       [OAK_WATCH_WRITE] = "was written",
        [OAK_WATCH_ACCESS] = "was accessed", [OAK_WATCH_HANDLER] = "handler entered"};
    const oak_watch *watch = oak_session_watch(session, (unsigned)event->watch);
    char text[120], place[120];
    unsigned size;
    printf("%sWatch%s %d: %s%s%s", strong, off, event->watch, watch->text, *watch->text ? " " : "",
           deeds[watch->kind]);
    if (!event->stop.watched) return;
    oak_session_name_place(session, event->stop.watched_pc, place, sizeof place);
    if (watch->kind == OAK_WATCH_HANDLER)
        printf(", interrupting at 0x%04x, %s", (unsigned)event->stop.watched_pc, place);
    else if (!oak_session_print_instruction(session, event->stop.watched_pc, text, sizeof text, &size))
        printf(" by `%s` at 0x%04x, %s", text, (unsigned)event->stop.watched_pc, place);
}

void cli_report_why(cli *self, oak_session *session, const char *budget)
{
    const oak_event *event = oak_session_last_event(session);
    const char *strong =
        cli_paint(self->result_colour, event->stop.reason == OAK_STOP_FAULT ? PAINT_ERROR : PAINT_STRONG);
    const char *off = cli_paint(self->result_colour, PAINT_OFF);
    char sentence[300];
    switch (event->stop.reason) {
    case OAK_STOP_POINT: {
        const oak_stop_point *point = oak_session_stop_point(session, (unsigned)event->stop_point);
        printf("%sStop point%s `%s`", strong, off, point->text);
        if (point->condition) printf(" if %s", point->condition);
        if (point->hits > 1) printf(", hit %llu times", (unsigned long long)point->hits);
        break;
    }
    case OAK_STOP_PARKED:
        printf("%sParked%s: it %s and nothing can wake it", strong, off,
               event->stop.asleep ? "sleeps" : "jumps to itself");
        break;
    case OAK_STOP_CYCLES:
    case OAK_STOP_STEPS: printf("%sBudget used up%s (%s)", strong, off, budget); break;
    case OAK_STOP_FAULT:
        oak_fault_sentence(session, &event->stop, sentence, sizeof sentence);
        printf("%sFault%s %s: %s", strong, off, oak_fault_word(event->stop.fault), sentence);
        if (event->stop.fault_taken) {
            char place[120];
            oak_session_name_place(session, event->stop.fault_pc, place, sizeof place);
            printf("\n  it came from 0x%04x, %s; its handler was entered and has parked",
                   (unsigned)event->stop.fault_pc, place);
        }
        break;
    case OAK_STOP_STEP: printf("%sHere%s", strong, off); break;
    case OAK_STOP_WATCH: say_watch(session, event, strong, off); break;
    case OAK_STOP_USER: printf("%sInterrupted%s by you", strong, off); break;
    default: {
        oak_chip_port chip = oak_session_chip(session);
        oak_chip_time time = {0};
        chip.ops->read_time(chip.chip, &time);
        printf("%s%s%s", strong, time.cycles || time.instructions ? "As it was loaded" : "At the beginning",
               off);
        break;
    }
    }
    putchar('\n');
}

/* Where it is now: somebody may have moved it since the run ended. */
static void say_where(cli *self, oak_session *session)
{
    oak_chip_port chip = oak_session_chip(session);
    uint32_t pc = 0;
    chip.ops->read_register(chip.chip, oak_session_part(session)->architecture->pc_register, &pc);
    const oak_program *program = oak_session_program(session);
    char place[120], text[120];
    unsigned size;
    oak_line line;
    oak_session_name_place(session, pc, place, sizeof place);
    bool named = strncmp(place, "0x", 2) != 0;
    printf("  at 0x%04x", (unsigned)pc);
    if (named) printf(", %s", place);
    if (program && oak_program_line_at(program, pc, &line) == OAK_OK) {
        printf(", %s:%u", line.file, line.line);
        if (line.text)
            printf("\n  %s%6u |%s %.*s", cli_paint(self->result_colour, PAINT_FAINT), line.line,
                   cli_paint(self->result_colour, PAINT_OFF), (int)line.text_size, line.text);
        else if (oak_session_print_instruction(session, pc, text, sizeof text, &size) == OAK_OK)
            printf("\n         %s", text);
    } else if (oak_session_print_instruction(session, pc, text, sizeof text, &size) == OAK_OK) {
        printf("\n         %s", text);
    }
    putchar('\n');
}

static void say_time(oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    oak_chip_port chip = oak_session_chip(session);
    oak_chip_time time = {0};
    char cycles[40], instructions[40], simulated[40], clock[40];
    chip.ops->read_time(chip.chip, &time);
    oak_write_time(time.cycles, oak_session_clock(session), part->clocks_per_cycle, simulated,
                   sizeof simulated);
    oak_write_frequency(oak_session_clock(session), clock, sizeof clock);
    printf("  %s %s%s = %s at %s; %s instruction%s\n", cli_count(time.cycles, cycles, sizeof cycles),
           part->architecture->cycle_unit, time.cycles == 1 ? "" : "s", simulated, clock,
           cli_count(time.instructions, instructions, sizeof instructions),
           time.instructions == 1 ? "" : "s");
}

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
    else if (bytes && name) printf("handling %s (exception %u)", name, (unsigned)vector / bytes);
    else if (bytes) printf("handling exception %u", (unsigned)vector / bytes);
    else printf("handling the interrupt %s", name ? name : "?");
    printf("%s", cli_paint(self->result_colour, PAINT_OFF));
}

static void show_registers(cli *self, oak_session *session)
{
    const oak_architecture *about = oak_session_part(session)->architecture;
    oak_chip_port chip = oak_session_chip(session);
    title(self, "Registers");
    static cli_changes changes;
    changes.count = 0;
    if (self->marks) cli_take_changes(session, &changes);
    bool derived = false, wide = cli_is_wide(about);
    unsigned column = 0;
    printf(" ");
    for (unsigned i = 0; i < about->register_count; i++) {
        const oak_register_info *reg = &about->registers[i];
        uint32_t value = 0;
        chip.ops->read_register(chip.chip, i, &value);
        /* Narrow ones in two lines, the derived ones below; wide ones six a line, aligned. */
        if (wide ? column == 6 : reg->derived && !derived) printf("\n "), column = 0;
        derived = reg->derived;
        column++;
        int pad = wide && reg->bits == 32 ? 4 - (int)strlen(reg->name) : 0;
        printf("%c%s%s%s%*s 0x%0*x ", cli_has_changed(&changes, 0, i, 1) ? '*' : ' ',
               cli_paint(self->result_colour, PAINT_STRONG), reg->name,
               cli_paint(self->result_colour, PAINT_OFF), pad, "", (reg->bits + 3) / 4, (unsigned)value);
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
    putchar('\n');
}

/* The bits of a port are pins and are shown as such. */
static bool is_port(const oak_part *part, const oak_part_register *reg)
{
    for (unsigned i = 0; i < part->port_count; i++)
        if (part->ports[i].space == reg->space && part->ports[i].address == reg->address) return true;
    return false;
}

static uint32_t field_mask(unsigned width)
{
    return width >= 32 ? UINT32_MAX : ((uint32_t)1 << width) - 1;
}

/* A field that is not 0: its name, its value, and what that means where it is known. False when there is nothing to show. */
static bool show_field(const oak_part_field *field, uint32_t whole, const char *before)
{
    uint32_t value = whole >> field->bit & field_mask(field->width);
    const char *meaning = NULL;
    for (unsigned i = 0; i < field->value_count; i++)
        if (field->values[i].value == value) meaning = field->values[i].name;
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
    *value =
        (uint32_t)bytes[0] | (uint32_t)bytes[1] << 8 | (uint32_t)bytes[2] << 16 | (uint32_t)bytes[3] << 24;
    return true;
}

bool cli_names_special(const oak_part_register *reg, const char *name)
{
    size_t length = strlen(name);
    bool begins = strncasecmp(reg->name, name, length) == 0;
    return !length || (begins && (!reg->name[length] || reg->name[length] == '_')); /* or all of a device */
}

/* True when a register holds something else than after reset. */
static bool differs(oak_session *session, const oak_part_register *reg, uint32_t *value)
{
    return cli_read_special(session, reg, value) && *value != reg->reset;
}

/* One a line, with its bits and what it is. */
static void show_narrow_special(const oak_part *part, const oak_part_register *reg, uint32_t value, bool new)
{
    char binary[16];
    cli_write_binary(value & 0xFF, 8, binary);
    printf(" %c%-6s 0x%0*x  %s  ", new ? '*' : ' ', reg->name, reg->bits / 4, (unsigned)value, binary);
    bool fields = false;
    for (unsigned f = 0; f < reg->field_count && !is_port(part, reg); f++)
        fields = fields || (value >> reg->fields[f].bit & field_mask(reg->fields[f].width));
    printf("%-*s", fields ? 24 : 0, reg->title);
    for (unsigned f = 0; fields && f < reg->field_count; f++) show_field(&reg->fields[f], value, " ");
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
        fields = fields || (value >> reg->fields[f].bit & field_mask(reg->fields[f].width));
    const char *before = " (";
    for (unsigned f = 0; fields && f < reg->field_count; f++) {
        if (!show_field(&reg->fields[f], value, before)) continue;
        *column += 8;
        before = " ";
    }
    printf("%s ", fields ? ")" : "");
    *column += needed;
}

static void show_specials(cli *self, oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    bool any = false, wide = cli_is_wide(part->architecture);
    char device[80] = "";
    unsigned column = 0;
    uint32_t value;
    static cli_changes changes;
    changes.count = 0;
    if (self->marks) cli_take_changes(session, &changes);
    title(self, "Special function registers that differ from reset");
    for (unsigned i = 0; i < part->register_count; i++) {
        if (!differs(session, &part->registers[i], &value)) continue;
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
    uint32_t value = whole >> field->bit & field_mask(field->width);
    printf("%s=%u", field->name, (unsigned)value);
    for (unsigned i = 0; i < field->value_count; i++)
        if (field->values[i].value == value) printf(" (%s)", field->values[i].name);
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
                if (reg->fields[f].bit != bit) continue;
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
static void show_ports(cli *self, oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    oak_chip_port chip = oak_session_chip(session);
    unsigned most = 0;
    for (unsigned p = 0; p < part->port_count; p++)
        if (part->ports[p].pin_count > most) most = part->ports[p].pin_count;
    if (!most) return;
    int width = (int)(most + (most - 1) / 4) < 14 ? 14 : (int)(most + (most - 1) / 4);
    char heading[60];
    snprintf(heading, sizeof heading, "Ports, bit %u to bit 0", most - 1);
    title(self, heading);
    printf("  %-5s %-*s  %-*s  %s\n", "", width, part->ports[0].has_block ? "driven by chip" : "latch", width,
           "driven outside", "on the pins");
    for (unsigned p = 0; p < part->port_count; p++) {
        const oak_part_port *port = &part->ports[p];
        char latch[80] = "", outside[80] = "", result[80] = "";
        bool contention = false;
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
        }
        bool new = self->marks &&p < OAK_MOST_PORTS && self->port_levels[p] != cli_port_levels(session, p);
        printf(" %c%-5s %-*s  %-*s  %s%s\n", new ? '*' : ' ', port->name, width, latch, width, outside,
               result, contention ? "  ! chip and outside drive against each other" : "");
    }
    for (unsigned p = 0; p < part->port_count; p++) show_named_pins(self, session, p);
    printf("  %s- nobody drives it, %sd u pulled down or up, z floating%s\n",
           cli_paint(self->result_colour, PAINT_FAINT), part->ports[0].has_block ? "+ held up weakly, " : "",
           cli_paint(self->result_colour, PAINT_OFF));
}

/* Bytes as text. */
static void print_bytes(const uint8_t *bytes, size_t count)
{
    printf("  ");
    for (size_t b = 0; b < count; b++) {
        if (bytes[b] == '\n' && b + 1 < count) printf("\n  ");
        else if (bytes[b] >= ' ' && bytes[b] < 127) putchar(bytes[b]);
        else if (bytes[b] != '\r' && bytes[b] != '\n') printf("\\x%02x", bytes[b]);
    }
    putchar('\n');
}

/* The same with the time of each row: a new one begins behind the end of a line, a pause, or when it is long. */
static void print_timed(oak_session *session, const uint8_t *bytes, const uint64_t *cycles, size_t count)
{
    enum { LONGEST = 48, PAUSE = 4 };
    uint64_t usual = count > 1 ? cycles[1] - cycles[0] : 0;
    for (size_t from = 0, to; from < count; from = to) {
        char time[60];
        for (to = from + 1; to < count && to - from < LONGEST && bytes[to - 1] != '\n'; to++) {
            uint64_t gap = cycles[to] - cycles[to - 1];
            if (gap > PAUSE * usual) break;
            if (gap < usual) usual = gap;
        }
        oak_write_time(cycles[from], oak_session_clock(session), oak_session_part(session)->clocks_per_cycle,
                       time, sizeof time);
        printf("  %12s", time);
        print_bytes(bytes + from, to - from);
    }
}

/* A terminal of the board has received just these bytes. */
static bool somebody_got(oak_board *board, const uint8_t *bytes, size_t count)
{
    oak_stand_in *one;
    for (unsigned i = 0; (one = oak_board_stand_in(board, i)); i++) {
        size_t got;
        const uint8_t *printed = oak_stand_in_printed(one, &got);
        if (got == count && memcmp(printed, bytes, count) == 0) return true;
    }
    return false;
}

/* What went out of the serial ports since it was asked last, as text. False: nothing that is not shown elsewhere. */
static bool show_output(cli *self, oak_session *session, oak_board *board, bool timed)
{
    enum { ROOM = 65536 };
    const oak_part *part = oak_session_part(session);
    oak_chip_port chip = oak_session_chip(session);
    uint8_t *bytes = chip.ops->take_output ? cli_malloc(ROOM) : NULL;
    uint64_t *cycles = timed && bytes && chip.ops->sent_at ? cli_malloc(ROOM * sizeof *cycles) : NULL;
    unsigned line = 0;
    bool any = false;
    for (unsigned i = 0; bytes && i < part->block_count; i++) {
        size_t count = 0, known = 0;
        char heading[100];
        if (!oak_block_sends(part->blocks[i].kind)) continue;
        if (cycles && chip.ops->sent_at(chip.chip, line, cycles, ROOM, &known)) known = 0;
        if (chip.ops->take_output(chip.chip, line++, bytes, ROOM, &count) || !count) continue;
        if (!timed && board && somebody_got(board, bytes, count)) continue; /* it is shown there */
        snprintf(heading, sizeof heading, "Sent by %s, %zu bytes", part->blocks[i].name, count);
        title(self, heading);
        if (known == count) print_timed(session, bytes, cycles, count);
        else print_bytes(bytes, count);
        any = true;
    }
    free(cycles);
    free(bytes);
    return any;
}

const char *cli_vector_name(const oak_part *part, uint32_t vector)
{
    for (unsigned i = 0; i < part->vector_count; i++)
        if (part->vectors[i].address == vector) return part->vectors[i].name;
    return "?";
}

/* How often interrupts were handled, and what is left for the main program. */
static void show_interrupts(cli *self, oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    oak_chip_port chip = oak_session_chip(session);
    oak_chip_time time = {0};
    oak_service service;
    uint64_t taken = 0;
    char count[40], cycles[40], longest[40];
    chip.ops->read_time(chip.chip, &time);
    for (unsigned i = 0; chip.ops->service && chip.ops->service(chip.chip, i, &service) == OAK_OK; i++) {
        if (!i) title(self, "Interrupts and exceptions");
        taken += service.cycles;
        if (!service.cycles) {
            printf("  %-14s is being handled for the first time\n", cli_vector_name(part, service.vector));
            continue;
        }
        printf("  %-14s handled %s time%s, %s %ss (%.1f %%), the longest %s\n",
               cli_vector_name(part, service.vector), cli_count(service.count, count, sizeof count),
               service.count == 1 ? "" : "s", cli_count(service.cycles, cycles, sizeof cycles),
               part->architecture->cycle_unit,
               time.cycles ? 100.0 * (double)service.cycles / (double)time.cycles : 0.0,
               cli_count(service.longest, longest, sizeof longest));
    }
    if (taken && time.cycles)
        printf("  %-14s the rest: %.1f %%\n", "main program",
               100.0 * (double)(time.cycles - taken) / (double)time.cycles);
}

/* Each stand-in as a person sees it; what a terminal has received goes below. */
static void show_board(cli *self, oak_session *session, oak_board *board)
{
    oak_stand_in *one;
    unsigned width = 0;
    char text[1000];
    title(self, "On the board");
    for (unsigned i = 0; (one = oak_board_stand_in(board, i)); i++)
        if (strlen(oak_stand_in_name(one)) > width) width = (unsigned)strlen(oak_stand_in_name(one));
    for (unsigned i = 0; (one = oak_board_stand_in(board, i)); i++) {
        oak_stand_in_show(one, text, sizeof text);
        printf("  %s%-*s%s  ", cli_paint(self->result_colour, PAINT_STRONG), (int)width,
               oak_stand_in_name(one), cli_paint(self->result_colour, PAINT_OFF));
        for (const char *p = text; *p; p++) {
            putchar(*p);
            if (*p == '\n') printf("  %*s  ", (int)width, "");
        }
        putchar('\n');
    }
    if (oak_board_restless(board) == UINT64_MAX) return;
    char when[40], count[40];
    oak_write_time(oak_board_restless(board), oak_session_clock(session),
                   oak_session_part(session)->clocks_per_cycle, when, sizeof when);
    printf("  %sthe wires did not come to rest%s at cycle %s (%s): stand-ins drive each other in a circle\n",
           cli_paint(self->result_colour, PAINT_ERROR), cli_paint(self->result_colour, PAINT_OFF),
           cli_count(oak_board_restless(board), count, sizeof count), when);
}

static bool show_printed(cli *self, oak_board *board)
{
    oak_stand_in *one;
    bool any = false;
    for (unsigned i = 0; board && (one = oak_board_stand_in(board, i)); i++) {
        size_t count;
        char heading[120];
        const uint8_t *bytes = oak_stand_in_printed(one, &count);
        if (!count) continue;
        snprintf(heading, sizeof heading, "Received by %.60s, %zu bytes", oak_stand_in_name(one), count);
        title(self, heading);
        print_bytes(bytes, count);
        any = true;
    }
    return any;
}

static void show_laps(cli *self, oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    const oak_lap *lap;
    for (unsigned i = 0; (lap = oak_session_lap(session, i)); i++) {
        char count[40];
        if (!i) {
            char heading[60];
            snprintf(heading, sizeof heading, "Laps, in %ss", part->architecture->cycle_unit);
            title(self, heading);
            printf("  %-32s %8s %19s %19s %19s %19s\n", "", "count", "last", "shortest", "longest", "mean");
        }
        char name[200];
        snprintf(name, sizeof name, "%s to %s", lap->from, lap->to);
        printf("  %-32s %8s", name, cli_count(lap->count, count, sizeof count));
        const uint64_t values[] = {lap->last, lap->shortest, lap->longest,
                                   lap->count ? lap->total / lap->count : 0};
        for (unsigned v = 0; v < 4 && lap->count; v++) {
            char cycles[40], time[40], both[90];
            oak_write_time(values[v], oak_session_clock(session), part->clocks_per_cycle, time, sizeof time);
            snprintf(both, sizeof both, "%s %s", cli_count(values[v], cycles, sizeof cycles), time);
            printf(" %19s", both);
        }
        printf("%s\n", lap->count ? "" : "  never reached in this order");
    }
}

/* What a real chip would have suffered without a word. */
static void show_noticed(cli *self, oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    const oak_noticed *noticed;
    for (unsigned i = 0; (noticed = oak_session_noticed(session, i)); i++) {
        const oak_notice *first = &noticed->first;
        char sentence[300], place[120], at[40], count[40], when[40];
        if (!i) title(self, "Noticed: a chip would say nothing");
        oak_notice_sentence(session, first, sentence, sizeof sentence);
        oak_session_name_place(session, first->pc, place, sizeof place);
        oak_write_time(first->cycle, oak_session_clock(session), part->clocks_per_cycle, when, sizeof when);
        printf("  %s%s%s  %s\n", cli_paint(self->result_colour, PAINT_STRONG), oak_fault_word(first->fault),
               cli_paint(self->result_colour, PAINT_OFF), sentence);
        printf("      %s %s %s (%s), at %s", noticed->count > 1 ? "first at" : "at",
               part->architecture->cycle_unit, cli_count(first->cycle, at, sizeof at), when, place);
        if (noticed->count > 1) printf("; %s times in all", cli_count(noticed->count, count, sizeof count));
        putchar('\n');
    }
}

/* Why a part of the report would be empty, or NULL. */
static const char *nothing_of(oak_session *session, const char *part)
{
    oak_chip_port chip = oak_session_chip(session);
    oak_service service;
    if (strcmp(part, "interrupts") == 0 &&
        (!chip.ops->service || chip.ops->service(chip.chip, 0, &service) != OAK_OK))
        return "no interrupt has come";
    if (strcmp(part, "laps") == 0 && !oak_session_lap(session, 0))
        return "nothing is measured: `lap A to B` begins";
    if (strcmp(part, "noticed") == 0 && !oak_session_noticed(session, 0)) return "nothing";
    return NULL;
}

bool cli_report_part(cli *self, oak_session *session, oak_board *board, const char *part)
{
    const char *why = nothing_of(session, part);
    if (why) {
        printf("  %s\n", why);
        return true;
    }
    if (strcmp(part, "registers") == 0) show_registers(self, session);
    else if (strcmp(part, "special") == 0) show_specials(self, session);
    else if (strcmp(part, "pins") == 0) show_ports(self, session);
    else if (strcmp(part, "interrupts") == 0) show_interrupts(self, session);
    else if (strcmp(part, "board") == 0 && board) show_board(self, session, board);
    else if (strcmp(part, "laps") == 0) show_laps(self, session);
    else if (strcmp(part, "noticed") == 0) show_noticed(self, session);
    else if (strcmp(part, "output") == 0) {
        bool sent = show_output(self, session, board, true), received = show_printed(self, board);
        if (!sent && !received) printf("  nothing was sent since it was asked last\n");
    } else return false;
    return true;
}

void cli_report_where(cli *self, oak_session *session, const char *budget)
{
    cli_report_why(self, session, budget);
    say_where(self, session);
    say_time(session);
}

void cli_report(cli *self, oak_session *session, const cli_reported *what)
{
    const show_item *shows = what->shows;
    printf("%s on %s", what->program_name, oak_session_part(session)->name);
    if (what->board) printf(", %s", oak_board_title(what->board));
    putchar('\n');
    cli_report_why(self, session, what->budget);
    say_where(self, session);
    say_time(session);
    if (!what->brief) {
        show_registers(self, session);
        show_specials(self, session);
        show_ports(self, session);
        show_interrupts(self, session);
    }
    if (what->board) show_board(self, session, what->board);
    show_laps(self, session);
    show_noticed(self, session);
    show_output(self, session, what->board, false);
    show_printed(self, what->board);
    if (what->show_count) title(self, "Asked for");
    for (unsigned i = 0; i < what->show_count; i++) cli_show_item(self, session, &shows[i]);
}
