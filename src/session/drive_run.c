/* drive_run.c — driving pins over time: when each drive changes next, worked out from its description alone, so that nothing
 * drifts and the same seed gives the same run. */
#include <oakspindle/print.h>

#include "base/bytes.h"
#include "base/ratio.h"
#include "session/session_state.h"

static uint64_t cycles_of(const oak_session *session, drive_time time)
{
    uint64_t more =
        oak_time_to_cycles(time.picoseconds, session->clock_millihertz, session->part->clocks_per_cycle);
    return more > UINT64_MAX - time.cycles ? UINT64_MAX : time.cycles + more;
}

static uint64_t later(uint64_t cycle, uint64_t cycles)
{
    return cycles > UINT64_MAX - cycle ? UINT64_MAX : cycle + cycles;
}

static drive_time sum(drive_time a, drive_time b)
{
    return (drive_time){a.cycles + b.cycles, a.picoseconds + b.picoseconds};
}

/* The cycle, rounded up, in which `count` periods of a rate in 1/1000 Hz are over. */
static uint64_t cycles_of_periods(const oak_session *session, uint64_t count, uint64_t rate)
{
    uint64_t clocks = oak_scaled(count, session->clock_millihertz, rate, true);
    return clocks / session->part->clocks_per_cycle + (clocks % session->part->clocks_per_cycle != 0);
}

/* A number below `limit`, from 0. */
static uint64_t draw(drive *one, uint64_t limit)
{
    one->random += 0x9E3779B97F4A7C15u;
    uint64_t z = one->random;
    z = (z ^ z >> 30) * 0xBF58476D1CE4E5B9u;
    z = (z ^ z >> 27) * 0x94D049BB133111EBu;
    return limit ? (z ^ z >> 31) % limit : 0;
}

/* ------------------------------------------------------------------------------------------ the kinds */

/* Each works out the next change: `due` and the level, or finished. */

/* Begins the next item and works out when it ends. */
static void next_level(oak_session *session, drive *one)
{
    const drive_item *item = &one->items[one->next++];
    drive_time began = one->begins;
    one->before = one->settled;
    one->settled = one->level = item->level;
    one->bouncing = item->bounce.cycles || item->bounce.picoseconds;
    if (one->bouncing) {
        one->bounce_end = later(one->origin, cycles_of(session, sum(began, item->bounce)));
        one->bounce_due = one->due;
    }
    bool last = !item->timed || (one->next == one->count && !one->repeats);
    if (item->until) one->begins = item->time;
    else one->begins = sum(one->begins, item->time);
    if (one->next == one->count && one->repeats) {
        one->next = 0;
        while (one->items[one->next].until && one->next + 1 < one->count)
            one->next++; /* what had a fixed end is over */
    }
    one->due = last ? UINT64_MAX : later(one->origin, cycles_of(session, one->begins));
}

/* The contact opens and closes at random until it settles. */
static void next_bounce(drive *one)
{
    uint64_t now = one->bounce_due;
    if (now >= one->bounce_end || one->bounce_end >= one->due) {
        one->level = one->settled;
        one->bouncing = false;
        return;
    }
    uint64_t left = one->bounce_end - now;
    one->bounce_due = now + 1 + draw(one, left / 4 + 1);
    if (one->bounce_due > one->bounce_end) one->bounce_due = one->bounce_end;
}

static void plan_pulse(oak_session *session, drive *one)
{
    uint64_t number = one->index / 2, from = later(one->origin, cycles_of(session, one->from));
    bool ends = one->index % 2;
    uint64_t until = one->until.cycles || one->until.picoseconds
                         ? later(one->origin, cycles_of(session, one->until))
                         : UINT64_MAX;
    enum { WHOLE = 100000 };
    if (one->times && number >= one->times) {
        one->due = UINT64_MAX;
        return;
    }
    if (one->rate) {
        uint64_t clocks = oak_scaled(number * WHOLE + (ends ? one->share : 0), session->clock_millihertz,
                                     one->rate * WHOLE, true);
        uint32_t per = session->part->clocks_per_cycle;
        one->due = later(from, clocks / per + (clocks % per != 0));
    } else {
        drive_time at = {one->period.cycles * number, one->period.picoseconds * number};
        one->due = later(from, cycles_of(session, ends ? sum(at, one->width) : at));
    }
    if (!ends && one->due >= until) one->due = UINT64_MAX;
    else if (one->due > until) one->due = until;
}

static bool has_gaps(const drive *one)
{
    return one->period.cycles || one->period.picoseconds;
}

static unsigned frame_bits(const drive *one)
{
    return 9u + (one->parity ? 1u : 0u) + one->stop_bits;
}

/* Changes of a frame: its bits, and where there is a gap behind it the line that idles. */
static unsigned frame_steps(const drive *one)
{
    return frame_bits(one) + (has_gaps(one) ? 1u : 0u);
}

static oak_level frame_level(const drive *one, unsigned frame, unsigned bit)
{
    if (frame >= one->byte_count || bit >= frame_bits(one)) return OAK_HIGH;
    uint8_t byte = one->bytes[frame];
    if (bit == 0) return OAK_LOW;
    if (bit <= 8) return byte >> (bit - 1) & 1 ? OAK_HIGH : OAK_LOW;
    if (bit == 9 && one->parity) {
        unsigned ones = 0;
        for (unsigned i = 0; i < 8; i++) ones += (unsigned)(byte >> i) & 1u;
        return (ones + (one->parity == 1)) % 2 ? OAK_HIGH : OAK_LOW;
    }
    return frame + 1 == one->bad_stop ? OAK_LOW : OAK_HIGH;
}

/* Change n of all; the last one lets the line idle. */
static void plan_bit(oak_session *session, drive *one)
{
    unsigned steps = frame_steps(one), bits = frame_bits(one);
    uint64_t frame = one->index / steps, bit = one->index % steps, from = cycles_of(session, one->from);
    if (one->index > (uint64_t)steps * one->byte_count) {
        one->due = UINT64_MAX;
        return;
    }
    if (frame && one->index == (uint64_t)steps * one->byte_count)
        frame--, bit = bits; /* the end of the last one */
    if (has_gaps(one)) {
        drive_time at = {one->period.cycles * frame, one->period.picoseconds * frame};
        from = later(from, cycles_of(session, at));
        frame = 0;
    }
    one->due = later(one->origin, later(from, cycles_of_periods(session, frame * bits + bit, one->baud)));
}

static void plan_random(oak_session *session, drive *one)
{
    uint64_t least = cycles_of(session, one->least), most = cycles_of(session, one->most);
    uint64_t length = least + draw(one, most > least ? most - least + 1 : 1);
    uint64_t until = one->until.cycles || one->until.picoseconds
                         ? later(one->origin, cycles_of(session, one->until))
                         : UINT64_MAX;
    one->due = later(one->due, length ? length : 1);
    if (one->due >= until) one->due = UINT64_MAX;
}

/* ------------------------------------------------------------------------------------------ all of them */

static void plan(oak_session *session, drive *one)
{
    switch (one->kind) {
    case DRIVE_PULSES: plan_pulse(session, one); break;
    case DRIVE_BYTES: plan_bit(session, one); break;
    case DRIVE_RANDOM: plan_random(session, one); break;
    default: break;
    }
}

/* The change that is due: what to drive from now on. */
static oak_level change(oak_session *session, drive *one)
{
    if (one->kind == DRIVE_LEVELS) {
        if (one->bouncing && one->bounce_due < one->due) {
            one->level = one->level == one->settled ? one->before : one->settled;
            next_bounce(one);
            return one->level;
        }
        next_level(session, one);
        if (one->bouncing) next_bounce(one);
        return one->level;
    }
    uint64_t index = one->index++;
    bool odd = index % 2;
    if (one->kind == DRIVE_PULSES) one->level = odd == one->inverted ? OAK_HIGH : OAK_LOW;
    else if (one->kind == DRIVE_RANDOM) one->level = odd ? OAK_LOW : OAK_HIGH;
    else
        one->level =
            frame_level(one, (unsigned)(index / frame_steps(one)), (unsigned)(index % frame_steps(one)));
    plan(session, one);
    return one->level;
}

static uint64_t due_of(const drive *one)
{
    return one->bouncing && one->bounce_due < one->due ? one->bounce_due : one->due;
}

/* Begins it at a cycle. */
static void begin(oak_session *session, drive *one, uint64_t origin)
{
    one->finished = one->bouncing = false;
    one->origin = one->due = origin;
    one->index = one->next = 0;
    one->begins = (drive_time){0};
    if (one->kind == DRIVE_RANDOM) one->due = later(origin, cycles_of(session, one->from));
    plan(session, one);
}

void session_rewind_drive(oak_session *session, drive *one)
{
    one->random = one->seed;
    one->level = one->settled = one->before = OAK_FLOAT;
    begin(session, one, 0);
    one->finished = one->triggered;
    one->fired = false;
}

void session_rewind_drives(oak_session *session)
{
    for (size_t i = 0; i < session->drive_count; i++) session_rewind_drive(session, &session->drives[i]);
}

/* What stands on the pin before its first pulse, byte or random change. */
static oak_level idle_level(const drive *one)
{
    bool high = one->kind == DRIVE_BYTES || (one->kind == DRIVE_PULSES && one->inverted);
    return high ? OAK_HIGH : OAK_LOW;
}

uint64_t session_apply_drives(oak_session *session, uint64_t now)
{
    uint64_t soonest = UINT64_MAX;
    for (size_t i = 0; i < session->drive_count; i++) {
        drive *one = &session->drives[i];
        bool changed = false;
        if (one->kind != DRIVE_LEVELS && one->level == OAK_FLOAT) {
            one->level = idle_level(one);
            changed = true;
        }
        while (!one->finished && due_of(one) <= now) {
            change(session, one);
            changed = true;
        }
        if (changed && oak_session_put(session, 0, one->pin, one->level)) session->lost = true;
        if (!one->finished && due_of(one) < soonest) soonest = due_of(one);
    }
    return soonest;
}

bool session_trigger_drives(oak_session *session, unsigned pin, oak_level level, uint64_t now)
{
    bool any = false;
    for (size_t i = 0; i < session->drive_count; i++) {
        drive *one = &session->drives[i];
        if (!one->triggered || one->trigger_pin != pin) continue;
        if (!(level == OAK_HIGH ? one->on_rise : level == OAK_LOW && one->on_fall)) continue;
        if (one->once && one->fired) continue;
        one->fired = true;
        begin(session, one, later(now, cycles_of(session, one->delay)));
        any = true;
    }
    return any;
}
