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
    has(out, ">   63 | halt:");
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
    ck_assert_ptr_null(strstr(out, "1 instructions")); /* nothing behind quit */
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
    /* typed at a pseudo-terminal: a completed name, Ctrl-C in a run that would never end */
    char command[2000], *got, *error;
    snprintf(command, sizeof command,
             "cd %s; (sleep 0.4; printf 'show tri\\t\\n'; sleep 0.3; printf 'go\\n'; sleep 0.5; printf "
             "'\\003'; sleep 0.4; printf 'where\\nquit\\n'; sleep 0.3) | "
             "script -qec '%s bench speed/sieve51.asm --part mcs51-64k --stop-at 0xffff' /dev/null",
             SOURCE_FOLDER, SPINDLE);
    ck_assert_int_eq(shell(command, &got, &error), 0);
    has(got, "spindle> ");
    free(got);
    free(error);
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
    has(got, "1 instructions");
    free(got);
    free(error);
    ck_assert_int_eq(bench_with(LATHE " -x nowhere.txt", ""), 1);
    has(err, "A script has a verb a line.");
}
END_TEST

/* ------------------------------------------------------------------------------------------ the full-screen view */

/* In a terminal emulator of its own; `keys` are commands that send keys and capture the screen. */
static char *in_view(const char *size, const char *arguments, const char *keys)
{
    static unsigned number; /* a server that ends must not be met again */
    char command[6000], *got, *error;
    snprintf(command, sizeof command,
             "cd %s; T=\"tmux -L oak-%d-%u -f /dev/null\"; $T new-session -d %s \"LC_ALL=C.UTF-8 %s bench %s "
             "--view; echo left \\$?; stty -a | grep -o ' echo '; sleep 30\"; "
             "k() { for one; do $T send-keys \"$one\"; sleep 0.15; done; }; see() { sleep 0.5; a=; "
             "for j in 1 2 3 4 5 6 7 8; do sleep 0.3; b=$($T capture-pane -p); [ \"$a\" = \"$b\" ] && break; a=$b; done; "
             "$T capture-pane -p; echo ------; }; "
             "for i in 1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17 18 19 20; do sleep 0.2; $T capture-pane -p "
             "| grep -q '^>' && break; done; %s; $T kill-server",
             SOURCE_FOLDER, (int)getpid(), number++, size, SPINDLE, arguments, keys);
    shell(command, &got, &error);
    free(error);
    return got;
}

START_TEST(the_view_stops_steps_changes_marks_and_goes_back)
{
    char *seen = in_view("-x 150 -y 45", LATHE,
                         "k 'keep trips' Enter 'to tripped' Enter; see; k F2; see; k 'set trips = 7' Enter; "
                         "see; k F5; see; k F7; see; k F8; see; k F10; see");
    char *part[8] = {seen};
    for (unsigned i = 1; i < 8; i++) {
        part[i] = part[i - 1] ? strstr(part[i - 1], "------") : NULL;
        if (part[i]) *part[i] = 0, part[i] += 6;
    }
    ck_assert_ptr_nonnull(part[6]);
    has(part[0], ">    67  tripped: inc trips");
    has(part[0], "next     inc trips   trips = 0x0");
    has(part[0], "0 trips  0x0  0");
    has(part[1], ">    68          ret");
    has(part[1], "changed  iram[0x30] 0x00 -> 0x01");
    has(part[1], "*01"); /* marked without colour */
    has(part[1], "0 trips  0x1  1");
    has(part[2], "0 trips  0x7  7");
    has(part[3], ">    67  tripped: inc trips");
    has(part[3], "0 trips  0x0  0");
    has(part[4], ">*   67  tripped");
    has(part[5], ">* 0x0073  inc trips");
    has(part[6], "left 0");
    free(seen);
}
END_TEST

START_TEST(the_view_on_the_kiln_shows_its_board)
{
    char *seen =
        in_view("-x 120 -y 40", KILN, "k 'go 400ms' Enter 'to control' Enter F2; see; k F3 F5; see; k F10");
    has(seen, "the kiln");
    has(seen, "chamber   ");
    has(seen, "next     ldr r0,");
    has(seen, "*sp ");
    free(seen);
}
END_TEST

START_TEST(the_view_survives_small_windows_long_lines_endless_runs_and_signals)
{
    char *seen = in_view("-x 80 -y 24", LATHE,
                         "see; $T resize-window -x 10 -y 3; see; $T resize-window -x 200 -y 50; see; k "
                         "'nonsense' Enter; see; k F10; see");
    has(seen, "too small");
    has(seen, "at this line");
    has(seen, "there is no verb `nonsense`");
    has(seen, "left 0");
    free(seen);
    seen = in_view("-x 100 -y 30", "speed/sieve51.asm --part mcs51-64k",
                   "k 'watch r7' Enter 'off watch 0' Enter 'stop 0 every 9' Enter; k F6; sleep 0.4; k C-c; "
                   "see; k F10; see");
    has(seen, "left 0");
    free(seen);
    char kill_it[200];
    snprintf(kill_it, sizeof kill_it,
             "sleep 0.3; pkill -SEGV -f 'bench examples/lathe/lathe.asm --part mcs51-8k --board "
             "examples/lathe/board.yaml --view$'; see");
    seen = in_view("-x 100 -y 30", LATHE, kill_it);
    has(seen, "left ");
    has(seen, " echo"); /* the terminal is as it was */
    free(seen);
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
    has(out, ">   89 |         lsls r5, r5, #31");
}
END_TEST

RUN_SUITE("bench", instructions_are_put_in_place_cells_copied_and_the_recent_ones_told,
          programs_in_c_do_the_same_with_the_library, the_mistake_of_the_loom_is_found_as_the_manual_says,
          one_stops_steps_changes_a_cell_sees_it_and_steps_back, the_same_on_the_kiln,
          stops_watches_and_their_lists, verbs_may_be_shortened_and_wrong_ones_get_a_way_out,
          answers_are_documents_with_json, memory_is_filled_searched_saved_and_loaded,
          a_changed_source_is_assembled_again_and_stops_stay, a_terminal_edits_completes_and_pauses_at_once,
          a_line_of_a_megabyte_and_a_missing_script_are_refused,
          the_view_stops_steps_changes_marks_and_goes_back, the_view_on_the_kiln_shows_its_board,
          the_view_survives_small_windows_long_lines_endless_runs_and_signals)
