/* picmid_cases.h — what each row does, for the loop of the kit. */

/* A row with a register is three: in the bank that is selected, where it is the same in every bank, and where FSR points. */
#define CELLS(id, ...)                                                                                       \
    ON(PICMID_##id) : at = bank[AT];                                                                         \
    if (at >= PICMID_OTHER) goto special;                                                                    \
    cell = core->data + at;                                                                                  \
    __VA_ARGS__                                                                                              \
    CASE(PICMID_##id##_C) : cell = core->data + AT;                                                          \
    __VA_ARGS__                                                                                              \
    CASE(PICMID_##id##_I) : at = far[core->data[FSR]];                                                       \
    if (at >= PICMID_OTHER) goto special;                                                                    \
    cell = core->data + at;                                                                                  \
    __VA_ARGS__
#define FLAGS_OF_SUM(a, b)                                                                                   \
    do {                                                                                                     \
        uint32_t first = (a), second = (b);                                                                  \
        zero = first + second;                                                                               \
        half = first ^ second ^ zero;                                                                        \
        carry = zero >> 8;                                                                                   \
        zero &= 0xFF;                                                                                        \
    } while (0)
#define FLAGS_OF_DIFFERENCE(a, b) /* the same without the borrow: a + ~b + 1 */                              \
    do {                                                                                                     \
        uint32_t first = (a), second = (b) ^ 0xFF;                                                           \
        zero = first + second + 1;                                                                           \
        half = first ^ second ^ zero;                                                                        \
        carry = zero >> 8;                                                                                   \
        zero &= 0xFF;                                                                                        \
    } while (0)
#define TO_W(value)                                                                                          \
    w = (value);                                                                                             \
    NEXT(1)
#define TO_F(value)                                                                                          \
    *cell = (uint8_t)(value);                                                                                \
    NEXT(1)
#define Z_TO_W(value)                                                                                        \
    w = zero = (value);                                                                                      \
    NEXT(1)
#define Z_TO_F(value)                                                                                        \
    *cell = (uint8_t)(zero = (value));                                                                       \
    NEXT(1)
#define SKIP_IF(condition)                                                                                   \
    do {                                                                                                     \
        if (!(condition)) NEXT(1);                                                                           \
        MORE(1);                                                                                             \
        SKIP(1, 1);                                                                                          \
    } while (0)
#define STATUS_NOW                                                                                           \
    ((core->data[STATUS] & 0xF8u) | (uint32_t)(zero == 0) << 2 | (half >> 3 & STATUS_DC) | carry)
#define SELECT                                                                                               \
    (bank = core->near[core->data[STATUS] >> 5 & 3], far = core->far + (core->data[STATUS] & STATUS_IRP) * 2)
#define PAGED ((kit_op *)(void *)((char *)page + op->to))
#define PUSHED                                                                                               \
    if (core->sp == PICMID_LEVELS) {                                                                         \
        SAVE;                                                                                                \
        picmid_stack_wraps(core, HERE, NOW_ENDS);                                                            \
    }                                                                                                        \
    core->stk[core->sp++] = (uint16_t)((HERE + 1) & (PICMID_SPAN - 1))
#define PULLED                                                                                               \
    if (!core->sp) {                                                                                         \
        SAVE;                                                                                                \
        picmid_stack_wraps(core, HERE, NOW_ENDS);                                                            \
    }                                                                                                        \
    op = ops + core->stk[--core->sp]

/* clang-format off */
    CELLS(ADDWF_W, FLAGS_OF_SUM(w, *cell); TO_W(zero);)
    CELLS(ADDWF_F, FLAGS_OF_SUM(w, *cell); TO_F(zero);)
    CELLS(ANDWF_W, Z_TO_W(w & *cell);)
    CELLS(ANDWF_F, Z_TO_F(w & *cell);)
    CELLS(CLRF, Z_TO_F(0);)
    ON(PICMID_CLRW): Z_TO_W(0);
    CELLS(COMF_W, Z_TO_W(*cell ^ 0xFFu);)
    CELLS(COMF_F, Z_TO_F(*cell ^ 0xFFu);)
    CELLS(DECF_W, Z_TO_W((*cell - 1u) & 0xFF);)
    CELLS(DECF_F, Z_TO_F((*cell - 1u) & 0xFF);)
    CELLS(DECFSZ_W, w = (*cell - 1u) & 0xFF; SKIP_IF(!w);)
    CELLS(DECFSZ_F, SKIP_IF(!--*cell);)
    CELLS(INCF_W, Z_TO_W((*cell + 1u) & 0xFF);)
    CELLS(INCF_F, Z_TO_F((*cell + 1u) & 0xFF);)
    CELLS(INCFSZ_W, w = (*cell + 1u) & 0xFF; SKIP_IF(!w);)
    CELLS(INCFSZ_F, SKIP_IF(!++*cell);)
    CELLS(IORWF_W, Z_TO_W(w | *cell);)
    CELLS(IORWF_F, Z_TO_F(w | *cell);)
    CELLS(MOVF_W, Z_TO_W(*cell);)
    CELLS(MOVF_F, Z_TO_F(*cell);)
    CELLS(MOVWF, TO_F(w);)
    ON(PICMID_NOP): NEXT(1);
    CELLS(RLF_W, w = (uint32_t)*cell << 1 | carry; carry = w >> 8; TO_W(w & 0xFF);)
    CELLS(RLF_F, byte = (uint32_t)*cell << 1 | carry; carry = byte >> 8; TO_F(byte);)
    CELLS(RRF_W, w = *cell | carry << 8; carry = w & 1; TO_W(w >> 1);)
    CELLS(RRF_F, byte = *cell | carry << 8; carry = byte & 1; TO_F(byte >> 1);)
    CELLS(SUBWF_W, FLAGS_OF_DIFFERENCE(*cell, w); TO_W(zero);)
    CELLS(SUBWF_F, FLAGS_OF_DIFFERENCE(*cell, w); TO_F(zero);)
    CELLS(SWAPF_W, TO_W((*cell << 4 | *cell >> 4) & 0xFF);)
    CELLS(SWAPF_F, TO_F(*cell << 4 | *cell >> 4);)
    CELLS(XORWF_W, Z_TO_W(w ^ *cell);)
    CELLS(XORWF_F, Z_TO_F(w ^ *cell);)
    CELLS(BCF, TO_F(*cell & ~X);)
    CELLS(BSF, TO_F(*cell | X);)
    CELLS(BTFSC, SKIP_IF(!(*cell & X));)
    CELLS(BTFSS, SKIP_IF(*cell & X);)
    CASE(PICMID_CLEAR_FLAG): /* bits that nothing else depends on, one of them */
        if (X == STATUS_C) carry = 0;
        core->data[STATUS] &= (uint8_t)~(X & 0xFE);
        SELECT;
        NEXT(1);
    CASE(PICMID_SET_FLAG):
        if (X == STATUS_C) carry = 1;
        core->data[STATUS] |= X & 0xFE;
        SELECT;
        NEXT(1);
    CASE(PICMID_ZERO_CLEAR): SKIP_IF(zero);
    CASE(PICMID_ZERO_SET): SKIP_IF(!zero);
    CASE(PICMID_FLAG_CLEAR): SKIP_IF(!(STATUS_NOW & X));
    CASE(PICMID_FLAG_SET): SKIP_IF(STATUS_NOW & X);
    ON(PICMID_ADDLW): FLAGS_OF_SUM(w, AT); TO_W(zero);
    ON(PICMID_ANDLW): Z_TO_W(w & AT);
    ON(PICMID_IORLW): Z_TO_W(w | AT);
    ON(PICMID_MOVLW): TO_W(AT);
    ON(PICMID_SUBLW): FLAGS_OF_DIFFERENCE(AT, w); TO_W(zero);
    ON(PICMID_XORLW): Z_TO_W(w ^ AT);
    ON(PICMID_CALL):
        PUSHED;
        op = PAGED;
        FINISH;
    ON(PICMID_GOTO):
        ENTER(PAGED);
    CASE(PICMID_SELF): /* in its page */
        if (PAGED == op) goto circles;
        ENTER(PAGED);
    ON(PICMID_RETURN): PULLED; FINISH;
    ON(PICMID_RETLW): byte = AT; PULLED; w = byte; FINISH;
    ON(PICMID_RETFIE):
        PULLED;
        picmid_served(core, NOW_ENDS);
        FINISH;
    ON(PICMID_CLRWDT):
        picmid_feed(core, true, NOW_ENDS);
        op += 1;
        FINISH;
    ON(PICMID_SLEEP):
        picmid_feed(core, false, NOW_ENDS);
        core->sleeping = 1;
        kit->attention = true;
        op += 1;
        FINISH;
    ON(PICMID_OPTION):
        SAVE;
        kit->pc = HERE;
        picmid_write(core, OPTION_REG, (uint8_t)w, NOW_ENDS);
        op += 1;
        FINISH;
    ON(PICMID_TRIS):
        SAVE;
        kit->pc = HERE;
        if (core->far[TRIS_FIRST - 1 + X] == PICMID_ABSENT) FAULT(OAK_FAULT_ABSENT, PICMID_FILE, TRIS_FIRST - 1u + X);
        picmid_write(core, TRIS_FIRST - 1u + X, (uint8_t)w, NOW_ENDS);
        op += 1;
        FINISH;

    CASE(PICMID_ENDS): /* it writes PCL: nothing of its chain is behind it */
        at = bank[AT];
        kit->effect.whole = true;
        goto effect;
special:
        kit->effect.whole = false;
effect:
        if (at == PICMID_ABSENT)
            FAULT(OAK_FAULT_ABSENT, PICMID_FILE, AT ? (uint32_t)(bank - core->near[0]) / PICMID_ROW * PICMID_BANK + AT
                                                    : (uint32_t)(far - core->far) + core->data[FSR]);
        kit->effect.at = at - PICMID_OTHER;
#define EFFECT_UNITS            1
#define EFFECT_SCRATCH          PICMID_BANK
#define EFFECT_CELL             core->data[PICMID_SCRATCH]
#define EFFECT_DONE             PICMID_DONE
#define EFFECT_ROW(number)      (uint16_t)(number)
#define EFFECT_USES(row)        *picmid_rows[row].uses
#define EFFECT_READ(asked, now) picmid_read(core, kit->effect.at, (uint8_t)(asked), now)
#define EFFECT_WRITE(row)                                                                                    \
    do {                                                                                                     \
        if (kit->effect.at == PCL) EFFECT_GOES(ops + picmid_target(core, core->data[PICMID_SCRATCH]));                \
        else if (kit->effect.at == STATUS) /* what sets flags leaves the others alone */                              \
            picmid_set_status(core, core->data[PICMID_SCRATCH], *picmid_rows[row].flags ? 0xE0 : 0xE7);      \
        else picmid_write(core, kit->effect.at, core->data[PICMID_SCRATCH], kit->effect.end);                                  \
    } while (0)
#include "isa/kit/effects.h"

circles: /* a jump to itself */
    exit = KIT_EXIT_PARKED;
    goto leave;

/* clang-format on */
