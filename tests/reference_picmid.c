/* reference_picmid.c — see reference_picmid.h. */
#include "reference_picmid.h"

enum { Z = 2, DC = 1, C = 0 };

unsigned refpic_home(unsigned address)
{
    static const unsigned char everywhere[] = {0, 2, 3, 4, 10, 11};
    unsigned low = address & 127;
    for (unsigned i = 0; i < sizeof everywhere; i++)
        if (low == everywhere[i]) return low;
    if (low >= 112) return low;
    return low == 1 || low == 6 ? address & 255 : address;
}

bool refpic_is_code(uint16_t code)
{
    if (code & 0xC000 || code >> 8 == 0x3B) return false;
    if (code >> 7) return true; /* clrw, movwf and all that follow */
    switch (code) {
    case 0x00:
    case 0x20:
    case 0x40:
    case 0x60: /* nop */
    case 0x08:
    case 0x09:
    case 0x62:
    case 0x63:
    case 0x64:
    case 0x65:
    case 0x66:
    case 0x67: return true;
    default: return false;
    }
}

/* The bit that a full adder gives, and its carry. */
static unsigned full(unsigned a, unsigned b, unsigned in, unsigned *out)
{
    *out = (a & b) | (a & in) | (b & in);
    return a ^ b ^ in;
}

static uint8_t sum(uint8_t a, uint8_t b, unsigned carry, unsigned *half, unsigned *whole)
{
    uint8_t result = 0;
    for (unsigned i = 0; i < 8; i++) {
        result |= (uint8_t)(full(a >> i & 1, b >> i & 1, carry, &carry) << i);
        if (i == 3) *half = carry;
    }
    *whole = carry;
    return result;
}

static void flag(refpic *m, unsigned bit, bool on)
{
    m->cell[3] = (uint8_t)((m->cell[3] & ~(1u << bit)) | (unsigned)on << bit);
}

static unsigned address_of(const refpic *m, unsigned f)
{
    unsigned irp = m->cell[3] >> 7, rp = m->cell[3] >> 5 & 3;
    return refpic_home(f ? rp * 128 + f : irp * 256 + m->cell[4]);
}

static uint8_t read(const refpic *m, unsigned home)
{
    return home == 0 ? 0 : home == 2 ? (uint8_t)(m->pc + 1) : m->cell[home];
}

/* True when it jumps. `kept`: the flags an instruction that sets some leaves as it found or made them. */
static bool write(refpic *m, unsigned home, uint8_t value, bool sets_flags)
{
    switch (home) {
    case 0: return false;
    case 2: m->pc = (uint16_t)((m->cell[10] << 8 | value) & 0x1FFF); return true;
    case 3:
        m->cell[3] = sets_flags ? (uint8_t)((value & 0xE0) | (m->cell[3] & 0x1F))
                                : (uint8_t)((value & 0xE7) | (m->cell[3] & 0x18));
        return false;
    case 10: m->cell[10] = value & 31; return false;
    default: m->cell[home] = value; return false;
    }
}

static void push(refpic *m)
{
    m->stack[m->levels % 8] = (uint16_t)((m->pc + 1) & 0x1FFF);
    m->levels = (uint8_t)(m->levels % 8 + 1);
}

static void pull(refpic *m)
{
    unsigned from = (m->levels + 7u) % 8;
    m->pc = m->stack[from];
    m->levels = (uint8_t)from;
}

static uint8_t with_w(refpic *m, uint8_t a, bool subtract)
{
    unsigned half, whole;
    uint8_t result = sum(a, subtract ? (uint8_t)~m->w : m->w, subtract, &half, &whole);
    flag(m, C, whole);
    flag(m, DC, half);
    flag(m, Z, !result);
    return result;
}

static void byte_oriented(refpic *m, unsigned code)
{
    unsigned home = address_of(m, code & 127), operation = code >> 8 & 15, carry = m->cell[3] & 1;
    bool to_register = code >> 7 & 1, skips = false, sets = true, jumps = false;
    uint8_t a = read(m, home), result = 0;
    switch (operation) {
    case 0:
        if (!to_register) { /* the codes without an operand */
            m->cycles += (code & 0x7E) == 8 ? 2 : 1;
            if (code == 8 || code == 9) pull(m);
            else m->pc = (m->pc + 1) & 0x1FFF;
            if (code == 9) m->cell[11] |= 0x80;
            if (code == 0x63 || code == 0x64) m->cell[3] |= 0x18;
            if (code == 0x63) m->cell[3] &= 0xF7;
            if (code == 0x62) m->cell[0x81] = m->w;
            if (code >= 0x65 && code <= 0x67) m->cell[0x80 + (code & 7)] = m->w;
            return;
        }
        result = m->w, sets = false;
        break;
    case 1: result = 0; break;
    case 2: result = with_w(m, a, true); break;
    case 3: result = (uint8_t)(a + 255); break;
    case 4: result = a | m->w; break;
    case 5: result = a & m->w; break;
    case 6: result = a ^ m->w; break;
    case 7: result = with_w(m, a, false); break;
    case 8: result = a; break;
    case 9: result = (uint8_t)~a; break;
    case 10: result = (uint8_t)(a + 1); break;
    case 11: result = (uint8_t)(a - 1), skips = !result, sets = false; break;
    case 12: result = (uint8_t)(a >> 1 | carry << 7), flag(m, C, a & 1); break;
    case 13: result = (uint8_t)(a << 1 | carry), flag(m, C, a >> 7); break;
    case 14: result = (uint8_t)(a >> 4 | a << 4), sets = false; break;
    default: result = (uint8_t)(a + 1), skips = !result, sets = false; break;
    }
    if (sets && operation != 12 && operation != 13) flag(m, Z, !result);
    if (to_register) jumps = write(m, home, result, sets);
    else m->w = result;
    if (!jumps) m->pc = (uint16_t)((m->pc + 1 + skips) & 0x1FFF);
    m->cycles += 1u + (skips || jumps);
}

static void bit_oriented(refpic *m, unsigned code)
{
    unsigned home = address_of(m, code & 127), bit = code >> 7 & 7, kind = code >> 10 & 3;
    uint8_t a = read(m, home);
    bool on = a >> bit & 1, skips = kind == 2 ? !on : kind == 3 && on, jumps = false;
    if (kind < 2) jumps = write(m, home, (uint8_t)(kind ? a | 1u << bit : a & ~(1u << bit)), false);
    if (!jumps) m->pc = (uint16_t)((m->pc + 1 + skips) & 0x1FFF);
    m->cycles += 1u + (skips || jumps);
}

static void literal(refpic *m, unsigned code)
{
    uint8_t k = (uint8_t)code, result;
    m->cycles++;
    switch (code >> 10 & 3) {
    case 0: m->w = k; break;
    case 1:
        pull(m);
        m->w = k;
        m->cycles++;
        return;
    case 2:
        result = code & 0x200 ? (code & 0x100 ? 0 : (uint8_t)(m->w ^ k)) : code & 0x100 ? m->w & k : m->w | k;
        m->w = result;
        flag(m, Z, !result);
        break;
    default: {
        unsigned half, whole;
        bool less = !(code & 0x200);
        m->w = sum(k, less ? (uint8_t)~m->w : m->w, less, &half, &whole);
        flag(m, C, whole);
        flag(m, DC, half);
        flag(m, Z, !m->w);
        break;
    }
    }
    m->pc = (m->pc + 1) & 0x1FFF;
}

void refpic_step(refpic *m)
{
    unsigned code = m->code[m->pc];
    switch (code >> 12) {
    case 0: byte_oriented(m, code); break;
    case 1: bit_oriented(m, code); break;
    case 3: literal(m, code); break;
    default:
        if (!(code & 0x800)) push(m);
        m->pc = (uint16_t)((m->cell[10] & 0x18) << 8 | (code & 0x7FF));
        m->cycles += 2;
        break;
    }
}
