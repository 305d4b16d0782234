/* Assembling for Arm: every message with its column and remedy, pools of literals, forms that grow, vectors, sections in a
 * memory, and reading back what came of it. */
#include "support.h"

#include <stdio.h>

static oak_part *small, *large;

static void open_parts(void)
{
    if (!small) small = load_part("armv6m-32k");
    if (!large) large = load_part("armv7m-256k");
}

static uint32_t word_of(const oak_program *program, uint32_t at, unsigned bytes)
{
    uint32_t word = 0;
    for (unsigned i = 0; i < bytes; i++) {
        uint8_t byte;
        if (!oak_image_byte(oak_program_image(program), at + i, &byte))
            ck_abort_msg("nothing at 0x%x", (unsigned)(at + i));
        word |= (uint32_t)byte << (8 * i);
    }
    return word;
}

static oak_program *good(const oak_part *part, const char *source)
{
    collected diags = {0};
    oak_program *program = assemble(part, source, &diags);
    if (!program) show_collected(&diags);
    ck_assert_ptr_nonnull(program);
    return program;
}

/* ------------------------------------------------------------------------------------------ messages */

typedef struct mistake {
    char version; /* 6 or 7 */
    const char *line;
    unsigned column, end;
    const char *code, *says; /* says: in the message or the remedy */
} mistake;

static const mistake mistakes[] = {
    {'6', " add r0, r0, #1", 2, 5, "flags-form", "Write `adds`."},
    {'6', " adds r0, r0, 1", 15, 16, "immediate-mark", "Put # before it."},
    {'6', " movs r0, #300", 11, 15, "value-range", "ldr r0, =300"},
    {'6', " adds r8, r0, r1", 7, 9, "register", "copy it to a low one"},
    {'6', " ldr r0, [r1, #5]", 10, 18, "value-range", "steps of 4"},
    {'6', " push {r8}", 7, 11, "register-list", "r8 cannot be in this list"},
    {'6', " sdiv r0, r1, r2", 2, 17, "no-such-instruction", "armv7m"},
    {'6', " addeq r0, #1", 2, 14, "no-it-block", "jump over it"},
    {'6', " strb r0, [r1", 11, 14, "memory-operand", "not closed"},
    {'6', " strb r0, [5]", 11, 12, "memory-operand", "base register"},
    {'6', " cmp r0", 2, 8, "no-such-form", "It compares two"},
    {'6', " ands r0, r1, r2", 2, 17, "no-such-form", "on armv7m, not on armv6m"},
    {'6', " svc 5", 6, 7, "immediate-mark", "#"},
    {'6', " b #4", 4, 6, "no-such-form", "To a label, without #"},
    {'6', " push {r0, r0}", 12, 14, "register-list", "twice"},
    {'6', " push {r3-r1}", 8, 13, "register-list", "backwards"},
    {'6', " ldm r0, {r1}", 10, 14, "unpredictable", "moves unless"},
    {'6', " strh r0, =5", 11, 12, "literal", "only ldr"},
    {'6', " subs r0, r1,", 13, 14, "operand-count", "missing"},
    {'6', " cpsid x", 8, 9, "interrupt-mask", "i and f"},
    {'6', " msr basepri, r0", 2, 17, "no-such-form", "msr special, rn"},
    {'6', " adds r0, #-3", 11, 14, "value-range", "Write `sub` with #3."},
    {'7', " adds r0, r1, #0x101", 15, 21, "value-range", "8 bits in a row"},
    {'7', " add r0, r0, #-0x12000", 14, 23, "value-range", "Write `sub` with #73728."},
    {'7', " movne r0, #1", 2, 14, "no-it-block", "Write `it ne` in the line before."},
    {'7', " it eq\n movne r0, #1", 2, 14, "it-block", "write `moveq`"},
    {'7', " it eq\n mov r0, #1", 2, 12, "it-block", "without its condition"},
    {'7', " itt eq\n beq x\nx: nop", 2, 7, "it-block", "last of an it block"},
    {'7', " it zz", 5, 7, "condition", "eq ne cs"},
    {'7', " add r0, r1, r2, lsl #32", 18, 25, "shift", "from 0 to 31"},
    {'7', " ldr r0, [r1, r2, lsr #1]", 19, 22, "shift", "only be shifted left"},
    {'7', " ldr r0, [r0, #4]!", 10, 19, "unpredictable", "moves cannot be transferred"},
    {'7', " cbz r0, x\n ds 200\nx: nop", 10, 11, "too-far", "Write `cmp` with #0 and `beq`"},
    {'7', " b.n x\n ds 3000\nx: nop", 6, 7, "too-far", "Leave the .n out."},
    {'7', " adds.n r8, r1, r2", 9, 11, "register", "r0 to r7"},
    {'7', " ubfx r0, r1, #20, #13", 20, 23, "value-range", "from 1 to 12"},
    {'7', " bfi r0, r1, #5, #0", 18, 20, "value-range", "from 1 to 27"},
    {'7', " ldr sp, [r1], r2", 2, 18, "no-such-form", ""},
    {'6', " stmdb sp!, {r8}", 13, 17, "register-list", "r8 cannot be in this list"},
    {'6', " stmdb r0!, {r1}", 2, 17, "no-such-instruction", "armv7m"},
    {'7', " push {r3, sp}", 7, 15, "register-list", "sp cannot be in this list"},
    {'7', " pop {r8, lr, pc}", 6, 18, "register-list", "lr and pc cannot be loaded together"},
    {'7', " mov.w sp, sp", 12, 14, "unpredictable", "copied to itself"},
};

START_TEST(what_makes_code_odd_is_named_once)
{
    collected diags = {0};
    open_parts();
    oak_program *program = assemble(small, " org 0x100\nflag: db 1\nstart: nop\n nop\n b start\n", &diags);
    ck_assert_ptr_null(program);
    ck_assert_uint_eq(diags.count, 1);
    ck_assert_str_eq(diags.one[0].code, "alignment");
    ck_assert_uint_eq(diags.one[0].line, 3);
    ck_assert_ptr_nonnull(strstr(diags.one[0].hint, "Line 2 has 1 byte: put `align 2` behind it."));
    diags = (collected){0};
    program = assemble(small, " org 0x101\nstart: nop\n nop\n b start\n", &diags);
    ck_assert_ptr_null(program);
    ck_assert_uint_eq(diags.count, 1);
    ck_assert_ptr_nonnull(strstr(diags.one[0].hint, "align 2"));
}
END_TEST

START_TEST(every_mistake_is_told_with_its_columns_and_the_remedy)
{
    open_parts();
    for (unsigned i = 0; i < sizeof mistakes / sizeof *mistakes; i++) {
        const mistake *m = &mistakes[i];
        collected diags = {0};
        oak_program *program = assemble(m->version == '6' ? small : large, m->line, &diags);
        if (program) ck_abort_msg("accepted: %s", m->line);
        bool right = strcmp(diags.one[0].code, m->code) == 0 && diags.one[0].column == m->column &&
                     diags.one[0].column_end == m->end &&
                     (strstr(diags.one[0].hint, m->says) || strstr(diags.one[0].message, m->says));
        if (!right) {
            printf("%s\n", m->line);
            show_collected(&diags);
        }
        ck_assert(right);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ forms */

START_TEST(the_shortest_form_that_fits_is_taken_and_widths_can_be_asked_for)
{
    static const struct {
        const char *line;
        unsigned size;
        uint32_t word; /* halfwords in memory order, little-endian */
    } all[] = {
        {"adds r0, r1, r2", 2, 0x1888},
        {"adds.w r0, r1, r2", 4, 0x0002EB11},
        {"add r0, r1, r2", 4, 0x0002EB01},
        {"add r0, r0, r2", 2, 0x4410},
        {"movs r0, #1", 2, 0x2001},
        {"mov r0, #1", 4, 0x0001F04F},
        {"mov r0, #0x1234", 4, 0x2034F241},
        {"mov r0, #-1", 4, 0x30FFF04F},
        {"add r0, r1, #0xabc", 4, 0x20BCF601},
        {"ldr r0, [r1, #124]", 2, 0x6FC8},
        {"ldr r0, [r1, #128]", 4, 0x0080F8D1},
        {"ldr r0, [r1, #-1]", 4, 0x0C01F851},
        {"ldr r0, [sp, #1020]", 2, 0x98FF},
        {"push {r0, lr}", 2, 0xB501},
        {"push {r8}", 4, 0x8D04F84D},
        {"push {r4, r8}", 4, 0x0110E92D},
        {"pop {r8, pc}", 4, 0x8100E8BD},
        {"ldm r0, {r1, r2}", 4, 0x0006E890},
        {"stmdb sp!, {r0, lr}", 2, 0xB501},
        {"stmfd.w sp!, {r4, r8}", 4, 0x0110E92D},
        {"ldm sp!, {r0-r3, pc}", 2, 0xBD0F},
        {"ldmfd sp!, {r8, pc}", 4, 0x8100E8BD},
        {"stm sp, {r0, r1}", 4, 0x0003E88D},
        {"stmdb sp, {r0, r1}", 4, 0x0003E90D},
        {"ldm sp, {r0-r3, r12}", 4, 0x100FE89D},
        {"ldmia r0!, {r1}", 2, 0xC802},
        {"cmp r8, r1", 2, 0x4588},
        {"lsls r0, r1, #0x1f", 2, 0x07C8},
        {"lsl r0, r1, #3", 4, 0x00C1EA4F},
        {"rrx r0, r1", 4, 0x0031EA4F},
        {"muls r0, r1, r0", 2, 0x4348},
        {"mul r0, r1, r0", 4, 0xF000FB01},
        {"and r0, r0, r1, lsl #2", 4, 0x0081EA00},
        {"sub sp, #8", 2, 0xB082},
        {"strd r0, r1, [r2, #-8]!", 4, 0x0102E962},
        {"mrs r0, primask", 4, 0x8010F3EF},
        {"tbb [pc, r0]", 4, 0xF000E8DF},
        {"bfi r0, r1, #4, #8", 4, 0x100BF361},
        {"ssat r0, #8, r1, asr #3", 4, 0x00C7F321},
        {"nop.w", 4, 0x8000F3AF},
        {"dsb", 4, 0x8F4FF3BF},
        {"ldrsb r0, [r1, r2]", 2, 0x5688},
        {"clz r0, r1", 4, 0xF081FAB1},
        /* in a conditional block both leave the flags: without a destination the form with two operands */
        {"it ge\n addge r1, r0", 4, 0x4401BFA8},
        {"it ge\n addge r1, r1, r0", 4, 0x1809BFA8},
        {"it ge\n addge r1, #3", 4, 0x3103BFA8},
        {"it ge\n addge r8, r0", 4, 0x4480BFA8},
    };
    open_parts();
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char source[120];
        snprintf(source, sizeof source, " %s\nlast: nop\n", all[i].line);
        oak_program *program = good(large, source);
        const oak_symbol *last = oak_program_find(program, "last", 4);
        if (last->value != all[i].size || word_of(program, 0, all[i].size) != all[i].word)
            ck_abort_msg("%s is %u bytes 0x%x", all[i].line, (unsigned)last->value,
                         (unsigned)word_of(program, 0, (unsigned)last->value));
        oak_program_free(program);
    }
}
END_TEST

START_TEST(jumps_grow_when_their_target_moves_away)
{
    open_parts();
    for (unsigned gap = 200; gap < 3000; gap += 50) {
        char source[200];
        snprintf(source, sizeof source, "a: beq far\n b far\n bl far\n ds %u\nfar: nop\n", gap);
        oak_program *program = good(large, source);
        uint32_t far = (uint32_t)oak_program_find(program, "far", 3)->value;
        bool near_condition = far - 4 <= 254, near_jump = far - (near_condition ? 2 : 4) - 4 <= 2046;
        ck_assert_uint_eq(far, (near_condition ? 2u : 4u) + (near_jump ? 2u : 4u) + 4 + gap);
        oak_program_free(program);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ pools */

START_TEST(equal_literals_share_a_word_at_the_end_of_the_section)
{
    open_parts();
    oak_program *program = good(
        small, "x equ 7\n ldr r0, =x\n ldr r1, =0x12345678\n ldr r2, =x\n ldr r3, =here + 1\nhere: b .\n");
    ck_assert_uint_eq(word_of(program, 12, 4), 7);
    ck_assert_uint_eq(word_of(program, 16, 4), 0x12345678);
    ck_assert_uint_eq(word_of(program, 20, 4), 9);
    ck_assert_uint_eq(oak_image_count(oak_program_image(program)), 24);
    ck_assert_uint_eq(word_of(program, 4, 2), 0x4A01); /* r2 from the first word */
    oak_program_free(program);
}
END_TEST

START_TEST(a_pool_stands_where_it_is_asked_for)
{
    open_parts();
    oak_program *program = good(small, " ldr r0, =1000\n b over\n pool\nover: ldr r1, =1000\n b .\n");
    ck_assert_uint_eq(word_of(program, 4, 4), 1000);
    ck_assert_uint_eq(word_of(program, 8, 2), 0x4900); /* a word of its own, since the first is behind it */
    ck_assert_uint_eq(word_of(program, 12, 4), 1000);
    oak_program_free(program);
}
END_TEST

/* Subroutines with literals, far more than one pool can serve: every load must find its own value. */
static void many_literals(const oak_part *part, unsigned routines, unsigned loads)
{
    size_t room = routines * (loads * 40 + 80) + 100, at = 0;
    char *source = calloc(1, room);
    uint64_t seed = routines * 131 + loads;
    for (unsigned r = 0; r < routines; r++) {
        for (unsigned i = 0; i < loads; i++)
            at += (size_t)snprintf(source + at, room - at, "l%u_%u: ldr r%u, =0x%x\n", r, i, i % 8,
                                   0x1000000 + r * 1000 + i % 7 * 17);
        for (unsigned n = random32(&seed) % 40; n; n--)
            at += (size_t)snprintf(source + at, room - at, " nop\n");
        at += (size_t)snprintf(source + at, room - at, " bx lr\n");
    }
    oak_program *program = good(part, source);
    for (unsigned r = 0; r < routines; r++) {
        for (unsigned i = 0; i < loads; i++) {
            char name[40];
            snprintf(name, sizeof name, "l%u_%u", r, i);
            uint32_t where = (uint32_t)oak_program_find(program, name, strlen(name))->value;
            uint32_t code = word_of(program, where, 2), base = (where + 4) & ~3u, from;
            if (code == 0xF8DF) from = base + (word_of(program, where + 2, 2) & 0xFFF);
            else if (code == 0xF85F) from = base - (word_of(program, where + 2, 2) & 0xFFF);
            else from = base + (code & 0xFF) * 4;
            ck_assert_uint_eq(word_of(program, from, 4), 0x1000000 + r * 1000 + i % 7 * 17);
        }
    }
    oak_program_free(program);
    free(source);
}

START_TEST(pools_are_placed_by_need_within_reach_of_every_load)
{
    open_parts();
    many_literals(small, 200, 9);
    many_literals(small, 12, 240);
    many_literals(large, 800, 20);
    many_literals(large, 5, 900);
}
END_TEST

START_TEST(a_pool_that_cannot_be_placed_is_reported_at_the_load)
{
    open_parts();
    collected diags = {0};
    ck_assert_ptr_null(assemble(small, " ldr r0, =1000\n ds 1100\n b .\n", &diags));
    ck_assert_str_eq(diags.one[0].code, "too-far");
    ck_assert_uint_eq(diags.one[0].line, 1);
    ck_assert_ptr_nonnull(strstr(diags.one[0].hint, "pool"));
}
END_TEST

/* ------------------------------------------------------------------------------------------ the rest of the language */

START_TEST(vectors_sections_and_wide_data_are_laid_down)
{
    open_parts();
    oak_program *program = good(
        large,
        " vector stack, top\n vector reset, start\n vector systick, tick\n org 0x100\nstart: b .\ntick: bx "
        "lr\n"
        "data: dd 0x11223344, -1\n dq 0x1122334455667788\n dw 0xabcd\n"
        " section vars, ram\nbyte: ds 1\n align 4\nword: ds 4\n section stack1, ram, align 8\n ds 64\ntop:\n"
        " section fixed, mem, at 0x20000800\nbuffer: ds 16\n");
    ck_assert_uint_eq(word_of(program, 0, 4), (uint32_t)oak_program_find(program, "top", 3)->value);
    ck_assert_uint_eq(word_of(program, 4, 4), 0x101);
    ck_assert_uint_eq(word_of(program, 0x3C, 4), 0x103);
    ck_assert_uint_eq(word_of(program, 0x104, 4), 0x11223344);
    ck_assert_uint_eq(word_of(program, 0x108, 4), UINT32_MAX);
    ck_assert_uint_eq(word_of(program, 0x10C, 4), 0x55667788);
    ck_assert_uint_eq(word_of(program, 0x110, 4), 0x11223344);
    ck_assert_uint_eq(word_of(program, 0x114, 2), 0xABCD);
    ck_assert_uint_ge((uint32_t)oak_program_find(program, "word", 4)->value, 0x20000000);
    ck_assert_uint_eq((uint32_t)oak_program_find(program, "buffer", 6)->value, 0x20000800);
    ck_assert_uint_eq(oak_program_find(program, "word", 4)->bytes, 4);
    ck_assert_uint_eq(oak_program_find(program, "byte", 4)->bytes, 1);
    oak_program_free(program);
    collected diags = {0};
    ck_assert_ptr_null(assemble(large, " org 0x20000000\n dd 5\n", &diags));
    ck_assert_str_eq(diags.one[0].code, "not-code-space");
    diags.count = 0;
    ck_assert_ptr_null(assemble(large, " dd 0x100000000\n", &diags));
    ck_assert_str_eq(diags.one[0].code, "value-range");
}
END_TEST

static char *looked(const oak_program *program)
{
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    ck_assert_int_eq(oak_look(program, &sink), OAK_OK);
    t.bytes = realloc(t.bytes, t.size + 1);
    t.bytes[t.size] = 0;
    return t.bytes;
}

START_TEST(code_read_back_shows_pools_targets_and_it_blocks_and_assembles_to_the_same)
{
    open_parts();
    oak_program *program = good(
        large,
        " vector stack, 0x20001000\n vector reset, start\n vector systick, tick\n org 0x100\nstart: ldr r0, "
        "=0x12345678\n"
        " cmp r0, #1\n ite eq\n addeq r1, #1\n addne r1, #2\n bl sub1\n b start\nsub1: bx lr\ntick: bx lr\n");
    char *out = looked(program);
    static const char *const wanted[] = {"dd   start + 1",  "dd   tick + 1", "start:\n",     "ldr r0, data_",
                                         "dd   0x12345678", "ite eq",        "addeq r1, #1", "addne r1, #2",
                                         "bl sub1",         "b start"};
    for (unsigned i = 0; i < sizeof wanted / sizeof *wanted; i++)
        if (!strstr(out, wanted[i])) ck_abort_msg("%s is missing in\n%s", wanted[i], out);
    oak_program *again = good(large, out);
    ck_assert_uint_eq(oak_image_count(oak_program_image(again)), oak_image_count(oak_program_image(program)));
    for (uint32_t at = 0; at < 0x200; at++) {
        uint8_t a = 0, b = 0;
        ck_assert_int_eq(oak_image_byte(oak_program_image(program), at, &a),
                         oak_image_byte(oak_program_image(again), at, &b));
        ck_assert_uint_eq(a, b);
    }
    free(out);
    oak_program_free(again);
    oak_program_free(program);
}
END_TEST

/* Wherever the program stands, an instruction is told with the condition that it has. */
START_TEST(what_stands_in_a_conditional_block_is_told_with_its_condition)
{
    static const char *const told[] = {"cmp r0, #1",         "itte eq",      "moveq r0, #1",
                                       "addeq.w r8, r8, #1", "movne r2, #2", "movs r3, #3"};
    bench b;
    bench_open(
        &b, "armv7m-256k",
        " dd 0x20001000, start + 1\n org 0x100\nstart: cmp r0, #1\n itte eq\n moveq r0, #1\n addeq r8, r8, "
        "#1\n movne r2, #2\n movs r3, #3\n b .\n");
    for (unsigned stands = 0; stands < 5; stands++) {
        uint32_t at = 0x100;
        for (unsigned i = 0; i < 6; i++) {
            char text[80];
            unsigned size = 2;
            ck_assert_int_eq(oak_session_print_instruction(b.session, at, text, sizeof text, &size), OAK_OK);
            ck_assert_msg(strcmp(text, told[i]) == 0, "from step %u: `%s`, not `%s`", stands, text, told[i]);
            at += size;
        }
        bench_run(&b, 0, 1);
    }
    bench_close(&b);
}
END_TEST

START_TEST(a_listing_shows_the_words_of_a_pool_behind_their_line)
{
    open_parts();
    oak_program *program = good(small, "start: ldr r0, =0x12345678\n b .\n");
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    ck_assert_int_eq(oak_program_write_listing(program, &sink), OAK_OK);
    t.bytes = realloc(t.bytes, t.size + 1);
    t.bytes[t.size] = 0;
    ck_assert_ptr_nonnull(strstr(t.bytes, "0x0000  00 48"));
    ck_assert_ptr_nonnull(strstr(t.bytes, "0x0004  78 56 34 12       | pool: 0x12345678"));
    free(t.bytes);
    oak_program_free(program);
}
END_TEST

START_TEST(a_mnemonic_is_explained_with_its_forms_bits_and_cycles)
{
    oak_host host = oak_linux_host();
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    ck_assert_int_eq(oak_explain_mnemonic(&host, oak_architecture_find("armv7m"), "udiv", &sink), OAK_OK);
    t.bytes = realloc(t.bytes, t.size + 1);
    t.bytes[t.size] = 0;
    ck_assert_ptr_nonnull(strstr(t.bytes, "udiv rd, rn, rm\n  Divide unsigned."));
    ck_assert_ptr_nonnull(strstr(t.bytes, "4 bytes, 2 clock cycles to 12"));
    ck_assert_ptr_nonnull(strstr(t.bytes, "| 1 1 1 1 1 0 1 1 | 1 0 1 1 n n n n |"));
    free(t.bytes);
    text none = {0};
    oak_text_sink nowhere = text_sink(&none);
    ck_assert_int_eq(oak_explain_mnemonic(&host, oak_architecture_find("armv6m"), "udiv", &nowhere),
                     OAK_NOT_FOUND);
    free(none.bytes);
    oak_part_free(small);
    oak_part_free(large);
    small = large = NULL;
}
END_TEST

RUN_SUITE("armsource", what_makes_code_odd_is_named_once,
          what_stands_in_a_conditional_block_is_told_with_its_condition,
          every_mistake_is_told_with_its_columns_and_the_remedy,
          the_shortest_form_that_fits_is_taken_and_widths_can_be_asked_for,
          jumps_grow_when_their_target_moves_away, equal_literals_share_a_word_at_the_end_of_the_section,
          a_pool_stands_where_it_is_asked_for, pools_are_placed_by_need_within_reach_of_every_load,
          a_pool_that_cannot_be_placed_is_reported_at_the_load, vectors_sections_and_wide_data_are_laid_down,
          code_read_back_shows_pools_targets_and_it_blocks_and_assembles_to_the_same,
          a_listing_shows_the_words_of_a_pool_behind_their_line,
          a_mnemonic_is_explained_with_its_forms_bits_and_cycles)
