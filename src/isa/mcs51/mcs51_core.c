/* mcs51_core.c — one MCS-51: special registers, interrupts, operands of decoded instructions, registers, the loop. */
#include "isa/mcs51/mcs51_core.h"

/* ------------------------------------------------------------------------------------------ special registers */

static uint8_t psw_of(const oak_core *core)
{
    unsigned parity = core->a ^ core->a >> 4;
    parity = 0x6996u >> (parity & 15) & 1u;
    unsigned overflow = (core->carries >> 7 ^ core->carries >> 8) & 1u;
    return (uint8_t)(core->cy << 7 | (core->carries >> 4 & 1u) << 6 | (core->data[PSW] & 0x3A) |
                     overflow << 2 | parity);
}

static uint32_t status(const oak_core *core)
{
    return psw_of(core);
}

static void set_psw(oak_core *core, uint8_t value)
{
    core->data[PSW] = value & 0x3A;
    core->cy = value >> 7;
    core->carries = (uint32_t)(value >> 6 & 1) << 4 | (uint32_t)(value >> 2 & 1) << 7;
}

/* How far a stack may grow from anywhere: up to the next object, or the end of RAM. */
static void find_tops(oak_core *core)
{
    uint32_t last = core->ram_top;
    for (uint32_t top = 0x101; top >= 2; top--) {
        if (top <= core->ram_top && core->object[top]) last = top - 1;
        core->top_from[top - 2] = (uint8_t)last;
    }
}

static void stack_set(oak_core *core)
{
    core->stack_top = core->top_from[core->data[SP]];
}

/* True when a direct index needs more than a plain load or store. */
static bool mcs51_is_io(const oak_core *core, uint32_t at)
{
    if (at < 0x80 + SFR_AT) return false;
    return at == ACC || at == PSW || at == SP || at == IE || at == IP || at == PCON ||
           core->cell[at - 0x80 - SFR_AT] != OAK_CELL_PLAIN;
}

/* Accesses at the beginning of the cycle `now`. latch: the instruction changes and writes back. */
static uint8_t mcs51_io_read(oak_core *core, uint32_t at, bool latch, uint8_t asked, uint64_t now)
{
    if (at == ACC) return core->a;
    if (at == PSW) return psw_of(core);
    uint8_t stored = core->data[at];
    if (core->cell[at - 0x80 - SFR_AT] != OAK_CELL_DEVICE) return stored;
    return (uint8_t)core->kit.setup.device_read(core->kit.setup.machine, MCS51_SFR, at - SFR_AT, stored,
                                                latch, asked, now);
}

static void mcs51_io_write(oak_core *core, uint32_t at, uint8_t value, uint64_t now)
{
    if (at == ACC) {
        core->a = value;
        return;
    }
    if (at == PSW) {
        set_psw(core, value);
        return;
    }
    core->data[at] = value;
    if (at == SP) stack_set(core);
    if (at == IE || at == IP) core->kit.blocked = core->kit.attention = true;
    if (at == PCON) core->kit.attention = true;
    if (core->cell[at - 0x80 - SFR_AT] == OAK_CELL_DEVICE)
        core->kit.setup.device_write(core->kit.setup.machine, MCS51_SFR, at - SFR_AT, value, now);
}

/* ------------------------------------------------------------------------------------------ interrupts */

static void interrupt(oak_core *core, unsigned line, bool level, uint64_t from)
{
    if (line >= MCS51_LINES) return;
    core->line = (uint8_t)(level ? core->line | 1u << line : core->line & ~(1u << line));
    core->from[line] = from;
    core->kit.attention = true;
}

/* Something is pushed beyond stack_top, up to `top`. False when there is no RAM any more; else it may be tried again. */
static bool stack_grows(oak_core *core, uint32_t top, uint64_t now)
{
    if (top > core->ram_top) return false;
    uint32_t address = core->stack_top + 1u;
    core->stack_top = (uint8_t)core->ram_top; /* said once */
    if (core->kit.setup.suffer)
        core->kit.setup.suffer(core->kit.setup.machine, OAK_FAULT_STACK_DATA, MCS51_IRAM, address, now);
    return true;
}

/* An access to the external bus that is to be looked at: false when it is all right. */
static bool mcs51_external(const oak_core *core, uint32_t address, bool write)
{
    if (!core->external_count) return address >= core->xram_size;
    for (unsigned i = 0; i < core->external_count; i++) {
        const oak_external *one = &core->external[i];
        if (address - one->base < one->size && address >= one->base) return write && !one->writable;
    }
    return true;
}

static oak_status set_external(oak_core *core, unsigned space, const oak_external *ranges, unsigned count)
{
    if (space != MCS51_XRAM || count > sizeof core->external / sizeof *core->external)
        return OAK_OUT_OF_RANGE;
    for (unsigned i = 0; i < count; i++)
        if (ranges[i].base >= core->xram_size || ranges[i].size > core->xram_size - ranges[i].base)
            return OAK_OUT_OF_RANGE;
    for (unsigned i = 0; i < count; i++) core->external[i] = ranges[i];
    core->external_count = count;
    core->xram_plain = count ? 0 : core->xram_size;
    return OAK_OK;
}

/* What reti does beside returning, by the end of the instruction. */
static void mcs51_served(oak_core *core, uint64_t now)
{
    if (core->serving) oak_service_leave(&core->kit.log, now);
    core->serving = core->serving & 2 ? core->serving & 1 : 0;
    /* Where nothing asks, nor will before that instruction has ended, nothing is held back. */
    if (!core->line && !core->kit.attention && core->kit.next_event > now + MCS51_LONGEST) return;
    core->kit.blocked = core->kit.attention = true;
}

/* The lines that may interrupt once their time has come. */
static inline unsigned enabled(const oak_core *core)
{
    return core->data[IE] & 0x80 && !(core->serving & 2) ? core->data[IE] & 0x3F : 0;
}

/* Serves the most urgent interrupt that may be served now. False when there is none, or after a fault. */
static bool take_interrupt(oak_core *core)
{
    uint64_t now = core->kit.time.cycles;
    unsigned asks = core->line & enabled(core), ready = 0;
    if (!asks) return false;
    for (unsigned n = 0; asks >> n; n++)
        if (asks >> n & 1 && core->from[n] <= now) ready |= 1u << n;
    unsigned high = ready & core->data[IP], chosen = high ? high : core->serving ? 0 : ready, line = 0;
    if (!chosen) return false;
    while (!(chosen >> line & 1)) line++;
    uint32_t sp = core->data[SP], vector = 8 * line + 3;
    bool lost =
        !core->kit.space[MCS51_CODE].known[vector] &&
        (!core->kit.setup.suffer ||
         core->kit.setup.suffer(core->kit.setup.machine, OAK_FAULT_NO_HANDLER, MCS51_CODE, vector, now));
    if (core->kit.struck) return false; /* somebody wants to see it */
    if (sp + 2 > core->stack_top && sp + 2 <= core->ram_top) stack_grows(core, sp + 2, now);
    if (sp + 2 > core->ram_top || lost) {
        core->kit.fault = sp + 2 > core->ram_top ? OAK_FAULT_STACK_OVERFLOW : OAK_FAULT_NO_HANDLER;
        core->kit.fault_space = core->kit.fault == OAK_FAULT_NO_HANDLER ? MCS51_CODE : MCS51_IRAM;
        core->kit.fault_address = core->kit.fault == OAK_FAULT_NO_HANDLER ? vector : sp;
        core->kit.faulted = true;
        return false;
    }
    if (core->kit.observed) kit_watch_entry(core, vector);
    core->data[sp + 1] = (uint8_t)core->kit.pc;
    core->data[sp + 2] = (uint8_t)(core->kit.pc >> 8);
    core->data[SP] = (uint8_t)(sp + 2);
    core->serving |= high ? 2 : 1;
    core->served[high != 0] = (uint8_t)(line + 1);
    oak_service_enter(&core->kit.log, line + 1, vector, now);
    core->data[PCON] &= 0xFE; /* wakes from idle */
    core->kit.pc = vector;
    core->kit.time.cycles += 2;
    core->kit.attention = true;
    core->kit.next_device = core->kit.setup.acknowledge(core->kit.setup.machine, line, now);
    if (core->kit.observed) kit_watch_end(core);
    return true;
}

static uint64_t noticed_at(oak_core *core)
{
    uint64_t at = UINT64_MAX;
    unsigned asks = core->line & enabled(core);
    for (unsigned n = 0; asks >> n; n++)
        if (asks >> n & 1 && core->from[n] > core->kit.time.cycles && core->from[n] < at) at = core->from[n];
    return at;
}

static bool deaf(const oak_core *core)
{
    return !enabled(core);
}

/* Idle lasts until an interrupt; power down stops the clock for good. */
static unsigned asleep(oak_core *core)
{
    return core->data[PCON] & 2 ? 2 : core->data[PCON] & 1;
}

/* Something is pushed behind what the stack may fill without a second look. */
static bool help(oak_core *core)
{
    bool push = core->kit.row[core->kit.pc] == KIT_FIRST_ROW + MCS51_PUSH_DIR;
    uint32_t sp = core->data[SP];
    if (stack_grows(core, sp + (push ? 1u : 2u), core->kit.time.cycles)) return true;
    core->kit.fault = OAK_FAULT_STACK_OVERFLOW;
    core->kit.fault_space = MCS51_IRAM;
    core->kit.fault_address = sp;
    return false;
}

/* ------------------------------------------------------------------------------------------ decoding */

static uint16_t direct_index(uint32_t address)
{
    return (uint16_t)(address < 0x80 ? address : address + SFR_AT);
}

static uint16_t natural(const oak_core *core, uint32_t pc, uint16_t handler)
{
    const kit_op *op = &core->kit.ops[pc];
    unsigned row = handler - KIT_FIRST_ROW;
    if (core->touch[row] && mcs51_is_io(core, op->at)) return MCS51_IO;
    return row == MCS51_MOV_DIR_DIR && mcs51_is_io(core, op->to) ? MCS51_IO : handler;
}

static void fill(oak_core *core, const oak_decoded *decoded, kit_op *op)
{
    const oak_pattern *pattern = &kit_tables_of(core->kit.tables)->row[decoded->row].pattern;
#define HAS(letter)   oak_pattern_width(pattern, letter)
#define FIELD(letter) oak_pattern_get(pattern, letter, decoded->word)
    op->x = (uint8_t)(FIELD('n') | FIELD('i'));
    op->at = direct_index(FIELD('a'));
    uint32_t behind = (decoded->address + decoded->size) & 0xFFFF;
    if (decoded->flow == OAK_FLOW_CALL) op->x = (uint8_t)behind, op->y = (uint8_t)(behind >> 8);
    if (decoded->row == MCS51_MOVC_A_PC) op->at = behind;
    if (HAS('b')) {
        op->x = (uint8_t)(1u << (FIELD('b') & 7));
        op->at = direct_index(mcs51_bit_cell((uint8_t)FIELD('b')));
    }
    if (HAS('s')) op->to = direct_index(FIELD('s'));
    if (HAS('d') && core->touch[decoded->row])
        op->x = (uint8_t)FIELD('d'); /* at is taken by the direct address */
    else if (HAS('d')) op->at = FIELD('d');
#undef HAS
#undef FIELD
}

/* What a row does with its direct or bit operand. A bit is written back with the others of its byte. */
static uint8_t touch_of(const struct kit_tables *tables, unsigned row)
{
    const char *uses = mcs51_rows[row].uses;
    for (unsigned i = 0; i < tables->row[row].count; i++) {
        unsigned class = tables->row[row].class_of[i];
        bool bit = class == MCS51_BIT_ADDRESS || class == MCS51_NOT_BIT;
        if (class != MCS51_DIRECT && !bit) continue;
        if (oak_same(mcs51_rows[row].mnemonic, "xch")) return MCS51_TOUCH_EXCHANGE;
        return uses[i] == 'r'          ? MCS51_TOUCH_READ
               : uses[i] == 'b' || bit ? MCS51_TOUCH_MODIFY
                                       : MCS51_TOUCH_WRITE;
    }
    return MCS51_TOUCH_NONE;
}

/* A bit is one of a byte; movx points outside the chip, with port 2 above the register. */
static void window(const oak_core *core, const oak_decoded *decoded, kit_reach *one)
{
    if (one->space == MCS51_BIT) {
        uint8_t cell = mcs51_bit_cell((uint8_t)one->address);
        one->space = cell < 0x80 ? MCS51_IRAM : MCS51_SFR;
        one->bits = (uint8_t)(1u << (one->address & 7));
        one->address = cell;
    } else if (one->space == MCS51_IRAM &&
               (decoded->row == MCS51_MOVX_A_RI || decoded->row == MCS51_MOVX_RI_A)) {
        one->space = MCS51_XRAM;
        one->address |= (uint32_t)core->data[PORT2] << 8;
    }
}

/* Code that is read. */
static unsigned more_cells(const oak_core *core, const oak_decoded *decoded, kit_reach *list, unsigned count)
{
    if (decoded->row != MCS51_MOVC_A_DPTR && decoded->row != MCS51_MOVC_A_PC) return count;
    uint32_t base = decoded->row == MCS51_MOVC_A_PC ? decoded->address + 1
                                                    : (uint32_t)(core->data[DPH] << 8 | core->data[DPL]);
    list[count++] = (kit_reach){.space = MCS51_CODE,
                                .accesses = KIT_READS,
                                .bits = 0xFF,
                                .address = (base + core->a) & 0xFFFF,
                                .size = 1};
    return count;
}

static uint32_t bank(const oak_core *core)
{
    return core->data[PSW] & 0x18u;
}

/* ------------------------------------------------------------------------------------------ the loop */

/* Registers that matter live in locals: a, cy, carries, r (the bank). */
#include "isa/kit/dispatch.h"

#define CORE_TABLE    "isa/mcs51/mcs51.def"
#define CORE_CASES    "isa/mcs51/mcs51_cases.h"
#define CORE_SPAN     MCS51_SPAN
#define CORE_CODE     MCS51_CODE
#define CORE_EXTRA(X) X(MCS51_IO) X(MCS51_IO_DONE) X(MCS51_IO_TAKEN)
#define CORE_LOCALS                                                                                          \
    uint8_t *const data = core->data;                                                                        \
    kit_op *io_op = NULL;                                                                                    \
    uint32_t a, cy, carries, pointed = 0, io_target = 0;                                                     \
    uint64_t io_end = 0;                                                                                     \
    uint8_t *r
#define SAVE_REGISTERS (core->a = (uint8_t)a)
#define SAVE           (core->a = (uint8_t)a, core->cy = (uint8_t)cy, core->carries = carries)
#define LOAD           (a = core->a, cy = core->cy, carries = core->carries, r = data + (data[PSW] & 0x18))
#define BACK_TO_IT     (op = io_op ? io_op : op)

#define CORE_LOOP(name) mcs51_##name
KIT_LOOPS(mcs51_);
#include "isa/kit/loops.h"

/* ------------------------------------------------------------------------------------------ creating */

/* What a reset does on the chip: RAM keeps what it holds. */
static void reset_registers(oak_core *core)
{
    core->a = core->cy = 0;
    core->carries = 0;
    memset(core->data + RAM_SIZE, 0, sizeof core->data - RAM_SIZE);
    core->data[SP] = 7;
    core->line = core->serving = 0;
    stack_set(core);
}

/* ------------------------------------------------------------------------------------------ looking and changing */

static oak_status read_register(const oak_core *core, unsigned reg, uint32_t *value)
{
    if (reg == MCS51_REG_PSW) *value = psw_of(core);
    else if (reg < MCS51_REG_R0 || reg > MCS51_REG_R7) return kit_read_register(core, reg, value);
    else *value = core->data[bank(core) + reg - MCS51_REG_R0];
    return OAK_OK;
}

static oak_status write_register(oak_core *core, unsigned reg, uint32_t value)
{
    if (reg >= MCS51_REGISTERS || value >> oak_isa_mcs51.about.registers[reg].bits) return OAK_OUT_OF_RANGE;
    core->kit.attention = true;
    if (reg == MCS51_REG_PSW) set_psw(core, (uint8_t)value);
    else if (reg >= MCS51_REG_R0 && reg <= MCS51_REG_R7)
        core->data[bank(core) + reg - MCS51_REG_R0] = (uint8_t)value;
    else (void)!kit_write_register(core, reg, value); /* it is there and has so many bits */
    if (reg == MCS51_REG_SP) stack_set(core);
    return OAK_OK;
}

static uint8_t peek(const oak_core *core, unsigned space, uint32_t address, uint8_t stored)
{
    (void)space;
    if (address + SFR_AT == ACC) return core->a;
    if (address + SFR_AT == PSW) return psw_of(core);
    if (core->cell[address - 0x80] != OAK_CELL_DEVICE) return stored;
    return (uint8_t)core->kit.setup.device_read(core->kit.setup.machine, MCS51_SFR, address, stored, true, 0,
                                                core->kit.time.cycles);
}

static void poke(oak_core *core, unsigned space, uint32_t address, uint8_t value)
{
    (void)space;
    mcs51_io_write(core, address + SFR_AT, value, core->kit.time.cycles);
}

/* The stack grows upwards: where something begins is all that counts. */
static oak_status mark_object(oak_core *core, unsigned space, uint32_t address, uint32_t size)
{
    (void)size;
    if (space == MCS51_IRAM && address < sizeof core->object) core->object[address] = 1;
    find_tops(core);
    stack_set(core);
    return OAK_OK;
}

/* The vector of the interrupt that is being served, 0 in the main program. */
static unsigned exception(const oak_core *core)
{
    return core->serving ? 8u * (core->served[core->serving >> 1] - 1u) + 3 : 0;
}

/* clang-format off */
static const kit_inner inner[] = {
    KIT_INNER("line", line, UINT8_MAX), KIT_INNER("serving", serving, UINT8_MAX),
    KIT_INNER("served[0]", served[0], MCS51_LINES), KIT_INNER("served[1]", served[1], MCS51_LINES),
    KIT_INNER("from0", from[0], UINT64_MAX), KIT_INNER("from1", from[1], UINT64_MAX), KIT_INNER("from2", from[2], UINT64_MAX),
    KIT_INNER("from3", from[3], UINT64_MAX), KIT_INNER("from4", from[4], UINT64_MAX), KIT_INNER("from5", from[5], UINT64_MAX), {0}};
static const struct kit_register registers_at[MCS51_REGISTERS] = {
    [MCS51_REG_PC] = KIT_AT(kit.pc), [MCS51_REG_A] = KIT_AT(a), [MCS51_REG_B] = KIT_AT(data[B]), [MCS51_REG_SP] = KIT_AT(data[SP]),
    [MCS51_REG_DPTR] = {offsetof(oak_core, data) + DPL, 2, true}};
/* clang-format on */

static const kit_arch arch = {
    .isa = &oak_isa_mcs51,
    .code_span = MCS51_SPAN,
    .core_size = sizeof(oak_core),
    .cycles = mcs51_cycles,
    KIT_LOOPS_OF(mcs51_),
    .fill = fill,
    .natural = natural,
    .reset = reset_registers,
    .registers_at = registers_at,
    .inner = inner,
    .status = status,
    .interrupt = take_interrupt,
    .noticed_at = noticed_at,
    .deaf = deaf,
    .asleep = asleep,
    .help = help,
    .bank = bank,
    .window = window,
    .more_cells = more_cells,
    .peek = peek,
    .poke = poke,
    .taken = MCS51_IO_TAKEN,
    .tape_from = offsetof(oak_core, xram_plain),
    .tape_to = sizeof(oak_core),
};

static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **result)
{
    oak_core *core;
    oak_status status = kit_create(&arch, tables, setup, &core);
    if (status) return status;
    for (unsigned i = 0; i < setup->memory_count; i++) {
        const oak_core_memory *memory = &setup->memories[i];
        if (memory->space == MCS51_CODE) core->code_size = memory->base + memory->size;
        if (memory->space == MCS51_IRAM) core->ram_top = memory->base + memory->size - 1;
        if (memory->space == MCS51_XRAM) core->xram_size = memory->base + memory->size;
    }
    if (!kit_take_space(core, MCS51_CODE, 0, core->code_size, 0xFF, true) ||
        !kit_take_space(core, MCS51_XRAM, 0, core->xram_size, 0, false)) {
        kit_destroy(core);
        return OAK_NO_MEMORY;
    }
    find_tops(core);
    core->kit.space[MCS51_IRAM] = (kit_space){.cells = core->data, .size = core->ram_top + 1};
    core->kit.space[MCS51_SFR] =
        (kit_space){.cells = core->data + 0x80 + SFR_AT, .first = 0x80, .size = 0x80};
    core->code = core->kit.space[MCS51_CODE].cells;
    core->xram = core->kit.space[MCS51_XRAM].cells;
    core->xram_plain = core->xram_size;
    for (unsigned row = 0; row < MCS51_ROWS; row++) {
        core->takes_bit[row] = oak_pattern_width(&kit_tables_of(tables)->row[row].pattern, 'b') > 0;
        core->touch[row] = touch_of(kit_tables_of(tables), row);
    }
    for (uint32_t s = 0; s < 128; s++) core->cell[s] = setup->cell_kind(setup->machine, MCS51_SFR, 0x80 + s);
    kit_begin(core);
    *result = core;
    return OAK_OK;
}

const oak_core_ops mcs51_core_ops = {
    KIT_CORE_OPS,
    .create = create,
    .read_register = read_register,
    .write_register = write_register,
    .interrupt = interrupt,
    .exception = exception,
    .external = set_external,
    .mark_object = mark_object,
};
