/* alone.c — a routine alone: a call of it is put where code memory is free, and run until it has come back. */
#include <oakspindle/print.h>

#include "asm/program.h"
#include "base/bytes.h"
#include "base/diag.h"
#include "session/alone.h"
#include "session/session_state.h"

enum { ROOM = 16 }; /* units of code that a call has at the most */

/* Where so much code memory is free, from the end on, ROM first. */
static bool find_room(const oak_session *session, unsigned unit, uint32_t *free)
{
    const oak_part *part = session->part;
    for (unsigned n = 0; n < 2 * part->memory_count; n++) {
        const oak_part_memory *memory = &part->memories[n % part->memory_count];
        if (memory->space != part->architecture->code_space || memory->size < ROOM ||
            memory->writable != (n >= part->memory_count))
            continue;
        for (uint32_t at = (memory->base + memory->size - ROOM) & ~(uint32_t)3; at >= memory->base + ROOM;
             at -= 4) {
            bool found = true;
            uint8_t byte;
            for (uint32_t b = 0; b < ROOM * unit && found; b++)
                found = !oak_image_byte(oak_program_image(session->program), at * unit + b, &byte);
            *free = at;
            if (found) return true;
        }
    }
    return false;
}

/* What a call of the routine is, and where it may lie. */
static oak_status make_call(oak_session *session, uint32_t target, made_call *made)
{
    const oak_isa *isa = session->isa;
    unsigned unit = oak_unit_bytes(&isa->about, isa->about.code_space);
    char source[200];
    oak_program *one;
    if (!session->program || !isa->call_mnemonic || ROOM * unit > sizeof made->bytes) return OAK_UNSUPPORTED;
    if (!find_room(session, unit, &made->from)) return OAK_NOT_FOUND;
    oak_format(source, sizeof source, " org 0x%x\n %s 0x%x\n", (unsigned)made->from, isa->call_mnemonic,
               (unsigned)target);
    oak_status status = oak_assemble_text(&session->host, session->part, "call", source, oak_length(source),
                                          &oak_silent, &one);
    if (status) return status == OAK_NO_MEMORY ? status : OAK_OUT_OF_RANGE;
    made->size =
        (uint32_t)oak_image_known(oak_program_image(one), made->from * unit, made->bytes, sizeof made->bytes);
    made->back = made->from + made->size / unit;
    made->target = target;
    oak_program_free(one);
    return OAK_OK;
}

oak_status session_put_call(oak_session *session, uint32_t target, session_call *call)
{
    made_call *made = &session->called; /* the last one: a routine is called again and again */
    const oak_chip_ops *ops = session->chip.ops;
    unsigned space = session->part->architecture->code_space;
    oak_status status = made->size && made->target == target ? OAK_OK : make_call(session, target, made);
    *call = (session_call){.from = made->from, .back = made->back, .size = made->size};
    if (status) {
        made->size = 0;
        return status;
    }
    status = ops->read_memory(session->chip.chip, space, call->from, call->before, call->size);
    return status ? status
                  : ops->write_memory(session->chip.chip, space, call->from, made->bytes, made->size);
}

oak_status oak_session_call(oak_session *session, const char *routine, const oak_budget *budget,
                            const oak_diag_sink *sink, oak_event *event)
{
    if (!session || !routine || !budget || !sink || !event) return OAK_MISUSE;
    const oak_chip_ops *ops = session->chip.ops;
    unsigned pc_register = session->part->architecture->pc_register,
             space = session->part->architecture->code_space;
    session_call call;
    uint32_t target, pc = 0;
    oak_status status = oak_session_place(session, routine, sink, &target);
    if (!status) status = ops->read_register(session->chip.chip, pc_register, &pc);
    if (status) return session_outcome(session, status);
    status = session_put_call(session, target, &call);
    if (status) {
        if (sink->report)
            oak_refuse(sink, "call", routine, 0, 0, NULL, "%s",
                       status == OAK_NOT_FOUND ? "there is no free code memory for a call of this"
                                               : "this cannot be called");
        return session_outcome(session, status);
    }
    status = ops->write_register(session->chip.chip, pc_register, call.from);
    oak_session_touch(session);
    if (!status) status = session_run_to_address(session, call.back, budget, sink, event);
    bool returned = !status && event->stop.reason == OAK_STOP_STEP && event->stop.pc == call.back;
    /* As it was, but for what the routine has done; where it did not come back, it stands where it is. */
    oak_status restored = ops->write_memory(session->chip.chip, space, call.from, call.before, call.size);
    if (returned && !restored) restored = ops->write_register(session->chip.chip, pc_register, pc);
    oak_session_touch(session);
    return session_outcome(session, status     ? status
                                    : restored ? restored
                                    : returned ? OAK_OK
                                               : OAK_INTERRUPTED);
}

int oak_session_register(const oak_session *session, const char *name)
{
    if (!session || !name) return -1;
    const oak_architecture *about = session->part->architecture;
    for (unsigned i = 0; i < about->register_count; i++)
        if (oak_same_name(name, oak_length(name), about->registers[i].name)) return (int)i;
    return -1;
}

oak_status oak_session_address(oak_session *session, const char *what, const oak_diag_sink *sink,
                               unsigned *space, uint32_t *address, uint32_t *size)
{
    if (!session || !what || !sink || !space || !address || !size) return OAK_MISUSE;
    oak_watched where;
    oak_status status = session_locate(session, what, sink, false, &where);
    if (status) return session_outcome(session, status);
    *space = where.space, *address = where.address, *size = where.size;
    return session_outcome(session, OAK_OK);
}

oak_status oak_session_take_output(oak_session *session, unsigned port, uint8_t *bytes, size_t room,
                                   size_t *count)
{
    if (!session || !count || (!bytes && room)) return OAK_MISUSE;
    *count = 0;
    if (!session->chip.ops->take_output) return OAK_UNSUPPORTED;
    return session_outcome(session,
                           session->chip.ops->take_output(session->chip.chip, port, bytes, room, count));
}
