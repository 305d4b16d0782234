/* RV32IMC against a second implementation: every short code, samples of all others, and chains of anything that overwrites itself; traps and
 * interrupts, code in RAM, short codes, the timer, the stack. What compilers make of C is in test_compiled.c. */
#include "reference_rv32.h"
#include "support.h"

#include <stddef.h>
#include <stdio.h>

/* ------------------------------------------------------------------------------------------ the second core */

enum { MEM = 1, PC = 0, MSTATUS = 32, MTVEC, MEPC, MCAUSE, MTVAL, MIE, MIP, MSCRATCH };

typedef struct rig {
    bare on;
    refrv *ref;
} rig;

static void rig_open(rig *r)
{
    bare_open(&r->on, "rv32");
    r->ref = calloc(1, sizeof *r->ref);
    r->ref->mstatus = 0x1800;
}

static void rig_close(rig *r)
{
    bare_close(&r->on);
    free(r->ref);
}

static void set_reg(rig *r, unsigned number, uint32_t value)
{
    refrv *m = r->ref;
    uint32_t *const others[] = {&m->mstatus, &m->mtvec, &m->mepc, &m->mcause,
                                &m->mtval,   &m->mie,   NULL,     &m->mscratch};
    bare_set(&r->on, number, value);
    *(number == PC ? &m->pc : number < MSTATUS ? &m->x[number] : others[number - MSTATUS]) = value;
}

static void poke(rig *r, uint32_t at, const uint8_t *bytes, size_t count)
{
    poke_both(&r->on.chip, MEM, r->ref->mem, at, bytes, count);
}

static void fill(rig *r, uint64_t *seed)
{
    fill_both(&r->on.chip, MEM, r->ref->mem, sizeof r->ref->mem, seed);
}

/* Registers mostly point into the memory, where it is even. */
static void take_over(rig *r, uint64_t *seed)
{
    static const uint32_t corners[] = {0, 1, 2, 31, 0x7FFFFFFF, 0x80000000, UINT32_MAX, 0xFFFE};
    for (unsigned i = 1; i < 32; i++) {
        unsigned kind = random32(seed) % 8;
        set_reg(r, i,
                kind < 4   ? random32(seed) & (kind < 3 ? 0xFFFC : 0xFFFF)
                : kind < 6 ? corners[random32(seed) % 8]
                           : random32(seed));
    }
    set_reg(r, PC, 0x100 + (random32(seed) & 0xF7FE));
    set_reg(r, MTVEC, 0x40 + (random32(seed) & 0x7C));
    set_reg(r, MEPC, random32(seed) & 0xFFFE);
    set_reg(r, MSCRATCH, random32(seed));
    set_reg(r, MIE, 0);
    set_reg(r, MSTATUS, 0x1800 | (random32(seed) & 0x88));
}

static void must_agree(rig *r, const char *what)
{
    const refrv *m = r->ref;
    const uint32_t others[] = {m->mstatus, m->mtvec, m->mepc, m->mcause, m->mtval, m->mie, 0, m->mscratch};
    for (unsigned i = 0; i <= MSCRATCH; i++) {
        uint32_t is = 0, want = i == PC ? m->pc : i < MSTATUS ? m->x[i] : others[i - MSTATUS];
        r->on.chip.ops->read_register(r->on.chip.chip, i, &is);
        if (is != want)
            ck_abort_msg("%s: %s is 0x%x, not 0x%x", what, r->on.part->architecture->registers[i].name, is,
                         want);
    }
}

static void memories_must_agree(rig *r, const char *what)
{
    must_be_alike(&r->on.chip, MEM, r->ref->mem, sizeof r->ref->mem, what);
}

static void step_reference(rig *r, uint64_t *cycles)
{
    r->ref->x[0] = 0;
    refrv_step(r->ref);
    r->ref->time += r->ref->cycles, *cycles += r->ref->cycles;
    r->ref->count += !r->ref->trapped;
}

/* One instruction on both. */
static void once(rig *r, uint32_t code, uint64_t *seed)
{
    uint8_t bytes[4] = {(uint8_t)code, (uint8_t)(code >> 8), (uint8_t)(code >> 16), (uint8_t)(code >> 24)};
    char what[40];
    uint64_t cycles = 0;
    oak_stop stop;
    take_over(r, seed);
    poke(r, r->ref->pc, bytes, sizeof bytes);
    uint32_t pc = r->ref->pc;
    oak_chip_time before = bare_time(&r->on);
    r->ref->time = before.cycles, r->ref->count = before.instructions;
    snprintf(what, sizeof what, "%08x at 0x%x", code, pc);
    step_reference(r, &cycles);
    /* A trap is no instruction: it is taken on the way to the next one, or as far as the cycles go. */
    if (r->on.chip.ops->run(r->on.chip.chip, r->ref->trapped ? before.cycles + cycles : UINT64_MAX,
                            before.instructions + 1, &stop))
        ck_abort_msg("no run");
    if (stop.reason == OAK_STOP_PARKED && r->ref->pc == pc) return;
    if (r->ref->trapped && bare_time(&r->on).instructions > before.instructions)
        ck_abort_msg("%s: is executed", what);
    must_agree(r, what);
    if (bare_time(&r->on).cycles - before.cycles != cycles)
        ck_abort_msg("%s: %u cycles, not %u", what, (unsigned)(bare_time(&r->on).cycles - before.cycles),
                     (unsigned)cycles);
}

START_TEST(every_short_code_does_what_the_second_core_does)
{
    rig r;
    uint64_t seed = 3;
    rig_open(&r);
    fill(&r, &seed);
    for (uint32_t code = 0; code < 0x10000; code += STRIDE)
        for (unsigned round = 0; round < 3 && (code & 3) != 3; round++)
            once(&r, code | random32(&seed) << 16, &seed);
    memories_must_agree(&r, "in the end");
    rig_close(&r);
}
END_TEST

/* Codes of 32 bits: by opcodes that there are, with fields of all kinds. */
static uint32_t some_code(uint64_t *seed)
{
    static const uint8_t opcodes[] = {0x37, 0x17, 0x6F, 0x67, 0x63, 0x03, 0x23, 0x13, 0x33, 0x0F, 0x73};
    static const uint16_t controls[] = {0x300, 0x301, 0x304, 0x305, 0x340, 0x341, 0x342,
                                        0x343, 0x344, 0xB00, 0xB02, 0xB80, 0xB82, 0xC00,
                                        0xC02, 0xC80, 0xC82, 0xF11, 0xF14, 0xC01, 0x7C0};
    static const uint32_t whole[] = {0x00000073, 0x00100073, 0x30200073, 0x0000100F, 0x8330000F};
    uint32_t code = (random32(seed) & ~127u) | opcodes[random32(seed) % sizeof opcodes];
    if (random32(seed) % 64 == 0) code = random32(seed) | 3;
    if (random32(seed) % 64 == 0) code = whole[random32(seed) % 5];
    if (((code & 127) == 0x13 || (code & 127) == 0x33) && random32(seed) % 8) {
        static const uint8_t upper[] = {0, 0, 32, 1};
        if ((code & 127) == 0x33 || (code >> 12 & 3) == 1)
            code = (code & 0x01FFFFFF) | (uint32_t)upper[random32(seed) % 4] << 25;
    }
    if ((code & 127) == 0x73 && code >> 12 & 3 && random32(seed) % 8)
        code = (code & 0xFFFFF) | (uint32_t)controls[random32(seed) % 21] << 20;
    return code == 0x10500073 ? 0x13 : code; /* nothing would wake it */
}

START_TEST(every_full_code_does_what_the_second_core_does)
{
    rig r;
    uint64_t seed = 4;
    rig_open(&r);
    fill(&r, &seed);
    for (unsigned n = 0; n < 400000 / STRIDE; n++) {
        once(&r, some_code(&seed), &seed);
        if (n % 20000 == 0) memories_must_agree(&r, "a code");
    }
    memories_must_agree(&r, "in the end");
    rig_close(&r);
}
END_TEST

/* Programs of anything, over which they write themselves, with traps in a handler of anything, run as a whole. */
START_TEST(chains_of_code_that_overwrites_itself_agree_with_single_steps)
{
    rig r;
    uint64_t seed = 5, executed = 0;
    rig_open(&r);
    for (unsigned program = 0; program < 60 / STRIDE; program++) {
        fill(&r, &seed);
        for (uint32_t at = 0; at < 0xFFF0; at += 4) {
            uint32_t code = random32(&seed) % 2 ? some_code(&seed) : (uint32_t)(random32(&seed) & 0xFFFEFFFD);
            uint8_t bytes[4] = {(uint8_t)code, (uint8_t)(code >> 8), (uint8_t)(code >> 16),
                                (uint8_t)(code >> 24)};
            poke(&r, at, bytes, 4);
        }
        for (unsigned piece = 0; piece < 150; piece++) {
            oak_stop stop;
            uint64_t cycles = 0;
            take_over(&r, &seed);
            oak_chip_time before = bare_time(&r.on);
            r.ref->time = before.cycles, r.ref->count = before.instructions;
            unsigned wanted = 1 + random32(&seed) % 300, done = 0;
            static refrv last; /* its registers, behind the last instruction that was executed */
            uint64_t last_cycles = 0;
            memcpy(&last, r.ref, offsetof(refrv, mem));
            while (done < wanted) {
                uint32_t pc = r.ref->pc;
                step_reference(&r, &cycles);
                bool ends = r.ref->trapped
                                ? pc == r.ref->pc || pc == (r.ref->mtvec & ~3u) || !(r.ref->mtvec & ~3u)
                                : pc == r.ref->pc || r.ref->sleeps; /* it parks */
                if (ends) break;
                if (r.ref->trapped) continue;
                done++, last_cycles = cycles;
                memcpy(&last, r.ref, offsetof(refrv, mem));
            }
            memcpy(r.ref, &last, offsetof(refrv, mem));
            cycles = last_cycles;
            if (!done) continue;
            char what[60];
            snprintf(what, sizeof what, "program %u, piece %u, %u instructions", program, piece, done);
            if (r.on.chip.ops->run(r.on.chip.chip, UINT64_MAX, before.instructions + done, &stop))
                ck_abort_msg("no run");
            if (stop.reason != OAK_STOP_STEPS)
                ck_abort_msg("%s: stops by %d %d at 0x%x", what, stop.reason, stop.fault, stop.pc);
            executed += done;
            must_agree(&r, what);
            if (bare_time(&r.on).cycles - before.cycles != cycles)
                ck_abort_msg("%s: %u cycles, not %u", what,
                             (unsigned)(bare_time(&r.on).cycles - before.cycles), (unsigned)cycles);
        }
        memories_must_agree(&r, "a program");
    }
    ck_assert_uint_gt(executed, 100000 / STRIDE / 2);
    rig_close(&r);
}
END_TEST

/* ------------------------------------------------------------------------------------------ read back */

/* Each code in eight bytes of its own, with a return behind it, reached by a branch out of a table; all are read back and assembled again. Where
 * no jump is among them, those that are instructions must be told as such, and no others. */
enum { IN_A_TABLE = 200 };
static void come_back(const uint32_t *codes, const bool *is_code, unsigned count)
{
    oak_host host = oak_linux_host();
    oak_part *part = load_part("rv32-256k");
    oak_program *program;
    ck_assert_int_eq(oak_program_create(&host, part, &program), OAK_OK);
    oak_image *image = oak_program_image(program);
    uint32_t at = 0;
    static uint32_t slot[20000];
    for (unsigned first = 0; first < count; first += IN_A_TABLE) {
        unsigned some = count - first < IN_A_TABLE ? count - first : IN_A_TABLE;
        uint32_t slots = at + 4 * some + 4, next = slots + 8 * some;
        for (unsigned i = 0; i <= some; i++) { /* beqz a0; behind the last one, j to the next table */
            uint32_t to = i < some ? slots + 8 * i : next, by = to - (at + 4 * i), code;
            if (i < some)
                code = 0x00050063 | (by >> 5 & 63) << 25 | (by >> 1 & 15) << 8 | (by >> 11 & 1) << 7;
            else code = 0x6F | (by >> 1 & 0x3FF) << 21 | (by >> 11 & 1) << 20 | (by >> 12 & 0xFF) << 12;
            uint8_t bytes[4] = {(uint8_t)code, (uint8_t)(code >> 8), (uint8_t)(code >> 16),
                                (uint8_t)(code >> 24)};
            ck_assert_int_eq(oak_image_write(image, at + 4 * i, bytes, 4), OAK_OK);
        }
        for (unsigned i = 0; i < some; i++) {
            uint32_t code = codes[first + i];
            bool wide = (code & 3) == 3;
            uint8_t bytes[6] = {(uint8_t)code,
                                (uint8_t)(code >> 8),
                                wide ? (uint8_t)(code >> 16) : 0x82,
                                wide ? (uint8_t)(code >> 24) : 0x80,
                                0x82,
                                0x80};
            slot[first + i] = slots + 8 * i;
            ck_assert_int_eq(oak_image_write(image, slot[first + i], bytes, wide ? 6 : 4), OAK_OK);
        }
        at = next;
    }
    static const uint8_t end[] = {0x01, 0xA0}; /* j here */
    ck_assert_int_eq(oak_image_write(image, at, end, 2), OAK_OK);
    ck_assert_int_eq(oak_program_finish(program), OAK_OK);
    must_come_back(program);
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    ck_assert_int_eq(oak_look(program, &sink), OAK_OK);
    const char *line = t.bytes;
    for (unsigned i = 0; is_code && i < count; i++) { /* lines come by their addresses */
        char mark[20];
        snprintf(mark, sizeof mark, "; 0x%04x", slot[i]);
        const char *found = strstr(line, mark);
        ck_assert_msg(found != NULL, "%08x", codes[i]);
        while (found > t.bytes && found[-1] != '\n') found--;
        const char *as =
            strstr(found, " ; as "); /* bytes that have a shorter or other way to be written, too */
        bool told = strncmp(found, "        db ", 11) != 0 || (as && as < strchr(found, '\n'));
        if (told != is_code[i]) ck_abort_msg("%08x is read back as %.60s", codes[i], found);
        line = found;
    }
    free(t.bytes);
    oak_program_free(program);
    oak_part_free(part);
}

START_TEST(every_short_code_comes_back)
{
    static uint32_t codes[20000];
    static bool is_code[20000];
    for (unsigned jumps = 0; jumps < 2; jumps++) {
        unsigned count = 0;
        for (uint32_t code = 0; code < 0x10000; code += STRIDE) {
            uint32_t full = refrv_in_full((uint16_t)code);
            bool goes = (full & 127) == 0x6F || (full & 127) == 0x63;
            if ((code & 3) == 3 || goes != jumps) continue;
            codes[count] = code, is_code[count++] = full != 0;
            if (count == sizeof codes / sizeof *codes)
                come_back(codes, jumps ? NULL : is_code, count), count = 0;
        }
        come_back(codes, jumps ? NULL : is_code, count);
    }
}
END_TEST

START_TEST(a_sample_of_full_codes_comes_back)
{
    static uint32_t codes[20000];
    uint64_t seed = 31;
    for (unsigned round = 0; round < (STRIDE > 1 ? 1 : 4); round++) {
        for (unsigned i = 0; i < sizeof codes / sizeof *codes; i++) codes[i] = some_code(&seed);
        come_back(codes, NULL, sizeof codes / sizeof *codes);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ traps, lines, short codes */

/* Two benches with the same program: one runs, the other goes step by step; they must arrive at the same. */
static void same_by_steps(bench *ran, const char *source, const char *what)
{
    bench stepped;
    bench_open(&stepped, "rv32-256k", source);
    while (cycles_of(&stepped) < cycles_of(ran)) { /* a step may be a long sleep */
        oak_event event;
        ck_assert_int_eq(oak_session_step(stepped.session, &event), OAK_OK);
    }
    ck_assert_uint_eq(cycles_of(&stepped), cycles_of(ran));
    ck_assert_int_eq(value_of(&stepped, what), value_of(ran, what));
    bench_close(&stepped);
}

static const char trapping[] =
    "start: la t0, handler\n csrw mtvec, t0\n li s0, 0\n li s1, 0\n ecall\n ebreak\n dw 0\n"
    " li t1, 0x20000001\n lw a0, 0(t1)\n sh a0, 0(t1)\n li t1, 0x30000000\n lb a0, 0(t1)\n sb a0, 0(t1)\n"
    " li t1, 4\n sw a0, 0(t1)\nrest: j rest\n"
    " align 4\nhandler: csrr t2, mcause\n add s0, s0, s0\n add s0, s0, s0\n add s0, s0, s0\n add s0, s0, s0\n"
    " add s0, s0, t2\n addi s1, s1, 1\n csrr t2, mepc\n lhu t3, 0(t2)\n andi t3, t3, 3\n addi t2, t2, 2\n"
    " addi t3, t3, -3\n bnez t3, back\n addi t2, t2, 2\nback: csrw mepc, t2\n mret\n";

START_TEST(exceptions_lead_to_the_handler_and_back)
{
    bench b;
    bench_open(&b, "rv32-256k", trapping);
    oak_event event = bench_run(&b, 2000, UINT64_MAX);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "x9"), 8);
    /* ecall, breakpoint, illegal, uneven load and store, absent load and store, store to flash: the causes, a digit each */
    ck_assert_uint_eq((uint32_t)value_of(&b, "x8"), 0xB3246577u);
    ck_assert_int_eq(value_of(&b, "mtval"), 4);
    ck_assert_int_eq(value_of(&b, "mstatus"), 0x1880);
    same_by_steps(&b, trapping, "x8");
    bench_close(&b);
}
END_TEST

/* Without a handler, or with one that cannot run, the run ends with what was wrong. */
START_TEST(what_no_handler_takes_ends_the_run)
{
    static const struct {
        const char *source;
        oak_fault fault;
    } cases[] = {{" ecall\n", OAK_FAULT_NO_HANDLER},
                 {" dw 0\n", OAK_FAULT_RESERVED},
                 {" li t0, 0x20000002\n lw a0, 0(t0)\n", OAK_FAULT_UNALIGNED},
                 {" li t0, 0x1000\n csrw mtvec, t0\n ecall\n", OAK_FAULT_UNPROGRAMMED},
                 {" la t0, on\n csrw mtvec, t0\n ecall\n align 4\non: ebreak\n", OAK_FAULT_BREAKPOINT},
                 {" li t0, 0x50000000\n jr t0\n", OAK_FAULT_OUTSIDE_CODE}};
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        bench b;
        bench_open(&b, "rv32-256k", cases[i].source);
        oak_event event = bench_run(&b, UINT64_MAX, UINT64_MAX);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_FAULT);
        ck_assert_int_eq(event.stop.fault, cases[i].fault);
        bench_close(&b);
    }
}
END_TEST

static const char ticking[] =
    "start: la t0, table + 1\n csrw mtvec, t0\n li t0, 0x40001000\n li t1, 99\n sw t1, 8(t0)\n li t1, 3\n"
    " sw t1, 0(t0)\n li t1, 1 << 18\n csrw mie, t1\n csrsi mstatus, 8\n li a0, 0\n"
    "again: wfi\n j again\n"
    " align 4\ntable: ds 18 * 4\n org table + 18 * 4\n compress off\n j tick\n compress on\n"
    "tick: li t2, 0x40001000\n li t3, 1\n sw t3, 20(t2)\n addi a0, a0, 1\n mret\n";

START_TEST(a_line_asks_by_its_own_vector)
{
    bench b;
    bench_open(&b, "rv32-256k", ticking);
    bench_run(&b, 10050, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "x10"), 100);
    ck_assert_uint_eq((uint32_t)value_of(&b, "mcause"), 0x80000012u);
    bench other; /* in short runs the same */
    bench_open(&other, "rv32-256k", ticking);
    while (cycles_of(&other) < 10050) bench_run(&other, 10050 - cycles_of(&other) < 7 ? 1 : 7, UINT64_MAX);
    ck_assert_uint_eq(cycles_of(&other), cycles_of(&b));
    ck_assert_int_eq(value_of(&other, "pc * 1000 + x10"), value_of(&b, "pc * 1000 + x10"));
    bench_close(&other);
    bench_close(&b);
}
END_TEST

/* What is written over is decoded again. */
static const char writing[] =
    "start: li s0, 0x20000100\n li a0, 0\n li t0, 0x80820505\n sw t0, 0(s0)\n jalr s0\n"
    " jalr s0\n addi t0, t0, 4\n sw t0, 0(s0)\n jalr s0\n jalr s0\nrest: j rest\n";
START_TEST(code_in_ram_may_be_written_over)
{
    bench b;
    bench_open(&b, "rv32-256k", writing);
    oak_event event = bench_run(&b, 1000, UINT64_MAX);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "x10"), 1 + 1 + 2 + 2);
    same_by_steps(&b, writing, "x10");
    bench_close(&b);
}
END_TEST

START_TEST(short_codes_are_taken_where_they_fit)
{
    static const struct {
        const char *line;
        uint32_t size;
    } cases[] = {
        {"addi a0, a0, 31", 2},    {"addi a0, a0, 32", 4},  {"addi a0, a1, 1", 4}, {"addi sp, sp, -512", 2},
        {"addi s0, sp, 4", 2},     {"addi t0, sp, 4", 4},   {"lw a0, 124(s1)", 2}, {"lw a0, 128(s1)", 4},
        {"lw a0, 2(s1)", 4},       {"sw a0, -4(sp)", 4},    {"lw a0, 256(sp)", 4}, {"sw a0, 256(sp)", 4},
        {"sw t6, 252(sp)", 2},     {"and a0, a0, a1", 2},   {"and a0, a1, a0", 4}, {"lui a0, 0", 4},
        {"li a0, -32", 2},         {"li a0, 2047", 4},      {"li a0, 2048", 8},    {"mv a0, zero", 4},
        {"compress off\n nop", 4}, {"compress on\n nop", 2}};
    oak_part *part = load_part("rv32-256k");
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        char source[200];
        collected diags;
        snprintf(source, sizeof source, " %s\nbehind: j behind\n", cases[i].line);
        oak_program *program = assemble(part, source, &diags);
        if (!program) show_collected(&diags);
        ck_assert_ptr_nonnull(program);
        uint32_t size = (uint32_t)oak_program_find(program, "behind", 6)->value;
        if (size != cases[i].size) printf("%s\n", cases[i].line);
        ck_assert_uint_eq(size, cases[i].size);
        oak_program_free(program);
    }
    collected diags;
    ck_assert_ptr_null(assemble(part, " compress maybe\n", &diags));
    ck_assert_str_eq(diags.one[0].hint, "Write `compress off` or `compress on`.");
    oak_part_free(part);
}
END_TEST

/* A handler that lets interrupts through is interrupted itself, and a trap in that one is a third: each comes back to the one before. */
START_TEST(handlers_nest)
{
    static const char nesting[] =
        "start: li sp, 0x20001000\n la t0, trap\n csrw mtvec, t0\n li t1, MT_CMP\n li t0, -1\n sw t0, 4(t1)\n"
        " li t0, 0x88\n csrw mie, t0\n csrsi mstatus, 8\n li t1, MT_SOFT\n li t0, 1\n sw t0, 0(t1)\n "
        "nop\nrest: j rest\n"
        " align 4\ntrap: addi sp, sp, -32\n sw t0, 28(sp)\n sw t1, 24(sp)\n csrr t0, mepc\n sw t0, 20(sp)\n "
        "csrr t0, mstatus\n sw t0, 16(sp)\n"
        " slli s0, s0, 4\n csrr t0, mcause\n andi t1, t0, 15\n or s0, s0, t1\n addi s1, s1, 1\n"
        " bgez t0, exception\n li t1, MT_SOFT\n sw zero, 0(t1)\n addi t0, t0, -3\n li t1, 0x80000000\n bne "
        "t0, t1, timer\n"
        " li t1, MT_CMP\n sw zero, 0(t1)\n sw zero, 4(t1)\n csrsi mstatus, 8\n nop\n nop\n j out\n"
        "timer: li t1, MT_CMP\n li t0, -1\n sw t0, 4(t1)\ndeep: ecall\n j out\n"
        "exception: lw t0, 20(sp)\n addi t0, t0, 4\n sw t0, 20(sp)\nin: nop\n"
        "out: csrci mstatus, 8\n lw t0, 20(sp)\n csrw mepc, t0\n lw t0, 16(sp)\n csrw mstatus, t0\n lw t1, "
        "24(sp)\n lw t0, 28(sp)\n addi sp, sp, 32\n mret\n";
    bench b;
    bench_open(&b, "rv32-256k", nesting);
    ck_assert_int_eq(oak_session_add_stop(b.session, "in", NULL, 0, &b.sink, NULL), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 5000, UINT64_MAX).stop.reason, OAK_STOP_POINT);
    ck_assert_int_eq(value_of(&b, "s1"), 3);
    ck_assert_int_eq(value_of(&b, "handling"), value_of(&b, "trap"));
    ck_assert_int_eq(value_of(&b, "sp"), 0x20001000 - 3 * 32);
    ck_assert_int_eq(bench_run(&b, 5000, UINT64_MAX).stop.reason,
                     OAK_STOP_CYCLES); /* the timer might come once more */
    ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "rest"));
    ck_assert_int_eq(value_of(&b, "s0"), 0x37B); /* software, timer, ecall */
    ck_assert_int_eq(value_of(&b, "sp"), 0x20001000);
    ck_assert_int_eq(value_of(&b, "handling"), 0);
    ck_assert_int_eq(value_of(&b, "mstatus"), 0x1888);
    oak_service service;
    unsigned served = 0;
    for (unsigned i = 0; b.chip.ops->service(b.chip.chip, i, &service) == OAK_OK; i++) {
        ck_assert_uint_eq(service.count, 1);
        served++;
    }
    ck_assert_uint_eq(served, 3);
    bench_close(&b);
}
END_TEST

/* The machine timer: asks from the moment on, by hand; halves that do not belong together; the software interrupt comes first. */
START_TEST(the_machine_timer_asks_from_its_moment_on)
{
    static const char timing[] =
        "start: la t0, handler\n csrw mtvec, t0\n li t1, MT_CMP\n li t0, 1000\n sw t0, 0(t1)\n sw zero, "
        "4(t1)\n"
        " li t0, 0x88\n csrw mie, t0\n csrsi mstatus, 8\nrest: wfi\n j rest\n"
        " align 4\nhandler: csrr a0, mcause\n csrr a1, mip\n csrr a2, mcycle\n li t1, MT_CMP\n li t0, -1\n"
        " sw t0, 4(t1)\n li t1, MT_SOFT\n sw zero, 0(t1)\n addi a3, a3, 1\n mret\n";
    bench b;
    bench_open(&b, "rv32-256k", timing);
    bench_run(&b, 3000, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "a3"), 1);
    ck_assert_uint_eq((uint32_t)value_of(&b, "a0"), 0x80000007u);
    ck_assert_int_eq(value_of(&b, "a1"), 0x80);
    ck_assert_int_eq(value_of(&b, "a2"), 1000 + 4 + 3 * 2); /* taken at once, and three reads */
    ck_assert_int_eq(value_of(&b, "MT_TIME"), 3000);
    /* Both at once: the software interrupt is served, and the timer behind it. */
    collected diags;
    oak_diag_sink sink = collect(&diags);
    ck_assert_int_eq(oak_session_set(b.session, "MT_CMPH = 0", &sink), OAK_OK);
    ck_assert_int_eq(oak_session_set(b.session, "MT_SOFT = 1", &sink), OAK_OK);
    oak_event event;
    ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK);
    while ((uint32_t)value_of(&b, "mcause") == 0x80000007u && cycles_of(&b) < 4000)
        (void)oak_session_step(b.session, &event);
    ck_assert_uint_eq((uint32_t)value_of(&b, "mcause"), 0x80000003u);
    ck_assert_int_eq(value_of(&b, "mip"), 0x88);
    /* The time is 64 bits, and wraps. */
    ck_assert_int_eq(oak_session_set(b.session, "MT_TIME = 0xfffffff0", &sink), OAK_OK);
    ck_assert_int_eq(value_of(&b, "MT_TIMEH"), 0);
    bench_run(&b, 100, UINT64_MAX);
    ck_assert_int_eq(value_of(&b, "MT_TIMEH"), 1);
    ck_assert_int_eq(value_of(&b, "MT_TIME"), 84);
    bench_close(&b);
    same_by_steps((bench_open(&b, "rv32-256k", timing), bench_run(&b, 1020, UINT64_MAX), &b), timing,
                  "a3 * 65536 + a2");
    bench_close(&b);
}
END_TEST

/* What was put into room on the stack is told by name, and the return address by what it leads to. */
START_TEST(the_stack_is_told_with_what_was_stored)
{
    bench b;
    bench_open(&b, "rv32-256k",
               "start: li sp, 0x20001000\nagain: call outer\nbehind: j again\nouter: addi sp, sp, -32\n sw "
               "ra, 28(sp)\n sw s0, 24(sp)\n"
               " call inner\n lw ra, 28(sp)\n addi sp, sp, 32\n ret\ninner: addi sp, sp, -16\n sw s1, "
               "12(sp)\nhere: nop\n"
               " addi sp, sp, 16\n ret\n");
    ck_assert_int_eq(oak_session_add_stop(b.session, "here", NULL, 0, &b.sink, NULL), OAK_OK);
    bench_run(&b, 1000, UINT64_MAX);
    oak_stack_item items[20];
    size_t count = oak_session_stack(b.session, items, 20);
    ck_assert_uint_eq(count, 12); /* up to where the stack began */
    ck_assert_int_eq(items[3].kind, OAK_STACK_SAVED);
    ck_assert_uint_eq(items[3].number, 9);
    ck_assert_int_eq(items[10].kind, OAK_STACK_SAVED);
    ck_assert_uint_eq(items[10].number, 8);
    ck_assert_int_eq(items[11].kind, OAK_STACK_RETURNS);
    ck_assert_uint_eq(items[11].value, (uint32_t)value_of(&b, "behind"));
    ck_assert(oak_session_is_called(b.session));
    ck_assert_uint_eq(items[11].at, 0x20001000 - 4);
    oak_event event;
    const oak_budget budget = {.cycles = 1000};
    ck_assert_int_eq(oak_session_run_out(b.session, &budget, &b.sink, &event), OAK_OK);
    ck_assert_int_eq(value_of(&b, "sp"), 0x20001000 - 32);
    bench_close(&b);
    /* Room that is made behind lui, and an address in two halves: both begin where sp does. */
    static const char *const begins[] = {"li sp, 0x20001000", "la sp, 0x20001000"};
    for (unsigned i = 0; i < 2; i++) {
        char source[200];
        snprintf(source, sizeof source, "start: %s\n addi sp, sp, -16\n sw s0, 12(sp)\nrest: j rest\n",
                 begins[i]);
        bench_open(&b, "rv32-256k", source);
        bench_run(&b, 1000, UINT64_MAX);
        ck_assert_uint_eq(oak_session_stack(b.session, items, 20), 4);
        bench_close(&b);
    }
}
END_TEST

/* Source, bytes, and what is wrong with others. */
START_TEST(operands_are_read_as_people_write_them)
{
    static const struct {
        const char *line;
        uint32_t code;
    } good[] = {{"lui a0, %hi(0x12345fff)", 0x12346537},
                {"addi a0, a0, %lo(0x12345fff)", 0x157D},
                {"lw a1, %lo(0x20000804)(a0)", 0x80452583},
                {"csrr a0, 0x7c0", 0x7C002573},
                {"csrrwi x0, mscratch, 7", 0x3403D073},
                {"fence rw, w", 0x0310000F},
                {"fence.tso", 0x8330000F},
                {"c.addi s0, -1", 0x147D},
                {"c.lwsp ra, 4(sp)", 0x4092},
                {"c.addi16sp sp, -64", 0x7139},
                {"li a0, 0x12345000", 0x12345537},
                {"li a0, 0x1f000", 0x657D},
                {"rdtime a0", 0xC0102573},
                {"mret", 0x30200073},
                {"lw a0, (a1)", 0x4188},
                {"jalr a0, -4(a1)", 0xFFC58567},
                {"sltz a0, a1", 0x0005A533}};
    static const struct {
        const char *line, *code;
    } bad[] = {{"lui a0, 0x100000", "value-range"},  {"c.sub t3, a0", "no-such-form"},
               {"c.li t0, 40", "value-range"},       {"c.lw a0, 3(a0)", "value-range"},
               {"addi a0, a1, 2048", "value-range"}, {"sw a0, 4", "no-such-form"},
               {"csrw 4096, a0", "value-range"},     {"fence w", "no-such-form"},
               {"a0: nop", "reserved-name"}};
    oak_part *part = load_part("rv32-256k");
    collected diags;
    for (unsigned i = 0; i < sizeof good / sizeof *good; i++) {
        char source[100];
        snprintf(source, sizeof source, " %s\nbehind: j behind\n", good[i].line);
        oak_program *program = assemble(part, source, &diags);
        if (!program) show_collected(&diags);
        uint8_t bytes[4] = {0};
        uint32_t size = (uint32_t)oak_program_find(program, "behind", 6)->value;
        for (unsigned k = 0; k < size; k++)
            ck_assert(oak_image_byte(oak_program_image(program), k, &bytes[k]));
        uint32_t code = (uint32_t)(bytes[0] | bytes[1] << 8) | (uint32_t)(bytes[2] | bytes[3] << 8) << 16;
        ck_assert_msg(code == good[i].code, "%s: %08x, not %08x", good[i].line, code, good[i].code);
        oak_program_free(program);
    }
    for (unsigned i = 0; i < sizeof bad / sizeof *bad; i++) {
        char source[100];
        snprintf(source, sizeof source, "%s%s\n", strchr(bad[i].line, ':') ? "" : " ", bad[i].line);
        ck_assert_ptr_null(assemble(part, source, &diags));
        ck_assert_msg(strcmp(diags.one[0].code, bad[i].code) == 0, "%s: %s", bad[i].line, diags.one[0].code);
    }
    /* What means something in one place only is free elsewhere. */
    oak_program *program = assemble(
        part, "w: ds 4\ntime: ds 4\nstart: la a0, time\n fence w, w\n csrr a1, time\nrest: j rest\n", &diags);
    ck_assert_ptr_nonnull(program);
    oak_program_free(program);
    oak_part_free(part);
}
END_TEST

/* What people write who know other cores, and what they are told. */
START_TEST(wrong_lines_are_told_what_to_write)
{
    static const struct {
        const char *line, *hint;
    } cases[] = {{"mov a0, a1", "Write `mv a0, a1` to copy"},
                 {"lw a0, a1", "Write `lw a0, 0(a1)`"},
                 {"add a0, a1, 5", "Write `addi`"},
                 {"addi a0, 5", "Write `addi a0, a0, 5`"},
                 {"beq a0, start", "`beqz a0, target`"},
                 {"call a0", "Write `jalr a0`"},
                 {"jr start", "Write `j target`"},
                 {"csrr mstatus, a0", "The register comes first"},
                 {"push ra", "Write `addi sp, sp, -16`"},
                 {"bl start", "Write `call target`"},
                 {"cmp a0, a1", "Branches compare"},
                 {"sw a0, start", "Write `la t0, name`"},
                 {"c.sub t3, a0", "Short codes take"},
                 {"c.addi a0", "Forms that exist: `c.addi rdz, imm6`."},
                 {"li a0", "Forms that exist: `li rd, imm`, `li rd, high20`."}};
    oak_part *part = load_part("rv32-256k");
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        char source[100];
        collected diags;
        snprintf(source, sizeof source, "start: %s\n", cases[i].line);
        ck_assert_ptr_null(assemble(part, source, &diags));
        ck_assert_msg(strstr(diags.one[0].hint, cases[i].hint) != NULL, "%s: %s", cases[i].line,
                      diags.one[0].hint);
    }
    oak_part_free(part);
}
END_TEST

/* Read back, the two halves of an address say where they lead together; at the bench, too. */
START_TEST(two_halves_tell_the_address_they_form)
{
    bench b;
    bench_open(&b, "rv32-256k",
               "start: la a0, table\n lw a1, table\n lui a2, %hi(spot)\n sw a1, %lo(spot)(a2)\n lui a3, "
               "0x12\n addi a4, a3, 1\nrest: j rest\n"
               " org 0x900\ntable: dd 5\n org 0x20000ff8\nspot: ds 4\n");
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    ck_assert_int_eq(oak_look(b.program, &sink), OAK_OK);
    unsigned found = 0;
    for (const char *p = t.bytes; (p = strstr(p, "  together ")); p++) found++;
    ck_assert_uint_eq(found, 4);
    ck_assert_ptr_nonnull(strstr(t.bytes, "  together 0x20000ff8\n"));
    free(t.bytes);
    char line[200];
    unsigned size;
    ck_assert_int_eq(oak_session_print_instruction(b.session, 4, line, sizeof line, &size), OAK_OK);
    ck_assert_msg(strstr(line, "; together table") != NULL, "%s", line);
    must_come_back(b.program);
    bench_close(&b);
}
END_TEST

RUN_SUITE("rv32", wrong_lines_are_told_what_to_write, two_halves_tell_the_address_they_form,
          every_short_code_comes_back, a_sample_of_full_codes_comes_back, handlers_nest,
          the_machine_timer_asks_from_its_moment_on, the_stack_is_told_with_what_was_stored,
          operands_are_read_as_people_write_them, every_short_code_does_what_the_second_core_does,
          every_full_code_does_what_the_second_core_does,
          chains_of_code_that_overwrites_itself_agree_with_single_steps,
          exceptions_lead_to_the_handler_and_back, what_no_handler_takes_ends_the_run,
          a_line_asks_by_its_own_vector, code_in_ram_may_be_written_over,
          short_codes_are_taken_where_they_fit)
