/* mcs4_cases.h — what each row does, for the loop of the kit. */
#define REG  core->r[X]
#define PAIR ((uint32_t)(core->r[X] << 4 | core->r[X + 1]))
#define IN_PAGE(units, low)                                                                                  \
    (((uint32_t)(HERE + (units)) & (uint32_t)(MCS4_SPAN - MCS4_PAGE)) | (uint32_t)(low))
/* When an instruction of one byte ends. */
#define END_HERE                                                                                             \
    (LOOP_ONE ? kit->time.cycles + kit->own_cycles[kit->row[kit->pc] - KIT_FIRST_ROW]                        \
              : kit->time.cycles + (uint32_t)(spent - op[1].cost))
#define SUM(value)                                                                                           \
    acc += (value) + cy;                                                                                     \
    cy = acc >> 4;                                                                                           \
    acc &= 15;                                                                                               \
    NEXT(1)
#define REST(value)                                                                                          \
    acc += 16 - (value)-cy;                                                                                  \
    cy = acc >> 4;                                                                                           \
    acc &= 15;                                                                                               \
    NEXT(1)
#define JUMP_IF(condition)                                                                                   \
    do {                                                                                                     \
        if (!(condition)) NEXT(2);                                                                           \
        kit_op *there = TARGET;                                                                              \
        AWAY(2, there);                                                                                      \
    } while (0)
/* The character, or status characters, that the selected bank has been sent the address of; where that is none, or there are several: slowly. */
#define CHARACTER(does)                                                                                      \
    if (KIT_RARELY(!cell)) goto several;                                                                     \
    does
#define STATUS_OF(n, does)                                                                                   \
    if (KIT_RARELY(!cell)) goto several;                                                                     \
    states = core->status + (size_t)(cell - core->ram) / 16 * 4 + (n);                                       \
    does
/* clang-format off */
    ON(MCS4_NOP): NEXT(1);
    ON(MCS4_JCN): ON(MCS4_JCN_K):
        r = X;
        at = ((r & 4) && !acc) | ((r & 2) && cy);
        if (r & 1) {
            SAVE;
            kit->pc = HERE;
            at |= !mcs4_test(core, LOOP_ONE ? kit->time.cycles : kit->time.cycles + (uint32_t)(spent - op->cost));
        }
        JUMP_IF(at != r >> 3);
    ON(MCS4_FIM): core->r[X] = (uint8_t)(AT >> 4); core->r[X + 1] = AT & 15; NEXT(2);
    ON(MCS4_SRC): SAVE; core->src = (uint8_t)PAIR; cell = mcs4_send(core); NEXT(1);
    ON(MCS4_FIN):
        at = IN_PAGE(1, core->r[0] << 4 | core->r[1]);
        if (at >= core->code_bytes) FAULT(OAK_FAULT_ABSENT, MCS4_CODE, at);
        core->r[X] = core->code[at] >> 4;
        core->r[X + 1] = core->code[at] & 15;
        NEXT(1);
    ON(MCS4_JIN): ENTER(ops + IN_PAGE(1, PAIR));
    ON(MCS4_JUN): ENTER(TARGET);
    ON(MCS4_JMS):
        if (KIT_RARELY(core->sp == MCS4_LEVELS)) {
            SAVE;
            mcs4_wraps(core, HERE, NOW_ENDS);
        }
        core->stk[core->sp++] = (uint16_t)(AT & (MCS4_SPAN - 1));
        op = TARGET;
        FINISH;
    ON(MCS4_INC): REG = (REG + 1) & 15; NEXT(1);
    ON(MCS4_ISZ): r = (REG + 1u) & 15; REG = (uint8_t)r; JUMP_IF(r);
    ON(MCS4_ADD): SUM(REG);
    ON(MCS4_SUB): REST(REG);
    ON(MCS4_LD):  acc = REG; NEXT(1);
    ON(MCS4_XCH): r = REG; REG = (uint8_t)acc; acc = r; NEXT(1);
    ON(MCS4_BBL):
        acc = AT;
        if (KIT_RARELY(!core->sp)) {
            SAVE;
            mcs4_wraps(core, HERE, NOW_ENDS);
        }
        at = core->stk[--core->sp];
        core->stk[core->sp] = (uint16_t)((HERE + 1) & (MCS4_SPAN - 1)); /* it was the program counter until now */
        op = ops + at;
        FINISH;
    ON(MCS4_LDM): acc = AT; NEXT(1);

    ON(MCS4_WRM): CHARACTER(*cell = (uint8_t)acc); NEXT(1);
    ON(MCS4_RDM): CHARACTER(acc = *cell); NEXT(1);
    ON(MCS4_SBM): CHARACTER(r = *cell); REST(r);
    ON(MCS4_ADM): CHARACTER(r = *cell); SUM(r);
    ON(MCS4_WR0): STATUS_OF(0, *states = (uint8_t)acc); NEXT(1);
    ON(MCS4_WR1): STATUS_OF(1, *states = (uint8_t)acc); NEXT(1);
    ON(MCS4_WR2): STATUS_OF(2, *states = (uint8_t)acc); NEXT(1);
    ON(MCS4_WR3): STATUS_OF(3, *states = (uint8_t)acc); NEXT(1);
    ON(MCS4_RD0): STATUS_OF(0, acc = *states); NEXT(1);
    ON(MCS4_RD1): STATUS_OF(1, acc = *states); NEXT(1);
    ON(MCS4_RD2): STATUS_OF(2, acc = *states); NEXT(1);
    ON(MCS4_RD3): STATUS_OF(3, acc = *states); NEXT(1);
several:
    SAVE;
    if (!mcs4_several(core, kit->row[HERE] - KIT_FIRST_ROW)) goto faulted;
    LOAD;
    NEXT(1);
    ON(MCS4_WMP): ON(MCS4_WRR): ON(MCS4_RDR):
        SAVE;
        kit->pc = HERE;
        if (!mcs4_port(core, kit->row[HERE] - KIT_FIRST_ROW, END_HERE)) goto faulted;
        LOAD;
        if (kit->attention) LEAVE(1);
        NEXT(1);
    ON(MCS4_WPM): FAULT(OAK_FAULT_READ_ONLY, MCS4_CODE, core->src);

    ON(MCS4_CLB): acc = cy = 0; NEXT(1);
    ON(MCS4_CLC): cy = 0; NEXT(1);
    ON(MCS4_IAC): acc++; cy = acc >> 4; acc &= 15; NEXT(1);
    ON(MCS4_CMC): cy ^= 1; NEXT(1);
    ON(MCS4_CMA): acc ^= 15; NEXT(1);
    ON(MCS4_RAL): acc = acc << 1 | cy; cy = acc >> 4; acc &= 15; NEXT(1);
    ON(MCS4_RAR): acc |= cy << 4; cy = acc & 1; acc >>= 1; NEXT(1);
    ON(MCS4_TCC): acc = cy; cy = 0; NEXT(1);
    ON(MCS4_DAC): acc += 15; cy = acc >> 4; acc &= 15; NEXT(1);
    ON(MCS4_TCS): acc = 9 + cy; cy = 0; NEXT(1);
    ON(MCS4_STC): cy = 1; NEXT(1);
    ON(MCS4_DAA): if (cy || acc > 9) { acc += 6; cy |= acc >> 4; acc &= 15; } NEXT(1);
    ON(MCS4_KBP): acc = UINT64_C(0xFFFFFFF4FFF3F210) >> 4 * acc & 15; NEXT(1);
    ON(MCS4_DCL): SAVE; core->cl = acc & 7; cell = mcs4_selected(core); NEXT(1);
/* clang-format on */
