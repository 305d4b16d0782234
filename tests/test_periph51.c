/* The devices of the MCS-51 parts: timers, external interrupts, serial port, interrupt system, sleep. Random programs run
 * against a second implementation that lives cycle by cycle, and each mode against times derived by hand. */
#include "reference51.h"
#include "support.h"

#include <stdio.h>

enum { CODE = 1, IRAM = 2, XRAM = 3, SFR = 4, T2_PARTS = 1 };

/* ------------------------------------------------------------------------------------------ random programs */

static const uint8_t bytes51[] = {0x88, 0x89, 0x8a, 0x8b, 0x8c, 0x8d, 0xa8, 0xb8, 0xc8, 0xca, 0xcb, 0xcc, 0xcd, 0x90, 0xb0, 0xe0, 0xf0};
static const uint8_t bits51[] = {0x88, 0xa8, 0xb8, 0xc8, 0x90, 0xb0, 0xe0};

static uint8_t any_direct(uint64_t *seed)
{
    uint32_t x = random32(seed);
    return x & 1 ? bytes51[(x >> 8) % sizeof bytes51] : (uint8_t)(0x20 + (x >> 8) % 0x40);
}
static uint8_t any_bit(uint64_t *seed)
{
    uint32_t x = random32(seed);
    return x & 1 ? (uint8_t)(bits51[(x >> 8) % sizeof bits51] + (x >> 4 & 7)) : (uint8_t)(x >> 8 & 0x7F);
}

/* Straight code on registers, RAM below 0x60 and the devices, over and over; handlers at the vectors count and return. */
static void random_program(uint8_t *code, uint64_t *seed)
{
    static const uint8_t plain[] = {0x04, 0x14, 0x24, 0x34, 0xE4, 0xF4, 0x23, 0x03, 0xC3, 0xD3, 0xA4, 0x84, 0x28, 0x39, 0xE8, 0x00};
    static const uint8_t with_direct[] = {0x05, 0x15, 0x25, 0x42, 0x45, 0x52, 0x55, 0x62, 0x65, 0x95, 0xC5, 0xE5, 0xF5, 0x8A, 0xAB};
    static const uint8_t with_bit[] = {0xC2, 0xD2, 0xB2, 0x92, 0xA2, 0x72, 0x82};
    memset(code, 0, 0x600);
    code[0] = 0x02, code[1] = 0x00, code[2] = 0x40;
    for (unsigned n = 0; n < 6; n++) { /* inc 0x70+n; reti */
        static const uint8_t handler[] = {0x05, 0x70, 0x32};
        memcpy(code + 8 * n + 3, handler, 3);
        code[8 * n + 4] = (uint8_t)(0x70 + n);
    }
    size_t at = 0x40;
    while (at < 0x500) {
        uint32_t x = random32(seed);
        switch (x % 8) {
        case 0:
        case 1: {
            uint8_t op = plain[(x >> 8) % sizeof plain];
            code[at++] = op;
            if (op == 0x24 || op == 0x34) code[at++] = (uint8_t)random32(seed);
            break;
        }
        case 2:
        case 3:
            code[at++] = with_direct[(x >> 8) % sizeof with_direct];
            code[at++] = any_direct(seed);
            break;
        case 4:
        case 5:
            code[at++] = with_bit[(x >> 8) % sizeof with_bit];
            code[at++] = any_bit(seed);
            break;
        case 6:
            code[at++] = 0x75;
            code[at++] = any_direct(seed);
            code[at++] = (uint8_t)random32(seed);
            break;
        default:
            if (x >> 8 & 1) {
                code[at++] = 0x85;
                code[at++] = any_direct(seed);
                code[at++] = any_direct(seed);
            } else { /* jbc, jb, jnb to the next instruction either way */
                code[at++] = (uint8_t)(0x10 + (x >> 9) % 3 * 0x10);
                code[at++] = any_bit(seed);
                code[at++] = 0;
            }
        }
    }
    code[at++] = 0x02, code[at++] = 0x00, code[at++] = 0x40;
}

typedef struct pair51 {
    oak_host host;
    oak_part *part;
    oak_machine *machine;
    oak_chip_port chip;
} pair51;

static void compare(pair51 *r, ref51_chip *c, unsigned program, uint64_t steps)
{
    uint8_t iram[256], byte;
    uint32_t pc;
    oak_chip_time time;
    r->chip.ops->read_time(r->chip.chip, &time);
    r->chip.ops->read_register(r->chip.chip, 0, &pc);
    ck_assert_msg(time.cycles == c->now && pc == c->m.pc, "program %u, %u instructions: cycle %u at %04x, expected %u at %04x",
                  program, (unsigned)steps, (unsigned)time.cycles, pc, (unsigned)c->now, c->m.pc);
    for (size_t i = 0; i < sizeof bytes51; i++) {
        r->chip.ops->read_memory(r->chip.chip, SFR, bytes51[i], &byte, 1);
        ck_assert_msg(byte == c->m.sfr[bytes51[i]], "program %u, %u instructions: sfr %02x is %02x, expected %02x", program,
                      (unsigned)steps, bytes51[i], byte, c->m.sfr[bytes51[i]]);
    }
    r->chip.ops->read_memory(r->chip.chip, IRAM, 0, iram, 256);
    ck_assert_mem_eq(iram, c->m.iram, 256);
}

START_TEST(random_programs_with_timers_and_interrupts_run_as_in_the_second_implementation)
{
    static ref51_chip c;
    uint64_t seed = 11059200;
    pair51 r = {.host = oak_linux_host(), .part = load_part("mcs51-8k")};
    unsigned served = 0;
    ck_assert_int_eq(oak_machine_create(&r.host, r.part, &r.machine), OAK_OK);
    r.chip = oak_machine_port(r.machine);
    for (unsigned program = 0; program < 600; program++) {
        memset(&c, 0, sizeof c);
        random_program(c.m.code, &seed);
        ck_assert_int_eq(r.chip.ops->reset(r.chip.chip), OAK_OK);
        r.chip.ops->write_memory(r.chip.chip, CODE, 0, c.m.code, 0x600);
        c.m.sfr[0x81] = 0x07;
        for (unsigned p = 0; p < 4; p++) c.m.sfr[0x80 + 16 * p] = 0xFF, c.m.pins[p] = (uint8_t)(random32(&seed) | (program & 1 ? 0xFF : 0));
        for (unsigned pin = 0; pin < 32; pin++)
            r.chip.ops->drive_pin(r.chip.chip, pin / 8 * 32 + pin % 8, c.m.pins[pin / 8] >> pin % 8 & 1 ? OAK_HIGH : OAK_LOW);
        ref51_start(&c);
        uint64_t done = 0;
        bool single = program % 3 == 0;
        for (unsigned stretch = 0; stretch < 60; stretch++) {
            uint64_t steps = done + (single ? 1 : 1 + random32(&seed) % 60);
            oak_stop stop;
            while (done < steps) ref51_chip_step(&c), done++;
            ck_assert_int_eq(r.chip.ops->run(r.chip.chip, UINT64_MAX, steps, &stop), OAK_OK);
            ck_assert_int_eq(stop.reason, OAK_STOP_STEPS);
            compare(&r, &c, program, steps);
        }
        for (unsigned n = 0; n < 6; n++) served += c.m.iram[0x70 + n];
    }
    ck_assert_uint_gt(served, 300); /* interrupts were served */
    oak_machine_free(r.machine);
    oak_part_free(r.part);
}
END_TEST

RUN_SUITE("periph51", random_programs_with_timers_and_interrupts_run_as_in_the_second_implementation)
