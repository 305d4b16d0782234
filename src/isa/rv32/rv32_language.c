/* rv32_language.c — RV32IMC for the assembler: its classes of operands, registers, and what it says in words of its own. All else is the kit's. */
#include "isa/rv32/rv32.h"

#define KIT_ROWS_OF   rv32_rows
#define KIT_CYCLES_OF rv32_cycles
#include "isa/kit/rows.h"

/* clang-format off */
#define FROM_3  "gp", "tp", "t0", "t1", "t2"
#define FROM_8  "s0", "s1", "a0", "a1", "a2", "a3", "a4", "a5"
#define FROM_16 "a6", "a7", "s2", "s3", "s4", "s5", "s6", "s7", "s8", "s9", "s10", "s11", "t3", "t4", "t5", "t6"
#define X_3     "x3", "x4", "x5", "x6", "x7"
#define X_8     "x8", "x9", "x10", "x11", "x12", "x13", "x14", "x15"
#define X_16    "x16", "x17", "x18", "x19", "x20", "x21", "x22", "x23", "x24", "x25", "x26", "x27", "x28", "x29", "x30", "x31"
#define EIGHT_ON(n) n, n + 1, n + 2, n + 3, n + 4, n + 5, n + 6, n + 7
#define ALL_32  EIGHT_ON(0), EIGHT_ON(8), EIGHT_ON(16), EIGHT_ON(24)
static const char *const all[] = {"zero", "ra", "sp", FROM_3, FROM_8, FROM_16, "x0", "x1", "x2", X_3, X_8, X_16, "fp", NULL},
                  *const some[] = {"", "ra", "sp", FROM_3, FROM_8, FROM_16, "", "x1", "x2", X_3, X_8, X_16, "fp", NULL},
                  *const far_from_sp[] = {"", "ra", "", FROM_3, FROM_8, FROM_16, "", "x1", "", X_3, X_8, X_16, "fp", NULL},
                  *const eight[] = {FROM_8, X_8, "fp", NULL}, *const stack[] = {"sp", "x2", NULL};
static const uint16_t all_codes[] = {ALL_32, ALL_32, 8}, eight_codes[] = {EIGHT_ON(0), EIGHT_ON(0), 0}, stack_codes[] = {0, 0};
static const char *const csrs[] = {"mstatus", "misa", "mie", "mtvec", "mscratch", "mepc", "mcause", "mtval", "mip", "mcycle", "minstret", "mcycleh", "minstreth",
                                   "cycle", "time", "instret", "cycleh", "timeh", "instreth", "mvendorid", "marchid", "mimpid", "mhartid", NULL},
                  *const sets[] = {"0", "w", "r", "rw", "o", "ow", "or", "orw", "i", "iw", "ir", "irw", "io", "iow", "ior", "iorw", NULL};
static const uint16_t csr_codes[] = {0x300, 0x301, 0x304, 0x305, 0x340, 0x341, 0x342, 0x343, 0x344, 0xB00, 0xB02, 0xB80, 0xB82, 0xC00, 0xC01, 0xC02, 0xC80, 0xC81, 0xC82, 0xF11, 0xF12, 0xF13, 0xF14};
#define REG(name, names, letter, codes)                    {name, "<>", names, letter, 0, KIT_NO_VALUE, 0, KIT_TOUCH_REGISTER, 0, false, false, 0, NULL, NULL, codes}
#define NUM(name, letter, kind, shift, order)              {name, "{}", NULL, 0, letter, kind, 0, 0, 0, false, false, shift, NULL, order, NULL}
#define NEAR(name, names, reg, kind, any, shift, order, codes)  {name, "{}(<>)", names, reg, 'i', kind, RV32_MEM, KIT_TOUCH_POINTED, 4, any, false, shift, NULL, order, codes}
static const kit_class classes[] = {
    REG("rd", all, 'd', all_codes), REG("rs1", all, 's', all_codes), REG("rs2", all, 't', all_codes), REG("rde", all, 'e', all_codes), REG("rdf", all, 'f', all_codes),
    REG("rdz", some, 'd', all_codes), REG("rs1z", some, 's', all_codes), REG("rs2z", some, 't', all_codes), REG("rdnsp", far_from_sp, 'd', all_codes),
    REG("same", all, 'd', all_codes), REG("rd'", eight, 'd', eight_codes), REG("rs1'", eight, 's', eight_codes), REG("rs2'", eight, 't', eight_codes),
    REG("same'", eight, 'd', eight_codes), REG("csr", csrs, 'c', csr_codes),
    {"pred", "<>", sets, 'p', 0, KIT_NO_VALUE, 0, 0, 0, false, false, 0, NULL, NULL, NULL}, {"succ", "<>", sets, 'q', 0, KIT_NO_VALUE, 0, 0, 0, false, false, 0, NULL, NULL, NULL},
    NUM("csr-number", 'c', KIT_UNSIGNED, 0, NULL),
    NUM("imm", 'i', KIT_SIGNED, 0, NULL), NUM("imm6", 'i', KIT_SIGNED, 0, NULL), NUM("imm5", 'i', KIT_UNSIGNED, 0, NULL), NUM("shift", 'i', KIT_UNSIGNED, 0, NULL),
    NUM("upper", 'i', KIT_BITS, 0, NULL), NUM("upper6", 'i', KIT_SIGNED, 0, NULL), NUM("high20", 'i', KIT_BITS, 12, NULL), NUM("high6", 'i', KIT_SIGNED, 12, NULL), NUM("imm16", 'i', KIT_SIGNED, 4, "502431"), NUM("imm4", 'i', KIT_UNSIGNED, 2, "32765401"),
    NUM("number", 'i', KIT_PARTS, 0, NULL), NUM("place", 'i', KIT_TWO_PARTS, 0, NULL), NUM("branch", 'i', KIT_RELATIVE, 1, "b9876543210a"),
    NUM("target", 'i', KIT_RELATIVE, 1, "j9876543210aihgfedcb"), NUM("c.branch", 'i', KIT_RELATIVE, 1, "73265104"), NUM("c.target", 'i', KIT_RELATIVE, 1, "a3879562104"),
    NEAR("offset(rs1)", all, 's', KIT_SIGNED, true, 0, NULL, all_codes), NEAR("offset(rs1')", eight, 's', KIT_UNSIGNED, false, 2, "32104", eight_codes),
    NEAR("offset(sp)", stack, 'y', KIT_UNSIGNED, false, 2, "321054", stack_codes),
    {0}};
enum { CSR = 14, SETS }; /* among them */
static const kit_class *const frees[] = {&classes[CSR], &classes[SETS], &classes[SETS + 1], NULL};
static const kit_letter letters[] = {{"{}(<>)", 'x'}, {"x*", 'r'}, {"ra", 'r'}, {"gp", 'r'}, {"fp", 'r'}, {"zero", 'r'}, {"m*", 'c'}, {"a*", 'r'}, {"s*", 'r'}, {"t*", 'r'}, {"{}", '='}, {0}};
static const kit_pair opposites[] = {{"beq", "bne"}, {"blt", "bge"}, {"bltu", "bgeu"}, {"beqz", "bnez"}, {"bltz", "bgez"}, {"bgtz", "blez"}, {0}};
/* clang-format on */

#define KIT_WORDS "isa/rv32/rv32_words.def"
#include "isa/kit/words.h"

/* Short codes whose number must not be 0. */
static bool reserved(unsigned row, uint32_t number)
{
    return !number && (row == RV32_C_ADDI16SP || row == RV32_C_LUI || row == RV32_C_ADDI4SPN);
}

static oak_status check(const kit_class *class, const oak_value *value, unsigned operand, oak_refusal *why)
{
    (void)operand;
    bool short_code = oak_same(class->name, "upper6") || oak_same(class->name, "high6") ||
                      oak_same(class->name, "imm16") || oak_same(class->name, "imm4");
    if (!short_code || value->number) return OAK_OK;
    why->code = "value-range";
    return OAK_REFUSED;
}

/* What is near a register is so far from it. */
static bool print(const kit_class *class, uint32_t value, const oak_namer *namer, oak_buf *out)
{
    (void)namer;
    if (class->touch == KIT_TOUCH_POINTED) oak_buf_format(out, "%d", (int)(int32_t)value);
    return class->touch == KIT_TOUCH_POINTED;
}

static oak_status decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available,
                         uint32_t address, uint32_t state, oak_decoded *decoded)
{
    oak_status status = kit_decode(tables, bytes, available, address, state, decoded);
    if (!status && reserved(decoded->row, kit_field_of(tables, decoded, 'i'))) status = OAK_REFUSED;
    if (status) decoded->size = available && (bytes[0] & 3) == 3 ? 4 : 2;
    return status;
}

/* lui or auipc, and what adds to its register. */
static bool together(const oak_isa_tables *tables, const oak_decoded *before, const oak_decoded *decoded,
                     uint32_t *address)
{
    int64_t upper = 0, number = 0;
    unsigned row = decoded->row, reg = kit_field_of(tables, decoded, row == RV32_C_ADDI ? 'd' : 's');
    bool adds = row == RV32_ADDI || row == RV32_C_ADDI || row == RV32_JALR || row == RV32_JR_NEAR ||
                row == RV32_C_LW || row == RV32_C_SW || (row >= RV32_LB && row <= RV32_SW);
    bool from_pc = before->row == RV32_AUIPC;
    if (row == RV32_C_LW || row == RV32_C_SW) reg += 8;
    if (!adds || (!from_pc && before->row != RV32_LUI && before->row != RV32_C_LUI) || !reg ||
        kit_field_of(tables, before, 'd') != reg)
        return false;
    if (!kit_number_among(tables, before, &upper) || !kit_number_among(tables, decoded, &number))
        return false;
    *address = (uint32_t)upper * 4096 + (uint32_t)number + (from_pc ? before->address : 0);
    return true;
}

/* Room on the stack, and what is put there. */
static void stack_use(const oak_isa_tables *tables, const oak_decoded *decoded, oak_stack_use *use)
{
    unsigned row = decoded->row, d = kit_field_of(tables, decoded, 'd'),
             s = kit_field_of(tables, decoded, 's'), t = kit_field_of(tables, decoded, 't');
    int64_t number = 0;
    *use = (oak_stack_use){0};
    if (!kit_number_among(tables, decoded, &number)) return;
    use->sets = d == 2 && (row == RV32_LUI || row == RV32_AUIPC); /* of li and la the first half */
    use->partly = row == RV32_AUIPC; /* what follows lui may as well be the first room that is made */
    use->first = (uint32_t)number * 4096 + (row == RV32_AUIPC ? decoded->address : 0) - 4;
    if (row == RV32_C_ADDI16SP || (row == RV32_C_ADDI && d == 2) || (row == RV32_ADDI && d == 2 && s == 2))
        use->words = (int)-number / 4;
    use->stores = (row == RV32_C_SWSP || (row == RV32_SW && s == 2)) && number >= 0 && t;
    use->at = (unsigned)number / 4;
    use->from[0].number = t - 1 + RV32_REG_X1;
}
static const oak_exception_frame frame = {.returns_from = UINT32_MAX,
                                          .link_register = RV32_REG_X1,
                                          .elsewhere = true,
                                          .came_from = "mepc"};

/* ------------------------------------------------------------------------------------------ the whole */

/* clang-format off */
static const oak_space_info spaces[RV32_SPACES] = {
    [RV32_NUMBER] = {"number", "a plain number", false, false, 0, 0, 0, false, 0},
    [RV32_MEM] = {"mem", "memory", false, false, 0, 0x100000000, 0, false, 0}};
static const oak_register_info registers[RV32_REGISTERS] = {
#define ONE(id, name, lies, title, points) [RV32_REG_##id] = {name, 32, title, false, points},
    RV32_REGISTER_LIST};
#undef ONE
static const oak_flag_info flags[] = {{"mie", RV32_REG_MSTATUS, 3, 1, "interrupts", false, 0}, {"mpie", RV32_REG_MSTATUS, 7, 1, "before the trap", false, 0}, {"mpp", RV32_REG_MSTATUS, 11, 2, "came from mode", false, 0}};
static const char *const called[RV32_REGISTERS] = {[RV32_REG_X1] = "ra", "sp", FROM_3, FROM_8, FROM_16};
/* Every code of four bytes, whatever `compress` says: with registers that no short one has. */
static const oak_copier copiers[] = {
    {RV32_MEM, {"la t0, copied_from", "la t1, copied_to", "la t2, copied_to + copied_bytes", "li t3, -1", "lbu t4, 0(t0)", "sb t4, 0(t1)", "sub t0, t0, t3", "sub t1, t1, t3",
                "bne t1, t2, $-16"}}, {0}};
static const kit_counting counts[] = {
    {RV32_LI, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL}, {RV32_C_LI, OAK_EFFECT_LOADS, 0, KIT_ITS_OPERAND, NULL, NULL}, {0}};
static const kit_language language = {
    .isa = &oak_isa_rv32, .counts = counts, .classes = classes, .remedies = remedies, .letters = letters, .opposites = opposites,
    .jump = "j", .reserves = true, .frees = frees, .check = check, .print = print, .longest = 4, .own_distance = true, .bare = true};

static oak_status open_tables(const oak_host *host, oak_isa_tables **tables)
{
    return kit_open_tables(&language, host, tables);
}

const oak_isa oak_isa_rv32 = {
    .about = {.name = "rv32", .title = "RISC-V RV32IMC, machine mode", .cycle_unit = "clock cycle", .elf_machine = 243, .word_bytes = 4, .code_align = 2, .memory_align = 4,
              .own_lines = RV32_LINES, .part_bits = 12, .spaces = spaces, .space_count = RV32_SPACES, .code_space = RV32_MEM, .registers = registers, .register_count = RV32_REGISTERS,
              .called = called, .flags = flags, .flag_count = 3, .pc_register = RV32_REG_PC, .stack = {.pointer = RV32_REG_X2, .space = RV32_MEM, .cell = 4, .return_bytes = 4}},
    .rows = rv32_rows, .row_count = RV32_ROWS, .open = open_tables, KIT_ISA_SHARED, .decode = decode, .flow_of = kit_flow_of, .pattern_unit = 4, .full_size = 4, .comes_back = kit_comes_back,
    .together = together, .stack_use = stack_use, .frame = &frame, .copiers = copiers, .vector_mnemonic = "j", .call_mnemonic = "call", .trade = trade, .messages = messages, .core = &rv32_core_ops};
/* clang-format on */
