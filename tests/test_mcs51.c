/* The MCS-51 against a second implementation: every operation code on random machines, arithmetic on all operands, the
 * way from code to text and back, timing, faults. */
#include "reference51.h"
#include "support.h"

#include <stdio.h>

enum { CODE = 1, IRAM, XRAM, SFR };

/* Special registers of mcs51-64k that can be named directly, and those with bits. */
/* Without those through which devices come to life: test_periph51.c has them. */
static const uint8_t specials[] = {0x80, 0x81, 0x82, 0x83, 0x8a, 0x8b, 0x8c, 0x8d, 0x90, 0xa0,
                                   0xb0, 0xb8, 0xca, 0xcb, 0xcc, 0xcd, 0xd0, 0xe0, 0xf0};
static const uint8_t with_bits[] = {0x80, 0x90, 0xa0, 0xb0, 0xb8, 0xd0, 0xe0, 0xf0};

typedef struct rig {
    oak_host host;
    oak_part *part;
    oak_machine *machine;
    oak_chip_port chip;
} rig;

static void rig_open(rig *r, const char *part)
{
    r->host = oak_linux_host();
    r->part = load_part(part);
    ck_assert_int_eq(oak_machine_create(&r->host, r->part, &r->machine), OAK_OK);
    r->chip = oak_machine_port(r->machine);
}

static void rig_close(rig *r)
{
    oak_machine_free(r->machine);
    oak_part_free(r->part);
}

static void load(rig *r, const uint8_t *code, size_t count)
{
    ck_assert_int_eq(r->chip.ops->write_memory(r->chip.chip, CODE, 0, code, count), OAK_OK);
}

static oak_stop step(rig *r)
{
    oak_stop stop;
    oak_chip_time time;
    r->chip.ops->read_time(r->chip.chip, &time);
    if (r->chip.ops->run(r->chip.chip, UINT64_MAX, time.instructions + 1, &stop)) ck_abort_msg("no run");
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
}
enum { PC, A, B, PSW, SP_, DPTR, R0 };

/* True when the byte behind the code is a direct or a bit address; for those an existing register is chosen. */
static int operand_kind(uint8_t code)
{
    static const uint8_t bit_codes[] = {0x10, 0x20, 0x30, 0x72, 0x82, 0x92,
                                        0xa2, 0xb2, 0xc2, 0xd2, 0xa0, 0xb0};
    for (size_t i = 0; i < sizeof bit_codes; i++)
        if (code == bit_codes[i]) return 2;
    if ((code & 15) == 5) return 1;
    if (code == 0xc0 || code == 0xd0 || code == 0x42 || code == 0x43 || code == 0x52 || code == 0x53 ||
        code == 0x62 || code == 0x63)
        return 1;
    return (code >= 0x86 && code <= 0x8f) || (code >= 0xa6 && code <= 0xaf) ? 1 : 0;
}

static uint8_t operand(uint8_t kind, uint64_t *seed)
{
    uint8_t any = (uint8_t)random32(seed);
    if (kind == 1 && any >= 0x80) return specials[random32(seed) % sizeof specials];
    if (kind == 2 && any >= 0x80) return (uint8_t)(with_bits[random32(seed) % sizeof with_bits] + (any & 7));
    return any;
}

/* 8,192 instructions of 8 bytes each, code i % 256 with random operands. */
static void random_code(uint8_t *code, uint64_t *seed)
{
    for (unsigned i = 0; i < 8192; i++) {
        uint8_t *at = code + 8 * i;
        for (unsigned b = 0; b < 8; b++) at[b] = (uint8_t)random32(seed);
        at[0] = (uint8_t)i;
        at[1] = operand((uint8_t)operand_kind(at[0]), seed);
        if (at[0] == 0x85) at[2] = operand(1, seed);
    }
}

static void randomise(rig *r, ref51 *m, uint64_t *seed)
{
    for (unsigned i = 0; i < 256; i++) m->iram[i] = (uint8_t)random32(seed);
    for (size_t i = 0; i < sizeof specials; i++) m->sfr[specials[i]] = (uint8_t)random32(seed);
    m->sfr[0x81] = (uint8_t)(8 + random32(seed) % 0xE0);
    for (unsigned p = 0; p < 4; p++) m->pins[p] = (uint8_t)random32(seed);
    r->chip.ops->write_memory(r->chip.chip, IRAM, 0, m->iram, 256);
    for (size_t i = 0; i < sizeof specials; i++)
        r->chip.ops->write_memory(r->chip.chip, SFR, specials[i], &m->sfr[specials[i]], 1);
    uint8_t ones = m->sfr[0xe0];
    ones ^= ones >> 4, ones ^= ones >> 2, ones ^= ones >> 1;
    m->sfr[0xd0] = (uint8_t)((m->sfr[0xd0] & 0xFE) | (ones & 1));
    for (unsigned pin = 0; pin < 32; pin++) {
        oak_level level =
            m->pins[pin / 8] >> (pin % 8) & 1 ? (random32(seed) & 1 ? OAK_HIGH : OAK_FLOAT) : OAK_LOW;
        r->chip.ops->drive_pin(r->chip.chip, pin / 8 * 32 + pin % 8, level);
    }
}

static void compare(rig *r, const ref51 *m, uint8_t code, unsigned slot)
{
    uint8_t iram[256], byte;
    r->chip.ops->read_memory(r->chip.chip, IRAM, 0, iram, 256);
    for (unsigned i = 0; memcmp(iram, m->iram, 256) != 0 && i < 256; i++)
        ck_assert_msg(iram[i] == m->iram[i], "code %02x slot %u: iram[%02x] is %02x, expected %02x", code,
                      slot, i, iram[i], m->iram[i]);
    for (size_t i = 0; i < sizeof specials; i++) {
        r->chip.ops->read_memory(r->chip.chip, SFR, specials[i], &byte, 1);
        if (byte != m->sfr[specials[i]])
            ck_abort_msg("code %02x slot %u: sfr %02x is %02x, expected %02x", code, slot, specials[i], byte,
                         m->sfr[specials[i]]);
    }
    ck_assert_msg(reg(r, PC) == m->pc, "code %02x slot %u: pc is %04x, expected %04x", code, slot, reg(r, PC),
                  m->pc);
}

START_TEST(every_code_does_what_the_second_implementation_does)
{
    static ref51 m;
    static uint8_t code[65536], xram[65536];
    uint64_t seed = 51;
    rig r;
    rig_open(&r, "mcs51-64k");
    for (unsigned round = 0; round < 3; round++) {
        random_code(code, &seed);
        memcpy(m.code, code, sizeof code);
        load(&r, code, sizeof code);
        for (size_t i = 0; i < sizeof xram; i++) m.xram[i] = (uint8_t)random32(&seed);
        r.chip.ops->write_memory(r.chip.chip, XRAM, 0, m.xram, sizeof m.xram);
        for (unsigned slot = 0; slot < 8192; slot++) {
            oak_chip_time before, after;
            uint8_t op = code[8 * slot];
            if (slot % 4 == 0 || slot < 512) randomise(&r, &m, &seed);
            m.sfr[0x81] = (uint8_t)(8 + random32(&seed) % 0xE0);
            set_reg(&r, SP_, m.sfr[0x81]);
            m.pc = (uint16_t)(8 * slot);
            set_reg(&r, PC, m.pc);
            r.chip.ops->read_time(r.chip.chip, &before);
            oak_stop stop = step(&r);
            unsigned cycles = ref51_step(&m);
            r.chip.ops->read_time(r.chip.chip, &after);
            if (op == 0xA5) {
                ck_assert_int_eq(stop.reason, OAK_STOP_FAULT);
                ck_assert_int_eq(stop.fault, OAK_FAULT_RESERVED);
                ck_assert_uint_eq(stop.fault_address, 8 * slot);
                continue;
            }
            if (stop.reason == OAK_STOP_PARKED) { /* a random jump to itself: it stays and takes no time */
                ck_assert_uint_eq(m.pc, 8 * slot);
                continue;
            }
            ck_assert_msg(stop.reason == OAK_STOP_STEPS, "code %02x slot %u ends with %d, fault %d", op, slot,
                          stop.reason, stop.fault);
            ck_assert_msg(after.cycles - before.cycles == cycles, "code %02x takes %u cycles, expected %u",
                          op, (unsigned)(after.cycles - before.cycles), cycles);
            compare(&r, &m, op, slot);
        }
        r.chip.ops->read_memory(r.chip.chip, XRAM, 0, xram, sizeof xram);
        ck_assert_mem_eq(xram, m.xram, sizeof xram);
    }
    rig_close(&r);
}
END_TEST

/* Bytes of an instruction, as the manual's table of operation codes has them. */
static unsigned size_of(uint8_t op)
{
    unsigned row = op >> 4, col = op & 15;
    if (op == 0x02 || op == 0x12 || op == 0x90 || op == 0x10 || op == 0x20 || op == 0x30 || op == 0x43 ||
        op == 0x53 || op == 0x63)
        return 3;
    if (op == 0x00 || op == 0xe0 || op == 0xf0 || op == 0x22 || op == 0x32 || op == 0xe2 || op == 0xf2)
        return 1;
    if (col < 3) return 2;
    if (col == 3) return 1;
    if (row == 0xB) return 3;
    if (col == 4) return (row >= 2 && row <= 7) || row == 9 ? 2 : 1;
    if (col == 5) return row == 7 || row == 8 || row == 0xD ? 3 : 2;
    return row == 7 || row == 8 || row == 0xA || (row == 0xD && col >= 8) ? 2 : 1;
}

/* Straight runs of the block loop against single steps of the reference: nothing is lost between instructions. */
START_TEST(whole_blocks_equal_single_steps)
{
    static ref51 m;
    static uint8_t code[65536];
    uint64_t seed = 51;
    rig r;
    rig_open(&r, "mcs51-64k");
    for (unsigned round = 0; round < 40; round++) {
        /* Instructions back to back, without stack traffic and with short forward branches only, then a jump to itself. */
        size_t at = 0;
        memset(code, 0, sizeof code);
        while (at < 3000) {
            uint8_t op = (uint8_t)random32(&seed), kind = (uint8_t)operand_kind(op);
            if (op == 0xA5 || (op & 15) == 1 || op == 0x02 || op == 0x12 || op == 0x22 || op == 0x32 ||
                op == 0x73 || op == 0xc0 || op == 0xd0)
                continue;
            unsigned size = size_of(op);
            code[at] = op;
            code[at + 1] = operand(kind, &seed);
            code[at + 2] = op == 0x85 ? operand(1, &seed) : (uint8_t)random32(&seed);
            bool branches = op == 0x10 || op == 0x20 || op == 0x30 || op == 0x40 || op == 0x50 ||
                            op == 0x60 || op == 0x70 || op == 0x80 || (op >= 0xb4 && op <= 0xbf) ||
                            op == 0xd5 || op >= 0xd8;
            if (branches && op < 0xe0) code[at + size - 1] = 0; /* to the next instruction either way */
            at += size;
        }
        code[at] = 0x80, code[at + 1] = 0xFE;
        memcpy(m.code, code, sizeof code);
        load(&r, code, sizeof code);
        randomise(&r, &m, &seed);
        m.pc = 0;
        set_reg(&r, PC, 0);
        oak_chip_time zero = {0}, time;
        r.chip.ops->write_time(r.chip.chip, &zero);
        r.chip.ops->write_memory(r.chip.chip, XRAM, 0, m.xram, sizeof m.xram);
        uint64_t cycles = 0, steps = 0;
        oak_stop stop;
        uint64_t budget =
            round % 2 ? UINT64_MAX : 100 + random32(&seed) % 1000; /* every other time cut in the middle */
        while (m.code[m.pc] != 0x80 || m.code[m.pc + 1] != 0xFE) {
            if (cycles >= budget) break;
            unsigned took = ref51_step(&m);
            ck_assert_uint_gt(took, 0);
            cycles += took;
            ck_assert_uint_lt(++steps, 100000);
        }
        ck_assert_int_eq(r.chip.ops->run(r.chip.chip, budget, UINT64_MAX, &stop), OAK_OK);
        r.chip.ops->read_time(r.chip.chip, &time);
        ck_assert_msg(stop.reason == OAK_STOP_PARKED || stop.reason == OAK_STOP_CYCLES,
                      "round %u: reason %d fault %d at %04x", round, stop.reason, stop.fault, stop.pc);
        ck_assert_uint_eq(time.cycles, cycles);
        ck_assert_uint_eq(time.instructions, steps);
        compare(&r, &m, 0, round);
    }
    rig_close(&r);
}
END_TEST

/* Flags of the arithmetic, for all operands, by arithmetic in wider numbers. */
START_TEST(add_addc_subb_are_right_for_all_operands)
{
    static const uint8_t code[] = {0x28, 0x38, 0x98}; /* with r0 */
    rig r;
    rig_open(&r, "mcs51-4k");
    load(&r, code, sizeof code);
    for (unsigned op = 0; op < 3; op++) {
        for (int a = 0; a < 256; a++) {
            for (int v = 0; v < 256; v++) {
                for (int c = 0; c < 2; c++) {
                    set_reg(&r, PC, op);
                    set_reg(&r, PSW, (uint32_t)c << 7);
                    set_reg(&r, A, (uint32_t)a);
                    set_reg(&r, R0, (uint32_t)v);
                    step(&r);
                    int carry = op == 0 ? 0 : c, sign = op == 2 ? -1 : 1;
                    int whole = a + sign * (v + carry), half = (a & 15) + sign * ((v & 15) + carry);
                    int value = (int8_t)a + sign * ((int8_t)v + carry);
                    unsigned ones = 0;
                    for (int b = 0; b < 8; b++) ones ^= (unsigned)whole >> b & 1;
                    unsigned psw = (unsigned)(whole < 0 || whole > 255) << 7 |
                                   (unsigned)(half < 0 || half > 15) << 6 |
                                   (unsigned)(value < -128 || value > 127) << 2 | ones;
                    if (reg(&r, A) != (uint8_t)whole)
                        ck_abort_msg("op %u %02x %02x carry %d: a is %02x", op, a, v, c, reg(&r, A));
                    if (reg(&r, PSW) != psw)
                        ck_abort_msg("op %u %02x %02x carry %d: psw %02x, expected %02x", op, a, v, c,
                                     reg(&r, PSW), psw);
                }
            }
        }
    }
    rig_close(&r);
}
END_TEST

START_TEST(mul_and_div_are_right_for_all_operands)
{
    static const uint8_t code[] = {0xA4, 0x84};
    rig r;
    rig_open(&r, "mcs51-4k");
    load(&r, code, sizeof code);
    for (unsigned a = 0; a < 256; a++) {
        for (unsigned b = 0; b < 256; b++) {
            set_reg(&r, PC, 0);
            set_reg(&r, PSW, 0xC4);
            set_reg(&r, A, a);
            set_reg(&r, B, b);
            step(&r);
            if ((reg(&r, B) << 8 | reg(&r, A)) != a * b) ck_abort_msg("%u * %u", a, b);
            if ((reg(&r, PSW) & 0xFE) != (0x40u | (a * b > 255 ? 4 : 0)))
                ck_abort_msg("%u * %u: flags", a, b); /* cy cleared, ac kept */
            set_reg(&r, PC, 1);
            set_reg(&r, PSW, 0x84);
            set_reg(&r, A, a);
            set_reg(&r, B, b);
            step(&r);
            if ((reg(&r, PSW) & 0xFE) != (b ? 0u : 4u)) ck_abort_msg("%u / %u: flags", a, b);
            if (b && (reg(&r, B) << 8 | reg(&r, A)) != ((a % b) << 8 | a / b)) ck_abort_msg("%u / %u", a, b);
        }
    }
    rig_close(&r);
}
END_TEST

/* The decimal adjustment after adding two packed decimal numbers gives their decimal sum. */
START_TEST(da_gives_decimal_sums)
{
    static const uint8_t code[] = {0x38, 0xD4};
    rig r;
    rig_open(&r, "mcs51-4k");
    load(&r, code, sizeof code);
    for (unsigned x = 0; x < 100; x++) {
        for (unsigned y = 0; y < 100; y++) {
            for (unsigned c = 0; c < 2; c++) {
                set_reg(&r, PC, 0);
                set_reg(&r, PSW, c << 7);
                set_reg(&r, A, x / 10 << 4 | x % 10);
                set_reg(&r, R0, y / 10 << 4 | y % 10);
                step(&r);
                step(&r);
                unsigned sum = x + y + c;
                ck_assert_uint_eq(reg(&r, A), (sum % 100) / 10 << 4 | sum % 10);
                ck_assert_uint_eq(reg(&r, PSW) >> 7, sum > 99);
            }
        }
    }
    rig_close(&r);
}
END_TEST

START_TEST(rotates_shift_through_the_right_bits)
{
    static const uint8_t code[] = {0x23, 0x33, 0x03, 0x13, 0xC4, 0xF4};
    rig r;
    rig_open(&r, "mcs51-4k");
    load(&r, code, sizeof code);
    for (unsigned a = 0; a < 256; a++) {
        for (unsigned c = 0; c < 2; c++) {
            const unsigned results[] = {a << 1 | a >> 7, a << 1 | c,      a >> 1 | a << 7,
                                        a >> 1 | c << 7, a << 4 | a >> 4, ~a};
            const unsigned carries[] = {c, a >> 7, c, a & 1, c, c};
            for (unsigned op = 0; op < 6; op++) {
                set_reg(&r, PC, op);
                set_reg(&r, PSW, c << 7);
                set_reg(&r, A, a);
                step(&r);
                ck_assert_uint_eq(reg(&r, A), results[op] & 0xFF);
                ck_assert_uint_eq(reg(&r, PSW) >> 7, carries[op]);
            }
        }
    }
    rig_close(&r);
}
END_TEST

/* All 255 codes: printed, assembled again, the same bytes. */
START_TEST(what_is_printed_assembles_to_the_same_bytes)
{
    static uint8_t code[65536];
    uint64_t seed = 255;
    rig r;
    rig_open(&r, "mcs51-64k");
    for (unsigned i = 0; i < 8192; i++) { /* any operands here, also registers that do not exist */
        for (unsigned b = 0; b < 8; b++) code[8 * i + b] = (uint8_t)random32(&seed);
        code[8 * i] = (uint8_t)i;
    }
    load(&r, code, sizeof code);
    oak_session *session;
    ck_assert_int_eq(oak_session_open(&r.host, &r.chip, NULL, &session), OAK_OK);
    char *source = malloc(8192 * 80), *at = source;
    unsigned sizes[256] = {0}, reserved = 0;
    for (unsigned i = 0; i < 8192; i++) {
        char line[100];
        unsigned size;
        oak_status status = oak_session_print_instruction(session, 8 * i, line, sizeof line, &size);
        if (code[8 * i] == 0xA5) {
            ck_assert_int_eq(status, OAK_REFUSED);
            reserved++;
            continue;
        }
        ck_assert_int_eq(status, OAK_OK);
        sizes[code[8 * i]] = size;
        at += sprintf(at, " org %u\n %s\n", 8 * i, line);
    }
    ck_assert_uint_eq(reserved, 32);
    collected diags;
    oak_program *program = assemble(r.part, source, &diags);
    show_collected(&diags);
    ck_assert_ptr_nonnull(program);
    for (unsigned i = 0; i < 8192; i++) {
        for (unsigned b = 0; b < sizes[code[8 * i]]; b++) {
            uint8_t byte = 0;
            ck_assert_msg(oak_image_byte(oak_program_image(program), 8 * i + b, &byte), "no byte at %u",
                          8 * i + b);
            ck_assert_msg(byte == code[8 * i + b], "code %02x: byte %u is %02x, was %02x", code[8 * i], b,
                          byte, code[8 * i + b]);
        }
    }
    uint64_t total = 0;
    for (unsigned i = 0; i < 256; i++) total += sizes[i];
    ck_assert_uint_eq(oak_image_count(oak_program_image(program)), total * 32);
    free(source);
    oak_program_free(program);
    oak_session_close(session);
    rig_close(&r);
}
END_TEST

START_TEST(code_wraps_from_the_last_address_to_the_first)
{
    static uint8_t code[65536];
    rig r;
    rig_open(&r, "mcs51-64k");
    code[0xFFFE] = 0x04;                 /* inc a */
    code[0xFFFF] = 0x74, code[0] = 0x2a; /* mov a, #0x2a over the edge */
    code[1] = 0x80, code[2] = 0xFE;
    load(&r, code, sizeof code);
    set_reg(&r, PC, 0xFFFE);
    oak_stop stop;
    r.chip.ops->run(r.chip.chip, UINT64_MAX, UINT64_MAX, &stop);
    ck_assert_int_eq(stop.reason, OAK_STOP_PARKED);
    ck_assert_uint_eq(reg(&r, A), 0x2a);
    oak_chip_time time;
    r.chip.ops->read_time(r.chip.chip, &time);
    ck_assert_uint_eq(time.cycles, 2);
    rig_close(&r);
}
END_TEST

RUN_SUITE("mcs51", every_code_does_what_the_second_implementation_does, whole_blocks_equal_single_steps,
          add_addc_subb_are_right_for_all_operands, mul_and_div_are_right_for_all_operands,
          da_gives_decimal_sums, rotates_shift_through_the_right_bits,
          what_is_printed_assembles_to_the_same_bytes, code_wraps_from_the_last_address_to_the_first)
