/* avr_language.c — the core for the assembler: its classes of operands, spaces and registers, and what it says in words of its own. All else is the
 * kit's. */
#include "isa/avr/avr.h"

#define KIT_ROWS_OF   avr_rows
#define KIT_CYCLES_OF avr_cycles
#include "isa/kit/rows.h"

static const kit_choice choices[] = {
#define INSN(id, mnemonic, operands, bits, cycles, taken, flow, uses, flags, meaning)
#define CHOICE(mnemonic, of, meaning) {#mnemonic, of},
#include "isa/avr/avr.def"
    {0}};
#undef INSN
#undef CHOICE

/* clang-format off */
#define LOW_HALF "r0", "r1", "r2", "r3", "r4", "r5", "r6", "r7", "r8", "r9", "r10", "r11", "r12", "r13", "r14", "r15"
#define THIRD    "r16", "r17", "r18", "r19", "r20", "r21", "r22", "r23"
#define LAST     "r24", "r25", "r26", "r27", "r28", "r29", "r30", "r31"
#define HALVES   "xl", "xh", "yl", "yh", "zl", "zh"
static const char *const all[] = {LOW_HALF, THIRD, LAST, HALVES, NULL}, *const upper[] = {THIRD, LAST, HALVES, NULL}, *const middle[] = {THIRD, NULL},
                  *const pairs[] = {"r0", "r2", "r4", "r6", "r8", "r10", "r12", "r14", "r16", "r18", "r20", "r22", "r24", "r26", "r28", "r30", "x", "y", "z", "xl", "yl", "zl", NULL},
                  *const words[] = {"r24", "r26", "r28", "r30", "x", "y", "z", "xl", "yl", "zl", NULL}, *const x[] = {"x", NULL}, *const y[] = {"y", NULL}, *const z[] = {"z", NULL};
#define EIGHT(n) (n), (n) + 1, (n) + 2, (n) + 3, (n) + 4, (n) + 5, (n) + 6, (n) + 7
static const uint16_t all_codes[] = {EIGHT(0), EIGHT(8), EIGHT(16), EIGHT(24), 26, 27, 28, 29, 30, 31}, upper_codes[] = {EIGHT(0), EIGHT(8), 10, 11, 12, 13, 14, 15},
                      pair_codes[] = {EIGHT(0), EIGHT(8), 13, 14, 15, 13, 14, 15}, word_codes[] = {0, 1, 2, 3, 1, 2, 3, 1, 2, 3};
enum { IMMEDIATE = 8 }; /* the number of a class + 1 */
static const kit_class classes[] = {
    /* name     shape       names   letter value kind           space       touches             cells window points shift bits order codes */
    {"rd",      "<>",       all,    'd', 0,   KIT_NO_VALUE,  0,        KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, all_codes},
    {"rr",      "<>",       all,    'r', 0,   KIT_NO_VALUE,  0,        KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, all_codes},
    {"again",   "<>",       all,    'r', 0,   KIT_NO_VALUE,  0,        KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, all_codes},
    {"r16+",      "<>",       upper,  'd', 0,   KIT_NO_VALUE,  0,        KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, upper_codes},
    {"r16+'",      "<>",       upper,  'r', 0,   KIT_NO_VALUE,  0,        KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, upper_codes},
    {"r16-23",      "<>",       middle, 'd', 0,   KIT_NO_VALUE,  0,        KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"r16-23'",      "<>",       middle, 'r', 0,   KIT_NO_VALUE,  0,        KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"k",       "{}",       NULL,   0,   'k', KIT_BITS,      0,        0,                  0, false, false, 0, NULL, NULL, NULL},
    {"pair",      "<>",       pairs,  'd', 0,   KIT_NO_VALUE,  0,        0,                  0, false, false, 0, NULL, NULL, pair_codes},
    {"pair'",      "<>",       pairs,  'r', 0,   KIT_NO_VALUE,  0,        0,                  0, false, false, 0, NULL, NULL, pair_codes},
    {"pair24",      "<>",       words,  'd', 0,   KIT_NO_VALUE,  0,        0,                  0, false, false, 0, NULL, NULL, word_codes},
    {"k6",      "{}",       NULL,   0,   'k', KIT_UNSIGNED,  0,        0,                  0, false, false, 0, NULL, NULL, NULL},
    {"mem",     "{}",       NULL,   0,   'k', KIT_CELL,      AVR_DATA, KIT_TOUCH_CELL,     1, false, false, 0, NULL, NULL, NULL},
    {"io",      "{}",       NULL,   0,   'a', KIT_PORT_CELL, AVR_DATA, KIT_TOUCH_CELL,     1, false, false, 0, NULL, NULL, NULL},
    {"lowio",   "{}",       NULL,   0,   'a', KIT_PORT_CELL, AVR_DATA, KIT_TOUCH_CELL,     1, false, false, 0, NULL, NULL, NULL},
    {"x",       "<>",       x,      'p', 0,   KIT_NO_VALUE,  AVR_DATA, KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    {"y",       "<>",       y,      'p', 0,   KIT_NO_VALUE,  AVR_DATA, KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    {"z",       "<>",       z,      'p', 0,   KIT_NO_VALUE,  AVR_DATA, KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    {"x+",      "<>+",      x,      'p', 0,   KIT_NO_VALUE,  AVR_DATA, KIT_TOUCH_STEPPED,  1, false, false, 0, NULL, NULL, NULL},
    {"y+",      "<>+",      y,      'p', 0,   KIT_NO_VALUE,  AVR_DATA, KIT_TOUCH_STEPPED,  1, false, false, 0, NULL, NULL, NULL},
    {"z+",      "<>+",      z,      'p', 0,   KIT_NO_VALUE,  AVR_DATA, KIT_TOUCH_STEPPED,  1, false, false, 0, NULL, NULL, NULL},
    {"-x",      "-<>",      x,      'p', 0,   KIT_NO_VALUE,  AVR_DATA, KIT_TOUCH_STEPPED,  1, false, false, 0, NULL, NULL, NULL},
    {"-y",      "-<>",      y,      'p', 0,   KIT_NO_VALUE,  AVR_DATA, KIT_TOUCH_STEPPED,  1, false, false, 0, NULL, NULL, NULL},
    {"-z",      "-<>",      z,      'p', 0,   KIT_NO_VALUE,  AVR_DATA, KIT_TOUCH_STEPPED,  1, false, false, 0, NULL, NULL, NULL},
    {"y+q",     "<>+{}",    y,      'p', 'q', KIT_UNSIGNED,  AVR_DATA, KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    {"z+q",     "<>+{}",    z,      'p', 'q', KIT_UNSIGNED,  AVR_DATA, KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    {"[z]",     "<>",       z,      'p', 0,   KIT_NO_VALUE,  AVR_CODE, KIT_TOUCH_POINTED,  1, false, false, 0, NULL, NULL, NULL},
    {"[z]+",    "<>+",      z,      'p', 0,   KIT_NO_VALUE,  AVR_CODE, KIT_TOUCH_STEPPED,  1, false, false, 0, NULL, NULL, NULL},
    {"b",       "{}",       NULL,   0,   'b', KIT_UNSIGNED,  0,        0,                  0, false, false, 0, NULL, NULL, NULL},
    {"s",       "{}",       NULL,   0,   's', KIT_UNSIGNED,  0,        0,                  0, false, false, 0, NULL, NULL, NULL},
    {"rel",     "{}",       NULL,   0,   'e', KIT_RELATIVE,  0,        0,                  0, false, false, 0, NULL, NULL, NULL},
    {"near",    "{}",       NULL,   0,   'e', KIT_RELATIVE,  0,        0,                  0, false, false, 0, NULL, NULL, NULL},
    {"target",  "{}",       NULL,   0,   'a', KIT_TARGET,    0,        0,                  0, false, false, 0, NULL, NULL, NULL},
    {0}};
static const kit_letter letters[] = {{"r*", 'r'}, {"xl", 'r'}, {"xh", 'r'}, {"yl", 'r'}, {"yh", 'r'}, {"zl", 'r'}, {"zh", 'r'}, {"x", 'p'}, {"y", 'p'}, {"z", 'p'},
                                     {"<>+{}", 'q'}, {"<>+", '+'}, {"-<>", '-'}, {"{}", '='}, {0}};
static const kit_pair opposites[] = {{"brcs", "brcc"}, {"breq", "brne"}, {"brmi", "brpl"}, {"brvs", "brvc"}, {"brlt", "brge"}, {"brhs", "brhc"}, {"brts", "brtc"}, {"brie", "brid"}, {0}};
static const kit_pair farther[] = {{"rjmp", "jmp"}, {"rcall", "call"}, {0}};
static const kit_counting counts[] = {
    {AVR_LDI, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL}, {AVR_CLR, OAK_EFFECT_LOADS, OAK_GOES_NOWHERE, 0, NULL, NULL}, {AVR_SER, OAK_EFFECT_LOADS, 0, 255, NULL, NULL},
    {AVR_DEC, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, -1, NULL, NULL}, {AVR_INC, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, 1, NULL, NULL},
    {AVR_BREQ, OAK_EFFECT_ASKS, OAK_GOES_ZERO, 0, NULL, NULL}, {AVR_BRNE, OAK_EFFECT_ASKS, OAK_GOES_NOT_ZERO, 0, NULL, NULL}, {0}};
/* clang-format on */
#define KIT_WORDS "isa/avr/avr_words.def"
#include "isa/kit/words.h"

/* ------------------------------------------------------------------------------------------ values */

/* A register of the part that in, out, sbi and their like do not reach. */
static oak_status check(const kit_class *class, const oak_value *value, unsigned operand, oak_refusal *why)
{
    bool low = class->name[0] == 'l';
    int64_t number = value->number - (value->space ? AVR_IO : 0), end = low ? 0x20 : 0x40;
    char name[60];
    (void)operand;
    if (class->field != KIT_PORT_CELL || (number >= 0 && number < end) ||
        (value->space && value->space != AVR_DATA))
        return OAK_OK;
    if (value->name) oak_format(name, sizeof name, "%.50s", value->name);
    else oak_format(name, sizeof name, "0x%02llx", (long long)value->number);
    SAY(why, "%s lies beyond the registers that this reaches, which are 0x20 to 0x%02x of data memory", name,
        (unsigned)end + AVR_IO - 1);
    if (low)
        HINT(why, "Write `lds r16, %s`, `ori r16, 1 << 3` (or `andi`, or `sbrs r16, 3`), `sts %s, r16`.",
             name, name);
    else HINT(why, "Write `lds r16, %s` or `sts %s, r16`.", name, name);
    why->code = "value-range";
    return OAK_REFUSED;
}

/* cbr clears the bits it names: an immediate the other way round. */
static oak_status encode(const oak_isa_tables *tables, unsigned row, const oak_insn *insn,
                         const oak_value *values, uint32_t address, uint8_t *bytes, oak_refusal *why)
{
    oak_value turned[OAK_MOST_OPERANDS];
    oak_status status = kit_encode(tables, row, insn, values, address, bytes, why);
    if (status || row != AVR_CBR) return status;
    turned[1] = values[1];
    turned[1].number = ~values[1].number & 0xFF;
    return kit_encode(tables, row, insn, turned, address, bytes, why);
}

/* What can be encoded and was hardly meant. */
static bool doubt(const oak_isa_tables *tables, unsigned row, const oak_insn *insn, const oak_value *values,
                  unsigned decimal, oak_refusal *why)
{
    (void)decimal;
    why->operand = 0;
    if (row == AVR_LDI && values[1].name && values[1].space == AVR_DATA) {
        const char *name = values[1].name;
        why->operand = 1;
        why->code = "doubtful-mark";
        SAY(why, "this loads the address of `%s`, 0x%02x, as a number", name, (unsigned)values[1].number);
        HINT(why,
             "Write `lds r16, %s` for what is kept there (`in` for a register of the part); `low(%s)` says "
             "that its address is meant.",
             name, name);
        return true;
    }
    bool jumps = row == AVR_RJMP || row == AVR_JMP || row == AVR_RCALL || row == AVR_CALL;
    if (jumps && values[0].in_bytes) {
        why->code = "pointer-words";
        SAY(why, "%s counts words, this is the address of a byte", avr_rows[row].mnemonic);
        HINT(why, "Leave bytes() out: a label of the program is the address of its word.");
        return true;
    }
    uint8_t bytes[OAK_LONGEST_INSN];
    oak_decoded decoded;
    oak_refusal none;
    if (kit_encode(tables, row, insn, values, 0, bytes, &none) ||
        kit_decode(tables, bytes, sizeof bytes, 0, 0, &decoded))
        return false;
    uint32_t reg = kit_field_of(tables, &decoded, 'd');
    for (unsigned i = 0; i < kit_tables_of(tables)->row[row].count; i++) {
        const kit_class *class = kit_class_at(kit_tables_of(tables), row, i);
        if (!class || class->touch != KIT_TOUCH_STEPPED ||
            reg / 2 != (uint32_t)(RX / 2 + (*class->names[0] - 'x')))
            continue;
        why->code = "own-pointer";
        why->operand = (int)(1 - i);
        SAY(why, "what becomes of r%u is not defined: it is a half of %s, which moves here", (unsigned)reg,
            class->names[0]);
        HINT(why, "Take another register, or move the pointer with `adiw`.");
        return true;
    }
    return false;
}

/* ------------------------------------------------------------------------------------------ reading back */

static bool skips(unsigned row)
{
    return row >= AVR_CPSE && row <= AVR_SBIS;
}

/* What skips goes on behind the next instruction, which may be of two words. */
static oak_status decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available,
                         uint32_t address, uint32_t state, oak_decoded *decoded)
{
    oak_status status = kit_decode(tables, bytes, available, address, state, decoded);
    if (status || !skips(decoded->row)) return status;
    oak_decoded next;
    bool known = available > 2 && !kit_decode(tables, bytes + 2, available - 2, address + 1, state, &next);
    decoded->has_target = true;
    decoded->target = (address + 1 + (known ? next.size : 1)) % AVR_SPAN;
    return OAK_OK;
}

/* What is skipped may be two words; pairs of registers are written. */
static void effect(const oak_isa_tables *tables, const oak_decoded *decoded, oak_effect *effect)
{
    kit_effect(tables, decoded, effect);
    if (skips(decoded->row) && decoded->target == (decoded->address + 3) % AVR_SPAN) effect->taken++;
    bool pair = decoded->row == AVR_ADIW || decoded->row == AVR_SBIW;
    uint32_t d = kit_field_of(tables, decoded, 'd'), first = pair ? 24 + 2 * d : 2 * d;
    for (unsigned i = 0;
         (pair || decoded->row == AVR_MOVW) && i < 2 && effect->write_count < OAK_MOST_EFFECTS; i++)
        effect->writes[effect->write_count++] = (oak_place){AVR_DATA, first + i};
}

static void stack_use(const oak_isa_tables *tables, const oak_decoded *decoded, oak_stack_use *use)
{
    *use = (oak_stack_use){0};
    if (decoded->row == AVR_PUSH) {
        use->words = 1, use->named = 1;
        use->from[0].space = AVR_DATA;
        use->from[0].number = kit_field_of(tables, decoded, 'd');
    } else if (decoded->row == AVR_POP) use->words = -1;
}

/* x, y and z are loaded by halves; ld and st go by them to data memory, lpm to bytes of program memory, ijmp and icall to its words. */
static void pointing(const oak_isa_tables *tables, const oak_decoded *decoded, oak_pointing *what)
{
    static const char *const called[] = {"x", "y", "z"};
    uint32_t d = kit_field_of(tables, decoded, 'd') + 16;
    if (decoded->row == AVR_LDI && d >= RX) {
        what->loads = true, what->pointer = (uint8_t)((d - RX) / 2), what->high = d & 1;
        return;
    }
    bool reads = decoded->row >= AVR_LPM && decoded->row <= AVR_SPM,
         jumps = decoded->row == AVR_IJMP || decoded->row == AVR_ICALL;
    for (unsigned i = 0; i < kit_tables_of(tables)->row[decoded->row].count && !reads; i++) {
        const kit_class *class = kit_class_at(kit_tables_of(tables), decoded->row, i);
        if (!class || class->touch < KIT_TOUCH_POINTED) continue;
        what->goes = true, what->space = AVR_DATA, what->pointer = (uint8_t)(*class->names[0] - 'x');
        what->instead = "Write `lpm` to read program memory, by bytes: `low(bytes(label))`.";
    }
    if (reads || jumps) {
        what->goes = what->counts_code = true, what->space = AVR_CODE, what->pointer = 2,
        what->in_bytes = reads;
        what->instead =
            jumps ? "A jump or call goes to a label of the program." : "Write `ld` for data memory.";
    }
    if (what->goes) what->name = called[what->pointer];
}

/* ------------------------------------------------------------------------------------------ the whole */

static bool own_register(unsigned space, uint32_t address)
{
    return space == AVR_DATA &&
           (address == AVR_SREG || address == AVR_SPL || address == AVR_SPH || address == AVR_MCUSR);
}

/* clang-format off */
static const oak_space_info spaces[AVR_SPACES] = {
    [AVR_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0, false, 0},
    [AVR_CODE] = {"code", "program memory", false, false, 0, AVR_SPAN, 16, false, 0},
    [AVR_DATA] = {"data", "data memory", false, true, 0, AVR_CELLS, 0, true, 0},
    [AVR_EEPROM] = {"eeprom", "EEPROM", false, false, 0, 0x1000, 0, false, 0}};
#define INFO(n) [AVR_REG_R##n] = {"r" #n, 8, "register " #n, false, 0},
static const oak_register_info registers[AVR_REGISTERS] = {
    AVR_FILE(INFO) [AVR_REG_SREG] = {"sreg", 8, "flags", false, 0}, [AVR_REG_SP] = {"sp", 16, "stack pointer", false, AVR_DATA},
    [AVR_REG_PC] = {"pc", 16, "program counter", false, AVR_CODE}, [AVR_REG_X] = {"x", 16, "r27:r26", true, AVR_DATA},
    [AVR_REG_Y] = {"y", 16, "r29:r28", true, AVR_DATA}, [AVR_REG_Z] = {"z", 16, "r31:r30", true, AVR_DATA}};
#define CELL(n) {AVR_REG_R##n, AVR_DATA, 1, 0, 0, n},
static const oak_register_cells register_cells[] = {
    AVR_FILE(CELL) {AVR_REG_SREG, AVR_DATA, 1, 0, 0, AVR_SREG}, {AVR_REG_SP, AVR_DATA, 2, 0, 0, AVR_SPL},
    {AVR_REG_X, AVR_DATA, 2, 0, 0, RX}, {AVR_REG_Y, AVR_DATA, 2, 0, 0, RY}, {AVR_REG_Z, AVR_DATA, 2, 0, 0, RZ}};
static const oak_flag_info flags[] = {
    {"i", AVR_REG_SREG, 7, 1, "interrupts are let through", false, 0}, {"t", AVR_REG_SREG, 6, 1, "kept bit", false, 0}, {"h", AVR_REG_SREG, 5, 1, "half carry", false, 0},
    {"s", AVR_REG_SREG, 4, 1, "sign", false, 0}, {"v", AVR_REG_SREG, 3, 1, "overflow", false, 0}, {"n", AVR_REG_SREG, 2, 1, "negative", false, 0},
    {"z", AVR_REG_SREG, 1, 1, "zero", false, 0}, {"c", AVR_REG_SREG, 0, 1, "carry", false, 0}};
static const oak_copier copiers[] = {
    {AVR_DATA, {"ldi zl, low(bytes(copied_from))", "ldi zh, high(bytes(copied_from))", "ldi xl, low(copied_to)", "ldi xh, high(copied_to)", "ldi r24, low(copied_bytes)", "ldi r25, high(copied_bytes)",
                "lpm r0, z+", "st x+, r0", "sbiw r24, 1", "brne $-3"}}, {0}};
static const kit_language language = {
    .isa = &oak_isa_avr, .classes = classes, .choices = choices, .remedies = remedies, .letters = letters, .counts = counts, .opposites = opposites, .farther = farther, .jump = "jmp",
    .reserves = true, .check = check, .ports_from = AVR_IO};

static oak_status open_tables(const oak_host *host, oak_isa_tables **tables)
{
    return kit_open_tables(&language, host, tables);
}

const oak_isa oak_isa_avr = {
    .about = {.name = "avr", .title = "8-bit, 32 registers, word memory", .cycle_unit = "clock cycle", .elf_machine = 83, .word_bytes = 1, .code_align = 1,
              .vector_first = 2, .vector_step = 2, .own_lines = AVR_ALL_LINES, .spaces = spaces, .space_count = AVR_SPACES, .code_space = AVR_CODE,
              .registers = registers, .register_count = AVR_REGISTERS, .pc_register = AVR_REG_PC, .fields_by_name = true,
              .cells = register_cells, .cells_count = sizeof register_cells / sizeof *register_cells,
              .stack = {.pointer = AVR_REG_SP, .space = AVR_DATA, .cell = 1, .return_bytes = 2, .points_to_free = true, .return_high_first = true},
              .flags = flags, .flag_count = sizeof flags / sizeof *flags},
    .pattern_unit = 2, .rows = avr_rows, .row_count = AVR_ROWS, .open = open_tables, .close = kit_close_tables, .mnemonic = kit_mnemonic,
    .mnemonic_name = kit_mnemonic_name, .names_row = kit_names_row, .is_register = kit_is_register, .read_operands = kit_read_operands,
    .forms = kit_forms, .flow_of = kit_flow_of, .target_of = kit_target_of, .skips = 1, .copiers = copiers, .size = kit_row_size, .encode = encode, .decode = decode,
    .tell_fields = kit_tell_fields, .print = kit_print, .doubt = doubt, .pointing = pointing, .effect = effect, .stack_use = stack_use, .vector_mnemonic = "jmp", .call_mnemonic = "call", .plain_return = "ret",
    .trade = trade, .messages = messages, .own_register = own_register, .core = &avr_core_ops};
/* clang-format on */
