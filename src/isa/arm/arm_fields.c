/* arm_fields.c — operands to bits: ranges, offsets, and saying why something does not fit. */
#include "base/bytes.h"
#include "isa/arm/arm.h"

/* ------------------------------------------------------------------------------------------ what is unpredictable */

#define GET(letter) oak_pattern_get(pattern, letter, word)

static unsigned count_bits(uint32_t bits)
{
    unsigned count = 0;
    for (; bits; bits &= bits - 1) count++;
    return count;
}

static const char *unsound_registers(const arm_dialect *dialect, const arm_shape *shape, uint32_t word)
{
    const oak_pattern *pattern = &shape->pattern;
    for (unsigned i = 0; i < shape->count; i++) {
        const arm_class *class = &shape->class_of[i];
        bool memory = arm_is_memory(class) && class->what != ARM_MEM_SP;
        bool is_register = class->what == ARM_REG || class->what == ARM_REG_TWICE ||
                           class->what == ARM_REG_PRODUCT || class->what == ARM_BASE_MOVES ||
                           class->what == ARM_BASE_MAY_MOVE || class->what == ARM_LIST_ONE;
        if ((memory || is_register) && !(class->allowed >> GET(class->letter) & 1))
            return "this register cannot stand here";
        bool indexed = class->what == ARM_MEM_REG || class->what == ARM_MEM_REG_SHIFT ||
                       class->what == ARM_MEM_REG_TWO || arm_is_index(class);
        if (indexed && !(dialect->any >> GET('m') & 1))
            return dialect->plain ? "pc cannot be an index" : "sp and pc cannot be an index";
        if (class->what == ARM_SHIFT_BY_REG && GET('e') == ARM_PC) return "pc cannot stand here";
        if (class->what == ARM_REG_NEXT && (GET('t') & 1 || GET('t') == ARM_LR))
            return "the first of the two registers has an even number, up to r12";
    }
    return NULL;
}

static const char *unsound_list(unsigned what, const oak_pattern *pattern, uint32_t word)
{
    uint32_t list = GET('r');
    switch (what) {
    case ARM_LIST_LOW:
    case ARM_LIST_LOW_BASE:
    case ARM_LIST_LOW_LR:
    case ARM_LIST_LOW_PC:
    case ARM_LIST_ALL:
    case ARM_LIST_USER: return list ? NULL : "the list is empty";
    case ARM_LIST:
    case ARM_LIST_PC:
        if (count_bits(list) < 2)
            return "the 32-bit form needs two registers or more: use ldr or str for one";
        return what == ARM_LIST_PC && (list >> 13) == 3 ? "lr and pc cannot both be loaded" : NULL;
    default: return NULL;
    }
}

const char *arm_unsound(const oak_isa_tables *tables, unsigned row, uint32_t word)
{
    const arm_shape *shape = &tables->shape[row];
    const arm_dialect *dialect = tables->dialect;
    const oak_pattern *pattern = &shape->pattern;
    const char *why = unsound_registers(dialect, shape, word);
    for (unsigned i = 0; i < shape->count && !why; i++)
        why = unsound_list(shape->class_of[i].what, pattern, word);
    if (!why) why = dialect->unsound(tables, row, word);
    const arm_class *last = arm_last(shape);
    uint32_t value;
    int carry;
    if (!why && last && last->what == ARM_CONST && !dialect->expand(GET('i'), &value, &carry))
        why = "no such constant";
    return why;
}

/* ------------------------------------------------------------------------------------------ refusals */

#define SAY(why, ...)  oak_format((why)->message, sizeof(why)->message, __VA_ARGS__)
#define HINT(why, ...) oak_format((why)->hint, sizeof(why)->hint, __VA_ARGS__)

typedef struct encoder {
    const oak_isa_tables *tables;
    const arm_shape *shape;
    const oak_pattern *pattern;
    unsigned row;
    const oak_insn *insn;
    const oak_value *values;
    uint32_t address;
    uint32_t word;
    oak_refusal *why;
    int operand;  /* the one being encoded */
    bool rotated; /* a constant is given as 8 bits and a rotation */
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
    return oak_pattern_width(self->pattern, letter);
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
    const char *name = self->tables->mnemonic[arm_base(self->insn->mnemonic)];
    if (step > 1 && (oak_same(name, "add") || oak_same(name, "sub")))
        HINT(self->why, "The stack pointer moves by whole words; load a larger step first: `ldr r3, =%lld`.",
             (long long)value->number);
    else if (step > 1)
        HINT(self->why,
             "Put the offset into a register: `ldr r0, [r1, r2]`, or add it to the address first.");
    else if (oak_same(name, "mov"))
        HINT(self->why, "Load it from a pool: `ldr %s, =%lld`.",
             arm_register_name(self->insn->operand[0].reg), (long long)value->number);
    else if (value->number < 0 && oak_same(name, "add"))
        HINT(self->why, "Write `sub` with #%lld.", -(long long)value->number);
    else if (value->number < 0 && oak_same(name, "sub"))
        HINT(self->why, "Write `add` with #%lld.", -(long long)value->number);
    else if (self->values[self->operand].number > most &&
             self->insn->operand[self->operand].kind == ARM_K_IMM)
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

static oak_status put_register(encoder *self, const arm_class *class, unsigned number)
{
    if (class->allowed >> number & 1) {
        put(self, class->letter, number);
        return OAK_OK;
    }
    bool low = class->allowed == 0xFF;
    SAY(self->why, low ? "%s cannot stand here: this form takes r0 to r7" : "%s cannot stand here",
        arm_register_name(number));
    if (number == ARM_PC) HINT(self->why, "Load it into a low register, then jump: `bx r0`.");
    else if (low && self->tables->dialect->small)
        HINT(self->why,
             "armv6m reaches r8 to r12 with mov, add and cmp of two registers: copy it to a low one first.");
    else if (low) HINT(self->why, "The 32-bit form takes higher registers: leave .n out, or add .w.");
    else HINT(self->why, "Copy it to another register first.");
    return refuse(self, "register");
}

/* ------------------------------------------------------------------------------------------ immediates */

static oak_status put_constant(encoder *self, const arm_class *class, const oak_value *value)
{
    uint32_t field, bits = (uint32_t)value->number;
    if (self->rotated) return put_between(self, value, 'i', 0, 255, 0);
    if (class->scale != 1) bits = class->scale ? 0 - bits : ~bits;
    if (value->number >= INT32_MIN && value->number <= UINT32_MAX &&
        self->tables->dialect->compress(bits, &field)) {
        put(self, 'i', field);
        return OAK_OK;
    }
    char number[120];
    show_number(value, number, sizeof number);
    SAY(self->why, "%s is no modified immediate", number);
    const char *name = self->tables->mnemonic[arm_base(self->insn->mnemonic)];
    if (value->number < 0 && (oak_same(name, "add") || oak_same(name, "sub") || oak_same(name, "cmp")))
        HINT(self->why, "Write `%s` with #%lld.",
             oak_same(name, "add")   ? "sub"
             : oak_same(name, "sub") ? "add"
                                     : "cmn",
             -(long long)value->number);
    else
        HINT(self->why, "It takes %s. Load others first: `ldr r3, =%lld`.", self->tables->dialect->constants,
             (long long)value->number);
    return refuse(self, "value-range");
}

static oak_status put_imm16(encoder *self, const oak_value *value)
{
    if (value->number < 0 || value->number > 0xFFFF) return out_of_range(self, value, 0, 0xFFFF, 1);
    unsigned low = width_of(self, 'i'); /* all of it, or its lower part */
    if (low < 16) put(self, 'j', (uint32_t)value->number >> low);
    put(self, 'i', (uint32_t)value->number & ((1u << low) - 1));
    return OAK_OK;
}

/* Kinds of shift as they are written: lsl 0, lsr 1, asr 2, ror 3, rrx 4. */
static oak_status put_shift(encoder *self, const arm_class *class, const oak_operand *operand,
                            const oak_value *value)
{
    unsigned kind = operand->reg;
    int64_t amount = value->number;
    if (class->what == ARM_ROTATION_MAY) {
        if (kind != 3 || amount < 0 || amount > 24 || amount % 8) {
            SAY(self->why, "only ror #8, #16 or #24 can stand here");
            return refuse(self, "shift");
        }
        put(self, 'y', (uint32_t)amount / 8);
        return OAK_OK;
    }
    int64_t least = kind == 0 ? 0 : 1, most = kind == 1 || kind == 2 ? 32 : 31;
    bool one_kind = class->what == ARM_SHIFT_LSL_MAY || class->what == ARM_SHIFT_ASR;
    if (one_kind && kind != (class->what == ARM_SHIFT_ASR ? 2u : 0u)) {
        SAY(self->why, "only %s can stand here", class->what == ARM_SHIFT_ASR ? "asr" : "lsl");
        return refuse(self, "shift");
    }
    if (class->what == ARM_SAT_SHIFT_MAY) {
        if (kind != 0 && kind != 2) {
            SAY(self->why, "only lsl or asr can stand here");
            return refuse(self, "shift");
        }
        if (!self->tables->dialect->plain) most = 31;
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
    if (offset & (self->tables->dialect->plain ? 3 : 1)) {
        SAY(self->why, "%s is at the %s address 0x%llx, where no instruction can be", name,
            self->tables->dialect->plain ? "uneven" : "odd", (unsigned long long)value->number);
        return refuse(self, "odd-target");
    }
    SAY(self->why, "%s is %lld bytes away; this reaches from %lld to %lld", name, (long long)offset,
        (long long)least, (long long)most);
    const char *mnemonic = self->tables->mnemonic[self->shape->mnemonic];
    bool small = self->tables->dialect->small;
    if (oak_same(mnemonic, "cbz") || oak_same(mnemonic, "cbnz"))
        HINT(self->why, "Write `cmp` with #0 and `%s`, which reach further.",
             mnemonic[2] == 'z' ? "beq" : "bne");
    else if (self->shape->conditional && small)
        HINT(self->why, "Jump over a `b` with the opposite condition: b reaches 2 KiB, bl 16 MiB.");
    else if (self->tables->dialect->plain)
        HINT(self->why, "Load the address and jump: `ldr r3, =%.40s` and `bx r3`.",
             value->name ? value->name : "target");
    else if (oak_same(mnemonic, "b") && small)
        HINT(self->why, "Load the address and jump: `ldr r3, =%.40s + 1` and `bx r3`.",
             value->name ? value->name : "target");
    else if (arm_width(self->insn->mnemonic) == ARM_WIDTH_NARROW) HINT(self->why, "Leave the .n out.");
    return refuse(self, "too-far");
}

/* How far a target is: addresses wrap round 4 GiB, values beyond them do not. */
static int64_t distance(const oak_value *value, uint32_t from)
{
    if (value->number < 0 || value->number > UINT32_MAX) return value->number - from;
    return (int32_t)((uint32_t)value->number - from);
}

static oak_status put_label(encoder *self, const arm_class *class, const oak_value *value)
{
    int64_t offset = distance(value, self->address + arm_ahead(self->tables));
    if (class->what == ARM_LABEL_WORDS) {
        int64_t reach = (int64_t)1 << 25;
        if (offset < -reach || offset >= reach || offset & 3)
            return too_far(self, value, offset, -reach, reach - 4);
        put(self, 'i', (uint32_t)offset >> 2 & 0xFFFFFF);
        return OAK_OK;
    }
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

/* The address of a place by a constant that is added to pc, or subtracted. */
static oak_status put_adr(encoder *self, bool before, int64_t offset, const char *name,
                          const oak_value *value)
{
    uint32_t field;
    int64_t size = before ? -offset : offset;
    if (size >= before && size <= UINT32_MAX && self->tables->dialect->compress((uint32_t)size, &field)) {
        put(self, 'i', field);
        return OAK_OK;
    }
    SAY(self->why, "%s is %lld bytes away, which no constant of adr is", name, (long long)offset);
    HINT(self->why, "Load its address: `ldr r3, =%.40s`.", value->name ? value->name : "place");
    return refuse(self, "too-far");
}

/* Data and places that are reached from the program counter, whose lowest two bits count as 0. */
static oak_status put_from_pc(encoder *self, const arm_class *class, const oak_operand *operand,
                              const oak_value *value)
{
    int64_t offset = distance(value, (self->address + arm_ahead(self->tables)) & ~(uint32_t)3);
    bool minus = false;
    if (operand->kind == ARM_K_MEM) {
        offset = operand->expr ? value->number : 0;
        minus = operand->extra & ARM_MEM_MINUS;
    }
    char name[80] = "this";
    if (value->name) oak_format(name, sizeof name, "`%.60s`", value->name);
    bool word8 = class->what == ARM_WORD8 || class->what == ARM_PLACE8;
    bool constant = class->what == ARM_ADR_AFTER || class->what == ARM_ADR_BEFORE;
    bool before = class->what == ARM_PLACE_BEFORE || class->what == ARM_ADR_BEFORE;
    int64_t reach = ((int64_t)1 << width_of(self, 'i')) * class->scale - class->scale;
    if (constant) return put_adr(self, before, offset, name, value);
    int64_t least = word8 || class->what == ARM_PLACE_AFTER ? 0 : -reach, most = before ? -1 : reach;
    if (offset < least || offset > most || offset % class->scale || (minus && word8)) {
        if (offset >= least && offset <= most) {
            SAY(self->why, "%s is not at a multiple of %u", name, class->scale);
            HINT(self->why, "Put `align 4` in front of it.");
        } else if (operand->kind == ARM_K_LITERAL) {
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
    case ARM_PLACE_BEFORE: put(self, 'i', (uint32_t)-offset); return OAK_OK;
    case ARM_WORD12:
    case ARM_WORD8X4: return put_signed(self, offset, minus, class->scale, value);
    default: put(self, 'i', (uint32_t)offset / class->scale); return OAK_OK;
    }
}

/* ------------------------------------------------------------------------------------------ memory, lists */

static oak_status put_memory(encoder *self, const arm_class *class, const oak_operand *operand,
                             const oak_value *value)
{
    uint32_t extra = operand->extra;
    oak_value offset = *value;
    if (!(extra & ARM_MEM_HAS_OFFSET)) offset.number = 0, offset.name = NULL;
    if (class->what != ARM_MEM_SP) {
        oak_status status = put_register(self, class, operand->reg);
        if (status) return status;
    }
    if (extra & ARM_MEM_HAS_INDEX) {
        uint16_t allowed = width_of(self, 'm') == 3 ? 0xFF : (uint16_t)self->tables->dialect->any;
        arm_class index = {.letter = 'm', .allowed = allowed};
        oak_status status = put_register(self, &index, extra & ARM_MEM_INDEX);
        if (!status && arm_is_index(class)) {
            put(self, 'v', !(extra & ARM_MEM_INDEX_MINUS));
            if (!(extra & ARM_MEM_SHIFT)) return OAK_OK;
            const arm_class shift = {.what = ARM_SHIFT_MAY};
            const oak_operand how = {.reg = (uint8_t)(extra >> ARM_MEM_KIND & 7)};
            return put_shift(self, &shift, &how, value);
        }
        if (status || class->what != ARM_MEM_REG_SHIFT) return status;
        if (!(extra & ARM_MEM_SHIFT)) return OAK_OK;
        return put_between(self, value, 'i', 0, 3, 0);
    }
    switch (class->what) {
    case ARM_MEM_NEG:
        if (offset.number > 0 || offset.number < -255 || (!offset.number && !(extra & ARM_MEM_MINUS)))
            return out_of_range(self, &offset, -255, 4095, 1);
        put(self, 'i', (uint32_t)-offset.number);
        return OAK_OK;
    case ARM_MEM_SIGNED:
    case ARM_MEM_PRE_IMM:
    case ARM_MEM_POST_IMM:
        return put_signed(self, offset.number, extra & ARM_MEM_MINUS, class->scale, &offset);
    case ARM_MEM_BASE: return OAK_OK;
    default:
        if (!offset.number && (extra & ARM_MEM_MINUS)) return out_of_range(self, &offset, 0, 0, 1);
        return put_scaled(self, &offset, class->scale);
    }
}

static oak_status put_list(encoder *self, const arm_class *class, uint32_t list)
{
    uint32_t allowed = 0xFF, field = list;
    switch (class->what) {
    case ARM_LIST_LOW_LR:
        allowed = 0x40FF;
        field = (list & 0xFF) | (list >> 14 & 1) << 8;
        break;
    case ARM_LIST_LOW_PC:
        allowed = 0x80FF;
        field = (list & 0xFF) | (list >> 15 & 1) << 8;
        break;
    case ARM_LIST:
    case ARM_LIST_PC:
        allowed = class->what == ARM_LIST ? 0x5FFF : 0xDFFF;
        field = (list & 0x1FFF) | (list >> 14 & 3) << 13;
        break;
    case ARM_LIST_ALL:
    case ARM_LIST_USER:
        allowed = 0xFFFF;
        list &= allowed; /* the mark behind it */
        field = list;
        break;
    case ARM_LIST_ONE: {
        unsigned number = 0;
        while (!(list >> number & 1)) number++;
        if (!(list & (list - 1))) return put_register(self, class, number);
        /* Several: the forms for that have refused them already; told is what none of them takes. */
        allowed = class->allowed;
        if (list & ~allowed) break;
        SAY(self->why, (list >> ARM_LR & 3) == 3 ? "lr and pc cannot be loaded together"
                                                 : "this form takes one register");
        return refuse(self, "register-list");
    }
    default: break;
    }
    if (list & ~allowed) {
        unsigned number = 0;
        while (!((list & ~allowed) >> number & 1)) number++;
        SAY(self->why, "%s cannot be in this list", arm_register_name(number));
        if (self->tables->dialect->small)
            HINT(self->why, "armv6m stores r0 to r7, and lr with push, pc with pop.");
        return refuse(self, "register-list");
    }
    put(self, 'r', field);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ one operand */

static oak_status put_operand(encoder *self, const arm_class *class, int index)
{
    const oak_operand *operand = index >= 0 ? &self->insn->operand[index] : NULL;
    const oak_value *value = index >= 0 ? &self->values[index] : NULL;
    self->operand = index;
    if (!operand && class->what == ARM_BARRIER_MAY) put(self, 'i', 15);
    if (!operand) return OAK_OK; /* optional, left out: all zeros */
    switch (class->what) {
    case ARM_REG:
    case ARM_REG_TWICE:
    case ARM_REG_PRODUCT:
    case ARM_BASE_MOVES:
        if (class->letter == 'm') put(self, 'q', operand->reg);
        return put_register(self, class, operand->reg);
    case ARM_BASE_MAY_MOVE:
        put(self, 'w', operand->kind == ARM_K_REG_MOVES);
        return put_register(self, class, operand->reg);
    case ARM_SP_MAY_MOVE: put(self, 'w', operand->kind == ARM_K_REG_MOVES); return OAK_OK;
    case ARM_REG_NEXT:
        if (operand->reg == operand[-1].reg + 1) return OAK_OK;
        SAY(self->why, "the second register is the one behind the first");
        HINT(self->why, "Two words go with an even register and the next one: `r0, r1`.");
        return refuse(self, "register");
    case ARM_ROTATED_MAY:
        if (value->number & 1) return out_of_range(self, value, 0, 30, 1);
        put(self, 'i', (uint32_t)value->number / 2 << 8);
        return put_between(self, value, '!', 0, 30, 0);
    case ARM_SHIFT_BY_REG:
        put(self, 'y', operand->reg);
        if ((operand->extra & 15) != ARM_PC) return put(self, 'e', operand->extra & 15), OAK_OK;
        SAY(self->why, "pc cannot stand here");
        return refuse(self, "register");
    case ARM_BARRIER_MAY:
        if (operand->kind == ARM_K_IMM) return put_between(self, value, 'i', 0, 15, 0);
        put(self, 'i', operand->reg);
        return OAK_OK;
    case ARM_ZERO: return value->number ? out_of_range(self, value, 0, 0, 1) : OAK_OK;
    case ARM_IMM: return put_scaled(self, value, class->scale);
    case ARM_IMM16: return put_imm16(self, value);
    case ARM_SHIFT_31: return put_between(self, value, 'i', 1, 31, 0);
    case ARM_SHIFT_32:
        if (value->number == 32) return OAK_OK;
        return put_between(self, value, 'i', 1, 32, 0);
    case ARM_CONST: return put_constant(self, class, value);
    case ARM_SAT: return put_between(self, value, 'w', 1, 1 << width_of(self, 'w'), 1);
    case ARM_SAT0: return put_between(self, value, 'w', 0, (1 << width_of(self, 'w')) - 1, 0);
    case ARM_LSB: self->lsb = (uint32_t)value->number; return put_between(self, value, 'i', 0, 31, 0);
    case ARM_WIDTH: return put_between(self, value, 'w', 1, (int)(32 - self->lsb), 1);
    case ARM_COUNT: return put_between(self, value, 'w', 1, (int)(32 - self->lsb), 1 - (int)self->lsb);
    case ARM_SHIFT_MAY:
    case ARM_SHIFT_LSL_MAY:
    case ARM_SHIFT_ASR:
    case ARM_SAT_SHIFT_MAY:
    case ARM_ROTATION_MAY: return put_shift(self, class, operand, value);
    case ARM_LABEL:
    case ARM_LABEL_WORDS: return put_label(self, class, value);
    case ARM_ADR_AFTER:
    case ARM_ADR_BEFORE:
    case ARM_PLACE8:
    case ARM_PLACE_AFTER:
    case ARM_PLACE_BEFORE:
    case ARM_WORD8:
    case ARM_WORD12:
    case ARM_WORD8X4: return put_from_pc(self, class, operand, value);
    case ARM_CONDITION:
        put(self, 'c', operand->reg);
        put(self, 'k', arm_it_mask(operand->reg, arm_condition(self->insn->mnemonic)));
        return OAK_OK;
    case ARM_IFLAGS: put(self, 'f', operand->reg); return OAK_OK;
    case ARM_SPECIAL: /* all of one, or parts of it */
        put(self, 'z', width_of(self, 'z') == 1 ? operand->reg >> 4 : operand->reg);
        return OAK_OK;
    case ARM_REG_SP:
    case ARM_SP_TWICE:
    case ARM_SY_MAY: return OAK_OK;
    default:
        if (arm_is_list(class)) return put_list(self, class, operand->extra);
        return put_memory(self, class, operand, value);
    }
}

oak_status arm_encode(const oak_isa_tables *tables, unsigned row, const oak_insn *insn,
                      const oak_value *values, uint32_t address, uint8_t *bytes, oak_refusal *why)
{
    const arm_shape *shape = &tables->shape[row];
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
    arm_match match;
    why->has_edit = false;
    why->hint[0] = 0;
    for (unsigned i = 0; i < insn->count; i++) kinds[i] = insn->operand[i].kind;
    if (!arm_matches(tables, row, insn->count, kinds, insn->operand, &match))
        return refuse(&self, "no-such-form");
    unsigned align = tables->dialect->isa->about.code_align;
    if (address & (align - 1)) {
        self.operand = -1;
        SAY(why, "this instruction is at the %s address 0x%x", align == 2 ? "odd" : "uneven",
            (unsigned)address);
        HINT(why, "Put `align %u` in front of it.", align);
        return refuse(&self, "alignment");
    }
    put(&self, 's', arm_s(insn->mnemonic));
    unsigned condition = arm_condition(insn->mnemonic);
    if (shape->conditional) put(&self, 'c', condition);
    if (shape->has_condition) put(&self, 'o', condition == ARM_NO_CONDITION ? ARM_ALWAYS : condition);
    self.rotated =
        shape->count && arm_last(shape)->what == ARM_ROTATED_MAY && match.of[shape->count - 1] >= 0;
    for (unsigned i = 0; i < shape->count; i++) {
        oak_status status = put_operand(&self, &shape->class_of[i], match.of[i]);
        if (status) return status;
    }
    const char *unsound = arm_unsound(tables, row, self.word);
    if (unsound) {
        self.operand = insn->count ? (int)insn->count - 1 : -1;
        SAY(why, "%s", unsound);
        const char *mnemonic = tables->mnemonic[shape->mnemonic];
        if (oak_same(mnemonic, "cpsie") || oak_same(mnemonic, "cpsid")) HINT(why, "Write `%s i`.", mnemonic);
        return refuse(&self, "unpredictable");
    }
    oak_lay_down(tables->dialect->isa, self.word, shape->pattern.size, bytes);
    return OAK_OK;
}
