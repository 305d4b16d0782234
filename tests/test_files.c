/* Nothing of a person is lost: what is read is never written over, outputs are complete or as they were, and whatever goes wrong around
 * the tool (memory, disk, a kill at any moment) is either told or has no effect. */
#include "support.h"

#include <limits.h>
#include <signal.h>
#include <stdio.h>
#include <sys/stat.h>
#include <unistd.h>

#if defined(__SANITIZE_ADDRESS__)
enum { SANITIZED = 1 };
#else
enum { SANITIZED = 0 };
#endif

static char folder[200];

/* Runs a shell line in a fresh folder of its own; `spindle` is the tool. */
static void enter_folder(void)
{
    snprintf(folder, sizeof folder, "/tmp/oak-files-%d", (int)getpid());
    char line[500];
    snprintf(line, sizeof line, "rm -rf %s && mkdir %s", folder, folder);
    ck_assert_int_eq(system(line), 0);
}

static void leave_folder(void)
{
    char line[500];
    snprintf(line, sizeof line, "chmod -R u+w %s; rm -rf %s", folder, folder);
    ck_assert_int_eq(system(line), 0);
}

static int inside(const char *command, char **out, char **err)
{
    char *whole = malloc(strlen(command) + 600);
    sprintf(whole, "cd %s && PATH=%.*s:$PATH && P='--part mcs51-8k' && %s", folder,
            (int)(strrchr(SPINDLE, '/') - SPINDLE), SPINDLE, command);
    int result = shell(whole, out, err);
    free(whole);
    return result;
}

/* The exit code, and what standard error must hold ("" nothing in particular). */
static void expect(const char *command, int exit_code, const char *wanted)
{
    char *out, *err;
    int result = inside(command, &out, &err);
    ck_assert_msg(result == exit_code, "%s: exit code %d, not %d\n%s%s", command, result, exit_code, out,
                  err);
    ck_assert_msg(strstr(err, wanted) != NULL, "%s: no `%s` in\n%s", command, wanted, err);
    free(out);
    free(err);
}

/* What a command prints. */
static void prints(const char *command, const char *wanted)
{
    char *out, *err;
    ck_assert_int_eq(inside(command, &out, &err), 0);
    ck_assert_msg(strcmp(out, wanted) == 0, "%s printed\n%s\nand not\n%s", command, out, wanted);
    free(out);
    free(err);
}

static const char make_wrong[] = "printf ' push a\\n pop a\\n sjmp $\\n' > a.asm";

START_TEST(an_edit_is_applied_once_whatever_the_file_is_called)
{
    enter_folder();
    expect(make_wrong, 0, "");
    expect("spindle asm a.asm ./a.asm $P -o o.hex --fix", 0, "");
    prints("cat a.asm", " push acc\n pop acc\n sjmp $\n");
    expect("printf ' include \"x.inc\"\\n include \"./x.inc\"\\n sjmp $\\n' > m.asm; printf ' push a\\n' "
           "> x.inc",
           0, "");
    expect("spindle asm m.asm $P -o o.hex --fix", 0, "");
    prints("cat x.inc", " push acc\n");
    leave_folder();
}
END_TEST

START_TEST(what_is_a_file_is_replaced_wherever_it_lies)
{
    enter_folder();
    expect("mkdir -p /dev/shm/oak-files && printf ' push a\\n sjmp $\\n' > /dev/shm/oak-files/a.asm", 0, "");
    expect("spindle asm /dev/shm/oak-files/a.asm $P -o /dev/shm/oak-files/o.hex --fix", 0, "");
    expect("spindle asm /dev/shm/oak-files/a.asm $P -o /dev/shm/oak-files/o.hex", 0, "");
    prints("cat /dev/shm/oak-files/a.asm", " push acc\n sjmp $\n");
    prints("wc -l < /dev/shm/oak-files/o.hex", "2\n");
    prints("ls /dev/shm/oak-files; rm -r /dev/shm/oak-files", "a.asm\no.hex\n");
    /* Standard output by its name is written to, not replaced; a pipe as well. */
    expect("spindle asm m.asm $P -o /dev/stdout > out.hex; test ! -s out.hex", 0, "");
    expect("printf ' sjmp $\\n' > m.asm && spindle asm m.asm $P -o /dev/stdout > out.hex && head -c 1 "
           "out.hex | grep -q :",
           0, "");
    prints("spindle asm m.asm $P -o /dev/stdout | head -1", ":0200000080FE80\n");
    leave_folder();
}
END_TEST

START_TEST(what_is_read_is_never_written_over)
{
    static const char *const commands[] = {
        "spindle asm b.asm $P -o b.asm",
        "spindle asm b.asm $P -o ./b.asm",
        "spindle asm b.asm $P -o other-name.asm",
        "spindle asm b.asm $P -o link.asm",
        "spindle asm b.asm $P --listing b.asm",
        "spindle asm b.asm $P --symbols b.asm",
        "spindle asm b.asm $P --deps b.asm",
        "spindle asm m.asm $P --listing b.asm",
        "spindle asm c.hex $P",
        "spindle asm b.asm --part ./p.yaml -o p.yaml",
        "spindle run b.asm $P --state-out b.asm",
        "spindle run b.asm $P --dump b.asm",
        "spindle run b.asm $P --state-in s.json --state-out s.json",
        "spindle wave w.svg $P --time 1ms -o w.svg",
        "spindle look b.asm $P -o b.asm",
        "spindle look good.hex $P -o good.hex",
        "echo 'save b.asm' | spindle bench b.asm $P",
        "printf 'load s.json\\nsave s.json\\n' | spindle bench b.asm $P",
    };
    enter_folder();
    expect("printf 'x: inc p1\\n sjmp x\\n' > w.svg; printf ' sjmp $\\n' > b.asm; ln b.asm other-name.asm; "
           "ln -s b.asm link.asm; cp b.asm c.hex; printf ' include \"b.asm\"\\n' > m.asm; "
           "spindle asm b.asm $P -o good.hex; spindle run b.asm $P --state-out s.json; printf 'part: "
           "p\\nextends: mcs51-8k\\ntitle: p\\n' > p.yaml; "
           "cat b.asm c.hex m.asm good.hex s.json p.yaml > before",
           0, "");
    for (size_t i = 0; i < sizeof commands / sizeof *commands; i++) expect(commands[i], 1, "it is read here");
    expect("spindle asm b.asm $P -o x.hex --listing x.hex", 1,
           "something else is to be written there already");
    expect("spindle asm b.asm $P -o x.hex --listing ./x.hex", 1,
           "something else is to be written there already");
    expect("spindle asm b.asm $P -o - --symbols -", 1, "something else is to be written there already");
    expect("cat b.asm c.hex m.asm good.hex s.json p.yaml | cmp - before && test ! -e x.hex", 0, "");
    /* What the bench has written itself it may write again. */
    expect("printf 'save t.json\\nload t.json\\nsave t.json\\n' | spindle bench b.asm $P", 0, "");
    leave_folder();
}
END_TEST

START_TEST(a_source_that_is_put_right_stays_whose_it_is)
{
    enter_folder();
    expect(make_wrong, 0, "");
    expect("cp a.asm ro.asm; chmod 444 ro.asm; spindle asm ro.asm $P -o o.hex --fix", 1,
           "cannot write ro.asm: it is read-only");
    expect("cmp a.asm ro.asm", 0, "");
    expect("cp a.asm md.asm; chmod 751 md.asm; ln md.asm again.asm; spindle asm md.asm $P -o o.hex --fix", 0,
           "");
    prints("stat -c '%a %h' md.asm; cat again.asm", "751 2\n push acc\n pop acc\n sjmp $\n");
    expect("cp a.asm li.asm; chmod 640 li.asm; ln -s li.asm link.asm; spindle asm link.asm $P -o o.hex --fix",
           0, "");
    prints("stat -c %a li.asm; test -L link.asm && head -1 li.asm", "640\n push acc\n");
    if (geteuid() == 0) {
        expect("cp a.asm ow.asm; chown 1234:4321 ow.asm; spindle asm ow.asm $P -o o.hex --fix", 0, "");
        prints("stat -c '%u %g' ow.asm", "1234 4321\n");
    }
    /* A new file is made as everybody's are. */
    prints("umask 027; spindle asm li.asm $P -o new.hex >/dev/null; stat -c %a new.hex", "640\n");
    leave_folder();
}
END_TEST

START_TEST(several_outputs_are_all_or_none)
{
    enter_folder();
    expect("printf ' sjmp $\\n' > b.asm; for f in o.hex o.lst; do echo old > $f; done", 0, "");
    expect("spindle asm b.asm $P -o o.hex --listing o.lst --symbols nowhere/o.json", 1,
           "its folder does not exist");
    expect("chmod 444 o.lst; spindle asm b.asm $P -o o.hex --listing o.lst", 1, "it is read-only");
    expect("spindle asm b.asm $P -o o.hex --listing .", 1, "it is a folder");
    expect("ln -s nothing away; spindle asm b.asm $P -o o.hex --listing away", 1,
           "a link that leads nowhere");
    prints("cat o.hex o.lst; ls -A | grep '~' | wc -l", "old\nold\n0\n");
    /* What a killed run has left is removed by the next one that writes there; what somebody is writing is not. */
    expect("touch .o.hex.abcdef.oak~ .o.hex.held00.oak~ .other.abcdef.oak~; "
           "flock .o.hex.held00.oak~ -c 'spindle asm b.asm $P -o o.hex' 2>/dev/null || spindle asm b.asm "
           "--part mcs51-8k -o o.hex",
           0, "");
    prints("ls -A | grep 'abcdef.oak~'", ".other.abcdef.oak~\n");
    leave_folder();
}
END_TEST

START_TEST(a_project_writes_in_its_folder_only)
{
    static const char *const outside[] = {
        "output: ../../x.hex", "output: /tmp/oak-out.hex", "listing: ../x.lst", "symbols: sub/../../y.json",
        "output: lk/x.hex",    "output: lf.hex",           "listing: .."};
    char line[600];
    enter_folder();
    expect("mkdir -p in/sub; cd in; printf ' sjmp $\\n' > b.asm; ln -s /tmp lk; touch ../z.hex; ln -s "
           "../z.hex lf.hex",
           0, "");
    for (size_t i = 0; i < sizeof outside / sizeof *outside; i++) {
        snprintf(line, sizeof line,
                 "cd in; printf 'part: mcs51-8k\\nsources:\\n  - b.asm\\n%s\\n' > spindle.yaml; spindle asm",
                 outside[i]);
        expect(line, 1, "would be written outside the folder of the project");
    }
    expect("cd in; printf 'part: mcs51-8k\\nsources:\\n  - b.asm\\noutput: spindle.yaml\\n' > spindle.yaml; "
           "spindle asm",
           1, "it is read here");
    expect("cd in; printf 'part: mcs51-8k\\nsources:\\n  - ../c.asm\\n' > spindle.yaml; cp b.asm ../c.asm; "
           "spindle asm",
           1, "outside the folder");
    expect("cd in; spindle asm -o ../mine.hex", 0, "");
    expect("cd in; printf 'part: mcs51-8k\\nsources:\\n  - b.asm\\nlisting: sub/b.lst\\n' > spindle.yaml; "
           "spindle asm && test -s sub/b.lst",
           0, "");
    prints("ls; test -e /tmp/oak-out.hex || test -s z.hex || echo nothing",
           "c.asm\nin\nmine.hex\nz.hex\nnothing\n");
    leave_folder();
}
END_TEST

START_TEST(a_rule_for_make_holds_names_and_no_commands)
{
    static const char *const impossible[] = {"x;touch y.inc", "a=b.inc", "p%q.inc", "w*.inc", "a|b.inc"};
    char line[600];
    enter_folder();
    expect("touch 'a$(touch y).inc' 'b c.inc' '#d.inc' 't\tab.inc' 'e:f.inc'; printf ' include \"%s\"\\n' "
           "'a$(touch y).inc' 'b c.inc' '#d.inc' "
           "'t\tab.inc' 'e:f.inc' > d.asm; spindle asm d.asm $P -o d.hex --deps d.d",
           0, "");
    prints("cat d.d", "d.hex: d.asm a$$(touch\\ y).inc b\\ c.inc \\#d.inc t\\\tab.inc e\\:f.inc\n");
    for (size_t i = 0; i < sizeof impossible / sizeof *impossible; i++) {
        snprintf(line, sizeof line,
                 "f='%s'; touch \"$f\"; printf ' include \"%%s\"\n sjmp $\n' \"$f\" > e.asm; spindle asm "
                 "e.asm $P -o e.hex --deps e.d",
                 impossible[i]);
        expect(line, 1, "this name cannot stand in a rule for make");
    }
    prints("ls e.hex e.d y 2>/dev/null; echo none", "none\n");
    leave_folder();
}
END_TEST

START_TEST(only_files_are_included_and_at_once)
{
    static const char *const things[] = {"fifo", "folder", "/dev/zero", "/dev/tty", ".", "/"};
    char line[300];
    enter_folder();
    expect("mkfifo fifo; mkdir folder", 0, "");
    for (size_t i = 0; i < sizeof things / sizeof *things; i++)
        for (unsigned binary = 0; binary < 2; binary++) {
            snprintf(line, sizeof line, "printf ' %s \"%s\"\\n' > i.asm; timeout 5 spindle asm i.asm $P",
                     binary ? "incbin" : "include", things[i]);
            expect(line, 1, "it is a folder, a pipe or a device, and no file");
        }
    expect("timeout 5 spindle run i.asm --part ./fifo.yaml", 1, "");
    expect("mv fifo fifo.yaml; printf 'part: q\\nextends: fifo\\ntitle: q\\n' > q.yaml; timeout 5 spindle "
           "parts ./q.yaml",
           1, "");
    /* What somebody names on the command line may be a pipe. */
    expect("mkfifo given; (printf ' sjmp $\\n' > given &); timeout 5 spindle asm given $P -o g.hex", 0, "");
    /* A line is shown only of what is text. */
    char *out, *err;
    ck_assert_int_eq(inside("printf 'secret\\0stuff\\n hidden words\\n' > bin.inc; printf ' include "
                            "\"bin.inc\"\\n' > i.asm; spindle asm i.asm $P",
                            &out, &err),
                     1);
    ck_assert_ptr_eq(strstr(err, "hidden words"), NULL);
    ck_assert_ptr_ne(strstr(err, "bin.inc:2"), NULL);
    free(out);
    free(err);
    leave_folder();
}
END_TEST

/* ------------------------------------------------------------------------------------------ what goes wrong around it */

static const char make_rig[] = "printf ' push a\\n pop a\\n sjmp $\\n' > f.asm; printf 'x equ 5\\n org "
                               "0\\nm macro a\\n db a\\n endm\\nl: mov a, #x\\n m 3\\n "
                               "sjmp $\\n' > a.asm; for f in o.hex o.lst o.json; do echo old > $f; done; ";

static const struct {
    const char *command;
    const char *outputs; /* shown one behind the other */
} rigged[] = {
    {"spindle asm a.asm --part mcs51-8k -o o.hex --listing o.lst --symbols o.json", "o.hex o.lst o.json"},
    {"spindle asm f.asm --part mcs51-8k -o o.hex --fix", "f.asm o.hex"},
    {"spindle run a.asm --part mcs51-8k --data-runs --time 1ms --state-out o.json --dump o.lst",
     "o.json o.lst"}};
enum { RIGGED = sizeof rigged / sizeof *rigged };

/* Prepares the folder, runs a command with a fault, and tells what became of its outputs: 'o'ld, 'n'ew, or '?', one letter each. */
static int run_rigged(unsigned which, const char *fault, char *letters, unsigned long counts[4],
                      char **messages)
{
    static const char check[] = "for f in %s; do if cmp -s $f new/$f; then printf n; elif cmp -s $f old/$f; "
                                "then printf o; else printf '?'; fi; done; ls -A | grep -c 'oak~'";
    char line[2000], *out, *err;
    snprintf(line, sizeof line,
             "%s mkdir -p old new; cp %s old; OAK_FAULT_COUNT=count %s LD_PRELOAD=%s %s >said 2>&1; echo $?",
             make_rig, rigged[which].outputs, fault, FAULTS, rigged[which].command);
    ck_assert_int_eq(inside(line, &out, &err), 0);
    int code = atoi(out);
    free(out);
    free(err);
    snprintf(line, sizeof line, check, rigged[which].outputs);
    inside(line, &out, &err);
    snprintf(letters, 16, "%.15s", out);
    letters[strcspn(letters, "\n")] = 0;
    free(out);
    free(err);
    ck_assert_int_eq(inside("cat count 2>/dev/null; echo; cat said", &out, &err), 0);
    if (counts)
        ck_assert_int_eq(sscanf(out, "%lu %lu %lu %lu", &counts[0], &counts[1], &counts[2], &counts[3]), 4);
    free(err);
    if (messages) *messages = out;
    else free(out);
    return code;
}

/* What it does when nothing goes wrong is kept in new/. */
static void learn(unsigned which, unsigned long counts[4])
{
    char letters[16], line[300];
    enter_folder();
    ck_assert_int_eq(run_rigged(which, "", letters, counts, NULL), 0);
    snprintf(line, sizeof line, "cp %s new", rigged[which].outputs);
    expect(line, 0, "");
}

START_TEST(a_full_disk_or_a_rename_that_fails_changes_nothing)
{
    if (SANITIZED) return; /* the rig stands in front of the C library */
    for (unsigned which = 0; which < RIGGED; which++) {
        unsigned long counts[4];
        char fault[60], letters[16];
        learn(which, counts);
        for (unsigned long at = 1; at < counts[1]; at += counts[1] / 12 + 1) {
            snprintf(fault, sizeof fault, "OAK_FAULT_DISK=%lu", at);
            ck_assert_int_eq(run_rigged(which, fault, letters, NULL, NULL), 1);
            ck_assert_msg(!strchr(letters, '?') && letters[strlen(letters) - 1] == '0', "%s: %s", fault,
                          letters);
            if (which != 1) ck_assert_msg(!strchr(letters, 'n'), "%s: %s", fault, letters);
        }
        for (unsigned long at = 1; at <= counts[2]; at++) {
            snprintf(fault, sizeof fault, "OAK_FAULT_RENAME=%lu", at);
            int code = run_rigged(which, fault, letters, NULL, NULL);
            ck_assert_msg(!strchr(letters, '?') && letters[strlen(letters) - 1] == '0', "%s: %s", fault,
                          letters);
            ck_assert_msg(code == 0 ? !strchr(letters, 'o') : which == 1 || !strchr(letters, 'n'),
                          "%s: %d %s", fault, code, letters);
        }
        ck_assert_int_eq(run_rigged(which, "OAK_FAULT_SHORT=3", letters, NULL, NULL), 0);
        ck_assert_ptr_eq(strchr(letters, 'o'), NULL);
        leave_folder();
    }
}
END_TEST

START_TEST(a_run_that_is_killed_leaves_whole_files_and_the_next_one_tidies_up)
{
    if (SANITIZED) return;
    for (unsigned which = 0; which < RIGGED; which++) {
        unsigned long counts[4];
        char fault[60], letters[16], line[300];
        learn(which, counts);
        for (unsigned long at = 1; at <= counts[3]; at++) {
            snprintf(fault, sizeof fault, "OAK_FAULT_KILL=%lu", at);
            ck_assert_int_eq(run_rigged(which, fault, letters, NULL, NULL), 128 + SIGKILL);
            ck_assert_msg(!strchr(letters, '?'), "%s: %s", fault, letters);
            expect(rigged[which].command, 0, "");
            snprintf(line, sizeof line,
                     "for f in %s; do cmp -s $f new/$f || echo $f; done; ls -A | grep 'oak~'",
                     rigged[which].outputs);
            char *out, *err;
            inside(line, &out, &err);
            ck_assert_str_eq(out, "");
            free(out);
            free(err);
        }
        leave_folder();
    }
}
END_TEST

START_TEST(memory_that_runs_out_is_told_or_has_no_effect)
{
    if (SANITIZED) return;
    for (unsigned which = 0; which < RIGGED; which++) {
        unsigned long counts[4];
        char fault[60], letters[16], *said;
        learn(which, counts);
        /* Most requests are those of the part file: the first of these, then all behind them at a distance. */
        bool all = getenv("OAK_LONG") != NULL;
        for (unsigned long at = 1; at <= counts[0]; at += all || at < 40         ? 1
                                                          : at < counts[0] - 300 ? 397
                                                                                 : 11) {
            snprintf(fault, sizeof fault, "OAK_FAULT_MEMORY=%lu%s", at, at % 2 ? "" : "+");
            int code = run_rigged(which, fault, letters, NULL, &said);
            ck_assert_msg(!strchr(letters, '?') && letters[strlen(letters) - 1] == '0', "%s: %s", fault,
                          letters);
            if (code == 0) ck_assert_msg(!strchr(letters, 'o'), "%s: done, but %s", fault, letters);
            else
                ck_assert_msg(code == 1 && strstr(said, "memory"), "%s: exit code %d, %s", fault, code, said);
            free(said);
        }
        leave_folder();
    }
}
END_TEST

START_TEST(two_that_write_one_file_leave_a_whole_one)
{
    enter_folder();
    expect("for i in 1 2; do (echo ' org 0'; yes \" db $i\" | head -2000; echo ' sjmp $') > s$i.asm; spindle "
           "asm s$i.asm $P -o e$i.hex; done",
           0, "");
    expect("for k in 1 2 3 4 5 6 7 8; do for i in 1 2; do spindle asm s$i.asm $P -o o.hex & done; wait; cmp "
           "-s o.hex e1.hex || cmp -s o.hex e2.hex || exit 9; "
           "done; ls -A | grep -c '~' && exit 8; true",
           0, "");
    leave_folder();
}
END_TEST

RUN_SUITE("files", an_edit_is_applied_once_whatever_the_file_is_called,
          what_is_a_file_is_replaced_wherever_it_lies, what_is_read_is_never_written_over,
          a_source_that_is_put_right_stays_whose_it_is, several_outputs_are_all_or_none,
          a_project_writes_in_its_folder_only, a_rule_for_make_holds_names_and_no_commands,
          only_files_are_included_and_at_once, a_full_disk_or_a_rename_that_fails_changes_nothing,
          a_run_that_is_killed_leaves_whole_files_and_the_next_one_tidies_up,
          memory_that_runs_out_is_told_or_has_no_effect, two_that_write_one_file_leave_a_whole_one)
