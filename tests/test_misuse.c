/* Every command called wrongly: it says what is wrong and what to write instead, on standard error and nowhere else, with the exit
 * code that scripts rely on; with --json the same as a document; and no file is left behind or touched. */
#include "support.h"

#include <stdio.h>
#include <unistd.h>

#include <cjson/cJSON.h>

/* `@` stands for the source of the lathe, `$` for the same with its part. */
static const struct {
    const char *arguments;
    int exit_code;
    const char *message, *remedy;
} calls[] = {
    {"asn", 2, "there is no command `asn`", "Did you mean `spindle asm`?"},
    {"frobnicate", 2, "there is no command `frobnicate`", "`spindle --help` shows how to use it."},
    {"asm", 2, "no source file is given", "`spindle asm --help`"},
    {"asm nofile.asm --part mcs51-8k", 1, "nofile.asm: error: the source cannot be read", ""},
    {"asm @", 2, "no part is given", "--part mcs51-8k. `spindle parts` lists them."},
    {"asm $ -o /nowhere/x.hex", 1, "cannot write /nowhere/x.hex", "Does the folder exist"},
    {"asm $ --listing /nowhere/x.lst -o /tmp/oak-misuse.hex", 1, "cannot write /nowhere/x.lst",
     "Does the folder exist"},
    {"asm $ --record 300", 2, "--record takes 1 to 255 bytes", ""},
    {"asm $ --outputt x", 2, "--outputt: there is no such option", "Did you mean --output?"},
    {"asm @ --part mcs51-9k", 2, "there is no part `mcs51-9k`", "Did you mean mcs51-4k?"},
    {"asm @ --part ./nochip.yaml", 1, "nochip.yaml", ""},
    {"asm $ -w nonsense=off", 2, "`nonsense=off` sets no warning", "Codes: runs-off"},
    {"asm $ -w runs-off=maybe", 2, "`runs-off=maybe` sets no warning", "off, on or error"},
    {"run", 2, "no program is given", "`spindle run --help`"},
    {"run $ --time 5", 2, "`5` is no time", "Write --time 5ms"},
    {"run $ --stop-at nowher", 1, "symbol `nowher`", "^^^^^^"},
    {"run $ --stop-at x", 1, "symbol `x`", "^"},
    {"run $ --stop-at lathe.asm:9999", 1, "no code belongs to `lathe.asm:9999`", ""},
    {"run $ --stop-at \"main every 0\"", 1, "a number from 1", "Write `--stop-at"},
    {"run $ --stop-at \"main if nothing\"", 1, "symbol `nothing`", ""},
    {"run $ --set a", 1, "this sets nothing", "Write EXPR=VALUE"},
    {"run $ --set a=300", 1, "300 does not fit 8 bits", ""},
    {"run $ --set nothing=1", 1, "symbol `nothing`", ""},
    {"run $ --show \"a as foo\"", 1, "behind `as`, `foo` means nothing", "1, 2 or 4 bytes"},
    {"run $ --show \"iram[0x70..0x10]\"", 1, "has no internal RAM from 0x70 to 0x10", ""},
    {"run $ --show \"iram[0x10..0x900]\"", 1, "has no internal RAM", ""},
    {"run $ --state-in nofile", 1, "there is no such state file", "--state-out"},
    {"run $ --state-out /nowhere/s.json --steps 5", 1, "cannot write /nowhere/s.json", ""},
    {"run $ --board nofile", 1, "there is no such board file", "docs/boards.md"},
    {"run $ --stimuli nofile", 1, "nofile", ""},
    {"run $ --drive \"p9.0 = 1\"", 1, "the part has no such pin", "^^^^"},
    {"run $ --drive \"p1.0 = maybe\"", 1, "drive", "Write"},
    {"run $ --notice foo=stop", 2, "`foo=stop` sets no notice", "Kinds: contention"},
    {"run $ --pace fast", 2, "`fast` is no pace", "--pace 10%"},
    {"run $ --board examples/lathe/board.yaml --act \"door open 5ms\"", 1,
     "`door open 5ms` is nothing one could do", "open, close, toggle"},
    {"run $ --clock 11.0592", 2, "`11.0592` without a unit would be 11.0592 Hz", "Write --clock 11.0592MHz"},
    {"run $ --clock 0", 2, "`0` is no clock frequency", "11.0592MHz"},
    {"run $ --steps -5", 2, "a budget is a whole number from 1", ""},
    {"run $ --cycles five", 2, "five", ""},
    {"run $ --lap main", 2, "`main` is no lap", "'p1.1 rises to p0.0 falls'"},
    {"run $ --lap \"p3.2 rise to main\"", 1, "`rise` says nothing of pin `p3.2`",
     "A pin rises, falls or changes"},
    {"run $ --lap \"p3.2 falls to its return\"", 1, "`p3.2 falls` returns nowhere", "label of a subroutine"},
    {"run $ --lap \"p9.2 falls to main\"", 1, "the part has no such pin", "p1.3"},
    {"run $ --lap \"main to nowhere\"", 1, "symbol `nowhere`", ""},
    {"run $ --act \"door open\"", 2, "--act needs a board", "--board F"},
    {"run $ --attach term", 1, "the board has no terminal `term`", "kind terminal"},
    {"run $ --record nothing", 1, "nothing", ""},
    {"run $ --mark nothing", 1, "symbol `nothing`", ""},
    {"run nofile.hex --part mcs51-8k", 1, "there is no such file", "Intel HEX file"},
    {"wave $ --time 1ms -o /nowhere/x.png", 1, "cannot write /nowhere/x.png", ""},
    {"wave nofile.vcd", 1, "there is no such dump", "--dump F.vcd"},
    {"wave $ --from 5ms --to 1ms", 2, "the window ends where it begins", "--from and --to"},
    {"bench", 2, "no program is given", "`spindle bench --help`"},
    {"bench nofile.asm --part mcs51-8k", 1, "there is no such file", ""},
    {"bench $ -x nofile", 1, "nofile: error", "A script has a verb a line."},
    {"bench $ --stop-at nowher", 1, "symbol `nowher`", ""},
    {"parts mcs51-9k", 2, "there is no part `mcs51-9k`", "Did you mean mcs51-4k?"},
    {"look nofile.hex --part mcs51-8k", 1, "there is no such file", ""},
    {"look", 2, "", "`spindle look --help`"},
    {"explain", 2, "nothing to explain is given", "`spindle explain --help`"},
    {"explain zzz", 2, "`zzz` is no instruction", "Give a mnemonic (djnz)"},
    {"new", 2, "one folder is needed", ""},
    {"new /tmp/oak-misuse", 2, "no part is given", "--part mcs51-8k"},
    {"new /tmp/oak-misuse --part zz", 2, "there is no part `zz`", "--part ./chip.yaml"},
};
enum { CALLS = sizeof calls / sizeof *calls };

static void write_out(const char *arguments, char *text, size_t room)
{
    size_t used = 0;
    for (; *arguments && used + 80 < room; arguments++) {
        if (*arguments == '@') used += (size_t)snprintf(text + used, room - used, "examples/lathe/lathe.asm");
        else if (*arguments == '$')
            used += (size_t)snprintf(text + used, room - used, "examples/lathe/lathe.asm --part mcs51-8k");
        else text[used++] = *arguments;
    }
    text[used] = 0;
}

static int call(const char *arguments, const char *more, char **out, char **err)
{
    char written[800], command[1200];
    write_out(arguments, written, sizeof written);
    snprintf(command, sizeof command, "cd " SOURCE_FOLDER " && timeout -s KILL 60 " SPINDLE " %s%s", written,
             more);
    return shell(command, out, err);
}

START_TEST(a_wrong_call_is_told_with_a_way_out_and_an_exit_code)
{
    for (unsigned i = 0; i < CALLS; i++) {
        char *out, *err;
        int exit_code = call(calls[i].arguments, "", &out, &err);
        ck_assert_msg(exit_code == calls[i].exit_code, "spindle %s: exit code %d\n%.800s", calls[i].arguments,
                      exit_code, err);
        ck_assert_msg(strstr(err, calls[i].message) != NULL, "spindle %s: no `%s` in\n%.800s",
                      calls[i].arguments, calls[i].message, err);
        ck_assert_msg(strstr(err, calls[i].remedy) != NULL, "spindle %s: no `%s` in\n%.800s",
                      calls[i].arguments, calls[i].remedy, err);
        ck_assert_msg(strstr(err, "error:") != NULL || exit_code == 2, "spindle %s: %.800s",
                      calls[i].arguments, err);
        ck_assert_msg(!strchr(err, 27), "spindle %s: colours where nobody sees them", calls[i].arguments);
        free(out);
        free(err);
    }
    ck_assert_int_ne(access("/tmp/oak-misuse", F_OK), 0);
    unlink("/tmp/oak-misuse.hex");
}
END_TEST

START_TEST(with_json_a_wrong_call_is_one_document_with_the_same_exit_code)
{
    unsigned documents = 0;
    for (unsigned i = 0; i < CALLS; i++) {
        char *out, *err;
        bool takes_json =
            strncmp(calls[i].arguments, "asm ", 4) == 0 || strncmp(calls[i].arguments, "run ", 4) == 0;
        if (!takes_json || calls[i].exit_code != 1 || strstr(calls[i].arguments, "/nowhere")) continue;
        int exit_code = call(calls[i].arguments, " --json", &out, &err);
        ck_assert_msg(exit_code == 1, "spindle %s --json: exit code %d", calls[i].arguments, exit_code);
        cJSON *root = cJSON_Parse(out);
        ck_assert_msg(root != NULL, "spindle %s --json: no document:\n%.800s", calls[i].arguments, out);
        const cJSON *list = cJSON_GetObjectItem(root, "diagnostics");
        ck_assert_msg(cJSON_GetArraySize(list) >= 1, "spindle %s --json: %.800s", calls[i].arguments, out);
        const cJSON *first = cJSON_GetArrayItem(list, 0);
        ck_assert(cJSON_IsString(cJSON_GetObjectItem(first, "message")));
        ck_assert(cJSON_IsString(cJSON_GetObjectItem(first, "code")));
        ck_assert_msg(strstr(out, calls[i].message) != NULL || strchr(calls[i].message, ':'),
                      "spindle %s --json: %.800s", calls[i].arguments, out);
        documents++;
        cJSON_Delete(root);
        free(out);
        free(err);
    }
    ck_assert_uint_gt(documents, 12);
}
END_TEST

START_TEST(what_was_there_before_is_not_touched_by_a_call_that_fails)
{
    char folder[80], command[1200], *out, *err;
    snprintf(folder, sizeof folder, "/tmp/oak-keep-%d", (int)getpid());
    snprintf(command, sizeof command,
             "mkdir -p %s && cd %s && printf ' org 0\\nmain: nop\\n sjmp main\\n' >good.asm && printf ' org "
             "0\\n mvo a, b\\n' >bad.asm && " SPINDLE
             " asm good.asm --part mcs51-8k -o out.hex --listing out.lst --symbols out.json && cp out.hex "
             "was.hex && cp out.lst "
             "was.lst && cp out.json was.json; " SPINDLE
             " asm bad.asm --part mcs51-8k -o out.hex --listing out.lst --symbols "
             "out.json; echo \"rc $?\"; cmp out.hex was.hex && cmp out.lst was.lst && cmp out.json was.json "
             "&& echo same; ls -A",
             folder, folder);
    ck_assert_int_eq(shell(command, &out, &err), 0);
    ck_assert_msg(strstr(out, "rc 1") && strstr(out, "same"), "%s%s", out, err);
    ck_assert_ptr_nonnull(strstr(err, "bad.asm:2:2: error:"));
    unsigned files = 0;
    for (const char *p = strstr(out, "same"); (p = strchr(p, '\n')) && p[1]; p++) files++;
    ck_assert_uint_eq(files, 8); /* nothing half written beside them */
    free(out), free(err);
    snprintf(command, sizeof command,
             "cd %s && echo keep >s.json && " SPINDLE
             " run good.asm --part mcs51-8k --state-out s.json --stop-at nowhere; cat "
             "s.json; rm -r %s",
             folder, folder);
    shell(command, &out, &err);
    ck_assert_str_eq(out, "keep\n");
    free(out), free(err);
}
END_TEST

START_TEST(every_command_tells_of_itself_with_examples)
{
    static const char *const commands[] = {"asm", "run", "wave", "bench", "parts", "look", "explain", "new"};
    for (unsigned i = 0; i < sizeof commands / sizeof *commands; i++) {
        char *out, *err, *again, *ignored, name[40];
        snprintf(name, sizeof name, "%s --help", commands[i]);
        ck_assert_int_eq(call(name, "", &out, &err), 0);
        ck_assert_str_eq(err, "");
        char usage[60];
        snprintf(usage, sizeof usage, "usage: spindle %s", commands[i]);
        ck_assert_msg(strncmp(out, usage, strlen(usage)) == 0, "%.200s", out);
        ck_assert_ptr_nonnull(strstr(out, "example"));
        for (const char *line = out; line; line = strchr(line, '\n') ? strchr(line, '\n') + 1 : NULL)
            ck_assert_msg(strcspn(line, "\n") <= 100, "spindle %s --help: a line of %zu", commands[i],
                          strcspn(line, "\n"));
        snprintf(name, sizeof name, "help %s", commands[i]);
        call(name, "", &again, &ignored);
        ck_assert_str_eq(out, again);
        free(out), free(err), free(again), free(ignored);
    }
}
END_TEST

RUN_SUITE("misuse", a_wrong_call_is_told_with_a_way_out_and_an_exit_code,
          with_json_a_wrong_call_is_one_document_with_the_same_exit_code,
          what_was_there_before_is_not_touched_by_a_call_that_fails,
          every_command_tells_of_itself_with_examples)
