/* armm_exceptions.c — exceptions: which may be taken, entering and leaving handlers, and faults (B1.5).
 *
 *                       armv6m   armv7m   cycles, with memory that never waits
 *   entering               16       12    eight words stacked, the vector fetched
 *   from one to the next   10        6    tail-chaining: nothing is unstacked
 *   leaving                16       10    eight words unstacked */
#include "base/bytes.h"
#include "isa/armm/armm_core.h"

enum { NO_PRIORITY = 256, FRAME = 32 };

void armm_reset_exceptions(oak_core *core)
{
    memset(core->pending, 0, sizeof core->pending);
    memset(core->active, 0, sizeof core->active);
    memset(core->enabled, 0, sizeof core->enabled);
    memset(core->priority, 0, sizeof core->priority);
    for (unsigned i = 0; i < ARMM_INTERRUPT; i++) armm_put_bit(core->enabled, i, true);
    core->ipsr = 0;
    core->cfsr = core->hfsr = core->bfar = core->mmfar = 0;
}

void armm_pend(oak_core *core, unsigned number, bool on)
{
    /* What becomes pending is an event where SEVONPEND asks for it, even if it is not enabled (B1.5.17). */
    if (on && !armm_bit(core->pending, number) && (core->scr & 1u << 4)) core->event = true;
    armm_put_bit(core->pending, number, on);
    core->kit.attention = true;
}

static int priority_of(const oak_core *core, unsigned number)
{
    switch (number) {
    case ARMM_RESET: return -3;
    case ARMM_NMI: return -2;
    case ARMM_HARD_FAULT: return -1;
    default: return core->priority[number];
    }
}

/* The part of a priority that decides on preemption: PRIGROUP leaves lower bits to the order among pending ones. */
static int group_of(const oak_core *core, int priority)
{
    return priority < 0 ? priority : priority & (int)~((2u << core->aircr_group) - 1) & 0xFF;
}

static int priority_without_primask(const oak_core *core)
{
    int highest = NO_PRIORITY;
    for (unsigned i = 1; i < 16 + core->kit.setup.interrupt_count; i++) {
        if (!armm_bit(core->active, i)) continue;
        int priority = group_of(core, priority_of(core, i));
        if (priority < highest) highest = priority;
    }
    if (core->basepri && group_of(core, core->basepri) < highest) highest = group_of(core, core->basepri);
    if (core->faultmask && highest > -1) highest = -1;
    return highest;
}

int armm_execution_priority(const oak_core *core)
{
    int highest = priority_without_primask(core);
    return core->primask && highest > 0 ? 0 : highest;
}

/* The pending exception of the highest priority, 0 for none. */
static unsigned first_pending(const oak_core *core)
{
    unsigned found = 0, count = 16 + core->kit.setup.interrupt_count;
    for (unsigned byte = 0; byte < (count + 7) / 8; byte++) {
        unsigned bits = core->pending[byte] & core->enabled[byte];
        for (unsigned i = 0; bits; i++, bits >>= 1) {
            if (!(bits & 1)) continue;
            unsigned number = byte * 8 + i;
            if (number < count && (!found || priority_of(core, number) < priority_of(core, found)))
                found = number;
        }
    }
    return found;
}

bool armm_may_take(const oak_core *core)
{
    unsigned number = first_pending(core);
    return number && group_of(core, priority_of(core, number)) < armm_execution_priority(core);
}

bool armm_would_wake(const oak_core *core)
{
    unsigned number = first_pending(core);
    return number && group_of(core, priority_of(core, number)) < priority_without_primask(core);
}

/* ------------------------------------------------------------------------------------------ entering */

static bool vector_of(const oak_core *core, unsigned number, uint32_t *handler)
{
    uint32_t at = core->vtor + 4 * number;
    const armm_region *region = armm_region_at(core, at);
    *handler = 0;
    if (!region || region->size - (at - region->base) < 4) return false;
    for (unsigned i = 0; i < 4; i++) {
        if (!region->writable && !region->known[at - region->base + i]) return false;
        *handler |= (uint32_t)region->bytes[at - region->base + i] << (8 * i);
    }
    return *handler && armm_region_at(core, *handler & ~(uint32_t)1);
}

static void unhandled(oak_core *core, oak_fault fault, uint32_t address)
{
    core->kit.fault = fault;
    core->kit.fault_address = address;
    core->fault_unhandled = true;
}

/* The exception that a fault is taken as: itself, or escalated (B1.5.14). */
static unsigned taken_as(const oak_core *core, unsigned exception)
{
    if (!core->v7 || exception == ARMM_HARD_FAULT) return ARMM_HARD_FAULT;
    bool enabled = core->shcsr_enabled >> (exception - ARMM_MEM_MANAGE + 16) & 1;
    bool preempts = group_of(core, core->priority[exception]) < armm_execution_priority(core);
    return enabled && preempts ? exception : ARMM_HARD_FAULT;
}

/* Would the program see such a fault? */
static bool is_handled(const oak_core *core, unsigned exception)
{
    uint32_t handler;
    exception = taken_as(core, exception);
    return (exception != ARMM_HARD_FAULT || armm_execution_priority(core) > -1) &&
           vector_of(core, exception, &handler);
}

static void become_handler(oak_core *core, unsigned number, uint32_t exc_return, uint32_t handler)
{
    if (core->watched_count) armm_watch_entry(core, number);
    if (core->uses_psp) {
        uint32_t sp = core->r[ARM_SP];
        core->r[ARM_SP] = core->other_sp;
        core->other_sp = sp;
        core->uses_psp = false;
    }
    core->control &= 1;
    core->ipsr = (uint16_t)number;
    armm_put_bit(core->pending, number, false);
    armm_put_bit(core->active, number, true);
    core->it = core->it_after = 0;
    core->r[ARM_LR] = exc_return;
    core->kit.pc = handler & ~(uint32_t)1;
    core->event = true;
    core->claimed = 1;
    core->sleeping = false;
    core->not_thumb = !(handler & 1);
    armm_note_registers(core, ARMM_STACK_POINTERS | 1u << ARM_LR | 1u << ARMM_XPSR | 1u << ARMM_CONTROL);
}

/* Stacks the registers and goes to the handler. False when that fails, which stops the run. */
static bool enter(oak_core *core, unsigned number, uint32_t back)
{
    uint32_t handler, sp = core->r[ARM_SP], align = sp & 4;
    if (!vector_of(core, number, &handler)) {
        bool fault = number <= ARMM_USAGE_FAULT && number != ARMM_NMI;
        bool ends = fault || !core->kit.setup.suffer ||
                    core->kit.setup.suffer(core->kit.setup.machine, OAK_FAULT_NO_HANDLER, ARM_MEM, number,
                                           core->kit.time.cycles);
        if (ends) {
            if (!fault) unhandled(core, OAK_FAULT_NO_HANDLER, number);
            core->fault_unhandled = true;
            core->kit.pc = number > ARMM_USAGE_FAULT ? back : core->fault_pc;
            return false;
        } /* else the core goes where the vector says, whatever is there */
    }
    const uint32_t frame[8] = {core->r[0],  core->r[1],      core->r[2], core->r[3],
                               core->r[12], core->r[ARM_LR], back,       armm_xpsr(core) | align << 7};
    oak_fault fault = core->kit.fault;
    uint32_t fault_address = core->kit.fault_address, to = (sp - FRAME) & ~(uint32_t)4;
    core->now = core->kit.time.cycles;
    for (unsigned i = 0; i < 8; i++) {
        if (armm_store(core, to + 4 * i, 4, frame[i])) continue;
        core->raised = 0;
        core->fault_unhandled = true;
        core->fault_pc = core->kit.pc = back;
        return false;
    }
    core->kit.fault = fault;
    core->kit.fault_address = fault_address;
    core->r[ARM_SP] = to;
    armm_pushed(core, sp, to);
    uint32_t exc_return = core->ipsr ? 0xFFFFFFF1u : core->uses_psp ? 0xFFFFFFFDu : 0xFFFFFFF9u;
    oak_service_enter(&core->kit.log, number, 4 * number, core->kit.time.cycles);
    oak_service_take(&core->kit.log, number);
    core->kit.time.cycles += core->v7 ? 12 : 16;
    become_handler(core, number, exc_return, handler);
    return !core->fault_unhandled;
}

bool armm_take_pending(oak_core *core)
{
    if (!armm_may_take(core)) return false;
    return enter(core, first_pending(core), core->kit.pc);
}

/* ------------------------------------------------------------------------------------------ faults */

void armm_fault(oak_core *core, unsigned exception, oak_fault fault, uint32_t address, uint32_t status)
{
    core->kit.fault = fault;
    core->kit.fault_address = address;
    core->raised = exception;
    if (!core->v7) return;
    core->cfsr |= status;
    if (exception == ARMM_HARD_FAULT) return;
    core->raised = taken_as(core, exception);
    if (core->raised == ARMM_HARD_FAULT) core->hfsr |= 1u << 30; /* forced */
}

bool armm_take_raised(oak_core *core)
{
    unsigned number = core->raised;
    core->raised = 0;
    int now = armm_execution_priority(core);
    if (number == ARMM_SVCALL && group_of(core, core->priority[number]) >= now) {
        number = ARMM_HARD_FAULT;
        core->hfsr |= 1u << 30;
        core->kit.fault = OAK_FAULT_RESERVED;
        core->kit.fault_address = core->kit.pc;
    }
    if (number == ARMM_HARD_FAULT && now <= -1) {
        unhandled(core, OAK_FAULT_LOCKUP, core->ipsr);
        return false;
    }
    return enter(core, number, core->kit.pc);
}

/* ------------------------------------------------------------------------------------------ leaving */

void armm_write_control(oak_core *core, uint32_t value)
{
    bool psp = (value & 2) && !core->ipsr;
    core->control = (uint8_t)((core->v7 ? value & 1 : 0) | (psp ? 2 : 0));
    if (core->ipsr || psp == core->uses_psp) return;
    uint32_t sp = core->r[ARM_SP];
    core->r[ARM_SP] = core->other_sp;
    core->other_sp = sp;
    core->uses_psp = psp;
}

static void chain(oak_core *core, unsigned next, uint32_t exc_return, uint32_t handler, uint32_t *cycles)
{
    oak_service_leave(&core->kit.log, core->ends + *cycles);
    oak_service_enter(&core->kit.log, next, 4 * next, core->ends + *cycles);
    oak_service_take(&core->kit.log, next);
    *cycles += core->v7 ? 6 : 10;
    oak_service_begins(&core->kit.log, core->ends + *cycles);
    become_handler(core, next, exc_return, handler);
    core->kit.attention = true;
}

/* The handler `number` is left already: the fault finds its frame and chains to it (B1.5.8). Where nobody would handle it,
 * the run ends at the return, which has not been done. */
static armm_done bad_return(oak_core *core, unsigned number, uint32_t value, uint32_t *cycles)
{
    unsigned exception = core->v7 ? ARMM_USAGE_FAULT : ARMM_HARD_FAULT;
    bool handled = is_handled(core, exception);
    uint32_t handler;
    if (!handled) armm_put_bit(core->active, number, true);
    armm_fault(core, exception, OAK_FAULT_BAD_RETURN, value, 1u << 18);
    if (!handled) return ARMM_RAISED;
    exception = core->raised;
    core->raised = 0;
    core->fault_pc = core->now_op ? armm_pc_of(core, core->now_op) : core->kit.pc;
    vector_of(core, exception, &handler);
    if (number != ARMM_NMI) core->faultmask = 0;
    chain(core, exception, 0xF0000000u | value, handler, cycles);
    return ARMM_BRANCHED;
}

static bool any_active(const oak_core *core)
{
    for (size_t i = 0; i < sizeof core->active; i++)
        if (core->active[i]) return true;
    return false;
}

static void take_from_frame(oak_core *core, const uint32_t *frame)
{
    for (unsigned i = 0; i < 4; i++) core->r[i] = frame[i];
    core->r[12] = frame[4];
    armm_set_flags(core, frame[7]);
}

armm_done armm_return_from(oak_core *core, uint32_t value, uint32_t *cycles)
{
    unsigned number = core->ipsr, kind = value & 15;
    bool was_active = armm_bit(core->active, number);
    armm_put_bit(core->active, number, false);
    /* Bit 0 of CCR: the main program may go on while handlers are active. */
    bool nested = any_active(core), may_leave = !nested || (core->ccr & 1);
    if (!was_active || (value | 15) != UINT32_MAX || (kind != 1 && ((kind != 9 && kind != 13) || !may_leave)))
        return bad_return(core, number, value, cycles);
    if (armm_bit(core->level, number) && number >= ARMM_INTERRUPT) {
        oak_service_ask(&core->kit.log, number, true, core->ends);
        armm_pend(core, number, true);
    }
    if (number != ARMM_NMI) core->faultmask = 0;
    core->claimed = 1;
    core->event = true;
    uint32_t handler;
    unsigned next = first_pending(core);
    if (armm_may_take(core) && vector_of(core, next, &handler)) { /* tail-chaining */
        chain(core, next, value, handler, cycles);
        return ARMM_BRANCHED;
    }
    uint32_t frame[8], sp = kind == 13 ? core->other_sp : core->r[ARM_SP];
    for (unsigned i = 0; i < 8; i++) {
        if (armm_load(core, sp + 4 * i, 4, &frame[i])) continue;
        armm_put_bit(core->active, number, true);
        core->fault_unhandled = true;
        return ARMM_RAISED;
    }
    if ((kind == 1) !=
        ((frame[7] & 0x1FF) != 0)) { /* it leads elsewhere than the value says: back onto the stack */
        take_from_frame(core, frame);
        return bad_return(core, number, value, cycles);
    }
    sp += FRAME + (frame[7] >> 9 & 1) * 4;
    if (kind == 13) {
        core->other_sp = core->r[ARM_SP];
        core->r[ARM_SP] = sp;
        core->uses_psp = true;
        core->control |= 2;
    } else {
        core->r[ARM_SP] = sp;
    }
    take_from_frame(core, frame);
    core->r[ARM_LR] = frame[5];
    core->kit.pc = frame[6] & ~(uint32_t)1;
    core->not_thumb = !(frame[7] >> 24 & 1);
    core->it = core->it_after = core->v7 ? (uint8_t)((frame[7] >> 25 & 3) | (frame[7] >> 8 & 0xFC)) : 0;
    core->ipsr = frame[7] & 0x1FF;
    core->kit.attention = true;
    *cycles += core->v7 ? 9 : 15; /* with the one of the jump */
    oak_service_leave(&core->kit.log, core->ends + *cycles);
    armm_note_registers(core, UINT32_MAX);
    if (!core->ipsr && (core->scr & 2)) core->sleeping = true, core->waits_for_event = false;
    return ARMM_BRANCHED;
}

armm_done armm_jump(oak_core *core, uint32_t target, uint32_t *cycles)
{
    if (target >> 28 == 15 && core->ipsr) return armm_return_from(core, target, cycles);
    unsigned exception = core->v7 ? ARMM_USAGE_FAULT : ARMM_HARD_FAULT;
    if (!(target & 1) && !is_handled(core, exception)) { /* the run ends at the jump, where the mistake is */
        armm_fault(core, exception, OAK_FAULT_EVEN_JUMP, target, 1u << 17);
        return ARMM_RAISED;
    }
    core->kit.pc = target & ~(uint32_t)1;
    core->not_thumb = !(target & 1);
    if (core->not_thumb) core->kit.attention = true;
    *cycles += armm_refill(core, core->kit.pc);
    return ARMM_BRANCHED;
}

/* Nothing can be fetched there: devices and the system are never executed (B3.1, the default map), the rest is absent. */
void armm_refuse_fetch(oak_core *core, uint32_t pc)
{
    unsigned top =
        pc >> 29; /* half a gigabyte each: code, SRAM, peripherals, RAM, RAM, devices, devices, system */
    bool never = top == 2 || top >= 5;
    if (!core->v7) armm_fault(core, ARMM_HARD_FAULT, OAK_FAULT_OUTSIDE_CODE, pc, 0);
    else if (never) armm_fault(core, ARMM_MEM_MANAGE, OAK_FAULT_OUTSIDE_CODE, pc, 1u << 0);
    else armm_fault(core, ARMM_BUS_FAULT, OAK_FAULT_OUTSIDE_CODE, pc, 1u << 8);
}

/* A code that no instruction has; those of coprocessors say that there is none (A5.3.18). */
void armm_refuse_code(oak_core *core, uint32_t pc)
{
    const armm_region *region = armm_region_at(core, pc);
    uint32_t high = region ? region->bytes[pc - region->base + 1] : 0;
    uint32_t low = region ? region->bytes[pc - region->base] : 0, op1 = (high & 3) << 4 | low >> 4;
    bool coprocessor = core->v7 && (high & 0xEC) == 0xEC && op1 >= 2 && op1 < 0x30;
    armm_fault(core, core->v7 ? ARMM_USAGE_FAULT : ARMM_HARD_FAULT, OAK_FAULT_RESERVED, pc,
               coprocessor ? 1u << 19 : 1u << 16);
}

/* The instruction at an address that was reached without bit 0 (INVSTATE): it cannot be executed. */
void armm_refuse_state(oak_core *core)
{
    armm_fault(core, core->v7 ? ARMM_USAGE_FAULT : ARMM_HARD_FAULT, OAK_FAULT_EVEN_JUMP, core->kit.pc,
               1u << 17);
}

/* ------------------------------------------------------------------------------------------ lines of devices */

void armm_interrupt(oak_core *core, unsigned line, bool level, uint64_t from)
{
    (void)from; /* at once */
    if (line >= core->kit.setup.interrupt_count) return;
    unsigned number = ARMM_INTERRUPT + line;
    armm_put_bit(core->level, number, level);
    if (level && !armm_bit(core->active, number)) armm_pend(core, number, true);
    core->kit.attention = true;
}
