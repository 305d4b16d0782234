/* a32_core.c — one classic 32-bit Arm: what its rows do, memory, modes, exceptions, the interrupt controller, the loop. */
#include "isa/a32/a32.h"

const uint32_t a32_pairs[4][2] = {{0, 1}, {0, 0}, {0x7FFFFFFF, 0x80000000}, {0x80000000, 1}};

/* ------------------------------------------------------------------------------------------ handlers */

/* clang-format off */
#define A32_CONDITIONS(X) X(EQ) X(NE) X(CS) X(CC) X(MI) X(PL) X(VS) X(VC) X(HI) X(LS) X(GE) X(LT) X(GT) X(LE)
#define PLAIN_DATA(X) X(AND) X(EOR) X(SUB) X(RSB) X(ADD) X(ADC) X(SBC) X(RSC) X(ORR) X(BIC)
#define WITH_FLAGS(X) X(SUBS) X(RSBS) X(ADDS) X(ADCS) X(SBCS) X(ANDS) X(EORS) X(ORRS) X(BICS) X(CMP) X(CMN) X(TST) X(TEQ) X(MOV) X(MVN) X(MOVS) X(MVNS)
#define IN_MEMORY(X) X(LDR) X(LDRB) X(LDRH) X(LDRSB) X(LDRSH) X(STR) X(STRB) X(STRH)
#define ALONE(X) X(MOV_LSL) X(MOV_LSR) X(MOV_ASR) X(MOVS_LSL) X(MOVS_LSR) X(MOVS_ASR) X(ROR) X(LSL_BY) X(LSR_BY) X(ASR_BY) X(MUL) X(MLA) X(MLS) X(UMULL) X(SMULL) X(UMLAL) X(SMLAL) X(UMAAL) \
    X(MOVT) X(UXTB) X(UXTH) X(SXTB) X(SXTH) X(REV) X(CLZ) X(UBFX) X(SBFX) X(LDRD) X(STRD) X(NOTHING) X(COMPUTE)
#define ENDING(X) X(JUMP) X(CALL) X(CALL_IF) X(BX) X(BLX) X(SPECIAL) X(UDIV) X(SDIV) X(STM) X(LDM) X(LDM_PC) X(LDR_PC) X(POP_PC)
#define SIX(n)  A32_DO_##n##_I, A32_DO_##n##_R, A32_DO_##n##_LSL, A32_DO_##n##_LSR, A32_DO_##n##_ASR, A32_DO_##n##_ROR,
#define TWO(n)   A32_DO_##n##_I, A32_DO_##n##_R,
#define EIGHT(n) A32_DO_##n##_I, A32_DO_##n##_PRE, A32_DO_##n##_POST, A32_DO_##n##_R, A32_DO_##n##_X, A32_DO_##n##_X_PRE, A32_DO_##n##_X_POST, A32_DO_##n##_G,
#define ONE_(n)  A32_DO_##n,
#define B_(c)    A32_DO_B_##c,
#define ENDS_(c) A32_DO_IF_ENDS_##c,
#define IF_(c)   A32_DO_IF_##c,
#define MORE_(c) A32_DO_IF_MORE_##c,
#define CMPI(c)  A32_DO_CMP_I_##c,
#define CMPR(c)  A32_DO_CMP_R_##c,
#define SUBI(c)  A32_DO_SUBS_I_##c,
/* Of instructions that end a chain; then those that do not. */
enum {
    A32_BEHIND_ROWS = KIT_FIRST_ROW + A32_ROWS - 1,
    ENDING(ONE_) A32_CONDITIONS(B_) A32_CONDITIONS(ENDS_)
    A32_ALIKE, A32_BEHIND_ALIKE = A32_ALIKE - 1,
    PLAIN_DATA(SIX) WITH_FLAGS(TWO) IN_MEMORY(EIGHT) ALONE(ONE_) A32_CONDITIONS(IF_) A32_CONDITIONS(MORE_) A32_CONDITIONS(CMPI) A32_CONDITIONS(CMPR) A32_CONDITIONS(SUBI)
    A32_HANDLERS
};

/* Rows that have a case of their own: the first one of its kind, and of data processing the one that sets flags. */
static const struct does { uint16_t handler, flags; } does[A32_ROWS] = {
#define BOTH(row) [A32_##row##_I] = {A32_DO_##row##_I, A32_DO_##row##S_I}, [A32_##row##_R] = {A32_DO_##row##_I, A32_DO_##row##S_I}
#define COMPARE(row) [A32_##row##_I] = {A32_DO_##row##_I, A32_DO_##row##_I}, [A32_##row##_R] = {A32_DO_##row##_I, A32_DO_##row##_I}
#define SHIFTS(row) [A32_##row##_I] = {A32_DO_MOV_##row, A32_DO_MOVS_##row}, [A32_##row##_S] = {A32_DO_##row##_BY, 0}
#define MEMORY(row) [A32_##row##_I] = {A32_DO_##row##_I, 0}, [A32_##row##_PRE] = {A32_DO_##row##_PRE, 0}, [A32_##row##_POST] = {A32_DO_##row##_POST, 0}, [A32_##row##_R] = {A32_DO_##row##_X, 0}, \
    [A32_##row##_R_PRE] = {A32_DO_##row##_X_PRE, 0}, [A32_##row##_R_POST] = {A32_DO_##row##_X_POST, 0}
#define IN_CODE(row) [A32_##row##_WORD] = {A32_DO_##row##_I, 0}
#define MANY(row) [A32_STM##row] = {A32_DO_STM, 0}, [A32_LDM##row] = {A32_DO_LDM, 0}
#define SAME(row) [A32_##row] = {A32_DO_##row, 0}
#define IDLE(row) [A32_##row] = {A32_DO_NOTHING, 0}
    BOTH(AND), BOTH(EOR), BOTH(SUB), BOTH(RSB), BOTH(ADD), BOTH(ADC), BOTH(SBC), BOTH(ORR), BOTH(BIC), BOTH(MOV), BOTH(MVN),
    [A32_RSC_I] = {A32_DO_RSC_I, 0}, [A32_RSC_R] = {A32_DO_RSC_I, 0},
    COMPARE(CMP), COMPARE(CMN), COMPARE(TST), COMPARE(TEQ), SHIFTS(LSL), SHIFTS(LSR), SHIFTS(ASR), [A32_ROR_I] = {A32_DO_ROR, 0},
    [A32_ADR] = {A32_DO_MOV_I, 0}, [A32_ADR_BACK] = {A32_DO_MOV_I, 0}, [A32_MOVW] = {A32_DO_MOV_I, 0}, SAME(MOVT),
    MEMORY(LDR), MEMORY(LDRB), MEMORY(LDRH), MEMORY(LDRSB), MEMORY(LDRSH), MEMORY(STR), MEMORY(STRB), MEMORY(STRH),
    [A32_LDRD_I] = {A32_DO_LDRD, 0}, [A32_STRD_I] = {A32_DO_STRD, 0}, IN_CODE(LDR), IN_CODE(LDRB), IN_CODE(LDRH), IN_CODE(LDRSB), IN_CODE(LDRSH), [A32_PUSH_ONE] = {A32_DO_STR_PRE, 0}, [A32_POP_ONE] = {A32_DO_LDR_POST, 0},
    MANY(), MANY(DB), MANY(IB), MANY(DA), [A32_PUSH] = {A32_DO_STM, 0}, [A32_POP] = {A32_DO_LDM, 0},
    SAME(MUL), SAME(MLA), SAME(MLS), SAME(UMULL), SAME(SMULL), SAME(UMLAL), SAME(SMLAL), SAME(UMAAL), SAME(UDIV), SAME(SDIV),
    SAME(UXTB), SAME(UXTH), SAME(SXTB), SAME(SXTH), SAME(REV), SAME(CLZ), SAME(UBFX), SAME(SBFX), SAME(BX), SAME(BLX), [A32_B] = {A32_DO_JUMP, 0}, [A32_BL] = {A32_DO_CALL, 0},
    IDLE(NOP), IDLE(YIELD), IDLE(DBG), IDLE(DSB), IDLE(DMB), IDLE(ISB), IDLE(PLD), IDLE(PLDW), IDLE(PLI), IDLE(PLD_R), IDLE(PLDW_R), IDLE(PLI_R),
};
/* clang-format on */

enum {
    TO_CONDITION = 16,
    TO_NEXT = 20
}; /* bits of `to`: the condition, and that of a jump behind it + 1; the handler is below */

#define F(low) (word >> (low)&15)
#define BIT(n) (word >> (n)&1)

/* A row whose registers are read and written by a32_compute alone. */
static bool is_computed(unsigned row, uint32_t word)
{
    bool of_data = (row >= A32_AND_I && row <= A32_MOVT);
    bool pc = F(12) == ARM_PC || F(0) == ARM_PC || F(16) == ARM_PC;
    if (of_data && BIT(25)) pc = F(12) == ARM_PC || F(16) == ARM_PC;
    return of_data ? !pc || (row == A32_MOVW || row == A32_MOVT) : row >= A32_MUL && row <= A32_UHSUB8;
}

/* The second operand of data processing, where a case has it: how it is written behind the first case of the row. */
static unsigned fill_second(uint32_t word, kit_op *op)
{
    enum { BY_CONSTANT, BY_REGISTER, SHIFTED, NOT_HERE = 99 };
    uint32_t by = word >> 7 & 31, kind = word >> 5 & 3;
    if (BIT(25)) {
        op->at = oak_rotated_right(word & 0xFF, word >> 7 & 30);
        return BY_CONSTANT;
    }
    op->at = F(0) | by << 8;
    if (!kind && !by) return BY_REGISTER;
    if ((kind == 3 || kind == 1) && !by) return NOT_HERE;
    if (!by) op->at = F(0) | 31u << 8; /* asr #32 */
    return SHIFTED + kind;
}

/* The handler of data processing; 0 where a32_compute does it. */
static unsigned fill_data(unsigned row, uint32_t word, kit_op *op)
{
    const struct does *it = &does[row];
    bool sets = BIT(20), plain = it->handler >= A32_DO_AND_I && it->handler < A32_DO_SUBS_I;
    unsigned how = fill_second(word, op), handler = sets ? it->flags : it->handler;
    op->x = (uint8_t)F(12), op->y = (uint8_t)F(16);
    if (!handler || how > (sets || !plain ? 1u : 5u)) return 0;
    bool logic = (word >> 21 & 15) < 2 || (word >> 21 & 15) >= 12 || (word >> 22 & 7) == 4;
    if (sets && logic && !how && (word >> 8 & 15)) return 0; /* its rotation makes the carry */
    return handler + how;
}

/* How far an index of any kind leads, by the bits of the code. */
static inline uint32_t index_by(const oak_core *core, uint32_t how, uint32_t carry)
{
    uint32_t index = arm_shifted_by_code(how >> 5 & 3, how >> 7 & 31, core->r[how & 15], &carry);
    return how >> 23 & 1 ? index : 0 - index;
}

/* Loads and stores of one register. */
enum { IN_ALL = A32_DO_LDRB_I - A32_DO_LDR_I };
static unsigned fill_transfer(const oak_core *core, unsigned row, uint32_t word, kit_op *op)
{
    unsigned handler = does[row].handler;
    bool of_halves = !(word >> 26 & 3), plus = BIT(23), indexed = of_halves ? !BIT(22) : BIT(25);
    uint32_t offset = of_halves ? (word >> 4 & 0xF0) | (word & 15) : word & 0xFFF;
    op->x = (uint8_t)F(12), op->y = (uint8_t)F(16);
    op->at = plus ? offset : 0 - offset;
    bool moves = !BIT(24) || BIT(21);
    if (!indexed && moves) return handler;
    if (!indexed) {
        op->at -= core->store.base;
        if (op->y == ARM_PC) op->y = A32_ZERO; /* whose address is added by the caller */
        return handler;
    }
    uint32_t by = of_halves ? 0 : word >> 7 & 31;
    op->at = F(0) | by << 8;
    if (!plus || (!of_halves && word >> 5 & 3) || (by && moves)) {
        op->at = (word & 0x01A0000F) | (of_halves ? 0 : word & 0xFE0);
        return handler ? handler - (handler - A32_DO_LDR_I) % IN_ALL + IN_ALL - 1 : 0; /* _G */
    }
    return by ? handler - 1 : handler; /* _X, behind _R */
}

static unsigned fill_many(unsigned row, uint32_t word, kit_op *op)
{
    uint32_t list = word & 0xFFFF, bytes = 0;
    for (uint32_t left = list; left; left &= left - 1) bytes += 4;
    bool up = BIT(23), before = BIT(24), loads = BIT(20);
    int first = up ? 0 : -(int)bytes;
    if (before == up) first += 4;
    op->x = (uint8_t)(bytes / 4), op->y = (uint8_t)F(16);
    op->at = list | (uint32_t)first << 16;
    op->to = BIT(21) ? (up ? bytes : 0 - bytes) << 24 : 0;
    if (!loads) return list >> ARM_PC || (list >> F(16) & 1 && BIT(21)) ? 0 : does[row].handler;
    return list >> ARM_PC ? A32_DO_LDM_PC : A32_DO_LDM;
}

/* Three registers and more, and what has its operands elsewhere. */
static unsigned fill_other(unsigned row, uint32_t word, uint32_t address, kit_op *op)
{
    unsigned handler = does[row].handler;
    op->x = (uint8_t)F(12), op->y = (uint8_t)F(16), op->at = F(0);
    switch (handler) {
    case A32_DO_MUL:
    case A32_DO_MLA:
    case A32_DO_MLS:
    case A32_DO_UMULL:
    case A32_DO_SMULL:
    case A32_DO_UMLAL:
    case A32_DO_SMLAL:
    case A32_DO_UMAAL:
    case A32_DO_UDIV:
    case A32_DO_SDIV:
        op->x = (uint8_t)F(16), op->y = (uint8_t)F(12), op->at = F(0) | F(8) << 8;
        return row >= A32_MUL && row <= A32_SMLAL && row != A32_MLS && BIT(20) ? 0 : handler;
    case A32_DO_UXTB:
    case A32_DO_UXTH:
    case A32_DO_SXTB:
    case A32_DO_SXTH: return word >> 10 & 3 ? 0 : handler;
    case A32_DO_UBFX:
    case A32_DO_SBFX: {
        uint32_t low = word >> 7 & 31, high = word >> 16 & 31;
        op->y = (uint8_t)F(0), op->at = (31 - high - low) | (31 - high) << 8;
        return handler;
    }
    case A32_DO_MOVT: op->at = (word & 0xF0000) << 12 | (word & 0xFFF) << 16; return handler;
    case A32_DO_LSL_BY:
    case A32_DO_LSR_BY:
    case A32_DO_ASR_BY: op->y = (uint8_t)F(0), op->at = F(8); return BIT(20) ? 0 : handler;
    case A32_DO_ROR: op->at = F(0) | (word >> 7 & 31) << 8; return BIT(20) ? 0 : handler;
    case A32_DO_CALL: op->at = address + 4; return handler;
    default: return handler;
    }
}

/* The shift of a register by a constant as an instruction of its own. */
static unsigned fill_shift(unsigned row, uint32_t word, kit_op *op)
{
    uint32_t by = word >> 7 & 31;
    op->x = (uint8_t)F(12), op->at = F(0) | by << 8;
    if (by) return BIT(20) ? does[row].flags : does[row].handler;
    if (row != A32_ASR_I || BIT(20)) return 0; /* by 32 */
    op->at = F(0) | 31u << 8;
    return does[row].handler;
}

/* How far the base moves. */
static inline uint32_t moved(const kit_op *op)
{
    int32_t by = (int8_t)(op->to >> 24);
    return (uint32_t)by;
}

static unsigned choose(oak_core *core, unsigned row, uint32_t word, uint32_t address, kit_op *op)
{
    bool many = row == A32_PUSH || row == A32_POP || (row >= A32_STM && row <= A32_LDMDA_USER);
    bool one = row == A32_PUSH_ONE || row == A32_POP_ONE || (row >= A32_LDR_WORD && row < A32_STM);
    if (many) return does[row].handler ? fill_many(row, word, op) : 0;
    if (one) {
        bool literal = F(16) == ARM_PC;
        bool table = row == A32_LDR_R && F(12) == ARM_PC && !literal && BIT(23) && !(word >> 5 & 3);
        if (row == A32_POP_ONE && F(12) == ARM_PC) return A32_DO_POP_PC;
        if (table) {
            op->y = (uint8_t)F(16), op->at = F(0) | (word >> 7 & 31) << 8;
            return A32_DO_LDR_PC;
        }
        unsigned handler = does[row].handler && F(12) != ARM_PC ? fill_transfer(core, row, word, op) : 0;
        if (!handler || !literal) return handler;
        if (op->y != A32_ZERO) return 0;
        op->at += address + 8;
        return handler;
    }
    if (row == A32_ADR || row == A32_ADR_BACK) {
        uint32_t value = oak_rotated_right(word & 0xFF, word >> 7 & 30);
        op->x = (uint8_t)F(12), op->at = address + 8 + (row == A32_ADR ? value : 0 - value);
        return op->x == ARM_PC ? 0 : A32_DO_MOV_I;
    }
    if (row == A32_MOVW) {
        op->x = (uint8_t)F(12), op->at = (word >> 4 & 0xF000) | (word & 0xFFF);
        return A32_DO_MOV_I;
    }
    if ((row >= A32_AND_I && row <= A32_MVN_S) && !is_computed(row, word)) return 0;
    if (row == A32_LSL_I || row == A32_LSR_I || row == A32_ASR_I) return fill_shift(row, word, op);
    bool of_data = row >= A32_AND_I && row <= A32_MVN_S && does[row].handler >= A32_DO_AND_I &&
                   does[row].handler < A32_DO_LDR_I;
    return of_data ? fill_data(row, word, op) : fill_other(row, word, address, op);
}

/* What stands behind an instruction: the condition of a jump + 1, or 0. */
static unsigned jump_behind(const oak_core *core, uint32_t address)
{
    uint8_t bytes[OAK_LONGEST_INSN];
    uint32_t which;
    kit_fetch(core, address + 4, bytes);
    bool there = !kit_missing(core, address + 4, 4, &which);
    return there && (bytes[3] & 15) == 10 && bytes[3] >> 4 < ARM_ALWAYS ? (bytes[3] >> 4) + 1u : 0;
}

static void fill(oak_core *core, const oak_decoded *decoded, kit_op *op)
{
    uint32_t word = (uint32_t)decoded->word, address = decoded->address, to = op->to;
    unsigned row = decoded->row, condition = word >> 28 == 15 ? ARM_ALWAYS : word >> 28;
    op->to = 0;
    unsigned handler = choose(core, row, word, address, op);
    if (row == A32_B || row == A32_BL) {
        op->to = to;
        op->y = (uint8_t)condition;
        return;
    }
    if (!handler && is_computed(row, word)) handler = A32_DO_COMPUTE, op->at = word, op->to = 0;
    if (!handler) handler = A32_DO_SPECIAL, op->to = 0, op->at = word;
    op->to = (op->to & 0xFF000000u) | handler | condition << TO_CONDITION;
    bool compares = handler == A32_DO_CMP_I || handler == A32_DO_CMP_R || handler == A32_DO_SUBS_I;
    if (compares && condition == ARM_ALWAYS) op->to |= jump_behind(core, address) << TO_NEXT;
}

static uint16_t natural(const oak_core *core, uint32_t slot, uint16_t row_handler)
{
    const kit_op *op = &core->kit.ops[slot];
    unsigned row = row_handler - KIT_FIRST_ROW, handler = op->to & 0xFFFF,
             condition = op->to >> TO_CONDITION & 15, next = op->to >> TO_NEXT & 15;
    if (row == A32_B && op->y == ARM_ALWAYS) return op->to ? A32_DO_JUMP : KIT_PARKED;
    if (row == A32_B) return (uint16_t)(A32_DO_B_EQ + op->y);
    if (row == A32_BL) return op->y == ARM_ALWAYS ? A32_DO_CALL : A32_DO_CALL_IF;
    bool compares = handler == A32_DO_CMP_I || handler == A32_DO_CMP_R || handler == A32_DO_SUBS_I;
    bool seen = core->kit.watched_count || core->kit.stop_at[slot + 1];
    if (compares && next && condition == ARM_ALWAYS && !seen)
        return (uint16_t)((handler == A32_DO_CMP_I   ? A32_DO_CMP_I_EQ
                           : handler == A32_DO_CMP_R ? A32_DO_CMP_R_EQ
                                                     : A32_DO_SUBS_I_EQ) +
                          next - 1);
    if (condition == ARM_ALWAYS) return (uint16_t)handler;
    unsigned family = handler < A32_ALIKE    ? A32_DO_IF_ENDS_EQ
                      : a32_cycles[row] == 1 ? A32_DO_IF_EQ
                                             : A32_DO_IF_MORE_EQ;
    return (uint16_t)(family + condition);
}

/* ------------------------------------------------------------------------------------------ memory */

/* The interrupt controller, in front of the end of memory: what asks, what is let through and what of it is fast, the first of each that does. */
enum {
    CONTROLLER = (int)0xFFFFF000,
    PENDING = 0,
    ENABLE = 4,
    FAST = 8,
    NUMBER = 12,
    FAST_NUMBER = 16,
    CONTROLLER_SIZE = 20
};

static bool is_controller(const oak_core *core, uint32_t address)
{
    return core->kit.setup.interrupt_count && address - (uint32_t)CONTROLLER < CONTROLLER_SIZE;
}

static uint32_t due(const oak_core *core)
{
    return kit_lines_due(core, UINT32_MAX, &core->lines);
}

static uint32_t controller_read(const oak_core *core, uint32_t address)
{
    uint32_t asks = due(core), which = asks & core->enabled;
    switch (address - (uint32_t)CONTROLLER) {
    case PENDING: return asks;
    case ENABLE: return core->enabled;
    case FAST: return core->fast;
    case NUMBER: which &= ~core->fast; break;
    default: which &= core->fast; break;
    }
    return which ? oak_lowest_bit(which) : UINT32_MAX;
}

static void controller_write(oak_core *core, uint32_t address, uint32_t value)
{
    if (address - (uint32_t)CONTROLLER == ENABLE) core->enabled = value;
    if (address - (uint32_t)CONTROLLER == FAST) core->fast = value;
    core->kit.attention = true;
}

/* What plain accesses reach: the largest RAM, and of what keeps its contents the largest memory. */
static void open_windows(oak_core *core)
{
    kit_core *kit = &core->kit;
    core->load = core->store = core->code = (struct a32_window){0};
    core->code_size = 0;
    for (unsigned i = 0; i < kit->land_count; i++) {
        const kit_land *land = &kit->land[i];
        const kit_space *space = kit_stretch(core, ARM_MEM, land->base);
        uint32_t last = land->size > 3 ? land->size - 3 : 0;
        struct a32_window one = {space->cells, kit->guard + land->bytes, land->base, last},
                          *to = space->known ? &core->code : &core->store;
        if (last <= to->last || land->base & 3) continue;
        *to = one;
    }
    core->load = core->store;
    if (!core->code.last) core->code = core->store; /* a part without ROM runs in RAM */
    for (unsigned i = 0; i < kit->land_count; i++)
        if (kit->land[i].base == core->code.base)
            core->code_first = kit->land[i].first, core->code_size = kit->land[i].size;
    if (kit->checks_reads) core->load.last = 0;
    core->code_behind = core->store.base - core->code.base;
    if (kit->checks_reads && core->code.bytes == core->store.bytes) core->code.last = 0;
}

/* A first store where nothing but that is to be noticed: no code, nothing that keeps its contents. */
static bool put_fresh(oak_core *core, uint32_t address, unsigned bytes, uint32_t value)
{
    uint32_t at = address - core->store.base, guards = 0;
    if (at >= core->store.last) return false;
    memcpy(&guards, core->store.guard + at, bytes);
    if (guards & ~(KIT_GUARD_FRESH * 0x01010101u)) return false;
    memset(core->store.guard + at, 0, bytes);
    for (unsigned i = 0; i < bytes; i++) core->store.bytes[at + i] = (uint8_t)(value >> 8 * i);
    return true;
}

/* Before what is no memory is reached: true where it can be, at this moment. */
static bool may_reach(oak_core *core, uint32_t address, unsigned bytes, uint64_t now)
{
    if (kit_find_slot(core, address) < core->kit.span) return true;
    if (now == UINT64_MAX) return false;
    return address % bytes ? kit_fail(core, OAK_FAULT_UNALIGNED, address) : true;
}

bool a32_load(oak_core *core, uint32_t address, unsigned bytes, uint64_t now, uint32_t *value)
{
    core->stores = false;
    if (!may_reach(core, address, bytes, now)) return false;
    if (!is_controller(core, address) || bytes != 4) return kit_load(core, address, bytes, now, value);
    *value = controller_read(core, address);
    return true;
}

bool a32_store(oak_core *core, uint32_t address, unsigned bytes, uint32_t value, uint64_t now)
{
    core->stores = true;
    if (put_fresh(core, address, bytes, value)) return true;
    if (!may_reach(core, address, bytes, now)) return false;
    if (!is_controller(core, address) || bytes != 4) return kit_put(core, address, bytes, value, now);
    controller_write(core, address, value);
    return true;
}

static uint32_t a32_word_at(const oak_core *core, uint32_t address)
{
    uint8_t bytes[OAK_LONGEST_INSN];
    kit_fetch(core, address, bytes);
    return kit_le16(bytes) | kit_le16(bytes + 2) << 16;
}

/* ------------------------------------------------------------------------------------------ modes, exceptions */

unsigned a32_bank_of(uint32_t mode)
{
    switch (mode & CPSR_MODE) {
    case MODE_FIQ: return BANK_FIQ;
    case MODE_IRQ: return BANK_IRQ;
    case MODE_SVC: return BANK_SVC;
    case MODE_ABT: return BANK_ABT;
    case MODE_UND: return BANK_UND;
    default: return BANK_USR;
    }
}

uint32_t *a32_register_of(oak_core *core, uint32_t mode, unsigned number)
{
    unsigned bank = a32_bank_of(mode), now = a32_bank_of(core->status);
    if (number < 8 || number > 14) return &core->r[number];
    if (number > 12) return bank == now ? &core->r[number] : &core->bank[bank][number - 13];
    bool fast = bank == BANK_FIQ;
    return fast == (now == BANK_FIQ) ? &core->r[number] : &core->high[fast][number - 8];
}

uint32_t a32_cpsr(const oak_core *core)
{
    return core->status | (uint32_t)(core->nz < 0) << 31 | (uint32_t) !(uint32_t)core->nz << 30 |
           (uint32_t)(core->ca >= core->cb) << 29 | a32_v(core->ca, core->cb) << 28;
}

void a32_put_cpsr(oak_core *core, uint32_t value)
{
    uint32_t was = core->status & CPSR_MODE, becomes = value & CPSR_MODE;
    uint32_t registers[7];
    for (unsigned i = 0; i < 7; i++) registers[i] = *a32_register_of(core, becomes, 8 + i);
    if (a32_bank_of(was) != a32_bank_of(becomes)) {
        bool fast = a32_bank_of(was) == BANK_FIQ, other = fast != (a32_bank_of(becomes) == BANK_FIQ);
        for (unsigned i = 0; i < 5 && other; i++) core->high[fast][i] = core->r[8 + i];
        core->bank[a32_bank_of(was)][0] = core->r[13], core->bank[a32_bank_of(was)][1] = core->r[14];
        for (unsigned i = 0; i < 7; i++) core->r[8 + i] = registers[i];
    }
    core->status = value & (uint32_t)(CPSR_Q | CPSR_GE | CPSR_A | CPSR_I | CPSR_F | CPSR_MODE);
    core->nz = (value >> 31 ? INT64_MIN : 0) | !(value >> 30 & 1);
    core->ca = a32_pairs[(value >> 29 & 1) | (value >> 28 & 1) << 1][0];
    core->cb = a32_pairs[(value >> 29 & 1) | (value >> 28 & 1) << 1][1];
}

bool a32_holds(const oak_core *core, unsigned condition)
{
    uint32_t cpsr = a32_cpsr(core), n = cpsr >> 31, z = cpsr >> 30 & 1, c = cpsr >> 29 & 1,
             v = cpsr >> 28 & 1, holds;
    switch (condition >> 1) {
    case 0: holds = z; break;
    case 1: holds = c; break;
    case 2: holds = n; break;
    case 3: holds = v; break;
    case 4: holds = c && !z; break;
    case 5: holds = n == v; break;
    case 6: holds = n == v && !z; break;
    default: return true;
    }
    return holds != (condition & 1);
}

/* Registers of another mode take the place of those in use. */
static void put_mode(oak_core *core, uint32_t cpsr)
{
    const unsigned was = a32_bank_of(core->status), is = a32_bank_of(cpsr);
    a32_put_cpsr(core, cpsr);
    if (was == is || !core->kit.observed) return;
    if (was == BANK_FIQ || is == BANK_FIQ) kit_watch_registers(core, A32_REG_R8, 5);
    kit_watch_registers(core, A32_REG_SP, 2);
    kit_watch_registers(core, A32_REG_CPSR, 2); /* and what was saved */
}

static void enter(oak_core *core, unsigned exception, uint32_t link)
{
    static const uint8_t modes[] = {MODE_SVC, MODE_UND, MODE_SVC, MODE_ABT,
                                    MODE_ABT, MODE_SVC, MODE_IRQ, MODE_FIQ};
    kit_core *kit = &core->kit;
    uint32_t cpsr = a32_cpsr(core), held = CPSR_I;
    if (kit->observed) kit_watch_entry(core, 4 * exception);
    if (exception == A32_FIQ) held |= CPSR_F;
    if (exception >= A32_PREFETCH_ABORT) held |= CPSR_A;
    put_mode(core, (cpsr & ~(uint32_t)CPSR_MODE) | modes[exception] | held);
    core->spsr[a32_bank_of(modes[exception])] = cpsr;
    core->r[ARM_LR] = link;
    core->asleep = core->claimed = false;
    kit->pc = kit_slot(core, 4 * exception);
    oak_service_enter(&kit->log, exception, 4 * exception, kit->time.cycles);
    if (core->depth < A32_MOST_NESTED) core->handled[core->depth++] = (uint8_t)exception;
    kit->time.cycles += 3;
    kit->attention = true;
    if (kit->observed) kit_watch_end(core);
}

static bool is_mode(uint32_t mode)
{
    return a32_bank_of(mode) != BANK_USR || (mode & CPSR_MODE) == MODE_USR || (mode & CPSR_MODE) == MODE_SYS;
}

void a32_write_cpsr(oak_core *core, uint32_t value)
{
    if (!is_mode(value)) value = (value & ~(uint32_t)CPSR_MODE) | (core->status & CPSR_MODE);
    put_mode(core, value);
}

void a32_returns(oak_core *core, uint32_t cpsr)
{
    a32_write_cpsr(core, cpsr);
    oak_service_leave(&core->kit.log, core->ends + core->extra);
    if (core->depth) core->depth--;
    core->claimed = false;
    core->event = true;
}

/* What an instruction suffers is an exception where there is code at its vector; else the run ends with it. */
static bool traps(oak_core *core)
{
    kit_core *kit = &core->kit;
    uint32_t here = kit_address(core, kit->pc), behind = 4, which;
    unsigned exception;
    switch (kit->fault) {
    case OAK_FAULT_UNPROGRAMMED:
    case OAK_FAULT_OUTSIDE_CODE:
    case OAK_FAULT_BREAKPOINT: exception = A32_PREFETCH_ABORT; break;
    case OAK_FAULT_RESERVED: exception = A32_UNDEFINED; break;
    case OAK_FAULT_UNALIGNED:
    case OAK_FAULT_ABSENT:
    case OAK_FAULT_READ_ONLY: exception = A32_DATA_ABORT, behind = 8; break;
    case OAK_FAULT_NO_HANDLER: exception = A32_SUPERVISOR; break;
    default: return false;
    }
    if (here == 4 * exception || kit_missing(core, 4 * exception, 4, &which)) return false;
    enter(core, exception, here + behind);
    return true;
}

static bool interrupt(oak_core *core)
{
    uint32_t asks = due(core) & core->enabled, fast = asks & core->fast, slow = asks & ~core->fast;
    if (core->status & CPSR_F) fast = 0;
    if (core->status & CPSR_I) slow = 0;
    if (!fast && !slow) return false;
    unsigned exception = fast ? A32_FIQ : A32_IRQ;
    if (kit_handler_missing(core, 4 * exception, 4)) return true;
    enter(core, exception, kit_address(core, core->kit.pc) + 4);
    core->kit.next_device = core->kit.setup.acknowledge(
        core->kit.setup.machine, oak_lowest_bit(fast ? fast : slow), core->kit.time.cycles);
    return true;
}

static uint64_t noticed_at(oak_core *core)
{
    return kit_lines_next(core, core->enabled, &core->lines);
}

/* Lines that a handler can come of. */
static uint32_t heard(const oak_core *core)
{
    uint32_t lines = core->asleep ? core->enabled : 0;
    if (!(core->status & CPSR_F)) lines |= core->enabled & core->fast;
    if (!(core->status & CPSR_I)) lines |= core->enabled & ~core->fast;
    return lines;
}

static bool deaf(const oak_core *core)
{
    return !heard(core);
}

static unsigned asleep(oak_core *core)
{
    if (core->asleep && due(core) & core->enabled) core->asleep = false;
    return core->asleep;
}

static void line(oak_core *core, unsigned number, bool level, uint64_t from)
{
    if (number < A32_LINES) kit_line(core, &core->lines, number, level, from);
}

/* ------------------------------------------------------------------------------------------ what an instruction touches */

static uint32_t special_bits(const arm_class *class, uint32_t part)
{
    bool saved = class->what == ARM_SPECIAL && part >> (part > 1 ? 4 : 0) & 1;
    return (uint32_t)1 << (saved ? A32_REG_SPSR : A32_REG_CPSR);
}

/* Registers by the numbers of arm.h: the first sixteen have them here, too. */
static unsigned more_cells(const oak_core *core, const oak_decoded *decoded, kit_reach *list, unsigned count)
{
    static const arm_naming naming = {1u << A32_REG_CPSR, 1u << A32_REG_SPSR, special_bits};
    const oak_isa_tables *tables = core->kit.tables;
    uint32_t word = (uint32_t)decoded->word, registers[16];
    arm_uses uses = arm_uses_of(tables, decoded, &naming);
    const arm_shape *shape = &tables->shape[decoded->row];
    bool of_data = shape->has_condition && (word >> 26 & 3) == 0 && BIT(20),
         of_list = shape->count && arm_last(shape)->what == ARM_LIST_USER;
    if (oak_returns(decoded->flow) && (of_data || of_list)) /* subs pc, ldm ^ */
        uses.reads |= naming.saved, uses.writes |= naming.status;
    uint32_t all = (uses.reads | uses.writes) & ~(1u << ARM_PC);
    for (unsigned i = 0; i < 32 && count < KIT_MOST_REACHED - 2; i++)
        if (all >> i & 1)
            list[count++] = (kit_reach){.accesses = (uint8_t)((uses.reads >> i & 1 ? KIT_READS : 0) |
                                                              (uses.writes >> i & 1 ? KIT_WRITES : 0)),
                                        .bits = 0xFF,
                                        .known = true,
                                        .address = i,
                                        .size = 1};
    oak_watched memory[2];
    memcpy(registers, core->r, sizeof registers);
    registers[ARM_PC] = decoded->address + 8;
    unsigned reached = arm_reach(tables, decoded, registers, memory, 0, 2);
    for (unsigned i = 0; i < reached; i++)
        list[count++] = (kit_reach){.space = ARM_MEM,
                                    .accesses = memory[i].accesses,
                                    .bits = 0xFF,
                                    .address = memory[i].address,
                                    .size = memory[i].size};
    return count;
}

/* A condition is looked at whether it holds or not. */
static unsigned always(const oak_core *core, const oak_decoded *decoded, kit_reach *list)
{
    (void)core;
    list[0] =
        (kit_reach){.accesses = KIT_READS, .bits = 0xFF, .known = true, .address = A32_REG_CPSR, .size = 1};
    return decoded->word >> 28 < ARM_ALWAYS;
}

static bool passes(const oak_core *core, const oak_decoded *decoded)
{
    return a32_holds(core, (unsigned)decoded->word >> 28 & 15);
}

/* ------------------------------------------------------------------------------------------ the loop */

#include "isa/kit/dispatch.h"

#define L1(n)         KIT_EXTRA_LABEL(A32_DO_##n)
#define L2(n)         L1(n##_I) L1(n##_R)
#define L8(n)         L1(n##_I) L1(n##_PRE) L1(n##_POST) L1(n##_R) L1(n##_X) L1(n##_X_PRE) L1(n##_X_POST) L1(n##_G)
#define L6(n)         L2(n) L1(n##_LSL) L1(n##_LSR) L1(n##_ASR) L1(n##_ROR)
#define LC(c)         L1(B_##c) L1(IF_##c) L1(IF_MORE_##c) L1(IF_ENDS_##c) L1(CMP_I_##c) L1(CMP_R_##c) L1(SUBS_I_##c)
#define CORE_EXTRA(X) ENDING(L1) PLAIN_DATA(L6) WITH_FLAGS(L2) IN_MEMORY(L8) ALONE(L1) A32_CONDITIONS(LC)
#define CORE_CASES    "isa/a32/a32_cases.h"
#define CORE_SPAN     (kit->span)
#define CORE_CODE     ARM_MEM
#define CORE_FAR      1
#define CORE_LOCALS                                                                                          \
    int64_t nz;                                                                                              \
    uint32_t ca, cb, code_word
#define LOAD            (nz = core->nz, ca = core->ca, cb = core->cb)
#define SAVE_REGISTERS  (void)0
#define SAVE            (core->nz = nz, core->ca = ca, core->cb = cb)
#define BACK_TO_IT      (void)0
#define CORE_LOOP(name) a32_##name
KIT_LOOPS(a32_);
#include "isa/kit/loops.h"

/* ------------------------------------------------------------------------------------------ the whole */

static void reset_registers(oak_core *core)
{
    memset(core->r, 0, sizeof(oak_core) - offsetof(oak_core, r));
    core->nz = 1;
    core->cb = 1;
    core->status = MODE_SVC | CPSR_A | CPSR_I | CPSR_F;
    core->kit.pc = kit_slot(core, core->begins);
}

static void begins(oak_core *core, uint32_t address)
{
    core->begins = address;
    core->kit.pc = kit_slot(core, address);
}

static const struct {
    uint8_t mode, number;
} banked[A32_REGISTERS] = {
#define ONE(id, name, title, points, mode, number) [A32_REG_##id] = {mode, number},
    A32_REGISTER_LIST
#undef ONE
};

/* Where a register lies; NULL for one that is worked out. */
static uint32_t *place_of(oak_core *core, unsigned reg)
{
    unsigned mode = banked[reg].mode, number = banked[reg].number;
    if (reg == A32_REG_PC || reg == A32_REG_CPSR) return NULL;
    if (number < 16) return mode ? a32_register_of(core, mode, number) : &core->r[number];
    return &core->spsr[a32_bank_of(mode ? mode : core->status)];
}

static oak_status read_register(const oak_core *core, unsigned reg, uint32_t *value)
{
    if (reg >= A32_REGISTERS) return OAK_OUT_OF_RANGE;
    const uint32_t *at = place_of((oak_core *)(uintptr_t)core, reg);
    *value = reg == A32_REG_PC ? kit_address(core, core->kit.pc) : reg == A32_REG_CPSR ? a32_cpsr(core) : *at;
    if (reg == A32_REG_SPSR && !a32_has_spsr(core)) *value = 0;
    return OAK_OK;
}

static oak_status write_register(oak_core *core, unsigned reg, uint32_t value)
{
    if (reg >= A32_REGISTERS) return OAK_OUT_OF_RANGE;
    core->kit.attention = true;
    if (reg == A32_REG_PC) core->kit.pc = kit_slot(core, value & ~3u);
    else if (reg == A32_REG_CPSR) a32_put_cpsr(core, value);
    else if (reg != A32_REG_SPSR || a32_has_spsr(core)) *place_of(core, reg) = value;
    return OAK_OK;
}

static oak_status read_memory(const oak_core *core, unsigned space, uint32_t address, uint8_t *bytes,
                              size_t count)
{
    if (space != ARM_MEM || !is_controller(core, address))
        return kit_read_memory(core, space, address, bytes, count);
    for (size_t i = 0; i < count; i++) {
        uint32_t at = address + (uint32_t)i;
        if (!is_controller(core, at)) return OAK_OUT_OF_RANGE;
        bytes[i] = (uint8_t)(controller_read(core, at & ~3u) >> 8 * (at & 3));
    }
    return OAK_OK;
}

static oak_status write_memory(oak_core *core, unsigned space, uint32_t address, const uint8_t *bytes,
                               size_t count)
{
    if (space != ARM_MEM || !is_controller(core, address))
        return kit_write_memory(core, space, address, bytes, count);
    if (count != 4 || address & 3) return OAK_OUT_OF_RANGE;
    controller_write(core, address, kit_le16(bytes) | kit_le16(bytes + 2) << 16);
    return OAK_OK;
}

static unsigned exception(const oak_core *core)
{
    return core->depth ? 4u * core->handled[core->depth - 1] : 0;
}

static oak_status check_reads(oak_core *core, bool on)
{
    oak_status status = kit_check_reads(core, on);
    open_windows(core);
    return status;
}

/* clang-format off */
#define NOWHERE {0, 0, false}
#define GENERAL(n) [A32_REG_R##n] = KIT_AT(r[n])
static const struct kit_register registers_at[A32_REGISTERS] = {GENERAL(0), GENERAL(1), GENERAL(2), GENERAL(3), GENERAL(4), GENERAL(5), GENERAL(6), GENERAL(7),
    GENERAL(8), GENERAL(9), GENERAL(10), GENERAL(11), GENERAL(12), [A32_REG_SP] = KIT_AT(r[13]), [A32_REG_LR] = KIT_AT(r[14]), [A32_REG_PC] = KIT_AT(kit.pc)};
static const kit_inner inner[] = {KIT_INNER("asleep", asleep, 1), KIT_INNER("event", event, 1), KIT_INNER("claimed", claimed, 1), KIT_INNER("claim", claim, UINT32_MAX),
    KIT_INNER("enabled", enabled, UINT32_MAX), KIT_INNER("fast", fast, UINT32_MAX), KIT_INNER_LINES, {0}};
static const kit_arch arch = {
    .isa = &oak_isa_a32, .slot_bytes = 4, .core_size = sizeof(oak_core), .cycles = a32_cycles, KIT_LOOPS_OF(a32_), .alike = A32_ALIKE, .fill = fill, .natural = natural,
    .reset = reset_registers, .interrupt = interrupt, .noticed_at = noticed_at, .deaf = deaf, .asleep = asleep, .traps = traps, .registers_at = registers_at, .inner = inner,
    .always = always, .more_cells = more_cells, .passes = passes, .tape_from = offsetof(oak_core, r), .tape_to = sizeof(oak_core)};
/* clang-format on */

static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **core)
{
    oak_status status = kit_create_wide(&arch, tables, setup, core);
    if (!status) open_windows(*core);
    return status;
}

const oak_core_ops a32_core_ops = {
    KIT_CORE_OPS_BUT_MEMORY,          .create = create,
    .read_memory = read_memory,       .write_memory = write_memory,
    .check_reads = check_reads,       .interrupt = line,
    .exception = exception,           .read_register = read_register,
    .write_register = write_register, .begins = begins,
};
