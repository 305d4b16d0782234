/* pic18_cases.h — what each row does, for the loop of the kit. A row with a register is four: in the access bank, in the bank that is selected, a
 * register of which some bits are always 0, and where a pointer leads. */
#define CELLS(id, ...)                                                                                       \
    ON(PIC18_##id##_A) : cell = core->data + AT;                                                             \
    mask = 0xFF;                                                                                             \
    __VA_ARGS__                                                                                              \
    ON(PIC18_##id##_B) : if (kinds[AT]) goto banked;                                                         \
    cell = bank + AT;                                                                                        \
    mask = 0xFF;                                                                                             \
    __VA_ARGS__                                                                                              \
    CASE(PIC18_##id##_K) : cell = core->data + AT;                                                           \
    mask = op->to;                                                                                           \
    __VA_ARGS__                                                                                              \
    CASE(PIC18_##id##_P) : POINTED;                                                                          \
    __VA_ARGS__
#define POINTED                                                                                              \
    pointer = core->data + op->to;                                                                           \
    at = (uint32_t)(pointer[0] | pointer[1] << 8);                                                           \
    if (Y > PIC18_POSTDEC) at = (at + (Y == PIC18_PREINC ? 1u : (w ^ 0x80) - 0x80)) & (PIC18_CELLS - 1);     \
    if (core->kind[at]) goto pointed;                                                                        \
    cell = core->data + at, mask = 0xFF;                                                                     \
    if (Y && Y != PIC18_PLUSW) {                                                                             \
        if (Y != PIC18_PREINC) at += Y == PIC18_POSTINC ? 1u : ~0u;                                          \
        pointer[0] = (uint8_t)at, pointer[1] = at >> 8 & 0x0F;                                               \
    }
#define TO_W(value)                                                                                          \
    w = (value);                                                                                             \
    NEXT(2)
#define TO_F(value)                                                                                          \
    *cell = (uint8_t)((value)&mask);                                                                         \
    NEXT(2)
#define NZ_TO_W(value)                                                                                       \
    w = nz = (value);                                                                                        \
    NEXT(2)
#define NZ_TO_F(value)                                                                                       \
    nz = (value);                                                                                            \
    *cell = (uint8_t)(nz & mask);                                                                            \
    NEXT(2)
#define SUM(a, b, c)                                                                                         \
    do {                                                                                                     \
        uint32_t first = (a), second = (b);                                                                  \
        nz = first + second + (c);                                                                           \
        carries = first ^ second ^ nz;                                                                       \
        nz &= 0xFF;                                                                                          \
    } while (0)
#define DIFFERENCE(a, b, c) SUM(a, (b) ^ 0xFF, c) /* c: 1 without a borrow */
#define CARRY               (carries >> 8 & 1)
/* Only the carry changes: what the overflow is made of changes with it. */
#define CARRY_IS(value)                                                                                      \
    do {                                                                                                     \
        uint32_t differs = (value) ^ CARRY;                                                                  \
        carries ^= differs << 8 | differs << 7;                                                              \
    } while (0)
#define SKIP_IF(condition)                                                                                   \
    do {                                                                                                     \
        if (!(condition)) NEXT(2);                                                                           \
        MORE(1);                                                                                             \
        SKIP(2, 2);                                                                                          \
    } while (0)
#define JUMP_IF(condition)                                                                                   \
    do {                                                                                                     \
        if (!(condition)) NEXT(2);                                                                           \
        kit_op *there = TARGET;                                                                              \
        MORE(1);                                                                                             \
        AWAY(2, there);                                                                                      \
    } while (0)
#define NEGATIVE   (nz & 0x180)
#define ZERO       (!(nz & 0xFF))
#define OVERFLOWS  ((carries ^ carries >> 1) & 0x80)
#define STATUS_NOW (pic18_status(nz, carries))
#define PUSHED(address)                                                                                      \
    if (core->sp < PIC18_LEVELS - 1) core->stk[core->sp++] = (address) & (PIC18_REACH - 1);                  \
    else {                                                                                                   \
        SAVE;                                                                                                \
        pic18_full(core, HERE, address, NOW_ENDS);                                                           \
    }
#define PULLED                                                                                               \
    if (core->sp && core->stk[core->sp - 1] < PIC18_SPAN) op = ops + (core->stk[--core->sp] & ~1u);          \
    else if (core->sp) FAULT(OAK_FAULT_OUTSIDE_CODE, PIC18_CODE, core->stk[core->sp - 1]);                   \
    else {                                                                                                   \
        SAVE;                                                                                                \
        pic18_end(core, HERE, STKPTR_EMPTY, NOW_ENDS);                                                       \
        op = ops;                                                                                            \
    }
#define BESIDE (core->ws = (uint8_t)w, core->statuss = (uint8_t)STATUS_NOW, core->bsrs = core->data[BSR])
#define RESTORED                                                                                             \
    do {                                                                                                     \
        SAVE;                                                                                                \
        pic18_restore(core);                                                                                 \
        LOAD;                                                                                                \
    } while (0)
/* clang-format off */
    CELLS(ADDWF_W, SUM(w, *cell, 0); TO_W(nz);)
    CELLS(ADDWF_F, SUM(w, *cell, 0); TO_F(nz);)
    CELLS(ADDWFC_W, SUM(w, *cell, CARRY); TO_W(nz);)
    CELLS(ADDWFC_F, SUM(w, *cell, CARRY); TO_F(nz);)
    CELLS(ANDWF_W, NZ_TO_W(w & *cell);)
    CELLS(ANDWF_F, NZ_TO_F(w & *cell);)
    CELLS(CLRF, nz = (nz | nz << 1) & 0x100; TO_F(0u);)
    CELLS(COMF_W, NZ_TO_W(*cell ^ 0xFFu);)
    CELLS(COMF_F, NZ_TO_F(*cell ^ 0xFFu);)
    CELLS(CPFSEQ, SKIP_IF(*cell == w);)
    CELLS(CPFSGT, SKIP_IF(*cell > w);)
    CELLS(CPFSLT, SKIP_IF(*cell < w);)
    CELLS(DECF_W, DIFFERENCE(*cell, 1, 1); TO_W(nz);)
    CELLS(DECF_F, DIFFERENCE(*cell, 1, 1); TO_F(nz);)
    CELLS(DECFSZ_W, w = (*cell - 1u) & 0xFF; SKIP_IF(!w);)
    CELLS(DECFSZ_F, byte = (*cell - 1u) & 0xFF; *cell = (uint8_t)(byte & mask); SKIP_IF(!byte);)
    CELLS(DCFSNZ_W, w = (*cell - 1u) & 0xFF; SKIP_IF(w);)
    CELLS(DCFSNZ_F, byte = (*cell - 1u) & 0xFF; *cell = (uint8_t)(byte & mask); SKIP_IF(byte);)
    CELLS(INCF_W, SUM(*cell, 1, 0); TO_W(nz);)
    CELLS(INCF_F, SUM(*cell, 1, 0); TO_F(nz);)
    CELLS(INCFSZ_W, w = (*cell + 1u) & 0xFF; SKIP_IF(!w);)
    CELLS(INCFSZ_F, byte = (*cell + 1u) & 0xFF; *cell = (uint8_t)(byte & mask); SKIP_IF(!byte);)
    CELLS(INFSNZ_W, w = (*cell + 1u) & 0xFF; SKIP_IF(w);)
    CELLS(INFSNZ_F, byte = (*cell + 1u) & 0xFF; *cell = (uint8_t)(byte & mask); SKIP_IF(byte);)
    CELLS(IORWF_W, NZ_TO_W(w | *cell);)
    CELLS(IORWF_F, NZ_TO_F(w | *cell);)
    CELLS(MOVF_W, NZ_TO_W(*cell);)
    CELLS(MOVF_F, NZ_TO_F(*cell);)
    CELLS(MOVWF, TO_F(w);)
    CELLS(MULWF, byte = w * *cell; core->data[PRODL] = (uint8_t)byte; core->data[PRODH] = (uint8_t)(byte >> 8); NEXT(2);)
    CELLS(NEGF, DIFFERENCE(0, *cell, 1); TO_F(nz);)
    CELLS(RLCF_W, byte = *cell; w = nz = (byte << 1 | CARRY) & 0xFF; CARRY_IS(byte >> 7); NEXT(2);)
    CELLS(RLCF_F, byte = *cell; nz = (byte << 1 | CARRY) & 0xFF; CARRY_IS(byte >> 7); TO_F(nz);)
    CELLS(RLNCF_W, byte = *cell; NZ_TO_W((byte << 1 | byte >> 7) & 0xFF);)
    CELLS(RLNCF_F, byte = *cell; NZ_TO_F((byte << 1 | byte >> 7) & 0xFF);)
    CELLS(RRCF_W, byte = *cell; w = nz = byte >> 1 | CARRY << 7; CARRY_IS(byte & 1); NEXT(2);)
    CELLS(RRCF_F, byte = *cell; nz = byte >> 1 | CARRY << 7; CARRY_IS(byte & 1); TO_F(nz);)
    CELLS(RRNCF_W, byte = *cell; NZ_TO_W((byte >> 1 | byte << 7) & 0xFF);)
    CELLS(RRNCF_F, byte = *cell; NZ_TO_F((byte >> 1 | byte << 7) & 0xFF);)
    CELLS(SETF, TO_F(0xFFu);)
    CELLS(SUBFWB_W, DIFFERENCE(w, *cell, CARRY); TO_W(nz);)
    CELLS(SUBFWB_F, DIFFERENCE(w, *cell, CARRY); TO_F(nz);)
    CELLS(SUBWF_W, DIFFERENCE(*cell, w, 1); TO_W(nz);)
    CELLS(SUBWF_F, DIFFERENCE(*cell, w, 1); TO_F(nz);)
    CELLS(SUBWFB_W, DIFFERENCE(*cell, w, CARRY); TO_W(nz);)
    CELLS(SUBWFB_F, DIFFERENCE(*cell, w, CARRY); TO_F(nz);)
    CELLS(SWAPF_W, byte = *cell; TO_W((byte << 4 | byte >> 4) & 0xFF);)
    CELLS(SWAPF_F, byte = *cell; TO_F(byte << 4 | byte >> 4);)
    CELLS(TSTFSZ, SKIP_IF(!*cell);)
    CELLS(XORWF_W, NZ_TO_W(w ^ *cell);)
    CELLS(XORWF_F, NZ_TO_F(w ^ *cell);)
    CELLS(BCF, TO_F(*cell & ~(uint32_t)X);)
    CELLS(BSF, TO_F((uint32_t)*cell | X);)
    CELLS(BTFSC, SKIP_IF(!(*cell & X));)
    CELLS(BTFSS, SKIP_IF(*cell & X);)
    CELLS(BTG, TO_F((uint32_t)*cell ^ X);)

    ON(PIC18_MOVFF):
        if (X) { /* through pointers, or what is more than a cell */
            SAVE;
            kit->pc = HERE;
            at = pic18_move(core, AT, op->to, LOOP_ONE ? kit->time.cycles + 2 : kit->time.cycles + (uint32_t)(spent - op[4].cost));
            if (at != PIC18_CELLS) FAULT(OAK_FAULT_ABSENT, PIC18_DATA, at);
            LOAD;
            if (kit->attention) LEAVE(4);
            NEXT(4);
        }
        core->data[op->to] = core->data[AT];
        NEXT(4);
    ON(PIC18_ADDLW): SUM(w, AT, 0); TO_W(nz);
    ON(PIC18_ANDLW): NZ_TO_W(w & AT);
    ON(PIC18_IORLW): NZ_TO_W(w | AT);
    ON(PIC18_LFSR_0): core->data[FSR0L] = (uint8_t)AT; core->data[FSR0L + 1] = (uint8_t)(AT >> 8); NEXT(4);
    ON(PIC18_LFSR_1): core->data[FSR1L] = (uint8_t)AT; core->data[FSR1L + 1] = (uint8_t)(AT >> 8); NEXT(4);
    ON(PIC18_LFSR_2): core->data[FSR2L] = (uint8_t)AT; core->data[FSR2L + 1] = (uint8_t)(AT >> 8); NEXT(4);
    ON(PIC18_MOVLB): core->data[BSR] = (uint8_t)AT; bank = core->data + (AT << 8); kinds = core->kind + (AT << 8); NEXT(2);
    ON(PIC18_MOVLW): TO_W(AT);
    ON(PIC18_MULLW): byte = w * AT; core->data[PRODL] = (uint8_t)byte; core->data[PRODH] = (uint8_t)(byte >> 8); NEXT(2);
    ON(PIC18_SUBLW): DIFFERENCE(AT, w, 1); TO_W(nz);
    ON(PIC18_XORLW): NZ_TO_W(w ^ AT);
    ON(PIC18_DAW):
        byte = w & 0x0F;
        if (byte > 9 || carries & 0x10) byte += 6;
        at = (w >> 4) + (byte >> 4);
        if (at > 9 || CARRY) at += 6;
        w = (at << 4 | (byte & 0x0F)) & 0xFF;
        if (at > 15) CARRY_IS(1);
        NEXT(2);
    ON(PIC18_NOP): ON(PIC18_NOP_2): NEXT(2);

    ON(PIC18_BC): JUMP_IF(CARRY);
    ON(PIC18_BN): JUMP_IF(NEGATIVE);
    ON(PIC18_BNC): JUMP_IF(!CARRY);
    ON(PIC18_BNN): JUMP_IF(!NEGATIVE);
    ON(PIC18_BNOV): JUMP_IF(!OVERFLOWS);
    ON(PIC18_BNZ): JUMP_IF(!ZERO);
    ON(PIC18_BOV): JUMP_IF(OVERFLOWS);
    ON(PIC18_BZ): JUMP_IF(ZERO);
    ON(PIC18_BRA): ON(PIC18_GOTO): ENTER(TARGET);
    ON(PIC18_RCALL): ON(PIC18_CALL): PUSHED(HERE + op->size); op = TARGET; FINISH;
    ON(PIC18_CALL_FAST): BESIDE; PUSHED(HERE + 4); op = TARGET; FINISH;
    ON(PIC18_RETURN): PULLED; FINISH;
    ON(PIC18_RETURN_FAST): RESTORED; PULLED; FINISH;
    ON(PIC18_RETLW): byte = AT; PULLED; w = byte; FINISH;
    ON(PIC18_RETFIE): PULLED; pic18_served(core, NOW_ENDS); FINISH;
    ON(PIC18_RETFIE_FAST): RESTORED; PULLED; pic18_served(core, NOW_ENDS); FINISH;
    ON(PIC18_PUSH): PUSHED(HERE + 2); op += 2; FINISH;
    ON(PIC18_POP):
        if (core->sp) core->sp--;
        else {
            SAVE;
            pic18_end(core, HERE, STKPTR_EMPTY, NOW_ENDS);
        }
        op += 2;
        FINISH;
    ON(PIC18_RESET):
        core->cause = RCON_RI;
        kit->resets = kit->attention = true;
        op += 2;
        FINISH;
    ON(PIC18_CLRWDT): pic18_feed(core, true, NOW_ENDS); op += 2; FINISH;
    ON(PIC18_SLEEP):
        pic18_feed(core, false, NOW_ENDS);
        core->sleeping = 1;
        op += 2;
        FINISH;
    ON(PIC18_TBLRD): ON(PIC18_TBLRD_UP): ON(PIC18_TBLRD_DOWN): ON(PIC18_TBLRD_PRE):
    ON(PIC18_TBLWT): ON(PIC18_TBLWT_UP): ON(PIC18_TBLWT_DOWN): ON(PIC18_TBLWT_PRE): pic18_table(core, X); NEXT(2);

    CASE(PIC18_BEYOND): FAULT(OAK_FAULT_OUTSIDE_CODE, PIC18_CODE, AT);
    CASE(PIC18_PERHAPS):
        if (!(STATUS_NOW & X) == (Y == 2)) FAULT(OAK_FAULT_OUTSIDE_CODE, PIC18_CODE, AT);
        ENTER(op + 2);
    CASE(PIC18_CLEAR_CARRY): CARRY_IS(0); NEXT(2);
    CASE(PIC18_SET_CARRY): CARRY_IS(1); NEXT(2);
    CASE(PIC18_FLAG_CLEAR): SKIP_IF(!(STATUS_NOW & X));
    CASE(PIC18_FLAG_SET): SKIP_IF(STATUS_NOW & X);

    CASE(PIC18_ENDS): /* it writes PCL: nothing of its chain is behind it */
        at = AT;
        kit->effect.whole = true;
        goto effect;
    CASE(PIC18_EFFECT):
        at = AT;
        kit->effect.whole = false;
        goto effect;
banked:
        at = (uint32_t)(bank - core->data) + AT;
        kit->effect.whole = false;
        goto effect;
pointed:
        at = AT;
        kit->effect.whole = false;
effect:
        kit->effect.at = pic18_points(at) ? pic18_effective(core->data, (uint8_t)w, at, false) : at;
        if (core->kind[kit->effect.at] == PIC18_ABSENT) FAULT(OAK_FAULT_ABSENT, PIC18_DATA, kit->effect.at);
        if (pic18_points(at)) (void)pic18_effective(core->data, (uint8_t)w, at, true);
#define EFFECT_UNITS       2
#define EFFECT_SCRATCH     PIC18_SCRATCH
#define EFFECT_CELL        core->data[PIC18_SCRATCH]
#define EFFECT_DONE        PIC18_DONE
#define EFFECT_ROW(number) (uint16_t)((number) & ~1)
#define EFFECT_USES(row)   *pic18_rows[row].uses
#define EFFECT_READ(asked, now) pic18_read(core, kit->effect.at, (uint8_t)(asked), now)
#define EFFECT_WRITE(row)                                                                                    \
    do {                                                                                                     \
        if (kit->effect.at == PCL) {                                                                                  \
            at = pic18_target(core, core->data[PIC18_SCRATCH]);                                              \
            if (at >= PIC18_SPAN) FAULT(OAK_FAULT_OUTSIDE_CODE, PIC18_CODE, at);                             \
            EFFECT_GOES(ops + at);                                                                           \
        } else if (kit->effect.at != STATUS || !*pic18_rows[row].flags) /* what sets flags leaves the others alone */ \
            pic18_write(core, kit->effect.at, core->data[PIC18_SCRATCH], kit->effect.end);                                     \
    } while (0)
#include "isa/kit/effects.h"
/* clang-format on */
