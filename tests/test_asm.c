/* The assembler: what the source becomes, and what is said of mistakes. */
#include "support.h"

#include <stdio.h>

static oak_part *part;

/* The bytes of the program from address 0, as hex. */
static const char *bytes_of(const char *source)
{
    static char hex[4000];
    collected diags;
    if (!part) part = load_part("mcs51-8k");
    oak_program *program = assemble(part, source, &diags);
    hex[0] = 0;
    if (!program) {
        show_collected(&diags);
        return "refused";
    }
    uint8_t byte;
    for (unsigned at = 0; at < 1500 && oak_image_byte(oak_program_image(program), at, &byte); at++)
        sprintf(hex + 2 * at, "%02x", byte);
    oak_program_free(program);
    return hex;
}

START_TEST(labels_comments_and_case_are_taken_in_every_form)
{
    ck_assert_str_eq(bytes_of("start: MOV A,#1 ; one\nnext\n\tNoP\n\ttwo: three: INC a // and more\n.org "
                              "4\nlast jmp START\r\n"),
                     "7401000480fa");
}
END_TEST

START_TEST(numbers_and_characters_are_read_in_every_form)
{
    ck_assert_str_eq(
        bytes_of(
            " db 42, 0x2a, 2ah, 0b101010, 101010b, 0o52, '*', 0010_1010b, 0FFh, '\\n', '\\'', '\\x41', ';'"),
        "2a2a2a2a2a2a2a2aff0a27413b");
    ck_assert_str_eq(bytes_of(" db \"wood; \\\"oak\\\"\\t\", 0"), "776f6f643b20226f616b220900");
    ck_assert_str_eq(bytes_of(" dw 0x1234, 'A', -1"), "12340041ffff");
}
END_TEST

START_TEST(expressions_follow_the_precedence_of_c)
{
    ck_assert_str_eq(bytes_of(" db 2+3*4, (2+3)*4, 1<<3|1, ~0&0xf, !5, -3+10, 7/2, -7/2+10, 7%4, 1==1, "
                              "2>1&&1>2, 5>3?9:8, 0x1234>>4&0xff"),
                     "0e14090f0007030703010009"
                     "23");
    ck_assert_str_eq(bytes_of("a1 equ 0x1234\n db low(a1), high(a1), low a1+1, $, ., $-a2\na2:"),
                     "3412350000fa"); /* $ is where the statement begins */
}
END_TEST

START_TEST(names_are_known_before_they_are_defined)
{
    ck_assert_str_eq(bytes_of(" mov a, #later\n sjmp ahead\nlater equ last*2\nlast equ 7\nahead: nop"),
                     "740e800000");
    ck_assert_str_eq(bytes_of("n set 1\n db n\nn set n+1\n db n\nn set n*5\n db n"), "01020a");
}
END_TEST

START_TEST(registers_and_bits_of_the_part_are_known)
{
    ck_assert_str_eq(bytes_of(" mov p1, a\n setb TR0\n clr p1.3\n mov c, acc.7\n setb 20h.1\n jb cy, $\nlamp "
                              "bit p3.5\n cpl lamp\n mov t2con, #0"),
                     "f590d28cc293a2e7d20120d7fdb2b575c800");
}
END_TEST

START_TEST(spaces_give_variables_their_place)
{
    ck_assert_str_eq(bytes_of(" org iram:0x30\ncount: ds 2\nother: ds 1\n org bit:8\nflag: ds 1\n org "
                              "xram:0x1234\nlog: ds 4\nend_of: ds 1\n org code:0\n"
                              " mov a, count+1\n inc other\n setb flag\n mov dptr, #log\n db "
                              "end_of-log\nport equ sfr:0x90\n mov port, a"),
                     "e5310532d20890123404f590");
}
END_TEST

START_TEST(jumps_and_calls_take_the_shortest_form_that_reaches)
{
    ck_assert_str_eq(bytes_of(" jmp near\n nop\nnear: call near"), "8001001103");
    /* just inside and just outside of each reach */
    collected diags;
    char source[300];
    static const struct {
        unsigned gap, size;
    } cases[] = {{127, 2}, {128, 2}, {0x7fe - 2, 2}, {0x7ff, 3}, {0x1000, 3}};
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        snprintf(source, sizeof source, " jmp far\n%s ds %u\nfar: nop", "here:", cases[i].gap);
        oak_program *program = assemble(part, source, &diags);
        ck_assert_ptr_nonnull(program);
        ck_assert_int_eq(oak_program_find(program, "here", 4)->value, cases[i].size);
        oak_program_free(program);
    }
    /* a chain in which every jump that grows pushes the next out of reach */
    char *long_source = malloc(40000), *at = long_source;
    for (unsigned i = 0; i < 300; i++) at += sprintf(at, "l%u: jmp l%u\n", i, i + 63 < 300 ? i + 63 : 0);
    oak_program *program = assemble(part, long_source, &diags);
    show_collected(&diags);
    ck_assert_ptr_nonnull(program);
    oak_program_free(program);
    free(long_source);
}
END_TEST

START_TEST(backward_out_of_a_page_a_longer_form_is_found)
{
    collected diags;
    oak_program *program =
        assemble(part, " org 0x7f0\nlow_page: nop\n org 0x7fe\n call low_page\n call low_page\n", &diags);
    show_collected(&diags);
    ck_assert_ptr_nonnull(program);
    uint8_t byte;
    ck_assert(oak_image_byte(oak_program_image(program), 0x7fe, &byte) &&
              byte == 0x12); /* the next instruction is in another page */
    oak_program_free(program);
}
END_TEST

START_TEST(macros_swap_words_and_keep_their_own_labels)
{
    ck_assert_str_eq(bytes_of("wait macro n, reg=r2\n local again\n mov reg, #n\nagain: djnz reg, again\n "
                              "endm\nstart: wait 5\n wait 6, r3\n sjmp start"),
                     "7a05dafe7b06dbfe80f6");
    ck_assert_str_eq(bytes_of("say macro text\n db \"{text}!\", text\n endm\nk equ 7\n say k\n"), "6b2107");
    ck_assert_str_eq(bytes_of("outer macro a1\n inner a1, (1, 2)\n endm\ninner macro x, y\n db x ; x stays "
                              "in comments\n endm\n outer 3\n"),
                     "03");
    ck_assert_str_eq(bytes_of("down macro n\n if n > 0\n db n\n down n-1\n endif\n endm\n down 3"),
                     "030201"); /* recursive to an end */
}
END_TEST

START_TEST(repetitions_count_and_go_through_lists)
{
    ck_assert_str_eq(bytes_of(" repeat 3, n\n repeat 2, m\n db n*16+m\n endr\n endr"), "000110112021");
    ck_assert_str_eq(bytes_of(" repeat 0\n db 1\n endr\n repeat 2\n db 2\n endr"), "0202");
    ck_assert_str_eq(bytes_of(" each r, r0, r3, r7\n inc r\n endr"), "080b0f");
    ck_assert_str_eq(bytes_of(" repeat 3, i\nlamp_{i} equ 1<<i\n endr\n db lamp_0, lamp_1, lamp_2"),
                     "010204");
}
END_TEST

START_TEST(conditions_choose_what_is_read)
{
    ck_assert_str_eq(bytes_of("k equ 2\n if k == 1\n db 1\n elseif k == 2\n db 2\n if 0\n db 9\n else\n db "
                              "3\n endif\n else\n db 4\n endif"),
                     "0203");
    ck_assert_str_eq(bytes_of(" ifdef k\n rubbish here\n endif\n ifndef k\n db 1\n endif\nk equ 1\n ifdef "
                              "k\n db 2\n endif\n db defined(k), defined(q)"),
                     "01020100");
}
END_TEST

START_TEST(local_labels_belong_to_the_label_before_them)
{
    ck_assert_str_eq(bytes_of("one: nop\n.again: djnz r2, .again\ntwo:\n.again sjmp .again\n ljmp one"),
                     "00dafe80fe020000");
}
END_TEST

START_TEST(structures_bits_and_alignment_give_numbers)
{
    ck_assert_str_eq(
        bytes_of(" struct log\nhour: ds 1\ncount: ds 2\n ends\n bits busy, -, done\n db log_hour, log_count, "
                 "log_size, busy, 1<<done, length(\"oak\"), min(4, 3), max(4, 3)"),
        "0001030004030304");
    collected diags;
    oak_program *program = assemble(part, " nop\n align 8\nat: nop\n assert at == 8, \"moved\"\n", &diags);
    ck_assert_ptr_nonnull(program);
    ck_assert_int_eq(oak_program_find(program, "at", 2)->value, 8);
    oak_program_free(program);
}
END_TEST

START_TEST(a_mistake_in_a_macro_is_told_once_with_its_way)
{
    collected diags;
    ck_assert_ptr_null(assemble(part, "m macro\n mvo a, #1\n endm\n m\n nop\n m\n", &diags));
    ck_assert_uint_eq(diags.count, 2);
    ck_assert_uint_eq(diags.one[0].line, 2);
    ck_assert_str_eq(diags.one[0].code, "unknown-operation");
    ck_assert_int_eq(diags.one[1].severity, OAK_NOTE);
    ck_assert_uint_eq(diags.one[1].line, 4);
    ck_assert_str_eq(diags.one[1].message, "it is expanded here");
}
END_TEST

START_TEST(what_never_ends_is_refused_at_once)
{
    static const char *const sources[][2] = {
        {"m macro\n m\n endm\n m\n", "too-deep"},
        {" repeat 1<<40\n nop\n endr", "value-range"},
        {"m macro\n repeat 1000000\n db "
         "\"0123456789012345678901234567890123456789012345678901234567890123456789\"\n endr\n endm\n m",
         "too-much-text"},
        {"m macro x\n m x x\n endm\n m 1\n", "line-length"}};
    for (unsigned i = 0; i < 4; i++) {
        collected diags;
        ck_assert_ptr_null(assemble(part, sources[i][0], &diags));
        bool found = false;
        for (unsigned d = 0; d < diags.count && d < MOST_COLLECTED; d++)
            found = found || strcmp(diags.one[d].code, sources[i][1]) == 0;
        ck_assert_msg(found, "%u: %s %s", i, diags.one[0].code, diags.one[0].message);
        ck_assert_uint_lt(diags.count, 64);
    }
}
END_TEST

START_TEST(warnings_are_given_and_can_be_silenced)
{
    static const struct {
        const char *source, *code;
        unsigned line, column, column_end;
    } cases[] = {{"x: mov r2, 20\n sjmp x", "missing-mark", 1, 12, 14},
                 {"x: mov a, #p1\n sjmp x", "doubtful-mark", 1, 11, 14},
                 {"nop: sjmp nop", "operation-as-label", 1, 1, 4},
                 {" nop\n db 1", "runs-off", 1, 2, 5},
                 {" inc a", "runs-off", 1, 2, 7},
                 {"x: sjmp y\ny: db 1", "jump-into-data", 1, 1, 10},
                 {" mov r2, #0\nx: nop\n djnz r2, x\ny: sjmp y", "counts-from-zero", 1, 2, 12},
                 {" mov 0x30, #0\nx: djnz 0x30, x\ny: sjmp y", "counts-from-zero", 1, 2, 14},
                 {" call s\ny: sjmp y\ns: inc a\n sjmp s", "never-returns", 3, 1, 9},
                 {" vector reset, y\n vector timer0, t\n org 0x40\ny: sjmp y\nt: inc a\n ret",
                  "handler-return", 6, 2, 5},
                 {" org 0\n ljmp y\n org 0bh\n inc a\n ret\n org 0x40\ny: sjmp y", "handler-return", 5, 2, 5},
                 {"RTI\ny: sjmp y", "operation-as-label", 1, 1, 4},
                 {"CPLP1\ny: sjmp y", "operation-as-label", 1, 1, 6},
                 {"count equ 5\n clr count\ny: sjmp y", "doubtful-mark", 2, 6, 11},
                 {" mov r0, #y\ny: sjmp y", "doubtful-mark", 1, 10, 12}};
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        collected diags;
        oak_program *program = assemble(part, cases[i].source, &diags);
        ck_assert_ptr_nonnull(program);
        if (diags.count != 1) show_collected(&diags);
        ck_assert_uint_eq(diags.count, 1);
        ck_assert_int_eq(diags.one[0].severity, OAK_WARNING);
        ck_assert_str_eq(diags.one[0].code, cases[i].code);
        ck_assert_uint_eq(diags.one[0].line, cases[i].line);
        ck_assert_uint_eq(diags.one[0].column, cases[i].column);
        ck_assert_uint_eq(diags.one[0].column_end, cases[i].column_end);
        oak_program_free(program);
    }
    static const char *const quiet[] = {"x: mov r2, 20 ; allow(missing-mark)\n sjmp x",
                                        "x: mov r2, 0x14\n mov a, 5+1\n push 3\n mov 30, a\n inc 20\n sjmp x",
                                        "x: mov r0, #buf\n sjmp x\n org iram:0x40\nbuf: ds 1",
                                        "x: call s\n sjmp x\ns: ret\n db 1",
                                        "x: mov r2, #0\n inc r2\ny: djnz r2, y\n sjmp x",
                                        " call s\ny: sjmp y\ns: jz t\n sjmp s\nt: ret",
                                        " call s\ny: sjmp y\ns: jmp @a+dptr"};
    for (unsigned i = 0; i < sizeof quiet / sizeof *quiet; i++) {
        collected diags;
        oak_program *program = assemble(part, quiet[i], &diags);
        show_collected(&diags);
        ck_assert(program && diags.count == 0);
        oak_program_free(program);
    }
}
END_TEST

/* Every diagnostic: its code, line, columns (from 1; the end is one past), and words of message and hint. */
typedef struct wrong {
    const char *source, *code;
    unsigned line, column, column_end;
    const char *says, *hints;
} wrong;

static const wrong wrongs[] = {
    {" mvo a, #1", "unknown-operation", 1, 2, 5, "`mvo`", "`mov`"},
    {" mov a, #conut\ncount equ 3", "unknown-symbol", 1, 10, 15, "`conut` is not defined", "`count`"},
    {"\n\n  djnz r9, 0", "unknown-symbol", 3, 8, 10, "r9", NULL},
    {" mov r1, @r0", "no-such-form", 1, 6, 8, "`mov` has no form", "Write `mov a, @r0`"},
    {" mov dptr, a", "no-such-form", 1, 2, 13, "`mov` has no form", "Write `mov DPL, a`"},
    {" add a 5", "extra-text", 1, 8, 9, "5", "commas"},
    {" push a", "no-such-form", 1, 7, 8, "push", "acc"},
    {" push r3", "no-such-form", 1, 7, 9, "push", "write 3"},
    {" cjne r2, 5, $", "no-such-form", 1, 11, 12, "cjne", "#"},
    {" mov dptr, 5", "no-such-form", 1, 12, 13, "mov", "#"},
    {" mov @r5, a", "pointer-register", 1, 6, 9, "r0 and r1", "r0 or r1"},
    {" movx a, @dtpr", "pointer-register", 1, 10, 15, "point", "@dptr"},
    {" mov a, #300", "value-range", 1, 9, 13, "does not fit 8 bits", "low("},
    {" mov a, #-129", "value-range", 1, 9, 14, "-129", NULL},
    {" mov dptr, #65536", "value-range", 1, 12, 18, "16 bits", NULL},
    {" mov a, 256", "value-range", 1, 9, 12, "0 and 0xff", "movx"},
    {" setb 256", "value-range", 1, 7, 10, "256", NULL},
    {" org xram:0x4000\nlog: ds 1\n org code:0\n mov a, log", "wrong-space", 4, 9, 12, "external RAM",
     "mov dptr, #log"},
    {"table: db 1\n mov a, table", "wrong-space", 2, 9, 14, "code memory", "movc a, @a+dptr"},
    {" org iram:0x90\nbuf: ds 1\n org code:0\n mov a, buf", "wrong-space", 4, 9, 12, "only a pointer",
     "mov r0, #buf"},
    {" org bit:0\nf: ds 1\n org code:0\n mov a, f", "wrong-space", 4, 9, 10, "single bit", "mov c, f"},
    {" setb p1", "wrong-space", 1, 7, 9, "whole byte", "P1.0 to P1.7"},
    {" setb tmod", "wrong-space", 1, 7, 11, "whole byte", "anl TMOD"},
    {" org iram:0x31\nv: ds 1\n org code:0\n clr v", "wrong-space", 4, 6, 7, "whole byte", "0x20 to 0x2f"},
    {" sjmp far\n ds 128\nfar: nop", "branch-reach", 1, 7, 10, "128 bytes forward", "jmp far"},
    {" jz far\n ds 200\nfar: nop", "branch-reach", 1, 5, 8, "200 bytes forward", "jnz skip"},
    {"back: nop\n ds 200\n djnz r2, back", "branch-reach", 3, 11, 15, "203 bytes back", "near"},
    {" ajmp far\n org 0x900\nfar: nop", "branch-reach", 1, 7, 10, "2 KiB page", "jmp far"},
    {" ljmp p1", "wrong-space", 1, 7, 9, "no place in code", "label"},
    {"a: nop", "reserved-name", 1, 1, 2, "register", "another name"},
    {"high: nop", "reserved-name", 1, 1, 5, "word of expressions", NULL},
    {"iram: nop", "reserved-name", 1, 1, 5, "word of expressions", NULL},
    {"p1: nop", "reserved-name", 1, 1, 3, "already a register or bit", NULL},
    {"x: nop\nX: nop", "defined-twice", 2, 1, 2, "already defined in line 1", "either case"},
    {"x equ 1\nx equ 2", "defined-twice", 2, 1, 2, "line 1", NULL},
    {"x equ y\ny equ x\n mov a, #x", "circular", 2, 7, 8, "defined by itself", NULL},
    {" db 1/0", "division-by-zero", 1, 5, 8, "zero", NULL},
    {" db (1+2", "expression", 1, 5, 6, "not closed", NULL},
    {" db 1+", "expression", 1, 7, 8, "missing", NULL},
    {" db 0x1G", "number", 1, 5, 9, "no number", NULL},
    {" mov a, #0FFF", "number", 1, 10, 14, "no number", "0x0FFF"},
    {"start  movw a, #5\n jmp start", "unknown-operation", 1, 8, 12, "`movw` is no instruction", "mov"},
    {"mvo  a, #5", "unknown-operation", 1, 1, 4, "`mvo` is no instruction", "mov"},
    {" mov a, #FFh", "unknown-symbol", 1, 10, 13, "not defined", "begins with a digit: write 0FFh"},
    {" mov a, #12345b", "number", 1, 10, 16, "no number", "Binary digits are 0 and 1"},
    {" db 99999999999999999999", "number", 1, 5, 25, "64 bits", NULL},
    {" db 'ab'", "character", 1, 5, 9, "character", "double quotes"},
    {" db \"no end", "text-end", 1, 5, 12, "no end", NULL},
    {" db \"a\\q\"", "character", 1, 7, 9, "escape", NULL},
    {" db 256", "value-range", 1, 5, 8, "8 bits", "dw"},
    {" dw 65536", "value-range", 1, 5, 10, "16 bits", NULL},
    {" db", "operand-missing", 1, 2, 4, "at least one", NULL},
    {" ds", "operand-missing", 1, 2, 4, "needs a value", NULL},
    {" ds -1", "value-range", 1, 5, 7, "-1", NULL},
    {" ds 4294967296", "value-range", 1, 5, 15, "4294967296", NULL},
    {" org later\nlater: nop", "not-known-yet", 1, 6, 11, "known here", "above"},
    {" equ 5", "name-missing", 1, 2, 5, "name before", NULL},
    {" org 0x2000\n nop", "outside-memory", 2, 1, 2, "0x2000", "ends at 0x1fff"},
    {" org iram:0x30\n db 1", "not-code-space", 2, 1, 2, "internal RAM", "ds"},
    {" nop\n nop\n org 1\n nop", "overlap", 4, 1, 2, "taken by line 2", "org"},
    {" mov a, r3.1", "extra-text", 1, 11, 13, ".1", NULL},
    {" mov c, a.1", "accumulator-bit", 1, 9, 10, "register name", "acc.0"},
    {" db r3", "register-in-expression", 1, 5, 7, "r3", NULL},
    {" mov a, #\"x\"", "expression", 1, 10, 11, "text", "'A'"},
    {" mov a, #iram[5]", "run-time-value", 1, 10, 17, "while the program runs", NULL},
    {" setb 0x31.2", "no-bit", 1, 7, 13, "no address of its own", "mask"},
    {" ?", "statement", 1, 2, 3, "`?`", NULL},
    {"loop_one", NULL, 0, 0, 0, NULL, NULL}, /* a label in column one needs no colon */
    {"  loop_one", "unknown-operation", 1, 3, 11, "loop_one", "`loop_one:`"},
    {"lamp bit p1", "wrong-space", 1, 10, 12, "no single bit", ".0"},
    {" jmp", "no-such-form", 1, 2, 5, "needs operands", "jmp target"},
    {"m macro\n nop", "not-closed", 1, 1, 2, "no end", "endm"},
    {" repeat 2\n nop", "not-closed", 1, 2, 8, "no end", "endr"},
    {" if 1\n nop", "not-closed", 1, 1, 2, "no end", "endif"},
    {" endif", "no-condition", 1, 2, 7, "without an if", NULL},
    {" else", "no-condition", 1, 2, 6, "without an if", NULL},
    {" endm", "no-macro", 1, 2, 6, "without a beginning", NULL},
    {" ends", "no-macro", 1, 2, 6, "without a struct", NULL},
    {" struct s\nx: ds 1", "not-closed", 1, 1, 2, "no end", "ends"},
    {" struct s\n db 1\n ends", "in-structure", 2, 2, 4, "inside a structure", NULL},
    {"m macro a1\n endm\n m", "macro-argument", 3, 2, 3, "`a1` is missing", NULL},
    {"m macro a1\n endm\n m 1, 2", "macro-argument", 3, 7, 8, "one more", NULL},
    {"m macro 5\n endm", "macro-parameter", 1, 9, 10, "no parameter", NULL},
    {"m macro\n endm\nm macro\n endm", "defined-twice", 3, 1, 2, "line 1", NULL},
    {"nop macro\n endm", "reserved-name", 1, 1, 4, "already an instruction", NULL},
    {" if later\n endif\nlater equ 1", "not-known-yet", 1, 5, 10, "known here", NULL},
    {" assert 1 == 2, \"the table is too long\"", "assertion", 1, 9, 15, "the table is too long", NULL},
    {" error \"stop at \", 5", "error-directive", 1, 2, 7, "stop at 5", NULL},
    {" include \"no-such.asm\"", "no-file", 1, 10, 23, "no-such.asm", "beside"},
    {" include other.asm", "text-missing", 1, 10, 11, "missing", "double quotes"},
    {" incbin \"no-such.bin\"", "no-file", 1, 9, 22, "no-such.bin", NULL},
    {" align 0", "value-range", 1, 8, 9, "alignment", NULL},
    {" local x1", "no-macro", 1, 2, 7, "into a macro", NULL},
    {" each x1", "operand-missing", 1, 2, 6, "list", "each reg"},
    {" mov a, #min(1)", "expression", 1, 10, 15, "two values", NULL},
    {" mov a, #1 2", "extra-text", 1, 12, 13, "2", NULL},
};

START_TEST(every_mistake_is_named_with_its_place)
{
    for (unsigned i = 0; i < sizeof wrongs / sizeof *wrongs; i++) {
        const wrong *w = &wrongs[i];
        collected diags;
        oak_program *program = assemble(part, w->source, &diags);
        if (!w->code) {
            ck_assert_msg(program != NULL, "refused: %s", w->source);
            oak_program_free(program);
            continue;
        }
        ck_assert_msg(program == NULL, "accepted: %s", w->source);
        if (diags.count != 1) show_collected(&diags);
        ck_assert_msg(diags.count == 1, "%u messages for: %s", diags.count, w->source);
        ck_assert_msg(strcmp(diags.one[0].code, w->code) == 0 && diags.one[0].line == w->line &&
                          diags.one[0].column == w->column && diags.one[0].column_end == w->column_end,
                      "%s\n  gives %u:%u-%u [%s] %s", w->source, diags.one[0].line, diags.one[0].column,
                      diags.one[0].column_end, diags.one[0].code, diags.one[0].message);
        ck_assert_msg(strstr(diags.one[0].message, w->says) != NULL, "%s\n  says %s", w->source,
                      diags.one[0].message);
        if (w->hints)
            ck_assert_msg(strstr(diags.one[0].hint, w->hints) != NULL, "%s\n  hints %s", w->source,
                          diags.one[0].hint);
    }
}
END_TEST

START_TEST(two_mistakes_give_two_messages_in_the_order_of_the_source)
{
    collected diags;
    ck_assert_ptr_null(
        assemble(part, " mov a, #nowhere\n nop\n mvo a, #1\n db 300\n mov b, #nowhere\n", &diags));
    ck_assert_uint_eq(diags.count, 3);
    ck_assert_str_eq(diags.one[0].code, "unknown-symbol");
    ck_assert_msg(strstr(diags.one[0].message, "used 2 times") != NULL, "%s", diags.one[0].message);
    ck_assert_str_eq(diags.one[1].code, "unknown-operation");
    ck_assert_uint_eq(diags.one[1].line, 3);
    ck_assert_str_eq(diags.one[2].code, "value-range");
    ck_assert_uint_eq(diags.one[2].line, 4);
}
END_TEST

START_TEST(one_wrong_org_is_one_message)
{
    collected diags;
    ck_assert_ptr_null(
        assemble(part, " org bti:0\nflag: ds 1\nother: ds 1\n org code:0\n setb flag\n clr other\n", &diags));
    ck_assert_uint_eq(diags.count, 1);
}
END_TEST

START_TEST(huge_input_is_refused_quickly)
{
    collected diags;
    char *source = malloc(1100000);
    memset(source, '(', 1000000);
    memcpy(source, " db ", 4);
    strcpy(source + 1000000, "1\n");
    ck_assert_ptr_null(assemble(part, source, &diags));
    ck_assert_uint_eq(diags.count, 1);
    ck_assert_str_eq(diags.one[0].code, "line-length");
    memset(source, '(', 50000);
    memcpy(source, " db ", 4);
    strcpy(source + 50000, "1\n");
    ck_assert_ptr_null(assemble(part, source, &diags));
    ck_assert_str_eq(diags.one[0].code, "too-deep");
    char *at = source + sprintf(source, " db 1");
    for (unsigned i = 0; i < 5000; i++) at += sprintf(at, "+1");
    ck_assert_ptr_null(assemble(part, source, &diags));
    ck_assert_str_eq(diags.one[0].code, "too-deep");
    /* a chain of a hundred thousand constants, each defined by the next */
    at = source;
    for (unsigned i = 0; i < 50000; i++) at += sprintf(at, "k%u equ k%u\n", i, i + 1);
    sprintf(at, "k50000 equ 1\n db k0\n");
    ck_assert_ptr_null(assemble(part, source, &diags));
    ck_assert_uint_ge(diags.count, 1);
    free(source);
}
END_TEST

START_TEST(the_listing_shows_address_bytes_and_cycles)
{
    collected diags;
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    oak_program *program = assemble(
        part, "size equ 5\nstart: mov a, #size\n mul ab\n\n db 1,2,3,4,5\n org iram:0x30\nv: ds 2", &diags);
    ck_assert_ptr_nonnull(program);
    ck_assert_int_eq(oak_program_write_listing(program, &sink), OAK_OK);
    static const char *const lines[] = {"     1          = 0x5             size equ 5\n",
                                        "     2  0x0000  74 05          1  start: mov a, #size\n",
                                        "     3  0x0002  A4             4   mul ab\n",
                                        "     4\n",
                                        "     5  0x0003  01 02 03 04        db 1,2,3,4,5\n",
                                        "        0x0007  05\n"};
    for (unsigned i = 0; i < sizeof lines / sizeof *lines; i++)
        ck_assert_msg(strstr(t.bytes, lines[i]) != NULL, "no line %u in\n%s", i, t.bytes);
    ck_assert_ptr_nonnull(strstr(t.bytes, "v                        0x0030     label    iram           7\n"));
    free(t.bytes);
    oak_program_free(program);
}
END_TEST

START_TEST(lines_and_labels_are_found)
{
    collected diags;
    oak_line line;
    oak_program *program =
        assemble(part, "one: nop\n\ntwo: mov a, #1\nthree: nop\nend\n this is not read", &diags);
    ck_assert_ptr_nonnull(program);
    ck_assert_int_eq(oak_program_line_at(program, 2, &line), OAK_OK);
    ck_assert_uint_eq(line.line, 3);
    ck_assert_uint_eq(line.size, 2);
    ck_assert_mem_eq(line.text, "two: mov a, #1", line.text_size);
    ck_assert_int_eq(oak_program_line_at(program, 4, &line), OAK_NOT_FOUND);
    ck_assert_int_eq(oak_program_find_line(program, "t.asm", 5, 2, &line), OAK_OK);
    ck_assert_uint_eq(line.address, 1);
    ck_assert_int_eq(oak_program_find_line(program, "u.asm", 5, 2, &line), OAK_NOT_FOUND);
    ck_assert_int_eq(oak_program_find_line(program, "t.asm", 5, 5, &line), OAK_NOT_FOUND);
    ck_assert_str_eq(oak_program_label_below(program, 2)->name, "two");
    ck_assert_str_eq(oak_program_label_below(program, 200)->name, "three");
    ck_assert_str_eq(oak_program_find(program, "TWO", 3)->name, "two");
    ck_assert_ptr_null(oak_program_find(program, "tw", 2));
    oak_program_free(program);
}
END_TEST

/* ------------------------------------------------------------------------------------------ edits */

typedef struct edited {
    unsigned edits, safe, errors;
    char text[48];
    unsigned column, end;
} edited;

static void note_edit(void *context, const oak_diagnostic *d)
{
    edited *into = context;
    if (d->severity == OAK_ERROR) into->errors++;
    if (!d->edit) return;
    into->edits++;
    if (!d->edit_safe) return;
    into->safe++;
    snprintf(into->text, sizeof into->text, "%s", d->edit);
    into->column = d->edit_column;
    into->end = d->edit_column_end;
}

static unsigned marks_in(const char *text)
{
    unsigned count = 0;
    for (; *text; text++) count += *text == '#';
    return count;
}

static void assemble_line(const oak_part *for_part, const char *line, const char *rest, edited *into)
{
    char source[400];
    oak_program *program = NULL;
    const oak_diag_sink sink = {.context = into, .report = note_edit};
    const oak_host host = oak_linux_host();
    *into = (edited){0};
    snprintf(source, sizeof source, "%s\n%s", line, rest);
    oak_status status =
        oak_assemble_text(&host, for_part, "line.asm", source, strlen(source), &sink, &program);
    ck_assert((status != OAK_OK) == (into->errors > 0));
    oak_program_free(program);
}

/* Every instruction with every pair and triple of these operands: what is offered as safe assembles, and drops no mark. */
START_TEST(an_edit_that_is_offered_as_safe_makes_the_line_assemble)
{
    static const struct {
        const char *part, *mnemonics, *operands, *rest;
    } all[] = {
        {"mcs51-8k",
         "mov movx movc push pop xch xchd add addc subb inc dec mul div anl orl xrl clr setb cpl rl rlc rr "
         "rrc swap da jc jnc "
         "jb jnb jbc sjmp ajmp ljmp jmp acall lcall call jz jnz cjne djnz nop ret reti",
         "a|c|ab|r3|@r0|dptr|@dptr|@a+dptr|5|#5|p1.3|/p1.3|here|#here|300|#300|ffh|#ffh|acc|#0x12|'x'|p1",
         "here: sjmp here\n"},
        {"armv6m-32k",
         "mov movs add adds sub subs cmp and ands orr orrs eor eors lsl lsls lsr lsrs asr mul muls ldr str "
         "ldrb strh ldrsb push pop "
         "bx blx b bl beq svc bkpt nop mrs msr tst cmn adc adcs rsb rsbs sxtb rev ldm stm cpsid wfi",
         "r0|r3|r9|sp|pc|#5|5|#900|900|{r1, r2}|[r0]|[r0, #4]|[r0, 4]|[sp, "
         "4]|here|#here|=here|primask|r1!|i|ffh|#ffh",
         "here: b here\n"},
        {"armv7m-256k",
         "mov movs movw movt add adds sub subs cmp and ands orr lsl lsls lsr asr ror mul mla udiv ldr str "
         "ldrd strex ldrb strh push "
         "pop bx b bl cbz it tbb nop mrs msr tst bfi ubfx ssat rsb clz",
         "r0|r3|r9|sp|pc|#5|5|#900|900|{r1, r2}|[r0]|[r0, #4]|[r0, 4]|[r0, r1, lsl "
         "2]|here|#here|=here|eq|lsl 3|ffh|lsl #3",
         "here: b here\n"},
    };
    unsigned lines = 0, wrong = 0, applied = 0;
    for (unsigned set = 0; set < 3; set++) {
        char words[700], texts[400], *mnemonic[100], *operand[40], *rest;
        unsigned mnemonics = 0, operands = 0;
        oak_part *of = load_part(all[set].part);
        strcpy(words, all[set].mnemonics);
        strcpy(texts, all[set].operands);
        for (char *word = strtok_r(words, " ", &rest); word; word = strtok_r(NULL, " ", &rest))
            mnemonic[mnemonics++] = word;
        for (char *word = strtok_r(texts, "|", &rest); word; word = strtok_r(NULL, "|", &rest))
            operand[operands++] = word;
        for (unsigned m = set; m < mnemonics; m += STRIDE)
            for (unsigned a = 0; a <= operands; a++)
                for (unsigned b = 0; b <= operands; b++)
                    for (unsigned c = 0;
                         c <= (a < operands && b < operands && (a + b + m) % 37 == 0 ? operands : 0); c++) {
                        char line[160], put_right[260];
                        edited first, second;
                        snprintf(line, sizeof line, " %s%s%s%s%s%s%s", mnemonic[m], a < operands ? " " : "",
                                 a < operands ? operand[a] : "", a < operands && b < operands ? ", " : "",
                                 a < operands && b < operands ? operand[b] : "", c ? ", " : "",
                                 c ? operand[c - 1] : "");
                        if ((a == operands && b) || (b < operands && !c && (a * 7 + b * 3 + m) % 3)) continue;
                        assemble_line(of, line, all[set].rest, &first);
                        lines++;
                        wrong += first.errors > 0;
                        if (!first.safe || first.errors > 1) continue;
                        snprintf(put_right, sizeof put_right, "%.*s%s%s", (int)first.column - 1, line,
                                 first.text, line + first.end - 1);
                        assemble_line(of, put_right, all[set].rest, &second);
                        ck_assert_msg(!second.errors, "%s: `%s` is put right as `%s`", all[set].part, line,
                                      put_right);
                        ck_assert_msg(marks_in(put_right) >= marks_in(line), "`%s` loses a mark: `%s`", line,
                                      put_right);
                        applied++;
                    }
        oak_part_free(of);
    }
    printf("%u lines, %u of them wrong, %u put right\n", lines, wrong, applied);
    ck_assert_uint_gt(wrong, 20000 / STRIDE);
    ck_assert_uint_gt(applied, 100 / STRIDE);
}
END_TEST

START_TEST(what_was_meant_is_not_replaced_by_what_happens_to_assemble)
{
    static const char *const lines[] = {" mov a, c",     " jz a",       " mov c, #1", " push #5",
                                        " inc c",        " mov c, a",   " jc c",      " sjmp #here",
                                        " djnz a, here", " jb a, here", " setb a",    " pop #5"};
    if (!part) part = load_part("mcs51-8k");
    for (size_t i = 0; i < sizeof lines / sizeof *lines; i++) {
        edited seen;
        assemble_line(part, lines[i], "here: sjmp here\n", &seen);
        ck_assert_msg(seen.errors == 1, "`%s`: %u errors", lines[i], seen.errors);
        if (i != 8) ck_assert_msg(!seen.safe, "`%s` would become %s", lines[i], seen.text);
    }
}
END_TEST

/* Lines as beginners write them, each with the one message it gets: "line TAB code TAB message TAB hint". */
static void check_lines(const char *part_name, const char *file, const char *before, const char *behind)
{
    char path[400], row[1400], source[1600];
    unsigned lines = 0, helped = 0;
    oak_part *of = load_part(part_name);
    snprintf(path, sizeof path, "%s/tests/golden/%s", SOURCE_FOLDER, file);
    FILE *golden = fopen(path, "r");
    ck_assert_ptr_nonnull(golden);
    while (fgets(row, sizeof row, golden)) {
        collected diags;
        char *field[4] = {row};
        row[strcspn(row, "\n")] = 0;
        for (unsigned i = 1; i < 4; i++) {
            field[i] = strchr(field[i - 1], '\t');
            ck_assert_ptr_nonnull(field[i]);
            *field[i]++ = 0;
        }
        snprintf(source, sizeof source, "%s%s\n%s", before, field[0], behind);
        oak_program *program = assemble(of, source, &diags);
        if (diags.count != 1) show_collected(&diags);
        ck_assert_msg(diags.count == 1, "`%s`: %u messages", field[0], diags.count);
        ck_assert_msg((program != NULL) == (diags.one[0].severity != OAK_ERROR), "`%s`", field[0]);
        ck_assert_msg(strcmp(diags.one[0].code, field[1]) == 0 &&
                          strcmp(diags.one[0].message, field[2]) == 0 &&
                          strcmp(diags.one[0].hint, field[3]) == 0,
                      "`%s`\n  gives  [%s] %s | %s\n  wanted [%s] %s | %s", field[0], diags.one[0].code,
                      diags.one[0].message, diags.one[0].hint, field[1], field[2], field[3]);
        oak_program_free(program);
        lines++;
        helped += *field[3] != 0;
    }
    fclose(golden);
    oak_part_free(of);
    ck_assert_uint_gt(lines, 250);
    ck_assert_uint_ge(helped * 100, lines * 98);
}

START_TEST(lines_that_beginners_write_lead_to_the_remedy)
{
    check_lines("mcs51-8k", "lines-mcs51.txt", "", "here: sjmp here\ncount equ 5\n");
    check_lines("armv6m-32k", "lines-armv6m.txt", " org 0x200\n", "here: b here\n");
}
END_TEST

RUN_SUITE("asm", lines_that_beginners_write_lead_to_the_remedy,
          an_edit_that_is_offered_as_safe_makes_the_line_assemble,
          what_was_meant_is_not_replaced_by_what_happens_to_assemble,
          labels_comments_and_case_are_taken_in_every_form, numbers_and_characters_are_read_in_every_form,
          expressions_follow_the_precedence_of_c, names_are_known_before_they_are_defined,
          registers_and_bits_of_the_part_are_known, spaces_give_variables_their_place,
          jumps_and_calls_take_the_shortest_form_that_reaches, backward_out_of_a_page_a_longer_form_is_found,
          macros_swap_words_and_keep_their_own_labels, repetitions_count_and_go_through_lists,
          conditions_choose_what_is_read, local_labels_belong_to_the_label_before_them,
          structures_bits_and_alignment_give_numbers, a_mistake_in_a_macro_is_told_once_with_its_way,
          what_never_ends_is_refused_at_once, warnings_are_given_and_can_be_silenced,
          every_mistake_is_named_with_its_place, two_mistakes_give_two_messages_in_the_order_of_the_source,
          one_wrong_org_is_one_message, huge_input_is_refused_quickly,
          the_listing_shows_address_bytes_and_cycles, lines_and_labels_are_found)
