/* running.c — the verbs that move the chip, forward and back. */
#include <ctype.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "bench.h"

/* ------------------------------------------------------------------------------------------ running */

/* A slow run is watched: whoever shows the chip shows it at each breath; a fast one, when it lasts. */
static bool breathe_and_show(void *context, uint64_t cycles)
{
    bench *b = context;
    bool on = b->inner.breathe(b->inner.context, cycles);
    if (b->pace > 0 || bench_lasts(b)) b->meanwhile(b, false);
    return on;
}

bool bench_lasts(bench *b)
{
    enum { OFTEN = 250 }; /* ms */
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    long long ms = (now.tv_sec - b->shown.tv_sec) * 1000LL + (now.tv_nsec - b->shown.tv_nsec) / 1000000;
    if (ms < OFTEN) return false;
    b->shown = now;
    return true;
}

static void begin_budget(bench *b, oak_budget *budget)
{
    enum { BREATHS = 10 }; /* the eye needs fewer than the pace */
    *budget = (oak_budget){0};
    cli_breathe(b->session, b->pace, budget);
    if (!b->meanwhile) return;
    b->inner = *budget;
    budget->breathe = breathe_and_show;
    budget->context = b;
    if (b->pace > 0) budget->breath *= BREATHS;
}

/* "", "20ms", "500 cycles", "100 steps" */
static bool read_budget(bench *b, const char *text, oak_budget *budget)
{
    enum { USUAL_SECONDS = 10 };
    char *end;
    uint64_t picoseconds;
    unsigned clocks = oak_session_part(b->session)->clocks_per_cycle;
    begin_budget(b, budget);
    if (!*text) {
        if (b->bounded)
            budget->cycles = oak_time_to_cycles((uint64_t)USUAL_SECONDS * 1000000000000u,
                                                oak_session_clock(b->session), clocks);
        return true;
    }
    unsigned long long count =
        isdigit((unsigned char)*text) ? strtoull(text, &end, 0) : (end = (char *)(uintptr_t)text, 0);
    while (*end == ' ') end++;
    if (count && strcmp(end, "cycles") == 0) budget->cycles = count;
    else if (count && (strcmp(end, "steps") == 0 || !*end)) budget->instructions = count;
    else if (oak_read_time(text, strlen(text), &picoseconds) == OAK_OK && picoseconds)
        budget->cycles = oak_time_to_cycles(picoseconds, oak_session_clock(b->session), clocks);
    else
        return bench_complain(b, "Write `go`, `go 20ms`, `go 500 cycles` or `go 100 steps`.",
                              "`%s` says not how long", text);
    return true;
}

bool bench_verb_go(bench *b, const char *rest)
{
    oak_budget budget;
    oak_event event;
    return read_budget(b, rest, &budget) &&
           bench_done(b, oak_session_run(b->session, &budget, &b->self->sink, &event), "go");
}

bool bench_read_count(bench *b, const char *rest, unsigned long long *count)
{
    char *end;
    *count = 1;
    if (!*rest) return true;
    *count = strtoull(rest, &end, 0);
    return (isdigit((unsigned char)*rest) && *count && !*end) ||
           bench_complain(b, "A count is a whole number from 1.", "`%s` is no count", rest);
}

bool bench_verb_step(bench *b, const char *rest)
{
    unsigned long long count;
    oak_event event;
    if (!bench_read_count(b, rest, &count)) return false;
    oak_budget budget;
    begin_budget(b, &budget);
    budget.instructions = count;
    if (count == 1) return bench_done(b, oak_session_step(b->session, &event), "step");
    return bench_done(b, oak_session_run(b->session, &budget, &b->self->sink, &event), "step");
}

bool bench_verb_over(bench *b, const char *rest)
{
    oak_budget budget;
    oak_event event;
    (void)rest;
    return read_budget(b, "", &budget) &&
           bench_done(b, oak_session_step_over(b->session, &budget, &b->self->sink, &event), "over");
}

bool bench_verb_out(bench *b, const char *rest)
{
    oak_budget budget;
    oak_event event;
    (void)rest;
    if (!read_budget(b, "", &budget)) return false;
    if (!oak_session_is_called(b->session))
        return bench_complain(b, "`to PLACE` and `go 20ms` run on.",
                              "nothing has called what runs here: there is no way out of it");
    return bench_done(b, oak_session_run_out(b->session, &budget, &b->self->sink, &event), "out");
}

bool bench_verb_to(bench *b, const char *rest)
{
    oak_budget budget;
    oak_event event;
    if (!*rest)
        return bench_complain(b, "Write `to label`, `to file.asm:27`, `to 0x0123`.", "a place is missing");
    return read_budget(b, "", &budget) &&
           bench_done(b, oak_session_run_to(b->session, rest, &budget, &b->self->sink, &event), rest);
}

bool bench_verb_reset(bench *b, const char *rest)
{
    (void)rest;
    return bench_done(b, oak_session_reset(b->session), "reset");
}

bool bench_verb_again(bench *b, const char *rest)
{
    (void)rest;
    b->again = cli_would_load(b->self);
    return b->again;
}

/* back [N], back over, back until EXPR, back change|write|read EXPR, back to CYCLE */
bool bench_verb_back(bench *b, const char *rest)
{
    oak_event event;
    unsigned long long count;
    if (strcmp(rest, "over") == 0)
        return bench_done(b, oak_session_back_over(b->session, &event), "back over");
    if (strncmp(rest, "until ", 6) == 0)
        return bench_done(b, oak_session_back_until(b->session, rest + 6, &b->self->sink, &event), rest + 6);
    static const struct {
        const char *word;
        oak_watch_kind kind;
    } accesses[] = {{"change ", OAK_WATCH_CHANGE}, {"write ", OAK_WATCH_WRITE}, {"read ", OAK_WATCH_READ}};
    for (size_t i = 0; i < sizeof accesses / sizeof *accesses; i++) {
        size_t length = strlen(accesses[i].word);
        if (strncmp(rest, accesses[i].word, length) != 0) continue;
        rest += length;
        return bench_done(
            b, oak_session_back_access(b->session, rest, accesses[i].kind, &b->self->sink, &event), rest);
    }
    bool cycle = strncmp(rest, "to ", 3) == 0;
    if (cycle) rest += 3;
    if (cycle && strcmp(rest, "0") == 0) count = 0;
    else if (!bench_read_count(b, rest, &count)) return false;
    return bench_done(b,
                      cycle ? oak_session_back_to_cycle(b->session, count, &event)
                            : oak_session_back_steps(b->session, count, &event),
                      "back");
}

bool bench_verb_pace(bench *b, const char *rest)
{
    char *end;
    double pace = strtod(rest, &end);
    if (strcmp(end, "%") == 0) pace /= 100, end++;
    if (strcmp(rest, "off") == 0) pace = 0;
    else if (end == rest || *end || !(pace > 0) || pace > 1e6)
        return bench_complain(b, "Write `pace 1`, `pace 10%` or `pace off`.", "`%s` is no pace", rest);
    b->pace = pace;
    return true;
}
