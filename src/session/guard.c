/* guard.c — the chip port of a session with an eye on it: where the port cannot be read or written, the call that has asked says so in the end,
 * however deep in it that was. Real chips at a line fail so. */
#include "session/session_state.h"

static oak_status note(oak_session *session, oak_status status)
{
    if (status == OAK_IO_ERROR) session->broken = true;
    return status;
}

#define PORT(session) ((session)->port)
#define GUARD(name, parameters, ...)                                                                         \
    static oak_status guard_##name parameters                                                                \
    {                                                                                                        \
        oak_session *session = chip;                                                                         \
        return note(session, PORT(session).ops->name(PORT(session).chip, __VA_ARGS__));                      \
    }

static const oak_part *guard_part(void *chip)
{
    return PORT((oak_session *)chip).ops->part(PORT((oak_session *)chip).chip);
}

static unsigned guard_touches(void *chip, oak_watched *list, unsigned room)
{
    return PORT((oak_session *)chip).ops->touches(PORT((oak_session *)chip).chip, list, room);
}

static void guard_halt(void *chip)
{
    PORT((oak_session *)chip).ops->halt(PORT((oak_session *)chip).chip);
}

static oak_status guard_reset(void *chip)
{
    oak_session *session = chip;
    return note(session, PORT(session).ops->reset(PORT(session).chip));
}

GUARD(run, (void *chip, uint64_t cycle, uint64_t instruction, oak_stop *stop), cycle, instruction, stop)
GUARD(read_register, (void *chip, unsigned reg, uint32_t *value), reg, value)
GUARD(write_register, (void *chip, unsigned reg, uint32_t value), reg, value)
GUARD(read_memory, (void *chip, unsigned space, uint32_t at, uint8_t *bytes, size_t count), space, at, bytes,
      count)
GUARD(write_memory, (void *chip, unsigned space, uint32_t at, const uint8_t *bytes, size_t count), space, at,
      bytes, count)
GUARD(read_pin, (void *chip, unsigned pin, oak_pin *state), pin, state)
GUARD(drive_pin, (void *chip, unsigned pin, oak_level level), pin, level)
GUARD(set_stop, (void *chip, uint32_t address, bool on), address, on)
GUARD(read_time, (void *chip, oak_chip_time *time), time)
GUARD(write_time, (void *chip, const oak_chip_time *time), time)
GUARD(idle, (void *chip, uint64_t until), until)
GUARD(visit_state, (void *chip, const oak_state_visitor *visitor), visitor)
GUARD(take_output, (void *chip, unsigned line, uint8_t *bytes, size_t room, size_t *count), line, bytes, room,
      count)
GUARD(attach, (void *chip, const oak_outside *outside), outside)
GUARD(served, (void *chip, uint32_t *vector), vector)
GUARD(tape, (void *chip, oak_tape *tape), tape)
GUARD(watch, (void *chip, const oak_watched *cells, unsigned count), cells, count)
GUARD(judge, (void *chip, const oak_judge *judge), judge)
GUARD(external, (void *chip, unsigned space, const oak_external *ranges, unsigned count), space, ranges,
      count)
GUARD(mark_object, (void *chip, unsigned space, uint32_t at, uint32_t size), space, at, size)
GUARD(sent_at, (void *chip, unsigned line, uint64_t *cycles, size_t room, size_t *count), line, cycles, room,
      count)
GUARD(service, (void *chip, unsigned index, oak_service *service), index, service)
GUARD(count, (void *chip, bool on), on)
GUARD(counted, (void *chip, uint32_t at, oak_tally *tally), at, tally)

void session_guard(oak_session *session, const oak_chip_port *port)
{
    session->port = *port;
    session->guarded = *port->ops;
#define PUT(name)                                                                                            \
    if (port->ops->name) session->guarded.name = guard_##name;
    PUT(part)
    PUT(reset)
    PUT(run)
    PUT(read_register)
    PUT(write_register)
    PUT(read_memory)
    PUT(write_memory)
    PUT(read_pin)
    PUT(drive_pin)
    PUT(halt)
    PUT(set_stop)
    PUT(read_time)
    PUT(write_time)
    PUT(idle)
    PUT(visit_state)
    PUT(take_output)
    PUT(attach)
    PUT(served)
    PUT(tape)
    PUT(watch)
    PUT(judge)
    PUT(touches)
    PUT(external)
    PUT(mark_object)
    PUT(sent_at)
    PUT(service) PUT(count) PUT(counted) session->chip = (oak_chip_port){session, &session->guarded};
}

oak_status session_outcome(oak_session *session, oak_status status)
{
    bool broken = session->broken;
    session->broken = false;
    return broken ? OAK_IO_ERROR : status;
}
