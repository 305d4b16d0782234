/* board_yaml.c — reading board files; docs/boards.md describes them. */
#include <oakspindle/image.h>
#include <oakspindle/print.h>

#include "base/bytes.h"
#include "board/board_state.h"
#include "part/tree_yaml.h"

enum { LARGEST_FILE = 4 << 20, MOST_STAND_INS = 200, MOST_TERMINALS = 64 };

typedef struct board_reader {
    oak_board *board;
    const oak_diag_sink *sink;
    const char *path;
    const oak_stand_in_kind *const *kinds;
    yaml_document_t document;
    bool refused;
    oak_status status; /* a failure that is no refusal */
} board_reader;

#define REFUSE_AT(reader, node, code, hint, ...)                                                             \
    ((reader)->refused = true,                                                                               \
     oak_refuse((reader)->sink, code, (reader)->path, (uint32_t)(node)->start_mark.line + 1,                 \
                (uint32_t)(node)->start_mark.column + 1, hint, __VA_ARGS__))

/* ------------------------------------------------------------------------------------------ nodes */

static yaml_node_t *node_at(board_reader *reader, int index)
{
    return yaml_document_get_node(&reader->document, index);
}

static const char *scalar(const yaml_node_t *node)
{
    return node && node->type == YAML_SCALAR_NODE ? (const char *)node->data.scalar.value : NULL;
}

#define EACH_PAIR(map, pair)                                                                                 \
    yaml_node_pair_t *pair = (map)->data.mapping.pairs.start;                                                \
    pair < (map)->data.mapping.pairs.top;                                                                    \
    pair++

static yaml_node_t *member(board_reader *reader, yaml_node_t *map, const char *key)
{
    for (EACH_PAIR(map, pair)) {
        const char *name = scalar(node_at(reader, pair->key));
        if (name && oak_same(name, key)) return node_at(reader, pair->value);
    }
    return NULL;
}

static bool is_map(board_reader *reader, yaml_node_t *node, const char *what)
{
    if (node->type == YAML_MAPPING_NODE) return true;
    REFUSE_AT(reader, node, "board-shape", "Write it as `key: value` pairs.", "%s must be a mapping", what);
    return false;
}

static const char *keep(board_reader *reader, const char *text)
{
    const char *copy = oak_arena_text(&reader->board->arena, text, oak_length(text));
    if (!copy) reader->status = OAK_NO_MEMORY;
    return copy;
}

/* The nearest of some names, as a hint; "" when none is near. */
static void suggest(const char *name, const char *const *names, char *hint, size_t room)
{
    unsigned least = 3;
    *hint = 0;
    for (; *names; names++) {
        unsigned apart = oak_name_distance(name, oak_length(name), *names, oak_length(*names), 2);
        if (apart >= least) continue;
        least = apart;
        oak_format(hint, room, "Did you mean `%s`?", *names);
    }
}

static void check_keys(board_reader *reader, yaml_node_t *map, const char *const *keys, const char *what,
                       const char *all)
{
    char hint[200];
    for (EACH_PAIR(map, pair)) {
        yaml_node_t *key = node_at(reader, pair->key);
        const char *name = scalar(key);
        bool known = false;
        for (unsigned i = 0; name && keys[i]; i++) known = known || oak_same(keys[i], name);
        if (known) continue;
        suggest(name ? name : "", keys, hint, sizeof hint);
        REFUSE_AT(reader, key, "board-key", *hint ? hint : all, "%s has no key `%s`", what,
                  name ? name : "?");
    }
}

/* ------------------------------------------------------------------------------------------ settings */

static bool word_value(const oak_setting *setting, const char *text, uint64_t *value)
{
    for (unsigned i = 0; setting->words && setting->words[i]; i++)
        if (oak_same_name(text, oak_length(text), setting->words[i])) {
            *value = i;
            return true;
        }
    return false;
}

/* A number, perhaps with KiB behind it. */
static bool number_value(const char *text, uint64_t *value)
{
    size_t used, length = oak_length(text);
    bool kilo = length > 3 && oak_same(text + length - 3, "KiB");
    if (kilo) length -= 3;
    while (length && text[length - 1] == ' ') length--;
    if (oak_read_number(text, text + length, value, &used) || used != length || *value > UINT64_MAX / 1024)
        return false;
    if (kilo) *value *= 1024;
    return true;
}

static void set_words_hint(const oak_setting *setting, char *hint, size_t room)
{
    oak_format(hint, room, "Write");
    for (unsigned i = 0; setting->words[i]; i++)
        oak_format(hint + oak_length(hint), room - oak_length(hint), "%s %s", i ? " or" : "",
                   setting->words[i]);
}

/* The bytes of a file beside the board file; what is Intel HEX or S-records is unpacked. */
static bool read_file(board_reader *reader, const yaml_node_t *node, const char *name, board_setting *value)
{
    oak_board *board = reader->board;
    char path[1000];
    size_t folder = oak_length(reader->path), size;
    uint8_t *bytes = NULL;
    while (folder && reader->path[folder - 1] != '/') folder--;
    oak_format(path, sizeof path, "%.*s%s", name[0] == '/' ? 0 : (int)folder, reader->path, name);
    oak_status status = board->host.read_file
                            ? board->host.read_file(board->host.context, path, 1 << 20, &bytes, &size)
                            : OAK_NOT_FOUND;
    if (status) {
        REFUSE_AT(reader, node, "no-file", "Paths count from the folder of the board file.",
                  "`%s` cannot be read: %s", path, oak_status_text(status));
        return false;
    }
    oak_image *image = NULL;
    if (size && (bytes[0] == ':' || bytes[0] == 'S') && oak_image_create(&board->host, &image) == OAK_OK) {
        status = bytes[0] == ':' ? oak_hex_read(image, (const char *)bytes, size, path, reader->sink)
                                 : oak_srec_read(image, (const char *)bytes, size, path, reader->sink);
        uint32_t last = 0, at, from = 0;
        uint64_t length;
        while (!status && oak_image_next_run(image, from, &at, &length) == OAK_OK && at + length < 1 << 20) {
            from = at + (uint32_t)length;
            last = from - 1;
        }
        if (!status && from) {
            uint8_t *unpacked = oak_arena_take(&board->arena, (size_t)last + 1);
            if (unpacked) oak_image_read(image, 0, 0xFF, unpacked, (size_t)last + 1);
            value->bytes = unpacked;
            value->size = (size_t)last + 1;
        } else reader->refused = true;
        oak_image_free(image);
    } else if (size) {
        uint8_t *copy = oak_arena_take(&board->arena, size);
        if (copy) memcpy(copy, bytes, size);
        value->bytes = copy;
        value->size = size;
    }
    if (size && !value->bytes && !reader->refused) reader->status = OAK_NO_MEMORY;
    if (bytes) board->host.resize(board->host.context, bytes, size, 0);
    return !reader->refused;
}

/* `node` is where it stands, for messages; NULL for the usual value. */
static bool set_value(board_reader *reader, const oak_setting *setting, const char *text,
                      const yaml_node_t *node, board_setting *value)
{
    char hint[200] = "";
    uint64_t number = 0;
    bool good = true;
    switch (setting->kind) {
    case OAK_SETTING_NUMBER:
        good = number_value(text, &number);
        oak_format(hint, sizeof hint, "Write a whole number from %llu to %llu.",
                   (unsigned long long)setting->least, (unsigned long long)setting->most);
        break;
    case OAK_SETTING_TIME:
        good = oak_read_time(text, oak_length(text), &number) == OAK_OK;
        oak_format(hint, sizeof hint, "Write a time, as 20ms or 1.5s.");
        break;
    case OAK_SETTING_FREQUENCY:
        good = oak_read_frequency(text, &number) == OAK_OK;
        oak_format(hint, sizeof hint, "Write a frequency, as 50Hz or 2.5kHz.");
        break;
    case OAK_SETTING_WORD:
        good = word_value(setting, text, &number);
        set_words_hint(setting, hint, sizeof hint);
        break;
    case OAK_SETTING_FILE:
        if (*text && node) return read_file(reader, node, text, value);
        break;
    case OAK_SETTING_TEXT: break;
    }
    bool bounded = setting->kind != OAK_SETTING_WORD && setting->most;
    if (good && bounded && (number < setting->least || number > setting->most)) good = false;
    value->number = number;
    value->text = keep(reader, text);
    if (!good && node)
        REFUSE_AT(reader, node, "board-value", hint, "`%s` is nothing for `%s`", text, setting->name);
    return good;
}

/* ------------------------------------------------------------------------------------------ wires */

static unsigned find_wire(oak_board *board, const char *name, int pin)
{
    for (unsigned i = 0; i < board->wire_count; i++) {
        if (pin >= 0 && board->wires[i].pin == pin) return i;
        if (pin < 0 && board->wires[i].pin < 0 && oak_same(board->wires[i].name, name)) return i;
    }
    return BOARD_NO_WIRE;
}

static unsigned add_wire(board_reader *reader, const yaml_node_t *node, const char *name, int pin)
{
    oak_board *board = reader->board;
    unsigned found = find_wire(board, name, pin);
    if (found != BOARD_NO_WIRE) return found;
    board_wire *grown =
        oak_grow(&board->host, board->wires, &board->wire_room, board->wire_count + 1, sizeof *grown);
    if (grown) board->wires = grown;
    if (!grown || board->wire_count >= BOARD_NO_WIRE - 1) {
        reader->status = OAK_NO_MEMORY;
        return BOARD_NO_WIRE;
    }
    board_wire *wire = &grown[board->wire_count];
    *wire = (board_wire){.name = pin < 0 ? keep(reader, name) : NULL,
                         .pin = pin,
                         .tied = pin < 0 && oak_same(name, "ground")   ? OAK_LOW
                                 : pin < 0 && oak_same(name, "supply") ? OAK_HIGH
                                                                       : OAK_FLOAT,
                         .level = OAK_FLOAT,
                         .line = (uint32_t)node->start_mark.line + 1,
                         .column = (uint32_t)node->start_mark.column + 1};
    if (pin >= 0) board->wire_of_pin[pin] = (uint16_t)board->wire_count;
    return (unsigned)board->wire_count++;
}

/* The wire a text means: a pin of the part, or a name. BOARD_NO_WIRE after a message. */
static unsigned wire_of(board_reader *reader, const yaml_node_t *node)
{
    const char *text = scalar(node);
    unsigned pin;
    if (!text || !*text) {
        REFUSE_AT(reader, node, "board-wire", "Write a pin, as p1.3, or the name of a wire.",
                  "a wire is one word");
        return BOARD_NO_WIRE;
    }
    for (const char *p = text; *p; p++)
        if (*p == '.') {
            if (oak_part_find_pin(reader->board->part, text, oak_length(text), &pin))
                return add_wire(reader, node, NULL, (int)pin);
            REFUSE_AT(reader, node, "board-wire", "`spindle parts NAME` lists its pins.",
                      "%s has no pin `%s`", reader->board->part->name, text);
            return BOARD_NO_WIRE;
        } else if (!oak_is_word(*p) && *p != '-') {
            REFUSE_AT(reader, node, "board-wire", "Use letters, digits, - and _.",
                      "`%s` is no name for a wire", text);
            return BOARD_NO_WIRE;
        }
    for (size_t i = 0; reader->board->session == NULL && i < reader->board->wire_count;
         i++) /* a name that a pin was given */
        if (reader->board->wires[i].pin >= 0 && reader->board->wires[i].name &&
            oak_same(reader->board->wires[i].name, text))
            return (unsigned)i;
    return add_wire(reader, node, text, -1);
}

static const oak_terminal *terminal_row(const oak_stand_in_kind *kind, unsigned number, unsigned *offset)
{
    for (unsigned i = 0; i < kind->terminal_count; i++) {
        if (number < kind->terminals[i].count) {
            *offset = number;
            return &kind->terminals[i];
        }
        number -= kind->terminals[i].count;
    }
    return NULL;
}

/* The number of a terminal by its name, -1 when there is none. */
static int find_terminal(const oak_stand_in_kind *kind, const char *name)
{
    unsigned first = 0;
    for (unsigned i = 0; i < kind->terminal_count; first += kind->terminals[i++].count) {
        const oak_terminal *row = &kind->terminals[i];
        size_t length = oak_length(row->name);
        if (oak_length(name) < length || memcmp(name, row->name, length) != 0) continue;
        if (row->count == 1 && !name[length]) return (int)first;
        unsigned number = 0;
        const char *digit = name + length;
        if (row->count == 1 || !oak_is_digit(*digit)) continue;
        while (oak_is_digit(*digit) && number < 1000) number = number * 10 + (unsigned)(*digit++ - '0');
        if (!*digit && number < row->count) return (int)(first + number);
    }
    return -1;
}

static void terminal_names(const oak_stand_in_kind *kind, char *text, size_t room)
{
    oak_format(text, room, "It has");
    for (unsigned i = 0; i < kind->terminal_count; i++) {
        const oak_terminal *row = &kind->terminals[i];
        size_t at = oak_length(text);
        if (row->count == 1) oak_format(text + at, room - at, "%s %s", i ? "," : "", row->name);
        else
            oak_format(text + at, room - at, "%s %s0 to %s%u", i ? "," : "", row->name, row->name,
                       row->count - 1);
    }
}

static void connect(board_reader *reader, oak_stand_in *one, unsigned terminal, yaml_node_t *node,
                    unsigned wire)
{
    board_terminal *at = &one->terminals[terminal];
    if (wire == BOARD_NO_WIRE) return;
    at->wire = (uint16_t)wire;
    at->line = (uint32_t)node->start_mark.line + 1;
    at->column = (uint32_t)node->start_mark.column + 1;
    reader->board->wires[wire].terminals++;
    unsigned offset, other_offset;
    const oak_terminal *row = terminal_row(one->kind, terminal, &offset);
    if (row->use != OAK_TERMINAL_OUT) return;
    if (reader->board->wires[wire].tied != OAK_FLOAT)
        REFUSE_AT(reader, node, "board-output", NULL, "`%s` of `%s` drives a wire that is tied to %s",
                  row->name, one->name, reader->board->wires[wire].name);
    for (oak_stand_in *other = reader->board->stand_ins; other <= one; other++)
        for (unsigned t = 0; t < other->terminal_count; t++) {
            const board_terminal *that = &other->terminals[t];
            if (that == at || that->wire != wire) continue;
            const oak_terminal *that_row = terminal_row(other->kind, t, &other_offset);
            if (that_row->use != OAK_TERMINAL_OUT) continue;
            REFUSE_AT(reader, node, "board-output", "Give one of them another wire.",
                      "two outputs are on one wire: `%s` of `%s` here, `%s` of `%s` at %s:%u:%u", row->name,
                      one->name, that_row->name, other->name, reader->path, (unsigned)that->line,
                      (unsigned)that->column);
            return;
        }
}

/* wires: {NAME: WIRE}, and for a row of terminals [WIRE, WIRE …] or `p1` for a whole port. */
static void read_wires(board_reader *reader, oak_stand_in *one, yaml_node_t *wires)
{
    char names[300];
    if (!is_map(reader, wires, "`wires`")) return;
    for (EACH_PAIR(wires, pair)) {
        yaml_node_t *key = node_at(reader, pair->key), *value = node_at(reader, pair->value);
        const char *name = scalar(key);
        unsigned first = 0, row = 0;
        for (; row < one->kind->terminal_count; first += one->kind->terminals[row++].count)
            if (name && oak_same(name, one->kind->terminals[row].name)) break;
        if (row < one->kind->terminal_count && value->type == YAML_SEQUENCE_NODE) {
            unsigned count = 0;
            for (yaml_node_item_t *item = value->data.sequence.items.start;
                 item < value->data.sequence.items.top; item++, count++) {
                if (count < one->kind->terminals[row].count)
                    connect(reader, one, first + count, node_at(reader, *item),
                            wire_of(reader, node_at(reader, *item)));
                else if (count == one->kind->terminals[row].count)
                    REFUSE_AT(reader, node_at(reader, *item), "board-wire", NULL,
                              "`%s` of a %s has %u terminals", name, one->kind->name, count);
            }
            continue;
        }
        if (row < one->kind->terminal_count && one->kind->terminals[row].count > 1 &&
            scalar(value)) { /* a whole port */
            const oak_part *part = reader->board->part;
            unsigned port = 0;
            while (port < part->port_count &&
                   !oak_same_name(scalar(value), oak_length(scalar(value)), part->ports[port].name))
                port++;
            if (port == part->port_count) {
                REFUSE_AT(reader, value, "board-wire", "Write a list of wires, or a port.",
                          "`%s` is no port of %s", scalar(value), part->name);
                continue;
            }
            for (unsigned bit = 0; bit < part->ports[port].pin_count && bit < one->kind->terminals[row].count;
                 bit++)
                connect(reader, one, first + bit, value,
                        add_wire(reader, value, NULL, (int)(port * OAK_MOST_PINS + bit)));
            continue;
        }
        int terminal = name ? find_terminal(one->kind, name) : -1;
        terminal_names(one->kind, names, sizeof names);
        if (terminal < 0)
            REFUSE_AT(reader, key, "board-wire", names, "a %s has no terminal `%s`", one->kind->name,
                      name ? name : "?");
        else if (one->terminals[terminal].wire != BOARD_NO_WIRE)
            REFUSE_AT(reader, key, "board-wire", "Remove one of them.", "`%s` is wired twice", name);
        else connect(reader, one, (unsigned)terminal, value, wire_of(reader, value));
    }
}

/* ------------------------------------------------------------------------------------------ stand-ins */

static const oak_stand_in_kind *find_kind(board_reader *reader, const char *name)
{
    const oak_stand_in_kind *kind;
    for (unsigned i = 0; reader->kinds && reader->kinds[i]; i++)
        if (oak_same(reader->kinds[i]->name, name)) return reader->kinds[i];
    for (unsigned i = 0; (kind = oak_stand_in_kind_at(i)); i++)
        if (oak_same(kind->name, name)) return kind;
    return NULL;
}

static void read_settings(board_reader *reader, oak_stand_in *one, yaml_node_t *map)
{
    const oak_stand_in_kind *kind = one->kind;
    for (EACH_PAIR(map, pair)) {
        yaml_node_t *key = node_at(reader, pair->key);
        const char *name = scalar(key);
        const char *names[40] = {"kind", "wires"};
        bool known = false;
        for (unsigned i = 0; i < kind->setting_count && i < 36; i++) names[i + 2] = kind->settings[i].name;
        for (unsigned i = 0; name && names[i]; i++) known = known || oak_same(names[i], name);
        if (known) continue;
        char hint[300];
        suggest(name ? name : "", names, hint, sizeof hint);
        if (!*hint) {
            oak_format(hint, sizeof hint, "It has");
            for (unsigned i = 0; names[i]; i++)
                oak_format(hint + oak_length(hint), sizeof hint - oak_length(hint), "%s %s", i ? "," : "",
                           names[i]);
        }
        REFUSE_AT(reader, key, "board-key", hint, "a %s has no setting `%s`", kind->name, name ? name : "?");
    }
    for (unsigned i = 0; i < kind->setting_count; i++) {
        const oak_setting *setting = &kind->settings[i];
        yaml_node_t *node = member(reader, map, setting->name);
        const char *text = node ? scalar(node) : setting->usual;
        if (node && !text)
            REFUSE_AT(reader, node, "board-value", NULL, "`%s` takes one value", setting->name);
        else if (!text)
            REFUSE_AT(reader, map, "board-value", NULL, "`%s` needs `%s`: %s", one->name, setting->name,
                      setting->title);
        else set_value(reader, setting, text, node, &one->settings[i]);
    }
}

static void read_stand_in(board_reader *reader, oak_stand_in *one, yaml_node_t *key, yaml_node_t *map)
{
    oak_board *board = reader->board;
    const char *name = scalar(key);
    char hint[400];
    if (!name || !*name || !is_map(reader, map, "a stand-in")) return;
    for (const char *p = name; *p; p++)
        if (!oak_is_word(*p) && *p != '-') {
            REFUSE_AT(reader, key, "board-name", "Use letters, digits, - and _.",
                      "`%s` is no name for a stand-in", name);
            return;
        }
    if (oak_board_find(board, name, oak_length(name))) {
        REFUSE_AT(reader, key, "board-name", "Give one of them another name.",
                  "there are two stand-ins called `%s`", name);
        return;
    }
    yaml_node_t *kind_node = member(reader, map, "kind");
    const char *kind_name = scalar(kind_node);
    const oak_stand_in_kind *kind = kind_name ? find_kind(reader, kind_name) : NULL;
    if (!kind) {
        const char *names[64] = {NULL};
        const oak_stand_in_kind *known;
        for (unsigned i = 0; (known = oak_stand_in_kind_at(i)) && i < 60; i++) names[i] = known->name;
        suggest(kind_name ? kind_name : "", names, hint, sizeof hint);
        if (!*hint) {
            oak_format(hint, sizeof hint, "Kinds are");
            for (unsigned i = 0; names[i]; i++)
                oak_format(hint + oak_length(hint), sizeof hint - oak_length(hint), "%s %s", i ? "," : "",
                           names[i]);
        }
        REFUSE_AT(reader, kind_node ? kind_node : map, "board-kind", hint,
                  "there is no kind of stand-in `%s`", kind_name ? kind_name : "?");
        return;
    }
    unsigned terminals = 0;
    for (unsigned i = 0; i < kind->terminal_count; i++) terminals += kind->terminals[i].count;
    *one = (oak_stand_in){.board = board,
                          .name = keep(reader, name),
                          .kind = kind,
                          .terminal_count = terminals,
                          .due = UINT64_MAX};
    one->terminals = oak_arena_take(&board->arena, (terminals ? terminals : 1) * sizeof *one->terminals);
    one->settings = oak_arena_take(&board->arena,
                                   (kind->setting_count ? kind->setting_count : 1) * sizeof *one->settings);
    one->state = oak_arena_take(&board->arena, kind->state_size ? kind->state_size : 1);
    if (!one->terminals || !one->settings || !one->state || !one->name) {
        reader->status = OAK_NO_MEMORY;
        return;
    }
    memset(one->settings, 0, (kind->setting_count ? kind->setting_count : 1) * sizeof *one->settings);
    for (unsigned t = 0; t < terminals; t++)
        one->terminals[t] = (board_terminal){.wire = BOARD_NO_WIRE, .drive = OAK_FLOAT};
    board->stand_in_count++;
    read_settings(reader, one, map);
    yaml_node_t *wires = member(reader, map, "wires");
    if (wires) read_wires(reader, one, wires);
    unsigned first = 0;
    for (unsigned i = 0; i < kind->terminal_count && !reader->refused; first += kind->terminals[i++].count)
        if (kind->terminals[i].needed && one->terminals[first].wire == BOARD_NO_WIRE)
            REFUSE_AT(reader, map, "board-wire", NULL, "`%s` of `%s` must be wired: %s",
                      kind->terminals[i].name, name, kind->terminals[i].title);
}

/* ------------------------------------------------------------------------------------------ the file */

/* names: {door: p3.0}: what a pin is called, here and everywhere. */
static void read_names(board_reader *reader, yaml_node_t *map)
{
    unsigned pin;
    if (!is_map(reader, map, "`names`")) return;
    for (EACH_PAIR(map, pair)) {
        yaml_node_t *key = node_at(reader, pair->key), *value = node_at(reader, pair->value);
        const char *name = scalar(key), *text = scalar(value);
        if (!name || !text || !oak_part_find_pin(reader->board->part, text, oak_length(text), &pin)) {
            REFUSE_AT(reader, value, "board-wire", "Write `names: {door: p3.0}`.", "%s has no pin `%s`",
                      reader->board->part->name, text ? text : "?");
            continue;
        }
        unsigned wire = add_wire(reader, value, NULL, (int)pin);
        if (wire != BOARD_NO_WIRE) reader->board->wires[wire].name = keep(reader, name);
    }
}

/* then: [{at: 10ms, do: start press}] */
static void read_deeds(board_reader *reader, yaml_node_t *list)
{
    if (list->type != YAML_SEQUENCE_NODE) {
        REFUSE_AT(reader, list, "board-shape", "Write `then: [{at: 10ms, do: start press}]`.",
                  "`then` must be a list");
        return;
    }
    for (yaml_node_item_t *item = list->data.sequence.items.start; item < list->data.sequence.items.top;
         item++) {
        yaml_node_t *map = node_at(reader, *item);
        static const char *const keys[] = {"at", "do", NULL};
        if (!is_map(reader, map, "what happens then")) continue;
        check_keys(reader, map, keys, "what happens then", "Write `{at: 10ms, do: start press}`.");
        yaml_node_t *at = member(reader, map, "at"), *deed = member(reader, map, "do");
        const char *time = scalar(at), *text = scalar(deed);
        uint64_t picoseconds = 0;
        if (!text) {
            REFUSE_AT(reader, map, "board-value", "Write `{at: 10ms, do: start press}`.",
                      "`do` is missing here");
            continue;
        }
        if (!time || oak_read_time(time, oak_length(time), &picoseconds)) {
            REFUSE_AT(reader, at ? at : map, "board-value", "Write `{at: 10ms, do: start press}`.",
                      "`at` needs a time");
            continue;
        }
        size_t length = 0;
        while (text[length] && text[length] != ' ') length++;
        oak_stand_in *who = oak_board_find(reader->board, text, length);
        const char *what = text + length;
        while (*what == ' ') what++;
        if (!who)
            REFUSE_AT(reader, deed, "board-name", NULL, "nothing on the board is called `%.*s`", (int)length,
                      text);
        else if (!who->kind->act || !board_knows_act(who, what)) {
            char hint[200];
            oak_format(hint, sizeof hint, "A %s understands: %s.", who->kind->name,
                       who->kind->acts ? who->kind->acts : "nothing");
            REFUSE_AT(reader, deed, "board-value", hint, "`%s` is nothing one could do with `%s`", what,
                      who->name);
        } else if (board_add_deed(reader->board, who, what, 0, picoseconds)) reader->status = OAK_NO_MEMORY;
    }
}

static void read_root(board_reader *reader, yaml_node_t *root)
{
    static const char *const keys[] = {"board", "part", "clock", "names", "stand-ins", "then", NULL};
    oak_board *board = reader->board;
    if (!is_map(reader, root, "a board file")) return;
    check_keys(reader, root, keys, "a board file", "It has board, part, clock, names, stand-ins, then.");
    yaml_node_t *title = member(reader, root, "board"), *part = member(reader, root, "part"),
                *clock = member(reader, root, "clock"), *names = member(reader, root, "names"),
                *list = member(reader, root, "stand-ins"), *then = member(reader, root, "then");
    board->title = keep(reader, scalar(title) ? scalar(title) : "board");
    if (part && (!scalar(part) || !oak_same_name(scalar(part), oak_length(scalar(part)), board->part->name)))
        REFUSE_AT(reader, part, "board-part", "Run it with that part, or leave `part` out.",
                  "this board is made for %s, not for %s", scalar(part) ? scalar(part) : "?",
                  board->part->name);
    if (clock && (!scalar(clock) || oak_read_frequency(scalar(clock), &board->clock)))
        REFUSE_AT(reader, clock, "board-value", "Write `clock: 11.0592MHz`.", "`%s` is no clock frequency",
                  scalar(clock) ? scalar(clock) : "?");
    if (names) read_names(reader, names);
    if (!list) {
        REFUSE_AT(reader, root, "board-shape",
                  "Write `stand-ins:` and below it `NAME: {kind: lamp, wires: {in: p1.0}}`.",
                  "there is nothing on this board");
        return;
    }
    if (!is_map(reader, list, "`stand-ins`")) return;
    unsigned count = 0;
    for (EACH_PAIR(list, pair)) count++;
    if (count > MOST_STAND_INS) {
        REFUSE_AT(reader, list, "board-shape", NULL, "there are more than %d stand-ins", MOST_STAND_INS);
        return;
    }
    board->stand_ins = oak_arena_take(&board->arena, (count ? count : 1) * sizeof *board->stand_ins);
    if (!board->stand_ins) {
        reader->status = OAK_NO_MEMORY;
        return;
    }
    for (EACH_PAIR(list, pair))
        read_stand_in(reader, &board->stand_ins[board->stand_in_count], node_at(reader, pair->key),
                      node_at(reader, pair->value));
    for (size_t i = 0; i < board->wire_count && !reader->refused; i++) {
        const board_wire *wire = &board->wires[i];
        if (wire->pin >= 0 || wire->tied != OAK_FLOAT || wire->terminals > 1) continue;
        reader->refused = true;
        oak_refuse(reader->sink, "board-wire", reader->path, wire->line, wire->column,
                   "Pins are written as p1.3; a name needs two ends.",
                   "the wire `%s` leads nowhere: nothing else is on it", wire->name);
    }
    if (then && !reader->refused) read_deeds(reader, then);
}

oak_status oak_board_load(const oak_host *host, const char *path, const oak_part *part,
                          const oak_stand_in_kind *const *kinds, const oak_diag_sink *sink,
                          oak_board **result)
{
    if (!host || !path || !part || !sink || !result) return OAK_MISUSE;
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_status status =
        host->read_file ? host->read_file(host->context, path, LARGEST_FILE, &bytes, &size) : OAK_UNSUPPORTED;
    if (status) {
        oak_refuse(sink, "no-file", path, 0, 0, "A board file is YAML: docs/boards.md describes it.", "%s",
                   status == OAK_NOT_FOUND ? "there is no such board file" : oak_status_text(status));
        return OAK_REFUSED;
    }
    oak_board *board = host->resize(host->context, NULL, 0, sizeof *board);
    if (!board) {
        if (bytes) host->resize(host->context, bytes, size, 0);
        return OAK_NO_MEMORY;
    }
    memset(board, 0, sizeof *board);
    board->host = *host;
    board->part = part;
    board->restless = UINT64_MAX;
    oak_arena_open(&board->arena, &board->host);
    memset(board->wire_of_pin, 0xFF, sizeof board->wire_of_pin);
    board_reader reader = {.board = board, .sink = sink, .path = path, .kinds = kinds};
    oak_yaml_fault fault;
    status = oak_yaml_read(bytes, size, &reader.document, &fault);
    if (!status) {
        read_root(&reader, yaml_document_get_root_node(&reader.document));
        yaml_document_delete(&reader.document);
    } else if (status == OAK_REFUSED) {
        reader.refused = true;
        if (fault.message)
            oak_refuse(sink, "board-syntax", path, fault.line, fault.column, NULL, "this is no YAML: %s",
                       fault.message);
        else oak_refuse(sink, "board-shape", path, 1, 1, NULL, "the file is empty");
    } else reader.status = status;
    if (bytes) host->resize(host->context, bytes, size, 0);
    status = reader.status ? reader.status : reader.refused ? OAK_REFUSED : OAK_OK;
    if (status) oak_board_free(board);
    else *result = board;
    return status;
}
