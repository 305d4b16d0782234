/* The console of the bench, through a pipe, a script and a pseudo-terminal. */
#include "support.h"

#include <stdio.h>
#include <unistd.h>

#include <cjson/cJSON.h>

static char *out, *err;

static int bench_with(const char *arguments, const char *lines)
{
    static char command[6000];
    free(out);
    free(err);
    snprintf(command, sizeof command, "cd %s && printf '%%s' '%s' | %s bench %s", SOURCE_FOLDER, lines,
             SPINDLE, arguments);
    return shell(command, &out, &err);
}

static int run_shell(const char *command)
{
    free(out);
    free(err);
    return shell(command, &out, &err);
}

static void has(const char *whole, const char *piece)
{
    ck_assert_msg(strstr(whole, piece) != NULL, "`%s` is not in:\n%.3000s", piece, whole);
}

#define LATHE "examples/lathe/lathe.asm --part mcs51-8k --board examples/lathe/board.yaml"
#define KILN  "examples/kiln/kiln.asm --part armv7m-256k --board examples/kiln/board.yaml"

START_TEST(one_stops_steps_changes_a_cell_sees_it_and_steps_back)
{
    ck_assert_int_eq(bench_with(LATHE, "to tripped\nshow trips\nstep\nset trips = 9\nshow trips\nback "
                                       "1\nshow trips\nback change relay\nsource\n"),
                     0);
    has(out, "lathe.asm:67");
    has(out, "trips              0x00");
    has(out, "changed: iram[0x30] 0x00 -> 0x01");
    has(out, "trips              0x09");
    has(out, "63 | halt:   setb relay"); /* the instruction that changed the pin */
    has(out, ">    63 | halt:");
    const char *nine = strstr(out, "0x09"), *after = nine ? strstr(nine, "trips              0x00") : NULL;
    ck_assert_ptr_nonnull(after); /* the change is taken back with the step */
}
END_TEST

START_TEST(the_same_on_the_kiln)
{
    ck_assert_int_eq(bench_with(KILN, "go 700ms\nto control\nout\nshow power\nstep 10\nback 10\nback to "
                                      "100000\nwhere\nstack\nregisters\nboard\n"),
                     0);
    has(out, "kiln.asm:88"); /* behind the call of control */
    has(out, "  returns to ");
    has(out, "main program");
    has(out, "100,0");
    has(out, "chamber");
}
END_TEST

START_TEST(stops_watches_and_their_lists)
{
    ck_assert_int_eq(bench_with(LATHE, "stop guard if trips > 0 every 2\nwatch trips\nwhen running == "
                                       "1\ngo\nstops\ngo\noff watch 0\noff 0\nstops\n"),
                     0);
    has(out, "Watch 1");
    has(out, "watch 0  on  trips changes");
    has(out, "watch 1  on  running == 1 becomes true");
    has(out, "0  off 0x0058  guard if trips > 0 every 2");
}
END_TEST

START_TEST(verbs_may_be_shortened_and_wrong_ones_get_a_way_out)
{
    ck_assert_int_eq(
        bench_with(
            LATHE,
            "ste 3\nsto main\nstp\ns\nback 100000\nto nowhere\nfill iram[0x30..0x31]\nshow\npace fast\n"),
        1);
    has(out, "3 instructions");
    has(err, "Did you mean `step`?");
    has(err, "It may be step, stop, say");
    has(err, "there is no such moment");
    has(err, "nowhere");
    has(err, "Write `fill iram[0x30..0x3f] = 0`.");
    has(err, "an expression is missing");
    has(err, "pace 10%");
    ck_assert_int_eq(bench_with(LATHE, "help\nhelp back\nquit\nstep\n"), 0);
    has(out, "back change iram[0x30]");
    ck_assert_ptr_null(strstr(out, "; 1 instruction\n")); /* nothing behind quit */
}
END_TEST

START_TEST(answers_are_documents_with_json)
{
    ck_assert_int_eq(bench_with(LATHE " --json", "step\nshow nothing\n"), 1);
    char *second = strchr(out, '\n');
    ck_assert_ptr_nonnull(second);
    *second++ = 0;
    cJSON *first = cJSON_Parse(out), *other = cJSON_Parse(second);
    ck_assert(cJSON_IsTrue(cJSON_GetObjectItem(first, "ok")));
    ck_assert_int_eq(cJSON_GetObjectItem(first, "instructions")->valueint, 1);
    ck_assert(cJSON_IsFalse(cJSON_GetObjectItem(other, "ok")));
    ck_assert_str_eq(
        cJSON_GetObjectItem(cJSON_GetArrayItem(cJSON_GetObjectItem(other, "diagnostics"), 0), "code")
            ->valuestring,
        "unknown-name");
    cJSON_Delete(first);
    cJSON_Delete(other);
}
END_TEST

/* The data of the answer to line `number`, from 0. */
static const cJSON *data_of(cJSON **answers, unsigned number, const char *name)
{
    const cJSON *data = cJSON_GetObjectItem(answers[number], "data");
    ck_assert_msg(cJSON_IsTrue(cJSON_GetObjectItem(answers[number], "ok")), "answer %u: %.300s", number, out);
    ck_assert_ptr_nonnull(data);
    return name ? cJSON_GetObjectItem(data, name) : data;
}

static int number_in(const cJSON *object, const char *name)
{
    const cJSON *item = cJSON_GetObjectItem(object, name);
    ck_assert_msg(cJSON_IsNumber(item), "%s", name);
    return item->valueint;
}

static const char *text_in(const cJSON *object, const char *name)
{
    const cJSON *item = cJSON_GetObjectItem(object, name);
    ck_assert_msg(cJSON_IsString(item), "%s", name);
    return item->valuestring;
}

START_TEST(answers_hold_data_beside_their_text)
{
    enum { MOST = 24 };
    cJSON *answers[MOST];
    unsigned count = 0;
    ck_assert_int_eq(bench_with(LATHE " --json",
                                "keep trips\ntally on\nto tripped\nstep\nregisters\nshow trips + 1\n"
                                "memory iram[0x30..0x33]\nstop main if a == 3\nwatch write trips\nstack\n"
                                "recent 1\nspecial tcon\ntouches\ncode\nfind 01 00 in iram[0x30..0x3f]\n"
                                "tally\npins\nboard\nback write relay\nchanges\nlaps\nfollow sp\n"),
                     0);
    for (char *line = strtok(out, "\n"); line && count < MOST; line = strtok(NULL, "\n"))
        ck_assert_ptr_nonnull(answers[count++] = cJSON_Parse(line));
    ck_assert_uint_eq(count, 22);
    ck_assert_int_eq(number_in(data_of(answers, 2, NULL), "line"), 67);
    ck_assert_int_gt(cJSON_GetArraySize(data_of(answers, 2, "changes")), 100);
    const cJSON *one = cJSON_GetArrayItem(data_of(answers, 3, "changes"), 1); /* the first is pc */
    ck_assert_str_eq(text_in(one, "space"), "iram");
    ck_assert_int_eq(number_in(one, "at"), 0x30);
    ck_assert_int_eq(number_in(one, "after"), 1);
    one = cJSON_GetArrayItem(data_of(answers, 3, "kept"), 0);
    ck_assert_str_eq(text_in(one, "what"), "trips");
    ck_assert_int_eq(number_in(one, "value"), 1);
    ck_assert_int_eq(number_in(data_of(answers, 4, "registers"), "pc"), 0x75);
    ck_assert_int_eq(number_in(data_of(answers, 4, "flags"), "cy"), 1);
    ck_assert_int_eq(number_in(data_of(answers, 5, NULL), "value"), 2);
    ck_assert_int_eq(cJSON_GetArraySize(data_of(answers, 6, "bytes")), 4);
    ck_assert_int_eq(number_in(data_of(answers, 6, NULL), "at"), 0x30);
    one = cJSON_GetArrayItem(data_of(answers, 7, "stop_points"), 0);
    ck_assert_str_eq(text_in(one, "condition"), "a == 3");
    one = cJSON_GetArrayItem(data_of(answers, 8, "watches"), 0);
    ck_assert_str_eq(text_in(one, "when"), "trips is written");
    one = cJSON_GetArrayItem(data_of(answers, 9, NULL), 0);
    ck_assert_str_eq(text_in(one, "kind"), "returns");
    ck_assert_str_eq(text_in(one, "place"), "main+2");
    one = cJSON_GetArrayItem(data_of(answers, 10, NULL), 0);
    ck_assert_str_eq(text_in(one, "instruction"), "inc trips");
    one = cJSON_GetArrayItem(data_of(answers, 11, NULL), 0);
    ck_assert_int_eq(number_in(cJSON_GetObjectItem(one, "fields"), "IE0"), 1);
    one = cJSON_GetArrayItem(data_of(answers, 12, NULL), 0); /* ret */
    ck_assert(cJSON_IsTrue(cJSON_GetObjectItem(one, "reads")));
    one = cJSON_GetArrayItem(data_of(answers, 13, NULL), 0);
    ck_assert_str_eq(text_in(one, "instruction"), "ret");
    ck_assert_int_eq(number_in(one, "times"), 0);
    ck_assert_int_eq(number_in(data_of(answers, 14, NULL), "count"), 1);
    ck_assert_int_eq(cJSON_GetArrayItem(data_of(answers, 14, "at"), 0)->valueint, 0x30);
    one = cJSON_GetArrayItem(data_of(answers, 15, NULL), 0);
    ck_assert_str_eq(text_in(one, "label"), "guard");
    ck_assert_int_eq(number_in(one, "times"), 15563);
    one = cJSON_GetArrayItem(data_of(answers, 16, NULL), 3 * 8); /* p3.0 */
    ck_assert_str_eq(text_in(one, "name"), "door");
    ck_assert_str_eq(text_in(one, "level"), "high");
    one = cJSON_GetArrayItem(data_of(answers, 17, NULL), 3);
    ck_assert_str_eq(text_in(one, "kind"), "relay");
    ck_assert_int_eq(number_in(data_of(answers, 18, NULL), "line"), 63);
    ck_assert_int_gt(cJSON_GetArraySize(data_of(answers, 19, NULL)), 2);
    ck_assert_int_eq(cJSON_GetArraySize(data_of(answers, 20, NULL)), 0);
    ck_assert_str_eq(text_in(data_of(answers, 21, NULL), "space"), "iram");
    for (unsigned i = 0; i < count; i++) cJSON_Delete(answers[i]);
}
END_TEST

START_TEST(what_there_is_nothing_of_is_said)
{
    ck_assert_int_eq(bench_with(LATHE, "out of here\nwhere\n"), 1);
    has(err, "`out` stands alone: `of here` means nothing here");
    has(out, "; 0 instructions"); /* and nothing was done */
    ck_assert_int_eq(bench_with(LATHE, "laps\nnoticed\ninterrupts\noutput\nstops\nstack\n"), 0);
    has(out, "nothing is measured: `lap A to B` begins");
    has(out, "  nothing\n");
    has(out, "no interrupt has come");
    has(out, "nothing was sent since it was asked last");
    has(out, "  none\n");
    has(out, "  empty\n");
}
END_TEST

START_TEST(memory_is_filled_searched_saved_and_loaded)
{
    char file[80], lines[600];
    snprintf(file, sizeof file, "/tmp/bench-%d.json", (int)getpid());
    snprintf(lines, sizeof lines,
             "fill iram[0x60..0x63] = 0xa5\nfind a5 a5 in iram[0..0x7f]\nsave %s\nfill iram[0x60..0x63] = "
             "0\nload %s\nshow iram[0x60:4]\ncode begin\nact door close\nboard\n",
             file, file);
    ck_assert_int_eq(bench_with(LATHE, lines), 0);
    has(out, "found 3 times");
    has(out, "0xa5a5a5a5");
    has(out, "mov SP, #");
    unlink(file);
}
END_TEST

START_TEST(a_changed_source_is_assembled_again_and_stops_stay)
{
    char command[2000], *got, *error;
    snprintf(command, sizeof command,
             "d=$(mktemp -d); cd $d; printf ' org 0\\nmain: nop\\nhere: inc r7\\n sjmp main\\n' >a.asm; "
             "(echo 'stop here'; echo go; sleep 1; printf ' org 0\\nmain: nop\\n nop\\nhere: inc r7\\n "
             "sjmp main\\n' >a.asm; echo again; echo go; echo stops; "
             "sleep 1; printf ' bad\\n' >a.asm; echo again; echo where) | %s bench a.asm --part mcs51-8k; "
             "echo \"rc "
             "$?\"; rm -r $d",
             SPINDLE);
    ck_assert_int_eq(shell(command, &got, &error), 0);
    has(got, "at 0x0001, here");
    has(got, "at 0x0002, here");
    has(got, "0  on  0x0002  here  hit 1 time");
    has(got, "rc 1");
    has(error, "bad");
    free(got);
    free(error);
}
END_TEST

START_TEST(a_terminal_edits_completes_and_pauses_at_once)
{
    static const char *const call[] = {SPINDLE,  "bench",    SOURCE_FOLDER "/examples/lathe/lathe.asm",
                                       "--part", "mcs51-8k", NULL};
    char state[100];
    snprintf(state, sizeof state, "/tmp/oak-bench-state-%d", (int)getpid());
    setenv("XDG_STATE_HOME", state, 1);
    terminal t;
    terminal_open(&t, call);
    terminal_await(&t, "spindle> ");
    terminal_send(&t, "show trippe\t\n"); /* completed */
    terminal_await(&t, "place tripped");
    terminal_await(&t, "spindle> ");
    terminal_send(&t, "nonsense\003");
    terminal_await(&t, "\nspindle> "); /* the line is left, the session is not */
    terminal_send(&t, "go\n");
    usleep(300000);
    terminal_send(&t, "\003");
    terminal_await(&t, "Interrupted");
    terminal_await(&t, "spindle> ");
    terminal_send(&t, "back until sp == 255 && r7 == 255\n");
    usleep(300000);
    terminal_send(&t, "\003");
    terminal_await(&t, "everything stands where it stood");
    terminal_send(&t, "load " SOURCE_FOLDER "/READM\t\n"); /* names of files are completed */
    terminal_await(&t, "README.md");
    terminal_await(&t, "error:");
    terminal_send(&t, "quit\n");
    ck_assert_int_eq(terminal_close(&t), 0);
    terminal_open(&t, call);
    terminal_await(&t, "spindle> ");
    terminal_send(&t, "\033[A\033[A\033[A"); /* the lines of the last session: quit, load, back */
    terminal_await(&t, "back until sp == 255");
    usleep(200000);
    terminal_send(&t, "\003");
    terminal_await(&t, "\nspindle> "); /* a new one, below the line that was left */
    usleep(200000);
    terminal_send(&t, "\004"); /* the end of the input */
    ck_assert_int_eq(terminal_close(&t), 0);
    char command[300], *got, *error;
    snprintf(command, sizeof command, "rm -r %s", state);
    shell(command, &got, &error);
    free(got);
    free(error);
    unsetenv("XDG_STATE_HOME");
}
END_TEST

START_TEST(a_line_of_a_megabyte_and_a_missing_script_are_refused)
{
    char command[1000], *got, *error;
    snprintf(command, sizeof command,
             "cd %s; (head -c 1000000 /dev/zero | tr '\\0' 'x'; echo; echo step) | %s bench " LATHE,
             SOURCE_FOLDER, SPINDLE);
    ck_assert_int_eq(shell(command, &got, &error), 1);
    has(error, "this line is too long");
    has(got, "; 1 instruction\n");
    free(got);
    free(error);
    ck_assert_int_eq(bench_with(LATHE " -x nowhere.txt", ""), 1);
    has(err, "A script has a verb a line.");
}
END_TEST

START_TEST(instructions_are_put_in_place_cells_copied_and_the_recent_ones_told)
{
    ck_assert_int_eq(
        bench_with(LATHE, "to tripped\nrecent 3\nput setb relay at tripped\ncode tripped\ncopy "
                          "iram[0x30..0x33] to xram[0x4000]\nshow xram[0x4002]\nback 1\ncode tripped\n"),
        0);
    has(out, "400025  0x006b halt             setb relay              P3=0xf7");
    has(out, "2 bytes at 0x0073");
    has(out, ">  0x0073  setb relay");
    has(out, "xram[0x4002]       0x71");
    has(out, "0x0073  inc trips"); /* going back has taken it back */
    ck_assert_int_eq(
        bench_with(LATHE, "say trips at tripped\nsay nothing at tripped\nput mvo a, #1 at halt\ngo 500ms\n"),
        1);
    has(out, "at cycle 400,029: trips = 0x0  0");
    has(err, "put:2:2: error: `mvo`");
    ck_assert_int_eq(
        bench_with("examples/extractor/extractor.asm --part mcs51-8k --board examples/extractor/board.yaml",
                   "when handling == 0x0b\ngo\nshow handling\nset handling = 1\n"),
        1);
    has(out, "handling           0x0000000b");
    has(err, "cannot be set");
}
END_TEST

START_TEST(programs_in_c_do_the_same_with_the_library)
{
    char *got, *error;
    ck_assert_int_eq(shell(UNTIL_CHANGE " " SOURCE_FOLDER "/examples/lathe/lathe.asm " SOURCE_FOLDER
                                        "/parts/mcs51-8k.yaml trips",
                           &got, &error),
                     0);
    has(got, "trips is changed by `inc trips` at tripped");
    free(got);
    free(error);
    /* the bar of lamps: one limit more for each lamp that is lit; the lowest byte of the mean decides little, but it decides */
    ck_assert_int_eq(shell(WORST_CASE " " SOURCE_FOLDER "/examples/lathe/lathe.asm " SOURCE_FOLDER
                                      "/parts/mcs51-8k.yaml begin_speed begin_log lit",
                           &got, &error),
                     0);
    has(got, "from begin_speed to begin_log: ");
    free(got);
    free(error);
    ck_assert_int_eq(shell(MEAN_OF_ALL " " SOURCE_FOLDER "/examples/scale/scale.asm", &got, &error), 0);
    ck_assert_str_eq(got, "65536 pairs, 0 wrong; at most 7 cycles\n");
    free(got);
    free(error);
}
END_TEST

START_TEST(the_mistake_of_the_loom_is_found_as_the_manual_says)
{
    ck_assert_int_eq(bench_with("examples/mistakes/loom_stops.asm --part armv6m-32k --drive \"p1.0 = 1 for "
                                "40ms, 0 bounce 300us for 10ms, repeat\" --drive \"p1.1 = 1\"",
                                "go 5s\nshow r5\nback change r5\nsource\n"),
                     0);
    has(out, "spans_of.more");
    has(out, "r5                 0x00000000");
    has(out, ">    89 |         lsls r5, r5, #31");
}
END_TEST

/* ------------------------------------------------------------------------------------------ looking at memory */

START_TEST(memory_is_shown_in_any_base_and_cells_of_any_size)
{
    ck_assert_int_eq(
        bench_with(
            LATHE,
            "set iram[0x60:4] = 0x4fa180fe\nshow iram[0x60..0x63]\nshow iram[0x60..0x63] as "
            "dec\nshow iram[0x60..0x63] as signed\nshow iram[0x60..0x63] as oct\nshow "
            "iram[0x60..0x63] as bin\nshow iram[0x60..0x63] as 2 big\nshow iram[0x60..0x63] as 2 "
            "little dec\nshow iram[0x60..0x63] as 4 bytes little signed\nshow iram[0x60..0x63] as text, 2 "
            "columns\nshow iram[0x60..0x63] as 1 hex 1 column\nshow iram[0x63] as signed\nshow "
            "iram[0x63] as oct\nshow sp as bin\n"),
        0);
    has(out, "0x0060  4f a1 80 fe");
    has(out, "  79 161 128 254");
    has(out, "   79  -95 -128   -2");
    has(out, " 117 241 200 376");
    has(out, "0100 1111 1010 0001 1000 0000 1111 1110");
    has(out, "0x0060  4fa1 80fe");
    has(out, "0x0060  41295 65152");
    has(out, "0x0060    -25124529 ");
    has(out, "0x0060  O .\n    0x0062  . .\n");
    has(out, "    0x0061  a1  .\n    0x0062  80  .\n");
    has(out, "iram[0x63]         -2\n");
    has(out, "iram[0x63]         376\n");
    has(out, "sp                 0000 0111\n");
    ck_assert_int_eq(
        bench_with(KILN, "set mem[0x20000300:4] = 0x12345678\nshow mem[0x20000300..0x20000307] as 4\nshow "
                         "mem[0x20000300..0x20000307] as 4 big\nshow mem[0x20000300..0x20000307] as 2 oct\n"),
        0);
    has(out, "0x20000300  12345678 00000000  ");
    has(out, "0x20000300  78563412 00000000");
    has(out, "0x20000300  053170 011064 000000 000000");
    /* Words are as long as the core has them, and what lies there is told beside it. */
    ck_assert_int_eq(
        bench_with(KILN, "show mem[0x20000300..0x20000303] as words big\nshow mem[0x20000300..0x20000303] as "
                         "halfwords\nshow mem[0x20000000..0x2000000f]\n"),
        0);
    has(out, "0x20000300  00000000  ....");
    has(out, "0x20000300  0000 0000  ....");
    ck_assert_int_eq(bench_with(LATHE, "show iram[0x30..0x3f] as words\n"), 0);
    has(out, "0x0030  0000 0000");
    ck_assert_int_eq(
        bench_with(LATHE,
                   "show iram[0x60..0x63] as 3\nshow a as loud\nshow iram[0x60..0x63] as 70 columns\n"),
        1);
    has(err, "`3` means nothing");
    has(err, "`loud` means nothing");
    has(err, "`70` means nothing");
    has(err, "Write hex, dec, signed, oct, bin or text; 1, 2 or 4 bytes, or bytes, halfwords, words; little "
             "or big; 8 columns.");
}
END_TEST

START_TEST(what_the_last_run_changed_is_marked_everywhere)
{
    ck_assert_int_eq(bench_with(LATHE, "pins\n"), 0);
    ck_assert_ptr_null(strchr(out, '*')); /* nothing has run: nothing is marked */
    ck_assert_int_eq(
        bench_with(LATHE, "to tripped\nstep\nshow iram[0x30..0x33]\nregisters\nset P1 = 1\nback 20\nstep "
                          "19\nregisters\nspecial\nspecial P3\n"),
        0);
    has(out, "0x0030 *01 00 71 00");
    has(out, "\n *pc 0x0075  a 0x71"); /* nothing else */
    has(out, " *TCON   0x02");
    ck_assert_int_eq(
        bench_with(LATHE, "keep trips\nkeep sp\nto tripped\npins\nstep\npins\nregisters\nback 1\n"), 0);
    has(out, " *sp                 0x4a");
    has(out, "\n *p3    1111 1111");
    has(out, "\n  p0    1111 1111");
    has(out, "\n *trips              0x01");
    const char *later = strstr(out, "*trips");
    ck_assert_ptr_null(strstr(later, "*p3")); /* not by the step */
    ck_assert_ptr_null(strstr(later, "*sp"));
    has(later, "*trips              0x00"); /* going back has changed it again */
    /* The report of a run, where all is new, is not marked. */
    char *got, *error;
    ck_assert_int_eq(
        shell("cd " SOURCE_FOLDER " && " SPINDLE
              " run examples/lathe/lathe.asm --part mcs51-8k --steps 40 --show 'iram[0x30..0x3f]'",
              &got, &error),
        0);
    ck_assert_ptr_null(strchr(got, '*'));
    free(got);
    free(error);
}
END_TEST

START_TEST(chips_are_chosen_and_what_has_changed_in_them_is_marked)
{
    const char *pegs = "examples/pegs/pegs.asm --part mcs4-4k --board examples/pegs/board.yaml";
    ck_assert_int_eq(
        bench_with(
            pegs,
            "go 70ms\nchips\ngo 40ms\nchips\nset status[next] = 3\nchips ram0 ram4..ram5\nchips usual\n"),
        0);
    const char *first = strstr(out, "ram0, bank 0"), *then = first ? strstr(first + 1, "> chips\n") : NULL;
    ck_assert_ptr_nonnull(then);
    has(then, "  0  2000 0000 0000 0000  ");
    has(then, "\n     * ");
    has(then, "  2  0000 0000 0000 0000  0000"); /* the batch goes to the first place */
    const char *set = strstr(then, "> set");
    ck_assert_ptr_nonnull(set);
    has(set, "  2  0000 0000 0000 0000  3000");
    has(set, "ram4, bank 1                ram5, bank 1\n");
    const char *usual = strstr(set, "> chips usual");
    ck_assert_ptr_nonnull(usual);
    ck_assert_ptr_null(strstr(usual, "ram5"));
    has(usual, "ram1, bank 0");
    ck_assert_int_eq(bench_with(pegs, "go 20ms\nchips ram16\n"), 1);
    has(err, "there is no chip `ram16`");
    ck_assert_int_eq(bench_with("examples/planer/planer.asm --part rv32-256k", "chips\n"), 1);
    has(err, "no memory of rv32-256k is told as chips");
}
END_TEST

START_TEST(a_pointer_is_followed_from_step_to_step)
{
    ck_assert_int_eq(
        bench_with(LATHE,
                   "to begin_speed.fill\nfollow r0\nstep 5\nfollow r0\nfollow dptr as 2 big\nfollow sp in "
                   "iram\nset dptr = 0x4010\nfollow dptr\n"),
        0);
    has(out, "iram[0x35..0x74]");
    has(out, "iram[0x37..0x76]");
    has(out, "xram[0x0..0x3f] as 2 big");
    has(out, "iram[0x4a..0x89]");
    has(out, "xram[0x4010..0x404f]");
    ck_assert_int_eq(
        bench_with(
            KILN,
            "go 1ms\nfollow sp as 4\nfollow 0x100000 + 1\nfollow r0 in nowhere\nfollow\nfollow nothing\n"),
        1);
    has(out, "mem[0x20000200..0x2000023f] as 4");
    has(err, "points to 0x100001 now, where there is no");
    has(err, "has no memory space `nowhere`");
    has(err, "a pointer is missing");
    has(err, "`nothing`");
}
END_TEST

START_TEST(stretches_of_memory_go_to_files_and_come_back)
{
    char lines[2000], folder[80], command[300], *got, *error;
    snprintf(folder, sizeof folder, "/tmp/oak-bench-%d", (int)getpid());
    snprintf(command, sizeof command, "mkdir -p %s", folder);
    shell(command, &got, &error);
    free(got), free(error);
    snprintf(
        lines, sizeof lines,
        "step\nfill iram[0x60..0x6f] = 0x5a\nset iram[0x61] = 0xa1\nsave iram[0x60..0x6f] to %s/c.hex\nsave "
        "iram[0x60..0x6f] to "
        "%s/c.bin\nload %s/c.bin to xram[0x4000]\nload %s/c.hex to xram\nshow xram[0x4000..0x4003]\nshow "
        "xram[0x60..0x63]\nstep\nload %s/c.bin to iram[0x70]\nshow iram[0x71]\nback 1\nshow iram[0x71]\n",
        folder, folder, folder, folder, folder);
    ck_assert_int_eq(bench_with(LATHE, lines), 0);
    has(out, "16 bytes from 0x0060 in ");
    has(out, "0x4000 *5a*a1*5a*5a");
    has(out, "0x0060 *5a*a1*5a*5a");
    has(out, "iram[0x71]         0xa1");
    has(out, "iram[0x71]         0x00"); /* going back has taken it back */
    snprintf(command, sizeof command, "cat %s/c.hex; wc -c <%s/c.bin", folder, folder);
    shell(command, &got, &error);
    has(got, ":100060005AA15A5A5A5A5A5A5A5A5A5A5A5A5A5AA9\n:00000001FF\n16\n");
    free(got), free(error);
    snprintf(lines, sizeof lines,
             "load %s/c.bin to iram[0xf8]\nload %s/c.bin to iram\nload %s/c.hex to iram[1]\nload %s/none.bin "
             "to iram[1]\nload "
             "%s/c.hex to nowhere\nsave iram[0x60..0x6f] to /nowhere/c.bin\nsave\nload\nsave "
             "iram[0x80..0x10] to x\nshow "
             "iram[0xf8..0xff]\n",
             folder, folder, folder, folder, folder);
    ck_assert_int_eq(bench_with(LATHE, lines), 1);
    has(err, "there is no internal RAM at 0x0100: nothing was written");
    has(err, "a file of bytes needs a cell where it begins");
    has(err, "a HEX file has addresses of its own");
    has(err, "none.bin: not found");
    has(err, "`nowhere` is no cell");
    has(err, "/nowhere/c.bin");
    has(err, "a file is missing");
    has(out, "00 00 00 00 00 00 00 00");
    /* A broken file of a session is refused with its place, and nothing of it is taken. */
    snprintf(command, sizeof command, "printf ':0100600011FF\\n' >%s/bad.hex", folder);
    shell(command, &got, &error);
    free(got), free(error);
    snprintf(lines, sizeof lines, "load %s/bad.hex to iram\nshow iram[0x60]\n", folder);
    ck_assert_int_eq(bench_with(LATHE, lines), 1);
    has(err, "bad.hex:1");
    has(out, "iram[0x60]         0x00");
    snprintf(command, sizeof command, "rm -r %s", folder);
    shell(command, &got, &error);
    free(got), free(error);
}
END_TEST

/* ------------------------------------------------------------------------------------------ stops */

START_TEST(watches_of_every_kind_are_listed_with_their_hits_and_removed)
{
    ck_assert_int_eq(
        bench_with(LATHE,
                   "watch write trips\nwatch read trips\nwatch access iram[0x33..0x34]\nwatch "
                   "iram[0x40..0x43]\nwhen depth >= 2\ninterrupt\ninterrupt 0x0b\nsay relay at halt\nstop "
                   "tripped once\nstops\ngo\ngo\noff watch 1\noff watch 2\noff watch 3\noff watch "
                   "4\ngo\nstops\nremove watch "
                   "0\nremove say 0\nremove watch 1\nstops\n"),
        0);
    has(out, "watch 0: stops when trips is written");
    has(out, "watch 1  on  trips is read  hit 0 times");
    has(out, "watch 2  on  iram[0x33..0x34] is read or written  hit 0 times");
    has(out, "watch 3  on  iram[0x40..0x43] changes");
    has(out, "watch 4  on  depth >= 2 becomes true");
    has(out, "watch 5  on  a handler is entered");
    has(out, "watch 6  on  the handler at vector 0x0b is entered");
    has(out, "say 0  relay at halt  hit 0 times");
    has(out, "0  on  0x0073  tripped once  hit 0 times");
    has(out, "Watch 0: trips was written by `mov trips, #0x00` at 0x0040");
    has(out, "Stop point `tripped`");
    has(out, "watch 2  off iram[0x33..0x34]");
    const char *last = strstr(out, "watch 2  off");
    ck_assert_ptr_null(strstr(last, "once")); /* it has served */
    last = strstr(last + 1, "watch 2  off");
    ck_assert_ptr_null(strstr(last, "say 0"));
    ck_assert_ptr_null(strstr(last, "trips is"));
    ck_assert_int_eq(
        bench_with(
            LATHE,
            "watch read depth\nwatch\nwhen\nremove 7\nremove watch 0\nremove say 3\noff say 0\non watch "
            "3\noff x\ninterrupt nowhere\nwatch write iram[0x20..0x500]\nstop main every 0\n"),
        1);
    has(err, "this lies in no cell that could be read or written");
    has(err, "what is to be watched?");
    has(err, "what is to be watched?");
    has(err, "a condition is missing");
    has(err, "there is no stop point 7");
    has(err, "there is no watch 0");
    has(err, "there is no thing said with number 3");
    has(err, "what is said is not turned on and off");
    has(err, "`x` is no number of a stop");
    has(err, "behind `every` comes a number from 1");
}
END_TEST

START_TEST(what_a_chip_suffers_can_be_made_a_stop)
{
    ck_assert_int_eq(
        bench_with("examples/lathe/lathe.asm --part mcs51-8k",
                   "notice\nnotice floating-read stop\nnotice\ngo 10ms\nnotice floating-read off\n"),
        0);
    has(out, "floating-read        warning");
    has(out, "floating-read        stop");
    ck_assert_int_eq(bench_with(LATHE, "notice nonsense stop\nnotice contention loudly\n"), 1);
    has(err, "there is nothing to notice called `nonsense`");
    has(err, "`loudly` is no such setting");
}
END_TEST

/* ------------------------------------------------------------------------------------------ what ran */

START_TEST(what_runs_is_counted_line_by_line_and_by_labels)
{
    ck_assert_int_eq(
        bench_with(LATHE,
                   "tally on\nto tripped\nsource\ntally\ncode begin_speed\nback to 200000\nsource\ntally "
                   "off\nsource\n"),
        0);
    has(out, "lathe.asm: times executed, and cycles in all");
    has(out, "       209 x          418 |         jbc  running, tripped");
    has(out, "         0 x            0 | tripped: inc trips");
    has(out, "  guard                          15,563        109,588   27.4%");
    has(out, "   0x007a           8 x            8  inc r0");
    has(out, "     7,833 x "); /* fewer, after going back */
    has(out, "labels nothing was executed behind");
    ck_assert_int_eq(bench_with(KILN, "tally\ntally loudly\n"), 1);
    has(err, "nothing is counted");
    has(err, "`loudly` means nothing here");
    ck_assert_int_eq(bench_with(KILN, "tally on\ngo 20ms\ntally\nreset\ntally\n"), 0);
    has(out, "from label to the next");
}
END_TEST

START_TEST(special_registers_are_shown_with_every_bit)
{
    ck_assert_int_eq(bench_with(LATHE, "go 10ms\nspecial TCON\nspecial tmod\nspecial all\n"), 0);
    has(out, "TCON           0x");
    has(out, "at 0x88  timer control");
    has(out, "TF1=0  TR1=0");
    has(out, "PSW ");
    has(out, "SBUF ");
    ck_assert_int_eq(bench_with(KILN, "go 10ms\nspecial P0\nspecial nothing\n"), 1);
    has(out, "P0_OUT");
    has(out, "P0_DIR");
    has(err, "there is no special register or device `nothing`");
}
END_TEST

START_TEST(reading_anew_keeps_all_that_was_set_up)
{
    char command[3000], *got, *error;
    snprintf(command, sizeof command,
             "d=$(mktemp -d); cd $d; printf ' org 0\\nmain: nop\\nhere: inc r7\\n inc 30h\\n sjmp main\\n' "
             ">a.asm; "
             "(echo 'stop here if r7 == 3'; echo 'stop main'; echo 'off 2'; echo 'watch write iram[0x30]'; "
             "echo 'off watch 0'; "
             "echo 'when r7 == 200'; echo 'interrupt'; echo 'remove watch 2'; echo 'say r7 at here'; echo "
             "'lap here to here'; "
             "echo 'keep r7'; echo 'drive p1.0 = 0'; echo 'memory iram[0x30..0x37] as 2'; echo 'tally on'; "
             "echo 'off 0'; "
             "echo 'go 20 steps'; sleep 1; printf ' org 0\\nmain: nop\\n nop\\nhere: inc r7\\n inc 30h\\n "
             "sjmp main\\n' >a.asm; "
             "echo again; echo stops; echo go; echo tally; echo pins; echo laps) | %s bench a.asm --part "
             "mcs51-8k --stop-at "
             "'here if r7 == 9'; rm -r $d",
             SPINDLE);
    ck_assert_int_eq(shell(command, &got, &error), 0);
    const char *anew = strstr(got, "`help` lists the verbs");
    ck_assert_ptr_nonnull(anew);
    has(anew, "0  off 0x0002  here if r7 == 9  hit 0 times");
    has(anew, "1  on  0x0002  here if r7 == 3  hit 0 times");
    has(anew, "2  off 0x0000  main  hit 0 times");
    has(anew, "watch 0  off iram[0x30] is written  hit 0 times");
    has(anew, "watch 1  on  r7 == 200 becomes true  hit 0 times");
    ck_assert_ptr_null(strstr(anew, "a handler is entered"));
    has(anew, "say 0  r7 at here  hit 0 times");
    has(anew, "at cycle 2: r7 = 0x0  0");
    has(anew, "r7                 0x03");
    has(anew, "p1    1111 1111       ---- ---0       1111 1110");
    has(anew, "here to here                            3");
    has(anew, "from label to the next");
    free(got), free(error);
}
END_TEST

START_TEST(going_back_takes_back_what_was_put_into_the_flash)
{
    ck_assert_int_eq(
        bench_with(KILN, "to control\nput movs r3, #99 at control\nstep\nshow r3\nback 1\nback 1\ncode "
                         "control\ngo 10ms\nback to 1000\ncode control\n"),
        0);
    has(out, "r3                 0x00000063");
    has(out, "  0x01de  push {r4, r5, lr}");
    ck_assert_ptr_nonnull(strstr(strstr(out, "0x01de  push {r4, r5, lr}") + 1, "0x01de  push {r4, r5, lr}"));
    ck_assert_int_eq(
        bench_with(LATHE,
                   "to tripped\nput clr a at tripped\nput nop at tripped+1\nstep\nshow a\nback 3\ncode "
                   "tripped\n"),
        0);
    has(out, "a                  0x00");
    has(out, "0x0073  inc trips");
}
END_TEST

/* ------------------------------------------------------------------------------------------ help */

START_TEST(what_the_next_instruction_touches_is_told)
{
    ck_assert_int_eq(
        bench_with(LATHE, "touches\nto guard\ntouches\nset P1 = 0x11\nput mov a, P1 at guard\ntouches\nput "
                          "anl P1, #1 at guard\ntouches\nput jbc 0x20.3, guard at guard\ntouches\nto "
                          "tripped\nstep\ntouches\n"),
        0);
    has(out, "  ljmp begin\n    no register and no cell\n");
    has(out, "  mov c, door\n    reads   P3.0 = 1 on the pin\n    writes  cy = ");
    has(out, "  mov a, lamps\n    reads   lamps = 0x11 on the pins\n    writes  a = 0x00\n");
    has(out,
        "  anl lamps, #0x01\n    reads   lamps = 0xff in the latch\n    writes  lamps = 0xff in the latch\n");
    has(out, "    reads   iram[0x20].3 = 0\n    writes  iram[0x20].3 = 0\n");
    ck_assert_int_eq(
        bench_with(KILN, "to control\ntouches\nstep\ntouches\nto send_byte.full\ntouches\nstep 2\ntouches\n"),
        0);
    has(out, "    reads   r4 = 0x20000200, r5 = 0x20000204, sp = 0x20000200, lr = 0x00000169\n"
             "    writes  sp = 0x20000200, mem[0x200001f4], 12 bytes\n");
    has(out, "    reads   mem[0x3a8] = 0x20000210 (wanted)\n    writes  r0 = ");
    has(out, "UART_STAT = 0x00000003\n    writes  r2 = ");
    has(out, "  bcc send_byte.full\n    reads   n = 0, z = 0, c = 1, v = 0, q = 0\n");
}
END_TEST

START_TEST(every_verb_has_help_and_an_example_that_can_be_done)
{
    char lines[6000] = "", name[40];
    unsigned verbs = 0;
    ck_assert_int_eq(bench_with(LATHE, "help\n"), 0);
    char *all = strdup(out);
    for (char *line = strtok(all, "\n"); line; line = strtok(NULL, "\n")) {
        if (sscanf(line, "  %39[a-z]", name) != 1 || strncmp(line, "  A ", 4) == 0) continue;
        verbs++;
        snprintf(lines + strlen(lines), sizeof lines - strlen(lines), "help %s\n", name);
    }
    free(all);
    ck_assert_uint_gt(verbs, 50);
    ck_assert_int_eq(bench_with(LATHE, lines), 0);
    /* Each answer ends with its example, which is done here; those that need files or end the session are left out. */
    char examples[6000] = "go 10ms\n";
    unsigned found = 0;
    for (const char *at = out; (at = strstr(at, "\n\n  ")); at += 4) {
        const char *from = at + 4, *end = strchr(from, '\n');
        found++;
        bool apart = strncmp(from, "quit", 4) == 0 || strncmp(from, "again", 5) == 0 ||
                     strncmp(from, "save", 4) == 0 || strncmp(from, "load", 4) == 0 ||
                     strncmp(from, "pace", 4) == 0 || strstr(from, "r3 == 5 && !relay") == from + 5;
        if (apart || strncmp(from, "back", 4) == 0 || strncmp(from, "off", 3) == 0 ||
            strncmp(from, "on ", 3) == 0 || strncmp(from, "remove", 6) == 0 ||
            strncmp(from, "forget", 6) == 0)
            continue;
        snprintf(examples + strlen(examples), sizeof examples - strlen(examples), "%.*s\n", (int)(end - from),
                 from);
    }
    ck_assert_uint_eq(found, verbs);
    ck_assert_msg(bench_with(LATHE, examples) == 0, "%s\n%s", examples, err);
}
END_TEST

START_TEST(a_script_goes_on_behind_again_and_what_failed_stays_failed)
{
    ck_assert_int_eq(
        run_shell(
            "d=$(mktemp -d); printf 'go 10 steps\nshw trips\nagain\nwhere\nstep 3\nshow 1 +\n' >$d/one; "
            "printf 'again\nstep 5\n' >$d/two; cd $d && " SPINDLE " bench " SOURCE_FOLDER
            "/examples/lathe/lathe.asm --part mcs51-8k -x one -x two; c=$?; rm -r $d; exit $c"),
        1);
    has(err, "one:2: error: there is no verb `shw`");
    has(err, "one:6: error: a value is missing here");
    has(out, "> where\nAt the beginning\n");
    has(out, "> step 3\nBudget used up");
    has(out, "; 3 instructions\n");
    has(out, "> step 5\nBudget used up");
    has(out, "; 5 instructions\n");
    ck_assert_int_eq(bench_with(LATHE, "shw\nagain\nwhere\n"), 1);
    has(err, "<stdin>:1: error: there is no verb");
    has(out, "> where\n");
}
END_TEST

#define PRESS "examples/press/press.asm --part z80-32k --board examples/press/board.yaml"

/* Until the port is written, one turn at a time, lamps and registers beside each other. */
START_TEST(the_press_goes_on_until_its_port_is_written)
{
    ck_assert_int_eq(bench_with(PRESS, "watch write LATCH\ngo\ngo\nboard\ngo\nboard\nregisters as dec\n"), 0);
    has(out, "LATCH was written by `out (LATCH), a`");
    has(out, "lamps     ●○○○○○○○  1 lit");
    const char *second = strstr(out, "lamps     ●●○○○○○○  2 lit");
    ck_assert_ptr_nonnull(second);
    has(second, "a 3 "); /* what it has written */
    ck_assert_int_eq(bench_with(PRESS, "stop too_early\ngo 3s\nb\nout\ngo 3s\noutput\n"), 0);
    has(out, "  b                  0x10"); /* the fifth clamp */
    has(out, "too early: clamp 5");
    has(out, "hard: open the press");
}
END_TEST

START_TEST(several_values_fill_cells_one_after_another)
{
    ck_assert_int_eq(
        bench_with(
            PRESS,
            "set mem[0x9000] = 0x55, 6*7, 0x77\nset mem[0x9003] = \"oak\\n\", 0\n"
            "set mem[0x9008:2] = 0x1234, 0xabcd\nmem[0x9000..0x900b]\nset clamps = 1, 2\nclamps\nleft\n"),
        0);
    has(out, "0x9000  55 2a 77 6f 61 6b 0a 00  34 12 cd ab");
    has(out, "  clamps             0x01");
    has(out, "  left               0x02");
    static const struct {
        const char *line, *message;
    } wrong[] = {{"set mem[0x9000] = 1, 300, 2", "300 does not fit 8 bits"},
                 {"set mem[0x9000] = 1, nothing, 2", "no register, special register or symbol `nothing`"},
                 {"set mem[0x9000] = 1, 2 3", "this is no value"},
                 {"set mem[0x9000] = \"oak", "does not end as it should"},
                 {"set mem[0xffff] = 1, 2", "not so many cells there"},
                 {"set hl = 1, 2", "only cells take several values"},
                 {"set (hl) = 5", "parentheses only group here"},
                 {"set p1.0 = 1, 0", "only cells take several values"}};
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        char lines[200];
        snprintf(lines, sizeof lines, "%s\nmem[0x9000]\n", wrong[i].line);
        bench_with(PRESS, lines);
        has(err, wrong[i].message);
        has(out, "mem[0x9000]        0x00"); /* none of them */
    }
}
END_TEST

START_TEST(what_is_no_verb_is_shown_and_empty_code_is_said)
{
    ck_assert_int_eq(
        bench_with(PRESS,
                   "hl + 1\nmem[0..2]\nsp as bin\nregisters as bin\nregisters\ncode start\ncode 0x270\n"),
        0);
    has(out, "  hl + 1             0x01  1");
    has(out, "0x0000  c3 02 01");
    has(out, "a 0b0000 0000");
    has(out, "0x0102  ld sp, top");
    has(out, "not programmed, up to 0x7fff");
    ck_assert_int_eq(bench_with(PRESS, "nothing\n"), 1);
    has(err, "there is no verb `nothing`");
    bench_with(PRESS, "registers as 2 bytes\nregisters dec\n");
    has(err, "registers are shown as hex, dec, signed, oct or bin");
    has(err, "`dec` means nothing behind `registers`");
}
END_TEST

START_TEST(addresses_are_told_from_what_stands_there)
{
    ck_assert_int_eq(bench_with(KILN, "set wanted = 0x20000400\nset sp = wanted\nshow sp\nset sp = &wanted + "
                                      "4\nshow sp\nset r0 = wanted\nshow &wanted\n"),
                     0);
    has(out, "sp                 0x20000400");
    has(out, "sp                 0x20000214");
    has(out, "0000000020000210");
    has(err, "<stdin>:2: note: sp is now what stands in `wanted`, not its address");
    has(err, "`&wanted` is its address, 0x20000210.");
    ck_assert_ptr_null(strstr(err, "<stdin>:4"));
    ck_assert_ptr_null(strstr(err, "<stdin>:6"));
    ck_assert_int_ne(bench_with(KILN, "show &nothing\n"), 0);
}
END_TEST

START_TEST(a_sum_is_shown_whole_by_its_size)
{
    static const char source[] =
        " org 0\n mov 30h, #12h\n mov 31h, #34h\n sjmp $\n section vars, iram, at 30h\nsum: ds 2\n";
    char command[600];
    snprintf(command, sizeof command,
             "d=$(mktemp -d); printf '%%s' '%s' >$d/a.asm; %s run $d/a.asm --part "
             "mcs51-8k --show sum; c=$?; rm -r $d; exit $c",
             source, SPINDLE);
    ck_assert_int_eq(run_shell(command), 0);
    has(out, "0x1234");
}
END_TEST

START_TEST(the_reason_is_the_one_that_ended_the_run)
{
    ck_assert_int_eq(run_shell("cd " SOURCE_FOLDER "/examples/lathe && " SPINDLE
                               " run lathe.asm --part mcs51-8k --cycles 100 --steps 5"),
                     0);
    has(out, "Budget used up (--steps 5)");
    ck_assert_int_eq(bench_with(LATHE, "out\n"), 1);
    has(err, "nothing has called what runs here");
    ck_assert_int_eq(run_shell("f=$(mktemp); cd " SOURCE_FOLDER
                               "/examples/lathe && printf 'go 100 steps\nsave "
                               "%s\ngo 20 steps\nload %s\nwhere\n' $f $f | " SPINDLE
                               " bench lathe.asm --part mcs51-8k; c=$?; rm $f; exit $c"),
                     0);
    has(strstr(out, "> where"), "As it was loaded");
}
END_TEST

START_TEST(a_fault_whose_handler_has_parked_says_where_it_came_from_in_json_too)
{
    static const char source[] = " vector stack, 0x20001000\n vector reset, start\n vector hard_fault, "
                                 "trap\n org 0x100\nstart: ldr r0, "
                                 "=0x30000001\n ldr r1, [r0, #3]\ntrap: b trap\n";
    char command[900];
    for (unsigned i = 0; i < 2; i++) {
        snprintf(command, sizeof command,
                 "d=$(mktemp -d); printf '%%s' '%s' >$d/a.asm; echo go | %s %s $d/a.asm --part "
                 "armv7m-256k --json; c=$?; rm -r $d; exit $c",
                 source, SPINDLE, i ? "bench" : "run");
        run_shell(command);
        cJSON *root = cJSON_Parse(out);
        ck_assert_ptr_nonnull(root);
        const cJSON *stop = i ? root : cJSON_GetObjectItem(root, "stop"),
                    *from = cJSON_GetObjectItem(stop, "came_from");
        ck_assert_msg(from != NULL, "%s", out);
        ck_assert_str_eq(cJSON_GetObjectItem(stop, "came_from_place")->valuestring, "start+2");
        ck_assert_ptr_nonnull(cJSON_GetObjectItem(stop, "fault_text"));
        cJSON_Delete(root);
    }
}
END_TEST

RUN_SUITE("bench", a_script_goes_on_behind_again_and_what_failed_stays_failed,
          the_press_goes_on_until_its_port_is_written, several_values_fill_cells_one_after_another,
          what_is_no_verb_is_shown_and_empty_code_is_said, addresses_are_told_from_what_stands_there,
          a_sum_is_shown_whole_by_its_size, the_reason_is_the_one_that_ended_the_run,
          a_fault_whose_handler_has_parked_says_where_it_came_from_in_json_too,
          what_the_next_instruction_touches_is_told,
          instructions_are_put_in_place_cells_copied_and_the_recent_ones_told,
          programs_in_c_do_the_same_with_the_library, the_mistake_of_the_loom_is_found_as_the_manual_says,
          one_stops_steps_changes_a_cell_sees_it_and_steps_back, the_same_on_the_kiln,
          stops_watches_and_their_lists, verbs_may_be_shortened_and_wrong_ones_get_a_way_out,
          answers_are_documents_with_json, answers_hold_data_beside_their_text,
          what_there_is_nothing_of_is_said, memory_is_filled_searched_saved_and_loaded,
          a_changed_source_is_assembled_again_and_stops_stay, a_terminal_edits_completes_and_pauses_at_once,
          a_line_of_a_megabyte_and_a_missing_script_are_refused,
          memory_is_shown_in_any_base_and_cells_of_any_size, what_the_last_run_changed_is_marked_everywhere,
          chips_are_chosen_and_what_has_changed_in_them_is_marked, a_pointer_is_followed_from_step_to_step,
          stretches_of_memory_go_to_files_and_come_back,
          watches_of_every_kind_are_listed_with_their_hits_and_removed,
          what_runs_is_counted_line_by_line_and_by_labels, special_registers_are_shown_with_every_bit,
          reading_anew_keeps_all_that_was_set_up, going_back_takes_back_what_was_put_into_the_flash,
          what_a_chip_suffers_can_be_made_a_stop, every_verb_has_help_and_an_example_that_can_be_done)
