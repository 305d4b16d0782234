/* routines.c — how long routines take, without running them: the fewest and the most cycles from the call's target to the return.
 *
 * A routine is gone through with what is known of the numbers that loops count by: loads of constants, copies, counting. A branch on such a number goes
 * where that says, so a loop with a fixed count is gone round as often as it would be; any other branch goes both ways. What has been found for a place with
 * the same knowledge is kept. Where a way comes back to the same place with the same knowledge, nothing here says how often it goes round. */
#include <oakspindle/look.h>

#include "base/arena.h"
#include "look/looker.h"

enum {
    MOST_KNOWN = 10,
    MOST_DEPTH = 1500, /* branches that go both ways, one inside the other */
    MEMORY = 1 << 16,  /* places with what was known there */
    MOST_STEPS = 60000000,
    ZERO_UNKNOWN = 2
};

/* Why the most is not known. */
typedef enum reason { KNOWN, LOOPS, WAITS, COMPUTED, REPEATS, OUTSIDE, CALLS_ITSELF, TOO_MUCH } reason;

typedef struct knowledge {
    uint32_t count, zero; /* zero: the flag, or ZERO_UNKNOWN */
    struct {
        uint64_t place, value;
    } of[MOST_KNOWN]; /* by place, zeros behind the last */
} knowledge;

typedef struct found {
    uint64_t least, most; /* least: UINT64_MAX where no way comes back */
    uint8_t why;
    uint32_t at;
} found;

typedef struct remembered {
    uint64_t key; /* 0: free */
    bool under_way;
    found found;
} remembered;

typedef struct walker {
    looker *look;
    remembered *memory;
    unsigned used;
    uint64_t steps;
    uint32_t *routine; /* those under way */
    unsigned depth;
} walker;

static uint64_t key_of(oak_place place)
{
    return (uint64_t)place.space << 32 | place.number;
}

static void forget(knowledge *now, uint64_t place)
{
    for (unsigned i = 0; i < now->count; i++)
        if (now->of[i].place == place) {
            now->count--;
            memmove(&now->of[i], &now->of[i + 1], (now->count - i) * sizeof *now->of);
            memset(&now->of[now->count], 0, sizeof *now->of); /* knowledge is compared byte by byte */
            return;
        }
}

static void forget_all(knowledge *now)
{
    memset(now->of, 0, sizeof now->of);
    now->count = 0;
}

static int value_of(const knowledge *now, uint64_t place)
{
    for (unsigned i = 0; i < now->count; i++)
        if (now->of[i].place == place) return (int)now->of[i].value;
    return -1;
}

static void learn(knowledge *now, uint64_t place, uint8_t value)
{
    unsigned at = 0;
    forget(now, place);
    if (now->count == MOST_KNOWN) return;
    while (at < now->count && now->of[at].place < place) at++;
    memmove(&now->of[at + 1], &now->of[at], (now->count - at) * sizeof *now->of);
    now->of[at].place = place, now->of[at].value = value;
    now->count++;
}

static uint64_t hash_of(uint32_t address, const knowledge *now)
{
    uint64_t hash = 0xCBF29CE484222325u ^ address;
    for (unsigned i = 0; i < now->count; i++) {
        hash = (hash ^ now->of[i].place) * 0x100000001B3u;
        hash = (hash ^ now->of[i].value) * 0x100000001B3u;
    }
    hash = (hash ^ now->zero) * 0x100000001B3u;
    hash ^= hash >> 29;
    return hash ? hash : 1;
}

static remembered *memory_at(walker *self, uint64_t key)
{
    uint32_t at = (uint32_t)(key % MEMORY);
    while (self->memory[at].key && self->memory[at].key != key) at = (at + 1) % MEMORY;
    return &self->memory[at];
}

/* A place whole; false where nobody knows which of several it is. */
static bool complete(walker *self, uint32_t address, bool part, oak_place *place)
{
    const oak_selector *selector = self->look->isa->selector;
    self->look->here = address;
    if (part && !look_whole(self->look, place->space, &place->number)) return false;
    if (selector && place->space) place->number = selector->home(place->space, place->number);
    return true;
}

/* What an instruction writes is not known any more. */
static void forget_effects(walker *self, uint32_t address, const oak_effect *effect, knowledge *now)
{
    const oak_selector *selector = self->look->isa->selector;
    for (unsigned i = 0; i < effect->write_count; i++) {
        oak_place one = effect->writes[i];
        bool is_one = complete(self, address, effect->part[i], &one);
        bool pointed = selector && one.space && one.number == selector->home(one.space, selector->pointed);
        if (is_one && !pointed) forget(now, key_of(one));
        else forget_all(now);
    }
    if (effect->writes_anything) forget_all(now);
    if (effect->zero) now->zero = ZERO_UNKNOWN;
}

/* What is known behind an instruction, and where a branch goes: 1 to its target, 0 on, -1 either. */
static int apply(walker *self, uint32_t address, const oak_effect *effect, knowledge *now)
{
    oak_place to = effect->to, from = effect->from;
    bool known = complete(self, address, effect->to_part, &to);
    int before = value_of(now, key_of(to)), copied = value_of(now, key_of(from)), result = -1;
    uint32_t zero = now->zero;
    forget_effects(self, address, effect, now);
    if (effect->does == OAK_EFFECT_LOADS) result = effect->value & 0xFF;
    if (effect->does == OAK_EFFECT_COPIES) result = copied;
    if (effect->does == OAK_EFFECT_ADDS && known && before >= 0) result = (before + effect->value) & 0xFF;
    if (effect->does == OAK_EFFECT_ASKS)
        return zero == ZERO_UNKNOWN ? -1 : (zero != 0) == (effect->goes == OAK_GOES_ZERO);
    if (known && result >= 0) learn(now, key_of(to), (uint8_t)result);
    if (result >= 0 && effect->goes == OAK_GOES_NOWHERE) now->zero = !result;
    if (result < 0 || effect->goes == OAK_GOES_UNKNOWN || effect->goes == OAK_GOES_NOWHERE) return -1;
    return (result == 0) == (effect->goes == OAK_GOES_ZERO);
}

static bool decode(walker *self, uint32_t address, oak_decoded *decoded, oak_effect *effect)
{
    looker *look = self->look;
    if (!look_is_known(look, address) || !(look->mark[look_slot(look, address)] & IS_START) ||
        !look_decode(look, address, decoded))
        return false;
    if (look->selection.at) {
        oak_selected now = oak_selection_at(&look->selection, address);
        oak_selection_target(look->isa, &now, decoded);
    }
    look->isa->effect(look->tables, decoded, effect);
    return true;
}

/* Everything that a routine writes, with what it calls, is not known any more. */
static void forget_written(walker *self, uint32_t entry, knowledge *now)
{
    enum { MOST = 4096 };
    uint32_t todo[64];
    unsigned count = 0, seen = 0;
    todo[count++] = entry;
    now->zero = ZERO_UNKNOWN;
    uint32_t visited[MOST];
    while (count) {
        uint32_t address = todo[--count];
        for (;;) {
            oak_decoded decoded;
            oak_effect effect;
            unsigned k = 0;
            while (k < seen && visited[k] != address) k++;
            if (k < seen) break;
            if (seen == MOST || !decode(self, address, &decoded, &effect)) {
                forget_all(now);
                return;
            }
            visited[seen++] = address;
            forget_effects(self, address, &effect, now);
            if (decoded.has_target && decoded.flow != OAK_FLOW_RETURN) {
                if (count == 64) {
                    forget_all(now);
                    return;
                }
                todo[count++] = decoded.target;
            }
            if (decoded.flow == OAK_FLOW_COMPUTED || (decoded.flow == OAK_FLOW_CALL && !decoded.has_target))
                forget_all(now);
            if (!oak_goes_on(decoded.flow)) break;
            address += decoded.size;
        }
    }
}

static found walk(walker *self, uint32_t address, knowledge now);

static found no_way(reason why, uint32_t at)
{
    return (found){UINT64_MAX, UINT64_MAX, (uint8_t)why, at};
}

static uint64_t add(uint64_t a, uint64_t b)
{
    return a == UINT64_MAX || b == UINT64_MAX ? UINT64_MAX : a + b;
}

/* Behind so many cycles. */
static found behind(uint64_t least, uint64_t most, found then)
{
    then.least = add(then.least, least);
    then.most = add(then.most, most);
    return then;
}

static found either(found a, found b)
{
    found both = a;
    both.least = a.least < b.least ? a.least : b.least;
    both.most = a.most > b.most ? a.most : b.most;
    if (!a.why) both.why = b.why, both.at = b.at;
    if (both.why) both.most = UINT64_MAX;
    return both;
}

/* A call: its cycles, what is known behind it. */
static found call(walker *self, const oak_decoded *decoded, knowledge *now)
{
    if (!decoded->has_target) return no_way(COMPUTED, decoded->address);
    for (unsigned i = 0; i < self->depth; i++)
        if (self->routine[i] == decoded->target) return no_way(CALLS_ITSELF, decoded->address);
    if (self->depth == MOST_DEPTH) return no_way(TOO_MUCH, decoded->address);
    self->routine[self->depth++] = decoded->target;
    found inside = walk(self, decoded->target, *now);
    self->depth--;
    forget_written(self, decoded->target, now);
    return inside;
}

/* Behind a jump that is worked out lies its table, where it has one: returns and jumps, one of which comes next. */
static found through_table(walker *self, uint32_t jump, uint32_t table, const knowledge *now)
{
    enum { LONGEST = 256 };
    found all = no_way(COMPUTED, jump);
    oak_decoded decoded;
    oak_effect effect;
    for (unsigned i = 0; i < LONGEST && decode(self, table, &decoded, &effect) && !oak_goes_on(decoded.flow);
         i++) {
        found one = walk(self, table, *now);
        all = i ? either(all, one) : one;
        table += decoded.size;
    }
    return all;
}

/* A branch over a few plain instructions, behind which the same is known as without them: both ways are one then. */
static bool meets(walker *self, uint32_t address, const oak_decoded *branch, const oak_effect *how,
                  const knowledge *now, uint64_t *least, uint64_t *most)
{
    enum { FEW = 8 };
    uint64_t cycles = 0;
    knowledge with = *now;
    oak_decoded decoded;
    oak_effect effect;
    for (unsigned i = 0; i < FEW && address != branch->target; i++) {
        if (!decode(self, address, &decoded, &effect) ||
            (decoded.flow != OAK_FLOW_NEXT && decoded.flow != OAK_FLOW_EVENT) || effect.taken)
            return false;
        (void)apply(self, address, &effect, &with);
        cycles += decoded.cycles;
        address += decoded.size;
    }
    if (address != branch->target || memcmp(&with, now, sizeof with)) return false;
    *least = add(*least, cycles < how->taken ? cycles : how->taken);
    *most = add(*most, cycles > how->taken ? cycles : how->taken);
    return true;
}

/* From an address to the return: straight on until it may go two ways. */
static found go(walker *self, uint32_t address, knowledge now)
{
    uint64_t least = 0, most = 0, steps = 0, next_look = 64;
    uint32_t seen_at = address;
    knowledge seen = now;
    found inside = {0};
    reason because = KNOWN;
    uint32_t where = 0;
    for (;;) {
        oak_decoded decoded;
        oak_effect effect;
        if (!decode(self, address, &decoded, &effect)) return behind(least, most, no_way(OUTSIDE, address));
        if (++self->steps > MOST_STEPS) return behind(least, most, no_way(TOO_MUCH, address));
        int goes = apply(self, address, &effect, &now);
        uint32_t behind_it = address + decoded.size;
        least += decoded.cycles, most = add(most, decoded.cycles);
        if (decoded.flow == OAK_FLOW_RETURN)
            return (found){least, because ? UINT64_MAX : most, (uint8_t)because, where};
        if (decoded.flow == OAK_FLOW_COMPUTED) {
            found all = behind(least + effect.taken, add(most, effect.taken),
                               through_table(self, address, behind_it, &now));
            if (because) all.why = (uint8_t)because, all.at = where, all.most = UINT64_MAX;
            return all;
        }
        bool repeats = decoded.flow == OAK_FLOW_BRANCH && !decoded.has_target;
        if (repeats || (decoded.flow == OAK_FLOW_NEXT && effect.taken)) because = REPEATS, where = address;
        if (decoded.flow == OAK_FLOW_CALL) {
            bool always = !effect.taken;
            knowledge before = now;
            inside = call(self, &decoded, &now);
            if (inside.least == UINT64_MAX && always) return behind(least, most, inside);
            if (inside.why && !because) because = (reason)inside.why, where = inside.at;
            if (always) least = add(least, inside.least);
            else if (now.count != before.count) forget_all(&now);
            most = add(most, add(inside.most, effect.taken));
        }
        if (decoded.flow == OAK_FLOW_MAY_RETURN) {
            found then = walk(self, behind_it, now), back = {effect.taken, effect.taken, 0, 0};
            found all = behind(least, most, either(back, then));
            if (because) all.why = (uint8_t)because, all.at = where, all.most = UINT64_MAX;
            return all;
        }
        if (decoded.flow == OAK_FLOW_BRANCH && !repeats && goes < 0 &&
            meets(self, behind_it, &decoded, &effect, &now, &least, &most)) {
            address = decoded.target;
            continue;
        }
        if (decoded.flow == OAK_FLOW_BRANCH && !repeats && goes < 0 && decoded.target != behind_it) {
            found on = walk(self, behind_it, now), away = walk(self, decoded.target, now);
            found all = behind(least, most, either(on, behind(effect.taken, effect.taken, away)));
            if (because) all.why = (uint8_t)because, all.at = where, all.most = UINT64_MAX;
            return all;
        }
        bool leaves = decoded.flow == OAK_FLOW_JUMP || (decoded.flow == OAK_FLOW_BRANCH && goes > 0);
        if (decoded.flow == OAK_FLOW_BRANCH && leaves) least += effect.taken, most = add(most, effect.taken);
        address = leaves ? decoded.target : behind_it;
        if (address == seen_at && !memcmp(&now, &seen, sizeof now))
            return behind(least, most, no_way(WAITS, address));
        if (++steps == next_look) seen_at = address, seen = now, next_look *= 2;
    }
}

static found walk(walker *self, uint32_t address, knowledge now)
{
    uint64_t key = hash_of(address, &now);
    remembered *one = memory_at(self, key);
    if (one->key) return one->under_way ? no_way(LOOPS, address) : one->found;
    if (self->depth == MOST_DEPTH || self->used > MEMORY / 2) return no_way(TOO_MUCH, address);
    *one = (remembered){key, true, {0}};
    self->used++;
    self->depth++;
    self->routine[self->depth - 1] = UINT32_MAX;
    found result = go(self, address, now);
    self->depth--;
    one = memory_at(self, key);
    one->under_way = false;
    one->found = result;
    return result;
}

/* ------------------------------------------------------------------------------------------ writing */

static void write_time(oak_buf *buf, uint64_t cycles, uint64_t clock, uint32_t clocks)
{
    char text[40];
    double us = (double)cycles * clocks * 1e9 / (double)clock;
    int before = us < 1e3 ? 0 : us < 1e6 ? 1 : 2;
    static const char *const units[] = {"us", "ms", "s"};
    double shown = us / (before == 2 ? 1e6 : before ? 1e3 : 1);
    uint64_t thousandths = (uint64_t)(shown * 1000 + 0.5);
    oak_format(text, sizeof text, "%llu.%03u %s", (unsigned long long)(thousandths / 1000),
               (unsigned)(thousandths % 1000), units[before]);
    oak_buf_format(buf, "%14s", text);
}

static void write_reason(looker *look, const found *one)
{
    const char *label = NULL;
    uint32_t at = one->at;
    char place[80];
    oak_buf *buf = &look->buf;
    const oak_symbol *symbol = oak_program_label_below(look->program, at);
    char near[100];
    if (symbol && symbol->value <= at && at - symbol->value < 64) {
        oak_format(near, sizeof near, symbol->value == at ? "%.80s" : "%.80s+%u", symbol->name,
                   (unsigned)(at - symbol->value));
        label = near;
    }
    oak_format(place, sizeof place, label ? "0x%04x, %s" : "0x%04x", (unsigned)at, label);
    switch ((reason)one->why) {
    case LOOPS: oak_buf_format(buf, "goes round at %s, and nothing here says how often", place); break;
    case WAITS: oak_buf_format(buf, "never comes back: it circles at %s", place); break;
    case COMPUTED: oak_buf_format(buf, "where it goes from %s is worked out when it runs", place); break;
    case REPEATS:
        oak_buf_format(buf, "the instruction at %s repeats as often as a register says", place);
        break;
    case OUTSIDE: oak_buf_format(buf, "runs to %s, where no code is", place); break;
    case CALLS_ITSELF: oak_buf_format(buf, "calls itself at %s", place); break;
    default: oak_buf_format(buf, "has too many ways to go through, at %s", place); break;
    }
}

static bool is_handler(const looker *look, uint32_t address)
{
    for (unsigned i = 1; i < look->part->vector_count; i++)
        if (look->part->vectors[i].address == address && !look->part->vectors[i].is_value) return true;
    return false;
}

static void write_routine(walker *self, uint32_t address, uint64_t clock)
{
    looker *look = self->look;
    knowledge nothing = {.zero = ZERO_UNKNOWN};
    memset(self->memory, 0, MEMORY * sizeof *self->memory);
    self->used = 0, self->steps = 0, self->depth = 0;
    self->routine[self->depth++] = address;
    found one = walk(self, address, nothing);
    const char *name = look_label(look, address);
    uint32_t clocks = look->part->clocks_per_cycle ? look->part->clocks_per_cycle : 1;
    oak_buf_format(&look->buf, "%-20s 0x%04x ", name ? name : "", (unsigned)address);
    if (one.least == UINT64_MAX) oak_buf_format(&look->buf, "%10s %14s", "-", "");
    else {
        oak_buf_format(&look->buf, "%10llu ", (unsigned long long)one.least);
        write_time(&look->buf, one.least, clock, clocks);
    }
    if (!one.why) {
        oak_buf_format(&look->buf, " %10llu ", (unsigned long long)one.most);
        write_time(&look->buf, one.most, clock, clocks);
    } else {
        oak_buf_text(&look->buf, "          -  ");
        write_reason(look, &one);
    }
    oak_buf_text(&look->buf, "\n");
}

oak_status oak_look_routines(const oak_program *program, uint64_t clock, const oak_text_sink *out)
{
    if (!program || !out) return OAK_MISUSE;
    looker look;
    oak_host host = oak_program_host(program);
    walker self = {.look = &look};
    oak_status status = look_open(&look, program, &host, out);
    if (!status && !look.isa->effect) status = OAK_UNSUPPORTED;
    if (!status) {
        self.memory = oak_take_zeroed(&host, MEMORY * sizeof *self.memory);
        self.routine = oak_take_zeroed(&host, (MOST_DEPTH + 2) * sizeof *self.routine);
        if (!self.memory || !self.routine) status = OAK_NO_MEMORY;
    }
    if (!status && !clock) clock = look.part->clock_millihertz;
    unsigned shown = 0;
    for (uint32_t slot = 0; slot < look.land.slots && !status; slot++) {
        uint32_t address = oak_islands_address(&look.land, slot);
        bool called = (look.mark[slot] & (IS_CALLED | IS_START)) == (IS_CALLED | IS_START);
        if (!called && !(is_handler(&look, address) && look.mark[slot] & IS_START)) continue;
        if (!shown++)
            oak_buf_format(&look.buf, "%-20s %6s %10s %14s %10s %14s\n", "routine", "at", "shortest", "",
                           "longest", "");
        write_routine(&self, address, clock);
        if (look.buf.size > 32768) status = look_flush(&look);
    }
    if (!status && !shown) oak_buf_text(&look.buf, "nothing is called, and no handler is there\n");
    if (!status) status = look_flush(&look);
    oak_release(&host, self.memory, MEMORY, sizeof *self.memory);
    oak_release(&host, self.routine, MOST_DEPTH + 2, sizeof *self.routine);
    look_close(&look);
    return status;
}
