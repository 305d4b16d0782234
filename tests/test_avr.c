/* The register core against a second implementation: every operation code on random machines, one by one and in chains, arithmetic on all bytes and flags; the
 * stack, devices by hand, sleep, and what the source language says. */
#include "reference_avr.h"
#include "support.h"

#include <stdio.h>

enum { CODE = 1, DATA, EEPROM };
enum { SREG = 32, SP, PC };

typedef struct rig {
    bare on;
    refavr *ref;
} rig;

static void rig_open(rig *r)
{
    bare_open(&r->on, "avr");
    r->ref = calloc(1, sizeof *r->ref);
    r->ref->data[0x5D] = r->ref->data[0x5E] = 0xFF;
    for (unsigned at = 0; at < 0x10000; at++) { /* so that all of it is programmed: jumps to itself */
        r->ref->code[at] = 0xCFFF;
        if (r->on.chip.ops->write_memory(r->on.chip.chip, CODE, at, (uint8_t[]){0xFF, 0xCF}, 2))
            ck_abort_msg("no code at 0x%x", at);
    }
}

static void rig_close(rig *r)
{
    bare_close(&r->on);
    free(r->ref);
}

static void set_reg(rig *r, unsigned number, uint32_t value)
{
    bare_set(&r->on, number, value);
    if (number < 32) r->ref->data[number] = (uint8_t)value;
    else if (number == SREG) r->ref->data[0x5F] = (uint8_t)value;
    else if (number == SP) r->ref->data[0x5D] = (uint8_t)value, r->ref->data[0x5E] = (uint8_t)(value >> 8);
    else r->ref->pc = (uint16_t)value;
}

/* Words of code, at both. */
static void put_code(rig *r, uint32_t at, const uint16_t *words, unsigned count)
{
    for (unsigned i = 0; i < count; i++) {
        uint16_t where = (uint16_t)(at + i);
        uint8_t bytes[2] = {(uint8_t)words[i], (uint8_t)(words[i] >> 8)};
        if (r->on.chip.ops->write_memory(r->on.chip.chip, CODE, where, bytes, 2))
            ck_abort_msg("no code at 0x%x", where);
        r->ref->code[where] = words[i];
    }
}

static void fill(rig *r, uint64_t *seed)
{
    fill_both(&r->on.chip, DATA, r->ref->data, sizeof r->ref->data, seed);
}

static void take_over(rig *r, uint64_t *seed)
{
    for (unsigned i = 0; i < 32; i++) set_reg(r, i, random32(seed) & 0xFF);
    set_reg(r, SREG, random32(seed) & 0xFF);
    set_reg(r, SP, 0x100 + random32(seed) % 0xFE00);
    set_reg(r, PC, 16 + random32(seed) % 0xFF00);
}

static void must_agree(rig *r, const char *what)
{
    for (unsigned i = 0; i < 32; i++)
        if (bare_register(&r->on, i) != r->ref->data[i])
            ck_abort_msg("%s: r%u is 0x%x, not 0x%x", what, i, bare_register(&r->on, i), r->ref->data[i]);
    if (bare_register(&r->on, SREG) != r->ref->data[0x5F])
        ck_abort_msg("%s: sreg is 0x%x, not 0x%x", what, bare_register(&r->on, SREG), r->ref->data[0x5F]);
    if (bare_register(&r->on, SP) != (unsigned)(r->ref->data[0x5D] | r->ref->data[0x5E] << 8))
        ck_abort_msg("%s: sp is 0x%x", what, bare_register(&r->on, SP));
    if (bare_register(&r->on, PC) != r->ref->pc)
        ck_abort_msg("%s: pc is 0x%x, not 0x%x", what, bare_register(&r->on, PC), r->ref->pc);
}

static void memories_must_agree(rig *r, const char *what)
{
    must_be_alike(&r->on.chip, DATA, r->ref->data, sizeof r->ref->data, what);
}

/* ------------------------------------------------------------------------------------------ every code */

START_TEST(every_code_does_what_the_second_model_does)
{
    rig r;
    uint64_t seed = 4711;
    rig_open(&r);
    fill(&r, &seed);
    unsigned reserved = 0;
    for (unsigned code = 0; code < 0x10000; code++)
        for (unsigned round = 0; round < (STRIDE > 1 ? 1 : 3); round++) {
            char what[80];
            take_over(&r, &seed);
            uint16_t words[4] = {(uint16_t)code, (uint16_t)random32(&seed), (uint16_t)random32(&seed), 0},
                     pc = r.ref->pc;
            if (round == 2)
                words[1] = (const uint16_t[]){0x9000, 0x93F0, 0x940C,
                                              0x940E}[random32(&seed) % 4]; /* of two words */
            put_code(&r, pc, words, 4);
            snprintf(what, sizeof what, "%04x %04x at 0x%04x", words[0], words[1], pc);
            uint64_t before = bare_time(&r.on).cycles;
            int done = refavr_step(r.ref);
            if (done == REFAVR_PROGRAMS) {
                r.ref->pc = pc;
                continue;
            }
            oak_stop stop = bare_run(&r.on, 1);
            if (done == REFAVR_RESERVED) {
                reserved++;
                ck_assert_msg(stop.reason == OAK_STOP_FAULT && stop.fault == OAK_FAULT_RESERVED &&
                                  stop.pc == pc,
                              "%s: %d %d", what, stop.reason, stop.fault);
                must_agree(&r, what);
                break;
            }
            if (stop.reason == OAK_STOP_PARKED && r.ref->pc == pc) continue;
            ck_assert_msg(stop.reason == OAK_STOP_STEPS, "%s stops by %d, fault %d", what, stop.reason,
                          stop.fault);
            must_agree(&r, what);
            if (bare_time(&r.on).cycles - before != r.ref->cycles)
                ck_abort_msg("%s: %u cycles, not %u", what, (unsigned)(bare_time(&r.on).cycles - before),
                             r.ref->cycles);
            if ((code * 3 + round) % 997 == 0) memories_must_agree(&r, what);
        }
    memories_must_agree(&r, "in the end");
    /* 0x0001 to 0x00ff; 1001 00..: of loads 3, 6, 7, 8, 11, of stores these and 4, 5; 1001 010.: 4, 11, 13, 15, of 12 and 14 all but one, of 8 and 9
     * what names nothing; bits of registers with bit 3 set */
    ck_assert_uint_eq(reserved, 255 + 5 * 32 + 7 * 32 + 4 * 32 + 2 * 31 + (16 - 7) + (32 - 2) + 4 * 32 * 8);
    rig_close(&r);
}
END_TEST

/* Random words that are instructions: programs run as a whole, with all that goes together. */
START_TEST(chains_agree_with_single_steps)
{
    static const uint16_t likely[] = {0x0400, 0x0800, 0x0C00, 0x1400, 0x1800, 0x1C00,
                                      0x3000, 0x4000, 0x5000, 0xF000, 0xF400};
    rig r;
    uint64_t seed = 99;
    rig_open(&r);
    unsigned long long executed = 0;
    for (unsigned program = 0; program < 100; program++) {
        fill(&r, &seed);
        static uint16_t words[0x10000];
        for (unsigned i = 0; i < 0x10000; i++) {
            uint16_t word = (uint16_t)random32(&seed);
            if (random32(&seed) % 2)
                word =
                    (uint16_t)((word & 0x3FF) | likely[random32(&seed) % (sizeof likely / sizeof *likely)]);
            words[i] = word == 0x95E8 ? 0 : word;
        }
        put_code(&r, 0, words, program % 8 ? 0x2000 : 0x10000);
        for (unsigned piece = 0; piece < 60; piece++) {
            take_over(&r, &seed);
            unsigned wanted = 1 + random32(&seed) % 400, done = 0, cycles = 0;
            uint64_t before = bare_time(&r.on).cycles, begun = bare_time(&r.on).instructions;
            while (done < wanted) {
                uint16_t pc = r.ref->pc;
                unsigned sp = (unsigned)(r.ref->data[0x5D] | r.ref->data[0x5E] << 8);
                if (sp < 0x80 || sp > 0xFF80) break;
                int how = refavr_step(r.ref);
                if (how == REFAVR_SLEEPS) r.ref->pc = pc;
                if (how) break;
                done++, cycles += r.ref->cycles;
                if (r.ref->pc == pc) break; /* it parks */
            }
            if (!done) continue;
            char what[60];
            snprintf(what, sizeof what, "program %u, piece %u, %u instructions", program, piece, done);
            oak_stop stop = bare_run(&r.on, done);
            ck_assert_msg(stop.reason == OAK_STOP_STEPS || stop.reason == OAK_STOP_PARKED,
                          "%s: %d fault %d at 0x%x", what, stop.reason, stop.fault, stop.pc);
            if (stop.reason == OAK_STOP_PARKED) continue;
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

/* Registers r17 and r18, or r17 and a number, with all bytes and carries; what stands behind decides by each flag. */
static void once(rig *r, const uint16_t *words, unsigned count, uint8_t a, uint8_t b, uint8_t sreg)
{
    if (r->ref->code[0x40] != words[0] || (count > 1 && r->ref->code[0x41] != words[1]) ||
        (count > 2 && r->ref->code[0x42] != words[2]))
        put_code(r, 0x40, words, count);
    set_reg(r, PC, 0x40);
    set_reg(r, 17, a);
    set_reg(r, 18, b);
    set_reg(r, SREG, sreg);
    uint64_t before = bare_time(&r->on).cycles;
    unsigned cycles = 0;
    for (unsigned i = 0; i < count; i++) refavr_step(r->ref), cycles += r->ref->cycles;
    bare_run(&r->on, count);
    if (bare_register(&r->on, 17) != r->ref->data[17] || bare_register(&r->on, 18) != r->ref->data[18] ||
        bare_register(&r->on, SREG) != r->ref->data[0x5F] || bare_register(&r->on, PC) != r->ref->pc ||
        bare_time(&r->on).cycles - before != cycles)
        ck_abort_msg("%04x %04x with 0x%02x, 0x%02x, sreg 0x%02x: 0x%02x sreg 0x%02x pc 0x%x, not 0x%02x "
                     "sreg 0x%02x pc 0x%x",
                     words[0], words[1], a, b, sreg, bare_register(&r->on, 17), bare_register(&r->on, SREG),
                     bare_register(&r->on, PC), r->ref->data[17], r->ref->data[0x5F], r->ref->pc);
}

START_TEST(arithmetic_is_right_on_all_operands)
{
    static const uint16_t two[] = {0x0712, 0x0B12, 0x0F12, 0x1712, 0x1B12, 0x1F12, 0x2312, 0x2712,
                                   0x2B12, 0x9F12, 0x0212, 0x0312, 0x031A, 0x0392, 0x039A},
                          one[] = {0x9510, 0x9511, 0x9513, 0x9515, 0x9516, 0x9517,
                                   0x951A, 0x0F11, 0x1F11, 0x2311, 0x2711},
                          number[] = {0x3010, 0x4010, 0x5010, 0x6010, 0x7010};
    rig r;
    rig_open(&r);
    for (unsigned i = 0; i < sizeof two / sizeof *two; i++)
        for (unsigned a = 0; a < 256; a++)
            for (unsigned b = a % STRIDE; b < 256; b += STRIDE)
                once(&r, (uint16_t[]){two[i], 0}, 1, (uint8_t)a, (uint8_t)b, (uint8_t)(a * 7 + b * 3));
    for (unsigned i = 0; i < sizeof one / sizeof *one; i++)
        for (unsigned a = 0; a < 256; a++)
            for (unsigned sreg = 0; sreg < 64; sreg++)
                once(&r, (uint16_t[]){one[i], 0}, 1, (uint8_t)a, 0, (uint8_t)sreg);
    for (unsigned i = 0; i < sizeof number / sizeof *number; i++)
        for (unsigned k = 0; k < 256; k++)
            for (unsigned a = k % STRIDE; a < 256; a += 3 * STRIDE) {
                uint16_t code = (uint16_t)(number[i] | (k & 15) | (k >> 4) << 8);
                once(&r, (uint16_t[]){code, 0}, 1, (uint8_t)a, 0, (uint8_t)(a ^ k));
            }
    rig_close(&r);
}
END_TEST

START_TEST(every_flag_is_set_and_asked)
{
    rig r;
    rig_open(&r);
    for (unsigned sreg = 0; sreg < 256; sreg++)
        for (unsigned bit = 0; bit < 8; bit++)
            for (unsigned set = 0; set < 2; set++)
                for (unsigned asked = 0; asked < 16; asked++) { /* bset or bclr, then each branch */
                    uint16_t words[2] = {(uint16_t)(0x9408 | (set ? 0 : 0x80) | bit << 4),
                                         (uint16_t)(0xF000 | (asked & 8) << 7 | 5 << 3 | (asked & 7))};
                    once(&r, words, 2, 0, 0, (uint8_t)sreg);
                }
    rig_close(&r);
}
END_TEST

/* What goes together in a chain against each by itself: comparisons and sums of two bytes, with each branch behind them. */
START_TEST(what_runs_together_is_as_each_alone)
{
    static const uint16_t first[] = {0x1712, 0x3917, 0x0F12, 0x1B12, 0x5317,
                                     0x951A, 0x9711, 0x2311, 0x0712, 0x4317},
                          second[] = {0x0727, 0x0721, 0x1F27, 0x1F21, 0x0B27,
                                      0x4121, 0xF009, 0xF409, 0xF00A, 0xF40C},
                          third[] = {0xF008, 0xF009, 0xF408, 0xF409, 0xF40C, 0x0000};
    rig r;
    uint64_t seed = 3;
    rig_open(&r);
    for (unsigned i = 0; i < 10; i++)
        for (unsigned k = 0; k < 10; k++)
            for (unsigned l = 0; l < 6; l++)
                for (unsigned n = 0; n < 60; n++) {
                    uint16_t words[4] = {first[i], second[k], third[l], 0};
                    uint8_t a = (uint8_t)random32(&seed), b = n % 3 ? (uint8_t)random32(&seed) : a;
                    bool stops = n % 7 == 0; /* somebody wants to stop between them */
                    if (stops)
                        ck_assert_int_eq(r.on.chip.ops->set_stop(r.on.chip.chip, 0x41 + n % 2, true), OAK_OK);
                    if (!stops) once(&r, words, 3, a, b, (uint8_t)random32(&seed));
                    else {
                        put_code(&r, 0x40, words, 4);
                        set_reg(&r, PC, 0x40), set_reg(&r, 17, a), set_reg(&r, 18, b),
                            set_reg(&r, SREG, random32(&seed) & 0xFF);
                        unsigned done = 0;
                        while (done < 3 && (!done || r.ref->pc != 0x41 + n % 2)) refavr_step(r.ref), done++;
                        oak_stop stop = bare_run(&r.on, 3);
                        ck_assert_int_eq(stop.reason,
                                         r.ref->pc == 0x41 + n % 2 ? OAK_STOP_POINT : OAK_STOP_STEPS);
                        must_agree(&r, "a stop between");
                        ck_assert_int_eq(r.on.chip.ops->set_stop(r.on.chip.chip, 0x41 + n % 2, false),
                                         OAK_OK);
                    }
                }
    rig_close(&r);
}
END_TEST

/* ------------------------------------------------------------------------------------------ reading back */

START_TEST(every_code_is_read_back_and_assembles_to_itself)
{
    oak_part *part = load_part("avr-32k");
    oak_host host = oak_linux_host();
    uint64_t seed = 5;
    for (unsigned piece = 0; piece < 16; piece++) {
        oak_program *program;
        ck_assert_int_eq(oak_program_create(&host, part, &program), OAK_OK);
        for (unsigned i = 0; i < 0x1000; i++) {
            uint16_t code = (uint16_t)(piece * 0x1000 + i), word = random32(&seed) & 0x3FFF;
            uint8_t bytes[4] = {(uint8_t)code, (uint8_t)(code >> 8), (uint8_t)word, (uint8_t)(word >> 8)};
            oak_image_write(oak_program_image(program), 0x2000 + i * 4, bytes, sizeof bytes);
        }
        oak_image_write(oak_program_image(program), 0, (uint8_t[]){0x0C, 0x94, 0x00, 0x10}, 4);
        oak_program_finish(program);
        must_come_back(program);
        oak_program_free(program);
    }
    oak_part_free(part);
}
END_TEST

/* ------------------------------------------------------------------------------------------ devices */

#define START                                                                                                \
    " vector reset, start\n section p, code\nstart: clr r2\n ldi r16, 0x0e\n out DDRB, r16\n ldi r16, "      \
    "0x68\n out DDRD, r16\n"
#define PUT(reg, value) " ldi r16, " value "\n sts " reg ", r16\n"

/* The time of a change of the recorded pin, from the first one that rises behind the settings on. */
static uint64_t edge(const bench *b, unsigned which)
{
    oak_trace_change one;
    bool rose = false;
    for (size_t i = 0; oak_trace_change_at(oak_session_trace(b->session), i, &one); i++) {
        rose = rose || (!one.other && one.value && one.time > 200);
        if (rose && !one.other && !which--) return one.time;
    }
    return 0;
}

/* Each way of counting with ways of the pins: how long one is up, and down, after that. */
START_TEST(the_timers_drive_their_pins)
{
    static const struct {
        const char *pin, *settings;
        unsigned up, down;
    } all[] = {
        {"pd.6", PUT("OCR0A", "63") PUT("TCCR0A", "1<<COM0A1|1<<WGM01|1<<WGM00") PUT("TCCR0B", "1<<CS00"), 64,
         192},
        {"pd.6",
         PUT("OCR0A", "63") PUT("TCCR0A", "1<<COM0A1|1<<COM0A0|1<<WGM01|1<<WGM00") PUT("TCCR0B", "1<<CS00"),
         192, 64}, /* the other way round */
        {"pd.6", PUT("OCR0A", "64") PUT("TCCR0A", "1<<COM0A1|1<<WGM00") PUT("TCCR0B", "1<<CS00"), 128,
         382}, /* up and down */
        {"pd.6", PUT("OCR0A", "99") PUT("TCCR0A", "1<<COM0A0|1<<WGM01") PUT("TCCR0B", "1<<CS01"), 800,
         800}, /* cleared, turned over */
        {"pd.6", PUT("OCR0A", "99") PUT("TCCR0A", "1<<COM0A0") PUT("TCCR0B", "1<<CS00"), 256,
         256}, /* through all of it */
        {"pd.5",
         PUT("OCR0A", "99") PUT("OCR0B", "24") PUT("TCCR0A", "1<<COM0B1|1<<WGM01|1<<WGM00")
             PUT("TCCR0B", "1<<WGM02|1<<CS00"),
         25, 75},
        {"pd.5",
         PUT("OCR0A", "99") PUT("OCR0B", "24") PUT("TCCR0A", "1<<COM0B1|1<<WGM00")
             PUT("TCCR0B", "1<<WGM02|1<<CS00"),
         48, 150},
        {"pd.6",
         PUT("OCR0A", "49") PUT("TCCR0A", "1<<COM0A0|1<<WGM01|1<<WGM00") PUT("TCCR0B", "1<<WGM02|1<<CS00"),
         50, 50}, /* its own top */
        {"pb.3", PUT("OCR2A", "9") PUT("TCCR2A", "1<<COM2A1|1<<WGM21|1<<WGM20") PUT("TCCR2B", "3"), 320,
         7872}, /* every 32 cycles */
        {"pd.3", PUT("OCR2B", "1") PUT("TCCR2A", "1<<COM2B1|1<<WGM21|1<<WGM20") PUT("TCCR2B", "4"), 128,
         16256}, /* every 64 */
        {"pb.1",
         PUT("TCCR1A", "1<<COM1A1|1<<WGM11") PUT("TCCR1B", "1<<WGM13|1<<WGM12|1<<CS10") PUT("ICR1H", "3")
             PUT("ICR1L", "0xe7") PUT("OCR1AH", "0") PUT("OCR1AL", "249"),
         250, 750},
        {"pb.2",
         PUT("TCCR1A", "1<<COM1B1") PUT("TCCR1B", "1<<WGM13|1<<CS10") PUT("ICR1H", "3") PUT("ICR1L", "0xe7")
             PUT("OCR1BH", "1") PUT("OCR1BL", "0"),
         512, 1486},
        {"pb.1",
         PUT("OCR1AH", "1") PUT("OCR1AL", "0xff") PUT("TCCR1A", "1<<COM1A1|1<<WGM11|1<<WGM10")
             PUT("TCCR1B", "1<<WGM12|1<<CS10"),
         512, 512}, /* ten bits */
        {"pb.1",
         PUT("OCR1AH", "2") PUT("OCR1AL", "0x57") PUT("TCCR1A", "1<<COM1A0")
             PUT("TCCR1B", "1<<WGM12|1<<CS10"),
         600, 600},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char source[1200];
        bench b;
        snprintf(source, sizeof source, START "%srest: nop\n rjmp rest\n", all[i].settings);
        bench_open(&b, "avr-32k", source);
        ck_assert_int_eq(oak_session_record(b.session, all[i].pin, &b.sink), OAK_OK);
        bench_run(&b, 80000, UINT64_MAX);
        ck_assert_msg(edge(&b, 3) - edge(&b, 2) == all[i].up && edge(&b, 4) - edge(&b, 3) == all[i].down,
                      "%u: up %llu, down %llu", i, (unsigned long long)(edge(&b, 3) - edge(&b, 2)),
                      (unsigned long long)(edge(&b, 4) - edge(&b, 3)));
        bench_close(&b);
    }
}
END_TEST

/* Flags come with the step behind the value, are taken back one by one with a bit of 1, and interrupt in the order of their vectors. */
START_TEST(timers_tell_what_they_have_come_to)
{
    bench b;
    bench_open(
        &b, "avr-32k",
        START PUT("OCR0A", "10") PUT(
            "OCR0B", "20") " ldi r17, 1\n out TCCR0B, r17\n" /* counts from here on */
                           " in r18, TCNT0\n nop\n nop\n nop\n nop\n nop\n nop\n nop\n nop\n in r19, TIFR0\n "
                           "in r20, TIFR0\n in r21, TCNT0\n ldi r22, 250\n out TCNT0, r22\n in r23, TCNT0\n"
                           " nop\n nop\n nop\n nop\n nop\n in r24, TIFR0\n sbi TIFR0, OCF0A\n in r25, "
                           "TIFR0\nrest: rjmp rest\n");
    bench_run(&b, 1000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "r18"), 0); /* in the cycle behind the writing one */
    ck_assert_int_eq(value_of(&b, "r19 & 2"), 0);
    ck_assert_int_eq(value_of(&b, "r20 & 2"), 0);
    ck_assert_int_eq(value_of(&b, "r21"), 11);
    ck_assert_int_eq(value_of(&b, "r23"), 250);
    ck_assert_int_eq(value_of(&b, "r24"), 3); /* A, and the overflow at 256 */
    ck_assert_int_eq(value_of(&b, "r25"), 1); /* the overflow stays: one bit was written */
    bench_close(&b);
    bench_open(&b, "avr-32k",
               " vector timer0_a, a\n vector timer0_b, b\n vector timer0, over\n" START PUT("OCR0A", "99")
                   PUT("OCR0B", "99") PUT("TIMSK0", "7") PUT(
                       "TCCR0B", "1") " sei\nrest: rjmp rest\na: mov r20, r2\n inc r2\n reti\nb: mov r21, "
                                      "r2\n inc r2\n reti\nover: mov r22, r2\n inc r2\n inc r23\n reti\n");
    bench_run(&b, 256 * 10 + 60, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "r23"), 10);
    ck_assert_int_eq(value_of(&b, "(r21 - r20) & 255"), 1);
    ck_assert_int_eq(value_of(&b, "r2"), 30);
    bench_close(&b);
}
END_TEST

START_TEST(timer_1_captures_and_its_bytes_go_together)
{
    bench b;
    bench_open(
        &b, "avr-32k",
        START PUT("TCCR1B",
                  "1<<ICES1|1<<CS10") "first: sbis TIFR1, ICF1\n rjmp first\n lds r20, ICR1L\n lds r21, "
                                      "ICR1H\n sbi TIFR1, ICF1\n"
                                      "second: sbis TIFR1, ICF1\n rjmp second\n lds r22, ICR1L\n lds r23, "
                                      "ICR1H\n sub r22, r20\n sbc r23, r21\n"
                                      " ldi r16, 0x12\n sts TCNT1H, r16\n ldi r16, 0xfe\n sts TCNT1L, r16\n "
                                      "lds r24, TCNT1L\n nop\n nop\n lds r25, TCNT1H\nrest: rjmp rest\n");
    ck_assert_int_eq(
        oak_session_drive(b.session,
                          "pb.0 = 0 until 1000 cycles, 1 until 1500 cycles, 0 until 7321 cycles, 1", &b.sink),
        OAK_OK);
    bench_run(&b, 20000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "r23 << 8 | r22"), 6321);
    ck_assert_int_eq(value_of(&b, "r24"), 0xFF);
    ck_assert_int_eq(value_of(&b, "r25"), 0x12); /* kept when the low byte was read, though it has gone on */
    bench_close(&b);
}
END_TEST

START_TEST(the_serial_port_sends_and_receives)
{
    bench b;
    bench_open(&b, "avr-32k",
               " vector received, came\n vector sent, out\n" START PUT("UBRR0L", "7")
                   PUT("UCSR0B",
                       "1<<RXCIE0|1<<TXCIE0|1<<RXEN0|1<<TXEN0") " ldi xl, 0\n ldi xh, 1\n sei\n"
                                                                " ldi r16, 'o'\n sts UDR0, r16\n ldi r16, "
                                                                "'a'\n sts UDR0, r16\nrest: rjmp rest\ncame: "
                                                                "lds r17, UDR0\n st x+, r17\n reti\nout: inc "
                                                                "r20\n lds r21, UCSR0A\n reti\n");
    char bits[1500] = "pd.0 = 1";
    unsigned when = 1000;
    for (const char *c = "kiln"; *c; c++)
        for (unsigned frame = (unsigned)*c << 1 | 0x200, n = 0; n < 10; n++, when += 128)
            snprintf(bits + strlen(bits), sizeof bits - strlen(bits), " until %u cycles, %u", when,
                     frame >> n & 1);
    ck_assert_int_eq(oak_session_drive(b.session, bits, &b.sink), OAK_OK);
    bench_run(&b, 20000, UINT64_MAX);
    uint8_t bytes[8];
    uint64_t cycles[8];
    size_t count = 0;
    ck_assert_int_eq(b.chip.ops->sent_at(b.chip.chip, 0, cycles, 8, &count), OAK_OK);
    ck_assert_int_eq(b.chip.ops->take_output(b.chip.chip, 0, bytes, 8, &count), OAK_OK);
    ck_assert_uint_eq(count, 2);
    ck_assert_int_eq(bytes[0], 'o');
    ck_assert_int_eq(bytes[1], 'a');
    ck_assert_uint_eq(cycles[1] - cycles[0], 10 * 16 * 8); /* ten bits of 128 cycles */
    ck_assert_int_eq(value_of(&b, "r20"), 1);              /* once: the second byte waited */
    ck_assert_int_eq(value_of(&b, "r21 & 0x40"), 0);       /* being served takes it back */
    ck_assert_int_eq(value_of(&b, "data[0x100:4]"), 'k' | 'i' << 8 | 'l' << 16 | (long long)'n' << 24);
    bench_close(&b);
}
END_TEST

/* EEPROM: a write begins in the four cycles behind its opening, and takes its time; the core stands at both. */
START_TEST(eeprom_wants_its_sequence)
{
    bench b;
    bench_open(&b, "avr-32k",
               START " ldi r16, 5\n out EEARL, r16\n ldi r16, 0x4d\n out EEDR, r16\n sbi EECR, EEPE\n sbi "
                     "EECR, EEMPE\n nop\n sbi EECR, EEPE\nbusy: adiw x, 1\n sbic EECR, EEPE\n rjmp busy\n"
                     " ldi r16, 0\n out EEDR, r16\n sbi EECR, EERE\n in r20, EEDR\n sbi EECR, EEMPE\n nop\n "
                     "nop\n nop\n sbi EECR, EEPE\n in r21, EECR\nrest: rjmp rest\n");
    ck_assert_int_eq(bench_run(&b, 80000, UINT64_MAX).stop.reason, OAK_STOP_PARKED);
    const oak_noticed *locked = oak_session_noticed(b.session, 0);
    ck_assert(locked && locked->first.fault == OAK_FAULT_STAYS_LOCKED && locked->first.address == 5);
    ck_assert_uint_eq(locked->count, 2); /* without an opening; and five cycles behind one */
    ck_assert_int_eq(value_of(&b, "eeprom[5]"), 0x4D);
    ck_assert_int_eq(value_of(&b, "r20"), 0x4D);
    ck_assert_int_eq(value_of(&b, "r21 & 2"), 0);
    long long rounds = value_of(&b, "x");
    ck_assert(rounds >= 54400 / 5 - 2 && rounds <= 54400 / 5 + 1); /* 3.4 ms at 16 MHz, five cycles a look */
    bench_close(&b);
    bench_open(&b, "avr-32k", START " sbi EECR, EERE\n nop\nrest: rjmp rest\n");
    bench_run(&b, 0, 6);
    uint64_t before = cycles_of(&b);
    bench_run(&b, 0, 1);
    ck_assert_uint_eq(cycles_of(&b) - before, 2 + 4); /* sbi, and what it stands for */
    bench_close(&b);
}
END_TEST

START_TEST(the_watchdog_is_guarded)
{
    bench b;
    bench_open(&b, "avr-32k",
               START PUT("WDTCSR", "1<<WDE") "feed: wdr\n adiw x, 1\n brne feed\nrest: rjmp rest\n");
    oak_event event = bench_run(&b, 2000000, UINT64_MAX);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_WATCHDOG);
    ck_assert_uint_ge(cycles_of(&b), 65536 * 5 + 256000); /* fed as long as it counts, then 16 ms */
    ck_assert_uint_le(cycles_of(&b), 65536 * 5 + 256030);
    bench_run(&b, 100, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "MCUSR"), 9); /* power came, and the watchdog has reset */
    ck_assert_int_eq(value_of(&b, "WDTCSR & 8"), 8);
    bench_close(&b);
    bench_open(&b, "avr-32k",
               " vector wdt, turn\n" START PUT("WDTCSR", "1<<WDCE|1<<WDE")
                   PUT("WDTCSR", "1<<WDIE|1<<WDP0") " sei\nrest: rjmp rest\nturn: inc r20\n reti\n");
    bench_run(&b, 512000 * 3 + 100, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "r20"), 3);
    ck_assert_int_eq(value_of(&b, "WDTCSR"), 0x41);
    bench_close(&b);
    bench_open(&b, "avr-32k", START PUT("WDTCSR", "1<<WDE") PUT("WDTCSR", "7") " nop\nrest: rjmp rest\n");
    bench_run(&b, 40, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "WDTCSR"), 8); /* nothing was opened: it still resets, at the old rate */
    bench_close(&b);
}
END_TEST

/* Pins: levels and edges that ask, changes of some, turning over by a 1; sleep that lets timers run, or not. */
START_TEST(pins_ask_and_wake)
{
    bench b;
    bench_open(
        &b, "avr-32k",
        " vector int0, zero\n vector int1, one\n vector pcint0, change\n" START
        " ldi r16, 0x0f\n out DDRB, r16\n" PUT("EICRA", "3<<ISC00|0<<ISC10") PUT("PCMSK0", "0x30")
            PUT("PCICR", "1") " ldi r16, 3\n out EIMSK, r16\n ldi r16, 0x05\n out PORTB, r16\n sbi PINB, 1\n "
                              "sbi PINB, 0\n in r24, PORTB\n" PUT(
                                  "SMCR", "2<<SM0|1<<SE") " ldi r16, 1\n out TCCR0B, r16\n sei\nrest: "
                                                          "sleep\n inc r25\n rjmp rest\nzero: inc r20\n "
                                                          "reti\none: inc r21\n cbi EIMSK, INT1\n "
                                                          "reti\nchange: inc r22\n in r23, PINB\n reti\n");
    ck_assert_int_eq(
        oak_session_drive(b.session, "pd.2 = 0 until 500 cycles, 1 until 900 cycles, 0 until 1300 cycles, 1",
                          &b.sink),
        OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "pd.3 = 1 until 2000 cycles, 0", &b.sink), OAK_OK);
    ck_assert_int_eq(
        oak_session_drive(b.session, "pb.4 = 0 until 3000 cycles, 1 until 3500 cycles, 0", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "pb.6 = 0 until 3200 cycles, 1", &b.sink), OAK_OK);
    bench_run(&b, 6000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "r24 & 15"), 6); /* 0101, bit 1 and bit 0 turned over, alone */
    ck_assert_int_eq(value_of(&b, "r20"), 2);
    ck_assert_int_eq(value_of(&b, "r21"), 1); /* a level: until it is masked */
    ck_assert_int_eq(value_of(&b, "r22"), 2);
    ck_assert_int_eq(value_of(&b, "r25"), 5);
    ck_assert_int_lt(value_of(&b, "TCNT0"), 200); /* it stood while the core slept so deep */
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ stack and source */

START_TEST(the_stack_meets_what_the_program_keeps)
{
    bench b;
    bench_open(&b, "avr-32k", " section vars, data\nlog: ds 2000\n" START "again: rcall again\n");
    oak_event event = bench_run(&b, 100000, UINT64_MAX);
    const oak_noticed *meets = oak_session_noticed(b.session, 0);
    ck_assert(meets && meets->first.fault == OAK_FAULT_STACK_DATA);
    ck_assert_uint_eq(meets->count, 1);
    ck_assert_uint_eq(meets->first.address, 0x100 + 1999);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_STACK_OVERFLOW); /* in the end of RAM */
    bench_close(&b);
    bench_open(&b, "avr-32k", START "again: rcall again\n");
    event = bench_run(&b, 100000, UINT64_MAX);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_STACK_OVERFLOW);
    ck_assert_ptr_null(oak_session_noticed(b.session, 0));
    bench_close(&b);
    bench_open(&b, "avr-32k", START " pop r16\n ret\n");
    ck_assert_int_eq(bench_run(&b, 1000, UINT64_MAX).stop.fault, OAK_FAULT_STACK_UNDERFLOW);
    bench_close(&b);
}
END_TEST

START_TEST(words_and_bytes_are_hard_to_confuse)
{
    static const struct {
        const char *source, *code;
    } all[] = {
        {" ldi zl, low(t)\n ldi zh, high(t)\n lpm r16, z\n", "pointer-words"},
        {" ldi zl, low(bytes(t))\n ldi zh, high(bytes(t))\n lpm r16, z+\n", NULL},
        {" ldi zl, low(bytes(t))\n ldi zh, high(bytes(t))\n ijmp\n", "pointer-words"},
        {" ldi zl, low(t)\n ldi zh, high(t)\n icall\n", NULL},
        {" ldi zl, low(v)\n ldi zh, high(v)\n lpm\n", "pointer-space"},
        {" ldi xl, low(t)\n ldi xh, high(t)\n ld r0, x+\n", "pointer-space"},
        {" ldi xl, low(v)\n ldi xh, high(v)\n ld r0, x+\n", NULL},
        {" ldi zl, low(t)\n ldi zh, high(t)\n mov zl, r2\n mov zh, r3\n lpm r16, z\n",
         NULL}, /* loaded anew */
        {" ldi zl, low(t)\n ldi zh, high(t)\n adiw z, 1\n lpm r16, z\n", NULL},
        {" ldi zl, low(2*t)\n ldi zh, high(2*t)\n lpm r16, z\n", NULL},
        {" ldi zl, low(t)\n ldi zh, high(t)\n rcall say\n rjmp rest\nsay: lpm r16, z+\n ret\n",
         "pointer-words"},
        {" ldi zl, low(bytes(t))\n ldi zh, high(bytes(t))\n rcall say\n rjmp rest\nsay: lpm r16, z+\n ret\n",
         NULL},
        {" ldi zl, low(t)\n ldi zh, high(t)\n rjmp go\n nop\ngo: clr r5\n brne rest\n lpm\n",
         "pointer-words"},
        {" ldi zl, low(v)\n ldi zh, high(v)\n call say\n rjmp rest\nsay: lpm r16, z+\n ret\n",
         "pointer-space"},
        {" ldi zl, low(t)\n ldi zh, high(t)\n rcall say\n rjmp rest\nsay: lsl zl\n rol zh\n lpm r16, z+\n "
         "ret\n",
         NULL},
        {" ldi zl, low(t)\n ldi zh, high(t)\n rcall say\n rjmp rest\nsay: ret\n lpm r16, z+\n ret\n", NULL},
        {" call bytes(t)\n", "pointer-words"},
        {" st -y, r29\n", "own-pointer"},
        {" ldi r16, t\n", NULL},
    };
    oak_part *part = load_part("avr-32k");
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char source[400];
        collected diags;
        snprintf(source, sizeof source,
                 " section vars, data\nv: ds 1\n" START "%srest: rjmp rest\nt: db 1, 2\n", all[i].source);
        oak_program *program = assemble(part, source, &diags);
        ck_assert_msg(program != NULL, "%s", all[i].source);
        const char *found = diags.count ? diags.one[0].code : NULL;
        ck_assert_msg(!found == !all[i].code && (!found || !strcmp(found, all[i].code)), "%s: %s",
                      all[i].source, found ? found : "nothing");
        oak_program_free(program);
    }
    oak_part_free(part);
}
END_TEST

RUN_SUITE("avr", every_code_does_what_the_second_model_does, chains_agree_with_single_steps,
          arithmetic_is_right_on_all_operands, every_flag_is_set_and_asked,
          what_runs_together_is_as_each_alone, every_code_is_read_back_and_assembles_to_itself,
          the_timers_drive_their_pins, timers_tell_what_they_have_come_to,
          timer_1_captures_and_its_bytes_go_together, the_serial_port_sends_and_receives,
          eeprom_wants_its_sequence, the_watchdog_is_guarded, pins_ask_and_wake,
          the_stack_meets_what_the_program_keeps, words_and_bytes_are_hard_to_confuse)
