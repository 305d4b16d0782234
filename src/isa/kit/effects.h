/* effects.h — an instruction on a register with an effect of its own: the same instruction again, in a spare slot, on a cell that stands in for it.
 * Included behind the cases of an architecture whose instructions name at most one such register.
 *
 *   EFFECT_UNITS                  addresses that an instruction takes
 *   EFFECT_SCRATCH, EFFECT_CELL   the operand of the cell that stands in, and the cell
 *   EFFECT_DONE                   the handler behind it
 *   EFFECT_ROW(handler)           its row on a plain register
 *   EFFECT_USES(row)              r, w or b: what it does to the register
 *   EFFECT_READ(asked, now)       what it reads
 *   EFFECT_WRITE(row)             what its writing does: may set `op` to where it goes on, and charge for that; then EFFECT_WENT
 *
 * Locals: kit->effect.op, kit->effect.at (set before), kit->effect.end, kit->effect.writes, kit->effect.skips, whole (nothing of its chain is behind it). */
/* It jumps: nothing behind it in its chain comes next. */
#define EFFECT_GOES(where)                                                                                   \
    do {                                                                                                     \
        if (!kit->effect.whole && !LOOP_ONE) {                                                               \
            spent -= op->cost;                                                                               \
            COUNT(-1);                                                                                       \
        }                                                                                                    \
        kit->effect.whole = true;                                                                            \
        op = (where);                                                                                        \
        if (!(LOOP_ONE && kit->effect.skips)) MORE(1); /* what skips has charged it */                       \
    } while (0)
SAVE;
{
    kit_op *slot = ops + CORE_SPAN + KIT_SPARE;
    uint16_t row = EFFECT_ROW(kit->row[HERE] - KIT_FIRST_ROW);
    char use = EFFECT_USES(row);
    kit->effect.op = op;
    kit->effect.writes = use != 'r';
    kit->effect.end = kit->time.cycles +
                      (LOOP_ONE ? 1 : (uint32_t)(kit->effect.whole ? spent : spent - op[EFFECT_UNITS].cost));
    kit->pc = HERE;
    if (use != 'w') EFFECT_CELL = EFFECT_READ(X ? X : 0xFF, kit->effect.end - 1);
    *slot = *op;
    slot->at = EFFECT_SCRATCH;
    slot->handler = (uint16_t)(KIT_FIRST_ROW + row);
    slot->cost = 0;
    slot[EFFECT_UNITS].handler = slot[2 * EFFECT_UNITS].handler = EFFECT_DONE;
    slot[2 * EFFECT_UNITS].cost =
        LOOP_ONE ? 0 : UINT64_MAX; /* a skip there must not run out of time: it is charged behind it */
    op = slot;
    RESUME(slot->handler);
}
CASE(EFFECT_DONE) : kit->effect.skips = op == ops + CORE_SPAN + KIT_SPARE + 2 * EFFECT_UNITS;
op = kit->effect.op + EFFECT_UNITS;
if (kit->effect.writes) {
    SAVE;
    EFFECT_WRITE(EFFECT_ROW(kit->row[kit->effect.op - ops] - KIT_FIRST_ROW));
    LOAD;
}
kit->effect.op = NULL;
if (kit->effect.whole) FINISH;
op -= EFFECT_UNITS;
if (kit->effect.skips) {
    if (!LOOP_ONE) MORE(1);
    SKIP(EFFECT_UNITS, EFFECT_UNITS);
}
if (kit->attention) LEAVE(EFFECT_UNITS);
NEXT(EFFECT_UNITS);
#undef EFFECT_UNITS
#undef EFFECT_SCRATCH
#undef EFFECT_CELL
#undef EFFECT_DONE
#undef EFFECT_ROW
#undef EFFECT_USES
#undef EFFECT_READ
#undef EFFECT_WRITE
#undef EFFECT_GOES
