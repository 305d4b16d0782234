/* cpu12_cases.h — what the instructions do, for kit/loop.h: operations times modes. N, Z, V, C and H are worked out when somebody asks (cpu12_ccr). */
/* clang-format off */
#define NEXT_ONE       TARGET
#define PLACE(seen)    place_of(core, seen)
#define OPEN           { uint32_t a = 0, b = 0, r = 0; size_t address = 0; (void)a, (void)b, (void)r, (void)address
#define CLOSE          GO_ON(NEXT_ONE); }
#define CLOSE_BY(units) NEXT(units); }
/* Bytes of an instruction by how its operand is written: those that have always as many are passed over the fastest way. */
#define PASS_M NEXT(3)
#define PASS_N GO_ON(NEXT_ONE)
#define PASS_H NEXT(2)
#define PASS_G GO_ON(NEXT_ONE)
#define REG_1(at)      core->reg[at]
#define REG_2(at)      kit_le16(core->reg + (at))
#define SET_1(at, to)  (core->reg[at] = (uint8_t)(to))
#define SET_2(at, to)  kit_put_le16(core->reg + (at), (uint32_t)(to))
#define UP(m)          (m == 1 ? 8 : 0)
#define CARRY          (c >> 16 & 1)
#define CARRIED        (c > 0xFFFF) /* the same: a difference below 0 has all bits above */
#define OVERFLOW       (v & 0x8000)
#define MEM_1(where)   core->mem[where]
#define MEM_2(where)   kit_be16(core->mem + (where))
#define KEEP_1(where, to) (core->mem[where] = (uint8_t)(to))
#define KEEP_2(where, to) kit_put_be16(core->mem + (where), to)
#define GUARD_1(which) (core->guard[address] & (which))
#define GUARD_2(which) (kit_le16(core->guard + address) & (which) * 0x101u)
#define TIMED          (void)(LOOP_ONE && (core->reads = NOW_ENDS - 1, core->writes = NOW_ENDS))
#define UNREACHED_NOW  do { LOAD; if (LOOP_ONE) goto faulted; goto guarded; } while (0) /* flags as they were at SAVE */
/* Where memory is not just memory the address is worked out anew: nothing is kept for that. */
#define ANEW(how) TIMED, SAVE; KIT_ANEW(op); AGAIN_##how
#define FETCH_BY(how, n, into)                                                                                    \
    do {                                                                                                         \
        if (GUARD_##n(KIT_GUARD_READS)) {                                                                        \
            ANEW(how);                                                                                           \
            uint32_t got_;                                                                                       \
            if (!cpu12_read(core, ADDRESS, n, &got_)) UNREACHED_NOW;                                             \
            (into) = got_;                                                                                       \
        } else (into) = MEM_##n(address);                                                                        \
    } while (0)
#define STORE_BY(how, n, value)                                                                                   \
    do {                                                                                                         \
        if (GUARD_##n(0xFFu)) {                                                                                  \
            ANEW(how);                                                                                           \
            if (!cpu12_write(core, ADDRESS, n, value)) UNREACHED_NOW;                                            \
        } else KEEP_##n(address, value);                                                                         \
    } while (0)
#define FETCH(n, into)  FETCH_BY(G, n, into)
#define STORE(n, value) STORE_BY(G, n, value)
#define ADDRESS ((uint32_t)address)
/* Where the operand lies; and behind it. */
#define ADDRESS_M address = AT & 0xFFFF
#define ADDRESS_N address = (REG_2(X) + AT) & 0xFFFF
#define ADDRESS_G TIMED; address = cpu12_address(core, X, AT & 0xFFFF); if (address == UNREACHED) { SAVE; UNREACHED_NOW; }
/* Where a register moves on: behind what was reached. */
#define ADDRESS_H address = (REG_2(X) + (AT >> 16)) & 0xFFFF
#define DONE_H    SET_2(X, REG_2(X) + AT)
#define AGAIN_M ADDRESS_M
#define AGAIN_N ADDRESS_N
#define AGAIN_H ADDRESS_H
#define AGAIN_G (void)0
#define DONE_M
#define DONE_N
#define DONE_G    core->moved = false
#define DONE_I

/* ---- results: `a` is the operand, `b` what was there, `r` what comes */
#define RESULT(m, value) n = (value) << UP(m); z = (value) & (m == 1 ? 0xFFu : 0xFFFFu)
#define SUM(m, carried)  r = b + a + (carried); c = r << UP(m); v = (r ^ b) & (r ^ a); v <<= UP(m); RESULT(m, r)
#define LESS(m, carried) r = b - a - (carried); c = r << UP(m); v = (b ^ a) & (b ^ r); v <<= UP(m); RESULT(m, r)
#define BITWISE(m, value) r = (value); v = 0; RESULT(m, r)
#define DO_SUB  LESS(1, 0)
#define DO_CMP  DO_SUB
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
/* Three look only. */
#define KEEPS(op) (CPU12_IN(op, I) != CPU12_IN(CMP, I) && CPU12_IN(op, I) != CPU12_IN(BIT, I) && CPU12_IN(op, I) != CPU12_IN(CPW, I))
#define WITH(op, m) b = REG_##m(Y); DO_##op; if (KEEPS(op)) SET_##m(Y, r)
#define ON_I(op, m)       CASE(CPU12_IN(op, I)): OPEN; a = AT; WITH(op, m); CLOSE_BY(1 + m)
#define ON_MODE(op, m, how) CASE(CPU12_IN(op, how)): OPEN; ADDRESS_##how; FETCH_BY(how, m, a); DONE_##how; WITH(op, m); PASS_##how; }
#define EACH(ON, ...) ON(__VA_ARGS__, M) ON(__VA_ARGS__, N) ON(__VA_ARGS__, H) ON(__VA_ARGS__, G)
#define ON_ALL(op, m) ON_I(op, m); EACH(ON_MODE, op, m)
#define ON_BYTE(m, op) ON_ALL(op, m)
CPU12_BYTES(ON_BYTE, 1)
CPU12_WORDS(ON_BYTE, 2)
#define ON_STORE(op, m, how) CASE(CPU12_IN(op, how)): OPEN; ADDRESS_##how; STORE_BY(how, m, a = REG_##m(Y)); DONE_##how; v = 0; RESULT(m, a); PASS_##how; }
EACH(ON_STORE, ST, 1) EACH(ON_STORE, STW, 2)

/* One operand, `b`. */
#define SHIFTED(value, out) r = (value); c = (uint32_t)(out) << 16; RESULT(1, r); v = n ^ c >> 1
#define DO_NEG a = b; b = 0; LESS(1, 0)
#define DO_COM BITWISE(1, b ^ 0xFF); c = 0x10000
#define DO_INC r = b + 1; RESULT(1, r); v = (r & ~b) << 8
#define DO_DEC r = b - 1; RESULT(1, r); v = (b & ~r) << 8
#define DO_LSR SHIFTED(b >> 1, b & 1)
#define DO_ROL SHIFTED((b << 1 & 0xFF) | CARRY, b >> 7)
#define DO_ROR SHIFTED(b >> 1 | CARRY << 7, b & 1)
#define DO_ASR SHIFTED(b >> 1 | (b & 0x80), b & 1)
#define DO_ASL SHIFTED(b << 1 & 0xFF, b >> 7)
#define DO_CLR BITWISE(1, 0u); c = 0
#define DO_TST BITWISE(1, b); c = 0
#define LOOKS_AT_IT(op) (CPU12_IN(op, R) != CPU12_IN(CLR, R))
#define CHANGES_IT(op)  (CPU12_IN(op, R) != CPU12_IN(TST, R))
#define ON_ONE(m, op)                                                                                              \
    CASE(CPU12_IN(op, R)): OPEN; b = REG_1(Y); DO_##op; if (CHANGES_IT(op)) SET_1(Y, r); CLOSE_BY(1)               \
    EACH(ON_CELL, op)
#define ON_CELL(op, how)                                                                                          \
    CASE(CPU12_IN(op, how)): OPEN; ADDRESS_##how;                                                                 \
    if (GUARD_1(CHANGES_IT(op) ? 0xFFu : KIT_GUARD_READS)) {                                                      \
        ANEW(how);                                                                                               \
        uint32_t got_ = 0;                                                                                       \
        if (LOOKS_AT_IT(op) && !cpu12_read(core, ADDRESS, 1, &got_)) UNREACHED_NOW;                              \
        b = got_;                                                                                                \
        DO_##op;                                                                                                 \
        if (CHANGES_IT(op) && !cpu12_write(core, ADDRESS, 1, r & 0xFF)) UNREACHED_NOW;                                                        \
    } else {                                                                                                     \
        b = MEM_1(address);                                                                                      \
        DO_##op;                                                                                                 \
        if (CHANGES_IT(op)) KEEP_1(address, r);                                                                  \
    }                                                                                                            \
    DONE_##how; PASS_##how; }
CPU12_ONES(ON_ONE, 1)

/* Bits: the mask is above the address or offset. */
#define MASK (AT >> 16 & 0xFF)
#define ON_BIT(op, value, how)                                                                                    \
    CASE(CPU12_IN(op, how)): OPEN; ADDRESS_##how; FETCH(1, b); r = (value); STORE(1, r); v = 0; RESULT(1, r); DONE_##how; CLOSE
EACH(ON_BIT, BSET, b | MASK) EACH(ON_BIT, BCLR, b & ~MASK & 0xFF)
#define ON_TEST(which, value, how) CASE(CPU12_IN(which, how)): OPEN; ADDRESS_##how; FETCH(1, b); DONE_##how; BRANCH_IF(!((value) & MASK), op->size); }
EACH(ON_TEST, BRSET, ~b) EACH(ON_TEST, BRCLR, b)

/* ---- addresses and registers */
#define TO_SP BITWISE(2, a); SET_2(RSP, a); core->stack.floor = kit_known_floor(&core->objects, a)
    CASE(CPU12_LDS_I_): OPEN; a = AT; TO_SP; CLOSE
    CASE(CPU12_LDS_G_): OPEN; ADDRESS_G; FETCH(2, a); DONE_G; TO_SP; CLOSE
    CASE(CPU12_LEA_N): SET_2(Y, REG_2(X) + AT); GO_ON(NEXT_ONE);
    CASE(CPU12_LEA_1): SET_2(Y, REG_2(X) + REG_1(AT >> 16)); NEXT(2);
    CASE(CPU12_LEA_2): SET_2(Y, REG_2(X) + REG_2(RD)); NEXT(2);
    CASE(CPU12_LEA_G): OPEN; ADDRESS_G; SET_2(Y, address); DONE_G;
    if (Y == RSP) core->stack.floor = kit_known_floor(&core->objects, ADDRESS);
    CLOSE
    CASE(CPU12_COPY_1): SET_1(Y, REG_1(X)); NEXT(2);
    CASE(CPU12_COPY_2): SET_2(Y, REG_2(X)); NEXT(2);
    CASE(CPU12_STEP): z = (REG_2(Y) + AT) & 0xFFFF; SET_2(Y, z); NEXT(1);
    CASE(CPU12_SHIFT): OPEN; b = REG_2(RD); r = Y ? b << 1 & 0xFFFF : b >> 1; c = (Y ? b >> 15 : b & 1) << 16; RESULT(2, r);
    v = n ^ c >> 1; SET_2(RD, r); CLOSE_BY(1)
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

#define SINGLY if (!LOOP_ONE) goto guarded; TIMED; SAVE

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
    CASE(CPU12_JSR_BY): OPEN; ADDRESS_G; r = ADDRESS; PUSH(cpu12_seen(HERE) + op->size, 2, DONE_G; ENTER(ops + PLACE(r))); }
    CASE(CPU12_RTS_): OPEN; PULL(a, 2);
    if (core->stack.depth) kit_returned(core, &core->stack, ADDRESS, NOW_ENDS);
    ENTER(ops + PLACE(a)); }
    CASE(CPU12_GO): OPEN; ADDRESS_G; DONE_G; ENTER(ops + PLACE(ADDRESS)); }
    CASE(CPU12_JUMP): ENTER(TARGET);

/* ---- branches */
#define ON_IF(which, condition)                                                                                   \
    CASE(CPU12_IF_##which): if (condition) { MORE(2); ENTER(TARGET); } ENTER(op + 2);                             \
    CASE(CPU12_IF_FAR_##which): if (condition) { MORE(1); ENTER(TARGET); } ENTER(op + 4);
#define LOWER        ((n ^ v) & 0x8000)
    ON_IF(HI, !CARRIED && z) ON_IF(LS, CARRIED || !z) ON_IF(CC, !CARRIED) ON_IF(CS, CARRIED) ON_IF(NE, z) ON_IF(EQ, !z) ON_IF(VC, !OVERFLOW)
    ON_IF(VS, OVERFLOW) ON_IF(PL, !(n & 0x8000)) ON_IF(MI, n & 0x8000) ON_IF(GE, !LOWER) ON_IF(LT, LOWER) ON_IF(GT, z && !LOWER) ON_IF(LE, !z || LOWER)
    CASE(CPU12_LOOP_1): OPEN; r = (REG_1(Y) + AT) & 0xFF; SET_1(Y, r); BRANCH_IF((r == 0) != X, 3); }
    CASE(CPU12_LOOP_2): OPEN; r = (REG_2(Y) + AT) & 0xFFFF; SET_2(Y, r); BRANCH_IF((r == 0) != X, 3); }

/* ---- with both accumulators; products, quotients. V is what it was where only N and Z change */
#define OVER(on)     v = (on) ? 0x8000u : 0
#define V_WAS        bool was = OVERFLOW
    CASE(CPU12_ABA_): OPEN; b = REG_1(RA); a = REG_1(RB); DO_ADD; SET_1(RA, r); CLOSE_BY(2)
    CASE(CPU12_SBA_): OPEN; b = REG_1(RA); a = REG_1(RB); DO_SUB; SET_1(RA, r); CLOSE_BY(2)
    CASE(CPU12_CBA_): OPEN; b = REG_1(RA); a = REG_1(RB); DO_CMP; CLOSE_BY(2)
    CASE(CPU12_TAB_): OPEN; BITWISE(1, REG_1(RB - Y + RA)); SET_1(Y, r); CLOSE_BY(2)
    CASE(CPU12_DAA_): OPEN; a = REG_1(RA); b = (a & 15) > 9 || core->flags.h & 0x10 ? 6 : 0; if (CARRY || a > 0x99) b |= 0x60;
    BITWISE(1, (a + b) & 0xFF); c = (b & 0x40) << 10; SET_1(RA, r); CLOSE_BY(2)
    CASE(CPU12_MUL_): OPEN; r = (uint32_t)REG_1(RA) * REG_1(RB); SET_2(RD, r); c = (r & 0x80) << 9; CLOSE_BY(1)
#define ON_PRODUCT(which, value, size) CASE(which): OPEN; V_WAS; r = (value); SET_2(RD, r); SET_2(RY, r >> 16); n = r >> 16; z = r; c = (r & 0x8000) << 1; OVER(was); CLOSE_BY(size)
    ON_PRODUCT(CPU12_EMUL_, REG_2(RD) * REG_2(RY), 1)
    ON_PRODUCT(CPU12_EMULS_, (uint32_t)((int32_t)(int16_t)REG_2(RD) * (int16_t)REG_2(RY)), 2)
#define ON_DIVIDE(which, up, by, least, most, to, size) /* where there is no quotient the registers stay */                      \
    CASE(which): OPEN; bool fits = divide(up, by, least, most, &r, &b); a = REG_2(RX); c = a ? 0 : 0x10000;                       \
    if (fits) { SET_2(to, r); SET_2(RD, b); RESULT(2, r); }                                                                      \
    OVER(a && !fits); CLOSE_BY(size)
    ON_DIVIDE(CPU12_EDIV_, (int64_t)REG_2(RY) << 16 | REG_2(RD), REG_2(RX), 0, 0xFFFF, RY, 1)
    ON_DIVIDE(CPU12_EDIVS_, (int32_t)(REG_2(RY) << 16 | REG_2(RD)), (int16_t)REG_2(RX), -0x8000, 0x7FFF, RY, 2)
    ON_DIVIDE(CPU12_IDIVS_, (int16_t)REG_2(RD), (int16_t)REG_2(RX), -0x8000, 0x7FFF, RX, 2)
#define ON_FRACTION(which, up, fits) /* the largest one where there is none */                                                   \
    CASE(which): OPEN; a = REG_2(RX); c = a ? 0 : 0x10000; bool good = a && (fits); r = 0xFFFF;                                   \
    if (good) { r = (up) / a; b = (up) % a; SET_2(RD, b); }                                                                      \
    z = r; OVER((which == CPU12_FDIV_) && !good); SET_2(RX, r); CLOSE_BY(2)
    ON_FRACTION(CPU12_IDIV_, REG_2(RD), true)
    ON_FRACTION(CPU12_FDIV_, REG_2(RD) << 16, REG_2(RD) < a)

/* ---- several steps in one */
#define ON_CHOICE(m, own) /* y: 1 the smaller one, 4 into memory */                                                              \
    CASE(CPU12_CHOOSE_##m): OPEN; ADDRESS_G; FETCH(m, a); b = REG_##m(own);                                                       \
    { uint32_t chosen = (Y & 1 ? a < b : a > b) ? a : b; if (Y & 4) STORE(m, chosen); else SET_##m(own, chosen); }                \
    LESS(m, 0); DONE_G; CLOSE
    ON_CHOICE(1, RA) ON_CHOICE(2, RD)
#define ON_TABLE(m, own) /* b: how far from the first to the second, of 256 */                                                   \
    CASE(CPU12_TBL_##m): OPEN; V_WAS; ADDRESS_G; FETCH(m, a); address = (address + m) & 0xFFFF; FETCH(m, b);                       \
    r = (a << 8) + (uint32_t)((int32_t)REG_1(RB) * ((int32_t)b - (int32_t)a)); c = (r & 0x80) << 9; r >>= 8;                       \
    SET_##m(own, r); RESULT(m, r); OVER(was); DONE_G; CLOSE
    ON_TABLE(1, RA) ON_TABLE(2, RD)
    CASE(CPU12_EMACS_): SINGLY; OPEN; uint32_t product, low, sum; address = REG_2(RX); FETCH(2, a); address = REG_2(RY); FETCH(2, b);
    product = (uint32_t)((int32_t)(int16_t)a * (int16_t)b); address = AT; FETCH(2, a); address = (AT + 2) & 0xFFFF; FETCH(2, low);
    a = a << 16 | low; sum = a + product; STORE(2, sum & 0xFFFF); address = AT; r = sum >> 16; STORE(2, r); n = sum >> 16; z = sum;
    c = low + (product & 0xFFFF); OVER((a ^ sum) & (product ^ sum) & 0x80000000u); CLOSE
    CASE(CPU12_BELONG): OPEN; uint32_t slopes, grade = 0xFF; address = REG_2(RX); FETCH(2, b); address = (address + 2) & 0xFFFF; FETCH(2, slopes); a = REG_1(RA);
    r = (a - (b >> 8)) * (slopes >> 8); if (slopes >> 8 && r < grade) grade = r;
    r = ((b & 0xFF) - a) * (slopes & 0xFF); if (slopes & 0xFF && r < grade) grade = r;
    if (a < b >> 8 || a > (b & 0xFF)) grade = 0;
    address = REG_2(RY); STORE(1, grade); SET_2(RX, REG_2(RX) + 4); SET_2(RY, REG_2(RY) + 1); CLOSE_BY(1)
    CASE(CPU12_WEIGH): SINGLY; to = 0;
    if (!weigh(core, &to)) goto faulted;
    MORE(to); z = 0; op = NEXT_ONE; FINISH;
    CASE(CPU12_RULES): SINGLY;
    {
        bool again = false;
        to = 0;
        if (!evaluate(core, Y, &to, &again)) goto faulted;
        MORE(to); LOAD;
        if (!again) op = NEXT_ONE;
    }
    FINISH;
    CASE(CPU12_TRANSFER): SAVE; transfer(core, AT); LOAD; op = NEXT_ONE; FINISH;

/* ---- what reaches many cells: one by one, registers as they were where it is given up */
    CASE(CPU12_RTI_): SINGLY; keep(core); OPEN; uint32_t ccr, frame = REG_2(RSP) + CPU12_FRAME - 2; PULL(ccr, 1); PULL(r, 2); SET_1(RB, r >> 8); SET_1(RA, r);
    PULL(r, 2); SET_2(RX, r); PULL(r, 2); SET_2(RY, r); PULL(to, 2); core->moved = false;
    if (core->stack.depth) kit_returned(core, &core->stack, frame, NOW_ENDS);
    set_ccr(core, ccr); LOAD; op = ops + PLACE(to); FINISH; }
    CASE(CPU12_SOFTWARE): SINGLY;
    if (kit_missing(core, AT, 2, &to)) FAULT(OAK_FAULT_NO_HANDLER, CPU12_MEM, AT);
    if (!kit_push_frame(core, cpu12_seen(HERE) + op->size, NOW_ENDS)) goto faulted;
    kit_begin_frame(core, &core->stack, REG_2(RSP) + CPU12_FRAME - 2, (AT - CPU12_VECTORS) / 2 + 1, AT);
    core->ccr |= CPU12_I; op = ops + PLACE(MEM_2(AT)); FINISH;
    CASE(CPU12_SLEEPS): SINGLY; to = MEM_1(HERE) == 0x18; /* stop */
    if (to && core->ccr & CPU12_S) GO_ON(NEXT_ONE);
    if (!kit_push_frame(core, cpu12_seen(HERE) + op->size, NOW_ENDS)) goto faulted;
    MORE(to ? 6 : 0); core->waits = to ? 2 : 1;
    if (to) kit_clocks(core, 3, NOW_ENDS);
    kit->attention = true; op = NEXT_ONE; FINISH;
    CASE(CPU12_CALLS): SINGLY; keep(core); OPEN; r = AT >> 16;
    if (X >> 4 < POINTED) to = cpu12_address(core, X, AT & 0xFFFF);
    else { /* word and page lie there */
        address = (REG_2(X & 15) + AT + (X >> 4 == POINTED_D ? REG_2(RD) : 0)) & 0xFFFF; FETCH(2, to);
        address = (address + 2) & 0xFFFF; FETCH(1, r);
    }
    PUSH(cpu12_seen(HERE) + op->size, 2, (void)0); PUSH(core->page, 1, (void)0); core->moved = false;
    select_page(core, r, NOW_ENDS); ENTER(ops + PLACE(to)); }
    CASE(CPU12_RTC_): SINGLY; keep(core); OPEN; PULL(r, 1); PULL(to, 2); core->moved = false;
    if (core->stack.depth) kit_returned(core, &core->stack, ADDRESS, NOW_ENDS);
    select_page(core, r, NOW_ENDS); ENTER(ops + PLACE(to)); }
    CASE(CPU12_FLAGS): SINGLY; OPEN; a = cpu12_ccr(core->ccr, &core->flags); a = X ? a | AT : a & AT;
    if (MEM_1(HERE) == 0x38) { PULL(a, 1); } /* pulc */
    change_ccr(core, a); LOAD; op = NEXT_ONE; FINISH; }
    CASE(CPU12_ADJUST): SAVE; to = cpu12_ccr(core->ccr, &core->flags); core->flags = cpu12_flags_of(X ? to | AT : to & AT);
    LOAD; ENTER(NEXT_ONE);
    CASE(CPU12_DEBUGGER): BEFORE_FAULT;
    FAULT(OAK_FAULT_BREAKPOINT, CPU12_MEM, HERE);

    guarded: KIT_MAYBE_UNUSED; /* single steps look at it */
    BACK_TO_IT;
    exit = KIT_EXIT_WATCH;
    goto leave;
