/* rv32_core.c — one RV32IMC core: what its rows do, memory and devices, control registers, traps, the loop. */
#include "isa/rv32/rv32.h"

/* ------------------------------------------------------------------------------------------ handlers */

/* clang-format off */
#define ONES(X)   X(ADDI) X(SLTI) X(SLTUI) X(XORI) X(ORI) X(ANDI) X(SLLI) X(SRLI) X(SRAI) X(ADD) X(SUB) X(SLT) X(SLTU) X(XOR) X(OR) X(AND) X(SLL) X(SRL) X(SRA) \
    X(MUL) X(MULH) X(MULHSU) X(MULHU) X(DIV) X(DIVU) X(REM) X(REMU) X(SET) X(COPY) X(NOTHING) X(LB) X(LBU) X(LH) X(LHU) X(LW) X(SB) X(SH) X(SW)
#define IFS(X)    X(BEQ) X(BNE) X(BLT) X(BGE) X(BLTU) X(BGEU)
#define TWO(name) RV32_DO_##name##_1, RV32_DO_##name##_2,
/* Of instructions that end a chain; then those that do not. */
enum {
    RV32_BEHIND_ROWS = KIT_FIRST_ROW + RV32_ROWS - 1,
    IFS(TWO) RV32_DO_JUMP, RV32_DO_CALL, RV32_DO_GO, RV32_DO_SPECIAL,
    RV32_ALIKE, RV32_BEHIND_ALIKE = RV32_ALIKE - 1,
    ONES(TWO)
};

/* What a row does, and with which registers: the letter of a field, or a number; n: a number that no operand is. */
static const struct does { uint16_t handler; uint8_t d, s, t; int16_t n; } does[RV32_ROWS] = {
#define DO(row, name, d, s, t, n) [RV32_##row] = {RV32_DO_##name##_1, d, s, t, n},
#define ENDS(row, name, d, s, n)  [RV32_##row] = {RV32_DO_##name, d, s, 0, n},
#define COUNTS(row, number) ENDS(row, SPECIAL, 'd', 0, number)
#define CONTROL(row, d, s) ENDS(row, SPECIAL, d, s, 0) ENDS(row##_N, SPECIAL, d, s, 0)
#define ALIKE3(name)  DO(name, name, 'd', 's', 't', 0)
#define ALIKE2(name)  DO(name, name, 'd', 's', 0, 0)
#define BRANCH2(name) DO(name, name, 's', 't', 0, 0)
#define STORE2(name)  DO(name, name, 't', 's', 0, 0)
    ALIKE3(ADD) ALIKE3(SUB) ALIKE3(SLT) ALIKE3(SLTU) ALIKE3(XOR) ALIKE3(OR) ALIKE3(AND) ALIKE3(SLL) ALIKE3(SRL) ALIKE3(SRA) ALIKE3(MUL) ALIKE3(MULH) ALIKE3(MULHSU) ALIKE3(MULHU)
    ALIKE3(DIV) ALIKE3(DIVU) ALIKE3(REM) ALIKE3(REMU) ALIKE2(ADDI) ALIKE2(SLTI) DO(SLTIU, SLTUI, 'd', 's', 0, 0) ALIKE2(XORI) ALIKE2(ORI) ALIKE2(ANDI) ALIKE2(SLLI) ALIKE2(SRLI) ALIKE2(SRAI)
    ALIKE2(LB) ALIKE2(LBU) ALIKE2(LH) ALIKE2(LHU) ALIKE2(LW) STORE2(SB) STORE2(SH) STORE2(SW)
    BRANCH2(BEQ) BRANCH2(BNE) BRANCH2(BLT) BRANCH2(BGE) BRANCH2(BLTU) BRANCH2(BGEU)
    DO(BEQZ, BEQ, 's', 0, 0, 0) DO(BNEZ, BNE, 's', 0, 0, 0) DO(BLTZ, BLT, 's', 0, 0, 0) DO(BGEZ, BGE, 's', 0, 0, 0) DO(BGTZ, BLT, 0, 't', 0, 0) DO(BLEZ, BGE, 0, 't', 0, 0)
    DO(C_BEQZ, BEQ, 's', 0, 0, 0) DO(C_BNEZ, BNE, 's', 0, 0, 0)
    DO(NOP, NOTHING, 0, 0, 0, 0) DO(C_NOP, NOTHING, 0, 0, 0, 0) DO(FENCE, NOTHING, 0, 0, 0, 0) DO(FENCE_SETS, NOTHING, 0, 0, 0, 0) DO(FENCE_TSO, NOTHING, 0, 0, 0, 0) DO(FENCE_ANY, NOTHING, 0, 0, 0, 0) DO(MV, COPY, 'd', 's', 0, 0) DO(C_MV, COPY, 'd', 't', 0, 0) DO(LI, SET, 'd', 0, 0, 0) DO(C_LI, SET, 'd', 0, 0, 0)
    DO(LUI, SET, 'd', 0, 0, 0) DO(C_LUI, SET, 'd', 0, 0, 0) DO(AUIPC, SET, 'd', 0, 0, 0)
    DO(NOT, XORI, 'd', 's', 0, -1) DO(NEG, SUB, 'd', 0, 't', 0) DO(SEQZ, SLTUI, 'd', 's', 0, 1) DO(SNEZ, SLTU, 'd', 0, 't', 0) DO(SLTZ, SLTI, 'd', 's', 0, 0) DO(SGTZ, SLT, 'd', 0, 't', 0)
    DO(C_ADDI, ADDI, 'd', 'd', 0, 0) DO(C_ADDI16SP, ADDI, 2, 2, 0, 0) DO(C_ADDI4SPN, ADDI, 'd', 2, 0, 0) DO(C_SRLI, SRLI, 'd', 'd', 0, 0) DO(C_SRAI, SRAI, 'd', 'd', 0, 0)
    DO(C_ANDI, ANDI, 'd', 'd', 0, 0) DO(C_SLLI, SLLI, 'd', 'd', 0, 0) DO(C_SUB, SUB, 'd', 'd', 't', 0) DO(C_XOR, XOR, 'd', 'd', 't', 0) DO(C_OR, OR, 'd', 'd', 't', 0)
    DO(C_AND, AND, 'd', 'd', 't', 0) DO(C_ADD, ADD, 'd', 'd', 't', 0) DO(C_LW, LW, 'd', 's', 0, 0) DO(C_SW, SW, 't', 's', 0, 0) DO(C_LWSP, LW, 'd', 2, 0, 0) DO(C_SWSP, SW, 't', 2, 0, 0)
    ENDS(J, JUMP, 0, 0, 0) ENDS(C_J, JUMP, 0, 0, 0) ENDS(JAL, CALL, 'd', 0, 0) ENDS(CALL, CALL, 1, 0, 0) ENDS(CALL_NEAR, CALL, 1, 0, 0) ENDS(C_CALL, CALL, 1, 0, 0) ENDS(C_JAL, CALL, 1, 0, 0)
    ENDS(RET, GO, 0, 1, 0) ENDS(C_RET, GO, 0, 1, 0) ENDS(JR, GO, 0, 's', 0) ENDS(C_JR, GO, 0, 's', 0) ENDS(JR_NEAR, GO, 0, 's', 0) ENDS(JALR, GO, 'd', 's', 0)
    ENDS(JALR_RA, GO, 1, 's', 0) ENDS(C_JALR, GO, 1, 's', 0)
    COUNTS(RDCYCLE, 0xC00) COUNTS(RDTIME, 0xC01) COUNTS(RDINSTRET, 0xC02) COUNTS(RDCYCLEH, 0xC80) COUNTS(RDTIMEH, 0xC81) COUNTS(RDINSTRETH, 0xC82)
    CONTROL(CSRR, 'd', 0) CONTROL(CSRW, 0, 's') CONTROL(CSRS, 0, 's') CONTROL(CSRC, 0, 's') CONTROL(CSRWI, 0, 'i') CONTROL(CSRSI, 0, 'i') CONTROL(CSRCI, 0, 'i')
    CONTROL(CSRRW, 'd', 's') CONTROL(CSRRS, 'd', 's') CONTROL(CSRRC, 'd', 's') CONTROL(CSRRWI, 'd', 'i') CONTROL(CSRRSI, 'd', 'i') CONTROL(CSRRCI, 'd', 'i')
    ENDS(ECALL, SPECIAL, 0, 0, 0) ENDS(EBREAK, SPECIAL, 0, 0, 0) ENDS(C_EBREAK, SPECIAL, 0, 0, 0) ENDS(MRET, SPECIAL, 0, 0, 0) ENDS(WFI, SPECIAL, 0, 0, 0) ENDS(FENCE_I, SPECIAL, 0, 0, 0) ENDS(FENCE_I_ANY, SPECIAL, 0, 0, 0)
};
/* clang-format on */

static uint16_t natural(const oak_core *core, uint32_t slot, uint16_t handler)
{
    unsigned row = handler - KIT_FIRST_ROW, now = does[row].handler;
    bool twice = now < RV32_DO_JUMP || now > RV32_DO_SPECIAL; /* in two lengths */
    if (now == RV32_DO_JUMP && !core->kit.ops[slot].to) return KIT_PARKED;
    return (uint16_t)(now + (twice && core->kit.ops[slot].size == 2));
}

static uint8_t reg_of(const oak_core *core, const oak_decoded *decoded, uint8_t what)
{
    if (what < 32) return what;
    const oak_pattern *pattern = &kit_tables_of(core->kit.tables)->row[decoded->row].pattern;
    unsigned number = oak_pattern_get(pattern, (char)what, decoded->word);
    return (uint8_t)(oak_pattern_width(pattern, (char)what) == 3 ? number + 8 : number);
}

/* The number among the operands. */
static uint32_t number_of(const oak_core *core, const oak_decoded *decoded)
{
    const oak_pattern *pattern = &kit_tables_of(core->kit.tables)->row[decoded->row].pattern;
    int64_t number = does[decoded->row].n;
    if (oak_pattern_width(pattern, 'c')) return oak_pattern_get(pattern, 'c', decoded->word);
    (void)kit_number_among(core->kit.tables, decoded, &number);
    return (uint32_t)number;
}

static void fill(oak_core *core, const oak_decoded *decoded, kit_op *op)
{
    const struct does *it = &does[decoded->row];
    bool stores = it->handler >= RV32_DO_SB_1, loads = it->handler >= RV32_DO_LB_1 && !stores,
         branches = it->handler < RV32_DO_JUMP;
    unsigned row = decoded->row;
    op->x = reg_of(core, decoded, it->d), op->y = reg_of(core, decoded, it->s);
    op->at = it->t ? reg_of(core, decoded, it->t) : number_of(core, decoded);
    if (stores || loads) op->at -= core->store.base; /* the windows begin there */
    if (!stores && !branches && !op->x) op->x = RV32_SINK;
    if (row == RV32_LUI || row == RV32_C_LUI) op->at <<= 12;
    if (row == RV32_AUIPC) op->at = (op->at << 12) + (uint32_t)decoded->address;
    if (it->handler == RV32_DO_CALL) op->at = (uint32_t)decoded->address + decoded->size;
    if (it->handler == RV32_DO_SPECIAL)
        op->to = (uint32_t)decoded->word >> 12 & 7; /* what it does to a control register */
    if (it->handler == RV32_DO_GO) op->to = (uint32_t)decoded->address + decoded->size;
}

/* Of what a row loads or stores. */
static unsigned bytes_of(unsigned row)
{
    unsigned handler = does[row].handler;
    bool byte = handler == RV32_DO_LB_1 || handler == RV32_DO_LBU_1 || handler == RV32_DO_SB_1,
         half = handler == RV32_DO_LH_1 || handler == RV32_DO_LHU_1 || handler == RV32_DO_SH_1;
    return byte ? 1 : half ? 2 : 4;
}

static void window(const oak_core *core, const oak_decoded *decoded, kit_reach *one)
{
    (void)core;
    one->size = bytes_of(decoded->row);
}

/* ------------------------------------------------------------------------------------------ memory */

/* What plain accesses reach: the largest RAM, and of code the largest memory that keeps its contents. */
static void open_windows(oak_core *core)
{
    kit_core *kit = &core->kit;
    core->load = core->store = core->code = (struct rv32_window){0};
    for (unsigned i = 0; i < kit->land_count; i++) {
        const kit_land *land = &kit->land[i];
        const kit_space *space = kit_stretch(core, RV32_MEM, land->base);
        struct rv32_window one = {space->cells, kit->guard + land->bytes, land->base, land->size & ~3u},
                           *to = space->known ? &core->code : &core->store;
        if (land->base & 3 || one.size <= to->size) continue;
        *to = one;
        if (space->known) core->code_first = land->first;
    }
    core->load = core->store;
    if (kit->checks_reads) core->load.size = 0;
    core->code_behind = core->load.base - core->code.base;
}

/* A first store where nothing but that is to be noticed: no code, nothing that keeps its contents. */
static bool put_fresh(oak_core *core, uint32_t address, unsigned bytes, uint32_t value)
{
    uint32_t at = address - core->store.base, guards = 0;
    if (at >= core->store.size) return false;
    memcpy(&guards, core->store.guard + at, bytes);
    if (guards & ~(KIT_GUARD_FRESH * 0x01010101u)) return false;
    memset(core->store.guard + at, 0, bytes);
    for (unsigned i = 0; i < bytes; i++) core->store.bytes[at + i] = (uint8_t)(value >> 8 * i);
    return true;
}

/* A load or store that is no plain one. `now` UINT64_MAX: time is not known exactly; then nothing but memory is reached. */
static bool rv32_reach(oak_core *core, const kit_op *op, unsigned row, uint64_t now)
{
    unsigned kind = does[row].handler - RV32_DO_LB_1, bytes = bytes_of(row);
    uint32_t address = core->x[op->y] + op->at + core->store.base, value = core->x[op->x];
    core->stores = kind >= RV32_DO_SB_1 - RV32_DO_LB_1;
    if (address % bytes) return kit_fail(core, OAK_FAULT_UNALIGNED, address);
    if (core->stores && put_fresh(core, address, bytes, value)) return true;
    if (now == UINT64_MAX && kit_find_slot(core, address) >= core->kit.span) return false;
    if (core->stores) return kit_put(core, address, bytes, value, now);
    if (!kit_load(core, address, bytes, now, &value)) return false;
    bool signs = kind == 0 || kind == RV32_DO_LH_1 - RV32_DO_LB_1;
    uint32_t sign = signs ? 1u << (8 * bytes - 1) : 0;
    core->x[op->x] = (value ^ sign) - sign;
    return true;
}

/* ------------------------------------------------------------------------------------------ traps */

/* Lines as bits of mip and mie, and back. */
static uint32_t bits_of_lines(uint32_t lines)
{
    return lines << 16 | (lines >> RV32_TIMER_LINE & 1) << 7 | (lines >> RV32_SOFT_LINE & 1) << 3;
}

static uint32_t lines_of_bits(uint32_t bits)
{
    return bits >> 16 | (bits >> 7 & 1) << RV32_TIMER_LINE | (bits >> 3 & 1) << RV32_SOFT_LINE;
}

static uint32_t pending(const oak_core *core)
{
    return bits_of_lines(kit_lines_due(core, (1u << RV32_LINES) - 1, &core->lines));
}

/* To the handler, as the manual says. */
static void enter(oak_core *core, uint32_t cause, uint32_t value)
{
    kit_core *kit = &core->kit;
    uint32_t base = core->mtvec & ~3u;
    bool vectored = cause & 0x80000000u && core->mtvec & 1;
    core->mepc = kit_address(core, kit->pc);
    core->mcause = cause;
    core->mtval = value;
    core->mstatus = RV32_MPP | (core->mstatus & RV32_MIE ? RV32_MPIE : 0);
    core->asleep = false;
    base += vectored ? 4 * (cause & 0xFF) : 0;
    if (kit->observed) kit_watch_entry(core, base);
    kit->pc = kit_slot(core, base);
    oak_service_enter(&kit->log, (cause & 0xFF) + (cause & 0x80000000u ? RV32_FIRST_INTERRUPT : 0), base,
                      kit->time.cycles);
    if (core->depth < RV32_MOST_NESTED) core->handler[core->depth++] = base;
    kit->time.cycles += 4;
    kit->attention = true;
    if (kit->observed) kit_watch_end(core);
}

/* What an instruction suffers is a trap where there is a handler; else the run ends with it. */
static bool traps(oak_core *core)
{
    kit_core *kit = &core->kit;
    uint32_t cause = 0, value = kit->fault_address;
    switch (kit->fault) {
    case OAK_FAULT_UNPROGRAMMED:
    case OAK_FAULT_OUTSIDE_CODE: cause = CAUSE_FETCH; break;
    case OAK_FAULT_RESERVED: cause = CAUSE_ILLEGAL; break;
    case OAK_FAULT_BREAKPOINT: cause = CAUSE_BREAKPOINT; break;
    case OAK_FAULT_UNALIGNED: cause = core->stores ? CAUSE_STORE_UNEVEN : CAUSE_LOAD_UNEVEN; break;
    case OAK_FAULT_ABSENT:
    case OAK_FAULT_READ_ONLY: cause = core->stores ? CAUSE_STORE : CAUSE_LOAD; break;
    case OAK_FAULT_NO_HANDLER: cause = CAUSE_ECALL, value = 0; break;
    default: return false;
    }
    if (kit_address(core, kit->pc) == (core->mtvec & ~3u)) return false; /* it would come here again */
    if (!(core->mtvec & ~3u) || kit_find_slot(core, core->mtvec & ~3u) >= kit->span) return false;
    if (cause == CAUSE_ILLEGAL) {
        uint8_t bytes[OAK_LONGEST_INSN];
        kit_fetch(core, value, bytes);
        value = (uint32_t)(bytes[0] | bytes[1] << 8) |
                ((bytes[0] & 3) == 3 ? (uint32_t)(bytes[2] | bytes[3] << 8) << 16 : 0);
    }
    enter(core, cause, value);
    return true;
}

static bool interrupt(oak_core *core)
{
    static const uint8_t cause_of_line[RV32_LINES] = {[RV32_TIMER_LINE] = 7, [RV32_SOFT_LINE] = 3};
    uint32_t ready = core->mstatus & RV32_MIE ? lines_of_bits(pending(core) & core->mie) : 0, line = 0;
    if (!ready) return false;
    if (ready >> RV32_SOFT_LINE == 1 && !(ready & 0xFFFF))
        line = RV32_SOFT_LINE; /* before the timer, as the manual has them */
    while (!(ready >> line & 1)) line++;
    enter(core, 0x80000000u | (line < RV32_TIMER_LINE ? 16 + line : cause_of_line[line]), 0);
    core->kit.next_device = core->kit.setup.acknowledge(core->kit.setup.machine, line, core->kit.time.cycles);
    return true;
}

static uint64_t noticed_at(oak_core *core)
{
    return kit_lines_next(core, lines_of_bits(core->mie), &core->lines);
}

static bool deaf(const oak_core *core)
{
    return !core->mie;
}

static unsigned asleep(oak_core *core)
{
    if (core->asleep && pending(core) & core->mie) core->asleep = false;
    return core->asleep;
}

static void line(oak_core *core, unsigned number, bool level, uint64_t from)
{
    if (number < RV32_LINES) kit_line(core, &core->lines, number, level, from);
}

/* ------------------------------------------------------------------------------------------ control registers */

enum { MCYCLE = 0xB00, MINSTRET = 0xB02, UPPER = 0x80 };

static uint32_t *control(oak_core *core, uint32_t number, uint32_t *mask)
{
    *mask = UINT32_MAX;
    switch (number) {
    case 0x300: *mask = RV32_MIE | RV32_MPIE; return &core->mstatus;
    case 0x304: *mask = 0xFFFF0088u; return &core->mie;
    case 0x305: *mask = ~2u; return &core->mtvec;
    case 0x340: return &core->mscratch;
    case 0x341: *mask = ~1u; return &core->mepc;
    case 0x342: return &core->mcause;
    case 0x343: return &core->mtval;
    default: return NULL;
    }
}

static bool read_control(oak_core *core, uint32_t number, uint64_t now, uint32_t *value)
{
    uint32_t mask, *at = control(core, number, &mask), low = number & ~(uint32_t)UPPER;
    if (low == 0xC00 || low == 0xC02) low -= 0x100u; /* what machine mode lets others read */
    uint64_t count = low == MCYCLE ? now : core->kit.time.instructions;
    *value = at                                 ? *at
             : number == 0x344                  ? pending(core)
             : number == 0x301                  ? 0x40001104u /* RV32, C I M */
             : low == MCYCLE || low == MINSTRET ? (uint32_t)(count >> (number & UPPER ? 32 : 0))
                                                : 0;
    return at || number == 0x344 || number == 0x301 || low == MCYCLE || low == MINSTRET ||
           (number >= 0xF11 && number <= 0xF14);
}

/* A control register that neither time nor interrupts have anything to do with: mtvec, mscratch, mepc, mcause, mtval. */
static bool is_plain(uint32_t number)
{
    return number == 0x305 || (number >= 0x340 && number <= 0x343);
}

enum { RV32_GOES_ON, RV32_GOES, RV32_FAULTS };
static int control_access(oak_core *core, const kit_op *op, uint32_t here, uint64_t now)
{
    bool puts = (op->to & 3) == 1, sets = (op->to & 3) == 2, writes = puts || op->y;
    uint32_t old, with = op->to & 4 ? op->y : core->x[op->y], mask, *at = control(core, op->at, &mask);
    if (!read_control(core, op->at, now, &old) || (writes && op->at >> 10 == 3)) {
        (void)kit_fail(core, OAK_FAULT_RESERVED, here);
        return RV32_FAULTS;
    }
    if (writes && at) *at = (*at & ~mask) | ((puts ? with : sets ? old | with : old & ~with) & mask);
    core->x[op->x] = old;
    if (!is_plain(op->at)) core->kit.attention = true;
    return RV32_GOES_ON;
}

static int rv32_special(oak_core *core, const kit_op *op, uint32_t here, unsigned row, uint64_t now)
{
    switch (row) {
    case RV32_ECALL: (void)kit_fail(core, OAK_FAULT_NO_HANDLER, CAUSE_ECALL); return RV32_FAULTS;
    case RV32_EBREAK:
    case RV32_C_EBREAK: (void)kit_fail(core, OAK_FAULT_BREAKPOINT, here); return RV32_FAULTS;
    case RV32_WFI: core->asleep = core->kit.attention = true; return RV32_GOES_ON;
    case RV32_FENCE_I:
    case RV32_FENCE_I_ANY: return RV32_GOES_ON;
    case RV32_MRET:
        core->mstatus = RV32_MPP | RV32_MPIE | (core->mstatus & RV32_MPIE ? RV32_MIE : 0);
        core->goes = kit_slot(core, core->mepc);
        oak_service_leave(&core->kit.log, now);
        if (core->depth) core->depth--;
        core->kit.attention = true;
        return RV32_GOES;
    default: return control_access(core, op, here, now);
    }
}

/* ------------------------------------------------------------------------------------------ the loop */

#include "isa/kit/dispatch.h"

#define LABELS_2(name) KIT_EXTRA_LABEL(RV32_DO_##name##_1) KIT_EXTRA_LABEL(RV32_DO_##name##_2)
#define CORE_EXTRA(X)                                                                                        \
    IFS(LABELS_2) ONES(LABELS_2) X(RV32_DO_JUMP) X(RV32_DO_CALL) X(RV32_DO_GO) X(RV32_DO_SPECIAL)
#define CORE_CASES      "isa/rv32/rv32_cases.h"
#define CORE_SPAN       (kit->span)
#define CORE_CODE       RV32_MEM
#define CORE_FAR        1
#define CORE_LOCALS     (void)0
#define LOAD            (void)0
#define SAVE            (void)0
#define BACK_TO_IT      (void)0
#define CORE_LOOP(name) rv32_##name
KIT_LOOPS(rv32_);
#include "isa/kit/loops.h"

/* ------------------------------------------------------------------------------------------ the whole */

static void reset_registers(oak_core *core)
{
    memset(core->x, 0, sizeof(oak_core) - offsetof(oak_core, x));
    core->mstatus = RV32_MPP;
    core->kit.pc = kit_slot(core, 0);
}

static oak_status read_register(const oak_core *core, unsigned reg, uint32_t *value)
{
    if (reg != RV32_REG_MIP) return kit_read_register(core, reg, value);
    *value = pending(core);
    return OAK_OK;
}

static oak_status write_register(oak_core *core, unsigned reg, uint32_t value)
{
    core->kit.attention = true;
    return reg == RV32_REG_MIP ? OAK_OK : kit_write_register(core, reg, value);
}

static unsigned exception(const oak_core *core)
{
    return core->depth ? core->handler[core->depth - 1] : 0;
}

static oak_status check_reads(oak_core *core, bool on)
{
    oak_status status = kit_check_reads(core, on);
    open_windows(core);
    return status;
}

/* clang-format off */
#define NOWHERE {0, 0, false}
#define ONE(id, name, lies, ...) [RV32_REG_##id] = lies,
static const struct kit_register registers_at[RV32_REGISTERS] = {RV32_REGISTER_LIST};
#undef ONE
static const kit_inner inner[] = {KIT_INNER("asleep", asleep, 1), KIT_INNER_LINES, {0}};
static const kit_arch arch = {
    .isa = &oak_isa_rv32, .entry_writes = {RV32_REG_MSTATUS + 1, RV32_REG_MEPC + 1, RV32_REG_MCAUSE + 1, RV32_REG_MTVAL + 1}, .slot_bytes = 2, .core_size = sizeof(oak_core), .cycles = rv32_cycles, KIT_LOOPS_OF(rv32_), .alike = RV32_ALIKE, .fill = fill, .natural = natural,
    .reset = reset_registers, .interrupt = interrupt, .noticed_at = noticed_at, .deaf = deaf, .asleep = asleep, .traps = traps, .registers_at = registers_at, .inner = inner, .window = window,
    .tape_from = offsetof(oak_core, x), .tape_to = sizeof(oak_core)};
/* clang-format on */

static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **core)
{
    oak_status status = kit_create_wide(&arch, tables, setup, core);
    if (!status) open_windows(*core);
    return status;
}

const oak_core_ops rv32_core_ops = {
    KIT_CORE_OPS,
    .create = create,
    .check_reads = check_reads,
    .interrupt = line,
    .exception = exception,
    .read_register = read_register,
    .write_register = write_register,
};
