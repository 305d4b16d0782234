/* support.c — see support.h. */
#include "support.h"

#include <poll.h>
#include <pty.h>
#include <signal.h>
#include <stdio.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <unistd.h>

static void take(void *context, const oak_diagnostic *d)
{
    collected *all = context;
    if (all->count < MOST_COLLECTED) {
        snprintf(all->one[all->count].code, sizeof all->one[0].code, "%s", d->code);
        snprintf(all->one[all->count].message, sizeof all->one[0].message, "%s", d->message);
        snprintf(all->one[all->count].hint, sizeof all->one[0].hint, "%s", d->hint ? d->hint : "");
        snprintf(all->one[all->count].file, sizeof all->one[0].file, "%s", d->file ? d->file : "");
        all->one[all->count].line = d->line;
        all->one[all->count].column = d->column;
        all->one[all->count].column_end = d->column_end;
        all->one[all->count].severity = d->severity;
    }
    all->count++;
}

oak_diag_sink collect(collected *into)
{
    into->count = 0;
    return (oak_diag_sink){into, take};
}

void show_collected(const collected *all)
{
    for (unsigned i = 0; i < all->count && i < MOST_COLLECTED; i++)
        fprintf(stderr, "  %u:%u-%u [%s] %s | %s\n", all->one[i].line, all->one[i].column,
                all->one[i].column_end, all->one[i].code, all->one[i].message, all->one[i].hint);
}

static oak_host *host_of_tests(void)
{
    static oak_host host;
    host = oak_linux_host();
    return &host;
}

oak_part *load_part(const char *name)
{
    char path[500];
    oak_part *part = NULL;
    collected diags;
    oak_diag_sink sink = collect(&diags);
    snprintf(path, sizeof path, SOURCE_FOLDER "/parts/%s.yaml", name);
    if (oak_part_load(host_of_tests(), path, &sink, &part)) show_collected(&diags);
    ck_assert_ptr_nonnull(part);
    return part;
}

oak_program *assemble(const oak_part *part, const char *source, collected *diags)
{
    oak_program *program = NULL;
    oak_diag_sink sink = collect(diags);
    oak_status status =
        oak_assemble_text(host_of_tests(), part, "t.asm", source, strlen(source), &sink, &program);
    ck_assert(status == OAK_OK || status == OAK_REFUSED);
    ck_assert_int_eq(status == OAK_OK, program != NULL);
    return program;
}

static void put_on_chip(bench *b)
{
    uint32_t outside;
    ck_assert_int_eq(oak_machine_create(&b->host, b->part, &b->machine), OAK_OK);
    ck_assert_int_eq(oak_machine_load(b->machine, oak_program_image(b->program), &outside), OAK_OK);
    b->chip = oak_machine_port(b->machine);
    ck_assert_int_eq(oak_session_open(&b->host, &b->chip, b->program, &b->session), OAK_OK);
    oak_session_track_changes(b->session, true);
    b->sink = collect(&b->diags);
}

void bench_open(bench *b, const char *part, const char *source)
{
    memset(b, 0, sizeof *b);
    b->host = oak_linux_host();
    b->part = load_part(part);
    b->program = assemble(b->part, source, &b->diags);
    if (!b->program) show_collected(&b->diags);
    ck_assert_ptr_nonnull(b->program);
    put_on_chip(b);
}

void bench_open_part(bench *b, const char *path, const char *source)
{
    memset(b, 0, sizeof *b);
    b->host = oak_linux_host();
    b->sink = collect(&b->diags);
    if (oak_part_load(host_of_tests(), path, &b->sink, &b->part)) show_collected(&b->diags);
    ck_assert_ptr_nonnull(b->part);
    b->program = assemble(b->part, source, &b->diags);
    if (!b->program) show_collected(&b->diags);
    ck_assert_ptr_nonnull(b->program);
    put_on_chip(b);
}

void bench_open_file(bench *b, const char *part, const char *path)
{
    memset(b, 0, sizeof *b);
    b->host = oak_linux_host();
    b->part = load_part(part);
    b->sink = collect(&b->diags);
    oak_status status = oak_assemble(&b->host, b->part, path, &b->sink, &b->program);
    if (status) show_collected(&b->diags);
    ck_assert_int_eq(status, OAK_OK);
    put_on_chip(b);
}

void bench_close(bench *b)
{
    oak_session_close(b->session);
    oak_machine_free(b->machine);
    oak_program_free(b->program);
    oak_part_free(b->part);
}

oak_event bench_run(bench *b, uint64_t cycles, uint64_t steps)
{
    oak_budget budget = {.cycles = cycles, .instructions = steps};
    oak_event event;
    ck_assert_int_eq(oak_session_run(b->session, &budget, &b->sink, &event), OAK_OK);
    return event;
}

long long value_of(bench *b, const char *expression)
{
    oak_reading reading;
    if (oak_session_value(b->session, expression, &b->sink, &reading)) {
        show_collected(&b->diags);
        ck_abort_msg("no value: %s", expression);
    }
    return reading.value;
}

uint64_t cycles_of(bench *b)
{
    oak_chip_time time;
    ck_assert_int_eq(b->chip.ops->read_time(b->chip.chip, &time), OAK_OK);
    return time.cycles;
}

static oak_status add_text(void *context, const char *bytes, size_t size)
{
    text *t = context;
    if (t->room < t->size + size + 1) {
        t->room = (t->size + size + 1) * 2;
        t->bytes = realloc(t->bytes, t->room);
    }
    memcpy(t->bytes + t->size, bytes, size);
    t->size += size;
    t->bytes[t->size] = 0;
    return OAK_OK;
}

oak_text_sink text_sink(text *t)
{
    return (oak_text_sink){t, add_text};
}

static char *read_all(const char *path)
{
    FILE *file = fopen(path, "rb");
    text t = {0};
    char buffer[4096];
    size_t count;
    add_text(&t, "", 0);
    while (file && (count = fread(buffer, 1, sizeof buffer, file)) > 0) add_text(&t, buffer, count);
    if (file) fclose(file);
    unlink(path);
    return t.bytes;
}

/* Documents of --json are kept for tests/documents, which holds them against docs/schema. */
static void keep_document(const char *command, const char *out)
{
    const char *folder = getenv("OAK_DOCUMENTS");
    uint64_t hash = 0xCBF29CE484222325u;
    char path[400];
    if (!folder || *out != '{' || !strstr(command, "--json")) return;
    for (const char *p = command; *p; p++) hash = (hash ^ (uint8_t)*p) * 0x100000001B3u;
    snprintf(path, sizeof path, "%s/%016llx.json", folder, (unsigned long long)hash);
    FILE *file = fopen(path, "w");
    if (!file) return;
    fputs(out, file);
    fclose(file);
}

int shell(const char *command, char **out, char **err)
{
    char out_path[100], err_path[100], *whole = malloc(strlen(command) + 400);
    snprintf(out_path, sizeof out_path, "/tmp/oak-test-%d.out", (int)getpid());
    snprintf(err_path, sizeof err_path, "/tmp/oak-test-%d.err", (int)getpid());
    sprintf(whole, "( %s ) >%s 2>%s </dev/null", command, out_path, err_path);
    int result = system(whole);
    free(whole);
    *out = read_all(out_path);
    *err = read_all(err_path);
    keep_document(command, *out);
    return WIFEXITED(result) ? WEXITSTATUS(result) : -1;
}

void terminal_open(terminal *t, const char *const *arguments)
{
    memset(t, 0, sizeof *t);
    add_text(&t->seen, "", 0);
    struct winsize size = {.ws_row = 40, .ws_col = 120};
    t->child = forkpty(&t->fd, NULL, NULL, &size);
    ck_assert_int_ge(t->child, 0);
    if (!t->child) {
        setenv("TERM", "xterm", 1);
        execv(arguments[0], (char *const *)(uintptr_t)arguments);
        _exit(127);
    }
}

void terminal_await(terminal *t, const char *wanted)
{
    enum { TENTHS = 600 };
    char *found;
    for (int i = 0; !(found = strstr(t->seen.bytes, wanted)) && i < TENTHS; i++) {
        struct pollfd ready = {.fd = t->fd, .events = POLLIN};
        char buffer[4096];
        ssize_t count = poll(&ready, 1, 100) > 0 ? read(t->fd, buffer, sizeof buffer) : 0;
        for (ssize_t b = 0; b < count; b++)
            if (!buffer[b]) buffer[b] = ' ';
        if (count > 0) add_text(&t->seen, buffer, (size_t)count);
        else if (count < 0) break;
    }
    ck_assert_msg(found != NULL, "`%s` never came; what came: %.3000s", wanted, t->seen.bytes);
    size_t used = (size_t)(found - t->seen.bytes) + strlen(wanted);
    memmove(t->seen.bytes, t->seen.bytes + used, t->seen.size - used + 1);
    t->seen.size -= used;
}

void terminal_send(terminal *t, const char *keys)
{
    ck_assert_int_eq(write(t->fd, keys, strlen(keys)), (ssize_t)strlen(keys));
}

int terminal_close(terminal *t)
{
    enum { SECONDS = 60 };
    int status = 0, left = SECONDS;
    char buffer[4096];
    for (ssize_t count = 1; count > 0 && left;) {
        struct pollfd ready = {.fd = t->fd, .events = POLLIN};
        if (poll(&ready, 1, 1000) > 0) count = read(t->fd, buffer, sizeof buffer);
        else left--;
    }
    if (!left) kill(t->child, SIGKILL); /* it would not end */
    waitpid(t->child, &status, 0);
    close(t->fd);
    free(t->seen.bytes);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

uint32_t random32(uint64_t *seed)
{
    *seed = *seed * 6364136223846793005u + 1442695040888963407u;
    return (uint32_t)(*seed >> 32);
}

int run_suite(const char *name, const test_function *tests, unsigned count)
{
    Suite *suite = suite_create(name);
    TCase *all = tcase_create("all");
    for (unsigned i = 0; i < count; i++) tcase_add_test(all, tests[i]);
    suite_add_tcase(suite, all);
    SRunner *runner = srunner_create(suite);
    srunner_set_fork_status(runner, CK_NOFORK); /* tests of a suite share a folder; ctest limits the time */
    srunner_run_all(runner, CK_NORMAL);
    int failed = srunner_ntests_failed(runner);
    srunner_free(runner);
    return failed;
}

void must_come_back(const oak_program *program)
{
    text t = {0}, before = {0}, after = {0};
    oak_text_sink sink = text_sink(&t), before_sink = text_sink(&before), after_sink = text_sink(&after);
    collected diags;
    ck_assert_int_eq(oak_look(program, &sink), OAK_OK);
    oak_program *again = assemble(oak_program_part(program), t.bytes, &diags);
    if (!again) show_collected(&diags), fputs(t.bytes, stderr);
    ck_assert_ptr_nonnull(again);
    ck_assert_int_eq(oak_hex_write(oak_program_image(program), 16, &before_sink), OAK_OK);
    ck_assert_int_eq(oak_hex_write(oak_program_image(again), 16, &after_sink), OAK_OK);
    char *entry = strstr(before.bytes, ":04000005"); /* the entry address is no byte of the image */
    if (entry) memmove(entry, strchr(entry, '\n') + 1, strlen(strchr(entry, '\n') + 1) + 1);
    size_t same = 0;
    while (before.bytes[same] && before.bytes[same] == after.bytes[same]) same++;
    ck_assert_msg(!strcmp(before.bytes, after.bytes), "%.60s was %.60s, of\n%.3000s", after.bytes + same,
                  before.bytes + same, t.bytes);
    free(t.bytes);
    free(before.bytes);
    free(after.bytes);
    oak_program_free(again);
}

void poke_both(const oak_chip_port *chip, unsigned space, uint8_t *mirror, uint32_t at, const uint8_t *bytes,
               size_t count)
{
    if (chip->ops->write_memory(chip->chip, space, at, bytes, count)) ck_abort_msg("no memory at 0x%x", at);
    memcpy(mirror + at, bytes, count);
}

void fill_both(const oak_chip_port *chip, unsigned space, uint8_t *mirror, size_t size, uint64_t *seed)
{
    uint8_t bytes[4096];
    for (size_t at = 0; at < size; at += sizeof bytes) {
        for (size_t i = 0; i < sizeof bytes; i++) bytes[i] = (uint8_t)random32(seed);
        poke_both(chip, space, mirror, (uint32_t)at, bytes,
                  size - at < sizeof bytes ? size - at : sizeof bytes);
    }
}

void must_be_alike(const oak_chip_port *chip, unsigned space, const uint8_t *mirror, size_t size,
                   const char *what)
{
    uint8_t bytes[4096];
    for (size_t at = 0; at < size; at += sizeof bytes) {
        size_t count = size - at < sizeof bytes ? size - at : sizeof bytes;
        if (chip->ops->read_memory(chip->chip, space, (uint32_t)at, bytes, count)) ck_abort_msg("no memory");
        for (size_t i = 0; i < count; i++)
            if (bytes[i] != mirror[at + i])
                ck_abort_msg("%s: 0x%x at 0x%zx, not 0x%x", what, bytes[i], at + i, mirror[at + i]);
    }
}

/* ------------------------------------------------------------------------------------------ a core alone */

void bare_open(bare *b, const char *architecture)
{
    collected diags;
    oak_diag_sink sink = collect(&diags);
    char path[200];
    snprintf(path, sizeof path, SOURCE_FOLDER "/tests/bare/%s.yaml", architecture);
    *b = (bare){.host = oak_linux_host()};
    ck_assert_int_eq(oak_part_load(&b->host, path, &sink, &b->part), OAK_OK);
    ck_assert_int_eq(oak_machine_create(&b->host, b->part, &b->machine), OAK_OK);
    b->chip = oak_machine_port(b->machine);
}

void bare_close(bare *b)
{
    oak_machine_free(b->machine);
    oak_part_free(b->part);
}

oak_chip_time bare_time(const bare *b)
{
    oak_chip_time time;
    b->chip.ops->read_time(b->chip.chip, &time);
    return time;
}

oak_stop bare_run(const bare *b, uint64_t instructions)
{
    oak_stop stop;
    if (b->chip.ops->run(b->chip.chip, UINT64_MAX, bare_time(b).instructions + instructions, &stop))
        ck_abort_msg("no run");
    return stop;
}

unsigned bare_number(const bare *b, const char *name)
{
    const oak_architecture *about = b->part->architecture;
    unsigned n = 0;
    while (n < about->register_count && strcmp(about->registers[n].name, name) != 0) n++;
    if (n == about->register_count) ck_abort_msg("no register %s", name);
    return n;
}

uint32_t bare_register(const bare *b, unsigned number)
{
    uint32_t value = 0;
    if (b->chip.ops->read_register(b->chip.chip, number, &value)) ck_abort_msg("no register %u", number);
    return value;
}

void bare_set(const bare *b, unsigned number, uint32_t value)
{
    if (b->chip.ops->write_register(b->chip.chip, number, value)) ck_abort_msg("no register %u", number);
}
