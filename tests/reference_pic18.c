/* reference_pic18.c — see reference_pic18.h. */
#include "reference_pic18.h"

enum { C = 0, DC = 1, Z = 2, OV = 3, N = 4 };
enum { W = 0xFE8, BANK = 0xFE0, FLAGS = 0xFD8, COUNTER = 0xFF9 };
enum { NOWHERE = 0x1000 };

static uint16_t word_at(const refpic18 *m, uint32_t at)
{
    at &= 0x1FFFE;
    return (uint16_t)(m->code[at] | m->code[at + 1] << 8);
}

bool refpic18_is_code(uint16_t code, uint16_t next)
{
    bool second = next >> 12 == 15;
    if (code >> 12 == 12) return second;
    if (code >> 12 < 14) {
        if (code >> 8 == 1) return code < 0x110;
        if (code >> 8) return true;
        return code == 0 || (code >= 3 && code <= 0x13 && code != 0x14) || code == 0xFF;
    }
    if (code >> 12 == 15 || code >> 8 < 0xE8) return true;
    if (code >> 8 == 0xEE) return code < 0xEE30 && next >> 8 == 0xF0;
    return code >> 8 >= 0xEC && code >> 8 != 0xEE && second;
}

/* The three registers of a pointer go together: what each name does before and behind. */
static unsigned pointer_of(unsigned address)
{
    for (unsigned n = 0; n < 3; n++)
        if (address >= 0xFEBu - 8 * n && address <= 0xFEFu - 8 * n) return 0xFE9u - 8 * n;
    return 0;
}

static unsigned through(refpic18 *m, unsigned address)
{
    unsigned low = pointer_of(address), now, then;
    if (!low) return address;
    now = then = m->cell[low] + 256u * m->cell[low + 1];
    switch (address - low) {
    case 2:
        now = now + m->cell[W] + (m->cell[W] > 127 ? 0x1000u - 256 : 0);
        break; /* with w, which has a sign */
    case 3: now = then = now + 1; break;
    case 4: then = now + 0xFFF; break;
    case 5: then = now + 1; break;
    default: break; /* 6: as it is */
    }
    m->cell[low] = (uint8_t)then, m->cell[low + 1] = then / 256 % 16;
    now %= 0x1000;
    return pointer_of(now) ? NOWHERE : now;
}

uint8_t refpic18_look(const refpic18 *m, unsigned address)
{
    uint32_t top = m->levels ? m->stack[m->levels] : 0;
    switch (address) {
    case 0xFFF: return (uint8_t)(top >> 16);
    case 0xFFE: return (uint8_t)(top >> 8);
    case 0xFFD: return (uint8_t)top;
    case 0xFFC: return m->ends | m->levels;
    case COUNTER: return (uint8_t)m->pc;
    default: return address >= NOWHERE || pointer_of(address) ? 0 : m->cell[address];
    }
}

static uint8_t read(refpic18 *m, unsigned address)
{
    if (address != COUNTER) return refpic18_look(m, address);
    m->cell[0xFFA] = (uint8_t)((m->pc + 2) >> 8);
    m->cell[0xFFB] = (m->pc + 2) >> 16 & 31;
    return (uint8_t)(m->pc + 2);
}

static void write(refpic18 *m, unsigned address, uint8_t value)
{
    static const struct {
        unsigned address;
        uint8_t bits;
    } narrow[] = {{0xFDA, 15}, {0xFE2, 15}, {0xFEA, 15},   {BANK, 15},
                  {0xFFB, 31}, {0xFF8, 63}, {0xFD0, 0x9F}, {FLAGS, 31}};
    if (address == NOWHERE || address == COUNTER) return;
    if (address >= 0xFFD) {
        unsigned shift = 8 * (address - 0xFFD);
        if (m->levels)
            m->stack[m->levels] =
                ((m->stack[m->levels] & ~(255u << shift)) | (uint32_t)value << shift) & 0x1FFFFE;
        return;
    }
    if (address == 0xFFC) {
        m->levels = value & 31;
        m->ends &= value & 0xC0;
        return;
    }
    for (unsigned i = 0; i < sizeof narrow / sizeof *narrow; i++)
        if (narrow[i].address == address) value &= narrow[i].bits;
    m->cell[address] = value;
}

static void flag(refpic18 *m, unsigned bit, bool on)
{
    m->cell[FLAGS] = (uint8_t)((m->cell[FLAGS] & ~(1u << bit)) | (unsigned)on << bit);
}

static void result_flags(refpic18 *m, uint8_t value)
{
    flag(m, Z, !value);
    flag(m, N, value > 127);
}

/* A sum from bit to bit; overflow is a sum of two signs that gives the other one. */
static uint8_t sum(refpic18 *m, uint8_t a, uint8_t b, bool carry)
{
    uint8_t result = 0;
    for (unsigned i = 0; i < 8; i++) {
        unsigned ones = (a >> i & 1u) + (b >> i & 1u) + carry;
        result |= (uint8_t)((ones & 1) << i);
        carry = ones > 1;
        if (i == 3) flag(m, DC, carry);
    }
    flag(m, C, carry);
    flag(m, OV, (a > 127) == (b > 127) && (result > 127) != (a > 127));
    result_flags(m, result);
    return result;
}

static uint8_t difference(refpic18 *m, uint8_t a, uint8_t b, bool no_borrow)
{
    return sum(m, a, (uint8_t)(255 - b), no_borrow);
}

static void skip(refpic18 *m)
{
    m->pc += 2, m->cycles++;
}

/* A write to the low byte of the counter goes there; false else. */
static bool goes(refpic18 *m, unsigned address, uint8_t value)
{
    if (address != COUNTER) return false;
    m->pc = (uint32_t)m->cell[0xFFB] << 16 | (uint32_t)m->cell[0xFFA] << 8 | (value & 0xFE);
    m->lost |= m->pc >= 0x20000;
    m->cycles += 2;
    return true;
}

static unsigned register_of(refpic18 *m, uint16_t code)
{
    unsigned low = code & 255;
    if (code & 256) return through(m, low + 256u * m->cell[BANK]);
    return through(m, low < 128 ? low : low + 0xF00u);
}

static void byte_oriented(refpic18 *m, uint16_t code)
{
    unsigned address = register_of(m, code), operation = code >> 10;
    bool carry = m->cell[FLAGS] & 1, into = code >> 9 & 1, skips = false, flags = true;
    bool reads = !(code >> 9 == 0x34 || code >> 9 == 0x35 || code >> 9 == 0x37);
    uint8_t w = m->cell[W], a = reads ? read(m, address) : 0, result = 0;
    switch (operation) {
    case 1: result = difference(m, a, 1, true); break;
    case 4: result = a | w; break;
    case 5: result = a & w; break;
    case 6: result = a ^ w; break;
    case 7: result = (uint8_t)(255 - a); break;
    case 8: result = sum(m, a, w, carry); break;
    case 9: result = sum(m, a, w, false); break;
    case 10: result = sum(m, a, 1, false); break;
    case 11: result = (uint8_t)(a + 255), skips = !result, flags = false; break;
    case 12: result = (uint8_t)(a / 2 + 128 * carry), flag(m, C, a & 1); break;
    case 13: result = (uint8_t)(2 * a + carry), flag(m, C, a > 127); break;
    case 14: result = (uint8_t)(a % 16 * 16 + a / 16), flags = false; break;
    case 15: result = (uint8_t)(a + 1), skips = !result, flags = false; break;
    case 16: result = (uint8_t)(a / 2 + a % 2 * 128); break;
    case 17: result = (uint8_t)(2 * a + a / 128); break;
    case 18: result = (uint8_t)(a + 1), skips = result != 0, flags = false; break;
    case 19: result = (uint8_t)(a + 255), skips = result != 0, flags = false; break;
    case 20: result = a; break;
    case 21: result = difference(m, w, a, carry); break;
    case 22: result = difference(m, a, w, carry); break;
    case 23: result = difference(m, a, w, true); break;
    default: /* those without a destination */
        into = true;
        switch (code >> 9) {
        case 0x01: { /* mulwf: of partial products */
            unsigned product = 0;
            for (unsigned i = 0; i < 8; i++) product += a >> i & 1 ? (unsigned)w << i : 0;
            m->cell[0xFF3] = (uint8_t)product, m->cell[0xFF4] = (uint8_t)(product >> 8);
            m->pc += 2, m->cycles++;
            return;
        }
        case 0x30: skips = a < w; break;
        case 0x31: skips = a == w; break;
        case 0x32: skips = a > w; break;
        case 0x33: skips = !a; break;
        case 0x34: result = 255, flags = false; break;
        case 0x35: flag(m, Z, true); break;
        case 0x36: result = difference(m, 0, a, true); break;
        default: result = w, flags = false; break;
        }
        if (code >> 9 >= 0x30 && code >> 9 <= 0x33) {
            m->pc += 2, m->cycles++;
            if (skips) skip(m);
            return;
        }
        break;
    }
    if (flags && code >> 9 != 0x35) result_flags(m, result);
    if (into && goes(m, address, result)) return;
    if (!into) m->cell[W] = result;
    else if (address != FLAGS || !flags) write(m, address, result);
    m->pc += 2, m->cycles++;
    if (skips) skip(m);
}

static void bit_oriented(refpic18 *m, uint16_t code)
{
    unsigned address = register_of(m, code), bit = code >> 9 & 7, kind = code >> 12;
    uint8_t a = read(m, address);
    bool on = a >> bit & 1;
    uint8_t result = kind == 8 ? a | 1u << bit : kind == 9 ? (uint8_t)(a & ~(1u << bit)) : a ^ 1u << bit;
    bool tests = kind == 10 || kind == 11;
    if (!tests && goes(m, address, result)) return;
    if (!tests) write(m, address, result);
    m->pc += 2, m->cycles++;
    if (kind == 10 ? on : kind == 11 && !on) skip(m);
}

static void push(refpic18 *m, uint32_t value)
{
    if (m->levels < 31) m->stack[++m->levels] = value & 0x1FFFFF;
    if (m->levels == 31) m->ends |= 0x80;
}

static void pull(refpic18 *m)
{
    if (!m->levels) {
        m->ends |= 0x40;
        m->pc = 0;
        return;
    }
    m->pc = m->stack[m->levels] & 0x1FFFFE;
    if (m->pc >= 0x20000) m->lost = true;
    else m->levels--;
}

static void keep(refpic18 *m)
{
    m->shadow[0] = m->cell[W], m->shadow[1] = m->cell[FLAGS], m->shadow[2] = m->cell[BANK];
}

static void restore(refpic18 *m)
{
    m->cell[W] = m->shadow[0], m->cell[FLAGS] = m->shadow[1], m->cell[BANK] = m->shadow[2];
}

static void table(refpic18 *m, unsigned how, bool reads)
{
    uint32_t at = m->cell[0xFF6] + 256u * m->cell[0xFF7] + 65536u * m->cell[0xFF8];
    if (how == 3) at++;
    if (reads)
        m->cell[0xFF5] = (at & 0x3FFFFF) < 0x20000     ? m->code[at & 0x1FFFF]
                         : (at & 0x3FFFF0) == 0x300000 ? 0xFF
                                                       : 0;
    at += how == 1 ? 1u : how == 2 ? ~0u : 0;
    m->cell[0xFF6] = (uint8_t)at, m->cell[0xFF7] = (uint8_t)(at >> 8), m->cell[0xFF8] = at >> 16 & 63;
}

/* In decimal: the low digit, and what it carries, then the high one. */
static void adjust(refpic18 *m)
{
    unsigned low = m->cell[W] % 16, high = m->cell[W] / 16;
    if (low > 9 || m->cell[FLAGS] & 1 << DC) low += 6;
    high += low / 16;
    if (high > 9 || m->cell[FLAGS] & 1) high += 6;
    if (high > 15) flag(m, C, true);
    m->cell[W] = (uint8_t)(high % 16 * 16 + low % 16);
}

static void without_operands(refpic18 *m, uint16_t code)
{
    m->cycles++;
    if (code >= 0x10 && code <= 0x13) { /* returns */
        if (code & 1) restore(m);
        if (code < 0x12) m->cell[0xFF2] |= 0x80;
        pull(m);
        m->cycles++;
        return;
    }
    m->pc += 2;
    if (code == 5) push(m, m->pc);
    if (code == 6) {
        if (m->levels) m->levels--;
        else m->ends |= 0x40;
    }
    if (code == 7) adjust(m);
    if (code >= 8 && code <= 15) table(m, code & 3, code < 12), m->cycles++;
}

static void literal(refpic18 *m, uint16_t code)
{
    uint8_t k = (uint8_t)code, w = m->cell[W];
    m->cycles++;
    switch (code >> 8) {
    case 8: m->cell[W] = difference(m, k, w, true); break;
    case 9: result_flags(m, m->cell[W] = k | w); break;
    case 10: result_flags(m, m->cell[W] = k ^ w); break;
    case 11: result_flags(m, m->cell[W] = k & w); break;
    case 12:
        m->cell[W] = k;
        pull(m);
        m->cycles++;
        return;
    case 13: m->cell[0xFF3] = (uint8_t)(k * w), m->cell[0xFF4] = (uint8_t)(k * w / 256); break;
    case 14: m->cell[W] = k; break;
    default: m->cell[W] = sum(m, k, w, false); break;
    }
    m->pc += 2;
}

/* Codes from 0xd000 on, and what takes two words. */
static void goes_on(refpic18 *m, uint16_t code, uint16_t next)
{
    uint32_t there = 2 * ((code & 255u) + 256u * (next & 0xFFF)), behind = m->pc + 2;
    if (code >> 12 == 13) {
        int away = code & 0x7FF;
        if (away > 1023) away -= 2048;
        if (code & 0x800) push(m, behind);
        m->pc = (behind + 2u * (unsigned)away) & 0x1FFFFF;
        m->cycles += 2;
    } else if (code >> 11 == 28) { /* on a flag */
        static const unsigned flags[] = {Z, C, OV, N};
        bool on = m->cell[FLAGS] >> flags[code >> 9 & 3] & 1;
        int away = code & 255;
        if (away > 127) away -= 256;
        m->pc = behind;
        if (on == !(code >> 8 & 1)) m->pc = (behind + 2u * (unsigned)away) & 0x1FFFFF, m->cycles++;
        m->cycles++;
    } else if (code >> 8 == 0xEE) {
        unsigned low = 0xFE9 - 8 * (code >> 4 & 3);
        m->cell[low] = (uint8_t)next, m->cell[low + 1] = code & 15;
        m->pc += 4, m->cycles += 2;
    } else if (code >> 12 == 15) {
        m->pc += 2, m->cycles++;
    } else {
        if (code >> 8 == 0xED) keep(m);
        if (code >> 8 != 0xEF) push(m, m->pc + 4);
        m->pc = there;
        m->cycles += 2;
    }
    m->lost |= m->pc >= 0x20000;
}

void refpic18_step(refpic18 *m)
{
    uint16_t code = word_at(m, m->pc), next = word_at(m, m->pc + 2);
    if (code >> 12 == 12) {
        unsigned from = through(m, code & 0xFFF);
        uint8_t value = read(m, from);
        write(m, through(m, next & 0xFFF), value);
        m->pc += 4, m->cycles += 2;
    } else if (code >> 12 > 12) goes_on(m, code, next);
    else if (code >> 12 >= 7) bit_oriented(m, code);
    else if (code >> 8 >= 8 && code >> 8 <= 15) literal(m, code);
    else if (code >> 9 >= 1) byte_oriented(m, code);
    else if (code >> 8 == 1) m->cell[BANK] = code & 15, m->pc += 2, m->cycles++;
    else without_operands(m, code);
    m->pc &= 0x1FFFF; /* the memory of the test is all that there is */
}
