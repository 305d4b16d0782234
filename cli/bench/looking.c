/* looking.c — the verbs that show: the past, the stack, values, code. */
#include <ctype.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "bench.h"
#include "report.h"

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
        if (!c->space && !cli_tells_register(b->session, c->address)) continue;
        if (c->space && bench_is_a_register(part, one->changes, i)) continue;
        cli_change_name(part, c, name, sizeof name);
        snprintf(text + strlen(text), room - strlen(text), "%s%s=0x%0*x", shown ? " " : "", name,
                 strchr(name, '[') ? 2 : 1, (unsigned)c->after);
        shown++;
    }
}

/* touches: what the next instruction reads and writes, and what is in it now. */
bool bench_verb_touches(bench *b, const char *rest)
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

bool bench_verb_recent(bench *b, const char *rest)
{
    unsigned long long count = 12;
    if (*rest && !bench_read_count(b, rest, &count)) return false;
    if (count > 10000) return bench_complain(b, NULL, "at most 10,000 are told");
    return bench_done(b, oak_session_recent(b->session, count, tell_recent, b), "recent");
}

bool bench_verb_show(bench *b, const char *rest)
{
    if (!*rest)
        return bench_complain(b, "Write `show count`, `show $S[$a..$b]`, `show $R as bin`.",
                              "an expression is missing");
    return cli_show(b->self, b->session, rest, false);
}

/* keep E: it is shown again each time the chip has moved. */
bool bench_verb_keep(bench *b, const char *rest)
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
    if (as) cli_read_cells(b->self, b->session, as + 4, &cells);
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

bool bench_verb_forget(bench *b, const char *rest)
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

static bool report_part(bench *b, const char *name)
{
    return cli_report_part(b->self, b->session, b->board, name) ||
           bench_complain(b, "Give one with --board F.", "there is no board");
}
/* registers [as hex]: shown so from now on, also in the view. */
bool bench_verb_registers(bench *b, const char *rest)
{
    cli_cells cells = {0};
    bool as = strncmp(rest, "as ", 3) == 0;
    if (*rest && !as)
        return bench_complain(b, "Write `registers as dec`: hex, dec, signed, oct or bin.",
                              "`%s` means nothing behind `registers`", rest);
    if (as && !cli_read_cells(b->self, b->session, rest + 3, &cells)) return false;
    if (as && (!cells.base || cells.base == 't' || cells.bytes || cells.columns))
        return bench_complain(b, NULL, "registers are shown as hex, dec, signed, oct or bin");
    if (as) b->self->register_base = cells.base, b->panes.touched = true;
    return report_part(b, "registers");
}
/* special: those that differ from reset; special all, special TCON: with every field. */
bool bench_verb_special(bench *b, const char *rest)
{
    if (!*rest) return report_part(b, "special");
    return cli_report_special(b->self, b->session, strcmp(rest, "all") == 0 ? "" : rest) ||
           bench_complain(b, "`special all` shows every one.", "there is no special register or device `%s`",
                          rest);
}
/* chips: what is in them; chips ram0 ram4..ram7: these, from now on, here and in the view; chips usual: those in which there is something. */
bool bench_verb_chips(bench *b, const char *rest)
{
    if (!cli_has_chips(oak_session_part(b->session)))
        return bench_complain(b, "`memory` shows a stretch of any.", "no memory of %s is told as chips",
                              oak_session_part(b->session)->name);
    if (strlen(rest) >= sizeof b->chips) return bench_complain(b, NULL, "these are too many names");
    if (strcmp(rest, "usual") != 0 && !cli_are_chips(b->session, rest))
        return bench_complain(b, "They are called as they are shown: `chips all` shows every one.",
                              "there is no chip `%s`", rest);
    if (*rest) snprintf(b->chips, sizeof b->chips, "%s", strcmp(rest, "usual") == 0 ? "" : rest);
    if (!cli_report_chips(b->self, b->session, *b->chips ? b->chips : NULL))
        printf("  nothing is in any of them\n");
    return true;
}
bool bench_verb_pins(bench *b, const char *rest)
{
    (void)rest;
    return report_part(b, "pins");
}
bool bench_verb_board(bench *b, const char *rest)
{
    (void)rest;
    return report_part(b, "board");
}
bool bench_verb_interrupts(bench *b, const char *rest)
{
    (void)rest;
    return report_part(b, "interrupts");
}
bool bench_verb_laps(bench *b, const char *rest)
{
    (void)rest;
    return report_part(b, "laps");
}
bool bench_verb_noticed(bench *b, const char *rest)
{
    (void)rest;
    return report_part(b, "noticed");
}
bool bench_verb_output(bench *b, const char *rest)
{
    (void)rest;
    if (!b->self->json) return report_part(b, "output");
    b->data = cli_json_sent(b->session); /* it is taken once */
    for (const cJSON *one = b->data ? b->data->child : NULL; one; one = one->next) {
        const cJSON *bytes = cJSON_GetObjectItemCaseSensitive(one, "bytes"), *byte;
        size_t count = 0;
        uint8_t *text = cli_malloc((size_t)cJSON_GetArraySize(bytes) + 1);
        for (byte = bytes ? bytes->child : NULL; text && byte; byte = byte->next)
            text[count++] = (uint8_t)byte->valueint;
        printf("\nSent by %s, %zu bytes\n", cJSON_GetStringValue(cJSON_GetObjectItemCaseSensitive(one, "by")),
               count);
        if (text) report_bytes(text, count);
        free(text);
    }
    if (!b->data || !b->data->child) printf("  nothing was sent since it was asked last\n");
    return true;
}
bool bench_verb_changes(bench *b, const char *rest)
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

/* What the image does not have is taken for empty as long as it holds what empty memory does: all ones, or zeros in RAM. */
bool bench_not_programmed(bench *b, uint32_t at, uint32_t *to)
{
    const oak_part *part = oak_session_part(b->session);
    const oak_program *program = oak_session_program(b->session);
    oak_chip_port chip = oak_session_chip(b->session);
    unsigned code = part->architecture->code_space, unit = oak_unit_bytes(part->architecture, code);
    const oak_part_memory *memory = oak_part_find_memory(part, code, at);
    uint32_t next, end;
    uint64_t length;
    if (!program || !memory) return false;
    end = memory->base + (memory->size - 1);
    if (oak_image_next_run(oak_program_image(program), at * unit, &next, &length) == OAK_OK) {
        if (next / unit <= at) return false;
        if (next / unit - 1 < end) end = next / unit - 1;
    }
    uint8_t empty = memory->writable ? 0 : 0xFF, cells[8];
    for (*to = at; *to <= end; ++*to) {
        if (chip.ops->read_memory(chip.chip, code, *to, cells, unit)) break;
        unsigned i = 0;
        while (i < unit && cells[i] == empty) i++;
        if (i < unit) break;
        if (*to == end) return true;
    }
    if (*to == at) return false;
    --*to;
    return true;
}

/* code [PLACE]: instructions from there on. */
bool bench_verb_code(bench *b, const char *rest)
{
    enum { LINES = 16 };
    uint32_t at = bench_pc(b), pc = at;
    if (*rest && oak_session_place(b->session, rest, &b->self->sink, &at)) return false;
    for (unsigned i = 0; i < LINES; i++) {
        char text[120], place[120];
        unsigned size;
        uint32_t last;
        if (bench_not_programmed(b, at, &last)) {
            printf("%c%c 0x%04x  not programmed, up to 0x%04x\n", at == pc ? '>' : ' ', stop_mark(b, at),
                   (unsigned)at, (unsigned)last);
            if (last == UINT32_MAX) break;
            at = last + 1;
            if (!oak_part_find_memory(oak_session_part(b->session),
                                      oak_session_part(b->session)->architecture->code_space, at))
                break;
            continue;
        }
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
