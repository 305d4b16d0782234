/* The devices of the MCS-51 parts: timers, external interrupts, serial port, interrupt system, sleep. Random programs run
 * against a second implementation that lives cycle by cycle, and each mode against times derived by hand. */
#include "reference51.h"
#include "support.h"

#include <unistd.h>

#include <stdio.h>

enum { CODE = 1, IRAM = 2, XRAM = 3, SFR = 4, T2_PARTS = 1 };

/* ------------------------------------------------------------------------------------------ random programs */

static const uint8_t bytes51[] = {0x88, 0x89, 0x8a, 0x8b, 0x8c, 0x8d, 0xa8, 0xb8, 0xc8,
                                  0xca, 0xcb, 0xcc, 0xcd, 0x90, 0xb0, 0xe0, 0xf0};
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
    static const uint8_t plain[] = {0x04, 0x14, 0x24, 0x34, 0xE4, 0xF4, 0x23, 0x03,
                                    0xC3, 0xD3, 0xA4, 0x84, 0x28, 0x39, 0xE8, 0x00};
    static const uint8_t with_direct[] = {0x05, 0x15, 0x25, 0x42, 0x45, 0x52, 0x55, 0x62,
                                          0x65, 0x95, 0xC5, 0xE5, 0xF5, 0x8A, 0xAB};
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
    ck_assert_msg(time.cycles == c->now && pc == c->m.pc,
                  "program %u, %u instructions: cycle %u at %04x, expected %u at %04x", program,
                  (unsigned)steps, (unsigned)time.cycles, pc, (unsigned)c->now, c->m.pc);
    for (size_t i = 0; i < sizeof bytes51; i++) {
        r->chip.ops->read_memory(r->chip.chip, SFR, bytes51[i], &byte, 1);
        ck_assert_msg(byte == c->m.sfr[bytes51[i]],
                      "program %u, %u instructions: sfr %02x is %02x, expected %02x", program,
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
        for (unsigned p = 0; p < 4; p++)
            c.m.sfr[0x80 + 16 * p] = 0xFF,
                                c.m.pins[p] = (uint8_t)(random32(&seed) | (program & 1 ? 0xFF : 0));
        for (unsigned pin = 0; pin < 32; pin++)
            r.chip.ops->drive_pin(r.chip.chip, pin / 8 * 32 + pin % 8,
                                  c.m.pins[pin / 8] >> pin % 8 & 1 ? OAK_HIGH : OAK_LOW);
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

/* ------------------------------------------------------------------------------------------ times by hand */

/* Runs to a label and returns the cycle. */
static uint64_t cycle_at(bench *b, const char *place)
{
    unsigned number;
    ck_assert_int_eq(oak_session_add_stop(b->session, place, NULL, 1, &b->sink, &number), OAK_OK);
    oak_event event = bench_run(b, 1000000, 0);
    ck_assert_msg(event.stop.reason == OAK_STOP_POINT, "%s: %s %s at %04x", place,
                  oak_stop_word(event.stop.reason), oak_fault_word(event.stop.fault),
                  (unsigned)event.stop.pc);
    oak_session_enable_stop(b->session, number, false);
    return cycles_of(b);
}

/* A timer that is started when instruction `on` ends and has `left` steps to go passes 0 at on + left; its flag is looked
 * at in the next cycle. `sjmp $` ends every second cycle, and the entry into the interrupt takes two. */
static uint64_t entry_after(uint64_t on, uint64_t passes)
{
    uint64_t at = passes + 1;
    return on + (at - on + 1) / 2 * 2 + 2;
}

START_TEST(timers_overflow_on_their_cycle_in_every_mode)
{
    static const struct {
        const char *settings, *start, *handler;
        unsigned left, period;
    } all[] = {
        {"mov tmod, #0x00\n mov tl0, #0xff\n mov th0, #0xfe\n mov ie, #0x82\n", "setb tr0", "h_timer0",
         0x2000 - (0xfe << 5 | 0x1f), 0x2000},
        {"mov tmod, #0x01\n mov tl0, #0x9c\n mov th0, #0xff\n mov ie, #0x82\n", "setb tr0", "h_timer0", 100,
         0x10000},
        {"mov tmod, #0x02\n mov tl0, #0xf0\n mov th0, #0x9b\n mov ie, #0x82\n", "setb tr0", "h_timer0", 16,
         101},
        {"mov tmod, #0x03\n mov tl0, #0xf1\n mov ie, #0x82\n", "setb tr0", "h_timer0", 15, 256},
        {"mov tmod, #0x03\n mov th0, #0xe0\n mov ie, #0x88\n", "setb tr1", "h_timer1", 32, 256},
        {"mov tmod, #0x00\n mov tl1, #0x01\n mov th1, #0xff\n mov ie, #0x88\n", "setb tr1", "h_timer1", 31,
         0x2000},
        {"mov tmod, #0x10\n mov tl1, #0x00\n mov th1, #0xff\n mov ie, #0x88\n", "setb tr1", "h_timer1", 256,
         0x10000},
        {"mov tmod, #0x20\n mov tl1, #0xfd\n mov th1, #0xc4\n mov ie, #0x88\n", "setb tr1", "h_timer1", 3,
         60},
        {"mov rcap2l, #0x38\n mov rcap2h, #0xff\n mov tl2, #0xce\n mov th2, #0xff\n mov ie, #0xa0\n",
         "setb tr2", "h_timer2", 49, 200},
        {"mov t2con, #1\n mov tl2, #0xce\n mov th2, #0xff\n mov ie, #0xa0\n", "setb tr2", "h_timer2", 49,
         0x10000},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char source[700];
        bench b;
        snprintf(source, sizeof source,
                 " vector reset, start\n vector timer0, h_timer0\n vector timer1, h_timer1\n vector timer2, "
                 "h_timer2\n org 0x40\n"
                 "start: %s %s\non: sjmp $\nh_timer0: reti\nh_timer1: reti\nh_timer2: clr tf2\n reti\n",
                 all[i].settings, all[i].start);
        bench_open(&b, "mcs51-8k", source);
        uint64_t on = cycle_at(&b, "on"), passes = on + all[i].left;
        bool second = strcmp(all[i].handler, "h_timer2") == 0;
        /* The vector holds ljmp (2 cycles). Timer 2 is looked at in the cycle in which it overflows: 49 steps are given
         * where the others would need 50 to be served alike. */
        if (second) passes = on + 50 - 1;
        uint64_t entered = cycle_at(&b, all[i].handler);
        ck_assert_msg(entered == entry_after(on, passes) + 2,
                      "%u: served at %u behind the start, expected %u", i, (unsigned)(entered - on),
                      (unsigned)(entry_after(on, passes) + 2 - on));
        (void)second;
        if (all[i].period < 1000) { /* and again a period later, give or take the loop it interrupts */
            uint64_t again = cycle_at(&b, all[i].handler);
            ck_assert_uint_ge(again + 2, entered + all[i].period);
            ck_assert_uint_le(again, entered + all[i].period + 2);
        }
        bench_close(&b);
    }
}
END_TEST

typedef struct edge_log {
    unsigned pin, count;
    uint64_t cycle[200];
    oak_level level[200];
    /* bytes driven into a pin, as pairs of cycle and level */
    const uint64_t *at;
    unsigned drive_pin, drives, next;
    oak_chip_port chip;
} edge_log;

static void log_pin(void *context, unsigned pin, oak_level level, uint64_t cycle)
{
    edge_log *log = context;
    if (pin != log->pin || log->count == 200) return;
    log->cycle[log->count] = cycle;
    log->level[log->count++] = level;
}

/* Toggles the driven pin at each of its cycles, high before the first. */
static uint64_t drive_log(void *context, uint64_t now)
{
    edge_log *log = context;
    if (!log->drives) return UINT64_MAX;
    while (log->next < log->drives && log->at[log->next] <= now) log->next++;
    log->chip.ops->drive_pin(log->chip.chip, log->drive_pin, log->next & 1 ? OAK_LOW : OAK_HIGH);
    return log->next < log->drives ? log->at[log->next] : UINT64_MAX;
}

enum { P3_0 = 3 * 32, P3_1 = 3 * 32 + 1 };

/* The edges of a frame of bits, lowest first, from `start`, `bit` cycles each; the line is high before. */
static unsigned edges_of(uint32_t frame, unsigned bits, uint64_t start, uint64_t bit, uint64_t *cycle)
{
    unsigned count = 0, line = 1;
    for (unsigned i = 0; i < bits; i++) {
        if ((frame >> i & 1) == line) continue;
        line = frame >> i & 1;
        cycle[count++] = start + i * bit;
    }
    return count;
}

START_TEST(bytes_leave_the_serial_port_bit_by_bit)
{
    /* 9600 baud from 11.0592 MHz: timer 1 reloads 0xfd, three cycles an overflow, two overflows a tick, 96 cycles a bit. */
    static const struct {
        const char *settings;
        unsigned bit, bits;
        uint32_t frame;   /* of 0x4b: start bit first */
        bool synchronous; /* begins on a multiple of sixteen ticks since the timer began */
    } all[] = {
        {"mov tmod, #0x20\n mov th1, #0xfd\n mov tl1, #0xfd\n mov scon, #0x40\n setb tr1\n", 96, 10,
         0x4b << 1 | 1 << 9, true},
        {"mov pcon, #0x80\n mov tmod, #0x20\n mov th1, #0xfd\n mov tl1, #0xfd\n mov scon, #0x40\n setb tr1\n",
         48, 10, 0x4b << 1 | 1 << 9, true},
        {"mov tmod, #0x20\n mov th1, #0xfd\n mov tl1, #0xfd\n mov scon, #0xc8\n setb tr1\n", 96, 11,
         0x4b << 1 | 3 << 9, true},
        {"mov tmod, #0x20\n mov th1, #0xfd\n mov tl1, #0xfd\n mov scon, #0xc0\n setb tr1\n", 96, 11,
         0x4b << 1 | 1 << 10, true},
        {"mov rcap2l, #0xdc\n mov rcap2h, #0xff\n mov tl2, #0xdc\n mov th2, #0xff\n mov scon, #0x40\n mov "
         "t2con, #0x14\n",
         96, 10, 0x4b << 1 | 1 << 9, true},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char source[700];
        uint64_t expected[20];
        bench b;
        edge_log log = {.pin = P3_1};
        snprintf(source, sizeof source,
                 " vector reset, start\n org 0x40\nstart: %s\non: mov sbuf, #0x4b\nsent: jnb ti, sent\ndone: "
                 "sjmp $\n",
                 all[i].settings);
        bench_open(&b, "mcs51-8k", source);
        oak_outside outside = {.context = &log, .advance = drive_log, .pin_changed = log_pin};
        uint64_t on = cycle_at(&b, "on"), written = on + 2;
        ck_assert_int_eq(b.chip.ops->attach(b.chip.chip, &outside), OAK_OK);
        uint64_t done = cycle_at(&b, "done");
        /* The timer began when the instruction before `on` ended: it is at a multiple of a bit from there. */
        uint64_t start = on + ((written - on) / all[i].bit + 1) * all[i].bit;
        unsigned count = edges_of(all[i].frame, all[i].bits, start, all[i].bit, expected);
        ck_assert_msg(log.count == count, "%u: %u edges, expected %u", i, log.count, count);
        for (unsigned k = 0; k < count; k++)
            ck_assert_msg(log.cycle[k] == expected[k], "%u: edge %u at %u, expected %u", i, k,
                          (unsigned)(log.cycle[k] - on), (unsigned)(expected[k] - on));
        /* The flag comes with the stop bit; the loop that asks for it reads one cycle before it ends. */
        uint64_t flag = start + (all[i].bits - 1) * all[i].bit;
        ck_assert_uint_ge(done, flag + 1);
        ck_assert_uint_le(done, flag + 2);
        uint8_t byte;
        size_t taken;
        uint64_t out;
        ck_assert_int_eq(b.chip.ops->sent_at(b.chip.chip, 0, &out, 1, &taken), OAK_OK);
        ck_assert(taken == 1 && out == flag);
        ck_assert_int_eq(b.chip.ops->take_output(b.chip.chip, 0, &byte, 1, &taken), OAK_OK);
        ck_assert_uint_eq(taken, 1);
        ck_assert_uint_eq(byte, 0x4b);
        bench_close(&b);
    }
}
END_TEST

START_TEST(mode_0_shifts_a_bit_a_cycle_and_mode_2_goes_by_the_oscillator)
{
    bench b;
    edge_log log = {.pin = P3_0};
    oak_outside outside = {.context = &log, .advance = drive_log, .pin_changed = log_pin};
    bench_open(&b, "mcs51-4k",
               " vector reset, start\n org 0x40\nstart: mov scon, #0\non: mov sbuf, #0x4d\nsent: jnb ti, "
               "sent\ndone: sjmp $\n");
    uint64_t written = cycle_at(&b, "on") + 2;
    ck_assert_int_eq(b.chip.ops->attach(b.chip.chip, &outside), OAK_OK);
    cycle_at(&b, "done");
    /* 1 0 1 1 0 0 1 0, the first bit a whole cycle behind the write, then the pin is let go. */
    static const unsigned edges[] = {1, 2, 4, 6, 7, 8};
    ck_assert_uint_eq(log.count, 6);
    for (unsigned i = 0; i < 6; i++) ck_assert_uint_eq(log.cycle[i], written + 1 + edges[i]);
    bench_close(&b);
    /* Mode 2: 64 periods of the oscillator a bit, 5 1/3 cycles; the ticks run since reset. */
    edge_log second = {.pin = P3_1};
    oak_outside other = {.context = &second, .advance = drive_log, .pin_changed = log_pin};
    bench_open(&b, "mcs51-4k",
               " vector reset, start\n org 0x40\nstart: mov scon, #0x80\non: mov sbuf, #0x55\nsent: jnb ti, "
               "sent\ndone: sjmp $\n");
    written = cycle_at(&b, "on") + 2;
    ck_assert_int_eq(b.chip.ops->attach(b.chip.chip, &other), OAK_OK);
    cycle_at(&b, "done");
    uint64_t first = written * 12 / 64 + 1;
    ck_assert_uint_eq(second.count, 10);
    for (unsigned i = 0; i < 9; i++) ck_assert_uint_eq(second.cycle[i], ((first + i) * 64 + 11) / 12);
    ck_assert_uint_eq(second.cycle[9],
                      ((first + 10) * 64 + 11) / 12); /* the ninth bit is 0, the stop bit 1 */
    bench_close(&b);
}
END_TEST

/* Mode 0 as the manual has it: the cycle after the one that makes REN = 1 and RI = 0 passes; in each of the eight behind it the
 * clock goes low, the pin is looked at, the clock goes high; RI is set as the tenth begins. */
START_TEST(mode_0_receives_from_whatever_makes_ren_1_and_ri_0)
{
    static const char *const begins[] = {
        "mov scon, #0x10", "mov scon, #0\n nop\n setb ren", "mov scon, #0x11\n nop\n clr ri",
        "mov scon, #0x01\n setb ren\n nop\n anl scon, #0xfe", "mov scon, #0x50\n nop\n mov scon, #0x10"};
    for (unsigned i = 0; i < 5; i++)
        for (unsigned byte = 0; byte < 256; byte++) {
            char source[400];
            uint64_t at[20];
            bench b;
            edge_log log = {.drive_pin = P3_0, .pin = P3_1, .at = at};
            oak_outside outside = {.context = &log, .advance = drive_log, .pin_changed = log_pin};
            snprintf(source, sizeof source,
                     " vector reset, start\n org 0x40\nstart: %s\nbegun: nop\n nop\n nop\n nop\n nop\n nop\n "
                     "nop\n nop\n"
                     "last: nop\nready: sjmp $\n",
                     begins[i]);
            bench_open(&b, "mcs51-4k", source);
            uint64_t begun = cycle_at(&b, "begun");
            unsigned line = 1;
            for (unsigned bit = 0; bit < 8; bit++)
                if ((byte >> bit & 1) != line) line = byte >> bit & 1, at[log.drives++] = begun + 1 + bit;
            log.chip = b.chip;
            ck_assert_int_eq(b.chip.ops->attach(b.chip.chip, &outside), OAK_OK);
            ck_assert_uint_eq(cycle_at(&b, "last"), begun + 8);
            ck_assert_int_eq(value_of(&b, "ri"), 0);
            ck_assert_uint_eq(cycle_at(&b, "ready"), begun + 9);
            ck_assert_int_eq(value_of(&b, "ri"), 1);
            ck_assert_msg(value_of(&b, "SBUF") == byte, "%s: %02x received as %02llx", begins[i], byte,
                          value_of(&b, "SBUF"));
            ck_assert_uint_eq(log.count, 16);
            for (unsigned edge = 0; edge < 16; edge++) {
                ck_assert_int_eq(log.level[edge], edge % 2 ? OAK_HIGH : OAK_LOW);
                ck_assert_uint_eq(log.cycle[edge], begun + 1 + (edge + 1) / 2);
            }
            bench_close(&b);
        }
}
END_TEST

static void receive_at(uint64_t bit_millicycles, uint32_t frame, unsigned bits, const char *settings,
                       unsigned *scon, unsigned *data)
{
    char source[500];
    uint64_t at[20];
    bench b;
    edge_log log = {.drive_pin = P3_0, .pin = P3_1, .at = at};
    oak_outside outside = {.context = &log, .advance = drive_log};
    snprintf(source, sizeof source,
             " vector reset, start\n org 0x40\nstart: mov tmod, #0x20\n mov th1, #0xfd\n mov tl1, #0xfd\n "
             "%s\n setb tr1\non: nop\n sjmp on\n",
             settings);
    bench_open(&b, "mcs51-4k", source);
    cycle_at(&b, "on");
    unsigned line = 1;
    for (unsigned i = 0; i < bits; i++) {
        if ((frame >> i & 1) == line) continue;
        line = frame >> i & 1;
        at[log.drives++] = 1000 + i * bit_millicycles / 1000;
    }
    log.chip = b.chip;
    ck_assert_int_eq(b.chip.ops->attach(b.chip.chip, &outside), OAK_OK);
    oak_stop stop;
    ck_assert_int_eq(b.chip.ops->run(b.chip.chip, 4000, UINT64_MAX, &stop), OAK_OK);
    *scon = (unsigned)value_of(&b, "SCON");
    *data = (unsigned)value_of(&b, "SBUF");
    bench_close(&b);
}

START_TEST(bytes_arrive_at_the_serial_port_and_wrong_rates_garble_them)
{
    unsigned scon, data;
    for (unsigned byte = 0; byte < 256; byte++) { /* exact, and two percent off either way */
        for (unsigned rate = 94000; rate <= 98000; rate += 2000) {
            receive_at(rate, byte << 1 | 1 << 9, 10, "mov scon, #0x50", &scon, &data);
            ck_assert_msg(data == byte && scon == 0x55, "%02x at %u: %02x, scon %02x", byte, rate, data,
                          scon);
        }
    }
    receive_at(85000, 0x35 << 1 | 1 << 9, 10, "mov scon, #0x50", &scon, &data);
    ck_assert_uint_ne(data, 0x35);
    receive_at(96000, 0x35 << 1, 11, "mov scon, #0x50", &scon, &data); /* no stop bit: taken, but RB8 tells */
    ck_assert_uint_eq(scon, 0x51);
    receive_at(96000, 0x35 << 1 | 1 << 9, 10, "mov scon, #0x40", &scon, &data); /* the receiver is off */
    ck_assert_uint_eq(scon, 0x40);
    receive_at(96000, 0x35 << 1 | 1 << 9 | 1 << 10, 11, "mov scon, #0xf0", &scon,
               &data); /* an address byte */
    ck_assert_uint_eq(scon, 0xf5);
    ck_assert_uint_eq(data, 0x35);
    receive_at(96000, 0x35 << 1 | 1 << 10, 11, "mov scon, #0xf0", &scon, &data); /* for another station */
    ck_assert_uint_eq(scon, 0xf0);
    receive_at(96000, 0x35 << 1 | 1 << 9, 10, "mov scon, #0x51", &scon,
               &data); /* the last one is still there */
    ck_assert_uint_eq(data, 0);
}
END_TEST

START_TEST(pins_are_counted_timed_and_captured)
{
    bench b;
    bench_open(&b, "mcs51-8k",
               " vector reset, start\n org 0x40\nstart: mov tmod, #0x9d\n mov t2con, #0x0d\n setb tr0\n setb "
               "tr1\nwait: nop\n sjmp wait\n");
    /* T0 falls ten times while INT0 is high, INT1 is high for 345 cycles, T2EX falls once. */
    ck_assert_int_eq(oak_session_drive(b.session, "p3.4 = 1 for 10 cycles, 0 for 10 cycles, repeat", &b.sink),
                     OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "p3.2 = 1 until 205 cycles, 0", &b.sink), OAK_OK);
    ck_assert_int_eq(
        oak_session_drive(b.session, "p3.3 = 0 until 100 cycles, 1 until 445 cycles, 0", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "p1.1 = 1 until 777 cycles, 0", &b.sink), OAK_OK);
    bench_run(&b, 1000, 0);
    ck_assert_int_eq(value_of(&b, "TL0"), 10);
    ck_assert_int_eq(value_of(&b, "TH1 * 256 + TL1"), 345);
    /* Timer 2 runs since `mov t2con` ended at cycle 6 (ljmp 2, mov 2, mov 2) and is kept behind the cycle of the edge. */
    ck_assert_int_eq(value_of(&b, "RCAP2H * 256 + RCAP2L"), 777 + 1 - 6);
    ck_assert_int_eq(value_of(&b, "EXF2"), 1);
    bench_close(&b);
}
END_TEST

START_TEST(idle_sleeps_until_an_interrupt_and_power_down_for_good)
{
    bench b;
    bench_open(&b, "mcs51-4k",
               " vector reset, start\n vector timer0, tick\n org 0x40\nstart: mov tmod, #1\n mov tl0, "
               "#0x18\n mov th0, #0xfc\n mov ie, #0x82\n setb tr0\n"
               "sleep: orl pcon, #1\nwoken: inc r7\n cjne r7, #3, sleep\n orl pcon, #2\n nop\n sjmp $\n"
               "tick: mov tl0, #0x18\n mov th0, #0xfc\n inc r6\n reti\n");
    uint64_t on = cycle_at(&b, "sleep"), woken = cycle_at(&b, "woken");
    /* 1000 steps, the flag a cycle later, two cycles of entry, ljmp 2, the handler 7. */
    ck_assert_uint_eq(woken, on + 1000 + 1 + 2 + 2 + 7);
    oak_event event = bench_run(&b, 1000000, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    ck_assert(event.stop.asleep);
    ck_assert_int_eq(value_of(&b, "r6"), 3);
    ck_assert_int_eq(value_of(&b, "r7"), 3);
    oak_chip_time time;
    b.chip.ops->read_time(b.chip.chip, &time);
    ck_assert_uint_lt(time.instructions, 60);
    bench_close(&b);
}
END_TEST

START_TEST(an_interrupt_without_handler_is_a_fault)
{
    bench b;
    bench_open(&b, "mcs51-4k",
               " vector reset, start\n org 0x40\nstart: mov ie, #0x81\nwait: nop\n sjmp wait\n");
    ck_assert_int_eq(oak_session_drive(b.session, "p3.2 = 1 until 50 cycles, 0", &b.sink), OAK_OK);
    oak_event event = bench_run(&b, 1000, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_FAULT);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_NO_HANDLER);
    ck_assert_uint_eq(event.stop.fault_address, 3);
    char text[200];
    oak_fault_sentence(b.session, &event.stop, text, sizeof text);
    ck_assert_ptr_nonnull(strstr(text, "external0"));
    bench_close(&b);
}
END_TEST

static const char watchdog_part[] =
    "part: watched\nextends: mcs51-8k\ntitle: with a watchdog\nblocks:\n"
    "  - name: WD\n    kind: watchdog\n    space: sfr\n    at: 0xa6\n    unit: 1000\n    key: 0x5a\n    "
    "title: watchdog\n    registers:\n"
    "      - {name: FEED, offset: 0, size: 8, role: feed, title: feeds it}\n"
    "      - {name: CTRL, offset: 1, size: 8, title: control, bits: {WDEN: 0 it runs}, does: {WDEN: run}}\n"
    "      - {name: TOP, offset: 3, size: 8, role: period, reset: 10, title: thousands of cycles}\n";

START_TEST(a_watchdog_that_a_part_includes_bites_on_time_and_ram_outlives_its_reset)
{
    /* Each round takes 3 cycles to the feeding, then the program hangs; 10,000 cycles later it bites. */
    static const char program[] =
        " org 0\n inc 0x7f\n mov WD_CTRL, #1\n mov WD_FEED, #0x5a\nhang: nop\n sjmp hang\n";
    char path[] = "/tmp/part-XXXXXX";
    int file = mkstemp(path);
    ck_assert_int_eq(write(file, watchdog_part, sizeof watchdog_part - 1), sizeof watchdog_part - 1);
    close(file);
    bench b;
    memset(&b, 0, sizeof b);
    b.host = oak_linux_host();
    b.sink = collect(&b.diags);
    if (oak_part_load_from(&b.host, path, &(oak_part_shelf){SOURCE_FOLDER "/parts", NULL}, &b.sink, &b.part))
        show_collected(&b.diags);
    ck_assert_ptr_nonnull(b.part);
    unlink(path);
    b.program = assemble(b.part, program, &b.diags);
    ck_assert_ptr_nonnull(b.program);
    uint32_t outside;
    ck_assert_int_eq(oak_machine_create(&b.host, b.part, &b.machine), OAK_OK);
    ck_assert_int_eq(oak_machine_load(b.machine, oak_program_image(b.program), &outside), OAK_OK);
    b.chip = oak_machine_port(b.machine);
    ck_assert_int_eq(oak_session_open(&b.host, &b.chip, b.program, &b.session), OAK_OK);
    oak_event event = bench_run(&b, 50000, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_FAULT);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_WATCHDOG);
    ck_assert_uint_ge(cycles_of(&b), 10000 + 5);
    ck_assert_uint_le(cycles_of(&b), 10000 + 5 + 2);
    ck_assert_int_eq(oak_session_set_level(b.session, "watchdog", 8, OAK_NOTICE_WARNING), OAK_OK);
    bench_run(&b, 35000, 0); /* three more bites, at which it goes on */
    ck_assert_int_eq(value_of(&b, "iram[0x7f]"), 5);
    ck_assert_uint_eq(oak_session_noticed(b.session, 0)->count, 3);
    bench_close(&b);
}
END_TEST

RUN_SUITE("periph51", a_watchdog_that_a_part_includes_bites_on_time_and_ram_outlives_its_reset,
          random_programs_with_timers_and_interrupts_run_as_in_the_second_implementation,
          timers_overflow_on_their_cycle_in_every_mode, bytes_leave_the_serial_port_bit_by_bit,
          mode_0_shifts_a_bit_a_cycle_and_mode_2_goes_by_the_oscillator,
          mode_0_receives_from_whatever_makes_ren_1_and_ri_0,
          bytes_arrive_at_the_serial_port_and_wrong_rates_garble_them, pins_are_counted_timed_and_captured,
          idle_sleeps_until_an_interrupt_and_power_down_for_good, an_interrupt_without_handler_is_a_fault)
