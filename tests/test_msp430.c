/* The MSP430 against a second implementation: every operation code on random machines, one by one and in chains that overwrite themselves,
 * arithmetic on all bytes; the stack, devices, sleep, and what the source language says. */
#include "reference_msp430.h"
#include "support.h"

#include <stdio.h>

enum { MEM = 1, PC = 0, SP, SR };

typedef struct rig {
    bare on;
    refmsp *ref;
} rig;

static void rig_open(rig *r)
{
    bare_open(&r->on, "msp430");
    r->ref = calloc(1, sizeof *r->ref);
}

static void rig_close(rig *r)
{
    bare_close(&r->on);
    free(r->ref);
}

/* Registers of the chip by their codes; there is no register 3. */
static uint32_t reg(rig *r, unsigned code)
{
    uint32_t value = 0;
    if (r->on.chip.ops->read_register(r->on.chip.chip, code < 3 ? code : code - 1, &value))
        ck_abort_msg("no r%u", code);
    return value;
}

static void set_reg(rig *r, unsigned code, uint16_t value)
{
    if (r->on.chip.ops->write_register(r->on.chip.chip, code < 3 ? code : code - 1, value))
        ck_abort_msg("no r%u", code);
    r->ref->r[code] = value;
}

static void poke(rig *r, uint32_t at, const uint8_t *bytes, size_t count)
{
    poke_both(&r->on.chip, MEM, r->ref->mem, at, bytes, count);
}

static void fill(rig *r, uint64_t *seed)
{
    fill_both(&r->on.chip, MEM, r->ref->mem, sizeof r->ref->mem, seed);
}

static void take_over(rig *r, uint64_t *seed)
{
    for (unsigned i = 0; i < 16; i++) {
        uint16_t value = (uint16_t)random32(seed);
        if (i < 2) value &= 0xFFFE;
        if (i == SR) value &= 0x1EF; /* awake */
        if (i != 3) set_reg(r, i, value);
    }
    for (unsigned i = 4; i < 16; i++) /* words mostly lie at even addresses */
        if (random32(seed) % 8) set_reg(r, i, r->ref->r[i] & 0xFFFE);
}

static void must_agree(rig *r, const char *what)
{
    for (unsigned i = 0; i < 16; i++)
        if (i != 3 && reg(r, i) != r->ref->r[i])
            ck_abort_msg("%s: r%u is 0x%x, not 0x%x", what, i, reg(r, i), r->ref->r[i]);
}

static void memories_must_agree(rig *r, const char *what)
{
    must_be_alike(&r->on.chip, MEM, r->ref->mem, sizeof r->ref->mem, what);
}

/* ------------------------------------------------------------------------------------------ every code */

START_TEST(every_code_does_what_the_second_model_does)
{
    rig r;
    uint64_t seed = 4711;
    rig_open(&r);
    fill(&r, &seed);
    unsigned reserved = 0, odd = 0;
    for (unsigned code = 0; code < 0x10000; code++)
        for (unsigned round = 0; round < (STRIDE > 1 ? 1 : 3); round++) {
            uint8_t bytes[6];
            char what[80];
            take_over(&r, &seed);
            for (unsigned i = 0; i < sizeof bytes; i++) bytes[i] = (uint8_t)random32(&seed);
            bytes[0] = (uint8_t)code, bytes[1] = (uint8_t)(code >> 8);
            if (random32(&seed) % 8) bytes[2] &= 0xFE, bytes[4] &= 0xFE;
            if (r.ref->r[PC] > 65520) set_reg(&r, PC, (uint16_t)(r.ref->r[PC] - 16));
            poke(&r, r.ref->r[PC], bytes, sizeof bytes);
            snprintf(what, sizeof what, "%02x%02x %02x%02x %02x%02x", bytes[1], bytes[0], bytes[3], bytes[2],
                     bytes[5], bytes[4]);
            uint64_t before = bare_time(&r.on).cycles;
            uint16_t pc = r.ref->r[PC];
            int done = refmsp_step(r.ref);
            oak_stop stop = bare_run(&r.on, 1);
            if (done) {
                oak_fault fault = done == REFMSP_ODD ? OAK_FAULT_UNALIGNED : OAK_FAULT_RESERVED;
                reserved += done == REFMSP_RESERVED, odd += done == REFMSP_ODD;
                ck_assert_msg(stop.reason == OAK_STOP_FAULT && stop.fault == fault, "%s: %d %d", what,
                              stop.reason, stop.fault);
                ck_assert_msg(stop.pc == pc, "%s", what);
                must_agree(&r, what);
                if (done == REFMSP_RESERVED) break;
                continue;
            }
            bool itself = r.ref->r[PC] == pc && (code >> 10 == 15 || code == 0x4030);
            if (itself && stop.reason == OAK_STOP_PARKED) continue;
            ck_assert_msg(stop.reason == OAK_STOP_STEPS, "%s stops by %d", what, stop.reason);
            must_agree(&r, what);
            if (bare_time(&r.on).cycles - before != r.ref->cycles)
                ck_abort_msg("%s: %u cycles, not %u", what, (unsigned)(bare_time(&r.on).cycles - before),
                             r.ref->cycles);
            if ((code * 3 + round) % 997 == 0) memories_must_agree(&r, what);
        }
    memories_must_agree(&r, "in the end");
    /* below 0x1000; swpb.b, sxt.b, call.b; behind reti; rrc, swpb, rra, sxt and their bytes on constants and immediates; results near r3 */
    ck_assert_uint_eq(reserved, 0x1000 + 3 * 64 + (0x2000 - 0x1301) + 6 * (3 + 2 + 1) + 12 * 16 * 8);
    ck_assert_uint_gt(odd, 1000);
    rig_close(&r);
}
END_TEST

/* Random words everywhere: programs that jump into their own operands and overwrite themselves, run as a whole. */
START_TEST(chains_of_code_that_overwrites_itself_agree_with_single_steps)
{
    rig r;
    uint64_t seed = 99;
    rig_open(&r);
    unsigned long long executed = 0;
    for (unsigned program = 0; program < 120; program++) {
        fill(&r, &seed);
        for (unsigned piece = 0; piece < 100; piece++) {
            take_over(&r, &seed);
            unsigned wanted = 1 + random32(&seed) % 400, done = 0, cycles = 0;
            uint64_t before = bare_time(&r.on).cycles, begun = bare_time(&r.on).instructions;
            while (done < wanted) {
                uint16_t pc = r.ref->r[PC];
                if (refmsp_step(r.ref)) break;
                done++, cycles += r.ref->cycles;
                if (r.ref->r[SR] & 0x10 || r.ref->r[PC] == pc) break; /* it sleeps, or parks */
            }
            if (!done) continue;
            char what[60];
            snprintf(what, sizeof what, "program %u, piece %u, %u instructions", program, piece, done);
            oak_stop stop = bare_run(&r.on, done);
            ck_assert_msg(stop.reason == OAK_STOP_STEPS || stop.reason == OAK_STOP_PARKED,
                          "%s: %d fault %d at 0x%x, 0x%x", what, stop.reason, stop.fault, stop.pc,
                          r.ref->mem[stop.pc] | r.ref->mem[stop.pc + 1] << 8);
            if (stop.reason == OAK_STOP_PARKED) {
                fill(&r, &seed);
                continue;
            }
            ck_assert_uint_eq(bare_time(&r.on).instructions - begun, done);
            must_agree(&r, what);
            if (bare_time(&r.on).cycles - before != cycles) ck_abort_msg("%s: cycles", what);
            executed += done;
        }
        memories_must_agree(&r, "a program");
    }
    ck_assert_uint_gt(executed, 30000);
    rig_close(&r);
}
END_TEST

/* Registers r5 and r6, with all bytes and a good many words in them, and each carry. */
static void once(rig *r, uint16_t code, uint16_t a, uint16_t b, uint16_t sr)
{
    uint8_t bytes[2] = {(uint8_t)code, (uint8_t)(code >> 8)};
    if (r->ref->mem[0x1000] != bytes[0] || r->ref->mem[0x1001] != bytes[1]) poke(r, 0x1000, bytes, 2);
    set_reg(r, PC, 0x1000);
    set_reg(r, 5, a);
    set_reg(r, 6, b);
    set_reg(r, SR, sr);
    refmsp_step(r->ref);
    bare_run(&r->on, 1);
    if (reg(r, 5) != r->ref->r[5] || reg(r, 6) != r->ref->r[6] || reg(r, SR) != r->ref->r[SR])
        ck_abort_msg("%04x with 0x%04x, 0x%04x, sr 0x%03x: 0x%04x sr 0x%03x, not 0x%04x sr 0x%03x", code, a,
                     b, sr, reg(r, 6), reg(r, SR), r->ref->r[6], r->ref->r[SR]);
}

START_TEST(arithmetic_is_right_on_all_operands)
{
    static const uint16_t edges[] = {0,     1,      2,      9,      0x7F,   0x80,   0xFF,   0x100,
                                     0x999, 0x7FFE, 0x7FFF, 0x8000, 0x8001, 0x9999, 0xFFFE, 0xFFFF};
    rig r;
    uint64_t seed = 7;
    rig_open(&r);
    for (unsigned op = 4; op < 16; op++) {
        uint16_t word = (uint16_t)(op << 12 | 0x506), byte = word | 0x40;
        for (unsigned carry = 0; carry < 2; carry++)
            for (unsigned a = 0; a < 256; a++)
                for (unsigned b = 0; b < 256; b++)
                    once(&r, byte, (uint16_t)a, (uint16_t)b, (uint16_t)(carry | 0x106));
        for (unsigned i = 0; i < 256; i++)
            for (unsigned sr = 0; sr < 8; sr++)
                once(&r, word, edges[i / 16], edges[i % 16], (uint16_t)(sr | (i & 1) << 8));
        for (unsigned i = 0; i < 20000; i++)
            once(&r, word, (uint16_t)random32(&seed), (uint16_t)random32(&seed), random32(&seed) & 0x107);
    }
    static const uint16_t single[] = {0x1005, 0x1045, 0x1085, 0x1105, 0x1145, 0x1185};
    for (unsigned i = 0; i < 6; i++)
        for (unsigned a = 0; a < 0x10000; a++) once(&r, single[i], (uint16_t)a, 0, (uint16_t)(a & 1));
    /* All flags through sr, and all conditions on them. */
    for (unsigned sr = 0; sr < 0x200; sr++)
        for (unsigned condition = 0; condition < 7; condition++)
            if (!(sr & 0x10)) {
                once(&r, (uint16_t)(0x2000 | condition << 10 | 5), 0, 0, (uint16_t)sr);
                ck_assert_uint_eq(reg(&r, PC), r.ref->r[PC]);
            }
    rig_close(&r);
}
END_TEST

/* ------------------------------------------------------------------------------------------ reading back */

START_TEST(every_code_is_read_back_and_assembles_to_itself)
{
    oak_part *part = load_part("msp430-32k");
    oak_host host = oak_linux_host();
    uint64_t seed = 5;
    for (unsigned half = 0; half < 64; half++) {
        oak_program *program;
        ck_assert_int_eq(oak_program_create(&host, part, &program), OAK_OK);
        uint32_t at = 0x8000;
        for (unsigned code = half * 0x400; code < half * 0x400 + 0x400; code++) {
            uint8_t bytes[6] = {(uint8_t)code, (uint8_t)(code >> 8)};
            for (unsigned i = 2; i < 6; i++) bytes[i] = (uint8_t)random32(&seed);
            if (code & 0x40) bytes[3] = 0, bytes[5] &= 0x7F; /* of bytes only the low one counts */
            oak_image_write(oak_program_image(program), at, bytes, sizeof bytes);
            uint8_t call[4] = {0xB0, 0x12, (uint8_t)at, (uint8_t)(at >> 8)}; /* so that each is reached */
            oak_image_write(oak_program_image(program), 0xA000 + (code & 0x3FF) * 4, call, sizeof call);
            at += 6;
        }
        oak_image_write(oak_program_image(program), 0xB000, (uint8_t[]){0xFF, 0x3F}, 2);
        oak_image_write(oak_program_image(program), 0xFFFE, (uint8_t[]){0x00, 0xA0}, 2);
        oak_program_finish(program);
        must_come_back(program);
        oak_program_free(program);
    }
    oak_part_free(part);
}
END_TEST

/* ------------------------------------------------------------------------------------------ devices */

#define START " vector reset, start\n org 0x8000\nstart: mov #0x4000, sp\n mov #WDTPW|WDTHOLD, &WDTCTL\n"

/* The time of a change of the recorded pin, from the first one that rises on. */
static uint64_t edge(const bench *b, unsigned which)
{
    oak_trace_change one;
    bool rose = false;
    for (size_t i = 0; oak_trace_change_at(oak_session_trace(b->session), i, &one); i++) {
        rose = rose || (!one.other && one.value);
        if (rose && !one.other && !which--) return one.time;
    }
    return 0;
}

/* Each mode of counting with modes of the pin: how long it is up, and down, after that. */
START_TEST(the_timer_drives_its_pins)
{
    static const struct {
        const char *values, *unit, *mode;
        unsigned up, down;
    } all[] = {
        {"99, 25", "OUTMOD_7", "SMCLK|MC_1", 25, 75},        /* up: 0 to 99; reset at 25, set at 0 */
        {"99, 25", "OUTMOD_7", "SMCLK|MC_1|ID_2", 100, 300}, /* four times as slow */
        {"99, 25", "OUTMOD_3", "SMCLK|MC_1", 75, 25},        /* the other way round */
        {"99, 25", "OUTMOD_4", "SMCLK|MC_1", 100, 100},      /* turned over once a round */
        {"99, 25", "OUTMOD_4", "SMCLK|MC_2", 65536, 65536},  /* continuous: once a whole round */
        {"50, 20", "OUTMOD_4", "SMCLK|MC_3", 60, 40},        /* up and down: above 20, below it */
        {"50, 20", "OUTMOD_6", "SMCLK|MC_3", 60, 40},        /* the same, and set at the top */
        {"7, 3", "OUTMOD_7", "ACLK|MC_1", 3 * 128, 5 * 128}, /* the slow clock */
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char source[900];
        bench b;
        int split = (int)strcspn(all[i].values, ",");
        snprintf(source, sizeof source,
                 START
                 " mov.b #4, &P1DIR\n mov.b #4, &P1SEL\n mov #%.*s, &TACCR0\n mov #%s, &TACCR1\n mov #%s, "
                 "&TACCTL1\n mov #%s, &TACTL\nrest: nop\n jmp rest\n",
                 split, all[i].values, all[i].values + split + 2, all[i].unit, all[i].mode);
        bench_open(&b, "msp430-32k", source);
        ck_assert_int_eq(oak_session_record(b.session, "p1.2", &b.sink), OAK_OK);
        bench_run(&b, 300000, UINT64_MAX);
        ck_assert_msg(edge(&b, 3) - edge(&b, 2) == all[i].up && edge(&b, 4) - edge(&b, 3) == all[i].down,
                      "%u: up %llu, down %llu", i, (unsigned long long)(edge(&b, 3) - edge(&b, 2)),
                      (unsigned long long)(edge(&b, 4) - edge(&b, 3)));
        bench_close(&b);
    }
}
END_TEST

/* A unit keeps the count at an edge, and says when one was lost; TAIV tells the causes, the highest first, each once. */
START_TEST(the_timer_captures_and_tells_causes)
{
    bench b;
    bench_open(
        &b, "msp430-32k",
        START
        " mov #CM_3|CAP, &TACCTL2\n mov.b #8, &P1SEL\n mov #SMCLK|MC_2, &TACTL\nfirst: bit #CCIFG, "
        "&TACCTL2\n jz "
        "first\n mov &TACCR2, r4\n bic #CCIFG, &TACCTL2\nsecond: bit #CCIFG, &TACCTL2\n jz second\n mov "
        "&TACCR2, r5\n sub r4, r5\n mov #400, r7\nlater: dec r7\n jnz later\n mov &TACCTL2, r6\nrest: jmp "
        "rest\n");
    ck_assert_int_eq(
        oak_session_drive(
            b.session,
            "p1.3 = 0 until 1000 cycles, 1 until 2234 cycles, 0 until 2700 cycles, 1 until 2900 cycles, 0",
            &b.sink),
        OAK_OK);
    ck_assert_int_eq(bench_run(&b, 9000, UINT64_MAX).stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "r5"), 1234);
    ck_assert_int_eq(value_of(&b, "r6 & 3"),
                     3); /* COV, and still CCIFG: nobody took the third before the fourth */
    bench_close(&b);
    bench_open(
        &b, "msp430-32k",
        START
        " mov #20, &TACCR1\n mov #30, &TACCR2\n mov #40, &TACCR0\n mov #SMCLK|MC_1|TAIE, &TACTL\n mov #CCIE, "
        "&TACCTL1\n mov #CCIE, &TACCTL2\n mov #40, r15\nw: dec r15\n jnz w\n bic #MC, &TACTL\n mov &TAIV, "
        "r4\n mov &TAIV, r5\n "
        "mov &TAIV, r6\n mov &TAIV, r7\n mov &TACTL, r8\nrest: jmp rest\n");
    bench_run(&b, 1000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "r4"), 2);
    ck_assert_int_eq(value_of(&b, "r5"), 4);
    ck_assert_int_eq(value_of(&b, "r6"), 10);
    ck_assert_int_eq(value_of(&b, "r7"), 0);
    ck_assert_int_eq(value_of(&b, "r8 & 1"), 0);
    bench_close(&b);
}
END_TEST

/* The watchdog: nobody holds it; fed; without its key; as an interval timer, with hundreds of turns counted by hand. */
START_TEST(the_watchdog_wants_to_be_held)
{
    bench b;
    bench_open(&b, "msp430-32k",
               " vector reset, start\n org 0x8000\nstart: mov #0x4000, sp\nrest: jmp rest\n");
    oak_event event = bench_run(&b, 100000, UINT64_MAX);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_WATCHDOG_FREE);
    ck_assert_uint_ge(cycles_of(&b), 32768);
    ck_assert_uint_le(cycles_of(&b), 32768 + 8);
    bench_close(&b);
    bench_open(&b, "msp430-32k",
               " vector reset, start\n org 0x8000\nstart: mov #0x4000, sp\nround: mov "
               "#WDTPW|WDTCNTCL|WDTIS_1, &WDTCTL\n mov "
               "#2600, r5\nw: dec r5\n jnz w\n inc r6\n cmp #9, r6\n jnz round\n mov "
               "#WDTPW|WDTCNTCL|WDTIS_2, &WDTCTL\nrest: jmp rest\n");
    event = bench_run(&b, 1000000, UINT64_MAX);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_WATCHDOG);
    ck_assert_int_eq(value_of(&b, "r6"),
                     9); /* fed in time nine times, 7,812 cycles of 8,192 each; then not within 512 */
    ck_assert_uint_gt(cycles_of(&b), 9 * 7800 + 512);
    ck_assert_uint_lt(cycles_of(&b), 9 * 7850 + 530);
    bench_close(&b);
    bench_open(&b, "msp430-32k", START " mov #0x1280, &WDTCTL\nrest: jmp rest\n");
    ck_assert_int_eq(bench_run(&b, 1000, UINT64_MAX).stop.fault, OAK_FAULT_WATCHDOG_KEY);
    bench_close(&b);
    bench_open(&b, "msp430-32k",
               START " vector watchdog, turn\n mov #WDTPW|WDTTMSEL|WDTCNTCL|WDTIS_3, &WDTCTL\n mov.b #WDTIE, "
                     "&IE1\n eint\nrest: nop\n jmp "
                     "rest\nturn: inc r5\n reti\n");
    bench_run(&b, 64 * 100 + 40, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "r5"), 100);
    bench_close(&b);
}
END_TEST

/* Sleep: what stands still in which mode, what wakes, and how long it slept. */
START_TEST(sleep_ends_by_timer_and_pin)
{
    static const struct {
        const char *bits, *clock;
        bool wakes;
    } all[] = {{"CPUOFF", "SMCLK", true},          {"CPUOFF|SCG0", "SMCLK", true},
               {"CPUOFF|SCG1", "SMCLK", false},    {"CPUOFF|SCG1", "ACLK", true},
               {"CPUOFF|SCG1|SCG0", "ACLK", true}, {"CPUOFF|SCG1|SCG0|OSCOFF", "ACLK", false},
               {"CPUOFF|OSCOFF", "SMCLK", true},   {"CPUOFF|OSCOFF", "ACLK", false}};
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char source[900];
        bench b;
        snprintf(source, sizeof source,
                 START " vector timer0, tick\n vector port2, edge\n mov #99, &TACCR0\n mov #CCIE, &TACCTL0\n "
                       "mov #%s|MC_1, &TACTL\n "
                       "mov.b #2, &P2IE\n mov #%s|GIE, sr\n mov #7, r6\nrest: jmp rest\ntick: inc r4\n bic "
                       "#CPUOFF|SCG1|SCG0|OSCOFF, 0(sp)\n bic "
                       "#CCIE, &TACCTL0\n reti\nedge: inc r5\n bic #CPUOFF|SCG1|SCG0|OSCOFF, 0(sp)\n mov.b "
                       "#0, &P2IFG\n reti\n",
                 all[i].clock, all[i].bits);
        bench_open(&b, "msp430-32k", source);
        ck_assert_int_eq(
            oak_session_drive(b.session, "p2.1 = 0 until 40000 cycles, 1 until 50000 cycles, 0", &b.sink),
            OAK_OK);
        bench_run(&b, 39000, UINT64_MAX);
        ck_assert_int_eq(value_of(&b, "r4"), all[i].wakes);
        ck_assert_int_eq(value_of(&b, "r6"), all[i].wakes ? 7 : 0);
        oak_chip_time time;
        b.chip.ops->read_time(b.chip.chip, &time);
        /* From its sleep to the timer's first turn: 100 counts, but for the five cycles it was set up before. */
        uint64_t slept = !all[i].wakes ? 39000 - 28 : !strcmp(all[i].clock, "ACLK") ? 12800 : 100;
        ck_assert_msg(time.asleep <= slept + 2 && time.asleep + 160 > slept, "%u: %llu", i,
                      (unsigned long long)time.asleep);
        bench_run(&b, 30000, UINT64_MAX);
        ck_assert_int_eq(value_of(&b, "r5"),
                         1); /* the pin wakes from all of them; its falling edge does not */
        ck_assert_int_eq(value_of(&b, "r6"), 7);
        bench_close(&b);
    }
}
END_TEST

/* A byte goes out bit by bit, low one first; one that comes in is there; a third one loses. */
START_TEST(the_serial_port_sends_and_receives)
{
    bench b;
    bench_open(&b, "msp430-32k",
               START " mov.b #0x30, &P3SEL\n mov.b #16, &UCA0BR0\n mov.b #0, &UCA0BR1\n bic.b #UCSWRST, "
                     "&UCA0CTL1\n mov.b #0x4b, "
                     "&UCA0TXBUF\nrest: nop\n jmp rest\n");
    ck_assert_int_eq(oak_session_record(b.session, "p3.4", &b.sink), OAK_OK);
    bench_run(&b, 400, UINT64_MAX);
    /* 0, 1 1 0 1 0 0 1 0, 1: changes behind the start bit after 1, 3, 4, 5, 7, 8 and 9 bits. */
    static const unsigned bits[] = {0, 1, 3, 4, 5, 7, 8, 9};
    for (unsigned i = 0; i < 8; i++) ck_assert_uint_eq(edge(&b, i + 1) - edge(&b, 1), bits[i] * 16);
    bench_close(&b);
    bench_open(
        &b, "msp430-32k",
        START
        " vector receive, got\n mov.b #0x30, &P3SEL\n mov #0x2000, r5\n mov.b #low(436), &UCA0BR0\n mov.b "
        "#high(436), "
        "&UCA0BR1\n bic.b #UCSWRST, &UCA0CTL1\n mov.b #UCA0RXIE, &IE2\n eint\nrest: nop\n jmp rest\ngot: "
        "mov.b "
        "&UCA0RXBUF, 0(r5)\n inc r5\n cmp #0x2003, r5\n jnz done\n dint\n bic #GIE, 0(sp)\ndone: reti\n");
    ck_assert_int_eq(oak_session_drive(b.session, "p3.5 = bytes \"oakum\" at 9620 from 1ms", &b.sink),
                     OAK_OK);
    bench_run(&b, 60000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "mem[0x2000]"), 'o');
    ck_assert_int_eq(value_of(&b, "mem[0x2001]"), 'a');
    ck_assert_int_eq(value_of(&b, "mem[0x2002]"), 'k');
    ck_assert_int_eq(value_of(&b, "UCA0STAT & 0x20"), 0x20); /* `u` came, and nobody fetched it before `m` */
    ck_assert_int_eq(value_of(&b, "r5"), 0x2003);
    bench_close(&b);
}
END_TEST

/* Ports: an edge of the kind that IES says, also by writing the flag; pulls go where OUT says; what is selected leaves the port. */
START_TEST(ports_see_edges_and_pull)
{
    bench b;
    bench_open(&b, "msp430-32k",
               START " vector port1, edge\n mov.b #0x10, &P1IES\n mov.b #0x30, &P1IE\n eint\n mov.b #0x03, "
                     "&P1REN\n mov.b #0x01, &P1OUT\n "
                     "nop\n mov.b &P1IN, r6\nrest: nop\n jmp rest\nedge: inc r4\n mov.b &P1IFG, r5\n mov.b "
                     "#0, &P1IFG\n reti\n");
    ck_assert_int_eq(
        oak_session_drive(b.session, "p1.4 = 0 until 500 cycles, 1 until 1000 cycles, 0", &b.sink), OAK_OK);
    ck_assert_int_eq(
        oak_session_drive(b.session, "p1.5 = 0 until 2000 cycles, 1 until 3000 cycles, 0", &b.sink), OAK_OK);
    bench_run(&b, 900, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "r4"), 0);
    ck_assert_int_eq(value_of(&b, "r6 & 3"), 1);
    bench_run(&b, 1000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "r4 * 256 + r5 & 0xff0"), 0x110);
    bench_run(&b, 2000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "r4 * 256 + r5 & 0xff0"), 0x220);
    ck_assert_int_eq(value_of(&b, "P1IFG"), 0);
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ source */

/* What people write: its words, and what is said of it. */
START_TEST(operands_are_read_as_people_write_them)
{
    static const struct {
        const char *line, *code;
        uint16_t words[3];
    } all[] = {
        {" mov #5, r5\n", NULL, {0x4035, 5}},
        {" mov #8, r5\n", NULL, {0x4235}},
        {" mov #-1, r5\n", NULL, {0x4335}},
        {" mov #0xffff, r5\n", NULL, {0x4335}},
        {" mov.b #0xff, r5\n", NULL, {0x4375}},
        {" mov.w r4, r5\n", NULL, {0x4405}},
        {" mov 2(r4), 4(r5)\n", NULL, {0x4495, 2, 4}},
        {" mov @r4+, &0x2000\n", NULL, {0x44B2, 0x2000}},
        {" mov 0(r4), 0(r5)\n", NULL, {0x4495, 0, 0}},
        {" add.b 0x8010, r5\n", NULL, {0x5055, 0x8010 - 0x8002}},
        {" add r5, 0x8010\n", NULL, {0x5580, 0x8010 - 0x8002}},
        {" nop\n", NULL, {0x4303}},
        {" ret\n", NULL, {0x4130}},
        {" clr r7\n", NULL, {0x4307}},
        {" rla.b r7\n", NULL, {0x5747}},
        {" rla 2(r7)\n", NULL, {0x5797, 2, 2}},
        {" rlc &0x2000\n", NULL, {0x6292, 0x2000, 0x2000}},
        {" pop r7\n", NULL, {0x4137}},
        {" br #0x9000\n", NULL, {0x4030, 0x9000}},
        {" br r7\n", NULL, {0x4700}},
        {" dint\n", NULL, {0xC232}},
        {" bis #GIE|CPUOFF, sr\n", NULL, {0xD032, 0x18}},
        {" mov r1, r2\n", NULL, {0x4102}},
        {" push #4\n", NULL, {0x1222}},
        {" push.b @r5+\n", NULL, {0x1275}},
        {" call #0x9000\n", NULL, {0x12B0, 0x9000}},
        {" jz $\n", NULL, {0x27FF}},
        {" jmp $+2\n", NULL, {0x3C00}},
        {" sbc r5\n", NULL, {0x7305}},
        {" br 0x9000\n", "doubtful-mark", {0x4010, 0x9000 - 0x8002}},
        {" call 0x9000\n", "doubtful-mark", {0x1290, 0x9000 - 0x8002}},
        {" mov 5, r5\n", "doubtful-mark", {0x4015, (uint16_t)(5 - 0x8002)}},
        {" mov &0x2001, r5\n", "odd-word", {0x4215, 0x2001}},
        {" mov.b &0x2001, r5\n", NULL, {0x4255, 0x2001}},
        {" mov r5, &0x2001\n", "odd-word", {0x4582, 0x2001}},
        {" jmp 0x9000\n", "branch-reach", {0}},
        {" jmp 0x8005\n", "value-range", {0}},
        {" mov r4, @r5\n", "no-such-form", {0}},
        {" mov #0x12345, r5\n", "value-range", {0}},
        {" mov 70000(r5), r6\n", "value-range", {0}},
        {" rra #5\n", "no-such-form", {0}},
        {" swpb.b r5\n", "unknown-operation", {0}},
        {" mov r16, r5\n", "unknown-symbol", {0}},
    };
    oak_part *part = load_part("msp430-32k");
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char source[300];
        collected diags;
        snprintf(source, sizeof source, " org 0x8000\n%s", all[i].line);
        oak_program *program = assemble(part, source, &diags);
        unsigned first = 0;
        while (first < diags.count && !strcmp(diags.one[first].code, "runs-off")) first++;
        const char *code = first < diags.count ? diags.one[first].code : NULL;
        ck_assert_msg(!code == !all[i].code && (!code || !strcmp(code, all[i].code)), "%s: %s", all[i].line,
                      code ? code : "nothing is said");
        if (code)
            ck_assert_msg(*diags.one[first].hint || !strcmp(code, "value-range") ||
                              !strcmp(code, "unknown-symbol"),
                          "%s: no way out", all[i].line);
        if (!all[i].words[0]) continue;
        ck_assert_ptr_nonnull(program);
        for (unsigned w = 0; w < 3 && (w == 0 || all[i].words[w]); w++) {
            uint8_t low = 0, high = 0;
            oak_image_byte(oak_program_image(program), 0x8000 + 2 * w, &low);
            oak_image_byte(oak_program_image(program), 0x8001 + 2 * w, &high);
            ck_assert_msg((low | high << 8) == all[i].words[w], "%s, word %u: 0x%04x", all[i].line, w + 1,
                          (unsigned)(low | high << 8));
        }
        oak_program_free(program);
    }
    oak_part_free(part);
}
END_TEST

/* What is to be copied is not in the image at its place, and is there when the start-up code has run: on every core that has it. */
START_TEST(copied_sections_come_out_of_the_flash)
{
    static const struct {
        const char *part, *source, *space;
    } all[] = {
        {"msp430-32k",
         START " copied\nrest: jmp rest\n section s, ram, copied\nkept: db 18, 52, 86, 120, 9\n section t, "
               "ram, copied\nmore: db 7\n",
         "mem"},
        {"z80-32k",
         " section p, rom, at 0\nstart: ld sp, 0\n copied\nrest: jr rest\n section s, ram, copied\nkept: db "
         "18, "
         "52, 86, 120, 9\n section t, "
         "ram, copied\nmore: db 7\n",
         "mem"},
        {"mcs51-8k",
         " section p, code, at 0\nstart: copied\nrest: sjmp rest\n section s, iram, copied\nkept: db 18, 52, "
         "86, "
         "120, 9\n section t, iram, "
         "copied\nmore: db 7\n",
         "iram"},
        {"pic18-32k",
         " config CONFIG2H: WDTEN=off\n vector reset, start\n section p, code\nstart: copied\nrest: bra "
         "rest\n section s, data, copied\n"
         "kept: db 18, 52, 86, 120, 9\n section t, data, copied\nmore: db 7\n",
         "data"},
        {"cpu12-64k",
         " vector reset, start\n section p, flash\nstart: lds #0x4000\n copied\nrest: bra rest\n section s, "
         "ram, copied\nkept: db 18, 52, "
         "86, 120, 9\n section t, ram, copied\nmore: db 7\n",
         "mem"},
        {"armv7m-256k",
         " vector stack, 0x20001000\n vector reset, start\n section p, flash\nstart: copied\nrest: b rest\n "
         "section s, ram, copied\nkept: "
         "db 18, 52, 86, 120, 9\n section t, ram, copied\nmore: db 7\n",
         "mem"},
        {"armv6m-32k",
         " vector stack, 0x20001000\n vector reset, start\n section p, flash\nstart: copied\nrest: b rest\n "
         "section s, ram, copied\nkept: "
         "db 18, 52, 86, 120, 9\n section t, ram, copied\nmore: db 7\n",
         "mem"},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        bench b;
        uint8_t byte;
        char text[80];
        bench_open(&b, all[i].part, all[i].source);
        const oak_symbol *kept = oak_program_find(b.program, "kept", 4),
                         *more = oak_program_find(b.program, "more", 4);
        ck_assert(kept && more);
        if (strcmp(all[i].space, "mem") == 0)
            ck_assert(!oak_image_byte(oak_program_image(b.program), (uint32_t)kept->value, &byte));
        ck_assert_int_eq(bench_run(&b, 10000, UINT64_MAX).stop.reason, OAK_STOP_PARKED);
        snprintf(text, sizeof text, "%s[%u]", all[i].space, (unsigned)more->value);
        ck_assert_msg(value_of(&b, text) == 7, "%s", all[i].part);
        for (unsigned k = 0; k < 5; k++) {
            static const uint8_t bytes[] = {18, 52, 86, 120, 9};
            snprintf(text, sizeof text, "%s[%u]", all[i].space, (unsigned)kept->value + k);
            ck_assert_msg(value_of(&b, text) == bytes[k], "%s, %u", all[i].part, k);
        }
        bench_close(&b);
        collected diags;
        char *without = strdup(all[i].source), *line = strstr(without, "copied\n");
        memcpy(line, "nop   ", 6);
        oak_part *part = load_part(all[i].part);
        oak_program_free(assemble(part, without, &diags));
        bool said = false;
        for (unsigned k = 0; k < diags.count; k++) said = said || !strcmp(diags.one[k].code, "not-copied");
        ck_assert_msg(said, "%s", all[i].part);
        oak_part_free(part);
        free(without);
    }
}
END_TEST

/* The example and the tool: where it starts and why, how long it slept, what each word of an instruction is, who resets the chip. */
START_TEST(the_shed_sleeps)
{
    char *out, *error;
    const char *in = "d=$(mktemp -d) && cd $d && cp " SOURCE_FOLDER "/examples/shed/* . && ";
    static const struct {
        int code;
        const char *command, *said;
    } all[] = {
        {0, SPINDLE " trial --afresh", "5 passed, 0 failed"},
        {0, SPINDLE " run shed.asm --part msp430-32k --board board.yaml --time 21s", "asleep 99.99"},
        {0, SPINDLE " run shed.asm --part msp430-32k --board board.yaml --time 21s",
         "it starts at 0x8000, start, as the vector `reset` at 0xfffe says; start-up code runs before "
         "`main`"},
        {0, "echo where | " SPINDLE " bench shed.asm --part msp430-32k --board board.yaml",
         "it starts at 0x8000, start, as the vector `reset`"},
        {0,
         SPINDLE " asm shed.asm --part msp430-32k && " SPINDLE
                 " look shed.hex --part msp430-32k -o again.asm && " SPINDLE
                 " asm again.asm --part msp430-32k && cmp shed.hex again.hex && echo the same",
         "the same"},
        {0, SPINDLE " explain 0x40b2 0x5a80 0x0120 --part msp430-32k",
         "y         0x0120, word 3: the address 0x0120, WDTCTL"},
        {0, SPINDLE " explain b2 40 80 5a 20 01 --part msp430-32k",
         "x         0x5a80, word 2: the number 23168"},
        {0, SPINDLE " explain 0x5015 0x0010 --part msp430-32k", "it leads to 0x0012"},
        {0,
         "printf ' vector reset, s\\n org 0x8000\\ns: mov #0x4000, sp\\nr: jmp r\\n' >w.asm && ! " SPINDLE
         " run w.asm --part msp430-32k",
         "nothing holds the watchdog"},
        {0,
         "printf 'memory mem[0x2000..0x200f] as words big\\n' | " SPINDLE
         " bench shed.asm --part msp430-32k --board board.yaml",
         "visits open total left ahead due line"},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char command[900];
        snprintf(command, sizeof command, "%s%s; code=$?; rm -r $d; exit $code", in, all[i].command);
        ck_assert_int_eq(shell(command, &out, &error), all[i].code);
        ck_assert_msg(strstr(out, all[i].said) != NULL, "%s: %s", all[i].command, out);
        free(out), free(error);
    }
}
END_TEST

RUN_SUITE("msp430", every_code_does_what_the_second_model_does,
          chains_of_code_that_overwrites_itself_agree_with_single_steps, arithmetic_is_right_on_all_operands,
          every_code_is_read_back_and_assembles_to_itself, the_timer_drives_its_pins,
          the_timer_captures_and_tells_causes, the_watchdog_wants_to_be_held, sleep_ends_by_timer_and_pin,
          the_serial_port_sends_and_receives, ports_see_edges_and_pull,
          operands_are_read_as_people_write_them, copied_sections_come_out_of_the_flash, the_shed_sleeps)
