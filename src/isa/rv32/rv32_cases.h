/* rv32_cases.h — what the instructions do, for kit/loop.h. X, Y are registers, AT a register or a number; a name ends with the slots it takes. */
/* clang-format off */
#define RX(n)    core->x[n]
#define BOTH(name, ...) CASE(RV32_DO_##name##_1): __VA_ARGS__; NEXT(1); CASE(RV32_DO_##name##_2): __VA_ARGS__; NEXT(2);
#define THREE(name, value) BOTH(name, { uint32_t a = RX(Y), b = RX(AT); RX(X) = (uint32_t)(value); })
#define NUMBER(name, value) BOTH(name##I, { uint32_t a = RX(Y), b = AT; RX(X) = (uint32_t)(value); })
#define EITHER(name, value) THREE(name, value) NUMBER(name, value)
EITHER(ADD, a + b) THREE(SUB, a - b) EITHER(SLT, (int32_t)a < (int32_t)b) EITHER(SLTU, a < b) EITHER(XOR, a ^ b) EITHER(OR, a | b) EITHER(AND, a & b)
EITHER(SLL, a << (b & 31)) EITHER(SRL, a >> (b & 31)) EITHER(SRA, (int32_t)a >> (b & 31))
THREE(MUL, a * b) THREE(MULH, (uint64_t)((int64_t)(int32_t)a * (int32_t)b) >> 32) THREE(MULHSU, (uint64_t)((int64_t)(int32_t)a * (int64_t)b) >> 32)
THREE(MULHU, (uint64_t)a * b >> 32) THREE(DIVU, b ? a / b : UINT32_MAX) THREE(REMU, b ? a % b : a)
#define OVERFLOWS (a == 0x80000000u && b == UINT32_MAX)
THREE(DIV, !b ? UINT32_MAX : OVERFLOWS ? a : (uint32_t)((int32_t)a / (int32_t)b)) THREE(REM, !b ? a : OVERFLOWS ? 0 : (uint32_t)((int32_t)a % (int32_t)b))
BOTH(SET, RX(X) = AT) BOTH(COPY, RX(X) = RX(Y)) BOTH(NOTHING, (void)0)

/* Memory: AT leads into the window of RAM; words and halfwords lie where they are aligned; what is no plain RAM or code goes the long way, where time is exact. */
#define TURNED(by, width) ((by) >> ((width) / 2) | (by) << (32 - (width) / 2) % 32)
#define LIES_IN(by, window, width) (TURNED(by, width) < core->window.size / (width))
#define LOADS(name, type, width)                                                                                  \
    BOTH(name, {                                                                                                 \
        uint32_t at = RX(Y) + AT;                                                                                 \
        type value;                                                                                              \
        if (LIES_IN(at, load, width)) memcpy(&value, core->load.bytes + at, width);                              \
        else if (at += core->code_behind, LIES_IN(at, code, width)) memcpy(&value, core->code.bytes + at, width); \
        else goto reach;                                                                                         \
        RX(X) = (uint32_t)value;                                                                                 \
    })
LOADS(LB, int8_t, 1) LOADS(LBU, uint8_t, 1) LOADS(LH, int16_t, 2) LOADS(LHU, uint16_t, 2) LOADS(LW, uint32_t, 4)
#define STORES(name, type, width)                                                                                 \
    BOTH(name, {                                                                                                 \
        uint32_t at = RX(Y) + AT;                                                                                 \
        type value = (type)RX(X), guards = 0;                                                                    \
        if (!LIES_IN(at, store, width) || (memcpy(&guards, core->store.guard + at, width), guards)) goto reach;  \
        memcpy(core->store.bytes + at, &value, width);                                                           \
    })
STORES(SB, uint8_t, 1) STORES(SH, uint16_t, 2) STORES(SW, uint32_t, 4)
    reach: KIT_MAYBE_UNUSED;
    if (!rv32_reach(core, op, kit->row[SLOT] - KIT_FIRST_ROW, LOOP_ONE ? NOW_ENDS : UINT64_MAX)) {
        if (LOOP_ONE) goto faulted;
        goto guarded;
    }
    if (kit->attention) LEAVE(op->size); /* code was overwritten, or a device asks */
    GO_ON(op + op->size);

#define BRANCHES(name, condition) CASE(RV32_DO_##name##_1): if (condition) { MORE(2); ENTER(TARGET); } ENTER(op + 1); \
    CASE(RV32_DO_##name##_2): if (condition) { MORE(2); ENTER(TARGET); } ENTER(op + 2);
BRANCHES(BEQ, RX(X) == RX(Y)) BRANCHES(BNE, RX(X) != RX(Y)) BRANCHES(BLT, (int32_t)RX(X) < (int32_t)RX(Y)) BRANCHES(BGE, (int32_t)RX(X) >= (int32_t)RX(Y))
BRANCHES(BLTU, RX(X) < RX(Y)) BRANCHES(BGEU, RX(X) >= RX(Y))
    CASE(RV32_DO_JUMP): ENTER(TARGET);
    CASE(RV32_DO_CALL): RX(X) = AT; ENTER(TARGET);
    CASE(RV32_DO_GO): { uint32_t to = (RX(Y) + AT) & ~1u, at = to - core->code.base; RX(X) = op->to; /* where it comes back to */
    ENTER(ops + (at < core->code.size ? core->code_first + at / 2 : kit_far_slot(core, to))); }

    CASE(RV32_DO_SPECIAL):
    if (!LOOP_ONE && op->to && is_plain(op->at) && control_access(core, op, 0, 0) == RV32_GOES_ON) ENTER(op + op->size);
    if (!LOOP_ONE) goto guarded;
    switch (rv32_special(core, op, HERE, kit->row[SLOT] - KIT_FIRST_ROW, NOW_ENDS)) {
    case RV32_GOES: op = ops + core->goes; break;
    case RV32_FAULTS: goto faulted;
    default: op += op->size;
    }
    FINISH;

    guarded: KIT_MAYBE_UNUSED; /* single steps look at it */
    exit = KIT_EXIT_WATCH;
    goto leave;
