/* arm_uses.c — the registers that an instruction reads and writes, and the memory it reaches, from the operands of its row. */
#include "base/text.h"
#include "isa/arm/arm.h"

#define GET(letter) oak_pattern_get(pattern, letter, word)
#define BIT(number) ((uint32_t)1 << (number))

static void use(char letter, uint32_t bits, arm_uses *uses)
{
    if (letter == 'r' || letter == 'b' || letter == '<' || letter == '=') uses->reads |= bits;
    if (letter == 'w' || letter == 'b' || letter == '>' || letter == '=') uses->writes |= bits;
}

/* An operand whose column has a letter. */
static void use_operand(char letter, const arm_shape *shape, const arm_class *class, uint32_t word,
                        const arm_naming *naming, arm_uses *uses)
{
    const oak_pattern *pattern = &shape->pattern;
    uint32_t base = BIT(GET('n'));
    switch (class->what) {
    case ARM_REG: use(letter, BIT(GET(class->letter)), uses); break;
    case ARM_REG_NEXT: use(letter, BIT(GET('t') + 1), uses); break;
    case ARM_REG_TWICE:
    case ARM_REG_PRODUCT: use(letter, BIT(GET('d')), uses); break;
    case ARM_REG_SP:
    case ARM_SP_TWICE: use(letter, BIT(ARM_SP), uses); break;
    case ARM_SP_MAY_MOVE: use(GET('w') ? 'b' : letter, BIT(ARM_SP), uses); break;
    case ARM_BASE_MOVES: use(letter, base, uses); break;
    case ARM_BASE_MAY_MOVE: use(GET('w') ? 'b' : letter, base, uses); break;
    case ARM_MEM_SP: uses->reads |= BIT(ARM_SP); break;
    case ARM_MEM_PRE_IMM:
    case ARM_MEM_POST_IMM: use('b', base, uses); break;
    case ARM_MEM_IMM:
    case ARM_MEM_NEG:
    case ARM_MEM_SIGNED:
    case ARM_MEM_BASE: uses->reads |= base; break;
    case ARM_MEM_REG:
    case ARM_MEM_REG_SHIFT:
    case ARM_MEM_REG_TWO: uses->reads |= base | BIT(GET('m')); break;
    case ARM_MEM_INDEXED:
    case ARM_MEM_PRE_INDEX:
    case ARM_MEM_POST_INDEX:
        use(class->what == ARM_MEM_INDEXED ? 'r' : 'b', base, uses);
        uses->reads |= BIT(GET('m'));
        if (GET('y') == 3 && !GET('i')) uses->reads |= naming->status;
        break;
    case ARM_SHIFT_BY_REG: uses->reads |= BIT(GET('e')); break;
    case ARM_SHIFT_MAY: /* a rotation by 0 goes through the carry */
        if (GET('y') == 3 && !GET('i')) uses->reads |= naming->status;
        break;
    case ARM_SPECIAL:
    case ARM_IFLAGS:
        use(letter, naming->special(class, GET(class->what == ARM_IFLAGS ? 'f' : 'z')), uses);
        break;
    default:
        if (arm_is_list(class)) use(letter, arm_list(shape, word), uses);
        break;
    }
}

/* What is used without a name. */
static void use_silent(const char *text, const arm_naming *naming, arm_uses *uses)
{
    const struct {
        const char *name;
        uint32_t bit;
    } names[] = {
        {"sp", BIT(ARM_SP)}, {"lr", BIT(ARM_LR)}, {"flags", naming->status}, {"saved", naming->saved}};
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

static bool sets_flags(const oak_isa_tables *tables, const oak_decoded *decoded)
{
    const oak_pattern *pattern = &tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word;
    switch (tables->dialect->set[decoded->row]) {
    case ARM_SET_ITS:
    case ARM_SET_OUTSIDE: return !decoded->state;
    case ARM_SET_BIT: return GET('s');
    case ARM_SET_ALWAYS: return true;
    default: return *tables->dialect->full[decoded->row].flags != 0; /* such as q and ge: in any case */
    }
}

arm_uses arm_uses_of(const oak_isa_tables *tables, const oak_decoded *decoded, const arm_naming *naming)
{
    arm_uses uses = {0};
    const arm_shape *shape = &tables->shape[decoded->row];
    const char *column = tables->dialect->full[decoded->row].uses;
    for (unsigned i = 0; i < shape->count; i++, column += *column != 0)
        use_operand(*column, shape, &shape->class_of[i], (uint32_t)decoded->word, naming, &uses);
    use_silent(column, naming, &uses);
    if (sets_flags(tables, decoded)) uses.writes |= naming->status;
    return uses;
}

/* ------------------------------------------------------------------------------------------ memory */

/* From the letters behind `ldr`, `str`, `tb` or `sw`. */
unsigned arm_bytes_of(const char *mnemonic)
{
    const char *p = mnemonic + (mnemonic[0] == 't' ? 2 : 3);
    for (; *p; p++) {
        if (*p == 'b') return 1;
        if (*p == 'h') return 2;
        if (*p == 'd') return 8;
    }
    return 4;
}

/* Memory that an operand stands for is read or written as the column says; of a list of registers it is the other way round. */
static char memory_use(const oak_isa_tables *tables, unsigned row, unsigned operand)
{
    char letter = tables->dialect->full[row].uses[operand];
    if (!arm_is_list(&tables->shape[row].class_of[operand])) return letter;
    return letter == 'r' ? 'w' : 'r';
}

static bool is_reached(const arm_class *class)
{
    return arm_is_list(class) || (class->what >= ARM_WORD8 && class->what <= ARM_MEM_BASE);
}

bool arm_stores(const oak_isa_tables *tables, unsigned row)
{
    for (unsigned i = 0; i < tables->shape[row].count; i++) {
        char letter = is_reached(&tables->shape[row].class_of[i]) ? memory_use(tables, row, i) : 0;
        if (letter == 'w' || letter == 'b') return true;
    }
    return false;
}

/* Where an operand in brackets points; false for one that is no such. */
static bool points_to(const oak_isa_tables *tables, const oak_decoded *decoded, const arm_class *class,
                      const uint32_t *registers, uint32_t *address)
{
    const oak_pattern *pattern = &tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word, offset = GET('i') * class->scale, n = GET('n'),
             m = registers[GET('m')];
    uint32_t base = n == ARM_PC ? decoded->address + arm_ahead(tables) : registers[n], carry = 0;
    if (arm_is_index(class)) { /* rrx with the carry as it is in nobody's interest: it moves bit 31 */
        offset = arm_shifted_by_code(GET('y'), GET('i'), m, &carry);
    }
    switch (class->what) {
    case ARM_MEM_IMM: *address = base + offset; return true;
    case ARM_MEM_SP: *address = registers[ARM_SP] + offset; return true;
    case ARM_MEM_NEG: *address = base - offset; return true;
    case ARM_MEM_SIGNED:
    case ARM_MEM_PRE_IMM:
    case ARM_MEM_INDEXED:
    case ARM_MEM_PRE_INDEX: *address = GET('v') ? base + offset : base - offset; return true;
    case ARM_MEM_POST_IMM:
    case ARM_MEM_POST_INDEX:
    case ARM_MEM_BASE: *address = base; return true;
    case ARM_MEM_REG: *address = base + m; return true;
    case ARM_MEM_REG_TWO: *address = base + 2 * m; return true;
    case ARM_MEM_REG_SHIFT: *address = base + (m << GET('i')); return true;
    case ARM_WORD8:
    case ARM_WORD12:
    case ARM_WORD8X4: *address = decoded->data; return true;
    default: return false;
    }
}

/* The words of a list of registers. */
static oak_watched words_of(const arm_shape *shape, const oak_decoded *decoded, const char *mnemonic,
                            const uint32_t *registers)
{
    const oak_pattern *pattern = &shape->pattern;
    uint32_t word = (uint32_t)decoded->word, size = 0;
    bool stack = oak_same(mnemonic, "push") || oak_same(mnemonic, "pop");
    const char *mode = stack ? (*mnemonic == 'p' && mnemonic[1] == 'u' ? "db" : "") : mnemonic + 3;
    for (uint32_t left = arm_list(shape, word); left; left &= left - 1) size += 4;
    uint32_t address = registers[stack ? ARM_SP : GET('n')];
    if (*mode == 'd') address -= mode[1] == 'b' ? size : size - 4;
    else if (*mode) address += 4; /* ib */
    return (oak_watched){.space = ARM_MEM, .address = address, .size = size};
}

unsigned arm_reach(const oak_isa_tables *tables, const oak_decoded *decoded, const uint32_t *registers,
                   oak_watched *list, unsigned count, unsigned room)
{
    const arm_shape *shape = &tables->shape[decoded->row];
    const char *mnemonic = tables->mnemonic[shape->mnemonic];
    for (unsigned i = 0; i < shape->count; i++) {
        const arm_class *class = &shape->class_of[i];
        oak_watched one = {.space = ARM_MEM};
        if (arm_is_list(class)) one = words_of(shape, decoded, mnemonic, registers);
        else if (points_to(tables, decoded, class, registers, &one.address))
            one.size = arm_bytes_of(mnemonic);
        else continue;
        char letter = memory_use(tables, decoded->row, i);
        one.accesses =
            (uint8_t)((letter != 'w' ? OAK_ACCESS_READ : 0) | (letter != 'r' ? OAK_ACCESS_WRITE : 0));
        if (letter != '-') count = oak_touch(list, count, room, &one);
    }
    return count;
}
