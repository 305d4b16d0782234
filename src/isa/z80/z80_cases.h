/* z80_cases.h — what each row does, for the loop of the kit. */

/* clang-format off */
#define A              core->reg[RA]
#define PAIR(at)       z80_pair(core->reg + (at))
#define SET(at, value) z80_set_pair(core->reg + (at), value)
#define HL             PAIR(RHL)
#define BEHIND(at)     (((at) + 1) & 0xFFFF)
/* Prefixed codes are fetched in two cycles that refresh; these have an index register in `to`. */
#define FETCH   prefixes++
#define INDEXED (FETCH, wz = (PAIR(op->to) + AT) & 0xFFFF)
/* Instructions begun since reset, this one included. */
#define BEGUN ((uint32_t)kit->time.instructions + 1 + (LOOP_ONE ? 0 : (uint32_t)((spent - op->cost) >> 32)))
#define CARRY (cy >> 8 & 1)
#define ZERO  (!(uint8_t)sz)
#define SIGN  (sz & 0x80 || ((pv ^ pv << 1) & 2u * Z80_SIGN))
#define EVEN  z80_pv(sz, pv)

/* ---- memory: `address` and `byte` or `word` */
#define GET(where)                                                                                               \
    address = (where);                                                                                           \
    if (core->guard[address] & KIT_GUARD_READS) goto unread;                                                     \
    byte = core->mem[address]
/* The guard of the byte behind the last one sends a word that wraps round the long way. */
#define GET_WORD(where)                                                                                          \
    address = (where);                                                                                           \
    if (!(z80_pair(core->guard + address) & (KIT_GUARD_READS | KIT_GUARD_READS << 8)))                           \
        word = z80_pair(core->mem + address);                                                                    \
    else if (!z80_far_word(core, address, &got)) goto unread_word;                                               \
    else word = got
/* The last thing an instruction does; and one that DONE follows. */
#define PUT(where, value, units)                                                                                 \
    do {                                                                                                         \
        address = (where);                                                                                       \
        PUT_BACK(value, units);                                                                                  \
    } while (0)
#define PUT_BACK(value, units)                                                                                   \
    do {                                                                                                         \
        if (core->guard[address]) {                                                                              \
            if (!kit_store(core, address, (uint8_t)(value))) goto faulted;                                       \
            if (kit->attention) LEAVE(units);                                                                    \
            NEXT(units);                                                                                         \
        }                                                                                                        \
        core->mem[address] = (uint8_t)(value);                                                                   \
        NEXT(units);                                                                                             \
    } while (0)
#define STORE_BACK(value)                                                                                        \
    if (!core->guard[address]) core->mem[address] = (uint8_t)(value);                                            \
    else if (!kit_store(core, address, (uint8_t)(value))) goto faulted
#define STORE(where, value) address = (where); STORE_BACK(value)
#define STORE_WORD(value) /* where a word was read */ STORE_BACK(value); STORE(BEHIND(address), (value) >> 8)
#define DONE(units)                                                                                              \
    do {                                                                                                         \
        if (kit->attention) LEAVE(units);                                                                        \
        NEXT(units);                                                                                             \
    } while (0)
/* Goes to `where`, which becomes the next operation, once what is stored may have been code. */
#define GO(where)                                                                                                \
    do {                                                                                                         \
        op = (where);                                                                                            \
        if (kit->attention) FINISH;                                                                              \
        ENTER(op);                                                                                               \
    } while (0)
/* `then` follows at once, `late` where somebody had to look at the push, who may have called for attention. */
#define PUSH_WORD(value, then, late)                                                                             \
    do {                                                                                                         \
        uint32_t sp = (PAIR(RSP) - 2) & 0xFFFF, pushed = (value);                                                \
        if (sp >= core->floor && !z80_pair(core->guard + sp)) {                                                  \
            z80_set_pair(core->mem + sp, pushed);                                                                \
            SET(RSP, sp);                                                                                        \
            then;                                                                                                \
        }                                                                                                        \
        kit->pc = HERE;                                                                                          \
        if (!z80_push(core, pushed, NOW_ENDS)) goto faulted;                                                     \
        late;                                                                                                    \
    } while (0)
#define POP_WORD /* into `word` */                                                                               \
    address = PAIR(RSP);                                                                                         \
    if (!(z80_pair(core->guard + address) &                                                                      \
          (KIT_GUARD_READS | KIT_GUARD_FIXED | KIT_GUARD_READS << 8)))                                           \
        word = z80_pair(core->mem + address);                                                                    \
    else {                                                                                                       \
        if (core->guard[address] & (KIT_GUARD_READS | KIT_GUARD_FIXED) && z80_underflows(core, address)) goto faulted; \
        GET_WORD(address);                                                                                       \
    }                                                                                                            \
    SET(RSP, address + 2)
#define FLAGS z80_flags_of(&(z80_flags){sz, pv, how, cy, hx, xy})
#define SET_FLAGS(value)                                                                                         \
    do {                                                                                                         \
        z80_flags set;                                                                                           \
        z80_set_flags(&set, value);                                                                              \
        sz = set.sz, pv = set.pv, how = set.how, cy = set.cy, hx = set.hx, xy = set.xy;                          \
    } while (0)

/* ---- arithmetic */
#define SUM(carried)                                                                                             \
    do {                                                                                                         \
        uint32_t left = A, right = byte;                                                                         \
        sz = cy = left + right + (carried);                                                                      \
        pv = left ^ right ^ sz;                                                                                  \
        how = 0;                                                                                                 \
        A = (uint8_t)sz;                                                                                         \
    } while (0)
#define DIFFERENCE(carried)                                                                                      \
    do {                                                                                                         \
        uint32_t left = A, right = byte;                                                                         \
        sz = cy = left - right - (carried);                                                                      \
        pv = left ^ right ^ sz;                                                                                  \
        how = Z80_N;                                                                                             \
    } while (0)
#define LOGIC(operator, half) (sz = A operator byte, A = (uint8_t)sz, pv = Z80_PARITY | (half), cy = how = 0)
#define DO_ADD                SUM(0)
#define DO_ADC                SUM(CARRY)
#define DO_SUB DIFFERENCE(0); A = (uint8_t)sz
#define DO_SBC DIFFERENCE(CARRY); A = (uint8_t)sz
#define DO_AND LOGIC(&, 0x10)
#define DO_XOR LOGIC(^, 0)
#define DO_OR  LOGIC(|, 0)
#define DO_CP DIFFERENCE(0); xy = byte; how = Z80_N | Z80_OWN_XY
#define ALU(name)                                                                                                \
    ON(Z80_##name##_R): byte = core->reg[Y]; DO_##name; NEXT(1);                                                 \
    ON(Z80_##name##_N): byte = AT; DO_##name; NEXT(2);                                                           \
    ON(Z80_##name##_HL): GET(HL); DO_##name; NEXT(1);                                                            \
    ON(Z80_##name##_IX): INDEXED; GET(wz); DO_##name; NEXT(3);                                                   \
    ON(Z80_##name##_XH): FETCH; byte = core->reg[Y]; DO_##name; NEXT(2)
#define STEP(with, subtracts) (sz = byte with 1, pv = byte ^ 1 ^ sz, how = (subtracts))
#define COUNT_BY(name, with, subtracts)                                                                          \
    ON(Z80_##name##_R): byte = core->reg[X]; STEP(with, subtracts); core->reg[X] = (uint8_t)sz; NEXT(1);         \
    ON(Z80_##name##_HL): GET(HL); STORE_BACK(byte with 1); STEP(with, subtracts); DONE(1);                       \
    ON(Z80_##name##_IX): INDEXED; GET(wz); STORE_BACK(byte with 1); STEP(with, subtracts); DONE(3);              \
    ON(Z80_##name##_XH): FETCH; byte = core->reg[X]; STEP(with, subtracts); core->reg[X] = (uint8_t)sz;          \
    NEXT(2)
#define SHIFTED (sz = word & 0xFF, pv = Z80_PARITY, how = 0)
/* `word` is what comes out of `byte`, `carry` what falls out, in bit 8. */
#define SHIFT(name, out, carry)                                                                                  \
    ON(Z80_##name##_R): FETCH; byte = core->reg[X]; word = (out); cy = (carry); SHIFTED;                         \
    core->reg[X] = (uint8_t)sz; NEXT(2);                                                                         \
    ON(Z80_##name##_HL): FETCH; GET(HL); word = (out); STORE_BACK(word); cy = (carry); SHIFTED; DONE(2);         \
    ON(Z80_##name##_IX): INDEXED; GET(wz); word = (out); STORE_BACK(word); cy = (carry); SHIFTED; DONE(4);       \
    ON(Z80_##name##_IX_R): INDEXED; GET(wz); word = (out); STORE_BACK(word); cy = (carry); SHIFTED;              \
    core->reg[X] = (uint8_t)word; DONE(4)
#define ROTATE_A(out, carry)                                                                                     \
    byte = A; word = (out); cy = (carry); A = (uint8_t)word; hx = 0; xy = word;                                  \
    how = Z80_OWN_H | Z80_OWN_XY; NEXT(1)
#define TEST (sz = byte & X, pv = Z80_PARITY | 0x10, how = Z80_OWN_XY)
#define CHANGE(name, out)                                                                                        \
    ON(Z80_##name##_R): FETCH; byte = core->reg[Y]; core->reg[Y] = (uint8_t)(out); NEXT(2);                      \
    ON(Z80_##name##_HL): FETCH; GET(HL); PUT_BACK(out, 2);                                                       \
    ON(Z80_##name##_IX): INDEXED; GET(wz); PUT_BACK(out, 4);                                                     \
    ON(Z80_##name##_IX_R): INDEXED; GET(wz); STORE_BACK(out); core->reg[Y] = (uint8_t)(out); DONE(4)
/* Sixteen bits: `word` is added to, `byte` the other one. */
#define ADD_TO(at, units)                                                                                        \
    do {                                                                                                         \
        word = PAIR(at);                                                                                         \
        wz = word + 1;                                                                                           \
        uint32_t sum = word + byte;                                                                              \
        SET(at, sum);                                                                                            \
        hx = word ^ byte ^ sum;                                                                                  \
        cy = sum >> 8;                                                                                           \
        how = Z80_HIGH;                                                                                          \
        NEXT(units);                                                                                             \
    } while (0)
#define WIDE(result, subtracts)                                                                                  \
    do {                                                                                                         \
        word = HL;                                                                                               \
        byte = PAIR(X);                                                                                          \
        wz = word + 1;                                                                                           \
        uint32_t sum = (result);                                                                                 \
        SET(RHL, sum);                                                                                           \
        pv = (word ^ byte ^ sum) >> 8 & 0x1FF;                                                                   \
        xy = cy = sum >> 8;                                                                                      \
        sz = (xy & 0x80) | ((sum & 0xFFFF) != 0);                                                                \
        how = Z80_OWN_XY | (subtracts);                                                                          \
        NEXT(2);                                                                                                 \
    } while (0)

/* ---- blocks: `step` is 1 or -1 */
#define COPY(step)                                                                                               \
    FETCH; GET(HL); STORE(PAIR(RDE), byte); SET(RHL, HL + (uint32_t)(step));                                     \
    SET(RDE, PAIR(RDE) + (uint32_t)(step)); word = (PAIR(RBC) - 1) & 0xFFFF; SET(RBC, word);                     \
    pv = (pv & 3u * Z80_SIGN) | (uint32_t)(word != 0) << 7; hx = 0; byte += A;                                   \
    xy = (byte & 8) | (byte & 2) << 4; how = Z80_OWN_H | Z80_OWN_XY
#define SEEK(step)                                                                                               \
    FETCH; GET(HL); SET(RHL, HL + (uint32_t)(step)); wz += (uint32_t)(step);                                     \
    word = (PAIR(RBC) - 1) & 0xFFFF; SET(RBC, word); sz = (A - byte) & 0xFF; hx = A ^ byte ^ (A - byte);         \
    pv = (uint32_t)(word != 0) << 7; byte = sz - (hx >> 4 & 1); xy = (byte & 8) | (byte & 2) << 4;               \
    how = Z80_OWN_H | Z80_OWN_XY | Z80_N
#define AGAIN(more_to_do) /* the same instruction once more; two bytes long */                                   \
    do {                                                                                                         \
        if (more_to_do) {                                                                                        \
            MORE(5);                                                                                             \
            wz = HERE + 1;                                                                                       \
            GO(op);                                                                                              \
        }                                                                                                        \
        GO(op + 2);                                                                                              \
    } while (0)
#define COUNT_B(with) /* flags of a byte moved to or from a port */                                              \
    word = byte + (with); core->reg[RB]--; sz = core->reg[RB]; how = Z80_OWN_H | (byte >> 6 & Z80_N);            \
    cy = word & 0x100; hx = cy >> 4; pv = (uint32_t)z80_even((word & 7) ^ sz) << 7
#define READ_PORT(port) /* into `byte` */                                                                        \
    do {                                                                                                         \
        if (!kit_in(core, Z80_IO, port, NOW_ENDS, &got)) FAULT(OAK_FAULT_ABSENT, Z80_IO, port);                  \
        byte = got;                                                                                              \
    } while (0)
#define WRITE_PORT(port, value)                                                                                  \
    do {                                                                                                         \
        if (!kit_out(core, Z80_IO, port, (uint8_t)(value), NOW_ENDS)) FAULT(OAK_FAULT_ABSENT, Z80_IO, port);     \
    } while (0)
#define MOVE_IN(step)                                                                                            \
    FETCH; kit->pc = HERE; SAVE;                                                                                 \
    if (core->guard[HL] & (KIT_GUARD_FIXED | KIT_GUARD_ABSENT)) { STORE(HL, 0); }                                \
    READ_PORT(core->reg[RC]); STORE(HL, byte);                                                                   \
    wz = PAIR(RBC) + (uint32_t)(step); SET(RHL, address + (uint32_t)(step));                                     \
    COUNT_B((core->reg[RC] + (uint32_t)(step)) & 0xFF)
#define MOVE_OUT(step)                                                                                           \
    FETCH; kit->pc = HERE; SAVE; GET(HL); WRITE_PORT(core->reg[RC], byte);                                       \
    SET(RHL, address + (uint32_t)(step)); COUNT_B(core->reg[RL]); wz = PAIR(RBC) + (uint32_t)(step)
#define MOVED(more_to_do)                                                                                        \
    do {                                                                                                         \
        if (more_to_do) MORE(5), wz = HERE + 1;                                                                  \
        else op += 2;                                                                                            \
        FINISH;                                                                                                  \
    } while (0)
#define FROM_PORT(port) kit->pc = HERE; SAVE; READ_PORT(port); op += 2
#define TO_PORT(port, value) kit->pc = HERE; SAVE; WRITE_PORT(port, value); op += 2; FINISH
#define RETURN POP_WORD; wz = word; if (core->depth) z80_returned(core, NOW_ENDS); ENTER(ops + word)
#define CALL_IT PUSH_WORD(AT, ENTER(TARGET), GO(TARGET))
#define ON_CONDITION(name, condition)                                                                            \
    ON(Z80_JP_##name): wz = AT; BRANCH_IF(condition, 3);                                                         \
    ON(Z80_CALL_##name): wz = AT >> 16; if (!(condition)) ENTER(op + 3); MORE(7); CALL_IT;                       \
    ON(Z80_RET_##name): if (!(condition)) ENTER(op + 1); MORE(6); RETURN
#define JUMP_NEAR(condition)                                                                                     \
    do {                                                                                                         \
        if (!(condition)) ENTER(op + 2);                                                                         \
        MORE(5);                                                                                                 \
        wz = AT;                                                                                                 \
        ENTER(TARGET);                                                                                           \
    } while (0)

    ON(Z80_LD_R_R): core->reg[X] = core->reg[Y]; NEXT(1);
    ON(Z80_LD_R_N): core->reg[X] = (uint8_t)AT; NEXT(2);
    ON(Z80_LD_R_HL): GET(HL); core->reg[X] = (uint8_t)byte; NEXT(1);
    ON(Z80_LD_HL_R): PUT(HL, core->reg[Y], 1);
    ON(Z80_LD_HL_N): PUT(HL, AT, 2);
    ON(Z80_LD_R_IX): INDEXED; GET(wz); core->reg[X] = (uint8_t)byte; NEXT(3);
    ON(Z80_LD_IX_R): INDEXED; PUT(wz, core->reg[Y], 3);
    ON(Z80_LD_IX_N): INDEXED; PUT(wz, X, 4);
    ON(Z80_LD_A_RP): GET(PAIR(X)); wz = address + 1; A = (uint8_t)byte; NEXT(1);
    ON(Z80_LD_A_MEM): GET(AT); wz = address + 1; A = (uint8_t)byte; NEXT(3);
    ON(Z80_LD_RP_A): wz = ((PAIR(X) + 1) & 0xFF) | (uint32_t)A << 8; PUT(PAIR(X), A, 1);
    ON(Z80_LD_MEM_A): wz = ((AT + 1) & 0xFF) | (uint32_t)A << 8; PUT(AT, A, 3);
    ON(Z80_LD_A_I): FETCH; A = core->i; sz = A; pv = (uint32_t)core->iff2 << 7; how = 0; NEXT(2);
    ON(Z80_LD_A_RF):
        FETCH;
        A = (uint8_t)(((core->refresh + BEGUN + prefixes) & 0x7F) | core->refresh_high);
        sz = A; pv = (uint32_t)core->iff2 << 7; how = 0;
        NEXT(2);
    ON(Z80_LD_I_A): FETCH; core->i = A; NEXT(2);
    ON(Z80_LD_RF_A): FETCH; core->refresh = A - BEGUN - prefixes; core->refresh_high = A & 0x80; NEXT(2);
    ON(Z80_LD_R_XH): FETCH; core->reg[X] = core->reg[Y]; NEXT(2);
    ON(Z80_LD_XH_R): FETCH; core->reg[X] = core->reg[Y]; NEXT(2);
    ON(Z80_LD_IXH_IXH): FETCH; core->reg[X] = core->reg[Y]; NEXT(2);
    ON(Z80_LD_IYH_IYH): FETCH; core->reg[X] = core->reg[Y]; NEXT(2);
    ON(Z80_LD_XH_N): FETCH; core->reg[X] = (uint8_t)AT; NEXT(3);

    ON(Z80_LD_SP_NN): SET(RSP, AT); core->floor = Z80_SPAN; NEXT(3);
    ON(Z80_LD_DD_NN): SET(X, AT); NEXT(3);
    ON(Z80_LD_XY_NN): FETCH; SET(op->to, AT); NEXT(4);
    ON(Z80_LD_HL_MEM): GET_WORD(AT); wz = address + 1; SET(RHL, word); NEXT(3);
    ON(Z80_LD_DD_MEM): FETCH; GET_WORD(AT); wz = address + 1; SET(X, word); if (X == RSP) core->floor = Z80_SPAN; NEXT(4);
    ON(Z80_LD_HL_MEM_LONG): FETCH; GET_WORD(AT); wz = address + 1; SET(RHL, word); NEXT(4);
    ON(Z80_LD_XY_MEM): FETCH; GET_WORD(AT); wz = address + 1; SET(op->to, word); NEXT(4);
    ON(Z80_LD_MEM_HL): wz = AT + 1; STORE(AT, core->reg[RL]); STORE(BEHIND(AT), core->reg[RH]); DONE(3);
    ON(Z80_LD_MEM_DD): FETCH; wz = AT + 1; STORE(AT, core->reg[X]); STORE(BEHIND(AT), core->reg[X + 1]); DONE(4);
    ON(Z80_LD_MEM_HL_LONG): FETCH; wz = AT + 1; STORE(AT, core->reg[RL]); STORE(BEHIND(AT), core->reg[RH]); DONE(4);
    ON(Z80_LD_MEM_XY): FETCH; wz = AT + 1; STORE(AT, core->reg[op->to]); STORE(BEHIND(AT), core->reg[op->to + 1]); DONE(4);
    ON(Z80_LD_SP_HL): SET(RSP, HL); core->floor = Z80_SPAN; NEXT(1);
    ON(Z80_LD_SP_XY): FETCH; SET(RSP, PAIR(op->to)); core->floor = Z80_SPAN; NEXT(2);
    ON(Z80_PUSH): PUSH_WORD(PAIR(X), NEXT(1), DONE(1));
    ON(Z80_PUSH_AF): PUSH_WORD((uint32_t)A << 8 | FLAGS, NEXT(1), DONE(1));
    ON(Z80_PUSH_XY): FETCH; PUSH_WORD(PAIR(op->to), NEXT(2), DONE(2));
    ON(Z80_POP): POP_WORD; SET(X, word); NEXT(1);
    ON(Z80_POP_AF): POP_WORD; A = (uint8_t)(word >> 8); SET_FLAGS(word & 0xFF); NEXT(1);
    ON(Z80_POP_XY): FETCH; POP_WORD; SET(op->to, word); NEXT(2);

    ON(Z80_EX_DE_HL): word = PAIR(RDE); byte = HL; SET(RDE, byte); SET(RHL, word); NEXT(1);
    ON(Z80_EX_AF):
        byte = FLAGS;
        SET_FLAGS(core->reg[ALT_F]);
        core->reg[ALT_F] = (uint8_t)byte;
        byte = A; A = core->reg[ALT_F - 1]; core->reg[ALT_F - 1] = (uint8_t)byte;
        NEXT(1);
    ON(Z80_EXX):
        for (unsigned n = 0; n < 6; n += 2) {
            word = PAIR(n);
            byte = PAIR(ALT_C + n);
            SET(n, byte);
            SET(ALT_C + n, word);
        }
        NEXT(1);
    ON(Z80_EX_SP_HL): GET_WORD(PAIR(RSP)); wz = word; byte = HL; STORE_WORD(byte); SET(RHL, word); DONE(1);
    ON(Z80_EX_SP_XY): FETCH; GET_WORD(PAIR(RSP)); wz = word; byte = PAIR(op->to); STORE_WORD(byte); SET(op->to, word); DONE(2);
    ON(Z80_LDI): COPY(1); DONE(2);
    ON(Z80_LDIR): COPY(1); AGAIN(word);
    ON(Z80_LDD): COPY(-1); DONE(2);
    ON(Z80_LDDR): COPY(-1); AGAIN(word);
    ON(Z80_CPI): SEEK(1); NEXT(2);
    ON(Z80_CPIR): SEEK(1); AGAIN(word && sz);
    ON(Z80_CPD): SEEK(-1); NEXT(2);
    ON(Z80_CPDR): SEEK(-1); AGAIN(word && sz);

    ALU(ADD);
    ALU(ADC);
    ALU(SUB);
    ALU(SBC);
    ALU(AND);
    ALU(XOR);
    ALU(OR);
    ALU(CP);
    COUNT_BY(INC, +, 0);
    COUNT_BY(DEC, -, Z80_N);
    ON(Z80_DAA):
    {
        uint32_t low = A & 15, half = z80_half(how, hx, pv), high = CARRY || A > 0x99;
        uint32_t by = (half || low > 9 ? 6u : 0u) + (high ? 0x60u : 0u);
        sz = (how & Z80_N ? A - by : A + by) & 0xFF;
        A = (uint8_t)sz;
        cy = high << 8;
        half = how & Z80_N ? half && low < 6 : low > 9;
        pv = Z80_PARITY | half << 4;
        how &= Z80_N;
        NEXT(1);
    }
    ON(Z80_CPL): A = (uint8_t)~A; hx = 0x10; xy = A; how = Z80_N | Z80_OWN_H | Z80_OWN_XY; NEXT(1);
    ON(Z80_NEG): FETCH; byte = A; A = 0; DO_SUB; NEXT(2);
    ON(Z80_NEG_COPY): FETCH; byte = A; A = 0; DO_SUB; NEXT(2);
    ON(Z80_CCF): hx = cy >> 4; cy ^= 0x100; xy = A; how = Z80_OWN_H | Z80_OWN_XY; NEXT(1);
    ON(Z80_SCF): hx = 0; cy = 0x100; xy = A; how = Z80_OWN_H | Z80_OWN_XY; NEXT(1);
    ON(Z80_NOP): NEXT(1);
    ON(Z80_HALT): exit = KIT_EXIT_PARKED; goto leave; /* the kit goes round */
    ON(Z80_DI): core->iff1 = core->iff2 = 0; NEXT(1);
    ON(Z80_EI): core->iff1 = core->iff2 = 1; kit->blocked = kit->attention = true; op += 1; FINISH;
    ON(Z80_IM_0): FETCH; core->im = 0; NEXT(2);
    ON(Z80_IM_1): FETCH; core->im = 1; NEXT(2);
    ON(Z80_IM_2): FETCH; core->im = 2; NEXT(2);
    ON(Z80_IM_0_COPY): FETCH; core->im = 0; NEXT(2);
    ON(Z80_IM_01): FETCH; core->im = 0; NEXT(2);
    ON(Z80_IM_01_COPY): FETCH; core->im = 0; NEXT(2);
    ON(Z80_IM_1_COPY): FETCH; core->im = 1; NEXT(2);
    ON(Z80_IM_2_COPY): FETCH; core->im = 2; NEXT(2);
    ON(Z80_PREFIX): kit->blocked = kit->attention = true; op += 1; FINISH;

    ON(Z80_ADD_HL_DD): byte = PAIR(X); ADD_TO(RHL, 1);
    ON(Z80_ADC_HL_DD): FETCH; WIDE(word + byte + CARRY, 0);
    ON(Z80_SBC_HL_DD): FETCH; WIDE(word - byte - CARRY, Z80_N);
    ON(Z80_ADD_XY): FETCH; byte = PAIR(X); ADD_TO(op->to, 2);
    ON(Z80_ADD_IX_IX): FETCH; byte = PAIR(RIX); ADD_TO(RIX, 2);
    ON(Z80_ADD_IY_IY): FETCH; byte = PAIR(RIY); ADD_TO(RIY, 2);
    ON(Z80_INC_DD): SET(X, PAIR(X) + 1); NEXT(1);
    ON(Z80_INC_XY): FETCH; SET(op->to, PAIR(op->to) + 1); NEXT(2);
    ON(Z80_DEC_DD): SET(X, PAIR(X) - 1); NEXT(1);
    ON(Z80_DEC_XY): FETCH; SET(op->to, PAIR(op->to) - 1); NEXT(2);

    ON(Z80_RLCA): ROTATE_A(byte << 1 | byte >> 7, byte << 1);
    ON(Z80_RRCA): ROTATE_A(byte >> 1 | byte << 7, byte << 8);
    ON(Z80_RLA): ROTATE_A(byte << 1 | CARRY, byte << 1);
    ON(Z80_RRA): ROTATE_A(byte >> 1 | CARRY << 7, byte << 8);
    SHIFT(RLC, byte << 1 | byte >> 7, byte << 1);
    SHIFT(RRC, byte >> 1 | byte << 7, byte << 8);
    SHIFT(RL, byte << 1 | CARRY, byte << 1);
    SHIFT(RR, byte >> 1 | CARRY << 7, byte << 8);
    SHIFT(SLA, byte << 1, byte << 1);
    SHIFT(SRA, byte >> 1 | (byte & 0x80), byte << 8);
    SHIFT(SLL, byte << 1 | 1, byte << 1);
    SHIFT(SRL, byte >> 1, byte << 8);
    ON(Z80_RLD):
        FETCH; GET(HL); wz = address + 1; word = A;
        STORE_BACK(byte << 4 | (word & 15));
        A = (uint8_t)((word & 0xF0) | byte >> 4);
        sz = A; pv = Z80_PARITY; how = 0;
        DONE(2);
    ON(Z80_RRD):
        FETCH; GET(HL); wz = address + 1; word = A;
        STORE_BACK(byte >> 4 | word << 4);
        A = (uint8_t)((word & 0xF0) | (byte & 15));
        sz = A; pv = Z80_PARITY; how = 0;
        DONE(2);
    ON(Z80_BIT_R): FETCH; byte = core->reg[Y]; TEST; xy = byte; NEXT(2);
    ON(Z80_BIT_HL): FETCH; GET(HL); TEST; xy = wz >> 8; NEXT(2);
    ON(Z80_BIT_IX): INDEXED; GET(wz); TEST; xy = wz >> 8; NEXT(4);
    ON(Z80_BIT_IX_R): INDEXED; GET(wz); TEST; xy = wz >> 8; NEXT(4);
    CHANGE(RES, byte & ~(uint32_t)X);
    CHANGE(SET, byte | X);

    ON(Z80_JP): wz = AT; ENTER(TARGET);
    ON(Z80_JR): wz = AT; ENTER(TARGET);
    ON_CONDITION(NZ, !ZERO);
    ON_CONDITION(Z, ZERO);
    ON_CONDITION(NC, !CARRY);
    ON_CONDITION(C, CARRY);
    ON_CONDITION(PO, !EVEN);
    ON_CONDITION(PE, EVEN);
    ON_CONDITION(P, !SIGN);
    ON_CONDITION(M, SIGN);
    ON(Z80_JR_NZ): JUMP_NEAR(!ZERO);
    ON(Z80_JR_Z): JUMP_NEAR(ZERO);
    ON(Z80_JR_NC): JUMP_NEAR(!CARRY);
    ON(Z80_JR_C): JUMP_NEAR(CARRY);
    ON(Z80_DJNZ): core->reg[RB]--; JUMP_NEAR(core->reg[RB]);
    ON(Z80_JP_HL): ENTER(ops + HL);
    ON(Z80_JP_XY): FETCH; ENTER(ops + PAIR(op->to));
    ON(Z80_CALL): wz = AT >> 16; CALL_IT;
    ON(Z80_RST): wz = AT >> 16; CALL_IT;
    ON(Z80_RET): RETURN;
    ON(Z80_RETI):
        FETCH; POP_WORD; wz = word;
        core->iff1 = core->iff2;
        core->serving &= (uint8_t)(core->serving - 1);
        if (core->depth) z80_returned(core, NOW_ENDS);
        op = ops + word;
        kit->attention = true;
        FINISH;
    ON(Z80_RETN_COPY):
    ON(Z80_RETN):
        FETCH; POP_WORD; wz = word;
        core->iff1 = core->iff2;
        if (core->depth) z80_returned(core, NOW_ENDS);
        op = ops + word;
        kit->attention = true;
        FINISH;

    ON(Z80_IN_A): FROM_PORT(op->at); wz = ((uint32_t)A << 8 | op[-2].at) + 1; A = (uint8_t)byte; FINISH;
    ON(Z80_IN_R): FETCH; FROM_PORT(core->reg[RC]); wz = PAIR(RBC) + 1; core->reg[op[-2].x] = (uint8_t)byte; sz = byte; pv = Z80_PARITY; how = 0; FINISH;
    ON(Z80_IN_F): FETCH; FROM_PORT(core->reg[RC]); wz = PAIR(RBC) + 1; sz = byte; pv = Z80_PARITY; how = 0; FINISH;
    ON(Z80_OUT_A): wz = ((AT + 1) & 0xFF) | (uint32_t)A << 8; TO_PORT(AT, A);
    ON(Z80_OUT_R): FETCH; wz = PAIR(RBC) + 1; TO_PORT(core->reg[RC], core->reg[Y]);
    ON(Z80_OUT_0): FETCH; wz = PAIR(RBC) + 1; TO_PORT(core->reg[RC], 0);
    ON(Z80_INI): MOVE_IN(1); op += 2; FINISH;
    ON(Z80_INIR): MOVE_IN(1); MOVED(sz);
    ON(Z80_IND): MOVE_IN(-1); op += 2; FINISH;
    ON(Z80_INDR): MOVE_IN(-1); MOVED(sz);
    ON(Z80_OUTI): MOVE_OUT(1); op += 2; FINISH;
    ON(Z80_OTIR): MOVE_OUT(1); MOVED(sz);
    ON(Z80_OUTD): MOVE_OUT(-1); op += 2; FINISH;
    ON(Z80_OTDR): MOVE_OUT(-1); MOVED(sz);

unread_word:
    if (!(core->guard[address] & KIT_GUARD_READS)) address = BEHIND(address);
unread:
    kit_unread(core, address);
    goto faulted;
/* clang-format on */
