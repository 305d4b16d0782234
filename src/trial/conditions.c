/* conditions.c — what is asked of a chip: texts, expressions, pins; and what was found instead. */
#include <oakspindle/print.h>

#include "base/bytes.h"
#include "session/session_state.h"
#include "trial/running.h"

/* Mistakes in what a trial says are told in its file. */
static void tell_there(void *context, const oak_diagnostic *d)
{
    trial_running *r = context;
    oak_diagnostic there = *d;
    there.file = r->trials->path;
    there.line = r->reads->line;
    there.column = r->reads->column;
    there.column_end = r->reads->column + 1;
    there.source_line = NULL;
    there.edit = NULL;
    r->sink->report(r->sink->context, &there);
}

oak_diag_sink trial_sink(trial_running *r, const trial_text *reads)
{
    r->reads = reads;
    return (oak_diag_sink){.context = r, .report = tell_there};
}

uint64_t trial_cycles(const trial_running *r, const trial_span *span)
{
    return span->is_cycles ? span->cycles
                           : oak_time_to_cycles(span->picoseconds, oak_session_clock(r->session),
                                                r->part->clocks_per_cycle);
}

/* ------------------------------------------------------------------------------------------ conditions */

void trial_take_output(trial_running *r, unsigned number)
{
    enum { PIECE = 256 };
    for (size_t more = PIECE; more == PIECE && r->output[number].count < TRIAL_LONGEST_OUTPUT;) {
        size_t count = r->output[number].count, room = r->output[number].room, timed = 0;
        if (count + PIECE > room) {
            room = room ? room * 2 : 4 * (size_t)PIECE;
            uint8_t *bytes = oak_arena_take(&r->trials->arena, room);
            uint64_t *at = oak_arena_zero(&r->trials->arena, room * sizeof *at);
            if (!bytes || !at) return;
            if (count) memcpy(bytes, r->output[number].bytes, count);
            if (count) memcpy(at, r->output[number].at, count * sizeof *at);
            r->output[number].bytes = bytes, r->output[number].at = at, r->output[number].room = room;
        }
        if (r->chip.ops->sent_at)
            (void)!r->chip.ops->sent_at(r->chip.chip, number, r->output[number].at + count, PIECE, &timed);
        if (r->chip.ops->take_output(r->chip.chip, number, r->output[number].bytes + count, PIECE, &more))
            return;
        r->output[number].count += more;
    }
}

/* Bytes that were sent by a serial port, or that a stand-in has printed. */
static const uint8_t *printed_by(trial_running *r, const char *name, size_t length, size_t *count)
{
    static const uint8_t nothing[1] = {0};
    oak_stand_in *who = r->board ? oak_board_find(r->board, name, length) : NULL;
    const uint8_t *printed = who ? oak_stand_in_printed(who, count) : NULL;
    if (who) return !printed && oak_stand_in_kind_of(who)->type ? nothing : printed;
    for (unsigned i = 0; i < r->output_count; i++) {
        if (!oak_same_name(name, length, r->output[i].name)) continue;
        trial_take_output(r, i);
        *count = r->output[i].count;
        return r->output[i].bytes ? r->output[i].bytes : nothing;
    }
    return NULL;
}

/* Does a text fit a pattern: * any characters, ? any one? */
static bool fits(const char *text, size_t length, const char *pattern)
{
    const char *star = NULL;
    size_t at = 0, back = 0;
    while (at < length) {
        if (*pattern == '*') star = pattern++, back = at;
        else if (*pattern && (*pattern == '?' || *pattern == text[at])) pattern++, at++;
        else if (star) pattern = star + 1, at = ++back;
        else return false;
    }
    while (*pattern == '*') pattern++;
    return !*pattern;
}

/* "ab\n" into bytes; the length, or SIZE_MAX. */
static size_t quoted(const char *text, char *bytes, size_t room)
{
    size_t count = 0;
    if (*text++ != '"') return SIZE_MAX;
    for (; *text && *text != '"'; text++) {
        char c = *text == '\\' && text[1] ? oak_escaped(&text) : *text;
        if (count + 1 >= room) return SIZE_MAX;
        bytes[count++] = c;
    }
    bytes[count] = 0;
    return *text == '"' && !text[1] ? count : SIZE_MAX;
}

static void shown_text(const char *bytes, size_t count, char *text, size_t room)
{
    size_t used = 0;
    for (size_t i = 0; i < count && used + 5 < room; i++) {
        char c = bytes[i];
        if (c == '\n' || c == '\r' || c == '"' || c == '\\') {
            text[used++] = '\\';
            c = (char)(c == '\n' ? 'n' : c == '\r' ? 'r' : c);
        }
        text[used++] = (char)(c >= ' ' && c < 127 ? c : '.');
    }
    text[used] = 0;
}

/* `lcd shows "…"`, `serial printed like "…*…"`. 1 and 0: it is such a condition, and holds or not; -1: it is none; -2: refused. */
int trial_text_holds(trial_running *r, const trial_text *from, const char *condition, char *found,
                     size_t room)
{
    static const char *const verbs[] = {" shows like ", " printed like ", " shows ", " printed "};
    for (unsigned i = 0; i < 4; i++) {
        size_t length = oak_length(verbs[i]);
        for (const char *at = condition; *at && *at != '"'; at++) {
            if (*at != ' ' || oak_length(at) < length || !oak_same_name(at, length, verbs[i])) continue;
            char wanted[TRIAL_LONGEST], text[TRIAL_LONGEST_OUTPUT];
            const char *name = condition;
            size_t name_length = (size_t)(at - condition), count = 0,
                   size = quoted(at + length, wanted, sizeof wanted);
            if (size == SIZE_MAX) {
                TRIAL_REFUSE(r->sink, r->trials, from, "trial", "Write it as `lcd shows \"12.5 g\"`.",
                             "a text in quotes is wanted at the end");
                return -2;
            }
            const uint8_t *bytes = NULL;
            if (i % 2) bytes = printed_by(r, name, name_length, &count);
            else {
                oak_stand_in *who = r->board ? oak_board_find(r->board, name, name_length) : NULL;
                if (who)
                    oak_stand_in_show(who, text, sizeof text), bytes = (const uint8_t *)text,
                                                               count = oak_length(text);
            }
            if (!bytes) {
                TRIAL_REFUSE(
                    r->sink, r->trials, from, "trial",
                    i % 2 ? "Write the name of a serial port of the part, or of a terminal on the board."
                          : "Write the name of something on the board.",
                    "there is nothing called `%.*s` that %s", (int)name_length, name,
                    i % 2 ? "prints" : "shows something");
                return -2;
            }
            char shown[200];
            shown_text((const char *)bytes, count, shown, sizeof shown);
            oak_format(found, room, "%.*s %s \"%s\"", (int)name_length, name, i % 2 ? "printed" : "shows",
                       shown);
            if (i < 2) return fits((const char *)bytes, count, wanted);
            return count == size && !memcmp(bytes, wanted, size);
        }
    }
    return -1;
}

/* The two sides of a comparison, for telling what was found. */
void trial_tell_sides(trial_running *r, const char *condition, char *found, size_t room)
{
    unsigned depth = 0;
    for (const char *at = condition; *at; at++) {
        if (*at == '(' || *at == '[') depth++;
        if (*at == ')' || *at == ']') depth -= depth > 0;
        bool two = (at[0] == '=' && at[1] == '=') || (at[0] == '!' && at[1] == '=') ||
                   (at[0] == '<' && at[1] == '=') || (at[0] == '>' && at[1] == '=');
        bool shift =
            (at[0] == '<' || at[0] == '>') && (at[1] == at[0] || (at > condition && at[-1] == at[0]));
        bool joins = (at[0] == '&' && at[1] == '&') || (at[0] == '|' && at[1] == '|');
        if (!depth && joins) break;
        if (depth || shift || !(two || *at == '<' || *at == '>')) continue;
        char left[TRIAL_LONGEST];
        const char *right = at + (two ? 2 : 1);
        for (const char *rest = right; *rest; rest++)
            if ((rest[0] == '&' && rest[1] == '&') || (rest[0] == '|' && rest[1] == '|')) return;
        oak_reading a, b;
        size_t length = (size_t)(at - condition);
        while (length && condition[length - 1] == ' ') length--;
        oak_format(left, sizeof left, "%.*s", (int)length, condition);
        while (*right == ' ') right++;
        if (oak_session_value(r->session, left, &oak_silent, &a) ||
            oak_session_value(r->session, right, &oak_silent, &b))
            return;
        bool plain = true; /* a number as it is written */
        for (const char *digit = right; *digit; digit++) plain = plain && oak_is_word(*digit);
        plain = plain && oak_is_digit(*right);
        oak_format(found, room, "%s is %lld", left, (long long)a.value);
        if (!plain)
            oak_format(found + oak_length(found), room - oak_length(found), ", %s is %lld", right,
                       (long long)b.value);
        return;
    }
    oak_reading value;
    if (!oak_session_value(r->session, condition, &oak_silent, &value))
        oak_format(found, room, "it is %lld", (long long)value.value);
}

/* Whether a condition holds now. */
oak_status trial_holds(trial_running *r, const trial_text *from, const char *condition, bool *result,
                       char *found, size_t room)
{
    int text = trial_text_holds(r, from, condition, found, room);
    r->result->checks++;
    if (text == -2) return OAK_REFUSED;
    if (text >= 0) {
        *result = text;
        return OAK_OK;
    }
    oak_diag_sink sink = trial_sink(r, from);
    oak_reading value;
    oak_status status = oak_session_value(r->session, condition, &sink, &value);
    *result = !status && value.value;
    if (!status && !*result && found) trial_tell_sides(r, condition, found, room);
    return status;
}

/* ------------------------------------------------------------------------------------------ pins */

/* An expression of pins, with levels put in: bit n of `levels` is that of the nth pin. False where it is one of anything else, or of too
 * many. */
static bool levels_of(const trial_running *r, const char *text, unsigned levels, trial_event *e, char *put,
                      size_t room)
{
    size_t used = 0;
    while (*text && used + 2 < room) {
        const char *end = text;
        unsigned pin, number = 0;
        if (!oak_is_word(*text)) {
            if (*text == '[' || *text == '"') return false;
            put[used++] = *text++;
            continue;
        }
        while (oak_is_word(*end) || *end == '_' || *end == '.' || *end == '\'') end++;
        if (oak_is_digit(*text)) {
            while (text < end && used + 2 < room) put[used++] = *text++;
            continue;
        }
        if (!session_find_pin(r->session, text, (size_t)(end - text), &pin)) return false;
        while (number < e->pin_count && e->pins[number] != pin) number++;
        if (number == TRIAL_MOST_PINS) return false;
        if (number == e->pin_count) e->pins[e->pin_count++] = (uint16_t)pin;
        put[used++] = (char)('0' + (levels >> number & 1));
        text = end;
    }
    put[used] = 0;
    return e->pin_count && !*text;
}

/* Does it hold with the pins as they are? */
static bool pins_hold(const trial_running *r, const trial_event *e)
{
    unsigned levels = 0;
    for (unsigned i = 0; i < e->pin_count; i++) levels |= (unsigned)r->level[e->pins[i]] << i;
    return e->table >> levels & 1;
}

/* Works the table out; false where it is no expression of pins. */
bool trial_make_table(trial_running *r, trial_event *e)
{
    char put[TRIAL_LONGEST];
    oak_reading value;
    e->pin_count = 0;
    e->table = 0;
    if (!levels_of(r, e->text, 0, e, put, sizeof put)) return false;
    for (unsigned levels = 0; levels < 1u << e->pin_count; levels++) {
        if (!levels_of(r, e->text, levels, e, put, sizeof put) ||
            oak_session_value(r->session, put, &oak_silent, &value))
            return false;
        e->table |= (uint64_t)(value.value != 0) << levels;
    }
    e->was = pins_hold(r, e);
    return e->is_pins = true;
}

/* True when it has become true. */
static bool pins_become(trial_running *r, trial_event *e)
{
    bool before = e->was;
    e->was = pins_hold(r, e);
    return e->was && !before;
}

void trial_pin_changed(void *context, unsigned pin, oak_level level, uint64_t cycle)
{
    trial_running *r = context;
    uint8_t now_is = level == OAK_HIGH || level == OAK_PULLED_HIGH;
    if (!r->looks || pin >= sizeof r->level || r->level[pin] == now_is) return;
    r->level[pin] = now_is;
    for (unsigned i = 0; i < r->one->expectation_count; i++) {
        const trial_expectation *what = &r->one->expectations[i];
        trial_progress *p = &r->list[i];
        if (p->broken) continue;
        switch (what->when) {
        case TRIAL_ALWAYS:
        case TRIAL_NEVER:
            if (!p->condition.is_pins || !pins_become(r, &p->condition)) break;
            p->broken = true;
            p->at = cycle;
            break;
        case TRIAL_WITHIN:
            if (!p->condition.is_pins) break;
            if (p->pending && cycle > p->deadline) {
                p->broken = true;
                p->at = p->deadline;
                break;
            }
            if (pins_become(r, &p->event) && !p->pending) {
                p->pending = p->done = true;
                p->since = cycle;
                p->deadline = cycle + trial_cycles(r, &what->span);
            }
            if (p->pending) r->result->checks++;
            if (!p->pending || !pins_hold(r, &p->condition)) break;
            p->pending = false;
            if (cycle - p->since > p->most) p->most = cycle - p->since;
            break;
        case TRIAL_IN_ORDER: {
            unsigned step = p->step;
            for (unsigned e = 0; e < p->order_count; e++)
                if (p->order[e].is_pins && pins_become(r, &p->order[e]) && e == step)
                    p->step = step + 1, r->result->checks++;
            break;
        }
        default: break;
        }
    }
}

void trial_look_at_pins(trial_running *r)
{
    for (unsigned port = 0; port < r->part->port_count; port++)
        for (unsigned bit = 0; bit < r->part->ports[port].pin_count; bit++) {
            oak_pin pin = {0};
            unsigned number = port * OAK_MOST_PINS + bit;
            r->chip.ops->read_pin(r->chip.chip, number, &pin);
            r->level[number] = pin.result == OAK_HIGH || pin.result == OAK_PULLED_HIGH;
        }
    r->looks = true;
}
