/* picmid_language.c — the mid-range core for the assembler: its classes of operands, spaces and registers, and what it says in words of its own. All
 * else is the kit's. */
#include "isa/picmid/picmid.h"

#define KIT_ROWS_OF   picmid_rows
#define KIT_CYCLES_OF picmid_cycles
#include "isa/kit/rows.h"

/* clang-format off */
static const char *const ports[] = {"", "5", "6", "7", NULL};
enum { REGISTER = 1, BIT, IMMEDIATE, TARGET }; /* classes by their numbers + 1 */
static const kit_class classes[] = {
    /* name      shape  names  letter value kind         space        touches         cells window points shift */
    {"reg",      "{}",  NULL,  0,   'f', KIT_CELL,     PICMID_FILE, KIT_TOUCH_CELL,  1, true,  false, 0, NULL, NULL, NULL},
    {"b",        "{}",  NULL,  0,   'b', KIT_UNSIGNED, 0,           0,               0, false, false, 0, NULL, NULL, NULL},
    {"k",        "{}",  NULL,  0,   'k', KIT_BITS,     0,           0,               0, false, false, 0, NULL, NULL, NULL},
    {"target",   "{}",  NULL,  0,   'a', KIT_PAGE,     0,           0,               0, true,  false, 0, NULL, NULL, NULL},
    {"port",     "<>",  ports, 't', 0,   KIT_NO_VALUE, 0,           0,               0, false, false, 0, NULL, NULL, NULL},
    {0}};
static const kit_letter letters[] = {{"w", 'w'}, {"f", 'f'}, {"{}", '='}, {0}};
/* clang-format on */
/* clang-format off */
static const kit_counting counts[] = {
    {PICMID_MOVLW, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL}, {PICMID_CLRF, OAK_EFFECT_LOADS, OAK_GOES_NOWHERE, 0, NULL, NULL}, {PICMID_CLRW, OAK_EFFECT_LOADS, OAK_GOES_NOWHERE, 0, NULL, NULL},
    {PICMID_MOVWF, OAK_EFFECT_COPIES, 0, 0, NULL, "w"},
    {PICMID_DECFSZ_F, OAK_EFFECT_ADDS, OAK_GOES_ZERO, -1, NULL, NULL}, {PICMID_INCFSZ_F, OAK_EFFECT_ADDS, OAK_GOES_ZERO, 1, NULL, NULL},
    {PICMID_DECF_F, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, -1, NULL, NULL}, {PICMID_INCF_F, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, 1, NULL, NULL}, {0}};
/* clang-format on */
#define KIT_WORDS "isa/picmid/picmid_words.def"
#include "isa/kit/words.h"

/* ------------------------------------------------------------------------------------------ operands */

/* A destination may be written 0 or 1, and left out: then it is f, which is told. */
static oak_status read_operands(const oak_isa_tables *tables, oak_operand_reader *reader, oak_insn *insn)
{
    oak_status status = kit_read_operands(tables, reader, insn);
    if (status || !insn->count || !oak_same(kit_first_operands(tables, insn->mnemonic), "reg, w"))
        return status;
    char digit = insn->count == 2 && insn->operand[1].kind ? kit_single(reader, &insn->operand[1]) : 0;
    if (digit == '0' || digit == '1') kit_become(tables, &insn->operand[1], digit == '0' ? "w" : "f");
    if (insn->count == 1) kit_put_word(tables, insn, 1, "f", 1);
    return OAK_OK;
}

/* What can be encoded and was hardly meant. */
static bool doubt(const oak_isa_tables *tables, unsigned row, const oak_insn *insn, const oak_value *values,
                  unsigned decimal, oak_refusal *why)
{
    return kit_filed_doubt(tables, row, insn, values, decimal, IMMEDIATE, PICMID_FILE, row == PICMID_MOVF_W,
                           why);
}

/* ------------------------------------------------------------------------------------------ reading back */

/* Does an instruction store into its register? */
static bool writes_cell(const oak_insn_row *row)
{
    return *row->operands == 'r' && !oak_same(row->operands, "reg, w") &&
           (*row->uses == 'b' || *row->uses == 'w');
}

/* What skips goes on behind the next instruction; what writes PCL goes anywhere. */
static oak_status decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available,
                         uint32_t address, uint32_t state, oak_decoded *decoded)
{
    oak_status status = kit_decode(tables, bytes, available, address, state, decoded);
    if (status) return status;
    const oak_insn_row *row = &picmid_rows[decoded->row];
    if (decoded->flow == OAK_FLOW_BRANCH)
        decoded->has_target = true, decoded->target = (address + 2) % PICMID_SPAN;
    if (writes_cell(row) && kit_field_of(tables, decoded, 'f') == PCL) decoded->flow = OAK_FLOW_COMPUTED;
    return OAK_OK;
}

/* decfsz counts its register down. */
static unsigned counter_of(const oak_isa_tables *tables, const oak_decoded *decoded, bool *loads_zero)
{
    *loads_zero = decoded->row == PICMID_CLRF;
    return *loads_zero || decoded->row == PICMID_DECFSZ_F ? 1 + kit_field_of(tables, decoded, 'f') : 0;
}

/* A skip on Z asks the flag. */
static void effect(const oak_isa_tables *tables, const oak_decoded *decoded, oak_effect *effect)
{
    bool set = decoded->row == PICMID_BTFSS;
    kit_effect(tables, decoded, effect);
    if (decoded->flow == OAK_FLOW_COMPUTED) effect->taken = 1;
    if ((!set && decoded->row != PICMID_BTFSC) || kit_field_of(tables, decoded, 'f') != STATUS ||
        kit_field_of(tables, decoded, 'b') != 2)
        return;
    effect->does = OAK_EFFECT_ASKS;
    effect->goes = set ? OAK_GOES_ZERO : OAK_GOES_NOT_ZERO;
}

/* ------------------------------------------------------------------------------------------ what is selected */

enum { RP = 3, PAGE = 0x1F << 2, W = 0xFF << 8 }; /* RP, PCLATH and w */

/* From w to RP or PCLATH. */
static void select_w(oak_selected *now, uint32_t mask, int up)
{
    uint32_t zero = up < 0 ? now->zero >> -up : now->zero << up,
             one = up < 0 ? now->one >> -up : now->one << up;
    uint32_t entry = (up < 0 ? now->entry >> -up : now->entry << up) & mask;
    now->zero = (now->zero & ~mask) | (zero & mask) | entry,
    now->one = (now->one & ~mask) | (one & mask) | entry;
    now->entry &= ~mask;
}

static void follow(const oak_isa_tables *tables, const oak_decoded *decoded, oak_selected *now)
{
    const oak_insn_row *row = &picmid_rows[decoded->row];
    uint32_t cell = kit_field_of(tables, decoded, 'f'), bit = kit_field_of(tables, decoded, 'b');
    uint32_t mask = cell == STATUS ? RP : cell == PCLATH ? PAGE : 0;
    if (oak_same(row->operands, "reg, w") || *row->operands == 'k' || decoded->row == PICMID_CLRW)
        oak_select_any(now, W);
    if (decoded->row == PICMID_MOVLW) oak_select(now, W, kit_field_of(tables, decoded, 'k') << 8);
    if (decoded->row == PICMID_CLRW) oak_select(now, W, 0);
    if (!writes_cell(row) || !mask) return;
    if (decoded->row == PICMID_BCF || decoded->row == PICMID_BSF) {
        uint32_t one = (cell == STATUS ? (bit >= 5 ? 1u << (bit - 5) : 0) : 4u << bit) & mask;
        oak_select(now, one, decoded->row == PICMID_BSF ? one : 0);
    } else if (decoded->row == PICMID_CLRF) {
        oak_select(now, mask, 0);
    } else if (decoded->row == PICMID_MOVWF) {
        select_w(now, mask, cell == STATUS ? -13 : -6);
    } else {
        oak_select_any(now, mask);
    }
}

static bool whole(const oak_selected *now, unsigned space, uint32_t *address)
{
    uint32_t known = (now->zero ^ now->one) & ~now->entry, home = PICMID_CELLS;
    if (space == PICMID_CODE) {
        bool sure = (known & 0x60) == 0x60;
        if (sure) *address = (*address & 0x7FF) | (now->one & 0x60) << 6;
        return sure;
    }
    for (uint32_t bank = 0; bank < 4; bank++) {
        if (bank & ~now->one & ~now->entry & RP || ~bank & ~now->zero & ~now->entry & RP) continue;
        uint32_t one = picmid_home(*address % PICMID_BANK + bank * PICMID_BANK);
        if (home != PICMID_CELLS && home != one) return false;
        home = one;
    }
    *address = home;
    return true;
}

/* What is added to PCL stays in the 256 words that PCLATH names. */
static oak_status computed(const oak_decoded *decoded, const oak_selected *now, uint32_t *at)
{
    *at = (now->one & PAGE) << 6;
    if (decoded->row != PICMID_ADDWF_F) return OAK_UNSUPPORTED;
    return !(now->entry & PAGE) && ((now->one ^ now->zero) & PAGE) == PAGE ? OAK_OK : OAK_NOT_FOUND;
}

static int selected_operand(const oak_isa_tables *tables, unsigned row, oak_selected_operand *what)
{
    unsigned class = kit_tables_of(tables)->row[row].class_of[0];
    what->space = class == TARGET ? PICMID_CODE : PICMID_FILE;
    what->part = true;
    what->writes =
        class == REGISTER ? writes_cell(&picmid_rows[row]) : row == PICMID_TRIS || row == PICMID_OPTION;
    return class == TARGET || class == REGISTER ? 0 : -1;
}

static uint32_t home(unsigned space, uint32_t address)
{
    return space == PICMID_FILE && address < PICMID_CELLS ? picmid_home(address) : address;
}

static const oak_select_step steps[] = {{PICMID_FILE, 1, 0x80, "bcf STATUS, 5", false, 0},
                                        {PICMID_FILE, 1, 0x80, "bsf STATUS, 5", true, 0},
                                        {PICMID_FILE, 2, 0x100, "bcf STATUS, 6", false, 0},
                                        {PICMID_FILE, 2, 0x100, "bsf STATUS, 6", true, 0},
                                        {PICMID_CODE, 0x20, 0x800, "bcf PCLATH, 3", false, 0},
                                        {PICMID_CODE, 0x20, 0x800, "bsf PCLATH, 3", true, 0},
                                        {PICMID_CODE, 0x40, 0x1000, "bcf PCLATH, 4", false, 0},
                                        {PICMID_CODE, 0x40, 0x1000, "bsf PCLATH, 4", true, 0}};
static const oak_selector selector = {.at_reset = RP | PAGE,
                                      .steps = steps,
                                      .step_count = sizeof steps / sizeof *steps,
                                      .follow = follow,
                                      .whole = whole,
                                      .computed = computed,
                                      .block = 0x100,
                                      .operand = selected_operand,
                                      .pointed = INDF,
                                      .home = home};

/* ------------------------------------------------------------------------------------------ the whole */

/* clang-format off */
static const oak_space_info spaces[PICMID_SPACES] = {
    [PICMID_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0, false, 0},
    [PICMID_CODE] = {"code", "program memory", false, false, 0, PICMID_SPAN + 8, 14, false, 0x800},
    [PICMID_FILE] = {"file", "register file", false, true, 0, PICMID_CELLS, 0, true, PICMID_BANK},
    [PICMID_EEPROM] = {"eeprom", "EEPROM", false, false, 0, 0x100, 0, false, 0},
};
static const oak_register_info registers[PICMID_REGISTERS] = {
#define INFO(id, name, bits, title, derived, points) [PICMID_REG_##id] = {name, bits, title, derived, points},
    PICMID_REGISTER_LIST(INFO)};
static const oak_register_cells register_cells[] = {
    {PICMID_REG_PC, PICMID_FILE, 1, 0, 0, PCL}, {PICMID_REG_STATUS, PICMID_FILE, 1, 0, 0, STATUS}, {PICMID_REG_FSR, PICMID_FILE, 1, 0, 0, FSR}, {PICMID_REG_PCLATH, PICMID_FILE, 1, 0, 0, PCLATH}};
static const oak_flag_info flags[] = {
    {"irp", PICMID_REG_STATUS, 7, 1, "upper banks by fsr", false, 0}, {"rp", PICMID_REG_STATUS, 5, 2, "bank", false, 0},
    {"to", PICMID_REG_STATUS, 4, 1, "not timed out", false, 0}, {"pd", PICMID_REG_STATUS, 3, 1, "not slept", false, 0},
    {"z", PICMID_REG_STATUS, 2, 1, "zero", false, 0}, {"dc", PICMID_REG_STATUS, 1, 1, "digit carry", false, 0},
    {"c", PICMID_REG_STATUS, 0, 1, "carry", false, 0}};
static const uint16_t vectors[PICMID_LINES] = {4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4};
static const kit_language language = {
    .isa = &oak_isa_picmid, .classes = classes, .remedies = remedies, .letters = letters, .counts = counts, .jump = "goto"};

static oak_status open_tables(const oak_host *host, oak_isa_tables **tables)
{
    return kit_open_tables(&language, host, tables);
}

const oak_isa oak_isa_picmid = {
    .about = {.name = "picmid", .title = "8-bit, 14-bit instructions, banked registers", .cycle_unit = "instruction cycle", .word_bytes = 1, .code_align = 1,
              .vector_list = vectors, .own_lines = PICMID_LINES, .spaces = spaces, .space_count = PICMID_SPACES, .code_space = PICMID_CODE,
              .registers = registers, .register_count = PICMID_REGISTERS, .pc_register = PICMID_REG_PC, .fields_by_name = true,
              .cells = register_cells, .cells_count = sizeof register_cells / sizeof *register_cells,
              .stack = {.pointer = PICMID_REG_SP, .return_bytes = 2, .first_level = PICMID_REG_STK0, .levels = PICMID_LEVELS},
              .flags = flags, .flag_count = sizeof flags / sizeof *flags},
    .pattern_unit = 2, .rows = picmid_rows, .row_count = PICMID_ROWS, .open = open_tables, .close = kit_close_tables, .mnemonic = kit_mnemonic,
    .mnemonic_name = kit_mnemonic_name, .names_row = kit_names_row, .is_register = kit_is_register, .read_operands = read_operands,
    .forms = kit_forms, .flow_of = kit_decoded_flow, .target_of = kit_target_of, .skips = 1, .selector = &selector, .size = kit_row_size, .encode = kit_encode, .decode = decode,
    .print = kit_print, .doubt = doubt, .counter_of = counter_of, .effect = effect, .vector_mnemonic = "goto", .call_mnemonic = "call", .plain_return = "return",
    .trade = trade, .messages = messages, .core = &picmid_core_ops};
/* clang-format on */
