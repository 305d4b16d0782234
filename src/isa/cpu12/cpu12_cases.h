/* cpu12_cases.h — what the instructions do, for kit/loop.h: operations times modes. N, Z, V, C and H are worked out when somebody asks (cpu12_ccr). */
#define NEXT_ONE       TARGET
#define REG_1(at)      core->reg[at]
#define REG_2(at)      cpu12_pair(core->reg + (at))
#define SET_1(at, to)  (core->reg[at] = (uint8_t)(to))
#define SET_2(at, to)  cpu12_set_pair(core->reg + (at), to)
#define UP_1           8
#define UP_2           0
#define CARRY          (c >> 16 & 1)
#define MEM_1(where)   core->mem[where]
#define MEM_2(where)   cpu12_word(core->mem + (where))
#define KEEP_1(where, to) (core->mem[where] = (uint8_t)(to))
#define KEEP_2(where, to) cpu12_put_word(core->mem + (where), to)
#define GUARD_1(which) (core->guard[address] & (which))
#define GUARD_2(which) (cpu12_pair(core->guard + address) & (which) * 0x101u)
#define TIMED          (void)(LOOP_ONE && (core->reads = NOW_ENDS - 1, core->writes = NOW_ENDS))
#define UNREACHED_NOW  goto unreached
#define FETCH(n, into)                                                                                            \
    do {                                                                                                         \
        if (GUARD_##n(KIT_GUARD_READS)) {                                                                        \
            TIMED;                                                                                               \
            if (!cpu12_read(core, address, n, &(into))) UNREACHED_NOW;                                           \
        } else (into) = MEM_##n(address);                                                                        \
    } while (0)
#define STORE(n, value)                                                                                          \
    do {                                                                                                         \
        if (GUARD_##n(0xFFu)) {                                                                                  \
            TIMED;                                                                                               \
            if (!cpu12_write(core, address, n, value)) UNREACHED_NOW;                                            \
        } else KEEP_##n(address, value);                                                                         \
    } while (0)
/* Where the operand lies; and behind it. */
#define ADDRESS_M address = AT & 0xFFFF
#define ADDRESS_N address = (REG_2(X) + AT) & 0xFFFF
#define ADDRESS_G TIMED; address = cpu12_address(core, X, AT & 0xFFFF); if (address == UNREACHED) UNREACHED_NOW
#define DONE_M
#define DONE_N
#define DONE_G    core->moved = false
#define DONE_I

/* ---- results: `a` is the operand, `b` what was there, `r` what comes */
#define RESULT(m, value) n = (value) << UP_##m; z = (value) & (m == 1 ? 0xFFu : 0xFFFFu)
#define SUM(m, carried)  r = b + a + (carried); c = r << UP_##m; v = ((b ^ r) & (a ^ r)) << UP_##m; RESULT(m, r)
#define LESS(m, carried) r = b - a - (carried); c = r << UP_##m; v = ((b ^ a) & (b ^ r)) << UP_##m; RESULT(m, r)
#define BITWISE(m, value) r = (value); v = 0; RESULT(m, r)
#define DO_SUB  LESS(1, 0)
#define DO_CMP  LESS(1, 0)
#define DO_SBC  LESS(1, CARRY)
#define DO_AND  BITWISE(1, b & a)
#define DO_BIT  BITWISE(1, b & a)
#define DO_LD   BITWISE(1, a)
#define DO_EOR  BITWISE(1, b ^ a)
#define DO_ADC  SUM(1, CARRY); h = a ^ b ^ r
#define DO_OR   BITWISE(1, b | a)
#define DO_ADD  SUM(1, 0); h = a ^ b ^ r
#define DO_SUBW LESS(2, 0)
#define DO_ADDW SUM(2, 0)
#define DO_CPW  LESS(2, 0)
#define DO_LDW  BITWISE(2, a)
#define KEEPS_SUB 1
#define KEEPS_CMP 0
#define KEEPS_SBC 1
#define KEEPS_AND 1
#define KEEPS_BIT 0
#define KEEPS_LD 1
#define KEEPS_EOR 1
#define KEEPS_ADC 1
#define KEEPS_OR 1
#define KEEPS_ADD 1
#define KEEPS_SUBW 1
#define KEEPS_ADDW 1
#define KEEPS_CPW 0
#define KEEPS_LDW 1
#define WITH(op, m) b = REG_##m(Y); DO_##op; if (KEEPS_##op) SET_##m(Y, r)
#define ON_I(op, m)       CASE(CPU12_IN(op, I)): a = AT; WITH(op, m); GO_ON(NEXT_ONE)
#define ON_MODE(op, m, how) CASE(CPU12_IN(op, how)): ADDRESS_##how; FETCH(m, a); WITH(op, m); DONE_##how; GO_ON(NEXT_ONE)
#define ON_ALL(op, m) ON_I(op, m); ON_MODE(op, m, M); ON_MODE(op, m, N); ON_MODE(op, m, G);
#define ON_BYTE(op) ON_ALL(op, 1)
#define ON_WORD(op) ON_ALL(op, 2)
CPU12_BYTES(ON_BYTE)
CPU12_WORDS(ON_WORD)
#define ON_STORE(op, m, how) CASE(CPU12_IN(op, how)): ADDRESS_##how; a = REG_##m(Y); STORE(m, a); v = 0; RESULT(m, a); DONE_##how; GO_ON(NEXT_ONE)
ON_STORE(ST, 1, M); ON_STORE(ST, 1, N); ON_STORE(ST, 1, G);
ON_STORE(STW, 2, M); ON_STORE(STW, 2, N); ON_STORE(STW, 2, G);

/* One operand, `b`. */
#define SHIFTED(value, out) r = (value); c = (uint32_t)(out) << 16; RESULT(1, r); v = (n ^ c >> 1) & 0x8000
#define DO_NEG a = b; b = 0; LESS(1, 0)
#define DO_COM BITWISE(1, b ^ 0xFF); c = 0x10000
#define DO_INC r = b + 1; v = (r & ~b) << 8; RESULT(1, r)
#define DO_DEC r = b - 1; v = (b & ~r) << 8; RESULT(1, r)
#define DO_LSR SHIFTED(b >> 1, b & 1)
#define DO_ROL SHIFTED((b << 1 & 0xFF) | CARRY, b >> 7)
#define DO_ROR SHIFTED(b >> 1 | CARRY << 7, b & 1)
#define DO_ASR SHIFTED(b >> 1 | (b & 0x80), b & 1)
#define DO_ASL SHIFTED(b << 1 & 0xFF, b >> 7)
#define DO_CLR BITWISE(1, 0u); c = 0
#define DO_TST BITWISE(1, b); c = 0
#define LOOKS_AT_IT(op) (CPU12_IN(op, R) != CPU12_IN(CLR, R))
#define CHANGES_IT(op)  (CPU12_IN(op, R) != CPU12_IN(TST, R))
#define ON_ONE(op)                                                                                                \
    CASE(CPU12_IN(op, R)): b = REG_1(Y); DO_##op; if (CHANGES_IT(op)) SET_1(Y, r); GO_ON(NEXT_ONE);               \
    ON_CELL(op, M); ON_CELL(op, N); ON_CELL(op, G);
/* Nothing is known of it before it is stored: flags change behind that. */
#define ON_CELL(op, how)                                                                                          \
    CASE(CPU12_IN(op, how)): ADDRESS_##how;                                                                       \
    if (GUARD_1(CHANGES_IT(op) ? 0xFFu : KIT_GUARD_READS)) {                                                      \
        cpu12_flags was = {n, z, v, c, h};                                                                       \
        if (!LOOP_ONE) goto guarded;                                                                             \
        TIMED;                                                                                                   \
        if (LOOKS_AT_IT(op) && !cpu12_read(core, address, 1, &b)) goto faulted;                                  \
        DO_##op;                                                                                                 \
        if (CHANGES_IT(op) && !cpu12_write(core, address, 1, r & 0xFF)) {                                        \
            n = was.n, z = was.z, v = was.v, c = was.c, h = was.h;                                               \
            goto faulted;                                                                                        \
        }                                                                                                        \
    } else {                                                                                                     \
        b = MEM_1(address);                                                                                      \
        DO_##op;                                                                                                 \
        if (CHANGES_IT(op)) KEEP_1(address, r);                                                                  \
    }                                                                                                            \
    DONE_##how; GO_ON(NEXT_ONE)
CPU12_ONES(ON_ONE)

/* Bits: the mask is above the address or offset. */
#define MASK (AT >> 16 & 0xFF)
#define ON_BIT(op, value, how)                                                                                    \
    CASE(CPU12_IN(op, how)): ADDRESS_##how; FETCH(1, b); r = (value); STORE(1, r); v = 0; RESULT(1, r); DONE_##how; GO_ON(NEXT_ONE)
ON_BIT(BSET, b | MASK, M); ON_BIT(BSET, b | MASK, N); ON_BIT(BSET, b | MASK, G);
ON_BIT(BCLR, b & ~MASK & 0xFF, M); ON_BIT(BCLR, b & ~MASK & 0xFF, N); ON_BIT(BCLR, b & ~MASK & 0xFF, G);
#define ON_TEST(which, value, how) CASE(CPU12_IN(which, how)): ADDRESS_##how; FETCH(1, b); DONE_##how; BRANCH_IF(!((value) & MASK), op->size)
ON_TEST(BRSET, ~b, M); ON_TEST(BRSET, ~b, N); ON_TEST(BRSET, ~b, G);
ON_TEST(BRCLR, b, M); ON_TEST(BRCLR, b, N); ON_TEST(BRCLR, b, G);

/* ---- addresses and registers */
    CASE(CPU12_LDS_I_): a = AT; goto to_sp;
    CASE(CPU12_LDS_G_): ADDRESS_G; FETCH(2, a); DONE_G;
    to_sp: BITWISE(2, a); SET_2(RSP, a); core->stack.floor = kit_known_floor(&core->objects, a); GO_ON(NEXT_ONE);
    CASE(CPU12_LEA_N): r = REG_2(X) + AT; SET_2(Y, r); GO_ON(NEXT_ONE);
    CASE(CPU12_LEA_G): ADDRESS_G; SET_2(Y, address); DONE_G;
    if (Y == RSP) core->stack.floor = kit_known_floor(&core->objects, address);
    GO_ON(NEXT_ONE);
    CASE(CPU12_STEP): z = (REG_2(Y) + AT) & 0xFFFF; SET_2(Y, z); GO_ON(NEXT_ONE);
    CASE(CPU12_SHIFT): b = REG_2(RD); r = Y ? b << 1 & 0xFFFF : b >> 1; c = (Y ? b >> 15 : b & 1) << 16; RESULT(2, r); v = (n ^ c >> 1) & 0x8000;
    SET_2(RD, r); GO_ON(NEXT_ONE);
    CASE(CPU12_NOTHING): GO_ON(NEXT_ONE);

/* ---- moves: the number or source below, the result above */
#define ON_PUT(m) CASE(CPU12_PUT_##m): address = (REG_2(Y) + (AT >> 16)) & 0xFFFF; a = AT & 0xFFFF; STORE(m, a); GO_ON(NEXT_ONE)
ON_PUT(1); ON_PUT(2);
#define ON_MOVE(m)                                                                                                \
    CASE(CPU12_MOVE_##m):                                                                                         \
    if (X >> 4 == NUMBER) a = AT & 0xFFFF;                                                                        \
    else { ADDRESS_G; FETCH(m, a); }                                                                              \
    TIMED; address = cpu12_address(core, Y, AT >> 16); STORE(m, a); DONE_G; GO_ON(NEXT_ONE)
ON_MOVE(1); ON_MOVE(2);

/* ---- the stack */
#define PUSH(value, m, after)                                                                                     \
    do {                                                                                                         \
        uint32_t pushed = (value);                                                                               \
        address = (REG_2(RSP) - m) & 0xFFFF;                                                                     \
        if (address >= core->stack.floor && !GUARD_##m(0xFFu)) { KEEP_##m(address, pushed); SET_2(RSP, address); } \
        else if (!LOOP_ONE) goto guarded;                                                                        \
        else if (!cpu12_push(core, pushed, m, NOW_ENDS)) goto faulted;                                           \
        after;                                                                                                   \
    } while (0)
#define PULL(into, m)                                                                                             \
    address = REG_2(RSP);                                                                                        \
    if (GUARD_##m(KIT_GUARD_READS | KIT_GUARD_FIXED)) {                                                           \
        if (!LOOP_ONE) goto guarded;                                                                             \
        TIMED;                                                                                                   \
        if (!cpu12_pull(core, m, &(into))) goto faulted;                                                         \
    } else { (into) = MEM_##m(address); SET_2(RSP, address + m); }
    CASE(CPU12_PSH_1): PUSH(REG_1(Y), 1, GO_ON(NEXT_ONE));
    CASE(CPU12_PSH_2): PUSH(REG_2(Y), 2, GO_ON(NEXT_ONE));
    CASE(CPU12_PSH_C): SAVE; PUSH(cpu12_ccr(core->ccr, &core->flags), 1, GO_ON(NEXT_ONE));
    CASE(CPU12_PUL_1): PULL(a, 1); SET_1(Y, a); GO_ON(NEXT_ONE);
    CASE(CPU12_PUL_2): PULL(a, 2); SET_2(Y, a); GO_ON(NEXT_ONE);
    CASE(CPU12_JSR_TO): PUSH(AT, 2, ENTER(TARGET));
    CASE(CPU12_JSR_BY): ADDRESS_G; r = address; PUSH(HERE + op->size, 2, DONE_G; ENTER(ops + r));
    CASE(CPU12_RTS_): PULL(a, 2);
    if (core->stack.depth) kit_returned(core, &core->stack, address, NOW_ENDS);
    ENTER(ops + a);
    CASE(CPU12_GO): ADDRESS_G; DONE_G; ENTER(ops + address);
    CASE(CPU12_JUMP): ENTER(TARGET);

/* ---- branches */
#define ON_IF(which, condition)                                                                                   \
    CASE(CPU12_IF_##which): if (condition) { MORE(2); ENTER(TARGET); } ENTER(op + 2);                             \
    CASE(CPU12_IF_FAR_##which): if (condition) { MORE(1); ENTER(TARGET); } ENTER(op + 4)
    ON_IF(HI, !CARRY && z);
    ON_IF(LS, CARRY || !z);
    ON_IF(CC, !CARRY);
    ON_IF(CS, CARRY);
    ON_IF(NE, z);
    ON_IF(EQ, !z);
    ON_IF(VC, !(v & 0x8000));
    ON_IF(VS, v & 0x8000);
    ON_IF(PL, !(n & 0x8000));
    ON_IF(MI, n & 0x8000);
    ON_IF(GE, !((n ^ v) & 0x8000));
    ON_IF(LT, (n ^ v) & 0x8000);
    ON_IF(GT, z && !((n ^ v) & 0x8000));
    ON_IF(LE, !z || (n ^ v) & 0x8000);
    CASE(CPU12_LOOP_1): r = (REG_1(Y) + AT) & 0xFF; SET_1(Y, r); BRANCH_IF((r == 0) != X, 3);
    CASE(CPU12_LOOP_2): r = (REG_2(Y) + AT) & 0xFFFF; SET_2(Y, r); BRANCH_IF((r == 0) != X, 3);

/* ---- what is rare, or reaches several cells: one by one */
#define SINGLY if (!LOOP_ONE) goto guarded; TIMED; SAVE
    CASE(CPU12_RTI_): SINGLY;
    if (!cpu12_return(core, &r, NOW_ENDS)) goto faulted;
    LOAD; op = ops + r; FINISH;
    CASE(CPU12_SOFTWARE): SINGLY;
    if (!cpu12_software(core, HERE + op->size, AT, &r, NOW_ENDS)) goto faulted;
    op = ops + r; FINISH;
    CASE(CPU12_SLEEPS): SINGLY;
    a = MEM_1(HERE) == 0x18; /* stop */
    if (a && core->ccr & CPU12_S) GO_ON(NEXT_ONE);
    if (!push_frame(core, HERE + op->size, NOW_ENDS)) goto faulted;
    MORE(a ? 6 : 0);
    core->waits = (uint8_t)(1 + a);
    if (a) stand_still(core, true, NOW_ENDS);
    kit->attention = true; op = NEXT_ONE; FINISH;
    CASE(CPU12_CALLS): SINGLY;
    if (!cpu12_call(core, op, HERE + op->size, &r, NOW_ENDS)) goto faulted;
    core->moved = false; ENTER(ops + r);
    CASE(CPU12_RTC_): SINGLY;
    if (!cpu12_return_to_page(core, &r, NOW_ENDS)) goto faulted;
    ENTER(ops + r);
    CASE(CPU12_FLAGS): SINGLY;
    if (!cpu12_to_flags(core, MEM_1(HERE), AT)) goto faulted;
    LOAD; op = NEXT_ONE; FINISH;
    CASE(CPU12_ADJUST): SAVE; a = cpu12_ccr(core->ccr, &core->flags);
    core->flags = cpu12_flags_of(X ? a | AT : a & AT);
    LOAD; ENTER(NEXT_ONE);
    CASE(CPU12_DEBUGGER): BEFORE_FAULT;
    FAULT(OAK_FAULT_BREAKPOINT, CPU12_MEM, HERE);
    CASE(CPU12_OTHER): TIMED; SAVE;
    r = 0;
    {
        bool again = false;
        if (!cpu12_other(core, HERE, op, &r, &again)) UNREACHED_NOW;
        MORE(r); LOAD; core->moved = false;
        if (!again) op = NEXT_ONE;
    }
    FINISH;

    unreached: KIT_MAYBE_UNUSED;
    if (LOOP_ONE) goto faulted;
    guarded: KIT_MAYBE_UNUSED; /* single steps look at it */
    BACK_TO_IT;
    exit = KIT_EXIT_WATCH;
    goto leave;
