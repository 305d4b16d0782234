/* mcs51_loop.h — the interpreter, included twice by mcs51_loop.c.
 *
 *   LOOP_NAME      name of the function
 *   LOOP_ONE       1: run one instruction after the other until `limit` cycles are used up or something wants
 *                  attention; 0: run whole blocks while they fit into `limit` cycles
 *
 * One case per row, in the order of mcs51.def. Registers that matter live in locals: a, cy, carries, r (the bank),
 * spent (instructions << 32 | cycles). A case ends with NEXT(bytes) or ENTER(operation). */

#define ENTER(where)                                                                                               \
    do {                                                                                                           \
        op = (where);                                                                                              \
        LEAVE_IF_ONE(op);                                                                                          \
        spent += op->cost;                                                                                         \
        if ((uint32_t)spent > limit) goto out_of_time;                                                             \
        DISPATCH;                                                                                                  \
    } while (0)
#define NEXT(bytes)                                                                                                \
    do {                                                                                                           \
        op += (bytes);                                                                                             \
        LEAVE_IF_ONE(op);                                                                                          \
        DISPATCH;                                                                                                  \
    } while (0)
#if LOOP_ONE
#define LEAVE_IF_ONE(op)                                                                                           \
    if ((op) < ops + SLOTS - 1) goto one_done
#else
#define LEAVE_IF_ONE(op) (void)0
#endif

#define FAULT(kind, space, address)                                                                                \
    do {                                                                                                           \
        core->fault = (kind);                                                                                      \
        core->fault_space = (space);                                                                               \
        core->fault_address = (address);                                                                           \
        goto faulted;                                                                                              \
    } while (0)

#define SAVE (core->a = (uint8_t)a, core->cy = (uint8_t)cy, core->carries = carries)
#define LOAD (a = core->a, cy = core->cy, carries = core->carries, r = data + (data[PSW] & 0x18))

#define DIRECT data[op->at]
#define IMMEDIATE op->at
#define POINTED pointed = r[op->x]; if (pointed > core->ram_top) goto no_such_ram
#define DPTR_VALUE ((uint32_t)(data[DPH] << 8 | data[DPL]))
/* A branch with a displacement: two bytes long unless it has more operands. */
#define BRANCH_IF(condition, bytes)                                                                                \
    do {                                                                                                           \
        if (condition) ENTER(ops + op->target);                                                                    \
        ENTER(op + (bytes));                                                                                       \
    } while (0)
#define ADD_TO_A(value, with)                                                                                      \
    do {                                                                                                           \
        uint32_t operand = (value), sum = a + operand + (with);                                                    \
        carries = a ^ operand ^ sum;                                                                               \
        cy = sum >> 8;                                                                                             \
        a = sum & 0xFF;                                                                                            \
    } while (0)
#define SUBTRACT_FROM_A(value)                                                                                     \
    do {                                                                                                           \
        uint32_t operand = (value), difference = a - operand - cy;                                                 \
        carries = a ^ operand ^ difference;                                                                        \
        cy = difference >> 8 & 1;                                                                                  \
        a = difference & 0xFF;                                                                                     \
    } while (0)
#define COMPARE_AND_BRANCH(left, right, bytes)                                                                     \
    do {                                                                                                           \
        uint32_t first = (left), second = (right);                                                                 \
        cy = first < second;                                                                                       \
        BRANCH_IF(first != second, bytes);                                                                         \
    } while (0)
#define CALL(target_address, bytes)                                                                                \
    do {                                                                                                           \
        uint32_t sp = data[SP], back = (uint32_t)(op - ops) + (bytes);                                             \
        if (sp + 2 > core->stack_top) goto stack_grows;                                                              \
        data[sp + 1] = (uint8_t)back;                                                                              \
        data[sp + 2] = (uint8_t)(back >> 8);                                                                       \
        data[SP] = (uint8_t)(sp + 2);                                                                              \
        ENTER(ops + (target_address));                                                                             \
    } while (0)
#define RETURN                                                                                                     \
    do {                                                                                                           \
        uint32_t sp = data[SP];                                                                                    \
        if (sp < 1) goto stack_underflow;                                                                          \
        if (sp > core->ram_top) goto stack_overflow;                                                               \
        data[SP] = (uint8_t)(sp - 2);                                                                              \
        ENTER(ops + (data[sp] << 8 | data[sp - 1]));                                                               \
    } while (0)

static mcs51_exit LOOP_NAME(oak_core *core, uint32_t limit)
{
#if OAK_COMPUTED_GOTO
    static const void *const handlers[OP_COUNT] = {
#define INSN(id, mnemonic, operands, bits, cycles, touch, uses, flags, meaning) [MCS51_##id] = &&on_MCS51_##id,
#define CHOICE(mnemonic, of, meaning)
#include "isa/mcs51/mcs51.def"
        [OP_DECODE] = &&on_OP_DECODE, [OP_WRAP] = &&on_OP_WRAP, [OP_STOP] = &&on_OP_STOP,
        [OP_WATCHED] = &&on_OP_WATCHED,
        [OP_PARKED] = &&on_OP_PARKED, [OP_IO] = &&on_OP_IO, [OP_IO_DONE] = &&on_OP_IO_DONE,
        [OP_IO_TAKEN] = &&on_OP_IO_TAKEN, [OP_RESERVED] = &&on_OP_RESERVED,
        [OP_UNPROGRAMMED] = &&on_OP_UNPROGRAMMED, [OP_OUTSIDE] = &&on_OP_OUTSIDE,
    };
#endif
#if !OAK_COMPUTED_GOTO
    unsigned next_handler = 0;
#endif
    mcs51_op *const ops = core->ops;
    uint8_t *const data = core->data;
    mcs51_op *op = ops + core->pc, *io_op = NULL;
    uint32_t a, cy, carries, pointed = 0, io_target = 0;
    uint64_t io_end = 0;
    uint8_t *r;
    uint64_t spent = 0;
    mcs51_exit exit = EXIT_STEP;
    LOAD;
#if LOOP_ONE
    const uint64_t end = core->time.cycles + limit;
    const bool observed = core->observed;
next_one:
    if (core->row[core->pc] == OP_DECODE) mcs51_decode_block(core, core->pc);
    if (observed) {
        SAVE;
        mcs51_watch_begin(core, core->pc);
    }
    if (op->handler == OP_STOP) RESUME(mcs51_natural(core, core->pc));
    DISPATCH;
#else
    ENTER(op);
#endif
    BEGIN_CASES

    CASE(MCS51_ADD_A_RN): ADD_TO_A(r[op->x], 0); NEXT(1);
    CASE(MCS51_ADD_A_DIR): ADD_TO_A(DIRECT, 0); NEXT(2);
    CASE(MCS51_ADD_A_RI): POINTED; ADD_TO_A(data[pointed], 0); NEXT(1);
    CASE(MCS51_ADD_A_IMM): ADD_TO_A(IMMEDIATE, 0); NEXT(2);
    CASE(MCS51_ADDC_A_RN): ADD_TO_A(r[op->x], cy); NEXT(1);
    CASE(MCS51_ADDC_A_DIR): ADD_TO_A(DIRECT, cy); NEXT(2);
    CASE(MCS51_ADDC_A_RI): POINTED; ADD_TO_A(data[pointed], cy); NEXT(1);
    CASE(MCS51_ADDC_A_IMM): ADD_TO_A(IMMEDIATE, cy); NEXT(2);
    CASE(MCS51_SUBB_A_RN): SUBTRACT_FROM_A(r[op->x]); NEXT(1);
    CASE(MCS51_SUBB_A_DIR): SUBTRACT_FROM_A(DIRECT); NEXT(2);
    CASE(MCS51_SUBB_A_RI): POINTED; SUBTRACT_FROM_A(data[pointed]); NEXT(1);
    CASE(MCS51_SUBB_A_IMM): SUBTRACT_FROM_A(IMMEDIATE); NEXT(2);
    CASE(MCS51_INC_A): a = (a + 1) & 0xFF; NEXT(1);
    CASE(MCS51_INC_RN): r[op->x]++; NEXT(1);
    CASE(MCS51_INC_DIR): DIRECT++; NEXT(2);
    CASE(MCS51_INC_RI): POINTED; data[pointed]++; NEXT(1);
    CASE(MCS51_INC_DPTR): if (++data[DPL] == 0) data[DPH]++; NEXT(1);
    CASE(MCS51_DEC_A): a = (a - 1) & 0xFF; NEXT(1);
    CASE(MCS51_DEC_RN): r[op->x]--; NEXT(1);
    CASE(MCS51_DEC_DIR): DIRECT--; NEXT(2);
    CASE(MCS51_DEC_RI): POINTED; data[pointed]--; NEXT(1);
    CASE(MCS51_MUL_AB):
    {
        uint32_t product = a * data[B];
        a = product & 0xFF;
        data[B] = (uint8_t)(product >> 8);
        cy = 0;
        carries = (carries & 0x10) | (uint32_t)(product > 0xFF) << 7;
        NEXT(1);
    }
    CASE(MCS51_DIV_AB):
    {
        uint32_t divisor = data[B];
        cy = 0;
        carries = (carries & 0x10) | (uint32_t)(divisor == 0) << 7;
        if (divisor) { /* by zero the manual leaves both registers undefined: here they keep their values */
            data[B] = (uint8_t)(a % divisor);
            a = a / divisor;
        }
        NEXT(1);
    }
    CASE(MCS51_DA_A):
    {
        uint32_t sum = a;
        if ((sum & 15) > 9 || (carries & 0x10)) sum += 6;
        if (cy || sum > 0x9F) sum += 0x60;
        cy |= sum > 0xFF;
        a = sum & 0xFF;
        NEXT(1);
    }

    CASE(MCS51_ANL_A_RN): a &= r[op->x]; NEXT(1);
    CASE(MCS51_ANL_A_DIR): a &= DIRECT; NEXT(2);
    CASE(MCS51_ANL_A_RI): POINTED; a &= data[pointed]; NEXT(1);
    CASE(MCS51_ANL_A_IMM): a &= IMMEDIATE; NEXT(2);
    CASE(MCS51_ANL_DIR_A): DIRECT &= (uint8_t)a; NEXT(2);
    CASE(MCS51_ANL_DIR_IMM): DIRECT &= op->x; NEXT(3);
    CASE(MCS51_ORL_A_RN): a |= r[op->x]; NEXT(1);
    CASE(MCS51_ORL_A_DIR): a |= DIRECT; NEXT(2);
    CASE(MCS51_ORL_A_RI): POINTED; a |= data[pointed]; NEXT(1);
    CASE(MCS51_ORL_A_IMM): a |= IMMEDIATE; NEXT(2);
    CASE(MCS51_ORL_DIR_A): DIRECT |= (uint8_t)a; NEXT(2);
    CASE(MCS51_ORL_DIR_IMM): DIRECT |= op->x; NEXT(3);
    CASE(MCS51_XRL_A_RN): a ^= r[op->x]; NEXT(1);
    CASE(MCS51_XRL_A_DIR): a ^= DIRECT; NEXT(2);
    CASE(MCS51_XRL_A_RI): POINTED; a ^= data[pointed]; NEXT(1);
    CASE(MCS51_XRL_A_IMM): a ^= IMMEDIATE; NEXT(2);
    CASE(MCS51_XRL_DIR_A): DIRECT ^= (uint8_t)a; NEXT(2);
    CASE(MCS51_XRL_DIR_IMM): DIRECT ^= op->x; NEXT(3);
    CASE(MCS51_CLR_A): a = 0; NEXT(1);
    CASE(MCS51_CPL_A): a ^= 0xFF; NEXT(1);
    CASE(MCS51_RL_A): a = (a << 1 | a >> 7) & 0xFF; NEXT(1);
    CASE(MCS51_RLC_A): a = a << 1 | cy; cy = a >> 8; a &= 0xFF; NEXT(1);
    CASE(MCS51_RR_A): a = (a >> 1 | a << 7) & 0xFF; NEXT(1);
    CASE(MCS51_RRC_A): a |= cy << 8; cy = a & 1; a >>= 1; NEXT(1);
    CASE(MCS51_SWAP_A): a = (a >> 4 | a << 4) & 0xFF; NEXT(1);

    CASE(MCS51_MOV_A_RN): a = r[op->x]; NEXT(1);
    CASE(MCS51_MOV_A_DIR): a = DIRECT; NEXT(2);
    CASE(MCS51_MOV_A_RI): POINTED; a = data[pointed]; NEXT(1);
    CASE(MCS51_MOV_A_IMM): a = IMMEDIATE; NEXT(2);
    CASE(MCS51_MOV_RN_A): r[op->x] = (uint8_t)a; NEXT(1);
    CASE(MCS51_MOV_RN_DIR): r[op->x] = DIRECT; NEXT(2);
    CASE(MCS51_MOV_RN_IMM): r[op->x] = (uint8_t)IMMEDIATE; NEXT(2);
    CASE(MCS51_MOV_DIR_A): DIRECT = (uint8_t)a; NEXT(2);
    CASE(MCS51_MOV_DIR_RN): DIRECT = r[op->x]; NEXT(2);
    CASE(MCS51_MOV_DIR_DIR): DIRECT = data[op->target]; NEXT(3);
    CASE(MCS51_MOV_DIR_RI): POINTED; DIRECT = data[pointed]; NEXT(2);
    CASE(MCS51_MOV_DIR_IMM): DIRECT = op->x; NEXT(3);
    CASE(MCS51_MOV_RI_A): POINTED; data[pointed] = (uint8_t)a; NEXT(1);
    CASE(MCS51_MOV_RI_DIR): POINTED; data[pointed] = DIRECT; NEXT(2);
    CASE(MCS51_MOV_RI_IMM): POINTED; data[pointed] = (uint8_t)IMMEDIATE; NEXT(2);
    CASE(MCS51_MOV_DPTR_IMM): data[DPL] = (uint8_t)IMMEDIATE; data[DPH] = (uint8_t)(IMMEDIATE >> 8); NEXT(3);
    CASE(MCS51_MOVC_A_DPTR):
        pointed = (DPTR_VALUE + a) & 0xFFFF;
        if (pointed >= core->code_size) goto no_such_code;
        a = core->code[pointed];
        NEXT(1);
    CASE(MCS51_MOVC_A_PC):
        pointed = ((uint32_t)(op - ops) + 1 + a) & 0xFFFF;
        if (pointed >= core->code_size) goto no_such_code;
        a = core->code[pointed];
        NEXT(1);
    CASE(MCS51_MOVX_A_RI):
        pointed = (uint32_t)(data[PORT2] << 8 | r[op->x]);
        if (pointed >= core->xram_plain && mcs51_external(core, pointed, false)) goto no_such_xram;
        a = core->xram[pointed];
        NEXT(1);
    CASE(MCS51_MOVX_A_DPTR):
        pointed = DPTR_VALUE;
        if (pointed >= core->xram_plain && mcs51_external(core, pointed, false)) goto no_such_xram;
        a = core->xram[pointed];
        NEXT(1);
    CASE(MCS51_MOVX_RI_A):
        pointed = (uint32_t)(data[PORT2] << 8 | r[op->x]);
        if (pointed >= core->xram_plain && mcs51_external(core, pointed, true)) goto no_such_xram;
        core->xram[pointed] = (uint8_t)a;
        NEXT(1);
    CASE(MCS51_MOVX_DPTR_A):
        pointed = DPTR_VALUE;
        if (pointed >= core->xram_plain && mcs51_external(core, pointed, true)) goto no_such_xram;
        core->xram[pointed] = (uint8_t)a;
        NEXT(1);
    CASE(MCS51_PUSH_DIR):
    {
        uint32_t sp = data[SP] + 1u;
        if (sp > core->stack_top) goto stack_grows;
        data[SP] = (uint8_t)sp;
        data[sp] = DIRECT;
        NEXT(2);
    }
    CASE(MCS51_POP_DIR):
    {
        uint32_t sp = data[SP];
        if (sp > core->ram_top) goto stack_overflow;
        if (!sp) goto stack_underflow;
        data[SP] = (uint8_t)(sp - 1);
        DIRECT = data[sp];
        NEXT(2);
    }
    CASE(MCS51_XCH_A_RN): pointed = r[op->x]; r[op->x] = (uint8_t)a; a = pointed; NEXT(1);
    CASE(MCS51_XCH_A_DIR): pointed = DIRECT; DIRECT = (uint8_t)a; a = pointed; NEXT(2);
    CASE(MCS51_XCH_A_RI):
    {
        POINTED;
        uint8_t before = data[pointed];
        data[pointed] = (uint8_t)a;
        a = before;
        NEXT(1);
    }
    CASE(MCS51_XCHD_A_RI):
    {
        POINTED;
        uint32_t before = data[pointed];
        data[pointed] = (uint8_t)((before & 0xF0) | (a & 0x0F));
        a = (a & 0xF0) | (before & 0x0F);
        NEXT(1);
    }

    CASE(MCS51_CLR_C): cy = 0; NEXT(1);
    CASE(MCS51_CLR_BIT): DIRECT &= (uint8_t)~op->x; NEXT(2);
    CASE(MCS51_SETB_C): cy = 1; NEXT(1);
    CASE(MCS51_SETB_BIT): DIRECT |= op->x; NEXT(2);
    CASE(MCS51_CPL_C): cy ^= 1; NEXT(1);
    CASE(MCS51_CPL_BIT): DIRECT ^= op->x; NEXT(2);
    CASE(MCS51_ANL_C_BIT): cy &= (DIRECT & op->x) != 0; NEXT(2);
    CASE(MCS51_ANL_C_NBIT): cy &= (DIRECT & op->x) == 0; NEXT(2);
    CASE(MCS51_ORL_C_BIT): cy |= (DIRECT & op->x) != 0; NEXT(2);
    CASE(MCS51_ORL_C_NBIT): cy |= (DIRECT & op->x) == 0; NEXT(2);
    CASE(MCS51_MOV_C_BIT): cy = (DIRECT & op->x) != 0; NEXT(2);
    CASE(MCS51_MOV_BIT_C): DIRECT = (uint8_t)(cy ? DIRECT | op->x : DIRECT & ~op->x); NEXT(2);
    CASE(MCS51_JC): BRANCH_IF(cy, 2);
    CASE(MCS51_JNC): BRANCH_IF(!cy, 2);
    CASE(MCS51_JB): BRANCH_IF(DIRECT & op->x, 3);
    CASE(MCS51_JNB): BRANCH_IF(!(DIRECT & op->x), 3);
    CASE(MCS51_JBC): pointed = DIRECT & op->x; DIRECT &= (uint8_t)~op->x; BRANCH_IF(pointed, 3);

    CASE(MCS51_ACALL): CALL(op->target, 2);
    CASE(MCS51_LCALL): CALL(op->target, 3);
    CASE(MCS51_RET): RETURN;
    CASE(MCS51_RETI):
    {
        uint32_t sp = data[SP];
        if (sp < 1) goto stack_underflow;
        if (sp > core->ram_top) goto stack_overflow;
        data[SP] = (uint8_t)(sp - 2);
        op = ops + (data[sp] << 8 | data[sp - 1]);
        mcs51_served(core, core->time.cycles + (LOOP_ONE ? core->own_cycles[MCS51_RETI] : (uint32_t)spent));
        goto complete;
    }
    CASE(MCS51_AJMP): ENTER(ops + op->target);
    CASE(MCS51_LJMP): ENTER(ops + op->target);
    CASE(MCS51_SJMP): ENTER(ops + op->target);
    CASE(MCS51_JMP_A_DPTR): ENTER(ops + ((DPTR_VALUE + a) & 0xFFFF));
    CASE(MCS51_JZ): BRANCH_IF(!a, 2);
    CASE(MCS51_JNZ): BRANCH_IF(a, 2);
    CASE(MCS51_CJNE_A_DIR): COMPARE_AND_BRANCH(a, DIRECT, 3);
    CASE(MCS51_CJNE_A_IMM): COMPARE_AND_BRANCH(a, IMMEDIATE, 3);
    CASE(MCS51_CJNE_RN_IMM): COMPARE_AND_BRANCH(r[op->x], IMMEDIATE, 3);
    CASE(MCS51_CJNE_RI_IMM): POINTED; COMPARE_AND_BRANCH(data[pointed], IMMEDIATE, 3);
    CASE(MCS51_DJNZ_RN): BRANCH_IF(--r[op->x], 2);
    CASE(MCS51_DJNZ_DIR): BRANCH_IF(--DIRECT, 3);
    CASE(MCS51_NOP): NEXT(1);

    /* ---- not instructions */

    CASE(OP_DECODE):
        spent -= op->cost;
        mcs51_decode_block(core, (uint32_t)(op - ops));
        ENTER(op);
    CASE(OP_WRAP): ENTER(op - CODE_SPACE);
    CASE(OP_STOP):
        exit = EXIT_STOP;
        goto leave;
    CASE(OP_WATCHED): /* runs of single instructions look for themselves */
        SAVE;
        if (!LOOP_ONE && mcs51_reaches(core, (uint32_t)(op - ops))) {
            exit = EXIT_WATCH;
            goto leave;
        }
        RESUME(mcs51_natural(core, (uint32_t)(op - ops)));
    CASE(OP_PARKED):
        exit = EXIT_PARKED;
        goto leave;
    CASE(OP_IO):
        /* The same instruction again, in a spare slot, on a copy of the register. */
        SAVE;
        {
            mcs51_op *slot = ops + SLOTS;
            uint32_t row = core->row[op - ops];
            uint8_t touch = mcs51_touch[row];
            io_op = op;
            io_target = op->target;
            io_end = core->time.cycles + (LOOP_ONE ? core->own_cycles[row] : (uint32_t)spent);
            *slot = *op;
            slot->handler = (uint8_t)row;
            slot[core->tables->shape[row].pattern.size].handler = OP_IO_DONE;
            if (mcs51_flow(row) == OAK_FLOW_BRANCH) slot->target = SLOTS - 1;
            core->pc = (uint32_t)(op - ops) & 0xFFFF; /* for whoever wants to know */
            if (mcs51_is_io(core, op->at)) {
                if (core->cell[op->at - 0x80 - SFR_AT] == OAK_CELL_ABSENT)
                    FAULT(OAK_FAULT_ABSENT, MCS51_SFR, op->at - SFR_AT);
                if (touch != MCS51_TOUCH_WRITE) data[SCRATCH] = mcs51_io_read(core, op->at, touch == MCS51_TOUCH_MODIFY, core->takes_bit[row] ? op->x : 0xFF, io_end - (touch == MCS51_TOUCH_READ));
                if (row == MCS51_PUSH_DIR && op->at == SP) data[SCRATCH]++; /* the pointer has moved when it is read */
                slot->at = SCRATCH;
            }
            if (row == MCS51_MOV_DIR_DIR && mcs51_is_io(core, op->target)) {
                if (core->cell[op->target - 0x80 - SFR_AT] == OAK_CELL_ABSENT)
                    FAULT(OAK_FAULT_ABSENT, MCS51_SFR, op->target - SFR_AT);
                data[SOURCE_SCRATCH] = mcs51_io_read(core, op->target, false, 0xFF, io_end - 1);
                slot->target = SOURCE_SCRATCH;
            }
            op = slot;
            RESUME(row);
        }
    CASE(OP_IO_DONE):
        op = io_op + (op - (ops + SLOTS));
        goto io_finish;
    CASE(OP_IO_TAKEN):
        op = ops + io_target;
    io_finish:
        if (mcs51_touch[core->row[io_op - ops]] != MCS51_TOUCH_READ && mcs51_is_io(core, io_op->at)) {
            SAVE;
            mcs51_io_write(core, io_op->at, data[SCRATCH], io_end);
            LOAD;
        }
        io_op = NULL;
    complete:
        if (core->attention) {
            LEAVE_IF_ONE(op);
            goto attend;
        }
        ENTER(op);
    CASE(OP_RESERVED): FAULT(OAK_FAULT_RESERVED, MCS51_CODE, (uint32_t)(op - ops));
    CASE(OP_UNPROGRAMMED):
        for (pointed = (uint32_t)(op - ops); core->known[pointed & 0xFFFF];) pointed++;
        FAULT(OAK_FAULT_UNPROGRAMMED, MCS51_CODE, pointed & 0xFFFF);
    CASE(OP_OUTSIDE): FAULT(OAK_FAULT_OUTSIDE_CODE, MCS51_CODE, (uint32_t)(op - ops));

    END_CASES

no_such_ram:
    FAULT(OAK_FAULT_ABSENT, MCS51_IRAM, pointed);
no_such_code:
    FAULT(OAK_FAULT_ABSENT, MCS51_CODE, pointed);
no_such_xram:
    FAULT(mcs51_external(core, pointed, false) ? OAK_FAULT_ABSENT : OAK_FAULT_READ_ONLY, MCS51_XRAM, pointed);
stack_grows: /* somebody has to look whether it may */
    exit = EXIT_STACK;
    if (io_op) op = io_op;
    goto leave;
stack_overflow:
    FAULT(OAK_FAULT_STACK_OVERFLOW, MCS51_IRAM, data[SP]);
stack_underflow:
    FAULT(OAK_FAULT_STACK_UNDERFLOW, MCS51_IRAM, data[SP]);
faulted:
    exit = EXIT_FAULT;
    if (io_op) op = io_op;
    goto leave;
attend: /* `op` comes next; nothing of it has been charged */
    exit = EXIT_EVENT;
    spent += op->cost;
    goto leave;
out_of_time:
    exit = EXIT_TIME;
leave:
#if LOOP_ONE
    spent = 0; /* nothing was executed */
#else
    spent -= op->cost;
#endif
#if LOOP_ONE
    goto finish;
one_done:
    if (observed && core->tallies.at) oak_tallies_add(&core->tallies, core->pc, 1, core->own_cycles[core->row[core->pc]]);
    core->time.cycles += core->own_cycles[core->row[core->pc]];
    core->time.instructions++;
    core->pc = (uint32_t)(op - ops) & 0xFFFF;
    op = ops + core->pc;
    if (observed) mcs51_watch_end(core);
    if (core->time.cycles < end && !core->attention) {
        if (!core->stop_at[core->pc]) goto next_one;
        exit = EXIT_STOP;
    }
    spent = 0;
finish:
#endif
    SAVE;
    core->pc = (uint32_t)(op - ops) & 0xFFFF;
    core->time.cycles += (uint32_t)spent;
    core->time.instructions += spent >> 32;
    return exit;
}

#undef ENTER
#undef NEXT
#undef LEAVE_IF_ONE
#undef FAULT
#undef LOOP_NAME
#undef LOOP_ONE
