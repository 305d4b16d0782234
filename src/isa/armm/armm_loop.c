/* armm_loop.c — the loop in its forms, over computed goto where the compiler has it and a switch elsewhere. */
#include "isa/armm/armm_core.h"

#if defined(__GNUC__) && !defined(OAK_NO_COMPUTED_GOTO)
#define OAK_COMPUTED_GOTO 1
#pragma GCC diagnostic ignored "-Wpedantic" /* labels as values */
#define RESUME(number) goto *handlers[number]
#define DISPATCH       RESUME(op->handler)
#define KEEP(value)                                                                                          \
    __asm__("" : "+r"(value)) /* this sum as it stands: no part of it is worth another register */
#define BEGIN_CASES
#define END_CASES
#define CASE(name) on_##name
#else
#define OAK_COMPUTED_GOTO 0
#define KEEP(value)       (void)0
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
#define CASE(name) case ARMM_OP_##name
#endif

#define LOOP_NAME   run_chains
#define LOOP_ONE    0
#define LOOP_COUNTS 0
#define LOOP_JUDGED 0
#define LOOP_KEPT   0
#include "isa/armm/armm_loop.h"

#define LOOP_NAME   run_counted
#define LOOP_ONE    0
#define LOOP_COUNTS 1
#define LOOP_JUDGED 0
#define LOOP_KEPT   0
#include "isa/armm/armm_loop.h"

#define LOOP_NAME   run_judged
#define LOOP_ONE    0
#define LOOP_COUNTS 1
#define LOOP_JUDGED 1
#define LOOP_KEPT   0
#include "isa/armm/armm_loop.h"

#define LOOP_NAME   run_kept
#define LOOP_ONE    0
#define LOOP_COUNTS 1
#define LOOP_JUDGED 1
#define LOOP_KEPT   1
#include "isa/armm/armm_loop.h"

#define LOOP_NAME   run_instruction
#define LOOP_ONE    1
#define LOOP_COUNTS 0
#define LOOP_JUDGED 0
#define LOOP_KEPT   0
#include "isa/armm/armm_loop.h"

kit_exit armm_run_chains(oak_core *core, uint32_t limit)
{
    return run_chains(core, limit);
}

kit_exit armm_run_counted(oak_core *core, uint32_t limit)
{
    return run_counted(core, limit);
}

kit_exit armm_run_judged(oak_core *core, uint32_t limit)
{
    return run_judged(core, limit);
}

kit_exit armm_run_kept(oak_core *core, uint32_t limit)
{
    return run_kept(core, limit);
}

kit_exit armm_run_one(oak_core *core)
{
    armm_decode_single(core, core->kit.pc);
    return run_instruction(core, 0);
}
