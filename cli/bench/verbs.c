/* verbs.c — what can be done at the bench. Each verb asks the session and prints what it returns. */
#include <ctype.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "bench.h"

bool bench_complain(bench *b, const char *hint, const char *format, ...)
{
    char message[300], example[300];
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(message, sizeof message, format, arguments);
    va_end(arguments);
    if (hint) oak_part_example(oak_session_part(b->session), hint, example, sizeof example);
    cli_complain(b->self, "bench", NULL, hint ? example : NULL, message);
    return false;
}

bool bench_done(bench *b, oak_status status, const char *what)
{
    if (!status) return true;
    if (status == OAK_INTERRUPTED)
        return bench_complain(b, NULL, "interrupted: everything stands where it stood");
    if (status == OAK_NOT_FOUND)
        return bench_complain(b, NULL, "%s: there is no such moment in what is kept of the past", what);
    if (status != OAK_REFUSED) return bench_complain(b, NULL, "%s: %s", what, oak_status_text(status));
    return false; /* it has been said */
}

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

static bool verb_go(bench *b, const char *rest)
{
    oak_budget budget;
    oak_event event;
    return read_budget(b, rest, &budget) &&
           bench_done(b, oak_session_run(b->session, &budget, &b->self->sink, &event), "go");
}

static bool read_count(bench *b, const char *rest, unsigned long long *count)
{
    char *end;
    *count = 1;
    if (!*rest) return true;
    *count = strtoull(rest, &end, 0);
    return (isdigit((unsigned char)*rest) && *count && !*end) ||
           bench_complain(b, "A count is a whole number from 1.", "`%s` is no count", rest);
}

static bool verb_step(bench *b, const char *rest)
{
    unsigned long long count;
    oak_event event;
    if (!read_count(b, rest, &count)) return false;
    oak_budget budget;
    begin_budget(b, &budget);
    budget.instructions = count;
    if (count == 1) return bench_done(b, oak_session_step(b->session, &event), "step");
    return bench_done(b, oak_session_run(b->session, &budget, &b->self->sink, &event), "step");
}

static bool verb_over(bench *b, const char *rest)
{
    oak_budget budget;
    oak_event event;
    (void)rest;
    return read_budget(b, "", &budget) &&
           bench_done(b, oak_session_step_over(b->session, &budget, &b->self->sink, &event), "over");
}

static bool verb_out(bench *b, const char *rest)
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

static bool verb_to(bench *b, const char *rest)
{
    oak_budget budget;
    oak_event event;
    if (!*rest)
        return bench_complain(b, "Write `to label`, `to file.asm:27`, `to 0x0123`.", "a place is missing");
    return read_budget(b, "", &budget) &&
           bench_done(b, oak_session_run_to(b->session, rest, &budget, &b->self->sink, &event), rest);
}

static bool verb_reset(bench *b, const char *rest)
{
    (void)rest;
    return bench_done(b, oak_session_reset(b->session), "reset");
}

static bool verb_again(bench *b, const char *rest)
{
    (void)rest;
    b->again = cli_would_load(b->self);
    return b->again;
}

/* back [N], back over, back until EXPR, back change|write|read EXPR, back to CYCLE */
static bool verb_back(bench *b, const char *rest)
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
    else if (!read_count(b, rest, &count)) return false;
    return bench_done(b,
                      cycle ? oak_session_back_to_cycle(b->session, count, &event)
                            : oak_session_back_steps(b->session, count, &event),
                      "back");
}

static bool verb_pace(bench *b, const char *rest)
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

/* ------------------------------------------------------------------------------------------ looking */

/* recent [N]: the last instructions, and what each has changed. */
void bench_recent_words(bench *b, const oak_recent *one, bool narrow, char *text, size_t room)
{
    const oak_part *part = oak_session_part(b->session);
    char place[120];
    oak_session_name_place(b->session, one->pc, place, sizeof place);
    if (narrow) snprintf(text, room, "%-16.16s %-19s ", place, one->text);
    else
        snprintf(text, room, "%10llu  0x%04x %-16.40s %-24s", (unsigned long long)one->cycle,
                 (unsigned)one->pc, place, one->text);
    for (size_t i = 0, shown = 0; i < one->change_count && shown < 5 && strlen(text) + 80 < room; i++) {
        const oak_change *c = &one->changes[i];
        char name[60];
        if (!c->space && c->address == part->architecture->pc_register) continue;
        if (c->space && bench_is_a_register(part, one->changes, i)) continue;
        cli_change_name(part, c, name, sizeof name);
        snprintf(text + strlen(text), room - strlen(text), "%s%s=0x%0*x", shown ? " " : "", name,
                 strchr(name, '[') ? 2 : 1, (unsigned)c->after);
        shown++;
    }
}

/* touches: what the next instruction reads and writes, and what is in it now. */
static bool verb_touches(bench *b, const char *rest)
{
    enum { ROOM = 40, WIDTH = 96 };
    static const char *const words[] = {"reads ", "writes"};
    oak_watched list[ROOM];
    uint32_t pc = bench_pc(b);
    char text[200];
    unsigned size, count = oak_session_touches(b->session, list, ROOM);
    (void)rest;
    if (oak_session_print_instruction(b->session, pc, text, sizeof text, &size))
        return bench_complain(b, NULL, "there is no instruction at 0x%04x", (unsigned)pc);
    printf("  %s\n", text);
    for (unsigned way = 0; way < 2; way++) {
        size_t column = 0;
        for (unsigned i = 0; i < count; i++) {
            oak_watched one = list[i];
            one.accesses &= way ? OAK_ACCESS_WRITE : OAK_ACCESS_READ;
            if (!one.accesses) continue;
            /* what writes back what it has changed reads the latch of a port, not its pins */
            bool port =
                one.space && !oak_part_find_memory(oak_session_part(b->session), one.space, one.address);
            cli_touched_text(b->session, port ? &list[i] : &one, text, sizeof text);
            if (!column) column += (size_t)printf("    %s  ", words[way]);
            else if (column + strlen(text) + 2 > WIDTH) column = (size_t)printf(",\n            ") - 2;
            else column += (size_t)printf(", ");
            column += (size_t)printf("%s", text);
        }
        if (column) putchar('\n');
    }
    if (!count) printf("    no register and no cell\n");
    return true;
}

static void tell_recent(void *context, const oak_recent *one)
{
    char text[600];
    bench_recent_words(context, one, false, text, sizeof text);
    printf("  %s\n", text);
}

static bool verb_recent(bench *b, const char *rest)
{
    unsigned long long count = 12;
    if (*rest && !read_count(b, rest, &count)) return false;
    if (count > 10000) return bench_complain(b, NULL, "at most 10,000 are told");
    return bench_done(b, oak_session_recent(b->session, count, tell_recent, b), "recent");
}

static bool verb_show(bench *b, const char *rest)
{
    if (!*rest)
        return bench_complain(b, "Write `show count`, `show $S[$a..$b]`, `show $R as bin`.",
                              "an expression is missing");
    return cli_show(b->self, b->session, rest, false);
}

/* keep E: it is shown again each time the chip has moved. */
static bool verb_keep(bench *b, const char *rest)
{
    if (!*rest) return bench_complain(b, "Write `keep count`, `keep $S[$a:2]`.", "an expression is missing");
    if (b->kept_count == BENCH_MOST_KEPT)
        return bench_complain(b, "`forget N` makes room.", "no more are kept");
    if (!cli_show(b->self, b->session, rest, false)) return false;
    b->kept[b->kept_count] = cli_strdup(rest);
    if (b->kept[b->kept_count])
        bench_kept_text(b, b->kept_count, &b->self->sink, b->kept_text[b->kept_count], sizeof *b->kept_text);
    return b->kept[b->kept_count] && ++b->kept_count;
}

void bench_kept_text(bench *b, unsigned number, const oak_diag_sink *sink, char *text, size_t room)
{
    cli_cells cells = {0};
    oak_reading reading;
    char *expression = cli_strdup(b->kept[number]), *as = expression ? strstr(expression, " as ") : NULL,
         value[100];
    if (!expression) return;
    if (as) *as = 0;
    if (as) cli_read_cells(b->self, as + 4, &cells);
    if (oak_session_value(b->session, expression, sink, &reading))
        snprintf(text, room, "%.60s  ?", expression);
    else if (cells.base) {
        cli_write_number((uint64_t)reading.value, reading.bits, cells.base, value, sizeof value);
        snprintf(text, room, "%.60s  %s%s", expression, cells.base == 'h' ? "0x" : "", value);
    } else
        snprintf(text, room, "%.60s  0x%llx  %lld", expression, (unsigned long long)reading.value,
                 (long long)reading.value);
    free(expression);
}

static bool verb_forget(bench *b, const char *rest)
{
    char *end;
    unsigned long number = strtoul(rest, &end, 10);
    if (end == rest || *end || number >= b->kept_count)
        return bench_complain(b, "Kept expressions are numbered from 0.", "nothing is kept as `%s`", rest);
    free(b->kept[number]);
    memmove(b->kept + number, b->kept + number + 1, (b->kept_count - number - 1) * sizeof *b->kept);
    memmove(b->kept_text + number, b->kept_text + number + 1,
            (b->kept_count - number - 1) * sizeof *b->kept_text);
    b->kept_count--;
    return true;
}

static bool part(bench *b, const char *name)
{
    return cli_report_part(b->self, b->session, b->board, name) ||
           bench_complain(b, "Give one with --board F.", "there is no board");
}
static bool verb_registers(bench *b, const char *rest)
{
    (void)rest;
    return part(b, "registers");
}
/* special: those that differ from reset; special all, special TCON: with every field. */
static bool verb_special(bench *b, const char *rest)
{
    if (!*rest) return part(b, "special");
    return cli_report_special(b->self, b->session, strcmp(rest, "all") == 0 ? "" : rest) ||
           bench_complain(b, "`special all` shows every one.", "there is no special register or device `%s`",
                          rest);
}
static bool verb_pins(bench *b, const char *rest)
{
    (void)rest;
    return part(b, "pins");
}
static bool verb_board(bench *b, const char *rest)
{
    (void)rest;
    return part(b, "board");
}
static bool verb_interrupts(bench *b, const char *rest)
{
    (void)rest;
    return part(b, "interrupts");
}
static bool verb_laps(bench *b, const char *rest)
{
    (void)rest;
    return part(b, "laps");
}
static bool verb_noticed(bench *b, const char *rest)
{
    (void)rest;
    return part(b, "noticed");
}
static bool verb_output(bench *b, const char *rest)
{
    (void)rest;
    return part(b, "output");
}
static bool verb_changes(bench *b, const char *rest)
{
    (void)rest;
    return cli_show(b->self, b->session, "changes", false);
}

uint32_t bench_pc(bench *b)
{
    oak_chip_port chip = oak_session_chip(b->session);
    uint32_t pc = 0;
    chip.ops->read_register(chip.chip, oak_session_part(b->session)->architecture->pc_register, &pc);
    return pc;
}

static char stop_mark(bench *b, uint32_t address)
{
    const oak_stop_point *point;
    for (unsigned i = 0; (point = oak_session_stop_point(b->session, i)); i++)
        if (point->address == address && !point->removed) return point->enabled ? '*' : '-';
    return ' ';
}

/* '*' for a stop point in a line of the source, '-' for one that is off. */
char bench_line_mark(bench *b, const char *file, unsigned number)
{
    const oak_stop_point *point;
    oak_line line;
    const oak_program *program = oak_session_program(b->session);
    for (unsigned i = 0; program && (point = oak_session_stop_point(b->session, i)); i++)
        if (!point->removed && oak_program_line_at(program, point->address, &line) == OAK_OK &&
            line.line == number && strcmp(line.file, file) == 0)
            return point->enabled ? '*' : '-';
    return ' ';
}

/* code [PLACE]: instructions from there on. */
static bool verb_code(bench *b, const char *rest)
{
    enum { LINES = 16 };
    uint32_t at = bench_pc(b), pc = at;
    if (*rest && oak_session_place(b->session, rest, &b->self->sink, &at)) return false;
    for (unsigned i = 0; i < LINES; i++) {
        char text[120], place[120];
        unsigned size;
        if (oak_session_print_instruction(b->session, at, text, sizeof text, &size)) break;
        oak_session_name_place(b->session, at, place, sizeof place);
        if (!strchr(place, '+') && strncmp(place, "0x", 2) != 0) printf("  %s:\n", place);
        oak_tally tally;
        printf("%c%c 0x%04x  ", at == pc ? '>' : ' ', stop_mark(b, at), (unsigned)at);
        if (oak_session_counted(b->session, at, &tally) == OAK_OK) {
            char times[40], cycles[40];
            printf("%10s x %12s  ", cli_count(tally.times, times, sizeof times),
                   cli_count(tally.cycles, cycles, sizeof cycles));
        }
        printf("%s\n", text);
        at += size;
    }
    return true;
}

/* ------------------------------------------------------------------------------------------ what ran */

/* What was counted at the addresses from one up to another. */
static oak_tally tally_of(bench *b, uint32_t from, uint32_t to, uint64_t *first)
{
    oak_tally all = {0}, one;
    *first = 0;
    for (uint32_t at = from; at < to; at++) {
        if (oak_session_counted(b->session, at, &one)) break;
        if (at == from) *first = one.times;
        all.times += one.times;
        all.cycles += one.cycles;
    }
    return all;
}

bool bench_line_tally(bench *b, const char *file, unsigned number, oak_tally *tally)
{
    const oak_program *program = oak_session_program(b->session);
    oak_line line;
    uint64_t first;
    if (!program || oak_session_counted(b->session, 0, tally) == OAK_UNSUPPORTED ||
        oak_program_find_line(program, file, strlen(file), number, &line) || line.line != number ||
        !line.size)
        return false;
    *tally = tally_of(b, line.address, line.address + line.size, &first);
    tally->times = first;
    return true;
}

static int by_cycles(const void *a, const void *b)
{
    const bench_labelled *first = a, *second = b;
    if (first->cycles != second->cycles) return first->cycles < second->cycles ? 1 : -1;
    return first->at > second->at ? 1 : first->at < second->at ? -1 : 0;
}

static int by_address(const void *a, const void *b)
{
    const bench_labelled *first = a, *second = b;
    return first->at > second->at ? 1 : first->at < second->at ? -1 : 0;
}

bench_labelled *bench_tallies(bench *b, size_t *count)
{
    const oak_program *program = oak_session_program(b->session);
    const oak_part *part = oak_session_part(b->session);
    const oak_symbol *symbol;
    oak_tally one;
    *count = 0;
    if (oak_session_counted(b->session, 0, &one) == OAK_UNSUPPORTED) {
        bench_complain(b, "`tally on` begins; the run must come behind it.", "nothing is counted");
        return NULL;
    }
    size_t most = 0;
    while (program && oak_program_symbol(program, (unsigned)most)) most++;
    bench_labelled *list = cli_calloc(most + 1, sizeof *list);
    if (!list) return NULL;
    for (unsigned i = 0; program && (symbol = oak_program_symbol(program, i)); i++)
        if (symbol->kind == OAK_SYMBOL_LABEL && symbol->space == part->architecture->code_space)
            list[(*count)++] = (bench_labelled){.name = symbol->name, .at = (uint32_t)symbol->value};
    qsort(list, *count, sizeof *list, by_address);
    list[*count] = (bench_labelled){.at = UINT32_MAX};
    for (size_t i = 0; i < *count; i++) {
        oak_tally between = tally_of(b, list[i].at, list[i + 1].at, &list[i].times);
        list[i].cycles = between.cycles;
        list[i].reached = between.times != 0;
    }
    qsort(list, *count, sizeof *list, by_cycles);
    return list;
}

static bool tell_tally(bench *b)
{
    enum { SHOWN = 20 };
    size_t count, never = 0;
    uint64_t all = 0;
    bench_labelled *list = bench_tallies(b, &count);
    if (!list) return false;
    for (size_t i = 0; i < count; i++) {
        all += list[i].cycles;
        never += !list[i].reached;
    }
    printf("  %-24s %12s %14s %7s\n", "from label to the next", "times", "cycles", "share");
    for (size_t i = 0; i < count && i < SHOWN && list[i].cycles; i++) {
        char times[40], cycles[40];
        printf("  %-24s %12s %14s %6.1f%%\n", list[i].name, cli_count(list[i].times, times, sizeof times),
               cli_count(list[i].cycles, cycles, sizeof cycles),
               100.0 * (double)list[i].cycles / (double)all);
    }
    if (never) printf("  %zu label%s nothing was executed behind\n", never, never == 1 ? "" : "s");
    free(list);
    return true;
}

/* tally [on | off]: counts what runs; alone: tells. */
static bool verb_tally(bench *b, const char *rest)
{
    bool on = strcmp(rest, "on") == 0;
    if (!*rest) return tell_tally(b);
    if (!on && strcmp(rest, "off") != 0)
        return bench_complain(b, "Write `tally on`, `tally`, `tally off`.", "`%s` means nothing here", rest);
    return bench_done(b, oak_session_count(b->session, on), "tally");
}

/* source [PLACE]: the lines around it. */
static bool verb_source(bench *b, const char *rest)
{
    enum { AROUND = 7 };
    uint32_t at = bench_pc(b);
    const oak_program *program = oak_session_program(b->session);
    oak_line line;
    if (*rest && oak_session_place(b->session, rest, &b->self->sink, &at)) return false;
    if (!program || oak_program_line_at(program, at, &line)) return verb_code(b, rest);
    uint8_t *bytes;
    size_t size;
    if (b->self->host.read_file(b->self->host.context, line.file, 16u << 20, &bytes, &size))
        return verb_code(b, rest);
    const char *text = (const char *)bytes, *end = text + size;
    oak_tally ignored;
    bool counts = oak_session_counted(b->session, at, &ignored) == OAK_OK;
    printf("  %s%s\n", line.file, counts ? ": times executed, and cycles in all" : "");
    for (unsigned number = 1; text < end; number++) {
        const char *stop = memchr(text, '\n', (size_t)(end - text));
        if (!stop) stop = end;
        if (number + AROUND >= line.line && number <= line.line + AROUND) {
            printf("%c%c%5u ", number == line.line ? '>' : ' ', bench_line_mark(b, line.file, number),
                   number);
            oak_tally tally;
            char times[40], cycles[40];
            if (bench_line_tally(b, line.file, number, &tally))
                printf("%10s x %12s ", cli_count(tally.times, times, sizeof times),
                       cli_count(tally.cycles, cycles, sizeof cycles));
            else if (counts) printf("%25s ", "");
            printf("| %.*s\n", (int)(stop - text), text);
        }
        text = stop < end ? stop + 1 : end;
    }
    b->self->host.resize(b->self->host.context, bytes, size, 0);
    return true;
}

void bench_stack_words(bench *b, const oak_stack_item *item, char *text, size_t room)
{
    char place[120];
    int digits = item->bytes == 1 ? 2 : item->bytes == 2 ? 4 : 8;
    snprintf(text, room, "0x%04x  0x%0*x", (unsigned)item->at, digits, (unsigned)item->value);
    const oak_part *part = oak_session_part(b->session);
    size_t used = strlen(text);
    if (item->kind == OAK_STACK_SAVED) {
        const oak_change where = {.space = item->space, .address = item->number};
        cli_change_name(part, &where, place, sizeof place);
        snprintf(text + used, room - used, "  saved %s", place);
    }
    if (item->kind != OAK_STACK_RETURNS && item->kind != OAK_STACK_INTERRUPTED) return;
    oak_session_name_place(b->session, item->value, place, sizeof place);
    snprintf(text + used, room - used,
             item->kind == OAK_STACK_RETURNS ? "  returns to %s" : "  interrupted at %s", place);
}

static bool verb_stack(bench *b, const char *rest)
{
    oak_stack_item items[64];
    char text[200];
    (void)rest;
    size_t count = oak_session_stack(b->session, items, 64);
    for (size_t i = 0; i < count; i++) {
        bench_stack_words(b, &items[i], text, sizeof text);
        printf("  %s\n", text);
    }
    if (!count) printf("  empty\n");
    return true;
}

/* ------------------------------------------------------------------------------------------ changing */

static void say_nothing(void *context, const oak_diagnostic *diagnostic)
{
    (void)context, (void)diagnostic;
}

/* A pointer that gets what stands in a variable, where its address may be meant. */
static void say_address_meant(bench *b, const char *assignment)
{
    const oak_architecture *about = oak_session_part(b->session)->architecture;
    const oak_diag_sink nobody = {.report = say_nothing};
    size_t left = strcspn(assignment, "= \t");
    const char *name = assignment + strcspn(assignment, "=");
    bool pointer = false;
    for (unsigned i = 0; i < about->register_count; i++)
        pointer |= about->registers[i].points_to && left == strlen(about->registers[i].name) &&
                   strncasecmp(assignment, about->registers[i].name, left) == 0;
    name += strspn(name, "= \t");
    char address[100], message[400], hint[200];
    oak_reading reading;
    snprintf(address, sizeof address, "&%s", name);
    if (!pointer || !(isalpha((unsigned char)*name) || *name == '_') || strlen(name) > sizeof address - 2 ||
        oak_session_value(b->session, address, &nobody, &reading))
        return;
    snprintf(message, sizeof message, "%.*s is now what stands in `%s`, not its address", (int)left,
             assignment, name);
    snprintf(hint, sizeof hint, "`&%s` is its address, 0x%04llx.", name, (unsigned long long)reading.value);
    b->self->sink.report(b->self->sink.context,
                         &(oak_diagnostic){.severity = OAK_NOTE, .message = message, .hint = hint});
}

static bool verb_set(bench *b, const char *rest)
{
    if (!bench_done(b, oak_session_set(b->session, rest, &b->self->sink), rest)) return false;
    say_address_meant(b, rest);
    return true;
}

static bool verb_drive(bench *b, const char *rest)
{
    if (!bench_done(b, oak_session_drive(b->session, rest, &b->self->sink), rest)) return false;
    if (b->drive_count < BENCH_MOST_KEPT && (b->drives[b->drive_count] = cli_strdup(rest))) b->drive_count++;
    return true;
}

static bool verb_act(bench *b, const char *rest)
{
    if (!b->board) return bench_complain(b, "Give one with --board F.", "there is no board");
    return bench_done(b, oak_board_act(b->board, rest, &b->self->sink), rest);
}

/* A name that no expression could have, or that several files have for different things, is left out. */
static bool can_be_named(const oak_program *program, const oak_symbol *symbol)
{
    const oak_symbol *other;
    size_t length = strlen(symbol->name);
    if (strchr(symbol->name, '.')) return false; /* a local label */
    for (unsigned i = 0; (other = oak_program_find_in(program, NULL, 0, symbol->name, length, i)); i++)
        if (other->value != symbol->value || other->space != symbol->space) return false;
    return oak_program_find(program, symbol->name, length) == symbol; /* each once */
}

/* An instruction at an address, with some that do nothing behind it, and the labels of the program. */
static oak_status assemble_put(bench *b, const char *instruction, size_t size, uint32_t address,
                               unsigned nops, oak_program **patch)
{
    const oak_part *part = oak_session_part(b->session);
    const oak_program *program = oak_session_program(b->session);
    const oak_symbol *symbol;
    char *source = NULL;
    size_t length = 0;
    FILE *file = open_memstream(&source, &length);
    if (!file) return OAK_NO_MEMORY;
    fprintf(file, " org 0x%lx\n %.*s ; allow(runs-off)\n", (unsigned long)address, (int)size, instruction);
    while (nops--) fprintf(file, " nop ; allow(runs-off)\n");
    for (unsigned i = 0; program && (symbol = oak_program_symbol(program, i)); i++) {
        bool code = symbol->space == part->architecture->code_space;
        if (!can_be_named(program, symbol)) continue;
        fprintf(file, "%s equ %s%s0x%llx\n", symbol->name,
                symbol->space && !code ? part->architecture->spaces[symbol->space].name : "",
                symbol->space && !code ? ":" : "", (unsigned long long)symbol->value);
    }
    fclose(file);
    oak_status status = oak_assemble_text(&b->self->host, part, "put", source, length, &b->self->sink, patch);
    free(source);
    return status;
}

enum { MOST_PUT = 8 };

/* The bytes of what is put there: 0 when they are none or too many. */
static unsigned put_bytes(const oak_program *patch, uint32_t address, uint8_t *bytes)
{
    uint32_t from;
    uint64_t length;
    if (oak_image_next_run(oak_program_image(patch), 0, &from, &length) || from != address ||
        length > MOST_PUT)
        return 0;
    oak_image_read(oak_program_image(patch), address, 0xFF, bytes, (size_t)length);
    return (unsigned)length;
}

/* What stood there is overwritten whole: nops fill what is left of the last instruction, where they fit. */
static unsigned fill_put(bench *b, const char *instruction, size_t size, uint32_t address, uint8_t *bytes,
                         unsigned length, unsigned whole)
{
    oak_program *patch;
    for (unsigned nops = 1; length < whole && nops <= whole; nops++) {
        uint8_t more[MOST_PUT];
        if (assemble_put(b, instruction, size, address, nops, &patch)) return 0;
        unsigned filled = put_bytes(patch, address, more);
        oak_program_free(patch);
        if (!filled || filled > whole) return 0;
        if (filled < whole) continue;
        memcpy(bytes, more, filled);
        return nops;
    }
    return 0;
}

/* put INSTRUCTION at PLACE: assembled, with the labels of the program, and written there. */
static bool verb_put(bench *b, const char *rest)
{
    const char *at = NULL;
    uint32_t address;
    for (const char *p = rest; (p = strstr(p, " at ")); p++) at = p;
    if (!at) return bench_complain(b, "Write `put setb relay at halt+2`.", "`at` and a place are missing");
    size_t size = (size_t)(at - rest);
    if (oak_session_place(b->session, at + 4, &b->self->sink, &address)) return false;
    oak_program *patch = NULL;
    oak_status status = assemble_put(b, rest, size, address, 0, &patch);
    if (status) return bench_done(b, status, rest);
    uint8_t bytes[MOST_PUT];
    unsigned length = put_bytes(patch, address, bytes), whole = 0, before = 0, used;
    oak_program_free(patch);
    char last[120] = "";
    while (length && whole < length &&
           !oak_session_print_instruction(b->session, address + whole, last, sizeof last, &used))
        whole += used, before++;
    unsigned nops = length ? fill_put(b, rest, size, address, bytes, length, whole) : 0;
    oak_chip_port chip = oak_session_chip(b->session);
    bool good = length > 0;
    if (good) {
        oak_session_touch(b->session);
        good = !chip.ops->write_memory(chip.chip, oak_session_part(b->session)->architecture->code_space,
                                       address, bytes, nops ? whole : length);
        oak_session_touch(b->session);
    }
    if (!good) return bench_complain(b, NULL, "this cannot be put there");
    printf("  %u byte%s at 0x%04lx", length, length == 1 ? "" : "s", (unsigned long)address);
    if (before > 1) printf(", in place of %u instructions", before);
    if (nops) printf("; %u nop%s in what is left of `%s`", nops, nops == 1 ? "" : "s", last);
    else if (whole > length)
        printf("; what is left of `%s` stands behind it, at 0x%04lx", last, (unsigned long)address + length);
    printf("\n");
    return true;
}

/* ------------------------------------------------------------------------------------------ the bench itself */

static bool verb_where(bench *b, const char *rest)
{
    (void)rest;
    if (b->view)
        cli_report_where(b->self, b->session,
                         "as asked"); /* elsewhere it is told behind each verb that moves */
    return true;
}

static bool verb_quit(bench *b, const char *rest)
{
    (void)rest;
    b->quits = true;
    return true;
}

static bool verb_help(bench *b, const char *rest)
{
    if (*rest) {
        const bench_verb *verb = bench_find_verb(b, rest, strcspn(rest, " "));
        if (!verb) return false;
        char example[200];
        oak_part_example(oak_session_part(b->session), verb->example, example, sizeof example);
        printf("  %s %s\n  %s\n\n  %s\n", verb->name, verb->arguments, verb->help, example);
        return true;
    }
    for (const bench_verb *verb = bench_verbs; verb->name; verb++)
        printf("  %-11s %-34s %s\n", verb->name, verb->arguments, verb->help);
    printf("\n  A verb may be shortened as long as only one begins so; `help VERB` gives an example.\n");
    return true;
}

const bench_verb bench_verbs[] = {
    {"step", "[N]", "execute one instruction, or N", "step 5", verb_step, true},
    {"over", "", "execute one instruction; a call with all that it calls is one", "over", verb_over, true},
    {"out", "", "run until this subroutine or handler has returned", "out", verb_out, true},
    {"to", "PLACE", "run to a place", "to halt", verb_to, true},
    {"go", "[TIME | N cycles | N steps]", "run until something stops it", "go 20ms", verb_go, true},
    {"back", "[N | over | until E | change E | write E | read E | to CYCLE]", "go back in time",
     "back change $S[$a]", verb_back, true},
    {"reset", "", "begin anew, with the same drives, stops and board", "reset", verb_reset, true},
    {"again", "", "read and assemble everything anew, and begin anew", "again", verb_again, false},
    {"pace", "SPEED | off", "run at the speed of the chip, or a share of it", "pace 10%", verb_pace, false},
    {"stop", "PLACE [if E] [every N] [once]", "add a stop point", "stop guard if trips > 0", bench_stop,
     false},
    {"watch", "[read | write | access] E | RANGE", "stop when a value changes, or on an access",
     "watch write $S[$a..$b]", bench_watch, false},
    {"interrupt", "[VECTOR]", "stop when the handler of an interrupt is entered", "interrupt timer0",
     bench_interrupt, false},
    {"say", "E at PLACE", "print a value each time a place is reached, and go on", "say trips at halt",
     bench_say, false},
    {"when", "E", "stop when a condition becomes true", "when r3 == 5 && !relay", bench_when, false},
    {"stops", "", "list stop points and watches with their hits", "stops", bench_stops, false},
    {"off", "N | watch N", "disable a stop point or a watch", "off 0", bench_off, false},
    {"on", "N | watch N", "enable it again", "on watch 0", bench_on, false},
    {"remove", "N | watch N | say N", "remove it for good", "remove watch 0", bench_remove, false},
    {"notice", "[KIND stop | warning | off]", "what becomes of something a chip suffers silently",
     "notice contention stop", bench_notice, false},
    {"lap", "PLACE to PLACE", "measure from one place to another", "lap main to main", bench_lap, false},
    {"where", "", "tell where it is", "where", verb_where, true},
    {"show", "E | RANGE [as WORDS]", "show a value or a stretch of memory",
     "show $S[$a..$b] as 2 bytes big dec", verb_show, false},
    {"keep", "E", "show a value each time the chip has moved", "keep trips", verb_keep, false},
    {"forget", "N", "keep it no longer", "forget 0", verb_forget, false},
    {"memory", "RANGE [as WORDS]", "show a stretch of memory, and keep it in the view",
     "memory $S[$a..$b] as 2 bytes big", bench_memory, false},
    {"follow", "E [in SPACE] [as WORDS]", "show the memory a pointer points to, and keep following it",
     "follow $Q", bench_follow, false},
    {"registers", "", "registers and flags", "registers", verb_registers, false},
    {"special", "[all | NAME]", "special registers that differ from reset; all or one, with every bit",
     "special TCON", verb_special, false},
    {"pins", "", "ports and pins", "pins", verb_pins, false},
    {"board", "", "what a person sees of the board", "board", verb_board, false},
    {"source", "[PLACE]", "the source around a place", "source halt", verb_source, false},
    {"code", "[PLACE]", "instructions from a place on", "code main", verb_code, false},
    {"stack", "", "what is on the stack, and what of it are return addresses", "stack", verb_stack, false},
    {"touches", "", "what the next instruction reads and writes, and what is in it now", "touches",
     verb_touches, false},
    {"recent", "[N]", "the last instructions, with what each has changed", "recent 20", verb_recent, false},
    {"tally", "[on | off]", "count what runs, line by line; alone: where the cycles went", "tally on",
     verb_tally, false},
    {"changes", "", "what differs from how it was when the last run began", "changes", verb_changes, false},
    {"interrupts", "", "how often interrupts were handled, and how long", "interrupts", verb_interrupts,
     false},
    {"laps", "", "what laps have measured", "laps", verb_laps, false},
    {"noticed", "", "what a chip would have suffered silently", "noticed", verb_noticed, false},
    {"output", "", "what went out of serial ports", "output", verb_output, false},
    {"find", "BYTES | \"TEXT\" in RANGE", "search memory", "find 3a 00 in $S[$a..$b]", bench_find, false},
    {"set", "E = VALUE", "set a register, bit, cell, variable or pin", "set r3 = 5", verb_set, false},
    {"fill", "RANGE = VALUE", "fill a stretch of memory", "fill $S[$a..$b] = 0", bench_fill, false},
    {"copy", "RANGE to CELL", "copy a stretch of memory", "copy $S[$a..$b] to $X", bench_copy, false},
    {"put", "INSTRUCTION at PLACE", "assemble one instruction in place", "put setb relay at halt", verb_put,
     false},
    {"drive", "WAVE", "drive a pin over time", "drive p3.0 = 1 until 5ms, 0", verb_drive, false},
    {"act", "DEED", "do something on the board", "act door open", verb_act, false},
    {"save", "FILE | RANGE to FILE", "write a state file, or a stretch of memory",
     "save $S[$a..$b] to cells.bin", bench_save, false},
    {"load", "FILE | FILE to CELL", "take a state file, or bytes into memory", "load cells.bin to $X",
     bench_load, false},
    {"panes", "[NAME... | usual]", "which panes the view has, from the top",
     "panes registers kept stack memory", bench_panes_verb, false},
    {"divide", "N% | messages N", "how wide the left side of the view is, how high its messages",
     "divide 60%", bench_divide, false},
    {"mouse", "on | off", "in the view: a click on a line sets a stop point", "mouse on", bench_mouse, false},
    {"help", "[VERB]", "list the verbs, or tell of one", "help back", verb_help, false},
    {"quit", "", "leave the bench", "quit", verb_quit, false},
    {NULL, NULL, NULL, NULL, NULL, false}};

const bench_verb *bench_find_verb(bench *b, const char *word, size_t length)
{
    const bench_verb *found = NULL;
    char all[300] = "It may be";
    unsigned count = 0;
    for (const bench_verb *verb = bench_verbs; verb->name; verb++) {
        if (strncasecmp(verb->name, word, length) != 0) continue;
        if (strlen(verb->name) == length) return verb;
        snprintf(all + strlen(all), sizeof all - strlen(all), "%s %s", count++ ? "," : "", verb->name);
        /* `stop` is meant by `sto`, though `stops` begins so as well. */
        if (found && strncmp(verb->name, found->name, strlen(found->name)) == 0) count--;
        else found = verb;
    }
    if (count == 1) return found;
    unsigned least = 3;
    for (const bench_verb *verb = bench_verbs; !count && verb->name; verb++) {
        unsigned apart = oak_name_distance(word, length, verb->name, strlen(verb->name), 2);
        if (apart >= least) continue;
        least = apart;
        snprintf(all, sizeof all, "Did you mean `%s`?", verb->name);
    }
    if (!count && least == 3) snprintf(all, sizeof all, "`help` lists the verbs.");
    bench_complain(b, all, count ? "`%.*s` is the beginning of several verbs" : "there is no verb `%.*s`",
                   (int)(length < 60 ? length : 60), word);
    return NULL;
}

bool bench_moves(const char *line)
{
    size_t length;
    line += strspn(line, " ");
    length = strcspn(line, " ");
    for (const bench_verb *verb = bench_verbs; verb->name && length; verb++)
        if (strncmp(verb->name, line, length) == 0) return verb->moves;
    return false;
}
