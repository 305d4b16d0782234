/* mean_of_all.c — a test bench for one routine: the mean of two load cells of the beehive scale, for every pair of values, against what C makes of it.
 * Built and run by the tests.
 *
 *   mean_of_all examples/scale/scale.asm */
#include <oakspindle/oakspindle.h>
#include <stdio.h>

int main(int count, char **arguments)
{
    oak_opened scale;
    oak_event event;
    oak_budget most = {.cycles = 100};
    unsigned wrong = 0, longest = 0;
    if (count < 2 || oak_open("mcs51-4k", arguments[1], &scale)) return 1;
    const oak_chip_ops *ops = scale.chip.ops;
    unsigned left = (unsigned)oak_session_register(scale.session, "r2"),
             right = (unsigned)oak_session_register(scale.session, "r3"),
             a = (unsigned)oak_session_register(scale.session, "a");
    for (unsigned one = 0; one < 256; one++)
        for (unsigned other = 0; other < 256; other++) {
            uint32_t mean = 0;
            oak_chip_time before, after;
            if (ops->write_register(scale.chip.chip, left, one) ||
                ops->write_register(scale.chip.chip, right, other) ||
                ops->read_time(scale.chip.chip, &before) ||
                oak_session_call(scale.session, "mean", &most, &oak_printer, &event) ||
                ops->read_time(scale.chip.chip, &after) || ops->read_register(scale.chip.chip, a, &mean))
                return 1;
            if (after.cycles - before.cycles > longest) longest = (unsigned)(after.cycles - before.cycles);
            if (mean == (one + other) / 2) continue;
            if (!wrong++)
                printf("the mean of %u and %u is %u, not %u\n", one, other, (one + other) / 2,
                       (unsigned)mean);
        }
    printf("65536 pairs, %u wrong; at most %u cycles\n", wrong, longest);
    oak_close(&scale);
    return wrong != 0;
}
