/* reference_avr.c — see reference_avr.h. Codes are found by walking down their digits as the manual's list of encodings does; flags come out of
 * whole numbers, with and without signs, that fit their range or do not. */
#include "reference_avr.h"

enum { SREG = 0x5F, SPL = 0x5D, X = 26, Y = 28, Z = 30 };
enum { C, ZERO, N, V, S, H, T, I };

static bool flag(const refavr *m, unsigned bit)
{
    return m->data[SREG] >> bit & 1;
}
static void set_flag(refavr *m, unsigned bit, bool on)
{
    m->data[SREG] = (uint8_t)(on ? m->data[SREG] | 1 << bit : m->data[SREG] & ~(1 << bit));
}
static uint16_t pair(const refavr *m, unsigned low)
{
    return (uint16_t)(m->data[low + 1] * 256 + m->data[low]);
}
static void set_pair(refavr *m, unsigned low, unsigned value)
{
    m->data[low] = (uint8_t)(value % 256), m->data[low + 1] = (uint8_t)(value / 256 % 256);
}
static int with_sign(unsigned byte)
{
    return byte < 128 ? (int)byte : (int)byte - 256;
}

/* N by the top bit of a result, V as told, S from both. */
static void signs(refavr *m, bool negative, bool overflow)
{
    set_flag(m, N, negative);
    set_flag(m, V, overflow);
    set_flag(m, S, negative != overflow);
}

static uint8_t add(refavr *m, uint8_t a, uint8_t b, int carry)
{
    int whole = a + b + carry, signed_sum = with_sign(a) + with_sign(b) + carry,
        low = a % 16 + b % 16 + carry;
    uint8_t result = (uint8_t)whole;
    set_flag(m, H, low > 15);
    set_flag(m, C, whole > 255);
    set_flag(m, ZERO, result == 0);
    signs(m, result >= 128, signed_sum < -128 || signed_sum > 127);
    return result;
}

/* keeps: the zero flag can only be taken back. */
static uint8_t subtract(refavr *m, uint8_t a, uint8_t b, int borrow, bool keeps)
{
    int whole = a - b - borrow, signed_rest = with_sign(a) - with_sign(b) - borrow,
        low = a % 16 - b % 16 - borrow;
    uint8_t result = (uint8_t)whole;
    set_flag(m, H, low < 0);
    set_flag(m, C, whole < 0);
    set_flag(m, ZERO, result == 0 && (!keeps || flag(m, ZERO)));
    signs(m, result >= 128, signed_rest < -128 || signed_rest > 127);
    return result;
}

static uint8_t logic(refavr *m, unsigned result)
{
    set_flag(m, ZERO, (result & 255) == 0);
    signs(m, (result & 255) >= 128, false);
    return (uint8_t)result;
}

static uint8_t shift_right(refavr *m, uint8_t value, bool top)
{
    uint8_t result = (uint8_t)(value / 2 + (top ? 128 : 0));
    bool out = value % 2;
    set_flag(m, C, out);
    set_flag(m, ZERO, result == 0);
    signs(m, result >= 128, (result >= 128) != out);
    return result;
}

static void product(refavr *m, int value, bool fraction)
{
    unsigned bits = (unsigned)value & 0xFFFF;
    set_flag(m, C, bits >= 0x8000);
    if (fraction) bits = bits * 2 & 0xFFFF;
    set_flag(m, ZERO, bits == 0);
    set_pair(m, 0, bits);
}

static void push(refavr *m, uint8_t value)
{
    uint16_t sp = pair(m, SPL);
    m->data[sp] = value;
    set_pair(m, SPL, sp - 1u);
}
static uint8_t pop(refavr *m)
{
    uint16_t sp = (uint16_t)(pair(m, SPL) + 1);
    set_pair(m, SPL, sp);
    return m->data[sp];
}
static void call(refavr *m, uint16_t back, uint16_t to)
{
    push(m, (uint8_t)back);
    push(m, (uint8_t)(back / 256));
    m->pc = to;
}

static bool is_long(uint16_t code)
{
    return code == 0x940C || code == 0x940E || (code & 0xFC0F) == 0x9000;
}

static int skip(refavr *m, bool condition)
{
    m->cycles = 1;
    if (!condition) return REFAVR_DONE;
    bool two = is_long(m->code[m->pc]);
    m->pc = (uint16_t)(m->pc + (two ? 2 : 1));
    m->cycles = two ? 3 : 2;
    return REFAVR_DONE;
}

/* 1001 00.. : loads and stores of one register, by a pointer or an address. */
static int transfer(refavr *m, uint16_t code)
{
    unsigned reg = code / 16 % 32;
    bool stores = code & 0x200;
    unsigned how = code % 16, at, moved = 0,
             to = 0; /* a pointer that is loaded or stored itself is not defined: it moves last */
    m->cycles = 2;
    switch (how) {
    case 0: at = m->code[m->pc++]; break;
    case 1: at = pair(m, Z), moved = Z, to = at + 1; break;
    case 2: at = pair(m, Z) - 1u, moved = Z, to = at; break;
    case 4:
    case 5:
        if (stores) return REFAVR_RESERVED;
        at = pair(m, Z);
        m->cycles = 3;
        m->data[reg] = (uint8_t)(at % 2 ? m->code[at / 2] / 256 : m->code[at / 2]);
        if (how == 5) set_pair(m, Z, at + 1);
        return REFAVR_DONE;
    case 9: at = pair(m, Y), moved = Y, to = at + 1; break;
    case 10: at = pair(m, Y) - 1u, moved = Y, to = at; break;
    case 12: at = pair(m, X); break;
    case 13: at = pair(m, X), moved = X, to = at + 1; break;
    case 14: at = pair(m, X) - 1u, moved = X, to = at; break;
    case 15:
        if (stores) push(m, m->data[reg]);
        else m->data[reg] = pop(m);
        return REFAVR_DONE;
    default: return REFAVR_RESERVED;
    }
    at &= 0xFFFF;
    if (stores) m->data[at] = m->data[reg];
    else m->data[reg] = m->data[at];
    if (moved) set_pair(m, moved, to);
    return REFAVR_DONE;
}

/* 1001 0101 .... 1000, 1001 010. .... 1001: without a register. */
static int alone(refavr *m, uint16_t code)
{
    switch (code) {
    case 0x9409: m->pc = pair(m, Z), m->cycles = 2; return REFAVR_DONE;
    case 0x9509: call(m, m->pc, pair(m, Z)), m->cycles = 3; return REFAVR_DONE;
    case 0x9508:
    case 0x9518: {
        uint8_t high = pop(m);
        m->pc = (uint16_t)(high * 256 + pop(m));
        if (code == 0x9518) set_flag(m, I, true);
        m->cycles = 4;
        return REFAVR_DONE;
    }
    case 0x9588: return m->data[0x53] & 1 ? REFAVR_SLEEPS : REFAVR_DONE;
    case 0x9598:
    case 0x95A8: return REFAVR_DONE;
    case 0x95C8:
        m->data[0] = (uint8_t)(m->code[pair(m, Z) / 2] >> (pair(m, Z) % 2 ? 8 : 0)), m->cycles = 3;
        return REFAVR_DONE;
    case 0x95E8: return REFAVR_PROGRAMS;
    default: return REFAVR_RESERVED;
    }
}

/* 1001 010. : one register, or none. */
static int single(refavr *m, uint16_t code)
{
    uint8_t *d = &m->data[code / 16 % 32], was = *d;
    switch (code % 16) {
    case 0: *d = logic(m, 255u - was), set_flag(m, C, true); return REFAVR_DONE;
    case 1: *d = subtract(m, 0, was, 0, false); return REFAVR_DONE;
    case 2: *d = (uint8_t)(was % 16 * 16 + was / 16); return REFAVR_DONE;
    case 3: {
        bool over = with_sign(was) + 1 > 127;
        *d = logic(m, was + 1u), signs(m, flag(m, N), over);
        return REFAVR_DONE;
    }
    case 5: *d = shift_right(m, was, was >= 128); return REFAVR_DONE;
    case 6: *d = shift_right(m, was, false); return REFAVR_DONE;
    case 7: *d = shift_right(m, was, flag(m, C)); return REFAVR_DONE;
    case 8:
        if (code & 0x100) return alone(m, code);
        set_flag(m, code / 16 % 8, !(code & 0x80));
        return REFAVR_DONE;
    case 9: return alone(m, code);
    case 10: {
        bool over = with_sign(was) - 1 < -128;
        *d = logic(m, was - 1u), signs(m, flag(m, N), over);
        return REFAVR_DONE;
    }
    case 12:
    case 14: {
        uint16_t to = m->code[m->pc++];
        if (code & 0x1F0) return REFAVR_RESERVED; /* beyond 16 bits */
        m->cycles = code % 16 == 12 ? 3 : 4;
        if (code % 16 == 12) m->pc = to;
        else call(m, m->pc, to);
        return REFAVR_DONE;
    }
    default: return REFAVR_RESERVED;
    }
}

/* adiw and sbiw. */
static int long_sum(refavr *m, uint16_t code)
{
    unsigned at = 24 + code / 16 % 4 * 2, by = code % 16 + code / 64 % 4 * 16, was = pair(m, at);
    bool adds = !(code & 0x100);
    long whole = adds ? (long)was + by : (long)was - by,
         signed_was = was < 0x8000 ? (long)was : (long)was - 0x10000,
         signed_sum = adds ? signed_was + by : signed_was - by;
    unsigned result = (unsigned)whole & 0xFFFF;
    set_pair(m, at, result);
    set_flag(m, C, whole < 0 || whole > 0xFFFF);
    set_flag(m, ZERO, result == 0);
    signs(m, result >= 0x8000, signed_sum < -0x8000 || signed_sum > 0x7FFF);
    m->cycles = 2;
    return REFAVR_DONE;
}

/* 1001 .... */
static int nine(refavr *m, uint16_t code)
{
    unsigned cell = 0x20 + code / 8 % 32, bit = 1u << code % 8;
    switch (code / 256 % 16) {
    case 0:
    case 1:
    case 2:
    case 3: return transfer(m, code);
    case 4:
    case 5: return single(m, code);
    case 6:
    case 7: return long_sum(m, code);
    case 8: m->data[cell] = (uint8_t)(m->data[cell] & ~bit), m->cycles = 2; return REFAVR_DONE;
    case 9: return skip(m, !(m->data[cell] & bit));
    case 10: m->data[cell] = (uint8_t)(m->data[cell] | bit), m->cycles = 2; return REFAVR_DONE;
    case 11: return skip(m, m->data[cell] & bit);
    default:
        product(m, m->data[code / 16 % 32] * m->data[code % 16 + code / 512 % 2 * 16], false), m->cycles = 2;
        return REFAVR_DONE;
    }
}

/* 0000 00.. */
static int lowest(refavr *m, uint16_t code)
{
    unsigned d = code / 16 % 16, r = code % 16;
    if (code == 0) return REFAVR_DONE;
    if (code < 0x100) return REFAVR_RESERVED;
    if (code < 0x200) {
        uint16_t value = pair(m, 2 * r);
        set_pair(m, 2 * d, value);
        return REFAVR_DONE;
    }
    m->cycles = 2;
    if (code < 0x300) {
        product(m, with_sign(m->data[16 + d]) * with_sign(m->data[16 + r]), false);
        return REFAVR_DONE;
    }
    unsigned a = m->data[16 + d % 8], b = m->data[16 + r % 8];
    switch ((code >> 6 & 2) | (code >> 3 & 1)) {
    case 0: product(m, with_sign(a) * (int)b, false); break;
    case 1: product(m, (int)(a * b), true); break;
    case 2: product(m, with_sign(a) * with_sign(b), true); break;
    default: product(m, with_sign(a) * (int)b, true);
    }
    return REFAVR_DONE;
}

static int execute(refavr *m, uint16_t code)
{
    uint8_t *d = &m->data[code / 16 % 32], *r = &m->data[code % 16 + code / 512 % 2 * 16];
    uint8_t *h = &m->data[16 + code / 16 % 16];
    unsigned k = code % 16 + code / 256 % 16 * 16;
    m->cycles = 1;
    switch (code / 1024) {
    case 0: return lowest(m, code);
    case 1: (void)subtract(m, *d, *r, flag(m, C), true); return REFAVR_DONE;
    case 2: *d = subtract(m, *d, *r, flag(m, C), true); return REFAVR_DONE;
    case 3: *d = add(m, *d, *r, 0); return REFAVR_DONE;
    case 4: return skip(m, *d == *r);
    case 5: (void)subtract(m, *d, *r, 0, false); return REFAVR_DONE;
    case 6: *d = subtract(m, *d, *r, 0, false); return REFAVR_DONE;
    case 7: *d = add(m, *d, *r, flag(m, C)); return REFAVR_DONE;
    case 8: *d = logic(m, *d & *r); return REFAVR_DONE;
    case 9: *d = logic(m, *d ^ *r); return REFAVR_DONE;
    case 10: *d = logic(m, *d | *r); return REFAVR_DONE;
    case 11: *d = *r; return REFAVR_DONE;
    default: break;
    }
    switch (code / 4096) {
    case 3: (void)subtract(m, *h, (uint8_t)k, 0, false); return REFAVR_DONE;
    case 4: *h = subtract(m, *h, (uint8_t)k, flag(m, C), true); return REFAVR_DONE;
    case 5: *h = subtract(m, *h, (uint8_t)k, 0, false); return REFAVR_DONE;
    case 6: *h = logic(m, *h | k); return REFAVR_DONE;
    case 7: *h = logic(m, *h & k); return REFAVR_DONE;
    case 8:
    case 10: {
        unsigned q = code % 8 + code / 1024 % 4 * 8 + code / 8192 % 2 * 32,
                 at = (pair(m, code & 8 ? Y : Z) + q) & 0xFFFF;
        m->cycles = 2;
        if (code & 0x200) m->data[at] = *d;
        else *d = m->data[at];
        return REFAVR_DONE;
    }
    case 9: return nine(m, code);
    case 11: {
        unsigned cell = 0x20 + code % 16 + code / 512 % 4 * 16;
        if (code & 0x800) m->data[cell] = *d;
        else *d = m->data[cell];
        return REFAVR_DONE;
    }
    case 12:
    case 13: {
        int away = code % 4096 < 2048 ? code % 4096 : code % 4096 - 4096;
        uint16_t to = (uint16_t)(m->pc + away);
        m->cycles = code < 0xD000 ? 2 : 3;
        if (code < 0xD000) m->pc = to;
        else call(m, m->pc, to);
        return REFAVR_DONE;
    }
    case 14: *h = (uint8_t)k; return REFAVR_DONE;
    default: break;
    }
    if (code < 0xF800) {
        int away = code / 8 % 128 < 64 ? code / 8 % 128 : code / 8 % 128 - 128;
        if (flag(m, code % 8) == !(code & 0x400)) m->pc = (uint16_t)(m->pc + away), m->cycles = 2;
        return REFAVR_DONE;
    }
    unsigned bit = 1u << code % 8;
    if (code & 8) return REFAVR_RESERVED;
    switch (code / 512 % 4) {
    case 0: *d = (uint8_t)(flag(m, T) ? *d | bit : *d & ~bit); return REFAVR_DONE;
    case 1: set_flag(m, T, *d & bit); return REFAVR_DONE;
    case 2: return skip(m, !(*d & bit));
    default: return skip(m, *d & bit);
    }
}

int refavr_step(refavr *m)
{
    uint16_t before = m->pc, code = m->code[m->pc++];
    int done = execute(m, code);
    if (done == REFAVR_RESERVED || done == REFAVR_PROGRAMS) m->pc = before;
    return done;
}
