/* mcs51_watch.c — watched cells: what an instruction reaches, and whether somebody wants to know.
 *
 * An instruction that may reach a watched cell gets a handler of its own, which looks; all others run as ever. A direct
 * address is known when the instruction is decoded; a pointer, the stack and the register bank only when it runs. */
#include "isa/mcs51/mcs51_core.h"

#include "base/text.h"

/* Bytes that an instruction reaches in one space. */
typedef struct reach {
    uint8_t space, accesses, bits; /* bits: those it looks at or sets, of a single byte */
    bool known;                    /* false: the registers decide where; */
    bool banked;                   /* but it is a register of one of the banks */
    uint32_t address, size;
} reach;

enum {
    READS = OAK_ACCESS_READ,
    WRITES = OAK_ACCESS_WRITE,
    BOTH = OAK_ACCESS_READ | OAK_ACCESS_WRITE,
    MOST_REACHED = 4
};

/* What a mnemonic does to its operands: the first one, and the others. */
static const struct {
    const char *mnemonic;
    uint8_t first, others;
} uses[] = {
    {"mov", WRITES, READS}, {"movx", WRITES, READS}, {"inc", BOTH, 0},     {"dec", BOTH, 0},
    {"djnz", BOTH, 0},      {"cpl", BOTH, 0},        {"xch", BOTH, BOTH},  {"xchd", BOTH, BOTH},
    {"anl", BOTH, READS},   {"orl", BOTH, READS},    {"xrl", BOTH, READS}, {"clr", WRITES, 0},
    {"setb", WRITES, 0},    {"jbc", BOTH, 0},        {"pop", WRITES, 0},
};

void mcs51_open_watch(oak_core *core)
{
    for (unsigned row = 0; row < MCS51_ROWS; row++) {
        uint8_t first = READS, others = READS;
        for (size_t i = 0; i < sizeof uses / sizeof *uses; i++)
            if (oak_same(uses[i].mnemonic, mcs51_rows[row].mnemonic))
                first = uses[i].first, others = uses[i].others;
        for (unsigned i = 0; i < MCS51_MOST_OPERANDS; i++) core->operand_access[row][i] = i ? others : first;
        const mcs51_shape *shape = &core->tables->shape[row];
        for (unsigned i = 0; i < shape->count; i++)
            if (shape->class_of[i] == MCS51_AT_RI || shape->class_of[i] == MCS51_AT_DPTR ||
                row == MCS51_MOVC_A_DPTR || row == MCS51_MOVC_A_PC)
                core->pointer[row] = shape->class_of[i];
        if (mcs51_touch[row] != MCS51_TOUCH_NONE) core->pointer[row] = 0;
    }
}

static void add_direct(reach *one, uint32_t at)
{
    one->space = at < RAM_SIZE ? MCS51_IRAM : MCS51_SFR;
    one->address = at < RAM_SIZE ? at : at - SFR_AT;
    one->known = true;
}

/* What the instruction at an address reaches, with what is in the registers now. */
static unsigned find_reached(const oak_core *core, uint32_t pc, reach *list)
{
    unsigned row = core->row[pc], count = 0;
    if (row >= MCS51_ROWS) return 0;
    const mcs51_op *op = &core->ops[pc];
    const mcs51_shape *shape = &core->tables->shape[row];
    const uint8_t *data = core->data, *r = data + (data[PSW] & 0x18);
    bool external = row >= MCS51_MOVX_A_RI && row <= MCS51_MOVX_DPTR_A;
    uint32_t dptr = (uint32_t)(data[DPH] << 8 | data[DPL]);
    for (unsigned i = 0; i < shape->count; i++) {
        reach one = {.accesses = core->operand_access[row][i], .bits = 0xFF, .size = 1};
        switch (shape->class_of[i]) {
        case MCS51_RN:
            one.space = MCS51_IRAM;
            one.address = (uint32_t)(r - data) + op->x;
            one.banked = true;
            break;
        case MCS51_AT_RI:
            one.space = external ? MCS51_XRAM : MCS51_IRAM;
            one.address = external ? (uint32_t)(data[PORT2] << 8 | r[op->x]) : r[op->x];
            break;
        case MCS51_AT_DPTR:
            one.space = MCS51_XRAM;
            one.address = dptr;
            break;
        case MCS51_AT_A_DPTR:
            if (row != MCS51_MOVC_A_DPTR) continue;
            one.space = MCS51_CODE;
            one.address = (dptr + core->a) & 0xFFFF;
            break;
        case MCS51_AT_A_PC:
            one.space = MCS51_CODE;
            one.address = (pc + 1 + core->a) & 0xFFFF;
            break;
        case MCS51_DIRECT: add_direct(&one, op->at); break;
        case MCS51_SOURCE: add_direct(&one, op->target); break;
        case MCS51_BIT_ADDRESS:
        case MCS51_NOT_BIT:
            add_direct(&one, op->at);
            one.bits = op->x;
            break;
        default: continue;
        }
        list[count++] = one;
    }
    reach stack = {.space = MCS51_IRAM, .bits = 0xFF, .size = 1, .address = data[SP]};
    switch (row) {
    case MCS51_PUSH_DIR: stack.accesses = WRITES, stack.address++; break;
    case MCS51_POP_DIR: stack.accesses = READS; break;
    case MCS51_ACALL:
    case MCS51_LCALL: stack.accesses = WRITES, stack.address++, stack.size = 2; break;
    case MCS51_RET:
    case MCS51_RETI: stack.accesses = READS, stack.address--, stack.size = 2; break;
    default: return count;
    }
    list[count++] = stack;
    return count;
}

static bool wants(const oak_watched *watched, const reach *one)
{
    uint8_t accesses = one->accesses;
    if (accesses & WRITES) accesses |= OAK_ACCESS_CHANGE;
    return watched->space == one->space && (watched->accesses & accesses) &&
           (!watched->bits || (watched->bits & one->bits));
}

static bool overlaps(const oak_watched *watched, const reach *one)
{
    return one->address < (uint64_t)watched->address + watched->size &&
           watched->address < (uint64_t)one->address + one->size;
}

bool mcs51_may_reach(const oak_core *core, uint32_t pc)
{
    reach list[MOST_REACHED];
    unsigned count = find_reached(core, pc, list);
    for (unsigned i = 0; i < count; i++)
        for (unsigned w = 0; w < core->watched_count; w++) {
            if (!wants(&core->watched[w], &list[i])) continue;
            if (!list[i].known && !list[i].banked) return true;
            for (unsigned bank = 0; bank < (list[i].banked ? 4 : 1); bank++) {
                reach one = list[i];
                if (one.banked) one.address = (one.address & 7) + 8 * bank;
                if (overlaps(&core->watched[w], &one)) return true;
            }
        }
    return false;
}

/* Is it out of the question, at a glance? */
static bool is_elsewhere(const oak_core *core, uint32_t pc)
{
    const uint8_t *data = core->data, *r = data + (data[PSW] & 0x18);
    unsigned row = core->row[pc];
    uint32_t address;
    switch (core->pointer[row]) {
    case MCS51_AT_RI:
        if (row != MCS51_MOVX_A_RI && row != MCS51_MOVX_RI_A) return !core->ram_watched[r[core->ops[pc].x]];
        address = (uint32_t)(data[PORT2] << 8 | r[core->ops[pc].x]);
        return address < core->xram_first || address > core->xram_last;
    case MCS51_AT_DPTR:
        address = (uint32_t)(data[DPH] << 8 | data[DPL]);
        return address < core->xram_first || address > core->xram_last;
    case MCS51_AT_A_DPTR:
        address = ((uint32_t)(data[DPH] << 8 | data[DPL]) + core->a) & 0xFFFF;
        return address < core->code_first || address > core->code_last;
    default: return false;
    }
}

bool mcs51_reaches(const oak_core *core, uint32_t pc)
{
    if (is_elsewhere(core, pc)) return false;
    reach list[MOST_REACHED];
    unsigned count = find_reached(core, pc, list);
    for (unsigned i = 0; i < count; i++)
        for (unsigned w = 0; w < core->watched_count; w++)
            if (wants(&core->watched[w], &list[i]) && overlaps(&core->watched[w], &list[i])) return true;
    return false;
}

/* Somebody reaches these bytes, by the instruction at `pc`. */
static void note(oak_core *core, const reach *one, uint32_t pc)
{
    for (unsigned w = 0; w < core->watched_count; w++) {
        const oak_watched *watched = &core->watched[w];
        if (!wants(watched, one) || !overlaps(watched, one)) continue;
        if (watched->accesses & one->accesses) core->watch_hits |= (uint32_t)1 << w, core->watch_pc = pc;
        if (!(watched->accesses & OAK_ACCESS_CHANGE)) continue;
        for (uint32_t at = one->address; at < one->address + one->size; at++) {
            uint8_t *cell = mcs51_cells(core, one->space, at, 1);
            bool inside = at >= watched->address && at - watched->address < watched->size;
            if (!cell || !inside || core->written_count == sizeof core->written / sizeof *core->written)
                continue;
            core->written[core->written_count].number = (uint8_t)w;
            core->written[core->written_count].bits = watched->bits ? watched->bits : 0xFF;
            core->written[core->written_count].value = *cell;
            core->written[core->written_count++].cell = cell;
            core->watch_pc = pc;
        }
    }
}

void mcs51_watch_begin(oak_core *core, uint32_t pc)
{
    if (!core->watched_count) return;
    reach list[MOST_REACHED];
    unsigned count = find_reached(core, pc, list);
    core->written_count = 0;
    for (unsigned i = 0; i < count; i++) note(core, &list[i], pc);
}

void mcs51_watch_entry(oak_core *core, uint32_t vector)
{
    reach stack = {
        .space = MCS51_IRAM, .accesses = WRITES, .bits = 0xFF, .address = core->data[SP] + 1u, .size = 2};
    core->written_count = 0;
    note(core, &stack, core->pc);
    for (unsigned w = 0; w < core->watched_count; w++) {
        const oak_watched *one = &core->watched[w];
        if (!(one->accesses & OAK_ACCESS_HANDLER) || (one->size && one->address != vector)) continue;
        core->watch_hits |= (uint32_t)1 << w;
        core->watch_pc = core->pc;
    }
}

void mcs51_watch_end(oak_core *core)
{
    for (unsigned i = 0; i < core->written_count; i++)
        if ((*core->written[i].cell ^ core->written[i].value) & core->written[i].bits)
            core->watch_hits |= (uint32_t)1 << core->written[i].number;
    core->written_count = 0;
    if (core->watch_hits) core->attention = true;
}

static void widen(uint32_t *first, uint32_t *last, const oak_watched *one)
{
    if (one->address < *first) *first = one->address;
    if (one->address + (one->size - 1) > *last) *last = one->address + (one->size - 1);
}

oak_status mcs51_watch(oak_core *core, const oak_watched *watched, unsigned count)
{
    if (count > OAK_MOST_WATCHED) return OAK_UNSUPPORTED;
    for (unsigned i = 0; i < count; i++) {
        if (!watched[i].size && !(watched[i].accesses & OAK_ACCESS_HANDLER)) return OAK_OUT_OF_RANGE;
        bool memory = watched[i].space == MCS51_IRAM || watched[i].space == MCS51_XRAM;
        if ((watched[i].accesses & OAK_ACCESS_CHANGE && !memory) || watched[i].space == MCS51_BIT)
            return OAK_UNSUPPORTED;
    }
    for (unsigned i = 0; i < count; i++) core->watched[i] = watched[i];
    core->watched_count = count;
    core->observed = count || core->tallies.at;
    core->watch_hits = core->written_count = 0;
    memset(core->ram_watched, 0, sizeof core->ram_watched);
    core->xram_first = core->code_first = UINT32_MAX;
    core->xram_last = core->code_last = 0;
    for (unsigned i = 0; i < count; i++) {
        const oak_watched *one = &watched[i];
        if (one->accesses & OAK_ACCESS_HANDLER) continue;
        for (uint32_t at = one->address;
             one->space == MCS51_IRAM && at < RAM_SIZE && at - one->address < one->size; at++)
            core->ram_watched[at] = true;
        if (one->space == MCS51_XRAM) widen(&core->xram_first, &core->xram_last, one);
        if (one->space == MCS51_CODE) widen(&core->code_first, &core->code_last, one);
    }
    for (uint32_t pc = 0; core->decoded && pc < CODE_SPACE; pc++)
        if (core->row[pc] < MCS51_ROWS && !core->stop_at[pc]) core->ops[pc].handler = mcs51_handler(core, pc);
    return OAK_OK;
}
