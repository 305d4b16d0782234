/* armm_loop.h — the interpreter, included four times by armm_loop.c.
 *
 *   LOOP_NAME   name of the function
 *   LOOP_ONE    1: the one instruction in core->one; 0: whole chains until `limit` cycles are used up
 *   LOOP_COUNTS 1: the same, and how often each chain is entered is counted (armm_counted)
 *   LOOP_JUDGED 1: counted where somebody counts, and behind each instruction somebody judges
 *
 * The flags live in locals: nz, c and v, or, while `compared`, the operands of a subtraction they come from. left is what
 * is left of the cycles, executed counts instructions. A case ends with NEXT (the instruction behind it
 * belongs to the same chain), GO_ON (it begins a new one) or ENTER (a jump). */

#define BEHIND(o) ((armm_op *)(void *)((char *)(o) + (o)->step))
#define AFTER(o)  ((armm_op *)(void *)((char *)(o) + STEP)) /* where the length is known */
#define TARGET    ((armm_op *)(void *)((char *)ops + op->imm))
#if LOOP_ONE
#define NEXT                                                                                                           \
    do {                                                                                                               \
        core->kit.pc = pc + op->step / 8u;                                                                         \
        goto one_done;                                                                                                 \
    } while (0)
#define NEXT_OP NEXT
#define GO_ON   NEXT
#define ENTER(where)                                                                                                   \
    do {                                                                                                               \
        core->kit.pc = armm_pc_of(core, where);                                                                    \
        goto one_done;                                                                                                 \
    } while (0)
#else
#define NEXT                                                                                                           \
    do {                                                                                                               \
        op = AFTER(op);                                                                                                \
        LOOK;                                                                                                          \
        DISPATCH;                                                                                                      \
    } while (0)
#define ENTER(where)                                                                                                   \
    do {                                                                                                               \
        op = (where);                                                                                                  \
        CHARGE(op);                                                                                              \
        if (left < 0) goto out_of_time;                                                                                \
        COUNT(op, 1);                                                                                                  \
        LOOK;                                                                                                          \
        DISPATCH;                                                                                                      \
    } while (0)
#define NEXT_OP                                                                                                        \
    do {                                                                                                               \
        op = BEHIND(op);                                                                                               \
        LOOK;                                                                                                          \
        DISPATCH;                                                                                                      \
    } while (0)
#define GO_ON ENTER(BEHIND(op))
#endif

#if LOOP_JUDGED
#define LOOK                                                                                                           \
    do {                                                                                                               \
        size_t slot_ = (size_t)(from - ops);                                                                           \
        unsigned which_ = slot_ < core->kit.slots ? core->judged_by[slot_] : OAK_JUDGED_ALL;                               \
        if (which_ & core->kit.judged.matter) {                                                                                         \
            SAVE;                                                                                                      \
            if (core->judges_state) armm_settle(core, op);                                                             \
            if (oak_judged_look(&core->kit.judged, core, which_)) goto judged;                                             \
            core->it = 0;                                                                                              \
        }                                                                                                              \
        from = op;                                                                                                     \
    } while (0)
#define COUNTS_NOW counts
#else
#define LOOK       (void)0
#define COUNTS_NOW true
#endif
#if LOOP_COUNTS
#define COUNTED(o)       ((armm_counted *)(void *)(counts + ((char *)(o) - (char *)ops)))
#define COUNT(o, n)      (void)(COUNTS_NOW && (COUNTED(o)->entered += (n)))
#define IN_PLACE(o)      ((uintptr_t)(o) - (uintptr_t)ops < (uintptr_t)core->kit.slots * sizeof(armm_op) ? (o) : armm_in_place(core, o))
#define COUNT_MORE(o, n) (void)(COUNTS_NOW && (COUNTED(IN_PLACE(o))->more += (n))) /* cycles */
#define COUNT_LEFT(o)    (void)(COUNTS_NOW && (COUNTED(IN_PLACE(o))->entered -= 1)) /* the chain was left in front of this */
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
#define CHARGE(o)     (left -= (int32_t)(o)->cycles, executed += (o)->count)
#define REFUND(cost_) (left += (int32_t)(uint32_t)(cost_), executed -= (uint32_t)((cost_) >> 32))
#define NOW           (core->now_op = op, core->now = core->kit.time.cycles + (uint32_t)((int32_t)limit - left) - op->cycles)

#define D r[op->d]
#define N r[op->n]
#define M r[op->imm]
#define M_PACKED r[op->imm & 15]
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
        v = ~(a_ ^ b_) & (a_ ^ sum_);                                                                                  \
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
        v = ~(a_ ^ b_) & (a_ ^ (uint32_t)sum_);                                                                        \
        nz = (int32_t)(uint32_t)sum_;                                                                                  \
    } while (0)

/* A load: plain RAM at once, all else by armm_load. `made` is what becomes of the bytes, named `loaded`. */
#define LOAD_FROM(where, bytes, read, made)                                                                            \
    do {                                                                                                               \
        uint32_t address_ = (where), offset_ = address_ - core->load_base, loaded;                                      \
        if (offset_ < core->load_bytes[bytes] && !(address_ & ((bytes)-1) & core->align_mask)) {                       \
            const uint8_t *at_ = core->load_ram + offset_;                                                             \
            loaded = (read);                                                                                           \
            D = (made);                                                                                                \
            NEXT;                                                                                                      \
        }                                                                                                              \
        NOW;                                                                                                           \
        if (!armm_load(core, address_, bytes, &loaded)) goto raised;                                                   \
        D = (made);                                                                                                    \
        if (core->kit.attention) goto attend;                                                                              \
        NEXT;                                                                                                          \
    } while (0)
#define STORE_TO(where, bytes, write)                                                                                  \
    do {                                                                                                               \
        uint32_t address_ = (where), offset_ = address_ - core->store_base, value_ = D;                                \
        if (offset_ < core->store_bytes[bytes] && !(address_ & ((bytes)-1) & core->align_mask)) {                      \
            uint8_t *at_ = core->store_ram + offset_;                                                                  \
            write;                                                                                                     \
            NEXT;                                                                                                      \
        }                                                                                                              \
        NOW;                                                                                                           \
        uint64_t rest_ = armm_cost(BEHIND(op));                                                                             \
        if (!armm_store(core, address_, bytes, value_)) goto raised;                                                   \
        if (core->kit.attention) {                                                                                         \
            behind = rest_;                                                                                     \
            goto attend_stored;                                                                                        \
        }                                                                                                              \
        NEXT;                                                                                                          \
    } while (0)
#define READ_WORD  ((uint32_t)at_[0] | (uint32_t)at_[1] << 8 | (uint32_t)at_[2] << 16 | (uint32_t)at_[3] << 24)
#define READ_HALF  ((uint32_t)at_[0] | (uint32_t)at_[1] << 8)
#define READ_BYTE  ((uint32_t)at_[0])
#define WRITE_WORD (at_[0] = (uint8_t)value_, at_[1] = (uint8_t)(value_ >> 8), at_[2] = (uint8_t)(value_ >> 16),       \
                    at_[3] = (uint8_t)(value_ >> 24))
#define WRITE_HALF (at_[0] = (uint8_t)value_, at_[1] = (uint8_t)(value_ >> 8))
#define WRITE_BYTE (at_[0] = (uint8_t)value_)
#define INDEXED    (N + M)
#define SCALED     (N + (M_PACKED << (op->imm >> 8)))
#define BEHIND_BASE (N + op->imm)

#if LOOP_ONE
#define NEAR(o) ((armm_op *)(void *)((char *)ops + (o)->imm))
#else
#define NEAR(o) ((armm_op *)(void *)((char *)(o) + (int32_t)(o)->imm))
#endif
#define BRANCH_IF(condition)                                                                                           \
    do {                                                                                                               \
        if (condition) {                                                                                               \
            left -= op->n;                                                                                          \
            COUNT_MORE(op, op->n);                                                                                  \
            ENTER(NEAR(op));                                                                                             \
        }                                                                                                              \
        GO_ON;                                                                                                         \
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
    if (left <= 0) {                                                                                               \
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
#define IS_ZERO     ((uint32_t)nz == 0)
/* The jump `slots` behind this operation, which is part of it. */
#define FUSED_BRANCH(slots, condition)                                                                                 \
    do {                                                                                                               \
        if (condition) {                                                                                               \
            left -= op[slots].n;                                                                                   \
            COUNT_MORE(op + (slots), op[slots].n);                                                                 \
            ENTER(NEAR(&op[slots]));                                                                                   \
        }                                                                                                              \
        ENTER(op + (slots) + 1);                                                                                       \
    } while (0)
#define IS_NEGATIVE (nz < 0)
#define DIFFERS     (((uint32_t)((uint64_t)nz >> 32) ^ v) >> 31) /* N is not V */

static kit_exit LOOP_NAME(oak_core *core, uint32_t limit)
{
#if OAK_COMPUTED_GOTO
    static const void *const handlers[ARMM_OPS] = {
#define X(name) [ARMM_OP_##name] = &&on_##name,
        ARMM_OPERATIONS(X)
#undef X
#define X(name) [ARMM_OP_##name##_W] = &&on_##name##_W,
        ARMM_BOTH_LENGTHS(X)
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
    uint32_t c, v, minuend = 0, subtrahend = 0, pc;
    bool compared = false;
    uint64_t behind = 0;
    int32_t left = (int32_t)limit;
    uint32_t executed = 0;
    kit_exit exit = KIT_EXIT_STEP;
    LOAD;
#if LOOP_ONE
    (void)limit;
    (void)ops;
    pc = core->kit.pc;
    op = core->one;
    CHARGE(op);
    DISPATCH;
#else
    pc = 0;
    ENTER(armm_op_at(core, core->kit.pc));
#endif
    BEGIN_CASES

    BOTH(NOP, NEXT)
    BOTH(MOV_I, D = op->imm; NEXT)
    BOTH(MOVS_I, D = op->imm; SET_NZ(op->imm); NEXT)
    BOTH(MOV_R, D = M; NEXT)
    BOTH(MOVS_R, D = M; SET_NZ(D); NEXT)
    BOTH(MVN_R, D = ~M; NEXT)
    BOTH(MVNS_R, D = ~M; SET_NZ(D); NEXT)

    BOTH(LSL_I, D = N << op->imm; NEXT)
    BOTH(LSLS_I, SETTLE_FLAGS; c = N >> (32 - op->imm) & 1; D = N << op->imm; SET_NZ(D); NEXT)
    BOTH(LSR_I, D = (uint32_t)((uint64_t)N >> op->imm); NEXT)
    BOTH(LSRS_I, SETTLE_FLAGS; c = N >> (op->imm - 1) & 1; D = (uint32_t)((uint64_t)N >> op->imm); SET_NZ(D); NEXT)
    BOTH(ASR_I, D = (uint32_t)((uint64_t)(int64_t)(int32_t)N >> op->imm); NEXT)
    BOTH(ASRS_I, SETTLE_FLAGS; c = N >> (op->imm - 1) & 1; D = (uint32_t)((uint64_t)(int64_t)(int32_t)N >> op->imm); SET_NZ(D); NEXT)
    NARROW(LSLS_R,
        {
        uint32_t value = N, by = M & 0xFF;
        SETTLE_FLAGS;
        if (by) c = by <= 32 ? (uint32_t)((uint64_t)value << by >> 32) & 1 : 0;
        D = by < 32 ? value << by : 0;
        SET_NZ(D);
        NEXT;
    })
    NARROW(LSRS_R,
        {
        uint32_t value = N, by = M & 0xFF;
        SETTLE_FLAGS;
        if (by) c = by <= 32 ? (uint32_t)((uint64_t)value >> (by - 1)) & 1 : 0;
        D = by < 32 ? value >> by : 0;
        SET_NZ(D);
        NEXT;
    })
    NARROW(ASRS_R,
        {
        uint32_t value = N, by = M & 0xFF;
        SETTLE_FLAGS;
        if (by > 32) by = 32;
        if (by) c = (uint32_t)((uint64_t)(int64_t)(int32_t)value >> (by - 1)) & 1;
        D = (uint32_t)((uint64_t)(int64_t)(int32_t)value >> by);
        SET_NZ(D);
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
    BOTH(ADCS_R, CARRY_FLAGS(N, M); D = (uint32_t)nz; NEXT)
    BOTH(SBCS_R, CARRY_FLAGS(N, ~M); D = (uint32_t)nz; NEXT)
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
    WIDE(AND_I, D = N & op->imm; NEXT)
    WIDE(ORR_I, D = N | op->imm; NEXT)
    WIDE(EOR_I, D = N ^ op->imm; NEXT)
    WIDE(BIC_I, D = N & ~op->imm; NEXT)

    WIDE(ADD_LSL, D = N + (M_PACKED << (op->imm >> 8)); NEXT)
    BOTH(MUL, D = N * M; NEXT)
    NARROW(MULS, D = N * M; SET_NZ(D); NEXT)
    WIDE(MLA, D = N * M_PACKED + r[op->imm >> 16]; NEXT)
    WIDE(MLS, D = r[op->imm >> 16] - N * M_PACKED; NEXT)
    BOTH(SXTH, D = (uint32_t)(int32_t)(int16_t)M; NEXT)
    BOTH(SXTB, D = (uint32_t)(int32_t)(int8_t)M; NEXT)
    BOTH(UXTH, D = M & 0xFFFF; NEXT)
    BOTH(UXTB, D = M & 0xFF; NEXT)
    WIDE(UBFX, D = N << (op->imm & 31) >> (op->imm >> 8); NEXT)
    WIDE(SBFX, D = (uint32_t)((int32_t)(N << (op->imm & 31)) >> (op->imm >> 8)); NEXT)

    BOTH(LDR_I, LOAD_FROM(BEHIND_BASE, 4, READ_WORD, loaded))
    BOTH(LDRB_I, LOAD_FROM(BEHIND_BASE, 1, READ_BYTE, loaded))
    BOTH(LDRH_I, LOAD_FROM(BEHIND_BASE, 2, READ_HALF, loaded))
    WIDE(LDRSB_I, LOAD_FROM(BEHIND_BASE, 1, READ_BYTE, (uint32_t)(int32_t)(int8_t)loaded))
    WIDE(LDRSH_I, LOAD_FROM(BEHIND_BASE, 2, READ_HALF, (uint32_t)(int32_t)(int16_t)loaded))
    BOTH(STR_I, STORE_TO(BEHIND_BASE, 4, WRITE_WORD))
    BOTH(STRB_I, STORE_TO(BEHIND_BASE, 1, WRITE_BYTE))
    BOTH(STRH_I, STORE_TO(BEHIND_BASE, 2, WRITE_HALF))
    BOTH(LDR_R, LOAD_FROM(INDEXED, 4, READ_WORD, loaded))
    BOTH(LDRB_R, LOAD_FROM(INDEXED, 1, READ_BYTE, loaded))
    BOTH(LDRH_R, LOAD_FROM(INDEXED, 2, READ_HALF, loaded))
    BOTH(LDRSB_R, LOAD_FROM(INDEXED, 1, READ_BYTE, (uint32_t)(int32_t)(int8_t)loaded))
    BOTH(LDRSH_R, LOAD_FROM(INDEXED, 2, READ_HALF, (uint32_t)(int32_t)(int16_t)loaded))
    BOTH(STR_R, STORE_TO(INDEXED, 4, WRITE_WORD))
    BOTH(STRB_R, STORE_TO(INDEXED, 1, WRITE_BYTE))
    BOTH(STRH_R, STORE_TO(INDEXED, 2, WRITE_HALF))

    WIDE(LDR_S, LOAD_FROM(SCALED, 4, READ_WORD, loaded))
    WIDE(LDRB_S, LOAD_FROM(SCALED, 1, READ_BYTE, loaded))
    WIDE(LDRH_S, LOAD_FROM(SCALED, 2, READ_HALF, loaded))
    WIDE(LDRSB_S, LOAD_FROM(SCALED, 1, READ_BYTE, (uint32_t)(int32_t)(int8_t)loaded))
    WIDE(LDRSH_S, LOAD_FROM(SCALED, 2, READ_HALF, (uint32_t)(int32_t)(int16_t)loaded))
    WIDE(STR_S, STORE_TO(SCALED, 4, WRITE_WORD))
    WIDE(STRB_S, STORE_TO(SCALED, 1, WRITE_BYTE))
    WIDE(STRH_S, STORE_TO(SCALED, 2, WRITE_HALF))

#if LOOP_ONE /* two in one stand only in whole chains */
#define X(name, condition) CASE(CMP_R_##name): CASE(CMP_I_##name): CASE(ADD_R_CMP_R_##name): CASE(ADD_I_CMP_R_##name):
    ARMM_FUSED(X)
#undef X
    CASE(SUBS_I_BNE): CASE(ADD_I_CMP_I_BNE): NEXT_OP;
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

    CASE(B): ENTER(TARGET);
    CASE(BL):
    {
#if LOOP_ONE
        r[ARMM_LR] = (pc + 4) | 1;
#else
        r[ARMM_LR] = armm_pc_of(core, BEHIND(op)) | 1;
#endif
        ENTER(TARGET);
    }
    CASE(BX):
    {
        uint32_t target = M, cycles = 0;
        armm_op *to;
        if (target >> 28 == 15) goto slow_end; /* perhaps a return from an exception */
#if LOOP_ONE
        if (!(target & 1)) goto slow_end;
        to = armm_op_at(core, target - 1);
#else
        uint32_t slot = (target - core->region[0].base) >> 1;
        if (!(target & 1)) goto slow_end;
        to = target - core->region[0].base < core->region[0].size ? ops + slot : armm_op_at(core, target - 1);
#endif
        cycles = core->v7 ? armm_refill(core, target - 1) : 2;
        left -= (int32_t)cycles;
        COUNT_MORE(op, cycles);
        ENTER(to);
    }
    CASE(CBZ): BRANCH_IF(D == 0);
    CASE(CBNZ): BRANCH_IF(D != 0);
    CASE(BEQ): SETTLE_FLAGS; BRANCH_IF(IS_ZERO);
    CASE(BNE): SETTLE_FLAGS; BRANCH_IF(!IS_ZERO);
    CASE(BCS): SETTLE_FLAGS; BRANCH_IF(c);
    CASE(BCC): SETTLE_FLAGS; BRANCH_IF(!c);
    CASE(BMI): SETTLE_FLAGS; BRANCH_IF(IS_NEGATIVE);
    CASE(BPL): SETTLE_FLAGS; BRANCH_IF(!IS_NEGATIVE);
    CASE(BVS): SETTLE_FLAGS; BRANCH_IF(v >> 31);
    CASE(BVC): SETTLE_FLAGS; BRANCH_IF(!(v >> 31));
    CASE(BHI): SETTLE_FLAGS; BRANCH_IF(c && !IS_ZERO);
    CASE(BLS): SETTLE_FLAGS; BRANCH_IF(!c || IS_ZERO);
    CASE(BGE): SETTLE_FLAGS; BRANCH_IF(!DIFFERS);
    CASE(BLT): SETTLE_FLAGS; BRANCH_IF(DIFFERS);
    CASE(BGT): SETTLE_FLAGS; BRANCH_IF(!DIFFERS && !IS_ZERO);
    CASE(BLE): SETTLE_FLAGS; BRANCH_IF(DIFFERS || IS_ZERO);

    NARROW(IT, NEXT)
    CASE(IF):
    {
        SETTLE_FLAGS;
        bool holds = armm_holds(op->d, nz, c, v);
        if (holds) {
            op = core->chunk[op->imm / ARMM_CHUNK][op->imm % ARMM_CHUNK].op;
            RESUME(op->handler);
        }
        left += op->n - 1;
        COUNT_MORE(op, 1 - (int64_t)op->n);
        NEXT_OP;
    }
    CASE(IF_END):
        SETTLE_FLAGS;
        if (armm_holds(op->d, nz, c, v)) {
            op = core->chunk[op->imm / ARMM_CHUNK][op->imm % ARMM_CHUNK].op;
            RESUME(op->handler);
        }
        left += op->n - 1;
        COUNT_MORE(op, 1 - (int64_t)op->n);
        GO_ON;
    CASE(BACK): op = TARGET; DISPATCH;
    CASE(BACK_END): ENTER(TARGET);
    CASE(SINGLE): exit = KIT_EXIT_TIME; goto here; /* by itself, see armm_run_one */

    CASE(SLOW):
    {
        uint32_t extra = 0;
        SAVE;
        core->executes_conditional = op->n >> 7;
        NOW;
        uint64_t rest = LOOP_ONE ? 0 : armm_cost(BEHIND(op));
#if !LOOP_ONE
        pc = armm_pc_of(core, op);
#endif
        armm_done done = armm_execute(core, op->d | (op->n & 0x7Fu) << 8, op->imm, pc, &extra);
        LOAD;
        left -= (int32_t)extra;
        COUNT_MORE(op, extra);
        if (done == ARMM_RAISED) goto raised;
        if (core->kit.attention || left < 0) { /* it took longer than the chain was charged for */
            behind = rest;
            goto attend_stored;
        }
        NEXT_OP;
    }
    slow_end:
    CASE(SLOW_END):
    {
        uint32_t extra = 0, own_pc = pc;
        SAVE;
        core->executes_conditional = op->n >> 7;
        NOW;
        core->ends = core->now + op->cycles;
#if !LOOP_ONE
        own_pc = armm_pc_of(core, op);
#endif
        armm_done done;
        if (op->handler == ARMM_OP_BX) done = armm_jump(core, M, &extra);
        else done = armm_execute(core, op->d | (op->n & 0x7Fu) << 8, op->imm, own_pc, &extra);
        LOAD;
        left -= (int32_t)extra;
        COUNT_MORE(op, extra);
        if (done == ARMM_RAISED) goto raised;
        if (done == ARMM_SLEEPS || core->kit.attention) {
            exit = KIT_EXIT_EVENT;
#if LOOP_ONE
            if (done != ARMM_BRANCHED) core->kit.pc = pc + op->step / 8u;
            goto one_done;
#else
            if (done != ARMM_BRANCHED) armm_settle(core, BEHIND(op));
            goto leave;
#endif
        }
        if (done == ARMM_BRANCHED) {
#if LOOP_ONE
            goto one_done;
#else
            ENTER(armm_op_at(core, core->kit.pc));
#endif
        }
        GO_ON;
    }

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
    CASE(PARKED): AT_BOUNDARY; exit = KIT_EXIT_PARKED; goto here;
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

attend: /* the instruction is complete; something wants attention before the next */
    behind = LOOP_ONE ? 0 : armm_cost(BEHIND(op));
attend_stored:
    exit = KIT_EXIT_EVENT;
#if LOOP_ONE
    core->kit.pc = pc + op->step / 8u;
    (void)behind;
    goto one_done;
#else
    REFUND(behind);
    if (behind >> 32) COUNT_LEFT(BEHIND(op));
    armm_settle(core, BEHIND(op));
    goto leave;
#endif
raised: /* the instruction has not been executed, unless it says otherwise */
    exit = KIT_EXIT_RAISED;
#if !LOOP_ONE
    if (core->raised_behind) {
        behind = op->handler != ARMM_OP_SLOW_END ? armm_cost(BEHIND(op)) : 0;
        REFUND(behind);
        if (behind >> 32) COUNT_LEFT(BEHIND(op));
        armm_settle(core, BEHIND(op));
        goto leave;
    }
#else
    if (core->raised_behind) {
        core->kit.pc = pc + op->step / 8u;
        goto one_done;
    }
#endif
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
    REFUND(armm_cost(op));
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
    if (executed) core->kit.judged_pc = armm_pc_of(core, from);
#endif
    core->kit.time.cycles += (uint32_t)((int32_t)limit - left);
    core->kit.time.instructions += executed;
    return exit;
}

#undef LOOP_NAME
#undef LOOP_ONE
#undef LOOP_COUNTS
#undef LOOP_JUDGED
#undef LOOK
#undef COUNTS_NOW
#undef COUNT
#undef COUNTED
#undef IN_PLACE
#undef COUNT_MORE
#undef COUNT_LEFT
#undef BEHIND
#undef AFTER
#undef NEAR
#undef CHARGE
#undef REFUND
#undef TARGET
#undef NEXT
#undef NEXT_OP
#undef GO_ON
#undef ENTER
#undef SAVE
#undef SETTLE_FLAGS
#undef M_PACKED
#undef SCALED
#undef FUSED_BRANCH
#undef LOAD
#undef NOW
#undef D
#undef N
#undef M
#undef SET_NZ
#undef ADD_FLAGS
#undef SUBTRACT_FLAGS
#undef CARRY_FLAGS
#undef LOAD_FROM
#undef STORE_TO
#undef READ_WORD
#undef READ_HALF
#undef READ_BYTE
#undef WRITE_WORD
#undef WRITE_HALF
#undef WRITE_BYTE
#undef INDEXED
#undef BEHIND_BASE
#undef BRANCH_IF
#undef PC_HERE
#undef NARROW
#undef AT_BOUNDARY
#undef WIDE
#undef BOTH
#undef IS_ZERO
#undef IS_NEGATIVE
#undef DIFFERS
