/* cmd_parts.c — spindle parts: which microcontrollers there are, and what one is. */
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "cli.h"

bool cli_configures(const oak_part *part, const oak_part_memory *memory)
{
    for (unsigned i = 0; i < part->register_count; i++)
        if (oak_part_is_configuration(part, &part->registers[i]) &&
            oak_part_find_memory(part, part->registers[i].space, part->registers[i].address) == memory)
            return true;
    const oak_architecture *about = part->architecture; /* or where no instruction can be */
    unsigned bits = about->registers[about->pc_register].bits;
    return memory->space == about->code_space && bits < 32 && !about->spaces[memory->space].page &&
           memory->base >> bits;
}

/* What keeps its contents in the space of code, or, where nothing does, RAM that is loaded; RAM of the space with the first one; data memory of other spaces. */
typedef enum memory_kind { KEEPS, RAM, MORE_RAM } memory_kind;
static uint64_t memory_size(const oak_part *part, memory_kind kind)
{
    uint64_t size = 0;
    unsigned first = 0, own = part->architecture->code_space; /* space of the first RAM, of code */
    bool rom = false;
    for (unsigned i = part->memory_count; i-- > 0;) {
        const oak_part_memory *memory = &part->memories[i];
        if (memory->writable) first = memory->space;
        else rom |= memory->space == own && !cli_configures(part, memory);
    }
    for (unsigned i = 0; i < part->memory_count; i++) {
        const oak_part_memory *memory = &part->memories[i];
        bool code = memory->space == own && (!memory->writable || (memory->loaded && !rom));
        bool is_first = memory->writable && memory->space == first;
        if (cli_configures(part, memory) || memory->mirror) continue;
        if (kind == KEEPS ? code : kind == RAM ? is_first : memory->writable && !is_first)
            size += memory->size;
    }
    return size;
}

/* Hexadecimal digits of an address up to `last`, in a column of them. */
static int digits_of(uint64_t last, int least)
{
    while (least < 16 && last >> (4 * least)) least += 2;
    return least;
}

/* unit: bits of an address, where those are other than bytes. */
static const char *show_size(uint64_t size, unsigned unit, char *text, size_t room)
{
    if (!size) snprintf(text, room, "-");
    else if (unit > 8) snprintf(text, room, "%llu words", (unsigned long long)size);
    else if (unit && unit < 8) snprintf(text, room, "%llu cells", (unsigned long long)size);
    else if (size >= 1024 && size % 1024 == 0)
        snprintf(text, room, "%llu KiB", (unsigned long long)(size / 1024));
    else snprintf(text, room, "%llu B", (unsigned long long)size);
    return text;
}

static void title(cli *self, const char *text)
{
    printf("\n%s%s%s\n", cli_paint(self->result_colour, PAINT_TITLE), text,
           cli_paint(self->result_colour, PAINT_OFF));
}

/* ------------------------------------------------------------------------------------------ one part */

static void print_registers(cli *self, const oak_part *part)
{
    const char *faint = cli_paint(self->result_colour, PAINT_FAINT),
               *off = cli_paint(self->result_colour, PAINT_OFF);
    title(self, "Special function registers");
    bool wide = cli_is_wide(part->architecture);
    int digits = 2, name_width = 7;
    for (unsigned i = 0; i < part->register_count; i++) {
        int length = (int)strlen(part->registers[i].name);
        digits = digits_of(part->registers[i].address, digits);
        if (length > name_width) name_width = length;
    }
    printf("  %-*s %-*s %-*s   %s\n", digits + 2, "at", name_width, "name", wide ? 10 : 5, "reset",
           "what it is");
    for (unsigned i = 0; i < part->register_count; i++) {
        const oak_part_register *reg = &part->registers[i];
        if (oak_part_is_configuration(part, reg)) continue;
        printf("  0x%0*x %-*s 0x%0*x   %-*s", digits, (unsigned)reg->address, name_width, reg->name,
               wide ? 8 : 2, (unsigned)reg->reset, reg->field_count ? 24 : 0, reg->title);
        printf("%s", faint);
        for (unsigned f = 0; f < reg->field_count; f++) {
            const oak_part_field *field = &reg->fields[f];
            if (field->width == 1) printf("  %u %s", field->bit, field->name);
            else printf("  %u-%u %s", field->bit + field->width - 1u, field->bit, field->name);
        }
        printf("%s\n", off);
    }
}

/* What `config` takes: each field with its values, that of an erased chip with a star. */
static void print_configuration(cli *self, const oak_part *part)
{
    bool any = false;
    for (unsigned i = 0; i < part->register_count; i++) {
        const oak_part_register *reg = &part->registers[i];
        if (!oak_part_is_configuration(part, reg)) continue;
        if (!any) title(self, "Configuration");
        any = true;
        printf("  config %s: FIELD=VALUE, …   an erased chip has 0x%x, its values are marked *\n", reg->name,
               (unsigned)reg->reset);
        for (unsigned f = 0; f < reg->field_count; f++) {
            const oak_part_field *field = &reg->fields[f];
            char values[160] = "";
            for (unsigned v = 0; v < field->value_count; v++) {
                size_t used = strlen(values);
                snprintf(values + used, sizeof values - used, "%s%s%s", used ? ", " : "",
                         field->values[v].name,
                         field->values[v].value == oak_field_value(field, reg->reset) ? "*" : "");
            }
            if (!*values)
                snprintf(values, sizeof values, "0 to %u", (unsigned)oak_field_value(field, UINT32_MAX));
            printf("    %-8s %-20s  %s\n", field->name, values, field->title);
        }
    }
}

static void print_ports(cli *self, const oak_part *part)
{
    static const char *const stages[] = {"push-pull", "open drain", "quasi-bidirectional"};
    title(self, "Ports");
    for (unsigned i = 0; i < part->port_count; i++) {
        const oak_part_port *port = &part->ports[i];
        printf("  %-4s %u pins, %s%s%s\n", port->name, port->pin_count, stages[port->stage],
               *port->title ? "; " : "", port->title);
        bool any = false;
        for (unsigned b = 0; b < port->pin_count; b++) any = any || port->alternate[b];
        if (!any) continue;
        printf("       %s", cli_paint(self->result_colour, PAINT_FAINT));
        for (unsigned b = port->pin_count; b-- > 0;)
            if (port->alternate[b]) printf("%s.%u %s  ", port->name, b, port->alternate[b]);
        printf("%s\n", cli_paint(self->result_colour, PAINT_OFF));
    }
}

static void print_part(cli *self, const oak_part *part)
{
    char size[32], clock[40], cycle[40];
    oak_write_frequency(part->clock_millihertz, clock, sizeof clock);
    oak_write_time(1, part->clock_millihertz, part->clocks_per_cycle, cycle, sizeof cycle);
    printf("%s%s%s  %s\n", cli_paint(self->result_colour, PAINT_STRONG), part->name,
           cli_paint(self->result_colour, PAINT_OFF), part->title);
    printf("architecture %s; usual clock %s", part->architecture->name, clock);
    if (part->clocks_per_cycle > 1)
        printf(", %u clocks a%s %s: %s\n", part->clocks_per_cycle,
               strchr("aeio", *part->architecture->cycle_unit) ? "n" : "", part->architecture->cycle_unit,
               cycle);
    else printf(": a %s takes %s\n", part->architecture->cycle_unit, cycle);
    title(self, "Memory");
    int digits = 4, width = 5;
    for (unsigned i = 0; i < part->memory_count; i++) {
        int length = (int)strlen(part->memories[i].name);
        digits = digits_of(part->memories[i].base + (part->memories[i].size - 1), digits);
        if (length > width) width = length;
    }
    for (unsigned i = 0; i < part->memory_count; i++) {
        const oak_part_memory *memory = &part->memories[i];
        printf(
            "  %-*s 0x%0*x to 0x%0*x  %10s  %s%s%s\n", width, memory->name, digits, (unsigned)memory->base,
            digits, (unsigned)(memory->base + (memory->size - 1)),
            show_size(memory->size, part->architecture->spaces[memory->space].unit_bits, size, sizeof size),
            memory->loaded     ? "read and write, loaded"
            : memory->writable ? "read and write"
                               : "read only",
            *memory->title ? ", " : "", memory->title);
    }
    print_ports(self, part);
    if (part->feature_count) title(self, "Timers, serial, interrupts, reset");
    for (unsigned i = 0; i < part->feature_count; i++)
        printf("  %-12s %s\n", part->features[i].name, part->features[i].title);
    title(self, "Vectors");
    for (unsigned i = 0; i < part->vector_count; i++)
        printf("  0x%04x %-11s %s\n", (unsigned)part->vectors[i].address, part->vectors[i].name,
               part->vectors[i].title);
    print_registers(self, part);
    print_configuration(self, part);
    if (!part->block_count)
        printf("\nSo far the simulator gives life to the instructions, the memories and the ports;\n"
               "timers, the serial port and interrupts are registers that keep what is written.\n");
}

static const char *access_word(oak_part_access access)
{
    return access == OAK_READ_ONLY ? "read" : access == OAK_WRITE_ONLY ? "write" : "both";
}

static cJSON *part_json(const oak_part *part)
{
    cJSON *root = cJSON_CreateObject();
    cJSON_AddStringToObject(root, "name", part->name);
    cJSON_AddStringToObject(root, "title", part->title);
    cJSON_AddStringToObject(root, "architecture", part->architecture->name);
    cJSON_AddNumberToObject(root, "clock_hz", (double)part->clock_millihertz / 1000.0);
    cJSON_AddNumberToObject(root, "clocks_per_cycle", part->clocks_per_cycle);
    cJSON *memories = cJSON_AddArrayToObject(root, "memories");
    for (unsigned i = 0; i < part->memory_count; i++) {
        cJSON *item = cJSON_CreateObject();
        cJSON_AddStringToObject(item, "space", part->architecture->spaces[part->memories[i].space].name);
        cJSON_AddStringToObject(item, "name", part->memories[i].name);
        cJSON_AddStringToObject(item, "title", part->memories[i].title);
        cJSON_AddStringToObject(item, "kind", part->memories[i].writable ? "ram" : "rom");
        cJSON_AddBoolToObject(item, "loaded", part->memories[i].loaded);
        unsigned unit = part->architecture->spaces[part->memories[i].space].unit_bits;
        cJSON_AddNumberToObject(item, "unit_bits", unit ? unit : 8);
        cJSON_AddNumberToObject(item, "at", part->memories[i].base);
        cJSON_AddNumberToObject(item, "size", part->memories[i].size);
        const oak_part_chips *chips = &part->memories[i].chips;
        if (chips->each) {
            cJSON *about = cJSON_AddObjectToObject(item, "chips");
            cJSON_AddStringToObject(about, "called", chips->called);
            cJSON_AddNumberToObject(about, "each", chips->each);
            cJSON_AddNumberToObject(about, "row", chips->row);
            cJSON_AddNumberToObject(about, "bank", chips->bank);
            if (chips->beside) cJSON_AddStringToObject(about, "beside", chips->beside);
        }
        cJSON_AddItemToArray(memories, item);
    }
    cJSON *registers = cJSON_AddArrayToObject(root, "registers");
    for (unsigned i = 0; i < part->register_count; i++) {
        const oak_part_register *reg = &part->registers[i];
        cJSON *item = cJSON_CreateObject(), *bits;
        cJSON_AddStringToObject(item, "name", reg->name);
        cJSON_AddStringToObject(item, "space", part->architecture->spaces[reg->space].name);
        cJSON_AddNumberToObject(item, "at", reg->address);
        cJSON_AddNumberToObject(item, "width", reg->bits);
        cJSON_AddStringToObject(item, "access", access_word(reg->access));
        cJSON_AddNumberToObject(item, "reset", reg->reset);
        cJSON_AddStringToObject(item, "title", reg->title);
        bits = cJSON_AddArrayToObject(item, "bits");
        for (unsigned f = 0; f < reg->field_count; f++) {
            cJSON *field = cJSON_CreateObject();
            cJSON_AddStringToObject(field, "name", reg->fields[f].name);
            cJSON_AddNumberToObject(field, "bit", reg->fields[f].bit);
            cJSON_AddNumberToObject(field, "width", reg->fields[f].width);
            cJSON_AddStringToObject(field, "title", reg->fields[f].title);
            cJSON_AddStringToObject(field, "access",
                                    access_word(reg->fields[f].access ? reg->fields[f].access : reg->access));
            cJSON *values = reg->fields[f].value_count ? cJSON_AddArrayToObject(field, "values") : NULL;
            for (unsigned v = 0; v < reg->fields[f].value_count; v++) {
                cJSON *one = cJSON_CreateObject();
                cJSON_AddNumberToObject(one, "value", reg->fields[f].values[v].value);
                cJSON_AddStringToObject(one, "means", reg->fields[f].values[v].name);
                cJSON_AddItemToArray(values, one);
            }
            if (reg->fields[f].otherwise)
                cJSON_AddStringToObject(field, "otherwise", reg->fields[f].otherwise);
            cJSON_AddItemToArray(bits, field);
        }
        cJSON_AddItemToArray(registers, item);
    }
    cJSON *features = cJSON_AddArrayToObject(root, "features");
    for (unsigned i = 0; i < part->feature_count; i++) {
        cJSON *item = cJSON_CreateObject();
        cJSON_AddStringToObject(item, "name", part->features[i].name);
        cJSON_AddStringToObject(item, "title", part->features[i].title);
        cJSON_AddItemToArray(features, item);
    }
    cJSON *ports = cJSON_AddArrayToObject(root, "ports");
    for (unsigned i = 0; i < part->port_count; i++) {
        cJSON *item = cJSON_CreateObject();
        cJSON_AddStringToObject(item, "name", part->ports[i].name);
        cJSON_AddNumberToObject(item, "pins", part->ports[i].pin_count);
        cJSON_AddItemToArray(ports, item);
    }
    cJSON *vectors = cJSON_AddArrayToObject(root, "vectors");
    for (unsigned i = 0; i < part->vector_count; i++) {
        cJSON *item = cJSON_CreateObject();
        cJSON_AddStringToObject(item, "name", part->vectors[i].name);
        cJSON_AddNumberToObject(item, "at", part->vectors[i].address);
        cJSON_AddStringToObject(item, "title", part->vectors[i].title);
        cJSON_AddItemToArray(vectors, item);
    }
    return root;
}

/* ------------------------------------------------------------------------------------------ all parts */

/* What a part must have to be listed. */
typedef struct wanted {
    char *architecture, *word;
    char *code, *ram;
} wanted;

static bool holds_word(const char *text, const char *word)
{
    size_t length = strlen(word);
    for (; *text; text++)
        if (strncasecmp(text, word, length) == 0) return true;
    return false;
}

/* A word stands for a register, a bit, a pin function or a vector, or a piece of a title. */
static bool has_word(const oak_part *part, const char *word)
{
    bool found = holds_word(part->name, word) || holds_word(part->title, word);
    for (unsigned i = 0; i < part->register_count && !found; i++) {
        found = holds_word(part->registers[i].name, word) || holds_word(part->registers[i].title, word);
        for (unsigned f = 0; f < part->registers[i].field_count && !found; f++)
            found = holds_word(part->registers[i].fields[f].name, word);
    }
    for (unsigned i = 0; i < part->vector_count && !found; i++)
        found = holds_word(part->vectors[i].name, word) || holds_word(part->vectors[i].title, word);
    for (unsigned i = 0; i < part->feature_count && !found; i++)
        found = holds_word(part->features[i].name, word);
    for (unsigned i = 0; i < part->port_count && !found; i++)
        for (unsigned b = 0; b < part->ports[i].pin_count && !found; b++)
            found = part->ports[i].alternate[b] && holds_word(part->ports[i].alternate[b], word);
    return found;
}

/* "8KiB", "256": at least so many bytes. */
static uint64_t read_size(const char *text)
{
    char *end;
    uint64_t size = strtoull(text, &end, 0);
    return strcasecmp(end, "kib") == 0 || strcasecmp(end, "k") == 0 ? size * 1024 : *end ? UINT64_MAX : size;
}

static bool is_wanted(const oak_part *part, const wanted *w)
{
    if (w->architecture && strcasecmp(w->architecture, part->architecture->name) != 0) return false;
    if (w->code && memory_size(part, KEEPS) < read_size(w->code)) return false;
    if (w->ram && memory_size(part, RAM) < read_size(w->ram)) return false;
    return !w->word || has_word(part, w->word);
}

static int list_parts(cli *self, const wanted *w)
{
    unsigned shown = 0;
    char **names = cli_part_names();
    int exit_code = EXIT_DONE;
    cJSON *list = cJSON_CreateArray();
    char code[32], iram[32], xram[32];
    if (!names || !names[0])
        exit_code = cli_usage(self, &command_parts, "Set OAKSPINDLE_PARTS to the folder with the part files.",
                              "no part files were found");
    else if (!self->json)
        printf("%s%-12s %-12s %11s %10s %12s %6s  %s%s\n", cli_paint(self->result_colour, PAINT_TITLE),
               "part", "architecture", "code", "RAM", "other data", "ports", "what it is",
               cli_paint(self->result_colour, PAINT_OFF));
    for (char **name = names; name && *name; name++) {
        int status;
        oak_part *part = cli_load_part(self, &command_parts, *name, &status);
        if (status) exit_code = status;
        if (part && !is_wanted(part, w)) {
            oak_part_free(part);
            free(*name);
            continue;
        }
        shown++;
        if (part && self->json) cJSON_AddItemToArray(list, part_json(part));
        else if (part) {
            const oak_space_info *spaces = part->architecture->spaces;
            unsigned unit = 0; /* of RAM, all of it */
            for (unsigned i = 0; i < part->memory_count; i++)
                if (part->memories[i].writable) unit = spaces[part->memories[i].space].unit_bits;
            printf("%-12s %-12s %11s %10s %12s %6u  %s\n", part->name, part->architecture->name,
                   show_size(memory_size(part, KEEPS), spaces[part->architecture->code_space].unit_bits, code,
                             sizeof code),
                   show_size(memory_size(part, RAM), unit, iram, sizeof iram),
                   show_size(memory_size(part, MORE_RAM), unit, xram, sizeof xram), part->port_count,
                   part->title);
        }
        oak_part_free(part);
        free(*name);
    }
    free(names);
    if (self->json && !exit_code) {
        cJSON *root = cJSON_CreateObject();
        cJSON_AddItemToObject(root, "parts", list);
        cli_print_json(self, root);
        return exit_code;
    }
    cJSON_Delete(list);
    if (!exit_code && !shown) printf("no part has all of that\n");
    if (!exit_code)
        printf("\n`spindle parts NAME` shows one with its memories, ports, vectors and registers.\n");
    return exit_code;
}

static int run(cli *self, int argc, const char **argv)
{
    int json = 0, map = 0;
    char *picture = NULL;
    wanted w = {0};
    const struct poptOption table[] = {{"json", 0, POPT_ARG_NONE, &json, 0, NULL, NULL},
                                       {"arch", 'a', POPT_ARG_STRING, &w.architecture, 0, NULL, NULL},
                                       {"code", 0, POPT_ARG_STRING, &w.code, 0, NULL, NULL},
                                       {"ram", 0, POPT_ARG_STRING, &w.ram, 0, NULL, NULL},
                                       {"with", 0, POPT_ARG_STRING, &w.word, 0, NULL, NULL},
                                       {"map", 'm', POPT_ARG_NONE, &map, 0, NULL, NULL},
                                       {"picture", 0, POPT_ARG_STRING, &picture, 0, NULL, NULL},
                                       POPT_TABLEEND};
    poptContext context;
    bool done;
    int exit_code;
    const char **names = cli_options(self, &command_parts, argc, argv, table, &context, &done);
    if (!names) exit_code = done ? EXIT_DONE : EXIT_USAGE;
    else if (!names[0] && (map || picture))
        exit_code = cli_usage(self, &command_parts, NULL, "of which part? `spindle parts NAME --map`");
    else if (!names[0]) exit_code = list_parts(self, &w);
    else if (names[1])
        exit_code =
            cli_usage(self, &command_parts, NULL, "one part at a time: `%s` is one too many", names[1]);
    else {
        oak_part *part = cli_load_part(self, &command_parts, names[0], &exit_code);
        if (part && picture && !cli_draw_map(self, part, NULL, picture)) exit_code = EXIT_REFUSED;
        if (part && self->json) cli_print_json(self, part_json(part));
        else if (part && map) cli_print_map(self, part, NULL);
        else if (part && picture) (void)0;
        else if (part) print_part(self, part);
        oak_part_free(part);
    }
    if (context) poptFreeContext(context);
    free(picture);
    free(w.architecture);
    free(w.code);
    free(w.ram);
    free(w.word);
    return exit_code;
}

const command command_parts = {
    "parts",
    "list the microcontrollers, or show one",
    "usage: spindle parts [PART] [options]\n"
    "\n"
    "Without a name, lists the microcontrollers there are. With a name, or a path to a\n"
    "part file of your own, shows what it has: memories, ports and the other functions\n"
    "of their pins, vectors, and every special function register with its bits.\n"
    "\n"
    "  -a, --arch NAME    only parts of this architecture\n"
    "      --code SIZE    with at least so much program memory: 8KiB\n"
    "      --ram SIZE     with at least so much RAM: 256\n"
    "      --with WORD    with such a register, bit, vector or pin function: timer2, RXD\n"
    "  -m, --map          what lies where: memories with their chips, registers by device\n"
    "      --picture FILE draw that; .png or .svg\n"
    "      --json         as one JSON document\n"
    "\n"
    "examples:\n"
    "  spindle parts\n"
    "  spindle parts --ram 256 --with timer2\n"
    "  spindle parts mcs51-8k\n"
    "  spindle parts ./mychip.yaml\n"
    "  spindle parts avr-32k --picture avr.svg\n",
    run,
};
