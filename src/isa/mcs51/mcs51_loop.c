/* mcs51_loop.c — the loop in its two forms, over computed goto where the compiler has it and a switch elsewhere. */
#include "isa/mcs51/mcs51_core.h"

#if defined(__GNUC__) && !defined(OAK_NO_COMPUTED_GOTO)
#define OAK_COMPUTED_GOTO 1
#pragma GCC diagnostic ignored "-Wpedantic" /* labels as values */
#define RESUME(number) goto *handlers[number]
#define DISPATCH       RESUME(op->handler)
#define BEGIN_CASES
#define END_CASES
#define CASE(name) on_##name
#else
#define OAK_COMPUTED_GOTO 0
#define RESUME(number)                                                                                       \
    do {                                                                                                     \
        next_handler = (number);                                                                             \
        goto dispatch;                                                                                       \
    } while (0)
#define DISPATCH RESUME(op->handler)
#define BEGIN_CASES                                                                                          \
    dispatch:                                                                                                \
    switch (next_handler) {
#define END_CASES                                                                                            \
    default: break;                                                                                          \
        }
#define CASE(name) case name
#endif

#define LOOP_NAME run_blocks
#define LOOP_ONE  0
#include "isa/mcs51/mcs51_loop.h"

#define LOOP_NAME run_instructions
#define LOOP_ONE  1
#include "isa/mcs51/mcs51_loop.h"

mcs51_exit mcs51_run_plain(oak_core *core, uint32_t limit)
{
    return run_blocks(core, limit);
}

mcs51_exit mcs51_run_singly(oak_core *core, uint32_t limit)
{
    return run_instructions(core, limit);
}
