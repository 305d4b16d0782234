/* json.c — what a verb has found, as data: the machine's side of its answer, beside the text for people. Nothing is
 * computed here: it is what the session returns. */
#include <stdlib.h>
#include <string.h>

#include "bench.h"

static cJSON *element(cJSON *list)
{
    cJSON *item = cJSON_CreateObject();
    cJSON_AddItemToArray(list, item);
    return item;
}

static void add_place(bench *b, cJSON *item, const char *name, uint32_t address)
{
    char place[120];
    oak_session_name_place(b->session, address, place, sizeof place);
    cJSON_AddStringToObject(item, name, place);
}

/* A register of the core by its name, or a cell by space and address, and the program's name for it. */
static void add_where(bench *b, cJSON *item, unsigned space, uint32_t number)
{
    const oak_part *part = oak_session_part(b->session);
    char name[120];
    if (!space) {
        cJSON_AddStringToObject(item, "register", part->architecture->registers[number].name);
        return;
    }
    oak_session_name_cell(b->session, space, number, name, sizeof name);
    cJSON_AddStringToObject(item, "space", part->architecture->spaces[space].name);
    cJSON_AddNumberToObject(item, "at", number);
    cJSON_AddStringToObject(item, "name", name);
}

/* ------------------------------------------------------------------------------------------ one for each verb */

static cJSON *shown(bench *b, const char *text)
{
    show_item item;
    if (!*text || !cli_read_show(b->self, b->session, text, &item)) return NULL;
    cJSON *data = cli_json_show(b->self, b->session, &item);
    if (item.is_range) {
        cJSON_AddStringToObject(data, "space",
                                oak_session_part(b->session)->architecture->spaces[item.space].name);
        cJSON_AddNumberToObject(data, "at", item.from);
    }
    free(item.expression);
    return data;
}

/* Where the pane of memory is now. */
static cJSON *memory(bench *b, const char *rest)
{
    char range[100];
    (void)rest;
    snprintf(range, sizeof range, "%s[0x%x..0x%x]",
             oak_session_part(b->session)->architecture->spaces[b->memory_space].name,
             (unsigned)b->memory_from, (unsigned)b->memory_to);
    return b->memory_to >= b->memory_from ? shown(b, range) : NULL;
}

static cJSON *registers(bench *b, const char *rest)
{
    const oak_architecture *about = oak_session_part(b->session)->architecture;
    oak_chip_port chip = oak_session_chip(b->session);
    cJSON *data = cJSON_CreateObject(), *values = cJSON_AddObjectToObject(data, "registers"),
          *flags = cJSON_AddObjectToObject(data, "flags");
    uint32_t value = 0;
    (void)rest;
    for (unsigned i = 0; i < about->register_count; i++) {
        chip.ops->read_register(chip.chip, i, &value);
        cJSON_AddNumberToObject(values, about->registers[i].name, value);
    }
    for (unsigned i = 0; i < about->flag_count; i++) {
        const oak_flag_info *flag = &about->flags[i];
        chip.ops->read_register(chip.chip, flag->reg, &value);
        cJSON_AddNumberToObject(flags, flag->name, value >> flag->bit & ((1u << flag->width) - 1));
    }
    return data;
}

static cJSON *special(bench *b, const char *rest)
{
    const oak_part *part = oak_session_part(b->session);
    cJSON *data = cJSON_CreateArray();
    for (unsigned i = 0; i < part->register_count; i++) {
        const oak_part_register *reg = &part->registers[i];
        uint32_t value;
        if (!cli_names_special(reg, strcmp(rest, "all") == 0 ? "" : rest) ||
            !cli_read_special(b->session, reg, &value) || (!*rest && value == reg->reset))
            continue;
        cJSON *item = element(data), *fields = cJSON_AddObjectToObject(item, "fields");
        cJSON_AddStringToObject(item, "name", reg->name);
        cJSON_AddNumberToObject(item, "at", reg->address);
        cJSON_AddNumberToObject(item, "value", value);
        for (unsigned f = 0; f < reg->field_count; f++) {
            const oak_part_field *field = &reg->fields[f];
            uint32_t mask = field->width >= 32 ? UINT32_MAX : ((uint32_t)1 << field->width) - 1;
            cJSON_AddNumberToObject(fields, field->name, value >> field->bit & mask);
        }
    }
    return data;
}

static cJSON *pins(bench *b, const char *rest)
{
    static const char *const words[] = {[OAK_LOW] = "low",
                                        [OAK_HIGH] = "high",
                                        [OAK_FLOAT] = "floating",
                                        [OAK_PULLED_LOW] = "pulled low",
                                        [OAK_PULLED_HIGH] = "pulled high"};
    const oak_part *part = oak_session_part(b->session);
    oak_chip_port chip = oak_session_chip(b->session);
    cJSON *data = cJSON_CreateArray();
    (void)rest;
    for (unsigned p = 0; p < part->port_count; p++)
        for (unsigned bit = 0; bit < part->ports[p].pin_count; bit++) {
            unsigned number = p * OAK_MOST_PINS + bit;
            oak_pin pin = {0};
            char pin_text[60];
            if (chip.ops->read_pin(chip.chip, number, &pin)) continue;
            cJSON *item = element(data);
            const char *name = oak_session_pin_name(b->session, number);
            snprintf(pin_text, sizeof pin_text, "%s.%u", part->ports[p].name, bit);
            cJSON_AddStringToObject(item, "pin", pin_text);
            if (name) cJSON_AddStringToObject(item, "name", name);
            cJSON_AddStringToObject(item, "chip", words[pin.chip]);
            if (pin.weak_high) cJSON_AddTrueToObject(item, "weak_high");
            cJSON_AddStringToObject(item, "outside", words[pin.outside]);
            cJSON_AddStringToObject(item, "level", words[pin.result]);
            if (pin.contention) cJSON_AddTrueToObject(item, "contention");
        }
    return data;
}

static cJSON *board(bench *b, const char *rest)
{
    (void)rest;
    return b->board ? cli_json_board(b->board) : NULL;
}

static cJSON *stops(bench *b, const char *rest)
{
    cJSON *data = cJSON_CreateObject(), *watches, *said;
    const oak_watch *watch;
    char words[300];
    (void)rest;
    cJSON_AddItemToObject(data, "stop_points", cli_json_stop_points(b->session));
    watches = cJSON_AddArrayToObject(data, "watches");
    for (unsigned i = 0; (watch = oak_session_watch(b->session, i)); i++) {
        if (watch->removed) continue;
        cJSON *item = element(watches);
        bench_watch_words(watch, words, sizeof words);
        cJSON_AddNumberToObject(item, "number", i);
        cJSON_AddStringToObject(item, "when", words);
        cJSON_AddBoolToObject(item, "enabled", watch->enabled);
        cJSON_AddNumberToObject(item, "hits", (double)watch->hits);
    }
    said = cJSON_AddArrayToObject(data, "said");
    for (unsigned i = 0; i < b->said_count; i++) {
        if (!b->said[i].expression) continue;
        cJSON *item = element(said);
        cJSON_AddNumberToObject(item, "number", i);
        cJSON_AddStringToObject(item, "what", b->said[i].expression);
        cJSON_AddStringToObject(item, "place", b->said[i].place);
        cJSON_AddNumberToObject(item, "times", (double)b->said[i].times);
    }
    return data;
}

static cJSON *stack(bench *b, const char *rest)
{
    enum { MOST = 64 };
    static const char *const kinds[] = {[OAK_STACK_UNKNOWN] = "unknown",
                                        [OAK_STACK_RETURNS] = "returns",
                                        [OAK_STACK_INTERRUPTED] = "interrupted",
                                        [OAK_STACK_SAVED] = "saved"};
    oak_stack_item items[MOST];
    size_t count = oak_session_stack(b->session, items, MOST);
    cJSON *data = cJSON_CreateArray();
    (void)rest;
    for (size_t i = 0; i < count; i++) {
        cJSON *item = element(data);
        cJSON_AddNumberToObject(item, "at", items[i].at);
        cJSON_AddNumberToObject(item, "bytes", items[i].bytes);
        cJSON_AddNumberToObject(item, "value", items[i].value);
        cJSON_AddStringToObject(item, "kind", kinds[items[i].kind]);
        if (items[i].kind == OAK_STACK_SAVED) add_where(b, item, items[i].space, items[i].number);
        else if (items[i].kind != OAK_STACK_UNKNOWN) add_place(b, item, "place", items[i].value);
    }
    return data;
}

static cJSON *touches(bench *b, const char *rest)
{
    enum { MOST = 40 };
    oak_watched list[MOST];
    unsigned count = oak_session_touches(b->session, list, MOST);
    cJSON *data = cJSON_CreateArray();
    (void)rest;
    for (unsigned i = 0; i < count; i++) {
        cJSON *item = element(data);
        add_where(b, item, list[i].space, list[i].address);
        if (list[i].space) cJSON_AddNumberToObject(item, "bytes", list[i].size);
        if (list[i].bits) cJSON_AddNumberToObject(item, "bits", list[i].bits);
        cJSON_AddBoolToObject(item, "reads", (list[i].accesses & OAK_ACCESS_READ) != 0);
        cJSON_AddBoolToObject(item, "writes", (list[i].accesses & OAK_ACCESS_WRITE) != 0);
    }
    return data;
}

typedef struct recent_list {
    bench *b;
    cJSON *list;
} recent_list;
static void add_recent(void *context, const oak_recent *one)
{
    recent_list *into = context;
    cJSON *item = element(into->list);
    cJSON_AddNumberToObject(item, "cycle", (double)one->cycle);
    cJSON_AddNumberToObject(item, "pc", one->pc);
    add_place(into->b, item, "place", one->pc);
    cJSON_AddStringToObject(item, "instruction", one->text);
    cJSON_AddItemToObject(item, "changes",
                          cli_json_change_list(into->b->session, one->changes, one->change_count));
}
static cJSON *recent(bench *b, const char *rest)
{
    enum { USUAL = 12 };
    recent_list into = {b, cJSON_CreateArray()};
    if (oak_session_recent(b->session, *rest ? strtoull(rest, NULL, 0) : USUAL, add_recent, &into)) {
        cJSON_Delete(into.list);
        return NULL;
    }
    return into.list;
}

static cJSON *changes(bench *b, const char *rest)
{
    (void)rest;
    return cli_json_changes(b->session);
}

static cJSON *interrupts(bench *b, const char *rest)
{
    (void)rest;
    return cli_json_interrupts(b->session);
}

static cJSON *laps(bench *b, const char *rest)
{
    (void)rest;
    return cli_json_laps(b->session);
}

static cJSON *noticed(bench *b, const char *rest)
{
    (void)rest;
    return cli_json_noticed(b->session);
}

static cJSON *code(bench *b, const char *rest)
{
    enum { LINES = 16 };
    cJSON *data = cJSON_CreateArray();
    uint32_t at = bench_pc(b);
    if (*rest && oak_session_place(b->session, rest, &b->self->sink, &at)) return data;
    for (unsigned i = 0; i < LINES; i++) {
        char text[120];
        unsigned size;
        uint32_t last;
        oak_tally tally;
        if (bench_not_programmed(b, at, &last)) {
            cJSON *empty = element(data);
            cJSON_AddNumberToObject(empty, "at", at);
            cJSON_AddNumberToObject(empty, "to", last);
            cJSON_AddBoolToObject(empty, "programmed", false);
            if (last == UINT32_MAX) break;
            at = last + 1;
            continue;
        }
        if (oak_session_print_instruction(b->session, at, text, sizeof text, &size)) break;
        cJSON *item = element(data);
        cJSON_AddNumberToObject(item, "at", at);
        add_place(b, item, "place", at);
        cJSON_AddNumberToObject(item, "bytes", size);
        cJSON_AddStringToObject(item, "instruction", text);
        if (oak_session_counted(b->session, at, &tally) == OAK_OK) {
            cJSON_AddNumberToObject(item, "times", (double)tally.times);
            cJSON_AddNumberToObject(item, "cycles", (double)tally.cycles);
        }
        at += size;
    }
    return data;
}

static cJSON *found(bench *b, const char *rest)
{
    enum { MOST = 1000 };
    static uint32_t at[MOST];
    unsigned count, space;
    if (!bench_matches(b, rest, at, MOST, &count, &space)) return NULL;
    cJSON *data = cJSON_CreateObject(), *list = cJSON_AddArrayToObject(data, "at");
    cJSON_AddStringToObject(data, "space", oak_session_part(b->session)->architecture->spaces[space].name);
    cJSON_AddNumberToObject(data, "count", count);
    for (unsigned i = 0; i < count && i < MOST; i++) cJSON_AddItemToArray(list, cJSON_CreateNumber(at[i]));
    return data;
}

static cJSON *tally(bench *b, const char *rest)
{
    size_t count;
    bench_labelled *list = *rest ? NULL : bench_tallies(b, &count);
    if (!list) return NULL;
    cJSON *data = cJSON_CreateArray();
    for (size_t i = 0; i < count; i++) {
        cJSON *item = element(data);
        cJSON_AddStringToObject(item, "label", list[i].name);
        cJSON_AddNumberToObject(item, "at", list[i].at);
        cJSON_AddNumberToObject(item, "times", (double)list[i].times);
        cJSON_AddNumberToObject(item, "cycles", (double)list[i].cycles);
    }
    free(list);
    return data;
}

/* Where a verb that moves the chip has ended, and what that has changed. */
static cJSON *moved(bench *b)
{
    const oak_event *event = oak_session_last_event(b->session);
    const oak_program *program = oak_session_program(b->session);
    cJSON *data = cJSON_CreateObject();
    oak_line line;
    if (event->stop_point >= 0) cJSON_AddNumberToObject(data, "stop_point", event->stop_point);
    if (event->watch >= 0 && event->stop.reason == OAK_STOP_WATCH) {
        cJSON_AddNumberToObject(data, "watch", event->watch);
        if (event->stop.watched) cJSON_AddNumberToObject(data, "by", event->stop.watched_pc);
    }
    if (program && oak_program_line_at(program, bench_pc(b), &line) == OAK_OK) {
        cJSON_AddStringToObject(data, "file", line.file);
        cJSON_AddNumberToObject(data, "line", line.line);
    }
    cJSON_AddItemToObject(data, "changes", cli_json_changes(b->session));
    cJSON *kept = cJSON_AddArrayToObject(data, "kept");
    for (unsigned i = 0; i < b->kept_count; i++) {
        cJSON *one = shown(b, b->kept[i]);
        if (one) cJSON_AddItemToArray(kept, one);
    }
    return data;
}

/* What becomes of each thing that a chip suffers silently. */
static cJSON *levels(bench *b, const char *rest)
{
    static const char *const words[] = {"off", "warning", "stop"};
    const char *kind;
    oak_notice_level usual;
    cJSON *data = cJSON_CreateArray();
    (void)rest;
    for (unsigned i = 0; (kind = oak_notice_word(i, &usual)); i++) {
        cJSON *item = element(data);
        cJSON_AddStringToObject(item, "kind", kind);
        cJSON_AddStringToObject(item, "level", words[oak_session_level(b->session, kind)]);
        cJSON_AddStringToObject(item, "usual", words[usual]);
    }
    return data;
}

static cJSON *chips(bench *b, const char *rest)
{
    (void)rest;
    return cli_json_chips(b->session, *b->chips ? b->chips : NULL);
}

cJSON *bench_data(bench *b, const bench_verb *verb, const char *rest)
{
    static const struct {
        const char *verb;
        cJSON *(*data)(bench *b, const char *rest);
    } all[] = {
        {"show", shown},      {"keep", shown},          {"memory", memory},   {"follow", memory},
        {"find", found},      {"registers", registers}, {"special", special}, {"pins", pins},
        {"board", board},     {"chips", chips},         {"notice", levels},   {"stack", stack},
        {"touches", touches}, {"recent", recent},       {"changes", changes}, {"laps", laps},
        {"noticed", noticed}, {"code", code},           {"tally", tally},     {"interrupts", interrupts},
        {"stops", stops},     {"stop", stops},          {"watch", stops},     {"when", stops},
        {"interrupt", stops}, {"say", stops},           {"on", stops},        {"off", stops},
        {"remove", stops}};
    if (verb->moves) return moved(b);
    for (size_t i = 0; i < sizeof all / sizeof *all; i++)
        if (strcmp(all[i].verb, verb->name) == 0) return all[i].data(b, rest);
    return NULL;
}
