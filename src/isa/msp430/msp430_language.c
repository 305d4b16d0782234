/* msp430_language.c — the MSP430 for the assembler: its classes of operands, registers, and what it says in words of its own. All else is
 * the kit's. */
#include "isa/msp430/msp430.h"

#define KIT_ROWS_OF   msp430_rows
#define KIT_CYCLES_OF msp430_cycles
#include "isa/kit/rows.h"

static const kit_choice choices[] = {
#define INSN(id, mnemonic, operands, bits, cycles, taken, flow, uses, flags, meaning)
#define CHOICE(mnemonic, of, meaning) {#mnemonic, of},
#include "isa/msp430/msp430.def"
    {0}};
#undef INSN
#undef CHOICE

/* clang-format off */
#define FOUR_ON "r4", "r5", "r6", "r7", "r8", "r9", "r10", "r11", "r12", "r13", "r14", "r15"
static const char *const all[] = {"pc", "sp", "sr", "r3", FOUR_ON, "r0", "r1", "r2", NULL}, *const based[] = {"", "sp", "", "", FOUR_ON, "", "r1", NULL},
                  *const pointing[] = {"pc", "sp", "", "", FOUR_ON, "r0", "r1", NULL},
                  *const constants[] = {"", "", "4", "8", "0", "1", "2", "-1", NULL}, *const pushed[] = {"", "0", "", "1", "4", "2", "8", "-1", NULL};
enum { WORD_CONSTANT = 12, BYTE_CONSTANT, WORD_NUMBER = 16, BYTE_NUMBER }; /* places of classes */
static const kit_class classes[] = {
    /* name       shape      names     letter value kind       space       touches             cells window points shift */
    {"rs",        "<>",      all,      's', 0,   KIT_NO_VALUE, 0,          KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"rd",        "<>",      all,      'd', 0,   KIT_NO_VALUE, 0,          KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"again",     "<>",      all,      's', 0,   KIT_NO_VALUE, 0,          KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"x(rs)",     "{}(<>)",  based,    's', 'x', KIT_BITS,     MSP430_MEM, KIT_TOUCH_POINTED,  2, false, false, 0, NULL, NULL, NULL},
    {"x(again)",  "{}(<>)",  based,    's', 'x', KIT_BITS,     MSP430_MEM, KIT_TOUCH_POINTED,  2, false, false, 0, NULL, NULL, NULL},
    {"y(rd)",     "{}(<>)",  based,    'd', 'y', KIT_BITS,     MSP430_MEM, KIT_TOUCH_POINTED,  2, false, false, 0, NULL, NULL, NULL},
    {"near",      "{}",      NULL,     0,   'x', KIT_NEAR,     MSP430_MEM, KIT_TOUCH_CELL,     2, false, false, 0, NULL, NULL, NULL},
    {"near'",     "{}",      NULL,     0,   'y', KIT_NEAR,     MSP430_MEM, KIT_TOUCH_CELL,     2, false, false, 0, NULL, NULL, NULL},
    {"&mem",      "&{}",     NULL,     0,   'x', KIT_CELL,     MSP430_MEM, KIT_TOUCH_CELL,     2, false, false, 0, NULL, NULL, NULL},
    {"&mem'",     "&{}",     NULL,     0,   'y', KIT_CELL,     MSP430_MEM, KIT_TOUCH_CELL,     2, false, false, 0, NULL, NULL, NULL},
    {"@rs",       "@<>",     pointing, 's', 0,   KIT_NO_VALUE, MSP430_MEM, KIT_TOUCH_POINTED,  2, false, false, 0, NULL, NULL, NULL},
    {"@rs+",      "@<>+",    based,    's', 0,   KIT_NO_VALUE, MSP430_MEM, KIT_TOUCH_STEPPED,  2, false, false, 0, NULL, NULL, NULL},
    {"#c",        "#{}",     constants, 0,  'c', KIT_LISTED,   0,          0,                  2, false, false, 0, NULL, NULL, NULL},
    {"#c.b",      "#{}",     constants, 0,  'c', KIT_LISTED,   0,          0,                  1, false, false, 0, NULL, NULL, NULL},
    {"#c'",       "#{}",     pushed,   0,   'c', KIT_LISTED,   0,          0,                  2, false, false, 0, NULL, NULL, NULL},
    {"#c'.b",     "#{}",     pushed,   0,   'c', KIT_LISTED,   0,          0,                  1, false, false, 0, NULL, NULL, NULL},
    {"#n",        "#{}",     NULL,     0,   'x', KIT_BITS,     0,          0,                  0, false, true,  0, NULL, NULL, NULL},
    {"#n.b",      "#{}",     NULL,     0,   'x', KIT_BITS,     0,          0,                  0, false, false, 0, NULL, NULL, NULL},
    {"rel",       "{}",      NULL,     0,   'e', KIT_RELATIVE, 0,          0,                  0, false, false, 1, NULL, NULL, NULL},
    {"#target",   "#{}",     NULL,     0,   'x', KIT_TARGET,   0,          0,                  0, false, false, 0, NULL, NULL, NULL},
    {0}};
static const kit_letter letters[] = {{"@*", '@'}, {"sr", 's'}, {"sp", 'r'}, {"pc", 'p'}, {"r*", 'r'}, {"#{}", '#'}, {"&{}", '='}, {"{}(<>)", 'x'}, {"{}", '='}, {0}};
static const kit_pair opposites[] = {{"jne", "jeq"}, {"jnc", "jc"}, {"jge", "jl"}, {0}}, farther[] = {{"jmp", "br #"}, {0}};
/* clang-format on */

#define KIT_WORDS "isa/msp430/msp430_words.def"
#include "isa/kit/words.h"

static bool refuses(oak_operand_reader *reader, bool is_word, const char *behind)
{
    (void)is_word, (void)behind;
    if (reader->at == reader->end || *reader->at != '[') return false;
    reader->refuse(reader, reader->at, reader->at + 1, "operand",
                   "Write `@r5` for what r5 points to, `2(r5)` near it, `&name` for memory.",
                   "memory is not written in brackets");
    return true;
}

/* ------------------------------------------------------------------------------------------ values in doubt */

/* Without its mark a label is what lies there, and not where it lies. */
static bool doubt(const oak_isa_tables *tables, unsigned row, const oak_insn *insn, const oak_value *values,
                  unsigned decimal, oak_refusal *why)
{
    const kit_shape_of_row *shape = &kit_tables_of(tables)->row[row];
    bool jumps = row >= MSP430_BR_R && row <= MSP430_CALL_N, wide = true;
    for (const char *p = msp430_rows[row].mnemonic; *p; p++) wide &= *p != '.';
    for (unsigned i = 0; i < shape->count; i++) {
        const kit_class *class = kit_class_at(kit_tables_of(tables), row, i);
        const oak_value *value = &values[i];
        if (!class) continue;
        bool names = class->field == KIT_NEAR || class->field == KIT_CELL;
        char name[80];
        if (value->name) oak_format(name, sizeof name, "%.70s", value->name);
        else oak_format(name, sizeof name, "0x%04x", (unsigned)value->number);
        if (jumps && class->field == KIT_NEAR && value->known) {
            SAY(why, "this goes where the word at %s says, not to %s", name, name);
            HINT(why, "Write `%s #%s` to go there; `%s &%s` says that the word is meant.",
                 msp430_rows[row].mnemonic, name, msp430_rows[row].mnemonic, name);
            kit_offer_mark(insn, i, "#", why);
            return true;
        }
        if (class->field == KIT_NEAR && !value->space && value->known && (decimal >> i & 1)) {
            SAY(why, "this is the memory at address %lld, not the number", (long long)value->number);
            HINT(why, "Write `#%lld` for the number, `&%lld` for the address.", (long long)value->number,
                 (long long)value->number);
            kit_offer_mark(insn, i, "#", why);
            return true;
        }
        if (names && wide && value->known && value->number & 1) {
            SAY(why, "a word at the odd address 0x%04x", (unsigned)value->number);
            HINT(why,
                 "Words lie at even addresses: the chip would take the one at 0x%04x. Write `%s.b` for a "
                 "byte.",
                 (unsigned)value->number & 0xFFFE, msp430_rows[row].mnemonic);
            why->operand = (int)i;
            why->code = "odd-word";
            return true;
        }
    }
    return false;
}

/* ------------------------------------------------------------------------------------------ reading back */

/* What goes to pc goes there: a jump, which takes a cycle more from some modes. */
static bool goes_to_pc(uint32_t code)
{
    unsigned op = code >> 12;
    return op >= 4 && op != 9 && op != 11 && !(code & 0x8F);
}

/* A number that has a word of its own though it needs none. */
static bool is_longer(const oak_isa_tables *tables, const oak_decoded *decoded)
{
    const kit_class *class = kit_class_at(kit_tables_of(tables), decoded->row, 0);
    bool wide = class == &classes[WORD_NUMBER], narrow = class == &classes[BYTE_NUMBER];
    if (!wide && !narrow && decoded->row != MSP430_CALL_N) return false;
    uint32_t number = kit_field_of(tables, decoded, 'x');
    return kit_listed(&classes[narrow ? BYTE_CONSTANT : WORD_CONSTANT], number) >= 0;
}

static oak_status decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available,
                         uint32_t address, uint32_t state, oak_decoded *decoded)
{
    oak_status status = kit_decode(tables, bytes, available, address, state, decoded);
    if (!status) decoded->oddly |= is_longer(tables, decoded);
    uint32_t code = available > 1 ? (uint32_t)(bytes[0] | bytes[1] << 8) : 0, mode = code >> 4 & 3,
             reg = code >> 8 & 15;
    bool named = decoded->row >= MSP430_BR_R && decoded->row <= MSP430_RET;
    if (status || named || !goes_to_pc(code)) return status;
    bool constant = reg == 3 || (reg == 2 && mode >= 2);
    decoded->flow = OAK_FLOW_COMPUTED;
    if (constant || mode == 0 || mode == 3) decoded->cycles++;
    return OAK_OK;
}

/* A distance has its sign; a word that is the address of something has its name. */
static bool print(const kit_class *class, uint32_t value, const oak_namer *namer, oak_buf *out)
{
    bool address = class->points && value >= 0x100 && namer && namer->name;
    const char *name = address ? namer->name(namer->context, MSP430_MEM, value) : NULL;
    if (name) oak_buf_text(out, name);
    if (name) return true;
    if (class->field != KIT_BITS || class->touch != KIT_TOUCH_POINTED) return false;
    int distance = (int)(value & 0xFFFF) - (value & 0x8000 ? 0x10000 : 0);
    if (distance >= -0x200 && distance < 0x200) oak_buf_format(out, "%d", distance);
    else oak_buf_format(out, "0x%04x", (unsigned)value & 0xFFFF);
    return true;
}

static void stack_use(const oak_isa_tables *tables, const oak_decoded *decoded, oak_stack_use *use)
{
    static const uint8_t numbers[16] = {MSP430_REG_PC,  MSP430_REG_SP,  MSP430_REG_SR,  MSP430_REG_PC,
                                        MSP430_REG_R4,  MSP430_REG_R5,  MSP430_REG_R6,  MSP430_REG_R7,
                                        MSP430_REG_R8,  MSP430_REG_R9,  MSP430_REG_R10, MSP430_REG_R11,
                                        MSP430_REG_R12, MSP430_REG_R13, MSP430_REG_R14, MSP430_REG_R15};
    uint32_t code = (uint32_t)(decoded->word >> 8 * (decoded->size - 2));
    *use = (oak_stack_use){0};
    if ((code & 0xFF80) == 0x1200) { /* push, push.b */
        use->words = 1;
        use->named = !(code & 0x30) && (code & 15) != 3;
        use->from[0].number = numbers[code & 15];
    } else if ((code & 0xFF30) == 0x4130 && decoded->row != MSP430_RET) use->words = -1; /* pop */
    else if (code == 0x4031) { /* mov #n, sp */ use->sets = true;
        use->first = (kit_field_of(tables, decoded, 'x') - 2) & 0xFFFF;
    }
}

/* ------------------------------------------------------------------------------------------ the whole */

/* clang-format off */
static const oak_space_info spaces[MSP430_SPACES] = {
    [MSP430_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0, false, 0},
    [MSP430_MEM] = {"mem", "memory", false, false, 0, MSP430_SPAN, 0, false, 0}};

static const oak_register_info registers[MSP430_REGISTERS] = {
#define INFO(id, name, lies, title, points) [MSP430_REG_##id] = {name, MSP430_REG_##id == MSP430_REG_SR ? 9 : 16, title, false, points},
    MSP430_REGISTER_LIST(INFO)};

static const oak_flag_info flags[] = {
    {"v", MSP430_REG_SR, 8, 1, "overflow", false, 0}, {"scg1", MSP430_REG_SR, 7, 1, "most devices stand still", false, 0},
    {"scg0", MSP430_REG_SR, 6, 1, "the fast oscillator's loop is off", false, 0}, {"oscoff", MSP430_REG_SR, 5, 1, "the slow clock stands still", false, 0},
    {"cpuoff", MSP430_REG_SR, 4, 1, "the core sleeps", false, 0}, {"gie", MSP430_REG_SR, 3, 1, "interrupts are let through", false, 0},
    {"n", MSP430_REG_SR, 2, 1, "negative", false, 0}, {"z", MSP430_REG_SR, 1, 1, "zero", false, 0}, {"c", MSP430_REG_SR, 0, 1, "carry", false, 0}};

static const oak_stack_saved saved[] = {{MSP430_REG_SR, 2}};
static const kit_counting counts[] = {
    {MSP430_MOV_N_R, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL}, {MSP430_MOV_C_R, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL},
    {MSP430_CLR_R, OAK_EFFECT_LOADS, 0, 0, NULL, NULL}, {MSP430_MOV_B_N_R, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL},
    {MSP430_MOV_B_C_R, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL}, {MSP430_DEC_R, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, -1, NULL, NULL},
    {MSP430_DECD_R, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, -2, NULL, NULL}, {MSP430_INC_R, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, 1, NULL, NULL},
    {MSP430_INCD_R, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, 2, NULL, NULL},
    {MSP430_JNE, OAK_EFFECT_ASKS, OAK_GOES_NOT_ZERO, 0, NULL, NULL}, {MSP430_JEQ, OAK_EFFECT_ASKS, OAK_GOES_ZERO, 0, NULL, NULL}, {0}};
static const oak_copier copiers[] = {
    {MSP430_MEM, {"mov #copied_from, r12", "mov #copied_to, r13", "cmp #copied_to+copied_bytes, r13", "jhs $+10", "mov.b @r12+, 0(r13)", "inc r13", "jmp $-12"}}, {0}};
static const kit_language language = {
    .isa = &oak_isa_msp430, .counts = counts, .classes = classes, .choices = choices, .remedies = remedies, .letters = letters, .opposites = opposites,
    .farther = farther, .jump = "br #", .reserves = true, .refuses = refuses, .print = print};

static oak_status open_tables(const oak_host *host, oak_isa_tables **tables)
{
    return kit_open_tables(&language, host, tables);
}

const oak_isa oak_isa_msp430 = {
    .about = {.name = "msp430", .title = "MSP430, 16-bit", .cycle_unit = "clock cycle", .elf_machine = 105, .word_bytes = 2, .code_align = 2, .memory_align = 2,
              .vector_bytes = 2, .vector_first = MSP430_VECTORS, .vector_step = 2, .own_lines = MSP430_LINES, .spaces = spaces, .space_count = MSP430_SPACES,
              .code_space = MSP430_MEM, .registers = registers, .register_count = MSP430_REGISTERS, .pc_register = MSP430_REG_PC, .fields_are_masks = true,
              .stack = {.pointer = MSP430_REG_SP, .space = MSP430_MEM, .cell = 2, .return_bytes = 2, .saved = saved, .saved_count = 1},
              .flags = flags, .flag_count = sizeof flags / sizeof *flags},
    .rows = msp430_rows, .row_count = MSP430_ROWS, .open = open_tables, KIT_ISA_SHARED, .decode = decode, .flow_of = kit_decoded_flow, .doubt = doubt,
    .stack_use = stack_use, .pattern_unit = 2, .call_mnemonic = "call #", .copiers = copiers, .trade = trade, .messages = messages, .core = &msp430_core_ops};
/* clang-format on */
