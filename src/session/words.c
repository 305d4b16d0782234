/* words.c — the words for stop reasons and faults. */
#include <oakspindle/session.h>

#include "base/text.h"
#include "session/session_state.h"

void oak_notice_sentence(const oak_session *session, const oak_notice *notice, char *text, size_t room)
{
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
    case OAK_FAULT_READ_ONLY: return "read-only-memory";
    case OAK_FAULT_UNALIGNED: return "unaligned-access";
    case OAK_FAULT_UNWRITTEN: return "unwritten-memory";
    case OAK_FAULT_EVEN_JUMP: return "even-jump";
    case OAK_FAULT_DATA_RUN: return "data-executed";
    case OAK_FAULT_NO_HANDLER: return "no-handler";
    case OAK_FAULT_LOCKUP: return "lockup";
    case OAK_FAULT_DIVIDE: return "division-by-zero";
    case OAK_FAULT_BAD_RETURN: return "bad-exception-return";
    case OAK_FAULT_CONTENTION: return "contention";
    case OAK_FAULT_FRAMING: return "framing";
    case OAK_FAULT_OVERRUN: return "overrun";
    case OAK_FAULT_FLOATING: return "floating-read";
    case OAK_FAULT_READ_ONLY_REGISTER: return "read-only-register";
    case OAK_FAULT_STACK_DATA: return "stack-into-data";
    case OAK_FAULT_STARVED: return "starved";
    case OAK_FAULT_BREAKPOINT: return "breakpoint-instruction";
    case OAK_FAULT_WATCHDOG: return "watchdog";
    }
    return "unknown";
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

void oak_fault_sentence(const oak_session *session, const oak_stop *stop, char *text, size_t room)
{
    const oak_part *part = oak_session_part(session);
    unsigned address = (unsigned)stop->fault_address;
    char name[100];
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
    case OAK_FAULT_READ_ONLY:
        oak_format(text, room, "the program writes to 0x%08x, which keeps its contents", address);
        return;
    case OAK_FAULT_UNALIGNED:
        oak_format(text, room, "an access at 0x%08x, which is no multiple of its size", address);
        return;
    case OAK_FAULT_UNWRITTEN:
        oak_format(text, room, "the program reads 0x%08x, which nothing has written since reset", address);
        return;
    case OAK_FAULT_EVEN_JUMP:
        oak_format(
            text, room,
            "a jump to the even address 0x%08x: bit 0 of a code address must be 1 here (write label + 1)",
            address);
        return;
    case OAK_FAULT_DATA_RUN: oak_format(text, room, "the program runs into data at 0x%04x", address); return;
    case OAK_FAULT_NO_HANDLER: say_no_handler(part, address, text, room); return;
    case OAK_FAULT_LOCKUP:
        oak_format(text, room, "a fault while exception %u was handled: the core locks up", address);
        return;
    case OAK_FAULT_DIVIDE:
        oak_format(text, room, "a division by 0 at 0x%04x, and the program has asked for a trap", address);
        return;
    case OAK_FAULT_BAD_RETURN:
        oak_format(text, room, "a return from an exception with 0x%08x, which fits no state of the core",
                   address);
        return;
    case OAK_FAULT_BREAKPOINT: oak_format(text, room, "a breakpoint instruction at 0x%04x", address); return;
    case OAK_FAULT_WATCHDOG:
        oak_format(text, room, "the watchdog was not fed in time and resets the chip");
        return;
    case OAK_FAULT_CONTENTION:
        oak_format(text, room, "%s drive %s against each other",
                   stop->fault_space == OAK_NOTICE_OUTSIDE ? "two things outside" : "chip and outside",
                   name_pin(session, address, name, sizeof name));
        return;
    case OAK_FAULT_FLOATING:
        oak_format(text, room, "the program reads %s, which nothing drives",
                   name_pin(session, address, name, sizeof name));
        return;
    case OAK_FAULT_READ_ONLY_REGISTER: {
        const oak_part_register *reg = NULL;
        for (unsigned i = 0; i < part->register_count; i++)
            if (part->registers[i].address == address) reg = &part->registers[i];
        oak_format(text, room, "the program writes to the register %s, which can only be read",
                   reg ? reg->name : "?");
        return;
    }
    case OAK_FAULT_STACK_DATA: {
        const oak_program *program = oak_session_program(session);
        const oak_symbol *symbol = NULL, *found = NULL;
        for (unsigned i = 0; program && (symbol = oak_program_symbol(program, i)); i++)
            if (symbol->kind == OAK_SYMBOL_LABEL && symbol->space == stop->fault_space &&
                symbol->value == (int64_t)address)
                found = symbol;
        oak_format(text, room, "the stack grows into data of the program: %s[0x%02x]%s%s", space->name,
                   address, found ? ", " : "", found ? found->name : "");
        return;
    }
    case OAK_FAULT_STARVED:
        oak_format(text, room, "interrupts leave the main program %u.%u %% of the time", address / 10,
                   address % 10);
        return;
    case OAK_FAULT_FRAMING:
        oak_format(text, room, "a byte (0x%02x) arrived at the serial port without its stop bit", address);
        return;
    case OAK_FAULT_OVERRUN:
        oak_format(text, room,
                   "a byte (0x%02x) arrived at the serial port before the last one was taken: it is lost",
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
