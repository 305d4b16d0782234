/* shape.c — how regular a recorded pin is: its frequency, the share of time it is high, the lengths of its pulses, every one of them held
 * against what is wanted. */
#include <oakspindle/print.h>

#include "trial/trial_state.h"

/* A value and how far another may lie from it, in millionths. */
typedef struct wish {
    double value, off;
    bool given;
} wish;

static bool number(const char *text, size_t length, double *value)
{
    double all = 0, part = 1;
    bool point = false, any = false;
    for (size_t i = 0; i < length; i++) {
        if (text[i] == '.' && !point) point = true;
        else if (oak_is_digit(text[i])) {
            any = true;
            if (point) all += (part /= 10) * (text[i] - '0');
            else all = all * 10 + (text[i] - '0');
        } else return false;
    }
    *value = all;
    return any;
}

/* "VALUE +- 2%", "VALUE +- 5us"; kind: 'f'requency in Hz, 'd'uty in parts of 1, 't'ime in seconds. */
static bool read_value(const char *text, size_t length, char kind, double *value)
{
    char copy[60];
    uint64_t exact;
    while (length && text[length - 1] == ' ') length--;
    while (length && *text == ' ') text++, length--;
    if (!length || length >= sizeof copy) return false;
    oak_format(copy, sizeof copy, "%.*s", (int)length, text);
    if (kind == 'd') {
        if (copy[length - 1] != '%' || !number(copy, length - 1, value)) return false;
        *value /= 100;
        return true;
    }
    if (kind == 'f') {
        if (oak_read_frequency(copy, &exact)) return false;
        *value = (double)exact / 1000;
        return true;
    }
    if (oak_read_time(copy, length, &exact)) return false;
    *value = (double)exact / 1e12;
    return true;
}

static bool read_wish(const char *text, size_t length, char kind, wish *one)
{
    size_t mark = 0;
    double off;
    while (mark + 1 < length && !(text[mark] == '+' && text[mark + 1] == '-')) mark++;
    bool has = mark + 1 < length;
    if (one->given || !read_value(text, has ? mark : length, kind, &one->value)) return false;
    one->given = true;
    one->off = one->value / 1000;
    if (!has) return true;
    const char *rest = text + mark + 2;
    size_t left = length - mark - 2;
    while (left && rest[left - 1] == ' ') left--;
    while (left && *rest == ' ') rest++, left--;
    if (left && rest[left - 1] == '%' && number(rest, left - 1, &off)) {
        one->off = kind == 'd' ? off / 100 : one->value * off / 100;
        return true;
    }
    if (!read_value(rest, left, kind, &off)) return false;
    one->off = off;
    return true;
}

static void write_seconds(double seconds, char *text, size_t room)
{
    oak_write_time((uint64_t)(seconds * 1e9 + 0.5), 1000000000000u, 1, text, room);
}

/* A length of time or a frequency is off: what it is. */
static bool off_by(const wish *one, double value, char kind, const char *name, double at, char *found,
                   size_t room)
{
    char text[60], when[60];
    double differs = value > one->value ? value - one->value : one->value - value;
    if (!one->given || differs <= one->off + one->value * 1e-9) return false;
    if (kind == 'd')
        oak_format(text, sizeof text, "%u.%u %%", (unsigned)(value * 1000 + 0.5) / 10,
                   (unsigned)(value * 1000 + 0.5) % 10);
    else if (kind == 'f') oak_write_frequency((uint64_t)(value * 1000 + 0.5), text, sizeof text);
    else write_seconds(value, text, sizeof text);
    write_seconds(at, when, sizeof when);
    oak_format(found, room, "%s is %s in the period from %s", name, text, when);
    return true;
}

bool trial_shape_holds(const oak_trace *trace, const char *pin, uint64_t from_cycle, const char *wanted,
                       char *found, size_t room, bool *refused)
{
    wish frequency = {0}, duty = {0}, high = {0}, low = {0};
    *refused = false;
    for (const char *at = wanted; *at;) {
        const char *end = at;
        while (*end && *end != ',') end++;
        while (*at == ' ') at++;
        size_t length = (size_t)(end - at);
        bool good = length > 5 && oak_same_name(at, 5, "duty ")   ? read_wish(at + 5, length - 5, 'd', &duty)
                    : length > 5 && oak_same_name(at, 5, "high ") ? read_wish(at + 5, length - 5, 't', &high)
                    : length > 4 && oak_same_name(at, 4, "low ")  ? read_wish(at + 4, length - 4, 't', &low)
                                                                  : read_wish(at, length, 'f', &frequency);
        if (!good) {
            *refused = true;
            return false;
        }
        at = *end ? end + 1 : end;
    }
    unsigned signal = 0, periods = 0;
    const oak_trace_signal *about;
    while ((about = trace ? oak_trace_signal_at(trace, signal) : NULL) &&
           !oak_same_name(pin, oak_length(pin), about->name))
        signal++;
    oak_trace_change change;
    double rose = -1, fell = -1;
    uint32_t level = 2;
    for (size_t i = 0; about && oak_trace_change_at(trace, i, &change); i++) {
        if (change.signal != signal || change.time < from_cycle) continue;
        uint32_t now = change.other & 1 ? 2 : change.value & 1;
        double time = (double)oak_trace_picoseconds(trace, change.time) / 1e12;
        if (now == 1 && level == 0) {
            if (rose >= 0 && fell >= 0) {
                double period = time - rose, up = fell - rose;
                periods++;
                if (off_by(&frequency, 1 / period, 'f', "the frequency", rose, found, room) ||
                    off_by(&duty, up / period, 'd', "the duty", rose, found, room) ||
                    off_by(&high, up, 't', "the high time", rose, found, room) ||
                    off_by(&low, period - up, 't', "the low time", rose, found, room))
                    return false;
            }
            rose = time, fell = -1;
        } else if (now == 0 && level == 1) fell = time;
        level = now;
    }
    if (periods) return true;
    oak_format(found, room, "%s has no whole period", pin);
    return false;
}
