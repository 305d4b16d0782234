/* Memory runs out at every point in turn: nothing crashes, nothing is lost, and the status says why. */
#include "support.h"

#include <stdio.h>

typedef struct meter {
    long left;       /* requests that are still granted */
    long long bytes; /* taken and not given back */
    long long peak;
} meter;

static void *metered(void *context, void *block, size_t old_size, size_t new_size)
{
    meter *m = context;
    if (new_size && m->left-- <= 0) return NULL;
    m->bytes += (long long)new_size - (long long)(block ? old_size : 0);
    if (m->bytes > m->peak) m->peak = m->bytes;
    if (new_size) return realloc(block, new_size);
    free(block);
    return NULL;
}

static void *metered_zeroed(void *context, size_t size)
{
    void *block = metered(context, NULL, 0, size);
    if (block) memset(block, 0, size);
    return block;
}

/* The host reads the file into plain memory; what is given back is metered, so what is taken must be, too. */
static oak_status metered_read(void *context, const char *path, size_t limit, uint8_t **bytes, size_t *size)
{
    meter *m = context;
    oak_host plain = oak_linux_host();
    if (m->left-- <= 0) return OAK_NO_MEMORY;
    oak_status status = plain.read_file(plain.context, path, limit, bytes, size);
    if (!status) m->bytes += (long long)*size;
    return status;
}

static oak_host host_on(meter *m, long left)
{
    *m = (meter){.left = left};
    oak_host host = oak_linux_host();
    host.context = m;
    host.resize = metered;
    host.zeroed = metered_zeroed;
    host.read_file = metered_read;
    return host;
}

static const char source51[] =
    "count equ 5\n struct entry\nhour: ds 1\n ends\n bits busy, done\nload macro reg, n=3\n local "
    "again\nagain: mov reg, #n\n endm\n section vars, iram\nv: ds 2\n org code:0x40\n"
    "start: mov a, #count\n load r2\n repeat 2, i\n mov r{i}, #i+1\n endr\n each r, r0, r1\n inc r\n endr\n "
    "if count == 5\n jmp far\n else\n nop\n endif\n db \"text\", 1, 2, 3\n ds 300\nfar: movx @dptr, a\n"
    "rest: sjmp rest\n section prog, code, align 4\nmore: call more2\nx: sjmp x\nmore2: ret\n vector timer0, "
    "more\n vector reset, start\n entry start\n assert 1\n mov r2, 20\n jmp rest\n";

static const char source_arm[] = " vector stack, top\n vector reset, start\n vector systick, tick\n section "
                                 "vars, ram\nv: ds 4\n section stack1, ram, align 8\n ds 64\ntop:\n"
                                 " org 0x100\nstart: ldr r0, =v\n movs r1, #5\n str r1, [r0]\n it eq\n moveq "
                                 "r2, #3\n ldr r3, =0x12345678\n bl sub1\n b far\n ds 600\nfar: nop\n"
                                 "rest: b rest\nsub1: push {r4, lr}\n pop {r4, pc}\ntick: bx lr\n";

/* One architecture: a part, a program that uses most of the language, and what is asked of it. */
typedef struct subject {
    const char *part, *source, *mnemonic, *drive, *condition;
} subject;
static const subject subjects[] = {
    {"mcs51-8k", source51, "mov", "p1.0 = 1 for 5us, 0 for 5us, repeat", "a == 5"},
    {"armv7m-256k", source_arm, "ldr", "p1.0 = 1 for 5us, 0 for 5us, repeat", "v == 5"},
};

static oak_status everything(const oak_host *host, const oak_part *part, const subject *of)
{
    collected diags;
    oak_diag_sink sink = collect(&diags);
    oak_program *program = NULL;
    oak_machine *machine = NULL;
    oak_session *session = NULL;
    uint32_t outside;
    oak_event event;
    oak_budget budget = {.cycles = 1000};
    text t = {0};
    oak_text_sink out = text_sink(&t);
    oak_status status =
        oak_assemble_text(host, part, "t.asm", of->source, strlen(of->source), &sink, &program);
    if (!status) status = oak_program_write_listing(program, &out);
    if (!status) status = oak_look(program, &out);
    if (!status) status = oak_program_write_elf(program, &out);
    if (!status) status = oak_explain_mnemonic(host, part->architecture, of->mnemonic, &out);
    if (!status) status = oak_machine_create(host, part, &machine);
    if (!status) status = oak_machine_load(machine, oak_program_image(program), &outside);
    if (!status) {
        oak_chip_port chip = oak_machine_port(machine);
        status = oak_session_open(host, &chip, program, &session);
    }
    if (!status) status = oak_session_drive(session, of->drive, &sink);
    if (!status) status = oak_session_add_stop(session, "rest", of->condition, 0, &sink, NULL);
    if (!status) status = oak_session_run(session, &budget, &sink, &event);
    if (!status) ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
    oak_session_close(session);
    oak_machine_free(machine);
    oak_program_free(program);
    free(t.bytes);
    return status;
}

static void starve(const subject *of)
{
    oak_part *part = load_part(of->part);
    long granted = 0;
    for (;; granted++) {
        meter m;
        oak_host host = host_on(&m, granted);
        oak_status status = everything(&host, part, of);
        ck_assert_msg(m.bytes == 0, "%ld requests granted: %lld bytes are not given back", granted, m.bytes);
        if (status == OAK_OK) break;
        /* A text that is typed is refused with "out of memory"; all others say so by their status. */
        ck_assert_msg(status == OAK_NO_MEMORY || status == OAK_REFUSED, "%ld requests granted: %s", granted,
                      oak_status_text(status));
        ck_assert_int_lt(granted, 1000);
    }
    ck_assert_int_gt(granted, 20);
    oak_part_free(part);
}

START_TEST(running_out_of_memory_anywhere_is_told_and_leaks_nothing)
{
    for (size_t i = 0; i < sizeof subjects / sizeof *subjects; i++) starve(&subjects[i]);
}
END_TEST

static void starve_part(const char *path)
{
    meter m;
    for (long granted = 0; granted < 2000; granted++) {
        oak_host host = host_on(&m, granted);
        collected diags;
        oak_diag_sink sink = collect(&diags);
        oak_part *part = NULL;
        /* The file itself is read by the host into plain memory, so its buffer is not metered on the way in. */
        oak_status status = oak_part_load(&host, path, &sink, &part);
        ck_assert_int_eq(status == OAK_OK, part != NULL);
        oak_part_free(part);
        if (status == OAK_OK) return;
        ck_assert_int_eq(status, OAK_NO_MEMORY);
    }
    ck_abort_msg("never enough");
}

START_TEST(a_part_file_gives_back_all_it_took)
{
    starve_part(SOURCE_FOLDER "/parts/mcs51-64k.yaml");
    starve_part(SOURCE_FOLDER "/parts/armv7m-256k.yaml");
}
END_TEST

START_TEST(memory_stays_within_forty_times_the_source)
{
    meter m;
    oak_part *part = load_part("mcs51-64k");
    size_t lines = 20000, size = 0;
    char *big = malloc(lines * 60);
    for (size_t i = 0; i < lines; i++)
        size += (size_t)sprintf(big + size, "label_%zu: mov a, #low(label_%zu)  ; turn the spindle\n", i,
                                (i * 7919) % lines);
    oak_host host = host_on(&m, 1000000000);
    oak_program *program;
    collected diags;
    oak_diag_sink sink = collect(&diags);
    ck_assert_int_eq(oak_assemble_text(&host, part, "big.asm", big, size, &sink, &program), OAK_OK);
    ck_assert_msg(m.peak < 40 * (long long)size, "%lld bytes for %zu of source", m.peak, size);
    oak_program_free(program);
    free(big);
    oak_part_free(part);
}
END_TEST

/* ------------------------------------------------------------------------------------------ a whole session */

static bool goes_on(void *context)
{
    (void)context;
    return true;
}

static void tell_nobody(void *context, const oak_recent *one)
{
    unsigned *count = context;
    *count += one->change_count > 0;
}

static void reached(void *context, unsigned number)
{
    unsigned *count = context;
    *count += number;
}

/* What somebody does at the bench, one thing after the other; the first status that is not good. What was not granted must leave
 * the session as it can be used: it is closed in any case. */
static oak_status at_the_bench(const oak_host *host, const oak_part *part, const oak_program *program,
                               const char *board_path)
{
    collected diags;
    oak_diag_sink sink = collect(&diags);
    oak_machine *machine = NULL;
    oak_session *session = NULL;
    oak_board *board = NULL;
    uint32_t outside;
    unsigned count = 0;
    oak_event event;
    oak_stack_item items[16];
    text t = {0};
    oak_text_sink out = text_sink(&t);
    const oak_budget budget = {.cycles = 60000};
    oak_status status = oak_machine_create(host, part, &machine);
    if (!status) status = oak_machine_load(machine, oak_program_image(program), &outside);
    if (!status) {
        oak_chip_port chip = oak_machine_port(machine);
        status = oak_session_open(host, &chip, program, &session);
    }
    if (!status) status = oak_board_load(host, board_path, part, NULL, &sink, &board);
    if (!status) status = oak_board_join(board, session, 1);
    if (!status) status = oak_session_keep_history(session, 0);
    if (!status) oak_session_ask(session, goes_on, NULL);
    if (!status) status = oak_session_count(session, true);
    if (!status) status = oak_session_record(session, "pins", &sink);
    if (!status) status = oak_session_record(session, "trips", &sink);
    if (!status) status = oak_session_mark(session, "guard", &sink);
    if (!status) status = oak_session_add_lap(session, "main", "main", &sink);
    if (!status) status = oak_session_add_action(session, "guard", reached, &count, 1, &sink);
    if (!status) status = oak_session_add_watch(session, "trips", OAK_WATCH_CHANGE, &sink, NULL);
    if (!status) status = oak_session_add_watch(session, "iram[0x40..0x43]", OAK_WATCH_WRITE, &sink, NULL);
    if (!status) status = oak_session_add_watch(session, "", OAK_WATCH_HANDLER, &sink, NULL);
    if (!status) status = oak_session_run(session, &budget, &sink, &event);
    if (!status) status = oak_session_run(session, &budget, &sink, &event);
    if (!status) status = oak_session_set(session, "iram[0x70] = 5", &sink);
    if (!status) status = oak_session_step(session, &event);
    if (!status) status = oak_session_write_state(session, &out);
    if (!status) status = oak_session_recent(session, 20, tell_nobody, &count);
    if (!status) status = oak_session_back_access(session, "iram[0x40]", OAK_WATCH_WRITE, &sink, &event);
    if (!status) status = oak_session_back_steps(session, 3, &event);
    if (!status) oak_session_stack(session, items, 16);
    if (!status && oak_session_trace(session)) status = oak_trace_write_vcd(oak_session_trace(session), &out);
    if (!status) ck_assert_uint_gt(count, 2);
    oak_session_close(session);
    oak_board_free(board);
    oak_machine_free(machine);
    free(t.bytes);
    return status;
}

START_TEST(a_session_on_a_board_runs_out_of_memory_anywhere_and_leaks_nothing)
{
    oak_part *part = load_part("mcs51-8k");
    collected diags;
    oak_diag_sink sink = collect(&diags);
    oak_program *program = NULL;
    oak_host plain = oak_linux_host();
    ck_assert_int_eq(oak_assemble(&plain, part, SOURCE_FOLDER "/examples/lathe/lathe.asm", &sink, &program),
                     OAK_OK);
    long granted = 0;
    unsigned failed = 0;
    for (;; granted++) {
        meter m;
        oak_host host = host_on(&m, granted);
        oak_status status = at_the_bench(&host, part, program, SOURCE_FOLDER "/examples/lathe/board.yaml");
        ck_assert_msg(m.bytes == 0, "%ld requests granted: %lld bytes are not given back", granted, m.bytes);
        if (status == OAK_OK && m.left >= 0) break;
        failed += status != OAK_OK;
        ck_assert_msg(status == OAK_OK || status == OAK_NO_MEMORY || status == OAK_REFUSED ||
                          status == OAK_NOT_FOUND,
                      "%ld requests granted: %s", granted, oak_status_text(status));
        ck_assert_int_lt(granted, 3000);
    }
    ck_assert_uint_gt(failed, 50);
    oak_program_free(program);
    oak_part_free(part);
}
END_TEST

RUN_SUITE("memory", running_out_of_memory_anywhere_is_told_and_leaks_nothing,
          a_part_file_gives_back_all_it_took, memory_stays_within_forty_times_the_source,
          a_session_on_a_board_runs_out_of_memory_anywhere_and_leaks_nothing)
