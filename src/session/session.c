/* session.c — run control: opening, stop points, running between changes of pins, what changed. */
#include "asm/program.h"
#include "base/bytes.h"
#include "session/session_state.h"

/* ------------------------------------------------------------------------------------------ opening */

/* Tells the chip where objects of the program begin, so that it can see the stack grow into them. */
static oak_status mark_objects(oak_session *session)
{
    const oak_symbol *symbol;
    if (!session->program || !session->chip.ops->mark_object) return OAK_OK;
    for (unsigned i = 0; (symbol = oak_program_symbol(session->program, i)); i++) {
        if (symbol->kind != OAK_SYMBOL_LABEL || !symbol->space) continue;
        if (session->chip.ops->mark_object(session->chip.chip, symbol->space, (uint32_t)symbol->value,
                                           symbol->size) == OAK_NO_MEMORY)
            return OAK_NO_MEMORY;
    }
    return OAK_OK;
}

oak_status oak_session_open(const oak_host *host, const oak_chip_port *chip, const oak_program *program,
                            oak_session **result)
{
    if (!host || !chip || !result) return OAK_MISUSE;
    oak_session *session = host->resize(host->context, NULL, 0, sizeof *session);
    if (!session) return OAK_NO_MEMORY;
    memset(session, 0, sizeof *session);
    session->host = *host;
    oak_arena_open(&session->arena, &session->host);
    session_guard(session, chip);
    session->part = chip->ops->part(chip->chip);
    session->isa = oak_isa_find(session->part->architecture->name);
    session->program = program;
    session->clock_millihertz = session->part->clock_millihertz;
    session->seed = 1;
    session->last.stop_point = -1;
    session->passed = UINT64_MAX;
    if (!session->isa || session->part->architecture->register_count >
                             sizeof session->before.registers / sizeof *session->before.registers) {
        oak_session_close(session);
        return OAK_UNSUPPORTED;
    }
    bool has = program && program->tables && program->part->architecture == session->part->architecture;
    session->borrowed = has;
    if (has) session->tables = program->tables;
    oak_status status = has ? OAK_OK : session->isa->open(&session->host, &session->tables);
    if (status) {
        oak_session_close(session);
        return status;
    }
    session_usual_levels(session);
    session_open_outside(session);
    status = mark_objects(session);
    if (status) oak_session_close(session);
    else *result = session;
    return status;
}

void oak_session_close(oak_session *session)
{
    if (!session) return;
    for (size_t i = 0; i < session->stop_count; i++)
        if (session->stops[i].point.enabled)
            session->chip.ops->set_stop(session->chip.chip, session->stops[i].point.address, false);
    if (session->attached) session->chip.ops->attach(session->chip.chip, NULL);
    oak_host host = session->host;
    session_close_names(session);
    oak_release(&host, session->stops, session->stop_room, sizeof *session->stops);
    oak_release(&host, session->drives, session->drive_room, sizeof *session->drives);
    oak_release(&host, session->laps, session->lap_room, sizeof *session->laps);
    oak_release(&host, session->sampled, session->sampled_room, sizeof *session->sampled);
    oak_release(&host, session->judge_space, session->judge_space != NULL, sizeof *session->judge_space);
    oak_trace_free(session->trace);

    session_close_history(session);
    oak_release(&host, session->watches, session->watch_room, sizeof *session->watches);
    oak_release(&host, session->entries, session->entry_room, sizeof *session->entries);
    oak_release(&host, session->labels, session->label_room, sizeof *session->labels);
    oak_release(&host, session->joined, session->joined_room, sizeof *session->joined);
    oak_release(&host, session->puts, session->put_room, sizeof *session->puts);
    if (session->before.bytes) host.resize(host.context, session->before.bytes, session->before.size, 0);
    if (session->tables && !session->borrowed) session->isa->close(&host, session->tables);
    oak_arena_close(&session->arena);
    host.resize(host.context, session, sizeof *session, 0);
}

const oak_part *oak_session_part(const oak_session *session)
{
    if (!session) return NULL;
    return session->part;
}

const oak_program *oak_session_program(const oak_session *session)
{
    if (!session) return NULL;
    return session->program;
}

oak_chip_port oak_session_chip(const oak_session *session)
{
    if (!session) return (oak_chip_port){0};
    return session->port;
}

uint64_t oak_session_clock(const oak_session *session)
{
    if (!session) return 0;
    return session->clock_millihertz;
}

oak_status oak_session_set_clock(oak_session *session, uint64_t millihertz)
{
    if (!session) return OAK_MISUSE;
    if (!millihertz) return OAK_OUT_OF_RANGE;
    session->clock_millihertz = millihertz;
    session_attach(session);
    return OAK_OK;
}

const oak_event *oak_session_last_event(const oak_session *session)
{
    if (!session) return NULL;
    return &session->last;
}

/* ------------------------------------------------------------------------------------------ stop points */

static unsigned filter_of(uint32_t address)
{
    return (address * 2654435761u) >> 16; /* 16 bits */
}

/* Stop points are counted without the places that are only passed. */
static unsigned stop_points_before(const oak_session *session, size_t index)
{
    unsigned count = 0;
    for (size_t i = 0; i < index; i++) count += session->stops[i].passing == PASS_STOPS;
    return count;
}

static stop_record *stop_record_at(const oak_session *session, unsigned number)
{
    for (size_t i = 0; i < session->stop_count; i++)
        if (!session->stops[i].passing && !number--) return &session->stops[i];
    return NULL;
}

oak_status oak_session_add_stop(oak_session *session, const char *place, const char *condition,
                                uint64_t every, const oak_diag_sink *sink, unsigned *number)
{
    if (!session || !place || !sink) return OAK_MISUSE;
    stop_record record = {.point = {.every = every ? every : 1, .enabled = true}};
    oak_status status = session_reached_place(session, place, sink, &record.point.address);
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
    if (number) *number = stop_points_before(session, session->stop_count);
    grown[session->stop_count++] = record;
    session->stop_filter[filter_of(record.point.address) >> 3] |=
        (uint8_t)(1u << (filter_of(record.point.address) & 7));
    return OAK_OK;
}

oak_status session_add_passing(oak_session *session, const char *place, passing kind, unsigned number,
                               const oak_diag_sink *sink)
{
    oak_status status = oak_session_add_stop(session, place, NULL, 1, sink, NULL);
    if (status) return status;
    session->stops[session->stop_count - 1].passing = kind;
    session->stops[session->stop_count - 1].number = number;
    return OAK_OK;
}

static void set_filter(oak_session *session, uint32_t address)
{
    session->stop_filter[filter_of(address) >> 3] |= (uint8_t)(1u << (filter_of(address) & 7));
}

oak_status session_add_aimed(oak_session *session, passing kind, unsigned number)
{
    stop_record *grown =
        oak_grow(&session->host, session->stops, &session->stop_room, session->stop_count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    session->stops = grown;
    grown[session->stop_count++] =
        (stop_record){.point = {.every = 1, .text = "", .enabled = false}, .passing = kind, .number = number};
    return OAK_OK;
}

void session_aim(oak_session *session, size_t stop, uint32_t address, bool on)
{
    oak_stop_point *point = &session->stops[stop].point;
    point->address = address;
    point->enabled = on;
    if (on) set_filter(session, address);
    if (on || !session_stops_at(session, address))
        session->chip.ops->set_stop(session->chip.chip, address, on);
}

void session_drop_passing(oak_session *session)
{
    uint32_t address = session->stops[--session->stop_count].point.address;
    if (!session_stops_at(session, address)) session->chip.ops->set_stop(session->chip.chip, address, false);
}

oak_status oak_session_enable_stop(oak_session *session, unsigned number, bool enabled)
{
    if (!session) return OAK_MISUSE;
    stop_record *record = stop_record_at(session, number);
    if (!record || record->point.removed) return OAK_NOT_FOUND;
    record->point.enabled = enabled;
    bool wanted = false;
    uint32_t address = record->point.address;
    for (size_t i = 0; i < session->stop_count; i++)
        wanted = wanted || (session->stops[i].point.enabled && session->stops[i].point.address == address);
    return session->chip.ops->set_stop(session->chip.chip, address, wanted);
}

oak_status oak_session_remove_stop(oak_session *session, unsigned number)
{
    if (!session) return OAK_MISUSE;
    oak_status status = oak_session_enable_stop(session, number, false);
    if (!status) stop_record_at(session, number)->point.removed = true;
    return status;
}

oak_status oak_session_stop_once(oak_session *session, unsigned number)
{
    if (!session) return OAK_MISUSE;
    stop_record *record = stop_record_at(session, number);
    if (!record || record->point.removed) return OAK_NOT_FOUND;
    record->point.once = true;
    return OAK_OK;
}

const oak_stop_point *oak_session_stop_point(const oak_session *session, unsigned number)
{
    if (!session) return NULL;
    const stop_record *record = stop_record_at(session, number);
    return record ? &record->point : NULL;
}

oak_status oak_session_add_action(oak_session *session, const char *place,
                                  void (*reached)(void *context, unsigned number), void *context,
                                  unsigned number, const oak_diag_sink *sink)
{
    if (!session || !place || !reached || !sink) return OAK_MISUSE;
    oak_status status = session_add_passing(session, place, PASS_ACTION, number, sink);
    if (status) return status;
    session->stops[session->stop_count - 1].reached = reached;
    session->stops[session->stop_count - 1].context = context;
    return OAK_OK;
}

/* Which stop point holds at an address: its number, -1 when none does, -2 when a condition failed. Every one whose condition holds
 * counts, once for each arrival, however the run goes on from there. Places that are only passed are passed, once an instruction. A
 * run begins at a place and does not arrive there: `begins`. */
enum { STOPS_ONCE = -3 };

static int which_stop(oak_session *session, uint32_t address, uint64_t instruction, bool begins,
                      const oak_diag_sink *sink)
{
    int found = -1;
    bool been = session->passed == instruction && session->passed_at == address;
    bool any = session->stop_filter[filter_of(address) >> 3] >> (filter_of(address) & 7) & 1;
    for (size_t i = 0; any && i < session->stop_count; i++) {
        stop_record *record = &session->stops[i];
        if (!record->point.enabled || record->point.address != address) continue;
        if (record->passing) {
            if (!been) session_pass(session, record);
            continue;
        }
        if (begins) continue;
        if (record->condition) {
            oak_reading reading;
            if (session_evaluate(session, record->condition, record->point.condition, sink, &reading))
                return -2;
            if (!reading.value) continue;
        }
        record->point.hits += !been;
        session->stops_hit = true;
        if (record->point.hits % record->point.every == 0 && found < 0)
            found = (int)stop_points_before(session, i);
    }
    session->passed = instruction;
    session->passed_at = address;
    const passing_stop *once = &session->once;
    if (found < 0 && once->on && once->address == address &&
        (!once->by_stack || !session_is_deeper(session, session_stack_pointer(session), once->stack)))
        return STOPS_ONCE;
    return found;
}

oak_chip_time session_time(const oak_session *session)
{
    oak_chip_time time = {0};
    session->chip.ops->read_time(session->chip.chip, &time);
    return time;
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
    session->chip.ops->read_memory(session->chip.chip, reg->space, reg->address, bytes,
                                   (reg->bits + 7u) / 8u);
    return (uint32_t)oak_number_at(session->part->architecture, reg->space, bytes, (reg->bits + 7u) / 8u);
}

oak_status session_take_snapshot(oak_session *session)
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

oak_status session_note_before(oak_session *session)
{
    return session->tracks ? session_take_snapshot(session) : OAK_OK;
}

void oak_session_track_changes(oak_session *session, bool on)
{
    if (!session) return;
    session->tracks = on;
    if (!on) session->before.taken = false;
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

static oak_status list_changes(oak_session *session, oak_change *changes, size_t room, size_t *count)
{
    change_list list = {changes, room, 0};
    *count = 0;
    if (!session->before.taken) return session->tracks ? OAK_OK : OAK_UNSUPPORTED;
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

oak_status oak_session_changes(oak_session *session, oak_change *changes, size_t room, size_t *count)
{
    if (!session || (!changes && room) || !count) return OAK_MISUSE;
    return session_outcome(session, list_changes(session, changes, room, count));
}

/* ------------------------------------------------------------------------------------------ running */

static oak_status reset_all(oak_session *session)
{
    oak_status status = session->chip.ops->reset(session->chip.chip);
    for (size_t i = 0; i < session->stop_count; i++) session->stops[i].point.hits = 0;
    session->before.taken = session->lost = false;
    session->last = (oak_event){.stop_point = -1};
    session->noticed_count = 0;
    session_rewind_drives(session);
    session_rewind_outside(session);
    session_rewind_records(session);
    session_attach(session);
    session_forget_history(session);
    session->touched = true;
    for (size_t i = 0; i < session->watch_count; i++) session->watches[i].about.hits = 0;
    session_forget_values(session);
    return status;
}

oak_status oak_session_reset(oak_session *session)
{
    if (!session) return OAK_MISUSE;
    return session_outcome(session, reset_all(session));
}

static uint64_t limit_from(uint64_t now, uint64_t budget)
{
    return budget && budget < UINT64_MAX - now ? now + budget : UINT64_MAX;
}

uint32_t session_pc(const oak_session *session)
{
    uint32_t value = 0;
    session->chip.ops->read_register(session->chip.chip, session->part->architecture->pc_register, &value);
    return value;
}

void oak_session_fail(oak_session *session)
{
    if (!session) return;
    session->lost = true;
}

static oak_status run_until_it_stops(oak_session *session, const oak_budget *budget,
                                     const oak_diag_sink *sink, oak_event *event)
{
    oak_chip_time now;
    oak_status status = session->chip.ops->read_time(session->chip.chip, &now);
    if (!status && !session->keeps_before) status = session_note_before(session);
    if (status) return status;
    session->has_run = true;
    uint64_t last_cycle = limit_from(now.cycles, budget->cycles);
    uint64_t last_instruction = limit_from(now.instructions, budget->instructions);
    event->stop_point = event->watch = -1;
    which_stop(session, session_pc(session), now.instructions, true, sink);
    session_sample(session);
    session_look_at_watches(session, 0);
    uint64_t kept = session_keep_moment(session);
    /* Where each instruction is looked at, a breath would last too long. */
    uint64_t every = session->samples || session->watching ? budget->breath / 32 + 1 : budget->breath;
    uint64_t breath = budget->breathe && budget->breath ? limit_from(now.cycles, every) : UINT64_MAX;
    for (;;) {
        uint64_t change = session->attached ? UINT64_MAX : session_apply_drives(session, now.cycles);
        uint64_t until = change < last_cycle ? change : last_cycle;
        bool singly = session->samples || session->watching;
        uint64_t instruction = singly ? now.instructions + 1 : last_instruction;
        if (breath < until) until = breath;
        if (kept < until) until = kept;
        status = session->chip.ops->run(session->chip.chip, until, instruction, &event->stop);
        session_take_kept(session);

        if (!status) status = session->chip.ops->read_time(session->chip.chip, &now);
        if (!status && session->lost) status = OAK_NO_MEMORY;
        if (status) return status;
        session_sample(session);
        /* What is at this place counts, whatever ends the run here or does not; and before a copy is taken of it. */
        int found = which_stop(session, event->stop.pc, now.instructions, false, sink);
        bool watched = event->stop.reason == OAK_STOP_WATCH; /* written; perhaps nothing has come of it */
        bool halted =
            event->stop.reason == OAK_STOP_USER && session->halted; /* a pin has changed that matters */
        session->halted = false;
        session->entered = watched && (event->stop.watched & session->handler_bit);
        if ((session->watching || watched || halted) && event->stop.reason != OAK_STOP_FAULT &&
            (event->watch = session_look_at_watches(session, watched ? event->stop.watched : 0)) >= 0) {
            event->stop.reason = OAK_STOP_WATCH;
            break;
        }
        if (watched) session_met_nothing(session, now.instructions);
        if (now.cycles >= kept) kept = session_keep_moment(session);
        /* Parked, but a pin that changes later may wake it. */
        if (event->stop.reason == OAK_STOP_PARKED && change < last_cycle && session->chip.ops->idle &&
            session->chip.ops->idle(session->chip.chip, change) == OAK_OK) {
            status = session->chip.ops->read_time(session->chip.chip, &now);
            if (status) return status;
            continue;
        }
        bool goes_on = watched || halted ||
                       (event->stop.reason == OAK_STOP_CYCLES && now.cycles < last_cycle) ||
                       (event->stop.reason == OAK_STOP_STEPS && now.instructions < last_instruction);
        /* A run passes over a stop point where it begins; one that is reached just when a pin changes must not be lost. */
        if (event->stop.reason == OAK_STOP_POINT || goes_on) {
            event->stop_point = found;
            if (event->stop_point == STOPS_ONCE) {
                event->stop_point = -1;
                event->stop.reason = OAK_STOP_STEP;
                break;
            }
            if (event->stop_point == -2) return OAK_REFUSED;
            if (event->stop_point >= 0) {
                event->stop.reason = OAK_STOP_POINT;
                break;
            }
            if (session->entered) {
                event->stop.reason = OAK_STOP_STEP;
                break;
            }
            if (now.cycles >= breath) {
                breath = limit_from(now.cycles, every);
                if (!budget->breathe(budget->context, now.cycles)) {
                    event->stop.reason = OAK_STOP_USER;
                    break;
                }
            }
            /* Also where it only pauses: it would pass over a stop point there. */
            if (session->ends_at_flow) {
                event->stop.reason = OAK_STOP_STEP;
                break;
            }
            if (now.cycles < last_cycle && now.instructions < last_instruction) continue;
            event->stop.reason = now.cycles >= last_cycle ? OAK_STOP_CYCLES : OAK_STOP_STEPS;
        }
        break;
    }
    if (event->stop.reason != OAK_STOP_FAULT) session_check_starved(session, event);
    if (event->stop_point >= 0 && oak_session_stop_point(session, (unsigned)event->stop_point)->once)
        status = oak_session_remove_stop(session, (unsigned)event->stop_point);
    session->last = *event;
    return session->lost ? OAK_NO_MEMORY : status;
}

oak_status oak_session_run(oak_session *session, const oak_budget *budget, const oak_diag_sink *sink,
                           oak_event *event)
{
    if (!session || !budget || !sink || !event) return OAK_MISUSE;
    return session_outcome(session, run_until_it_stops(session, budget, sink, event));
}

oak_status oak_session_step(oak_session *session, oak_event *event)
{
    if (!session || !event) return OAK_MISUSE;
    oak_budget one = {.instructions = 1};
    oak_status status = oak_session_run(session, &one, &oak_silent, event);
    if (!status && event->stop.reason == OAK_STOP_STEPS) event->stop.reason = OAK_STOP_STEP;
    session->last = *event;
    return status;
}

/* ------------------------------------------------------------------------------------------ stepping further */

oak_status session_replay(oak_session *session, uint64_t until_cycle, uint64_t until_instruction,
                          oak_stop *stop)
{
    oak_chip_time now = session_time(session), before;
    oak_status status = OAK_OK;
    *stop = (oak_stop){.pc = session_pc(session)};
    if ((session->armed_count || session->judging) && !session->searching) session_disarm_watches(session);
    session->replaying = true;
    which_stop(session, stop->pc, now.instructions, true, NULL);
    session_sample(session);
    while (!status && now.cycles < until_cycle && now.instructions < until_instruction) {
        before = now;
        uint64_t last = session->sampled_count && now.instructions + 1 < until_instruction
                            ? now.instructions + 1
                            : until_instruction;
        status = session->chip.ops->run(session->chip.chip, until_cycle, last, stop);
        session_take_kept(session);

        if (!status && session->lost) status = OAK_NO_MEMORY;
        now = session_time(session);
        session_sample(session);
        if (stop->reason == OAK_STOP_WATCH) {
            session->hit_instruction = now.instructions;
            if (session->pauses) break;
        }
        which_stop(session, stop->pc, now.instructions, false, NULL);
        if (now.cycles == before.cycles && now.instructions == before.instructions &&
            stop->reason != OAK_STOP_POINT && stop->reason != OAK_STOP_WATCH)
            break;
    }
    session->replaying = false;
    return status;
}

bool session_stops_at(const oak_session *session, uint32_t address)
{
    bool any = session->stop_filter[filter_of(address) >> 3] >> (filter_of(address) & 7) & 1;
    for (size_t i = 0; any && i < session->stop_count; i++)
        if (session->stops[i].point.enabled && session->stops[i].point.address == address) return true;
    return false;
}

oak_status session_stop_here(oak_session *session, const oak_diag_sink *sink, int *number)
{
    *number = which_stop(session, session_pc(session), session_time(session).instructions, false, sink);
    if (*number == -2) return OAK_REFUSED;
    if (*number < 0 || !oak_session_stop_point(session, (unsigned)*number)->once) return OAK_OK;
    return oak_session_remove_stop(session, (unsigned)*number);
}

/* Runs to an address as if a stop point were there. */
static oak_status run_once_to(oak_session *session, passing_stop once, const oak_budget *budget,
                              const oak_diag_sink *sink, oak_event *event)
{
    session->once = once;
    oak_status status = session->chip.ops->set_stop(session->chip.chip, once.address, true);
    if (!status) status = oak_session_run(session, budget, sink, event);
    session->once.on = false;
    if (!session_stops_at(session, once.address))
        session->chip.ops->set_stop(session->chip.chip, once.address, false);
    return status;
}

oak_status session_run_to_address(oak_session *session, uint32_t address, const oak_budget *budget,
                                  const oak_diag_sink *sink, oak_event *event)
{
    return run_once_to(session, (passing_stop){.on = true, .address = address}, budget, sink, event);
}

oak_status oak_session_run_to(oak_session *session, const char *place, const oak_budget *budget,
                              const oak_diag_sink *sink, oak_event *event)
{
    if (!session || !place || !budget || !sink || !event) return OAK_MISUSE;
    passing_stop once = {.on = true};
    oak_status status = session_reached_place(session, place, sink, &once.address);
    return status ? status : run_once_to(session, once, budget, sink, event);
}

oak_status oak_session_step_over(oak_session *session, const oak_budget *budget, const oak_diag_sink *sink,
                                 oak_event *event)
{
    if (!session || !budget || !sink || !event) return OAK_MISUSE;
    oak_decoded decoded;
    uint32_t pc = session_pc(session);
    if (session_decode(session, pc, &decoded) || decoded.flow != OAK_FLOW_CALL)
        return oak_session_step(session, event);
    passing_stop once = {true, true, pc + decoded.size, session_stack_pointer(session)};
    return run_once_to(session, once, budget, sink, event);
}

/* ------------------------------------------------------------------------------------------ what ran, and what comes */

oak_status oak_session_count(oak_session *session, bool on)
{
    if (!session) return OAK_MISUSE;
    session->touched = true; /* what is counted from here on begins here, also after going back */
    return session->chip.ops->count ? session->chip.ops->count(session->chip.chip, on) : OAK_UNSUPPORTED;
}

oak_status oak_session_counted(const oak_session *session, uint32_t address, oak_tally *tally)
{
    if (!session || !tally) return OAK_MISUSE;
    *tally = (oak_tally){0};
    return session->chip.ops->counted ? session->chip.ops->counted(session->chip.chip, address, tally)
                                      : OAK_UNSUPPORTED;
}

unsigned oak_session_touches(const oak_session *session, oak_watched *list, unsigned room)
{
    if (!session || (!list && room)) return 0;
    return session->chip.ops->touches ? session->chip.ops->touches(session->chip.chip, list, room) : 0;
}
