/* loop.h — the interpreter of an architecture, included five times.
 *
 *   LOOP_NAME      name of the function
 *   LOOP_ONE       1: one instruction after the other until `limit` cycles are used up or something wants attention;
 *                  0: whole chains while they fit into `limit` cycles
 *   LOOP_COUNTS    1: the same, and how often each chain is entered is counted (kit_counts)
 *   LOOP_JUDGED    1: counted where somebody counts, and behind each instruction somebody judges (kit_judged)
 *   LOOP_KEPT      1: the same, where values are only put down in rows
 *   CORE_TABLE     the table of rows;  KIT_ROW_NAME(id): the handler of a row in the enumeration the cases use. Not defined: every
 *                  instruction has one of the handlers below, which kit_arch.natural chooses
 *   CORE_EXTRA(X)  handlers of its own beside the rows; may be empty
 *   CORE_CASES     the file with ON(row) for each row and CASE(handler) for each of these
 *   CORE_SPAN      slots of operations;  CORE_CODE: the space of code;  CORE_FAR  1: addresses are not slots (slot_bytes)
 *   BACK_TO_IT     what is to be done before an instruction is given up; may be empty
 *   CORE_RESTLESS  1: a register changes with the count of instructions (restless_register)
 *   CORE_LOCALS    registers that live in locals, declared
 *   SAVE, LOAD     locals to the core and back;  SAVE_REGISTERS: what of SAVE registers are read from (kit_arch.registers_at); else as SAVE
 *                    CORE_SETTLE  KIT_SETTLE of four of them, or not defined
 *
 * A case speaks of its operands by X, Y, AT, TARGET, HERE, and ends in NEXT(units), GO_ON(operation), ENTER(operation), BRANCH_IF(condition, units),
 * FAULT(kind, space, address), HELP or FINISH; in LEAVE(units) where a kit_store has called for attention. MORE(n) charges cycles beyond those of the row, FEWER(n) gives some back. `spent` is instructions << 32 |
 * cycles. */

#define ENTER(where)                                                                                         \
    do {                                                                                                     \
        op = (where);                                                                                        \
        LEAVE_IF_ONE(op);                                                                                    \
        spent += op->cost;                                                                                   \
        if ((uint32_t)spent > limit) goto out_of_time;                                                       \
        COUNT(1);                                                                                            \
        ON_TO_IT;                                                                                            \
    } while (0)
#ifndef CORE_SETTLE
#define CORE_SETTLE (void)0
#endif
#ifndef SAVE_REGISTERS
#define SAVE_REGISTERS SAVE
#endif
#define NEXT(units) GO_ON(op + (units))
#define GO_ON(where)                                                                                         \
    do {                                                                                                     \
        op = (where);                                                                                        \
        CORE_SETTLE;                                                                                         \
        LEAVE_IF_ONE(op);                                                                                    \
        ON_TO_IT;                                                                                            \
    } while (0)
#if LOOP_ONE
#define LEAVE_IF_ONE(op)                                                                                     \
    if ((op) < ops + last_slot) goto one_done
#define MORE(n)  (more += (n))
#define FEWER(n) (more -= (n))
#define NOW_ENDS (kit->time.cycles + kit->own_cycles[kit->row[kit->pc] - KIT_FIRST_ROW] + more)
#else
#define LEAVE_IF_ONE(op) (void)0
#define MORE(n)          (spent += (n), COUNT_MORE(n))
#define FEWER(n)         (spent -= (n), COUNT_FEWER(n))
#define NOW_ENDS         (kit->time.cycles + (uint32_t)spent)
#endif
/* On to the operation, once it was looked whether what is judged has changed. */
#if LOOP_JUDGED
#define ON_TO_IT                                                                                             \
    do {                                                                                                     \
        if (from->judged & kit->judged.matter || op >= ops + CORE_SPAN + KIT_SPARE - 1) goto look;           \
        from = op;                                                                                           \
        DISPATCH;                                                                                            \
    } while (0)
#define COUNTS_NOW counts
#else
#define ON_TO_IT   DISPATCH
#define COUNTS_NOW true
#endif
#if LOOP_COUNTS
#define COUNTED        ((struct kit_counted *)(void *)(counts + ((char *)op - (char *)ops)))
#define COUNT(n)       (void)(COUNTS_NOW && (COUNTED->entered += (n)))
#define COUNT_MORE(n)  (void)(COUNTS_NOW && (COUNTED->more += (n)))
#define COUNT_FEWER(n) (void)(COUNTS_NOW && (COUNTED->more -= (n)))
#else
#define COUNT(n)       (void)0
#define COUNT_MORE(n)  (void)0
#define COUNT_FEWER(n) (void)0
#endif
#define BRANCH_IF(condition, units)                                                                          \
    do {                                                                                                     \
        if (condition) ENTER(TARGET);                                                                        \
        ENTER(op + (units));                                                                                 \
    } while (0)
/* Of an architecture whose chains go on behind a branch: what stands behind it, an instruction of so many units, has been charged. It goes
 * on elsewhere; or `units` are left out. */
#define AWAY(size, where)                                                                                    \
    do {                                                                                                     \
        op += (size);                                                                                        \
        if (!LOOP_ONE) spent -= op->cost;                                                                    \
        COUNT(-1);                                                                                           \
        ENTER(where);                                                                                        \
    } while (0)
#define SKIP(size, units) AWAY(size, op + (units))
#define FAULT(kind, space, address)                                                                          \
    do {                                                                                                     \
        kit->fault = (kind);                                                                                 \
        kit->fault_space = (space);                                                                          \
        kit->fault_address = (address);                                                                      \
        goto faulted;                                                                                        \
    } while (0)
/* As NEXT, but what was decoded behind it may be another by now. */
#define LEAVE(units)                                                                                         \
    do {                                                                                                     \
        op += (units);                                                                                       \
        LEAVE_IF_ONE(op);                                                                                    \
        exit = KIT_EXIT_EVENT;                                                                               \
        goto leave;                                                                                          \
    } while (0)
#define HELP goto needs_help
/* What comes next cannot be executed: that is no matter when the time is over in front of it. */
#define BEFORE_FAULT                                                                                         \
    if (!LOOP_ONE && (uint32_t)spent >= limit) {                                                             \
        exit = KIT_EXIT_TIME;                                                                                \
        goto leave;                                                                                          \
    }
#define FINISH goto complete /* `op` comes next; somebody may have called for attention */

/* What comes next is decoded and fits: when nobody asks for an interrupt, to let them through changes nothing before its end. */
#define QUIET_AT(where)                                                                                      \
    (!LOOP_ONE && (where)->handler >= KIT_FIRST_ROW && (uint32_t)(spent + (where)->cost) <= limit)

#define X      op->x
#define Y      op->y
#define AT     op->at
#define TARGET ((kit_op *)(void *)((char *)op + (int32_t)op->to))
#define SLOT   ((uint32_t)(op - ops))
#define LEAVE_IF_CROWDED                                                                                     \
    if (CORE_FAR && kit->nowhere_used >= KIT_CROWDED) { /* all that was decoded is forgotten first */        \
        exit = KIT_EXIT_EVENT;                                                                               \
        goto leave;                                                                                          \
    }
#define SEEN_AT (CORE_FAR ? kit_near_address(core, SLOT) : SLOT)
#define HERE    (CORE_FAR ? kit_far_address(core, SLOT) : SLOT)

kit_exit LOOP_NAME(oak_core *core, uint32_t limit)
{
    kit_core *const kit = &core->kit;
#if KIT_COMPUTED_GOTO
    static const void *const handlers[] = {
#ifdef CORE_TABLE
#define INSN(id, mnemonic, operands, bits, cycles, taken, flow, uses, flags, meaning)                        \
    [KIT_FIRST_ROW + KIT_ROW_NAME(id)] = &&ON(KIT_ROW_NAME(id)),
#define CHOICE(mnemonic, of, meaning)
#include CORE_TABLE
#undef INSN
#undef CHOICE
#endif
#define KIT_EXTRA_LABEL(name) [name] = &&CASE(name),
        CORE_EXTRA(KIT_EXTRA_LABEL)
#undef KIT_EXTRA_LABEL
            [KIT_DECODE] = &&CASE(KIT_DECODE),
        [KIT_WRAP] = &&CASE(KIT_WRAP),
        [KIT_STOP] = &&CASE(KIT_STOP),
        [KIT_WATCHED] = &&CASE(KIT_WATCHED),
        [KIT_PARKED] = &&CASE(KIT_PARKED),
        [KIT_RESERVED] = &&CASE(KIT_RESERVED),
        [KIT_UNPROGRAMMED] = &&CASE(KIT_UNPROGRAMMED),
        [KIT_OUTSIDE] = &&CASE(KIT_OUTSIDE),
    };
#else
    unsigned next_handler = 0;
#endif
    kit_op *const ops = kit->ops;
#if LOOP_COUNTS
    char *const counts = kit->counts;
#endif
    kit_op *op = ops + kit->pc;
#if LOOP_JUDGED
    const kit_op *from = op; /* the instruction under way; kit->pc, where it began, for the first */
#endif
    uint64_t spent = 0;
    kit_exit exit = KIT_EXIT_STEP;
    CORE_LOCALS;
    LOAD;
#if LOOP_ONE
    const uint32_t last_slot = CORE_SPAN + KIT_SPARE - 1;
    const uint64_t end = kit->time.cycles + limit;
    const bool observed = kit->observed;
    uint32_t more = 0;
next_one:
    if (kit->row[kit->pc] == KIT_DECODE) {
        LEAVE_IF_CROWDED;
        kit_decode_chain(core, kit->pc);
    }
    if (observed) {
        SAVE;
        kit_watch_begin(core, kit->pc);
    }
    if (op->handler == KIT_STOP) RESUME(kit_natural(core, kit->pc));
    DISPATCH;
#else
    ENTER(op);
#endif
    BEGIN_CASES

#include CORE_CASES

    CASE(KIT_DECODE) : LEAVE_IF_CROWDED;
    spent -= op->cost;
    COUNT(-1);
    kit_decode_chain(core, SLOT);
    ENTER(op);
    CASE(KIT_WRAP) : ENTER(op - CORE_SPAN);
    CASE(KIT_STOP) : exit = KIT_EXIT_STOP;
    goto leave;
    CASE(KIT_WATCHED)
        : /* runs of single instructions look for themselves */
          SAVE;
    {
        uint16_t natural = LOOP_ONE ? kit_natural(core, SLOT) : kit_unwatched(core, SLOT);
        if (natural) RESUME(natural);
        exit = KIT_EXIT_WATCH;
        goto leave;
    }
    CASE(KIT_PARKED) : exit = KIT_EXIT_PARKED;
    goto leave;
    CASE(KIT_RESERVED) : BEFORE_FAULT;
    FAULT(OAK_FAULT_RESERVED, CORE_CODE, HERE);
    CASE(KIT_UNPROGRAMMED) : BEFORE_FAULT;
    {
        uint32_t empty;
        (void)kit_missing(core, HERE, OAK_LONGEST_INSN, &empty);
        FAULT(OAK_FAULT_UNPROGRAMMED, CORE_CODE, empty);
    }
    CASE(KIT_OUTSIDE) : BEFORE_FAULT;
    FAULT(OAK_FAULT_OUTSIDE_CODE, CORE_CODE, HERE);

    END_CASES

complete:
    if (kit->attention) {
        LEAVE_IF_ONE(op);
        exit = KIT_EXIT_EVENT; /* nothing of what comes next has been charged */
        spent += op->cost;
        goto leave_between;
    }
    ENTER(op);
#if LOOP_JUDGED
look:
    if (op < ops + CORE_SPAN + KIT_SPARE - 1) { /* what is not an instruction is no end of one */
#define LOOKED_AT (kit->time.cycles + (uint32_t)(spent - op->cost))
#if LOOP_KEPT
        const uint64_t now = LOOKED_AT;
        const uint8_t needs = kit->judged.needs;
        if (needs & OAK_NEEDS_BANK) oak_judged_note_bank(&kit->judged);
        if (needs & OAK_NEEDS_BEFORE) {
            if (needs & OAK_NEEDS_ONE) goto put_one;
            if (needs & OAK_NEEDS_LED && oak_judged_is_led_as_before(&kit->judged, from->judged)) goto looked;
            if (needs & OAK_NEEDS_PLACE) kit->judged.pc = SEEN_AT;
            if (needs & OAK_NEEDS_FLAGS) {
                SAVE;
                if (!oak_judged_note(&kit->judged, core)) goto look_further;
            }
        }
        if (needs & OAK_NEEDS_TIME) {
            if (!(from->judged & kit->judged.lie)) { /* no row need be put down, at times */
                if (oak_judged_stands(&kit->judged, 0, now)) goto looked;
                if (oak_judged_tries(&kit->judged)) goto look_further;
            }
            if (!oak_judged_knows(&kit->judged, now)) goto look_further;
        }
        SAVE_REGISTERS;
        if (KIT_RARELY(!kit->judged.plain.rows)) goto put_row;
        if (!oak_judged_put_plain(&kit->judged, now)) goto looked;
    ask_about_rows:
        SAVE;
        if (oak_judged_ask(&kit->judged, core, spent - op->cost)) goto judged;
        goto looked;
    put_row:
        if (kit->judged.plain.bytes) {
            if (!oak_judged_put_bytes(&kit->judged, now)) goto looked;
        } else if (kit->judged.plain.wide) {
            if (!oak_judged_put_wide(&kit->judged, now)) goto looked;
        } else if (!oak_judged_put_row(&kit->judged, core, now)) goto looked;
        goto ask_about_rows;
        uint32_t one;
    put_one:
        if (needs & OAK_NEEDS_PLACE) one = SEEN_AT;
        else if (needs & OAK_NEEDS_FLAGS) {
            SAVE;
            (void)oak_judged_note(&kit->judged, core);
            one = *kit->judged.noted;
        } else {
            SAVE_REGISTERS;
            one = oak_judged_word(kit->judged.plain.at[0]);
        }
        if (!oak_judged_put_one(&kit->judged, one, now)) goto looked;
        goto ask_about_rows;
    look_further:
#else
        if (kit->judged.way == OAK_WAY_OUTSIDE) {
            uint64_t looked_at = 0;
            SAVE_REGISTERS;
            if (kit->judged.needs) {
                looked_at = LOOKED_AT;
                if (kit->judged.led && oak_judged_is_led_as_before(&kit->judged, from->judged)) goto looked;
                if (kit->judged.needs_place) kit->judged.pc = SEEN_AT;
                if (kit->judged.has_flags) {
                    SAVE;
                    if (!oak_judged_note(&kit->judged, core)) goto look_at_all;
                }
                if (!oak_judged_knows(&kit->judged, looked_at)) goto look_at_all;
            }
            if (kit->judged.has_others) {
                if (oak_judged_all_outside(&kit->judged, core, from->judged, (uint32_t)looked_at))
                    goto looked;
            } else if (oak_judged_sum_outside(&kit->judged, core, kit->judged.sums, (uint32_t)looked_at))
                goto looked;
            SAVE;
            goto ask_all;
        }
        const uint64_t now = LOOKED_AT;
        switch (kit->judged.way) {
        case OAK_WAY_PC_ASKS:
            if (!oak_judged_asks(&kit->judged, SEEN_AT & kit->judged.value->mask)) goto looked;
            if (oak_judged_ask(&kit->judged, core, spent - op->cost)) goto judged;
            goto looked;
        case OAK_WAY_LIES_ASKS:
            SAVE;
            if (!oak_judged_asks(&kit->judged, oak_judged_now(&kit->judged, core, kit->judged.value)))
                goto looked;
            if (oak_judged_ask(&kit->judged, core, spent - op->cost)) goto judged;
            goto looked;
        case OAK_WAY_QUICK_ASKS: {
            if (oak_judged_stands(&kit->judged, from->judged, now)) goto looked;
            if (kit->judged.led && oak_judged_is_led_as_before(&kit->judged, from->judged)) goto looked;
            SAVE;
            if (kit->judged.needs_place) kit->judged.pc = SEEN_AT;
            if (!oak_judged_knows(&kit->judged, now) ||
                (!(from->judged & kit->judged.lie) && oak_judged_tries(&kit->judged)) ||
                (kit->judged.led && !oak_judged_note(&kit->judged, core)))
                break;
            if (!oak_judged_changes(&kit->judged, core, from->judged, now)) goto looked;
        ask_all : {
            const uint32_t began = kit->pc;
            kit->pc = (uint32_t)(op - ops); /* all of them may be looked at again */
            const bool hit = oak_judged_ask(&kit->judged, core, spent - op->cost);
            kit->pc = began;
            if (hit) goto judged;
            goto looked;
        }
        }
        default: break;
        }
        if (oak_judged_stands(&kit->judged, from->judged, now)) goto looked;
    look_at_all:
#endif
        SAVE;
        const uint32_t began_at = kit->pc;
        if (kit->judged.needs_place) kit->pc = (uint32_t)(op - ops), kit->judged.pc = SEEN_AT;
        const bool ends = kit->judged.behind(&kit->judged, core, from->judged, spent - op->cost);
        kit->pc = began_at;
        if (ends) goto judged;
    looked:
        from = op;
    }
    DISPATCH;
judged:
    exit = KIT_EXIT_EVENT;
    kit->attention = true;
    goto leave;
#endif
needs_help:
    KIT_MAYBE_UNUSED;
    exit = KIT_EXIT_HELP;
    BACK_TO_IT;
    goto leave;
faulted:
    exit = KIT_EXIT_FAULT;
    BACK_TO_IT;
    goto leave;
out_of_time:
    exit = KIT_EXIT_TIME;
    goto leave_between;
leave: /* in front of an operation of a chain that has been counted whole */
    COUNT(-1);
leave_between:
#if LOOP_ONE
    spent = 0; /* nothing was executed */
    goto finish;
one_done:
    if (observed && kit->tallies.at)
        oak_tallies_add(&kit->tallies, kit->pc, 1, kit->own_cycles[kit->row[kit->pc] - KIT_FIRST_ROW] + more);
    kit->time.cycles += kit->own_cycles[kit->row[kit->pc] - KIT_FIRST_ROW] + more;
    kit->time.instructions++;
    more = 0;
    kit->pc = (uint32_t)(op - ops) % CORE_SPAN;
    op = ops + kit->pc;
    if (observed) {
        SAVE;
        kit_watch_end(core);
    }
    if (kit->time.cycles < end && !kit->attention) {
        if (!kit->stop_at[kit->pc]) goto next_one;
        exit = KIT_EXIT_STOP;
    }
    spent = 0;
finish:
#else
    spent -= op->cost;
#endif
    SAVE;
#if LOOP_JUDGED
    if (spent >> 32) kit->judged_pc = (uint32_t)(from - ops);
#endif
    kit->pc = (uint32_t)(op - ops) % CORE_SPAN;
    kit->time.cycles += (uint32_t)spent;
    kit->time.instructions += spent >> 32;
    return exit;
}

#undef ENTER
#undef NEXT
#undef GO_ON
#undef LEAVE_IF_ONE
#undef MORE
#undef FEWER
#undef NOW_ENDS
#undef BRANCH_IF
#undef AWAY
#undef SKIP
#undef COUNT
#undef COUNT_MORE
#undef COUNT_FEWER
#undef COUNTED
#undef FAULT
#undef LEAVE
#undef HELP
#undef BEFORE_FAULT
#undef QUIET_AT
#undef FINISH
#undef X
#undef Y
#undef AT
#undef TARGET
#undef LEAVE_IF_CROWDED
#undef SLOT
#undef HERE
#undef SEEN_AT
#undef LOOP_NAME
#undef LOOP_ONE
#undef LOOP_COUNTS
#undef LOOP_JUDGED
#undef LOOP_KEPT
#undef ON_TO_IT
#undef COUNTS_NOW
