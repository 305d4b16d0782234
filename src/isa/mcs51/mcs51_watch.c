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
    MOST_REACHED = 12,
    CARRY = 0x80,
    HALF_CARRY = 0x40,
    OVERFLOW = 0x04
};

/* The names of flags in a text of the table, as bits of PSW. */
static uint8_t flags_of(const char *names)
{
    uint8_t flags = 0;
    for (const char *p = names; *p; p++) {
        if (p[0] == 'c' && p[1] == 'y') flags |= CARRY;
        if (p[0] == 'a' && p[1] == 'c') flags |= HALF_CARRY;
        if (p[0] == 'o' && p[1] == 'v') flags |= OVERFLOW;
    }
    return flags;
}

void mcs51_open_watch(oak_core *core)
{
    for (unsigned row = 0; row < MCS51_ROWS; row++) {
        const mcs51_shape *shape = &core->tables->shape[row];
        const char *uses = mcs51_uses[row];
        for (unsigned i = 0; i < shape->count; i++, uses++)
            core->operand_access[row][i] = *uses == 'r'   ? READS
                                           : *uses == 'w' ? WRITES
                                           : *uses == 'b' ? BOTH
                                                          : 0;
        if (*uses == ' ') uses++;
        core->silent[row].flags_read = flags_of(uses);
        core->silent[row].flags_written = flags_of(mcs51_rows[row].flags);
        core->silent[row].stack = oak_same(uses, "sp");
        core->silent[row].tests_a = oak_same(uses, "a");
        for (unsigned i = 0; i < shape->count; i++)
            if (shape->class_of[i] == MCS51_RN || shape->class_of[i] == MCS51_AT_RI ||
                shape->class_of[i] == MCS51_AT_DPTR || row == MCS51_MOVC_A_DPTR || row == MCS51_MOVC_A_PC)
                core->pointer[row] = shape->class_of[i];
        if (mcs51_touch[row] != MCS51_TOUCH_NONE && core->pointer[row] != MCS51_RN) core->pointer[row] = 0;
    }
}

static void add_direct(reach *one, uint32_t at)
{
    one->space = at < RAM_SIZE ? MCS51_IRAM : MCS51_SFR;
    one->address = at < RAM_SIZE ? at : at - SFR_AT;
    one->known = true;
}

/* A register that the instruction names or uses without a word, as the cell it lies in. */
static reach own(uint32_t at, uint32_t size, uint8_t accesses, uint8_t bits)
{
    return (reach){.space = MCS51_SFR,
                   .accesses = accesses,
                   .bits = bits,
                   .known = true,
                   .address = at - SFR_AT,
                   .size = size};
}

static unsigned find_registers(const oak_core *core, uint32_t pc, reach *list, unsigned count)
{
    unsigned row = core->row[pc];
    const mcs51_shape *shape = &core->tables->shape[row];
    for (unsigned i = 0; i < shape->count; i++) {
        uint8_t accesses = core->operand_access[row][i];
        switch (shape->class_of[i]) {
        case MCS51_A: list[count++] = own(ACC, 1, accesses, 0xFF); break;
        case MCS51_AB:
            list[count++] = own(ACC, 1, accesses, 0xFF);
            list[count++] = own(B, 1, accesses, 0xFF);
            break;
        case MCS51_C: list[count++] = own(PSW, 1, accesses, CARRY); break;
        case MCS51_DPTR: list[count++] = own(DPL, 2, accesses, 0xFF); break;
        case MCS51_AT_DPTR: list[count++] = own(DPL, 2, READS, 0xFF); break;
        case MCS51_AT_A_DPTR: list[count++] = own(DPL, 2, READS, 0xFF); /* fall through */
        case MCS51_AT_A_PC: list[count++] = own(ACC, 1, READS, 0xFF); break;
        default: break;
        }
    }
    if (core->silent[row].flags_read) list[count++] = own(PSW, 1, READS, core->silent[row].flags_read);
    if (core->silent[row].flags_written) list[count++] = own(PSW, 1, WRITES, core->silent[row].flags_written);
    if (core->silent[row].stack) list[count++] = own(SP, 1, BOTH, 0xFF);
    if (core->silent[row].tests_a) list[count++] = own(ACC, 1, READS, 0xFF);
    return count;
}

/* What the instruction at an address reaches in memory, with what is in the registers now. */
static unsigned find_cells(const oak_core *core, uint32_t pc, reach *list)
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
            list[count++] = (reach){.space = MCS51_IRAM,
                                    .accesses = READS,
                                    .bits = 0xFF,
                                    .banked = true,
                                    .address = (uint32_t)(r - data) + op->x,
                                    .size = 1};
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
    default: stack.size = 0; break;
    }
    if (stack.size) list[count++] = stack;
    return count;
}

/* The same with registers, where one of them is watched. */
static unsigned find_reached(const oak_core *core, uint32_t pc, reach *list)
{
    unsigned count = find_cells(core, pc, list);
    if (core->row[pc] >= MCS51_ROWS || !core->registers_watched) return count;
    return find_registers(core, pc, list, count);
}

/* Where the registers that lie in special registers do. */
static const struct {
    uint8_t number, at, size;
} lies[] = {{MCS51_REG_A, 0xE0, 1},
            {MCS51_REG_B, 0xF0, 1},
            {MCS51_REG_PSW, 0xD0, 1},
            {MCS51_REG_SP, 0x81, 1},
            {MCS51_REG_DPTR, 0x82, 2}};
enum { LYING = sizeof lies / sizeof *lies };

/* As a register, where it is one. */
static oak_watched touched(const reach *one)
{
    oak_watched cells = {one->space, one->accesses, one->bits == 0xFF ? 0 : one->bits, one->address,
                         one->size};
    bool is_register = one->banked;
    if (one->banked) cells.address = MCS51_REG_R0 + (one->address & 7);
    for (unsigned i = 0; one->space == MCS51_SFR && i < LYING; i++) {
        if (one->address - lies[i].at >= lies[i].size) continue;
        cells.address = lies[i].number;
        is_register = true;
    }
    if (is_register) cells.space = 0, cells.size = 1;
    return cells;
}

unsigned mcs51_touches(oak_core *core, oak_watched *list, unsigned room)
{
    reach reached[MOST_REACHED];
    uint32_t pc = core->pc & (CODE_SPACE - 1);
    if (core->row[pc] == OP_DECODE) mcs51_decode_block(core, pc);
    if (core->row[pc] >= MCS51_ROWS) return 0;
    unsigned count = 0, found = find_registers(core, pc, reached, find_cells(core, pc, reached));
    for (unsigned i = 0; i < found; i++) {
        oak_watched one = touched(&reached[i]);
        uint32_t bytes = one.size;
        one.size = 1;
        for (uint32_t b = 0; b < bytes; b++) {
            oak_watched byte = one;
            byte.address += b;
            if (byte.space == MCS51_IRAM) byte.address &= RAM_SIZE - 1; /* a stack may wrap round */
            count = oak_touch(list, count, room, &byte);
        }
    }
    return count;
}

static bool wants(const oak_watched *watched, const reach *one)
{
    uint8_t accesses = one->accesses;
    if (accesses & WRITES) accesses |= OAK_ACCESS_CHANGE;
    return watched->space == one->space && (watched->accesses & accesses) &&
           (!watched->bits || (watched->bits & one->bits));
}

/* Where the cells of one of those watched begin, with the bank that is selected. */
static uint32_t begin_of(const oak_core *core, unsigned number)
{
    bool banked = core->watched_banked >> number & 1;
    return core->watched[number].address + (banked ? core->data[PSW] & 0x18u : 0);
}

static bool overlaps(uint32_t begin, uint32_t size, const reach *one)
{
    return one->address < (uint64_t)begin + size && begin < (uint64_t)one->address + one->size;
}

bool mcs51_may_reach(const oak_core *core, uint32_t pc)
{
    reach list[MOST_REACHED];
    unsigned count = find_reached(core, pc, list);
    for (unsigned i = 0; i < count; i++)
        for (unsigned w = 0; w < core->watched_count; w++) {
            if (!wants(&core->watched[w], &list[i])) continue;
            if (!list[i].known && !list[i].banked) return true;
            bool banked = core->watched_banked >> w & 1;
            for (unsigned bank = 0; bank < (list[i].banked || banked ? 4 : 1); bank++) {
                reach one = list[i];
                if (one.banked) one.address = (one.address & 7) + 8 * bank;
                uint32_t begin = core->watched[w].address + (banked ? 8 * bank : 0);
                if (overlaps(begin, core->watched[w].size, &one)) return true;
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
    if (core->registers_watched) return false;
    switch (core->pointer[row]) {
    case MCS51_RN: /* and perhaps a direct byte */
        address = core->ops[pc].at;
        if (mcs51_touch[row] != MCS51_TOUCH_NONE &&
            (address < RAM_SIZE ? core->ram_watched[address] : core->special_watched))
            return false;
        return !core->ram_watched[(r - data) + core->ops[pc].x];
    case MCS51_AT_RI:
        if (core->ram_watched[(r - data) + core->ops[pc].x]) return false; /* the pointer itself */
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
            if (wants(&core->watched[w], &list[i]) &&
                overlaps(begin_of(core, w), core->watched[w].size, &list[i]))
                return true;
    return false;
}

/* Somebody reaches these bytes, by the instruction at `pc`. */
static void note(oak_core *core, const reach *one, uint32_t pc)
{
    for (unsigned w = 0; w < core->watched_count; w++) {
        const oak_watched *watched = &core->watched[w];
        if (!wants(watched, one) || !overlaps(begin_of(core, w), watched->size, one)) continue;
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
    stack = own(SP, 1, BOTH, 0xFF);
    if (core->registers_watched) note(core, &stack, core->pc);
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

/* Turns a register of the core into the cells that it lies in. False for the program counter, which every instruction writes. */
static bool find_register(oak_watched *one)
{
    uint32_t number = one->address;
    bool banked = number >= MCS51_REG_R0 && number <= MCS51_REG_R7;
    if (banked) *one = (oak_watched){MCS51_IRAM, one->accesses, one->bits, number - MCS51_REG_R0, 1};
    for (unsigned i = 0; !banked && i < LYING; i++)
        if (lies[i].number == number)
            *one = (oak_watched){MCS51_SFR, one->accesses, one->bits, lies[i].at, lies[i].size};
    return one->space != 0;
}

/* May an instruction reach these cells as a register that it names or uses silently? */
static bool holds_register(const oak_watched *one)
{
    for (unsigned i = 0; one->space == MCS51_SFR && i < LYING; i++)
        if (lies[i].at < one->address + one->size && one->address < (uint32_t)lies[i].at + lies[i].size)
            return true;
    return false;
}

oak_status mcs51_watch(oak_core *core, const oak_watched *asked, unsigned count)
{
    oak_watched watched[OAK_MOST_WATCHED];
    uint32_t banked = 0;
    if (count > OAK_MOST_WATCHED) return OAK_UNSUPPORTED;
    for (unsigned i = 0; i < count; i++) {
        watched[i] = asked[i];
        if (asked[i].space || (asked[i].accesses & OAK_ACCESS_HANDLER)) continue;
        if ((asked[i].accesses & OAK_ACCESS_CHANGE) || !find_register(&watched[i])) return OAK_UNSUPPORTED;
        if (watched[i].space == MCS51_IRAM) banked |= (uint32_t)1 << i;
    }
    for (unsigned i = 0; i < count; i++) {
        if (!watched[i].size && !(watched[i].accesses & OAK_ACCESS_HANDLER)) return OAK_OUT_OF_RANGE;
        bool memory = watched[i].space == MCS51_IRAM || watched[i].space == MCS51_XRAM;
        if ((watched[i].accesses & OAK_ACCESS_CHANGE && !memory) || watched[i].space == MCS51_BIT)
            return OAK_UNSUPPORTED;
    }
    for (unsigned i = 0; i < count; i++) core->watched[i] = watched[i];
    core->watched_count = count;
    core->watched_banked = banked;
    core->registers_watched = core->special_watched = false;
    core->observed = count || core->tallies.at;
    core->watch_hits = core->written_count = 0;
    memset(core->ram_watched, 0, sizeof core->ram_watched);
    core->xram_first = core->code_first = UINT32_MAX;
    core->xram_last = core->code_last = 0;
    for (unsigned i = 0; i < count; i++) {
        const oak_watched *one = &watched[i];
        if (one->accesses & OAK_ACCESS_HANDLER) continue;
        core->registers_watched |= holds_register(one);
        core->special_watched |= one->space == MCS51_SFR;
        for (unsigned bank = 0; (banked >> i & 1) && bank < 4; bank++)
            core->ram_watched[one->address + 8 * bank] = true;
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
