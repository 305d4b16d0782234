/* The lathe guard does what its first page promises. */
#include "support.h"

#include <stdio.h>

#define LATHE SOURCE_FOLDER "/examples/lathe/lathe.asm"
enum { BOUND = 450 }; /* the promise of lathe.asm, in machine cycles */

static void open_lathe(bench *b, unsigned door_opens, const char *pulses)
{
    char door[80];
    bench_open_file(b, "mcs51-8k", LATHE);
    snprintf(door, sizeof door, "p3.0 = 0 until %u cycles, 1", door_opens);
    ck_assert_int_eq(oak_session_drive(b->session, door, &b->sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b->session, "p3.1 = 1 until 10ms, 0 until 20ms, 1", &b->sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b->session, "p3.2 = 0", &b->sink), OAK_OK);
    if (pulses) ck_assert_int_eq(oak_session_drive(b->session, pulses, &b->sink), OAK_OK);
}

START_TEST(the_motor_starts_only_with_the_button_and_a_closed_door)
{
    bench b;
    open_lathe(&b, 1000000, NULL);
    bench_run(&b, 9000, 0);
    ck_assert_int_eq(value_of(&b, "relay"), 1); /* off: nobody pressed */
    ck_assert_int_eq(value_of(&b, "brake"), 1);
    bench_run(&b, 2000, 0);
    ck_assert_int_eq(value_of(&b, "relay"), 0);
    ck_assert_int_eq(value_of(&b, "brake"), 0);
    bench_run(&b, 20000, 0);
    ck_assert_int_eq(value_of(&b, "relay"), 0); /* keeps running after the button is let go */
    bench_close(&b);
    open_lathe(&b, 0, NULL); /* door open from the beginning */
    bench_run(&b, 15000, 0);
    ck_assert_int_eq(value_of(&b, "relay"), 1);
    bench_close(&b);
}
END_TEST

START_TEST(the_stop_button_and_a_broken_wire_stop_the_motor)
{
    static const char *const causes[] = {"p3.2=1", "p3.0=1"};
    for (unsigned i = 0; i < 2; i++) {
        bench b;
        open_lathe(&b, 1000000, NULL);
        bench_run(&b, 30000, 0);
        ck_assert_int_eq(value_of(&b, "relay"), 0);
        ck_assert_int_eq(oak_session_set(b.session, causes[i], &b.sink), OAK_OK);
        bench_run(&b, BOUND, 0);
        ck_assert_int_eq(value_of(&b, "relay"), 1);
        ck_assert_int_eq(value_of(&b, "trips"), 1);
        bench_close(&b);
    }
}
END_TEST

/* Whenever the door opens, in whatever the program is doing, the relay is off in time. */
START_TEST(the_relay_is_off_in_time_whenever_the_door_opens)
{
    uint64_t worst = 0;
    for (unsigned opens = 60000; opens < 66200; opens += 7) { /* every phase of a whole pulse */
        bench b;
        oak_event event;
        open_lathe(&b, opens, "p3.4 = 1 for 1500us, 0 for 1500us, repeat");
        ck_assert_int_eq(oak_session_add_stop(b.session, "halt+2", NULL, 0, &b.sink, NULL),
                         OAK_OK); /* the relay has just been switched */
        oak_budget budget = {.cycles = 100000};
        do {
            ck_assert_int_eq(oak_session_run(b.session, &budget, &b.sink, &event), OAK_OK);
        } while (event.stop.reason == OAK_STOP_POINT && cycles_of(&b) < opens);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
        ck_assert_int_eq(value_of(&b, "relay"), 1);
        uint64_t took = cycles_of(&b) - opens;
        if (took > worst) worst = took;
        bench_close(&b);
    }
    printf("worst case from the door to the relay: %u cycles, promised %u\n", (unsigned)worst, BOUND);
    ck_assert_uint_gt(worst, 20);
    ck_assert_uint_le(worst, BOUND);
}
END_TEST

START_TEST(the_lamps_show_the_speed)
{
    static const struct {
        const char *pulses;
        int lit;
    } cases[] = {{NULL, 0},
                 {"p3.4 = 1 for 10ms, 0 for 10ms, repeat", 0},
                 {"p3.4 = 1 for 5ms, 0 for 5ms, repeat", 1},
                 {"p3.4 = 1 for 3ms, 0 for 3ms, repeat", 3},
                 {"p3.4 = 1 for 1ms, 0 for 1ms, repeat", 8}};
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        bench b;
        open_lathe(&b, 10000000, cases[i].pulses);
        bench_run(&b, 400000, 0);
        ck_assert_msg(value_of(&b, "lit") == cases[i].lit, "%s lights %lld",
                      cases[i].pulses ? cases[i].pulses : "standstill", value_of(&b, "lit"));
        ck_assert_int_eq(value_of(&b, "sfr[0x90]"), 0xFF << cases[i].lit & 0xFF);
        bench_close(&b);
    }
}
END_TEST

START_TEST(the_log_is_a_ring_of_the_external_ram)
{
    bench b;
    open_lathe(&b, 10000000, "p3.4 = 1 for 1ms, 0 for 1ms, repeat");
    bench_run(&b, 126000, 0); /* falling edges at 1, 3 … 125 ms: 63 */
    ck_assert_int_eq(value_of(&b, "iram[log_next]"), 63 * 4);
    ck_assert_int_eq(value_of(&b, "xram[0x4000+62*4+2]"), 8);
    ck_assert_int_eq(value_of(&b, "xram[0x4000+63*4:4]"), 0);
    bench_run(&b, 4000, 0);
    ck_assert_int_eq(value_of(&b, "iram[log_next]"), 4); /* round again */
    ck_assert_int_eq(value_of(&b, "iram[log_next+1]"), 0x40);
    ck_assert_int_eq(value_of(&b, "xram[0x4100]"), 0); /* and nothing behind the end */
    bench_close(&b);
}
END_TEST

START_TEST(the_guard_never_faults_and_keeps_its_stack)
{
    bench b;
    open_lathe(&b, 3000000, "p3.4 = 1 for 700us, 0 for 900us, repeat");
    ck_assert_int_eq(bench_run(&b, 6000000, 0).stop.reason, OAK_STOP_CYCLES);
    ck_assert_int_eq(value_of(&b, "trips"), 1);
    ck_assert_int_le(value_of(&b, "sp"), value_of(&b, "0x4a+8"));
    bench_close(&b);
}
END_TEST

RUN_SUITE("lathe", the_motor_starts_only_with_the_button_and_a_closed_door,
          the_stop_button_and_a_broken_wire_stop_the_motor, the_relay_is_off_in_time_whenever_the_door_opens,
          the_lamps_show_the_speed, the_log_is_a_ring_of_the_external_ram,
          the_guard_never_faults_and_keeps_its_stack)
