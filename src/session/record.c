/* record.c — traces of pins and values over time, and places that are marked. */
#include "base/bytes.h"
#include "session/session_state.h"

/* ------------------------------------------------------------------------------------------ what is recorded */

static oak_status open_trace(oak_session *session)
{
    if (session->trace) return OAK_OK;
    oak_status status = oak_trace_create(&session->host, 0, &session->trace);
    if (status) return status;
    oak_trace_set_clock(session->trace, session->clock_millihertz, session->part->clocks_per_cycle);
    for (unsigned i = 0; i < OAK_MOST_PORTS * OAK_MOST_PINS; i++) session->recorded_pin[i] = -1;
    for (unsigned i = 0; i < OAK_MOST_PORTS; i++) session->recorded_port[i] = -1;
    return OAK_OK;
}

static uint64_t now_of(const oak_session *session)
{
    oak_chip_time time = {0};
    session->chip.ops->read_time(session->chip.chip, &time);
    return time.cycles;
}

static void note(oak_session *session, int signal, uint64_t time, uint32_t value, uint32_t other)
{
    oak_trace_change change = {time, (uint32_t)signal, value, other};
    session_take_kept(session); /* in the order of time */
    oak_status status = oak_trace_note(session->trace, &change);
    if (status == OAK_NO_MEMORY) session->lost = true; /* one that is full tells so by itself */
}

static oak_level level_of(const oak_session *session, unsigned pin)
{
    oak_pin state = {.result = OAK_FLOAT};
    session->chip.ops->read_pin(session->chip.chip, pin, &state);
    return state.result;
}

static void note_pin(oak_session *session, unsigned pin, oak_level level, uint64_t time)
{
    if (session->recorded_pin[pin] >= 0)
        note(session, session->recorded_pin[pin], time, level == OAK_HIGH, level == OAK_FLOAT);
}

static void note_port(oak_session *session, unsigned port, uint64_t time)
{
    uint32_t value = 0, other = 0;
    if (session->recorded_port[port] < 0) return;
    for (unsigned bit = 0; bit < session->part->ports[port].pin_count; bit++) {
        oak_level level = level_of(session, port * OAK_MOST_PINS + bit);
        value |= (uint32_t)(level == OAK_HIGH) << bit;
        other |= (uint32_t)(level == OAK_FLOAT) << bit;
    }
    note(session, session->recorded_port[port], time, value, other);
}

void session_record_pin(oak_session *session, unsigned pin, oak_level level, uint64_t cycle)
{
    if (!session->trace || pin >= OAK_MOST_PORTS * OAK_MOST_PINS) return;
    note_pin(session, pin, level, cycle);
    note_port(session, pin / OAK_MOST_PINS, cycle);
}

static oak_status record_pin(oak_session *session, unsigned pin)
{
    unsigned number;
    char name[100];
    const char *given = oak_session_pin_name(session, pin);
    if (session->recorded_pin[pin] >= 0) return OAK_OK;
    if (given) oak_format(name, sizeof name, "%s", given);
    else
        oak_format(name, sizeof name, "%s.%u", session->part->ports[pin / OAK_MOST_PINS].name,
                   pin % OAK_MOST_PINS);
    oak_status status = oak_trace_add_signal(session->trace, name, 1, false, &number);
    if (status) return status;
    session->recorded_pin[pin] = (int16_t)number;
    note_pin(session, pin, level_of(session, pin), now_of(session));
    return OAK_OK;
}

static oak_status record_pins(oak_session *session)
{
    bool any = false;
    for (unsigned wanted = 0; wanted < 2 && !any; wanted++) /* those with a name, or else all */
        for (unsigned port = 0; port < session->part->port_count; port++)
            for (unsigned bit = 0; bit < session->part->ports[port].pin_count; bit++) {
                unsigned pin = port * OAK_MOST_PINS + bit;
                if (!wanted && !oak_session_pin_name(session, pin)) continue;
                oak_status status = record_pin(session, pin);
                if (status) return status;
                any = true;
            }
    return OAK_OK;
}

static void sample(oak_session *session, uint64_t time)
{
    for (size_t i = 0; i < session->sampled_count; i++) {
        sampled_value *one = &session->sampled[i];
        oak_reading reading;
        session->reads_more |= one->reads_place;
        one->known = !session_evaluate(session, one->expr, one->text, NULL, &reading);
        one->last = one->known ? (uint32_t)reading.value & one->mask : UINT32_MAX;
        note(session, (int)one->signal, time, one->last, one->known ? 0 : UINT32_MAX);
    }
}

static oak_status record_value(oak_session *session, const char *what, const oak_diag_sink *sink)
{
    const char *text = oak_arena_text(&session->arena, what, oak_length(what));
    if (!text) return OAK_NO_MEMORY;
    const oak_expr *expr = session_parse(session, text, sink);
    oak_reading reading;
    if (!expr) return OAK_REFUSED;
    oak_status status = session_evaluate(session, expr, text, sink, &reading);
    if (status) return status;
    unsigned bits = reading.bits <= 32 ? reading.bits : 32, number;
    sampled_value *grown = oak_grow(&session->host, session->sampled, &session->sampled_room,
                                    session->sampled_count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    session->sampled = grown;
    status = oak_trace_add_signal(session->trace, text, bits ? bits : 1, false, &number);
    if (status) return status;
    uint32_t mask = bits < 32 ? ((uint32_t)1 << (bits ? bits : 1)) - 1 : UINT32_MAX;
    grown[session->sampled_count++] = (sampled_value){
        .expr = expr, .text = text, .mask = mask, .signal = number, .reads_place = session_reads_place(expr)};
    session_others_are_watched(session);
    return OAK_OK;
}

oak_status oak_session_record(oak_session *session, const char *what, const oak_diag_sink *sink)
{
    if (!session || !what || !sink) return OAK_MISUSE;
    unsigned pin, number;
    oak_status status = open_trace(session);
    if (status) return status;
    if (oak_same(what, "pins")) return record_pins(session);
    if (session_find_pin(session, what, oak_length(what), &pin)) return record_pin(session, pin);
    for (unsigned port = 0; port < session->part->port_count; port++) {
        if (!oak_same_name(what, oak_length(what), session->part->ports[port].name)) continue;
        if (session->recorded_port[port] >= 0) return OAK_OK;
        status = oak_trace_add_signal(session->trace, session->part->ports[port].name,
                                      session->part->ports[port].pin_count, false, &number);
        if (status) return status;
        session->recorded_port[port] = (int16_t)number;
        note_port(session, port, now_of(session));
        return OAK_OK;
    }
    return record_value(session, what, sink);
}

const oak_trace *oak_session_trace(oak_session *session)
{
    if (!session) return NULL;
    session_take_kept(session); /* somebody may ask while a run is under way */
    if (session->trace) oak_trace_set_end(session->trace, now_of(session));
    return session->trace;
}

void session_sample_judged(oak_session *session, size_t number, const int64_t *value)
{
    sampled_value *one = &session->sampled[number];
    uint32_t now = value ? (uint32_t)*value & one->mask : UINT32_MAX;
    if (one->known == (value != NULL) && one->last == now) return;
    one->known = value != NULL;
    one->last = now;
    note(session, (int)one->signal, now_of(session), now, value ? 0 : UINT32_MAX);
}

void session_sample(oak_session *session)
{
    if (session->sampled_count) sample(session, now_of(session));
}

void session_rewind_records(oak_session *session)
{
    session_rewind_laps(session);
    session->passed = UINT64_MAX;
    if (!session->trace) return;
    oak_trace_clear(session->trace);
    for (unsigned port = 0; port < session->part->port_count; port++) {
        for (unsigned bit = 0; bit < session->part->ports[port].pin_count; bit++)
            if (session->recorded_pin[port * OAK_MOST_PINS + bit] >= 0)
                note_pin(session, port * OAK_MOST_PINS + bit, level_of(session, port * OAK_MOST_PINS + bit),
                         0);
        note_port(session, port, 0);
    }
}

/* ------------------------------------------------------------------------------------------ places that are passed */

oak_status oak_session_mark(oak_session *session, const char *place, const oak_diag_sink *sink)
{
    if (!session || !place || !sink) return OAK_MISUSE;
    unsigned number;
    oak_status status = open_trace(session);
    if (!status) status = session_add_passing(session, place, PASS_MARK, 0, sink);
    if (status) return status;
    status = oak_trace_add_signal(session->trace, place, 1, true, &number);
    if (status) session_drop_passing(session);
    else session->stops[session->stop_count - 1].number = number;
    return status;
}

void session_pass(oak_session *session, const stop_record *record)
{
    uint64_t now = now_of(session);
    if (record->passing == PASS_ACTION) {
        if (!session->replaying) record->reached(record->context, record->number);
        return;
    }
    if (record->passing == PASS_MARK) note(session, (int)record->number, now, 1, 0);
    else session_pass_lap(session, record, now);
}
