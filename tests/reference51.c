/* reference51.c — see reference51.h. Plain on purpose. */
#include "reference51.h"

static const char cycles_of_code[257] = "1221111111111111" /* 0x */ "2221111111111111" /* 1x */
                                        "2221111111111111" /* 2x */ "2221111111111111" /* 3x */
                                        "2212111111111111" /* 4x */ "2212111111111111" /* 5x */
                                        "2212111111111111" /* 6x */ "2222121111111111" /* 7x */
                                        "2222422222222222" /* 8x */ "2222111111111111" /* 9x */
                                        "2212402222222222" /* ax */ "2211222222222222" /* bx */
                                        "2211111111111111" /* cx */ "2211121122222222" /* dx */
                                        "2222111111111111" /* ex */ "2222111111111111" /* fx */;

enum { P0 = 0x80, SP = 0x81, DPL = 0x82, DPH = 0x83, P2 = 0xA0, PSW = 0xD0, ACC = 0xE0, B = 0xF0 };
#define A m->sfr[ACC]

static int get_cy(ref51 *m)
{
    return m->sfr[PSW] >> 7;
}
static void put_cy(ref51 *m, int on)
{
    m->sfr[PSW] = (uint8_t)((m->sfr[PSW] & 0x7F) | (on ? 0x80 : 0));
}
static void put_ac(ref51 *m, int on)
{
    m->sfr[PSW] = (uint8_t)((m->sfr[PSW] & 0xBF) | (on ? 0x40 : 0));
}
static void put_ov(ref51 *m, int on)
{
    m->sfr[PSW] = (uint8_t)((m->sfr[PSW] & 0xFB) | (on ? 0x04 : 0));
}

static uint8_t *cell(ref51 *m, uint8_t direct)
{
    return direct < 0x80 ? &m->iram[direct] : &m->sfr[direct];
}

static uint8_t read_direct(ref51 *m, uint8_t direct)
{
    if (direct >= 0x80 && (direct & 0xCF) == 0x80)
        return m->sfr[direct] & m->pins[direct >> 4 & 3]; /* a port: its pins */
    if (m->earlier && direct >= 0x80 && direct < 0xD0) return m->earlier[direct];
    return *cell(m, direct);
}

static uint8_t *reg(ref51 *m, int n)
{
    return &m->iram[(m->sfr[PSW] & 0x18) + n];
}
static uint8_t *at_ri(ref51 *m, int code)
{
    return &m->iram[*reg(m, code & 1)];
}
static uint8_t fetch(ref51 *m)
{
    return m->code[m->pc++];
}
static uint8_t bit_cell(uint8_t bit)
{
    return bit < 0x80 ? (uint8_t)(0x20 + (bit >> 3)) : (uint8_t)(bit & 0xF8);
}
static int read_bit(ref51 *m, uint8_t bit)
{
    return read_direct(m, bit_cell(bit)) >> (bit & 7) & 1;
}
static int read_latch(ref51 *m, uint8_t bit)
{
    return *cell(m, bit_cell(bit)) >> (bit & 7) & 1;
}
static void write_bit(ref51 *m, uint8_t bit, int on)
{
    uint8_t *c = cell(m, bit_cell(bit)), mask = (uint8_t)(1 << (bit & 7));
    *c = (uint8_t)(on ? *c | mask : *c & ~mask);
}

static void add(ref51 *m, uint8_t v, int carry)
{
    int whole = A + v + carry, half = (A & 15) + (v & 15) + carry, sgn = (int8_t)A + (int8_t)v + carry;
    A = (uint8_t)whole;
    put_cy(m, whole > 255);
    put_ac(m, half > 15);
    put_ov(m, sgn > 127 || sgn < -128);
}

static void subb(ref51 *m, uint8_t v)
{
    int borrow = get_cy(m), whole = A - v - borrow, half = (A & 15) - (v & 15) - borrow,
        sgn = (int8_t)A - (int8_t)v - borrow;
    A = (uint8_t)whole;
    put_cy(m, whole < 0);
    put_ac(m, half < 0);
    put_ov(m, sgn > 127 || sgn < -128);
}

static void jump_if(ref51 *m, int yes)
{
    int8_t offset = (int8_t)fetch(m);
    if (yes) m->pc = (uint16_t)(m->pc + offset);
}

static void compare(ref51 *m, uint8_t left, uint8_t right)
{
    put_cy(m, left < right);
    jump_if(m, left != right);
}

static void push(ref51 *m, uint8_t v)
{
    m->iram[++m->sfr[SP]] = v;
}
static uint8_t pop(ref51 *m)
{
    return m->iram[m->sfr[SP]--];
}

/* The operand of the regular columns 4 to f of the table of codes. */
static uint8_t column(ref51 *m, uint8_t code)
{
    switch (code & 15) {
    case 4: return fetch(m);
    case 5: return read_direct(m, fetch(m));
    case 6:
    case 7: return *at_ri(m, code);
    default: return *reg(m, code & 7);
    }
}

static void decimal_adjust(ref51 *m)
{
    int value = A, carry = get_cy(m);
    if ((value & 15) > 9 || (m->sfr[PSW] & 0x40)) {
        value += 6;
        if (value > 255) carry = 1;
        value &= 255;
    }
    if (value >> 4 > 9 || carry) {
        value += 0x60;
        if (value > 255) carry = 1;
    }
    A = (uint8_t)value;
    put_cy(m, carry);
}

static void execute(ref51 *m, uint8_t code)
{
    uint8_t x, y, *p;
    uint16_t t;
    int row = code >> 4, col = code & 15;
    if (col == 1) { /* acall and ajmp */
        t = (uint16_t)((code & 0xE0) << 3 | fetch(m));
        if (row & 1) push(m, (uint8_t)m->pc), push(m, (uint8_t)(m->pc >> 8));
        m->pc = (uint16_t)((m->pc & 0xF800) | t);
        return;
    }
    if (col >= 4) {
        switch (row) {
        case 0x0:
        case 0x1: /* inc, dec */
            p = col == 4 ? &A : col == 5 ? cell(m, fetch(m)) : col < 8 ? at_ri(m, code) : reg(m, col & 7);
            *p = (uint8_t)(*p + (row ? -1 : 1));
            return;
        case 0x2: add(m, column(m, code), 0); return;
        case 0x3:
            x = column(m, code);
            add(m, x, get_cy(m));
            return;
        case 0x4:
            x = column(m, code);
            A |= x;
            return;
        case 0x5:
            x = column(m, code);
            A &= x;
            return;
        case 0x6:
            x = column(m, code);
            A ^= x;
            return;
        case 0x7: /* mov …, #data */
            p = col == 4 ? &A : col == 5 ? cell(m, fetch(m)) : col < 8 ? at_ri(m, code) : reg(m, col & 7);
            *p = fetch(m);
            return;
        case 0x8:
            if (col == 4) { /* div */
                put_cy(m, 0);
                put_ov(m, m->sfr[B] == 0);
                if (m->sfr[B]) x = A / m->sfr[B], y = A % m->sfr[B], A = x, m->sfr[B] = y;
                return;
            }
            x = col == 5 ? read_direct(m, fetch(m)) : col < 8 ? *at_ri(m, code) : *reg(m, col & 7);
            *cell(m, fetch(m)) = x;
            return;
        case 0x9: subb(m, column(m, code)); return;
        case 0xA:
            if (col == 4) { /* mul */
                t = (uint16_t)(A * m->sfr[B]);
                A = (uint8_t)t, m->sfr[B] = (uint8_t)(t >> 8);
                put_cy(m, 0);
                put_ov(m, t > 255);
                return;
            }
            p = col < 8 ? at_ri(m, code) : reg(m, col & 7);
            *p = read_direct(m, fetch(m));
            return;
        case 0xB:
            if (col == 4) x = A, y = fetch(m);
            else if (col == 5) x = A, y = read_direct(m, fetch(m));
            else x = col < 8 ? *at_ri(m, code) : *reg(m, col & 7), y = fetch(m);
            compare(m, x, y);
            return;
        case 0xC:
            if (col == 4) {
                A = (uint8_t)(A << 4 | A >> 4);
                return;
            }
            if (col == 5) {
                y = fetch(m), x = read_direct(m, y), p = cell(m, y);
            } else p = col < 8 ? at_ri(m, code) : reg(m, col & 7), x = *p;
            *p = A;
            A = x;
            return;
        case 0xD:
            if (col == 4) {
                decimal_adjust(m);
                return;
            }
            if (col == 5) {
                p = cell(m, fetch(m));
                jump_if(m, --*p != 0);
                return;
            }
            if (col < 8) {
                p = at_ri(m, code), x = *p;
                *p = (uint8_t)((x & 0xF0) | (A & 15));
                A = (uint8_t)((A & 0xF0) | (x & 15));
                return;
            }
            p = reg(m, col & 7);
            jump_if(m, --*p != 0);
            return;
        case 0xE: A = col == 4 ? 0 : column(m, code); return;
        default:
            if (col == 4) {
                A = (uint8_t)~A;
                return;
            }
            p = col == 5 ? cell(m, fetch(m)) : col < 8 ? at_ri(m, code) : reg(m, col & 7);
            *p = A;
            return;
        }
    }
    switch (code) {
    case 0x00: return;
    case 0x10:
        x = fetch(m);
        y = (uint8_t)read_latch(m, x);
        if (y) write_bit(m, x, 0);
        jump_if(m, y);
        return;
    case 0x20:
        x = fetch(m);
        jump_if(m, read_bit(m, x));
        return;
    case 0x30:
        x = fetch(m);
        jump_if(m, !read_bit(m, x));
        return;
    case 0x40: jump_if(m, get_cy(m)); return;
    case 0x50: jump_if(m, !get_cy(m)); return;
    case 0x60: jump_if(m, A == 0); return;
    case 0x70: jump_if(m, A != 0); return;
    case 0x80: jump_if(m, 1); return;
    case 0x90:
        m->sfr[DPH] = fetch(m);
        m->sfr[DPL] = fetch(m);
        return;
    case 0xA0:
        x = fetch(m);
        put_cy(m, get_cy(m) | !read_bit(m, x));
        return;
    case 0xB0:
        x = fetch(m);
        put_cy(m, get_cy(m) & !read_bit(m, x));
        return;
    case 0xC0:
        x = fetch(m);
        m->sfr[SP]++;
        m->iram[m->sfr[SP]] = read_direct(m, x);
        return;
    case 0xD0:
        x = fetch(m);
        y = pop(m);
        *cell(m, x) = y;
        return;
    case 0xE0: A = m->xram[m->sfr[DPH] << 8 | m->sfr[DPL]]; return;
    case 0xF0: m->xram[m->sfr[DPH] << 8 | m->sfr[DPL]] = A; return;
    case 0x02:
        t = fetch(m);
        t = (uint16_t)(t << 8 | fetch(m));
        m->pc = t;
        return;
    case 0x12:
        t = fetch(m);
        t = (uint16_t)(t << 8 | fetch(m));
        push(m, (uint8_t)m->pc);
        push(m, (uint8_t)(m->pc >> 8));
        m->pc = t;
        return;
    case 0x22:
    case 0x32:
        t = pop(m);
        t = (uint16_t)(t << 8 | pop(m));
        m->pc = t;
        return;
    case 0x42:
        p = cell(m, fetch(m));
        *p |= A;
        return;
    case 0x52:
        p = cell(m, fetch(m));
        *p &= A;
        return;
    case 0x62:
        p = cell(m, fetch(m));
        *p ^= A;
        return;
    case 0x43:
        p = cell(m, fetch(m));
        *p |= fetch(m);
        return;
    case 0x53:
        p = cell(m, fetch(m));
        *p &= fetch(m);
        return;
    case 0x63:
        p = cell(m, fetch(m));
        *p ^= fetch(m);
        return;
    case 0x72:
        x = fetch(m);
        put_cy(m, get_cy(m) | read_bit(m, x));
        return;
    case 0x82:
        x = fetch(m);
        put_cy(m, get_cy(m) & read_bit(m, x));
        return;
    case 0x92:
        x = fetch(m);
        write_bit(m, x, get_cy(m));
        return;
    case 0xA2:
        x = fetch(m);
        put_cy(m, read_bit(m, x));
        return;
    case 0xB2:
        x = fetch(m);
        write_bit(m, x, !read_latch(m, x));
        return;
    case 0xC2:
        x = fetch(m);
        write_bit(m, x, 0);
        return;
    case 0xD2:
        x = fetch(m);
        write_bit(m, x, 1);
        return;
    case 0xE2:
    case 0xE3: A = m->xram[m->sfr[P2] << 8 | *reg(m, code & 1)]; return;
    case 0xF2:
    case 0xF3: m->xram[m->sfr[P2] << 8 | *reg(m, code & 1)] = A; return;
    case 0x03: A = (uint8_t)(A >> 1 | A << 7); return;
    case 0x13:
        x = A & 1;
        A = (uint8_t)(A >> 1 | get_cy(m) << 7);
        put_cy(m, x);
        return;
    case 0x23: A = (uint8_t)(A << 1 | A >> 7); return;
    case 0x33:
        x = A >> 7;
        A = (uint8_t)(A << 1 | get_cy(m));
        put_cy(m, x);
        return;
    case 0x73: m->pc = (uint16_t)((m->sfr[DPH] << 8 | m->sfr[DPL]) + A); return;
    case 0x83: A = m->code[(uint16_t)(m->pc + A)]; return;
    case 0x93: A = m->code[(uint16_t)((m->sfr[DPH] << 8 | m->sfr[DPL]) + A)]; return;
    case 0xA3:
        if (++m->sfr[DPL] == 0) m->sfr[DPH]++;
        return;
    case 0xB3: put_cy(m, !get_cy(m)); return;
    case 0xC3: put_cy(m, 0); return;
    case 0xD3: put_cy(m, 1); return;
    default: return;
    }
}

unsigned ref51_step(ref51 *m)
{
    uint8_t code = m->code[m->pc];
    unsigned cycles = (unsigned)(cycles_of_code[code] - '0');
    if (!cycles) return 0;
    m->pc++;
    execute(m, code);
    uint8_t ones = 0;
    for (int i = 0; i < 8; i++) ones ^= A >> i & 1;
    m->sfr[PSW] = (uint8_t)((m->sfr[PSW] & 0xFE) | ones);
    return cycles;
}

/* ------------------------------------------------------------------------------------------ the chip around it */

enum {
    TCON = 0x88,
    TMOD,
    TL0,
    TL1,
    TH0,
    TH1,
    P3 = 0xB0,
    IE = 0xA8,
    IP = 0xB8,
    T2CON = 0xC8,
    RCAP2L = 0xCA,
    RCAP2H,
    TL2,
    TH2
};
enum { INT0_PIN, INT1_PIN, T0_PIN, T1_PIN, T2_PIN, T2EX_PIN };

static int pin_level(const ref51 *m, int which)
{
    static const uint8_t port[] = {3, 3, 3, 3, 1, 1}, bit[] = {2, 3, 4, 5, 0, 1};
    return m->sfr[0x80 + 16 * port[which]] >> bit[which] & m->pins[port[which]] >> bit[which] & 1;
}

/* One step of timer n in its mode. */
static void count(ref51 *m, int n)
{
    uint8_t *low = &m->sfr[n ? TL1 : TL0], *high = &m->sfr[n ? TH1 : TH0];
    int mode = m->sfr[TMOD] >> (4 * n) & 3, over = 0, split = (m->sfr[TMOD] & 3) == 3;
    if (mode == 0) {
        int five = (*low & 31) + 1;
        *low = (uint8_t)((*low & 0xE0) | (five & 31));
        if (five == 32) over = ++*high == 0;
    } else if (mode == 1) {
        if (++*low == 0) over = ++*high == 0;
    } else if (mode == 2) {
        if (++*low == 0) *low = *high, over = 1;
    } else if (n == 0) over = ++*low == 0;
    if (over && !(n && split)) m->sfr[TCON] |= (uint8_t)(n ? 0x80 : 0x20);
}

static void count2(ref51 *m)
{
    int con = m->sfr[T2CON], baud = con & 0x30;
    if (++m->sfr[TL2]) return;
    if (++m->sfr[TH2]) return;
    if (!baud) m->sfr[T2CON] |= 0x80;
    if (baud || !(con & 1)) m->sfr[TL2] = m->sfr[RCAP2L], m->sfr[TH2] = m->sfr[RCAP2H];
}

static void external(ref51_chip *c, int n, int before, int after)
{
    uint8_t flag = (uint8_t)(n ? 8 : 2);
    int on_edge = c->m.sfr[TCON] >> (2 * n) & 1;
    if (on_edge ? before && !after : !after) c->m.sfr[TCON] |= flag;
    else if (!on_edge) c->m.sfr[TCON] &= (uint8_t)~flag;
}

/* What asks for an interrupt, as of the cycle `cycle`. */
static void note_flags(ref51_chip *c, uint64_t cycle)
{
    const uint8_t *sfr = c->m.sfr;
    int now[6] = {sfr[TCON] >> 1 & 1,      sfr[TCON] >> 5 & 1, sfr[TCON] >> 3 & 1, sfr[TCON] >> 7, 0,
                  (sfr[T2CON] & 0xC0) != 0};
    for (int n = 0; n < 6; n++) {
        if (now[n] && !c->active[n]) c->since[n] = cycle;
        c->active[n] = now[n];
    }
}

static void tick(ref51_chip *c)
{
    ref51 *m = &c->m;
    int level[6], counted[3] = {c->edge[0], c->edge[1], c->edge[2]};
    for (int i = 0; i < 6; i++) level[i] = pin_level(m, i);
    int split = (m->sfr[TMOD] & 3) == 3;
    if (split && m->sfr[TCON] & 0x40 && ++m->sfr[TH0] == 0) m->sfr[TCON] |= 0x80;
    for (int n = 0; n < 2; n++) {
        int mode = m->sfr[TMOD] >> (4 * n), runs = m->sfr[TCON] >> (4 + 2 * n) & 1;
        if (mode & 8 && !level[INT0_PIN + n]) runs = 0;
        if (n && split) runs = 1;
        if (n && (mode & 3) == 3) runs = 0;
        if (runs && !(mode & 4)) count(m, n);
        if (counted[n]) count(m, n);
        c->edge[n] = runs && mode & 4 && c->level[T0_PIN + n] && !level[T0_PIN + n];
    }
    int con = m->sfr[T2CON], was_edge = con & 0x40, was_over = con & 0x80;
    if (con & 4 && !(con & 2))
        for (int i = 0; i < (con & 0x30 ? 6 : 1); i++) count2(m);
    if (counted[2]) count2(m);
    c->edge[2] = con & 4 && con & 2 && c->level[T2_PIN] && !level[T2_PIN];
    int over = m->sfr[T2CON] & 0x80 && !was_over;
    if (con & 8 && c->level[T2EX_PIN] && !level[T2EX_PIN]) {
        m->sfr[T2CON] |= 0x40;
        if (con & 0x30) {
        } else if (con & 1) m->sfr[RCAP2L] = m->sfr[TL2], m->sfr[RCAP2H] = m->sfr[TH2];
        else m->sfr[TL2] = m->sfr[RCAP2L], m->sfr[TH2] = m->sfr[RCAP2H];
    }
    (void)was_edge;
    for (int n = 0; n < 2; n++) external(c, n, c->level[n], level[n]);
    for (int i = 0; i < 6; i++) c->level[i] = level[i];
    note_flags(c, c->now);
    if (over && c->since[5] == c->now)
        c->since[5] = c->now - 1; /* looked at in the cycle in which it overflows */
    c->now++;
}

static int serve(ref51_chip *c)
{
    ref51 *m = &c->m;
    int enable = m->sfr[IE], chosen = -1, high = 0;
    if (!(enable & 0x80) || c->blocked) return 0;
    for (int level = 1; level >= 0 && chosen < 0; level--) {
        if (c->serving_high || (!level && c->serving_low)) continue;
        for (int n = 0; n < 6 && chosen < 0; n++)
            if (c->active[n] && c->since[n] + 2 <= c->now && enable >> n & 1 &&
                (m->sfr[IP] >> n & 1) == level)
                chosen = n, high = level;
    }
    if (chosen < 0) return 0;
    push(m, (uint8_t)m->pc);
    push(m, (uint8_t)(m->pc >> 8));
    m->pc = (uint16_t)(8 * chosen + 3);
    if (high) c->serving_high = 1;
    else c->serving_low = 1;
    if (chosen == 1) m->sfr[TCON] &= 0xDF;
    if (chosen == 3) m->sfr[TCON] &= 0x7F;
    if (chosen == 0 && m->sfr[TCON] & 1) m->sfr[TCON] &= 0xFD;
    if (chosen == 2 && m->sfr[TCON] & 4) m->sfr[TCON] &= 0xF7;
    note_flags(c, c->now);
    tick(c);
    tick(c);
    return 1;
}

/* True when an instruction writes a special register that can be addressed bit by bit. */
static int writes_to(uint8_t code, const uint8_t *operands, uint8_t sfr)
{
    static const uint8_t direct[] = {0x05, 0x15, 0x42, 0x43, 0x52, 0x53, 0x62,
                                     0x63, 0x75, 0xC5, 0xD0, 0xD5, 0xF5},
                         bit[] = {0x10, 0x92, 0xB2, 0xC2, 0xD2};
    for (unsigned i = 0; i < sizeof direct; i++)
        if (code == direct[i]) return operands[0] == sfr;
    for (unsigned i = 0; i < sizeof bit; i++)
        if (code == bit[i]) return (operands[0] & 0xF8) == sfr;
    if (code == 0x85) return operands[1] == sfr;
    return code >= 0x86 && code <= 0x8F && operands[0] == sfr;
}

void ref51_start(ref51_chip *c)
{
    for (int i = 0; i < 6; i++) c->level[i] = pin_level(&c->m, i);
    for (int n = 0; n < 2; n++) external(c, n, c->level[n], c->level[n]);
    note_flags(c, c->now);
}

void ref51_chip_step(ref51_chip *c)
{
    ref51 *m = &c->m;
    uint8_t code = m->code[m->pc];
    const uint8_t operands[2] = {m->code[(uint16_t)(m->pc + 1)], m->code[(uint16_t)(m->pc + 2)]};
    int cycles = cycles_of_code[code] - '0';
    for (int i = 1; i < cycles; i++) tick(c);
    for (int i = 0; i < 256; i++) c->earlier[i] = m->sfr[i];
    tick(c);
    m->earlier = code == 0xC5 ? 0 : c->earlier;
    ref51_step(m);
    m->earlier = 0;
    for (int n = 0; n < 2; n++) external(c, n, c->level[n], c->level[n]);
    note_flags(c, c->now - 1);
    c->blocked = code == 0x32 || writes_to(code, operands, IE) || writes_to(code, operands, IP);
    if (code == 0x32) {
        if (c->serving_high) c->serving_high = 0;
        else c->serving_low = 0;
    }
    while (serve(c)) {
    }
}
