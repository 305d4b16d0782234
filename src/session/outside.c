/* outside.c — what is outside the chip: several of them on one clock, what they drive together, what they are told.
 *
 * Drives of the session are one; a board, a recorder, a feed of bytes may join. Each drives pins for itself, and what comes
 * of it is worked out here: a strong level before a pull, low before high. */
#include "base/bytes.h"
#include "session/session_state.h"

/* ------------------------------------------------------------------------------------------ the clock */

static uint64_t advance(void *context, uint64_t now)
{
    oak_session *session = context;
    uint64_t next = session_apply_drives(session, now);
    for (size_t i = 0; i < session->joined_count; i++) {
        joined_outside *one = &session->joined[i];
        if (one->due <= now) {
            one->due = UINT64_MAX; /* it may ask to be woken meanwhile */
            uint64_t due =
                one->outside.advance ? one->outside.advance(one->outside.context, now) : UINT64_MAX;
            if (due <= now) due = now + 1;
            if (due < one->due) one->due = due;
        }
        if (one->due < next) next = one->due;
    }
    return next;
}

static void pin_changed(void *context, unsigned pin, oak_level level, uint64_t cycle)
{
    oak_session *session = context;
    if (session->looks_for_pins && session->read_pins[pin / OAK_MOST_PINS] >> pin % OAK_MOST_PINS & 1)
        session->pin_cycle = cycle;
    if (session->halts_at_pins && session->halting_pins[pin / OAK_MOST_PINS] >> pin % OAK_MOST_PINS & 1) {
        session->halted = true;
        session->chip.ops->halt(session->chip.chip);
    }
    session_record_pin(session, pin, level, cycle);
    if (session->lap_count) session_lap_pin(session, pin, level, cycle);
    if (session_trigger_drives(session, pin, level, cycle)) session_attach(session);
    for (size_t i = 0; i < session->joined_count; i++) {
        const oak_outside *one = &session->joined[i].outside;
        if (one->pin_changed) one->pin_changed(one->context, pin, level, cycle);
    }
}

void session_open_outside(oak_session *session)
{
    session->outside = (oak_outside){
        .context = session, .advance = advance, .pin_changed = pin_changed, .noticed = session_noticed};
    session_attach(session);
}

void session_attach(oak_session *session)
{
    const oak_chip_ops *ops = session->chip.ops;
    session->attached = ops->attach && ops->attach(session->chip.chip, &session->outside) == OAK_OK;
}

oak_status oak_session_join(oak_session *session, const oak_outside *outside, unsigned *source)
{
    if (!session || !outside || !source) return OAK_MISUSE;
    joined_outside *grown = oak_grow(&session->host, session->joined, &session->joined_room,
                                     session->joined_count + 1, sizeof *grown);
    if (!session->attached) return OAK_UNSUPPORTED;
    if (!grown) return OAK_NO_MEMORY;
    session->joined = grown;
    grown[session->joined_count++] = (joined_outside){.outside = *outside};
    *source = (unsigned)session->joined_count;
    session_attach(session);
    return OAK_OK;
}

void oak_session_wake(oak_session *session, unsigned source, uint64_t cycle)
{
    if (!session) return;
    if (!source || source > session->joined_count) return;
    joined_outside *one = &session->joined[source - 1];
    if (cycle >= one->due) return;
    one->due = cycle;
    session_attach(session);
}

void session_rewind_outside(oak_session *session)
{
    for (size_t i = 0; i < session->joined_count; i++) {
        joined_outside *one = &session->joined[i];
        one->due = 0;
        if (one->outside.reset) one->outside.reset(one->outside.context);
    }
}

void session_visit_outside(oak_session *session, const oak_state_visitor *visitor)
{
    for (size_t i = 0; i < session->joined_count; i++)
        if (session->joined[i].outside.visit)
            session->joined[i].outside.visit(session->joined[i].outside.context, visitor);
}

/* ------------------------------------------------------------------------------------------ levels */

/* What all of them drive on a pin together. */
static oak_level together(const oak_session *session, unsigned pin, bool *fights)
{
    bool any[OAK_PULLED_HIGH + 1] = {0};
    for (size_t i = 0; i < session->put_count; i++)
        if (session->puts[i].pin == pin) any[session->puts[i].level] = true;
    *fights = any[OAK_LOW] && any[OAK_HIGH];
    static const oak_level order[] = {OAK_LOW, OAK_HIGH, OAK_PULLED_LOW, OAK_PULLED_HIGH};
    for (unsigned i = 0; i < 4; i++)
        if (any[order[i]]) return order[i];
    return OAK_FLOAT;
}

bool oak_session_is_replaying(const oak_session *session)
{
    if (!session) return false;
    return session->replaying;
}

oak_status oak_session_put(oak_session *session, unsigned source, unsigned pin, oak_level level)
{
    if (!session) return OAK_MISUSE;
    size_t at = 0;
    if (pin / OAK_MOST_PINS >= session->part->port_count ||
        pin % OAK_MOST_PINS >= session->part->ports[pin / OAK_MOST_PINS].pin_count)
        return OAK_OUT_OF_RANGE;
    while (at < session->put_count && (session->puts[at].pin != pin || session->puts[at].source != source))
        at++;
    if (at == session->put_count) {
        pin_put *grown = oak_grow(&session->host, session->puts, &session->put_room, at + 1, sizeof *grown);
        if (!grown) return OAK_NO_MEMORY;
        session->puts = grown;
        session->puts[session->put_count++] = (pin_put){.pin = (uint16_t)pin, .source = (uint16_t)source};
    } else if (session->puts[at].level == level) return OAK_OK;
    session->puts[at].level = level;
    bool fights;
    oak_level all = together(session, pin, &fights);
    if (fights) {
        oak_notice notice = {.fault = OAK_FAULT_CONTENTION, .space = OAK_NOTICE_OUTSIDE, .address = pin};
        oak_chip_time time;
        if (session->chip.ops->read_time(session->chip.chip, &time) == OAK_OK) notice.cycle = time.cycles;
        oak_session_note(session, &notice);
    }
    return session->chip.ops->drive_pin(session->chip.chip, pin, all);
}

/* ------------------------------------------------------------------------------------------ what the chip suffers */

/* The faults that are no end of everything: what usually becomes of them. */
static const struct {
    oak_fault fault;
    oak_notice_level usual;
    const char *meaning;
} kinds[] = {
#define FAULT(name, word, sentence)
#define NOTICE(name, word, usual, sentence, meaning) {OAK_FAULT_##name, OAK_NOTICE_##usual, meaning},
#include "session/faults.def"
};
enum { KINDS = sizeof kinds / sizeof *kinds };

static int kind_of(oak_fault fault)
{
    for (int i = 0; i < KINDS; i++)
        if (kinds[i].fault == fault) return i;
    return -1;
}

const char *oak_notice_word(unsigned number, oak_notice_level *usual)
{
    if (number >= KINDS) return NULL;
    if (usual) *usual = kinds[number].usual;
    return oak_fault_word(kinds[number].fault);
}

const char *oak_notice_meaning(unsigned number)
{
    return number < KINDS ? kinds[number].meaning : NULL;
}

void session_usual_levels(oak_session *session)
{
    for (int i = 0; i < KINDS; i++) session->levels[kinds[i].fault] = (uint8_t)kinds[i].usual;
}

oak_status oak_session_set_level(oak_session *session, const char *word, size_t length,
                                 oak_notice_level level)
{
    if (!session || !word) return OAK_MISUSE;
    for (int i = 0; i < KINDS; i++) {
        if (!oak_same_name(word, length, oak_fault_word(kinds[i].fault))) continue;
        session->levels[kinds[i].fault] = (uint8_t)level;
        return OAK_OK;
    }
    return OAK_NOT_FOUND;
}

oak_notice_level oak_session_level(const oak_session *session, const char *word)
{
    if (!session || !word) return OAK_NOTICE_OFF;
    for (int i = 0; i < KINDS; i++)
        if (oak_same(word, oak_fault_word(kinds[i].fault)))
            return (oak_notice_level)session->levels[kinds[i].fault];
    return OAK_NOTICE_OFF;
}

void oak_session_note(oak_session *session, const oak_notice *notice)
{
    if (!session || !notice) return;
    int kind = kind_of(notice->fault);
    if (kind < 0 || session->levels[notice->fault] == OAK_NOTICE_OFF) return;
    for (unsigned i = 0; i < session->noticed_count; i++) {
        oak_noticed *seen = &session->noticed[i];
        bool same = seen->first.fault == notice->fault && seen->first.space == notice->space;
        bool by_byte = notice->fault == OAK_FAULT_FRAMING || notice->fault == OAK_FAULT_OVERRUN;
        if (!same || (!by_byte && seen->first.address != notice->address)) continue;
        seen->count++;
        return;
    }
    if (session->noticed_count < SESSION_MOST_NOTICED)
        session->noticed[session->noticed_count++] = (oak_noticed){.first = *notice, .count = 1};
}

bool session_noticed(void *context, const oak_notice *notice)
{
    oak_session *session = context;
    if (session->levels[notice->fault] == OAK_NOTICE_STOP) return true;
    oak_session_note(session, notice);
    return false;
}

const oak_noticed *oak_session_noticed(const oak_session *session, unsigned number)
{
    if (!session) return NULL;
    return number < session->noticed_count ? &session->noticed[number] : NULL;
}

bool session_check_starved(oak_session *session, oak_event *event)
{
    enum { LEAST_CYCLES = 10000, LEAST_SHARE = 20 }; /* thousandths */
    oak_service service;
    oak_chip_time time;
    uint64_t taken = 0;
    const oak_chip_ops *ops = session->chip.ops;
    if (!ops->service || session->levels[OAK_FAULT_STARVED] == OAK_NOTICE_OFF ||
        ops->read_time(session->chip.chip, &time) || time.cycles < LEAST_CYCLES)
        return false;
    /* Not behind each of many short runs; the past is looked at anew. */
    if (time.cycles >= session->starved_at && time.cycles - session->starved_at < LEAST_CYCLES) return false;
    session->starved_at = time.cycles;
    for (unsigned i = 0; ops->service(session->chip.chip, i, &service) == OAK_OK; i++)
        taken += service.cycles;
    uint64_t left = time.cycles > taken ? time.cycles - taken : 0;
    if (left >= time.cycles / 1000 * LEAST_SHARE) return false;
    oak_notice notice = {.fault = OAK_FAULT_STARVED,
                         .address = (uint32_t)(left / (time.cycles / 1000)),
                         .pc = event->stop.pc,
                         .cycle = time.cycles};
    if (session->levels[OAK_FAULT_STARVED] == OAK_NOTICE_WARNING) {
        oak_session_note(session, &notice);
        return false;
    }
    event->stop.reason = OAK_STOP_FAULT;
    event->stop.fault = OAK_FAULT_STARVED;
    event->stop.fault_space = 0;
    event->stop.fault_address = notice.address;
    return true;
}
