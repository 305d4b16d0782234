/* z80_core.c — one Z80: its stack, interrupts, operands of decoded instructions, registers, the loop. */
#include "isa/z80/z80.h"

static uint32_t pair(const oak_core *core, unsigned at)
{
    return kit_le16(core->reg + at);
}

/* ------------------------------------------------------------------------------------------ words and flags */

#define FOUR(f)    Z80_BY_OF(f), Z80_BY_OF((f) + 1), Z80_BY_OF((f) + 2), Z80_BY_OF((f) + 3)
#define SIXTEEN(f) FOUR(f), FOUR((f) + 4), FOUR((f) + 8), FOUR((f) + 12)
#define QUARTER(f) SIXTEEN(f), SIXTEEN((f) + 16), SIXTEEN((f) + 32), SIXTEEN((f) + 48)
static const uint32_t z80_by_of[256] = {QUARTER(0), QUARTER(64), QUARTER(128), QUARTER(192)};

/* A word of which something is guarded, or that wraps round; false: it cannot be read. */
static bool z80_far_word(const oak_core *core, uint32_t at, uint32_t *word)
{
    uint32_t behind = (at + 1) & 0xFFFF;
    *word = (uint32_t)(core->mem[at] | core->mem[behind] << 8);
    return !((core->kit.guard[at] | core->kit.guard[behind]) & KIT_GUARD_READS);
}

/* ------------------------------------------------------------------------------------------ interrupts */

static void interrupt(oak_core *core, unsigned line, bool level, uint64_t from)
{
    if (line >= Z80_LINES) return;
    if (line == Z80_NMI && level && !(core->line >> Z80_NMI & 1)) core->nmi = 1;
    core->line = level ? core->line | 1u << line : core->line & ~(1u << line);
    core->from[line] = from;
    core->kit.attention = true;
}

/* The lines that are let through. In mode 2 a device that is being served holds back itself and the less urgent ones, until reti. */
static unsigned enabled(const oak_core *core)
{
    unsigned all = (1u << Z80_MASKABLE) - 1, first = core->serving & ~(core->serving - 1u);
    if (!core->iff1) return 0;
    return core->im == 2 && first ? all & (first - 1) : all;
}

static bool take_interrupt(oak_core *core)
{
    kit_core *kit = &core->kit;
    uint64_t now = kit->time.cycles;
    unsigned ready = 0, asks = core->line & enabled(core), line = 0;
    bool nmi = core->nmi && core->from[Z80_NMI] <= now;
    for (unsigned n = 0; asks >> n; n++) ready |= (unsigned)(asks >> n & 1 && core->from[n] <= now) << n;
    if (!ready && !nmi) return false;
    while (!nmi && !(ready >> line & 1)) line++;
    uint32_t table = (uint32_t)core->i << 8 | 2 * line,
             vector = nmi            ? 0x66
                      : core->im < 2 ? 0x38
                                     : (uint32_t)(core->mem[table] | core->mem[(table + 1) & 0xFFFF] << 8);
    if (kit_handler_missing(core, vector, 1)) return false;
    if (kit->observed) kit_watch_entry(core, vector);
    if (!kit_push(core, &core->objects, &core->stack, pair(core, RSP), kit->pc + core->halted, now)) {
        kit->faulted = true;
        return false;
    }
    core->iff1 = 0;
    if (nmi) core->nmi = 0;
    else core->iff2 = 0;
    if (!nmi && core->im == 2) core->serving |= (uint8_t)(1u << line);
    kit_put_le16(core->reg + RSP, pair(core, RSP) - 2);
    core->halted = 0;
    core->prefixes++; /* it is fetched like an instruction */
    core->wz = vector;
    kit->pc = vector;
    kit_begin_frame(core, &core->stack, pair(core, RSP), nmi ? Z80_NMI + 1 : line + 1, vector);
    kit->time.cycles += nmi ? 11 : core->im == 2 ? 19 : 13;
    kit->attention = true;
    kit->next_device = kit->setup.acknowledge(kit->setup.machine, nmi ? Z80_NMI : line, now);
    if (kit->observed) kit_watch_end(core);
    return true;
}

static uint64_t noticed_at(oak_core *core)
{
    uint64_t at = UINT64_MAX;
    unsigned asks = (core->line & enabled(core)) | (unsigned)core->nmi << Z80_NMI;
    for (unsigned n = 0; asks >> n; n++)
        if (asks >> n & 1 && core->from[n] > core->kit.time.cycles && core->from[n] < at) at = core->from[n];
    return at;
}

static bool deaf(const oak_core *core)
{
    const oak_core_setup *setup = &core->kit.setup;
    bool alarm = setup->lines >> Z80_NMI & 1 && setup->outside_acts && setup->outside_acts(setup->machine);
    return !alarm && !(setup->lines & enabled(core));
}

static uint16_t natural(const oak_core *core, uint32_t pc, uint16_t handler)
{
    (void)core, (void)pc;
    return handler == KIT_FIRST_ROW + Z80_HALT ? KIT_PARKED : handler;
}

static uint32_t round_of(oak_core *core)
{
    unsigned row = core->kit.row[core->kit.pc] - KIT_FIRST_ROW;
    core->halted = row == Z80_HALT; /* an interrupt returns behind it */
    return z80_cycles[row];
}

static unsigned exception(const oak_core *core)
{
    return kit_frame_vector(&core->stack);
}

/* ------------------------------------------------------------------------------------------ decoding */

static uint8_t place_of(unsigned code)
{
    return (uint8_t)(code == 7 ? RA : code ^ 1);
}

/* x is where it goes, a mask or a condition; y where it comes from; both of a call, where it returns to; at a number; to a target, or where the index register lies. */
static void fill(oak_core *core, const oak_decoded *decoded, kit_op *op)
{
    const oak_pattern *pattern = &kit_tables_of(core->kit.tables)->row[decoded->row].pattern;
#define HAS(letter)   oak_pattern_width(pattern, letter)
#define FIELD(letter) oak_pattern_get(pattern, letter, decoded->word)
    uint8_t half = (uint8_t)(RIX + (FIELD('h') & 2) + !(FIELD('h') & 1)), place = place_of(FIELD('r'));
    bool of_ix = decoded->row == Z80_LD_IXH_IXH, of_iy = decoded->row == Z80_LD_IYH_IYH;
    op->at = FIELD('n');
    if (HAS('h')) op->x = op->y = half;
    if (HAS('b')) op->x = (uint8_t)(1u << FIELD('b')), op->y = place;
    else if (HAS('r')) op->x = place;
    if (HAS('s')) op->y = place_of(FIELD('s'));
    if (HAS('p') || HAS('q')) op->x = (uint8_t)(2 * (FIELD('p') | FIELD('q')));
    if (HAS('x')) op->to = RIX + 2 * FIELD('x');
    if (HAS('d')) {
        op->at = (FIELD('d') ^ 0x80u) - 0x80u;
        if (HAS('n')) op->x = (uint8_t)FIELD('n');
    }
    if (of_ix || of_iy) {
        unsigned base = of_ix ? RIX : RIY;
        op->x = (uint8_t)(base + !FIELD('r'));
        op->y = (uint8_t)(base + !FIELD('s'));
    }
    if (decoded->has_target) op->at = decoded->target;
    if (decoded->flow == OAK_FLOW_CALL) { /* where it returns to */
        op->x = (uint8_t)(decoded->address + decoded->size);
        op->y = (uint8_t)((decoded->address + decoded->size) >> 8);
    }
#undef HAS
#undef FIELD
}

/* The conditions in the order of their codes, of calls and returns. */
static bool passes(const oak_core *core, const oak_decoded *decoded)
{
    static const uint8_t masks[] = {0x40, 0x01, 0x04, 0x80};
    unsigned row = decoded->row, condition;
    if (row >= Z80_CALL_NZ && row <= Z80_CALL_M) condition = row - Z80_CALL_NZ;
    else if (row >= Z80_RET_NZ && row <= Z80_RET_M) condition = row - Z80_RET_NZ;
    else return true;
    return ((z80_flags_of(&core->flags) & masks[condition / 2]) != 0) == condition % 2;
}

/* A port has an address of 8 bits; words have two bytes. */
static void window(const oak_core *core, const oak_decoded *decoded, kit_reach *one)
{
    (void)core;
    if (one->space == Z80_IO) one->address &= 0xFF;
    if (one->space != Z80_MEM) return;
    bool word = decoded->row >= Z80_LD_HL_MEM && decoded->row <= Z80_LD_MEM_XY;
    if (word) one->size = 2;
}

static unsigned more_cells(const oak_core *core, const oak_decoded *decoded, kit_reach *list, unsigned count)
{
    kit_reach at_hl = {
        .space = Z80_MEM, .accesses = KIT_READS, .bits = 0xFF, .address = pair(core, RHL), .size = 1};
    kit_reach other = at_hl;
    switch (decoded->row) {
    case Z80_LDI:
    case Z80_LDIR:
    case Z80_LDD:
    case Z80_LDDR:
        other.accesses = KIT_WRITES;
        other.address = pair(core, RDE);
        break;
    case Z80_INI:
    case Z80_INIR:
    case Z80_IND:
    case Z80_INDR:
    case Z80_OUTI:
    case Z80_OTIR:
    case Z80_OUTD:
    case Z80_OTDR: {
        bool in = decoded->row < Z80_OUTI;
        at_hl.accesses = in ? KIT_WRITES : KIT_READS;
        other.space = Z80_IO;
        other.accesses = in ? KIT_READS : KIT_WRITES;
        other.address = core->reg[RC];
        break;
    }
    case Z80_RLD:
    case Z80_RRD: at_hl.accesses = KIT_BOTH; break;
    case Z80_CPI:
    case Z80_CPIR:
    case Z80_CPD:
    case Z80_CPDR: break;
    default: return count;
    }
    list[count++] = at_hl;
    if (other.accesses != KIT_READS || other.space == Z80_IO) list[count++] = other;
    return count;
}

/* ------------------------------------------------------------------------------------------ the loop */

#include "isa/kit/dispatch.h"

#define CORE_TABLE "isa/z80/z80.def"
#define CORE_CASES "isa/z80/z80_cases.h"
#define CORE_SPAN  Z80_SPAN
#define CORE_CODE  Z80_MEM
#define CORE_EXTRA(X)
#define CORE_RESTLESS 1
#define CORE_LOCALS   uint32_t sz, by, cy, hx, xy, wz, prefixes, address = 0, byte = 0, word = 0, got = 0
#define LOAD_FLAGS                                                                                           \
    (sz = core->flags.sz, by = core->flags.by, cy = core->flags.cy, hx = core->flags.hx, xy = core->flags.xy)
#define LOAD           (LOAD_FLAGS, wz = core->wz, prefixes = core->prefixes)
#define SAVE_REGISTERS (void)0
#define SAVE                                                                                                 \
    (core->flags = (z80_flags){sz, by, cy, hx, xy}, core->wz = wz & 0xFFFF, core->prefixes = prefixes)
#define BACK_TO_IT      (void)0
#define CORE_LOOP(name) z80_##name
KIT_LOOPS(z80_);
#include "isa/kit/loops.h"

/* ------------------------------------------------------------------------------------------ registers */

/* What the manual leaves open begins with 0. */
static void reset_registers(oak_core *core)
{
    size_t registers = offsetof(oak_core, mem) - offsetof(oak_core, reg);
    memset(core->reg, 0, registers);
    z80_set_flags(&core->flags, 0);
    core->stack.floor = Z80_SPAN;
    core->refresh = 0u - (uint32_t)core->kit.time.instructions;
}

/* clang-format off */
#define PAIR_AT(at) {offsetof(oak_core, reg) + (at), 2, true}
#define NOWHERE     {0, 0, false}
#define PLACE(id, name, bits, lies, ...) [Z80_REG_##id] = lies,
/* clang-format on */
static const struct kit_register registers_at[Z80_REGISTERS] = {Z80_REGISTER_LIST(PLACE)};

static oak_status read_register(const oak_core *core, unsigned reg, uint32_t *value)
{
    uint32_t begun = (uint32_t)core->kit.time.instructions + core->prefixes;
    if (reg == Z80_REG_F) *value = z80_flags_of(&core->flags);
    else if (reg == Z80_REG_AF) *value = (uint32_t)core->reg[RA] << 8 | z80_flags_of(&core->flags);
    else if (reg == Z80_REG_R) *value = ((core->refresh + begun) & 0x7F) | core->refresh_high;
    else return kit_read_register(core, reg, value);
    return OAK_OK;
}

static oak_status write_register(oak_core *core, unsigned reg, uint32_t value)
{
    if (reg >= Z80_REGISTERS || value >> oak_isa_z80.about.registers[reg].bits) return OAK_OUT_OF_RANGE;
    core->kit.attention = true;
    if (reg == Z80_REG_PC) core->halted = 0;
    if (reg == Z80_REG_SP) core->stack.floor = Z80_SPAN;
    if (reg == Z80_REG_F || reg == Z80_REG_AF) z80_set_flags(&core->flags, value & 0xFF);
    if (reg == Z80_REG_AF) core->reg[RA] = (uint8_t)(value >> 8);
    else if (reg == Z80_REG_R) {
        core->refresh = value - (uint32_t)core->kit.time.instructions - core->prefixes;
        core->refresh_high = value & 0x80;
    } else if (reg != Z80_REG_F) return kit_write_register(core, reg, value);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ the whole */

/* clang-format off */
static const kit_inner inner[] = {
    KIT_INNER("halted", halted, 1), KIT_INNER("nmi", nmi, 1), KIT_INNER("serving", serving, UINT8_MAX), KIT_INNER("line", line, (1u << Z80_LINES) - 1),
    KIT_INNER("wz", wz, 0xFFFF), KIT_INNER("refresh", refresh, UINT32_MAX), KIT_INNER("prefixes", prefixes, UINT32_MAX),
    KIT_INNER("from0", from[0], UINT64_MAX), KIT_INNER("from1", from[1], UINT64_MAX), KIT_INNER("from2", from[2], UINT64_MAX),
    KIT_INNER("from3", from[3], UINT64_MAX), KIT_INNER("from4", from[4], UINT64_MAX), KIT_INNER("from5", from[5], UINT64_MAX),
    KIT_INNER("from6", from[6], UINT64_MAX), KIT_INNER("from7", from[7], UINT64_MAX), KIT_INNER("from8", from[8], UINT64_MAX), {0}};

static const kit_arch arch = {
    .isa = &oak_isa_z80, .code_span = Z80_SPAN, .core_size = sizeof(oak_core), .cycles = z80_cycles, KIT_LOOPS_OF(z80_),
    .fill = fill, .natural = natural, .reset = reset_registers, .registers_at = registers_at, .inner = inner, .objects = offsetof(oak_core, objects), .stack = offsetof(oak_core, stack),
    .interrupt = take_interrupt, .noticed_at = noticed_at, .deaf = deaf, .round = round_of, .passes = passes, .window = window,
    .more_cells = more_cells, .tape_from = offsetof(oak_core, reg), .tape_to = sizeof(oak_core)};
/* clang-format on */

static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **core)
{
    return kit_create_guarded(&arch, tables, setup, offsetof(oak_core, mem), offsetof(oak_core, known),
                              offsetof(oak_core, guard), core);
}

const oak_core_ops z80_core_ops = {
    KIT_CORE_OPS,
    .create = create,
    .read_register = read_register,
    .write_register = write_register,
    .interrupt = interrupt,
    .exception = exception,
    .check_reads = kit_check_reads,
    .mark_object = kit_own_object,
};
