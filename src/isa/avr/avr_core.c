/* avr_core.c — one core: data memory and its registers with effects, the stack, interrupts, sleep, program memory that is written, the loop. */
#include "isa/avr/avr.h"

/* ------------------------------------------------------------------------------------------ data memory */

/* What lies at each address. */
static void lay_data(oak_core *core)
{
    static const uint16_t own[] = {AVR_SREG, AVR_SPL, AVR_SPH};
    const oak_core_setup *setup = &core->kit.setup;
    memset(core->kind, AVR_ABSENT, sizeof core->kind);
    memset(core->kind, AVR_PLAIN, AVR_IO);
    core->top = 0;
    for (unsigned i = 0; i < setup->memory_count; i++) {
        const oak_core_memory *memory = &setup->memories[i];
        if (memory->space != AVR_DATA) continue;
        memset(core->kind + memory->base, AVR_PLAIN, memory->size);
        core->top = (uint16_t)(memory->base + memory->size - 1);
    }
    for (uint32_t address = AVR_IO; address < AVR_IO_END; address++) {
        oak_cell_kind cell = core->kind[address] == AVR_PLAIN
                                 ? OAK_CELL_ABSENT
                                 : setup->cell_kind(setup->machine, AVR_DATA, address);
        if (cell) core->kind[address] = cell == OAK_CELL_DEVICE ? AVR_LIVE : AVR_PLAIN;
    }
    for (unsigned i = 0; i < sizeof own / sizeof *own; i++) core->kind[own[i]] = AVR_LIVE;
    const kit_space *code = kit_stretch(core, AVR_CODE, 0);
    core->code = code ? code->cells : NULL;
    core->code_bytes = code ? 2 * code->size : 0;
}

static uint32_t status(const oak_core *core)
{
    uint32_t nz = core->nz, over = core->over, carries = core->carries;
    bool negative = nz & NZ_NEGATIVE, overflows = (over ^ over >> 1) & 0x80;
    bool sign = (negative != overflows) != ((nz & NZ_ODD) != 0);
    return (carries >> 8 & 1) | (nz & NZ_ZERO ? 0u : FLAG_Z) | (negative ? FLAG_N : 0u) |
           (overflows ? FLAG_V : 0u) | (sign ? FLAG_S : 0u) | (carries & 0x10 ? FLAG_H : 0u) |
           (core->t ? FLAG_T : 0u) | (core->i ? FLAG_I : 0u);
}

static void set_status(oak_core *core, uint32_t value)
{
    bool negative = value & FLAG_N, overflows = value & FLAG_V, sign = value & FLAG_S;
    core->carries = (value & FLAG_C) << 8 | (value & FLAG_H ? 0x10u : 0);
    core->over = overflows ? 0x80 : 0;
    core->nz = (value & FLAG_Z ? 0u : 0x100) | (negative ? 0x200u : 0) |
               (sign != (negative != overflows) ? (uint32_t)NZ_ODD : 0);
    core->t = (value & FLAG_T) != 0;
    if (value & FLAG_I && !core->i) core->kit.blocked = true; /* one instruction comes first */
    core->i = (value & FLAG_I) != 0;
    core->kit.attention = true;
}

static bool is_device(const oak_core *core, uint32_t address)
{
    const oak_core_setup *setup = &core->kit.setup;
    return setup->cell_kind(setup->machine, AVR_DATA, address) == OAK_CELL_DEVICE;
}

static uint8_t look_at(const oak_core *core, uint32_t address)
{
    return address == AVR_SREG  ? (uint8_t)status(core)
           : address == AVR_SPL ? (uint8_t)core->sp
           : address == AVR_SPH ? (uint8_t)(core->sp >> 8)
                                : core->data[address];
}

/* A register with an effect, in the cycle that begins at `now`. */
static uint8_t avr_read(oak_core *core, uint32_t address, uint8_t asked, uint64_t now)
{
    const oak_core_setup *setup = &core->kit.setup;
    if (!is_device(core, address)) return look_at(core, address);
    return (uint8_t)setup->device_read(setup->machine, AVR_DATA, address, core->data[address], false, asked,
                                       now);
}

static void move_stack(oak_core *core, uint32_t sp)
{
    core->sp = (uint16_t)sp;
    core->stack.floor = KIT_STACK_SPAN;
}

/* And written at its end. */
static void avr_write(oak_core *core, uint32_t address, uint8_t value, uint64_t now)
{
    const oak_core_setup *setup = &core->kit.setup;
    if (address == AVR_SREG) set_status(core, value);
    else if (address == AVR_SPL) move_stack(core, (core->sp & 0xFF00u) | value);
    else if (address == AVR_SPH) move_stack(core, (core->sp & 0xFFu) | (uint32_t)value << 8);
    else {
        core->data[address] = value;
        if (is_device(core, address)) setup->device_write(setup->machine, AVR_DATA, address, value, now);
    }
}

/* sbi and cbi: one bit; what would do something when it is written stays alone. */
static void avr_change(oak_core *core, uint32_t address, uint8_t mask, bool on, uint64_t end)
{
    const oak_core_setup *setup = &core->kit.setup;
    uint8_t value = look_at(core, address);
    if (is_device(core, address))
        value = (uint8_t)setup->device_read(setup->machine, AVR_DATA, address, core->data[address], true,
                                            mask, end - 1);
    avr_write(core, address, (uint8_t)(on ? value | mask : value & ~(uint32_t)mask), end);
}

/* As somebody sees it who looks on; and as he changes it. */
static uint8_t peek(const oak_core *core, unsigned space, uint32_t address, uint8_t stored)
{
    const oak_core_setup *setup = &core->kit.setup;
    if (space != AVR_DATA || core->kind[address] == AVR_PLAIN) return stored;
    if (core->kind[address] == AVR_ABSENT) return 0;
    if (!is_device(core, address)) return look_at(core, address);
    return (uint8_t)setup->device_read(setup->machine, AVR_DATA, address, core->data[address], true, 0,
                                       core->kit.time.cycles);
}

static void poke(oak_core *core, unsigned space, uint32_t address, uint8_t value)
{
    bool was_blocked = core->kit.blocked;
    if (space != AVR_DATA || core->kind[address] == AVR_ABSENT) return;
    if (core->kind[address] == AVR_LIVE) avr_write(core, address, value, core->kit.time.cycles);
    else core->data[address] = value;
    core->kit.blocked = was_blocked;
}

/* ------------------------------------------------------------------------------------------ program memory as data */

/* What SPMCSR says is done to program memory, in which bits can only become 0: a word is held, a page erased, a page written. The core stands. */
static void avr_program(oak_core *core)
{
    enum { DOES = 1, ERASES = 2, WRITES = 4, STANDS = 64000 };
    uint32_t at = kit_le16(core->data + RZ), page = (at >> 1) & ~(uint32_t)(AVR_PAGE - 1);
    uint8_t bytes[2 * AVR_PAGE], what = core->data[AVR_SPMCSR];
    core->data[AVR_SPMCSR] &= 0xF8;
    if (!(what & DOES) || 2 * page + sizeof bytes > core->code_bytes) return;
    if (!(what & (ERASES | WRITES))) {
        memcpy(core->held + (at & (2 * AVR_PAGE - 2)), core->data, 2);
        return;
    }
    for (uint32_t i = 0; i < sizeof bytes; i++)
        bytes[i] = what & ERASES ? 0xFF : core->code[2 * page + i] & core->held[i];
    (void)!kit_write_memory(core, AVR_CODE, page, bytes, sizeof bytes); /* it is there */
    if (what & WRITES) memset(core->held, 0xFF, sizeof core->held);
    kit_stall(core, STANDS);
}

/* ------------------------------------------------------------------------------------------ stack and interrupts */

/* A push that somebody has to look at. False with the fault set. */
static bool avr_may_push(oak_core *core, uint32_t at, uint64_t now)
{
    if (core->kind[at] != AVR_PLAIN) return kit_fail(core, OAK_FAULT_STACK_OVERFLOW, at);
    kit_meets_data(core, &core->objects, &core->stack, at + 1, at, now);
    return true;
}

static uint32_t enabled(const oak_core *core)
{
    return core->i ? (1u << AVR_LINES) - 1 : 0;
}

static void wake(oak_core *core)
{
    if (core->sleeping) kit_clocks(core, 0, core->kit.time.cycles);
    core->sleeping = 0;
}

static void avr_sleep(oak_core *core, uint64_t now)
{
    uint8_t mode = core->data[AVR_SMCR];
    if (!(mode & 1)) return; /* it is not let to */
    core->sleeping = 1;
    core->kit.attention = true; /* nothing is executed behind it */
    kit_clocks(core, mode >> 1 & 7 ? 1u : 0, now);
}

static void avr_feed(oak_core *core, uint64_t now)
{
    kit_watchdog_feed(core, AVR_FEEDS, now);
}

static bool take_interrupt(oak_core *core)
{
    enum { RESPONSE = 4, WAKES = 4 };
    kit_core *kit = &core->kit;
    uint64_t now = kit->time.cycles;
    uint32_t ready = kit_lines_due(core, enabled(core), &core->lines), line = 0;
    if (!ready) return false;
    while (!(ready >> line & 1)) line++; /* the first vector is the most urgent */
    uint32_t vector = oak_vector_of(&oak_isa_avr.about, line);
    if (kit_handler_missing(core, vector, 1)) return false;
    unsigned cycles = RESPONSE + (core->sleeping ? WAKES : 0);
    wake(core);
    if (kit->observed) kit_watch_entry(core, vector);
    for (unsigned i = 0; i < 2; i++) {
        uint32_t at = core->sp;
        if ((at < core->stack.floor || core->kind[at]) && !avr_may_push(core, at, now)) {
            core->sp = (uint16_t)(core->sp + i);
            return kit->faulted = true;
        }
        core->data[at] = (uint8_t)(kit->pc >> 8 * i);
        core->sp--;
    }
    kit_begin_frame(core, &core->stack, core->sp, line + 1, vector);
    core->i = 0;
    kit->pc = vector;
    kit->time.cycles += cycles;
    kit->attention = true;
    kit->next_device = kit->setup.acknowledge(kit->setup.machine, line, now);
    if (kit->observed) kit_watch_end(core);
    return true;
}

static unsigned asleep(oak_core *core)
{
    return core->sleeping;
}

/* ------------------------------------------------------------------------------------------ decoding */

/* An instruction that may run together with what stands behind it: the handler of that, or 0. */
static uint16_t fused(const oak_core *core, const oak_decoded *decoded)
{
    enum { ALONE, BRANCHES = 4 };
    static const uint16_t alone[][2] = {{AVR_CP_CPC_ALONE, AVR_CP}, {AVR_CPI_CPC_ALONE, AVR_CPI},
                                        {AVR_CP_ALONE, AVR_CP},     {AVR_CPI_ALONE, AVR_CPI},
                                        {AVR_CPC_ALONE, AVR_CPC},   {AVR_SUBI_ALONE, AVR_SUBI},
                                        {AVR_SBCI_ALONE, AVR_SBCI}, {AVR_SBIW_ALONE, AVR_SBIW},
                                        {AVR_DEC_ALONE, AVR_DEC},   {AVR_TST_ALONE, AVR_TST}};
    static const uint16_t sums[][3] = {{AVR_ADD, AVR_ADC, AVR_ADD_ADC},
                                       {AVR_SUB, AVR_SBC, AVR_SUB_SBC},
                                       {AVR_SUBI, AVR_SBCI, AVR_SUBI_SBCI}};
    oak_decoded next;
    uint32_t pc = decoded->address, which, d = kit_field_of(core->kit.tables, decoded, 'd');
    if (kit_missing(core, (pc + 1) % AVR_SPAN, 1, &which) || kit_decode_at(core, (pc + 1) % AVR_SPAN, &next))
        return 0;
    unsigned row = next.row;
    bool apart = kit_field_of(core->kit.tables, &next, 'd') != d &&
                 (row == AVR_SBCI || kit_field_of(core->kit.tables, &next, 'r') != d);
    for (unsigned i = 0; i < sizeof sums / sizeof *sums; i++)
        if (sums[i][0] == decoded->row && sums[i][1] == row && apart) return sums[i][2];
    unsigned first = 2, then = 0;
    bool longer = row == AVR_CPC && (decoded->row == AVR_CP || decoded->row == AVR_CPI);
    if (longer) {
        first = decoded->row == AVR_CPI;
        if (kit_missing(core, (pc + 2) % AVR_SPAN, 1, &which) ||
            kit_decode_at(core, (pc + 2) % AVR_SPAN, &next))
            return alone[first][0];
        row = next.row;
    }
    while (first < sizeof alone / sizeof *alone && alone[first][1] != decoded->row) first++;
    if (first == sizeof alone / sizeof *alone) return 0;
    then = row == AVR_BRCS ? 1 : row == AVR_BREQ ? 2 : row == AVR_BRCC ? 3 : row == AVR_BRNE ? 4 : 0;
    return then || longer ? (uint16_t)(alone[first][0] + then) : 0;
}

static uint16_t natural(const oak_core *core, uint32_t pc, uint16_t handler)
{
    const kit_op *op = &core->kit.ops[pc];
    bool seen = core->kit.watched_count || core->kit.stop_at[(pc + 1) % AVR_SPAN] ||
                core->kit.stop_at[(pc + 2) % AVR_SPAN];
    if (handler < KIT_FIRST_ROW + AVR_RJMP && op->to && !seen) return (uint16_t)op->to;
    switch (handler - KIT_FIRST_ROW) {
    case AVR_IN: return core->kind[op->at] ? AVR_IN_LIVE : handler;
    case AVR_OUT: return core->kind[op->at] ? AVR_OUT_LIVE : handler;
    case AVR_SBI: return core->kind[op->at] ? AVR_SBI_LIVE : handler;
    case AVR_CBI: return core->kind[op->at] ? AVR_CBI_LIVE : handler;
    case AVR_SBIC: return core->kind[op->at] ? AVR_SBIC_LIVE : handler;
    case AVR_SBIS: return core->kind[op->at] ? AVR_SBIS_LIVE : handler;
    default: return handler;
    }
}

/* x, y: registers; y of a bit its mask, of what moves a pointer that (and 1: before). at: an immediate, an address, a distance; what a skip over two words
 * costs more is in x beside an address, else in at. */
static void fill(oak_core *core, const oak_decoded *decoded, kit_op *op)
{
    static const uint8_t moves[][2] = {{AVR_LD_XI, RX},     {AVR_LD_XD, RX + 1}, {AVR_LD_YI, RY},
                                       {AVR_LD_YD, RY + 1}, {AVR_LD_ZI, RZ},     {AVR_LD_ZD, RZ + 1},
                                       {AVR_ST_XI, RX},     {AVR_ST_XD, RX + 1}, {AVR_ST_YI, RY},
                                       {AVR_ST_YD, RY + 1}, {AVR_ST_ZI, RZ},     {AVR_ST_ZD, RZ + 1},
                                       {AVR_LPM_ZI, RZ}};
    const oak_pattern *pattern = &kit_tables_of(core->kit.tables)->row[decoded->row].pattern;
#define FIELD(letter) oak_pattern_get(pattern, letter, decoded->word)
#define WIDTH(letter) oak_pattern_width(pattern, letter)
    bool pairs = decoded->row == AVR_MOVW,
         skips = decoded->flow == OAK_FLOW_BRANCH && decoded->row >= AVR_CPSE;
    uint32_t d = FIELD('d'), r = FIELD('r');
    unsigned width = WIDTH('d');
    op->x = (uint8_t)(width == 2 ? 24 + 2 * d : pairs ? 2 * d : width == 5 ? d : 16 + d);
    op->y = (uint8_t)(pairs ? 2 * r : WIDTH('r') == 5 ? r : 16 + r);
    if (!width) op->x = 0;
    if (!WIDTH('r')) op->y = 0;
    if (WIDTH('b')) op->y = (uint8_t)(1u << FIELD('b'));
    op->at = FIELD('k') | FIELD('q');
    if (decoded->row == AVR_SER) op->at = 0xFF;
    if (WIDTH('a') && !decoded->has_target) op->at = FIELD('a') + AVR_IO;
    for (unsigned i = 0; i < sizeof moves / sizeof *moves; i++)
        if (moves[i][0] == decoded->row) op->y = moves[i][1];
    if (decoded->flow == OAK_FLOW_CALL) op->at = decoded->address + decoded->size;
    if (decoded->row == AVR_SBI) op->x = 1;
    if (decoded->row < AVR_RJMP) op->to = fused(core, decoded);
    uint32_t over = (decoded->target - decoded->address) & (AVR_SPAN - 1);
    if (!skips) return;
    if (WIDTH('a')) op->at = FIELD('a') + AVR_IO, op->x = over > 2;
    else op->at = over > 2;
#undef WIDTH
#undef FIELD
}

/* Where a pointer really leads: in front of it, where it moves first; program memory by words. */
static void window(const oak_core *core, const oak_decoded *decoded, kit_reach *one)
{
    (void)core;
    if (one->space == AVR_CODE) one->address >>= 1;
    if (decoded->row == AVR_LD_XD || decoded->row == AVR_LD_YD || decoded->row == AVR_LD_ZD ||
        decoded->row == AVR_ST_XD || decoded->row == AVR_ST_YD || decoded->row == AVR_ST_ZD)
        one->address = (one->address - 1) & (AVR_CELLS - 1);
}

/* Pairs of registers; program memory by lpm without a word. */
static unsigned more_cells(const oak_core *core, const oak_decoded *decoded, kit_reach *list, unsigned count)
{
    const oak_pattern *pattern = &kit_tables_of(core->kit.tables)->row[decoded->row].pattern;
    uint32_t d = oak_pattern_get(pattern, 'd', decoded->word),
             r = oak_pattern_get(pattern, 'r', decoded->word);
#define PAIR_OF(first, how)                                                                                  \
    (kit_reach)                                                                                              \
    {                                                                                                        \
        AVR_DATA, how, 0xFF, true, 0, 0, first, 2                                                            \
    }
    if (decoded->row == AVR_MOVW) {
        list[count++] = PAIR_OF(2 * r, KIT_READS);
        list[count++] = PAIR_OF(2 * d, KIT_WRITES);
    } else if (decoded->row == AVR_ADIW || decoded->row == AVR_SBIW)
        list[count++] = PAIR_OF(24 + 2 * d, KIT_BOTH);
    else if (decoded->row == AVR_LPM)
        list[count++] =
            (kit_reach){AVR_CODE, KIT_READS, 0xFF, true, 0, 0, kit_le16(core->data + RZ) >> 1u, 1};
#undef PAIR_OF
    return count;
}

/* ------------------------------------------------------------------------------------------ the loop */

#include "isa/kit/dispatch.h"
#define CORE_TABLE "isa/avr/avr.def"
#define CORE_CASES "isa/avr/avr_cases.h"
#define CORE_SPAN  AVR_SPAN
#define CORE_CODE  AVR_CODE
#define CORE_EXTRA(X)                                                                                        \
    X(AVR_OUT_LIVE)                                                                                          \
    X(AVR_IN_LIVE)                                                                                           \
    X(AVR_SBI_LIVE)                                                                                          \
    X(AVR_CBI_LIVE)                                                                                          \
    X(AVR_SBIC_LIVE)                                                                                         \
    X(AVR_SBIS_LIVE) X(AVR_ADD_ADC) X(AVR_SUB_SBC) X(AVR_SUBI_SBCI) AVR_FUSED(AVR_THEN_LABELS)
#define AVR_LABEL KIT_EXTRA_LABEL
#define AVR_THEN_LABELS(id)                                                                                  \
    AVR_LABEL(AVR_##id##_ALONE)                                                                              \
    AVR_LABEL(AVR_##id##_CS) AVR_LABEL(AVR_##id##_EQ) AVR_LABEL(AVR_##id##_CC) AVR_LABEL(AVR_##id##_NE)
#define CORE_LOCALS                                                                                          \
    uint8_t *const data = core->data;                                                                        \
    uint32_t nz, carries, over, r, at = 0, byte = 0
#define CORE_SETTLE    KIT_SETTLE(nz, carries, over, op)
#define SAVE_REGISTERS (void)0
#define SAVE           (core->nz = nz, core->carries = carries, core->over = over)
#define LOAD           (nz = core->nz, carries = core->carries, over = core->over)
#define BACK_TO_IT
#define CORE_LOOP(name) avr_##name
KIT_LOOPS(avr_);
#include "isa/kit/loops.h"

/* ------------------------------------------------------------------------------------------ registers */

static void reset_registers(oak_core *core)
{
    memset(core->held, 0xFF, sizeof core->held);
    core->t = core->i = core->sleeping = core->spm = 0;
    core->nz = 0x100, core->carries = core->over = 0;
    if (!core->kit.resets) core->data[AVR_MCUSR] = 1; /* power came */
    move_stack(core, core->top);
    core->stack.depth = 0;
    core->lines.asks = 0;
    core->kit.stalled = 0;
}

static oak_status write_register(oak_core *core, unsigned reg, uint32_t value)
{
    bool was_blocked = core->kit.blocked;
    oak_status done = kit_own_write(core, reg, value);
    core->kit.blocked = was_blocked;
    if (!done && reg == AVR_REG_PC) wake(core);
    return done;
}

/* ------------------------------------------------------------------------------------------ the whole */

/* clang-format off */
#define IN_FILE(n) [AVR_REG_R##n] = {offsetof(oak_core, data) + (n), 1, false},
#define PAIR_AT(n) {offsetof(oak_core, data) + (n), 2, true}
static const struct kit_register registers_at[AVR_REGISTERS] = {
    AVR_FILE(IN_FILE) [AVR_REG_SP] = KIT_AT(sp), [AVR_REG_PC] = KIT_AT(kit.pc), [AVR_REG_X] = PAIR_AT(RX), [AVR_REG_Y] = PAIR_AT(RY), [AVR_REG_Z] = PAIR_AT(RZ)};

static const kit_inner inner[] = {
    KIT_INNER("sleeping", sleeping, 1), KIT_INNER("stalled", kit.stalled, UINT32_MAX), KIT_INNER_LINES, {0}};

static const kit_arch arch = {
    .isa = &oak_isa_avr, .entry_writes = {AVR_REG_SREG + 1}, .code_span = AVR_SPAN, .core_size = sizeof(oak_core), .cycles = avr_cycles, KIT_LOOPS_OF(avr_),
    .skips = true, .alike = AVR_ALIKE, .fill = fill, .natural = natural, .reset = reset_registers, .objects = offsetof(oak_core, objects), .stack = offsetof(oak_core, stack),
    .lines = offsetof(oak_core, lines), .enabled = enabled, .interrupt = take_interrupt, .noticed_at = kit_vectored_notice, .deaf = kit_vectored_deaf,
    .asleep = asleep, .status = status, .set_status = set_status, .peek = peek, .poke = poke, .window = window, .more_cells = more_cells, .registers_at = registers_at, .inner = inner,
    .tape_from = offsetof(oak_core, data), .tape_to = sizeof(oak_core)};
/* clang-format on */

static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **core)
{
    return kit_create_filed(&arch, tables, setup, AVR_DATA, offsetof(oak_core, data), AVR_CELLS, lay_data,
                            core);
}

const oak_core_ops avr_core_ops = {KIT_CORE_OPS,
                                   .create = create,
                                   .read_register = kit_own_read,
                                   .write_register = write_register,
                                   .interrupt = kit_own_line,
                                   .exception = kit_own_vector,
                                   .mark_object = kit_own_object};
