/* words.c — the words for stop reasons and faults. */
#include <oakspindle/session.h>

#include "base/text.h"
#include "session/session_state.h"

void oak_notice_sentence(const oak_session *session, const oak_notice *notice, char *text, size_t room)
{
    if (!session || !notice || !text) return;
    oak_stop stop = {.reason = OAK_STOP_FAULT,
                     .pc = notice->pc,
                     .fault = notice->fault,
                     .fault_space = notice->space,
                     .fault_address = notice->address};
    oak_fault_sentence(session, &stop, text, room);
}

const char *oak_stop_word(oak_stop_reason reason)
{
    switch (reason) {
    case OAK_STOP_NONE: return "none";
    case OAK_STOP_STEP: return "step";
    case OAK_STOP_POINT: return "stop-point";
    case OAK_STOP_CYCLES: return "cycles";
    case OAK_STOP_STEPS: return "steps";
    case OAK_STOP_PARKED: return "parked";
    case OAK_STOP_FAULT: return "fault";
    case OAK_STOP_USER: return "user";
    case OAK_STOP_WATCH: return "watch";
    }
    return "unknown";
}

static const struct {
    const char *word, *sentence;
} faults[] = {
    [OAK_FAULT_NONE] = {"none", ""},
#define FAULT(name, word, sentence)                  [OAK_FAULT_##name] = {word, sentence},
#define NOTICE(name, word, usual, sentence, meaning) [OAK_FAULT_##name] = {word, sentence},
#include "session/faults.def"
};

const char *oak_fault_word(oak_fault fault)
{
    bool known = (unsigned)fault < sizeof faults / sizeof *faults && faults[fault].word;
    return known ? faults[fault].word : "unknown";
}

/* The vector of an exception: by its number, where there is a table of addresses, else by its address. */
static void say_no_handler(const oak_part *part, unsigned number, char *text, size_t room)
{
    const char *name = NULL;
    unsigned bytes = part->architecture->vector_bytes;
    for (unsigned i = 0; i < part->vector_count; i++)
        if (part->vectors[i].address == (bytes ? bytes * number : number)) name = part->vectors[i].name;
    if (!bytes)
        oak_format(text, room, "the interrupt %s has no handler at 0x%04x: write `vector %s, handler`",
                   name ? name : "", number, name ? name : "NAME");
    else if (name)
        oak_format(text, room, "exception %u (%s) has no handler: write `vector %s, handler`", number, name,
                   name);
    else oak_format(text, room, "exception %u has no handler", number);
}

/* "p1.3", with the name the program gives it: "door (p3.0)". */
static const char *name_pin(const oak_session *session, uint32_t pin, char *text, size_t room)
{
    const oak_part *part = oak_session_part(session);
    const char *name = oak_session_pin_name(session, pin),
               *port = part->ports[pin / OAK_MOST_PINS % part->port_count].name;
    if (name) oak_format(text, room, "%s (%s.%u)", name, port, (unsigned)(pin % OAK_MOST_PINS));
    else oak_format(text, room, "%s.%u", port, (unsigned)(pin % OAK_MOST_PINS));
    return text;
}

static const char *name_register(const oak_part *part, const oak_stop *stop)
{
    for (unsigned i = 0; i < part->register_count; i++)
        if (part->registers[i].address == stop->fault_address) return part->registers[i].name;
    return "?";
}

/* ", counts" for what the program keeps there. */
static void name_symbol(const oak_session *session, const oak_stop *stop, char *text, size_t room)
{
    const oak_program *program = oak_session_program(session);
    const oak_symbol *symbol;
    for (unsigned i = 0; program && (symbol = oak_program_symbol(program, i)); i++)
        if (symbol->kind == OAK_SYMBOL_LABEL && symbol->space == stop->fault_space &&
            symbol->value == (int64_t)stop->fault_address)
            oak_format(text, room, ", %s", symbol->name);
}

/* What stands in a sentence for the word in braces. */
static void fill_in(const oak_session *session, const oak_stop *stop, const char *word, size_t length,
                    char *text, size_t room)
{
    const oak_part *part = oak_session_part(session);
    unsigned number = stop->fault_space < part->architecture->space_count ? stop->fault_space : 0u;
    const oak_space_info *space = &part->architecture->spaces[number];
    unsigned address = (unsigned)stop->fault_address;
    text[0] = 0;
    if (length == 1 && oak_is_digit(*word)) oak_format(text, room, "0x%0*x", *word - '0', address);
    else if (oak_same_name(word, length, "u")) oak_format(text, room, "%u", address);
    else if (oak_same_name(word, length, "tenths"))
        oak_format(text, room, "%u.%u", address / 10, address % 10);
    else if (oak_same_name(word, length, "part")) oak_format(text, room, "%s", part->name);
    else if (oak_same_name(word, length, "space")) oak_format(text, room, "%s", space->name);
    else if (oak_same_name(word, length, "title")) oak_format(text, room, "%s", space->title);
    else if (oak_same_name(word, length, "pin")) name_pin(session, address, text, room);
    else if (oak_same_name(word, length, "register")) oak_format(text, room, "%s", name_register(part, stop));
    else if (oak_same_name(word, length, "symbol")) name_symbol(session, stop, text, room);
    else if (oak_same_name(word, length, "vector")) say_no_handler(part, address, text, room);
    else if (oak_same_name(word, length, "sides"))
        oak_format(text, room, "%s",
                   stop->fault_space == OAK_NOTICE_OUTSIDE ? "two things outside" : "chip and outside");
}

void oak_fault_sentence(const oak_session *session, const oak_stop *stop, char *text, size_t room)
{
    if (!session || !stop || !text) return;
    bool known = (unsigned)stop->fault < sizeof faults / sizeof *faults && faults[stop->fault].sentence;
    size_t size = 0;
    text[0] = 0;
    for (const char *p = known ? faults[stop->fault].sentence : "unknown"; *p && size + 1 < room; p++) {
        if (*p != '{') {
            text[size++] = *p;
            text[size] = 0;
            continue;
        }
        size_t length = 0;
        while (p[1 + length] != '}') length++;
        fill_in(session, stop, p + 1, length, text + size, room - size);
        size += oak_length(text + size);
        p += 1 + length;
    }
}
