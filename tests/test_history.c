/* Going back in time, compared with fresh runs; stepping over calls and out of subroutines; watches. */
#include "support.h"

#include <stdio.h>

typedef struct example {
    const char *part, *name;
    uint64_t cycles;
} example;

static const example examples[] = {{"mcs51-8k", "lathe", 500000},
                                   {"mcs51-8k", "extractor", 600000},
                                   {"armv7m-256k", "kiln", 30000000},
                                   {"armv6m-32k", "loom", 6000000}};

static void open_example(bench *b, const example *of, oak_board **board)
{
    char path[300];
    snprintf(path, sizeof path, SOURCE_FOLDER "/examples/%s/%s.asm", of->name, of->name);
    bench_open_file(b, of->part, path);
    *board = NULL;
    snprintf(path, sizeof path, SOURCE_FOLDER "/examples/%s/board.yaml", of->name);
    if (strcmp(of->name, "loom") == 0) {
        ck_assert_int_eq(oak_session_drive(b->session, "p1.0 = 1 for 4ms, 0 for 1ms, repeat", &b->sink),
                         OAK_OK);
        ck_assert_int_eq(oak_session_drive(b->session, "p1.1 = random 20ms to 90ms", &b->sink), OAK_OK);
        return;
    }
    ck_assert_int_eq(oak_board_load(&b->host, path, b->part, NULL, &b->sink, board), OAK_OK);
    if (oak_board_clock(*board))
        ck_assert_int_eq(oak_session_set_clock(b->session, oak_board_clock(*board)), OAK_OK);
    ck_assert_int_eq(oak_board_join(*board, b->session, 1), OAK_OK);
}

static void close_example(bench *b, oak_board *board)
{
    oak_session_close(b->session);
    b->session = NULL;
    oak_board_free(board);
    bench_close(b);
}

/* The whole state but how the last run ended. Free it. */
static char *state_of(bench *b)
{
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    ck_assert_int_eq(oak_session_write_state(b->session, &sink), OAK_OK);
    char *whole = strndup(t.bytes, t.size), *stop = strstr(whole, "\"stop\""), *end = strstr(stop, "},");
    memmove(stop, end, strlen(end) + 1);
    free(t.bytes);
    return whole;
}

/* Goes forward in a fresh run and back in one with a history, to the same moments, in pieces of the random walk. */
static void compare(const example *of, unsigned points, uint64_t seed)
{
    bench fresh, back;
    oak_board *fresh_board, *back_board;
    uint64_t *cycles = calloc(points, sizeof *cycles);
    open_example(&fresh, of, &fresh_board);
    open_example(&back, of, &back_board);
    ck_assert_int_eq(oak_session_keep_history(back.session, 0), OAK_OK);
    for (unsigned i = 0; i < points; i++) cycles[i] = random32(&seed) % of->cycles;
    for (unsigned i = 1; i < points; i++) /* ascending, for the fresh run */
        for (unsigned k = i; k && cycles[k - 1] > cycles[k]; k--) {
            uint64_t t = cycles[k];
            cycles[k] = cycles[k - 1];
            cycles[k - 1] = t;
        }
    char **wanted = calloc(points, sizeof *wanted);
    uint64_t *at = calloc(points, sizeof *at);
    for (unsigned i = 0; i < points; i++) {
        if (cycles_of(&fresh) < cycles[i]) bench_run(&fresh, cycles[i] - cycles_of(&fresh), 0);
        wanted[i] = state_of(&fresh);
        at[i] = cycles_of(&fresh);
    }
    bench_run(&back, of->cycles, 0);
    for (unsigned i = points; i-- > 0;) { /* backwards, as people go */
        oak_event event;
        ck_assert_int_eq(oak_session_back_to_cycle(back.session, cycles[i], &event), OAK_OK);
        ck_assert_uint_eq(cycles_of(&back), at[i]);
        char *got = state_of(&back);
        ck_assert_msg(strcmp(got, wanted[i]) == 0, "%s at cycle %llu differs", of->name,
                      (unsigned long long)cycles[i]);
        free(got);
        free(wanted[i]);
        if (i % 40 == 0 && i) { /* forward again, and on from there */
            bench_run(&back, 1000, 0);
        }
    }
    free(cycles);
    free(wanted);
    free(at);
    close_example(&fresh, fresh_board);
    close_example(&back, back_board);
}

START_TEST(going_back_to_any_cycle_of_the_8_bit_examples_gives_what_a_fresh_run_gives)
{
    compare(&examples[0], 1000 / STRIDE, 5);
    compare(&examples[1], 1000 / STRIDE, 6);
}
END_TEST

START_TEST(going_back_to_any_cycle_of_the_32_bit_examples_gives_what_a_fresh_run_gives)
{
    compare(&examples[2], 1000 / STRIDE, 7);
    compare(&examples[3], 1000 / STRIDE, 8);
}
END_TEST

START_TEST(steps_back_end_where_the_steps_forward_began)
{
    bench b;
    oak_event event;
    bench_open(&b, "mcs51-8k",
               " org 0\nmain: mov r7, #3\n call sub\n inc r6\n sjmp main\nsub: push acc\n djnz r7, sub1\n "
               "pop acc\n ret\nsub1: pop acc\n call sub\n ret\n");
    ck_assert_int_eq(oak_session_keep_history(b.session, 0), OAK_OK);
    char *states[200];
    for (unsigned i = 0; i < 200; i++) {
        states[i] = state_of(&b);
        ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK);
    }
    ck_assert_int_eq(oak_session_back_steps(b.session, 500, &event), OAK_NOT_FOUND);
    for (unsigned i = 200; i-- > 0;) {
        ck_assert_int_eq(oak_session_back_steps(b.session, 1, &event), OAK_OK);
        char *got = state_of(&b);
        ck_assert_str_eq(got, states[i]);
        free(got);
        free(states[i]);
    }
    ck_assert_int_eq(oak_session_back_steps(b.session, 1, &event), OAK_NOT_FOUND);
    bench_close(&b);
}
END_TEST

START_TEST(what_somebody_changes_is_taken_back_and_stays_where_it_was_made)
{
    bench b;
    oak_event event;
    bench_open(&b, "mcs51-8k", " org 0\nmain: inc r7\n mov 0x30, r7\n sjmp main\n");
    ck_assert_int_eq(oak_session_keep_history(b.session, 0), OAK_OK);
    bench_run(&b, 0, 30);
    ck_assert_int_eq(value_of(&b, "r7"), 10);
    ck_assert_int_eq(oak_session_set(b.session, "r7=100", &b.sink), OAK_OK);
    bench_run(&b, 0, 30);
    ck_assert_int_eq(value_of(&b, "r7"), 110);
    ck_assert_int_eq(oak_session_back_steps(b.session, 15, &event), OAK_OK);
    ck_assert_int_eq(value_of(&b, "r7"), 105);
    ck_assert_int_eq(oak_session_back_steps(b.session, 15, &event), OAK_OK);
    ck_assert_int_eq(value_of(&b, "r7"), 100); /* just behind the change */
    ck_assert_int_eq(oak_session_back_steps(b.session, 3, &event), OAK_OK);
    ck_assert_int_eq(value_of(&b, "r7"), 9);
    bench_run(&b, 0, 6);
    ck_assert_int_eq(value_of(&b, "r7"), 11); /* the change is forgotten */
    bench_close(&b);
}
END_TEST

START_TEST(the_past_is_searched_for_an_expression_and_for_the_last_change)
{
    bench b;
    oak_event event;
    bench_open(&b, "mcs51-8k",
               " org 0\nmain: inc r7\n cjne r7, #40, main\nwrites: mov 0x30, r7\nrest: inc r6\n cjne r6, "
               "#100, rest\nend: nop\n sjmp end\n");
    ck_assert_int_eq(oak_session_keep_history(b.session, 0), OAK_OK);
    bench_run(&b, 1000, 0);
    ck_assert_int_eq(oak_session_back_until(b.session, "r7 == 77", &b.sink, &event), OAK_NOT_FOUND);
    ck_assert_int_eq(value_of(&b, "r6"), 100); /* nothing has changed */
    ck_assert_int_eq(oak_session_back_change(b.session, "iram[0x30]", &b.sink, &event), OAK_OK);
    ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "writes")); /* before the instruction that wrote */
    ck_assert_int_eq(value_of(&b, "iram[0x30]"), 0);
    ck_assert_int_eq(oak_session_back_until(b.session, "r7 == 25", &b.sink, &event), OAK_OK);
    ck_assert_int_eq(value_of(&b, "r7"), 25);
    ck_assert_int_eq(value_of(&b, "pc"), 0); /* the comparison has been made: the last moment of 25 */
    ck_assert_int_eq(oak_session_back_until(b.session, "nothing", &b.sink, &event), OAK_REFUSED);
    /* settings made later do not stand in the way of the past */
    bench_run(&b, 1000, 0);
    ck_assert_int_eq(oak_session_add_stop(b.session, "end", NULL, 1000, &b.sink, NULL), OAK_OK);
    ck_assert_int_eq(oak_session_add_lap(b.session, "main", "main", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "p1.0 = 0", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_record(b.session, "pins", &b.sink), OAK_OK);
    bench_run(&b, 100, 0);
    ck_assert_uint_gt(oak_session_stop_point(b.session, 0)->hits, 0);
    ck_assert_int_eq(oak_session_back_to_cycle(b.session, 7, &event), OAK_OK);
    ck_assert_uint_eq(oak_session_stop_point(b.session, 0)->hits, 0);
    ck_assert_uint_le(cycles_of(&b), 8);
    bench_close(&b);
}
END_TEST

START_TEST(memory_stays_within_its_bounds_and_the_oldest_is_forgotten)
{
    bench b;
    oak_event event;
    oak_chip_time earliest;
    bench_open(&b, "mcs51-8k", " org 0\nmain: inc r7\n sjmp main\n");
    ck_assert_int_eq(oak_session_keep_history(b.session, 1 << 17), OAK_OK); /* a copy, and some pages */
    bench_run(&b, 100000000, 0);
    ck_assert_int_eq(oak_session_earliest(b.session, &earliest), OAK_OK);
    ck_assert_uint_eq(earliest.cycles, 0);
    ck_assert_int_eq(oak_session_back_to_cycle(b.session, 33333333, &event), OAK_OK);
    ck_assert_uint_eq(cycles_of(&b), 33333333 + (33333333 % 3 != 0 && 33333333 % 3 != 1));
    for (unsigned i = 0; i < 40; i++) { /* each change needs a copy of its own */
        ck_assert_int_eq(oak_session_set(b.session, "r6=1", &b.sink), OAK_OK);
        bench_run(&b, 30, 0);
    }
    ck_assert_int_eq(oak_session_earliest(b.session, &earliest), OAK_OK);
    ck_assert_uint_gt(earliest.cycles, 33333333);
    ck_assert_int_eq(oak_session_back_to_cycle(b.session, 1000, &event), OAK_NOT_FOUND);
    bench_close(&b);
}
END_TEST

START_TEST(calls_are_stepped_over_and_subroutines_run_out_of)
{
    static const char *const programs[] = {
        " org 0\nmain: mov sp, #0x30\n call outer\nnext: nop\n sjmp main\nouter: push acc\n call inner\n "
        "call inner\nback: pop acc\n ret\ninner: nop\ndeep: nop\n ret\n",
        " vector stack, 0x20000800\n vector reset, main\n org 0x100\nmain: nop\n bl outer\nnext: nop\n b "
        "main\nouter: push {r4, lr}\n bl inner\n bl inner\nback: nop\n pop {r4, pc}\ninner: nop\ndeep: nop\n "
        "bx lr\n"};
    static const char *const parts[] = {"mcs51-8k", "armv6m-32k"};
    const oak_budget budget = {.cycles = 10000};
    for (unsigned i = 0; i < 2; i++) {
        bench b;
        oak_event event;
        bench_open(&b, parts[i], programs[i]);
        bench_run(&b, 0, 1);
        ck_assert_int_eq(oak_session_step_over(b.session, &budget, &b.sink, &event), OAK_OK);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_STEP);
        ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "next"));
        ck_assert_int_eq(oak_session_run_to(b.session, "deep", &budget, &b.sink, &event), OAK_OK);
        ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "deep"));
        ck_assert_int_eq(oak_session_run_out(b.session, &budget, &b.sink, &event), OAK_OK);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_STEP);
        ck_assert_int_gt(value_of(&b, "pc"), value_of(&b, "outer"));
        ck_assert_int_lt(value_of(&b, "pc"), value_of(&b, "back"));
        ck_assert_int_eq(oak_session_run_out(b.session, &budget, &b.sink, &event),
                         OAK_OK); /* over the second inner */
        ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "next"));
        /* a stop point inside ends it */
        ck_assert_int_eq(oak_session_run_to(b.session, "main", &budget, &b.sink, &event), OAK_OK);
        bench_run(&b, 0, 1);
        ck_assert_int_eq(oak_session_add_stop(b.session, "inner", NULL, 1, &b.sink, NULL), OAK_OK);
        ck_assert_int_eq(oak_session_step_over(b.session, &budget, &b.sink, &event), OAK_OK);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
        bench_close(&b);
    }
}
END_TEST

START_TEST(watches_end_a_run_when_a_value_changes_or_a_condition_becomes_true)
{
    bench b;
    unsigned change, holds;
    oak_event event;
    bench_open(&b, "mcs51-8k",
               " org 0\nmain: inc r7\n mov a, r7\n anl a, #8\nwrites: mov 0x30, a\n sjmp main\n");
    ck_assert_int_eq(oak_session_add_watch(b.session, "iram[0x30]", OAK_WATCH_CHANGE, &b.sink, &change),
                     OAK_OK);
    ck_assert_int_eq(oak_session_add_watch(b.session, "r7 == 20", OAK_WATCH_HOLDS, &b.sink, &holds), OAK_OK);
    ck_assert_int_eq(oak_session_add_watch(b.session, "nothing", OAK_WATCH_HOLDS, &b.sink, &holds),
                     OAK_REFUSED);
    event = bench_run(&b, 10000, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_WATCH);
    ck_assert_int_eq(event.watch, 0);
    ck_assert_int_eq(value_of(&b, "r7"), 8);
    ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "writes") + 2);
    event = bench_run(&b, 10000, 0);
    ck_assert_int_eq(value_of(&b, "r7"), 16);
    event = bench_run(&b, 10000, 0);
    ck_assert_int_eq(event.watch, 1);
    ck_assert_int_eq(value_of(&b, "r7"), 20);
    ck_assert_int_eq(oak_session_remove_watch(b.session, 0), OAK_OK);
    ck_assert_int_eq(oak_session_remove_watch(b.session, 0), OAK_NOT_FOUND);
    event = bench_run(&b, 10000, 0);
    ck_assert_int_eq(event.watch, 1); /* 256 rounds later */
    bench_close(&b);
}
END_TEST

/* A watch that only cells decide is left to the chip; the same with a register in it is worked out step by step. */
START_TEST(the_chip_stops_for_a_watch_where_stepping_does)
{
    static const struct {
        unsigned example;
        const char *cells, *stepped;
    } cases[] = {{0, "ticks", "ticks + 0 * r7"},
                 {0, "place", "place + 0 * a"},
                 {0, "iram[times+3:2]", "iram[times+3:2] + 0 * b"},
                 {0, "xram[log+5]", "xram[log+5] + 0 * a"},
                 {0, "iram[0x49]", "iram[0x49] + 0 * a"},
                 {1, "head", "head + 0 * a"},
                 {1, "shown + tail", "shown + tail + 0 * a"},
                 {2, "ticks", "ticks + 0 * r0"},
                 {2, "power", "power + 0 * r0"},
                 {3, "spans", "spans + 0 * r0"},
                 {3, "picks", "picks + 0 * r0"}};
    for (unsigned c = 0; c < sizeof cases / sizeof *cases; c++) {
        bench fast, slow;
        oak_board *fast_board, *slow_board;
        unsigned number;
        open_example(&fast, &examples[cases[c].example], &fast_board);
        open_example(&slow, &examples[cases[c].example], &slow_board);
        ck_assert_int_eq(
            oak_session_add_watch(fast.session, cases[c].cells, OAK_WATCH_CHANGE, &fast.sink, &number),
            OAK_OK);
        ck_assert_int_eq(
            oak_session_add_watch(slow.session, cases[c].stepped, OAK_WATCH_CHANGE, &slow.sink, &number),
            OAK_OK);
        unsigned stops = 0;
        for (; stops < 60 / STRIDE; stops++) {
            uint64_t budget = examples[cases[c].example].cycles;
            oak_event a = bench_run(&fast, budget, 0), b = bench_run(&slow, budget, 0);
            ck_assert_msg(a.stop.reason == b.stop.reason && a.stop.pc == b.stop.pc &&
                              cycles_of(&fast) == cycles_of(&slow),
                          "%s: stop %u at cycle %llu, stepped at %llu", cases[c].cells, stops,
                          (unsigned long long)cycles_of(&fast), (unsigned long long)cycles_of(&slow));
            if (a.stop.reason != OAK_STOP_WATCH) break;
        }
        ck_assert_msg(stops > 0, "%s never changes", cases[c].cells);
        close_example(&fast, fast_board);
        close_example(&slow, slow_board);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ more of the past */

/* Runs to `from`, out of it, and expects to be at `to`. */
static void run_out_from(const char *part, const char *source, const char *from, const char *to,
                         uint64_t cycles)
{
    bench b;
    oak_event event;
    const oak_budget budget = {.cycles = 400000000};
    bench_open(&b, part, source);
    ck_assert_int_eq(oak_session_run_to(b.session, from, &budget, &b.sink, &event), OAK_OK);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_STEP);
    ck_assert_int_eq(oak_session_run_out(b.session, &budget, &b.sink, &event), OAK_OK);
    ck_assert_msg(event.stop.reason == OAK_STOP_STEP, "%s: %s", from, oak_stop_word(event.stop.reason));
    ck_assert_msg(value_of(&b, "pc") == value_of(&b, to), "from %s: at 0x%llx, not at %s", from,
                  value_of(&b, "pc"), to);
    if (cycles) ck_assert_uint_eq(cycles_of(&b), cycles);
    /* nothing of it is left: a run goes on to the end */
    ck_assert_int_eq(bench_run(&b, 1000, 0).stop.reason == OAK_STOP_POINT, false);
    bench_close(&b);
}

START_TEST(a_subroutine_is_run_out_of_whatever_it_does)
{
    /* a jump table; an address that is pushed and returned to; both are jumps */
    run_out_from(
        "mcs51-4k",
        " org 0\n mov a, #2\n call pick\ndone: sjmp $\npick: mov dptr, #table\n jmp @a+dptr\ntable: sjmp "
        "one\n sjmp two\none: mov r7, #1\n ret\ntwo: mov r7, #2\n ret\n",
        "pick", "done", 0);
    run_out_from("mcs51-4k",
                 " org 0\n call pick\ndone: sjmp $\npick: nop\n mov dptr, #there\n push dpl\n push dph\n "
                 "ret\nthere: call deep\n ret\ndeep: nop\n ret\n",
                 "pick", "done", 0);
    /* what goes on behind the call: a text, that the subroutine passes over */
    run_out_from(
        "mcs51-4k",
        " org 0\n call outer\ndone: sjmp $\nouter: nop\n call text\n db \"oak\", 0\n mov r1, #1\n "
        "ret\ntext: pop dph\n pop dpl\nnext: clr a\n movc a, @a+dptr\n inc dptr\n jnz next\n jmp @a+dptr\n",
        "outer", "done", 0);
    /* half a second in one loop, while a timer interrupts whose handler begins with a call */
    run_out_from(
        "mcs51-4k",
        " org 0\n ljmp main\n org 0x0b\n call tick\n reti\n org 0x30\nmain: mov tmod, #2\n setb tr0\n mov "
        "ie, "
        "#0x82\n call wait\ndone: sjmp $\nwait: mov r2, #5\nfar: mov r3, #0\nnear: mov r4, #0\n djnz r4, $\n "
        "djnz r3, near\n djnz r2, far\n ret\ntick: inc 30h\n ret\n",
        "wait", "done", 0);
    /* out of a handler, and out of what it calls */
    static const char handler[] =
        " org 0\n ljmp main\n org 0x0b\n call tick\nback: reti\n org 0x30\nmain: mov tmod, "
        "#2\n setb tr0\n mov ie, #0x82\nhere: sjmp here\ntick: inc 30h\n ret\n";
    run_out_from("mcs51-4k", handler, "tick", "back", 0);
    run_out_from("mcs51-4k", handler, "back", "here", 0);
}
END_TEST

#define TAILS                                                                                                \
    " vector stack, 0x20000800\n vector reset, main\n vector systick, tick\n vector pendsv, pend\n vector "  \
    "svcall, call\n org 0x100\nmain: ldr r0, =0xe000e014\n ldr r1, =200\n str r1, [r0]\n movs r1, #7\n ldr " \
    "r0, "                                                                                                   \
    "=0xe000e010\n str r1, [r0]\n bl wait\ndone: b done\nwait: push {r4, lr}\n ldr r4, =400000\nagain: "     \
    "subs "                                                                                                  \
    "r4, #1\n bne again\n svc #1\nbehind: pop {r4, pc}\ntick: ldr r0, =0xe000ed04\n ldr r1, =1 << 28\n str " \
    "r1, [r0]\n bx lr\npend: push {lr}\n bl deep\nrest: pop {pc}\ndeep: bx lr\ncall: bx lr\n"

START_TEST(a_subroutine_of_a_32_bit_part_is_run_out_of_whatever_interrupts_it)
{
    /* Each tick asks for another handler, which takes its place when it ends; the loop is far beyond patience. */
    run_out_from("armv6m-32k", TAILS, "wait", "done", 0);
    run_out_from("armv7m-256k", TAILS, "wait", "done", 0);
    run_out_from("armv7m-256k", TAILS, "deep", "rest", 0);
    run_out_from("armv7m-256k", TAILS, "behind", "done", 0);
    /* a table, a return in a conditional block, a return by another register, a call as the last thing */
    run_out_from(
        "armv7m-256k",
        " vector stack, 0x20000800\n vector reset, main\n org 0x100\nmain: movs r0, #1\n bl pick\ndone: b "
        "done\npick: push {r4, lr}\n tbb [pc, r0]\ntable: db 1, 2\n nop\nsecond: cmp r0, #0\n it eq\n popeq "
        "{r4, pc}\n bl leaf\n cmp r0, #1\n it eq\n popeq {r4, pc}\n b .\nleaf: mov r12, lr\n bx r12\n",
        "pick", "done", 0);
    run_out_from("armv6m-32k",
                 " vector stack, 0x20000800\n vector reset, main\n org 0x100\nmain: nop\n bl first\ndone: b "
                 "done\nfirst: nop\n ldr r3, =second + 1\n bx r3\nsecond: nop\n bx lr\n",
                 "first", "done", 0);
}
END_TEST

/* The return address of the subroutine lies at a known place of the stack: it has been left when that is gone. */
START_TEST(running_out_ends_where_single_steps_see_the_return_address_go)
{
    for (size_t e = 0; e < 2; e++) {
        bench b, slow;
        oak_board *board, *slow_board;
        oak_event event;
        uint64_t seed = 77 + e;
        unsigned done = 0;
        const oak_budget budget = {.cycles = 2000000};
        open_example(&b, &examples[e], &board);
        open_example(&slow, &examples[e], &slow_board);
        for (unsigned i = 0; i<120; i += STRIDE> 1 ? 5 : 1) {
            for (unsigned w = 0; i == 60 && w < OAK_MOST_WATCHES;
                 w++) /* none is dropped, and all calls are still seen */
                ck_assert_int_eq(
                    oak_session_add_watch(b.session, "iram[0x7f]", OAK_WATCH_READ, &b.sink, NULL), OAK_OK);
            oak_stack_item items[16];
            oak_chip_time time, other;
            size_t count = 0, k = 0;
            uint64_t steps = 1 + random32(&seed) % 2000;
            for (unsigned tries = 0; tries < 3000 && k == count; tries++, steps = 3) { /* into a subroutine */
                bench_run(&b, 0, steps);
                bench_run(&slow, 0, steps);
                count = oak_session_stack(slow.session, items, 16);
                for (k = 0; k < count; k++)
                    if (items[k].kind == OAK_STACK_RETURNS || items[k].kind == OAK_STACK_INTERRUPTED) break;
            }
            if (k == count) continue;
            unsigned most = 200000;
            while (most-- && value_of(&slow, "sp") >= items[k].at) oak_session_step(slow.session, &event);
            ck_assert_int_eq(oak_session_run_out(b.session, &budget, &b.sink, &event), OAK_OK);
            ck_assert_int_eq(event.stop.reason, OAK_STOP_STEP);
            b.chip.ops->read_time(b.chip.chip, &time);
            slow.chip.ops->read_time(slow.chip.chip, &other);
            ck_assert_msg(time.instructions == other.instructions, "%s, %u: %llu, not %llu", examples[e].name,
                          i, (unsigned long long)time.instructions, (unsigned long long)other.instructions);
            ck_assert_int_eq(value_of(&b, "pc"), value_of(&slow, "pc"));
            done++;
        }
        ck_assert_uint_gt(done, 60 / STRIDE);
        close_example(&b, board);
        close_example(&slow, slow_board);
    }
}
END_TEST

/* Nobody has called the main program: nothing is left, however many calls end, and wherever copies of the state are taken. */
START_TEST(the_main_program_is_not_run_out_of)
{
    static const uint64_t begins[] = {3000001, 500000, 712345};
    for (size_t e = 0; e < 2; e++)
        for (size_t i = STRIDE > 1 ? 2 : 0; i < sizeof begins / sizeof *begins; i++) {
            bench b;
            oak_board *board;
            oak_event event;
            const oak_budget budget = {.cycles = 5000000}, step = {.instructions = 1};
            open_example(&b, &examples[e], &board);
            oak_session_keep_history(b.session, 0);
            bench_run(&b, begins[i], 0);
            while (value_of(&b, "depth") || value_of(&b, "handling"))
                oak_session_run(b.session, &step, &b.sink, &event);
            uint64_t begin = cycles_of(&b);
            ck_assert_int_eq(oak_session_run_out(b.session, &budget, &b.sink, &event), OAK_OK);
            ck_assert_msg(event.stop.reason == OAK_STOP_CYCLES, "%s from %llu: %s", examples[e].name,
                          (unsigned long long)begin, oak_stop_word(event.stop.reason));
            ck_assert_uint_ge(cycles_of(&b), begin + 5000000);
            ck_assert_uint_le(cycles_of(&b), begin + 5000004);
            close_example(&b, board);
        }
}
END_TEST

START_TEST(a_call_that_has_just_ended_is_gone_back_over)
{
    static const struct {
        const char *part, *source;
    } programs[] = {{"mcs51-8k",
                     " org 0\nmain: mov sp, #5fh\nbefore: call outer\nafter: nop\n sjmp main\nouter: push "
                     "acc\n call inner\n pop acc\n ret\ninner: inc r7\n ret\n"},
                    {"armv7m-256k",
                     " dd 0x20000200, main + 1\n org 0x100\nmain: nop\nbefore: bl outer\nafter: nop\n b "
                     "main\nouter: push {r4, lr}\n bl inner\n pop {r4, pc}\ninner: adds r7, #1\n bx lr\n"}};
    const oak_budget budget = {.cycles = 10000};
    for (unsigned i = 0; i < 2; i++) {
        bench b;
        oak_event event;
        bench_open(&b, programs[i].part, programs[i].source);
        oak_session_keep_history(b.session, 0);
        for (unsigned round = 0; round < 3; round++) {
            ck_assert_int_eq(oak_session_run_to(b.session, "before", &budget, &b.sink, &event), OAK_OK);
            ck_assert_int_eq(oak_session_step_over(b.session, &budget, &b.sink, &event), OAK_OK);
        }
        ck_assert_int_eq(value_of(&b, "r7"), 3);
        ck_assert_int_eq(oak_session_back_over(b.session, &event), OAK_OK);
        ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "before"));
        ck_assert_int_eq(value_of(&b, "r7"), 2);
        ck_assert_int_eq(oak_session_step_over(b.session, &budget, &b.sink, &event), OAK_OK);
        ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "after"));
        ck_assert_int_eq(value_of(&b, "r7"), 3);
        bench_close(&b);
    }
}
END_TEST

START_TEST(bytes_put_into_code_memory_are_taken_back_one_by_one)
{
    static const struct {
        const char *part, *source;
        uint8_t code[2]; /* adds one to r7, in place of nothing */
        unsigned size, space;
    } cases[] = {{"mcs51-8k", " org 0\nmain: inc r6\nhere: nop\n sjmp main\n", {0x0F}, 1, 1},
                 {"armv6m-32k",
                  " dd 0x20000200, main + 1\n org 0x100\nmain: adds r6, #1\nhere: nop\n b main\n",
                  {0x01, 0x37},
                  2,
                  1}};
    for (unsigned i = 0; i < 2; i++) {
        bench b;
        oak_event event;
        uint8_t before[2], now[2];
        bench_open(&b, cases[i].part, cases[i].source);
        uint32_t at = (uint32_t)oak_program_find(b.program, "here", 4)->value;
        ck_assert_int_eq(b.chip.ops->read_memory(b.chip.chip, cases[i].space, at, before, cases[i].size),
                         OAK_OK);
        oak_session_keep_history(b.session, 0);
        bench_run(&b, 0, 30);
        ck_assert_int_eq(value_of(&b, "r7"), 0);
        ck_assert_int_eq(
            b.chip.ops->write_memory(b.chip.chip, cases[i].space, at, cases[i].code, cases[i].size), OAK_OK);
        oak_session_touch(b.session);
        bench_run(&b, 0, 30);
        ck_assert_int_eq(value_of(&b, "r7"), 10);
        ck_assert_int_eq(b.chip.ops->write_memory(b.chip.chip, cases[i].space, at, before, cases[i].size),
                         OAK_OK);
        oak_session_touch(b.session);
        bench_run(&b, 0, 30);
        ck_assert_int_eq(value_of(&b, "r7"), 10);
        ck_assert_int_eq(oak_session_back_steps(b.session, 45, &event), OAK_OK); /* between the two */
        ck_assert_int_eq(value_of(&b, "r7"), 5);
        b.chip.ops->read_memory(b.chip.chip, cases[i].space, at, now, cases[i].size);
        ck_assert_int_eq(memcmp(now, cases[i].code, cases[i].size), 0);
        bench_run(&b, 0, 30); /* on from there, with what was put there */
        ck_assert_int_eq(value_of(&b, "r7"), 15);
        ck_assert_int_eq(oak_session_back_steps(b.session, 60, &event), OAK_OK);
        ck_assert_int_eq(value_of(&b, "r7"), 0);
        b.chip.ops->read_memory(b.chip.chip, cases[i].space, at, now, cases[i].size);
        ck_assert_int_eq(memcmp(now, before, cases[i].size), 0);
        bench_run(&b, 0, 90);
        ck_assert_int_eq(value_of(&b, "r7"), 0);
        bench_close(&b);
    }
}
END_TEST

typedef struct patience {
    unsigned left, asked;
} patience;

static bool is_patient(void *context)
{
    patience *p = context;
    p->asked++;
    if (!p->left) return false;
    p->left--;
    return true;
}

START_TEST(a_search_that_somebody_ends_leaves_everything_as_it_was)
{
    bench b;
    oak_board *board;
    oak_event event;
    open_example(&b, &examples[0], &board);
    oak_session_keep_history(b.session, 0);
    bench_run(&b, 3000000, 0);
    char *wanted = state_of(&b);
    static const char *const never = "r7 == 0x77 && sp == 0x11";
    for (unsigned left = 0; left < 5; left++) {
        patience p = {.left = left};
        oak_session_ask(b.session, is_patient, &p);
        ck_assert_int_eq(oak_session_back_until(b.session, never, &b.sink, &event), OAK_INTERRUPTED);
        ck_assert_uint_gt(p.asked, left);
        char *got = state_of(&b);
        ck_assert_str_eq(got, wanted);
        free(got);
        p = (patience){.left = left / 2};
        ck_assert_int_eq(oak_session_back_access(b.session, "xram[0x7000]", OAK_WATCH_READ, &b.sink, &event),
                         OAK_INTERRUPTED);
        got = state_of(&b);
        ck_assert_str_eq(got, wanted);
        free(got);
    }
    patience p = {.left = 1000000};
    oak_session_ask(b.session, is_patient, &p);
    ck_assert_int_eq(oak_session_back_access(b.session, "xram[0x7000]", OAK_WATCH_READ, &b.sink, &event),
                     OAK_NOT_FOUND);
    oak_session_ask(b.session, NULL, NULL);
    ck_assert_int_eq(oak_session_back_access(b.session, "trips", OAK_WATCH_WRITE, &b.sink, &event), OAK_OK);
    free(wanted);
    close_example(&b, board);
}
END_TEST

typedef struct past {
    uint32_t pc[64];
    uint64_t cycle[64];
    size_t changes[64];
    unsigned count;
} past;

static void keep_one(void *context, const oak_recent *one)
{
    past *p = context;
    if (p->count == 64) return;
    p->pc[p->count] = one->pc;
    p->cycle[p->count] = one->cycle;
    p->changes[p->count++] = one->change_count;
}

START_TEST(what_was_executed_last_is_what_single_steps_execute)
{
    for (size_t e = 0; e < sizeof examples / sizeof *examples; e++) {
        bench b, slow;
        oak_board *board, *slow_board;
        past last = {.count = 0}, none = {.count = 0};
        open_example(&b, &examples[e], &board);
        open_example(&slow, &examples[e], &slow_board);
        oak_session_keep_history(b.session, 0);
        ck_assert_int_eq(oak_session_recent(b.session, 10, keep_one, &none), OAK_OK);
        ck_assert_uint_eq(none.count, 0); /* nothing has run */
        bench_run(&b, 0, 5000);
        char *before = state_of(&b);
        oak_chip_time time;
        b.chip.ops->read_time(b.chip.chip, &time);
        ck_assert_int_eq(oak_session_recent(b.session, 50, keep_one, &last), OAK_OK);
        char *after = state_of(&b);
        ck_assert_str_eq(before, after);
        oak_change changes[300], again[300];
        size_t count, counted;
        ck_assert_int_eq(oak_session_changes(b.session, changes, 300, &count), OAK_OK);
        ck_assert_int_eq(oak_session_recent(b.session, 5, keep_one, &none), OAK_OK);
        ck_assert_int_eq(oak_session_changes(b.session, again, 300, &counted), OAK_OK);
        ck_assert_uint_eq(count, counted); /* since the run began, not since the last of those told of */
        for (size_t i = 0; i < count && i < 300; i++) ck_assert_int_eq(changes[i].after, again[i].after);
        ck_assert_uint_gt(count, 8);
        bench_run(&slow, 0, time.instructions - 50);
        ck_assert_uint_ge(last.count, 49); /* the step that wakes from a sleep may hold none of its own */
        unsigned same = 0;
        for (unsigned i = 0; i < 50; i++) {
            uint32_t pc = 0;
            uint64_t cycle = cycles_of(&slow);
            slow.chip.ops->read_register(slow.chip.chip, slow.part->architecture->pc_register, &pc);
            for (unsigned k = 0; k < last.count; k++) same += last.pc[k] == pc && last.cycle[k] == cycle;
            bench_run(&slow, 0, 1);
        }
        ck_assert_uint_ge(same, 49);
        for (unsigned i = 1; i < last.count; i++) ck_assert_uint_gt(last.cycle[i], last.cycle[i - 1]);
        free(before);
        free(after);
        close_example(&b, board);
        close_example(&slow, slow_board);
    }
}
END_TEST

/* Of a line of the recent: how many special registers it names, and whether TCON is one of them. */
typedef struct specials {
    bench *b;
    unsigned count[8], lines;
    bool tcon[8];
} specials;
static void count_specials(void *context, const oak_recent *one)
{
    specials *s = context;
    ck_assert_uint_lt(s->lines, 8);
    for (size_t i = 0; i < one->change_count; i++) {
        const oak_change *c = &one->changes[i];
        if (!c->space) continue;
        s->count[s->lines] += oak_part_register_at(s->b->part, c->space, c->address) != NULL;
        s->tcon[s->lines] |= c->address == 0x88;
    }
    s->lines++;
}

START_TEST(what_a_timer_counts_by_itself_is_not_told_as_what_an_instruction_changed)
{
    bench b;
    specials s = {.b = &b};
    bench_open(&b, "mcs51-4k", " org 0\n mov tmod, #1\n setb tr0\n nop\n inc 30h\n jb p1.0, $+3\n clr tr0\n");
    oak_session_keep_history(b.session, 0);
    bench_run(&b, 0, 6);
    ck_assert_int_eq(value_of(&b, "tl0"), 5); /* cycles between setb and clr */
    ck_assert_int_eq(oak_session_recent(b.session, 6, count_specials, &s), OAK_OK);
    ck_assert_uint_eq(s.lines, 6);
    ck_assert_uint_eq(s.count[0], 1); /* TMOD */
    ck_assert(s.tcon[1]);
    ck_assert_uint_eq(s.count[2] + s.count[3] + s.count[4], 0);
    ck_assert(s.tcon[5]);
    ck_assert_uint_eq(s.count[5], 2); /* it stops the timer: TL0 counts as its doing */
    bench_close(&b);
}
END_TEST

static char *dump_of(bench *b)
{
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    ck_assert_int_eq(oak_trace_write_vcd(oak_session_trace(b->session), &sink), OAK_OK);
    return t.bytes;
}

START_TEST(what_a_search_has_changed_is_told_against_where_it_began)
{
    bench b;
    oak_event event;
    oak_change changes[64];
    size_t count;
    bool seen = false;
    bench_open(&b, "mcs51-8k",
               " org 0\nmain: mov 40h, #7\nwait: inc r7\n inc 41h\n djnz r6, wait\n inc 42h\n sjmp wait\n");
    oak_session_keep_history(b.session, 0);
    bench_run(&b, 3000000, 0); /* several copies of the state lie between */
    long long r7 = value_of(&b, "r7"), cell = value_of(&b, "iram[0x41]");
    ck_assert_int_eq(oak_session_back_access(b.session, "iram[0x40]", OAK_WATCH_WRITE, &b.sink, &event),
                     OAK_OK);
    ck_assert_uint_eq(cycles_of(&b), 0);
    ck_assert_int_eq(oak_session_changes(b.session, changes, 64, &count), OAK_OK);
    for (size_t i = 0; i < count && i < 64; i++) {
        if (changes[i].space == 2 && changes[i].address == 0x41) {
            ck_assert_int_eq(changes[i].before, cell);
            ck_assert_int_eq(changes[i].after, 0);
            seen = true;
        }
        if (changes[i].space == 2 && changes[i].address == 7) ck_assert_int_eq(changes[i].before, r7);
    }
    ck_assert(seen);
    bench_close(&b);
}
END_TEST

START_TEST(signals_recorded_after_going_back_are_those_of_a_straight_run)
{
    for (size_t e = 0; e < 2; e++) {
        bench straight, back;
        oak_board *straight_board, *back_board;
        oak_event event;
        uint64_t seed = 3 + e;
        open_example(&straight, &examples[e], &straight_board);
        open_example(&back, &examples[e], &back_board);
        oak_session_keep_history(back.session, 0);
        ck_assert_int_eq(oak_session_record(straight.session, "pins", &straight.sink), OAK_OK);
        ck_assert_int_eq(oak_session_record(back.session, "pins", &back.sink), OAK_OK);
        for (unsigned i = 0; i < 20; i++) {
            uint64_t now = cycles_of(&back);
            bench_run(&back, 5000 + random32(&seed) % 40000, 0);
            if (i % 3 == 2)
                ck_assert_int_eq(oak_session_back_to_cycle(back.session,
                                                           now / 2 + random32(&seed) % (now / 2 + 1), &event),
                                 OAK_OK);
        }
        while (cycles_of(&straight) < cycles_of(&back))
            bench_run(&straight, cycles_of(&back) - cycles_of(&straight), 0);
        ck_assert_uint_eq(cycles_of(&straight), cycles_of(&back));
        char *wanted = dump_of(&straight), *got = dump_of(&back);
        ck_assert_msg(strcmp(wanted, got) == 0, "%s", examples[e].name);
        ck_assert_uint_gt(strlen(got), 500);
        free(wanted);
        free(got);
        close_example(&straight, straight_board);
        close_example(&back, back_board);
    }
}
END_TEST

START_TEST(accesses_of_32_bits_are_found_back_where_stepping_forward_saw_them)
{
    static const char *const cells[] = {"power", "ticks", "temperature", "mem[0x200001f0..0x200001ff]"};
    static const oak_watch_kind kinds[] = {OAK_WATCH_READ, OAK_WATCH_WRITE, OAK_WATCH_CHANGE};
    for (unsigned c = 0; c < 4; c++)
        for (unsigned k = 0; k < 3; k++) {
            bench b, slow;
            oak_board *board, *slow_board;
            oak_event event;
            oak_chip_time time;
            uint64_t last = UINT64_MAX, steps = 66000;
            open_example(&b, &examples[2], &board);
            open_example(&slow, &examples[2], &slow_board);
            oak_session_keep_history(b.session, 0);
            bench_run(&b, 0, steps);
            ck_assert_int_eq(oak_session_add_watch(slow.session, cells[c], kinds[k], &slow.sink, NULL),
                             OAK_OK);
            for (;;) {
                slow.chip.ops->read_time(slow.chip.chip, &time);
                if (time.instructions >= steps) break;
                event = bench_run(&slow, 0, steps - time.instructions);
                slow.chip.ops->read_time(slow.chip.chip, &time);
                if (event.stop.reason == OAK_STOP_WATCH) last = time.instructions - 1;
            }
            oak_status status = oak_session_back_access(b.session, cells[c], kinds[k], &b.sink, &event);
            b.chip.ops->read_time(b.chip.chip, &time);
            ck_assert_msg((status == OAK_OK) == (last != UINT64_MAX), "%s", cells[c]);
            ck_assert_msg(time.instructions == (status ? steps : last), "%s, kind %u: %llu, not %llu",
                          cells[c], k, (unsigned long long)time.instructions, (unsigned long long)last);
            close_example(&b, board);
            close_example(&slow, slow_board);
        }
}
END_TEST

/* The last moment at which something held, or in front of its last change: forward by single steps, and back at once. */
static void find_both_ways(unsigned example, uint64_t steps, const char *what, bool holds)
{
    bench b, slow;
    oak_board *board, *slow_board;
    oak_event event;
    oak_chip_time time;
    uint64_t last = UINT64_MAX;
    open_example(&b, &examples[example], &board);
    open_example(&slow, &examples[example], &slow_board);
    oak_session_keep_history(b.session, 0);
    bench_run(&b, 0, steps);
    long long value = value_of(&slow, what), next;
    for (uint64_t i = 0; i < steps; i++, value = next) {
        ck_assert_int_eq(slow.chip.ops->run(slow.chip.chip, UINT64_MAX, i + 1, &event.stop), OAK_OK);
        next = value_of(&slow, what);
        if (holds ? value != 0 : next != value) last = i;
    }
    oak_status status = holds ? oak_session_back_until(b.session, what, &b.sink, &event)
                              : oak_session_back_change(b.session, what, &b.sink, &event);
    b.chip.ops->read_time(b.chip.chip, &time);
    ck_assert_msg((status == OAK_OK) == (last != UINT64_MAX), "%s", what);
    ck_assert_msg(time.instructions == (status ? steps : last), "%s: %llu, not %llu", what,
                  (unsigned long long)time.instructions, (unsigned long long)last);
    close_example(&b, board);
    close_example(&slow, slow_board);
}

typedef struct sought {
    unsigned example;
    uint64_t steps;
    const char *what;
} sought;

/* Conditions of cells alone, of a cell that another one points to, and with a register, which takes another way. */
START_TEST(the_last_moment_at_which_a_condition_held_is_the_one_stepping_forward_saw)
{
    static const sought cases[] = {{0, 250000, "trips == 0"},
                                   {0, 250000, "iram[0x32] > 0x60"},
                                   {0, 250000, "iram[0x46 : 2] % 3 == 1 && iram[0x32] == 0"},
                                   {0, 60000, "iram[iram[0x32] & 0x7f] == 0"},
                                   {0, 60000, "r0 == 0x40 || trips"},
                                   {1, 200000, "iram[0x20] & 1"},
                                   {1, 200000, "iram[0x31] == 0x0d && iram[0x30]"},
                                   {1, 200000, "1"},
                                   {1, 100000, "iram[0x30] > 300"},
                                   {2, 70000, "ticks % 50 == 3"},
                                   {2, 70000, "temperature < 100 && ticks > 5"},
                                   {2, 70000, "power == 0"}};
    for (size_t c = 0; c < sizeof cases / sizeof *cases; c++)
        find_both_ways(cases[c].example, cases[c].steps, cases[c].what, true);
}
END_TEST

/* Pins that the program changes, that the board changes, that several do; by every way of naming them. */
START_TEST(the_last_change_of_pins_is_found_where_single_steps_saw_it)
{
    static const sought cases[] = {
        {0, 100000, "relay"}, {0, 100000, "p3.4"}, {0, 100000, "p1"},    {0, 100000, "door"},
        {0, 100000, "P1"},    {0, 60000, "p3"},    {0, 60000, "p1.7"},   {0, 30000, "p3.0"},
        {1, 50000, "vane"},   {1, 50000, "p2"},    {1, 50000, "p3.1"},   {1, 2000, "tens"},
        {2, 40000, "p0.0"},   {2, 40000, "p1.0"},  {2, 40000, "sensor"}, {2, 40000, "p0"}};
    for (size_t c = 0; c < sizeof cases / sizeof *cases; c++)
        find_both_ways(cases[c].example, cases[c].steps / STRIDE, cases[c].what, false);
}
END_TEST

RUN_SUITE("history", the_chip_stops_for_a_watch_where_stepping_does,
          going_back_to_any_cycle_of_the_8_bit_examples_gives_what_a_fresh_run_gives,
          going_back_to_any_cycle_of_the_32_bit_examples_gives_what_a_fresh_run_gives,
          steps_back_end_where_the_steps_forward_began,
          what_somebody_changes_is_taken_back_and_stays_where_it_was_made,
          the_past_is_searched_for_an_expression_and_for_the_last_change,
          memory_stays_within_its_bounds_and_the_oldest_is_forgotten,
          calls_are_stepped_over_and_subroutines_run_out_of, a_subroutine_is_run_out_of_whatever_it_does,
          a_subroutine_of_a_32_bit_part_is_run_out_of_whatever_interrupts_it,
          running_out_ends_where_single_steps_see_the_return_address_go, the_main_program_is_not_run_out_of,
          watches_end_a_run_when_a_value_changes_or_a_condition_becomes_true,
          a_call_that_has_just_ended_is_gone_back_over, bytes_put_into_code_memory_are_taken_back_one_by_one,
          a_search_that_somebody_ends_leaves_everything_as_it_was,
          what_was_executed_last_is_what_single_steps_execute,
          what_a_timer_counts_by_itself_is_not_told_as_what_an_instruction_changed,
          what_a_search_has_changed_is_told_against_where_it_began,
          signals_recorded_after_going_back_are_those_of_a_straight_run,
          accesses_of_32_bits_are_found_back_where_stepping_forward_saw_them,
          the_last_moment_at_which_a_condition_held_is_the_one_stepping_forward_saw,
          the_last_change_of_pins_is_found_where_single_steps_saw_it)
