/* picmid_cases.h — what each row does, for the loop of the kit. */

/* The cell of the operand; 0 is the one that FSR points to. */
#define CELL                                                                                                 \
    at = bank[AT];                                                                                           \
    if (at >= PICMID_OTHER) {                                                                                \
        if (at != PICMID_OTHER) goto special;                                                                \
        at = far[core->data[FSR]];                                                                           \
        if (at >= PICMID_OTHER) goto special;                                                                \
    }
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
    core->data[at] = (uint8_t)(value);                                                                       \
    NEXT(1)
#define Z_TO_W(value)                                                                                        \
    w = zero = (value);                                                                                      \
    NEXT(1)
#define Z_TO_F(value)                                                                                        \
    core->data[at] = (uint8_t)(zero = (value));                                                              \
    NEXT(1)
#define SKIP_IF(condition)                                                                                   \
    do {                                                                                                     \
        if (!(condition)) NEXT(1);                                                                           \
        MORE(1);                                                                                             \
        SKIP(1, 1);                                                                                             \
    } while (0)
#define STATUS_NOW                                                                                           \
    ((core->data[STATUS] & 0xF8u) | (uint32_t)(zero == 0) << 2 | (half >> 3 & STATUS_DC) | carry)
#define SELECT                                                                                               \
    (bank = core->near[core->data[STATUS] >> 5 & 3], far = core->far + (core->data[STATUS] & STATUS_IRP) * 2)
#define SIMPLE (STATUS_RP | STATUS_IRP | STATUS_C) /* bits that nothing else depends on */
#define PAGED  ((kit_op *)(void *)((char *)page + op->to))
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
    ON(PICMID_ADDWF_W): CELL; FLAGS_OF_SUM(w, core->data[at]); TO_W(zero);
    ON(PICMID_ADDWF_F): CELL; FLAGS_OF_SUM(w, core->data[at]); TO_F(zero);
    ON(PICMID_ANDWF_W): CELL; Z_TO_W(w & core->data[at]);
    ON(PICMID_ANDWF_F): CELL; Z_TO_F(w & core->data[at]);
    ON(PICMID_CLRF): CELL; Z_TO_F(0);
    ON(PICMID_CLRW): Z_TO_W(0);
    ON(PICMID_COMF_W): CELL; Z_TO_W(core->data[at] ^ 0xFFu);
    ON(PICMID_COMF_F): CELL; Z_TO_F(core->data[at] ^ 0xFFu);
    ON(PICMID_DECF_W): CELL; Z_TO_W((core->data[at] - 1u) & 0xFF);
    ON(PICMID_DECF_F): CELL; Z_TO_F((core->data[at] - 1u) & 0xFF);
    ON(PICMID_DECFSZ_W): CELL; w = (core->data[at] - 1u) & 0xFF; SKIP_IF(!w);
    ON(PICMID_DECFSZ_F): CELL; core->data[at]--; SKIP_IF(!core->data[at]);
    ON(PICMID_INCF_W): CELL; Z_TO_W((core->data[at] + 1u) & 0xFF);
    ON(PICMID_INCF_F): CELL; Z_TO_F((core->data[at] + 1u) & 0xFF);
    ON(PICMID_INCFSZ_W): CELL; w = (core->data[at] + 1u) & 0xFF; SKIP_IF(!w);
    ON(PICMID_INCFSZ_F): CELL; core->data[at]++; SKIP_IF(!core->data[at]);
    ON(PICMID_IORWF_W): CELL; Z_TO_W(w | core->data[at]);
    ON(PICMID_IORWF_F): CELL; Z_TO_F(w | core->data[at]);
    ON(PICMID_MOVF_W): CELL; Z_TO_W(core->data[at]);
    ON(PICMID_MOVF_F): CELL; Z_TO_F(core->data[at]);
    ON(PICMID_MOVWF): CELL; TO_F(w);
    ON(PICMID_NOP): NEXT(1);
    ON(PICMID_RLF_W): CELL; w = (uint32_t)core->data[at] << 1 | carry; carry = w >> 8; TO_W(w & 0xFF);
    ON(PICMID_RLF_F): CELL; byte = (uint32_t)core->data[at] << 1 | carry; carry = byte >> 8; TO_F(byte);
    ON(PICMID_RRF_W): CELL; w = core->data[at] | carry << 8; carry = w & 1; TO_W(w >> 1);
    ON(PICMID_RRF_F): CELL; byte = core->data[at] | carry << 8; carry = byte & 1; TO_F(byte >> 1);
    ON(PICMID_SUBWF_W): CELL; FLAGS_OF_DIFFERENCE(core->data[at], w); TO_W(zero);
    ON(PICMID_SUBWF_F): CELL; FLAGS_OF_DIFFERENCE(core->data[at], w); TO_F(zero);
    ON(PICMID_SWAPF_W): CELL; TO_W((core->data[at] << 4 | core->data[at] >> 4) & 0xFF);
    ON(PICMID_SWAPF_F): CELL; TO_F(core->data[at] << 4 | core->data[at] >> 4);
    ON(PICMID_XORWF_W): CELL; Z_TO_W(w ^ core->data[at]);
    ON(PICMID_XORWF_F): CELL; Z_TO_F(w ^ core->data[at]);
    ON(PICMID_BCF):
        if (AT == STATUS && X & SIMPLE) {
            if (X == STATUS_C) carry = 0;
            core->data[STATUS] &= (uint8_t)~(X & 0xFE);
            SELECT;
            NEXT(1);
        }
        CELL; TO_F(core->data[at] & ~X);
    ON(PICMID_BSF):
        if (AT == STATUS && X & SIMPLE) {
            if (X == STATUS_C) carry = 1;
            core->data[STATUS] |= X & 0xFE;
            SELECT;
            NEXT(1);
        }
        CELL; TO_F(core->data[at] | X);
    ON(PICMID_BTFSC):
        if (AT == STATUS) {
            if (X == STATUS_Z) SKIP_IF(zero);
            if (X == STATUS_C) SKIP_IF(!carry);
            SKIP_IF(!(STATUS_NOW & X));
        }
        CELL; SKIP_IF(!(core->data[at] & X));
    ON(PICMID_BTFSS):
        if (AT == STATUS) {
            if (X == STATUS_Z) SKIP_IF(!zero);
            if (X == STATUS_C) SKIP_IF(carry);
            SKIP_IF(STATUS_NOW & X);
        }
        CELL; SKIP_IF(core->data[at] & X);
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
        whole = true;
        goto effect;
special:
        whole = false;
effect:
        if (at == PICMID_ABSENT)
            FAULT(OAK_FAULT_ABSENT, PICMID_FILE, AT ? (uint32_t)(bank - core->near[0]) / PICMID_ROW * PICMID_BANK + AT
                                                    : (uint32_t)(far - core->far) + core->data[FSR]);
        io_at = at - PICMID_OTHER;
#define EFFECT_UNITS            1
#define EFFECT_SCRATCH          PICMID_BANK
#define EFFECT_CELL             core->data[PICMID_SCRATCH]
#define EFFECT_DONE             PICMID_DONE
#define EFFECT_ROW(number)      (uint16_t)(number)
#define EFFECT_USES(row)        *picmid_rows[row].uses
#define EFFECT_READ(asked, now) picmid_read(core, io_at, (uint8_t)(asked), now)
#define EFFECT_WRITE(row)                                                                                    \
    do {                                                                                                     \
        if (io_at == PCL) EFFECT_GOES(ops + picmid_target(core, core->data[PICMID_SCRATCH]));                \
        else if (io_at == STATUS) /* what sets flags leaves the others alone */                              \
            picmid_set_status(core, core->data[PICMID_SCRATCH], *picmid_rows[row].flags ? 0xE0 : 0xE7);      \
        else picmid_write(core, io_at, core->data[PICMID_SCRATCH], io_end);                                  \
    } while (0)
#include "isa/kit/effects.h"

circles: /* a jump to itself */
    exit = KIT_EXIT_PARKED;
    goto leave;

/* clang-format on */
#undef CELL
#undef FLAGS_OF_SUM
#undef FLAGS_OF_DIFFERENCE
#undef TO_W
#undef TO_F
#undef Z_TO_W
#undef Z_TO_F
#undef SKIP_IF
#undef PAGED
#undef STATUS_NOW
#undef SELECT
#undef SIMPLE
#undef PUSHED
#undef PULLED
