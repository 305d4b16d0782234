/* mcs4_core.c — one core: its chips of RAM and their ports, the stack that goes round, registers, the loop. */
#include "isa/mcs4/mcs4.h"

/* ------------------------------------------------------------------------------------------ chips */

/* The character that the selected bank was sent the address of; NULL where that is none, or several are selected. */
static uint8_t *mcs4_selected(oak_core *core)
{
    unsigned banks = mcs4_banks(core->cl), bank = banks == 1 ? 0 : banks == 2 ? 1 : banks == 4 ? 2 : 3;
    bool one = !(banks & (banks - 1)) && core->there[bank * MCS4_CHIPS + (core->sent[bank] >> 6)];
    return one ? core->ram + bank * MCS4_BANK + core->sent[bank] : NULL;
}

/* src: all banks that are selected keep what it sends. */
static uint8_t *mcs4_send(oak_core *core)
{
    for (unsigned bank = 0; bank < MCS4_BANKS; bank++)
        if (mcs4_banks(core->cl) >> bank & 1) core->sent[bank] = core->src;
    return mcs4_selected(core);
}

/* The number of the status character that a row reaches. */
static unsigned state_of(unsigned row)
{
    return row >= MCS4_RD0 ? row - MCS4_RD0 : row - MCS4_WR0;
}

/* Access of a character or status character where several banks are selected, or a chip is not there. What several answer is their OR. */
static bool mcs4_several(oak_core *core, unsigned row)
{
    bool writes = row == MCS4_WRM || (row >= MCS4_WR0 && row <= MCS4_WR3),
         states = row != MCS4_WRM && row != MCS4_RDM && row != MCS4_ADM && row != MCS4_SBM;
    uint32_t found = 0, first = MCS4_BANKS;
    for (unsigned bank = 0; bank < MCS4_BANKS; bank++) {
        if (!(mcs4_banks(core->cl) >> bank & 1)) continue;
        if (first == MCS4_BANKS) first = bank;
        if (!core->there[bank * MCS4_CHIPS + (core->sent[bank] >> 6)]) continue;
        uint8_t *cell =
            states ? core->status + bank * MCS4_BANK_STATUS + (core->sent[bank] >> 4) * 4 + state_of(row)
                   : core->ram + bank * MCS4_BANK + core->sent[bank];
        if (writes) *cell = core->acc;
        found |= 0x100u | *cell;
    }
    if (!found) {
        core->kit.fault = OAK_FAULT_ABSENT, core->kit.fault_space = MCS4_RAM;
        core->kit.fault_address = first * MCS4_BANK + core->sent[first];
        return false;
    }
    if (writes) return true;
    unsigned sum = row == MCS4_ADM   ? core->acc + (found & 15) + core->cy
                   : row == MCS4_SBM ? core->acc + 16 - (found & 15) - core->cy
                                     : found & 15;
    if (row == MCS4_ADM || row == MCS4_SBM) core->cy = sum >> 4 & 1;
    core->acc = sum & 15;
    return true;
}

/* The ports that an instruction reaches: of the ROM chip that was sent last, or of RAM chips. */
static bool mcs4_port(oak_core *core, unsigned row, uint64_t end)
{
    kit_core *kit = &core->kit;
    uint32_t value;
    bool reached = false;
    kit->fault = OAK_FAULT_ABSENT;
    kit->fault_space = row == MCS4_WMP ? MCS4_RAMPORT : MCS4_ROMPORT;
    kit->fault_address = core->src >> 4;
    if (row == MCS4_WRR) return kit_out(core, MCS4_ROMPORT, core->src >> 4, core->acc, end);
    if (row == MCS4_RDR) {
        reached = kit_in(core, MCS4_ROMPORT, core->src >> 4, end - 1, &value);
        if (reached) core->acc = value & 15;
        return reached;
    }
    for (unsigned bank = 0; bank < MCS4_BANKS; bank++) {
        unsigned chip = bank * MCS4_CHIPS + (core->sent[bank] >> 6);
        if (!(mcs4_banks(core->cl) >> bank & 1)) continue;
        kit->fault_address = chip;
        reached = kit_out(core, MCS4_RAMPORT, chip, core->acc, end) || reached;
    }
    return reached;
}

static bool mcs4_test(oak_core *core, uint64_t now)
{
    uint32_t value;
    return kit_in(core, MCS4_ROMPORT, MCS4_TEST, now, &value) && value & 1;
}

/* ------------------------------------------------------------------------------------------ stack and what there is none of */

static void mcs4_wraps(oak_core *core, uint32_t pc, uint64_t now)
{
    core->kit.pc = pc;
    if (core->kit.setup.suffer)
        core->kit.setup.suffer(core->kit.setup.machine, OAK_FAULT_STACK_WRAP, MCS4_CODE, core->sp, now);
    core->sp = core->sp ? 0 : MCS4_LEVELS;
}

static bool no_interrupt(oak_core *core)
{
    (void)core;
    return false;
}

static uint64_t never(oak_core *core)
{
    (void)core;
    return UINT64_MAX;
}

static bool deaf(const oak_core *core)
{
    (void)core;
    return true;
}

/* ------------------------------------------------------------------------------------------ decoding */

static void fill(oak_core *core, const oak_decoded *decoded, kit_op *op)
{
    const oak_pattern *pattern = &kit_tables_of(core->kit.tables)->row[decoded->row].pattern;
#define FIELD(letter) oak_pattern_get(pattern, letter, decoded->word)
    op->x = (uint8_t)(oak_pattern_width(pattern, 'p') ? 2 * FIELD('p') : FIELD('r') | FIELD('c'));
    op->at = decoded->flow == OAK_FLOW_CALL ? decoded->address + decoded->size : FIELD('k');
#undef FIELD
}

/* Characters, status characters and ports, where they lie now. */
static unsigned more_cells(const oak_core *core, const oak_decoded *decoded, kit_reach *list, unsigned count)
{
    unsigned row = decoded->row;
    bool reads = row == MCS4_RDM || row == MCS4_ADM || row == MCS4_SBM || row == MCS4_RDR ||
                 (row >= MCS4_RD0 && row <= MCS4_RD3);
    if (row == MCS4_FIN)
        list[count++] =
            (kit_reach){MCS4_CODE,
                        KIT_READS,
                        0xFF,
                        false,
                        0,
                        0,
                        ((decoded->address + 1) & 0xF00) | (uint32_t)(core->r[0] << 4 | core->r[1]),
                        1};
    if (row == MCS4_WRR || row == MCS4_RDR)
        list[count++] =
            (kit_reach){MCS4_ROMPORT, reads ? KIT_READS : KIT_WRITES, 0x0F, false, 0, 0, core->src >> 4, 1};
    if ((row == MCS4_JCN || row == MCS4_JCN_K) &&
        oak_pattern_get(&kit_tables_of(core->kit.tables)->row[row].pattern, 'c', decoded->word) & 1)
        list[count++] = (kit_reach){MCS4_ROMPORT, KIT_READS, 1, true, 0, 0, MCS4_TEST, 1};
    if (row == MCS4_BBL) /* it was the program counter until then */
        list[count++] = (kit_reach){
            0, KIT_WRITES, 0xFF, false, 0, 0, MCS4_REG_STK0 + (core->sp + MCS4_LEVELS - 1u) % MCS4_LEVELS, 1};
    if (row < MCS4_WRM || row > MCS4_RD3 || row == MCS4_WRR || row == MCS4_RDR || row == MCS4_WPM)
        return count;
    for (unsigned bank = 0; bank < MCS4_BANKS; bank++) {
        uint8_t sent = core->sent[bank];
        if (!(mcs4_banks(core->cl) >> bank & 1)) continue;
        kit_reach one = {MCS4_RAM, reads ? KIT_READS : KIT_WRITES, 0x0F, false, 0,
                         0,        bank * MCS4_BANK + sent,        1};
        if (row == MCS4_WMP) one.space = MCS4_RAMPORT, one.address = bank * MCS4_CHIPS + (sent >> 6);
        else if ((row >= MCS4_WR0 && row <= MCS4_WR3) || row >= MCS4_RD0)
            one.space = MCS4_STATUS, one.address = bank * MCS4_BANK_STATUS + (sent >> 4) * 4u + state_of(row);
        list[count++] = one;
    }
    return count;
}

/* ------------------------------------------------------------------------------------------ the loop */

#include "isa/kit/dispatch.h"
#define CORE_TABLE "isa/mcs4/mcs4.def"
#define CORE_CASES "isa/mcs4/mcs4_cases.h"
#define CORE_SPAN  MCS4_SPAN
#define CORE_CODE  MCS4_CODE
#define CORE_EXTRA(X)
#define CORE_LOCALS                                                                                          \
    uint8_t *cell, *states;                                                                                  \
    uint32_t acc, cy, r, at = 0
#define CORE_SETTLE KIT_SETTLE(acc, cy, cell, op)
#define SAVE        (core->acc = (uint8_t)acc, core->cy = (uint8_t)cy)
#define LOAD        (acc = core->acc, cy = core->cy, cell = mcs4_selected(core))
#define BACK_TO_IT
#define CORE_LOOP(name) mcs4_##name
KIT_LOOPS(mcs4_);
#include "isa/kit/loops.h"

/* ------------------------------------------------------------------------------------------ registers */

static void reset_registers(oak_core *core)
{
    memset(core->r, 0, sizeof core->r);
    memset(core->sent, 0, sizeof core->sent);
    memset(core->stk, 0, sizeof core->stk);
    core->acc = core->cy = core->cl = core->src = core->sp = 0;
}

static oak_status read_register(const oak_core *core, unsigned reg, uint32_t *value)
{
    const uint8_t *pair = core->r + 2 * (reg - MCS4_REG_P0);
    uint8_t level = 0;
    if (reg == MCS4_REG_TEST) {
        oak_status status = kit_read_memory(core, MCS4_ROMPORT, MCS4_TEST, &level, 1);
        *value = level & 1;
        return status;
    }
    if (reg == MCS4_REG_AT) { /* of several banks the first */
        unsigned bank = 0;
        while (!(mcs4_banks(core->cl) >> bank & 1)) bank++;
        *value = bank * MCS4_BANK + core->sent[bank];
        return OAK_OK;
    }
    if (reg < MCS4_REG_P0 || reg >= MCS4_REGISTERS) return kit_read_register(core, reg, value);
    *value = (uint32_t)(pair[0] << 4 | pair[1]);
    return OAK_OK;
}

static oak_status write_register(oak_core *core, unsigned reg, uint32_t value)
{
    uint8_t *pair = core->r + 2 * (reg - MCS4_REG_P0), level = (uint8_t)value;
    if (reg >= MCS4_REGISTERS || value >> oak_isa_mcs4.about.registers[reg].bits) return OAK_OUT_OF_RANGE;
    core->kit.attention = true;
    if (reg == MCS4_REG_AT) return OAK_UNSUPPORTED;
    if (reg == MCS4_REG_TEST) return kit_write_memory(core, MCS4_ROMPORT, MCS4_TEST, &level, 1);
    if (reg < MCS4_REG_P0) return kit_write_register(core, reg, value);
    pair[0] = (uint8_t)(value >> 4), pair[1] = value & 15;
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ the whole */

/* clang-format off */
#define FILE_AT(n) [MCS4_REG_R##n] = KIT_AT(r[n])
static const struct kit_register registers_at[MCS4_REGISTERS] = {
    [MCS4_REG_ACC] = KIT_AT(acc), [MCS4_REG_CY] = KIT_AT(cy), FILE_AT(0), FILE_AT(1), FILE_AT(2), FILE_AT(3), FILE_AT(4), FILE_AT(5), FILE_AT(6), FILE_AT(7),
    FILE_AT(8), FILE_AT(9), FILE_AT(10), FILE_AT(11), FILE_AT(12), FILE_AT(13), FILE_AT(14), FILE_AT(15), [MCS4_REG_PC] = KIT_AT(kit.pc), [MCS4_REG_SP] = KIT_AT(sp),
    [MCS4_REG_STK0] = KIT_AT(stk[0]), [MCS4_REG_STK1] = KIT_AT(stk[1]), [MCS4_REG_STK2] = KIT_AT(stk[2]), [MCS4_REG_CL] = KIT_AT(cl), [MCS4_REG_SRC] = KIT_AT(src),
    [MCS4_REG_SRC0] = KIT_AT(sent[0]), [MCS4_REG_SRC1] = KIT_AT(sent[1]), [MCS4_REG_SRC2] = KIT_AT(sent[2]), [MCS4_REG_SRC3] = KIT_AT(sent[3])};
static const kit_inner inner[] = {{0}};
static const kit_arch arch = {
    .isa = &oak_isa_mcs4, .code_span = MCS4_SPAN, .core_size = sizeof(oak_core), .cycles = mcs4_cycles, KIT_LOOPS_OF(mcs4_),
    .skips = true, .fill = fill, .reset = reset_registers, .interrupt = no_interrupt, .noticed_at = never, .deaf = deaf,
    .more_cells = more_cells, .registers_at = registers_at, .inner = inner, .tape_from = offsetof(oak_core, ram), .tape_to = sizeof(oak_core)};
/* clang-format on */

static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **result)
{
    oak_core *core;
    oak_status status = kit_create(&arch, tables, setup, &core);
    if (status) return status;
    bool taken =
        kit_put_space(
            core, (kit_space){.number = MCS4_RAM, .cells = core->ram, .size = sizeof core->ram, .unit = 1}) &&
        kit_put_space(core, (kit_space){.number = MCS4_STATUS,
                                        .cells = core->status,
                                        .size = sizeof core->status,
                                        .unit = 1}) &&
        kit_take_specials(core);
    for (unsigned i = 0; i < setup->memory_count && taken; i++) {
        const oak_core_memory *memory = &setup->memories[i];
        if (memory->space == MCS4_CODE)
            taken = kit_take_space(core, MCS4_CODE, memory->base, memory->size, 0xFF, true);
        for (uint32_t at = 0; memory->space == MCS4_RAM && at < memory->size; at++)
            core->there[(memory->base + at) / 64] = true;
    }
    if (!taken) {
        kit_destroy(core);
        return OAK_NO_MEMORY;
    }
    const kit_space *code = kit_stretch(core, MCS4_CODE, 0);
    core->code = code ? code->cells : NULL;
    core->code_bytes = code ? code->size : 0;
    kit_begin(core);
    *result = core;
    return OAK_OK;
}

const oak_core_ops mcs4_core_ops = {KIT_CORE_OPS, .create = create, .read_register = read_register,
                                    .write_register = write_register};
