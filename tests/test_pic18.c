/* The core with 16-bit instructions against a second implementation: every code on random machines, one by one and in chains; all operands of its
 * arithmetic; what else it has by hand. */
#include "reference_pic18.h"
#include "support.h"

#include <stdio.h>

enum { CODE = 1, DATA, LAST = 0xFFF };

typedef struct rig {
    bare on;
    refpic18 *ref;
} rig;

static void rig_open(rig *r)
{
    static const uint8_t free_stack[] = {0xFE}; /* an end of the stack is no reset */
    bare_open(&r->on, "pic18");
    r->ref = calloc(1, sizeof *r->ref);
    memset(r->ref->code, 0xFF, sizeof r->ref->code);
    ck_assert_int_eq(r->on.chip.ops->write_memory(r->on.chip.chip, CODE, 0x300006, free_stack, 1), OAK_OK);
    ck_assert_int_eq(r->on.chip.ops->write_memory(r->on.chip.chip, CODE, 0x300003, free_stack, 1), OAK_OK);
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

static void put_code(rig *r, uint32_t at, const uint16_t *codes, unsigned count)
{
    uint8_t bytes[8];
    for (unsigned i = 0; i < 2 * count; i++)
        bytes[i] = r->ref->code[(at + i) & 0x1FFFF] = (uint8_t)(codes[i / 2] >> 8 * (i % 2));
    for (unsigned i = 0; i < count; i++)
        if (r->on.chip.ops->write_memory(r->on.chip.chip, CODE, (at + 2 * i) & 0x1FFFF, bytes + 2 * i, 2))
            ck_abort_msg("no code at 0x%x", at);
}

static const uint16_t levels[] = {0, 1, 2, 15, 29, 30, 31};

/* The same registers and cells for both. */
static void take_over(rig *r, uint64_t *seed)
{
    refpic18 *m = r->ref;
    char name[8];
    for (unsigned i = 0; i <= LAST; i++) m->cell[i] = (uint8_t)random32(seed);
    m->cell[0xFDA] &= 15, m->cell[0xFE2] &= 15, m->cell[0xFEA] &= 15, m->cell[0xFE0] &= 15;
    if (random32(seed) % 2) m->cell[0xFE0] = 15;
    m->cell[0xFFB] = random32(seed) % 4 ? 0 : 1, m->cell[0xFF8] &= random32(seed) % 2 ? 1 : 63;
    m->cell[0xFD8] &= 31, m->cell[0xFD0] &= 0x1F, m->cell[0xFF2] &= 0x3F;
    m->ends = 0, m->lost = false;
    m->levels = (uint8_t)(random32(seed) % 2 ? levels[random32(seed) % 7] : random32(seed) % 32);
    m->pc = random32(seed) & 0x1FFF8;
    for (unsigned i = 1; i < 32; i++)
        m->stack[i] = random32(seed) & (random32(seed) % 8 ? 0x1FFFE : 0x1FFFFE);
    for (unsigned i = 0; i < 3; i++) m->shadow[i] = random32(seed) & (i == 0 ? 255 : i == 1 ? 31 : 15);
    m->cycles = bare_time(&r->on).cycles;
    set_reg(r, "sp", m->levels);
    if (r->on.chip.ops->write_memory(r->on.chip.chip, DATA, 0, m->cell, 0xFF9)) ck_abort_msg("no cells");
    if (r->on.chip.ops->write_memory(r->on.chip.chip, DATA, 0xFFA, m->cell + 0xFFA, 2))
        ck_abort_msg("no latches");
    if (r->on.chip.ops->write_memory(r->on.chip.chip, DATA, 0xFFC, &m->levels, 1))
        ck_abort_msg("no stack pointer");
    set_reg(r, "ws", m->shadow[0]), set_reg(r, "statuss", m->shadow[1]), set_reg(r, "bsrs", m->shadow[2]);
    for (unsigned i = 1; i < 32; i++) snprintf(name, sizeof name, "stk%u", i), set_reg(r, name, m->stack[i]);
    set_reg(r, "pc", m->pc);
}

static void must_agree(rig *r, const char *what)
{
    const refpic18 *m = r->ref;
    static uint8_t cells[LAST + 1];
    char name[8];
    if (reg(r, "pc") != m->pc || reg(r, "sp") != m->levels || bare_time(&r->on).cycles != m->cycles)
        ck_abort_msg("%s: pc 0x%x sp %u cycles %llu, not 0x%x %u %llu", what, reg(r, "pc"), reg(r, "sp"),
                     (unsigned long long)bare_time(&r->on).cycles, m->pc, m->levels,
                     (unsigned long long)m->cycles);
    for (unsigned i = 1; i < 32; i++) {
        snprintf(name, sizeof name, "stk%u", i);
        if (reg(r, name) != m->stack[i])
            ck_abort_msg("%s: %s is 0x%x, not 0x%x", what, name, reg(r, name), m->stack[i]);
    }
    if (reg(r, "ws") != m->shadow[0] || reg(r, "statuss") != m->shadow[1] || reg(r, "bsrs") != m->shadow[2])
        ck_abort_msg("%s: kept beside are 0x%x 0x%x 0x%x, not 0x%x 0x%x 0x%x", what, reg(r, "ws"),
                     reg(r, "statuss"), reg(r, "bsrs"), m->shadow[0], m->shadow[1], m->shadow[2]);
    ck_assert_int_eq(r->on.chip.ops->read_memory(r->on.chip.chip, DATA, 0, cells, sizeof cells), OAK_OK);
    for (unsigned i = 0; i <= LAST; i++)
        if (cells[i] != refpic18_look(m, i))
            ck_abort_msg("%s: cell 0x%x is 0x%x, not 0x%x", what, i, cells[i], refpic18_look(m, i));
}

static bool is_alone(uint16_t code) /* what the second core does not do */
{
    return code == 3 || code == 4 || code == 0xFF;
}

/* Each of the 65,536 codes, three times, with second words right and wrong, on machines that hold anything. */
START_TEST(every_code_does_what_the_second_core_does)
{
    rig r;
    uint64_t seed = 15;
    oak_stop stop;
    unsigned lost = 0;
    rig_open(&r);
    for (unsigned code = 0; code < 0x10000; code += STRIDE)
        for (unsigned round = 0; round < 3; round++) {
            char what[60];
            uint16_t codes[] = {(uint16_t)code, (uint16_t)(random32(&seed) | 0xF000)};
            if (round == 1) codes[1] = (uint16_t)random32(&seed);
            if (code >> 8 == 0xEE && round > 1) codes[1] &= 0xF0FF;
            if (code >> 8 >= 0xEC && code >> 8 != 0xEE && round > 2) codes[1] &= 0xF1FF;
            snprintf(what, sizeof what, "0x%04x 0x%04x", codes[0], codes[1]);
            take_over(&r, &seed);
            put_code(&r, r.ref->pc, codes, 2);
            bool is_code = refpic18_is_code(codes[0], codes[1]);
            if (is_alone(codes[0])) break;
            stop = bare_run(&r.on, 1);
            if (!is_code && stop.reason != OAK_STOP_FAULT)
                ck_abort_msg("%s: ends with %u", what, stop.reason);
            if (!is_code) continue;
            refpic18_step(r.ref);
            bool faulted = stop.reason == OAK_STOP_FAULT && stop.fault == OAK_FAULT_OUTSIDE_CODE;
            if (faulted != r.ref->lost) ck_abort_msg("%s: leads away %d, not %d", what, faulted, r.ref->lost);
            lost += faulted;
            if (!faulted && stop.reason != OAK_STOP_PARKED) must_agree(&r, what);
        }
    ck_assert_uint_gt(lost, 500 / STRIDE);
    rig_close(&r);
}
END_TEST

/* All operands of what makes flags, with every carry. */
START_TEST(arithmetic_is_right_for_all_operands)
{
    static const uint16_t codes[] = {0x2420, 0x2620, 0x2020, 0x2220, 0x5420, 0x5620, 0x5C20, 0x5E20, 0x5820,
                                     0x5A20, 0x6C20, 0x3620, 0x3420, 0x3220, 0x3020, 0x4620, 0x4220, 0x0620,
                                     0x2A20, 0x2E20, 0x4E20, 0x3E20, 0x4A20, 0x6220, 0x6420, 0x6020, 0x6620,
                                     0x0220, 0x3A20, 0x1E20, 0x0007, 0x0F00, 0x0800, 0x0D00};
    rig r;
    uint64_t seed = 16;
    rig_open(&r);
    take_over(&r, &seed);
    for (unsigned n = 0; n < sizeof codes / sizeof *codes; n++)
        for (unsigned a = 0; a < 256; a += STRIDE)
            for (unsigned b = 0; b < 256; b++) {
                uint8_t first = (uint8_t)a, w = (uint8_t)b, status = random32(&seed) & 31;
                bool immediate = codes[n] >> 8 >= 8 && codes[n] >> 8 < 16;
                uint16_t code = (uint16_t)(codes[n] | (immediate ? a : 0));
                r.ref->pc = 0x100, set_reg(&r, "pc", 0x100);
                if (!b || immediate) put_code(&r, 0x100, &code, 1);
                r.ref->cell[0xFE8] = w, set_reg(&r, "w", w);
                r.ref->cell[0xFD8] = status, set_reg(&r, "status", status);
                r.ref->cell[0x20] = first;
                if (r.on.chip.ops->write_memory(r.on.chip.chip, DATA, 0x20, &first, 1)) ck_abort();
                (void)bare_run(&r.on, 1);
                refpic18_step(r.ref);
                uint8_t cell;
                if (r.on.chip.ops->read_memory(r.on.chip.chip, DATA, 0x20, &cell, 1)) ck_abort();
                if (reg(&r, "w") != r.ref->cell[0xFE8] || reg(&r, "status") != r.ref->cell[0xFD8] ||
                    cell != r.ref->cell[0x20] || reg(&r, "pc") != r.ref->pc ||
                    reg(&r, "prodh") != r.ref->cell[0xFF4] || reg(&r, "prodl") != r.ref->cell[0xFF3])
                    ck_abort_msg(
                        "0x%04x of %u and %u with 0x%x: w 0x%x status 0x%x cell 0x%x, not 0x%x 0x%x 0x%x",
                        code, a, b, status, reg(&r, "w"), reg(&r, "status"), cell, r.ref->cell[0xFE8],
                        r.ref->cell[0xFD8], r.ref->cell[0x20]);
            }
    rig_close(&r);
}
END_TEST

/* Programs of anything, in one go; and their cycles. */
START_TEST(whole_chains_do_what_single_steps_do)
{
    rig r;
    uint64_t seed = 17, pieces = 0;
    rig_open(&r);
    for (unsigned round = 0; round < 20 / STRIDE; round++) {
        for (uint32_t at = 0; at < 0x20000; at += 2) {
            uint16_t code;
            do code = random32(&seed) & 0xFFFF;
            while (is_alone(code) || code >> 8 >= 0xE8 || code >> 12 == 12 || !refpic18_is_code(code, 0));
            if (random32(&seed) % 8 == 0) code = (uint16_t)(0xC000 | random32(&seed) % 0x1000);
            if (random32(&seed) % 40 == 0)
                code = (uint16_t)(0xEC00 | random32(&seed) % 0x400), code &= 0xFDFF;
            if (code >> 8 == 0xEE) code = 0;
            put_code(&r, at, &code, 1);
            uint16_t second =
                (uint16_t)(0xF000 | (code >> 12 == 14 ? random32(&seed) % 0x200 : random32(&seed) % 0x1000));
            if (code >= 0xEC00 || code >> 12 == 12) put_code(&r, at += 2, &second, 1);
        }
        for (unsigned piece = 0; piece < 60; piece++) {
            take_over(&r, &seed);
            oak_stop stop;
            unsigned steps = 1 + random32(&seed) % 60;
            uint64_t before = bare_time(&r.on).instructions;
            stop = bare_run(&r.on, steps);
            for (uint64_t i = before; i < bare_time(&r.on).instructions; i++) refpic18_step(r.ref);
            if (stop.reason == OAK_STOP_FAULT || stop.reason == OAK_STOP_PARKED) continue;
            must_agree(&r, "a chain");
            pieces++;
            ck_assert_uint_eq(stop.reason, OAK_STOP_STEPS);
        }
    }
    ck_assert_uint_gt(pieces, 500 / STRIDE / 2);
    rig_close(&r);
}
END_TEST

#define CONFIGURED                                                                                           \
    " config CONFIG1H: FOSC=xt\n config CONFIG2L: BOREN=on\n config CONFIG2H: WDTEN=off\n"                   \
    " config CONFIG4L: STVREN=on\n vector reset, start\n section prog, code\n"
/* A skip leaves out one word: the second one of an instruction is one more nop. */
START_TEST(skips_pass_over_two_words)
{
    bench b;
    oak_event event;
    bench_open(&b, "pic18-32k",
               CONFIGURED "start: btfss WREG, 0\n movff 0x20, 0x21\n incf 0x22, f\nrest: bra rest\n");
    bench_run(&b, 0, 0);
    ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK); /* goto */
    ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK);
    ck_assert_int_eq(value_of(&b, "w"), 0);
    event = bench_run(&b, 1000, 1000);
    ck_assert_int_eq(value_of(&b, "data[0x22]"), 1);
    bench_close(&b);
    bench_open(&b, "pic18-32k",
               CONFIGURED "start: btfsc WREG, 0\n movff 0x20, 0x21\n incf 0x22, f\nrest: bra rest\n");
    event = bench_run(&b, 1000, 1000);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    /* goto 2, btfsc that skips 2, the second word 1, incf 1, and nothing for the jump to itself */
    ck_assert_uint_eq(cycles_of(&b), 6);
    bench_close(&b);
}
END_TEST

/* The thirty-first level, and the level below the first: a notice, and a reset where the configuration says so. */
START_TEST(the_stack_has_ends)
{
    bench b;
    oak_event event;
    bench_open(&b, "pic18-32k", CONFIGURED "start: incf 0x20, f\ndeeper: incf 0x21, f\n rcall deeper\n");
    event = bench_run(&b, 1000, 1000);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_STACK_END);
    ck_assert_int_eq(value_of(&b, "data[0x21]"), 31);
    ck_assert_int_eq(value_of(&b, "STKPTR & 0x80"), 0x80);
    bench_run(&b, 3, UINT64_MAX);                    /* goto 2, incf */
    ck_assert_int_eq(value_of(&b, "data[0x20]"), 2); /* it began anew */
    ck_assert_int_eq(value_of(&b, "sp"), 0);
    ck_assert_int_eq(value_of(&b, "STKPTR"), 0x80);
    bench_close(&b);
    bench_open(&b, "pic18-32k", CONFIGURED "start: incf 0x20, f\n pop\nrest: bra rest\n");
    event = bench_run(&b, 1000, 1000);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_STACK_END);
    ck_assert_int_eq(value_of(&b, "STKPTR"), 0x40);
    bench_close(&b);
    bench_open(&b, "pic18-32k",
               " config CONFIG1H: FOSC=xt\n config CONFIG2L: BOREN=on\n config CONFIG2H: WDTEN=off\n config "
               "CONFIG4L: "
               "STVREN=off\n vector reset, start\n section prog, code\nstart: incf 0x20, f\n return\n");
    bench_run(&b, 1000, 1000);
    bench_run(&b, 5, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "data[0x20]"), 2); /* to address 0, without a reset */
    ck_assert_int_eq(value_of(&b, "STKPTR"), 0x40);
    bench_close(&b);
}
END_TEST

/* A watchdog that is not fed resets, by its rate; it wakes what sleeps; a reset instruction. Each leaves its mark in RCON. */
START_TEST(resets_tell_their_cause)
{
    bench b;
    oak_event event;
    bench_open(
        &b, "pic18-32k",
        " config CONFIG1H: FOSC=xt\n config CONFIG2L: BOREN=on\n config CONFIG2H: WDTEN=on, WDTPS=4\n config "
        "CONFIG4L: STVREN=on\n vector reset, start\n section prog, code\nstart: incf 0x20, f\nrest: bra "
        "rest\n");
    event = bench_run(&b, 100000, UINT64_MAX);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_WATCHDOG);
    ck_assert_uint_eq(cycles_of(&b), 4 * 18000 + 1); /* behind the round it is in */
    bench_run(&b, 100, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "data[0x20]"), 2);
    ck_assert_int_eq(value_of(&b, "RCON"), 0x14); /* RI and PD, not TO */
    bench_close(&b);
    bench_open(&b, "pic18-32k",
               CONFIGURED
               "start: incf 0x20, f\n btfss RCON, RI\nrest: bra rest\n movlw 0x80\n movwf 0x21\n reset\n");
    event = bench_run(&b, 1000, UINT64_MAX);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "data[0x20] + data[0x21]"), 0x82);
    ck_assert_int_eq(value_of(&b, "RCON"), 0x0C);
    ck_assert_int_eq(value_of(&b, "w"), 0x80); /* stays */
    bench_close(&b);
    bench_open(
        &b, "pic18-32k",
        CONFIGURED
        "start: bsf WDTCON, SWDTEN\n clrwdt\n sleep\nwoken: movff RCON, 0x21\n bcf WDTCON, SWDTEN\n bsf "
        "INTCON, INT0IE\n sleep\nagain: movff RCON, 0x22\nrest: bra rest\n");
    ck_assert_int_eq(oak_session_drive(b.session, "rb.0 = 0 until 5s, 1", &b.sink), OAK_OK);
    event = bench_run(&b, 6000000, UINT64_MAX);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "data[0x21] & 0x0c"), 0);    /* the watchdog woke it: no TO, no PD */
    ck_assert_int_eq(value_of(&b, "data[0x22] & 0x0c"), 0x08); /* the pin did */
    ck_assert_uint_gt(cycles_of(&b), 5000000);
    bench_close(&b);
}
END_TEST

/* Two priorities: the urgent one comes into the calm one, not the other way; each return lets its own through again. */
START_TEST(interrupts_have_two_priorities)
{
    static const char source[] =
        CONFIGURED " vector high, urgent\n vector low, calm\nstart: movlw 1\n movlb 3\n bsf RCON, IPEN\n bcf "
                   "INTCON3, INT1IP\n bsf INTCON3, "
                   "INT1IE\n bsf INTCON, INT0IE\n movlw 0xc0\n iorwf INTCON, f\nrest: bra rest\n"
                   "urgent: incf 0x20, f\n bcf INTCON, INT0IF\n movlb 1\n movlw 5\n retfie fast\n"
                   "calm: incf 0x21, f\n movff 0x20, 0x22\n bcf INTCON3, INT1IF\n movlw 100\n movwf "
                   "0x30\nwait: decfsz 0x30, f\n bra wait\n "
                   "movff 0x20, 0x23\n movff STKPTR, 0x24\n retfie\n";
    bench b;
    bench_open(&b, "pic18-32k", source);
    ck_assert_int_eq(oak_session_drive(b.session, "rb.1 = 0 until 1ms, 1", &b.sink), OAK_OK);
    ck_assert_int_eq(
        oak_session_drive(b.session, "rb.0 = 0 until 1100us, 1 until 1200us, 0 until 1250us, 1", &b.sink),
        OAK_OK);
    bench_run(&b, 2000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "data[0x20]"), 2);
    ck_assert_int_eq(value_of(&b, "data[0x21]"), 1);
    ck_assert_int_eq(value_of(&b, "data[0x22]"), 0); /* none when the calm one began */
    ck_assert_int_eq(value_of(&b, "data[0x23]"), 2); /* both while it waited */
    ck_assert_int_eq(value_of(&b, "data[0x24]"), 1);
    ck_assert_int_eq(value_of(&b, "bsr"), 3);
    ck_assert_int_eq(value_of(&b, "INTCON & 0xc0"), 0xC0);
    ck_assert_int_eq(value_of(&b, "sp"), 0);
    bench_close(&b);
    /* Without priorities one vector, and PEIE lets peripherals through. */
    bench_open(&b, "pic18-32k",
               CONFIGURED " vector high, one\nstart: movlw 0xf0\n movwf TMR1H\n bsf PIE1, TMR1IE\n bsf "
                          "T1CON, TMR1ON\n bsf INTCON, "
                          "GIE\n movlw 0\nfirst: decfsz WREG, w\n bra first\nsecond: decfsz WREG, w\n bra "
                          "second\n movlw 20\nthird: decfsz "
                          "0x30, f\n bra third\n decfsz WREG, w\n bra third\n bsf INTCON, PEIE\nrest: bra "
                          "rest\none: incf 0x20, f\n "
                          "movff PIR1, 0x21\n bcf PIR1, TMR1IF\n retfie\n");
    bench_run(&b, 60000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "data[0x20]"), 1);
    ck_assert_int_eq(value_of(&b, "data[0x21] & 1"), 1);
    bench_close(&b);
}
END_TEST

/* The time of a change of the pin, from the first one that rises on. */
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

/* Pulses: (top + 1) steps of the timer long, low byte steps and quarters wide; a new width counts from the next turn on. */
START_TEST(pulses_are_as_long_as_the_registers_say)
{
    static const struct {
        const char *setting;
        unsigned period, width;
    } all[] = {{" movlw 99\n movwf PR2\n movlw 25\n movwf CCPR1L\n movlw 0x0c\n movwf CCP1CON\n movlw 0x04\n "
                "movwf T2CON\n",
                100, 25},
               {" movlw 99\n movwf PR2\n movlw 25\n movwf CCPR1L\n movlw 0x3c\n movwf CCP1CON\n movlw 0x05\n "
                "movwf T2CON\n",
                400, 103},
               {" movlw 199\n movwf PR2\n movlw 7\n movwf CCPR1L\n movlw 0x1c\n movwf CCP1CON\n movlw 0x07\n "
                "movwf T2CON\n",
                3200, 116}};
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char source[900];
        bench b;
        snprintf(source, sizeof source, CONFIGURED "start: bcf TRISC, 2\n%srest: nop\n bra rest\n",
                 all[i].setting);
        bench_open(&b, "pic18-32k", source);
        ck_assert_int_eq(oak_session_record(b.session, "rc.2", &b.sink), OAK_OK);
        bench_run(&b, 20000, UINT64_MAX);
        ck_assert_uint_eq(edge(&b, 4) - edge(&b, 2), all[i].period);
        ck_assert_uint_eq(edge(&b, 3) - edge(&b, 2), all[i].width);
        bench_close(&b);
    }
}
END_TEST

/* Captures keep the count at the edge; a compare sets its flag, its pin, or begins the timer anew: CCPR + 1 steps. */
START_TEST(channels_capture_and_compare)
{
    bench b;
    bench_open(&b, "pic18-32k",
               CONFIGURED "start: movlw 5\n movwf CCP1CON\n movlw 0x01\n movwf T1CON\nw1: btfss PIR1, "
                          "CCP1IF\n bra w1\n movff CCPR1L, "
                          "0x20\n movff CCPR1H, 0x21\n bcf PIR1, CCP1IF\nw2: btfss PIR1, CCP1IF\n bra w2\n "
                          "movf 0x20, w\n subwf CCPR1L, "
                          "w\n movwf 0x22\n movf 0x21, w\n subwfb CCPR1H, w\n movwf 0x23\nrest: bra rest\n");
    ck_assert_int_eq(
        oak_session_drive(b.session, "rc.2 = 0 until 1ms, 1 until 1500us, 0 until 2234us, 1", &b.sink),
        OAK_OK);
    bench_run(&b, 4000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "data[0x22] + 256 * data[0x23]"), 1234);
    bench_close(&b);
    bench_open(&b, "pic18-32k",
               CONFIGURED " vector high, each\nstart: bcf TRISC, 1\n movlw high(999)\n movwf CCPR1H\n movlw "
                          "low(999)\n movwf CCPR1L\n movlw 11\n "
                          "movwf CCP1CON\n movlw 1\n movwf CCPR2H\n movlw 2\n movwf CCP2CON\n bsf PIE1, "
                          "CCP1IE\n movlw 0xc0\n movwf INTCON\n bsf "
                          "T1CON, TMR1ON\nrest: bra rest\neach: bcf PIR1, CCP1IF\n incf 0x20, f\n retfie\n");
    ck_assert_int_eq(oak_session_record(b.session, "rc.1", &b.sink), OAK_OK);
    bench_run(&b, 50200, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "data[0x20]"), 50);
    ck_assert_int_eq(value_of(&b, "PIR1 & 1"), 0); /* it never overflows */
    ck_assert_uint_eq(edge(&b, 4) - edge(&b, 3),
                      1000); /* the other channel turns its pin over once a round */
    bench_close(&b);
}
END_TEST

/* Timer 0 in both widths, with its buffer; timer 3 counts edges; timer 2 tells one of so many turns. */
START_TEST(timers_count_as_the_databook_draws_them)
{
    bench b;
    bench_open(&b, "pic18-32k",
               CONFIGURED
               "start: movlw 0x88\n movwf T0CON\n movlw 0x12\n movwf TMR0H\n movlw 0xfe\n movwf TMR0L\n "
               "nop\n nop\n movff "
               "TMR0L, 0x20\n movff TMR0H, 0x21\n movlw 0xc8\n movwf T0CON\n movlw 0xfd\n movwf TMR0L\n "
               "nop\n nop\n nop\n nop\n movff "
               "TMR0L, 0x22\n movff INTCON, 0x23\n movlw 0x82\n movwf T3CON\n bsf T3CON, TMR3ON\n movlw 9\n "
               "movwf PR2\n movlw "
               "0x1c\n movwf T2CON\n clrf TMR2\nwait: btfss PIR1, TMR2IF\n bra wait\nrest: nop\n bra rest\n");
    ck_assert_int_eq(oak_session_drive(b.session, "rc.0 = 0 for 50us, 1 for 50us, repeat", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_record(b.session, "TMR2", &b.sink), OAK_OK);
    bench_run(&b, 1000, UINT64_MAX);
    /* written at the end of a cycle, held for two: the read, three cycles on and in its second one, sees one or two steps */
    ck_assert_int_eq(value_of(&b, "data[0x20]"), 0xFE + 1);
    ck_assert_int_eq(value_of(&b, "data[0x21]"), 0x12);
    ck_assert_int_eq(value_of(&b, "data[0x22]"), 0);
    ck_assert_int_eq(value_of(&b, "data[0x23] & 4"), 4);
    bench_run(&b, 2000, UINT64_MAX);
    int64_t seen = value_of(&b, "TMR3L");
    ck_assert_int_ge(seen, 8 + 20 - 1);
    ck_assert_int_le(seen, 10 + 20);
    bench_close(&b);
}
END_TEST

/* A bit lasts 16 or 4 times SPBRG + 1 cycles; two bytes wait, the third is lost and stops the receiver until CREN falls. */
START_TEST(the_serial_port_sends_and_receives)
{
    for (unsigned fast = 0; fast < 2; fast++) {
        bench b;
        char source[600];
        snprintf(source, sizeof source,
                 CONFIGURED "start: movlw 12\n movwf SPBRG\n movlw 0x%02x\n movwf TXSTA\n bsf RCSTA, SPEN\n "
                            "movlw 0x55\n movwf TXREG\nrest: nop\n bra rest\n",
                 fast ? 0x24 : 0x20);
        bench_open(&b, "pic18-32k", source);
        ck_assert_int_eq(oak_session_record(b.session, "rc.6", &b.sink), OAK_OK);
        bench_run(&b, 3000, UINT64_MAX);
        for (unsigned bit = 2; bit < 8; bit++)
            ck_assert_uint_eq(edge(&b, bit + 1) - edge(&b, bit), fast ? 4 * 13 : 16 * 13);
        bench_close(&b);
    }
    bench b;
    bench_open(&b, "pic18-32k",
               CONFIGURED "start: movlw 25\n movwf SPBRG\n bsf TXSTA, BRGH\n movlw 0x90\n movwf RCSTA\nw: "
                          "btfss RCSTA, OERR\n bra w\n movff RCREG, 0x20\n "
                          "movff RCREG, 0x21\n movff PIR1, 0x22\n bcf RCSTA, CREN\n bsf RCSTA, CREN\nw2: "
                          "btfss PIR1, RCIF\n bra w2\n movff RCREG, "
                          "0x23\nrest: bra rest\n");
    ck_assert_int_eq(oak_session_drive(b.session, "rc.7 = bytes \"abcde\" at 9600 from 1ms", &b.sink),
                     OAK_OK);
    bench_run(&b, 10000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "data[0x20]"), 'a');
    ck_assert_int_eq(value_of(&b, "data[0x21]"), 'b');
    ck_assert_int_eq(value_of(&b, "data[0x22] & 0x20"), 0);
    ck_assert_int_eq(value_of(&b, "data[0x23]"), 'd'); /* c was the third */
    bench_close(&b);
}
END_TEST

/* Program memory is read byte by byte, erased and written by what is unlocked; two thousand cycles each; going back brings the old code. */
START_TEST(program_memory_is_read_and_written)
{
    bench b;
    oak_event event;
    bench_open(&b, "pic18-32k",
               CONFIGURED "start: movlw high(place)\n movwf TBLPTRH\n movlw low(place)\n movwf TBLPTRL\n "
                          "tblrd *+\n movff TABLAT, 0x20\n tblrd *\n "
                          "movff TABLAT, 0x21\n movlw low(place)\n movwf TBLPTRL\n movlw 0x94\n call burn\n "
                          "movlw 0x5a\n movwf TABLAT\n tblwt *+\n movlw "
                          "0xa5\n movwf TABLAT\n tblwt *-\nbefore: movlw 0x84\n call burn\n tblrd *+\n movff "
                          "TABLAT, 0x22\n tblrd *\n movff TABLAT, "
                          "0x23\nrest: bra rest\n"
                          "burn: movwf EECON1\n movlw 0x55\n movwf EECON2\n movlw 0xaa\n movwf EECON2\n bsf "
                          "EECON1, WR\n return\n"
                          " org 0x1000\nplace: db 1, 2, 3, 4\n");
    ck_assert_int_eq(oak_session_keep_history(b.session, 1 << 20), OAK_OK);
    event = bench_run(&b, 100000, UINT64_MAX);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "data[0x20] + 256 * data[0x21]"), 0x201);
    ck_assert_int_eq(value_of(&b, "data[0x22] + 256 * data[0x23]"), 0xA55A);
    ck_assert_int_eq(value_of(&b, "code[0x1002]"), 0xFF);
    ck_assert_uint_gt(cycles_of(&b), 4000);
    ck_assert_uint_lt(cycles_of(&b), 4100);
    ck_assert_int_eq(oak_session_back_steps(b.session, 30, &event), OAK_OK);
    ck_assert_int_eq(value_of(&b, "code[0x1000:2]"), 0x201);
    bench_close(&b);
}
END_TEST

/* Its settings in EEPROM, unlocked as on the mid-range core. */
START_TEST(settings_are_kept)
{
    bench b;
    bench_open(&b, "pic18-32k",
               CONFIGURED "start: movlw 5\n movwf EEADR\n movlw 0x5a\n movwf EEDATA\n movlw 4\n movwf "
                          "EECON1\n movlw 0x55\n movwf EECON2\n movlw "
                          "0xaa\n movwf EECON2\n bsf EECON1, WR\nw: btfsc EECON1, WR\n bra w\n clrf EEDATA\n "
                          "bsf EECON1, RD\n movff EEDATA, 0x20\nrest: bra "
                          "rest\n");
    bench_run(&b, 100000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "data[0x20]"), 0x5A);
    ck_assert_int_eq(value_of(&b, "eeprom[5]"), 0x5A);
    ck_assert_uint_gt(cycles_of(&b), 4000);
    bench_close(&b);
}
END_TEST

/* What people write: destinations and banks as letters and digits, pointers by number, a missing one, an access that cannot be. */
START_TEST(operands_are_read_as_people_write_them)
{
    static const struct {
        const char *line, *code;
        uint16_t word;
    } all[] = {
        {" addwf 0x25, w, a\n", NULL, 0x2425},
        {" addwf 0x25, 0, 0\n", NULL, 0x2425},
        {" addwf 0x25, f\n", NULL, 0x2625},
        {" addwf 0x25, 1, 1\n", NULL, 0x2725},
        {" addwf 0x185, f\n", "other-bank", 0x2785},
        {" addwf SPBRG, f\n", NULL, 0x26AF},
        {" addwf 0x25\n", "no-destination", 0x2625},
        {" addwf 0x25, b\n", "no-destination", 0x2725},
        {" movwf 0x25\n", NULL, 0x6E25},
        {" movwf 0x25, b\n", NULL, 0x6F25},
        {" movwf 0x25, 1\n", NULL, 0x6F25},
        {" bsf 0x25, 3\n", NULL, 0x8625},
        {" bsf 0x25, 3, b\n", NULL, 0x8725},
        {" bsf RCSTA, 2, 0\n", NULL, 0x84AB},
        {" lfsr 1, 0x345\n", NULL, 0xEE13},
        {" lfsr FSR1, 0x345\n", NULL, 0xEE13},
        {" movlb 5\n", NULL, 0x0105},
        {" call 0x100, 1\n", NULL, 0xED80},
        {" call 0x100, fast\n", NULL, 0xED80},
        {" call 0x100, 0\n", NULL, 0xEC80},
        {" retfie fast\n", NULL, 0x0011},
        {" return\n", NULL, 0x0012},
        {" tblrd *+\n", NULL, 0x0009},
        {" tblrd*-\n", NULL, 0x000A},
        {" tblwt +*\n", NULL, 0x000F},
        {" movff 0x123, 0x456\n", NULL, 0xC123},
        {" movwf 0x185, a\n", "value-range", 0},
        {" movff 0x20\n", "no-such-form", 0},
        {" lfsr 3, 0x100\n", "no-such-form", 0},
        {" bra 0x2000\n", "branch-reach", 0},
        {" goto 0x101\n", "value-range", 0},
        {" page 5\n", "unknown-operation", 0},
        {" movwf 0x1025\n", "value-range", 0},
    };
    oak_part *part = load_part("pic18-32k");
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        collected diags;
        oak_program *program = assemble(part, all[i].line, &diags);
        uint8_t low = 0, high = 0;
        unsigned first = 0;
        static const char *const beside[] = {"no-config", "runs-off", "falls-into"};
        for (unsigned k = 0; first < diags.count && k < 3;)
            if (!strcmp(diags.one[first].code, beside[k])) first++, k = 0;
            else k++;
        const char *code = first < diags.count ? diags.one[first].code : NULL;
        ck_assert_msg(!code == !all[i].code && (!code || !strcmp(code, all[i].code)), "%s: %s", all[i].line,
                      code ? code : "nothing is said");
        if (!all[i].word) continue;
        ck_assert_ptr_nonnull(program);
        ck_assert(oak_image_byte(oak_program_image(program), 0, &low) &&
                  oak_image_byte(oak_program_image(program), 1, &high));
        ck_assert_msg((low | high << 8) == all[i].word, "%s: 0x%04x", all[i].line,
                      (unsigned)(low | high << 8));
        oak_program_free(program);
    }
    oak_part_free(part);
}
END_TEST

/* The example: no alarm about its banks, its trials pass, read back it is the same, and its report says where its pointers lead and which priority took how long. */
START_TEST(the_sander_stops_at_once)
{
    char *out, *error;
    const char *in = "d=$(mktemp -d) && cd $d && cp " SOURCE_FOLDER "/examples/sander/* . && ";
    static const struct {
        const char *command, *said;
    } all[] = {
        {SPINDLE " trial --afresh", "7 passed, 0 failed"},
        {SPINDLE " trial --afresh", "within 14us after rb.0 falls: 7 cycles at the longest"},
        {SPINDLE " asm sander.asm --part pic18-32k && " SPINDLE
                 " look sander.hex --part pic18-32k -o again.asm && " SPINDLE
                 " asm again.asm --part pic18-32k && cmp sander.hex again.hex && echo the same",
         "the same"},
        {SPINDLE " asm sander.asm --part pic18-32k && " SPINDLE " look sander.hex --part pic18-32k",
         "db   0x0e  ; CONFIG2H: WDTPS=128, WDTEN=off"},
        {SPINDLE " run sander.asm --part pic18-32k --board board.yaml --time 1500ms",
         "fsr0 leads to line+17, 0x00; tblptr leads to halt, 0xbd"},
        {SPINDLE " run sander.asm --part pic18-32k --board board.yaml --time 1500ms",
         "  low            handled "},
        {SPINDLE " look --routines sander.asm --part pic18-32k",
         "vector_high          0x0008         11      11.000 us         11      11.000 us"},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char command[900];
        snprintf(command, sizeof command, "%s%s; code=$?; rm -r $d; exit $code", in, all[i].command);
        ck_assert_int_eq(shell(command, &out, &error), 0);
        ck_assert_msg(strstr(out, all[i].said) != NULL, "%s: %s", all[i].command, out);
        ck_assert_str_eq(error, "");
        free(out), free(error);
    }
}
END_TEST

RUN_SUITE("pic18", every_code_does_what_the_second_core_does, arithmetic_is_right_for_all_operands,
          whole_chains_do_what_single_steps_do, skips_pass_over_two_words, the_stack_has_ends,
          resets_tell_their_cause, interrupts_have_two_priorities, pulses_are_as_long_as_the_registers_say,
          channels_capture_and_compare, timers_count_as_the_databook_draws_them,
          the_serial_port_sends_and_receives, program_memory_is_read_and_written, settings_are_kept,
          operands_are_read_as_people_write_them, the_sander_stops_at_once)
