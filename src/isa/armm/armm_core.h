/* armm_core.h — the state of one M-profile core and its decoded program, shared by
 *
 *   armm_core.c        creating, memory, looking and changing, the run around the loop
 *   armm_ready.c       decoding to ready-to-run operations, stop points, code that is written over
 *   armm_loop.c/.h     the loop
 *   armm_slow.c        instructions that are rare or long, one case a row
 *   armm_exceptions.c  entry, return, priorities, faults
 *   armm_system.c      SysTick, NVIC and system control registers
 *
 * Code is decoded when it is first reached, one operation a halfword. An operation holds the cost (cycles and
 * instructions) of everything from itself to the end of its chain; the loop charges it once, when it enters
 * there, and gives back what was not executed when it leaves in the middle. Instructions of an it block ask their condition
 * first (IF), and when it does not hold a new chain begins behind them. */
#ifndef OAK_ARMM_CORE_H
#define OAK_ARMM_CORE_H

#include "base/bits.h"
#include "isa/armm/armm.h"
#include "isa/kit/kit.h"

enum {
    ARMM_MOST_REGIONS = 8,
    ARMM_MOST_LINES = 240,
    ARMM_EXCEPTIONS = 16 + ARMM_MOST_LINES,
    ARMM_REGISTERS_MOST = 16,
    ARMM_MOST_LISTS = 512,
    ARMM_R_ZERO = 16 /* behind the registers: the base of an address that is known */
};

/* The exceptions with fixed numbers (B1.5.2). */
enum {
    ARMM_RESET = 1,
    ARMM_NMI,
    ARMM_HARD_FAULT,
    ARMM_MEM_MANAGE,
    ARMM_BUS_FAULT,
    ARMM_USAGE_FAULT,
    ARMM_SVCALL = 11,
    ARMM_DEBUG_MONITOR,
    ARMM_PENDSV = 14,
    ARMM_SYSTICK,
    ARMM_INTERRUPT
};

/* Operations of the loop; armm_ready.c says which row becomes which. S behind a name: sets the flags. What stands behind the
 * name: R a register, I a constant, C a constant whose bit 31 becomes the carry; LSL LSR ASR ROR a register shifted by a
 * constant, RRX through the carry; at loads and stores I a base and an offset, R two registers, S a base and a shifted index, PRE and POST a
 * base that moves. CY: of the flags the carry alone is made. */
/* clang-format off */
#define ARMM_CONDITIONS(X) X(EQ) X(NE) X(CS) X(CC) X(MI) X(PL) X(VS) X(VC) X(HI) X(LS) X(GE) X(LT) X(GT) X(LE)

/* Of 16-bit instructions only, or of no length at all. */
#define ARMM_NARROW(X)                                                                                                 \
    X(DECODE) X(STOP) X(SINGLE) X(OUTSIDE) X(UNPROGRAMMED) X(DATA) X(RESERVED)                                         \
    X(IT) X(MULS) X(CPS) X(CBZ) X(CBNZ) X(BX) X(BLX) X(ADD_PC) X(MOV_PC)

/* Conditions of jumps that become one operation with the comparison before them, by its operands. */
#define ARMM_FUSED(X)                                                                                                  \
    X(BEQ, minuend == subtrahend)                                                                                      \
    X(BNE, minuend != subtrahend)                                                                                      \
    X(BCS, minuend >= subtrahend)                                                                                      \
    X(BCC, minuend < subtrahend)                                                                                       \
    X(BHI, minuend > subtrahend)                                                                                       \
    X(BLS, minuend <= subtrahend)                                                                                      \
    X(BGE, (int32_t)minuend >= (int32_t)subtrahend)                                                                    \
    X(BLT, (int32_t)minuend < (int32_t)subtrahend)                                                                     \
    X(BGT, (int32_t)minuend > (int32_t)subtrahend) X(BLE, (int32_t)minuend <= (int32_t)subtrahend)

/* Of both lengths: each has a second number, name_W, for 32-bit instructions. IF asks a condition and goes on with the operation
 * that stands in its cost. */
#define ARMM_BOTH(X)                                                                                                   \
    X(SLOW) X(IF_EQ) X(IF_NE) X(IF_CS) X(IF_CC) X(IF_MI) X(IF_PL) X(IF_VS) X(IF_VC) X(IF_HI) X(IF_LS) X(IF_GE)         \
    X(IF_LT) X(IF_GT) X(IF_LE) X(NOP)                                                                                  \
    X(MOV_I) X(MOVS_I) X(MOV_R) X(MOVS_R) X(MVN_R) X(MVNS_R) X(MOV_SP)                                                 \
    X(LSL_I) X(LSLS_I) X(LSR_I) X(LSRS_I) X(ASR_I) X(ASRS_I)                                                           \
    X(LSL_R) X(LSLS_R) X(LSR_R) X(LSRS_R) X(ASR_R) X(ASRS_R) X(ROR_R) X(RORS_R)                                        \
    X(ADD_R) X(ADDS_R) X(ADD_I) X(ADDS_I) X(SUB_R) X(SUBS_R) X(SUB_I) X(SUBS_I) X(RSB_I) X(RSBS_I)                     \
    X(ADC_R) X(ADCS_R) X(ADCS_R_CY) X(SBC_R) X(SBCS_R) X(SBCS_R_CY) X(CMP_R) X(CMP_I) X(CMN_R) X(TST_R)                                          \
    X(AND_R) X(ANDS_R) X(ORR_R) X(ORRS_R) X(EOR_R) X(EORS_R) X(BIC_R) X(BICS_R)                                        \
    X(MUL) X(SXTH) X(SXTB) X(UXTH) X(UXTB) X(REV) X(REV16) X(REVSH)                                                    \
    X(LDR_I) X(LDRB_I) X(LDRH_I) X(STR_I) X(STRB_I) X(STRH_I)                                                          \
    X(LDR_R) X(LDRB_R) X(LDRH_R) X(LDRSB_R) X(LDRSH_R) X(STR_R) X(STRB_R) X(STRH_R)                                    \
    X(LDR_POST) X(LDRD_I) X(LDRD_POST) X(STRD_POST) X(LOAD_MANY) X(STORE_MANY)                                         \
    X(LOAD_3) X(LOAD_4) X(LOAD_5) X(LOAD_6) X(LOAD_7) X(LOAD_8) X(STORE_3) X(STORE_4) X(STORE_5) X(STORE_6)            \
    X(STORE_7) X(STORE_8) X(PUSH_ONE) X(PUSH_TWO) X(PUSH_3) X(PUSH_4) X(PUSH_5) X(PUSH_6) X(PUSH_7) X(PUSH_8)          \
    X(PUSH_MANY) X(SEV)                                                                          \
    /* the end of a chain: */                                                                                          \
    X(SLOW_END) X(POP_PC) X(POP_PC_0) X(POP_PC_1) X(POP_PC_2) X(POP_PC_3) X(POP_PC_4) X(POP_PC_5) X(POP_PC_6)           \
    X(POP_PC_7) X(POP_PC_8) X(PARKED) X(B) X(BEQ) X(BNE) X(BCS) X(BCC) X(BMI) X(BPL) X(BVS) X(BVC) X(BHI) X(BLS) X(BGE)   \
    X(BLT) X(BGT) X(BLE)

/* Operations on a shifted register: five each, by the kind of shift. */
#define ARMM_SHIFTED(X)                                                                                                \
    X(ADD) X(ADDS) X(SUB) X(SUBS) X(RSB) X(RSBS) X(ADC) X(ADCS) X(SBC) X(SBCS) X(AND) X(ANDS) X(ORR) X(ORRS)           \
    X(EOR) X(EORS) X(BIC) X(BICS) X(ORN) X(ORNS) X(MVN) X(MVNS) X(CMP) X(CMN) X(TST) X(TEQ)

/* Of 32-bit instructions only. */
#define ARMM_WIDE(X)                                                                                                   \
    X(ADC_I) X(ADCS_I) X(ADCS_I_CY) X(CMN_I) X(AND_I) X(ANDS_I) X(ANDS_C) X(ORR_I) X(ORRS_I) X(ORRS_C) X(EOR_I) X(EORS_I) X(EORS_C) \
    X(BIC_I) X(BICS_I) X(BICS_C) X(ORN_I) X(ORNS_I) X(ORNS_C) X(TST_I) X(TST_C) X(TEQ_I) X(TEQ_C) X(MOVS_C) X(MVNS_C)  \
    X(ORN_R) X(ORNS_R) X(TEQ_R) X(RSB_R) X(RSBS_R) X(ROR_I) X(RORS_I) X(RRX) X(RRXS)                                   \
    X(MLA) X(MLS) X(UMULL) X(SMULL) X(UMLAL) X(SMLAL) X(UDIV) X(SDIV) X(CLZ) X(RBIT) X(UBFX) X(SBFX) X(BFI) X(BFC)     \
    X(MOVT) X(SXTH_ROR) X(SXTB_ROR) X(UXTH_ROR) X(UXTB_ROR) X(SSAT) X(USAT)                                            \
    X(LDRSB_I) X(LDRSH_I) X(LDR_S) X(LDRB_S) X(LDRH_S) X(LDRSB_S) X(LDRSH_S) X(STR_S) X(STRB_S) X(STRH_S)              \
    X(LDR_PRE) X(LDRB_PRE) X(LDRH_PRE) X(LDRSB_PRE) X(LDRSH_PRE) X(STR_PRE) X(STRB_PRE) X(STRH_PRE)                    \
    X(LDRB_POST) X(LDRH_POST) X(LDRSB_POST) X(LDRSH_POST) X(STR_POST) X(STRB_POST) X(STRH_POST)                        \
    X(STRD_I) X(LDRD_PRE) X(STRD_PRE) X(LDREX) X(LDREXB) X(LDREXH) X(STREX) X(STREXB) X(STREXH) X(CLREX) X(MRS) X(MSR)   \
                                                                                    \
    /* the end of a chain: */                                                                                          \
    X(BL) X(TBB) X(TBH)
/* clang-format on */

enum armm_operation {
#define X(name) ARMM_OP_##name,
    ARMM_NARROW(X)
#undef X
        ARMM_BEFORE_FUSED,
    ARMM_LAST_BEFORE_FUSED = ARMM_BEFORE_FUSED - 1,
#define X(name, condition)                                                                                   \
    ARMM_OP_CMP_R_##name, ARMM_OP_CMP_I_##name, ARMM_OP_ADD_R_CMP_R_##name, ARMM_OP_ADD_I_CMP_R_##name,
    ARMM_FUSED(X)
#undef X
        ARMM_OP_SUBS_I_BNE,
    ARMM_OP_ADD_I_CMP_I_BNE,
    ARMM_FIRST_BOTH,
    ARMM_LAST_BEFORE_BOTH = ARMM_FIRST_BOTH - 1,
#define X(name) ARMM_OP_##name,
    ARMM_BOTH(X)
#undef X
        ARMM_FIRST_WIDE,
    ARMM_LAST_BEFORE_WIDE = ARMM_FIRST_WIDE - 1,
#define X(name) ARMM_OP_##name##_W,
    ARMM_BOTH(X)
#undef X
#define X(name)                                                                                              \
    ARMM_OP_##name##_LSL, ARMM_OP_##name##_LSR, ARMM_OP_##name##_ASR, ARMM_OP_##name##_ROR,                  \
        ARMM_OP_##name##_RRX,
        ARMM_SHIFTED(X)
#undef X
#define X(name) ARMM_OP_##name,
            ARMM_WIDE(X)
#undef X
                ARMM_OPS
};

/* An operation and its operands. The cost is that of this instruction and all behind it in the chain: clock cycles in its lower 32
 * bits, instructions in the 20 above them; on top stands the operation that an IF goes on with. */
typedef struct armm_op {
    uint16_t handler;
    uint8_t d,
        n; /* registers; the cycles a taken jump adds; a row's number, in two parts, with bit 7: conditional */
    union {
        uint32_t imm; /* constant; number of a register; bytes to a target; code of a slow one */
        struct {
            uint8_t m, by, a, x; /* registers, a shift, widths, a list's register count and moves */
        };
        struct {
            int16_t offset; /* of two words; where a list of registers stands */
            int8_t start, change;
        };
    };
    uint64_t cost;
} armm_op;

enum { ARMM_COUNT_AT = 32, ARMM_COUNT_BITS = 20, ARMM_SECOND_AT = 52, ARMM_LONGEST_CHAIN = 1 << 14 };
static inline uint32_t armm_cycles(uint64_t cost)
{
    return (uint32_t)cost;
}
static inline uint32_t armm_count(uint64_t cost)
{
    return (uint32_t)(cost >> ARMM_COUNT_AT) & ((1u << ARMM_COUNT_BITS) - 1);
}
static inline unsigned armm_second(uint64_t cost)
{
    return (unsigned)(cost >> ARMM_SECOND_AT);
}
static inline uint64_t armm_one(uint32_t cycles)
{
    return (uint64_t)1 << ARMM_COUNT_AT | cycles;
}

static inline uint32_t armm_extended(int32_t value)
{
    return (uint32_t)value;
}

/* Bytes from an operation to the next. */
static inline unsigned armm_step(unsigned handler)
{
    return handler >= ARMM_FIRST_WIDE ? 2 * sizeof(armm_op) : sizeof(armm_op);
}

/* What an operation is by itself: when no stop point is there, nor one right behind; and the it state it stands in. */
typedef struct armm_natural {
    uint16_t handler;
    uint8_t it;
} armm_natural;

/* How often a chain was entered with an operation, less how often it was left in front of it; cycles beyond the usual. */
typedef struct armm_counted {
    int64_t entered, more;
} armm_counted;

_Static_assert(ARMM_OPS <= 1 << (64 - ARMM_SECOND_AT), "an operation has room in a cost");
_Static_assert(sizeof(armm_op) == 16 && sizeof(armm_counted) == sizeof(armm_op),
               "counts lie at the offsets of operations");

typedef struct armm_region {
    uint32_t base, size;
    bool writable;
    uint8_t *bytes;
    uint8_t *
        known; /* of memory that keeps its contents: 0 unprogrammed, 1 programmed, 2 data. Of RAM: a bit a byte
                     * that was written, NULL while nobody asks */
    uint32_t first_slot;
} armm_region;

/* An instruction as it is decoded for itself. */
enum { ARMM_SINGLES = 256 };

typedef struct armm_single {
    armm_op op;
    uint32_t pc, cycles;
    uint8_t it, it_after, size;
    bool known, uses_known;
    arm_uses uses; /* when it is executed, where uses_known */
} armm_single;

/* What became of a slow instruction. */
typedef enum armm_done { ARMM_NEXT, ARMM_BRANCHED, ARMM_RAISED, ARMM_SLEEPS } armm_done;

struct oak_core {
    kit_core kit; /* first; its pc is not kept up while the loop runs */
    bool v7;
    armm_region region[ARMM_MOST_REGIONS];
    unsigned region_count;
    /* What plain loads and stores reach at once, in RAM and, for loads, in the code; none there sends all of them the long way. By
     * size: how many of them lie there; by number of words: at how many words they may begin. */
    struct armm_window {
        uint8_t *bytes;
        uint32_t base, reach[5], words[ARMM_REGISTERS_MOST + 1];
    } load, code, store, push; /* push: where a push is no news, see stack_floor */
    /* Jumps into the first memory: its first address, with bit 0; its halfwords; the upper byte from which on an instruction has two. */
    uint32_t code_first, code_halves, wide_from;
    const uint8_t *code_bytes;
    uint8_t list[ARMM_MOST_LISTS][ARMM_REGISTERS_MOST]; /* numbers of registers, ascending */
    uint16_t list_mask[ARMM_MOST_LISTS];
    unsigned list_count;
    bool checks_reads;
    uint32_t ram_code_low, ram_code_high; /* decoded RAM */

    armm_op *ops;
    armm_natural *natural;
    uint32_t nowhere;                 /* the address asked for last at which nothing can be executed */
    armm_op one[4];                   /* for one instruction by itself */
    armm_single single[ARMM_SINGLES]; /* such instructions in memory that keeps its contents, by halfword */

    /* What the program keeps in RAM, ascending. */
    struct armm_object {
        uint32_t first, end;
    } * objects;
    size_t object_count, object_room;

    oak_watched watched[OAK_MOST_WATCHED];
    unsigned watched_count;
    uint32_t watched_from, watched_end; /* of all that lie in memory */
    uint32_t watched_registers;         /* a bit each */
    uint16_t *judged_by; /* the judged values that each operation may change, by slot; NULL: nobody judges */
    bool judges_state;   /* one of them is the state of an it block */

    /* From here on: what a tape holds. */
    uint32_t r[ARMM_R_ZERO + 1]; /* 13 is the stack pointer in use, ARMM_R_ZERO holds 0 */
    uint32_t other_sp;
    int64_t nz;    /* N is the sign of it, Z its lower 32 bits being 0 */
    uint32_t c, v; /* C 0 or 1; V in bit 31 */
    bool q;
    uint8_t it, it_after; /* ITSTATE, and what it is behind the single instruction being executed */
    uint16_t ipsr;
    uint8_t primask, faultmask, basepri, control;
    bool uses_psp;     /* other_sp is the main one */
    bool not_thumb;    /* the T bit is 0: no instruction can be executed */
    uint32_t align[5]; /* by size: the address bits that must be 0 */
    uint64_t now;      /* of the access being made */
    uint64_t ends;     /* when an instruction that may jump ends, without what the jump takes */
    bool sleeping, waits_for_event, event;
    bool executes_conditional; /* the slow instruction stands in an it block */
    const armm_op *now_op;     /* the instruction under way that reaches beyond memory; NULL: none */
    uint32_t claimed;          /* address claimed by an exclusive load, 1 for none */
    /* The object, or the space between two, that the stack lies in: pushes within it are no news. */
    uint32_t stack_floor, stack_ceiling;

    /* exceptions */
    uint8_t pending[(ARMM_EXCEPTIONS + 7) / 8], active[(ARMM_EXCEPTIONS + 7) / 8],
        enabled[(ARMM_EXCEPTIONS + 7) / 8];
    uint8_t level[(ARMM_EXCEPTIONS + 7) / 8]; /* lines that devices hold up */
    uint8_t priority[ARMM_EXCEPTIONS];
    unsigned raised;
    uint32_t cfsr, hfsr, bfar, mmfar, shcsr_enabled, ccr, scr, vtor, aircr_group;

    /* SysTick: the counter is worked out from the cycle at which it was 0 or loaded */
    bool tick_on, tick_interrupt, tick_flag;
    uint32_t tick_reload, tick_value;
    uint64_t tick_since, tick_next; /* when tick_value held; when it will next pass to 0 */

    /* the fault that was reported last, or will be */
    uint32_t fault_pc;
    bool fault_unhandled; /* it stops the run */
    bool raised_behind;   /* the instruction that raised it is complete */
};

/* armm_core.c */
bool armm_load(oak_core *core, uint32_t address, unsigned bytes, uint32_t *value);
bool armm_store(oak_core *core, uint32_t address, unsigned bytes, uint32_t value);
armm_region *armm_region_at(const oak_core *core, uint32_t address);
/* The stack grew from `sp` down to `to`: has it grown into something of the program's? */
void armm_stack_grew(oak_core *core, uint32_t sp, uint32_t to);
static inline void armm_pushed(oak_core *core, uint32_t sp, uint32_t to)
{
    if (to < core->stack_floor || sp > core->stack_ceiling) armm_stack_grew(core, sp, to);
}
uint32_t armm_xpsr(const oak_core *core);
void armm_set_flags(oak_core *core, uint32_t xpsr);
void armm_set_windows(oak_core *core);
void armm_set_alignment(oak_core *core);
/* The handler of an exception is entered. */
void armm_watch_entry(oak_core *core, unsigned exception);

/* armm_uses.c: registers that the next instruction reads and writes as things stand; the program counter is none of them, nor is
 * what entering and leaving an exception does. */
arm_uses armm_next_uses(oak_core *core);
unsigned armm_touches(oak_core *core, oak_watched *list, unsigned room);

/* armm_ready.c */
void armm_decode_chain(oak_core *core, armm_op *op);
void armm_forget(oak_core *core);
/* Registers that are written by entering or leaving a handler: somebody may watch them. */
enum { ARMM_STACK_POINTERS = 1 << ARM_SP | 1 << ARMM_MSP | 1 << ARMM_PSP };
void armm_note_registers(oak_core *core, uint32_t written);
/* The registers that the instruction at an address reads or writes, whatever the state; and the judged values it may change. */
uint32_t armm_may_use(oak_core *core, uint32_t pc);
uint16_t armm_may_change(oak_core *core, uint32_t pc, bool in_block);
/* Takes what was counted by chains into the tallies. */
void armm_fold_counts(oak_core *core);
/* Whether a chain ends with an operation. */
bool armm_ends_chain(unsigned handler);
bool armm_is_ram(oak_core *core, const armm_op *op);
void armm_forget_ram(oak_core *core);
void armm_forget_singles(oak_core *core);
/* The instruction at pc by itself, as core->it has it. */
armm_single *armm_single_at(oak_core *core, uint32_t pc);
/* Fills core->one for the instruction at pc, as core->it has it; its cycles and one instruction are its cost. */
void armm_decode_single(oak_core *core, uint32_t pc);
uint32_t armm_pc_of(const oak_core *core, const armm_op *op);
/* Sets the program counter and the it state to those of an operation that is to be executed next. */
void armm_settle(oak_core *core, const armm_op *op);
/* Whether a condition holds (A7.3.1). */
static inline bool armm_holds(unsigned condition, int64_t nz, uint32_t c, uint32_t v)
{
    bool zero = (uint32_t)nz == 0, differs = (nz < 0) != (v >> 31), holds;
    switch (condition >> 1) {
    case 0: holds = zero; break;
    case 1: holds = c; break;
    case 2: holds = nz < 0; break;
    case 3: holds = v >> 31; break;
    case 4: holds = c && !zero; break;
    case 5: holds = !differs; break;
    case 6: holds = !differs && !zero; break;
    default: return true;
    }
    return holds != (condition & 1);
}
/* The operation at an address; one that faults when nothing can be executed there. */
armm_op *armm_op_at(oak_core *core, uint32_t address);
OAK_MUST_USE oak_status armm_set_stop(oak_core *core, uint32_t address, bool on);

/* armm_slow.c */
/* Words that lie outside the windows, or whose access somebody watches. False: a fault was raised, and nothing is changed. */
/* One register: the bytes and what else is to be done. */
enum {
    ARMM_FAR_BYTES = 7,
    ARMM_FAR_SIGNED = 8,
    ARMM_FAR_PAST = 16,
    ARMM_FAR_CLAIMS = 32
}; /* past: the base moves on */
bool armm_load_far(oak_core *core, const armm_op *op, uint32_t address, unsigned access);
bool armm_store_far(oak_core *core, const armm_op *op, uint32_t address, unsigned access);
bool armm_store_aligned(oak_core *core, uint32_t address, unsigned bytes, uint32_t value);
bool armm_load_two(oak_core *core, uint32_t address, uint32_t *low, uint32_t *high);
bool armm_store_two(oak_core *core, uint32_t address, uint32_t low, uint32_t high);
bool armm_load_many(oak_core *core, const armm_op *op, uint32_t address);
bool armm_store_many(oak_core *core, const armm_op *op, uint32_t address);
bool armm_push(oak_core *core, const uint8_t *list, unsigned count);
armm_done armm_pop_pc(oak_core *core, const armm_op *op, uint32_t address, uint32_t *extra_cycles);
/* The special registers of mrs and msr, by their numbers; and the masks of cps: 1 FAULTMASK, 2 PRIMASK. */
enum { ARMM_SPECIAL_PRIMASK = 16 };
uint32_t armm_read_special(const oak_core *core, unsigned number);
void armm_write_special(oak_core *core, unsigned number, uint32_t value);
void armm_change_masks(oak_core *core, unsigned masks, bool set);
/* An operation that ends its chain. */
armm_done armm_execute_end(oak_core *core, const armm_op *op, uint32_t pc, uint32_t *extra_cycles);
armm_done armm_execute(oak_core *core, unsigned row, uint32_t word, uint32_t pc, uint32_t *extra_cycles);
/* The cycles it takes to fill the pipeline again at a target, beyond the one of the branch itself. */
uint32_t armm_refill(const oak_core *core, uint32_t target);

/* armm_exceptions.c */
static inline bool armm_bit(const uint8_t *bits, unsigned number)
{
    return bits[number >> 3] >> (number & 7) & 1;
}
static inline void armm_put_bit(uint8_t *bits, unsigned number, bool on)
{
    if (on) bits[number >> 3] = (uint8_t)(bits[number >> 3] | 1u << (number & 7));
    else bits[number >> 3] = (uint8_t)(bits[number >> 3] & ~(1u << (number & 7)));
}
/* Whether anything that is enabled is pending. */
static inline bool armm_something_pends(const oak_core *core)
{
    uint64_t pending[(ARMM_EXCEPTIONS + 63) / 64] = {0}, enabled[(ARMM_EXCEPTIONS + 63) / 64] = {0}, both = 0;
    memcpy(pending, core->pending, sizeof core->pending);
    memcpy(enabled, core->enabled, sizeof core->enabled);
    for (unsigned i = 0; i < sizeof pending / sizeof *pending; i++) both |= pending[i] & enabled[i];
    return both != 0;
}
void armm_reset_exceptions(oak_core *core);
void armm_pend(oak_core *core, unsigned number, bool on);
/* Raises a synchronous fault: which exception, what a person is told, and the bits of its status register. */
void armm_fault(oak_core *core, unsigned exception, oak_fault fault, uint32_t address, uint32_t status);
/* Takes what core->raised says; False when the run has to stop. */
bool armm_take_raised(oak_core *core);
/* Takes a pending exception when one may be; true when one was. */
bool armm_take_pending(oak_core *core);
bool armm_may_take(const oak_core *core);
/* Whether something pending would wake a core from wfi: priorities count, PRIMASK does not. */
bool armm_would_wake(const oak_core *core);
armm_done armm_return_from(oak_core *core, uint32_t value, uint32_t *cycles);
/* A jump by bx, blx, pop or ldr pc: bit 0, and returns from exceptions. */
armm_done armm_jump(oak_core *core, uint32_t target, uint32_t *cycles);
int armm_execution_priority(const oak_core *core);
/* Raise the fault of what stands, or does not stand, at the place of the next instruction. */
void armm_refuse_state(oak_core *core);
void armm_refuse_fetch(oak_core *core, uint32_t pc);
void armm_refuse_code(oak_core *core, uint32_t pc);
void armm_interrupt(oak_core *core, unsigned line, bool level, uint64_t from);
void armm_write_control(oak_core *core, uint32_t value);
static inline bool armm_privileged(const oak_core *core)
{
    return core->ipsr || !(core->control & 1);
}

/* armm_system.c */
bool armm_is_system(uint32_t address);
bool armm_system_read(oak_core *core, uint32_t address, uint32_t *value);
bool armm_system_write(oak_core *core, uint32_t address, uint32_t value);
/* As the core's `course`, of a word. */
OAK_MUST_USE oak_status armm_system_course(const oak_core *core, uint32_t address, oak_course *course);
void armm_reset_system(oak_core *core);
/* Brings SysTick to a cycle; the cycle at which it does something next, UINT64_MAX for never. */
uint64_t armm_advance_tick(oak_core *core, uint64_t now);

/* armm_loop.c */
kit_exit armm_run_chains(oak_core *core, uint32_t limit);
kit_exit armm_run_counted(oak_core *core, uint32_t limit); /* the same, counted into core->kit.counts */
kit_exit armm_run_judged(oak_core *core, uint32_t limit);  /* counted where somebody counts, and judged */
kit_exit armm_run_kept(oak_core *core, uint32_t limit);    /* the same, where values are only put down */
kit_exit armm_run_one(oak_core *core);

#endif
