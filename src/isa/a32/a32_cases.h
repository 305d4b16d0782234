/* a32_cases.h — what hot instructions do, for kit/loop.h. X, Y are registers, AT a constant, or a register and how it is shifted. Flags live in the
 * locals nz, ca and cb. */
/* clang-format off */
#define RX(n)  core->r[n]
#define CARRY  (ca >= cb)
#define SET_CV(c, v) { const uint32_t *pair = a32_pairs[(c) | (v) << 1]; ca = pair[0], cb = pair[1]; }
#define SHIFTED_BY (AT >> 8)
#define ONE_CASE(name, ...) CASE(A32_DO_##name): __VA_ARGS__ NEXT(1);
/* Without flags: with a constant, a register, one that is shifted. */
#define DATA_1(name, second, value) ONE_CASE(name, { uint32_t a = RX(Y), b = second; (void)a; RX(X) = value; })
#define DATA(name, value) DATA_1(name##_I, AT, value) DATA_1(name##_R, RX(AT), value) DATA_1(name##_LSL, RX((uint8_t)AT) << SHIFTED_BY, value) \
    DATA_1(name##_LSR, RX((uint8_t)AT) >> SHIFTED_BY, value) DATA_1(name##_ASR, (uint32_t)((int32_t)RX((uint8_t)AT) >> SHIFTED_BY), value) \
    DATA_1(name##_ROR, oak_rotated_right(RX((uint8_t)AT), SHIFTED_BY), value)
DATA(AND, a & b) DATA(EOR, a ^ b) DATA(SUB, a - b) DATA(RSB, b - a) DATA(ADD, a + b) DATA(ADC, a + b + CARRY) DATA(SBC, a - b - !CARRY)
DATA(RSC, b - a - !CARRY) DATA(ORR, a | b) DATA(BIC, a & ~b)
/* With flags. */
#define KEEP(value) { uint32_t r = value; nz = (int32_t)r; RX(X) = r; }
#define TEST(value) nz = (int32_t)(value);
#define FLAGS(name, ...) ONE_CASE(name##_I, { uint32_t a = RX(Y), b = AT; __VA_ARGS__ }) ONE_CASE(name##_R, { uint32_t a = RX(Y), b = RX(AT); __VA_ARGS__ })
#define LESS(a, b) ca = (a); cb = (b);
#define MORE_OF(sum) uint64_t wide = sum; uint32_t low = (uint32_t)wide; SET_CV((uint32_t)(wide >> 32), ((a ^ low) & (b ^ low)) >> 31)
FLAGS(SUBS, LESS(a, b) KEEP(a - b)) FLAGS(RSBS, LESS(b, a) KEEP(b - a)) FLAGS(CMP, LESS(a, b) TEST(a - b)) FLAGS(CMN, MORE_OF((uint64_t)a + b) TEST(low))
FLAGS(ADDS, MORE_OF((uint64_t)a + b) KEEP(low)) FLAGS(ADCS, MORE_OF((uint64_t)a + b + CARRY) KEEP(low))
FLAGS(SBCS, b = ~b; MORE_OF((uint64_t)a + b + CARRY) KEEP(low))
FLAGS(ANDS, KEEP(a & b)) FLAGS(EORS, KEEP(a ^ b)) FLAGS(ORRS, KEEP(a | b)) FLAGS(BICS, KEEP(a & ~b)) FLAGS(TST, TEST(a & b)) FLAGS(TEQ, TEST(a ^ b))
#define LONE(name, ...) ONE_CASE(name##_I, { uint32_t b = AT; __VA_ARGS__ }) ONE_CASE(name##_R, { uint32_t b = RX(AT); __VA_ARGS__ })
LONE(MOV, RX(X) = b;) LONE(MVN, RX(X) = ~b;) LONE(MOVS, KEEP(b)) LONE(MVNS, KEEP(~b))
#define SHIFT(name, value, out) ONE_CASE(MOV_##name, { uint32_t b = RX((uint8_t)AT), by = SHIFTED_BY; RX(X) = value; }) \
    ONE_CASE(MOVS_##name, { uint32_t b = RX((uint8_t)AT), by = SHIFTED_BY, c = out, v = a32_v(ca, cb); KEEP(value) SET_CV(c, v) })
SHIFT(LSL, b << by, b >> (32 - by) & 1) SHIFT(LSR, b >> by, b >> (by - 1) & 1) SHIFT(ASR, (uint32_t)((int32_t)b >> by), b >> (by - 1) & 1)
ONE_CASE(ROR, RX(X) = oak_rotated_right(RX((uint8_t)AT), SHIFTED_BY);)
#define BY_BYTE (RX(AT) & 0xFF)
ONE_CASE(LSL_BY, { uint32_t by = BY_BYTE; RX(X) = by < 32 ? RX(Y) << by : 0; }) ONE_CASE(LSR_BY, { uint32_t by = BY_BYTE; RX(X) = by < 32 ? RX(Y) >> by : 0; })
ONE_CASE(ASR_BY, { uint32_t by = BY_BYTE; RX(X) = (uint32_t)((int32_t)RX(Y) >> (by < 32 ? by : 31)); })
/* Products: AT holds two more registers. */
#define N_ RX((uint8_t)AT)
#define M_ RX(AT >> 8)
ONE_CASE(MUL, RX(X) = N_ * M_;) ONE_CASE(MLA, RX(X) = RX(Y) + N_ * M_;) ONE_CASE(MLS, RX(X) = RX(Y) - N_ * M_;)
#define PRODUCT(name, value) ONE_CASE(name, { uint64_t all = value; RX(Y) = (uint32_t)all; RX(X) = (uint32_t)(all >> 32); })
#define BOTH_HALVES ((uint64_t)RX(X) << 32 | RX(Y))
#define WITH_SIGNS (uint64_t)((int64_t)(int32_t)N_ * (int32_t)M_)
PRODUCT(UMULL, (uint64_t)N_ * M_) PRODUCT(SMULL, WITH_SIGNS) PRODUCT(UMLAL, BOTH_HALVES + (uint64_t)N_ * M_) PRODUCT(SMLAL, BOTH_HALVES + WITH_SIGNS) PRODUCT(UMAAL, (uint64_t)N_ * M_ + RX(X) + RX(Y))
    CASE(A32_DO_UDIV): { uint32_t by = M_; RX(X) = by ? N_ / by : 0; MORE(arm_quotient_cycles(RX(X))); ENTER(op + 1); }
    CASE(A32_DO_SDIV): { uint32_t by = M_, of = N_; RX(X) = !by ? 0 : by == UINT32_MAX ? 0 - of : (uint32_t)((int32_t)of / (int32_t)by);
    MORE(arm_quotient_cycles((int32_t)RX(X) < 0 ? 0 - RX(X) : RX(X))); ENTER(op + 1); }
ONE_CASE(MOVT, RX(X) = (RX(X) & 0xFFFF) | AT;) ONE_CASE(UXTB, RX(X) = (uint8_t)RX(AT);) ONE_CASE(UXTH, RX(X) = (uint16_t)RX(AT);)
ONE_CASE(SXTB, RX(X) = (uint32_t)(int8_t)RX(AT);) ONE_CASE(SXTH, RX(X) = (uint32_t)(int16_t)RX(AT);) ONE_CASE(REV, RX(X) = oak_reversed_bytes(RX(AT));)
ONE_CASE(CLZ, RX(X) = 32 - oak_bit_width(RX(AT));)
ONE_CASE(UBFX, RX(X) = RX(Y) << (uint8_t)AT >> (AT >> 8);) ONE_CASE(SBFX, RX(X) = (uint32_t)((int32_t)(RX(Y) << (uint8_t)AT) >> (AT >> 8));)
ONE_CASE(NOTHING, (void)0;)
    CASE(A32_DO_COMPUTE): SAVE; a32_compute(core, kit->row[SLOT] - KIT_FIRST_ROW, AT); LOAD; NEXT(1);

/* Memory: offsets lead into the window of RAM; what is no plain RAM or code goes the long way, where time is exact. */
#define TAKE(type, width)                                                                                         \
    type value;                                                                                                  \
    const uint8_t *lies = core->load.bytes;                                                                      \
    if (KIT_RARELY(at >= core->load.last)) {                                                                      \
        at += core->code_behind, lies = core->code.bytes;                                                        \
        if (at >= core->code.last) goto reach;                                                                   \
    }                                                                                                            \
    memcpy(&value, lies + at, width);
#define PUT(type, width)                                                                                          \
    type value = (type)RX(X), guards = 0;                                                                        \
    if (KIT_RARELY(at >= core->store.last || (memcpy(&guards, core->store.guard + at, width), guards))) goto reach; \
    memcpy(core->store.bytes + at, &value, width);
#define BASE core->store.base
/* Any index, in front or behind: AT holds the bits of the code. */
#define ANY_INDEX uint32_t y = Y, how = AT, old = RX(y), to = old + index_by(core, how, CARRY), before = how >> 24 & 1, at = (before ? to : old) - BASE; \
    bool moves = !before || how >> 21 & 1
#define LOADS(name, type, width)                                                                                  \
    ONE_CASE(name##_I, { uint32_t at = RX(Y) + AT; TAKE(type, width) RX(X) = (uint32_t)value; })                 \
    ONE_CASE(name##_PRE, { uint32_t to = RX(Y) + AT, at = to - BASE; TAKE(type, width) RX(Y) = to; RX(X) = (uint32_t)value; })  \
    ONE_CASE(name##_POST, { uint32_t to = RX(Y), at = to - BASE; TAKE(type, width) RX(Y) = to + AT; RX(X) = (uint32_t)value; }) \
    ONE_CASE(name##_R, { uint32_t at = RX(Y) + (RX((uint8_t)AT) << (AT >> 8)) - BASE; TAKE(type, width) RX(X) = (uint32_t)value; }) \
    ONE_CASE(name##_X, { uint32_t at = RX(Y) + RX(AT) - BASE; TAKE(type, width) RX(X) = (uint32_t)value; })       \
    ONE_CASE(name##_X_PRE, { uint32_t to = RX(Y) + RX(AT), at = to - BASE; TAKE(type, width) RX(Y) = to; RX(X) = (uint32_t)value; }) \
    ONE_CASE(name##_X_POST, { uint32_t to = RX(Y), at = to - BASE, by = RX(AT); TAKE(type, width) RX(Y) = to + by; RX(X) = (uint32_t)value; }) \
    ONE_CASE(name##_G, { ANY_INDEX; TAKE(type, width) if (moves) RX(y) = to; RX(X) = (uint32_t)value; })
#define STORES(name, type, width)                                                                                 \
    ONE_CASE(name##_I, { uint32_t at = RX(Y) + AT; PUT(type, width) })                                           \
    ONE_CASE(name##_PRE, { uint32_t y = Y, to = RX(y) + AT, at = to - BASE; PUT(type, width) RX(y) = to; })       \
    ONE_CASE(name##_POST, { uint32_t y = Y, to = RX(y), at = to - BASE, by = AT; PUT(type, width) RX(y) = to + by; }) \
    ONE_CASE(name##_R, { uint32_t at = RX(Y) + (RX((uint8_t)AT) << (AT >> 8)) - BASE; PUT(type, width) })         \
    ONE_CASE(name##_X, { uint32_t at = RX(Y) + RX(AT) - BASE; PUT(type, width) })                                 \
    ONE_CASE(name##_X_PRE, { uint32_t y = Y, to = RX(y) + RX(AT), at = to - BASE; PUT(type, width) RX(y) = to; }) \
    ONE_CASE(name##_X_POST, { uint32_t y = Y, to = RX(y), at = to - BASE, by = RX(AT); PUT(type, width) RX(y) = to + by; }) \
    ONE_CASE(name##_G, { ANY_INDEX; PUT(type, width) if (moves) RX(y) = to; })
LOADS(LDR, uint32_t, 4) LOADS(LDRB, uint8_t, 1) LOADS(LDRH, uint16_t, 2) LOADS(LDRSB, int8_t, 1) LOADS(LDRSH, int16_t, 2)
STORES(STR, uint32_t, 4) STORES(STRB, uint8_t, 1) STORES(STRH, uint16_t, 2)
/* Two words. */
#define PAIR(window) uint32_t at = RX(Y) + AT, behind = at + 4; \
    if (KIT_RARELY(at & 3 || at >= core->window.last || behind >= core->window.last)) goto reach;
ONE_CASE(LDRD, { PAIR(load) memcpy(&RX(X), core->load.bytes + at, 4); memcpy(&RX(X + 1u), core->load.bytes + behind, 4); })
ONE_CASE(STRD, { PAIR(store) uint64_t guards; memcpy(&guards, core->store.guard + at, 8); if (guards) goto reach;
    memcpy(core->store.bytes + at, &RX(X), 4); memcpy(core->store.bytes + behind, &RX(X + 1u), 4); })

    reach: KIT_MAYBE_UNUSED; /* once more, the long way */
SAVE;
    core->ends = NOW_ENDS;
    if (a32_execute(core, kit->row[SLOT] - KIT_FIRST_ROW, a32_word_at(core, HERE), HERE, LOOP_ONE ? NOW_ENDS : UINT64_MAX) == A32_FAULTS) {
        if (LOOP_ONE) goto faulted;
        goto guarded;
    }
    LOAD;
    if (kit->attention) LEAVE(1); /* code was overwritten, or a device asks */
    GO_ON(op + 1);

/* The slot of an address to go to. */
#define A32_SLOT(to) ((to) - core->code.base < core->code_size ? core->code_first + ((to) - core->code.base) / 4 : kit_far_slot(core, to))

/* Several registers: AT is the list, and how far the first one is from the base; X how many; how far the base moves stands in `to`. */
#define MOVES moved(op)
#define RANGE(window) uint32_t at = RX(Y) + (uint32_t)((int32_t)AT >> 16) - BASE, last = at + 4 * (X - 1u); \
    if (at & 3 || at >= core->window.last || last >= core->window.last) goto reach_and_end;
    CASE(A32_DO_STM): { RANGE(store)
        const uint8_t *guard = core->store.guard + at;
        uint32_t guards = 0, one;
        for (unsigned n = 0; n < X; n++, guard += 4) { memcpy(&one, guard, 4); guards |= one; }
        if (guards) goto reach_and_end;
        for (uint32_t list = AT & 0xFFFF; list; list &= list - 1, at += 4) memcpy(core->store.bytes + at, &RX(oak_lowest_bit(list)), 4);
        RX(Y) += MOVES; MORE(X); ENTER(op + 1); }
    CASE(A32_DO_LDM): { RANGE(load)
        RX(Y) += MOVES;
        for (uint32_t list = AT & 0xFFFF; list; list &= list - 1, at += 4) memcpy(&RX(oak_lowest_bit(list)), core->load.bytes + at, 4);
        MORE(X); ENTER(op + 1); }
    CASE(A32_DO_LDM_PC): { RANGE(load)
        uint32_t to;
        memcpy(&to, core->load.bytes + last, 4);
        if (to & 3) goto reach_and_end;
        RX(Y) += MOVES;
        for (uint32_t list = AT & 0x7FFF; list; list &= list - 1, at += 4) memcpy(&RX(oak_lowest_bit(list)), core->load.bytes + at, 4);
        MORE(X + 2u);
        ENTER(ops + A32_SLOT(to)); }

/* A jump by a table, a return by one word. */
#define LOADS_PC(address, ...) {                                                                                   \
    uint32_t at = address - BASE, to;                                                                            \
    const uint8_t *lies = core->load.bytes;                                                                      \
    if (at >= core->load.last) {                                                                                 \
        at += core->code_behind, lies = core->code.bytes;                                                        \
        if (at >= core->code.last) goto reach_and_end;                                                           \
    }                                                                                                            \
    memcpy(&to, lies + at, 4);                                                                                   \
    if (to & 3) goto reach_and_end;                                                                              \
    __VA_ARGS__; MORE(2);                                                                                        \
    ENTER(ops + A32_SLOT(to)); }
    CASE(A32_DO_LDR_PC): LOADS_PC(RX(Y) + (RX((uint8_t)AT) << (AT >> 8)), (void)0)
    CASE(A32_DO_POP_PC): LOADS_PC(RX(ARM_SP), RX(ARM_SP) += 4)

#define V_ ((ca ^ cb) & (ca ^ (ca - cb)))
#define IF_EQ !(uint32_t)nz
#define IF_NE (uint32_t)nz
#define IF_CS CARRY
#define IF_CC !CARRY
#define IF_MI nz < 0
#define IF_PL nz >= 0
#define IF_VS (int32_t)V_ < 0
#define IF_VC (int32_t)V_ >= 0
#define IF_HI (CARRY && (uint32_t)nz)
#define IF_LS !(CARRY && (uint32_t)nz)
#define NV_ (int32_t)((uint32_t)((uint64_t)nz >> 32) ^ V_)
#define IF_GE NV_ >= 0
#define IF_LT NV_ < 0
#define IF_GT ((uint32_t)nz && IF_GE)
#define IF_LE !((uint32_t)nz && IF_GE)
/* A jump; an instruction with a condition that costs as much when it does not hold; one that costs more; one that ends a chain. */
#define ON_CONDITION(c)                                                                                           \
    CASE(A32_DO_B_##c): if (IF_##c) ENTER(TARGET); FEWER(2); ENTER(op + 1);                                       \
    CASE(A32_DO_IF_##c): if (IF_##c) RESUME((uint16_t)op->to); NEXT(1);                                           \
    CASE(A32_DO_IF_MORE_##c): if (IF_##c) RESUME((uint16_t)op->to); FEWER(kit->own_cycles[kit->row[SLOT] - KIT_FIRST_ROW] - 1u); NEXT(1); \
    CASE(A32_DO_IF_ENDS_##c): if (IF_##c) RESUME((uint16_t)op->to); FEWER(kit->own_cycles[kit->row[SLOT] - KIT_FIRST_ROW] - 1u); ENTER(op + 1);
A32_CONDITIONS(ON_CONDITION)
/* A comparison and the jump behind it, where nobody wants to stop or look between them. */
#define MEETS_EQ a == b
#define MEETS_NE a != b
#define MEETS_CS a >= b
#define MEETS_CC a < b
#define MEETS_MI nz < 0
#define MEETS_PL nz >= 0
#define MEETS_VS IF_VS
#define MEETS_VC IF_VC
#define MEETS_HI a > b
#define MEETS_LS a <= b
#define MEETS_GE (int32_t)a >= (int32_t)b
#define MEETS_LT (int32_t)a < (int32_t)b
#define MEETS_GT (int32_t)a > (int32_t)b
#define MEETS_LE (int32_t)a <= (int32_t)b
#define THEN(name, second, c, ...) CASE(A32_DO_##name##_##c): { uint32_t a = RX(Y), b = second; LESS(a, b) __VA_ARGS__(a - b) \
    if (LOOP_ONE || LOOP_JUDGED) NEXT(1);                                                                         \
    op++; if (MEETS_##c) ENTER(TARGET); FEWER(2); ENTER(op + 1); }
#define THEN_ON(c) THEN(CMP_I, AT, c, TEST) THEN(CMP_R, RX(AT), c, TEST) THEN(SUBS_I, AT, c, KEEP)
A32_CONDITIONS(THEN_ON)
    CASE(A32_DO_JUMP): ENTER(TARGET);
    CASE(A32_DO_CALL): RX(ARM_LR) = AT; ENTER(TARGET);
    CASE(A32_DO_CALL_IF): SAVE; if (!a32_holds(core, Y)) { FEWER(2); ENTER(op + 1); } RX(ARM_LR) = AT; ENTER(TARGET);
    CASE(A32_DO_BX): { uint32_t to = RX(AT); if (to & 3) goto reach_and_end; ENTER(ops + A32_SLOT(to)); }
    CASE(A32_DO_BLX): { uint32_t to = RX(AT); if (to & 3) goto reach_and_end; RX(ARM_LR) = HERE + 4; ENTER(ops + A32_SLOT(to)); }

    CASE(A32_DO_SPECIAL): code_word = AT; goto execute;
    reach_and_end: code_word = a32_word_at(core, HERE);
    execute:
SAVE;
    core->ends = NOW_ENDS;
    switch (a32_execute(core, kit->row[SLOT] - KIT_FIRST_ROW, code_word, HERE, LOOP_ONE ? NOW_ENDS : UINT64_MAX)) {
    case A32_FAULTS:
        if (LOOP_ONE) goto faulted;
        goto guarded;
    case A32_GOES: MORE(core->extra); op = ops + core->goes; break;
    default: MORE(core->extra); op++;
    }
    LOAD;
    FINISH;

    guarded: KIT_MAYBE_UNUSED; /* single steps look at it */
    LOAD;
    exit = KIT_EXIT_WATCH;
    goto leave;
