/* a32_slow.c — what instructions do that no loop has a case for: those that are rare, that read or write pc, that reach what is no plain memory. */
#include "base/bits.h"
#include "isa/a32/a32.h"

#define R(low)      core->r[word >> (low)&15]
#define BIT(number) (word >> (number)&1)

/* ------------------------------------------------------------------------------------------ flags */

static uint32_t carry_of(const oak_core *core)
{
    return core->ca >= core->cb;
}

static void set_carries(oak_core *core, uint32_t c, uint32_t v)
{
    core->ca = a32_pairs[c | v << 1][0];
    core->cb = a32_pairs[c | v << 1][1];
}

/* ------------------------------------------------------------------------------------------ data processing */

/* The second operand, with what becomes of the carry. */
static uint32_t second_operand(const oak_core *core, uint32_t word, uint32_t *carry)
{
    unsigned kind = word >> 5 & 3, by = word >> 7 & 31;
    uint32_t value = R(0);
    if (BIT(25)) {
        by = word >> 7 & 30;
        value = oak_rotated_right(word & 0xFF, by);
        if (by) *carry = value >> 31;
        return value;
    }
    if (BIT(4)) return arm_shifted(kind, value, R(8) & 0xFF, carry);
    return arm_shifted_by_code(kind, by, value, carry);
}

/* Of a + b + in: sets c and v where asked. */
static uint32_t sum(oak_core *core, uint32_t a, uint32_t b, uint32_t in, bool sets)
{
    uint64_t wide = (uint64_t)a + b + in;
    uint32_t result = (uint32_t)wide;
    if (sets) set_carries(core, (uint32_t)(wide >> 32), ((a ^ result) & (b ^ result)) >> 31);
    return result;
}

/* What data processing computes; *keeps: the result is for the flags alone. */
static uint32_t process(oak_core *core, uint32_t word, bool *keeps)
{
    uint32_t carry = carry_of(core), in = carry, a = R(16), b = second_operand(core, word, &carry), result;
    bool sets = BIT(20), logic = false;
    unsigned code = word >> 21 & 15;
    *keeps = code >= 8 && code < 12;
    switch (code) {
    case 2:
    case 10: result = sum(core, a, ~b, 1, sets); break;
    case 3: result = sum(core, b, ~a, 1, sets); break;
    case 4:
    case 11: result = sum(core, a, b, 0, sets); break;
    case 5: result = sum(core, a, b, in, sets); break;
    case 6: result = sum(core, a, ~b, in, sets); break;
    case 7: result = sum(core, b, ~a, in, sets); break;
    default:
        logic = true;
        result = code == 0 || code == 8   ? a & b
                 : code == 1 || code == 9 ? a ^ b
                 : code == 12             ? a | b
                 : code == 13             ? b
                 : code == 14             ? a & ~b
                                          : ~b;
    }
    if (sets && logic) set_carries(core, carry, a32_v(core->ca, core->cb));
    if (sets) core->nz = (int32_t)result;
    return result;
}

/* ------------------------------------------------------------------------------------------ saturation, lanes */

static uint32_t within(oak_core *core, int64_t value, int64_t least, int64_t most)
{
    if (value < least) value = least, core->status |= CPSR_Q;
    else if (value > most) value = most, core->status |= CPSR_Q;
    return (uint32_t)value;
}

static int64_t half(uint32_t value, bool upper)
{
    return (int16_t)(value >> (upper ? 16 : 0));
}

/* Several numbers of `bits` bits: two sums, one sum and one difference, … by bits 7 to 5; how by bits 22 to 20. */
static uint32_t lanes(oak_core *core, uint32_t word)
{
    unsigned how = word >> 20 & 7, what = word >> 5 & 7, bits = what >= 4 ? 8 : 16;
    uint32_t a = R(16), b = R(0), result = 0, not_below = 0, mask = (1u << bits) - 1;
    bool is_signed = how < 4;
    if (what == 1 || what == 2) b = oak_rotated_right(b, 16);
    for (unsigned at = 0; at < 32; at += bits) {
        int32_t x = (int32_t)(a >> at & mask), y = (int32_t)(b >> at & mask), top = 1 << (bits - 1);
        bool minus = what == 3 || what == 7 || (what == 1 && !at) || (what == 2 && at);
        if (is_signed) x = (x ^ top) - top, y = (y ^ top) - top;
        int32_t z = minus ? x - y : x + y;
        bool ge = is_signed || minus ? z >= 0 : z > (int32_t)mask;
        int32_t least = is_signed ? -top : 0, most = is_signed ? top - 1 : (int32_t)mask;
        if (ge) not_below |= ((1u << bits / 8) - 1) << at / 8;
        if ((how & 3) == 2) z = z < least ? least : z > most ? most : z;
        if ((how & 3) == 3) z >>= 1;
        result |= ((uint32_t)z & mask) << at;
    }
    if ((how & 3) == 1) core->status = (core->status & ~(uint32_t)CPSR_GE) | not_below << 16;
    return result;
}

/* Sums of products, in bits 19 to 16; with the addend at bit 12. */
static void dual(oak_core *core, uint32_t word, bool wide)
{
    uint32_t m = BIT(5) ? oak_rotated_right(R(8), 16) : R(8), n = R(0);
    int64_t low = half(n, false) * half(m, false), high = half(n, true) * half(m, true),
            both = BIT(6) ? low - high : low + high;
    if (wide) {
        uint64_t whole = ((uint64_t)R(16) << 32 | R(12)) + (uint64_t)both;
        R(12) = (uint32_t)whole, R(16) = (uint32_t)(whole >> 32);
        return;
    }
    if ((word >> 12 & 15) != ARM_PC) both += (int32_t)R(12);
    if (both != (int32_t)both) core->status |= CPSR_Q;
    R(16) = (uint32_t)both;
}

static void multiply_halves(oak_core *core, uint32_t word)
{
    int64_t m = half(R(8), BIT(6));
    unsigned kind = word >> 21 & 3;
    if (kind == 1) { /* a word by a half */
        int64_t product = (int64_t)(int32_t)R(0) * m >> 16;
        if (!BIT(5)) product += (int32_t)R(12);
        if (product != (int32_t)product) core->status |= CPSR_Q;
        R(16) = (uint32_t)product;
        return;
    }
    int64_t product = half(R(0), BIT(5)) * m;
    if (kind == 2) {
        uint64_t whole = ((uint64_t)R(16) << 32 | R(12)) + (uint64_t)product;
        R(12) = (uint32_t)whole, R(16) = (uint32_t)(whole >> 32);
        return;
    }
    if (kind == 0) product += (int32_t)R(12);
    if (product != (int32_t)product) core->status |= CPSR_Q;
    R(16) = (uint32_t)product;
}

static void multiply_long(oak_core *core, uint32_t word)
{
    bool is_signed = BIT(22), adds = BIT(21);
    uint64_t product = is_signed ? (uint64_t)((int64_t)(int32_t)R(0) * (int32_t)R(8)) : (uint64_t)R(0) * R(8);
    if (adds) product += (uint64_t)R(16) << 32 | R(12);
    R(12) = (uint32_t)product, R(16) = (uint32_t)(product >> 32);
    if (BIT(20)) core->nz = (R(16) >> 31 ? INT64_MIN : 0) | (product != 0);
}

static uint32_t extend(uint32_t word, uint32_t value)
{
    value = oak_rotated_right(value, word >> 10 & 3 ? 8 * (word >> 10 & 3) : 0);
    bool is_signed = !BIT(22);
    switch (word >> 20 & 3) {
    case 0:
        if (!is_signed) return value & 0x00FF00FF;
        return ((uint32_t)(int8_t)value & 0xFFFF) | (uint32_t)(int8_t)(value >> 16) << 16;
    case 2: return is_signed ? (uint32_t)(int8_t)value : (uint8_t)value;
    default: return is_signed ? (uint32_t)(int16_t)value : (uint16_t)value;
    }
}

static uint32_t saturate(oak_core *core, uint32_t word)
{
    uint32_t carry = 0;
    unsigned by = word >> 7 & 31, bits = word >> 16 & 31;
    int32_t value = (int32_t)(BIT(6) ? arm_shifted_by_code(2, by, R(0), &carry) : R(0) << by);
    int64_t one = (int64_t)1 << bits;
    return within(core, value, BIT(22) ? 0 : -one, one - 1);
}

static uint32_t saturate_halves(oak_core *core, uint32_t word)
{
    int64_t one = (int64_t)1 << (word >> 16 & 15), least = BIT(22) ? 0 : -one;
    uint32_t low = within(core, half(R(0), false), least, one - 1),
             high = within(core, half(R(0), true), least, one - 1);
    return (low & 0xFFFF) | high << 16;
}

static uint32_t reversed(uint32_t word, uint32_t value)
{
    uint32_t bytes = oak_reversed_bytes(value), result = 0;
    switch (BIT(22) << 1 | BIT(7)) {
    case 0: return bytes;
    case 1: return oak_rotated_right(bytes, 16);
    case 3: return (uint32_t)(int16_t)(bytes >> 16);
    default:
        for (unsigned i = 0; i < 32; i++) result |= (value >> i & 1) << (31 - i);
        return result;
    }
}

static uint32_t distances(uint32_t a, uint32_t b)
{
    uint32_t all = 0;
    for (unsigned at = 0; at < 32; at += 8) {
        int32_t one = (int32_t)(a >> at & 0xFF) - (int32_t)(b >> at & 0xFF);
        all += (uint32_t)(one < 0 ? -one : one);
    }
    return all;
}

/* The upper word of a product, with an addend at bit 12 or without. */
static uint32_t upper_product(const oak_core *core, uint32_t word)
{
    int64_t product = (int64_t)(int32_t)R(0) * (int32_t)R(8);
    uint64_t whole = (word >> 12 & 15) == ARM_PC ? 0 : (uint64_t)R(12) << 32;
    whole += (uint64_t)(BIT(6) ? -product : product);
    return (uint32_t)((whole + (BIT(5) ? 0x80000000u : 0)) >> 32);
}

static uint32_t select_bytes(const oak_core *core, uint32_t word)
{
    uint32_t mask = 0;
    for (unsigned i = 0; i < 4; i++) mask |= core->status >> (16 + i) & 1 ? 0xFFu << 8 * i : 0;
    return (R(16) & mask) | (R(0) & ~mask);
}

static uint32_t field(const oak_core *core, unsigned row, uint32_t word)
{
    unsigned low = word >> 7 & 31, high = word >> 16 & 31;
    uint32_t mask;
    if (row == A32_SBFX || row == A32_UBFX) { /* `high` is a width less 1 */
        uint32_t value = R(0) << (31 - high - low);
        return row == A32_SBFX ? (uint32_t)((int32_t)value >> (31 - high)) : value >> (31 - high);
    }
    mask = (uint32_t)(((uint64_t)2 << (high - low)) - 1) << low;
    return (R(12) & ~mask) | (row == A32_BFI ? R(0) << low & mask : 0);
}

void a32_compute(oak_core *core, unsigned row, uint32_t word)
{
    int64_t doubled = 2 * (int64_t)(int32_t)R(16);
    uint32_t carry = 0;
    switch (row) {
    case A32_MOVW: R(12) = (word >> 4 & 0xF000) | (word & 0xFFF); return;
    case A32_MOVT: R(12) = (R(12) & 0xFFFF) | (word & 0xF0000) << 12 | (word & 0xFFF) << 16; return;
    case A32_MUL:
    case A32_MLA:
        R(16) = R(0) * R(8) + (row == A32_MLA ? R(12) : 0);
        if (BIT(20)) core->nz = (int32_t)R(16);
        return;
    case A32_MLS: R(16) = R(12) - R(0) * R(8); return;
    case A32_UMAAL: {
        uint64_t all = (uint64_t)R(0) * R(8) + R(12) + R(16);
        R(12) = (uint32_t)all, R(16) = (uint32_t)(all >> 32);
        return;
    }
    case A32_UMULL:
    case A32_UMLAL:
    case A32_SMULL:
    case A32_SMLAL: multiply_long(core, word); return;
    case A32_SMUAD:
    case A32_SMUADX:
    case A32_SMUSD:
    case A32_SMUSDX:
    case A32_SMLAD:
    case A32_SMLADX:
    case A32_SMLSD:
    case A32_SMLSDX: dual(core, word, false); return;
    case A32_SMLALD:
    case A32_SMLALDX:
    case A32_SMLSLD:
    case A32_SMLSLDX: dual(core, word, true); return;
    case A32_SMMUL:
    case A32_SMMULR:
    case A32_SMMLA:
    case A32_SMMLAR:
    case A32_SMMLS:
    case A32_SMMLSR: R(16) = upper_product(core, word); return;
    case A32_USAD8: R(16) = distances(R(0), R(8)); return;
    case A32_USADA8: R(16) = R(12) + distances(R(0), R(8)); return;
    case A32_QADD:
        R(12) = within(core, (int64_t)(int32_t)R(0) + (int32_t)R(16), INT32_MIN, INT32_MAX);
        return;
    case A32_QSUB:
        R(12) = within(core, (int64_t)(int32_t)R(0) - (int32_t)R(16), INT32_MIN, INT32_MAX);
        return;
    case A32_QDADD:
        doubled = (int32_t)within(core, doubled, INT32_MIN, INT32_MAX);
        R(12) = within(core, (int32_t)R(0) + doubled, INT32_MIN, INT32_MAX);
        return;
    case A32_QDSUB:
        doubled = (int32_t)within(core, doubled, INT32_MIN, INT32_MAX);
        R(12) = within(core, (int32_t)R(0) - doubled, INT32_MIN, INT32_MAX);
        return;
    case A32_SSAT:
    case A32_USAT: R(12) = saturate(core, word); return;
    case A32_SSAT16:
    case A32_USAT16: R(12) = saturate_halves(core, word); return;
    case A32_SBFX:
    case A32_UBFX: R(12) = field(core, row, word); return;
    case A32_BFC:
    case A32_BFI: R(12) = field(core, row, word); return;
    case A32_PKHBT: R(12) = (R(16) & 0xFFFF) | (R(0) << (word >> 7 & 31) & 0xFFFF0000); return;
    case A32_PKHTB: {
        uint32_t by = word >> 7 & 31, low = arm_shifted_by_code(2, by, R(0), &carry);
        R(12) = (R(16) & 0xFFFF0000) | (low & 0xFFFF);
        return;
    }
    case A32_SEL: R(12) = select_bytes(core, word); return;
    case A32_SXTB16:
    case A32_SXTB:
    case A32_SXTH:
    case A32_UXTB16:
    case A32_UXTB:
    case A32_UXTH: R(12) = extend(word, R(0)); return;
    case A32_SXTAB:
    case A32_SXTAH:
    case A32_UXTAB:
    case A32_UXTAH: R(12) = R(16) + extend(word, R(0)); return;
    case A32_SXTAB16:
    case A32_UXTAB16: {
        uint32_t more = extend(word, R(0)), base = R(16);
        R(12) = ((base + more) & 0xFFFF) | ((base & 0xFFFF0000) + (more & 0xFFFF0000));
        return;
    }
    case A32_REV:
    case A32_REV16:
    case A32_RBIT:
    case A32_REVSH: R(12) = reversed(word, R(0)); return;
    case A32_CLZ: R(12) = 32 - oak_bit_width(R(0)); return;
    default: break;
    }
    if (row >= A32_SMULBB && row <= A32_SMULWT) multiply_halves(core, word);
    else if (row >= A32_SADD16 && row <= A32_UHSUB8) R(12) = lanes(core, word);
    else {
        bool keeps;
        uint32_t result = process(core, word, &keeps);
        if (!keeps) R(12) = result;
    }
}

/* ------------------------------------------------------------------------------------------ jumps, status */

/* To an address in a register or from memory: bit 0 would ask for another instruction set. */
static int go(oak_core *core, uint32_t target)
{
    if (target & 1) return kit_fail(core, OAK_FAULT_ODD_JUMP, target) ? A32_GOES : A32_FAULTS;
    core->goes = kit_slot(core, target & ~(uint32_t)3);
    return A32_GOES;
}

static uint32_t *saved_of(oak_core *core)
{
    return &core->spsr[a32_bank_of(core->status & CPSR_MODE)];
}

static int return_to(oak_core *core, uint32_t target, uint32_t cpsr)
{
    if (!a32_has_spsr(core)) return kit_fail(core, OAK_FAULT_BAD_RETURN, target) ? A32_GOES : A32_FAULTS;
    if (cpsr & CPSR_T) return kit_fail(core, OAK_FAULT_ODD_JUMP, target | 1) ? A32_GOES : A32_FAULTS;
    a32_returns(core, cpsr);
    core->goes = kit_slot(core, target & ~(uint32_t)3);
    core->kit.attention = true;
    return A32_GOES;
}

static int data(oak_core *core, uint32_t word)
{
    bool keeps;
    int64_t nz = core->nz;
    uint32_t ca = core->ca, cb = core->cb, result = process(core, word, &keeps);
    if (keeps) return A32_GOES_ON;
    if ((word >> 12 & 15) != ARM_PC) {
        R(12) = result;
        return A32_GOES_ON;
    }
    core->extra = 2;
    if (!BIT(20)) return go(core, result);
    core->nz = nz, core->ca = ca, core->cb = cb; /* the flags are those that were saved */
    return return_to(core, result, *saved_of(core));
}

static uint32_t status_mask(uint32_t parts)
{
    return (parts & 1 ? 0xFF : 0) | (parts & 2 ? 0xFF00 : 0) | (parts & 4 ? 0xFF0000 : 0) |
           (parts & 8 ? 0xFF000000u : 0);
}

static int write_status(oak_core *core, uint32_t word, uint32_t value)
{
    enum { USERS = (int)0xF80F0000, ALL = (int)0xF80F01DF, KEPT = (int)0xFF0FFFFF };
    uint32_t mask = status_mask(word >> 16 & 15);
    if (BIT(22)) {
        if (a32_has_spsr(core)) *saved_of(core) = (*saved_of(core) & ~mask) | (value & mask & (uint32_t)KEPT);
        return A32_GOES_ON;
    }
    mask &= a32_is_privileged(core) ? (uint32_t)ALL : (uint32_t)USERS;
    a32_write_cpsr(core, (a32_cpsr(core) & ~mask) | (value & mask));
    core->kit.attention = true;
    return A32_GOES_ON;
}

static int change_state(oak_core *core, uint32_t word)
{
    uint32_t cpsr = a32_cpsr(core), masks = word & 0x1C0;
    if (!a32_is_privileged(core)) return A32_GOES_ON;
    if ((word >> 18 & 3) == 2) cpsr &= ~masks;
    if ((word >> 18 & 3) == 3) cpsr |= masks;
    if (BIT(17)) cpsr = (cpsr & ~(uint32_t)CPSR_MODE) | (word & CPSR_MODE);
    a32_write_cpsr(core, cpsr);
    core->kit.attention = true;
    return A32_GOES_ON;
}

/* ------------------------------------------------------------------------------------------ memory */

/* How far the index or the offset of a load or store leads. */
static uint32_t offset_of(const oak_core *core, uint32_t word, bool of_halves)
{
    uint32_t carry = carry_of(core), offset = word & 0xFFF;
    if (of_halves) offset = BIT(22) ? (word >> 4 & 0xF0) | (word & 15) : R(0);
    else if (BIT(25)) offset = arm_shifted_by_code(word >> 5 & 3, word >> 7 & 31, R(0), &carry);
    return BIT(23) ? offset : 0 - offset;
}

/* Loads and stores of one register, or of two. */
static int transfer(oak_core *core, unsigned row, uint32_t word, uint64_t now)
{
    bool of_halves = !(word >> 26 & 3), loads = BIT(20), pre = BIT(24), signs = of_halves && BIT(6);
    unsigned bytes = of_halves ? (word >> 5 & 3) == 2 ? 1 : 2 : BIT(22) ? 1 : 4, t = word >> 12 & 15;
    bool two = of_halves && !loads && signs;
    if (two) loads = !BIT(5), bytes = 4, signs = false;
    uint32_t base = R(16), moved = base + offset_of(core, word, of_halves), address = pre ? moved : base,
             value = core->r[t], second = core->r[t | 1];
    if (row == A32_LDR_WORD || row == A32_LDRB_WORD ||
        (word >> 16 & 15) == ARM_PC) /* pc counts as a multiple of 4 */
        address = moved;
    if (two && address & 3) {
        core->stores = !loads;
        return kit_fail(core, OAK_FAULT_UNALIGNED, address) ? A32_GOES : A32_FAULTS;
    }
    if (loads ? !a32_load(core, address, bytes, now, &value) ||
                    (two && !a32_load(core, address + 4, bytes, now, &second))
              : !a32_store(core, address, bytes, value, now) ||
                    (two && !a32_store(core, address + 4, bytes, second, now)))
        return A32_FAULTS;
    if (loads && t == ARM_PC && value & 1) return go(core, value);
    if (!pre || BIT(21)) R(16) = moved;
    if (!loads) return A32_GOES_ON;
    if (signs) value = bytes == 1 ? (uint32_t)(int8_t)value : (uint32_t)(int16_t)value;
    if (t == ARM_PC) {
        core->extra = 2;
        return go(core, value);
    }
    core->r[t] = value;
    if (two) core->r[t | 1] = second;
    return A32_GOES_ON;
}

static unsigned count_bits(uint32_t bits)
{
    unsigned count = 0;
    for (; bits; bits &= bits - 1) count++;
    return count;
}

/* ldm and stm in all forms. */
static int transfer_many(oak_core *core, uint32_t word, uint64_t now)
{
    uint32_t list = word & 0xFFFF, n = word >> 16 & 15, count = count_bits(list), base = core->r[n],
             values[16];
    uint32_t address = BIT(23) ? base : base - 4 * count,
             moved = BIT(23) ? base + 4 * count : base - 4 * count;
    bool loads = BIT(20), returns = BIT(22) && loads && list >> ARM_PC, users = BIT(22) && !returns;
    if (BIT(24) == BIT(23)) address += 4;
    core->stores = !loads;
    if (address & 3) return kit_fail(core, OAK_FAULT_UNALIGNED, address) ? A32_GOES : A32_FAULTS;
    if (returns && !a32_has_spsr(core))
        return kit_fail(core, OAK_FAULT_BAD_RETURN, address) ? A32_GOES : A32_FAULTS;
    for (unsigned i = 0; i < 16; i++) {
        if (!(list >> i & 1)) continue;
        values[i] = users ? *a32_register_of(core, MODE_USR, i) : core->r[i];
        if (loads ? !a32_load(core, address, 4, now, &values[i])
                  : !a32_store(core, address, 4, values[i], now))
            return A32_FAULTS;
        address += 4;
    }
    core->extra = count;
    if (loads && list >> ARM_PC && values[ARM_PC] & 1) return go(core, values[ARM_PC]);
    if (BIT(21)) core->r[n] = moved;
    for (unsigned i = 0; i < 15 && loads; i++)
        if (list >> i & 1) *(users ? a32_register_of(core, MODE_USR, i) : &core->r[i]) = values[i];
    if (!loads || !(list >> ARM_PC)) return A32_GOES_ON;
    core->extra += 2;
    return returns ? return_to(core, values[ARM_PC], *saved_of(core)) : go(core, values[ARM_PC]);
}

/* One register to the stack, or from it, is a transfer like others; swp, and claims. */
static int exchange(oak_core *core, unsigned row, uint32_t word, uint64_t now)
{
    unsigned bytes = row == A32_SWPB ? 1 : 4;
    uint32_t address = R(16), old;
    if (bytes == 4 && address & 3) {
        core->stores = false;
        return kit_fail(core, OAK_FAULT_UNALIGNED, address) ? A32_GOES : A32_FAULTS;
    }
    if (!a32_load(core, address, bytes, now, &old) || !a32_store(core, address, bytes, R(0), now))
        return A32_FAULTS;
    R(12) = old;
    return A32_GOES_ON;
}

static int claim(oak_core *core, uint32_t word, uint64_t now)
{
    static const uint8_t sizes[] = {4, 8, 1, 2};
    unsigned bytes = sizes[word >> 21 & 3], part = bytes == 8 ? 4 : bytes;
    bool loads = BIT(20);
    uint32_t address = R(16), value = loads ? 0 : R(0), second = core->r[(word & 15) | 1];
    core->stores = !loads;
    if (address & (bytes - 1)) return kit_fail(core, OAK_FAULT_UNALIGNED, address) ? A32_GOES : A32_FAULTS;
    if (!loads && (!core->claimed || core->claim != address)) {
        R(12) = 1;
        core->claimed = false;
        return A32_GOES_ON;
    }
    if (loads ? !a32_load(core, address, part, now, &value) ||
                    (bytes == 8 && !a32_load(core, address + 4, 4, now, &second))
              : !a32_store(core, address, part, value, now) ||
                    (bytes == 8 && !a32_store(core, address + 4, 4, second, now)))
        return A32_FAULTS;
    core->claimed = loads;
    core->claim = address;
    R(12) = loads ? value : 0;
    if (loads && bytes == 8) core->r[(word >> 12 & 15) | 1] = second;
    return A32_GOES_ON;
}

/* rfe: pc and cpsr from memory; srs: lr and spsr to the stack of a mode. */
static int frame(oak_core *core, uint32_t word, uint64_t now)
{
    bool loads = BIT(20);
    uint32_t *base = loads ? &R(16) : a32_register_of(core, word & CPSR_MODE, ARM_SP);
    uint32_t address = BIT(23) ? *base : *base - 8, moved = BIT(23) ? *base + 8 : *base - 8, values[2];
    if (BIT(24) == BIT(23)) address += 4;
    core->stores = !loads;
    if (address & 3) return kit_fail(core, OAK_FAULT_UNALIGNED, address) ? A32_GOES : A32_FAULTS;
    if (!a32_is_privileged(core) || (!loads && !a32_has_spsr(core)))
        return kit_fail(core, OAK_FAULT_BAD_RETURN, address) ? A32_GOES : A32_FAULTS;
    for (unsigned i = 0; i < 2; i++) {
        uint32_t one = i ? *saved_of(core) : core->r[ARM_LR];
        if (loads ? !a32_load(core, address + 4 * i, 4, now, &values[i])
                  : !a32_store(core, address + 4 * i, 4, one, now))
            return A32_FAULTS;
    }
    if (BIT(21)) *base = moved;
    if (!loads) return A32_GOES_ON;
    core->extra = 2;
    if (values[1] & CPSR_T) return kit_fail(core, OAK_FAULT_ODD_JUMP, values[0] | 1) ? A32_GOES : A32_FAULTS;
    a32_returns(core, values[1]);
    core->goes = kit_slot(core, values[0] & ~(uint32_t)3);
    core->kit.attention = true;
    return A32_GOES;
}

/* ------------------------------------------------------------------------------------------ the whole */

int a32_execute(oak_core *core, unsigned row, uint32_t word, uint32_t here, uint64_t now)
{
    uint32_t carry = carry_of(core);
    core->r[ARM_PC] = here + 8;
    core->extra = 0;
    switch (row) {
    case A32_BX: return go(core, R(0));
    case A32_BLX: {
        uint32_t target = R(0);
        int goes = go(core, target);
        if (goes == A32_GOES) core->r[ARM_LR] = here + 4;
        return goes;
    }
    case A32_SVC: (void)kit_fail(core, OAK_FAULT_NO_HANDLER, A32_SUPERVISOR); return A32_FAULTS;
    case A32_BKPT: (void)kit_fail(core, OAK_FAULT_BREAKPOINT, here); return A32_FAULTS;
    case A32_UDF: (void)kit_fail(core, OAK_FAULT_RESERVED, here); return A32_FAULTS;
    case A32_MRS: {
        uint32_t cpsr = a32_cpsr(core);
        R(12) = !BIT(22) ? cpsr : a32_has_spsr(core) ? *saved_of(core) : 0;
        return A32_GOES_ON;
    }
    case A32_MSR: return write_status(core, word, R(0));
    case A32_MSR_I: return write_status(core, word, second_operand(core, word, &carry));
    case A32_CPSIE:
    case A32_CPSID:
    case A32_CPSIE_MODE:
    case A32_CPSID_MODE:
    case A32_CPS: return change_state(core, word);
    case A32_WFE:
        if (!core->event) core->asleep = true;
        core->event = false;
        core->kit.attention = true;
        return A32_GOES_ON;
    case A32_WFI: core->asleep = core->kit.attention = true; return A32_GOES_ON;
    case A32_SEV: core->event = true; return A32_GOES_ON;
    case A32_CLREX: core->claimed = false; return A32_GOES_ON;
    case A32_SWP:
    case A32_SWPB: return exchange(core, row, word, now);
    default: break;
    }
    if (row >= A32_LDREX && row <= A32_STREXH) return claim(core, word, now);
    if (row >= A32_RFE && row <= A32_SRSDA) return frame(core, word, now);
    if (row == A32_PUSH || row == A32_POP || (row >= A32_STM && row <= A32_LDMDA_USER))
        return transfer_many(core, word, now);
    if (row == A32_PUSH_ONE || row == A32_POP_ONE || (row >= A32_LDR_WORD && row < A32_STM))
        return transfer(core, row, word, now);
    return data(core, word);
}
