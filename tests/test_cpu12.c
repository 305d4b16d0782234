/* The CPU12 against a second implementation: every operation code of both pages, every postbyte, on random machines, one by one and in chains that
 * overwrite themselves; arithmetic on all operands. */
#include "reference_cpu12.h"
#include "support.h"

#include <stdio.h>

enum { MEM = 1, PC = 0, A, B, X, Y, SP, CCR };

typedef struct rig {
    bare on;
    refcpu *ref;
} rig;

static void rig_open(rig *r)
{
    bare_open(&r->on, "cpu12");
    r->ref = calloc(1, sizeof *r->ref);
}

static void rig_close(rig *r)
{
    bare_close(&r->on);
    free(r->ref);
}

static void set_reg(rig *r, unsigned number, uint16_t value)
{
    refcpu *m = r->ref;
    bare_set(&r->on, number, value);
    switch (number) {
    case PC: m->pc = value; break;
    case A: m->a = (uint8_t)value; break;
    case B: m->b = (uint8_t)value; break;
    case X: m->x = value; break;
    case Y: m->y = value; break;
    case SP: m->sp = value; break;
    default: m->ccr = (uint8_t)value;
    }
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
    for (unsigned i = PC; i <= CCR; i++)
        set_reg(r, i, (uint16_t)(random32(seed) & (i == A || i == B || i == CCR ? 0xFF : 0xFFFF)));
}

static void must_agree(rig *r, const char *what)
{
    const refcpu *m = r->ref;
    const uint32_t wanted[] = {m->pc, m->a, m->b, m->x, m->y, m->sp, m->ccr};
    static const char *const names[] = {"pc", "a", "b", "x", "y", "sp", "ccr"};
    for (unsigned i = PC; i <= CCR; i++)
        if (bare_register(&r->on, i) != wanted[i])
            ck_abort_msg("%s: %s is 0x%x, not 0x%x", what, names[i], bare_register(&r->on, i), wanted[i]);
}

static void memories_must_agree(rig *r, const char *what)
{
    must_be_alike(&r->on.chip, MEM, r->ref->mem, sizeof r->ref->mem, what);
}

/* One instruction on a random machine; false where it is reserved. */
static bool once(rig *r, const uint8_t *bytes, size_t count, uint64_t *seed)
{
    char what[80] = "";
    take_over(r, seed);
    set_reg(r, PC, (uint16_t)(0x100 + r->ref->pc % 0xFD00));
    poke(r, r->ref->pc, bytes, count);
    for (size_t i = 0; i < count; i++)
        snprintf(what + strlen(what), sizeof what - strlen(what), "%02x ", bytes[i]);
    uint64_t before = bare_time(&r->on).cycles;
    uint16_t pc = r->ref->pc;
    int done = refcpu_step(r->ref);
    oak_stop stop = bare_run(&r->on, 1);
    if (done == REFCPU_RESERVED || done == REFCPU_DEBUG) {
        ck_assert_msg(stop.reason == OAK_STOP_FAULT &&
                          stop.fault == (done == REFCPU_DEBUG ? OAK_FAULT_BREAKPOINT : OAK_FAULT_RESERVED),
                      "%s: %d %d", what, stop.reason, stop.fault);
        must_agree(r, what);
        return false;
    }
    if (stop.reason == OAK_STOP_PARKED && r->ref->pc == pc) return true; /* to itself */
    ck_assert_msg(stop.reason == OAK_STOP_STEPS || (done == REFCPU_SLEEPS && stop.reason == OAK_STOP_PARKED),
                  "%s stops by %d, %d at 0x%x", what, stop.reason, stop.fault, stop.fault_address);
    must_agree(r, what);
    if (bare_time(&r->on).cycles - before != r->ref->cycles)
        ck_abort_msg("%s: %u cycles, not %u", what, (unsigned)(bare_time(&r->on).cycles - before),
                     r->ref->cycles);
    if (done == REFCPU_SLEEPS) { /* it sleeps on: begin anew */
        r->on.chip.ops->reset(r->on.chip.chip);
        fill(r, seed);
        r->ref->page = 0, r->ref->tmp2 = r->ref->tmp3 = 0;
    }
    return true;
}

static void random_tail(uint8_t *bytes, unsigned from, uint64_t *seed)
{
    for (unsigned i = from; i < 8; i++) bytes[i] = (uint8_t)random32(seed);
}

START_TEST(every_code_does_what_the_second_core_does)
{
    rig r;
    uint64_t seed = 4711;
    uint8_t bytes[8];
    unsigned reserved = 0;
    rig_open(&r);
    fill(&r, &seed);
    for (unsigned code = 0; code < 256; code++)
        for (unsigned round = 0; round < 600 / STRIDE; round++) {
            bytes[0] = (uint8_t)code;
            random_tail(bytes, 1, &seed);
            reserved += !once(&r, bytes, 8, &seed);
            if (round % 50 == 0) memories_must_agree(&r, "a code");
        }
    for (unsigned code = 0; code < 256; code++)
        for (unsigned round = 0; round < 400 / STRIDE; round++) {
            bytes[0] = 0x18, bytes[1] = (uint8_t)code;
            random_tail(bytes, 2, &seed);
            if (code == 0x3B && round % 4) continue; /* long lists of rules */
            reserved += !once(&r, bytes, 8, &seed);
            if (round % 50 == 0) memories_must_agree(&r, "a code of page 2");
        }
    ck_assert_uint_gt(reserved, 1000 / STRIDE);
    rig_close(&r);
}
END_TEST

/* Every postbyte, of every instruction that has one; of moves every pair of them. */
START_TEST(every_postbyte_leads_where_it_should)
{
    rig r;
    uint64_t seed = 12;
    uint8_t bytes[8];
    rig_open(&r);
    fill(&r, &seed);
    static const uint8_t second[] = {0x00, 0x01, 0x05, 0x08, 0x09, 0x0D, 0x18, 0x19,
                                     0x1A, 0x1B, 0x1C, 0x1D, 0x1E, 0x1F, 0x3D, 0x3F};
    for (unsigned code = 0; code < 256; code++) {
        bool indexed = code == 5 || (code >= 0x0C && code <= 0x0F) || code == 0x15 ||
                       (code >= 0x19 && code <= 0x1B) || code == 0x4B || code >> 4 == 6 ||
                       (code >> 4 == 10 && code != 0xA7) || code >> 4 == 14;
        for (unsigned post = 0; indexed && post < 256; post++)
            for (unsigned round = 0; round < 8; round++) {
                bytes[0] = (uint8_t)code, bytes[1] = (uint8_t)post;
                random_tail(bytes, 2, &seed);
                once(&r, bytes, 8, &seed);
            }
        if (code % 16 == 15) memories_must_agree(&r, "postbytes");
    }
    for (unsigned i = 0; i < sizeof second; i++)
        for (unsigned post = 0; post < 256; post++)
            for (unsigned round = 0; round < 8; round++) {
                bytes[0] = 0x18, bytes[1] = second[i], bytes[2] = (uint8_t)post;
                random_tail(bytes, 3, &seed);
                once(&r, bytes, 8, &seed);
            }
    for (unsigned both = 0; both < 0x10000; both += STRIDE) {
        bytes[0] = 0x18, bytes[1] = both & 1 ? 2 : 10, bytes[2] = (uint8_t)(both >> 8),
        bytes[3] = (uint8_t)both;
        random_tail(bytes, 4, &seed);
        once(&r, bytes, 8, &seed);
    }
    memories_must_agree(&r, "in the end");
    rig_close(&r);
}
END_TEST

/* Random bytes everywhere: programs that jump into their own operands and overwrite themselves, run as a whole. */
START_TEST(chains_of_code_that_overwrites_itself_agree_with_single_steps)
{
    rig r;
    uint64_t seed = 99;
    rig_open(&r);
    unsigned long long executed = 0;
    for (unsigned program = 0; program < 120 / STRIDE; program++) {
        fill(&r, &seed);
        for (unsigned piece = 0; piece < 100; piece++) {
            take_over(&r, &seed);
            unsigned wanted = 1 + random32(&seed) % 400, done = 0, cycles = 0;
            uint64_t before = bare_time(&r.on).cycles, begun = bare_time(&r.on).instructions;
            while (done < wanted) {
                uint16_t pc = r.ref->pc;
                uint8_t code = r.ref->mem[pc];
                if (pc > 0xFFF0 || code == 0x3E || (code == 0x18 && r.ref->mem[(uint16_t)(pc + 1)] == 0x3E))
                    break;
                if (refcpu_step(r.ref)) break;
                done++, cycles += r.ref->cycles;
                if (r.ref->pc == pc) break; /* it parks */
            }
            if (!done) continue;
            char what[60];
            snprintf(what, sizeof what, "program %u, piece %u, %u instructions", program, piece, done);
            oak_stop stop = bare_run(&r.on, done);
            ck_assert_msg(stop.reason == OAK_STOP_STEPS || stop.reason == OAK_STOP_PARKED,
                          "%s: %d fault %d at 0x%x", what, stop.reason, stop.fault, stop.pc);
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
    ck_assert_uint_gt(executed, 30000 / STRIDE);
    rig_close(&r);
}
END_TEST

/* Bytes in a and b, words in d, x and y, all flags: what has no operand in memory. */
START_TEST(arithmetic_is_right_on_all_operands)
{
    static const uint8_t on_b[][2] = {{0x18, 0x06}, {0x18, 0x16}, {0x18, 0x17}, {0x12, 0xA7}, {0x18, 0x07},
                                      {0x40, 0xA7}, {0x43, 0xA7}, {0x45, 0xA7}, {0x46, 0xA7}, {0x47, 0xA7},
                                      {0x48, 0xA7}, {0x49, 0xA7}, {0x59, 0xA7}};
    static const uint16_t edges[] = {0,      1,      2,      0x7F,   0x80,   0xFF, 0x100, 0x7FFE,
                                     0x7FFF, 0x8000, 0x8001, 0xFFFE, 0xFFFF, 10,   1000,  0x5555};
    rig r;
    uint64_t seed = 7;
    rig_open(&r);
    for (unsigned i = 0; i < sizeof on_b / sizeof *on_b; i++) {
        poke(&r, 0x1000, on_b[i], 2);
        for (unsigned both = 0; both < 0x10000; both += STRIDE)
            for (unsigned flags = 0; flags < (i == 4 ? 4u : 2u); flags++) {
                set_reg(&r, PC, 0x1000);
                set_reg(&r, A, (uint16_t)(both >> 8));
                set_reg(&r, B, (uint16_t)(both & 0xFF));
                set_reg(&r, CCR, (uint16_t)((flags & 1) | (flags & 2 ? 0x20 : 0) | 0xD0));
                refcpu_step(r.ref);
                bare_run(&r.on, 1);
                if (bare_register(&r.on, A) != r.ref->a || bare_register(&r.on, B) != r.ref->b ||
                    bare_register(&r.on, CCR) != r.ref->ccr)
                    must_agree(&r, "bytes");
            }
    }
    static const uint8_t words[][2] = {{0x13, 0xA7}, {0x18, 0x13}, {0x11, 0xA7}, {0x18, 0x14}, {0x18, 0x10},
                                       {0x18, 0x11}, {0x18, 0x15}, {0x83, 0x80}, {0xC3, 0x80}};
    for (unsigned i = 0; i < sizeof words / sizeof *words; i++) {
        uint8_t bytes[3] = {words[i][0], words[i][1], 0};
        for (unsigned n = 0; n < 16 * 16 * 16 + 20000; n += STRIDE) {
            bool edge = n < 16 * 16 * 16;
            uint16_t d = edge ? edges[n % 16] : (uint16_t)random32(&seed),
                     x = edge ? edges[n / 16 % 16] : (uint16_t)random32(&seed),
                     y = edge ? edges[n / 256] : (uint16_t)random32(&seed);
            if (!edge && n % 2) y = (uint16_t)(x ? y % x : y); /* so that quotients fit */
            bytes[2] = (uint8_t)y;
            poke(&r, 0x1000, bytes, 3);
            set_reg(&r, PC, 0x1000);
            set_reg(&r, A, d >> 8), set_reg(&r, B, d & 0xFF), set_reg(&r, X, x), set_reg(&r, Y, y);
            set_reg(&r, CCR, (uint16_t)(random32(&seed) & 0x2F) | 0xD0);
            refcpu_step(r.ref);
            bare_run(&r.on, 1);
            must_agree(&r, "words");
        }
    }
    /* All flags, and all conditions on them. */
    for (unsigned ccr = 0; ccr < 256; ccr++)
        for (unsigned condition = 0; condition < 32; condition++) {
            uint8_t near[] = {(uint8_t)(0x20 | (condition & 15)), 0x10, 0xA7, 0xA7},
                    far[] = {0x18, (uint8_t)(0x20 | (condition & 15)), 0x20, 0x10};
            poke(&r, 0x1000, condition < 16 ? near : far, 4);
            set_reg(&r, PC, 0x1000);
            set_reg(&r, CCR, (uint16_t)ccr);
            uint64_t before = bare_time(&r.on).cycles;
            refcpu_step(r.ref);
            bare_run(&r.on, 1);
            must_agree(&r, "a condition");
            ck_assert_uint_eq(bare_time(&r.on).cycles - before, r.ref->cycles);
        }
    rig_close(&r);
}
END_TEST

/* ------------------------------------------------------------------------------------------ reading back */

START_TEST(every_code_is_read_back_and_assembles_to_itself)
{
    oak_part *part = load_part("cpu12-64k");
    oak_host host = oak_linux_host();
    uint64_t seed = 5;
    for (unsigned round = 0; round < 24; round++) {
        oak_program *program;
        ck_assert_int_eq(oak_program_create(&host, part, &program), OAK_OK);
        uint32_t at = 0x4000;
        for (unsigned code = 0; code < 1024; code++) {
            uint8_t bytes[8];
            random_tail(bytes, 0, &seed);
            if (code < 256) bytes[0] = (uint8_t)code;
            else if (code < 512) bytes[0] = 0x18, bytes[1] = (uint8_t)code;
            else bytes[0] = (uint8_t)(0xA0 | (code & 15)), bytes[1] = (uint8_t)(code >> 1); /* postbytes */
            if (round & 1) /* an address or offset that is short */
                bytes[(code < 256 ? 1 : 2) + (round >> 1 & 1)] = round & 4 ? 0xFF : 0;
            oak_image_write(oak_program_image(program), at, bytes, sizeof bytes);
            uint8_t call[3] = {0x16, (uint8_t)(at >> 8), (uint8_t)at}; /* so that each is reached */
            oak_image_write(oak_program_image(program), 0x8000 + code * 3, call, sizeof call);
            at += 2 * sizeof bytes; /* a gap: where the next begins does not depend on this one */
        }
        oak_image_write(oak_program_image(program), 0x8000 + 1024 * 3, (uint8_t[]){0x20, 0xFE}, 2);
        oak_image_write(oak_program_image(program), 0xFFFE, (uint8_t[]){0x80, 0x00}, 2);
        oak_program_finish(program);
        must_come_back(program);
        oak_program_free(program);
    }
    oak_part_free(part);
}
END_TEST

/* ------------------------------------------------------------------------------------------ devices */

#define START " vector reset, start\n section p, flash, at 0x4000\nstart: lds #0x4000\n"

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

/* A channel turns its pin over, clears or sets it where the count arrives; a step is 1 << PR cycles; the pin is its own whatever DDRT says. */
START_TEST(channels_compare)
{
    static const struct {
        const char *rate;
        unsigned step;
    } all[] = {{"0", 1}, {"3", 8}, {"7", 128}};
    for (unsigned i = 0; i < 3; i++) {
        char source[900];
        bench b;
        snprintf(source, sizeof source,
                 START " vector channel2, tick\n movb #4, TIOS\n movb #0x10, TCTL2\n movb #%s, TSCR2\n movb "
                       "#4, TIE\n movb #0x80, TSCR1\n "
                       "ldd TCNT\n addd #250\n std TC2\n cli\nrest: bra rest\ntick: movb #4, TFLG1\n ldd "
                       "TC2\n addd #250\n std TC2\n inc "
                       "0x1000\n rti\n",
                 all[i].rate);
        bench_open(&b, "cpu12-64k", source);
        b.chip.ops->write_memory(b.chip.chip, MEM, 0x1000, (const uint8_t[]){0}, 1);
        ck_assert_int_eq(oak_session_record(b.session, "pt.2", &b.sink), OAK_OK);
        bench_run(&b, 250 * all[i].step * 10 + 60, UINT64_MAX);
        for (unsigned k = 1; k < 6; k++) ck_assert_uint_eq(edge(&b, k) - edge(&b, k - 1), 250 * all[i].step);
        ck_assert_int_eq(value_of(&b, "mem[0x1000]"), 10);
        bench_close(&b);
    }
    bench b;
    bench_open(&b, "cpu12-64k",
               START " movb #3, TIOS\n movb #0x0e, TCTL2\n movb #0x80, TSCR1\n movw #1000, TC0\n movw #3000, "
                     "TC1\n movb #3, CFORC\nrest: nop\n "
                     "bra rest\n");
    bench_run(&b, 200, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "PTIT & 3"), 2); /* at once: 0 low, 1 high */
    ck_assert_int_eq(value_of(&b, "TFLG1"), 0);
    bench_run(&b, 1000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "TFLG1"), 1);
    bench_run(&b, 70000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "TFLG1"), 3);
    ck_assert_int_eq(value_of(&b, "TFLG2"), 0x80);
    bench_close(&b);
}
END_TEST

/* Captures keep the count at the edge that is asked for; flags go by writing 1, or by the access itself where TFFCA says so. */
START_TEST(channels_capture)
{
    bench b;
    bench_open(&b, "cpu12-64k",
               START " movb #0x40, TCTL3\n movb #0x80, TSCR1\nw1: brclr TFLG1, #0x80, w1\n ldd TC7\n std "
                     "0x1000\n movb #0x80, TFLG1\n movb "
                     "#0x80, TCTL3\nw2: brclr TFLG1, #0x80, w2\n ldd TC7\n subd 0x1000\n std 0x1002\n bset "
                     "TSCR1, #0x10\n ldd TC7\n ldaa "
                     "TFLG1\n staa 0x1004\nrest: bra rest\n");
    ck_assert_int_eq(
        oak_session_drive(b.session, "pt.7 = 0 until 1000 cycles, 1 until 3345 cycles, 0", &b.sink), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 9000, UINT64_MAX).stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "mem[0x1002:2]"), 2345);
    ck_assert_int_eq(value_of(&b, "mem[0x1004]"), 0);
    bench_close(&b);
}
END_TEST

/* The real-time interrupt by its two fields; wai sleeps meanwhile. */
START_TEST(real_time_goes_round)
{
    bench b;
    bench_open(&b, "cpu12-64k",
               START " vector rti, tick\n clr 0x1000\n movb #0x23, RTICTL\n movb #0x80, CRGINT\n cli\nround: "
                     "wai\n bra round\ntick: movb #0x80, "
                     "CRGFLG\n inc 0x1000\n rti\n");
    bench_run(&b, 4 * 1024 * 20 + 100, UINT64_MAX); /* 256 times 4, twice doubled */
    ck_assert_int_eq(value_of(&b, "mem[0x1000]"), 20);
    oak_chip_time time;
    b.chip.ops->read_time(b.chip.chip, &time);
    ck_assert_uint_gt(time.asleep, 4 * 1024 * 20 - 20 * 40);
    bench_close(&b);
}
END_TEST

/* The watchdog: still until its rate is written, then fed by two bytes, bitten into its own vector; a wrong byte resets at once. */
START_TEST(the_watchdog_is_armed_once)
{
    bench b;
    bench_open(&b, "cpu12-64k",
               START " vector cop, bitten\nrest: bra rest\nbitten: ldaa #7\nagain: bra again\n");
    ck_assert_int_eq(bench_run(&b, 200000, UINT64_MAX).stop.reason, OAK_STOP_PARKED);
    bench_close(&b);
    bench_open(&b, "cpu12-64k",
               START " vector cop, bitten\n movb #1, COPCTL\n movb #0, COPCTL\n ldy #5\nfeed: ldx #2500\nw: "
                     "dbne x, w\n movb #0x55, ARMCOP\n movb #0xaa, "
                     "ARMCOP\n dbne y, feed\nrest: bra rest\nbitten: ldaa #7\nagain: bra again\n");
    oak_event event = bench_run(&b, 200000, UINT64_MAX);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_WATCHDOG);
    ck_assert_uint_gt(cycles_of(&b), 5 * 7500 + 8192 - 100);
    ck_assert_uint_lt(cycles_of(&b), 5 * 7530 + 8192 + 100);
    bench_run(&b, 100, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "a"), 7);
    bench_close(&b);
    bench_open(&b, "cpu12-64k",
               START " vector cop, start\n movb #1, COPCTL\n movb #0x12, ARMCOP\nrest: bra rest\n");
    ck_assert_int_eq(bench_run(&b, 1000, UINT64_MAX).stop.fault, OAK_FAULT_WATCHDOG_KEY);
    bench_close(&b);
}
END_TEST

/* Both serial ports, each with its own rate; a byte goes when its flag was looked at, and is lost while one waits. */
START_TEST(serial_ports_send_and_receive)
{
    bench b;
    bench_open(&b, "cpu12-64k",
               START " movw #3, SCI1BD\n movb #8, SCI1CR2\n movb #0x4b, SCI1DRL\nrest: nop\n bra rest\n");
    ck_assert_int_eq(oak_session_record(b.session, "ps.3", &b.sink), OAK_OK);
    bench_run(&b, 900, UINT64_MAX);
    /* 0, 1 1 0 1 0 0 1 0, 1: changes behind the start bit after 1, 3, 4, 5, 7, 8 and 9 bits of 48 cycles. */
    static const unsigned bits[] = {0, 1, 3, 4, 5, 7, 8, 9};
    for (unsigned i = 0; i < 8; i++) ck_assert_uint_eq(edge(&b, i + 1) - edge(&b, 1), bits[i] * 48);
    ck_assert_int_eq(value_of(&b, "SCI1SR1 & 0xc0"), 0xC0);
    bench_close(&b);
    bench_open(&b, "cpu12-64k",
               START " movw #52, SCI0BD\n movb #4, SCI0CR2\n ldaa SCI0DRL\nw1: brclr SCI0SR1, #0x20, w1\n "
                     "ldaa SCI0DRL\n staa 0x1000\n ldx "
                     "#30000\nw: dbne x, w\n ldab SCI0SR1\n stab 0x1001\n ldaa SCI0DRL\n staa 0x1002\n ldab "
                     "SCI0SR1\n stab 0x1003\nrest: bra rest\n");
    ck_assert_int_eq(oak_session_drive(b.session, "ps.0 = bytes \"oak\" at 9600 from 1ms", &b.sink), OAK_OK);
    bench_run(&b, 200000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "mem[0x1000]"), 'o');
    ck_assert_int_eq(value_of(&b, "mem[0x1001] & 0x28"), 0x28); /* one waits, another was lost */
    ck_assert_int_eq(value_of(&b, "mem[0x1002]"), 'a');
    ck_assert_int_eq(value_of(&b, "mem[0x1003] & 0x28"), 0);
    bench_close(&b);
}
END_TEST

/* Interrupts: irq as long as its pin is low, xirq through i; cli lets them in behind the next instruction; the frame, and back. */
START_TEST(interrupts_push_all_registers)
{
    bench b;
    bench_open(&b, "cpu12-64k",
               START " vector irq, one\n vector xirq, two\n ldd #0x1234\n ldx #0x5678\n ldy #0x9abc\n andcc "
                     "#0xbf\n cli\n inca\n inca\nrest: bra "
                     "rest\none: ldaa 2,sp\n staa 0x1000\n movw 3,sp, 0x1002\n movw 5,sp, 0x1004\n movw "
                     "7,sp, 0x1006\n bset PUCR, #0x10\n ldaa #0\n rti\ntwo: "
                     "ldaa #0x77\n staa 0x1010\n tfr ccr, a\n staa 0x1011\n rti\n");
    ck_assert_int_eq(oak_session_drive(b.session, "pe.1 = 0 until 30us, 1", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "pe.0 = 1 until 100us, 0 for 1us, 1", &b.sink), OAK_OK);
    bench_run(&b, 2000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "mem[0x1000]"), 0x13); /* one inca behind cli, and not two */
    ck_assert_int_eq(value_of(&b, "mem[0x1002:2]"), 0x5678);
    ck_assert_int_eq(value_of(&b, "mem[0x1004:2]"), 0x9ABC);
    ck_assert_int_eq(value_of(&b, "x * 65536 + y"), 0x56789ABC);
    ck_assert_int_eq(value_of(&b, "a"), 0x14);
    ck_assert_int_eq(value_of(&b, "mem[0x1010]"), 0x77);
    ck_assert_int_eq(value_of(&b, "mem[0x1011] & 0x50"), 0x50); /* both are held back in it */
    ck_assert_int_eq(value_of(&b, "ccr & 0x50"), 0);
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ pages */

static const char paged[] =
    " vector reset, start\n vector rti, tick\n section vars, ram\nsum: ds 2\nticks: ds 1\n section prog, "
    "low\nstart: lds #0x4000\n ldd #0\n std "
    "sum\n movb #0x10, RTICTL\n movb #0x80, CRGINT\n cli\n ldy #100\nagain: pshy\n call one\n call two, "
    "page(two)\n puly\n dbne y, again\n movb "
    "#page(text), PPAGE\n ldx #text\n ldaa 0,x\n jsr fixed\nrest: nop\n bra rest\ntick: movb #0x80, CRGFLG\n "
    "inc ticks\n rti\n section p1, "
    "pages, at 0xc0000\none: ldd sum\n jsr add1\n std sum\n rtc\nadd1: addd #1\n rts\n section p2, pages, at "
    "0xc4000\ntwo: ldx #table\n ldd "
    "sum\n addd 2,x\n std sum\n call three\n rtc\ntable: dw 1, 10, 100\n section p3, pages, at "
    "0xf4100\nthree: leax table3,pcr\n ldd sum\n addd "
    "0,x\n std sum\n rtc\ntable3: dw 100\ntext: db \"oak\"\n section f, high\nfixed: inca\n rts\n";

/* Each routine in a page of its own, interrupts between: what is called, read and jumped to lies in the page that is selected; and so backwards. */
START_TEST(pages_show_at_the_window)
{
    bench b, other;
    bench_open(&b, "cpu12-256k", paged);
    bench_open(&other, "cpu12-256k", paged);
    bench_run(&b, 15000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "sum"), 100 * 111);
    ck_assert_int_eq(value_of(&b, "a"), 'o' + 1);
    ck_assert_int_eq(value_of(&b, "PPAGE"), 0x3D);
    ck_assert_int_eq(value_of(&b, "ticks"), 15000 / 512);
    ck_assert_int_eq(value_of(&b, "flash[0x3410d]"), 'o'); /* the same cells, page behind page */
    for (uint64_t cycles = 0; cycles < 15000;) {           /* step by step the same */
        oak_event event;
        ck_assert_int_eq(oak_session_step(other.session, &event), OAK_OK);
        cycles = cycles_of(&other);
    }
    ck_assert_int_eq(value_of(&other, "sum * 65536 + ticks"), value_of(&b, "sum * 65536 + ticks"));
    ck_assert_uint_eq(cycles_of(&other), cycles_of(&b));
    bench_close(&other);
    must_come_back(b.program);
    bench_close(&b);
    /* What cannot be: a jump into another page, code that runs out of its own. */
    oak_part *part = load_part("cpu12-256k");
    collected diags;
    ck_assert_ptr_null(assemble(
        part, " section p, pages, at 0xc0000\na1: jsr b1\n bra a1\n section q, pages, at 0xc4000\nb1: rts\n",
        &diags));
    ck_assert_str_eq(diags.one[0].code, "branch-reach");
    ck_assert_str_eq(diags.one[0].hint, "Write `call b1`, which selects its page; it comes back by `rtc`.");
    oak_part_free(part);
    bench_open(&b, "cpu12-256k",
               " vector reset, start\n section p, low\nstart: lds #0x4000\n call run\n section q, pages, at "
               "0xc3ffe\nrun: nop\n nop\n");
    oak_event event = bench_run(&b, 100, UINT64_MAX);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_OUTSIDE_CODE);
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ source */

/* What people write: its bytes, and what is said of it. */
START_TEST(operands_are_read_as_people_write_them)
{
    static const struct {
        const char *line, *code;
        unsigned count;
        uint8_t bytes[6];
    } all[] = {
        {" ldaa #5\n", NULL, 2, {0x86, 5}},
        {" ldaa 0x55\n", NULL, 2, {0x96, 0x55}},
        {" ldaa 0x1055\n", NULL, 3, {0xB6, 0x10, 0x55}},
        {" ldaa 5,x\n", NULL, 2, {0xA6, 5}},
        {" ldaa -16,y\n", NULL, 2, {0xA6, 0x50}},
        {" ldaa 16,x\n", NULL, 3, {0xA6, 0xE0, 16}},
        {" ldaa -17,sp\n", NULL, 3, {0xA6, 0xF1, 0xEF}},
        {" ldaa 256,x\n", NULL, 4, {0xA6, 0xE2, 1, 0}},
        {" ldaa 1,x+\n", NULL, 2, {0xA6, 0x30}},
        {" ldaa 8 , - y\n", NULL, 2, {0xA6, 0x68}},
        {" ldaa 1,+sp\n", NULL, 2, {0xA6, 0xA0}},
        {" ldaa 2,y-\n", NULL, 2, {0xA6, 0x7E}},
        {" ldaa a,x\n", NULL, 2, {0xA6, 0xE4}},
        {" ldaa B, Y\n", NULL, 2, {0xA6, 0xED}},
        {" ldaa d,sp\n", NULL, 2, {0xA6, 0xF6}},
        {" ldaa [d,x]\n", NULL, 2, {0xA6, 0xE7}},
        {" ldaa [5,y]\n", NULL, 4, {0xA6, 0xEB, 0, 5}},
        {" ldaa 0x4002,pcr\n", NULL, 2, {0xA6, 0xC0}},
        {" ldaa 5,pc\n", NULL, 2, {0xA6, 0xC5}},
        {" ldaa [0x4010,pcr]\n", NULL, 4, {0xA6, 0xFB, 0, 0x0C}},
        {" movb #1, 5,x\n", NULL, 4, {0x18, 0x08, 5, 1}},
        {" movb 1,x+,1,y+\n", NULL, 4, {0x18, 0x0A, 0x30, 0x70}},
        {" movw 0x1000, 2,-x\n", NULL, 5, {0x18, 0x01, 0x2E, 0x10, 0x00}},
        {" movb 0x4005,pcr, 0x1000\n",
         NULL,
         5,
         {0x18, 0x0D, 0xC2, 0x10, 0x00}}, /* counts from two before its end */
        {" brset 0x50, #3, $\n", NULL, 4, {0x4E, 0x50, 3, 0xFC}},
        {" brclr 300,x, #1, $\n", NULL, 6, {0x0F, 0xE2, 1, 44, 1, 0xFA}},
        {" dbne d, $\n", NULL, 3, {0x04, 0x34, 0xFD}},
        {" tfr a, x\n", NULL, 2, {0xB7, 0x05}},
        {" sex a, x\n", NULL, 2, {0xB7, 0x05}},
        {" exg d, x\n", NULL, 2, {0xB7, 0xC5}},
        {" lsla\n", NULL, 1, {0x48}},
        {" bhs $\n", NULL, 2, {0x24, 0xFE}},
        {" jsr 0x20\n", NULL, 2, {0x17, 0x20}},
        {" trap #0x30\n", NULL, 2, {0x18, 0x30}},
        {" call 0x4100, 3\n", NULL, 4, {0x4A, 0x41, 0x00, 3}},
        {" ldaa 5\n", "doubtful-mark", 2, {0x96, 5}},
        {" lds 0x4000\n", "doubtful-mark", 3, {0xFF, 0x40, 0}},
        {" ldaa #300\n", "value-range", 0, {0}},
        {" ldaa 9,x+\n", "value-range", 0, {0}},
        {" movb 20,x, 0x1000\n", "value-range", 0, {0}},
        {" ldaa 1,pc+\n", "operand", 0, {0}},
        {" bra 0x5000\n", "branch-reach", 0, {0}},
        {" bne 0x5000\n", "branch-reach", 0, {0}},
        {" dbne x, 0x5000\n", "branch-reach", 0, {0}},
        {" trap #5\n", "value-range", 0, {0}},
        {" staa #5\n", "no-such-form", 0, {0}},
        {" ldaa ,x\n", "operand", 0, {0}},
        {" bset 0x50\n", "no-such-form", 0, {0}},
        {" leax 0x1000\n", "no-such-form", 0, {0}},
        {" mov a, b\n", "unknown-operation", 0, {0}},
    };
    oak_part *part = load_part("cpu12-64k");
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char source[300];
        collected diags;
        snprintf(source, sizeof source, " org 0x4000\n%s", all[i].line);
        oak_program *program = assemble(part, source, &diags);
        unsigned first = 0;
        while (first < diags.count && !strcmp(diags.one[first].code, "runs-off")) first++;
        const char *code = first < diags.count ? diags.one[first].code : NULL;
        ck_assert_msg(!code == !all[i].code && (!code || !strcmp(code, all[i].code)), "%s: %s", all[i].line,
                      code ? code : "nothing is said");
        if (!all[i].count) continue;
        ck_assert_ptr_nonnull(program);
        for (unsigned k = 0; k < all[i].count; k++) {
            uint8_t byte = 0;
            oak_image_byte(oak_program_image(program), 0x4000 + k, &byte);
            ck_assert_msg(byte == all[i].bytes[k], "%s, byte %u: 0x%02x", all[i].line, k, byte);
        }
        uint8_t behind;
        ck_assert_msg(!oak_image_byte(oak_program_image(program), 0x4000 + all[i].count, &behind),
                      "%s is longer", all[i].line);
        oak_program_free(program);
    }
    oak_part_free(part);
}
END_TEST

/* The example and the tool. */
START_TEST(the_dowel_counter_measures)
{
    char *out, *error;
    const char *in = "d=$(mktemp -d) && cd $d && cp " SOURCE_FOLDER "/examples/dowels/* . && ";
    static const struct {
        const char *command, *said;
    } all[] = {
        {SPINDLE " trial --afresh", "5 passed, 0 failed"},
        {SPINDLE " run dowels.asm --part cpu12-64k --board board.yaml --time 300ms", "piece 3: 2900 us"},
        {SPINDLE " run dowels.asm --part cpu12-64k --board board.yaml --time 300ms",
         "it starts at 0x4000, start, as the vector `reset` at 0xfffe says; start-up code runs before "
         "`main`"},
        {SPINDLE " asm dowels.asm --part cpu12-64k && " SPINDLE
                 " look dowels.hex --part cpu12-64k -o again.asm && " SPINDLE
                 " asm again.asm --part cpu12-64k && cmp dowels.hex again.hex && echo the same",
         "the same"},
        {"printf 'stop passes\ngo\nstack\n' | " SPINDLE
         " bench dowels.asm --part cpu12-64k --board board.yaml",
         "saved ccr\n"},
        {"printf 'stop passes\ngo\nTCNT\nmemory mem[0x1000..0x100f] as words little\n' | " SPINDLE
         " bench dowels.asm --part cpu12-64k --board board.yaml",
         "since width longest pieces due asked"},
        {SPINDLE " explain ee fb 00 3a --part cpu12-64k",
         "x         0x003a, byte 4: a distance, it leads to 0x003e"},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char command[900];
        snprintf(command, sizeof command, "%s%s; code=$?; rm -r $d; exit $code", in, all[i].command);
        ck_assert_int_eq(shell(command, &out, &error), 0);
        ck_assert_msg(strstr(out, all[i].said) != NULL, "%s: %s", all[i].command, out);
        free(out), free(error);
    }
}
END_TEST

RUN_SUITE("cpu12", every_code_does_what_the_second_core_does, every_postbyte_leads_where_it_should,
          chains_of_code_that_overwrites_itself_agree_with_single_steps, arithmetic_is_right_on_all_operands,
          every_code_is_read_back_and_assembles_to_itself, channels_compare, channels_capture,
          real_time_goes_round, the_watchdog_is_armed_once, serial_ports_send_and_receive,
          interrupts_push_all_registers, pages_show_at_the_window, operands_are_read_as_people_write_them,
          the_dowel_counter_measures)
