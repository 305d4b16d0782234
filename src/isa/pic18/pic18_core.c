/* pic18_core.c — one core: data memory and its registers with effects, the stack, two priorities of interrupts, sleep, program memory that is
 * written, registers, the loop. */
#include "isa/pic18/pic18.h"

/* ------------------------------------------------------------------------------------------ data memory */

/* What lies at each address, and its bits. */
static void lay_data(oak_core *core)
{
    static const struct own {
        uint16_t address;
        uint8_t mask, kind;
    } own[] = {
#define CELL(name, address, mask, kind) {address, mask, PIC18_##kind},
#include "isa/pic18/pic18_registers.def"
    };
    const oak_core_setup *setup = &core->kit.setup;
    memset(core->mask, 0xFF, sizeof core->mask);
    memset(core->kind, PIC18_ABSENT, PIC18_CELLS);
    for (unsigned i = 0; i < setup->memory_count; i++)
        if (setup->memories[i].space == PIC18_DATA)
            memset(core->kind + setup->memories[i].base, PIC18_PLAIN, setup->memories[i].size);
    for (uint32_t address = 0; address < PIC18_CELLS; address++) {
        oak_cell_kind cell = core->kind[address] == PIC18_PLAIN
                                 ? OAK_CELL_ABSENT
                                 : setup->cell_kind(setup->machine, PIC18_DATA, address);
        if (cell)
            core->kind[address] = cell == OAK_CELL_DEVICE || address == WDTCON ? PIC18_LIVE : PIC18_PLAIN;
    }
    for (const struct own *one = own; one < own + sizeof own / sizeof *own; one++) {
        bool device = core->kind[one->address] == PIC18_LIVE;
        if (one->kind == PIC18_ABSENT) continue;
        core->mask[one->address] = one->mask;
        core->kind[one->address] = device ? PIC18_LIVE : one->kind;
    }
}

static inline uint32_t pic18_status(uint32_t nz, uint32_t carries)
{
    return (nz & 0x180 ? 0x10u : 0u) | ((carries ^ carries >> 1) & 0x80 ? 8u : 0u) | (nz & 0xFF ? 0u : 4u) |
           (carries & 0x10 ? 2u : 0u) | (carries >> 8 & 1);
}

static void set_status(oak_core *core, uint32_t value)
{
    uint32_t carry = value & STATUS_C, over = value >> 3 & 1;
    core->nz = (value & STATUS_Z ? 0u : 1u) | (value & STATUS_N ? 0x100u : 0u);
    core->carries = carry << 8 | (carry ^ over) << 7 | (value & STATUS_DC ? 0x10u : 0u);
}

/* Of a register that stands for another: the last one of its pointer, and the pointer. */
static uint32_t indf_of(uint32_t address)
{
    return address <= INDF2 ? INDF2 : address <= INDF1 ? INDF1 : INDF0;
}
static uint32_t fsr_of(uint32_t address)
{
    return indf_of(address) - (INDF2 - FSR2L);
}

/* The address of data memory that such a register leads to; moves the pointer when it is to. */
static uint32_t pic18_effective(uint8_t *data, uint8_t w, uint32_t address, bool moves)
{
    uint32_t form = indf_of(address) - address;
    uint8_t *pointer = data + fsr_of(address);
    uint32_t first = (uint32_t)(pointer[0] | pointer[1] << 8);
    uint32_t then = form == PIC18_POSTDEC                           ? first - 1
                    : form == PIC18_POSTINC || form == PIC18_PREINC ? first + 1
                                                                    : first;
    if (moves) pointer[0] = (uint8_t)then, pointer[1] = then >> 8 & 0x0F;
    if (form == PIC18_PREINC) first = then;
    if (form == PIC18_PLUSW) first += (w ^ 0x80u) - 0x80;
    return first & (PIC18_CELLS - 1);
}

/* Where a write to PCL leads. */
static uint32_t pic18_target(const oak_core *core, uint8_t value)
{
    return (uint32_t)(core->data[PCLATU] & 0x1F) << 16 | (uint32_t)core->data[PCLATH] << 8 | (value & 0xFE);
}

static bool is_device(const oak_core *core, uint32_t address)
{
    const oak_core_setup *setup = &core->kit.setup;
    return setup->cell_kind(setup->machine, PIC18_DATA, address) == OAK_CELL_DEVICE;
}

/* A register as it is; device registers apart. */
static uint8_t look_at(const oak_core *core, uint32_t address)
{
    switch (address) {
    case TOSU:
    case TOSH:
    case TOSL: return (uint8_t)((core->sp ? core->stk[core->sp - 1] : 0) >> 8 * (address - TOSL));
    case STKPTR: return (uint8_t)(core->data[STKPTR] | core->sp);
    case WREG: return core->w;
    case STATUS: return (uint8_t)pic18_status(core->nz, core->carries);
    case PCL: return (uint8_t)core->kit.pc;
    default: return core->kind[address] == PIC18_POINTER ? 0 : core->data[address];
    }
}

/* A register with an effect in the cycle that begins at `now`; and written at its end. */
static uint8_t pic18_read(oak_core *core, uint32_t address, uint8_t asked, uint64_t now)
{
    const oak_core_setup *setup = &core->kit.setup;
    uint32_t next = core->kit.pc + 2;
    if (address == PCL) { /* the low byte takes the others along */
        core->data[PCLATH] = (uint8_t)(next >> 8), core->data[PCLATU] = next >> 16 & 0x1F;
        return (uint8_t)next;
    }
    if (!is_device(core, address) || core->kind[address] == PIC18_POINTER) return look_at(core, address);
    return (uint8_t)setup->device_read(setup->machine, PIC18_DATA, address, core->data[address], false, asked,
                                       now);
}

static void feed(oak_core *core, uint64_t now)
{
    core->periods = 0;
    kit_watchdog_feed(core, PIC18_WATCHDOG, now);
}

/* What writes program memory: the same steps as EEPROM, and 2,000 cycles in which the core stands. */
static void control_memory(oak_core *core, uint32_t address, uint8_t value, uint64_t now)
{
    enum { FLASH = 0x80, CONFIGURES = 0x40, ERASES = 0x10, ALLOWS = 4, WRITES = 2 };
    if (address == EECON2) {
        bool second = core->unlocked == 1 && value == 0xAA && now - core->unlocked_at == 2;
        core->unlocked = second ? 2 : value == 0x55;
        core->unlocked_at = now;
        return;
    }
    if (!(value & WRITES) || !(value & (FLASH | CONFIGURES))) return;
    if ((value & CONFIGURES) || !(value & ALLOWS) || core->unlocked != 2 || now - core->unlocked_at != 1) {
        if (core->kit.setup.suffer)
            core->kit.setup.suffer(core->kit.setup.machine, OAK_FAULT_STAYS_LOCKED, PIC18_CODE,
                                   core->data[TBLPTRL], now);
    } else {
        core->burns = value & ERASES ? 2 : 1;
        core->kit.attention = true;
    }
    core->data[address] = value & (uint8_t) ~(WRITES | ERASES);
}

static void write_top(oak_core *core, unsigned shift, uint8_t value)
{
    uint32_t *top = &core->stk[core->sp ? core->sp - 1 : 0];
    if (core->sp) *top = ((*top & ~((uint32_t)0xFF << shift)) | (uint32_t)value << shift) & (PIC18_REACH - 2);
}

static void pic18_write(oak_core *core, uint32_t address, uint8_t value, uint64_t now)
{
    const oak_core_setup *setup = &core->kit.setup;
    if (core->kind[address] >= PIC18_POINTER) return;
    value &= core->mask[address];
    switch (address) {
    case TOSU:
    case TOSH:
    case TOSL: write_top(core, 8 * (address - TOSL), value); return;
    case STKPTR:
        core->data[STKPTR] &= value & (STKPTR_FULL | STKPTR_EMPTY); /* they can only be taken back */
        core->sp = value & 0x1F;
        return;
    case WREG: core->w = value; return;
    case STATUS: set_status(core, value); return;
    case BSR: core->data[BSR] = value & 0x0F; return;
    case PCL: return;
    default: break;
    }
    core->data[address] = value;
    if (address == INTCON || address == RCON) core->kit.attention = true;
    if (address == WDTCON && !(core->guarded & 2) && (value & 1) != core->guarded) {
        core->guarded = value & 1;
        feed(core, now);
    }
    if (!is_device(core, address)) return;
    setup->device_write(setup->machine, PIC18_DATA, address, value, now);
    if (address == EECON1 || address == EECON2) control_memory(core, address, value, now);
}

/* As somebody sees it who looks on; and as he changes it. */
static uint8_t peek(const oak_core *core, unsigned space, uint32_t address, uint8_t stored)
{
    const oak_core_setup *setup = &core->kit.setup;
    if (space != PIC18_DATA || core->kind[address] == PIC18_ABSENT) return space == PIC18_DATA ? 0 : stored;
    if (!is_device(core, address)) return look_at(core, address);
    return (uint8_t)setup->device_read(setup->machine, PIC18_DATA, address, core->data[address], true, 0,
                                       core->kit.time.cycles);
}

static void poke(oak_core *core, unsigned space, uint32_t address, uint8_t value)
{
    if (space != PIC18_DATA || core->kind[address] == PIC18_ABSENT) return;
    if (address == PCL) core->kit.pc = pic18_target(core, value) % PIC18_SPAN;
    else if (address == STKPTR) core->data[STKPTR] = value & 0xC0, core->sp = value & 0x1F;
    else pic18_write(core, address, value, core->kit.time.cycles);
}

/* movff, through whatever; returns an address where nothing is, or PIC18_CELLS. */
static uint32_t pic18_move(oak_core *core, uint32_t from, uint32_t to, uint64_t end)
{
    uint32_t source = pic18_points(from) ? pic18_effective(core->data, core->w, from, false) : from;
    if (core->kind[source] == PIC18_ABSENT) return source;
    if (!pic18_points(to) && core->kind[to] == PIC18_ABSENT) return to;
    if (pic18_points(from)) (void)pic18_effective(core->data, core->w, from, true);
    uint8_t value = pic18_read(core, source, 0xFF, end - 1);
    uint32_t target = pic18_points(to) ? pic18_effective(core->data, core->w, to, true) : to;
    if (core->kind[target] == PIC18_ABSENT) return target;
    pic18_write(core, target, value, end);
    return PIC18_CELLS;
}

/* ------------------------------------------------------------------------------------------ program memory as data */

static uint32_t table_pointer(const oak_core *core)
{
    const uint8_t *at = core->data + TBLPTRL;
    return (uint32_t)(at[0] | at[1] << 8 | (at[2] & 0x3F) << 16);
}

/* how: 4 writes; 1 up behind it, 2 down behind it, 3 up before it. */
static void pic18_table(oak_core *core, unsigned how)
{
    uint8_t *pointer = core->data + TBLPTRL;
    uint32_t at = table_pointer(core) + ((how & 3) == 3);
    const uint8_t *cell = kit_cells(core, PIC18_CODE, at & (PIC18_CODE_END - 1), 1);
    if (how & 4) core->held[at % PIC18_BLOCK] = core->data[TABLAT];
    else core->data[TABLAT] = cell ? *cell : 0;
    at += (how & 3) == 1 ? 1u : (how & 3) == 2 ? ~0u : 0;
    pointer[0] = (uint8_t)at, pointer[1] = (uint8_t)(at >> 8), pointer[2] = at >> 16 & 0x3F;
}

/* Between two instructions: what was held goes into program memory, where bits can only become 0; or a row of it becomes 0xff. */
static void burn(oak_core *core)
{
    uint8_t bytes[PIC18_ERASED];
    bool erases = core->burns == 2;
    uint32_t size = erases ? PIC18_ERASED : PIC18_BLOCK, at = table_pointer(core) & ~(size - 1);
    const uint8_t *cells = kit_cells(core, PIC18_CODE, at, size);
    core->burns = 0;
    for (uint32_t i = 0; cells && i < size; i++) bytes[i] = erases ? 0xFF : cells[i] & core->held[i];
    if (cells) (void)!kit_write_memory(core, PIC18_CODE, at, bytes, size); /* it is there */
    memset(core->held, 0xFF, sizeof core->held);
    core->kit.time.cycles += PIC18_STALL;
    core->kit.attention = true;
}

/* ------------------------------------------------------------------------------------------ stack and interrupts */

/* A byte that configures the chip. */
static uint8_t configured(const oak_core *core, uint32_t number)
{
    const uint8_t *cell = kit_cells(core, PIC18_CODE, PIC18_CONFIG + number, 1);
    return cell ? *cell : 0xFF;
}

/* The stack is at an end: what a chip suffers silently. */
static void pic18_end(oak_core *core, uint32_t pc, uint8_t flag, uint64_t now)
{
    kit_core *kit = &core->kit;
    kit->pc = pc;
    core->data[STKPTR] |= flag;
    if (kit->setup.suffer)
        kit->setup.suffer(kit->setup.machine, OAK_FAULT_STACK_END, PIC18_CODE, core->sp, now);
    if (!(configured(core, 6) & 1)) return;
    core->cause = STKPTR_FULL;
    kit->resets = kit->attention = true;
}

static void pic18_full(oak_core *core, uint32_t pc, uint32_t address, uint64_t now)
{
    if (core->sp < PIC18_LEVELS) core->stk[core->sp++] = address & (PIC18_REACH - 1);
    pic18_end(core, pc, STKPTR_FULL, now);
}

static void pic18_restore(oak_core *core)
{
    core->w = core->ws;
    set_status(core, core->statuss);
    core->data[BSR] = core->bsrs;
}

static void pic18_served(oak_core *core, uint64_t now)
{
    bool any = core->high || core->low;
    core->data[INTCON] |= core->low && !core->high ? INTCON_GIEL : INTCON_GIEH;
    *(core->high ? &core->high : &core->low) = 0;
    if (any) oak_service_leave(&core->kit.log, now);
    core->kit.attention = true;
}

static void pic18_feed(oak_core *core, bool awake, uint64_t now)
{
    core->data[RCON] = (uint8_t)((core->data[RCON] & ~RCON_PD) | RCON_TO | (awake ? RCON_PD : 0));
    feed(core, now);
}

static void interrupt(oak_core *core, unsigned line, bool level, uint64_t from)
{
    kit_line(core, &core->lines, line, level, from);
}

/* Lines that wake it. Without priorities PEIE lets those of peripherals through. */
static uint32_t enabled(const oak_core *core)
{
    bool all = core->data[RCON] & RCON_IPEN || core->data[INTCON] & INTCON_GIEL;
    return core->lines.asks & ~(1u << PIC18_WATCHDOG) & (all ? UINT32_MAX : (1u << PIC18_OWN) - 1);
}

/* Of those the ones that interrupt it; high: these are urgent. */
static uint32_t let_through(const oak_core *core, uint32_t lines, bool *high)
{
    const uint32_t even = 0x55555555, control = core->data[INTCON];
    bool two = core->data[RCON] & RCON_IPEN;
    const uint32_t urgent = two ? lines & even : lines;
    *high = urgent && control & INTCON_GIEH && !(two && core->high);
    if (*high) return urgent;
    return two && (control & INTCON_GIEH) && (control & INTCON_GIEL) ? lines & ~even : 0;
}

/* A time of the watchdog is over: true when the chip is reset, or wakes. */
static bool watchdog_bites(oak_core *core)
{
    if (!core->guarded || !kit_watchdog_over(core, &core->lines, PIC18_WATCHDOG)) return false;
    core->periods = (uint8_t)((core->periods + 1u) % (1u << (configured(core, 3) >> 1 & 7)));
    if (core->periods) return false;
    core->data[RCON] &= (uint8_t)~RCON_TO;
    if (core->sleeping) core->sleeping = 0; /* and goes on behind it */
    else {
        core->cause = RCON_TO;
        kit_watchdog_resets(core);
    }
    return true;
}

/* Before the first instruction: the configuration says whether the watchdog runs. */
static void begin(oak_core *core, uint64_t now)
{
    core->begun = 1;
    core->guarded = configured(core, 3) & 1 ? 3 : 0; /* and the program cannot stop it */
    if (core->guarded) feed(core, now);
}

static bool take_interrupt(oak_core *core)
{
    kit_core *kit = &core->kit;
    uint64_t now = kit->time.cycles;
    bool high;
    if (!core->begun) begin(core, now);
    if (core->burns) burn(core);
    if (watchdog_bites(core)) return true;
    uint32_t ready = kit_lines_due(core, enabled(core), &core->lines);
    if (!ready) return false;
    bool wakes = core->sleeping;
    core->sleeping = 0;
    if (wakes) kit->blocked = true; /* the instruction behind it comes first */
    ready = wakes ? 0 : let_through(core, ready, &high);
    if (!ready) return wakes;
    uint32_t vector = high ? PIC18_HIGH : PIC18_LOW;
    if (kit_handler_missing(core, vector, 2)) return false;
    if (kit->observed) kit_watch_entry(core, vector);
    if (core->sp < PIC18_LEVELS - 1) core->stk[core->sp++] = kit->pc;
    else pic18_full(core, kit->pc, kit->pc, now);
    core->ws = core->w;
    core->statuss = (uint8_t)pic18_status(core->nz, core->carries);
    core->bsrs = core->data[BSR];
    core->data[INTCON] &= (uint8_t) ~(high ? INTCON_GIEH : INTCON_GIEL);
    *(high ? &core->high : &core->low) = 1;
    oak_service_enter(&kit->log, high ? 1 : 2, vector, now);
    oak_service_take_all(&kit->log, ready);
    kit->pc = vector;
    kit->time.cycles += 2;
    kit->attention = true;
    if (kit->observed) kit_watch_end(core);
    return true;
}

static uint64_t noticed_at(oak_core *core)
{
    bool high;
    uint32_t asks = enabled(core);
    if (!core->sleeping && !let_through(core, asks, &high)) asks = 0;
    if (core->guarded) asks |= 1u << PIC18_WATCHDOG;
    return kit_lines_next(core, asks, &core->lines);
}

static bool deaf(const oak_core *core)
{
    return !(core->data[INTCON] & INTCON_GIEH) && !core->sleeping && !core->guarded;
}

static unsigned asleep(oak_core *core)
{
    return core->sleeping;
}

static unsigned exception(const oak_core *core)
{
    return core->high ? PIC18_HIGH : core->low ? PIC18_LOW : 0;
}

/* ------------------------------------------------------------------------------------------ decoding */

/* A row on a register that is more than a cell; a target that no part has. */
static uint16_t natural(const oak_core *core, uint32_t pc, uint16_t handler)
{
    unsigned row = handler - KIT_FIRST_ROW;
    const kit_op *op = &core->kit.ops[pc];
    if (row >= PIC18_BC && row <= PIC18_CALL_FAST && op->y)
        return row <= PIC18_BZ ? PIC18_PERHAPS : PIC18_BEYOND;
    if (row >= PIC18_FILE_ROWS || row & 1) return handler;
    uint8_t kind = core->kind[op->at];
    if (kind == PIC18_POINTER) return (uint16_t)(PIC18_FIRST_POINTED + row / 2);
    if (kind == PIC18_MASKED) return (uint16_t)(PIC18_FIRST_KEPT + row / 2);
    if (kind == PIC18_PLAIN) return handler;
    if (op->at == STATUS && op->x == STATUS_C && row == PIC18_BCF_A) return PIC18_CLEAR_CARRY;
    if (op->at == STATUS && op->x == STATUS_C && row == PIC18_BSF_A) return PIC18_SET_CARRY;
    if (op->at == STATUS && row == PIC18_BTFSC_A) return PIC18_FLAG_CLEAR;
    if (op->at == STATUS && row == PIC18_BTFSS_A) return PIC18_FLAG_SET;
    return op->at == PCL && *pic18_rows[row].uses != 'r' ? PIC18_ENDS : PIC18_EFFECT;
}

/* x is the mask of a bit, at a register or an immediate; of a register that stands for another, y is how and `to` its pointer. */
static void fill(oak_core *core, const oak_decoded *decoded, kit_op *op)
{
    const oak_pattern *pattern = &kit_tables_of(core->kit.tables)->row[decoded->row].pattern;
#define FIELD(letter) oak_pattern_get(pattern, letter, decoded->word)
    op->x = op->y = 0;
    op->at = FIELD('k');
    if (decoded->has_target) op->at = decoded->target, op->y = decoded->target >= PIC18_SPAN;
    if (op->y) { /* of a branch: the flag, and 2 where it is to be 0 */
        static const uint8_t flag[] = {STATUS_Z, STATUS_C, STATUS_OV, STATUS_N};
        uint32_t which = decoded->word >> 8 & 7;
        op->x = flag[which >> 1], op->y = (uint8_t)(1 + (which & 1)), op->to = 0;
    }
    if (decoded->row >= PIC18_TBLRD) op->x = decoded->word & 7;
    if (decoded->row == PIC18_MOVFF) {
        op->at = FIELD('s'), op->to = FIELD('d');
        op->x = core->kind[op->at] != PIC18_PLAIN || core->kind[op->to] != PIC18_PLAIN;
    }
    if (decoded->row >= PIC18_FILE_ROWS) return;
    if (oak_pattern_width(pattern, 'b')) op->x = (uint8_t)(1u << FIELD('b'));
    op->at = FIELD('f');
    if (decoded->row & 1) return; /* in its bank, which is known when it runs */
    if (op->at >= PIC18_ACCESS) op->at += PIC18_CELLS - 0x100;
    op->to = core->mask[op->at];
    if (core->kind[op->at] == PIC18_POINTER)
        op->y = (uint8_t)(indf_of(op->at) - op->at), op->to = fsr_of(op->at);
#undef FIELD
}

static uint32_t bank_of(const oak_core *core)
{
    return (uint32_t)core->data[BSR] << 8;
}

static uint32_t leads_to(const oak_core *core, uint32_t at)
{
    return pic18_points(at) ? pic18_effective((uint8_t *)(uintptr_t)core->data, core->w, at, false) : at;
}

/* The cell in the bank that is selected, or what a pointer names. */
static void window(const oak_core *core, const oak_decoded *decoded, kit_reach *one)
{
    bool part = decoded->row < PIC18_FILE_ROWS && decoded->row & 1;
    if (one->space != PIC18_DATA) return;
    if (part) one->address = (one->address & 0xFF) + bank_of(core);
    one->known &= !part && !pic18_points(one->address);
    one->address = leads_to(core, one->address);
}

/* Pointers that a register which stands for another reads and moves; the top of the stack. */
static unsigned more_cells(const oak_core *core, const oak_decoded *decoded, kit_reach *list, unsigned count)
{
    const kit_shape_of_row *row = &kit_tables_of(core->kit.tables)->row[decoded->row];
    bool calls = decoded->flow == OAK_FLOW_CALL || decoded->flow == OAK_FLOW_RETURN, lays = false;
    for (const char *p = "fsd"; *p; p++) {
        uint32_t at = oak_pattern_get(&row->pattern, *p, decoded->word);
        if (!oak_pattern_width(&row->pattern, *p)) continue;
        if (*p == 'f')
            at = decoded->row & 1 ? at + bank_of(core) : at >= PIC18_ACCESS ? at + PIC18_CELLS - 0x100 : at;
        const char use = *p == 'f' ? pic18_rows[decoded->row].uses[0] : *p == 's' ? 'r' : 'w';
        if (at == PCL && use != 'w') /* the others are taken along */
            list[count++] = (kit_reach){PIC18_DATA, KIT_WRITES, 0xFF, true, 0, 0, PCLATH, 2};
        lays |= use != 'r' && leads_to(core, at) >= TOSL;
        if (!pic18_points(at)) continue;
        bool stays = indf_of(at) - at == PIC18_INDF || indf_of(at) - at == PIC18_PLUSW;
        list[count++] =
            (kit_reach){PIC18_DATA, stays ? KIT_READS : KIT_BOTH, 0xFF, true, 0, 0, fsr_of(at), 2};
    }
    if (calls || decoded->row == PIC18_PUSH || decoded->row == PIC18_POP)
        list[count++] = (kit_reach){PIC18_DATA, KIT_BOTH, 0xFF, true, 0, 0, TOSL, 3};
    unsigned level = decoded->row == PIC18_PUSH ? core->sp + 1u : lays ? core->sp : 0;
    if (level && level <= PIC18_LEVELS)
        list[count++] = kit_register_written(&oak_isa_pic18.about, PIC18_REG_STK1 - 1 + level);
    return count;
}

/* ------------------------------------------------------------------------------------------ the loop */

#include "isa/kit/dispatch.h"
#define PIC18_POINTED_LABEL(id) PIC18_EXTRA(PIC18_##id##_K) PIC18_EXTRA(PIC18_##id##_P)
#define CORE_TABLE              "isa/pic18/pic18.def"
#define CORE_CASES              "isa/pic18/pic18_cases.h"
#define CORE_SPAN               PIC18_SPAN
#define CORE_CODE               PIC18_CODE
#define PIC18_EXTRA             KIT_EXTRA_LABEL
#define CORE_EXTRA(X)                                                                                        \
    X(PIC18_ENDS)                                                                                            \
    X(PIC18_DONE)                                                                                            \
    X(PIC18_BEYOND)                                                                                          \
    X(PIC18_PERHAPS)                                                                                         \
    X(PIC18_CLEAR_CARRY)                                                                                     \
    X(PIC18_SET_CARRY)                                                                                       \
    X(PIC18_FLAG_CLEAR) X(PIC18_FLAG_SET) X(PIC18_EFFECT) PIC18_FILE_LIST(PIC18_POINTED_LABEL)
#define CORE_LOCALS                                                                                          \
    uint8_t *bank, *cell, *pointer;                                                                          \
    const uint8_t *kinds;                                                                                    \
    uint32_t w, nz, carries, mask, at = 0, byte = 0
#define SAVE_REGISTERS (core->w = (uint8_t)w)
#define SAVE           (core->w = (uint8_t)w, core->nz = nz, core->carries = carries)
#define LOAD                                                                                                 \
    (w = core->w, nz = core->nz, carries = core->carries, bank = core->data + bank_of(core),                 \
     kinds = core->kind + bank_of(core))
#define BACK_TO_IT      EFFECT_GIVEN_UP
#define CORE_LOOP(name) pic18_##name
KIT_LOOPS(pic18_);
#include "isa/kit/loops.h"

/* ------------------------------------------------------------------------------------------ registers */

/* What caused it decides what stays: after power comes, nothing. */
static void reset_registers(oak_core *core)
{
    uint8_t *data = core->data, cause = core->kit.resets ? core->cause : 0;
    if (!cause) {
        memset(data + PIC18_REGISTERS_AT, 0, PIC18_CELLS - PIC18_REGISTERS_AT);
        memset(core->stk, 0, sizeof core->stk);
        core->w = core->ws = core->statuss = core->bsrs = 0;
        core->nz = 1, core->carries = 0;
    }
    data[RCON] = (uint8_t)(cause ? data[RCON] & 0x1F : RCON_RI | RCON_TO | RCON_PD);
    if (cause == RCON_RI || cause == RCON_TO) data[RCON] &= (uint8_t)~cause;
    if (cause != STKPTR_FULL) data[STKPTR] &= cause ? 0xC0 : 0;
    data[BSR] = data[PCLATH] = data[PCLATU] = data[INTCON] = data[TABLAT] = data[WDTCON] = 0;
    memset(data + TBLPTRL, 0, 3);
    memset(core->held, 0xFF, sizeof core->held);
    core->sp = core->sleeping = core->high = core->low = core->begun = core->guarded = core->cause = 0;
    core->unlocked = core->burns = core->periods = 0;
    core->unlocked_at = 0;
    core->lines.asks = 0;
}

/* Where registers that are cells begin. */
static uint32_t cell_of(unsigned reg)
{
    const oak_register_cells *cells = kit_cells_of(&oak_isa_pic18.about, reg);
    return reg == PIC18_REG_PC || reg == PIC18_REG_SP || !cells ? 0 : cells->address;
}

static oak_status read_register(const oak_core *core, unsigned reg, uint32_t *value)
{
    uint32_t at = reg < PIC18_REGISTERS ? cell_of(reg) : 0;
    if (!at) return kit_read_register(core, reg, value);
    *value = 0;
    for (unsigned i = kit_cells_of(&oak_isa_pic18.about, reg)->size; i--;)
        *value = *value << 8 | look_at(core, at + i);
    return OAK_OK;
}

static oak_status write_register(oak_core *core, unsigned reg, uint32_t value)
{
    if (reg >= PIC18_REGISTERS || value >> oak_isa_pic18.about.registers[reg].bits) return OAK_OUT_OF_RANGE;
    uint32_t at = cell_of(reg);
    core->kit.attention = true;
    if (reg == PIC18_REG_PC) {
        if (value >= PIC18_SPAN || value & 1) return OAK_OUT_OF_RANGE;
        core->sleeping = 0;
    }
    if (!at) return kit_write_register(core, reg, value);
    for (unsigned i = 0; i < kit_cells_of(&oak_isa_pic18.about, reg)->size; i++, value >>= 8)
        pic18_write(core, at + i, (uint8_t)value, core->kit.time.cycles);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ the whole */

/* clang-format off */
#define LEVEL(n) [PIC18_REG_STK1 + (n)] = KIT_AT(stk[n])
static const struct kit_register registers_at[PIC18_REGISTERS] = {
    [PIC18_REG_PC] = KIT_AT(kit.pc), [PIC18_REG_SP] = KIT_AT(sp), [PIC18_REG_WS] = KIT_AT(ws), [PIC18_REG_STATUSS] = KIT_AT(statuss), [PIC18_REG_BSRS] = KIT_AT(bsrs),
    LEVEL(0), LEVEL(1), LEVEL(2), LEVEL(3), LEVEL(4), LEVEL(5), LEVEL(6), LEVEL(7), LEVEL(8), LEVEL(9), LEVEL(10), LEVEL(11), LEVEL(12), LEVEL(13), LEVEL(14), LEVEL(15),
    LEVEL(16), LEVEL(17), LEVEL(18), LEVEL(19), LEVEL(20), LEVEL(21), LEVEL(22), LEVEL(23), LEVEL(24), LEVEL(25), LEVEL(26), LEVEL(27), LEVEL(28), LEVEL(29), LEVEL(30)};

#define HELD(n) KIT_INNER("held" #n, held[n], 0xFF)
static const kit_inner inner[] = {
    KIT_INNER("sleeping", sleeping, 1), KIT_INNER("begun", begun, 1), KIT_INNER("guarded", guarded, 3), KIT_INNER("high", high, 1), KIT_INNER("low", low, 1),
    KIT_INNER("cause", cause, 0xFF), KIT_INNER("unlocked", unlocked, 2), KIT_INNER("unlocked-at", unlocked_at, UINT64_MAX), KIT_INNER("burns", burns, 2),
    KIT_INNER("periods", periods, 127), KIT_INNER("nz", nz, 0x1FF), KIT_INNER("carries", carries, 0x1FF),
    HELD(0), HELD(1), HELD(2), HELD(3), HELD(4), HELD(5), HELD(6), HELD(7),
    KIT_INNER_LINES, {0}};

static const kit_arch arch = {
    .isa = &oak_isa_pic18, .code_span = PIC18_SPAN, .core_size = sizeof(oak_core), .cycles = pic18_cycles, KIT_LOOPS_OF(pic18_),
    .skips = true, .alike = PIC18_ALIKE, .fill = fill, .natural = natural, .reset = reset_registers, .interrupt = take_interrupt, .noticed_at = noticed_at, .deaf = deaf,
    .asleep = asleep, .peek = peek, .poke = poke, .bank = bank_of, .window = window, .more_cells = more_cells, .registers_at = registers_at, .inner = inner,
    .tape_from = offsetof(oak_core, data), .tape_to = sizeof(oak_core)};
/* clang-format on */

static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **core)
{
    return kit_create_filed(&arch, tables, setup, PIC18_DATA, offsetof(oak_core, data), PIC18_CELLS, lay_data,
                            core);
}

const oak_core_ops pic18_core_ops = {KIT_CORE_OPS,
                                     .create = create,
                                     .read_register = read_register,
                                     .write_register = write_register,
                                     .interrupt = interrupt,
                                     .exception = exception};
