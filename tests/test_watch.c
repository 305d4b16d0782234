/* Watches of accesses: what every form of instruction reaches, by a list made by hand; ranges, bits, handlers; searching back. */
#include "support.h"

#include <stdio.h>

static oak_watch_kind kind_of(char letter)
{
    return letter == 'r' ? OAK_WATCH_READ : OAK_WATCH_WRITE;
}

static void add(bench *b, const char *what, oak_watch_kind kind)
{
    b->diags.count = 0;
    oak_status status = oak_session_add_watch(b->session, what, kind, &b->sink, NULL);
    if (status) show_collected(&b->diags);
    ck_assert_msg(status == OAK_OK, "no watch of `%s`", what);
}

/* ------------------------------------------------------------------------------------------ every form, 8 bits */

/* The cells that are looked at, each for reads and for writes, and the letter they have in the list below:
 *   n register 3   d a direct byte   b a byte with bits   i where r0 points   t the top of the stack   u the byte above it
 *   x where dptr points   p port 1   e external memory where P2 and r0 point   c code where a + dptr points   v u and the next */
static const struct {
    char letter;
    const char *cell;
} cells[] = {{'n', "iram[3]"},      {'d', "iram[0x30]"},   {'b', "iram[0x25]"},   {'i', "iram[0x40]"},
             {'t', "iram[0x60]"},   {'u', "iram[0x61]"},   {'x', "xram[0x4010]"}, {'p', "P1"},
             {'e', "xram[0x4240]"}, {'c', "code[0x4012]"}, {'s', "iram[0x31]"},   {'o', "iram[0x5f]"},
             {'v', "iram[0x62]"},   {'k', "code[0x106]"}};

/* "nr": register 3 is read; "nw": written; "nr nw": both. */
static const struct {
    const char *instruction, *reaches;
} forms[] = {
    {"add a, r3", "nr"},
    {"add a, 30h", "dr"},
    {"add a, @r0", "ir"},
    {"add a, #5", ""},
    {"addc a, r3", "nr"},
    {"addc a, 30h", "dr"},
    {"addc a, @r0", "ir"},
    {"addc a, #5", ""},
    {"subb a, r3", "nr"},
    {"subb a, 30h", "dr"},
    {"subb a, @r0", "ir"},
    {"subb a, #5", ""},
    {"inc a", ""},
    {"inc r3", "nr nw"},
    {"inc 30h", "dr dw"},
    {"inc @r0", "ir iw"},
    {"inc dptr", ""},
    {"dec a", ""},
    {"dec r3", "nr nw"},
    {"dec 30h", "dr dw"},
    {"dec @r0", "ir iw"},
    {"mul ab", ""},
    {"div ab", ""},
    {"da a", ""},
    {"anl a, r3", "nr"},
    {"anl a, 30h", "dr"},
    {"anl a, @r0", "ir"},
    {"anl a, #5", ""},
    {"anl 30h, a", "dr dw"},
    {"anl 30h, #5", "dr dw"},
    {"anl P1, #5", "pr pw"},
    {"orl a, r3", "nr"},
    {"orl a, 30h", "dr"},
    {"orl a, @r0", "ir"},
    {"orl a, #5", ""},
    {"orl 30h, a", "dr dw"},
    {"orl 30h, #5", "dr dw"},
    {"xrl a, r3", "nr"},
    {"xrl a, 30h", "dr"},
    {"xrl a, @r0", "ir"},
    {"xrl a, #5", ""},
    {"xrl 30h, a", "dr dw"},
    {"xrl 30h, #5", "dr dw"},
    {"clr a", ""},
    {"cpl a", ""},
    {"rl a", ""},
    {"rlc a", ""},
    {"rr a", ""},
    {"rrc a", ""},
    {"swap a", ""},
    {"mov a, r3", "nr"},
    {"mov a, 30h", "dr"},
    {"mov a, P1", "pr"},
    {"mov a, @r0", "ir"},
    {"mov a, #5", ""},
    {"mov r3, a", "nw"},
    {"mov r3, 30h", "nw dr"},
    {"mov r3, #5", "nw"},
    {"mov 30h, a", "dw"},
    {"mov 30h, r3", "dw nr"},
    {"mov 30h, 31h", "dw sr"},
    {"mov 31h, 30h", "sw dr"},
    {"mov P1, 30h", "pw dr"},
    {"mov 30h, P1", "dw pr"},
    {"mov 30h, @r0", "dw ir"},
    {"mov 30h, #5", "dw"},
    {"mov @r0, a", "iw"},
    {"mov @r0, 30h", "iw dr"},
    {"mov @r0, #5", "iw"},
    {"mov dptr, #1234h", ""},
    {"movc a, @a+dptr", "cr"},
    {"movc a, @a+pc", "kr"},
    {"movx a, @r0", "er"},
    {"movx a, @dptr", "xr"},
    {"movx @r0, a", "ew"},
    {"movx @dptr, a", "xw"},
    {"push 30h", "dr uw"},
    {"push P1", "pr uw"},
    {"pop 30h", "dw tr"},
    {"pop P1", "pw tr"},
    {"xch a, r3", "nr nw"},
    {"xch a, 30h", "dr dw"},
    {"xch a, @r0", "ir iw"},
    {"xchd a, @r0", "ir iw"},
    {"clr c", ""},
    {"clr 28h", "bw"},
    {"setb c", ""},
    {"setb 28h", "bw"},
    {"setb P1.4", "pw"},
    {"cpl c", ""},
    {"cpl 28h", "br bw"},
    {"anl c, 28h", "br"},
    {"anl c, /28h", "br"},
    {"orl c, 28h", "br"},
    {"orl c, /28h", "br"},
    {"mov c, 28h", "br"},
    {"mov c, P1.0", "pr"},
    {"mov 28h, c", "bw"},
    {"jc $+4", ""},
    {"jnc $+4", ""},
    {"jb 28h, $+5", "br"},
    {"jnb 28h, $+5", "br"},
    {"jbc 28h, $+5", "br bw"},
    {"jb P1.2, $+5", "pr"},
    {"acall $+8", "uw vw"},
    {"lcall $+8", "uw vw"},
    {"ret", "tr or"},
    {"reti", "tr or"},
    {"ajmp $+8", ""},
    {"ljmp $+8", ""},
    {"sjmp $+8", ""},
    {"jmp @a+dptr", ""},
    {"jz $+4", ""},
    {"jnz $+4", ""},
    {"cjne a, 30h, $+5", "dr"},
    {"cjne a, #5, $+5", ""},
    {"cjne r3, #5, $+5", "nr"},
    {"cjne @r0, #5, $+5", "ir"},
    {"djnz r3, $+4", "nr nw"},
    {"djnz 30h, $+5", "dr dw"},
    {"nop", ""},
};
enum { FORMS = sizeof forms / sizeof *forms, CELLS = sizeof cells / sizeof *cells };

/* Half of the cells at a time: there are 16 watches at most. */
static void check_form(unsigned form, unsigned from, unsigned to)
{
    bench b;
    char source[400];
    /* The place above the instruction is bare, so that nothing else is reached before it. */
    snprintf(
        source, sizeof source,
        " org 0\n ljmp here\n org 103h\nhere: %s\n sjmp $\n sjmp $\n sjmp $\n sjmp $\n org 4012h\n db 1\n",
        forms[form].instruction);
    bench_open(&b, "mcs51-64k", source);
    bench_run(&b, 0, 1);
    static const char *const values[] = {"r0=0x40", "dptr=0x4010",  "sp=0x60",
                                         "a=2",     "iram[0xa0]=0", "iram[0x60]=1"};
    for (size_t i = 0; i < sizeof values / sizeof *values; i++)
        ck_assert_int_eq(oak_session_set(b.session, values[i], &b.sink), OAK_OK);
    uint8_t high = 0x42;
    ck_assert_int_eq(b.chip.ops->write_memory(b.chip.chip, 4, 0xA0, &high, 1), OAK_OK); /* the latch of P2 */
    ck_assert_int_eq(value_of(&b, "sfr[0xa0]"), 0x42);
    for (unsigned i = from; i < to; i++)
        for (const char *k = "rw"; *k; k++) add(&b, cells[i].cell, kind_of(*k));
    bool any = false;
    oak_event event = bench_run(&b, 0, 1);
    for (unsigned i = from; i < to; i++)
        for (unsigned k = 0; k < 2; k++) {
            const oak_watch *watch = oak_session_watch(b.session, 2 * (i - from) + k);
            char wanted[3] = {cells[i].letter, "rw"[k], 0};
            bool expected = strstr(forms[form].reaches, wanted) != NULL;
            ck_assert_msg((watch->hits == 1) == expected, "`%s`: %s %s", forms[form].instruction, watch->text,
                          expected ? "is not seen" : "is seen");
            any = any || expected;
        }
    ck_assert_msg((event.stop.reason == OAK_STOP_WATCH) == any, "`%s`", forms[form].instruction);
    if (any) ck_assert_uint_eq(event.stop.watched_pc, 0x103);
    bench_close(&b);
}

START_TEST(every_form_of_the_8_bit_instructions_reaches_what_the_list_says)
{
    for (unsigned form = 0; form < FORMS; form++) {
        check_form(form, 0, CELLS / 2);
        check_form(form, CELLS / 2, CELLS);
    }
}
END_TEST

START_TEST(the_list_has_every_mnemonic)
{
    static const char *const all[] = {"acall", "add",  "addc", "ajmp",  "anl",  "cjne", "clr",  "cpl",  "da",
                                      "dec",   "div",  "djnz", "inc",   "jb",   "jbc",  "jc",   "jmp",  "jnb",
                                      "jnc",   "jnz",  "jz",   "lcall", "ljmp", "mov",  "movc", "movx", "mul",
                                      "nop",   "orl",  "pop",  "push",  "ret",  "reti", "rl",   "rlc",  "rr",
                                      "rrc",   "setb", "sjmp", "subb",  "swap", "xch",  "xchd", "xrl"};
    for (size_t i = 0; i < sizeof all / sizeof *all; i++) {
        bool found = false;
        size_t length = strlen(all[i]);
        for (unsigned form = 0; form < FORMS; form++) {
            const char *text = forms[form].instruction;
            found = found || (strncmp(text, all[i], length) == 0 && (!text[length] || text[length] == ' '));
        }
        ck_assert_msg(found, "%s is missing", all[i]);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ 32 bits */

/* Words of RAM: a at 0x20000010, b behind it, and so on; the stack from 0x20000108 down. r1 points to a, r2 is 4. */
static const struct {
    const char *part, *instruction, *reaches;
} arm_forms[] = {
    {"armv6m-32k", "ldr r0, [r1]", "ar"},
    {"armv6m-32k", "ldr r0, [r1, #4]", "br"},
    {"armv6m-32k", "ldr r0, [r1, r2]", "br"},
    {"armv6m-32k", "ldrb r0, [r1, #1]", "ar"},
    {"armv6m-32k", "ldrb r0, [r1, #4]", "br"},
    {"armv6m-32k", "ldrh r0, [r1, #2]", "ar"},
    {"armv6m-32k", "ldrsb r0, [r1, r2]", "br"},
    {"armv6m-32k", "str r0, [r1]", "aw"},
    {"armv6m-32k", "str r0, [r1, r2]", "bw"},
    {"armv6m-32k", "strb r0, [r1, #5]", "bw"},
    {"armv6m-32k", "strh r0, [r1, #2]", "aw"},
    {"armv6m-32k", "ldmia r1!, {r3, r4}", "ar br"},
    {"armv6m-32k", "stmia r1!, {r3, r4, r5}", "aw bw cw"},
    {"armv6m-32k", "push {r3}", "tw"},
    {"armv6m-32k", "push {r3, lr}", "tw uw"},
    {"armv6m-32k", "pop {r3}", "sr"},
    {"armv6m-32k", "ldr r0, [sp]", "sr"},
    {"armv6m-32k", "str r0, [sp]", "sw"},
    {"armv6m-32k", "adds r0, r1, r2", ""},
    {"armv6m-32k", "mov r0, r1", ""},
    {"armv6m-32k", "bl elsewhere", ""},
    {"armv7m-256k", "ldr.w r0, [r1]", "ar"},
    {"armv7m-256k", "ldr r0, [r1, #4]!", "br"},
    {"armv7m-256k", "ldr r0, [r1], #4", "ar"},
    {"armv7m-256k", "ldr.w r0, [r1, r2, lsl #1]", "cr"},
    {"armv7m-256k", "str r0, [r1], #8", "aw"},
    {"armv7m-256k", "strb.w r0, [r1, #7]", "bw"},
    {"armv7m-256k", "ldrd r3, r4, [r1]", "ar br"},
    {"armv7m-256k", "strd r3, r4, [r1, #4]", "bw cw"},
    {"armv7m-256k", "ldrex r0, [r1]", "ar"},
    {"armv7m-256k", "ldr.w r0, [r1, #2]", "ar br"}, /* unaligned: both words */
    {"armv7m-256k", "push {r4, r5}", "tw uw"},
};
static const struct {
    char letter;
    const char *cell;
} words[] = {{'a', "mem[0x20000010:4]"}, {'b', "mem[0x20000014:4]"}, {'c', "mem[0x20000018:4]"},
             {'s', "mem[0x20000108:4]"}, {'t', "mem[0x20000104:4]"}, {'u', "mem[0x20000100:4]"}};

START_TEST(loads_and_stores_of_32_bits_reach_what_the_list_says)
{
    for (size_t form = 0; form < sizeof arm_forms / sizeof *arm_forms; form++) {
        bench b;
        char source[500];
        snprintf(source, sizeof source,
                 " dd 0x20000108, start + 1\n org 0x100\nstart: ldr r1, =0x20000010\n movs r2, #4\n%s\n b .\n"
                 "elsewhere: b .\n",
                 arm_forms[form].instruction);
        bench_open(&b, arm_forms[form].part, source);
        bench_run(&b, 0, 2);
        for (unsigned i = 0; i < 6; i++)
            for (const char *k = "rw"; *k; k++) add(&b, words[i].cell, kind_of(*k));
        uint32_t pc;
        b.chip.ops->read_register(b.chip.chip, b.part->architecture->pc_register, &pc);
        oak_event event = bench_run(&b, 0, 1);
        bool any = false;
        for (unsigned i = 0; i < 6; i++)
            for (unsigned k = 0; k < 2; k++) {
                char wanted[3] = {words[i].letter, "rw"[k], 0};
                bool expected = strstr(arm_forms[form].reaches, wanted) != NULL;
                const oak_watch *watch = oak_session_watch(b.session, 2 * i + k);
                ck_assert_msg((watch->hits == 1) == expected, "`%s`: %s %c", arm_forms[form].instruction,
                              words[i].cell, "rw"[k]);
                any = any || expected;
            }
        ck_assert_msg((event.stop.reason == OAK_STOP_WATCH) == any, "`%s`", arm_forms[form].instruction);
        if (any) ck_assert_uint_eq(event.stop.watched_pc, pc);
        bench_close(&b);
    }
}
END_TEST

START_TEST(in_a_block_that_runs_on_a_32_bit_access_is_named_with_its_instruction)
{
    bench b;
    bench_open(
        &b, "armv6m-32k",
        " dd 0x20000108, start + 1\n org 0x100\nstart: ldr r1, =0x20000010\n movs r0, #7\nround: adds r0, "
        "#1\n"
        " str r0, [r1, #8]\nhere: ldr r2, [r1, #4]\nthere: str r2, [r1]\n cmp r0, #200\n bne round\n b .\n");
    add(&b, "mem[0x20000014:4]", OAK_WATCH_READ);
    add(&b, "mem[0x20000010]", OAK_WATCH_WRITE);
    for (unsigned round = 0; round < 3; round++) {
        oak_event event = bench_run(&b, 100000, 0);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_WATCH);
        ck_assert_int_eq(event.watch, 0);
        ck_assert_int_eq(event.stop.watched_pc, value_of(&b, "here"));
        ck_assert_int_eq(event.stop.pc, value_of(&b, "there"));
        ck_assert_int_eq(value_of(&b, "r0"), 8 + (int)round);
        event = bench_run(&b, 100000, 0);
        ck_assert_int_eq(event.watch, 1);
        ck_assert_int_eq(event.stop.watched_pc, value_of(&b, "there"));
    }
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ what is watched */

START_TEST(a_bit_is_watched_without_its_neighbours)
{
    bench b;
    bench_open(
        &b, "mcs51-8k",
        "lamp bit 20h.3\n org 0\nmain: setb 20h.2\n mov c, 20h.4\n setb lamp\nset_again: setb lamp\n mov c, "
        "lamp\n mov 20h, #0\n mov 20h, #4\n jb P1.5, $+3\n jb P1.6, $+3\n sjmp $\n");
    add(&b, "lamp", OAK_WATCH_WRITE);
    add(&b, "lamp", OAK_WATCH_READ);
    add(&b, "lamp", OAK_WATCH_CHANGE);
    add(&b, "P1.6", OAK_WATCH_READ);
    static const struct {
        int watch;
        unsigned address, hits[4];
    } wanted[] = {{0, 0x04, {1, 0, 1, 0}}, {0, 0x06, {2, 0, 1, 0}}, {1, 0x08, {2, 1, 1, 0}},
                  {0, 0x0A, {3, 1, 2, 0}}, {0, 0x0D, {4, 1, 2, 0}}, {3, 0x13, {4, 1, 2, 1}}};
    for (size_t i = 0; i < sizeof wanted / sizeof *wanted; i++) {
        oak_event event = bench_run(&b, 1000, 0);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_WATCH);
        ck_assert_int_eq(event.watch, wanted[i].watch);
        ck_assert_uint_eq(event.stop.watched_pc, wanted[i].address);
        for (unsigned w = 0; w < 4; w++)
            ck_assert_uint_eq(oak_session_watch(b.session, w)->hits, wanted[i].hits[w]);
    }
    ck_assert_int_eq(bench_run(&b, 1000, 0).stop.reason, OAK_STOP_PARKED);
    bench_close(&b);
}
END_TEST

START_TEST(a_stretch_is_watched_whole_and_for_changes_alone)
{
    bench b;
    bench_open(&b, "mcs51-64k",
               " org 0\n mov dptr, #4000h\n mov r7, #6\nround: clr a\n movx @dptr, a\n mov a, r7\n movx "
               "@dptr, a\n inc "
               "dptr\n djnz r7, round\n sjmp $\n");
    add(&b, "xram[0x4002..0x4003]", OAK_WATCH_CHANGE);
    for (unsigned i = 0; i < 2; i++) {
        oak_event event = bench_run(&b, 1000, 0);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_WATCH);
        ck_assert_int_eq(value_of(&b, "dptr"), 0x4002 + (int)i);
        ck_assert_int_eq(value_of(&b, "a"), 4 - (int)i);
    }
    ck_assert_int_eq(bench_run(&b, 1000, 0).stop.reason, OAK_STOP_PARKED);
    oak_session_reset(b.session);
    ck_assert_uint_eq(oak_session_watch(b.session, 0)->hits, 0);
    ck_assert_int_eq(oak_session_enable_watch(b.session, 0, false), OAK_OK);
    add(&b, "xram[0x4002..0x4003]", OAK_WATCH_ACCESS);
    unsigned stops = 0;
    while (bench_run(&b, 1000, 0).stop.reason == OAK_STOP_WATCH) stops++;
    ck_assert_uint_eq(stops, 4);
    ck_assert_uint_eq(oak_session_watch(b.session, 0)->hits, 0);
    ck_assert_int_eq(oak_session_remove_watch(b.session, 1), OAK_OK);
    ck_assert_int_eq(oak_session_remove_watch(b.session, 1), OAK_NOT_FOUND);
    ck_assert_int_eq(oak_session_enable_watch(b.session, 1, true), OAK_NOT_FOUND);
    ck_assert(oak_session_watch(b.session, 1)->removed);
    ck_assert_ptr_null(oak_session_watch(b.session, 2));
    bench_close(&b);
}
END_TEST

START_TEST(the_stack_of_an_interrupt_and_its_handler_are_seen)
{
    bench b;
    bench_open(
        &b, "mcs51-8k",
        " org 0\n ljmp main\n org 0bh\n reti\n org 1bh\n reti\nmain: mov sp, #5fh\n mov TH0, #0e0h\n mov "
        "TH1, "
        "#0c0h\n mov TMOD, #22h\n mov TL1, #0c0h\n setb TR0\n setb TR1\n mov IE, #8ah\nround: sjmp round\n");
    add(&b, "", OAK_WATCH_HANDLER);
    add(&b, "0x1b", OAK_WATCH_HANDLER);
    add(&b, "iram[0x60]", OAK_WATCH_WRITE);
    oak_event event = bench_run(&b, 100000, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_WATCH);
    ck_assert_int_eq(event.stop.pc, 0x1b); /* timer 1 overflows after 64 cycles, timer 0 after 256 */
    ck_assert_uint_eq(event.stop.watched_pc, (uint32_t)value_of(&b, "round"));
    ck_assert_uint_eq(oak_session_watch(b.session, 1)->hits, 1);
    ck_assert_uint_eq(oak_session_watch(b.session, 2)->hits, 1);
    while (bench_run(&b, 100000, 0).stop.pc != 0x0b) continue;
    ck_assert_uint_gt(oak_session_watch(b.session, 0)->hits, oak_session_watch(b.session, 1)->hits);
    bench_close(&b);

    bench_open(&b, "armv6m-32k",
               " dd 0x20000200, main + 1\n org 0x3c\n dd tick + 1\n org 0x100\ntick: bx lr\nmain: ldr r1, "
               "=0xe000e010\n ldr "
               "r0, =999\n str r0, [r1, #4]\n movs r0, #7\n str r0, [r1]\nround: b round\n");
    add(&b, "0x3c", OAK_WATCH_HANDLER);
    event = bench_run(&b, 100000, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_WATCH);
    ck_assert_int_eq(event.stop.pc, value_of(&b, "tick"));
    ck_assert_uint_eq(event.stop.watched_pc, (uint32_t)value_of(&b, "round"));
    add(&b, "mem[0x200001fc:4]", OAK_WATCH_READ); /* the flags, which the return takes back */
    event = bench_run(&b, 100000, 0);
    ck_assert_int_eq(event.watch, 1);
    ck_assert_int_eq(event.stop.pc, value_of(&b, "round"));
    bench_close(&b);
}
END_TEST

START_TEST(depth_and_cycle_are_names_and_what_cannot_be_watched_is_refused)
{
    bench b;
    bench_open(&b, "mcs51-8k",
               "size equ 7\n org 0\n mov r7, #3\n call one\n sjmp $\none: call two\n ret\ntwo: call three\n "
               "ret\nthree: "
               "nop\n ret\n");
    ck_assert_int_eq(value_of(&b, "depth"), 0);
    add(&b, "depth >= 3", OAK_WATCH_HOLDS);
    oak_event event = bench_run(&b, 1000, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_WATCH);
    ck_assert_int_eq(value_of(&b, "depth"), 3);
    ck_assert_int_eq(event.stop.pc, value_of(&b, "three"));
    ck_assert_int_eq(value_of(&b, "cycle"), (int)cycles_of(&b));
    ck_assert_int_eq(cycles_of(&b), 7); /* mov 1, three calls of 2 */
    static const char *const not_settable[] = {"depth=1", "cycle=1"};
    for (unsigned i = 0; i < 2; i++) {
        b.diags.count = 0;
        ck_assert_int_eq(oak_session_set(b.session, not_settable[i], &b.sink), OAK_REFUSED);
        ck_assert_str_eq(b.diags.one[0].code, "not-settable");
    }
    static const struct {
        const char *what;
        oak_watch_kind kind;
    } refused[] = {{"pc", OAK_WATCH_READ},
                   {"dptr.9", OAK_WATCH_READ},
                   {"size", OAK_WATCH_WRITE},
                   {"depth", OAK_WATCH_ACCESS},
                   {"r7 + 1", OAK_WATCH_READ},
                   {"cycle", OAK_WATCH_READ},
                   {"P1.9", OAK_WATCH_READ},
                   {"sfr[0x80..0x90]", OAK_WATCH_CHANGE},
                   {"iram[0x20..0x400]", OAK_WATCH_READ},
                   {"nowhere", OAK_WATCH_WRITE},
                   {"iram[0x30:9]", OAK_WATCH_READ},
                   {"3 +", OAK_WATCH_HOLDS}};
    for (size_t i = 0; i < sizeof refused / sizeof *refused; i++) {
        b.diags.count = 0;
        ck_assert_msg(oak_session_add_watch(b.session, refused[i].what, refused[i].kind, &b.sink, NULL) ==
                          OAK_REFUSED,
                      "%s", refused[i].what);
        ck_assert_uint_eq(b.diags.count, 1);
    }
    for (unsigned i = 0; i < OAK_MOST_WATCHES; i++) add(&b, "iram[0x70]", OAK_WATCH_READ);
    ck_assert_int_eq(oak_session_add_watch(b.session, "iram[0x70]", OAK_WATCH_READ, &b.sink, NULL),
                     OAK_REFUSED);
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ registers of the core */

/* Runs on from stop to stop; the instructions that did it, a line each, up to `most` of them. */
static void doers(bench *b, unsigned most, char *text, size_t room)
{
    text[0] = 0;
    for (unsigned i = 0; i < most; i++) {
        char one[100];
        unsigned size;
        oak_event event = bench_run(b, 1000, 0);
        if (event.stop.reason != OAK_STOP_WATCH) return;
        oak_session_print_instruction(b->session, event.stop.watched_pc, one, sizeof one, &size);
        size_t used = strlen(text);
        snprintf(text + used, room - used, "%s\n", one);
    }
}

/* What each register of a program meets, by hand. The rows one by one are in test_uses.c. */
START_TEST(reads_and_writes_of_registers_are_seen)
{
    static const struct {
        const char *part, *what;
        oak_watch_kind kind;
        const char *seen;
    } cases[] = {
        {"mcs51-8k", "a", OAK_WATCH_READ, "mov r3, a\npush ACC\nsubb a, #0x01\nmovx @dptr, a\njnz end\n"},
        {"mcs51-8k", "a", OAK_WATCH_WRITE, "mov a, #0x05\nclr ACC.0\npop ACC\nsubb a, #0x01\n"},
        {"mcs51-8k", "a.0", OAK_WATCH_WRITE, "mov a, #0x05\nclr ACC.0\npop ACC\nsubb a, #0x01\n"},
        {"mcs51-8k", "a.1", OAK_WATCH_WRITE, "mov a, #0x05\npop ACC\nsubb a, #0x01\n"},
        {"mcs51-8k", "acc", OAK_WATCH_READ, "mov r3, a\npush ACC\nsubb a, #0x01\nmovx @dptr, a\njnz end\n"},
        {"mcs51-8k", "sp", OAK_WATCH_ACCESS, "mov SP, #0x60\npush ACC\npop ACC\n"},
        {"mcs51-8k", "r3", OAK_WATCH_WRITE, "mov r3, a\nmov 0x0b, #0x07\n"}, /* in bank 0, then in bank 1 */
        {"mcs51-8k", "r0", OAK_WATCH_READ, "mov @r0, #0x01\n"},
        {"mcs51-8k", "psw", OAK_WATCH_WRITE, "setb RS0\nsubb a, #0x01\n"},
        {"mcs51-8k", "cy", OAK_WATCH_READ, "subb a, #0x01\n"},
        {"mcs51-8k", "dptr", OAK_WATCH_ACCESS, "mov DPL, #0x01\nmovx @dptr, a\n"},
        {"armv7m-256k", "r0", OAK_WATCH_WRITE, "movs r0, #7\nmoveq r0, #1\nmrs r0, primask\n"},
        {"armv7m-256k", "r0", OAK_WATCH_READ, "cmp r0, #7\nmsr psp, r0\n"},
        {"armv7m-256k", "r2", OAK_WATCH_WRITE, ""}, /* its condition does not hold */
        {"armv7m-256k", "xpsr", OAK_WATCH_READ, "moveq r0, #1\nmovne r2, #2\n"},
        {"armv7m-256k", "lr", OAK_WATCH_ACCESS, "bl sub\npush {r1, lr}\n"},
        {"armv7m-256k", "sp", OAK_WATCH_WRITE, "push {r1, lr}\npop {r1, pc}\n"},
        {"armv7m-256k", "msp", OAK_WATCH_WRITE, "push {r1, lr}\npop {r1, pc}\n"},
        {"armv7m-256k", "psp", OAK_WATCH_WRITE, "msr psp, r0\n"},
        {"armv7m-256k", "primask", OAK_WATCH_READ, "mrs r0, primask\n"},
        {"armv7m-256k", "primask", OAK_WATCH_WRITE, "cpsid i\n"},
        {"armv7m-256k", "r5", OAK_WATCH_WRITE, "strex r5, r4, [r3]\n"},
        {"armv7m-256k", "r4", OAK_WATCH_READ, "strex r5, r4, [r3]\n"},
    };
    static const char source51[] =
        " org 0\nstart: mov sp, #60h\n mov a, #5\n mov r3, a\n clr acc.0\n push acc\n mov @r0, #1\n setb "
        "psw.3\n"
        " mov 0bh, #7\n mov 82h, #1\n pop acc\n subb a, #1\n movx @dptr, a\n jnz end\nend: sjmp $\n";
    static const char source_arm[] = " dd 0x20001000, start + 1\n org 0x100\nstart: movs r0, #7\n cmp r0, "
                                     "#7\n ite eq\n moveq r0, #1\n movne r2, "
                                     "#2\n msr psp, r0\n ldr r3, =0x20000000\n strex r5, r4, [r3]\n cpsid "
                                     "i\n mrs r0, primask\n bl sub\nend: b "
                                     "end\nsub: push {r1, lr}\n pop {r1, pc}\n";
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        bench b;
        char seen[1000];
        bool small = cases[i].part[0] == 'm';
        bench_open(&b, cases[i].part, small ? source51 : source_arm);
        add(&b, cases[i].what, cases[i].kind);
        doers(&b, 10, seen, sizeof seen);
        ck_assert_msg(strcmp(seen, cases[i].seen) == 0, "%s %s, kind %d:\n%s", cases[i].part, cases[i].what,
                      (int)cases[i].kind, seen);
        bench_close(&b);
    }
}
END_TEST

START_TEST(a_pin_of_a_port_of_several_registers_is_read_where_its_levels_are)
{
    bench b;
    char seen[400];
    bench_open(
        &b, "armv7m-256k",
        " dd 0x20001000, start + 1\n org 0x100\nstart: ldr r0, =P0_OUT\n ldr r1, [r0]\n ldrb r2, [r0, #5]\n "
        "ldrb r3, [r0, #4]\n ldr r4, [r0, #4]\n str r4, [r0]\nend: b end\n");
    add(&b, "p0.3", OAK_WATCH_READ);
    doers(&b, 5, seen, sizeof seen);
    ck_assert_str_eq(seen, "ldrb r3, [r0, #4]\nldr r4, [r0, #4]\n");
    b.diags.count = 0;
    ck_assert_int_eq(oak_session_add_watch(b.session, "p0.3", OAK_WATCH_WRITE, &b.sink, NULL), OAK_REFUSED);
    ck_assert_str_eq(b.diags.one[0].message, "several registers drive the pins of this port");
    bench_close(&b);
}
END_TEST

START_TEST(the_last_use_of_a_register_is_found_in_the_past)
{
    bench b;
    oak_event event;
    char text[100];
    unsigned size;
    bench_open(
        &b, "armv7m-256k",
        " dd 0x20001000, start + 1\n org 0x100\nstart: ldr r1, =5000\n movs r4, #9\nwrites: movs r5, #3\n"
        "reads: adds r6, r5, #1\nagain: subs r1, #1\n bne again\nend: b end\n");
    ck_assert_int_eq(oak_session_keep_history(b.session, 0), OAK_OK);
    ck_assert_int_eq(oak_session_run_to(b.session, "end", &(oak_budget){.cycles = 1000000}, &b.sink, &event),
                     OAK_OK);
    ck_assert_int_eq(oak_session_back_access(b.session, "r5", OAK_WATCH_READ, &b.sink, &event), OAK_OK);
    oak_session_print_instruction(b.session, event.stop.pc, text, sizeof text, &size);
    ck_assert_str_eq(text, "adds r6, r5, #1");
    ck_assert_int_eq(oak_session_back_access(b.session, "r5", OAK_WATCH_WRITE, &b.sink, &event), OAK_OK);
    oak_session_print_instruction(b.session, event.stop.pc, text, sizeof text, &size);
    ck_assert_str_eq(text, "movs r5, #3");
    ck_assert_int_eq(oak_session_back_access(b.session, "r5", OAK_WATCH_WRITE, &b.sink, &event),
                     OAK_NOT_FOUND);
    bench_close(&b);
}
END_TEST

START_TEST(a_stop_point_may_serve_once_or_be_removed)
{
    bench b;
    unsigned once, other;
    bench_open(&b, "mcs51-8k", " org 0\nround: inc r7\nhere: inc r6\n sjmp round\n");
    ck_assert_int_eq(oak_session_add_stop(b.session, "here", "r7 == 5", 1, &b.sink, &once), OAK_OK);
    ck_assert_int_eq(oak_session_stop_once(b.session, once), OAK_OK);
    ck_assert_int_eq(oak_session_add_stop(b.session, "round", "r7 == 9", 1, &b.sink, &other), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 1000, 0).stop_point, 0);
    ck_assert_int_eq(value_of(&b, "r7"), 5);
    ck_assert(oak_session_stop_point(b.session, once)->removed);
    ck_assert_int_eq(oak_session_enable_stop(b.session, once, true), OAK_NOT_FOUND);
    ck_assert_int_eq(bench_run(&b, 1000, 0).stop_point, 1);
    ck_assert_int_eq(oak_session_remove_stop(b.session, other), OAK_OK);
    ck_assert_int_eq(oak_session_remove_stop(b.session, other), OAK_NOT_FOUND);
    ck_assert_int_eq(bench_run(&b, 5000, 0).stop.reason, OAK_STOP_CYCLES);
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ searching back */

/* Where the last access was, by stepping forward with a watch from the beginning. */
static uint64_t last_access(const char *source, const char *part, const char *cell, oak_watch_kind kind,
                            uint64_t steps)
{
    bench b;
    uint64_t last = UINT64_MAX;
    bench_open(&b, part, source);
    add(&b, cell, kind);
    for (uint64_t step = 0; step < steps; step++)
        if (bench_run(&b, 0, 1).stop.reason == OAK_STOP_WATCH) last = step;
    bench_close(&b);
    return last;
}

START_TEST(the_last_access_is_found_where_stepping_forward_saw_it)
{
    static const char *const source = " org 0\nmain: mov r0, #40h\nfill: mov @r0, #7\n mov a, 41h\n inc r0\n "
                                      "cjne r0, #50h, fill\n mov 60h, 61h\n"
                                      " mov r7, #200\nwait: djnz r7, wait\n mov 60h, #0\nlast: mov r7, "
                                      "#100\nwait2: djnz r7, wait2\n sjmp main\n";
    static const char *const cells_back[] = {"iram[0x41]", "iram[0x4f]",       "iram[0x60]",
                                             "iram[0x61]", "iram[0x40..0x4f]", "r7"};
    static const oak_watch_kind kinds[] = {OAK_WATCH_READ, OAK_WATCH_WRITE, OAK_WATCH_CHANGE};
    for (size_t c = 0; c < sizeof cells_back / sizeof *cells_back; c++)
        for (size_t k = 0; k < 3; k++)
            for (uint64_t steps = 20; steps < 1200; steps += 233) {
                bench b;
                oak_event event;
                oak_chip_time time;
                bool reg = strcmp(cells_back[c], "r7") == 0;
                if (reg && kinds[k] != OAK_WATCH_CHANGE) continue;
                uint64_t wanted = last_access(source, "mcs51-8k", cells_back[c], kinds[k], steps);
                bench_open(&b, "mcs51-8k", source);
                oak_session_keep_history(b.session, 0);
                bench_run(&b, 0, steps);
                oak_status status =
                    oak_session_back_access(b.session, cells_back[c], kinds[k], &b.sink, &event);
                b.chip.ops->read_time(b.chip.chip, &time);
                ck_assert_msg((status == OAK_OK) == (wanted != UINT64_MAX), "%s", cells_back[c]);
                ck_assert_msg(time.instructions == (status ? steps : wanted),
                              "%s, kind %d, %llu steps: %llu, not %llu", cells_back[c], (int)kinds[k],
                              (unsigned long long)steps, (unsigned long long)time.instructions,
                              (unsigned long long)wanted);
                bench_close(&b);
            }
}
END_TEST

/* Runs with accesses watched stop where single steps see them, on whole programs with devices and interrupts. */
START_TEST(a_run_stops_for_accesses_where_single_steps_do)
{
    static const struct {
        const char *part, *path, *cell;
        oak_watch_kind kind;
    } cases[] = {{"mcs51-8k", "lathe/lathe.asm", "relay", OAK_WATCH_WRITE},
                 {"mcs51-8k", "lathe/lathe.asm", "iram[0x48..0x4f]", OAK_WATCH_READ},
                 {"mcs51-64k", "../speed/sieve51.asm", "xram[0x100..0x11f]", OAK_WATCH_ACCESS},
                 {"mcs51-8k", "lathe/lathe.asm", "P3", OAK_WATCH_READ},
                 {"mcs51-8k", "extractor/extractor.asm", "SBUF", OAK_WATCH_WRITE},
                 {"mcs51-8k", "extractor/extractor.asm", "", OAK_WATCH_HANDLER},
                 {"mcs51-8k", "extractor/extractor.asm", "head", OAK_WATCH_READ},
                 {"armv7m-256k", "kiln/kiln.asm", "power", OAK_WATCH_ACCESS},
                 {"armv7m-256k", "kiln/kiln.asm", "ticks", OAK_WATCH_READ},
                 {"armv7m-256k", "kiln/kiln.asm", "", OAK_WATCH_HANDLER},
                 {"armv6m-32k", "loom/loom.asm", "picks", OAK_WATCH_WRITE}};
    for (size_t c = 0; c < sizeof cases / sizeof *cases; c++) {
        bench fast, slow;
        char path[300];
        unsigned stops = 0;
        snprintf(path, sizeof path, SOURCE_FOLDER "/examples/%s", cases[c].path);
        bench_open_file(&fast, cases[c].part, path);
        bench_open_file(&slow, cases[c].part, path);
        add(&fast, cases[c].cell, cases[c].kind);
        add(&slow, cases[c].cell, cases[c].kind);
        for (; stops < (STRIDE > 1 ? 3 : 10); stops++) {
            oak_event a = bench_run(&fast, 0, 60000), b = {.watch = -1};
            if (a.stop.reason != OAK_STOP_WATCH) break;
            for (unsigned i = 0; i < 60000 && b.stop.reason != OAK_STOP_WATCH; i++)
                b = bench_run(&slow, 0, 1);
            ck_assert_msg(cycles_of(&fast) == cycles_of(&slow) && a.stop.pc == b.stop.pc &&
                              a.stop.watched_pc == b.stop.watched_pc,
                          "%s in %s: stop %u at cycle %llu by 0x%x, stepped at %llu by 0x%x", cases[c].cell,
                          cases[c].path, stops, (unsigned long long)cycles_of(&fast), a.stop.watched_pc,
                          (unsigned long long)cycles_of(&slow), b.stop.watched_pc);
        }
        ck_assert_msg(stops > 0, "%s in %s is never reached", cases[c].cell, cases[c].path);
        bench_close(&fast);
        bench_close(&slow);
    }
}
END_TEST

/* A register of a bank has another value when another bank is selected; `$` is another one behind every instruction. Both also where the chip
 * is left to judge. */
START_TEST(conditions_see_banks_selected_and_places_reached)
{
    static const char source[] =
        " org 0\n mov 8, #5\n mov r2, #90\nround: inc r0\n dec r0\n mov a, r2\n djnz r2, round\n"
        " setb psw.3\nthere: clr psw.3\n setb psw.3\nend: sjmp $\n";
    for (unsigned which = 0; which < 2; which++) {
        bench b;
        bench_open(&b, "mcs51-8k", source);
        oak_session_keep_history(b.session, 0);
        add(&b, which ? "$ == there && a < 50" : "r0 == 5", OAK_WATCH_HOLDS);
        oak_event event = bench_run(&b, 0, 0);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_WATCH);
        ck_assert_int_eq(event.stop.pc, value_of(&b, "there"));
        event = bench_run(&b, 0, 0);
        ck_assert_int_eq(event.stop.reason, which ? OAK_STOP_PARKED : OAK_STOP_WATCH);
        ck_assert_int_eq(event.stop.pc, value_of(&b, "end"));
        bench_close(&b);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ random programs */

/* Instructions that reach memory and come to an end; @0 to @5 are replaced by cells. */
static const char *const pieces51[] = {"inc @0",
                                       "mov @0, @1",
                                       "mov a, @0",
                                       "mov @0, a",
                                       "mov r0, #@2",
                                       "mov @r0, a",
                                       "mov a, @r0",
                                       "xch a, @0",
                                       "add a, @1",
                                       "push @0",
                                       "pop @1",
                                       "mov dptr, #@3",
                                       "movx @dptr, a",
                                       "movx a, @dptr",
                                       "inc dptr",
                                       "djnz @0, $+3",
                                       "orl @0, #1",
                                       "anl @1, a",
                                       "mov r3, @0",
                                       "mov @1, r3",
                                       "inc @r0",
                                       "dec @0",
                                       "mov @0, #@4",
                                       "mov r1, #@2",
                                       "xch a, @r1",
                                       "setb 20h.3",
                                       "cpl 21h.@5",
                                       "clr 20h.@5",
                                       "mov c, 21h.@5",
                                       "mov 20h.@5, c",
                                       "cjne @r1, #@4, $+3",
                                       "xchd a, @r0",
                                       "rl a",
                                       "add a, #@4",
                                       "mov 20h, @0"};

static void random_program51(uint64_t *seed, char *text, size_t room)
{
    size_t used = (size_t)snprintf(
        text, room, " org 0\nagain: mov sp, #5fh\n mov r0, #30h\n mov r1, #31h\n mov dptr, #10h\n");
    for (unsigned i = 0; i < 40; i++) {
        used += (size_t)snprintf(text + used, room - used, " ");
        for (const char *p = pieces51[random32(seed) % (sizeof pieces51 / sizeof *pieces51)];
             *p && used + 20 < room; p++) {
            bool cell = *p == '@' && p[1] >= '0' && p[1] <= '5';
            if (!cell) {
                text[used++] = *p;
                continue;
            }
            p++;
            switch (*p) {
            case '0':
            case '1':
                used += (size_t)snprintf(text + used, room - used, "%uh", 30 + random32(seed) % 4);
                break;
            case '2':
                used += (size_t)snprintf(text + used, room - used, "%uh", 30 + random32(seed) % 4);
                break;
            case '3': used += (size_t)snprintf(text + used, room - used, "1%uh", random32(seed) % 4); break;
            case '4': used += (size_t)snprintf(text + used, room - used, "%u", random32(seed) % 3); break;
            default: used += (size_t)snprintf(text + used, room - used, "%u", random32(seed) % 8); break;
            }
        }
        used += (size_t)snprintf(text + used, room - used, "\n");
    }
    snprintf(text + used, room - used, " sjmp again\n");
}

/* A change is a change, whoever finds it: the chip, or somebody who compares the cells after each instruction. */
START_TEST(changes_in_random_programs_are_those_that_comparing_after_each_step_finds)
{
    uint64_t seed = 77;
    static const char *const stretches[] = {"iram[0x30..0x33]", "iram[0x20..0x21]", "iram[0..7]",
                                            "iram[0x60..0x6f]", "xram[0x10..0x13]"};
    for (unsigned round = 0; round < 30; round++) {
        static char source[8000];
        random_program51(&seed, source, sizeof source);
        const char *stretch = stretches[round % 5];
        bench fast, slow;
        unsigned space, stops = 0;
        uint32_t from, to;
        bench_open(&fast, "mcs51-64k", source);
        bench_open(&slow, "mcs51-64k", source);
        ck_assert_int_eq(oak_session_range(slow.session, stretch, &slow.sink, &space, &from, &to), OAK_OK);
        add(&fast, stretch, OAK_WATCH_CHANGE);
        for (uint64_t steps = 0; steps < 1200; stops++) {
            oak_event event = bench_run(&fast, 0, 1200 - steps);
            oak_chip_time time;
            fast.chip.ops->read_time(fast.chip.chip, &time);
            bool changed = false;
            while (steps < time.instructions) {
                uint8_t before[16], after[16];
                uint32_t pc;
                ck_assert_msg(!changed, "round %u: a change of %s by step %llu is not seen", round, stretch,
                              (unsigned long long)steps);
                slow.chip.ops->read_memory(slow.chip.chip, space, from, before, to - from + 1);
                slow.chip.ops->read_register(slow.chip.chip, slow.part->architecture->pc_register, &pc);
                bench_run(&slow, 0, 1);
                slow.chip.ops->read_memory(slow.chip.chip, space, from, after, to - from + 1);
                changed = memcmp(before, after, to - from + 1) != 0;
                if (changed && steps + 1 == time.instructions) ck_assert_uint_eq(event.stop.watched_pc, pc);
                steps++;
            }
            ck_assert_msg((event.stop.reason == OAK_STOP_WATCH) == changed,
                          "round %u: %s after %llu steps, reason %d", round, stretch,
                          (unsigned long long)steps, (int)event.stop.reason);
            if (event.stop.reason != OAK_STOP_WATCH) break;
        }
        bench_close(&fast);
        bench_close(&slow);
    }
}
END_TEST

/* The same on 32 bits, with stores of every size around a watched word. */
START_TEST(changes_by_random_stores_of_32_bits_are_those_that_comparing_finds)
{
    uint64_t seed = 99;
    for (unsigned round = 0; round < 24; round++) {
        static char source[8000];
        static const char *const stores[] = {"str", "strb", "strh"};
        size_t used = (size_t)snprintf(
            source, sizeof source,
            " dd 0x20000108, start + 1\n org 0x100\nstart: ldr r1, =0x20000010\nagain: adds r0, r0, "
            "#1\n");
        for (unsigned i = 0; i < 30; i++) {
            unsigned size = random32(&seed) % 3, offset = random32(&seed) % 16;
            if (size == 0) offset &= ~3u;
            if (size == 2) offset &= ~1u;
            if (random32(&seed) % 4 == 0)
                used += (size_t)snprintf(source + used, sizeof source - used, " adds r0, #%u\n", offset);
            else if (random32(&seed) % 6 == 0)
                used += (size_t)snprintf(source + used, sizeof source - used,
                                         " stmia r1!, {r0, r2}\n subs r1, #8\n");
            else
                used += (size_t)snprintf(source + used, sizeof source - used, " %s r0, [r1, #%u]\n",
                                         stores[size], offset);
        }
        snprintf(source + used, sizeof source - used, " b again\n");
        bench fast, slow;
        char cell[60];
        uint32_t at = 0x20000010 + random32(&seed) % 14, size = 1 + random32(&seed) % 4;
        snprintf(cell, sizeof cell, "mem[0x%lx..0x%lx]", (unsigned long)at, (unsigned long)at + size - 1);
        bench_open(&fast, round % 2 ? "armv7m-256k" : "armv6m-32k", source);
        bench_open(&slow, round % 2 ? "armv7m-256k" : "armv6m-32k", source);
        add(&fast, cell, OAK_WATCH_CHANGE);
        for (uint64_t steps = 0; steps < 1000;) {
            oak_event event = bench_run(&fast, 0, 1000 - steps);
            oak_chip_time time;
            fast.chip.ops->read_time(fast.chip.chip, &time);
            bool changed = false;
            while (steps < time.instructions) {
                uint8_t before[4], after[4];
                ck_assert_msg(!changed, "round %u: a change of %s is not seen", round, cell);
                slow.chip.ops->read_memory(slow.chip.chip, 1, at, before, size);
                bench_run(&slow, 0, 1);
                slow.chip.ops->read_memory(slow.chip.chip, 1, at, after, size);
                changed = memcmp(before, after, size) != 0;
                steps++;
            }
            ck_assert_msg((event.stop.reason == OAK_STOP_WATCH) == changed, "round %u: %s after %llu steps",
                          round, cell, (unsigned long long)steps);
            if (event.stop.reason != OAK_STOP_WATCH) break;
        }
        bench_close(&fast);
        bench_close(&slow);
    }
}
END_TEST

RUN_SUITE("watch", a_pin_of_a_port_of_several_registers_is_read_where_its_levels_are,
          reads_and_writes_of_registers_are_seen, the_last_use_of_a_register_is_found_in_the_past,
          every_form_of_the_8_bit_instructions_reaches_what_the_list_says, the_list_has_every_mnemonic,
          loads_and_stores_of_32_bits_reach_what_the_list_says,
          in_a_block_that_runs_on_a_32_bit_access_is_named_with_its_instruction,
          a_bit_is_watched_without_its_neighbours, a_stretch_is_watched_whole_and_for_changes_alone,
          the_stack_of_an_interrupt_and_its_handler_are_seen,
          depth_and_cycle_are_names_and_what_cannot_be_watched_is_refused,
          a_stop_point_may_serve_once_or_be_removed, the_last_access_is_found_where_stepping_forward_saw_it,
          a_run_stops_for_accesses_where_single_steps_do, conditions_see_banks_selected_and_places_reached,
          changes_in_random_programs_are_those_that_comparing_after_each_step_finds,
          changes_by_random_stores_of_32_bits_are_those_that_comparing_finds)
