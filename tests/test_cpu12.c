/* The CPU12 against a second implementation: every operation code of both pages, every postbyte, on random machines, one by one and in chains that
 * overwrite themselves; arithmetic on all operands. */
#include "reference_cpu12.h"
#include "support.h"

#include <stdio.h>

enum { MEM = 1, PC = 0, A, B, X, Y, SP, CCR };

typedef struct rig {
    oak_host host;
    oak_part *part;
    oak_machine *machine;
    oak_chip_port chip;
    refcpu *ref;
} rig;

static void rig_open(rig *r)
{
    collected diags;
    oak_diag_sink sink = collect(&diags);
    r->host = oak_linux_host();
    ck_assert_int_eq(oak_part_load(&r->host, SOURCE_FOLDER "/tests/bare/cpu12.yaml", &sink, &r->part),
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

static uint32_t reg(rig *r, unsigned number)
{
    uint32_t value = 0;
    if (r->chip.ops->read_register(r->chip.chip, number, &value)) ck_abort_msg("no register %u", number);
    return value;
}

static void set_reg(rig *r, unsigned number, uint16_t value)
{
    refcpu *m = r->ref;
    if (r->chip.ops->write_register(r->chip.chip, number, value)) ck_abort_msg("no register %u", number);
    switch (number) {
    case PC: m->pc = value; break;
    case A: m->a = (uint8_t)value; break;
    case B: m->b = (uint8_t)value; break;
    case X: m->x = value; break;
    case Y: m->y = value; break;
    case SP: m->sp = value; break;
    default: m->ccr = (uint8_t)value;
    }
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
    for (unsigned i = PC; i <= CCR; i++)
        set_reg(r, i, (uint16_t)(random32(seed) & (i == A || i == B || i == CCR ? 0xFF : 0xFFFF)));
}

static void must_agree(rig *r, const char *what)
{
    const refcpu *m = r->ref;
    const uint32_t wanted[] = {m->pc, m->a, m->b, m->x, m->y, m->sp, m->ccr};
    static const char *const names[] = {"pc", "a", "b", "x", "y", "sp", "ccr"};
    for (unsigned i = PC; i <= CCR; i++)
        if (reg(r, i) != wanted[i])
            ck_abort_msg("%s: %s is 0x%x, not 0x%x", what, names[i], reg(r, i), wanted[i]);
}

static void memories_must_agree(rig *r, const char *what)
{
    static uint8_t mem[65536];
    ck_assert_int_eq(r->chip.ops->read_memory(r->chip.chip, MEM, 0, mem, sizeof mem), OAK_OK);
    for (unsigned at = 0; at < sizeof mem; at++)
        if (mem[at] != r->ref->mem[at])
            ck_abort_msg("%s: 0x%x at 0x%x, not 0x%x", what, mem[at], at, r->ref->mem[at]);
}

/* One instruction on a random machine; false where it is reserved. */
static bool once(rig *r, const uint8_t *bytes, size_t count, uint64_t *seed)
{
    char what[80] = "";
    take_over(r, seed);
    set_reg(r, PC, (uint16_t)(0x100 + r->ref->pc % 0xFD00));
    poke(r, r->ref->pc, bytes, count);
    for (size_t i = 0; i < count; i++)
        snprintf(what + strlen(what), sizeof what - strlen(what), "%02x ", bytes[i]);
    uint64_t before = now(r).cycles;
    uint16_t pc = r->ref->pc;
    int done = refcpu_step(r->ref);
    oak_stop stop = run(r, 1);
    if (done == REFCPU_RESERVED || done == REFCPU_DEBUG) {
        ck_assert_msg(stop.reason == OAK_STOP_FAULT &&
                          stop.fault == (done == REFCPU_DEBUG ? OAK_FAULT_BREAKPOINT : OAK_FAULT_RESERVED),
                      "%s: %d %d", what, stop.reason, stop.fault);
        must_agree(r, what);
        return false;
    }
    if (stop.reason == OAK_STOP_PARKED && r->ref->pc == pc) return true; /* to itself */
    ck_assert_msg(stop.reason == OAK_STOP_STEPS || (done == REFCPU_SLEEPS && stop.reason == OAK_STOP_PARKED),
                  "%s stops by %d, %d at 0x%x", what, stop.reason, stop.fault, stop.fault_address);
    must_agree(r, what);
    if (now(r).cycles - before != r->ref->cycles)
        ck_abort_msg("%s: %u cycles, not %u", what, (unsigned)(now(r).cycles - before), r->ref->cycles);
    if (done == REFCPU_SLEEPS) { /* it sleeps on: begin anew */
        r->chip.ops->reset(r->chip.chip);
        fill(r, seed);
        r->ref->page = 0, r->ref->tmp2 = r->ref->tmp3 = 0;
    }
    return true;
}

static void random_tail(uint8_t *bytes, unsigned from, uint64_t *seed)
{
    for (unsigned i = from; i < 8; i++) bytes[i] = (uint8_t)random32(seed);
}

START_TEST(every_code_does_what_the_second_core_does)
{
    rig r;
    uint64_t seed = 4711;
    uint8_t bytes[8];
    unsigned reserved = 0;
    rig_open(&r);
    fill(&r, &seed);
    for (unsigned code = 0; code < 256; code++)
        for (unsigned round = 0; round < 600; round++) {
            bytes[0] = (uint8_t)code;
            random_tail(bytes, 1, &seed);
            reserved += !once(&r, bytes, 8, &seed);
            if (round % 50 == 0) memories_must_agree(&r, "a code");
        }
    for (unsigned code = 0; code < 256; code++)
        for (unsigned round = 0; round < 400; round++) {
            bytes[0] = 0x18, bytes[1] = (uint8_t)code;
            random_tail(bytes, 2, &seed);
            if (code == 0x3B && round % 4) continue; /* long lists of rules */
            reserved += !once(&r, bytes, 8, &seed);
            if (round % 50 == 0) memories_must_agree(&r, "a code of page 2");
        }
    ck_assert_uint_gt(reserved, 1000);
    rig_close(&r);
}
END_TEST

/* Every postbyte, of every instruction that has one; of moves every pair of them. */
START_TEST(every_postbyte_leads_where_it_should)
{
    rig r;
    uint64_t seed = 12;
    uint8_t bytes[8];
    rig_open(&r);
    fill(&r, &seed);
    static const uint8_t second[] = {0x00, 0x01, 0x05, 0x08, 0x09, 0x0D, 0x18, 0x19,
                                     0x1A, 0x1B, 0x1C, 0x1D, 0x1E, 0x1F, 0x3D, 0x3F};
    for (unsigned code = 0; code < 256; code++) {
        bool indexed = code == 5 || (code >= 0x0C && code <= 0x0F) || code == 0x15 ||
                       (code >= 0x19 && code <= 0x1B) || code == 0x4B || code >> 4 == 6 ||
                       (code >> 4 == 10 && code != 0xA7) || code >> 4 == 14;
        for (unsigned post = 0; indexed && post < 256; post++)
            for (unsigned round = 0; round < 8; round++) {
                bytes[0] = (uint8_t)code, bytes[1] = (uint8_t)post;
                random_tail(bytes, 2, &seed);
                once(&r, bytes, 8, &seed);
            }
        if (code % 16 == 15) memories_must_agree(&r, "postbytes");
    }
    for (unsigned i = 0; i < sizeof second; i++)
        for (unsigned post = 0; post < 256; post++)
            for (unsigned round = 0; round < 8; round++) {
                bytes[0] = 0x18, bytes[1] = second[i], bytes[2] = (uint8_t)post;
                random_tail(bytes, 3, &seed);
                once(&r, bytes, 8, &seed);
            }
    for (unsigned both = 0; both < 0x10000; both++) {
        bytes[0] = 0x18, bytes[1] = both & 1 ? 2 : 10, bytes[2] = (uint8_t)(both >> 8),
        bytes[3] = (uint8_t)both;
        random_tail(bytes, 4, &seed);
        once(&r, bytes, 8, &seed);
    }
    memories_must_agree(&r, "in the end");
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
    for (unsigned program = 0; program < 120; program++) {
        fill(&r, &seed);
        for (unsigned piece = 0; piece < 100; piece++) {
            take_over(&r, &seed);
            unsigned wanted = 1 + random32(&seed) % 400, done = 0, cycles = 0;
            uint64_t before = now(&r).cycles, begun = now(&r).instructions;
            while (done < wanted) {
                uint16_t pc = r.ref->pc;
                uint8_t code = r.ref->mem[pc];
                if (pc > 0xFFF0 || code == 0x3E || (code == 0x18 && r.ref->mem[(uint16_t)(pc + 1)] == 0x3E))
                    break;
                if (refcpu_step(r.ref)) break;
                done++, cycles += r.ref->cycles;
                if (r.ref->pc == pc) break; /* it parks */
            }
            if (!done) continue;
            char what[60];
            snprintf(what, sizeof what, "program %u, piece %u, %u instructions", program, piece, done);
            oak_stop stop = run(&r, done);
            ck_assert_msg(stop.reason == OAK_STOP_STEPS || stop.reason == OAK_STOP_PARKED,
                          "%s: %d fault %d at 0x%x", what, stop.reason, stop.fault, stop.pc);
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

/* Bytes in a and b, words in d, x and y, all flags: what has no operand in memory. */
START_TEST(arithmetic_is_right_on_all_operands)
{
    static const uint8_t on_b[][2] = {{0x18, 0x06}, {0x18, 0x16}, {0x18, 0x17}, {0x12, 0xA7}, {0x18, 0x07},
                                      {0x40, 0xA7}, {0x43, 0xA7}, {0x45, 0xA7}, {0x46, 0xA7}, {0x47, 0xA7},
                                      {0x48, 0xA7}, {0x49, 0xA7}, {0x59, 0xA7}};
    static const uint16_t edges[] = {0,      1,      2,      0x7F,   0x80,   0xFF, 0x100, 0x7FFE,
                                     0x7FFF, 0x8000, 0x8001, 0xFFFE, 0xFFFF, 10,   1000,  0x5555};
    rig r;
    uint64_t seed = 7;
    rig_open(&r);
    for (unsigned i = 0; i < sizeof on_b / sizeof *on_b; i++) {
        poke(&r, 0x1000, on_b[i], 2);
        for (unsigned both = 0; both < 0x10000; both++)
            for (unsigned flags = 0; flags < (i == 4 ? 4u : 2u); flags++) {
                set_reg(&r, PC, 0x1000);
                set_reg(&r, A, (uint16_t)(both >> 8));
                set_reg(&r, B, (uint16_t)(both & 0xFF));
                set_reg(&r, CCR, (uint16_t)((flags & 1) | (flags & 2 ? 0x20 : 0) | 0xD0));
                refcpu_step(r.ref);
                run(&r, 1);
                if (reg(&r, A) != r.ref->a || reg(&r, B) != r.ref->b || reg(&r, CCR) != r.ref->ccr)
                    must_agree(&r, "bytes");
            }
    }
    static const uint8_t words[][2] = {{0x13, 0xA7}, {0x18, 0x13}, {0x11, 0xA7}, {0x18, 0x14}, {0x18, 0x10},
                                       {0x18, 0x11}, {0x18, 0x15}, {0x83, 0x80}, {0xC3, 0x80}};
    for (unsigned i = 0; i < sizeof words / sizeof *words; i++) {
        uint8_t bytes[3] = {words[i][0], words[i][1], 0};
        for (unsigned n = 0; n < 16 * 16 * 16 + 20000; n++) {
            bool edge = n < 16 * 16 * 16;
            uint16_t d = edge ? edges[n % 16] : (uint16_t)random32(&seed),
                     x = edge ? edges[n / 16 % 16] : (uint16_t)random32(&seed),
                     y = edge ? edges[n / 256] : (uint16_t)random32(&seed);
            if (!edge && n % 2) y = (uint16_t)(x ? y % x : y); /* so that quotients fit */
            bytes[2] = (uint8_t)y;
            poke(&r, 0x1000, bytes, 3);
            set_reg(&r, PC, 0x1000);
            set_reg(&r, A, d >> 8), set_reg(&r, B, d & 0xFF), set_reg(&r, X, x), set_reg(&r, Y, y);
            set_reg(&r, CCR, (uint16_t)(random32(&seed) & 0x2F) | 0xD0);
            refcpu_step(r.ref);
            run(&r, 1);
            must_agree(&r, "words");
        }
    }
    /* All flags, and all conditions on them. */
    for (unsigned ccr = 0; ccr < 256; ccr++)
        for (unsigned condition = 0; condition < 32; condition++) {
            uint8_t near[] = {(uint8_t)(0x20 | (condition & 15)), 0x10, 0xA7, 0xA7},
                    far[] = {0x18, (uint8_t)(0x20 | (condition & 15)), 0x20, 0x10};
            poke(&r, 0x1000, condition < 16 ? near : far, 4);
            set_reg(&r, PC, 0x1000);
            set_reg(&r, CCR, (uint16_t)ccr);
            uint64_t before = now(&r).cycles;
            refcpu_step(r.ref);
            run(&r, 1);
            must_agree(&r, "a condition");
            ck_assert_uint_eq(now(&r).cycles - before, r.ref->cycles);
        }
    rig_close(&r);
}
END_TEST

RUN_SUITE("cpu12", every_code_does_what_the_second_core_does, every_postbyte_leads_where_it_should,
          chains_of_code_that_overwrites_itself_agree_with_single_steps, arithmetic_is_right_on_all_operands)
