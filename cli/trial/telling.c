/* telling.c — what has become of a trial, for people: what failed, when, where, and what came before it; runs beside those that were kept; pictures. */
#include <stdlib.h>
#include <string.h>

#include "trial_run.h"
#include "wave/wave.h"

static void print_recent(void *context, const oak_recent *one)
{
    oak_session *session = context;
    char place[100] = "", time[60];
    uint8_t byte;
    if (oak_image_byte(oak_program_image(oak_session_program(session)), one->pc, &byte))
        oak_session_name_place(session, one->pc, place, sizeof place);
    oak_write_time(one->cycle, oak_session_clock(session), oak_session_part(session)->clocks_per_cycle, time,
                   sizeof time);
    printf("      %12s  %-20s %s\n", time, place, one->text);
}

/* The last edges of pins that have a name. */
static void print_edges(oak_session *session)
{
    enum { EDGES = 6 };
    const oak_trace *trace = oak_session_trace(session);
    oak_trace_change change;
    size_t count = 0, first = 0;
    for (; trace && oak_trace_change_at(trace, count, &change); count++)
        if (!change.time) first = count + 1; /* what stood there from the beginning */
    if (count > first + EDGES) first = count - EDGES;
    if (count > first) puts("    pins before it");
    for (size_t i = first; i < count; i++) {
        char time[60];
        (void)oak_trace_change_at(trace, i, &change);
        const oak_trace_signal *signal = oak_trace_signal_at(trace, change.signal);
        oak_write_time(change.time, oak_session_clock(session), oak_session_part(session)->clocks_per_cycle,
                       time, sizeof time);
        printf("      %12s  %-20s %s\n", time, signal->name,
               change.other & 1   ? "floats"
               : signal->bits > 1 ? "changes"
               : change.value & 1 ? "rises"
                                  : "falls");
    }
}

/* Brings a chip to where a case has failed: the same, since nothing but the case decides. */
static bool go_there(cli *self, const trial_outcome *one, bool keeps_past)
{
    oak_session *session = one->file->session;
    uint64_t begun = one->result.begun, at = one->result.time.cycles;
    oak_budget budget = {.cycles = at > begun ? at - begun : 0};
    oak_event ended;
    if (keeps_past &&
        (oak_session_record(session, "pins", &self->sink) || oak_session_keep_history(session, 0)))
        return false;
    return !oak_trial_give(one->file->trials, one->number, one->shown, session, one->file->board,
                           &self->sink) &&
           (!budget.cycles || !oak_session_run(session, &budget, &self->sink, &ended));
}

typedef struct telling {
    cli *self;
    const trial_outcome *one;
    trial_slot *slot;
    const char *folder;
} telling;

static void find_place(void *context)
{
    telling *t = context;
    oak_chip_port chip = oak_session_chip(t->one->file->session);
    if (!go_there(t->self, t->one, false)) return;
    chip.ops->read_register(chip.chip, t->one->file->part->architecture->pc_register, &t->slot->result.pc);
    chip.ops->read_time(chip.chip, &t->slot->result.time);
}

/* Where the program was in that cycle, when the run had gone on since. */
void trial_locate(cli *self, trial_outcome *one, trial_slot *slot)
{
    telling t = {.self = self, .one = one, .slot = slot};
    slot->result = one->result;
    trial_apart(find_place, &t);
    one->result = slot->result;
}

static void print_before(void *context)
{
    telling *t = context;
    if (!go_there(t->self, t->one, true)) return;
    puts("    instructions before it");
    (void)!oak_session_recent(t->one->file->session, 6, print_recent, t->one->file->session);
    print_edges(t->one->file->session);
}

/* ------------------------------------------------------------------------------------------ runs that are not as they were */

/* The whole case again: somebody wants to see both runs. */
static void run_again(telling *t, oak_trial_golden_fn show)
{
    const trial_file *file = t->one->file;
    oak_trial_result result;
    oak_trials_show_golden(file->trials, show, t);
    (void)!oak_trial_run(file->trials, t->one->number, t->one->shown, file->session, file->board, NULL, NULL,
                         &oak_silent, &result);
}

static void write_side(const oak_trace *now, const oak_trace_difference *one, bool is_now, char *text,
                       size_t room)
{
    char time[60], deed[60];
    uint32_t clocks, value = is_now ? one->value : one->before_value,
                     other = is_now ? one->other : one->before_other;
    uint64_t clock = oak_trace_clock(now, &clocks);
    if (is_now ? !one->in_now : !one->in_before) {
        snprintf(text, room, "-");
        return;
    }
    if (one->what == OAK_UNLIKE_NO_SIGNAL) {
        snprintf(text, room, "recorded");
        return;
    }
    oak_write_time(is_now ? one->now_time : one->before_time, clock, clocks, time, sizeof time);
    if (one->is_event) snprintf(deed, sizeof deed, "happens");
    else if (one->bits == 1)
        snprintf(deed, sizeof deed, "%s", other & 1 ? "floats" : value & 1 ? "rises" : "falls");
    else snprintf(deed, sizeof deed, "0x%0*x", (int)(one->bits + 3) / 4, (unsigned)value);
    snprintf(text, room, "%12s %s", time, deed);
}

/* Both beside each other, in the order of time. */
static bool print_both(void *context, const oak_trial_golden *golden)
{
    enum { MOST = 12 };
    oak_trace_difference list[MOST];
    size_t count;
    (void)context;
    if (!golden->before) return false;
    oak_trace_compare(golden->before, golden->now, golden->off, list, MOST, &count);
    if (!count) return true;
    printf("    %-20s %-26s %s\n", golden->path, "kept", "now");
    for (size_t i = 0; i < count && i < MOST; i++) {
        char kept[130], now[130];
        write_side(golden->now, &list[i], false, kept, sizeof kept);
        write_side(golden->now, &list[i], true, now, sizeof now);
        printf("      %-18s %-26s %s\n", list[i].signal, kept, now);
    }
    if (count > MOST) printf("      and %zu more\n", count - MOST);
    return true;
}

static void print_golden(void *context)
{
    run_again(context, print_both);
}

/* ------------------------------------------------------------------------------------------ pictures */

static void name_picture(const telling *t, char *path, size_t room)
{
    size_t used = (size_t)snprintf(path, room - 8, "%s/", t->folder);
    if (used > room - 20) used = room - 20;
    for (const char *at = t->one->name; *at && used + 8 < room; at++) {
        bool word = (*at >= 'a' && *at <= 'z') || (*at >= 'A' && *at <= 'Z') || (*at >= '0' && *at <= '9');
        if (word) path[used++] = *at;
        else if (path[used - 1] != '-' && path[used - 1] != '/') path[used++] = '-';
    }
    while (path[used - 1] == '-') used--;
    snprintf(path + used, room - used, ".png");
}

static void draw(telling *t, wave_view *view)
{
    enum { WIDTH = 1280 };
    char path[400];
    name_picture(t, path, sizeof path);
    view->to = view->trace ? oak_trace_picoseconds(view->trace, oak_trace_end(view->trace)) : 0;
    if (view->to && wave_open(t->self, view, NULL) && view->row_count)
        (void)!wave_draw(t->self, view, path, WIDTH, 0);
    else puts("    picture   none: no signal was recorded");
    wave_close(view);
}

static bool draw_both(void *context, const oak_trial_golden *golden)
{
    telling *t = context;
    char title[300];
    if (!golden->before) return false;
    snprintf(title, sizeof title, "%.200s: kept, and now", t->one->name);
    wave_view view = {.trace = golden->now, .beside = golden->before, .off = golden->off, .title = title};
    draw(t, &view);
    return true;
}

static bool is_golden(const trial_outcome *one)
{
    return !strncmp(one->result.expectation, "as in ", 6);
}

static void draw_it(void *context)
{
    telling *t = context;
    char title[300], words[400];
    if (is_golden(t->one)) {
        run_again(t, draw_both);
        return;
    }
    if (!go_there(t->self, t->one, true)) return;
    trial_case_words(t->one, t->one->shown, words, sizeof words);
    snprintf(title, sizeof title, "%.150s%s%.100s", t->one->name, *words ? ", " : "", words);
    wave_view view = {
        .trace = oak_session_trace(t->one->file->session), .title = title, .stop = "it fails here"};
    draw(t, &view);
}

void trial_draw_outcome(cli *self, const trial_outcome *one, const char *folder)
{
    telling t = {.self = self, .one = one, .folder = folder};
    trial_apart(draw_it, &t);
}

/* ------------------------------------------------------------------------------------------ in words */

static void print_most(const trial_outcome *one)
{
    for (unsigned i = 0; i < one->most_count; i++) {
        char words[400] = "", time[60];
        trial_time_text(one->file, one->most[i].about.cycles, time, sizeof time);
        trial_case_words(one, one->most[i].one, words, sizeof words);
        printf("    %s: %llu cycles at the longest (%s)%s%s\n", one->most[i].about.what,
               (unsigned long long)one->most[i].about.cycles, time, *words ? ", in " : "", words);
    }
}

void trial_print_outcome(cli *self, const trial_outcome *one)
{
    bool colour = self->result_colour, passed = !one->failed && !one->refused;
    char cases[60] = "", time[60], number[40];
    trial_time_text(one->file, one->cycles, time, sizeof time);
    const char *unchanged = one->unchanged ? "unchanged: " : "";
    if (one->cases > 1 && one->ran != one->cases)
        snprintf(cases, sizeof cases, "%s%llu of %llu cases, ", unchanged, (unsigned long long)one->ran,
                 (unsigned long long)one->cases);
    else if (one->cases > 1)
        snprintf(cases, sizeof cases, "%s%s cases, ", unchanged,
                 cli_count(one->cases, number, sizeof number));
    else snprintf(cases, sizeof cases, "%s", unchanged);
    printf("%s%s%s  %s  %s(%s%s of the chip)%s\n", cli_paint(colour, passed ? PAINT_STRONG : PAINT_ERROR),
           one->refused ? "refused"
           : passed     ? "passed"
                        : "FAILED",
           cli_paint(colour, PAINT_OFF), one->name, cli_paint(colour, PAINT_FAINT), cases, time,
           cli_paint(colour, PAINT_OFF));
    if (passed) print_most(one);
    if (passed || one->refused) return;
    char place[200], words[400], bench[700];
    trial_place_text(one, place, sizeof place);
    trial_time_text(one->file, one->result.time.cycles, time, sizeof time);
    trial_case_words(one, one->first, words, sizeof words);
    if (one->cases > 1)
        printf("    %llu of %llu cases; the first is %s\n", (unsigned long long)one->failed,
               (unsigned long long)one->ran, words);
    if (one->shown != one->first) {
        oak_trial_case_text(one->file->trials, one->number, one->shown, words, sizeof words);
        printf("    simplest  %s\n", words);
    }
    if (*one->result.expectation)
        printf("    expected  %s  (%s:%u)\n", one->result.expectation, one->file->path,
               (unsigned)one->result.line);
    printf("    found     %s\n", one->result.found);
    printf("    when      %s, cycle %llu, at %s\n", time, (unsigned long long)one->result.time.cycles, place);
    telling t = {.self = self, .one = one};
    trial_apart(is_golden(one) ? print_golden : print_before, &t);
    trial_bench_command(one, bench, sizeof bench);
    printf("    go there  %s\n", bench);
}
