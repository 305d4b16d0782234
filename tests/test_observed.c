/* What is observed never changes: every example and generated programs give the same document however they are run and whatever looks
 * on; and looking between two moves changes nothing of what comes. */
#include "support.h"

#include <stdarg.h>
#include <stdio.h>
#include <unistd.h>

#include <cjson/cJSON.h>

typedef enum way {
    WAY_STRAIGHT,
    WAY_STEPS,    /* one instruction at a time */
    WAY_PIECES,   /* of any length */
    WAY_RECORDED, /* pins and a cell */
    WAY_SAMPLED,  /* a register is recorded: each instruction is looked at */
    WAY_STOPS,    /* at every label, with a condition that never holds */
    WAY_WATCHED,  /* something that never happens */
    WAY_TALLIED,
    WAY_LOOKED_AT, /* the past is kept, and looked at now and then */
    WAYS
} way;

typedef struct subject {
    const char *part, *source, *board; /* board or NULL */
    const char *lap;                   /* a place that is passed often, or NULL */
    uint64_t cycles;
    bool is_text;
    const char *reg, *cell; /* NULL: what those of its kind have */
} subject;

static void add(text *to, const char *format, ...)
{
    char line[3000];
    va_list arguments;
    va_start(arguments, format);
    int length = vsnprintf(line, sizeof line, format, arguments);
    va_end(arguments);
    oak_text_sink sink = text_sink(to);
    ck_assert_int_lt(length, (int)sizeof line);
    sink.write(sink.context, line, (size_t)length);
}

static void forget(void *context, const oak_recent *one)
{
    (void)context, (void)one;
}

/* All there is to know of a run: state, interrupts, laps, what was noticed, what stand-ins show and have printed. Why it ended is left out. */
static text run_it(const subject *of, way how)
{
    text document = {0};
    bench b;
    oak_board *board = NULL;
    oak_event event;
    if (of->is_text) bench_open(&b, of->part, of->source);
    else bench_open_file(&b, of->part, of->source);
    if (of->board) {
        ck_assert_int_eq(oak_board_load(&b.host, of->board, b.part, NULL, &b.sink, &board), OAK_OK);
        if (oak_board_clock(board))
            ck_assert_int_eq(oak_session_set_clock(b.session, oak_board_clock(board)), OAK_OK);
        ck_assert_int_eq(oak_board_join(board, b.session, 3), OAK_OK);
    }
    if (of->lap) ck_assert_int_eq(oak_session_add_lap(b.session, of->lap, of->lap, &b.sink), OAK_OK);
    bool small = strncmp(of->part, "mcs51", 5) == 0, z80 = strncmp(of->part, "z80", 3) == 0;
    const char *reg = of->reg ? of->reg
                      : z80   ? "l"
                              : "r2",
               *cell = of->cell ? of->cell
                       : z80    ? "mem[0xc000]"
                       : small  ? "xram[0x3f]"
                                : "mem[0x20000f00]";
    char never[40], nor[40];
    snprintf(never, sizeof never, "%s == 3 && %s == 4", reg, reg);
    snprintf(nor, sizeof nor, "%s == 1 && %s == 2", reg, reg);
    unsigned number;
    if (how == WAY_RECORDED) ck_assert_int_eq(oak_session_record(b.session, "pins", &b.sink), OAK_OK);
    if (how == WAY_SAMPLED) ck_assert_int_eq(oak_session_record(b.session, reg, &b.sink), OAK_OK);
    const oak_symbol *symbol;
    for (unsigned i = 0; how == WAY_STOPS && (symbol = oak_program_symbol(b.program, i)); i++)
        if (symbol->kind == OAK_SYMBOL_LABEL && symbol->space == b.part->architecture->code_space &&
            !strchr(symbol->name, '.') && symbol->value % b.part->architecture->code_align == 0)
            ck_assert_int_eq(oak_session_add_stop(b.session, symbol->name, never, 1, &b.sink, &number),
                             OAK_OK);
    if (how == WAY_WATCHED)
        ck_assert_int_eq(oak_session_add_watch(b.session, cell, OAK_WATCH_ACCESS, &b.sink, &number), OAK_OK);
    if (how == WAY_TALLIED) ck_assert_int_eq(oak_session_count(b.session, true), OAK_OK);
    if (how == WAY_LOOKED_AT) ck_assert_int_eq(oak_session_keep_history(b.session, 0), OAK_OK);
    uint64_t seed = 11, now = 0;
    while (now < of->cycles) {
        oak_budget budget = {.cycles = of->cycles - now};
        if (how == WAY_STEPS) budget.instructions = 1;
        if (how == WAY_PIECES || how == WAY_LOOKED_AT)
            budget.cycles = 1 + random32(&seed) % (how == WAY_PIECES ? 3000 : of->cycles / 9);
        if (budget.cycles > of->cycles - now) budget.cycles = of->cycles - now;
        ck_assert_int_eq(oak_session_run(b.session, &budget, &b.sink, &event), OAK_OK);
        ck_assert_int_ne(event.stop.reason, OAK_STOP_POINT);
        if (how == WAY_LOOKED_AT) {
            ck_assert_int_eq(oak_session_recent(b.session, 40, forget, NULL), OAK_OK);
            ck_assert_int_eq(oak_session_back_until(b.session, nor, &b.sink, &event), OAK_NOT_FOUND);
        }
        uint64_t before = now;
        now = cycles_of(&b);
        if (event.stop.reason == OAK_STOP_PARKED || event.stop.reason == OAK_STOP_FAULT || now == before)
            break;
    }
    text state = {0};
    oak_text_sink state_sink = text_sink(&state);
    ck_assert_int_eq(oak_session_write_state(b.session, &state_sink), OAK_OK);
    cJSON *root = cJSON_Parse(state.bytes);
    cJSON_DeleteItemFromObject(root, "stop");
    char *printed = cJSON_PrintUnformatted(root);
    oak_text_sink sink = text_sink(&document);
    sink.write(sink.context, printed, strlen(printed));
    free(printed);
    cJSON_Delete(root);
    free(state.bytes);
    oak_service service;
    for (unsigned i = 0; b.chip.ops->service(b.chip.chip, i, &service) == OAK_OK; i++)
        add(&document, "\nvector %u: %llu times, %llu cycles, longest %llu; waits %llu, %llu, %llu to %llu",
            service.vector, (unsigned long long)service.count, (unsigned long long)service.cycles,
            (unsigned long long)service.longest, (unsigned long long)service.waits,
            (unsigned long long)service.waited, (unsigned long long)service.shortest_wait,
            (unsigned long long)service.longest_wait);
    const oak_lap *lap = oak_session_lap(b.session, 0);
    if (lap)
        add(&document, "\nlaps: %llu, %llu, %llu to %llu, %llu", (unsigned long long)lap->count,
            (unsigned long long)lap->last, (unsigned long long)lap->shortest,
            (unsigned long long)lap->longest, (unsigned long long)lap->total);
    const oak_noticed *noticed;
    for (unsigned i = 0; (noticed = oak_session_noticed(b.session, i)); i++)
        add(&document, "\nnoticed %s, %llu times, first at %llu", oak_fault_word(noticed->first.fault),
            (unsigned long long)noticed->count, (unsigned long long)noticed->first.cycle);
    oak_stand_in *one;
    for (unsigned i = 0; board && (one = oak_board_stand_in(board, i)); i++) {
        char shown[1000];
        size_t count;
        oak_stand_in_show(one, shown, sizeof shown);
        const uint8_t *bytes = oak_stand_in_printed(one, &count);
        add(&document, "\n%s: %s; %.*s", oak_stand_in_name(one), shown, (int)count,
            bytes ? (const char *)bytes : "");
    }
    uint8_t sent[1000];
    size_t count;
    for (unsigned line = 0; b.chip.ops->take_output(b.chip.chip, line, sent, sizeof sent, &count) == OAK_OK;
         line++)
        add(&document, "\nsent: %.*s", (int)count, sent);
    oak_session_close(b.session);
    b.session = NULL;
    oak_board_free(board);
    bench_close(&b);
    return document;
}

/* Under the sanitizers each subject takes two of the ways, its neighbours others. */
static void same_in_every_way(const subject *of)
{
    static unsigned taken;
    const unsigned turn = taken++ % 4;
    static const char *const names[WAYS] = {"straight",   "step by step", "in pieces", "recorded", "sampled",
                                            "with stops", "watched",      "tallied",   "looked at"};
    text straight = run_it(of, WAY_STRAIGHT);
    for (way how = WAY_STEPS; how < WAYS; how++) {
        if (STRIDE > 1 && how % 4 != turn) continue;
        text other = run_it(of, how);
        size_t at = 0;
        while (at < straight.size && at < other.size && straight.bytes[at] == other.bytes[at]) at++;
        size_t from = at > 60 ? at - 60 : 0;
        ck_assert_msg(at == straight.size && at == other.size, "%.60s, %s: ...%.200s\n and not ...%.200s",
                      of->source, names[how], other.bytes + from, straight.bytes + from);
        free(other.bytes);
    }
    free(straight.bytes);
}

#define EXAMPLE(name) SOURCE_FOLDER "/examples/" name

START_TEST(every_example_is_the_same_however_it_is_run)
{
    static const subject examples[] = {
        {"mcs51-8k", EXAMPLE("lathe/lathe.asm"), EXAMPLE("lathe/board.yaml"), "main", 40000, false, NULL,
         NULL},
        {"mcs51-8k", EXAMPLE("extractor/extractor.asm"), EXAMPLE("extractor/board.yaml"), "ticked", 60000,
         false, NULL, NULL},
        {"armv7m-256k", EXAMPLE("kiln/kiln.asm"), EXAMPLE("kiln/board.yaml"), "tick", 400000, false, NULL,
         NULL},
        {"armv6m-32k", EXAMPLE("loom/loom.asm"), NULL, NULL, 300000, false, NULL, NULL},
        {"z80-32k", EXAMPLE("press/press.asm"), EXAMPLE("press/board.yaml"), "look", 900000, false, NULL,
         NULL},
        {"picmid-8k", EXAMPLE("steambox/steambox.asm"), EXAMPLE("steambox/board.yaml"), NULL, 200000, false,
         "w", "file[0x7f]"},
        {"pic18-32k", EXAMPLE("sander/sander.asm"), EXAMPLE("sander/board.yaml"), NULL, 300000, false, "w",
         "data[0x5ff]"},
        {"msp430-32k", EXAMPLE("shed/shed.asm"), EXAMPLE("shed/board.yaml"), "second", 900000, false, "r12",
         "mem[0x2f00]"},
        {"cpu12-64k", EXAMPLE("dowels/dowels.asm"), EXAMPLE("dowels/board.yaml"), "passes", 900000, false,
         "d", "mem[0x3000]"},
        {"rv32-256k", EXAMPLE("planer/planer.asm"), EXAMPLE("planer/board.yaml"), "tick", 900000, false,
         "x10", "mem[0x20003f00]"},
        {"a32-1m", EXAMPLE("tags/tags.asm"), EXAMPLE("tags/board.yaml"), "on_irq", 4000000, false, "r0",
         "mem[0xff000]"},
        {"avr-32k", EXAMPLE("cabinet/cabinet.asm"), EXAMPLE("cabinet/board.yaml"), "awake", 1200000, false,
         "r16", "data[0x700]"},
        {"mcs4-4k", EXAMPLE("pegs/pegs.asm"), EXAMPLE("pegs/board.yaml"), NULL, 60000, false, "acc",
         "ram[0x7f]"}};
    for (size_t i = 0; i < sizeof examples / sizeof *examples; i++) same_in_every_way(&examples[i]);
}
END_TEST

/* A main program, asleep or not, that handlers of two priorities interrupt. */
START_TEST(generated_programs_are_the_same_however_they_are_run)
{
    uint64_t seed = 5, own = 17;
    for (int round = 0; round<12; round += STRIDE> 1 ? 5 : 1) {
        char source[1500];
        unsigned period = 300 + random32(&seed) % 2000, length = 1 + random32(&seed) % 90,
                 work = 1 + random32(&seed) % 40, sleeps = round % 2;
        snprintf(
            source, sizeof source,
            " vector stack, 0x20001000\n vector reset, start\n vector systick, tick\n vector pendsv, later\n "
            "org 0x200\n"
            "start: ldr r0, =0xE000E010\n ldr r1, =%u\n str r1, [r0, #4]\n movs r1, #7\n str r1, [r0]\n ldr "
            "r0, =0xE000ED20\n ldr r1, =0x00800000\n"
            " str r1, [r0]\nmain: adds r2, r2, #1\n movs r3, #%u\nw: subs r3, r3, #1\n bne w\n%s b main\n"
            "tick: movs r1, #%u\nt: subs r1, r1, #1\n bne t\n ldr r0, =0xE000ED04\n ldr r1, =0x10000000\n "
            "str r1, [r0]\n bx lr\n"
            "later: push {r4, lr}\n movs r4, #%u\nu: subs r4, r4, #1\n bne u\n pop {r4, pc}\n",
            period, work, sleeps ? " wfi\n" : "", length, length / 2 + 1);
        const subject of = {round % 3 ? "armv7m-256k" : "armv6m-32k",
                            source,
                            NULL,
                            round % 4 < 2 ? "tick" : "later",
                            60000,
                            true,
                            NULL,
                            NULL};
        same_in_every_way(&of);
        snprintf(
            source, sizeof source,
            " vector timer0, tick\n vector timer1, other\n org 0x40\nstart: mov sp, #0x50\n mov tmod, "
            "#0x22\n mov th0, #%u\n mov th1, #%u\n mov ie, #0x8a\n"
            " mov ip, #%u\n setb tr0\n setb tr1\nmain: inc r2\n mov r7, #%u\nw: djnz r7, w\n%s sjmp main\n"
            "tick: push acc\n mov a, #%u\nt: dec a\n jnz t\n pop acc\n cpl p1.0\n reti\nother: inc r5\n mov "
            "sbuf, r5\n reti\n",
            random32(&seed) % 150, random32(&seed) % 200, round % 3 ? 8 : 2, work,
            sleeps ? " orl pcon, #1\n" : "", 1 + length / 6);
        char *at = strstr(source, "start: ");
        ck_assert_ptr_ne(at, NULL);
        char whole[1700];
        snprintf(whole, sizeof whole, " vector reset, start\n%s", source);
        const subject small = {"mcs51-8k", whole, NULL, round % 4 < 2 ? "tick" : "other",
                               20000,      true,  NULL, NULL};
        same_in_every_way(&small);
        /* Handlers inside one another, a block that is interrupted, code that is overwritten. */
        snprintf(source, sizeof source,
                 " org 0\n jp start\n org 0x100\n dw tick, other\n"
                 "start: ld sp, 0xfff0\n ld a, 1\n ld i, a\n im 2\n ld a, 7\n out (C0_STEP), a\n out "
                 "(C1_STEP), a\n"
                 " ld a, %u\n out (C0_TOP), a\n ld a, %u\n out (C1_TOP), a\n ld a, 0xc0\n out (C0_CTRL), a\n "
                 "out (C1_CTRL), a\n"
                 " ld a, 0x80\n out (UART_CTRL), a\n ld a, 90\n out (UART_DIVL), a\n ei\n"
                 "main: inc l\n ld a, l\n ld (patch+1), a\npatch: ld e, 0\n push hl\n ld hl, 0x9000\n ld de, "
                 "0x9100\n ld bc, %u\n"
                 " ldir\n pop hl\n%s jp main\n"
                 "tick: push af\n push bc\n ld b, %u\nt: djnz t\n pop bc\n pop af\n ei\n reti\n"
                 "other: push af\n ld a, r\n out (UART_DATA), a\n ei\n ld a, %u\nu: dec a\n jr nz, u\n pop "
                 "af\n reti\n",
                 100 + random32(&own) % 150, 60 + random32(&own) % 150, 1 + work, sleeps ? " halt\n" : "",
                 1 + length / 8, 1 + length / 6);
        const subject z80 = {"z80-64k", source, NULL, round % 4 < 2 ? "tick" : "other",
                             60000,     true,   NULL, NULL};
        same_in_every_way(&z80);
    }
}
END_TEST

/* Two ways of counting the same: what the interrupts have cost, and the tally of their instructions. */
START_TEST(the_cost_of_a_handler_is_its_tally_and_the_way_in_and_out)
{
    bench b;
    oak_service service;
    bench_open(&b, "armv7m-256k",
               " vector stack, 0x20001000\n vector reset, start\n vector systick, tick\n org 0x200\nstart: "
               "ldr r0, =0xE000E010\n ldr r1, =999\n str r1, [r0, #4]\n"
               " movs r1, #7\n str r1, [r0]\nmain: adds r2, r2, #1\n b main\ntick: movs r3, #200\nw: subs "
               "r3, r3, #1\n bne w\nback: bx lr\nend:\n");
    bench_run(&b, 100000, 0);
    ck_assert_int_eq(b.chip.ops->service(b.chip.chip, 0, &service), OAK_OK);
    ck_assert_uint_eq(service.count, 99);
    /* 12 in; movs; 200 subs, 199 branches taken and one not; out: 1 and 9 more. */
    ck_assert_uint_eq(service.longest, 12 + 1 + 200 + 199 * 3 + 1 + 10);
    ck_assert_uint_eq(service.cycles, service.count * service.longest);
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ looking between moves */

/* What a script of the bench answers to the lines of `moves`, with another line behind each of them. */
static text answers(const char *program, const char *const *moves, unsigned count, const char *look)
{
    char command[600], script[200];
    char *out, *err;
    text kept = {0};
    snprintf(script, sizeof script, "/tmp/oak-observed-%d.txt", (int)getpid());
    FILE *file = fopen(script, "w");
    for (unsigned i = 0; i < count; i++) fprintf(file, "%s\n%s\n", moves[i], look);
    fclose(file);
    snprintf(command, sizeof command, "timeout 100 " SPINDLE " bench %s --json -x %s", program, script);
    shell(command, &out, &err);
    unsigned found = 0;
    for (char *at = out; at && *at;) {
        char *stop = strchr(at, '\n');
        if (stop) *stop = 0;
        cJSON *one = cJSON_Parse(at);
        const char *line = cJSON_GetStringValue(cJSON_GetObjectItem(one, "line"));
        if (line && found < count && strcmp(line, moves[found]) == 0) {
            oak_text_sink sink = text_sink(&kept);
            sink.write(sink.context, at, strlen(at));
            sink.write(sink.context, "\n", 1);
            found++;
        }
        cJSON_Delete(one);
        at = stop ? stop + 1 : NULL;
    }
    ck_assert_msg(found == count, "%s: %u of %u answers\n%s", look, found, count, err);
    free(out);
    free(err);
    unlink(script);
    return kept;
}

START_TEST(looking_between_two_moves_changes_nothing)
{
    static const char *const looks[] = {"recent 30",
                                        "recent",
                                        "registers",
                                        "special",
                                        "chips all",
                                        "pins",
                                        "board",
                                        "stack",
                                        "touches",
                                        "show sp",
                                        "stops",
                                        "where",
                                        "source",
                                        "code",
                                        "help go",
                                        "report",
                                        "tally",
                                        "changes",
                                        "back until sp == 1 && sp == 2",
                                        "back change sp if nothing",
                                        "find 01 02 03 in iram[0..0x20]"};
    static const char *const moves[] = {"lap PLACE to PLACE",
                                        "stop PLACE every 3",
                                        "go",
                                        "go",
                                        "step",
                                        "go",
                                        "step 7",
                                        "go 3000 cycles",
                                        "over",
                                        "go",
                                        "out",
                                        "back 1",
                                        "go",
                                        "back 5",
                                        "go",
                                        "stops",
                                        "go 500 cycles",
                                        "output",
                                        "registers",
                                        "report laps"};
    enum { MOVES = sizeof moves / sizeof *moves };
    static const char *const programs[][2] = {
        {EXAMPLE("lathe/lathe.asm") " --part mcs51-8k --board " EXAMPLE("lathe/board.yaml"), "guard"},
        {EXAMPLE("kiln/kiln.asm") " --part armv7m-256k --board " EXAMPLE("kiln/board.yaml"), "again"},
        {EXAMPLE("press/press.asm") " --part z80-32k --board " EXAMPLE("press/board.yaml"), "look"}};
    for (size_t p = 0; p < sizeof programs / sizeof *programs; p++) {
        char lines[MOVES][60];
        const char *list[MOVES];
        for (unsigned i = 0; i < MOVES; i++) {
            char *to = lines[i];
            for (const char *from = moves[i]; *from;) {
                bool place = strncmp(from, "PLACE", 5) == 0;
                to += sprintf(to, "%s", place ? programs[p][1] : "");
                if (!place) *to++ = *from;
                from += place ? 5 : 1;
            }
            *to = 0;
            list[i] = lines[i];
        }
        text without = answers(programs[p][0], list, MOVES, "# nothing");
        for (size_t i = 0; i < sizeof looks / sizeof *looks; i++) {
            text with = answers(programs[p][0], list, MOVES, looks[i]);
            size_t at = 0;
            while (at < without.size && at < with.size && without.bytes[at] == with.bytes[at]) at++;
            size_t from = at;
            while (from && without.bytes[from - 1] != '\n') from--;
            ck_assert_msg(at == without.size && at == with.size, "`%s` changes\n%.300s\ninto\n%.300s",
                          looks[i], without.bytes + (at > from + 150 ? at - 150 : from),
                          with.bytes + (at > from + 150 ? at - 150 : from));
            free(with.bytes);
        }
        free(without.bytes);
    }
}
END_TEST

START_TEST(what_a_board_answers_happens_when_it_is_asked)
{
    static const char board_text[] = "stand-ins:\n  s: {kind: shift-register, wires: {data: p1.0, clock: "
                                     "p1.1, q: [p2.0, p2.1, w]}}\n  i: {kind: lamp, wires: {in: w}}\n";
    static const char source[] =
        "loop: setb p1.0\n setb p1.1\n clr p1.1\n clr p1.0\n setb p1.1\n clr p1.1\n nop\n nop\n sjmp loop\n";
    char path[200];
    snprintf(path, sizeof path, "/tmp/oak-observed-%d.yaml", (int)getpid());
    FILE *file = fopen(path, "w");
    fputs(board_text, file);
    fclose(file);
    bench b;
    oak_board *board;
    bench_open(&b, "mcs51-8k", source);
    ck_assert_int_eq(oak_board_load(&b.host, path, b.part, NULL, &b.sink, &board), OAK_OK);
    ck_assert_int_eq(oak_board_join(board, b.session, 1), OAK_OK);
    ck_assert_int_eq(oak_session_record(b.session, "pins", &b.sink), OAK_OK);
    bench_run(&b, 500, 0);
    const oak_trace *trace = oak_session_trace(b.session);
    uint64_t last = 0, clocked = 0;
    unsigned answers_seen = 0;
    oak_trace_change change;
    for (size_t i = 0; oak_trace_change_at(trace, i, &change); i++) {
        const char *name = oak_trace_signal_at(trace, change.signal)->name;
        ck_assert_uint_ge(change.time, last);
        last = change.time;
        if (strcmp(name, "p1.1") == 0) clocked = change.time;
        if (strcmp(name, "p2.0") == 0 && change.time) {
            ck_assert_uint_eq(change.time, clocked);
            answers_seen++;
        }
    }
    ck_assert_uint_gt(answers_seen, 50);
    text dump = {0};
    oak_text_sink sink = text_sink(&dump);
    ck_assert_int_eq(oak_trace_write_vcd(trace, &sink), OAK_OK);
    oak_trace *again = NULL;
    ck_assert_int_eq(oak_trace_read_vcd(&b.host, dump.bytes, dump.size, "d.vcd", &b.sink, &again), OAK_OK);
    oak_trace_free(again);
    free(dump.bytes);
    oak_session_close(b.session);
    b.session = NULL;
    oak_board_free(board);
    bench_close(&b);
    unlink(path);
}
END_TEST

START_TEST(laps_see_handlers_entered_from_sleep)
{
    bench b;
    bench_open(&b, "armv7m-256k",
               " vector stack, 0x20001000\n vector reset, start\n vector systick, tick\n org 0x200\nstart: "
               "ldr r0, =0xE000E010\n ldr r1, =71999\n str r1, [r0, #4]\n"
               " movs r1, #7\n str r1, [r0]\nagain: wfi\n b again\ntick: adds r3, r3, #1\n bx lr\n");
    ck_assert_int_eq(oak_session_add_lap(b.session, "tick", "tick", &b.sink), OAK_OK);
    bench_run(&b, 72000 * 100 - 1000, 0);
    const oak_lap *lap = oak_session_lap(b.session, 0);
    ck_assert_uint_eq(lap->count, 98);
    ck_assert_uint_eq(lap->shortest, 72000);
    ck_assert_uint_eq(lap->longest, 72000);
    bench_close(&b);
}
END_TEST

START_TEST(a_stop_point_counts_each_arrival_once_however_it_comes)
{
    for (int stepped = 0; stepped < 2; stepped++) {
        bench b;
        unsigned number;
        oak_event event;
        bench_open(&b, "mcs51-8k", "start: nop\nloop: inc a\n sjmp loop\n");
        ck_assert_int_eq(oak_session_add_stop(b.session, "loop", NULL, 10, &b.sink, &number), OAK_OK);
        for (int i = 0; i < 7 && stepped; i++) ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK);
        event = bench_run(&b, 1000, 0);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
        ck_assert_uint_eq(oak_session_stop_point(b.session, number)->hits, 10);
        ck_assert_uint_eq(cycles_of(&b), 1 + 9 * 3);
        bench_close(&b);
    }
}
END_TEST

RUN_SUITE("observed", every_example_is_the_same_however_it_is_run,
          generated_programs_are_the_same_however_they_are_run,
          the_cost_of_a_handler_is_its_tally_and_the_way_in_and_out,
          looking_between_two_moves_changes_nothing, what_a_board_answers_happens_when_it_is_asked,
          laps_see_handlers_entered_from_sleep, a_stop_point_counts_each_arrival_once_however_it_comes)
