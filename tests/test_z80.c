/* The Z80 against a second implementation: every operation code of all pages on random machines, one by one and in chains that overwrite
 * themselves, arithmetic on all operands; interrupts in all modes, r, prefixes, the stack, devices. */
#include "reference_z80.h"
#include "support.h"

#include <stdio.h>

enum { MEM = 1, IO };

typedef struct rig {
    oak_host host;
    oak_part *part;
    oak_machine *machine;
    oak_chip_port chip;
    int number[40]; /* of registers, by the places in `names` */
    refz80 *ref;
} rig;

static const char *const names[] = {"pc", "a",  "f",  "b",  "c",  "d",  "e",  "h",  "l",    "a'",   "f'", "b'", "c'",
                                    "d'", "e'", "h'", "l'", "ix", "iy", "sp", "i",  "r",    "iff1", "iff2", "im"};
enum { NAMES = sizeof names / sizeof *names };

static void rig_open(rig *r)
{
    collected diags;
    oak_diag_sink sink = collect(&diags);
    r->host = oak_linux_host();
    ck_assert_int_eq(oak_part_load(&r->host, SOURCE_FOLDER "/tests/bare/z80.yaml", &sink, &r->part), OAK_OK);
    ck_assert_int_eq(oak_machine_create(&r->host, r->part, &r->machine), OAK_OK);
    r->chip = oak_machine_port(r->machine);
    for (unsigned i = 0; i < NAMES; i++)
        for (unsigned n = 0; n < r->part->architecture->register_count; n++)
            if (!strcmp(names[i], r->part->architecture->registers[n].name)) r->number[i] = (int)n;
    r->ref = calloc(1, sizeof *r->ref);
}

static void rig_close(rig *r)
{
    oak_machine_free(r->machine);
    oak_part_free(r->part);
    free(r->ref);
}

static oak_stop run(rig *r, uint64_t instructions)
{
    oak_stop stop;
    oak_chip_time time;
    r->chip.ops->read_time(r->chip.chip, &time);
    if (r->chip.ops->run(r->chip.chip, UINT64_MAX, time.instructions + instructions, &stop)) ck_abort_msg("no run");
    return stop;
}

static oak_chip_time now(rig *r)
{
    oak_chip_time time;
    r->chip.ops->read_time(r->chip.chip, &time);
    return time;
}

static uint32_t reg(rig *r, unsigned name)
{
    uint32_t value = 0;
    if (r->chip.ops->read_register(r->chip.chip, (unsigned)r->number[name], &value)) ck_abort_msg("no %s", names[name]);
    return value;
}

static void set_reg(rig *r, unsigned name, uint32_t value)
{
    if (r->chip.ops->write_register(r->chip.chip, (unsigned)r->number[name], value)) ck_abort_msg("no %s", names[name]);
}

static void poke(rig *r, unsigned space, uint32_t at, const uint8_t *bytes, size_t count)
{
    if (r->chip.ops->write_memory(r->chip.chip, space, at, bytes, count)) ck_abort_msg("no memory at 0x%x", at);
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
    ck_assert_int_eq(r->chip.ops->read_memory(r->chip.chip, MEM, 0, mem, sizeof mem), OAK_OK);
    ck_assert_int_eq(r->chip.ops->read_memory(r->chip.chip, IO, 0, io, sizeof io), OAK_OK);
    for (unsigned at = 0; at < sizeof mem; at++)
        if (mem[at] != r->ref->mem[at]) ck_abort_msg("%s: 0x%x at 0x%x, not 0x%x", what, mem[at], at, r->ref->mem[at]);
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
} pages[] = {{"", {0}, 0, false},           {"cb", {0xCB}, 1, false},       {"ed", {0xED}, 1, false},
             {"dd", {0xDD}, 1, false},      {"fd", {0xFD}, 1, false},       {"ddcb", {0xDD, 0xCB}, 2, true},
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
            if (!page->count && (code == 0x76 || code == 0xED)) continue; /* halt has a test of its own, 0xed a page */
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
                snprintf(what, sizeof what, "%s %02x (%02x %02x %02x %02x)", page->name, code, bytes[0], bytes[1], bytes[2],
                         bytes[3]);
                uint64_t before = now(&r).cycles;
                refz80 kept = {.pc = r.ref->pc};
                bool known = refz80_step(r.ref);
                oak_stop stop = run(&r, 1);
                if (!known) {
                    reserved++;
                    ck_assert_msg(stop.reason == OAK_STOP_FAULT && stop.fault == OAK_FAULT_RESERVED, "%s", what);
                    ck_assert_msg(stop.pc == kept.pc, "%s", what);
                    break;
                }
                ck_assert_msg(stop.reason == OAK_STOP_STEPS, "%s stops by %d", what, stop.reason);
                must_agree(&r, what);
                if (now(&r).cycles - before != r.ref->t)
                    ck_abort_msg("%s: %u T states, not %u", what, (unsigned)(now(&r).cycles - before), r.ref->t);
                if (round % 20 == 0) memories_must_agree(&r, what);
            }
        }
    memories_must_agree(&r, "in the end");
    ck_assert_uint_eq(reserved, 256 - 64 - 16 + 2); /* of the page 0xed: all but x = 1, less two, and the blocks */
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
            uint64_t before = now(&r).cycles, begun = now(&r).instructions;
            bool known = true;
            while (done < wanted) {
                refz80 *m = r.ref;
                uint16_t pc = m->pc;
                if (m->mem[pc] == 0x76) break;
                /* what is looked at stays as it was when it turns out to be reserved */
                if (m->mem[pc] == 0xED) {
                    uint8_t code = m->mem[(uint16_t)(pc + 1)];
                    known = (code >= 0x40 && code < 0x80 && code != 0x77 && code != 0x7F) || (code >= 0xA0 && code < 0xC0 && code % 8 < 4);
                    if (!known) break;
                }
                refz80_step(m);
                done++, t += m->t;
                if (m->pc == pc && done > 2 && m->t == 12) break; /* jr to itself would park */
            }
            if (!done) continue;
            char what[60];
            snprintf(what, sizeof what, "program %u, piece %u, %u instructions", program, piece, done);
            oak_stop stop = run(&r, done);
            ck_assert_msg(stop.reason == OAK_STOP_STEPS || stop.reason == OAK_STOP_PARKED, "%s: %d", what, stop.reason);
            if (stop.reason == OAK_STOP_PARKED) { /* the model goes on round and round */
                fill(&r, &seed);
                continue;
            }
            ck_assert_uint_eq(now(&r).instructions - begun, done);
            must_agree(&r, what);
            if (now(&r).cycles - before != t) ck_abort_msg("%s: T states", what);
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
    run(r, 1);
    if (reg(r, 1) != m->r8[7] || reg(r, 3) != m->r8[0] || reg(r, 2) != m->f)
        ck_abort_msg("code %02x %02x with a %02x b %02x f %02x: a %02x f %02x, not a %02x f %02x", m->mem[0x100],
                     m->mem[0x101], a, b, f, reg(r, 1), reg(r, 2), m->r8[7], m->f);
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
    static const uint8_t unary[][2] = {{0x27}, {0x2F}, {0x37}, {0x3F}, {0x07}, {0x0F}, {0x17}, {0x1F}, {0x3C}, {0x3D},
                                       {0xED, 0x44}, {0xCB, 0x07}, {0xCB, 0x0F}, {0xCB, 0x17}, {0xCB, 0x1F}, {0xCB, 0x27},
                                       {0xCB, 0x2F}, {0xCB, 0x37}, {0xCB, 0x3F}, {0xF5}};
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
        run(&r, 2);
        ck_assert_uint_eq(reg(&r, 2), f);
        ck_assert_int_eq(r.chip.ops->read_memory(r.chip.chip, MEM, 0x8000, back, 2), OAK_OK);
        ck_assert_mem_eq(word, back, 2);
        for (unsigned which = 0; which < 8; which++) {
            static const uint8_t mask[] = {0x40, 1, 4, 0x80};
            uint8_t jump[] = {(uint8_t)(0xC2 | which << 3), 0x00, 0x90};
            poke(&r, MEM, 0x200, jump, sizeof jump);
            set_reg(&r, 0, 0x200);
            run(&r, 1);
            bool taken = ((f & mask[which / 2]) != 0) == which % 2;
            ck_assert_uint_eq(reg(&r, 0), taken ? 0x9000 : 0x203);
        }
    }
    rig_close(&r);
}
END_TEST

RUN_SUITE("z80", every_code_of_all_seven_pages_does_what_the_second_model_does,
          chains_of_code_that_overwrites_itself_agree_with_single_steps, arithmetic_is_right_on_all_operands,
          all_flags_go_through_the_stack_and_conditions)
