/* cpu12_cases.h — what the instructions do, for kit/loop.h: operations times modes. N, Z, V, C and H are worked out when somebody asks (cpu12_ccr). */
/* clang-format off */
#define NEXT_ONE       TARGET
#define PLACE(seen)    place_of(core, seen)
#define OPEN           { uint32_t a = 0, b = 0, r = 0, address = 0; (void)a, (void)b, (void)r, (void)address
#define CLOSE          GO_ON(NEXT_ONE); }
#define CLOSE_BY(units) NEXT(units); }
/* Bytes of an instruction by how its operand is written: those that have always as many are passed over the fastest way. */
#define PASS_M NEXT(3)
#define PASS_N GO_ON(NEXT_ONE)
#define PASS_H NEXT(2)
#define PASS_G GO_ON(NEXT_ONE)
#define REG_1(at)      core->reg[at]
#define REG_2(at)      cpu12_pair(core->reg + (at))
#define SET_1(at, to)  (core->reg[at] = (uint8_t)(to))
#define SET_2(at, to)  cpu12_set_pair(core->reg + (at), to)
#define UP_1           8
#define UP_2           0
#define CARRY          (c >> 16 & 1)
#define CARRIED        (c > 0xFFFF) /* the same: a difference below 0 has all bits above */
#define OVERFLOW       (x & (y ^ n))
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
            uint32_t got_;                                                                                       \
            if (!cpu12_read(core, address, n, &got_)) UNREACHED_NOW;                                             \
            (into) = got_;                                                                                       \
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
/* Where a register moves on: behind what was reached. */
#define ADDRESS_H uint8_t *const moves = core->reg + X; uint32_t base = cpu12_pair(moves), by = AT; address = (base + (AT >> 16)) & 0xFFFF
#define DONE_H    cpu12_set_pair(moves, base + by)
#define DONE_M
#define DONE_N
#define DONE_G    core->moved = false
#define DONE_I

/* ---- results: `a` is the operand, `b` what was there, `r` what comes */
#define RESULT(m, value) n = (value) << UP_##m; z = (value) & (m == 1 ? 0xFFu : 0xFFFFu)
#define SUM(m, carried)  r = b + a + (carried); c = r << UP_##m; x = ~(b ^ a) << UP_##m; y = b << UP_##m; RESULT(m, r)
#define LESS(m, carried) r = b - a - (carried); c = r << UP_##m; x = (b ^ a) << UP_##m; y = b << UP_##m; RESULT(m, r)
#define BITWISE(m, value) r = (value); x = 0; RESULT(m, r)
#define DO_SUB  LESS(1, 0)
#define DO_CMP  LESS(1, 0)
#define DO_SBC  LESS(1, CARRY)
#define DO_AND  BITWISE(1, b & a)
#define DO_BIT  BITWISE(1, b & a)
#define DO_LD   BITWISE(1, a)
#define DO_EOR  BITWISE(1, b ^ a)
#define DO_ADC  SUM(1, CARRY); core->flags.h = a ^ b ^ r
#define DO_OR   BITWISE(1, b | a)
#define DO_ADD  SUM(1, 0); core->flags.h = a ^ b ^ r
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
#define ON_I(op, m)       CASE(CPU12_IN(op, I)): OPEN; a = AT; WITH(op, m); CLOSE_BY(1 + m)
#define ON_MODE(op, m, how) CASE(CPU12_IN(op, how)): OPEN; ADDRESS_##how; FETCH(m, a); DONE_##how; WITH(op, m); PASS_##how; }
#define ON_ALL(op, m) ON_I(op, m); ON_MODE(op, m, M); ON_MODE(op, m, N); ON_MODE(op, m, H); ON_MODE(op, m, G);
#define ON_BYTE(op) ON_ALL(op, 1)
#define ON_WORD(op) ON_ALL(op, 2)
CPU12_BYTES(ON_BYTE)
CPU12_WORDS(ON_WORD)
#define ON_STORE(op, m, how) CASE(CPU12_IN(op, how)): OPEN; ADDRESS_##how; a = REG_##m(Y); STORE(m, a); x = 0; RESULT(m, a); DONE_##how; PASS_##how; }
ON_STORE(ST, 1, M); ON_STORE(ST, 1, N); ON_STORE(ST, 1, H); ON_STORE(ST, 1, G);
ON_STORE(STW, 2, M); ON_STORE(STW, 2, N); ON_STORE(STW, 2, H); ON_STORE(STW, 2, G);

/* One operand, `b`. */
#define SHIFTED(value, out) r = (value); c = (uint32_t)(out) << 16; RESULT(1, r); x = 0x8000; y = c >> 1
#define DO_NEG a = b; b = 0; LESS(1, 0)
#define DO_COM BITWISE(1, b ^ 0xFF); c = 0x10000
#define DO_INC r = b + 1; RESULT(1, r); x = n; y = b << 8
#define DO_DEC r = b - 1; RESULT(1, r); x = y = b << 8
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
    CASE(CPU12_IN(op, R)): OPEN; b = REG_1(Y); DO_##op; if (CHANGES_IT(op)) SET_1(Y, r); CLOSE_BY(1)               \
    ON_CELL(op, M); ON_CELL(op, N); ON_CELL(op, H); ON_CELL(op, G);
/* Nothing is known of it before it is stored: flags change behind that. */
#define ON_CELL(op, how)                                                                                          \
    CASE(CPU12_IN(op, how)): OPEN; ADDRESS_##how;                                                                 \
    if (GUARD_1(CHANGES_IT(op) ? 0xFFu : KIT_GUARD_READS)) {                                                      \
        cpu12_flags was = {n, z, x, y, c, 0};                                                                       \
        TIMED;                                                                                                   \
        uint32_t got_ = 0;                                                                                       \
        if (LOOKS_AT_IT(op) && !cpu12_read(core, address, 1, &got_)) UNREACHED_NOW;                              \
        b = got_;                                                                                                \
        DO_##op;                                                                                                 \
        if (CHANGES_IT(op) && !cpu12_write(core, address, 1, r & 0xFF)) {                                        \
            n = was.n, z = was.z, x = was.x, y = was.y, c = was.c;                                               \
            UNREACHED_NOW;                                                                                        \
        }                                                                                                        \
    } else {                                                                                                     \
        b = MEM_1(address);                                                                                      \
        DO_##op;                                                                                                 \
        if (CHANGES_IT(op)) KEEP_1(address, r);                                                                  \
    }                                                                                                            \
    DONE_##how; PASS_##how; }
CPU12_ONES(ON_ONE)

/* Bits: the mask is above the address or offset. */
#define MASK (AT >> 16 & 0xFF)
#define ON_BIT(op, value, how)                                                                                    \
    CASE(CPU12_IN(op, how)): OPEN; ADDRESS_##how; FETCH(1, b); r = (value); STORE(1, r); x = 0; RESULT(1, r); DONE_##how; CLOSE
ON_BIT(BSET, b | MASK, M); ON_BIT(BSET, b | MASK, N); ON_BIT(BSET, b | MASK, H); ON_BIT(BSET, b | MASK, G);
ON_BIT(BCLR, b & ~MASK & 0xFF, M); ON_BIT(BCLR, b & ~MASK & 0xFF, N); ON_BIT(BCLR, b & ~MASK & 0xFF, H); ON_BIT(BCLR, b & ~MASK & 0xFF, G);
#define ON_TEST(which, value, how) CASE(CPU12_IN(which, how)): OPEN; ADDRESS_##how; FETCH(1, b); DONE_##how; BRANCH_IF(!((value) & MASK), op->size); }
ON_TEST(BRSET, ~b, M); ON_TEST(BRSET, ~b, N); ON_TEST(BRSET, ~b, H); ON_TEST(BRSET, ~b, G);
ON_TEST(BRCLR, b, M); ON_TEST(BRCLR, b, N); ON_TEST(BRCLR, b, H); ON_TEST(BRCLR, b, G);

/* ---- addresses and registers */
#define TO_SP BITWISE(2, a); SET_2(RSP, a); core->stack.floor = kit_known_floor(&core->objects, a)
    CASE(CPU12_LDS_I_): OPEN; a = AT; TO_SP; CLOSE
    CASE(CPU12_LDS_G_): OPEN; ADDRESS_G; FETCH(2, a); DONE_G; TO_SP; CLOSE
    CASE(CPU12_LEA_N): SET_2(Y, REG_2(X) + AT); GO_ON(NEXT_ONE);
    CASE(CPU12_LEA_1): SET_2(Y, REG_2(X) + REG_1(AT >> 16)); NEXT(2);
    CASE(CPU12_LEA_2): SET_2(Y, REG_2(X) + REG_2(RD)); NEXT(2);
    CASE(CPU12_LEA_G): OPEN; ADDRESS_G; SET_2(Y, address); DONE_G;
    if (Y == RSP) core->stack.floor = kit_known_floor(&core->objects, address);
    CLOSE
    CASE(CPU12_COPY_1): SET_1(Y, REG_1(X)); NEXT(2);
    CASE(CPU12_COPY_2): SET_2(Y, REG_2(X)); NEXT(2);
    CASE(CPU12_STEP): z = (REG_2(Y) + AT) & 0xFFFF; SET_2(Y, z); NEXT(1);
    CASE(CPU12_SHIFT): OPEN; b = REG_2(RD); r = Y ? b << 1 & 0xFFFF : b >> 1; c = (Y ? b >> 15 : b & 1) << 16; RESULT(2, r);
    x = 0x8000; y = c >> 1; SET_2(RD, r); CLOSE_BY(1)
    CASE(CPU12_NOTHING): GO_ON(NEXT_ONE);

/* ---- moves: the number or source below, the result above */
#define ON_PUT(m) CASE(CPU12_PUT_##m): OPEN; address = (REG_2(Y) + (AT >> 16)) & 0xFFFF; a = AT & 0xFFFF; STORE(m, a); CLOSE
ON_PUT(1) ON_PUT(2)
#define ON_MOVE(m)                                                                                                \
    CASE(CPU12_MOVE_##m): OPEN;                                                                                   \
    if (X >> 4 == NUMBER) a = AT & 0xFFFF;                                                                        \
    else { ADDRESS_G; FETCH(m, a); }                                                                              \
    TIMED; address = cpu12_address(core, Y, AT >> 16); STORE(m, a); DONE_G; CLOSE
ON_MOVE(1) ON_MOVE(2)

/* ---- the stack */
#define PUSH(value, m, after)                                                                                     \
    do {                                                                                                         \
        uint32_t pushed = (value); address = (REG_2(RSP) - m) & 0xFFFF;                                          \
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
        uint32_t got_;                                                                                           \
        if (!cpu12_pull(core, m, &got_)) goto faulted;                                                           \
        (into) = got_;                                                                                           \
    } else { (into) = MEM_##m(address); SET_2(RSP, address + m); }
    CASE(CPU12_PSH_1): OPEN; PUSH(REG_1(Y), 1, (void)0); CLOSE_BY(1)
    CASE(CPU12_PSH_2): OPEN; PUSH(REG_2(Y), 2, (void)0); CLOSE_BY(1)
    CASE(CPU12_PSH_C): OPEN; SAVE; PUSH(cpu12_ccr(core->ccr, &core->flags), 1, (void)0); CLOSE
    CASE(CPU12_PUL_1): OPEN; PULL(a, 1); SET_1(Y, a); CLOSE_BY(1)
    CASE(CPU12_PUL_2): OPEN; PULL(a, 2); SET_2(Y, a); CLOSE_BY(1)
    CASE(CPU12_JSR_TO): OPEN; PUSH(AT, 2, ENTER(TARGET)); }
    CASE(CPU12_JSR_BY): OPEN; ADDRESS_G; r = address; PUSH(cpu12_seen(HERE) + op->size, 2, DONE_G; ENTER(ops + PLACE(r))); }
    CASE(CPU12_RTS_): OPEN; PULL(a, 2);
    if (core->stack.depth) kit_returned(core, &core->stack, address, NOW_ENDS);
    ENTER(ops + PLACE(a)); }
    CASE(CPU12_GO): OPEN; ADDRESS_G; DONE_G; ENTER(ops + PLACE(address)); }
    CASE(CPU12_JUMP): ENTER(TARGET);

/* ---- branches */
#define ON_IF(which, condition)                                                                                   \
    CASE(CPU12_IF_##which): if (condition) { MORE(2); ENTER(TARGET); } ENTER(op + 2);                             \
    CASE(CPU12_IF_FAR_##which): if (condition) { MORE(1); ENTER(TARGET); } ENTER(op + 4)
    ON_IF(HI, !CARRIED && z);
    ON_IF(LS, CARRIED || !z);
    ON_IF(CC, !CARRIED);
    ON_IF(CS, CARRIED);
    ON_IF(NE, z);
    ON_IF(EQ, !z);
    ON_IF(VC, !(OVERFLOW & 0x8000));
    ON_IF(VS, OVERFLOW & 0x8000);
    ON_IF(PL, !(n & 0x8000));
    ON_IF(MI, n & 0x8000);
    ON_IF(GE, !((n ^ OVERFLOW) & 0x8000));
    ON_IF(LT, (n ^ OVERFLOW) & 0x8000);
    ON_IF(GT, z && !((n ^ OVERFLOW) & 0x8000));
    ON_IF(LE, !z || (n ^ OVERFLOW) & 0x8000);
    CASE(CPU12_LOOP_1): OPEN; r = (REG_1(Y) + AT) & 0xFF; SET_1(Y, r); BRANCH_IF((r == 0) != X, 3); }
    CASE(CPU12_LOOP_2): OPEN; r = (REG_2(Y) + AT) & 0xFFFF; SET_2(Y, r); BRANCH_IF((r == 0) != X, 3); }

/* ---- what is rare, or reaches several cells: one by one */
#define SINGLY if (!LOOP_ONE) goto guarded; TIMED; SAVE
    CASE(CPU12_RTI_): SINGLY;
    if (!cpu12_return(core, &to, NOW_ENDS)) goto faulted;
    LOAD; op = ops + to; FINISH;
    CASE(CPU12_SOFTWARE): SINGLY;
    if (!cpu12_software(core, cpu12_seen(HERE) + op->size, AT, &to, NOW_ENDS)) goto faulted;
    op = ops + to; FINISH;
    CASE(CPU12_SLEEPS): SINGLY;
    {
        bool stops = MEM_1(HERE) == 0x18;
        if (stops && core->ccr & CPU12_S) GO_ON(NEXT_ONE);
        if (!push_frame(core, cpu12_seen(HERE) + op->size, NOW_ENDS)) goto faulted;
        MORE(stops ? 6 : 0);
        core->waits = stops ? 2 : 1;
        if (stops) stand_still(core, true, NOW_ENDS);
    }
    kit->attention = true; op = NEXT_ONE; FINISH;
    CASE(CPU12_CALLS): SINGLY;
    if (!cpu12_call(core, op, cpu12_seen(HERE) + op->size, &to, NOW_ENDS)) goto faulted;
    core->moved = false; ENTER(ops + to);
    CASE(CPU12_RTC_): SINGLY;
    if (!cpu12_return_to_page(core, &to, NOW_ENDS)) goto faulted;
    ENTER(ops + to);
    CASE(CPU12_FLAGS): SINGLY;
    if (!cpu12_to_flags(core, MEM_1(HERE), AT)) goto faulted;
    LOAD; op = NEXT_ONE; FINISH;
    CASE(CPU12_ADJUST): SAVE; to = cpu12_ccr(core->ccr, &core->flags);
    core->flags = cpu12_flags_of(X ? to | AT : to & AT);
    LOAD; ENTER(NEXT_ONE);
    CASE(CPU12_DEBUGGER): BEFORE_FAULT;
    FAULT(OAK_FAULT_BREAKPOINT, CPU12_MEM, HERE);
    CASE(CPU12_OTHER): TIMED; SAVE;
    {
        bool again = false;
        to = 0;
        if (!cpu12_other(core, op, &to, &again)) UNREACHED_NOW;
        MORE(to); LOAD; core->moved = false;
        if (!again) op = NEXT_ONE;
    }
    FINISH;

    unreached: KIT_MAYBE_UNUSED;
    if (LOOP_ONE) goto faulted;
    guarded: KIT_MAYBE_UNUSED; /* single steps look at it */
    BACK_TO_IT;
    exit = KIT_EXIT_WATCH;
    goto leave;
