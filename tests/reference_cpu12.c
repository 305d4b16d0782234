/* reference_cpu12.c — see reference_cpu12.h. */
#include "reference_cpu12.h"

#include <string.h>

enum { C = 1, V = 2, Z = 4, N = 8, I = 16, H = 32, X = 64, S = 128 };

static uint8_t fetch(refcpu *m)
{
    return m->mem[m->pc++];
}
static uint16_t fetch_word(refcpu *m)
{
    uint16_t high = fetch(m);
    return (uint16_t)(high << 8 | fetch(m));
}
static uint16_t word_at(const refcpu *m, uint16_t at)
{
    return (uint16_t)(m->mem[at] << 8 | m->mem[(uint16_t)(at + 1)]);
}
static void put_word(refcpu *m, uint16_t at, uint16_t value)
{
    m->mem[at] = (uint8_t)(value >> 8);
    m->mem[(uint16_t)(at + 1)] = (uint8_t)value;
}
static uint16_t get_d(const refcpu *m)
{
    return (uint16_t)(m->a << 8 | m->b);
}
static void set_d(refcpu *m, uint16_t d)
{
    m->a = (uint8_t)(d >> 8), m->b = (uint8_t)d;
}
static void takes(refcpu *m, const char *letters)
{
    m->cycles = (unsigned)strlen(letters);
}
static void flag(refcpu *m, unsigned bit, bool on)
{
    m->ccr = (uint8_t)(on ? m->ccr | bit : m->ccr & ~bit);
}
static void set_ccr(refcpu *m, uint8_t value)
{
    if (!(m->ccr & X)) value &= (uint8_t)~X;
    m->ccr = value;
}
static void nz8(refcpu *m, uint8_t r)
{
    flag(m, N, r >= 128), flag(m, Z, r == 0);
}
static void nz16(refcpu *m, uint16_t r)
{
    flag(m, N, r >= 32768), flag(m, Z, r == 0);
}
static void push(refcpu *m, uint8_t value)
{
    m->mem[--m->sp] = value;
}
static void push_word(refcpu *m, uint16_t value)
{
    push(m, (uint8_t)value), push(m, (uint8_t)(value >> 8));
}
static uint8_t pull(refcpu *m)
{
    return m->mem[m->sp++];
}
static uint16_t pull_word(refcpu *m)
{
    uint16_t high = pull(m);
    return (uint16_t)(high << 8 | pull(m));
}

/* ------------------------------------------------------------------------------------------ postbytes */

enum { IDX, IDX1, IDX2, D_IDX, IND2, BAD };
typedef struct place {
    unsigned kind;
    uint16_t at;
} place;

/* `behind`: bytes of the instruction that follow, which pc counts, too. */
static place index_of(refcpu *m, int behind)
{
    unsigned post = fetch(m);
    place p = {IDX, 0};
    unsigned which = post & 0x20 ? (post >= 0xE0 ? post >> 3 & 3 : post >> 6) : post >> 6;
    uint16_t *reg = which == 0 ? &m->x : which == 1 ? &m->y : &m->sp;
    int offset;
    if (post >= 0xE0 && (post & 7) < 2) { /* nine bits */
        p.kind = IDX1;
        offset = fetch(m) - (post & 1 ? 256 : 0);
    } else if (post >= 0xE0 && (post & 7) < 4) {
        p.kind = post & 1 ? IND2 : IDX2;
        offset = fetch_word(m);
    } else if (post >= 0xE0) {
        p.kind = (post & 7) == 7 ? D_IDX : IDX;
        offset = (post & 3) == 0 ? m->a : (post & 3) == 1 ? m->b : get_d(m);
    } else if (!(post & 0x20)) {
        offset = post & 31;
        if (offset > 15) offset -= 32;
    } else { /* it moves on */
        int step = (post & 15) < 8 ? (int)(post & 7) + 1 : (int)(post & 15) - 16;
        if (post & 16) {
            p.at = *reg;
            *reg = (uint16_t)(*reg + step);
        } else {
            *reg = (uint16_t)(*reg + step);
            p.at = *reg;
        }
        return p;
    }
    uint16_t base = which == 3 ? (uint16_t)(m->pc + behind) : *reg;
    p.at = (uint16_t)(base + offset);
    if (p.kind >= D_IDX) p.at = word_at(m, p.at);
    return p;
}

static bool extends(uint8_t post)
{
    return post >= 0xE0 && ((post & 7) < 4 || (post & 7) == 7);
}
static bool points(uint8_t post)
{
    return post >= 0xE0 && ((post & 7) == 3 || (post & 7) == 7);
}

/* ------------------------------------------------------------------------------------------ arithmetic */

static uint8_t add8(refcpu *m, uint8_t a, uint8_t b, unsigned carry)
{
    unsigned r = a + b + carry;
    int wide = (int8_t)a + (int8_t)b + (int)carry;
    flag(m, H, (a & 15) + (b & 15) + carry > 15);
    flag(m, C, r > 255), flag(m, V, wide != (int8_t)r);
    nz8(m, (uint8_t)r);
    return (uint8_t)r;
}
static uint8_t sub8(refcpu *m, uint8_t a, uint8_t b, unsigned carry)
{
    int r = a - b - (int)carry, wide = (int8_t)a - (int8_t)b - (int)carry;
    flag(m, C, r < 0), flag(m, V, wide < -128 || wide > 127);
    nz8(m, (uint8_t)r);
    return (uint8_t)r;
}
static uint16_t sub16(refcpu *m, uint16_t a, uint16_t b)
{
    int wide = (int16_t)a - (int16_t)b;
    flag(m, C, a < b), flag(m, V, wide < -32768 || wide > 32767);
    nz16(m, (uint16_t)(a - b));
    return (uint16_t)(a - b);
}
static uint16_t add16(refcpu *m, uint16_t a, uint16_t b)
{
    int wide = (int16_t)a + (int16_t)b;
    flag(m, C, a + b > 65535), flag(m, V, wide < -32768 || wide > 32767);
    nz16(m, (uint16_t)(a + b));
    return (uint16_t)(a + b);
}
static uint8_t logic8(refcpu *m, unsigned r)
{
    nz8(m, (uint8_t)r), flag(m, V, false);
    return (uint8_t)r;
}

/* Codes 0 to a of the columns 4 to 7. */
static uint8_t change(refcpu *m, unsigned code, uint8_t v)
{
    unsigned carry = m->ccr & C, out;
    uint8_t r;
    switch (code) {
    case 0: return sub8(m, 0, v, 0);
    case 1: r = logic8(m, (uint8_t)~v), flag(m, C, true); return r;
    case 2: nz8(m, (uint8_t)(v + 1)), flag(m, V, v == 0x7F); return (uint8_t)(v + 1);
    case 3: nz8(m, (uint8_t)(v - 1)), flag(m, V, v == 0x80); return (uint8_t)(v - 1);
    case 4: r = v / 2, out = v % 2; break;
    case 5: r = (uint8_t)(v * 2 + carry), out = v >= 128; break;
    case 6: r = (uint8_t)(v / 2 + 128 * carry), out = v % 2; break;
    case 7: r = (uint8_t)(v / 2 + (v & 128)), out = v % 2; break;
    case 8: r = (uint8_t)(v * 2), out = v >= 128; break;
    case 9: r = logic8(m, 0), flag(m, C, false); return r;
    default: logic8(m, v), flag(m, C, false); return v;
    }
    nz8(m, r), flag(m, C, out), flag(m, V, (r >= 128) != (out != 0));
    return r;
}

static bool condition(const refcpu *m, unsigned code)
{
    bool c = m->ccr & C, v = m->ccr & V, z = m->ccr & Z, n = m->ccr & N;
    switch (code) {
    case 0: return true;
    case 1: return false;
    case 2: return !c && !z;
    case 3: return c || z;
    case 4: return !c;
    case 5: return c;
    case 6: return !z;
    case 7: return z;
    case 8: return !v;
    case 9: return v;
    case 10: return !n;
    case 11: return n;
    case 12: return n == v;
    case 13: return n != v;
    case 14: return n == v && !z;
    default: return n != v || z;
    }
}

/* ------------------------------------------------------------------------------------------ groups */

static void frame(refcpu *m)
{
    push_word(m, m->pc), push_word(m, m->y), push_word(m, m->x), push(m, m->a), push(m, m->b),
        push(m, m->ccr);
}

static int interrupt(refcpu *m, uint16_t vector, const char *letters)
{
    frame(m);
    m->ccr |= I;
    m->pc = word_at(m, vector);
    takes(m, letters);
    return REFCPU_DONE;
}

static const char *const reading[] = {"rPf", "rPO", "frPP", "fIfrPf", "fIPrPf"};
static const char *const storing[] = {"Pw", "PwO", "PwP", "PIfw", "PIPw"};
static const char *const changing[] = {"rPw", "rPwO", "frPwP", "fIfrPw", "fIPrPw"};

/* Rows 8 to f: an accumulator or register, and an operand. */
static void with_register(refcpu *m, unsigned code)
{
    unsigned row = code >> 4 & 3, low = code & 15;
    bool wide = low == 3 || low > 11, second = code >= 0xC0;
    place p = {IDX, 0};
    uint16_t value;
    if (row == 0) value = wide ? fetch_word(m) : fetch(m), takes(m, wide ? "PO" : "P");
    else {
        if (row == 1) p.at = fetch(m), takes(m, "rPf");
        else if (row == 3) p.at = fetch_word(m), takes(m, "rPO");
        else p = index_of(m, 0), takes(m, reading[p.kind]);
        value = wide ? word_at(m, p.at) : m->mem[p.at];
    }
    uint8_t *reg = second ? &m->b : &m->a, v = (uint8_t)value;
    uint16_t *words[] = {NULL, &m->y, &m->x, &m->sp};
    switch (low) {
    case 0: *reg = sub8(m, *reg, v, 0); break;
    case 1: sub8(m, *reg, v, 0); break;
    case 2: *reg = sub8(m, *reg, v, m->ccr & C); break;
    case 3: set_d(m, second ? add16(m, get_d(m), value) : sub16(m, get_d(m), value)); break;
    case 4: *reg = logic8(m, *reg & v); break;
    case 5: logic8(m, *reg & v); break;
    case 6: *reg = logic8(m, v); break;
    case 8: *reg = logic8(m, *reg ^ v); break;
    case 9: *reg = add8(m, *reg, v, m->ccr & C); break;
    case 10: *reg = logic8(m, *reg | v); break;
    case 11: *reg = add8(m, *reg, v, 0); break;
    default:
        if (!second) sub16(m, low == 12 ? get_d(m) : *words[low - 12], value);
        else {
            if (low == 12) set_d(m, value);
            else *words[low - 12] = value;
            nz16(m, value), flag(m, V, false);
        }
    }
}

static void transfer(refcpu *m, uint8_t post)
{
    unsigned from = post >> 4 & 7, to = post & 7;
    uint16_t *words[8] = {NULL, NULL, NULL, NULL, NULL, &m->x, &m->y, &m->sp};
    uint8_t *bytes[3] = {&m->a, &m->b, NULL};
    uint16_t first = from < 2    ? *bytes[from]
                     : from == 2 ? m->ccr
                     : from == 3 ? m->tmp3
                     : from == 4 ? get_d(m)
                                 : *words[from];
    uint16_t other = to < 2    ? *bytes[to]
                     : to == 2 ? m->ccr
                     : to == 3 ? m->tmp2
                     : to == 4 ? get_d(m)
                               : *words[to];
    uint16_t into_to, into_from = other;
    bool exchanges = post & 0x80, from_byte = from < 3, to_byte = to < 3;
    into_to = first;
    if (!exchanges && from_byte && !to_byte) into_to = (uint16_t)(int8_t)first;
    if (exchanges && from_byte && !to_byte) into_from = other & 0xFF;
    if (exchanges && !from_byte && to_byte) into_from = (uint16_t)(to == 0 ? other : 0xFF00 | other);
    for (unsigned turn = exchanges ? 0 : 1; turn < 2;
         turn++) { /* the first one gets its own before the second */
        unsigned number = turn ? to : from;
        uint16_t value = turn ? into_to : into_from;
        if (number < 2) *bytes[number] = (uint8_t)value;
        else if (number == 2) set_ccr(m, (uint8_t)value);
        else if (number == 3) *(turn ? &m->tmp2 : &m->tmp3) = value;
        else if (number == 4) set_d(m, value);
        else *words[number] = value;
    }
}

static void divide(refcpu *m, unsigned code)
{
    uint32_t d = get_d(m), x = m->x, yd = (uint32_t)m->y << 16 | d;
    flag(m, C, x == 0);
    if (code == 0x10 || code == 0x11) { /* idiv, fdiv */
        bool over = code == 0x11 && x <= d;
        flag(m, V, over);
        if (!x || over) m->x = 0xFFFF;
        else {
            uint32_t top = code == 0x10 ? d : d * 65536u;
            m->x = (uint16_t)(top / x), set_d(m, (uint16_t)(top % x));
        }
        flag(m, Z, m->x == 0);
        return;
    }
    int64_t top, quotient, rest;
    int by = code == 0x1100 ? (int)x : (int16_t)x;
    if (code == 0x1100) top = yd;
    else if (code == 0x14) top = (int32_t)yd;
    else top = (int16_t)d;
    flag(m, V, false);
    if (!by) return;
    quotient = top / by, rest = top - quotient * by;
    bool fits = code == 0x1100 ? quotient < 65536 : quotient >= -32768 && quotient < 32768;
    flag(m, V, !fits);
    if (!fits) return;
    if (code == 0x15) m->x = (uint16_t)quotient;
    else m->y = (uint16_t)quotient;
    set_d(m, (uint16_t)rest);
    nz16(m, (uint16_t)quotient);
}

static void rules(refcpu *m, bool weighted)
{
    unsigned n = 0, weights = 0;
    bool ended = false;
    while (n < 256) { /* then interrupts may come */
        unsigned item = weighted ? word_at(m, m->x) : m->mem[m->x], end = weighted ? 65535 : 255;
        m->x = (uint16_t)(m->x + (weighted ? 2 : 1));
        ended = item == end;
        if (ended) break;
        n++;
        if (item == end - 1) {
            if (m->ccr & V) m->a = 255;
            else if (weighted && m->ccr & C) {
                m->a = (uint8_t)(m->a * (m->mem[m->y++] + 1) / 256);
                weights++;
            }
            m->ccr ^= V;
            continue;
        }
        uint8_t *cell = &m->mem[weighted ? item : (uint16_t)(m->y + item)];
        if (!(m->ccr & V)) m->a = *cell < m->a ? *cell : m->a;
        else *cell = m->a > *cell ? m->a : *cell;
    }
    if (!ended) m->pc = (uint16_t)(m->pc - 2);
    m->cycles = 4 + 3 * n + 5 * weights;
}

static void choose(refcpu *m, unsigned code)
{
    static const char *const to_register[] = {"OrPf", "OrPO", "OfrPP", "OfIfrPf", "OfIPrPf"},
                             *const to_memory[] = {"OrPw", "OrPwO", "OfrPwP", "OfIfrPw", "OfIPrPw"};
    place p = index_of(m, 0);
    takes(m, (code & 4 ? to_memory : to_register)[p.kind]);
    bool wide = code & 2, least = code & 1;
    uint16_t own = wide ? get_d(m) : m->a, other = wide ? word_at(m, p.at) : m->mem[p.at];
    uint16_t chosen = (least ? own < other : own > other) ? own : other;
    if (wide) sub16(m, own, other);
    else sub8(m, (uint8_t)own, (uint8_t)other, 0);
    if (code & 4 && wide) put_word(m, p.at, chosen);
    else if (code & 4) m->mem[p.at] = (uint8_t)chosen;
    else if (wide) set_d(m, chosen);
    else m->a = (uint8_t)chosen;
}

static void move(refcpu *m, unsigned code)
{
    static const char *const bytes[] = {"OPwO", "OPrPw", "OrPwO", "OPwP", "OrPwPO", "OrPwP"},
                             *const words[] = {"OPPW", "OPRPW", "ORPWO", "OPWPO", "ORPWPO", "ORPWP"};
    bool byte = code & 8;
    unsigned kind = code & 7, size = byte ? 1 : 2;
    uint16_t from = 0, to = 0, value;
    takes(m, byte ? bytes[kind] : words[kind]);
    if (kind < 2) { /* the postbyte stands first; it counts from so much behind the end */
        place p = index_of(m, kind == 0 ? (int)(size + size) : 4);
        to = p.at;
    }
    if (kind == 2) from = index_of(m, 0).at, to = index_of(m, 1).at;
    if (kind == 5) from = index_of(m, 0).at;
    if (kind == 1 || kind == 4) from = fetch_word(m);
    if (kind == 0 || kind == 3) value = byte ? fetch(m) : fetch_word(m);
    else value = byte ? m->mem[from] : word_at(m, from);
    if (kind > 2) to = fetch_word(m);
    if (byte) m->mem[to] = (uint8_t)value;
    else put_word(m, to, value);
}

static int second_page(refcpu *m)
{
    unsigned code = fetch(m);
    uint8_t post = m->mem[m->pc];
    if (code >> 4 == 2) {
        uint16_t distance = fetch_word(m);
        bool goes = condition(m, code & 15);
        if (goes) m->pc = (uint16_t)(m->pc + distance);
        takes(m, goes ? "OPPP" : "OPO");
        return REFCPU_DONE;
    }
    if (code < 16 && (code & 7) < 6) {
        unsigned kind = code & 7;
        bool bad = (kind < 3 || kind == 5) && extends(post);
        if (kind == 2 && extends(m->mem[(uint16_t)(m->pc + 1)])) bad = true;
        if (bad) return REFCPU_RESERVED;
        move(m, code);
        return REFCPU_DONE;
    }
    if (code >= 0x18 && code < 0x20) {
        choose(m, code);
        return REFCPU_DONE;
    }
    uint16_t d = get_d(m);
    int32_t product;
    unsigned count = 0;
    switch (code) {
    case 0x06: m->a = add8(m, m->a, m->b, 0), takes(m, "OO"); break;
    case 0x07: {
        unsigned sum = m->a, low = sum & 15, high = sum >> 4;
        bool carry = m->ccr & C, half = m->ccr & H;
        unsigned more = low > 9 || half ? 6 : 0;
        if (carry || high > 9 || (high == 9 && low > 9)) more += 0x60, carry = true;
        m->a = (uint8_t)(sum + more);
        nz8(m, m->a), flag(m, C, carry), flag(m, V, false), takes(m, "OfO");
        break;
    }
    case 0x0E: m->b = logic8(m, m->a), takes(m, "OO"); break;
    case 0x0F: m->a = logic8(m, m->b), takes(m, "OO"); break;
    case 0x10:
    case 0x11:
    case 0x14:
    case 0x15: divide(m, code), takes(m, "OffffffffffO"); break;
    case 0x12: {
        uint16_t at = fetch_word(m);
        uint32_t before = (uint32_t)word_at(m, at) << 16 | word_at(m, (uint16_t)(at + 2));
        product = (int32_t)(int16_t)word_at(m, m->x) * (int16_t)word_at(m, m->y);
        int64_t wide = (int64_t)(int32_t)before + product;
        uint32_t sum = before + (uint32_t)product;
        put_word(m, at, (uint16_t)(sum >> 16)), put_word(m, (uint16_t)(at + 2), (uint16_t)sum);
        flag(m, N, sum >> 31), flag(m, Z, sum == 0), flag(m, V, wide != (int32_t)sum);
        flag(m, C, (before & 65535) + ((uint32_t)product & 65535) > 65535);
        takes(m, "ORROfffRRfWWP");
        break;
    }
    case 0x13:
        product = (int32_t)(int16_t)d * (int16_t)m->y;
        m->y = (uint16_t)((uint32_t)product >> 16), set_d(m, (uint16_t)product);
        flag(m, N, product < 0), flag(m, Z, product == 0), flag(m, C, m->a >= 128), takes(m, "OfO");
        break;
    case 0x16: m->a = sub8(m, m->a, m->b, 0), takes(m, "OO"); break;
    case 0x17: sub8(m, m->a, m->b, 0), takes(m, "OO"); break;
    case 0x3A:
    case 0x3B: rules(m, code == 0x3B); break;
    case 0x3C: {
        uint32_t sum = 0;
        uint16_t weights = 0;
        do {
            uint8_t one = m->mem[m->x++], weight = m->mem[m->y++];
            sum += (uint32_t)(one * weight), weights = (uint16_t)(weights + weight), count++;
        } while (--m->b);
        m->y = (uint16_t)(sum >> 16), set_d(m, (uint16_t)sum), m->x = weights;
        flag(m, Z, true);
        m->cycles = 3 + 7 * count;
        break;
    }
    case 0x3D:
    case 0x3F: {
        if (extends(post)) return REFCPU_RESERVED;
        uint16_t at = index_of(m, 0).at;
        bool wide = code == 0x3F;
        int first = wide ? word_at(m, at) : m->mem[at],
            next = wide ? word_at(m, (uint16_t)(at + 2)) : m->mem[(uint16_t)(at + 1)];
        long long exact = first * 256LL + (long long)m->b * (next - first), result = exact / 256;
        if (wide) set_d(m, (uint16_t)result), nz16(m, (uint16_t)result);
        else m->a = (uint8_t)result, nz8(m, m->a);
        flag(m, C, exact % 256 >= 128);
        takes(m, wide ? "ORRffffffP" : "ORfffP");
        break;
    }
    case 0x3E:
        takes(m, "OO");
        if (m->ccr & S) break;
        frame(m);
        takes(m, "OOSSSSsf");
        return REFCPU_SLEEPS;
    default: return interrupt(m, 0xFFF8, "OVSPSSPSsP");
    }
    return REFCPU_DONE;
}

static int loop(refcpu *m)
{
    unsigned post = fetch(m), low = fetch(m), does = post >> 6, which = post & 7;
    if (does == 3 || which == 2 || which == 3) return REFCPU_RESERVED;
    uint16_t *words[] = {NULL, NULL, NULL, NULL, NULL, &m->x, &m->y, &m->sp};
    int delta = does == 0 ? -1 : does == 1 ? 0 : 1, distance = (int)low - (post & 16 ? 256 : 0);
    bool zero;
    if (which < 2) {
        uint8_t *reg = which ? &m->b : &m->a;
        *reg = (uint8_t)(*reg + delta);
        zero = *reg == 0;
    } else {
        uint16_t value = (uint16_t)((which == 4 ? get_d(m) : *words[which]) + delta);
        if (which == 4) set_d(m, value);
        else *words[which] = value;
        zero = value == 0;
    }
    if (zero != (post >> 5 & 1)) m->pc = (uint16_t)(m->pc + distance);
    takes(m, "PPP");
    return REFCPU_DONE;
}

/* Bits of a byte, and branches on them: columns c to f of rows 0, 1 and 4. */
static int bits(refcpu *m, unsigned code)
{
    static const char *const sets[] = {"rPwO", "rPwP", "frPwPO"}, *const tests[] = {"rPPP", "rfPPP",
                                                                                    "PrfPPP"};
    unsigned low = code & 3; /* set, clear, branch when set, when clear */
    bool branches = low > 1;
    place p = {IDX, 0};
    if (code >> 4 == 0) {
        if (points(m->mem[m->pc])) return REFCPU_RESERVED;
        p = index_of(m, branches ? 2 : 1);
        takes(m, branches ? tests[p.kind] : sets[p.kind]);
    } else if (code >> 4 == 1) p.at = fetch_word(m), takes(m, branches ? "rfPPP" : "rPwP");
    else p.at = fetch(m), takes(m, branches ? "rPPP" : "rPwO");
    uint8_t value = m->mem[p.at], mask = fetch(m);
    if (!branches) m->mem[p.at] = logic8(m, low ? value & ~mask : value | mask);
    else {
        int8_t distance = (int8_t)fetch(m);
        bool goes = low == 2 ? (value & mask) == mask : (value & mask) == 0;
        if (goes) m->pc = (uint16_t)(m->pc + distance);
    }
    return REFCPU_DONE;
}

static int call(refcpu *m, unsigned code)
{
    static const char *const letters[] = {"gnSsPPP", "gnSsPPP", "fgnSsPPP", "fIignSsPPP", "fIignSsPPP"};
    uint16_t to;
    uint8_t page;
    if (code == 0x4A) to = fetch_word(m), page = fetch(m), takes(m, "gnSsPPP");
    else if (points(m->mem[m->pc])) { /* word and page lie there: look at it as one that does not point */
        uint8_t post = fetch(m);
        unsigned which = post >> 3 & 3;
        uint16_t offset = (post & 7) == 7 ? get_d(m) : fetch_word(m);
        uint16_t base = which == 0   ? m->x
                        : which == 1 ? m->y
                        : which == 2 ? m->sp
                                     : m->pc,
                 at = (uint16_t)(base + offset);
        to = word_at(m, at), page = m->mem[(uint16_t)(at + 2)];
        takes(m, letters[3]);
    } else {
        place p = index_of(m, 1);
        to = p.at, page = fetch(m);
        takes(m, letters[p.kind]);
    }
    push_word(m, m->pc), push(m, m->page);
    m->page = page, m->pc = to;
    return REFCPU_DONE;
}

static void belong(refcpu *m)
{
    unsigned first = m->mem[m->x], last = m->mem[(uint16_t)(m->x + 1)], up = m->mem[(uint16_t)(m->x + 2)],
             down = m->mem[(uint16_t)(m->x + 3)], grade = 255;
    if (m->a < first || m->a > last) grade = 0;
    else {
        if (up && (m->a - first) * up < grade) grade = (m->a - first) * up;
        if (down && (last - m->a) * down < grade) grade = (last - m->a) * down;
    }
    m->mem[m->y++] = (uint8_t)grade;
    m->x = (uint16_t)(m->x + 4);
    takes(m, "RRfOw");
}

static int first_rows(refcpu *m, unsigned code)
{
    static const char *const jumps[] = {"PPP", "PPP", "fPPP", "fIfPPP", "fIfPPP"},
                             *const calls[] = {"PPPS", "PPPS", "fPPPS", "fIfPPPS", "fIfPPPS"},
                             *const leas[] = {"Pf", "PO", "PP"};
    place p;
    uint32_t product;
    uint16_t to;
    takes(m, "O");
    switch (code) {
    case 0x00: return REFCPU_DEBUG;
    case 0x01: belong(m); break;
    case 0x02: m->y++, flag(m, Z, m->y == 0); break;
    case 0x03: m->y--, flag(m, Z, m->y == 0); break;
    case 0x04: return loop(m);
    case 0x05: p = index_of(m, 0), m->pc = p.at, takes(m, jumps[p.kind]); break;
    case 0x06: m->pc = fetch_word(m), takes(m, "PPP"); break;
    case 0x07:
        to = fetch(m), push_word(m, m->pc), m->pc = (uint16_t)(m->pc + (int8_t)to), takes(m, "SPPP");
        break;
    case 0x08: m->x++, flag(m, Z, m->x == 0); break;
    case 0x09: m->x--, flag(m, Z, m->x == 0); break;
    case 0x0A: m->page = pull(m), m->pc = pull_word(m), takes(m, "uUnfPPP"); break;
    case 0x0B: {
        uint8_t ccr = pull(m);
        m->b = pull(m), m->a = pull(m), m->x = pull_word(m), m->y = pull_word(m), m->pc = pull_word(m);
        set_ccr(m, ccr);
        takes(m, "uUUUUPPP");
        break;
    }
    case 0x10: set_ccr(m, m->ccr & fetch(m)); break;
    case 0x11: divide(m, 0x1100), takes(m, "ffffffffffO"); break;
    case 0x12:
        product = (uint32_t)(m->a * m->b), set_d(m, (uint16_t)product), flag(m, C, product & 128);
        break;
    case 0x13:
        product = (uint32_t)get_d(m) * m->y;
        m->y = (uint16_t)(product >> 16), set_d(m, (uint16_t)product);
        flag(m, N, product >> 31), flag(m, Z, product == 0), flag(m, C, product & 0x8000), takes(m, "ffO");
        break;
    case 0x14: set_ccr(m, m->ccr | fetch(m)); break;
    case 0x15: p = index_of(m, 0), push_word(m, m->pc), m->pc = p.at, takes(m, calls[p.kind]); break;
    case 0x16: to = fetch_word(m), push_word(m, m->pc), m->pc = to, takes(m, "SPPP"); break;
    case 0x17: to = fetch(m), push_word(m, m->pc), m->pc = to, takes(m, "SPPP"); break;
    case 0x19:
    case 0x1A:
    case 0x1B:
        if (points(m->mem[m->pc])) return REFCPU_RESERVED;
        p = index_of(m, 0);
        *(code == 0x19 ? &m->y : code == 0x1A ? &m->x : &m->sp) = p.at;
        takes(m, leas[p.kind]);
        break;
    default: return second_page(m);
    }
    return REFCPU_DONE;
}

static int stack_row(refcpu *m, unsigned code)
{
    takes(m, code & 4 ? "OS" : "UfO");
    switch (code) {
    case 0x30: m->x = pull_word(m); break;
    case 0x31: m->y = pull_word(m); break;
    case 0x32: m->a = pull(m); break;
    case 0x33: m->b = pull(m); break;
    case 0x34: push_word(m, m->x); break;
    case 0x35: push_word(m, m->y); break;
    case 0x36: push(m, m->a); break;
    case 0x37: push(m, m->b); break;
    case 0x38: set_ccr(m, pull(m)); break;
    case 0x39: push(m, m->ccr), takes(m, "Os"); break;
    case 0x3A: set_d(m, pull_word(m)); break;
    case 0x3B: push_word(m, get_d(m)), takes(m, "OS"); break;
    case 0x3C: return REFCPU_RESERVED;
    case 0x3D: m->pc = pull_word(m), takes(m, "UfPPP"); break;
    case 0x3E: frame(m), takes(m, "OSSSSsf"); return REFCPU_SLEEPS;
    default: return interrupt(m, 0xFFF6, "VSPSSPSsP");
    }
    return REFCPU_DONE;
}

static int step(refcpu *m)
{
    unsigned code = fetch(m), row = code >> 4, low = code & 15;
    uint8_t *reg = row == 4 || row == 8 || row == 9 ? &m->a : &m->b;
    place p = {IDX, 0};
    if ((row < 2 || row == 4) && low > 11) return bits(m, code);
    if (row < 2) return first_rows(m, code);
    if (row == 2) {
        int8_t distance = (int8_t)fetch(m);
        bool goes = condition(m, low);
        if (goes) m->pc = (uint16_t)(m->pc + distance);
        takes(m, goes ? "PPP" : "P");
        return REFCPU_DONE;
    }
    if (row == 3) return stack_row(m, code);
    if (row < 6 && low == 9) {
        uint16_t d = get_d(m), r = row == 4 ? d / 2 : (uint16_t)(d * 2);
        bool out = row == 4 ? d % 2 : d >= 32768;
        set_d(m, r), nz16(m, r), flag(m, C, out), flag(m, V, (r >= 32768) != out), takes(m, "O");
        return REFCPU_DONE;
    }
    if (row < 6 && low < 10) {
        *reg = change(m, low, *reg), takes(m, "O");
        return REFCPU_DONE;
    }
    if (row == 4) return call(m, code);
    if (row < 8) {
        bool stores = low > 9, wide = low > 11;
        if (row == 5) p.at = fetch(m), takes(m, "Pw");
        else if (row == 7) p.at = fetch_word(m), takes(m, stores || low == 9 ? "PwO" : "rPwO");
        else p = index_of(m, 0), takes(m, (stores || low == 9 ? storing : changing)[p.kind]);
        uint16_t value = low == 10   ? m->a
                         : low == 11 ? m->b
                         : low == 12 ? get_d(m)
                         : low == 13 ? m->y
                         : low == 14 ? m->x
                                     : m->sp;
        if (!stores) m->mem[p.at] = change(m, low, m->mem[p.at]);
        else if (wide) put_word(m, p.at, value), nz16(m, value), flag(m, V, false);
        else m->mem[p.at] = logic8(m, value);
        return REFCPU_DONE;
    }
    if (low != 7) {
        with_register(m, code);
        return REFCPU_DONE;
    }
    takes(m, "O");
    if (row == 8 || row == 12) *reg = change(m, 9, 0);
    else if (row == 9 || row == 13) change(m, 10, *reg);
    else if (row == 11) transfer(m, fetch(m));
    else if (row == 14) p = index_of(m, 0), takes(m, reading[p.kind]), change(m, 10, m->mem[p.at]);
    else if (row == 15) p.at = fetch_word(m), takes(m, "rPO"), change(m, 10, m->mem[p.at]);
    return REFCPU_DONE;
}

int refcpu_step(refcpu *m)
{
    uint8_t a = m->a, b = m->b, ccr = m->ccr;
    uint16_t x = m->x, y = m->y, sp = m->sp, pc = m->pc;
    int done = step(m);
    if (done == REFCPU_RESERVED || done == REFCPU_DEBUG)
        m->a = a, m->b = b, m->ccr = ccr, m->x = x, m->y = y, m->sp = sp, m->pc = pc;
    return done;
}
