/* reference_arm.c — see reference_arm.h. */
#include "reference_arm.h"

#include <string.h>

#define BITS(x, high, low) ((uint32_t)(x) >> (low) & ((2u << ((high) - (low))) - 1))
#define BIT(x, n)          ((uint32_t)(x) >> (n)&1)

static bool failed; /* an access outside the memories; tests run one after the other */

static uint8_t *cell(reference_arm *cpu, uint32_t address)
{
    static uint8_t nowhere;
    if (address - REFERENCE_RAM < REFERENCE_RAM_SIZE) return &cpu->ram[address - REFERENCE_RAM];
    failed = true;
    return &nowhere;
}

static uint32_t load(reference_arm *cpu, uint32_t address, unsigned bytes, bool aligned)
{
    uint32_t value = 0;
    if (aligned && address % bytes) failed = true;
    for (unsigned i = 0; i < bytes; i++) {
        uint32_t at = address + i;
        value |= (uint32_t)(at < REFERENCE_FLASH_SIZE ? cpu->flash[at] : *cell(cpu, at)) << (8 * i);
    }
    return value;
}

static void store(reference_arm *cpu, uint32_t address, unsigned bytes, uint32_t value, bool aligned)
{
    if (aligned && address % bytes) failed = true;
    for (unsigned i = 0; i < bytes && !failed; i++) *cell(cpu, address + i) = (uint8_t)(value >> (8 * i));
}

static void set_nz(reference_arm *cpu, uint32_t value)
{
    cpu->n = value >> 31;
    cpu->z = value == 0;
}

/* AddWithCarry of the manual, by the definitions of unsigned and signed sums. */
static uint32_t add(reference_arm *cpu, uint32_t x, uint32_t y, unsigned carry, bool flags)
{
    uint64_t unsigned_sum = (uint64_t)x + y + carry;
    int64_t signed_sum = (int64_t)(int32_t)x + (int32_t)y + carry;
    uint32_t result = (uint32_t)unsigned_sum;
    if (flags) {
        set_nz(cpu, result);
        cpu->c = unsigned_sum != result;
        cpu->v = signed_sum != (int32_t)result;
    }
    return result;
}

/* Shift_C, bit by bit: kind 0 lsl, 1 lsr, 2 asr, 3 ror, 4 rrx. */
static uint32_t shift(uint32_t value, unsigned kind, unsigned by, bool *carry)
{
    if (kind == 4) {
        bool out = value & 1;
        value = value >> 1 | (uint32_t)*carry << 31;
        *carry = out;
        return value;
    }
    for (unsigned i = 0; i < by; i++) {
        bool low = value & 1, high = value >> 31;
        switch (kind) {
        case 0: *carry = high, value <<= 1; break;
        case 1: *carry = low, value >>= 1; break;
        case 2: *carry = low, value = value >> 1 | (uint32_t)high << 31; break;
        default: *carry = low, value = value >> 1 | (uint32_t)low << 31; break;
        }
    }
    return value;
}

static bool holds(const reference_arm *cpu, unsigned condition)
{
    switch (condition) {
    case 0: return cpu->z;
    case 1: return !cpu->z;
    case 2: return cpu->c;
    case 3: return !cpu->c;
    case 4: return cpu->n;
    case 5: return !cpu->n;
    case 6: return cpu->v;
    case 7: return !cpu->v;
    case 8: return cpu->c && !cpu->z;
    case 9: return !cpu->c || cpu->z;
    case 10: return cpu->n == cpu->v;
    case 11: return cpu->n != cpu->v;
    case 12: return !cpu->z && cpu->n == cpu->v;
    case 13: return cpu->z || cpu->n != cpu->v;
    default: return true;
    }
}

static int32_t extend(uint32_t value, unsigned bits)
{
    return (int32_t)(value << (32 - bits)) >> (32 - bits);
}

static void write(reference_arm *cpu, unsigned number, uint32_t value)
{
    if (number == 15) failed = failed || !(value & 1), cpu->r[15] = value & ~1u;
    else cpu->r[number] = number == 13 ? value & ~3u : value;
}

/* Data processing by the numbering of 32-bit codes; returns whether there is a result. */
static bool process(reference_arm *cpu, unsigned op, uint32_t x, uint32_t y, bool carry, bool flags,
                    uint32_t *result)
{
    switch (op) {
    case 0: *result = x & y; break;
    case 1: *result = x & ~y; break;
    case 2: *result = x | y; break;
    case 3: *result = x | ~y; break;
    case 4: *result = x ^ y; break;
    case 8: *result = add(cpu, x, y, 0, flags); return true;
    case 10: *result = add(cpu, x, y, cpu->c, flags); return true;
    case 11: *result = add(cpu, x, ~y, cpu->c, flags); return true;
    case 13: *result = add(cpu, x, ~y, 1, flags); return true;
    case 14: *result = add(cpu, ~x, y, 1, flags); return true;
    default: return false;
    }
    if (flags) set_nz(cpu, *result), cpu->c = carry;
    return true;
}

static reference_done many(reference_arm *cpu, unsigned n, uint32_t list, bool loads, bool down, bool moves)
{
    uint32_t count = 0, address;
    for (unsigned i = 0; i < 16; i++) count += BIT(list, i);
    address = down ? cpu->r[n] - 4 * count : cpu->r[n];
    uint32_t after = down ? address : address + 4 * count, loaded[16];
    for (unsigned i = 0; i < 16; i++) {
        if (!BIT(list, i)) continue;
        if (loads) loaded[i] = load(cpu, address, 4, true);
        else store(cpu, address, 4, cpu->r[i], true);
        address += 4;
    }
    if (moves) cpu->r[n] = after;
    for (unsigned i = 0; loads && i < 16; i++)
        if (BIT(list, i)) write(cpu, i, loaded[i]);
    return REFERENCE_DONE;
}

static reference_done narrow(reference_arm *cpu, uint16_t hw, bool v7)
{
    uint32_t *r = cpu->r, pc = r[15] + 4, *d = &r[BITS(hw, 2, 0)], *m = &r[BITS(hw, 5, 3)];
    bool carry = cpu->c;
    r[15] += 2;
    switch (hw >> 12) {
    case 0:
    case 1:
        if (BITS(hw, 12, 11) != 3) { /* shifts by a constant */
            unsigned by = BITS(hw, 10, 6), kind = BITS(hw, 12, 11);
            *d = shift(*m, kind, kind && !by ? 32 : by, &carry);
            set_nz(cpu, *d);
            cpu->c = carry;
        } else {
            uint32_t y = BIT(hw, 10) ? BITS(hw, 8, 6) : r[BITS(hw, 8, 6)];
            *d = BIT(hw, 9) ? add(cpu, *m, ~y, 1, true) : add(cpu, *m, y, 0, true);
        }
        return REFERENCE_DONE;
    case 2:
    case 3: {
        uint32_t *one = &r[BITS(hw, 10, 8)], y = hw & 0xFF;
        switch (BITS(hw, 12, 11)) {
        case 0: set_nz(cpu, *one = y); break;
        case 1: add(cpu, *one, ~y, 1, true); break;
        case 2: *one = add(cpu, *one, y, 0, true); break;
        default: *one = add(cpu, *one, ~y, 1, true); break;
        }
        return REFERENCE_DONE;
    }
    case 4:
        if (BITS(hw, 11, 10) == 0) {
            uint32_t x = *d, y = *m;
            switch (BITS(hw, 9, 6)) {
            case 0: *d = x & y; break;
            case 1: *d = x ^ y; break;
            case 2: *d = shift(x, 0, y & 0xFF, &carry); break;
            case 3: *d = shift(x, 1, y & 0xFF, &carry); break;
            case 4: *d = shift(x, 2, y & 0xFF, &carry); break;
            case 5: *d = add(cpu, x, y, cpu->c, true); return REFERENCE_DONE;
            case 6: *d = add(cpu, x, ~y, cpu->c, true); return REFERENCE_DONE;
            case 7: *d = shift(x, 3, y & 0xFF, &carry); break;
            case 8: set_nz(cpu, x & y); return REFERENCE_DONE;
            case 9: *d = add(cpu, ~y, 0, 1, true); return REFERENCE_DONE;
            case 10: add(cpu, x, ~y, 1, true); return REFERENCE_DONE;
            case 11: add(cpu, x, y, 0, true); return REFERENCE_DONE;
            case 12: *d = x | y; break;
            case 13: *d = x * y; break;
            case 14: *d = x & ~y; break;
            default: *d = ~y; break;
            }
            set_nz(cpu, *d);
            cpu->c = carry;
            return REFERENCE_DONE;
        }
        if (BITS(hw, 11, 10) == 1) {
            unsigned to = BITS(hw, 2, 0) | BIT(hw, 7) << 3, from = BITS(hw, 6, 3);
            uint32_t y = from == 15 ? pc : r[from], x = to == 15 ? pc : r[to];
            switch (BITS(hw, 9, 8)) {
            case 0: y += x; /* fall through */
            case 2:
                if (to == 15) r[15] = y & ~1u;
                else write(cpu, to, y);
                return REFERENCE_DONE;
            case 1: add(cpu, x, ~y, 1, true); return REFERENCE_DONE;
            default:
                if (!(y & 1) || y >> 28 == 15) return REFERENCE_SKIPPED;
                if (BIT(hw, 7)) r[14] = r[15] | 1;
                r[15] = y & ~1u;
                return REFERENCE_DONE;
            }
        }
        r[BITS(hw, 10, 8)] = load(cpu, (pc & ~3u) + (hw & 0xFF) * 4, 4, true);
        return REFERENCE_DONE;
    case 5: {
        uint32_t address = *m + r[BITS(hw, 8, 6)];
        static const uint8_t sizes[] = {4, 2, 1, 1, 4, 2, 1, 2};
        unsigned op = BITS(hw, 11, 9), bytes = sizes[op];
        if (op < 3) store(cpu, address, bytes, *d, !v7);
        else {
            uint32_t value = load(cpu, address, bytes, !v7);
            *d = op == 3 || op == 7 ? (uint32_t)extend(value, 8 * bytes) : value;
        }
        return REFERENCE_DONE;
    }
    case 6:
    case 7:
    case 8: {
        unsigned bytes = hw >> 12 == 6 ? 4 : hw >> 12 == 7 ? 1 : 2;
        uint32_t address = *m + BITS(hw, 10, 6) * bytes;
        if (BIT(hw, 11)) *d = load(cpu, address, bytes, !v7);
        else store(cpu, address, bytes, *d, !v7);
        return REFERENCE_DONE;
    }
    case 9: {
        uint32_t address = r[13] + (hw & 0xFF) * 4, *t = &r[BITS(hw, 10, 8)];
        if (BIT(hw, 11)) *t = load(cpu, address, 4, !v7);
        else store(cpu, address, 4, *t, !v7);
        return REFERENCE_DONE;
    }
    case 10: r[BITS(hw, 10, 8)] = (BIT(hw, 11) ? r[13] : pc & ~3u) + (hw & 0xFF) * 4; return REFERENCE_DONE;
    case 11:
        if (hw >> 8 == 0xB0) {
            r[13] += BIT(hw, 7) ? 0u - BITS(hw, 6, 0) * 4 : BITS(hw, 6, 0) * 4;
            return REFERENCE_DONE;
        }
        if ((hw & 0xF500) == 0xB100) {
            uint32_t offset = BIT(hw, 9) << 6 | BITS(hw, 7, 3) << 1;
            if ((r[hw & 7] != 0) == BIT(hw, 11)) r[15] = pc + offset;
            return REFERENCE_DONE;
        }
        if (hw >> 8 == 0xB2) {
            unsigned bits = BIT(hw, 6) ? 8 : 16;
            *d = BIT(hw, 7) ? *m & ((1u << bits) - 1) : (uint32_t)extend(*m, bits);
            return REFERENCE_DONE;
        }
        if (hw >> 9 == 0x5A) return many(cpu, 13, (hw & 0xFFu) | BIT(hw, 8) << 14, false, true, true);
        if (hw >> 9 == 0x5E) return many(cpu, 13, (hw & 0xFFu) | BIT(hw, 8) << 15, true, false, true);
        if (hw >> 8 == 0xBA) {
            uint32_t x = *m, swapped = (x & 0xFF00FF) << 8 | (x >> 8 & 0xFF00FF);
            unsigned op = BITS(hw, 7, 6);
            *d = op == 0 ? swapped << 16 | swapped >> 16 : op == 1 ? swapped : (uint32_t)extend(swapped, 16);
            return REFERENCE_DONE;
        }
        return REFERENCE_SKIPPED;
    case 12: {
        unsigned n = BITS(hw, 10, 8);
        bool in_list = BIT(hw, n), loads = BIT(hw, 11);
        return many(cpu, n, hw & 0xFF, loads, false, !(loads && in_list));
    }
    case 13:
        if (BITS(hw, 11, 8) >= 14) return REFERENCE_SKIPPED;
        if (holds(cpu, BITS(hw, 11, 8))) r[15] = pc + (uint32_t)extend(hw & 0xFF, 8) * 2;
        return REFERENCE_DONE;
    default: r[15] = pc + (uint32_t)extend(hw & 0x7FF, 11) * 2; return REFERENCE_DONE;
    }
}

/* ThumbExpandImm_C */
static uint32_t constant(uint32_t field, bool *carry)
{
    uint32_t byte = field & 0xFF;
    switch (field >> 8) {
    case 0: return byte;
    case 1: return byte | byte << 16;
    case 2: return byte << 8 | byte << 24;
    case 3: return byte | byte << 8 | byte << 16 | byte << 24;
    default: return shift(0x80 | byte, 3, field >> 7, carry);
    }
}

static reference_done transfer(reference_arm *cpu, uint16_t a, uint16_t b)
{
    uint32_t *r = cpu->r, pc = r[15], n = a & 15, base = n == 15 ? (pc & ~3u) : r[n], address = base;
    unsigned size = 1u << BITS(a, 6, 5), t = b >> 12;
    bool loads = BIT(a, 4), is_signed = BIT(a, 8), moves = false;
    if (size == 8) return REFERENCE_SKIPPED;
    if (n == 15) address = BIT(a, 7) ? base + (b & 0xFFF) : base - (b & 0xFFF);
    else if (BIT(a, 7)) address = base + (b & 0xFFF);
    else if (BIT(b, 11)) {
        uint32_t offset = BIT(b, 9) ? b & 0xFF : 0u - (b & 0xFF);
        if (BIT(b, 10)) address = base + offset;
        moves = BIT(b, 8);
        base += offset;
    } else address = base + (r[b & 15] << BITS(b, 5, 4));
    if (t == 15 && (size < 4 || !loads))
        return n == 15 || loads ? REFERENCE_DONE : REFERENCE_SKIPPED; /* pld, pli */
    if (!loads) {
        store(cpu, address, size, r[t], false);
        if (moves) write(cpu, n, base);
        return REFERENCE_DONE;
    }
    uint32_t value = load(cpu, address, size, false);
    if (moves) write(cpu, n, base);
    write(cpu, t, is_signed ? (uint32_t)extend(value, 8 * size) : value);
    return REFERENCE_DONE;
}

static reference_done plain_immediate(reference_arm *cpu, uint16_t a, uint16_t b)
{
    uint32_t *r = cpu->r, field = BIT(a, 10) << 11 | BITS(b, 14, 12) << 8 | (b & 0xFF), n = a & 15,
             d = BITS(b, 11, 8);
    uint32_t lsb = BITS(b, 14, 12) << 2 | BITS(b, 7, 6), width = b & 31, x = n == 15 ? r[15] & ~3u : r[n];
    uint64_t mask = ((uint64_t)1 << (width + 1)) - 1;
    switch (BITS(a, 8, 4)) {
    case 0: write(cpu, d, x + field); break;
    case 10: write(cpu, d, x - field); break;
    case 4: r[d] = n << 12 | field; break;
    case 12: r[d] = (r[d] & 0xFFFF) | n << 28 | field << 16; break;
    case 16:
    case 18:
    case 24:
    case 26: {
        bool carry = false;
        int64_t value = (int32_t)shift(x, BIT(a, 5) ? 2 : 0, lsb, &carry), low, high;
        if (BITS(a, 8, 4) >= 24) low = 0, high = ((int64_t)1 << width) - 1;
        else low = -((int64_t)1 << width), high = ((int64_t)1 << width) - 1;
        if (value < low || value > high) cpu->q = true, value = value < low ? low : high;
        r[d] = (uint32_t)value;
        break;
    }
    case 20: r[d] = (uint32_t)extend((uint32_t)(x >> lsb & mask), width + 1); break;
    case 28: r[d] = (uint32_t)(x >> lsb & mask); break;
    case 22:
        for (unsigned i = lsb; i <= width; i++) {
            uint32_t bit = n == 15 ? 0 : BIT(x, i - lsb);
            r[d] = (r[d] & ~(1u << i)) | bit << i;
        }
        break;
    default: return REFERENCE_SKIPPED;
    }
    return REFERENCE_DONE;
}

static reference_done products(reference_arm *cpu, uint16_t a, uint16_t b)
{
    uint32_t *r = cpu->r, x = r[a & 15], y = r[b & 15], lo = b >> 12, hi = BITS(b, 11, 8);
    int64_t sx = (int32_t)x, sy = (int32_t)y;
    uint64_t sum = (uint64_t)r[hi] << 32 | r[lo], result;
    switch (BITS(a, 7, 4)) {
    case 0: r[hi] = BIT(b, 4) ? r[lo] - x * y : lo == 15 ? x * y : r[lo] + x * y; return REFERENCE_DONE;
    case 8: result = (uint64_t)(sx * sy); break;
    case 10: result = (uint64_t)x * y; break;
    case 12: result = sum + (uint64_t)(sx * sy); break;
    case 14: result = sum + (uint64_t)x * y; break;
    case 9: r[hi] = y ? (uint32_t)(sx / sy) : 0; return REFERENCE_DONE;
    case 11: r[hi] = y ? x / y : 0; return REFERENCE_DONE;
    default: return REFERENCE_SKIPPED;
    }
    r[lo] = (uint32_t)result;
    r[hi] = (uint32_t)(result >> 32);
    return REFERENCE_DONE;
}

static reference_done dual_and_table(reference_arm *cpu, uint16_t a, uint16_t b)
{
    uint32_t *r = cpu->r, n = a & 15, base = n == 15 ? r[15] & ~3u : r[n], t = b >> 12, u = BITS(b, 11, 8);
    if (!BIT(a, 8) && !BIT(a, 5)) { /* exclusive, table branch */
        if (BITS(a, 7, 4) == 13 && BITS(b, 7, 5) == 0) {
            uint32_t start = n == 15 ? r[15] : r[n], index = r[b & 15];
            uint32_t entry =
                BIT(b, 4) ? load(cpu, start + 2 * index, 2, false) : load(cpu, start + index, 1, false);
            r[15] += 2 * entry;
            return REFERENCE_DONE;
        }
        if (BITS(a, 7, 4) == 5) r[t] = load(cpu, base + (b & 0xFF) * 4, 4, true);
        else if (BITS(a, 7, 4) == 13 && BITS(b, 7, 4) == 4) r[t] = load(cpu, base, 1, true);
        else if (BITS(a, 7, 4) == 13 && BITS(b, 7, 4) == 5) r[t] = load(cpu, base, 2, true);
        else if (BITS(a, 7, 4) == 4) { /* nothing is claimed: no store, but the address must be a multiple */
            failed = failed || (base + (b & 0xFF) * 4) % 4;
            r[u] = 1;
        } else if (BITS(a, 7, 4) == 12) {
            failed = failed || (BITS(b, 7, 4) == 5 && base % 2);
            r[b & 15] = 1;
        } else return REFERENCE_SKIPPED;
        return REFERENCE_DONE;
    }
    uint32_t offset = BIT(a, 7) ? (b & 0xFFu) * 4 : 0u - (b & 0xFFu) * 4,
             address = BIT(a, 8) ? base + offset : base;
    if (BIT(a, 4)) {
        uint32_t low = load(cpu, address, 4, true), high = load(cpu, address + 4, 4, true);
        if (BIT(a, 5)) write(cpu, n, base + offset);
        r[t] = low;
        r[u] = high;
    } else {
        store(cpu, address, 4, r[t], true);
        store(cpu, address + 4, 4, r[u], true);
        if (BIT(a, 5)) write(cpu, n, base + offset);
    }
    return REFERENCE_DONE;
}

static reference_done register_group(reference_arm *cpu, uint16_t a, uint16_t b)
{
    uint32_t *r = cpu->r, m = r[b & 15], *d = &r[BITS(b, 11, 8)];
    bool carry = cpu->c, ignored = false;
    if (!BIT(a, 7) && !BIT(b, 7)) { /* shifts by a register */
        *d = shift(r[a & 15], BITS(a, 6, 5), m & 0xFF, &carry);
        if (BIT(a, 4)) set_nz(cpu, *d), cpu->c = carry;
        return REFERENCE_DONE;
    }
    if (!BIT(a, 7)) {
        uint32_t turned = shift(m, 3, BITS(b, 5, 4) * 8, &ignored);
        unsigned bits = BIT(a, 6) ? 8 : 16;
        *d = BIT(a, 4) ? turned & ((1u << bits) - 1) : (uint32_t)extend(turned, bits);
        return REFERENCE_DONE;
    }
    if (BITS(a, 6, 4) == 3) {
        *d = 32;
        for (int i = 31; i >= 0; i--)
            if (BIT(m, i) && *d == 32) *d = (uint32_t)(31 - i);
        return REFERENCE_DONE;
    }
    uint32_t result = 0;
    for (unsigned i = 0; i < 32; i++) {
        unsigned byte = i / 8, to = i;
        switch (BITS(b, 5, 4)) {
        case 0: to = (3 - byte) * 8 + i % 8; break;
        case 1: to = (byte ^ 1) * 8 + i % 8; break;
        case 2: to = 31 - i; break;
        default: to = (byte ^ 1) * 8 + i % 8; break;
        }
        result |= BIT(m, i) << to;
    }
    *d = BITS(b, 5, 4) == 3 ? (uint32_t)extend(result, 16) : result;
    return REFERENCE_DONE;
}

static reference_done branches(reference_arm *cpu, uint16_t a, uint16_t b)
{
    uint32_t s = BIT(a, 10), j1 = BIT(b, 13), j2 = BIT(b, 11), pc = cpu->r[15];
    if (!BIT(b, 12) && !BIT(b, 14)) {
        unsigned condition = BITS(a, 9, 6);
        if (condition >= 14) return REFERENCE_SKIPPED;
        uint32_t offset = s << 20 | j2 << 19 | j1 << 18 | BITS(a, 5, 0) << 12 | BITS(b, 10, 0) << 1;
        if (holds(cpu, condition)) cpu->r[15] = pc + (uint32_t)extend(offset, 21);
        return REFERENCE_DONE;
    }
    if (!BIT(b, 12)) return REFERENCE_SKIPPED;
    uint32_t offset = s << 24 | (uint32_t)(j1 == s) << 23 | (uint32_t)(j2 == s) << 22 | BITS(a, 9, 0) << 12 |
                      BITS(b, 10, 0) << 1;
    if (BIT(b, 14)) cpu->r[14] = pc | 1;
    cpu->r[15] = pc + (uint32_t)extend(offset, 25);
    return REFERENCE_DONE;
}

static reference_done wide(reference_arm *cpu, uint16_t a, uint16_t b, bool v7)
{
    uint32_t *r = cpu->r, n = a & 15, d = BITS(b, 11, 8), op = BITS(a, 8, 5), result;
    bool carry = cpu->c, flags = BIT(a, 4);
    r[15] += 4;
    if ((a & 0xFE40) == 0xE800) {
        bool down = BIT(a, 8), loads = BIT(a, 4);
        return many(cpu, n, b, loads, down, BIT(a, 5));
    }
    if ((a & 0xFE40) == 0xE840) return dual_and_table(cpu, a, b);
    if (a >> 9 == 0x75 ||
        (a >> 11 == 0x1E && !BIT(b, 15) && !BIT(a, 9))) { /* shifted register, modified immediate */
        uint32_t y;
        if (a >> 9 == 0x75) {
            unsigned by = BITS(b, 14, 12) << 2 | BITS(b, 7, 6), kind = BITS(b, 5, 4);
            if (kind == 3 && !by) kind = 4;
            if ((kind == 1 || kind == 2) && !by) by = 32;
            y = shift(r[b & 15], kind, by, &carry);
        } else {
            y = constant(BIT(a, 10) << 11 | BITS(b, 14, 12) << 8 | (b & 0xFF), &carry);
        }
        uint32_t x = n == 15 && (op == 2 || op == 3) ? 0 : r[n];
        if (!process(cpu, op, x, y, carry, flags, &result)) return REFERENCE_SKIPPED;
        if (d != 15) write(cpu, d, result);
        return REFERENCE_DONE;
    }
    if (a >> 11 == 0x1E && !BIT(b, 15)) return plain_immediate(cpu, a, b);
    if (a >> 11 == 0x1E) {
        if ((a & 0xFFF0) == 0xF380 && (b & 0xFF) == 0) { /* msr apsr */
            uint32_t value = r[n];
            cpu->n = BIT(value, 31), cpu->z = BIT(value, 30), cpu->c = BIT(value, 29),
            cpu->v = BIT(value, 28);
            cpu->q = v7 && BIT(value, 27);
            return REFERENCE_DONE;
        }
        if (a == 0xF3EF && (b & 0xFF) == 0) {
            r[d] = (uint32_t)cpu->n << 31 | (uint32_t)cpu->z << 30 | (uint32_t)cpu->c << 29 |
                   (uint32_t)cpu->v << 28 | (uint32_t)cpu->q << 27;
            return REFERENCE_DONE;
        }
        if (!BIT(b, 14) && !BIT(b, 12) && BITS(a, 9, 7) == 7) return REFERENCE_SKIPPED;
        return branches(cpu, a, b);
    }
    if ((a & 0xFE00) == 0xF800) return transfer(cpu, a, b);
    if ((a & 0xFF00) == 0xFA00) return register_group(cpu, a, b);
    if ((a & 0xFF00) == 0xFB00) return products(cpu, a, b);
    return REFERENCE_SKIPPED;
}

reference_done reference_arm_step(reference_arm *cpu, uint16_t first, uint16_t second, bool v7)
{
    failed = false;
    reference_done done = first >> 11 >= 0x1D ? wide(cpu, first, second, v7) : narrow(cpu, first, v7);
    return failed ? REFERENCE_SKIPPED : done;
}
