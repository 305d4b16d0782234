/* msp430_cases.h — what instructions do, for the loop of the kit, by the modes of their operands:
 *
 *   source  R  a register      I  a number      M  memory at a register (or none) and a distance      P  where a register points, which moves on
 *   result  R  a register      M  memory        TO  pc, sr, sp or r3: the chain ends there
 *
 * X and Y are the registers of source and result; AT has the source's number or distance in its low half, the result's distance in its high
 * one; `to` leads to what stands behind. What is guarded (a device, memory that was never written, code) is left to single steps. */

/* clang-format off */
#define REG(n)         core->reg[n]
#define NEXT_ONE       TARGET
#define SOURCE_AT      (AT & 0xFFFF)
#define MASK_2         0xFFFFu
#define MASK_1         0xFFu
#define UP_2           0
#define UP_1           8
#define CARRY          (sz >> 16 & 1)
#define SR_NOW         msp430_sr(REG(RSR), sz, by)
#define SET_SR(value)  do { msp430_flags set = msp430_flags_of(value); sz = set.sz; by = set.by; REG(RSR) = (uint16_t)((value) & MSP430_KEPT); } while (0)
#define N_XOR_V        ((by ^ sz ^ by << 1 ^ by >> 1) >> 16 & 1)

/* ---- memory: a word at an odd address is guarded, too */
#define MEM_2(where)      kit_le16(core->mem + (where))
#define MEM_1(where)      core->mem[where]
#define KEEP_2(where, v)  kit_put_le16(core->mem + (where), v)
#define KEEP_1(where, v)  (core->mem[where] = (uint8_t)(v))
#define READS_2           (KIT_GUARD_READS * 0x101u)
#define READS_1           KIT_GUARD_READS
#define GUARD_2(which)    ((address & 1) || (kit_le16(core->guard + address) & (which)))
#define GUARD_1(which)    (core->guard[address] & (which))
#define FETCH(n, into)                                                                                            \
    do {                                                                                                         \
        if (GUARD_##n(READS_##n)) {                                                                              \
            if (!LOOP_ONE) goto guarded;                                                                         \
            if (!msp430_read(core, address, n, NOW_ENDS - 1, &(into))) goto faulted;                             \
        } else (into) = MEM_##n(address);                                                                        \
    } while (0)
#define SOURCE_R(n) a = REG(X) & MASK_##n
#define SOURCE_I(n) a = SOURCE_AT
#define SOURCE_M(n) address = (REG(X) + AT) & 0xFFFF; FETCH(n, a)
/* The stack pointer always moves on by a word. It comes back when the instruction is given up. */
#define SOURCE_P(n)                                                                                              \
    address = REG(X);                                                                                            \
    if (LOOP_ONE && X == RSP && GUARD_1(KIT_GUARD_READS | KIT_GUARD_FIXED) && kit_underflows(core, address)) goto faulted; \
    if (!LOOP_ONE && X == RSP && GUARD_1(KIT_GUARD_FIXED)) goto guarded;                                         \
    FETCH(n, a);                                                                                                  \
    undo = (uint32_t)X << 16 | address;                                                                          \
    REG(X) = (uint16_t)(address + (n == 2 || X == RSP ? 2 : 1))

/* ---- results: `a` is the source, `b` what was there, `r` what comes */
#define SUM(n, left, right, carried)                                                                             \
    sz = ((left) + (right) + (carried)) << UP_##n; by = ((left) ^ (right)) << UP_##n; r = sz >> UP_##n & MASK_##n
#define BITWISE(n, value) /* C is that something is left */                                                      \
    r = (value); sz = r << UP_##n; sz |= (sz + 0xFFFF) & 0x10000; by = sz
#define DO_MOV(n)  r = a
#define DO_ADD(n)  SUM(n, a, b, 0)
#define DO_ADDC(n) SUM(n, a, b, CARRY)
#define INVERTED(n) (INVERTED_BEFORE ? a : a ^ MASK_##n) /* numbers are, when they are decoded */
#define DO_SUBC(n) SUM(n, INVERTED(n), b, CARRY)
#define DO_SUB(n)  SUM(n, INVERTED(n), b, 1)
#define DO_CMP(n)  DO_SUB(n)
#define DO_DADD(n) r = msp430_decimal(a, b, CARRY, n); sz = r << UP_##n & 0x1FFFF; by = sz; r &= MASK_##n
#define DO_BIT(n)  BITWISE(n, a & b)
#define DO_BIC(n)  r = b & ~a
#define DO_BIS(n)  r = b | a
#define DO_XOR(n)  BITWISE(n, a ^ b); by ^= (a & b) << UP_##n & 0x8000
#define DO_AND(n)  BITWISE(n, a & b)
#define DO_RRA(n)  r = b >> 1 | (b & (MASK_##n ^ MASK_##n >> 1)); sz = r << UP_##n | (b & 1) << 16; by = sz
#define DO_RRC(n)  /* V: it was positive and is negative now */                                                   \
    r = b >> 1 | CARRY * (MASK_##n ^ MASK_##n >> 1); sz = r << UP_##n | (b & 1) << 16; by = sz ^ ((r & ~b) << UP_##n & 0x8000)
#define DO_SWPB(n) r = (b >> 8 | b << 8) & 0xFFFF
#define DO_SXT(n)  BITWISE(n, (((b & 0xFF) ^ 0x80) - 0x80) & 0xFFFF)
#define READS_OF(it)  (MSP430_IS_##it != MSP430_IS_MOV)
#define WRITES_OF(it) (MSP430_IS_##it != MSP430_IS_CMP && MSP430_IS_##it != MSP430_IS_BIT)
#define IN_REGISTER(it, n, reg)                                                                                  \
    do {                                                                                                         \
        b = REG(reg) & MASK_##n; DO_##it(n);                                                                     \
        if (WRITES_OF(it)) REG(reg) = (uint16_t)r;                                                               \
    } while (0)
#define IN_MEMORY(it, n, where)                                                                                  \
    do {                                                                                                         \
        address = (where);                                                                                       \
        if (GUARD_##n(WRITES_OF(it) ? ~0u : READS_##n)) {                                                        \
            uint32_t was_sz = sz, was_by = by;                                                                   \
            if (!LOOP_ONE) goto guarded;                                                                         \
            if (READS_OF(it) && !msp430_read(core, address, n, NOW_ENDS - 1, &b)) goto faulted;                  \
            DO_##it(n);                                                                                          \
            if (WRITES_OF(it) && !msp430_write(core, address, n, r, NOW_ENDS)) { sz = was_sz; by = was_by; goto faulted; } \
        } else {                                                                                                 \
            if (READS_OF(it)) b = MEM_##n(address);                                                              \
            DO_##it(n);                                                                                          \
            if (WRITES_OF(it)) KEEP_##n(address, r);                                                             \
        }                                                                                                        \
    } while (0)
#define RESULT_R(it, n) IN_REGISTER(it, n, Y)
#define RESULT_M(it, n) IN_MEMORY(it, n, (REG(Y) + (AT >> 16)) & 0xFFFF)
#define UNDO_R
#define UNDO_I
#define UNDO_M
#define UNDO_P undo = 0
#define INVERTS_R 0
#define INVERTS_I 1
#define INVERTS_M 0
#define INVERTS_P 0
#define ON_MODES(it, n, source, result)                                                                          \
    CASE(MSP430_MODES(it, n, source, result)): {                                                                 \
        enum { INVERTED_BEFORE = INVERTS_##source };                                                             \
        SOURCE_##source(n); RESULT_##result(it, n); UNDO_##source; GO_ON(NEXT_ONE);                              \
    }
/* To pc, sr, sp or r3, from anywhere: the mode of the source is in bits 16 and 17 of AT, a cycle more for pc above. */
#define ON_TO(it, n)                                                                                             \
    CASE(MSP430_TO(it, n)): {                                                                                    \
    enum { INVERTED_BEFORE = 0 };                                                                                \
    REG(RSR) = (uint16_t)SR_NOW;                                                                                 \
    switch (AT >> 16 & 3) {                                                                                      \
    case MSP430_R: SOURCE_R(n); break;                                                                           \
    case MSP430_I: SOURCE_I(n); break;                                                                           \
    case MSP430_M: SOURCE_M(n); break;                                                                           \
    default: SOURCE_P(n); break;                                                                                 \
    }                                                                                                            \
    b = (Y == RPC ? HERE + op->size : REG(Y)) & MASK_##n;                                                        \
    DO_##it(n); UNDO_P;                                                                                          \
    if (!WRITES_OF(it) || Y == RCG) ENTER(NEXT_ONE);                                                             \
    goto result_goes;                                                                                            \
    }
#define ON_OP(it)                                                                                                \
    ON_MODES(it, 2, R, R); ON_MODES(it, 2, I, R); ON_MODES(it, 2, M, R); ON_MODES(it, 2, P, R);                  \
    ON_MODES(it, 2, R, M); ON_MODES(it, 2, I, M); ON_MODES(it, 2, M, M); ON_MODES(it, 2, P, M); ON_TO(it, 2);    \
    ON_MODES(it, 1, R, R); ON_MODES(it, 1, I, R); ON_MODES(it, 1, M, R); ON_MODES(it, 1, P, R);                  \
    ON_MODES(it, 1, R, M); ON_MODES(it, 1, I, M); ON_MODES(it, 1, M, M); ON_MODES(it, 1, P, M); ON_TO(it, 1);
MSP430_OPS(ON_OP)

/* One operand. */
#define ON_ONE(it, n)                                                                                            \
    CASE(MSP430_ONE(it, n, R)): IN_REGISTER(it, n, X); GO_ON(NEXT_ONE);                                          \
    CASE(MSP430_ONE(it, n, M)): IN_MEMORY(it, n, (REG(X) + AT) & 0xFFFF); GO_ON(NEXT_ONE);                       \
    CASE(MSP430_ONE(it, n, P)): IN_MEMORY(it, n, REG(X)); REG(X) = (uint16_t)(REG(X) + (n == 2 || X == RSP ? 2 : 1)); GO_ON(NEXT_ONE); \
    CASE(MSP430_ONE(it, n, TO)): /* of pc, sr or r3 */                                                           \
    REG(RSR) = (uint16_t)SR_NOW; b = (Y == RPC ? HERE + op->size : REG(Y)) & MASK_##n;                           \
    DO_##it(n); if (Y == RCG) ENTER(NEXT_ONE); goto result_goes
MSP430_ONES(ON_ONE)

    result_goes:
    if (Y == RPC) { MORE(AT >> 18); ENTER(ops + (r & 0xFFFE)); }
    if (Y == RSP) { REG(RSP) = (uint16_t)r; core->stack.floor = kit_known_floor(&core->objects, r); ENTER(NEXT_ONE); }
    op = NEXT_ONE;
    status_goes: /* to sr; a wait of one instruction, where interrupts are let through that were not */
    {
        uint32_t before = REG(RSR);
        bool lets = r & MSP430_GIE && !(before & (MSP430_GIE | MSP430_CPUOFF)) && !(r & MSP430_CPUOFF);
        SET_SR(r);
        if (!((before ^ r) & MSP430_KEPT)) ENTER(op);
        if ((before ^ r) & (MSP430_SCG1 | MSP430_OSCOFF)) msp430_clocks(core, NOW_ENDS);
        kit->blocked |= lets && !returning;
        returning = false;
        kit->attention = true;
        FINISH;
    }

/* ---- the stack */
#define PUSH(value, n, after)                                                                                    \
    do {                                                                                                         \
        uint32_t pushed = (value);                                                                               \
        address = (REG(RSP) - 2) & 0xFFFF;                                                                       \
        if (address >= core->stack.floor && !GUARD_2(~0u)) KEEP_##n(address, pushed);                            \
        else {                                                                                                   \
            if (!LOOP_ONE) goto guarded;                                                                         \
            if (!msp430_push(core, n == 1 ? (pushed & 0xFF) | (uint32_t)core->mem[(address + 1) & 0xFFFF] << 8 : pushed, NOW_ENDS)) goto faulted; \
        }                                                                                                        \
        REG(RSP) = (uint16_t)address;                                                                            \
        after;                                                                                                   \
    } while (0)
#define POP(into, above) /* the word so far above the top; the pointer stays */                                  \
    address = (REG(RSP) + (above)) & 0xFFFF;                                                                     \
    if (LOOP_ONE && GUARD_1(KIT_GUARD_READS | KIT_GUARD_FIXED) && kit_underflows(core, address)) goto faulted;   \
    if (!LOOP_ONE && GUARD_1(KIT_GUARD_FIXED)) goto guarded;                                                     \
    FETCH(2, into)
#define ON_PUSH(n)                                                                                               \
    CASE(MSP430_ONE(PUSH, n, R)): SOURCE_R(n); if (X == RSP) a = (a - 2) & MASK_##n; PUSH(a, n, GO_ON(NEXT_ONE)); \
    CASE(MSP430_ONE(PUSH, n, I)): SOURCE_I(n); PUSH(a, n, GO_ON(NEXT_ONE));                                      \
    CASE(MSP430_ONE(PUSH, n, M)): SOURCE_M(n); PUSH(a, n, GO_ON(NEXT_ONE));                                      \
    CASE(MSP430_ONE(PUSH, n, P)): SOURCE_P(n); PUSH(a, n, UNDO_P; GO_ON(NEXT_ONE))
    ON_PUSH(2);
    ON_PUSH(1);
    CASE(MSP430_CALL_TO): PUSH(AT, 2, ENTER(TARGET));
    CASE(MSP430_CALL_BY): REG(RSR) = (uint16_t)SR_NOW;
    switch (AT >> 16 & 3) {
    case MSP430_R: SOURCE_R(2); break;
    case MSP430_I: SOURCE_I(2); break;
    case MSP430_M: SOURCE_M(2); break;
    default: SOURCE_P(2); break;
    }
    PUSH(HERE + op->size, 2, UNDO_P; ENTER(ops + (a & 0xFFFE)));
    CASE(MSP430_RETURN): POP(a, 0); REG(RSP) = (uint16_t)(address + 2);
    if (core->stack.depth) kit_returned(core, &core->stack, address, NOW_ENDS);
    ENTER(ops + (a & 0xFFFE));
    CASE(MSP430_GO_BACK): POP(r, 0); POP(a, 2); REG(RSP) = (uint16_t)(address + 2);
    if (core->stack.depth) kit_returned(core, &core->stack, address, NOW_ENDS);
    returning = true; op = ops + (a & 0xFFFE);
    goto status_goes;

/* ---- jumps, and the rest */
    CASE(MSP430_IF_NE): BRANCH_IF(sz & 0xFFFF, 2);
    CASE(MSP430_IF_EQ): BRANCH_IF(!(sz & 0xFFFF), 2);
    CASE(MSP430_IF_NC): BRANCH_IF(!CARRY, 2);
    CASE(MSP430_IF_C): BRANCH_IF(CARRY, 2);
    CASE(MSP430_IF_N): BRANCH_IF(sz & 0x8000 || by & MSP430_SIGN, 2);
    CASE(MSP430_IF_GE): BRANCH_IF(!N_XOR_V, 2);
    CASE(MSP430_IF_L): BRANCH_IF(N_XOR_V, 2);
    CASE(MSP430_JUMP): ENTER(TARGET);
    CASE(MSP430_NOTHING): GO_ON(NEXT_ONE);
    CASE(MSP430_FROM_SR): REG(RSR) = (uint16_t)SR_NOW; RESUME(SOURCE_AT);

    guarded: KIT_MAYBE_UNUSED; /* single steps look at it */
    BACK_TO_IT;
    exit = KIT_EXIT_WATCH;
    goto leave;
