/* reference_rv32.c — see reference_rv32.h. */
#include "reference_rv32.h"

/* ------------------------------------------------------------------------------------------ short codes */

/* Bits of a short code, from the highest down, a letter each: a is bit 0. */
static uint32_t bits(uint16_t code, const char *list)
{
    uint32_t value = 0;
    for (; *list; list++) value = value << 1 | (code >> (*list - 'a') & 1);
    return value;
}

static uint32_t with_sign(uint32_t value, unsigned width)
{
    return (value ^ 1u << (width - 1)) - (1u << (width - 1));
}

static uint32_t r_code(uint32_t funct7, uint32_t rs2, uint32_t rs1, uint32_t funct3, uint32_t rd)
{
    return funct7 << 25 | rs2 << 20 | rs1 << 15 | funct3 << 12 | rd << 7 | 0x33;
}
static uint32_t i_code(uint32_t immediate, uint32_t rs1, uint32_t funct3, uint32_t rd, uint32_t opcode)
{
    return immediate << 20 | rs1 << 15 | funct3 << 12 | rd << 7 | opcode;
}
static uint32_t s_code(uint32_t immediate, uint32_t rs2, uint32_t rs1)
{
    return (immediate >> 5 & 127) << 25 | rs2 << 20 | rs1 << 15 | 2u << 12 | (immediate & 31) << 7 | 0x23;
}
static uint32_t b_code(uint32_t immediate, uint32_t rs1, uint32_t funct3)
{
    return (immediate >> 12 & 1) << 31 | (immediate >> 5 & 63) << 25 | rs1 << 15 | funct3 << 12 |
           (immediate >> 1 & 15) << 8 | (immediate >> 11 & 1) << 7 | 0x63;
}
static uint32_t j_code(uint32_t immediate, uint32_t rd)
{
    return (immediate >> 20 & 1) << 31 | (immediate >> 1 & 0x3FF) << 21 | (immediate >> 11 & 1) << 20 |
           (immediate >> 12 & 0xFF) << 12 | rd << 7 | 0x6F;
}

uint32_t refrv_in_full(uint16_t code)
{
    uint32_t rd = code >> 7 & 31, rs2 = code >> 2 & 31, low = (code >> 2 & 7) + 8, high = (code >> 7 & 7) + 8;
    uint32_t six = with_sign(bits(code, "mgfedc"), 6), shift = bits(code, "mgfedc");
    uint32_t jump = with_sign(bits(code, "mikjghclfed") << 1, 12),
             branch = with_sign(bits(code, "mgfclked") << 1, 9);
    uint32_t word = bits(code, "fmlkg") << 2; /* of c.lw and c.sw: 5 | 12:10 | 6 */
    switch ((code & 3) << 3 | code >> 13) {
    case 0: {
        uint32_t wide = bits(code, "kjihmlfg") << 2; /* 10:7 | 12:11 | 5 | 6 */
        return wide ? i_code(wide, 2, 0, low, 0x13) : 0;
    }
    case 2: return i_code(word, high, 2, low, 0x03);
    case 6: return s_code(word, low, high);
    case 8: return rd ? i_code(six, rd, 0, rd, 0x13) : code == 1 ? 0x13 : 0;
    case 9: return j_code(jump, 1);
    case 10: return rd ? i_code(six, 0, 0, rd, 0x13) : 0;
    case 11: {
        uint32_t sixteen = with_sign(bits(code, "medfcg") << 4, 10);
        if (rd == 2) return sixteen ? i_code(sixteen, 2, 0, 2, 0x13) : 0;
        return rd && six ? six << 12 | rd << 7 | 0x37 : 0;
    }
    case 12:
        switch (code >> 10 & 3) {
        case 0: return code >> 12 & 1 ? 0 : i_code(shift, high, 5, high, 0x13);
        case 1: return code >> 12 & 1 ? 0 : i_code(shift | 0x400, high, 5, high, 0x13);
        case 2: return i_code(six, high, 7, high, 0x13);
        default: {
            static const uint8_t does[] = {0, 4, 6, 7};
            unsigned which = code >> 5 & 3;
            return code >> 12 & 1 ? 0 : r_code(which ? 0 : 32, low, high, does[which], high);
        }
        }
    case 13: return j_code(jump, 0);
    case 14: return b_code(branch, high, 0);
    case 15: return b_code(branch, high, 1);
    case 16: return code >> 12 & 1 || !rd ? 0 : i_code(shift, rd, 1, rd, 0x13);
    case 18: return rd ? i_code(bits(code, "dcmgfe") << 2, 2, 2, rd, 0x03) : 0;
    case 20:
        if (!(code >> 12 & 1))
            return rs2 ? (rd ? r_code(0, rs2, 0, 0, rd) : 0) : rd ? i_code(0, rd, 0, 0, 0x67) : 0;
        if (rs2) return rd ? r_code(0, rs2, rd, 0, rd) : 0;
        return rd ? i_code(0, rd, 0, 1, 0x67) : 0x00100073;
    case 22: return s_code(bits(code, "ihmlkj") << 2, rs2, 2);
    default: return 0;
    }
}

/* ------------------------------------------------------------------------------------------ execution */

static void trap(refrv *m, uint32_t cause, uint32_t value)
{
    m->mepc = m->pc, m->mcause = cause, m->mtval = value;
    m->mstatus = 0x1800 | (m->mstatus & 8 ? 0x80 : 0);
    m->pc = m->mtvec & ~3u;
    m->cycles = 4;
    m->trapped = true;
}

static uint32_t divided(uint32_t a, uint32_t b, unsigned funct3)
{
    int64_t x = funct3 & 1 ? (int64_t)a : (int32_t)a, y = funct3 & 1 ? (int64_t)b : (int32_t)b;
    if (!y) return funct3 & 2 ? a : UINT32_MAX;
    return (uint32_t)(funct3 & 2 ? x % y : x / y); /* in 64 bits nothing overflows */
}

static uint32_t multiplied(uint32_t a, uint32_t b, unsigned funct3)
{
    /* By parts of 16 bits, then what signs take away from the upper word. */
    uint32_t al = a & 0xFFFF, ah = a >> 16, bl = b & 0xFFFF, bh = b >> 16, low = a * b;
    uint32_t middle = (al * bl >> 16) + (ah * bl & 0xFFFF) + (al * bh & 0xFFFF);
    uint32_t upper = ah * bh + (ah * bl >> 16) + (al * bh >> 16) + (middle >> 16);
    if (funct3 == 0) return low;
    if (funct3 != 3 && a >> 31) upper -= b;
    if (funct3 == 1 && b >> 31) upper -= a;
    return upper;
}

static bool lies(uint32_t address, unsigned bytes)
{
    return address < 65536 && 65536 - address >= bytes;
}

/* What machine mode has, by number; NULL for what has no register of its own here. */
static uint32_t *control(refrv *m, uint32_t number, uint32_t *writable)
{
    static const struct {
        uint16_t number;
        uint32_t writable;
    } all[] = {{0x300, 0x88}, {0x304, 0xFFFF0088}, {0x305, ~2u}, {0x340, ~0u},
               {0x341, ~1u},  {0x342, ~0u},        {0x343, ~0u}};
    uint32_t *const at[] = {&m->mstatus, &m->mie, &m->mtvec, &m->mscratch, &m->mepc, &m->mcause, &m->mtval};
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++)
        if (all[i].number == number) return *writable = all[i].writable, at[i];
    return (uint32_t *)0;
}

static bool control_value(refrv *m, uint32_t number, uint32_t *value)
{
    uint32_t unused, *at = control(m, number, &unused);
    switch (number) {
    case 0xC00:
    case 0xB00:
        *value = (uint32_t)(m->time + 2);
        return true; /* as devices are read: behind the instruction's own cycles */
    case 0xC80:
    case 0xB80: *value = (uint32_t)((m->time + 2) >> 32); return true;
    case 0xC02:
    case 0xB02: *value = (uint32_t)m->count; return true;
    case 0xC82:
    case 0xB82: *value = (uint32_t)(m->count >> 32); return true;
    case 0x301: *value = 1u << 30 | 1u << ('i' - 'a') | 1u << ('m' - 'a') | 1u << ('c' - 'a'); return true;
    case 0x344:
    case 0xF11:
    case 0xF12:
    case 0xF13:
    case 0xF14: *value = 0; return true;
    default: *value = at ? *at : 0; return at != (uint32_t *)0;
    }
}

static bool system(refrv *m, uint32_t code, uint32_t next)
{
    unsigned funct3 = code >> 12 & 7, rd = code >> 7 & 31, rs1 = code >> 15 & 31;
    uint32_t old, writable, number = code >> 20, with = funct3 & 4 ? rs1 : m->x[rs1];
    bool writes = (funct3 & 3) == 1 || rs1;
    m->cycles = 1;
    if (!funct3) {
        if (code == 0x00000073) return trap(m, 11, 0), true;
        if (code == 0x00100073) return trap(m, 3, m->pc), true;
        if (code == 0x10500073) return m->sleeps = true, m->pc = next, true;
        if (code != 0x30200073) return false;
        m->mstatus = 0x1800 | 0x80 | (m->mstatus & 0x80 ? 8 : 0);
        m->pc = m->mepc;
        m->cycles = 4;
        return true;
    }
    if (funct3 == 4 || !control_value(m, number, &old) || (writes && number >> 10 == 3)) return false;
    uint32_t *at = control(m, number, &writable);
    uint32_t new = (funct3 & 3) == 1 ? with : (funct3 & 3) == 2 ? old | with : old & ~with;
    if (writes && at) *at = (*at & ~writable) | (new &writable);
    if (rd) m->x[rd] = old;
    m->cycles = 2;
    m->pc = next;
    return true;
}

static void execute(refrv *m, uint32_t code, uint32_t next, uint32_t as_written)
{
    unsigned rd = code >> 7 & 31, rs1 = code >> 15 & 31, rs2 = code >> 20 & 31, funct3 = code >> 12 & 7,
             funct7 = code >> 25;
    uint32_t a = m->x[rs1], b = m->x[rs2], immediate = with_sign(code >> 20, 12), result = 0, pc = m->pc;
    m->cycles = 1;
    switch (code & 127) {
    case 0x37: result = code & ~0xFFFu; break;
    case 0x17: result = pc + (code & ~0xFFFu); break;
    case 0x6F: /* jal */
        result = next;
        next = pc + with_sign((code >> 31) << 20 | (code >> 12 & 0xFF) << 12 | (code >> 20 & 1) << 11 |
                                  (code >> 21 & 0x3FF) << 1,
                              21);
        m->cycles = 3;
        break;
    case 0x67:
        if (funct3) goto illegal;
        result = next, next = (a + immediate) & ~1u, m->cycles = 3;
        break;
    case 0x63: {
        bool less = funct3 & 2 ? a < b : (int32_t)a < (int32_t)b, is = funct3 & 4 ? less : a == b;
        if (funct3 == 2 || funct3 == 3) goto illegal;
        uint32_t by = with_sign(
            (code >> 31) << 12 | (code >> 7 & 1) << 11 | (code >> 25 & 63) << 5 | (code >> 8 & 15) << 1, 13);
        if (is != (funct3 & 1)) next = pc + by, m->cycles = 3;
        m->pc = next;
        return;
    }
    case 0x03: {
        unsigned bytes = 1u << (funct3 & 3);
        if (funct3 == 3 || funct3 > 5) goto illegal;
        a += immediate;
        if (a % bytes) return trap(m, 4, a);
        if (!lies(a, bytes)) return trap(m, 5, a);
        for (unsigned i = 0; i < bytes; i++) result |= (uint32_t)m->mem[a + i] << 8 * i;
        if (!(funct3 & 4) && bytes < 4) result = with_sign(result, 8 * bytes);
        m->cycles = 2;
        break;
    }
    case 0x23: {
        unsigned bytes = 1u << funct3;
        if (funct3 > 2) goto illegal;
        a += with_sign(funct7 << 5 | rd, 12);
        if (a % bytes) return trap(m, 6, a);
        if (!lies(a, bytes)) return trap(m, 7, a);
        for (unsigned i = 0; i < bytes; i++) m->mem[a + i] = (uint8_t)(b >> 8 * i);
        m->cycles = 2, m->pc = next;
        return;
    }
    case 0x13:
    case 0x33: {
        bool numbers = (code & 127) == 0x13, other = funct7 == 32;
        if (numbers) b = immediate;
        if ((!numbers || funct3 == 1 || funct3 == 5) && funct7 && (numbers || funct7 != 1) &&
            !(other && (funct3 == 5 || (!numbers && !funct3))))
            goto illegal;
        if (!numbers && funct7 == 1) {
            result = funct3 & 4 ? divided(a, b, funct3) : multiplied(a, b, funct3);
            m->cycles = funct3 & 4 ? 34 : 2;
            break;
        }
        switch (funct3) {
        case 0: result = !numbers && other ? a - b : a + b; break;
        case 1: result = a << (b & 31); break;
        case 2: result = (int32_t)a < (int32_t)b; break;
        case 3: result = a < b; break;
        case 4: result = a ^ b; break;
        case 5:
            result = a >> (b & 31);
            if (other && a >> 31 && b & 31) result |= ~(UINT32_MAX >> (b & 31));
            break;
        case 6: result = a | b; break;
        default: result = a & b; break;
        }
        break;
    }
    case 0x0F:
        if (funct3 > 1) goto illegal; /* fields that mean nothing are passed over */
        m->cycles = funct3 ? 2 : 1, m->pc = next;
        return;
    case 0x73:
        if (!system(m, code, next)) goto illegal;
        return;
    default: goto illegal;
    }
    if (rd) m->x[rd] = result;
    m->pc = next;
    return;
illegal:
    trap(m, 2, as_written);
}

void refrv_step(refrv *m)
{
    m->trapped = m->sleeps = false;
    if (!lies(m->pc, 2)) return trap(m, 1, m->pc);
    uint32_t first = m->mem[m->pc] | (uint32_t)m->mem[m->pc + 1] << 8;
    if ((first & 3) != 3) {
        uint32_t full = refrv_in_full((uint16_t)first);
        if (!full) trap(m, 2, first);
        else execute(m, full, m->pc + 2, first);
        return;
    }
    if (!lies(m->pc, 4)) return trap(m, 1, m->pc + 2);
    first |= (uint32_t)m->mem[m->pc + 2] << 16 | (uint32_t)m->mem[m->pc + 3] << 24;
    execute(m, first, m->pc + 4, first);
}
