/* What a made-up core (made_up/knot.c) has that is troublesome: words of 13 bits, cells of four, banks, a big-endian space with
 * 24-bit addresses, registers in an I/O space, a hardware stack, instructions of six bytes, names that are directives elsewhere.
 * What works for it needs nothing outside its folder. */
#include "support.h"

#include <stdio.h>
#include <unistd.h>

#define KNOT SOURCE_FOLDER "/tests/made_up/knot.yaml"

static bench b;

static void open_knot(const char *source)
{
    bench_open_part(&b, KNOT, source);
}

/* Assembles what is wrong; the first message. */
static const collected *refused(const char *source)
{
    static collected diags;
    oak_host host = oak_linux_host();
    oak_diag_sink sink = collect(&diags);
    oak_part *part = NULL;
    oak_program *program = NULL;
    ck_assert_int_eq(oak_part_load(&host, KNOT, &sink, &part), OAK_OK);
    ck_assert_int_eq(oak_assemble_text(&host, part, "t.asm", source, strlen(source), &sink, &program),
                     OAK_REFUSED);
    oak_part_free(part);
    return &diags;
}

/* The word of code at an address. */
static unsigned word_at(uint32_t address)
{
    uint8_t bytes[2] = {0};
    for (unsigned i = 0; i < 2; i++)
        ck_assert(oak_image_byte(oak_program_image(b.program), 2 * address + i, &bytes[i]));
    return bytes[0] | bytes[1] << 8;
}

/* ------------------------------------------------------------------------------------------ source and code */

START_TEST(addresses_labels_and_org_count_words)
{
    open_knot(" jmp start\n org 0x10\nstart: lit #5\n ldp #0x800010\nnext: nop\ntable: dw next, 0x1fff\n db "
              "\"ab\"\nrest: jmp rest\n");
    ck_assert_int_eq(value_of(&b, "next"), 0x14);
    ck_assert_int_eq(value_of(&b, "rest"), 0x19);
    ck_assert_uint_eq(word_at(0), 0x1010); /* jmp 0x010 */
    ck_assert_uint_eq(word_at(0x15), 0x14);
    ck_assert_uint_eq(word_at(0x16), 0x1FFF);
    ck_assert_uint_eq(word_at(0x17), 'a'); /* a letter a word */
    ck_assert_uint_eq(word_at(0x18), 'b');
    bench_close(&b);
    const collected *no = refused(" dw 0x2000\n");
    ck_assert_str_eq(no->one[0].code, "value-range");
    ck_assert_ptr_nonnull(strstr(no->one[0].message, "13 bits"));
}
END_TEST

START_TEST(a_mnemonic_comes_before_a_directive_and_a_name_before_both)
{
    open_knot("keep set 3\nKeep set 4\n jmp start\n org 16\nstart: set keep\n bit 4\nrest: jmp rest\n");
    bench_run(&b, 0, 0);
    ck_assert_int_eq(value_of(&b, "nib[4]"), 15);
    ck_assert_int_eq(value_of(&b, "cf"), 1);
    bench_close(&b);
}
END_TEST

START_TEST(points_quotes_and_braces_belong_to_names_where_they_do)
{
    open_knot("both macro what, n\n mask what\n lit #n ; it's ours\n endm\n jmp start\n org 16\nstart: lit "
              "#0x3f ; 'x\n xch w, w' ; "
              "back: it's\n lit #7\n c.inc\n both {5}, 9\n xch w,w'\nrest: jmp rest\n");
    bench_run(&b, 0, 0);
    ck_assert_int_eq(value_of(&b, "w"), 0x3F);
    ck_assert_int_eq(value_of(&b, "w'"), 9);
    ck_assert_uint_eq(word_at(19), 0x0609); /* c.inc */
    ck_assert_uint_eq(word_at(20), 0x0785); /* mask {5} */
    bench_close(&b);
}
END_TEST

START_TEST(registers_are_known_by_their_place_and_may_be_labels)
{
    open_knot(" jmp d\n org 16\nd: lit #1\n mov dh, w\nrest: jmp rest\n");
    bench_run(&b, 0, 0);
    ck_assert_int_eq(value_of(&b, "dh"), 1);
    bench_close(&b);
}
END_TEST

START_TEST(banks_pages_and_words_are_told_of_addresses)
{
    open_knot("v equ nib:70\n jmp start\n org 0x210\nstart: bank #bank(v)\n lit #page(start)\n dw "
              "bytes(start), words(bytes(start))\n"
              " dw page(0x3ff), bank(64), upper(0x123456), high(0x1234)\nbank: jmp bank\n");
    static const unsigned words[] = {0x03C1, 0x0102, 0x420, 0x210, 3, 1, 0x12, 0x12};
    for (uint32_t i = 0; i < sizeof words / sizeof *words; i++)
        ck_assert_uint_eq(word_at(0x210 + i), words[i]);
    ck_assert_int_eq(value_of(&b, "bank(v)"), 1);
    bench_close(&b);
    ck_assert_str_eq(refused("v equ wide:0x800000\n lit #bank(v)\n")->one[0].message,
                     "data memory has no banks");
    ck_assert_ptr_nonnull(strstr(refused(" dw words(3)\n")->one[0].message, "no word begins"));
}
END_TEST

START_TEST(the_shortest_form_that_reaches_is_taken)
{
    open_knot(" jmp start\n org 16\nstart: gosub near\n gosub far\nrest: jmp rest\nnear: ret\n org "
              "0x123\nfar: ret\n");
    ck_assert_uint_eq(word_at(16), 0x0800 + 0x14);
    ck_assert_uint_eq(word_at(17), 0x0900);
    ck_assert_uint_eq(word_at(18), 0x1123);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_PARKED);
    bench_close(&b);
}
END_TEST

START_TEST(what_does_not_fit_is_told_with_its_bounds)
{
    static const struct {
        const char *source, *code, *says;
    } wrong[] = {
        {" b z, far\n org 0x300\nfar: nop\n", "branch-reach", "reaches 128 back and 127 forward"},
        {" call far\n org 0x300\nfar: nop\n", "branch-reach", "page 0x0000 to 0x00ff"},
        {" jmp 0x1000\n", "value-range", "between 0 and 0xfff"},
        {" ldp #0x1000000\n", "value-range", "16777215"},
        {" ldn 128\n", "value-range", "127"},
        {" bank #2\n", "value-range", "from 0 to 1"},
        {" mask {16}\n", "value-range", "15"},
        {" lit 5\n", "no-such-form", "these operands"},
        {" mov w\n", "no-such-form", "`mov`"},
        {" out nib:3\n", "wrong-space", "I/O registers"},
    };
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        const collected *no = refused(wrong[i].source);
        ck_assert_msg(!strcmp(no->one[0].code, wrong[i].code) && strstr(no->one[0].message, wrong[i].says),
                      "%s: [%s] %s", wrong[i].source, no->one[0].code, no->one[0].message);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ running */

START_TEST(cells_hold_four_bits_in_the_bank_that_is_selected)
{
    open_knot(" jmp start\n org 0x10\nstart: lit #0xf5\n stn 3\n bank #1\n set 3\n ldn 67\nrest: jmp rest\n");
    oak_event event = bench_run(&b, 0, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "w"), 15);
    ck_assert_int_eq(value_of(&b, "nib[3]"), 5);
    ck_assert_int_eq(value_of(&b, "nib[67]"), 15);
    ck_assert_int_eq(value_of(&b, "pc"), 0x15);
    ck_assert_uint_eq(cycles_of(&b), 7);
    ck_assert_int_eq(oak_session_set(b.session, "nib[3]=0x1c", &b.sink), OAK_REFUSED);
    ck_assert_ptr_nonnull(strstr(b.diags.one[b.diags.count - 1].message, "4 bits"));
    bench_close(&b);
}
END_TEST

START_TEST(wide_memory_holds_the_high_byte_first)
{
    open_knot("v equ wide:0x800010\n jmp start\n org 16\nstart: lit #0x5a\n mov dh, w\n c.inc\n mov dl, w\n "
              "ldp #v\n std @p, d\nrest: jmp rest\n");
    bench_run(&b, 0, 0);
    ck_assert_int_eq(value_of(&b, "wide[0x800010]"), 0x5A);
    ck_assert_int_eq(value_of(&b, "wide[0x800010:2]"), 0x5A5B);
    ck_assert_int_eq(oak_session_set(b.session, "wide[0x800012:2]=0x1234", &b.sink), OAK_OK);
    ck_assert_int_eq(value_of(&b, "wide[0x800012]"), 0x12);
    bench_close(&b);
    open_knot(" jmp start\n org 16\nstart: ldp #0x900000\n ldd d, @p\nrest: jmp rest\n");
    oak_event event = bench_run(&b, 0, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_FAULT);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_ABSENT);
    ck_assert_uint_eq(event.stop.fault_address, 0x900000);
    bench_close(&b);
}
END_TEST

START_TEST(a_branch_that_is_taken_costs_more_stepped_or_not)
{
    for (unsigned way = 0; way < 2; way++) {
        open_knot(" jmp start\n org 16\nstart: lit #3\nagain: addl #0xff\n b nz, again\nrest: jmp rest\n");
        if (way) {
            oak_event event;
            for (unsigned i = 0; i < 8; i++) ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK);
        } else bench_run(&b, 0, 0);
        ck_assert_int_eq(value_of(&b, "pc"), 0x13);
        ck_assert_uint_eq(cycles_of(&b), 2 + 1 + 3 * 2 + 2); /* twice taken */
        bench_close(&b);
    }
}
END_TEST

START_TEST(a_hardware_stack_says_when_it_is_full_or_empty)
{
    open_knot(" jmp start\n org 16\nstart: call start\n");
    oak_event event = bench_run(&b, 0, 0);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_STACK_OVERFLOW);
    ck_assert_int_eq(value_of(&b, "sp"), 4);
    ck_assert_int_eq(value_of(&b, "stk3"), 0x11);
    oak_stack_item items[8];
    ck_assert_uint_eq(oak_session_stack(b.session, items, 8), 4);
    ck_assert_uint_eq(items[0].value, 0x11);
    ck_assert_int_eq(items[0].kind, OAK_STACK_RETURNS);
    ck_assert_int_eq(value_of(&b, "depth"), 4);
    bench_close(&b);
    open_knot(" ret\n");
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.fault, OAK_FAULT_STACK_UNDERFLOW);
    bench_close(&b);
}
END_TEST

START_TEST(ports_and_timers_live_in_the_space_of_the_registers)
{
    open_knot(" jmp start\n org 4\n jmp tick\n org 16\nstart: lit #49\n out TIM_TOP\n lit #3\n out "
              "TIM_CTRL\nloop: in KEYS\n out PORT\n halt\n"
              " jmp loop\ntick: ldn 5\n addn 6\n addl #1\n stn 5\n lit #0x83\n out TIM_CTRL\n reti\n");
    ck_assert_int_eq(oak_session_drive(b.session, "pk.2 = 0", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "pk.0 = 1", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "pk.1 = 1", &b.sink), OAK_OK);
    ck_assert_int_eq(oak_session_drive(b.session, "pk.3 = 1", &b.sink), OAK_OK);
    bench_run(&b, 525, 0);
    ck_assert_int_eq(value_of(&b, "nib[5]"), 10); /* once in 50 cycles */
    ck_assert_int_eq(value_of(&b, "PORT"), 0x0B);
    ck_assert_int_eq(value_of(&b, "po.3"), 1);
    ck_assert_int_eq(value_of(&b, "po.2"), 0);
    oak_service service;
    ck_assert_int_eq(b.chip.ops->service(b.chip.chip, 0, &service), OAK_OK);
    ck_assert_uint_eq(service.count, 10);
    bench_close(&b);
}
END_TEST

START_TEST(going_back_reaches_through_devices_of_an_io_space)
{
    open_knot(" jmp start\n org 4\n jmp tick\n org 16\nstart: lit #49\n out TIM_TOP\n lit #3\n out "
              "TIM_CTRL\nloop: in TIM_CNT\n out PORT\n"
              " jmp loop\ntick: ldn 5\n addl #1\n stn 5\n lit #0x83\n out TIM_CTRL\n reti\n");
    enum { STEPS = 200 };
    long long count[STEPS], port[STEPS], nib[STEPS];
    oak_event event;
    ck_assert_int_eq(oak_session_keep_history(b.session, 0), OAK_OK);
    for (unsigned i = 0; i < STEPS; i++) {
        count[i] = value_of(&b, "TIM_CNT"), port[i] = value_of(&b, "PORT"), nib[i] = value_of(&b, "nib[5]");
        ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK);
    }
    ck_assert_int_gt(nib[STEPS - 1], 3);
    for (unsigned at = STEPS; at >= 7; at -= 7) {
        ck_assert_int_eq(oak_session_back_steps(b.session, 7, &event), OAK_OK);
        ck_assert_int_eq(value_of(&b, "TIM_CNT"), count[at - 7]);
        ck_assert_int_eq(value_of(&b, "PORT"), port[at - 7]);
        ck_assert_int_eq(value_of(&b, "nib[5]"), nib[at - 7]);
    }
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ the tool */

static void says(const char *arguments, int code, const char *const *parts)
{
    char command[900], *out, *err;
    snprintf(command, sizeof command, "cd /tmp && " SPINDLE_MADE_UP " %s", arguments);
    ck_assert_msg(shell(command, &out, &err) == code, "%s\n%s\n%s", command, out, err);
    for (; *parts; parts++)
        ck_assert_msg(strstr(out, *parts) != NULL, "%s: no `%s` in\n%s", arguments, *parts, out);
    free(out);
    free(err);
}

START_TEST(the_tool_speaks_of_it_like_of_any_other)
{
    FILE *file = fopen("/tmp/oak-knot.asm", "w");
    fputs("v equ wide:0x800010\n jmp start\n org 16\nstart: lit #0x5a\n mov dh, w\n ldp #v\n std @p, d\n "
          "gosub help\n dw 0x1234\nrest: jmp rest\n"
          "help: out PORT\n ret\n",
          file);
    fclose(file);
    says("asm oak-knot.asm --part " KNOT " -o oak-knot.hex --listing oak-knot.lst --warn runs-off=off", 0,
         (const char *[]){"words of code", "of the 1,024 words of knot", NULL});
    says("run oak-knot.hex --part " KNOT " --show 'wide[0x800010:2]' --stop-at 0x19", 0,
         (const char *[]){"pc 0x019", "wide[0x800010:2]   0x5a00", NULL});
    says("look oak-knot.hex --part " KNOT, 0,
         (const char *[]){"ldp #0x800010", "; 0x0012  0500 1800 1010", "out PORT", NULL});
    says("explain gosub --part " KNOT, 0,
         (const char *[]){"call page", "1 word, 2 cycles", "lcall target", "2 words", NULL});
    says("parts " KNOT, 0, (const char *[]){"1024 words", "0x800000 to 0x8000ff", NULL});
    char *out, *err;
    ck_assert_int_eq(shell("cat /tmp/oak-knot.lst", &out, &err), 0);
    ck_assert_ptr_nonnull(strstr(out, "0x0012  0500  1800"));
    ck_assert_ptr_nonnull(strstr(out, "0x0014  1010"));
    free(out), free(err);
    unlink("/tmp/oak-knot.asm"), unlink("/tmp/oak-knot.hex"), unlink("/tmp/oak-knot.lst");
}
END_TEST

/* The made-up part with two memories more. */
static void open_wider(const char *source)
{
    static char text[4000];
    FILE *file = fopen(KNOT, "r");
    text[fread(text, 1, sizeof text - 1, file)] = 0;
    fclose(file);
    char *rest = strstr(text, "\nregisters:");
    file = fopen("wider.yaml", "w");
    fprintf(file,
            "%.*s  - {name: upper, space: code, kind: rom, at: 0xc00, size: 256}\n"
            "  - {name: spare, space: wide, kind: ram, at: 0x10, size: 64}\n%s",
            (int)(rest - text), text, rest);
    fclose(file);
    bench_open_part(&b, "wider.yaml", source);
    unlink("wider.yaml");
}

START_TEST(a_space_may_have_memories_far_apart)
{
    open_wider(
        "v equ wide:0x20\n jmp start\n org 16\nstart: lcall far\n ldp #v\n std @p, d\n ldp #0x800002\n std "
        "@p, d\nrest: jmp rest\n org 0xc00\nfar: lit #0x7a\n mov dl, w\n ret\n");
    oak_session_keep_history(b.session, 0);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "wide[0x21]"), 0x7A);
    ck_assert_int_eq(value_of(&b, "wide[0x800003]"), 0x7A);
    oak_event event;
    ck_assert_int_eq(oak_session_set(b.session, "code[0xc00]=0x155", &b.sink), OAK_OK); /* lit #0x55 */
    ck_assert_int_eq(oak_session_back_access(b.session, "wide[0x21]", OAK_WATCH_WRITE, &b.sink, &event),
                     OAK_OK);
    ck_assert_int_eq(value_of(&b, "wide[0x21]"), 0);
    ck_assert_int_eq(value_of(&b, "wide[0x800003]"), 0);
    ck_assert_int_eq(value_of(&b, "code[0xc00]"), 0x17A); /* as it was then */
    ck_assert_int_eq(oak_session_reset(b.session), OAK_OK);
    ck_assert_int_eq(value_of(&b, "wide[0x21]"), 0);
    ck_assert_int_eq(oak_session_set(b.session, "code[0xc00]=0x155", &b.sink), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "wide[0x21]"), 0x55);
    bench_close(&b);
    open_wider(" jmp 0x800\n"); /* between the two */
    oak_stop stop = bench_run(&b, 0, 0).stop;
    ck_assert_int_eq(stop.reason, OAK_STOP_FAULT);
    ck_assert_int_eq(stop.fault, OAK_FAULT_OUTSIDE_CODE);
    bench_close(&b);
}
END_TEST

RUN_SUITE("made_up", a_space_may_have_memories_far_apart, addresses_labels_and_org_count_words,
          a_mnemonic_comes_before_a_directive_and_a_name_before_both,
          points_quotes_and_braces_belong_to_names_where_they_do,
          registers_are_known_by_their_place_and_may_be_labels, banks_pages_and_words_are_told_of_addresses,
          the_shortest_form_that_reaches_is_taken, what_does_not_fit_is_told_with_its_bounds,
          cells_hold_four_bits_in_the_bank_that_is_selected, wide_memory_holds_the_high_byte_first,
          a_branch_that_is_taken_costs_more_stepped_or_not, a_hardware_stack_says_when_it_is_full_or_empty,
          ports_and_timers_live_in_the_space_of_the_registers,
          going_back_reaches_through_devices_of_an_io_space, the_tool_speaks_of_it_like_of_any_other)
