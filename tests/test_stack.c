/* What lies on the stack, and what ran how often: against programs whose answers are known, and against single steps. */
#include "support.h"

#include <stdio.h>

/* ------------------------------------------------------------------------------------------ the stack */

typedef struct wanted_item {
    uint32_t at;
    unsigned bytes;
    oak_stack_kind kind;
    const char *what; /* the place, or the name of the register */
} wanted_item;

static const char *name_of(const bench *b, const oak_stack_item *item, char *text, size_t room)
{
    text[0] = 0;
    if (item->kind == OAK_STACK_SAVED && !item->space)
        snprintf(text, room, "%s", b->part->architecture->registers[item->number].name);
    else if (item->kind == OAK_STACK_SAVED) {
        const oak_part_register *reg = oak_part_register_at(b->part, item->space, item->number);
        if (reg) snprintf(text, room, "%s", reg->name);
        else
            snprintf(text, room, "%s[0x%02x]", b->part->architecture->spaces[item->space].name,
                     (unsigned)item->number);
    } else if (item->kind != OAK_STACK_UNKNOWN) oak_session_name_place(b->session, item->value, text, room);
    return text;
}

static void check_stack(bench *b, const wanted_item *wanted, size_t count)
{
    oak_stack_item items[40];
    char name[80];
    size_t got = oak_session_stack(b->session, items, 40);
    for (size_t i = 0; i < got && i < count; i++) {
        name_of(b, &items[i], name, sizeof name);
        ck_assert_msg(items[i].at == wanted[i].at && items[i].bytes == wanted[i].bytes &&
                          items[i].kind == wanted[i].kind && strcmp(name, wanted[i].what) == 0,
                      "item %zu at 0x%x, %u bytes, kind %d, %s", i, items[i].at, items[i].bytes,
                      (int)items[i].kind, name);
    }
    ck_assert_uint_eq(got, count);
}
#define CHECK_STACK(b, ...)                                                                                  \
    do {                                                                                                     \
        const wanted_item wanted_[] = {__VA_ARGS__};                                                         \
        check_stack(b, wanted_, sizeof wanted_ / sizeof *wanted_);                                           \
    } while (0)

static void run_to(bench *b, const char *place)
{
    oak_event event;
    ck_assert_int_eq(
        oak_session_run_to(b->session, place, &(oak_budget){.cycles = 1000000}, &b->sink, &event), OAK_OK);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_STEP);
}

START_TEST(the_8_bit_stack_is_told_with_what_was_pushed)
{
    bench b;
    bench_open(&b, "mcs51-8k",
               " org 0\n ljmp main\nmain: mov sp, #5fh\n nop\nidle: call outer\nback: sjmp idle\nouter: push "
               "acc\n push "
               "33h\nfirst: call inner\nbehind: pop 33h\n jz early\n pop acc\n ret\nearly: nop\nlate: pop "
               "acc\n ret\n"
               "inner: mov a, #0\n push b\n push psw\ndeep: nop\n pop psw\nhalf: nop\n pop b\n ret\n");
    ck_assert_uint_eq(oak_session_stack(b.session, (oak_stack_item[4]){{0}}, 4), 0); /* before it is set */
    run_to(&b, "idle");
    ck_assert_uint_eq(oak_session_stack(b.session, (oak_stack_item[4]){{0}}, 4), 0);
    run_to(&b, "outer");
    CHECK_STACK(&b, {0x60, 2, OAK_STACK_RETURNS, "back"});
    run_to(&b, "first");
    CHECK_STACK(&b, {0x63, 1, OAK_STACK_SAVED, "iram[0x33]"}, {0x62, 1, OAK_STACK_SAVED, "ACC"},
                {0x60, 2, OAK_STACK_RETURNS, "back"});
    run_to(&b, "deep");
    CHECK_STACK(&b, {0x67, 1, OAK_STACK_SAVED, "PSW"}, {0x66, 1, OAK_STACK_SAVED, "B"},
                {0x64, 2, OAK_STACK_RETURNS, "behind"}, {0x63, 1, OAK_STACK_SAVED, "iram[0x33]"},
                {0x62, 1, OAK_STACK_SAVED, "ACC"}, {0x60, 2, OAK_STACK_RETURNS, "back"});
    ck_assert_int_eq(value_of(&b, "depth"), 2);
    run_to(&b, "half");
    CHECK_STACK(&b, {0x66, 1, OAK_STACK_SAVED, "B"}, {0x64, 2, OAK_STACK_RETURNS, "behind"},
                {0x63, 1, OAK_STACK_SAVED, "iram[0x33]"}, {0x62, 1, OAK_STACK_SAVED, "ACC"},
                {0x60, 2, OAK_STACK_RETURNS, "back"});
    run_to(&b, "early"); /* behind a return in the middle: acc is still there */
    CHECK_STACK(&b, {0x62, 1, OAK_STACK_SAVED, "ACC"}, {0x60, 2, OAK_STACK_RETURNS, "back"});
    oak_stack_item two[2];
    run_to(&b, "deep");
    ck_assert_uint_eq(oak_session_stack(b.session, two, 2), 2); /* no more than there is room for */
    bench_close(&b);
}
END_TEST

START_TEST(interrupts_on_the_8_bit_stack_are_told_also_one_in_the_other)
{
    bench b;
    bench_open(
        &b, "mcs51-8k",
        " org 0\n ljmp main\n org 0bh\n ljmp slow\n org 1bh\n ljmp quick\nmain: mov sp, #5fh\n mov TH0, "
        "#0c0h\n mov "
        "TH1, #0e0h\n mov TMOD, #22h\n mov TL0, #0c0h\n mov IP, #8\n setb TR0\n mov IE, #8ah\nround: sjmp "
        "round\nslow: push acc\n setb TR1\ninside: nop\n sjmp inside\nquick: push psw\nhere: nop\n pop psw\n "
        "reti\n");
    run_to(&b, "inside");
    CHECK_STACK(&b, {0x62, 1, OAK_STACK_SAVED, "ACC"}, {0x60, 2, OAK_STACK_INTERRUPTED, "round"});
    run_to(&b, "here");
    oak_stack_item items[8];
    char name[80];
    ck_assert_uint_eq(oak_session_stack(b.session, items, 8), 4);
    ck_assert_str_eq(name_of(&b, &items[0], name, sizeof name), "PSW");
    ck_assert_int_eq(items[1].kind, OAK_STACK_INTERRUPTED);
    ck_assert_int_eq(strncmp(name_of(&b, &items[1], name, sizeof name), "inside", 6), 0);
    ck_assert_str_eq(name_of(&b, &items[2], name, sizeof name), "ACC");
    ck_assert_str_eq(name_of(&b, &items[3], name, sizeof name), "round");
    ck_assert_int_eq(value_of(&b, "depth"), 2);
    bench_close(&b);
}
END_TEST

START_TEST(the_32_bit_stack_is_told_with_frames_of_exceptions)
{
    bench b;
    bench_open(&b, "armv7m-256k",
               " dd 0x20000200, main + 1\n org 0x3c\n dd tick + 1\n org 0x100\nmain: ldr r1, =0xe000e010\n "
               "ldr r0, =199\n str r0, "
               "[r1, #4]\n movs r0, #7\n movs r4, #4\n movs r5, #5\nidle: bl outer\nback: b idle\nouter: "
               "push {r4, r5, "
               "lr}\n sub sp, #8\nwithin: bl leaf\nbehind: add sp, #8\n pop {r4, r5, pc}\nleaf: "
               "nop\nin_leaf: str r0, [r1]\nspin: b "
               "spin\ntick: push {r6, lr}\nin_tick: pop {r6, pc}\n");
    run_to(&b, "idle");
    ck_assert_uint_eq(oak_session_stack(b.session, (oak_stack_item[4]){{0}}, 4), 0);
    run_to(&b, "outer"); /* the link register alone knows */
    ck_assert_uint_eq(oak_session_stack(b.session, (oak_stack_item[4]){{0}}, 4), 0);
    run_to(&b, "within");
    CHECK_STACK(&b, {0x200001EC, 4, OAK_STACK_UNKNOWN, ""}, {0x200001F0, 4, OAK_STACK_UNKNOWN, ""},
                {0x200001F4, 4, OAK_STACK_SAVED, "r4"}, {0x200001F8, 4, OAK_STACK_SAVED, "r5"},
                {0x200001FC, 4, OAK_STACK_RETURNS, "back"});
    run_to(&b, "in_tick");
    /* the frame is aligned to 8 bytes: 5 words of outer, one of nothing, 8 of the frame, 2 of the handler */
    CHECK_STACK(&b, {0x200001C0, 4, OAK_STACK_SAVED, "r6"}, {0x200001C4, 4, OAK_STACK_SAVED, "lr"},
                {0x200001C8, 4, OAK_STACK_SAVED, "r0"}, {0x200001CC, 4, OAK_STACK_SAVED, "r1"},
                {0x200001D0, 4, OAK_STACK_SAVED, "r2"}, {0x200001D4, 4, OAK_STACK_SAVED, "r3"},
                {0x200001D8, 4, OAK_STACK_SAVED, "r12"}, {0x200001DC, 4, OAK_STACK_SAVED, "lr"},
                {0x200001E0, 4, OAK_STACK_INTERRUPTED, "spin"}, {0x200001E4, 4, OAK_STACK_SAVED, "xpsr"},
                {0x200001E8, 4, OAK_STACK_UNKNOWN, ""}, {0x200001EC, 4, OAK_STACK_UNKNOWN, ""},
                {0x200001F0, 4, OAK_STACK_UNKNOWN, ""}, {0x200001F4, 4, OAK_STACK_SAVED, "r4"},
                {0x200001F8, 4, OAK_STACK_SAVED, "r5"}, {0x200001FC, 4, OAK_STACK_RETURNS, "back"});
    ck_assert_int_eq(value_of(&b, "depth"), 2);
    bench_close(&b);
}
END_TEST

/* Large room for variables, made and given back by the 32-bit forms; registers stored there are no words of their own. */
START_TEST(room_on_the_32_bit_stack_is_passed_over)
{
    bench b;
    bench_open(
        &b, "armv7m-256k",
        " dd 0x20004000, main + 1\n org 0x100\nmain: bl outer\nback: b .\nouter: stmdb sp!, {r4, lr}\n"
        " sub sp, sp, #1024\n subw sp, sp, #12\n stm sp, {r0, r1, r2}\n push {r7}\n bl leaf\nbehind: "
        "pop {r7}\n addw sp, sp, #12\n add sp, sp, #1024\nfreed: ldm sp!, {r4, pc}\nleaf: nop\nin_leaf: "
        "bx lr\n");
    run_to(&b, "behind");
    oak_stack_item items[300];
    char name[80];
    ck_assert_uint_eq(oak_session_stack(b.session, items, 300), 1 + 3 + 256 + 2);
    ck_assert_str_eq(name_of(&b, &items[0], name, sizeof name), "r7");
    for (unsigned i = 1; i < 260; i++) ck_assert_int_eq(items[i].kind, OAK_STACK_UNKNOWN);
    ck_assert_str_eq(name_of(&b, &items[260], name, sizeof name), "r4");
    ck_assert_int_eq(items[261].kind, OAK_STACK_RETURNS);
    ck_assert_str_eq(name_of(&b, &items[261], name, sizeof name), "back");
    ck_assert_int_eq(value_of(&b, "depth"), 1);
    ck_assert_uint_eq(oak_session_stack(b.session, items, 7), 7); /* no more than there is room for */
    run_to(&b, "freed");
    CHECK_STACK(&b, {0x20003FF8, 4, OAK_STACK_SAVED, "r4"}, {0x20003FFC, 4, OAK_STACK_RETURNS, "back"});
    run_to(&b, "back");
    ck_assert_int_eq(value_of(&b, "depth"), 0);
    bench_close(&b);
}
END_TEST

START_TEST(a_stack_that_the_code_does_not_explain_still_shows_what_points_behind_calls)
{
    bench b;
    /* A stack made by hand: the bytes of the place behind the call lie there, though nobody has called. */
    bench_open(&b, "mcs51-8k",
               " org 0\nmain: mov sp, #5fh\n mov a, #low(back)\n push acc\n mov a, #high(back)\n push acc\n "
               "mov 70h, #1\n push "
               "70h\nhere: sjmp here\nelse_where: call sub\nback: sjmp back\nsub: ret\n");
    run_to(&b, "here");
    oak_stack_item items[8];
    size_t count = oak_session_stack(b.session, items, 8);
    ck_assert_uint_ge(count, 2);
    bench_close(&b);
    /* An image without source: no entries are known, return addresses are. */
    bench_open(&b, "mcs51-8k", " org 0\n mov sp, #5fh\n call sub\nback: sjmp back\nsub: sjmp sub\n");
    run_to(&b, "sub");
    oak_session_close(b.session);
    ck_assert_int_eq(oak_session_open(&b.host, &b.chip, NULL, &b.session), OAK_OK);
    ck_assert_uint_ge(oak_session_stack(b.session, items, 8), 1);
    ck_assert_int_eq(items[0].kind, OAK_STACK_RETURNS);
    ck_assert_uint_eq(items[0].value, 5);
    bench_close(&b);
}
END_TEST

/* The return addresses of the whole walk, against calls and returns counted step by step. */
START_TEST(the_depth_is_what_calls_and_returns_make_of_it)
{
    static const struct {
        const char *part, *name;
        unsigned from, steps;
    } cases[] = {{"mcs51-8k", "lathe", 200, 4000},
                 {"mcs51-8k", "extractor", 200, 6000},
                 {"armv7m-256k", "kiln", 5000, 3000}};
    for (size_t c = 0; c < sizeof cases / sizeof *cases; c++) {
        bench b;
        char path[300];
        long long depth = 0;
        unsigned wrong = 0;
        snprintf(path, sizeof path, SOURCE_FOLDER "/examples/%s/%s.asm", cases[c].name, cases[c].name);
        bench_open_file(&b, cases[c].part, path);
        bool words = b.part->architecture->word_bytes > 1;
        bench_run(&b, 0, cases[c].from);
        while (value_of(&b, "depth") || value_of(&b, "handling")) bench_run(&b, 0, 1);
        for (unsigned i = 0; i < cases[c].steps; i++) {
            uint32_t pc = 0;
            char text[100];
            unsigned size;
            long long before = value_of(&b, "handling"), after;
            b.chip.ops->read_register(b.chip.chip, b.part->architecture->pc_register, &pc);
            oak_session_print_instruction(b.session, pc, text, sizeof text, &size);
            bench_run(&b, 0, 1);
            after = value_of(&b, "handling");
            bool call = strstr(text, "call") == text + 1 || strncmp(text, "bl ", 3) == 0;
            bool back = strncmp(text, "ret", 3) == 0 || strcmp(text, "bx lr") == 0 ||
                        (strncmp(text, "pop", 3) == 0 && strstr(text, "pc"));
            if (call) depth++;
            if (back) depth--;
            if (after && after != before && !back) depth++; /* an interrupt came behind it */
            if (!words)
                ck_assert_msg(value_of(&b, "depth") == depth, "%s: `%s` at 0x%x, step %u: %lld, not %lld",
                              cases[c].name, text, pc, i, value_of(&b, "depth"), depth);
            else { /* a link register may hold one more, or the frame of an exception that ends at once another */
                long long told = value_of(&b, "depth");
                wrong += told != depth && told + 1 != depth;
            }
        }
        ck_assert_msg(wrong <= cases[c].steps / 50, "%s: %u of %u differ", cases[c].name, wrong,
                      cases[c].steps);
        bench_close(&b);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ what ran */

typedef struct tallies {
    uint64_t times[0x4000], cycles[0x4000];
} tallies;

static void tally_by_steps(bench *b, tallies *into, unsigned steps)
{
    memset(into, 0, sizeof *into);
    for (unsigned i = 0; i < steps; i++) {
        uint32_t pc = 0;
        uint64_t before = cycles_of(b);
        b->chip.ops->read_register(b->chip.chip, b->part->architecture->pc_register, &pc);
        bench_run(b, 0, 1);
        into->times[pc]++;
        into->cycles[pc] += cycles_of(b) - before;
    }
}

START_TEST(what_is_counted_is_what_single_steps_execute)
{
    static const struct {
        const char *part, *name;
        unsigned steps;
        bool
            interrupts; /* a step may take one first, and execute another instruction than the one that came next */
    } cases[] = {{"mcs51-8k", "examples/lathe/lathe", 20000, false},
                 {"mcs51-8k", "examples/extractor/extractor", 20000, true},
                 {"armv7m-256k", "speed/sieve_arm", 20000, false},
                 {"armv7m-256k", "examples/kiln/kiln", 20000, true},
                 {"armv6m-32k", "examples/loom/loom", 20000, true}};
    static tallies wanted;
    for (size_t c = 0; c < sizeof cases / sizeof *cases; c++) {
        bench slow, fast;
        char path[300];
        uint64_t times = 0, cycles = 0;
        oak_tally one;
        snprintf(path, sizeof path, SOURCE_FOLDER "/%s.asm", cases[c].name);
        bench_open_file(&slow, cases[c].part, path);
        bench_open_file(&fast, cases[c].part, path);
        tally_by_steps(&slow, &wanted, cases[c].steps);
        ck_assert_int_eq(oak_session_counted(fast.session, 0, &one), OAK_UNSUPPORTED);
        ck_assert_int_eq(oak_session_count(fast.session, true), OAK_OK);
        bench_run(&fast, 0, cases[c].steps);
        ck_assert_uint_eq(cycles_of(&fast), cycles_of(&slow));
        for (uint32_t at = 0; at < 0x4000; at++) {
            if (oak_session_counted(fast.session, at, &one)) continue;
            ck_assert_msg(cases[c].interrupts || one.times == wanted.times[at],
                          "%s at 0x%x: %llu times, stepped %llu", cases[c].name, at,
                          (unsigned long long)one.times, (unsigned long long)wanted.times[at]);
            if (!cases[c].interrupts) ck_assert_uint_eq(one.cycles, wanted.cycles[at]);
            times += one.times;
            cycles += one.cycles;
        }
        oak_chip_time time; /* the loom may have gone to sleep for good */
        fast.chip.ops->read_time(fast.chip.chip, &time);
        ck_assert_uint_eq(times, time.instructions);
        ck_assert_uint_le(cycles, cycles_of(&fast));
        if (!cases[c].interrupts) ck_assert_uint_eq(cycles, cycles_of(&fast));
        ck_assert_int_eq(oak_session_reset(fast.session), OAK_OK);
        ck_assert_int_eq(oak_session_counted(fast.session, 0, &one), OAK_OK);
        ck_assert_uint_eq(one.times, 0);
        ck_assert_int_eq(oak_session_count(fast.session, false), OAK_OK);
        ck_assert_int_eq(oak_session_counted(fast.session, 0, &one), OAK_UNSUPPORTED);
        bench_close(&slow);
        bench_close(&fast);
    }
}
END_TEST

START_TEST(counting_changes_nothing_of_a_run_and_goes_back_with_it)
{
    bench counted, plain;
    const char *path = SOURCE_FOLDER "/examples/extractor/extractor.asm";
    oak_event event;
    oak_tally early, late, again;
    bench_open_file(&counted, "mcs51-8k", path);
    bench_open_file(&plain, "mcs51-8k", path);
    oak_session_count(counted.session, true);
    oak_session_keep_history(counted.session, 0);
    bench_run(&counted, 300000, 0);
    bench_run(&plain, 300000, 0);
    ck_assert_uint_eq(cycles_of(&counted), cycles_of(&plain));
    static const char *const values[] = {"sp", "a", "psw", "dptr", "TL0", "iram[0x30:8]", "iram[0x38:8]"};
    for (size_t i = 0; i < sizeof values / sizeof *values; i++)
        ck_assert_int_eq(value_of(&counted, values[i]), value_of(&plain, values[i]));
    uint32_t main_at = (uint32_t)oak_program_find(counted.program, "main", 4)->value;
    oak_session_counted(counted.session, main_at, &early);
    ck_assert_uint_gt(early.times, 1000);
    bench_run(&counted, 1200000, 0);
    oak_session_counted(counted.session, main_at, &late);
    ck_assert_uint_gt(late.times, early.times);
    ck_assert_int_eq(oak_session_back_to_cycle(counted.session, 300000, &event), OAK_OK);
    oak_session_counted(counted.session, main_at, &again);
    ck_assert_uint_eq(again.times, early.times);
    ck_assert_uint_eq(again.cycles, early.cycles);
    bench_run(&counted, 1200000, 0);
    oak_session_counted(counted.session, main_at, &again);
    ck_assert_uint_eq(again.times, late.times);
    bench_close(&counted);
    bench_close(&plain);
}
END_TEST

START_TEST(a_jump_to_itself_is_counted_round_by_round)
{
    bench b;
    oak_tally tally;
    bench_open(&b, "mcs51-8k",
               " org 0\n ljmp main\n org 0bh\n reti\nmain: mov TMOD, #2\n mov IE, #82h\n setb TR0\nhere: "
               "sjmp here\n");
    oak_session_count(b.session, true);
    bench_run(&b, 10005, 0);
    oak_session_counted(b.session, (uint32_t)value_of(&b, "here"), &tally);
    uint64_t handled = 0, at_handler;
    oak_tally handler;
    oak_session_counted(b.session, 0x0b, &handler);
    at_handler = handler.times;
    handled = at_handler * 4; /* 2 for the entry, 2 for reti */
    ck_assert_uint_ge(at_handler, 38);
    ck_assert_uint_eq(tally.cycles, 2 * tally.times);
    ck_assert_uint_le(7 + handled + tally.cycles, cycles_of(&b) + 4); /* 7 before it: 2, 2, 2, 1 */
    ck_assert_uint_ge(7 + handled + tally.cycles + 4, cycles_of(&b));
    bench_close(&b);
}
END_TEST

/* What is pushed right behind the line that sets the pointer is on the stack, and does not move where it begins. */
START_TEST(a_push_behind_the_setting_of_the_pointer_moves_no_beginning)
{
    bench b;
    oak_stack_item items[8];
    bench_open(&b, "mcs51-8k", " org 0\nstart: mov sp, #0x3f\n push acc\nrest: sjmp rest\n");
    bench_run(&b, 100, UINT64_MAX);
    ck_assert_uint_eq(oak_session_stack(b.session, items, 8), 1);
    ck_assert_uint_eq(items[0].at, 0x40);
    bench_close(&b);
}
END_TEST

RUN_SUITE("stack", a_push_behind_the_setting_of_the_pointer_moves_no_beginning,
          room_on_the_32_bit_stack_is_passed_over, the_8_bit_stack_is_told_with_what_was_pushed,
          interrupts_on_the_8_bit_stack_are_told_also_one_in_the_other,
          the_32_bit_stack_is_told_with_frames_of_exceptions,
          a_stack_that_the_code_does_not_explain_still_shows_what_points_behind_calls,
          the_depth_is_what_calls_and_returns_make_of_it, what_is_counted_is_what_single_steps_execute,
          counting_changes_nothing_of_a_run_and_goes_back_with_it, a_jump_to_itself_is_counted_round_by_round)
