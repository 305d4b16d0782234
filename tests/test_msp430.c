/* The MSP430 against a second implementation: every operation code on random machines, one by one and in chains that overwrite themselves,
 * arithmetic on all bytes; the stack, devices, sleep, and what the source language says. */
#include "reference_msp430.h"
#include "support.h"

#include <stdio.h>

enum { MEM = 1, PC = 0, SP, SR };

typedef struct rig {
    oak_host host;
    oak_part *part;
    oak_machine *machine;
    oak_chip_port chip;
    refmsp *ref;
} rig;

static void rig_open(rig *r)
{
    collected diags;
    oak_diag_sink sink = collect(&diags);
    r->host = oak_linux_host();
    ck_assert_int_eq(oak_part_load(&r->host, SOURCE_FOLDER "/tests/bare/msp430.yaml", &sink, &r->part),
                     OAK_OK);
    ck_assert_int_eq(oak_machine_create(&r->host, r->part, &r->machine), OAK_OK);
    r->chip = oak_machine_port(r->machine);
    r->ref = calloc(1, sizeof *r->ref);
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

/* Registers of the chip by their codes; there is no register 3. */
static uint32_t reg(rig *r, unsigned code)
{
    uint32_t value = 0;
    if (r->chip.ops->read_register(r->chip.chip, code < 3 ? code : code - 1, &value))
        ck_abort_msg("no r%u", code);
    return value;
}

static void set_reg(rig *r, unsigned code, uint16_t value)
{
    if (r->chip.ops->write_register(r->chip.chip, code < 3 ? code : code - 1, value))
        ck_abort_msg("no r%u", code);
    r->ref->r[code] = value;
}

static void poke(rig *r, uint32_t at, const uint8_t *bytes, size_t count)
{
    if (r->chip.ops->write_memory(r->chip.chip, MEM, at, bytes, count)) ck_abort_msg("no memory at 0x%x", at);
    memcpy(r->ref->mem + at, bytes, count);
}

static void fill(rig *r, uint64_t *seed)
{
    static uint8_t bytes[65536];
    for (size_t i = 0; i < sizeof bytes; i++) bytes[i] = (uint8_t)random32(seed);
    poke(r, 0, bytes, sizeof bytes);
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
    static uint8_t mem[65536];
    ck_assert_int_eq(r->chip.ops->read_memory(r->chip.chip, MEM, 0, mem, sizeof mem), OAK_OK);
    for (unsigned at = 0; at < sizeof mem; at++)
        if (mem[at] != r->ref->mem[at])
            ck_abort_msg("%s: 0x%x at 0x%x, not 0x%x", what, mem[at], at, r->ref->mem[at]);
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
        for (unsigned round = 0; round < 3; round++) {
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
            uint64_t before = now(&r).cycles;
            uint16_t pc = r.ref->r[PC];
            int done = refmsp_step(r.ref);
            oak_stop stop = run(&r, 1);
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
            if (now(&r).cycles - before != r.ref->cycles)
                ck_abort_msg("%s: %u cycles, not %u", what, (unsigned)(now(&r).cycles - before),
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
            uint64_t before = now(&r).cycles, begun = now(&r).instructions;
            while (done < wanted) {
                uint16_t pc = r.ref->r[PC];
                if (refmsp_step(r.ref)) break;
                done++, cycles += r.ref->cycles;
                if (r.ref->r[SR] & 0x10 || r.ref->r[PC] == pc) break; /* it sleeps, or parks */
            }
            if (!done) continue;
            char what[60];
            snprintf(what, sizeof what, "program %u, piece %u, %u instructions", program, piece, done);
            oak_stop stop = run(&r, done);
            ck_assert_msg(stop.reason == OAK_STOP_STEPS || stop.reason == OAK_STOP_PARKED,
                          "%s: %d fault %d at 0x%x, 0x%x", what, stop.reason, stop.fault, stop.pc,
                          r.ref->mem[stop.pc] | r.ref->mem[stop.pc + 1] << 8);
            if (stop.reason == OAK_STOP_PARKED) {
                fill(&r, &seed);
                continue;
            }
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
    run(r, 1);
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
            at += 6;
        }
        oak_program_finish(program);
        must_come_back(program);
        oak_program_free(program);
    }
    oak_part_free(part);
}
END_TEST

RUN_SUITE("msp430", every_code_does_what_the_second_model_does,
          chains_of_code_that_overwrites_itself_agree_with_single_steps, arithmetic_is_right_on_all_operands,
          every_code_is_read_back_and_assembles_to_itself)
