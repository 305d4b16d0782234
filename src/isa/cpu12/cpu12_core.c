/* cpu12_core.c — one core of the 16-bit accumulator machine: memory with devices in it, interrupts, postbytes, what is rarely executed, registers,
 * the loop. */
#include "isa/cpu12/cpu12.h"

/* ------------------------------------------------------------------------------------------ handlers */

/* clang-format off */
/* With an accumulator: an operand in modes I immediate, M at an address, N near a register, H where a register moves on, G whatever a postbyte
 * says. In the order of their codes. F is told X and what an instruction does. */
#define CPU12_BYTES(F, X) F(X, SUB) F(X, CMP) F(X, SBC) F(X, AND) F(X, BIT) F(X, LD) F(X, EOR) F(X, ADC) F(X, OR) F(X, ADD)
#define CPU12_WORDS(F, X) F(X, SUBW) F(X, ADDW) F(X, CPW) F(X, LDW)
#define CPU12_ONES(F, X) F(X, NEG) F(X, COM) F(X, INC) F(X, DEC) F(X, LSR) F(X, ROL) F(X, ROR) F(X, ASR) F(X, ASL) F(X, CLR) F(X, TST) /* a byte, in an accumulator (R) or memory */
#define CPU12_CONDITIONS(F, X) F(X, HI) F(X, LS) F(X, CC) F(X, CS) F(X, NE) F(X, EQ) F(X, VC) F(X, VS) F(X, PL) F(X, MI) F(X, GE) F(X, LT) F(X, GT) F(X, LE)
#define CPU12_IN(op, mode) CPU12_DO_##op##_##mode
#define FOUR(X, op)  X(CPU12_IN(op, M)) X(CPU12_IN(op, N)) X(CPU12_IN(op, H)) X(CPU12_IN(op, G))
#define FIVE(X, op)  X(CPU12_IN(op, I)) FOUR(X, op)
#define SIX(X, op)   X(CPU12_IN(op, R)) FOUR(X, op)
#define BOTH_IF(X, condition) X(CPU12_IF_##condition) X(CPU12_IF_FAR_##condition)
/* What ends a chain; the rest goes on as its row does. */
#define ENDING(X) X(CPU12_JUMP) X(CPU12_GO) X(CPU12_JSR_TO) X(CPU12_JSR_BY) X(CPU12_CALLS) X(CPU12_RTS_) X(CPU12_RTC_) X(CPU12_RTI_) X(CPU12_SOFTWARE) X(CPU12_SLEEPS) \
    X(CPU12_DEBUGGER) X(CPU12_FLAGS) X(CPU12_ADJUST) X(CPU12_TRANSFER) X(CPU12_RULES) X(CPU12_LOOP_1) X(CPU12_LOOP_2) CPU12_CONDITIONS(BOTH_IF, X) \
    FOUR(X, BRSET) FOUR(X, BRCLR)
/* What the second page has beside moves and branches; on one line with its like. */
#define RARE(X) X(CPU12_MUL_) X(CPU12_EMUL_) X(CPU12_EMULS_) X(CPU12_EDIV_) X(CPU12_EDIVS_) X(CPU12_IDIV_) X(CPU12_IDIVS_) X(CPU12_FDIV_) X(CPU12_ABA_) X(CPU12_SBA_) X(CPU12_CBA_) \
    X(CPU12_TAB_) X(CPU12_DAA_) X(CPU12_EMACS_) X(CPU12_TBL_1) X(CPU12_TBL_2) X(CPU12_BELONG) X(CPU12_WEIGH) X(CPU12_CHOOSE_1) X(CPU12_CHOOSE_2)
#define REST(X) X(CPU12_LDS_I_) X(CPU12_LDS_G_) X(CPU12_LEA_N) X(CPU12_LEA_1) X(CPU12_LEA_2) X(CPU12_LEA_G) X(CPU12_COPY_1) X(CPU12_COPY_2) X(CPU12_STEP) X(CPU12_SHIFT) \
    X(CPU12_PSH_1) X(CPU12_PSH_2) X(CPU12_PSH_C) X(CPU12_PUL_1) X(CPU12_PUL_2) X(CPU12_MOVE_1) X(CPU12_MOVE_2) X(CPU12_PUT_1) X(CPU12_PUT_2) X(CPU12_NOTHING) RARE(X)
#define CHAINED(X) REST(X) CPU12_BYTES(FIVE, X) CPU12_WORDS(FIVE, X) FOUR(X, ST) FOUR(X, STW) CPU12_ONES(SIX, X) FOUR(X, BSET) FOUR(X, BCLR)
#define ENUM(name)   name,
enum {
    CPU12_BEHIND_ROWS = KIT_FIRST_ROW + CPU12_ROWS - 1,
    ENDING(ENUM)
    CPU12_ALIKE,
    CPU12_BEHIND_ALIKE = CPU12_ALIKE - 1,
    CHAINED(ENUM)
};
/* clang-format on */

/* ------------------------------------------------------------------------------------------ memory */

static uint32_t pair(const oak_core *core, unsigned at)
{
    return kit_le16(core->reg + at);
}

static unsigned guard_of(const oak_core *core, uint32_t address, unsigned bytes)
{
    return core->guard[address] | core->guard[(address + bytes - 1) & 0xFFFF];
}

/* A byte or a word, high byte first. False with the fault set; or where a device is to be reached and time is not known exactly. */
static bool cpu12_read(oak_core *core, uint32_t address, unsigned bytes, uint32_t *value)
{
    if (guard_of(core, address, bytes) & KIT_GUARD_READS && !core->single) return false;
    return kit_guarded_read(core, address, bytes, core->reads, value);
}

static bool cpu12_write(oak_core *core, uint32_t address, unsigned bytes, uint32_t value)
{
    if (guard_of(core, address, bytes) & ~(0u | KIT_GUARD_FRESH | KIT_GUARD_UNREAD) && !core->single)
        return false;
    if (!kit_guarded_write(core, address, bytes, value, core->writes)) return false;
    if (!core->paged || address != CPU12_PPAGE || bytes != 1) return true;
    core->selects = core->kit.attention = true;
    core->wanted = (uint8_t)value;
    return true;
}

static bool cpu12_push(oak_core *core, uint32_t value, unsigned bytes, uint64_t now)
{
    uint32_t top = pair(core, RSP);
    if (!kit_push_bytes(core, &core->objects, &core->stack, top, value, bytes, now)) return false;
    kit_put_le16(core->reg + RSP, top - bytes);
    return true;
}

static bool cpu12_pull(oak_core *core, unsigned bytes, uint32_t *value)
{
    uint32_t at = pair(core, RSP);
    bool ends = core->guard[at] & (KIT_GUARD_READS | KIT_GUARD_FIXED);
    if ((ends && kit_underflows(core, at)) || !cpu12_read(core, at, bytes, value)) return false;
    kit_put_le16(core->reg + RSP, at + bytes);
    return true;
}

static uint32_t status(const oak_core *core)
{
    return cpu12_ccr(core->ccr, &core->flags);
}

static void set_status(oak_core *core, uint32_t value)
{
    core->ccr = (uint8_t)(value & CPU12_KEPT);
    core->flags = cpu12_flags_of(value);
    core->kit.attention = true;
}

/* By a program: x can be taken back, never set. */
static void set_ccr(oak_core *core, uint32_t value)
{
    set_status(core, core->ccr & CPU12_X ? value : value & ~(uint32_t)CPU12_X);
}

/* Where code that a program sees at an address lies. */
static inline uint32_t place_of(const oak_core *core, uint32_t seen)
{
    bool inside = core->paged && (seen & 0xC000) == CPU12_WINDOW;
    return inside ? CPU12_PAGES + core->page % 16u * CPU12_PAGE + seen % CPU12_PAGE : seen;
}

/* What the window shows is put there. */
static void show_page(oak_core *core)
{
    const uint8_t *page = core->mem + CPU12_PAGES + core->page % 16u * CPU12_PAGE;
    if (core->paged) memcpy(core->mem + CPU12_WINDOW, page, CPU12_PAGE);
}

static void select_page(oak_core *core, uint32_t page, uint64_t now)
{
    const oak_core_setup *setup = &core->kit.setup;
    if (core->page == (uint8_t)page) return;
    core->page = (uint8_t)page;
    show_page(core);
    if (core->paged && setup->bus_write)
        (void)!setup->bus_write(setup->machine, CPU12_PPAGE, 1, core->page, now);
}

/* ------------------------------------------------------------------------------------------ interrupts */

static uint32_t enabled(const oak_core *core)
{
    uint32_t lines = core->ccr & CPU12_I ? 0 : (1u << CPU12_XIRQ) - 1;
    return lines | (core->ccr & CPU12_X ? 0 : 1u << CPU12_XIRQ);
}

static unsigned enter(oak_core *core, uint32_t vector, uint64_t now)
{
    unsigned cycles = core->waits ? 6 : 9;
    if (!core->waits && !kit_push_frame(core, cpu12_seen(core->kit.pc), now)) return 0;
    if (core->waits == 2) kit_clocks(core, 0, now);
    core->waits = 0;
    core->ccr |= (uint8_t)(CPU12_I | (vector == CPU12_VECTORS + 2 * CPU12_XIRQ ? CPU12_X : 0));
    core->kit.pc = place_of(core, kit_be16(core->mem + vector));
    return cycles;
}

/* A page that was selected by a write shows from the next instruction on. */
static uint64_t noticed_at(oak_core *core)
{
    if (core->selects) {
        core->selects = false;
        select_page(core, core->wanted, core->kit.time.cycles);
        core->kit.pc = place_of(core, cpu12_seen(core->kit.pc));
    }
    return kit_vectored_notice(core);
}

static unsigned asleep(oak_core *core)
{
    return core->waits ? 1 : 0;
}

/* ------------------------------------------------------------------------------------------ postbytes */

/* What the registers hold is remembered until the instruction is done. */
static void keep(oak_core *core)
{
    if (!core->moved) memcpy(core->before, core->reg, sizeof core->before);
    core->moved = true;
}

/* How an address comes about; or it is a number, or something else. */
enum { NEAR, MOVES_BEFORE, MOVES_BEHIND, BY_A, BY_B, BY_D, POINTED, POINTED_D, NUMBER, OTHER };
typedef struct index {
    uint8_t mode, reg;
    uint16_t offset;
    bool post, far; /* a postbyte says it; an address of 16 bits */
} index_of;

enum { UNREACHED = 0x10000 };
/* The address that a mode and register (as in an operation's x) lead to; registers move on. UNREACHED: with the fault set, or time is to be known. */
static uint32_t cpu12_address(oak_core *core, unsigned how, uint32_t offset)
{
    uint8_t *reg = core->reg + (how & 15);
    uint32_t base = kit_le16(reg);
    switch (how >> 4) {
    case MOVES_BEFORE:
    case MOVES_BEHIND:
        keep(core);
        kit_put_le16(reg, base + offset);
        return how >> 4 == MOVES_BEHIND ? base : (base + offset) & 0xFFFF;
    case BY_A: return (base + core->reg[RA] + offset) & 0xFFFF;
    case BY_B: return (base + core->reg[RB] + offset) & 0xFFFF;
    case BY_D: return (base + pair(core, RD) + offset) & 0xFFFF;
    case POINTED_D: offset += pair(core, RD); /* fallthrough */
    case POINTED: return cpu12_read(core, (base + offset) & 0xFFFF, 2, &base) ? base : UNREACHED;
    default: return (base + offset) & 0xFFFF;
    }
}

/* ------------------------------------------------------------------------------------------ decoding */

/* What natural and fill find in a code. */
typedef struct shape {
    uint16_t handler;
    uint8_t x, y;
    uint32_t at;
} shape;

/* clang-format off */
static const struct code { uint16_t handler; uint8_t y; uint16_t at; bool modes; /* others stand behind */ } codes[256] = {
#define MODES(code, op, reg) [code] = {CPU12_IN(op, M), reg, 0, true},
#define STORE(code, op, reg) MODES(code, op, reg) MODES(code + 0x10, op, reg) MODES(code + 0x20, op, reg)
#define WITH(code, op, reg)  [code] = {CPU12_IN(op, I), reg, 0, false}, STORE(code + 0x10, op, reg)
#define ONE(low, op)         [0x40 + low] = {CPU12_IN(op, R), RA, 0, false}, [0x50 + low] = {CPU12_IN(op, R), RB, 0, false}, MODES(0x60 + low, op, 0) MODES(0x70 + low, op, 0)
#define BITS(low, op)        MODES(low, op, 0) MODES(0x10 + low, op, 0) MODES(0x40 + low, op, 0)
#define PLAIN(code, to, reg, number) [code] = {to, reg, number, false},
#include "isa/cpu12/cpu12_codes.def"
}, more_codes[0x40] = {
#define MORE(code, to, reg)  [code] = {to, reg, 0, false},
#include "isa/cpu12/cpu12_codes.def"
};
/* clang-format on */

static unsigned byte_of(const oak_decoded *decoded, unsigned n)
{
    return n < decoded->size ? (unsigned)(decoded->word >> 8 * (decoded->size - 1 - n)) & 0xFF : 0;
}

/* What an operand says, as its class does. */
static index_of operand_of(const oak_core *core, const oak_decoded *decoded, unsigned operand)
{
    enum { DIR = 5, FIRST = 8 }; /* classes by their numbers + 1 */
    static const uint8_t regs[] = {RX, RY, RSP, RZERO},
                         modes[] = {NEAR, NEAR,      MOVES_BEFORE, MOVES_BEFORE, MOVES_BEHIND, MOVES_BEHIND,
                                    BY_A, BY_B,      BY_D,         NEAR,         NEAR,         NEAR,
                                    NEAR, POINTED_D, POINTED,      POINTED};
    const struct kit_tables *tables = kit_tables_of(core->kit.tables);
    kit_part part = kit_part_of(tables, decoded->row, operand, decoded->word);
    const kit_class *class = part.class;
    index_of it = {OTHER, RZERO, 0, false, part.number != DIR};
    if (!class) return it;
    if (class->value) it.offset = (uint16_t)oak_pattern_get(part.pattern, class->value, part.word);
    if (class->shape[0] == '#' || class->value == 'p') it.mode = NUMBER;
    else if (class->value == 'e' || class->value == 'g') it.mode = NEAR;
    it.post = part.number >= FIRST && part.number < FIRST + sizeof modes;
    if (!it.post) return it;
    it.mode = modes[part.number - FIRST];
    if (class->letter) it.reg = regs[oak_pattern_get(part.pattern, 'r', part.word)];
    uint32_t value =
        class->value ? (uint32_t)kit_value_of(tables, decoded->row, operand, &part, decoded->address) : 0;
    it.offset = (uint16_t)(class->field == KIT_COUNT_DOWN ? 0 - value
                           : class->field == KIT_BEHIND   ? cpu12_seen(value)
                                                          : value);
    if (it.reg == RZERO && class->field != KIT_BEHIND)
        it.offset = (uint16_t)(it.offset + cpu12_seen(decoded->address) + decoded->size +
                               (uint32_t)cpu12_beside(decoded->row, operand));
    return it;
}

static uint8_t packed(index_of it)
{
    return (uint8_t)(it.mode << 4 | it.reg);
}

/* An operand in memory: mode M at an address; behind it stand N, H, G. */
static void take_index(shape *it, index_of index, bool masked)
{
    bool plain = index.mode == NEAR, moves = index.mode == MOVES_BEFORE || index.mode == MOVES_BEHIND;
    bool itself = it->y == index.reg && it->handler == CPU12_IN(STW, M); /* what it stores has moved on */
    moves = moves && !itself && !masked;
    it->handler = (uint16_t)(it->handler + (plain ? index.post || !index.far : moves ? 2 : 3));
    it->x = plain || moves ? index.reg : packed(index);
    it->at = index.offset;
    if (moves && index.mode == MOVES_BEFORE)
        it->at |= (uint32_t)index.offset << 16; /* before it is reached */
}

/* Copies of registers that are words or bytes, both; dbne and its like; and, or with the flags. */
static void take_post(shape *it, unsigned code, unsigned post)
{
    static const uint8_t regs[] = {RA, RB, 0, 0, RD, RX, RY, RSP};
    unsigned from = post >> 4, to = post & 7;
    if (code == 0x04) {
        it->handler = (uint16_t)(to < 2 ? CPU12_LOOP_1 : CPU12_LOOP_2);
        it->y = regs[to], it->x = post >> 5 & 1;
        it->at = post >> 6 == 0 ? 0xFFFF : post >> 6 == 1 ? 0 : 1;
    } else if (code == 0x10 || code == 0x14) { /* i, x and s stay, or may not */
        it->x = code == 0x14, it->at = post;
        it->handler = (post ^ (it->x ? 0 : 0xFF)) & CPU12_KEPT ? CPU12_FLAGS : CPU12_ADJUST;
    } else if (code == 0xB7) it->handler = CPU12_TRANSFER, it->at = post;
    if (code == 0xB7 && ((from < 2 && to < 2) || (from > 3 && from < 8 && to > 3 && to < 7))) {
        it->handler = (uint16_t)(from < 2 ? CPU12_COPY_1 : CPU12_COPY_2);
        it->x = regs[from], it->y = regs[to];
    }
}

static shape shape_of(const oak_core *core, const oak_decoded *decoded)
{
    static const struct code trap = {CPU12_SOFTWARE, 0, CPU12_TRAPPED, false};
    unsigned first = byte_of(decoded, 0), second = byte_of(decoded, 1);
    bool more = first == 0x18, far = more && second >> 4 == 2;
    const struct code *code = more && second < 0x40 && more_codes[second].handler ? &more_codes[second]
                              : more                                              ? &trap
                                                                                  : &codes[first];
    if (far) code = &codes[second];
    index_of index = operand_of(core, decoded, 0), other = operand_of(core, decoded, 1);
    if (decoded->row == CPU12_ABX || decoded->row == CPU12_ABY)
        index = (index_of){BY_B, code->y, 0, true, false};
    if (decoded->row == CPU12_INS || decoded->row == CPU12_DES)
        index = (index_of){NEAR, RSP, decoded->row == CPU12_INS ? 1 : 0xFFFF, true, false};
    shape it = {.handler = (uint16_t)(code->handler + (far && second > 0x21)), .y = code->y, .at = code->at};
    if (more && second < 0x10 &&
        (second & 7) < 6) { /* moves: the number or source in the low half of `at`, the result above */
        bool puts = index.mode == NUMBER && other.mode == NEAR;
        it.handler = (uint16_t)((puts ? CPU12_PUT_1 : CPU12_MOVE_1) + !(second & 8));
        it.x = packed(index), it.y = puts ? other.reg : packed(other);
        it.at = index.offset | (uint32_t)other.offset << 16;
        return it;
    }
    if (code->modes) take_index(&it, index, other.mode == NUMBER);
    else if (code != &trap && index.mode <= NUMBER) it.x = packed(index), it.at = index.offset;
    if (other.mode == NUMBER) it.at |= (uint32_t)other.offset << 16;
    if (!more) take_post(&it, first, second);
    if (it.handler == CPU12_LEA_G && it.y != RSP) { /* nothing is reached */
        if (index.mode == NEAR) it.handler = CPU12_LEA_N, it.x = index.reg;
        else if (index.mode >= BY_A && index.mode <= BY_D && index.reg != RZERO) {
            it.handler = (uint16_t)(index.mode == BY_D ? CPU12_LEA_2 : CPU12_LEA_1);
            it.x = index.reg, it.at |= (uint32_t)(index.mode == BY_A ? RA : RB) << 16;
        }
    }
    if (it.y == RSP && first >= 0xCF && (first & 15) == 15) /* lds: whatever a postbyte says */
        it = (shape){index.mode == NUMBER ? CPU12_LDS_I_ : CPU12_LDS_G_, packed(index), RSP, index.offset};
    return it;
}

static uint16_t natural(const oak_core *core, uint32_t pc, uint16_t handler)
{
    oak_decoded decoded;
    if (kit_decode_at(core, pc, &decoded)) return handler;
    unsigned behind = pc % CPU12_PAGE + decoded.size;
    uint16_t own = shape_of(core, &decoded).handler;
    bool stays = oak_goes_on((oak_flow)cpu12_rows[handler - KIT_FIRST_ROW].flow) || behind > CPU12_PAGE;
    if (pc >= CPU12_SPAN && behind >= CPU12_PAGE && stays) return KIT_OUTSIDE; /* it runs out of its page */
    if (pc < CPU12_SPAN && core->paged &&
        ((pc + core->kit.ops[pc].to / sizeof(kit_op)) & 0xFC000) == CPU12_WINDOW) {
        if (own == CPU12_JUMP) return CPU12_GO; /* into whatever page is selected then */
        if (own == CPU12_JSR_TO) return CPU12_JSR_BY;
    }
    return own == CPU12_JUMP && !core->kit.ops[pc].to ? KIT_PARKED : own;
}

static void fill(oak_core *core, const oak_decoded *decoded, kit_op *op)
{
    shape it = shape_of(core, decoded);
    uint32_t behind = (uint32_t)(decoded->address + decoded->size);
    op->x = it.x, op->y = it.y, op->at = it.at;
    bool calls = it.handler == CPU12_JSR_TO, jumps = it.handler == CPU12_JUMP;
    bool branches = it.handler >= CPU12_LOOP_1 && it.handler < CPU12_ALIKE;
    op->to = kit_way(decoded->address, branches || calls || jumps ? decoded->target : behind);
    if (calls) op->at = (cpu12_seen(decoded->address) + decoded->size) & 0xFFFF;
    if ((calls || jumps) && core->paged && decoded->address < CPU12_SPAN &&
        (decoded->target & 0xFC000) == CPU12_WINDOW)
        op->x = NEAR << 4 | RZERO, op->at = decoded->target;
}

/* What a row says of the operand: bytes of it. */
static void window(const oak_core *core, const oak_decoded *decoded, kit_reach *one)
{
    (void)core;
    unsigned first = byte_of(decoded, 0), second = byte_of(decoded, 1), low = first & 15;
    bool words = first >= 0x50 && first != 0xA7 && (low >= 12 || (first >= 0x80 && low == 3)),
         longs = second == 0x12 || second == 0x3F;
    if (first == 0x18)
        words = second < 6 || second == 0x3D || (second >= 0x18 && second < 0x20 && second & 2);
    one->size = first == 0x18 && longs ? 4 : words ? 2 : 1;
}

static kit_reach cell(uint8_t accesses, uint32_t address, uint32_t size)
{
    return (kit_reach){CPU12_MEM, accesses, 0xFF, false, 0, 0, address & 0xFFFF, size};
}

/* clang-format off */
/* What rows reach beside, at a register or so far below. */
static const struct { uint16_t row; uint8_t accesses, reg, below; uint32_t size; } beside[] = {
    {CPU12_EMACS, KIT_READS, RX, 0, 2}, {CPU12_EMACS, KIT_READS, RY, 0, 2}, {CPU12_MEM_, KIT_READS, RX, 0, 4}, {CPU12_MEM_, KIT_WRITES, RY, 0, 1},
    {CPU12_REV, KIT_BOTH, RZERO, 0, CPU12_SPAN}, {CPU12_REVW, KIT_BOTH, RZERO, 0, CPU12_SPAN}, {CPU12_WAV, KIT_BOTH, RZERO, 0, CPU12_SPAN},
#define FRAME(row) {row, KIT_WRITES, RSP, CPU12_FRAME, CPU12_FRAME}
    FRAME(CPU12_SWI), FRAME(CPU12_TRAP), FRAME(CPU12_WAI), FRAME(CPU12_STOP), {CPU12_RTI, KIT_READS, RSP, 0, CPU12_FRAME}, {CPU12_RTC, KIT_READS, RSP, 0, 3}};
/* clang-format on */

/* What postbytes lead to with what is in the registers now; what x and y point to; the rest of what a call or an interrupt pushes. */
static unsigned more_cells(const oak_core *core, const oak_decoded *decoded, kit_reach *list, unsigned count)
{
    const oak_insn_row *row = &cpu12_rows[decoded->row];
    bool calls = byte_of(decoded, 0) == 0x4A || byte_of(decoded, 0) == 0x4B;
    kit_reach its;
    window(core, decoded, &its);
    for (unsigned i = 0; i < 2; i++) {
        index_of index = operand_of(core, decoded, i);
        if (!index.post) continue;
        char use = row->uses[i];
        uint8_t accesses = use == 'r' ? KIT_READS : use == 'w' ? KIT_WRITES : use == 'b' ? KIT_BOTH : 0;
        uint32_t offset = index.mode == MOVES_BEHIND ? 0 : index.offset;
        if (index.mode == BY_A || index.mode == BY_B) offset += core->reg[index.mode == BY_A ? RA : RB];
        if (index.mode == BY_D || index.mode == POINTED_D) offset += pair(core, RD);
        uint32_t at = (pair(core, index.reg) + offset) & 0xFFFF;
        if (index.mode >= POINTED) {
            list[count++] = cell(KIT_READS, at, 2);
            at = (uint32_t)(core->mem[at] << 8 | core->mem[(at + 1) & 0xFFFF]);
        }
        if (accesses) list[count++] = cell(accesses, at, its.size);
    }
    for (unsigned i = 0; i < sizeof beside / sizeof *beside; i++)
        if (beside[i].row == decoded->row)
            list[count++] =
                cell(beside[i].accesses, pair(core, beside[i].reg) - beside[i].below, beside[i].size);
    if (calls) list[count++] = cell(KIT_WRITES, pair(core, RSP) - 3, 3);
    return count;
}

/* ------------------------------------------------------------------------------------------ what is rarely executed */

/* Interrupts that a program lets through come behind the next instruction. */
static void change_ccr(oak_core *core, uint32_t value)
{
    uint8_t before = core->ccr;
    set_ccr(core, value);
    if (before & ~core->ccr & (CPU12_I | CPU12_X)) core->kit.blocked = true;
}

/* Between registers, by their numbers: a b ccr tmp d x y sp. */
static void transfer(oak_core *core, unsigned post)
{
    static const uint8_t at[2][8] = {{RA, RB, 0, RTMP3, RD, RX, RY, RSP},
                                     {RA, RB, 0, RTMP2, RD, RX, RY, RSP}};
    unsigned number[] = {post >> 4 & 7, post & 7};
    uint32_t value[2];
    for (unsigned i = 0; i < 2; i++) {
        value[i] = number[i] == 2 ? cpu12_ccr(core->ccr, &core->flags) : pair(core, at[i][number[i]]);
        if (number[i] < 2) value[i] = core->reg[at[i][number[i]]];
    }
    bool exchanges = post & 0x80, widens = number[0] < 3 && number[1] > 2,
         narrows = number[0] > 2 && number[1] < 3;
    uint32_t to = widens && !exchanges ? (value[0] ^ 0x80) - 0x80 : value[0]; /* with its sign */
    uint32_t from = narrows && number[1] ? value[1] | 0xFF00 : value[1];      /* or filled above */
    for (unsigned i = exchanges ? 0 : 1; i < 2; i++) {
        unsigned n = number[i];
        if (n == 2) change_ccr(core, (i ? to : from) & 0xFF);
        else if (n < 2) core->reg[at[i][n]] = (uint8_t)(i ? to : from);
        else kit_put_le16(core->reg + at[i][n], i ? to : from);
        if (n == 7) core->stack.floor = kit_known_floor(&core->objects, pair(core, RSP));
    }
}

/* False where there is none, or it lies outside. */
static bool divide(int64_t up, int64_t by, int64_t least, int64_t most, uint32_t *quotient, uint32_t *rest)
{
    int64_t q = by ? up / by : 0;
    *quotient = (uint32_t)q & 0xFFFF;
    *rest = by ? (uint32_t)(up % by) & 0xFFFF : 0;
    return by && q >= least && q <= most;
}

/* The sum of so many products of bytes, and of the factors. */
static bool weigh(oak_core *core, uint32_t *more)
{
    uint32_t values = pair(core, RX), by = pair(core, RY), products = 0, sum = 0, value, factor;
    uint8_t left = core->reg[RB];
    do {
        if (!cpu12_read(core, values++ & 0xFFFF, 1, &value) || !cpu12_read(core, by++ & 0xFFFF, 1, &factor))
            return false;
        products += value * factor, sum += factor, *more += 7;
    } while (--left);
    kit_put_le16(core->reg + RD, products), kit_put_le16(core->reg + RY, products >> 16);
    kit_put_le16(core->reg + RX, sum);
    return true;
}

/* Rules, as a list of places (bytes past y, or addresses): of what stands in front of a separator the least, which goes to what stands behind it
 * where it is more. A list without an end goes on for good: after so many *again is set, and interrupts may come. False with the fault set. */
static bool evaluate(oak_core *core, bool weighted, uint32_t *more, bool *again)
{
    enum { AT_ONCE = 256 };
    uint8_t ccr = cpu12_ccr(core->ccr, &core->flags);
    uint32_t x = pair(core, RX), y = pair(core, RY), a = core->reg[RA], item = 0, value,
             size = weighted ? 2 : 1, ends = weighted ? 0xFFFF : 0xFF;
    *again = true;
    for (unsigned n = 0; n < AT_ONCE; n++, *more += 3) {
        if (!cpu12_read(core, x, size, &item)) return false;
        x = (x + size) & 0xFFFF;
        *again = item != ends;
        if (!*again) break;
        bool results = ccr & CPU12_V, separates = item == ends - 1;
        uint32_t at = separates ? y : weighted ? item : (y + item) & 0xFFFF;
        if ((!separates || (weighted && ccr & CPU12_C)) && !cpu12_read(core, at, 1, &value)) return false;
        if (separates && results) a = 0xFF;
        else if (separates && weighted && ccr & CPU12_C)
            a = a * (value + 1) >> 8, y = (y + 1) & 0xFFFF, *more += 5;
        else if (!separates && !results && value < a) a = value;
        else if (!separates && results && a > value && !cpu12_write(core, at, 1, a)) return false;
        if (separates) ccr ^= CPU12_V;
    }
    core->reg[RA] = (uint8_t)a;
    kit_put_le16(core->reg + RX, x);
    kit_put_le16(core->reg + RY, y);
    core->flags = cpu12_flags_of(ccr);
    return true;
}

/* ------------------------------------------------------------------------------------------ the loop */

#include "isa/kit/dispatch.h"

#define CORE_EXTRA(X) ENDING(X) CHAINED(X)
#define CORE_CASES    "isa/cpu12/cpu12_cases.h"
#define CORE_SPAN     (kit->arch->code_span) /* pages lie behind what a program sees */
#define CORE_CODE     CPU12_MEM
#define CORE_LOCALS   uint32_t n, z, v, c, to = 0
#define LOAD                                                                                                 \
    (n = core->flags.n, z = core->flags.z, v = core->flags.v, c = core->flags.c, core->single = LOOP_ONE)
#define CORE_SETTLE    KIT_SETTLE(n, z, v, c)
#define SAVE_REGISTERS (void)0
#define SAVE           (core->flags = (cpu12_flags){n, z, v, c, core->flags.h})
#define BACK_TO_IT                                                                                           \
    do {                                                                                                     \
        if (core->moved) memcpy(core->reg, core->before, sizeof core->before);                               \
        core->moved = false;                                                                                 \
    } while (0)
#define CORE_LOOP(name) cpu12_##name
KIT_LOOPS(cpu12_);
#include "isa/kit/loops.h"

/* ------------------------------------------------------------------------------------------ registers */

/* Two pages stand at places of their own, too: what was programmed at either is at both. */
static void mirror(oak_core *core, uint32_t one, uint32_t other)
{
    for (uint32_t i = 0; i < CPU12_PAGE; i++) {
        bool from_one = core->known[one + i] && !core->known[other + i];
        uint32_t to = (from_one ? other : one) + i, from = (from_one ? one : other) + i;
        if (core->known[from] && !core->known[to]) core->mem[to] = core->mem[from], core->known[to] = 1;
    }
}

static void programmed(oak_core *core)
{
    if (core->paged) {
        mirror(core, 0x4000, CPU12_PAGES + 14 * CPU12_PAGE);
        mirror(core, 0xC000, CPU12_PAGES + 15 * CPU12_PAGE);
        show_page(core);
    }
    uint32_t entry = core->kit.entry;
    if (kit_entered_by(core, entry)) core->kit.pc = place_of(core, kit_be16(core->mem + entry));
}

/* What the manual leaves open begins with 0. */
static void reset_registers(oak_core *core)
{
    memset(core->reg, 0, offsetof(oak_core, mem) - offsetof(oak_core, reg));
    core->ccr = CPU12_KEPT;
    core->flags = cpu12_flags_of(0);
    core->stack.floor = KIT_STACK_SPAN;
    core->kit.entry = core->kit.resets ? CPU12_COP : CPU12_RESET;
    programmed(core);
}

/* The first instruction is that of the reset vector, or where somebody has put pc. */
static bool starts(oak_core *core)
{
    const oak_core_setup *setup = &core->kit.setup;
    uint32_t page = core->page;
    if (core->paged && setup->bus_read)
        (void)!setup->bus_read(setup->machine, CPU12_PPAGE, 1, core->kit.time.cycles, &page);
    core->page = (uint8_t)page; /* somebody may have changed it */
    show_page(core);
    return kit_starts(core);
}

/* clang-format off */
#define NOWHERE {0, 0, false}
#define PAIR_AT(at) {offsetof(oak_core, reg) + (at), 2, true}
#define LIES(id, name, bits, lies, ...) [CPU12_REG_##id] = lies,
/* clang-format on */
static const struct kit_register registers_at[CPU12_REGISTERS] = {CPU12_REGISTER_LIST(LIES)};

/* ------------------------------------------------------------------------------------------ the whole */

/* clang-format off */
static const kit_inner inner[] = {KIT_INNER("fresh", kit.fresh, 1), KIT_INNER("entry", kit.entry, 0xFFFF), KIT_INNER("page", page, 0xFF), KIT_INNER("waits", waits, 2), KIT_INNER_LINES, {0}};

#define ARCH(span) {.isa = &oak_isa_cpu12, .entry_writes = {CPU12_REG_CCR + 1}, .code_span = span, .core_size = sizeof(oak_core), .cycles = cpu12_cycles, KIT_LOOPS_OF(cpu12_), \
    .alike = CPU12_ALIKE, .fill = fill, .natural = natural, .reset = reset_registers, .registers_at = registers_at, .inner = inner, KIT_VECTORED, .status = status, .set_status = set_status, .starts = starts, .programmed = programmed, \
    .enabled = enabled, .enter = enter, .noticed_at = noticed_at, .asleep = asleep, .window = window, .more_cells = more_cells, \
    .tape_from = offsetof(oak_core, reg), .tape_to = offsetof(oak_core, mem) + CPU12_SPAN}
static const kit_arch arch = ARCH(CPU12_SPAN), paged_arch = ARCH(CPU12_PLACES);
/* Places as the cells of a space, from an address on. */
#define LAY(space, place, first, size) kit_lay_space(*core, (kit_space){space, mem + (place), known + (place), first, size, NULL, 1, false, false})
/* clang-format on */

static oak_status create(const oak_isa_tables *tables, const oak_core_setup *setup, oak_core **core)
{
    bool paged = false;
    for (unsigned i = 0; i < setup->memory_count; i++) paged |= setup->memories[i].base >= CPU12_SPAN;
    oak_status status =
        kit_create_guarded(paged ? &paged_arch : &arch, tables, setup, offsetof(oak_core, mem),
                           offsetof(oak_core, known), offsetof(oak_core, guard), core);
    if (status || !paged) return status;
    (*core)->paged = true;
    uint8_t *mem = (*core)->mem, *known = (*core)->known;
    bool good = LAY(CPU12_FLASH, CPU12_PAGES, 0, CPU12_PLACES - CPU12_PAGES) &&
                LAY(CPU12_MEM, CPU12_WINDOW, CPU12_WINDOW, CPU12_PAGE);
    if (good) kit_guard_lay(*core);
    else kit_destroy(*core);
    return good ? OAK_OK : OAK_UNSUPPORTED;
}

const oak_core_ops cpu12_core_ops = {
    KIT_CORE_OPS,
    .create = create,
    .check_reads = kit_check_reads,
    KIT_VECTORED_OPS,
};
