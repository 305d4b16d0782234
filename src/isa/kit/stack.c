/* stack.c — see stack.h. */
#include "isa/kit/stack.h"

/* What lies below the top of the stack belongs to it down to where something of the program's ends or begins. */
static void find_floor(kit_objects *objects, kit_stack *stack, uint32_t top)
{
    uint32_t from = (top - 1) & (KIT_STACK_SPAN - 1), at = from;
    if (at > objects->free_floor && at <= objects->free_from)
        at = objects->free_floor; /* it was looked for there before */
    while (at && !objects->at[at]) {
        at--;
        if (at == objects->free_from && objects->free_from > objects->free_floor) at = objects->free_floor;
    }
    if (from > objects->free_from || at != objects->free_floor) objects->free_from = from;
    objects->free_floor = stack->floor = at;
}

void kit_meets_data(oak_core *core, kit_objects *objects, kit_stack *stack, uint32_t top, uint32_t sp,
                    uint64_t now)
{
    const kit_core *kit = kit_look(core);
    if (stack->floor == KIT_STACK_SPAN) find_floor(objects, stack, top);
    if (sp >= stack->floor || !kit->setup.suffer) return;
    kit->setup.suffer(kit->setup.machine, OAK_FAULT_STACK_DATA, kit->arch->isa->about.stack.space,
                      stack->floor - 1, now);
    stack->floor = 0; /* said once */
}

bool kit_push_bytes(oak_core *core, kit_objects *objects, kit_stack *stack, uint32_t top, uint32_t word,
                    unsigned bytes, uint64_t now)
{
    const kit_core *kit = kit_look(core);
    kit_meets_data(core, objects, stack, top, (top - bytes) & (KIT_STACK_SPAN - 1), now);
    bool low_on_top = kit->arch->isa->about.big_endian;
    for (unsigned i = 0; i < bytes; i++) /* from the top down */
        if (!kit_store(core, (top - 1 - i) & (KIT_STACK_SPAN - 1),
                       (uint8_t)(word >> 8 * (low_on_top ? i : bytes - 1 - i))))
            return kit_fail(core, OAK_FAULT_STACK_OVERFLOW, top);
    return true;
}

bool kit_underflows(oak_core *core, uint32_t sp)
{
    uint8_t below = kit_look(core)->guard[(sp - 1) & (KIT_STACK_SPAN - 1)];
    if (below & (KIT_GUARD_FIXED | KIT_GUARD_ABSENT)) return false;
    return !kit_fail(core, OAK_FAULT_STACK_UNDERFLOW, sp);
}

void kit_begin_frame(oak_core *core, kit_stack *stack, uint32_t sp, unsigned number, uint32_t vector)
{
    kit_core *kit = kit_of(core);
    while (stack->depth && stack->frame[stack->depth - 1].sp <= sp) { /* its return address is gone */
        stack->depth--;
        oak_service_leave(&kit->log, kit->time.cycles);
    }
    if (stack->depth == KIT_MOST_FRAMES) return;
    stack->frame[stack->depth].sp = (uint16_t)sp;
    stack->frame[stack->depth++].vector = (uint16_t)vector;
    oak_service_enter(&kit->log, number, vector, kit->time.cycles);
}

void kit_returned(oak_core *core, kit_stack *stack, uint32_t sp, uint64_t now)
{
    if (stack->frame[stack->depth - 1].sp != (uint16_t)sp) return;
    stack->depth--;
    oak_service_leave(&kit_of(core)->log, now);
}

void kit_mark_object(kit_objects *objects, kit_stack *stack, uint32_t address, uint32_t size)
{
    objects->at[address] = objects->at[address + size] = 1;
    objects->free_from = objects->free_floor = 0;
    stack->floor = KIT_STACK_SPAN;
}
