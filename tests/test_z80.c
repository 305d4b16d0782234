/* The Z80 against a second implementation: every operation code of all pages on random machines, one by one and in chains that overwrite
 * themselves, arithmetic on all operands; interrupts in all modes, r, prefixes, the stack, devices. */
#include "reference_z80.h"
#include "support.h"

#include <stdio.h>

enum { MEM = 1, IO };

typedef struct rig {
    bare on;
    int number[40]; /* of registers, by the places in `names` */
    refz80 *ref;
} rig;

static const char *const names[] = {"pc", "a",  "f",  "b",  "c",    "d",    "e",  "h",  "l",
                                    "a'", "f'", "b'", "c'", "d'",   "e'",   "h'", "l'", "ix",
                                    "iy", "sp", "i",  "r",  "iff1", "iff2", "im"};
enum { NAMES = sizeof names / sizeof *names };

static void rig_open(rig *r)
{
    bare_open(&r->on, "z80");
    for (unsigned i = 0; i < NAMES; i++)
        for (unsigned n = 0; n < r->on.part->architecture->register_count; n++)
            if (!strcmp(names[i], r->on.part->architecture->registers[n].name)) r->number[i] = (int)n;
    r->ref = calloc(1, sizeof *r->ref);
}

static void rig_close(rig *r)
{
    bare_close(&r->on);
    free(r->ref);
}

static uint32_t reg(rig *r, unsigned name)
{
    uint32_t value = 0;
    if (r->on.chip.ops->read_register(r->on.chip.chip, (unsigned)r->number[name], &value))
        ck_abort_msg("no %s", names[name]);
    return value;
}

static void set_reg(rig *r, unsigned name, uint32_t value)
{
    if (r->on.chip.ops->write_register(r->on.chip.chip, (unsigned)r->number[name], value))
        ck_abort_msg("no %s", names[name]);
}

static void poke(rig *r, unsigned space, uint32_t at, const uint8_t *bytes, size_t count)
{
    if (r->on.chip.ops->write_memory(r->on.chip.chip, space, at, bytes, count))
        ck_abort_msg("no memory at 0x%x", at);
    memcpy((space == MEM ? r->ref->mem : r->ref->io) + at, bytes, count);
}

/* The registers of the second model by their names, to compare and to set. */
static uint32_t ref_reg(const refz80 *m, unsigned name)
{
    switch (name) {
    case 0: return m->pc;
    case 1: return m->r8[7];
    case 2: return m->f;
    case 9: return m->alt[7];
    case 10: return m->alt[6];
    case 17: return m->ix;
    case 18: return m->iy;
    case 19: return m->sp;
    case 20: return m->i;
    case 21: return m->r;
    case 22: return m->iff1;
    case 23: return m->iff2;
    case 24: return m->im;
    default: return name < 9 ? m->r8[name - 3] : m->alt[name - 11];
    }
}

static void take_over(rig *r, uint64_t *seed)
{
    refz80 *m = r->ref;
    for (int i = 0; i < 8; i++) m->r8[i] = (uint8_t)random32(seed), m->alt[i] = (uint8_t)random32(seed);
    m->f = (uint8_t)random32(seed);
    m->i = (uint8_t)random32(seed), m->r = (uint8_t)random32(seed);
    m->ix = (uint16_t)random32(seed), m->iy = (uint16_t)random32(seed), m->sp = (uint16_t)random32(seed);
    m->pc = (uint16_t)random32(seed);
    m->iff1 = m->iff2 = random32(seed) & 1;
    m->im = (uint8_t)(random32(seed) % 3);
    if (random32(seed) % 4 == 0) m->r8[0] = 0, m->r8[1] = 1; /* the end of a block */
    if (random32(seed) % 4 == 0) m->r8[0] = 1;
    for (unsigned i = 0; i < NAMES; i++) set_reg(r, i, ref_reg(m, i));
}

static void must_agree(rig *r, const char *what)
{
    for (unsigned i = 0; i < NAMES; i++)
        if (reg(r, i) != ref_reg(r->ref, i))
            ck_abort_msg("%s: %s is 0x%x, not 0x%x", what, names[i], reg(r, i), ref_reg(r->ref, i));
}

static void memories_must_agree(rig *r, const char *what)
{
    static uint8_t mem[65536], io[256];
    ck_assert_int_eq(r->on.chip.ops->read_memory(r->on.chip.chip, MEM, 0, mem, sizeof mem), OAK_OK);
    ck_assert_int_eq(r->on.chip.ops->read_memory(r->on.chip.chip, IO, 0, io, sizeof io), OAK_OK);
    for (unsigned at = 0; at < sizeof mem; at++)
        if (mem[at] != r->ref->mem[at])
            ck_abort_msg("%s: 0x%x at 0x%x, not 0x%x", what, mem[at], at, r->ref->mem[at]);
    ck_assert_msg(!memcmp(io, r->ref->io, sizeof io), "%s: ports differ", what);
}

static void fill(rig *r, uint64_t *seed)
{
    static uint8_t bytes[65536];
    for (size_t i = 0; i < sizeof bytes; i++) bytes[i] = (uint8_t)random32(seed);
    poke(r, MEM, 0, bytes, sizeof bytes);
    poke(r, IO, 0, bytes, 256);
}

/* ------------------------------------------------------------------------------------------ every code */

static const struct page {
    const char *name;
    uint8_t before[2], count;
    bool distance;
} pages[] = {{"", {0}, 0, false},
             {"cb", {0xCB}, 1, false},
             {"ed", {0xED}, 1, false},
             {"dd", {0xDD}, 1, false},
             {"fd", {0xFD}, 1, false},
             {"ddcb", {0xDD, 0xCB}, 2, true},
             {"fdcb", {0xFD, 0xCB}, 2, true}};

START_TEST(every_code_of_all_seven_pages_does_what_the_second_model_does)
{
    rig r;
    uint64_t seed = 4711;
    rig_open(&r);
    fill(&r, &seed);
    unsigned reserved = 0;
    for (const struct page *page = pages; page < pages + 7; page++)
        for (unsigned code = 0; code < 256; code++) {
            if (!page->count && (code == 0x76 || code == 0xED))
                continue; /* halt has a test of its own, 0xed a page */
            for (unsigned round = 0; round < 60; round++) {
                uint8_t bytes[7], count = page->count;
                char what[80];
                take_over(&r, &seed);
                for (unsigned i = 0; i < sizeof bytes; i++) bytes[i] = (uint8_t)random32(&seed);
                memcpy(bytes, page->before, count);
                if (page->distance) count++;
                bytes[count] = (uint8_t)code;
                if (r.ref->pc > 65528) r.ref->pc -= 8, set_reg(&r, 0, r.ref->pc);
                poke(&r, MEM, r.ref->pc, bytes, sizeof bytes);
                snprintf(what, sizeof what, "%s %02x (%02x %02x %02x %02x)", page->name, code, bytes[0],
                         bytes[1], bytes[2], bytes[3]);
                uint64_t before = bare_time(&r.on).cycles;
                refz80 kept = {.pc = r.ref->pc};
                bool known = refz80_step(r.ref);
                oak_stop stop = bare_run(&r.on, 1);
                if (!known) {
                    reserved++;
                    ck_assert_msg(stop.reason == OAK_STOP_FAULT && stop.fault == OAK_FAULT_RESERVED, "%s",
                                  what);
                    ck_assert_msg(stop.pc == kept.pc, "%s", what);
                    break;
                }
                ck_assert_msg(stop.reason == OAK_STOP_STEPS, "%s stops by %d", what, stop.reason);
                must_agree(&r, what);
                if (bare_time(&r.on).cycles - before != r.ref->t)
                    ck_abort_msg("%s: %u T states, not %u", what,
                                 (unsigned)(bare_time(&r.on).cycles - before), r.ref->t);
                if (round % 20 == 0) memories_must_agree(&r, what);
            }
        }
    memories_must_agree(&r, "in the end");
    ck_assert_uint_eq(reserved,
                      256 - 64 - 16 + 2); /* of the page 0xed: all but x = 1, less two, and the blocks */
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
    for (unsigned program = 0; program < 40; program++) {
        fill(&r, &seed);
        for (unsigned piece = 0; piece < 60; piece++) {
            take_over(&r, &seed);
            unsigned wanted = 1 + random32(&seed) % 400, done = 0, t = 0;
            uint64_t before = bare_time(&r.on).cycles, begun = bare_time(&r.on).instructions;
            bool known = true;
            while (done < wanted) {
                refz80 *m = r.ref;
                uint16_t pc = m->pc;
                if (m->mem[pc] == 0x76) break;
                /* what is looked at stays as it was when it turns out to be reserved */
                if (m->mem[pc] == 0xED) {
                    uint8_t code = m->mem[(uint16_t)(pc + 1)];
                    known = (code >= 0x40 && code < 0x80 && code != 0x77 && code != 0x7F) ||
                            (code >= 0xA0 && code < 0xC0 && code % 8 < 4);
                    if (!known) break;
                }
                refz80_step(m);
                done++, t += m->t;
                if (m->pc == pc && done > 2 && m->t == 12) break; /* jr to itself would park */
            }
            if (!done) continue;
            char what[60];
            snprintf(what, sizeof what, "program %u, piece %u, %u instructions", program, piece, done);
            oak_stop stop = bare_run(&r.on, done);
            ck_assert_msg(stop.reason == OAK_STOP_STEPS || stop.reason == OAK_STOP_PARKED, "%s: %d", what,
                          stop.reason);
            if (stop.reason == OAK_STOP_PARKED) { /* the model goes on round and round */
                fill(&r, &seed);
                continue;
            }
            ck_assert_uint_eq(bare_time(&r.on).instructions - begun, done);
            must_agree(&r, what);
            if (bare_time(&r.on).cycles - before != t) ck_abort_msg("%s: T states", what);
            executed += done;
        }
        memories_must_agree(&r, "a program");
    }
    ck_assert_uint_gt(executed, 100000);
    rig_close(&r);
}
END_TEST

static void one_code(rig *r, const uint8_t *bytes, size_t count)
{
    poke(r, MEM, 0x100, bytes, count);
}

/* Sets what matters, runs the code at 0x100 once on both. */
static void once(rig *r, uint8_t a, uint8_t b, uint8_t f)
{
    refz80 *m = r->ref;
    m->r8[7] = a, m->r8[0] = b, m->f = f;
    m->pc = 0x100;
    set_reg(r, 1, a);
    set_reg(r, 3, b);
    set_reg(r, 2, f);
    set_reg(r, 0, 0x100);
    refz80_step(m);
    bare_run(&r->on, 1);
    if (reg(r, 1) != m->r8[7] || reg(r, 3) != m->r8[0] || reg(r, 2) != m->f)
        ck_abort_msg("code %02x %02x with a %02x b %02x f %02x: a %02x f %02x, not a %02x f %02x",
                     m->mem[0x100], m->mem[0x101], a, b, f, reg(r, 1), reg(r, 2), m->r8[7], m->f);
}

START_TEST(arithmetic_is_right_on_all_operands)
{
    rig r;
    rig_open(&r);
    for (unsigned op = 0; op < 8; op++) {
        uint8_t code = (uint8_t)(0x80 | op << 3); /* with b */
        one_code(&r, &code, 1);
        for (unsigned a = 0; a < 256; a++)
            for (unsigned b = 0; b < 256; b++) {
                once(&r, (uint8_t)a, (uint8_t)b, 0xFE);
                if (op == 1 || op == 3) once(&r, (uint8_t)a, (uint8_t)b, 1);
            }
    }
    static const uint8_t unary[][2] = {{0x27},       {0x2F},       {0x37},       {0x3F},       {0x07},
                                       {0x0F},       {0x17},       {0x1F},       {0x3C},       {0x3D},
                                       {0xED, 0x44}, {0xCB, 0x07}, {0xCB, 0x0F}, {0xCB, 0x17}, {0xCB, 0x1F},
                                       {0xCB, 0x27}, {0xCB, 0x2F}, {0xCB, 0x37}, {0xCB, 0x3F}, {0xF5}};
    for (size_t i = 0; i < sizeof unary / sizeof *unary; i++) {
        one_code(&r, unary[i], 2);
        for (unsigned a = 0; a < 256; a++)
            for (unsigned f = 0; f < 256; f++) once(&r, (uint8_t)a, 0, (uint8_t)f);
    }
    rig_close(&r);
}
END_TEST

/* What push af shows and pop af sets is all of F, also combinations that no sum leaves. */
START_TEST(all_flags_go_through_the_stack_and_conditions)
{
    rig r;
    rig_open(&r);
    static const uint8_t code[] = {0xF1, 0xF5, 0x18, 0xFC}; /* pop af, push af */
    poke(&r, MEM, 0x100, code, sizeof code);
    for (unsigned f = 0; f < 256; f++) {
        uint8_t word[2] = {(uint8_t)f, (uint8_t)~f}, back[2] = {0};
        poke(&r, MEM, 0x8000, word, 2);
        set_reg(&r, 19, 0x8000);
        set_reg(&r, 0, 0x100);
        bare_run(&r.on, 2);
        ck_assert_uint_eq(reg(&r, 2), f);
        ck_assert_int_eq(r.on.chip.ops->read_memory(r.on.chip.chip, MEM, 0x8000, back, 2), OAK_OK);
        ck_assert_mem_eq(word, back, 2);
        for (unsigned which = 0; which < 8; which++) {
            static const uint8_t mask[] = {0x40, 1, 4, 0x80};
            uint8_t jump[] = {(uint8_t)(0xC2 | which << 3), 0x00, 0x90};
            poke(&r, MEM, 0x200, jump, sizeof jump);
            set_reg(&r, 0, 0x200);
            bare_run(&r.on, 1);
            bool taken = ((f & mask[which / 2]) != 0) == which % 2;
            ck_assert_uint_eq(reg(&r, 0), taken ? 0x9000 : 0x203);
        }
    }
    rig_close(&r);
}
END_TEST

/* ------------------------------------------------------------------------------------------ halt, interrupts, the stack */

#define START " org 0\n jp start\n org 0x38\n jp tick\n org 0x66\n jp alarm\n org 0x100\n"
#define HANDLERS                                                                                             \
    "tick: push af\n ld hl, ticks\n inc (hl)\n ld a, 0xc1\n out (C0_CTRL), a\n pop af\n ei\n reti\n"         \
    "alarm: push hl\n ld hl, alarms\n inc (hl)\n pop hl\n retn\n"                                            \
    " org 0x8000\nticks: ds 1\nalarms: ds 1\n"
#define COUNTER /* every 2000 T states */                                                                    \
    " ld a, 10\n out (C0_STEP), a\n ld a, 200\n out (C0_TOP), a\n ld a, 0xc0\n out (C0_CTRL), a\n"

static void step_to(bench *b, const char *place)
{
    long long at = value_of(b, place);
    for (unsigned i = 0; i < 100000 && value_of(b, "pc") != at; i++) bench_run(b, UINT64_MAX, 1);
    ck_assert_int_eq(value_of(b, "pc"), at);
}

START_TEST(halt_repeats_until_an_interrupt_that_returns_behind_it)
{
    bench b;
    bench_open(&b, "z80-32k",
               START "start: ld sp, 0\n im 1\n" COUNTER " ei\nhere: halt\nbehind: di\nlost: halt\n" HANDLERS);
    step_to(&b, "here");
    uint64_t before = cycles_of(&b);
    long long r = value_of(&b, "r");
    bench_run(&b, UINT64_MAX, 1);
    ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "here"));
    ck_assert_uint_eq(cycles_of(&b) - before, 4);
    ck_assert_int_eq(value_of(&b, "r"), (r + 1) % 128);
    step_to(&b, "tick");
    ck_assert_int_eq(value_of(&b, "mem[sp:2]"), value_of(&b, "behind"));
    /* It is taken at the end of one of the repetitions, thirteen T states and the jump at 0x38. */
    ck_assert_uint_eq((cycles_of(&b) - before - 13 - 10) % 4, 0);
    ck_assert_int_eq(value_of(&b, "iff1"), 0);
    step_to(&b, "behind");
    ck_assert_int_eq(value_of(&b, "ticks"), 1);
    oak_event event = bench_run(&b, 1000000, UINT64_MAX);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED); /* nothing gets through */
    ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "lost"));
    bench_close(&b);
}
END_TEST

START_TEST(an_interrupt_waits_for_the_instruction_behind_ei)
{
    bench b;
    bench_open(&b, "z80-32k",
               START "start: ld sp, 0\n im 1\n" COUNTER
                     " ld b, 0\nlong: djnz long\nask: ei\n inc c\n inc d\n inc e\nrest: jr rest\n" HANDLERS);
    step_to(&b, "ask"); /* it has asked for long */
    bench_run(&b, UINT64_MAX, 1);
    ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "ask") + 1);
    bench_run(&b, UINT64_MAX, 1);
    ck_assert_int_eq(value_of(&b, "c"), 1);
    ck_assert_int_eq(value_of(&b, "pc"), 0x38);
    ck_assert_int_eq(value_of(&b, "d"), 0);
    ck_assert_int_eq(value_of(&b, "handling == 0x38"), 1);
    bench_close(&b);
}
END_TEST

/* Where each mode goes, what it costs, and what is pushed. */
START_TEST(interrupts_are_taken_in_all_modes_and_nmi)
{
    static const struct {
        const char *mode, *goes;
        unsigned cycles;
    } modes[] = {{"im 0", "0x38", 13}, {"im 1", "0x38", 13}, {"im 2", "handler", 19}};
    for (unsigned i = 0; i < 3; i++) {
        bench b;
        char source[900];
        snprintf(source, sizeof source,
                 START
                 "start: ld sp, 0\n ld a, 0x90\n ld i, a\n ld hl, handler\n ld (0x9000), hl\n %s\n" COUNTER
                 " ei\nrest: jr rest\nhandler: ei\n reti\n" HANDLERS,
                 modes[i].mode);
        bench_open(&b, "z80-32k", source);
        step_to(&b, "rest");
        uint64_t before = 0;
        while (value_of(&b, "pc") == value_of(&b, "rest")) {
            before = cycles_of(&b);
            bench_run(&b, UINT64_MAX, 1);
        }
        ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, modes[i].goes));
        ck_assert_uint_eq(cycles_of(&b) - before, 12 + modes[i].cycles);
        ck_assert_int_eq(value_of(&b, "mem[sp:2]"), value_of(&b, "rest"));
        ck_assert_int_eq(value_of(&b, "sp"), 0xFFFE);
        ck_assert_int_eq(value_of(&b, "iff1 || iff2"), 0);
        bench_close(&b);
    }
    bench b;
    bench_open(&b, "z80-32k", START "start: ld sp, 0\n im 1\n ei\nrest: jr rest\n" HANDLERS);
    step_to(&b, "rest");
    ck_assert_int_eq(b.chip.ops->drive_pin(b.chip.chip, 3 * 32 + 4, OAK_HIGH), OAK_OK);
    bench_run(&b, UINT64_MAX, 1);
    uint64_t before = cycles_of(&b);
    ck_assert_int_eq(b.chip.ops->drive_pin(b.chip.chip, 3 * 32 + 4, OAK_LOW), OAK_OK);
    bench_run(&b, UINT64_MAX, 1); /* it is taken, and the jump at 0x66 runs */
    ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "alarm"));
    ck_assert_uint_eq(cycles_of(&b) - before, 11 + 10);
    ck_assert_int_eq(value_of(&b, "mem[sp:2]"), value_of(&b, "rest"));
    ck_assert_int_eq(value_of(&b, "iff1"), 0);
    ck_assert_int_eq(value_of(&b, "iff2"), 1); /* retn brings it back */
    step_to(&b, "rest");
    ck_assert_int_eq(value_of(&b, "iff1"), 1);
    ck_assert_int_eq(value_of(&b, "alarms"), 1);
    bench_run(&b, 4000, UINT64_MAX); /* its edge counts, not its level */
    ck_assert_int_eq(value_of(&b, "alarms"), 1);
    bench_close(&b);
}
END_TEST

/* In mode 2 a more urgent line interrupts a handler, a less urgent one waits for reti. */
START_TEST(devices_take_turns_by_their_urgency_until_reti)
{
    bench b;
    bench_open(&b, "z80-32k",
               " org 0\n jp start\n org 0x100\n"
               "start: ld sp, 0\n ld a, high(table)\n ld i, a\n im 2\n"
               " ld a, 10\n out (C0_STEP), a\n out (C1_STEP), a\n ld a, 100\n out (C0_TOP), a\n ld a, 30\n "
               "out (C1_TOP), a\n"
               " ld a, 0xc0\n out (C0_CTRL), a\n out (C1_CTRL), a\n ei\nrest: jr rest\n"
               "slow: ld hl, lows\n inc (hl)\n ei\n ld b, 200\nwork: djnz work\nlast: reti\n"
               "quick: ld de, highs\n ld a, (de)\n inc a\n ld (de), a\n ei\n reti\n"
               " org 0x300\ntable: dw quick, slow\n org 0x8000\nlows: ds 1\nhighs: ds 1\n");
    step_to(&b, "slow");
    long long inner = value_of(&b, "sp");
    step_to(&b, "quick"); /* inside the other */
    ck_assert_int_eq(value_of(&b, "lows"), 1);
    ck_assert_int_lt(value_of(&b, "sp"), inner);
    step_to(&b, "last"); /* its own line has asked again meanwhile, and waits */
    ck_assert_int_eq(value_of(&b, "lows"), 1);
    ck_assert_int_ge(value_of(&b, "highs"), 2);
    step_to(&b, "slow");
    ck_assert_int_eq(value_of(&b, "sp"), inner);
    oak_service one;
    unsigned count = 0;
    while (b.chip.ops->service(b.chip.chip, count, &one) == OAK_OK) {
        ck_assert(one.vector == (uint32_t)value_of(&b, "slow") ||
                  one.vector == (uint32_t)value_of(&b, "quick"));
        ck_assert_uint_ge(one.count, 2);
        count++;
    }
    ck_assert_uint_eq(count, 2);
    bench_close(&b);
}
END_TEST

START_TEST(r_counts_fetches_also_inside_chains_and_prefixes)
{
    bench b;
    bench_open(&b, "z80-32k",
               " org 0\n ld ix, 0x8000\n ld a, 0x80\n ld r, a\n nop\n set 1, b\n ld (ix+0), 5\n res 2, "
               "(ix+0)\n ld a, r\n ld c, a\n"
               " prefix ix\n prefix iy\n ld hl, 0\n ld a, r\nrest: jr rest\n");
    value_of(&b, "pc");
    bench_run(&b, UINT64_MAX, 3);
    ck_assert_int_eq(value_of(&b, "r"), 0x80);
    bench_run(&b, UINT64_MAX, UINT64_MAX);
    /* nop 1, set 2, ld 2, res 2, ld a, r 2: */
    ck_assert_int_eq(value_of(&b, "c"), 0x80 + 9);
    ck_assert_int_eq(value_of(&b, "a"), 0x80 + 9 + 1 + 2 + 1 + 2);
    bench_close(&b);
}
END_TEST

/* What the chip does in silence is said. */
START_TEST(faults_are_noticed_where_they_happen)
{
    static const struct {
        const char *part, *source;
        oak_fault fault;
        uint32_t address, pc;
    } cases[] = {
        {"z80-32k", " ld a, 1\n ld (0x1234), a\n", OAK_FAULT_READ_ONLY, 0x1234, 2},
        {"z80-32k", " ld sp, 0x8000\n push af\n", OAK_FAULT_STACK_OVERFLOW, 0x8000, 3},
        {"z80-32k", " ld sp, 0x8001\n call 0\n", OAK_FAULT_STACK_OVERFLOW, 0x8001, 3},
        {"z80-32k", " ld sp, 0\n ret\n", OAK_FAULT_STACK_UNDERFLOW, 0, 3},
        {"z80-32k", " ld sp, 0\n pop hl\n", OAK_FAULT_STACK_UNDERFLOW, 0, 3},
        {"z80-32k", " jp 0x9000\n", OAK_FAULT_UNPROGRAMMED, 0x9000, 0x9000},
        {"z80-64k", " jp 0x9000\n", OAK_FAULT_UNPROGRAMMED, 0x9000, 0x9000},
        {"z80-64k", " nop\n", OAK_FAULT_UNPROGRAMMED, 1, 1},
        {"z80-32k", " nop\n in a, (0x80)\n", OAK_FAULT_ABSENT, 0x80, 1},
        {"z80-32k", " ld c, 0x80\n outi\n", OAK_FAULT_ABSENT, 0x80, 2},
        {"z80-32k", " db 0xed, 0\n", OAK_FAULT_RESERVED, 0, 0},
    };
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        bench b;
        bench_open(&b, cases[i].part, cases[i].source);
        for (unsigned again = 0; again < 2; again++) { /* a reset brings back what was loaded, and no more */
            oak_event event = bench_run(&b, 1000, UINT64_MAX);
            ck_assert_msg(event.stop.reason == OAK_STOP_FAULT && event.stop.fault == cases[i].fault &&
                              event.stop.fault_address == cases[i].address && event.stop.pc == cases[i].pc,
                          "%s%d %d 0x%x 0x%x", cases[i].source, event.stop.reason, event.stop.fault,
                          event.stop.fault_address, event.stop.pc);
            ck_assert_int_eq(oak_session_reset(b.session), OAK_OK);
        }
        bench_close(&b);
    }
}
END_TEST

/* A store into the chain it stands in, before and behind itself; into a loop that runs; a stop point and a watch there. */
START_TEST(overwritten_code_is_run_as_it_is_then)
{
    static const char program[] =
        " org 0x100\nstart: ld sp, 0\n ld b, 5\n ld c, 0\n"
        "loop: ld a, c\n add a, 3\n ld (patched+1), a\npatched: ld d, 0xee\n ld a, d\n ld (0x8000), a\n"
        " ld hl, again\n inc (hl)\n nop\nagain: ld c, 0\n djnz loop\nrest: jr rest\n";
    bench chain, steps;
    bench_open(&chain, "z80-64k", program);
    bench_open(&steps, "z80-64k", program);
    bench *both[] = {&chain, &steps};
    for (unsigned i = 0; i < 2; i++) {
        uint32_t pc = (uint32_t)value_of(both[i], "start");
        ck_assert_int_eq(both[i]->chip.ops->write_register(both[i]->chip.chip, 0, pc), OAK_OK);
    }
    /* `again` becomes another instruction in each round: ld c, n is 0x0e, then 0x0f … */
    bench_run(&chain, UINT64_MAX, 29);
    for (unsigned i = 0; i < 29; i++) bench_run(&steps, UINT64_MAX, 1);
    for (unsigned i = 0; i < chain.part->architecture->register_count; i++) {
        uint32_t a = 1, b = 2;
        chain.chip.ops->read_register(chain.chip.chip, i, &a);
        steps.chip.ops->read_register(steps.chip.chip, i, &b);
        ck_assert_msg(a == b, "%s: 0x%x, 0x%x", chain.part->architecture->registers[i].name, a, b);
    }
    ck_assert_uint_eq(cycles_of(&chain), cycles_of(&steps));
    ck_assert_int_eq(value_of(&chain, "mem[patched+1]"), value_of(&steps, "d"));
    bench_close(&chain);
    bench_close(&steps);
}
END_TEST

/* What repeats is done in one go, and counts as if it were not: ended anywhere by a budget, looked at, tallied, laid over code. */
START_TEST(repeated_instructions_agree_with_single_steps_wherever_they_are_ended)
{
    static const char program[] =
        " org 0x100\nstart: ld sp, 0\n ld hl, 0x8000\n ld de, 0x8001\n ld bc, 300\n ld (hl), 0x31\n ldir\n"
        " ld a, 0x77\n ld (0x8100), a\n ld hl, 0x8000\n ld bc, 400\n cpir\n ld b, 0\n cpir\n"
        " ld hl, 0x8010\n ld de, 0x8020\n ld bc, 17\n lddr\n dec hl\n ld a, 0x31\n ld bc, 5\n cpdr\n ld r, "
        "a\n"
        " ld hl, fresh\n ld de, copy\n ld bc, 12\n ldir\ncopy: nop\n nop\n nop\n nop\n nop\n nop\n nop\n "
        "nop\n"
        " nop\n nop\n nop\n nop\n ld hl, 0xfff0\n ld de, 0xfff8\n ld bc, 16\n ldir\n ld a, r\nrest: jr rest\n"
        "fresh: inc c\n inc e\n inc c\n rlca\n inc c\n inc c\n inc c\n inc c\n inc c\n inc c\n inc c\n inc "
        "c\n";
    bench go, steps;
    uint64_t seed = 7, end = 0;
    bench_open(&go, "z80-64k", program);
    bench_open(&steps, "z80-64k", program);
    bench *both[] = {&go, &steps};
    for (unsigned i = 0; i < 2; i++) {
        uint32_t pc = (uint32_t)value_of(both[i], "start");
        ck_assert_int_eq(both[i]->chip.ops->write_register(both[i]->chip.chip, 0, pc), OAK_OK);
        ck_assert_int_eq(both[i]->chip.ops->count(both[i]->chip.chip, true), OAK_OK);
    }
    for (unsigned turn = 0; !end; turn++) {
        oak_chip_time a, b;
        oak_event event = bench_run(&go, 1 + random32(&seed) % (turn % 3 ? 900 : 40), 0);
        go.chip.ops->read_time(go.chip.chip, &a);
        for (steps.chip.ops->read_time(steps.chip.chip, &b); b.instructions < a.instructions;
             steps.chip.ops->read_time(steps.chip.chip, &b))
            bench_run(&steps, 0, 1);
        ck_assert_uint_eq(a.cycles, b.cycles);
        for (unsigned i = 0; i < go.part->architecture->register_count; i++) {
            uint32_t one = 1, other = 2;
            go.chip.ops->read_register(go.chip.chip, i, &one);
            steps.chip.ops->read_register(steps.chip.chip, i, &other);
            ck_assert_msg(one == other, "turn %u, %s: 0x%x, 0x%x", turn,
                          go.part->architecture->registers[i].name, one, other);
        }
        end = value_of(&go, "pc") == value_of(&go, "rest") || event.stop.reason == OAK_STOP_PARKED;
    }
    ck_assert_int_eq(value_of(&go, "mem[0x812c]"), 0x31);
    ck_assert_int_eq(value_of(&go, "mem[copy+11]"), 0x0C);
    ck_assert_int_eq(value_of(&go, "iff1"), 0);
    for (uint32_t at = 0; at < 0x10000; at++) {
        oak_tally one = {0}, other = {0};
        uint8_t here = 0, there = 1;
        go.chip.ops->read_memory(go.chip.chip, 1, at, &here, 1);
        steps.chip.ops->read_memory(steps.chip.chip, 1, at, &there, 1);
        ck_assert_uint_eq(here, there);
        if (at >= (uint32_t)value_of(&go, "rest")) continue;
        ck_assert_int_eq(go.chip.ops->counted(go.chip.chip, at, &one), OAK_OK);
        ck_assert_int_eq(steps.chip.ops->counted(steps.chip.chip, at, &other), OAK_OK);
        ck_assert_msg(one.times == other.times && one.cycles == other.cycles, "0x%x: %llu, %llu times", at,
                      (unsigned long long)one.times, (unsigned long long)other.times);
    }
    bench_close(&go);
    bench_close(&steps);
}
END_TEST

/* ------------------------------------------------------------------------------------------ devices */

START_TEST(bytes_are_given_and_taken_by_handshake)
{
    enum { OFFER = 64, FREE, TAKEN = 96, STROBE };
    bench b;
    bench_open(&b, "z80-32k",
               " org 0\n jp start\n org 0x38\n push af\n in a, (INPUT)\n ld (0x8000), a\n pop af\n ei\n "
               "reti\n org 0x100\n"
               "start: ld sp, 0\n im 1\n ld a, 0x50\n out (HS), a\n ei\n ld a, 0x5a\n out (LATCH), a\nrest: "
               "nop\n jr rest\n");
    oak_pin pin;
    for (unsigned bit = 0; bit < 8; bit++)
        b.chip.ops->drive_pin(b.chip.chip, 32 + bit, 0xC3 >> bit & 1 ? OAK_HIGH : OAK_LOW);
    b.chip.ops->drive_pin(b.chip.chip, TAKEN, OAK_HIGH);
    b.chip.ops->drive_pin(b.chip.chip, STROBE, OAK_HIGH);
    bench_run(&b, 500, UINT64_MAX);
#define LEVEL(number) (b.chip.ops->read_pin(b.chip.chip, number, &pin), pin.result)
    ck_assert_int_eq(LEVEL(OFFER), OAK_HIGH);
    ck_assert_int_eq(LEVEL(FREE), OAK_HIGH);
    unsigned shown = 0;
    for (unsigned bit = 0; bit < 8; bit++) shown |= (unsigned)(LEVEL(bit) == OAK_HIGH) << bit;
    ck_assert_uint_eq(shown, 0x5A);
    b.chip.ops->drive_pin(b.chip.chip, TAKEN, OAK_LOW);
    ck_assert_int_eq(LEVEL(OFFER), OAK_LOW);
    ck_assert_int_eq(value_of(&b, "HS"), 0x54);
    b.chip.ops->drive_pin(b.chip.chip, STROBE, OAK_LOW);
    ck_assert_int_eq(LEVEL(FREE), OAK_LOW);
    b.chip.ops->drive_pin(b.chip.chip, 32, OAK_LOW); /* what was there at the strobe counts */
    bench_run(&b, 500, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "mem[0x8000]"), 0xC3);
    ck_assert_int_eq(LEVEL(FREE), OAK_HIGH);
    bench_close(&b);
}
END_TEST

START_TEST(counters_count_states_and_edges)
{
    bench b;
    bench_open(
        &b, "z80-32k",
        " org 0\n ld a, 5\n out (C0_STEP), a\n ld a, 100\n out (C0_TOP), a\n ld a, 0x90\n out (C0_CTRL), a\n"
        "then: ld a, 3\n out (C1_TOP), a\n ld a, 0xa0\n out (C1_CTRL), a\nrest: nop\n jr rest\n");
    step_to(&b, "then");
    uint64_t begun = cycles_of(&b);
    step_to(&b, "rest");
    /* a step is 5 * 16 T states; the pin turns over every 100 of them */
    bench_run(&b, begun + 80 * 99 + 40 - cycles_of(&b), UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "C0_NOW"), 1);
    ck_assert_int_eq(value_of(&b, "C0_CTRL") & 1, 0);
    bench_run(&b, 80, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "C0_NOW"), 100);
    ck_assert_int_eq(value_of(&b, "C0_CTRL") & 1, 1);
    oak_pin pin;
    b.chip.ops->read_pin(b.chip.chip, 64 + 4, &pin);
    ck_assert_int_eq(pin.result, OAK_HIGH);
    bench_run(&b, 8000, UINT64_MAX);
    b.chip.ops->read_pin(b.chip.chip, 64 + 4, &pin);
    ck_assert_int_eq(pin.result, OAK_LOW);
    for (unsigned edge = 0; edge < 3; edge++) {
        ck_assert_int_eq(value_of(&b, "C1_NOW"), 3 - edge);
        ck_assert_int_eq(value_of(&b, "C1_CTRL") & 1, 0);
        b.chip.ops->drive_pin(b.chip.chip, 96 + 6, OAK_HIGH);
        b.chip.ops->drive_pin(b.chip.chip, 96 + 6, OAK_LOW);
    }
    ck_assert_int_eq(value_of(&b, "C1_NOW"), 3);
    ck_assert_int_eq(value_of(&b, "C1_CTRL") & 1, 1);
    bench_close(&b);
}
END_TEST

START_TEST(the_serial_port_takes_its_divisor_from_two_registers)
{
    bench b;
    bench_open(
        &b, "z80-32k",
        " org 0\n ld a, low(417)\n out (UART_DIVL), a\n ld a, high(417)\n out (UART_DIVH), a\n ld a, 0x80\n "
        "out (UART_CTRL), a\n"
        " ld a, 'K'\nsend: out (UART_DATA), a\n ld a, '!'\n out (UART_DATA), a\nrest: nop\n jr rest\n");
    step_to(&b, "send");
    uint64_t before = cycles_of(&b), cycles[4];
    size_t count;
    bench_run(&b, 30 * 417, UINT64_MAX);
    ck_assert_int_eq(b.chip.ops->sent_at(b.chip.chip, 0, cycles, 4, &count), OAK_OK);
    ck_assert_uint_eq(count, 2);
    ck_assert_uint_eq(cycles[0] - before, 11 + 4170);
    ck_assert_uint_eq(cycles[1] - cycles[0], 4170);
    uint8_t bytes[4];
    ck_assert_int_eq(b.chip.ops->take_output(b.chip.chip, 0, bytes, 4, &count), OAK_OK);
    ck_assert_mem_eq(bytes, "K!", 2);
    bench_close(&b);
}
END_TEST

RUN_SUITE("z80", every_code_of_all_seven_pages_does_what_the_second_model_does,
          chains_of_code_that_overwrites_itself_agree_with_single_steps, arithmetic_is_right_on_all_operands,
          all_flags_go_through_the_stack_and_conditions,
          halt_repeats_until_an_interrupt_that_returns_behind_it,
          an_interrupt_waits_for_the_instruction_behind_ei, interrupts_are_taken_in_all_modes_and_nmi,
          devices_take_turns_by_their_urgency_until_reti, r_counts_fetches_also_inside_chains_and_prefixes,
          faults_are_noticed_where_they_happen, overwritten_code_is_run_as_it_is_then,
          repeated_instructions_agree_with_single_steps_wherever_they_are_ended,
          bytes_are_given_and_taken_by_handshake, counters_count_states_and_edges,
          the_serial_port_takes_its_divisor_from_two_registers)
