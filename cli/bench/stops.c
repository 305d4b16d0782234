/* stops.c — the verbs of the bench that end runs, or note something on the way: stop points, watches, what is said. */
#include <stdlib.h>
#include <string.h>

#include "bench.h"

bool bench_stop(bench *b, const char *rest)
{
    if (!*rest)
        return bench_complain(
            b, "Write `stop label`, `stop label if r3 == 3`, `stop label every 5`, `stop label once`.",
            "a place is missing");
    return cli_add_stop(b->self, b->session, rest);
}

/* ------------------------------------------------------------------------------------------ watches */

void bench_watch_words(const oak_watch *watch, char *text, size_t room)
{
    switch (watch->kind) {
    case OAK_WATCH_CHANGE: snprintf(text, room, "%s changes", watch->text); break;
    case OAK_WATCH_HOLDS: snprintf(text, room, "%s becomes true", watch->text); break;
    case OAK_WATCH_READ: snprintf(text, room, "%s is read", watch->text); break;
    case OAK_WATCH_WRITE: snprintf(text, room, "%s is written", watch->text); break;
    case OAK_WATCH_ACCESS: snprintf(text, room, "%s is read or written", watch->text); break;
    case OAK_WATCH_HANDLER:
        snprintf(text, room, *watch->text ? "the handler at vector %s is entered" : "a handler is entered%s",
                 watch->text);
        break;
    }
}

static bool add_watch(bench *b, const char *expression, oak_watch_kind kind)
{
    unsigned number;
    char words[300];
    if (!bench_done(b, oak_session_add_watch(b->session, expression, kind, &b->self->sink, &number),
                    expression))
        return false;
    bench_watch_words(oak_session_watch(b->session, number), words, sizeof words);
    printf("  watch %u: stops when %s\n", number, words);
    return true;
}

/* watch E, watch read E, watch write E, watch access E */
bool bench_watch(bench *b, const char *rest)
{
    static const struct {
        const char *word;
        oak_watch_kind kind;
    } kinds[] = {{"read ", OAK_WATCH_READ}, {"write ", OAK_WATCH_WRITE}, {"access ", OAK_WATCH_ACCESS}};
    oak_reading ignored;
    for (size_t i = 0; i < sizeof kinds / sizeof *kinds; i++) {
        size_t length = strlen(kinds[i].word);
        if (strncmp(rest, kinds[i].word, length) == 0) return add_watch(b, rest + length, kinds[i].kind);
        bool alone = strlen(rest) + 1 == length && strncmp(rest, kinds[i].word, length - 1) == 0;
        if (alone && oak_session_value(b->session, rest, &oak_silent, &ignored))
            rest = ""; /* no name of the program's */
    }
    if (!*rest)
        return bench_complain(b, "Write `watch count`, `watch write $S[$a..$b]`, `watch read sp`.",
                              "what is to be watched?");
    return add_watch(b, rest, OAK_WATCH_CHANGE);
}

bool bench_when(bench *b, const char *rest)
{
    if (!*rest) return bench_complain(b, "Write `when r3 == 5`, `when depth > 3`.", "a condition is missing");
    return add_watch(b, rest, OAK_WATCH_HOLDS);
}

bool bench_interrupt(bench *b, const char *rest)
{
    return add_watch(b, rest, OAK_WATCH_HANDLER);
}

/* ------------------------------------------------------------------------------------------ saying */

/* say E at PLACE: prints it each time, and goes on. */
static void say_it(void *context, unsigned number)
{
    bench *b = context;
    oak_chip_port chip = oak_session_chip(b->session);
    oak_chip_time time = {0};
    oak_reading reading;
    char count[40];
    struct bench_said *said = &b->said[number];
    if (!said->expression || oak_session_is_replaying(b->session)) return;
    chip.ops->read_time(chip.chip, &time);
    if (oak_session_value(b->session, said->expression, &b->self->sink, &reading)) return;
    said->times++;
    printf("  at cycle %s: %s = 0x%llx  %lld\n", cli_count(time.cycles, count, sizeof count),
           said->expression, (unsigned long long)reading.value, (long long)reading.value);
}

bool bench_say(bench *b, const char *rest)
{
    const char *at = NULL;
    oak_reading reading;
    for (const char *p = rest; (p = strstr(p, " at ")); p++) at = p;
    if (!at) return bench_complain(b, "Write `say mean at show`.", "an expression and a place are needed");
    if (b->said_count == BENCH_MOST_KEPT) return bench_complain(b, NULL, "no more can be said");
    struct bench_said *said = &b->said[b->said_count];
    *said = (struct bench_said){cli_strndup(rest, (size_t)(at - rest)), cli_strdup(at + 4), 0};
    bool good =
        said->expression && said->place &&
        !oak_session_value(b->session, said->expression, &b->self->sink, &reading) &&
        bench_done(b, oak_session_add_action(b->session, at + 4, say_it, b, b->said_count, &b->self->sink),
                   at + 4);
    if (good) b->said_count++;
    else free(said->expression), free(said->place);
    return good;
}

/* ------------------------------------------------------------------------------------------ the list */

static const char *times_text(unsigned long long count, char *text, size_t room)
{
    snprintf(text, room, "hit %llu time%s", count, count == 1 ? "" : "s");
    return text;
}

bool bench_stops(bench *b, const char *rest)
{
    const oak_stop_point *point;
    const oak_watch *watch;
    bool any = false;
    char words[300], times[60];
    (void)rest;
    for (unsigned i = 0; (point = oak_session_stop_point(b->session, i)); i++) {
        if (point->removed) continue;
        any = true;
        printf("  %u  %s 0x%04x  %s", i, point->enabled ? "on " : "off", (unsigned)point->address,
               point->text);
        if (point->condition) printf(" if %s", point->condition);
        if (point->every > 1) printf(" every %llu", (unsigned long long)point->every);
        if (point->once) printf(" once");
        printf("  %s\n", times_text(point->hits, times, sizeof times));
    }
    for (unsigned i = 0; (watch = oak_session_watch(b->session, i)); i++) {
        if (watch->removed) continue;
        any = true;
        bench_watch_words(watch, words, sizeof words);
        printf("  watch %u  %s %s  %s\n", i, watch->enabled ? "on " : "off", words,
               times_text(watch->hits, times, sizeof times));
    }
    for (unsigned i = 0; i < b->said_count; i++) {
        const struct bench_said *said = &b->said[i];
        if (!said->expression) continue;
        any = true;
        printf("  say %u  %s at %s  %s\n", i, said->expression, said->place,
               times_text(said->times, times, sizeof times));
    }
    if (!any) printf("  none\n");
    return true;
}

/* "N", "watch N" or "say N"; false after a message. */
typedef enum listed { LISTED_STOP, LISTED_WATCH, LISTED_SAID } listed;
static bool read_listed(bench *b, const char *rest, listed *kind, unsigned *number)
{
    char *end;
    const char *text = rest;
    *kind = strncmp(rest, "watch ", 6) == 0 ? LISTED_WATCH
            : strncmp(rest, "say ", 4) == 0 ? LISTED_SAID
                                            : LISTED_STOP;
    text += *kind == LISTED_WATCH ? 6 : *kind == LISTED_SAID ? 4 : 0;
    *number = (unsigned)strtoul(text, &end, 10);
    return (end != text && !*end) ||
           bench_complain(b, "`stops` lists them with their numbers.", "`%s` is no number of a stop", rest);
}

static bool found(bench *b, bool good, listed kind, unsigned number)
{
    static const char *const words[] = {"stop point", "watch", "thing said with number"};
    return good || bench_complain(b, "`stops` lists them.", "there is no %s %u", words[kind], number);
}

static bool enable(bench *b, const char *rest, bool on)
{
    listed kind;
    unsigned number;
    if (!read_listed(b, rest, &kind, &number)) return false;
    if (kind == LISTED_SAID)
        return bench_complain(b, "`remove say N` removes it.", "what is said is not turned on and off");
    return found(b,
                 kind == LISTED_WATCH ? !oak_session_enable_watch(b->session, number, on)
                                      : !oak_session_enable_stop(b->session, number, on),
                 kind, number);
}

bool bench_off(bench *b, const char *rest)
{
    return enable(b, rest, false);
}

bool bench_on(bench *b, const char *rest)
{
    return enable(b, rest, true);
}

bool bench_remove(bench *b, const char *rest)
{
    listed kind;
    unsigned number;
    if (!read_listed(b, rest, &kind, &number)) return false;
    if (kind == LISTED_WATCH) return found(b, !oak_session_remove_watch(b->session, number), kind, number);
    if (kind == LISTED_STOP) return found(b, !oak_session_remove_stop(b->session, number), kind, number);
    if (!found(b, number < b->said_count && b->said[number].expression, kind, number)) return false;
    free(b->said[number].expression);
    free(b->said[number].place);
    b->said[number] = (struct bench_said){0};
    return true;
}

/* ------------------------------------------------------------------------------------------ on the way */

bool bench_lap(bench *b, const char *rest)
{
    const char *to = strstr(rest, " to ");
    char from[200];
    if (!to || to - rest >= (int)sizeof from)
        return bench_complain(
            b, "Write `lap begin to end`, `lap p1.1 rises to p0.0 falls` or `lap look to its return`.",
            "this has no beginning and end");
    snprintf(from, sizeof from, "%.*s", (int)(to - rest), rest);
    return bench_done(b, oak_session_add_lap(b->session, from, to + 4, &b->self->sink), rest);
}

/* notice [KIND LEVEL]: what becomes of something that a chip suffers silently. */
bool bench_notice(bench *b, const char *rest)
{
    static const struct {
        const char *word;
        oak_notice_level level;
    } levels[] = {{"off", OAK_NOTICE_OFF}, {"warning", OAK_NOTICE_WARNING}, {"stop", OAK_NOTICE_STOP}};
    const char *word;
    oak_notice_level level;
    if (!*rest) {
        for (unsigned i = 0; (word = oak_notice_word(i, &level)); i++)
            printf("  %-20s %s\n", word, levels[oak_session_level(b->session, word)].word);
        return true;
    }
    size_t length = strcspn(rest, " ");
    const char *wanted = rest + length + strspn(rest + length, " ");
    for (size_t i = 0; i < 3; i++)
        if (strcmp(levels[i].word, wanted) == 0)
            return oak_session_set_level(b->session, rest, length, levels[i].level) == OAK_OK ||
                   bench_complain(b, "`notice` lists them.", "there is nothing to notice called `%.*s`",
                                  (int)length, rest);
    return bench_complain(b, "Write `notice contention stop`, `warning` or `off`.", "`%s` is no such setting",
                          wanted);
}
