/* arm_decode.c — bits to rows, and rows to source text that assembles to the same bits. */
#include "base/bytes.h"
#include "isa/arm/arm.h"

#define GET(letter) oak_pattern_get(pattern, letter, word)

/* ------------------------------------------------------------------------------------------ decoding */

static uint32_t branch_target(const arm_class *class, const oak_pattern *pattern, uint32_t word,
                              uint32_t address)
{
    uint32_t bits = GET('i'), sign = GET('x'), j = GET('g');
    unsigned width = class->scale;
    if (class->what == ARM_LABEL_WORDS) return address + 8 + ((bits ^ 1u << 23) - (1u << 23)) * 4;
    if (width == 20) bits |= (j >> 1) << 17 | (j & 1) << 18 | sign << 19;
    if (width == 24) bits |= ((j & 1) ^ 1 ^ sign) << 21 | ((j >> 1) ^ 1 ^ sign) << 22 | sign << 23;
    if (width != 6 && bits >> (width - 1) & 1) bits |= ~(uint32_t)0 << width;
    return address + 4 + (bits << 1);
}

uint32_t arm_list(const arm_shape *shape, uint32_t word)
{
    const oak_pattern *pattern = &shape->pattern;
    const arm_class *last = arm_last(shape);
    uint32_t field = GET('r');
    switch (last ? last->what : ARM_NOTHING) {
    case ARM_LIST_LOW:
    case ARM_LIST_LOW_BASE:
    case ARM_LIST_ALL:
    case ARM_LIST_USER: return field;
    case ARM_LIST_LOW_LR: return (field & 0xFF) | (field >> 8) << ARM_LR;
    case ARM_LIST_LOW_PC: return (field & 0xFF) | (field >> 8) << ARM_PC;
    case ARM_LIST:
    case ARM_LIST_PC: return (field & 0x1FFF) | (field >> 13) << ARM_LR;
    case ARM_LIST_ONE: return (uint32_t)1 << GET('t');
    default: return 0;
    }
}

static unsigned count_bits(uint32_t bits)
{
    unsigned count = 0;
    for (; bits; bits &= bits - 1) count++;
    return count;
}

/* What is added to sp, or (subtracts) taken off it; false for other instructions. */
static bool moves_sp(const oak_isa_tables *tables, const arm_shape *shape, uint32_t word, bool *subtracts,
                     uint32_t *bytes)
{
    const oak_pattern *pattern = &shape->pattern;
    const char *mnemonic = tables->mnemonic[shape->mnemonic];
    int carry;
    *subtracts = oak_same(mnemonic, "sub") || oak_same(mnemonic, "subw");
    bool adds = oak_same(mnemonic, "add") || oak_same(mnemonic, "addw");
    if ((!*subtracts && !adds) || shape->count < 2) return false;
    const arm_class *amount = &shape->class_of[shape->class_of[0].what == ARM_SP_TWICE ? 1 : 2];
    if (shape->class_of[0].what != ARM_SP_TWICE && (GET('d') != ARM_SP || GET('n') != ARM_SP)) return false;
    if (amount->what == ARM_CONST) return tables->dialect->expand(GET('i'), bytes, &carry);
    *bytes = GET('i') * amount->scale;
    return amount->what == ARM_IMM;
}

void arm_stack_use(const oak_isa_tables *tables, const oak_decoded *decoded, oak_stack_use *use)
{
    const arm_shape *shape = &tables->shape[decoded->row];
    const char *mnemonic = tables->mnemonic[shape->mnemonic];
    uint32_t word = (uint32_t)decoded->word, list = arm_list(shape, word), bytes = 0;
    bool push = oak_same(mnemonic, "push"), subtracts;
    *use = (oak_stack_use){0};
    if (push || oak_same(mnemonic, "pop")) {
        use->words = (int)count_bits(list) * (push ? 1 : -1);
        for (unsigned i = 0; push && i < 16;
             i++) /* the lowest register lies at the lowest address, the top */
            if (list >> i & 1) use->from[use->named++].number = i;
    } else if (moves_sp(tables, shape, word, &subtracts, &bytes)) {
        use->words = (int)(bytes / 4) * (subtracts ? 1 : -1);
    }
}

/* What an it block, or a condition of its own, makes of where an instruction leads. */
static oak_flow flow_of(const oak_isa_tables *tables, unsigned row, uint32_t word, uint32_t state)
{
    oak_flow flow = tables->dialect->flow(tables, row, word);
    const arm_shape *shape = &tables->shape[row];
    const oak_pattern *pattern = &shape->pattern;
    bool sometimes = state || (shape->has_condition && GET('o') != ARM_ALWAYS);
    if (!sometimes || flow == OAK_FLOW_CALL || flow == OAK_FLOW_EVENT) return flow;
    if (flow == OAK_FLOW_JUMP) return OAK_FLOW_BRANCH;
    return flow == OAK_FLOW_RETURN && !state ? OAK_FLOW_MAY_RETURN : OAK_FLOW_NEXT;
}

oak_flow arm_flow_of(const oak_isa_tables *tables, unsigned row, const uint8_t *bytes, uint32_t state)
{
    const oak_pattern *pattern = &tables->shape[row].pattern;
    return flow_of(tables, row, (uint32_t)oak_gather(tables->dialect->isa, bytes, pattern->size), state);
}

int arm_target_of(const oak_isa_tables *tables, unsigned row)
{
    for (unsigned i = 0; i < tables->shape[row].count; i++)
        if (arm_is_label(&tables->shape[row].class_of[i])) return (int)i;
    return -1;
}

static int find_row(const oak_isa_tables *tables, uint32_t word, bool wide)
{
    bool plain = tables->dialect->plain;
    unsigned bucket = wide ? word >> (plain ? 20 : 21) & 0xFF : word >> 10;
    const uint16_t *from = wide ? tables->wide_from : tables->narrow_from;
    for (unsigned i = from[bucket]; i < from[bucket + 1]; i++) {
        unsigned row = tables->bucket[i];
        const oak_pattern *pattern = &tables->shape[row].pattern;
        if (tables->shape[row].has_condition && word >> 28 == 15) continue;
        if ((word & pattern->mask) == pattern->fixed && !arm_unsound(tables, row, word)) return (int)row;
    }
    return -1;
}

oak_status arm_decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available, uint32_t address,
                      uint32_t state, oak_decoded *decoded)
{
    const arm_dialect *dialect = tables->dialect;
    uint8_t least = dialect->isa->about.code_align;
    *decoded = (oak_decoded){.address = address, .size = least, .state = (uint8_t)state};
    if (available < least) return OAK_OUT_OF_RANGE;
    uint32_t word = (uint32_t)bytes[0] | (uint32_t)bytes[1] << 8;
    bool wide = dialect->plain || word >> 11 >= 0x1D;
    decoded->word = word;
    if (wide) {
        decoded->size = 4;
        if (available < 4) return OAK_OUT_OF_RANGE;
        uint32_t second = (uint32_t)bytes[2] | (uint32_t)bytes[3] << 8;
        decoded->word = word = dialect->plain ? second << 16 | word : word << 16 | second;
    }
    int row = find_row(tables, word, wide);
    if (row < 0 || (address & (least - 1u))) return OAK_REFUSED;
    if (state && dialect->outside_only((unsigned)row)) return OAK_REFUSED;
    const arm_shape *shape = &tables->shape[row];
    const oak_pattern *pattern = &shape->pattern;
    decoded->row = (uint16_t)row;
    decoded->cycles = dialect->isa->rows[row].cycles;
    decoded->flow = flow_of(tables, (unsigned)row, word, state);
    bool it = shape->count && shape->class_of[0].what == ARM_CONDITION;
    decoded->state_after = (uint8_t)(it ? GET('c') << 4 | GET('k') : arm_it_next(state));
    const arm_class *last = arm_last(shape);
    uint32_t base = (address + arm_ahead(tables)) & ~(uint32_t)3, offset = 0;
    int carry;
    switch (last ? last->what : ARM_NOTHING) {
    case ARM_LABEL:
    case ARM_LABEL_WORDS:
        decoded->has_target = true;
        decoded->target = branch_target(last, pattern, word, address);
        return OAK_OK;
    case ARM_ADR_AFTER:
    case ARM_ADR_BEFORE:
        (void)dialect->expand(GET('i'), &offset, &carry);
        if (last->what == ARM_ADR_BEFORE) offset = 0 - offset;
        break;
    case ARM_PLACE8:
    case ARM_WORD8: offset = GET('i') * 4; break;
    case ARM_PLACE_AFTER: offset = GET('i'); break;
    case ARM_PLACE_BEFORE: offset = 0 - GET('i'); break;
    case ARM_WORD12:
    case ARM_WORD8X4: offset = GET('v') ? GET('i') * last->scale : 0 - GET('i') * last->scale; break;
    default: return OAK_OK;
    }
    decoded->has_data = true;
    decoded->data = base + offset;
    bool formed = last->what >= ARM_PLACE8 && last->what <= ARM_ADR_BEFORE;
    decoded->data_bytes = formed ? 0 : (uint8_t)arm_bytes_of(tables->mnemonic[shape->mnemonic]);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ printing */

static const char *name_of(const oak_namer *namer, uint32_t address)
{
    return namer && namer->name ? namer->name(namer->context, ARM_MEM, address) : NULL;
}

static void print_address(const oak_namer *namer, uint32_t address, oak_buf *out)
{
    const char *name = name_of(namer, address);
    if (name) oak_buf_text(out, name);
    else oak_buf_format(out, "0x%04x", (unsigned)address);
}

static void print_number(int64_t number, oak_buf *out)
{
    if (number < 0) oak_buf_format(out, "#%lld", (long long)number);
    else if (number < 10) oak_buf_format(out, "#%u", (unsigned)number);
    else oak_buf_format(out, "#0x%llx", (unsigned long long)number);
}

static void print_list(uint32_t list, oak_buf *out)
{
    bool any = false;
    oak_buf_char(out, '{');
    for (unsigned first = 0; first < 16; first++) {
        if (!(list >> first & 1)) continue;
        unsigned last = first;
        while (last < 12 && list >> (last + 1) & 1) last++;
        if (last - first < 2) last = first;
        if (any) oak_buf_text(out, ", ");
        oak_buf_text(out, arm_register_name(first));
        if (last > first) oak_buf_format(out, "-%s", arm_register_name(last));
        any = true;
        first = last;
    }
    oak_buf_char(out, '}');
}

static const char *const shift_names[] = {"lsl", "lsr", "asr", "ror"};
static void print_shift(unsigned kind, unsigned amount, oak_buf *out)
{
    if (kind == 3 && !amount) oak_buf_text(out, "rrx");
    else oak_buf_format(out, "%s #%u", shift_names[kind], amount || !kind ? amount : 32);
}

static void print_memory(const arm_class *class, const oak_pattern *pattern, uint32_t word, oak_buf *out)
{
    const char *base = class->what == ARM_MEM_SP ? "sp" : arm_register_name(GET('n'));
    unsigned offset = GET('i') * class->scale;
    bool minus = class->what == ARM_MEM_NEG || (arm_is_signed(class) && !GET('v'));
    oak_buf_format(out, class->what == ARM_MEM_POST_INDEX ? "[%s]" : "[%s", base);
    if (arm_is_index(class)) {
        oak_buf_format(out, ", %s%s", minus ? "-" : "", arm_register_name(GET('m')));
        if (GET('y') || GET('i')) {
            oak_buf_text(out, ", ");
            print_shift(GET('y'), GET('i'), out);
        }
        if (class->what != ARM_MEM_POST_INDEX) oak_buf_char(out, ']');
        if (class->what == ARM_MEM_PRE_INDEX) oak_buf_char(out, '!');
        return;
    }
    switch (class->what) {
    case ARM_MEM_REG: oak_buf_format(out, ", %s]", arm_register_name(GET('m'))); return;
    case ARM_MEM_REG_TWO: oak_buf_format(out, ", %s, lsl #1]", arm_register_name(GET('m'))); return;
    case ARM_MEM_REG_SHIFT:
        oak_buf_format(out, ", %s", arm_register_name(GET('m')));
        if (GET('i')) oak_buf_format(out, ", lsl #%u", (unsigned)GET('i'));
        oak_buf_char(out, ']');
        return;
    case ARM_MEM_POST_IMM: oak_buf_format(out, "], #%s%u", minus ? "-" : "", offset); return;
    case ARM_MEM_BASE: break;
    default:
        if (offset || minus || class->what == ARM_MEM_PRE_IMM)
            oak_buf_format(out, ", #%s%u", minus ? "-" : "", offset);
        break;
    }
    oak_buf_text(out, class->what == ARM_MEM_PRE_IMM ? "]!" : "]");
}

/* The field of a constant as it comes of its value. */
static bool is_canonical(const arm_dialect *dialect, uint32_t field)
{
    uint32_t value, again;
    int carry;
    return !dialect->expand(field, &value, &carry) || (dialect->compress(value, &again) && again == field);
}

/* True when an optional operand is left out. */
static bool is_left_out(const arm_dialect *dialect, const arm_class *class, const oak_pattern *pattern,
                        uint32_t word)
{
    if (class->what == ARM_BARRIER_MAY) return GET('i') == 15;
    if (class->what == ARM_ROTATED_MAY) return is_canonical(dialect, GET('i'));
    return class->what == ARM_SY_MAY ||
           (class->optional && !GET('y') && !(class->what != ARM_ROTATION_MAY && GET('i')));
}

static void print_operand(const oak_isa_tables *tables, const oak_decoded *decoded, const arm_class *class,
                          const oak_namer *namer, oak_buf *out)
{
    const oak_pattern *pattern = &tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word, value = 0;
    const arm_dialect *dialect = tables->dialect;
    int carry;
    switch (class->what) {
    case ARM_REG:
    case ARM_REG_TWICE:
    case ARM_REG_PRODUCT: oak_buf_text(out, arm_register_name(GET(class->letter))); return;
    case ARM_BASE_MOVES: oak_buf_format(out, "%s!", arm_register_name(GET('n'))); return;
    case ARM_BASE_MAY_MOVE:
        oak_buf_format(out, "%s%s", arm_register_name(GET('n')), GET('w') ? "!" : "");
        return;
    case ARM_REG_NEXT: oak_buf_text(out, arm_register_name(GET('t') + 1)); return;
    case ARM_SP_MAY_MOVE: oak_buf_text(out, GET('w') ? "sp!" : "sp"); return;
    case ARM_BARRIER_MAY:
        if (arm_barrier_name(GET('i'))) oak_buf_text(out, arm_barrier_name(GET('i')));
        else print_number(GET('i'), out);
        return;
    case ARM_REG_SP:
    case ARM_SP_TWICE: oak_buf_text(out, "sp"); return;
    case ARM_ZERO: oak_buf_text(out, "#0"); return;
    case ARM_IMM: print_number((int64_t)GET('i') * class->scale, out); return;
    case ARM_IMM16: print_number(GET('j') << 12 | GET('i'), out); return;
    case ARM_SHIFT_31: oak_buf_format(out, "#%u", (unsigned)GET('i')); return;
    case ARM_SHIFT_32: oak_buf_format(out, "#%u", GET('i') ? (unsigned)GET('i') : 32u); return;
    case ARM_CONST:
        (void)dialect->expand(GET('i'), &value, &carry);
        if (!is_canonical(dialect, GET('i'))) value = GET('i') & 0xFF; /* its rotation follows */
        print_number(value, out);
        return;
    case ARM_ROTATED_MAY: oak_buf_format(out, "#%u", (unsigned)(GET('i') >> 8) * 2u); return;
    case ARM_SAT: oak_buf_format(out, "#%u", (unsigned)GET('w') + 1u); return;
    case ARM_SAT0: oak_buf_format(out, "#%u", (unsigned)GET('w')); return;
    case ARM_LSB: oak_buf_format(out, "#%u", (unsigned)GET('i')); return;
    case ARM_WIDTH: oak_buf_format(out, "#%u", (unsigned)GET('w') + 1u); return;
    case ARM_COUNT: oak_buf_format(out, "#%u", (unsigned)(GET('w') - GET('i') + 1u)); return;
    case ARM_SHIFT_BY_REG:
        oak_buf_format(out, "%s %s", shift_names[GET('y')], arm_register_name(GET('e')));
        return;
    case ARM_SHIFT_LSL_MAY: print_shift(0, GET('i'), out); return;
    case ARM_SHIFT_ASR: print_shift(2, GET('i'), out); return;
    case ARM_SHIFT_MAY: print_shift(GET('y'), GET('i'), out); return;
    case ARM_SAT_SHIFT_MAY: print_shift(GET('y') * 2, GET('i'), out); return;
    case ARM_ROTATION_MAY: oak_buf_format(out, "ror #%u", (unsigned)GET('y') * 8u); return;
    case ARM_LABEL:
    case ARM_LABEL_WORDS: print_address(namer, decoded->target, out); return;
    case ARM_WORD12:
    case ARM_WORD8X4:
        if (!GET('v') && !GET('i')) {
            oak_buf_text(out, "[pc, #-0]");
            return;
        }
        print_address(namer, decoded->data, out);
        return;
    case ARM_PLACE8:
    case ARM_PLACE_AFTER:
    case ARM_PLACE_BEFORE:
    case ARM_ADR_AFTER:
    case ARM_ADR_BEFORE:
    case ARM_WORD8: print_address(namer, decoded->data, out); return;
    case ARM_CONDITION: oak_buf_text(out, arm_condition_names[GET('c')]); return;
    case ARM_IFLAGS:
        oak_buf_format(out, "%s%s%s", GET('f') & 4 ? "a" : "", GET('f') & 2 ? "i" : "",
                       GET('f') & 1 ? "f" : "");
        return;
    case ARM_SPECIAL:
        value = GET('z');
        if (oak_pattern_width(pattern, 'z') == 1) value <<= 4; /* all of it */
        oak_buf_text(out, dialect->special_name(value));
        return;
    default:
        if (!arm_is_list(class)) print_memory(class, pattern, word, out);
        else print_list(arm_list(&tables->shape[decoded->row], word), out);
        if (class->what == ARM_LIST_USER) oak_buf_char(out, '^');
        return;
    }
}

static void print_mnemonic(const oak_isa_tables *tables, const oak_decoded *decoded, oak_buf *out)
{
    const arm_shape *shape = &tables->shape[decoded->row];
    const oak_pattern *pattern = &shape->pattern;
    uint32_t word = (uint32_t)decoded->word;
    unsigned set = tables->dialect->set[decoded->row];
    if (shape->count && shape->class_of[0].what == ARM_CONDITION) {
        oak_buf_text(out, arm_it_name(arm_it_letters(GET('c'), GET('k'))));
        return;
    }
    oak_buf_text(out, tables->mnemonic[shape->mnemonic]);
    if (set == ARM_SET_BIT ? GET('s') : set == ARM_SET_OUTSIDE || (set == ARM_SET_ITS && !decoded->state))
        oak_buf_char(out, 's');
    if (shape->conditional) oak_buf_text(out, arm_condition_names[GET('c')]);
    else if (shape->has_condition)
        oak_buf_text(out, GET('o') == ARM_ALWAYS ? "" : arm_condition_names[GET('o')]);
    else if (decoded->state) oak_buf_text(out, arm_condition_names[decoded->state >> 4]);
    if (arm_is_wide(shape) && tables->has_narrow[shape->mnemonic]) oak_buf_text(out, ".w");
}

void arm_print(const oak_isa_tables *tables, const oak_decoded *decoded, const oak_namer *namer, oak_buf *out)
{
    const arm_shape *shape = &tables->shape[decoded->row];
    print_mnemonic(tables, decoded, out);
    for (unsigned i = 0; i < shape->count; i++) {
        const arm_class *class = &shape->class_of[i];
        if (is_left_out(tables->dialect, class, &shape->pattern, (uint32_t)decoded->word)) continue;
        oak_buf_text(out, i ? ", " : " ");
        print_operand(tables, decoded, class, namer, out);
    }
    /* The manual writes the product three times. */
    if (shape->count && shape->class_of[0].what == ARM_REG_PRODUCT)
        oak_buf_format(out, ", %s", arm_register_name(oak_pattern_get(&shape->pattern, 'd', decoded->word)));
}
