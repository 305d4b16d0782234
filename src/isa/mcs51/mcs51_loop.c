/* mcs51_loop.c — the loop of the kit around the cases of the MCS-51. Registers that matter live in locals: a, cy, carries, r (the
 * bank). */
#include "isa/mcs51/mcs51_core.h"

#include "isa/kit/dispatch.h"

#define CORE_TABLE    "isa/mcs51/mcs51.def"
#define CORE_CASES    "isa/mcs51/mcs51_cases.h"
#define CORE_SPAN     MCS51_SPAN
#define CORE_CODE     MCS51_CODE
#define CORE_EXTRA(X) X(MCS51_IO) X(MCS51_IO_DONE) X(MCS51_IO_TAKEN)
#define CORE_LOCALS                                                                                          \
    uint8_t *const data = core->data;                                                                        \
    kit_op *io_op = NULL;                                                                                    \
    uint32_t a, cy, carries, pointed = 0, io_target = 0;                                                     \
    uint64_t io_end = 0;                                                                                     \
    uint8_t *r
#define SAVE       (core->a = (uint8_t)a, core->cy = (uint8_t)cy, core->carries = carries)
#define LOAD       (a = core->a, cy = core->cy, carries = core->carries, r = data + (data[PSW] & 0x18))
#define BACK_TO_IT (op = io_op ? io_op : op)

#define CORE_LOOP(name) mcs51_##name
#include "isa/kit/loops.h"
