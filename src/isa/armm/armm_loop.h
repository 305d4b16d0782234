/* armm_loop.h — the interpreter, included twice by armm_loop.c.
 *
 *   LOOP_NAME   name of the function
 *   LOOP_ONE    1: the one instruction in core->one; 0: whole blocks until `limit` cycles are used up
 *
 * The flags live in locals: nz, c, v; spent is instructions << 32 | cycles. A case ends with NEXT (the instruction behind it
 * belongs to the same block), GO_ON (it begins a new one) or ENTER (a jump). */

#define BEHIND(o) ((armm_op *)(void *)((char *)(o) + (o)->step))
#define TARGET    ((armm_op *)(void *)((char *)ops + op->imm))
#if LOOP_ONE
#define NEXT                                                                                                           \
    do {                                                                                                               \
        core->r[ARMM_PC] = pc + op->step / 8u;                                                                         \
        goto one_done;                                                                                                 \
    } while (0)
#define GO_ON NEXT
#define ENTER(where)                                                                                                   \
    do {                                                                                                               \
        core->r[ARMM_PC] = armm_pc_of(core, where);                                                                    \
        goto one_done;                                                                                                 \
    } while (0)
#else
#define NEXT                                                                                                           \
    do {                                                                                                               \
        op = BEHIND(op);                                                                                               \
        DISPATCH;                                                                                                      \
    } while (0)
#define ENTER(where)                                                                                                   \
    do {                                                                                                               \
        op = (where);                                                                                                  \
        spent += op->cost;                                                                                             \
        if ((uint32_t)spent > limit) goto out_of_time;                                                                 \
        DISPATCH;                                                                                                      \
    } while (0)
#define GO_ON ENTER(BEHIND(op))
#endif

#define SAVE (core->nz = nz, core->c = c, core->v = v)
#define LOAD (nz = core->nz, c = core->c, v = core->v)
#define NOW  (core->now = core->time.cycles + (uint32_t)(spent - op->cost))

#define D r[op->d]
#define N r[op->n]
#define M r[op->imm & 15]
#define SET_NZ(value) (nz = (int32_t)(value))

#define ADD_FLAGS(left, right)                                                                                         \
    do {                                                                                                               \
        uint32_t a_ = (left), b_ = (right), sum_ = a_ + b_;                                                            \
        c = sum_ < a_;                                                                                                 \
        v = ~(a_ ^ b_) & (a_ ^ sum_);                                                                                  \
        SET_NZ(sum_);                                                                                                  \
    } while (0)
#define SUBTRACT_FLAGS(left, right)                                                                                    \
    do {                                                                                                               \
        uint32_t a_ = (left), b_ = (right), difference_ = a_ - b_;                                                     \
        c = a_ >= b_;                                                                                                  \
        v = (a_ ^ b_) & (a_ ^ difference_);                                                                            \
        SET_NZ(difference_);                                                                                           \
    } while (0)
#define CARRY_FLAGS(left, right)                                                                                       \
    do {                                                                                                               \
        uint32_t a_ = (left), b_ = (right);                                                                            \
        uint64_t sum_ = (uint64_t)a_ + b_ + c;                                                                         \
        c = (uint32_t)(sum_ >> 32);                                                                                    \
        v = ~(a_ ^ b_) & (a_ ^ (uint32_t)sum_);                                                                        \
        SET_NZ((uint32_t)sum_);                                                                                        \
    } while (0)

/* A load: plain RAM at once, all else by armm_load. `made` is what becomes of the bytes, named `loaded`. */
#define LOAD_FROM(where, bytes, read, made)                                                                            \
    do {                                                                                                               \
        uint32_t address_ = (where), offset_ = address_ - core->ram_base, loaded;                                      \
        if (offset_ < core->load_bytes[bytes] && !(address_ & ((bytes)-1) & core->align_mask)) {                       \
            const uint8_t *at_ = core->ram + offset_;                                                                  \
            loaded = (read);                                                                                           \
            D = (made);                                                                                                \
            NEXT;                                                                                                      \
        }                                                                                                              \
        NOW;                                                                                                           \
        if (!armm_load(core, address_, bytes, &loaded)) goto raised;                                                   \
        D = (made);                                                                                                    \
        if (core->attention) goto attend;                                                                              \
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
        uint64_t rest_ = BEHIND(op)->cost;                                                                             \
        if (!armm_store(core, address_, bytes, value_)) goto raised;                                                   \
        if (core->attention) {                                                                                         \
            spent_behind = rest_;                                                                                      \
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
#define INDEXED    (N + (r[op->imm & 15] << (op->imm >> 8 & 3)))
#define BEHIND_BASE (N + op->imm)

#define BRANCH_IF(condition)                                                                                           \
    do {                                                                                                               \
        if (condition) {                                                                                               \
            spent += op->n;                                                                                            \
            ENTER(TARGET);                                                                                             \
        }                                                                                                              \
        GO_ON;                                                                                                         \
    } while (0)
#if LOOP_ONE
#define PC_HERE pc
#else
#define PC_HERE armm_pc_of(core, op)
#endif
#define IS_ZERO     ((uint32_t)nz == 0)
#define IS_NEGATIVE (nz < 0)
#define DIFFERS     (((uint32_t)((uint64_t)nz >> 32) ^ v) >> 31) /* N is not V */

static armm_exit LOOP_NAME(oak_core *core, uint32_t limit)
{
#if OAK_COMPUTED_GOTO
    static const void *const handlers[ARMM_OPS] = {
#define X(name) [ARMM_OP_##name] = &&on_##name,
        ARMM_OPERATIONS(X)
#undef X
    };
#else
    unsigned next_handler = 0;
#endif
    armm_op *const ops = core->ops;
    uint32_t *const r = core->r;
    armm_op *op;
    int64_t nz;
    uint32_t c, v, pc;
    uint64_t spent = 0, spent_behind = 0;
    armm_exit exit = ARMM_EXIT_DONE;
    LOAD;
#if LOOP_ONE
    (void)limit;
    (void)ops;
    pc = core->r[ARMM_PC];
    op = core->one;
    spent = op->cost;
    DISPATCH;
#else
    pc = 0;
    ENTER(armm_op_at(core, core->r[ARMM_PC]));
#endif
    BEGIN_CASES

    CASE(NOP): NEXT;
    CASE(MOV_I): D = op->imm; NEXT;
    CASE(MOVS_I): D = op->imm; SET_NZ(op->imm); NEXT;
    CASE(MOV_R): D = M; NEXT;
    CASE(MOVS_R): D = M; SET_NZ(D); NEXT;
    CASE(MVN_R): D = ~M; NEXT;
    CASE(MVNS_R): D = ~M; SET_NZ(D); NEXT;

    CASE(LSL_I): D = N << op->imm; NEXT;
    CASE(LSLS_I): c = N >> (32 - op->imm) & 1; D = N << op->imm; SET_NZ(D); NEXT;
    CASE(LSR_I): D = (uint32_t)((uint64_t)N >> op->imm); NEXT;
    CASE(LSRS_I): c = N >> (op->imm - 1) & 1; D = (uint32_t)((uint64_t)N >> op->imm); SET_NZ(D); NEXT;
    CASE(ASR_I): D = (uint32_t)((uint64_t)(int64_t)(int32_t)N >> op->imm); NEXT;
    CASE(ASRS_I): c = N >> (op->imm - 1) & 1; D = (uint32_t)((uint64_t)(int64_t)(int32_t)N >> op->imm); SET_NZ(D); NEXT;
    CASE(LSLS_R):
    {
        uint32_t value = N, by = M & 0xFF;
        if (by) c = by <= 32 ? (uint32_t)((uint64_t)value << by >> 32) & 1 : 0;
        D = by < 32 ? value << by : 0;
        SET_NZ(D);
        NEXT;
    }
    CASE(LSRS_R):
    {
        uint32_t value = N, by = M & 0xFF;
        if (by) c = by <= 32 ? (uint32_t)((uint64_t)value >> (by - 1)) & 1 : 0;
        D = by < 32 ? value >> by : 0;
        SET_NZ(D);
        NEXT;
    }
    CASE(ASRS_R):
    {
        uint32_t value = N, by = M & 0xFF;
        if (by > 32) by = 32;
        if (by) c = (uint32_t)((uint64_t)(int64_t)(int32_t)value >> (by - 1)) & 1;
        D = (uint32_t)((uint64_t)(int64_t)(int32_t)value >> by);
        SET_NZ(D);
        NEXT;
    }

    CASE(ADD_R): D = N + M; NEXT;
    CASE(ADDS_R): ADD_FLAGS(N, M); D = (uint32_t)nz; NEXT;
    CASE(ADD_I): D = N + op->imm; NEXT;
    CASE(ADDS_I): ADD_FLAGS(N, op->imm); D = (uint32_t)nz; NEXT;
    CASE(SUB_R): D = N - M; NEXT;
    CASE(SUBS_R): SUBTRACT_FLAGS(N, M); D = (uint32_t)nz; NEXT;
    CASE(SUB_I): D = N - op->imm; NEXT;
    CASE(SUBS_I): SUBTRACT_FLAGS(N, op->imm); D = (uint32_t)nz; NEXT;
    CASE(RSB_I): D = op->imm - N; NEXT;
    CASE(RSBS_I): SUBTRACT_FLAGS(op->imm, N); D = (uint32_t)nz; NEXT;
    CASE(ADCS_R): CARRY_FLAGS(N, M); D = (uint32_t)nz; NEXT;
    CASE(SBCS_R): CARRY_FLAGS(N, ~M); D = (uint32_t)nz; NEXT;
    CASE(CMP_R): SUBTRACT_FLAGS(N, M); NEXT;
    CASE(CMP_I): SUBTRACT_FLAGS(N, op->imm); NEXT;
    CASE(TST_R): SET_NZ(N & M); NEXT;
    CASE(TST_I): SET_NZ(N & op->imm); NEXT;

    CASE(AND_R): D = N & M; NEXT;
    CASE(ANDS_R): D = N & M; SET_NZ(D); NEXT;
    CASE(ORR_R): D = N | M; NEXT;
    CASE(ORRS_R): D = N | M; SET_NZ(D); NEXT;
    CASE(EOR_R): D = N ^ M; NEXT;
    CASE(EORS_R): D = N ^ M; SET_NZ(D); NEXT;
    CASE(BIC_R): D = N & ~M; NEXT;
    CASE(BICS_R): D = N & ~M; SET_NZ(D); NEXT;
    CASE(AND_I): D = N & op->imm; NEXT;
    CASE(ORR_I): D = N | op->imm; NEXT;
    CASE(EOR_I): D = N ^ op->imm; NEXT;
    CASE(BIC_I): D = N & ~op->imm; NEXT;

    CASE(ADD_LSL): D = N + (M << (op->imm >> 8 & 31)); NEXT;
    CASE(MUL): D = N * M; NEXT;
    CASE(MULS): D = N * M; SET_NZ(D); NEXT;
    CASE(MLA): D = N * M + r[op->imm >> 16]; NEXT;
    CASE(MLS): D = r[op->imm >> 16] - N * M; NEXT;
    CASE(SXTH): D = (uint32_t)(int32_t)(int16_t)M; NEXT;
    CASE(SXTB): D = (uint32_t)(int32_t)(int8_t)M; NEXT;
    CASE(UXTH): D = M & 0xFFFF; NEXT;
    CASE(UXTB): D = M & 0xFF; NEXT;
    CASE(UBFX): D = N << (op->imm & 31) >> (op->imm >> 8); NEXT;
    CASE(SBFX): D = (uint32_t)((int32_t)(N << (op->imm & 31)) >> (op->imm >> 8)); NEXT;

    CASE(LDR_I): LOAD_FROM(BEHIND_BASE, 4, READ_WORD, loaded);
    CASE(LDRB_I): LOAD_FROM(BEHIND_BASE, 1, READ_BYTE, loaded);
    CASE(LDRH_I): LOAD_FROM(BEHIND_BASE, 2, READ_HALF, loaded);
    CASE(LDRSB_I): LOAD_FROM(BEHIND_BASE, 1, READ_BYTE, (uint32_t)(int32_t)(int8_t)loaded);
    CASE(LDRSH_I): LOAD_FROM(BEHIND_BASE, 2, READ_HALF, (uint32_t)(int32_t)(int16_t)loaded);
    CASE(STR_I): STORE_TO(BEHIND_BASE, 4, WRITE_WORD);
    CASE(STRB_I): STORE_TO(BEHIND_BASE, 1, WRITE_BYTE);
    CASE(STRH_I): STORE_TO(BEHIND_BASE, 2, WRITE_HALF);
    CASE(LDR_R): LOAD_FROM(INDEXED, 4, READ_WORD, loaded);
    CASE(LDRB_R): LOAD_FROM(INDEXED, 1, READ_BYTE, loaded);
    CASE(LDRH_R): LOAD_FROM(INDEXED, 2, READ_HALF, loaded);
    CASE(LDRSB_R): LOAD_FROM(INDEXED, 1, READ_BYTE, (uint32_t)(int32_t)(int8_t)loaded);
    CASE(LDRSH_R): LOAD_FROM(INDEXED, 2, READ_HALF, (uint32_t)(int32_t)(int16_t)loaded);
    CASE(STR_R): STORE_TO(INDEXED, 4, WRITE_WORD);
    CASE(STRB_R): STORE_TO(INDEXED, 1, WRITE_BYTE);
    CASE(STRH_R): STORE_TO(INDEXED, 2, WRITE_HALF);

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
        spent += cycles;
        ENTER(to);
    }
    CASE(CBZ): BRANCH_IF(D == 0);
    CASE(CBNZ): BRANCH_IF(D != 0);
    CASE(BEQ): BRANCH_IF(IS_ZERO);
    CASE(BNE): BRANCH_IF(!IS_ZERO);
    CASE(BCS): BRANCH_IF(c);
    CASE(BCC): BRANCH_IF(!c);
    CASE(BMI): BRANCH_IF(IS_NEGATIVE);
    CASE(BPL): BRANCH_IF(!IS_NEGATIVE);
    CASE(BVS): BRANCH_IF(v >> 31);
    CASE(BVC): BRANCH_IF(!(v >> 31));
    CASE(BHI): BRANCH_IF(c && !IS_ZERO);
    CASE(BLS): BRANCH_IF(!c || IS_ZERO);
    CASE(BGE): BRANCH_IF(!DIFFERS);
    CASE(BLT): BRANCH_IF(DIFFERS);
    CASE(BGT): BRANCH_IF(!DIFFERS && !IS_ZERO);
    CASE(BLE): BRANCH_IF(DIFFERS || IS_ZERO);

    CASE(IT): NEXT;
    CASE(IF):
    {
        bool holds = armm_holds(op->d, nz, c, v);
        if (holds) {
            op = core->chunk[op->imm / ARMM_CHUNK][op->imm % ARMM_CHUNK].op;
            RESUME(op->handler);
        }
        spent -= op->n - 1u;
        NEXT;
    }
    CASE(IF_END):
        if (armm_holds(op->d, nz, c, v)) {
            op = core->chunk[op->imm / ARMM_CHUNK][op->imm % ARMM_CHUNK].op;
            RESUME(op->handler);
        }
        spent -= op->n - 1u;
        GO_ON;
    CASE(BACK): op = TARGET; DISPATCH;

    CASE(SLOW):
    {
        uint32_t extra = 0;
        SAVE;
        core->executes_conditional = op->n >> 7;
        NOW;
        uint64_t rest = LOOP_ONE ? 0 : BEHIND(op)->cost;
#if !LOOP_ONE
        pc = armm_pc_of(core, op);
#endif
        armm_done done = armm_execute(core, op->d | (op->n & 0x7Fu) << 8, op->imm, pc, &extra);
        LOAD;
        spent += extra;
        if (done == ARMM_RAISED) goto raised;
        if (core->attention) {
            spent_behind = rest;
            goto attend_stored;
        }
        NEXT;
    }
    slow_end:
    CASE(SLOW_END):
    {
        uint32_t extra = 0, own_pc = pc;
        SAVE;
        core->executes_conditional = op->n >> 7;
        NOW;
#if !LOOP_ONE
        own_pc = armm_pc_of(core, op);
#endif
        armm_done done;
        if (op->handler == ARMM_OP_BX) done = armm_jump(core, M, &extra);
        else done = armm_execute(core, op->d | (op->n & 0x7Fu) << 8, op->imm, own_pc, &extra);
        LOAD;
        spent += extra;
        if (done == ARMM_RAISED) goto raised;
        if (done == ARMM_SLEEPS || core->attention) {
            exit = ARMM_EXIT_EVENT;
#if LOOP_ONE
            if (done != ARMM_BRANCHED) core->r[ARMM_PC] = pc + op->step / 8u;
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
            ENTER(armm_op_at(core, core->r[ARMM_PC]));
#endif
        }
        GO_ON;
    }

    CASE(DECODE):
        armm_decode_block(core, op);
        ENTER(op);
    CASE(STOP): exit = ARMM_EXIT_STOP; goto here;
    CASE(PARKED): exit = ARMM_EXIT_PARKED; goto here;
    CASE(OUTSIDE):
        armm_fault(core, core->v7 ? ARMM_BUS_FAULT : ARMM_HARD_FAULT, OAK_FAULT_OUTSIDE_CODE, PC_HERE, 1u << 8);
        goto raised;
    CASE(UNPROGRAMMED):
        armm_fault(core, ARMM_HARD_FAULT, OAK_FAULT_UNPROGRAMMED, PC_HERE, 0);
        core->fault_unhandled = true;
        goto raised;
    CASE(DATA):
        armm_fault(core, ARMM_HARD_FAULT, OAK_FAULT_DATA_RUN, PC_HERE, 0);
        core->fault_unhandled = true;
        goto raised;
    CASE(RESERVED):
        armm_fault(core, core->v7 ? ARMM_USAGE_FAULT : ARMM_HARD_FAULT, OAK_FAULT_RESERVED, PC_HERE, 1u << 16);
        goto raised;
    END_CASES

attend: /* the instruction is complete; something wants attention before the next */
    spent_behind = LOOP_ONE ? 0 : BEHIND(op)->cost;
attend_stored:
    exit = ARMM_EXIT_EVENT;
#if LOOP_ONE
    core->r[ARMM_PC] = pc + op->step / 8u;
    (void)spent_behind;
    goto one_done;
#else
    spent -= spent_behind;
    armm_settle(core, BEHIND(op));
    goto leave;
#endif
raised: /* the instruction has not been executed, unless it says otherwise */
    exit = ARMM_EXIT_RAISED;
#if !LOOP_ONE
    if (core->raised_behind) {
        if (op->handler != ARMM_OP_SLOW_END) spent -= BEHIND(op)->cost;
        armm_settle(core, BEHIND(op));
        goto leave;
    }
#else
    if (core->raised_behind) {
        core->r[ARMM_PC] = pc + op->step / 8u;
        goto one_done;
    }
#endif
#if !LOOP_ONE
out_of_time:
    if (exit != ARMM_EXIT_RAISED) exit = ARMM_EXIT_TIME;
#endif
here: /* nothing of `op` has been executed */
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
    core->time.cycles += (uint32_t)spent;
    core->time.instructions += spent >> 32;
    return exit;
}

#undef LOOP_NAME
#undef LOOP_ONE
#undef BEHIND
#undef TARGET
#undef NEXT
#undef GO_ON
#undef ENTER
#undef SAVE
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
#undef IS_ZERO
#undef IS_NEGATIVE
#undef DIFFERS
