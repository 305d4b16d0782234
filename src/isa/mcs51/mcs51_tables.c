/* mcs51_tables.c — what is derived from mcs51.def: rows, mnemonics, the decoder's index; decoding and printing. */
#include "base/bytes.h"
#include "isa/mcs51/mcs51.h"

#define KIT_ROWS_OF   mcs51_rows
#define KIT_CYCLES_OF mcs51_cycles
#include "isa/kit/rows.h"

static const struct {
    const char *mnemonic, *of;
} choices[MCS51_CHOICES] = {
#define INSN(id, mnemonic, operands, bits, cycles, taken, flow, uses, flags, meaning)
#define CHOICE(mnemonic, of, meaning) {#mnemonic, of},
#include "isa/mcs51/mcs51.def"
};

static const struct {
    const char *name;
    uint8_t number;
} class_names[] = {
    {"a", MCS51_A},
    {"ab", MCS51_AB},
    {"c", MCS51_C},
    {"dptr", MCS51_DPTR},
    {"@dptr", MCS51_AT_DPTR},
    {"@a+dptr", MCS51_AT_A_DPTR},
    {"@a+pc", MCS51_AT_A_PC},
    {"rn", MCS51_RN},
    {"@ri", MCS51_AT_RI},
    {"#data", MCS51_IMMEDIATE},
    {"#data16", MCS51_DATA16},
    {"/bit", MCS51_NOT_BIT},
    {"direct", MCS51_DIRECT},
    {"source", MCS51_SOURCE},
    {"bit", MCS51_BIT_ADDRESS},
    {"rel", MCS51_REL},
    {"addr11", MCS51_ADDR11},
    {"addr16", MCS51_ADDR16},
};

static uint8_t class_number(const char *text, size_t length)
{
    for (size_t i = 0; i < sizeof class_names / sizeof *class_names; i++)
        if (oak_same_name(text, length, class_names[i].name)) return class_names[i].number;
    return MCS51_NO_OPERAND;
}

static uint8_t add_mnemonic(oak_isa_tables *tables, const char *name)
{
    for (uint8_t i = 0; i < tables->mnemonic_count; i++)
        if (oak_same(tables->mnemonic[i], name)) return i;
    uint8_t number = tables->mnemonic_count++;
    tables->mnemonic[number] = name;
    tables->first_row[number] = MCS51_NO_ROW;
    return number;
}

/* What a row does with its direct or bit operand. A bit is written back with the others of its byte. */
static uint8_t touch_of(uint8_t class, char use, bool exchanges)
{
    bool bit = class == MCS51_BIT_ADDRESS || class == MCS51_NOT_BIT;
    if (class != MCS51_DIRECT && !bit) return MCS51_TOUCH_NONE;
    if (exchanges) return MCS51_TOUCH_EXCHANGE;
    return use == 'r' ? MCS51_TOUCH_READ : use == 'b' || bit ? MCS51_TOUCH_MODIFY : MCS51_TOUCH_WRITE;
}

static void build_shape(mcs51_shape *shape, const oak_insn_row *row)
{
    oak_pattern_compile(row->bits, &shape->pattern);
    for (const char *p = row->operands; *p;) {
        const char *end = p;
        while (*end && *end != ',') end++;
        uint8_t class = class_number(p, (size_t)(end - p));
        uint8_t touch = touch_of(class, row->uses[shape->count], oak_same(row->mnemonic, "xch"));
        if (touch) shape->touch = touch;
        shape->class_of[shape->count++] = class;
        p = *end ? end + 2 : end;
    }
}

static void build_choices(oak_isa_tables *tables)
{
    for (unsigned c = 0; c < MCS51_CHOICES; c++) {
        uint8_t number = add_mnemonic(tables, choices[c].mnemonic);
        for (const char *p = choices[c].of; *p;) {
            const char *end = p;
            while (*end && *end != ' ') end++;
            int of = mcs51_mnemonic(tables, p, (size_t)(end - p));
            tables->choice[number][tables->choice_count[number]++] = tables->first_row[of];
            p = *end ? end + 1 : end;
        }
    }
}

static oak_status open_tables(const oak_host *host, oak_isa_tables **result)
{
    oak_isa_tables *tables = host->resize(host->context, NULL, 0, sizeof *tables);
    if (!tables) return OAK_NO_MEMORY;
    memset(tables, 0, sizeof *tables);
    memset(tables->row_of_code, MCS51_NO_ROW, sizeof tables->row_of_code);
    for (unsigned i = MCS51_ROWS; i-- > 0;) {
        mcs51_shape *shape = &tables->shape[i];
        build_shape(shape, &mcs51_rows[i]);
        shape->mnemonic = add_mnemonic(tables, mcs51_rows[i].mnemonic);
        shape->next = tables->first_row[shape->mnemonic];
        tables->first_row[shape->mnemonic] = (uint8_t)i;
        /* Every first byte the row has: its fixed bits with each value of the free ones. */
        unsigned below = 8u * (shape->pattern.size - 1u);
        unsigned fixed = (unsigned)(shape->pattern.fixed >> below),
                 free = ~(unsigned)(shape->pattern.mask >> below) & 0xFF, bits = free;
        for (;; bits = (bits - 1) & free) {
            tables->row_of_code[fixed | bits] = (uint8_t)i;
            if (!bits) break;
        }
    }
    build_choices(tables);
    *result = tables;
    return OAK_OK;
}

static void close_tables(const oak_host *host, oak_isa_tables *tables)
{
    if (tables) host->resize(host->context, tables, sizeof *tables, 0);
}

int mcs51_mnemonic(const oak_isa_tables *tables, const char *text, size_t length)
{
    if (!length) return -1;
    for (unsigned i = 0; i < tables->mnemonic_count; i++)
        if (oak_lower(*text) == *tables->mnemonic[i] && oak_same_name(text, length, tables->mnemonic[i]))
            return (int)i;
    return -1;
}

static const char *mnemonic_name(const oak_isa_tables *tables, unsigned number)
{
    return number < tables->mnemonic_count ? tables->mnemonic[number] : NULL;
}

static unsigned row_size(const oak_isa_tables *tables, unsigned row)
{
    return tables->shape[row].pattern.size;
}

/* ------------------------------------------------------------------------------------------ decoding */

oak_status mcs51_decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available,
                        uint32_t address, uint32_t state, oak_decoded *decoded)
{
    (void)state;
    *decoded = (oak_decoded){.address = address, .size = 1};
    if (!available) return OAK_OUT_OF_RANGE;
    decoded->word = bytes[0];
    unsigned row = tables->row_of_code[bytes[0]];
    if (row == MCS51_NO_ROW) return OAK_REFUSED;
    const oak_pattern *pattern = &tables->shape[row].pattern;
    if (pattern->size > available) return OAK_OUT_OF_RANGE;
    for (unsigned i = 1; i < pattern->size; i++) decoded->word = decoded->word << 8 | bytes[i];
    decoded->row = (uint16_t)row;
    decoded->size = pattern->size;
    decoded->cycles = mcs51_rows[row].cycles;
    decoded->flow = (oak_flow)mcs51_rows[row].flow;
    uint32_t next = address + pattern->size, offset;
    decoded->has_target = true;
    switch (tables->shape[row].count ? tables->shape[row].class_of[tables->shape[row].count - 1]
                                     : MCS51_NO_OPERAND) {
    case MCS51_REL:
        offset = oak_pattern_get(pattern, 'r', decoded->word);
        decoded->target = (next + offset - ((offset & 0x80) << 1)) & 0xFFFF;
        break;
    case MCS51_ADDR11:
        decoded->target = (next & 0xF800) | oak_pattern_get(pattern, 'p', decoded->word);
        break;
    case MCS51_ADDR16: decoded->target = oak_pattern_get(pattern, 'l', decoded->word); break;
    case MCS51_DATA16:
        decoded->may_point = true;
        decoded->data = oak_pattern_get(pattern, 'd', decoded->word);
        /* fall through */
    default: decoded->has_target = false; break;
    }
    return OAK_OK;
}

static const char *name_of(const oak_namer *namer, unsigned space, uint32_t address)
{
    return namer && namer->name ? namer->name(namer->context, space, address) : NULL;
}

static void print_address(const oak_namer *namer, unsigned space, uint32_t address, unsigned digits,
                          oak_buf *out)
{
    const char *name = name_of(namer, space, address);
    if (name) oak_buf_text(out, name);
    else oak_buf_format(out, "0x%0*x", (int)digits, (unsigned)address);
}

static void print_bit(const oak_namer *namer, uint8_t bit, oak_buf *out)
{
    const char *name = name_of(namer, MCS51_BIT, bit);
    if (name) {
        oak_buf_text(out, name);
        return;
    }
    uint8_t cell = mcs51_bit_cell(bit);
    print_address(namer, cell < 0x80 ? MCS51_IRAM : MCS51_SFR, cell, 2, out);
    oak_buf_format(out, ".%u", bit & 7u);
}

void mcs51_print(const oak_isa_tables *tables, const oak_decoded *decoded, const oak_namer *namer,
                 oak_buf *out)
{
    const mcs51_shape *shape = &tables->shape[decoded->row];
    const oak_pattern *pattern = &shape->pattern;
    uint32_t word = (uint32_t)decoded->word;
    oak_buf_text(out, mcs51_rows[decoded->row].mnemonic);
    for (unsigned i = 0; i < shape->count; i++) {
        oak_buf_text(out, i ? ", " : " ");
        uint32_t direct = 0;
        switch (shape->class_of[i]) {
        case MCS51_A: oak_buf_text(out, "a"); break;
        case MCS51_AB: oak_buf_text(out, "ab"); break;
        case MCS51_C: oak_buf_text(out, "c"); break;
        case MCS51_DPTR: oak_buf_text(out, "dptr"); break;
        case MCS51_AT_DPTR: oak_buf_text(out, "@dptr"); break;
        case MCS51_AT_A_DPTR: oak_buf_text(out, "@a+dptr"); break;
        case MCS51_AT_A_PC: oak_buf_text(out, "@a+pc"); break;
        case MCS51_RN: oak_buf_format(out, "r%u", (unsigned)oak_pattern_get(pattern, 'n', word)); break;
        case MCS51_AT_RI: oak_buf_format(out, "@r%u", (unsigned)oak_pattern_get(pattern, 'i', word)); break;
        case MCS51_IMMEDIATE:
            oak_buf_format(out, "#0x%02x", (unsigned)oak_pattern_get(pattern, 'd', word));
            break;
        case MCS51_DATA16:
            oak_buf_format(out, "#0x%04x", (unsigned)oak_pattern_get(pattern, 'd', word));
            break;
        case MCS51_NOT_BIT:
            oak_buf_char(out, '/');
            print_bit(namer, (uint8_t)oak_pattern_get(pattern, 'b', word), out);
            break;
        case MCS51_BIT_ADDRESS: print_bit(namer, (uint8_t)oak_pattern_get(pattern, 'b', word), out); break;
        case MCS51_SOURCE:
        case MCS51_DIRECT:
            direct = oak_pattern_get(pattern, shape->class_of[i] == MCS51_SOURCE ? 's' : 'a', word);
            print_address(namer, direct < 0x80 ? MCS51_IRAM : MCS51_SFR, direct, 2, out);
            break;
        default: print_address(namer, MCS51_CODE, decoded->target, 4, out); break;
        }
    }
}

/* Calls and returns are not counted: their address belongs to the caller. */
static void stack_use(const oak_isa_tables *tables, const oak_decoded *decoded, oak_stack_use *use)
{
    enum { STACK_POINTER = 0x81 };
    const oak_pattern *pattern = &tables->shape[decoded->row].pattern;
    *use = (oak_stack_use){0};
    if (decoded->row == MCS51_MOV_DIR_IMM && oak_pattern_get(pattern, 'a', decoded->word) == STACK_POINTER) {
        use->sets = true;
        use->first = oak_pattern_get(pattern, 'd', decoded->word) + 1;
    }
    if (decoded->row != MCS51_PUSH_DIR && decoded->row != MCS51_POP_DIR) return;
    uint32_t address = oak_pattern_get(pattern, 'a', decoded->word);
    use->words = decoded->row == MCS51_PUSH_DIR ? 1 : -1;
    use->named = 1;
    use->from[0].space = address < 0x80 ? MCS51_IRAM : MCS51_SFR;
    use->from[0].number = address;
}

static unsigned counter_of(const oak_isa_tables *tables, const oak_decoded *decoded, bool *loads_zero)
{
    const oak_pattern *pattern = &tables->shape[decoded->row].pattern;
    bool is_register = decoded->row == MCS51_DJNZ_RN || decoded->row == MCS51_MOV_RN_IMM;
    *loads_zero = decoded->row == MCS51_MOV_RN_IMM || decoded->row == MCS51_MOV_DIR_IMM;
    if (!is_register && decoded->row != MCS51_DJNZ_DIR && decoded->row != MCS51_MOV_DIR_IMM) return 0;
    if (*loads_zero && oak_pattern_get(pattern, 'd', decoded->word)) return 0;
    return is_register ? 1 + oak_pattern_get(pattern, 'n', decoded->word)
                       : 256 + oak_pattern_get(pattern, 'a', decoded->word);
}

/* ------------------------------------------------------------------------------------------ the whole */

static const oak_space_info spaces[MCS51_SPACES] = {
    [MCS51_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0},
    [MCS51_CODE] = {"code", "program memory", false, false, 0, 0x10000, 0},
    [MCS51_IRAM] = {"iram", "internal RAM", false, false, 0, 0x100, 0},
    [MCS51_XRAM] = {"xram", "external RAM", false, false, 0, 0x10000, 0},
    [MCS51_SFR] = {"sfr", "special function registers", false, true, 0x80, 0x100, 0},
    [MCS51_BIT] = {"bit", "single bits", true, false, 0, 0x100, 0},
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

static const oak_flag_info flags[] = {
    {"cy", MCS51_REG_PSW, 7, 1, "carry", false},       {"ac", MCS51_REG_PSW, 6, 1, "auxiliary carry", false},
    {"f0", MCS51_REG_PSW, 5, 1, "user flag 0", false}, {"rs", MCS51_REG_PSW, 3, 2, "register bank", false},
    {"ov", MCS51_REG_PSW, 2, 1, "overflow", false},    {"p", MCS51_REG_PSW, 0, 1, "parity of a", false},
};

static const char *const trade[OAK_TRADES] = {
    [OAK_TRADE_COMPARE] = "Nothing compares by itself: `cjne a, #5, target` jumps if they differ, and sets "
                          "the carry if a is less.",
    [OAK_TRADE_TEST] =
        "A bit: `jb bit, target`; a: `jz target`; some bits of a: `anl a, #mask`, then `jz target`.",
    [OAK_TRADE_SLEEP] = "Write `orl PCON, #1` to sleep until an interrupt, `sjmp $` to stay here.",
    [OAK_TRADE_LOAD] =
        "Write `mov a, #5` for a value, `mov a, 0x30` for a cell, `movx a, @dptr` for external RAM.",
    [OAK_TRADE_STORE] = "Write `mov 0x30, a`, or `movx @dptr, a` for external RAM.",
    [OAK_TRADE_XOR] = "Write `xrl`.",
    [OAK_TRADE_OR] = "Write `orl`.",
    [OAK_TRADE_AND] = "Write `anl`.",
    [OAK_TRADE_NOT] = "Write `cpl a`, or `cpl bit`.",
    [OAK_TRADE_NEGATE] = "Write `cpl a`, then `inc a`.",
    [OAK_TRADE_SUBTRACT] = "Write `clr c`, then `subb a, #5`.",
    [OAK_TRADE_ADD] = "Write `add a, #5`, or `addc` with the carry.",
    [OAK_TRADE_INCREMENT] = "Write `inc`.",
    [OAK_TRADE_DECREMENT] = "Write `dec`.",
    [OAK_TRADE_JUMP] =
        "Write `sjmp` (near), `ljmp` (anywhere), or `jmp`, which takes the shortest that reaches.",
    [OAK_TRADE_IF_EQUAL] = "Write `jz target` for a = 0; after `cjne a, #5, other` they are equal.",
    [OAK_TRADE_IF_DIFFERENT] = "Write `jnz target` for a != 0, or `cjne a, #5, target`.",
    [OAK_TRADE_IF_CARRY] = "Write `jc target`; `cjne` sets the carry when the first is less.",
    [OAK_TRADE_IF_NO_CARRY] = "Write `jnc target`.",
    [OAK_TRADE_IF_ORDERED] = "Write `cjne a, #5, next`, and at `next` `jc target` (less) or `jnc target`.",
    [OAK_TRADE_IF_SIGN] = "Write `jb acc.7, target` (negative) or `jnb acc.7, target`.",
    [OAK_TRADE_SOFTWARE_INTERRUPT] =
        "No instruction interrupts here: `lcall handler`, or set the flag of an interrupt.",
    [OAK_TRADE_REGISTER_VALUE] = "Memory at its address is written `@r0`; a value is known while assembling.",
    [OAK_TRADE_FLOAT] = "This core has no floating point: count in whole numbers of a smaller unit.",
    [OAK_TRADE_CALL] = "Write `call`, which takes the shortest of `acall` and `lcall`.",
    [OAK_TRADE_RETURN] = "Write `ret`.",
    [OAK_TRADE_RETURN_FROM_INTERRUPT] = "Write `reti`.",
    [OAK_TRADE_SHIFT_LEFT] = "Write `clr c`, then `rlc a`; `rl a` rotates.",
    [OAK_TRADE_SHIFT_RIGHT] = "Write `clr c`, then `rrc a`; `rr a` rotates.",
    [OAK_TRADE_SET_BIT] = "Write `setb bit`.",
    [OAK_TRADE_CLEAR_BIT] = "Write `clr bit`, or `clr a`.",
    [OAK_TRADE_TOGGLE_BIT] = "Write `cpl bit`.",
    [OAK_TRADE_IF_BIT] = "Write `jb bit, target` or `jnb bit, target`.",
    [OAK_TRADE_INTERRUPTS_ON] = "Write `setb EA`.",
    [OAK_TRADE_INTERRUPTS_OFF] = "Write `clr EA`.",
    [OAK_TRADE_EXCHANGE] = "Write `xch a, r0`, or `swap a` for the halves of a.",
    [OAK_TRADE_PUSH] = "Write `push acc`, `push PSW`.",
    [OAK_TRADE_POP] = "Write `pop acc`, `pop PSW`.",
    [OAK_TRADE_MULTIPLY] = "Write `mul ab`.",
    [OAK_TRADE_DIVIDE] = "Write `div ab`.",
    [OAK_TRADE_LOOP] = "Write `djnz r0, target`.",
    [OAK_TRADE_TABLE] = "Write `mov dptr, #table`, then `movc a, @a+dptr`.",
    [OAK_TRADE_REGISTER_ADDRESS] =
        "r0 to r7 of bank 0 are the cells 0 to 7: write the number, or `NAME equ iram:2`.",
    [OAK_TRADE_HIGH_REGISTER] =
        "The registers are r0 to r7; there are also a, b and the cells of RAM from 0x30.",
    [OAK_TRADE_REGISTER_BIT] = "The bits of b are B.0 to B.7.",
    [OAK_TRADE_OTHER_REGISTER] = "The registers are a, b, r0 to r7, dptr and sp.",
    [OAK_TRADE_PORT] = "Ports are cells: `mov a, p1`, `mov p1, a`.",
};

const oak_isa oak_isa_mcs51 = {
    .about = {.name = "mcs51",
              .title = "MCS-51, 8-bit",
              .cycle_unit = "machine cycle",
              .big_endian = true,
              .elf_machine = 165,
              .word_bytes = 1,
              .code_align = 1,
              .vector_first = 3,
              .vector_step = 8,
              .own_lines = 6,
              .spaces = spaces,
              .space_count = MCS51_SPACES,
              .code_space = MCS51_CODE,
              .registers = registers,
              .register_count = MCS51_REGISTERS,
              .pc_register = MCS51_REG_PC,
              .flags = flags,
              .flag_count = sizeof flags / sizeof *flags},
    .rows = mcs51_rows,
    .row_count = MCS51_ROWS,
    .open = open_tables,
    .close = close_tables,
    .mnemonic = mcs51_mnemonic,
    .mnemonic_name = mnemonic_name,
    .is_register = mcs51_is_register,
    .read_operands = mcs51_read_operands,
    .forms = mcs51_forms,
    .size = row_size,
    .encode = mcs51_encode,
    .doubt = mcs51_doubt,
    .bit_of = mcs51_bit_of,
    .decode = mcs51_decode,
    .print = mcs51_print,
    .counter_of = counter_of,
    .stack_use = stack_use,
    .vector_mnemonic = "ljmp",
    .plain_return = "ret",
    .trade = trade,
    .core = &mcs51_core_ops,
};
