/* trial.c — giving a case what it is given, running it, and looking at what is expected: the run is ended at each place, time and change that
 * somebody waits for, and goes on. */
#include <oakspindle/print.h>

#include "base/bytes.h"
#include "isa/isa.h"
#include "session/alone.h"
#include "trial/running.h"

enum { USUAL_SECONDS = 10 };

static oak_chip_time now(const trial_running *r)
{
    oak_chip_time time = {0};
    r->chip.ops->read_time(r->chip.chip, &time);
    return time;
}

oak_status trial_filled(trial_running *r, const trial_text *from, bool bare, char *text)
{
    if (trial_fill(r->trials, r->one, r->number, from->text, bare, text, TRIAL_LONGEST)) return OAK_OK;
    TRIAL_REFUSE(r->sink, r->trials, from, "trial", NULL, "this is longer than %d characters",
                 (int)TRIAL_LONGEST);
    return OAK_REFUSED;
}

/* ------------------------------------------------------------------------------------------ giving */

/* Names of files in `file "NAME"` are found beside the file of trials. */
static void name_files(trial_running *r, char *text, size_t room)
{
    static const char word[] = "file \"";
    char rest[TRIAL_LONGEST];
    size_t length = sizeof word - 1;
    for (char *at = text; oak_length(at) > length; at++) {
        if (!oak_same_name(at, length, word)) continue;
        at += length;
        oak_format(rest, sizeof rest, "%s", at);
        const char *path = trial_beside(r->trials, "");
        if (*rest != '/') oak_format(at, room - (size_t)(at - text), "%s%s", path ? path : "", rest);
    }
}

/* What somebody does with the board: all of it that depends on the case, or all that does not. */
static oak_status give_acts(trial_running *r, bool depending)
{
    const trial *one = r->one;
    char text[TRIAL_LONGEST];
    oak_status status = OAK_OK;
    for (unsigned i = 0; i < one->acts.count && !status; i++) {
        if (trial_mentions(r->trials, one, one->acts.items[i].text, false) != depending) continue;
        oak_diag_sink sink = trial_sink(r, &one->acts.items[i]);
        status = trial_filled(r, &one->acts.items[i], false, text);
        if (!status && !r->board) {
            TRIAL_REFUSE(r->sink, r->trials, &one->acts.items[i], "trial",
                         "Name it above: `board: board.yaml`.", "acts need a board");
            return OAK_REFUSED;
        }
        if (!status) status = oak_board_act(r->board, text, &sink);
    }
    return status;
}

static oak_status give(trial_running *r)
{
    const trial *one = r->one;
    char text[TRIAL_LONGEST];
    oak_status status = give_acts(r, false);
    for (unsigned i = 0; i < one->drives.count && !status; i++) {
        oak_diag_sink sink = trial_sink(r, &one->drives.items[i]);
        status = trial_filled(r, &one->drives.items[i], false, text);
        if (!status) status = oak_session_drive(r->session, text, &sink);
    }
    for (unsigned i = 0; i < one->given.count && !status; i++) {
        oak_diag_sink sink = trial_sink(r, &one->given.items[i]);
        const char *at = one->given.items[i].text;
        char whole[2 * TRIAL_LONGEST], left[TRIAL_LONGEST];
        size_t length = 0;
        while (at[length] && at[length] != '=') length++;
        oak_format(left, sizeof left, "%.*s", (int)length, at);
        trial_text target = one->given.items[i],
                   value = target; /* names of columns are values behind the sign only */
        target.text = left, value.text = at + length;
        status = trial_filled(r, &target, false, text);
        oak_format(whole, sizeof whole, "%s", text);
        if (!status) status = trial_filled(r, &value, true, text);
        oak_format(whole + oak_length(whole), sizeof whole - oak_length(whole), "%s", text);
        name_files(r, whole, sizeof whole);
        if (!status) status = oak_session_set(r->session, whole, &sink);
    }
    return status;
}

void trial_fail(trial_running *r, const trial_expectation *what, const char *format, ...)
{
    oak_trial_result *result = r->result;
    va_list arguments;
    result->passed = false;
    result->time = now(r);
    result->pc = 0;
    r->chip.ops->read_register(r->chip.chip, r->part->architecture->pc_register, &result->pc);
    if (what) {
        result->line = what->key.line, result->column = what->key.column;
        char value[TRIAL_LONGEST] = "";
        if (what->when == TRIAL_IN_ORDER)
            for (unsigned i = 0; i < what->events.count; i++)
                oak_format(value + oak_length(value), sizeof value - oak_length(value), "%s%s", i ? ", " : "",
                           what->events.items[i].text);
        else oak_format(value, sizeof value, "%s", what->value.text);
        oak_format(result->expectation, sizeof result->expectation, "%s: %s", what->key.text, value);
    }
    va_start(arguments, format);
    oak_vformat(result->found, sizeof result->found, format, arguments);
    va_end(arguments);
}

/* ------------------------------------------------------------------------------------------ what is waited for */

/* Watches an expression: its becoming true, and its becoming false, so that nothing is missed between two looks. */
static oak_status watch_slowly(trial_running *r, const trial_text *from, trial_event *e, bool both)
{
    char contrary[TRIAL_LONGEST + 8];
    oak_diag_sink sink = trial_sink(r, from);
    unsigned number;
    e->is_pins = false;
    oak_status status = oak_session_add_watch(r->session, e->text, OAK_WATCH_HOLDS, &sink, &number);
    if (status) return status;
    e->expression = e->text;
    oak_reading value;
    status = oak_session_value(r->session, e->text, &sink, &value);
    e->was = !status && value.value;
    if (status || !both) return status;
    oak_format(contrary, sizeof contrary, "!(%s)", e->text);
    return oak_session_add_watch(r->session, contrary, OAK_WATCH_HOLDS, &sink, &number);
}

/* The same; one of pins needs no watch. */
static oak_status watch(trial_running *r, const trial_text *from, trial_event *e, bool both)
{
    return trial_make_table(r, e) ? OAK_OK : watch_slowly(r, from, e, both);
}

static oak_status stop_at(trial_running *r, const trial_text *from, const char *place, uint32_t *address)
{
    oak_diag_sink sink = trial_sink(r, from);
    unsigned number;
    oak_status status = oak_session_place(r->session, place, &sink, address);
    for (unsigned i = 0; !status && oak_session_stop_point(r->session, i); i++)
        if (oak_session_stop_point(r->session, i)->address == *address) return OAK_OK;
    return status ? status : oak_session_add_stop(r->session, place, NULL, 1, &sink, &number);
}

/* "door rises", "main is reached", or an expression. */
static oak_status begin_event(trial_running *r, const trial_text *from, trial_event *e)
{
    static const char *const forms[] = {" rises", " falls", " is reached"};
    char text[TRIAL_LONGEST];
    oak_status status = trial_filled(r, from, true, text);
    size_t length = oak_length(text);
    if (status) return status;
    for (unsigned i = 0; i < 3; i++) {
        size_t word = oak_length(forms[i]);
        if (length <= word || !oak_same_name(text + length - word, word, forms[i])) continue;
        text[length - word] = 0;
        if (i == 2) {
            e->is_place = true;
            return stop_at(r, from, text, &e->place);
        }
        oak_format(e->text, sizeof e->text, "(%s) == %u", text, i ? 0 : 1);
        return watch(r, from, e, true);
    }
    oak_format(e->text, sizeof e->text, "%s", text);
    return watch(r, from, e, true);
}

static oak_status begin(trial_running *r, const trial_expectation *what, trial_progress *p)
{
    oak_status status = OAK_OK;
    char text[TRIAL_LONGEST];
    oak_diag_sink sink = trial_sink(r, &what->key);
    switch (what->when) {
    case TRIAL_AT_TIME: p->at = trial_cycles(r, &what->span); break;
    case TRIAL_AT_PLACE:
    case TRIAL_AT_FIRST: return stop_at(r, &what->key, what->place, &p->place);
    case TRIAL_ALWAYS:
    case TRIAL_NEVER:
        status = trial_filled(r, &what->value, true, text);
        if (status) return status;
        oak_format(p->condition.text, sizeof p->condition.text, what->when == TRIAL_NEVER ? "%s" : "!(%s)",
                   text);
        status = watch(r, &what->value, &p->condition, false);
        if (!status && p->condition.was) {
            bool held;
            char found[300] = "";
            if (what->when == TRIAL_ALWAYS)
                status = trial_holds(r, &what->value, text, &held, found, sizeof found);
            trial_fail(r, what, "%s%sfrom the beginning", found,
                       *found                      ? " "
                       : what->when == TRIAL_NEVER ? "it is so "
                                                   : "it is not so ");
        }
        return status;
    case TRIAL_WITHIN: {
        status = begin_event(r, &what->event, &p->event);
        if (!status) status = trial_filled(r, &what->value, true, p->condition.text);
        if (status || (p->event.is_pins && trial_make_table(r, &p->condition))) return status;
        if (p->event.is_pins)
            status = watch_slowly(r, &what->event, &p->event, true); /* the run has to end there */
        if (!status && trial_text_holds(r, &what->value, p->condition.text, text, sizeof text) == -1)
            status = watch_slowly(r, &what->value, &p->condition, false);
        return status;
    }
    case TRIAL_IN_ORDER:
        p->order = &r->events[r->event_count];
        if (r->event_count + what->events.count > sizeof r->events / sizeof *r->events) {
            TRIAL_REFUSE(r->sink, r->trials, &what->key, "trial", NULL,
                         "these are too many events for one trial");
            return OAK_REFUSED;
        }
        for (unsigned i = 0; i < what->events.count && !status; i++)
            status = begin_event(r, &what->events.items[i], &p->order[i]);
        p->order_count = what->events.count;
        r->event_count += what->events.count;
        return status;
    case TRIAL_FROM_TO:
        while (oak_session_lap(r->session, p->lap)) p->lap++;
        return oak_session_add_lap(r->session, what->place, what->second, &sink);
    case TRIAL_STACK:
        if (what->place) return stop_at(r, &what->key, what->place, &p->place);
        break;
    case TRIAL_PIN: return oak_session_record(r->session, what->place, &sink);
    case TRIAL_GOLDEN: return trial_begin_golden(r, what, p);
    default: break;
    }
    return OAK_OK;
}

/* "at most 20" */
static bool read_limit(const char *text, const char **rest)
{
    static const char words[] = "at most ";
    size_t length = oak_length(words);
    if (oak_length(text) <= length || !oak_same_name(text, length, words)) return false;
    *rest = text + length;
    return true;
}

/* From now on the stack may grow so far. */
static oak_status base_stack(trial_running *r, const trial_expectation *what, trial_progress *p)
{
    const oak_stack_info *stack = &r->part->architecture->stack;
    const char *rest;
    uint64_t most;
    size_t used;
    uint32_t sp = 0;
    if (!read_limit(what->value.text, &rest) ||
        oak_read_number(rest, rest + oak_length(rest), &most, &used) ||
        (rest[used] && !oak_same(rest + used, " bytes"))) {
        TRIAL_REFUSE(r->sink, r->trials, &what->value, "trial", "Write `stack: at most 24`.",
                     "`%s` is no depth in bytes", what->value.text);
        return OAK_REFUSED;
    }
    r->chip.ops->read_register(r->chip.chip, stack->pointer, &sp);
    p->based = true;
    p->base = sp;
    r->result->checks++;
    const char *name = r->part->architecture->registers[stack->pointer].name;
    if (stack->grows_up)
        oak_format(p->condition.text, sizeof p->condition.text, "%s > %llu", name,
                   (unsigned long long)(sp + most));
    else
        oak_format(p->condition.text, sizeof p->condition.text, "%s < %lld", name,
                   (long long)sp - (long long)most);
    return watch(r, &what->value, &p->condition, false);
}

/* ------------------------------------------------------------------------------------------ looking */

static oak_status expect_now(trial_running *r, const trial_expectation *what)
{
    char text[TRIAL_LONGEST], found[300] = "";
    bool held;
    oak_status status = trial_filled(r, &what->value, true, text);
    if (!status) status = trial_holds(r, &what->value, text, &held, found, sizeof found);
    if (!status && !held) trial_fail(r, what, "%s", *found ? found : "it is not so");
    return status;
}

static bool has_happened(trial_running *r, trial_event *e, const oak_event *ended, const trial_text *from,
                         oak_status *status)
{
    if (e->is_place) return ended->stop.reason == OAK_STOP_POINT && ended->stop.pc == e->place;
    if (!e->expression) return false;
    oak_diag_sink sink = trial_sink(r, from);
    oak_reading value;
    bool before = e->was;
    *status = oak_session_value(r->session, e->text, &sink, &value);
    e->was = !*status && value.value;
    return e->was && !before;
}

/* It was not as it should be, at a cycle that may have gone by. */
static void tell_broken(trial_running *r, const trial_expectation *what, const trial_progress *p)
{
    char found[300] = "", time[60];
    if (what->when == TRIAL_WITHIN) {
        uint64_t at = p->broken ? p->at : p->deadline;
        oak_write_time(p->since, oak_session_clock(r->session), r->part->clocks_per_cycle, time, sizeof time);
        if (!p->condition.is_pins) trial_tell_sides(r, p->condition.text, found, sizeof found);
        trial_fail(r, what, "%s%sit has not become so since %s", found, *found ? "; " : "", time);
        r->result->time.cycles = at;
    } else {
        trial_fail(r, what, what->when == TRIAL_NEVER ? "it has become so" : "it is no longer so");
        r->result->time.cycles = p->at;
    }
}

/* The run has been ended by something: who waits for it? */
static oak_status look(trial_running *r, const oak_event *ended)
{
    oak_status status = OAK_OK;
    uint64_t cycle = now(r).cycles;
    for (unsigned i = 0; i < r->one->expectation_count && !status && r->result->passed; i++) {
        const trial_expectation *what = &r->one->expectations[i];
        trial_progress *p = &r->list[i];
        bool at_place = ended->stop.reason == OAK_STOP_POINT && ended->stop.pc == p->place;
        char text[TRIAL_LONGEST], found[300] = "";
        bool held;
        if (p->broken || (p->condition.is_pins && p->pending && cycle >= p->deadline)) {
            tell_broken(r, what, p);
            continue;
        }
        switch (what->when) {
        case TRIAL_AT_TIME:
            if (p->done || cycle < p->at) break;
            p->done = true;
            status = expect_now(r, what);
            break;
        case TRIAL_AT_PLACE:
        case TRIAL_AT_FIRST:
            if (!at_place || (what->when == TRIAL_AT_FIRST && p->done)) break;
            p->done = true;
            status = expect_now(r, what);
            break;
        case TRIAL_ALWAYS:
        case TRIAL_NEVER:
            if (!has_happened(r, &p->condition, ended, &what->value, &status)) break;
            status = trial_filled(r, &what->value, true, text);
            if (!status && what->when == TRIAL_ALWAYS)
                status = trial_holds(r, &what->value, text, &held, found, sizeof found);
            trial_fail(r, what, "%s", *found ? found : "it has become so");
            break;
        case TRIAL_STACK:
            if (what->place && at_place && !p->based) status = base_stack(r, what, p);
            else if (p->based && has_happened(r, &p->condition, ended, &what->value, &status)) {
                uint32_t sp = 0;
                r->chip.ops->read_register(r->chip.chip, r->part->architecture->stack.pointer, &sp);
                long long deep = (long long)sp - p->base;
                trial_fail(r, what, "the stack holds %lld bytes", deep < 0 ? -deep : deep);
            }
            break;
        case TRIAL_WITHIN:
            if (p->condition.is_pins) break;
            if (has_happened(r, &p->event, ended, &what->event, &status) && !p->pending) {
                p->pending = p->done = true;
                p->since = cycle;
                p->deadline = cycle + trial_cycles(r, &what->span);
            }
            if (p->pending && !status)
                status = trial_holds(r, &what->value, p->condition.text, &held, found, sizeof found);
            if (!p->pending || status) break;
            if (held) {
                p->pending = false;
                if (cycle - p->since > p->most) p->most = cycle - p->since;
            } else if (cycle >= p->deadline) tell_broken(r, what, p);
            break;
        case TRIAL_IN_ORDER:
            for (unsigned e = 0; e < p->order_count && !status; e++) {
                bool happened = !p->order[e].is_pins &&
                                has_happened(r, &p->order[e], ended, &what->events.items[e], &status);
                if (happened && e == p->step) {
                    p->step++;
                    r->result->checks++;
                    break;
                }
            }
            break;
        default: break;
        }
    }
    return status;
}

static void end_word(const oak_event *ended, char *text, size_t room)
{
    oak_format(text, room, "%s", oak_stop_word(ended->stop.reason));
    if (ended->stop.reason == OAK_STOP_FAULT)
        oak_format(text, room, "fault %s", oak_fault_word(ended->stop.fault));
    if (ended->stop.reason == OAK_STOP_CYCLES) oak_format(text, room, "time");
}

/* "parked", "parked at idle", "time", "fault unwritten", "fault" */
static oak_status expect_end(trial_running *r, const trial_expectation *what, const oak_event *ended)
{
    char word[60], wanted[TRIAL_LONGEST], where[100];
    const char *place = NULL;
    oak_status status = trial_filled(r, &what->value, true, wanted);
    if (status) return status;
    end_word(ended, word, sizeof word);
    for (char *at = wanted; *at; at++)
        if (oak_length(at) > 4 && oak_same_name(at, 4, " at ")) {
            *at = 0;
            place = at + 4;
            break;
        }
    r->result->checks++;
    bool fault = oak_same(wanted, "fault") && ended->stop.reason == OAK_STOP_FAULT;
    bool known = oak_same(wanted, "time") || oak_same(wanted, "parked") || oak_same(wanted, "fault") ||
                 (oak_length(wanted) > 6 && oak_same_name(wanted, 6, "fault "));
    if (!known) {
        TRIAL_REFUSE(r->sink, r->trials, &what->value, "trial",
                     "Write `parked`, `parked at idle`, `time`, `fault` or `fault unwritten`.",
                     "`%s` is no way for a run to end", what->value.text);
        return OAK_REFUSED;
    }
    if (place) {
        uint32_t address;
        oak_diag_sink sink = trial_sink(r, &what->value);
        status = oak_session_place(r->session, place, &sink, &address);
        if (status) return status;
        fault = (fault || oak_same(word, wanted)) && ended->stop.pc == address;
    } else fault = fault || oak_same(word, wanted);
    if (fault) return OAK_OK;
    oak_session_name_place(r->session, ended->stop.pc, where, sizeof where);
    trial_fail(r, what, "it ended with %s at %s", word, where);
    return OAK_OK;
}

/* "at most 300 cycles", "at most 2ms", "300 cycles": how long a way has taken. */
static oak_status expect_lap(trial_running *r, const trial_expectation *what, trial_progress *p)
{
    const oak_lap *lap = oak_session_lap(r->session, p->lap);
    const char *rest = what->value.text;
    bool most = read_limit(rest, &rest);
    trial_span span;
    if (!trial_read_span(rest, oak_length(rest), &span)) {
        TRIAL_REFUSE(r->sink, r->trials, &what->value, "trial",
                     "Write `from a to b: at most 300 cycles` or `at most 2ms`.", "`%s` is no length of time",
                     what->value.text);
        return OAK_REFUSED;
    }
    uint64_t wanted = trial_cycles(r, &span);
    r->result->checks += lap->count;
    p->most = lap->longest;
    if (!lap->count) trial_fail(r, what, "it has not gone from %s to %s", what->place, what->second);
    else if (most ? lap->longest > wanted : lap->longest != wanted || lap->shortest != wanted)
        trial_fail(r, what, "it took %llu cycles%s", (unsigned long long)lap->longest,
                   lap->count > 1 ? ", the longest time" : "");
    return OAK_OK;
}

/* Registers named "r4 r5 sp" hold what they held. */
static oak_status expect_kept(trial_running *r, const trial_expectation *what)
{
    const oak_architecture *about = r->part->architecture;
    for (const char *at = what->value.text; *at;) {
        while (*at == ' ' || *at == ',') at++;
        const char *end = at;
        while (*end && *end != ' ' && *end != ',') end++;
        if (end == at) break;
        unsigned reg = 0;
        while (reg < about->register_count &&
               !oak_same_name(at, (size_t)(end - at), about->registers[reg].name))
            reg++;
        if (reg == about->register_count || reg >= sizeof r->kept / sizeof *r->kept) {
            TRIAL_REFUSE(r->sink, r->trials, &what->value, "trial",
                         "Write registers of the core: `keeps: r4 r5 sp`.", "`%.*s` is no register of %s",
                         (int)(end - at), at, about->name);
            return OAK_REFUSED;
        }
        uint32_t value = 0;
        r->chip.ops->read_register(r->chip.chip, reg, &value);
        r->result->checks++;
        if (value != r->kept[reg]) {
            trial_fail(r, what, "%s was 0x%x and is 0x%x", about->registers[reg].name, (unsigned)r->kept[reg],
                       (unsigned)value);
            return OAK_OK;
        }
        at = end;
    }
    return OAK_OK;
}

/* What took how long at the longest. */
static void tell_most(trial_running *r)
{
    oak_trial_result *result = r->result;
    for (unsigned i = 0; i < r->one->expectation_count && result->most_count < OAK_TRIAL_MOSTS; i++) {
        const trial_expectation *what = &r->one->expectations[i];
        if (what->when != TRIAL_FROM_TO && what->when != TRIAL_WITHIN) continue;
        oak_trial_most *one = &result->most[result->most_count++];
        oak_format(one->what, sizeof one->what, "%s", what->key.text);
        one->cycles = r->list[i].most;
    }
}

/* A pin as it is recorded: by what the board calls it. */
static const char *recorded_name(const trial_running *r, const char *pin)
{
    unsigned number;
    const char *called = oak_part_find_pin(r->part, pin, oak_length(pin), &number)
                             ? oak_session_pin_name(r->session, number)
                             : NULL;
    return called ? called : pin;
}

static oak_status look_at_end(trial_running *r, const oak_event *ended)
{
    oak_status status = OAK_OK;
    bool told = false;
    for (unsigned i = 0; i < r->one->expectation_count; i++)
        told |= r->one->expectations[i].when == TRIAL_ENDS;
    if (ended->stop.reason == OAK_STOP_FAULT && !told && r->result->passed) {
        char sentence[300];
        oak_fault_sentence(r->session, &ended->stop, sentence, sizeof sentence);
        trial_fail(r, NULL, "%s", sentence);
        r->result->pc = ended->stop.pc;
    }
    for (unsigned i = 0; i < r->one->expectation_count && !status && r->result->passed; i++) {
        const trial_expectation *what = &r->one->expectations[i];
        trial_progress *p = &r->list[i];
        char found[300] = "";
        bool refused = false;
        switch (what->when) {
        case TRIAL_AT_END: status = expect_now(r, what); break;
        case TRIAL_ALWAYS:
        case TRIAL_NEVER:
            r->result->checks++;
            if (p->broken) tell_broken(r, what, p);
            break;
        case TRIAL_AT_TIME:
            if (!p->done && ended->stop.reason == OAK_STOP_PARKED)
                status = expect_now(r, what); /* nothing changes any more */
            else if (!p->done) trial_fail(r, what, "the trial ended before: let it run longer");
            break;
        case TRIAL_AT_PLACE:
        case TRIAL_AT_FIRST:
            if (!p->done) trial_fail(r, what, "it is never reached");
            break;
        case TRIAL_WITHIN:
            if (p->broken) tell_broken(r, what, p);
            else if (p->pending)
                trial_fail(r, what, "the trial ended before its time was over: let it run longer");
            else if (!p->done) trial_fail(r, what, "%s has not happened", what->event.text);
            break;
        case TRIAL_IN_ORDER:
            if (p->step < p->order_count)
                trial_fail(r, what, "%s has not happened in its turn", what->events.items[p->step].text);
            break;
        case TRIAL_STACK:
            if (!p->based) trial_fail(r, what, "%s is never reached", what->place);
            break;
        case TRIAL_FROM_TO: status = expect_lap(r, what, p); break;
        case TRIAL_KEEPS: status = expect_kept(r, what); break;
        case TRIAL_GOLDEN: status = trial_expect_golden(r, what, p); break;
        case TRIAL_ENDS: status = expect_end(r, what, ended); break;
        case TRIAL_PIN:
            r->result->checks++;
            if (trial_shape_holds(oak_session_trace(r->session), recorded_name(r, what->place),
                                  trial_cycles(r, &what->span), what->value.text, found, sizeof found,
                                  &refused))
                break;
            if (refused) {
                TRIAL_REFUSE(r->sink, r->trials, &what->value, "trial",
                             "Write `1kHz +- 2%, duty 25% +- 1%, high 250us +- 5us`, or some of it.",
                             "`%s` is no shape of a pin", what->value.text);
                status = OAK_REFUSED;
            } else trial_fail(r, what, "%s", found);
            break;
        default: break;
        }
    }
    tell_most(r);
    return status;
}

/* ------------------------------------------------------------------------------------------ a routine alone */

/* Puts a call of the routine where code memory is free; the places of the call and behind it. */
static oak_status put_call(trial_running *r, uint32_t *from, uint32_t *back)
{
    oak_diag_sink sink = trial_sink(r, &r->one->call);
    session_call call;
    uint32_t target;
    oak_status status = oak_session_place(r->session, r->one->call.text, &sink, &target);
    if (status) return status;
    status = session_put_call(r->session, target, &call);
    if (status == OAK_NO_MEMORY || !status) {
        *from = call.from;
        *back = call.back;
        return status;
    }
    if (status == OAK_NOT_FOUND)
        TRIAL_REFUSE(r->sink, r->trials, &r->one->call, "trial", NULL,
                     "there is no free code memory for a call of %s", r->one->call.text);
    else
        TRIAL_REFUSE(r->sink, r->trials, &r->one->call, "trial", NULL, "%s cannot be called from 0x%x",
                     r->one->call.text, (unsigned)call.from);
    return OAK_REFUSED;
}

/* ------------------------------------------------------------------------------------------ the run */

static uint64_t next_moment(const trial_running *r, uint64_t end)
{
    for (unsigned i = 0; i < r->one->expectation_count; i++) {
        const trial_expectation *what = &r->one->expectations[i];
        const trial_progress *p = &r->list[i];
        if (what->when == TRIAL_AT_TIME && !p->done && p->at < end) end = p->at;
        if (what->when == TRIAL_WITHIN && p->pending && p->deadline < end) end = p->deadline;
    }
    return end;
}

/* Brings it to where a routine alone is called. */
static oak_status place_call(trial_running *r)
{
    const trial *one = r->one;
    uint32_t from = 0, place = 0;
    oak_status status = OAK_OK;
    r->stage = TRIAL_PLACED;
    if (!one->call.text) return OAK_OK;
    if (one->after.text) {
        oak_diag_sink sink = trial_sink(r, &one->after);
        r->budget.cycles = r->length;
        status = oak_session_place(r->session, one->after.text, &sink, &place);
        if (!status) status = oak_session_run_to(r->session, one->after.text, &r->budget, &sink, &r->ended);
        if (!status && r->ended.stop.pc != place) {
            trial_fail(r, NULL, "%s is not reached before the call", one->after.text);
            return OAK_OK;
        }
    }
    if (!status) status = put_call(r, &from, &r->back);
    if (!status) status = r->chip.ops->write_register(r->chip.chip, r->part->architecture->pc_register, from);
    if (!status) oak_session_touch(r->session);
    return status;
}

/* What is expected is looked at from now on. */
static oak_status begin_all(trial_running *r)
{
    const trial *one = r->one;
    oak_status status = OAK_OK;
    trial_look_at_pins(r);
    for (unsigned i = 0; i < r->part->architecture->register_count && i < sizeof r->kept / sizeof *r->kept;
         i++)
        r->chip.ops->read_register(r->chip.chip, i, &r->kept[i]);
    for (unsigned i = 0; i < one->expectation_count && !status && r->result->passed; i++)
        status = begin(r, &one->expectations[i], &r->list[i]);
    for (unsigned i = 0; i < one->expectation_count && !status && r->result->passed; i++)
        if (one->expectations[i].when == TRIAL_STACK && !one->expectations[i].place)
            status = base_stack(r, &one->expectations[i], &r->list[i]);
    char place[20];
    if (one->call.text && !status) {
        unsigned stop;
        oak_format(place, sizeof place, "0x%x", (unsigned)r->back);
        status = oak_session_add_stop(r->session, place, NULL, 1, &oak_silent, &stop);
    }
    r->result->begun = now(r).cycles;
    r->end = r->result->begun + r->length;
    r->stage = TRIAL_BEGUN;
    return status;
}

static bool has_returned(const trial_running *r)
{
    return r->one->call.text && r->ended.stop.reason == OAK_STOP_POINT && r->ended.stop.pc == r->back;
}

/* Runs up to a cycle; *over: it has ended before. */
static oak_status advance(trial_running *r, uint64_t until, bool *over)
{
    oak_status status = OAK_OK;
    for (*over = true; !status && r->result->passed;) {
        uint64_t moment = next_moment(r, r->end), cycle = now(r).cycles;
        if (cycle >= r->end) {
            r->ended.stop.reason = OAK_STOP_CYCLES;
            return OAK_OK;
        }
        if (cycle >= until) {
            *over = false;
            return OAK_OK;
        }
        if (moment > until) moment = until;
        oak_diag_sink sink = trial_sink(r, r->one->call.text ? &r->one->call : &r->one->expectations[0].key);
        r->budget.cycles = moment > cycle ? moment - cycle : 1;
        status = oak_session_run(r->session, &r->budget, &sink, &r->ended);
        if (status) break;
        if (r->ended.stop.reason == OAK_STOP_USER) return OAK_INTERRUPTED;
        status = look(r, &r->ended);
        if (has_returned(r) || r->ended.stop.reason == OAK_STOP_FAULT ||
            r->ended.stop.reason == OAK_STOP_PARKED)
            break;
    }
    return status;
}

/* To its end, from wherever it is. */
static oak_status run_case(trial_running *r)
{
    enum { BREATH = 1 << 20 };
    bool over;
    oak_status status = OAK_OK;
    r->budget.breath = BREATH;
    if (r->stage == TRIAL_NEW) status = place_call(r);
    if (r->stage == TRIAL_BEGUN) status = give_acts(r, true);
    else {
        if (!status && r->result->passed) status = give(r);
        if (!status && r->result->passed) status = give_acts(r, true);
        if (!status && r->result->passed) status = begin_all(r);
    }
    if (!status && r->result->passed) status = advance(r, UINT64_MAX, &over);
    if (!status && r->result->passed && r->one->call.text && r->ended.stop.reason != OAK_STOP_FAULT &&
        !has_returned(r)) {
        char word[60];
        end_word(&r->ended, word, sizeof word);
        trial_fail(r, NULL, "%s has not returned: it ended with %s", r->one->call.text, word);
    }
    if (!status && r->result->passed) status = look_at_end(r, &r->ended);
    if (!status && r->result->passed) {
        r->result->time = now(r);
        r->result->pc = r->ended.stop.pc;
    }
    return status;
}

/* One after another has it: what takes part in a session must outlive it. */
static trial_running *running_of(oak_trials *trials, unsigned number, uint64_t case_number,
                                 oak_session *session, oak_board *board, const oak_diag_sink *sink,
                                 oak_trial_result *result)
{
    trial_running *r = trials->running ? trials->running : oak_arena_take(&trials->arena, sizeof *r);
    if (!r) return NULL;
    trials->running = r;
    memset(r, 0, sizeof *r);
    *result = (oak_trial_result){.passed = true};
    r->trials = trials, r->one = &trials->list[number], r->number = case_number, r->session = session,
    r->board = board, r->sink = sink;
    r->part = oak_session_part(session);
    r->chip = oak_session_chip(session);
    r->result = result;
    trial_span usual = {.picoseconds = (uint64_t)USUAL_SECONDS * 1000000000000u};
    r->length = trial_cycles(r, r->one->has_run ? &r->one->run : &usual);
    for (unsigned i = 0;
         r->chip.ops->take_output && i < r->part->block_count && r->output_count < TRIAL_MOST_OUTPUTS; i++)
        if (oak_block_sends(r->part->blocks[i].kind))
            r->output[r->output_count++].name = r->part->blocks[i].name;
    return r;
}

static oak_status join(trial_running *r)
{
    unsigned source;
    const oak_outside outside = {.context = r, .pin_changed = trial_pin_changed};
    return oak_session_join(r->session, &outside, &source);
}

oak_status oak_trial_run(oak_trials *trials, unsigned number, uint64_t case_number, oak_session *session,
                         oak_board *board, bool (*goes_on)(void *, uint64_t), void *context,
                         const oak_diag_sink *sink, oak_trial_result *result)
{
    if (!trials || !session || !sink || !result) return OAK_MISUSE;
    if (number >= trials->count || case_number >= trial_reach(&trials->list[number])) return OAK_OUT_OF_RANGE;
    trial_running *r = running_of(trials, number, case_number, session, board, sink, result);
    if (!r) return OAK_NO_MEMORY;
    r->budget.breathe = goes_on, r->budget.context = context;
    oak_status status = join(r);
    return status ? status : run_case(r);
}

oak_status oak_trial_give(oak_trials *trials, unsigned number, uint64_t case_number, oak_session *session,
                          oak_board *board, const oak_diag_sink *sink)
{
    if (!trials || !session || !sink) return OAK_MISUSE;
    oak_trial_result result;
    if (number >= trials->count || case_number >= trial_reach(&trials->list[number])) return OAK_OUT_OF_RANGE;
    trial_running *r = running_of(trials, number, case_number, session, board, sink, &result);
    if (!r) return OAK_NO_MEMORY;
    oak_status status = place_call(r);
    if (!status) status = give(r);
    return status ? status : give_acts(r, true);
}

/* ------------------------------------------------------------------------------------------ what cases have in common */

/* "door open at 5ms": the cycle; 0 where there is none. */
static uint64_t time_of_act(const trial_running *r, const char *text)
{
    uint64_t picoseconds;
    for (size_t at = oak_length(text); at-- > 0;)
        if (oak_length(text + at) > 4 && oak_same_name(text + at, 4, " at "))
            return oak_read_time(text + at + 4, oak_length(text + at + 4), &picoseconds)
                       ? 0
                       : oak_time_to_cycles(picoseconds, oak_session_clock(r->session),
                                            r->part->clocks_per_cycle);
    return 0;
}

static bool any_mention(const oak_trials *trials, const trial *one, const trial_list *list, bool bare)
{
    for (unsigned i = 0; i < list->count; i++)
        if (trial_mentions(trials, one, list->items[i].text, bare)) return true;
    return false;
}

/* Is all but acts and what is looked at in the end the same for all? */
static bool is_common(const oak_trials *trials, const trial *one)
{
    if (any_mention(trials, one, &one->given, true) || any_mention(trials, one, &one->drives, false))
        return false;
    for (unsigned i = 0; i < one->expectation_count; i++) {
        const trial_expectation *what = &one->expectations[i];
        if (what->when != TRIAL_AT_END &&
            (trial_mentions(trials, one, what->value.text, true) ||
             (what->event.text && trial_mentions(trials, one, what->event.text, true)) ||
             any_mention(trials, one, &what->events, true)))
            return false;
    }
    return true;
}

uint64_t oak_trial_parting(const oak_trials *trials, unsigned number, uint64_t case_number,
                           const oak_session *session)
{
    if (!trials || !session) return 0;
    const trial *one = &trials->list[number];
    trial_running r = {.session = (oak_session *)session, .part = oak_session_part(session)};
    uint64_t first = UINT64_MAX;
    char text[TRIAL_LONGEST];
    if (number >= trials->count || !is_common(trials, one)) return 0;
    for (unsigned i = 0; i < one->acts.count; i++) {
        if (!trial_mentions(trials, one, one->acts.items[i].text, false)) continue;
        if (!trial_fill(trials, one, case_number, one->acts.items[i].text, false, text, sizeof text))
            return 0;
        uint64_t at = time_of_act(&r, text);
        if (at < first) first = at;
    }
    return first;
}

bool oak_trial_share(oak_trials *trials, unsigned number, oak_session *session, oak_board *board,
                     uint64_t until, bool (*goes_on)(void *, uint64_t), void *context,
                     oak_trial_result *result)
{
    if (!trials || !session || !result) return false;
    enum { MARGIN = 256 }; /* cycles: more than the longest instruction has, and the entry of an interrupt */
    trial_running *r = trials->running;
    bool over = false;
    if (number >= trials->count) return false;
    if (!r || r->stage == TRIAL_NEW || r->session != session) {
        r = running_of(trials, number, 0, session, board, &oak_silent, result);
        if (!r || join(r) || place_call(r) || !result->passed) return false;
    }
    r->budget.breathe = goes_on, r->budget.context = context;
    if (until <= 2 * MARGIN) return true;
    if (r->stage == TRIAL_PLACED && (give(r) || begin_all(r) || !result->passed)) return false;
    return !advance(r, until - MARGIN, &over) && !over && now(r).cycles < until;
}

oak_status oak_trial_go_on(oak_trials *trials, uint64_t case_number, bool (*goes_on)(void *, uint64_t),
                           void *context, const oak_diag_sink *sink, oak_trial_result *result)
{
    if (!trials || !sink || !result) return OAK_MISUSE;
    trial_running *r = trials->running;
    if (!r || r->stage == TRIAL_NEW) return OAK_MISUSE;
    *result = *r->result;
    r->result = result;
    r->number = case_number;
    r->sink = sink;
    r->budget.breathe = goes_on, r->budget.context = context;
    return run_case(r);
}

/* ------------------------------------------------------------------------------------------ what there is */

void oak_trials_show_golden(oak_trials *trials, oak_trial_golden_fn show, void *context)
{
    if (!trials) return;
    trials->show = show;
    trials->show_context = context;
}

void oak_trials_free(oak_trials *trials)
{
    if (!trials) return;
    const oak_host *host = trials->arena.host;
    oak_arena_close(&trials->arena);
    host->resize(host->context, trials, sizeof *trials, 0);
}

const oak_trials_about *oak_trials_about_of(const oak_trials *trials)
{
    if (!trials) return NULL;
    return &trials->about;
}

const oak_trial_about *oak_trial_at(const oak_trials *trials, unsigned number)
{
    if (!trials) return NULL;
    return number < trials->count ? &trials->list[number].about : NULL;
}

bool oak_trial_find(const oak_trials *trials, const char *text, unsigned *number, uint64_t *case_number)
{
    if (!trials || !text || !number || !case_number) return false;
    size_t length = oak_length(text), name = length, used;
    while (name && oak_is_digit(text[name - 1])) name--;
    bool has_case = name < length && name > 1 && text[name - 1] == '/';
    *case_number = 0;
    for (unsigned pass = has_case ? 0 : 1; pass < 2; pass++) {
        size_t compared = pass ? length : name - 1;
        for (*number = 0; *number < trials->count; ++*number) {
            const oak_trial_about *about = &trials->list[*number].about;
            if (oak_length(about->name) != compared || !oak_same_name(text, compared, about->name)) continue;
            if (pass) return true;
            if (oak_read_number(text + name, text + length, case_number, &used) || !*case_number ||
                *case_number > trial_reach(&trials->list[*number]))
                return false;
            --*case_number;
            return true;
        }
    }
    return false;
}
