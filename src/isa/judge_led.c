/* judge_led.c — values of a judge that stand where others lead to (oak_judged_lead of the chip port). */
#include "isa/judge.h"

/* Where the caller has found plain memory meanwhile; what was found before is plain memory, too. */
static void find_stretch(const oak_judged *judged, const oak_core *core, oak_judged_led *one)
{
    enum { WORD = 4 };
    const oak_architecture *about = &judged->isa->about;
    const unsigned space = one->lead.space;
    oak_judged_stretch *to = &one->last;
    const uint64_t unit = oak_unit_bytes(about, space), all = one->lead.plain[1] * unit;
    one->bytes = one->lead.cells * (uint32_t)unit;
    one->low_first = !oak_is_high_first(about, space);
    one->before = *to;
    to->first = one->lead.plain[0];
    to->count = one->lead.plain[1];
    to->at = all >= one->bytes && judged->cells ? judged->cells(core, space, to->first, all) : NULL;
    to->starts = to->at ? all - one->bytes + 1 : 0;
    to->words = !to->at || all < WORD || oak_is_host_big() || (one->bytes > 1 && !one->low_first)
                    ? 0
                    : all - WORD + 1;
    to->number = ((uint64_t)one->lead.number - to->first) * unit;
    one->mask = UINT32_MAX >> (32 - 8 * one->bytes);
    one->by_words = true;
    for (unsigned i = 0; i < OAK_MOST_LED_BY; i++) {
        const bool any = i < one->lead.source_count;
        const oak_judged_quick *by = &judged->quick[any ? one->lead.source[i] : 0];
        one->by_words &= !any || (judged->words >> one->lead.source[i] & 1 && !by->shift);
        one->by[i] = any ? by->at : (const uint8_t *)&judged->pc;
        one->by_mask[i] = any ? by->mask : 0;
        one->times[i] = any ? (uint64_t)one->lead.times[i] * unit : 0;
    }
}

void oak_judged_find_stretches(oak_judged *judged, const oak_core *core)
{
    for (oak_judged_led *one = judged->leads; one < judged->leads_end; one++)
        if (one->lead.plain[0] != one->last.first || one->lead.plain[1] != one->last.count)
            find_stretch(judged, core, one);
}

static uint32_t led_word(const oak_judged_led *one, const uint8_t *at)
{
    uint32_t word = 0;
    for (unsigned i = 0; i < one->bytes; i++)
        word = one->low_first ? word | (uint32_t)at[i] << 8 * i : word << 8 | at[i];
    return word;
}

/* What stands so many bytes behind where a stretch begins; false where nothing of it does. */
static inline bool read_at(const oak_judged_led *one, const oak_judged_stretch *stretch, uint64_t to,
                           uint32_t *value)
{
    if (to < stretch->words) *value = oak_judged_word(stretch->at + to) & one->mask;
    else if (to < stretch->starts) *value = led_word(one, stretch->at + to);
    else return false;
    return true;
}

bool oak_judged_follow(oak_judged *judged, const oak_core *core)
{
    judged->led_lost = true;
    for (const oak_judged_led *one = judged->leads; one < judged->leads_end; one++) {
        uint32_t *value = &judged->noted[one->lead.value];
        uint64_t to = 0;
        if (one->by_words)
            to += (oak_judged_word(one->by[0]) & one->by_mask[0]) * one->times[0] +
                  (oak_judged_word(one->by[1]) & one->by_mask[1]) * one->times[1];
        else
            for (unsigned i = 0; i < one->lead.source_count; i++)
                to += oak_judged_quick_word(judged, core, &judged->quick[one->lead.source[i]], 0) *
                      one->times[i];
        if (!read_at(one, &one->last, to + one->last.number, value) &&
            !read_at(one, &one->before, to + one->before.number, value))
            return false;
    }
    judged->led_lost = false;
    return true;
}
