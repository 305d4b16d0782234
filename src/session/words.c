/* words.c — the words for stop reasons and faults. */
#include <oakspindle/session.h>

#include "base/text.h"

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
    }
    return "unknown";
}

const char *oak_fault_word(oak_fault fault)
{
    switch (fault) {
    case OAK_FAULT_NONE: return "none";
    case OAK_FAULT_RESERVED: return "reserved-opcode";
    case OAK_FAULT_UNPROGRAMMED: return "unprogrammed-code";
    case OAK_FAULT_OUTSIDE_CODE: return "outside-code";
    case OAK_FAULT_STACK_OVERFLOW: return "stack-overflow";
    case OAK_FAULT_STACK_UNDERFLOW: return "stack-underflow";
    case OAK_FAULT_ABSENT: return "absent-memory";
    }
    return "unknown";
}

void oak_fault_sentence(const oak_session *session, const oak_stop *stop, char *text, size_t room)
{
    const oak_part *part = oak_session_part(session);
    unsigned address = (unsigned)stop->fault_address;
    const oak_space_info *space = &part->architecture->spaces[stop->fault_space];
    switch (stop->fault) {
    case OAK_FAULT_RESERVED:
        oak_format(text, room, "the operation code at 0x%04x is reserved: no instruction has it", address);
        return;
    case OAK_FAULT_UNPROGRAMMED:
        oak_format(text, room, "the program runs into 0x%04x, which was never programmed", address);
        return;
    case OAK_FAULT_OUTSIDE_CODE:
        oak_format(text, room, "the program runs to 0x%04x, outside the code memory of %s", address,
                   part->name);
        return;
    case OAK_FAULT_STACK_OVERFLOW:
        oak_format(text, room, "the stack passes the end of the RAM of %s (stack pointer 0x%02x)", part->name,
                   address);
        return;
    case OAK_FAULT_STACK_UNDERFLOW:
        oak_format(text, room, "more is taken from the stack than was put there (stack pointer 0x%02x)",
                   address);
        return;
    case OAK_FAULT_ABSENT:
        oak_format(text, room, "%s has nothing at %s 0x%02x (%s)", part->name, space->name, address,
                   space->title);
        return;
    default: oak_format(text, room, "%s", oak_fault_word(stop->fault)); return;
    }
}
