/* mcs51_cases.h — what each row does, for the loop of the kit; and an instruction on a special register with an effect of its own:
 * the same instruction again, in a spare slot, on a copy of the register. */

#define DIRECT    data[AT]
#define IMMEDIATE AT
#define POINTED                                                                                              \
    pointed = r[X];                                                                                          \
    if (pointed > core->ram_top) goto no_such_ram
#define DPTR_VALUE ((uint32_t)(data[DPH] << 8 | data[DPL]))
#define ADD_TO_A(value, with)                                                                                \
    do {                                                                                                     \
        uint32_t operand = (value), sum = a + operand + (with);                                              \
        carries = a ^ operand ^ sum;                                                                         \
        cy = sum >> 8;                                                                                       \
        a = sum & 0xFF;                                                                                      \
    } while (0)
#define SUBTRACT_FROM_A(value)                                                                               \
    do {                                                                                                     \
        uint32_t operand = (value), difference = a - operand - cy;                                           \
        carries = a ^ operand ^ difference;                                                                  \
        cy = difference >> 8 & 1;                                                                            \
        a = difference & 0xFF;                                                                               \
    } while (0)
#define COMPARE_AND_BRANCH(left, right, bytes)                                                               \
    do {                                                                                                     \
        uint32_t first = (left), second = (right);                                                           \
        cy = first < second;                                                                                 \
        BRANCH_IF(first != second, bytes);                                                                   \
    } while (0)
#define CALL /* X and Y are the address behind it */                                                         \
    do {                                                                                                     \
        uint32_t sp = data[SP] + 2u;                                                                         \
        if (sp > core->stack_top) HELP; /* somebody has to look whether it may */                            \
        data[sp - 1] = X;                                                                                    \
        data[sp] = Y;                                                                                        \
        data[SP] = (uint8_t)sp;                                                                              \
        ENTER(TARGET);                                                                                       \
    } while (0)
#define RETURN_ADDRESS                                                                                       \
    uint32_t sp = data[SP];                                                                                  \
    if (sp < 1) goto stack_underflow;                                                                        \
    if (sp > core->ram_top) goto stack_overflow;                                                             \
    data[SP] = (uint8_t)(sp - 2);                                                                            \
    kit_op *const back = ops + (data[sp] << 8 | data[sp - 1])
#define CODE_AT(address)                                                                                     \
    pointed = (address)&0xFFFF;                                                                              \
    if (pointed >= core->code_size) goto no_such_code
#define EXTERNAL(address, write)                                                                             \
    pointed = (address);                                                                                     \
    if (pointed >= core->xram_plain && mcs51_external(core, pointed, write)) goto no_such_xram
#define BEYOND_PORT ((uint32_t)(data[PORT2] << 8 | r[X]))

/* clang-format off */
    ON(MCS51_ADD_A_RN): ADD_TO_A(r[X], 0); NEXT(1);
    ON(MCS51_ADD_A_DIR): ADD_TO_A(DIRECT, 0); NEXT(2);
    ON(MCS51_ADD_A_RI): POINTED; ADD_TO_A(data[pointed], 0); NEXT(1);
    ON(MCS51_ADD_A_IMM): ADD_TO_A(IMMEDIATE, 0); NEXT(2);
    ON(MCS51_ADDC_A_RN): ADD_TO_A(r[X], cy); NEXT(1);
    ON(MCS51_ADDC_A_DIR): ADD_TO_A(DIRECT, cy); NEXT(2);
    ON(MCS51_ADDC_A_RI): POINTED; ADD_TO_A(data[pointed], cy); NEXT(1);
    ON(MCS51_ADDC_A_IMM): ADD_TO_A(IMMEDIATE, cy); NEXT(2);
    ON(MCS51_SUBB_A_RN): SUBTRACT_FROM_A(r[X]); NEXT(1);
    ON(MCS51_SUBB_A_DIR): SUBTRACT_FROM_A(DIRECT); NEXT(2);
    ON(MCS51_SUBB_A_RI): POINTED; SUBTRACT_FROM_A(data[pointed]); NEXT(1);
    ON(MCS51_SUBB_A_IMM): SUBTRACT_FROM_A(IMMEDIATE); NEXT(2);
    ON(MCS51_INC_A): a = (a + 1) & 0xFF; NEXT(1);
    ON(MCS51_INC_RN): r[X]++; NEXT(1);
    ON(MCS51_INC_DIR): DIRECT++; NEXT(2);
    ON(MCS51_INC_RI): POINTED; data[pointed]++; NEXT(1);
    ON(MCS51_INC_DPTR): if (++data[DPL] == 0) data[DPH]++; NEXT(1);
    ON(MCS51_DEC_A): a = (a - 1) & 0xFF; NEXT(1);
    ON(MCS51_DEC_RN): r[X]--; NEXT(1);
    ON(MCS51_DEC_DIR): DIRECT--; NEXT(2);
    ON(MCS51_DEC_RI): POINTED; data[pointed]--; NEXT(1);
    ON(MCS51_MUL_AB):
    {
        uint32_t product = a * data[B];
        a = product & 0xFF;
        data[B] = (uint8_t)(product >> 8);
        cy = 0;
        carries = (carries & 0x10) | (uint32_t)(product > 0xFF) << 7;
        NEXT(1);
    }
    ON(MCS51_DIV_AB):
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
    ON(MCS51_DA_A):
    {
        uint32_t sum = a;
        if ((sum & 15) > 9 || (carries & 0x10)) sum += 6;
        if (cy || sum > 0x9F) sum += 0x60;
        cy |= sum > 0xFF;
        a = sum & 0xFF;
        NEXT(1);
    }

    ON(MCS51_ANL_A_RN): a &= r[X]; NEXT(1);
    ON(MCS51_ANL_A_DIR): a &= DIRECT; NEXT(2);
    ON(MCS51_ANL_A_RI): POINTED; a &= data[pointed]; NEXT(1);
    ON(MCS51_ANL_A_IMM): a &= IMMEDIATE; NEXT(2);
    ON(MCS51_ANL_DIR_A): DIRECT &= (uint8_t)a; NEXT(2);
    ON(MCS51_ANL_DIR_IMM): DIRECT &= X; NEXT(3);
    ON(MCS51_ORL_A_RN): a |= r[X]; NEXT(1);
    ON(MCS51_ORL_A_DIR): a |= DIRECT; NEXT(2);
    ON(MCS51_ORL_A_RI): POINTED; a |= data[pointed]; NEXT(1);
    ON(MCS51_ORL_A_IMM): a |= IMMEDIATE; NEXT(2);
    ON(MCS51_ORL_DIR_A): DIRECT |= (uint8_t)a; NEXT(2);
    ON(MCS51_ORL_DIR_IMM): DIRECT |= X; NEXT(3);
    ON(MCS51_XRL_A_RN): a ^= r[X]; NEXT(1);
    ON(MCS51_XRL_A_DIR): a ^= DIRECT; NEXT(2);
    ON(MCS51_XRL_A_RI): POINTED; a ^= data[pointed]; NEXT(1);
    ON(MCS51_XRL_A_IMM): a ^= IMMEDIATE; NEXT(2);
    ON(MCS51_XRL_DIR_A): DIRECT ^= (uint8_t)a; NEXT(2);
    ON(MCS51_XRL_DIR_IMM): DIRECT ^= X; NEXT(3);
    ON(MCS51_CLR_A): a = 0; NEXT(1);
    ON(MCS51_CPL_A): a ^= 0xFF; NEXT(1);
    ON(MCS51_RL_A): a = (a << 1 | a >> 7) & 0xFF; NEXT(1);
    ON(MCS51_RLC_A): a = a << 1 | cy; cy = a >> 8; a &= 0xFF; NEXT(1);
    ON(MCS51_RR_A): a = (a >> 1 | a << 7) & 0xFF; NEXT(1);
    ON(MCS51_RRC_A): a |= cy << 8; cy = a & 1; a >>= 1; NEXT(1);
    ON(MCS51_SWAP_A): a = (a >> 4 | a << 4) & 0xFF; NEXT(1);

    ON(MCS51_MOV_A_RN): a = r[X]; NEXT(1);
    ON(MCS51_MOV_A_DIR): a = DIRECT; NEXT(2);
    ON(MCS51_MOV_A_RI): POINTED; a = data[pointed]; NEXT(1);
    ON(MCS51_MOV_A_IMM): a = IMMEDIATE; NEXT(2);
    ON(MCS51_MOV_RN_A): r[X] = (uint8_t)a; NEXT(1);
    ON(MCS51_MOV_RN_DIR): r[X] = DIRECT; NEXT(2);
    ON(MCS51_MOV_RN_IMM): r[X] = (uint8_t)IMMEDIATE; NEXT(2);
    ON(MCS51_MOV_DIR_A): DIRECT = (uint8_t)a; NEXT(2);
    ON(MCS51_MOV_DIR_RN): DIRECT = r[X]; NEXT(2);
    ON(MCS51_MOV_DIR_DIR): DIRECT = data[op->to]; NEXT(3);
    ON(MCS51_MOV_DIR_RI): POINTED; DIRECT = data[pointed]; NEXT(2);
    ON(MCS51_MOV_DIR_IMM): DIRECT = X; NEXT(3);
    ON(MCS51_MOV_RI_A): POINTED; data[pointed] = (uint8_t)a; NEXT(1);
    ON(MCS51_MOV_RI_DIR): POINTED; data[pointed] = DIRECT; NEXT(2);
    ON(MCS51_MOV_RI_IMM): POINTED; data[pointed] = (uint8_t)IMMEDIATE; NEXT(2);
    ON(MCS51_MOV_DPTR_IMM): data[DPL] = (uint8_t)IMMEDIATE; data[DPH] = (uint8_t)(IMMEDIATE >> 8); NEXT(3);
    ON(MCS51_MOVC_A_DPTR): CODE_AT(DPTR_VALUE + a); a = core->code[pointed]; NEXT(1);
    ON(MCS51_MOVC_A_PC): CODE_AT(AT + a); a = core->code[pointed]; NEXT(1);
    ON(MCS51_MOVX_A_RI): EXTERNAL(BEYOND_PORT, false); a = core->xram[pointed]; NEXT(1);
    ON(MCS51_MOVX_A_DPTR): EXTERNAL(DPTR_VALUE, false); a = core->xram[pointed]; NEXT(1);
    ON(MCS51_MOVX_RI_A): EXTERNAL(BEYOND_PORT, true); core->xram[pointed] = (uint8_t)a; NEXT(1);
    ON(MCS51_MOVX_DPTR_A): EXTERNAL(DPTR_VALUE, true); core->xram[pointed] = (uint8_t)a; NEXT(1);
    ON(MCS51_PUSH_DIR):
    {
        uint32_t sp = data[SP] + 1u;
        if (sp > core->stack_top) HELP;
        data[SP] = (uint8_t)sp;
        data[sp] = DIRECT;
        NEXT(2);
    }
    ON(MCS51_POP_DIR):
    {
        uint32_t sp = data[SP];
        if (sp > core->ram_top) goto stack_overflow;
        if (!sp) goto stack_underflow;
        data[SP] = (uint8_t)(sp - 1);
        DIRECT = data[sp];
        NEXT(2);
    }
    ON(MCS51_XCH_A_RN): pointed = r[X]; r[X] = (uint8_t)a; a = pointed; NEXT(1);
    ON(MCS51_XCH_A_DIR): pointed = DIRECT; DIRECT = (uint8_t)a; a = pointed; NEXT(2);
    ON(MCS51_XCH_A_RI):
    {
        POINTED;
        uint8_t before = data[pointed];
        data[pointed] = (uint8_t)a;
        a = before;
        NEXT(1);
    }
    ON(MCS51_XCHD_A_RI):
    {
        POINTED;
        uint32_t before = data[pointed], differ = (a ^ before) & 0x0F;
        data[pointed] = (uint8_t)(before ^ differ);
        a ^= differ;
        NEXT(1);
    }

    ON(MCS51_CLR_C): cy = 0; NEXT(1);
    ON(MCS51_CLR_BIT): DIRECT &= (uint8_t)~X; NEXT(2);
    ON(MCS51_SETB_C): cy = 1; NEXT(1);
    ON(MCS51_SETB_BIT): DIRECT |= X; NEXT(2);
    ON(MCS51_CPL_C): cy ^= 1; NEXT(1);
    ON(MCS51_CPL_BIT): DIRECT ^= X; NEXT(2);
    ON(MCS51_ANL_C_BIT): cy &= (DIRECT & X) != 0; NEXT(2);
    ON(MCS51_ANL_C_NBIT): cy &= (DIRECT & X) == 0; NEXT(2);
    ON(MCS51_ORL_C_BIT): cy |= (DIRECT & X) != 0; NEXT(2);
    ON(MCS51_ORL_C_NBIT): cy |= (DIRECT & X) == 0; NEXT(2);
    ON(MCS51_MOV_C_BIT): cy = (DIRECT & X) != 0; NEXT(2);
    ON(MCS51_MOV_BIT_C): DIRECT = (uint8_t)(cy ? DIRECT | X : DIRECT & ~X); NEXT(2);
    ON(MCS51_JC): BRANCH_IF(cy, 2);
    ON(MCS51_JNC): BRANCH_IF(!cy, 2);
    ON(MCS51_JB): BRANCH_IF(DIRECT & X, 3);
    ON(MCS51_JNB): BRANCH_IF(!(DIRECT & X), 3);
    ON(MCS51_JBC): pointed = DIRECT & X; DIRECT &= (uint8_t)~X; BRANCH_IF(pointed, 3);

    ON(MCS51_ACALL): CALL;
    ON(MCS51_LCALL): CALL;
    ON(MCS51_RET): { RETURN_ADDRESS; ENTER(back); }
    ON(MCS51_RETI):
    {
        RETURN_ADDRESS;
        op = back;
        if (core->serving || core->line || kit->attention || kit->next_event <= NOW_ENDS + MCS51_LONGEST)
            mcs51_served(core, NOW_ENDS);
        FINISH;
    }
    ON(MCS51_AJMP): ENTER(TARGET);
    ON(MCS51_LJMP): ENTER(TARGET);
    ON(MCS51_SJMP): ENTER(TARGET);
    ON(MCS51_JMP_A_DPTR): ENTER(ops + ((DPTR_VALUE + a) & 0xFFFF));
    ON(MCS51_JZ): BRANCH_IF(!a, 2);
    ON(MCS51_JNZ): BRANCH_IF(a, 2);
    ON(MCS51_CJNE_A_DIR): COMPARE_AND_BRANCH(a, DIRECT, 3);
    ON(MCS51_CJNE_A_IMM): COMPARE_AND_BRANCH(a, IMMEDIATE, 3);
    ON(MCS51_CJNE_RN_IMM): COMPARE_AND_BRANCH(r[X], IMMEDIATE, 3);
    ON(MCS51_CJNE_RI_IMM): POINTED; COMPARE_AND_BRANCH(data[pointed], IMMEDIATE, 3);
    ON(MCS51_DJNZ_RN): BRANCH_IF(--r[X], 2);
    ON(MCS51_DJNZ_DIR): BRANCH_IF(--DIRECT, 3);
    ON(MCS51_NOP): NEXT(1);

    CASE(MCS51_IO):
        SAVE;
        {
            kit_op *slot = ops + CORE_SPAN + KIT_SPARE;
            uint16_t handler = kit->row[HERE];
            unsigned row = handler - KIT_FIRST_ROW;
            io_op = op;
            io_target = op->to;
            io_end = kit->time.cycles + (LOOP_ONE ? mcs51_cycles[row] : (uint32_t)spent);
            *slot = *op;
            slot->handler = handler;
            slot->cost = 0;
            slot[op->size].handler = MCS51_IO_DONE;
            if (mcs51_rows[row].flow == OAK_FLOW_BRANCH) slot->to = kit_way((uint32_t)(slot - ops), CORE_SPAN + KIT_SPARE - 1);
            kit->pc = HERE & 0xFFFF; /* for whoever wants to know */
            if (mcs51_is_io(core, AT)) {
                uint32_t at = AT;
                if (core->cell[at - 0x80 - SFR_AT] == OAK_CELL_ABSENT) FAULT(OAK_FAULT_ABSENT, MCS51_SFR, at - SFR_AT);
                if (core->touch[row] != MCS51_TOUCH_WRITE)
                    data[SCRATCH] = mcs51_io_read(core, at, core->touch[row] == MCS51_TOUCH_MODIFY, core->takes_bit[row] ? X : 0xFF,
                                                  io_end - (core->touch[row] == MCS51_TOUCH_READ));
                if (row == MCS51_PUSH_DIR && at == SP) data[SCRATCH]++; /* the pointer has moved when it is read */
                slot->at = SCRATCH;
            }
            if (row == MCS51_MOV_DIR_DIR && mcs51_is_io(core, op->to)) {
                uint32_t source = op->to;
                if (core->cell[source - 0x80 - SFR_AT] == OAK_CELL_ABSENT)
                    FAULT(OAK_FAULT_ABSENT, MCS51_SFR, source - SFR_AT);
                data[SOURCE_SCRATCH] = mcs51_io_read(core, source, false, 0xFF, io_end - 1);
                slot->to = SOURCE_SCRATCH;
            }
            op = slot;
            RESUME(handler);
        }
    CASE(MCS51_IO_DONE):
        op = io_op + (op - (ops + CORE_SPAN + KIT_SPARE));
        goto io_finish;
    CASE(MCS51_IO_TAKEN):
        op = (kit_op *)(void *)((char *)io_op + (int32_t)io_target);
    io_finish:
        if (core->touch[kit->row[io_op - ops] - KIT_FIRST_ROW] != MCS51_TOUCH_READ && mcs51_is_io(core, io_op->at)) {
            SAVE;
            mcs51_io_write(core, io_op->at, data[SCRATCH], io_end);
            LOAD;
        }
        io_op = NULL;
        FINISH;

no_such_ram:
    FAULT(OAK_FAULT_ABSENT, MCS51_IRAM, pointed);
no_such_code:
    FAULT(OAK_FAULT_ABSENT, MCS51_CODE, pointed);
no_such_xram:
    FAULT(mcs51_external(core, pointed, false) ? OAK_FAULT_ABSENT : OAK_FAULT_READ_ONLY, MCS51_XRAM, pointed);
stack_overflow:
    FAULT(OAK_FAULT_STACK_OVERFLOW, MCS51_IRAM, data[SP]);
stack_underflow:
    FAULT(OAK_FAULT_STACK_UNDERFLOW, MCS51_IRAM, data[SP]);

/* clang-format on */
#undef DIRECT
#undef IMMEDIATE
#undef POINTED
#undef DPTR_VALUE
#undef ADD_TO_A
#undef SUBTRACT_FROM_A
#undef COMPARE_AND_BRANCH
#undef CALL
#undef RETURN_ADDRESS
#undef CODE_AT
#undef EXTERNAL
#undef BEYOND_PORT
