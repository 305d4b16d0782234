/* armm_decode.c — bits to rows, and rows to source text that assembles to the same bits. */
#include "base/bytes.h"
#include "isa/armm/armm.h"

#define GET(letter) oak_pattern_get(pattern, letter, word)

/* ------------------------------------------------------------------------------------------ decoding */

static uint32_t branch_target(const armm_class *class, const oak_pattern *pattern, uint32_t word,
                              uint32_t address)
{
    uint32_t bits = GET('i'), sign = GET('x'), j = GET('g');
    unsigned width = class->scale;
    if (width == 20) bits |= (j >> 1) << 17 | (j & 1) << 18 | sign << 19;
    if (width == 24) bits |= ((j & 1) ^ 1 ^ sign) << 21 | ((j >> 1) ^ 1 ^ sign) << 22 | sign << 23;
    if (width != 6 && bits >> (width - 1) & 1) bits |= ~(uint32_t)0 << width;
    return address + 4 + (bits << 1);
}

uint32_t armm_list(unsigned row, const oak_pattern *pattern, uint32_t word)
{
    uint32_t field = GET('r');
    switch (row) {
    case ARMM_PUSH: return (field & 0xFF) | (field >> 8) << ARMM_LR;
    case ARMM_POP: return (field & 0xFF) | (field >> 8) << ARMM_PC;
    case ARMM_PUSH_ONE:
    case ARMM_POP_ONE: return (uint32_t)1 << GET('t');
    case ARMM_STM:
    case ARMM_LDM:
    case ARMM_LDM_KEEP: return field;
    default: return (field & 0x1FFF) | (field >> 13) << ARMM_LR;
    }
}

static unsigned count_bits(uint32_t bits)
{
    unsigned count = 0;
    for (; bits; bits &= bits - 1) count++;
    return count;
}

void armm_stack_use(const oak_isa_tables *tables, const oak_decoded *decoded, oak_stack_use *use)
{
    const oak_pattern *pattern = &tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word, list = 0;
    *use = (oak_stack_use){0};
    switch (decoded->row) {
    case ARMM_PUSH:
    case ARMM_PUSH_W:
    case ARMM_PUSH_ONE:
        list = armm_list(decoded->row, pattern, word);
        use->words = (int)count_bits(list);
        for (unsigned i = 0; i < 16;
             i++) /* the lowest register lies at the lowest address, which is the top */
            if (list >> i & 1) use->from[use->named++].number = i;
        break;
    case ARMM_POP:
    case ARMM_POP_W:
    case ARMM_POP_ONE: use->words = -(int)count_bits(armm_list(decoded->row, pattern, word)); break;
    case ARMM_SUB_SP: use->words = (int)GET('i'); break;
    case ARMM_ADD_SP: use->words = -(int)GET('i'); break;
    case ARMM_SUB_IMM_W:
    case ARMM_ADD_IMM_W:
    case ARMM_SUBW:
    case ARMM_ADDW: {
        uint32_t bytes = GET('i');
        int carry;
        if (GET('d') != ARMM_SP || GET('n') != ARMM_SP) break;
        if (decoded->row == ARMM_SUB_IMM_W || decoded->row == ARMM_ADD_IMM_W)
            armm_expand(bytes, &bytes, &carry);
        bool down = decoded->row == ARMM_SUB_IMM_W || decoded->row == ARMM_SUBW;
        use->words = (int)(bytes / 4) * (down ? 1 : -1);
        break;
    }
    default: break;
    }
}

static oak_flow flow_of(unsigned row, const oak_pattern *pattern, uint32_t word, uint32_t state)
{
    oak_flow flow = OAK_FLOW_NEXT;
    switch (row) {
    case ARMM_B_COND:
    case ARMM_B_COND_W:
    case ARMM_CBZ:
    case ARMM_CBNZ: return OAK_FLOW_BRANCH;
    case ARMM_B:
    case ARMM_B_W: return state ? OAK_FLOW_BRANCH : OAK_FLOW_JUMP;
    case ARMM_BL: return OAK_FLOW_CALL;
    case ARMM_BX: flow = GET('m') == ARMM_LR ? OAK_FLOW_RETURN : OAK_FLOW_COMPUTED; break;
    case ARMM_MOV_HIGH:
        if (GET('d') == ARMM_PC) flow = GET('m') == ARMM_LR ? OAK_FLOW_RETURN : OAK_FLOW_COMPUTED;
        break;
    case ARMM_ADD_HIGH:
        if (GET('d') == ARMM_PC) flow = OAK_FLOW_COMPUTED;
        break;
    case ARMM_POP:
        if (GET('r') >> 8 & 1) flow = OAK_FLOW_RETURN;
        break;
    case ARMM_POP_W:
    case ARMM_LDM_W:
    case ARMM_LDMDB:
        if (GET('r') >> 14 & 1) flow = row == ARMM_POP_W ? OAK_FLOW_RETURN : OAK_FLOW_COMPUTED;
        break;
    case ARMM_POP_ONE:
        if (GET('t') == ARMM_PC) flow = OAK_FLOW_RETURN;
        break;
    case ARMM_TBB:
    case ARMM_TBH: flow = OAK_FLOW_COMPUTED; break;
    case ARMM_UDF:
    case ARMM_UDF_W: flow = OAK_FLOW_COMPUTED; break;
    case ARMM_LDR_WORD_W:
    case ARMM_LDR_IMM_W:
    case ARMM_LDR_NEG:
    case ARMM_LDR_PRE:
    case ARMM_LDR_POST:
    case ARMM_LDR_REG_W:
        if (GET('t') == ARMM_PC) flow = OAK_FLOW_COMPUTED;
        break;
    default: break;
    }
    return state ? OAK_FLOW_NEXT : flow;
}

oak_flow armm_flow_of(const oak_isa_tables *tables, unsigned row, const uint8_t *bytes, uint32_t state)
{
    const oak_pattern *pattern = &tables->shape[row].pattern;
    return flow_of(row, pattern, (uint32_t)oak_gather(&oak_isa_armv7m, bytes, pattern->size), state);
}

int armm_target_of(const oak_isa_tables *tables, unsigned row)
{
    for (unsigned i = 0; i < tables->shape[row].count; i++)
        if (tables->shape[row].class_of[i].what == ARMM_LABEL) return (int)i;
    return -1;
}

static int find_row(const oak_isa_tables *tables, uint32_t word, bool wide)
{
    unsigned bucket = wide ? word >> 21 & 0xFF : word >> 10;
    const uint16_t *from = wide ? tables->wide_from : tables->narrow_from;
    for (unsigned i = from[bucket]; i < from[bucket + 1]; i++) {
        unsigned row = tables->bucket[i];
        const oak_pattern *pattern = &tables->shape[row].pattern;
        if ((word & pattern->mask) == pattern->fixed && !armm_unsound(tables, row, word)) return (int)row;
    }
    return -1;
}

oak_status armm_decode(const oak_isa_tables *tables, const uint8_t *bytes, size_t available, uint32_t address,
                       uint32_t state, oak_decoded *decoded)
{
    *decoded = (oak_decoded){.address = address, .size = 2, .state = (uint8_t)state};
    if (available < 2) return OAK_OUT_OF_RANGE;
    uint32_t word = (uint32_t)bytes[0] | (uint32_t)bytes[1] << 8;
    bool wide = word >> 11 >= 0x1D;
    decoded->word = word;
    if (wide) {
        decoded->size = 4;
        if (available < 4) return OAK_OUT_OF_RANGE;
        decoded->word = word = word << 16 | (uint32_t)bytes[2] | (uint32_t)bytes[3] << 8;
    }
    int row = find_row(tables, word, wide);
    if (row < 0 || (address & 1)) return OAK_REFUSED;
    /* Inside an it block some have another meaning or none. */
    bool never_inside = row == ARMM_B_COND || row == ARMM_B_COND_W || row == ARMM_CBZ || row == ARMM_CBNZ ||
                        row == ARMM_IT || row == ARMM_CPSIE || row == ARMM_CPSID || row == ARMM_MOVS_REG;
    if (state && never_inside) return OAK_REFUSED;
    const armm_shape *shape = &tables->shape[row];
    const oak_pattern *pattern = &shape->pattern;
    decoded->row = (uint16_t)row;
    decoded->cycles = (tables->v7 ? armv7m_rows : armv6m_rows)[row].cycles;
    decoded->flow = flow_of((unsigned)row, pattern, word, state);
    decoded->state_after = (uint8_t)(row == ARMM_IT ? GET('c') << 4 | GET('k') : armm_it_next(state));
    const armm_class *last = shape->count ? &shape->class_of[shape->count - 1] : NULL;
    uint32_t base = (address + 4) & ~(uint32_t)3, offset = 0;
    switch (last ? last->what : ARMM_NOTHING) {
    case ARMM_LABEL:
        decoded->has_target = true;
        decoded->target = branch_target(last, pattern, word, address);
        break;
    case ARMM_PLACE8:
    case ARMM_WORD8: offset = GET('i') * 4; break;
    case ARMM_PLACE_AFTER: offset = GET('i'); break;
    case ARMM_PLACE_BEFORE: offset = 0 - GET('i'); break;
    case ARMM_WORD12:
    case ARMM_WORD8X4: offset = GET('v') ? GET('i') * last->scale : 0 - GET('i') * last->scale; break;
    default: return OAK_OK;
    }
    if (last->what == ARMM_LABEL) return OAK_OK;
    decoded->has_data = true;
    decoded->data = base + offset;
    bool word_data = row == ARMM_LDR_WORD || row == ARMM_LDR_WORD_W;
    decoded->data_bytes = last->what <= ARMM_PLACE_BEFORE ? 0 : word_data ? 4 : row == ARMM_LDRD_WORD ? 8 : 1;
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ printing */

static const char *name_of(const oak_namer *namer, uint32_t address)
{
    return namer && namer->name ? namer->name(namer->context, ARMM_MEM, address) : NULL;
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
        oak_buf_text(out, armm_register_name(first));
        if (last > first) oak_buf_format(out, "-%s", armm_register_name(last));
        any = true;
        first = last;
    }
    oak_buf_char(out, '}');
}

static void print_shift(unsigned kind, unsigned amount, oak_buf *out)
{
    static const char *const names[] = {"lsl", "lsr", "asr", "ror"};
    if (kind == 3 && !amount) oak_buf_text(out, "rrx");
    else oak_buf_format(out, "%s #%u", names[kind], amount || !kind ? amount : 32);
}

static void print_memory(const armm_class *class, const oak_pattern *pattern, uint32_t word, oak_buf *out)
{
    const char *base = class->what == ARMM_MEM_SP ? "sp" : armm_register_name(GET('n'));
    unsigned offset = GET('i') * class->scale;
    bool minus =
        class->what == ARMM_MEM_NEG || ((class->what == ARMM_MEM_SIGNED || class->what == ARMM_MEM_PRE_IMM ||
                                         class->what == ARMM_MEM_POST_IMM) &&
                                        !GET('v'));
    oak_buf_format(out, "[%s", base);
    switch (class->what) {
    case ARMM_MEM_REG: oak_buf_format(out, ", %s]", armm_register_name(GET('m'))); return;
    case ARMM_MEM_REG_TWO: oak_buf_format(out, ", %s, lsl #1]", armm_register_name(GET('m'))); return;
    case ARMM_MEM_REG_SHIFT:
        oak_buf_format(out, ", %s", armm_register_name(GET('m')));
        if (GET('i')) oak_buf_format(out, ", lsl #%u", (unsigned)GET('i'));
        oak_buf_char(out, ']');
        return;
    case ARMM_MEM_POST_IMM: oak_buf_format(out, "], #%s%u", minus ? "-" : "", offset); return;
    case ARMM_MEM_BASE: break;
    default:
        if (offset || minus || class->what == ARMM_MEM_PRE_IMM)
            oak_buf_format(out, ", #%s%u", minus ? "-" : "", offset);
        break;
    }
    oak_buf_text(out, class->what == ARMM_MEM_PRE_IMM ? "]!" : "]");
}

/* True when an optional operand is left out. */
static bool is_left_out(const armm_class *class, const oak_pattern *pattern, uint32_t word)
{
    return class->what == ARMM_SY_MAY ||
           (class->optional && !GET('y') && !(class->what != ARMM_ROTATION_MAY && GET('i')));
}

static void print_operand(const oak_isa_tables *tables, const oak_decoded *decoded, const armm_class *class,
                          const oak_namer *namer, oak_buf *out)
{
    const oak_pattern *pattern = &tables->shape[decoded->row].pattern;
    uint32_t word = (uint32_t)decoded->word, value = 0;
    int carry;
    switch (class->what) {
    case ARMM_REG:
    case ARMM_REG_TWICE:
    case ARMM_REG_PRODUCT: oak_buf_text(out, armm_register_name(GET(class->letter))); return;
    case ARMM_BASE_MOVES: oak_buf_format(out, "%s!", armm_register_name(GET('n'))); return;
    case ARMM_BASE_MAY_MOVE:
        oak_buf_format(out, "%s%s", armm_register_name(GET('n')), GET('w') ? "!" : "");
        return;
    case ARMM_REG_SP:
    case ARMM_SP_TWICE: oak_buf_text(out, "sp"); return;
    case ARMM_ZERO: oak_buf_text(out, "#0"); return;
    case ARMM_IMM: print_number((int64_t)GET('i') * class->scale, out); return;
    case ARMM_IMM16:
        print_number(decoded->row == ARMM_UDF_W ? GET('i') : GET('j') << 12 | GET('i'), out);
        return;
    case ARMM_SHIFT_31: oak_buf_format(out, "#%u", (unsigned)GET('i')); return;
    case ARMM_SHIFT_32: oak_buf_format(out, "#%u", GET('i') ? (unsigned)GET('i') : 32u); return;
    case ARMM_CONST:
        armm_expand(GET('i'), &value, &carry);
        print_number(value, out);
        return;
    case ARMM_SAT: oak_buf_format(out, "#%u", (unsigned)GET('w') + 1u); return;
    case ARMM_SAT0: oak_buf_format(out, "#%u", (unsigned)GET('w')); return;
    case ARMM_LSB: oak_buf_format(out, "#%u", (unsigned)GET('i')); return;
    case ARMM_WIDTH: oak_buf_format(out, "#%u", (unsigned)GET('w') + 1u); return;
    case ARMM_COUNT: oak_buf_format(out, "#%u", (unsigned)(GET('w') - GET('i') + 1u)); return;
    case ARMM_SHIFT_MAY: print_shift(GET('y'), GET('i'), out); return;
    case ARMM_SAT_SHIFT_MAY: print_shift(GET('y') * 2, GET('i'), out); return;
    case ARMM_ROTATION_MAY: oak_buf_format(out, "ror #%u", (unsigned)GET('y') * 8u); return;
    case ARMM_LABEL: print_address(namer, decoded->target, out); return;
    case ARMM_WORD12:
    case ARMM_WORD8X4:
        if (!GET('v') && !GET('i')) {
            oak_buf_text(out, "[pc, #-0]");
            return;
        }
        print_address(namer, decoded->data, out);
        return;
    case ARMM_PLACE8:
    case ARMM_PLACE_AFTER:
    case ARMM_PLACE_BEFORE:
    case ARMM_WORD8: print_address(namer, decoded->data, out); return;
    case ARMM_LIST_LOW:
    case ARMM_LIST_LOW_BASE: print_list(GET('r'), out); return;
    case ARMM_LIST_LOW_LR: print_list((GET('r') & 0xFF) | (GET('r') >> 8) << 14, out); return;
    case ARMM_LIST_LOW_PC: print_list((GET('r') & 0xFF) | (GET('r') >> 8) << 15, out); return;
    case ARMM_LIST:
    case ARMM_LIST_PC: print_list((GET('r') & 0x1FFF) | (GET('r') >> 13) << 14, out); return;
    case ARMM_LIST_ONE: print_list((uint32_t)1 << GET('t'), out); return;
    case ARMM_CONDITION: oak_buf_text(out, armm_condition_names[GET('c')]); return;
    case ARMM_IFLAGS: oak_buf_format(out, "%s%s", GET('f') & 2 ? "i" : "", GET('f') & 1 ? "f" : ""); return;
    case ARMM_SPECIAL: oak_buf_text(out, armm_special_name(tables->v7, GET('z'))); return;
    default: print_memory(class, pattern, word, out); return;
    }
}

static void print_mnemonic(const oak_isa_tables *tables, const oak_decoded *decoded, oak_buf *out)
{
    const armm_shape *shape = &tables->shape[decoded->row];
    const oak_pattern *pattern = &shape->pattern;
    uint32_t word = (uint32_t)decoded->word;
    unsigned set = armm_set_of[decoded->row];
    if (decoded->row == ARMM_IT) {
        oak_buf_text(out, armm_it_name(armm_it_letters(GET('c'), GET('k'))));
        return;
    }
    oak_buf_text(out, tables->mnemonic[shape->mnemonic]);
    if (set == ARMM_SET_BIT ? GET('s') : set == ARMM_SET_OUTSIDE || (set == ARMM_SET_ITS && !decoded->state))
        oak_buf_char(out, 's');
    if (decoded->row == ARMM_B_COND || decoded->row == ARMM_B_COND_W)
        oak_buf_text(out, armm_condition_names[GET('c')]);
    else if (decoded->state) oak_buf_text(out, armm_condition_names[decoded->state >> 4]);
    if (armm_is_wide(shape) && tables->has_narrow[shape->mnemonic]) oak_buf_text(out, ".w");
}

void armm_print(const oak_isa_tables *tables, const oak_decoded *decoded, const oak_namer *namer,
                oak_buf *out)
{
    const armm_shape *shape = &tables->shape[decoded->row];
    print_mnemonic(tables, decoded, out);
    for (unsigned i = 0; i < shape->count; i++) {
        const armm_class *class = &shape->class_of[i];
        if (is_left_out(class, &shape->pattern, (uint32_t)decoded->word)) continue;
        oak_buf_text(out, i ? ", " : " ");
        print_operand(tables, decoded, class, namer, out);
    }
    /* The manual writes the product three times. */
    if (decoded->row == ARMM_MUL_REG)
        oak_buf_format(out, ", %s", armm_register_name(oak_pattern_get(&shape->pattern, 'd', decoded->word)));
}
