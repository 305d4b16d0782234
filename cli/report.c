/* report.c — what is printed when a run has ended. */
#include <string.h>

#include "cli.h"
#include "report.h"

/* ------------------------------------------------------------------------------------------ the report */

void report_title(cli *self, const char *text)
{
    printf("\n%s%s%s\n", cli_paint(self->result_colour, PAINT_TITLE), text,
           cli_paint(self->result_colour, PAINT_OFF));
}

static void say_watch(oak_session *session, const oak_event *event, const char *strong, const char *off)
{
    static const char *const deeds[] = {
        [OAK_WATCH_CHANGE] = "changed",      [OAK_WATCH_HOLDS] = "became true",
        [OAK_WATCH_READ] = "was read",       [OAK_WATCH_WRITE] = "was written",
        [OAK_WATCH_ACCESS] = "was accessed", [OAK_WATCH_HANDLER] = "handler entered"};
    const oak_watch *watch = oak_session_watch(session, (unsigned)event->watch);
    char text[120], place[120];
    unsigned size;
    printf("%sWatch%s %d: %s%s%s", strong, off, event->watch, watch->text, *watch->text ? " " : "",
           deeds[watch->kind]);
    if (!event->stop.watched) return;
    oak_session_name_place(session, event->stop.watched_pc, place, sizeof place);
    if (watch->kind == OAK_WATCH_HANDLER)
        printf(", interrupting at 0x%04x, %s", (unsigned)event->stop.watched_pc, place);
    else if (!oak_session_print_instruction(session, event->stop.watched_pc, text, sizeof text, &size))
        printf(" by `%s` at 0x%04x, %s", text, (unsigned)event->stop.watched_pc, place);
}

void cli_report_why(cli *self, oak_session *session, const char *budget)
{
    const oak_event *event = oak_session_last_event(session);
    const char *strong =
        cli_paint(self->result_colour, event->stop.reason == OAK_STOP_FAULT ? PAINT_ERROR : PAINT_STRONG);
    const char *off = cli_paint(self->result_colour, PAINT_OFF);
    char sentence[300];
    switch (event->stop.reason) {
    case OAK_STOP_POINT: {
        const oak_stop_point *point = oak_session_stop_point(session, (unsigned)event->stop_point);
        printf("%sStop point%s `%s`", strong, off, point->text);
        if (point->condition) printf(" if %s", point->condition);
        if (point->hits > 1) printf(", hit %llu times", (unsigned long long)point->hits);
        break;
    }
    case OAK_STOP_PARKED:
        printf("%sParked%s: it %s and nothing can wake it", strong, off,
               event->stop.asleep ? "sleeps" : "jumps to itself");
        break;
    case OAK_STOP_CYCLES:
    case OAK_STOP_STEPS: printf("%sBudget used up%s (%s)", strong, off, budget); break;
    case OAK_STOP_FAULT:
        oak_fault_sentence(session, &event->stop, sentence, sizeof sentence);
        printf("%sFault%s %s: %s", strong, off, oak_fault_word(event->stop.fault), sentence);
        if (event->stop.fault_taken) {
            char place[120];
            oak_session_name_place(session, event->stop.fault_pc, place, sizeof place);
            printf("\n  it came from 0x%04x, %s; its handler was entered and has parked",
                   (unsigned)event->stop.fault_pc, place);
        }
        break;
    case OAK_STOP_STEP: printf("%sHere%s", strong, off); break;
    case OAK_STOP_WATCH: say_watch(session, event, strong, off); break;
    case OAK_STOP_USER: printf("%sInterrupted%s by you", strong, off); break;
    default: {
        oak_chip_port chip = oak_session_chip(session);
        oak_chip_time time = {0};
        chip.ops->read_time(chip.chip, &time);
        printf("%s%s%s", strong, time.cycles || time.instructions ? "As it was loaded" : "At the beginning",
               off);
        break;
    }
    }
    putchar('\n');
}

/* Where it is now: somebody may have moved it since the run ended. */
static void say_where(cli *self, oak_session *session)
{
    oak_chip_port chip = oak_session_chip(session);
    uint32_t pc = 0;
    chip.ops->read_register(chip.chip, oak_session_part(session)->architecture->pc_register, &pc);
    const oak_program *program = oak_session_program(session);
    char place[120], text[120];
    unsigned size;
    oak_line line;
    oak_session_name_place(session, pc, place, sizeof place);
    bool named = strncmp(place, "0x", 2) != 0;
    printf("  at 0x%04x", (unsigned)pc);
    if (named) printf(", %s", place);
    if (program && oak_program_line_at(program, pc, &line) == OAK_OK) {
        printf(", %s:%u", line.file, line.line);
        if (line.text)
            printf("\n  %s%6u |%s %.*s", cli_paint(self->result_colour, PAINT_FAINT), line.line,
                   cli_paint(self->result_colour, PAINT_OFF), (int)line.text_size, line.text);
        else if (oak_session_print_instruction(session, pc, text, sizeof text, &size) == OAK_OK)
            printf("\n         %s", text);
    } else if (oak_session_print_instruction(session, pc, text, sizeof text, &size) == OAK_OK) {
        printf("\n         %s", text);
    }
    putchar('\n');
}

static void say_time(oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    oak_chip_port chip = oak_session_chip(session);
    oak_chip_time time = {0};
    char cycles[40], instructions[40], simulated[40], clock[40];
    chip.ops->read_time(chip.chip, &time);
    oak_write_time(time.cycles, oak_session_clock(session), part->clocks_per_cycle, simulated,
                   sizeof simulated);
    oak_write_frequency(oak_session_clock(session), clock, sizeof clock);
    printf("  %s %s%s = %s at %s; %s instruction%s\n", cli_count(time.cycles, cycles, sizeof cycles),
           part->architecture->cycle_unit, time.cycles == 1 ? "" : "s", simulated, clock,
           cli_count(time.instructions, instructions, sizeof instructions),
           time.instructions == 1 ? "" : "s");
    if (time.asleep)
        printf("  asleep %.*f %% of the time: %s %ss\n", time.asleep > time.cycles / 1000 * 999 ? 4 : 1,
               100.0 * (double)time.asleep / (double)time.cycles,
               cli_count(time.asleep, cycles, sizeof cycles), part->architecture->cycle_unit);
}

/* Where execution starts, where a vector says so, and what stands there before `main`. */
static void say_start(oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    const oak_program *program = oak_session_program(session);
    const oak_architecture *about = part->architecture;
    oak_chip_port chip = oak_session_chip(session);
    uint8_t bytes[8] = {0};
    char place[120];
    for (unsigned i = 0; about->vector_bytes && i < part->vector_count; i++) {
        const oak_part_vector *vector = &part->vectors[i];
        if (strcmp(vector->name, "reset") != 0 ||
            chip.ops->read_memory(chip.chip, about->code_space, vector->address, bytes, about->vector_bytes))
            continue;
        uint32_t start = (uint32_t)oak_number_at(about, about->code_space, bytes, about->vector_bytes) &
                         ~(uint32_t)about->code_bit;
        oak_session_name_place(session, start, place, sizeof place);
        const oak_symbol *main = program ? oak_program_find(program, "main", 4) : NULL;
        printf("  it starts at 0x%04x%s%s, as the vector `reset` at 0x%04x says", (unsigned)start,
               strncmp(place, "0x", 2) ? ", " : "", strncmp(place, "0x", 2) ? place : "",
               (unsigned)vector->address);
        if (main && main->kind == OAK_SYMBOL_LABEL && main->value != (int64_t)start)
            printf("; start-up code runs before `main`, at 0x%04x", (unsigned)main->value);
        printf("\n");
    }
}

const char *cli_vector_name(const oak_session *session, uint32_t vector)
{
    const oak_part *part = oak_session_part(session);
    const oak_program *program = oak_session_program(session);
    const oak_symbol *symbol;
    static char address[20];
    for (unsigned i = 0; i < part->vector_count; i++)
        if (part->vectors[i].address == vector) return part->vectors[i].name;
    /* Where a table of the program's own leads to the handler, its name is the program's. */
    uint32_t leads = oak_session_leads_to(session, vector);
    for (unsigned i = 0; program && (symbol = oak_program_symbol(program, i)); i++)
        if (symbol->kind == OAK_SYMBOL_LABEL && symbol->space == part->architecture->code_space &&
            symbol->value == (int64_t)leads)
            return symbol->name;
    snprintf(address, sizeof address, "0x%04lx", (unsigned long)vector);
    return address;
}

/* How often interrupts were handled, and what is left for the main program. */
static void show_interrupts(cli *self, oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    oak_chip_port chip = oak_session_chip(session);
    oak_chip_time time = {0};
    oak_service service;
    uint64_t taken = 0;
    char count[40], cycles[40], longest[40];
    chip.ops->read_time(chip.chip, &time);
    for (unsigned i = 0; chip.ops->service && chip.ops->service(chip.chip, i, &service) == OAK_OK; i++) {
        if (!i) report_title(self, "Interrupts and exceptions");
        taken += service.cycles;
        if (!service.cycles) {
            printf("  %-14s is being handled for the first time\n", cli_vector_name(session, service.vector));
            continue;
        }
        printf("  %-14s handled %s time%s, %s %ss (%.1f %%), the longest %s\n",
               cli_vector_name(session, service.vector), cli_count(service.count, count, sizeof count),
               service.count == 1 ? "" : "s", cli_count(service.cycles, cycles, sizeof cycles),
               part->architecture->cycle_unit,
               time.cycles ? 100.0 * (double)service.cycles / (double)time.cycles : 0.0,
               cli_count(service.longest, longest, sizeof longest));
        if (!service.waits) continue;
        printf("  %-14s begins %s", "", cli_count(service.shortest_wait, count, sizeof count));
        if (service.shortest_wait < service.longest_wait)
            printf(" to %s", cli_count(service.longest_wait, longest, sizeof longest));
        printf(" %s%s after the request", part->architecture->cycle_unit,
               service.longest_wait == 1 ? "" : "s");
        if (service.shortest_wait < service.longest_wait)
            printf(", %.1f on average", (double)service.waited / (double)service.waits);
        putchar('\n');
    }
    if (taken && time.cycles)
        printf("  %-14s the rest: %.1f %%\n", "main program",
               100.0 * (double)(time.cycles - taken) / (double)time.cycles);
}

/* Each stand-in as a person sees it; what a terminal has received goes below. */
static void show_board(cli *self, oak_session *session, oak_board *board)
{
    oak_stand_in *one;
    unsigned width = 0;
    char text[1000];
    report_title(self, "On the board");
    for (unsigned i = 0; (one = oak_board_stand_in(board, i)); i++)
        if (strlen(oak_stand_in_name(one)) > width) width = (unsigned)strlen(oak_stand_in_name(one));
    for (unsigned i = 0; (one = oak_board_stand_in(board, i)); i++) {
        oak_stand_in_show(one, text, sizeof text);
        printf("  %s%-*s%s  ", cli_paint(self->result_colour, PAINT_STRONG), (int)width,
               oak_stand_in_name(one), cli_paint(self->result_colour, PAINT_OFF));
        for (const char *p = text; *p; p++) {
            putchar(*p);
            if (*p == '\n') printf("  %*s  ", (int)width, "");
        }
        putchar('\n');
    }
    if (oak_board_restless(board) == UINT64_MAX) return;
    char when[40], count[40];
    oak_write_time(oak_board_restless(board), oak_session_clock(session),
                   oak_session_part(session)->clocks_per_cycle, when, sizeof when);
    printf("  %sthe wires did not come to rest%s at cycle %s (%s): stand-ins drive each other in a circle\n",
           cli_paint(self->result_colour, PAINT_ERROR), cli_paint(self->result_colour, PAINT_OFF),
           cli_count(oak_board_restless(board), count, sizeof count), when);
}

static bool show_printed(cli *self, oak_board *board)
{
    oak_stand_in *one;
    bool any = false;
    for (unsigned i = 0; board && (one = oak_board_stand_in(board, i)); i++) {
        size_t count;
        char heading[120];
        const uint8_t *bytes = oak_stand_in_printed(one, &count);
        if (!count) continue;
        snprintf(heading, sizeof heading, "Received by %.60s, %zu bytes", oak_stand_in_name(one), count);
        report_title(self, heading);
        report_bytes(bytes, count);
        any = true;
    }
    return any;
}

/* So many neighbouring bins as one that no more than some rows come of them. */
static unsigned bins_a_row(const oak_lap *lap)
{
    enum { ROWS = 16 };
    for (unsigned step = 1;; step *= 2) {
        unsigned rows = 0;
        for (unsigned i = 0; i < OAK_LAP_BINS; i += step) {
            uint64_t count = 0;
            for (unsigned b = i; b < i + step; b++) count += lap->bins[b];
            rows += count != 0;
        }
        if (rows <= ROWS) return step;
    }
}

/* How many took how long, where that differs. Where none did, a row of dots stands for any number of bins. */
static void show_bins(const oak_lap *lap)
{
    enum { WIDEST = 40 };
    uint64_t most = 1, rows[OAK_LAP_BINS] = {0};
    unsigned step = bins_a_row(lap);
    bool gap = false, any = false;
    if (lap->shortest == lap->longest) return;
    for (unsigned i = 0; i < OAK_LAP_BINS; i++) {
        rows[i / step] += lap->bins[i];
        if (rows[i / step] > most) most = rows[i / step];
    }
    for (unsigned i = 0; i < OAK_LAP_BINS / step; i++) {
        char from[40], to[40], count[40], span[90];
        uint64_t width = lap->bin_width * step, low = lap->bin_from + i * width;
        if (!rows[i]) {
            gap = any;
            continue;
        }
        if (gap) printf("  %32s\n", "…  ");
        gap = false, any = true;
        cli_count(low, from, sizeof from);
        if (width == 1) snprintf(span, sizeof span, "%s", from);
        else snprintf(span, sizeof span, "%s to %s", from, cli_count(low + width - 1, to, sizeof to));
        printf("  %32s %8s  %.*s\n", span, cli_count(rows[i], count, sizeof count),
               (int)((rows[i] * WIDEST + most - 1) / most), "########################################");
    }
}

static void show_laps(cli *self, oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    const oak_lap *lap;
    for (unsigned i = 0; (lap = oak_session_lap(session, i)); i++) {
        char count[40];
        if (!i) {
            char heading[60];
            snprintf(heading, sizeof heading, "Laps, in %ss", part->architecture->cycle_unit);
            report_title(self, heading);
            printf("  %-32s %8s %19s %19s %19s %19s\n", "", "count", "last", "shortest", "longest", "mean");
        }
        char name[200];
        snprintf(name, sizeof name, "%s to %s", lap->from, lap->to);
        printf("  %-32s %8s", name, cli_count(lap->count, count, sizeof count));
        const uint64_t values[] = {lap->last, lap->shortest, lap->longest,
                                   lap->count ? lap->total / lap->count : 0};
        for (unsigned v = 0; v < 4 && lap->count; v++) {
            char cycles[40], time[40], both[90];
            oak_write_time(values[v], oak_session_clock(session), part->clocks_per_cycle, time, sizeof time);
            snprintf(both, sizeof both, "%s %s", cli_count(values[v], cycles, sizeof cycles), time);
            printf(" %19s", both);
        }
        printf("%s\n", lap->count ? "" : "  never reached in this order");
        show_bins(lap);
    }
}

/* What a real chip would have suffered without a word. */
static void show_noticed(cli *self, oak_session *session)
{
    const oak_part *part = oak_session_part(session);
    const oak_noticed *noticed;
    for (unsigned i = 0; (noticed = oak_session_noticed(session, i)); i++) {
        const oak_notice *first = &noticed->first;
        char sentence[300], place[120], at[40], count[40], when[40];
        if (!i) report_title(self, "Noticed: a chip would say nothing");
        oak_notice_sentence(session, first, sentence, sizeof sentence);
        oak_session_name_place(session, first->pc, place, sizeof place);
        oak_write_time(first->cycle, oak_session_clock(session), part->clocks_per_cycle, when, sizeof when);
        printf("  %s%s%s  %s\n", cli_paint(self->result_colour, PAINT_STRONG), oak_fault_word(first->fault),
               cli_paint(self->result_colour, PAINT_OFF), sentence);
        printf("      %s %s %s (%s), at %s", noticed->count > 1 ? "first at" : "at",
               part->architecture->cycle_unit, cli_count(first->cycle, at, sizeof at), when, place);
        if (noticed->count > 1) printf("; %s times in all", cli_count(noticed->count, count, sizeof count));
        putchar('\n');
    }
}

/* Why a part of the report would be empty, or NULL. */
static const char *nothing_of(oak_session *session, const char *part)
{
    oak_chip_port chip = oak_session_chip(session);
    oak_service service;
    if (strcmp(part, "interrupts") == 0 &&
        (!chip.ops->service || chip.ops->service(chip.chip, 0, &service) != OAK_OK))
        return "no interrupt has come";
    if (strcmp(part, "laps") == 0 && !oak_session_lap(session, 0))
        return "nothing is measured: `lap A to B` begins";
    if (strcmp(part, "noticed") == 0 && !oak_session_noticed(session, 0)) return "nothing";
    return NULL;
}

bool cli_report_part(cli *self, oak_session *session, oak_board *board, const char *part)
{
    const char *why = nothing_of(session, part);
    if (why) {
        printf("  %s\n", why);
        return true;
    }
    if (strcmp(part, "registers") == 0) report_registers(self, session);
    else if (strcmp(part, "special") == 0) report_specials(self, session);
    else if (strcmp(part, "chips") == 0) (void)cli_report_chips(self, session, NULL);
    else if (strcmp(part, "pins") == 0) report_ports(self, session);
    else if (strcmp(part, "interrupts") == 0) show_interrupts(self, session);
    else if (strcmp(part, "board") == 0 && board) show_board(self, session, board);
    else if (strcmp(part, "laps") == 0) show_laps(self, session);
    else if (strcmp(part, "noticed") == 0) show_noticed(self, session);
    else if (strcmp(part, "output") == 0) {
        bool sent = report_output(self, session, board, true), received = show_printed(self, board);
        if (!sent && !received) printf("  nothing was sent since it was asked last\n");
    } else return false;
    return true;
}

void cli_report_where(cli *self, oak_session *session, const char *budget)
{
    cli_report_why(self, session, budget);
    say_where(self, session);
    say_time(session);
    if (oak_session_last_event(session)->stop.reason == OAK_STOP_NONE) say_start(session);
}

static void report_chips(cli *self, oak_session *session)
{
    static cli_changes none;
    if (!cli_has_chips(oak_session_part(session)) || !cli_chip_lines(session, &none, NULL, 106, NULL, NULL))
        return;
    report_title(self, "Chips in which there is something");
    (void)cli_report_chips(self, session, NULL);
}

void cli_report(cli *self, oak_session *session, const cli_reported *what)
{
    const show_item *shows = what->shows;
    printf("%s on %s", what->program_name, oak_session_part(session)->name);
    if (what->board) printf(", %s", oak_board_title(what->board));
    putchar('\n');
    cli_report_why(self, session, what->budget);
    say_where(self, session);
    say_time(session);
    if (!what->brief) {
        say_start(session);
        report_registers(self, session);
        report_specials(self, session);
        report_chips(self, session);
        report_ports(self, session);
        show_interrupts(self, session);
    }
    if (what->board) show_board(self, session, what->board);
    show_laps(self, session);
    show_noticed(self, session);
    report_output(self, session, what->board, false);
    show_printed(self, what->board);
    if (what->show_count) report_title(self, "Asked for");
    for (unsigned i = 0; i < what->show_count; i++) cli_show_item(self, session, &shows[i]);
}
