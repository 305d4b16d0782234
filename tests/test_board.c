/* Boards: the stand-ins one by one at the pins of an idle chip, board files, and the examples on their boards. */
#include "support.h"

#include <math.h>
#include <stdio.h>
#include <unistd.h>

#define IDLE " org 0\nhere: nop\n sjmp here\n"

typedef struct table { /* a bench with a board */
    bench b;
    oak_board *board;
} table;

/* A kind of our own, written against the public header: drives the inverse of what comes in. */
static void invert(oak_stand_in *self, unsigned terminal, oak_level level)
{
    if (terminal == 0) oak_stand_in_put(self, 1, level == OAK_HIGH ? OAK_LOW : OAK_HIGH);
}
static const oak_terminal inverter_terminals[] = {{"in", 1, OAK_TERMINAL_IN, true, "in"},
                                                  {"out", 1, OAK_TERMINAL_OUT, true, "out"}};
static const oak_stand_in_kind inverter = {.name = "inverter",
                                           .title = "inverts",
                                           .terminals = inverter_terminals,
                                           .terminal_count = 2,
                                           .changed = invert};
static const oak_stand_in_kind *const own_kinds[] = {&inverter, NULL};

static oak_status load_text(table *t, const char *yaml)
{
    char path[] = "/tmp/board-XXXXXX";
    int file = mkstemp(path);
    ck_assert_int_eq(write(file, yaml, strlen(yaml)), (int)strlen(yaml));
    close(file);
    oak_status status = oak_board_load(&t->b.host, path, t->b.part, own_kinds, &t->b.sink, &t->board);
    unlink(path);
    return status;
}

static void open_table(table *t, const char *yaml)
{
    t->board = NULL;
    bench_open(&t->b, "mcs51-8k", IDLE);
    if (load_text(t, yaml)) show_collected(&t->b.diags);
    ck_assert_ptr_nonnull(t->board);
    ck_assert_int_eq(oak_board_join(t->board, t->b.session, 1), OAK_OK);
    bench_run(&t->b, 1, 0);
}

static void close_table(table *t)
{
    oak_session_close(t->b.session);
    t->b.session = NULL;
    oak_board_free(t->board);
    bench_close(&t->b);
}

static void act(table *t, const char *what)
{
    ck_assert_msg(oak_board_act(t->board, what, &t->b.sink) == OAK_OK, "%s: %s", what,
                  t->b.diags.one[0].message);
}

static const char *shown(table *t, const char *name)
{
    static char text[1000];
    oak_stand_in *one = oak_board_find(t->board, name, strlen(name));
    ck_assert_ptr_nonnull(one);
    oak_stand_in_show(one, text, sizeof text);
    return text;
}

static const char *drawn(table *t, const char *name)
{
    static char text[1000];
    oak_stand_in_draw(oak_board_find(t->board, name, strlen(name)), text, sizeof text);
    return text;
}

/* Drives p1.0 to p1.7 and so on from outside: port * 10 + bit. */
static void put(table *t, unsigned pin, int level)
{
    oak_session_put(t->b.session, 0, pin / 10 * OAK_MOST_PINS + pin % 10,
                    level < 0 ? OAK_FLOAT
                    : level   ? OAK_HIGH
                              : OAK_LOW);
}

static int get(table *t, unsigned pin)
{
    oak_pin state;
    t->b.chip.ops->read_pin(t->b.chip.chip, pin / 10 * OAK_MOST_PINS + pin % 10, &state);
    return state.result;
}

/* The port as the pins have it. */
static unsigned port(table *t, unsigned number)
{
    unsigned value = 0;
    for (unsigned bit = 0; bit < 8; bit++) value |= (unsigned)(get(t, number * 10 + bit) == OAK_HIGH) << bit;
    return value;
}

#define BEGINS(name, text)                                                                                   \
    ck_assert_msg(strncmp(shown(&t, name), text, strlen(text)) == 0, "%s shows: %s", name, shown(&t, name))

/* ------------------------------------------------------------------------------------------ light */

START_TEST(lamps_and_a_bar_are_lit_by_their_levels)
{
    table t;
    open_table(
        &t,
        "stand-ins:\n  a: {kind: lamp, wires: {in: p1.0}}\n  b: {kind: lamp, lit: high, wires: {in: p1.1}}\n"
        "  bar: {kind: lamp-bar, wires: {in: p2}}\n");
    BEGINS("a", "○  dark");
    BEGINS("b", "●  lit");
    put(&t, 10, 0);
    bench_run(&t.b, 999, 0);
    put(&t, 10, 1);
    put(&t, 11, 0);
    put(&t, 20, 0);
    put(&t, 23, 0);
    bench_run(&t.b, 1000, 0);
    BEGINS("a", "○  dark; lit 49 % of the time, switched on 1 time");
    ck_assert_str_eq(drawn(&t, "a"), shown(&t, "a")); /* it has no other picture */
    BEGINS("b", "○  dark; lit 49 % of the time");
    BEGINS("bar", "●○○●○○○○  2 lit");
    close_table(&t);
}
END_TEST

START_TEST(multiplexed_digits_show_what_an_eye_would_see)
{
    table t;
    open_table(&t, "stand-ins:\n  d: {kind: digits, wires: {a: p2.0, b: p2.1, c: p2.2, d: p2.3, e: p2.4, f: "
                   "p2.5, g: p2.6, point: p2.7,"
                   " digit: [p1.0, p1.1, p1.2]}}\n");
    static const uint8_t patterns[] = {0xA4, 0x82, 0x79}; /* 2, 6, 1 with a point; 0 is lit */
    for (unsigned turn = 0; turn < 30; turn++) {
        unsigned d = turn % 3;
        for (unsigned i = 0; i < 3; i++) put(&t, 10 + i, 1); /* all dark while the segments change */
        for (unsigned s = 0; s < 8; s++) put(&t, 20 + s, patterns[d] >> s & 1);
        put(&t, 10 + d, 0);
        bench_run(&t.b, 2000, 0);
    }
    ck_assert_str_eq(shown(&t, "d"), "[1.62]");
    ck_assert_str_eq(drawn(&t, "d"), "     _   _  \n"
                                     "  | |_   _| \n"
                                     "  |.|_| |_  ");
    close_table(&t);
    open_table(&t, "stand-ins:\n  d: {kind: digits, lit: high, wires: {a: p2.0, b: p2.1, c: p2.2, d: p2.3, "
                   "e: p2.4, f: p2.5, g: p2.6}}\n");
    for (unsigned s = 0; s < 8; s++) put(&t, 20 + s, 0x6D >> s & 1);
    bench_run(&t.b, 50000, 0);
    ck_assert_str_eq(shown(&t, "d"), "[5]");
    close_table(&t);
}
END_TEST

/* ------------------------------------------------------------------------------------------ hands */

typedef struct changes {
    unsigned pin, count;
    uint64_t first, last;
} changes;
static uint64_t nothing(void *context, uint64_t now)
{
    (void)context, (void)now;
    return UINT64_MAX;
}
static void count_change(void *context, unsigned pin, oak_level level, uint64_t cycle)
{
    changes *c = context;
    (void)level;
    if (pin != c->pin) return;
    if (!c->count++) c->first = cycle;
    c->last = cycle;
}

START_TEST(a_button_is_pressed_tapped_and_bounces)
{
    table t;
    unsigned source;
    changes seen = {.pin = OAK_MOST_PINS};
    const oak_outside outside = {.context = &seen, .advance = nothing, .pin_changed = count_change};
    open_table(&t, "stand-ins:\n  go: {kind: button, bounce: 2ms, tap: 50ms, wires: {out: p1.0}}\n");
    ck_assert_int_eq(oak_session_join(t.b.session, &outside, &source), OAK_OK);
    act(&t, "go press at 10ms");
    act(&t, "go release at 30ms");
    bench_run(&t.b, 20000, 0);
    ck_assert_int_eq(get(&t, 10), 0);
    ck_assert_uint_eq(seen.first, 10000);
    ck_assert_uint_le(seen.last, 12000);
    ck_assert_uint_gt(seen.count, 2);
    ck_assert_uint_eq(seen.count % 2, 1);
    bench_run(&t.b, 20000, 0);
    ck_assert_int_eq(get(&t, 10), 1);
    act(&t, "go tap");
    bench_run(&t.b, 45000, 0);
    ck_assert_int_eq(get(&t, 10), 0);
    bench_run(&t.b, 10000, 0);
    ck_assert_int_eq(get(&t, 10), 1);
    BEGINS("go", "released; pressed 2 times");
    close_table(&t);
}
END_TEST

START_TEST(a_switch_starts_where_it_is_said_and_a_keypad_joins_row_and_column)
{
    table t;
    open_table(
        &t,
        "stand-ins:\n  s: {kind: switch, at-first: closed, closed: high, pull: down, wires: {out: p1.7}}\n"
        "  k: {kind: keypad, keys: \"123456789*0#\", wires: {row: [p1.0, p1.1, p1.2, p1.3], column: [p2.0, "
        "p2.1, p2.2]}}\n");
    ck_assert_int_eq(get(&t, 17), 1);
    act(&t, "s toggle");
    ck_assert_int_eq(get(&t, 17), 0);
    act(&t, "k press 6"); /* row 1, column 2 */
    for (unsigned row = 0; row < 4; row++) {
        for (unsigned i = 0; i < 4; i++) put(&t, 10 + i, i != row);
        bench_run(&t.b, 10, 0);
        ck_assert_uint_eq(port(&t, 2) & 7, row == 1 ? 3 : 7);
    }
    BEGINS("k", "6 down");
    act(&t, "k release");
    put(&t, 11, 0);
    bench_run(&t.b, 10, 0);
    ck_assert_uint_eq(port(&t, 2) & 7, 7);
    static const char *const wrong[] = {"k press 5ms", "k press", "k release 5", "k tap 12"};
    for (unsigned i = 0; i < 4; i++)
        ck_assert_msg(oak_board_act(t.board, wrong[i], &t.b.sink) == OAK_REFUSED, "%s", wrong[i]);
    t.b.diags.count = 0;
    ck_assert_int_eq(oak_board_act(t.board, "k sing", &t.b.sink), OAK_REFUSED);
    ck_assert_ptr_nonnull(strstr(t.b.diags.one[0].hint, "press KEY, release, tap KEY"));
    close_table(&t);
}
END_TEST

START_TEST(a_knob_gives_quadrature_signals_in_both_directions)
{
    table t;
    open_table(&t, "stand-ins:\n  k: {kind: encoder, click: 8ms, wires: {a: p1.0, b: p1.1}}\n");
    static const unsigned right[] = {3, 2, 0, 1, 3}; /* b, a: a falls first */
    act(&t, "k turn 1");
    for (unsigned i = 0; i < 5; i++) {
        ck_assert_uint_eq(port(&t, 1) & 3, right[i]);
        bench_run(&t.b, i ? 2000 : 2002, 0);
    }
    act(&t, "k turn -2");
    bench_run(&t.b, 30000, 0);
    BEGINS("k", "-1 clicks");
    close_table(&t);
}
END_TEST

/* ------------------------------------------------------------------------------------------ power */

START_TEST(a_relay_follows_its_coil_by_its_times)
{
    table t;
    open_table(&t, "stand-ins:\n  r: {kind: relay, pull-in: 5ms, drop-out: 2ms, wires: {coil: p1.0, contact: "
                   "p1.1, rest: p1.2}}\n");
    put(&t, 10, 0);
    bench_run(&t.b, 4998, 0);
    ck_assert_uint_eq(port(&t, 1) & 6, 4);
    bench_run(&t.b, 5, 0);
    ck_assert_uint_eq(port(&t, 1) & 6, 2);
    put(&t, 10, 1); /* too short to let go */
    bench_run(&t.b, 1900, 0);
    put(&t, 10, 0);
    bench_run(&t.b, 4000, 0);
    ck_assert_uint_eq(port(&t, 1) & 6, 2);
    put(&t, 10, 1);
    bench_run(&t.b, 2010, 0);
    ck_assert_uint_eq(port(&t, 1) & 6, 4);
    BEGINS("r", "at rest; pulled in 1 time");
    close_table(&t);
}
END_TEST

START_TEST(a_motor_and_a_heater_follow_their_differential_equations)
{
    table t;
    open_table(&t, "stand-ins:\n  m: {kind: motor, speed: 1200, spin-up: 200ms, coast: 1s, slots: 4, wires: "
                   "{on: p1.0, pulse: p1.1}}\n"
                   "  h: {kind: heater, power: 1000, mass: 500, loss: 100, every: 100ms, limit: 30, wires: "
                   "{on: p1.0, pulse: p1.2, too-hot: p1.3}}\n");
    unsigned source;
    changes pulses = {.pin = OAK_MOST_PINS + 1};
    const oak_outside outside = {.context = &pulses, .advance = nothing, .pin_changed = count_change};
    ck_assert_int_eq(oak_session_join(t.b.session, &outside, &source), OAK_OK);
    uint64_t begin = cycles_of(&t.b);
    int speed, degrees;
    for (unsigned step = 1; step <= 8; step++) {
        bench_run(&t.b, 100000, 0);
        double seconds = (double)(cycles_of(&t.b) - begin) / 1e6, wanted = 1200 * (1 - exp(-seconds / 0.2));
        ck_assert_int_eq(sscanf(shown(&t, "m"), "driven, %d turns", &speed), 1);
        ck_assert_msg(fabs(speed - wanted) < 12, "%d instead of %f", speed, wanted);
        double rise = 1000 * (1 - exp(-seconds * 1.0 / 500)); /* 1000 W, 1 W a degree, 500 J a degree */
        ck_assert_int_eq(sscanf(shown(&t, "h"), "%d.", &degrees), 1);
        ck_assert_msg(fabs(degrees - floor(20 + rise)) <= 1, "%d instead of %f", degrees, 20 + rise);
    }
    /* turns in 0.8 s: the integral of the speed; eight edges a turn */
    double turns = 20 * (0.8 - 0.2 * (1 - exp(-4.0)));
    ck_assert_msg(fabs(pulses.count - turns * 8) <= 3, "%u edges instead of %f", pulses.count, turns * 8);
    put(&t, 10, 0);
    bench_run(&t.b, 1000000, 0);
    ck_assert_int_eq(sscanf(shown(&t, "m"), "coasting, %d turns", &speed), 1);
    ck_assert_msg(fabs(speed - 1200 * (1 - exp(-4.0)) * exp(-1.0)) < 12, "%d", speed);
    close_table(&t);
}
END_TEST

START_TEST(the_sensor_of_a_heater_sends_its_temperature_as_a_width_and_the_limit_switch_closes)
{
    table t;
    open_table(&t, "stand-ins:\n  h: {kind: heater, start: 250, loss: 0, every: 10ms, width: 2us, limit: "
                   "251, mass: 100, power: 1000, wires: {on: p1.0, pulse: p1.2, too-hot: p1.3}}\n");
    put(&t, 10, 0);
    bench_run(&t.b, 9990, 0);
    ck_assert_int_eq(get(&t, 12), 0);
    bench_run(&t.b, 100, 0);
    ck_assert_int_eq(get(&t, 12), 1);
    bench_run(&t.b, 390, 0);
    ck_assert_int_eq(get(&t, 12), 1);
    bench_run(&t.b, 30, 0); /* 250 degrees: 500 us */
    ck_assert_int_eq(get(&t, 12), 0);
    ck_assert_int_eq(get(&t, 13), 0);
    put(&t, 10, 1);
    bench_run(&t.b, 130000, 0); /* 100 J of 1000 W */
    ck_assert_int_eq(get(&t, 13), 1);
    close_table(&t);
}
END_TEST

START_TEST(a_pulse_sensor_keeps_its_rate)
{
    table t;
    unsigned source;
    changes seen = {.pin = OAK_MOST_PINS};
    const oak_outside outside = {.context = &seen, .advance = nothing, .pin_changed = count_change};
    open_table(&t, "stand-ins:\n  p: {kind: pulse-sensor, rate: 30Hz, wires: {out: p1.0}}\n");
    ck_assert_int_eq(oak_session_join(t.b.session, &outside, &source), OAK_OK);
    bench_run(&t.b, 1000000, 0);
    ck_assert_uint_eq(seen.count, 60);
    ck_assert_uint_eq(seen.last, 1000000);
    act(&t, "p stop");
    bench_run(&t.b, 100000, 0);
    ck_assert_uint_eq(seen.count, 60);
    BEGINS("p", "still");
    close_table(&t);
}
END_TEST

/* ------------------------------------------------------------------------------------------ buses */

START_TEST(two_shift_registers_in_a_row_show_sixteen_bits)
{
    table t;
    open_table(
        &t,
        "stand-ins:\n  a: {kind: shift-register, wires: {data: p1.0, clock: p1.1, latch: p1.2, out: link}}\n"
        "  b: {kind: shift-register, wires: {data: link, clock: p1.1, latch: p1.2, q: p2}}\n");
    put(&t, 11, 0);
    put(&t, 12, 0);
    for (unsigned i = 0; i < 16; i++) {
        put(&t, 10, 0xC35A >> (15 - i) & 1);
        put(&t, 11, 1);
        put(&t, 11, 0);
    }
    ck_assert_uint_eq(port(&t, 2), 0);
    put(&t, 12, 1);
    ck_assert_uint_eq(port(&t, 2), 0xC3);
    BEGINS("a", "shows 0x5a");
    close_table(&t);
}
END_TEST

static void bus(table *t, unsigned number, int value)
{
    for (unsigned bit = 0; bit < 8; bit++) put(t, number * 10 + bit, value < 0 ? -1 : value >> bit & 1);
}

START_TEST(a_memory_with_an_address_latch_is_written_and_read)
{
    static const char yaml[] = "stand-ins:\n  m: {kind: memory, size: 1KiB, wires: {d: p0, a8: p2.0, a9: "
                               "p2.1, latch: p1.0, read: p1.1, write: p1.2}}\n";
    table t;
    open_table(&t, yaml);
    put(&t, 11, 1);
    put(&t, 12, 1);
    for (unsigned i = 0; i < 2; i++) {
        put(&t, 10, 1); /* latch open: the lower address */
        bus(&t, 0, 0x40 + (int)i);
        put(&t, 20, 1);
        put(&t, 21, 0);
        put(&t, 10, 0);
        bus(&t, 0, i ? 0x99 : 0x37);
        put(&t, 12, 0);
        put(&t, 12, 1);
    }
    for (unsigned i = 0; i < 2; i++) {
        put(&t, 10, 1);
        bus(&t, 0, 0x40 + (int)i);
        put(&t, 10, 0);
        bus(&t, 0, -1);
        put(&t, 11, 0);
        ck_assert_uint_eq(port(&t, 0), i ? 0x99 : 0x37);
        put(&t, 11, 1);
        ck_assert_int_eq(get(&t, 0), OAK_FLOAT);
    }
    BEGINS("m", "2 reads, 2 writes");
    close_table(&t);
}
END_TEST

START_TEST(memory_on_the_external_bus_takes_the_place_of_what_the_part_has)
{
    static const char source[] =
        " org 0\n mov dptr, #0x8003\n movx a, @dptr\n mov r7, a\n mov dptr, #0x0100\n movx @dptr, a\n movx "
        "a, @dptr\n mov r6, a\n mov dptr, #0x8000\nwrites: movx @dptr, a\n sjmp $\n";
    static const char other[] = " org 0\n mov dptr, #0x4000\nreads: movx a, @dptr\n sjmp $\n";
    static const char yaml[] =
        "stand-ins:\n  ram: {kind: external-memory, at: 0, size: 1KiB}\n  rom: {kind: external-memory, at: "
        "0x8000, size: 16, writable: no, contents: /tmp/rom-of-test-board}\n";
    FILE *file = fopen("/tmp/rom-of-test-board", "wb");
    ck_assert_uint_eq(fwrite("\x10\x20\x30\x40", 1, 4, file), 4);
    fclose(file);
    for (unsigned i = 0; i < 2; i++) {
        table t = {0};
        bench_open(&t.b, "mcs51-8k", i ? other : source);
        ck_assert_int_eq(load_text(&t, yaml), OAK_OK);
        ck_assert_int_eq(oak_board_join(t.board, t.b.session, 1), OAK_OK);
        oak_event event = bench_run(&t.b, 1000, 0);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_FAULT);
        ck_assert_int_eq(event.stop.fault, i ? OAK_FAULT_ABSENT : OAK_FAULT_READ_ONLY);
        ck_assert_uint_eq(event.stop.fault_address, i ? 0x4000 : 0x8000);
        ck_assert_uint_eq(event.stop.pc, (uint32_t)value_of(&t.b, i ? "reads" : "writes"));
        if (!i) ck_assert_int_eq(value_of(&t.b, "r7"), 0x40);
        if (!i) ck_assert_int_eq(value_of(&t.b, "r6"), 0x40);
        BEGINS("rom", "ROM at xram 0x8000 to 0x800f");
        close_table(&t);
    }
    unlink("/tmp/rom-of-test-board");
}
END_TEST

/* I²C from the other side: sda on p1.0, scl on p1.1, both with a pull. */
static void wire_start(table *t)
{
    put(t, 10, -1), put(t, 11, -1), put(t, 10, 0), put(t, 11, 0);
}
static void wire_stop(table *t)
{
    put(t, 10, 0), put(t, 11, -1), put(t, 10, -1);
}
static bool wire_send(table *t, unsigned byte)
{
    for (unsigned i = 0; i < 8; i++) {
        put(t, 10, byte >> (7 - i) & 1 ? -1 : 0);
        put(t, 11, -1), put(t, 11, 0);
    }
    put(t, 10, -1), put(t, 11, -1);
    bool taken = get(t, 10) == OAK_LOW;
    put(t, 11, 0);
    return taken;
}
static unsigned wire_receive(table *t, bool more)
{
    unsigned byte = 0;
    put(t, 10, -1);
    for (unsigned i = 0; i < 8; i++) {
        put(t, 11, -1);
        byte = byte << 1 | (get(t, 10) == OAK_HIGH);
        put(t, 11, 0);
    }
    put(t, 10, more ? 0 : -1);
    put(t, 11, -1), put(t, 11, 0), put(t, 10, -1);
    return byte;
}

START_TEST(an_eeprom_on_two_wires_keeps_pages_and_is_busy_meanwhile)
{
    table t;
    open_table(&t, "stand-ins:\n  e: {kind: eeprom-i2c, size: 512, page: 8, write-time: 5ms, address: 0x52, "
                   "wires: {sda: p1.0, scl: p1.1}}\n");
    wire_start(&t);
    ck_assert(!wire_send(&t, 0x50 << 1)); /* somebody else */
    wire_stop(&t);
    wire_start(&t);
    ck_assert(wire_send(&t, 0x52 << 1) && wire_send(&t, 1) && wire_send(&t, 0x06));
    for (unsigned i = 0; i < 4; i++) ck_assert(wire_send(&t, 0x11 * (i + 1))); /* 6, 7, and round to 0, 1 */
    wire_stop(&t);
    wire_start(&t);
    ck_assert(!wire_send(&t, 0x52 << 1)); /* busy */
    wire_stop(&t);
    bench_run(&t.b, 5100, 0);
    wire_start(&t);
    ck_assert(wire_send(&t, 0x52 << 1) && wire_send(&t, 1) && wire_send(&t, 0x00));
    wire_start(&t);
    ck_assert(wire_send(&t, 0x52 << 1 | 1));
    static const unsigned wanted[] = {0x33, 0x44, 0xFF, 0xFF, 0xFF, 0xFF, 0x11, 0x22, 0xFF};
    for (unsigned i = 0; i < 9; i++) ck_assert_uint_eq(wire_receive(&t, i < 8), wanted[i]);
    wire_stop(&t);
    ck_assert_int_eq(get(&t, 10), OAK_HIGH);
    BEGINS("e", "9 bytes read, 1 writes");
    close_table(&t);
}
END_TEST

static unsigned four(table *t, unsigned byte) /* select p1.0, clock p1.1, in p1.2, out p1.3 */
{
    unsigned in = 0;
    for (unsigned i = 0; i < 8; i++) {
        put(t, 12, byte >> (7 - i) & 1);
        in = in << 1 | (get(t, 13) == OAK_HIGH);
        put(t, 11, 1), put(t, 11, 0);
    }
    return in;
}
static unsigned four_command(table *t, const unsigned *bytes, unsigned count)
{
    unsigned last = 0;
    put(t, 11, 0), put(t, 10, 0);
    for (unsigned i = 0; i < count; i++) last = four(t, bytes[i]);
    put(t, 10, 1);
    return last;
}

START_TEST(an_eeprom_on_four_wires_wants_its_write_enable)
{
    table t;
    open_table(
        &t, "stand-ins:\n  e: {kind: eeprom-spi, wires: {select: p1.0, clock: p1.1, in: p1.2, out: p1.3}}\n");
    put(&t, 10, 1);
#define COMMAND(...)                                                                                         \
    four_command(&t, (const unsigned[]){__VA_ARGS__},                                                        \
                 sizeof((const unsigned[]){__VA_ARGS__}) / sizeof(unsigned))
    COMMAND(2, 0x20, 0xAB); /* not enabled */
    ck_assert_uint_eq(COMMAND(3, 0x20, 0), 0xFF);
    COMMAND(6);
    ck_assert_uint_eq(COMMAND(5, 0), 2);
    COMMAND(2, 0x20, 0xAB, 0xCD);
    ck_assert_uint_eq(COMMAND(5, 0), 1); /* busy, and no longer enabled */
    ck_assert_uint_eq(COMMAND(3, 0x20, 0) & 0, 0);
    bench_run(&t.b, 5100, 0);
    ck_assert_uint_eq(COMMAND(5, 0), 0);
    ck_assert_uint_eq(COMMAND(3, 0x20, 0), 0xAB);
    ck_assert_uint_eq(COMMAND(3, 0x20, 0, 0), 0xCD);
    close_table(&t);
}
END_TEST

static void display_send(table *t, unsigned byte, bool data, bool half)
{
    put(t, 10, data);
    for (unsigned part = 0; part < (half ? 2 : 1); part++) {
        bus(t, 2, (int)(half ? (part ? byte << 4 & 0xF0 : byte & 0xF0) : byte));
        put(t, 12, 1), put(t, 12, 0);
    }
    bench_run(&t->b, byte <= 3 && !data ? 1700 : 60, 0);
}

START_TEST(a_character_display_takes_commands_by_eight_lines_and_by_four)
{
    for (unsigned half = 0; half < 2; half++) {
        table t;
        open_table(&t, half ? "stand-ins:\n  d: {kind: character-display, wires: {rs: p1.0, rw: p1.1, e: "
                              "p1.2, d4: p2.4, d5: p2.5, d6: p2.6, d7: p2.7}}\n"
                            : "stand-ins:\n  d: {kind: character-display, wires: {rs: p1.0, rw: p1.1, e: "
                              "p1.2, d: p2}}\n");
        put(&t, 11, 0);
        put(&t, 12, 0); /* falls: taken as a character */
        bench_run(&t.b, 60, 0);
        display_send(&t, half ? 0x20 : 0x38, false, false);
        if (half) display_send(&t, 0x28, false, true);
        display_send(&t, 0x0C, false, half);
        display_send(&t, 0x01, false, half);
        for (const char *c = "oak spindle"; *c; c++) display_send(&t, (unsigned char)*c, true, half);
        display_send(&t, 0xC3, false, half);
        for (const char *c = "lathe 42"; *c; c++) display_send(&t, (unsigned char)*c, true, half);
        ck_assert_str_eq(shown(&t, "d"), "|oak spindle     |\n|   lathe 42     |");
        /* the busy flag and the address are read */
        bus(&t, 2, -1);
        put(&t, 10, 0), put(&t, 11, 1), put(&t, 12, 1);
        unsigned first = port(&t, 2) & 0xF0;
        if (half) put(&t, 12, 0), put(&t, 12, 1);
        ck_assert_uint_eq(first | (half ? (port(&t, 2) >> 4) : (port(&t, 2) & 0x0F)), 0x4B);
        put(&t, 12, 0), put(&t, 11, 0);
        if (!half) { /* two characters without a pause: the second is lost */
            put(&t, 10, 1), bus(&t, 2, 'x'), put(&t, 12, 1), put(&t, 12, 0), put(&t, 12, 1), put(&t, 12, 0);
            ck_assert_ptr_nonnull(strstr(shown(&t, "d"), "1 came while it was busy"));
        }
        close_table(&t);
    }
}
END_TEST

START_TEST(a_terminal_sends_and_receives_at_its_own_rate)
{
    table t;
    size_t count;
    open_table(&t, "stand-ins:\n  t: {kind: terminal, baud: 4800, parity: even, wires: {to-chip: p1.0, "
                   "from-chip: p1.1}}\n");
    act(&t, "t type ok");
    ck_assert_int_eq(
        oak_session_drive(t.b.session, "p1.1 = bytes \"saw\" at 4800 parity even from 1ms", &t.b.sink),
        OAK_OK);
    unsigned bits = 0;
    uint64_t begin = cycles_of(&t.b);
    bench_run(&t.b, 104, 0);
    for (unsigned bit = 0; bit < 11;
         bit++) { /* in the middle of each: start, o = 0x6f, parity (six ones), stop */
        bits |= (unsigned)get(&t, 10) << bit;
        uint64_t next = begin + (uint64_t)((bit + 1.5) * 1e6 / 4800);
        bench_run(&t.b, next - cycles_of(&t.b), 0);
    }
    ck_assert_uint_eq(bits, 0x6Fu << 1 | 1u << 10);
    bench_run(&t.b, 20000, 0);
    const uint8_t *bytes = oak_stand_in_printed(oak_board_find(t.board, "t", 1), &count);
    ck_assert_uint_eq(count, 3);
    ck_assert_mem_eq(bytes, "saw", 3);
    BEGINS("t", "3 bytes received, 2 sent; last \"saw\"");
    ck_assert_str_eq(drawn(&t, "t"), "3 bytes received, 2 sent\n| saw");
    ck_assert_int_eq(
        oak_session_drive(
            t.b.session,
            "p1.1 = bytes \"\\none\\n\\n\\x07two\\r\\nthree\\nfour\\n\" at 4800 parity even from 50ms",
            &t.b.sink),
        OAK_OK);
    bench_run(&t.b, 100000, 0);
    ck_assert_str_eq(drawn(&t, "t"), "26 bytes received, 2 sent\n| \n| \\x07two\n| three\n| four");
    close_table(&t);
}
END_TEST

/* ------------------------------------------------------------------------------------------ board files */

START_TEST(every_fault_of_a_board_file_has_its_line_and_column)
{
    static const struct {
        const char *yaml;
        unsigned line, column;
        const char *part; /* of the message or the hint */
    } cases[] = {
        {"", 1, 1, "empty"},
        {"board: x\n", 1, 1, "nothing on this board"},
        {"boards: x\nstand-ins: {}\n", 1, 1, "Did you mean `board`"},
        {"stand-ins:\n  a: {kind: lampe, wires: {in: p1.0}}\n", 2, 13, "Did you mean `lamp`"},
        {"stand-ins:\n  a: {kind: lamp, wires: {in: p1.9}}\n", 2, 31, "no pin `p1.9`"},
        {"stand-ins:\n  a: {kind: lamp, wires: {on: p1.0}}\n", 2, 27, "no terminal `on`"},
        {"stand-ins:\n  a: {kind: lamp}\n", 2, 6, "must be wired"},
        {"stand-ins:\n  a: {kind: lamp, lit: bright, wires: {in: p1.0}}\n", 2, 24, "low or high"},
        {"stand-ins:\n  a: {kind: relay, pull-in: soon, wires: {coil: p1.0}}\n", 2, 29, "20ms"},
        {"stand-ins:\n  a: {kind: lamp, colour: red, wires: {in: p1.0}}\n", 2, 19, "no setting `colour`"},
        {"stand-ins:\n  a: {kind: relay, wires: {coil: p1.0, contact: loose}}\n", 2, 49, "leads nowhere"},
        {"part: mcs51-4k\nstand-ins: {}\n", 1, 7, "mcs51-4k, not for mcs51-8k"},
        {"clock: fast\nstand-ins: {}\n", 1, 8, "no clock frequency"},
        {"stand-ins:\n  a: {kind: button, wires: {out: p1.0}}\nthen:\n  - {at: 5ms, do: b press}\n", 4, 19,
         "called `b`"},
        {"stand-ins:\n  a: {kind: button, wires: {out: p1.0}}\nthen:\n  - {at: 5ms, do: a sing}\n", 4, 19,
         "press, release, tap"},
        {"stand-ins:\n  a: {kind: button, wires: {out: p1.0}}\nthen:\n  - {at: soon, do: a press}\n", 4, 10,
         "`at` needs a time"},
        {"stand-ins:\n  a: {kind: button, wires: {out: p1.0}}\nthen:\n  - {when: 5ms, do: a press}\n", 4, 6,
         "no key `when`"},
        {"stand-ins:\n  a: {kind: memory, contents: nowhere.hex, wires: {d: p0}}\n", 2, 31, "cannot be read"},
        {"stand-ins: [a\n", 2, 1, "no YAML"},
    };
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        table t = {0};
        bench_open(&t.b, "mcs51-8k", IDLE);
        ck_assert_int_eq(load_text(&t, cases[i].yaml), OAK_REFUSED);
        ck_assert_uint_ge(t.b.diags.count, 1);
        ck_assert_msg(t.b.diags.one[0].line == cases[i].line && t.b.diags.one[0].column == cases[i].column,
                      "case %u: %u:%u %s", i, t.b.diags.one[0].line, t.b.diags.one[0].column,
                      t.b.diags.one[0].message);
        ck_assert_msg(strstr(t.b.diags.one[0].message, cases[i].part) ||
                          strstr(t.b.diags.one[0].hint, cases[i].part),
                      "case %u: %s | %s", i, t.b.diags.one[0].message, t.b.diags.one[0].hint);
        bench_close(&t.b);
    }
}
END_TEST

START_TEST(two_outputs_on_one_pin_are_refused_with_both_places)
{
    table t = {0};
    bench_open(&t.b, "mcs51-8k", IDLE);
    ck_assert_int_eq(load_text(&t, "stand-ins:\n  a: {kind: pulse-sensor, wires: {out: p1.0}}\n  b: {kind: "
                                   "relay, wires: {coil: p1.1, contact: p1.0}}\n"),
                     OAK_REFUSED);
    ck_assert_uint_eq(t.b.diags.count, 1);
    ck_assert_uint_eq(t.b.diags.one[0].line, 3);
    ck_assert_uint_eq(t.b.diags.one[0].column, 49);
    ck_assert_ptr_nonnull(
        strstr(t.b.diags.one[0].message, "`contact` of `b` here, `out` of `a` at /tmp/board-"));
    ck_assert_ptr_nonnull(strstr(t.b.diags.one[0].message, ":2:40"));
    bench_close(&t.b);
}
END_TEST

START_TEST(a_kind_of_ones_own_works_and_a_circle_is_told_and_ended)
{
    table t;
    open_table(&t, "stand-ins:\n  i: {kind: inverter, wires: {in: p1.0, out: p1.1}}\n");
    ck_assert_int_eq(get(&t, 11), 0);
    put(&t, 10, 0);
    ck_assert_int_eq(get(&t, 11), 1);
    ck_assert_uint_eq(oak_board_restless(t.board), UINT64_MAX);
    close_table(&t);
    open_table(&t, "stand-ins:\n  i: {kind: inverter, wires: {in: a, out: b}}\n  j: {kind: inverter, wires: "
                   "{in: b, out: c}}\n  k: {kind: inverter, wires: {in: c, out: a}}\n");
    bench_run(&t.b, 100, 0);
    ck_assert_uint_eq(oak_board_restless(t.board), 0);
    close_table(&t);
}
END_TEST

/* ------------------------------------------------------------------------------------------ the examples */

static void open_example(table *t, const char *part, const char *name, uint64_t seed)
{
    char path[300];
    memset(t, 0, sizeof *t);
    snprintf(path, sizeof path, SOURCE_FOLDER "/examples/%s/%s.asm", name, name);
    bench_open_file(&t->b, part, path);
    snprintf(path, sizeof path, SOURCE_FOLDER "/examples/%s/board.yaml", name);
    if (oak_board_load(&t->b.host, path, t->b.part, NULL, &t->b.sink, &t->board)) show_collected(&t->b.diags);
    ck_assert_ptr_nonnull(t->board);
    if (oak_board_clock(t->board))
        ck_assert_int_eq(oak_session_set_clock(t->b.session, oak_board_clock(t->board)), OAK_OK);
    ck_assert_int_eq(oak_board_join(t->board, t->b.session, seed), OAK_OK);
}

START_TEST(closing_the_door_starts_the_motor_and_opening_it_cuts_the_relay_in_time)
{
    table t;
    int speed;
    open_example(&t, "mcs51-8k", "lathe", 1);
    bench_run(&t.b, 15000, 0);
    BEGINS("motor", "at rest"); /* the door is closed, nobody has pressed */
    bench_run(&t.b, 365000, 0);
    ck_assert_int_eq(sscanf(shown(&t, "motor"), "driven, %d turns", &speed), 1);
    ck_assert_int_ge(speed, 1480);
    BEGINS("lamps", "●●●○○○○○");
    ck_assert_int_eq(oak_session_add_stop(t.b.session, "tripped", NULL, 0, &t.b.sink, NULL), OAK_OK);
    oak_event event = bench_run(&t.b, 100000, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
    ck_assert_int_eq(value_of(&t.b, "relay"), 1);
    ck_assert_uint_gt(cycles_of(&t.b), 400000);
    ck_assert_uint_le(cycles_of(&t.b), 400450); /* as lathe.asm promises */
    bench_run(&t.b, 2900, 0);
    BEGINS("relay", "pulled in"); /* the contact takes its 3 ms */
    bench_run(&t.b, 600, 0);
    BEGINS("relay", "at rest");
    bench_run(&t.b, 600000, 0);
    BEGINS("motor", "at rest");
    close_table(&t);
}
END_TEST

START_TEST(the_kiln_follows_its_programme_and_its_limit_switch_cuts_the_relay_in_time)
{
    table t;
    open_example(&t, "armv7m-256k", "kiln", 1);
    bench_run(&t.b, 72000000ull * 7, 0);
    size_t count;
    const uint8_t *bytes = oak_stand_in_printed(oak_board_find(t.board, "terminal", 8), &count);
    char log[400] = "";
    memcpy(log, bytes, count < sizeof log - 1 ? count : sizeof log - 1);
    ck_assert_msg(strncmp(log, "kiln\n", 5) == 0 && strstr(log, "done\n"), "%s", log);
    int set, is, most = 0, line = 0;
    for (const char *p = log; (p = strchr(p, '\n')); p++) {
        if (sscanf(p + 1, "%d set, %d is", &set, &is) != 2) continue;
        line++;
        if (is > most) most = is;
        ck_assert_int_lt(abs(set - is), 160); /* it follows with some delay */
    }
    ck_assert_int_ge(line, 6);
    ck_assert_int_gt(most, 850);
    uint8_t sent[400];
    size_t sent_count;
    ck_assert_int_eq(t.b.chip.ops->take_output(t.b.chip.chip, 0, sent, sizeof sent, &sent_count), OAK_OK);
    ck_assert_uint_eq(sent_count, count);
    ck_assert_mem_eq(sent, bytes, count);
    close_table(&t);
    /* the same kiln with a limit it will reach */
    char source[4000] = "", path[] = SOURCE_FOLDER "/examples/kiln/board.yaml";
    FILE *file = fopen(path, "r");
    ck_assert_uint_gt(fread(source, 1, sizeof source - 1, file), 100);
    fclose(file);
    char *limit = strstr(source, "limit: 1320");
    ck_assert_ptr_nonnull(limit);
    memcpy(limit, "limit: 0300", 11);
    memset(&t, 0, sizeof t);
    bench_open_file(&t.b, "armv7m-256k", SOURCE_FOLDER "/examples/kiln/kiln.asm");
    ck_assert_int_eq(load_text(&t, source), OAK_OK);
    ck_assert_int_eq(oak_board_join(t.board, t.b.session, 1), OAK_OK);
    ck_assert_int_eq(oak_session_record(t.b.session, "limit", &t.b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_record(t.b.session, "relay", &t.b.sink), OAK_OK);
    bench_run(&t.b, 72000000ull * 5, 0);
    oak_trace_change change;
    uint64_t closed = 0, fell = 0;
    for (size_t i = 0; oak_trace_change_at(oak_session_trace(t.b.session), i, &change); i++) {
        if (change.signal == 0 && change.value && !closed) closed = change.time;
        if (change.signal == 1 && !change.value && closed && !fell) fell = change.time;
    }
    ck_assert_uint_gt(closed, 72000000);
    ck_assert_uint_gt(fell, closed);
    ck_assert_uint_le(fell - closed, 40); /* as kiln.asm promises */
    close_table(&t);
}
END_TEST

/* The log of the extractor, read back; `baud` is that of the terminal. */
static void run_extractor(table *t, unsigned baud, uint64_t cycles)
{
    char source[4000] = "", with[4200];
    FILE *file = fopen(SOURCE_FOLDER "/examples/extractor/board.yaml", "r");
    ck_assert_uint_gt(fread(source, 1, sizeof source - 1, file), 100);
    fclose(file);
    char *at = strstr(source, "baud: 9600");
    ck_assert_ptr_nonnull(at);
    snprintf(with, sizeof with, "%.*sbaud: %u%s", (int)(at - source), source, baud, at + 10);
    memset(t, 0, sizeof *t);
    bench_open_file(&t->b, "mcs51-8k", SOURCE_FOLDER "/examples/extractor/extractor.asm");
    ck_assert_int_eq(load_text(t, with), OAK_OK);
    ck_assert_int_eq(oak_session_set_clock(t->b.session, 11059200000u), OAK_OK);
    ck_assert_int_eq(oak_board_join(t->board, t->b.session, 1), OAK_OK);
    ck_assert_int_eq(oak_session_record(t->b.session, "p3.1", &t->b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_add_lap(t->b.session, "ticked", "ticked", &t->b.sink), OAK_OK);
    bench_run(&t->b, cycles, 0);
}

START_TEST(the_serial_log_is_read_back_byte_for_byte_at_9600_and_not_at_5_percent_less)
{
    table t;
    size_t count, sent_count;
    uint8_t sent[1000];
    run_extractor(&t, 9600, 1382400);
    const uint8_t *bytes = oak_stand_in_printed(oak_board_find(t.board, "terminal", 8), &count);
    ck_assert_int_eq(t.b.chip.ops->take_output(t.b.chip.chip, 0, sent, sizeof sent, &sent_count), OAK_OK);
    ck_assert_uint_gt(count, 150);
    ck_assert_uint_ge(sent_count, count);
    ck_assert_mem_eq(bytes, sent, count);
    ck_assert_mem_eq(bytes, "flow 0", 6);
    ck_assert_mem_eq(bytes + 7, " on 01\nflow ", 12);
    ck_assert_ptr_null(strstr(shown(&t, "terminal"), "framing"));
    /* every edge of the line lies on a multiple of a bit from the start bit before it: 96 cycles */
    oak_trace_change change;
    uint64_t start = 0;
    unsigned edges = 0;
    for (size_t i = 0; oak_trace_change_at(oak_session_trace(t.b.session), i, &change); i++) {
        if (change.value == 0 && (!start || change.time >= start + 960)) start = change.time;
        else if (start) {
            ck_assert_uint_eq((change.time - start) % 96, 0);
            edges++;
        }
    }
    ck_assert_uint_gt(edges, 700);
    const oak_lap *tick = oak_session_lap(t.b.session, 0);
    ck_assert_uint_ge(tick->count, 140);
    ck_assert_uint_eq(tick->total / tick->count, 9216); /* 10 ms, exactly, in the mean */
    ck_assert_uint_le(tick->longest, 9216 + 40);
    BEGINS("display", "[");
    close_table(&t);
    run_extractor(&t, 9120, 1382400);
    ck_assert_ptr_nonnull(strstr(shown(&t, "terminal"), "framing errors"));
    close_table(&t);
}
END_TEST

/* The state as text; free it. */
static char *state_of(table *t)
{
    text x = {0};
    oak_text_sink sink = text_sink(&x);
    ck_assert_int_eq(oak_session_write_state(t->b.session, &sink), OAK_OK);
    char *copy = strndup(x.bytes, x.size);
    free(x.bytes);
    return copy;
}

START_TEST(the_same_seed_gives_the_same_run_and_another_one_not)
{
    char *states[3];
    for (unsigned i = 0; i < 3; i++) {
        table t;
        open_example(&t, "mcs51-8k", "lathe", i == 2 ? 2 : 1);
        bench_run(&t.b, 300000, 0);
        states[i] = state_of(&t);
        close_table(&t);
    }
    ck_assert_str_eq(states[0], states[1]);
    ck_assert_str_ne(states[0], states[2]);
    for (unsigned i = 0; i < 3; i++) free(states[i]);
}
END_TEST

START_TEST(a_state_taken_on_the_board_goes_on_as_if_nothing_had_been)
{
    static const unsigned moments[] = {5500, 21000, 200000, 400500, 402000};
    table whole;
    open_example(&whole, "mcs51-8k", "lathe", 1);
    bench_run(&whole.b, 500000, 0);
    char *wanted = state_of(&whole);
    for (unsigned i = 0; i < 5; i++) {
        table first, second;
        open_example(&first, "mcs51-8k", "lathe", 1);
        bench_run(&first.b, moments[i], 0);
        char *state = state_of(&first);
        open_example(&second, "mcs51-8k", "lathe", 99);
        ck_assert_int_eq(
            oak_session_read_state(second.b.session, state, strlen(state), "s.json", &second.b.sink), OAK_OK);
        bench_run(&second.b, cycles_of(&whole.b) - cycles_of(&second.b), 0);
        char *got = state_of(&second);
        ck_assert_msg(strcmp(strstr(wanted, "\"registers\""), strstr(got, "\"registers\"")) == 0,
                      "from cycle %u on the state differs", moments[i]);
        free(state);
        free(got);
        close_table(&first);
        close_table(&second);
    }
    free(wanted);
    close_table(&whole);
}
END_TEST

RUN_SUITE("board", lamps_and_a_bar_are_lit_by_their_levels, multiplexed_digits_show_what_an_eye_would_see,
          a_button_is_pressed_tapped_and_bounces,
          a_switch_starts_where_it_is_said_and_a_keypad_joins_row_and_column,
          a_knob_gives_quadrature_signals_in_both_directions, a_relay_follows_its_coil_by_its_times,
          a_motor_and_a_heater_follow_their_differential_equations,
          the_sensor_of_a_heater_sends_its_temperature_as_a_width_and_the_limit_switch_closes,
          a_pulse_sensor_keeps_its_rate, two_shift_registers_in_a_row_show_sixteen_bits,
          a_memory_with_an_address_latch_is_written_and_read,
          memory_on_the_external_bus_takes_the_place_of_what_the_part_has,
          an_eeprom_on_two_wires_keeps_pages_and_is_busy_meanwhile,
          an_eeprom_on_four_wires_wants_its_write_enable,
          a_character_display_takes_commands_by_eight_lines_and_by_four,
          a_terminal_sends_and_receives_at_its_own_rate, every_fault_of_a_board_file_has_its_line_and_column,
          two_outputs_on_one_pin_are_refused_with_both_places,
          a_kind_of_ones_own_works_and_a_circle_is_told_and_ended,
          closing_the_door_starts_the_motor_and_opening_it_cuts_the_relay_in_time,
          the_kiln_follows_its_programme_and_its_limit_switch_cuts_the_relay_in_time,
          the_serial_log_is_read_back_byte_for_byte_at_9600_and_not_at_5_percent_less,
          the_same_seed_gives_the_same_run_and_another_one_not,
          a_state_taken_on_the_board_goes_on_as_if_nothing_had_been)
