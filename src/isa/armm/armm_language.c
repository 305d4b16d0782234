/* armm_language.c — the rows of armm.def, what of them the manual leaves open, and the two architectures. */
#include "base/bytes.h"
#include "isa/armm/armm.h"

/* ------------------------------------------------------------------------------------------ the rows */

#define NOTE_NONE   ""
#define NOTE_TAKEN  "when not taken"
#define NOTE_PC     "when it does not write pc"
#define NOTE_LIST   "and one more for each register"
#define NOTE_DIVIDE "to 12, by the size of the quotient"
#define NOTE_LONG   "to 5, by the size of the factors"
#define NOTE_LONGER "to 7, by the size of the factors"
#define NOTE_SLEEP  "and the time asleep"

#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define V6_ROW(mnemonic, operands, bits, cycles, more, uses, flags, meaning)                                 \
    {                                                                                                        \
        mnemonic, operands, bits, cycles, flags, meaning, NOTE_##more, 0, 0, uses                            \
    }
#define V7_ROW(mnemonic, operands, bits, cycles, more, uses, flags, meaning)                                 \
    {                                                                                                        \
        "", operands, bits, cycles, flags, meaning, "", 0, 0, uses                                           \
    }
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)                   \
    [ARMM_##id] = since##_ROW(#mnemonic, operands, bits, v6, more, uses, flags, meaning),
const oak_insn_row armv6m_rows[ARMM_ROWS] = {
#include "isa/armm/armm.def"
};

#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)                   \
    [ARMM_##id] = {#mnemonic, operands, bits, v7, flags, meaning, NOTE_##more, 0, 0, uses},
const oak_insn_row armv7m_rows[ARMM_ROWS] = {
#include "isa/armm/armm.def"
};

#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)                   \
    [ARMM_##id] = ARMM_MORE_##more,
const uint8_t armm_more_of[ARMM_ROWS] = {
#include "isa/armm/armm.def"
};

#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)                   \
    [ARMM_##id] = ARM_SET_##set,
const uint8_t armm_set_of[ARMM_ROWS] = {
#include "isa/armm/armm.def"
};

#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)                   \
    [ARMM_##id] = ARMM_SINCE_##since,
static const uint8_t since_of[ARMM_ROWS] = {
#include "isa/armm/armm.def"
};

_Static_assert((int)ARMM_ROWS <= (int)ARM_MOST_ROWS, "tables hold every row");

static const arm_alias aliases[] = {
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)
#define ALIAS(alias, of) {#alias, #of},
#define ALSO(mnemonic, row)
#include "isa/armm/armm.def"
    {0}};

static const arm_also also[] = {
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)
#define ALIAS(alias, of)
#define ALSO(mnemonic, row) {#mnemonic, ARMM_##row},
#include "isa/armm/armm.def"
    {0}};

/* ------------------------------------------------------------------------------------------ special registers */

static const struct {
    const char *name;
    uint8_t number;
    bool v7;
} specials[] = {
    {"apsr", 0, false},      {"iapsr", 1, false},    {"eapsr", 2, false},      {"xpsr", 3, false},
    {"ipsr", 5, false},      {"epsr", 6, false},     {"iepsr", 7, false},      {"msp", 8, false},
    {"psp", 9, false},       {"primask", 16, false}, {"basepri", 17, true},    {"basepri_max", 18, true},
    {"faultmask", 19, true}, {"control", 20, false}, {"apsr_nzcvq", 0, false},
};

const char *armm_special_name(bool v7, unsigned number)
{
    for (size_t i = 0; i < sizeof specials / sizeof *specials; i++)
        if (specials[i].number == number && (v7 || !specials[i].v7)) return specials[i].name;
    return NULL;
}

static int special_number(bool v7, const char *text, size_t length)
{
    for (size_t i = 0; i < sizeof specials / sizeof *specials; i++)
        if ((v7 || !specials[i].v7) && oak_same_name(text, length, specials[i].name))
            return specials[i].number;
    return -1;
}

static const char *name_v6(unsigned number)
{
    return armm_special_name(false, number);
}
static const char *name_v7(unsigned number)
{
    return armm_special_name(true, number);
}
static int number_v6(const char *text, size_t length)
{
    return special_number(false, text, length);
}
static int number_v7(const char *text, size_t length)
{
    return special_number(true, text, length);
}

/* ------------------------------------------------------------------------------------------ modified immediates */

bool armm_expand(uint32_t field, uint32_t *value, int *carry)
{
    uint32_t byte = field & 0xFF;
    *carry = -1;
    if (field >> 10 == 0) {
        unsigned pattern = field >> 8 & 3;
        *value = pattern == 0   ? byte
                 : pattern == 1 ? byte << 16 | byte
                 : pattern == 2 ? byte << 24 | byte << 8
                                : byte << 24 | byte << 16 | byte << 8 | byte;
        return pattern == 0 || byte;
    }
    uint32_t unrotated = 0x80 | (field & 0x7F), by = field >> 7 & 31;
    *value = unrotated >> by | unrotated << (32 - by);
    *carry = (int)(*value >> 31);
    return true;
}

#define CONSTANTS "8 bits in a row anywhere in the word, or a byte repeated"

static bool compress(uint32_t value, uint32_t *field)
{
    uint32_t byte = value & 0xFF, upper = value >> 8 & 0xFF;
    *field = byte;
    if (value == byte) return true;
    *field = 0x100 | byte;
    if (value == (byte << 16 | byte)) return true;
    *field = 0x200 | upper;
    if (value == (upper << 24 | upper << 8)) return true;
    *field = 0x300 | byte;
    if (value == byte * 0x01010101u) return true;
    for (uint32_t by = 8; by < 32; by++) {
        uint32_t unrotated = value << by | value >> (32 - by);
        *field = by << 7 | (unrotated & 0x7F);
        if (unrotated >= 0x80 && unrotated <= 0xFF) return true;
    }
    return false;
}

/* ------------------------------------------------------------------------------------------ what is unpredictable */

#define GET(letter) oak_pattern_get(pattern, letter, word)

static unsigned count_bits(uint32_t bits)
{
    unsigned count = 0;
    for (; bits; bits &= bits - 1) count++;
    return count;
}

static const char *unsound(const oak_isa_tables *tables, unsigned row, uint32_t word)
{
    const oak_pattern *pattern = &tables->shape[row].pattern;
    switch (row) {
    case ARMM_LSL_IMM: return GET('i') ? NULL : "a shift by 0 is a mov";
    case ARMM_LSL_IMM_W:
    case ARMM_ROR_IMM_W: return GET('i') ? NULL : "a shift by 0 is a mov";
    case ARMM_ADD_HIGH: return GET('d') == 15 && GET('m') == 15 ? "pc cannot be added to pc" : NULL;
    case ARMM_CMP_HIGH: return GET('n') < 8 && GET('m') < 8 ? "one of the registers is r8 or above" : NULL;
    case ARMM_IT: {
        uint32_t mask = GET('k'), condition = GET('c');
        if (!mask || condition == 15) return "no such it block";
        return condition == 14 && count_bits(mask) != 1 ? "behind al no else can stand" : NULL;
    }
    case ARMM_CPSIE:
    case ARMM_CPSID:
        if (!GET('f')) return "no mask is named";
        return !armm_is_v7(tables) && (GET('f') & 1) ? "FAULTMASK exists on armv7m only" : NULL;
    case ARMM_B_COND: return GET('c') >= 14 ? "no such condition" : NULL;
    case ARMM_B_COND_W: return GET('c') >= 14 ? "no such condition" : NULL;
    case ARMM_STM: {
        uint32_t below = GET('r') & ((1u << GET('n')) - 1);
        return (GET('r') >> GET('n') & 1) && below ? "the base can be stored only as the lowest register"
                                                   : NULL;
    }
    case ARMM_LDM: return GET('r') >> GET('n') & 1 ? "a base that is loaded does not move" : NULL;
    case ARMM_LDM_KEEP: return GET('r') >> GET('n') & 1 ? NULL : "the base moves unless it is in the list";
    case ARMM_STM_W:
    case ARMM_STMDB:
    case ARMM_LDM_W:
    case ARMM_LDMDB:
        return GET('w') && (GET('r') >> GET('n') & 1) ? "a base that moves cannot be in the list" : NULL;
    case ARMM_STREX:
    case ARMM_STREXB:
    case ARMM_STREXH:
        return GET('d') == GET('t') || GET('d') == GET('n') ? "rd must differ from the other registers"
                                                            : NULL;
    case ARMM_LDRD_IMM: return GET('t') == GET('u') ? "the two registers must differ" : NULL;
    case ARMM_LDRD_WORD: return GET('t') == GET('u') ? "the two registers must differ" : NULL;
    case ARMM_LDRD_PRE:
    case ARMM_LDRD_POST:
        if (GET('t') == GET('u')) return "the two registers must differ";
        /* fall through */
    case ARMM_STRD_PRE:
    case ARMM_STRD_POST:
        return GET('n') == GET('t') || GET('n') == GET('u') ? "a base that moves cannot be transferred"
                                                            : NULL;
    case ARMM_STRB_PRE:
    case ARMM_STRB_POST:
    case ARMM_STRH_PRE:
    case ARMM_STRH_POST:
    case ARMM_STR_PRE:
    case ARMM_STR_POST:
    case ARMM_LDRB_PRE:
    case ARMM_LDRB_POST:
    case ARMM_LDRH_PRE:
    case ARMM_LDRH_POST:
    case ARMM_LDR_PRE:
    case ARMM_LDR_POST:
    case ARMM_LDRSB_PRE:
    case ARMM_LDRSB_POST:
    case ARMM_LDRSH_PRE:
    case ARMM_LDRSH_POST: return GET('n') == GET('t') ? "a base that moves cannot be transferred" : NULL;
    case ARMM_MOV_W:
        if (GET('d') == 13 && GET('m') == 13) return "sp cannot be copied to itself";
        return GET('s') && (GET('d') == 13 || GET('m') == 13) ? "with sp the flags cannot be set" : NULL;
    case ARMM_ADD_W:
    case ARMM_SUB_W:
        if (GET('d') == 13 && GET('n') != 13) return "sp can only be the result of a sum with sp";
        return GET('d') == 13 && (GET('y') || GET('i') > 3) ? "for sp only lsl #0 to #3 is possible" : NULL;
    case ARMM_ADD_IMM_W:
    case ARMM_SUB_IMM_W:
        if (GET('d') == 13 && GET('n') != 13) return "sp can only be the result of a sum with sp";
        break;
    case ARMM_ADDW:
        return GET('d') == 13 && GET('n') != 13 ? "sp can only be the result of a sum with sp" : NULL;
    case ARMM_ADR_BEFORE: return GET('i') ? NULL : "this is a subtraction of 0";
    case ARMM_SUBW:
        if (GET('n') == 15) return GET('i') || GET('d') == 13 ? "use adr" : NULL;
        return GET('d') == 13 && GET('n') != 13 ? "sp can only be the result of a sum with sp" : NULL;
    case ARMM_SSAT:
    case ARMM_USAT: return GET('y') && !GET('i') ? "asr #0 does not exist" : NULL;
    case ARMM_SBFX:
    case ARMM_UBFX: return GET('i') + GET('w') > 31 ? "the field reaches beyond bit 31" : NULL;
    case ARMM_BFC:
    case ARMM_BFI: return GET('w') < GET('i') ? "the field has no bits" : NULL;
    case ARMM_REV_W:
    case ARMM_REV16_W:
    case ARMM_REVSH_W:
    case ARMM_RBIT:
    case ARMM_CLZ: return GET('q') != GET('m') ? "both copies of the register must be the same" : NULL;
    case ARMM_SMULL:
    case ARMM_UMULL:
    case ARMM_SMLAL:
    case ARMM_UMLAL: return GET('l') == GET('h') ? "the halves of the result must differ" : NULL;
    case ARMM_MSR:
    case ARMM_MRS: return armm_special_name(armm_is_v7(tables), GET('z')) ? NULL : "no such special register";
    default: break;
    }
    return NULL;
}

/* ------------------------------------------------------------------------------------------ flow, it blocks */

static oak_flow flow_of(const oak_isa_tables *tables, unsigned row, uint32_t word)
{
    const oak_pattern *pattern = &tables->shape[row].pattern;
    oak_flow flow = OAK_FLOW_NEXT;
    switch (row) {
    case ARMM_B_COND:
    case ARMM_B_COND_W:
    case ARMM_CBZ:
    case ARMM_CBNZ: return OAK_FLOW_BRANCH;
    case ARMM_B:
    case ARMM_B_W: return OAK_FLOW_JUMP;
    case ARMM_BL: return OAK_FLOW_CALL;
    case ARMM_BX: flow = GET('m') == ARM_LR ? OAK_FLOW_RETURN : OAK_FLOW_COMPUTED; break;
    case ARMM_MOV_HIGH:
        if (GET('d') == ARM_PC) flow = GET('m') == ARM_LR ? OAK_FLOW_RETURN : OAK_FLOW_COMPUTED;
        break;
    case ARMM_ADD_HIGH:
        if (GET('d') == ARM_PC) flow = OAK_FLOW_COMPUTED;
        break;
    case ARMM_POP:
        if (GET('r') >> 8 & 1) flow = OAK_FLOW_RETURN;
        break;
    case ARMM_POP_W:
    case ARMM_LDM_W:
    case ARMM_LDMDB:
        if (GET('r') >> 14 & 1) flow = row == ARMM_POP_W ? OAK_FLOW_RETURN : OAK_FLOW_COMPUTED;
        break;
    case ARMM_POP_ONE:
        if (GET('t') == ARM_PC) flow = OAK_FLOW_RETURN;
        break;
    case ARMM_TBB:
    case ARMM_TBH: flow = OAK_FLOW_COMPUTED; break;
    case ARMM_UDF:
    case ARMM_UDF_W: flow = OAK_FLOW_COMPUTED; break;
    case ARMM_LDR_WORD_W:
    case ARMM_LDR_IMM_W:
    case ARMM_LDR_NEG:
    case ARMM_LDR_PRE:
    case ARMM_LDR_POST:
    case ARMM_LDR_REG_W:
        if (GET('t') == ARM_PC) flow = OAK_FLOW_COMPUTED;
        break;
    default: break;
    }
    return flow;
}

static bool outside_only(unsigned row)
{
    return row == ARMM_B_COND || row == ARMM_B_COND_W || row == ARMM_CBZ || row == ARMM_CBNZ ||
           row == ARMM_IT || row == ARMM_CPSIE || row == ARMM_CPSID || row == ARMM_MOVS_REG;
}

/* In an it block both forms of 16 bits leave the flags: where the destination is left out, the manual takes the one with two operands. */
static void prefer_two_operands(const oak_insn *insn, uint16_t *rows, unsigned count)
{
    for (unsigned i = 1; i < count && insn->state && insn->count == 2 && rows[0] == ARMM_ADD_REG; i++) {
        if (rows[i] != ARMM_ADD_HIGH) continue;
        rows[i] = rows[0];
        rows[0] = ARMM_ADD_HIGH;
    }
}

/* ------------------------------------------------------------------------------------------ the architectures */

static const oak_space_info spaces[ARM_SPACES] = {
    [ARM_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0, false, 0},
    [ARM_MEM] = {"mem", "memory", false, false, 0, (uint64_t)1 << 32, 0, false, 0},
};

static const oak_register_info core_registers[ARMM_REGISTERS] = {
    {"r0", 32, "general", false, 0},
    {"r1", 32, "general", false, 0},
    {"r2", 32, "general", false, 0},
    {"r3", 32, "general", false, 0},
    {"r4", 32, "general", false, 0},
    {"r5", 32, "general", false, 0},
    {"r6", 32, "general", false, 0},
    {"r7", 32, "general", false, 0},
    {"r8", 32, "general", false, 0},
    {"r9", 32, "general", false, 0},
    {"r10", 32, "general", false, 0},
    {"r11", 32, "general", false, 0},
    {"r12", 32, "general", false, 0},
    {"sp", 32, "stack pointer in use", true, ARM_MEM},
    {"lr", 32, "link register", false, 0},
    {"pc", 32, "program counter", false, 0},
    {"xpsr", 32, "program status", false, 0},
    {"msp", 32, "main stack pointer", false, ARM_MEM},
    {"psp", 32, "process stack pointer", false, ARM_MEM},
    {"primask", 1, "holds back all interrupts", false, 0},
    {"control", 2, "privilege and stack of thread mode", false, 0},
    {"basepri", 8, "holds back interrupts up to this priority", false, 0},
    {"faultmask", 1, "holds back everything but the NMI", false, 0},
};

static const oak_flag_info flags[] = {
    {"n", ARMM_XPSR, 31, 1, "negative", false, 0},  {"z", ARMM_XPSR, 30, 1, "zero", false, 0},
    {"c", ARMM_XPSR, 29, 1, "carry", false, 0},     {"v", ARMM_XPSR, 28, 1, "overflow", false, 0},
    {"q", ARMM_XPSR, 27, 1, "saturated", false, 0}, {"exception", ARMM_XPSR, 0, 9, "handling", true, 0},
};
/* armv6m has no saturation. */
static const oak_flag_info flags_v6[] = {
    {"n", ARMM_XPSR, 31, 1, "negative", false, 0},       {"z", ARMM_XPSR, 30, 1, "zero", false, 0},
    {"c", ARMM_XPSR, 29, 1, "carry", false, 0},          {"v", ARMM_XPSR, 28, 1, "overflow", false, 0},
    {"exception", ARMM_XPSR, 0, 6, "handling", true, 0},
};

/* The state of the instructions that follow, out of the program status register (EPSR.IT). */
static uint32_t state_of(uint32_t xpsr)
{
    return (xpsr >> 25 & 3) | (xpsr >> 8 & 0xFC);
}

/* B1.5.6 and B1.5.8: r0 to r3, r12, lr, return address, xpsr. */
static const oak_exception_frame frame = {.returns_from = 0xFFFFFFE0u,
                                          .link_register = ARM_LR,
                                          .words = 8,
                                          .link_word = 5,
                                          .pc_word = 6,
                                          .skipped_bit = 9,
                                          .registers = {0, 1, 2, 3, 12, ARM_LR, ARM_PC, ARMM_XPSR}};

static const char *const trade[OAK_TRADES] = {
    [OAK_TRADE_COMPARE] = "Write `cmp r0, #5`.",
    [OAK_TRADE_TEST] = "Write `tst r0, r1`.",
    [OAK_TRADE_SLEEP] = "Write `wfi` to sleep until an interrupt, `b .` to stay here.",
    [OAK_TRADE_LOAD] =
        "Write `movs r0, #5` for a value, `ldr r0, =value` for any, `ldr r0, [r1]` for memory.",
    [OAK_TRADE_STORE] = "Write `str r0, [r1]`, `strb r0, [r1]`.",
    [OAK_TRADE_XOR] = "Write `eors r0, r1`.",
    [OAK_TRADE_OR] = "Write `orrs r0, r1`.",
    [OAK_TRADE_AND] = "Write `ands r0, r1`.",
    [OAK_TRADE_NOT] = "Write `mvns r0, r1`.",
    [OAK_TRADE_NEGATE] = "Write `rsbs r0, r1, #0`.",
    [OAK_TRADE_SUBTRACT] = "Write `subs r0, #5`, or `sbcs` with the borrow.",
    [OAK_TRADE_ADD] = "Write `adds r0, #5`, or `adcs` with the carry.",
    [OAK_TRADE_INCREMENT] = "Write `adds r0, #1`.",
    [OAK_TRADE_DECREMENT] = "Write `subs r0, #1`.",
    [OAK_TRADE_JUMP] = "Write `b target`, or `bx r0` to an address in a register.",
    [OAK_TRADE_IF_EQUAL] = "Write `beq target` behind `cmp r0, #5`.",
    [OAK_TRADE_IF_DIFFERENT] = "Write `bne target` behind `cmp r0, #5`.",
    [OAK_TRADE_IF_CARRY] = "Write `bcs target`, or `blo target` behind a comparison.",
    [OAK_TRADE_IF_NO_CARRY] = "Write `bcc target`, or `bhs target` behind a comparison.",
    [OAK_TRADE_IF_ORDERED] =
        "Write `bgt`, `bge`, `blt`, `ble` with signs, `bhi`, `bls` without, behind `cmp`.",
    [OAK_TRADE_IF_SIGN] = "Write `bmi target` or `bpl target`.",
    [OAK_TRADE_CALL] = "Write `bl target`, or `blx r0` to an address in a register.",
    [OAK_TRADE_SOFTWARE_INTERRUPT] = "Write `svc #0`.",
    [OAK_TRADE_REGISTER_VALUE] =
        "Memory at its address is written `[r1]`; a value is known while assembling.",
    [OAK_TRADE_FLOAT] = "This core has no floating point: count in whole numbers of a smaller unit.",
    [OAK_TRADE_RETURN] = "Write `bx lr`, or `pop {pc}` where lr was pushed.",
    [OAK_TRADE_RETURN_FROM_INTERRUPT] = "Write `bx lr`: a handler returns as any function does.",
    [OAK_TRADE_SHIFT_LEFT] = "Write `lsls r0, r0, #1`.",
    [OAK_TRADE_SHIFT_RIGHT] = "Write `lsrs r0, r0, #1`, `asrs` with the sign, `rors r0, r1` to rotate.",
    [OAK_TRADE_SET_BIT] = "Write `orrs r0, r1`, with the mask in r1.",
    [OAK_TRADE_CLEAR_BIT] = "Write `bics r0, r1`, with the mask in r1; `movs r0, #0` clears a register.",
    [OAK_TRADE_TOGGLE_BIT] = "Write `eors r0, r1`, with the mask in r1.",
    [OAK_TRADE_IF_BIT] = "Write `tst r0, r1`, then `beq` or `bne`.",
    [OAK_TRADE_INTERRUPTS_ON] = "Write `cpsie i`.",
    [OAK_TRADE_INTERRUPTS_OFF] = "Write `cpsid i`.",
    [OAK_TRADE_EXCHANGE] = "Write three `mov`s through a third register.",
    [OAK_TRADE_PUSH] = "Write `push {r0, lr}`.",
    [OAK_TRADE_POP] = "Write `pop {r0, pc}`.",
    [OAK_TRADE_MULTIPLY] = "Write `muls r0, r1, r0`.",
    [OAK_TRADE_DIVIDE] = "armv7m has `udiv` and `sdiv`; armv6m divides in a loop.",
    [OAK_TRADE_LOOP] = "Write `subs r0, #1`, then `bne target`.",
    [OAK_TRADE_TABLE] = "Code is read as any memory: `ldr r0, =table`, then `ldrb r1, [r0, r2]`.",
    [OAK_TRADE_HIGH_REGISTER] = "The registers are r0 to r12, sp, lr and pc.",
    [OAK_TRADE_OTHER_REGISTER] = "The registers are r0 to r12, sp, lr and pc.",
    [OAK_TRADE_PORT] = "Ports are memory: `ldr r0, =P0_OUT`, then `str r1, [r0]`.",
};

static const oak_message messages_v6[] = {
#define V6_MESSAGE(code, meaning, wrong, right) {code, meaning, wrong, right},
#define V7_MESSAGE(code, meaning, wrong, right)
#include "isa/armm/armm_words.def"
    {0}};
static const oak_message messages_v7[] = {
#define V6_MESSAGE(code, meaning, wrong, right)
#define V7_MESSAGE(code, meaning, wrong, right) {code, meaning, wrong, right},
#include "isa/armm/armm_words.def"
    {0}};

static const oak_copier copiers[] = {
    {1,
     {"ldr r0, =copied_from", "ldr r1, =copied_to", "ldr r2, =copied_bytes", "ldrb r3, [r0]", "strb r3, [r1]",
      "adds r0, r0, #1", "adds r1, r1, #1", "subs r2, r2, #1", "bne $-10"}},
    {0}};
#define DIALECT(isa_of_it, version_of_it, is_small, names, numbers)                                          \
    {                                                                                                        \
        .isa = &isa_of_it, .full = armv7m_rows, .set = armm_set_of, .since = since_of,                       \
        .version = version_of_it, .aliases = aliases, .also = also, .small = is_small, .any = 0x5FFF,        \
        .special_name = names, .special_number = numbers, .expand = armm_expand, .compress = compress,       \
        .constants = CONSTANTS, .unsound = unsound, .flow = flow_of, .outside_only = outside_only,           \
        .prefer = prefer_two_operands                                                                        \
    }
static const arm_dialect dialect_v6 = DIALECT(oak_isa_armv6m, ARMM_SINCE_V6, true, name_v6, number_v6);
static const arm_dialect dialect_v7 = DIALECT(oak_isa_armv7m, ARMM_SINCE_V7, false, name_v7, number_v7);

static oak_status open_v6(const oak_host *host, oak_isa_tables **tables)
{
    return arm_open_tables(&dialect_v6, host, tables);
}
static oak_status open_v7(const oak_host *host, oak_isa_tables **tables)
{
    return arm_open_tables(&dialect_v7, host, tables);
}

#define ARMM_ARCHITECTURE(name_text, title_text, row_table, open_function, ops, register_number, flag_table, \
                          message_table)                                                                     \
    {                                                                                                        \
        .about = {.name = name_text,                                                                         \
                  .title = title_text,                                                                       \
                  .cycle_unit = "clock cycle",                                                               \
                  .elf_machine = 40,                                                                         \
                  .word_bytes = 4,                                                                           \
                  .memory_align = 4,                                                                         \
                  .code_align = 2,                                                                           \
                  .code_bit = 1,                                                                             \
                  .vector_bytes = 4,                                                                         \
                  .vector_step = 4,                                                                          \
                  .own_exceptions = 16,                                                                      \
                  .spaces = spaces,                                                                          \
                  .space_count = ARM_SPACES,                                                                 \
                  .code_space = ARM_MEM,                                                                     \
                  .registers = core_registers,                                                               \
                  .register_count = register_number,                                                         \
                  .pc_register = ARM_PC,                                                                     \
                  .stack = {.pointer = ARM_SP, .space = ARM_MEM, .cell = 4, .return_bytes = 4},              \
                  .state_register = ARMM_XPSR,                                                               \
                  .flags = flag_table,                                                                       \
                  .flag_count = sizeof flag_table / sizeof *flag_table},                                     \
        .rows = row_table, .row_count = ARMM_ROWS, .open = open_function, ARM_ISA_FUNCTIONS,                 \
        .pattern_unit = 2, .state_of = state_of, .frame = &frame, .trade = trade, .messages = message_table, \
        .copiers = copiers, .core = &ops                                                                     \
    }

const oak_isa oak_isa_armv6m =
    ARMM_ARCHITECTURE("armv6m", "Arm M-profile, version 6, 32-bit", armv6m_rows, open_v6, armv6m_core_ops,
                      ARMM_BASEPRI, flags_v6, messages_v6);
const oak_isa oak_isa_armv7m =
    ARMM_ARCHITECTURE("armv7m", "Arm M-profile, version 7, 32-bit", armv7m_rows, open_v7, armv7m_core_ops,
                      ARMM_REGISTERS, flags, messages_v7);
