/* mcs4_language.c — the core for the assembler: its classes of operands, spaces and registers, and what it says in words of its own. All else is the
 * kit's. */
#include "isa/mcs4/mcs4.h"

#define KIT_ROWS_OF   mcs4_rows
#define KIT_CYCLES_OF mcs4_cycles
#include "isa/kit/rows.h"

/* clang-format off */
static const char *const all[] = {"r0", "r1", "r2", "r3", "r4", "r5", "r6", "r7", "r8", "r9", "r10", "r11", "r12", "r13", "r14", "r15", NULL},
                  *const pairs[] = {"p0", "p1", "p2", "p3", "p4", "p5", "p6", "p7", "0p", "1p", "2p", "3p", "4p", "5p", "6p", "7p", NULL},
                  *const asked[] = {"t0", "c", "z", "t1", "nc", "nz", NULL};
static const uint16_t pair_codes[] = {0, 1, 2, 3, 4, 5, 6, 7, 0, 1, 2, 3, 4, 5, 6, 7}, asked_codes[] = {1, 2, 4, 9, 10, 12};
static const kit_class classes[] = {
    /* name    shape names   letter value kind        space      touches             cells window points shift bits order codes */
    {"r",      "<>", all,    'r', 0,   KIT_NO_VALUE, 0,         KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, NULL},
    {"pair",   "<>", pairs,  'p', 0,   KIT_NO_VALUE, 0,         KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, pair_codes},
    {"if",     "<>", asked,  'c', 0,   KIT_NO_VALUE, 0,         0,                  0, false, false, 0, NULL, NULL, asked_codes},
    {"bits",   "{}", NULL,   0,   'c', KIT_UNSIGNED, 0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {"k",      "{}", NULL,   0,   'k', KIT_BITS,     0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {"k8",     "{}", NULL,   0,   'k', KIT_BITS,     0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {"near",   "{}", NULL,   0,   'n', KIT_PAGE,     0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {"target", "{}", NULL,   0,   'a', KIT_TARGET,   0,         0,                  0, false, false, 0, NULL, NULL, NULL},
    {0}};
static const kit_class *const frees[] = {&classes[2], NULL}; /* a label may be called z */
static const kit_letter letters[] = {{"r*", 'r'}, {"p*", 'p'}, {"0p", 'p'}, {"1p", 'p'}, {"2p", 'p'}, {"3p", 'p'}, {"4p", 'p'}, {"5p", 'p'}, {"6p", 'p'}, {"7p", 'p'}, {"{}", '='}, {0}};
static const kit_counting counts[] = {{MCS4_ISZ, OAK_EFFECT_ADDS, OAK_GOES_NOT_ZERO, 1, NULL, NULL}, {MCS4_LDM, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL}, {0}};
/* clang-format on */
#define KIT_WORDS "isa/mcs4/mcs4_words.def"
#include "isa/kit/words.h"

/* clang-format off */
static const oak_space_info spaces[MCS4_SPACES] = {
    [MCS4_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0, false, 0},
    [MCS4_CODE] = {"code", "program memory", false, false, 0, MCS4_SPAN, 0, false, 0},
    [MCS4_RAM] = {"ram", "characters of the RAM chips", false, false, 0, MCS4_BANKS * MCS4_BANK, 4, false, 0},
    [MCS4_STATUS] = {"status", "status characters of the RAM chips", false, false, 0, MCS4_BANKS * MCS4_BANK_STATUS, 4, false, 0},
    [MCS4_RAMPORT] = {"ramport", "ports of the RAM chips", false, true, 0, MCS4_PORTS, 4, false, 0},
    [MCS4_ROMPORT] = {"romport", "ports of the ROM chips", false, true, 0, MCS4_PORTS + 1, 4, false, 0}};
static const oak_register_info registers[MCS4_REGISTERS] = {
#define INFO(id, name, bits, title, derived, points) [MCS4_REG_##id] = {name, bits, title, derived, points},
    MCS4_REGISTER_LIST(INFO)};
#define OF_PAIR(n) {MCS4_REG_P0 + (n), OAK_REGISTER_FILE, 2, 0, 0, 2 * (n)}, {MCS4_REG_R0 + 2 * (n), OAK_REGISTER_FILE, 1, 0, 0, 2 * (n)}, {MCS4_REG_R0 + 2 * (n) + 1, OAK_REGISTER_FILE, 1, 0, 0, 2 * (n) + 1}
static const oak_register_cells register_cells[] = {OF_PAIR(0), OF_PAIR(1), OF_PAIR(2), OF_PAIR(3), OF_PAIR(4), OF_PAIR(5), OF_PAIR(6), OF_PAIR(7)};
static const oak_flag_info flags[] = {{"cy", MCS4_REG_CY, 0, 1, "carry", false, 0}};
static const kit_language language = {.isa = &oak_isa_mcs4, .classes = classes, .remedies = remedies, .letters = letters, .counts = counts, .jump = "jun", .reserves = true, .frees = frees};

static oak_status open_tables(const oak_host *host, oak_isa_tables **tables)
{
    return kit_open_tables(&language, host, tables);
}

const oak_isa oak_isa_mcs4 = {
    .about = {.name = "mcs4", .title = "4-bit, RAM and ROM chips with ports", .cycle_unit = "instruction cycle", .word_bytes = 1, .code_align = 1,
              .spaces = spaces, .space_count = MCS4_SPACES, .code_space = MCS4_CODE,
              .registers = registers, .register_count = MCS4_REGISTERS, .pc_register = MCS4_REG_PC,
              .cells = register_cells, .cells_count = sizeof register_cells / sizeof *register_cells,
              .stack = {.pointer = MCS4_REG_SP, .return_bytes = 2, .first_level = MCS4_REG_STK0, .levels = MCS4_LEVELS},
              .flags = flags, .flag_count = sizeof flags / sizeof *flags},
    .pattern_unit = 1, .rows = mcs4_rows, .row_count = MCS4_ROWS, .open = open_tables, KIT_ISA_FUNCTIONS,
    .vector_mnemonic = "jun", .call_mnemonic = "jms", .manual_marks = true, .trade = trade, .messages = messages, .core = &mcs4_core_ops};
/* clang-format on */
