/* arm_tables.c — what is derived from the rows of an instruction set: operand classes, mnemonics, the decoder's index. */
#include "base/bytes.h"
#include "base/invariant.h"
#include "isa/arm/arm.h"

/* ------------------------------------------------------------------------------------------ small tables */

const char *const arm_condition_names[16] = {"eq", "ne", "cs", "cc", "mi", "pl", "vs", "vc",
                                             "hi", "ls", "ge", "lt", "gt", "le", "al", ""};

static const char *const register_names[16] = {"r0", "r1", "r2",  "r3",  "r4",  "r5", "r6", "r7",
                                               "r8", "r9", "r10", "r11", "r12", "sp", "lr", "pc"};

const char *arm_register_name(unsigned number)
{
    return register_names[number & 15];
}

int arm_register_number(const char *text, size_t length)
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

const char *arm_it_name(unsigned letters)
{
    return it_names[letters < 15 ? letters : 0];
}

unsigned arm_it_mask(unsigned condition, unsigned letters)
{
    const char *name = arm_it_name(letters) + 2;
    unsigned mask = 0, bit = 3;
    for (; *name; name++, bit--) mask |= ((*name == 't' ? condition & 1u : ~condition & 1u)) << bit;
    return mask | 1u << bit;
}

unsigned arm_it_letters(unsigned condition, unsigned mask)
{
    for (unsigned letters = 0; letters < 15; letters++)
        if (arm_it_mask(condition, letters) == mask) return letters;
    return 0;
}

/* ------------------------------------------------------------------------------------------ operand classes */

static const struct {
    const char *name;
    uint8_t what, scale;
    bool optional;
} classes[] = {
    {"#0", ARM_ZERO, 0, false},
    {"#imm3", ARM_IMM, 1, false},
    {"#imm4", ARM_IMM, 1, false},
    {"#imm8", ARM_IMM, 1, false},
    {"#imm8*4", ARM_IMM, 4, false},
    {"#imm7*4", ARM_IMM, 4, false},
    {"#imm12", ARM_IMM, 1, false},
    {"#imm16", ARM_IMM16, 1, false},
    {"#imm24", ARM_IMM, 1, false},
    {"#mode", ARM_IMM, 1, false},
    {"#shift", ARM_SHIFT_31, 1, false},
    {"#shift32", ARM_SHIFT_32, 1, false},
    {"#const", ARM_CONST, 1, false},
    {"#~const", ARM_CONST, 0, false}, /* its inverse fits */
    {"#-const", ARM_CONST, 2, false}, /* its negative does */
    {"#rot?", ARM_ROTATED_MAY, 1, true},
    {"#sat", ARM_SAT, 1, false},
    {"#sat0", ARM_SAT0, 1, false},
    {"#lsb", ARM_LSB, 1, false},
    {"#width", ARM_WIDTH, 1, false},
    {"#count", ARM_COUNT, 1, false},
    {"shift?", ARM_SHIFT_MAY, 1, true},
    {"shift", ARM_SHIFT_MAY, 1, false},
    {"shift rs", ARM_SHIFT_BY_REG, 1, false},
    {"lsl?", ARM_SHIFT_LSL_MAY, 1, true},
    {"asr", ARM_SHIFT_ASR, 1, false},
    {"satshift?", ARM_SAT_SHIFT_MAY, 1, true},
    {"rotation?", ARM_ROTATION_MAY, 1, true},
    {"sy?", ARM_SY_MAY, 1, true},
    {"barrier?", ARM_BARRIER_MAY, 1, true},
    {"label6", ARM_LABEL, 6, false},
    {"label8", ARM_LABEL, 8, false},
    {"label11", ARM_LABEL, 11, false},
    {"label20", ARM_LABEL, 20, false},
    {"label24", ARM_LABEL, 24, false},
    {"label24*4", ARM_LABEL_WORDS, 24, false},
    {"place8", ARM_PLACE8, 4, false},
    {"place12+", ARM_PLACE_AFTER, 1, false},
    {"place12-", ARM_PLACE_BEFORE, 1, false},
    {"place+", ARM_ADR_AFTER, 1, false},
    {"place-", ARM_ADR_BEFORE, 1, false},
    {"word8", ARM_WORD8, 4, false},
    {"word12", ARM_WORD12, 1, false},
    {"word8x4", ARM_WORD8X4, 4, false},
    {"[rn, #imm5]", ARM_MEM_IMM, 1, false},
    {"[rn, #imm5*2]", ARM_MEM_IMM, 2, false},
    {"[rn, #imm5*4]", ARM_MEM_IMM, 4, false},
    {"[rn|sp, #imm8]", ARM_MEM_IMM, 1, false},
    {"[rn|sp, #imm8*4]", ARM_MEM_IMM, 4, false},
    {"[rn|sp, #imm12]", ARM_MEM_IMM, 1, false},
    {"[sp, #imm8*4]", ARM_MEM_SP, 4, false},
    {"[rn|sp, #-imm8]", ARM_MEM_NEG, 1, false},
    {"[rn|sp, #+-imm8*4]", ARM_MEM_SIGNED, 4, false},
    {"[rn|sp, #+-imm8*4]!", ARM_MEM_PRE_IMM, 4, false},
    {"[rn|sp], #+-imm8*4", ARM_MEM_POST_IMM, 4, false},
    {"[rn|sp, #+-imm8]!", ARM_MEM_PRE_IMM, 1, false},
    {"[rn|sp], #+-imm8", ARM_MEM_POST_IMM, 1, false},
    {"[rn, rm]", ARM_MEM_REG, 1, false},
    {"[rn|sp|pc, rm]", ARM_MEM_REG, 1, false},
    {"[rn|sp|pc, rm, lsl #1]", ARM_MEM_REG_TWO, 1, false},
    {"[rn|sp, rm, lsl #n]", ARM_MEM_REG_SHIFT, 1, false},
    {"[rn|sp]", ARM_MEM_BASE, 1, false},
    {"[rn]", ARM_MEM_BASE, 1, false},
    {"[rn|pc, #+-imm]", ARM_MEM_SIGNED, 1, false},
    {"[rn, #+-imm]", ARM_MEM_SIGNED, 1, false},
    {"[rn, #+-imm]!", ARM_MEM_PRE_IMM, 1, false},
    {"[rn], #+-imm", ARM_MEM_POST_IMM, 1, false},
    {"[rn|pc, +-rm, shift]", ARM_MEM_INDEXED, 1, false},
    {"[rn, +-rm, shift]!", ARM_MEM_PRE_INDEX, 1, false},
    {"[rn], +-rm, shift", ARM_MEM_POST_INDEX, 1, false},
    {"[rn|pc, +-rm]", ARM_MEM_INDEXED, 0, false},
    {"[rn, +-rm]!", ARM_MEM_PRE_INDEX, 0, false},
    {"[rn], +-rm", ARM_MEM_POST_INDEX, 0, false},
    {"{low}", ARM_LIST_LOW, 1, false},
    {"{low with rn}", ARM_LIST_LOW_BASE, 1, false},
    {"{low, lr}", ARM_LIST_LOW_LR, 1, false},
    {"{low, pc}", ARM_LIST_LOW_PC, 1, false},
    {"{list}", ARM_LIST, 1, false},
    {"{list|pc}", ARM_LIST_PC, 1, false},
    {"{any}", ARM_LIST_ALL, 1, false},
    {"{any}^", ARM_LIST_USER, 1, false},
    {"{one}", ARM_LIST_ONE, 1, false},
    {"{one|pc}", ARM_LIST_ONE, 1, false},
    {"cond", ARM_CONDITION, 1, false},
    {"iflags", ARM_IFLAGS, 1, false},
    {"special", ARM_SPECIAL, 1, false},
    {"sp", ARM_REG_SP, 1, false},
    {"sp{!}", ARM_SP_MAY_MOVE, 1, false},
    {"rt+1", ARM_REG_NEXT, 1, false},
    {"spn", ARM_SP_TWICE, 1, false},
};

static const struct {
    const char *name;
    uint8_t what;
    char letter;
} registers[] = {
    {"rd", ARM_REG, 'd'},
    {"rn", ARM_REG, 'n'},
    {"rm", ARM_REG, 'm'},
    {"rt", ARM_REG, 't'},
    {"rt2", ARM_REG, 'u'},
    {"ra", ARM_REG, 'a'},
    {"rdlo", ARM_REG, 'l'},
    {"rdhi", ARM_REG, 'h'},
    {"rdn", ARM_REG_TWICE, 'd'},
    {"rdm", ARM_REG_PRODUCT, 'd'},
    {"rs", ARM_REG, 'e'},
    {"rn!", ARM_BASE_MOVES, 'n'},
    {"rn{!}", ARM_BASE_MAY_MOVE, 'n'},
};

/* Those that can stand anywhere, with sp and pc where the text of the operand says so; r0 to r7 in a field of three bits. */
static uint16_t allowed_registers(const arm_dialect *dialect, const oak_pattern *pattern, char letter,
                                  const char *text, size_t length)
{
    uint16_t allowed = oak_pattern_width(pattern, letter) == 3 ? 0x00FF : (uint16_t)dialect->any;
    for (size_t i = 0; i + 2 < length; i++) {
        if (text[i] == ']' || (text[i] == ',' && i)) break;
        if (text[i] != '|') continue;
        if (text[i + 1] == 's') allowed |= 1u << ARM_SP;
        if (text[i + 1] == 'p') allowed |= 1u << ARM_PC;
    }
    return allowed;
}

static void build_class(const arm_dialect *dialect, arm_class *class, const oak_pattern *pattern,
                        const char *text, size_t length)
{
    size_t bare = 0;
    while (bare < length && text[bare] != '|') bare++;
    for (size_t i = 0; i < sizeof registers / sizeof *registers; i++) {
        if (*text != *registers[i].name || !oak_same_name(text, bare, registers[i].name)) continue;
        class->what = registers[i].what;
        class->letter = registers[i].letter;
        class->allowed = allowed_registers(dialect, pattern, class->letter, text, length);
        return;
    }
    for (size_t i = 0; i < sizeof classes / sizeof *classes; i++) {
        if (*text != *classes[i].name || !oak_same_name(text, length, classes[i].name)) continue;
        class->what = classes[i].what;
        class->scale = classes[i].scale;
        class->optional = classes[i].optional;
        class->letter = *text == '{' ? 't' : 'n';
        class->allowed = allowed_registers(dialect, pattern, class->letter, text, length);
        return;
    }
}

static void build_shape(const arm_dialect *dialect, arm_shape *shape, const oak_insn_row *row)
{
    oak_pattern_compile(row->bits, &shape->pattern);
    shape->has_condition = oak_pattern_width(&shape->pattern, 'o');
    for (const char *p = row->operands; *p;) {
        const char *end = p;
        unsigned nested = 0;
        /* "[rn|sp], #+-imm8" and "[rn], +-rm, shift" are one operand: what follows a bracket belongs to it. */
        bool behind = false;
        while (*end && (nested || *end != ',' || behind)) {
            nested += *end == '[' || *end == '{';
            nested -= *end == ']' || *end == '}';
            behind |= *end == ']';
            end++;
        }
        build_class(dialect, &shape->class_of[shape->count++], &shape->pattern, p, (size_t)(end - p));
        p = *end ? end + 2 : end;
    }
    shape->conditional =
        shape->count && shape->class_of[0].what == ARM_LABEL && oak_pattern_width(&shape->pattern, 'c');
}

/* ------------------------------------------------------------------------------------------ the tables */

static uint8_t add_mnemonic(oak_isa_tables *tables, const char *name)
{
    for (uint8_t i = tables->mnemonic_count;
         i-- > 0;) /* rows of one mnemonic stand together: mostly it is the last */
        if (*tables->mnemonic[i] == *name && oak_same(tables->mnemonic[i], name)) return i;
    OAK_INVARIANT(tables->mnemonic_count < ARM_MOST_MNEMONICS);
    uint8_t number = tables->mnemonic_count++;
    tables->mnemonic[number] = name;
    tables->first_row[number] = tables->also[number] = ARM_NO_ROW;
    tables->alias_of[number] = number;
    return number;
}

/* Buckets of rows of one width by some bits of the code, in the order of the table: counted first, then filled. `from` has one element
 * more than there are buckets; returns where the last one ends. */
static unsigned build_buckets(oak_isa_tables *tables, bool wide, unsigned shift, unsigned buckets,
                              uint16_t *from, unsigned at)
{
    uint16_t end[ARM_WIDE_BUCKETS > ARM_NARROW_BUCKETS ? ARM_WIDE_BUCKETS : ARM_NARROW_BUCKETS];
    for (unsigned pass = 0; pass < 2; pass++) {
        for (unsigned i = 0; pass && i < buckets; i++) end[i] = from[i];
        for (unsigned row = 0; row < tables->dialect->isa->row_count; row++) {
            const oak_pattern *pattern = &tables->shape[row].pattern;
            if (arm_is_wide(&tables->shape[row]) != wide || !arm_has_row(tables, row)) continue;
            uint32_t fixed = (uint32_t)(pattern->fixed >> shift) & (buckets - 1),
                     free = ~(uint32_t)(pattern->mask >> shift) & (buckets - 1), bits = free;
            for (;; bits = (bits - 1) & free) {
                unsigned bucket = fixed | bits;
                if (!pass) from[bucket]++;
                else if (end[bucket] < ARM_BUCKET_ENTRIES) tables->bucket[end[bucket]++] = (uint16_t)row;
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

oak_status arm_open_tables(const arm_dialect *dialect, const oak_host *host, oak_isa_tables **result)
{
    oak_isa_tables *tables = host->resize(host->context, NULL, 0, sizeof *tables);
    if (!tables) return OAK_NO_MEMORY;
    memset(tables, 0, sizeof *tables);
    tables->dialect = dialect;
    OAK_INVARIANT(dialect->isa->row_count <= ARM_MOST_ROWS);
    for (unsigned i = dialect->isa->row_count; i-- > 0;) {
        arm_shape *shape = &tables->shape[i];
        build_shape(dialect, shape, &dialect->full[i]);
        unsigned number = shape->mnemonic = add_mnemonic(tables, dialect->full[i].mnemonic);
        shape->next = tables->first_row[number];
        tables->first_row[number] = (uint16_t)i;
        if (!arm_has_row(tables, i)) continue;
        tables->here[number] = true;
        if (!arm_is_wide(shape)) tables->has_narrow[number] = true;
        uint8_t set = dialect->set[i];
        if (set == ARM_SET_ITS || set == ARM_SET_BIT || set == ARM_SET_OUTSIDE) tables->sets[number] = true;
    }
    for (const arm_alias *one = dialect->aliases; one->alias; one++) {
        uint8_t of = add_mnemonic(tables, one->of);
        tables->alias_of[add_mnemonic(tables, one->alias)] = of;
    }
    for (const arm_also *one = dialect->also; one->mnemonic; one++)
        if (arm_has_row(tables, one->row)) tables->also[add_mnemonic(tables, one->mnemonic)] = one->row;
    unsigned at = build_buckets(tables, false, 10, ARM_NARROW_BUCKETS, tables->narrow_from, 0);
    build_buckets(tables, true, dialect->plain ? 20 : 21, ARM_WIDE_BUCKETS, tables->wide_from, at);
    *result = tables;
    return OAK_OK;
}

void arm_close_tables(const oak_host *host, oak_isa_tables *tables)
{
    if (tables) host->resize(host->context, tables, sizeof *tables, 0);
}

/* ------------------------------------------------------------------------------------------ mnemonics */

static int condition_number(const char *text, size_t length)
{
    if (length != 2) return -1;
    for (int i = 0; i < 15; i++)
        if (oak_same_name(text, 2, arm_condition_names[i])) return i;
    if (oak_same_name(text, 2, "hs")) return 2;
    return oak_same_name(text, 2, "lo") ? 3 : -1;
}

/* What may stand behind a base: nothing, s, a condition, s and a condition. */
static int with_suffix(const oak_isa_tables *tables, unsigned base, const char *rest, size_t length)
{
    unsigned s = 0;
    int condition = ARM_NO_CONDITION;
    unsigned of = tables->alias_of[base];
    if ((length == 1 || length == 3) && oak_lower(*rest) == 's' && tables->sets[of]) s = 1, rest++, length--;
    if (length) condition = condition_number(rest, length);
    if (length && condition < 0) return -1;
    if (length && condition == ARM_ALWAYS) condition = ARM_NO_CONDITION;
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

int arm_mnemonic(const oak_isa_tables *tables, const char *text, size_t length)
{
    unsigned width = ARM_WIDTH_ANY;
    if (length > 2 && text[length - 2] == '.') {
        char letter = oak_lower(text[length - 1]);
        if (letter != 'n' && letter != 'w') return -1;
        width = letter == 'n' ? ARM_WIDTH_NARROW : ARM_WIDTH_WIDE;
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
const char *arm_mnemonic_name(const oak_isa_tables *tables, unsigned number)
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

bool arm_is_register(const oak_isa_tables *tables, const char *text, size_t length)
{
    (void)tables;
    return arm_register_number(text, length) >= 0;
}

unsigned arm_row_size(const oak_isa_tables *tables, unsigned row)
{
    return tables->shape[row].pattern.size;
}

/* An instruction that is explained or searched for by its name: the row's base. */
bool arm_names_row(const oak_isa_tables *tables, unsigned mnemonic, unsigned row)
{
    unsigned base = arm_base(mnemonic);
    if (!arm_has_row(tables, row)) return false;
    return tables->shape[row].mnemonic == base || tables->also[base] == row;
}
