/* reference_mcs4.c — see reference_mcs4.h. */
#include "reference_mcs4.h"

static uint16_t *pc(refmcs4 *m)
{
    return &m->address[m->at];
}
static uint8_t fetch(refmcs4 *m)
{
    uint8_t byte = m->code[*pc(m)];
    *pc(m) = (uint16_t)((*pc(m) + 1) % 4096);
    return byte;
}
static unsigned pair(const refmcs4 *m, unsigned of)
{
    return m->index[2 * of] * 16u + m->index[2 * of + 1];
}
static void put_pair(refmcs4 *m, unsigned of, unsigned value)
{
    m->index[2 * of] = (uint8_t)(value / 16), m->index[2 * of + 1] = (uint8_t)(value % 16);
}
static bool selected(const refmcs4 *m, unsigned bank)
{
    if (m->command == 0) return bank == 0;
    return bank > 0 && m->command >> (bank - 1) & 1;
}
static void total(refmcs4 *m, unsigned sum)
{
    m->acc = (uint8_t)(sum % 16);
    m->carry = sum > 15;
}
/* In the page of what comes next. */
static void jump_near(refmcs4 *m, unsigned low)
{
    *pc(m) = (uint16_t)(*pc(m) / 256 * 256 + low);
}

/* All chips that listen and were chosen: written, or their values in one. */
static unsigned exchange(refmcs4 *m, uint8_t code, bool writes)
{
    unsigned found = 0;
    for (unsigned bank = 0; bank < 4; bank++)
        for (unsigned n = 0; n < 4; n++) {
            refmcs4_chip *chip = &m->chip[bank][n];
            if (!selected(m, bank) || !chip->chosen) continue;
            uint8_t *cell = code == 0xE1          ? &chip->port
                            : (code & 0xF) >= 0xC ? &chip->states[chip->reg][code & 3]
                            : (code & 0xF) >= 4 && (code & 0xF) < 8
                                ? &chip->states[chip->reg][code & 3]
                                : &chip->characters[chip->reg][chip->character];
            if (writes) *cell = m->acc;
            found |= *cell;
        }
    return found;
}

static void send(refmcs4 *m, unsigned what)
{
    m->rom = (uint8_t)(what / 16);
    for (unsigned bank = 0; bank < 4; bank++)
        for (unsigned n = 0; n < 4 && selected(m, bank); n++) {
            refmcs4_chip *chip = &m->chip[bank][n];
            chip->chosen = what / 64 == n;
            chip->reg = what / 16 % 4, chip->character = what % 16;
        }
}

static int input_output(refmcs4 *m, uint8_t code)
{
    switch (code & 0xF) {
    case 0:
    case 1:
    case 4:
    case 5:
    case 6:
    case 7: (void)exchange(m, code, true); break;
    case 2: m->rom_port[m->rom] = m->acc; break;
    case 3: return REFMCS4_NO_RAM;
    case 8: total(m, m->acc + (15 - exchange(m, code, false)) + (m->carry ? 0 : 1)); break;
    case 10: m->acc = m->rom_port[m->rom]; break;
    case 11: total(m, m->acc + exchange(m, code, false) + m->carry); break;
    default: m->acc = (uint8_t)exchange(m, code, false); break;
    }
    return REFMCS4_DONE;
}

static int accumulator(refmcs4 *m, uint8_t code)
{
    unsigned was = m->acc, carry = m->carry;
    switch (code & 0xF) {
    case 0: m->acc = m->carry = 0; break;
    case 1: m->carry = 0; break;
    case 2: total(m, was + 1); break;
    case 3: m->carry = !carry; break;
    case 4: m->acc = (uint8_t)(15 - was); break;
    case 5: m->acc = (uint8_t)(was * 2 % 16 + carry), m->carry = was >= 8; break;
    case 6: m->acc = (uint8_t)(was / 2 + 8 * carry), m->carry = was % 2; break;
    case 7: m->acc = (uint8_t)carry, m->carry = 0; break;
    case 8: m->acc = (uint8_t)(was ? was - 1 : 15), m->carry = was != 0; break;
    case 9: m->acc = carry ? 10 : 9, m->carry = 0; break;
    case 10: m->carry = 1; break;
    case 11:
        if (!carry && was < 10) break;
        m->acc = (uint8_t)((was + 6) % 16);
        m->carry = carry || was + 6 > 15;
        break;
    case 12: m->acc = was == 0 ? 0 : was == 1 ? 1 : was == 2 ? 2 : was == 4 ? 3 : was == 8 ? 4 : 15; break;
    case 13: m->command = was % 8; break;
    default: return REFMCS4_RESERVED;
    }
    return REFMCS4_DONE;
}

int refmcs4_step(refmcs4 *m)
{
    uint16_t before = *pc(m);
    uint8_t code = fetch(m), low = code & 15, *reg = &m->index[low];
    int done = REFMCS4_DONE;
    m->cycles = 1;
    switch (code >> 4) {
    case 0:
        if (low) done = REFMCS4_RESERVED;
        break;
    case 1: {
        unsigned to = fetch(m);
        bool holds = (low & 4 && m->acc == 0) || (low & 2 && m->carry) || (low & 1 && !m->test);
        if (low & 8) holds = !holds;
        if (holds) jump_near(m, to);
        m->cycles = 2;
        break;
    }
    case 2:
        if (low & 1) send(m, pair(m, low / 2));
        else put_pair(m, low / 2, fetch(m)), m->cycles = 2;
        break;
    case 3:
        if (low & 1) jump_near(m, pair(m, low / 2));
        else put_pair(m, low / 2, m->code[*pc(m) / 256 * 256 + pair(m, 0)]), m->cycles = 2;
        break;
    case 4:
    case 5: {
        uint16_t to = (uint16_t)(low * 256 + fetch(m));
        if (code >> 4 == 5) m->at = (m->at + 1) % 4;
        *pc(m) = to;
        m->cycles = 2;
        break;
    }
    case 6: *reg = (*reg + 1) % 16; break;
    case 7: {
        unsigned to = fetch(m);
        *reg = (*reg + 1) % 16;
        if (*reg) jump_near(m, to);
        m->cycles = 2;
        break;
    }
    case 8: total(m, m->acc + *reg + m->carry); break;
    case 9: total(m, m->acc + (15u - *reg) + (m->carry ? 0 : 1)); break;
    case 10: m->acc = *reg; break;
    case 11: {
        uint8_t was = *reg;
        *reg = m->acc, m->acc = was;
        break;
    }
    case 12: m->at = (m->at + 3) % 4, m->acc = low; break;
    case 13: m->acc = low; break;
    case 14: done = input_output(m, code); break;
    default: done = accumulator(m, code); break;
    }
    if (done) *pc(m) = before;
    return done;
}
