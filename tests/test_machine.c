/* The simulated chip: pins, budgets, stops, faults. */
#include "support.h"

START_TEST(a_quasi_bidirectional_pin_combines_latch_and_drive)
{
    bench b;
    oak_pin pin;
    bench_open(&b, "mcs51-8k", " clr p1.0\n nop\nrest: sjmp rest");
    const oak_chip_ops *ops = b.chip.ops;
    unsigned p1_0 = 32;
    ops->read_pin(b.chip.chip, p1_0, &pin);
    ck_assert(pin.result == OAK_HIGH && pin.weak_high && pin.chip == OAK_FLOAT && pin.outside == OAK_FLOAT);
    ops->drive_pin(b.chip.chip, p1_0, OAK_LOW);
    ops->read_pin(b.chip.chip, p1_0, &pin);
    ck_assert(pin.result == OAK_LOW && !pin.contention); /* pulled low against the weak high */
    ops->drive_pin(b.chip.chip, p1_0, OAK_HIGH);
    bench_run(&b, 0, 1); /* now the latch is 0: a strong low */
    ops->read_pin(b.chip.chip, p1_0, &pin);
    ck_assert(pin.result == OAK_LOW && pin.chip == OAK_LOW && pin.contention);
    ops->drive_pin(b.chip.chip, p1_0, OAK_FLOAT);
    ops->read_pin(b.chip.chip, p1_0, &pin);
    ck_assert(pin.result == OAK_LOW && !pin.contention);
    ck_assert_int_eq(ops->read_pin(b.chip.chip, 32 + 8, &pin), OAK_OUT_OF_RANGE);
    ck_assert_int_eq(ops->read_pin(b.chip.chip, 32 * 4, &pin), OAK_OUT_OF_RANGE);
    bench_close(&b);
}
END_TEST

START_TEST(an_open_drain_pin_floats_until_somebody_drives_it)
{
    bench b;
    oak_pin pin;
    bench_open(&b, "mcs51-8k", "rest: sjmp rest");
    b.chip.ops->read_pin(b.chip.chip, 3, &pin);
    ck_assert(pin.result == OAK_FLOAT && !pin.weak_high);
    b.chip.ops->drive_pin(b.chip.chip, 3, OAK_HIGH);
    b.chip.ops->read_pin(b.chip.chip, 3, &pin);
    ck_assert(pin.result == OAK_HIGH);
    bench_close(&b);
}
END_TEST

/* Instructions that write back what they read take the latch, all others the pins. */
START_TEST(read_modify_write_takes_the_latch_and_others_the_pin)
{
    bench b;
    bench_open(&b, "mcs51-8k",
               " mov a, p1\n anl p1, #0xff\n orl p1, #0\n inc p1\n dec p1\n cpl p1.7\n cpl p1.7\n mov c, "
               "p1.1\n mov b, p1\n jbc p1.1, taken\n"
               " nop\ntaken: xch a, p2\n push p3\nrest: sjmp rest");
    oak_session_drive(b.session, "p1.1 = 0", &b.sink);
    oak_session_drive(b.session, "p2.0 = 0", &b.sink);
    oak_session_drive(b.session, "p3.7 = 0", &b.sink);
    bench_run(&b, 0, 9);
    ck_assert_int_eq(value_of(&b, "a"), 0xFD);
    ck_assert_int_eq(value_of(&b, "sfr[0x90]"),
                     0xFF); /* the pin that is held low did not get into the latch */
    ck_assert_int_eq(value_of(&b, "b"), 0xFD);
    ck_assert_int_eq(value_of(&b, "cy"), 0);
    bench_run(&b, 0, 1);
    ck_assert_int_eq(value_of(&b, "pc == taken"), 1); /* jbc sees the latch, which is 1 */
    ck_assert_int_eq(value_of(&b, "sfr[0x90]"), 0xFD);
    bench_run(&b, 0, 2);
    ck_assert_int_eq(value_of(&b, "a"), 0xFE);
    ck_assert_int_eq(value_of(&b, "sfr[0xa0]"), 0xFD);
    ck_assert_int_eq(value_of(&b, "iram[sp]"), 0x7F);
    bench_close(&b);
}
END_TEST

START_TEST(budgets_end_at_the_first_boundary_that_reaches_them)
{
    bench b;
    bench_open(&b, "mcs51-8k", "again: mul ab\n nop\n sjmp again"); /* 4 + 1 + 2 cycles */
    for (uint64_t budget = 1; budget < 40; budget++) {
        static const uint64_t ends[] = {4, 5, 7};
        oak_session_reset(b.session);
        oak_event event = bench_run(&b, budget, 0);
        uint64_t expected = 0;
        for (unsigned i = 0; expected < budget; i++) expected = i / 3 * 7 + ends[i % 3];
        ck_assert_int_eq(event.stop.reason, OAK_STOP_CYCLES);
        ck_assert_uint_eq(cycles_of(&b), expected);
    }
    for (uint64_t steps = 1; steps < 40; steps++) {
        oak_session_reset(b.session);
        oak_event event = bench_run(&b, 0, steps);
        oak_chip_time time;
        b.chip.ops->read_time(b.chip.chip, &time);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_STEPS);
        ck_assert_uint_eq(time.instructions, steps);
        ck_assert_uint_eq(time.cycles, steps / 3 * 7 + (steps % 3 > 0 ? 4 : 0) + (steps % 3 > 1 ? 1 : 0));
    }
    bench_close(&b);
}
END_TEST

START_TEST(a_jump_to_itself_is_parked_in_each_form)
{
    static const char *const sources[] = {"x: sjmp x", "x: ajmp x", "x: ljmp x", " nop\nx: jmp $"};
    for (unsigned i = 0; i < 4; i++) {
        bench b;
        bench_open(&b, "mcs51-4k", sources[i]);
        ck_assert_int_eq(bench_run(&b, 1000, 0).stop.reason, OAK_STOP_PARKED);
        bench_close(&b);
    }
    bench b;
    bench_open(&b, "mcs51-4k", "x: jb p1.0, x"); /* waits for a pin: not parked */
    ck_assert_int_eq(bench_run(&b, 1000, 0).stop.reason, OAK_STOP_CYCLES);
    bench_close(&b);
}
END_TEST

typedef struct faulty {
    const char *part, *source;
    oak_fault fault;
    uint32_t pc, address;
    uint64_t cycles;
} faulty;

START_TEST(what_a_chip_suffers_silently_is_a_fault)
{
    static const faulty cases[] = {
        {"mcs51-8k", " nop\n db 0xa5", OAK_FAULT_RESERVED, 1, 1, 1},
        {"mcs51-8k", " nop", OAK_FAULT_UNPROGRAMMED, 1, 1, 1},
        {"mcs51-8k", " nop\n db 0x02, 0", OAK_FAULT_UNPROGRAMMED, 1, 3,
         1}, /* the last byte of an instruction */
        {"mcs51-4k", " ljmp 0x1000", OAK_FAULT_OUTSIDE_CODE, 0x1000, 0x1000, 2},
        {"mcs51-4k", " mov sp, #0x7e\n push acc\n push acc", OAK_FAULT_STACK_OVERFLOW, 5, 0x7f, 4},
        {"mcs51-4k", " mov sp, #0x7e\n lcall 0", OAK_FAULT_STACK_OVERFLOW, 3, 0x7e, 2},
        {"mcs51-8k", " mov sp, #0xfe\n push b\n push b", OAK_FAULT_STACK_OVERFLOW, 5, 0xff, 4},
        {"mcs51-8k", " mov sp, #0\n ret", OAK_FAULT_STACK_UNDERFLOW, 3, 0, 2},
        {"mcs51-8k", " mov sp, #0\n pop b", OAK_FAULT_STACK_UNDERFLOW, 3, 0, 2},
        {"mcs51-4k", " mov r0, #0x80\n inc a\n mov a, @r0", OAK_FAULT_ABSENT, 3, 0x80, 2},
        {"mcs51-4k", " mov 0xc8, a", OAK_FAULT_ABSENT, 0, 0xc8, 0},
        {"mcs51-4k", " inc 0xc8", OAK_FAULT_ABSENT, 0, 0xc8, 0},
        {"mcs51-4k", " mov b, 0xff", OAK_FAULT_ABSENT, 0, 0xff, 0},
        {"mcs51-4k", " mov dptr, #0x1000\n movc a, @a+dptr", OAK_FAULT_ABSENT, 3, 0x1000, 2},
    };
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        bench b;
        bench_open(&b, cases[i].part, cases[i].source);
        oak_event event = bench_run(&b, 1000, 0);
        ck_assert_msg(event.stop.reason == OAK_STOP_FAULT && event.stop.fault == cases[i].fault,
                      "case %u: reason %d fault %d", i, event.stop.reason, event.stop.fault);
        ck_assert_uint_eq(event.stop.pc, cases[i].pc);
        ck_assert_uint_eq(event.stop.fault_address, cases[i].address);
        ck_assert_msg(cycles_of(&b) == cases[i].cycles, "case %u: %u cycles", i, (unsigned)cycles_of(&b));
        bench_close(&b);
    }
}
END_TEST

START_TEST(the_upper_ram_is_reached_only_through_a_pointer)
{
    bench b;
    bench_open(&b, "mcs51-8k",
               " mov r0, #0x90\n mov @r0, #0x5a\n mov a, @r0\n mov p1, #0x3c\nrest: sjmp rest");
    bench_run(&b, 0, 0);
    ck_assert_int_eq(value_of(&b, "iram[0x90]"), 0x5a);
    ck_assert_int_eq(value_of(&b, "sfr[0x90]"), 0x3c);
    ck_assert_int_eq(value_of(&b, "a"), 0x5a);
    bench_close(&b);
}
END_TEST

START_TEST(reset_gives_the_values_of_the_part)
{
    bench b;
    bench_open(&b, "mcs51-8k", " mov p1, #0\n mov sp, #0x40\n mov 0x30, #1\nrest: sjmp rest");
    bench_run(&b, 0, 0);
    oak_session_reset(b.session);
    ck_assert_int_eq(value_of(&b, "sfr[0x90]"), 0xFF);
    ck_assert_int_eq(value_of(&b, "sp"), 7);
    ck_assert_int_eq(value_of(&b, "pc"), 0);
    ck_assert_int_eq(value_of(&b, "iram[0x30]"), 0);
    ck_assert_uint_eq(cycles_of(&b), 0);
    bench_close(&b);
}
END_TEST

START_TEST(stop_points_may_stand_anywhere_in_a_block)
{
    bench b;
    bench_open(&b, "mcs51-8k", "start: nop\none: mul ab\ntwo: inc a\n djnz r2, start\nrest: sjmp rest");
    oak_session_add_stop(b.session, "two", NULL, 0, &b.sink, NULL);
    oak_event event = bench_run(&b, 0, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
    ck_assert_uint_eq(event.stop.pc, 2);
    ck_assert_uint_eq(cycles_of(&b), 5);
    oak_session_add_stop(b.session, "one", NULL, 0, &b.sink, NULL); /* into decoded code */
    event = bench_run(&b, 0, 0);
    ck_assert_uint_eq(event.stop.pc, 1);
    ck_assert_uint_eq(cycles_of(&b), 5 + 1 + 2 + 1);
    oak_session_enable_stop(b.session, 1, false);
    event = bench_run(&b, 0, 0);
    ck_assert_uint_eq(event.stop.pc, 2);
    ck_assert_uint_eq(cycles_of(&b), 9 + 4);
    oak_session_enable_stop(b.session, 0, false);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_PARKED);
    bench_close(&b);
}
END_TEST

START_TEST(machines_side_by_side_do_not_meet)
{
    bench a, b;
    bench_open(&a, "mcs51-8k", " mov p1, #1\nrest: sjmp rest");
    bench_open(&b, "mcs51-64k", " mov p1, #2\nrest: sjmp rest");
    bench_run(&a, 0, 0);
    bench_run(&b, 0, 0);
    ck_assert_int_eq(value_of(&a, "sfr[0x90]"), 1);
    ck_assert_int_eq(value_of(&b, "sfr[0x90]"), 2);
    bench_close(&a);
    bench_close(&b);
}
END_TEST

START_TEST(an_image_beyond_the_code_memory_is_refused)
{
    oak_host host = oak_linux_host();
    oak_part *part = load_part("mcs51-4k");
    oak_machine *machine;
    oak_image *image;
    uint32_t outside = 0;
    oak_image_create(&host, &image);
    oak_image_write(image, 0xFFE, "abcd", 4);
    ck_assert_int_eq(oak_machine_create(&host, part, &machine), OAK_OK);
    ck_assert_int_eq(oak_machine_load(machine, image, &outside), OAK_OUT_OF_RANGE);
    ck_assert_uint_eq(outside, 0x1000);
    oak_machine_free(machine);
    oak_image_free(image);
    oak_part_free(part);
}
END_TEST

RUN_SUITE("machine", a_quasi_bidirectional_pin_combines_latch_and_drive,
          an_open_drain_pin_floats_until_somebody_drives_it,
          read_modify_write_takes_the_latch_and_others_the_pin,
          budgets_end_at_the_first_boundary_that_reaches_them, a_jump_to_itself_is_parked_in_each_form,
          what_a_chip_suffers_silently_is_a_fault, the_upper_ram_is_reached_only_through_a_pointer,
          reset_gives_the_values_of_the_part, stop_points_may_stand_anywhere_in_a_block,
          machines_side_by_side_do_not_meet, an_image_beyond_the_code_memory_is_refused)
