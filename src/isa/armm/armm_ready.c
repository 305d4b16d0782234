/* armm_ready.c — code to ready-to-run operations: which row becomes which, chains and their cost, conditional
 * instructions, stop points, and code in RAM that is written over. */
#include "base/bytes.h"
#include "base/invariant.h"
#include "isa/armm/armm_core.h"

enum { STEP = sizeof(armm_op) };

#define GET(letter) oak_pattern_get(pattern, letter, word)

/* ------------------------------------------------------------------------------------------ places */

static const armm_region *region_of_slot(const oak_core *core, uint32_t slot)
{
    unsigned i = 0;
    while (i + 1 < core->region_count && slot >= core->region[i + 1].first_slot) i++;
    return &core->region[i];
}

static bool is_in_place(const oak_core *core, const armm_op *op)
{
    uintptr_t at = (uintptr_t)op, start = (uintptr_t)core->ops;
    return at >= start && at < start + (uintptr_t)core->kit.slots * STEP;
}

uint32_t armm_pc_of(const oak_core *core, const armm_op *op)
{
    if (!is_in_place(core, op)) return core->kit.pc;
    uint32_t number = (uint32_t)(op - core->ops);
    if (number == core->kit.slots - 1) return core->nowhere;
    const armm_region *region = region_of_slot(core, number);
    return region->base + (number - region->first_slot) * 2;
}

void armm_settle(oak_core *core, const armm_op *op)
{
    core->kit.pc = armm_pc_of(core, op);
    core->it = core->natural[op - core->ops].it;
}

bool armm_is_ram(oak_core *core, const armm_op *op)
{
    const armm_region *region = is_in_place(core, op) ? armm_region_at(core, armm_pc_of(core, op)) : NULL;
    return region && region->writable;
}

/* The last slot is for addresses where nothing is. */
armm_op *armm_op_at(oak_core *core, uint32_t address)
{
    for (unsigned i = 0; i < core->region_count; i++) {
        const armm_region *region = &core->region[i];
        if (address - region->base < region->size)
            return core->ops + region->first_slot + ((address - region->base) >> 1);
    }
    armm_op *nowhere = core->ops + core->kit.slots - 1;
    core->nowhere = address;
    return nowhere;
}

/* ------------------------------------------------------------------------------------------ rows to operations */

static void make(armm_op *op, unsigned handler, unsigned d, unsigned n, uint32_t imm)
{
    op->handler = (uint16_t)handler;
    op->d = (uint8_t)d;
    op->n = (uint8_t)n;
    op->imm = imm;
}

/* An operation with the code itself, executed by armm_slow.c; `ends`: it may jump. */
static void make_slow(armm_op *op, const oak_decoded *decoded, bool ends)
{
    make(op, ends ? ARMM_OP_SLOW_END : ARMM_OP_SLOW, decoded->row & 0xFFu,
         (unsigned)decoded->row >> 8 | (decoded->state ? 0x80u : 0), (uint32_t)decoded->word);
}

static uint32_t offset_of(const oak_core *core, const armm_op *op)
{
    return (uint32_t)((const char *)op - (const char *)core->ops);
}

static uint32_t read_known_word(const oak_core *core, uint32_t address, bool *constant)
{
    const armm_region *region = armm_region_at(core, address);
    *constant =
        region && !region->writable && address - region->base + 4 <= region->size && !core->checks_reads;
    if (!*constant) return 0;
    const uint8_t *at = region->bytes + (address - region->base);
    return (uint32_t)at[0] | (uint32_t)at[1] << 8 | (uint32_t)at[2] << 16 | (uint32_t)at[3] << 24;
}

typedef struct plain_row {
    uint16_t row, plain, flags; /* the operation without and with flags; NOP where there is none */
    uint16_t
        shifted[2]; /* on a shifted register, without and with flags: the first of four; 0: it has none */
} plain_row;

/* Two registers: rdn rm, rd rn rm, rd rm. */
static const plain_row plain_rows[] = {
    {ARMM_MOVS_REG, ARMM_OP_MOV_R, ARMM_OP_MOVS_R, {0, 0}},
    {ARMM_ADD_REG, ARMM_OP_ADD_R, ARMM_OP_ADDS_R, {0, 0}},
    {ARMM_SUB_REG, ARMM_OP_SUB_R, ARMM_OP_SUBS_R, {0, 0}},
    {ARMM_AND_REG, ARMM_OP_AND_R, ARMM_OP_ANDS_R, {0, 0}},
    {ARMM_EOR_REG, ARMM_OP_EOR_R, ARMM_OP_EORS_R, {0, 0}},
    {ARMM_ORR_REG, ARMM_OP_ORR_R, ARMM_OP_ORRS_R, {0, 0}},
    {ARMM_BIC_REG, ARMM_OP_BIC_R, ARMM_OP_BICS_R, {0, 0}},
    {ARMM_MVN_REG, ARMM_OP_MVN_R, ARMM_OP_MVNS_R, {0, 0}},
    {ARMM_LSL_REG, ARMM_OP_LSL_R, ARMM_OP_LSLS_R, {0, 0}},
    {ARMM_LSR_REG, ARMM_OP_LSR_R, ARMM_OP_LSRS_R, {0, 0}},
    {ARMM_ASR_REG, ARMM_OP_ASR_R, ARMM_OP_ASRS_R, {0, 0}},
    {ARMM_ROR_REG, ARMM_OP_ROR_R, ARMM_OP_RORS_R, {0, 0}},
    {ARMM_ADC_REG, ARMM_OP_ADC_R, ARMM_OP_ADCS_R, {0, 0}},
    {ARMM_SBC_REG, ARMM_OP_SBC_R, ARMM_OP_SBCS_R, {0, 0}},
    {ARMM_TST_REG, ARMM_OP_NOP, ARMM_OP_TST_R, {0, 0}},
    {ARMM_CMP_REG, ARMM_OP_NOP, ARMM_OP_CMP_R, {0, 0}},
    {ARMM_CMN_REG, ARMM_OP_NOP, ARMM_OP_CMN_R, {0, 0}},
    {ARMM_CMP_HIGH, ARMM_OP_NOP, ARMM_OP_CMP_R, {0, 0}},
    {ARMM_MUL_REG, ARMM_OP_MUL, ARMM_OP_MULS, {0, 0}},
    {ARMM_MUL_W, ARMM_OP_MUL, ARMM_OP_NOP, {0, 0}},
    {ARMM_AND_W, ARMM_OP_AND_R, ARMM_OP_ANDS_R, {ARMM_OP_AND_LSL, ARMM_OP_ANDS_LSL}},
    {ARMM_BIC_W, ARMM_OP_BIC_R, ARMM_OP_BICS_R, {ARMM_OP_BIC_LSL, ARMM_OP_BICS_LSL}},
    {ARMM_ORR_W, ARMM_OP_ORR_R, ARMM_OP_ORRS_R, {ARMM_OP_ORR_LSL, ARMM_OP_ORRS_LSL}},
    {ARMM_EOR_W, ARMM_OP_EOR_R, ARMM_OP_EORS_R, {ARMM_OP_EOR_LSL, ARMM_OP_EORS_LSL}},
    {ARMM_ORN_W, ARMM_OP_ORN_R, ARMM_OP_ORNS_R, {ARMM_OP_ORN_LSL, ARMM_OP_ORNS_LSL}},
    {ARMM_MVN_W, ARMM_OP_MVN_R, ARMM_OP_MVNS_R, {ARMM_OP_MVN_LSL, ARMM_OP_MVNS_LSL}},
    {ARMM_ADD_W, ARMM_OP_ADD_R, ARMM_OP_ADDS_R, {ARMM_OP_ADD_LSL, ARMM_OP_ADDS_LSL}},
    {ARMM_SUB_W, ARMM_OP_SUB_R, ARMM_OP_SUBS_R, {ARMM_OP_SUB_LSL, ARMM_OP_SUBS_LSL}},
    {ARMM_RSB_W, ARMM_OP_RSB_R, ARMM_OP_RSBS_R, {ARMM_OP_RSB_LSL, ARMM_OP_RSBS_LSL}},
    {ARMM_ADC_W, ARMM_OP_ADC_R, ARMM_OP_ADCS_R, {ARMM_OP_ADC_LSL, ARMM_OP_ADCS_LSL}},
    {ARMM_SBC_W, ARMM_OP_SBC_R, ARMM_OP_SBCS_R, {ARMM_OP_SBC_LSL, ARMM_OP_SBCS_LSL}},
    {ARMM_CMP_W, ARMM_OP_NOP, ARMM_OP_CMP_R, {ARMM_OP_NOP, ARMM_OP_CMP_LSL}},
    {ARMM_CMN_W, ARMM_OP_NOP, ARMM_OP_CMN_R, {ARMM_OP_NOP, ARMM_OP_CMN_LSL}},
    {ARMM_TST_W, ARMM_OP_NOP, ARMM_OP_TST_R, {ARMM_OP_NOP, ARMM_OP_TST_LSL}},
    {ARMM_TEQ_W, ARMM_OP_NOP, ARMM_OP_TEQ_R, {ARMM_OP_NOP, ARMM_OP_TEQ_LSL}},
    {ARMM_MOV_W, ARMM_OP_MOV_R, ARMM_OP_MOVS_R, {0, 0}},
    {ARMM_LSL_REG_W, ARMM_OP_LSL_R, ARMM_OP_LSLS_R, {0, 0}},
    {ARMM_LSR_REG_W, ARMM_OP_LSR_R, ARMM_OP_LSRS_R, {0, 0}},
    {ARMM_ASR_REG_W, ARMM_OP_ASR_R, ARMM_OP_ASRS_R, {0, 0}},
    {ARMM_ROR_REG_W, ARMM_OP_ROR_R, ARMM_OP_RORS_R, {0, 0}},
    {ARMM_SXTH, ARMM_OP_SXTH, ARMM_OP_NOP, {0, 0}},
    {ARMM_SXTH_W, ARMM_OP_SXTH, ARMM_OP_NOP, {0, 0}},
    {ARMM_SXTB, ARMM_OP_SXTB, ARMM_OP_NOP, {0, 0}},
    {ARMM_SXTB_W, ARMM_OP_SXTB, ARMM_OP_NOP, {0, 0}},
    {ARMM_UXTH, ARMM_OP_UXTH, ARMM_OP_NOP, {0, 0}},
    {ARMM_UXTH_W, ARMM_OP_UXTH, ARMM_OP_NOP, {0, 0}},
    {ARMM_UXTB, ARMM_OP_UXTB, ARMM_OP_NOP, {0, 0}},
    {ARMM_UXTB_W, ARMM_OP_UXTB, ARMM_OP_NOP, {0, 0}},
    {ARMM_REV, ARMM_OP_REV, ARMM_OP_NOP, {0, 0}},
    {ARMM_REV_W, ARMM_OP_REV, ARMM_OP_NOP, {0, 0}},
    {ARMM_REV16, ARMM_OP_REV16, ARMM_OP_NOP, {0, 0}},
    {ARMM_REV16_W, ARMM_OP_REV16, ARMM_OP_NOP, {0, 0}},
    {ARMM_REVSH, ARMM_OP_REVSH, ARMM_OP_NOP, {0, 0}},
    {ARMM_REVSH_W, ARMM_OP_REVSH, ARMM_OP_NOP, {0, 0}},
    {ARMM_RBIT, ARMM_OP_RBIT, ARMM_OP_NOP, {0, 0}},
    {ARMM_CLZ, ARMM_OP_CLZ, ARMM_OP_NOP, {0, 0}},
    {ARMM_UDIV, ARMM_OP_UDIV, ARMM_OP_NOP, {0, 0}},
    {ARMM_SDIV, ARMM_OP_SDIV, ARMM_OP_NOP, {0, 0}},
};
/* A register and a constant: rd rn #imm, rd #imm. */
static const plain_row constant_rows[] = {
    {ARMM_ADD_IMM3, ARMM_OP_ADD_I, ARMM_OP_ADDS_I, {0, 0}},
    {ARMM_SUB_IMM3, ARMM_OP_SUB_I, ARMM_OP_SUBS_I, {0, 0}},
    {ARMM_ADD_IMM8, ARMM_OP_ADD_I, ARMM_OP_ADDS_I, {0, 0}},
    {ARMM_SUB_IMM8, ARMM_OP_SUB_I, ARMM_OP_SUBS_I, {0, 0}},
    {ARMM_MOV_IMM, ARMM_OP_MOV_I, ARMM_OP_MOVS_I, {0, 0}},
    {ARMM_RSB_ZERO, ARMM_OP_RSB_I, ARMM_OP_RSBS_I, {0, 0}},
    {ARMM_ADD_IMM_W, ARMM_OP_ADD_I, ARMM_OP_ADDS_I, {0, 0}},
    {ARMM_SUB_IMM_W, ARMM_OP_SUB_I, ARMM_OP_SUBS_I, {0, 0}},
    {ARMM_RSB_IMM_W, ARMM_OP_RSB_I, ARMM_OP_RSBS_I, {0, 0}},
    {ARMM_ADC_IMM_W, ARMM_OP_ADC_I, ARMM_OP_ADCS_I, {0, 0}},
    {ARMM_SBC_IMM_W, ARMM_OP_ADC_I, ARMM_OP_ADCS_I, {0, 0}},
    {ARMM_CMP_IMM, ARMM_OP_NOP, ARMM_OP_CMP_I, {0, 0}},
    {ARMM_CMP_IMM_W, ARMM_OP_NOP, ARMM_OP_CMP_I, {0, 0}},
    {ARMM_CMN_IMM_W, ARMM_OP_NOP, ARMM_OP_CMN_I, {0, 0}},
    {ARMM_ADDW, ARMM_OP_ADD_I, ARMM_OP_NOP, {0, 0}},
    {ARMM_SUBW, ARMM_OP_SUB_I, ARMM_OP_NOP, {0, 0}},
};
/* Constants that may make a carry: without flags, with them, with the carry. */
static const struct logic_row {
    uint16_t row, plain, flags, carry;
} logic_rows[] = {
    {ARMM_AND_IMM_W, ARMM_OP_AND_I, ARMM_OP_ANDS_I, ARMM_OP_ANDS_C},
    {ARMM_ORR_IMM_W, ARMM_OP_ORR_I, ARMM_OP_ORRS_I, ARMM_OP_ORRS_C},
    {ARMM_EOR_IMM_W, ARMM_OP_EOR_I, ARMM_OP_EORS_I, ARMM_OP_EORS_C},
    {ARMM_BIC_IMM_W, ARMM_OP_BIC_I, ARMM_OP_BICS_I, ARMM_OP_BICS_C},
    {ARMM_ORN_IMM_W, ARMM_OP_ORN_I, ARMM_OP_ORNS_I, ARMM_OP_ORNS_C},
    {ARMM_MOV_IMM_W, ARMM_OP_MOV_I, ARMM_OP_MOVS_I, ARMM_OP_MOVS_C},
    {ARMM_TST_IMM_W, ARMM_OP_NOP, ARMM_OP_TST_I, ARMM_OP_TST_C},
    {ARMM_TEQ_IMM_W, ARMM_OP_NOP, ARMM_OP_TEQ_I, ARMM_OP_TEQ_C},
};
typedef struct access_row {
    uint16_t row, operation;
} access_row;
static const access_row offset_rows[] = {
    {ARMM_STR_IMM, ARMM_OP_STR_I},
    {ARMM_LDR_IMM, ARMM_OP_LDR_I},
    {ARMM_STRB_IMM, ARMM_OP_STRB_I},
    {ARMM_LDRB_IMM, ARMM_OP_LDRB_I},
    {ARMM_STRH_IMM, ARMM_OP_STRH_I},
    {ARMM_LDRH_IMM, ARMM_OP_LDRH_I},
    {ARMM_STR_SP, ARMM_OP_STR_I},
    {ARMM_LDR_SP, ARMM_OP_LDR_I},
    {ARMM_STR_IMM_W, ARMM_OP_STR_I},
    {ARMM_STR_NEG, ARMM_OP_STR_I},
    {ARMM_STR_PRE, ARMM_OP_STR_PRE},
    {ARMM_STR_POST, ARMM_OP_STR_POST},
    {ARMM_STRT, ARMM_OP_STR_I},
    {ARMM_LDR_IMM_W, ARMM_OP_LDR_I},
    {ARMM_LDR_NEG, ARMM_OP_LDR_I},
    {ARMM_LDR_PRE, ARMM_OP_LDR_PRE},
    {ARMM_LDR_POST, ARMM_OP_LDR_POST},
    {ARMM_LDRT, ARMM_OP_LDR_I},
    {ARMM_STRB_IMM_W, ARMM_OP_STRB_I},
    {ARMM_STRB_NEG, ARMM_OP_STRB_I},
    {ARMM_STRB_PRE, ARMM_OP_STRB_PRE},
    {ARMM_STRB_POST, ARMM_OP_STRB_POST},
    {ARMM_STRBT, ARMM_OP_STRB_I},
    {ARMM_LDRB_IMM_W, ARMM_OP_LDRB_I},
    {ARMM_LDRB_NEG, ARMM_OP_LDRB_I},
    {ARMM_LDRB_PRE, ARMM_OP_LDRB_PRE},
    {ARMM_LDRB_POST, ARMM_OP_LDRB_POST},
    {ARMM_LDRBT, ARMM_OP_LDRB_I},
    {ARMM_STRH_IMM_W, ARMM_OP_STRH_I},
    {ARMM_STRH_NEG, ARMM_OP_STRH_I},
    {ARMM_STRH_PRE, ARMM_OP_STRH_PRE},
    {ARMM_STRH_POST, ARMM_OP_STRH_POST},
    {ARMM_STRHT, ARMM_OP_STRH_I},
    {ARMM_LDRH_IMM_W, ARMM_OP_LDRH_I},
    {ARMM_LDRH_NEG, ARMM_OP_LDRH_I},
    {ARMM_LDRH_PRE, ARMM_OP_LDRH_PRE},
    {ARMM_LDRH_POST, ARMM_OP_LDRH_POST},
    {ARMM_LDRHT, ARMM_OP_LDRH_I},
    {ARMM_LDRSB_IMM_W, ARMM_OP_LDRSB_I},
    {ARMM_LDRSB_NEG, ARMM_OP_LDRSB_I},
    {ARMM_LDRSB_PRE, ARMM_OP_LDRSB_PRE},
    {ARMM_LDRSB_POST, ARMM_OP_LDRSB_POST},
    {ARMM_LDRSBT, ARMM_OP_LDRSB_I},
    {ARMM_LDRSH_IMM_W, ARMM_OP_LDRSH_I},
    {ARMM_LDRSH_NEG, ARMM_OP_LDRSH_I},
    {ARMM_LDRSH_PRE, ARMM_OP_LDRSH_PRE},
    {ARMM_LDRSH_POST, ARMM_OP_LDRSH_POST},
    {ARMM_LDRSHT, ARMM_OP_LDRSH_I},
    {ARMM_LDR_WORD, ARMM_OP_LDR_I},
    {ARMM_LDR_WORD_W, ARMM_OP_LDR_I},
    {ARMM_LDRB_WORD, ARMM_OP_LDRB_I},
    {ARMM_LDRH_WORD, ARMM_OP_LDRH_I},
    {ARMM_LDRSB_WORD, ARMM_OP_LDRSB_I},
    {ARMM_LDRSH_WORD, ARMM_OP_LDRSH_I},
};
static const access_row index_rows[] = {
    {ARMM_STR_REG, ARMM_OP_STR_R},     {ARMM_STRH_REG, ARMM_OP_STRH_R},
    {ARMM_STRB_REG, ARMM_OP_STRB_R},   {ARMM_LDRSB_REG, ARMM_OP_LDRSB_R},
    {ARMM_LDR_REG, ARMM_OP_LDR_R},     {ARMM_LDRH_REG, ARMM_OP_LDRH_R},
    {ARMM_LDRB_REG, ARMM_OP_LDRB_R},   {ARMM_LDRSH_REG, ARMM_OP_LDRSH_R},
    {ARMM_STR_REG_W, ARMM_OP_STR_R},   {ARMM_STRH_REG_W, ARMM_OP_STRH_R},
    {ARMM_STRB_REG_W, ARMM_OP_STRB_R}, {ARMM_LDRSB_REG_W, ARMM_OP_LDRSB_R},
    {ARMM_LDR_REG_W, ARMM_OP_LDR_R},   {ARMM_LDRH_REG_W, ARMM_OP_LDRH_R},
    {ARMM_LDRB_REG_W, ARMM_OP_LDRB_R}, {ARMM_LDRSH_REG_W, ARMM_OP_LDRSH_R},
};

#define FIND(table, row_number)                                                                              \
    size_t found = 0;                                                                                        \
    while (found < sizeof table / sizeof *table && table[found].row != (row_number)) found++;                \
    if (found == sizeof table / sizeof *table) return false

static bool sets_flags(const oak_isa_tables *tables, const oak_decoded *decoded)
{
    switch (armm_set_of[decoded->row]) {
    case ARM_SET_ITS: return !decoded->state;
    case ARM_SET_BIT: return oak_pattern_get(&tables->shape[decoded->row].pattern, 's', decoded->word);
    case ARM_SET_ALWAYS:
    case ARM_SET_OUTSIDE: return true;
    default: return false;
    }
}

static bool has_letter(const oak_pattern *pattern, char letter)
{
    for (unsigned i = 0; i < pattern->piece_count; i++)
        if (pattern->piece[i].letter == letter) return true;
    return false;
}

static bool make_plain(oak_core *core, armm_op *op, const oak_decoded *decoded)
{
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word;
    FIND(plain_rows, decoded->row);
    bool flags = sets_flags(core->kit.tables, decoded);
    unsigned handler = flags ? plain_rows[found].flags : plain_rows[found].plain;
    unsigned d = GET('d'), n = has_letter(pattern, 'n') ? GET('n') : d,
             m = has_letter(pattern, 'm') ? GET('m') : d, kind = has_letter(pattern, 'y') ? GET('y') : 0,
             by = has_letter(pattern, 'i') ? GET('i') : 0;
    if (d == ARM_SP) {
        bool moves = decoded->row == ARMM_MOV_W && !flags;
        if (moves) make(op, ARMM_OP_MOV_SP, 0, 0, m);
        return moves;
    }
    if (!kind && !by) {
        make(op, handler, d, n, m);
        return handler != ARMM_OP_NOP;
    }
    if (!has_letter(pattern, 'i')) { /* a rotation by bytes */
        unsigned turned = handler == ARMM_OP_SXTH   ? ARMM_OP_SXTH_ROR
                          : handler == ARMM_OP_SXTB ? ARMM_OP_SXTB_ROR
                          : handler == ARMM_OP_UXTH ? ARMM_OP_UXTH_ROR
                                                    : ARMM_OP_UXTB_ROR;
        make(op, turned, d, 0, 0);
        op->m = (uint8_t)m;
        op->by = (uint8_t)(8 * kind);
        return true;
    }
    handler = plain_rows[found].shifted[flags];
    if (handler == ARMM_OP_NOP) return false;
    make(op, handler + (kind == 3 && !by ? 4 : kind), d, n, 0);
    op->m = (uint8_t)m;
    op->by = (uint8_t)(by ? by : 32);
    return true;
}

static bool make_constant(oak_core *core, armm_op *op, const oak_decoded *decoded)
{
    const arm_shape *shape = &core->kit.tables->shape[decoded->row];
    const oak_pattern *pattern = &shape->pattern;
    uint32_t word = (uint32_t)decoded->word, value = GET('i');
    int carry = -1;
    FIND(constant_rows, decoded->row);
    unsigned handler =
        sets_flags(core->kit.tables, decoded) ? constant_rows[found].flags : constant_rows[found].plain;
    unsigned d = GET('d'), n = has_letter(pattern, 'n') ? GET('n') : d;
    if (handler == ARMM_OP_NOP || n == ARM_PC) return false;
    if (shape->class_of[shape->count - 1].what == ARM_CONST) armm_expand(GET('i'), &value, &carry);
    if (d == ARM_SP && (n != ARM_SP || value & 3)) return false;
    if (decoded->row == ARMM_SBC_IMM_W) value = ~value;
    make(op, handler, d, n, value);
    return true;
}

static bool make_logic(oak_core *core, armm_op *op, const oak_decoded *decoded)
{
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word, value;
    int carry;
    bool flags = sets_flags(core->kit.tables, decoded);
    if (decoded->row == ARMM_MVN_IMM_W) {
        armm_expand(GET('i'), &value, &carry);
        if (flags && carry >= 0) make(op, ARMM_OP_MVNS_C, GET('d'), 0, value);
        else make(op, flags ? ARMM_OP_MOVS_I : ARMM_OP_MOV_I, GET('d'), 0, ~value);
        return true;
    }
    FIND(logic_rows, decoded->row);
    armm_expand(GET('i'), &value, &carry);
    unsigned handler = !flags       ? logic_rows[found].plain
                       : carry >= 0 ? logic_rows[found].carry
                                    : logic_rows[found].flags;
    make(op, handler, GET('d'), GET('n'), value);
    return handler != ARMM_OP_NOP;
}

/* Loads and stores of one register other than sp and pc: an offset, a base that moves, or data in the code. */
static bool make_offset(oak_core *core, armm_op *op, const oak_decoded *decoded)
{
    const arm_shape *shape = &core->kit.tables->shape[decoded->row];
    const oak_pattern *pattern = &shape->pattern;
    uint32_t word = (uint32_t)decoded->word;
    FIND(offset_rows, decoded->row);
    unsigned memory = shape->class_of[1].what, n = memory == ARM_MEM_SP ? ARM_SP : GET('n'), t = GET('t');
    if (t >= ARM_PC || t == ARM_SP) return false;
    uint32_t offset = GET('i') * shape->class_of[1].scale;
    bool moves = memory == ARM_MEM_PRE_IMM || memory == ARM_MEM_POST_IMM;
    if (memory == ARM_MEM_NEG || (moves && !GET('v'))) offset = 0 - offset;
    if (memory == ARM_WORD8 || memory == ARM_WORD12) n = ARMM_R_ZERO, offset = decoded->data;
    if (moves && n == ARM_SP && offset & 3) return false;
    make(op, offset_rows[found].operation, t, n, offset);
    return true;
}

/* Where the numbers of a list of registers stand, ascending; -1 where there is no more room for another list. */
static int list_at(oak_core *core, uint32_t mask)
{
    unsigned at = 0;
    while (at < core->list_count && core->list_mask[at] != mask) at++;
    if (at == ARMM_MOST_LISTS) return -1;
    if (at < core->list_count) return (int)at;
    uint8_t *list = core->list[core->list_count++];
    core->list_mask[at] = (uint16_t)mask;
    for (unsigned i = 0; i < ARMM_REGISTERS_MOST; i++)
        if (mask >> i & 1) *list++ = (uint8_t)i;
    return (int)at;
}

static bool has_list(unsigned row)
{
    switch (row) {
    case ARMM_PUSH:
    case ARMM_PUSH_W:
    case ARMM_POP:
    case ARMM_POP_W:
    case ARMM_STM:
    case ARMM_LDM:
    case ARMM_LDM_KEEP:
    case ARMM_STM_W:
    case ARMM_LDM_W:
    case ARMM_STMDB:
    case ARMM_LDMDB: return true;
    default: return false;
    }
}

/* Lists of registers: the words begin `start` bytes from the base, which moves by `change`. */
static bool make_list(oak_core *core, armm_op *op, const oak_decoded *decoded)
{
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word, n = GET('n'), mask, bytes = 0;
    unsigned row = decoded->row;
    bool below = row == ARMM_STMDB || row == ARMM_LDMDB;
    bool stores = row == ARMM_STM || row == ARMM_STM_W || row == ARMM_STMDB;
    bool moves = has_letter(pattern, 'w') ? GET('w') : row != ARMM_LDM_KEEP;
    bool pushes = row == ARMM_PUSH || row == ARMM_PUSH_W;
    if (!has_list(row)) return false;
    if (pushes || row == ARMM_POP || row == ARMM_POP_W) n = ARM_SP;
    mask = arm_list(&core->kit.tables->shape[row], word);
    for (uint32_t left = mask; left; left &= left - 1) bytes += 4;
    bool returns = mask >> ARM_PC & 1;
    int list = list_at(core, mask & ~((uint32_t)1 << ARM_PC));
    if (list < 0 || !mask || n == ARM_PC || (stores && n == ARM_SP)) return false;
    const uint8_t *numbers = core->list[list];
    if (pushes && bytes <= 8) {
        make(op, bytes == 4 ? ARMM_OP_PUSH_ONE : ARMM_OP_PUSH_TWO, numbers[0], bytes == 4 ? 0 : numbers[1],
             0);
        return true;
    }
    if (bytes == 4 && n == ARM_SP && moves && !below && !returns) {
        make(op, ARMM_OP_LDR_POST, numbers[0], n, 4);
        return true;
    }
    if (bytes == 8 && !below && !returns && (moves || !stores)) {
        unsigned handler = stores ? ARMM_OP_STRD_POST : moves ? ARMM_OP_LDRD_POST : ARMM_OP_LDRD_I;
        make(op, handler, numbers[0], n, 0);
        op->a = numbers[1];
        op->offset = moves ? 8 : 0;
        return true;
    }
    unsigned count = bytes / 4 - returns;
    unsigned handler = pushes    ? ARMM_OP_PUSH_MANY
                       : returns ? ARMM_OP_POP_PC
                       : stores  ? ARMM_OP_STORE_MANY
                                 : ARMM_OP_LOAD_MANY;
    if (returns && !below && count <= 8) handler = ARMM_OP_POP_PC_0 + count;
    else if (!returns && !below && count >= 3 && count <= 8)
        handler = (pushes ? ARMM_OP_PUSH_3 : stores ? ARMM_OP_STORE_3 : ARMM_OP_LOAD_3) + count - 3;
    make(op, handler, count, n, 0);
    op->offset = (int16_t)(list * ARMM_REGISTERS_MOST);
    op->start = (int8_t)(below ? 0 - (int)bytes : 0);
    op->change = (int8_t)(moves ? (below ? 0 - (int)bytes : (int)bytes) : 0);
    return true;
}

/* Two words. */
static bool make_dual(armm_op *op, const oak_decoded *decoded, const oak_pattern *pattern)
{
    uint32_t word = (uint32_t)decoded->word, n = GET('n');
    unsigned handler;
    switch (decoded->row) {
    case ARMM_LDRD_IMM: handler = ARMM_OP_LDRD_I; break;
    case ARMM_LDRD_PRE: handler = ARMM_OP_LDRD_PRE; break;
    case ARMM_LDRD_POST: handler = ARMM_OP_LDRD_POST; break;
    case ARMM_STRD_IMM: handler = ARMM_OP_STRD_I; break;
    case ARMM_STRD_PRE: handler = ARMM_OP_STRD_PRE; break;
    case ARMM_STRD_POST: handler = ARMM_OP_STRD_POST; break;
    default: return false;
    }
    make(op, handler, GET('t'), n, 0);
    op->a = (uint8_t)GET('u');
    op->offset = (int16_t)(GET('v') ? (int)GET('i') * 4 : (int)GET('i') * -4);
    return true;
}

static bool make_index(oak_core *core, armm_op *op, const oak_decoded *decoded)
{
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word;
    FIND(index_rows, decoded->row);
    if (GET('t') >= ARM_PC || GET('t') == ARM_SP) return false;
    unsigned scaled = has_letter(pattern, 'i') && GET('i') ? ARMM_OP_LDR_S - ARMM_OP_LDR_R : 0;
    make(op, index_rows[found].operation + scaled, GET('t'), GET('n'), scaled ? 0 : GET('m'));
    if (scaled) op->m = (uint8_t)GET('m'), op->by = (uint8_t)GET('i');
    return true;
}

static bool make_shift(armm_op *op, const oak_decoded *decoded, const oak_pattern *pattern, bool flags)
{
    static const uint16_t handlers[5][2] = {{ARMM_OP_LSL_I, ARMM_OP_LSLS_I},
                                            {ARMM_OP_LSR_I, ARMM_OP_LSRS_I},
                                            {ARMM_OP_ASR_I, ARMM_OP_ASRS_I},
                                            {ARMM_OP_ROR_I, ARMM_OP_RORS_I},
                                            {ARMM_OP_RRX, ARMM_OP_RRXS}};
    uint32_t word = (uint32_t)decoded->word;
    unsigned kind;
    switch (decoded->row) {
    case ARMM_LSL_IMM:
    case ARMM_LSL_IMM_W: kind = 0; break;
    case ARMM_LSR_IMM:
    case ARMM_LSR_IMM_W: kind = 1; break;
    case ARMM_ASR_IMM:
    case ARMM_ASR_IMM_W: kind = 2; break;
    case ARMM_ROR_IMM_W: kind = 3; break;
    case ARMM_RRX_W: kind = 4; break;
    default: return false;
    }
    uint32_t amount = (kind == 1 || kind == 2) && !GET('i') ? 32 : GET('i');
    make(op, handlers[kind][flags], GET('d'), GET('m'), amount);
    return true;
}

/* In the memory whose addresses calls work out by themselves. */
static bool is_first(const oak_core *core, uint32_t pc)
{
    return pc - core->region[0].base < core->region[0].size;
}

/* Direct jumps whose target can be executed. */
static bool make_jump(oak_core *core, armm_op *op, const oak_decoded *decoded, uint32_t pc)
{
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word;
    armm_op *to = armm_op_at(core, decoded->target);
    if (to == core->ops + core->kit.slots - 1) return false;
    uint32_t refill = armm_refill(core, decoded->target), target = offset_of(core, to);
    uint32_t near =
        is_in_place(core, op) ? target - offset_of(core, op) : target; /* see NEAR in armm_loop.h */
    switch (decoded->row) {
    case ARMM_B:
    case ARMM_B_W:
        if (decoded->target == pc && !decoded->state) make(op, ARMM_OP_PARKED, 0, 0, target);
        else make(op, ARMM_OP_B, 0, 0, target);
        return true;
    case ARMM_BL: make(op, ARMM_OP_BL, 0, !is_first(core, pc), target); return true;
    case ARMM_B_COND:
    case ARMM_B_COND_W: make(op, ARMM_OP_BEQ + GET('c'), 0, refill, near); return true;
    case ARMM_CBZ: make(op, ARMM_OP_CBZ, GET('n'), refill, near); return true;
    case ARMM_CBNZ: make(op, ARMM_OP_CBNZ, GET('n'), refill, near); return true;
    default: return false;
    }
}

/* The rest that is worth an operation of its own. */
static bool make_other(oak_core *core, armm_op *op, const oak_decoded *decoded, uint32_t pc)
{
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word, value;
    bool constant;
    switch (decoded->row) {
    case ARMM_ADD_HIGH:
        if (GET('d') == ARM_SP || (GET('d') == ARM_PC && (GET('m') == ARM_PC || !is_first(core, pc))))
            return false;
        if (GET('d') == ARM_PC) {
            make(op, ARMM_OP_ADD_PC, 0, 0, GET('m'));
            return true;
        }
        if (GET('m') == ARM_PC) make(op, ARMM_OP_ADD_I, GET('d'), GET('d'), pc + 4);
        else make(op, ARMM_OP_ADD_R, GET('d'), GET('d'), GET('m'));
        return true;
    case ARMM_MOV_HIGH:
        if (GET('d') == ARM_PC && (GET('m') == ARM_PC || !is_first(core, pc))) return false;
        if (GET('d') == ARM_PC) {
            make(op, ARMM_OP_MOV_PC, 0, 0, GET('m'));
            return true;
        }
        if (GET('m') == ARM_PC && GET('d') == ARM_SP) return false;
        if (GET('m') == ARM_PC) make(op, ARMM_OP_MOV_I, GET('d'), 0, pc + 4);
        else make(op, GET('d') == ARM_SP ? ARMM_OP_MOV_SP : ARMM_OP_MOV_R, GET('d'), 0, GET('m'));
        return true;
    case ARMM_ADD_RD_SP: make(op, ARMM_OP_ADD_I, GET('d'), ARM_SP, GET('i') * 4); return true;
    case ARMM_ADD_SP: make(op, ARMM_OP_ADD_I, ARM_SP, ARM_SP, GET('i') * 4); return true;
    case ARMM_SUB_SP: make(op, ARMM_OP_SUB_I, ARM_SP, ARM_SP, GET('i') * 4); return true;
    case ARMM_ADR:
    case ARMM_ADR_AFTER:
    case ARMM_ADR_BEFORE: make(op, ARMM_OP_MOV_I, GET('d'), 0, decoded->data); return true;
    case ARMM_LDR_WORD:
    case ARMM_LDR_WORD_W:
        value = read_known_word(core, decoded->data, &constant);
        if (!constant || GET('t') >= ARM_PC || GET('t') == ARM_SP || (decoded->data & 3)) return false;
        make(op, ARMM_OP_MOV_I, GET('t'), 0, value);
        return true;
    case ARMM_PUSH_ONE:
        if (GET('t') >= ARM_PC || GET('t') == ARM_SP) return false;
        make(op, ARMM_OP_PUSH_ONE, GET('t'), 0, 0);
        return true;
    case ARMM_POP_ONE:
        if (GET('t') >= ARM_PC || GET('t') == ARM_SP) return false;
        make(op, ARMM_OP_LDR_POST, GET('t'), ARM_SP, 4);
        return true;
    case ARMM_MOVT: make(op, ARMM_OP_MOVT, GET('d'), 0, GET('j') << 28 | GET('i') << 16); return true;
    case ARMM_BFI:
    case ARMM_BFC:
        make(op, decoded->row == ARMM_BFI ? ARMM_OP_BFI : ARMM_OP_BFC, GET('d'), GET('n'), 0);
        op->by = (uint8_t)GET('i');
        op->a = (uint8_t)(31 - GET('w') + GET('i'));
        return true;
    case ARMM_SSAT:
    case ARMM_USAT:
        make(op, decoded->row == ARMM_SSAT ? ARMM_OP_SSAT : ARMM_OP_USAT, GET('d'), GET('n'), 0);
        op->m = (uint8_t)GET('w');
        op->by = (uint8_t)(GET('y') ? 0 : GET('i'));
        op->a = (uint8_t)(GET('y') ? GET('i') : 0);
        return true;
    case ARMM_UMULL:
    case ARMM_SMULL:
    case ARMM_UMLAL:
    case ARMM_SMLAL:
        make(op,
             decoded->row == ARMM_UMULL   ? ARMM_OP_UMULL
             : decoded->row == ARMM_SMULL ? ARMM_OP_SMULL
             : decoded->row == ARMM_UMLAL ? ARMM_OP_UMLAL
                                          : ARMM_OP_SMLAL,
             GET('l'), GET('n'), 0);
        op->m = (uint8_t)GET('m');
        op->a = (uint8_t)GET('h');
        return true;
    case ARMM_LDREX:
    case ARMM_LDREXB:
    case ARMM_LDREXH:
        make(op,
             decoded->row == ARMM_LDREX    ? ARMM_OP_LDREX
             : decoded->row == ARMM_LDREXB ? ARMM_OP_LDREXB
                                           : ARMM_OP_LDREXH,
             GET('t'), GET('n'), GET('i') * 4);
        return true;
    case ARMM_STREX:
    case ARMM_STREXB:
    case ARMM_STREXH:
        make(op,
             decoded->row == ARMM_STREX    ? ARMM_OP_STREX
             : decoded->row == ARMM_STREXB ? ARMM_OP_STREXB
                                           : ARMM_OP_STREXH,
             GET('d'), GET('n'), 0);
        op->a = (uint8_t)GET('t');
        op->offset = (int16_t)(GET('i') * 4);
        return true;
    case ARMM_CLREX: make(op, ARMM_OP_CLREX, 0, 0, 0); return true;
    case ARMM_SEV:
    case ARMM_SEV_W: make(op, ARMM_OP_SEV, 0, 0, 0); return true;
    case ARMM_CPSIE:
    case ARMM_CPSID: make(op, ARMM_OP_CPS, 0, decoded->row == ARMM_CPSID, GET('f')); return true;
    case ARMM_MRS:
        if (GET('d') == ARM_SP) return false;
        make(op, ARMM_OP_MRS, GET('d'), 0, GET('z'));
        return true;
    case ARMM_MSR: make(op, ARMM_OP_MSR, 0, GET('n'), GET('z')); return true;
    case ARMM_TBB:
    case ARMM_TBH:
        if (!is_first(core, pc)) return false;
        make(op, decoded->row == ARMM_TBB ? ARMM_OP_TBB : ARMM_OP_TBH, GET('m'),
             GET('n') == ARM_PC ? ARMM_R_ZERO : GET('n'), GET('n') == ARM_PC ? pc + 4 : 0);
        return true;
    case ARMM_LDRD_WORD:
        if ((decoded->data & 3) || decoded->data > INT16_MAX - 8) return false;
        make(op, ARMM_OP_LDRD_I, GET('t'), ARMM_R_ZERO, 0);
        op->a = (uint8_t)GET('u');
        op->offset = (int16_t)decoded->data;
        return true;
    case ARMM_MOVW: make(op, ARMM_OP_MOV_I, GET('d'), 0, GET('j') << 12 | GET('i')); return true;
    case ARMM_MLA:
    case ARMM_MLS:
        make(op, decoded->row == ARMM_MLA ? ARMM_OP_MLA : ARMM_OP_MLS, GET('d'), GET('n'), 0);
        op->m = (uint8_t)GET('m');
        op->a = (uint8_t)GET('a');
        return true;
    case ARMM_UBFX:
    case ARMM_SBFX:
        make(op, decoded->row == ARMM_UBFX ? ARMM_OP_UBFX : ARMM_OP_SBFX, GET('d'), GET('n'), 0);
        op->by = (uint8_t)(31 - GET('i') - GET('w'));
        op->a = (uint8_t)(31 - GET('w'));
        return true;
    case ARMM_BX: make(op, ARMM_OP_BX, 0, 0, GET('m')); return true;
    case ARMM_BLX: make(op, ARMM_OP_BLX, 0, !is_first(core, pc), GET('m')); return true;
    case ARMM_IT: make(op, ARMM_OP_IT, 0, 0, 0); return true;
    case ARMM_NOP:
    case ARMM_NOP_W:
    case ARMM_YIELD:
    case ARMM_YIELD_W:
    case ARMM_DBG:
    case ARMM_PLD_WORD:
    case ARMM_PLD_IMM:
    case ARMM_PLD_NEG:
    case ARMM_PLD_REG:
    case ARMM_PLI_WORD:
    case ARMM_PLI_IMM:
    case ARMM_PLI_NEG:
    case ARMM_PLI_REG:
    case ARMM_DMB:
    case ARMM_DSB:
    case ARMM_ISB: make(op, ARMM_OP_NOP, 0, 0, 0); return true;
    default: return false;
    }
}

/* Slow ones that may jump, sleep, raise or change what may be taken: their chain ends with them. */
static bool ends_slow(const oak_decoded *decoded)
{
    switch (decoded->row) {
    case ARMM_SVC:
    case ARMM_BKPT:
    case ARMM_UDF:
    case ARMM_UDF_W:
    case ARMM_WFI:
    case ARMM_WFI_W:
    case ARMM_WFE:
    case ARMM_WFE_W:
    case ARMM_BLX:
    case ARMM_ADD_HIGH:
    case ARMM_MOV_HIGH: return true;
    default: return decoded->flow != OAK_FLOW_NEXT || decoded->state;
    }
}

static uint32_t own_cycles(const oak_core *core, const oak_decoded *decoded, const armm_op *op)
{
    unsigned row = decoded->row;
    uint32_t cycles = (core->v7 ? armv7m_rows : armv6m_rows)[row].cycles;
    switch (row) {
    case ARMM_B:
    case ARMM_B_W: return 1 + armm_refill(core, decoded->target);
    case ARMM_BL: return (core->v7 ? 1 : 2) + armm_refill(core, decoded->target);
    case ARMM_BX:
    case ARMM_BLX:
    case ARMM_TBB:
    case ARMM_TBH: return row == ARMM_TBB || row == ARMM_TBH ? 2 : 1; /* and the refill when it jumps */
    default: break;
    }
    if (!has_list(row) || op->handler == ARMM_OP_SLOW || op->handler == ARMM_OP_SLOW_END) return cycles;
    uint32_t list = arm_list(&core->kit.tables->shape[row], (uint32_t)decoded->word);
    if (list >> ARM_PC && !core->v7) cycles++; /* 4 + N against 1 + N, two of which are the refill */
    for (; list; list &= list - 1) cycles++;
    return cycles;
}

static unsigned fault_operation(const oak_core *core, uint32_t pc, unsigned size)
{
    const armm_region *region = armm_region_at(core, pc);
    if (!region || pc - region->base + size > region->size) return ARMM_OP_OUTSIDE;
    if (region->writable) return 0;
    for (unsigned i = 0; i < size; i++) {
        uint8_t known = region->known[pc - region->base + i];
        if (known != 1) return known ? ARMM_OP_DATA : ARMM_OP_UNPROGRAMMED;
    }
    return 0;
}

/* The number an operation has for instructions of 32 bits. */
static uint16_t wide_operation(unsigned operation)
{
    OAK_INVARIANT(operation >= ARMM_FIRST_BOTH);
    return (uint16_t)(operation < ARMM_FIRST_WIDE ? operation + ARMM_FIRST_WIDE - ARMM_FIRST_BOTH
                                                  : operation);
}

/* Makes the operation for the instruction at pc in the it state `state`; *cycles are its own. */
static void make_one(oak_core *core, uint32_t pc, uint32_t state, armm_op *op, oak_decoded *decoded,
                     uint32_t *cycles)
{
    const armm_region *region = armm_region_at(core, pc);
    uint8_t bytes[4] = {0};
    size_t available = 0;
    while (region && available < 4 && pc - region->base + available < region->size) {
        bytes[available] = region->bytes[pc - region->base + available];
        available++;
    }
    oak_status status = arm_decode(core->kit.tables, bytes, available, pc, state, decoded);
    unsigned fault = fault_operation(core, pc, decoded->size);
    *cycles = 1;
    if (fault || status) {
        decoded->flow = OAK_FLOW_COMPUTED;
        decoded->state_after = (uint8_t)arm_it_next(state);
        make(op, fault ? fault : ARMM_OP_RESERVED, 0, 0, pc);
        return;
    }
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    bool made = (decoded->has_target && make_jump(core, op, decoded, pc)) || make_plain(core, op, decoded) ||
                make_constant(core, op, decoded) || make_logic(core, op, decoded) ||
                make_other(core, op, decoded, pc) || make_offset(core, op, decoded) ||
                make_index(core, op, decoded) || make_list(core, op, decoded) ||
                make_dual(op, decoded, pattern) ||
                make_shift(op, decoded, pattern, sets_flags(core->kit.tables, decoded));
    if (!made) make_slow(op, decoded, ends_slow(decoded));
    *cycles = own_cycles(core, decoded, op);
    if (decoded->size == 4) op->handler = wide_operation(op->handler);
}

/* Of an operation that has two numbers, that for 16 bits. */
static unsigned narrow_operation(unsigned operation)
{
    bool both =
        operation >= ARMM_FIRST_WIDE && operation < ARMM_FIRST_WIDE + (ARMM_FIRST_WIDE - ARMM_FIRST_BOTH);
    return both ? operation - (ARMM_FIRST_WIDE - ARMM_FIRST_BOTH) : operation;
}

bool armm_ends_chain(unsigned handler)
{
    unsigned narrow = narrow_operation(handler);
    return (narrow >= ARMM_OP_SINGLE && narrow <= ARMM_OP_RESERVED) ||
           (narrow >= ARMM_OP_SLOW_END && narrow <= ARMM_OP_BLE) ||
           (narrow >= ARMM_OP_CBZ && narrow <= ARMM_OP_MOV_PC) ||
           (narrow >= ARMM_OP_BL && narrow <= ARMM_OP_TBH);
}

/* ------------------------------------------------------------------------------------------ chains */

/* The condition in front of an operation that stands in an it block. */
static void make_conditional(armm_op *op, uint32_t state, unsigned size)
{
    unsigned condition = state >> 4;
    uint64_t second = (uint64_t)op->handler << ARMM_SECOND_AT;
    if (condition >= ARM_ALWAYS) return;
    op->handler = (uint16_t)((size == 4 ? ARMM_OP_IF_EQ_W : ARMM_OP_IF_EQ) + condition);
    op->cost = second;
}

/* The flags an operation between registers writes and reads; `plain` is the same without flags, `carry_alone` with that one. One that
 * does anything else, so that somebody could look at the flags behind it, is none of these. */
enum { NZ = 3, C = 4, V = 8 };
typedef struct flag_use {
    bool pure;
    uint8_t writes, keeps /* of those it writes: at times */, reads;
    uint16_t plain, carry_alone; /* DECODE: there is none */
} flag_use;

/* The same for operations on shifted registers: in the order of their list, five each, RRX the last. */
static flag_use flag_use_of_shifted(unsigned number)
{
    enum { ADC = 6, AND = 10, CMP = 22, CMN = 23, RRX = 4 };
    unsigned operation = number / 5, kind = number % 5;
    bool sets = operation >= CMP || operation % 2,
         sums = operation < AND || operation == CMP || operation == CMN,
         carries = operation >= ADC && operation < AND;
    return (flag_use){
        .pure = true,
        .writes = sets ? NZ | C | (sums ? V : 0) : 0,
        .reads = carries || kind == RRX ? C : 0,
        .plain = (uint16_t)(sets && operation < CMP ? ARMM_OP_ADD_LSL + number - 5 : ARMM_OP_DECODE)};
}

static flag_use flag_use_of(unsigned natural)
{
    unsigned narrow = narrow_operation(natural), wide = natural - narrow;
    flag_use use = {.pure = true};
    if (natural >= ARMM_OP_ADD_LSL && natural <= ARMM_OP_TEQ_RRX)
        return flag_use_of_shifted(natural - ARMM_OP_ADD_LSL);
    switch (narrow) {
    case ARMM_OP_NOP:
    case ARMM_OP_IT:
    case ARMM_OP_MOV_I:
    case ARMM_OP_MOV_R:
    case ARMM_OP_MVN_R:
    case ARMM_OP_LSL_I:
    case ARMM_OP_LSR_I:
    case ARMM_OP_ASR_I:
    case ARMM_OP_ADD_R:
    case ARMM_OP_ADD_I:
    case ARMM_OP_SUB_R:
    case ARMM_OP_SUB_I:
    case ARMM_OP_RSB_I:
    case ARMM_OP_AND_R:
    case ARMM_OP_ORR_R:
    case ARMM_OP_EOR_R:
    case ARMM_OP_BIC_R:
    case ARMM_OP_MUL:
    case ARMM_OP_SXTH:
    case ARMM_OP_SXTB:
    case ARMM_OP_UXTH:
    case ARMM_OP_UXTB:
    case ARMM_OP_UBFX:
    case ARMM_OP_SBFX:
    case ARMM_OP_BFI:
    case ARMM_OP_BFC:
    case ARMM_OP_MOVT:
    case ARMM_OP_CLZ:
    case ARMM_OP_RBIT:
    case ARMM_OP_REV:
    case ARMM_OP_REV16:
    case ARMM_OP_REVSH:
    case ARMM_OP_LSL_R:
    case ARMM_OP_LSR_R:
    case ARMM_OP_ASR_R:
    case ARMM_OP_ROR_R:
    case ARMM_OP_ROR_I:
    case ARMM_OP_RSB_R:
    case ARMM_OP_AND_I:
    case ARMM_OP_ORR_I:
    case ARMM_OP_EOR_I:
    case ARMM_OP_BIC_I:
    case ARMM_OP_ORN_I:
    case ARMM_OP_ORN_R: return use;
    case ARMM_OP_ADC_I:
    case ARMM_OP_ADC_R:
    case ARMM_OP_SBC_R:
    case ARMM_OP_RRX: use.reads = C; return use;
    case ARMM_OP_MULS: use.writes = NZ, use.plain = ARMM_OP_MUL; return use;
    case ARMM_OP_TST_I:
    case ARMM_OP_TEQ_I:
    case ARMM_OP_TEQ_R:
    case ARMM_OP_TST_R: use.writes = NZ; return use;
    case ARMM_OP_TST_C:
    case ARMM_OP_TEQ_C: use.writes = NZ | C; return use;
    case ARMM_OP_MOVS_C: use.writes = NZ | C, use.plain = ARMM_OP_MOV_I_W; return use;
    case ARMM_OP_ANDS_C:
    case ARMM_OP_ORRS_C:
    case ARMM_OP_EORS_C:
    case ARMM_OP_BICS_C:
    case ARMM_OP_ORNS_C: use.writes = NZ | C, use.plain = (uint16_t)(natural - 2); return use;
    case ARMM_OP_CMN_I:
    case ARMM_OP_CMP_R:
    case ARMM_OP_CMP_I:
    case ARMM_OP_CMN_R: use.writes = NZ | C | V; return use;
    case ARMM_OP_MOVS_I:
    case ARMM_OP_MOVS_R:
    case ARMM_OP_MVNS_R:
    case ARMM_OP_ANDS_R:
    case ARMM_OP_ORRS_R:
    case ARMM_OP_EORS_R:
    case ARMM_OP_BICS_R:
    case ARMM_OP_ANDS_I:
    case ARMM_OP_ORRS_I:
    case ARMM_OP_EORS_I:
    case ARMM_OP_BICS_I:
    case ARMM_OP_ORNS_I:
    case ARMM_OP_ORNS_R: use.writes = NZ; break;
    case ARMM_OP_LSLS_R:
    case ARMM_OP_LSRS_R:
    case ARMM_OP_ASRS_R:
    case ARMM_OP_RORS_R: use.writes = NZ | C, use.keeps = C; break;
    case ARMM_OP_RRXS: use.reads = C, use.writes = NZ | C; break;
    case ARMM_OP_RORS_I:
    case ARMM_OP_LSLS_I:
    case ARMM_OP_LSRS_I:
    case ARMM_OP_ASRS_I: use.writes = NZ | C; break;
    case ARMM_OP_ADCS_R:
    case ARMM_OP_SBCS_R:
    case ARMM_OP_ADCS_I:
        use.reads = C;
        use.writes = NZ | C | V;
        use.carry_alone = (uint16_t)(narrow + 1 + wide); /* it stands behind */
        break;
    case ARMM_OP_ADDS_R:
    case ARMM_OP_ADDS_I:
    case ARMM_OP_SUBS_R:
    case ARMM_OP_SUBS_I:
    case ARMM_OP_RSBS_R:
    case ARMM_OP_RSBS_I: use.writes = NZ | C | V; break;
    default: return (flag_use){0};
    }
    use.plain = (uint16_t)(narrow - 1 + wide); /* it stands in front */
    return use;
}

enum { FLAGS_LOOK_AHEAD = 16 };

/* The flags that the operation at a slot writes and that somebody may ask for before they are written again. */
static unsigned flags_wanted(const oak_core *core, uint32_t at)
{
    unsigned wanted = flag_use_of(core->natural[at].handler).writes, asked = 0;
    for (uint32_t next = at;;) {
        next += armm_step(core->natural[next].handler) / STEP;
        if (next - at >= FLAGS_LOOK_AHEAD || core->kit.stop_at[next]) return asked | wanted;
        flag_use use = flag_use_of(core->natural[next].handler);
        if (!use.pure) return asked | wanted;
        asked |= use.reads & wanted;
        wanted &= ~(unsigned)(use.writes & ~use.keeps) & ~asked;
        if (!wanted) return asked;
    }
}

/* The first of the four operations that fuse a comparison with this jump; DECODE where there are none. */
static unsigned fused_with(unsigned branch)
{
    static const uint16_t branches[] = {
#define X(name, condition) ARMM_OP_##name,
        ARMM_FUSED(X)
#undef X
    };
    for (unsigned i = 0; i < sizeof branches / sizeof *branches; i++)
        if (branches[i] == branch) return ARMM_BEFORE_FUSED + 4 * i;
    return ARMM_OP_DECODE;
}

/* Flags that are overwritten before they are asked for are not made, and a comparison becomes one operation with the jump behind it,
 * and with an addition before it. Only inside a chain and where no stop point lies between. `natural` keeps what each
 * is by itself. */
static void fuse(oak_core *core, uint32_t at)
{
    armm_op *op = core->ops + at;
    const armm_natural *natural = core->natural + at;
    unsigned length = armm_step(natural->handler) / STEP;
    const armm_natural *next = natural + length;
    const uint8_t *stop_at = core->kit.stop_at + at;
    if (armm_ends_chain(natural->handler) || stop_at[0] || stop_at[length] || core->kit.judged.count) return;
    flag_use use = flag_use_of(natural->handler);
    unsigned wanted = use.plain != ARMM_OP_DECODE ? flags_wanted(core, at) : use.writes;
    if (use.plain != ARMM_OP_DECODE && !wanted) op->handler = use.plain;
    else if (use.carry_alone != ARMM_OP_DECODE && wanted == C) op->handler = use.carry_alone;
    if (length != 1 || armm_step(next->handler) != STEP) return;
    if (natural->handler == ARMM_OP_SUBS_I && next->handler == ARMM_OP_BNE) op->handler = ARMM_OP_SUBS_I_BNE;
    unsigned direct = fused_with(next->handler);
    if (direct != ARMM_OP_DECODE && natural->handler == ARMM_OP_CMP_R) op->handler = (uint16_t)direct;
    if (direct != ARMM_OP_DECODE && natural->handler == ARMM_OP_CMP_I) op->handler = (uint16_t)(direct + 1);
    if (armm_ends_chain(next->handler) || stop_at[2] || armm_step(natural[2].handler) != STEP) return;
    unsigned third = fused_with(natural[2].handler);
    bool adds = op->handler == ARMM_OP_ADD_R || op->handler == ARMM_OP_ADD_I;
    if (third == ARMM_OP_DECODE || !adds || op->d == ARM_SP) return;
    if (next->handler == ARMM_OP_CMP_R)
        op->handler = (uint16_t)(third + (op->handler == ARMM_OP_ADD_R ? 2 : 3));
    else if (next->handler == ARMM_OP_CMP_I && natural[2].handler == ARMM_OP_BNE &&
             op->handler == ARMM_OP_ADD_I)
        op->handler = ARMM_OP_ADD_I_CMP_I_BNE;
}

/* Decodes from *slot to the end of the chain, or to where something decoded goes on; then gives every operation
 * on the way what is left of the chain. Until then each holds its own cost. *slot and the it state move on. */
static void decode_chain(oak_core *core, uint32_t *slot_, uint32_t *state_)
{
    uint32_t first = *slot_, slot = first, pc = armm_pc_of(core, core->ops + first), state = *state_;
    uint64_t total = 0;
    for (bool ends = false; !ends;) {
        armm_op *op = core->ops + slot;
        if (core->natural[slot].handler != ARMM_OP_DECODE && !state) {
            total += op->cost;
            break;
        }
        oak_decoded decoded;
        uint32_t cycles, before = state;
        make_one(core, pc, state, op, &decoded, &cycles);
        unsigned length = decoded.size / 2u;
        ends = armm_ends_chain(op->handler);
        bool never = op->handler >= ARMM_OP_OUTSIDE && op->handler <= ARMM_OP_RESERVED;
        if (op->handler == ARMM_OP_OUTSIDE) before = decoded.state_after = 0; /* the end of the memory */
        uint32_t used = core->watched_registers && !never
                            ? armm_may_use(core, pc) | (before || decoded.state_after ? 1u << ARMM_XPSR : 0)
                            : 0;
        op->cost = 0;
        bool behind = core->natural[slot + length].handler != ARMM_OP_DECODE && !decoded.state_after;
        bool too_long = armm_count(total) >= ARMM_LONGEST_CHAIN ||
                        (!ends && behind && armm_count(core->ops[slot + length].cost) >= ARMM_LONGEST_CHAIN);
        if ((used & core->watched_registers) || too_long) { /* watched, or two chains are to be parted here */
            make(op, ARMM_OP_SINGLE, 0, 0, 0);
            ends = true;
        } else if (before) {
            make_conditional(op, before, decoded.size);
        }
        state = decoded.state_after;
        core->natural[slot] = (armm_natural){op->handler, (uint8_t)before};
        if (core->judged_by) core->judged_by[slot] = armm_may_change(core, pc, before || decoded.state_after);
        bool counts = op->handler != ARMM_OP_SINGLE && narrow_operation(op->handler) != ARMM_OP_PARKED &&
                      (before || !never);
        if (counts) op->cost += armm_one(cycles);
        total += op->cost;
        if (core->kit.stop_at[slot]) op->handler = ARMM_OP_STOP;
        const armm_region *region = armm_region_at(core, pc);
        if (region && region->writable) {
            if (pc < core->ram_code_low) core->ram_code_low = pc;
            if (pc + 4 > core->ram_code_high) core->ram_code_high = pc + 4;
        }
        slot += length;
        pc += decoded.size;
    }
    enum { BELOW_SECOND = 1 };
    const uint64_t low = ((uint64_t)BELOW_SECOND << ARMM_SECOND_AT) - 1;
    total &= low;
    for (uint32_t at = first; at < slot;) {
        armm_op *op = core->ops + at;
        uint64_t own = op->cost & low;
        fuse(core, at);
        op->cost = (op->cost & ~low) | total;
        total -= own;
        if (armm_ends_chain(core->natural[at].handler)) break;
        at += armm_step(core->natural[at].handler) / STEP;
    }
    *slot_ = slot;
    *state_ = state;
}

/* Decodes the chain at `start`, and those behind it that begin inside its it block. */
void armm_decode_chain(oak_core *core, armm_op *start)
{
    uint32_t slot = (uint32_t)(start - core->ops), state = 0;
    core->kit.decoded = true;
    do decode_chain(core, &slot, &state);
    while (state);
    if (core->ram_code_high) armm_set_windows(core);
}

armm_single *armm_single_at(oak_core *core, uint32_t pc)
{
    armm_single *single = &core->single[pc >> 1 & (ARMM_SINGLES - 1)];
    if (!single->known || single->pc != pc || single->it != core->it) {
        oak_decoded decoded;
        const armm_region *region = armm_region_at(core, pc);
        memset(single, 0, sizeof *single);
        make_one(core, pc, core->it, &single->op, &decoded, &single->cycles);
        single->pc = pc;
        single->it = core->it;
        single->it_after = decoded.state_after;
        single->size = decoded.size;
        single->known = region && !region->writable;
    }
    return single;
}

void armm_decode_single(oak_core *core, uint32_t pc)
{
    const armm_single *single = armm_single_at(core, pc);
    armm_op *op = core->one;
    uint32_t cycles = single->cycles;
    *op = single->op;
    core->it_after = single->it_after;
    bool fault = op->handler >= ARMM_OP_OUTSIDE && op->handler <= ARMM_OP_RESERVED;
    if (core->it && !armm_holds(core->it >> 4, core->nz, core->c, core->v)) {
        op->handler = single->size == 4 ? ARMM_OP_NOP_W : ARMM_OP_NOP;
        cycles = 1;
        fault = false;
    }
    op->cost = fault || narrow_operation(op->handler) == ARMM_OP_PARKED ? 0 : armm_one(cycles);
}

/* ------------------------------------------------------------------------------------------ forgetting, stop points */

static void forget_slots(oak_core *core, uint32_t from, uint32_t to)
{
    for (uint32_t i = from; i < to; i++) {
        core->ops[i] = (armm_op){.handler = core->kit.stop_at[i] ? ARMM_OP_STOP : ARMM_OP_DECODE};
        core->natural[i] = (armm_natural){ARMM_OP_DECODE, 0};
    }
}

static void put_ends(oak_core *core)
{
    for (unsigned i = 0; i < core->region_count; i++) {
        uint32_t slot = core->region[i].first_slot + core->region[i].size / 2;
        for (uint32_t k = slot; k < slot + 2; k++) {
            core->ops[k] = (armm_op){.handler = ARMM_OP_OUTSIDE};
            core->natural[k] = (armm_natural){ARMM_OP_OUTSIDE, 0};
        }
    }
    core->ops[core->kit.slots - 1] = (armm_op){.handler = ARMM_OP_OUTSIDE};
    core->natural[core->kit.slots - 1] = (armm_natural){ARMM_OP_OUTSIDE, 0};
}

void armm_forget_singles(oak_core *core)
{
    memset(core->single, 0, sizeof core->single);
}

void armm_fold_counts(oak_core *core)
{
    if (!core->kit.counting) return;
    OAK_INVARIANT(core->kit.counts && core->kit.tallies.at);
    core->kit.counting = false;
    for (uint32_t start = 0; start < core->kit.slots; start++) {
        armm_counted *counted = (armm_counted *)(void *)(core->kit.counts + start * sizeof(armm_op));
        uint64_t times = (uint64_t)counted->entered;
        if (counted->more) oak_tallies_add(&core->kit.tallies, start, 0, (uint64_t)counted->more);
        for (uint32_t slot = start; times && core->natural[slot].handler != ARMM_OP_DECODE;) {
            unsigned natural = core->natural[slot].handler;
            uint64_t cost = core->ops[slot].cost;
            bool conditional =
                narrow_operation(natural) >= ARMM_OP_IF_EQ && narrow_operation(natural) <= ARMM_OP_IF_LE;
            bool ends = armm_ends_chain(conditional ? armm_second(cost) : natural);
            uint32_t next = slot + armm_step(natural) / STEP;
            if (!ends) cost -= core->ops[next].cost;
            if (armm_count(cost))
                oak_tallies_add(&core->kit.tallies, slot, times * armm_count(cost),
                                times * armm_cycles(cost));
            if (ends) break;
            slot = next;
        }
        *counted = (armm_counted){0};
    }
}

void armm_forget(oak_core *core)
{
    armm_fold_counts(core);
    armm_forget_singles(core);
    if (core->kit.decoded) forget_slots(core, 0, core->kit.slots);
    core->kit.decoded = false;
    put_ends(core);
    core->ram_code_low = UINT32_MAX;
    core->ram_code_high = 0;
    armm_set_windows(core);
}

/* Code in RAM was written over: all of it is forgotten, and decoded again when it is reached. Direct jumps from elsewhere
 * lead to the same operations and stay right. */
void armm_forget_ram(oak_core *core)
{
    if (core->ram_code_low >= core->ram_code_high) return; /* none was decoded there */
    for (unsigned i = 0; i < core->region_count; i++) {
        const armm_region *region = &core->region[i];
        if (!region->writable) continue;
        forget_slots(core, region->first_slot, region->first_slot + region->size / 2);
    }
    core->ram_code_low = UINT32_MAX;
    core->ram_code_high = 0;
    armm_set_windows(core);
}

oak_status armm_set_stop(oak_core *core, uint32_t address, bool on)
{
    armm_op *op = armm_op_at(core, address & ~(uint32_t)1);
    uint32_t slot = (uint32_t)(op - core->ops);
    if (slot == core->kit.slots - 1) return OAK_OUT_OF_RANGE;
    core->kit.stop_at[slot] = on;
    for (uint32_t back = 1; back <= FLAGS_LOOK_AHEAD && back <= slot;
         back++) { /* what was one with it stands alone */
        uint32_t before = slot - back;
        bool fused = core->natural[before].handler != ARMM_OP_DECODE && !core->kit.stop_at[before];
        if (fused) core->ops[before].handler = core->natural[before].handler;
    }
    op->handler = on ? ARMM_OP_STOP : core->natural[slot].handler;
    return OAK_OK;
}
