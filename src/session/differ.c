/* differ.c — two traces beside each other: where the one does what the other did not. */
#include "base/bytes.h"
#include "session/trace_state.h"

typedef struct pairing {
    const oak_trace *before, *now;
    uint64_t off;
    oak_trace_difference *list;
    size_t room, count, kept; /* kept: how many of the list are filled, in the order of time */
} pairing;

/* The number of the next change of a signal from `at` on; SIZE_MAX behind the last. */
static size_t next_of(const oak_trace *trace, unsigned signal, size_t at)
{
    while (at < trace->change_count && trace_change(trace, at).signal != signal) at++;
    return at < trace->change_count ? at : SIZE_MAX;
}

/* The first one that tells something: dumps say of what is not known yet that it is not known. */
static size_t first_of(const oak_trace *trace, unsigned signal)
{
    unsigned bits = trace->signals[signal].about.bits;
    uint32_t all = bits < 32 ? ((uint32_t)1 << bits) - 1 : UINT32_MAX;
    size_t at = next_of(trace, signal, 0);
    for (; at != SIZE_MAX; at = next_of(trace, signal, at + 1)) {
        const oak_trace_change change = trace_change(trace, at);
        if ((change.other & change.value & all) != all) break;
    }
    return at;
}

static bool same_signal(const char *a, const char *b)
{
    for (; *a && *b; a++, b++)
        if ((*a <= ' ' ? '_' : *a) != (*b <= ' ' ? '_' : *b)) return false;
    return *a == *b;
}

static int find_signal(const oak_trace *trace, const oak_trace_signal *wanted)
{
    for (size_t i = 0; i < trace->signal_count; i++)
        if (same_signal(trace->signals[i].about.name, wanted->name)) return (int)i;
    return -1;
}

static uint64_t time_of(const oak_trace_difference *one)
{
    return one->in_now ? one->now_time : one->before_time;
}

/* Keeps the earliest ones. */
static void tell(pairing *p, const oak_trace_difference *one)
{
    p->count++;
    size_t at = p->kept;
    if (at == p->room) {
        if (!at || time_of(&p->list[at - 1]) <= time_of(one)) return;
        at--;
    } else p->kept++;
    while (at && time_of(&p->list[at - 1]) > time_of(one)) p->list[at] = p->list[at - 1], at--;
    p->list[at] = *one;
}

static uint64_t apart(uint64_t a, uint64_t b)
{
    return a > b ? a - b : b - a;
}

/* The time of a change before, in units of now. */
static uint64_t before_time(const pairing *p, size_t change)
{
    return oak_trace_time(p->now, oak_trace_picoseconds(p->before, trace_change(p->before, change).time));
}

static bool same_value(const pairing *p, size_t before, size_t now)
{
    const oak_trace_change a = trace_change(p->before, before), b = trace_change(p->now, now);
    return a.value == b.value && a.other == b.other;
}

/* Are these two the same, as far as they may be apart? */
static bool agree(const pairing *p, size_t before, size_t now)
{
    return before != SIZE_MAX && now != SIZE_MAX && same_value(p, before, now) &&
           apart(before_time(p, before), trace_change(p->now, now).time) <= p->off;
}

static void compare_signal(pairing *p, unsigned signal_before, unsigned signal_now)
{
    const oak_trace_signal *about = &p->now->signals[signal_now].about;
    size_t i = first_of(p->before, signal_before), k = first_of(p->now, signal_now);
    while (i != SIZE_MAX || k != SIZE_MAX) {
        oak_trace_difference one = {.signal = about->name, .bits = about->bits, .is_event = about->is_event};
        size_t i1 = i == SIZE_MAX ? i : next_of(p->before, signal_before, i + 1),
               k1 = k == SIZE_MAX ? k : next_of(p->now, signal_now, k + 1);
        one.in_before = i != SIZE_MAX, one.in_now = k != SIZE_MAX;
        if (agree(p, i, k)) {
            i = i1, k = k1;
            continue;
        }
        if (one.in_before && one.in_now) {
            /* Does it go on as before behind a pulse that is new, or one that has gone? */
            size_t i2 = i1 == SIZE_MAX ? i1 : next_of(p->before, signal_before, i1 + 1),
                   k2 = k1 == SIZE_MAX ? k1 : next_of(p->now, signal_now, k1 + 1);
            bool gone = agree(p, i1, k) || agree(p, i2, k), new = agree(p, i, k1) || agree(p, i, k2);
            uint64_t then = before_time(p, i), now = trace_change(p->now, k).time;
            if (gone != new) one.in_now = new, one.in_before = gone;
            else if (!same_value(p, i, k) && apart(then, now) > p->off) /* the earlier one stands alone */
                one.in_now = now < then, one.in_before = !one.in_now;
        }
        if (one.in_before) {
            one.before_time = before_time(p, i);
            const oak_trace_change change = trace_change(p->before, i);
            one.before_value = change.value, one.before_other = change.other;
        }
        if (one.in_now) {
            const oak_trace_change change = trace_change(p->now, k);
            one.now_time = change.time;
            one.value = change.value, one.other = change.other;
        }
        one.what = !one.in_now           ? OAK_UNLIKE_MISSING
                   : !one.in_before      ? OAK_UNLIKE_NEW
                   : same_value(p, i, k) ? OAK_UNLIKE_MOVED
                                         : OAK_UNLIKE_VALUE;
        if (one.in_before) i = i1;
        if (one.in_now) k = k1;
        tell(p, &one);
    }
}

void oak_trace_compare(const oak_trace *before, const oak_trace *now, uint64_t off,
                       oak_trace_difference *list, size_t room, size_t *count)
{
    if (!before || !now || !list || !count) return;
    pairing p = {.before = before, .now = now, .off = off, .list = list, .room = room};
    for (unsigned i = 0; i < now->signal_count; i++) {
        int other = find_signal(before, &now->signals[i].about);
        if (other >= 0) compare_signal(&p, (unsigned)other, i);
        else
            tell(&p, &(oak_trace_difference){
                         .what = OAK_UNLIKE_NO_SIGNAL, .signal = now->signals[i].about.name, .in_now = true});
    }
    for (unsigned i = 0; i < before->signal_count; i++)
        if (find_signal(now, &before->signals[i].about) < 0)
            tell(&p, &(oak_trace_difference){.what = OAK_UNLIKE_NO_SIGNAL,
                                             .signal = before->signals[i].about.name,
                                             .in_before = true});
    *count = p.count;
}
