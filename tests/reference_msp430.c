/* reference_msp430.c — see reference_msp430.h. */
#include "reference_msp430.h"

typedef struct place {
    bool in_memory;
    unsigned reg;
    uint16_t address;
} place;

static uint16_t fetch(refmsp *m)
{
    uint16_t at = m->r[0];
    m->r[0] = (uint16_t)(at + 2);
    return (uint16_t)(m->mem[at] + 256 * m->mem[(uint16_t)(at + 1)]);
}

static uint16_t load(const refmsp *m, uint16_t at, bool byte)
{
    return byte ? m->mem[at] : (uint16_t)(m->mem[at] + 256 * m->mem[at + 1]);
}

static void store(refmsp *m, const place *to, bool byte, uint16_t value)
{
    if (!to->in_memory) {
        if (to->reg == 3) return;
        m->r[to->reg] = byte ? value & 0xFF : value;
        if (to->reg == 0) m->r[0] &= 0xFFFE;
        if (to->reg == 2) m->r[2] &= 0x1FF;
        return;
    }
    m->mem[to->address] = (uint8_t)value;
    if (!byte) m->mem[to->address + 1] = (uint8_t)(value >> 8);
}

/* The value of a source; *cost is what finding it takes, *at where it lies. */
static uint16_t source(refmsp *m, unsigned reg, unsigned mode, bool byte, unsigned *cost, place *at,
                       bool *odd)
{
    static const int constant[4] = {0, 1, 2, -1};
    uint16_t mask = byte ? 0xFF : 0xFFFF;
    *at = (place){false, reg, 0};
    *cost = 0;
    if (reg == 3) return (uint16_t)constant[mode] & mask;
    if (reg == 2 && mode >= 2) return mode == 2 ? 4 : 8;
    if (mode == 0) return m->r[reg] & mask;
    *cost = 1;
    at->in_memory = true;
    if (mode == 1) {
        uint16_t base = reg == 2 ? 0 : m->r[reg]; /* of pc: where the word of the distance lies */
        at->address = (uint16_t)(base + fetch(m));
        *cost = 2;
    } else if (mode == 3 && reg == 0) {
        at->in_memory = false;
        return fetch(m) & mask;
    } else {
        at->address = m->r[reg];
        if (mode == 3) m->r[reg] = (uint16_t)(m->r[reg] + (byte && reg != 1 ? 1 : 2));
    }
    if (!byte && at->address % 2) *odd = true;
    return *odd ? 0 : load(m, at->address, byte);
}

static void flags(refmsp *m, bool n, bool z, bool c, bool v)
{
    m->r[2] = (uint16_t)((m->r[2] & ~0x107u) | (v ? 0x100 : 0) | (n ? 4 : 0) | (z ? 2 : 0) | (c ? 1 : 0));
}

static int jump(refmsp *m, uint16_t code)
{
    bool c = m->r[2] & 1, z = m->r[2] & 2, n = m->r[2] & 4, v = m->r[2] & 0x100;
    bool goes[8] = {!z, z, !c, c, n, n == v, n != v, true};
    int distance = code & 0x3FF;
    if (distance >= 0x200) distance -= 0x400;
    if (goes[code >> 10 & 7]) m->r[0] = (uint16_t)(m->r[0] + 2 * distance);
    m->cycles = 2;
    return REFMSP_DONE;
}

static void push(refmsp *m, uint16_t value, bool byte)
{
    m->r[1] = (uint16_t)(m->r[1] - 2);
    place top = {true, 0, m->r[1]};
    store(m, &top, byte, value);
}

static int single(refmsp *m, uint16_t code)
{
    unsigned op = code >> 7 & 7, mode = code >> 4 & 3, reg = code & 15, cost;
    bool byte = code >> 6 & 1, odd = false;
    uint16_t mask = byte ? 0xFF : 0xFFFF, top = byte ? 0x80 : 0x8000;
    place at;
    if (code > 0x1300 || (byte && (op & 1))) return REFMSP_RESERVED;
    if (op == 6) {
        if (m->r[1] % 2) return REFMSP_ODD;
        m->r[2] = load(m, m->r[1], false) & 0x1FF;
        m->r[0] = load(m, (uint16_t)(m->r[1] + 2), false) & 0xFFFE;
        m->r[1] = (uint16_t)(m->r[1] + 4);
        m->cycles = 5;
        return REFMSP_DONE;
    }
    bool is_constant = reg == 3 || (reg == 2 && mode >= 2);
    if (op < 4 && is_constant && mode) return REFMSP_RESERVED;
    if (op < 4 && mode == 3 && reg == 0) return REFMSP_RESERVED; /* of an immediate */
    uint16_t value = source(m, reg, mode, byte, &cost, &at, &odd);
    if (odd) return REFMSP_ODD;
    if (op == 4) {
        if (m->r[1] % 2) return REFMSP_ODD;
        bool itself = !at.in_memory && mode == 0 && reg == 1;
        push(m, itself ? (uint16_t)((value - 2) & mask) : value, byte);
        m->cycles = is_constant || mode == 0 ? 3 : mode == 2 ? 4 : mode == 3 && reg == 0 ? 4 : 5;
        return REFMSP_DONE;
    }
    if (op == 5) {
        if (m->r[1] % 2) return REFMSP_ODD;
        push(m, m->r[0], false);
        m->r[0] = value & 0xFFFE;
        m->cycles = is_constant || mode == 0 || mode == 2 ? 4 : 5;
        return REFMSP_DONE;
    }
    m->cycles = mode == 0 ? 1 : 2 + cost;
    bool c = m->r[2] & 1;
    uint16_t result;
    switch (op) {
    case 0: /* rrc */
        result = (uint16_t)(value / 2 + (c ? top : 0));
        flags(m, result & top, !result, value & 1, (result & top) && !(value & top));
        break;
    case 1: result = (uint16_t)(value << 8 | value >> 8); break;
    case 2: /* rra */
        result = (uint16_t)(value / 2 + (value & top));
        flags(m, result & top, !result, value & 1, false);
        break;
    default: /* sxt */
        result = (uint16_t)(int16_t)(int8_t)value;
        flags(m, result & 0x8000, !result, result, false);
        break;
    }
    store(m, &at, byte, result & mask);
    return REFMSP_DONE;
}

static unsigned decimal(unsigned a, unsigned b, unsigned carry, unsigned digits, bool *out)
{
    unsigned sum = 0, place = 1;
    for (unsigned i = 0; i < digits; i++, place *= 16) {
        unsigned digit = a / place % 16 + b / place % 16 + carry;
        carry = digit > 9;
        if (carry) digit -= 10;
        sum += digit % 16 * place;
    }
    *out = carry;
    return sum;
}

static int both(refmsp *m, uint16_t code)
{
    unsigned op = code >> 12, cost, mode = code >> 4 & 3, reg = code >> 8 & 15;
    bool byte = code >> 6 & 1, memory = code >> 7 & 1, odd = false;
    uint16_t mask = byte ? 0xFF : 0xFFFF, top = byte ? 0x80 : 0x8000;
    place from, to = {memory, code & 15, 0};
    if (memory && to.reg == 3) return REFMSP_RESERVED; /* near a constant: the manual says nothing */
    uint16_t a = source(m, reg, mode, byte, &cost, &from, &odd);
    if (odd) return REFMSP_ODD;
    uint16_t b = to.reg == 3 ? 0 : m->r[to.reg] & mask;
    if (memory) {
        uint16_t base = to.reg == 2 || to.reg == 3 ? 0 : m->r[to.reg];
        to.address = (uint16_t)(base + fetch(m));
        if (!byte && to.address % 2) return REFMSP_ODD;
        b = load(m, to.address, byte);
    }
    bool constant = reg == 3 || (reg == 2 && mode >= 2), c = m->r[2] & 1, writes = op != 9 && op != 11;
    m->cycles = 1 + cost + (memory ? 3 : 0);
    bool to_pc = !memory && to.reg == 0 && writes;
    if (to_pc && (constant || mode == 0 || mode == 3)) m->cycles++;
    long sum = 0;
    uint16_t result = 0, kept = m->r[2];
    bool carry = false, overflow = false, all = true;
    switch (op) {
    case 4: result = a, all = false; break;
    case 5:
    case 6: sum = (long)a + b + (op == 6 && c); break;
    case 7: sum = (long)b - a - !c; break;
    case 8:
    case 9: sum = (long)b - a; break;
    case 10: result = (uint16_t)decimal(a, b, c, byte ? 2 : 4, &carry); break;
    case 11:
    case 15: result = a & b, carry = result; break;
    case 12: result = (uint16_t)(b & ~a), all = false; break;
    case 13: result = a | b, all = false; break;
    default: result = a ^ b, carry = result, overflow = (a & top) && (b & top); break;
    }
    if (op >= 5 && op <= 9) {
        result = (uint16_t)((unsigned long)sum & mask);
        carry = op <= 6 ? sum > mask : sum >= 0;
        uint16_t with = op <= 6 ? a : (uint16_t)~a; /* signs of what was added */
        overflow = !((with ^ b) & top) && ((result ^ b) & top);
    }
    if (all) flags(m, result & top, !result, carry, overflow);
    if (!all) m->r[2] = kept;
    if (writes) store(m, &to, byte, result);
    return REFMSP_DONE;
}

int refmsp_step(refmsp *m)
{
    uint16_t before[16];
    for (unsigned i = 0; i < 16; i++) before[i] = m->r[i];
    uint16_t code = fetch(m);
    int done = code < 0x1000   ? REFMSP_RESERVED
               : code < 0x2000 ? single(m, code)
               : code < 0x4000 ? jump(m, code)
                               : both(m, code);
    for (unsigned i = 0; i < 16 && done; i++) m->r[i] = before[i];
    return done;
}
