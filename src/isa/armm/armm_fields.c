/* armm_fields.c — operands to bits: modified immediates, ranges, offsets, and saying why something does not fit. */
#include "base/bytes.h"
#include "isa/armm/armm.h"

/* ------------------------------------------------------------------------------------------ modified immediates */

bool armm_expand(uint32_t field, uint32_t *value, int *carry)
{
    uint32_t byte = field & 0xFF;
    *carry = -1;
    if (field >> 10 == 0) {
        unsigned pattern = field >> 8 & 3;
        *value = pattern == 0   ? byte
                 : pattern == 1 ? byte << 16 | byte
                 : pattern == 2 ? byte << 24 | byte << 8
                                : byte << 24 | byte << 16 | byte << 8 | byte;
        return pattern == 0 || byte;
    }
    uint32_t unrotated = 0x80 | (field & 0x7F), by = field >> 7 & 31;
    *value = unrotated >> by | unrotated << (32 - by);
    *carry = (int)(*value >> 31);
    return true;
}

bool armm_compress(uint32_t value, uint32_t *field)
{
    uint32_t byte = value & 0xFF, upper = value >> 8 & 0xFF;
    *field = byte;
    if (value == byte) return true;
    *field = 0x100 | byte;
    if (value == (byte << 16 | byte)) return true;
    *field = 0x200 | upper;
    if (value == (upper << 24 | upper << 8)) return true;
    *field = 0x300 | byte;
    if (value == byte * 0x01010101u) return true;
    for (uint32_t by = 8; by < 32; by++) {
        uint32_t unrotated = value << by | value >> (32 - by);
        *field = by << 7 | (unrotated & 0x7F);
        if (unrotated >= 0x80 && unrotated <= 0xFF) return true;
    }
    return false;
}

/* ------------------------------------------------------------------------------------------ what is unpredictable */

#define GET(letter) oak_pattern_get(pattern, letter, word)

static unsigned count_bits(uint32_t bits)
{
    unsigned count = 0;
    for (; bits; bits &= bits - 1) count++;
    return count;
}

static const char *unsound_registers(const armm_shape *shape, uint32_t word)
{
    const oak_pattern *pattern = &shape->pattern;
    for (unsigned i = 0; i < shape->count; i++) {
        const armm_class *class = &shape->class_of[i];
        bool memory =
            class->what >= ARMM_MEM_IMM && class->what <= ARMM_MEM_BASE && class->what != ARMM_MEM_SP;
        bool is_register = class->what == ARMM_REG || class->what == ARMM_REG_TWICE ||
                           class->what == ARMM_REG_PRODUCT || class->what == ARMM_BASE_MOVES ||
                           class->what == ARMM_BASE_MAY_MOVE || class->what == ARMM_LIST_ONE;
        if ((memory || is_register) && !(class->allowed >> GET(class->letter) & 1))
            return "this register cannot stand here";
        bool indexed = class->what == ARMM_MEM_REG || class->what == ARMM_MEM_REG_SHIFT ||
                       class->what == ARMM_MEM_REG_TWO;
        if (indexed && !(0x5FFFu >> GET('m') & 1)) return "sp and pc cannot be an index";
    }
    return NULL;
}

static const char *unsound_list(unsigned what, const oak_pattern *pattern, uint32_t word)
{
    uint32_t list = GET('r');
    switch (what) {
    case ARMM_LIST_LOW:
    case ARMM_LIST_LOW_BASE:
    case ARMM_LIST_LOW_LR:
    case ARMM_LIST_LOW_PC: return list ? NULL : "the list is empty";
    case ARMM_LIST:
    case ARMM_LIST_PC:
        if (count_bits(list) < 2)
            return "the 32-bit form needs two registers or more: use ldr or str for one";
        return what == ARMM_LIST_PC && (list >> 13) == 3 ? "lr and pc cannot both be loaded" : NULL;
    default: return NULL;
    }
}

static const char *unsound_row(const oak_isa_tables *tables, unsigned row, const oak_pattern *pattern,
                               uint32_t word)
{
    uint32_t value;
    int carry;
    switch (row) {
    case ARMM_LSL_IMM: return GET('i') ? NULL : "a shift by 0 is a mov";
    case ARMM_LSL_IMM_W:
    case ARMM_ROR_IMM_W: return GET('i') ? NULL : "a shift by 0 is a mov";
    case ARMM_ADD_HIGH: return GET('d') == 15 && GET('m') == 15 ? "pc cannot be added to pc" : NULL;
    case ARMM_CMP_HIGH: return GET('n') < 8 && GET('m') < 8 ? "one of the registers is r8 or above" : NULL;
    case ARMM_IT: {
        uint32_t mask = GET('k'), condition = GET('c');
        if (!mask || condition == 15) return "no such it block";
        return condition == 14 && count_bits(mask) != 1 ? "behind al no else can stand" : NULL;
    }
    case ARMM_CPSIE:
    case ARMM_CPSID:
        if (!GET('f')) return "no mask is named";
        return !tables->v7 && (GET('f') & 1) ? "FAULTMASK exists on armv7m only" : NULL;
    case ARMM_B_COND: return GET('c') >= 14 ? "no such condition" : NULL;
    case ARMM_B_COND_W: return GET('c') >= 14 ? "no such condition" : NULL;
    case ARMM_STM: {
        uint32_t below = GET('r') & ((1u << GET('n')) - 1);
        return (GET('r') >> GET('n') & 1) && below ? "the base can be stored only as the lowest register"
                                                   : NULL;
    }
    case ARMM_LDM: return GET('r') >> GET('n') & 1 ? "a base that is loaded does not move" : NULL;
    case ARMM_LDM_KEEP: return GET('r') >> GET('n') & 1 ? NULL : "the base moves unless it is in the list";
    case ARMM_STM_W:
    case ARMM_STMDB:
    case ARMM_LDM_W:
    case ARMM_LDMDB:
        return GET('w') && (GET('r') >> GET('n') & 1) ? "a base that moves cannot be in the list" : NULL;
    case ARMM_STREX:
    case ARMM_STREXB:
    case ARMM_STREXH:
        return GET('d') == GET('t') || GET('d') == GET('n') ? "rd must differ from the other registers"
                                                            : NULL;
    case ARMM_LDRD_IMM: return GET('t') == GET('u') ? "the two registers must differ" : NULL;
    case ARMM_LDRD_WORD: return GET('t') == GET('u') ? "the two registers must differ" : NULL;
    case ARMM_LDRD_PRE:
    case ARMM_LDRD_POST:
        if (GET('t') == GET('u')) return "the two registers must differ";
        /* fall through */
    case ARMM_STRD_PRE:
    case ARMM_STRD_POST:
        return GET('n') == GET('t') || GET('n') == GET('u') ? "a base that moves cannot be transferred"
                                                            : NULL;
    case ARMM_STRB_PRE:
    case ARMM_STRB_POST:
    case ARMM_STRH_PRE:
    case ARMM_STRH_POST:
    case ARMM_STR_PRE:
    case ARMM_STR_POST:
    case ARMM_LDRB_PRE:
    case ARMM_LDRB_POST:
    case ARMM_LDRH_PRE:
    case ARMM_LDRH_POST:
    case ARMM_LDR_PRE:
    case ARMM_LDR_POST:
    case ARMM_LDRSB_PRE:
    case ARMM_LDRSB_POST:
    case ARMM_LDRSH_PRE:
    case ARMM_LDRSH_POST: return GET('n') == GET('t') ? "a base that moves cannot be transferred" : NULL;
    case ARMM_MOV_W:
        if (GET('d') == 13 && GET('m') == 13) return "sp cannot be copied to itself";
        return GET('s') && (GET('d') == 13 || GET('m') == 13) ? "with sp the flags cannot be set" : NULL;
    case ARMM_ADD_W:
    case ARMM_SUB_W:
        if (GET('d') == 13 && GET('n') != 13) return "sp can only be the result of a sum with sp";
        return GET('d') == 13 && (GET('y') || GET('i') > 3) ? "for sp only lsl #0 to #3 is possible" : NULL;
    case ARMM_ADD_IMM_W:
    case ARMM_SUB_IMM_W:
        if (GET('d') == 13 && GET('n') != 13) return "sp can only be the result of a sum with sp";
        break;
    case ARMM_ADDW:
        return GET('d') == 13 && GET('n') != 13 ? "sp can only be the result of a sum with sp" : NULL;
    case ARMM_ADR_BEFORE: return GET('i') ? NULL : "this is a subtraction of 0";
    case ARMM_SUBW:
        if (GET('n') == 15) return GET('i') || GET('d') == 13 ? "use adr" : NULL;
        return GET('d') == 13 && GET('n') != 13 ? "sp can only be the result of a sum with sp" : NULL;
    case ARMM_SSAT:
    case ARMM_USAT: return GET('y') && !GET('i') ? "asr #0 does not exist" : NULL;
    case ARMM_SBFX:
    case ARMM_UBFX: return GET('i') + GET('w') > 31 ? "the field reaches beyond bit 31" : NULL;
    case ARMM_BFC:
    case ARMM_BFI: return GET('w') < GET('i') ? "the field has no bits" : NULL;
    case ARMM_REV_W:
    case ARMM_REV16_W:
    case ARMM_REVSH_W:
    case ARMM_RBIT:
    case ARMM_CLZ: return GET('q') != GET('m') ? "both copies of the register must be the same" : NULL;
    case ARMM_SMULL:
    case ARMM_UMULL:
    case ARMM_SMLAL:
    case ARMM_UMLAL: return GET('l') == GET('h') ? "the halves of the result must differ" : NULL;
    case ARMM_MSR:
    case ARMM_MRS: return armm_special_name(tables->v7, GET('z')) ? NULL : "no such special register";
    default: break;
    }
    if (tables->shape[row].count &&
        tables->shape[row].class_of[tables->shape[row].count - 1].what == ARMM_CONST)
        return armm_expand(GET('i'), &value, &carry) ? NULL : "no such constant";
    return NULL;
}

const char *armm_unsound(const oak_isa_tables *tables, unsigned row, uint32_t word)
{
    const armm_shape *shape = &tables->shape[row];
    const char *why = unsound_registers(shape, word);
    for (unsigned i = 0; i < shape->count && !why; i++)
        why = unsound_list(shape->class_of[i].what, &shape->pattern, word);
    return why ? why : unsound_row(tables, row, &shape->pattern, word);
}

/* ------------------------------------------------------------------------------------------ refusals */

#define SAY(why, ...)  oak_format((why)->message, sizeof(why)->message, __VA_ARGS__)
#define HINT(why, ...) oak_format((why)->hint, sizeof(why)->hint, __VA_ARGS__)

typedef struct encoder {
    const oak_isa_tables *tables;
    const armm_shape *shape;
    const oak_pattern *pattern;
    unsigned row;
    const oak_insn *insn;
    const oak_value *values;
    uint32_t address;
    uint32_t word;
    oak_refusal *why;
    int operand;  /* the one being encoded */
    uint32_t lsb; /* of a bit field */
} encoder;

static oak_status refuse(encoder *self, const char *code)
{
    self->why->code = code;
    self->why->operand = self->operand;
    return OAK_REFUSED;
}

static void put(encoder *self, char letter, uint32_t field)
{
    self->word |= (uint32_t)oak_pattern_put(self->pattern, letter, field);
}

static unsigned width_of(const encoder *self, char letter)
{
    unsigned width = 0;
    for (unsigned i = 0; i < self->pattern->piece_count; i++)
        if (self->pattern->piece[i].letter == letter) width += self->pattern->piece[i].width;
    return width;
}

/* "`name`, which is 300," or "300". */
static void show_number(const oak_value *value, char *text, size_t room)
{
    if (value->name) oak_format(text, room, "`%.40s`, which is %lld,", value->name, (long long)value->number);
    else if (value->number > 255)
        oak_format(text, room, "%lld (0x%llx)", (long long)value->number, (unsigned long long)value->number);
    else oak_format(text, room, "%lld", (long long)value->number);
}

static oak_status out_of_range(encoder *self, const oak_value *value, long long least, long long most,
                               unsigned step)
{
    char number[120];
    show_number(value, number, sizeof number);
    if (step > 1)
        SAY(self->why, "%s is no offset here: they go from %lld to %lld in steps of %u", number, least, most,
            step);
    else SAY(self->why, "%s does not fit: from %lld to %lld is possible", number, least, most);
    const char *name = self->tables->mnemonic[armm_base(self->insn->mnemonic)];
    if (step > 1 && (oak_same(name, "add") || oak_same(name, "sub")))
        HINT(self->why, "The stack pointer moves by whole words; load a larger step first: `ldr r3, =%lld`.",
             (long long)value->number);
    else if (step > 1)
        HINT(self->why,
             "Put the offset into a register: `ldr r0, [r1, r2]`, or add it to the address first.");
    else if (oak_same(name, "mov"))
        HINT(self->why, "Load it from a pool: `ldr %s, =%lld`.",
             armm_register_name(self->insn->operand[0].reg), (long long)value->number);
    else if (value->number < 0 && oak_same(name, "add"))
        HINT(self->why, "Write `sub` with #%lld.", -(long long)value->number);
    else if (value->number < 0 && oak_same(name, "sub"))
        HINT(self->why, "Write `add` with #%lld.", -(long long)value->number);
    else if (self->values[self->operand].number > most &&
             self->insn->operand[self->operand].kind == ARMM_K_IMM)
        HINT(self->why, "Load it into a register first: `ldr r3, =%lld`.", (long long)value->number);
    return refuse(self, "value-range");
}

static oak_status put_scaled(encoder *self, const oak_value *value, unsigned scale)
{
    long long most = (long long)scale * ((1ll << width_of(self, 'i')) - 1);
    if (value->number < 0 || value->number > most || value->number % scale)
        return out_of_range(self, value, 0, most, scale);
    put(self, 'i', (uint32_t)(value->number / scale));
    return OAK_OK;
}

static oak_status put_between(encoder *self, const oak_value *value, char letter, int least, int most,
                              int minus)
{
    if (value->number < least || value->number > most) return out_of_range(self, value, least, most, 1);
    put(self, letter, (uint32_t)(value->number - minus));
    return OAK_OK;
}

static oak_status put_register(encoder *self, const armm_class *class, unsigned number)
{
    if (class->allowed >> number & 1) {
        put(self, class->letter, number);
        return OAK_OK;
    }
    bool low = class->allowed == 0xFF;
    SAY(self->why, low ? "%s cannot stand here: this form takes r0 to r7" : "%s cannot stand here",
        armm_register_name(number));
    if (number == ARMM_PC) HINT(self->why, "Load it into a low register, then jump: `bx r0`.");
    else if (low && !self->tables->v7)
        HINT(self->why,
             "armv6m reaches r8 to r12 with mov, add and cmp of two registers: copy it to a low one first.");
    else if (low) HINT(self->why, "The 32-bit form takes higher registers: leave .n out, or add .w.");
    else HINT(self->why, "Copy it to another register first.");
    return refuse(self, "register");
}

/* ------------------------------------------------------------------------------------------ immediates */

static oak_status put_constant(encoder *self, const oak_value *value)
{
    uint32_t field;
    if (value->number >= INT32_MIN && value->number <= UINT32_MAX &&
        armm_compress((uint32_t)value->number, &field)) {
        put(self, 'i', field);
        return OAK_OK;
    }
    char number[120];
    show_number(value, number, sizeof number);
    SAY(self->why, "%s is no modified immediate", number);
    const char *name = self->tables->mnemonic[armm_base(self->insn->mnemonic)];
    if (value->number < 0 && (oak_same(name, "add") || oak_same(name, "sub") || oak_same(name, "cmp")))
        HINT(self->why, "Write `%s` with #%lld.",
             oak_same(name, "add")   ? "sub"
             : oak_same(name, "sub") ? "add"
                                     : "cmn",
             -(long long)value->number);
    else
        HINT(self->why,
             "It takes 8 bits in a row anywhere in the word, or a byte repeated. Load others first: "
             "`ldr r3, =%lld`.",
             (long long)value->number);
    return refuse(self, "value-range");
}

static oak_status put_imm16(encoder *self, const oak_value *value)
{
    if (value->number < 0 || value->number > 0xFFFF) return out_of_range(self, value, 0, 0xFFFF, 1);
    if (self->row == ARMM_UDF_W) {
        put(self, 'i', (uint32_t)value->number);
        return OAK_OK;
    }
    put(self, 'j', (uint32_t)value->number >> 12);
    put(self, 'i', (uint32_t)value->number & 0xFFF);
    return OAK_OK;
}

/* Kinds of shift as they are written: lsl 0, lsr 1, asr 2, ror 3, rrx 4. */
static oak_status put_shift(encoder *self, const armm_class *class, const oak_operand *operand,
                            const oak_value *value)
{
    unsigned kind = operand->reg;
    int64_t amount = value->number;
    if (class->what == ARMM_ROTATION_MAY) {
        if (kind != 3 || amount < 0 || amount > 24 || amount % 8) {
            SAY(self->why, "only ror #8, #16 or #24 can stand here");
            return refuse(self, "shift");
        }
        put(self, 'y', (uint32_t)amount / 8);
        return OAK_OK;
    }
    int64_t least = kind == 0 ? 0 : 1, most = kind == 1 || kind == 2 ? 32 : 31;
    if (class->what == ARMM_SAT_SHIFT_MAY) {
        if (kind != 0 && kind != 2) {
            SAY(self->why, "only lsl or asr can stand here");
            return refuse(self, "shift");
        }
        most = 31;
        kind = kind == 2;
    }
    if (kind == 4) {
        put(self, 'y', 3);
        return OAK_OK;
    }
    if (amount < least || amount > most) {
        SAY(self->why, "a shift by %lld is not possible: from %lld to %lld", (long long)amount,
            (long long)least, (long long)most);
        return refuse(self, "shift");
    }
    put(self, 'y', kind);
    put(self, 'i', (uint32_t)amount & 31);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ places */

static oak_status too_far(encoder *self, const oak_value *value, int64_t offset, int64_t least, int64_t most)
{
    char name[80] = "the target";
    if (value->name) oak_format(name, sizeof name, "`%.60s`", value->name);
    if (offset & 1) {
        SAY(self->why, "%s is at the odd address 0x%llx, where no instruction can be", name,
            (unsigned long long)value->number);
        return refuse(self, "odd-target");
    }
    SAY(self->why, "%s is %lld bytes away; this reaches from %lld to %lld", name, (long long)offset,
        (long long)least, (long long)most);
    bool conditional = self->row == ARMM_B_COND;
    if (self->row == ARMM_CBZ || self->row == ARMM_CBNZ)
        HINT(self->why, "Write `cmp` with #0 and `%s`, which reach further.",
             self->row == ARMM_CBZ ? "beq" : "bne");
    else if (conditional && !self->tables->v7)
        HINT(self->why, "Jump over a `b` with the opposite condition: b reaches 2 KiB, bl 16 MiB.");
    else if (self->row == ARMM_B && !self->tables->v7)
        HINT(self->why, "Load the address and jump: `ldr r3, =%.40s + 1` and `bx r3`.",
             value->name ? value->name : "target");
    else if (armm_width(self->insn->mnemonic) == ARMM_WIDTH_NARROW) HINT(self->why, "Leave the .n out.");
    return refuse(self, "too-far");
}

/* How far a target is: addresses wrap round 4 GiB, values beyond them do not. */
static int64_t distance(const oak_value *value, uint32_t from)
{
    if (value->number < 0 || value->number > UINT32_MAX) return value->number - from;
    return (int32_t)((uint32_t)value->number - from);
}

static oak_status put_label(encoder *self, const armm_class *class, const oak_value *value)
{
    int64_t offset = distance(value, self->address + 4);
    int64_t half = class->scale == 6 ? 0 : (int64_t)1 << class->scale;
    int64_t least = -half, most = class->scale == 6 ? 126 : half - 2;
    if (offset < least || offset > most || (offset & 1)) return too_far(self, value, offset, least, most);
    uint32_t bits = (uint32_t)(offset >> 1), sign = offset < 0;
    if (class->scale == 20) {
        put(self, 'x', sign);
        put(self, 'g', (bits >> 17 & 1) << 1 | (bits >> 18 & 1));
        put(self, 'i', bits & 0x1FFFF);
    } else if (class->scale == 24) {
        uint32_t j1 = (bits >> 22 & 1) ^ 1 ^ sign, j2 = (bits >> 21 & 1) ^ 1 ^ sign;
        put(self, 'x', sign);
        put(self, 'g', j1 << 1 | j2);
        put(self, 'i', bits & 0x1FFFFF);
    } else {
        put(self, 'i', bits);
    }
    return OAK_OK;
}

static oak_status put_signed(encoder *self, int64_t offset, bool minus, unsigned scale,
                             const oak_value *value)
{
    long long most = (long long)scale * ((1ll << width_of(self, 'i')) - 1);
    int64_t size = offset < 0 ? -offset : offset;
    if (size > most || size % scale) return out_of_range(self, value, -most, most, scale);
    put(self, 'v', !(offset < 0 || (minus && !offset)));
    put(self, 'i', (uint32_t)(size / scale));
    return OAK_OK;
}

/* Data and places that are reached from the program counter, whose lowest two bits count as 0. */
static oak_status put_from_pc(encoder *self, const armm_class *class, const oak_operand *operand,
                              const oak_value *value)
{
    int64_t offset = distance(value, (self->address + 4) & ~(uint32_t)3);
    bool minus = false;
    if (operand->kind == ARMM_K_MEM) {
        offset = operand->expr ? value->number : 0;
        minus = operand->extra & ARMM_MEM_MINUS;
    }
    char name[80] = "this";
    if (value->name) oak_format(name, sizeof name, "`%.60s`", value->name);
    bool word8 = class->what == ARMM_WORD8 || class->what == ARMM_PLACE8;
    int64_t least = word8 || class->what == ARMM_PLACE_AFTER ? 0
                    : class->what == ARMM_WORD8X4            ? -1020
                                                             : -4095;
    int64_t most = word8 || class->what == ARMM_WORD8X4 ? 1020 : class->what == ARMM_PLACE_BEFORE ? -1 : 4095;
    if (offset < least || offset > most || offset % class->scale || (minus && word8)) {
        if (offset >= least && offset <= most) {
            SAY(self->why, "%s is not at a multiple of %u", name, class->scale);
            HINT(self->why, "Put `align 4` in front of it.");
        } else if (operand->kind == ARMM_K_LITERAL) {
            SAY(self->why, "the pool with this value is %lld bytes away; ldr reaches %lld", (long long)offset,
                (long long)most);
            HINT(self->why, "Put a `pool` nearer, behind a jump or return.");
        } else {
            SAY(self->why, "%s is %lld bytes away; this reaches from %lld to %lld", name, (long long)offset,
                (long long)least, (long long)most);
            HINT(self->why, "Load its address: `ldr r3, =%.40s`.", value->name ? value->name : "place");
        }
        return refuse(self, "too-far");
    }
    switch (class->what) {
    case ARMM_PLACE_BEFORE: put(self, 'i', (uint32_t)-offset); return OAK_OK;
    case ARMM_WORD12:
    case ARMM_WORD8X4: return put_signed(self, offset, minus, class->scale, value);
    default: put(self, 'i', (uint32_t)offset / class->scale); return OAK_OK;
    }
}

/* ------------------------------------------------------------------------------------------ memory, lists */

static oak_status put_memory(encoder *self, const armm_class *class, const oak_operand *operand,
                             const oak_value *value)
{
    uint32_t extra = operand->extra;
    oak_value offset = *value;
    if (!(extra & ARMM_MEM_HAS_OFFSET)) offset.number = 0, offset.name = NULL;
    if (class->what != ARMM_MEM_SP) {
        oak_status status = put_register(self, class, operand->reg);
        if (status) return status;
    }
    if (extra & ARMM_MEM_HAS_INDEX) {
        armm_class index = {.letter = 'm', .allowed = width_of(self, 'm') == 3 ? 0xFF : 0x5FFF};
        oak_status status = put_register(self, &index, extra & ARMM_MEM_INDEX);
        if (status || class->what != ARMM_MEM_REG_SHIFT) return status;
        if (!(extra & ARMM_MEM_SHIFT)) return OAK_OK;
        return put_between(self, value, 'i', 0, 3, 0);
    }
    switch (class->what) {
    case ARMM_MEM_NEG:
        if (offset.number > 0 || offset.number < -255 || (!offset.number && !(extra & ARMM_MEM_MINUS)))
            return out_of_range(self, &offset, -255, 4095, 1);
        put(self, 'i', (uint32_t)-offset.number);
        return OAK_OK;
    case ARMM_MEM_SIGNED:
    case ARMM_MEM_PRE_IMM:
    case ARMM_MEM_POST_IMM:
        return put_signed(self, offset.number, extra & ARMM_MEM_MINUS, class->scale, &offset);
    case ARMM_MEM_BASE: return OAK_OK;
    default:
        if (!offset.number && (extra & ARMM_MEM_MINUS)) return out_of_range(self, &offset, 0, 0, 1);
        return put_scaled(self, &offset, class->scale);
    }
}

static oak_status put_list(encoder *self, const armm_class *class, uint32_t list)
{
    uint32_t allowed = 0xFF, field = list;
    switch (class->what) {
    case ARMM_LIST_LOW_LR:
        allowed = 0x40FF;
        field = (list & 0xFF) | (list >> 14 & 1) << 8;
        break;
    case ARMM_LIST_LOW_PC:
        allowed = 0x80FF;
        field = (list & 0xFF) | (list >> 15 & 1) << 8;
        break;
    case ARMM_LIST:
    case ARMM_LIST_PC:
        allowed = class->what == ARMM_LIST ? 0x5FFF : 0xDFFF;
        field = (list & 0x1FFF) | (list >> 14 & 3) << 13;
        break;
    case ARMM_LIST_ONE: {
        unsigned number = 0;
        while (!(list >> number & 1)) number++;
        if (!(list & (list - 1))) return put_register(self, class, number);
        /* Several: the forms for that have refused them already; told is what none of them takes. */
        allowed = class->allowed;
        if (list & ~allowed) break;
        SAY(self->why, (list >> ARMM_LR & 3) == 3 ? "lr and pc cannot be loaded together"
                                                  : "this form takes one register");
        return refuse(self, "register-list");
    }
    default: break;
    }
    if (list & ~allowed) {
        unsigned number = 0;
        while (!((list & ~allowed) >> number & 1)) number++;
        SAY(self->why, "%s cannot be in this list", armm_register_name(number));
        if (!self->tables->v7) HINT(self->why, "armv6m stores r0 to r7, and lr with push, pc with pop.");
        return refuse(self, "register-list");
    }
    put(self, 'r', field);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ one operand */

static oak_status put_operand(encoder *self, const armm_class *class, int index)
{
    const oak_operand *operand = index >= 0 ? &self->insn->operand[index] : NULL;
    const oak_value *value = index >= 0 ? &self->values[index] : NULL;
    self->operand = index;
    if (!operand) return OAK_OK; /* optional, left out: all zeros */
    switch (class->what) {
    case ARMM_REG:
    case ARMM_REG_TWICE:
    case ARMM_REG_PRODUCT:
    case ARMM_BASE_MOVES:
        if (class->letter == 'm') put(self, 'q', operand->reg);
        return put_register(self, class, operand->reg);
    case ARMM_BASE_MAY_MOVE:
        put(self, 'w', operand->kind == ARMM_K_REG_MOVES);
        return put_register(self, class, operand->reg);
    case ARMM_ZERO: return value->number ? out_of_range(self, value, 0, 0, 1) : OAK_OK;
    case ARMM_IMM: return put_scaled(self, value, class->scale);
    case ARMM_IMM16: return put_imm16(self, value);
    case ARMM_SHIFT_31: return put_between(self, value, 'i', 1, 31, 0);
    case ARMM_SHIFT_32:
        if (value->number == 32) return OAK_OK;
        return put_between(self, value, 'i', 1, 32, 0);
    case ARMM_CONST: return put_constant(self, value);
    case ARMM_SAT: return put_between(self, value, 'w', 1, 32, 1);
    case ARMM_SAT0: return put_between(self, value, 'w', 0, 31, 0);
    case ARMM_LSB: self->lsb = (uint32_t)value->number; return put_between(self, value, 'i', 0, 31, 0);
    case ARMM_WIDTH: return put_between(self, value, 'w', 1, (int)(32 - self->lsb), 1);
    case ARMM_COUNT: return put_between(self, value, 'w', 1, (int)(32 - self->lsb), 1 - (int)self->lsb);
    case ARMM_SHIFT_MAY:
    case ARMM_SAT_SHIFT_MAY:
    case ARMM_ROTATION_MAY: return put_shift(self, class, operand, value);
    case ARMM_LABEL: return put_label(self, class, value);
    case ARMM_PLACE8:
    case ARMM_PLACE_AFTER:
    case ARMM_PLACE_BEFORE:
    case ARMM_WORD8:
    case ARMM_WORD12:
    case ARMM_WORD8X4: return put_from_pc(self, class, operand, value);
    case ARMM_CONDITION:
        put(self, 'c', operand->reg);
        put(self, 'k', armm_it_mask(operand->reg, armm_condition(self->insn->mnemonic)));
        return OAK_OK;
    case ARMM_IFLAGS: put(self, 'f', operand->reg); return OAK_OK;
    case ARMM_SPECIAL: put(self, 'z', operand->reg); return OAK_OK;
    case ARMM_REG_SP:
    case ARMM_SP_TWICE:
    case ARMM_SY_MAY: return OAK_OK;
    default:
        if (armm_is_list(class)) return put_list(self, class, operand->extra);
        return put_memory(self, class, operand, value);
    }
}

oak_status armm_encode(const oak_isa_tables *tables, unsigned row, const oak_insn *insn,
                       const oak_value *values, uint32_t address, uint8_t *bytes, oak_refusal *why)
{
    const armm_shape *shape = &tables->shape[row];
    encoder self = {.tables = tables,
                    .shape = shape,
                    .pattern = &shape->pattern,
                    .row = row,
                    .insn = insn,
                    .values = values,
                    .address = address,
                    .word = (uint32_t)shape->pattern.fixed,
                    .why = why};
    uint8_t kinds[OAK_MOST_OPERANDS] = {0};
    armm_match match;
    why->has_edit = false;
    why->hint[0] = 0;
    for (unsigned i = 0; i < insn->count; i++) kinds[i] = insn->operand[i].kind;
    if (!armm_matches(tables, row, insn->count, kinds, insn->operand, &match))
        return refuse(&self, "no-such-form");
    if (address & 1) {
        self.operand = -1;
        SAY(why, "this instruction is at the odd address 0x%x", (unsigned)address);
        HINT(why, "Put `align 2` in front of it.");
        return refuse(&self, "alignment");
    }
    put(&self, 's', armm_s(insn->mnemonic));
    if (row == ARMM_B_COND || row == ARMM_B_COND_W) put(&self, 'c', armm_condition(insn->mnemonic));
    for (unsigned i = 0; i < shape->count; i++) {
        oak_status status = put_operand(&self, &shape->class_of[i], match.of[i]);
        if (status) return status;
    }
    const char *unsound = armm_unsound(tables, row, self.word);
    if (unsound) {
        self.operand = insn->count ? (int)insn->count - 1 : -1;
        SAY(why, "%s", unsound);
        if (row == ARMM_CPSIE || row == ARMM_CPSID)
            HINT(why, "Write `%s i`.", row == ARMM_CPSIE ? "cpsie" : "cpsid");
        return refuse(&self, "unpredictable");
    }
    oak_lay_down(&oak_isa_armv7m, self.word, shape->pattern.size, bytes);
    return OAK_OK;
}
