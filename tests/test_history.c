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
    compare(&examples[0], 1000, 5);
    compare(&examples[1], 1000, 6);
}
END_TEST

START_TEST(going_back_to_any_cycle_of_the_32_bit_examples_gives_what_a_fresh_run_gives)
{
    compare(&examples[2], 250, 7);
    compare(&examples[3], 1000, 8);
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
    ck_assert_int_eq(oak_session_keep_history(b.session, 1 << 20), OAK_OK); /* about a dozen copies */
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
        for (; stops < 60; stops++) {
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

RUN_SUITE("history", the_chip_stops_for_a_watch_where_stepping_does,
          going_back_to_any_cycle_of_the_8_bit_examples_gives_what_a_fresh_run_gives,
          going_back_to_any_cycle_of_the_32_bit_examples_gives_what_a_fresh_run_gives,
          steps_back_end_where_the_steps_forward_began,
          what_somebody_changes_is_taken_back_and_stays_where_it_was_made,
          the_past_is_searched_for_an_expression_and_for_the_last_change,
          memory_stays_within_its_bounds_and_the_oldest_is_forgotten,
          calls_are_stepped_over_and_subroutines_run_out_of,
          watches_end_a_run_when_a_value_changes_or_a_condition_becomes_true)
