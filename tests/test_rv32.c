/* RISC-V, as far as it stands: traps and interrupts, code in RAM, short codes. What compilers make of C is in test_compiled.c. */
#include "support.h"

#include <stdio.h>

/* Two benches with the same program: one runs, the other goes step by step; they must arrive at the same. */
static void same_by_steps(bench *ran, const char *source, const char *what)
{
    bench stepped;
    bench_open(&stepped, "rv32-256k", source);
    while (cycles_of(&stepped) < cycles_of(ran)) {
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
static const char writing[] = "start: li s0, 0x20000100\n li a0, 0\n li t0, 0x80820505\n sw t0, 0(s0)\n jalr s0\n"
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
    } cases[] = {{"addi a0, a0, 31", 2}, {"addi a0, a0, 32", 4},  {"addi a0, a1, 1", 4},   {"addi sp, sp, -512", 2},
                 {"addi s0, sp, 4", 2},  {"addi t0, sp, 4", 4},   {"lw a0, 124(s1)", 2},   {"lw a0, 128(s1)", 4},
                 {"lw a0, 2(s1)", 4},    {"sw a0, -4(sp)", 4},   {"lw a0, 256(sp)", 4},  {"sw a0, 256(sp)", 4},    {"sw t6, 252(sp)", 2},   {"and a0, a0, a1", 2},   {"and a0, a1, a0", 4},
                 {"lui a0, 0", 4},       {"li a0, -32", 2},       {"li a0, 2047", 4},      {"li a0, 2048", 8},
                 {"mv a0, zero", 4},     {"compress off\n nop", 4}, {"compress on\n nop", 2}};
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

RUN_SUITE("rv32", exceptions_lead_to_the_handler_and_back, what_no_handler_takes_ends_the_run,
          a_line_asks_by_its_own_vector, code_in_ram_may_be_written_over, short_codes_are_taken_where_they_fit)
