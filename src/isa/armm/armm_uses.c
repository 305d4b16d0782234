/* armm_uses.c — the registers that an instruction reads and writes, from the operands of its row. */
#include "base/text.h"
#include "isa/armm/armm_core.h"

#define GET(letter) oak_pattern_get(pattern, letter, word)
#define BIT(number) ((uint32_t)1 << (number))

/* What mrs reads and msr writes. */
static uint32_t special(uint32_t number)
{
    switch (number) {
    case 8: return BIT(ARMM_MSP);
    case 9: return BIT(ARMM_PSP);
    case 16: return BIT(ARMM_PRIMASK);
    case 17:
    case 18: return BIT(ARMM_BASEPRI);
    case 19: return BIT(ARMM_FAULTMASK);
    case 20: return BIT(ARMM_CONTROL);
    default: return BIT(ARMM_XPSR);
    }
}

static void use(char letter, uint32_t bits, armm_uses *uses)
{
    if (letter == 'r' || letter == 'b' || letter == '<' || letter == '=') uses->reads |= bits;
    if (letter == 'w' || letter == 'b' || letter == '>' || letter == '=') uses->writes |= bits;
}

/* An operand whose column has a letter. */
static void use_operand(char letter, unsigned row, const armm_class *class, const oak_pattern *pattern,
                        uint32_t word, armm_uses *uses)
{
    uint32_t base = BIT(GET('n'));
    switch (class->what) {
    case ARMM_REG: use(letter, BIT(GET(class->letter)), uses); break;
    case ARMM_REG_TWICE:
    case ARMM_REG_PRODUCT: use(letter, BIT(GET('d')), uses); break;
    case ARMM_REG_SP:
    case ARMM_SP_TWICE: use(letter, BIT(ARMM_SP), uses); break;
    case ARMM_BASE_MOVES: use(letter, base, uses); break;
    case ARMM_BASE_MAY_MOVE: use(GET('w') ? 'b' : letter, base, uses); break;
    case ARMM_MEM_SP: uses->reads |= BIT(ARMM_SP); break;
    case ARMM_MEM_PRE_IMM:
    case ARMM_MEM_POST_IMM: use('b', base, uses); break;
    case ARMM_MEM_IMM:
    case ARMM_MEM_NEG:
    case ARMM_MEM_SIGNED:
    case ARMM_MEM_BASE: uses->reads |= base; break;
    case ARMM_MEM_REG:
    case ARMM_MEM_REG_SHIFT:
    case ARMM_MEM_REG_TWO: uses->reads |= base | BIT(GET('m')); break;
    case ARMM_SHIFT_MAY: /* a rotation by 0 goes through the carry */
        if (GET('y') == 3 && !GET('i')) uses->reads |= BIT(ARMM_XPSR);
        break;
    case ARMM_SPECIAL: use(letter, special(GET('z')), uses); break;
    case ARMM_IFLAGS:
        if (GET('f') & 2) use(letter, BIT(ARMM_PRIMASK), uses);
        if (GET('f') & 1) use(letter, BIT(ARMM_FAULTMASK), uses);
        break;
    default:
        if (armm_is_list(class)) use(letter, armm_list(row, pattern, word), uses);
        break;
    }
}

/* What is used without a name. */
static void use_silent(const char *text, armm_uses *uses)
{
    static const struct {
        const char *name;
        uint32_t bit;
    } names[] = {{"sp", BIT(ARMM_SP)}, {"lr", BIT(ARMM_LR)}, {"xpsr", BIT(ARMM_XPSR)}};
    for (const char *p = text; *p;) {
        while (*p == ' ') p++;
        char letter = *p;
        if (letter) p++;
        size_t length = 0;
        while (p[length] && p[length] != ' ') length++;
        for (size_t i = 0; i < sizeof names / sizeof *names; i++)
            if (oak_same_name(p, length, names[i].name)) use(letter, names[i].bit, uses);
        p += length;
    }
}

static bool sets_flags(unsigned row, const oak_pattern *pattern, uint32_t word, bool inside)
{
    switch (armm_set_of[row]) {
    case ARMM_SET_ITS:
    case ARMM_SET_OUTSIDE: return !inside;
    case ARMM_SET_BIT: return GET('s');
    case ARMM_SET_ALWAYS: return true;
    default: return false;
    }
}

static bool decode_at(const oak_core *core, uint32_t pc, oak_decoded *decoded)
{
    const armm_region *region = armm_region_at(core, pc);
    if (!region) return false;
    size_t available = region->size - (pc - region->base);
    return armm_decode(core->kit.tables, region->bytes + (pc - region->base), available < 4 ? available : 4,
                       pc, core->it, decoded) == OAK_OK;
}

/* When it is executed. */
static armm_uses uses_at(const oak_core *core, uint32_t pc)
{
    armm_uses uses = {0};
    oak_decoded decoded;
    if (!decode_at(core, pc, &decoded)) return uses;
    unsigned row = decoded.row;
    uint32_t word = (uint32_t)decoded.word;
    const armm_shape *shape = &core->kit.tables->shape[row];
    const oak_pattern *pattern = &shape->pattern;
    const char *column = armv7m_rows[row].uses;
    for (unsigned i = 0; i < shape->count; i++, column++)
        use_operand(*column, row, &shape->class_of[i], pattern, word, &uses);
    use_silent(column, &uses);
    if (sets_flags(row, pattern, word, core->it != 0)) uses.writes |= BIT(ARMM_XPSR);
    if (uses.writes & BIT(ARMM_CONTROL)) uses.writes |= BIT(ARMM_SP); /* another one may come into use */
    return uses;
}

armm_uses armm_next_uses(oak_core *core)
{
    armm_single *single = armm_single_at(core, core->kit.pc);
    if (!single->uses_known) single->uses = uses_at(core, core->kit.pc);
    single->uses_known = true;
    armm_uses uses = single->uses;
    unsigned condition = core->it ? core->it >> 4 : ARMM_ALWAYS;
    if (!armm_holds(condition, core->nz, core->c, core->v)) uses = (armm_uses){0};
    if (condition != ARMM_ALWAYS) uses.reads |= BIT(ARMM_XPSR);
    /* The stack pointer in use is one of the two. */
    uint32_t both = BIT(ARMM_SP) | BIT(core->uses_psp ? ARMM_PSP : ARMM_MSP);
    if (uses.reads & both) uses.reads |= both;
    if (uses.writes & both) uses.writes |= both;
    uses.reads &= ~BIT(ARMM_PC);
    uses.writes &= ~BIT(ARMM_PC);
    return uses;
}

uint32_t armm_may_use(oak_core *core, uint32_t pc)
{
    uint8_t state = core->it;
    core->it = 0;
    armm_uses uses = uses_at(core, pc);
    core->it = state;
    uint32_t all = uses.reads | uses.writes;
    return all & ARMM_STACK_POINTERS ? all | ARMM_STACK_POINTERS : all;
}

/* Memory that an operand stands for is read or written as the column says; of a list of registers it is the other way round. */
static char memory_use(const oak_isa_tables *tables, unsigned row, unsigned operand)
{
    const armm_class *class = &tables->shape[row].class_of[operand];
    char letter = armv7m_rows[row].uses[operand];
    if (!armm_is_list(class)) return letter;
    return letter == 'r' ? 'w' : 'r';
}

static bool is_memory(const armm_class *class)
{
    return armm_is_list(class) || (class->what >= ARMM_WORD8 && class->what <= ARMM_MEM_BASE);
}

static bool stores_something(const oak_isa_tables *tables, unsigned row)
{
    for (unsigned i = 0; i < tables->shape[row].count; i++)
        if (is_memory(&tables->shape[row].class_of[i]) && memory_use(tables, row, i) == 'w') return true;
    return false;
}

uint16_t armm_may_change(oak_core *core, uint32_t pc, bool in_block)
{
    oak_decoded decoded;
    uint8_t state = core->it;
    core->it = 0;
    uint32_t written = uses_at(core, pc).writes;
    bool known = decode_at(core, pc, &decoded);
    core->it = state;
    bool stores = known && stores_something(core->kit.tables, decoded.row);
    if (written & ARMM_STACK_POINTERS) written |= ARMM_STACK_POINTERS;
    if (in_block) written |= BIT(ARMM_XPSR);
    unsigned which = 0;
    for (unsigned i = 0; i < core->kit.judged.count; i++) {
        const oak_watched *cells = &core->kit.judged.value[i].cells;
        which |= (unsigned)(cells->space ? stores : written >> cells->address & 1) << i;
    }
    return (uint16_t)which;
}

/* ------------------------------------------------------------------------------------------ memory */

/* Bytes that a load or store, or a jump by a table, reaches: from the letters behind `ldr`, `str` or `tb`. */
static uint32_t bytes_of(const char *mnemonic)
{
    const char *p = mnemonic + (mnemonic[0] == 't' ? 2 : 3);
    for (; *p; p++) {
        if (*p == 'b') return 1;
        if (*p == 'h') return 2;
        if (*p == 'd') return 8;
    }
    return 4;
}

/* Where an operand in brackets points; false for one that is no such. */
static bool points_to(const oak_core *core, const oak_decoded *decoded, const armm_class *class, uint32_t pc,
                      uint32_t *address)
{
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word, offset = GET('i') * class->scale, n = GET('n'),
             m = core->r[GET('m')];
    uint32_t base = n == ARMM_PC ? pc + 4 : core->r[n];
    switch (class->what) {
    case ARMM_MEM_IMM: *address = base + offset; return true;
    case ARMM_MEM_SP: *address = core->r[ARMM_SP] + offset; return true;
    case ARMM_MEM_NEG: *address = base - offset; return true;
    case ARMM_MEM_SIGNED:
    case ARMM_MEM_PRE_IMM: *address = GET('v') ? base + offset : base - offset; return true;
    case ARMM_MEM_POST_IMM:
    case ARMM_MEM_BASE: *address = base; return true;
    case ARMM_MEM_REG: *address = base + m; return true;
    case ARMM_MEM_REG_TWO: *address = base + 2 * m; return true;
    case ARMM_MEM_REG_SHIFT: *address = base + (m << GET('i')); return true;
    case ARMM_WORD8:
    case ARMM_WORD12:
    case ARMM_WORD8X4: *address = decoded->data; return true;
    default: return false;
    }
}

/* The words of a list of registers. */
static oak_watched words_of(const oak_core *core, const oak_decoded *decoded, const char *mnemonic)
{
    const oak_pattern *pattern = &core->kit.tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word, size = 0;
    bool stack = oak_same(mnemonic, "push") || oak_same(mnemonic, "pop");
    bool below = oak_same(mnemonic, "push") || oak_same(mnemonic, "stmdb") || oak_same(mnemonic, "ldmdb");
    for (uint32_t left = armm_list(decoded->row, pattern, word); left; left &= left - 1) size += 4;
    uint32_t base = core->r[stack ? ARMM_SP : GET('n')];
    return (oak_watched){.space = ARMM_MEM, .address = below ? base - size : base, .size = size};
}

static unsigned touch_memory(const oak_core *core, uint32_t pc, oak_watched *list, unsigned count,
                             unsigned room)
{
    oak_decoded decoded;
    if (!decode_at(core, pc, &decoded)) return count;
    const armm_shape *shape = &core->kit.tables->shape[decoded.row];
    const char *mnemonic = core->kit.tables->mnemonic[shape->mnemonic];
    for (unsigned i = 0; i < shape->count; i++) {
        const armm_class *class = &shape->class_of[i];
        oak_watched one = {.space = ARMM_MEM};
        if (armm_is_list(class)) one = words_of(core, &decoded, mnemonic);
        else if (points_to(core, &decoded, class, pc, &one.address)) one.size = bytes_of(mnemonic);
        else continue;
        one.accesses =
            memory_use(core->kit.tables, decoded.row, i) == 'w' ? OAK_ACCESS_WRITE : OAK_ACCESS_READ;
        count = oak_touch(list, count, room, &one);
    }
    return count;
}

unsigned armm_touches(oak_core *core, oak_watched *list, unsigned room)
{
    unsigned count = 0;
    uint32_t pc = core->kit.pc;
    armm_uses uses = armm_next_uses(core);
    bool holds = !core->it || armm_holds(core->it >> 4, core->nz, core->c, core->v);
    for (unsigned i = 0; i < ARMM_REGISTERS; i++) {
        uint8_t accesses = (uint8_t)((uses.reads >> i & 1 ? OAK_ACCESS_READ : 0) |
                                     (uses.writes >> i & 1 ? OAK_ACCESS_WRITE : 0));
        if (accesses && i != (core->uses_psp ? ARMM_PSP : ARMM_MSP)) /* that is sp */
            count =
                oak_touch(list, count, room, &(oak_watched){.accesses = accesses, .address = i, .size = 1});
    }
    return holds ? touch_memory(core, pc, list, count, room) : count;
}
