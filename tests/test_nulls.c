/* Every public function with NULL in place of each of its pointers, one after the other: OAK_MISUSE, or nothing comes back, and nothing has happened. The calls are made
 * from the headers themselves (tests/null_calls), so that none is forgotten. */
#include "support.h"

#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/wait.h>
#include <unistd.h>

#include "nulls.h"

nulls_given nulls;
const char nulls_source[] = SOURCE_FOLDER "/examples/lathe/lathe.asm", nulls_text[] = " nop\n";
unsigned char nulls_room[4096];

void nulls_function(void)
{
    abort();
}

static oak_status nowhere(void *context, const char *text, size_t size)
{
    (void)context, (void)text, (void)size;
    return OAK_OK;
}

/* Each in a process of its own; -99: it crashed. */
static long outcome_of(const nulls_call *one)
{
    int ends[2], status;
    long result = -99;
    ck_assert_int_eq(pipe(ends), 0);
    pid_t child = fork();
    if (!child) {
        close(STDERR_FILENO);
        signal(SIGABRT, SIG_DFL);
        signal(SIGSEGV, SIG_DFL);
        alarm(20);
        result = one->call();
        _exit(write(ends[1], &result, sizeof result) != (ssize_t)sizeof result);
    }
    close(ends[1]);
    bool told = read(ends[0], &result, sizeof result) == (ssize_t)sizeof result;
    close(ends[0]);
    waitpid(child, &status, 0);
    return told && WIFEXITED(status) ? result : -99;
}

START_TEST(every_function_refuses_every_null_pointer)
{
    collected diags = {0};
    unsigned calls = 0, wrong = 0;
    ck_assert_int_eq(oak_open("mcs51-8k", nulls_source, &nulls.it), OAK_OK);
    nulls.sink = collect(&diags);
    nulls.out = (oak_text_sink){NULL, nowhere};
    nulls.budget = (oak_budget){.cycles = 10};
    nulls.field = (oak_part_field){.name = "F", .title = "", .width = 1};
    ck_assert_int_eq(oak_image_create(&nulls.it.host, &nulls.image), OAK_OK);
    ck_assert_int_eq(oak_trace_create(&nulls.it.host, 1000, &nulls.trace), OAK_OK);
    ck_assert_int_eq(oak_board_load(&nulls.it.host, SOURCE_FOLDER "/examples/lathe/board.yaml", nulls.it.part,
                                    NULL, &nulls.sink, &nulls.board),
                     OAK_OK);
    ck_assert_int_eq(oak_board_join(nulls.board, nulls.it.session, 1), OAK_OK);
    ck_assert_ptr_nonnull(nulls.stand_in = oak_board_stand_in(nulls.board, 0));
    ck_assert_int_eq(oak_trials_load(&nulls.it.host, SOURCE_FOLDER "/examples/lathe/lathe.trial.yaml",
                                     &nulls.sink, &nulls.trials),
                     OAK_OK);
    for (const nulls_call *one = nulls_calls; one->function; one++, calls++) {
        long result = outcome_of(one);
        if (result == one->expected) continue;
        wrong++;
        printf("%s with %s = NULL: %ld, not %ld\n", one->function, one->parameter, result, one->expected);
    }
    ck_assert_uint_eq(wrong, 0);
    ck_assert_uint_gt(calls, 350);
    ck_assert_uint_gt(nulls_functions, 230);
    /* All of it is as it was. */
    oak_event event;
    ck_assert_uint_eq(diags.count, 0);
    ck_assert_int_eq(oak_session_run(nulls.it.session, &nulls.budget, &nulls.sink, &event), OAK_OK);
    oak_trials_free(nulls.trials);
    oak_session_close(nulls.it.session);
    nulls.it.session = NULL;
    oak_board_free(nulls.board);
    oak_trace_free(nulls.trace);
    oak_image_free(nulls.image);
    oak_close(&nulls.it);
}
END_TEST

/* Whether a call has no pointer that it needs is for the header to say: what it says, holds. */
START_TEST(what_a_header_lets_be_null_may_be)
{
    oak_opened it;
    oak_event event;
    ck_assert_int_eq(oak_open_text("mcs51-8k", "start: nop\n sjmp start\n", &it), OAK_OK);
    ck_assert_int_eq(oak_session_add_stop(it.session, "start", NULL, 0, &oak_printer, NULL), OAK_OK);
    ck_assert_int_eq(oak_session_add_watch(it.session, "a", OAK_WATCH_CHANGE, &oak_printer, NULL), OAK_OK);
    ck_assert(oak_image_byte(oak_program_image(it.program), 0, NULL));
    ck_assert_ptr_nonnull(oak_warning_at(0, NULL));
    ck_assert_ptr_nonnull(oak_notice_word(0, NULL));
    ck_assert_ptr_nonnull(oak_code_at(0, NULL, NULL));
    ck_assert(oak_part_find_pin(it.part, "p1.3", 4, NULL));
    ck_assert(oak_part_find_field(it.part, "TR0", 3, NULL, NULL));
    oak_session_ask(it.session, NULL, NULL);
    ck_assert_int_eq(oak_session_run(it.session, &(oak_budget){.cycles = 10}, &oak_printer, &event), OAK_OK);
    oak_session *other;
    ck_assert_int_eq(oak_session_open(&it.host, &it.chip, NULL, &other), OAK_OK);
    oak_session_close(other);
    oak_close(&it);
    oak_close(NULL);
    oak_session_close(NULL);
    oak_part_free(NULL);
    oak_program_free(NULL);
    oak_machine_free(NULL);
    oak_image_free(NULL);
    oak_board_free(NULL);
    oak_trace_free(NULL);
    oak_trials_free(NULL);
}
END_TEST

RUN_SUITE("nulls", every_function_refuses_every_null_pointer, what_a_header_lets_be_null_may_be)
