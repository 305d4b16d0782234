/* The register core against a second implementation: every operation code on random machines, one by one and in chains, arithmetic on all bytes and flags; the
 * stack, devices by hand, sleep, and what the source language says. */
#include "reference_avr.h"
#include "support.h"

#include <stdio.h>

enum { CODE = 1, DATA, EEPROM };
enum { SREG = 32, SP, PC };

typedef struct rig {
    oak_host host;
    oak_part *part;
    oak_machine *machine;
    oak_chip_port chip;
    refavr *ref;
} rig;

static void rig_open(rig *r)
{
    collected diags;
    oak_diag_sink sink = collect(&diags);
    r->host = oak_linux_host();
    ck_assert_int_eq(oak_part_load(&r->host, SOURCE_FOLDER "/tests/bare/avr.yaml", &sink, &r->part), OAK_OK);
    ck_assert_int_eq(oak_machine_create(&r->host, r->part, &r->machine), OAK_OK);
    r->chip = oak_machine_port(r->machine);
    r->ref = calloc(1, sizeof *r->ref);
    r->ref->data[0x5D] = r->ref->data[0x5E] = 0xFF;
    for (unsigned at = 0; at < 0x10000; at++) { /* so that all of it is programmed: jumps to itself */
        r->ref->code[at] = 0xCFFF;
        if (r->chip.ops->write_memory(r->chip.chip, CODE, at, (uint8_t[]){0xFF, 0xCF}, 2))
            ck_abort_msg("no code at 0x%x", at);
    }
}

static void rig_close(rig *r)
{
    oak_machine_free(r->machine);
    oak_part_free(r->part);
    free(r->ref);
}

static oak_chip_time now(rig *r)
{
    oak_chip_time time;
    r->chip.ops->read_time(r->chip.chip, &time);
    return time;
}

static oak_stop run(rig *r, uint64_t instructions)
{
    oak_stop stop;
    if (r->chip.ops->run(r->chip.chip, UINT64_MAX, now(r).instructions + instructions, &stop))
        ck_abort_msg("no run");
    return stop;
}

static uint32_t reg(rig *r, unsigned number)
{
    uint32_t value = 0;
    if (r->chip.ops->read_register(r->chip.chip, number, &value)) ck_abort_msg("no register %u", number);
    return value;
}

static void set_reg(rig *r, unsigned number, uint32_t value)
{
    if (r->chip.ops->write_register(r->chip.chip, number, value)) ck_abort_msg("no register %u", number);
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
        if (r->chip.ops->write_memory(r->chip.chip, CODE, where, bytes, 2))
            ck_abort_msg("no code at 0x%x", where);
        r->ref->code[where] = words[i];
    }
}

static void fill(rig *r, uint64_t *seed)
{
    fill_both(&r->chip, DATA, r->ref->data, sizeof r->ref->data, seed);
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
        if (reg(r, i) != r->ref->data[i])
            ck_abort_msg("%s: r%u is 0x%x, not 0x%x", what, i, reg(r, i), r->ref->data[i]);
    if (reg(r, SREG) != r->ref->data[0x5F])
        ck_abort_msg("%s: sreg is 0x%x, not 0x%x", what, reg(r, SREG), r->ref->data[0x5F]);
    if (reg(r, SP) != (unsigned)(r->ref->data[0x5D] | r->ref->data[0x5E] << 8))
        ck_abort_msg("%s: sp is 0x%x", what, reg(r, SP));
    if (reg(r, PC) != r->ref->pc) ck_abort_msg("%s: pc is 0x%x, not 0x%x", what, reg(r, PC), r->ref->pc);
}

static void memories_must_agree(rig *r, const char *what)
{
    must_be_alike(&r->chip, DATA, r->ref->data, sizeof r->ref->data, what);
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
        for (unsigned round = 0; round < 3; round++) {
            char what[80];
            take_over(&r, &seed);
            uint16_t words[4] = {(uint16_t)code, (uint16_t)random32(&seed), (uint16_t)random32(&seed), 0},
                     pc = r.ref->pc;
            if (round == 2)
                words[1] = (const uint16_t[]){0x9000, 0x93F0, 0x940C,
                                              0x940E}[random32(&seed) % 4]; /* of two words */
            put_code(&r, pc, words, 4);
            snprintf(what, sizeof what, "%04x %04x at 0x%04x", words[0], words[1], pc);
            uint64_t before = now(&r).cycles;
            int done = refavr_step(r.ref);
            if (done == REFAVR_PROGRAMS) {
                r.ref->pc = pc;
                continue;
            }
            oak_stop stop = run(&r, 1);
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
            if (now(&r).cycles - before != r.ref->cycles)
                ck_abort_msg("%s: %u cycles, not %u", what, (unsigned)(now(&r).cycles - before),
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
            uint64_t before = now(&r).cycles, begun = now(&r).instructions;
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
            oak_stop stop = run(&r, done);
            ck_assert_msg(stop.reason == OAK_STOP_STEPS || stop.reason == OAK_STOP_PARKED,
                          "%s: %d fault %d at 0x%x", what, stop.reason, stop.fault, stop.pc);
            if (stop.reason == OAK_STOP_PARKED) continue;
            ck_assert_uint_eq(now(&r).instructions - begun, done);
            must_agree(&r, what);
            if (now(&r).cycles - before != cycles) ck_abort_msg("%s: cycles", what);
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
    uint64_t before = now(r).cycles;
    unsigned cycles = 0;
    for (unsigned i = 0; i < count; i++) refavr_step(r->ref), cycles += r->ref->cycles;
    run(r, count);
    if (reg(r, 17) != r->ref->data[17] || reg(r, 18) != r->ref->data[18] ||
        reg(r, SREG) != r->ref->data[0x5F] || reg(r, PC) != r->ref->pc || now(r).cycles - before != cycles)
        ck_abort_msg("%04x %04x with 0x%02x, 0x%02x, sreg 0x%02x: 0x%02x sreg 0x%02x pc 0x%x, not 0x%02x "
                     "sreg 0x%02x pc 0x%x",
                     words[0], words[1], a, b, sreg, reg(r, 17), reg(r, SREG), reg(r, PC), r->ref->data[17],
                     r->ref->data[0x5F], r->ref->pc);
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
                        ck_assert_int_eq(r.chip.ops->set_stop(r.chip.chip, 0x41 + n % 2, true), OAK_OK);
                    if (!stops) once(&r, words, 3, a, b, (uint8_t)random32(&seed));
                    else {
                        put_code(&r, 0x40, words, 4);
                        set_reg(&r, PC, 0x40), set_reg(&r, 17, a), set_reg(&r, 18, b),
                            set_reg(&r, SREG, random32(&seed) & 0xFF);
                        unsigned done = 0;
                        while (done < 3 && (!done || r.ref->pc != 0x41 + n % 2)) refavr_step(r.ref), done++;
                        oak_stop stop = run(&r, 3);
                        ck_assert_int_eq(stop.reason,
                                         r.ref->pc == 0x41 + n % 2 ? OAK_STOP_POINT : OAK_STOP_STEPS);
                        must_agree(&r, "a stop between");
                        ck_assert_int_eq(r.chip.ops->set_stop(r.chip.chip, 0x41 + n % 2, false), OAK_OK);
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

RUN_SUITE("avr", every_code_does_what_the_second_model_does, chains_agree_with_single_steps,
          arithmetic_is_right_on_all_operands, every_flag_is_set_and_asked,
          what_runs_together_is_as_each_alone, every_code_is_read_back_and_assembles_to_itself)
