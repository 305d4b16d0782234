/* phrase.c — the keys of expectations, in words:
 *
 *   at end   at 50ms   at PLACE   at first PLACE   always   never   within 2ms after EVENT   in order   from PLACE to PLACE
 *   stack   stack from PLACE   keeps   ends   pin NAME   pin NAME from 20ms   as in FILE.vcd */
#include <oakspindle/print.h>

#include "trial/trial_state.h"

bool trial_read_span(const char *text, size_t length, trial_span *span)
{
    static const char *const words[] = {" cycles", " cycle"};
    *span = (trial_span){0};
    for (unsigned i = 0; i < 2; i++) {
        size_t word = oak_length(words[i]), used;
        if (length <= word || !oak_same_name(text + length - word, word, words[i])) continue;
        span->is_cycles = true;
        return oak_read_number(text, text + length - word, &span->cycles, &used) == OAK_OK &&
               used == length - word;
    }
    return oak_read_time(text, length, &span->picoseconds) == OAK_OK;
}

/* What stands behind a word and a blank, or NULL. */
static const char *behind(const char *text, const char *word)
{
    size_t length = oak_length(word), whole = oak_length(text);
    if (whole < length || !oak_same_name(text, length, word)) return NULL;
    if (!text[length]) return text + length;
    if (text[length] != ' ') return NULL;
    while (text[length] == ' ') length++;
    return text + length;
}

static const char *find_word(const char *text, const char *word)
{
    size_t length = oak_length(word);
    for (const char *at = text; *at; at++)
        if (*at == ' ' && oak_length(at + 1) > length && oak_same_name(at + 1, length, word) &&
            at[1 + length] == ' ')
            return at;
    return NULL;
}

static const char *kept(oak_arena *arena, const char *from, const char *end)
{
    while (end > from && end[-1] == ' ') end--;
    return oak_arena_text(arena, from, (size_t)(end - from));
}

bool trial_read_phrase(oak_arena *arena, trial_expectation *one, char *message, size_t room,
                       const char **hint)
{
    static const char all[] = "Write at end, at 50ms, at PLACE, at first PLACE, always, never, within 2ms "
                              "after EVENT, in order, from PLACE to "
                              "PLACE, stack, keeps, ends, pin NAME, or as in FILE.vcd.";
    const char *key = one->key.text, *rest, *mark;
    *hint = all;
    oak_format(message, room, "`%s` says nothing of when or what", key);
    if (oak_same(key, "always") || oak_same(key, "never")) {
        one->when = *key == 'a' ? TRIAL_ALWAYS : TRIAL_NEVER;
        return true;
    }
    if (oak_same(key, "in order")) {
        one->when = TRIAL_IN_ORDER;
        return true;
    }
    if (oak_same(key, "ends") || oak_same(key, "keeps")) {
        one->when = *key == 'e' ? TRIAL_ENDS : TRIAL_KEEPS;
        return true;
    }
    if ((rest = behind(key, "stack"))) {
        one->when = TRIAL_STACK;
        one->place = behind(rest, "from");
        if (!*rest) one->place = NULL;
        return !*rest || (one->place && *one->place);
    }
    if ((rest = behind(key, "as in")) && *rest) {
        one->when = TRIAL_GOLDEN;
        one->place = rest;
        return true;
    }
    if ((rest = behind(key, "pin")) && *rest) {
        one->when = TRIAL_PIN;
        mark = find_word(rest, "from");
        one->place = mark ? kept(arena, rest, mark) : rest;
        return !mark || trial_read_span(mark + 6, oak_length(mark + 6), &one->span);
    }
    if ((rest = behind(key, "from")) && (mark = find_word(rest, "to"))) {
        one->when = TRIAL_FROM_TO;
        one->place = kept(arena, rest, mark);
        one->second = mark + 4;
        return true;
    }
    if ((rest = behind(key, "within"))) {
        mark = find_word(rest, "after");
        one->when = TRIAL_WITHIN;
        if (!mark || !trial_read_span(rest, (size_t)(mark - rest), &one->span)) {
            *hint = "Write `within 2ms after door rises` or `within 300 cycles after main is reached`.";
            oak_format(message, room, "`%s` needs a time and what it follows", key);
            return false;
        }
        one->event = (trial_text){mark + 7, one->key.line, one->key.column + (uint32_t)(mark + 7 - key)};
        return true;
    }
    if ((rest = behind(key, "at")) && *rest) {
        const char *first = behind(rest, "first");
        if (oak_same(rest, "end")) one->when = TRIAL_AT_END;
        else if (trial_read_span(rest, oak_length(rest), &one->span)) one->when = TRIAL_AT_TIME;
        else
            one->when = first && *first ? TRIAL_AT_FIRST : TRIAL_AT_PLACE,
            one->place = first && *first ? first : rest;
        return true;
    }
    return false;
}
