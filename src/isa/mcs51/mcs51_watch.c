/* mcs51_watch.c — what instructions reach in memory and registers, for the kit. */
#include "isa/mcs51/mcs51_core.h"

#include "base/text.h"

enum { BANKS = 4, BANK = 8, CARRY = 0x80, HALF_CARRY = 0x40, OVERFLOW = 0x04 };

/* The names of flags in a text of the table, as bits of PSW. */
static uint8_t flags_of(const char *names)
{
    uint8_t flags = 0;
    for (const char *p = names; *p; p++) {
        if (p[0] == 'c' && p[1] == 'y') flags |= CARRY;
        if (p[0] == 'a' && p[1] == 'c') flags |= HALF_CARRY;
        if (p[0] == 'o' && p[1] == 'v') flags |= OVERFLOW;
    }
    return flags;
}

/* What a row does with its direct or bit operand. A bit is written back with the others of its byte. */
static uint8_t touch_of(uint8_t class, char use, bool exchanges)
{
    bool bit = class == MCS51_BIT_ADDRESS || class == MCS51_NOT_BIT;
    if (class != MCS51_DIRECT && !bit) return MCS51_TOUCH_NONE;
    if (exchanges) return MCS51_TOUCH_EXCHANGE;
    return use == 'r' ? MCS51_TOUCH_READ : use == 'b' || bit ? MCS51_TOUCH_MODIFY : MCS51_TOUCH_WRITE;
}

static uint8_t class_at(const struct kit_tables *tables, unsigned row, unsigned operand)
{
    static const struct {
        const char *word;
        uint8_t class;
    } words[] = {{"a", MCS51_A},          {"ab", MCS51_AB},         {"c", MCS51_C},
                 {"dptr", MCS51_DPTR},    {"@dptr", MCS51_AT_DPTR}, {"@a+dptr", MCS51_AT_A_DPTR},
                 {"@a+pc", MCS51_AT_A_PC}};
    uint8_t class = tables->row[row].class_of[operand];
    for (unsigned i = 0; !class && i < sizeof words / sizeof *words; i++)
        if (oak_same(tables->word[tables->row[row].word_of[operand]], words[i].word)) return words[i].class;
    return class;
}

void mcs51_open_watch(oak_core *core)
{
    const struct kit_tables *tables = kit_tables_of(core->kit.tables);
    for (unsigned row = 0; row < MCS51_ROWS; row++) {
        const char *uses = mcs51_rows[row].uses;
        for (unsigned i = 0; i < tables->row[row].count; i++, uses++) {
            uint8_t class = class_at(tables, row, i),
                    touch = touch_of(class, *uses, oak_same(mcs51_rows[row].mnemonic, "xch"));
            core->class_of[row][i] = class;
            if (touch) core->touch[row] = touch;
            core->operand_access[row][i] = *uses == 'r'   ? KIT_READS
                                           : *uses == 'w' ? KIT_WRITES
                                           : *uses == 'b' ? KIT_BOTH
                                                          : 0;
            if (class == MCS51_RN || class == MCS51_AT_RI || class == MCS51_AT_DPTR ||
                row == MCS51_MOVC_A_DPTR || row == MCS51_MOVC_A_PC)
                core->pointer[row] = class;
        }
        if (*uses == ' ') uses++;
        core->silent[row].flags_read = flags_of(uses);
        core->silent[row].flags_written = flags_of(mcs51_rows[row].flags);
        core->silent[row].stack = oak_same(uses, "sp");
        core->silent[row].tests_a = oak_same(uses, "a");
        if (core->touch[row] && core->pointer[row] != MCS51_RN) core->pointer[row] = 0;
    }
}

static void add_direct(kit_reach *one, uint32_t at)
{
    one->space = at < RAM_SIZE ? MCS51_IRAM : MCS51_SFR;
    one->address = at < RAM_SIZE ? at : at - SFR_AT;
    one->known = true;
}

/* A register that the instruction names or uses without a word, as the cell it lies in. */
static kit_reach own(uint32_t at, uint32_t size, uint8_t accesses, uint8_t bits)
{
    return (kit_reach){.space = MCS51_SFR,
                       .accesses = accesses,
                       .bits = bits,
                       .known = true,
                       .address = at - SFR_AT,
                       .size = size};
}

unsigned mcs51_reached_registers(const oak_core *core, uint32_t pc, kit_reach *list, unsigned count)
{
    unsigned row = core->kit.row[pc] - KIT_FIRST_ROW;
    for (unsigned i = 0; i < MCS51_MOST_OPERANDS; i++) {
        uint8_t accesses = core->operand_access[row][i];
        switch (core->class_of[row][i]) {
        case MCS51_A: list[count++] = own(ACC, 1, accesses, 0xFF); break;
        case MCS51_AB:
            list[count++] = own(ACC, 1, accesses, 0xFF);
            list[count++] = own(B, 1, accesses, 0xFF);
            break;
        case MCS51_C: list[count++] = own(PSW, 1, accesses, CARRY); break;
        case MCS51_DPTR: list[count++] = own(DPL, 2, accesses, 0xFF); break;
        case MCS51_AT_DPTR: list[count++] = own(DPL, 2, KIT_READS, 0xFF); break;
        case MCS51_AT_A_DPTR: list[count++] = own(DPL, 2, KIT_READS, 0xFF); /* fall through */
        case MCS51_AT_A_PC: list[count++] = own(ACC, 1, KIT_READS, 0xFF); break;
        default: break;
        }
    }
    if (core->silent[row].flags_read) list[count++] = own(PSW, 1, KIT_READS, core->silent[row].flags_read);
    if (core->silent[row].flags_written)
        list[count++] = own(PSW, 1, KIT_WRITES, core->silent[row].flags_written);
    if (core->silent[row].stack) list[count++] = own(SP, 1, KIT_BOTH, 0xFF);
    if (core->silent[row].tests_a) list[count++] = own(ACC, 1, KIT_READS, 0xFF);
    return count;
}

/* What the instruction at an address reaches in memory, with what is in the registers now. */
unsigned mcs51_reached_cells(const oak_core *core, uint32_t pc, kit_reach *list)
{
    unsigned row = core->kit.row[pc] - KIT_FIRST_ROW, count = 0;
    const kit_op *op = &core->kit.ops[pc];
    const uint8_t *data = core->data, *r = data + (data[PSW] & 0x18);
    bool external = row >= MCS51_MOVX_A_RI && row <= MCS51_MOVX_DPTR_A;
    uint32_t dptr = (uint32_t)(data[DPH] << 8 | data[DPL]);
    for (unsigned i = 0; i < MCS51_MOST_OPERANDS; i++) {
        kit_reach one = {.accesses = core->operand_access[row][i], .bits = 0xFF, .size = 1};
        switch (core->class_of[row][i]) {
        case MCS51_RN:
            one.space = MCS51_IRAM;
            one.address = (uint32_t)(r - data) + op->x;
            one.banks = BANKS, one.stride = BANK;
            break;
        case MCS51_AT_RI:
            list[count++] = (kit_reach){.space = MCS51_IRAM,
                                        .accesses = KIT_READS,
                                        .bits = 0xFF,
                                        .banks = BANKS,
                                        .stride = BANK,
                                        .address = (uint32_t)(r - data) + op->x,
                                        .size = 1};
            one.space = external ? MCS51_XRAM : MCS51_IRAM;
            one.address = external ? (uint32_t)(data[PORT2] << 8 | r[op->x]) : r[op->x];
            break;
        case MCS51_AT_DPTR:
            one.space = MCS51_XRAM;
            one.address = dptr;
            break;
        case MCS51_AT_A_DPTR:
            if (row != MCS51_MOVC_A_DPTR) continue;
            one.space = MCS51_CODE;
            one.address = (dptr + core->a) & 0xFFFF;
            break;
        case MCS51_AT_A_PC:
            one.space = MCS51_CODE;
            one.address = (pc + 1 + core->a) & 0xFFFF;
            break;
        case MCS51_DIRECT: add_direct(&one, op->at); break;
        case MCS51_SOURCE: add_direct(&one, op->to); break;
        case MCS51_BIT_ADDRESS:
        case MCS51_NOT_BIT:
            add_direct(&one, op->at);
            one.bits = op->x;
            break;
        default: continue;
        }
        list[count++] = one;
    }
    kit_reach stack = {.space = MCS51_IRAM, .bits = 0xFF, .size = 1, .address = data[SP]};
    switch (row) {
    case MCS51_PUSH_DIR: stack.accesses = KIT_WRITES, stack.address++; break;
    case MCS51_POP_DIR: stack.accesses = KIT_READS; break;
    case MCS51_ACALL:
    case MCS51_LCALL: stack.accesses = KIT_WRITES, stack.address++, stack.size = 2; break;
    case MCS51_RET:
    case MCS51_RETI: stack.accesses = KIT_READS, stack.address--, stack.size = 2; break;
    default: stack.size = 0; break;
    }
    if (stack.size) list[count++] = stack;
    return count;
}

uint32_t mcs51_bank(const oak_core *core)
{
    return core->data[PSW] & 0x18u;
}

/* Is it out of the question, at a glance? */
static bool is_elsewhere(const oak_core *core, uint32_t pc)
{
    const uint8_t *data = core->data, *r = data + (data[PSW] & 0x18);
    unsigned row = core->kit.row[pc] - KIT_FIRST_ROW;
    uint32_t address;
    switch (core->pointer[row]) {
    case MCS51_RN: /* and perhaps a direct byte */
        address = core->kit.ops[pc].at;
        if (core->touch[row] && (address < RAM_SIZE ? core->ram_watched[address] : core->special_watched))
            return false;
        return !core->ram_watched[(r - data) + core->kit.ops[pc].x];
    case MCS51_AT_RI:
        if (core->ram_watched[(r - data) + core->kit.ops[pc].x]) return false; /* the pointer itself */
        if (row != MCS51_MOVX_A_RI && row != MCS51_MOVX_RI_A)
            return !core->ram_watched[r[core->kit.ops[pc].x]];
        address = (uint32_t)(data[PORT2] << 8 | r[core->kit.ops[pc].x]);
        return address < core->xram_first || address > core->xram_last;
    case MCS51_AT_DPTR:
        address = (uint32_t)(data[DPH] << 8 | data[DPL]);
        return address < core->xram_first || address > core->xram_last;
    case MCS51_AT_A_DPTR:
        address = ((uint32_t)(data[DPH] << 8 | data[DPL]) + core->a) & 0xFFFF;
        return address < core->code_first || address > core->code_last;
    default: return false;
    }
}

bool mcs51_glance(const oak_core *core, uint32_t pc)
{
    return !is_elsewhere(core, pc);
}

unsigned mcs51_reached_entry(const oak_core *core, kit_reach *list)
{
    list[0] = (kit_reach){
        .space = MCS51_IRAM, .accesses = KIT_WRITES, .bits = 0xFF, .address = core->data[SP] + 1u, .size = 2};
    list[1] = own(SP, 1, KIT_BOTH, 0xFF);
    return core->kit.registers_watched ? 2 : 1;
}

static void widen(uint32_t *first, uint32_t *last, const oak_watched *one)
{
    if (one->address < *first) *first = one->address;
    if (one->address + (one->size - 1) > *last) *last = one->address + (one->size - 1);
}

void mcs51_watches(oak_core *core)
{
    core->special_watched = false;
    memset(core->ram_watched, 0, sizeof core->ram_watched);
    core->xram_first = core->code_first = UINT32_MAX;
    core->xram_last = core->code_last = 0;
    for (unsigned i = 0; i < core->kit.watched_count; i++) {
        const oak_watched *one = &core->kit.watched[i];
        if (one->accesses & OAK_ACCESS_HANDLER) continue;
        core->special_watched |= one->space == MCS51_SFR;
        for (unsigned bank = 0; bank < core->kit.watched_banks[i]; bank++)
            core->ram_watched[one->address + BANK * bank] = true;
        for (uint32_t at = one->address;
             one->space == MCS51_IRAM && at < RAM_SIZE && at - one->address < one->size; at++)
            core->ram_watched[at] = true;
        if (one->space == MCS51_XRAM) widen(&core->xram_first, &core->xram_last, one);
        if (one->space == MCS51_CODE) widen(&core->code_first, &core->code_last, one);
    }
}
