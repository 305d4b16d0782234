/* judge.c — the values of a judge, and whether one has changed. */
#include "isa/judge.h"

#include "base/bits.h"

/* `outside`: it is kept outside the core. */
static oak_status read(const oak_judged *judged, const oak_core *core, const oak_watched *cells,
                       uint32_t *value, bool *outside)
{
    const oak_isa *isa = judged->isa;
    uint8_t bytes[4];
    *outside = false;
    if (oak_judged_is_special(cells)) {
        if (cells->address >= OAK_JUDGED_PINS) {
            if (!judged->pins) return OAK_UNSUPPORTED;
            *outside = true;
            *value = judged->pins(judged->machine, cells->address - OAK_JUDGED_PINS);
        } else if (cells->address == OAK_JUDGED_PLACE)
            return isa->core->read_register(core, isa->about.pc_register, value);
        else *value = cells->address == OAK_JUDGED_TIME ? (uint32_t)judged->time->cycles : 0;
        return OAK_OK;
    }
    if (!cells->space) return isa->core->read_register(core, cells->address, value);
    unsigned count = cells->size * oak_unit_bytes(&isa->about, cells->space);
    if (oak_judged_is_stretch(cells)) return *value = 0, OAK_OK;
    if (!count || count > sizeof bytes) return OAK_OUT_OF_RANGE;
    oak_status status = isa->core->read_memory(core, cells->space, cells->address, bytes, count);
    *outside = isa->about.spaces[cells->space].special;
    if (status == OAK_OUT_OF_RANGE && judged->look) {
        *outside = true;
        status = judged->look(judged->machine, cells->space, cells->address, bytes, count);
    }
    if (!status) *value = (uint32_t)oak_number_at(&isa->about, cells->space, bytes, count);
    return status;
}

/* It has gone on by its course since it was asked for. */
static inline bool is_known(const oak_judged *judged, const oak_judged_value *value, uint64_t now)
{
    return judged->touched && value->touched == *judged->touched && now < value->course.until;
}

/* It is asked for again only where something may have changed it otherwise than by its course. */
static uint32_t follow(const oak_judged *judged, oak_core *core, oak_judged_value *value)
{
    const oak_watched *cells = &value->cells;
    uint64_t now = judged->time->cycles;
    if (is_known(judged, value, now)) return oak_judged_counted(value, now);
    bool outside;
    value->word = 0;
    (void)!read(judged, core, cells, &value->word, &outside); /* it could be read when it was set */
    value->course.until = 0;
    if (!judged->course) return value->word;
    unsigned count = cells->size * oak_unit_bytes(&judged->isa->about, cells->space);
    oak_status status = OAK_UNSUPPORTED;
    if (cells->address == OAK_JUDGED_TIME && !cells->space) {
        value->course = (oak_course){.until = UINT64_MAX, .step = 1, .mask = UINT32_MAX};
        status = OAK_OK;
    } else if (outside)
        status = judged->course(judged->machine, cells->space, cells->address, count, &value->course);
    else if (judged->isa->core->course)
        status = judged->isa->core->course(core, cells->space, cells->address, count, &value->course);
    if (status) value->course.until = 0;
    value->touched = *judged->touched;
    const oak_course *course = &value->course;
    bool others = value->word & value->mask & ~course->mask; /* bits that stay, and are not 0 */
    value->shows =
        course->step == 1 && !course->shift && !course->bit && !others ? value->mask & course->mask : 0;
    value->flips = course->down ? UINT32_MAX : 0;
    value->base = (uint32_t)(course->down ? course->value + course->from + 1 : course->value - course->from);
    return value->word;
}

static uint32_t handler(const oak_judged *judged, const oak_core *core)
{
    const oak_isa *isa = judged->isa;
    uint32_t number = isa->core->exception ? isa->core->exception(core) : 0;
    return isa->about.vector_bytes ? number * isa->about.vector_bytes : number;
}

/* Of what does not depend on the time. */
static inline uint32_t lies(const oak_judged *judged, const oak_core *core, const oak_judged_value *value)
{
    const oak_judge *judge = &judged->judge;
    uint32_t result = 0;
    uint16_t half;
    switch (value->kind) {
    case OAK_JUDGED_REGISTER: /* that depends on others alone */
        (void)!judged->read(core, value->cells.address, &result);
        return result;
    case OAK_JUDGED_STATUS: return judged->status(core);
    case OAK_JUDGED_HANDLER: return handler(judged, core);
    case OAK_JUDGED_MADE:
        return judge->works_out(judge->context, (unsigned)(value - judged->value), judged->last);
    case OAK_JUDGED_BANKED: return value->at[*value->bank & value->bank_bits];
    case OAK_JUDGED_WRITTEN:
        return judged->last[value - judged->value] + (judge->written ? judge->written(judge->context) : 1);
    case OAK_JUDGED_BYTE: return *value->at;
    case OAK_JUDGED_HALF: memcpy(&half, value->at, sizeof half); return half;
    case OAK_JUDGED_WORD: memcpy(&result, value->at, sizeof result); return result;
    case OAK_JUDGED_LOW_FIRST:
        for (unsigned i = 0; i < value->bytes; i++) result |= (uint32_t)value->at[i] << 8 * i;
        return result;
    default:
        for (unsigned i = 0; i < value->bytes; i++) result = result << 8 | value->at[i];
        return result;
    }
}

uint32_t oak_judged_else(const oak_judged *judged, oak_core *core, oak_judged_value *value)
{
    uint32_t word = 0;
    if (value->kind == OAK_JUDGED_ASKED) return follow(judged, core, value);
    if (value->kind != OAK_JUDGED_PC) return lies(judged, core, value);
    (void)!judged->read(core, value->cells.address, &word);
    return word;
}

uint32_t oak_judged_lies(const oak_judged *judged, const oak_core *core, unsigned number)
{
    return lies(judged, core, &judged->value[number]);
}

/* The columns of what is known from the cycle, in the rows that were put down since it was. */
static void complete(oak_judged_rows *rows)
{
    const oak_judged *judged = rows->chip;
    if (rows->whole > rows->count) rows->whole = 0; /* they were taken out */
    const unsigned from = rows->whole, count = rows->count - from;
    const uint64_t *cycle = rows->cycle + from;
    for (uint32_t words = judged->raw & judged->judge.kept; words && count && !judged->is_one;
         words &= words - 1) {
        const oak_judged_quick *quick = &judged->quick[oak_lowest_bit(words)];
        const uint32_t shift = quick->shift, mask = quick->mask;
        uint32_t *column = quick->column + from;
        for (unsigned i = 0; i < count; i++) column[i] = column[i] >> shift & mask;
    }
    for (uint32_t asked = judged->asked; asked && count; asked &= asked - 1) {
        const oak_judged_quick *quick = &judged->quick[oak_lowest_bit(asked)];
        const oak_judged_value *value = &judged->value[quick->number];
        const uint32_t base = quick->base, flips = quick->flips, mask = quick->mask, moves = quick->moves;
        uint32_t *column = quick->column + from;
        if (quick->kind == OAK_QUICK_COURSE)
            for (unsigned i = 0; i < count; i++)
                column[i] = oak_course_word(&value->course, value->word, cycle[i]) & mask;
        else
            for (unsigned i = 0; i < count; i++)
                column[i] = (base + (((uint32_t)cycle[i] ^ flips) & moves)) & mask;
    }
    rows->whole = rows->count;
}

/* Puts down what is kept as it was taken. */
static void keep(const oak_judged *judged, uint64_t now)
{
    oak_judged_rows *rows = judged->judge.rows;
    if (!rows) return;
    if (rows->count && rows->cycle[rows->count - 1] == now)
        rows->whole = --rows->count; /* it has become something else meanwhile */
    if (rows->count == OAK_JUDGED_ROWS) return;
    for (uint32_t kept = judged->judge.kept; kept; kept &= kept - 1)
        rows->value[oak_lowest_bit(kept)][rows->count] = judged->last[oak_lowest_bit(kept)];
    rows->cycle[rows->count++] = now;
    rows->whole = rows->count;
}

static bool is_lead(const oak_judge *judge, const oak_judged_lead *lead)
{
    bool is = judge->restless && lead->value < judge->count && lead->there < judge->count && lead->plain &&
              lead->cells && lead->source_count <= OAK_MOST_LED_BY && lead->space;
    for (unsigned i = 0; is && i < lead->source_count; i++) is = lead->source[i] < lead->value;
    return is;
}

oak_status oak_judged_set(oak_judged *judged, const oak_isa *isa, const oak_core_setup *setup, oak_core *core,
                          const oak_judge *judge)
{
    oak_judged made = {.isa = isa,
                       .read = isa->core->read_register,
                       .look = setup->look,
                       .course = setup->course,
                       .touched = setup->touched,
                       .known_outside = setup->known,
                       .pins = setup->pins,
                       .machine = setup->machine,
                       .time = isa->core->time(core)};
    if (judge) {
        if (judge->count > OAK_MOST_JUDGED || (judge->kept && !judge->rows) ||
            (judge->sources && !judge->works_out))
            return OAK_UNSUPPORTED;
        if (judge->limit_count > OAK_MOST_LIMITS || judge->lead_count > OAK_MOST_LEADS)
            return OAK_UNSUPPORTED;
        for (unsigned i = 0; i < judge->lead_count; i++)
            if (!is_lead(judge, &judge->leads[i])) return OAK_UNSUPPORTED;
        for (unsigned i = 0; i < judge->limit_count; i++)
            if (judge->limits[i].values >> judge->count ||
                !oak_judged_are_steps(&judge->limits[i], judge->count))
                return OAK_UNSUPPORTED;
        for (unsigned i = 0; i < judge->count; i++) {
            bool made_up = !judge->cells[i].space && judge->cells[i].address == OAK_JUDGED_WORKED_OUT;
            if (made_up && !judge->works_out) return OAK_UNSUPPORTED;
        }
        made.judge = *judge;
        made.judge.cells = NULL;
        made.judge.masks = NULL;
        made.count = judge->count;
        for (unsigned i = 0; i < judge->lead_count; i++) {
            const oak_judged_lead *one = &judge->leads[i];
            made.leads[i] = (oak_judged_led){.lead = *one};
            made.led |= 1u << one->value | 1u << one->there;
        }
    }
    for (unsigned i = 0; i < made.count; i++) {
        const oak_watched *cells = &judge->cells[i];
        bool outside, asked = cells->space;
        oak_status status = read(&made, core, cells, &made.last[i], &outside);
        if (status) return status;
        oak_judged_kind kind = asked ? OAK_JUDGED_ASKED : OAK_JUDGED_REGISTER;
        if (oak_judged_is_stretch(cells)) kind = OAK_JUDGED_WRITTEN;
        else if (oak_judged_is_special(cells))
            kind = cells->address == OAK_JUDGED_HANDLED      ? OAK_JUDGED_HANDLER
                   : cells->address == OAK_JUDGED_PLACE      ? OAK_JUDGED_PC
                   : cells->address == OAK_JUDGED_WORKED_OUT ? OAK_JUDGED_MADE
                                                             : OAK_JUDGED_ASKED;
        made.value[i] = (oak_judged_value){.cells = *cells, .mask = judge->masks[i], .kind = (uint8_t)kind};
        if (kind == OAK_JUDGED_ASKED) made.asked |= 1u << i;
        if (made.led >> i & 1) continue; /* it is looked at behind each instruction */
        if (kind == OAK_JUDGED_MADE) made.made |= 1u << i;
        if (kind == OAK_JUDGED_WRITTEN) made.stretches |= 1u << i;
        if (kind == OAK_JUDGED_HANDLER || kind == OAK_JUDGED_PC || kind == OAK_JUDGED_MADE)
            made.goes |= 1u << i;
        if (kind == OAK_JUDGED_PC)
            made.places |= 1u << i, made.value[i].cells.address = isa->about.pc_register;
    }
    *judged = made;
    judged->leads_end = judged->leads + made.judge.lead_count;
    judged->known = &judged->always;
    if (made.judge.rows) made.judge.rows->complete = NULL, made.judge.rows->whole = 0;
    return OAK_OK;
}

uint32_t oak_judged_goes(const oak_judged *judged, uint32_t others, oak_flow flow, uint32_t address)
{
    const oak_judge *judge = &judged->judge;
    if (!judged->goes) return 0;
    const bool known =
        flow == OAK_FLOW_NEXT || flow == OAK_FLOW_BRANCH || flow == OAK_FLOW_JUMP || flow == OAK_FLOW_CALL;
    const bool stays = known && judge->stays && judge->stays(judge->context, address);
    const uint32_t goes = (known ? 0 : judged->goes) | (stays ? 0 : judged->places);
    const bool changes = (others | goes) & judge->sources;
    return judge->restless || changes ? goes | judged->made : goes & ~judged->made;
}

void oak_judged_at(oak_judged *judged, unsigned number, const void *at, unsigned bytes, bool host,
                   size_t readable)
{
    judged->asked &= ~(1u << number);
    oak_judged_value *value = &judged->value[number];
    bool high_first = value->cells.space && oak_is_high_first(&judged->isa->about, value->cells.space);
    value->at = at;
    value->bytes = (uint8_t)bytes;
    value->reads_on = readable >= sizeof(uint32_t);
    if (bytes == 1) value->kind = OAK_JUDGED_BYTE;
    else if (host) value->kind = bytes == 2 ? OAK_JUDGED_HALF : OAK_JUDGED_WORD;
    else value->kind = high_first ? OAK_JUDGED_HIGH_FIRST : OAK_JUDGED_LOW_FIRST;
}

void oak_judged_in_bank(oak_judged *judged, unsigned number, const uint8_t *first, const uint8_t *bank,
                        uint8_t bits, bool reads_on)
{
    oak_judged_value *value = &judged->value[number];
    value->kind = OAK_JUDGED_BANKED;
    value->reads_on = reads_on;
    value->at = first;
    value->bank = bank;
    value->bank_bits = bits;
}

void oak_judged_by(oak_judged *judged, unsigned number, uint32_t (*status)(const oak_core *core))
{
    judged->status = status;
    judged->value[number].kind = OAK_JUDGED_STATUS;
}

/* The cycle at which a value that counts has gone further than it may. */
static uint64_t leaves(const oak_judged *judged, unsigned number, uint64_t now, bool may_go)
{
    const oak_judged_value *value = &judged->value[number];
    const oak_course *course = &value->course;
    uint64_t gone = (now - course->from) / course->step, steps = 1;
    uint32_t mask = course->mask, below = 0, above = 0, shown = judged->last[number] & mask;
    if (course->shift || course->bit || (value->mask & mask) != mask) may_go = false;
    if (may_go) judged->judge.room(judged->judge.context, judged->last, number, &below, &above);
    if (course->down) steps += below < shown ? below : shown;
    else steps += above < mask - shown ? above : mask - shown;
    return course->from + (gone + steps) * course->step;
}

/* Those that were asked for may stand still, or go on for a while with no other answer. */
static void settle(oak_judged *judged)
{
    enum { SHORT = 4, PAUSE = 63 };
    uint64_t still = UINT64_MAX, now = judged->time->cycles;
    bool was_said = judged->still, lasted = now >= judged->settled + SHORT;
    judged->still = 0;
    if (!judged->touched) return;
    if (judged->passed) {
        judged->passed--;
        return;
    }
    uint32_t which = judged->asked & judged->matter, quickest = UINT32_MAX;
    unsigned moves = OAK_MOST_JUDGED;
    for (unsigned i = 0; which >> i; i++) {
        const oak_course *course = &judged->value[i].course;
        if (!(which >> i & 1) || !course->step || course->step >= quickest) continue;
        quickest = course->step;
        moves = i;
    }
    for (unsigned i = 0; which >> i; i++) {
        const oak_judged_value *value = &judged->value[i];
        if (!(which >> i & 1)) continue;
        uint64_t until = value->touched == *judged->touched ? value->course.until : 0;
        if (until > now && value->course.step) {
            uint64_t left = leaves(judged, i, now, i == moves && judged->judge.room);
            if (left < until) until = left;
        }
        if (until < still) still = until;
    }
    bool pays = still >= now + SHORT && (lasted || !was_said); /* else it is tried more and more rarely */
    if (!pays) judged->pause = judged->pause < PAUSE ? 2 * judged->pause + 1 : PAUSE;
    else if (was_said) judged->pause = 0;
    judged->passed = pays ? 0 : judged->pause;
    judged->still = pays ? still : 0;
    judged->settled = now;
    judged->touched_then = *judged->touched;
}

void oak_judged_take(oak_judged *judged, oak_core *core)
{
    judged->all = judged->matter = (1u << judged->count) - 1;
    for (unsigned i = 0; i < judged->count; i++)
        judged->last[i] = oak_judged_now(judged, core, &judged->value[i]);
}

static uint64_t sum_of(const oak_judged *judged, const oak_judged_limits *limits)
{
    uint64_t sum = 0;
    if (limits->step_count) return oak_judged_steps_of(limits, judged->last);
    for (uint32_t some = limits->values; some; some &= some - 1)
        sum += judged->last[oak_lowest_bit(some)] * (uint64_t)limits->times[oak_lowest_bit(some)];
    return sum;
}

/* Where the sums of values lie outside all limits only these are looked at. */
static void mind_limits(oak_judged *judged)
{
    uint32_t summed = 0;
    if (!judged->sums_end) return;
    judged->way = judged->usual_way;
    for (const oak_judged_reads *one = judged->sums; one < judged->sums_end; one++) {
        if (!oak_judged_lies_outside(&one->limits, sum_of(judged, &one->limits))) return;
        summed |= one->which;
    }
    judged->way = OAK_WAY_OUTSIDE;
    judged->matter = summed & (judged->made | judged->led) ? summed | judged->judge.sources : summed;
}

void oak_judged_begin(oak_judged *judged, oak_core *core)
{
    judged->hit = false;
    judged->led_lost = true; /* until it is followed */
    judged->walk = (oak_judged_walk){.judged = judged, .core = core};
    oak_judged_take(judged, core);
    oak_judged_find_stretches(judged, core);
    if (judged->way == OAK_WAY_QUICK) complete(judged->judge.rows);
    if (judged->judge.kept) keep(judged, judged->time->cycles);
    mind_limits(judged);
}

static inline bool is_full(const oak_judged *judged)
{
    return judged->judge.kept && judged->judge.rows->count == OAK_JUDGED_ROWS;
}

/* What who judges works out may change by itself. */
static inline bool is_restless(const oak_judged *judged)
{
    return judged->judge.restless && *judged->judge.restless;
}

/* What a value is now: its bit, when it is another one than before. */
static inline uint32_t take_one(oak_judged *judged, unsigned number, uint32_t value)
{
    if (value == judged->last[number]) return 0;
    judged->last[number] = value;
    return 1u << number;
}

static bool ask(oak_judged *judged, oak_core *core)
{
    enum {
        NEW = 256,
        PAUSE = 16 * NEW,
        WORTH = 2
    }; /* where hardly any has come back, the next ones do not */
    oak_judged_known *known = judged->judge.vain;
    if (judged->matter != judged->all || judged->way == OAK_WAY_OUTSIDE) oak_judged_take(judged, core);
    if (known && judged->missed < NEW && oak_judged_is_vain(judged, false)) {
        judged->missed = judged->missed > WORTH ? judged->missed - WORTH : 0;
        return judged->hit;
    }
    if (known) judged->missed = judged->missed < PAUSE ? judged->missed + 1 : 0;
    if (judged->judge.rows && judged->judge.rows->complete) complete(judged->judge.rows);
    if (judged->judge.ends(judged->judge.context, judged->last, &judged->matter)) judged->hit = true;
    else if (known && judged->missed < NEW) {
        oak_judged_vain *one = oak_judged_slot(known, judged->last, false);
        memcpy(one->value, judged->last, sizeof one->value);
        one->matter = judged->matter;
        one->since = known->since;
    }
    if (is_full(judged)) judged->judge.rows->count = 0;
    if (judged->judge.rows) judged->judge.rows->whole = judged->judge.rows->count;
    mind_limits(judged);
    return judged->hit;
}

/* The values that have changed, of some, a bit each. `quickly`: up to the first one that the time has to be set for; the others are left in *some. */
static inline uint32_t take_some(oak_judged *judged, oak_core *core, uint32_t *some, uint64_t now,
                                 bool quickly)
{
    uint32_t changed = 0;
    for (; *some; *some &= *some - 1) {
        const unsigned i = oak_lowest_bit(*some);
        oak_judged_value *value = &judged->value[i];
        uint32_t word;
        if (value->kind == OAK_JUDGED_BYTE) word = *value->at;
        else if (value->kind == OAK_JUDGED_ASKED && is_known(judged, value, now))
            word = oak_judged_counted(value, now);
        else if (!quickly) word = oak_judged_now(judged, core, value);
        else if (value->kind == OAK_JUDGED_PC) word = judged->pc;
        else if (judged->heavy >> i & 1) break;
        else if (value->kind == OAK_JUDGED_MADE && !(changed & judged->judge.sources)) continue;
        else word = lies(judged, core, value);
        changed |= take_one(judged, i, word & value->mask);
    }
    return changed;
}

/* It may pay to say how long these stay as they are. */
static inline bool may_stand(const oak_judged *judged, unsigned which)
{
    return which & judged->asked && !(which & ~judged->asked);
}

/* What has become of it, and of the values that only the time was needed for: true when the run is to end here. */
static bool finish(oak_judged *judged, oak_core *core, uint32_t changed, uint32_t some, uint32_t which)
{
    if (judged->way == OAK_WAY_QUICK) complete(judged->judge.rows);
    changed |= take_some(judged, core, &some, judged->time->cycles, false);
    if (changed & judged->judge.kept) keep(judged, judged->time->cycles);
    if (changed & judged->judge.asks || is_full(judged)) ask(judged, core);
    if (which == OAK_JUDGED_ALL || may_stand(judged, which)) settle(judged);
    return judged->hit;
}

bool oak_judged_look(oak_judged *judged, oak_core *core, unsigned which)
{
    uint32_t force = judged->way == OAK_WAY_QUICK ? judged->judge.kept : 0; /* `last` may be older */
    return finish(judged, core, force, which & judged->matter, which);
}

bool oak_judged_ask(oak_judged *judged, oak_core *core, uint64_t passed)
{
    judged->time->instructions += passed >> 32;
    judged->time->cycles += (uint32_t)passed;
    bool ends = ask(judged, core);
    judged->time->instructions -= passed >> 32;
    judged->time->cycles -= (uint32_t)passed;
    return ends;
}

/* A register may depend on the time, and who judges may ask when. */
static bool finish_at(oak_judged *judged, oak_core *core, uint32_t changed, uint32_t some, uint32_t which,
                      uint64_t passed)
{
    judged->time->instructions += passed >> 32;
    judged->time->cycles += (uint32_t)passed;
    bool ends = finish(judged, core, changed, some, which);
    judged->time->instructions -= passed >> 32;
    judged->time->cycles -= (uint32_t)passed;
    return ends;
}

static bool look_at_any(oak_judged *judged, oak_core *core, unsigned which, uint64_t passed)
{
    const uint64_t now = judged->time->cycles + (uint32_t)passed;
    uint32_t some = which & judged->matter, changed = 0;
    if (!is_restless(judged)) changed = take_some(judged, core, &some, now, true);
    bool settles = may_stand(judged, which);
    if (some || (settles && judged->passed < 2)) return finish_at(judged, core, changed, some, which, passed);
    if (settles) judged->passed--;
    if (changed & judged->judge.kept) keep(judged, now);
    if (!(changed & judged->judge.asks) && !is_full(judged)) return false;
    return oak_judged_ask(judged, core, passed);
}

/* What is to be known of values that are asked for, to look at them quickly. */
static void make_known(oak_judged *judged)
{
    uint64_t now = judged->time->cycles;
    uint64_t known = UINT64_MAX;
    for (uint32_t asked = judged->asked; asked; asked &= asked - 1) {
        const oak_judged_value *value = &judged->value[oak_lowest_bit(asked)];
        oak_judged_quick *quick = &judged->quick[oak_lowest_bit(asked)];
        bool counts = value->shows, stays = !value->course.step;
        bool simple = counts || stays || judged->way == OAK_WAY_QUICK;
        quick->kind = counts ? OAK_QUICK_COUNTS : stays ? OAK_QUICK_STAYS : OAK_QUICK_COURSE;
        quick->base = counts ? value->base : value->word;
        quick->flips = value->flips;
        quick->moves = counts ? UINT32_MAX : 0;
        quick->mask = counts ? value->shows & value->mask : value->mask;
        if (!simple || !is_known(judged, value, now)) known = 0;
        else if (value->course.until < known) known = value->course.until;
    }
    *judged->known = known;
}

/* All of them the usual way, and what is to be known to look quickly from then on. */
static bool look_and_know(oak_judged *judged, oak_core *core, unsigned which, uint64_t passed)
{
    bool ends = finish_at(judged, core, judged->judge.kept, judged->matter, which, passed);
    judged->time->cycles += (uint32_t)passed;
    make_known(judged);
    oak_judged_find_stretches(judged, core);
    judged->time->cycles -= (uint32_t)passed;
    return ends;
}

/* Where somebody has to be called for some of them, who may look at those before. */
static bool look_and_call(oak_judged *judged, oak_core *core, unsigned which, uint64_t passed)
{
    const uint64_t now = judged->time->cycles + (uint32_t)passed;
    uint32_t changed = 0;
    if (is_restless(judged)) return look_and_know(judged, core, which, passed);
    if (judged->judge.restless && !(which & judged->matter & ~judged->made)) return false;
    const bool only_written = !(which & judged->matter & ~(judged->stretches | judged->made));
    if (only_written && judged->judge.written && !judged->judge.written(judged->judge.context)) return false;
    if (!oak_judged_knows(judged, now) || (!(which & judged->lie) && oak_judged_tries(judged)))
        return look_and_know(judged, core, which, passed);
    for (uint32_t some = which & judged->matter; some; some &= some - 1) {
        const unsigned i = oak_lowest_bit(some);
        const oak_judged_quick *quick = &judged->quick[i];
        uint32_t word;
        if (quick->kind != OAK_QUICK_CALLS) word = oak_judged_quick_word(judged, core, quick, (uint32_t)now);
        else if (judged->value[i].kind == OAK_JUDGED_MADE && !(changed & judged->judge.sources)) continue;
        else word = lies(judged, core, &judged->value[i]) & quick->mask;
        changed |= (uint32_t)(word != judged->last[i]) << i;
        judged->last[i] = word;
    }
    if (changed & judged->judge.kept) keep(judged, now);
    if (changed & judged->judge.asks || is_full(judged)) return oak_judged_ask(judged, core, passed);
    return false;
}

/* Whether all of them can be looked at quickly. */
static bool is_quick(oak_judged *judged)
{
    static const uint8_t kinds[] = {
        [OAK_JUDGED_ASKED] = OAK_QUICK_STAYS + 1,    [OAK_JUDGED_PC] = OAK_QUICK_PC + 1,
        [OAK_JUDGED_STATUS] = OAK_QUICK_STATUS + 1,  [OAK_JUDGED_HANDLER] = OAK_QUICK_LIES + 1,
        [OAK_JUDGED_MADE] = OAK_QUICK_CALLS + 1,     [OAK_JUDGED_WRITTEN] = OAK_QUICK_CALLS + 1,
        [OAK_JUDGED_LOW_FIRST] = OAK_QUICK_LIES + 1, [OAK_JUDGED_BANKED] = OAK_QUICK_BANKED + 1,
        [OAK_JUDGED_BYTE] = OAK_QUICK_BYTE + 1,      [OAK_JUDGED_HALF] = OAK_QUICK_HALF + 1,
        [OAK_JUDGED_WORD] = OAK_QUICK_WORD + 1,      [OAK_JUDGED_HIGH_FIRST] = OAK_QUICK_LIES + 1};
    const oak_judge *judge = &judged->judge;
    const bool big = oak_is_host_big();
    judged->known = judged->asked && judged->known_outside ? judged->known_outside : &judged->always;
    *judged->known = 0;
    bool is = !(judge->kept && judge->asks);
    judged->words = judged->notes = 0;
    judged->noted_end = judged->to_note;
    for (unsigned i = 0; i < judged->count; i++) {
        const oak_judged_value *value = &judged->value[i];
        const bool derived = value->kind == OAK_JUDGED_REGISTER &&
                             judged->isa->about.registers[value->cells.address].derived &&
                             value->cells.address + 1 != judged->isa->about.restless_register;
        const bool nothing = judged->led && value->kind == OAK_JUDGED_WRITTEN; /* it says when to look */
        const unsigned kind = judged->led >> i & 1 || nothing ? OAK_QUICK_WORD + 1
                              : derived                       ? OAK_QUICK_LIES + 1
                                                              : kinds[value->kind];
        if (!kind || (value->kind == OAK_JUDGED_ASKED && !(judged->touched && judged->known_outside)))
            is = false;
        const bool host = value->kind >= OAK_JUDGED_BYTE && value->kind <= OAK_JUDGED_WORD;
        const bool low_first = value->kind == OAK_JUDGED_LOW_FIRST && !big;
        const bool led = judged->led >> i & 1, place = value->kind == OAK_JUDGED_PC;
        const bool noted = value->kind == OAK_JUDGED_STATUS || derived || led;
        const bool lies = value->reads_on && (host || low_first);
        const unsigned more_bits = lies ? 32 - 8u * value->bytes : 0; /* than its own */
        const uint32_t *found = place ? &judged->pc : &judged->noted[i];
        if (nothing) {
            judged->quick[i] = (oak_judged_quick){
                .at = (const uint8_t *)&judged->noted[i], .kind = OAK_QUICK_WORD, .number = (uint8_t)i};
            continue;
        }
        if (place || noted || lies) judged->words |= 1u << i;
        if (noted) judged->notes |= 1u << i;
        if (noted && !led) *judged->noted_end++ = &judged->quick[i];
        judged->noted[i] = led; /* there is memory, as long as it is followed */
        judged->quick[i] = (oak_judged_quick){.at = place || noted ? (const uint8_t *)found : value->at,
                                              .bank = value->bank,
                                              .bank_bits = value->bank_bits,
                                              .column = judge->rows ? judge->rows->value[i] : NULL,
                                              .mask = value->mask & UINT32_MAX >> more_bits,
                                              .shift = (uint8_t)(host && big ? more_bits : 0),
                                              .number = (uint8_t)i,
                                              .kind = (uint8_t)(kind ? kind - 1 : OAK_QUICK_CALLS)};
    }
    return is;
}

void oak_judged_put_others(const oak_judged *judged, const oak_core *core, size_t row)
{
    for (const oak_judged_quick *quick = judged->put.banked_end; quick < judged->put.end; quick++)
        quick->column[row] = oak_judged_quick_word(judged, core, quick, 0); /* none of them counts */
}

static oak_judged_quick *put_kinds(const oak_judged *judged, oak_judged_quick *put, uint32_t which,
                                   unsigned kinds)
{
    for (; which; which &= which - 1) {
        const oak_judged_quick *one = &judged->quick[oak_lowest_bit(which)];
        if (kinds >> one->kind & 1) *put++ = *one;
    }
    return put;
}

/* Some values, by how they are read; `words` are those that are as words. */
static void place_reads(const oak_judged *judged, oak_judged_reads *reads, uint32_t which, uint32_t words,
                        unsigned firsts)
{
    enum { BYTES = 1 << OAK_QUICK_BYTE, BANKED = 1 << OAK_QUICK_BANKED, ALL = ~0 };
    const uint32_t asked = which & judged->asked, others = which & ~(words | asked);
    unsigned count = 0, first = 0;
    reads->counts.quick = NULL;
    oak_judged_quick *put = reads->at;
    for (words &= which; words; words &= words - 1) {
        const oak_judged_quick *one = &judged->quick[oak_lowest_bit(words)];
        if (first < firsts) reads->first[first++] = *one;
        else *put++ = *one;
    }
    for (; first < OAK_FIRST_READS; first++) /* nothing of anything, where there are less */
        reads->first[first] = (oak_judged_quick){.at = (const uint8_t *)&judged->pc};
    reads->words_end = put;
    reads->bytes_end = put = put_kinds(judged, put, others, BYTES);
    reads->banked_end = put = put_kinds(judged, put, others, BANKED);
    reads->end = put_kinds(judged, put, others, (unsigned)ALL & ~(unsigned)(BYTES | BANKED));
    for (uint32_t some = asked; some; some &= some - 1) {
        const oak_judged_quick *one = &judged->quick[oak_lowest_bit(some)];
        oak_judged_asked *to = reads->counts.quick ? &reads->asked[count++] : &reads->counts;
        *to = (oak_judged_asked){.quick = one, .times = one->times};
    }
    reads->asked_end = reads->asked + count;
}

static void place_rows(oak_judged *judged)
{
    oak_judged_reads *put = &judged->put;
    place_reads(judged, put, judged->judge.kept, judged->words, 0);
    judged->is_one = judged->count == 1 && put->words_end > put->at && !put->at->shift;
    oak_judged_plain *plain = &judged->plain;
    const bool has_banked = put->banked_end == put->bytes_end + 1;
    const bool is_near = has_banked && !oak_is_host_big() && judged->value[put->words_end->number].reads_on;
    const bool is_plain = put->end <= put->at + OAK_MOST_PLAIN && put->end == put->words_end + is_near;
    bool are_bytes = put->end <= put->at + OAK_FIRST_READS;
    for (const oak_judged_quick *one = put->at; one < put->end; one++)
        are_bytes &= one->kind == OAK_QUICK_BYTE || one->kind == OAK_QUICK_BANKED;
    if (is_plain)
        *(put->end > put->at + OAK_FIRST_READS ? &plain->wide
          : are_bytes                          ? &plain->bytes
                                               : &plain->rows) = judged->judge.rows;
    for (unsigned i = 0; i < OAK_MOST_PLAIN; i++) { /* or nothing of anything */
        const bool any = put->at + i < put->end;
        plain->at[i] = any ? put->at[i].at : (const uint8_t *)&judged->pc;
        plain->column[i] = any ? put->at[i].column : judged->spare;
    }
    judged->raw = judged->words;
    if (is_plain && has_banked) {
        judged->raw |= 1u << put->words_end->number; /* it is brought with those behind it */
        plain->banked = put->words_end;
        plain->banked_at = &plain->at[put->words_end - put->at];
    }
    judged->has_flags = put->end > put->banked_end || judged->notes;
    judged->judge.rows->chip = judged;
    judged->judge.rows->complete = complete;
}

/* What is summed up of bytes costs less by steps, where it is so. */
static void sum_by_steps(oak_judged_limits *limits)
{
    unsigned count = 0;
    for (uint32_t some = limits->values; some; some &= some - 1) {
        const unsigned i = oak_lowest_bit(some);
        if (count == OAK_MOST_STEPS || (limits->times[i] != 1 && limits->times[i] != -1)) return;
        limits->steps[count++] =
            (oak_judged_step){.kind = limits->times[i] == 1 ? OAK_STEP_ADD : OAK_STEP_TAKE,
                              .of = OAK_STEP_OF_VALUE,
                              .value = (uint8_t)i,
                              .mask = UINT32_MAX};
    }
    limits->step_count = count;
}

/* Limits help where what is summed can be looked at quickly, and neither stands for long nor comes alone. */
static void place_limits(oak_judged *judged)
{
    const oak_judge *judge = &judged->judge;
    uint32_t summed = 0;
    judged->sums_end = NULL;
    if (judge->kept || judged->behind == look_at_any || judged->count == 1) return;
    for (unsigned i = 0; i < judge->limit_count; i++) {
        const oak_judged_limits *one = &judge->limits[i];
        oak_judged_reads *reads = &judged->sums[i];
        for (unsigned n = 0; n < judged->count; n++) judged->quick[n].times = (uint64_t)one->times[n];
        place_reads(judged, reads, one->values, oak_is_host_big() ? 0 : judged->words, OAK_FIRST_READS);
        reads->has_more = reads->end > reads->at || reads->asked_end > reads->asked;
        reads->limits = *one;
        reads->which = one->values;
        if (!one->step_count && reads->end > reads->words_end && !(one->values & judged->asked))
            sum_by_steps(&reads->limits);
        oak_judged_place_steps(judged, reads);
        judged->has_flags |= reads->end > reads->banked_end || one->values & judged->notes;
        summed |= one->values;
    }
    for (uint32_t some = summed; some; some &= some - 1)
        if (judged->quick[oak_lowest_bit(some)].kind == OAK_QUICK_CALLS) return;
    if (!(summed & ~judged->asked)) return;
    judged->sums_end = judged->sums + judge->limit_count;
    judged->has_others = judge->limit_count > 1;
    judged->judge.vain = NULL; /* there is less to be remembered */
}

void oak_judged_placed(oak_judged *judged, bool is_pc, bool is_restless)
{
    const oak_judge *judge = &judged->judge;
    bool asked_for = judged->value->kind == OAK_JUDGED_ASKED, alone = judged->count == 1;
    judged->way = OAK_WAY_ANY;
    judged->behind = look_at_any;
    if (is_quick(judged)) {
        judged->way = judge->kept ? OAK_WAY_QUICK : OAK_WAY_QUICK_ASKS;
        judged->behind = look_and_know; /* the loop does the rest */
        for (unsigned i = 0; i < judged->count; i++)
            if (judged->quick[i].kind == OAK_QUICK_CALLS)
                judged->way = OAK_WAY_ANY, judged->behind = look_and_call;
        if (judged->way == OAK_WAY_QUICK) place_rows(judged);
    }
    for (unsigned i = 0; i < judged->count; i++)
        if (judged->value[i].kind <= OAK_JUDGED_REGISTER) judged->heavy |= 1u << i;
    if (judged->count > OAK_FEW_JUDGED || judge->kept) judged->judge.vain = NULL;
    if (alone && !judge->kept && !is_restless && !asked_for)
        judged->way = is_pc ? OAK_WAY_PC_ASKS : OAK_WAY_LIES_ASKS;
    place_limits(judged);
    judged->usual_way = judged->way;
    judged->lie = ~judged->asked;
    judged->needs_place = false;
    for (unsigned i = 0; i < judged->count; i++)
        judged->needs_place |= judged->value[i].kind == OAK_JUDGED_PC ||
                               (judged->quick[i].kind >= OAK_QUICK_PLACE &&
                                judged->value[i].kind < OAK_JUDGED_BANKED && !(judged->words >> i & 1));
    const bool only_flags =
        judged->noted_end == judged->to_note + 1 && judged->to_note[0]->kind == OAK_QUICK_STATUS;
    judged->flags = only_flags ? &judged->noted[judged->to_note[0]->number] : NULL;
    judged->needs =
        (uint8_t)((judged->asked ? OAK_NEEDS_TIME : 0) | (judged->has_flags ? OAK_NEEDS_FLAGS : 0) |
                  (judged->led ? OAK_NEEDS_LED : 0) | (judged->needs_place ? OAK_NEEDS_PLACE : 0) |
                  (judged->plain.banked ? OAK_NEEDS_BANK : 0) | (judged->is_one ? OAK_NEEDS_ONE : 0));
}
