/* session.c — the benchmark's way through a session, beside the one through the chip port: single steps, and runs while somebody looks on.
 *
 *   session SOURCE PART port|session COUNT     so many single steps
 *   session SOURCE PART EXPRESSION COUNT       so many instructions while expressions are recorded, with `;` between them ("-": nothing is)
 *   session SOURCE PART 'if CONDITION' COUNT   the same while a run would end where a condition holds */
#include <oakspindle/oakspindle.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static bool record(oak_session *session, char *expressions)
{
    for (char *one = strtok(expressions, ";"); one; one = strtok(NULL, ";"))
        if (oak_session_record(session, one, &oak_printer) != OAK_OK) return false;
    return true;
}

int main(int count, char **arguments)
{
    oak_opened it;
    oak_event event;
    oak_stop stop;
    if (count < 5 || oak_open(arguments[2], arguments[1], &it)) return 1;
    const char *how = arguments[3];
    unsigned long long number = strtoull(arguments[4], NULL, 0);
    bool port = strcmp(how, "port") == 0, session = strcmp(how, "session") == 0, failed = false;
    for (unsigned long long i = 1; (port || session) && i <= number && !failed; i++)
        failed = port ? it.chip.ops->run(it.chip.chip, UINT64_MAX, i, &stop) != OAK_OK
                      : oak_session_step(it.session, &event) != OAK_OK;
    if (!port && !session) {
        if (strncmp(how, "if ", 3) == 0)
            failed =
                oak_session_add_watch(it.session, how + 3, OAK_WATCH_HOLDS, &oak_printer, NULL) != OAK_OK;
        else if (strcmp(how, "-") != 0) failed = !record(it.session, arguments[3]);
        failed = failed || oak_session_run(it.session, &(oak_budget){.instructions = number}, &oak_printer,
                                           &event) != OAK_OK;
    }
    oak_close(&it);
    return failed;
}
