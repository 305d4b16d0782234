/* A file of a stranger can be wrong; it cannot get in, keep the tool busy, use up the machine, or speak to the terminal. */
#include "support.h"

#include <pty.h>
#include <signal.h>
#include <stdio.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <termios.h>
#include <time.h>
#include <unistd.h>
#include <utmp.h>

#include <cjson/cJSON.h>

static char path[200];

static const char *write_file(const char *ending, const char *bytes, size_t size)
{
    snprintf(path, sizeof path, "/tmp/oak-trust-%d%s", (int)getpid(), ending);
    FILE *file = fopen(path, "wb");
    ck_assert_ptr_ne(file, NULL);
    ck_assert_uint_eq(fwrite(bytes, 1, size, file), size);
    fclose(file);
    return path;
}

static int spindle(const char *arguments, char **out, char **err)
{
    char line[1000];
    snprintf(line, sizeof line, "timeout 60 " SPINDLE " %s", arguments);
    return shell(line, out, err);
}

/* ------------------------------------------------------------------------------------------ it ends */

static void refused_soon(const char *arguments, const char *wanted)
{
    char *out, *err;
    int result = spindle(arguments, &out, &err);
    ck_assert_msg(result == 1, "%s: exit code %d\n%.500s", arguments, result, err);
    ck_assert_msg(strstr(err, wanted) != NULL, "%s: no `%s` in\n%.800s", arguments, wanted, err);
    free(out);
    free(err);
}

static void source_is_refused_soon(const char *source, size_t size, const char *wanted)
{
    char arguments[400];
    snprintf(arguments, sizeof arguments, "asm %s --part mcs51-64k -o /tmp/oak-trust.hex",
             write_file(".asm", source, size));
    refused_soon(arguments, wanted);
    unlink(path);
}

START_TEST(repetitions_inside_each_other_are_bounded_in_all)
{
    static const char empty[] = " repeat 1000\n repeat 1000\n repeat 1000\n endr\n endr\n endr\n";
    static const char full[] =
        " repeat 1000, a\n repeat 1000, b\n repeat 1000, c\n db 1\n endr\n endr\n endr\n";
    source_is_refused_soon(empty, sizeof empty - 1, "rounds in all");
    source_is_refused_soon(full, sizeof full - 1, "make more than 16 MiB of text");
}
END_TEST

START_TEST(a_macro_that_calls_itself_twice_ends_at_the_first_error)
{
    static const char source[] = "m macro\n frob\n m\n m\n endm\n m\n";
    source_is_refused_soon(source, sizeof source - 1, "nested more than 64 deep");
}
END_TEST

START_TEST(constants_that_double_each_other_are_worked_out_once)
{
    for (int forwards = 0; forwards < 2; forwards++) {
        text source = {0};
        oak_text_sink sink = text_sink(&source);
        char line[60];
        for (int n = 0; n <= 40; n++) {
            int i = forwards ? n : 40 - n;
            int length = i == 40 ? snprintf(line, sizeof line, "k40 equ 3\n")
                                 : snprintf(line, sizeof line, "k%d equ k%d + k%d\n", i, i + 1, i + 1);
            sink.write(sink.context, line, (size_t)length);
        }
        static const char rest[] = " assert k0 == 3 << 40, \"sum\"\nx: mov a, #low(k0 >> 40)\n sjmp x\n";
        sink.write(sink.context, rest, sizeof rest - 1);
        oak_part *part = load_part("mcs51-8k");
        collected diags;
        alarm(20);
        oak_program *program = assemble(part, source.bytes, &diags);
        alarm(0);
        ck_assert_ptr_ne(program, NULL);
        uint8_t byte;
        ck_assert(oak_image_byte(oak_program_image(program), 1, &byte) && byte == 3);
        oak_program_free(program);
        oak_part_free(part);
        free(source.bytes);
    }
}
END_TEST

START_TEST(thousands_of_misspelt_names_among_many_are_told_soon)
{
    text source = {0};
    oak_text_sink sink = text_sink(&source);
    char line[60];
    for (int i = 0; i < 100000; i++)
        sink.write(sink.context, line, (size_t)snprintf(line, sizeof line, "name%d equ %d\n", i, i));
    size_t names = source.size;
    for (int i = 0; i < 3000; i++)
        sink.write(sink.context, line, (size_t)snprintf(line, sizeof line, " mov a, nmae%d\n", i));
    source_is_refused_soon(source.bytes, source.size, "Did you mean `name");
    source.size = names;
    for (int i = 0; i < 3000; i++)
        sink.write(sink.context, line, (size_t)snprintf(line, sizeof line, " mvo%d a, #1\n", i));
    source_is_refused_soon(source.bytes, source.size, "Did you mean `mov`?");
    free(source.bytes);
}
END_TEST

START_TEST(what_is_nested_too_deep_is_refused_before_it_is_read)
{
    enum { DEEP = 100000 };
    char *brackets = malloc(DEEP), arguments[400];
    memset(brackets, '[', DEEP);
    snprintf(arguments, sizeof arguments, "parts %s", write_file(".yaml", brackets, DEEP));
    refused_soon(arguments, "nested deeper");
    snprintf(arguments, sizeof arguments,
             "run " SOURCE_FOLDER "/examples/lathe/lathe.asm --part mcs51-8k --board %s", path);
    refused_soon(arguments, "nested deeper");
    for (int i = 0; i < DEEP; i++) brackets[i] = i % 2 ? ' ' : '-';
    snprintf(arguments, sizeof arguments, "parts %s", write_file(".yaml", brackets, DEEP));
    refused_soon(arguments, "nested deeper");
    unlink(path);
    free(brackets);
}
END_TEST

/* A host that knows how much it has given at most. */
static size_t live, most;
static void *count_resize(void *context, void *block, size_t old_size, size_t new_size)
{
    (void)context;
    live = live - (block ? old_size : 0) + new_size;
    if (live > most) most = live;
    if (new_size) return realloc(block, new_size);
    free(block);
    return NULL;
}

START_TEST(a_label_takes_less_than_120_bytes)
{
    enum { LABELS = 600000 };
    text source = {0};
    oak_text_sink sink = text_sink(&source);
    char line[40];
    for (int i = 0; i < LABELS; i++)
        sink.write(sink.context, line, (size_t)snprintf(line, sizeof line, "l%d:\n", i));
    sink.write(sink.context, " sjmp $\n", 8);
    oak_part *part = load_part("mcs51-64k");
    oak_host host = {.resize = count_resize};
    oak_program *program;
    collected diags = {0};
    oak_diag_sink to = collect(&diags);
    live = most = 0;
    ck_assert_int_eq(oak_assemble_text(&host, part, "l.asm", source.bytes, source.size, &to, &program),
                     OAK_OK);
    ck_assert_msg(most / LABELS < 120, "%zu bytes a label", most / LABELS);
    const oak_symbol *last = oak_program_find(program, "l599999", 7);
    ck_assert(last && last->line == LABELS && last->value == 0);
    oak_program_free(program);
    ck_assert_uint_eq(live, 0);
    oak_part_free(part);
    free(source.bytes);
}
END_TEST

/* ------------------------------------------------------------------------------------------ nobody gets in */

START_TEST(a_memory_larger_than_its_space_is_refused)
{
    static const struct {
        const char *memory, *wanted;
    } wrong[] = {
        {"{space: iram, kind: ram, at: 0, size: 257}", "ends behind the last address of `iram`, 0xff"},
        {"{space: iram, kind: ram, at: 0x80, size: 0x81}", "ends behind the last address of `iram`, 0xff"},
        {"{space: code, kind: rom, at: 0, size: 0x10001}", "ends behind the last address of `code`, 0xffff"},
        {"{space: xram, kind: ram, at: 1, size: 0x10000}", "ends behind the last address of `xram`, 0xffff"},
        {"{space: sfr, kind: ram, at: 0x80, size: 16}", "`sfr` (special function registers) holds no memory"},
        {"{space: iram, kind: ram, at: 0, size: 0}", "this memory has no bytes"}};
    char text[300], arguments[300];
    for (size_t i = 0; i < sizeof wrong / sizeof *wrong; i++) {
        int length = snprintf(text, sizeof text, "part: q\nextends: mcs51-8k\ntitle: q\nmemories:\n  - %s\n",
                              wrong[i].memory);
        snprintf(arguments, sizeof arguments, "parts %s", write_file(".yaml", text, (size_t)length));
        refused_soon(arguments, wrong[i].wanted);
    }
    static const char huge[] = "part: q\nextends: armv6m-32k\ntitle: q\nmemories:\n  - {space: mem, kind: "
                               "ram, at: 0x40000000, size: 0x80000000}\n";
    snprintf(arguments, sizeof arguments, "parts %s", write_file(".yaml", huge, sizeof huge - 1));
    refused_soon(arguments, "the simulator keeps at most 67108864 of each");
    static const char place[] = "part: q\nextends: mcs51-8k\ntitle: q\nregisters:\n  - {name: Q, at: 0x20}\n";
    snprintf(arguments, sizeof arguments, "parts %s", write_file(".yaml", place, sizeof place - 1));
    refused_soon(arguments, "`sfr` has addresses 0x80 to 0xff");
    unlink(path);
}
END_TEST

START_TEST(a_machine_is_not_made_of_a_part_whose_memories_do_not_fit)
{
    oak_host host = oak_linux_host();
    oak_part *part = load_part("mcs51-8k");
    for (unsigned i = 0; i < part->memory_count; i++) {
        oak_part_memory memories[16];
        oak_part other = *part;
        oak_machine *machine = NULL;
        memcpy(memories, part->memories, part->memory_count * sizeof *memories);
        memories[i].size = 0x10001;
        other.memories = memories;
        ck_assert_int_eq(oak_machine_create(&host, &other, &machine), OAK_OUT_OF_RANGE);
        memories[i] = part->memories[i];
        ck_assert_int_eq(oak_machine_create(&host, &other, &machine), OAK_OK);
        oak_machine_free(machine);
    }
    oak_part_free(part);
}
END_TEST

START_TEST(a_lap_that_cannot_be_made_leaves_nothing_behind)
{
    bench b;
    bench_open(&b, "mcs51-8k", "loop: inc a\n sjmp loop\n");
    ck_assert_int_eq(oak_session_add_lap(b.session, "nowhere", "loop", &b.sink), OAK_REFUSED);
    ck_assert_int_eq(oak_session_add_lap(b.session, "loop", "nowhere", &b.sink), OAK_REFUSED);
    bench_run(&b, 300, 0); /* would end a lap that is not there */
    ck_assert_ptr_eq(oak_session_lap(b.session, 0), NULL);
    ck_assert_int_eq(oak_session_add_lap(b.session, "loop", "loop", &b.sink), OAK_OK);
    bench_run(&b, 300, 0);
    ck_assert_uint_eq(oak_session_lap(b.session, 0)->shortest, 3);
    ck_assert_uint_eq(oak_session_lap(b.session, 0)->longest, 3);
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ what is said */

static void no_controls(const char *bytes, const char *of)
{
    for (const unsigned char *p = (const unsigned char *)bytes; *p; p++) {
        bool c1 = *p == 0xC2 && p[1] >= 0x80 && p[1] < 0xA0;
        ck_assert_msg((*p >= ' ' || *p == '\n' || *p == '\t') && *p != 127 && !c1,
                      "%s prints byte %02x: %.100s", of, *p, bytes);
    }
}

START_TEST(control_characters_of_strangers_are_shown_and_not_sent)
{
    static const char part[] = "part: \"q\\e[31m\"\nextends: mcs51-8k\ntitle: "
                               "\"ti\\x9btle\\e[2J\"\nfeatures:\n  - {name: \"f\\e[1m\", title: \"\\x07\"}\n";
    static const char source[] =
        " error \"\x1b]0;title\x07\"\n frob \x1b[2J\xc2\x9b a\n mov a, \x9b\n warning \"\\x1b[31m\"\n";
    static const char symbols[] = "{\"symbols\":[{\"name\":\"l\\u001b[31m\",\"kind\":\"label\",\"space\":"
                                  "\"code\",\"value\":0,\"file\":\"\\u009b.asm\",\"line\":1}],\"lines\":[]}";
    static const char serial[] =
        "start: mov scon, #0x50\n mov tmod, #0x20\n mov th1, #0xff\n setb tr1\n mov sbuf, #0x1b\nw: jnb ti, "
        "w\n clr ti\n mov sbuf, #'['\nv: jnb ti, v\nx: sjmp x\n";
    char *out, *err, line[900], name[300];
    static const char *const uses[] = {"parts %s",
                                       "run " SOURCE_FOLDER "/examples/lathe/lathe.asm --part %s --steps 5",
                                       "asm nofile --part %s"};
    for (size_t i = 0; i < sizeof uses / sizeof *uses; i++) {
        snprintf(line, sizeof line, uses[i], write_file(".yaml", part, sizeof part - 1));
        spindle(line, &out, &err);
        no_controls(out, line);
        no_controls(err, line);
        free(out);
        free(err);
    }
    unlink(path);
    snprintf(name, sizeof name, "'%s'", write_file("\x1b[31m\xc2\x9b.asm", source, sizeof source - 1));
    snprintf(line, sizeof line, "asm %s --part mcs51-8k", name);
    ck_assert_int_eq(spindle(line, &out, &err), 1);
    no_controls(err, line);
    ck_assert_ptr_ne(strstr(err, "\\x1b]0;title\\x07"), NULL); /* shown */
    ck_assert_ptr_ne(strstr(err, "\\x1b[31m\\u009b.asm:2"), NULL);
    free(out);
    free(err);
    unlink(path);
    char hex[300];
    snprintf(hex, sizeof hex, "%s", write_file(".hex", ":0200000080FE80\n:00000001FF\n", 29));
    snprintf(line, sizeof line, "look %s --part mcs51-8k --symbols %s", hex,
             write_file(".json", symbols, sizeof symbols - 1));
    spindle(line, &out, &err);
    no_controls(out, line);
    no_controls(err, line);
    free(out);
    free(err);
    snprintf(line, sizeof line, "run %s --part mcs51-8k --symbols %s --steps 5", hex, path);
    spindle(line, &out, &err);
    no_controls(out, line);
    no_controls(err, line);
    free(out);
    free(err);
    unlink(path);
    unlink(hex);
    snprintf(line, sizeof line, "run %s --part mcs51-8k --time 20ms",
             write_file(".asm", serial, sizeof serial - 1));
    ck_assert_int_eq(spindle(line, &out, &err), 0);
    no_controls(out, line);
    ck_assert_ptr_ne(strstr(out, "\\x1b["), NULL);
    free(out);
    free(err);
    unlink(path);
}
END_TEST

/* Runs the tool on a terminal of its own and reads what comes out; with a signal after so many milliseconds. */
static int on_terminal(const char *const *arguments, int number, char *seen, size_t room, bool *same)
{
    struct termios before, after;
    int master, slave;
    size_t count = 0;
    ck_assert_int_eq(openpty(&master, &slave, NULL, NULL, NULL), 0);
    tcgetattr(slave, &before);
    pid_t child = fork();
    if (!child) {
        login_tty(slave);
        setenv("TERM", "xterm", 1);
        execv(SPINDLE, (char *const *)(uintptr_t)arguments);
        _exit(127);
    }
    int status = 0, waited = 0;
    for (bool told = false; !waitpid(child, &status, WNOHANG); waited++) {
        struct timespec pause = {0, 10000000};
        struct timeval none = {0, 0};
        fd_set ready;
        FD_ZERO(&ready);
        FD_SET(master, &ready);
        if (select(master + 1, &ready, NULL, NULL, &none) > 0) {
            ssize_t part = read(master, seen + count, room - 1 - count);
            if (part > 0) count += (size_t)part;
        } else nanosleep(&pause, NULL);
        seen[count] = 0;
        bool settled = number && waited > 60;
        if (settled && !told) kill(child, number), told = true;
        ck_assert_int_lt(waited, 3000);
    }
    for (struct timeval soon = {0, 200000};;
         soon = (struct timeval){0, 50000}) { /* what is still on its way */
        fd_set ready;
        FD_ZERO(&ready);
        FD_SET(master, &ready);
        if (select(master + 1, &ready, NULL, NULL, &soon) <= 0) break;
        ssize_t part = read(master, seen + count, room - 1 - count);
        if (part <= 0) break;
        seen[count += (size_t)part] = 0;
    }
    tcgetattr(slave, &after);
    *same =
        before.c_lflag == after.c_lflag && before.c_iflag == after.c_iflag && before.c_oflag == after.c_oflag;
    close(master);
    close(slave);
    return status;
}

START_TEST(a_terminal_is_left_as_it_was_whatever_ends_the_tool)
{
#define LATHE                                                                                                \
    SOURCE_FOLDER "/examples/lathe/lathe.asm", "--part", "mcs51-8k", "--board",                              \
        SOURCE_FOLDER "/examples/lathe/board.yaml"
    static const char *const sessions[][14] = {
        {"spindle", "bench", LATHE, NULL},
        {"spindle", "bench", "--view", LATHE, NULL},
        {"spindle", "run", SOURCE_FOLDER "/examples/extractor/extractor.asm", "--part", "mcs51-8k", "--board",
         SOURCE_FOLDER "/examples/extractor/board.yaml", "--attach", "terminal", "--pace", "1", "--time",
         "100s", NULL},
        {"spindle", "asm", SOURCE_FOLDER "/examples/lathe/lathe.asm", "--part", "mcs51-8k", "-o",
         "/tmp/oak-trust-watch.hex", "--watch", NULL}};
    static const int signals[] = {SIGTERM, SIGHUP};
    static char seen[1 << 18];
    for (size_t i = 0; i < sizeof sessions / sizeof *sessions; i++)
        for (size_t s = 0; s < sizeof signals / sizeof *signals; s++) {
            bool same;
            int status = on_terminal(sessions[i], signals[s], seen, sizeof seen, &same);
            ck_assert_msg(same, "%s %s changes the terminal", sessions[i][1], sessions[i][2]);
            ck_assert_msg(WIFSIGNALED(status) ? WTERMSIG(status) == signals[s] : WEXITSTATUS(status) == 0,
                          "%s: status %x", sessions[i][1], status);
        }
    unlink("/tmp/oak-trust-watch.hex");
}
END_TEST

START_TEST(what_the_chip_sends_reaches_an_attached_terminal_as_text_unless_asked_otherwise)
{
    static const char program[] = "start: mov scon, #0x50\n mov tmod, #0x20\n mov th1, #0xfd\n mov tl1, "
                                  "#0xfd\n setb tr1\n mov dptr, #said\n"
                                  "next: clr a\n movc a, @a+dptr\n jz rest\n inc dptr\n mov sbuf, a\nw: jnb "
                                  "ti, w\n clr ti\n sjmp next\nrest: sjmp rest\n"
                                  "said: db \"go\\e[31mred\\r\\n\", 0\n";
    static const char board[] = "board: t\nclock: 11.0592MHz\nstand-ins:\n  t: {kind: terminal, baud: 9600, "
                                "wires: {from-chip: p3.1}}\n";
    char source[300], board_path[300], seen[20000];
    bool same;
    snprintf(source, sizeof source, "%s", write_file(".asm", program, sizeof program - 1));
    snprintf(board_path, sizeof board_path, "%s", write_file(".yaml", board, sizeof board - 1));
    for (int as_is = 0; as_is < 2; as_is++) {
        const char *const arguments[] = {"spindle",
                                         "run",
                                         source,
                                         "--part",
                                         "mcs51-8k",
                                         "--board",
                                         board_path,
                                         "--attach",
                                         "t",
                                         "--time",
                                         "100ms",
                                         "--brief",
                                         as_is ? "--as-is" : "--brief",
                                         NULL};
        ck_assert_int_eq(on_terminal(arguments, 0, seen, sizeof seen, &same), 0);
        ck_assert_msg(strstr(seen, as_is ? "go\x1b[31mred\r" : "go\\x1b[31mred\r") != NULL, "%s", seen);
        ck_assert(same);
    }
    unlink(source);
    unlink(board_path);
}
END_TEST

/* The text is UTF-8 throughout. */
static bool is_utf8(const char *bytes)
{
    for (const unsigned char *p = (const unsigned char *)bytes; *p;) {
        size_t size = *p < 0x80                 ? 1
                      : *p >= 0xC2 && *p < 0xE0 ? 2
                      : (*p & 0xF0) == 0xE0     ? 3
                      : *p >= 0xF0 && *p < 0xF5 ? 4
                                                : 0;
        for (size_t i = 1; i < size; i++)
            if ((p[i] & 0xC0) != 0x80) return false;
        if (!size) return false;
        p += size;
    }
    return true;
}

START_TEST(a_document_is_valid_whatever_the_source_holds)
{
    uint64_t seed = 7;
    for (int round = 0; round < 60; round++) {
        char source[200], line[400], *out, *err;
        int length = snprintf(source, sizeof source, " error \"");
        while (length < 60) {
            char byte = (char)random32(&seed);
            if (byte && byte != '\n' && byte != '"' && byte != '\\') source[length++] = byte;
        }
        length += snprintf(source + length, sizeof source - (size_t)length,
                           "\"\nx\xff\xc0\xaf\xed\xa0\x80\xf5: frob\n");
        snprintf(line, sizeof line, "asm %s --part mcs51-8k --json",
                 write_file(round % 2 ? ".asm" : "\xff.asm", source, (size_t)length));
        ck_assert_int_eq(spindle(line, &out, &err), 1);
        cJSON *document = cJSON_Parse(out);
        ck_assert_msg(document != NULL && is_utf8(out), "round %d: %s", round, out);
        cJSON_Delete(document);
        free(out);
        free(err);
        unlink(path);
    }
}
END_TEST

START_TEST(an_elf_file_without_code_is_a_whole_one)
{
    static const char *const sources[] = {"k equ 5\n", "", " section d, iram\nv: ds 2\n", "l:\n"};
    for (size_t i = 0; i < sizeof sources / sizeof *sources; i++) {
        char line[500], *out, *err, source[300];
        snprintf(source, sizeof source, "%s", write_file(".asm", sources[i], strlen(sources[i])));
        snprintf(
            line, sizeof line,
            SPINDLE
            " asm %s --part mcs51-8k -o /tmp/oak-trust.elf && readelf -aW --debug-dump /tmp/oak-trust.elf",
            source);
        ck_assert_int_eq(shell(line, &out, &err), 0);
        ck_assert_msg(!strstr(err, "arning") && !strstr(out, "arning"), "%s", err);
        free(out);
        free(err);
        unlink(source);
    }
    unlink("/tmp/oak-trust.elf");
}
END_TEST

/* ------------------------------------------------------------------------------------------ the library, without memory */

static unsigned long requests, refused_at;
static void *short_resize(void *context, void *block, size_t old_size, size_t new_size)
{
    (void)context, (void)old_size;
    if (new_size && ++requests == refused_at) return NULL;
    if (new_size) return realloc(block, new_size);
    free(block);
    return NULL;
}

/* The extractor on its board for a while: what came out of it, or the status it ended with. */
static oak_status run_extractor(uint64_t *cycles, text *state, text *dump)
{
    oak_host host = oak_linux_host();
    host.resize = short_resize;
    host.zeroed = NULL;
    oak_part *part = NULL;
    oak_program *program = NULL;
    oak_machine *machine = NULL;
    oak_session *session = NULL;
    oak_board *board = NULL;
    oak_event event;
    uint32_t outside;
    oak_diag_sink quiet = {0};
    oak_text_sink state_sink = text_sink(state), dump_sink = text_sink(dump);
    const oak_budget budget = {.cycles = 200000};
    oak_status status = oak_part_load(&host, SOURCE_FOLDER "/parts/mcs51-8k.yaml", &quiet, &part);
    if (!status)
        status =
            oak_assemble(&host, part, SOURCE_FOLDER "/examples/extractor/extractor.asm", &quiet, &program);
    if (!status) status = oak_machine_create(&host, part, &machine);
    if (!status) status = oak_machine_load(machine, oak_program_image(program), &outside);
    oak_chip_port chip = {0};
    if (!status) chip = oak_machine_port(machine);
    if (!status) status = oak_session_open(&host, &chip, program, &session);
    if (!status)
        status =
            oak_board_load(&host, SOURCE_FOLDER "/examples/extractor/board.yaml", part, NULL, &quiet, &board);
    if (!status) status = oak_board_join(board, session, 1);
    if (!status) status = oak_session_record(session, "pins", &quiet);
    if (!status) status = oak_session_run(session, &budget, &quiet, &event);
    oak_chip_time time = {0};
    if (!status) status = chip.ops->read_time(chip.chip, &time);
    *cycles = time.cycles;
    if (!status) status = oak_session_write_state(session, &state_sink);
    if (!status) status = oak_trace_write_vcd(oak_session_trace(session), &dump_sink);
    oak_session_close(session);
    oak_board_free(board);
    oak_machine_free(machine);
    oak_program_free(program);
    oak_part_free(part);
    return status;
}

START_TEST(a_run_without_memory_is_refused_or_the_same)
{
    text state = {0}, dump = {0};
    uint64_t cycles;
    requests = refused_at = 0;
    ck_assert_int_eq(run_extractor(&cycles, &state, &dump), OAK_OK);
    unsigned long total = requests;
    for (refused_at = 1; refused_at <= total; refused_at += refused_at < total - 150 ? 7 : 1) {
        text other_state = {0}, other_dump = {0};
        uint64_t other;
        requests = 0;
        oak_status status = run_extractor(&other, &other_state, &other_dump);
        if (status) ck_assert_int_eq(status, OAK_NO_MEMORY);
        else {
            ck_assert_uint_eq(other, cycles);
            ck_assert_msg(other_state.size == state.size &&
                              memcmp(other_state.bytes, state.bytes, state.size) == 0,
                          "request %lu: another state", refused_at);
            ck_assert_msg(other_dump.size == dump.size &&
                              memcmp(other_dump.bytes, dump.bytes, dump.size) == 0,
                          "request %lu: another dump", refused_at);
        }
        free(other_state.bytes);
        free(other_dump.bytes);
    }
    free(state.bytes);
    free(dump.bytes);
}
END_TEST

RUN_SUITE("trust", repetitions_inside_each_other_are_bounded_in_all,
          a_macro_that_calls_itself_twice_ends_at_the_first_error,
          constants_that_double_each_other_are_worked_out_once,
          thousands_of_misspelt_names_among_many_are_told_soon,
          what_is_nested_too_deep_is_refused_before_it_is_read, a_label_takes_less_than_120_bytes,
          a_memory_larger_than_its_space_is_refused,
          a_machine_is_not_made_of_a_part_whose_memories_do_not_fit,
          a_lap_that_cannot_be_made_leaves_nothing_behind,
          control_characters_of_strangers_are_shown_and_not_sent,
          a_terminal_is_left_as_it_was_whatever_ends_the_tool,
          what_the_chip_sends_reaches_an_attached_terminal_as_text_unless_asked_otherwise,
          a_document_is_valid_whatever_the_source_holds, an_elf_file_without_code_is_a_whole_one,
          a_run_without_memory_is_refused_or_the_same)
