/* armm_loop.h — the interpreter, included four times by armm_loop.c.
 *
 *   LOOP_NAME   name of the function
 *   LOOP_ONE    1: the one instruction in core->one; 0: whole chains until `limit` cycles are used up
 *   LOOP_COUNTS 1: the same, and how often each chain is entered is counted (armm_counted)
 *   LOOP_JUDGED 1: counted where somebody counts, and behind each instruction somebody judges
 *
 * The flags live in locals: nz, c and v, or, while `compared`, the operands of a subtraction they come from. `spent` counts both
 * cycles and instructions, as the costs do; its lower half begins so that its bit 31 says that time is out. A case ends with
 * NEXT (the instruction behind it belongs to the same chain), GO_ON (it begins a new one) or ENTER (a jump). Which
 * length a case is for says STEP, the bytes to the operation behind it. */

#define AFTER(o)  ((armm_op *)(void *)((char *)(o) + STEP))
#define BEHIND(o) ((armm_op *)(void *)((char *)(o) + armm_step((o)->handler))) /* where the length is not known */
#define TARGET    ((armm_op *)(void *)((char *)ops + op->imm))
#if LOOP_ONE
#define NEXT                                                                                                           \
    do {                                                                                                               \
        core->kit.pc = pc + STEP / 8;                                                                         \
        goto one_done;                                                                                                 \
    } while (0)
#define GO_ON   NEXT
#define ENTER(where)                                                                                                   \
    do {                                                                                                               \
        core->kit.pc = armm_pc_of(core, where);                                                                    \
        goto one_done;                                                                                                 \
    } while (0)
#define GO_BEHIND                                                                                                      \
    do {                                                                                                               \
        core->kit.pc = pc + armm_step(op->handler) / 8;                                                                \
        goto one_done;                                                                                                 \
    } while (0)
#define ENTER_WITH(more, where)                                                                                        \
    do {                                                                                                               \
        spent += (uint32_t)(more);                                                                                     \
        ENTER(where);                                                                                                  \
    } while (0)
#else
#define NEXT                                                                                                           \
    do {                                                                                                               \
        op = AFTER(op);                                                                                                \
        LOOK;                                                                                                          \
    } while (0)
#define ENTER(where)                                                                                                   \
    do {                                                                                                               \
        op = (where);                                                                                                  \
        spent += op->cost;                                                                                             \
        KEEP(spent);                                                                                                   \
        if (TIME_IS_OUT) goto out_of_time;                                                                                \
        COUNT(op, 1);                                                                                                  \
        LOOK;                                                                                                          \
    } while (0)
/* A jump that takes longer than its operation was charged for. */
#define ENTER_WITH(more, where)                                                                                        \
    do {                                                                                                               \
        uint64_t charge_ = (uint32_t)(more);                                                                           \
        COUNT_MORE(op, (int64_t)charge_);                                                                              \
        op = (where);                                                                                                  \
        charge_ += op->cost;                                                                                           \
        KEEP(charge_);                                                                                                 \
        spent += charge_;                                                                                              \
        KEEP(spent);                                                                                                   \
        if (TIME_IS_OUT) goto out_of_time;                                                                             \
        COUNT(op, 1);                                                                                                  \
        LOOK;                                                                                                          \
    } while (0)
#define GO_ON ENTER(AFTER(op))
#define GO_BEHIND                                                                                                      \
    do {                                                                                                               \
        op = BEHIND(op);                                                                                               \
        LOOK;                                                                                                          \
    } while (0)
#endif

/* On to the operation, once it was looked whether what is judged has changed. */
#if LOOP_JUDGED
#define LOOK goto look
#define COUNTS_NOW counts
#else
#define LOOK DISPATCH
#define COUNTS_NOW true
#endif
#if LOOP_COUNTS
#define COUNTED(o)       ((armm_counted *)(void *)(counts + ((char *)(o) - (char *)ops)))
#define COUNT(o, n)      (void)(COUNTS_NOW && (COUNTED(o)->entered += (n)))
#define COUNT_MORE(o, n) (void)(COUNTS_NOW && (COUNTED(o)->more += (n)))     /* cycles */
#define COUNT_LEFT(o)    (void)(COUNTS_NOW && (COUNTED(o)->entered -= 1)) /* the chain was left in front of this */
#else
#define COUNT(o, n)      (void)0
#define COUNT_MORE(o, n) (void)0
#define COUNT_LEFT(o)    (void)0
#endif

/* The flags of a comparison are worked out only when somebody asks. */
#define SETTLE_FLAGS                                                                                                   \
    do {                                                                                                               \
        if (compared) {                                                                                                \
            nz = (int32_t)(minuend - subtrahend);                                                                      \
            c = minuend >= subtrahend;                                                                                         \
            v = (minuend ^ subtrahend) & (minuend ^ (minuend - subtrahend));                                                              \
            compared = false;                                                                                          \
        }                                                                                                              \
    } while (0)
#define SAVE                                                                                                           \
    do {                                                                                                               \
        SETTLE_FLAGS;                                                                                                  \
        core->nz = nz, core->c = c, core->v = v;                                                                       \
    } while (0)
#define LOAD (nz = core->nz, c = core->c, v = core->v)
#define TIME_IS_OUT ((int32_t)(uint32_t)spent < 0)
#define NOW         (core->now_op = op, core->now = core->kit.time.cycles + ((uint32_t)spent - began) - armm_cycles(op->cost))
/* It took longer than usual. */
#define TAKES_MORE(cycles)                                                                                             \
    do {                                                                                                               \
        spent += (uint32_t)(cycles);                                                                                             \
        COUNT_MORE(op, (int64_t)(cycles));                                                                                        \
    } while (0)

#define D r[op->d]
#define N r[op->n]
#define M r[op->imm]
#define M_PACKED r[op->m]
#define SET_NZ(value)                                                                                                  \
    do {                                                                                                               \
        SETTLE_FLAGS;                                                                                                  \
        nz = (int32_t)(value);                                                                                         \
    } while (0)

#define ADD_FLAGS(first, second)                                                                                         \
    do {                                                                                                               \
        uint32_t a_ = (first), b_ = (second), sum_ = a_ + b_;                                                           \
        c = sum_ < a_;                                                                                                 \
        compared = false;                                                                                              \
        v = (a_ ^ sum_) & (b_ ^ sum_);                                                                                 \
        nz = (int32_t)sum_;                                                                                            \
    } while (0)
#define SUBTRACT_FLAGS(first, second)                                                                                  \
    do {                                                                                                               \
        minuend = (first);                                                                                             \
        subtrahend = (second);                                                                                         \
        compared = true;                                                                                               \
    } while (0)
#define CARRY_FLAGS(first, second)                                                                                       \
    do {                                                                                                               \
        SETTLE_FLAGS;                                                                                                  \
        uint32_t a_ = (first), b_ = (second);                                                                          \
        uint64_t sum_ = (uint64_t)a_ + b_ + c;                                                                         \
        c = (uint32_t)(sum_ >> 32);                                                                                    \
        v = (a_ ^ (uint32_t)sum_) & (b_ ^ (uint32_t)sum_);                                                                        \
        nz = (int32_t)(uint32_t)sum_;                                                                                  \
    } while (0)

#define CARRY_ALONE(first, second)                                                                                     \
    SETTLE_FLAGS;                                                                                                      \
    uint64_t sum_ = (uint64_t)(first) + (second) + c;                                                                  \
    D = (uint32_t)sum_;                                                                                                \
    c = (uint32_t)(sum_ >> 32)

/* A load: plain RAM or code at once, all else behind load_far. `made` is what becomes of the bytes, named `loaded`; `moved` what is
 * done to the base. */
/* An address in a window as the number of a byte, halfword or word. One that is not aligned is beyond any window. */
#define PLACE_IN(window, address, bytes_) oak_rotated_right((address)-core->window.base, (bytes_) >> 1)
#define AT_PLACE(window, place, bytes_)   (core->window.bytes + ((size_t)(place) << ((bytes_) >> 1)))
#define LOAD_FROM(where, bytes_, read, made, moved, far_)                                                              \
    do {                                                                                                               \
        uint32_t place_ = PLACE_IN(load, where, bytes_), loaded;                                                       \
        if (place_ < core->load.reach[bytes_]) {                                                                       \
            const uint8_t *at_ = AT_PLACE(load, place_, bytes_);                                                       \
            loaded = (read);                                                                                           \
            moved;                                                                                                     \
            D = (made);                                                                                                \
            NEXT;                                                                                                      \
        }                                                                                                              \
        target = (where);                                                                                              \
        place_ = PLACE_IN(code, target, bytes_);                                                                       \
        if (place_ < core->code.reach[bytes_]) {                                                                       \
            const uint8_t *at_ = AT_PLACE(code, place_, bytes_);                                                       \
            loaded = (read);                                                                                           \
            moved;                                                                                                     \
            D = (made);                                                                                                \
            NEXT;                                                                                                      \
        }                                                                                                              \
        access = (far_) | (bytes_);                                                                                    \
        goto load_far;                                                                                                 \
    } while (0)
#define STORE_TO(where, bytes_, write, moved, far_)                                                                    \
    do {                                                                                                               \
        uint32_t place_ = PLACE_IN(store, where, bytes_), value_ = D;                                                  \
        if (place_ < core->store.reach[bytes_]) {                                                                      \
            uint8_t *at_ = AT_PLACE(store, place_, bytes_);                                                            \
            write;                                                                                                     \
            moved;                                                                                                     \
            NEXT;                                                                                                      \
        }                                                                                                              \
        target = (where);                                                                                              \
        access = (far_) | (bytes_);                                                                                    \
        goto store_far;                                                                                                \
    } while (0)
/* What is done may make operations be forgotten: where the next one is, and what it and all behind it cost. */
#define REMEMBER(next) (after = (next), behind = LOOP_ONE ? 0 : after->cost)
#define ATTEND                                                                                                         \
    do {                                                                                                               \
        if (core->kit.attention) goto attend;                                                                          \
    } while (0)
/* An instruction in the middle of a chain took longer: there may be no time for the rest. */
#define TOOK_MORE(cycles)                                                                                              \
    do {                                                                                                               \
        TAKES_MORE(cycles);                                                                                            \
        if (TIME_IS_OUT) goto attend;                                                                                  \
        NEXT;                                                                                                          \
    } while (0)
#define STAYS     (void)0
#define MOVES      (N = address_)
#define MOVES_PAST (N += op->imm)

/* Several words from an address up. Their offset in words is beyond any window where the address is not that of a word. */
#define WORDS_FROM(window, where) PLACE_IN(window, where, 4)
#define WORD_AT(at, i)                                                                                                 \
    ((uint32_t)(at)[4 * (i)] | (uint32_t)(at)[4 * (i) + 1] << 8 | (uint32_t)(at)[4 * (i) + 2] << 16 |                  \
     (uint32_t)(at)[4 * (i) + 3] << 24)
#define PUT_WORD_AT(at, i, value)                                                                                      \
    do {                                                                                                               \
        uint32_t put_ = (value);                                                                                       \
        (at)[4 * (i)] = (uint8_t)put_, (at)[4 * (i) + 1] = (uint8_t)(put_ >> 8);                                       \
        (at)[4 * (i) + 2] = (uint8_t)(put_ >> 16), (at)[4 * (i) + 3] = (uint8_t)(put_ >> 24);                          \
    } while (0)
#define EACH_OF(count, DO)                                                                                             \
    switch (count) {                                                                                                   \
    default: DO(14); /* fall through */                                                                                \
    case 14: DO(13); /* fall through */                                                                                \
    case 13: DO(12); /* fall through */                                                                                \
    case 12: DO(11); /* fall through */                                                                                \
    case 11: DO(10); /* fall through */                                                                                \
    case 10: DO(9);  /* fall through */                                                                                \
    case 9: DO(8);   /* fall through */                                                                                \
    case 8: DO(7);   /* fall through */                                                                                \
    case 7: DO(6);   /* fall through */                                                                                \
    case 6: DO(5);   /* fall through */                                                                                \
    case 5: DO(4);   /* fall through */                                                                                \
    case 4: DO(3);   /* fall through */                                                                                \
    case 3: DO(2);   /* fall through */                                                                                \
    case 2: DO(1);   /* fall through */                                                                                \
    case 1: DO(0);   /* fall through */                                                                                \
    case 0: break;                                                                                                     \
    }
#define LOAD_ONE(i)  r[list_[i]] = WORD_AT(at_, i)
#define STORE_ONE(i) PUT_WORD_AT(at_, i, r[list_[i]])
/* Two words: d and the register a, at `where`. */
#define LOAD_TWO(where, moved)                                                                                         \
    do {                                                                                                               \
        uint32_t address_ = (where), offset_ = WORDS_FROM(load, address_);                                             \
        if (offset_ < core->load.words[2]) {                                                                           \
            const uint8_t *at_ = core->load.bytes + 4 * (size_t)offset_;                                               \
            uint32_t low_ = WORD_AT(at_, 0), high_ = WORD_AT(at_, 1);                                                  \
            moved;                                                                                                     \
            D = low_;                                                                                                  \
            r[op->a] = high_;                                                                                          \
            NEXT;                                                                                                      \
        }                                                                                                              \
        offset_ = WORDS_FROM(code, address_);                                                                          \
        if (offset_ < core->code.words[2]) {                                                                           \
            const uint8_t *at_ = core->code.bytes + 4 * (size_t)offset_;                                               \
            uint32_t low_ = WORD_AT(at_, 0), high_ = WORD_AT(at_, 1);                                                  \
            moved;                                                                                                     \
            D = low_;                                                                                                  \
            r[op->a] = high_;                                                                                          \
            NEXT;                                                                                                      \
        }                                                                                                              \
        NOW;                                                                                                           \
        uint32_t low_, high_;                                                                                          \
        if (!armm_load_two(core, address_, &low_, &high_)) goto raised;                                                \
        moved;                                                                                                         \
        D = low_;                                                                                                      \
        r[op->a] = high_;                                                                                              \
        ATTEND;                                                                                                        \
        NEXT;                                                                                                          \
    } while (0)
#define STORE_TWO(where, moved)                                                                                        \
    do {                                                                                                               \
        uint32_t address_ = (where), offset_ = WORDS_FROM(store, address_), low_ = D, high_ = r[op->a];                \
        if (offset_ < core->store.words[2]) {                                                                          \
            uint8_t *at_ = core->store.bytes + 4 * (size_t)offset_;                                                    \
            PUT_WORD_AT(at_, 0, low_);                                                                                 \
            PUT_WORD_AT(at_, 1, high_);                                                                                \
            moved;                                                                                                     \
            NEXT;                                                                                                      \
        }                                                                                                              \
        NOW;                                                                                                           \
        REMEMBER(AFTER(op));                                                                                          \
        if (!armm_store_two(core, address_, low_, high_)) goto raised;                                                 \
        moved;                                                                                                         \
        if (core->kit.attention) goto attend_stored;                                                                   \
        NEXT;                                                                                                          \
    } while (0)
#define OFFSET          armm_extended(op->offset) /* of two words; where a list begins, how far its base moves */
#define START           armm_extended(op->start)
#define CHANGE          armm_extended(op->change)
#define OFFSET_BASE     (N + OFFSET)
#define MOVES_BY_OFFSET (N += OFFSET)

#define READ_WORD  ((uint32_t)at_[0] | (uint32_t)at_[1] << 8 | (uint32_t)at_[2] << 16 | (uint32_t)at_[3] << 24)
#define READ_HALF  ((uint32_t)at_[0] | (uint32_t)at_[1] << 8)
#define READ_BYTE  ((uint32_t)at_[0])
#define WRITE_WORD (at_[0] = (uint8_t)value_, at_[1] = (uint8_t)(value_ >> 8), at_[2] = (uint8_t)(value_ >> 16),       \
                    at_[3] = (uint8_t)(value_ >> 24))
#define WRITE_HALF (at_[0] = (uint8_t)value_, at_[1] = (uint8_t)(value_ >> 8))
#define WRITE_BYTE (at_[0] = (uint8_t)value_)
#define INDEXED    (N + M)
#define SCALED     (N + (M_PACKED << op->by))
#define BEHIND_BASE (N + op->imm)

#if LOOP_ONE
#define NEAR(o) ((armm_op *)(void *)((char *)ops + (o)->imm))
#else
#define NEAR(o) ((armm_op *)(void *)((char *)(o) + (int32_t)(o)->imm))
#endif
#define BRANCH_IF(condition)                                                                                           \
    do {                                                                                                               \
        if (condition) {                                                                                               \
            ENTER_WITH(op->n, NEAR(op));                                                                               \
        }                                                                                                              \
        GO_ON;                                                                                                         \
    } while (0)
/* The cycles that fill the pipeline again, at a halfword of the first memory. */
#define REFILL_AT(half) (2 + (((half)&1) && core->code_bytes[2 * (size_t)(half) + 1] >= core->wide_from))
/* Behind a call, with bit 0; n: it stands outside the first memory. */
#if LOOP_ONE
#define RETURN_ADDRESS ((pc + STEP / 8) | 1)
#else
#define RETURN_ADDRESS                                                                                                 \
    (op->n ? armm_pc_of(core, AFTER(op)) | 1                                                                           \
           : (uint32_t)((uintptr_t)((char *)op - (char *)ops) >> 3) + core->code_first + STEP / 8)
#endif
/* A jump to the address in a register or on the stack, whose bit 0 must be 1. */
#define JUMP_TO(address)                                                                                               \
    do {                                                                                                               \
        target = (address);                                                                                            \
        uint32_t half_ = oak_rotated_right(target - core->code_first, 1);                                              \
        if (half_ >= core->code_halves) goto jump_far;                                                                 \
        ENTER_WITH(REFILL_AT(half_), core->ops + half_);                                                               \
    } while (0)
#if LOOP_ONE
#define PC_HERE pc
#else
#define PC_HERE armm_pc_of(core, op)
#endif
/* What costs nothing is not reached before an event that is due. */
#if LOOP_ONE
#define AT_BOUNDARY (void)0
#else
#define AT_BOUNDARY                                                                                                    \
    if ((uint32_t)spent >= INT32_MAX) {                                                                                              \
        COUNT_LEFT(op);                                                                                            \
        goto out_of_time;                                                                                          \
    }
#endif
/* A case for instructions of 16 bits, of 32 bits, or of both lengths. */
#define NARROW(name, ...)                                                                                              \
    CASE(name):                                                                                                        \
    {                                                                                                                  \
        enum { STEP = sizeof(armm_op) };                                                                               \
        __VA_ARGS__;                                                                                                   \
    }
#define WIDE(name, ...)                                                                                                \
    CASE(name):                                                                                                        \
    {                                                                                                                  \
        enum { STEP = 2 * sizeof(armm_op) };                                                                           \
        __VA_ARGS__;                                                                                                   \
    }
#define BOTH(name, ...) NARROW(name, __VA_ARGS__) WIDE(name##_W, __VA_ARGS__)

/* Logical operations with a constant: without flags, with them, and with those whose constant makes a carry. */
#define LOGICAL_I(name, value)                                                                                         \
    WIDE(name##_I, D = (value); NEXT)                                                                                  \
    WIDE(name##S_I, D = (value); SET_NZ(D); NEXT)                                                                      \
    WIDE(name##S_C, D = (value); SET_NZ(D); c = op->imm >> 31; NEXT)
/* All operations on a register shifted in one way: the operand, and the carry that comes out. */
#define SHIFTED_CASES(kind, before, operand, out)                                                                              \
    WIDE(ADD_##kind, before; D = N + (operand); NEXT)                                                                          \
    WIDE(ADDS_##kind, before; ADD_FLAGS(N, operand); D = (uint32_t)nz; NEXT)                                                   \
    WIDE(SUB_##kind, before; D = N - (operand); NEXT)                                                                          \
    WIDE(SUBS_##kind, before; SUBTRACT_FLAGS(N, operand); D = minuend - subtrahend; NEXT)                                      \
    WIDE(RSB_##kind, before; D = (operand)-N; NEXT)                                                                            \
    WIDE(RSBS_##kind, before; SUBTRACT_FLAGS(operand, N); D = minuend - subtrahend; NEXT)                                      \
    WIDE(ADC_##kind, before; SETTLE_FLAGS; D = N + (operand) + c; NEXT)                                                        \
    WIDE(ADCS_##kind, before; CARRY_FLAGS(N, operand); D = (uint32_t)nz; NEXT)                                                 \
    WIDE(SBC_##kind, before; SETTLE_FLAGS; D = N + ~(operand) + c; NEXT)                                                       \
    WIDE(SBCS_##kind, before; CARRY_FLAGS(N, ~(operand)); D = (uint32_t)nz; NEXT)                                              \
    WIDE(CMP_##kind, before; SUBTRACT_FLAGS(N, operand); NEXT)                                                                 \
    WIDE(CMN_##kind, before; ADD_FLAGS(N, operand); NEXT)                                                                      \
    LOGICAL_SHIFTED(AND, kind, before, N & (operand), out)                                                                     \
    LOGICAL_SHIFTED(ORR, kind, before, N | (operand), out)                                                                     \
    LOGICAL_SHIFTED(EOR, kind, before, N ^ (operand), out)                                                                     \
    LOGICAL_SHIFTED(BIC, kind, before, N & ~(operand), out)                                                                    \
    LOGICAL_SHIFTED(ORN, kind, before, N | ~(operand), out)                                                                    \
    LOGICAL_SHIFTED(MVN, kind, before, ~(operand), out)                                                                        \
    WIDE(TST_##kind, before; SET_NZ(N & (operand)); c = (out); NEXT)                                                           \
    WIDE(TEQ_##kind, before; SET_NZ(N ^ (operand)); c = (out); NEXT)
#define LOGICAL_SHIFTED(name, kind, before, value, out)                                                                        \
    WIDE(name##_##kind, before; D = (value); NEXT)                                                                             \
    WIDE(name##S_##kind, {                                                                                             \
        before;                                                                                                        \
        uint32_t made_ = (value);                                                                                      \
        uint32_t out_ = (out);                                                                                         \
        SET_NZ(made_);                                                                                                 \
        c = out_;                                                                                                      \
        D = made_;                                                                                                     \
        NEXT;                                                                                                          \
    })
/* The operation of a conditional block, when its condition holds; else one cycle, and a new chain. */
#define IF_CASE(name, condition)                                                                                       \
    BOTH(IF_##name, {                                                                                                  \
        if (condition) RESUME(armm_second(op->cost));                                                                  \
        COUNT_SKIPPED;                                                                                                 \
        spent += armm_one(1) - op->cost;                                                                               \
        GO_ON;                                                                                                         \
    })
#if LOOP_COUNTS
#define COUNT_SKIPPED                                                                                                  \
    do {                                                                                                               \
        bool ends_ = armm_ends_chain(armm_second(op->cost));                                                           \
        COUNT_MORE(op, 1 - (int64_t)(armm_cycles(op->cost) - (ends_ ? 0 : armm_cycles(AFTER(op)->cost))));             \
        if (!ends_) COUNT_LEFT(AFTER(op));                                                                             \
    } while (0)
#else
#define COUNT_SKIPPED (void)0
#endif
#define IS_ZERO     ((uint32_t)nz == 0)
/* The jump `slots` behind this operation, which is part of it. */
#define FUSED_BRANCH(slots, condition)                                                                                 \
    do {                                                                                                               \
        if (condition) {                                                                                               \
            op += (slots);                                                                                             \
            ENTER_WITH(op->n, NEAR(op));                                                                               \
        }                                                                                                              \
        ENTER(op + (slots) + 1);                                                                                       \
    } while (0)
#define IS_NEGATIVE (nz < 0)
#define OVERFLOWS   (((minuend ^ subtrahend) & (minuend ^ (minuend - subtrahend))) >> 31)
#define DIFFERS     (((uint32_t)((uint64_t)nz >> 32) ^ v) >> 31) /* N is not V */

static kit_exit LOOP_NAME(oak_core *core, uint32_t limit)
{
#if OAK_COMPUTED_GOTO
    static const void *const handlers[ARMM_OPS] = {
#define X(name) [ARMM_OP_##name] = &&on_##name,
        ARMM_NARROW(X) ARMM_BOTH(X) ARMM_WIDE(X)
#undef X
#define X(name) [ARMM_OP_##name##_W] = &&on_##name##_W,
        ARMM_BOTH(X)
#undef X
#define X(name)                                                                                                        \
    [ARMM_OP_##name##_LSL] = &&on_##name##_LSL, [ARMM_OP_##name##_LSR] = &&on_##name##_LSR,                            \
    [ARMM_OP_##name##_ASR] = &&on_##name##_ASR, [ARMM_OP_##name##_ROR] = &&on_##name##_ROR,                            \
    [ARMM_OP_##name##_RRX] = &&on_##name##_RRX,
        ARMM_SHIFTED(X)
#undef X
#define X(name, condition)                                                                                             \
    [ARMM_OP_CMP_R_##name] = &&on_CMP_R_##name, [ARMM_OP_CMP_I_##name] = &&on_CMP_I_##name,                            \
    [ARMM_OP_ADD_R_CMP_R_##name] = &&on_ADD_R_CMP_R_##name, [ARMM_OP_ADD_I_CMP_R_##name] = &&on_ADD_I_CMP_R_##name,
        ARMM_FUSED(X)
#undef X
        [ARMM_OP_SUBS_I_BNE] = &&on_SUBS_I_BNE, [ARMM_OP_ADD_I_CMP_I_BNE] = &&on_ADD_I_CMP_I_BNE,
    };
#else
    unsigned next_handler = 0;
#endif
    armm_op *const ops = core->ops;
#if LOOP_COUNTS
    char *const counts = core->kit.counts;
#endif
    uint32_t *const r = core->r;
    armm_op *op;
#if LOOP_JUDGED
    const armm_op *from = armm_op_at(core, core->kit.pc); /* the instruction under way */
#endif
    int64_t nz;
    uint32_t c, v, minuend = 0, subtrahend = 0, extra = 0, target = 0;
    unsigned access = 0;
    bool compared = false;
    uint64_t behind = 0;
    armm_op *after = NULL;
    const uint32_t began = INT32_MAX - limit;
    uint64_t spent = began;
    armm_done done;
    kit_exit exit = KIT_EXIT_STEP;
    LOAD;
#if LOOP_ONE
    (void)ops;
    const uint32_t pc = core->kit.pc;
    op = core->one;
    spent += op->cost;
    DISPATCH;
#else
    ENTER(armm_op_at(core, core->kit.pc));
#endif
    BEGIN_CASES

#if LOOP_JUDGED
    look: {
        const unsigned which_ = core->judged_by[from - ops]; /* also nowhere is an operation */
        oak_judged *const judged_ = &core->kit.judged;
        if (which_ & judged_->matter) {
            const uint32_t done_ = (uint32_t)spent - began - armm_cycles(op->cost), half_ = (uint32_t)(op - ops);
            const uint64_t now_ = core->kit.time.cycles + done_;
#define HERE_ (half_ < core->code_halves ? core->code_first - 1 + 2 * half_ : armm_pc_of(core, op))
#define SEEN_ (HERE_ & judged_->value->mask)
#if LOOP_KEPT
            const uint8_t needs_ = judged_->needs;
            if (needs_ & OAK_NEEDS_BEFORE) {
                if (needs_ & OAK_NEEDS_ONE) goto put_one;
                if (needs_ & OAK_NEEDS_LED && oak_judged_is_led_as_before(judged_, which_)) goto looked;
                if (needs_ & OAK_NEEDS_PLACE) judged_->pc = HERE_;
                if (needs_ & OAK_NEEDS_FLAGS) {
                    SAVE;
                    core->it = core->natural[half_].it; /* may be read, too */
                    const bool noted_ = oak_judged_note(judged_, core);
                    core->it = 0;
                    if (!noted_) goto look_further;
                }
            }
            if (needs_ & OAK_NEEDS_TIME) {
                if (!(which_ & judged_->lie)) { /* no row need be put down, at times */
                    if (oak_judged_stands(judged_, 0, now_)) goto looked;
                    if (oak_judged_tries(judged_)) goto look_further;
                }
                if (!oak_judged_knows(judged_, now_)) goto look_further;
            }
            if (!judged_->plain.rows) goto put_row;
            if (!oak_judged_put_plain(judged_, now_)) goto looked;
        ask_about_rows:
            SAVE;
            core->it = core->natural[half_].it;
            if (oak_judged_ask(judged_, core, done_)) goto judged;
            core->it = 0;
            goto looked;
        put_row:
            if (judged_->plain.wide ? oak_judged_put_wide(judged_, now_) : oak_judged_put_row(judged_, core, now_))
                goto ask_about_rows;
            goto looked;
            uint32_t one_;
        put_one:
            if (needs_ & OAK_NEEDS_PLACE) one_ = HERE_;
            else if (needs_ & OAK_NEEDS_FLAGS) {
                SAVE;
                core->it = core->natural[half_].it;
                (void)oak_judged_note(judged_, core);
                one_ = *judged_->noted;
                core->it = 0;
            } else one_ = oak_judged_word(judged_->plain.at[0]);
            if (!oak_judged_put_one(judged_, one_, now_)) goto looked;
            goto ask_about_rows;
        look_further:
#else
            switch (judged_->way) {
            case OAK_WAY_PC_ASKS:
                if (oak_judged_asks(judged_, SEEN_) && oak_judged_ask(judged_, core, done_)) goto judged;
                goto looked;
            case OAK_WAY_LIES_ASKS:
                SAVE;
                core->it = core->natural[half_].it;
                if (oak_judged_asks(judged_, oak_judged_now(judged_, core, judged_->value)) && oak_judged_ask(judged_, core, done_)) goto judged;
                core->it = 0;
                goto looked;
            case OAK_WAY_OUTSIDE: {
                if (judged_->needs) {
                    if (judged_->led && oak_judged_is_led_as_before(judged_, which_)) goto looked;
                    if (judged_->needs_place) judged_->pc = HERE_;
                    if (judged_->has_flags) {
                        SAVE;
                        core->it = core->natural[half_].it;
                        if (!oak_judged_note(judged_, core)) break;
                    }
                    if (!oak_judged_knows(judged_, now_)) break;
                }
                const bool stays_ = judged_->has_others ? oak_judged_all_outside(judged_, core, which_, (uint32_t)now_)
                                                        : oak_judged_sum_outside(judged_, core, judged_->sums, (uint32_t)now_);
                core->it = 0;
                if (stays_) goto looked;
            } /* and goes on */
            ask_all: {
                SAVE;
                const uint32_t began_ = core->kit.pc;
                core->kit.pc = HERE_; /* all of them may be looked at again */
                core->it = core->natural[half_].it;
                const bool hit_ = oak_judged_ask(judged_, core, done_);
                core->kit.pc = began_;
                if (hit_) goto judged;
                core->it = 0;
                goto looked;
            }
            case OAK_WAY_QUICK_ASKS: {
                if (oak_judged_stands(judged_, which_, now_)) goto looked;
                if (judged_->led && oak_judged_is_led_as_before(judged_, which_)) goto looked;
                SAVE;
                if (judged_->needs_place) judged_->pc = HERE_;
                if (!oak_judged_knows(judged_, now_) || (!(which_ & judged_->lie) && oak_judged_tries(judged_)))
                    break;
                core->it = core->natural[half_].it;
                if (judged_->led && !oak_judged_note(judged_, core)) break;
                const bool changes_ = oak_judged_changes(judged_, core, which_, now_);
                core->it = 0;
                if (!changes_) goto looked;
                goto ask_all;
            }
            default: break;
            }
            if (oak_judged_stands(judged_, which_, now_)) goto looked;
#endif
            SAVE;
            core->it = core->natural[half_].it;
            const uint32_t began_at_ = core->kit.pc;
            if (judged_->needs_place || core->judges_state) core->kit.pc = judged_->pc = HERE_;
            const bool ends_ = judged_->behind(judged_, core, which_, done_);
            core->kit.pc = began_at_;
            if (ends_) goto judged;
            core->it = 0;
#undef HERE_
#undef SEEN_
        }
    looked:
        from = op;
        DISPATCH;
    }
#endif

    BOTH(NOP, NEXT)
    BOTH(MOV_I, D = op->imm; NEXT)
    BOTH(MOVS_I, D = op->imm; SET_NZ(op->imm); NEXT)
    BOTH(MOV_R, D = M; NEXT)
    BOTH(MOVS_R, D = M; SET_NZ(D); NEXT)
    BOTH(MVN_R, D = ~M; NEXT)
    BOTH(MVNS_R, D = ~M; SET_NZ(D); NEXT)

    BOTH(LSL_I, D = N << op->imm; NEXT)
    BOTH(LSLS_I, uint64_t made_ = (uint64_t)N << op->imm; SET_NZ((uint32_t)made_); c = (uint32_t)(made_ >> 32) & 1; D = (uint32_t)made_; NEXT)
    BOTH(LSR_I, D = (uint32_t)((uint64_t)N >> op->imm); NEXT)
    BOTH(LSRS_I, SETTLE_FLAGS; c = N >> (op->imm - 1) & 1; D = (uint32_t)((uint64_t)N >> op->imm); SET_NZ(D); NEXT)
    BOTH(ASR_I, D = (uint32_t)((uint64_t)(int64_t)(int32_t)N >> op->imm); NEXT)
    BOTH(ASRS_I, SETTLE_FLAGS; c = N >> (op->imm - 1) & 1; D = (uint32_t)((uint64_t)(int64_t)(int32_t)N >> op->imm); SET_NZ(D); NEXT)
    WIDE(ROR_I, D = N >> op->imm | N << (32 - op->imm); NEXT)
    WIDE(RORS_I, SETTLE_FLAGS; D = N >> op->imm | N << (32 - op->imm); SET_NZ(D); c = D >> 31; NEXT)
    WIDE(RRX, SETTLE_FLAGS; D = N >> 1 | c << 31; NEXT)
    WIDE(RRXS, SETTLE_FLAGS; uint32_t out_ = N & 1; D = N >> 1 | c << 31; c = out_; SET_NZ(D); NEXT)
    BOTH(LSL_R, uint32_t by_ = M & 0xFF; D = by_ < 32 ? N << by_ : 0; NEXT)
    BOTH(LSR_R, uint32_t by_ = M & 0xFF; D = by_ < 32 ? N >> by_ : 0; NEXT)
    BOTH(ASR_R, uint32_t by_ = M & 0xFF; D = (uint32_t)((int32_t)N >> (by_ < 32 ? by_ : 31)); NEXT)
    BOTH(ROR_R, D = oak_rotated_right(N, M & 31); NEXT)
    /* In 64 bits the carry stands beside the result: above it to the left, below it to the right. */
    BOTH(LSLS_R, {
        uint32_t by_ = M & 0xFF;
        uint64_t made_ = by_ < 64 ? (uint64_t)N << by_ : 0;
        SET_NZ((uint32_t)made_);
        if (by_) c = (uint32_t)(made_ >> 32) & 1;
        D = (uint32_t)made_;
        NEXT;
    })
    BOTH(LSRS_R, {
        uint32_t by_ = M & 0xFF;
        uint64_t made_ = by_ < 64 ? (uint64_t)N << 32 >> by_ : 0;
        SET_NZ((uint32_t)(made_ >> 32));
        if (by_) c = (uint32_t)(made_ >> 31) & 1;
        D = (uint32_t)(made_ >> 32);
        NEXT;
    })
    BOTH(ASRS_R, {
        uint32_t by_ = M & 0xFF;
        uint64_t made_ = (uint64_t)((int64_t)((uint64_t)N << 32) >> (by_ < 63 ? by_ : 63));
        SET_NZ((uint32_t)(made_ >> 32));
        if (by_) c = (uint32_t)(made_ >> 31) & 1;
        D = (uint32_t)(made_ >> 32);
        NEXT;
    })
    BOTH(RORS_R, {
        uint32_t by = M & 0xFF, value = oak_rotated_right(N, by & 31);
        SET_NZ(value);
        if (by) c = value >> 31;
        D = value;
        NEXT;
    })

    BOTH(ADD_R, D = N + M; NEXT)
    BOTH(ADDS_R, ADD_FLAGS(N, M); D = (uint32_t)nz; NEXT)
    BOTH(ADD_I, D = N + op->imm; NEXT)
    BOTH(ADDS_I, ADD_FLAGS(N, op->imm); D = (uint32_t)nz; NEXT)
    BOTH(SUB_R, D = N - M; NEXT)
    BOTH(SUBS_R, SUBTRACT_FLAGS(N, M); D = minuend - subtrahend; NEXT)
    BOTH(SUB_I, D = N - op->imm; NEXT)
    BOTH(SUBS_I, SUBTRACT_FLAGS(N, op->imm); D = minuend - subtrahend; NEXT)
    BOTH(RSB_I, D = op->imm - N; NEXT)
    BOTH(RSBS_I, SUBTRACT_FLAGS(op->imm, N); D = minuend - subtrahend; NEXT)
    WIDE(RSB_R, D = M - N; NEXT)
    WIDE(RSBS_R, SUBTRACT_FLAGS(M, N); D = minuend - subtrahend; NEXT)
    BOTH(ADC_R, SETTLE_FLAGS; D = N + M + c; NEXT)
    BOTH(SBC_R, SETTLE_FLAGS; D = N + ~M + c; NEXT)
    WIDE(ADC_I, SETTLE_FLAGS; D = N + op->imm + c; NEXT)
    WIDE(ADCS_I, CARRY_FLAGS(N, op->imm); D = (uint32_t)nz; NEXT)
    WIDE(ADCS_I_CY, CARRY_ALONE(N, op->imm); NEXT)
    BOTH(CMN_R, ADD_FLAGS(N, M); NEXT)
    WIDE(CMN_I, ADD_FLAGS(N, op->imm); NEXT)
    BOTH(ADCS_R, CARRY_FLAGS(N, M); D = (uint32_t)nz; NEXT)
    BOTH(ADCS_R_CY, CARRY_ALONE(N, M); NEXT)
    BOTH(SBCS_R, CARRY_FLAGS(N, ~M); D = (uint32_t)nz; NEXT)
    BOTH(SBCS_R_CY, CARRY_ALONE(N, ~M); NEXT)
    BOTH(CMP_R, SUBTRACT_FLAGS(N, M); NEXT)
    BOTH(CMP_I, SUBTRACT_FLAGS(N, op->imm); NEXT)
    BOTH(TST_R, SET_NZ(N & M); NEXT)
    WIDE(TST_I, SET_NZ(N & op->imm); NEXT)

    BOTH(AND_R, D = N & M; NEXT)
    BOTH(ANDS_R, D = N & M; SET_NZ(D); NEXT)
    BOTH(ORR_R, D = N | M; NEXT)
    BOTH(ORRS_R, D = N | M; SET_NZ(D); NEXT)
    BOTH(EOR_R, D = N ^ M; NEXT)
    BOTH(EORS_R, D = N ^ M; SET_NZ(D); NEXT)
    BOTH(BIC_R, D = N & ~M; NEXT)
    BOTH(BICS_R, D = N & ~M; SET_NZ(D); NEXT)
    WIDE(TST_C, SET_NZ(N & op->imm); c = op->imm >> 31; NEXT)
    WIDE(TEQ_R, SET_NZ(N ^ M); NEXT)
    WIDE(TEQ_I, SET_NZ(N ^ op->imm); NEXT)
    WIDE(TEQ_C, SET_NZ(N ^ op->imm); c = op->imm >> 31; NEXT)
    WIDE(MOVS_C, D = op->imm; SET_NZ(op->imm); c = op->imm >> 31; NEXT)
    WIDE(MVNS_C, D = ~op->imm; SET_NZ(D); c = op->imm >> 31; NEXT)
    WIDE(ORN_R, D = N | ~M; NEXT)
    WIDE(ORNS_R, D = N | ~M; SET_NZ(D); NEXT)
    LOGICAL_I(AND, N & op->imm)
    LOGICAL_I(ORR, N | op->imm)
    LOGICAL_I(EOR, N ^ op->imm)
    LOGICAL_I(BIC, N & ~op->imm)
    LOGICAL_I(ORN, N | ~op->imm)
    SHIFTED_CASES(LSL, (void)0, (M_PACKED << op->by), M_PACKED >> (32 - op->by) & 1)
    SHIFTED_CASES(LSR, (void)0, ((uint32_t)((uint64_t)M_PACKED >> op->by)), M_PACKED >> (op->by - 1) & 1)
    SHIFTED_CASES(ASR, (void)0, ((uint32_t)((int64_t)(int32_t)M_PACKED >> op->by)), M_PACKED >> (op->by - 1) & 1)
    SHIFTED_CASES(ROR, (void)0, (M_PACKED >> op->by | M_PACKED << (32 - op->by)), M_PACKED >> (op->by - 1) & 1)
    SHIFTED_CASES(RRX, SETTLE_FLAGS, (M_PACKED >> 1 | c << 31), M_PACKED & 1)
    BOTH(MOV_SP, r[ARM_SP] = M & ~(uint32_t)3; NEXT)

    BOTH(MUL, D = N * M; NEXT)
    NARROW(MULS, D = N * M; SET_NZ(D); NEXT)
    WIDE(MLA, D = N * M_PACKED + r[op->a]; NEXT)
    WIDE(MLS, D = r[op->a] - N * M_PACKED; NEXT)
    /* d and a are the halves of a long result. */
#define LONG_PRODUCT(type, wide_type, is_wide, adds)                                                                   \
    {                                                                                                                  \
        uint32_t first_ = N, second_ = M_PACKED, high_ = op->a;                                                        \
        uint64_t product_ = (uint64_t)((wide_type)(type)first_ * (type)second_), more_ = is_wide(first_);              \
        if (adds) product_ += (uint64_t)r[high_] << 32 | D;                                                            \
        D = (uint32_t)product_;                                                                                        \
        r[high_] = (uint32_t)(product_ >> 32);                                                                         \
        if (adds) more_ += more_ & is_wide(second_);                                                                   \
        more_ += is_wide(second_);                                                                                     \
        TOOK_MORE(more_);                                                                                              \
    }
#define NEEDS_MORE_BITS(value) ((value) > 0xFFFF)
#define NEEDS_MORE_SIGNED(value) ((value) + 0x8000 > 0xFFFF)
    WIDE(UMULL, LONG_PRODUCT(uint32_t, uint64_t, NEEDS_MORE_BITS, 0))
    WIDE(SMULL, LONG_PRODUCT(int32_t, int64_t, NEEDS_MORE_SIGNED, 0))
    WIDE(UMLAL, LONG_PRODUCT(uint32_t, uint64_t, NEEDS_MORE_BITS, 1))
    WIDE(SMLAL, LONG_PRODUCT(int32_t, int64_t, NEEDS_MORE_SIGNED, 1))
    WIDE(UDIV, {
        uint32_t divisor_ = M;
        if (!divisor_) goto by_zero;
        D = N / divisor_;
        TOOK_MORE(arm_quotient_cycles(D));
    })
    WIDE(SDIV, {
        uint32_t divisor_ = M;
        if (!divisor_) goto by_zero;
        D = divisor_ == UINT32_MAX ? 0 - N : (uint32_t)((int32_t)N / (int32_t)divisor_);
        TOOK_MORE(arm_quotient_cycles((int32_t)D < 0 ? 0 - D : D));
    })
    by_zero: /* 0, unless that is a fault */
    {
        enum { STEP = 2 * sizeof(armm_op) };
        if (core->ccr & 1u << 4) {
            NOW;
            armm_fault(core, ARMM_USAGE_FAULT, OAK_FAULT_DIVIDE, PC_HERE, 1u << 25);
            goto raised;
        }
        D = 0;
        NEXT;
    }
    WIDE(CLZ, D = 32 - oak_bit_width(M); NEXT)
    WIDE(RBIT, {
        uint32_t bits_ = M;
        bits_ = (bits_ >> 1 & 0x55555555) | (bits_ & 0x55555555) << 1;
        bits_ = (bits_ >> 2 & 0x33333333) | (bits_ & 0x33333333) << 2;
        bits_ = (bits_ >> 4 & 0x0F0F0F0F) | (bits_ & 0x0F0F0F0F) << 4;
        D = oak_reversed_bytes(bits_);
        NEXT;
    })
    BOTH(REV, D = oak_reversed_bytes(M); NEXT)
    BOTH(REV16, D = oak_rotated_right(oak_reversed_bytes(M), 16); NEXT)
    BOTH(REVSH, D = (uint32_t)((int32_t)oak_reversed_bytes(M) >> 16); NEXT)
    /* by: where the field begins, a: 32 less its width */
    WIDE(BFI, {
        uint32_t mask_ = UINT32_MAX >> op->a << op->by;
        D = (D & ~mask_) | (N << op->by & mask_);
        NEXT;
    })
    WIDE(BFC, D &= ~(UINT32_MAX >> op->a << op->by); NEXT)
    WIDE(MOVT, D = (D & 0xFFFF) | op->imm; NEXT)
    WIDE(SXTH_ROR, D = (uint32_t)(int32_t)(int16_t)oak_rotated_right(M_PACKED, op->by); NEXT)
    WIDE(SXTB_ROR, D = (uint32_t)(int32_t)(int8_t)(M_PACKED >> op->by); NEXT)
    WIDE(UXTH_ROR, D = oak_rotated_right(M_PACKED, op->by) & 0xFFFF; NEXT)
    WIDE(UXTB_ROR, D = M_PACKED >> op->by & 0xFF; NEXT)
    /* m: the width, by: a shift to the left, a: one to the right */
#define SATURATE(least, most)                                                                                          \
    {                                                                                                                  \
        int64_t value_ = (int32_t)(N << op->by) >> op->a, most_ = ((int64_t)1 << op->m) - 1, least_ = (least);         \
        if (value_ > most_) value_ = most_, core->q = true;                                                            \
        else if (value_ < least_) value_ = least_, core->q = true;                                                     \
        D = (uint32_t)value_;                                                                                          \
        NEXT;                                                                                                          \
    }
    WIDE(SSAT, SATURATE(-most_ - 1, most_))
    WIDE(USAT, SATURATE(0, most_))
    BOTH(SXTH, D = (uint32_t)(int32_t)(int16_t)M; NEXT)
    BOTH(SXTB, D = (uint32_t)(int32_t)(int8_t)M; NEXT)
    BOTH(UXTH, D = M & 0xFFFF; NEXT)
    BOTH(UXTB, D = M & 0xFF; NEXT)
    WIDE(UBFX, D = N << op->by >> op->a; NEXT)
    WIDE(SBFX, D = (uint32_t)((int32_t)(N << op->by) >> op->a); NEXT)

    /* One register: every width, from wherever the address comes. */
#define LOADS(EACH_WORD, EACH, kind, where, moved, far_)                                                                     \
    EACH_WORD(LDR_##kind, LOAD_FROM(where, 4, READ_WORD, loaded, moved, far_))                                               \
    EACH(LDRB_##kind, LOAD_FROM(where, 1, READ_BYTE, loaded, moved, far_))                                                   \
    EACH(LDRH_##kind, LOAD_FROM(where, 2, READ_HALF, loaded, moved, far_))
#define SIGNED_LOADS(EACH, kind, where, moved, far_)                                                                         \
    EACH(LDRSB_##kind, LOAD_FROM(where, 1, READ_BYTE, (uint32_t)(int32_t)(int8_t)loaded, moved, (far_) | ARMM_FAR_SIGNED))                       \
    EACH(LDRSH_##kind, LOAD_FROM(where, 2, READ_HALF, (uint32_t)(int32_t)(int16_t)loaded, moved, (far_) | ARMM_FAR_SIGNED))
#define STORES(EACH, kind, where, moved, far_)                                                                               \
    EACH(STR_##kind, STORE_TO(where, 4, WRITE_WORD, moved, far_))                                                            \
    EACH(STRB_##kind, STORE_TO(where, 1, WRITE_BYTE, moved, far_))                                                           \
    EACH(STRH_##kind, STORE_TO(where, 2, WRITE_HALF, moved, far_))
    LOADS(BOTH, BOTH, I, BEHIND_BASE, STAYS, 0)
    SIGNED_LOADS(WIDE, I, BEHIND_BASE, STAYS, 0)
    STORES(BOTH, I, BEHIND_BASE, STAYS, 0)
    LOADS(BOTH, BOTH, R, INDEXED, STAYS, 0)
    SIGNED_LOADS(BOTH, R, INDEXED, STAYS, 0)
    STORES(BOTH, R, INDEXED, STAYS, 0)
    LOADS(WIDE, WIDE, S, SCALED, STAYS, 0)
    SIGNED_LOADS(WIDE, S, SCALED, STAYS, 0)
    STORES(WIDE, S, SCALED, STAYS, 0)
    LOADS(WIDE, WIDE, PRE, BEHIND_BASE, MOVES_PAST, ARMM_FAR_PAST)
    SIGNED_LOADS(WIDE, PRE, BEHIND_BASE, MOVES_PAST, ARMM_FAR_PAST)
    STORES(WIDE, PRE, BEHIND_BASE, MOVES_PAST, ARMM_FAR_PAST)
    LOADS(BOTH, WIDE, POST, N, MOVES_PAST, ARMM_FAR_PAST)
    SIGNED_LOADS(WIDE, POST, N, MOVES_PAST, ARMM_FAR_PAST)
    STORES(WIDE, POST, N, MOVES_PAST, ARMM_FAR_PAST)
    load_far: /* of `access`, at `target` */
        NOW;
        if (!armm_load_far(core, op, target, access)) goto raised;
        if (core->kit.attention) goto attend;
        GO_BEHIND;
    store_far:
        NOW;
        REMEMBER(BEHIND(op));
        if (!armm_store_far(core, op, target, access)) goto raised;
        if (core->kit.attention) goto attend_stored;
        GO_BEHIND;
    BOTH(LDRD_I, LOAD_TWO(OFFSET_BASE, STAYS))
    WIDE(LDRD_PRE, LOAD_TWO(OFFSET_BASE, MOVES))
    BOTH(LDRD_POST, LOAD_TWO(N, MOVES_BY_OFFSET))
    WIDE(STRD_I, STORE_TWO(OFFSET_BASE, STAYS))
    WIDE(STRD_PRE, STORE_TWO(OFFSET_BASE, MOVES))
    BOTH(STRD_POST, STORE_TWO(N, MOVES_BY_OFFSET))

    /* Lists of registers: d is their number, the address any. */
    load_many:
    {
        uint32_t address_ = N + START, offset_ = WORDS_FROM(load, address_);
        const uint8_t *list_ = core->list[0] + op->offset, *at_ = core->load.bytes;
        if (offset_ >= core->load.words[op->d]) {
            offset_ = WORDS_FROM(code, address_);
            at_ = core->code.bytes;
            if (offset_ >= core->code.words[op->d]) {
                NOW;
                if (!armm_load_many(core, op, address_)) goto raised;
                if (core->kit.attention) goto attend;
                GO_BEHIND;
            }
        }
        at_ += 4 * (size_t)offset_;
        N += CHANGE;
        EACH_OF(op->d, LOAD_ONE);
        GO_BEHIND;
    }
    store_many:
    {
        uint32_t address_ = N + START, offset_ = WORDS_FROM(store, address_);
        if (offset_ < core->store.words[op->d]) {
            const uint8_t *list_ = core->list[0] + op->offset;
            uint8_t *at_ = core->store.bytes + 4 * (size_t)offset_;
            EACH_OF(op->d, STORE_ONE);
            N += CHANGE;
            GO_BEHIND;
        }
        NOW;
        REMEMBER(BEHIND(op));
        if (!armm_store_many(core, op, address_)) goto raised;
        if (core->kit.attention) goto attend_stored;
        GO_BEHIND;
    }
    push_many:
    {
        uint32_t to_ = r[ARM_SP] - 4 * (uint32_t)op->d, offset_ = WORDS_FROM(push, to_);
        const uint8_t *list_ = core->list[0] + op->offset;
        if (offset_ < core->push.words[op->d]) {
            uint8_t *at_ = core->push.bytes + 4 * (size_t)offset_;
            EACH_OF(op->d, STORE_ONE);
            r[ARM_SP] = to_;
            GO_BEHIND;
        }
        NOW;
        REMEMBER(BEHIND(op));
        if (!armm_push(core, list_, op->d)) goto raised;
        if (core->kit.attention) goto attend_stored;
        GO_BEHIND;
    }
    /* A return: d registers, and pc behind them. */
    pop_pc:
    {
        uint32_t address_ = N + START, offset_ = WORDS_FROM(load, address_), count_ = op->d;
        if (offset_ < core->load.words[count_ + 1]) {
            const uint8_t *list_ = core->list[0] + op->offset, *at_ = core->load.bytes + 4 * (size_t)offset_;
            uint32_t half_ = oak_rotated_right(WORD_AT(at_, count_) - core->code_first, 1);
            if (half_ < core->code_halves) {
                N += CHANGE;
                EACH_OF(count_, LOAD_ONE);
                ENTER_WITH(REFILL_AT(half_), core->ops + half_);
            }
        }
        SAVE;
        NOW;
        core->ends = core->now + armm_cycles(op->cost);
        extra = 0;
        done = armm_pop_pc(core, op, address_, &extra);
        LOAD;
        goto jumped;
    }
#define PUSH(count, stores)                                                                                            \
    {                                                                                                                  \
        uint32_t to_ = r[ARM_SP] - 4 * (uint32_t)(count), offset_ = WORDS_FROM(push, to_);                            \
        if (offset_ < core->push.words[count]) {                                                                       \
            uint8_t *at_ = core->push.bytes + 4 * (size_t)offset_;                                                     \
            stores;                                                                                                    \
            r[ARM_SP] = to_;                                                                                          \
            NEXT;                                                                                                      \
        }                                                                                                              \
        const uint8_t pushed_[2] = {op->d, op->n};                                                                     \
        NOW;                                                                                                           \
        REMEMBER(AFTER(op));                                                                                           \
        if (!armm_push(core, pushed_, count)) goto raised;                                                             \
        if (core->kit.attention) goto attend_stored;                                                                   \
        NEXT;                                                                                                          \
    }
    BOTH(PUSH_ONE, PUSH(1, PUT_WORD_AT(at_, 0, D)))
    BOTH(PUSH_TWO, PUSH(2, PUT_WORD_AT(at_, 0, D); PUT_WORD_AT(at_, 1, N)))

    /* Lists of so many registers, without asking how many; from the base on, which moves by the word. */
#define LOAD_SOME(count)                                                                                               \
    BOTH(LOAD_##count, {                                                                                               \
        uint32_t offset_ = WORDS_FROM(load, N);                                                                        \
        if (offset_ >= core->load.words[count]) goto load_many;                                                        \
        const uint8_t *list_ = core->list[0] + op->offset, *at_ = core->load.bytes + 4 * (size_t)offset_;              \
        N += CHANGE;                                                                                                   \
        DO_##count(LOAD_ONE);                                                                                          \
        NEXT;                                                                                                          \
    })
#define STORE_SOME(count)                                                                                              \
    BOTH(STORE_##count, {                                                                                              \
        uint32_t offset_ = WORDS_FROM(store, N);                                                                       \
        if (offset_ >= core->store.words[count]) goto store_many;                                                      \
        const uint8_t *list_ = core->list[0] + op->offset;                                                             \
        uint8_t *at_ = core->store.bytes + 4 * (size_t)offset_;                                                        \
        DO_##count(STORE_ONE);                                                                                         \
        N += CHANGE;                                                                                                   \
        NEXT;                                                                                                          \
    })
#define PUSH_SOME(count)                                                                                               \
    BOTH(PUSH_##count, {                                                                                               \
        uint32_t to_ = r[ARM_SP] - 4 * (uint32_t)(count), offset_ = WORDS_FROM(push, to_);                            \
        if (offset_ >= core->push.words[count]) goto push_many;                                                        \
        const uint8_t *list_ = core->list[0] + op->offset;                                                             \
        uint8_t *at_ = core->push.bytes + 4 * (size_t)offset_;                                                         \
        DO_##count(STORE_ONE);                                                                                         \
        r[ARM_SP] = to_;                                                                                              \
        NEXT;                                                                                                          \
    })
#define POP_PC_SOME(count)                                                                                             \
    BOTH(POP_PC_##count, {                                                                                             \
        uint32_t offset_ = WORDS_FROM(load, N);                                                                        \
        if (offset_ >= core->load.words[(count) + 1]) goto pop_pc;                                                     \
        const uint8_t *list_ = core->list[0] + op->offset, *at_ = core->load.bytes + 4 * (size_t)offset_;              \
        uint32_t half_ = oak_rotated_right(WORD_AT(at_, count) - core->code_first, 1);                                 \
        if (half_ >= core->code_halves) goto pop_pc;                                                                   \
        (void)list_;                                                                                                   \
        N += CHANGE;                                                                                                   \
        DO_##count(LOAD_ONE);                                                                                          \
        ENTER_WITH(REFILL_AT(half_), core->ops + half_);                                                               \
    })
#define DO_0(DO)
#define DO_1(DO) DO(0)
#define DO_2(DO) DO_1(DO); DO(1)
#define DO_3(DO) DO_2(DO); DO(2)
#define DO_4(DO) DO_3(DO); DO(3)
#define DO_5(DO) DO_4(DO); DO(4)
#define DO_6(DO) DO_5(DO); DO(5)
#define DO_7(DO) DO_6(DO); DO(6)
#define DO_8(DO) DO_7(DO); DO(7)
    LOAD_SOME(3) LOAD_SOME(4) LOAD_SOME(5) LOAD_SOME(6) LOAD_SOME(7) LOAD_SOME(8)
    STORE_SOME(3) STORE_SOME(4) STORE_SOME(5) STORE_SOME(6) STORE_SOME(7) STORE_SOME(8)
    PUSH_SOME(3) PUSH_SOME(4) PUSH_SOME(5) PUSH_SOME(6) PUSH_SOME(7) PUSH_SOME(8)
    POP_PC_SOME(0) POP_PC_SOME(1) POP_PC_SOME(2) POP_PC_SOME(3) POP_PC_SOME(4) POP_PC_SOME(5) POP_PC_SOME(6) POP_PC_SOME(7) POP_PC_SOME(8)
    NARROW(LOAD_MANY, goto load_many)
    WIDE(LOAD_MANY_W, goto load_many)
    NARROW(STORE_MANY, goto store_many)
    WIDE(STORE_MANY_W, goto store_many)
    NARROW(PUSH_MANY, goto push_many)
    WIDE(PUSH_MANY_W, goto push_many)
    NARROW(POP_PC, goto pop_pc)
    WIDE(POP_PC_W, goto pop_pc)

    /* Exclusive accesses, special registers, masks. */
#define CLAIMS (core->claimed = (N + op->imm) & ~(uint32_t)3)
    WIDE(LDREX, LOAD_FROM(BEHIND_BASE, 4, READ_WORD, loaded, CLAIMS, ARMM_FAR_CLAIMS))
    WIDE(LDREXB, LOAD_FROM(BEHIND_BASE, 1, READ_BYTE, loaded, CLAIMS, ARMM_FAR_CLAIMS))
    WIDE(LDREXH, LOAD_FROM(BEHIND_BASE, 2, READ_HALF, loaded, CLAIMS, ARMM_FAR_CLAIMS))
    /* d is told, the register a stored where its address is claimed */
#define STORE_CLAIMED(bytes_, write)                                                                                   \
    {                                                                                                                  \
        uint32_t address_ = N + OFFSET, place_ = PLACE_IN(store, address_, bytes_), value_ = r[op->a];                 \
        bool claimed_ = core->claimed == (address_ & ~(uint32_t)3);                                                    \
        if (claimed_ && place_ < core->store.reach[bytes_]) {                                                          \
            uint8_t *at_ = AT_PLACE(store, place_, bytes_);                                                            \
            write;                                                                                                     \
        } else if (claimed_ || (address_ & ((bytes_)-1))) {                                                            \
            NOW;                                                                                                       \
            REMEMBER(AFTER(op));                                                                                       \
            unsigned told_ = op->d;                                                                                    \
            if (!armm_store_aligned(core, address_, bytes_, value_)) goto raised;                                      \
            core->claimed = 1;                                                                                         \
            r[told_] = 0;                                                                                              \
            if (core->kit.attention) goto attend_stored;                                                               \
            NEXT;                                                                                                      \
        }                                                                                                              \
        core->claimed = 1;                                                                                             \
        D = !claimed_;                                                                                                 \
        NEXT;                                                                                                          \
    }
    WIDE(STREX, STORE_CLAIMED(4, WRITE_WORD))
    WIDE(STREXB, STORE_CLAIMED(1, WRITE_BYTE))
    WIDE(STREXH, STORE_CLAIMED(2, WRITE_HALF))
    WIDE(CLREX, core->claimed = 1; NEXT)
    BOTH(SEV, core->event = true; NEXT)
    /* Around a critical section: nothing to hold back or let through where PRIMASK is so already. */
    WIDE(MRS, if (op->imm == ARMM_SPECIAL_PRIMASK && armm_privileged(core)) {
        D = core->primask;
        NEXT;
    } SAVE; D = armm_read_special(core, op->imm); NEXT)
    WIDE(MSR, if (op->imm == ARMM_SPECIAL_PRIMASK && core->primask == (N & 1)) NEXT; SAVE; armm_write_special(core, op->imm, N); LOAD; ATTEND; NEXT)
    NARROW(CPS, if (armm_privileged(core)) { /* n: cpsid */
        if (op->imm == 2 && (op->n || !core->primask)) {
            core->primask = op->n; /* what it holds back can wait */
            NEXT;
        }
        armm_change_masks(core, op->imm, op->n);
        ATTEND;
    } NEXT)


#if LOOP_ONE /* two in one stand only in whole chains */
#define X(name, condition) CASE(CMP_R_##name): CASE(CMP_I_##name): CASE(ADD_R_CMP_R_##name): CASE(ADD_I_CMP_R_##name):
    ARMM_FUSED(X)
#undef X
    CASE(SUBS_I_BNE): CASE(ADD_I_CMP_I_BNE): goto one_done;
#else
#define X(name, condition)                                                                                             \
    CASE(CMP_R_##name): SUBTRACT_FLAGS(N, M); FUSED_BRANCH(1, condition);                                              \
    CASE(CMP_I_##name): SUBTRACT_FLAGS(N, op->imm); FUSED_BRANCH(1, condition);                                        \
    CASE(ADD_R_CMP_R_##name): D = N + M; SUBTRACT_FLAGS(r[op[1].n], r[op[1].imm]); FUSED_BRANCH(2, condition);         \
    CASE(ADD_I_CMP_R_##name): D = N + op->imm; SUBTRACT_FLAGS(r[op[1].n], r[op[1].imm]); FUSED_BRANCH(2, condition);
    ARMM_FUSED(X)
#undef X
    CASE(SUBS_I_BNE): SUBTRACT_FLAGS(N, op->imm); D = minuend - subtrahend; FUSED_BRANCH(1, minuend != subtrahend);
    CASE(ADD_I_CMP_I_BNE):
        D = N + op->imm;
        SUBTRACT_FLAGS(r[op[1].n], op[1].imm);
        FUSED_BRANCH(2, minuend != subtrahend);
#endif

    BOTH(B, ENTER(TARGET))
    WIDE(BL, r[ARM_LR] = RETURN_ADDRESS; ENTER(TARGET))
    NARROW(BX, JUMP_TO(M))
    NARROW(BLX, uint32_t to_ = M; r[ARM_LR] = RETURN_ADDRESS; JUMP_TO(to_))
    /* Jumps that leave bit 0 out; those to elsewhere are slow ones. */
#define BRANCH_TO(address)                                                                                              \
    do {                                                                                                               \
        uint32_t half_ = ((address) - (core->code_first & ~(uint32_t)1)) >> 1;                                         \
        target = (address) & ~(uint32_t)1;                                                                             \
        if (half_ >= core->code_halves) goto branch_far;                                                                 \
        ENTER_WITH(REFILL_AT(half_), core->ops + half_);                                                               \
    } while (0)
    NARROW(ADD_PC, uint32_t to_ = RETURN_ADDRESS + 1 + M; BRANCH_TO(to_))
    NARROW(MOV_PC, uint32_t to_ = M; BRANCH_TO(to_))
    branch_far:
        core->kit.pc = target;
        extra = armm_refill(core, target);
        done = ARMM_BRANCHED;
        goto jumped;
    jump_far: /* out of the first memory, with bit 0 clear, or a return from an exception */
        SAVE;
        NOW;
        core->ends = core->now + armm_cycles(op->cost);
        extra = 0;
        done = armm_jump(core, target, &extra);
        LOAD;
        goto jumped;
#if LOOP_ONE
#define TABLE_JUMP(bytes, read) goto slow_end
#else
#define TABLE_JUMP(bytes_, read)                                                                                       \
    {                                                                                                                  \
        uint32_t place_ = PLACE_IN(code, N + op->imm + r[op->d] * (bytes_), bytes_), loaded, half_;                    \
        if (place_ >= core->code.reach[bytes_]) goto slow_end;                                                         \
        const uint8_t *at_ = AT_PLACE(code, place_, bytes_);                                                           \
        loaded = (read);                                                                                               \
        half_ = (uint32_t)(op - ops) + 2 + loaded;                                                                     \
        if (half_ >= core->code_halves) goto slow_end;                                                                 \
        ENTER_WITH(REFILL_AT(half_), core->ops + half_);                                                               \
    }
#endif
    WIDE(TBB, TABLE_JUMP(1, READ_BYTE))
    WIDE(TBH, TABLE_JUMP(2, READ_HALF))
    NARROW(CBZ, BRANCH_IF(D == 0))
    NARROW(CBNZ, BRANCH_IF(D != 0))
    /* Conditions: a jump, and an instruction of a conditional block; by the operands of a comparison, or by the flags. */
#define CONDITION(name, by_operands, by_flags)                                                                         \
    BOTH(B##name, BRANCH_IF(compared ? (by_operands) : (by_flags)))                                                    \
    IF_CASE(name, compared ? (by_operands) : (by_flags))
    CONDITION(EQ, minuend == subtrahend, IS_ZERO)
    CONDITION(NE, minuend != subtrahend, !IS_ZERO)
    CONDITION(CS, minuend >= subtrahend, c)
    CONDITION(CC, minuend < subtrahend, !c)
    CONDITION(MI, (int32_t)(minuend - subtrahend) < 0, IS_NEGATIVE)
    CONDITION(PL, (int32_t)(minuend - subtrahend) >= 0, !IS_NEGATIVE)
    CONDITION(VS, OVERFLOWS, v >> 31)
    CONDITION(VC, !OVERFLOWS, !(v >> 31))
    CONDITION(HI, minuend > subtrahend, c && !IS_ZERO)
    CONDITION(LS, minuend <= subtrahend, !c || IS_ZERO)
    CONDITION(GE, (int32_t)minuend >= (int32_t)subtrahend, !DIFFERS)
    CONDITION(LT, (int32_t)minuend < (int32_t)subtrahend, DIFFERS)
    CONDITION(GT, (int32_t)minuend > (int32_t)subtrahend, !DIFFERS && !IS_ZERO)
    CONDITION(LE, (int32_t)minuend <= (int32_t)subtrahend, DIFFERS || IS_ZERO)

    NARROW(IT, NEXT)
    CASE(SINGLE): exit = KIT_EXIT_TIME; goto here; /* by itself, see armm_run_one */

    BOTH(SLOW, {
        SAVE;
        core->executes_conditional = op->n >> 7;
        NOW;
        REMEMBER(AFTER(op));
        extra = 0;
        done = armm_execute(core, op->d | (op->n & 0x7Fu) << 8, op->imm, PC_HERE, &extra);
        LOAD;
        TAKES_MORE(extra);
        if (done == ARMM_RAISED) goto raised;
        if (core->kit.attention || TIME_IS_OUT) goto attend_stored; /* it took longer than the chain was charged for */
        NEXT;
    })
    NARROW(SLOW_END, goto slow_end)
    WIDE(SLOW_END_W, goto slow_end)
    slow_end:
        SAVE;
        core->executes_conditional = op->n >> 7;
        NOW;
        core->ends = core->now + armm_cycles(op->cost);
        extra = 0;
        done = armm_execute_end(core, op, PC_HERE, &extra);
        LOAD;
    jumped: /* or not */
        TAKES_MORE(extra);
        if (done == ARMM_RAISED) goto raised;
        if (done == ARMM_SLEEPS || core->kit.attention) {
            exit = KIT_EXIT_EVENT;
#if LOOP_ONE
            if (done != ARMM_BRANCHED) core->kit.pc = pc + armm_step(op->handler) / 8;
            goto one_done;
#else
            if (done != ARMM_BRANCHED) armm_settle(core, BEHIND(op));
            goto leave;
#endif
        }
#if LOOP_ONE
        if (done != ARMM_BRANCHED) core->kit.pc = pc + armm_step(op->handler) / 8;
        goto one_done;
#else
        ENTER(done == ARMM_BRANCHED ? armm_op_at(core, core->kit.pc) : BEHIND(op));
#endif

    CASE(DECODE):
        COUNT_LEFT(op);
#if LOOP_COUNTS
        if (COUNTS_NOW && armm_is_ram(core, op)) { /* what the program may write over is counted one by one */
            exit = KIT_EXIT_TIME;
            goto uncounted;
        }
#endif
        armm_decode_chain(core, op);
        ENTER(op);
    CASE(STOP): AT_BOUNDARY; exit = KIT_EXIT_STOP; goto here;
    BOTH(PARKED, AT_BOUNDARY; exit = KIT_EXIT_PARKED; goto here)
    CASE(OUTSIDE):
        AT_BOUNDARY;
        armm_refuse_fetch(core, PC_HERE);
        goto raised;
    CASE(UNPROGRAMMED):
        AT_BOUNDARY;
        armm_fault(core, ARMM_HARD_FAULT, OAK_FAULT_UNPROGRAMMED, PC_HERE, 0);
        core->fault_unhandled = true;
        goto raised;
    CASE(DATA):
        AT_BOUNDARY;
        armm_fault(core, ARMM_HARD_FAULT, OAK_FAULT_DATA_RUN, PC_HERE, 0);
        core->fault_unhandled = true;
        goto raised;
    CASE(RESERVED):
        AT_BOUNDARY;
        armm_refuse_code(core, PC_HERE);
        goto raised;
    END_CASES

attend:
    REMEMBER(BEHIND(op));
attend_stored: /* the instruction is complete; something wants attention before the next. What is behind it is not done */
    exit = KIT_EXIT_EVENT;
    goto left_behind;
raised: /* the instruction has not been executed, unless it says otherwise */
    exit = KIT_EXIT_RAISED;
    if (core->raised_behind) {
        after = BEHIND(op);
        behind = 0;
    left_behind:
#if LOOP_ONE
        core->kit.pc = pc + (uint32_t)((char *)after - (char *)op) / 8;
        (void)behind;
        goto one_done;
#else
        spent -= behind;
        if (armm_count(behind)) COUNT_LEFT(after);
        armm_settle(core, after);
        goto leave;
#endif
    }
#if !LOOP_ONE
    goto here;
#if LOOP_JUDGED
judged:
    exit = KIT_EXIT_EVENT;
    goto here;
#endif
out_of_time:
    exit = KIT_EXIT_TIME;
    goto uncounted;
#endif
here: /* nothing of `op` has been executed */
    COUNT_LEFT(op);
#if !LOOP_ONE
uncounted:
#endif
    spent -= op->cost;
#if !LOOP_ONE
    armm_settle(core, op);
#endif
    goto leave;
#if LOOP_ONE
one_done:
    core->it = core->it_after;
#endif
leave:
    SAVE;
#if LOOP_JUDGED
    if (armm_count(spent)) core->kit.judged_pc = armm_pc_of(core, from);
#endif
    core->kit.time.cycles += (uint32_t)spent - began;
    core->kit.time.instructions += armm_count(spent);
    return exit;
}

#undef LOOP_NAME
#undef LOOP_ONE
#undef LOOP_COUNTS
#undef LOOP_JUDGED
#undef LOOP_KEPT
#undef AFTER
#undef BEHIND
#undef TARGET
#undef NEXT
#undef GO_ON
#undef ENTER
#undef GO_BEHIND
#undef ENTER_WITH
#undef LOOK
#undef COUNTS_NOW
#undef COUNTED
#undef COUNT
#undef COUNT_MORE
#undef COUNT_LEFT
#undef SETTLE_FLAGS
#undef SAVE
#undef LOAD
#undef TIME_IS_OUT
#undef NOW
#undef TAKES_MORE
#undef D
#undef N
#undef M
#undef M_PACKED
#undef SET_NZ
#undef ADD_FLAGS
#undef SUBTRACT_FLAGS
#undef CARRY_FLAGS
#undef PLACE_IN
#undef AT_PLACE
#undef LOAD_FROM
#undef STORE_TO
#undef REMEMBER
#undef ATTEND
#undef TOOK_MORE
#undef STAYS
#undef MOVES
#undef MOVES_PAST
#undef WORDS_FROM
#undef WORD_AT
#undef PUT_WORD_AT
#undef EACH_OF
#undef LOAD_ONE
#undef STORE_ONE
#undef LOAD_TWO
#undef STORE_TWO
#undef OFFSET
#undef START
#undef CHANGE
#undef OFFSET_BASE
#undef MOVES_BY_OFFSET
#undef READ_WORD
#undef READ_HALF
#undef READ_BYTE
#undef WRITE_WORD
#undef WRITE_HALF
#undef WRITE_BYTE
#undef INDEXED
#undef SCALED
#undef BEHIND_BASE
#undef NEAR
#undef BRANCH_IF
#undef REFILL_AT
#undef RETURN_ADDRESS
#undef JUMP_TO
#undef PC_HERE
#undef AT_BOUNDARY
#undef NARROW
#undef WIDE
#undef BOTH
#undef LOGICAL_I
#undef SHIFTED_CASES
#undef LOGICAL_SHIFTED
#undef IF_CASE
#undef COUNT_SKIPPED
#undef IS_ZERO
#undef FUSED_BRANCH
#undef IS_NEGATIVE
#undef OVERFLOWS
#undef DIFFERS
#undef LONG_PRODUCT
#undef NEEDS_MORE_BITS
#undef NEEDS_MORE_SIGNED
#undef SATURATE
#undef LOADS
#undef SIGNED_LOADS
#undef STORES
#undef PUSH
#undef LOAD_SOME
#undef STORE_SOME
#undef PUSH_SOME
#undef POP_PC_SOME
#undef DO_0
#undef DO_1
#undef DO_2
#undef DO_3
#undef DO_4
#undef DO_5
#undef DO_6
#undef DO_7
#undef DO_8
#undef CLAIMS
#undef STORE_CLAIMED
#undef BRANCH_TO
#undef TABLE_JUMP
#undef CONDITION
