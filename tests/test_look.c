/* Reading code back, comparing, explaining; S-records and raw binary; several files and sections. */
#include "support.h"

#include <stdio.h>
#include <unistd.h>

static oak_part *part, *wide;
static oak_host host;

START_TEST(the_examples_come_back_to_the_same_bytes)
{
    static const char *const files[] = {"examples/lathe/lathe.asm", "speed/sieve51.asm", "speed/crc51.asm"};
    for (unsigned i = 0; i < 3; i++) {
        char path[300];
        oak_program *program;
        collected diags;
        oak_diag_sink sink = collect(&diags);
        snprintf(path, sizeof path, "%s/%s", SOURCE_FOLDER, files[i]);
        ck_assert_int_eq(oak_assemble(&host, part, path, &sink, &program), OAK_OK);
        must_come_back(program);
        oak_program_free(program);
    }
}
END_TEST

START_TEST(random_images_come_back_to_the_same_bytes)
{
    uint64_t seed = 5;
    for (unsigned round = 0; round < 60; round++) {
        oak_program *program;
        ck_assert_int_eq(oak_program_create(&host, wide, &program), OAK_OK);
        for (unsigned piece = 0; piece < 1 + round % 5; piece++) {
            uint8_t bytes[400];
            size_t count = 1 + random32(&seed) % sizeof bytes;
            for (size_t i = 0; i < count; i++)
                bytes[i] = round % 3 == 0 ? (uint8_t)(' ' + random32(&seed) % 95) : (uint8_t)random32(&seed);
            uint32_t at = piece ? random32(&seed) % 0xF000 : 0;
            oak_image_write(oak_program_image(program), at, bytes, count);
        }
        oak_program_finish(program);
        must_come_back(program);
        oak_program_free(program);
    }
}
END_TEST

/* Each behind an `it eq` of its own: what sets flags outside, what a conditional spelling prefers, what is refused there. */
START_TEST(every_short_code_of_a_conditional_block_comes_back)
{
    static const struct {
        uint32_t from, to;
    } codes[] = {{0x0840, 0x2800}, {0x3000, 0x4280}, {0x42C0, 0x4480},
                 {0x4608, 0x4680}, {0x5000, 0xA000}, {0xA800, 0xB000}};
    oak_part *arm = load_part("armv7m-256k");
    oak_program *program;
    ck_assert_int_eq(oak_program_create(&host, arm, &program), OAK_OK);
    const uint8_t vectors[] = {0, 0x10, 0, 0x20, 1, 1, 0, 0};
    oak_image_write(oak_program_image(program), 0, vectors, sizeof vectors);
    uint32_t at = 0x100;
    for (unsigned i = 0; i < sizeof codes / sizeof *codes; i++)
        for (uint32_t code = codes[i].from; code < codes[i].to; code++) {
            if (code >> 10 == 0x11 && ((code & 0x78) == 0x78 || (code & 0x78) == 0x68))
                continue; /* of pc, sp */
            const uint8_t bytes[] = {0x08, 0xBF, (uint8_t)code, (uint8_t)(code >> 8)};
            oak_image_write(oak_program_image(program), at, bytes, 4);
            at += 4;
        }
    const uint8_t park[] = {0xFE, 0xE7};
    oak_image_write(oak_program_image(program), at, park, 2);
    oak_program_finish(program);
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    ck_assert_int_eq(oak_look(program, &sink), OAK_OK);
    ck_assert_ptr_nonnull(strstr(t.bytes, " addeq "));
    ck_assert_ptr_nonnull(strstr(t.bytes, " strheq "));
    free(t.bytes);
    must_come_back(program);
    oak_program_free(program);
    oak_part_free(arm);
}
END_TEST

START_TEST(code_is_told_from_data_and_labelled)
{
    collected diags;
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    oak_program *program =
        assemble(part,
                 " ljmp 0x40\n org 0x40\n lcall work\n setb p1.3\n mov tmod, #1\nhere: sjmp here\nwork: jb "
                 "tr0, back\n inc 0x30\nback: ret\n db \"spindle\", 0\n",
                 &diags);
    oak_program *bare;
    ck_assert_int_eq(oak_program_create(&host, part, &bare), OAK_OK);
    for (uint32_t at = 0; at < 200; at++) {
        uint8_t byte;
        if (oak_image_byte(oak_program_image(program), at, &byte))
            oak_image_write(oak_program_image(bare), at, &byte, 1);
    }
    oak_program_finish(bare);
    ck_assert_int_eq(oak_look(bare, &sink), OAK_OK);
    static const char *const pieces[] = {"vector_reset:\n        ljmp at_0040",
                                         "        lcall sub_004a",
                                         "        setb P1.3",
                                         "        mov TMOD, #0x01",
                                         "at_0048:\n        sjmp at_0048",
                                         "sub_004a:\n        jb TR0, at_004f",
                                         "        db   \"spindle\""};
    for (unsigned i = 0; i < sizeof pieces / sizeof *pieces; i++)
        ck_assert_msg(strstr(t.bytes, pieces[i]) != NULL, "`%s` is not in\n%s", pieces[i], t.bytes);
    free(t.bytes);
    t = (text){0};
    ck_assert_int_eq(oak_look(program, &sink), OAK_OK); /* with the names of the source */
    ck_assert_ptr_nonnull(strstr(t.bytes, "lcall work"));
    free(t.bytes);
    oak_program_free(program);
    oak_program_free(bare);
}
END_TEST

START_TEST(a_difference_is_shown_as_whole_instructions)
{
    collected diags;
    oak_comparison found;
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    oak_program *before = assemble(part, " mov a, #1\n mov r2, #8\nx: sjmp x\n", &diags),
                *after = assemble(part, " mov a, #1\n mov r2, #7\nx: sjmp x\n nop\n", &diags);
    ck_assert_int_eq(oak_look_compare(before, after, &sink, &found), OAK_OK);
    ck_assert_uint_eq(found.stretches, 2);
    ck_assert_ptr_nonnull(strstr(
        t.bytes,
        "- 0x0002  mov r2, #0x08                7a 08\n+ 0x0002  mov r2, #0x07                7a 07\n"));
    ck_assert_ptr_nonnull(strstr(t.bytes, "\n\n+ 0x0006  db   0x00"));
    ck_assert_int_eq(oak_look_compare(before, before, &sink, &found), OAK_OK);
    ck_assert_uint_eq(found.stretches, 0);
    free(t.bytes);
    oak_program_free(before);
    oak_program_free(after);
}
END_TEST

/* One instruction put in is one difference: all behind it has moved, and what leads there follows, also words and vectors. */
START_TEST(what_is_put_in_is_one_difference)
{
    static const struct {
        const char *part, *before, *after, *says;
        unsigned stretches;
    } cases[] = {
        {"mcs51-4k",
         " ljmp main\n org 30h\nmain: mov dptr, #t\nagain: mov r2, #8\nl: djnz r2, l\n call sub\n sjmp "
         "again\n"
         "sub: movc a, @a+dptr\n jz main\n ret\nt: db 1, 2, 3\n",
         " ljmp main\n org 30h\nmain: mov dptr, #t\nagain: nop\n mov r2, #8\nl: djnz r2, l\n call sub\n sjmp "
         "again\n"
         "sub: movc a, @a+dptr\n jz main\n ret\nt: db 1, 2, 3\n",
         "+ 0x0033  nop                          00\n", 1},
        {"armv6m-32k",
         " vector stack, 20000400h\n vector reset, go\n vector systick, tick\n org 0c0h\ngo: ldr r0, =t\n bl "
         "sub\n b go\n"
         "sub: movs r1, #5\n bx lr\ntick: bx lr\n pool\n align 4\nt: dd 1, 2\n",
         " vector stack, 20000400h\n vector reset, go\n vector systick, tick\n org 0c0h\ngo: ldr r0, =t\n "
         "nop\n nop\n bl sub\n"
         " b go\nsub: movs r1, #5\n bx lr\ntick: bx lr\n pool\n align 4\nt: dd 1, 2\n",
         "+ 0x00c2  nop                          00 bf\n+ 0x00c4  nop ", 1},
        /* the same bytes but one jump that leads elsewhere */
        {"mcs51-4k", "a1: nop\na2: nop\n sjmp a1\n", "a1: nop\na2: nop\n sjmp a2\n", "- 0x0002  sjmp a1", 1},
        /* two things taken out, far apart, and one changed */
        {"mcs51-4k",
         " inc a\n mov r0, #1\n mov r1, #2\n mov r2, #3\n mov r3, #4\n clr c\n mov r4, #5\n rl a\n ret\n",
         " mov r0, #1\n mov r1, #2\n mov r2, #3\n mov r3, #9\n clr c\n mov r4, #5\n rl a\n",
         "- 0x0000  inc a", 3}};
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        text t = {0};
        oak_text_sink sink = text_sink(&t);
        oak_comparison found;
        collected diags;
        oak_part *of = load_part(cases[i].part);
        oak_program *before = assemble(of, cases[i].before, &diags),
                    *after = assemble(of, cases[i].after, &diags);
        if (!before || !after) show_collected(&diags);
        ck_assert_int_eq(oak_look_compare(before, after, &sink, &found), OAK_OK);
        ck_assert_msg(found.stretches == cases[i].stretches && strstr(t.bytes, cases[i].says),
                      "case %u: %u\n%s", i, found.stretches, t.bytes);
        free(t.bytes);
        oak_program_free(before);
        oak_program_free(after);
        oak_part_free(of);
    }
}
END_TEST

/* Whatever differs, what is shown and what is counted as moved account for every byte of both images. */
START_TEST(a_comparison_hides_nothing)
{
    uint64_t seed = 77;
    for (unsigned round = 0; round < 40; round++) {
        oak_program *side[2];
        for (unsigned s = 0; s < 2; s++) {
            ck_assert_int_eq(oak_program_create(&host, part, &side[s]), OAK_OK);
            uint8_t bytes[300];
            uint64_t own = s ? seed + round % 3 : seed;
            for (unsigned i = 0; i < sizeof bytes; i++)
                bytes[i] = (uint8_t)(random32(&own) % (round % 2 ? 7 : 256));
            if (s && round % 4 == 1) memmove(bytes + 20, bytes + 22, 200);
            ck_assert_int_eq(oak_image_write(oak_program_image(side[s]), 0, bytes, sizeof bytes - round),
                             OAK_OK);
            ck_assert_int_eq(oak_program_finish(side[s]), OAK_OK);
        }
        seed = seed * 3 + 1;
        text t = {0};
        oak_text_sink sink = text_sink(&t);
        oak_comparison found, itself;
        ck_assert_int_eq(oak_look_compare(side[0], side[1], &sink, &found), OAK_OK);
        bool same = true;
        for (unsigned i = 0; i < 300; i++) {
            uint8_t a = 0, b = 0;
            bool has = oak_image_byte(oak_program_image(side[0]), i, &a);
            same = same && has == oak_image_byte(oak_program_image(side[1]), i, &b) && a == b;
        }
        ck_assert_int_eq(same, !found.stretches && !found.moved);
        ck_assert_int_eq(oak_look_compare(side[0], side[0], &sink, &itself), OAK_OK);
        ck_assert(!itself.stretches && !itself.moved);
        free(t.bytes);
        oak_program_free(side[0]);
        oak_program_free(side[1]);
    }
}
END_TEST

START_TEST(an_instruction_is_explained_from_its_row)
{
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    ck_assert_int_eq(oak_explain_mnemonic(&host, part->architecture, "DJNZ", &sink), OAK_OK);
    ck_assert_ptr_nonnull(strstr(t.bytes,
                                 "djnz rn, rel\n  Subtract one from a register and jump if it is not zero.\n "
                                 " size      2 bytes, 2 machine cycles\n  flags     none\n"
                                 "  bits      | 1 1 0 1 1 n n n | r r r r r r r r |\n"));
    ck_assert_ptr_nonnull(strstr(t.bytes, "djnz direct, rel"));
    ck_assert_int_eq(oak_explain_mnemonic(&host, part->architecture, "dnjz", &sink), OAK_NOT_FOUND);
    ck_assert_int_eq(oak_explain_bytes(&host, part, (const uint8_t *)"\xd2\x8c", 2, &sink), OAK_OK);
    ck_assert_ptr_nonnull(strstr(t.bytes, "d2 8c  setb TR0\n"));
    ck_assert_ptr_nonnull(strstr(t.bytes, "  here      | 1 1 0 1 0 0 1 0 | 1 0 0 0 1 1 0 0 |\n"));
    ck_assert_int_eq(oak_explain_bytes(&host, part, (const uint8_t *)"\xa5", 1, &sink), OAK_REFUSED);
    ck_assert_int_eq(oak_explain_bytes(&host, part, (const uint8_t *)"\x75\x90", 2, &sink), OAK_OUT_OF_RANGE);
    free(t.bytes);
}
END_TEST

/* Where a target's bits come from: pages are put together, distances and whole addresses are not. */
START_TEST(a_target_is_drawn_with_what_it_is_put_together_from)
{
    static const struct {
        const char *part, *word, *drawn;
    } all[] = {
        {"mcs51-8k", "ajmp", "  target    | * * * * * p p p | p p p p p p p p |\n"},
        {"mcs51-8k", "acall", "  target    | * * * * * p p p | p p p p p p p p |\n"},
        {"mcs51-8k", "sjmp", NULL},
        {"mcs51-8k", "ljmp", NULL},
        {"z80-32k", "rst", NULL},
        {"armv7m-256k", "bl", NULL},
        {"picmid-8k", "goto",
         "  target    | P P a a a | a a a a a a a a |\n            P: PCLATH, 4 and PCLATH, 3"},
        {"picmid-8k", "call", ", this example goes to 0x0825\n"},
        {"picmid-8k", "btfss", NULL},
        {"pic18-32k", "goto",
         "  target    | A A A A A | A A A A A A A a | a a a a a a a 0 |\n            capitals are bits of "
         "the last word, 0 is "
         "always 0: 0x14 and 0x03 make 0x2806 in the example\n"},
        {"pic18-32k", "bra", NULL},
        {"z80-32k", "jp", "  target    | N N N N N N N N | n n n n n n n n |\n"},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        text t = {0};
        oak_text_sink sink = text_sink(&t);
        oak_part *one = load_part(all[i].part);
        ck_assert_int_eq(oak_explain_mnemonic(&host, one->architecture, all[i].word, &sink), OAK_OK);
        const char *found = strstr(t.bytes, all[i].drawn ? all[i].drawn : "  target ");
        ck_assert_msg((found != NULL) == (all[i].drawn != NULL), "%s: %s", all[i].word, t.bytes);
        free(t.bytes);
        oak_part_free(one);
    }
}
END_TEST

/* One routine of nested loops with fixed counts, for each of the architectures that say what loops count by. */
typedef struct counting {
    const char *part, *begin, *loop[2], *last[2], *plain, *back;
} counting;
static const counting countings[] = {
    {"picmid-8k",
     " config CONFIG: WDTE=off\n org 0\n call routine\nrest: goto rest\nroutine: nop\n",
     {"movlw %u\n movwf 0x30\nl%u:", "movlw %u\n movwf 0x31\nl%u:"},
     {" decfsz 0x30, f\n goto l%u\n", " decfsz 0x31, f\n goto l%u\n"},
     " incf 0x40, f\n",
     " return\n"},
    {"pic18-32k",
     " config CONFIG2H: WDTEN=off\n org 0\n call routine\nrest: bra rest\nroutine: nop\n",
     {"movlw %u\n movwf 0x30\nl%u:", "movlw %u\n movwf 0x31\nl%u:"},
     {" decf 0x30, f\n bnz l%u\n", " decfsz 0x31, f\n goto l%u\n"},
     " btfsc 0x40, 7\n movff 0x41, 0x42\n",
     " return\n"},
    {"mcs51-8k",
     " org 0\n acall routine\nrest: sjmp rest\nroutine: nop\n",
     {"mov r2, #%u\nl%u:", "mov 0x31, #%u\nl%u:"},
     {" djnz r2, l%u\n", " djnz 0x31, l%u\n"},
     " inc a\n",
     " ret\n"},
    {"z80-32k",
     " org 0\n ld sp, 0x9000\n call routine\nrest: jr rest\nroutine: nop\n",
     {"ld b, %u\nl%u:", "ld c, %u\nl%u:"},
     {" djnz l%u\n", " dec c\n jp nz, l%u\n"},
     " inc a\n",
     " ret\n"},
};

static void add_loops(char *source, size_t room, const counting *one, unsigned depth, uint64_t *seed,
                      unsigned *labels)
{
    unsigned bodies = 1 + random32(seed) % 2;
    for (unsigned i = 0; i < bodies; i++) {
        unsigned label = (*labels)++, count = 1 + random32(seed) % (depth ? 12 : 40);
        size_t end = strlen(source);
        if (random32(seed) % 8 == 0) count = 256; /* as 0 */
        snprintf(source + end, room - end, one->loop[depth], count % 256, label);
        for (unsigned k = random32(seed) % 3; k; k--) strcat(source, one->plain);
        if (!depth && random32(seed) % 2) add_loops(source, room, one, 1, seed, labels);
        end = strlen(source);
        snprintf(source + end, room - end, one->last[depth], label);
    }
}

static uint64_t run_of(const char *part, const char *source)
{
    bench b;
    bench_open(&b, part, source);
    oak_event event = bench_run(&b, 100000000, UINT64_MAX);
    ck_assert_msg(event.stop.reason == OAK_STOP_PARKED, "%s: %u: %s", part, event.stop.reason, source);
    uint64_t cycles = cycles_of(&b);
    bench_close(&b);
    return cycles;
}

/* What is said of a routine without running it: its line. */
static void routine_line(const char *part_name, const char *source, const char *routine, char *line,
                         size_t room)
{
    collected diags;
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    oak_part *one = load_part(part_name);
    oak_program *program = assemble(one, source, &diags);
    ck_assert_msg(program != NULL, "%s", source);
    ck_assert_int_eq(oak_look_routines(program, 0, &sink), OAK_OK);
    const char *at = strstr(t.bytes, routine);
    ck_assert_msg(at != NULL, "%s: %s", routine, t.bytes);
    snprintf(line, room, "%.*s", (int)strcspn(at, "\n"), at);
    free(t.bytes);
    oak_program_free(program);
    oak_part_free(one);
}

START_TEST(loops_with_a_fixed_count_take_as_long_as_is_said)
{
    uint64_t seed = 77;
    for (const counting *one = countings; one < countings + sizeof countings / sizeof *countings; one++) {
        char empty[400], line[300], unit[20];
        unsigned long long base, least, most;
        snprintf(empty, sizeof empty, "%s%s", one->begin, one->back);
        routine_line(one->part, empty, "routine              0x", line, sizeof line);
        ck_assert_int_eq(sscanf(line, "routine %*s %llu %*s %19s", &base, unit), 2);
        uint64_t overhead = run_of(one->part, empty) - base;
        for (unsigned round = 0; round < 12; round++) {
            char source[4000];
            unsigned labels = 0;
            snprintf(source, sizeof source, "%s ", one->begin);
            add_loops(source, sizeof source, one, 0, &seed, &labels);
            strcat(source, one->back);
            routine_line(one->part, source, "routine              0x", line, sizeof line);
            ck_assert_msg(sscanf(line, "routine %*s %llu %*s %19s %llu", &least, unit, &most) == 3, "%s: %s",
                          source, line);
            uint64_t ran = run_of(one->part, source) - overhead;
            ck_assert_msg(least <= ran && ran <= most, "%s of %s: %llu, said are %llu to %llu", source,
                          one->part, (unsigned long long)ran, least, most);
            if (strcmp(one->part, "pic18-32k")) ck_assert_uint_eq(least, most);
        }
    }
}
END_TEST

/* The shortest and the longest way; a loop that something else ends, a table, a routine that calls itself, one that never comes back. */
START_TEST(what_is_not_known_of_routines_is_said)
{
    static const struct {
        const char *part, *source, *said;
    } all[] = {
        {"mcs51-8k", " acall one\nrest: sjmp rest\none: jz two\n inc a\n inc a\ntwo: ret\n",
         "          4       4.000 us          6       6.000 us"},
        {"mcs51-8k", " acall one\nrest: sjmp rest\none: jnb p1.0, one\n ret\n",
         "          4       4.000 us          -  goes round at 0x0004, one, and nothing"},
        {"mcs51-8k", " acall one\nrest: sjmp rest\none: sjmp one\n",
         "          -                         -  never comes back: it circles at 0x0004, one"},
        {"mcs51-8k", " acall one\nrest: sjmp rest\none: jmp @a+dptr\n",
         "          -                         -  where it goes from 0x0004, one is worked out"},
        {"mcs51-8k", " acall one\nrest: sjmp rest\none: acall one\n ret\n", "-  calls itself at 0x0004, one"},
        {"mcs51-8k", " acall one\nrest: sjmp rest\none: mov r2, #3\nl: inc r2\n djnz r2, l\n ret\n",
         "goes round at 0x0006, l"},
        {"mcs51-8k", " acall one\nrest: sjmp rest\none: mov r2, #3\nl: mov @r0, a\n djnz r2, l\n ret\n",
         "goes round at"},
        {"z80-32k", " ld sp, 0x9000\n call one\nrest: jr rest\none: ldir\n ret\n",
         "the instruction at 0x0008, one repeats as often"},
        {"picmid-8k",
         " org 0\n call one\nrest: goto rest\none: addwf PCL, f\n retlw 1\n retlw 2\n goto far\nfar: nop\n "
         "return\n",
         "          4       4.000 us          7       7.000 us"},
        {"picmid-8k",
         " org 0\n call one\nrest: goto rest\none: movlw 5\n movwf 0x20\n call two\nl: decfsz 0x20, f\n goto "
         "l\n return\ntwo: clrf 0x21\n return\n",
         "         23      23.000 us         23      23.000 us"},
        {"picmid-8k",
         " org 0\n call one\nrest: goto rest\none: movlw 5\n movwf 0x20\n call two\nl: decfsz 0x20, f\n goto "
         "l\n return\ntwo: clrf 0x20\n return\n",
         "goes round at"},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        char line[400];
        routine_line(all[i].part, all[i].source, "one                  0x", line, sizeof line);
        ck_assert_msg(strstr(line, all[i].said) != NULL, "%s: %s", all[i].source, line);
    }
}
END_TEST

/* Every code that has examples: the wrong one gives just this code, the right one assembles. */
START_TEST(the_examples_of_every_code_are_true)
{
    const char *code, *wrong, *right;
    unsigned tried = 0;
    oak_part *others[] = {load_part("armv6m-32k"), load_part("armv7m-256k"), load_part("z80-32k"),
                          load_part("picmid-8k"),  load_part("pic18-32k"),   load_part("msp430-32k"),
                          load_part("cpu12-64k"),  load_part("rv32-256k"),   load_part("a32-512k"),
                          load_part("avr-32k"),    load_part("mcs4-4k")};
    for (unsigned i = 0; (code = oak_code_at(i, &wrong, &right)); i++) {
        text t = {0};
        oak_text_sink sink = text_sink(&t);
        ck_assert_int_eq(oak_explain_code(code, &sink), OAK_OK);
        ck_assert_int_eq(strncmp(t.bytes, code, strlen(code)), 0);
        free(t.bytes);
        if (!*wrong) continue;
        collected diags;
        const char *architecture = oak_code_architecture(i);
        const oak_part *for_it = part;
        for (unsigned k = 0; k < sizeof others / sizeof *others; k++)
            if (strcmp(architecture, others[k]->architecture->name) == 0) for_it = others[k];
        oak_program *program = assemble(for_it, wrong, &diags);
        ck_assert_msg(!program && strcmp(diags.one[0].code, code) == 0, "the wrong example of %s gives %s",
                      code, program ? "nothing" : diags.one[0].code);
        program = assemble(for_it, right, &diags);
        if (!program) show_collected(&diags);
        ck_assert_msg(program != NULL, "the right example of %s is refused", code);
        oak_program_free(program);
        tried++;
    }
    ck_assert_uint_gt(tried, 52);
    for (unsigned k = 0; k < sizeof others / sizeof *others; k++) oak_part_free(others[k]);
}
END_TEST

/* The table of the manual has every code, and every code that is written down in the sources is explained. */
START_TEST(every_code_is_in_the_manual_and_every_code_that_is_printed_is_explained)
{
    char *manual, *found, *error, row[80];
    const char *code, *wrong, *right;
    unsigned printed = 0;
    ck_assert_int_eq(shell("cat " SOURCE_FOLDER "/docs/diagnostics.md", &manual, &error), 0);
    free(error);
    for (unsigned i = 0; (code = oak_code_at(i, &wrong, &right)); i++) {
        snprintf(row, sizeof row, "\n| `%s` | ", code);
        ck_assert_msg(strstr(manual, row) != NULL, "docs/diagnostics.md has no row for %s", code);
    }
    free(manual);
    ck_assert_int_eq(shell("cd " SOURCE_FOLDER
                           " && cat src/*/*.c src/isa/*/*.c cli/*.c cli/*/*.c | tr '\\n' ' ' | "
                           "grep -oE '((cli_complain|REFUSE_AT|refuse|"
                           "oak_refuse|asm_warn)\\([^\";]*|code = )\"[a-z]+(-[a-z]+)+\"' | grep -oE "
                           "'[a-z]+(-[a-z]+)+' | sort -u",
                           &found, &error),
                     0);
    for (char *rest, *at = strtok_r(found, "\n", &rest); at; at = strtok_r(NULL, "\n", &rest)) {
        text t = {0};
        oak_text_sink sink = text_sink(&t);
        ck_assert_msg(oak_explain_code(at, &sink) == OAK_OK, "nothing explains %s", at);
        free(t.bytes);
        printed++;
    }
    ck_assert_uint_gt(printed, 60);
    free(found), free(error);
}
END_TEST

START_TEST(s_records_are_written_and_read_back)
{
    uint64_t seed = 9;
    for (unsigned round = 0; round < 40; round++) {
        oak_image *image, *again;
        text t = {0}, first = {0}, second = {0};
        oak_text_sink sink = text_sink(&t), a = text_sink(&first), b = text_sink(&second);
        collected diags;
        oak_diag_sink collector = collect(&diags);
        oak_image_create(&host, &image);
        oak_image_create(&host, &again);
        for (unsigned piece = 0; piece < 8; piece++) {
            uint8_t bytes[100];
            for (size_t i = 0; i < sizeof bytes; i++) bytes[i] = (uint8_t)random32(&seed);
            oak_image_write(image, random32(&seed) >> (round % 3 * 8 + 4), bytes, 1 + random32(&seed) % 99);
        }
        if (round % 2) oak_image_set_entry(image, 1 + random32(&seed) % 1000);
        ck_assert_int_eq(oak_srec_write(image, 1 + random32(&seed) % 250, &sink), OAK_OK);
        oak_status status = oak_srec_read(again, t.bytes, t.size, "t.srec", &collector);
        if (status) show_collected(&diags);
        ck_assert_int_eq(status, OAK_OK);
        oak_hex_write(image, 16, &a);
        oak_hex_write(again, 16, &b);
        ck_assert_str_eq(first.bytes, second.bytes);
        /* any changed digit is refused, at its line */
        size_t at = random32(&seed) % (t.size - 1);
        while (t.bytes[at] == '\n' || t.bytes[at] == 'S') at++;
        unsigned line = 1;
        for (size_t i = 0; i < at; i++) line += t.bytes[i] == '\n';
        t.bytes[at] = t.bytes[at] == '3' ? '8' : '3';
        oak_image *other;
        oak_image_create(&host, &other);
        collect(&diags);
        ck_assert_int_eq(oak_srec_read(other, t.bytes, t.size, "t.srec", &collector), OAK_REFUSED);
        ck_assert_uint_eq(diags.one[0].line, line);
        oak_image_free(other);
        oak_image_free(image);
        oak_image_free(again);
        free(t.bytes);
        free(first.bytes);
        free(second.bytes);
    }
}
END_TEST

START_TEST(faults_of_s_records_are_named)
{
    static const struct {
        const char *source, *code;
        unsigned line;
    } cases[] = {{"S1060000020033C4\n", "hex-no-end", 1},
                 {"S1060000020033C5\nS9030000FC\n", "hex-checksum", 1},
                 {"S10600000200C4\nS9030000FC\n", "hex-length", 1},
                 {"X\n", "hex-start", 1},
                 {"S4030000FC\nS9030000FC\n", "hex-type", 1},
                 {"S9030000FC\nS9030000FC\n", "hex-after-end", 2},
                 {"S1060000020033C4\nS5030002FA\nS9030000FC\n", "srec-count", 2},
                 {"S10400004\x01"
                  "BB\nS9030000FC\n",
                  "hex-digit", 1}};
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        oak_image *image;
        collected diags;
        oak_diag_sink sink = collect(&diags);
        oak_image_create(&host, &image);
        ck_assert_int_eq(oak_srec_read(image, cases[i].source, strlen(cases[i].source), "t", &sink),
                         OAK_REFUSED);
        ck_assert_str_eq(diags.one[0].code, cases[i].code);
        ck_assert_uint_eq(diags.one[0].line, cases[i].line);
        oak_image_free(image);
    }
}
END_TEST

START_TEST(raw_binary_fills_the_holes)
{
    oak_image *image;
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    uint32_t base;
    oak_image_create(&host, &image);
    oak_image_write(image, 0x100, "ab", 2);
    oak_image_write(image, 0x105, "c", 1);
    ck_assert_int_eq(oak_raw_write(image, '.', 100, &sink, &base), OAK_OK);
    ck_assert_uint_eq(base, 0x100);
    ck_assert_uint_eq(t.size, 6);
    ck_assert_mem_eq(t.bytes, "ab...c", 6);
    ck_assert_int_eq(oak_raw_write(image, '.', 5, &sink, &base), OAK_OUT_OF_RANGE);
    free(t.bytes);
    oak_image_free(image);
}
END_TEST

/* ------------------------------------------------------------------------------------------ files and sections */

static char folder[60];

static void put(const char *name, const char *source)
{
    char path[200];
    snprintf(path, sizeof path, "%.50s/%s", folder, name);
    FILE *file = fopen(path, "w");
    fputs(source, file);
    fclose(file);
}

static oak_program *assemble_two(const char *first, const char *second, collected *diags)
{
    char a[100], b[100];
    oak_program *program = NULL;
    oak_diag_sink sink = collect(diags);
    snprintf(a, sizeof a, "%.50s/%s", folder, first);
    snprintf(b, sizeof b, "%.50s/%s", folder, second);
    const char *const paths[] = {a, b};
    oak_asm_settings settings = {.paths = paths, .path_count = 2};
    oak_assemble_files(&host, part, &settings, &sink, &program);
    return program;
}

START_TEST(the_order_of_independent_files_changes_no_byte)
{
    collected diags;
    text one = {0}, two = {0};
    oak_text_sink first = text_sink(&one), second = text_sink(&two);
    snprintf(folder, sizeof folder, "/tmp/oak-look-%d", (int)getpid());
    char command[200], *o, *e;
    snprintf(command, sizeof command, "mkdir -p %.50s", folder);
    shell(command, &o, &e);
    free(o);
    free(e);
    put("a.asm",
        " export main\n entry main\n vector reset, main\n vector timer0, tick\n section prog, code\nmain: "
        "call work\n.again: sjmp .again\ntick: inc count\n reti\n section vars, iram\ncount: ds 1\n");
    put("b.asm", " export work\n section text, code, align 16\nwork: mov dptr, #table\n inc count\n ret\n "
                 "section tables, code\ntable: db 1, 2, 3\n section more, iram\ncount: ds 2\n");
    oak_program *ab = assemble_two("a.asm", "b.asm", &diags);
    if (!ab) show_collected(&diags);
    oak_program *ba = assemble_two("b.asm", "a.asm", &diags);
    ck_assert(ab && ba);
    oak_hex_write(oak_program_image(ab), 16, &first);
    oak_hex_write(oak_program_image(ba), 16, &second);
    ck_assert_str_eq(one.bytes, two.bytes);
    const oak_section *section;
    unsigned placed = 0;
    for (unsigned i = 0; (section = oak_program_section(ab, i)); i++) {
        if (!section->placed) continue;
        placed++;
        const oak_part_memory *memory = oak_part_find_memory(part, section->space, section->address);
        ck_assert(memory && section->address >= memory->first_free);
        if (strcmp(section->name, "text") == 0) ck_assert_uint_eq(section->address % 16, 0);
    }
    ck_assert_uint_eq(placed, 5);
    uint32_t entry;
    ck_assert(oak_image_entry(oak_program_image(ab), &entry) &&
              entry == oak_program_find(ab, "main", 4)->value);
    free(one.bytes);
    free(two.bytes);
    oak_program_free(ab);
    oak_program_free(ba);
}
END_TEST

START_TEST(a_name_of_another_file_must_be_exported)
{
    collected diags;
    put("c.asm", " call hidden\n call shown\nx: sjmp x\n");
    put("d.asm", " export shown\nshown: ret\nhidden: ret\n");
    ck_assert_ptr_null(assemble_two("c.asm", "d.asm", &diags));
    ck_assert_uint_eq(diags.count, 1);
    ck_assert_str_eq(diags.one[0].code, "unknown-symbol");
    ck_assert_ptr_nonnull(strstr(diags.one[0].hint, "d.asm, line 3: write `export hidden` there"));
    put("e.asm", " export shown, nothing\nshown: ret\n");
    ck_assert_ptr_null(assemble_two("d.asm", "e.asm", &diags));
    ck_assert_uint_eq(diags.count, 2); /* exported twice; exported and not defined */
}
END_TEST

START_TEST(sections_that_do_not_fit_are_refused)
{
    collected diags;
    ck_assert_ptr_null(assemble(part, " section big, code\n ds 9000\n", &diags));
    ck_assert_uint_eq(diags.count, 1);
    ck_assert_str_eq(diags.one[0].code, "no-room");
    oak_program *program = assemble(
        part, " org 0x100\n ds 0x1e00\n section big, code\nx: ds 200\n section small, code\n ds 0x80\n",
        &diags);
    if (!program) show_collected(&diags);
    ck_assert_ptr_nonnull(program);
    ck_assert_int_eq(oak_program_find(program, "x", 1)->value, 0x33); /* before, and behind what org placed */
    ck_assert_uint_eq(oak_program_section(program, 2)->address, 0x1f00);
    oak_program_free(program);
    ck_assert_ptr_null(assemble(part, " section s\n", &diags));
    ck_assert_ptr_null(assemble(part, " section s, code\n section s, iram\n", &diags));
    ck_assert_str_eq(diags.one[0].code, "section");
}
END_TEST

int main(void)
{
    const test_function tests[] = {the_examples_come_back_to_the_same_bytes,
                                   random_images_come_back_to_the_same_bytes,
                                   every_short_code_of_a_conditional_block_comes_back,
                                   code_is_told_from_data_and_labelled,
                                   a_difference_is_shown_as_whole_instructions,
                                   what_is_put_in_is_one_difference,
                                   a_comparison_hides_nothing,
                                   an_instruction_is_explained_from_its_row,
                                   a_target_is_drawn_with_what_it_is_put_together_from,
                                   loops_with_a_fixed_count_take_as_long_as_is_said,
                                   what_is_not_known_of_routines_is_said,
                                   the_examples_of_every_code_are_true,
                                   s_records_are_written_and_read_back,
                                   faults_of_s_records_are_named,
                                   raw_binary_fills_the_holes,
                                   the_order_of_independent_files_changes_no_byte,
                                   a_name_of_another_file_must_be_exported,
                                   sections_that_do_not_fit_are_refused,
                                   every_code_is_in_the_manual_and_every_code_that_is_printed_is_explained};
    host = oak_linux_host();
    oak_diag_sink none = {0};
    if (oak_part_load(&host, SOURCE_FOLDER "/parts/mcs51-8k.yaml", &none, &part) ||
        oak_part_load(&host, SOURCE_FOLDER "/parts/mcs51-64k.yaml", &none, &wide))
        return 2;
    int failed = run_suite("look", tests, sizeof tests / sizeof *tests);
    oak_part_free(part);
    oak_part_free(wide);
    return failed ? EXIT_FAILURE : EXIT_SUCCESS;
}
