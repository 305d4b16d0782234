/* knot_cases.h — what each row does. */
/* clang-format off */
#define CELL cells[(core->bk & 1u) * 64u + AT]
    ON(KNOT_NOP): NEXT(1);
    ON(KNOT_LIT): w = AT; NEXT(1);
    ON(KNOT_ADDL): w += AT; c = w >> 8; w &= 0xFF; NEXT(1);
    ON(KNOT_LDN): w = CELL; NEXT(1);
    ON(KNOT_STN): CELL = w & 15; NEXT(1);
    ON(KNOT_ADDN): w = (w & 15) + CELL; c = w >> 4; w &= 15; NEXT(1);
    ON(KNOT_BANK): core->bk = (uint8_t)AT; NEXT(1);
    ON(KNOT_IN):
        if (!kit_in(core, KNOT_IO, AT, NOW_ENDS, &w)) FAULT(OAK_FAULT_ABSENT, KNOT_IO, AT);
        op += 1;
        FINISH;
    ON(KNOT_OUT):
        SAVE;
        if (!kit_out(core, KNOT_IO, AT, (uint8_t)w, NOW_ENDS)) FAULT(OAK_FAULT_ABSENT, KNOT_IO, AT);
        op += 1;
        FINISH;
    ON(KNOT_LDP): core->p = AT; NEXT(3);
    ON(KNOT_LDD):
        cell = kit_cells(core, KNOT_WIDE, core->p, 2);
        if (!cell) FAULT(OAK_FAULT_ABSENT, KNOT_WIDE, core->p);
        core->d = (uint16_t)(cell[0] << 8 | cell[1]);
        NEXT(1);
    ON(KNOT_STD):
        cell = kit_cells(core, KNOT_WIDE, core->p, 2);
        if (!cell) FAULT(OAK_FAULT_ABSENT, KNOT_WIDE, core->p);
        cell[0] = (uint8_t)(core->d >> 8), cell[1] = (uint8_t)core->d;
        NEXT(1);
    ON(KNOT_MOVW): w = core->d >> 8 * X & 0xFF; NEXT(1);
    ON(KNOT_MOVH): core->d = (uint16_t)(X ? (core->d & 0xFF) | w << 8 : (core->d & 0xFF00) | w); NEXT(1);
    ON(KNOT_XCH): before = w; w = core->other; core->other = (uint8_t)before; NEXT(1);
    ON(KNOT_INCD): w = (w + 1) & 0xFF; NEXT(1);
    ON(KNOT_CALL):
    ON(KNOT_LCALL):
        if (core->sp == KNOT_LEVELS) FAULT(OAK_FAULT_STACK_OVERFLOW, KNOT_CODE, core->sp);
        core->stk[core->sp++] = (uint16_t)AT;
        ENTER(TARGET);
    ON(KNOT_RET):
        if (!core->sp) FAULT(OAK_FAULT_STACK_UNDERFLOW, KNOT_CODE, core->sp);
        ENTER(ops + core->stk[--core->sp]);
    ON(KNOT_RETI):
        if (!core->sp) FAULT(OAK_FAULT_STACK_UNDERFLOW, KNOT_CODE, core->sp);
        knot_served(core, NOW_ENDS);
        op = ops + core->stk[--core->sp];
        FINISH;
    ON(KNOT_BR):
        if (X == 0 ? !w : X == 1 ? w != 0 : X == 2 ? c != 0 : !c) {
            MORE(1);
            ENTER(TARGET);
        }
        ENTER(op + 1);
    ON(KNOT_JMP): ENTER(TARGET);
    ON(KNOT_SETN): CELL = 15; NEXT(1);
    ON(KNOT_BITN): c = CELL & 1; NEXT(1);
    ON(KNOT_HALT): core->sleeping = true; kit->attention = true; op += 1; FINISH;
    ON(KNOT_MASK): w &= AT; NEXT(1);
#undef CELL
/* clang-format on */
