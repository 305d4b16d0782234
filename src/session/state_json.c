/* state_json.c — the state of a chip as one JSON document (docs/files.md), written and taken back. */
#include <cjson/cJSON.h>

#include "base/bytes.h"
#include "session/session_state.h"

enum { PAGE = 256 };

/* ------------------------------------------------------------------------------------------ writing */

/* A document that lacks anything, since there was no memory for it, is never written. */
typedef struct state_writer {
    oak_session *session;
    cJSON *to; /* what is visited goes there */
    bool failed;
} state_writer;

#define NEED(w, made) ((void)((w)->failed |= !(made)))

static void add_hex_memory(state_writer *w, cJSON *list, const char *space, uint32_t at, const uint8_t *bytes,
                           size_t count)
{
    static const char digits[] = "0123456789abcdef";
    char text[2 * PAGE + 1];
    for (size_t i = 0; i < count; i++) {
        text[2 * i] = digits[bytes[i] >> 4];
        text[2 * i + 1] = digits[bytes[i] & 15];
    }
    text[2 * count] = 0;
    cJSON *entry = cJSON_CreateObject();
    NEED(w, cJSON_AddStringToObject(entry, "space", space));
    NEED(w, cJSON_AddNumberToObject(entry, "at", at));
    NEED(w, cJSON_AddStringToObject(entry, "bytes", text));
    if (cJSON_AddItemToArray(list, entry)) return;
    cJSON_Delete(entry);
    w->failed = true;
}

/* Pages that hold nothing but zeros, as after reset, are left out. */
static void add_memory(state_writer *w, cJSON *list, const oak_part_memory *memory)
{
    const oak_session *session = w->session;
    for (uint32_t done = 0; done < memory->size; done += PAGE) {
        uint8_t bytes[PAGE];
        uint32_t count = memory->size - done < PAGE ? memory->size - done : PAGE, used = 0;
        if (session->chip.ops->read_memory(session->chip.chip, memory->space, memory->base + done, bytes,
                                           count)) {
            w->failed = true;
            continue;
        }
        for (uint32_t i = 0; i < count; i++)
            if (bytes[i]) used = i + 1;
        if (used)
            add_hex_memory(w, list, session->part->architecture->spaces[memory->space].name,
                           memory->base + done, bytes, count);
    }
}

/* What the chip remembers beside registers and memory, by owner. Numbers that no double holds are written as texts. */
static void note_number(void *context, const char *owner, const char *name, uint64_t *value)
{
    state_writer *w = context;
    cJSON *group = cJSON_GetObjectItemCaseSensitive(w->to, owner);
    char text[24];
    if (!group) group = cJSON_AddObjectToObject(w->to, owner);
    oak_format(text, sizeof text, "%llu", (unsigned long long)*value);
    if (*value >> 53) NEED(w, cJSON_AddStringToObject(group, name, text));
    else if (*value) NEED(w, cJSON_AddNumberToObject(group, name, (double)*value)); /* zeros are left out */
}

static void note_bytes(void *context, const char *owner, const char *name, uint8_t *bytes, size_t count)
{
    static const char digits[] = "0123456789abcdef";
    state_writer *w = context;
    cJSON *of = cJSON_GetObjectItemCaseSensitive(w->to, owner);
    char *text = cJSON_malloc(2 * count + 1);
    if (!of) of = cJSON_AddObjectToObject(w->to, owner);
    NEED(w, text);
    if (!text) return;
    for (size_t i = 0; i < count; i++)
        text[2 * i] = digits[bytes[i] >> 4], text[2 * i + 1] = digits[bytes[i] & 15];
    text[2 * count] = 0;
    NEED(w, cJSON_AddStringToObject(of, name, text));
    cJSON_free(text);
}

/* Tells one program from another: a number made of all its bytes and where they lie. Empty where it is not known. */
static void mark_of_program(const oak_session *session, char *text, size_t room)
{
    uint64_t mark = 0xCBF29CE484222325u;
    *text = 0;
    if (!session->program) return;
    const oak_image *image = oak_program_image(session->program);
    uint32_t at;
    uint64_t count, from = 0;
    uint8_t bytes[256];
    while (from <= UINT32_MAX && oak_image_next_run(image, (uint32_t)from, &at, &count) == OAK_OK) {
        for (unsigned i = 0; i < 4; i++) mark = (mark ^ (at >> (8 * i) & 0xFF)) * 0x100000001B3u;
        for (uint64_t done = 0; done < count;) {
            size_t part = count - done < sizeof bytes ? (size_t)(count - done) : sizeof bytes;
            oak_image_read(image, (uint32_t)(at + done), 0, bytes, part);
            for (size_t i = 0; i < part; i++) mark = (mark ^ bytes[i]) * 0x100000001B3u;
            done += part;
        }
        from = at + count;
    }
    oak_format(text, room, "%016llx", (unsigned long long)mark);
}

static cJSON *state_document(state_writer *w)
{
    oak_session *session = w->session;
    const oak_architecture *about = session->part->architecture;
    oak_chip_time time = {0};
    session->chip.ops->read_time(session->chip.chip, &time);
    cJSON *root = cJSON_CreateObject();
    NEED(w, cJSON_AddStringToObject(root, "part", session->part->name));
    char mark[20];
    mark_of_program(session, mark, sizeof mark);
    if (*mark) NEED(w, cJSON_AddStringToObject(root, "program", mark));
    NEED(w, cJSON_AddNumberToObject(root, "clock_hz", (double)session->clock_millihertz / 1000.0));
    NEED(w, cJSON_AddStringToObject(root, "cycle_unit", about->cycle_unit));
    NEED(w, cJSON_AddNumberToObject(root, "clocks_per_cycle", session->part->clocks_per_cycle));
    NEED(w, cJSON_AddNumberToObject(root, "cycles", (double)time.cycles));
    NEED(w, cJSON_AddNumberToObject(root, "instructions", (double)time.instructions));
    if (time.asleep) NEED(w, cJSON_AddNumberToObject(root, "asleep", (double)time.asleep));
    cJSON *stop = cJSON_AddObjectToObject(root, "stop");
    NEED(w, cJSON_AddStringToObject(stop, "reason", oak_stop_word(session->last.stop.reason)));
    uint32_t pc = 0;
    session->chip.ops->read_register(session->chip.chip, about->pc_register, &pc);
    NEED(w, cJSON_AddNumberToObject(stop, "pc", pc));
    if (session->last.stop.reason == OAK_STOP_FAULT) {
        NEED(w, cJSON_AddStringToObject(stop, "fault", oak_fault_word(session->last.stop.fault)));
        NEED(w, cJSON_AddStringToObject(stop, "fault_space",
                                        about->spaces[session->last.stop.fault_space].name));
        NEED(w, cJSON_AddNumberToObject(stop, "fault_address", session->last.stop.fault_address));
    }
    cJSON *registers = cJSON_AddObjectToObject(root, "registers");
    for (unsigned i = 0; i < about->register_count; i++) {
        uint32_t value = 0;
        session->chip.ops->read_register(session->chip.chip, i, &value);
        NEED(w, cJSON_AddNumberToObject(registers, about->registers[i].name, value));
    }
    cJSON *specials = cJSON_AddObjectToObject(root, "sfr");
    for (unsigned i = 0; i < session->part->register_count; i++) {
        const oak_part_register *reg = &session->part->registers[i];
        uint8_t bytes[4] = {0};
        session->chip.ops->read_memory(session->chip.chip, reg->space, reg->address, bytes,
                                       (reg->bits + 7u) / 8u);
        NEED(w, cJSON_AddNumberToObject(specials, reg->name,
                                        (double)oak_number_at(session->part->architecture, reg->space, bytes,
                                                              (reg->bits + 7u) / 8u)));
    }
    cJSON *memory = cJSON_AddArrayToObject(root, "memory");
    for (unsigned i = 0; i < session->part->memory_count; i++)
        if (session->part->memories[i].writable && memory) add_memory(w, memory, &session->part->memories[i]);
    if (session->chip.ops->visit_state) {
        w->to = cJSON_CreateObject();
        oak_state_visitor visitor = {.context = w, .number = note_number};
        if (session->chip.ops->visit_state(session->chip.chip, &visitor) == OAK_OK)
            NEED(w, cJSON_AddItemToObject(root, "inner", w->to));
        else cJSON_Delete(w->to);
    }
    if (session->joined_count) {
        oak_state_visitor visitor = {.context = w, .number = note_number, .bytes = note_bytes};
        w->to = cJSON_AddObjectToObject(root, "outside");
        session_visit_outside(session, &visitor);
    }
    cJSON *pins = cJSON_AddObjectToObject(root, "driven");
    for (size_t i = 0; i < session->put_count; i++) { /* what a board drives it will drive again by itself */
        const pin_put *put = &session->puts[i];
        char name[80];
        if (put->source || put->level == OAK_FLOAT) continue;
        oak_format(name, sizeof name, "%s.%u", session->part->ports[put->pin / OAK_MOST_PINS].name,
                   put->pin % OAK_MOST_PINS);
        if (put->level == OAK_PULLED_LOW || put->level == OAK_PULLED_HIGH)
            NEED(w, cJSON_AddStringToObject(pins, name, put->level == OAK_PULLED_HIGH ? "up" : "down"));
        else NEED(w, cJSON_AddNumberToObject(pins, name, put->level == OAK_HIGH));
    }
    NEED(w, registers && specials && memory && pins);
    return root;
}

static oak_status write_all(oak_session *session, const oak_text_sink *out)
{
    state_writer w = {.session = session};
    cJSON *root = state_document(&w);
    char *text = w.failed ? NULL : cJSON_Print(root);
    cJSON_Delete(root);
    if (!text) return OAK_NO_MEMORY;
    oak_status status = out->write(out->context, text, oak_length(text));
    if (!status) status = out->write(out->context, "\n", 1);
    cJSON_free(text);
    return status;
}

oak_status oak_session_write_state(oak_session *session, const oak_text_sink *out)
{
    if (!session || !out) return OAK_MISUSE;
    return session_outcome(session, write_all(session, out));
}

/* ------------------------------------------------------------------------------------------ taking */

typedef struct state_reader {
    oak_session *session;
    const char *name;
    const oak_diag_sink *sink;
    bool refused;
} state_reader;

#define REFUSE(reader, hint, ...)                                                                            \
    ((reader)->refused = true,                                                                               \
     oak_refuse((reader)->sink, "state-file", (reader)->name, 0, 0, hint, __VA_ARGS__))

static bool whole_number(const cJSON *item, double most, uint64_t *value)
{
    if (!cJSON_IsNumber(item) || !(item->valuedouble >= 0) || item->valuedouble > most) return false;
    *value = (uint64_t)item->valuedouble;
    return (double)*value == item->valuedouble;
}

static void take_registers(state_reader *reader, const cJSON *registers)
{
    const oak_session *session = reader->session;
    const oak_architecture *about = session->part->architecture;
    const cJSON *item;
    /* Twice: what others lie in (the bank in psw) comes before what is derived from it. */
    for (int derived = 0; derived < 2; derived++) {
        cJSON_ArrayForEach(item, registers)
        {
            unsigned number = 0;
            while (number < about->register_count &&
                   !oak_same_name(item->string, oak_length(item->string), about->registers[number].name))
                number++;
            if (number == about->register_count) {
                if (!derived)
                    REFUSE(reader, NULL, "`registers` names `%s`, which %s does not have", item->string,
                           about->name);
                continue;
            }
            uint64_t value;
            if (about->registers[number].derived != (derived == 1)) continue;
            if (!whole_number(item, UINT32_MAX, &value) ||
                session->chip.ops->write_register(session->chip.chip, number, (uint32_t)value))
                REFUSE(reader, NULL, "register `%s` needs a whole number of %u bits", item->string,
                       about->registers[number].bits);
        }
    }
}

static void take_specials(state_reader *reader, const cJSON *specials)
{
    const oak_session *session = reader->session;
    const cJSON *item;
    cJSON_ArrayForEach(item, specials)
    {
        const oak_part_register *reg =
            oak_part_find_register(session->part, item->string, oak_length(item->string));
        uint64_t value;
        if (!reg) {
            REFUSE(reader, NULL, "`sfr` names `%s`, which %s does not have", item->string,
                   session->part->name);
            continue;
        }
        uint8_t bytes[4];
        if (!whole_number(item, reg->bits == 32 ? UINT32_MAX : (double)((1u << reg->bits) - 1), &value)) {
            REFUSE(reader, NULL, "special register `%s` needs a whole number of %u bits", reg->name,
                   reg->bits);
            continue;
        }
        oak_put_number(session->part->architecture, reg->space, value, bytes, (reg->bits + 7u) / 8u);
        session->chip.ops->write_memory(session->chip.chip, reg->space, reg->address, bytes,
                                        (reg->bits + 7u) / 8u);
    }
}

static void take_number(void *context, const char *owner, const char *name, uint64_t *value)
{
    const cJSON *group = cJSON_GetObjectItemCaseSensitive(context, owner),
                *item = cJSON_GetObjectItemCaseSensitive(group, name);
    uint64_t number = 0;
    size_t used;
    if (cJSON_IsString(item))
        number = oak_read_number(item->valuestring, item->valuestring + oak_length(item->valuestring),
                                 &number, &used)
                     ? 0
                     : number;
    else if (item && !whole_number(item, 9007199254740992.0, &number)) number = 0;
    *value = number;
}

static void take_bytes(void *context, const char *owner, const char *name, uint8_t *bytes, size_t count)
{
    const cJSON *item =
        cJSON_GetObjectItemCaseSensitive(cJSON_GetObjectItemCaseSensitive(context, owner), name);
    if (!cJSON_IsString(item) || oak_length(item->valuestring) != 2 * count) return;
    for (size_t i = 0; i < count; i++) {
        int high = oak_hex_digit(item->valuestring[2 * i]), low = oak_hex_digit(item->valuestring[2 * i + 1]);
        if (high >= 0 && low >= 0) bytes[i] = (uint8_t)(high << 4 | low);
    }
}

static void take_memory_entry(state_reader *reader, const cJSON *entry, unsigned number)
{
    const oak_session *session = reader->session;
    const cJSON *space = cJSON_GetObjectItemCaseSensitive(entry, "space"),
                *at = cJSON_GetObjectItemCaseSensitive(entry, "at");
    const cJSON *bytes = cJSON_GetObjectItemCaseSensitive(entry, "bytes");
    uint64_t address;
    unsigned found = cJSON_IsString(space) ? oak_part_find_space(session->part, space->valuestring,
                                                                 oak_length(space->valuestring))
                                           : 0;
    const char *text = cJSON_IsString(bytes) ? bytes->valuestring : NULL;
    if (!found || !text || !whole_number(at, UINT32_MAX, &address)) {
        REFUSE(reader, "It has a `space`, the address `at` and its `bytes` in hexadecimal.",
               "entry %u of `memory` is not complete", number);
        return;
    }
    for (size_t i = 0; text[i]; i += 2) {
        int high = oak_hex_digit(text[i]), low = high < 0 ? -1 : oak_hex_digit(text[i + 1]);
        if (low < 0) {
            REFUSE(reader, "Two hexadecimal digits make a byte.",
                   "entry %u of `memory` has a wrong digit behind %zu bytes", number, i / 2);
            return;
        }
        uint8_t byte = (uint8_t)(high << 4 | low);
        if (address + i / 2 > UINT32_MAX ||
            session->chip.ops->write_memory(session->chip.chip, found, (uint32_t)(address + i / 2), &byte,
                                            1)) {
            REFUSE(reader, NULL, "entry %u of `memory`: %s has no address 0x%llx", number,
                   session->part->name, (unsigned long long)(address + i / 2));
            return;
        }
    }
}

static void take_pins(state_reader *reader, const cJSON *pins)
{
    oak_session *session = reader->session;
    const cJSON *item;
    cJSON_ArrayForEach(item, pins)
    {
        unsigned pin;
        uint64_t level = 0;
        bool up = cJSON_IsString(item) && oak_same(item->valuestring, "up");
        bool down = cJSON_IsString(item) && oak_same(item->valuestring, "down");
        if (!oak_part_find_pin(session->part, item->string, oak_length(item->string), &pin) ||
            (!up && !down && !whole_number(item, 1, &level)))
            REFUSE(reader, "Write \"p1.0\": 0, 1, \"up\" or \"down\".", "`driven` has a wrong entry `%s`",
                   item->string);
        else if (oak_session_put(session, 0, pin,
                                 up      ? OAK_PULLED_HIGH
                                 : down  ? OAK_PULLED_LOW
                                 : level ? OAK_HIGH
                                         : OAK_LOW))
            oak_session_fail(session);
    }
}

/* A member that must be a JSON object when it is there at all. */
static const cJSON *object_member(state_reader *reader, const cJSON *root, const char *name)
{
    const cJSON *member = cJSON_GetObjectItemCaseSensitive(root, name);
    if (!member || cJSON_IsObject(member)) return member;
    REFUSE(reader, NULL, "`%s` must be an object of names and numbers", name);
    return NULL;
}

static void take_document(state_reader *reader, const cJSON *root)
{
    oak_session *session = reader->session;
    const cJSON *part = cJSON_GetObjectItemCaseSensitive(root, "part"),
                *memory = cJSON_GetObjectItemCaseSensitive(root, "memory"), *entry;
    oak_chip_time time = {0};
    if (!cJSON_IsObject(root)) {
        REFUSE(reader, NULL, "the document is no JSON object");
        return;
    }
    if (cJSON_IsString(part) && !oak_same(part->valuestring, session->part->name)) {
        REFUSE(reader, "Run it with the part it was made for.", "this state is of part %s, not of %s",
               part->valuestring, session->part->name);
        return;
    }
    const cJSON *program = cJSON_GetObjectItemCaseSensitive(root, "program");
    char mark[20];
    mark_of_program(session, mark, sizeof mark);
    if (*mark && cJSON_IsString(program) && !oak_same(program->valuestring, mark)) {
        const oak_diagnostic d = {.severity = OAK_WARNING,
                                  .code = "state-file",
                                  .file = reader->name,
                                  .message = "this is the state of another program",
                                  .hint = "Its pc, stack and variables may mean nothing to this one."};
        if (reader->sink && reader->sink->report) reader->sink->report(reader->sink->context, &d);
    }
    /* The time first, since devices go by it; what the chip remembers last, since all else may change it. */
    const cJSON *cycles = cJSON_GetObjectItemCaseSensitive(root, "cycles"),
                *instructions = cJSON_GetObjectItemCaseSensitive(root, "instructions"),
                *asleep = cJSON_GetObjectItemCaseSensitive(root, "asleep");
    if ((cycles && !whole_number(cycles, 9e15, &time.cycles)) ||
        (instructions && !whole_number(instructions, 9e15, &time.instructions)) ||
        (asleep && !whole_number(asleep, 9e15, &time.asleep)))
        REFUSE(reader, NULL, "`cycles`, `instructions` and `asleep` are whole numbers");
    else session->chip.ops->write_time(session->chip.chip, &time);
    const cJSON *inner = object_member(reader, root, "inner");
    /* On a bus a register is what its device makes of it, and writing it would do something; in a space of their own the
     * latches of ports and whatever has no device are nowhere else. */
    bool own_space = session->part->register_count &&
                     session->part->registers[0].space != session->part->architecture->code_space;
    if (!inner || own_space) take_specials(reader, object_member(reader, root, "sfr"));
    take_registers(reader, object_member(reader, root, "registers"));
    unsigned number = 0;
    cJSON_ArrayForEach(entry, memory) take_memory_entry(reader, entry, ++number);
    take_pins(reader, object_member(reader, root, "driven"));
    oak_state_visitor visitor = {.context = (void *)(uintptr_t)inner, .number = take_number};
    if (inner && session->chip.ops->visit_state) session->chip.ops->visit_state(session->chip.chip, &visitor);
    const cJSON *clock = cJSON_GetObjectItemCaseSensitive(root, "clock_hz");
    if (cJSON_IsNumber(clock) && clock->valuedouble >= 0.001 && clock->valuedouble < 1e12 &&
        oak_session_set_clock(session, (uint64_t)(clock->valuedouble * 1000.0 + 0.5)))
        REFUSE(reader, "It is the clock in Hz.", "`clock_hz` cannot be set");
    const cJSON *outside = object_member(reader, root, "outside");
    visitor = (oak_state_visitor){
        .context = (void *)(uintptr_t)outside, .number = take_number, .bytes = take_bytes};
    if (outside) session_visit_outside(session, &visitor);
    session->touched = true;
    session->last = (oak_event){.stop_point = -1,
                                .watch = -1}; /* why an earlier run has ended says nothing of this moment */
    session->noticed_count = 0;               /* what came of setting it all is nobody's mistake */
}

/* The parser does not tell what is no JSON from having no memory: these do. Each returns what is behind, NULL where it is wrong. */
static const char *blanks(const char *at, const char *end)
{
    while (at < end && (*at == ' ' || *at == '\t' || *at == '\r' || *at == '\n')) at++;
    return at;
}

static bool read_unit(const char *at, const char *end, uint32_t *unit)
{
    *unit = 0;
    for (unsigned i = 0; i < 4; i++) {
        if (at + i >= end || oak_hex_digit(at[i]) < 0) return false;
        *unit = *unit << 4 | (uint32_t)oak_hex_digit(at[i]);
    }
    return true;
}

static const char *json_text(const char *at, const char *end)
{
    for (at++; at < end && *at != '"'; at++) {
        uint32_t unit, second;
        if (*at != '\\') continue;
        if (++at == end) return NULL;
        if (*at == '"' || *at == '\\' || *at == '/' || *at == 'b' || *at == 'f' || *at == 'n' || *at == 'r' ||
            *at == 't')
            continue;
        if (*at != 'u' || !read_unit(at + 1, end, &unit) || (unit >= 0xDC00 && unit < 0xE000)) return NULL;
        at += 4;
        if (unit < 0xD800 || unit >= 0xDC00) continue;
        bool pair = end - at > 6 && at[1] == '\\' && at[2] == 'u' && read_unit(at + 3, end, &second) &&
                    second >= 0xDC00 && second < 0xE000;
        if (!pair) return NULL;
        at += 6;
    }
    return at < end ? at + 1 : NULL;
}

static const char *json_plain(const char *at, const char *end)
{
    static const char *const words[] = {"true", "false", "null"};
    for (unsigned i = 0; i < 3; i++)
        if ((size_t)(end - at) >= oak_length(words[i]) && memcmp(at, words[i], oak_length(words[i])) == 0)
            return at + oak_length(words[i]);
    if (at < end && *at == '-') at++;
    const char *digits = at;
    while (at < end && oak_is_digit(*at)) at++;
    if (at == digits) return NULL;
    if (at < end && *at == '.')
        for (at++; at < end && oak_is_digit(*at); at++) continue;
    if (at == end || (*at != 'e' && *at != 'E')) return at;
    if (++at < end && (*at == '-' || *at == '+')) at++;
    for (digits = at; at < end && oak_is_digit(*at); at++) continue;
    return at > digits ? at : NULL;
}

static const char *json_value(const char *at, const char *end, unsigned depth)
{
    enum { DEEPEST = 1000 };
    at = blanks(at, end);
    if (at == end) return NULL;
    if (*at == '"') return json_text(at, end);
    if (*at != '{' && *at != '[') return json_plain(at, end);
    bool named = *at == '{';
    char close = named ? '}' : ']';
    if (depth == DEEPEST) return NULL;
    const char *first = blanks(at + 1, end);
    if (first < end && *first == close) return first + 1;
    do {
        at = blanks(at + 1, end);
        if (named) {
            at = at < end && *at == '"' ? json_text(at, end) : NULL;
            if (at) at = blanks(at, end);
            if (!at || at == end || *at++ != ':') return NULL;
        }
        at = json_value(at, end, depth + 1);
        if (at) at = blanks(at, end);
        if (!at || at == end) return NULL;
    } while (*at == ',');
    return *at == close ? at + 1 : NULL;
}

oak_status oak_session_read_state(oak_session *session, const char *text, size_t size, const char *name,
                                  const oak_diag_sink *sink)
{
    if (!session || (!text && size) || !name || !sink) return OAK_MISUSE;
    const char *stopped = NULL;
    state_reader reader = {.session = session, .name = name, .sink = sink};
    cJSON *root = cJSON_ParseWithLengthOpts(text, size, &stopped, 0);
    if (!root && json_value(text, text + size, 0)) return OAK_NO_MEMORY;
    if (!root) {
        uint32_t line = 1, column = 1;
        for (const char *p = text; p < text + size && p < stopped; p++, column++)
            if (*p == '\n') line++, column = 0;
        oak_refuse(sink, "state-file", name, line, column, "State files are written by --state-out.",
                   "this is not valid JSON");
        return OAK_REFUSED;
    }
    take_document(&reader, root);
    cJSON_Delete(root);
    return reader.refused ? OAK_REFUSED : OAK_OK;
}
