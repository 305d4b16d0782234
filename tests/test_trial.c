/* Trials: every kind of expectation passes and fails where it has to; the same is found on any number of processes; wrong files are told with
 * line and column; what other programs read is what they can read. */
#include "support.h"

#include <cjson/cJSON.h>
#include <expat.h>
#include <stdio.h>
#include <unistd.h>

static char folder[200];

static void write_file(const char *name, const char *text)
{
    char path[300];
    snprintf(path, sizeof path, "%s/%s", folder, name);
    FILE *file = fopen(path, "w");
    ck_assert_ptr_nonnull(file);
    fputs(text, file);
    fclose(file);
}

static int inside(const char *command, char **out, char **err)
{
    char whole[2000];
    snprintf(whole, sizeof whole, "cd %s && export XDG_CACHE_HOME=%s/cache PATH=%.*s:$PATH && %s", folder,
             folder, (int)(strrchr(SPINDLE, '/') - SPINDLE), SPINDLE, command);
    return shell(whole, out, err);
}

static void enter_folder(void)
{
    char line[500];
    snprintf(folder, sizeof folder, "/tmp/oak-trial-%d", (int)getpid());
    snprintf(line, sizeof line, "rm -rf %s && mkdir %s", folder, folder);
    ck_assert_int_eq(system(line), 0);
}

static void leave_folder(void)
{
    char line[500];
    snprintf(line, sizeof line, "rm -rf %s", folder);
    ck_assert_int_eq(system(line), 0);
}

/* A shuttle that goes to and fro five times: p1.0 is high for 3 cycles in each. */
static const char program[] = " org 0\n"
                              "start: mov sp, #0x2f\n" /* cycles 0, 1 */
                              " mov r7, #5\n"          /* 2 */
                              " mov count, #0\n"       /* 3, 4 */
                              "to: setb p1.0\n"        /* 5, 20, … */
                              " inc count\n"
                              " nop\n"
                              " clr p1.0\n"    /* 8 */
                              " acall fro\n"   /* 9, 10 */
                              " djnz r7, to\n" /* 17, 18 of 5 */
                              "idle: sjmp idle\n"
                              "fro: push acc\n" /* two cycles each */
                              " pop acc\n"
                              " ret\n"
                              "double: add a, acc\n"
                              " mov r6, #0\n"
                              " ret\n"
                              "never: sjmp never\n"
                              "count equ 0x20\n";

/* A trial each: what it is beside its name, whether it passes, and what is found where it does not, at which cycle. */
static const struct check {
    const char *body;
    bool passes;
    const char *found;
    int cycle;
} checks[] = {
    {"expect: [{at end: 'iram[count] == 5'}]", true, NULL, 0},
    {"expect: [{at end: 'iram[count] == 6'}]", false, "iram[count] is 5", -1},
    {"expect: [{at 7 cycles: 'iram[count] == 1'}]", true, NULL, 0},
    {"expect: [{at 6us: 'iram[count] == 1'}]", false, "iram[count] is 0", 6},
    {"expect: [{at fro: 'sp == 0x31'}]", true, NULL, 0},
    {"expect: [{at fro: 'iram[count] < 3'}]", false, "iram[count] is 3", -1},
    {"expect: [{at first fro: 'iram[count] == 1'}]", true, NULL, 0},
    {"expect: [{at never: '1'}]", false, "it is never reached", -1},
    {"expect: [{always: 'sp <= 0x32'}]", true, NULL, 0},
    {"expect: [{always: 'sp <= 0x31'}]", false, "sp is 50", -1},
    {"expect: [{never: 'p1.0 && p1.1 == 0'}]", true, NULL, 0},
    {"expect: [{always: 'p1.0'}]", false, "no longer so", 9},
    {"drives: ['p3.2 = 1 until 20 cycles, 0']\n  expect: [{never: '!p3.2'}]", false, "it has become so", 20},
    {"drives: ['p3.2 = 1 until 9 cycles, 0']\n  expect: [{within 10 cycles after p3.2 falls: '!p1.0'}]", true,
     NULL, 0},
    {"drives: ['p3.2 = 1 until 9 cycles, 0']\n  run: 60 cycles\n  expect: [{within 10 cycles after p3.2 "
     "falls: 'p3.3 == 0'}]",
     false, "since 9.000 us", 19},
    {"expect: [{within 9 cycles after to is reached: 'sp == 0x32'}]", true, NULL, 0},
    {"expect: [{within 5 cycles after to is reached: 'sp == 0x32'}]", false,
     "sp is 49; it has not become so since 5.000 us", 11},
    {"expect: [{within 5 cycles after p3.3 falls: 'p1.0'}]", false, "p3.3 falls has not happened", -1},
    {"expect: [{in order: ['to is reached', 'p1.0 falls', 'fro is reached', 'iram[count] == 2', 'idle is "
     "reached']}]",
     true, NULL, 0},
    {"expect: [{in order: ['iram[count] == 2', 'iram[count] == 1']}]", false,
     "iram[count] == 1 has not happened", -1},
    {"expect: [{from to to fro: at most 6 cycles}, {from to to to: 14 cycles}]", true, NULL, 0},
    {"expect: [{from to to fro: at most 5 cycles}]", false, "it took 6 cycles", -1},
    {"expect: [{stack from to: at most 3}]", true, NULL, 0},
    {"expect: [{stack from to: at most 2}]", false, "the stack holds 3 bytes", -1},
    {"expect: [{ends: parked at idle}]", true, NULL, 0},
    {"run: 10 cycles\n  expect: [{ends: time}]", true, NULL, 0},
    {"expect: [{ends: fault}]", false, "it ended with parked", -1},
    {"given: {pc: 0x500}\n  expect: [{at end: '1'}]", false, "programmed", -1},
    {"given: {pc: 0x500}\n  expect: [{ends: fault unprogrammed-code}]", true, NULL, 0},
    {"expect: [{pin p1.0: 'high 3us, low 12us'}]", false, "the low time is", -1},
    {"expect: [{pin p1.0: 'high 4us +- 2us'}]", true, NULL, 0},
    {"call: double\n  for: {x: 0..127}\n  given: [a = x]\n  expect: [{at end: 'a == x * 2'}, {keeps: r7 sp}]",
     true, NULL, 0},
    {"call: double\n  for: {x: 0..255}\n  given: {a: x}\n  expect: [{at end: 'a == x * 2'}]", false,
     "a is 0, 128 * 2 is 256", -1},
    {"call: double\n  given: {r6: 9}\n  expect: [{keeps: r6}]", false, "r6 was 0x9 and is 0x0", -1},
    {"call: never\n  run: 50 cycles\n  expect: [{at end: '1'}]", false, "has not returned", -1},
    {"cases: [{n: 7, text: iram}, {n: 8, text: iram}]\n  given: ['{text}[0x40] = n']\n  expect: [{at end: "
     "'iram[0x40] == n'}]",
     true, NULL, 0},
    {"run: 6 cycles\n  expect: [{never: !p1.0 }]", true, NULL, 0},
};
enum { CHECKS = sizeof checks / sizeof *checks };

static void write_checks(void)
{
    char *text = malloc(CHECKS * 400), *at = text;
    at += sprintf(at, "program: shuttle.asm\npart: mcs51-8k\nclock: 12MHz\ntrials:\n");
    for (unsigned i = 0; i < CHECKS; i++) at += sprintf(at, "- name: check %u\n  %s\n", i, checks[i].body);
    write_file("shuttle.asm", program);
    write_file("all.trial.yaml", text);
    free(text);
}

START_TEST(every_kind_of_expectation_passes_and_fails_where_it_has_to)
{
    char *out, *err;
    unsigned failures = 0;
    enter_folder();
    write_checks();
    int code = inside("spindle trial --json", &out, &err);
    cJSON *document = cJSON_Parse(out), *list = cJSON_GetObjectItem(document, "trials");
    ck_assert_msg(code == 4 && cJSON_GetArraySize(list) == CHECKS, "%d: %s%s", code, out, err);
    for (unsigned i = 0; i < CHECKS; i++) {
        const cJSON *one = cJSON_GetArrayItem(list, (int)i), *why = cJSON_GetObjectItem(one, "failure");
        const char *verdict = cJSON_GetStringValue(cJSON_GetObjectItem(one, "verdict")),
                   *found = cJSON_GetStringValue(cJSON_GetObjectItem(why, "found"));
        bool good = !strcmp(verdict, checks[i].passes ? "passed" : "failed") &&
                    (checks[i].passes || strstr(found, checks[i].found));
        if (good && !checks[i].passes && checks[i].cycle >= 0)
            good = (int)cJSON_GetNumberValue(cJSON_GetObjectItem(why, "cycle")) == checks[i].cycle;
        if (checks[i].passes) good = good && cJSON_GetNumberValue(cJSON_GetObjectItem(one, "checks")) > 0;
        if (!good)
            printf("%s\n  %s: %s, cycle %g\n", checks[i].body, verdict, found ? found : "",
                   cJSON_GetNumberValue(cJSON_GetObjectItem(why, "cycle")));
        failures += !good;
    }
    ck_assert_msg(!failures, "%u\n%s", failures, err);
    cJSON_Delete(document);
    free(out);
    free(err);
    leave_folder();
}
END_TEST

START_TEST(any_number_of_processes_finds_the_same)
{
    static const char *const options[] = {"--tap", "--json", "| sed 's/; [0-9.]* s$//'"};
    enter_folder();
    write_checks();
    for (unsigned o = 0; o < (STRIDE > 1 ? 1 : 3); o++) {
        char *first = NULL;
        for (unsigned workers = 1; workers <= 7; workers += workers == 1 ? 1 : 5) {
            char line[200], *out, *err;
            snprintf(line, sizeof line, "spindle trial -j %u %s", workers, options[o]);
            inside(line, &out, &err);
            if (first) ck_assert_str_eq(first, out);
            else first = strdup(out);
            ck_assert_uint_gt(strlen(out), 1000);
            free(out);
            free(err);
        }
        free(first);
    }
    leave_folder();
}
END_TEST

/* Shards, put together in any order, are the whole; what is missing is told. */
START_TEST(shards_put_together_are_the_whole)
{
    char *whole, *merged, *err;
    enter_folder();
    write_checks();
    inside("spindle trial --json", &whole, &err);
    free(err);
    int code = inside("for k in 1 2 3 4 5; do spindle trial --shard $k/5 --json > s$k.json; done; "
                      "spindle trial --merge --json s4.json s2.json s5.json s1.json s3.json",
                      &merged, &err);
    ck_assert_int_eq(code, 4);
    ck_assert_msg(!strcmp(merged, whole), "%s\nthe whole: %s", merged, whole);
    free(merged);
    free(err);
    code = inside("spindle trial --only 'check 31' --shard 1/2 --json > a.json; spindle trial --merge a.json",
                  &merged, &err);
    ck_assert_msg(code == 1 && strstr(merged, "64 of 128 cases") && strstr(err, "a shard is missing"),
                  "%d %s%s", code, merged, err);
    free(merged);
    free(err);
    code = inside("spindle trial --shard 6/5", &merged, &err);
    ck_assert_msg(code == 2 && strstr(err, "`6/5` is no shard"), "%s", err);
    free(merged);
    free(err);
    code = inside("spindle trial --merge shuttle.asm", &merged, &err);
    ck_assert_msg(code == 1 && strstr(err, "no document of trials"), "%s", err);
    free(merged);
    free(err);
    free(whole);
    leave_folder();
}
END_TEST

/* The first failing case is told as it is when it is run alone; `bench` and `run` are brought to the same place. */
START_TEST(what_a_trial_is_given_serves_run_and_bench)
{
    char *out, *err;
    enter_folder();
    write_checks();
    inside("spindle trial --only 'check 32' --json", &out, &err);
    cJSON *document = cJSON_Parse(out);
    const cJSON *why =
        cJSON_GetObjectItem(cJSON_GetArrayItem(cJSON_GetObjectItem(document, "trials"), 0), "failure");
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(why, "values")), "x = 128");
    char line[900];
    snprintf(line, sizeof line, "echo 'show a' | %s",
             cJSON_GetStringValue(cJSON_GetObjectItem(why, "bench")));
    free(out);
    free(err);
    int code = inside(line, &out, &err);
    ck_assert_msg(code == 0 && strstr(out, "a                  0x00"), "%s\n%s%s", line, out, err);
    free(out);
    free(err);
    code = inside("spindle run shuttle.asm --part mcs51-8k --given 'all.trial.yaml:check 32/8' --steps 2 "
                  "--show a --brief",
                  &out, &err);
    ck_assert_msg(code == 0 && strstr(out, "0x0e"), "%s%s", out, err);
    free(out);
    free(err);
    code =
        inside("spindle run shuttle.asm --part mcs51-8k --given all.trial.yaml:nothing --brief", &out, &err);
    ck_assert_msg(code == 2 && strstr(err, "`check 0`"), "%s%s", out, err);
    free(out);
    free(err);
    cJSON_Delete(document);
    leave_folder();
}
END_TEST

static void count_element(void *context, const char *name, const char **attributes)
{
    (void)attributes;
    if (!strcmp(name, "testcase")) ((unsigned *)context)[0]++;
    if (!strcmp(name, "failure")) ((unsigned *)context)[1]++;
}

START_TEST(other_programs_can_read_what_is_written)
{
    char *out, *err;
    unsigned seen[2] = {0}, failing = 0;
    for (unsigned i = 0; i < CHECKS; i++) failing += !checks[i].passes;
    enter_folder();
    write_checks();
    inside("spindle trial --tap --junit all.xml > all.tap; cat all.xml", &out, &err);
    XML_Parser parser = XML_ParserCreate(NULL);
    XML_SetUserData(parser, seen);
    XML_SetElementHandler(parser, count_element, NULL);
    ck_assert_int_eq(XML_Parse(parser, out, (int)strlen(out), 1), XML_STATUS_OK);
    ck_assert_uint_eq(seen[0], CHECKS);
    ck_assert_uint_eq(seen[1], failing);
    XML_ParserFree(parser);
    free(out);
    free(err);
    int code =
        inside("xmllint --noout --schema " SOURCE_FOLDER "/tests/golden/junit.xsd all.xml", &out, &err);
    ck_assert_msg(code == 0, "%s", err);
    free(out);
    free(err);
    inside("prove -e cat all.tap", &out, &err);
    char wanted[60];
    snprintf(wanted, sizeof wanted, "Failed %u/%u subtests", failing, (unsigned)CHECKS);
    ck_assert_msg(strstr(out, wanted) || strstr(err, wanted), "%s%s", out, err);
    free(out);
    free(err);
    leave_folder();
}
END_TEST

#define TOP  "program: shuttle.asm\npart: mcs51-8k\ntrials:\n"
#define NAME "- name: x\n"
#define LAST "  expect: [{at end: '1'}]\n"
START_TEST(wrong_files_are_told_with_line_and_column)
{
    static const struct {
        const char *file, *told;
    } wrong[] = {
        {"", "1:1: error: "},
        {"- 1\n", "1:1: error: a file of trials is a map"},
        {"program: shuttle.asm\n", "1:1: error: `trials` is a list"},
        {"progam: x\n", "1:1: error: a file of trials has no key `progam`"},
        {"seed: 0\ntrials: []\n", "1:7: error: a seed is a whole number"},
        {"seed: 1\nseed: 2\n", "2:1: error: `seed` stands here twice"},
        {TOP NAME "  expect: [{always: !sp && 1}]\n", "stands in quotes"},
        {TOP "- x\n", "4:3: error: a trial is a map"},
        {TOP NAME, "4:3: error: a trial expects something"},
        {TOP "- expect: [{at end: '1'}]\n", "4:3: error: a trial needs a name"},
        {TOP NAME LAST NAME LAST, "6:3: error: there is a trial `x` above"},
        {TOP NAME "  expct: 1\n" LAST, "5:3: error: a trial has no key `expct`"},
        {TOP NAME "  run: soon\n" LAST, "5:8: error: `soon` is no time to run"},
        {TOP NAME "  sample: 0\n" LAST, "5:11: error: a sample is a number"},
        {TOP NAME "  expect: at end\n", "5:11: error: `expect` is a list"},
        {TOP NAME "  expect: [at end]\n", "5:12: error: an expectation is when, a colon, and what"},
        {TOP NAME "  expect: [{sometimes: '1'}]\n", "5:13: error: `sometimes` says nothing of when"},
        {TOP NAME "  expect: [{within 5 cycles: '1'}]\n",
         "5:13: error: `within 5 cycles` needs a time and what it follows"},
        {TOP NAME "  expect: [{in order: x}]\n", "5:23: error: an order is a list"},
        {TOP NAME "  expect: [{at end: 'cunt'}]\n", "5:21: error: there is no register"},
        {TOP NAME "  expect: [{at end: '1 +'}]\n", "5:21: error: "},
        {TOP NAME "  expect: [{at nowhere: '1'}]\n",
         "5:13: error: there is no register, special register or symbol `nowhere`"},
        {TOP NAME "  expect: [{ends: well}]\n", "5:19: error: `well` is no way"},
        {TOP NAME "  expect: [{keeps: r99}]\n", "5:20: error: `r99` is no register"},
        {TOP NAME "  expect: [{stack: deep}]\n", "5:20: error: `deep` is no depth"},
        {TOP NAME "  expect: [{pin p1.0: round}]\n", "5:23: error: `round` is no shape"},
        {TOP NAME "  expect: [{pin p9.0: 1kHz}]\n", "5:13: error: "},
        {TOP NAME "  expect: [{from to to fro: long}]\n", "5:29: error: `long` is no length of time"},
        {TOP NAME "  expect: [{at end: 'lcd shows \"x\"'}]\n", "5:21: error: there is nothing called `lcd`"},
        {TOP NAME "  given: {nothing: 3}\n" LAST, "5:11: error: "},
        {TOP NAME "  given: [r0]\n" LAST, "5:11: error: "},
        {TOP NAME "  drives: [p1.0 = maybe]\n" LAST, "5:12: error: "},
        {TOP NAME "  acts: [door open]\n" LAST, "5:10: error: acts need a board"},
        {TOP NAME "  call: nowhere\n" LAST,
         "5:9: error: there is no register, special register or symbol `nowhere`"},
        {TOP NAME "  after: to\n" LAST, "4:3: error: `after` belongs to `call`"},
        {TOP NAME "  for: {x: 3..1}\n" LAST, "5:12: error: `3..1` is no range"},
        {TOP NAME "  for: {x: 0..0xffffffff}\n" LAST, "4:3: error: these are more than 16 million cases"},
        {TOP NAME "  for: {3: 1}\n" LAST, "5:9: error: `3` is no name for a column"},
        {TOP NAME "  cases: [{x: 1}, {y: 1}]\n" LAST, "5:20: error: the rows before have no column `y`"},
        {TOP NAME "  cases: [{x: 1, y: 2}, {x: 1}]\n" LAST, "5:25: error: a value is missing"},
        {TOP NAME "  cases: 3\n" LAST, "5:10: error: `cases` is a list"},
        {TOP NAME "  cases: nowhere.csv\n" LAST, "5:10: error: the table `nowhere.csv` cannot be read"},
        {TOP NAME "  given: ['iram[0x30] = file \"nowhere\"']\n" LAST,
         "5:11: error: `nowhere` cannot be read"},
        {TOP NAME "  given: ['r0 = file \"nowhere\"']\n" LAST, "5:11: error: only cells take several"},
        {TOP NAME "  expect: [{as in nowhere.vcd: pins}]\n", "5:13: error: no run is kept in `nowhere.vcd`"},
        {TOP NAME "  expect: [{as in shuttle.asm: pins}]\n", "shuttle.asm:1:2: error: "},
        {TOP NAME "  expect: [{as in nowhere.vcd: pins +- much}]\n", "5:32: error: behind +- stands a time"},
        {TOP NAME "  for: {x: 1..2}\n  expect: [{as in nowhere.vcd: pins}]\n",
         "6:13: error: one file cannot hold the runs"},
        {TOP NAME "  name: y\n" LAST, "5:3: error: `name` stands here twice"},
    };
    enter_folder();
    write_file("shuttle.asm", program);
    for (unsigned i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        char *out, *err, told[300];
        write_file("w.trial.yaml", wrong[i].file);
        int code = inside("spindle trial w.trial.yaml", &out, &err);
        bool elsewhere = strncmp(wrong[i].told, "shuttle", 7) == 0;
        elsewhere |= wrong[i].told[0] > '9';
        snprintf(told, sizeof told, "%s%s", elsewhere ? "" : "w.trial.yaml:", wrong[i].told);
        ck_assert_msg(code == 1 && strstr(err, told), "%s-> %d %s%swanted: %s", wrong[i].file, code, out, err,
                      told);
        free(out);
        free(err);
    }
    leave_folder();
}
END_TEST

START_TEST(the_trials_of_every_example_pass)
{
    static const char *const examples[] = {"lathe",  "kiln",     "loom",    "extractor", "press",
                                           "scale",  "steambox", "sander",  "shed",      "dowels",
                                           "planer", "tags",     "cabinet", "pegs"};
    for (unsigned i = STRIDE / 3; i < sizeof examples / sizeof *examples; i += STRIDE) {
        char line[500], *out, *err;
        snprintf(line, sizeof line, "cd " SOURCE_FOLDER "/examples/%s && " SPINDLE " trial --afresh",
                 examples[i]);
        int code = shell(line, &out, &err);
        ck_assert_msg(code == 0 && strstr(out, "0 failed"), "%s: %s%s", examples[i], out, err);
        free(out);
        free(err);
    }
}
END_TEST

/* A guard that is a little too slow is found: 450 cycles are promised, 449 are not kept. */
START_TEST(a_broken_promise_is_found)
{
    char *out, *err;
    enter_folder();
    int code = inside(
        "cp " SOURCE_FOLDER
        "/examples/lathe/* . && sed -i 's/jc   halt/mov r5, #250\\n djnz r5, $\\n jc halt/' lathe.asm && "
        "spindle trial --only 'in time' lathe.trial.yaml",
        &out, &err);
    ck_assert_msg(code == 4 && strstr(out, "expected  within 450 cycles after door rises: relay") &&
                      strstr(out, "--given"),
                  "%d %s%s", code, out, err);
    free(out);
    free(err);
    /* The page of the manual tells of this one. */
    code =
        inside("cp " SOURCE_FOLDER
               "/examples/scale/* . && sed -i 's/rrc  a/rr   a/' scale.asm && spindle trial scale.trial.yaml",
               &out, &err);
    ck_assert_msg(code == 4 && strstr(out, "1027 of 2048 cases; the first is case 2 (left = 1, right = 0)") &&
                      strstr(out, "found     a is 128, (1 + 0) / 2 is 0") &&
                      strstr(out, "2.000 us  mean                 mov a, r2"),
                  "%d %s%s", code, out, err);
    free(out);
    free(err);
    leave_folder();
}
END_TEST

/* Runs a command there; what it printed has to have this in it (and, NULL or not, this not). */
static void expect_said(const char *command, int code, const char *wanted, const char *unwanted)
{
    char *out, *err;
    int got = inside(command, &out, &err);
    ck_assert_msg(got == code && (strstr(out, wanted) || strstr(err, wanted)) &&
                      !(unwanted && strstr(out, unwanted)),
                  "%s\n-> %d %s%s\nwanted: %s", command, got, out, err, wanted);
    free(out);
    free(err);
}

/* Tables and bytes in files of their own; of a sample that fails the simplest case is looked for, and opens like any other. */
START_TEST(data_may_come_from_files_and_failures_become_simple)
{
    enter_folder();
    write_file("shuttle.asm", program);
    write_file("pairs.csv", "x,twice\r\n3,6\r\n\"0x10\", 32\n");
    write_file("bytes", "abc");
    write_file("f.trial.yaml",
               TOP "- name: table\n  call: double\n  cases: pairs.csv\n  given: {a: x}\n"
                   "  expect: [{at end: a == twice}]\n"
                   "- name: bytes\n  run: 9 cycles\n  given: ['iram[0x40] = 1, file \"bytes\", 2']\n"
                   "  expect: [{always: 'iram[0x40:4] == 0x01616263 && iram[0x44] == 2'}]\n");
    expect_said("spindle trial", 0, "table  (2 cases", NULL);
    expect_said("spindle trial --list", 0, "f.trial.yaml:table  2", NULL);
    expect_said("sed -i s/32/33/ pairs.csv; spindle trial", 4, "the first is case 2 (x = 0x10, twice = 33)",
                NULL);
    expect_said("sed -i s/33// pairs.csv; spindle trial", 1, "pairs.csv:3: error: `twice` has no value here",
                NULL);
    expect_said("echo x,x > pairs.csv; spindle trial", 1,
                "pairs.csv:1: error: the column `x` stands here twice", NULL);
    expect_said("printf 'x\n\"3\"4\n' > pairs.csv; spindle trial", 1, "pairs.csv:2: error: this is no line",
                NULL);
    expect_said("printf 'x\n3,4\n' > pairs.csv; spindle trial", 1, "pairs.csv:2: error: this line has more",
                NULL);
    expect_said("printf 'x y\n3\n' > pairs.csv; spindle trial", 1, "pairs.csv:1: error: `x y` is no name",
                NULL);
    expect_said(": > pairs.csv; spindle trial", 1, "pairs.csv:1: error: this table has no rows", NULL);
    /* Wrong from 100 on, and for odd ones: 101 is the simplest; y has nothing to do with it. */
    write_file("f.trial.yaml", TOP "- name: sampled\n  call: double\n  for: {x: -50..60000, y: [7, 20..90]}\n"
                                   "  sample: 100\n  given: {a: 'x & 0xff'}\n"
                                   "  expect: [{at end: 'x < 100 || x % 2 == 0 || y < 7'}]\n");
    expect_said("spindle trial", 4, "    simplest  x = 101, y = 7\n", NULL);
    char *out, *err, line[900];
    inside("spindle trial --json -j 1", &out, &err);
    cJSON *document = cJSON_Parse(out);
    const cJSON *why =
        cJSON_GetObjectItem(cJSON_GetArrayItem(cJSON_GetObjectItem(document, "trials"), 0), "failure");
    ck_assert_str_eq(cJSON_GetStringValue(cJSON_GetObjectItem(why, "simplest")), "x = 101, y = 7");
    snprintf(line, sizeof line, "echo 'back\nshow a' | %s",
             cJSON_GetStringValue(cJSON_GetObjectItem(why, "bench")));
    free(out);
    free(err);
    expect_said("spindle run shuttle.asm --part mcs51-8k --given 'f.trial.yaml:sampled/101' --steps 1 --show "
                "a --brief",
                0, "a", NULL);
    cJSON_Delete(document);
    leave_folder();
}
END_TEST

/* A run that is kept is the same again; one that is not is told beside it, and drawn. */
START_TEST(runs_are_held_against_those_that_were_kept)
{
    enter_folder();
    write_file("shuttle.asm", program);
    write_file("k.trial.yaml", TOP "- name: as before\n  expect: [{as in k.vcd: 'p1.0, iram[count]'}]\n");
    expect_said("spindle trial", 1, "5:13", NULL);
    expect_said("spindle trial --keep", 0, "kept  k.vcd", NULL);
    expect_said("spindle trial --afresh", 0, "1 passed", "unchanged");
    expect_said("cp k.vcd once; spindle trial --keep; cmp once k.vcd && spindle wave k.vcd", 0, "p1.0", NULL);
    /* A pulse is a cycle longer, in each of five turns; all that follows is late. */
    expect_said("sed -i '0,/ nop/s// nop\\n nop/' shuttle.asm; spindle trial", 4,
                "found     p1.0 falls at 10.000 us, 1.000 us later than before; 13 differences in all", NULL);
    expect_said("spindle trial", 4, "      p1.0                   9.000 us falls            10.000 us falls",
                NULL);
    expect_said("spindle trial --json", 4, "\"cycle\":\t10,", NULL);
    expect_said("sed -i 's/count\\]/& +- 5us/' k.trial.yaml; spindle trial", 0, "1 passed", NULL);
    expect_said("sed -i 's/5us/3 cycles/' k.trial.yaml; spindle trial", 4, "4.000 us later than before",
                NULL);
    expect_said("mkdir p; spindle trial --pictures p > out; head -c 4 p/as-before.png | tail -c 3", 0, "PNG",
                NULL);
    /* One pulse more, and one less, is told as that: nothing behind it is. */
    write_file("shuttle.asm", program);
    expect_said(
        "spindle trial --keep; sed -i 's/idle:/ setb p1.0\\n clr p1.0\\n&/' shuttle.asm; spindle trial", 4,
        "p1.0 rises at 76.000 us, as it did not before; 2 differences in all", NULL);
    expect_said("spindle trial --keep; cp k.vcd more.vcd", 0, "", NULL);
    write_file("shuttle.asm", program);
    expect_said("spindle trial", 4, "p1.0 rises no longer at 76.000 us; 2 differences in all", NULL);
    /* Another list of signals is no small difference either. */
    expect_said("spindle trial --keep; sed -i 's/p1.0, //' k.trial.yaml; spindle trial", 4,
                "p1.0 was kept, and is not recorded any more", NULL);
    expect_said("sed -i 's/iram/p1.0, p1.1, iram/' k.trial.yaml; spindle trial", 4,
                "p1.1 is not in what was kept", NULL);
    /* What a serial port sends: bytes, also the same one twice, each at its time. */
    write_file("shuttle.asm",
               " org 0\n mov tmod, #0x20\n mov th1, #0xfd\n setb tr1\n mov scon, #0x40\n mov r2, #3\n"
               "more: mov sbuf, #'o'\n jnb ti, $\n clr ti\n djnz r2, more\n sjmp $\n");
    write_file("k.trial.yaml",
               "program: shuttle.asm\npart: mcs51-8k\nclock: 11.0592MHz\ntrials:\n- name: said\n  run: 5ms\n"
               "  expect: [{as in k.vcd: serial +- 1us}]\n");
    expect_said("spindle trial --keep; spindle trial", 0, "passed  said", NULL);
    expect_said("sed -i \"s/'o'/'p'/\" shuttle.asm; spindle trial", 4, "serial becomes 0x70 at", NULL);
    expect_said("sed -i \"s/'p'/'o'/; s/#3/#2/\" shuttle.asm; spindle trial", 4,
                "serial.sent happens no longer at 3.4", NULL);
    leave_folder();
}
END_TEST

/* What cases have in common is run once: nothing else comes out than when each is run by itself, also where they part at any time, in any order, and
 * where the run ends before they do. */
START_TEST(cases_that_share_their_beginning_are_as_if_alone)
{
    static const char body[] =
        "  acts: [start tap at 15ms, 'door open at {t}us', 'door close at 90ms']\n  run: 120ms\n"
        "  expect: [{never: '!door && relay && running'}, {within 9ms after door rises: relay}, {from guard "
        "to guard: at most 450 cycles},"
        " {stack from main: at most 16}, {pin brake: high 1us +- 100ms}, {at 40ms: 'iram[0x20] < 256'}, {at "
        "end: trips + t >= t}]\n";
    enum { CASES = STRIDE > 1 ? 2 : 8 };
    static const char *const moments[] = {"40000", "3",      "79999", "20011",
                                          "90000", "119999", "40001", "61234"};
    char *out, *err, text[9000];
    enter_folder();
    expect_said("cp " SOURCE_FOLDER "/examples/lathe/* . && rm *.trial.yaml", 0, "", NULL);
    int used = sprintf(
        text,
        "program: lathe.asm\npart: mcs51-8k\nboard: board.yaml\ntrials:\n- name: together\n  for: {t: [");
    for (unsigned i = 0; i < CASES; i++) used += sprintf(text + used, "%s%s", i ? ", " : "", moments[i]);
    used += sprintf(text + used, "]}\n%s", body);
    for (unsigned i = 0; i < CASES; i++)
        used += sprintf(text + used, "- name: alone %u\n  cases: [{t: %s}]\n%s", i, moments[i], body);
    write_file("s.trial.yaml", text);
    inside("spindle trial --json --coverage c.info", &out, &err);
    cJSON *document = cJSON_Parse(out), *list = cJSON_GetObjectItem(document, "trials");
    const cJSON *together = cJSON_GetArrayItem(list, 0);
    const char *const sums[] = {"failed", "checks", "cycles"};
    for (unsigned k = 0; k < 3; k++) {
        double sum = 0;
        for (int i = 1; i <= CASES; i++)
            sum += cJSON_GetNumberValue(cJSON_GetObjectItem(cJSON_GetArrayItem(list, i), sums[k]));
        ck_assert_msg(sum == cJSON_GetNumberValue(cJSON_GetObjectItem(together, sums[k])), "%s: %g\n%s%s",
                      sums[k], sum, out, err);
    }
    for (int m = 0; m < 2; m++) {
        double most = 0;
        for (int i = 1; i <= CASES; i++) {
            double one = cJSON_GetNumberValue(cJSON_GetObjectItem(
                cJSON_GetArrayItem(cJSON_GetObjectItem(cJSON_GetArrayItem(list, i), "most"), m), "cycles"));
            most = one > most ? one : most;
        }
        ck_assert(most == cJSON_GetNumberValue(cJSON_GetObjectItem(
                              cJSON_GetArrayItem(cJSON_GetObjectItem(together, "most"), m), "cycles")));
    }
    cJSON_Delete(document);
    free(out);
    free(err);
    /* Lines are counted once for each case, whoever ran them. */
    expect_said("spindle trial --only together --coverage a.info > x; spindle trial --only alone --coverage "
                "b.info > x; cmp a.info b.info && echo same",
                0, "same", NULL);
    /* A fault before they part: all of them have it. */
    expect_said("sed -i 's/^main:/main: jmp 0x1f00\\n/' lathe.asm; spindle trial --only together", 4,
                STRIDE > 1 ? "2 of 2 cases; the first is case 1" : "8 of 8 cases; the first is case 1", NULL);
    leave_folder();
}
END_TEST

/* What has passed and is unchanged is not run again; what a trial depends on is all of this. */
START_TEST(unchanged_trials_are_not_run_again)
{
    static const char *const changes[] = {
        "sed -i 's/#5/#6/' shuttle.asm",
        "sed -i 's/to:/too:/; s/to$/too/' shuttle.asm",
        "sed -i 's/seed: 1/seed: 2/' u.trial.yaml",
        "sed -i 's/5V/4V/' board.yaml",
        "echo >> part.yaml",
        "printf d >> bytes",
        "sed -i '1i$comment of no matter $end' u.vcd",
    };
    enter_folder();
    write_file("shuttle.asm", program);
    write_file("bytes", "abc");
    write_file("board.yaml",
               "board: b\npart: mcs51-8k\n# 5V\nstand-ins:\n  lamp: {kind: lamp, wires: {in: p1.0}}\n");
    write_file(
        "u.trial.yaml",
        "program: shuttle.asm\npart: ./part.yaml\nboard: board.yaml\nseed: 1\ntrials:\n- name: one\n"
        "  given: ['iram[0x40] = file \"bytes\"']\n"
        "  expect: [{at end: 'iram[0x40] == 0x61'}, {as in u.vcd: p1.1}]\n"
        "- name: two\n  for: {x: 0..9}\n  call: double\n  given: {a: x}\n  expect: [{at end: a == x * 2}]\n");
    expect_said("cp " SOURCE_FOLDER "/parts/*.yaml . && mv mcs51-8k.yaml part.yaml; spindle trial --keep", 0,
                "2 passed,", NULL);
    expect_said("spindle trial", 0, "2 passed, 0", NULL);
    for (unsigned i = 0; i < sizeof changes / sizeof *changes; i++) {
        char line[300];
        expect_said("spindle trial", 0, "2 passed (2 unchanged)", NULL);
        snprintf(line, sizeof line, "%s; spindle trial 2>&1", changes[i]);
        expect_said(line, 0, i < 5 ? "2 passed, 0" : "2 passed (1 unchanged)", NULL);
    }
    expect_said("spindle trial --json > a; spindle trial --afresh --json > b; cmp a b && echo same", 0,
                "same", NULL);
    expect_said("spindle trial --afresh", 0, "2 passed, 0", NULL);
    expect_said("spindle trial --shard 1/2", 0, "2 passed, 0", NULL);
    expect_said("spindle trial --shard 1/2", 0, "5 of 10 cases", NULL);
    /* What is not what was written is nothing. */
    expect_said("for f in cache/oakspindle/trials/*; do printf x | dd of=$f bs=1 seek=70 conv=notrunc "
                "2>/dev/null; done; "
                "spindle trial",
                0, "2 passed, 0", NULL);
    expect_said("for f in cache/oakspindle/trials/*; do truncate -s 100 $f; done; spindle trial", 0,
                "2 passed, 0", NULL);
    expect_said("for f in cache/oakspindle/trials/*; do : > $f; done; chmod -w cache; spindle trial", 0,
                "2 passed, 0", NULL);
    expect_said("chmod +w cache; export XDG_CACHE_HOME=/proc; spindle trial && spindle trial", 0,
                "2 passed, 0", "unchanged");
    /* A failure is told again. */
    expect_said("sed -i 's/x \\* 2/x/' u.trial.yaml; spindle trial > /dev/null; spindle trial", 4, "1 failed",
                NULL);
    leave_folder();
}
END_TEST

/* Killed at any moment: a report is there whole or not at all, and what is remembered is true. */
START_TEST(a_killed_tool_leaves_nothing_half_done)
{
    enter_folder();
    write_checks();
    for (unsigned i = 0; i < 30; i += STRIDE) {
        char line[500], *out, *err;
        snprintf(line, sizeof line,
                 "rm -f r.xml; timeout -s KILL 0.%03u spindle trial --junit r.xml > /dev/null 2>&1; "
                 "test ! -e r.xml || xmllint --noout r.xml",
                 5 + 9 * i);
        int code = inside(line, &out, &err);
        ck_assert_msg(code == 0, "%u: %s%s", i, out, err);
        free(out);
        free(err);
    }
    expect_said("spindle trial --json > a; spindle trial --afresh --json > b; cmp a b && echo same", 0,
                "same", NULL);
    leave_folder();
}
END_TEST

/* Every line is counted in every case of every shard, and what the shards say together is what one run says. */
START_TEST(lines_that_have_run_are_counted)
{
    enter_folder();
    write_file("shuttle.asm", program);
    write_file(
        "c.trial.yaml", TOP
        "- name: all\n  for: {x: 1..6}\n  run: 13 cycles\n  given: {r5: x}\n  expect: [{at end: r5 == x}]\n");
    /* 13 cycles: up to `acall fro`, which takes two of them, and `push` */
    expect_said("spindle trial --coverage c.info", 0,
                "shuttle.asm: 9 of 17 lines have run (52.9 %); never: 10-11, 13-18", NULL);
    expect_said("cat c.info", 0, "TN:\nSF:shuttle.asm\nDA:2,6\nDA:3,6\nDA:4,6\nDA:5,6\n", NULL);
    expect_said("tail -3 c.info", 0, "LF:17\nLH:9\nend_of_record\n", NULL);
    expect_said(
        "spindle trial --json --coverage whole.info > whole; for k in 1 2 3; do spindle trial --json --shard "
        "$k/3 "
        "--coverage x.info > $k; done; spindle trial --merge --json --coverage m.info 3 1 2 > merged; "
        "cmp whole merged && cmp whole.info m.info && echo same",
        0, "same", NULL);
    expect_said("spindle trial --json > plain; spindle trial --merge --coverage m.info plain", 1,
                "no document says", NULL);
    leave_folder();
}
END_TEST

/* The page of the manual: shards by GNU parallel, as many as there are, give what one run gives. */
START_TEST(shards_run_in_parallel)
{
    enter_folder();
    write_checks();
    expect_said("spindle trial --json > whole; parallel --will-cite spindle trial --shard '{}/16' --json '>' "
                "'{}.json' ::: $(seq 16); "
                "spindle trial --merge --json ?.json ??.json > merged; cmp whole merged && echo same",
                0, "same", NULL);
    leave_folder();
}
END_TEST

RUN_SUITE("trial", data_may_come_from_files_and_failures_become_simple,
          runs_are_held_against_those_that_were_kept, cases_that_share_their_beginning_are_as_if_alone,
          unchanged_trials_are_not_run_again, a_killed_tool_leaves_nothing_half_done,
          lines_that_have_run_are_counted, shards_run_in_parallel,
          every_kind_of_expectation_passes_and_fails_where_it_has_to, any_number_of_processes_finds_the_same,
          shards_put_together_are_the_whole, what_a_trial_is_given_serves_run_and_bench,
          other_programs_can_read_what_is_written, wrong_files_are_told_with_line_and_column,
          the_trials_of_every_example_pass, a_broken_promise_is_found)
