/* worst_case.c — measures a routine over all 256 values of a cell: how many cycles from one place to another, at worst.
 *
 *   worst_case SOURCE PART-FILE FROM TO CELL */
#include <oakspindle/oakspindle.h>
#include <stdio.h>

static void report(void *context, const oak_diagnostic *diagnostic)
{
    (void)context;
    fprintf(stderr, "%s\n", diagnostic->message);
}

int main(int argc, char **argv)
{
    if (argc != 6) return 2;
    oak_host host = oak_linux_host();
    oak_diag_sink sink = {NULL, report};
    oak_part *part;
    oak_program *program;
    oak_machine *machine;
    oak_session *session;
    oak_event event;
    uint32_t outside, from;
    uint64_t worst = 0, least = UINT64_MAX;
    unsigned worst_value = 0;
    if (oak_part_load(&host, argv[2], &sink, &part) || oak_assemble(&host, part, argv[1], &sink, &program))
        return 1;
    if (oak_machine_create(&host, part, &machine) ||
        oak_machine_load(machine, oak_program_image(program), &outside))
        return 1;
    oak_chip_port chip = oak_machine_port(machine);
    if (oak_session_open(&host, &chip, program, &session) ||
        oak_session_place(session, argv[3], &sink, &from))
        return 1;

    for (unsigned value = 0; value < 256; value++) {
        char text[200];
        oak_chip_time before, after;
        const oak_budget budget = {.cycles = 1000000};
        if (oak_session_reset(session) || oak_session_run_to(session, argv[3], &budget, &sink, &event))
            return 1; /* as the program comes there first */
        snprintf(text, sizeof text, "%s = %u", argv[5], value);
        if (oak_session_set(session, text, &sink)) return 1;
        chip.ops->read_time(chip.chip, &before);
        if (oak_session_run_to(session, argv[4], &budget, &sink, &event)) return 1;
        if (event.stop.reason != OAK_STOP_STEP) { /* a fault, or it takes for ever */
            fprintf(stderr, "with %s it does not come to %s: %s\n", text, argv[4],
                    oak_stop_word(event.stop.reason));
            return 1;
        }
        chip.ops->read_time(chip.chip, &after);
        uint64_t took = after.cycles - before.cycles;
        if (took > worst) worst = took, worst_value = value;
        if (took < least) least = took;
    }
    printf("from %s to %s: %llu to %llu cycles, most with %s = %u\n", argv[3], argv[4],
           (unsigned long long)least, (unsigned long long)worst, argv[5], worst_value);

    oak_session_close(session);
    oak_machine_free(machine);
    oak_program_free(program);
    oak_part_free(part);
    return 0;
}
