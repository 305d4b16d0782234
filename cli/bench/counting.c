/* counting.c — the verbs about what ran: the tally, laps, interrupts. */
#include <ctype.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "bench.h"

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
bool bench_verb_tally(bench *b, const char *rest)
{
    bool on = strcmp(rest, "on") == 0;
    if (!*rest) return tell_tally(b);
    if (!on && strcmp(rest, "off") != 0)
        return bench_complain(b, "Write `tally on`, `tally`, `tally off`.", "`%s` means nothing here", rest);
    return bench_done(b, oak_session_count(b->session, on), "tally");
}

/* source [PLACE]: the lines around it. */
/* A line of source for programs. */
static void add_line(bench *b, const char *file, unsigned number, bool here, const char *text, size_t length)
{
    oak_tally tally;
    char *copy = cli_malloc(length + 1);
    cJSON *one = copy ? cJSON_CreateObject() : NULL;
    if (copy) memcpy(copy, text, length), copy[length] = 0;
    cJSON_AddStringToObject(one, "file", file);
    cJSON_AddNumberToObject(one, "line", number);
    cJSON_AddStringToObject(one, "text", copy);
    cJSON_AddBoolToObject(one, "here", here);
    if (bench_line_tally(b, file, number, &tally)) {
        cJSON_AddNumberToObject(one, "times", (double)tally.times);
        cJSON_AddNumberToObject(one, "cycles", (double)tally.cycles);
    }
    cJSON_AddItemToArray(b->data, one);
    free(copy);
}

bool bench_verb_source(bench *b, const char *rest)
{
    enum { AROUND = 7 };
    uint32_t at = bench_pc(b);
    const oak_program *program = oak_session_program(b->session);
    oak_line line;
    if (*rest && oak_session_place(b->session, rest, &b->self->sink, &at)) return false;
    if (!program || oak_program_line_at(program, at, &line)) return bench_verb_code(b, rest);
    uint8_t *bytes;
    size_t size;
    if (b->self->host.read_file(b->self->host.context, line.file, 16u << 20, &bytes, &size))
        return bench_verb_code(b, rest);
    const char *text = (const char *)bytes, *end = text + size;
    oak_tally ignored;
    bool counts = oak_session_counted(b->session, at, &ignored) == OAK_OK;
    printf("  %s%s\n", line.file, counts ? ": times executed, and cycles in all" : "");
    if (b->self->json) b->data = cJSON_CreateArray();
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
            if (b->data) add_line(b, line.file, number, number == line.line, text, (size_t)(stop - text));
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

bool bench_verb_stack(bench *b, const char *rest)
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
