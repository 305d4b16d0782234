/* until_change.c — runs the lathe guard until a cell changes, and tells which instruction changed it. Built and run by the
 * tests; by hand: cc until_change.c $(pkg-config --cflags --libs oakspindle) && ./a.out SOURCE PART-FILE CELL */
#include <oakspindle/oakspindle.h>
#include <stdio.h>

static void report(void *context, const oak_diagnostic *diagnostic)
{
    (void)context;
    fprintf(stderr, "%s\n", diagnostic->message);
}

int main(int argc, char **argv)
{
    if (argc != 4) return 2;
    oak_host host = oak_linux_host();
    oak_diag_sink sink = {NULL, report};
    oak_part *part;
    oak_program *program;
    oak_machine *machine;
    oak_session *session;
    oak_event event;
    uint32_t outside;
    unsigned watch;
    char text[120], place[120];
    if (oak_part_load(&host, argv[2], &sink, &part) || oak_assemble(&host, part, argv[1], &sink, &program))
        return 1;
    if (oak_machine_create(&host, part, &machine) ||
        oak_machine_load(machine, oak_program_image(program), &outside))
        return 1;
    oak_chip_port chip = oak_machine_port(machine);
    if (oak_session_open(&host, &chip, program, &session)) return 1;

    if (oak_session_keep_history(session, 0) ||
        oak_session_drive(session, "p3.0 = 0 until 150ms, 1", &sink) ||
        oak_session_drive(session, "p3.1 = 1 until 10ms, 0", &sink) ||
        oak_session_drive(session, "p3.2 = 0", &sink))
        return 1;
    if (oak_session_add_watch(session, argv[3], OAK_WATCH_CHANGE, &sink, &watch)) return 1;
    if (oak_session_run(session, &(oak_budget){.cycles = 1000000}, &sink, &event)) return 1;
    if (event.stop.reason != OAK_STOP_WATCH) {
        printf("%s never changes\n", argv[3]);
        return 1;
    }
    if (oak_session_back_steps(session, 1, &event)) return 1; /* in front of the instruction that did it */
    unsigned size;
    oak_session_name_place(session, event.stop.pc, place, sizeof place);
    if (oak_session_print_instruction(session, event.stop.pc, text, sizeof text, &size)) return 1;
    printf("%s is changed by `%s` at %s\n", argv[3], text, place);

    oak_session_close(session);
    oak_machine_free(machine);
    oak_program_free(program);
    oak_part_free(part);
    return 0;
}
