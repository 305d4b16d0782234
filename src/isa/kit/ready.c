/* ready.c — decoded operations: chains and what they cost, stop points, forgetting. */
#include "isa/kit/table.h"

#include "base/bytes.h"
#include "base/invariant.h"

static uint32_t span_of(const kit_core *kit)
{
    return kit->span;
}

uint16_t kit_natural(const oak_core *core, uint32_t pc)
{
    const kit_core *kit = kit_look(core);
    uint16_t handler = kit->row[pc];
    if (handler < KIT_FIRST_ROW) return handler;
    if (kit->arch->natural) handler = kit->arch->natural(core, pc, handler);
    if (handler != kit->row[pc]) return handler;
    bool jumps = kit->arch->isa->rows[handler - KIT_FIRST_ROW].flow == OAK_FLOW_JUMP;
    return jumps && !kit->arch->paged && !kit->ops[pc].to ? KIT_PARKED : handler;
}

uint16_t kit_handler_at(const oak_core *core, uint32_t pc)
{
    const kit_core *kit = kit_look(core);
    bool watched = kit->watched_count && kit_may_reach(core, pc, kit->watched, kit->watched_count);
    return watched ? KIT_WATCHED : kit_natural(core, pc);
}

uint16_t kit_missing(const oak_core *core, uint32_t pc, unsigned units, uint32_t *which)
{
    unsigned code = kit_look(core)->arch->isa->about.code_space;
    for (unsigned i = 0; i < units; i++) {
        uint32_t wraps = kit_look(core)->arch->code_span;
        *which = wraps ? (pc + i) % wraps : pc + i;
        const kit_space *space = kit_stretch(core, code, *which);
        if (!space) return KIT_OUTSIDE;
        if (space->known && !space->known[*which - space->first]) return KIT_UNPROGRAMMED;
        if (kit_look(core)->guard && *kit_guard_at(core, *which) & KIT_GUARD_FRESH) return KIT_UNPROGRAMMED;
    }
    return 0;
}

oak_status kit_decode_at(const oak_core *core, uint32_t pc, oak_decoded *decoded)
{
    uint8_t bytes[OAK_LONGEST_INSN];
    uint32_t address = kit_address(core, pc);
    kit_fetch(core, address, bytes);
    return kit_look(core)->arch->isa->decode(kit_look(core)->tables, bytes, sizeof bytes, address, 0,
                                             decoded);
}

/* Fills in the operation at pc; its cost is left to the caller. Returns the slots it takes. */
static unsigned decode_one(oak_core *core, uint32_t pc)
{
    kit_core *kit = kit_of(core);
    kit_op *op = &kit->ops[pc];
    uint32_t which;
    oak_decoded decoded;
    oak_status status = kit_decode_at(core, pc, &decoded);
    uint32_t address = kit_address(core, pc);
    uint16_t fault = kit_missing(core, address, decoded.size, &which);
    if (status && !fault) fault = KIT_RESERVED;
    if (kit->guard) kit_guard_decoded(core, address, status ? OAK_LONGEST_INSN : decoded.size);
    if (fault) {
        kit->row[pc] = fault;
        op->handler = kit->stop_at[pc] ? KIT_STOP : fault;
        return 1;
    }
    kit->row[pc] = (uint16_t)(KIT_FIRST_ROW + decoded.row);
    op->to = kit_way(pc, !decoded.has_target     ? 0
                         : kit->arch->slot_bytes ? kit_target_slot(core, decoded.target)
                                                 : decoded.target);
    (kit->arch->fill ? kit->arch->fill : kit_row_fill)(core, &decoded, op);
    op->size = (uint16_t)(decoded.size / (kit->arch->slot_bytes ? kit->arch->slot_bytes : 1));
    op->handler = kit->stop_at[pc] ? KIT_STOP : kit_handler_at(core, pc);
    op->judged = kit_may_change(core, pc);
    return op->size;
}

/* True when the chain ends with this address: what follows is not always executed next, or time matters exactly. */
bool kit_ends_chain(const oak_core *core, uint32_t pc)
{
    uint16_t natural = kit_natural(core, pc), row = kit_look(core)->row[pc];
    const kit_arch *arch = kit_look(core)->arch;
    bool alike = natural == row || (arch->alike && natural >= arch->alike);
    if (!alike || row < KIT_FIRST_ROW) return true;
    unsigned flow = arch->isa->rows[row - KIT_FIRST_ROW].flow;
    return flow != OAK_FLOW_NEXT && !(arch->skips && flow == OAK_FLOW_BRANCH);
}

static uint64_t own_cost(const oak_core *core, uint32_t pc)
{
    const kit_core *kit = kit_look(core);
    uint16_t row = kit->row[pc];
    if (row < KIT_FIRST_ROW || kit_natural(core, pc) == KIT_PARKED) return 0;
    return (uint64_t)1 << 32 | kit->own_cycles[row - KIT_FIRST_ROW];
}

void kit_decode_chain(oak_core *core, uint32_t start)
{
    kit_core *kit = kit_of(core);
    uint64_t total = 0;
    uint32_t pc = start;
    bool joined = false; /* the chain ends in front of `pc`, not with it */
    if (!kit->decoded) kit->low = kit->high = start;
    if (start < kit->low) kit->low = start;
    kit->decoded = true;
    for (;;) {
        unsigned size = decode_one(core, pc);
        if (pc >= kit->high) kit->high = pc + 1;
        total += own_cost(core, pc);
        if (kit_ends_chain(core, pc)) break;
        pc += size;
        joined = pc >= span_of(kit) || kit->row[pc]; /* behind the last address a wrap charges anew */
        if (!joined) continue;
        if (pc < span_of(kit)) total += kit->ops[pc].cost;
        break;
    }
    OAK_INVARIANT(pc < span_of(kit) || joined); /* a chain ends inside the code, or wraps */
    uint32_t last = pc;
    for (pc = start; !(joined && pc == last); pc += kit->ops[pc].size) {
        kit->ops[pc].cost = total;
        total -= own_cost(core, pc);
        if (pc == last) break;
    }
}

void kit_fold_counts(oak_core *core)
{
    kit_core *kit = kit_of(core);
    if (kit->arch->fold_counts) {
        kit->arch->fold_counts(core);
        return;
    }
    if (!kit->counting) return;
    OAK_INVARIANT(kit->counts && kit->tallies.at);
    kit->counting = false;
    for (uint32_t start = kit->low; kit->decoded && start < kit->high; start++) {
        struct kit_counted *counted = (struct kit_counted *)(void *)(kit->counts + start * sizeof(kit_op));
        uint64_t times = (uint64_t)counted->entered;
        if (counted->more) oak_tallies_add(&kit->tallies, start, 0, counted->more);
        for (uint32_t pc = start; times && pc < span_of(kit) && kit->row[pc]; pc += kit->ops[pc].size) {
            uint64_t own = own_cost(core, pc);
            if (own) oak_tallies_add(&kit->tallies, pc, times, times * (uint32_t)own);
            if (kit_ends_chain(core, pc)) break;
        }
        *counted = (struct kit_counted){0};
    }
}

void kit_forget(oak_core *core)
{
    if (kit_look(core)->arch->forget) {
        kit_look(core)->arch->forget(core);
        return;
    }
    kit_fold_counts(core);
    kit_core *kit = kit_of(core);
    for (unsigned i = 0; kit->known && i < KIT_MOST_KNOWN; i++) kit->known[i].filled = false;
    kit->last_known.filled = false;
    if (kit->decoded) { /* what was never reached was never touched */
        memset(kit->ops + kit->low, 0, (kit->high - kit->low) * sizeof *kit->ops);
        memset(kit->row + kit->low, 0, (kit->high - kit->low) * sizeof *kit->row);
    }
    kit->decoded = false;
    kit_forget_targets(core);
}

void kit_lay_out(oak_core *core)
{
    kit_core *kit = kit_of(core);
    uint32_t span = span_of(kit);
    for (unsigned i = 0; i + 1 < KIT_SPARE; i++) kit->ops[span + i].handler = KIT_WRAP;
    kit->ops[span + KIT_SPARE - 1].handler = kit->arch->taken;
}

oak_status kit_set_stop(oak_core *core, uint32_t address, bool on)
{
    kit_core *kit = kit_of(core);
    uint32_t slot = kit_find_slot(core, address);
    if (slot >= span_of(kit)) return OAK_OUT_OF_RANGE;
    kit->stop_at[slot] = on;
    for (uint32_t one = slot < 2 ? 0 : slot - 2; one <= slot;
         one++) /* those before may be executed together with it */
        if (kit->row[one]) kit->ops[one].handler = kit->stop_at[one] ? KIT_STOP : kit_handler_at(core, one);
    return OAK_OK;
}

void kit_choose_handlers(oak_core *core)
{
    kit_core *kit = kit_of(core);
    for (uint32_t pc = kit->low; kit->decoded && pc < kit->high; pc++) {
        if (kit->row[pc] < KIT_FIRST_ROW) continue;
        if (!kit->stop_at[pc]) kit->ops[pc].handler = kit_handler_at(core, pc);
        kit->ops[pc].judged = kit_may_change(core, pc);
    }
}
