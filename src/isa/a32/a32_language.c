/* a32_language.c — the rows of a32.def, what of them the manual leaves open, and the architecture. */
#include "isa/a32/a32.h"

/* ------------------------------------------------------------------------------------------ the rows */

#define NOTE_NONE   ""
#define NOTE_PC     "and two more when it writes pc"
#define NOTE_LIST   "and one more for each register, and two when it loads pc"
#define NOTE_DIVIDE "to 12, by the size of the quotient"
#define NOTE_SLEEP  "and the time asleep"

#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define INSN(id, mnemonic, operands, bits, cycles, more, set, uses, flags, meaning)                          \
    [A32_##id] = {#mnemonic, operands, bits, cycles, flags, meaning, NOTE_##more, 0, OAK_FLOW_NEXT, uses},
const oak_insn_row a32_rows[A32_ROWS] = {
#include "isa/a32/a32.def"
};
#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define INSN(id, mnemonic, operands, bits, cycles, more, set, uses, flags, meaning) [A32_##id] = cycles,
const uint8_t a32_cycles[A32_ROWS] = {
#include "isa/a32/a32.def"
};
#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#define INSN(id, mnemonic, operands, bits, cycles, more, set, uses, flags, meaning)                          \
    [A32_##id] = ARM_SET_##set,
static const uint8_t set_of[A32_ROWS] = {
#include "isa/a32/a32.def"
};
#define INSN(id, mnemonic, operands, bits, cycles, more, set, uses, flags, meaning)
#define ALIAS(alias, of) {#alias, #of},
#define ALSO(mnemonic, row)
static const arm_alias aliases[] = {
#include "isa/a32/a32.def"
    {0}};
#define INSN(id, mnemonic, operands, bits, cycles, more, set, uses, flags, meaning)
#define ALIAS(alias, of)
#define ALSO(mnemonic, row) {#mnemonic, A32_##row},
static const arm_also also[] = {
#include "isa/a32/a32.def"
    {0}};
_Static_assert((int)A32_ROWS <= (int)ARM_MOST_ROWS, "tables hold every row");

#define KIT_WORDS "isa/a32/a32_words.def"
#include "isa/kit/words.h"

/* ------------------------------------------------------------------------------------------ special registers */

/* Numbers: 16 for spsr, and a bit for each of the parts c, x, s, f. */
static const struct {
    const char *name;
    uint8_t parts;
} whole[] = {{"cpsr", 9}, {"spsr", 25}, {"apsr", 8}, {"apsr_nzcvq", 8}, {"apsr_g", 4}, {"apsr_nzcvqg", 12}};

static int special_number(const char *text, size_t length)
{
    unsigned parts = 0;
    for (size_t i = 0; i < sizeof whole / sizeof *whole; i++)
        if (oak_same_name(text, length, whole[i].name)) return whole[i].parts;
    bool saved = length > 5 && oak_same_name(text, 5, "spsr_");
    if (!saved && !(length > 5 && oak_same_name(text, 5, "cpsr_"))) return -1;
    for (size_t i = 5; i < length; i++) {
        unsigned bit = 0;
        while (bit < 4 && "cxsf"[bit] != oak_lower(text[i])) bit++;
        if (bit == 4 || parts >> bit & 1) return -1;
        parts |= 1u << bit;
    }
    return (int)(parts | (saved ? 16u : 0));
}

static const char *special_name(unsigned number)
{
#define PARTS(of)                                                                                            \
    of, of "_c", of "_x", of "_xc", of "_s", of "_sc", of "_sx", of "_sxc", of "_f", of "_fc", of "_fx",     \
        of "_fxc", of "_fs", of "_fsc", of "_fsx", of "_fsxc"
    static const char *const names[] = {PARTS("cpsr"), PARTS("spsr")}; /* no part: all of it, for mrs */
    return names[number & 31];
}

/* ------------------------------------------------------------------------------------------ constants */

static bool expand(uint32_t field, uint32_t *value, int *carry)
{
    uint32_t by = field >> 7 & 30, byte = field & 0xFF;
    *value = byte >> by | byte << (32 - by) % 32;
    *carry = by ? (int)(*value >> 31) : -1;
    return true;
}

/* With the smallest rotation, as the manual has it. */
static bool compress(uint32_t value, uint32_t *field)
{
    for (uint32_t by = 0; by < 32; by += 2) {
        uint32_t byte = value << by | value >> (32 - by) % 32;
        *field = by << 7 | byte;
        if (byte <= 0xFF) return true;
    }
    return false;
}

/* ------------------------------------------------------------------------------------------ what is unpredictable */

#define GET(letter) oak_pattern_get(pattern, letter, word)

static const char *unsound_list(const arm_shape *shape, unsigned row, uint32_t word)
{
    const oak_pattern *pattern = &shape->pattern;
    uint32_t list = GET('r'), n = GET('n');
    bool user = arm_last(shape)->what == ARM_LIST_USER, loads = word >> 20 & 1;
    if (row == A32_PUSH || row == A32_POP) {
        if (!(list & (list - 1))) return "the form for several registers needs two";
        return row == A32_POP && list >> ARM_SP & 1 ? "sp cannot be taken from the stack it points to" : NULL;
    }
    if (user && GET('w') && !(list >> ARM_PC)) return "the base cannot move with registers of user mode";
    if (!GET('w') || !(list >> n & 1)) return NULL;
    if (loads) return "a base that moves cannot be loaded";
    return list & ((1u << n) - 1) ? "a base that moves can be stored only as the lowest register" : NULL;
}

static const char *unsound(const oak_isa_tables *tables, unsigned row, uint32_t word)
{
    const arm_shape *shape = &tables->shape[row];
    const oak_pattern *pattern = &shape->pattern;
    const arm_class *last = arm_last(shape);
    unsigned what = last ? last->what : ARM_NOTHING;
    if (what == ARM_LIST_ALL || what == ARM_LIST_USER) return unsound_list(shape, row, word);
    uint32_t value, again;
    int carry;
    switch (row) {
    case A32_ADR:
    case A32_ADR_BACK:
        (void)expand(GET('i'), &value, &carry);
        if (!compress(value, &again) || again != GET('i') || value >> 31 || (!value && row == A32_ADR_BACK))
            return "no such distance";
        return NULL;
    case A32_LSL_I:
    case A32_ROR_I: return GET('i') ? NULL : "a shift by 0 is a mov";
    case A32_MSR:
    case A32_MSR_I: return GET('z') & 15 ? NULL : "no part of the register is named";
    case A32_CPSIE:
    case A32_CPSID:
    case A32_CPSIE_MODE:
    case A32_CPSID_MODE: return GET('f') ? NULL : "no mask is named";
    case A32_UMAAL: return GET('l') == GET('h') ? "the halves of the result must differ" : NULL;
    case A32_SBFX:
    case A32_UBFX: return GET('i') + GET('w') > 31 ? "the field reaches beyond bit 31" : NULL;
    case A32_BFC:
    case A32_BFI: return GET('w') < GET('i') ? "the field has no bits" : NULL;
    case A32_SWP:
    case A32_SWPB: return GET('n') == GET('t') || GET('n') == GET('m') ? "the base must differ" : NULL;
    case A32_STREX:
    case A32_STREXB:
    case A32_STREXH:
    case A32_STREXD: {
        bool second = row == A32_STREXD && GET('d') == GET('t') + 1;
        return GET('d') == GET('t') || GET('d') == GET('n') || second ? "rd must differ from the others"
                                                                      : NULL;
    }
    default: break;
    }
    if (oak_pattern_width(pattern, 'l') && oak_pattern_width(pattern, 'h') && GET('l') == GET('h'))
        return "the halves of the result must differ";
    bool two = shape->count > 2 && shape->class_of[1].what == ARM_REG_NEXT;
    bool moves = what == ARM_MEM_PRE_IMM || what == ARM_MEM_POST_IMM || what == ARM_MEM_PRE_INDEX ||
                 what == ARM_MEM_POST_INDEX;
    if ((moves || row == A32_LDRT_BASE || row == A32_LDRBT_BASE) &&
        (GET('n') == GET('t') || (two && GET('n') == GET('t') + 1)))
        return "a base that moves cannot be transferred";
    bool loads_two = two && row != A32_STRD_R && row != A32_STRD_R_PRE && row != A32_STRD_R_POST;
    if (loads_two && arm_is_index(last) && (GET('m') == GET('t') || GET('m') == GET('t') + 1))
        return "the index cannot be loaded";
    return NULL;
}

/* ------------------------------------------------------------------------------------------ where it leads */

static oak_flow flow_of(const oak_isa_tables *tables, unsigned row, uint32_t word)
{
    const arm_shape *shape = &tables->shape[row];
    const oak_pattern *pattern = &shape->pattern;
    uint32_t list = word >> 20 & 1 ? arm_list(shape, word) : 0; /* of what is loaded */
    switch (row) {
    case A32_B: return OAK_FLOW_JUMP;
    case A32_BL: return OAK_FLOW_CALL;
    case A32_BX: return GET('m') == ARM_LR ? OAK_FLOW_RETURN : OAK_FLOW_COMPUTED;
    case A32_RFE:
    case A32_RFEDB:
    case A32_RFEIB:
    case A32_RFEDA: return OAK_FLOW_RETURN;
    case A32_UDF: return OAK_FLOW_COMPUTED;
    default: break;
    }
    if (list >> ARM_PC) {
        bool stack = row == A32_POP || row == A32_POP_ONE || GET('n') == ARM_SP || list >> 16 ||
                     arm_last(shape)->what == ARM_LIST_USER;
        return stack ? OAK_FLOW_RETURN : OAK_FLOW_COMPUTED;
    }
    const arm_class *first = shape->count ? &shape->class_of[0] : NULL;
    if (!first || first->what != ARM_REG || !(first->allowed >> ARM_PC & 1)) return OAK_FLOW_NEXT;
    if (first->letter == 't') return GET('t') == ARM_PC && word >> 20 & 1 ? OAK_FLOW_COMPUTED : OAK_FLOW_NEXT;
    if (first->letter != 'd' || GET('d') != ARM_PC) return OAK_FLOW_NEXT;
    return GET('s') || (row == A32_MOV_R && GET('m') == ARM_LR) ? OAK_FLOW_RETURN : OAK_FLOW_COMPUTED;
}

/* ------------------------------------------------------------------------------------------ the architecture */

/* Those of the exceptions; every line of a device has that of irq, or of fiq. */
static const uint16_t vectors[A32_LINES] = {0x00, 0x04, 0x08, 0x0C, 0x10, 0x1C, 0x18, 0x18, 0x18, 0x18, 0x18,
                                            0x18, 0x18, 0x18, 0x18, 0x18, 0x18, 0x18, 0x18, 0x18, 0x18, 0x18,
                                            0x18, 0x18, 0x18, 0x18, 0x18, 0x18, 0x18, 0x18, 0x18, 0x18};

static const arm_dialect dialect = {.isa = &oak_isa_a32,
                                    .full = a32_rows,
                                    .set = set_of,
                                    .aliases = aliases,
                                    .also = also,
                                    .plain = true,
                                    .any = 0x7FFF,
                                    .special_name = special_name,
                                    .special_number = special_number,
                                    .expand = expand,
                                    .compress = compress,
                                    .constants = "8 bits in a row, from an even one on",
                                    .unsound = unsound,
                                    .flow = flow_of,
                                    .remedies = remedies};

static oak_status open_tables(const oak_host *host, oak_isa_tables **tables)
{
    return arm_open_tables(&dialect, host, tables);
}

static const oak_space_info spaces[ARM_SPACES] = {
    [ARM_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0, false, 0},
    [ARM_MEM] = {"mem", "memory", false, false, 0, (uint64_t)1 << 32, 0, false, 0}};
static const oak_register_info registers[A32_REGISTERS] = {
#define ONE(id, name, title, points, mode, number) [A32_REG_##id] = {name, 32, title, false, points},
    A32_REGISTER_LIST
#undef ONE
};
static const oak_flag_info flags[] = {{"n", A32_REG_CPSR, 31, 1, "negative", false, 0},
                                      {"z", A32_REG_CPSR, 30, 1, "zero", false, 0},
                                      {"c", A32_REG_CPSR, 29, 1, "carry", false, 0},
                                      {"v", A32_REG_CPSR, 28, 1, "overflow", false, 0},
                                      {"q", A32_REG_CPSR, 27, 1, "saturated", false, 0},
                                      {"ge", A32_REG_CPSR, 16, 4, "not below", false, 0},
                                      {"i", A32_REG_CPSR, 7, 1, "irq held back", false, 0},
                                      {"f", A32_REG_CPSR, 6, 1, "fiq held back", false, 0},
                                      {"mode", A32_REG_CPSR, 0, 5, "mode", false, 0}};
static const oak_exception_frame frame = {.returns_from = UINT32_MAX,
                                          .link_register = A32_REG_LR,
                                          .elsewhere = true,
                                          .came_from = "lr - 4"};
static const oak_copier copiers[] = {
    {ARM_MEM,
     {"ldr r0, =copied_from", "ldr r1, =copied_to", "ldr r2, =copied_bytes", "ldrb r3, [r0], #1",
      "strb r3, [r1], #1", "subs r2, r2, #1", "bne $-12"}},
    {0}};

const oak_isa oak_isa_a32 = {
    .about = {.name = "a32",
              .title = "Arm, the classic 32-bit instruction set",
              .cycle_unit = "clock cycle",
              .elf_machine = 40,
              .word_bytes = 4,
              .memory_align = 4,
              .code_align = 4,
              .vector_list = vectors,
              .own_lines = A32_LINES,
              .spaces = spaces,
              .space_count = ARM_SPACES,
              .code_space = ARM_MEM,
              .registers = registers,
              .register_count = A32_REGISTERS,
              .pc_register = A32_REG_PC,
              .stack = {.pointer = A32_REG_SP, .space = ARM_MEM, .cell = 4, .return_bytes = 4},
              .flags = flags,
              .flag_count = sizeof flags / sizeof *flags,
              .banked_from = A32_REG_R8_USR,
              .enters = true},
    .rows = a32_rows,
    .row_count = A32_ROWS,
    .open = open_tables,
    ARM_ISA_FUNCTIONS,
    .pattern_unit = 4,
    .frame = &frame,
    .copiers = copiers,
    .vector_mnemonic = "b",
    .trade = trade,
    .messages = messages,
    .core = &a32_core_ops};
