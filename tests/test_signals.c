/* Signals over time: what drives pins, what is recorded, value-change dumps, laps, what a chip suffers silently. */
#include "support.h"

#include <stdio.h>
#include <unistd.h>

#define IDLE " org 0\nhere: nop\n sjmp here\n"

typedef struct edges {
    struct {
        unsigned pin;
        oak_level level;
        uint64_t cycle;
    } one[4000];
    unsigned count;
} edges;

static uint64_t no_advance(void *context, uint64_t now)
{
    (void)context, (void)now;
    return UINT64_MAX;
}

static void keep_edge(void *context, unsigned pin, oak_level level, uint64_t cycle)
{
    edges *all = context;
    if (all->count == sizeof all->one / sizeof *all->one) return;
    all->one[all->count].pin = pin;
    all->one[all->count].level = level;
    all->one[all->count++].cycle = cycle;
}

static void listen(bench *b, edges *all)
{
    const oak_outside outside = {.context = all, .advance = no_advance, .pin_changed = keep_edge};
    unsigned source;
    memset(all, 0, sizeof *all);
    ck_assert_int_eq(oak_session_join(b->session, &outside, &source), OAK_OK);
}

/* Runs an idle chip of 1 us a cycle with one drive, and keeps the edges. */
static void drive_idle(const char *text, uint64_t cycles, edges *all)
{
    bench b;
    bench_open(&b, "mcs51-8k", IDLE);
    listen(&b, all);
    ck_assert_msg(oak_session_drive(b.session, text, &b.sink) == OAK_OK, "%s: %s", text,
                  b.diags.one[0].message);
    bench_run(&b, cycles, 0);
    bench_close(&b);
}

/* ------------------------------------------------------------------------------------------ drives */

START_TEST(a_clock_has_its_edges_at_the_exact_cycles_however_long_it_runs)
{
    edges all;
    drive_idle("p1.0 = clock 3kHz duty 25%", 500000, &all); /* a period of 333 1/3 cycles */
    ck_assert_uint_gt(all.count, 2900);
    uint64_t rises = 1, falls = 0; /* it rises at cycle 0, where the pin is high */
    for (unsigned i = 0; i < all.count; i++) {
        if (all.one[i].level == OAK_HIGH) {
            ck_assert_uint_eq(all.one[i].cycle, (rises * 1000 + 2) / 3);
            rises++;
        } else {
            if (all.one[i].cycle == 0) continue; /* idle before the first one */
            ck_assert_uint_eq(all.one[i].cycle, (falls * 4000 + 1000 + 11) / 12);
            falls++;
        }
    }
    ck_assert_uint_ge(rises + 1, 1499);
}
END_TEST

START_TEST(pulses_begin_repeat_and_end_as_said)
{
    edges all;
    drive_idle("p1.2 = low pulses 50us every 1ms from 5ms times 3", 20000, &all);
    ck_assert_uint_eq(all.count, 6);
    for (unsigned i = 0; i < 6; i++) {
        ck_assert_uint_eq(all.one[i].pin, OAK_MOST_PINS + 2);
        ck_assert_uint_eq(all.one[i].cycle, 5000 + 1000 * (i / 2) + 50 * (i % 2));
        ck_assert_int_eq(all.one[i].level, i % 2 ? OAK_HIGH : OAK_LOW);
    }
    drive_idle("p1.2 = pulses 50us every 1ms until 2020us", 20000, &all);
    ck_assert_uint_eq(all.one[all.count - 1].cycle, 2020); /* the last one is cut */
}
END_TEST

START_TEST(bytes_have_the_bits_parity_and_stop_bits_asked_for)
{
    /* 0x55 and 0x0f, odd parity, 1000 bits a second: a bit is 1000 cycles */
    static const unsigned wanted[] = {0, 1, 0, 1, 0, 1, 0, 1, 0, 1, 1, 0, 1, 1, 1, 1, 0, 0, 0, 0, 1, 1};
    edges all;
    drive_idle("p3.0 = bytes 0x55 0x0f at 1000 parity odd from 2ms", 40000, &all);
    for (unsigned bit = 0; bit < 22; bit++) {
        unsigned level = 1;
        for (unsigned i = 0; i < all.count && all.one[i].cycle <= 2000 + 1000 * bit; i++)
            level = all.one[i].level == OAK_HIGH;
        ck_assert_msg(level == wanted[bit], "bit %u", bit);
    }
    drive_idle("p3.0 = bytes \"A\\n\" at 1000 off by -5% bad stop 1 every 20ms", 60000, &all);
    /* a bit is 1000 / 0.95 cycles; the start bits are 20 ms apart */
    ck_assert_uint_eq(all.one[0].cycle, 0);
    ck_assert_uint_eq(all.one[1].cycle, 1053);
    bool second = false;
    for (unsigned i = 0; i < all.count; i++)
        second = second || (all.one[i].cycle == 20000 && all.one[i].level == OAK_LOW);
    /* the stop bit of the first one is low up to its end, and then the line idles */
    for (unsigned i = 0; i < all.count; i++)
        if (all.one[i].cycle > 9000 && all.one[i].cycle < 12000) ck_assert_uint_eq(all.one[i].cycle, 10527);
    ck_assert(second);
}
END_TEST

START_TEST(a_contact_bounces_by_its_seed_and_then_rests)
{
    edges first, again, other;
    drive_idle("p1.0 = 1 until 10ms, 0 bounce 3ms", 20000, &first);
    drive_idle("p1.0 = 1 until 10ms, 0 bounce 3ms", 20000, &again);
    ck_assert_uint_gt(first.count, 3);
    ck_assert_uint_eq(first.one[0].cycle, 10000);
    ck_assert_int_eq(first.one[first.count - 1].level, OAK_LOW);
    ck_assert_uint_le(first.one[first.count - 1].cycle, 13000);
    ck_assert_uint_eq(first.count, again.count);
    ck_assert_mem_eq(first.one, again.one, first.count * sizeof *first.one);
    bench b;
    bench_open(&b, "mcs51-8k", IDLE);
    listen(&b, &other);
    oak_session_set_seed(b.session, 7);
    ck_assert_int_eq(oak_session_drive(b.session, "p1.0 = 1 until 10ms, 0 bounce 3ms", &b.sink), OAK_OK);
    bench_run(&b, 20000, 0);
    bench_close(&b);
    ck_assert(other.count != first.count ||
              memcmp(other.one, first.one, first.count * sizeof *first.one) != 0);
}
END_TEST

START_TEST(a_reaction_follows_its_pin_after_the_delay)
{
    edges all;
    bench b;
    bench_open(&b, "mcs51-8k",
               " org 0\n mov r7, #200\nwait: djnz r7, wait\n setb p1.3\n clr p1.3\n mov r7, #200\nmore: djnz "
               "r7, more\n clr p1.4\n setb p1.3\nend: nop\n sjmp end\n");
    listen(&b, &all);
    ck_assert_int_eq(oak_session_drive(b.session, "p1.2 = 1", &b.sink), OAK_OK);
    ck_assert_int_eq(
        oak_session_drive(b.session, "when p1.3 falls once after 100us: p1.5 = 0 for 20us, 1", &b.sink),
        OAK_OK);
    bench_run(&b, 5000, 0);
    uint64_t fell = 0;
    unsigned seen = 0;
    for (unsigned i = 0; i < all.count; i++) {
        unsigned pin = all.one[i].pin - OAK_MOST_PINS;
        if (pin == 3 && all.one[i].level == OAK_LOW && !fell) fell = all.one[i].cycle;
        if (pin != 5) continue;
        ck_assert_uint_eq(all.one[i].cycle, fell + 100 + 20 * seen);
        ck_assert_int_eq(all.one[i].level, seen ? OAK_HIGH : OAK_LOW);
        seen++;
    }
    ck_assert_uint_gt(fell, 400);
    ck_assert_uint_eq(seen, 2);
    bench_close(&b);
}
END_TEST

START_TEST(random_changes_stay_within_their_times)
{
    edges all;
    drive_idle("p1.0 = random 100us to 300us seed 5", 100000, &all);
    ck_assert_uint_gt(all.count, 300);
    for (unsigned i = 2; i < all.count; i++) {
        uint64_t took = all.one[i].cycle - all.one[i - 1].cycle;
        ck_assert_uint_ge(took, 100);
        ck_assert_uint_le(took, 300);
        ck_assert_int_ne(all.one[i].level, all.one[i - 1].level);
    }
}
END_TEST

START_TEST(every_wrong_line_of_a_stimulus_file_is_reported_with_line_and_column)
{
    static const char file[] = "# a comment\n"
                               "p1.0 = 1 until\n"                      /* 2:15 */
                               "p9.9 = 1\n"                            /* 3:1 */
                               "  p1.0 = clock 3kHzz\n"                /* 4:16 */
                               "p1.0 = clock 1MHz\n"                   /* 5:14 */
                               "p1.0 = bytes \"ok\" at x\n"            /* 6:22 */
                               "p1.0 = bytes 300 at 9600\n"            /* 7:14 */
                               "when p1.0: p1.1 = 0\n"                 /* 8:10 */
                               "p1.1 = random 5ms to 1ms\n"            /* 9:15 */
                               "name 5x = p1.1\n"                      /* 10:6 */
                               "p1.1 = 1, 0\n"                         /* 11:11 */
                               "p1.1 = pulses 5ms every 2ms\n"         /* 12:25 */
                               "p1.1 = 2\n"                            /* 13:8 */
                               "p1.1 = 1 for 1ns, 0 for 1ns, repeat\n" /* 14:8 */
                               "p1.2 = 0 until 5ms, 1 until 3ms, 0\n"  /* 15:21 */
                               "p1.2 = 0 for 5 cycles, 1 for 1ms, 0 until 1ms, 1 for 0, 0 until 2ms, 1\n"
                               "p3.4 = clock 1kHz # fine\n"
                               "name sensor = p1.7\n"
                               "sensor = up\n";
    static const unsigned columns[] = {15, 1, 16, 14, 22, 14, 10, 15, 6, 11, 25, 8, 8, 21};
    bench b;
    bench_open(&b, "mcs51-8k", IDLE);
    ck_assert_int_eq(oak_session_read_stimuli(b.session, file, sizeof file - 1, "s.txt", &b.sink),
                     OAK_REFUSED);
    ck_assert_uint_eq(b.diags.count, sizeof columns / sizeof *columns);
    for (unsigned i = 0; i < b.diags.count; i++) {
        ck_assert_uint_eq(b.diags.one[i].line, i + 2);
        ck_assert_msg(b.diags.one[i].column == columns[i], "line %u: column %u, %s", i + 2,
                      b.diags.one[i].column, b.diags.one[i].message);
        ck_assert_str_eq(b.diags.one[i].file, "s.txt");
        ck_assert_uint_gt(strlen(b.diags.one[i].hint), 10);
    }
    oak_pin pin;
    bench_run(&b, 10, 0);
    ck_assert_int_eq(b.chip.ops->read_pin(b.chip.chip, OAK_MOST_PINS + 7, &pin), OAK_OK);
    ck_assert_int_eq(pin.outside, OAK_PULLED_HIGH);
    ck_assert_str_eq(oak_session_pin_name(b.session, OAK_MOST_PINS + 7), "sensor");
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ levels */

START_TEST(what_several_things_do_to_a_pin_comes_together)
{
    static const struct {
        oak_level a, b;
        unsigned latch;
        oak_level result;
        bool contention;
    } cases[] = {{OAK_LOW, OAK_PULLED_HIGH, 1, OAK_LOW, false},
                 {OAK_FLOAT, OAK_PULLED_LOW, 1, OAK_LOW, false},
                 {OAK_PULLED_LOW, OAK_PULLED_HIGH, 1, OAK_LOW, false},
                 {OAK_FLOAT, OAK_FLOAT, 1, OAK_HIGH, false},
                 {OAK_HIGH, OAK_FLOAT, 0, OAK_LOW, true},
                 {OAK_PULLED_HIGH, OAK_FLOAT, 0, OAK_LOW, false},
                 {OAK_HIGH, OAK_HIGH, 1, OAK_HIGH, false},
                 {OAK_HIGH, OAK_PULLED_LOW, 1, OAK_HIGH, false}};
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        bench b;
        edges all;
        oak_pin pin;
        bench_open(&b, "mcs51-8k", IDLE);
        listen(&b, &all);
        ck_assert_int_eq(
            oak_session_set(b.session, cases[i].latch ? "sfr[0x90]=0xff" : "sfr[0x90]=0", &b.sink), OAK_OK);
        ck_assert_int_eq(oak_session_put(b.session, 0, OAK_MOST_PINS, cases[i].a), OAK_OK);
        ck_assert_int_eq(oak_session_put(b.session, 1, OAK_MOST_PINS, cases[i].b), OAK_OK);
        ck_assert_int_eq(b.chip.ops->read_pin(b.chip.chip, OAK_MOST_PINS, &pin), OAK_OK);
        ck_assert_msg(pin.result == cases[i].result, "case %u", i);
        ck_assert_msg(pin.contention == cases[i].contention, "case %u", i);
        bench_close(&b);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ notices */

static const oak_noticed *first_of(bench *b, oak_fault fault)
{
    const oak_noticed *noticed;
    for (unsigned i = 0; (noticed = oak_session_noticed(b->session, i)); i++)
        if (noticed->first.fault == fault) return noticed;
    return NULL;
}

START_TEST(contention_floating_reads_and_a_stack_in_data_are_noticed_with_place_and_cycle)
{
    static const char source[] = " org 0\nbegin: mov sp, #stack-1\n" /* cycles 0, 1 */
                                 " mov c, p0.3\n"                    /* 2 */
                                 " mov a, p0\n"                      /* 3 */
                                 " clr p1.0\n"                       /* 4 */
                                 " push acc\n push acc\n push acc\n" /* 5, 7, 9 */
                                 "end: sjmp end\n"
                                 " section v, iram, at 0x40\nstack: ds 2\nother: ds 1\n";
    bench b;
    bench_open(&b, "mcs51-8k", source);
    ck_assert_int_eq(oak_session_set(b.session, "p1.0=1", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_set(b.session, "p0.7=1", &b.sink), OAK_OK);
    bench_run(&b, 100, 0);
    const oak_noticed *floating = first_of(&b, OAK_FAULT_FLOATING),
                      *fight = first_of(&b, OAK_FAULT_CONTENTION),
                      *stack = first_of(&b, OAK_FAULT_STACK_DATA);
    ck_assert(floating && fight && stack);
    ck_assert_uint_eq(floating->count, 1); /* reading the whole port is no read of its bit 3 */
    ck_assert_uint_eq(floating->first.address, 3);
    ck_assert_uint_eq(floating->first.cycle, 2);
    ck_assert_uint_eq(floating->first.pc, 3);
    ck_assert_uint_eq(fight->first.address, OAK_MOST_PINS);
    ck_assert_uint_eq(fight->first.cycle, 5); /* the end of clr */
    ck_assert_uint_eq(stack->first.address, 0x42);
    ck_assert_uint_eq(stack->first.cycle, 9);
    ck_assert_uint_eq(stack->first.pc, 13);
    ck_assert_int_eq(value_of(&b, "sp"), 0x42); /* and the run has gone on */
    bench_close(&b);
}
END_TEST

static unsigned count_of(bench *b, oak_fault fault)
{
    const oak_noticed *one;
    unsigned count = 0;
    for (unsigned i = 0; (one = oak_session_noticed(b->session, i)); i++)
        if (one->first.fault == fault) count += (unsigned)one->count;
    return count;
}

/* The block of the stack may be filled to its last byte; another push, or an exception, lands in what lies below. */
START_TEST(a_stack_of_a_32_bit_part_is_noticed_where_it_grows_into_data)
{
    static const char source[] =
        " vector stack, top\n vector reset, begin\n vector svcall, call\n org 0x100\n"
        "begin: %s\n b .\ncall: bx lr\n"
        " org mem:0x20000000\nfirst: ds 32\nspare: ds 8\nroom: ds 32\ntop:\nabove: ds 8\n";
    static const struct {
        const char *does;
        uint32_t hit; /* the object, 0 for none */
        unsigned times;
        uint64_t cycle; /* at which the instruction that pushes begins; of an exception, ends */
    } cases[] = {
        {"push {r0-r7}\n pop {r0-r7}\n push {r0-r7}", 0, 0, 0},
        {"push {r0-r7}\n push {r1}", 0x20000020, 1, 9},
        {"push {r0-r7}\n push {r1}\n pop {r1}\n push {r1}", 0x20000020, 1, 9}, /* it has not left it */
        {"push {r0-r7}\n push {r1}\n pop {r0-r2}\n push {r0-r2}", 0x20000020, 2, 9},
        {"push {r0-r7}\n push {r1, r2, r3}", 0x20000020, 1, 9},
        {"push {r0-r6}\n svc #1", 0x20000020, 1, 9},
        {"nop\n svc #1", 0, 0, 0},
        {"ldr r0, =0x20001000\n mov sp, r0\n push {r0-r7}\n push {r0-r7}", 0, 0, 0}, /* nothing is there */
        {"ldr r0, =above + 12\n mov sp, r0\n push {r0}\n push {r0}", 0x20000048, 1, 5}};
    for (size_t c = 0; c < sizeof cases / sizeof *cases; c++) {
        char text[700];
        bench b;
        snprintf(text, sizeof text, source, cases[c].does);
        bench_open(&b, "armv6m-32k", text);
        bench_run(&b, 200, 0);
        const oak_noticed *stack = first_of(&b, OAK_FAULT_STACK_DATA);
        ck_assert_msg(count_of(&b, OAK_FAULT_STACK_DATA) == cases[c].times, "%s: %u times", cases[c].does,
                      count_of(&b, OAK_FAULT_STACK_DATA));
        if (cases[c].times) {
            ck_assert_msg(stack->first.address == cases[c].hit, "%s: 0x%x", cases[c].does,
                          (unsigned)stack->first.address);
            ck_assert_msg(stack->first.cycle == cases[c].cycle, "%s: cycle %llu", cases[c].does,
                          (unsigned long long)stack->first.cycle);
        }
        bench_close(&b);
    }
}
END_TEST

START_TEST(each_kind_can_stop_the_run_or_be_off)
{
    bench b;
    oak_event event;
    bench_open(&b, "mcs51-8k", " org 0\n nop\n clr p1.0\nend: sjmp end\n");
    ck_assert_int_eq(oak_session_set(b.session, "p1.0=1", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_set_level(b.session, "contention", 10, OAK_NOTICE_STOP), OAK_OK);
    ck_assert_int_eq(oak_session_set_level(b.session, "nothing", 7, OAK_NOTICE_STOP), OAK_NOT_FOUND);
    event = bench_run(&b, 100, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_FAULT);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_CONTENTION);
    ck_assert_uint_eq(event.stop.fault_address, OAK_MOST_PINS);
    ck_assert_uint_eq(cycles_of(&b), 2);
    event = bench_run(&b, 100, 0); /* it goes on behind it */
    ck_assert_int_ne(event.stop.reason, OAK_STOP_FAULT);
    bench_close(&b);
    bench_open(&b, "mcs51-8k", " org 0\n nop\n clr p1.0\nend: sjmp end\n");
    ck_assert_int_eq(oak_session_set(b.session, "p1.0=1", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_set_level(b.session, "contention", 10, OAK_NOTICE_OFF), OAK_OK);
    bench_run(&b, 100, 0);
    ck_assert_ptr_null(oak_session_noticed(b.session, 0));
    bench_close(&b);
}
END_TEST

START_TEST(serial_bytes_with_a_bad_stop_bit_or_nobody_to_take_them_are_noticed)
{
    bench b;
    bench_open(&b, "mcs51-8k",
               " org 0\n mov scon, #0x50\n mov tmod, #0x20\n mov th1, #0xfd\n mov tl1, #0xfd\n setb "
               "tr1\nend: nop\n sjmp end\n");
    ck_assert_int_eq(oak_session_set_clock(b.session, 11059200000u), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session,
                                       "p3.0 = bytes 0x41 0x42 0x43 at 9600 bad stop 2 from 1ms every 3ms",
                                       &b.sink),
                     OAK_OK);
    bench_run(&b, 20000, 0);
    const oak_noticed *framing = first_of(&b, OAK_FAULT_FRAMING), *overrun = first_of(&b, OAK_FAULT_OVERRUN);
    ck_assert(framing && overrun);
    ck_assert_uint_eq(framing->first.address, 0x42);
    ck_assert_uint_eq(overrun->count, 2);
    /* the middle of the stop bit of the second byte: 4 ms and 9 1/2 bits of 96 cycles, by a clock of 6 cycles a tick */
    ck_assert_uint_ge(framing->first.cycle, 3687 + 912 - 6);
    ck_assert_uint_le(framing->first.cycle, 3687 + 912 + 12);
    bench_close(&b);
}
END_TEST

START_TEST(a_write_to_a_register_that_can_only_be_read_is_noticed_and_does_nothing)
{
    bench b;
    bench_open(&b, "armv6m-32k",
               " vector stack, 0x20001000\n vector reset, start\n org 0x100\nstart: ldr r0, =P0_IN\n movs "
               "r1, #5\n str r1, [r0]\nend: b end\n pool\n");
    bench_run(&b, 100, 0);
    const oak_noticed *noticed = first_of(&b, OAK_FAULT_READ_ONLY_REGISTER);
    ck_assert_ptr_nonnull(noticed);
    ck_assert_uint_eq(noticed->first.address, 0x40000008);
    ck_assert_uint_eq(noticed->first.pc, 0x104);
    char sentence[200];
    oak_notice_sentence(b.session, &noticed->first, sentence, sizeof sentence);
    ck_assert_ptr_nonnull(strstr(sentence, "P0_IN"));
    bench_close(&b);
}
END_TEST

START_TEST(interrupts_that_starve_the_main_program_are_noticed_with_its_share)
{
    bench b;
    bench_open(&b, "mcs51-8k",
               " org 0\n ljmp start\n org 0x0b\n clr tf0\n reti\n org 0x40\nstart: mov tmod, #2\n mov th0, "
               "#0xff\n mov tl0, #0xff\n setb tr0\n mov ie, #0x82\nmain: nop\n sjmp main\n");
    bench_run(&b, 50000, 0);
    oak_service service;
    ck_assert_int_eq(b.chip.ops->service(b.chip.chip, 0, &service), OAK_OK);
    ck_assert_uint_eq(service.vector, 0x0b);
    ck_assert_uint_gt(service.count, 5000);
    ck_assert_uint_eq(service.longest, 5); /* the call, clr, reti */
    uint64_t main_share = 1000 - service.cycles * 1000 / cycles_of(&b);
    ck_assert_uint_lt(main_share, 350);
    ck_assert_ptr_null(first_of(
        &b, OAK_FAULT_STARVED)); /* one instruction of two cycles after each of five: a fifth or more */
    bench_close(&b);
    bench_open(&b, "mcs51-8k",
               " org 0\n ljmp start\n org 0x0b\nagain: mov r7, #200\nloop: djnz r7, loop\n reti\n org "
               "0x40\nstart: mov tmod, #2\n mov th0, #0x10\n setb tr0\n mov ie, #0x82\nmain: sjmp main\n");
    bench_run(&b, 50000, 0);
    const oak_noticed *starved = first_of(&b, OAK_FAULT_STARVED);
    ck_assert_ptr_nonnull(starved);
    ck_assert_uint_lt(starved->first.address, 20);
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ traces and dumps */

/* A reader of dumps written for this test alone: one bit signals, times, nothing else. */
typedef struct dump {
    char names[16][40], codes[16][8];
    unsigned count;
    uint64_t scale; /* picoseconds */
    struct {
        unsigned signal;
        uint64_t time;
        char state;
        char vector[40];
    } change[4000];
    unsigned changes;
} dump;

static void read_dump(const char *text, dump *d)
{
    uint64_t time = 0;
    char line[300];
    memset(d, 0, sizeof *d);
    while (*text) {
        size_t length = strcspn(text, "\n");
        snprintf(line, sizeof line, "%.*s", (int)length, text);
        text += length + (text[length] != 0);
        char unit[8], vector[40], code[8];
        unsigned number, bits;
        if (sscanf(line, "$timescale %u %7s", &number, unit) == 2)
            d->scale = number * (strcmp(unit, "us") == 0   ? 1000000u
                                 : strcmp(unit, "ns") == 0 ? 1000u
                                 : strcmp(unit, "ps") == 0 ? 1u
                                                           : 0u);
        else if (strncmp(line, "$var", 4) == 0) {
            ck_assert_int_eq(
                sscanf(line, "$var %*s %u %7s %39s", &bits, d->codes[d->count], d->names[d->count]), 3);
            d->count++;
        } else if (line[0] == '#') time = strtoull(line + 1, NULL, 10);
        else if (line[0] == 'b' || strchr("01xz", line[0])) {
            bool is_vector = line[0] == 'b';
            if (!line[0]) continue;
            if (is_vector) ck_assert_int_eq(sscanf(line, "b%39s %7s", vector, code), 2);
            else snprintf(code, sizeof code, "%.7s", line + 1);
            for (unsigned i = 0; i < d->count; i++) {
                if (strcmp(d->codes[i], code) != 0) continue;
                ck_assert_uint_lt(d->changes, 4000);
                d->change[d->changes].signal = i;
                d->change[d->changes].time = time * d->scale;
                d->change[d->changes].state = is_vector ? 'b' : line[0];
                if (is_vector) snprintf(d->change[d->changes].vector, 40, "%s", vector);
                d->changes++;
            }
        }
    }
}

START_TEST(a_dump_has_the_exact_times_of_a_crystal_that_does_not_divide_evenly)
{
    bench b;
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    bench_open(&b, "mcs51-8k",
               " org 0\nagain: cpl p1.0\n nop\n mov p2, #0x5a\n mov p2, #0xa5\n sjmp again\n");
    ck_assert_int_eq(oak_session_set_clock(b.session, 11059200000u), OAK_OK);
    ck_assert_int_eq(oak_session_record(b.session, "p1.0", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_record(b.session, "p2", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_record(b.session, "sp + 1", &b.sink), OAK_OK);
    bench_run(&b, 2000, 0);
    ck_assert_int_eq(oak_trace_write_vcd(oak_session_trace(b.session), &sink), OAK_OK);
    static dump d;
    read_dump(t.bytes, &d);
    ck_assert_uint_eq(d.scale, 1);
    ck_assert_str_eq(d.names[0], "p1.0");
    unsigned toggles = 0, values = 0;
    for (unsigned i = 0; i < d.changes; i++) {
        if (!d.change[i].time) continue;
        if (d.change[i].signal ==
            0) { /* the end of cpl: cycle 1, then every eight cycles (1 + 1 + 2 + 2 + 2) */
            uint64_t cycle = 1 + 8 * (uint64_t)toggles++;
            ck_assert_uint_eq(d.change[i].time, (cycle * 12000000000000ull / 110592 + 50) / 100);
        }
        if (d.change[i].signal == 1) {
            ck_assert_str_eq(d.change[i].vector, values % 2 ? "10100101" : "01011010");
            values++;
        }
    }
    ck_assert_uint_eq(toggles, 250);
    ck_assert_uint_eq(values, 499 + (values == 500));
    free(t.bytes);
    bench_close(&b);
}
END_TEST

START_TEST(a_dump_that_is_read_back_says_the_same)
{
    bench b;
    text t = {0}, u = {0};
    oak_text_sink sink = text_sink(&t), other = text_sink(&u);
    oak_trace *trace;
    bench_open(&b, "mcs51-8k",
               " org 0\nbegin: mov r0, #0x30\nagain: inc p1\n inc @r0\n djnz r7, again\nend: sjmp end\n");
    ck_assert_int_eq(oak_session_set_clock(b.session, 11059200000u), OAK_OK);
    static const char *const wanted[] = {"p1.0", "p0.2", "p1", "iram[0x30]", "p0"};
    for (unsigned i = 0; i < 5; i++)
        ck_assert_int_eq(oak_session_record(b.session, wanted[i], &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_mark(b.session, "end", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "p0.2 = 0 for 100us, z for 50us, 1", &b.sink), OAK_OK);
    bench_run(&b, 2000, 0);
    const oak_trace *recorded = oak_session_trace(b.session);
    ck_assert_int_eq(oak_trace_write_vcd(recorded, &sink), OAK_OK);
    ck_assert_int_eq(oak_trace_read_vcd(&b.host, t.bytes, t.size, "a.vcd", &b.sink, &trace), OAK_OK);
    /* what was known at time 0 is written as such, and what was not as unknown; from then on all is alike, in cycles */
    uint32_t clocks;
    ck_assert_uint_eq(oak_trace_clock(trace, &clocks), 11059200000u);
    ck_assert_uint_eq(clocks, 12);
    oak_trace_change a, c;
    size_t i = 0, k = 0;
    while (oak_trace_change_at(recorded, i, &a) && !a.time) i++;
    while (oak_trace_change_at(trace, k, &c) && !c.time) k++;
    size_t compared = 0;
    for (; oak_trace_change_at(recorded, i, &a) && oak_trace_change_at(trace, k, &c); i++, k++, compared++) {
        ck_assert_uint_eq(a.time, oak_trace_cycles(trace, c.time));
        ck_assert_uint_eq(a.signal, c.signal);
        ck_assert_uint_eq(a.value, c.value);
        ck_assert_uint_eq(a.other, c.other);
    }
    ck_assert(!oak_trace_change_at(recorded, i, &a));
    ck_assert(!oak_trace_change_at(trace, k, &c));
    ck_assert_uint_gt(compared, 500);
    ck_assert_int_eq(oak_trace_write_vcd(trace, &other), OAK_OK);
    oak_trace_free(trace);
    free(t.bytes);
    free(u.bytes);
    bench_close(&b);
}
END_TEST

START_TEST(dumps_from_elsewhere_are_read_and_wrong_ones_refused_with_line_and_column)
{
    static const char good[] =
        "$date today $end $timescale 10ns $end\n$scope module top $end $scope module a $end\n"
        "$var wire 4 # bus [3:0] $end $var wire 64 ! wide $end $upscope $end\n$var reg 1 \" clk $end "
        "$upscope $end\n"
        "$enddefinitions $end\n#0 $dumpvars bx # 0\" b0 ! $end #5 1\" b101 # #7\nb1z #\n";
    static const struct {
        const char *text;
        unsigned line, column;
    } bad[] = {{"hello\n", 1, 1},
               {"$timescale 3ns $end", 1, 1},
               {"$var wire 1 ! $end", 1, 1},
               {"$enddefinitions $end\n#5\n#4\n", 3, 1},
               {"$enddefinitions $end\n#5 1?", 2, 4},
               {"$var wire 1 ! a $end $enddefinitions $end\nb102 !", 2, 1},
               {"$comment never closed", 1, 1},
               {"$var wire 1 ! a $end", 1, 20}};
    oak_host host = oak_linux_host();
    collected diags;
    oak_diag_sink sink = collect(&diags);
    oak_trace *trace;
    ck_assert_int_eq(oak_trace_read_vcd(&host, good, sizeof good - 1, "g.vcd", &sink, &trace), OAK_OK);
    ck_assert_uint_eq(diags.count, 1); /* a variable of 64 bits is left out */
    ck_assert_str_eq(oak_trace_signal_at(trace, 0)->name, "a.bus");
    ck_assert_str_eq(oak_trace_signal_at(trace, 1)->name, "clk");
    oak_trace_change last;
    ck_assert(oak_trace_change_at(trace, 4, &last));
    ck_assert_uint_eq(oak_trace_picoseconds(trace, last.time), 70000);
    ck_assert_uint_eq(last.value, 2); /* 001z */
    ck_assert_uint_eq(last.other, 1);
    oak_trace_free(trace);
    for (unsigned i = 0; i < sizeof bad / sizeof *bad; i++) {
        sink = collect(&diags);
        ck_assert_int_eq(oak_trace_read_vcd(&host, bad[i].text, strlen(bad[i].text), "b.vcd", &sink, &trace),
                         OAK_REFUSED);
        ck_assert_uint_eq(diags.count, 1);
        ck_assert_msg(diags.one[0].line == bad[i].line && (diags.one[0].column == bad[i].column || i == 7),
                      "%u: %u:%u %s", i, diags.one[0].line, diags.one[0].column, diags.one[0].message);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ laps */

/* The rules of oak_trace_note in a simple list, for a trace of three signals: levels, levels that float, moments. */
typedef struct noted {
    oak_trace_change list[6000];
    size_t count, last[3]; /* of each signal, from 1 */
} noted;

static void put_down(noted *all, oak_trace_change change, size_t most)
{
    oak_trace_change *last = all->last[change.signal] ? &all->list[all->last[change.signal] - 1] : NULL;
    if (last && change.signal < 2) {
        if (last->value == change.value && last->other == change.other) return;
        if (last->time == change.time) {
            *last = change;
            return;
        }
    }
    if (all->count == most) return;
    all->list[all->count++] = change;
    all->last[change.signal] = all->count;
}

START_TEST(a_trace_keeps_what_was_noted_however_close_or_far_apart)
{
    enum { MOST = 5500, NOTES = 9000 };
    /* Of a thousand changes in a row so many come much later than the one before, and so many float. */
    static const struct {
        unsigned far, floats, alone; /* `alone`: before, changes of the first signal */
    } mix[] = {{0, 0, 4800}, {1, 0, 2000}, {0, 0, 0}, {3, 0, 0}, {0, 2, 100}, {500, 300, 0}, {0, 0, 0}};
    static noted all;
    oak_host host = oak_linux_host();
    oak_trace *trace;
    unsigned number;
    uint32_t seed = 11;
    ck_assert_int_eq(oak_trace_create(&host, MOST, &trace), OAK_OK);
    ck_assert_int_eq(oak_trace_add_signal(trace, "warp", 4, false, &number), OAK_OK);
    ck_assert_int_eq(oak_trace_add_signal(trace, "weft", 32, false, &number), OAK_OK);
    ck_assert_int_eq(oak_trace_add_signal(trace, "shuttle", 1, true, &number), OAK_OK);
    for (unsigned m = 0; m < sizeof mix / sizeof *mix; m++) {
        uint64_t time = m * 1000;
        memset(&all, 0, sizeof all);
        for (unsigned i = 0; i < NOTES; i++) {
            seed = seed * 1103515245u + 12345u;
            uint32_t random = seed >> 8;
            time += random % 1000 < mix[m].far ? (uint64_t)random << random % 20 : random % 4;
            oak_trace_change change = {.time = time, .signal = random / 7 % 16 ? random / 7 % 2 : 2};
            if (i < mix[m].alone) change.signal = 0;
            change.value = change.signal == 0 ? random / 11 % 16 : random / 11 % 5 * 0x33333333u;
            if (m == 1 && i == 1500) change.value = 0x12345; /* more than it has bits */
            if (change.signal == 1 && random / 13 % 1000 < mix[m].floats) change.other = random | 1;
            put_down(&all, change, MOST);
            ck_assert_int_eq(oak_trace_note(trace, &change), OAK_OK);
        }
        oak_trace_change one;
        for (size_t i = 0; i < all.count; i++) {
            ck_assert(oak_trace_change_at(trace, i, &one));
            ck_assert_msg(one.time == all.list[i].time && one.signal == all.list[i].signal &&
                              one.value == all.list[i].value && one.other == all.list[i].other,
                          "%u: change %zu", m, i);
        }
        ck_assert(!oak_trace_change_at(trace, all.count, &one));
        ck_assert(all.count == MOST && oak_trace_is_full(trace));
        ck_assert_uint_eq(oak_trace_end(trace), all.list[MOST - 1].time);
        oak_trace_clear(trace);
        ck_assert(!oak_trace_change_at(trace, 0, &one) && !oak_trace_is_full(trace));
    }
    oak_trace_free(trace);
}
END_TEST

START_TEST(laps_are_counted_with_their_exact_cycles)
{
    bench b;
    bench_open(&b, "mcs51-8k",
               " org 0\nmain: mov r7, #10\n call pause\n mov r7, #3\n call pause\n sjmp main\npause: djnz "
               "r7, pause\n ret\nend:\n");
    ck_assert_int_eq(oak_session_add_lap(b.session, "main", "main", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_add_lap(b.session, "pause", "pause+2", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_add_stop(b.session, "pause+2", NULL, 4, &b.sink, NULL), OAK_OK);
    oak_event event = bench_run(&b, 100000, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
    ck_assert_int_eq(event.stop_point, 0);
    const oak_lap *whole = oak_session_lap(b.session, 0), *pause = oak_session_lap(b.session, 1);
    ck_assert_uint_eq(pause->count, 4);
    ck_assert_uint_eq(pause->longest, 20); /* ten times djnz, two cycles each */
    ck_assert_uint_eq(pause->shortest, 6);
    ck_assert_uint_eq(pause->last, 6);
    ck_assert_uint_eq(pause->total, 52);
    ck_assert_uint_eq(whole->count, 1);
    ck_assert_uint_eq(whole->last, 1 + 2 + 20 + 2 + 1 + 2 + 6 + 2 + 2);
    ck_assert_ptr_null(oak_session_lap(b.session, 2));
    for (unsigned i = 0; i < 4; i++) bench_run(&b, 7, 0); /* in pieces, which must not lose or double any */
    bench_run(&b, 10 * 38, 0);
    ck_assert_uint_eq(whole->shortest, 38);
    ck_assert_uint_eq(whole->longest, 38);
    bench_close(&b);
}
END_TEST

static bool breath(void *context, uint64_t cycles)
{
    unsigned *count = context;
    (void)cycles;
    return ++*count < 5;
}

START_TEST(a_run_that_breathes_can_be_ended_between_two_instructions)
{
    bench b;
    oak_event event;
    unsigned count = 0;
    oak_budget budget = {.cycles = 1000000, .breathe = breath, .context = &count, .breath = 1000};
    bench_open(&b, "mcs51-8k", " org 0\nmain: inc a\n djnz r7, main\n sjmp main\n");
    ck_assert_int_eq(oak_session_run(b.session, &budget, &b.sink, &event), OAK_OK);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_USER);
    ck_assert_uint_eq(count, 5);
    ck_assert_uint_ge(cycles_of(&b), 5000);
    ck_assert_uint_le(cycles_of(&b), 5010);
    bench_close(&b);
}
END_TEST

/* However much an expression reads. */
START_TEST(an_expression_may_read_the_same_as_often_as_it_likes)
{
    static const char *const names[] = {"pc", "TCON", "a", "p1", "iram[0x30]", "vane"};
    for (unsigned i = 0; i < sizeof names / sizeof *names; i++) {
        char all[600] = "", one[40];
        oak_opened it;
        oak_event event;
        for (unsigned n = 0; n < 30; n++)
            snprintf(all + strlen(all), sizeof all - strlen(all), "%s%s", n ? " + " : "", names[i]);
        snprintf(one, sizeof one, "30 * %s", names[i]);
        ck_assert_int_eq(oak_open("mcs51-8k", SOURCE_FOLDER "/examples/extractor/extractor.asm", &it),
                         OAK_OK);
        ck_assert_int_eq(oak_session_record(it.session, all, &oak_printer), OAK_OK);
        ck_assert_int_eq(oak_session_add_watch(it.session, all, OAK_WATCH_HOLDS, &oak_printer, NULL), OAK_OK);
        ck_assert_int_eq(oak_session_enable_watch(it.session, 0, false), OAK_OK);
        ck_assert_int_eq(oak_session_record(it.session, one, &oak_printer), OAK_OK);
        ck_assert_int_eq(oak_session_run(it.session, &(oak_budget){.cycles = 3000}, &oak_printer, &event),
                         OAK_OK);
        const oak_trace *trace = oak_session_trace(it.session);
        oak_trace_change change;
        oak_trace_change last[2] = {{.value = 1}, {.value = 2}};
        for (size_t c = 0; oak_trace_change_at(trace, c, &change); c++) last[change.signal] = change;
        ck_assert_msg(last[0].time == last[1].time && last[0].value == last[1].value, "%s", names[i]);
        oak_close(&it);
    }
}
END_TEST

/* The program of a folder, or one of several in one, with its board if there is one. */
static void open_example(oak_opened *it, oak_board **board, const char *part, const char *folder)
{
    char path[300];
    const char *file = strchr(folder, '/') ? "" : folder;
    snprintf(path, sizeof path, SOURCE_FOLDER "/examples/%s%s%s.asm", folder, *file ? "/" : "", file);
    ck_assert_msg(oak_open(part, path, it) == OAK_OK, "%s", path);
    snprintf(path, sizeof path, SOURCE_FOLDER "/examples/%s/board.yaml", folder);
    *board = NULL;
    if (access(path, R_OK)) return;
    ck_assert_int_eq(oak_board_load(&it->host, path, it->part, NULL, &oak_printer, board), OAK_OK);
    ck_assert_int_eq(oak_board_join(*board, it->session, 1), OAK_OK);
}

/* What was recorded of the first signals, a line for each change. */
static text changes_of(oak_session *session, unsigned signals, size_t *count)
{
    text dump = {0};
    const oak_trace *trace = oak_session_trace(session);
    oak_trace_change change;
    *count = 0;
    for (size_t c = 0; oak_trace_change_at(trace, c, &change); c++) {
        char line[100];
        oak_text_sink sink = text_sink(&dump);
        if (change.signal >= signals) continue;
        int length = snprintf(line, sizeof line, "%llu: %u is 0x%x\n", (unsigned long long)change.time,
                              (unsigned)change.signal, (unsigned)change.value);
        sink.write(sink.context, line, (size_t)length);
        ++*count;
    }
    return dump;
}

static void expect_alike(text dumps[2], const char *name)
{
    size_t at = 0;
    while (at < dumps[0].size && at < dumps[1].size && dumps[0].bytes[at] == dumps[1].bytes[at]) at++;
    size_t from = at > 100 ? at - 100 : 0;
    ck_assert_msg(dumps[0].size == dumps[1].size && at == dumps[0].size, "%s: ...%.200s\nand not ...%.200s",
                  name, dumps[0].bytes + from, dumps[1].bytes + from);
    free(dumps[0].bytes), free(dumps[1].bytes);
}

/* Each instruction is looked at where such a thing is recorded. */
static void look_at_each(oak_session *session)
{
    ck_assert_int_eq(oak_session_record(session, "$ - $", &oak_printer), OAK_OK);
}

/* What the chip tells of by itself is recorded as if each instruction were looked at: the same changes in the same cycles. Registers that the way into a handler
 * changes are left out: the chip tells of that, too, where single steps show only what its first instruction has made of it. */
START_TEST(values_are_recorded_alike_whether_the_chip_tells_or_each_instruction_is_looked_at)
{
    static const struct {
        const char *part, *folder, *values[3];
        uint64_t cycles;
    } all[] = {
        {"mcs51-8k", "extractor", {"flow", "a ^ r0 << 3", "dpl || flow"}, 150000},
        {"mcs51-8k", "lathe", {"dptr + 1", "b", "cy"}, 40000},
        {"mcs51-8k", "lathe", {"pc", "TCON", "tl0 ^ th0"}, 20000},
        {"mcs51-8k", "extractor", {"p1 & 0x3c", "vane + saw", "p3"}, 150000},
        {"avr-32k", "cabinet", {"pc > 0x100", "PORTB", "r16"}, 1200000},
        {"mcs51-8k", /* every operator */
         "lathe",
         {"(a * 3 - r7 << 2) + -(b & r6) + (psw >> 2 | r5)",
          "(a < r7) + (a <= b) * 2 + (r6 > a) * 4 + (r7 >= 2) * 8 + (a == b) * 16 + (r5 != a) * 32",
          "(r7 && a && b || !r6) + (~a ^ r7) + (a.2 && psw.0) + (low dptr) + (high dptr)"},
         40000},
        {"armv7m-256k",
         "kiln",
         {"r0 - r1 >> r2", "r0 << r3 | r1 * r2", "r0 && r1.4 + (r2 & 6 == 2)"},
         200000},
        {"armv7m-256k", "kiln", {"pc", "P2_OUT", "r3"}, 20000},
        {"rv32-256k", "planer", {"pc & 0xff", "P0_OUT", "x5"}, 20000},
        {"mcs51-8k", "treadle/mcs51", {"pc", "p1", "tl0"}, 3000},
        {"z80-32k", "treadle/z80", {"pc", "C0_CTRL", "a"}, 3000},
        {"picmid-8k", "treadle/picmid", {"pc", "TMR0", "w"}, 3000},
        {"pic18-32k", "treadle/pic18", {"pc", "TRISB", "w"}, 3000},
        {"msp430-32k", "treadle/msp430", {"pc", "TAR", "r12"}, 3000},
        {"cpu12-64k", "treadle/cpu12", {"pc", "TCNT", "a"}, 3000},
        {"avr-32k", "treadle/avr", {"PORTB", "TCNT0", "r16"}, 3000},
        {"mcs4-4k", "treadle/mcs4", {"pc", "acc", "cy"}, 3000},
        {"rv32-256k", "treadle/rv32", {"pc", "MT_TIME", "x5"}, 3000},
        {"a32-512k", "treadle/a32", {"pc", "TIM0_COUNT", "r0"}, 3000},
        {"armv6m-32k", "treadle/armv6m", {"pc", "SYST_CVR", "r0"}, 3000},
        {"armv7m-256k", "treadle/armv7m", {"pc", "TIM0_COUNT", "r0"}, 3000},
        {"z80-32k", "press", {"hl", "a == 3 || f", "b - c"}, 300000},
        {"picmid-8k", "steambox", {"w", "file[0x7f]", "w - 1"}, 60000},
        {"pic18-32k", "sander", {"w", "data[3]", "w * 3"}, 60000},
        {"msp430-32k", "shed", {"r12", "r13 + 1", "mem[0x2000:2]"}, 4300000},
        {"cpu12-64k", "dowels", {"d", "x - y", "a"}, 900000},
        {"rv32-256k", "planer", {"x5", "x10", "x5 & 0xff"}, 900000},
        {"a32-1m", "tags", {"r2", "r4 == r2", "r3"}, 900000},
        {"avr-32k", "cabinet", {"r16", "x", "r17 >> 1"}, 1200000},
        {"mcs4-4k", "pegs", {"acc", "acc + 1", "ram[0x20]"}, 30000},
        {"armv7m-256k", "kiln", {"r0", "r1", "r4 & 0xff"}, 200000},
        {"armv6m-32k", "loom", {"r1 + r2", "r0", "r3 == 0"}, 200000},
    };
    enum {
        TOGETHER = 3
    }; /* and before, for a shorter time, each of them alone, which has a way of its own */
    for (unsigned run = 0; run<(TOGETHER + 1) * (sizeof all / sizeof *all); run += STRIDE> 1 ? 3 : 1) {
        const unsigned i = run / (TOGETHER + 1), form = run % (TOGETHER + 1);
        uint64_t cycles = form == TOGETHER ? all[i].cycles / 2 : all[i].cycles / 16;
        text dumps[2];
        size_t changes;
        for (unsigned slow = 0; slow < 2; slow++) {
            oak_opened it;
            oak_board *board;
            oak_event event;
            open_example(&it, &board, all[i].part, all[i].folder);
            for (unsigned v = 0; v < TOGETHER; v++)
                ck_assert_msg((form != TOGETHER && v != form) ||
                                  oak_session_record(it.session, all[i].values[v], &oak_printer) == OAK_OK,
                              "%s: %s", all[i].part, all[i].values[v]);
            if (slow) look_at_each(it.session);
            for (unsigned part = 0; part < 2; part++) /* a run goes on where another one has ended */
                ck_assert_int_eq(
                    oak_session_run(it.session, &(oak_budget){.cycles = cycles}, &oak_printer, &event),
                    OAK_OK);
            dumps[slow] = changes_of(it.session, form == TOGETHER ? TOGETHER : 1, &changes);
            oak_session_close(it.session);
            it.session = NULL;
            oak_board_free(board);
            oak_close(&it);
        }
        expect_alike(dumps, all[i].part);
        ck_assert_msg(form != TOGETHER || changes > 5, "%s: %u changes only", all[i].part, (unsigned)changes);
    }
}
END_TEST

/* A register of a device is asked for again only where its course does not tell what it is. So each of every part is recorded both ways: while a program works
 * with it, and while it is set to whatever comes. */
#define EACH_CYCLE "(cycle & 0xffffff) + $ - $"
enum {
    AT_ONCE = 15,
    MOST_AT_ONCE = 32
}; /* registers recorded in a run, as many as a chip judges; and of anything */

static bool of_device(const oak_part *part, const oak_part_register *reg)
{
    return !oak_part_find_memory(part, reg->space, reg->address);
}

/* Registers from *from on, and, for the second, the time, for which each instruction is looked at. */
static unsigned record_from(oak_session *session, const oak_part *part, unsigned *from, bool slow)
{
    unsigned count = 0;
    for (; *from < part->register_count && count < AT_ONCE; ++*from) {
        char text[64]; /* not by its name alone: that of a port means its pins */
        snprintf(text, sizeof text, "%s + 0", part->registers[*from].name);
        if (of_device(part, &part->registers[*from]))
            count += oak_session_record(session, text, &oak_silent) == OAK_OK;
    }
    if (slow) ck_assert_int_eq(oak_session_record(session, EACH_CYCLE, &oak_silent), OAK_OK);
    return count;
}

/* Behind each instruction they are the same. In between the way into a handler has its own moment, which only the chip tells. */
static size_t expect_same(oak_session *told, oak_session *stepped, unsigned count, const char *name)
{
    const oak_trace *first = oak_session_trace(told), *second = oak_session_trace(stepped);
    oak_trace_change a, b, later;
    uint32_t is[MOST_AT_ONCE] = {0}, expected[MOST_AT_ONCE] = {0};
    size_t next = 0, i = 0;
    for (; oak_trace_change_at(second, i, &b); i++) {
        if (b.signal < count) expected[b.signal] = b.value;
        if (oak_trace_change_at(second, i + 1, &later) && later.time == b.time) continue;
        for (; oak_trace_change_at(first, next, &a) && a.time <= b.time; next++) is[a.signal] = a.value;
        for (unsigned k = 0; k < count; k++)
            if (is[k] != expected[k])
                ck_abort_msg("%s: %s is 0x%x in cycle %llu, not 0x%x", name,
                             oak_trace_signal_at(first, k)->name, (unsigned)is[k], (unsigned long long)b.time,
                             (unsigned)expected[k]);
    }
    ck_assert(!oak_trace_change_at(first, next, &a));
    return next;
}

static const struct {
    const char *part, *folder;
    uint64_t cycles;
} at_work[] = {{"mcs51-8k", "extractor", 40000},
               {"avr-32k", "cabinet", 60000},
               {"z80-32k", "press", 40000},
               {"picmid-8k", "steambox", 60000},
               {"pic18-32k", "sander", 60000},
               {"msp430-32k", "shed", 60000},
               {"cpu12-64k", "dowels", 60000},
               {"rv32-256k", "planer", 40000},
               {"a32-1m", "tags", 40000},
               {"armv7m-256k", "kiln", 40000},
               {"armv6m-32k", "loom", 40000},
               {"mcs51-8k", "lathe", 20000},
               {"msp430-32k", "treadle/msp430", 8000},
               {"cpu12-64k", "treadle/cpu12", 8000},
               {"armv6m-32k", "treadle/armv6m", 8000}};

static uint32_t any(uint32_t *seed)
{
    return (*seed = *seed * 1103515245 + 12345) >> 16;
}

/* An example runs for a while, told by the chip and looked at behind each instruction. */
typedef struct both_ways {
    oak_opened it[2];
    oak_board *board[2];
} both_ways;

static void open_both(both_ways *both, const char *part, const char *folder)
{
    for (unsigned slow = 0; slow < 2; slow++) open_example(&both->it[slow], &both->board[slow], part, folder);
}

static void close_both(both_ways *both)
{
    for (unsigned slow = 0; slow < 2; slow++) {
        oak_session_close(both->it[slow].session);
        both->it[slow].session = NULL;
        oak_board_free(both->board[slow]);
        oak_close(&both->it[slow]);
    }
}

static void run_both(both_ways *both, uint64_t cycles)
{
    oak_event event;
    for (unsigned slow = 0; slow < 2; slow++)
        (void)!oak_session_run(both->it[slow].session, &(oak_budget){.cycles = cycles}, &oak_silent, &event);
}

START_TEST(registers_of_devices_are_recorded_alike_while_programs_use_them)
{
    for (unsigned i = 0; i<sizeof at_work / sizeof *at_work; i += STRIDE> 1 ? 2 : 1) {
        size_t changes = 0;
        unsigned next = 0, count;
        both_ways both;
        do {
            unsigned from = next;
            open_both(&both, at_work[i].part, at_work[i].folder);
            for (unsigned slow = 0; slow < 2; slow++) {
                next = from;
                count = record_from(both.it[slow].session, both.it[slow].part, &next, slow);
            }
            run_both(&both, at_work[i].cycles);
            changes += expect_same(both.it[0].session, both.it[1].session, count, at_work[i].folder);
            close_both(&both);
        } while (count);
        ck_assert_msg(changes > 20, "%s: %u changes only", at_work[i].folder, (unsigned)changes);
    }
}
END_TEST

/* An expression with the first port for $P, the program counter for $R, and memory that can be written to for $M. */
static const char *of_part(const oak_part *part, const char *form, char text[200])
{
    const oak_architecture *about = part->architecture;
    const oak_part_memory *memory = part->memories;
    char place[60];
    while (!memory->writable || about->spaces[memory->space].special) memory++;
    snprintf(place, sizeof place, "%s[%u + ", about->spaces[memory->space].name, (unsigned)memory->base);
    *text = 0;
    for (; *form; form++) {
        size_t at = strlen(text);
        const char *name = form[1] == 'P'   ? part->ports[0].name
                           : form[1] == 'A' ? about->registers[0].name
                           : form[1] == 'M' ? place
                           : form[1] == 'F' ? about->registers[about->flags[0].reg].name
                                            : about->registers[about->pc_register].name;
        if (*form == '$' && form[1] != ' ') snprintf(text + at, 200 - at, "%s", name), form++;
        else snprintf(text + at, 200 - at, "%c", *form);
    }
    return text;
}

/* What belongs to the chip as a whole: its time, how deep calls are, what is handled, and pins, each alone and all together with a register. */
static unsigned record_whole(oak_session *session, const oak_part *part, unsigned form)
{
    static const char *const forms[] = {"depth",
                                        "handling",
                                        "cycle >> 5 & 7",
                                        "$P + ($R & 0xff)",
                                        "depth * 16 + (handling & 15)",
                                        "$P.1 && cycle > 400",
                                        "($R & 7) + (cycle & 3) * 8",
                                        "cycle > 4000 && depth > 1",
                                        "$R",
                                        "$A + $R",
                                        "$F ^ $A - $P",
                                        "cycle + $A - 100",
                                        "$F",
                                        "$P - $R + $A",
                                        "($F + $R ^ $P) + $A",
                                        "$M($A & 15)]",
                                        "$M$R % 8] + ($M1 + $R % 5] ^ $A)",
                                        "$A % 10 + $R / 3",
                                        "$R / ($A & 3 | cycle < 50)",
                                        "$A ? $R / $A : $F - 2",
                                        "$M($A & 1 ? $R % 50 : 3)].1 + -$A"};
    enum { FORMS = sizeof forms / sizeof *forms, FIRST = 15 }; /* together: these, and the others */
    unsigned count = 0;
    for (unsigned i = 0; i < FORMS; i++) {
        char text[200];
        if (form != i && form != (i < FIRST ? FORMS : FORMS + 1)) continue;
        ck_assert_int_eq(oak_session_record(session, of_part(part, forms[i], text), &oak_printer), OAK_OK);
        count++;
    }
    return count;
}

START_TEST(what_belongs_to_the_whole_chip_is_recorded_alike)
{
    for (unsigned i = 0; i<sizeof at_work / sizeof *at_work; i += STRIDE> 1 ? 6 : 1) {
        size_t changes = 0;
        for (unsigned form = 0, count = 1; count; form++) {
            both_ways both;
            open_both(&both, at_work[i].part, at_work[i].folder);
            for (unsigned slow = 0; slow < 2; slow++)
                count = record_whole(both.it[slow].session, both.it[slow].part, form);
            ck_assert_int_eq(oak_session_record(both.it[1].session, EACH_CYCLE, &oak_silent), OAK_OK);
            for (unsigned part = 0; count && part < 2; part++) run_both(&both, at_work[i].cycles / 80);
            changes += expect_same(both.it[0].session, both.it[1].session, count, at_work[i].folder);
            close_both(&both);
        }
        ck_assert_msg(changes > 40, "%s: %u changes only", at_work[i].folder, (unsigned)changes);
    }
}
END_TEST

/* A register of a bank is brought together with those behind it, and kept alone. */
START_TEST(a_register_of_a_bank_is_recorded_alone)
{
    static const char *const wanted[] = {"pc", "a", "r5"};
    for (unsigned from = 0; from < 3; from++) {
        bench b;
        oak_trace_change one;
        uint32_t was = UINT32_MAX;
        unsigned changes = 0;
        bench_open(
            &b, "mcs51-8k",
            "start: mov r7, #100\n mov r6, #9\nround: mov r5, a\n add a, #3\n djnz r6, round\n djnz r7, "
            "round\nrest: sjmp rest\n");
        for (unsigned i = from; i < 3; i++)
            ck_assert_int_eq(oak_session_record(b.session, wanted[i], &b.sink), OAK_OK);
        bench_run(&b, 500, 0);
        const oak_trace *trace = oak_session_trace(b.session);
        for (size_t i = 0; oak_trace_change_at(trace, i, &one); i++) {
            if (one.signal != 2 - from) continue;
            ck_assert_uint_le(one.value, 0xFF);
            ck_assert_uint_ne(one.value, was);
            was = one.value, changes++;
        }
        ck_assert_uint_gt(changes, 60);
        bench_close(&b);
    }
}
END_TEST

/* Registers as they are, a few at a time: no bits of what lies beside them, and no change that is none. */
START_TEST(registers_recorded_together_are_recorded_alike)
{
    uint32_t seed = 29;
    for (unsigned i = 0; i<sizeof at_work / sizeof *at_work; i += STRIDE> 1 ? 6 : 1) {
        size_t changes = 0;
        for (unsigned round = 0; round < 12; round++) {
            both_ways both;
            oak_trace_change one;
            uint32_t was[MOST_AT_ONCE] = {0}, chosen = seed;
            bool has[MOST_AT_ONCE] = {false};
            open_both(&both, at_work[i].part, at_work[i].folder);
            const oak_architecture *about = both.it[0].part->architecture;
            unsigned count = 0;
            for (unsigned slow = 0; slow < 2; slow++) {
                seed = chosen;
                for (unsigned k = count = 0; k < 2 + round % 5; k++)
                    count += oak_session_record(both.it[slow].session,
                                                about->registers[any(&seed) % about->register_count].name,
                                                &oak_silent) == OAK_OK;
            }
            ck_assert_int_eq(oak_session_record(both.it[1].session, EACH_CYCLE, &oak_silent), OAK_OK);
            for (unsigned part = 0; part < 2; part++) run_both(&both, at_work[i].cycles / 40);
            changes += expect_same(both.it[0].session, both.it[1].session, count, at_work[i].folder);
            const oak_trace *trace = oak_session_trace(both.it[0].session);
            for (size_t c = 0; oak_trace_change_at(trace, c, &one); c++) {
                ck_assert_msg(!has[one.signal] || was[one.signal] != one.value, "%s: %s is still 0x%x",
                              at_work[i].folder, oak_trace_signal_at(trace, one.signal)->name,
                              (unsigned)one.value);
                was[one.signal] = one.value;
                has[one.signal] = true;
            }
            close_both(&both);
        }
        ck_assert_msg(changes > 40, "%s: %u changes only", at_work[i].folder, (unsigned)changes);
    }
}
END_TEST

/* The same of conditions that end a run, whether the chip judges or each instruction is looked at; what the way into a handler changes ends it in front of the
 * first instruction of that, and a pin that changes while the core sleeps does so at once. */
static unsigned hits_alike(unsigned i, const char *form, bool twice, uint64_t cycles)
{
    enum { ENTRY = 40 };
    unsigned hits = 0;
    both_ways both;
    oak_event event[2];
    oak_chip_time now[2];
    oak_reading value;
    char text[200], looked[240];
    open_both(&both, at_work[i].part, at_work[i].folder);
    of_part(both.it[0].part, form, text);
    snprintf(looked, sizeof looked, "(%s) && $ == $", text);
    for (unsigned slow = 0; slow < 2; slow++) /* some of them twice */
        for (unsigned times = 0; times < 1 + (twice ? 1u : 0u); times++)
            ck_assert_int_eq(oak_session_add_watch(both.it[slow].session, slow ? looked : text,
                                                   OAK_WATCH_HOLDS, &oak_printer, NULL),
                             OAK_OK);
    for (unsigned n = 0; n < 3; n++) {
        for (unsigned slow = 0; slow < 2; slow++) {
            oak_session *session = both.it[slow].session;
            ck_assert_int_eq(
                oak_session_run(session, &(oak_budget){.cycles = cycles}, &oak_silent, &event[slow]), OAK_OK);
            ck_assert_int_eq(both.it[slow].chip.ops->read_time(both.it[slow].chip.chip, &now[slow]), OAK_OK);
        }
        bool held = event[0].stop.reason == OAK_STOP_WATCH;
        if (oak_session_value(both.it[0].session, text, &oak_silent, &value)) value.value = 0;
        uint64_t late = now[1].cycles - now[0].cycles - (now[1].asleep - now[0].asleep);
        ck_assert_msg(event[0].stop.reason == event[1].stop.reason && now[0].cycles <= now[1].cycles &&
                          late < ENTRY && (!held || value.value),
                      "%s: %s: %d in cycle %llu, not %d in cycle %llu", at_work[i].folder, text,
                      event[0].stop.reason, (unsigned long long)now[0].cycles, event[1].stop.reason,
                      (unsigned long long)now[1].cycles);
        hits += held;
        if (now[0].cycles != now[1].cycles) break;
    }
    close_both(&both);
    return hits;
}

START_TEST(conditions_on_the_whole_chip_end_runs_alike)
{
    static const char *const forms[] = {"depth > 1",
                                        "handling != 0 && cycle > 300",
                                        "cycle == 201 || cycle == 202",
                                        "$P.0 == 0 && $R != 0",
                                        "depth != 1 && (cycle & 15) > 12",
                                        "$P & 3 && cycle > 100 && depth < 3",
                                        "cycle > 150 && $R & 4",
                                        "handling * 2 > depth",
                                        "$A + cycle == 400",
                                        "cycle - $A == 333 || $A - 1 == $P",
                                        "$A > 2 && $F + $A < 200 && depth",
                                        "$R - $A >= 7 && $R + $A == $R + $A",
                                        "$A < $P || $P < $A - 3 || $F > $A + 100",
                                        "$P - $R - $A <= 0 - 60",
                                        "($A ^ $R) == 3 && cycle > 90",
                                        "$A + 3 * $R - ($P << 2) == 70 || $F * 2 - $A == 99",
                                        "($A & 6) * 4 + $R > 60 && ($P ^ $A | 1) < 30",
                                        "(2 - $R >> 1) + $A == 7 || ($A * $R & 31) == 30",
                                        "(cycle & 255) + $A > 400 || (cycle ^ $A) == 300",
                                        "($A + $R).4 && !($R & 6 ^ $A)",
                                        "$A - $R != 0 && ($R + $A).2",
                                        "!(cycle & 12) && $A - $R",
                                        "$M($A & 7)] < $A && $R % 3 == 1",
                                        "max($A, $R) == $A * 2 / 3 + $F || min($F, $A - 9) / -4 == 2",
                                        "($R ^ $A) == $F + 1 || ($A - 40) % 7 > 2 + $R - $R",
                                        "+$A == 3 || ($A & 1 ? $R : $F) % 7 == 3",
                                        "(cycle ? $R / ($A & 3) : 1) == 2 || $A > $R % 100",
                                        "($A > $R ? $A - 1 : $F) == 3 || ($A << ($R & 3)) == 40",
                                        "~$A + 6 == -$R || ($A == 2) + ($F >= $R) == 2",
                                        "!($A > 3) && ($R - $A ^ $F * 2) / ($A | 1) == 1",
                                        "min($A, $R) * 3 == $A + 2 * $A && max($F, $A) > ($R >> ($A & 3))"};

    unsigned hits = 0;
    for (unsigned i = 0; i<sizeof at_work / sizeof *at_work; i += STRIDE> 1 ? 7 : 1)
        for (unsigned f = 0; f < sizeof forms / sizeof *forms; f++)
            hits += hits_alike(i, forms[f], f % 2, at_work[i].cycles / 40);
    ck_assert_uint_gt(hits, 60 / STRIDE);
}
END_TEST

/* What an interrupt changes no instruction names. */
START_TEST(conditions_on_what_interrupts_change_end_runs_alike)
{
    static const struct {
        const char *part, *condition;
        uint64_t cycles;
    } all[] = {{"avr-32k", "!sreg.7", 300000},
               {"avr-32k", "sreg.7", 300000},
               {"msp430-32k", "!sr.3", 5000000},
               {"rv32-256k", "mcause >> 31", 80000},
               {"rv32-256k", "!mstatus.3", 80000},
               {"rv32-256k", "mtvec == 0x9d", 80000},
               {"armv7m-256k", "lr >> 8 == 0xffffff", 100000}};
    for (unsigned k = 0; k<sizeof all / sizeof *all; k += STRIDE> 1 ? 2 : 1) {
        unsigned i = 0;
        while (strcmp(at_work[i].part, all[k].part) != 0) i++;
        ck_assert_msg(hits_alike(i, all[k].condition, false, all[k].cycles) > 0, "%s", all[k].condition);
    }
}
END_TEST

/* An expression that was made up. */
static size_t make_up(uint32_t *seed, unsigned depth, char *to, size_t room)
{
    static const char *const leaves[] = {"$A", "$R", "$F", "$P", "cycle", "$M($A & 7)]", "$A", "$R"};
    static const char *const forms[] = {"(@ + @)",
                                        "(@ - @)",
                                        "(@ * @)",
                                        "(@ & @)",
                                        "(@ | @)",
                                        "(@ ^ @)",
                                        "(@ << (@ & 7))",
                                        "(@ >> (@ & 15))",
                                        "(@ == @)",
                                        "(@ < @)",
                                        "(@ >= @)",
                                        "min(@, @)",
                                        "max(@, @)",
                                        "-@",
                                        "~@",
                                        "!@",
                                        "(@ && @)",
                                        "(@ || @)",
                                        "(@ + @).2",
                                        "(@ ? @ : @)",
                                        "(@ / (@ | 1))",
                                        "(@ % (@ | 1))",
                                        "(@ % 7)",
                                        "(@ != @)"};
    size_t length = 0;
    if (!depth || any(seed) % 6 == 0) {
        if (any(seed) % 3 == 0) return (size_t)snprintf(to, room, "%u", any(seed) % 40);
        return (size_t)snprintf(to, room, "%s", leaves[any(seed) % (sizeof leaves / sizeof *leaves)]);
    }
    for (const char *at = forms[any(seed) % (sizeof forms / sizeof *forms)]; *at && length + 20 < room; at++)
        if (*at == '@') length += make_up(seed, depth - 1, to + length, room - length);
        else to[length++] = *at, to[length] = '\0';
    return length;
}

START_TEST(conditions_that_were_made_up_end_runs_alike)
{
    enum { EACH = 10, MOST = 80 };
    static uint32_t seed = 4711;
    unsigned hits = 0;
    for (unsigned i = 0; i<sizeof at_work / sizeof *at_work; i += STRIDE> 1 ? 7 : 1)
        for (unsigned n = 0; n < EACH; n++) {
            char left[400], right[400], form[820];
            do {
                make_up(&seed, 3, left, sizeof left);
                make_up(&seed, n % 3, right, sizeof right);
                snprintf(form, sizeof form, "%s %s %s", left, n % 4 ? "==" : n % 8 ? "<" : "!=", right);
            } while (strlen(form) > MOST || !strchr(form, '$'));
            hits += hits_alike(i, form, false, at_work[i].cycles / 40);
        }
    ck_assert_uint_gt(hits, 20 / STRIDE);
}
END_TEST

/* A pointer that begins at a register and goes on through memory. */
START_TEST(a_pointer_that_comes_from_registers_is_followed)
{
    static const char program[] =
        "        vector reset, start\n        section prog, code\n"
        "start:  ldi r30, 0\n        ldi r31, 1\n        ldi r16, 200\n        ldi r17, 1\n"
        "fill:   st z+, r17\n        add r17, r16\n        cpi r31, 3\n        brne fill\n"
        "        ldi r24, 77\n        ldi r31, 0\n        ldi r19, 250\n"
        "again:  ldi r30, 20\n"
        "early:  ld r18, z+\n        cpi r30, 30\n        brne early\n"
        "        dec r19\n        brne again\n"
        "        ldi r30, 0\n        ldi r31, 1\n"
        "next:   ld r18, z+\n        cpi r31, 3\n        brne next\n        rjmp start\n";
    static const char *const forms[] = {"data[z] == 57", "data[z] + r18 == 58 && r31 > 1",
                                        "data[z] == r18 - 56", "data[z] == 77"};
    enum { RUNS = 20 };
    for (unsigned f = 0; f < sizeof forms / sizeof *forms; f++) {
        uint64_t cycles[2][RUNS] = {{0}};
        unsigned held = 0;
        for (unsigned slow = 0; slow < 2; slow++) {
            oak_opened it;
            oak_event event;
            char text[100];
            ck_assert_int_eq(oak_open_text("avr-32k", program, &it), OAK_OK);
            snprintf(text, sizeof text, slow ? "(%s) && $ == $" : "%s", forms[f]);
            ck_assert_int_eq(oak_session_add_watch(it.session, text, OAK_WATCH_HOLDS, &oak_printer, NULL),
                             OAK_OK);
            for (unsigned n = 0; n < RUNS; n++) {
                const oak_budget budget = {.instructions = 30000};
                oak_chip_time now;
                ck_assert_int_eq(oak_session_run(it.session, &budget, &oak_silent, &event), OAK_OK);
                ck_assert_int_eq(it.chip.ops->read_time(it.chip.chip, &now), OAK_OK);
                cycles[slow][n] = now.cycles;
                held += event.stop.reason == OAK_STOP_WATCH;
            }
            oak_close(&it);
        }
        ck_assert_mem_eq(cycles[0], cycles[1], sizeof cycles[0]);
        ck_assert_msg(held > 4, "%s: %u", forms[f], held);
    }
}
END_TEST

/* What cannot be worked out for a while does not hold then, and may come true again; of a record it is not known. */
START_TEST(what_has_no_value_for_a_while_does_not_hold)
{
    static const char program[] = "        vector reset, begin\n        section prog, code\n"
                                  "begin:  mov r5, #2\n        nop\n        mov r5, #0\n        nop\n"
                                  "        sjmp begin\n";
    enum { ROUNDS = 300, ROUND = 6, BEGAN = 3, SIGNAL = 0 };
    for (unsigned slow = 0; slow < 2; slow++) {
        oak_opened it;
        oak_event event;
        oak_trace_change change;
        unsigned known = 0, unknown = 0;
        ck_assert_int_eq(oak_open_text("mcs51-8k", program, &it), OAK_OK);
        ck_assert_int_eq(oak_session_run(it.session, &(oak_budget){.instructions = 2}, &oak_silent, &event),
                         OAK_OK);
        ck_assert_int_eq(oak_session_record(it.session, "6 / r5", &oak_printer), OAK_OK);
        if (slow) look_at_each(it.session);
        ck_assert_int_eq(
            oak_session_add_watch(it.session, "6 / r5 == 3", OAK_WATCH_HOLDS, &oak_printer, NULL), OAK_OK);
        for (unsigned round = 1; round <= ROUNDS; round++) {
            const uint64_t cycles = ROUND * round + BEGAN;
            oak_chip_time now;
            ck_assert_int_eq(oak_session_run(it.session, &(oak_budget){.cycles = 100}, &oak_printer, &event),
                             OAK_OK);
            ck_assert_int_eq(it.chip.ops->read_time(it.chip.chip, &now), OAK_OK);
            ck_assert_int_eq(event.stop.reason, OAK_STOP_WATCH);
            ck_assert_uint_eq(now.cycles, cycles);
        }
        for (size_t i = 0; oak_trace_change_at(oak_session_trace(it.session), i, &change); i++) {
            known += change.signal == SIGNAL && !change.other && change.value == 3;
            unknown += change.signal == SIGNAL && change.other == UINT32_MAX;
        }
        ck_assert_uint_eq(known, ROUNDS + 1);
        ck_assert_uint_eq(unknown, ROUNDS);
        oak_close(&it);
    }
}
END_TEST

/* A condition on a register, with a value that it has had. */
static void any_condition(char *made, size_t room, const char *name, const char *other, uint32_t value,
                          uint32_t *seed)
{
    unsigned v = value, few = any(seed) % 7, form = any(seed) % 17, bit = any(seed) % 4;
    switch (form) {
    case 0: snprintf(made, room, "%s == %u", name, v); break;
    case 1: snprintf(made, room, "%s != %u", name, v); break;
    case 2: snprintf(made, room, "%s < %u", name, v); break;
    case 3: snprintf(made, room, "%u <= %s", v, name); break;
    case 4: snprintf(made, room, "%s > %u && %s < %u", name, v, name, v + few); break;
    case 5: snprintf(made, room, "%s <= %u || %s >= %u", name, v, name, v + few); break;
    case 6: snprintf(made, room, "%u - %s >= %u", v + few, name, few); break;
    case 7: snprintf(made, room, "3 * %s + 1 > %u + %s", name, 2 * v, name); break;
    case 8: snprintf(made, room, "%s.%u", name, bit); break;
    case 9: snprintf(made, room, "(%s & 0x%x) == 0x%x", name, 12u << bit, v & 12u << bit); break;
    case 10: snprintf(made, room, "%s >> %u == %u", name, bit, v >> bit); break;
    case 11: snprintf(made, room, "!(%s - %u)", name, v); break;
    case 12: snprintf(made, room, "-%s + %s * 256 < %u", name, other, v); break;
    case 13: snprintf(made, room, "%s == %s + %u", name, other, few); break;
    case 14: snprintf(made, room, "min(%s, %u) == %u", name, v, v); break;
    case 15: snprintf(made, room, "%s == %u && %s", name, v, other); break;
    default: snprintf(made, room, "(%s == %u) + (%s > %u)", name, v, other, few); break;
    }
}

/* Where a register counts, the cycle at which a condition turns is worked out from how it goes on. So conditions of every form are recorded both ways, on every
 * register that counts. */
START_TEST(conditions_on_registers_that_count_turn_in_their_cycle)
{
    enum { COUNTS = 8, EACH = 6 };
    uint32_t seed = 5;
    size_t turns = 0, tried = 0;
    for (unsigned i = 0; i<sizeof at_work / sizeof *at_work; i += STRIDE> 1 ? 4 : 1) {
        const char *part = at_work[i].part, *folder = at_work[i].folder;
        unsigned next = 0, count;
        both_ways seen, both;
        do {
            open_both(&seen, part, folder);
            count = record_from(seen.it[0].session, seen.it[0].part, &next, false);
            run_both(&seen, at_work[i].cycles);
            const oak_trace *trace = oak_session_trace(seen.it[0].session);
            oak_trace_change change;
            for (unsigned signal = 0; signal < count; signal++) {
                uint32_t had[64], values = 0;
                char name[64], made[160];
                for (size_t c = 0; oak_trace_change_at(trace, c, &change) && values < 64; c++)
                    if (change.signal == signal) had[values++] = change.value;
                snprintf(name, sizeof name, "%s", oak_trace_signal_at(trace, signal)->name);
                name[strlen(name) - strlen(" + 0")] = 0;
                const char *other =
                    seen.it[0].part->registers[any(&seed) % seen.it[0].part->register_count].name;
                for (unsigned n = 0; values > COUNTS && n < EACH; n++, tried++) {
                    open_both(&both, part, folder);
                    any_condition(made, sizeof made, name, other, had[any(&seed) % values], &seed);
                    for (unsigned slow = 0; slow < 2; slow++)
                        ck_assert_msg(oak_session_record(both.it[slow].session, made, &oak_printer) == OAK_OK,
                                      "%s", made);
                    ck_assert_int_eq(oak_session_record(both.it[1].session, EACH_CYCLE, &oak_printer),
                                     OAK_OK);
                    run_both(&both, at_work[i].cycles / 4);
                    turns += expect_same(both.it[0].session, both.it[1].session, 1, made);
                    close_both(&both);
                }
            }
            close_both(&seen);
        } while (count);
    }
    ck_assert_msg(tried && turns > 2 * tried, "%u turns of %u conditions", (unsigned)turns, (unsigned)tried);
}
END_TEST

/* Most registers of a block get values: any, small ones, and such as will soon be past the end. Not of one that resets the chip: there the chip tells one
 * instruction early what is so from then on. */
static void set_block(bench *b, uint32_t *seed)
{
    const oak_part_block *block = &b->part->blocks[any(seed) % b->part->block_count];
    if (strncmp(block->name, "WD", 2) == 0 || strcmp(block->name, "COP") == 0) return;
    for (unsigned n = 0; n < b->part->register_count; n++) {
        const oak_part_register *reg = &b->part->registers[n];
        bool own = false;
        for (unsigned r = 0; r < block->role_count; r++)
            own |= block->space == reg->space && block->roles[r].address == reg->address;
        if (!own || any(seed) % 4 == 0) continue;
        uint8_t value[4];
        uint32_t kind = any(seed) % 3;
        for (unsigned k = 0; k < 4; k++)
            value[k] = (uint8_t)(kind == 0   ? any(seed)
                                 : kind == 1 ? (k ? 0 : any(seed) & 0x0F)
                                             : ~(k ? 0 : any(seed) & 0x1F));
        (void)!b->chip.ops->write_memory(b->chip.chip, reg->space, reg->address, value,
                                         (reg->bits + 7u) / 8u);
    }
}

#define STACK " vector stack, 0x20000400\n"
START_TEST(registers_of_devices_are_recorded_alike_whatever_they_are_set_to)
{
    enum { TIMES = STRIDE > 1 ? 1 : 6, ROUNDS = 40, BETWEEN = 40, LONGER = 600 };
    static const struct {
        const char *part, *section, *more, *back;
    } all[] = {{"mcs51-8k", "code", "", "sjmp"},   {"avr-32k", "code", "", "rjmp"},
               {"z80-32k", "mem", "", "jr"},       {"picmid-8k", "code", "", "goto"},
               {"pic18-32k", "code", "", "bra"},   {"msp430-32k", "flash", "", "jmp"},
               {"cpu12-64k", "flash", "", "bra"},  {"rv32-256k", "flash", "", "j"},
               {"a32-512k", "rom", "", "b"},       {"armv7m-256k", "flash", STACK, "b"},
               {"armv6m-32k", "flash", STACK, "b"}};
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        size_t changes = 0;
        for (uint32_t seed = 1; seed <= TIMES; seed++)
            for (unsigned next = 0, count = 1; count;) {
                bench b[2];
                unsigned from = next;
                for (unsigned slow = 0; slow < 2; slow++) {
                    char source[300];
                    uint32_t drawn = seed * 7919 + i;
                    uint64_t end = 0;
                    oak_event event;
                    snprintf(source, sizeof source,
                             "%s vector reset, begin\n section prog, %s, align 4\nbegin: nop\nloop: nop\n "
                             "nop\n nop\n %s loop\n",
                             all[i].more, all[i].section, all[i].back);
                    bench_open(&b[slow], all[i].part, source);
                    next = from;
                    count = record_from(b[slow].session, b[slow].part, &next, slow);
                    for (unsigned round = 1; count && round <= ROUNDS; round++) {
                        uint64_t between = round % 8 ? BETWEEN : LONGER;
                        set_block(&b[slow], &drawn);
                        (void)!oak_session_run(b[slow].session, &(oak_budget){.cycles = between}, &oak_silent,
                                               &event);
                        end += between;
                        if (cycles_of(&b[slow]) < end) break; /* there is no handler, say */
                    }
                }
                changes += expect_same(b[0].session, b[1].session, count, all[i].part);
                bench_close(&b[0]), bench_close(&b[1]);
            }
        ck_assert_msg(changes > 100 * TIMES, "%s: %u changes only", all[i].part, (unsigned)changes);
    }
}
END_TEST

RUN_SUITE("signals", a_clock_has_its_edges_at_the_exact_cycles_however_long_it_runs,
          pulses_begin_repeat_and_end_as_said, bytes_have_the_bits_parity_and_stop_bits_asked_for,
          a_contact_bounces_by_its_seed_and_then_rests, a_reaction_follows_its_pin_after_the_delay,
          random_changes_stay_within_their_times,
          every_wrong_line_of_a_stimulus_file_is_reported_with_line_and_column,
          what_several_things_do_to_a_pin_comes_together,
          contention_floating_reads_and_a_stack_in_data_are_noticed_with_place_and_cycle,
          a_stack_of_a_32_bit_part_is_noticed_where_it_grows_into_data, each_kind_can_stop_the_run_or_be_off,
          serial_bytes_with_a_bad_stop_bit_or_nobody_to_take_them_are_noticed,
          a_write_to_a_register_that_can_only_be_read_is_noticed_and_does_nothing,
          interrupts_that_starve_the_main_program_are_noticed_with_its_share,
          a_dump_has_the_exact_times_of_a_crystal_that_does_not_divide_evenly,
          a_dump_that_is_read_back_says_the_same,
          dumps_from_elsewhere_are_read_and_wrong_ones_refused_with_line_and_column,
          values_are_recorded_alike_whether_the_chip_tells_or_each_instruction_is_looked_at,
          registers_of_devices_are_recorded_alike_while_programs_use_them,
          what_belongs_to_the_whole_chip_is_recorded_alike, registers_recorded_together_are_recorded_alike,
          a_register_of_a_bank_is_recorded_alone, conditions_on_the_whole_chip_end_runs_alike,
          conditions_on_what_interrupts_change_end_runs_alike, conditions_that_were_made_up_end_runs_alike,
          a_pointer_that_comes_from_registers_is_followed, what_has_no_value_for_a_while_does_not_hold,
          conditions_on_registers_that_count_turn_in_their_cycle,
          registers_of_devices_are_recorded_alike_whatever_they_are_set_to,
          an_expression_may_read_the_same_as_often_as_it_likes,
          a_trace_keeps_what_was_noted_however_close_or_far_apart, laps_are_counted_with_their_exact_cycles,
          a_run_that_breathes_can_be_ended_between_two_instructions)
