/* mcs51_language.c — the MCS-51 for the assembler: its classes of operands, spaces and registers, and what it says in words of its
 * own. All else is the kit's. */
#include "base/bytes.h"
#include "isa/mcs51/mcs51.h"

#define KIT_ROWS_OF   mcs51_rows
#define KIT_CYCLES_OF mcs51_cycles
#include "isa/kit/rows.h"

static const kit_choice choices[] = {
#define INSN(id, mnemonic, operands, bits, cycles, taken, flow, uses, flags, meaning)
#define CHOICE(mnemonic, of, meaning) {#mnemonic, of},
#include "isa/mcs51/mcs51.def"
    {0}};

/* clang-format off */
static const char *const banked[] = {"r0", "r1", "r2", "r3", "r4", "r5", "r6", "r7", NULL},
                  *const pointers[] = {"r0", "r1", NULL}, *const pointer[] = {"dptr", NULL};
static const kit_class classes[] = {
    /* name                    shape  names     letter value kind          space       touches           cells window points shift */
    [MCS51_RN - 1]          = {"rn",      "<>",  banked,   'n', 0,   KIT_NO_VALUE, 0,          KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    [MCS51_AT_RI - 1]       = {"@ri",     "@<>", pointers, 'i', 0,   KIT_NO_VALUE, MCS51_IRAM, KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    [MCS51_AT_DPTR - 1]     = {"@dptr",   "@<>", pointer,  'z', 0,   KIT_NO_VALUE, MCS51_XRAM, KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    [MCS51_IMMEDIATE - 1]   = {"#data",   "#{}", NULL,     0,   'd', KIT_BITS,     0,          0,                  0, false, false, 0, NULL, NULL, NULL},
    [MCS51_DATA16 - 1]      = {"#data16", "#{}", NULL,     0,   'd', KIT_BITS,     0,          0,                  0, false, true, 0, NULL, NULL, NULL},
    [MCS51_NOT_BIT - 1]     = {"/bit",    "/{}", NULL,     0,   'b', KIT_UNSIGNED, MCS51_BIT,  KIT_TOUCH_CELL,     1, false, false, 0, NULL, NULL, NULL},
    [MCS51_DIRECT - 1]      = {"direct",  "{}",  NULL,     0,   'a', KIT_UNSIGNED, MCS51_IRAM, KIT_TOUCH_CELL,     1, false, false, 0, NULL, NULL, NULL},
    [MCS51_SOURCE - 1]      = {"source",  "{}",  NULL,     0,   's', KIT_UNSIGNED, MCS51_IRAM, KIT_TOUCH_CELL,     1, false, false, 0, NULL, NULL, NULL},
    [MCS51_BIT_ADDRESS - 1] = {"bit",     "{}",  NULL,     0,   'b', KIT_UNSIGNED, MCS51_BIT,  KIT_TOUCH_CELL,     1, false, false, 0, NULL, NULL, NULL},
    [MCS51_REL - 1]         = {"rel",     "{}",  NULL,     0,   'r', KIT_RELATIVE, 0,          0,                  0, false, false, 0, NULL, NULL, NULL},
    [MCS51_ADDR11 - 1]      = {"addr11",  "{}",  NULL,     0,   'p', KIT_PAGE,     0,          0,                  0, false, false, 0, NULL, NULL, NULL},
    [MCS51_ADDR16 - 1]      = {"addr16",  "{}",  NULL,     0,   'l', KIT_TARGET,   0,          0,                  0, false, false, 0, NULL, NULL, NULL},
    {0}};
static const kit_letter letters[] = {{"a", 'a'}, {"c", 'c'}, {"r*", 'r'}, {"@r*", '@'}, {"#{}", '#'}, {"{}", '='},
                                     {"dptr", 'd'}, {"@dptr", 'D'}, {0}};
/* clang-format on */

#define KIT_WORDS "isa/mcs51/mcs51_words.def"
#include "isa/kit/words.h"
static const kit_pair opposites[] = {
#define OPPOSITES(a, b) {#a, #b},
#include "isa/mcs51/mcs51_words.def"
    {0}};

/* ------------------------------------------------------------------------------------------ operands that cannot be */

static bool refuse_pointer(oak_operand_reader *reader)
{
    const char *start = reader->at, *at = start + 1;
    while (at < reader->end && (*at == ' ' || *at == '\t')) at++;
    const char *word = at;
    while (at < reader->end && oak_is_word(*at)) at++;
    bool banked_one = at == word + 2 && oak_lower(*word) == 'r' && word[1] >= '2' && word[1] <= '7';
    if (banked_one)
        reader->refuse(reader, start, at, "pointer-register", "Copy the address to r0 or r1 first.",
                       "only r0 and r1 can point to memory");
    else
        reader->refuse(reader, start, at > word ? at : start + 1, "pointer-register",
                       "Pointers are @r0, @r1, @dptr, @a+dptr and @a+pc.", "this cannot point to memory");
    return true;
}

static bool refuses(oak_operand_reader *reader, bool is_word, const char *behind)
{
    const char *start = reader->at;
    char first = start < reader->end ? *start : 0;
    if (is_word) {
        if (behind != start + 1 || oak_lower(first) != 'a' || behind == reader->end || *behind != '.')
            return false;
        reader->refuse(reader, start, behind, "accumulator-bit",
                       "Write acc for the accumulator as a register with bits: acc.0 to acc.7.",
                       "the accumulator's bits are reached through its register name");
        return true;
    }
    if (first == '@') return refuse_pointer(reader);
    if (first != '!' && first != '~') return false;
    reader->suggest(reader, start, start + 1, "/");
    reader->refuse(reader, start, start + 1, "inverted-bit",
                   "Write `/` before a bit: `anl c, /p1.0`, `orl c, /p1.0`.",
                   "only a constant is inverted like this, behind its #");
    return true;
}

/* A register's other name is that of a byte, the carry's that of a bit: neither is a target. */
static bool other_name(const char *word, unsigned class, oak_refusal *why)
{
    bool banked_one = word[0] == 'r', carry = word[0] == 'c', accumulator = oak_same(word, "a");
    if (carry ? class != MCS51_BIT_ADDRESS : class != MCS51_DIRECT) return false;
    why->edit_safe = !banked_one;
    if (accumulator) {
        oak_format(why->hint, sizeof why->hint, "Name the accumulator by its address: write acc.");
        oak_format(why->edit, sizeof why->edit, "acc");
    } else if (carry) {
        oak_format(why->hint, sizeof why->hint, "Name the carry by its bit address: write cy.");
        oak_format(why->edit, sizeof why->edit, "cy");
    } else if (banked_one) {
        oak_format(why->hint, sizeof why->hint,
                   "Only an address fits here. In bank 0 the address of %s is %c: write %c.", word, word[1],
                   word[1]);
        oak_format(why->edit, sizeof why->edit, "%c", word[1]);
    }
    return accumulator || carry || banked_one;
}

/* ------------------------------------------------------------------------------------------ values that cannot be */

static oak_status refuse(oak_refusal *why, const char *code)
{
    why->code = code;
    return OAK_REFUSED;
}

static oak_status direct_address(const oak_value *value, bool accumulator, oak_refusal *why)
{
    char name[120];
    kit_show_value(value, name, sizeof name);
    const char *bare = value->name ? value->name : "address";
    switch (value->space) {
    case MCS51_XRAM:
        SAY(why, "%s lies in external RAM, which only movx reaches", name);
        HINT(why, "Write `mov dptr, #%s` and then `movx a, @dptr` to read or `movx @dptr, a` to write.",
             bare);
        return refuse(why, "wrong-space");
    case MCS51_CODE:
        SAY(why, "%s lies in code memory, which only movc reads", name);
        HINT(why, "Write `mov dptr, #%s`, `clr a` and then `movc a, @a+dptr`%s.", bare,
             accumulator ? "; for its address write #" : "");
        return refuse(why, "wrong-space");
    case MCS51_BIT:
        SAY(why, "%s is a single bit, this takes a whole byte", name);
        HINT(why, "Write `setb %s`, `clr %s`, or move it through the carry: `mov c, %s`.", bare, bare, bare);
        return refuse(why, "wrong-space");
    case MCS51_IRAM:
        if (value->number < 0x80 || value->number > 0xFF) break;
        SAY(why, "%s is internal RAM at 0x%02x, which only a pointer reaches", name, (unsigned)value->number);
        HINT(why, "Direct addresses from 0x80 are special registers. Write `mov r0, #%s` and then use @r0.",
             bare);
        return refuse(why, "wrong-space");
    default: break;
    }
    if (value->number >= 0 && value->number <= 0xFF) return OAK_OK;
    kit_show_number(value, name, sizeof name);
    SAY(why, "%s is no direct address: they lie between 0 and 0xff", name);
    HINT(why, "Memory beyond 0xff is external RAM: reach it through dptr and movx.");
    return refuse(why, "value-range");
}

static oak_status bit_address(const oak_value *value, oak_refusal *why)
{
    char name[120];
    kit_show_value(value, name, sizeof name);
    if (value->space == MCS51_SFR || value->space == MCS51_IRAM) {
        const char *bare = value->name ? value->name : "address";
        SAY(why, "%s is a whole byte, this takes a single bit", name);
        bool has_bits = value->space == MCS51_SFR ? value->number % 8 == 0
                                                  : value->number >= 0x20 && value->number < 0x30;
        if (has_bits) HINT(why, "Name the bit: %s.0 to %s.7.", bare, bare);
        else if (value->space == MCS51_SFR)
            HINT(why, "Its bits have no addresses; change them with `anl %s, #mask` or `orl %s, #mask`.",
                 bare, bare);
        else
            HINT(why, "Only internal RAM from 0x20 to 0x2f has bit addresses; use anl and orl, or move the "
                      "variable there.");
        return refuse(why, "wrong-space");
    }
    if (value->space == MCS51_CODE || value->space == MCS51_XRAM) {
        SAY(why, "%s is an address in %s, this takes a bit", name,
            value->space == MCS51_CODE ? "code memory" : "external RAM");
        HINT(why, "Load the byte into the accumulator first and test acc.0 to acc.7.");
        return refuse(why, "wrong-space");
    }
    if (value->number >= 0 && value->number <= 0xFF) return OAK_OK;
    kit_show_number(value, name, sizeof name);
    SAY(why, "%s is no bit address: they lie between 0 and 0xff", name);
    return refuse(why, "value-range");
}

static oak_status check(const kit_class *class, const oak_value *value, unsigned operand, oak_refusal *why)
{
    switch (class - classes + 1) {
    case MCS51_DIRECT:
    case MCS51_SOURCE: return direct_address(value, operand > 0, why);
    case MCS51_NOT_BIT:
    case MCS51_BIT_ADDRESS: return bit_address(value, why);
    default: return OAK_OK;
    }
}

/* A decimal number where an address is read, when the same instruction has an immediate form; and a special register or
 * bit as an immediate value. */
static bool doubt(const oak_isa_tables *tables, unsigned row, const oak_insn *insn, const oak_value *values,
                  unsigned decimal, oak_refusal *why)
{
    const kit_shape_of_row *shape = &kit_tables_of(tables)->row[row];
    for (unsigned i = 0; i < shape->count; i++) {
        why->operand = (int)i;
        if (shape->class_of[i] == MCS51_BIT_ADDRESS && values[i].name && values[i].space == MCS51_NUMBER) {
            why->code = "doubtful-mark";
            SAY(why, "this takes the bit at address 0x%02x, and nothing of a byte `%s`",
                (unsigned)values[i].number, values[i].name);
            HINT(why, "Name bits with `%s bit 0x20.0`, `%s bit p1.0`; a byte is cleared with `mov %s, #0`.",
                 values[i].name, values[i].name, values[i].name);
            return true;
        }
        if (shape->class_of[i] == MCS51_IMMEDIATE && values[i].name &&
            (values[i].space == MCS51_SFR || values[i].space == MCS51_BIT)) {
            why->code = "doubtful-mark";
            SAY(why, "this takes the address of `%s`, 0x%02x, as a number", values[i].name,
                (unsigned)values[i].number);
            HINT(why, "Leave the # out to take what it holds.");
            return true;
        }
        if (shape->class_of[i] == MCS51_IMMEDIATE && values[i].name && values[i].space == MCS51_CODE) {
            why->code = "doubtful-mark";
            SAY(why, "this takes the address of `%s` in code memory as a byte", values[i].name);
            HINT(why,
                 "Code is read through dptr: `mov dptr, #%s`, then `movc a, @a+dptr`; one byte of it is "
                 "low(%s).",
                 values[i].name, values[i].name);
            return true;
        }
        bool address = shape->class_of[i] == MCS51_DIRECT || shape->class_of[i] == MCS51_SOURCE;
        if (!address || i == 0 || !(decimal >> i & 1)) continue;
        if (kit_row_with_shape(kit_tables_of(tables), insn, i, kit_tables_of(tables)->marked_shape) ==
            KIT_NO_ROW)
            continue;
        why->code = "missing-mark";
        SAY(why, "this reads the byte at address %u, not the number %u", (unsigned)values[i].number,
            (unsigned)values[i].number);
        HINT(why, "Write #%u for the number; for the address write it as 0x%02x.", (unsigned)values[i].number,
             (unsigned)values[i].number);
        return true;
    }
    return false;
}

static oak_status bit_of(const oak_value *cell, int64_t bit, oak_value *result)
{
    if (bit < 0 || bit > 7 || cell->space == MCS51_BIT || cell->space == MCS51_CODE ||
        cell->space == MCS51_XRAM)
        return OAK_REFUSED;
    int64_t address = cell->number;
    if (address >= 0x20 && address < 0x30 && cell->space != MCS51_SFR) address = (address - 0x20) * 8 + bit;
    else if (address >= 0x80 && address <= 0xFF && address % 8 == 0 && cell->space != MCS51_IRAM)
        address += bit;
    else return OAK_REFUSED;
    *result = (oak_value){.number = address, .space = MCS51_BIT, .known = true};
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ reading back */

static unsigned space_of(const kit_class *class, uint32_t value)
{
    unsigned number = (unsigned)(class - classes + 1);
    if (number != MCS51_DIRECT && number != MCS51_SOURCE) return class->space;
    return value < 0x80 ? MCS51_IRAM : MCS51_SFR;
}

/* A bit: by its name, or as that of a byte. */
static bool print(const kit_class *class, uint32_t bit, const oak_namer *namer, oak_buf *out)
{
    unsigned number = (unsigned)(class - classes + 1);
    if (number != MCS51_BIT_ADDRESS && number != MCS51_NOT_BIT) return false;
    const char *name = namer && namer->name ? namer->name(namer->context, MCS51_BIT, bit) : NULL;
    if (name) {
        oak_buf_text(out, name);
        return true;
    }
    uint8_t cell = mcs51_bit_cell((uint8_t)bit);
    name =
        namer && namer->name ? namer->name(namer->context, cell < 0x80 ? MCS51_IRAM : MCS51_SFR, cell) : NULL;
    if (name) oak_buf_format(out, "%s.%u", name, bit & 7u);
    else oak_buf_format(out, "0x%02x.%u", cell, bit & 7u);
    return true;
}

/* Calls and returns are not counted: their address belongs to the caller. */
static void stack_use(const oak_isa_tables *tables, const oak_decoded *decoded, oak_stack_use *use)
{
    enum { STACK_POINTER = 0x81 };
    *use = (oak_stack_use){0};
    if (decoded->row == MCS51_MOV_DIR_IMM && kit_field_of(tables, decoded, 'a') == STACK_POINTER) {
        use->sets = true;
        use->first = kit_field_of(tables, decoded, 'd') + 1;
    }
    if (decoded->row != MCS51_PUSH_DIR && decoded->row != MCS51_POP_DIR) return;
    uint32_t address = kit_field_of(tables, decoded, 'a');
    use->words = decoded->row == MCS51_PUSH_DIR ? 1 : -1;
    use->named = 1;
    use->from[0].space = address < 0x80 ? MCS51_IRAM : MCS51_SFR;
    use->from[0].number = address;
}

static unsigned counter_of(const oak_isa_tables *tables, const oak_decoded *decoded, bool *loads_zero)
{
    bool is_register = decoded->row == MCS51_DJNZ_RN || decoded->row == MCS51_MOV_RN_IMM;
    *loads_zero = decoded->row == MCS51_MOV_RN_IMM || decoded->row == MCS51_MOV_DIR_IMM;
    if (!is_register && decoded->row != MCS51_DJNZ_DIR && decoded->row != MCS51_MOV_DIR_IMM) return 0;
    if (*loads_zero && kit_field_of(tables, decoded, 'd')) return 0;
    return is_register ? 1 + kit_field_of(tables, decoded, 'n') : 256 + kit_field_of(tables, decoded, 'a');
}

/* ------------------------------------------------------------------------------------------ the whole */

static const oak_space_info spaces[MCS51_SPACES] = {
    [MCS51_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0, false, 0},
    [MCS51_CODE] = {"code", "program memory", false, false, 0, 0x10000, 0, false, 0},
    [MCS51_IRAM] = {"iram", "internal RAM", false, false, 0, 0x100, 0, false, 0},
    [MCS51_XRAM] = {"xram", "external RAM", false, false, 0, 0x10000, 0, false, 0},
    [MCS51_SFR] = {"sfr", "special function registers", false, true, 0x80, 0x100, 0, false, 0},
    [MCS51_BIT] = {"bit", "single bits", true, false, 0, 0x100, 0, false, 0},
};

static const oak_register_info registers[MCS51_REGISTERS] = {
    {"pc", 16, "program counter", false, 0},
    {"a", 8, "accumulator", false, 0},
    {"b", 8, "B register", false, 0},
    {"psw", 8, "program status word", false, 0},
    {"sp", 8, "stack pointer", false, MCS51_IRAM},
    {"dptr", 16, "data pointer", false, MCS51_XRAM},
    {"r0", 8, "register 0 of the bank", true, 0},
    {"r1", 8, "register 1 of the bank", true, 0},
    {"r2", 8, "register 2 of the bank", true, 0},
    {"r3", 8, "register 3 of the bank", true, 0},
    {"r4", 8, "register 4 of the bank", true, 0},
    {"r5", 8, "register 5 of the bank", true, 0},
    {"r6", 8, "register 6 of the bank", true, 0},
    {"r7", 8, "register 7 of the bank", true, 0},
};

static const oak_register_cells register_cells[] = {
    {MCS51_REG_A, MCS51_SFR, 1, 0, 0, 0xE0},    {MCS51_REG_B, MCS51_SFR, 1, 0, 0, 0xF0},
    {MCS51_REG_PSW, MCS51_SFR, 1, 0, 0, 0xD0},  {MCS51_REG_SP, MCS51_SFR, 1, 0, 0, 0x81},
    {MCS51_REG_DPTR, MCS51_SFR, 2, 0, 0, 0x82}, {MCS51_REG_R0, MCS51_IRAM, 1, 4, 8, 0},
    {MCS51_REG_R0 + 1, MCS51_IRAM, 1, 4, 8, 1}, {MCS51_REG_R0 + 2, MCS51_IRAM, 1, 4, 8, 2},
    {MCS51_REG_R0 + 3, MCS51_IRAM, 1, 4, 8, 3}, {MCS51_REG_R0 + 4, MCS51_IRAM, 1, 4, 8, 4},
    {MCS51_REG_R0 + 5, MCS51_IRAM, 1, 4, 8, 5}, {MCS51_REG_R0 + 6, MCS51_IRAM, 1, 4, 8, 6},
    {MCS51_REG_R7, MCS51_IRAM, 1, 4, 8, 7}};

static const oak_flag_info flags[] = {
    {"cy", MCS51_REG_PSW, 7, 1, "carry", false, 0},
    {"ac", MCS51_REG_PSW, 6, 1, "auxiliary carry", false, 0},
    {"f0", MCS51_REG_PSW, 5, 1, "user flag 0", false, 0},
    {"rs", MCS51_REG_PSW, 3, 2, "register bank", false, 0},
    {"ov", MCS51_REG_PSW, 2, 1, "overflow", false, 0},
    {"p", MCS51_REG_PSW, 0, 1, "parity of a", false, MCS51_REG_A},
};

/* clang-format off */
static const kit_counting counts[] = {
    {MCS51_MOV_RN_IMM, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL}, {MCS51_MOV_A_IMM, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL}, {MCS51_MOV_DIR_IMM, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL},
    {MCS51_CLR_A, OAK_EFFECT_LOADS, 0, 0, NULL, NULL}, {MCS51_MOV_RN_A, OAK_EFFECT_COPIES, 0, 0, NULL, "a"}, {MCS51_MOV_DIR_A, OAK_EFFECT_COPIES, 0, 0, NULL, "a"},
    {MCS51_DJNZ_RN, OAK_EFFECT_ADDS, OAK_GOES_NOT_ZERO, -1, NULL, NULL}, {MCS51_DJNZ_DIR, OAK_EFFECT_ADDS, OAK_GOES_NOT_ZERO, -1, NULL, NULL}, {0}};
static const oak_copier copiers[] = {
    {MCS51_IRAM, {"mov dptr, #copied_from", "mov r0, #copied_to", "mov r7, #copied_bytes", "clr a", "movc a, @a+dptr", "mov @r0, a", "inc dptr", "inc r0", "djnz r7, $-5"}}, {0}};
static const kit_language language = {
    .isa = &oak_isa_mcs51, .counts = counts, .classes = classes, .choices = choices, .remedies = remedies, .letters = letters, .opposites = opposites,
    .jump = "jmp", .reserves = true, .refuses = refuses, .other_name = other_name, .check = check, .space_of = space_of, .print = print};

static oak_status open_tables(const oak_host *host, oak_isa_tables **tables)
{
    return kit_open_tables(&language, host, tables);
}

const oak_isa oak_isa_mcs51 = {
    .about = {.name = "mcs51", .title = "MCS-51, 8-bit", .cycle_unit = "machine cycle", .big_endian = true, .elf_machine = 165,
              .word_bytes = 1, .code_align = 1, .vector_first = 3, .vector_step = 8, .own_lines = 6, .spaces = spaces,
              .space_count = MCS51_SPACES, .code_space = MCS51_CODE, .registers = registers, .register_count = MCS51_REGISTERS,
              .pc_register = MCS51_REG_PC, .cells = register_cells, .cells_count = sizeof register_cells / sizeof *register_cells,
              .stack = {.pointer = MCS51_REG_SP, .space = MCS51_IRAM, .cell = 1, .return_bytes = 2, .grows_up = true, .usual_first = 8},
              .flags = flags, .flag_count = sizeof flags / sizeof *flags, .bank_flag = 4 /* rs */},
    .rows = mcs51_rows, .row_count = MCS51_ROWS, .open = open_tables, KIT_ISA_FUNCTIONS, .doubt = doubt, .bit_of = bit_of,
    .counter_of = counter_of, .stack_use = stack_use, .vector_mnemonic = "ljmp", .plain_return = "ret", .trade = trade,
    .messages = messages, .call_mnemonic = "lcall", .copiers = copiers, .core = &mcs51_core_ops};
/* clang-format on */
