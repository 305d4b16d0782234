/* armm_slow.c — instructions that are rare, straight from their codes: one case a row, in the order of the table; and what the operations of
 * the loop do where plain memory does not answer. What armm_ready.c always makes an operation of its own of is not here. */
#include "base/bytes.h"
#include "isa/armm/armm_core.h"

#define GET(letter) oak_pattern_get(pattern, letter, word)
#define R           core->r

uint32_t armm_refill(const oak_core *core, uint32_t target)
{
    if (!core->v7 || !(target & 2)) return 2;
    const armm_region *region = armm_region_at(core, target);
    if (!region || target - region->base + 2 > region->size) return 2;
    /* A 32-bit instruction that lies in two words takes two fetches. */
    return region->bytes[target - region->base + 1] >= 0xE8 ? 3 : 2;
}

/* ------------------------------------------------------------------------------------------ arithmetic */

typedef enum alu { AND, BIC, ORR, ORN, EOR, MOV, MVN, ADD, ADC, SBC, SUB, RSB } alu;

static void set_register(oak_core *core, unsigned number, uint32_t value)
{
    R[number] = number == ARM_SP ? value & ~(uint32_t)3 : value;
}

static uint32_t add_with_carry(oak_core *core, uint32_t a, uint32_t b, uint32_t carry, bool flags)
{
    uint64_t sum = (uint64_t)a + b + carry;
    uint32_t result = (uint32_t)sum;
    if (flags) {
        core->c = (uint32_t)(sum >> 32);
        core->v = ~(a ^ b) & (a ^ result);
        core->nz = (int32_t)result;
    }
    return result;
}

static uint32_t compute(oak_core *core, alu kind, uint32_t a, uint32_t b, uint32_t carry, bool flags)
{
    uint32_t result = 0;
    switch (kind) {
    case ADD: return add_with_carry(core, a, b, 0, flags);
    case ADC: return add_with_carry(core, a, b, core->c, flags);
    case SBC: return add_with_carry(core, a, ~b, core->c, flags);
    case SUB: return add_with_carry(core, a, ~b, 1, flags);
    case RSB: return add_with_carry(core, b, ~a, 1, flags);
    case AND: result = a & b; break;
    case BIC: result = a & ~b; break;
    case ORR: result = a | b; break;
    case ORN: result = a | ~b; break;
    case EOR: result = a ^ b; break;
    case MOV: result = b; break;
    case MVN: result = ~b; break;
    }
    if (flags) core->nz = (int32_t)result, core->c = carry;
    return result;
}

/* A shift by 0 to 255 with its carry (A2.2.1): lsl 0, lsr 1, asr 2, ror 3. */
static uint32_t shifted(uint32_t value, unsigned kind, uint32_t by, uint32_t carry_in, uint32_t *carry)
{
    *carry = carry_in;
    if (!by) return value;
    switch (kind) {
    case 0:
        *carry = by <= 32 ? (uint32_t)((uint64_t)value << by >> 32) & 1 : 0;
        return by < 32 ? value << by : 0;
    case 1:
        *carry = by <= 32 ? (uint32_t)((uint64_t)value >> (by - 1)) & 1 : 0;
        return by < 32 ? value >> by : 0;
    case 2:
        if (by > 32) by = 32;
        *carry = (uint32_t)((uint64_t)(int64_t)(int32_t)value >> (by - 1)) & 1;
        return (uint32_t)((uint64_t)(int64_t)(int32_t)value >> by);
    default:
        by &= 31;
        if (by) value = value >> by | value << (32 - by);
        *carry = value >> 31;
        return value;
    }
}

/* A shift by the constant of an instruction, in which ror #0 is rrx and lsr #0 means 32. */
static uint32_t shifted_by_constant(const oak_core *core, uint32_t value, unsigned kind, uint32_t by,
                                    uint32_t *carry)
{
    if (kind == 3 && !by) {
        *carry = value & 1;
        return value >> 1 | core->c << 31;
    }
    return shifted(value, kind, (kind == 1 || kind == 2) && !by ? 32 : by, core->c, carry);
}

static bool sets(const oak_core *core, unsigned row, const oak_pattern *pattern, uint32_t word)
{
    switch (armm_set_of[row]) {
    case ARM_SET_BIT: return GET('s');
    case ARM_SET_ITS: return !core->executes_conditional;
    case ARM_SET_ALWAYS:
    case ARM_SET_OUTSIDE: return true;
    default: return false;
    }
}

/* Data processing with a shifted register or a modified immediate; compares keep no result. */
static void data_processing(oak_core *core, unsigned row, alu kind, const oak_pattern *pattern, uint32_t word,
                            bool constant, bool keeps)
{
    uint32_t operand, carry = core->c;
    if (constant) {
        int changed;
        armm_expand(GET('i'), &operand, &changed);
        if (changed >= 0) carry = (uint32_t)changed;
    } else {
        operand = shifted_by_constant(core, R[GET('m')], GET('y'), GET('i'), &carry);
    }
    bool one_source = kind == MOV || kind == MVN;
    uint32_t result =
        compute(core, kind, one_source ? 0 : R[GET('n')], operand, carry, sets(core, row, pattern, word));
    if (keeps) set_register(core, GET('d'), result);
}

/* ------------------------------------------------------------------------------------------ memory */

static armm_done write_loaded(oak_core *core, unsigned t, uint32_t value, uint32_t *extra)
{
    if (t == ARM_PC) return armm_jump(core, value, extra);
    set_register(core, t, value);
    return ARMM_NEXT;
}

static uint32_t extended(uint32_t value, unsigned bytes, bool is_signed)
{
    if (!is_signed) return value;
    return bytes == 1 ? (uint32_t)(int32_t)(int8_t)value : (uint32_t)(int32_t)(int16_t)value;
}

/* Loads and stores with a base that moves, without privilege, from the code, to sp or pc: all that is no plain operation. */
static armm_done transfer(oak_core *core, unsigned row, uint32_t word, uint32_t pc, unsigned bytes,
                          bool loads, bool is_signed, uint32_t *extra)
{
    const arm_shape *shape = &core->kit.tables->shape[row];
    const oak_pattern *pattern = &shape->pattern;
    const arm_class *memory = &shape->class_of[1];
    uint32_t offset = GET('i') * memory->scale, n = GET('n'), base = R[n], address = base,
             value = R[GET('t')];
    switch (memory->what) {
    case ARM_WORD8: address = ((pc + 4) & ~(uint32_t)3) + offset; break;
    case ARM_WORD12: address = ((pc + 4) & ~(uint32_t)3) + (GET('v') ? offset : 0 - offset); break;
    case ARM_MEM_NEG: address = base - offset; break;
    case ARM_MEM_PRE_IMM: address = base = GET('v') ? base + offset : base - offset; break;
    case ARM_MEM_POST_IMM: base = GET('v') ? base + offset : base - offset; break;
    case ARM_MEM_REG: address = base + R[GET('m')]; break;
    case ARM_MEM_REG_SHIFT: address = base + (R[GET('m')] << GET('i')); break;
    case ARM_MEM_SP: address = R[ARM_SP] + offset; break;
    default: address = base + offset; break;
    }
    bool moves = memory->what == ARM_MEM_PRE_IMM || memory->what == ARM_MEM_POST_IMM;
    if (loads ? !armm_load(core, address, bytes, &value) : !armm_store(core, address, bytes, value))
        return ARMM_RAISED;
    if (moves) set_register(core, n, base);
    return loads ? write_loaded(core, GET('t'), extended(value, bytes, is_signed), extra) : ARMM_NEXT;
}

static bool is_aligned(oak_core *core, uint32_t address, unsigned bytes)
{
    if (!(address & (bytes - 1))) return true;
    armm_fault(core, core->v7 ? ARMM_USAGE_FAULT : ARMM_HARD_FAULT, OAK_FAULT_UNALIGNED, address, 1u << 24);
    return false;
}

/* Several registers from an address up. A fault leaves the base as it was. */
static armm_done transfer_many(oak_core *core, uint32_t list, unsigned base, uint32_t address, bool loads,
                               bool moves, uint32_t after, uint32_t *extra)
{
    uint32_t loaded[16];
    if (!is_aligned(core, address, 4)) return ARMM_RAISED;
    for (unsigned i = 0; i < 16; i++) {
        if (!(list >> i & 1)) continue;
        bool done = loads ? armm_load(core, address, 4, &loaded[i]) : armm_store(core, address, 4, R[i]);
        if (!done) return ARMM_RAISED;
        address += 4;
    }
    if (base == ARM_SP && moves && !loads) armm_pushed(core, R[ARM_SP], after);
    if (moves) set_register(core, base, after);
    for (unsigned i = 0; loads && i < 15; i++)
        if (list >> i & 1) set_register(core, i, loaded[i]);
    if (!loads || !(list >> ARM_PC & 1)) return ARMM_NEXT;
    return armm_jump(core, loaded[ARM_PC], extra);
}

static armm_done many(oak_core *core, unsigned row, const oak_pattern *pattern, uint32_t word,
                      uint32_t *extra)
{
    uint32_t list = arm_list(&core->kit.tables->shape[row], word), size = 0;
    for (uint32_t left = list; left; left &= left - 1) size += 4;
    *extra = size / 4 + (list >> ARM_PC && !core->v7); /* 4 + N against 1 + N, two of which are the refill */
    unsigned base = GET('n');
    uint32_t start = R[base];
    switch (row) {
    case ARMM_PUSH:
    case ARMM_PUSH_W:
        base = ARM_SP;
        start = R[base] - size;
        return transfer_many(core, list, base, start, false, true, start, extra);
    case ARMM_POP:
    case ARMM_POP_W:
        base = ARM_SP;
        return transfer_many(core, list, base, R[base], true, true, R[base] + size, extra);
    case ARMM_STM: return transfer_many(core, list, base, start, false, true, start + size, extra);
    case ARMM_LDM: return transfer_many(core, list, base, start, true, true, start + size, extra);
    case ARMM_LDM_KEEP: return transfer_many(core, list, base, start, true, false, start, extra);
    case ARMM_STM_W: return transfer_many(core, list, base, start, false, GET('w'), start + size, extra);
    case ARMM_LDM_W: return transfer_many(core, list, base, start, true, GET('w'), start + size, extra);
    case ARMM_STMDB:
        return transfer_many(core, list, base, start - size, false, GET('w'), start - size, extra);
    default: return transfer_many(core, list, base, start - size, true, GET('w'), start - size, extra);
    }
}

bool armm_load_far(oak_core *core, const armm_op *op, uint32_t address, unsigned access)
{
    unsigned bytes = access & ARMM_FAR_BYTES, d = op->d;
    if (access & ARMM_FAR_CLAIMS && !is_aligned(core, address, bytes)) return false;
    uint32_t value = 0, offset = address - core->load.base, size = core->load.reach[1];
    bool plain =
        bytes <= size && offset <= size - bytes && !(address & core->align[bytes]); /* at no word's address */
    for (unsigned i = 0; plain && i < bytes; i++) value |= (uint32_t)core->load.bytes[offset + i] << (8 * i);
    if (!plain && !armm_load(core, address, bytes, &value)) return false;
    if (access & ARMM_FAR_PAST) R[op->n] += op->imm;
    if (access & ARMM_FAR_CLAIMS) core->claimed = address & ~(uint32_t)3;
    R[d] = extended(value, bytes, access & ARMM_FAR_SIGNED);
    return true;
}

bool armm_store_far(oak_core *core, const armm_op *op, uint32_t address, unsigned access)
{
    const armm_op one = *op; /* it may be forgotten */
    if (!armm_store(core, address, access & ARMM_FAR_BYTES, R[one.d])) return false;
    if (access & ARMM_FAR_PAST) R[one.n] += one.imm;
    return true;
}

bool armm_store_aligned(oak_core *core, uint32_t address, unsigned bytes, uint32_t value)
{
    return is_aligned(core, address, bytes) && armm_store(core, address, bytes, value);
}

bool armm_load_two(oak_core *core, uint32_t address, uint32_t *low, uint32_t *high)
{
    return is_aligned(core, address, 4) && armm_load(core, address, 4, low) &&
           armm_load(core, address + 4, 4, high);
}

bool armm_store_two(oak_core *core, uint32_t address, uint32_t low, uint32_t high)
{
    return is_aligned(core, address, 4) && armm_store(core, address, 4, low) &&
           armm_store(core, address + 4, 4, high);
}

bool armm_load_many(oak_core *core, const armm_op *op, uint32_t address)
{
    uint32_t extra = 0, list = core->list_mask[op->offset / ARMM_REGISTERS_MOST];
    return transfer_many(core, list, op->n, address, true, op->change != 0,
                         R[op->n] + armm_extended(op->change), &extra) != ARMM_RAISED;
}

bool armm_store_many(oak_core *core, const armm_op *op, uint32_t address)
{
    uint32_t extra = 0, list = core->list_mask[op->offset / ARMM_REGISTERS_MOST];
    return transfer_many(core, list, op->n, address, false, op->change != 0,
                         R[op->n] + armm_extended(op->change), &extra) != ARMM_RAISED;
}

bool armm_push(oak_core *core, const uint8_t *list, unsigned count)
{
    uint32_t to = R[ARM_SP] - 4 * count;
    for (unsigned i = 0; i < count; i++)
        if (!armm_store(core, to + 4 * i, 4, R[list[i]])) return false;
    armm_pushed(core, R[ARM_SP], to);
    R[ARM_SP] = to;
    return true;
}

armm_done armm_pop_pc(oak_core *core, const armm_op *op, uint32_t address, uint32_t *extra)
{
    uint32_t list = core->list_mask[op->offset / ARMM_REGISTERS_MOST] | 1u << ARM_PC;
    return transfer_many(core, list, op->n, address, true, op->change != 0,
                         R[op->n] + armm_extended(op->change), extra);
}

/* A word pair that lies in the code. */
static armm_done dual_word(oak_core *core, const oak_pattern *pattern, uint32_t word, uint32_t pc)
{
    uint32_t offset = GET('v') ? GET('i') * 4 : 0 - GET('i') * 4, low, high;
    if (!armm_load_two(core, ((pc + 4) & ~(uint32_t)3) + offset, &low, &high)) return ARMM_RAISED;
    R[GET('t')] = low;
    R[GET('u')] = high;
    return ARMM_NEXT;
}

/* A jump by a table that begins at `base`. */
static armm_done table_branch(oak_core *core, unsigned bytes, uint32_t base, unsigned index, uint32_t pc,
                              uint32_t *extra)
{
    uint32_t entry;
    if (!armm_load(core, base + R[index] * bytes, bytes, &entry)) return ARMM_RAISED;
    core->kit.pc = pc + 4 + 2 * entry;
    *extra = armm_refill(core, core->kit.pc);
    return ARMM_BRANCHED;
}

/* ------------------------------------------------------------------------------------------ special registers */

uint32_t armm_read_special(const oak_core *core, unsigned number)
{
    if (number >= 16 && !armm_privileged(core)) return number == 20 ? core->control : 0;
    switch (number) {
    case 0:
    case 2: return armm_xpsr(core) & 0xF8000000u;
    case 1:
    case 3: return armm_xpsr(core) & 0xF80001FFu;
    case 5:
    case 7: return core->ipsr;
    case 8: return armm_privileged(core) ? (core->uses_psp ? core->other_sp : R[ARM_SP]) : 0;
    case 9: return armm_privileged(core) ? (core->uses_psp ? R[ARM_SP] : core->other_sp) : 0;
    case ARMM_SPECIAL_PRIMASK: return core->primask;
    case 17:
    case 18: return core->basepri;
    case 19: return core->faultmask;
    case 20: return core->control;
    default: return 0;
    }
}

/* Whether what is pending may be taken now. */
static void look_for_pending(oak_core *core)
{
    core->kit.attention |= armm_something_pends(core) && armm_may_take(core);
}

void armm_write_special(oak_core *core, unsigned number, uint32_t value)
{
    bool privileged = armm_privileged(core);
    uint32_t kept = value & (0xFFu << (8 - core->kit.setup.priority_bits)) & 0xFF;
    if (number <= 3) {
        armm_set_flags(core, value);
        return;
    }
    if (!privileged) return;
    switch (number) {
    case 8: *(core->uses_psp ? &core->other_sp : &R[ARM_SP]) = value & ~(uint32_t)3; return;
    case 9: *(core->uses_psp ? &R[ARM_SP] : &core->other_sp) = value & ~(uint32_t)3; return;
    case ARMM_SPECIAL_PRIMASK: core->primask = value & 1; break;
    case 17: core->basepri = (uint8_t)kept; break;
    case 18:
        if (kept && (kept < core->basepri || !core->basepri)) core->basepri = (uint8_t)kept;
        break;
    case 19:
        if (armm_execution_priority(core) > -1) core->faultmask = value & 1;
        break;
    case 20: armm_write_control(core, value); break;
    default: break;
    }
    look_for_pending(core);
}

void armm_change_masks(oak_core *core, unsigned masks, bool set)
{
    if (!armm_privileged(core)) return;
    if (masks & 2) core->primask = set;
    bool free = !core->ipsr && !(core->ccr & 1); /* no handler is active */
    if ((masks & 1) && core->faultmask != set && (!set || free || armm_execution_priority(core) > -1))
        core->faultmask = set;
    if (!set) look_for_pending(core);
}

/* ------------------------------------------------------------------------------------------ one instruction */

armm_done armm_execute(oak_core *core, unsigned row, uint32_t word, uint32_t pc, uint32_t *extra)
{
    const oak_pattern *pattern = &core->kit.tables->shape[row].pattern;
    uint32_t value;
    switch (row) {
    case ARMM_ADD_HIGH:
    case ARMM_MOV_HIGH: {
        unsigned d = GET('d'), m = GET('m');
        value = m == ARM_PC ? pc + 4 : R[m];
        if (row == ARMM_ADD_HIGH) value += d == ARM_PC ? pc + 4 : R[d];
        if (d != ARM_PC) {
            set_register(core, d, value);
            return ARMM_NEXT;
        }
        core->kit.pc = value & ~(uint32_t)1; /* no change of state: bit 0 is left out */
        *extra = armm_refill(core, core->kit.pc);
        return ARMM_BRANCHED;
    }
    case ARMM_LDR_WORD:
    case ARMM_LDR_WORD_W:
    case ARMM_LDR_SP:
    case ARMM_LDR_IMM_W:
    case ARMM_LDR_REG_W:
    case ARMM_LDR_NEG:
    case ARMM_LDR_PRE:
    case ARMM_LDR_POST: return transfer(core, row, word, pc, 4, true, false, extra);
    case ARMM_LDRB_PRE:
    case ARMM_LDRB_POST: return transfer(core, row, word, pc, 1, true, false, extra);
    case ARMM_LDRH_PRE:
    case ARMM_LDRH_POST: return transfer(core, row, word, pc, 2, true, false, extra);
    case ARMM_LDRSB_PRE:
    case ARMM_LDRSB_POST: return transfer(core, row, word, pc, 1, true, true, extra);
    case ARMM_LDRSH_PRE:
    case ARMM_LDRSH_POST: return transfer(core, row, word, pc, 2, true, true, extra);
    case ARMM_STR_SP:
    case ARMM_STR_IMM_W:
    case ARMM_STR_REG_W:
    case ARMM_STR_NEG:
    case ARMM_STR_PRE:
    case ARMM_STR_POST: return transfer(core, row, word, pc, 4, false, false, extra);
    case ARMM_STRB_PRE:
    case ARMM_STRB_POST: return transfer(core, row, word, pc, 1, false, false, extra);
    case ARMM_STRH_PRE:
    case ARMM_STRH_POST: return transfer(core, row, word, pc, 2, false, false, extra);

    case ARMM_PUSH_ONE:
        value = R[ARM_SP] - 4;
        if (!armm_store(core, value, 4, R[GET('t')])) return ARMM_RAISED;
        armm_pushed(core, R[ARM_SP], value);
        R[ARM_SP] = value;
        return ARMM_NEXT;
    case ARMM_POP_ONE:
        if (!armm_load(core, R[ARM_SP], 4, &value)) return ARMM_RAISED;
        R[ARM_SP] += 4;
        return write_loaded(core, GET('t'), value, extra);
    case ARMM_PUSH:
    case ARMM_POP:
    case ARMM_STM:
    case ARMM_LDM:
    case ARMM_LDM_KEEP:
    case ARMM_PUSH_W:
    case ARMM_POP_W:
    case ARMM_STM_W:
    case ARMM_LDM_W:
    case ARMM_STMDB:
    case ARMM_LDMDB: return many(core, row, pattern, word, extra);
    case ARMM_BKPT:
        armm_fault(core, ARMM_HARD_FAULT, OAK_FAULT_BREAKPOINT, pc, 0);
        core->hfsr |= 1u << 31;
        return ARMM_RAISED;
    case ARMM_UDF:
    case ARMM_UDF_W:
        armm_fault(core, core->v7 ? ARMM_USAGE_FAULT : ARMM_HARD_FAULT, OAK_FAULT_RESERVED, pc, 1u << 16);
        return ARMM_RAISED;
    case ARMM_SVC:
        core->raised = ARMM_SVCALL;
        core->raised_behind = true;
        return ARMM_RAISED;
    case ARMM_WFE:
    case ARMM_WFE_W:
        if (core->event) {
            core->event = false;
            return ARMM_NEXT;
        }
        core->waits_for_event = true;
        core->sleeping = true;
        return ARMM_SLEEPS;
    case ARMM_WFI:
    case ARMM_WFI_W:
        core->waits_for_event = false;
        core->sleeping = true;
        return ARMM_SLEEPS;
    case ARMM_B_COND:
    case ARMM_B_COND_W:
    case ARMM_CBZ:
    case ARMM_CBNZ:
    case ARMM_B:
    case ARMM_B_W:
    case ARMM_BL: { /* to where nothing can be executed: the fault is at the target */
        oak_decoded decoded;
        uint8_t bytes[4];
        oak_lay_down(&oak_isa_armv7m, word, pattern->size, bytes);
        if (arm_decode(core->kit.tables, bytes, 4, pc, 0, &decoded))
            return ARMM_NEXT; /* it was decoded before */
        bool taken = row == ARMM_B || row == ARMM_B_W || row == ARMM_BL ||
                     (row == ARMM_CBZ && !R[GET('n')]) || (row == ARMM_CBNZ && R[GET('n')]) ||
                     ((row == ARMM_B_COND || row == ARMM_B_COND_W) &&
                      armm_holds(GET('c'), core->nz, core->c, core->v));
        if (!taken) return ARMM_NEXT;
        if (row == ARMM_BL) R[ARM_LR] = (pc + 4) | 1;
        core->kit.pc = decoded.target;
        return ARMM_BRANCHED;
    }

    case ARMM_TBB:
    case ARMM_TBH: /* outside the first memory */
        value = GET('n') == ARM_PC ? pc + 4 : R[GET('n')];
        return table_branch(core, row == ARMM_TBB ? 1 : 2, value, GET('m'), pc, extra);
    case ARMM_LDRD_WORD: return dual_word(core, pattern, word, pc);

    /* A result in sp. */
    case ARMM_ADD_W: data_processing(core, row, ADD, pattern, word, false, true); return ARMM_NEXT;
    case ARMM_SUB_W: data_processing(core, row, SUB, pattern, word, false, true); return ARMM_NEXT;

    case ARMM_ADD_IMM_W: data_processing(core, row, ADD, pattern, word, true, true); return ARMM_NEXT;
    case ARMM_SUB_IMM_W: data_processing(core, row, SUB, pattern, word, true, true); return ARMM_NEXT;
    case ARMM_ADDW: set_register(core, GET('d'), R[GET('n')] + GET('i')); return ARMM_NEXT;
    case ARMM_SUBW:
        value = GET('n') == ARM_PC ? (pc + 4) & ~(uint32_t)3 : R[GET('n')];
        set_register(core, GET('d'), value - GET('i'));
        return ARMM_NEXT;
    case ARMM_MRS: set_register(core, GET('d'), armm_read_special(core, GET('z'))); return ARMM_NEXT;

    default: /* every other row is an operation of its own */
        armm_fault(core, ARMM_HARD_FAULT, OAK_FAULT_RESERVED, pc, 0);
        return ARMM_RAISED;
    }
}

armm_done armm_execute_end(oak_core *core, const armm_op *op, uint32_t pc, uint32_t *extra)
{
    unsigned handler =
        op->handler == ARMM_OP_TBB || op->handler == ARMM_OP_TBH ? op->handler : armm_second(op->cost);
    if (handler == ARMM_OP_TBB || handler == ARMM_OP_TBH)
        return table_branch(core, handler == ARMM_OP_TBB ? 1 : 2, R[op->n] + op->imm, op->d, pc, extra);
    return armm_execute(core, op->d | (op->n & 0x7Fu) << 8, op->imm, pc, extra);
}
