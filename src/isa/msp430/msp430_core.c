/* msp430_core.c — one MSP430: memory with devices in it, interrupts, operands of decoded instructions, registers, the loop. */
#include "isa/kit/filed.h"
#include "isa/msp430/msp430.h"

/* ------------------------------------------------------------------------------------------ handlers */

/* clang-format off */
/* Two operands, in the order of their codes from 4 on; and one. */
#define MSP430_OPS(X) X(MOV) X(ADD) X(ADDC) X(SUBC) X(SUB) X(CMP) X(DADD) X(BIT) X(BIC) X(BIS) X(XOR) X(AND)
#define MSP430_ONES(X) X(RRC, 2); X(RRC, 1); X(SWPB, 2); X(RRA, 2); X(RRA, 1); X(SXT, 2);
enum { MSP430_R, MSP430_I, MSP430_M, MSP430_P }; /* modes of a source */
enum {
#define NUMBER(op) MSP430_IS_##op,
    MSP430_OPS(NUMBER) NUMBER(RRC) NUMBER(SWPB) NUMBER(RRA) NUMBER(SXT)
};
#define MSP430_MODES(op, n, source, result) MSP430_##op##_##source##_##result##_##n
#define MSP430_TO(op, n)                    MSP430_##op##_TO_##n
#define MSP430_ONE(op, n, mode)             MSP430_##op##_##mode##_##n##_ONE
/* Of one operation and width: by the mode of the source, and of the result. */
#define EIGHT(X, op, n)                                                                                                    \
    X(MSP430_MODES(op, n, R, R)) X(MSP430_MODES(op, n, I, R)) X(MSP430_MODES(op, n, M, R)) X(MSP430_MODES(op, n, P, R))    \
    X(MSP430_MODES(op, n, R, M)) X(MSP430_MODES(op, n, I, M)) X(MSP430_MODES(op, n, M, M)) X(MSP430_MODES(op, n, P, M))
#define ENDING(X) X(MSP430_RETURN) X(MSP430_GO_BACK) X(MSP430_CALL_TO) X(MSP430_CALL_BY) X(MSP430_IF_NE) X(MSP430_IF_EQ) X(MSP430_IF_NC) X(MSP430_IF_C) \
    X(MSP430_IF_N) X(MSP430_IF_GE) X(MSP430_IF_L) X(MSP430_JUMP)
#define ENUM(name) name,
enum {
    MSP430_BEFORE = KIT_FIRST_ROW + MSP430_ROWS - 1,
    ENDING(ENUM)
#define ENUM_TO(op) MSP430_TO(op, 2), MSP430_TO(op, 1),
    MSP430_OPS(ENUM_TO)
    MSP430_FIRST_ONE_TO,
    MSP430_BEFORE_ONE_TO = MSP430_FIRST_ONE_TO - 1,
#define ENUM_ONE_TO(op, n) MSP430_ONE(op, n, TO)
#define COMMA_ONES(X) X(RRC, 2), X(RRC, 1), X(SWPB, 2), X(RRA, 2), X(RRA, 1), X(SXT, 2),
    COMMA_ONES(ENUM_ONE_TO)
    MSP430_NOTHING, /* from here on they go on as their rows do */
    MSP430_FROM_SR,
    MSP430_FIRST_ONE,
    MSP430_BEFORE_ONE = MSP430_FIRST_ONE - 1,
#define ENUM_ONE(op, n) MSP430_ONE(op, n, R), MSP430_ONE(op, n, M), MSP430_ONE(op, n, P)
    COMMA_ONES(ENUM_ONE)
    MSP430_FIRST_PUSH,
    MSP430_BEFORE_PUSH = MSP430_FIRST_PUSH - 1,
#define PUSHES(X, n) X(MSP430_ONE(PUSH, n, R)) X(MSP430_ONE(PUSH, n, I)) X(MSP430_ONE(PUSH, n, M)) X(MSP430_ONE(PUSH, n, P))
    PUSHES(ENUM, 2) PUSHES(ENUM, 1)
    MSP430_FIRST_MODES,
    MSP430_BEFORE_MODES = MSP430_FIRST_MODES - 1,
#define ENUM_MODES(op) EIGHT(ENUM, op, 2) EIGHT(ENUM, op, 1)
    MSP430_OPS(ENUM_MODES)
    MSP430_ALIKE = MSP430_NOTHING
};
/* clang-format on */

/* ------------------------------------------------------------------------------------------ memory */

/* What is guarded: a device, or something to complain of. */
static bool msp430_read(oak_core *core, uint32_t address, unsigned bytes, uint64_t now, uint32_t *value)
{
    if (bytes == 2 && address & 1) return kit_fail(core, OAK_FAULT_UNALIGNED, address);
    return kit_guarded_read(core, address, bytes, now, value);
}

static bool msp430_write(oak_core *core, uint32_t address, unsigned bytes, uint32_t value, uint64_t now)
{
    if (bytes == 2 && address & 1) return kit_fail(core, OAK_FAULT_UNALIGNED, address);
    return kit_guarded_write(core, address, bytes, value, now);
}

static bool msp430_push(oak_core *core, uint32_t value, uint64_t now)
{
    uint32_t top = core->reg[RSP];
    if (top & 1) return kit_fail(core, OAK_FAULT_UNALIGNED, top);
    return kit_push(core, &core->objects, &core->stack, top, value, now);
}

/* A sum digit by digit, with its carry in the bit above. */
static uint32_t msp430_decimal(uint32_t a, uint32_t b, uint32_t carry, unsigned bytes)
{
    uint32_t sum = 0;
    for (unsigned bit = 0; bit < 8 * bytes; bit += 4) {
        uint32_t digit = (a >> bit & 15) + (b >> bit & 15) + carry;
        carry = digit >= 10;
        sum |= ((digit - 10 * carry) & 15) << bit;
    }
    return sum | carry << 8 * bytes;
}

/* What is off while it sleeps: the clock of most devices, and the slow one. */
static void msp430_clocks(oak_core *core, uint64_t now)
{
    unsigned sr = core->reg[RSR];
    kit_clocks(core, (sr & MSP430_SCG1 ? 1u : 0) | (sr & MSP430_OSCOFF ? 2u : 0), now);
}

/* ------------------------------------------------------------------------------------------ interrupts */

static uint32_t enabled(const oak_core *core)
{
    return core->reg[RSR] & MSP430_GIE ? (1u << MSP430_LINES) - 1 : 0;
}

static unsigned enter(oak_core *core, uint32_t vector, uint64_t now)
{
    uint32_t sr = msp430_sr(core->reg[RSR], core->flags.sz, core->flags.by);
    for (unsigned i = 0; i < 2; i++) {
        if (!msp430_push(core, i ? sr : core->kit.pc, now)) return 0;
        core->reg[RSP] = (uint16_t)(core->reg[RSP] - 2);
    }
    core->flags = msp430_flags_of(0);
    core->reg[RSR] = (uint16_t)(sr & MSP430_SCG0);
    if (sr & (MSP430_SCG1 | MSP430_OSCOFF)) msp430_clocks(core, now);
    core->kit.pc = kit_le16(core->mem + vector) & 0xFFFE;
    return 6;
}

static unsigned asleep(oak_core *core)
{
    return core->reg[RSR] & MSP430_CPUOFF ? 1 : 0;
}

/* ------------------------------------------------------------------------------------------ decoding */

static uint32_t code_at(const oak_core *core, uint32_t pc)
{
    return (uint32_t)(core->mem[pc] | core->mem[(pc + 1) & 0xFFFF] << 8);
}

/* The source of an instruction: its mode, the register it is near, and a number or distance. `words` moves on over what it takes. */
typedef struct source {
    uint8_t mode, reg;
    uint32_t number;
} source;
static source source_of(const oak_core *core, uint32_t pc, unsigned reg, unsigned mode, bool byte,
                        unsigned *words)
{
    static const uint16_t constants[2][4] = {{0, 0, 4, 8}, {0, 1, 2, 0xFFFF}};
    uint32_t at = (pc + 2) & 0xFFFF, more = code_at(core, at);
    if (reg == RCG || (reg == RSR && mode >= 2)) {
        uint32_t number = constants[reg == RCG][mode];
        return (source){MSP430_I, RZERO, byte ? number & 0xFF : number};
    }
    if (mode == 0)
        return reg == RPC ? (source){MSP430_I, RZERO, byte ? at & 0xFF : at}
                          : (source){MSP430_R, (uint8_t)reg, 0};
    if (mode == 2) return reg == RPC ? (source){MSP430_M, RZERO, at} : (source){MSP430_M, (uint8_t)reg, 0};
    if (mode == 3 && reg != RPC) return (source){MSP430_P, (uint8_t)reg, 0};
    ++*words;
    if (mode == 3) return (source){MSP430_I, RZERO, byte ? more & 0xFF : more};
    if (reg == RPC) return (source){MSP430_M, RZERO, (at + more) & 0xFFFF};
    return (source){MSP430_M, (uint8_t)(reg == RSR ? RZERO : reg), more};
}

/* What natural and fill find in a code. */
typedef struct shape {
    uint16_t handler;
    source from;
    uint8_t to;
    uint32_t distance;
    bool by_sr;
} shape;

static shape shape_of(const oak_core *core, uint32_t pc)
{
    uint32_t code = code_at(core, pc), op = code >> 12;
    unsigned words = 1;
    bool byte = code & 0x40;
    shape it = {0};
    if (op == 1) {
        unsigned which = code >> 7 & 7, reg = code & 15;
        /* rrc, swpb, rra, sxt: the first handler of each */
        static const uint8_t first[] = {0, 2, 3, 5};
        if (which == 6) return (shape){.handler = MSP430_GO_BACK};
        it.from = source_of(core, pc, reg, code >> 4 & 3, byte && which != 5, &words);
        if (which == 5) it.handler = it.from.mode == MSP430_I ? MSP430_CALL_TO : MSP430_CALL_BY;
        else if (which == 4) it.handler = (uint16_t)(MSP430_FIRST_PUSH + (byte ? 4 : 0) + it.from.mode);
        else {
            unsigned n = first[which] + (byte ? 1u : 0u);
            bool odd = !(code >> 4 & 3) && (reg == RPC || reg == RSR || reg == RCG);
            it.to = (uint8_t)reg;
            it.handler = (uint16_t)(odd ? MSP430_FIRST_ONE_TO + n
                                        : MSP430_FIRST_ONE + 3 * n + (it.from.mode ? it.from.mode - 1u : 0u));
            return it;
        }
        it.by_sr = it.from.mode == MSP430_R && reg == RSR;
        return it;
    }
    if (op < 4) {
        it.handler = (uint16_t)(MSP430_IF_NE + (code >> 10 & 7));
        return it;
    }
    unsigned to = code & 15, reg = code >> 8 & 15;
    bool memory = code & 0x80;
    it.from = source_of(core, pc, reg, code >> 4 & 3, byte, &words);
    it.to = (uint8_t)to;
    if (memory) {
        uint32_t at = (pc + 2 * words) & 0xFFFF, more = code_at(core, at);
        it.distance = to == RPC ? (at + more) & 0xFFFF : more;
        if (to == RPC || to == RSR) it.to = RZERO;
    }
    unsigned n = 2 * (op - 4) + byte;
    bool subtracts = op >= 7 && op <= 9;
    it.by_sr = it.from.mode == MSP430_R && reg == RSR;
    if (code == 0x4130) it.handler = MSP430_RETURN;
    else if (code == 0x4030) it.handler = MSP430_JUMP;
    else if (op == 4 && !memory && to == RCG && (it.from.mode == MSP430_R || it.from.mode == MSP430_I))
        it.handler = MSP430_NOTHING;
    else if (!memory && (to == RPC || to == RSR || to == RCG || (op == 4 && to == RSP)))
        it.handler = (uint16_t)(MSP430_MOV_TO_2 + n);
    else {
        it.handler = (uint16_t)(MSP430_FIRST_MODES + 8 * n + (memory ? 4 : 0) + it.from.mode);
        if (subtracts && it.from.mode == MSP430_I) it.from.number ^= byte ? 0xFF : 0xFFFF;
    }
    return it;
}

static uint16_t natural(const oak_core *core, uint32_t pc, uint16_t handler)
{
    (void)handler;
    shape it = shape_of(core, pc);
    if (it.handler == MSP430_JUMP && !core->kit.ops[pc].to) return KIT_PARKED;
    return it.by_sr && it.handler >= MSP430_ALIKE ? MSP430_FROM_SR : it.handler;
}

static void fill(oak_core *core, const oak_decoded *decoded, kit_op *op)
{
    shape it = shape_of(core, decoded->address);
    uint32_t behind = (uint32_t)(decoded->address + decoded->size);
    bool ends = it.handler < MSP430_ALIKE;
    op->x = it.from.reg, op->y = it.to;
    op->at = it.from.number | (ends ? (uint32_t)it.from.mode << 16 : it.distance << 16);
    if (it.by_sr && !ends) op->at = it.handler | it.distance << 16;
    bool jumps = decoded->row >= MSP430_BR_R && decoded->row <= MSP430_RET;
    bool longer = it.from.mode != MSP430_M && it.to == RPC && !jumps;
    if (it.handler >= MSP430_MOV_TO_2 && it.handler < MSP430_FIRST_ONE_TO && longer) op->at |= 1u << 18;
    if (it.handler == MSP430_CALL_TO) {
        op->at = behind & 0xFFFF;
        op->to = kit_way(decoded->address, it.from.number & 0xFFFE);
    } else if (it.handler == MSP430_JUMP)
        op->to =
            kit_way(decoded->address, it.from.mode == MSP430_I ? it.from.number & 0xFFFE : decoded->target);
    else if (!(it.handler >= MSP430_IF_NE && it.handler < MSP430_JUMP))
        op->to = kit_way(decoded->address, behind);
}

/* Words and bytes. */
static void window(const oak_core *core, const oak_decoded *decoded, kit_reach *one)
{
    (void)core;
    uint32_t code = (uint32_t)(decoded->word >> 8 * (decoded->size - 2));
    bool one_operand = code >> 12 == 1;
    if (code & 0x40 && !(one_operand && (code >> 7 & 7) == 5)) one->size = 1;
}

/* What a return from an interrupt takes off beside the return address. */
static unsigned more_cells(const oak_core *core, const oak_decoded *decoded, kit_reach *list, unsigned count)
{
    if (decoded->row == MSP430_RETI)
        list[count++] =
            (kit_reach){MSP430_MEM, KIT_READS, 0xFF, false, 0, 0, (core->reg[RSP] + 2u) & 0xFFFF, 2};
    return count;
}

/* ------------------------------------------------------------------------------------------ the loop */

#include "isa/kit/dispatch.h"

/* clang-format off */
#define LABELS_TO(op)      LABEL(MSP430_TO(op, 2)) LABEL(MSP430_TO(op, 1))
#define LABELS_ONE(op, n)  LABEL(MSP430_ONE(op, n, TO)) LABEL(MSP430_ONE(op, n, R)) LABEL(MSP430_ONE(op, n, M)) LABEL(MSP430_ONE(op, n, P))
#define LABELS_MODES(op)   EIGHT(LABEL, op, 2) EIGHT(LABEL, op, 1)
#define LABEL              KIT_EXTRA_LABEL
#define SPACED_ONES(X)     X(RRC, 2) X(RRC, 1) X(SWPB, 2) X(RRA, 2) X(RRA, 1) X(SXT, 2)
#define CORE_EXTRA(X)      ENDING(X) X(MSP430_NOTHING) X(MSP430_FROM_SR) MSP430_OPS(LABELS_TO) SPACED_ONES(LABELS_ONE) PUSHES(X, 2) PUSHES(X, 1) MSP430_OPS(LABELS_MODES)
/* clang-format on */
#define CORE_CASES "isa/msp430/msp430_cases.h"
#define CORE_SPAN  MSP430_SPAN
#define CORE_CODE  MSP430_MEM
#define CORE_LOCALS                                                                                          \
    uint32_t sz, by, a = 0, b = 0, r = 0, address = 0, undo = 0;                                             \
    bool returning = false
#define LOAD           (sz = core->flags.sz, by = core->flags.by)
#define SAVE_REGISTERS (void)0
#define SAVE           (core->flags = (msp430_flags){sz, by})
#define BACK_TO_IT                                                                                           \
    do {                                                                                                     \
        if (undo) core->reg[undo >> 16] = (uint16_t)undo;                                                    \
        undo = 0;                                                                                            \
    } while (0)
#define CORE_LOOP(name) msp430_##name
KIT_LOOPS(msp430_);
#include "isa/kit/loops.h"

/* ------------------------------------------------------------------------------------------ registers */

static void programmed(oak_core *core)
{
    if (kit_entered_by(core, MSP430_RESET)) core->kit.pc = kit_le16(core->mem + MSP430_RESET) & 0xFFFE;
}

/* What the manual leaves open begins with 0. */
static void reset_registers(oak_core *core)
{
    memset(core->reg, 0, offsetof(oak_core, mem) - offsetof(oak_core, reg));
    core->flags = msp430_flags_of(0);
    core->stack.floor = MSP430_SPAN;
    core->kit.entry = MSP430_RESET;
    programmed(core);
}

/* clang-format off */
#define NOWHERE {0, 0, false}
#define PLACE(id, name, lies, ...) [MSP430_REG_##id] = lies,
/* clang-format on */
static const struct kit_register registers_at[MSP430_REGISTERS] = {MSP430_REGISTER_LIST(PLACE)};

static uint32_t status(const oak_core *core)
{
    return msp430_sr(core->reg[RSR], core->flags.sz, core->flags.by);
}

static void set_status(oak_core *core, uint32_t value)
{
    core->flags = msp430_flags_of(value);
    core->reg[RSR] = (uint16_t)(value & MSP430_KEPT);
    msp430_clocks(core, core->kit.time.cycles);
}

/* ------------------------------------------------------------------------------------------ the whole */

/* clang-format off */
static const kit_inner inner[] = {KIT_INNER("fresh", kit.fresh, 1), KIT_INNER_LINES, {0}};

static const kit_arch arch = {
    .isa = &oak_isa_msp430, .entry_writes = {MSP430_REG_SR + 1}, .code_span = MSP430_SPAN, .core_size = sizeof(oak_core), .cycles = msp430_cycles, KIT_LOOPS_OF(msp430_),
    .alike = MSP430_ALIKE, .fill = fill, .natural = natural, .reset = reset_registers, .registers_at = registers_at, .inner = inner, KIT_VECTORED, .status = status, .set_status = set_status, .starts = kit_starts, .programmed = programmed,
    .enabled = enabled, .enter = enter, .noticed_at = kit_vectored_notice, .asleep = asleep, .window = window, .more_cells = more_cells,
    .tape_from = offsetof(oak_core, reg), .tape_to = sizeof(oak_core)};
/* clang-format on */

static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **core)
{
    return kit_create_guarded(&arch, tables, setup, offsetof(oak_core, mem), offsetof(oak_core, known),
                              offsetof(oak_core, guard), core);
}

const oak_core_ops msp430_core_ops = {
    KIT_CORE_OPS,
    .create = create,
    .check_reads = kit_check_reads,
    KIT_VECTORED_OPS,
};
