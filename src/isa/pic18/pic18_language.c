/* pic18_language.c — the core for the assembler: its classes of operands, spaces and registers, and what it says in words of its own. All else is the
 * kit's. */
#include "isa/pic18/pic18.h"

#define KIT_ROWS_OF   pic18_rows
#define KIT_CYCLES_OF pic18_cycles
#include "isa/kit/rows.h"

/* clang-format off */
enum { ACCESS = 1, REGISTER, BIT, IMMEDIATE, BANK, FROM, TO, ADDRESS, NEAR, TARGET }; /* classes by their numbers + 1 */
static const kit_class classes[] = {
    /* name      shape  names letter value kind      space       touches         cells window points shift */
    {"access",   "{}", NULL, 0, 'f', KIT_END_CELL, PIC18_DATA, KIT_TOUCH_CELL, 1, false, false, 0, NULL, NULL, NULL},
    {"reg",      "{}", NULL, 0, 'f', KIT_CELL,     PIC18_DATA, KIT_TOUCH_CELL, 1, true,  false, 0, NULL, NULL, NULL},
    {"n",        "{}", NULL, 0, 'b', KIT_UNSIGNED, 0,          0,              0, false, false, 0, NULL, NULL, NULL},
    {"k",        "{}", NULL, 0, 'k', KIT_BITS,     0,          0,              0, false, false, 0, NULL, NULL, NULL},
    {"bank",     "{}", NULL, 0, 'k', KIT_UNSIGNED, 0,          0,              0, false, false, 0, NULL, NULL, NULL},
    {"from",     "{}", NULL, 0, 's', KIT_CELL,     PIC18_DATA, KIT_TOUCH_CELL, 1, false, false, 0, NULL, NULL, NULL},
    {"to",       "{}", NULL, 0, 'd', KIT_CELL,     PIC18_DATA, KIT_TOUCH_CELL, 1, false, false, 0, NULL, NULL, NULL},
    {"address",  "{}", NULL, 0, 'k', KIT_CELL,     PIC18_DATA, 0,              0, false, false, 0, NULL, NULL, NULL},
    {"near",     "{}", NULL, 0, 'n', KIT_RELATIVE, 0,          0,              0, false, false, 1, NULL, NULL, NULL},
    {"target",   "{}", NULL, 0, 'a', KIT_TARGET,   0,          0,              0, false, false, 1, NULL, NULL, NULL},
    {0}};
static const kit_letter letters[] = {{"w", 'w'}, {"f", 'f'}, {"a", 'a'}, {"b", 'b'}, {"{}", '='}, {0}};
static const kit_pair opposites[] = {{"bc", "bnc"}, {"bn", "bnn"}, {"bov", "bnov"}, {"bz", "bnz"}, {0}};
static const kit_pair farther[] = {{"bra", "goto"}, {"rcall", "call"}, {0}};
/* clang-format on */
/* clang-format off */
#define BOTH(id, does, goes, value, from) {PIC18_##id##_A, does, goes, value, NULL, from}, {PIC18_##id##_B, does, goes, value, NULL, from}
static const kit_counting counts[] = {
    {PIC18_MOVLW, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL}, BOTH(CLRF, OAK_EFFECT_LOADS, OAK_GOES_NOWHERE, 0, NULL), BOTH(SETF, OAK_EFFECT_LOADS, 0, 255, NULL),
    BOTH(MOVWF, OAK_EFFECT_COPIES, 0, 0, "w"), BOTH(DECFSZ_F, OAK_EFFECT_ADDS, OAK_GOES_ZERO, -1, NULL), BOTH(INCFSZ_F, OAK_EFFECT_ADDS, OAK_GOES_ZERO, 1, NULL),
    BOTH(DCFSNZ_F, OAK_EFFECT_ADDS, OAK_GOES_NOT_ZERO, -1, NULL), BOTH(INFSNZ_F, OAK_EFFECT_ADDS, OAK_GOES_NOT_ZERO, 1, NULL), BOTH(DECF_F, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, -1, NULL),
    BOTH(INCF_F, OAK_EFFECT_ADDS, OAK_GOES_NOWHERE, 1, NULL), {PIC18_BZ, OAK_EFFECT_ASKS, OAK_GOES_ZERO, 0, NULL, NULL}, {PIC18_BNZ, OAK_EFFECT_ASKS, OAK_GOES_NOT_ZERO, 0, NULL, NULL}, {0}};
/* clang-format on */
#define KIT_WORDS "isa/pic18/pic18_words.def"
#include "isa/kit/words.h"

/* ------------------------------------------------------------------------------------------ operands */

enum { LEFT_OUT = 1, CHOSEN = 2 }; /* an operand's extra: a destination, or the bank, that nobody wrote */

/* A destination may be written 0 or 1, and left out: then it is f, which is told. Access or banked is a or b, 0 or 1, and where it is left out as the
 * address wants. Fast is fast, or 1. A pointer may be its number. */
static oak_status read_operands(const oak_isa_tables *tables, oak_operand_reader *reader, oak_insn *insn)
{
    const char *operands = kit_first_operands(tables, insn->mnemonic);
    oak_status status = kit_read_operands(tables, reader, insn);
    if (status || !*operands) return status;
    oak_operand *second = &insn->operand[1], *last = &insn->operand[insn->count ? insn->count - 1 : 0];
    char digit = insn->count ? kit_single(reader, last) : 0;
    if (oak_same(operands, "fsr0, address")) {
        static const char *const pointers[] = {"fsr0", "fsr1", "fsr2"};
        char which = insn->count ? kit_single(reader, insn->operand) : 0;
        if (which >= '0' && which <= '2') kit_become(tables, insn->operand, pointers[which - '0']);
        return OAK_OK;
    }
    if (oak_same(operands, "target") && insn->count == 2 && (digit == '0' || digit == '1')) {
        if (digit == '0') insn->count = 1;
        else kit_become(tables, last, "fast");
        return OAK_OK;
    }
    if (operands[0] != 'a' || !insn->count || insn->count > 3) return OAK_OK;
    bool goes = oak_same(operands, "access, w, a"), bits = oak_same(operands, "access, n, a");
    unsigned most = goes || bits ? 3 : 2;
    if (goes && insn->count > 1) {
        char letter = kit_single(reader, second);
        bool banked = insn->count == 2 && (letter == 'a' || letter == 'b');
        if (letter == '0' || letter == '1') kit_become(tables, second, letter == '0' ? "w" : "f");
        if (banked)
            kit_become(tables, second, letter == 'a' ? "a" : "b"),
                kit_put_word(tables, insn, 1, "f", LEFT_OUT);
    }
    if (goes && insn->count == 1) kit_put_word(tables, insn, 1, "f", LEFT_OUT);
    if (insn->count == most && last->kind && (digit == '0' || digit == '1') && !(goes && most == 2))
        kit_become(tables, last, digit == '0' ? "a" : "b");
    else if (insn->count == most - 1) kit_put_word(tables, insn, most - 1, "a", CHOSEN);
    return OAK_OK;
}

/* Where nobody says which bank, the access bank comes first: it refuses what does not lie there. */
static unsigned forms(const oak_isa_tables *tables, oak_insn *insn, uint16_t *rows, oak_refusal *why)
{
    unsigned count = kit_forms(tables, insn, rows, why);
    if (count == 1 && insn->count && insn->operand[insn->count - 1].extra == CHOSEN &&
        !insn->operand[insn->count - 1].kind)
        rows[count++] = rows[0] + 1;
    return count;
}

/* What can be encoded and was hardly meant. */
static bool doubt(const oak_isa_tables *tables, unsigned row, const oak_insn *insn, const oak_value *values,
                  unsigned decimal, oak_refusal *why)
{
    return kit_filed_doubt(tables, row, insn, values, decimal, IMMEDIATE, PIC18_DATA,
                           row / 2 == PIC18_MOVF_W_A / 2, why);
}

/* movlb takes a bank, or what lies in one. */
static oak_status encode(const oak_isa_tables *tables, unsigned row, const oak_insn *insn,
                         const oak_value *values, uint32_t address, uint8_t *bytes, oak_refusal *why)
{
    oak_value bank = *values;
    if (row != PIC18_MOVLB || (values->space != PIC18_DATA && !insn->operand->extra))
        return kit_encode(tables, row, insn, values, address, bytes, why);
    bank.number >>= 8;
    bank.space = 0;
    return kit_encode(tables, row, insn, &bank, address, bytes, why);
}

/* ------------------------------------------------------------------------------------------ reading back */

/* The register that a row names, whole where it lies in the access bank; else the low byte. */
static uint32_t cell_of(const oak_isa_tables *tables, const oak_decoded *decoded)
{
    uint32_t field = kit_field_of(tables, decoded, 'f');
    return !(decoded->row & 1) && field >= PIC18_ACCESS ? field + PIC18_CELLS - 0x100 : field;
}

static bool writes_cell(const oak_insn_row *row)
{
    return *row->uses != 'r' && !(*row->uses == ' ') && row < pic18_rows + PIC18_FILE_ROWS;
}

/* What skips goes on behind the next instruction, which may be of two words; what writes PCL goes anywhere. */
static oak_status decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available,
                         uint32_t address, uint32_t state, oak_decoded *decoded)
{
    oak_status status = kit_decode(tables, bytes, available, address, state, decoded);
    if (status) return status;
    if (decoded->flow == OAK_FLOW_BRANCH && !decoded->has_target) {
        oak_decoded next;
        bool known =
            available > 2 && !kit_decode(tables, bytes + 2, available - 2, address + 2, state, &next);
        decoded->has_target = true;
        decoded->target = (address + 2 + (known ? next.size : 2)) % PIC18_REACH;
    }
    if (writes_cell(&pic18_rows[decoded->row]) && !(decoded->row & 1) && cell_of(tables, decoded) == PCL)
        decoded->flow = OAK_FLOW_COMPUTED;
    return OAK_OK;
}

/* decfsz counts its register down. */
static unsigned counter_of(const oak_isa_tables *tables, const oak_decoded *decoded, bool *loads_zero)
{
    unsigned pair = decoded->row & ~1u;
    *loads_zero = pair == PIC18_CLRF_A;
    return *loads_zero || pair == PIC18_DECFSZ_F_A
               ? 1 + (cell_of(tables, decoded) | (decoded->row & 1u) << 12)
               : 0;
}

/* What is skipped may be two words; a skip on Z asks the flag. */
static void effect(const oak_isa_tables *tables, const oak_decoded *decoded, oak_effect *effect)
{
    unsigned pair = decoded->row & ~1u;
    bool set = pair == PIC18_BTFSS_A;
    kit_effect(tables, decoded, effect);
    if (decoded->flow == OAK_FLOW_COMPUTED) effect->taken = 1;
    if (decoded->flow == OAK_FLOW_BRANCH && decoded->row < PIC18_FILE_ROWS &&
        decoded->target == decoded->address + 6)
        effect->taken++;
    if ((!set && pair != PIC18_BTFSC_A) || cell_of(tables, decoded) != STATUS ||
        kit_field_of(tables, decoded, 'b') != 2)
        return;
    effect->does = OAK_EFFECT_ASKS;
    effect->goes = set ? OAK_GOES_ZERO : OAK_GOES_NOT_ZERO;
}

/* ------------------------------------------------------------------------------------------ what is selected */

enum { SELECTS_BANK = 0x0F, SELECTS_BLOCK = 0xFF << 4, HOLDS_W = 0xFF << 12 }; /* BSR, PCLATH, w */

/* From w. */
static void select_w(oak_selected *now, uint32_t mask, unsigned down)
{
    uint32_t entry = now->entry >> down & mask;
    now->zero = (now->zero & ~mask) | (now->zero >> down & mask) | entry;
    now->one = (now->one & ~mask) | (now->one >> down & mask) | entry;
    now->entry &= ~mask;
}

static void follow(const oak_isa_tables *tables, const oak_decoded *decoded, oak_selected *now)
{
    const oak_insn_row *row = &pic18_rows[decoded->row];
    bool file = decoded->row < PIC18_FILE_ROWS;
    uint32_t cell = file ? cell_of(tables, decoded) : 0, number = kit_field_of(tables, decoded, 'k');
    uint32_t mask = cell == BSR ? SELECTS_BANK : cell == PCLATH ? SELECTS_BLOCK : cell == WREG ? HOLDS_W : 0;
    if (decoded->row == PIC18_MOVFF) {
        uint32_t to = kit_field_of(tables, decoded, 'd');
        oak_select_any(now, to == BSR      ? SELECTS_BANK
                            : to == PCLATH ? SELECTS_BLOCK
                            : to == WREG   ? HOLDS_W
                                           : 0);
    }
    if (oak_same(row->operands, "access, w, a") || oak_same(row->operands, "reg, w, b") ||
        *row->operands == 'k' || decoded->row == PIC18_DAW)
        oak_select_any(now, HOLDS_W);
    if (decoded->row == PIC18_MOVLW) oak_select(now, HOLDS_W, number << 12);
    if (decoded->row == PIC18_MOVLB) oak_select(now, SELECTS_BANK, number);
    if (file && !(decoded->row & 1) && cell == PCL && *row->uses != 'w')
        oak_select(now, SELECTS_BLOCK, (decoded->address + 2) >> 4 & SELECTS_BLOCK);
    if (!file || !writes_cell(row) || !mask) return;
    if (decoded->row == PIC18_CLRF_A) oak_select(now, mask, 0);
    else if (decoded->row == PIC18_MOVWF_A && mask != HOLDS_W)
        select_w(now, mask, mask == SELECTS_BANK ? 12 : 8);
    else oak_select_any(now, mask);
}

static bool whole(const oak_selected *now, unsigned space, uint32_t *address)
{
    uint32_t known = (now->zero ^ now->one) & ~now->entry;
    if (space != PIC18_DATA) return true;
    if ((known & SELECTS_BANK) != SELECTS_BANK) return false;
    *address = (*address & 0xFF) | (now->one & SELECTS_BANK) << 8;
    return true;
}

static bool anywhere(unsigned space, uint32_t address)
{
    return space == PIC18_DATA && (address < PIC18_ACCESS || address >= PIC18_REGISTERS_AT);
}

/* What is added to PCL stays in the 256 bytes that it stands in: reading it takes PCLATH along. */
static oak_status computed(const oak_decoded *decoded, const oak_selected *now, uint32_t *at)
{
    (void)now;
    *at = (decoded->address + 2) & ~0xFFu;
    return decoded->row == PIC18_ADDWF_F_A ? OAK_OK : OAK_UNSUPPORTED;
}

static int selected_operand(const oak_isa_tables *tables, unsigned row, oak_selected_operand *what)
{
    unsigned class = kit_tables_of(tables)->row[row].class_of[0];
    what->space = PIC18_DATA;
    what->part = class == REGISTER;
    what->writes = row < PIC18_FILE_ROWS ? writes_cell(&pic18_rows[row]) : row == PIC18_MOVFF;
    if (row == PIC18_MOVFF) return 1;
    return row < PIC18_FILE_ROWS ? 0 : -1;
}

static uint32_t home(unsigned space, uint32_t address)
{
    bool points = space == PIC18_DATA && pic18_points(address);
    return points ? INDF0 : address;
}

static const oak_select_step steps[] = {{PIC18_DATA, SELECTS_BANK, 0xF00, "movlb 0", false, 8}};
static const oak_selector selector = {.at_reset = SELECTS_BANK | SELECTS_BLOCK,
                                      .steps = steps,
                                      .step_count = sizeof steps / sizeof *steps,
                                      .follow = follow,
                                      .whole = whole,
                                      .anywhere = anywhere,
                                      .computed = computed,
                                      .block = 0x100,
                                      .operand = selected_operand,
                                      .pointed = INDF0,
                                      .home = home};

/* ------------------------------------------------------------------------------------------ the whole */

static bool own_register(unsigned space, uint32_t address)
{
    return space == PIC18_DATA && (address == RCON || address >= TOSL || address == INTCON);
}

/* clang-format off */
static const oak_space_info spaces[PIC18_SPACES] = {
    [PIC18_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0, false, 0},
    [PIC18_CODE] = {"code", "program memory", false, false, 0, PIC18_CODE_END, 0, false, 0},
    [PIC18_DATA] = {"data", "data memory", false, true, 0, PIC18_CELLS, 0, true, 0x100},
    [PIC18_EEPROM] = {"eeprom", "EEPROM", false, false, 0, 0x100, 0, false, 0},
};
static const oak_register_info registers[PIC18_REGISTERS] = {
#define REGISTER(id, name, bits, title, derived, points) [PIC18_REG_##id] = {name, bits, title, derived, points},
#include "isa/pic18/pic18_registers.def"
};
static const oak_register_cells register_cells[] = {
    {PIC18_REG_PC, PIC18_DATA, 1, 0, 0, PCL}, {PIC18_REG_W, PIC18_DATA, 1, 0, 0, WREG}, {PIC18_REG_STATUS, PIC18_DATA, 1, 0, 0, STATUS}, {PIC18_REG_BSR, PIC18_DATA, 1, 0, 0, BSR},
    {PIC18_REG_SP, PIC18_DATA, 1, 0, 0, STKPTR}, {PIC18_REG_FSR0, PIC18_DATA, 2, 0, 0, FSR0L}, {PIC18_REG_FSR1, PIC18_DATA, 2, 0, 0, FSR1L}, {PIC18_REG_FSR2, PIC18_DATA, 2, 0, 0, FSR2L},
    {PIC18_REG_PRODH, PIC18_DATA, 1, 0, 0, PRODH}, {PIC18_REG_PRODL, PIC18_DATA, 1, 0, 0, PRODL}, {PIC18_REG_TBLPTR, PIC18_DATA, 3, 0, 0, TBLPTRL}, {PIC18_REG_TABLAT, PIC18_DATA, 1, 0, 0, TABLAT},
    {PIC18_REG_PCLATH, PIC18_DATA, 1, 0, 0, PCLATH}, {PIC18_REG_PCLATU, PIC18_DATA, 1, 0, 0, PCLATU}};
static const oak_flag_info flags[] = {
    {"n", PIC18_REG_STATUS, 4, 1, "negative", false, 0}, {"ov", PIC18_REG_STATUS, 3, 1, "overflow", false, 0}, {"z", PIC18_REG_STATUS, 2, 1, "zero", false, 0},
    {"dc", PIC18_REG_STATUS, 1, 1, "digit carry", false, 0}, {"c", PIC18_REG_STATUS, 0, 1, "carry", false, 0}};
static const uint16_t vectors[PIC18_LINES] = {8, 24, 8, 24, 8, 24, 8, 24, 8, 24, 8, 24, 8, 24, 8, 24, 8, 24, 8, 24, 8, 24, 8, 24, 8, 24, 8, 24, 8, 24, 8, 24};
static const oak_copier copiers[] = {
    {PIC18_DATA, {"movlw low(copied_from)", "movwf TBLPTRL", "movlw high(copied_from)", "movwf TBLPTRH", "clrf TBLPTRU", "lfsr 0, copied_to", "movlw copied_bytes", "tblrd *+", "movff TABLAT, POSTINC0", "addlw 0xff", "bnz $-8"}}, {0}};
static const kit_language language = {
    .isa = &oak_isa_pic18, .classes = classes, .remedies = remedies, .letters = letters, .counts = counts, .opposites = opposites, .farther = farther, .jump = "goto"};

static oak_status open_tables(const oak_host *host, oak_isa_tables **tables)
{
    return kit_open_tables(&language, host, tables);
}

const oak_isa oak_isa_pic18 = {
    .about = {.name = "pic18", .title = "8-bit, 16-bit instructions, access bank", .cycle_unit = "instruction cycle", .word_bytes = 1, .code_align = 2,
              .vector_list = vectors, .own_lines = PIC18_LINES, .spaces = spaces, .space_count = PIC18_SPACES, .code_space = PIC18_CODE,
              .registers = registers, .register_count = PIC18_REGISTERS, .pc_register = PIC18_REG_PC, .fields_by_name = true,
              .cells = register_cells, .cells_count = sizeof register_cells / sizeof *register_cells,
              .stack = {.pointer = PIC18_REG_SP, .return_bytes = 3, .first_level = PIC18_REG_STK1, .levels = PIC18_LEVELS},
              .flags = flags, .flag_count = sizeof flags / sizeof *flags},
    .pattern_unit = 2, .rows = pic18_rows, .row_count = PIC18_ROWS, .open = open_tables, .close = kit_close_tables, .mnemonic = kit_mnemonic,
    .mnemonic_name = kit_mnemonic_name, .names_row = kit_names_row, .is_register = kit_is_register, .read_operands = read_operands,
    .forms = forms, .flow_of = kit_decoded_flow, .target_of = kit_target_of, .skips = 2, .copiers = copiers, .selector = &selector, .size = kit_row_size, .encode = encode, .decode = decode,
    .print = kit_print, .doubt = doubt, .counter_of = counter_of, .effect = effect, .vector_mnemonic = "goto", .call_mnemonic = "call", .plain_return = "return",
    .trade = trade, .messages = messages, .own_register = own_register, .core = &pic18_core_ops};
/* clang-format on */
