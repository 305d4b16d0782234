/* picmid_core.c — one mid-range core: the register file and its banks, the stack, interrupts, sleep, registers, the loop. */
#include "isa/picmid/picmid.h"

/* ------------------------------------------------------------------------------------------ the register file */

uint32_t picmid_home(uint32_t address)
{
    uint32_t low = address % PICMID_BANK;
    bool common = low == INDF || (low >= PCL && low <= FSR) || low == PCLATH || low == INTCON || low >= 0x70;
    bool twice = low == 1 || low == 6; /* the timer and its options, port B and its directions */
    return common ? low : twice ? address & 0xFF : address;
}

static bool is_core(uint32_t home)
{
    return home == INDF || home == PCL || home == STATUS || home == PCLATH;
}

/* Where each address leads: to a cell, to a register with an effect, or nowhere. */
static void lay_file(oak_core *core)
{
    const oak_core_setup *setup = &core->kit.setup;
    for (uint32_t address = 0; address < PICMID_CELLS; address++) {
        uint32_t home = picmid_home(address), at = PICMID_ABSENT;
        oak_cell_kind kind = setup->cell_kind(setup->machine, PICMID_FILE, home);
        if (is_core(home) || home == INTCON || kind == OAK_CELL_DEVICE) at = PICMID_OTHER + home;
        else if (kind == OAK_CELL_PLAIN || home == FSR) at = home;
        for (unsigned i = 0; i < setup->memory_count && at == PICMID_ABSENT; i++)
            if (setup->memories[i].space == PICMID_FILE &&
                home - setup->memories[i].base < setup->memories[i].size)
                at = home;
        core->far[address] = (uint16_t)at;
        core->near[address / PICMID_BANK][address % PICMID_BANK] = (uint16_t)at;
        core->present[address] = at != PICMID_ABSENT;
    }
    for (unsigned bank = 0; bank < 4; bank++) core->near[bank][PICMID_BANK] = PICMID_SCRATCH;
}

static uint8_t status_of(const oak_core *core)
{
    return (uint8_t)((core->data[STATUS] & 0xF8) | (core->zero ? 0 : STATUS_Z) |
                     (core->half >> 3 & STATUS_DC) | (core->carry & STATUS_C));
}

/* The bits of `mask`; what happened to the chip is not the program's to say. */
static void picmid_set_status(oak_core *core, uint8_t value, uint8_t mask)
{
    core->data[STATUS] = (uint8_t)((core->data[STATUS] & ~(mask & 0xE0u)) | (value & mask & 0xE0u));
    if (!(mask & STATUS_Z)) return;
    core->zero = !(value & STATUS_Z);
    core->half = (uint32_t)(value & STATUS_DC) << 3;
    core->carry = value & STATUS_C;
}

/* A register with an effect, by its home, in the cycle that begins at `now`; and written at its end. */
static uint8_t picmid_read(oak_core *core, uint32_t home, uint8_t asked, uint64_t now)
{
    const oak_core_setup *setup = &core->kit.setup;
    if (home == INDF) return 0;
    if (home == PCL) return (uint8_t)(core->kit.pc + 1);
    if (home == STATUS) return status_of(core);
    uint8_t stored = core->data[home];
    if (setup->cell_kind(setup->machine, PICMID_FILE, home) != OAK_CELL_DEVICE) return stored;
    return (uint8_t)setup->device_read(setup->machine, PICMID_FILE, home, stored, false, asked, now);
}

static void picmid_write(oak_core *core, uint32_t home, uint8_t value, uint64_t now)
{
    const oak_core_setup *setup = &core->kit.setup;
    if (home == INDF) return;
    if (home == PCLATH) value &= 0x1F;
    core->data[home] = value;
    if (home == INTCON) core->kit.attention = true;
    if (setup->cell_kind(setup->machine, PICMID_FILE, home) == OAK_CELL_DEVICE)
        setup->device_write(setup->machine, PICMID_FILE, home, value, now);
}

/* Where a write to PCL leads. */
static uint32_t picmid_target(const oak_core *core, uint8_t value)
{
    return ((uint32_t)core->data[PCLATH] << 8 | value) & (PICMID_SPAN - 1);
}

/* As somebody sees it who looks on, at an address as it is; and as he changes it. */
static uint8_t peek(const oak_core *core, unsigned space, uint32_t address, uint8_t stored)
{
    const oak_core_setup *setup = &core->kit.setup;
    uint32_t home = picmid_home(address);
    if (space != PICMID_FILE) return stored;
    if (!core->present[address] || home == INDF) return 0;
    if (home == PCL) return (uint8_t)core->kit.pc;
    if (home == STATUS) return status_of(core);
    stored = core->data[home];
    if (setup->cell_kind(setup->machine, PICMID_FILE, home) != OAK_CELL_DEVICE) return stored;
    return (uint8_t)setup->device_read(setup->machine, PICMID_FILE, home, stored, true, 0,
                                       core->kit.time.cycles);
}

static void poke(oak_core *core, unsigned space, uint32_t address, uint8_t value)
{
    uint32_t home = picmid_home(address);
    if (space != PICMID_FILE || !core->present[address]) return;
    if (home == STATUS) {
        picmid_set_status(core, value, 0xE7);
        core->data[STATUS] = (uint8_t)((core->data[STATUS] & 0xE7) | (value & 0x18));
    } else if (home == PCL) core->kit.pc = picmid_target(core, value);
    else picmid_write(core, home, value, core->kit.time.cycles);
}

/* ------------------------------------------------------------------------------------------ stack and interrupts */

/* The stack goes round: what a chip suffers silently. */
static void picmid_stack_wraps(oak_core *core, uint32_t pc, uint64_t now)
{
    core->kit.pc = pc;
    if (core->kit.setup.suffer)
        core->kit.setup.suffer(core->kit.setup.machine, OAK_FAULT_STACK_WRAP, PICMID_CODE, core->sp, now);
    core->sp = core->sp ? 0 : PICMID_LEVELS;
}

static void picmid_served(oak_core *core, uint64_t now)
{
    core->data[INTCON] |= 0x80;
    if (core->serving) {
        core->serving--;
        oak_service_leave(&core->kit.log, now);
    }
    core->kit.attention = true;
}

/* The watchdog begins anew: by an instruction, or because the chip falls asleep. */
static void picmid_feed(oak_core *core, bool awake, uint64_t now)
{
    core->data[STATUS] = (uint8_t)((core->data[STATUS] & 0xE7) | STATUS_TO | (awake ? STATUS_PD : 0));
    kit_watchdog_feed(core, PICMID_WATCHDOG, now);
}

static void interrupt(oak_core *core, unsigned line, bool level, uint64_t from)
{
    kit_line(core, &core->lines, line, level, from);
}

/* Lines that wake it, and interrupt it when GIE is set. */
static uint32_t enabled(const oak_core *core)
{
    uint32_t own = (1u << PICMID_OWN) - 1, all = (1u << PICMID_WATCHDOG) - 1;
    return core->lines.asks & (core->data[INTCON] & 0x40 ? all : own);
}

/* The watchdog's time is over: true when the chip is reset, or wakes. */
static bool watchdog_bites(oak_core *core)
{
    if (!core->guarded || !kit_watchdog_over(core, &core->lines, PICMID_WATCHDOG)) return false;
    core->data[STATUS] &= (uint8_t)~STATUS_TO;
    if (core->sleeping) core->sleeping = 0; /* and goes on behind it */
    else {
        core->watchdog = 1;
        kit_watchdog_resets(core);
    }
    return true;
}

/* Before the first instruction: the configuration says whether the watchdog runs. */
static void begin(oak_core *core, uint64_t now)
{
    const uint8_t *cell = kit_cells(core, PICMID_CODE, PICMID_CONFIG, 2);
    core->begun = 1;
    core->guarded = !cell || *cell & 4;
    if (core->guarded) kit_watchdog_feed(core, PICMID_WATCHDOG, now);
}

static bool take_interrupt(oak_core *core)
{
    kit_core *kit = &core->kit;
    uint64_t now = kit->time.cycles;
    if (!core->begun) begin(core, now);
    if (watchdog_bites(core)) return true;
    uint32_t ready = kit_lines_due(core, enabled(core), &core->lines);
    if (!ready) return false;
    bool wakes = core->sleeping;
    core->sleeping = 0;
    if (wakes) kit->blocked = true; /* the instruction behind it comes first */
    if (wakes || !(core->data[INTCON] & 0x80)) return wakes;
    if (kit_handler_missing(core, PICMID_VECTOR, 1)) return false;
    if (kit->observed) kit_watch_entry(core, PICMID_VECTOR);
    if (core->sp == PICMID_LEVELS) picmid_stack_wraps(core, kit->pc, now);
    core->stk[core->sp++] = (uint16_t)kit->pc;
    core->data[INTCON] &= 0x7F;
    if (core->serving < OAK_MOST_NESTED) {
        core->serving++;
        oak_service_enter(&kit->log, 1, PICMID_VECTOR, now);
        oak_service_take_all(&kit->log, ready);
    }
    kit->pc = PICMID_VECTOR;
    kit->time.cycles += 2;
    kit->attention = true;
    if (kit->observed) kit_watch_end(core);
    return true;
}

static uint64_t noticed_at(oak_core *core)
{
    uint32_t asks = core->data[INTCON] & 0x80 || core->sleeping ? enabled(core) : 0;
    if (core->guarded) asks |= 1u << PICMID_WATCHDOG;
    return kit_lines_next(core, asks, &core->lines);
}

static bool deaf(const oak_core *core)
{
    return !(core->data[INTCON] & 0x80) && !core->sleeping && !core->guarded;
}

static unsigned asleep(oak_core *core)
{
    return core->sleeping;
}

static unsigned exception(const oak_core *core)
{
    return core->serving ? PICMID_VECTOR : 0;
}

/* ------------------------------------------------------------------------------------------ decoding */

/* Where the register of a row is the same in every bank, and is a cell. */
static bool is_everywhere(const oak_core *core, uint32_t low)
{
    uint32_t home = core->near[0][low];
    return home == low && core->near[1][low] == home && core->near[2][low] == home &&
           core->near[3][low] == home;
}

/* Writing PCL jumps, whatever else the instruction does; a jump may be one to itself. Registers that are the same in every bank. */
static uint16_t natural(const oak_core *core, uint32_t pc, uint16_t handler)
{
    const uint8_t simple = STATUS_RP | STATUS_IRP | STATUS_C; /* bits that nothing else depends on */
    unsigned row = handler - KIT_FIRST_ROW;
    const kit_op *op = &core->kit.ops[pc];
    bool writes =
        *picmid_rows[row].uses == 'b' || (*picmid_rows[row].uses == 'w' && *picmid_rows[row].operands == 'r');
    if (row == PICMID_GOTO) return op->at == (pc & 0x7FF) ? PICMID_SELF : handler;
    if (row > PICMID_BTFSS) return handler;
    if (writes && op->at == PCL) return PICMID_ENDS;
    if (op->at == STATUS && row == PICMID_BCF && op->x & simple) return PICMID_CLEAR_FLAG;
    if (op->at == STATUS && row == PICMID_BSF && op->x & simple) return PICMID_SET_FLAG;
    if (op->at == STATUS && row == PICMID_BTFSC)
        return op->x == STATUS_Z ? PICMID_ZERO_CLEAR : PICMID_FLAG_CLEAR;
    if (op->at == STATUS && row == PICMID_BTFSS) return op->x == STATUS_Z ? PICMID_ZERO_SET : PICMID_FLAG_SET;
    if (op->at == INDF) return (uint16_t)(PICMID_FIRST_POINTED + row);
    return is_everywhere(core, op->at) ? (uint16_t)(PICMID_FIRST_EVERYWHERE + row) : handler;
}

/* x is the mask of a bit, or the number of a port; at a register, an immediate, the low bits of a target. */
static void fill(oak_core *core, const oak_decoded *decoded, kit_op *op)
{
    const oak_pattern *pattern = &kit_tables_of(core->kit.tables)->row[decoded->row].pattern;
#define FIELD(letter) oak_pattern_get(pattern, letter, decoded->word)
    op->x = 0;
    if (oak_pattern_width(pattern, 'b')) op->x = (uint8_t)(1u << FIELD('b'));
    if (oak_pattern_width(pattern, 't')) op->x = (uint8_t)FIELD('t');
    op->at = FIELD('f') | FIELD('k') | FIELD('a');
    op->to = FIELD('a') * (uint32_t)sizeof *op; /* in its page, which is known when it runs */
#undef FIELD
}

static uint32_t bank_of(const oak_core *core)
{
    return (uint32_t)(core->data[STATUS] & STATUS_RP) * 4;
}

/* The cell in the bank that is selected, or what FSR points to. */
static void window(const oak_core *core, const oak_decoded *decoded, kit_reach *one)
{
    (void)decoded;
    if (one->space != PICMID_FILE) return;
    uint32_t low = one->address % PICMID_BANK;
    one->known = low != INDF && picmid_home(low) == picmid_home(low + 3 * PICMID_BANK);
    if (low == INDF) one->address = (uint32_t)(core->data[STATUS] & STATUS_IRP) * 2 + core->data[FSR];
    else one->address = low + bank_of(core);
    one->address = picmid_home(one->address);
}

/* ------------------------------------------------------------------------------------------ the loop */

#include "isa/kit/dispatch.h"
#define CORE_TABLE        "isa/picmid/picmid.def"
#define CORE_CASES        "isa/picmid/picmid_cases.h"
#define CORE_SPAN         PICMID_SPAN
#define CORE_CODE         PICMID_CODE
#define PICMID_EXTRA      KIT_EXTRA_LABEL
#define PICMID_LABELS(id) PICMID_EXTRA(PICMID_##id##_C) PICMID_EXTRA(PICMID_##id##_I)
#define CORE_EXTRA(X)                                                                                        \
    X(PICMID_ENDS)                                                                                           \
    X(PICMID_DONE)                                                                                           \
    X(PICMID_SELF)                                                                                           \
    X(PICMID_CLEAR_FLAG)                                                                                     \
    X(PICMID_SET_FLAG)                                                                                       \
    X(PICMID_ZERO_CLEAR)                                                                                     \
    X(PICMID_ZERO_SET) X(PICMID_FLAG_CLEAR) X(PICMID_FLAG_SET) PICMID_FILE_LIST(PICMID_LABELS)
#define CORE_LOCALS                                                                                          \
    const uint16_t *bank, *far;                                                                              \
    kit_op *page;                                                                                            \
    uint8_t *cell;                                                                                           \
    uint32_t w, zero, carry, half, at = 0, byte = 0
#define CORE_SETTLE    KIT_SETTLE(w, zero, carry, half)
#define SAVE_REGISTERS (core->w = (uint8_t)w)
#define SAVE           (core->w = (uint8_t)w, core->zero = zero, core->carry = carry, core->half = half)
#define LOAD                                                                                                 \
    (w = core->w, zero = core->zero, carry = core->carry, half = core->half,                                 \
     page = ops + ((uint32_t)(core->data[PCLATH] & 0x18) << 8),                                              \
     bank = core->near[core->data[STATUS] >> 5 & 3],                                                         \
     far = core->far + (core->data[STATUS] & STATUS_IRP) * 2)
#define BACK_TO_IT      EFFECT_GIVEN_UP
#define CORE_LOOP(name) picmid_##name
KIT_LOOPS(picmid_);
#include "isa/kit/loops.h"

/* ------------------------------------------------------------------------------------------ registers */

static void reset_registers(oak_core *core)
{
    uint8_t status = core->watchdog ? (core->data[STATUS] & STATUS_PD) : STATUS_TO | STATUS_PD;
    bool keeps = core->watchdog; /* w, the flags, FSR and RAM */
    if (!keeps) core->w = 0, core->data[FSR] = 0, core->zero = 1, core->carry = core->half = 0;
    core->data[STATUS] = status;
    core->data[PCLATH] = core->data[INTCON] = 0;
    core->sp = core->sleeping = core->serving = core->watchdog = core->begun = core->guarded = 0;
    if (!keeps) memset(core->stk, 0, sizeof core->stk);
    core->lines.asks = 0;
}

static oak_status read_register(const oak_core *core, unsigned reg, uint32_t *value)
{
    if (reg == PICMID_REG_STATUS) *value = status_of(core);
    else if (reg == PICMID_REG_FSR) *value = core->data[FSR];
    else if (reg == PICMID_REG_PCLATH) *value = core->data[PCLATH];
    else return kit_read_register(core, reg, value);
    return OAK_OK;
}

static oak_status write_register(oak_core *core, unsigned reg, uint32_t value)
{
    if (reg >= PICMID_REGISTERS || value >> oak_isa_picmid.about.registers[reg].bits) return OAK_OUT_OF_RANGE;
    core->kit.attention = true;
    if (reg == PICMID_REG_PC) core->sleeping = 0;
    if (reg == PICMID_REG_SP && value > PICMID_LEVELS) return OAK_OUT_OF_RANGE;
    if (reg == PICMID_REG_STATUS) poke(core, PICMID_FILE, STATUS, (uint8_t)value);
    else if (reg == PICMID_REG_FSR) core->data[FSR] = (uint8_t)value;
    else if (reg == PICMID_REG_PCLATH) core->data[PCLATH] = (uint8_t)value;
    else return kit_write_register(core, reg, value);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ the whole */

/* clang-format off */
static const struct kit_register registers_at[PICMID_REGISTERS] = {
    [PICMID_REG_PC] = KIT_AT(kit.pc), [PICMID_REG_W] = KIT_AT(w), [PICMID_REG_SP] = KIT_AT(sp),
    [PICMID_REG_STK0] = KIT_AT(stk[0]), [PICMID_REG_STK1] = KIT_AT(stk[1]), [PICMID_REG_STK2] = KIT_AT(stk[2]), [PICMID_REG_STK3] = KIT_AT(stk[3]),
    [PICMID_REG_STK4] = KIT_AT(stk[4]), [PICMID_REG_STK5] = KIT_AT(stk[5]), [PICMID_REG_STK6] = KIT_AT(stk[6]), [PICMID_REG_STK7] = KIT_AT(stk[7])};

static const kit_inner inner[] = {
    KIT_INNER("sleeping", sleeping, 1), KIT_INNER("begun", begun, 1), KIT_INNER("guarded", guarded, 1), KIT_INNER("serving", serving, OAK_MOST_NESTED), KIT_INNER("zero", zero, 0xFF), KIT_INNER("carry", carry, 1), KIT_INNER("half", half, 0x1FF),
    KIT_INNER_LINES, {0}};

static const kit_arch arch = {
    .isa = &oak_isa_picmid, .code_span = PICMID_SPAN, .core_size = sizeof(oak_core), .cycles = picmid_cycles, KIT_LOOPS_OF(picmid_),
    .skips = true, .alike = PICMID_ALIKE, .paged = true, .fill = fill, .natural = natural, .reset = reset_registers, .interrupt = take_interrupt, .noticed_at = noticed_at, .deaf = deaf,
    .asleep = asleep, .peek = peek, .poke = poke, .bank = bank_of, .window = window, .registers_at = registers_at, .inner = inner,
    .tape_from = offsetof(oak_core, data), .tape_to = sizeof(oak_core)};
/* clang-format on */

static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **core)
{
    return kit_create_filed(&arch, tables, setup, PICMID_FILE, offsetof(oak_core, data), PICMID_CELLS,
                            lay_file, core);
}

const oak_core_ops picmid_core_ops = {KIT_CORE_OPS,
                                      .create = create,
                                      .read_register = read_register,
                                      .write_register = write_register,
                                      .interrupt = interrupt,
                                      .exception = exception};
