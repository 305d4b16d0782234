/* session.c — run control: opening, stop points, running between changes of pins, what changed. */
#include "base/bytes.h"
#include "session/session_state.h"

/* ------------------------------------------------------------------------------------------ opening */

static uint64_t advance_outside(void *context, uint64_t now)
{
    return session_apply_drives(context, now);
}

void session_attach(oak_session *session)
{
    const oak_chip_ops *ops = session->chip.ops;
    session->attached = ops->attach && ops->attach(session->chip.chip, &session->outside) == OAK_OK;
}

oak_status oak_session_open(const oak_host *host, const oak_chip_port *chip, const oak_program *program,
                            oak_session **result)
{
    oak_session *session = host->resize(host->context, NULL, 0, sizeof *session);
    if (!session) return OAK_NO_MEMORY;
    memset(session, 0, sizeof *session);
    session->host = *host;
    oak_arena_open(&session->arena, &session->host);
    session->chip = *chip;
    session->part = chip->ops->part(chip->chip);
    session->isa = oak_isa_find(session->part->architecture->name);
    session->program = program;
    session->clock_millihertz = session->part->clock_millihertz;
    session->last.stop_point = -1;
    if (!session->isa || session->part->architecture->register_count >
                             sizeof session->before.registers / sizeof *session->before.registers) {
        oak_session_close(session);
        return OAK_UNSUPPORTED;
    }
    oak_status status = session->isa->open(&session->host, &session->tables);
    if (status) {
        oak_session_close(session);
        return status;
    }
    session->outside = (oak_outside){.context = session, .advance = advance_outside};
    session_attach(session);
    *result = session;
    return OAK_OK;
}

void oak_session_close(oak_session *session)
{
    if (!session) return;
    for (size_t i = 0; i < session->stop_count; i++)
        if (session->stops[i].point.enabled)
            session->chip.ops->set_stop(session->chip.chip, session->stops[i].point.address, false);
    if (session->attached) session->chip.ops->attach(session->chip.chip, NULL);
    oak_host host = session->host;
    oak_release(&host, session->stops, session->stop_room, sizeof *session->stops);
    oak_release(&host, session->drives, session->drive_room, sizeof *session->drives);
    if (session->before.bytes) host.resize(host.context, session->before.bytes, session->before.size, 0);
    if (session->tables) session->isa->close(&host, session->tables);
    oak_arena_close(&session->arena);
    host.resize(host.context, session, sizeof *session, 0);
}

const oak_part *oak_session_part(const oak_session *session)
{
    return session->part;
}

const oak_program *oak_session_program(const oak_session *session)
{
    return session->program;
}

oak_chip_port oak_session_chip(const oak_session *session)
{
    return session->chip;
}

uint64_t oak_session_clock(const oak_session *session)
{
    return session->clock_millihertz;
}

oak_status oak_session_set_clock(oak_session *session, uint64_t millihertz)
{
    if (!millihertz) return OAK_OUT_OF_RANGE;
    session->clock_millihertz = millihertz;
    session_attach(session);
    return OAK_OK;
}

const oak_event *oak_session_last_event(const oak_session *session)
{
    return &session->last;
}

/* ------------------------------------------------------------------------------------------ stop points */

oak_status oak_session_add_stop(oak_session *session, const char *place, const char *condition,
                                uint64_t every, const oak_diag_sink *sink, unsigned *number)
{
    stop_record record = {.point = {.every = every ? every : 1, .enabled = true}};
    oak_status status = oak_session_place(session, place, sink, &record.point.address);
    if (status) return status;
    if (condition) {
        record.point.condition = oak_arena_text(&session->arena, condition, oak_length(condition));
        if (!record.point.condition) return OAK_NO_MEMORY;
        record.condition = session_parse(session, record.point.condition, sink);
        if (!record.condition) return OAK_REFUSED;
        /* Worked out once here, so that a name that does not exist is refused now and not after an hour. */
        oak_reading ignored;
        status = session_evaluate(session, record.condition, condition, sink, &ignored);
        if (status) return status;
    }
    record.point.text = oak_arena_text(&session->arena, place, oak_length(place));
    stop_record *grown =
        oak_grow(&session->host, session->stops, &session->stop_room, session->stop_count + 1, sizeof *grown);
    if (!grown || !record.point.text) return OAK_NO_MEMORY;
    session->stops = grown;
    status = session->chip.ops->set_stop(session->chip.chip, record.point.address, true);
    if (status) {
        oak_refuse(sink, "no-stop", NULL, 0, 0, NULL, "no stop point can be set at `%s`: %s", place,
                   oak_status_text(status));
        return OAK_REFUSED;
    }
    if (number) *number = (unsigned)session->stop_count;
    grown[session->stop_count++] = record;
    return OAK_OK;
}

oak_status oak_session_enable_stop(oak_session *session, unsigned number, bool enabled)
{
    if (number >= session->stop_count) return OAK_NOT_FOUND;
    session->stops[number].point.enabled = enabled;
    bool wanted = false;
    uint32_t address = session->stops[number].point.address;
    for (size_t i = 0; i < session->stop_count; i++)
        wanted = wanted || (session->stops[i].point.enabled && session->stops[i].point.address == address);
    return session->chip.ops->set_stop(session->chip.chip, address, wanted);
}

const oak_stop_point *oak_session_stop_point(const oak_session *session, unsigned number)
{
    return number < session->stop_count ? &session->stops[number].point : NULL;
}

/* Which stop point holds at an address: its number, -1 when none does, -2 when a condition failed. Every one whose
 * condition holds counts. */
static int which_stop(oak_session *session, uint32_t address, const oak_diag_sink *sink)
{
    int found = -1;
    for (size_t i = 0; i < session->stop_count; i++) {
        stop_record *record = &session->stops[i];
        if (!record->point.enabled || record->point.address != address) continue;
        if (record->condition) {
            oak_reading reading;
            if (session_evaluate(session, record->condition, record->point.condition, sink, &reading))
                return -2;
            if (!reading.value) continue;
        }
        record->point.hits++;
        if (record->point.hits % record->point.every == 0 && found < 0) found = (int)i;
    }
    return found;
}

/* ------------------------------------------------------------------------------------------ what changed */

static size_t snapshot_size(const oak_session *session)
{
    size_t size = session->part->register_count * (size_t)4;
    for (unsigned i = 0; i < session->part->memory_count; i++)
        if (session->part->memories[i].writable) size += session->part->memories[i].size;
    return size;
}

static uint32_t special_value(oak_session *session, const oak_part_register *reg)
{
    uint8_t bytes[4] = {0};
    session->chip.ops->read_memory(session->chip.chip, reg->space, reg->address, bytes, reg->bits / 8u);
    return (uint32_t)bytes[0] | (uint32_t)bytes[1] << 8 | (uint32_t)bytes[2] << 16 | (uint32_t)bytes[3] << 24;
}

static oak_status take_snapshot(oak_session *session)
{
    snapshot *before = &session->before;
    if (!before->bytes) {
        size_t size = snapshot_size(session);
        before->bytes = session->host.resize(session->host.context, NULL, 0, size ? size : 1);
        if (!before->bytes) return OAK_NO_MEMORY;
        before->size = size ? size : 1;
    }
    for (unsigned i = 0; i < session->part->architecture->register_count; i++)
        session->chip.ops->read_register(session->chip.chip, i, &before->registers[i]);
    uint8_t *at = before->bytes;
    for (unsigned i = 0; i < session->part->register_count; i++, at += 4) {
        uint32_t value = special_value(session, &session->part->registers[i]);
        memcpy(at, &value, 4);
    }
    for (unsigned i = 0; i < session->part->memory_count; i++) {
        const oak_part_memory *memory = &session->part->memories[i];
        if (!memory->writable) continue;
        session->chip.ops->read_memory(session->chip.chip, memory->space, memory->base, at, memory->size);
        at += memory->size;
    }
    before->taken = true;
    return OAK_OK;
}

typedef struct change_list {
    oak_change *changes;
    size_t room, count;
} change_list;

static void note_change(change_list *list, unsigned space, uint32_t address, uint32_t before, uint32_t after)
{
    if (before == after) return;
    if (list->count < list->room)
        list->changes[list->count] = (oak_change){(uint8_t)space, address, before, after};
    list->count++;
}

oak_status oak_session_changes(oak_session *session, oak_change *changes, size_t room, size_t *count)
{
    change_list list = {changes, room, 0};
    *count = 0;
    if (!session->before.taken) return OAK_OK;
    for (unsigned i = 0; i < session->part->architecture->register_count; i++) {
        uint32_t value = 0;
        session->chip.ops->read_register(session->chip.chip, i, &value);
        note_change(&list, 0, i, session->before.registers[i], value);
    }
    const uint8_t *at = session->before.bytes;
    for (unsigned i = 0; i < session->part->register_count; i++, at += 4) {
        const oak_part_register *reg = &session->part->registers[i];
        uint32_t before;
        memcpy(&before, at, 4);
        note_change(&list, reg->space, reg->address, before, special_value(session, reg));
    }
    for (unsigned i = 0; i < session->part->memory_count; i++) {
        const oak_part_memory *memory = &session->part->memories[i];
        if (!memory->writable) continue;
        uint8_t now[256];
        for (uint32_t done = 0; done < memory->size;) {
            uint32_t part = memory->size - done < sizeof now ? memory->size - done : (uint32_t)sizeof now;
            oak_status status = session->chip.ops->read_memory(session->chip.chip, memory->space,
                                                               memory->base + done, now, part);
            if (status) return status;
            if (memcmp(now, at + done, part) != 0)
                for (uint32_t b = 0; b < part; b++)
                    note_change(&list, memory->space, memory->base + done + b, at[done + b], now[b]);
            done += part;
        }
        at += memory->size;
    }
    *count = list.count;
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ running */

oak_status oak_session_reset(oak_session *session)
{
    oak_status status = session->chip.ops->reset(session->chip.chip);
    for (size_t i = 0; i < session->stop_count; i++) session->stops[i].point.hits = 0;
    session->before.taken = false;
    session->last = (oak_event){.stop_point = -1};
    session_rewind_drives(session);
    session_attach(session);
    return status;
}

static uint64_t limit_from(uint64_t now, uint64_t budget)
{
    return budget && budget < UINT64_MAX - now ? now + budget : UINT64_MAX;
}

oak_status oak_session_run(oak_session *session, const oak_budget *budget, const oak_diag_sink *sink,
                           oak_event *event)
{
    oak_chip_time now;
    oak_status status = session->chip.ops->read_time(session->chip.chip, &now);
    if (!status) status = take_snapshot(session);
    if (status) return status;
    uint64_t last_cycle = limit_from(now.cycles, budget->cycles);
    uint64_t last_instruction = limit_from(now.instructions, budget->instructions);
    event->stop_point = -1;
    for (;;) {
        uint64_t change = session->attached ? UINT64_MAX : session_apply_drives(session, now.cycles);
        uint64_t until = change < last_cycle ? change : last_cycle;
        status = session->chip.ops->run(session->chip.chip, until, last_instruction, &event->stop);
        if (!status) status = session->chip.ops->read_time(session->chip.chip, &now);
        if (status) return status;
        /* Parked, but a pin that changes later may wake it. */
        if (event->stop.reason == OAK_STOP_PARKED && change < last_cycle && session->chip.ops->idle &&
            session->chip.ops->idle(session->chip.chip, change) == OAK_OK) {
            status = session->chip.ops->read_time(session->chip.chip, &now);
            if (status) return status;
            continue;
        }
        bool pin_changes = event->stop.reason == OAK_STOP_CYCLES && now.cycles < last_cycle;
        /* A run passes over a stop point where it begins; one that is reached just when a pin changes must not be lost. */
        if (event->stop.reason == OAK_STOP_POINT || pin_changes) {
            event->stop_point = which_stop(session, event->stop.pc, sink);
            if (event->stop_point == -2) return OAK_REFUSED;
            if (event->stop_point >= 0) {
                event->stop.reason = OAK_STOP_POINT;
                break;
            }
            if (now.cycles < last_cycle && now.instructions < last_instruction) continue;
            event->stop.reason = now.cycles >= last_cycle ? OAK_STOP_CYCLES : OAK_STOP_STEPS;
        }
        break;
    }
    session->last = *event;
    return OAK_OK;
}

oak_status oak_session_step(oak_session *session, oak_event *event)
{
    oak_budget one = {.instructions = 1};
    oak_status status = oak_session_run(session, &one, NULL, event);
    if (!status && event->stop.reason == OAK_STOP_STEPS) event->stop.reason = OAK_STOP_STEP;
    session->last = *event;
    return status;
}
