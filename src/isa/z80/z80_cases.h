/* z80_cases.h — what each row does, for the loop of the kit. */

/* clang-format off */
#define A              core->reg[RA]
/* Nothing lies where F would: A as a pair is A, and sums of it need no second look at their low bytes. */
#define A_WIDE         PAIR(RA)
#define PAIR(at)       kit_le16(core->reg + (at))
#define SET(at, value) kit_put_le16(core->reg + (at), value)
#define HL             PAIR(RHL)
#define BEHIND(at)     (((at) + 1) & 0xFFFF)
/* Prefixed codes are fetched in two cycles that refresh; these have an index register in `to`. */
#define FETCH   prefixes++
#define INDEXED (FETCH, wz = (PAIR(op->to) + AT) & 0xFFFF)
/* Instructions begun since reset, this one included. */
#define BEGUN ((uint32_t)kit->time.instructions + 1 + (LOOP_ONE ? 0 : (uint32_t)((spent - op->cost) >> 32)))
#define CARRY (cy >> 8 & 1)
#define ZERO  (!(uint8_t)sz)
#define SIGN  (sz & 0x80 || by & Z80_SIGN)
#define EVEN  z80_pv(sz, by)

/* ---- memory: `address` and `byte` or `word` */
#define GET(where)                                                                                               \
    if (core->guard[where] & KIT_GUARD_READS) { address = (where); goto unread; }                                \
    byte = core->mem[where]
/* The guard of the byte behind the last one sends a word that wraps round the long way. */
#define GET_WORD(where)                                                                                          \
    address = (where);                                                                                           \
    if (!(kit_le16(core->guard + address) & (KIT_GUARD_READS | KIT_GUARD_READS << 8)))                           \
        word = kit_le16(core->mem + address);                                                                    \
    else if (!z80_far_word(core, address, &got)) goto unread_word;                                               \
    else word = got
/* What DONE follows. */
#define STORE_BACK(value)                                                                                        \
    if (!core->guard[address]) core->mem[address] = (uint8_t)(value);                                            \
    else if (!kit_store(core, address, (uint8_t)(value))) goto faulted
#define STORE(where, value) address = (where); STORE_BACK(value)
/* Behind a store: what comes next may have been overwritten. */
#define DONE(units)                                                                                              \
    do {                                                                                                         \
        if (kit->attention) LEAVE(units);                                                                        \
        NEXT(units);                                                                                             \
    } while (0)
/* The last thing an instruction does is a store, `plain` where nothing is guarded, `looked` where something is; `rest` follows either. */
#define LAST(guarded, plain, looked, rest, units)                                                                \
    do {                                                                                                         \
        if (guarded) { looked; rest; DONE(units); }                                                              \
        plain; rest; NEXT(units);                                                                                \
    } while (0)
#define PUT(where, value, units)                                                                                 \
    address = (where);                                                                                           \
    LAST(core->guard[address], core->mem[address] = (uint8_t)(value), STORE_BACK(value), (void)0, units)
/* A byte that is read and written, `word` what is written: one look at the guard serves both. */
#define CHANGE_AT(where, value, rest, units)                                                                     \
    address = (where); byte = core->mem[address];                                                                \
    LAST(core->guard[address], word = (value); core->mem[address] = (uint8_t)word,                               \
         if (core->guard[address] & KIT_GUARD_READS) goto unread; word = (value); STORE_BACK(word), rest, units)
/* Two bytes at `address`, the low one first; and the register pair at `at` for the word on top of the stack. */
#define PUT_PAIR(value, rest, units)                                                                             \
    got = (value);                                                                                               \
    LAST(kit_le16(core->guard + address), kit_put_le16(core->mem + address, got),                                \
         STORE_BACK(got); STORE(BEHIND(address), got >> 8), rest, units)
#define PUT_WORD(where, value, units) address = (where); PUT_PAIR(value, (void)0, units)
#define CHANGE_TOP(at, units) GET_WORD(PAIR(RSP)); wz = word; PUT_PAIR(PAIR(at), SET(at, word), units)
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
        if (sp >= core->stack.floor && !kit_le16(core->guard + sp)) {                                                  \
            kit_put_le16(core->mem + sp, pushed);                                                                \
            SET(RSP, sp);                                                                                        \
            then;                                                                                                \
        }                                                                                                        \
        kit->pc = HERE;                                                                                          \
        if (!kit_push(core, &core->objects, &core->stack, PAIR(RSP), pushed, NOW_ENDS)) goto faulted;                                                     \
        SET(RSP, sp);                                                                                            \
        late;                                                                                                    \
    } while (0)
#define POP_WORD /* into `word` */                                                                               \
    address = PAIR(RSP);                                                                                         \
    if (!(kit_le16(core->guard + address) &                                                                      \
          (KIT_GUARD_READS | KIT_GUARD_FIXED | KIT_GUARD_READS << 8)))                                           \
        word = kit_le16(core->mem + address);                                                                    \
    else {                                                                                                       \
        if (core->guard[address] & (KIT_GUARD_READS | KIT_GUARD_FIXED) && kit_underflows(core, address)) goto faulted; \
        GET_WORD(address);                                                                                       \
    }                                                                                                            \
    SET(RSP, address + 2)
/* F is in xy from here on. */
#define SET_FLAGS(value) (xy = (value), by = z80_by_of[(uint8_t)xy], sz = by >> 24, by &= 0xFFFF, cy = xy << 8)
#define PUT_FLAGS                                                                                                \
    if (!(by & Z80_PLAIN)) SET_FLAGS(z80_flags_of(&(z80_flags){sz, by, cy, hx, xy}))

/* ---- arithmetic */
#define SUM(carried)                                                                                             \
    do {                                                                                                         \
        uint32_t left = A_WIDE, right = byte;                                                                    \
        sz = cy = left + right + (carried);                                                                      \
        by = left ^ right;                                                                                       \
        A = (uint8_t)sz;                                                                                         \
    } while (0)
#define DIFFERENCE(carried)                                                                                      \
    do {                                                                                                         \
        uint32_t left = A_WIDE, right = byte;                                                                    \
        sz = cy = left - right - (carried);                                                                      \
        by = (left ^ right) | Z80_N;                                                                             \
    } while (0)
#define LOGIC(operator, half) (sz = A operator byte, A = (uint8_t)sz, by = Z80_PARITY | (half), cy = 0)
#define DO_ADD                SUM(0)
#define DO_ADC                SUM(CARRY)
#define DO_SUB DIFFERENCE(0); A = (uint8_t)sz
#define DO_SBC DIFFERENCE(CARRY); A = (uint8_t)sz
#define DO_AND LOGIC(&, 0x10)
#define DO_XOR LOGIC(^, 0)
#define DO_OR  LOGIC(|, 0)
#define DO_CP DIFFERENCE(0); xy = byte; by |= Z80_OWN_XY
#define ALU(name)                                                                                                \
    ON(Z80_##name##_R): byte = core->reg[Y]; DO_##name; NEXT(1);                                                 \
    ON(Z80_##name##_N): byte = AT; DO_##name; NEXT(2);                                                           \
    ON(Z80_##name##_HL): GET(HL); DO_##name; NEXT(1);                                                            \
    ON(Z80_##name##_IX): INDEXED; GET(wz); DO_##name; NEXT(3);                                                   \
    ON(Z80_##name##_XH): FETCH; byte = core->reg[Y]; DO_##name; NEXT(2)
#define STEP(with, subtracts) (sz = word, by = byte | (subtracts))
#define COUNT_BY(name, with, subtracts)                                                                          \
    ON(Z80_##name##_R): byte = core->reg[X]; word = byte with 1; STEP(with, subtracts); core->reg[X] = (uint8_t)sz; NEXT(1);         \
    ON(Z80_##name##_HL): CHANGE_AT(HL, byte with 1, STEP(with, subtracts), 1);                                   \
    ON(Z80_##name##_IX): INDEXED; CHANGE_AT(wz, byte with 1, STEP(with, subtracts), 3);                          \
    ON(Z80_##name##_XH): FETCH; byte = core->reg[X]; word = byte with 1; STEP(with, subtracts); core->reg[X] = (uint8_t)sz;          \
    NEXT(2)
#define SHIFTED(carry) (cy = (carry), sz = word, by = Z80_PARITY)
/* `word` is what comes out of `byte`, `carry` what falls out, in bit 8. */
#define SHIFT(name, out, carry)                                                                                  \
    ON(Z80_##name##_R): FETCH; byte = core->reg[X]; word = (out); SHIFTED(carry);                                \
    core->reg[X] = (uint8_t)sz; NEXT(2);                                                                         \
    ON(Z80_##name##_HL): FETCH; CHANGE_AT(HL, out, SHIFTED(carry), 2);                                           \
    ON(Z80_##name##_IX): INDEXED; CHANGE_AT(wz, out, SHIFTED(carry), 4);                                         \
    ON(Z80_##name##_IX_R): INDEXED; CHANGE_AT(wz, out, (SHIFTED(carry), core->reg[X] = (uint8_t)word), 4)
#define BY(more) (by = (by & Z80_KEPT) | Z80_OWN_H | Z80_OWN_XY | (more)) /* S, Z and P/V stay */
#define ROTATE_A(out, carry)                                                                                     \
    byte = A; word = (out); cy = (carry); A = (uint8_t)word; hx = 0; xy = word; BY(0); NEXT(1)
#define DIGIT(low) (wz = address + 1, sz = (A & 0xF0u) | (low), A = (uint8_t)sz, by = Z80_PARITY)
#define TEST (sz = byte & X, by = Z80_PARITY | Z80_OWN_XY | 0x10)
#define CHANGE(name, out)                                                                                        \
    ON(Z80_##name##_R): FETCH; byte = core->reg[Y]; core->reg[Y] = (uint8_t)(out); NEXT(2);                      \
    ON(Z80_##name##_HL): FETCH; CHANGE_AT(HL, out, (void)0, 2);                                                  \
    ON(Z80_##name##_IX): INDEXED; CHANGE_AT(wz, out, (void)0, 4);                                                \
    ON(Z80_##name##_IX_R): INDEXED; CHANGE_AT(wz, out, core->reg[Y] = (uint8_t)word, 4)
/* Sixteen bits: `word` is added to, `byte` the other one. */
#define ADD_TO(at, units)                                                                                        \
    do {                                                                                                         \
        word = PAIR(at);                                                                                         \
        wz = word + 1;                                                                                           \
        uint32_t sum = word + byte;                                                                              \
        SET(at, sum);                                                                                            \
        hx = word ^ byte ^ sum;                                                                                  \
        cy = sum >> 8;                                                                                           \
        by = (by & Z80_KEPT) | Z80_HIGH;                                                                                          \
        NEXT(units);                                                                                             \
    } while (0)
#define WIDE(result, subtracts)                                                                                  \
    do {                                                                                                         \
        word = HL;                                                                                               \
        byte = PAIR(X);                                                                                          \
        wz = word + 1;                                                                                           \
        uint32_t sum = (result);                                                                                 \
        SET(RHL, sum);                                                                                           \
        by = (word ^ byte) >> 8 | (subtracts);                                                                   \
        cy = sum >> 8;                                                                                           \
        sz = cy | ((sum & 0xFF) != 0);                                                                           \
        NEXT(2);                                                                                                 \
    } while (0)

/* ---- blocks: `step` is 1 or -1 */
#define COPY(step, then, late)                                                                                   \
    do {                                                                                                         \
        FETCH; GET(HL); address = PAIR(RDE);                                                                     \
        uint32_t looked = core->guard[address];                                                                  \
        STORE_BACK(byte); SET(RHL, HL + (uint32_t)(step)); SET(RDE, address + (uint32_t)(step));                 \
        word = (PAIR(RBC) - 1) & 0xFFFF; SET(RBC, word); hx = 0; byte += A; xy = (byte & 8) | (byte & 2) << 4;   \
        by = (by & Z80_SIGN) | Z80_OWN_H | Z80_OWN_XY | ((sz & 0x180) ^ (word ? 0x80 : 0));                      \
        if (looked) late;                                                                                        \
        then;                                                                                                    \
    } while (0)
#define SEEK(step)                                                                                               \
    FETCH; GET(HL); SET(RHL, HL + (uint32_t)(step)); wz += (uint32_t)(step);                                     \
    word = (PAIR(RBC) - 1) & 0xFFFF; SET(RBC, word); sz = (A - byte) & 0xFF; hx = A ^ byte ^ (A - byte);         \
    by = (sz ^ (uint32_t)(word != 0) << 7) | Z80_OWN_H | Z80_OWN_XY | Z80_N;                                     \
    byte = sz - (hx >> 4 & 1); xy = (byte & 8) | (byte & 2) << 4
/* All but the last of what repeats in one go, where nobody looks at each instruction and none overwrites code; `look` says whether one can
 * be done, `it` does it. What is left is done one by one. */
#define TOGETHER(name, step, look, it)                                                                           \
    if (!LOOP_ONE && !LOOP_JUDGED && op->handler == KIT_FIRST_ROW + Z80_##name) {                                \
        uint32_t at = HL, to = PAIR(RDE), most = (PAIR(RBC) - 1) & 0xFFFF, left = most;                          \
        const uint64_t each = op->cost + 5;                                                                      \
        for (; left && (look) && (uint32_t)(spent + each) <= limit; left--, spent += each)                       \
            it, at = (at + (uint32_t)(step)) & 0xFFFF;                                                           \
        if (left != most) wz = HERE + 1;                                                                         \
        prefixes += most - left; COUNT(most - left); COUNT_MORE(5 * (most - left));                              \
        SET(RHL, at); SET(RDE, to); SET(RBC, left + 1);                                                          \
    }
#define COPY_ON(step, name)                                                                                      \
    TOGETHER(name, step, !(core->guard[at] & KIT_GUARD_READS) && !core->guard[to],                               \
             (core->mem[to] = core->mem[at], to = (to + (uint32_t)(step)) & 0xFFFF))
#define SEEK_ON(step, name) TOGETHER(name, step, !(core->guard[at] & KIT_GUARD_READS) && core->mem[at] != A, (void)0)
#define AGAIN(more_to_do, go) /* the same instruction once more; two bytes long */                               \
    do {                                                                                                         \
        if (more_to_do) { MORE(5); wz = HERE + 1; go(op); }                                                      \
        go(op + 2);                                                                                              \
    } while (0)
#define COUNT_B(with) /* flags of a byte moved to or from a port */                                              \
    word = byte + (with); core->reg[RB]--; sz = core->reg[RB]; cy = word & 0x100; hx = cy >> 4;                  \
    by = (sz ^ (uint32_t)z80_even((word & 7) ^ sz) << 7) | Z80_OWN_H | (byte & 0x80 ? Z80_N : 0)
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
    SET(RHL, HL + (uint32_t)(step)); COUNT_B(core->reg[RL]); wz = PAIR(RBC) + (uint32_t)(step)
#define MOVED(more_to_do)                                                                                        \
    do {                                                                                                         \
        if (more_to_do) MORE(5), wz = HERE + 1;                                                                  \
        else op += 2;                                                                                            \
        FINISH;                                                                                                  \
    } while (0)
#define FROM_PORT(port) kit->pc = HERE; SAVE; READ_PORT(port); op += 2
#define TO_PORT(port, value) kit->pc = HERE; SAVE; WRITE_PORT(port, value); op += 2; FINISH
#define QUIET     (!core->line && !core->nmi && QUIET_AT(op))
#define HOLD_BACK op += 1; if (QUIET) ENTER(op); kit->blocked = kit->attention = true; FINISH
#define RETURN POP_WORD; wz = word; if (core->stack.depth) kit_returned(core, &core->stack, PAIR(RSP) - 2, NOW_ENDS); ENTER(ops + word)
#define GO_BACK(first) /* from an interrupt */                                                                   \
    FETCH; POP_WORD; wz = word; first; core->iff1 = core->iff2; if (core->stack.depth) kit_returned(core, &core->stack, PAIR(RSP) - 2, NOW_ENDS);   \
    op = ops + word; if (QUIET) ENTER(op); kit->attention = true; FINISH
#define CALL_IT PUSH_WORD(kit_le16(&op->x), ENTER(TARGET), GO(TARGET))
#define ON_CONDITION(name, condition)                                                                            \
    ON(Z80_JP_##name): wz = AT; BRANCH_IF(condition, 3);                                                         \
    ON(Z80_CALL_##name): wz = AT; if (!(condition)) ENTER(op + 3); MORE(7); CALL_IT;                       \
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
    ON(Z80_LD_A_RP): GET(PAIR(X)); wz = PAIR(X) + 1; A = (uint8_t)byte; NEXT(1);
    ON(Z80_LD_A_MEM): GET(AT); wz = AT + 1; A = (uint8_t)byte; NEXT(3);
    ON(Z80_LD_RP_A): wz = ((PAIR(X) + 1) & 0xFF) | (uint32_t)A << 8; PUT(PAIR(X), A, 1);
    ON(Z80_LD_MEM_A): wz = ((AT + 1) & 0xFF) | (uint32_t)A << 8; PUT(AT, A, 3);
    ON(Z80_LD_A_I): FETCH; A = core->i; sz = A; by = sz ^ (uint32_t)core->iff2 << 7; NEXT(2);
    ON(Z80_LD_A_RF):
        FETCH;
        A = (uint8_t)(((core->refresh + BEGUN + prefixes) & 0x7F) | core->refresh_high);
        sz = A; by = sz ^ (uint32_t)core->iff2 << 7;
        NEXT(2);
    ON(Z80_LD_I_A): FETCH; core->i = A; NEXT(2);
    ON(Z80_LD_RF_A): FETCH; core->refresh = A - BEGUN - prefixes; core->refresh_high = A & 0x80; NEXT(2);
    ON(Z80_LD_R_XH): FETCH; core->reg[X] = core->reg[Y]; NEXT(2);
    ON(Z80_LD_XH_R): FETCH; core->reg[X] = core->reg[Y]; NEXT(2);
    ON(Z80_LD_IXH_IXH): FETCH; core->reg[X] = core->reg[Y]; NEXT(2);
    ON(Z80_LD_IYH_IYH): FETCH; core->reg[X] = core->reg[Y]; NEXT(2);
    ON(Z80_LD_XH_N): FETCH; core->reg[X] = (uint8_t)AT; NEXT(3);

    ON(Z80_LD_SP_NN): SET(RSP, AT); core->stack.floor = kit_known_floor(&core->objects, PAIR(RSP)); NEXT(3);
    ON(Z80_LD_DD_NN): SET(X, AT); NEXT(3);
    ON(Z80_LD_XY_NN): FETCH; SET(op->to, AT); NEXT(4);
    ON(Z80_LD_HL_MEM): GET_WORD(AT); wz = address + 1; SET(RHL, word); NEXT(3);
    ON(Z80_LD_DD_MEM): FETCH; GET_WORD(AT); wz = address + 1; SET(X, word); if (X == RSP) core->stack.floor = kit_known_floor(&core->objects, PAIR(RSP)); NEXT(4);
    ON(Z80_LD_HL_MEM_LONG): FETCH; GET_WORD(AT); wz = address + 1; SET(RHL, word); NEXT(4);
    ON(Z80_LD_XY_MEM): FETCH; GET_WORD(AT); wz = address + 1; SET(op->to, word); NEXT(4);
    ON(Z80_LD_MEM_HL): wz = AT + 1; PUT_WORD(AT, HL, 3);
    ON(Z80_LD_MEM_DD): FETCH; wz = AT + 1; PUT_WORD(AT, PAIR(X), 4);
    ON(Z80_LD_MEM_HL_LONG): FETCH; wz = AT + 1; PUT_WORD(AT, HL, 4);
    ON(Z80_LD_MEM_XY): FETCH; wz = AT + 1; PUT_WORD(AT, PAIR(op->to), 4);
    ON(Z80_LD_SP_HL): SET(RSP, HL); core->stack.floor = kit_known_floor(&core->objects, PAIR(RSP)); NEXT(1);
    ON(Z80_LD_SP_XY): FETCH; SET(RSP, PAIR(op->to)); core->stack.floor = kit_known_floor(&core->objects, PAIR(RSP)); NEXT(2);
    ON(Z80_PUSH): PUSH_WORD(PAIR(X), NEXT(1), DONE(1));
    ON(Z80_PUSH_AF): PUT_FLAGS; PUSH_WORD((uint32_t)A << 8 | (uint8_t)xy, NEXT(1), DONE(1));
    ON(Z80_PUSH_XY): FETCH; PUSH_WORD(PAIR(op->to), NEXT(2), DONE(2));
    ON(Z80_POP): POP_WORD; SET(X, word); NEXT(1);
    ON(Z80_POP_AF): POP_WORD; A = (uint8_t)(word >> 8); SET_FLAGS(word); NEXT(1);
    ON(Z80_POP_XY): FETCH; POP_WORD; SET(op->to, word); NEXT(2);

    ON(Z80_EX_DE_HL): word = PAIR(RDE); byte = HL; SET(RDE, byte); SET(RHL, word); NEXT(1);
    ON(Z80_EX_AF):
        PUT_FLAGS;
        byte = (uint32_t)A | (xy & 0xFF) << 8;
        word = PAIR(ALT_F - 1);
        SET(ALT_F - 1, byte);
        A = (uint8_t)word;
        SET_FLAGS(word >> 8);
        NEXT(1);
    ON(Z80_EXX):
        for (unsigned n = 0; n < 6; n += 2) {
            word = PAIR(n);
            byte = PAIR(ALT_C + n);
            SET(n, byte);
            SET(ALT_C + n, word);
        }
        NEXT(1);
    ON(Z80_EX_SP_HL): CHANGE_TOP(RHL, 1);
    ON(Z80_EX_SP_XY): FETCH; CHANGE_TOP(op->to, 2);
    ON(Z80_LDI): COPY(1, NEXT(2), DONE(2));
    ON(Z80_LDIR): COPY_ON(1, LDIR); COPY(1, AGAIN(word, ENTER), AGAIN(word, GO));
    ON(Z80_LDD): COPY(-1, NEXT(2), DONE(2));
    ON(Z80_LDDR): COPY_ON(-1, LDDR); COPY(-1, AGAIN(word, ENTER), AGAIN(word, GO));
    ON(Z80_CPI): SEEK(1); NEXT(2);
    ON(Z80_CPIR): SEEK_ON(1, CPIR); SEEK(1); AGAIN(word && sz, ENTER);
    ON(Z80_CPD): SEEK(-1); NEXT(2);
    ON(Z80_CPDR): SEEK_ON(-1, CPDR); SEEK(-1); AGAIN(word && sz, ENTER);

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
        /* bit 4: six is added to the low digit, bit 8: to the high one */
        uint32_t half = by & Z80_PARITY ? by : by ^ sz, was = A;
        if (by & (Z80_HIGH | Z80_OWN_H)) half = z80_half(sz, by, hx);
        cy = ((half | ((was & 15) + 6)) & 0x10) | ((cy | (was + 0x66)) & 0x100);
        byte = cy >> 2 | cy >> 3;
        sz = by & Z80_N ? was - byte : was + byte;
        A = (uint8_t)sz;
        by = Z80_PARITY | ((was ^ byte ^ sz) & 0x10) | (by & Z80_N);
        NEXT(1);
    }
    ON(Z80_CPL): A = (uint8_t)~A; hx = 0x10; xy = A; BY(Z80_N); NEXT(1);
    ON(Z80_NEG): FETCH; byte = A; A = 0; DO_SUB; NEXT(2);
    ON(Z80_NEG_COPY): FETCH; byte = A; A = 0; DO_SUB; NEXT(2);
    ON(Z80_CCF): hx = cy >> 4; cy ^= 0x100; xy = A; BY(0); NEXT(1);
    ON(Z80_SCF): hx = 0; cy = 0x100; xy = A; BY(0); NEXT(1);
    ON(Z80_NOP): NEXT(1);
    ON(Z80_HALT): exit = KIT_EXIT_PARKED; goto leave; /* the kit goes round */
    ON(Z80_DI): core->iff1 = core->iff2 = 0; NEXT(1);
    ON(Z80_EI): core->iff1 = core->iff2 = 1; HOLD_BACK;
    ON(Z80_IM_0): FETCH; core->im = 0; NEXT(2);
    ON(Z80_IM_1): FETCH; core->im = 1; NEXT(2);
    ON(Z80_IM_2): FETCH; core->im = 2; NEXT(2);
    ON(Z80_IM_0_COPY): FETCH; core->im = 0; NEXT(2);
    ON(Z80_IM_01): FETCH; core->im = 0; NEXT(2);
    ON(Z80_IM_01_COPY): FETCH; core->im = 0; NEXT(2);
    ON(Z80_IM_1_COPY): FETCH; core->im = 1; NEXT(2);
    ON(Z80_IM_2_COPY): FETCH; core->im = 2; NEXT(2);
    ON(Z80_PREFIX): HOLD_BACK;

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

    ON(Z80_RLCA): ROTATE_A((byte << 8 | byte) >> 7, word);
    ON(Z80_RRCA): ROTATE_A((byte << 8 | byte) >> 1, byte << 8);
    ON(Z80_RLA): ROTATE_A(byte << 1 | CARRY, word);
    ON(Z80_RRA): ROTATE_A((byte | (cy & 0x100)) >> 1, byte << 8);
    SHIFT(RLC, (byte << 8 | byte) >> 7, word);
    SHIFT(RRC, (byte << 8 | byte) >> 1, byte << 8);
    SHIFT(RL, byte << 1 | CARRY, word);
    SHIFT(RR, (byte | (cy & 0x100)) >> 1, byte << 8);
    SHIFT(SLA, byte << 1, word);
    SHIFT(SRA, byte >> 1 | (byte & 0x80), byte << 8);
    SHIFT(SLL, byte << 1 | 1, word);
    SHIFT(SRL, byte >> 1, byte << 8);
    ON(Z80_RLD): FETCH; CHANGE_AT(HL, byte << 4 | (A & 15u), DIGIT(byte >> 4), 2);
    ON(Z80_RRD): FETCH; CHANGE_AT(HL, byte >> 4 | (uint32_t)A << 4, DIGIT(byte & 15), 2);
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
    ON(Z80_CALL): wz = AT; CALL_IT;
    ON(Z80_RST): wz = AT; CALL_IT;
    ON(Z80_RET): RETURN;
    ON(Z80_RETI): GO_BACK(core->serving &= (uint8_t)(core->serving - 1));
    ON(Z80_RETN_COPY):
    ON(Z80_RETN): GO_BACK((void)0);

    ON(Z80_IN_A): FROM_PORT(op->at); wz = ((uint32_t)A << 8 | op[-2].at) + 1; A = (uint8_t)byte; FINISH;
    ON(Z80_IN_R): FETCH; FROM_PORT(core->reg[RC]); wz = PAIR(RBC) + 1; core->reg[op[-2].x] = (uint8_t)byte; sz = byte; by = Z80_PARITY; FINISH;
    ON(Z80_IN_F): FETCH; FROM_PORT(core->reg[RC]); wz = PAIR(RBC) + 1; sz = byte; by = Z80_PARITY; FINISH;
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
