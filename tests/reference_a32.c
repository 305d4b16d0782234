#include "reference_a32.h"

#include <string.h>

#define FIELD(high, low) (code >> (low) & ((2u << ((high) - (low))) - 1))
#define BIT(n)           (code >> (n)&1)
#define REG(low)         (*refa_register(m, m->mode, FIELD((low) + 3, low)))
#define PC               m->r[0][15]

unsigned refa_bank(uint32_t mode)
{
    static const uint8_t modes[] = {0x11, 0x12, 0x13, 0x17, 0x1B};
    for (unsigned i = 0; i < sizeof modes; i++)
        if (modes[i] == (mode & 31)) return i + 1;
    return REFA_USER;
}

uint32_t *refa_register(refa *m, uint32_t mode, unsigned number)
{
    unsigned bank = refa_bank(mode);
    bool own = (number == 13 || number == 14) || (bank == REFA_FIQ && number >= 8 && number < 13);
    return &m->r[own ? bank : 0][number];
}

uint32_t refa_cpsr(const refa *m)
{
    return (uint32_t)m->n << 31 | (uint32_t)m->z << 30 | (uint32_t)m->c << 29 | (uint32_t)m->v << 28 |
           (uint32_t)m->q << 27 | m->ge << 16 | (uint32_t)m->a << 8 | (uint32_t)m->i << 7 |
           (uint32_t)m->f << 6 | m->mode;
}

void refa_set_cpsr(refa *m, uint32_t value)
{
    m->n = value >> 31, m->z = value >> 30 & 1, m->c = value >> 29 & 1, m->v = value >> 28 & 1,
    m->q = value >> 27 & 1;
    m->ge = value >> 16 & 15;
    m->a = value >> 8 & 1, m->i = value >> 7 & 1, m->f = value >> 6 & 1;
    uint32_t mode = value & 31;
    if (refa_bank(mode) || mode == 0x10 || mode == 0x1F) m->mode = mode;
}

/* ------------------------------------------------------------------------------------------ exceptions, memory */

static void take(refa *m, unsigned vector, uint32_t mode, uint32_t link)
{
    uint32_t saved = refa_cpsr(m);
    m->mode = mode;
    m->spsr[refa_bank(mode)] = saved;
    *refa_register(m, mode, 14) = link;
    m->i = true;
    if (vector >= 12) m->a = true;
    PC = vector;
    m->cycles = 3;
    m->trapped = true;
    m->claimed = false;
}

static uint32_t here; /* of the instruction under way */

static void abort_data(refa *m)
{
    take(m, 0x10, 0x17, here + 8);
}
static void undefined(refa *m)
{
    take(m, 4, 0x1B, here + 4);
}

static bool there(uint32_t at, unsigned bytes)
{
    return at < 65536 && 65536 - at >= bytes;
}

static bool get(refa *m, uint32_t at, unsigned bytes, uint32_t *value)
{
    if (!there(at, bytes)) return abort_data(m), false;
    *value = 0;
    for (unsigned i = bytes; i-- > 0;) *value = *value << 8 | m->mem[at + i];
    return true;
}

static bool put(refa *m, uint32_t at, unsigned bytes, uint32_t value)
{
    if (!there(at, bytes)) return abort_data(m), false;
    for (unsigned i = 0; i < bytes; i++, value >>= 8) m->mem[at + i] = (uint8_t)value;
    return true;
}

/* ------------------------------------------------------------------------------------------ the manual's functions */

static bool holds(const refa *m, unsigned condition)
{
    switch (condition) {
    case 0: return m->z;
    case 1: return !m->z;
    case 2: return m->c;
    case 3: return !m->c;
    case 4: return m->n;
    case 5: return !m->n;
    case 6: return m->v;
    case 7: return !m->v;
    case 8: return m->c && !m->z;
    case 9: return !m->c || m->z;
    case 10: return m->n == m->v;
    case 11: return m->n != m->v;
    case 12: return !m->z && m->n == m->v;
    case 13: return m->z || m->n != m->v;
    default: return true;
    }
}

/* One place at a time. */
static uint32_t shift(unsigned kind, uint32_t value, unsigned by, bool *carry)
{
    for (unsigned i = 0; i < by; i++) {
        bool high = value >> 31, low = value & 1;
        *carry = kind == 0 ? high : low;
        if (kind == 0) value <<= 1;
        else value = value >> 1 | (kind == 2 ? (uint32_t)high << 31 : kind == 3 ? (uint32_t)low << 31 : 0);
    }
    return value;
}

static uint32_t shift_by_constant(uint32_t code, uint32_t value, bool *carry)
{
    unsigned kind = FIELD(6, 5), by = FIELD(11, 7);
    if (kind == 3 && !by) { /* rrx */
        bool out = value & 1;
        value = value >> 1 | (uint32_t)*carry << 31;
        *carry = out;
        return value;
    }
    return shift(kind, value, kind && !by ? 32 : by, carry);
}

static uint32_t add_with_carry(refa *m, uint32_t x, uint32_t y, bool in, bool sets)
{
    uint64_t sum = (uint64_t)x + y + in;
    int64_t with_signs = (int64_t)(int32_t)x + (int32_t)y + in;
    uint32_t result = (uint32_t)sum;
    if (sets) m->c = result != sum, m->v = (int32_t)result != with_signs;
    return result;
}

static uint32_t clip(refa *m, int64_t value, unsigned bits, bool with_sign)
{
    int64_t top = ((int64_t)1 << (with_sign ? bits - 1 : bits)) - 1, bottom = with_sign ? -top - 1 : 0;
    if (value > top || value < bottom) m->q = true;
    return (uint32_t)(value > top ? top : value < bottom ? bottom : value);
}

static void go_to(refa *m, uint32_t target)
{
    if (target & 1) m->stuck = true;
    else PC = target & ~3u;
}

static void come_back(refa *m, uint32_t target, uint32_t status)
{
    if (!refa_bank(m->mode) || status & 0x20) {
        m->stuck = true;
        return;
    }
    refa_set_cpsr(m, status);
    m->claimed = false;
    PC = target & ~3u;
}

/* ------------------------------------------------------------------------------------------ data processing */

static void data(refa *m, uint32_t code)
{
    unsigned what = FIELD(24, 21), d = FIELD(15, 12);
    bool sets = BIT(20), carry = m->c, logic = false, keeps = what >= 8 && what <= 11;
    uint32_t second, first = FIELD(19, 16) == 15 ? here + 8 : REG(16), result;
    m->cycles = 1;
    if (BIT(25)) {
        unsigned by = 2 * FIELD(11, 8);
        second = shift(3, FIELD(7, 0), by, &carry);
    } else {
        uint32_t value = FIELD(3, 0) == 15 ? here + 8 : REG(0);
        if (BIT(4)) second = shift(FIELD(6, 5), value, REG(8) & 0xFF, &carry), m->cycles = 2;
        else second = shift_by_constant(code, value, &carry);
    }
    bool n = m->n, z = m->z, c = m->c, v = m->v;
    switch (what) {
    case 0:
    case 8: result = first & second, logic = true; break;
    case 1:
    case 9: result = first ^ second, logic = true; break;
    case 2:
    case 10: result = add_with_carry(m, first, ~second, true, sets); break;
    case 3: result = add_with_carry(m, ~first, second, true, sets); break;
    case 4:
    case 11: result = add_with_carry(m, first, second, false, sets); break;
    case 5: result = add_with_carry(m, first, second, m->c, sets); break;
    case 6: result = add_with_carry(m, first, ~second, m->c, sets); break;
    case 7: result = add_with_carry(m, ~first, second, m->c, sets); break;
    case 12: result = first | second, logic = true; break;
    case 13: result = second, logic = true; break;
    case 14: result = first & ~second, logic = true; break;
    default: result = ~second, logic = true; break;
    }
    if (sets && logic) m->c = carry;
    if (sets) m->n = result >> 31, m->z = !result;
    if (keeps) return;
    if (d != 15) {
        REG(12) = result;
        return;
    }
    m->cycles += 2;
    if (!sets) go_to(m, result);
    else {
        m->n = n, m->z = z, m->c = c, m->v = v;
        come_back(m, result, m->spsr[refa_bank(m->mode)]);
    }
}

/* ------------------------------------------------------------------------------------------ products, halves, bits */

static int64_t half(uint32_t value, bool top)
{
    return (int16_t)(top ? value >> 16 : value & 0xFFFF);
}

static void products(refa *m, uint32_t code)
{
    static const uint8_t cycles[] = {2, 3, 4, 3, 3, 4, 3, 4};
    unsigned what = FIELD(23, 21);
    uint64_t product =
        what >= 6 ? (uint64_t)((int64_t)(int32_t)REG(0) * (int32_t)REG(8)) : (uint64_t)REG(0) * REG(8);
    m->cycles = cycles[what];
    if (what < 2 || what == 3) {
        uint32_t result = (uint32_t)product;
        if (what == 1) result += REG(12);
        if (what == 3) result = REG(12) - result;
        REG(16) = result;
        if (BIT(20)) m->n = result >> 31, m->z = !result;
        return;
    }
    if (what == 2) product += (uint64_t)REG(12) + REG(16);
    else if (what & 1) product += (uint64_t)REG(16) << 32 | REG(12);
    REG(16) = (uint32_t)(product >> 32), REG(12) = (uint32_t)product;
    if (BIT(20)) m->n = product >> 63, m->z = !product;
}

static void half_products(refa *m, uint32_t code)
{
    int64_t y = half(REG(8), BIT(6)), x = half(REG(0), BIT(5)), sum;
    m->cycles = 1;
    switch (FIELD(22, 21)) {
    case 0: sum = x * y + (int32_t)REG(12); break;
    case 1:
        sum = ((int64_t)(int32_t)REG(0) * y) >> 16;
        if (!BIT(5)) sum += (int32_t)REG(12);
        break;
    case 2: {
        uint64_t whole = ((uint64_t)REG(16) << 32 | REG(12)) + (uint64_t)(x * y);
        REG(16) = (uint32_t)(whole >> 32), REG(12) = (uint32_t)whole;
        m->cycles = 2;
        return;
    }
    default: sum = x * y; break;
    }
    if (sum > INT32_MAX || sum < INT32_MIN) m->q = true;
    REG(16) = (uint32_t)sum;
}

static void saturating(refa *m, uint32_t code)
{
    int64_t n = (int32_t)REG(16);
    if (BIT(22)) n = (int32_t)clip(m, 2 * n, 32, true);
    REG(12) = clip(m, (int32_t)REG(0) + (BIT(21) ? -n : n), 32, true);
}

static void lanes(refa *m, uint32_t code)
{
    unsigned how = FIELD(22, 20), what = FIELD(7, 5), bits = what & 4 ? 8 : 16, count = 32 / bits;
    bool with_sign = !(how & 4);
    uint32_t result = 0;
    int32_t x[4], y[4], r[4];
    if ((what != 0 && what != 1 && what != 2 && what != 3 && what != 4 && what != 7) || !(how & 3)) {
        undefined(m);
        return;
    }
    for (unsigned i = 0; i < count; i++) {
        uint32_t p = REG(16) >> i * bits, q = REG(0) >> i * bits;
        x[i] = bits == 8 ? (with_sign ? (int8_t)p : (uint8_t)p) : (with_sign ? (int16_t)p : (uint16_t)p);
        y[i] = bits == 8 ? (with_sign ? (int8_t)q : (uint8_t)q) : (with_sign ? (int16_t)q : (uint16_t)q);
    }
    unsigned ge = 0;
    for (unsigned i = 0; i < count; i++) {
        bool crossed = what == 1 || what == 2, minus = what == 3 || what == 7;
        if (crossed) minus = what == 1 ? i == 0 : i == 1;
        r[i] = minus ? x[i] - y[crossed ? 1 - i : i] : x[i] + y[crossed ? 1 - i : i];
        bool not_below = with_sign || minus ? r[i] >= 0 : r[i] >= 1 << bits;
        ge |= not_below ? (bits == 8 ? 1u << i : 3u << 2 * i) : 0;
        int32_t top = (1 << (with_sign ? bits - 1 : bits)) - 1, bottom = with_sign ? -top - 1 : 0;
        if ((how & 3) == 2) r[i] = r[i] > top ? top : r[i] < bottom ? bottom : r[i];
        if ((how & 3) == 3) r[i] = (r[i] - (r[i] & 1)) / 2;
        result |= ((uint32_t)r[i] & (bits == 8 ? 0xFFu : 0xFFFFu)) << i * bits;
    }
    if ((how & 3) == 1) m->ge = ge;
    REG(12) = result;
}

static uint32_t turned(uint32_t value, unsigned by)
{
    bool carry;
    return shift(3, value, by, &carry);
}

/* 01101xxx: packing, saturation, extension, reversal. */
static void packing(refa *m, uint32_t code)
{
    unsigned what = FIELD(22, 20), how = FIELD(7, 5);
    bool carry = false, no_sign = BIT(22);
    uint32_t value;
    if (what == 0 && !(how & 1)) { /* pkhbt, pkhtb */
        value = BIT(6) ? shift(2, REG(0), FIELD(11, 7) ? FIELD(11, 7) : 32, &carry) : REG(0) << FIELD(11, 7);
        REG(12) =
            BIT(6) ? (REG(16) & 0xFFFF0000) | (value & 0xFFFF) : (value & 0xFFFF0000) | (REG(16) & 0xFFFF);
    } else if (what == 0 && how == 5) {
        value = 0;
        for (unsigned i = 0; i < 4; i++) value |= (m->ge >> i & 1 ? REG(16) : REG(0)) & 0xFFu << 8 * i;
        REG(12) = value;
    } else if ((what & 2) && !(how & 1)) {
        value = BIT(6) ? shift(2, REG(0), FIELD(11, 7) ? FIELD(11, 7) : 32, &carry) : REG(0) << FIELD(11, 7);
        REG(12) = clip(m, (int32_t)value, no_sign ? FIELD(20, 16) : FIELD(20, 16) + 1, !no_sign);
    } else if ((what & 3) == 2 && how == 1) {
        unsigned bits = no_sign ? FIELD(19, 16) : FIELD(19, 16) + 1;
        value = clip(m, half(REG(0), false), bits, !no_sign) & 0xFFFF;
        REG(12) = value | clip(m, half(REG(0), true), bits, !no_sign) << 16;
    } else if (how == 3) {
        value = turned(REG(0), 8 * FIELD(11, 10));
        uint32_t low = no_sign ? (uint8_t)value : (uint32_t)(int8_t)value,
                 high = no_sign ? (uint8_t)(value >> 16) : (uint32_t)(int8_t)(value >> 16);
        uint32_t base = FIELD(19, 16) == 15 ? 0 : REG(16);
        if ((what & 3) == 0) REG(12) = ((base + low) & 0xFFFF) | ((base >> 16) + high) << 16;
        else if ((what & 3) == 2) REG(12) = base + low;
        else REG(12) = base + (no_sign ? (uint16_t)value : (uint32_t)(int16_t)value);
    } else if (what == 3 || what == 7) {
        uint8_t b[4];
        value = REG(0);
        for (unsigned i = 0; i < 4; i++) b[i] = (uint8_t)(value >> 8 * i);
        uint32_t bits = 0;
        for (unsigned i = 0; i < 32; i++) bits = bits << 1 | (value >> i & 1);
        if (what == 3)
            REG(12) = how == 1 ? (uint32_t)b[0] << 24 | (uint32_t)b[1] << 16 | (uint32_t)b[2] << 8 | b[3]
                               : (uint32_t)b[2] << 24 | (uint32_t)b[3] << 16 | (uint32_t)b[0] << 8 | b[1];
        else REG(12) = how == 1 ? bits : (uint32_t)(int16_t)(b[0] << 8 | b[1]);
    } else undefined(m);
}

/* 01110xxx and 01111xxx: sums of products, division, fields of bits. */
static void dividing(refa *m, uint32_t code)
{
    unsigned what = FIELD(24, 20), how = FIELD(7, 5), a = FIELD(15, 12);
    uint32_t crossed = how & 1 ? REG(8) >> 16 | REG(8) << 16 : REG(8);
    int64_t low = half(REG(0), false) * half(crossed, false), high = half(REG(0), true) * half(crossed, true);
    m->cycles = 1;
    if (what == 0x10 && how < 4) {
        int64_t sum = (how & 2 ? low - high : low + high) + (a == 15 ? 0 : (int64_t)(int32_t)REG(12));
        if (sum > INT32_MAX || sum < INT32_MIN) m->q = true;
        REG(16) = (uint32_t)sum;
    } else if (what == 0x14 && how < 4) {
        uint64_t sum = ((uint64_t)REG(16) << 32 | REG(12)) + (uint64_t)(how & 2 ? low - high : low + high);
        REG(16) = (uint32_t)(sum >> 32), REG(12) = (uint32_t)sum;
        m->cycles = 2;
    } else if (what == 0x15 && (how < 2 || (how > 5 && a != 15))) {
        uint64_t product = (uint64_t)((int64_t)(int32_t)REG(0) * (int32_t)REG(8)),
                 base = a == 15 ? 0 : (uint64_t)REG(12) << 32;
        base = how > 5 ? base - product : base + product;
        if (how & 1) base += 0x80000000u;
        REG(16) = (uint32_t)(base >> 32);
        m->cycles = 2;
    } else if ((what == 0x11 || what == 0x13) && how == 0 && a == 15) {
        int64_t of = what == 0x11 ? (int32_t)REG(0) : (int64_t)REG(0),
                by = what == 0x11 ? (int32_t)REG(8) : (int64_t)REG(8);
        int64_t quotient = by ? of / by : 0;
        uint32_t size = (uint32_t)quotient;
        if (what == 0x11 && (int32_t)size < 0) size = 0 - size;
        unsigned bits = 0;
        while (size) bits++, size >>= 1;
        REG(16) = (uint32_t)quotient;
        m->cycles = 2 + (10 * bits + 31) / 32;
    } else if (what == 0x18 && how == 0) {
        uint32_t sum = a == 15 ? 0 : REG(12);
        for (unsigned i = 0; i < 32; i += 8) {
            unsigned x = REG(0) >> i & 255, y = REG(8) >> i & 255;
            sum += x > y ? x - y : y - x;
        }
        REG(16) = sum;
    } else if ((what & 0x1A) == 0x1A && (how & 3) == 2) {
        unsigned lsb = FIELD(11, 7), width = FIELD(20, 16) + 1;
        uint64_t value = REG(0) >> lsb & (((uint64_t)1 << width) - 1);
        bool negative = !(what & 4) && value >> (width - 1) & 1;
        REG(12) = (uint32_t)(negative ? value - ((uint64_t)1 << width) : value);
    } else if ((what & 0x1E) == 0x1C && (how & 3) == 0) {
        uint32_t from = FIELD(3, 0) == 15 ? 0 : REG(0), value = REG(12);
        for (unsigned bit = FIELD(11, 7); bit <= FIELD(20, 16); bit++, from >>= 1)
            value = (value & ~(1u << bit)) | (from & 1) << bit;
        REG(12) = value;
    } else undefined(m);
}

/* ------------------------------------------------------------------------------------------ memory */

static void move_one(refa *m, uint32_t code)
{
    bool extra = !FIELD(27, 26), load = BIT(20), up = BIT(23), index = BIT(24), carry = m->c;
    unsigned kind = FIELD(6, 5), bytes, t = FIELD(15, 12), n = FIELD(19, 16);
    bool pair = extra && !load && kind >= 2, with_sign = extra && load && kind >= 2;
    uint32_t offset, base = n == 15 ? here + 8 : REG(16), value = 0, second = 0;
    if (extra) offset = BIT(22) ? FIELD(11, 8) << 4 | FIELD(3, 0) : REG(0);
    else offset = BIT(25) ? shift_by_constant(code, REG(0), &carry) : FIELD(11, 0);
    if (pair) load = kind == 2;
    bytes = pair ? 4 : extra ? (kind == 2 ? 1 : 2) : BIT(22) ? 1 : 4;
    uint32_t moved = up ? base + offset : base - offset, at = index ? moved : base;
    m->cycles = (load ? 3 : 2) + pair;
    if (pair && at & 3) {
        abort_data(m);
        return;
    }
    if (load) {
        if (!get(m, at, bytes, &value) || (pair && !get(m, at + 4, 4, &second))) return;
        if (with_sign) value = bytes == 1 ? (uint32_t)(int8_t)value : (uint32_t)(int16_t)value;
        if (t == 15 && value & 1) {
            m->stuck = true;
            return;
        }
    } else {
        if (!put(m, at, bytes, t == 15 ? here + 8 : REG(12))) return;
        if (pair && !put(m, at + 4, 4, *refa_register(m, m->mode, t + 1))) return;
    }
    if (!index || BIT(21)) REG(16) = moved;
    if (!load) return;
    if (t == 15) go_to(m, value), m->cycles = 5;
    else REG(12) = value;
    if (pair) *refa_register(m, m->mode, t + 1) = second;
}

static void move_many(refa *m, uint32_t code)
{
    bool load = BIT(20), before = BIT(24), up = BIT(23), pc = BIT(15), caret = BIT(22);
    uint32_t count = 0, values[16], base = REG(16), at;
    for (unsigned i = 0; i < 16; i++) count += code >> i & 1;
    uint32_t mode = caret && !(load && pc) ? 0x10 : m->mode;
    at = up ? base + (before ? 4 : 0) : base - 4 * count + (before ? 0 : 4);
    m->cycles = (load ? 2 : 1) + count;
    if (at & 3) {
        abort_data(m);
        return;
    }
    if (load && pc && caret && !refa_bank(m->mode)) {
        m->stuck = true;
        return;
    }
    for (unsigned i = 0; i < 16; i++) {
        if (!(code >> i & 1)) continue;
        if (load ? !get(m, at, 4, &values[i])
                 : !put(m, at, 4, i == 15 ? here + 8 : *refa_register(m, mode, i)))
            return;
        at += 4;
    }
    if (load && pc && values[15] & 1) {
        m->stuck = true;
        return;
    }
    if (BIT(21)) REG(16) = up ? base + 4 * count : base - 4 * count;
    for (unsigned i = 0; i < 15 && load; i++)
        if (code >> i & 1) *refa_register(m, mode, i) = values[i];
    if (!load || !pc) return;
    m->cycles += 2;
    if (caret) come_back(m, values[15], m->spsr[refa_bank(m->mode)]);
    else go_to(m, values[15]);
}

static void exchange(refa *m, uint32_t code)
{
    uint32_t at = REG(16), old, second = 0;
    if (!BIT(23)) { /* swp */
        unsigned bytes = BIT(22) ? 1 : 4;
        m->cycles = 4;
        if (bytes == 4 && at & 3) abort_data(m);
        else if (get(m, at, bytes, &old) && put(m, at, bytes, REG(0))) REG(12) = old;
        return;
    }
    static const uint8_t sizes[] = {4, 8, 1, 2};
    unsigned bytes = sizes[FIELD(22, 21)], one = bytes == 8 ? 4 : bytes,
             t = BIT(20) ? FIELD(15, 12) : FIELD(3, 0);
    m->cycles = bytes == 8 ? 4 : 3;
    if (at & (bytes - 1)) {
        abort_data(m);
        return;
    }
    if (BIT(20)) {
        if (!get(m, at, one, &old) || (bytes == 8 && !get(m, at + 4, 4, &second))) return;
        REG(12) = old;
        if (bytes == 8) *refa_register(m, m->mode, t + 1) = second;
        m->claimed = true, m->claim = at;
        return;
    }
    if (!m->claimed || m->claim != at) {
        REG(12) = 1;
        m->claimed = false;
        return;
    }
    if (!put(m, at, one, REG(0)) || (bytes == 8 && !put(m, at + 4, 4, *refa_register(m, m->mode, t + 1))))
        return;
    m->claimed = false;
    REG(12) = 0;
}

/* ------------------------------------------------------------------------------------------ status */

static void set_status(refa *m, uint32_t code, uint32_t value)
{
    uint32_t mask = 0;
    for (unsigned i = 0; i < 4; i++) mask |= BIT(16 + i) ? 0xFFu << 8 * i : 0;
    m->cycles = 1;
    if (BIT(22)) {
        uint32_t *saved = &m->spsr[refa_bank(m->mode)];
        if (refa_bank(m->mode)) *saved = (*saved & ~(mask & 0xFF0FFFFF)) | (value & mask & 0xFF0FFFFF);
        return;
    }
    if (m->mode == 0x10) mask &= 0xF80F0000;
    refa_set_cpsr(m, (refa_cpsr(m) & ~mask) | (value & mask));
}

static void unconditional(refa *m, uint32_t code)
{
    m->cycles = 1;
    if (FIELD(27, 20) == 0x10 && !BIT(16)) { /* cps */
        uint32_t status = refa_cpsr(m), masks = code & 0x1C0;
        if (m->mode == 0x10) return;
        if (FIELD(19, 18) == 2) status &= ~masks;
        if (FIELD(19, 18) == 3) status |= masks;
        if (BIT(17)) status = (status & ~31u) | (code & 31);
        refa_set_cpsr(m, status);
    } else if (FIELD(27, 25) == 4) { /* rfe, srs */
        uint32_t mode = BIT(20) ? m->mode : code & 31;
        uint32_t *base = refa_register(m, mode, BIT(20) ? FIELD(19, 16) : 13), at = *base, first = 0,
                 status = 0;
        uint32_t moved = BIT(23) ? at + 8 : at - 8;
        at = BIT(23) ? at + (BIT(24) ? 4 : 0) : at - 8 + (BIT(24) ? 0 : 4);
        m->cycles = BIT(20) ? 6 : 3;
        if (at & 3) {
            abort_data(m);
            return;
        }
        if (m->mode == 0x10 || (!BIT(20) && !refa_bank(m->mode))) {
            m->stuck = true;
            return;
        }
        if (BIT(20)) {
            if (!get(m, at, 4, &first) || !get(m, at + 4, 4, &status)) return;
            if (BIT(21)) *base = moved;
            if (status & 0x20) m->stuck = true;
            else refa_set_cpsr(m, status), m->claimed = false, PC = first & ~3u;
        } else if (put(m, at, 4, *refa_register(m, m->mode, 14)) &&
                   put(m, at + 4, 4, m->spsr[refa_bank(m->mode)]) && BIT(21))
            *base = moved;
    } else if (FIELD(27, 20) == 0x57) {
        if (FIELD(7, 4) == 1) m->claimed = false;
        else if (FIELD(7, 4) < 4 || FIELD(7, 4) > 6) undefined(m);
    } else if (FIELD(27, 26) != 1) undefined(m); /* else a hint for the cache */
}

/* ------------------------------------------------------------------------------------------ the tree */

/* 00010xx0: status, jumps by registers, saturation, products of halves. */
static void miscellaneous(refa *m, uint32_t code)
{
    unsigned what = FIELD(22, 21), how = FIELD(7, 4);
    m->cycles = 1;
    if (how & 8) half_products(m, code);
    else if (how == 0 && !BIT(21)) {
        uint32_t saved = refa_bank(m->mode) ? m->spsr[refa_bank(m->mode)] : 0;
        REG(12) = BIT(22) ? saved : refa_cpsr(m);
    } else if (how == 0) set_status(m, code, REG(0));
    else if (how == 1 && what == 1) go_to(m, REG(0)), m->cycles = 3;
    else if (how == 1 && what == 3) {
        unsigned zeros = 0;
        while (zeros < 32 && !(REG(0) >> (31 - zeros) & 1)) zeros++;
        REG(12) = zeros;
    } else if (how == 3 && what == 1) {
        uint32_t target = REG(0);
        m->cycles = 3;
        go_to(m, target);
        if (!m->stuck) *refa_register(m, m->mode, 14) = here + 4;
    } else if (how == 5) saturating(m, code);
    else if (how == 7 && what == 1) take(m, 12, 0x17, here + 4);
    else undefined(m);
}

static void with_code_0(refa *m, uint32_t code)
{
    bool special = (FIELD(24, 20) & 0x19) == 0x10;
    if (!BIT(25) && BIT(7) && BIT(4)) {
        if (FIELD(6, 5)) move_one(m, code);
        else if (BIT(24)) exchange(m, code);
        else products(m, code);
    } else if (!BIT(25) && special) miscellaneous(m, code);
    else if (BIT(25) && special && FIELD(22, 20) == 0) {
        m->cycles = 1;
        REG(12) = FIELD(19, 16) << 12 | FIELD(11, 0);
    } else if (BIT(25) && special && FIELD(22, 20) == 4) {
        m->cycles = 1;
        REG(12) = (REG(12) & 0xFFFF) | (FIELD(19, 16) << 12 | FIELD(11, 0)) << 16;
    } else if (BIT(25) && special) {
        bool carry;
        m->cycles = 1;
        if (FIELD(19, 16) || BIT(22)) set_status(m, code, shift(3, FIELD(7, 0), 2 * FIELD(11, 8), &carry));
        else m->sleeps = FIELD(7, 0) == 2 || FIELD(7, 0) == 3;
    } else data(m, code);
}

void refa_step(refa *m)
{
    uint32_t code;
    here = PC;
    m->trapped = m->stuck = m->sleeps = false;
    m->cycles = 1;
    if (!there(here, 4)) {
        take(m, 12, 0x17, here + 4);
        return;
    }
    memcpy(&code, m->mem + here, 4);
    PC = here + 4;
    if (m->refuses && m->refuses(code)) {
        undefined(m);
        return;
    }
    if (FIELD(31, 28) == 15) {
        unconditional(m, code);
        return;
    }
    if (!holds(m, FIELD(31, 28))) return;
    switch (FIELD(27, 25)) {
    case 0:
    case 1: with_code_0(m, code); break;
    case 2: move_one(m, code); break;
    case 3:
        if (!BIT(4)) move_one(m, code);
        else if (FIELD(24, 20) < 8) lanes(m, code);
        else if (FIELD(24, 20) < 16) packing(m, code);
        else dividing(m, code);
        break;
    case 4: move_many(m, code); break;
    case 5: {
        uint32_t by = FIELD(23, 0) << 2;
        if (by >> 25) by |= 0xFC000000;
        if (BIT(24)) *refa_register(m, m->mode, 14) = here + 4;
        PC = here + 8 + by;
        m->cycles = 3;
        break;
    }
    default:
        if (FIELD(27, 24) == 15) take(m, 8, 0x13, here + 4);
        else undefined(m);
    }
}
