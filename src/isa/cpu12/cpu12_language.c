/* cpu12_language.c — the 16-bit accumulator machine for the assembler: its classes of operands, registers, and what it says in words of its own. All
 * else is the kit's. */
#include "isa/cpu12/cpu12.h"

#define KIT_ROWS_OF   cpu12_rows
#define KIT_CYCLES_OF cpu12_cycles
#include "isa/kit/rows.h"

static const kit_choice choices[] = {
#define INSN(id, mnemonic, operands, bits, cycles, taken, flow, uses, flags, meaning)
#define CHOICE(mnemonic, of, meaning) {#mnemonic, of},
#include "isa/cpu12/cpu12.def"
    {0}};
#undef INSN
#undef CHOICE

/* clang-format off */
static const char *const based[] = {"x", "y", "sp", "pc", NULL}, *const moving[] = {"x", "y", "sp", "", NULL}, *const counters[] = {"a", "b", "", "", "d", "x", "y", "sp", NULL},
                  *const narrow[] = {"a", "b", "ccr", "", NULL}, *const wide[] = {"", "", "", "tmp2", "d", "x", "y", "sp", NULL},
                  *const sources[] = {"a", "b", "ccr", "tmp3", "d", "x", "y", "sp", NULL}, *const results[] = {"a", "b", "ccr", "tmp2", "d", "x", "y", "sp", NULL};
enum { BYTE_NUMBER = 1, WORD_NUMBER, MEMORY = 5, MEMORY_FAR = 6 }; /* classes by their numbers + 1 */
/* The postbyte of a reg letter r: x y sp pc. */
static const kit_class classes[] = {
    /* name      shape      names   letter value kind         space      touches             cells window points shift own bits */
    {"#n",       "#{}",     NULL,     0,   'n', KIT_BITS,     0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {"#nn",      "#{}",     NULL,     0,   'n', KIT_BITS,     0,         0,                  0, false, true,  0, NULL, NULL, NULL},
    {"#m",       "#{}",     NULL,     0,   'm', KIT_BITS,     0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {"#t",       "#{}",     NULL,     0,   't', KIT_UNSIGNED, 0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {"dir",      "{}",      NULL,     0,   'e', KIT_CELL,     CPU12_MEM, KIT_TOUCH_CELL,     1, false, false, 0, NULL, NULL, NULL},
    {"ext",      "{}",      NULL,     0,   'e', KIT_CELL,     CPU12_MEM, KIT_TOUCH_CELL,     1, false, false, 0, NULL, NULL, NULL},
    {"ext'",     "{}",      NULL,     0,   'g', KIT_CELL,     CPU12_MEM, KIT_TOUCH_CELL,     1, false, false, 0, NULL, NULL, NULL},
    {"indexed",  "{},pcr",  NULL,     0,   'n', KIT_BEHIND,   CPU12_MEM, KIT_TOUCH_NOTHING,  0, false, false, 0, "110nnnnn", NULL, NULL},
    {"indexed",  "{},<>",   based,    'r', 'n', KIT_SIGNED,   CPU12_MEM, KIT_TOUCH_POINTED,  0, false, false, 0, "rr0nnnnn", NULL, NULL},
    {"indexed",  "{},+<>",  moving,   'r', 'n', KIT_COUNT_UP, CPU12_MEM, KIT_TOUCH_STEPPED,  0, false, false, 0, "rr100nnn", NULL, NULL},
    {"indexed",  "{},-<>",  moving,   'r', 'n', KIT_COUNT_DOWN, CPU12_MEM, KIT_TOUCH_STEPPED, 0, false, false, 0, "rr101nnn", NULL, NULL},
    {"indexed",  "{},<>+",  moving,   'r', 'n', KIT_COUNT_UP, CPU12_MEM, KIT_TOUCH_STEPPED,  0, false, false, 0, "rr110nnn", NULL, NULL},
    {"indexed",  "{},<>-",  moving,   'r', 'n', KIT_COUNT_DOWN, CPU12_MEM, KIT_TOUCH_STEPPED, 0, false, false, 0, "rr111nnn", NULL, NULL},
    {"indexed",  "a,<>",    based,    'r', 0,   KIT_NO_VALUE, CPU12_MEM, KIT_TOUCH_POINTED,  0, false, false, 0, "111rr100", NULL, NULL},
    {"indexed",  "b,<>",    based,    'r', 0,   KIT_NO_VALUE, CPU12_MEM, KIT_TOUCH_POINTED,  0, false, false, 0, "111rr101", NULL, NULL},
    {"indexed",  "d,<>",    based,    'r', 0,   KIT_NO_VALUE, CPU12_MEM, KIT_TOUCH_POINTED,  0, false, false, 0, "111rr110", NULL, NULL},
    {"n9,r",     "{},pcr",  NULL,     0,   'n', KIT_BEHIND,   CPU12_MEM, KIT_TOUCH_NOTHING,  0, false, false, 0, "1111100n nnnnnnnn", NULL, NULL},
    {"n9,r",     "{},<>",   based,    'r', 'n', KIT_SIGNED,   CPU12_MEM, KIT_TOUCH_POINTED,  0, false, false, 0, "111rr00n nnnnnnnn", NULL, NULL},
    {"n16,r",    "{},pcr",  NULL,     0,   'n', KIT_BEHIND,   CPU12_MEM, KIT_TOUCH_NOTHING,  0, false, false, 0, "11111010 nnnnnnnnnnnnnnnn", NULL, NULL},
    {"n16,r",    "{},<>",   based,    'r', 'n', KIT_BITS,     CPU12_MEM, KIT_TOUCH_POINTED,  0, false, false, 0, "111rr010 nnnnnnnnnnnnnnnn", NULL, NULL},
    {"[d,r]",    "[d,<>]",  based,    'r', 0,   KIT_NO_VALUE, CPU12_MEM, KIT_TOUCH_POINTED,  0, false, false, 0, NULL, NULL, NULL},
    {"[n,r]",    "[{},pcr]", NULL,    0,   'n', KIT_BEHIND,   CPU12_MEM, KIT_TOUCH_NOTHING,  0, false, false, 0, "11111011 nnnnnnnnnnnnnnnn", NULL, NULL},
    {"[n,r]",    "[{},<>]", based,    'r', 'n', KIT_BITS,     CPU12_MEM, KIT_TOUCH_POINTED,  0, false, false, 0, "111rr011 nnnnnnnnnnnnnnnn", NULL, NULL},
    {"rel",      "{}",      NULL,     0,   'f', KIT_RELATIVE, 0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {"target",   "{}",      NULL,     0,   'e', KIT_TARGET,   0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {"page",     "{}",      NULL,     0,   'p', KIT_BITS,     0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {"its page", "{}",      NULL,     0,   'p', KIT_PAGE_OF,  0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {"counter",  "<>",      counters, 'c', 0,   KIT_NO_VALUE, 0,         KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"rel9",     "{}",      NULL,     0,   'f', KIT_RELATIVE, 0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {"narrow",   "<>",      narrow,   's', 0,   KIT_NO_VALUE, 0,         KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"wide",     "<>",      wide,     'd', 0,   KIT_NO_VALUE, 0,         KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"source",   "<>",      sources,  's', 0,   KIT_NO_VALUE, 0,         KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"result",   "<>",      results,  'd', 0,   KIT_NO_VALUE, 0,         KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {0}};
static const kit_letter letters[] = {{"a", 'a'}, {"b", 'a'}, {"d", 'w'}, {"x", 'w'}, {"y", 'w'}, {"sp", 'w'}, {"pc", 'w'}, {"#{}", '#'}, {"[{},<>]", '['}, {"[{},pcr]", '['}, {"[d*", '['},
                                     {"{},<>", 'i'}, {"{},pcr", 'i'}, {"{},<>+", 'i'}, {"{},<>-", 'i'}, {"{},+<>", 'i'}, {"{},-<>", 'i'}, {"a,*", 'i'}, {"b,*", 'i'}, {"d,*", 'i'}, {"{}", '='}, {0}};
static const kit_pair opposites[] = {{"bne", "beq"}, {"bcc", "bcs"}, {"bhi", "bls"}, {"bge", "blt"}, {"bgt", "ble"}, {"bpl", "bmi"}, {"bvc", "bvs"},
                                     {"dbne", "dbeq"}, {"tbne", "tbeq"}, {"ibne", "ibeq"}, {"brset", "brclr"}, {0}};
static const kit_pair farther[] = {{"bra", "lbra"}, {"bsr", "jsr"}, {"bne", "lbne"}, {"beq", "lbeq"}, {"bcc", "lbcc"}, {"bcs", "lbcs"}, {"bhi", "lbhi"}, {"bls", "lbls"}, {"bge", "lbge"},
                                   {"blt", "lblt"}, {"bgt", "lbgt"}, {"ble", "lble"}, {"bpl", "lbpl"}, {"bmi", "lbmi"}, {"bvc", "lbvc"}, {"bvs", "lbvs"}, {"brn", "lbrn"}, {0}};
/* clang-format on */

#define KIT_WORDS "isa/cpu12/cpu12_words.def"
#include "isa/kit/words.h"

/* What a move counts from that names pc, beside its end. */
int cpu12_beside(unsigned row, unsigned operand)
{
    static const int8_t of[CPU12_ROWS][2] = {
        [CPU12_MOVB_I_X] = {0, 1},  [CPU12_MOVW_I_X] = {0, 2},  [CPU12_MOVB_E_X] = {0, 2},
        [CPU12_MOVW_E_X] = {0, 2},  [CPU12_MOVB_X_E] = {-2, 0}, [CPU12_MOVW_X_E] = {-2, 0},
        [CPU12_MOVB_X_X] = {-1, 1}, [CPU12_MOVW_X_X] = {-1, 1}};
    return of[row][operand > 0];
}

#define STEPS_ON(c) ((c) == '+' || (c) == '-')
static bool refuses(oak_operand_reader *reader, bool is_word, const char *behind)
{
    (void)is_word, (void)behind;
    const char *at = reader->at, *end = reader->end;
    bool bare = at < end && *at == ',';
    while (at < end && *at != ',') at++;
    while (at < end && (*at == ',' || *at == ' ')) at++;
    bool before = at < end && STEPS_ON(*at),
         pc = at + before + 2 <= end && oak_same_name(at + before, 2, "pc");
    if (pc && (before || (at + 2 < end && STEPS_ON(at[2]))))
        reader->refuse(reader, at, at + 3, "operand", "x, y and sp do: `1,x+`.",
                       "pc does not move on by itself");
    else if (bare)
        reader->refuse(reader, reader->at, reader->at + 1, "operand", "Write `0,x` for what x points to.",
                       "an offset is missing in front of the comma");
    else return false;
    return true;
}

/* ------------------------------------------------------------------------------------------ values in doubt */

/* An address where a number is meant: the mark makes the difference. */
static bool doubt(const oak_isa_tables *tables, unsigned row, const oak_insn *insn, const oak_value *values,
                  unsigned decimal, oak_refusal *why)
{
    const kit_shape_of_row *shape = &kit_tables_of(tables)->row[row];
    bool stack = row == CPU12_LDS_D || row == CPU12_LDS_E;
    for (unsigned i = 0; i < shape->count; i++) {
        const oak_value *value = &values[i];
        bool memory = shape->class_of[i] == MEMORY || shape->class_of[i] == MEMORY_FAR;
        bool number =
            stack || (decimal >> i & 1) || (value->name && value->number >= 0 && value->number < 0x100);
        if (!memory || !number || value->space || !value->known || cpu12_rows[row].uses[i] != 'r') continue;
        unsigned at = (unsigned)value->number;
        if (stack) SAY(why, "this takes the word at 0x%04x, not the number", at);
        else SAY(why, "this is the memory at address %u, not the number", at);
        if (value->name) HINT(why, "Write `#%s` for the number.", value->name);
        else if (stack) HINT(why, "Write `#0x%04x` for the number.", at);
        else HINT(why, "Write `#%u` for the number; the address as 0x%04x.", at, at);
        kit_offer_mark(insn, i, "#", why);
        return true;
    }
    return false;
}

static bool traps(int64_t number)
{
    return (number >= 0x30 && number < 0x3A) || (number >= 0x40 && number < 0x100);
}

static oak_status check(const kit_class *class, const oak_value *value, unsigned operand, oak_refusal *why)
{
    (void)operand;
    if (class == &classes[BYTE_NUMBER - 1]) return kit_address_as_byte(value, "Leave the # out", why);
    if (class->value != 't' || traps(value->number)) return OAK_OK;
    SAY(why, "%lld is no number of a trap", (long long)value->number);
    HINT(why, "Numbers from 0x30 to 0x39 and from 0x40 to 0xff are no instructions.");
    why->code = "value-range";
    return OAK_REFUSED;
}

/* ------------------------------------------------------------------------------------------ reading back */

/* A form that people's source would not become: a shorter one takes it. */
static bool is_longer(const oak_isa_tables *tables, const oak_decoded *decoded)
{
    const oak_insn_row *row = &cpu12_rows[decoded->row];
    bool direct = oak_same(row[-1].mnemonic, row->mnemonic) && oak_same_name(row[-1].operands, 3, "dir");
    if (decoded->row == CPU12_JSR_E || (direct && oak_same_name(row->operands, 3, "ext")))
        return kit_field_of(tables, decoded, 'e') < 0x100;
    if (*row->operands != 'n') return false;
    kit_part part = kit_part_of(kit_tables_of(tables), decoded->row, 0, decoded->word);
    bool far = row->operands[1] == '1', near_pc = part.class->field == KIT_BEHIND;
    int offset = (int)oak_pattern_get(part.pattern, 'n', part.word), half = far ? 0x8000 : 0x100;
    offset = (offset ^ half) - half;
    int middle = near_pc ? offset + 1 : offset, shortest = near_pc ? offset + (far ? 2 : 1) : offset;
    return (far && middle >= -256 && middle < 256) || (shortest >= -16 && shortest < 16);
}

static oak_status decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available,
                         uint32_t address, uint32_t state, oak_decoded *decoded)
{
    oak_status status = kit_decode(tables, bytes, available, address, state, decoded);
    if (status) return status;
    if (decoded->row == CPU12_TRAP && !traps(kit_field_of(tables, decoded, 't'))) return OAK_REFUSED;
    decoded->oddly |= is_longer(tables, decoded);
    bool calls = decoded->row == CPU12_CALL_E || decoded->row == CPU12_CALL_P;
    uint32_t seen = calls ? kit_field_of(tables, decoded, 'e') : 0,
             page = calls ? kit_field_of(tables, decoded, 'p') * CPU12_PAGE % CPU12_PLACES : 0;
    if ((seen & 0xC000) == CPU12_WINDOW && page >= CPU12_SPAN) /* of the page it names */
        decoded->target = page + seen % CPU12_PAGE;
    return OAK_OK;
}

/* Offsets have signs; a word that is the address of something has its name. */
static bool print(const kit_class *class, uint32_t value, const oak_namer *namer, oak_buf *out)
{
    bool address = (class->points && value >= 0x100) || class->field == KIT_BEHIND;
    const char *name = address && namer && namer->name ? namer->name(namer->context, CPU12_MEM, value) : NULL;
    if (name) oak_buf_text(out, name);
    if (name) return true;
    bool pointed = class->field == KIT_BITS && class->touch == KIT_TOUCH_POINTED;
    int distance = (int)(value & 0xFFFF) - (value & 0x8000 ? 0x10000 : 0);
    bool small = class->field == KIT_SIGNED || class->field == KIT_COUNT_UP ||
                 class->field == KIT_COUNT_DOWN || (pointed && distance >= -0x400 && distance < 0x400);
    bool large = !small && (pointed || class->field == KIT_BEHIND);
    if (small || large) oak_buf_format(out, small ? "%d" : "0x%04x", distance & (small ? -1 : 0xFFFF));
    return small || large;
}

static void stack_use(const oak_isa_tables *tables, const oak_decoded *decoded, oak_stack_use *use)
{
    *use = (oak_stack_use){0};
    unsigned code = (unsigned)(decoded->word >> 8 * (decoded->size - 1)) & 0xFF;
    static const uint8_t of[] = {CPU12_REG_X,   CPU12_REG_Y,   CPU12_REG_A, CPU12_REG_B,
                                 CPU12_REG_X,   CPU12_REG_Y,   CPU12_REG_A, CPU12_REG_B,
                                 CPU12_REG_CCR, CPU12_REG_CCR, CPU12_REG_D, CPU12_REG_D};
    if (code >= 0x30 && code < 0x3C) {
        use->from[0].number = of[code - 0x30];
        use->named = code < 0x38 ? code & 4 : code & 1; /* what is pulled */
        use->words = oak_isa_cpu12.about.registers[use->from[0].number].bits / 8 * (use->named ? 1 : -1);
    } else if (decoded->row == CPU12_LDS_I) {
        use->sets = true;
        use->first = (kit_field_of(tables, decoded, 'n') - 1) & 0xFFFF;
    }
}

/* ------------------------------------------------------------------------------------------ the whole */

/* clang-format off */
static const oak_space_info spaces[CPU12_SPACES] = {
    [CPU12_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0, false, 0},
    [CPU12_MEM] = {"mem", "memory", false, false, 0, CPU12_PLACES, 0, false, CPU12_PAGE},
    [CPU12_FLASH] = {"flash", "flash, page behind page", false, false, 0, CPU12_PLACES - CPU12_PAGES, 0, false, 0}};

static const oak_register_info registers[CPU12_REGISTERS] = {
#define INFO(id, name, bits, lies, title, derived, points) [CPU12_REG_##id] = {name, bits, title, derived, points},
    CPU12_REGISTER_LIST(INFO)};

static const oak_register_cells register_cells[] = {
    {CPU12_REG_B, OAK_REGISTER_FILE, 1, 0, 0, RB}, {CPU12_REG_A, OAK_REGISTER_FILE, 1, 0, 0, RA}, {CPU12_REG_D, OAK_REGISTER_FILE, 2, 0, 0, RD}};

static const oak_flag_info flags[] = {
    {"s", CPU12_REG_CCR, 7, 1, "stop is a nop", false, 0}, {"x", CPU12_REG_CCR, 6, 1, "xirq is held back", false, 0}, {"h", CPU12_REG_CCR, 5, 1, "half carry", false, 0},
    {"i", CPU12_REG_CCR, 4, 1, "interrupts are held back", false, 0}, {"n", CPU12_REG_CCR, 3, 1, "negative", false, 0}, {"z", CPU12_REG_CCR, 2, 1, "zero", false, 0},
    {"v", CPU12_REG_CCR, 1, 1, "overflow", false, 0}, {"c", CPU12_REG_CCR, 0, 1, "carry", false, 0}};

static const oak_stack_saved saved[] = {{CPU12_REG_CCR, 1}, {CPU12_REG_B, 1}, {CPU12_REG_A, 1}, {CPU12_REG_X, 2}, {CPU12_REG_Y, 2}};
static const kit_counting counts[] = {
    {CPU12_LDAA_I, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, "a", NULL}, {CPU12_LDAB_I, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, "b", NULL}, {CPU12_LDX_I, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, "x", NULL},
    {CPU12_LDY_I, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, "y", NULL}, {CPU12_CLRA, OAK_EFFECT_LOADS, 0, 0, "a", NULL}, {CPU12_CLRB, OAK_EFFECT_LOADS, 0, 0, "b", NULL},
    {CPU12_DECA, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, -1, "a", NULL}, {CPU12_DECB, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, -1, "b", NULL}, {CPU12_DEX, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, -1, "x", NULL},
    {CPU12_DEY, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, -1, "y", NULL}, {CPU12_INX, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, 1, "x", NULL}, {CPU12_INY, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, 1, "y", NULL},
    {CPU12_DBNE, OAK_EFFECT_ADDS, OAK_GOES_NOT_ZERO, -1, NULL, NULL}, {CPU12_BNE, OAK_EFFECT_ASKS, OAK_GOES_NOT_ZERO, 0, NULL, NULL}, {CPU12_BEQ, OAK_EFFECT_ASKS, OAK_GOES_ZERO, 0, NULL, NULL}, {0}};
static const oak_copier copiers[] = {
    {CPU12_MEM, {"ldx #copied_from", "ldy #copied_to", "ldd #copied_bytes", "movb 1,x+,1,y+", "dbne d, $-4"}}, {0}};
static const kit_language language = {
    .isa = &oak_isa_cpu12, .counts = counts, .classes = classes, .choices = choices, .remedies = remedies, .letters = letters, .opposites = opposites,
    .farther = farther, .jump = "jmp", .pairs = true, .reserves = true, .refuses = refuses, .check = check, .print = print, .beside = cpu12_beside, .seen = cpu12_seen, .place = cpu12_place, .span = CPU12_SPAN};

static oak_status open_tables(const oak_host *host, oak_isa_tables **tables)
{
    return kit_open_tables(&language, host, tables);
}

const oak_isa oak_isa_cpu12 = {
    .about = {.name = "cpu12", .title = "CPU12, 16-bit accumulators", .cycle_unit = "bus cycle", .elf_machine = 53, .word_bytes = 2, .code_align = 1, .big_endian = true,
              .vector_bytes = 2, .vector_first = CPU12_VECTORS, .vector_step = 2, .own_lines = CPU12_LINES, .spaces = spaces, .space_count = CPU12_SPACES,
              .code_space = CPU12_MEM, .registers = registers, .register_count = CPU12_REGISTERS, .pc_register = CPU12_REG_PC, .fields_are_masks = true,
              .cells = register_cells, .cells_count = sizeof register_cells / sizeof *register_cells,
              .stack = {.pointer = CPU12_REG_SP, .space = CPU12_MEM, .cell = 1, .return_bytes = 2, .return_high_first = true, .saved = saved, .saved_count = sizeof saved / sizeof *saved},
              .flags = flags, .flag_count = sizeof flags / sizeof *flags},
    .rows = cpu12_rows, .row_count = CPU12_ROWS, .open = open_tables, KIT_ISA_SHARED, .decode = decode, .flow_of = kit_flow_of, .doubt = doubt,
    .stack_use = stack_use, .call_mnemonic = "jsr", .copiers = copiers, .trade = trade, .messages = messages, .core = &cpu12_core_ops};
/* clang-format on */
