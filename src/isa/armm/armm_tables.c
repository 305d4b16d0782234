/* armm_tables.c — what is derived from armm.def: rows, mnemonics, the decoder's index; and the two architectures. */
#include "base/bytes.h"
#include "isa/armm/armm.h"

/* ------------------------------------------------------------------------------------------ the rows */

#define NOTE_NONE   ""
#define NOTE_TAKEN  "when not taken"
#define NOTE_PC     "when it does not write pc"
#define NOTE_LIST   "and one more for each register"
#define NOTE_DIVIDE "to 12, by the size of the quotient"
#define NOTE_LONG   "to 5, by the size of the factors"
#define NOTE_LONGER "to 7, by the size of the factors"
#define NOTE_SLEEP  "and the time asleep"

#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define V6_ROW(mnemonic, operands, bits, cycles, more, uses, flags, meaning)                                 \
    {                                                                                                        \
        mnemonic, operands, bits, cycles, flags, meaning, NOTE_##more, 0, 0, uses                            \
    }
#define V7_ROW(mnemonic, operands, bits, cycles, more, uses, flags, meaning)                                 \
    {                                                                                                        \
        "", operands, bits, cycles, flags, meaning, "", 0, 0, uses                                           \
    }
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)                   \
    [ARMM_##id] = since##_ROW(#mnemonic, operands, bits, v6, more, uses, flags, meaning),
const oak_insn_row armv6m_rows[ARMM_ROWS] = {
#include "isa/armm/armm.def"
};

#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)                   \
    [ARMM_##id] = {#mnemonic, operands, bits, v7, flags, meaning, NOTE_##more, 0, 0, uses},
const oak_insn_row armv7m_rows[ARMM_ROWS] = {
#include "isa/armm/armm.def"
};

#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)                   \
    [ARMM_##id] = ARMM_MORE_##more,
const uint8_t armm_more_of[ARMM_ROWS] = {
#include "isa/armm/armm.def"
};

#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)                   \
    [ARMM_##id] = ARMM_SET_##set,
const uint8_t armm_set_of[ARMM_ROWS] = {
#include "isa/armm/armm.def"
};

#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)                   \
    [ARMM_##id] = ARMM_SINCE_##since,
const uint8_t armm_since_of[ARMM_ROWS] = {
#include "isa/armm/armm.def"
};

static const struct {
    const char *alias, *of;
} aliases[] = {
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)
#define ALIAS(alias, of) {#alias, #of},
#define ALSO(mnemonic, row)
#include "isa/armm/armm.def"
};

static const struct {
    const char *mnemonic;
    uint16_t row;
} also[] = {
#define INSN(id, mnemonic, operands, bits, v6, v7, more, set, since, uses, flags, meaning)
#define ALIAS(alias, of)
#define ALSO(mnemonic, row) {#mnemonic, ARMM_##row},
#include "isa/armm/armm.def"
};

/* ------------------------------------------------------------------------------------------ small tables */

const char *const armm_condition_names[16] = {"eq", "ne", "cs", "cc", "mi", "pl", "vs", "vc",
                                              "hi", "ls", "ge", "lt", "gt", "le", "al", ""};

static const struct {
    const char *name;
    uint8_t number;
    bool v7;
} specials[] = {
    {"apsr", 0, false},      {"iapsr", 1, false},    {"eapsr", 2, false},      {"xpsr", 3, false},
    {"ipsr", 5, false},      {"epsr", 6, false},     {"iepsr", 7, false},      {"msp", 8, false},
    {"psp", 9, false},       {"primask", 16, false}, {"basepri", 17, true},    {"basepri_max", 18, true},
    {"faultmask", 19, true}, {"control", 20, false}, {"apsr_nzcvq", 0, false},
};

const char *armm_special_name(bool v7, unsigned number)
{
    for (size_t i = 0; i < sizeof specials / sizeof *specials; i++)
        if (specials[i].number == number && (v7 || !specials[i].v7)) return specials[i].name;
    return NULL;
}

int armm_special_number(bool v7, const char *text, size_t length)
{
    for (size_t i = 0; i < sizeof specials / sizeof *specials; i++)
        if ((v7 || !specials[i].v7) && oak_same_name(text, length, specials[i].name))
            return specials[i].number;
    return -1;
}

static const char *const register_names[16] = {"r0", "r1", "r2",  "r3",  "r4",  "r5", "r6", "r7",
                                               "r8", "r9", "r10", "r11", "r12", "sp", "lr", "pc"};

const char *armm_register_name(unsigned number)
{
    return register_names[number & 15];
}

int armm_register_number(const char *text, size_t length)
{
    if (length < 2 || length > 3) return -1;
    char first = oak_lower(text[0]);
    if (first == 'r' && oak_is_digit(text[1])) {
        int number = text[1] - '0';
        if (length == 2) return number;
        if (number != 1 || text[2] < '0' || text[2] > '5') return -1;
        return 10 + (text[2] - '0');
    }
    for (unsigned i = 13; i < 16; i++)
        if (oak_same_name(text, length, register_names[i])) return (int)i;
    return -1;
}

/* The letters behind `i`: t, tt, te, ttt … numbered 0 to 14. */
static const char *const it_names[15] = {"it",    "itt",   "ite",   "ittt",  "itet",
                                         "itte",  "itee",  "itttt", "itett", "ittet",
                                         "iteet", "ittte", "itete", "ittee", "iteee"};

const char *armm_it_name(unsigned letters)
{
    return it_names[letters < 15 ? letters : 0];
}

unsigned armm_it_mask(unsigned condition, unsigned letters)
{
    const char *name = armm_it_name(letters) + 2;
    unsigned mask = 0, bit = 3;
    for (; *name; name++, bit--) mask |= ((*name == 't' ? condition & 1u : ~condition & 1u)) << bit;
    return mask | 1u << bit;
}

unsigned armm_it_letters(unsigned condition, unsigned mask)
{
    for (unsigned letters = 0; letters < 15; letters++)
        if (armm_it_mask(condition, letters) == mask) return letters;
    return 0;
}

/* ------------------------------------------------------------------------------------------ operand classes */

static const struct {
    const char *name;
    uint8_t what, scale;
    bool optional;
} classes[] = {
    {"#0", ARMM_ZERO, 0, false},
    {"#imm3", ARMM_IMM, 1, false},
    {"#imm4", ARMM_IMM, 1, false},
    {"#imm8", ARMM_IMM, 1, false},
    {"#imm8*4", ARMM_IMM, 4, false},
    {"#imm7*4", ARMM_IMM, 4, false},
    {"#imm12", ARMM_IMM, 1, false},
    {"#imm16", ARMM_IMM16, 1, false},
    {"#shift", ARMM_SHIFT_31, 1, false},
    {"#shift32", ARMM_SHIFT_32, 1, false},
    {"#const", ARMM_CONST, 1, false},
    {"#sat", ARMM_SAT, 1, false},
    {"#sat0", ARMM_SAT0, 1, false},
    {"#lsb", ARMM_LSB, 1, false},
    {"#width", ARMM_WIDTH, 1, false},
    {"#count", ARMM_COUNT, 1, false},
    {"shift?", ARMM_SHIFT_MAY, 1, true},
    {"satshift?", ARMM_SAT_SHIFT_MAY, 1, true},
    {"rotation?", ARMM_ROTATION_MAY, 1, true},
    {"sy?", ARMM_SY_MAY, 1, true},
    {"label6", ARMM_LABEL, 6, false},
    {"label8", ARMM_LABEL, 8, false},
    {"label11", ARMM_LABEL, 11, false},
    {"label20", ARMM_LABEL, 20, false},
    {"label24", ARMM_LABEL, 24, false},
    {"place8", ARMM_PLACE8, 4, false},
    {"place12+", ARMM_PLACE_AFTER, 1, false},
    {"place12-", ARMM_PLACE_BEFORE, 1, false},
    {"word8", ARMM_WORD8, 4, false},
    {"word12", ARMM_WORD12, 1, false},
    {"word8x4", ARMM_WORD8X4, 4, false},
    {"[rn, #imm5]", ARMM_MEM_IMM, 1, false},
    {"[rn, #imm5*2]", ARMM_MEM_IMM, 2, false},
    {"[rn, #imm5*4]", ARMM_MEM_IMM, 4, false},
    {"[rn|sp, #imm8]", ARMM_MEM_IMM, 1, false},
    {"[rn|sp, #imm8*4]", ARMM_MEM_IMM, 4, false},
    {"[rn|sp, #imm12]", ARMM_MEM_IMM, 1, false},
    {"[sp, #imm8*4]", ARMM_MEM_SP, 4, false},
    {"[rn|sp, #-imm8]", ARMM_MEM_NEG, 1, false},
    {"[rn|sp, #+-imm8*4]", ARMM_MEM_SIGNED, 4, false},
    {"[rn|sp, #+-imm8*4]!", ARMM_MEM_PRE_IMM, 4, false},
    {"[rn|sp], #+-imm8*4", ARMM_MEM_POST_IMM, 4, false},
    {"[rn|sp, #+-imm8]!", ARMM_MEM_PRE_IMM, 1, false},
    {"[rn|sp], #+-imm8", ARMM_MEM_POST_IMM, 1, false},
    {"[rn, rm]", ARMM_MEM_REG, 1, false},
    {"[rn|sp|pc, rm]", ARMM_MEM_REG, 1, false},
    {"[rn|sp|pc, rm, lsl #1]", ARMM_MEM_REG_TWO, 1, false},
    {"[rn|sp, rm, lsl #n]", ARMM_MEM_REG_SHIFT, 1, false},
    {"[rn|sp]", ARMM_MEM_BASE, 1, false},
    {"{low}", ARMM_LIST_LOW, 1, false},
    {"{low with rn}", ARMM_LIST_LOW_BASE, 1, false},
    {"{low, lr}", ARMM_LIST_LOW_LR, 1, false},
    {"{low, pc}", ARMM_LIST_LOW_PC, 1, false},
    {"{list}", ARMM_LIST, 1, false},
    {"{list|pc}", ARMM_LIST_PC, 1, false},
    {"{one}", ARMM_LIST_ONE, 1, false},
    {"{one|pc}", ARMM_LIST_ONE, 1, false},
    {"cond", ARMM_CONDITION, 1, false},
    {"iflags", ARMM_IFLAGS, 1, false},
    {"special", ARMM_SPECIAL, 1, false},
    {"sp", ARMM_REG_SP, 1, false},
    {"spn", ARMM_SP_TWICE, 1, false},
};

static const struct {
    const char *name;
    uint8_t what;
    char letter;
} registers[] = {
    {"rd", ARMM_REG, 'd'},          {"rn", ARMM_REG, 'n'},         {"rm", ARMM_REG, 'm'},
    {"rt", ARMM_REG, 't'},          {"rt2", ARMM_REG, 'u'},        {"ra", ARMM_REG, 'a'},
    {"rdlo", ARMM_REG, 'l'},        {"rdhi", ARMM_REG, 'h'},       {"rdn", ARMM_REG_TWICE, 'd'},
    {"rdm", ARMM_REG_PRODUCT, 'd'}, {"rn!", ARMM_BASE_MOVES, 'n'}, {"rn{!}", ARMM_BASE_MAY_MOVE, 'n'},
};

static unsigned field_width(const oak_pattern *pattern, char letter)
{
    unsigned width = 0;
    for (unsigned i = 0; i < pattern->piece_count; i++)
        if (pattern->piece[i].letter == letter) width += pattern->piece[i].width;
    return width;
}

/* r0 to r12 and lr, with sp and pc where the text of the operand says so; r0 to r7 in a field of three bits. */
static uint16_t allowed_registers(const oak_pattern *pattern, char letter, const char *text, size_t length)
{
    uint16_t allowed = field_width(pattern, letter) == 3 ? 0x00FF : 0x5FFF;
    for (size_t i = 0; i + 2 < length; i++) {
        if (text[i] == ']' || (text[i] == ',' && i)) break;
        if (text[i] != '|') continue;
        if (text[i + 1] == 's') allowed |= 1u << ARMM_SP;
        if (text[i + 1] == 'p') allowed |= 1u << ARMM_PC;
    }
    return allowed;
}

static void build_class(armm_class *class, const oak_pattern *pattern, const char *text, size_t length)
{
    size_t bare = 0;
    while (bare < length && text[bare] != '|') bare++;
    for (size_t i = 0; i < sizeof registers / sizeof *registers; i++) {
        if (*text != *registers[i].name || !oak_same_name(text, bare, registers[i].name)) continue;
        class->what = registers[i].what;
        class->letter = registers[i].letter;
        class->allowed = allowed_registers(pattern, class->letter, text, length);
        return;
    }
    for (size_t i = 0; i < sizeof classes / sizeof *classes; i++) {
        if (*text != *classes[i].name || !oak_same_name(text, length, classes[i].name)) continue;
        class->what = classes[i].what;
        class->scale = classes[i].scale;
        class->optional = classes[i].optional;
        class->letter = *text == '{' ? 't' : 'n';
        class->allowed = allowed_registers(pattern, class->letter, text, length);
        return;
    }
}

static void build_shape(armm_shape *shape, const oak_insn_row *row)
{
    oak_pattern_compile(row->bits, &shape->pattern);
    for (const char *p = row->operands; *p;) {
        const char *end = p;
        unsigned nested = 0;
        /* "[rn|sp], #+-imm8" is one operand: the comma behind a bracket belongs to it. */
        while (*end && (nested || *end != ',' || (end > p && end[-1] == ']'))) {
            nested += *end == '[' || *end == '{';
            nested -= *end == ']' || *end == '}';
            end++;
        }
        build_class(&shape->class_of[shape->count++], &shape->pattern, p, (size_t)(end - p));
        p = *end ? end + 2 : end;
    }
}

/* ------------------------------------------------------------------------------------------ the tables */

static uint8_t add_mnemonic(oak_isa_tables *tables, const char *name)
{
    for (uint8_t i = tables->mnemonic_count;
         i-- > 0;) /* rows of one mnemonic stand together: mostly it is the last */
        if (*tables->mnemonic[i] == *name && oak_same(tables->mnemonic[i], name)) return i;
    uint8_t number = tables->mnemonic_count++;
    tables->mnemonic[number] = name;
    tables->first_row[number] = tables->also[number] = ARMM_NO_ROW;
    tables->alias_of[number] = number;
    return number;
}

/* Buckets of rows of one width by some bits of the code, in the order of the table: counted first, then filled. `from` has one element
 * more than there are buckets; returns where the last one ends. */
static unsigned build_buckets(oak_isa_tables *tables, bool wide, unsigned shift, unsigned buckets,
                              uint16_t *from, unsigned at)
{
    uint16_t end[ARMM_WIDE_BUCKETS > ARMM_NARROW_BUCKETS ? ARMM_WIDE_BUCKETS : ARMM_NARROW_BUCKETS];
    for (unsigned pass = 0; pass < 2; pass++) {
        for (unsigned i = 0; pass && i < buckets; i++) end[i] = from[i];
        for (unsigned row = 0; row < ARMM_ROWS; row++) {
            const oak_pattern *pattern = &tables->shape[row].pattern;
            if (armm_is_wide(&tables->shape[row]) != wide ||
                (armm_since_of[row] == ARMM_SINCE_V7 && !tables->v7))
                continue;
            uint32_t fixed = (uint32_t)(pattern->fixed >> shift) & (buckets - 1),
                     free = ~(uint32_t)(pattern->mask >> shift) & (buckets - 1), bits = free;
            for (;; bits = (bits - 1) & free) {
                unsigned bucket = fixed | bits;
                if (!pass) from[bucket]++;
                else if (end[bucket] < ARMM_BUCKET_ENTRIES) tables->bucket[end[bucket]++] = (uint16_t)row;
                if (!bits) break;
            }
        }
        for (unsigned i = 0; !pass && i < buckets; i++) {
            uint16_t count = from[i];
            from[i] = (uint16_t)at;
            at += count;
        }
        if (!pass) from[buckets] = (uint16_t)at;
    }
    return at;
}

static oak_status open_tables(const oak_host *host, bool v7, oak_isa_tables **result)
{
    oak_isa_tables *tables = host->resize(host->context, NULL, 0, sizeof *tables);
    if (!tables) return OAK_NO_MEMORY;
    memset(tables, 0, sizeof *tables);
    tables->v7 = v7;
    for (unsigned i = ARMM_ROWS; i-- > 0;) {
        armm_shape *shape = &tables->shape[i];
        build_shape(shape, &armv7m_rows[i]);
        unsigned number = shape->mnemonic = add_mnemonic(tables, armv7m_rows[i].mnemonic);
        shape->next = tables->first_row[number];
        tables->first_row[number] = (uint16_t)i;
        if (armm_since_of[i] == ARMM_SINCE_V7 && !v7) continue;
        tables->here[number] = true;
        if (!armm_is_wide(shape)) tables->has_narrow[number] = true;
        uint8_t set = armm_set_of[i];
        if (set == ARMM_SET_ITS || set == ARMM_SET_BIT || set == ARMM_SET_OUTSIDE)
            tables->sets[number] = true;
    }
    for (size_t i = 0; i < sizeof aliases / sizeof *aliases; i++) {
        uint8_t of = add_mnemonic(tables, aliases[i].of), number = add_mnemonic(tables, aliases[i].alias);
        tables->alias_of[number] = of;
    }
    for (size_t i = 0; v7 && i < sizeof also / sizeof *also; i++)
        tables->also[add_mnemonic(tables, also[i].mnemonic)] = also[i].row;
    unsigned at = build_buckets(tables, false, 10, ARMM_NARROW_BUCKETS, tables->narrow_from, 0);
    build_buckets(tables, true, 21, ARMM_WIDE_BUCKETS, tables->wide_from, at);
    *result = tables;
    return OAK_OK;
}

static oak_status open_v6(const oak_host *host, oak_isa_tables **tables)
{
    return open_tables(host, false, tables);
}

static oak_status open_v7(const oak_host *host, oak_isa_tables **tables)
{
    return open_tables(host, true, tables);
}

static void close_tables(const oak_host *host, oak_isa_tables *tables)
{
    if (tables) host->resize(host->context, tables, sizeof *tables, 0);
}

/* ------------------------------------------------------------------------------------------ mnemonics */

static int condition_number(const char *text, size_t length)
{
    if (length != 2) return -1;
    for (int i = 0; i < 15; i++)
        if (oak_same_name(text, 2, armm_condition_names[i])) return i;
    if (oak_same_name(text, 2, "hs")) return 2;
    return oak_same_name(text, 2, "lo") ? 3 : -1;
}

/* What may stand behind a base: nothing, s, a condition, s and a condition. */
static int with_suffix(const oak_isa_tables *tables, unsigned base, const char *rest, size_t length)
{
    unsigned s = 0;
    int condition = ARMM_NO_CONDITION;
    unsigned of = tables->alias_of[base];
    if ((length == 1 || length == 3) && oak_lower(*rest) == 's' && tables->sets[of]) s = 1, rest++, length--;
    if (length) condition = condition_number(rest, length);
    if (length && condition < 0) return -1;
    if (length && condition == ARMM_ALWAYS) condition = ARMM_NO_CONDITION;
    return (int)(of | (unsigned)condition << 8 | s << 12);
}

static int it_number(const oak_isa_tables *tables, const char *text, size_t length)
{
    for (unsigned letters = 0; letters < 15; letters++) {
        if (!oak_same_name(text, length, it_names[letters])) continue;
        for (unsigned i = 0; i < tables->mnemonic_count; i++)
            if (oak_same(tables->mnemonic[i], "it")) return (int)(i | letters << 8);
    }
    return -1;
}

int armm_mnemonic(const oak_isa_tables *tables, const char *text, size_t length)
{
    unsigned width = ARMM_WIDTH_ANY;
    if (length > 2 && text[length - 2] == '.') {
        char letter = oak_lower(text[length - 1]);
        if (letter != 'n' && letter != 'w') return -1;
        width = letter == 'n' ? ARMM_WIDTH_NARROW : ARMM_WIDTH_WIDE;
        length -= 2;
    }
    if (length < 1 || length > 12) return -1;
    int found = it_number(tables, text, length);
    if (found >= 0) return found;
    size_t longest = 0;
    for (unsigned i = 0; i < tables->mnemonic_count; i++) {
        size_t size = oak_length(tables->mnemonic[i]);
        if (size > length || size <= longest || !oak_same_name(text, size, tables->mnemonic[i])) continue;
        int number = with_suffix(tables, i, text + size, length - size);
        if (number < 0) continue;
        found = number;
        longest = size;
    }
    return found < 0 ? -1 : found | (int)(width << 13);
}

/* For suggestions: the plain ones, then those with s, then conditional jumps. */
static const char *mnemonic_name(const oak_isa_tables *tables, unsigned number)
{
    static const char *const more[] = {"adds", "subs", "movs", "ands", "orrs", "eors", "lsls", "lsrs",
                                       "asrs", "adcs", "sbcs", "rsbs", "muls", "bics", "mvns", "rors",
                                       "beq",  "bne",  "bcs",  "bcc",  "bhs",  "blo",  "bmi",  "bpl",
                                       "bvs",  "bvc",  "bhi",  "bls",  "bge",  "blt",  "bgt",  "ble"};
    if (number < tables->mnemonic_count) {
        return tables->mnemonic[number];
    }
    number -= tables->mnemonic_count;
    return number < sizeof more / sizeof *more ? more[number] : NULL;
}

static bool is_register(const oak_isa_tables *tables, const char *text, size_t length)
{
    (void)tables;
    return armm_register_number(text, length) >= 0;
}

static unsigned row_size(const oak_isa_tables *tables, unsigned row)
{
    return tables->shape[row].pattern.size;
}

/* An instruction that is explained or searched for by its name: the row's base. */
static bool names_row(const oak_isa_tables *tables, unsigned mnemonic, unsigned row)
{
    unsigned base = armm_base(mnemonic);
    if (armm_since_of[row] == ARMM_SINCE_V7 && !tables->v7) return false;
    return tables->shape[row].mnemonic == base || tables->also[base] == row;
}

/* ------------------------------------------------------------------------------------------ the architectures */

static const oak_space_info spaces[ARMM_SPACES] = {
    [ARMM_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0, false, 0},
    [ARMM_MEM] = {"mem", "memory", false, false, 0, (uint64_t)1 << 32, 0, false, 0},
};

static const oak_register_info core_registers[ARMM_REGISTERS] = {
    {"r0", 32, "general", false, 0},
    {"r1", 32, "general", false, 0},
    {"r2", 32, "general", false, 0},
    {"r3", 32, "general", false, 0},
    {"r4", 32, "general", false, 0},
    {"r5", 32, "general", false, 0},
    {"r6", 32, "general", false, 0},
    {"r7", 32, "general", false, 0},
    {"r8", 32, "general", false, 0},
    {"r9", 32, "general", false, 0},
    {"r10", 32, "general", false, 0},
    {"r11", 32, "general", false, 0},
    {"r12", 32, "general", false, 0},
    {"sp", 32, "stack pointer in use", true, ARMM_MEM},
    {"lr", 32, "link register", false, 0},
    {"pc", 32, "program counter", false, 0},
    {"xpsr", 32, "program status", false, 0},
    {"msp", 32, "main stack pointer", false, ARMM_MEM},
    {"psp", 32, "process stack pointer", false, ARMM_MEM},
    {"primask", 1, "holds back all interrupts", false, 0},
    {"control", 2, "privilege and stack of thread mode", false, 0},
    {"basepri", 8, "holds back interrupts up to this priority", false, 0},
    {"faultmask", 1, "holds back everything but the NMI", false, 0},
};

static const oak_flag_info flags[] = {
    {"n", ARMM_XPSR, 31, 1, "negative", false, 0},  {"z", ARMM_XPSR, 30, 1, "zero", false, 0},
    {"c", ARMM_XPSR, 29, 1, "carry", false, 0},     {"v", ARMM_XPSR, 28, 1, "overflow", false, 0},
    {"q", ARMM_XPSR, 27, 1, "saturated", false, 0}, {"exception", ARMM_XPSR, 0, 9, "handling", true, 0},
};
/* armv6m has no saturation. */
static const oak_flag_info flags_v6[] = {
    {"n", ARMM_XPSR, 31, 1, "negative", false, 0},       {"z", ARMM_XPSR, 30, 1, "zero", false, 0},
    {"c", ARMM_XPSR, 29, 1, "carry", false, 0},          {"v", ARMM_XPSR, 28, 1, "overflow", false, 0},
    {"exception", ARMM_XPSR, 0, 6, "handling", true, 0},
};

/* The state of the instructions that follow, out of the program status register (EPSR.IT). */
static uint32_t state_of(uint32_t xpsr)
{
    return (xpsr >> 25 & 3) | (xpsr >> 8 & 0xFC);
}

/* B1.5.6 and B1.5.8: r0 to r3, r12, lr, return address, xpsr. */
static const oak_exception_frame frame = {.returns_from = 0xFFFFFFE0u,
                                          .link_register = ARMM_LR,
                                          .words = 8,
                                          .link_word = 5,
                                          .pc_word = 6,
                                          .skipped_bit = 9,
                                          .registers = {0, 1, 2, 3, 12, ARMM_LR, ARMM_PC, ARMM_XPSR}};

static const char *const trade[OAK_TRADES] = {
    [OAK_TRADE_COMPARE] = "Write `cmp r0, #5`.",
    [OAK_TRADE_TEST] = "Write `tst r0, r1`.",
    [OAK_TRADE_SLEEP] = "Write `wfi` to sleep until an interrupt, `b .` to stay here.",
    [OAK_TRADE_LOAD] =
        "Write `movs r0, #5` for a value, `ldr r0, =value` for any, `ldr r0, [r1]` for memory.",
    [OAK_TRADE_STORE] = "Write `str r0, [r1]`, `strb r0, [r1]`.",
    [OAK_TRADE_XOR] = "Write `eors r0, r1`.",
    [OAK_TRADE_OR] = "Write `orrs r0, r1`.",
    [OAK_TRADE_AND] = "Write `ands r0, r1`.",
    [OAK_TRADE_NOT] = "Write `mvns r0, r1`.",
    [OAK_TRADE_NEGATE] = "Write `rsbs r0, r1, #0`.",
    [OAK_TRADE_SUBTRACT] = "Write `subs r0, #5`, or `sbcs` with the borrow.",
    [OAK_TRADE_ADD] = "Write `adds r0, #5`, or `adcs` with the carry.",
    [OAK_TRADE_INCREMENT] = "Write `adds r0, #1`.",
    [OAK_TRADE_DECREMENT] = "Write `subs r0, #1`.",
    [OAK_TRADE_JUMP] = "Write `b target`, or `bx r0` to an address in a register.",
    [OAK_TRADE_IF_EQUAL] = "Write `beq target` behind `cmp r0, #5`.",
    [OAK_TRADE_IF_DIFFERENT] = "Write `bne target` behind `cmp r0, #5`.",
    [OAK_TRADE_IF_CARRY] = "Write `bcs target`, or `blo target` behind a comparison.",
    [OAK_TRADE_IF_NO_CARRY] = "Write `bcc target`, or `bhs target` behind a comparison.",
    [OAK_TRADE_IF_ORDERED] =
        "Write `bgt`, `bge`, `blt`, `ble` with signs, `bhi`, `bls` without, behind `cmp`.",
    [OAK_TRADE_IF_SIGN] = "Write `bmi target` or `bpl target`.",
    [OAK_TRADE_CALL] = "Write `bl target`, or `blx r0` to an address in a register.",
    [OAK_TRADE_SOFTWARE_INTERRUPT] = "Write `svc #0`.",
    [OAK_TRADE_REGISTER_VALUE] =
        "Memory at its address is written `[r1]`; a value is known while assembling.",
    [OAK_TRADE_FLOAT] = "This core has no floating point: count in whole numbers of a smaller unit.",
    [OAK_TRADE_RETURN] = "Write `bx lr`, or `pop {pc}` where lr was pushed.",
    [OAK_TRADE_RETURN_FROM_INTERRUPT] = "Write `bx lr`: a handler returns as any function does.",
    [OAK_TRADE_SHIFT_LEFT] = "Write `lsls r0, r0, #1`.",
    [OAK_TRADE_SHIFT_RIGHT] = "Write `lsrs r0, r0, #1`, `asrs` with the sign, `rors r0, r1` to rotate.",
    [OAK_TRADE_SET_BIT] = "Write `orrs r0, r1`, with the mask in r1.",
    [OAK_TRADE_CLEAR_BIT] = "Write `bics r0, r1`, with the mask in r1; `movs r0, #0` clears a register.",
    [OAK_TRADE_TOGGLE_BIT] = "Write `eors r0, r1`, with the mask in r1.",
    [OAK_TRADE_IF_BIT] = "Write `tst r0, r1`, then `beq` or `bne`.",
    [OAK_TRADE_INTERRUPTS_ON] = "Write `cpsie i`.",
    [OAK_TRADE_INTERRUPTS_OFF] = "Write `cpsid i`.",
    [OAK_TRADE_EXCHANGE] = "Write three `mov`s through a third register.",
    [OAK_TRADE_PUSH] = "Write `push {r0, lr}`.",
    [OAK_TRADE_POP] = "Write `pop {r0, pc}`.",
    [OAK_TRADE_MULTIPLY] = "Write `muls r0, r1, r0`.",
    [OAK_TRADE_DIVIDE] = "armv7m has `udiv` and `sdiv`; armv6m divides in a loop.",
    [OAK_TRADE_LOOP] = "Write `subs r0, #1`, then `bne target`.",
    [OAK_TRADE_TABLE] = "Code is read as any memory: `ldr r0, =table`, then `ldrb r1, [r0, r2]`.",
    [OAK_TRADE_HIGH_REGISTER] = "The registers are r0 to r12, sp, lr and pc.",
    [OAK_TRADE_OTHER_REGISTER] = "The registers are r0 to r12, sp, lr and pc.",
    [OAK_TRADE_PORT] = "Ports are memory: `ldr r0, =P0_OUT`, then `str r1, [r0]`.",
};

static const oak_message messages_v6[] = {
#define V6_MESSAGE(code, meaning, wrong, right) {code, meaning, wrong, right},
#define V7_MESSAGE(code, meaning, wrong, right)
#include "isa/armm/armm_words.def"
    {0}};
static const oak_message messages_v7[] = {
#define V6_MESSAGE(code, meaning, wrong, right)
#define V7_MESSAGE(code, meaning, wrong, right) {code, meaning, wrong, right},
#include "isa/armm/armm_words.def"
    {0}};

static const oak_copier copiers[] = {
    {1,
     {"ldr r0, =copied_from", "ldr r1, =copied_to", "ldr r2, =copied_bytes", "ldrb r3, [r0]", "strb r3, [r1]",
      "adds r0, r0, #1", "adds r1, r1, #1", "subs r2, r2, #1", "bne $-10"}},
    {0}};
#define ARMM_ARCHITECTURE(name_text, title_text, row_table, open_function, ops, register_number, flag_table, \
                          message_table)                                                                     \
    {                                                                                                        \
        .about = {.name = name_text,                                                                         \
                  .title = title_text,                                                                       \
                  .cycle_unit = "clock cycle",                                                               \
                  .elf_machine = 40,                                                                         \
                  .word_bytes = 4,                                                                           \
                  .memory_align = 4,                                                                         \
                  .code_align = 2,                                                                           \
                  .code_bit = 1,                                                                             \
                  .vector_bytes = 4,                                                                         \
                  .vector_step = 4,                                                                          \
                  .own_exceptions = 16,                                                                      \
                  .spaces = spaces,                                                                          \
                  .space_count = ARMM_SPACES,                                                                \
                  .code_space = ARMM_MEM,                                                                    \
                  .registers = core_registers,                                                               \
                  .register_count = register_number,                                                         \
                  .pc_register = ARMM_PC,                                                                    \
                  .stack = {.pointer = ARMM_SP, .space = ARMM_MEM, .cell = 4, .return_bytes = 4},            \
                  .state_register = ARMM_XPSR,                                                               \
                  .flags = flag_table,                                                                       \
                  .flag_count = sizeof flag_table / sizeof *flag_table},                                     \
        .rows = row_table, .row_count = ARMM_ROWS, .open = open_function, .close = close_tables,             \
        .mnemonic = armm_mnemonic, .mnemonic_name = mnemonic_name, .names_row = names_row,                   \
        .is_register = is_register, .read_operands = armm_read_operands, .forms = armm_forms,                \
        .size = row_size, .encode = armm_encode, .decode = armm_decode, .print = armm_print,                 \
        .pattern_unit = 2, .flow_of = armm_flow_of, .target_of = armm_target_of, .state_of = state_of,       \
        .stack_use = armm_stack_use, .frame = &frame, .trade = trade, .messages = message_table,             \
        .call_mnemonic = "bl", .copiers = copiers, .core = &ops                                              \
    }

const oak_isa oak_isa_armv6m =
    ARMM_ARCHITECTURE("armv6m", "Arm M-profile, version 6, 32-bit", armv6m_rows, open_v6, armv6m_core_ops,
                      ARMM_BASEPRI, flags_v6, messages_v6);
const oak_isa oak_isa_armv7m =
    ARMM_ARCHITECTURE("armv7m", "Arm M-profile, version 7, 32-bit", armv7m_rows, open_v7, armv7m_core_ops,
                      ARMM_REGISTERS, flags, messages_v7);
