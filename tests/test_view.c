/* The full-screen view of the bench, in a terminal emulator: what it shows, its keys, panes, sizes and mouse, and that it gives
 * the terminal back whatever happens. Each picture is awaited by something that must be in it, so that a slow machine is only
 * slow. */
#include "support.h"

#include <stdarg.h>
#include <stdio.h>
#include <unistd.h>

#define LATHE "examples/lathe/lathe.asm --part mcs51-8k --board examples/lathe/board.yaml"
#define KILN  "examples/kiln/kiln.asm --part armv7m-256k --board examples/kiln/board.yaml"

static char server[40], *screen;

/* A command of the emulator; what it prints. */
static char *emulator(const char *format, ...) __attribute__((format(printf, 1, 2)));
static char *emulator(const char *format, ...)
{
    char rest[3000], command[3200], *got, *error;
    va_list arguments;
    va_start(arguments, format);
    vsnprintf(rest, sizeof rest, format, arguments);
    va_end(arguments);
    snprintf(command, sizeof command, "tmux -L %s -f /dev/null %s", server, rest);
    shell(command, &got, &error);
    free(error);
    return got;
}

/* The screen as soon as `wanted` is in it. */
static const char *await(const char *wanted)
{
    enum { TENTHS = 400 };
    for (int i = 0; i < TENTHS; i++) {
        free(screen);
        screen = emulator("capture-pane -p");
        if (strstr(screen, wanted)) return screen;
        usleep(100000);
    }
    ck_abort_msg("`%s` never came; the screen:\n%.3000s", wanted, screen);
    return screen;
}

/* Whether it comes to hold that a piece is on the screen, or is not: the terminal may still be drawing. */
static bool comes_to(const char *piece, bool there)
{
    enum { TENTHS = 50 };
    for (int i = 0; (strstr(screen, piece) != NULL) != there; i++) {
        if (i == TENTHS) return false;
        usleep(100000);
        free(screen);
        screen = emulator("capture-pane -p");
    }
    return true;
}

static void has(const char *piece)
{
    ck_assert_msg(comes_to(piece, true), "`%s` is not in:\n%.3000s", piece, screen);
}

static void lacks(const char *piece)
{
    ck_assert_msg(comes_to(piece, false), "`%s` is in:\n%.3000s", piece, screen);
}

static void open_in(const char *folder, const char *size, const char *arguments)
{
    static unsigned number; /* a server that ends must not be met again */
    snprintf(server, sizeof server, "oak-view-%d-%u", (int)getpid(), number++);
    free(emulator("new-session -d %s \"cd %s; LC_ALL=C.UTF-8 OAKSPINDLE_PARTS=" SOURCE_FOLDER
                  "/parts " SPINDLE
                  " bench %s --view; echo left \\$?; stty -a | grep -o ' echo '; sleep 60\"",
                  size, folder, arguments));
    await("\n>");
}

static void open_view(const char *size, const char *arguments)
{
    open_in(SOURCE_FOLDER, size, arguments);
}

static void keys(const char *names)
{
    free(emulator("send-keys %s", names));
}

/* Types a verb and waits until it has been taken up. */
static void type(const char *verb)
{
    char quoted[400];
    snprintf(quoted, sizeof quoted, "-l '%s'", verb);
    keys(quoted);
    keys("Enter");
}

static void close_view(void)
{
    keys("F10");
    await("left 0");
    await(" echo"); /* the terminal is as it was */
    free(emulator("kill-server"));
}

/* ------------------------------------------------------------------------------------------ the main job */

START_TEST(one_stops_steps_changes_a_cell_sees_it_marked_and_steps_back)
{
    open_view("-x 150 -y 45", LATHE);
    type("keep trips");
    await("> keep trips");
    type("to tripped");
    await("tripped   cycle");
    has(">    67  ");
    has("next     inc trips   trips = 0x0");
    has(" 0 trips  0x0  0");
    keys("F2");
    await("changed  iram[0x30] 0x00 -> 0x01");
    has(">    68  ");
    has("*01"); /* marked without colour */
    has("*0 trips  0x1  1");
    has("*pc   0x0075");
    type("set trips = 7");
    await("trips  0x7  7");
    has("iram[0x30] 0x00 -> 0x07");
    keys("F5");
    await(">    67  ");
    await("trips  0x0  0");
    keys("F7");
    await(">*   67  ");
    keys("F8");
    await(">* 0x0073  inc trips");
    has("tripped:");
    keys("F8");
    await("; The guard: door and buttons");
    close_view();
    ck_assert_int_eq(unlink(SOURCE_FOLDER "/examples/lathe/.spindle-bench.json"),
                     0); /* F8 has arranged something */
}
END_TEST

/* What does not fit into the messages is read on a sheet that goes on and back, whatever the size. */
START_TEST(a_long_answer_is_read_on_a_sheet)
{
    open_view("-x 100 -y 30", LATHE);
    keys("F1");
    await("help   1 to 27 of ");
    has("  step        [N]");
    has("PgUp, PgDn and the arrows go on; Enter goes back.");
    keys("NPage");
    await("help   27 to 53 of ");
    keys("Down");
    await("help   28 to 54 of ");
    keys("End");
    await("gives an example.");
    keys("Home");
    await("help   1 to 27 of ");
    keys("Enter");
    await("F1 help");
    ck_assert_ptr_null(strstr(screen, "Enter goes back"));
    type("where"); /* a short answer stays below */
    await("F1 help");
    keys("F1");
    await("Enter goes back");
    type("step"); /* whoever types goes on with it */
    await("> step");
    has("[step]");
    close_view();
}
END_TEST

START_TEST(the_kiln_is_shown_with_its_board_and_its_variables)
{
    open_view("-x 150 -y 45", KILN);
    type("go 400ms");
    await("[as far as asked]");
    type("to control");
    await("control   cycle");
    keys("F2");
    await("next     ldr r0,");
    await("(wanted)"); /* what lies in the pool */
    has("*sp   0x");
    has("the kiln");
    has("chamber   ");
    has("lamp      ●");
    has("20000200  "); /* the variables, not the beginning of the RAM */
    keys("F3");
    await("control+4");
    keys("F4");
    await("[step]");
    keys("F5");
    await("control+");
    close_view();
}
END_TEST

/* ------------------------------------------------------------------------------------------ panes, sizes */

START_TEST(panes_are_chosen_sized_and_remembered_for_the_project)
{
    char folder[100], command[400], arguments[400], *got, *error;
    snprintf(folder, sizeof folder, "/tmp/oak-view-%d", (int)getpid());
    snprintf(command, sizeof command, "mkdir -p %s && cp " SOURCE_FOLDER "/examples/lathe/* %s", folder,
             folder);
    ck_assert_int_eq(shell(command, &got, &error), 0);
    free(got), free(error);
    snprintf(arguments, sizeof arguments, "lathe.asm --part mcs51-8k --board board.yaml");
    open_in(folder, "-x 140 -y 45", arguments);
    type("to tripped");
    await("tripped   cycle");
    has("─pins, high bit first");
    type("panes stack recent spe stops memory");
    await("stack, the top first");
    has("0x0049  0x0049  returns to main+2");
    has("executed last");
    has("jbc running, tripped iram[0x20]=0x02");
    has("special registers that differ from reset");
    has("TCON       0x02  IE0");
    has("─stops");
    lacks("─registers");
    lacks("─pins");
    type("watch write relay");
    await("watch 0 on  relay is written  hit 0");
    type("panes nonsense");
    await("there is no pane `nonsense`");
    type("panes");
    await("all:    registers kept board pins memory stack recent special stops");
    int border = (int)(strstr(strchr(screen, '\n'), "│") - strchr(screen, '\n'));
    type("divide 40%");
    await("> divide 40%");
    usleep(300000);
    await("> divide 40%");
    int narrower = (int)(strstr(strchr(screen, '\n'), "│") - strchr(screen, '\n'));
    ck_assert_int_lt(narrower, border);
    keys("S-Right");
    keys("S-Right");
    keys("S-Up");
    type("divide messages 9");
    await("> divide messages 9");
    type("divide 99%");
    await("`99%` is no size");
    close_view();

    open_in(folder, "-x 140 -y 45", arguments); /* another session of the same project */
    await("stack, the top first");
    lacks("─registers");
    int again = (int)(strstr(strchr(screen, '\n'), "│") - strchr(screen, '\n'));
    ck_assert_int_gt(again, narrower);
    ck_assert_int_lt(again, border);
    type("panes usual");
    await("─registers");
    close_view();
    snprintf(command, sizeof command, "cat %s/.spindle-bench.json; echo 'no JSON [' >%s/.spindle-bench.json",
             folder, folder);
    shell(command, &got, &error);
    ck_assert_ptr_nonnull(strstr(got, "\"registers\""));
    free(got), free(error);
    open_in(folder, "-x 140 -y 45", arguments); /* what is not understood is left as usual */
    await("─registers");
    close_view();
    snprintf(command, sizeof command, "rm -r %s", folder);
    shell(command, &got, &error);
    free(got), free(error);
}
END_TEST

START_TEST(memory_is_shown_in_cells_and_follows_a_pointer)
{
    open_view("-x 150 -y 45", LATHE);
    type("to begin_speed.fill");
    await("begin_speed.fill   cycle");
    type("follow r0 as 2 big");
    await("iram from r0");
    has(" 0035  0000 0000");
    type("step 5");
    await("r0   0x37");
    await(" 0037  0000 0000");
    type("memory iram[0x30..0x3f] as dec");
    await("* 31*255");
    type("follow 0x300");
    await("it points to nothing there");
    type("memory code[0..0x3f] as text");
    await("─code");
    close_view();
}
END_TEST

START_TEST(what_ran_how_often_stands_in_the_source)
{
    open_view("-x 150 -y 45", LATHE);
    type("tally on");
    type("to tripped");
    await("tripped   cycle");
    has(" 15563 x guard:  mov  c, door");
    has("     1 x         setb running");
    keys("PPage");
    await("begin:");
    lacks("tripped: inc trips");
    keys("NPage");
    await("tripped: inc trips");
    close_view();
}
END_TEST

START_TEST(a_click_sets_a_stop_point_and_takes_it_away)
{
    open_view("-x 150 -y 45", LATHE);
    type("to tripped");
    await(">    67  ");
    /* Where does line 63 stand? */
    int row = 0;
    for (const char *p = screen; p < strstr(screen, "     63 ") && p; p++) row += *p == '\n';
    type("mouse on");
    await("> mouse on");
    usleep(300000);
    char press[100]; /* a button pressed in column 20, and released, as such terminals tell it */
    snprintf(press, sizeof press, "-l \"$(printf '\\033[M 4\\%o\\033[M#4\\%o')\"", 33 + row, 33 + row);
    keys(press);
    await("*   63 ");
    keys(press);
    await("> remove 0");
    await("     63 ");
    lacks("*   63 ");
    type("mouse off");
    await("> mouse off");
    close_view();
    unlink(SOURCE_FOLDER "/examples/lathe/.spindle-bench.json");
}
END_TEST

/* ------------------------------------------------------------------------------------------ the line */

START_TEST(lines_are_completed_and_recalled)
{
    open_view("-x 150 -y 45", LATHE);
    keys("-l 'show trip'");
    keys("Tab");
    await("\n> show trip");
    await("trips tripped"); /* what it may be */
    keys("-l 's'");
    keys("Enter");
    await("trips              0x00");
    keys("-l 'ste'");
    keys("Tab");
    await("\n> step");
    keys("Enter");
    await("[step]");
    keys("Up");
    keys("Up");
    await("\n> show trips");
    keys("Down");
    await("\n> step");
    keys("Down");
    keys("-l 'nonsense'");
    keys("BSpace");
    keys("Enter");
    await("there is no verb `nonsens`");
    keys("-l 'forgotten'");
    keys("C-u");
    type("where");
    await("> where");
    lacks("forgotten");
    close_view();
}
END_TEST

/* ------------------------------------------------------------------------------------------ whatever happens */

START_TEST(it_lives_in_windows_of_any_size)
{
    open_view("-x 80 -y 24", LATHE);
    await("at this line");
    has("F10 leave");
    free(emulator("resize-window -x 10 -y 3"));
    await("too small");
    free(emulator("resize-window -x 40 -y 10"));
    await("lathe.asm");
    type("step");
    free(emulator("resize-window -x 250 -y 80"));
    await("at this line");
    await("[step]");
    has("F10 leave   Shift-arrows");
    free(emulator("resize-window -x 80 -y 24"));
    await("at this line");
    keys("-l 'a line that is much longer than the window is wide, and goes on, and on, and on, and on, and "
         "on'");
    keys("Enter");
    await("`a` is the beginning of several verbs");
    close_view();
}
END_TEST

START_TEST(an_endless_run_is_paused_and_the_session_goes_on)
{
    open_view("-x 100 -y 30", LATHE);
    type("stop 0 every 9");
    await("> stop 0 every 9");
    type("go 1000000000000 cycles");
    await("It runs; Ctrl-C pauses it.");
    await("[running]");
    keys("C-c");
    await("[paused]");
    type("where");
    await("> where");
    await("cycle");
    type("back until r7 == 99 && sp == 250");
    await("The past is searched; Ctrl-C ends it.");
    keys("C-c");
    await("everything stands where it stood");
    type("show sp");
    await("  sp   ");
    close_view();
}
END_TEST

START_TEST(the_board_is_drawn_as_it_looks)
{
    char line[300], *got, *error, script[] = "/tmp/oak-view-XXXXXX";
    close(mkstemp(script));
    snprintf(line, sizeof line, "printf 'go 700ms\\npanes board stack\\n' > %s", script);
    shell(line, &got, &error);
    free(got), free(error);
    snprintf(line, sizeof line,
             "examples/extractor/extractor.asm --part mcs51-8k --board examples/extractor/board.yaml -x %s",
             script);
    open_view("-x 150 -y 48", line); /* what a script has arranged stays */
    await("[as far as asked]");
    unlink(script);
    has("stack, the top first");
    lacks("registers");
    has("display    _   _\n");
    has(" _|   |\n");
    has(" |_    |\n"); /* 27 */
    has("| flow 26 on 01\n");
    has("| flow 27 on 01\n");
    has("bag-full  ○  dark");
    has("…"); /* what is cut says so */
    close_view();
    ck_assert_int_eq(unlink(SOURCE_FOLDER "/examples/extractor/.spindle-bench.json"), 0);
}
END_TEST

START_TEST(the_terminal_is_given_back_when_the_tool_is_killed)
{
    static const char *const signals[] = {"SEGV", "TERM"};
    for (unsigned i = 0; i < 2; i++) {
        char command[300], *got, *error;
        open_view("-x 100 -y 30", LATHE);
        snprintf(command, sizeof command,
                 "pkill -%s -f 'bench examples/lathe/lathe.asm --part mcs51-8k --board "
                 "examples/lathe/board.yaml --view$'",
                 signals[i]);
        shell(command, &got, &error);
        free(got), free(error);
        await("left ");
        await(" echo");
        free(emulator("kill-server"));
    }
}
END_TEST

START_TEST(a_source_that_has_vanished_leaves_its_instructions)
{
    char folder[100], command[400], *got, *error;
    snprintf(folder, sizeof folder, "/tmp/oak-gone-%d", (int)getpid());
    snprintf(command, sizeof command, "mkdir -p %s && cp " SOURCE_FOLDER "/examples/lathe/* %s", folder,
             folder);
    shell(command, &got, &error);
    free(got), free(error);
    open_in(folder, "-x 100 -y 30", "lathe.asm --part mcs51-8k");
    snprintf(command, sizeof command, "rm %s/speed.asm %s/lathe.asm", folder, folder);
    shell(command, &got, &error);
    free(got), free(error);
    type("to begin_speed"); /* in a file that is not there any more */
    await("begin_speed:");
    has("mov r0, #0x35");
    type("again");
    await("there is no such file");
    type("step");
    await("begin_speed.fill   cycle");
    close_view();
    snprintf(command, sizeof command, "rm -r %s", folder);
    shell(command, &got, &error);
    free(got), free(error);
}
END_TEST

START_TEST(without_a_terminal_the_view_says_so)
{
    char *got, *error;
    ck_assert_int_eq(shell("cd " SOURCE_FOLDER " && TERM=dumb " SPINDLE " bench " LATHE " --view </dev/null",
                           &got, &error),
                     0);
    free(got), free(error);
}
END_TEST

RUN_SUITE("view", one_stops_steps_changes_a_cell_sees_it_marked_and_steps_back,
          a_long_answer_is_read_on_a_sheet, the_kiln_is_shown_with_its_board_and_its_variables,
          panes_are_chosen_sized_and_remembered_for_the_project,
          memory_is_shown_in_cells_and_follows_a_pointer, what_ran_how_often_stands_in_the_source,
          a_click_sets_a_stop_point_and_takes_it_away, lines_are_completed_and_recalled,
          it_lives_in_windows_of_any_size, an_endless_run_is_paused_and_the_session_goes_on,
          the_board_is_drawn_as_it_looks, the_terminal_is_given_back_when_the_tool_is_killed,
          a_source_that_has_vanished_leaves_its_instructions, without_a_terminal_the_view_says_so)
