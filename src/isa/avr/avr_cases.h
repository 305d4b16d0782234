/* avr_cases.h — what each row does, for the loop of the kit. */
#define RD                 data[X]
#define RR                 data[Y]
#define PAIR(n)            kit_le16(data + (n))
#define SET_PAIR(n, value) kit_put_le16(data + (n), (value))
#define CARRY              (carries >> 8 & 1)
#define OVERFLOWS          ((over ^ over >> 1) & 0x80)
#define SIGNED             (!(nz & NZ_NEGATIVE) != !(OVERFLOWS != 0) ? !(nz & NZ_ODD) : (nz & NZ_ODD) != 0)
/* When an instruction of so many words ends. */
#define END_HERE(units)                                                                                      \
    (LOOP_ONE ? kit->time.cycles + kit->own_cycles[kit->row[kit->pc] - KIT_FIRST_ROW]                        \
              : kit->time.cycles + (uint32_t)(spent - op[units].cost))
#define SUM(first, second, carry)                                                                            \
    do {                                                                                                     \
        uint32_t a = (first), b = (second);                                                                  \
        r = a + b + (carry);                                                                                 \
        carries = over = a ^ b ^ r;                                                                          \
        nz = r & 0xFF;                                                                                       \
    } while (0)
#define LESS(first, second, carry)                                                                           \
    do {                                                                                                     \
        uint32_t a = (first), b = (second);                                                                  \
        r = a - b - (carry);                                                                                 \
        carries = over = a ^ b ^ r;                                                                          \
    } while (0)
#define DIFFERENCE(first, second)                                                                            \
    LESS(first, second, 0);                                                                                  \
    nz = r & 0xFF
#define REST(first, second) /* of a longer number: it is zero only where the bytes before were */            \
    LESS(first, second, CARRY);                                                                              \
    nz = (r & 0xFF) | (((nz & NZ_ZERO) + NZ_ZERO) >> 1 & 0x100)
#define LOGIC(value)                                                                                         \
    nz = (value);                                                                                            \
    over = 0;                                                                                                \
    RD = (uint8_t)nz;                                                                                        \
    NEXT(1)
#define TO_RD                                                                                                \
    RD = (uint8_t)r;                                                                                         \
    NEXT(1)
#define SHIFTED(top)                                                                                         \
    r = RD;                                                                                                  \
    byte = (r & 1) << 8;                                                                                     \
    nz = r >> 1 | (top);                                                                                     \
    over = byte | (nz & 0x80);                                                                               \
    carries = (carries & 0x10) | byte;                                                                       \
    RD = (uint8_t)nz;                                                                                        \
    NEXT(1)
/* A product, of which Z and C are told. */
#define PRODUCT(value, doubled)                                                                              \
    r = (uint32_t)(value)&0xFFFF;                                                                            \
    carries = (carries & 0x10) | (r >> 15) << 8;                                                             \
    if (doubled) r = r << 1 & 0xFFFF;                                                                        \
    nz = (nz & NZ_ODD) | (nz & NZ_NEGATIVE ? 0x200u : 0) | (r ? 0x100u : 0);                                 \
    SET_PAIR(0, r);                                                                                          \
    NEXT(1)
#define WITH_SIGN(n) ((int8_t)data[n])
/* Of 16 bits: what it was, what it became. */
#define LONG(was, carried)                                                                                   \
    nz = (r >> 8 & 0x80) | (r & 0x7FFF ? 0x100u : 0);                                                        \
    over = (carried) ? 0 : ((was) ^ r) >> 8 & 0x80;                                                          \
    carries = (carries & 0x10) | (uint32_t)(carried) << 8
#define LOAD_AT(address, then)                                                                               \
    at = (address);                                                                                          \
    if (KIT_RARELY(core->kind[at])) goto live_load;                                                          \
    RD = data[at];                                                                                           \
    then;                                                                                                    \
    NEXT(1)
#define STORE_AT(address, then)                                                                              \
    at = (address);                                                                                          \
    if (KIT_RARELY(core->kind[at])) goto live_store;                                                         \
    data[at] = RD;                                                                                           \
    then;                                                                                                    \
    NEXT(1)
#define BACK(pair) ((PAIR(pair) - 1) & 0xFFFF)
#define SKIP_IF(condition, one_more)                                                                         \
    do {                                                                                                     \
        if (!(condition)) NEXT(1);                                                                           \
        kit_op *there = TARGET;                                                                              \
        MORE(1 + (one_more));                                                                                \
        AWAY(1, there);                                                                                      \
    } while (0)
#define JUMP_IF(condition)                                                                                   \
    do {                                                                                                     \
        if (!(condition)) NEXT(1);                                                                           \
        kit_op *there = TARGET;                                                                              \
        MORE(1);                                                                                             \
        AWAY(1, there);                                                                                      \
    } while (0)
/* A byte goes to the stack where nothing else is known to be. */
#define PUSH(value)                                                                                          \
    do {                                                                                                     \
        at = core->sp;                                                                                       \
        if (KIT_RARELY(at < core->stack.floor || core->kind[at])) {                                          \
            SAVE;                                                                                            \
            kit->pc = HERE;                                                                                  \
            if (!avr_may_push(core, at,                                                                      \
                              LOOP_ONE ? kit->time.cycles                                                    \
                                       : kit->time.cycles + (uint32_t)(spent - op->cost)))                   \
                goto faulted;                                                                                \
        }                                                                                                    \
        data[at] = (uint8_t)(value);                                                                         \
        core->sp = (uint16_t)(at - 1);                                                                       \
    } while (0)
#define PUSH_BACK(address)                                                                                   \
    do {                                                                                                     \
        byte = core->sp;                                                                                     \
        PUSH((address)&0xFF);                                                                                \
        if (KIT_RARELY(core->sp < core->stack.floor || core->kind[core->sp]) &&                              \
            !avr_may_push(core, core->sp, NOW_ENDS)) {                                                       \
            core->sp = (uint16_t)byte;                                                                       \
            goto faulted;                                                                                    \
        }                                                                                                    \
        data[core->sp] = (uint8_t)((address) >> 8);                                                          \
        core->sp--;                                                                                          \
    } while (0)
#define POPPED(offset)   data[(uint16_t)(core->sp + (offset))]
#define NO_STACK(offset) KIT_RARELY(core->kind[(uint16_t)(core->sp + (offset))])
#define PULL                                                                                                 \
    if (NO_STACK(1) || NO_STACK(2)) goto empty_stack;                                                        \
    at = (uint32_t)(POPPED(1) << 8 | POPPED(2));                                                             \
    if (core->stack.depth) kit_returned(core, &core->stack, core->sp, NOW_ENDS);                             \
    core->sp = (uint16_t)(core->sp + 2)
#define HOLD_BACK                                                                                            \
    if (!core->lines.asks && QUIET_AT(op)) ENTER(op);                                                        \
    kit->blocked = kit->attention = true;                                                                    \
    FINISH
#define KEEP_S(change)                                                                                       \
    do {                                                                                                     \
        bool before = SIGNED;                                                                                \
        change;                                                                                              \
        if (SIGNED != before) nz ^= NZ_ODD;                                                                  \
    } while (0)
#define FLAG_ROW(id, ...)                                                                                    \
    ON(AVR_##id) : __VA_ARGS__;                                                                              \
    NEXT(1);
/* clang-format off */
    ON(AVR_LSL): SUM(RD, RD, 0); TO_RD;
    ON(AVR_ROL): SUM(RD, RD, CARRY); TO_RD;
    ON(AVR_TST): nz = RD; over = 0; NEXT(1);
    ON(AVR_CLR): LOGIC(0);
    ON(AVR_ADD): SUM(RD, RR, 0); TO_RD;
    ON(AVR_ADC): SUM(RD, RR, CARRY); TO_RD;
    ON(AVR_SUB): DIFFERENCE(RD, RR); TO_RD;
    ON(AVR_SBC): REST(RD, RR); TO_RD;
    ON(AVR_CP):  DIFFERENCE(RD, RR); NEXT(1);
    ON(AVR_CPC): REST(RD, RR); NEXT(1);
    ON(AVR_AND): LOGIC((uint32_t)(RD & RR));
    ON(AVR_EOR): LOGIC((uint32_t)(RD ^ RR));
    ON(AVR_OR):  LOGIC((uint32_t)(RD | RR));
    ON(AVR_MOV): RD = RR; NEXT(1);
    ON(AVR_MOVW): SET_PAIR(X, PAIR(Y)); NEXT(1);
    ON(AVR_CPI): DIFFERENCE(RD, AT); NEXT(1);
    ON(AVR_SBCI): REST(RD, AT); TO_RD;
    ON(AVR_SUBI): DIFFERENCE(RD, AT); TO_RD;
    ON(AVR_SBR): ON(AVR_ORI):  LOGIC(RD | AT);
    ON(AVR_CBR): ON(AVR_ANDI): LOGIC(RD & AT);
    ON(AVR_SER): ON(AVR_LDI): RD = (uint8_t)AT; NEXT(1);
    ON(AVR_ADIW): byte = PAIR(X); r = (byte + AT) & 0xFFFF; SET_PAIR(X, r); LONG(byte, r < byte); NEXT(1);
    ON(AVR_SBIW): byte = PAIR(X); r = (byte - AT) & 0xFFFF; SET_PAIR(X, r); LONG(byte, r > byte); NEXT(1);
    ON(AVR_COM): r = RD ^ 0xFFu; carries = (carries & 0x10) | 0x100; nz = r; over = 0; TO_RD;
    ON(AVR_NEG): DIFFERENCE(0, RD); TO_RD;
    ON(AVR_SWAP): r = RD; r = r << 4 | r >> 4; TO_RD;
    ON(AVR_INC): r = (RD + 1u) & 0xFF; over = r == 0x80 ? 0x80 : 0; nz = r; TO_RD;
    ON(AVR_DEC): r = (RD - 1u) & 0xFF; over = r == 0x7F ? 0x80 : 0; nz = r; TO_RD;
    ON(AVR_ASR): SHIFTED(r & 0x80);
    ON(AVR_LSR): SHIFTED(0);
    ON(AVR_ROR): SHIFTED(CARRY << 7);
    ON(AVR_MUL):    PRODUCT(RD * RR, false);
    ON(AVR_MULS):   PRODUCT(WITH_SIGN(X) * WITH_SIGN(Y), false);
    ON(AVR_MULSU):  PRODUCT(WITH_SIGN(X) * RR, false);
    ON(AVR_FMUL):   PRODUCT(RD * RR, true);
    ON(AVR_FMULS):  PRODUCT(WITH_SIGN(X) * WITH_SIGN(Y), true);
    ON(AVR_FMULSU): PRODUCT(WITH_SIGN(X) * RR, true);

    ON(AVR_LDS):
        at = AT;
        if (KIT_RARELY(core->kind[at])) goto live_load;
        RD = data[at];
        NEXT(2);
    ON(AVR_STS):
        at = AT;
        if (KIT_RARELY(core->kind[at])) goto live_store;
        data[at] = RD;
        NEXT(2);
    ON(AVR_LD_X):  LOAD_AT(PAIR(RX), (void)0);
    ON(AVR_LD_XI): LOAD_AT(PAIR(RX), SET_PAIR(RX, at + 1));
    ON(AVR_LD_XD): LOAD_AT(BACK(RX), SET_PAIR(RX, at));
    ON(AVR_LD_YI): LOAD_AT(PAIR(RY), SET_PAIR(RY, at + 1));
    ON(AVR_LD_YD): LOAD_AT(BACK(RY), SET_PAIR(RY, at));
    ON(AVR_LD_ZI): LOAD_AT(PAIR(RZ), SET_PAIR(RZ, at + 1));
    ON(AVR_LD_ZD): LOAD_AT(BACK(RZ), SET_PAIR(RZ, at));
    ON(AVR_LD_Y): ON(AVR_LDD_Y): LOAD_AT((PAIR(RY) + AT) & 0xFFFF, (void)0);
    ON(AVR_LD_Z): ON(AVR_LDD_Z): LOAD_AT((PAIR(RZ) + AT) & 0xFFFF, (void)0);
    ON(AVR_ST_X):  STORE_AT(PAIR(RX), (void)0);
    ON(AVR_ST_XI): STORE_AT(PAIR(RX), SET_PAIR(RX, at + 1));
    ON(AVR_ST_XD): STORE_AT(BACK(RX), SET_PAIR(RX, at));
    ON(AVR_ST_YI): STORE_AT(PAIR(RY), SET_PAIR(RY, at + 1));
    ON(AVR_ST_YD): STORE_AT(BACK(RY), SET_PAIR(RY, at));
    ON(AVR_ST_ZI): STORE_AT(PAIR(RZ), SET_PAIR(RZ, at + 1));
    ON(AVR_ST_ZD): STORE_AT(BACK(RZ), SET_PAIR(RZ, at));
    ON(AVR_ST_Y): ON(AVR_STD_Y): STORE_AT((PAIR(RY) + AT) & 0xFFFF, (void)0);
    ON(AVR_ST_Z): ON(AVR_STD_Z): STORE_AT((PAIR(RZ) + AT) & 0xFFFF, (void)0);
live_load: /* y: the pair that moves; with bit 0 it has moved before */
    SAVE;
    kit->pc = HERE;
    if (core->kind[at] == AVR_ABSENT) FAULT(OAK_FAULT_ABSENT, AVR_DATA, at);
    RD = avr_read(core, at, 0xFF, END_HERE(op->size) - 1);
    goto moved;
live_store:
    SAVE;
    kit->pc = HERE;
    if (core->kind[at] == AVR_ABSENT) FAULT(OAK_FAULT_ABSENT, AVR_DATA, at);
    avr_write(core, at, RD, END_HERE(op->size));
moved:
    if (Y) SET_PAIR(Y & 0xFE, Y & 1 ? at : at + 1);
    LOAD;
    if (kit->attention) LEAVE(op->size);
    NEXT(op->size);
    ON(AVR_PUSH): PUSH(RD); NEXT(1);
    ON(AVR_POP):
        if (NO_STACK(1)) goto empty_stack;
        RD = POPPED(1);
        core->sp++;
        NEXT(1);
empty_stack: FAULT(OAK_FAULT_STACK_UNDERFLOW, AVR_CODE, core->sp);
    ON(AVR_IN): RD = data[AT]; NEXT(1);
    ON(AVR_OUT): data[AT] = RD; NEXT(1);
    CASE(AVR_IN_LIVE): at = AT; goto live_load;
    CASE(AVR_OUT_LIVE): at = AT; goto live_store;
    ON(AVR_LPM): ON(AVR_LPM_Z): ON(AVR_LPM_ZI):
        at = PAIR(RZ);
        if (at >= core->code_bytes) FAULT(OAK_FAULT_ABSENT, AVR_CODE, at >> 1);
        RD = core->code[at];
        if (Y) SET_PAIR(RZ, at + 1);
        NEXT(1);
    ON(AVR_SPM): SAVE; avr_program(core); op += 1; FINISH;

    ON(AVR_SBI): data[AT] |= Y; NEXT(1);
    ON(AVR_CBI): data[AT] = (uint8_t)(data[AT] & ~(uint32_t)Y); NEXT(1);
    CASE(AVR_SBI_LIVE):
    CASE(AVR_CBI_LIVE):
        SAVE;
        kit->pc = HERE;
        if (core->kind[AT] == AVR_ABSENT) FAULT(OAK_FAULT_ABSENT, AVR_DATA, AT);
        avr_change(core, AT, Y, X, END_HERE(1));
        LOAD;
        if (kit->attention) LEAVE(1);
        NEXT(1);
    ON(AVR_BST): core->t = (RD & Y) != 0; NEXT(1);
    ON(AVR_BLD): RD = (uint8_t)(core->t ? RD | Y : RD & ~(uint32_t)Y); NEXT(1);
    FLAG_ROW(SEC, carries |= 0x100)
    FLAG_ROW(CLC, carries &= 0x10)
    FLAG_ROW(SEZ, nz = (nz & NZ_ODD) | (nz & NZ_NEGATIVE ? 0x200u : 0))
    FLAG_ROW(CLZ, nz |= 0x100)
    FLAG_ROW(SEN, KEEP_S(nz = (nz & NZ_ODD) | (nz & NZ_ZERO ? 0x100u : 0) | 0x200))
    FLAG_ROW(CLN, KEEP_S(nz = (nz & NZ_ODD) | (nz & NZ_ZERO ? 0x100u : 0)))
    FLAG_ROW(SEV, KEEP_S(over = 0x80))
    FLAG_ROW(CLV, KEEP_S(over = 0))
    FLAG_ROW(SES, if (!SIGNED) nz ^= NZ_ODD)
    FLAG_ROW(CLS, if (SIGNED) nz ^= NZ_ODD)
    FLAG_ROW(SEH, carries |= 0x10)
    FLAG_ROW(CLH, carries &= 0x100)
    FLAG_ROW(SET, core->t = 1)
    FLAG_ROW(CLT, core->t = 0)
    FLAG_ROW(CLI, core->i = 0)
    ON(AVR_SEI):
        op += 1;
        if (core->i) ENTER(op);
        core->i = 1;
        HOLD_BACK;
    ON(AVR_BSET): ON(AVR_BCLR): ON(AVR_BRBS): ON(AVR_BRBC): NEXT(1); /* each flag has a row of its own, which is read back */

    ON(AVR_RJMP): ON(AVR_JMP): ENTER(TARGET);
    ON(AVR_IJMP): ENTER(ops + PAIR(RZ));
    ON(AVR_RCALL): ON(AVR_CALL): PUSH_BACK(AT); ENTER(TARGET);
    ON(AVR_ICALL): PUSH_BACK(HERE + 1); ENTER(ops + PAIR(RZ));
    ON(AVR_RET): PULL; ENTER(ops + at);
    ON(AVR_RETI): PULL; core->i = 1; op = ops + at; HOLD_BACK;
    ON(AVR_BRCS): JUMP_IF(carries & 0x100);
    ON(AVR_BREQ): JUMP_IF(!(nz & NZ_ZERO));
    ON(AVR_BRMI): JUMP_IF(nz & NZ_NEGATIVE);
    ON(AVR_BRVS): JUMP_IF(OVERFLOWS);
    ON(AVR_BRLT): JUMP_IF(SIGNED);
    ON(AVR_BRHS): JUMP_IF(carries & 0x10);
    ON(AVR_BRTS): JUMP_IF(core->t);
    ON(AVR_BRIE): JUMP_IF(core->i);
    ON(AVR_BRCC): JUMP_IF(!(carries & 0x100));
    ON(AVR_BRNE): JUMP_IF(nz & NZ_ZERO);
    ON(AVR_BRPL): JUMP_IF(!(nz & NZ_NEGATIVE));
    ON(AVR_BRVC): JUMP_IF(!OVERFLOWS);
    ON(AVR_BRGE): JUMP_IF(!SIGNED);
    ON(AVR_BRHC): JUMP_IF(!(carries & 0x10));
    ON(AVR_BRTC): JUMP_IF(!core->t);
    ON(AVR_BRID): JUMP_IF(!core->i);
    ON(AVR_CPSE): SKIP_IF(RD == RR, AT);
    ON(AVR_SBRC): SKIP_IF(!(RD & Y), AT);
    ON(AVR_SBRS): SKIP_IF(RD & Y, AT);
    ON(AVR_SBIC): SKIP_IF(!(data[AT] & Y), X);
    ON(AVR_SBIS): SKIP_IF(data[AT] & Y, X);
    CASE(AVR_SBIC_LIVE):
    CASE(AVR_SBIS_LIVE):
        SAVE;
        kit->pc = HERE;
        if (core->kind[AT] == AVR_ABSENT) FAULT(OAK_FAULT_ABSENT, AVR_DATA, AT);
        at = avr_read(core, AT, Y, END_HERE(1) - 1) & Y;
        LOAD;
        at = kit->row[HERE] == KIT_FIRST_ROW + AVR_SBIC ? !at : at;
        if (!at) {
            if (kit->attention) LEAVE(1);
            NEXT(1);
        }
        {
            kit_op *there = TARGET;
            MORE(1 + X);
            op += 1;
            if (!LOOP_ONE) spent -= op->cost;
            COUNT(-1);
            op = there;
            FINISH;
        }

/* ---- two or three at once */
#define ALONE (LOOP_ONE || LOOP_JUDGED)
#define HIGH(n) ((uint32_t)data[n] << 8)
#define THEN_BRANCH(id, units, does, ...)                                                                              \
    CASE(AVR_##id##_ALONE): __VA_ARGS__; does; NEXT(units);                                                       \
    CASE(AVR_##id##_CS): __VA_ARGS__; does; if (ALONE) NEXT(units); op += units; JUMP_IF(carries & 0x100);        \
    CASE(AVR_##id##_EQ): __VA_ARGS__; does; if (ALONE) NEXT(units); op += units; JUMP_IF(!(nz & NZ_ZERO));        \
    CASE(AVR_##id##_CC): __VA_ARGS__; does; if (ALONE) NEXT(units); op += units; JUMP_IF(!(carries & 0x100));     \
    CASE(AVR_##id##_NE): __VA_ARGS__; does; if (ALONE) NEXT(units); op += units; JUMP_IF(nz & NZ_ZERO);
#define KEEP RD = (uint8_t)r
#define LONG_FLAGS(sticky)                                                                                        \
    carries = over = (first ^ second ^ r) >> 8;                                                                   \
    nz = (r >> 8 & 0xFF) | ((sticky) ? ((r & 0xFF) + 0xFF) & 0x100 : 0)
#define LONG_COMPARE(id, low)                                                                                     \
    if (ALONE) {                                                                                                  \
        DIFFERENCE(RD, low);                                                                                      \
        NEXT(1);                                                                                                  \
    }                                                                                                             \
    uint32_t first = RD | HIGH(op[1].x), second = (low) | HIGH(op[1].y);                                          \
    r = first - second;                                                                                           \
    LONG_FLAGS(true)
#define IN_ITSELF(...) { __VA_ARGS__; }
    THEN_BRANCH(CP_CPC, 2, (void)0, IN_ITSELF(LONG_COMPARE(CP, RR)))
    THEN_BRANCH(CPI_CPC, 2, (void)0, IN_ITSELF(LONG_COMPARE(CPI, AT)))
    THEN_BRANCH(CP, 1, (void)0, DIFFERENCE(RD, RR))
    THEN_BRANCH(CPI, 1, (void)0, DIFFERENCE(RD, AT))
    THEN_BRANCH(CPC, 1, (void)0, REST(RD, RR))
    THEN_BRANCH(SUBI, 1, KEEP, DIFFERENCE(RD, AT))
    THEN_BRANCH(SBCI, 1, KEEP, REST(RD, AT))
    THEN_BRANCH(SBIW, 1, (void)0, byte = PAIR(X); r = (byte - AT) & 0xFFFF; SET_PAIR(X, r); LONG(byte, r > byte))
    THEN_BRANCH(DEC, 1, KEEP, r = (RD - 1u) & 0xFF; over = r == 0x7F ? 0x80 : 0; nz = r)
    THEN_BRANCH(TST, 1, (void)0, nz = RD; over = 0)
#define LONG_SUM(id, row, operator, low, high, sticky)                                                            \
    CASE(AVR_##id):                                                                                               \
        if (ALONE) RESUME(KIT_FIRST_ROW + AVR_##row);                                                             \
        {                                                                                                         \
            uint32_t first = RD | HIGH(op[1].x), second = (low) | (uint32_t)(high) << 8;                          \
            r = first operator second;                                                                            \
            LONG_FLAGS(sticky);                                                                                   \
            data[op[1].x] = (uint8_t)(r >> 8);                                                                    \
            RD = (uint8_t)r;                                                                                      \
            NEXT(2);                                                                                              \
        }
    LONG_SUM(ADD_ADC, ADD, +, RR, data[op[1].y], false)
    LONG_SUM(SUB_SBC, SUB, -, RR, data[op[1].y], true)
    LONG_SUM(SUBI_SBCI, SUBI, -, AT, op[1].at, true)

    ON(AVR_NOP): ON(AVR_BREAK): NEXT(1);
    ON(AVR_SLEEP): SAVE; avr_sleep(core, NOW_ENDS); op += 1; FINISH;
    ON(AVR_WDR): avr_feed(core, NOW_ENDS); op += 1; FINISH;
/* clang-format on */
