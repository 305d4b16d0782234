/* armm_uses.c — the registers that an instruction reads and writes, from the operands of its row. */
#include "isa/armm/armm_core.h"

#define BIT(number) ((uint32_t)1 << (number))

/* What mrs reads and msr writes. */
static uint32_t special(uint32_t number)
{
    switch (number) {
    case 8: return BIT(ARMM_MSP);
    case 9: return BIT(ARMM_PSP);
    case 16: return BIT(ARMM_PRIMASK);
    case 17:
    case 18: return BIT(ARMM_BASEPRI);
    case 19: return BIT(ARMM_FAULTMASK);
    case 20: return BIT(ARMM_CONTROL);
    default: return BIT(ARMM_XPSR);
    }
}

static uint32_t special_bits(const arm_class *class, uint32_t field)
{
    if (class->what == ARM_SPECIAL) return special(field);
    return (field & 2 ? BIT(ARMM_PRIMASK) : 0) | (field & 1 ? BIT(ARMM_FAULTMASK) : 0);
}

static bool decode_at(const oak_core *core, uint32_t pc, oak_decoded *decoded)
{
    const armm_region *region = armm_region_at(core, pc);
    if (!region) return false;
    size_t available = region->size - (pc - region->base);
    return arm_decode(core->kit.tables, region->bytes + (pc - region->base), available < 4 ? available : 4,
                      pc, core->it, decoded) == OAK_OK;
}

/* When it is executed. */
static arm_uses uses_at(const oak_core *core, uint32_t pc)
{
    static const arm_naming naming = {.status = BIT(ARMM_XPSR), .special = special_bits};
    oak_decoded decoded;
    if (!decode_at(core, pc, &decoded)) return (arm_uses){0};
    arm_uses uses = arm_uses_of(core->kit.tables, &decoded, &naming);
    if (uses.writes & BIT(ARMM_CONTROL)) uses.writes |= BIT(ARM_SP); /* another one may come into use */
    return uses;
}

arm_uses armm_next_uses(oak_core *core)
{
    armm_single *single = armm_single_at(core, core->kit.pc);
    if (!single->uses_known) single->uses = uses_at(core, core->kit.pc);
    single->uses_known = true;
    arm_uses uses = single->uses;
    unsigned condition = core->it ? core->it >> 4 : ARM_ALWAYS;
    if (!armm_holds(condition, core->nz, core->c, core->v)) uses = (arm_uses){0};
    if (condition != ARM_ALWAYS) uses.reads |= BIT(ARMM_XPSR);
    /* The stack pointer in use is one of the two. */
    uint32_t both = BIT(ARM_SP) | BIT(core->uses_psp ? ARMM_PSP : ARMM_MSP);
    if (uses.reads & both) uses.reads |= both;
    if (uses.writes & both) uses.writes |= both;
    uses.reads &= ~BIT(ARM_PC);
    uses.writes &= ~BIT(ARM_PC);
    return uses;
}

uint32_t armm_may_use(oak_core *core, uint32_t pc)
{
    uint8_t state = core->it;
    core->it = 0;
    arm_uses uses = uses_at(core, pc);
    core->it = state;
    uint32_t all = uses.reads | uses.writes;
    return all & ARMM_STACK_POINTERS ? all | ARMM_STACK_POINTERS : all;
}

uint16_t armm_may_change(oak_core *core, uint32_t pc, bool in_block)
{
    oak_decoded decoded;
    uint8_t state = core->it;
    core->it = 0;
    uint32_t written = uses_at(core, pc).writes;
    bool known = decode_at(core, pc, &decoded);
    core->it = state;
    bool stores = known && arm_stores(core->kit.tables, decoded.row);
    if (written & ARMM_STACK_POINTERS) written |= ARMM_STACK_POINTERS;
    if (in_block) written |= BIT(ARMM_XPSR);
    unsigned which = core->kit.judged_always;
    for (unsigned i = 0; i < core->kit.judged.count; i++) {
        const oak_watched *cells = &core->kit.judged.value[i].cells;
        which |= (unsigned)(cells->space ? stores : cells->address < 32 && (written >> cells->address & 1))
                 << i;
    }
    const oak_flow flow = known ? decoded.flow : OAK_FLOW_COMPUTED;
    return (uint16_t)(which | oak_judged_goes(&core->kit.judged, which, flow, pc));
}

unsigned armm_touches(oak_core *core, oak_watched *list, unsigned room)
{
    unsigned count = 0;
    uint32_t pc = core->kit.pc;
    arm_uses uses = armm_next_uses(core);
    bool holds = !core->it || armm_holds(core->it >> 4, core->nz, core->c, core->v);
    for (unsigned i = 0; i < ARMM_REGISTERS; i++) {
        uint8_t accesses = (uint8_t)((uses.reads >> i & 1 ? OAK_ACCESS_READ : 0) |
                                     (uses.writes >> i & 1 ? OAK_ACCESS_WRITE : 0));
        if (accesses && i != (core->uses_psp ? ARMM_PSP : ARMM_MSP)) /* that is sp */
            count =
                oak_touch(list, count, room, &(oak_watched){.accesses = accesses, .address = i, .size = 1});
    }
    oak_decoded decoded;
    if (!holds || !decode_at(core, pc, &decoded)) return count;
    return arm_reach(core->kit.tables, &decoded, core->r, list, count, room);
}
