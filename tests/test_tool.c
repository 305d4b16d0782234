/* The command-line tool: what it prints, its exit codes, its files. */
#include "support.h"

#include <glob.h>

#include <stdio.h>
#include <unistd.h>

#include <cjson/cJSON.h>

static char folder[60];
static char *out, *err;

/* Runs `spindle ARGUMENTS` in a folder of its own; the exit code. */
static int spindle(const char *arguments)
{
    static char command[9000];
    free(out);
    free(err);
    int room = snprintf(command, sizeof command, "cd %.90s && %s %s", folder, SPINDLE, arguments);
    ck_assert_int_lt(room, (int)sizeof command);
    return shell(command, &out, &err);
}

/* A command in that folder. */
static int run_shell(const char *line)
{
    static char command[9000];
    free(out);
    free(err);
    ck_assert_int_lt(snprintf(command, sizeof command, "cd %.90s && %s", folder, line), (int)sizeof command);
    return shell(command, &out, &err);
}

static void put_file(const char *name, const char *content)
{
    char path[300];
    snprintf(path, sizeof path, "%.90s/%s", folder, name);
    FILE *file = fopen(path, "w");
    ck_assert_ptr_nonnull(file);
    fputs(content, file);
    fclose(file);
}

static char *get_file(const char *name)
{
    char command[500], *error, *content;
    snprintf(command, sizeof command, "cat %.90s/%s", folder, name);
    shell(command, &content, &error);
    free(error);
    return content;
}

static void has(const char *whole, const char *piece)
{
    ck_assert_msg(strstr(whole, piece) != NULL, "`%s` is not in:\n%.1500s", piece, whole);
}

static void open_folder(void)
{
    snprintf(folder, sizeof folder, "/tmp/oak-tool-%d", (int)getpid());
    char command[200], *o, *e;
    snprintf(command, sizeof command, "rm -rf %.60s && mkdir %.60s", folder, folder);
    ck_assert_int_eq(shell(command, &o, &e), 0);
    free(o);
    free(e);
    put_file("good.asm", " org 0\nstart: mov a, #0x2a\n mov 0x30, a\nrest: sjmp rest\n");
    put_file("bad.asm", " mvo a, #1\n mov a, #conut\n");
    put_file("fault.asm", " nop\n");
}

START_TEST(assembling_writes_hex_listing_and_symbols)
{
    open_folder();
    ck_assert_int_eq(spindle("asm good.asm --part mcs51-4k --listing good.lst --symbols good.json"), 0);
    has(out, "good.hex: 6 bytes of code from 0x0000 to 0x0005, 0.1 % of the 4,096 bytes of mcs51-4k");
    ck_assert_str_eq(err, "");
    char *hex = get_file("good.hex"), *listing = get_file("good.lst"), *symbols = get_file("good.json");
    ck_assert_str_eq(hex, ":06000000742AF53080FEB9\n:00000001FF\n");
    has(listing, "     2  0x0000  74 2A          1  start: mov a, #0x2a\n");
    cJSON *root = cJSON_Parse(symbols), *list = cJSON_GetObjectItem(root, "symbols");
    ck_assert_int_eq(cJSON_GetArraySize(list), 2);
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetArrayItem(list, 0), "name")), "start");
    cJSON_Delete(root);
    free(hex);
    free(listing);
    free(symbols);
}
END_TEST

/* What labels of data are as wide as, and how much is kept behind them, goes through the file of symbols. */
START_TEST(variables_are_as_wide_with_a_file_of_symbols_as_from_source)
{
    open_folder();
    put_file("wide.asm", " vector stack, 0x20001000\n vector reset, begin\n org 0x100\nbegin: ldr r0, =pair\n"
                         " ldr r1, =0x12345678\n str r1, [r0]\n b .\n org mem:0x20000000\n"
                         "pair: ds 2\ntable: ds 3\n ds 4\nlast: ds 1\n org mem:0x20000050\nfar: ds 4\n");
    ck_assert_int_eq(spindle("asm wide.asm --part armv7m-256k --symbols wide.json"), 0);
    char *symbols = get_file("wide.json");
    cJSON *root = cJSON_Parse(symbols), *one;
    unsigned seen = 0;
    static const struct {
        const char *name;
        int bytes, size;
    } wanted[] = {{"pair", 2, 2}, {"table", 1, 7}, {"last", 1, 1}, {"far", 4, 4}};
    cJSON_ArrayForEach(one, cJSON_GetObjectItem(root, "symbols")) for (unsigned i = 0; i < 4; i++)
    {
        if (strcmp(cJSON_GetStringValue(cJSON_GetObjectItem(one, "name")), wanted[i].name) != 0) continue;
        ck_assert_int_eq(cJSON_GetObjectItem(one, "bytes")->valueint, wanted[i].bytes);
        ck_assert_int_eq(cJSON_GetObjectItem(one, "size")->valueint, wanted[i].size);
        seen++;
    }
    ck_assert_uint_eq(seen, 4);
    cJSON_Delete(root);
    free(symbols);
    ck_assert_int_eq(spindle("run wide.asm --part armv7m-256k --time 1ms --brief --show pair --show table"),
                     0);
    char *from_source = strdup(strstr(out, "Asked for"));
    ck_assert_int_eq(spindle("run wide.hex --part armv7m-256k --symbols wide.json --time 1ms --brief --show "
                             "pair --show table"),
                     0);
    has(out, from_source);
    has(out, "pair               0x5678");
    free(from_source);
}
END_TEST

START_TEST(a_refused_source_leaves_the_earlier_output_alone)
{
    open_folder();
    put_file("bad.hex", "keep me\n");
    ck_assert_int_eq(spindle("asm bad.asm --part mcs51-4k"), 1);
    ck_assert_str_eq(out, "");
    ck_assert_str_eq(
        err, "bad.asm:1:2: error: `mvo` is no instruction of mcs51 and no directive [unknown-operation]\n"
             "     1 |  mvo a, #1\n"
             "       |  ^^^\n"
             "       > Did you mean `mov`?\n"
             "bad.asm:2:10: error: `conut` is not defined [unknown-symbol]\n"
             "     2 |  mov a, #conut\n"
             "       |          ^^^^^\n"
             "       > Define it: `conut equ VALUE`, or as a label: `conut:`.\n"
             "2 errors; nothing was written\n");
    char *hex = get_file("bad.hex");
    ck_assert_str_eq(hex, "keep me\n");
    free(hex);
}
END_TEST

START_TEST(json_tells_the_same)
{
    open_folder();
    ck_assert_int_eq(spindle("asm bad.asm --part mcs51-4k --json"), 1);
    ck_assert_str_eq(err, "");
    cJSON *root = cJSON_Parse(out), *list = cJSON_GetObjectItem(root, "diagnostics"),
          *first = cJSON_GetArrayItem(list, 0);
    ck_assert_int_eq(cJSON_GetArraySize(list), 2);
    ck_assert(cJSON_IsFalse(cJSON_GetObjectItem(root, "ok")));
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(first, "code")), "unknown-operation");
    ck_assert_int_eq((int)cJSON_GetNumberValue(cJSON_GetObjectItem(first, "column_end")), 5);
    cJSON_Delete(root);
    ck_assert_int_eq(spindle("run good.asm --part mcs51-4k --json --show 0x30 --show 'iram[0x2f..0x30]'"), 0);
    root = cJSON_Parse(out);
    ck_assert_ptr_nonnull(root);
    ck_assert_int_eq(
        (int)cJSON_GetNumberValue(cJSON_GetObjectItem(cJSON_GetObjectItem(root, "registers"), "a")), 42);
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetObjectItem(root, "stop"), "reason")),
                     "parked");
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(cJSON_GetObjectItem(root, "stop"), "place")),
                     "rest");
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(root, "cycle_unit")), "machine cycle");
    cJSON *bytes = cJSON_GetObjectItem(cJSON_GetArrayItem(cJSON_GetObjectItem(root, "show"), 1), "bytes");
    ck_assert_int_eq((int)cJSON_GetNumberValue(cJSON_GetArrayItem(bytes, 1)), 42);
    cJSON_Delete(root);
    ck_assert_int_eq(spindle("parts --json"), 0);
    root = cJSON_Parse(out);
    glob_t files;
    ck_assert_int_eq(glob(SOURCE_FOLDER "/parts/*.yaml", 0, NULL, &files), 0);
    ck_assert_int_eq(cJSON_GetArraySize(cJSON_GetObjectItem(root, "parts")), (int)files.gl_pathc);
    globfree(&files);
    cJSON_Delete(root);
    ck_assert_int_eq(spindle("run nothing.asm --part mcs51-4k --json"), 1);
    root = cJSON_Parse(out);
    ck_assert_int_eq(cJSON_GetArraySize(cJSON_GetObjectItem(root, "diagnostics")), 1);
    cJSON_Delete(root);
}
END_TEST

START_TEST(a_run_reports_why_and_where_it_stopped)
{
    open_folder();
    ck_assert_int_eq(
        spindle(
            "run good.asm --part mcs51-4k --stop-at rest --show 0x30 --show 'iram[0x30]' --show 'a as bin'"),
        0);
    has(out, "Stop point `rest`\n  at 0x0004, rest, good.asm:4\n       4 | rest: sjmp rest\n  2 machine "
             "cycles = 2.000 us at 12 MHz; 2 instructions\n");
    has(out, "a 0x2a");
    has(out, "ACC    0x2a  0010 1010  accumulator");
    has(out, "iram[0x30]         0x2a  42  0010 1010  '*'");
    has(out, "a                  0010 1010\n");
    has(out, "  p1    1111 1111       ---- ----       1111 1111\n");
    ck_assert_int_eq(spindle("asm good.asm --part mcs51-4k --symbols s.json"), 0);
    ck_assert_int_eq(spindle("run good.hex --part mcs51-4k --stop-at 0x0002 --clock 11.0592MHz --brief"), 0);
    has(out, "at 0x0002\n         mov 0x30, a\n");
    has(out, "11.0592 MHz");
    ck_assert_int_eq(spindle("run good.hex --part mcs51-4k --stop-at rest --symbols s.json --brief"), 0);
    has(out, "at 0x0004, rest, good.asm:4");
}
END_TEST

START_TEST(a_fault_ends_with_exit_code_3)
{
    open_folder();
    ck_assert_int_eq(spindle("run fault.asm --part mcs51-4k"), 3);
    has(out, "Fault unprogrammed-code: the program runs into 0x0001, which was never programmed");
}
END_TEST

START_TEST(budgets_and_their_words)
{
    open_folder();
    put_file("turn.asm", "turn: nop\n sjmp turn\n");
    ck_assert_int_eq(spindle("run turn.asm --part mcs51-4k --cycles 300 --brief"), 0);
    has(out, "Budget used up (--cycles 300)");
    has(out, "300 machine cycles");
    ck_assert_int_eq(spindle("run turn.asm --part mcs51-4k --time 5ms --brief"), 0);
    has(out, "5,001 machine cycles = 5.001 ms");
    ck_assert_int_eq(spindle("run turn.asm --part mcs51-4k --brief"),
                     0); /* a program without an end ends all the same */
    has(out, "Budget used up (the usual 10 s");
    ck_assert_int_eq(spindle("run turn.asm --part mcs51-4k --stop-at 'turn every 5' --brief"), 0);
    has(out, "hit 5 times");
}
END_TEST

START_TEST(state_files_carry_a_run_on)
{
    open_folder();
    put_file("long.asm", "loop: inc a\n mov 0x30, a\n mov p1, a\n sjmp loop\n");
    ck_assert_int_eq(spindle("run long.asm --part mcs51-4k --cycles 1000 --state-out half.json --brief"), 0);
    ck_assert_int_eq(
        spindle(
            "run long.asm --part mcs51-4k --cycles 1000 --state-in half.json --state-out two.json --brief"),
        0);
    ck_assert_int_eq(spindle("run long.asm --part mcs51-4k --cycles 2000 --state-out one.json --brief"), 0);
    char *one = get_file("one.json"), *two = get_file("two.json");
    ck_assert_str_eq(one, two);
    free(one);
    free(two);
}
END_TEST

START_TEST(wrong_usage_ends_with_exit_code_2_and_a_way_out)
{
    static const struct {
        const char *arguments;
        int code;
        const char *says;
    } cases[] = {
        {"", 2, ""},
        {"rnu good.asm", 2, "Did you mean `spindle run`?"},
        {"asm", 2, "no source file"},
        {"asm good.asm", 2, "--part mcs51-8k"},
        {"asm good.asm --part mcs51-8", 2, "Did you mean mcs51-8k?"},
        {"asm good.asm --prat mcs51-8k", 2, "Did you mean --part?"},
        {"asm good.asm --part", 2, "missing argument"},
        {"asm good.asm more.asm --part mcs51-8k", 1, "more.asm: error: the source cannot be read: not found"},
        {"asm good.asm --part mcs51-8k --record 0", 2, "1 to 255"},
        {"asm missing.asm --part mcs51-8k", 1, "missing.asm: error: the source cannot be read: not found"},
        {"asm good.asm --part mcs51-8k -o /nowhere/x.hex", 1, "cannot write /nowhere/x.hex"},
        {"asm good.asm --part ./mine.yaml", 1, "mine.yaml"},
        {"run missing.hex --part mcs51-8k", 1, "no such file"},
        {"run good.asm --part mcs51-8k --clock fast", 2, "`fast`"},
        {"run good.asm --part mcs51-8k --time 5", 2, "`5`"},
        {"run good.asm --part mcs51-8k --steps x", 2, "`x` is no number"},
        {"run good.asm --part mcs51-8k --steps -5", 2, "whole number"},
        {"run good.asm --part mcs51-8k --stop-at rset", 1, "Did you mean `rest`?"},
        {"run good.asm --part mcs51-8k --set a=999", 1, "does not fit 8 bits"},
        {"run good.asm --part mcs51-8k --drive p9.0=1", 1, "no such pin"},
        {"run good.asm --part mcs51-8k --show 'iram[0x30..0x400]'", 1, "no internal RAM from 0x30 to 0x400"},
        {"run good.asm --part mcs51-8k --show 'iram[0x30..'", 1, "no stretch"},
        {"run good.asm --part mcs51-8k --state-in none.json", 1, "no such state file"},
        {"run good.asm --part mcs51-8k --state-in good.asm", 1,
         "good.asm:1:2: error: this is not valid JSON"},
        {"run bad.asm --part mcs51-8k", 1, "Did you mean `mov`?"},
        {"parts mcs51-9k", 2, "Did you mean mcs51-"},
    };
    open_folder();
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        int code = spindle(cases[i].arguments);
        ck_assert_msg(code == cases[i].code, "`%s` ends with %d\n%s%s", cases[i].arguments, code, out, err);
        ck_assert_msg(strstr(err, cases[i].says) != NULL, "`%s` says\n%s", cases[i].arguments, err);
    }
}
END_TEST

START_TEST(help_is_given_for_every_command)
{
    open_folder();
    static const char *const commands[] = {"asm", "run", "parts", "look", "explain", "new"};
    for (unsigned i = 0; i < 6; i++) {
        char arguments[60];
        snprintf(arguments, sizeof arguments, "%s --help", commands[i]);
        ck_assert_int_eq(spindle(arguments), 0);
        has(out, "usage: spindle ");
        has(out, "examples:");
        snprintf(arguments, sizeof arguments, "help %s", commands[i]);
        ck_assert_int_eq(spindle(arguments), 0);
        has(out, "examples:");
    }
    ck_assert_int_eq(spindle("--version"), 0);
    has(out, "spindle 0.");
}
END_TEST

START_TEST(a_part_is_shown_with_all_it_has)
{
    open_folder();
    ck_assert_int_eq(spindle("parts"), 0);
    has(out, "mcs51-4k");
    has(out, "mcs51-64k");
    has(out, "z80-64k      z80               64 KiB     64 KiB"); /* all of it is loaded */
    has(out, "msp430-32k   msp430            32 KiB      8 KiB"); /* its RAM, too, beside flash */
    ck_assert_int_eq(spindle("parts mcs51-8k"), 0);
    has(out, "0x0000 to 0x1fff");
    has(out, "quasi-bidirectional");
    has(out, "0x002b timer2");
    has(out, "0xc8 T2CON");
    has(out, "  timer 2      16-bit timer");
    has(out, "  reset        execution begins");
}
END_TEST

START_TEST(a_new_project_builds_and_runs_as_it_stands)
{
    open_folder();
    ck_assert_int_eq(spindle("new 'my knocker' --part mcs51-8k"), 0);
    ck_assert_ptr_nonnull(strstr(out, "  cd 'my knocker'\n"));
    strcat(folder, "/'my knocker'");
    ck_assert_int_eq(spindle("asm"), 0);
    ck_assert_str_eq(err, ""); /* not even a warning */
    has(out, "main.hex: ");
    ck_assert_int_eq(spindle("run --drive 'p1.0 = 1 until 1ms, 0' --stop-at lit --show seen"),
                     0); /* the check of its README */
    has(out, "Stop point `lit`");
    has(out, "seen               0x14  20");
    ck_assert_int_eq(
        spindle("run --drive 'p1.0 = 1 until 1ms, 0 until 1.2ms, 1' --stop-at lit --time 5ms --brief"), 0);
    has(out, "Budget used up");
    ck_assert_int_eq(spindle("new . --part mcs51-8k"), 1);
    has(err, "already there");
    ck_assert_int_eq(spindle("asm --warn runs-off=loud"), 2);
    open_folder();
    put_file("spindle.yaml", "part: mcs51-8k\nsorces:\n  - a.asm\n");
    ck_assert_int_eq(spindle("asm"), 1);
    has(err, "spindle.yaml:2:1: error: there is no key `sorces`");
}
END_TEST

/* Only the binary, somewhere else: its parts and templates are in it; files beside it come first. */
START_TEST(the_tool_stands_alone)
{
    open_folder();
    ck_assert_int_eq(
        run_shell("rm -rf alone && mkdir -p alone/bin && cp " SPINDLE
                  " alone/bin/ && cd alone && unset OAKSPINDLE_PARTS && "
                  "./bin/spindle parts && ./bin/spindle new door --part z80-32k && cd door && ../bin/spindle "
                  "asm && "
                  "../bin/spindle run main.hex --time 1ms --brief && ../bin/spindle look main.hex | head -3"),
        0);
    has(out, "z80-64k");
    has(out, "mcs51-4k");
    has(out, "main.hex: 58 bytes");
    has(out, "read back for z80-32k"); /* the part of the project */
    ck_assert_int_eq(
        run_shell(
            "cd alone && printf 'part: mine\\nextends: z80-32k\\n' >mine.yaml && unset OAKSPINDLE_PARTS && "
            "./bin/spindle parts ./mine.yaml && mkdir -p parts && "
            "sed 's/^title: .*/title: another/' " SOURCE_FOLDER
            "/parts/z80-64k.yaml >parts/z80-64k.yaml && ./bin/spindle parts z80-64k"),
        0);
    has(out, "mine  ");
    has(out, "z80-64k  another");
    ck_assert_int_eq(
        run_shell(
            "cd alone && unset OAKSPINDLE_PARTS && ./bin/spindle new shed --part z80-32k --template none"),
        2);
    has(err, "there is no template `none` for z80");
}
END_TEST

/* The image of a chip of its own: every byte of a memory. */
START_TEST(a_whole_memory_becomes_an_image)
{
    open_folder();
#define PRESS SOURCE_FOLDER "/examples/press/press.asm --part z80-32k"
    ck_assert_int_eq(spindle("asm " PRESS " -o whole.bin --whole rom"), 0);
    has(out, "whole.bin holds all of rom: 32,768 bytes, 0x0000 to 0x7fff, holes 0xff; its first byte is "
             "address 0x0000");
    ck_assert_int_eq(spindle("asm " PRESS " -o whole.hex --whole rom --fill 0x00"), 0);
    ck_assert_int_eq(run_shell("wc -c <whole.bin; wc -l <whole.hex; head -c 3 whole.bin | od -An -tx1; tail "
                               "-c 1 whole.bin | od -An -tx1"),
                     0);
    has(out, "32768\n2049\n c3 02 01\n ff");
    ck_assert_int_eq(spindle("run whole.hex --part z80-32k --time 30ms --brief"), 0);
    has(out, "veneer press");
    ck_assert_int_eq(spindle("asm " PRESS " -o x.bin --whole rum"), 1);
    has(err, "z80-32k has no memory `rum` for code");
    ck_assert_int_eq(spindle("asm " PRESS " -o x.bin --whole ram"), 1);
    has(err, "the code at 0x0000 does not lie in ram");
    ck_assert_int_eq(spindle("asm " PRESS " -o x.elf --whole rom"), 1);
    has(err, "not for ELF");
}
END_TEST

START_TEST(images_of_every_format_run_the_same)
{
    open_folder();
    ck_assert_int_eq(spindle("asm good.asm --part mcs51-4k -o good.srec --map --deps good.d"), 0);
    has(out, "code  6 of 4,096 bytes used, 0.1 %");
    has(out, "        6 bytes  0x0000 to 0x0005  placed by org\n    4,090 free   0x0006 to 0x0fff\n");
    ck_assert_int_eq(spindle("asm good.asm --part mcs51-4k -o good.bin"), 0);
    ck_assert_int_eq(spindle("asm good.asm --part mcs51-4k -o good.hex"), 0);
    static const char *const names[] = {"good.srec", "good.bin", "good.hex", "good.asm"};
    for (unsigned i = 0; i < 4; i++) {
        char arguments[100];
        snprintf(arguments, sizeof arguments, "run %s --part mcs51-4k --show a --brief", names[i]);
        ck_assert_int_eq(spindle(arguments), 0);
        has(out, "a                  0x2a");
        snprintf(arguments, sizeof arguments, "look --compare good.hex %s --part mcs51-4k", names[i]);
        ck_assert_int_eq(spindle(arguments), 0);
        has(out, "the same bytes");
    }
    char *deps = get_file("good.d");
    ck_assert_str_eq(deps, "good.srec: good.asm\n");
    free(deps);
    ck_assert_int_eq(spindle("look good.bin --part mcs51-4k -o again.asm"), 0);
    ck_assert_int_eq(spindle("look --compare again.asm good.asm --part mcs51-4k"), 0);
    ck_assert_int_eq(spindle("look --compare good.hex fault.asm --part mcs51-4k"), 4);
    ck_assert_int_eq(spindle("explain mov"), 0);
    has(out, "mov dptr, #data16");
    ck_assert_int_eq(spindle("explain 02 01 23"), 0);
    has(out, "ljmp 0x0123");
    ck_assert_int_eq(spindle("explain zzz"), 2);
}
END_TEST

/* Sixty and more mistakes in one file, each with its golden message; and a correct program, of which nothing is said. */
START_TEST(a_file_of_mistakes_gives_its_golden_messages)
{
    open_folder();
    ck_assert_int_eq(spindle("asm " SOURCE_FOLDER "/tests/golden/correct.asm --part mcs51-8k -o correct.hex"),
                     0);
    ck_assert_str_eq(err, "");
    ck_assert_int_eq(spindle("asm " SOURCE_FOLDER "/tests/golden/mistakes.asm --part mcs51-8k --json"), 1);
    cJSON *root = cJSON_Parse(out), *item;
    char *o, *golden, *at;
    ck_assert_int_eq(shell("cat " SOURCE_FOLDER "/tests/golden/mistakes.txt", &golden, &o), 0);
    at = golden;
    unsigned count = 0;
    cJSON_ArrayForEach(item, cJSON_GetObjectItem(root, "diagnostics"))
    {
        char line[1000];
        const cJSON *hint = cJSON_GetObjectItem(item, "hint");
        const char *message = cJSON_GetStringValue(cJSON_GetObjectItem(item, "message")),
                   *path = strstr(message, SOURCE_FOLDER);
        snprintf(line, sizeof line, "%d:%d-%d [%s] %.*s%s | %s\n",
                 (int)cJSON_GetNumberValue(cJSON_GetObjectItem(item, "line")),
                 (int)cJSON_GetNumberValue(cJSON_GetObjectItem(item, "column")),
                 (int)cJSON_GetNumberValue(cJSON_GetObjectItem(item, "column_end")),
                 cJSON_GetStringValue(cJSON_GetObjectItem(item, "code")),
                 (int)(path ? path - message : (long)strlen(message)), message,
                 path ? path + strlen(SOURCE_FOLDER) + 1 : "", hint ? cJSON_GetStringValue(hint) : "");
        ck_assert_msg(strncmp(at, line, strlen(line)) == 0, "expected %.*s\ngot      %s",
                      (int)strcspn(at, "\n"), at, line);
        at += strlen(line);
        count++;
    }
    ck_assert_uint_ge(count, 60);
    ck_assert_str_eq(at, "");
    cJSON_Delete(root);
    free(golden);
    free(o);
}
END_TEST

START_TEST(safe_edits_are_applied_and_shown)
{
    open_folder();
    put_file("fix.asm", "x:      push a\n        cjne r2, 5, x ; and\n        mov a, #0FF\n        jmp x\n   "
                        "     mvo a, #1\n");
    ck_assert_int_eq(spindle("asm fix.asm --part mcs51-4k --fix"),
                     1); /* a misspelt word is left to its author */
    has(out, "-     1 | x:      push a\n  +     1 | x:      push acc\n");
    has(out, "3 lines put right");
    has(err, "`mvo` is no instruction");
    char *fixed = get_file("fix.asm");
    ck_assert_str_eq(fixed, "x:      push acc\n        cjne r2, #5, x ; and\n        mov a, #0x0FF\n        "
                            "jmp x\n        mvo a, #1\n");
    free(fixed);
}
END_TEST

START_TEST(a_changed_source_is_assembled_again)
{
    open_folder();
    put_file("inc.asm", "value equ 1\n");
    put_file("w.asm", " include \"inc.asm\"\nx: db value\n");
    static char command[2000];
    free(out);
    free(err);
    snprintf(
        command, sizeof command,
        "cd %.60s; %s asm w.asm --part mcs51-4k -o w.hex --watch > log & for i in $(seq 300); do grep -q "
        "waiting log && break; sleep 0.1; done; echo 'value equ 2' > inc.asm; for i in $(seq 300); do "
        "grep -q :0100000002FD w.hex && break; sleep 0.1; done; cat w.hex; kill $!; wait $!",
        folder, SPINDLE);
    ck_assert_int_eq(shell(command, &out, &err), 0);
    has(out, ":0100000002FD"); /* the include was watched too */
    char *log = get_file("log");
    has(log, "waiting for changes");
    free(log);
}
END_TEST

/* A general reader of ELF files takes what is written: sections, symbols and lines. */
START_TEST(a_general_reader_accepts_the_elf_file)
{
    open_folder();
    put_file("inc.asm", "helper: ret\n");
    put_file("e.asm", " org 0\nstart: nop\n call helper\n sjmp start\n include \"inc.asm\"\n org "
                      "0x100\nlast: mov a, #1\nx: sjmp x\n");
    ck_assert_int_eq(spindle("asm e.asm --part mcs51-8k -o e.elf"), 0);
    static char command[500];
    free(out);
    free(err);
    snprintf(command, sizeof command,
             "cd %.60s && readelf -W -h -S -s -l --debug-dump=info,decodedline e.elf", folder);
    ck_assert_int_eq(shell(command, &out, &err), 0);
    ck_assert_msg(!strstr(out, "arning") && !strstr(err, "rror"), "%.800s%.800s",
                  strstr(out, "arning") ? strstr(out, "arning") : "", err);
    has(out, "Intel 8051");
    has(out, "(string) helper");
    has(out, " last\n");
    has(out, "0x00000100 0x00000100");
    bool found = false;
    for (char *line = strtok(out, "\n"); line; line = strtok(NULL, "\n")) {
        unsigned number, address;
        char name[100];
        if (sscanf(line, "%99s %u %x", name, &number, &address) == 3 && strcmp(name, "inc.asm") == 0 &&
            number == 1 && address == 5)
            found = true;
    }
    ck_assert_msg(found, "no line of the include at 0x5");
}
END_TEST

START_TEST(a_project_sets_warnings_and_include_folders)
{
    open_folder();
    char *o, *e;
    static char command[200];
    snprintf(command, sizeof command, "mkdir %.60s/common", folder);
    shell(command, &o, &e);
    free(o);
    free(e);
    put_file("common/pins.inc", "lamp bit p1.4\n");
    put_file("m.asm", " include \"pins.inc\"\nx: mov r2, 20\n clr lamp\n sjmp x\n");
    put_file("spindle.yaml",
             "part: mcs51-8k\nsources: [m.asm]\ninclude: [common]\nwarnings:\n  missing-mark: error\n");
    ck_assert_int_eq(spindle("asm"), 1);
    has(err, "m.asm:2:12: error: this reads the byte at address 20");
    ck_assert_int_eq(spindle("asm --warn missing-mark=off"), 0);
    put_file("spindle.yaml",
             "part: mcs51-8k\nsources: [m.asm]\ninclude: [common]\nwarnings: {no-such: off}\n");
    ck_assert_int_eq(spindle("asm"), 2);
}
END_TEST

START_TEST(a_part_of_ones_own_may_extend_a_shipped_one)
{
    open_folder();
    put_file("board.yaml", "part: board\nextends: mcs51-8k\nclock: 11.0592MHz\nregisters:\n  - {name: LAMPS, "
                           "at: 0x91, title: the lamps}\n");
    put_file("own.asm", " mov lamps, #5\nx: sjmp x\n");
    ck_assert_int_eq(spindle("run own.asm --part ./board.yaml --show LAMPS --brief"), 0);
    has(out, "at 11.0592 MHz");
    has(out, "LAMPS              0x05");
    ck_assert_int_eq(spindle("parts board.yaml"), 0);
    has(out, "0x91 LAMPS");
    has(out, "0xc8 T2CON");
    ck_assert_int_eq(spindle("parts --ram 256 --with timer2"), 0);
    ck_assert(strstr(out, "mcs51-8k") && !strstr(out, "mcs51-4k"));
}
END_TEST

/* ------------------------------------------------------------------------------------------ signals and boards */

static void put_signals(void)
{
    put_file("pins.asm", "led bit p1.0\n org 0\nstart: mov r7, #50\nagain: cpl led\n mov p2, r7\n djnz r7, "
                         "again\nrest: nop\n sjmp rest\n");
    put_file("pins.txt", "p3.0 = clock 10kHz until 800us # a clock\nname feed = p3.0\n");
    put_file("board.yaml", "board: bench\nstand-ins:\n  t: {kind: terminal, baud: 9600, wires: {to-chip: "
                           "p3.0, from-chip: p3.1}}\n  lamp: {kind: lamp, wires: {in: p1.0}}\n");
    put_file("echo.asm",
             " org 0\nstart: mov scon, #0x50\n mov tmod, #0x20\n mov th1, #0xfd\n setb tr1\nmain: jnb ri, "
             "main\n clr ri\n mov a, sbuf\n xrl a, #0x20\n mov sbuf, a\n sjmp main\n");
}

START_TEST(signals_are_drawn_printed_and_dumped)
{
    put_signals();
    ck_assert_int_eq(spindle("wave pins.asm --part mcs51-8k --time 1ms --stimuli pins.txt --record p2 "
                             "--record pins --mark rest -o w.png"),
                     0);
    has(out, "w.png: 1280 by 322 pixels, 3 signals");
    ck_assert_int_eq(
        spindle("run pins.asm --part mcs51-8k --time 1ms --stimuli pins.txt --dump w.vcd --brief"), 0);
    char *dump = get_file("w.vcd");
    has(dump, "$timescale 1 us $end");
    has(dump, "$var wire 1 ! led $end");
    has(dump, "$var wire 1 \" feed $end");
    free(dump);
    ck_assert_int_eq(spindle("wave w.vcd -o w.svg --width 900 --height 300"), 0);
    char *svg = get_file("w.svg");
    has(svg, "<svg");
    has(svg, "width=\"900");
    free(svg);
    ck_assert_int_eq(spindle("wave w.vcd --only feed --from 100us --to 700us"), 0);
    has(out, "feed: every 100.0 us, high 50.0 %");
    ck_assert_int_eq(
        spindle("wave pins.asm --part mcs51-8k --time 1ms --record p2 --mark rest --stop-at rest"), 0);
    has(out, "rest at 251.000 us, cycle 251");
    char *png, *error;
    char command[200];
    snprintf(command, sizeof command, "head -c 8 %.90s/w.png | od -An -tx1", folder);
    ck_assert_int_eq(shell(command, &png, &error), 0);
    has(png, "89 50 4e 47 0d 0a 1a 0a");
    free(png);
    free(error);
}
END_TEST

static bool is_png(const char *name, unsigned *width, unsigned *height)
{
    char *text, *error, command[200];
    unsigned b[8] = {0};
    snprintf(command, sizeof command, "od -An -tu1 -j16 -N8 %.90s/%s; head -c 8 %.90s/%s | od -An -tx1",
             folder, name, folder, name);
    ck_assert_int_eq(shell(command, &text, &error), 0);
    ck_assert_int_eq(
        sscanf(text, "%u %u %u %u %u %u %u %u", &b[0], &b[1], &b[2], &b[3], &b[4], &b[5], &b[6], &b[7]), 8);
    *width = b[2] << 8 | b[3], *height = b[6] << 8 | b[7];
    bool png = strstr(text, "89 50 4e 47 0d 0a 1a 0a") != NULL;
    free(text);
    free(error);
    return png;
}

START_TEST(a_map_shows_what_a_part_has_and_what_a_program_takes)
{
    unsigned width, height;
    open_folder();
    ck_assert_int_eq(spindle("parts mcs4-4k --map"), 0);
    has(out, "code  ROM, 4,096 bytes, 0x0000 to 0x0fff");
    has(out, "|....|....|....|....|....|....|....|....|....|....|....|....|....|....|....|....|  16 chips, "
             "ram0 to ram15");
    has(out, "registers in ramport\n  0x0000 to 0x000f  M0 to M15\n");
    ck_assert_int_eq(spindle("parts mcs51-8k --map"), 0);
    has(out, "  0x0088            TCON, several devices\n");
    has(out, "  0x0098 to 0x0099  SCON to SBUF, serial port\n");
    put_file("map.asm",
             " section a, xram, at 0x8000\nlog: ds 0x6000\n section vars, iram\nn: ds 1\n section p, "
             "code, at 0\nstart: setb TR0\n"
             " mov SBUF, #1 ; P2 is not named, in a comment\n mov n, TH1\nhere: sjmp here\n");
    ck_assert_int_eq(spindle("asm map.asm --part mcs51-8k --map --picture map.png"), 0);
    has(out,
        "xram  24,576 of 65,536 bytes used, 37.5 %\n  "
        "|................................|########################........|  2 chips, xram0 to xram1\n");
    has(out, "        1 byte   0x0030 to 0x0030  vars, placed by the tool\n");
    has(out, "registers  those that the source names, by device\n  several devices          TCON\n  timers 0 "
             "and 1           TH1\n  serial port              SBUF\n");
    ck_assert_ptr_null(strstr(out, "P2"));
    ck_assert(is_png("map.png", &width, &height));
    ck_assert_uint_eq(width, 1280);
    ck_assert_uint_gt(height, 400);
    ck_assert_int_eq(spindle("asm map.asm --part mcs51-8k --json"), 0);
    char *plain = strdup(out);
    unsigned kept = 0;
    for (const char *p = out; *p; p++)
        if (*p > ' ') plain[kept++] = *p;
    plain[kept] = 0;
    has(plain, "\"registers\":[\"TCON\",\"TH1\",\"SBUF\"]");
    free(plain);
    /* A picture of every part, with every register in it, drawn as text. */
    static const char *const parts[] = {"mcs51-64k",  "z80-64k",    "picmid-8k",  "pic18-32k",
                                        "msp430-32k", "cpu12-256k", "rv32-256k",  "a32-1m",
                                        "avr-32k",    "mcs4-4k",    "armv6m-32k", "armv7m-256k"};
    for (unsigned i = 0; i < sizeof parts / sizeof *parts; i++) {
        char arguments[120];
        snprintf(arguments, sizeof arguments, "parts %s --picture part.svg", parts[i]);
        ck_assert_int_eq(spindle(arguments), 0);
        char *svg = get_file("part.svg");
        has(svg, "<svg");
        has(svg, "width=\"1280");
        free(svg);
        snprintf(arguments, sizeof arguments, "parts %s --picture part.png", parts[i]);
        ck_assert_int_eq(spindle(arguments), 0);
        ck_assert(is_png("part.png", &width, &height));
    }
    ck_assert_int_eq(spindle("parts --map"), 2);
    has(err, "of which part? `spindle parts NAME --map`");
    ck_assert_int_eq(spindle("parts mcs4-4k --picture map.gif"), 1);
    has(err, "Let its name end in .png or .svg");
    ck_assert_int_eq(spindle("parts mcs4-4k --picture nowhere/map.png"), 1);
    has(err, "nowhere/map.png");
    ck_assert_int_eq(spindle("asm map.asm --part mcs51-8k --picture map.gif"), 1);
}
END_TEST

START_TEST(a_job_reads_nothing_but_documents)
{
    char *got, *error;
    int code = shell("cd " SOURCE_FOLDER " && PATH=$(dirname " SPINDLE "):$PATH examples/embed/ci_job", &got,
                     &error);
    ck_assert_msg(code == 0, "%s%s", got, error);
    has(got, "ci_job: 1605 cases pass\n");
    has(got, "ci_job: a mistake is told with its line, 43\n");
    free(got);
    free(error);
}
END_TEST

START_TEST(one_document_stands_alone_whatever_is_asked)
{
    open_folder();
    static const struct {
        const char *arguments;
        int code;
        const char *says;
    } all[] = {{"asm good.asm --part mcs51-4k -o - --json", 0, ":00000001FF"},
               {"wave good.asm --part mcs51-4k --record p1 --json", 0, "\"signals\""},
               {"explain djnz --json", 0, "\"kind\":\t\"instruction\""},
               {"look good.asm --part mcs51-4k --json", 0, "\"image\":\t\"good.asm\""},
               {"run fault.asm --part mcs51-4k --json", 3, "\"ok\":\tfalse"},
               {"new thing --part mcs51-4k --json", 0, "thing/main.asm"},
               {"new thing --part mcs51-4k --json", 1, "this file is already there"},
               {"nonsense --json", 2, "there is no command `nonsense`"},
               {"--version --json", 0, "\"text\":\t\"spindle "},
               {"asm --json --help", 0, "usage: spindle asm"}};
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        ck_assert_msg(spindle(all[i].arguments) == all[i].code, "%s: %s", all[i].arguments, out);
        ck_assert_str_eq(err, "");
        has(out, all[i].says);
        cJSON *document = cJSON_Parse(out);
        const char *end = NULL;
        ck_assert_msg(document != NULL, "%s: %s", all[i].arguments, out);
        cJSON_Delete(document);
        document = cJSON_ParseWithOpts(out, &end, 0); /* and nothing behind it */
        ck_assert_uint_eq(strspn(end, "\n"), strlen(end));
        ck_assert_int_eq(cJSON_IsTrue(cJSON_GetObjectItemCaseSensitive(document, "ok")), all[i].code == 0);
        ck_assert_int_eq((int)cJSON_GetNumberValue(cJSON_GetObjectItemCaseSensitive(document, "version")), 1);
        cJSON_Delete(document);
    }
}
END_TEST

START_TEST(memory_is_shown_as_the_chips_it_is)
{
    open_folder();
    put_file("chips.asm",
             " section p, code, at 0\n fim p1, 0x5a\n ldm 1\n dcl\n src p1\n ldm 7\n wrm\n wr2\n "
             "wmp\nhere: jun here\n");
    ck_assert_int_eq(spindle("run chips.asm --part mcs4-4k"), 0);
    has(out, "Chips in which there is something\n"
             "     ram5, bank 1\n"
             "  0  0000 0000 0000 0000  0000\n"
             "  1  0000 0000 0070 0000  0070\n"
             "                 ^\n"
             "  2  0000 0000 0000 0000  0000\n"
             "  3  0000 0000 0000 0000  0000\n"
             "     port M5 0111\n");
    ck_assert_int_eq(spindle("run chips.asm --part mcs4-4k -b --show 'chips ram8..ram9 rom0'"), 0);
    has(out, "     rom0\n  0  22 5a d1 fd 23 d7 e0 e6 e1 40 09 ff ff ff ff ff\n");
    has(out, "     ram8, bank 2                ram9, bank 2\n");
    ck_assert_ptr_null(strstr(out, "ram5"));
    ck_assert_int_eq(spindle("run chips.asm --part mcs4-4k -b --show 'chips all'"), 0);
    for (unsigned i = 0; i < 16; i++) {
        char name[40];
        snprintf(name, sizeof name, "ram%u, bank %u", i, i / 4);
        has(out, name);
    }
    ck_assert_int_eq(spindle("run chips.asm --part mcs4-4k --show 'chips ram16'"), 1);
    has(err, "there is no such chip");
    ck_assert_int_eq(spindle("run chips.asm --part mcs4-4k --json"), 0);
    has(out, "\"name\":\t\"ram5\"");
    /* Memory of many rows: those that hold something, by their addresses. */
    put_file("far.asm", " mov dptr, #0x9234\n mov a, #0x5c\n movx @dptr, a\nhere: sjmp here\n");
    ck_assert_int_eq(spindle("run far.asm --part mcs51-8k"), 0);
    has(out, "     xram1\n9230 00 00 00 00 5c 00 00 00 00 00 00 00 00 00 00 00\n                  ^\n     "
             "2,047 rows are empty\n");
    ck_assert_int_eq(spindle("run far.asm --part mcs51-8k --show chips -b"), 0);
    has(out, "xram1");
    put_file("rv.asm", " vector reset, start\n org 0x100\nstart: j start\n");
    ck_assert_int_eq(spindle("run rv.asm --part rv32-256k --show chips"),
                     1); /* an expression there, and no name of anything */
}
END_TEST

START_TEST(wrong_ways_to_see_signals_are_explained)
{
    put_signals();
    ck_assert_int_eq(spindle("run pins.asm --part mcs51-8k --time 1ms --dump w.vcd --brief"), 0);
    static const struct {
        const char *arguments;
        int code;
        const char *says;
    } cases[] = {
        {"wave nothing.vcd", 1, "there is no such dump"},
        {"wave w.vcd --only lamp", 1, "There are: led"},
        {"wave w.vcd -o w.gif", 1, ".png or .svg"},
        {"wave w.vcd -o w.png --width 50", 1, "400 to 8000"},
        {"wave w.vcd --from soon", 2, "150ms"},
        {"wave w.vcd --from 5s", 2, "nothing to show"},
        {"wave w.vcd w.vcd", 2, "one dump"},
        {"run pins.asm --part mcs51-8k --record lamp", 1, "lamp"},
        {"run pins.asm --part mcs51-8k --lap start", 2, "begin to end"},
        {"run pins.asm --part mcs51-8k --lap 'start to nowhere'", 1, "nowhere"},
        {"run pins.asm --part mcs51-8k --pace slow", 2, "--pace 0.1"},
        {"run pins.asm --part mcs51-8k --stimuli nothing.txt", 1, "no such stimulus file"},
        {"run pins.asm --part mcs51-8k --board nothing.yaml", 1, "no such board file"},
        {"run pins.asm --part mcs51-8k --act 'door open'", 2, "--board F"},
        {"run pins.asm --part mcs51-8k --board board.yaml --act 'door open'", 1, "On the board are: t, lamp"},
        {"run pins.asm --part mcs51-8k --board board.yaml --attach lamp", 1, "There are: t"},
        {"run pins.asm --part mcs51-8k --notice contention=loud", 2, "floating-read"},
        {"run pins.asm --part mcs51-8k --seed -1", 2, "from 0"}};
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        ck_assert_msg(spindle(cases[i].arguments) == cases[i].code, "%s: %s", cases[i].arguments, err);
        has(err, cases[i].says);
    }
}
END_TEST

START_TEST(a_board_is_shown_and_a_terminal_attached)
{
    put_signals();
    ck_assert_int_eq(
        spindle("run echo.asm --part mcs51-8k --clock 11.0592MHz --board board.yaml --act 'lamp on'"), 1);
    has(err, "It understands: nothing");
    ck_assert_int_eq(spindle("run echo.asm --part mcs51-8k --clock 11.0592MHz --board board.yaml --act 't "
                             "type oak at 1ms' --time 20ms --lap 'main to main'"),
                     0);
    has(out, "echo.asm on mcs51-8k, bench");
    has(out, "lamp  ○  dark");
    has(out, "3 bytes received, 3 sent; last \"OAK\"");
    has(out, "Received by t, 3 bytes\n  OAK");
    has(out, "Laps, in machine cycles");
    ck_assert_int_eq(spindle("run echo.asm --part mcs51-8k --clock 11.0592MHz --board board.yaml --act 't "
                             "type oak at 1ms' --time 20ms --attach t --json"),
                     0);
    ck_assert_int_eq(strncmp(out, "OAK{", 4), 0);
    cJSON *root = cJSON_Parse(out + 3);
    ck_assert_str_eq(
        cJSON_GetObjectItem(cJSON_GetArrayItem(cJSON_GetObjectItem(root, "board"), 0), "kind")->valuestring,
        "terminal");
    cJSON_Delete(root);
    /* the other end of a pseudo-terminal: what is typed there comes back */
    char command[1500], *got, *error;
    snprintf(command, sizeof command,
             "cd %.90s; %s run echo.asm --part mcs51-8k --clock 11.0592MHz --board board.yaml --pty t --pace "
             "1 --time 30s --brief >o.txt 2>e.txt & "
             "for i in $(seq 300); do grep -q /dev e.txt && break; sleep 0.1; done; p=$(sed "
             "-n 's/.* is at //p' e.txt); exec 3<>$p && printf hi >&3 && head -c 2 <&3; kill -INT $!; wait",
             folder, SPINDLE);
    ck_assert_int_eq(shell(command, &got, &error), 0);
    ck_assert_str_eq(got, "HI");
    free(got);
    free(error);
}
END_TEST

START_TEST(notices_and_stand_ins_are_explained)
{
    ck_assert_int_eq(spindle("explain notices"), 0);
    has(out, "contention (warning)");
    has(out, "no-handler (stop)");
    ck_assert_int_eq(spindle("explain ldmia"), 0); /* no part is named: whoever has it */
    has(out, "An instruction of armv6m, also of armv7m");
    has(out, "a32");
    ck_assert_int_eq(spindle("explain djnz"), 0);
    has(out, "djnz rn, rel");
    has(out, "An instruction of mcs51");
    ck_assert_int_eq(spindle("explain djnz --part armv7m-256k"), 2);
    has(err, "`djnz` is no instruction of armv7m");
    ck_assert_int_eq(spindle("explain djnzz"), 2);
    ck_assert_int_eq(spindle("explain overrun"), 0);
    has(out, "the new one is lost");
    ck_assert_int_eq(spindle("explain board"), 0);
    has(out, "character-display");
    ck_assert_int_eq(spindle("explain relay"), 0);
    has(out, "pull-in");
    has(out, "coil");
}
END_TEST

START_TEST(odd_names_of_files_work)
{
    open_folder();
    put_file("mit Leerzeichen äö.asm", " nop\nr: sjmp r\n");
    ck_assert_int_eq(spindle("asm 'mit Leerzeichen äö.asm' --part mcs51-4k"), 0);
    ck_assert_int_eq(spindle("run 'mit Leerzeichen äö.hex' --part mcs51-4k --brief"), 0);
    ck_assert_int_eq(spindle("asm ./good.asm --part mcs51-4k -o -"), 0);
    has(out, ":06000000742AF53080FEB9");
    ck_assert_int_eq(spindle("asm . --part mcs51-4k"), 1);
}
END_TEST

START_TEST(a_run_shows_memory_in_cells_and_stops_once)
{
    char *out, *err;
    ck_assert_int_eq(
        shell(
            "cd " SOURCE_FOLDER " && " SPINDLE
            " run examples/lathe/lathe.asm --part mcs51-8k --board examples/lathe/board.yaml --stop-at "
            "'tripped once' --show 'iram[times..times+7] as 2 big dec' --show 'trips as oct' --show 'depth' "
            "--show 'cycle as dec' --brief",
            &out, &err),
        0);
    ck_assert_msg(strstr(out, "Stop point") && strstr(out, "tripped"), "%s", out);
    ck_assert_ptr_nonnull(strstr(out, "0x0035    193   194   193   194"));
    ck_assert_ptr_nonnull(strstr(out, "trips              000\n"));
    ck_assert_ptr_nonnull(strstr(out, "depth              0x01  1"));
    ck_assert_ptr_nonnull(strstr(out, "cycle              400029\n"));
    free(out);
    free(err);
}
END_TEST

START_TEST(a_vector_is_listed_with_its_bytes)
{
    open_folder();
    put_file("vector.asm", " vector reset, start\n org 0x40\nstart: sjmp start\n");
    ck_assert_int_eq(spindle("asm vector.asm --part mcs51-4k --listing vector.lst"), 0);
    char *listing = get_file("vector.lst");
    has(listing, "     1  0x0000  02 00 40       2   vector reset, start\n");
    free(listing);
}
END_TEST

START_TEST(lines_are_laid_out_and_nothing_else)
{
    open_folder();
    ck_assert_int_eq(spindle("asm good.asm --part mcs51-4k"), 0);
    char *before = get_file("good.hex");
    ck_assert_int_eq(spindle("tidy good.asm --part mcs51-4k --check"), 4);
    has(out, "good.asm: 4 lines would be laid out\n");
    ck_assert_int_eq(spindle("tidy good.asm bad.asm --part mcs51-4k"), 0);
    has(out, "good.asm: 4 lines laid out\nbad.asm: 2 lines laid out\n");
    char *after = get_file("good.asm");
    ck_assert_str_eq(after,
                     "        org  0\nstart:  mov  a, #0x2a\n        mov  0x30, a\nrest:   sjmp rest\n");
    ck_assert_int_eq(spindle("asm good.asm --part mcs51-4k"), 0);
    char *same = get_file("good.hex");
    ck_assert_str_eq(before, same);
    ck_assert_int_eq(spindle("tidy good.asm bad.asm --part mcs51-4k --check"), 0);
    has(out, "all lines are laid out\n");
    ck_assert_int_eq(spindle("tidy good.asm --part mcs51-4k --json"), 0);
    has(out, "\"lines\":\t0");
    ck_assert_int_eq(spindle("tidy nosuch.asm --part mcs51-4k"), 1);
    ck_assert_int_eq(spindle("tidy"), 2);
    ck_assert_int_eq(run_shell("printf 'part: mcs51-4k\nsources:\n  - late.asm\n' >spindle.yaml; printf ' "
                               "nop\n' >late.asm; " SPINDLE " tidy"),
                     0);
    has(out, "late.asm: 1 line laid out\n");
    ck_assert_int_eq(spindle("serve"), 2);
    ck_assert_int_eq(spindle("serve --language </dev/null"), 1); /* who leaves without a word */
    free(before), free(after), free(same);
}
END_TEST

START_TEST(a_name_is_found_where_it_is_defined_and_used)
{
    open_folder();
    put_file("flow.asm",
             "; part: mcs51-4k\n include \"pins.inc\"\nmain: setb motor\n.x: djnz r2, .x\n sjmp MAIN\n");
    put_file("pins.inc", "motor bit p1.2\n");
    ck_assert_int_eq(spindle("find motor flow.asm"), 0);
    ck_assert_str_eq(out, "pins.inc:1:1: defined  motor bit p1.2\nflow.asm:3:12: used  main: setb motor\n");
    ck_assert_int_eq(spindle("find main flow.asm"), 0);
    ck_assert_str_eq(out, "flow.asm:3:1: defined  main: setb motor\nflow.asm:5:7: used  sjmp MAIN\n");
    ck_assert_int_eq(spindle("find main.x flow.asm"), 0);
    has(out, "flow.asm:4:14: used  .x: djnz r2, .x\n");
    ck_assert_int_eq(
        run_shell("mkdir '100 %'; cp flow.asm pins.inc '100 %'; " SPINDLE " find motor '100 %/flow.asm'"), 0);
    has(out, "100 %/pins.inc:1:1: defined  motor bit p1.2\n");
    ck_assert_int_eq(spindle("find nosuch flow.asm"), 1);
    has(err, "nothing here defines this name");
    ck_assert_int_eq(spindle("find main nosuch.asm"), 1);
    ck_assert_int_eq(spindle("find main good.asm"), 1); /* of which nobody knows the part */
    ck_assert_int_eq(spindle("find start good.asm --part mcs51-4k"), 0);
    ck_assert_int_eq(spindle("find"), 2);
    ck_assert_int_eq(spindle("find main"), 2);
    ck_assert_int_eq(run_shell("printf 'part: mcs51-4k\nsources:\n  - flow.asm\n' >spindle.yaml; " SPINDLE
                               " find main --json"),
                     0);
    has(out, "\"what\":\t\"used\"");
}
END_TEST

START_TEST(code_hosts_get_a_log_of_what_is_wrong)
{
    open_folder();
    ck_assert_int_eq(spindle("asm bad.asm --part mcs51-4k --sarif bad.sarif"), 1);
    has(err, "bad.asm:1:2: error"); /* told here, too */
    char *log = get_file("bad.sarif");
    cJSON *root = cJSON_Parse(log), *run = cJSON_GetArrayItem(cJSON_GetObjectItem(root, "runs"), 0);
    const cJSON *results = cJSON_GetObjectItem(run, "results"), *second = cJSON_GetArrayItem(results, 1);
    const cJSON *rules =
        cJSON_GetObjectItem(cJSON_GetObjectItem(cJSON_GetObjectItem(run, "tool"), "driver"), "rules");
    ck_assert_int_eq(cJSON_GetArraySize(results), 2);
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(second, "ruleId")), "unknown-symbol");
    ck_assert_str_eq(
        cJSON_GetStringValue(cJSON_GetObjectItem(
            cJSON_GetArrayItem(rules, cJSON_GetObjectItem(second, "ruleIndex")->valueint), "id")),
        "unknown-symbol");
    const cJSON *at = cJSON_GetObjectItem(
        cJSON_GetObjectItem(cJSON_GetArrayItem(cJSON_GetObjectItem(second, "locations"), 0),
                            "physicalLocation"),
        "region");
    ck_assert_int_eq(cJSON_GetObjectItem(at, "startLine")->valueint, 2);
    ck_assert_int_eq(cJSON_GetObjectItem(at, "startColumn")->valueint, 10);
    cJSON_Delete(root);
    free(log);
    ck_assert_int_eq(spindle("asm good.asm --part mcs51-4k --sarif good.sarif"), 0);
    log = get_file("good.sarif");
    has(log, "\"results\":\t[]");
    free(log);
}
END_TEST

RUN_SUITE("tool", lines_are_laid_out_and_nothing_else, a_name_is_found_where_it_is_defined_and_used,
          code_hosts_get_a_log_of_what_is_wrong, a_vector_is_listed_with_its_bytes,
          a_run_shows_memory_in_cells_and_stops_once, assembling_writes_hex_listing_and_symbols,
          variables_are_as_wide_with_a_file_of_symbols_as_from_source,
          a_refused_source_leaves_the_earlier_output_alone, json_tells_the_same,
          a_run_reports_why_and_where_it_stopped, a_fault_ends_with_exit_code_3, budgets_and_their_words,
          state_files_carry_a_run_on, wrong_usage_ends_with_exit_code_2_and_a_way_out,
          help_is_given_for_every_command, a_part_is_shown_with_all_it_has, the_tool_stands_alone,
          a_whole_memory_becomes_an_image, a_new_project_builds_and_runs_as_it_stands,
          images_of_every_format_run_the_same, a_file_of_mistakes_gives_its_golden_messages,
          safe_edits_are_applied_and_shown, a_changed_source_is_assembled_again,
          a_general_reader_accepts_the_elf_file, a_project_sets_warnings_and_include_folders,
          a_part_of_ones_own_may_extend_a_shipped_one, odd_names_of_files_work,
          signals_are_drawn_printed_and_dumped, a_map_shows_what_a_part_has_and_what_a_program_takes,
          memory_is_shown_as_the_chips_it_is, a_job_reads_nothing_but_documents,
          one_document_stands_alone_whatever_is_asked, wrong_ways_to_see_signals_are_explained,
          a_board_is_shown_and_a_terminal_attached, notices_and_stand_ins_are_explained)
