/* The mid-range core against a second implementation: every code on random machines, one by one and in chains; all operands of its arithmetic;
 * what else it has by hand. */
#include "reference_picmid.h"
#include "support.h"

#include <stdio.h>

enum { CODE = 1, FILE_SPACE };

typedef struct rig {
    bare on;
    refpic *ref;
} rig;

static void rig_open(rig *r)
{
    bare_open(&r->on, "picmid");
    r->ref = calloc(1, sizeof *r->ref);
}

static void rig_close(rig *r)
{
    bare_close(&r->on);
    free(r->ref);
}

static uint32_t reg(const rig *r, const char *name)
{
    uint32_t value = 0;
    if (r->on.chip.ops->read_register(r->on.chip.chip, bare_number(&r->on, name), &value))
        ck_abort_msg("no %s", name);
    return value;
}

static void set_reg(const rig *r, const char *name, uint32_t value)
{
    if (r->on.chip.ops->write_register(r->on.chip.chip, bare_number(&r->on, name), value))
        ck_abort_msg("no %s", name);
}

static void put_code(rig *r, unsigned at, uint16_t code)
{
    uint8_t bytes[] = {(uint8_t)code, (uint8_t)(code >> 8)};
    r->ref->code[at] = code;
    if (r->on.chip.ops->write_memory(r->on.chip.chip, CODE, at, bytes, 2))
        ck_abort_msg("no code at 0x%x", at);
}

/* The same registers and cells for both. */
static void take_over(rig *r, uint64_t *seed)
{
    refpic *m = r->ref;
    char name[8];
    for (unsigned i = 0; i < 0x200; i++) m->cell[i] = (uint8_t)random32(seed);
    m->cell[10] &= 31;
    m->cell[3] |= 0x18;
    m->w = (uint8_t)random32(seed), m->levels = (uint8_t)(random32(seed) % 9),
    m->pc = random32(seed) & 0x1FFF;
    for (unsigned i = 0; i < 8; i++) m->stack[i] = random32(seed) & 0x1FFF;
    m->cycles = bare_time(&r->on).cycles;
    for (unsigned i = 0; i < 0x200; i++)
        if (refpic_home(i) == i && i != 2 && i)
            if (r->on.chip.ops->write_memory(r->on.chip.chip, FILE_SPACE, i, &m->cell[i], 1))
                ck_abort_msg("no cell 0x%x", i);
    set_reg(r, "w", m->w), set_reg(r, "sp", m->levels), set_reg(r, "pc", m->pc);
    for (unsigned i = 0; i < 8; i++) snprintf(name, sizeof name, "stk%u", i), set_reg(r, name, m->stack[i]);
}

static void must_agree(rig *r, const char *what)
{
    const refpic *m = r->ref;
    static uint8_t cells[0x200];
    char name[8];
    if (reg(r, "pc") != m->pc || reg(r, "w") != m->w || reg(r, "sp") != m->levels ||
        bare_time(&r->on).cycles != m->cycles)
        ck_abort_msg("%s: pc 0x%x w 0x%x sp %u cycles %llu, not 0x%x 0x%x %u %llu", what, reg(r, "pc"),
                     reg(r, "w"), reg(r, "sp"), (unsigned long long)bare_time(&r->on).cycles, m->pc, m->w,
                     m->levels, (unsigned long long)m->cycles);
    for (unsigned i = 0; i < 8; i++) {
        snprintf(name, sizeof name, "stk%u", i);
        if (reg(r, name) != m->stack[i])
            ck_abort_msg("%s: %s is 0x%x, not 0x%x", what, name, reg(r, name), m->stack[i]);
    }
    ck_assert_int_eq(r->on.chip.ops->read_memory(r->on.chip.chip, FILE_SPACE, 0, cells, sizeof cells),
                     OAK_OK);
    for (unsigned i = 0; i < 0x200; i++) {
        unsigned home = refpic_home(i);
        uint8_t wanted = home == 2 ? (uint8_t)m->pc : home ? m->cell[home] : 0;
        if (cells[i] != wanted) ck_abort_msg("%s: cell 0x%x is 0x%x, not 0x%x", what, i, cells[i], wanted);
    }
}

/* Each of the 16,384 codes, eight times, on machines that hold anything. */
START_TEST(every_code_does_what_the_second_core_does)
{
    rig r;
    uint64_t seed = 5;
    unsigned reserved = 0, exit;
    rig_open(&r);
    for (unsigned code = 0; code < 0x4000; code++)
        for (unsigned round = 0; round < (STRIDE > 1 ? 1 : 8); round++) {
            char what[60];
            snprintf(what, sizeof what, "0x%04x", code);
            r.on.chip.ops->reset(r.on.chip.chip);
            take_over(&r, &seed);
            put_code(&r, r.ref->pc, (uint16_t)code);
            r.ref->cell[4] = (uint8_t)(round % 2 ? r.ref->cell[4] : 0x20 + round);
            set_reg(&r, "fsr", r.ref->cell[4]);
            bool is_code = refpic_is_code((uint16_t)code);
            exit = bare_run(&r.on, 1).reason;
            reserved += !is_code;
            if (is_code != (exit != OAK_STOP_FAULT)) ck_abort_msg("%s: ends with %u", what, exit);
            if (!is_code || code == 0x63) break;
            refpic_step(r.ref);
            if (exit == OAK_STOP_PARKED) ck_assert(code >> 11 == 5 && r.ref->pc == reg(&r, "pc"));
            else must_agree(&r, what);
        }
    ck_assert_uint_eq(reserved, 128 - 12 + 256);
    rig_close(&r);
}
END_TEST

/* All operands of what makes flags: with the register as destination, and with w. */
START_TEST(arithmetic_is_right_for_all_operands)
{
    static const uint16_t codes[] = {0x0720, 0x07A0, 0x0220, 0x02A0, 0x0D20, 0x0DA0, 0x0C20, 0x0CA0,
                                     0x0320, 0x0AA0, 0x0520, 0x06A0, 0x0420, 0x09A0, 0x0B20, 0x0BA0,
                                     0x0FA0, 0x0E20, 0x08A0, 0x3E00, 0x3C00, 0x3A00};
    rig r;
    uint64_t seed = 6;
    rig_open(&r);
    take_over(&r, &seed);
    for (unsigned n = 0; n < sizeof codes / sizeof *codes; n++)
        for (unsigned a = 0; a < 256; a += STRIDE)
            for (unsigned b = 0; b < 256; b++) {
                uint8_t first = (uint8_t)a, status = (uint8_t)(0x18 | (random32(&seed) & 7));
                bool immediate = codes[n] >> 12 == 3;
                r.ref->pc = 0x100, set_reg(&r, "pc", 0x100);
                if (!b || immediate) put_code(&r, 0x100, (uint16_t)(codes[n] | (immediate ? a : 0)));
                r.ref->w = (uint8_t)b, set_reg(&r, "w", b);
                r.ref->cell[3] = status, set_reg(&r, "status", status);
                r.ref->cell[0x20] = first;
                if (r.on.chip.ops->write_memory(r.on.chip.chip, FILE_SPACE, 0x20, &first, 1)) ck_abort();
                (void)bare_run(&r.on, 1);
                refpic_step(r.ref);
                uint8_t cell;
                if (r.on.chip.ops->read_memory(r.on.chip.chip, FILE_SPACE, 0x20, &cell, 1)) ck_abort();
                if (reg(&r, "w") != r.ref->w || reg(&r, "status") != r.ref->cell[3] ||
                    cell != r.ref->cell[0x20] || reg(&r, "pc") != r.ref->pc)
                    ck_abort_msg("0x%04x of %u and %u: w 0x%x status 0x%x cell 0x%x, not 0x%x 0x%x 0x%x",
                                 codes[n], a, b, reg(&r, "w"), reg(&r, "status"), cell, r.ref->w,
                                 r.ref->cell[3], r.ref->cell[0x20]);
            }
    rig_close(&r);
}
END_TEST

/* Programs of anything, in one go; and their cycles. */
START_TEST(whole_chains_do_what_single_steps_do)
{
    rig r;
    uint64_t seed = 7;
    rig_open(&r);
    for (unsigned round = 0; round < 40 / STRIDE; round++) {
        r.on.chip.ops->reset(r.on.chip.chip);
        for (unsigned at = 0; at < 0x2000; at++) {
            uint16_t code;
            do code = random32(&seed) & 0x3FFF;
            while (!refpic_is_code(code) || code == 0x63);
            put_code(&r, at, code);
        }
        take_over(&r, &seed);
        for (unsigned piece = 0; piece < 40; piece++) {
            unsigned exit, steps = 1 + random32(&seed) % 60;
            uint64_t before = bare_time(&r.on).instructions;
            exit = bare_run(&r.on, steps).reason;
            for (uint64_t i = before; i < bare_time(&r.on).instructions; i++) refpic_step(r.ref);
            must_agree(&r, "a chain");
            if (exit == OAK_STOP_PARKED) break;
            ck_assert_uint_eq(exit, OAK_STOP_STEPS);
        }
    }
    rig_close(&r);
}
END_TEST

/* The stack goes round: a notice each time, and the chip goes on as the databook says. */
START_TEST(the_stack_goes_round)
{
    bench b;
    bench_open(&b, "picmid-8k",
               " vector reset, start\n org 0x10\nstart: call deeper\ndeeper: incf 0x20, f\n call deeper\n");
    oak_event event = bench_run(&b, 1000, 1000);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_FAULT);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_STACK_WRAP);
    ck_assert_int_eq(value_of(&b, "file[0x20]"), 8); /* the ninth call */
    bench_close(&b);
    bench_open(&b, "picmid-8k", " vector reset, start\n org 0x10\nstart: return\n");
    event = bench_run(&b, 1000, 1000);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_STACK_WRAP);
    bench_close(&b);
}
END_TEST

#define UNGUARDED " config CONFIG: WDTE=off\n" /* the watchdog does not run */

/* A computed jump into a table of retlw, over its edge of 256 words only with PCLATH. */
START_TEST(tables_are_reached_through_pcl)
{
    bench b;
    bench_open(&b, "picmid-8k",
               UNGUARDED
               " vector reset, start\n org 0x20\nstart: movlw high(table)\n movwf PCLATH\n movlw 3\n call "
               "table\n movwf 0x20\nrest: goto rest\n"
               " org 0x7f0\ntable: addwf PCL, f\n retlw 'o'\n retlw 'a'\n retlw 'k'\n retlw '!'\n");
    oak_event event = bench_run(&b, 1000, 1000);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "file[0x20]"), '!');
    /* goto 2, movlw 1, movwf 1, movlw 1, call 2, addwf PCL 2, retlw 2, movwf 1 */
    ck_assert_uint_eq(cycles_of(&b), 12);
    bench_close(&b);
}
END_TEST

/* Timer 0 as the databook draws it: behind a write it stands still for two cycles. */

START_TEST(timer_0_counts_cycles_and_edges)
{
    bench b;
    bench_open(
        &b, "picmid-8k",
        UNGUARDED
        " vector reset, start\n org 0x10\nstart: bsf STATUS, RP0\n movlw 0x08\n movwf OPTION_REG\n bcf "
        "STATUS, RP0\n movlw 100\n"
        " movwf TMR0\n movf TMR0, w\n movwf 0x20\n movf TMR0, w\n movwf 0x21\n"
        " movlw 100\n movwf TMR0\n nop\n movf TMR0, w\n movwf 0x22\n"
        " movlw 100\n movwf TMR0\n nop\n nop\n nop\n movf TMR0, w\n movwf 0x23\n"
        " bsf STATUS, RP0\n movlw 0x01\n movwf OPTION_REG\n bcf STATUS, RP0\n clrf TMR0\n bcf INTCON, T0IF\n"
        "wait: btfss INTCON, T0IF\n goto wait\nover: movf TMR0, w\n movwf 0x24\nrest: goto rest\n");
    oak_event event = bench_run(&b, 100000, 100000);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    /* cycles behind movwf: movf in 1 and 3 reads what was written, one of cycle 4 one more, of cycle 5 two */
    ck_assert_int_eq(value_of(&b, "file[0x20]"), 100);
    ck_assert_int_eq(value_of(&b, "file[0x21]"), 100);
    ck_assert_int_eq(value_of(&b, "file[0x22]"), 100);
    ck_assert_int_eq(value_of(&b, "file[0x23]"), 101);
    ck_assert_int_eq(value_of(&b, "file[0x24]"), 0);
    bench_close(&b);
    /* Falling edges of a pin, every fourth of them. */
    bench_open(&b, "picmid-8k",
               UNGUARDED " vector reset, start\n org 0x10\nstart: bsf STATUS, RP0\n movlw 0x31\n movwf "
                         "OPTION_REG\n bcf STATUS, RP0\n clrf TMR0\nrest: nop\n goto rest\n");
    ck_assert_int_eq(oak_session_drive(b.session, "ra.4 = 1 for 5us, 0 for 5us, repeat", &b.sink), OAK_OK);
    bench_run(&b, 1004, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "TMR0"),
                     24); /* edges at 5, 15, … 995 us less the first, before it listens: 99 */
    bench_close(&b);
}
END_TEST

/* One vector: GIE falls at the entry, retfie sets it; two cycles for the entry. An edge, a change, the timer. */
START_TEST(interrupts_come_through_one_vector)
{
    static const char source[] =
        UNGUARDED " vector reset, start\n org 4\n btfsc INTCON, T0IF\n incf 0x30, f\n btfsc INTCON, INTF\n "
                  "incf 0x31, f\n btfsc INTCON, RBIF\n incf 0x32, f\n"
                  " movf PORTB, w\n movlw 0xf8\n andwf INTCON, f\n retfie\n"
                  "start: bsf STATUS, RP0\n movlw 0xd7\n movwf OPTION_REG\n bcf STATUS, RP0\n movf PORTB, "
                  "w\n movlw 0xb8\n movwf INTCON\nrest: goto rest\n";
    bench b;
    bench_open(&b, "picmid-8k", source);
    ck_assert_int_eq(oak_session_drive(b.session, "rb.0 = 0 until 1000us, 1 until 2000us, 0", &b.sink),
                     OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "rb.5 = 0 until 3000us, 1 until 4000us, 0", &b.sink),
                     OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "rb.4 = 0", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "rb.6 = 0", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "rb.7 = 0", &b.sink), OAK_OK);
    bench_run(&b, 200000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "file[0x31]"), 1);
    ck_assert_int_eq(value_of(&b, "file[0x32]"), 2);
    ck_assert_int_eq(value_of(&b, "file[0x30]"), 200000 / 65536); /* every 256 * 256 cycles */
    ck_assert_int_eq(value_of(&b, "sp"), 0);
    bench_close(&b);
}
END_TEST

/* The watchdog of a chip that sleeps wakes it; of one that does not, resets it. TO and PD say which. */
START_TEST(sleep_ends_by_a_pin_or_the_watchdog)
{
    bench b;
    bench_open(&b, "picmid-8k",
               " vector reset, start\n org 0x10\nstart: bsf STATUS, RP0\n movlw 0x47\n movwf OPTION_REG\n "
               "bcf STATUS, RP0\n clrwdt\n bsf INTCON, INTE\n sleep\n"
               "woken: incf 0x20, f\n movf STATUS, w\n movwf 0x21\nrest: clrwdt\n goto rest\n");
    ck_assert_int_eq(oak_session_drive(b.session, "rb.0 = 0 until 5000us, 1", &b.sink), OAK_OK);
    bench_run(&b, 5100, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "file[0x20]"), 1); /* GIE is not set: it goes on behind sleep */
    ck_assert_int_eq(value_of(&b, "file[0x21] & 0x18"), 0x10);
    bench_close(&b);
    bench_open(&b, "picmid-8k",
               " vector reset, start\n org 0x10\nstart: bsf STATUS, RP0\n movlw 0x47\n movwf OPTION_REG\n "
               "bcf STATUS, RP0\n sleep\n"
               "woken: incf 0x20, f\n movf STATUS, w\n movwf 0x21\nrest: clrwdt\n goto rest\n");
    bench_run(&b, 18100, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "file[0x20]"), 1);
    ck_assert_int_eq(value_of(&b, "file[0x21] & 0x18"), 0);
    bench_close(&b);
    bench_open(&b, "picmid-8k",
               " vector reset, start\n org 0x10\nstart: incf 0x20, f\n bsf STATUS, RP0\n movlw 0x47\n movwf "
               "OPTION_REG\nrest: goto rest\n");
    oak_event event = bench_run(&b, 40000, UINT64_MAX);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_WATCHDOG);
    ck_assert_uint_eq(cycles_of(&b), 18000);
    bench_run(&b, 100, UINT64_MAX); /* the reset */
    ck_assert_int_eq(value_of(&b, "file[0x20]"), 2);
    ck_assert_int_eq(value_of(&b, "STATUS & 0x18"), 0x08);
    bench_close(&b);
}
END_TEST

/* A delay of nested loops, worked out by hand: 469 cycles between two edges, at both clocks. */
START_TEST(a_toggled_pin_has_the_period_of_its_delay)
{
    static const char source[] =
        UNGUARDED " vector reset, start\n section vars, file\ninner: ds 1\nouter: ds 1\n section prog, code\n"
                  "start: bsf STATUS, RP0\n bcf TRISB, 0\n bcf STATUS, RP0\nlamp: movlw 1\n xorwf PORTB, f\n "
                  "call delay\n goto lamp\n"
                  "delay: movlw 10\n movwf outer\nout: movlw 14\n movwf inner\nin: decfsz inner, f\n goto "
                  "in\n decfsz outer, f\n goto out\n return\n";
    for (unsigned fast = 0; fast < 2; fast++) {
        bench b;
        bench_open(&b, "picmid-8k", source);
        ck_assert_int_eq(oak_session_set_clock(b.session, fast ? 10000000000u : 4000000000u), OAK_OK);
        ck_assert_int_eq(oak_session_record(b.session, "rb.0", &b.sink), OAK_OK);
        bench_run(&b, 20000, UINT64_MAX);
        const oak_trace *trace = oak_session_trace(b.session);
        oak_trace_change one;
        uint64_t last = 0;
        unsigned edges = 0;
        for (size_t i = 0; oak_trace_change_at(trace, i, &one); i++) {
            if (one.other) continue;
            if (last && ++edges > 2) {
                ck_assert_uint_eq(one.time - last, 469);
                ck_assert_uint_eq(oak_trace_picoseconds(trace, one.time) - oak_trace_picoseconds(trace, last),
                                  469u * (fast ? 400000u : 1000000u));
            }
            last = one.time;
        }
        ck_assert_uint_gt(edges, 40);
        bench_close(&b);
    }
}
END_TEST

#define KEEPER                                                                                               \
    UNGUARDED                                                                                                \
    " vector reset, start\n section prog, code\nstart: bank EEADR\n movlw 5\n movwf EEADR\n movlw "          \
    "0x5a\n "                                                                                                \
    "movwf EEDATA\n call keep\n bank EECON1\nwait: btfsc EECON1, WR\n goto wait\n bank EEDATA\n clrf "       \
    "EEDATA\n bank EECON1\n bsf EECON1, RD\n bank EEDATA\n movf EEDATA, w\nrest: goto rest\n"                \
    "keep: bank EECON1\n bsf EECON1, WREN\n movlw 0x55\n movwf EECON2\n movlw 0xaa\n movwf EECON2\n"

/* A byte is written in 4,000 cycles when it is unlocked just before, read at once, and is there after a reset; what comes between unlocking and
 * writing locks again. */
START_TEST(settings_are_kept_in_eeprom)
{
    static const char *const locked[] = {" nop\n bsf EECON1, WR\n return\n",
                                         " bcf EECON1, WREN\n bsf EECON1, WR\n return\n",
                                         " movwf EECON2\n bsf EECON1, WR\n return\n"};
    bench b;
    oak_event event;
    bench_open(&b, "picmid-8k", KEEPER " bsf EECON1, WR\n return\n");
    ck_assert_int_eq(oak_session_keep_history(b.session, 1 << 20), OAK_OK);
    /* goto 2, bank to movwf EEDATA 5, call 2, bank and bsf 2, 4 to unlock, bsf: 16 */
    bench_run(&b, 16 + 3999, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "EECON1 & 2"), 2);
    ck_assert_int_eq(value_of(&b, "eeprom[5]"), 0xFF);
    bench_run(&b, 3, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "EECON1 & 2"), 0);
    ck_assert_int_eq(value_of(&b, "PIR2 & 0x10"), 0x10);
    ck_assert_int_eq(value_of(&b, "eeprom[5]"), 0x5A);
    ck_assert_int_eq(oak_session_back_steps(b.session, 4, &event), OAK_OK);
    ck_assert_int_eq(value_of(&b, "eeprom[5]"), 0xFF);
    event = bench_run(&b, 100000, UINT64_MAX);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "w"), 0x5A);
    ck_assert_int_eq(oak_session_reset(b.session), OAK_OK);
    ck_assert_int_eq(value_of(&b, "eeprom[5]"), 0x5A);
    bench_close(&b);
    for (unsigned i = 0; i < sizeof locked / sizeof *locked; i++) {
        char source[1200];
        snprintf(source, sizeof source, KEEPER "%s", locked[i]);
        bench_open(&b, "picmid-8k", source);
        bench_run(&b, 20000, UINT64_MAX);
        const oak_noticed *noticed = oak_session_noticed(b.session, 0);
        ck_assert(noticed && noticed->first.fault == OAK_FAULT_STAYS_LOCKED && noticed->first.address == 5);
        ck_assert_int_eq(value_of(&b, "eeprom[5]"), 0xFF);
        bench_close(&b);
    }
}
END_TEST

/* Configuration words: in the HEX at their place, from fields by their names; what is not set is told. */
START_TEST(the_chip_is_configured_by_name)
{
    static const struct {
        const char *source, *code, *told;
        unsigned word;
    } all[] = {
        {" config CONFIG: WDTE = off, FOSC = xt\n nop\nrest: goto rest\n", NULL, NULL, 0x3ff9},
        {" config CONFIG: WRT=0, CP=on\n nop\nrest: goto rest\n", NULL, NULL, 0x3fff & ~0x2600u},
        {" nop\nrest: goto rest\n", "no-config", "WDTE=on", 0},
        {" config CONFIG: WDTX=off\n", "config", "CONFIG has no such field", 0},
        {" config CONFIG: WRT=4\n", "config", "`WRT` has no such value", 0},
        {" config CONFIG: FOSC=xd\n", "config", "`FOSC` has no such value", 0},
        {" config STATUS: C=1\n", "config", "no such configuration word", 0},
        {" config CONFIG: WDTE\n", "config", "its value is missing", 0},
        {" config CONFIG: WDTE=off\n config CONFIG: FOSC=xt\n nop\nrest: goto rest\n", "config",
         "set in line 1 already", 0},
    };
    oak_part *part = load_part("picmid-8k");
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        collected diags;
        oak_program *program = assemble(part, all[i].source, &diags);
        if (all[i].code) {
            ck_assert_msg(diags.count && !strcmp(diags.one[0].code, all[i].code) &&
                              strstr(diags.one[0].message, all[i].told),
                          "%s: %s %s", all[i].source, diags.count ? diags.one[0].code : "",
                          diags.count ? diags.one[0].message : "");
        } else {
            uint8_t low = 0, high = 0;
            ck_assert_uint_eq(diags.count, 0);
            ck_assert(oak_image_byte(oak_program_image(program), 0x400e, &low) &&
                      oak_image_byte(oak_program_image(program), 0x400f, &high));
            ck_assert_uint_eq((unsigned)(low | high << 8), all[i].word);
        }
        oak_program_free(program);
    }
    oak_part_free(part);
}
END_TEST

static void say(text *all, const char *line)
{
    oak_text_sink sink = text_sink(all);
    ck_assert(sink.write(sink.context, line, strlen(line)) == OAK_OK);
}

/* One program with what is said of it, and what the listing says of its directives. */
static void add_said(text *all, const oak_part *part, const char *source)
{
    char line[700];
    collected diags;
    oak_program *program = assemble(part, source, &diags);
    for (unsigned i = 0; i < diags.count; i++) {
        snprintf(line, sizeof line, "   => %u:%u: %s: %s [%s]\n", diags.one[i].line, diags.one[i].column,
                 diags.one[i].severity == OAK_ERROR ? "error" : "warning", diags.one[i].message,
                 diags.one[i].code);
        say(all, line);
        snprintf(line, sizeof line, "   =>        > %s\n", diags.one[i].hint);
        if (*diags.one[i].hint) say(all, line);
    }
    if (!program) return;
    text listing = {0};
    oak_text_sink sink = text_sink(&listing);
    ck_assert(oak_program_write_listing(program, &sink) == OAK_OK);
    for (char *rest, *at = strtok_r(listing.bytes, "\n", &rest); at; at = strtok_r(NULL, "\n", &rest)) {
        at += strspn(at, " ");
        snprintf(line, sizeof line, "   .. %s\n", at);
        if (*at == '|') say(all, line);
    }
    free(listing.bytes);
    oak_program_free(program);
}

/* Timers 1 and 2, pulses and the serial port where the part files put them: 100 cycles, 25 of them high; 26 * 4 cycles a bit; an overflow each 65,536. */
START_TEST(timers_pulses_and_the_serial_port_are_wired)
{
    static const struct {
        const char *part, *pulse, *sends, *out;
    } all[] = {{"picmid-8k", "rc.2", "rc.6", " bcf TRISC, 2\n"},
               {"picmid-2k", "rb.3", "rb.2", " bcf TRISB, 3\n"}};
    for (unsigned i = 0; i < 2; i++) {
        bench b;
        char source[1200];
        oak_trace_change one;
        uint64_t pulse[6] = {0}, bit[9] = {0};
        unsigned pulses = 0, bits = 0;
        snprintf(source, sizeof source,
                 UNGUARDED " vector reset, start\n vector interrupt, over\n section prog, code\nover: bcf "
                           "PIR1, TMR1IF\n incf 0x70, f\n retfie\n"
                           "start: bank PR2\n%s movlw 99\n movwf PR2\n movlw 25\n movwf SPBRG\n movlw 0x24\n "
                           "movwf TXSTA\n bsf PIE1, TMR1IE\n bank "
                           "CCPR1L\n movlw 25\n movwf CCPR1L\n movlw 0x0c\n movwf CCP1CON\n bsf T2CON, "
                           "TMR2ON\n bsf RCSTA, SPEN\n movlw 0xaa\n movwf TXREG\n "
                           "movlw 0xc0\n movwf INTCON\n bsf T1CON, TMR1ON\nrest: nop\n goto rest\n",
                 all[i].out);
        bench_open(&b, all[i].part, source);
        ck_assert_int_eq(oak_session_record(b.session, all[i].pulse, &b.sink), OAK_OK);
        ck_assert_int_eq(oak_session_record(b.session, all[i].sends, &b.sink), OAK_OK);
        bench_run(&b, 2 * 65536 + 300, UINT64_MAX);
        ck_assert_int_eq(value_of(&b, "file[0x70]"), 2);
        for (size_t k = 0; oak_trace_change_at(oak_session_trace(b.session), k, &one); k++) {
            if (one.other) continue;
            if (one.signal == 0 && pulses < 6 && (pulses || one.value)) pulse[pulses++] = one.time;
            if (one.signal == 1 && bits < 9 && (bits || !one.value)) bit[bits++] = one.time;
        }
        ck_assert_uint_eq(pulse[4] - pulse[2], 100);
        ck_assert_uint_eq(pulse[3] - pulse[2], 25);
        ck_assert_uint_eq(bit[7] - bit[1], 6 * 104); /* a start bit and 0 alike, then it changes each time */
        bench_close(&b);
    }
}
END_TEST

/* What a read of the pins leaves in the latch is noticed when it drives: of an input that becomes an output, of a pin that a device drives; not where the whole
 * port is written, nor what the instruction has changed itself. */
START_TEST(levels_that_were_only_read_are_noticed_when_they_drive)
{
    static const struct {
        const char *source;
        int pin; /* of port B, or C from 32 on; -1: nothing is noticed */
    } all[] = {
        {" clrf PORTB\n bsf PORTB, 0\n bank TRISB\n bcf TRISB, 4\n", 4},
        {" clrf PORTB\n bsf PORTB, 0\n bank TRISB\n bcf TRISB, 5\n", -1}, /* it was low */
        {" clrf PORTB\n bsf PORTB, 0\n clrf PORTB\n bank TRISB\n bcf TRISB, 4\n", -1},
        {" clrf PORTB\n bsf PORTB, 4\n bank TRISB\n bcf TRISB, 4\n", -1},
        {" clrf PORTB\n bank TRISB\n bcf TRISB, 4\n bank PORTB\n bsf PORTB, 0\n", -1},
        {" clrf PORTB\n comf PORTB, f\n bank TRISB\n bcf TRISB, 4\n", -1},
        {" clrf PORTB\n movf PORTB, w\n movwf PORTB\n bank TRISB\n bcf TRISB, 4\n", -1},
        {" clrf PORTB\n movf PORTB, f\n bank TRISB\n bcf TRISB, 4\n", 4},
        {" clrf PORTC\n movlw 40\n movwf CCPR1L\n bank TRISC\n movlw 50\n movwf PR2\n clrf TRISC\n bank "
         "T2CON\n movlw 12\n movwf CCP1CON\n bsf T2CON, "
         "TMR2ON\n movlw 20\nl: addlw -1\n btfss STATUS, Z\n goto l\n bsf PORTC, 7\n",
         32 + 2},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        bench b;
        char source[700];
        snprintf(source, sizeof source,
                 UNGUARDED
                 " vector reset, start\n section prog, code\nstart: bank PORTB\n%srest: nop\n goto rest\n",
                 all[i].source);
        bench_open(&b, "picmid-8k", source);
        ck_assert_int_eq(oak_session_drive(b.session, "rb.4 = up", &b.sink), OAK_OK);
        bench_run(&b, 300, UINT64_MAX);
        const oak_noticed *noticed, *found = NULL;
        for (unsigned n = 0; (noticed = oak_session_noticed(b.session, n)); n++)
            if (noticed->first.fault == OAK_FAULT_BORROWED_LEVEL) found = noticed;
        ck_assert_msg((found != NULL) == (all[i].pin >= 0), "%s", all[i].source);
        if (found)
            ck_assert_msg(found->first.address == (unsigned)all[i].pin + 32, "%s: %u", all[i].source,
                          found->first.address);
        bench_close(&b);
    }
}
END_TEST

/* Programs right and wrong, whose banks and pages are followed: each with its golden messages. */
static unsigned follow_golden(const char *path, const char *part_name, const char *configured)
{
    char row[400];
    text said = {0}, golden = {0}, source = {0};
    unsigned programs = 0;
    oak_part *part = load_part(part_name);
    FILE *file = fopen(path, "r");
    ck_assert_ptr_nonnull(file);
    for (bool more = true; more;) {
        more = fgets(row, sizeof row, file) != NULL;
        if ((!more || *row == '#') && source.size) {
            add_said(&said, part, source.bytes);
            ck_assert_str_eq(said.bytes, golden.bytes);
            said.size = golden.size = source.size = 0;
        }
        if (!more) break;
        bool is_said = !strncmp(row, "   =>", 5) || !strncmp(row, "   ..", 5);
        programs += *row == '#';
        say(&golden, row);
        if (!is_said) say(&said, row);
        if (*row == '#') say(&source, configured);
        else if (!is_said) say(&source, row);
    }
    fclose(file);
    free(said.bytes), free(golden.bytes), free(source.bytes);
    oak_part_free(part);
    return programs;
}

START_TEST(banks_and_pages_are_followed)
{
    ck_assert_uint_gt(follow_golden(SOURCE_FOLDER "/tests/golden/banks.txt", "picmid-8k", UNGUARDED), 40);
    ck_assert_uint_gt(
        follow_golden(SOURCE_FOLDER "/tests/golden/banks18.txt", "pic18-32k",
                      " config CONFIG1H: FOSC=xt\n config CONFIG2L: BOREN=on\n config CONFIG2H: "
                      "WDTEN=off\n config CONFIG4L: STVREN=on\n"),
        20);
}
END_TEST

/* The example: no alarm about its banks, its trials pass, and read back every register has its name. */
START_TEST(the_steam_box_keeps_its_setting)
{
    char *out, *error;
    const char *in = "d=$(mktemp -d) && cd $d && cp " SOURCE_FOLDER "/examples/steambox/* . && ";
    char command[900];
    snprintf(command, sizeof command, "%s" SPINDLE " trial --afresh; code=$?; rm -r $d; exit $code", in);
    ck_assert_int_eq(shell(command, &out, &error), 0);
    ck_assert_ptr_nonnull(strstr(out, "5 passed, 0 failed"));
    free(out), free(error);
    snprintf(command, sizeof command,
             "%s" SPINDLE " asm steambox.asm --part picmid-8k && " SPINDLE
             " look steambox.hex --part picmid-8k; code=$?; rm -r $d; exit $code",
             in);
    ck_assert_int_eq(shell(command, &out, &error), 0);
    ck_assert_str_eq(error, "");
    ck_assert(strstr(out, "bsf EECON1, 0 ") && strstr(out, "movwf OPTION_REG ") &&
              !strstr(out, "bank unknown"));
    free(out), free(error);
}
END_TEST

RUN_SUITE("picmid", every_code_does_what_the_second_core_does, arithmetic_is_right_for_all_operands,
          whole_chains_do_what_single_steps_do, the_stack_goes_round, tables_are_reached_through_pcl,
          timer_0_counts_cycles_and_edges, interrupts_come_through_one_vector,
          sleep_ends_by_a_pin_or_the_watchdog, a_toggled_pin_has_the_period_of_its_delay,
          settings_are_kept_in_eeprom, timers_pulses_and_the_serial_port_are_wired,
          levels_that_were_only_read_are_noticed_when_they_drive, the_chip_is_configured_by_name,
          banks_and_pages_are_followed, the_steam_box_keeps_its_setting)
