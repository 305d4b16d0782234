/* mcs51_core.c — one MCS-51: creating, decoding, special registers, stop points, and the run around the loop. */
#include "isa/mcs51/mcs51_core.h"

#include "base/bytes.h"

/* ------------------------------------------------------------------------------------------ special registers */

uint8_t mcs51_psw(const oak_core *core)
{
    unsigned parity = core->a ^ core->a >> 4;
    parity = 0x6996u >> (parity & 15) & 1u;
    unsigned overflow = (core->carries >> 7 ^ core->carries >> 8) & 1u;
    return (uint8_t)(core->cy << 7 | (core->carries >> 4 & 1u) << 6 | (core->data[PSW] & 0x3A) |
                     overflow << 2 | parity);
}

void mcs51_set_psw(oak_core *core, uint8_t value)
{
    core->data[PSW] = value & 0x3A;
    core->cy = value >> 7;
    core->carries = (uint32_t)(value >> 6 & 1) << 4 | (uint32_t)(value >> 2 & 1) << 7;
}

bool mcs51_is_io(const oak_core *core, uint32_t at)
{
    if (at < 0x80 + SFR_AT) return false;
    return at == ACC || at == PSW || at == SP || at == IE || at == IP || at == PCON ||
           core->cell[at - 0x80 - SFR_AT] != OAK_CELL_PLAIN;
}

uint8_t mcs51_io_read(oak_core *core, uint32_t at, bool latch, uint8_t asked, uint64_t now)
{
    if (at == ACC) return core->a;
    if (at == PSW) return mcs51_psw(core);
    uint8_t stored = core->data[at];
    if (core->cell[at - 0x80 - SFR_AT] != OAK_CELL_DEVICE) return stored;
    return (uint8_t)core->setup.device_read(core->setup.machine, at - SFR_AT, stored, latch, asked, now);
}

void mcs51_io_write(oak_core *core, uint32_t at, uint8_t value, uint64_t now)
{
    if (at == ACC) {
        core->a = value;
        return;
    }
    if (at == PSW) {
        mcs51_set_psw(core, value);
        return;
    }
    core->data[at] = value;
    if (at == SP) mcs51_stack_set(core);
    if (at == IE || at == IP) core->blocked = core->attention = true;
    if (at == PCON) core->attention = true;
    if (core->cell[at - 0x80 - SFR_AT] == OAK_CELL_DEVICE)
        core->setup.device_write(core->setup.machine, at - SFR_AT, value, now);
}

/* ------------------------------------------------------------------------------------------ interrupts */

static void interrupt(oak_core *core, unsigned line, bool level, uint64_t from)
{
    if (line >= MCS51_LINES) return;
    core->line = (uint8_t)(level ? core->line | 1u << line : core->line & ~(1u << line));
    core->from[line] = from;
    core->attention = true;
}

void mcs51_stack_set(oak_core *core)
{
    uint32_t top = core->data[SP] + 2u;
    while (top <= core->ram_top && !core->object[top]) top++;
    core->stack_top = (uint8_t)(top - 1 < core->ram_top ? top - 1 : core->ram_top);
}

/* Something is pushed beyond stack_top, up to `top`. False when there is no RAM any more; else it may be tried again. */
static bool stack_grows(oak_core *core, uint32_t top, uint64_t now)
{
    if (top > core->ram_top) return false;
    uint32_t address = core->stack_top + 1u;
    core->stack_top = (uint8_t)core->ram_top; /* said once */
    if (core->setup.suffer)
        core->setup.suffer(core->setup.machine, OAK_FAULT_STACK_DATA, MCS51_IRAM, address, now);
    return true;
}

bool mcs51_external(const oak_core *core, uint32_t address, bool write)
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

void mcs51_served(oak_core *core, uint64_t now)
{
    enum { LONGEST = 4 }; /* cycles of the one instruction that passes before another interrupt */
    if (core->serving) oak_service_leave(&core->log, now);
    core->serving = core->serving & 2 ? core->serving & 1 : 0;
    /* Where nothing asks, nor will before that instruction has ended, nothing is held back. */
    if (!core->line && !core->attention && core->next_event > now + LONGEST) return;
    core->blocked = core->attention = true;
}

/* The lines that may interrupt once their time has come. */
static inline unsigned enabled(const oak_core *core)
{
    return core->data[IE] & 0x80 && !(core->serving & 2) ? core->data[IE] & 0x3F : 0;
}

/* Serves the most urgent interrupt that may be served now. False when there is none, or after a fault. */
static bool take_interrupt(oak_core *core)
{
    uint64_t now = core->time.cycles;
    unsigned asks = core->line & enabled(core), ready = 0;
    if (!asks) return false;
    for (unsigned n = 0; asks >> n; n++)
        if (asks >> n & 1 && core->from[n] <= now) ready |= 1u << n;
    unsigned high = ready & core->data[IP], chosen = high ? high : core->serving ? 0 : ready, line = 0;
    if (!chosen) return false;
    while (!(chosen >> line & 1)) line++;
    uint32_t sp = core->data[SP], vector = 8 * line + 3;
    bool lost = !core->known[vector] &&
                (!core->setup.suffer ||
                 core->setup.suffer(core->setup.machine, OAK_FAULT_NO_HANDLER, MCS51_CODE, vector, now));
    if (core->struck) return false; /* somebody wants to see it */
    if (sp + 2 > core->stack_top && sp + 2 <= core->ram_top) stack_grows(core, sp + 2, now);
    if (sp + 2 > core->ram_top || lost) {
        core->fault = sp + 2 > core->ram_top ? OAK_FAULT_STACK_OVERFLOW : OAK_FAULT_NO_HANDLER;
        core->fault_space = core->fault == OAK_FAULT_NO_HANDLER ? MCS51_CODE : MCS51_IRAM;
        core->fault_address = core->fault == OAK_FAULT_NO_HANDLER ? vector : sp;
        core->faulted = true;
        return false;
    }
    if (core->observed) mcs51_watch_entry(core, vector);
    core->data[sp + 1] = (uint8_t)core->pc;
    core->data[sp + 2] = (uint8_t)(core->pc >> 8);
    core->data[SP] = (uint8_t)(sp + 2);
    core->serving |= high ? 2 : 1;
    core->served[high != 0] = (uint8_t)(line + 1);
    oak_service_enter(&core->log, line + 1, now);
    core->data[PCON] &= 0xFE; /* wakes from idle */
    core->pc = vector;
    core->time.cycles += 2;
    core->attention = true;
    if (core->observed) mcs51_watch_end(core);
    core->next_device = core->setup.acknowledge(core->setup.machine, line, now);
    return true;
}

/* Brings the devices to the present and finds the next cycle at which something may happen. */
static void attend(oak_core *core)
{
    uint64_t now = core->time.cycles;
    core->attention = false;
    if (core->next_device <= now)
        core->next_device = core->setup.advance ? core->setup.advance(core->setup.machine, now) : UINT64_MAX;
    core->next_event = core->next_device;
    unsigned asks = core->line & enabled(core);
    for (unsigned n = 0; asks >> n; n++)
        if (asks >> n & 1 && core->from[n] > now && core->from[n] < core->next_event)
            core->next_event = core->from[n];
}

/* Nothing inside or outside the chip can end this sleep or loop. */
static bool is_lost(const oak_core *core)
{
    bool resets = core->setup.resets_at && core->setup.resets_at(core->setup.machine) != UINT64_MAX;
    return core->next_event == UINT64_MAX || (!enabled(core) && !resets);
}

/* Goes round a jump to itself until something may happen; false when nothing ever will. */
static bool circle(oak_core *core, uint64_t until_cycle, uint64_t until_instruction)
{
    if (is_lost(core) && !core->blocked) return false;
    uint64_t until = core->next_event < until_cycle ? core->next_event : until_cycle;
    uint64_t cycles = core->own_cycles[core->row[core->pc]];
    uint64_t rounds = until > core->time.cycles ? (until - core->time.cycles + cycles - 1) / cycles : 1;
    uint64_t most = until_instruction - core->time.instructions;
    if (rounds > most) rounds = most;
    if (core->blocked) rounds = 1, core->attention = true;
    core->time.cycles += rounds * cycles;
    core->time.instructions += rounds;
    if (core->tallies.at) oak_tallies_add(&core->tallies, core->pc, rounds, rounds * cycles);
    core->blocked = false;
    return true;
}

/* ------------------------------------------------------------------------------------------ decoding */

static uint16_t direct_index(uint32_t address)
{
    return (uint16_t)(address < 0x80 ? address : address + SFR_AT);
}

static bool has_direct(unsigned row)
{
    return mcs51_touch[row] != MCS51_TOUCH_NONE;
}

uint8_t mcs51_natural(const oak_core *core, uint32_t pc)
{
    unsigned row = core->row[pc];
    if (row >= MCS51_ROWS) return (uint8_t)row;
    const mcs51_op *op = &core->ops[pc];
    if (has_direct(row) && mcs51_is_io(core, op->at)) return OP_IO;
    if (row == MCS51_MOV_DIR_DIR && mcs51_is_io(core, op->target)) return OP_IO;
    if (mcs51_flow(row) == OAK_FLOW_JUMP && op->target == pc) return OP_PARKED;
    return (uint8_t)row;
}

uint8_t mcs51_handler(const oak_core *core, uint32_t pc)
{
    return core->watched_count && mcs51_may_reach(core, pc) ? OP_WATCHED : mcs51_natural(core, pc);
}

/* Fills in the operation at pc; its cost is left to the caller. Returns the size in bytes. */
static unsigned decode_one(oak_core *core, uint32_t pc)
{
    mcs51_op *op = &core->ops[pc];
    uint8_t bytes[3];
    for (unsigned i = 0; i < 3; i++) bytes[i] = core->code[(pc + i) & 0xFFFF];
    oak_decoded decoded;
    oak_status status = mcs51_decode(core->tables, bytes, 3, pc, 0, &decoded);
    uint8_t fault = 0;
    for (unsigned i = 0; i < decoded.size; i++) {
        uint32_t at = (pc + i) & 0xFFFF;
        if (at >= core->code_size) fault = fault ? fault : OP_OUTSIDE;
        else if (!core->known[at]) fault = fault ? fault : OP_UNPROGRAMMED;
    }
    if (status && !fault) fault = OP_RESERVED;
    if (fault) {
        core->row[pc] = fault;
        op->handler = core->stop_at[pc] ? OP_STOP : fault;
        return 1;
    }
    const oak_pattern *pattern = &core->tables->shape[decoded.row].pattern;
    uint32_t word = decoded.word;
    core->row[pc] = (uint8_t)decoded.row;
    op->x = (uint8_t)(oak_pattern_get(pattern, 'n', word) | oak_pattern_get(pattern, 'i', word));
    op->at = direct_index(oak_pattern_get(pattern, 'a', word));
    op->target = decoded.target;
    const mcs51_shape *shape = &core->tables->shape[decoded.row];
    for (unsigned i = 0; i < shape->count; i++) {
        if (shape->class_of[i] == MCS51_BIT_ADDRESS || shape->class_of[i] == MCS51_NOT_BIT) {
            uint8_t bit = (uint8_t)oak_pattern_get(pattern, 'b', word);
            op->x = (uint8_t)(1u << (bit & 7));
            op->at = direct_index(mcs51_bit_cell(bit));
        } else if (shape->class_of[i] == MCS51_SOURCE) {
            op->target = direct_index(oak_pattern_get(pattern, 's', word));
        } else if (shape->class_of[i] == MCS51_IMMEDIATE || shape->class_of[i] == MCS51_DATA16) {
            uint32_t data = oak_pattern_get(pattern, 'd', word);
            if (has_direct(decoded.row)) op->x = (uint8_t)data; /* at is taken by the direct address */
            else op->at = (uint16_t)data;
        }
    }
    op->handler = core->stop_at[pc] ? OP_STOP : mcs51_handler(core, pc);
    return decoded.size;
}

/* True when the block ends with this address: what follows is not always executed next, or time matters exactly. */
static bool ends_block(const oak_core *core, uint32_t pc)
{
    uint8_t natural = mcs51_natural(core, pc);
    return natural >= MCS51_ROWS || mcs51_flow(natural) != OAK_FLOW_NEXT;
}

static uint64_t own_cost(const oak_core *core, uint32_t pc)
{
    unsigned row = core->row[pc];
    if (row >= MCS51_ROWS) return 0;
    return mcs51_natural(core, pc) == OP_PARKED ? 0 : (uint64_t)1 << 32 | core->own_cycles[row];
}

void mcs51_decode_block(oak_core *core, uint32_t start)
{
    uint64_t total = 0;
    uint32_t pc = start;
    bool joined = false; /* the block ends in front of `pc`, not with it */
    core->decoded = true;
    for (;;) {
        unsigned size = decode_one(core, pc);
        total += own_cost(core, pc);
        if (ends_block(core, pc)) break;
        pc += size;
        joined =
            pc >= CODE_SPACE || core->row[pc] != OP_DECODE; /* behind the last address a wrap charges anew */
        if (!joined) continue;
        if (pc < CODE_SPACE) total += core->ops[pc].cost;
        break;
    }
    uint32_t last = pc;
    for (pc = start; !(joined && pc == last); pc += core->tables->shape[core->row[pc]].pattern.size) {
        core->ops[pc].cost = total;
        total -= own_cost(core, pc);
        if (pc == last) break;
    }
}

/* ------------------------------------------------------------------------------------------ creating */

static void forget_decoded(oak_core *core)
{
    memset(core->ops, 0, OPS * sizeof *core->ops);
    for (uint32_t pc = 0; pc < CODE_SPACE; pc++) core->ops[pc].handler = OP_DECODE;
    for (uint32_t pc = CODE_SPACE; pc < SLOTS - 1; pc++) core->ops[pc].handler = OP_WRAP;
    core->ops[SLOTS - 1].handler = OP_IO_TAKEN;
    memset(core->row, OP_DECODE, CODE_SPACE);
    core->decoded = false;
}

static void destroy(oak_core *core)
{
    if (!core) return;
    const oak_host *host = core->setup.host;
    (void)!oak_tallies_set(&core->tallies, host, 0, false); /* giving back cannot fail */
    oak_edits_free(&core->edits, host);
    if (core->code) host->resize(host->context, core->code, CODE_SPACE, 0);
    if (core->known) host->resize(host->context, core->known, CODE_SPACE, 0);
    if (core->row) host->resize(host->context, core->row, CODE_SPACE, 0);
    if (core->stop_at) host->resize(host->context, core->stop_at, CODE_SPACE, 0);
    if (core->xram) host->resize(host->context, core->xram, core->xram_size, 0);
    if (core->ops) host->resize(host->context, core->ops, OPS * sizeof *core->ops, 0);
    host->resize(host->context, core, sizeof *core, 0);
}

/* What a reset does on the chip: RAM keeps what it holds. */
static void reset_registers(oak_core *core)
{
    core->pc = 0;
    core->a = core->cy = 0;
    core->carries = 0;
    memset(core->data + RAM_SIZE, 0, sizeof core->data - RAM_SIZE);
    core->data[SP] = 7;
    core->line = core->serving = 0;
    core->log.depth = 0;
    mcs51_stack_set(core);
    core->blocked = core->struck = core->resets = core->faulted = false;
    core->attention = true;
    core->next_event = core->next_device = 0;
}

/* Power comes: RAM begins with zeros, and time with it. */
static void reset(oak_core *core)
{
    memset(core->data, 0, RAM_SIZE);
    if (core->xram) memset(core->xram, 0, core->xram_size);
    core->time = (oak_chip_time){0};
    core->log = (oak_service_log){0};
    oak_tallies_clear(&core->tallies);
    reset_registers(core);
}

static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **result)
{
    const oak_host *host = setup->host;
    oak_core *core = host->resize(host->context, NULL, 0, sizeof *core);
    if (!core) return OAK_NO_MEMORY;
    memset(core, 0, sizeof *core);
    core->tables = tables;
    core->setup = *setup;
    for (unsigned i = 0; i < setup->memory_count; i++) {
        const oak_core_memory *memory = &setup->memories[i];
        if (memory->space == MCS51_CODE) core->code_size = memory->base + memory->size;
        if (memory->space == MCS51_IRAM) core->ram_top = memory->base + memory->size - 1;
        if (memory->space == MCS51_XRAM) core->xram_size = memory->base + memory->size;
    }
    core->code = host->resize(host->context, NULL, 0, CODE_SPACE);
    core->known = host->resize(host->context, NULL, 0, CODE_SPACE);
    core->row = host->resize(host->context, NULL, 0, CODE_SPACE);
    core->stop_at = host->resize(host->context, NULL, 0, CODE_SPACE);
    core->ops = host->resize(host->context, NULL, 0, OPS * sizeof *core->ops);
    if (core->xram_size) core->xram = host->resize(host->context, NULL, 0, core->xram_size);
    if (!core->code || !core->known || !core->row || !core->stop_at || !core->ops ||
        (core->xram_size && !core->xram)) {
        destroy(core);
        return OAK_NO_MEMORY;
    }
    memset(core->code, 0xFF, CODE_SPACE);
    memset(core->known, 0, CODE_SPACE);
    memset(core->stop_at, 0, CODE_SPACE);
    for (unsigned row = 0; row < MCS51_ROWS; row++) {
        core->own_cycles[row] = mcs51_rows[row].cycles;
        for (const char *bit = mcs51_rows[row].bits; *bit; bit++) core->takes_bit[row] |= *bit == 'b';
    }
    core->xram_plain = core->xram_size;
    mcs51_open_watch(core);
    for (uint32_t s = 0; s < 128; s++) core->cell[s] = setup->cell_kind(setup->machine, 0x80 + s);
    forget_decoded(core);
    reset(core);
    *result = core;
    return OAK_OK;
}

static oak_status program(oak_core *core, uint32_t address, const uint8_t *bytes, size_t count)
{
    if (address > core->code_size || count > core->code_size - address) return OAK_OUT_OF_RANGE;
    memcpy(core->code + address, bytes, count);
    memset(core->known + address, 1, count);
    if (core->decoded) forget_decoded(core);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ running */

static void fill_stop(const oak_core *core, oak_stop_reason reason, oak_stop *stop)
{
    *stop = (oak_stop){.reason = reason, .pc = core->pc};
    if (reason == OAK_STOP_WATCH) stop->watched = core->watch_hits, stop->watched_pc = core->watch_pc;
    if (reason != OAK_STOP_FAULT) return;
    stop->fault = core->fault;
    stop->fault_space = core->fault_space;
    stop->fault_address = core->fault_address;
}

/* One stretch of at most `left` cycles: whole blocks while they fit, then single instructions. */
static mcs51_exit run_stretch(oak_core *core, uint64_t left, bool first)
{
    enum { SLICE = 1 << 30 };
    uint64_t end = core->time.cycles + left, before = core->time.instructions;
    mcs51_exit exit = EXIT_TIME;
    bool was_blocked = core->blocked;
    if (core->tallies.at && left > SLICE) left = SLICE, end = core->time.cycles + left;
    if (!first && left > 1 && !was_blocked && !core->tallies.at)
        exit = mcs51_run_plain(core, left < SLICE ? (uint32_t)left : SLICE);
    if ((exit != EXIT_TIME && exit != EXIT_WATCH) || core->time.cycles >= end) return exit;
    if ((!first || core->time.instructions != before) && core->stop_at[core->pc]) return EXIT_STOP;
    left = first || was_blocked || exit == EXIT_WATCH ? 1 : end - core->time.cycles;
    if (left > SLICE) return exit;
    core->blocked = false;
    before = core->time.instructions;
    exit = mcs51_run_singly(core, (uint32_t)left);
    if (core->time.instructions == before) core->blocked = was_blocked; /* it has not been executed */
    else if (was_blocked) core->attention = true;
    return exit;
}

/* The reset by a watchdog. Time goes on. */
static void reset_itself(oak_core *core)
{
    reset_registers(core);
    if (core->setup.reset_devices) core->setup.reset_devices(core->setup.machine);
}

/* Every instruction takes a cycle or more, so a run of n cycles executes at most n instructions: both budgets are
 * kept by running whole blocks inside the smaller one and single instructions for the rest. */
static void run(oak_core *core, uint64_t until_cycle, uint64_t until_instruction, oak_stop *stop)
{
    bool first = true;
    if (core->resets) reset_itself(core);
    for (;;) {
        if (core->attention || core->time.cycles >= core->next_event) {
            attend(core);
            if (core->resets && !core->struck) {
                reset_itself(core);
                continue;
            }
            if (!core->blocked && !core->struck &&
                take_interrupt(core)) { /* a more urgent one may follow at once */
                first = false;
                continue;
            }
            if (core->struck || core->faulted) { /* whatever sets these calls for attention, too */
                core->struck = core->faulted = false;
                fill_stop(core, OAK_STOP_FAULT, stop);
                return;
            }
            if (core->watch_hits) { /* behind an interrupt that comes here, as behind a step */
                fill_stop(core, OAK_STOP_WATCH, stop);
                core->watch_hits = 0;
                return;
            }
        }
        if (core->time.cycles >= until_cycle || core->time.instructions >= until_instruction) {
            bool by_time = core->time.cycles >= until_cycle;
            fill_stop(core, by_time ? OAK_STOP_CYCLES : OAK_STOP_STEPS, stop);
            return;
        }
        if (core->attention || core->time.cycles >= core->next_event) continue;
        uint64_t until = core->next_event < until_cycle ? core->next_event : until_cycle;
        if (core->data[PCON] & 3) { /* power down stops the clock for good, idle lasts until an interrupt */
            if (!(core->data[PCON] & 2) && !is_lost(core)) {
                core->time.cycles = until;
                continue;
            }
            fill_stop(core, OAK_STOP_PARKED, stop);
            stop->asleep = true;
            return;
        }
        uint64_t left = until - core->time.cycles, steps = until_instruction - core->time.instructions;
        mcs51_exit exit = run_stretch(core, steps < left ? steps : left, first);
        first = false;
        if (exit == EXIT_STACK) {
            unsigned row = core->row[core->pc];
            uint32_t sp = core->data[SP];
            if (stack_grows(core, sp + (row == MCS51_PUSH_DIR ? 1u : 2u), core->time.cycles)) {
                first = true; /* the same instruction again, also when a stop point is there */
                continue;
            }
            core->fault = OAK_FAULT_STACK_OVERFLOW;
            core->fault_space = MCS51_IRAM;
            core->fault_address = sp;
            exit = EXIT_FAULT;
        }
        if (exit == EXIT_PARKED && circle(core, until_cycle, until_instruction)) continue;
        if (exit == EXIT_STOP || exit == EXIT_PARKED || exit == EXIT_FAULT) {
            fill_stop(core,
                      exit == EXIT_STOP     ? OAK_STOP_POINT
                      : exit == EXIT_PARKED ? OAK_STOP_PARKED
                                            : OAK_STOP_FAULT,
                      stop);
            return;
        }
    }
}

static oak_status set_stop(oak_core *core, uint32_t address, bool on)
{
    if (address >= CODE_SPACE) return OAK_OUT_OF_RANGE;
    core->stop_at[address] = on;
    if (core->row[address] != OP_DECODE)
        core->ops[address].handler = on ? OP_STOP : mcs51_handler(core, address);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ looking and changing */

static uint8_t *bank(const oak_core *core)
{
    return (uint8_t *)(uintptr_t)core->data + (core->data[PSW] & 0x18);
}

static oak_status read_register(const oak_core *core, unsigned reg, uint32_t *value)
{
    switch (reg) {
    case MCS51_REG_PC: *value = core->pc; return OAK_OK;
    case MCS51_REG_A: *value = core->a; return OAK_OK;
    case MCS51_REG_B: *value = core->data[B]; return OAK_OK;
    case MCS51_REG_PSW: *value = mcs51_psw(core); return OAK_OK;
    case MCS51_REG_SP: *value = core->data[SP]; return OAK_OK;
    case MCS51_REG_DPTR: *value = (uint32_t)(core->data[DPH] << 8 | core->data[DPL]); return OAK_OK;
    default:
        if (reg > MCS51_REG_R7) return OAK_OUT_OF_RANGE;
        *value = bank(core)[reg - MCS51_REG_R0];
        return OAK_OK;
    }
}

static oak_status write_register(oak_core *core, unsigned reg, uint32_t value)
{
    if (reg >= MCS51_REGISTERS) return OAK_OUT_OF_RANGE;
    if (value > (reg == MCS51_REG_PC || reg == MCS51_REG_DPTR ? 0xFFFFu : 0xFFu)) return OAK_OUT_OF_RANGE;
    switch (reg) {
    case MCS51_REG_PC: core->pc = value; break;
    case MCS51_REG_A: core->a = (uint8_t)value; break;
    case MCS51_REG_B: core->data[B] = (uint8_t)value; break;
    case MCS51_REG_PSW: mcs51_set_psw(core, (uint8_t)value); break;
    case MCS51_REG_SP:
        core->data[SP] = (uint8_t)value;
        mcs51_stack_set(core);
        break;
    case MCS51_REG_DPTR:
        core->data[DPH] = (uint8_t)(value >> 8);
        core->data[DPL] = (uint8_t)value;
        break;
    default: bank(core)[reg - MCS51_REG_R0] = (uint8_t)value; break;
    }
    core->attention = true;
    return OAK_OK;
}

uint8_t *mcs51_cells(const oak_core *core, unsigned space, uint32_t address, size_t count)
{
    uint8_t *data = (uint8_t *)(uintptr_t)core->data;
    uint32_t first = 0, size = 0;
    uint8_t *start = NULL;
    if (space == MCS51_CODE) start = core->code, size = core->code_size;
    if (space == MCS51_IRAM) start = data, size = core->ram_top + 1;
    if (space == MCS51_XRAM) start = core->xram, size = core->xram_size;
    if (space == MCS51_SFR) first = 0x80, start = data + 0x80 + SFR_AT, size = 0x80;
    if (!start || address < first || address - first > size || count > size - (address - first)) return NULL;
    return start + (address - first);
}

static oak_status read_memory(const oak_core *core, unsigned space, uint32_t address, uint8_t *bytes,
                              size_t count)
{
    const uint8_t *from = mcs51_cells(core, space, address, count);
    if (!from) return OAK_OUT_OF_RANGE;
    memcpy(bytes, from, count);
    if (space != MCS51_SFR) return OAK_OK;
    for (size_t i = 0; i < count; i++) {
        uint32_t at = address + (uint32_t)i + SFR_AT;
        if (at == ACC) bytes[i] = core->a;
        else if (at == PSW) bytes[i] = mcs51_psw(core);
        else if (core->cell[at - 0x80 - SFR_AT] == OAK_CELL_DEVICE)
            bytes[i] = (uint8_t)core->setup.device_read(core->setup.machine, at - SFR_AT, bytes[i], true,
                                                        0xFF, core->time.cycles);
    }
    return OAK_OK;
}

static oak_status write_memory(oak_core *core, unsigned space, uint32_t address, const uint8_t *bytes,
                               size_t count)
{
    if (space == MCS51_CODE) {
        if (address > core->code_size || count > core->code_size - address) return OAK_OUT_OF_RANGE;
        for (size_t i = 0; i < count; i++) {
            uint32_t at = address + (uint32_t)i;
            oak_edit edit = {at, core->code[at], core->known[at]};
            if (oak_edits_add(&core->edits, core->setup.host, edit)) return OAK_NO_MEMORY;
        }
        return program(core, address, bytes, count);
    }
    uint8_t *to = mcs51_cells(core, space, address, count);
    if (!to) return OAK_OUT_OF_RANGE;
    if (space != MCS51_SFR) {
        memcpy(to, bytes, count);
        return OAK_OK;
    }
    bool blocked = core->blocked;
    for (size_t i = 0; i < count; i++)
        mcs51_io_write(core, address + (uint32_t)i + SFR_AT, bytes[i], core->time.cycles);
    core->blocked = blocked; /* no instruction has written it */
    return OAK_OK;
}

static oak_chip_time *core_time(oak_core *core)
{
    return &core->time;
}

static void call_attention(oak_core *core)
{
    core->attention = true;
    core->next_device = 0;
}

static void strike(oak_core *core, const oak_notice *notice, bool ends_run, bool resets)
{
    if (ends_run) {
        core->fault = notice->fault;
        core->fault_space = notice->space;
        core->fault_address = notice->address;
    }
    core->struck |= ends_run;
    core->resets |= resets; /* when the run goes on */
    core->attention = true;
}

static uint32_t place(const oak_core *core)
{
    return core->pc;
}

static void tape(oak_core *core, oak_tape *tape)
{
    /* Everything from the time up to the pointers; what is decoded stays, unless the code was another. */
    bool decoded = core->decoded;
    oak_tape_piece(tape, &core->time, offsetof(oak_core, code) - offsetof(oak_core, time));
    core->decoded = decoded;
    if (core->xram) oak_tape_piece(tape, core->xram, core->xram_size);
    size_t taken_back = oak_edits_tape(&core->edits, tape);
    if (taken_back) forget_decoded(core);
    while (taken_back--) {
        oak_edit edit = oak_edits_pop(&core->edits);
        core->code[edit.address] = edit.value;
        core->known[edit.address] = edit.known;
    }
    oak_tallies_tape(&core->tallies, tape);
    core->watch_hits = 0;
    core->attention = true;
}

static oak_status count(oak_core *core, bool on)
{
    oak_status status = oak_tallies_set(&core->tallies, core->setup.host, CODE_SPACE, on);
    core->observed = core->watched_count || core->tallies.at;
    return status;
}

static oak_status counted(const oak_core *core, uint32_t address, oak_tally *tally)
{
    if (address >= CODE_SPACE) return OAK_OUT_OF_RANGE;
    if (!core->tallies.at) return OAK_UNSUPPORTED;
    *tally = core->tallies.at[address];
    return OAK_OK;
}

static const oak_service_log *services(const oak_core *core)
{
    return &core->log;
}

/* The stack grows upwards: where something begins is all that counts. */
static oak_status mark_object(oak_core *core, unsigned space, uint32_t address, uint32_t size)
{
    (void)size;
    if (space == MCS51_IRAM && address < sizeof core->object) core->object[address] = 1;
    mcs51_stack_set(core);
    return OAK_OK;
}

/* The vector of the interrupt that is being served, 0 in the main program. */
static unsigned exception(const oak_core *core)
{
    return core->serving ? 8u * (core->served[core->serving >> 1] - 1u) + 3 : 0;
}

static void visit(oak_core *core, const oak_state_visitor *visitor)
{
    static const char *const from[] = {"from0", "from1", "from2", "from3", "from4", "from5"};
#define VISIT(name, type)                                                                                    \
    {                                                                                                        \
        uint64_t value_ = core->name;                                                                        \
        visitor->number(visitor->context, "core", #name, &value_);                                           \
        core->name = (type)value_;                                                                           \
    }
    VISIT(line, uint8_t)
    VISIT(serving, uint8_t)
    VISIT(served[0], uint8_t)
    VISIT(served[1], uint8_t)
    VISIT(blocked, bool)
    VISIT(resets, bool)
#undef VISIT
    core->served[0] = core->served[0] % (MCS51_LINES + 1u);
    core->served[1] = core->served[1] % (MCS51_LINES + 1u);
    for (unsigned n = 0; n < MCS51_LINES; n++)
        visitor->number(visitor->context, "core", from[n], &core->from[n]);
    core->attention = true;
}

const oak_core_ops mcs51_core_ops = {
    .create = create,
    .destroy = destroy,
    .reset = reset,
    .program = program,
    .run = run,
    .read_register = read_register,
    .write_register = write_register,
    .read_memory = read_memory,
    .write_memory = write_memory,
    .set_stop = set_stop,
    .time = core_time,
    .interrupt = interrupt,
    .attend = call_attention,
    .strike = strike,
    .visit = visit,
    .exception = exception,
    .services = services,
    .count = count,
    .counted = counted,
    .tape = tape,
    .external = set_external,
    .place = place,
    .watch = mcs51_watch,
    .touches = mcs51_touches,
    .mark_object = mark_object,
};
