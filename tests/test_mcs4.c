/* The four-bit core with its chips against a second one: every code, programs as a whole, all banks, chips, status characters and ports; the stack that goes
 * round, edges of pages, and what the source language says. */
#include "reference_mcs4.h"
#include "support.h"

#include <stdio.h>

enum { CODE = 1, RAM, STATUS, RAMPORT, ROMPORT };

typedef struct rig {
    bare on;
    refmcs4 *ref;
    unsigned acc, carry, pc, sp, level, command, sent, test; /* numbers of registers */
} rig;

static void rig_open(rig *r)
{
    bare_open(&r->on, "mcs4");
    r->ref = calloc(1, sizeof *r->ref);
    r->acc = bare_number(&r->on, "acc"), r->carry = bare_number(&r->on, "cy"),
    r->pc = bare_number(&r->on, "pc"), r->sp = bare_number(&r->on, "sp");
    r->level = bare_number(&r->on, "stk0"), r->command = bare_number(&r->on, "cl"),
    r->sent = bare_number(&r->on, "src"), r->test = bare_number(&r->on, "test");
    for (unsigned bank = 0; bank < 4; bank++) r->ref->chip[bank][0].chosen = true; /* as if 0 had been sent */
}

static void rig_close(rig *r)
{
    bare_close(&r->on);
    free(r->ref);
}

static uint8_t cell(rig *r, unsigned space, unsigned at)
{
    uint8_t value = 0xFF;
    if (r->on.chip.ops->read_memory(r->on.chip.chip, space, at, &value, 1))
        ck_abort_msg("no cell %u of space %u", at, space);
    return value;
}

static void put(rig *r, unsigned space, unsigned at, unsigned value)
{
    uint8_t byte = (uint8_t)value;
    if (r->on.chip.ops->write_memory(r->on.chip.chip, space, at, &byte, 1))
        ck_abort_msg("no cell %u of space %u", at, space);
}

/* A new program, all of it. */
static void put_code(rig *r, uint64_t *seed)
{
    for (unsigned at = 0; at < 4096; at++) {
        uint8_t byte = (uint8_t)random32(seed);
        if (byte < 16 || byte == 0xFE || byte == 0xFF || byte == 0xE3) byte = 0xF2;
        r->ref->code[at] = byte;
    }
    if (r->on.chip.ops->write_memory(r->on.chip.chip, CODE, 0, r->ref->code, 4096)) ck_abort_msg("no code");
}

/* Registers at both; the stack of the chip is what the four of the other hold behind the program counter. */
static void take_over(rig *r, uint64_t *seed)
{
    refmcs4 *m = r->ref;
    for (unsigned i = 0; i < 16; i++) bare_set(&r->on, 2 + i, m->index[i] = random32(seed) & 15);
    bare_set(&r->on, r->acc, m->acc = random32(seed) & 15);
    bare_set(&r->on, r->carry, m->carry = random32(seed) & 1);
    bare_set(&r->on, r->test, m->test = random32(seed) & 1);
    m->at = 0;
    for (unsigned i = 0; i < 4; i++) m->address[i] = random32(seed) & 0xFFF;
    bare_set(&r->on, r->pc, m->address[0]);
    bare_set(&r->on, r->sp, 0);
    for (unsigned i = 0; i < 3; i++) bare_set(&r->on, r->level + i, m->address[1 + i]);
}

static void must_agree(rig *r, const char *what)
{
    refmcs4 *m = r->ref;
    for (unsigned i = 0; i < 16; i++)
        if (bare_register(&r->on, 2 + i) != m->index[i])
            ck_abort_msg("%s: r%u is %u, not %u", what, i, bare_register(&r->on, 2 + i), m->index[i]);
    if (bare_register(&r->on, r->acc) != m->acc || bare_register(&r->on, r->carry) != m->carry)
        ck_abort_msg("%s: acc %u cy %u, not %u %u", what, bare_register(&r->on, r->acc),
                     bare_register(&r->on, r->carry), m->acc, m->carry);
    if (bare_register(&r->on, r->pc) != m->address[m->at])
        ck_abort_msg("%s: pc is 0x%x, not 0x%x", what, bare_register(&r->on, r->pc), m->address[m->at]);
    if (bare_register(&r->on, r->command) != m->command)
        ck_abort_msg("%s: cl is %u", what, bare_register(&r->on, r->command));
    for (unsigned level = 1; level < 4; level++) { /* downwards from the top */
        unsigned own = bare_register(&r->on, r->level + (bare_register(&r->on, r->sp) + 3 - level) % 3);
        if (own != m->address[(m->at + 4 - level) % 4])
            ck_abort_msg("%s: level %u is 0x%x, not 0x%x", what, level, own,
                         m->address[(m->at + 4 - level) % 4]);
    }
}

static void chips_must_agree(rig *r, const char *what)
{
    for (unsigned bank = 0; bank < 4; bank++)
        for (unsigned n = 0; n < 4; n++) {
            const refmcs4_chip *chip = &r->ref->chip[bank][n];
            for (unsigned i = 0; i < 64; i++)
                if (cell(r, RAM, bank * 256 + n * 64 + i) != chip->characters[i / 16][i % 16])
                    ck_abort_msg("%s: bank %u, chip %u, character %u", what, bank, n, i);
            for (unsigned i = 0; i < 16; i++)
                if (cell(r, STATUS, bank * 64 + n * 16 + i) != chip->states[i / 4][i % 4])
                    ck_abort_msg("%s: bank %u, chip %u, status %u", what, bank, n, i);
            if (cell(r, RAMPORT, bank * 4 + n) != chip->port)
                ck_abort_msg("%s: bank %u, port %u", what, bank, n);
        }
    for (unsigned n = 0; n < 16; n++)
        if (cell(r, ROMPORT, n) != r->ref->rom_port[n]) ck_abort_msg("%s: ROM port %u", what, n);
}

static void expect_step(rig *r, const char *what)
{
    uint16_t pc = r->ref->address[r->ref->at];
    uint64_t before = bare_time(&r->on).cycles;
    int done = refmcs4_step(r->ref);
    oak_stop stop = bare_run(&r->on, 1);
    if (done) {
        ck_assert_msg(stop.reason == OAK_STOP_FAULT &&
                          stop.fault == (done == REFMCS4_RESERVED ? OAK_FAULT_RESERVED : OAK_FAULT_READ_ONLY),
                      "%s: %d %d", what, stop.reason, stop.fault);
        return;
    }
    if (stop.reason == OAK_STOP_PARKED && r->ref->address[r->ref->at] == pc) return;
    if (stop.reason == OAK_STOP_FAULT && stop.fault == OAK_FAULT_STACK_WRAP)
        return; /* it has done it, and tells */
    ck_assert_msg(stop.reason == OAK_STOP_STEPS, "%s: %d, fault %d", what, stop.reason, stop.fault);
    ck_assert_msg(bare_time(&r->on).cycles - before == r->ref->cycles, "%s: %u cycles", what,
                  (unsigned)(bare_time(&r->on).cycles - before));
}

START_TEST(every_code_does_what_the_second_model_does)
{
    rig r;
    uint64_t seed = 4711;
    rig_open(&r);
    put_code(&r, &seed);
    for (unsigned round = 0; round < 60; round++)
        for (unsigned code = 0; code < 256; code++) {
            char what[60];
            take_over(&r, &seed);
            uint16_t pc = r.ref->address[0];
            if (round % 4 == 0) { /* at the end of a page */
                pc = (uint16_t)((pc & 0xF00) | (254 + round / 4 % 2));
                r.ref->address[0] = pc;
                bare_set(&r.on, r.pc, pc);
            }
            r.ref->code[pc] = (uint8_t)code;
            put(&r, CODE, pc, code);
            snprintf(what, sizeof what, "%02x %02x at 0x%03x", code, r.ref->code[(pc + 1) & 0xFFF], pc);
            expect_step(&r, what);
            must_agree(&r, what);
            if (code == 0xE3 || code < 16 || code > 0xFD) r.ref->code[pc] = 0xF2, put(&r, CODE, pc, 0xF2);
        }
    chips_must_agree(&r, "in the end");
    rig_close(&r);
}
END_TEST

/* Programs of anything, with all banks and chips, as a whole. */
START_TEST(chains_agree_with_single_steps)
{
    rig r;
    uint64_t seed = 99, executed = 0;
    rig_open(&r);
    for (unsigned program = 0; program < 400; program++) {
        put_code(&r, &seed);
        for (unsigned piece = 0; piece < 30; piece++) {
            take_over(&r, &seed);
            unsigned wanted = 1 + random32(&seed) % 300, done = 0, cycles = 0, depth = 0;
            uint64_t before = bare_time(&r.on).cycles, begun = bare_time(&r.on).instructions;
            while (done < wanted) {
                uint16_t pc = r.ref->address[r.ref->at];
                uint8_t code = r.ref->code[pc];
                if ((code >> 4 == 5 && depth == 3) || (code >> 4 == 12 && !depth))
                    break; /* that it goes round stops a run */
                depth += code >> 4 == 5 ? 1 : code >> 4 == 12 ? ~0u : 0;
                if (refmcs4_step(r.ref)) break;
                done++, cycles += r.ref->cycles;
                if (r.ref->address[r.ref->at] == pc) break; /* it may park */
            }
            if (!done) continue;
            oak_stop stop = bare_run(&r.on, done);
            char what[60];
            snprintf(what, sizeof what, "program %u, piece %u, %u instructions", program, piece, done);
            if (stop.reason == OAK_STOP_PARKED) continue;
            ck_assert_msg(stop.reason == OAK_STOP_STEPS, "%s: %d, fault %d", what, stop.reason, stop.fault);
            ck_assert_uint_eq(bare_time(&r.on).instructions - begun, done);
            must_agree(&r, what);
            if (bare_time(&r.on).cycles - before != cycles) ck_abort_msg("%s: cycles", what);
            executed += done;
        }
        chips_must_agree(&r, "a program");
    }
    ck_assert_uint_gt(executed, 100000);
    rig_close(&r);
}
END_TEST

/* A program that fills every character, status character and port of every chip, each with something of its own. */
START_TEST(a_program_fills_all_chips)
{
    static const char source[] =
        "fill:   fim p3, 0            / r6: bank, r7: what is written\n"
        "bank,   fim p0, banks\n"
        "        ld r6\n        clc\n        add r1\n        xch r1\n        fin p1\n        ld r3\n        "
        "dcl\n"
        "        fim p2, 0\n"
        "chip,   src p2\n        ld r7\n        wrm\n        inc r7\n"
        "        isz r5, chip\n"
        "        ld r7\n        wr0\n        iac\n        wr1\n        iac\n        wr2\n        iac\n       "
        " wr3\n        wmp\n        wrr\n"
        "        inc r7\n        isz r4, chip\n"
        "        inc r6\n        ldm 4\n        clc\n        sub r6\n        jcn nz, bank\n"
        "rest,   jun rest\n"
        "        org 0x80\nbanks: db 0, 1, 2, 4\n";
    bench b;
    rig r;
    rig_open(&r);
    bench_open(&b, "mcs4-4k", source);
    for (unsigned at = 0; at < 4096; at++) {
        uint8_t byte;
        if (oak_image_byte(oak_program_image(b.program), at, &byte)) r.ref->code[at] = byte;
    }
    for (unsigned steps = 0; steps < 100000; steps++) {
        uint16_t pc = r.ref->address[0];
        ck_assert_int_eq(refmcs4_step(r.ref), REFMCS4_DONE);
        if (r.ref->address[0] == pc) break;
    }
    ck_assert_int_eq(bench_run(&b, 1000000, UINT64_MAX).stop.reason, OAK_STOP_PARKED);
    unsigned different = 0;
    for (unsigned bank = 0; bank < 4; bank++)
        for (unsigned n = 0; n < 4; n++)
            for (unsigned i = 0; i < 64; i++) {
                char name[60];
                snprintf(name, sizeof name, "ram[%u]", bank * 256 + n * 64 + i);
                ck_assert_int_eq(value_of(&b, name), r.ref->chip[bank][n].characters[i / 16][i % 16]);
                different += r.ref->chip[bank][n].characters[i / 16][i % 16] != 0;
                snprintf(name, sizeof name, "status[%u]", bank * 64 + n * 16 + i / 4);
                ck_assert_int_eq(value_of(&b, name), r.ref->chip[bank][n].states[i / 16][i / 4 % 4]);
                snprintf(name, sizeof name, "M%u", bank * 4 + n);
                ck_assert_int_eq(value_of(&b, name), r.ref->chip[bank][n].port);
            }
    ck_assert_uint_gt(different, 900);
    for (unsigned n = 0; n < 8; n++) {
        char name[20];
        snprintf(name, sizeof name, "C%u", n);
        ck_assert_int_eq(value_of(&b, name), r.ref->rom_port[n]);
    }
    bench_close(&b);
    rig_close(&r);
}
END_TEST

/* Three levels hold; a fourth call is told, and where it is let through, the oldest return is lost. */
START_TEST(the_stack_goes_round_and_tells)
{
    bench b;
    bench_open(&b, "mcs4-4k",
               "main: jms a\nrest: jun rest\na: jms b\n bbl 1\nb: jms c\n bbl 2\nc: nop\n bbl 3\n");
    ck_assert_int_eq(bench_run(&b, 1000, UINT64_MAX).stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "sp"), 0);
    ck_assert_int_eq(value_of(&b, "acc"), 1);
    bench_close(&b);
    bench_open(
        &b, "mcs4-4k",
        "main: jms a\nrest: jun rest\na: jms b\n bbl 1\nb: jms c\n bbl 2\nc: jms d\n bbl 3\nd: bbl 4\n");
    oak_event event = bench_run(&b, 1000, UINT64_MAX);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_STACK_WRAP);
    ck_assert_int_eq(value_of(&b, "pc == &d && sp == 1"), 1);
    event = bench_run(&b, 1000, UINT64_MAX); /* d, c, b and a return; where main was called from is lost */
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_STACK_WRAP);
    bench_close(&b);
    bench_open(&b, "mcs4-4k", "main: nop\n bbl 0\n");
    ck_assert_int_eq(bench_run(&b, 1000, UINT64_MAX).stop.fault, OAK_FAULT_STACK_WRAP);
    bench_close(&b);
}
END_TEST

START_TEST(what_the_manual_writes_is_read)
{
    static const struct {
        const char *source;
        unsigned count;
        uint8_t bytes[6];
        const char *wrong; /* the code of a refusal */
    } all[] = {
        {"LOOP, FIM 0P, 255 / begins\n ISZ R2, LOOP / goes round", 4, {0x20, 0xFF, 0x72, 0x00}, NULL},
        {" src p7\n fin 3p\n jin p3", 3, {0x2F, 0x36, 0x37}, NULL},
        {"x: jcn z, x\n jcn nz, x\n jcn 3, x", 6, {0x14, 0, 0x1C, 0, 0x13, 0}, NULL},
        {" ldm 8/2\n ldm -1", 2, {0xD4, 0xDF}, NULL}, /* no blank: it divides */
        {" bbl 3\n jms 0x123\n jun 0xfff", 5, {0xC3, 0x51, 0x23, 0x4F, 0xFF}, NULL},
        {" fim r2, 5", 0, {0}, "no-such-form"},
        {" src r2", 0, {0}, "no-such-form"},
        {" ldm 16", 0, {0}, "value-range"},
        {" add 3", 0, {0}, "no-such-form"},
        {"far: nop\n org 0x180\n isz r1, far", 0, {0}, "branch-reach"},
        {" org 0xfd\n isz r1, behind\n org 0x120\nbehind: nop", 0, {0}, "branch-reach"},
        {"a: nop\n org 0xfe\n jcn c, a\n", 0, {0}, "branch-reach"}, /* behind it begins the next page */
    };
    oak_part *part = load_part("mcs4-4k");
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        collected diags;
        oak_program *program = assemble(part, all[i].source, &diags);
        if (all[i].wrong) {
            ck_assert_msg(!program && diags.count && !strcmp(diags.one[0].code, all[i].wrong), "%s: %s",
                          all[i].source, diags.count ? diags.one[0].code : "accepted");
            ck_assert_msg(*diags.one[0].hint != 0, "%s: no remedy", all[i].source);
            continue;
        }
        ck_assert_msg(program != NULL, "%s: %s", all[i].source, diags.one[0].message);
        for (unsigned at = 0; at < all[i].count; at++) {
            uint8_t byte = 0;
            ck_assert(oak_image_byte(oak_program_image(program), at, &byte));
            ck_assert_msg(byte == all[i].bytes[at], "%s: %02x at %u", all[i].source, byte, at);
        }
        oak_program_free(program);
    }
    oak_part_free(part);
}
END_TEST

START_TEST(every_code_is_read_back_and_assembles_to_itself)
{
    oak_part *part = load_part("mcs4-4k");
    oak_host host = oak_linux_host();
    uint64_t seed = 5;
    for (unsigned piece = 0; piece < 40; piece++) {
        oak_program *program;
        uint8_t bytes[4096];
        for (unsigned at = 0; at < sizeof bytes; at++)
            bytes[at] = (uint8_t)(at < 0x800 && !piece ? at / 2 : random32(&seed));
        ck_assert_int_eq(oak_program_create(&host, part, &program), OAK_OK);
        ck_assert_int_eq(oak_image_write(oak_program_image(program), 0, bytes, sizeof bytes), OAK_OK);
        oak_program_finish(program);
        must_come_back(program);
        oak_program_free(program);
    }
    oak_part_free(part);
}
END_TEST

RUN_SUITE("mcs4", every_code_does_what_the_second_model_does, chains_agree_with_single_steps,
          a_program_fills_all_chips, the_stack_goes_round_and_tells, what_the_manual_writes_is_read,
          every_code_is_read_back_and_assembles_to_itself)
