/* armm_ready.c — code to ready-to-run operations: which row becomes which, chains and their cost, conditional
 * instructions in their shadows, stop points, and code in RAM that is written over. */
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

static const armm_shadow *shadow_of(const oak_core *core, const armm_op *op, unsigned *slot)
{
    for (unsigned i = 0; i * ARMM_CHUNK < core->shadow_count; i++) {
        const char *start = (const char *)core->chunk[i], *at = (const char *)op;
        if (at < start || at >= start + sizeof(armm_shadow) * ARMM_CHUNK) continue;
        size_t number = (size_t)(at - start) / STEP;
        *slot = (unsigned)(number % ARMM_SHADOW_SLOTS);
        return core->chunk[i] + number / ARMM_SHADOW_SLOTS;
    }
    return NULL;
}

static bool is_in_place(const oak_core *core, const armm_op *op)
{
    uintptr_t at = (uintptr_t)op, start = (uintptr_t)core->ops;
    return at >= start && at < start + (uintptr_t)core->kit.slots * STEP;
}

uint32_t armm_pc_of(const oak_core *core, const armm_op *op)
{
    unsigned slot;
    if (!is_in_place(core, op)) {
        const armm_shadow *shadow = shadow_of(core, op, &slot);
        if (!shadow || slot == 0) return shadow ? shadow->op[3].imm : core->kit.pc;
        return armm_pc_of(core, (const armm_op *)(const void *)((const char *)core->ops + op->imm));
    }
    uint32_t number = (uint32_t)(op - core->ops);
    if (number == core->kit.slots - 1) return core->nowhere;
    const armm_region *region = region_of_slot(core, number);
    return region->base + (number - region->first_slot) * 2;
}

void armm_settle(oak_core *core, const armm_op *op)
{
    unsigned slot;
    core->it = 0;
    if (!is_in_place(core, op)) {
        const armm_shadow *shadow = shadow_of(core, op, &slot);
        if (shadow && slot == 0) {
            core->kit.pc = shadow->op[3].imm;
            core->it = shadow->op[3].d;
            return;
        }
        op = (const armm_op *)(const void *)((const char *)core->ops + op->imm);
    }
    core->kit.pc = armm_pc_of(core, op);
    unsigned natural = core->natural[op - core->ops];
    if (natural == ARMM_OP_IF || natural == ARMM_OP_IF_END)
        core->it = core->chunk[op->imm / ARMM_CHUNK][op->imm % ARMM_CHUNK].op[3].d;
    if (natural == ARMM_OP_SINGLE) core->it = op->d;
}

armm_op *armm_in_place(oak_core *core, armm_op *op)
{
    unsigned slot;
    if (is_in_place(core, op)) return op;
    const armm_shadow *shadow = shadow_of(core, op, &slot);
    if (shadow && slot == 0) return armm_op_at(core, shadow->op[3].imm);
    return (armm_op *)(void *)((char *)core->ops + op->imm);
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
    op->handler = (uint8_t)handler;
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
    uint16_t row;
    uint8_t plain, flags; /* the operation without and with flags; NOP where there is none */
} plain_row;

/* Two registers or a register and a constant: rdn rm, rd rn rm, rd rn #imm. */
static const plain_row plain_rows[] = {
    {ARMM_MOVS_REG, ARMM_OP_MOV_R, ARMM_OP_MOVS_R}, {ARMM_ADD_REG, ARMM_OP_ADD_R, ARMM_OP_ADDS_R},
    {ARMM_SUB_REG, ARMM_OP_SUB_R, ARMM_OP_SUBS_R},  {ARMM_AND_REG, ARMM_OP_AND_R, ARMM_OP_ANDS_R},
    {ARMM_EOR_REG, ARMM_OP_EOR_R, ARMM_OP_EORS_R},  {ARMM_ORR_REG, ARMM_OP_ORR_R, ARMM_OP_ORRS_R},
    {ARMM_BIC_REG, ARMM_OP_BIC_R, ARMM_OP_BICS_R},  {ARMM_MVN_REG, ARMM_OP_MVN_R, ARMM_OP_MVNS_R},
    {ARMM_LSL_REG, ARMM_OP_NOP, ARMM_OP_LSLS_R},    {ARMM_LSR_REG, ARMM_OP_NOP, ARMM_OP_LSRS_R},
    {ARMM_ASR_REG, ARMM_OP_NOP, ARMM_OP_ASRS_R},    {ARMM_ADC_REG, ARMM_OP_NOP, ARMM_OP_ADCS_R},
    {ARMM_SBC_REG, ARMM_OP_NOP, ARMM_OP_SBCS_R},    {ARMM_TST_REG, ARMM_OP_NOP, ARMM_OP_TST_R},
    {ARMM_CMP_REG, ARMM_OP_NOP, ARMM_OP_CMP_R},     {ARMM_CMP_HIGH, ARMM_OP_NOP, ARMM_OP_CMP_R},
    {ARMM_MUL_REG, ARMM_OP_MUL, ARMM_OP_MULS},      {ARMM_MUL_W, ARMM_OP_MUL, ARMM_OP_NOP},
    {ARMM_AND_W, ARMM_OP_AND_R, ARMM_OP_ANDS_R},    {ARMM_BIC_W, ARMM_OP_BIC_R, ARMM_OP_BICS_R},
    {ARMM_ORR_W, ARMM_OP_ORR_R, ARMM_OP_ORRS_R},    {ARMM_EOR_W, ARMM_OP_EOR_R, ARMM_OP_EORS_R},
    {ARMM_ADD_W, ARMM_OP_ADD_R, ARMM_OP_ADDS_R},    {ARMM_SUB_W, ARMM_OP_SUB_R, ARMM_OP_SUBS_R},
    {ARMM_ADC_W, ARMM_OP_NOP, ARMM_OP_ADCS_R},      {ARMM_SBC_W, ARMM_OP_NOP, ARMM_OP_SBCS_R},
    {ARMM_CMP_W, ARMM_OP_NOP, ARMM_OP_CMP_R},       {ARMM_TST_W, ARMM_OP_NOP, ARMM_OP_TST_R},
    {ARMM_MOV_W, ARMM_OP_MOV_R, ARMM_OP_MOVS_R},    {ARMM_MVN_W, ARMM_OP_MVN_R, ARMM_OP_MVNS_R},
    {ARMM_SXTH, ARMM_OP_SXTH, ARMM_OP_NOP},         {ARMM_SXTB, ARMM_OP_SXTB, ARMM_OP_NOP},
    {ARMM_UXTH, ARMM_OP_UXTH, ARMM_OP_NOP},         {ARMM_UXTB, ARMM_OP_UXTB, ARMM_OP_NOP},
    {ARMM_SXTH_W, ARMM_OP_SXTH, ARMM_OP_NOP},       {ARMM_SXTB_W, ARMM_OP_SXTB, ARMM_OP_NOP},
    {ARMM_UXTH_W, ARMM_OP_UXTH, ARMM_OP_NOP},       {ARMM_UXTB_W, ARMM_OP_UXTB, ARMM_OP_NOP},
};
static const plain_row constant_rows[] = {
    {ARMM_ADD_IMM3, ARMM_OP_ADD_I, ARMM_OP_ADDS_I},  {ARMM_SUB_IMM3, ARMM_OP_SUB_I, ARMM_OP_SUBS_I},
    {ARMM_ADD_IMM8, ARMM_OP_ADD_I, ARMM_OP_ADDS_I},  {ARMM_SUB_IMM8, ARMM_OP_SUB_I, ARMM_OP_SUBS_I},
    {ARMM_MOV_IMM, ARMM_OP_MOV_I, ARMM_OP_MOVS_I},   {ARMM_CMP_IMM, ARMM_OP_NOP, ARMM_OP_CMP_I},
    {ARMM_RSB_ZERO, ARMM_OP_RSB_I, ARMM_OP_RSBS_I},  {ARMM_ADD_IMM_W, ARMM_OP_ADD_I, ARMM_OP_ADDS_I},
    {ARMM_SUB_IMM_W, ARMM_OP_SUB_I, ARMM_OP_SUBS_I}, {ARMM_RSB_IMM_W, ARMM_OP_RSB_I, ARMM_OP_RSBS_I},
    {ARMM_CMP_IMM_W, ARMM_OP_NOP, ARMM_OP_CMP_I},    {ARMM_ADDW, ARMM_OP_ADD_I, ARMM_OP_NOP},
    {ARMM_SUBW, ARMM_OP_SUB_I, ARMM_OP_NOP},
};
/* Constants whose carry matters when flags are set. */
static const plain_row logic_rows[] = {
    {ARMM_AND_IMM_W, ARMM_OP_AND_I, ARMM_OP_NOP},    {ARMM_ORR_IMM_W, ARMM_OP_ORR_I, ARMM_OP_NOP},
    {ARMM_EOR_IMM_W, ARMM_OP_EOR_I, ARMM_OP_NOP},    {ARMM_BIC_IMM_W, ARMM_OP_BIC_I, ARMM_OP_NOP},
    {ARMM_MOV_IMM_W, ARMM_OP_MOV_I, ARMM_OP_MOVS_I}, {ARMM_TST_IMM_W, ARMM_OP_NOP, ARMM_OP_TST_I},
};
typedef struct access_row {
    uint16_t row;
    uint8_t operation;
} access_row;
static const access_row offset_rows[] = {
    {ARMM_STR_IMM, ARMM_OP_STR_I},       {ARMM_LDR_IMM, ARMM_OP_LDR_I},
    {ARMM_STRB_IMM, ARMM_OP_STRB_I},     {ARMM_LDRB_IMM, ARMM_OP_LDRB_I},
    {ARMM_STRH_IMM, ARMM_OP_STRH_I},     {ARMM_LDRH_IMM, ARMM_OP_LDRH_I},
    {ARMM_STR_SP, ARMM_OP_STR_I},        {ARMM_LDR_SP, ARMM_OP_LDR_I},
    {ARMM_STR_IMM_W, ARMM_OP_STR_I},     {ARMM_LDR_IMM_W, ARMM_OP_LDR_I},
    {ARMM_STRB_IMM_W, ARMM_OP_STRB_I},   {ARMM_LDRB_IMM_W, ARMM_OP_LDRB_I},
    {ARMM_STRH_IMM_W, ARMM_OP_STRH_I},   {ARMM_LDRH_IMM_W, ARMM_OP_LDRH_I},
    {ARMM_LDRSB_IMM_W, ARMM_OP_LDRSB_I}, {ARMM_LDRSH_IMM_W, ARMM_OP_LDRSH_I},
    {ARMM_STR_NEG, ARMM_OP_STR_I},       {ARMM_LDR_NEG, ARMM_OP_LDR_I},
    {ARMM_STRB_NEG, ARMM_OP_STRB_I},     {ARMM_LDRB_NEG, ARMM_OP_LDRB_I},
    {ARMM_STRH_NEG, ARMM_OP_STRH_I},     {ARMM_LDRH_NEG, ARMM_OP_LDRH_I},
    {ARMM_LDRSB_NEG, ARMM_OP_LDRSB_I},   {ARMM_LDRSH_NEG, ARMM_OP_LDRSH_I},
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
    case ARMM_SET_ITS: return !decoded->state;
    case ARMM_SET_BIT: return oak_pattern_get(&tables->shape[decoded->row].pattern, 's', decoded->word);
    case ARMM_SET_ALWAYS:
    case ARMM_SET_OUTSIDE: return true;
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
    unsigned handler =
        sets_flags(core->kit.tables, decoded) ? plain_rows[found].flags : plain_rows[found].plain;
    bool shifted = has_letter(pattern, 'y') && (GET('y') || GET('i'));
    unsigned d = GET('d'), n = has_letter(pattern, 'n') ? GET('n') : d,
             m = has_letter(pattern, 'm') ? GET('m') : d;
    if (shifted && decoded->row == ARMM_ADD_W && !GET('y') && d != ARMM_SP && handler == ARMM_OP_ADD_R) {
        make(op, ARMM_OP_ADD_LSL, d, n, m | GET('i') << 8);
        return true;
    }
    if (handler == ARMM_OP_NOP || shifted || d == ARMM_SP) return false;
    make(op, handler, d, n, m);
    return true;
}

static bool make_constant(oak_core *core, armm_op *op, const oak_decoded *decoded)
{
    const armm_shape *shape = &core->kit.tables->shape[decoded->row];
    const oak_pattern *pattern = &shape->pattern;
    uint32_t word = (uint32_t)decoded->word, value = GET('i');
    int carry = -1;
    FIND(constant_rows, decoded->row);
    unsigned handler =
        sets_flags(core->kit.tables, decoded) ? constant_rows[found].flags : constant_rows[found].plain;
    if (handler == ARMM_OP_NOP || GET('d') == ARMM_SP || (has_letter(pattern, 'n') && GET('n') == ARMM_PC))
        return false;
    if (shape->class_of[shape->count - 1].what == ARMM_CONST) armm_expand(GET('i'), &value, &carry);
    make(op, handler, GET('d'), has_letter(pattern, 'n') ? GET('n') : GET('d'), value);
    return true;
}

static bool make_logic(oak_core *core, armm_op *op, const oak_decoded *decoded)
{
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word, value;
    int carry;
    FIND(logic_rows, decoded->row);
    bool flags = sets_flags(core->kit.tables, decoded);
    unsigned handler = flags ? logic_rows[found].flags : logic_rows[found].plain;
    armm_expand(GET('i'), &value, &carry);
    if (handler == ARMM_OP_NOP || (flags && carry >= 0)) return false;
    make(op, handler, GET('d'), GET('n'), value);
    return true;
}

/* Loads and stores of one register other than sp and pc, with an offset or an index. */
static bool make_offset(oak_core *core, armm_op *op, const oak_decoded *decoded)
{
    const armm_shape *shape = &core->kit.tables->shape[decoded->row];
    const oak_pattern *pattern = &shape->pattern;
    uint32_t word = (uint32_t)decoded->word;
    FIND(offset_rows, decoded->row);
    const armm_class *memory = &shape->class_of[1];
    unsigned n = memory->what == ARMM_MEM_SP ? ARMM_SP : GET('n'), t = GET('t');
    if (t >= ARMM_PC || t == ARMM_SP) return false;
    uint32_t offset = GET('i') * memory->scale;
    make(op, offset_rows[found].operation, t, n, memory->what == ARMM_MEM_NEG ? 0 - offset : offset);
    return true;
}

static bool make_index(oak_core *core, armm_op *op, const oak_decoded *decoded)
{
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word;
    FIND(index_rows, decoded->row);
    if (GET('t') >= ARMM_PC || GET('t') == ARMM_SP) return false;
    unsigned scaled = has_letter(pattern, 'i') && GET('i') ? ARMM_OP_LDR_S - ARMM_OP_LDR_R : 0;
    make(op, index_rows[found].operation + scaled, GET('t'), GET('n'),
         GET('m') | (scaled ? GET('i') << 8 : 0));
    return true;
}

static bool make_shift(armm_op *op, const oak_decoded *decoded, const oak_pattern *pattern, bool flags)
{
    static const uint8_t handlers[3][2] = {
        {ARMM_OP_LSL_I, ARMM_OP_LSLS_I}, {ARMM_OP_LSR_I, ARMM_OP_LSRS_I}, {ARMM_OP_ASR_I, ARMM_OP_ASRS_I}};
    uint32_t word = (uint32_t)decoded->word;
    unsigned kind;
    switch (decoded->row) {
    case ARMM_LSL_IMM:
    case ARMM_LSL_IMM_W: kind = 0; break;
    case ARMM_LSR_IMM:
    case ARMM_LSR_IMM_W: kind = 1; break;
    case ARMM_ASR_IMM:
    case ARMM_ASR_IMM_W: kind = 2; break;
    default: return false;
    }
    uint32_t amount = GET('i') || !kind ? GET('i') : 32;
    make(op, handlers[kind][flags], GET('d'), GET('m'), amount);
    return true;
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
    case ARMM_BL: make(op, ARMM_OP_BL, 0, 0, target); return true;
    case ARMM_B_COND:
    case ARMM_B_COND_W: make(op, ARMM_OP_BEQ + GET('c'), 0, refill, near); return true;
    case ARMM_CBZ: make(op, ARMM_OP_CBZ, GET('n'), refill, near); return true;
    case ARMM_CBNZ: make(op, ARMM_OP_CBNZ, GET('n'), refill, near); return true;
    default: return false;
    }
}

/* The rest that is worth an operation of its own. */
static bool make_other(oak_core *core, armm_op *op, const oak_decoded *decoded)
{
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word, value;
    bool constant;
    switch (decoded->row) {
    case ARMM_ADD_HIGH:
        if (GET('d') == ARMM_PC || GET('d') == ARMM_SP || GET('m') == ARMM_PC) return false;
        make(op, ARMM_OP_ADD_R, GET('d'), GET('d'), GET('m'));
        return true;
    case ARMM_MOV_HIGH:
        if (GET('d') == ARMM_PC || GET('d') == ARMM_SP || GET('m') == ARMM_PC) return false;
        make(op, ARMM_OP_MOV_R, GET('d'), 0, GET('m'));
        return true;
    case ARMM_ADD_RD_SP: make(op, ARMM_OP_ADD_I, GET('d'), ARMM_SP, GET('i') * 4); return true;
    case ARMM_ADD_SP: make(op, ARMM_OP_ADD_I, ARMM_SP, ARMM_SP, GET('i') * 4); return true;
    case ARMM_SUB_SP: make(op, ARMM_OP_SUB_I, ARMM_SP, ARMM_SP, GET('i') * 4); return true;
    case ARMM_ADR:
    case ARMM_ADR_AFTER:
    case ARMM_ADR_BEFORE: make(op, ARMM_OP_MOV_I, GET('d'), 0, decoded->data); return true;
    case ARMM_LDR_WORD:
    case ARMM_LDR_WORD_W:
        value = read_known_word(core, decoded->data, &constant);
        if (!constant || GET('t') >= ARMM_PC || GET('t') == ARMM_SP || (decoded->data & 3)) return false;
        make(op, ARMM_OP_MOV_I, GET('t'), 0, value);
        return true;
    case ARMM_MOVW: make(op, ARMM_OP_MOV_I, GET('d'), 0, GET('j') << 12 | GET('i')); return true;
    case ARMM_MLA:
    case ARMM_MLS:
        make(op, decoded->row == ARMM_MLA ? ARMM_OP_MLA : ARMM_OP_MLS, GET('d'), GET('n'),
             GET('m') | GET('a') << 16);
        return true;
    case ARMM_UBFX:
    case ARMM_SBFX:
        make(op, decoded->row == ARMM_UBFX ? ARMM_OP_UBFX : ARMM_OP_SBFX, GET('d'), GET('n'),
             (31 - GET('i') - GET('w')) | (31 - GET('w')) << 8);
        return true;
    case ARMM_BX: make(op, ARMM_OP_BX, 0, 0, GET('m')); return true;
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
    case ARMM_DSB: make(op, ARMM_OP_NOP, 0, 0, 0); return true;
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
    case ARMM_MSR:
    case ARMM_CPSIE:
    case ARMM_CPSID:
    case ARMM_ISB:
    case ARMM_ADD_HIGH:
    case ARMM_MOV_HIGH: return true;
    default: return decoded->flow != OAK_FLOW_NEXT || decoded->state;
    }
}

static uint32_t own_cycles(const oak_core *core, const oak_decoded *decoded)
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
    default: return cycles;
    }
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
static uint8_t wide_operation(unsigned operation)
{
    switch (operation) {
#define X(name)                                                                                              \
    case ARMM_OP_##name: return ARMM_OP_##name##_W;
        ARMM_BOTH_LENGTHS(X)
#undef X
    default: return (uint8_t)operation;
    }
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
    oak_status status = armm_decode(core->kit.tables, bytes, available, pc, state, decoded);
    unsigned fault = fault_operation(core, pc, decoded->size);
    *cycles = 1;
    op->step = (uint8_t)(decoded->size / 2u * STEP);
    if (fault || status) {
        decoded->flow = OAK_FLOW_COMPUTED;
        decoded->state_after = (uint8_t)armm_it_next(state);
        make(op, fault ? fault : ARMM_OP_RESERVED, 0, 0, pc);
        return;
    }
    *cycles = own_cycles(core, decoded);
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    if (decoded->has_target && make_jump(core, op, decoded, pc)) return;
    if (make_plain(core, op, decoded) || make_constant(core, op, decoded) || make_logic(core, op, decoded) ||
        make_offset(core, op, decoded) || make_index(core, op, decoded) ||
        make_shift(op, decoded, pattern, sets_flags(core->kit.tables, decoded)) ||
        make_other(core, op, decoded)) {
        if (decoded->size == 4) op->handler = wide_operation(op->handler);
        return;
    }
    make_slow(op, decoded, ends_slow(decoded));
}

static bool ends_chain(unsigned natural)
{
    return natural == ARMM_OP_SLOW_END || (natural >= ARMM_OP_B && natural <= ARMM_OP_BLE) ||
           (natural >= ARMM_OP_OUTSIDE && natural <= ARMM_OP_RESERVED);
}

/* ------------------------------------------------------------------------------------------ chains */

static armm_shadow *new_shadow(oak_core *core, uint32_t *number)
{
    unsigned chunk = core->shadow_count / ARMM_CHUNK;
    if (chunk >= ARMM_MOST_CHUNKS) return NULL;
    if (!core->chunk[chunk]) {
        size_t size = sizeof(armm_shadow) * ARMM_CHUNK;
        core->chunk[chunk] = core->kit.setup.host->resize(core->kit.setup.host->context, NULL, 0, size);
        if (!core->chunk[chunk]) return NULL;
    }
    *number = core->shadow_count++;
    return core->chunk[chunk] + *number % ARMM_CHUNK;
}

/* Puts a conditional instruction into a shadow and the question in its place. */
static bool make_conditional(oak_core *core, armm_op *op, uint32_t pc, uint32_t state, uint32_t cycles,
                             bool ends)
{
    uint32_t number;
    armm_shadow *shadow = new_shadow(core, &number);
    if (!shadow) return false;
    memset(shadow, 0, sizeof *shadow);
    shadow->op[0] = *op;
    for (unsigned i = 1; i < 3; i++) {
        shadow->op[i].handler = ends ? ARMM_OP_BACK_END : ARMM_OP_BACK;
        shadow->op[i].step = STEP;
        shadow->op[i].imm = offset_of(core, op) + op->step;
    }
    shadow->op[3].imm = pc;
    shadow->op[3].d = (uint8_t)state;
    make(op, ends ? ARMM_OP_IF_END : ARMM_OP_IF, state >> 4, cycles, number);
    return true;
}

/* The cost of an operation and all behind it, to the operation in place and, when it is conditional, to its shadow. */
static void set_cost(oak_core *core, armm_op *op, unsigned natural, uint64_t cost)
{
    armm_set_cost(op, cost);
    if (natural != ARMM_OP_IF && natural != ARMM_OP_IF_END) return;
    armm_shadow *shadow = &core->chunk[op->imm / ARMM_CHUNK][op->imm % ARMM_CHUNK];
    armm_set_cost(&shadow->op[0], cost);
    uint64_t rest = cost - ((uint64_t)1 << 32 | op->n);
    armm_set_cost(&shadow->op[1], rest);
    armm_set_cost(&shadow->op[2], rest);
}

/* The operation without flags for one whose flags the next overwrites all; DECODE where there is none. */
static unsigned without_flags(unsigned natural)
{
    static const uint8_t pairs[][2] = {
        {ARMM_OP_MOVS_I, ARMM_OP_MOV_I}, {ARMM_OP_MOVS_R, ARMM_OP_MOV_R}, {ARMM_OP_MVNS_R, ARMM_OP_MVN_R},
        {ARMM_OP_LSLS_I, ARMM_OP_LSL_I}, {ARMM_OP_LSRS_I, ARMM_OP_LSR_I}, {ARMM_OP_ASRS_I, ARMM_OP_ASR_I},
        {ARMM_OP_ADDS_R, ARMM_OP_ADD_R}, {ARMM_OP_ADDS_I, ARMM_OP_ADD_I}, {ARMM_OP_SUBS_R, ARMM_OP_SUB_R},
        {ARMM_OP_SUBS_I, ARMM_OP_SUB_I}, {ARMM_OP_RSBS_I, ARMM_OP_RSB_I}, {ARMM_OP_ANDS_R, ARMM_OP_AND_R},
        {ARMM_OP_ORRS_R, ARMM_OP_ORR_R}, {ARMM_OP_EORS_R, ARMM_OP_EOR_R}, {ARMM_OP_BICS_R, ARMM_OP_BIC_R},
        {ARMM_OP_MULS, ARMM_OP_MUL}};
    for (size_t i = 0; i < sizeof pairs / sizeof *pairs; i++)
        if (pairs[i][0] == natural) return pairs[i][1];
    return ARMM_OP_DECODE;
}

static bool sets_all_flags(unsigned natural)
{
    return natural == ARMM_OP_CMP_R || natural == ARMM_OP_CMP_I || natural == ARMM_OP_ADDS_R ||
           natural == ARMM_OP_ADDS_I || natural == ARMM_OP_SUBS_R || natural == ARMM_OP_SUBS_I ||
           natural == ARMM_OP_RSBS_I;
}

/* The first of the four operations that fuse a comparison with this jump; DECODE where there are none. */
static unsigned fused_with(unsigned branch)
{
    static const uint8_t branches[] = {
#define X(name, condition) ARMM_OP_##name,
        ARMM_FUSED(X)
#undef X
    };
    for (unsigned i = 0; i < sizeof branches; i++)
        if (branches[i] == branch) return ARMM_BEFORE_FUSED + 1 + 4 * i;
    return ARMM_OP_DECODE;
}

/* Flags that the next instruction overwrites are not made, and a comparison becomes one operation with the jump behind it,
 * and with an addition before it. Only inside a chain and where no stop point lies between. `natural` keeps what each
 * is by itself. */
static void fuse(oak_core *core, uint32_t at, uint32_t end)
{
    armm_op *op = core->ops + at;
    const uint8_t *natural = core->natural;
    uint32_t next = at + op->step / STEP;
    if (next >= end || core->kit.stop_at[at] || core->kit.stop_at[next] || core->kit.judged.count) return;
    unsigned plain = without_flags(natural[at]);
    if (plain != ARMM_OP_DECODE && sets_all_flags(natural[next])) op->handler = (uint8_t)plain;
    if (op->step != STEP || core->ops[next].step != STEP) return;
    if (natural[at] == ARMM_OP_SUBS_I && natural[next] == ARMM_OP_BNE) op->handler = ARMM_OP_SUBS_I_BNE;
    unsigned direct = fused_with(natural[next]);
    if (direct != ARMM_OP_DECODE && natural[at] == ARMM_OP_CMP_R) op->handler = (uint8_t)direct;
    if (direct != ARMM_OP_DECODE && natural[at] == ARMM_OP_CMP_I) op->handler = (uint8_t)(direct + 1);
    if (next + 1 >= end || core->kit.stop_at[next + 1] || core->ops[next + 1].step != STEP) return;
    unsigned third = fused_with(natural[next + 1]);
    bool adds = op->handler == ARMM_OP_ADD_R || op->handler == ARMM_OP_ADD_I;
    if (third == ARMM_OP_DECODE || !adds || op->d == ARMM_SP) return;
    if (natural[next] == ARMM_OP_CMP_R)
        op->handler = (uint8_t)(third + (op->handler == ARMM_OP_ADD_R ? 2 : 3));
    else if (natural[next] == ARMM_OP_CMP_I && natural[next + 1] == ARMM_OP_BNE &&
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
        if (core->natural[slot] != ARMM_OP_DECODE && !state) {
            total += armm_cost(op);
            break;
        }
        oak_decoded decoded;
        uint32_t cycles, before = state;
        make_one(core, pc, state, op, &decoded, &cycles);
        ends = ends_chain(op->handler);
        bool never = op->handler >= ARMM_OP_OUTSIDE && op->handler <= ARMM_OP_RESERVED;
        if (op->handler == ARMM_OP_OUTSIDE) before = decoded.state_after = 0; /* the end of the memory */
        uint32_t used = core->watched_registers && !never
                            ? armm_may_use(core, pc) | (before || decoded.state_after ? 1u << ARMM_XPSR : 0)
                            : 0;
        if ((used & core->watched_registers) ||
            (before && !make_conditional(core, op, pc, before, cycles, ends))) {
            make(op, ARMM_OP_SINGLE, before, 0, 0); /* it is watched, or there is no memory for it */
            ends = true;
        }
        state = decoded.state_after;
        core->natural[slot] = op->handler;
        if (core->judged_by) core->judged_by[slot] = armm_may_change(core, pc, before || decoded.state_after);
        bool counts = op->handler != ARMM_OP_SINGLE && op->handler != ARMM_OP_PARKED && (before || !never);
        armm_set_cost(op, counts ? (uint64_t)1 << 32 | cycles : 0);
        total += armm_cost(op);
        if (core->kit.stop_at[slot]) op->handler = ARMM_OP_STOP;
        const armm_region *region = armm_region_at(core, pc);
        if (region && region->writable) {
            if (pc < core->ram_code_low) core->ram_code_low = pc;
            if (pc + 4 > core->ram_code_high) core->ram_code_high = pc + 4;
        }
        slot += op->step / STEP;
        pc += op->step / 8u;
    }
    for (uint32_t at = first; at < slot;) {
        armm_op *op = core->ops + at;
        uint64_t own = armm_cost(op);
        fuse(core, at, slot);
        set_cost(core, op, core->natural[at], total);
        total -= own;
        at += op->step / STEP;
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
        op->handler = ARMM_OP_NOP;
        cycles = 1;
        fault = false;
    }
    armm_set_cost(op, fault || op->handler == ARMM_OP_PARKED ? 0 : (uint64_t)1 << 32 | cycles);
}

/* ------------------------------------------------------------------------------------------ forgetting, stop points */

static void forget_slots(oak_core *core, uint32_t from, uint32_t to)
{
    for (uint32_t i = from; i < to; i++) {
        core->ops[i] =
            (armm_op){.handler = core->kit.stop_at[i] ? ARMM_OP_STOP : ARMM_OP_DECODE, .step = STEP};
        core->natural[i] = ARMM_OP_DECODE;
    }
}

static void put_ends(oak_core *core)
{
    for (unsigned i = 0; i < core->region_count; i++) {
        uint32_t slot = core->region[i].first_slot + core->region[i].size / 2;
        for (uint32_t k = slot; k < slot + 2; k++) {
            core->ops[k] = (armm_op){.handler = ARMM_OP_OUTSIDE, .step = STEP};
            core->natural[k] = ARMM_OP_OUTSIDE;
        }
    }
    core->ops[core->kit.slots - 1] = (armm_op){.handler = ARMM_OP_OUTSIDE, .step = STEP};
    core->natural[core->kit.slots - 1] = ARMM_OP_OUTSIDE;
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
        for (uint32_t slot = start; times && core->natural[slot] != ARMM_OP_DECODE;) {
            const armm_op *op = &core->ops[slot];
            uint32_t next = slot + op->step / STEP;
            unsigned natural = core->natural[slot];
            bool ends = ends_chain(natural) || natural == ARMM_OP_IF_END || natural == ARMM_OP_SINGLE;
            uint64_t own = armm_cost(op) - (ends ? 0 : armm_cost(&core->ops[next]));
            if (own >> 32)
                oak_tallies_add(&core->kit.tallies, slot, times * (own >> 32), times * (uint32_t)own);
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
    core->shadow_count = 0;
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
    for (uint32_t back = 1; back <= 2 && back <= slot; back++) { /* what was one with it stands alone again */
        uint32_t before = slot - back;
        bool fused = core->natural[before] != ARMM_OP_DECODE && !core->kit.stop_at[before];
        if (fused) core->ops[before].handler = core->natural[before];
    }
    op->handler = on ? ARMM_OP_STOP : core->natural[slot];
    return OAK_OK;
}
