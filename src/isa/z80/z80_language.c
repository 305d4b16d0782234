/* z80_language.c — the Z80 for the assembler: its classes of operands, spaces and registers, and what it says in words of its own. All
 * else is the kit's. */
#include "isa/z80/z80.h"

#define KIT_ROWS_OF   z80_rows
#define KIT_CYCLES_OF z80_cycles
#include "isa/kit/rows.h"

/* clang-format off */
static const char *const r8[] = {"b", "c", "d", "e", "h", "l", "", "a", NULL}, *const r5[] = {"b", "c", "d", "e", "", "", "", "a", NULL},
                  *const halves[] = {"ixh", "ixl", "iyh", "iyl", NULL}, *const ix_halves[] = {"ixh", "ixl", NULL}, *const iy_halves[] = {"iyh", "iyl", NULL}, *const dd[] = {"bc", "de", "hl", "sp", NULL},
                  *const pp[] = {"bc", "de", "", "sp", NULL}, *const xy[] = {"ix", "iy", NULL}, *const rp[] = {"bc", "de", NULL},
                  *const hl[] = {"hl", NULL}, *const sp[] = {"sp", NULL}, *const c[] = {"c", NULL};
enum { IMMEDIATE = 1, WORD, MEMORY, PORT }; /* classes by their numbers + 1 */
static const kit_class classes[] = {
    /* name      shape    names   letter value kind         space    touches             cells window points shift */
    {"n",        "{}",    NULL,   0,   'n', KIT_BITS,     0,       0,                  0, false, false, 0, NULL, NULL, NULL},
    {"nn",       "{}",    NULL,   0,   'n', KIT_BITS,     0,       0,                  0, false, true,  0, NULL, NULL, NULL},
    {"(nn)",     "({})",  NULL,   0,   'n', KIT_CELL,     Z80_MEM, KIT_TOUCH_CELL,     1, false, true,  0, NULL, NULL, NULL},
    {"(n)",      "({})",  NULL,   0,   'n', KIT_CELL,     Z80_IO,  KIT_TOUCH_CELL,     1, false, false, 0, NULL, NULL, NULL},
    {"(ix+d)",   "(<>{})", xy,    'x', 'd', KIT_SIGNED,   Z80_MEM, KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    {"(hl)",     "(<>)",  hl,     'z', 0,   KIT_NO_VALUE, Z80_MEM, KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    {"(rp)",     "(<>)",  rp,     'p', 0,   KIT_NO_VALUE, Z80_MEM, KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    {"(sp)",     "(<>)",  sp,     'z', 0,   KIT_NO_VALUE, Z80_MEM, KIT_TOUCH_POINTED,  2, false, false, 0, NULL, NULL, NULL},
    {"(c)",      "(<>)",  c,      'z', 0,   KIT_NO_VALUE, Z80_IO,  KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    {"(xy)",     "(<>)",  xy,     'x', 0,   KIT_NO_VALUE, Z80_MEM, KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    {"r8",       "<>",    r8,     'r', 0,   KIT_NO_VALUE, 0,       KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"r8'",      "<>",    r8,     's', 0,   KIT_NO_VALUE, 0,       KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"r5",       "<>",    r5,     'r', 0,   KIT_NO_VALUE, 0,       KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"r5'",      "<>",    r5,     's', 0,   KIT_NO_VALUE, 0,       KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"half",     "<>",    halves, 'h', 0,   KIT_NO_VALUE, 0,       KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"ixh/l",    "<>",    ix_halves, 'r', 0,   KIT_NO_VALUE, 0,       KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"ixh/l'",   "<>",    ix_halves, 's', 0,   KIT_NO_VALUE, 0,       KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"iyh/l",    "<>",    iy_halves, 'r', 0, KIT_NO_VALUE, 0,     KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"iyh/l'",   "<>",    iy_halves, 's', 0, KIT_NO_VALUE, 0,     KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"dd",       "<>",    dd,     'p', 0,   KIT_NO_VALUE, 0,       KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"qq",       "<>",    dd,     'q', 0,   KIT_NO_VALUE, 0,       KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"pp",       "<>",    pp,     'p', 0,   KIT_NO_VALUE, 0,       KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"xy",       "<>",    xy,     'x', 0,   KIT_NO_VALUE, 0,       KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"b",        "{}",    NULL,   0,   'b', KIT_UNSIGNED, 0,       0,                  0, false, false, 0, NULL, NULL, NULL},
    {"copy",     "{}",    NULL,   0,   'k', KIT_UNSIGNED, 0,       0,                  0, false, false, 0, NULL, NULL, NULL},
    {"rel",      "{}",    NULL,   0,   'e', KIT_RELATIVE, 0,       0,                  0, false, false, 0, NULL, NULL, NULL},
    {"target",   "{}",    NULL,   0,   'n', KIT_TARGET,   0,       0,                  0, false, false, 0, NULL, NULL, NULL},
    {"restart",  "{}",    NULL,   0,   't', KIT_TARGET,   0,       0,                  0, false, false, 3, NULL, NULL, NULL},
    {0}};
/* af has the place of sp where pairs are pushed: PUSH_AF and POP_AF are rows of their own. */
static const kit_letter letters[] = {
    {"a", 'a'}, {"af", 'f'}, {"hl", 'h'}, {"sp", 's'}, {"bc", 'd'}, {"de", 'd'}, {"ix", 'x'}, {"iy", 'x'}, {"ixh", 'u'}, {"ixl", 'u'},
    {"iyh", 'u'}, {"iyl", 'u'}, {"i", 'i'}, {"r", 'i'}, {"b", 'r'}, {"c", 'r'}, {"d", 'r'}, {"e", 'r'}, {"h", 'r'}, {"l", 'r'},
    {"(hl)", 'H'}, {"(bc)", 'P'}, {"(de)", 'P'}, {"(c)", 'C'}, {"(sp)", 'S'}, {"(ix)", 'X'}, {"(iy)", 'X'}, {"(<>{})", 'I'},
    {"({})", '('}, {"{}", '='}, {"nz", '?'}, {"z", '?'}, {"nc", '?'}, {"po", '?'}, {"pe", '?'}, {"p", '?'}, {"m", '?'}, {0}};
/* clang-format on */

#define KIT_WORDS "isa/z80/z80_words.def"
#include "isa/kit/words.h"

/* Memory is written in parentheses. */
static bool refuses(oak_operand_reader *reader, bool is_word, const char *behind)
{
    (void)is_word, (void)behind;
    if (reader->at == reader->end || *reader->at != '[') return false;
    reader->refuse(reader, reader->at, reader->at + 1, "operand", "Write `ld a, (hl)`, `ld a, (address)`.",
                   "memory stands in parentheses");
    return true;
}

/* ------------------------------------------------------------------------------------------ values in doubt */

/* An address where a byte is meant, or a byte where an address is: the parentheses make the difference. */
static bool doubt(const oak_isa_tables *tables, unsigned row, const oak_insn *insn, const oak_value *values,
                  unsigned decimal, oak_refusal *why)
{
    const kit_shape_of_row *shape = &kit_tables_of(tables)->row[row];
    (void)insn;
    for (unsigned i = 0; i < shape->count; i++) {
        const oak_value *value = &values[i];
        why->operand = (int)i;
        why->code = "doubtful-mark";
        if (shape->class_of[i] == IMMEDIATE && value->name && value->space) {
            SAY(why, "this takes the address of `%s`, 0x%02x, as a number", value->name,
                (unsigned)value->number);
            HINT(why, "Write (%s) for what is kept there.", value->name);
            return true;
        }
        bool plain = !value->space && value->number >= 0 && value->number < 0x100;
        if (shape->class_of[i] != MEMORY || !plain || !(value->name || decimal >> i & 1)) continue;
        SAY(why, "this is the memory at address %u, not the number %u", (unsigned)value->number,
            (unsigned)value->number);
        if (value->name) HINT(why, "Leave the parentheses out for the number `%s`.", value->name);
        else
            HINT(why, "Leave the parentheses out for the number; write the address as 0x%04x.",
                 (unsigned)value->number);
        return true;
    }
    return false;
}

static oak_status check(const kit_class *class, const oak_value *value, unsigned operand, oak_refusal *why)
{
    (void)operand;
    if (class != &classes[IMMEDIATE - 1]) return OAK_OK;
    return kit_address_as_byte(value, "Write `ld a, (%s)`", why);
}

/* ------------------------------------------------------------------------------------------ reading back */

/* A distance has its sign; a word that is the address of something has its name. */
static bool print(const kit_class *class, uint32_t value, const oak_namer *namer, oak_buf *out)
{
    bool address = class == &classes[WORD - 1] && value >= 0x100 && namer && namer->name;
    const char *name = address ? namer->name(namer->context, Z80_MEM, value) : NULL;
    if (name) oak_buf_text(out, name);
    if (name) return true;
    if (class->field != KIT_SIGNED) return false;
    int distance = (int)(int32_t)value;
    oak_buf_format(out, "%s%d", distance < 0 ? "" : "+", distance);
    return true;
}

static void stack_use(const oak_isa_tables *tables, const oak_decoded *decoded, oak_stack_use *use)
{
    static const uint8_t pairs[] = {Z80_REG_BC, Z80_REG_DE, Z80_REG_HL, Z80_REG_AF};
    *use = (oak_stack_use){0};
    uint32_t q = kit_field_of(tables, decoded, 'q'), x = kit_field_of(tables, decoded, 'x');
    switch (decoded->row) {
    case Z80_LD_SP_NN:
        use->sets = true;
        use->first = (kit_field_of(tables, decoded, 'n') - 2) & 0xFFFF;
        return;
    case Z80_PUSH:
    case Z80_POP: use->from[0].number = pairs[q]; break;
    case Z80_PUSH_AF:
    case Z80_POP_AF: use->from[0].number = Z80_REG_AF; break;
    case Z80_PUSH_XY:
    case Z80_POP_XY: use->from[0].number = x ? Z80_REG_IY : Z80_REG_IX; break;
    default: return;
    }
    bool pops = decoded->row >= Z80_POP && decoded->row <= Z80_POP_XY;
    use->words = pops ? -1 : 1;
    use->named = 1;
}

/* djnz counts b; `ld b, 0` makes it 256 rounds. */
static unsigned counter_of(const oak_isa_tables *tables, const oak_decoded *decoded, bool *loads_zero)
{
    *loads_zero = decoded->row == Z80_LD_R_N && !kit_field_of(tables, decoded, 'n') &&
                  !kit_field_of(tables, decoded, 'r');
    return *loads_zero || decoded->row == Z80_DJNZ;
}

/* ------------------------------------------------------------------------------------------ the whole */

static const oak_space_info spaces[Z80_SPACES] = {
    [Z80_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0, false, 0},
    [Z80_MEM] = {"mem", "memory", false, false, 0, Z80_SPAN, 0, false, 0},
    [Z80_IO] = {"io", "I/O ports", false, true, 0, 0x100, 0, true, 0},
};

static const oak_register_info registers[Z80_REGISTERS] = {
#define INFO(id, name, bits, lies, title, derived, points)                                                   \
    [Z80_REG_##id] = {name, bits, title, derived, points},
    Z80_REGISTER_LIST(INFO)};

/* clang-format off */
#define BYTES(id, size, at) {Z80_REG_##id, OAK_REGISTER_FILE, size, 0, 0, at}
static const oak_register_cells register_cells[] = {
    BYTES(B, 1, RB), BYTES(C, 1, RC), BYTES(BC, 2, RBC), BYTES(D, 1, RD), BYTES(E, 1, RE), BYTES(DE, 2, RDE), BYTES(H, 1, RH),
    BYTES(L, 1, RL), BYTES(HL, 2, RHL), BYTES(A, 1, RA), BYTES(F, 1, RF), BYTES(AF, 2, RAF), BYTES(IXH, 1, RIX + 1), BYTES(IXL, 1, RIX),
    BYTES(IX, 2, RIX), BYTES(IYH, 1, RIY + 1), BYTES(IYL, 1, RIY), BYTES(IY, 2, RIY)};

static const oak_flag_info flags[] = {
    {"s", Z80_REG_F, 7, 1, "sign", false, 0}, {"z", Z80_REG_F, 6, 1, "zero", false, 0}, {"y", Z80_REG_F, 5, 1, "bit 5 of a result", false, 0},
    {"h", Z80_REG_F, 4, 1, "half carry", false, 0}, {"x", Z80_REG_F, 3, 1, "bit 3 of a result", false, 0},
    {"pv", Z80_REG_F, 2, 1, "parity or overflow", false, 0}, {"n", Z80_REG_F, 1, 1, "subtracted", false, 0}, {"c", Z80_REG_F, 0, 1, "carry", false, 0}};

/* Of each line: the restart of modes 0 and 1; the interrupt that cannot be held back. */
static const uint16_t vectors[Z80_LINES] = {0x38, 0x38, 0x38, 0x38, 0x38, 0x38, 0x38, 0x38, 0x66};

static const kit_pair farther[] = {{"jr", "jp"}, {0}};
static const kit_counting counts[] = {
    {Z80_LD_R_N, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL}, {Z80_DJNZ, OAK_EFFECT_ADDS, OAK_GOES_NOT_ZERO, -1, "b", NULL}, {Z80_DEC_R, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, -1, NULL, NULL},
    {Z80_INC_R, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, 1, NULL, NULL}, {Z80_JR_NZ, OAK_EFFECT_ASKS, OAK_GOES_NOT_ZERO, 0, NULL, NULL}, {Z80_JR_Z, OAK_EFFECT_ASKS, OAK_GOES_ZERO, 0, NULL, NULL},
    {Z80_JP_NZ, OAK_EFFECT_ASKS, OAK_GOES_NOT_ZERO, 0, NULL, NULL}, {Z80_JP_Z, OAK_EFFECT_ASKS, OAK_GOES_ZERO, 0, NULL, NULL}, {0}};
static const oak_copier copiers[] = {{Z80_MEM, {"ld hl, copied_from", "ld de, copied_to", "ld bc, copied_bytes", "ldir"}}, {0}};
static const kit_language language = {
    .isa = &oak_isa_z80, .counts = counts, .classes = classes, .remedies = remedies, .letters = letters, .farther = farther, .jump = "jp",
    .reserves = true, .refuses = refuses, .check = check, .print = print};

static oak_status open_tables(const oak_host *host, oak_isa_tables **tables)
{
    return kit_open_tables(&language, host, tables);
}

const oak_isa oak_isa_z80 = {
    .about = {.name = "z80", .title = "Z80, 8-bit", .cycle_unit = "T state", .elf_machine = 220, .word_bytes = 1, .code_align = 1,
              .vector_list = vectors, .own_lines = Z80_LINES, .spaces = spaces, .space_count = Z80_SPACES,
              .code_space = Z80_MEM, .registers = registers, .register_count = Z80_REGISTERS, .pc_register = Z80_REG_PC, .restless_register = Z80_REG_R + 1,
              .cells = register_cells, .cells_count = sizeof register_cells / sizeof *register_cells,
              .stack = {.pointer = Z80_REG_SP, .space = Z80_MEM, .cell = 2, .return_bytes = 2},
              .flags = flags, .flag_count = sizeof flags / sizeof *flags},
    .rows = z80_rows, .row_count = Z80_ROWS, .open = open_tables, KIT_ISA_FUNCTIONS, .doubt = doubt, .counter_of = counter_of,
    .stack_use = stack_use, .vector_mnemonic = "jp", .call_mnemonic = "call", .copiers = copiers, .trade = trade, .messages = messages, .core = &z80_core_ops};
/* clang-format on */
