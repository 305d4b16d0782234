/* Where the tool must speak, and what it must say: options and places without meaning, equal names, times that are over, outputs
 * whose meaning depends on what was given. One row a case. */
#include "support.h"

#include <stdio.h>
#include <unistd.h>

static char folder[64], *out, *err;

static void put_file(const char *name, const char *content)
{
    char path[200];
    snprintf(path, sizeof path, "%s/%s", folder, name);
    FILE *file = fopen(path, "w");
    ck_assert_ptr_nonnull(file);
    fputs(content, file);
    fclose(file);
}

static int spindle(const char *arguments)
{
    static char command[6000];
    free(out);
    free(err);
    snprintf(command, sizeof command, "cd %s && %s%s", folder,
             strncmp(arguments, "printf", 6) ? SPINDLE " " : "", arguments);
    return shell(command, &out, &err);
}

static void open_folder(void)
{
    snprintf(folder, sizeof folder, "/tmp/oak-words-%d", (int)getpid());
    char command[200], *o, *e;
    snprintf(command, sizeof command, "rm -rf %s && mkdir %s", folder, folder);
    ck_assert_int_eq(shell(command, &o, &e), 0);
    free(o);
    free(e);
    put_file(
        "a.asm",
        "        org 0\n        ljmp start\n        org 0x30\nstart:  mov r0, #3\nloop:   djnz r0, loop\n"
        "        lcall other\n        sjmp start\ntable:  db 1, 2, 3\ntally   equ iram:0x40\n");
    put_file("b.asm", "        export other\nother:  mov r1, #5\nloop:   djnz r1, loop\n        ret\n"
                      "tally   equ iram:0x50\n");
    put_file("mac.asm",
             "twice   macro reg\n        add a, reg\n        add a, reg\n        endm\n        org 0\n"
             "        twice r0\nx:      sjmp x\n        nop ; allow(runs-off)\n");
    put_file("use.asm", "        twice r1\ny:      sjmp y\n");
    put_file("own.asm",
             "twice   macro reg\n        inc reg\n        endm\n        twice r1\ny:      sjmp y\n");
    put_file("arm.asm",
             "        vector stack, 0x20000400\n        vector reset, start\n        vector p1, edge\n"
             "        org 0xc0\nrelay   equ 5\nstart:  movs r0, #1\nloop:   adds r0, r0, #1\n        b loop\n"
             "edge:   bx lr\n");
    put_file("arm.yaml", "board: a relay\npart: armv6m-32k\nnames: {relay: p0.3}\nstand-ins:\n  start: "
                         "{kind: button, wires: {out: p0.3}}\n");
}

#define TWO              "a.asm b.asm --part mcs51-4k --time 1ms -b "
#define ARM              "arm.asm --part armv6m-32k --time 1ms -b "
#define BENCH(verbs, of) "printf '" verbs "' | " SPINDLE " bench " of " 2>&1"

static const struct {
    const char *command;
    int exit;
    const char *says; /* in what is printed, errors first */
} cases[] = {
    /* places */
    {"run " TWO "--stop-at loop", 1, "Say which: `a.asm:loop` (line 5), `b.asm:loop` (line 3)"},
    {"run " TWO "--stop-at b.asm:loop", 0, "b.asm:3"},
    {"run " TWO "--stop-at b.asm:lop", 1, "`b.asm:lop` is no label of this file"},
    {"run " TWO "--stop-at other", 0, "b.asm:2"},
    {"run " TWO "--stop-at 0x31", 0, "lies inside the instruction of a.asm:4, which begins at 0x0030"},
    {"run " TWO "--stop-at table", 0, "`table` is data, no instruction"},
    {"run " TWO "--stop-at 0x99", 0, "`0x99` lies where nothing is programmed"},
    {"run " TWO "--stop-at p1.0", 1, "`p1.0` is no place in code memory"},
    {"run " TWO "--stop-at r0+3", 1, "`r0+3` is no place in code memory"},
    {"run " TWO "--stop-at tally", 1, "`tally` is 0x40 in a.asm and 0x50 in b.asm"},
    {"run " TWO "--show tally", 1, "`tally` is 0x40 in a.asm and 0x50 in b.asm"},
    {"run " TWO "--lap 'loop to other'", 1, "`loop` is a label of several files"},
    {"run " ARM "--stop-at loop+1", 1, "begin at multiples of 2, did you mean 0xc2?"},
    {"run " ARM "--stop-at 0x20000000", 0, "lies in RAM, where no code is loaded"},
    {"run " ARM "--stop-at systick", 1, "is a vector without a handler"},
    {"run " ARM "--stop-at p1", 0, "Budget used up"},
    {"run " ARM "--stop-at stack", 1, "is a vector without a handler"},
    {"run " ARM "--set 'systick = 5'", 1, "a vector is a place: it cannot be set"},
    {"run " ARM "--show systick", 0, "0x3c  60"},
    /* interrupts by the names of the report */
    {BENCH("interrupt p1\\ninterrupt systick\\nwhen handling == systick\\n", "arm.asm -p armv6m-32k"), 0,
     "the handler at vector p1"},
    {BENCH("interrupt 3\\n", "arm.asm -p armv6m-32k"), 1, "Vectors: reset, nmi, hard_fault"},
    {BENCH("interrupt timer1\\n", "a.asm b.asm -p mcs51-4k"), 0, "the handler at vector timer1"},
    {BENCH("interrupt 0x0c\\n", "a.asm b.asm -p mcs51-4k"), 1, "no interrupt has its vector here"},
    /* a name with two meanings */
    {"run " ARM "--board arm.yaml --show relay", 0,
     "`relay` is a constant of the program here (5), and the name of a pin"},
    /* times that are over, levels that never change */
    {"run " TWO "--drive 'p1.0 = 1 for 1ms, repeat'", 1, "what repeats never changes the pin"},
    {"run " TWO "--drive 'p1.0 = 1 for 1ms, 1 for 2ms, repeat'", 1, "what repeats never changes the pin"},
    {"run " TWO "--drive 'p1.0 = 1 for 1ms, 0 for 2ms, repeat'", 0, "Budget used up"},
    {BENCH("go 5ms\\ndrive p1.0 = clock 1kHz until 2ms\\n", "a.asm b.asm -p mcs51-4k"), 1,
     "its end lies in the past: it is cycle 5001"},
    {BENCH("go 5ms\\ndrive p1.0 = bytes \"a\" at 9600 from 2ms\\n", "a.asm b.asm -p mcs51-4k"), 1,
     "its beginning lies in the past"},
    {BENCH("go 5ms\\ndrive p1.0 = bytes \"U\" at 9600\\ngo 50us\\nshow p1.0\\n", "a.asm b.asm -p mcs51-4k"),
     0, "p1.0               0"}, /* its start bit, now */
    {BENCH("go 5ms\\nact start press at 2ms\\n", "arm.asm -p armv6m-32k --board arm.yaml"), 1,
     "lies in the past"},
    /* states and options that mean nothing */
    {"run " TWO "--state-out two.json", 0, ""},
    {"run " TWO "--state-in two.json", 0, ""},
    {"run mac.asm --part mcs51-4k --time 1ms -b --state-in two.json", 3,
     "this is the state of another program"},
    {"asm a.asm b.asm --part mcs51-4k -o two.hex --symbols names.json", 0, ""},
    {"run two.hex --part mcs51-4k --time 1ms -b --state-in two.json", 0, "Budget used up"},
    {"run two.hex --part mcs51-4k --time 1ms -b --data-runs", 0, "--data-runs changes nothing here"},
    {"run " TWO "--data-runs", 0, "Budget used up"},
    {"run two.hex --part mcs51-4k --time 1ms -b --base 0x100", 2, "--base is for raw bytes"},
    {"run " TWO "--base 0x100", 2, "--base is for raw bytes"},
    {"run two.hex --part mcs51-4k --base -1", 2, "a base is an address"},
    {"look two.hex --part mcs51-4k --base 16", 2, "--base is for raw bytes"},
    {"run " TWO "--symbols names.json", 0, "a source has its own symbols"},
    /* a label of each file keeps its name where it can */
    {"look two.hex --part mcs51-4k --symbols names.json -o again.asm", 0, ""},
    {"asm again.asm --part mcs51-4k -o again.hex", 0, "again.hex"},
    {"look --compare again.hex two.hex --part mcs51-4k", 0, "the same bytes"},
    /* macros belong to their file */
    {"asm mac.asm use.asm --part mcs51-4k -o m.hex", 1, "It is a macro of mac.asm, line 1"},
    {"asm mac.asm own.asm --part mcs51-4k -o m.hex", 0, "m.hex"},
    /* put */
    {BENCH("put nop at start\\n", "a.asm b.asm -p mcs51-4k"), 0,
     "1 byte at 0x0030; 1 nop in what is left of `mov r0, #0x03`"},
    {BENCH("put ljmp start at start\\ncode 0x33\\n", "a.asm b.asm -p mcs51-4k"), 0, "   0x0033  nop"},
    {BENCH("put bl start at loop\\n", "arm.asm -p armv6m-32k"), 0,
     "4 bytes at 0x00c2, in place of 2 instructions"},
    {BENCH("put sjmp loop at start\\n", "a.asm b.asm -p mcs51-4k"), 1, "`loop` is not defined"},
    /* examples and hints of each part in its own words */
    {BENCH("help watch\\nhelp copy\\n", "arm.asm -p armv6m-32k"), 0,
     "copy mem[0x20000000..0x2000000f] to mem[0x20000100]"},
    {BENCH("watch\\n", "a.asm b.asm -p mcs51-4k"), 1, "`watch write iram[0x30..0x3f]`"},
    {BENCH("watch\\n", "arm.asm -p armv6m-32k"), 1, "`watch write mem[0x20000000..0x2000000f]`"},
    /* what was sent has its times; it is told once */
    {BENCH("go 2s\\noutput\\n", SOURCE_FOLDER "/examples/kiln/kiln.asm -p armv7m-256k --board " SOURCE_FOLDER
                                              "/examples/kiln/board.yaml"),
     0, "     89.666 us  kiln\n      1.090 ms  8 set"},
    {BENCH("go 1s\\noutput\\noutput\\n", "arm.asm -p armv6m-32k"), 0,
     "nothing was sent since it was asked last"},
    /* exports, addresses of nothing */
    {"printf ' export far\\n' > e.asm; " SPINDLE " asm e.asm -p mcs51-4k -o e.hex", 1,
     "`far` is exported but not defined"},
    {"printf ' mov a, #&20\\nx: sjmp x\\n' > e.asm; " SPINDLE " asm e.asm -p mcs51-4k -o e.hex", 1,
     "no name stands behind it"},
};

START_TEST(nothing_stays_unsaid)
{
    open_folder();
    unsigned bad = 0;
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        int exit = spindle(cases[i].command);
        if (exit == cases[i].exit && (strstr(err, cases[i].says) || strstr(out, cases[i].says))) continue;
        fprintf(stderr, "%s\n  ends with %d and says\n%s%s\n", cases[i].command, exit, err, out);
        bad++;
    }
    ck_assert_uint_eq(bad, 0);
    ck_assert_int_eq(spindle("run " TWO "--state-in two.json"), 0);
    ck_assert_str_eq(err, "");
}
END_TEST

/* A bad place or address is told once, however much lies behind it. */
START_TEST(one_mistake_is_one_message)
{
    static const struct {
        const char *part, *source;
        unsigned errors;
    } sources[] = {
        {"mcs51-4k", " org 0x99999999\ngo: mov a, #1\n mov r0, a\nx: sjmp go\n ljmp x\n mov dptr, #x\n", 1},
        {"mcs51-4k", " org foo\ngo: mov a, #1\nx: sjmp go\n ljmp x\n", 1},
        {"mcs51-4k", " org iram:0x30\ngo: mov a, #1\n mov r0, a\nx: sjmp go\n", 1},
        {"mcs51-4k", " org 0xffe\n nop\n nop\n nop\nx: nop\n nop\n ljmp x\n", 1},
        {"mcs51-4k",
         " nop\n nop\n nop\n org 1\n nop\nx: nop\n org 0x20\n db 1, 2\n org 0x21\n db 3\n sjmp x\n", 2},
        {"armv6m-32k",
         " org 0xc0\ngo: ldr r0, =t\n b go\nt: db 1\nn: ldr r2, =t\n bl n\n cmp r0, #1\n beq n\n b n\n", 1},
        {"armv6m-32k", " org 0x40000000\ngo: movs r0, #1\n b go\n", 1},
        {"armv6m-32k", " org 0x20000000\ngo: movs r0, #1\n b go\n", 1},
    };
    for (unsigned i = 0; i < sizeof sources / sizeof *sources; i++) {
        collected diags;
        oak_part *part = load_part(sources[i].part);
        ck_assert_ptr_null(assemble(part, sources[i].source, &diags));
        if (diags.count != sources[i].errors) show_collected(&diags);
        ck_assert_msg(diags.count == sources[i].errors, "%s: %u", sources[i].source, diags.count);
        oak_part_free(part);
    }
}
END_TEST

/* Words of the listing: where names are defined and used, those of one file apart from those of another. */
START_TEST(a_cross_reference_keeps_equal_names_apart)
{
    open_folder();
    ck_assert_int_eq(spindle("asm a.asm b.asm --part mcs51-4k -o two.hex --listing two.lst"), 0);
    char *listing = NULL, *e = NULL, command[200];
    snprintf(command, sizeof command, "cat %s/two.lst", folder);
    ck_assert_int_eq(shell(command, &listing, &e), 0);
    static const char *const rows[] = {
        "loop                     0x0032     label    code        6  a.asm:5\n",
        "loop                     0x003e     label    code        4  b.asm:3\n",
        "other                    0x003c     label    code        1  b.asm:2 a.asm:6 b.asm:1\n"};
    for (unsigned i = 0; i < 3; i++)
        ck_assert_msg(strstr(listing, rows[i]) != NULL, "%s\n%s", rows[i], listing);
    free(listing);
    free(e);
}
END_TEST

RUN_SUITE("words", nothing_stays_unsaid, one_mistake_is_one_message,
          a_cross_reference_keeps_equal_names_apart)
