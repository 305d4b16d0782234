/* reference_z80.c — see reference_z80.h. */
#include "reference_z80.h"

enum { B, C, D, E, H, L, NONE, A };
enum { FC = 1, FN = 2, FP = 4, FX = 8, FH = 16, FY = 32, FZ = 64, FS = 128 };

/* ------------------------------------------------------------------------------------------ machine cycles */

static uint8_t opcode(refz80 *m) /* fetch and refresh: four T states */
{
    m->t += 4;
    m->r = (uint8_t)((m->r & 0x80) | ((m->r + 1) & 0x7F));
    return m->mem[m->pc++];
}

static uint8_t rd(refz80 *m, uint16_t at)
{
    m->t += 3;
    return m->mem[at];
}

static void wr(refz80 *m, uint16_t at, uint8_t value)
{
    m->t += 3;
    m->mem[at] = value;
}

static uint8_t next(refz80 *m)
{
    return rd(m, m->pc++);
}

static uint16_t next16(refz80 *m)
{
    unsigned low = next(m);
    return (uint16_t)(low + 256u * next(m));
}

static uint16_t rd16(refz80 *m, uint16_t at)
{
    unsigned low = rd(m, at);
    return (uint16_t)(low + 256u * rd(m, (uint16_t)(at + 1)));
}

static void wr16(refz80 *m, uint16_t at, uint16_t value)
{
    wr(m, at, value & 0xFF);
    wr(m, (uint16_t)(at + 1), (uint8_t)(value / 256));
}

static void push(refz80 *m, uint16_t value)
{
    wr(m, --m->sp, (uint8_t)(value / 256));
    wr(m, --m->sp, value & 0xFF);
}

static uint16_t pop(refz80 *m)
{
    uint16_t value = rd16(m, m->sp);
    m->sp = (uint16_t)(m->sp + 2);
    return value;
}

static uint16_t two(const refz80 *m, int high)
{
    return (uint16_t)(m->r8[high] * 256 + m->r8[high + 1]);
}

static void set2(refz80 *m, int high, uint16_t value)
{
    m->r8[high] = (uint8_t)(value / 256);
    m->r8[high + 1] = value & 0xFF;
}

/* ------------------------------------------------------------------------------------------ flags by their definitions */

static uint8_t ones(unsigned value)
{
    uint8_t count = 0;
    for (; value; value /= 2) count = (uint8_t)(count + value % 2);
    return count;
}

static uint8_t szyx(uint8_t value)
{
    return (uint8_t)((value >= 128 ? FS : 0) + (value == 0 ? FZ : 0) + (value & (FY | FX)));
}

static uint8_t szyxp(uint8_t value)
{
    return (uint8_t)(szyx(value) + (ones(value) % 2 ? 0 : FP));
}

static int as_signed(int value, int bits)
{
    int half = 1 << (bits - 1);
    return value >= half ? value - 2 * half : value;
}

/* left + right + carry, or left - right - carry, of so many bits: the result, with H, P/V, N and C in *flags. */
static int sum(int left, int right, int carry, bool minus, int bits, uint8_t *flags)
{
    int whole = 1 << bits, nibble = 1 << (bits - 4), sign = minus ? -1 : 1;
    int exact = left + sign * (right + carry);
    int low = left % nibble + sign * (right % nibble + carry);
    int with_sign = as_signed(left, bits) + sign * (as_signed(right, bits) + carry);
    *flags = (uint8_t)((exact < 0 || exact >= whole ? FC : 0) + (low < 0 || low >= nibble ? FH : 0) +
                       (minus ? FN : 0) + (with_sign < -whole / 2 || with_sign >= whole / 2 ? FP : 0));
    return ((exact % whole) + whole) % whole;
}

static void alu(refz80 *m, int what, uint8_t value)
{
    uint8_t a = m->r8[A], flags;
    int carry = m->f & FC;
    switch (what) {
    case 0: a = (uint8_t)sum(a, value, 0, false, 8, &flags); break;
    case 1: a = (uint8_t)sum(a, value, carry, false, 8, &flags); break;
    case 3: a = (uint8_t)sum(a, value, carry, true, 8, &flags); break;
    case 4:
        m->r8[A] = a & value;
        m->f = (uint8_t)(szyxp(m->r8[A]) + FH);
        return;
    case 5:
        m->r8[A] = a ^ value;
        m->f = szyxp(m->r8[A]);
        return;
    case 6:
        m->r8[A] = a | value;
        m->f = szyxp(m->r8[A]);
        return;
    default: a = (uint8_t)sum(a, value, 0, true, 8, &flags); break;
    }
    m->f = (uint8_t)(szyx(a) + flags);
    if (what == 7) m->f = (uint8_t)((m->f & ~(FY | FX)) + (value & (FY | FX)));
    else m->r8[A] = a;
}

static uint8_t step_by(refz80 *m, uint8_t value, bool minus)
{
    uint8_t flags, result = (uint8_t)sum(value, 1, 0, minus, 8, &flags);
    m->f = (uint8_t)(szyx(result) + (flags & ~FC) + (m->f & FC));
    return result;
}

static uint8_t rotate(refz80 *m, int what, uint8_t v)
{
    int carry = m->f & FC, out = what % 2 ? v % 2 : v / 128;
    uint8_t result = 0;
    switch (what) {
    case 0: result = (uint8_t)(v * 2 + out); break;
    case 1: result = (uint8_t)(v / 2 + 128 * out); break;
    case 2: result = (uint8_t)(v * 2 + carry); break;
    case 3: result = (uint8_t)(v / 2 + 128 * carry); break;
    case 4: result = (uint8_t)(v * 2); break;
    case 5: result = (uint8_t)(v / 2 + (v & 128)); break;
    case 6: result = (uint8_t)(v * 2 + 1); break;
    case 7: result = v / 2; break;
    }
    m->f = (uint8_t)(szyxp(result) + out);
    return result;
}

static void test_bit(refz80 *m, int bit, uint8_t value, uint8_t shows)
{
    bool on = value >> bit & 1;
    m->f = (uint8_t)((m->f & FC) + FH + (on ? 0 : FZ + FP) + (on && bit == 7 ? FS : 0) + (shows & (FY | FX)));
}

static bool condition(const refz80 *m, int which)
{
    static const uint8_t flag[] = {FZ, FC, FP, FS};
    return ((m->f & flag[which / 2]) != 0) == which % 2;
}

static void adjust(refz80 *m)
{
    int a = m->r8[A], add = 0, carry = m->f & FC, half = m->f & FH, minus = m->f & FN;
    if (half || a % 16 > 9) add = 6;
    if (carry || a > 0x99) add += 0x60, carry = FC;
    int after = minus ? a - add : a + add;
    m->r8[A] = (uint8_t)after;
    half = (a ^ after) & FH; /* bit 4 was carried into when it is not what it would be without */
    m->f = (uint8_t)(szyxp(m->r8[A]) + carry + half + minus);
}

/* ------------------------------------------------------------------------------------------ operands */

typedef struct index_of {
    int which; /* 0: hl, 1: ix, 2: iy */
} index_of;

static uint16_t get_index(const refz80 *m, int which)
{
    return which == 0 ? two(m, H) : which == 1 ? m->ix : m->iy;
}

static void set_index(refz80 *m, int which, uint16_t value)
{
    if (which == 0) set2(m, H, value);
    else if (which == 1) m->ix = value;
    else m->iy = value;
}

/* The address of the memory operand: hl, or the index with its distance. */
static uint16_t operand_at(refz80 *m, int which, unsigned extra)
{
    if (which == 0) return two(m, H);
    int8_t distance = (int8_t)next(m);
    m->t += extra;
    return m->wz = (uint16_t)(get_index(m, which) + distance);
}

static uint8_t get8(const refz80 *m, int code, int which)
{
    if (which && code == H) return (uint8_t)(get_index(m, which) / 256);
    if (which && code == L) return get_index(m, which) & 0xFF;
    return m->r8[code];
}

static void set8(refz80 *m, int code, int which, uint8_t value)
{
    uint16_t index = get_index(m, which);
    if (which && code == H) set_index(m, which, (uint16_t)(value * 256 + index % 256));
    else if (which && code == L) set_index(m, which, (uint16_t)(index - index % 256 + value));
    else m->r8[code] = value;
}

static uint16_t pair(const refz80 *m, int p, int which)
{
    return p == 3 ? m->sp : p == 2 ? get_index(m, which) : two(m, 2 * p);
}

static void set_pair(refz80 *m, int p, int which, uint16_t value)
{
    if (p == 3) m->sp = value;
    else if (p == 2) set_index(m, which, value);
    else set2(m, 2 * p, value);
}

static void jump_near(refz80 *m, bool taken)
{
    int8_t distance = (int8_t)next(m);
    if (!taken) return;
    m->t += 5;
    m->pc = m->wz = (uint16_t)(m->pc + distance);
}

static void call(refz80 *m, uint16_t target)
{
    m->t += 1;
    push(m, m->pc);
    m->pc = m->wz = target;
}

/* ------------------------------------------------------------------------------------------ pages */

static void bit_page(refz80 *m, int which)
{
    uint16_t at = 0;
    uint8_t code, value;
    if (which) {
        at = operand_at(m, which, 0);
        code = next(m); /* no refresh */
        m->t += 2;
    } else code = opcode(m);
    int x = code / 64, y = code / 8 % 8, z = code % 8;
    bool memory = which || z == 6;
    if (!which) at = two(m, H);
    value = memory ? rd(m, at) : m->r8[z];
    if (memory) m->t += 1;
    if (x == 1) {
        test_bit(m, y, value, memory ? (uint8_t)(m->wz / 256) : value);
        return;
    }
    value = x == 0 ? rotate(m, y, value) : x == 2 ? (uint8_t)(value & ~(1 << y)) : (uint8_t)(value | 1 << y);
    if (memory) wr(m, at, value);
    if (z != 6) m->r8[z] = value;
}

/* Blocks: rows 4 to 7 of x = 2: up, down, up again and again, down again and again. */
static void block(refz80 *m, int y, int z)
{
    int direction = y % 2 ? -1 : 1;
    bool repeats = y >= 6, again = false;
    uint16_t hl = two(m, H), bc = two(m, B), de = two(m, D);
    uint8_t value, flags;
    if (z == 0) {
        value = rd(m, hl);
        wr(m, de, value);
        m->t += 2;
        uint8_t n = (uint8_t)(value + m->r8[A]);
        set2(m, D, (uint16_t)(de + direction));
        set2(m, H, (uint16_t)(hl + direction));
        set2(m, B, --bc);
        m->f = (uint8_t)((m->f & (FS | FZ | FC)) + (bc ? FP : 0) + (n & 8 ? FX : 0) + (n & 2 ? FY : 0));
        again = repeats && bc;
    } else if (z == 1) {
        value = rd(m, hl);
        m->t += 5;
        uint8_t result = (uint8_t)sum(m->r8[A], value, 0, true, 8, &flags);
        uint8_t n = (uint8_t)(result - (flags & FH ? 1 : 0));
        set2(m, H, (uint16_t)(hl + direction));
        set2(m, B, --bc);
        m->wz = (uint16_t)(m->wz + direction);
        m->f = (uint8_t)((szyx(result) & (FS | FZ)) + (flags & FH) + FN + (m->f & FC) + (bc ? FP : 0) +
                         (n & 8 ? FX : 0) + (n & 2 ? FY : 0));
        again = repeats && bc && result;
    } else {
        m->t += 1;
        unsigned k;
        if (z == 2) {
            value = m->io[bc & 255];
            m->t += 4;
            wr(m, hl, value);
            m->wz = (uint16_t)(bc + direction);
            m->r8[B]--;
            set2(m, H, (uint16_t)(hl + direction));
            k = value + ((bc + (unsigned)direction) & 255);
        } else {
            value = rd(m, hl);
            m->r8[B]--;
            m->io[bc & 255] = value;
            m->t += 4;
            m->wz = (uint16_t)(two(m, B) + direction);
            set2(m, H, (uint16_t)(hl + direction));
            k = value + m->r8[L];
        }
        m->f = (uint8_t)(szyx(m->r8[B]) + (value >= 128 ? FN : 0) + (k > 255 ? FH + FC : 0) +
                         (ones((k & 7) ^ m->r8[B]) % 2 ? 0 : FP));
        again = repeats && m->r8[B];
    }
    if (!again) return;
    m->t += 5;
    m->pc = (uint16_t)(m->pc - 2);
    m->wz = (uint16_t)(m->pc + 1);
}

static bool ed_page(refz80 *m)
{
    static const uint8_t modes[] = {0, 0, 1, 2, 0, 0, 1, 2};
    uint8_t code = opcode(m), flags, value;
    int x = code / 64, y = code / 8 % 8, z = code % 8, p = y / 2;
    uint16_t address, hl = two(m, H);
    if (x == 2 && y >= 4 && z < 4) {
        block(m, y, z);
        return true;
    }
    if (x != 1) return false;
    switch (z) {
    case 0:
        value = m->io[m->r8[C]];
        m->t += 4;
        m->wz = (uint16_t)(two(m, B) + 1);
        if (y != 6) m->r8[y] = value;
        m->f = (uint8_t)(szyxp(value) + (m->f & FC));
        return true;
    case 1:
        m->io[m->r8[C]] = y == 6 ? 0 : m->r8[y];
        m->t += 4;
        m->wz = (uint16_t)(two(m, B) + 1);
        return true;
    case 2: {
        int result = sum(hl, pair(m, p, 0), m->f & FC, y % 2 == 0, 16, &flags);
        m->t += 7;
        m->wz = (uint16_t)(hl + 1);
        set2(m, H, (uint16_t)result);
        m->f = (uint8_t)((szyx((uint8_t)(result / 256)) & ~FZ) + (result ? 0 : FZ) + flags);
        return true;
    }
    case 3:
        address = next16(m);
        m->wz = (uint16_t)(address + 1);
        if (y % 2) set_pair(m, p, 0, rd16(m, address));
        else wr16(m, address, pair(m, p, 0));
        return true;
    case 4:
        value = m->r8[A];
        m->r8[A] = 0;
        alu(m, 2, value);
        return true;
    case 5:
        m->pc = m->wz = pop(m);
        m->iff1 = m->iff2;
        return true;
    case 6: m->im = modes[y]; return true;
    default: break;
    }
    switch (y) {
    case 0:
        m->t++;
        m->i = m->r8[A];
        return true;
    case 1:
        m->t++;
        m->r = m->r8[A];
        return true;
    case 2:
    case 3:
        m->t++;
        m->r8[A] = y == 2 ? m->i : m->r;
        m->f = (uint8_t)(szyx(m->r8[A]) + (m->iff2 ? FP : 0) + (m->f & FC));
        return true;
    case 4:
    case 5: {
        unsigned byte = rd(m, hl), a = m->r8[A];
        unsigned digits[3] = {a % 16, byte / 16, byte % 16}; /* turn one way or the other */
        unsigned left = y == 5 ? digits[1] : digits[2], high = y == 5 ? digits[2] : digits[0],
                 low = y == 5 ? digits[0] : digits[1];
        m->t += 4;
        m->r8[A] = (uint8_t)(a - a % 16 + left);
        wr(m, hl, (uint8_t)(high * 16 + low));
        m->wz = (uint16_t)(hl + 1);
        m->f = (uint8_t)(szyxp(m->r8[A]) + (m->f & FC));
        return true;
    }
    default: return false;
    }
}

/* Does a prefix change what this code does? */
static bool cares(uint8_t code)
{
    int x = code / 64, y = code / 8 % 8, z = code % 8;
    if (code == 0xCB || code == 0xE1 || code == 0xE3 || code == 0xE5 || code == 0xE9 || code == 0xF9)
        return true;
    if (x == 0 && z == 1) return y % 2 || y == 4;
    if (x == 0 && z == 2) return y == 4 || y == 5;
    if (x == 0 && z == 3) return y / 2 == 2;
    if (x == 0 && z >= 4 && z <= 6) return y >= 4 && y <= 6;
    if (x == 1 && code != 0x76) return (y >= 4 && y <= 6) || (z >= 4 && z <= 6);
    return x == 2 && z >= 4 && z <= 6;
}

static void quarter_0(refz80 *m, int y, int z, int which)
{
    int p = y / 2;
    uint16_t address, value16;
    uint8_t value, kept = m->f & (FS | FZ | FP), flags;
    switch (z) {
    case 0:
        if (y == 0) return;
        if (y == 1) {
            uint8_t a = m->r8[A], f = m->f;
            m->r8[A] = m->alt[A], m->f = m->alt[NONE];
            m->alt[A] = a, m->alt[NONE] = f;
        } else if (y == 2) {
            m->t += 1;
            jump_near(m, --m->r8[B] != 0);
        } else jump_near(m, y == 3 || condition(m, y - 4));
        return;
    case 1:
        if (y % 2 == 0) {
            set_pair(m, p, which, next16(m));
            return;
        }
        address = get_index(m, which);
        value16 = (uint16_t)sum(address, pair(m, p, which), 0, false, 16, &flags);
        m->t += 7;
        m->wz = (uint16_t)(address + 1);
        set_index(m, which, value16);
        m->f = (uint8_t)(kept + (flags & (FH | FC)) + (value16 / 256 & (FY | FX)));
        return;
    case 2:
        if (p < 2) {
            address = two(m, 2 * p);
        } else address = next16(m);
        if (p == 2) {
            m->wz = (uint16_t)(address + 1);
            if (y % 2) set_index(m, which, rd16(m, address));
            else wr16(m, address, get_index(m, which));
        } else if (y % 2) {
            m->r8[A] = rd(m, address);
            m->wz = (uint16_t)(address + 1);
        } else {
            wr(m, address, m->r8[A]);
            m->wz = (uint16_t)(m->r8[A] * 256 + (address + 1) % 256);
        }
        return;
    case 3:
        m->t += 2;
        set_pair(m, p, which, (uint16_t)(pair(m, p, which) + (y % 2 ? -1 : 1)));
        return;
    case 4:
    case 5:
        if (y == 6) {
            address = operand_at(m, which, 5);
            value = step_by(m, rd(m, address), z == 5);
            m->t += 1;
            wr(m, address, value);
        } else set8(m, y, which, step_by(m, get8(m, y, which), z == 5));
        return;
    case 6:
        if (y == 6) {
            address = operand_at(m, which, 0);
            value = next(m);
            if (which) m->t += 2; /* the distance is added while the byte is read */
            wr(m, address, value);
        } else set8(m, y, which, next(m));
        return;
    default: break;
    }
    switch (y) {
    case 4: adjust(m); return;
    case 5:
        m->r8[A] = (uint8_t)(255 - m->r8[A]);
        m->f = (uint8_t)(kept + (m->f & FC) + FH + FN + (m->r8[A] & (FY | FX)));
        return;
    case 6: m->f = (uint8_t)(kept + FC + (m->r8[A] & (FY | FX))); return;
    case 7: m->f = (uint8_t)(kept + (m->f & FC ? FH : FC) + (m->r8[A] & (FY | FX))); return;
    default: m->r8[A] = rotate(m, y, m->r8[A]); m->f = (uint8_t)(kept + (m->f & (FC | FY | FX)));
    }
}

static void quarter_3(refz80 *m, int y, int z, int which)
{
    int p = y / 2;
    uint16_t address;
    switch (z) {
    case 0:
        m->t += 1;
        if (condition(m, y)) m->pc = m->wz = pop(m);
        return;
    case 1:
        if (y == 1) m->pc = m->wz = pop(m);
        else if (y == 3)
            for (int i = 0; i < 6; i++) {
                uint8_t kept = m->r8[i];
                m->r8[i] = m->alt[i];
                m->alt[i] = kept;
            }
        else if (y == 5) m->pc = get_index(m, which);
        else if (y == 7) m->t += 2, m->sp = get_index(m, which);
        else if (p == 3) {
            address = pop(m);
            m->r8[A] = (uint8_t)(address / 256);
            m->f = address & 0xFF;
        } else set_pair(m, p, which, pop(m));
        return;
    case 2:
        m->wz = next16(m);
        if (condition(m, y)) m->pc = m->wz;
        return;
    case 3:
        if (y == 0) m->pc = m->wz = next16(m);
        else if (y == 2) {
            uint8_t port = next(m);
            m->io[port] = m->r8[A];
            m->t += 4;
            m->wz = (uint16_t)(m->r8[A] * 256 + (port + 1) % 256);
        } else if (y == 3) {
            uint8_t port = next(m);
            m->wz = (uint16_t)(m->r8[A] * 256 + port + 1);
            m->r8[A] = m->io[port];
            m->t += 4;
        } else if (y == 4) {
            uint16_t top = rd16(m, m->sp);
            wr16(m, m->sp, get_index(m, which));
            m->t += 3;
            set_index(m, which, m->wz = top);
        } else if (y == 5) {
            uint16_t de = two(m, D);
            set2(m, D, two(m, H));
            set2(m, H, de);
        } else m->iff1 = m->iff2 = y == 7;
        return;
    case 4:
        address = m->wz = next16(m);
        if (condition(m, y)) call(m, address);
        return;
    case 5:
        if (y == 1) {
            address = next16(m);
            call(m, address);
            return;
        }
        m->t += 1;
        push(m, p == 3 ? (uint16_t)(m->r8[A] * 256 + m->f) : pair(m, p, which));
        return;
    case 6: alu(m, y, next(m)); return;
    default: call(m, (uint16_t)(8 * y)); return;
    }
}

bool refz80_step(refz80 *m)
{
    int which = 0;
    m->t = 0;
    uint8_t code = opcode(m);
    if (code == 0xED) return ed_page(m);
    if (code == 0xDD || code == 0xFD) {
        if (!cares(m->mem[m->pc])) return true;
        which = code == 0xDD ? 1 : 2;
        code = opcode(m);
    }
    int x = code / 64, y = code / 8 % 8, z = code % 8;
    if (code == 0xCB) bit_page(m, which);
    else if (x == 0) quarter_0(m, y, z, which);
    else if (code == 0x76) m->halted = true, m->pc--;
    else if (x == 1) {
        uint16_t at = y == 6 || z == 6 ? operand_at(m, which, 5) : 0;
        if (z == 6) m->r8[y] = rd(m, at);
        else if (y == 6) wr(m, at, m->r8[z]);
        else set8(m, y, which, get8(m, z, which));
    } else if (x == 2) alu(m, y, z == 6 ? rd(m, operand_at(m, which, 5)) : get8(m, z, which));
    else quarter_3(m, y, z, which);
    return true;
}
