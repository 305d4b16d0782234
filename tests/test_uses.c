/* Which registers an instruction reads and writes, against what it does: when a register that it does not read is another one,
 * nothing else may become of it; a register that it does not write keeps its value; and whatever is said to be read or written
 * must show at some time. Over random instructions of every row, in random states. */
#include "arm_rows.h"
#include "isa/isa.h"
#include "support.h"

#include <stdio.h>

enum { MOST_REGISTERS = 16, MOST_BYTES = 0x1000, SEEN_WITHIN = 32 };

/* Everything that an instruction may have changed. */
typedef struct outcome {
    uint32_t registers[MOST_REGISTERS], pc;
    uint64_t cycles;
    oak_stop_reason reason;
    uint8_t bytes[MOST_BYTES];
} outcome;

/* One architecture: which registers are compared, and how a state comes onto the chip. */
typedef struct kit {
    bench b;
    unsigned count; /* registers */
    uint32_t number[MOST_REGISTERS];
    uint32_t matters[MOST_REGISTERS]; /* the bits that are compared */
    uint32_t flips[MOST_REGISTERS];   /* the bits that may be another */
    uint32_t partly;                  /* registers that may be written in part, a bit each in this order */
    uint32_t even;                    /* the register of which only an even number may be, or 0 */
    uint32_t state[MOST_REGISTERS], pc;
    uint8_t code[4], memory[MOST_BYTES], other[0x100];
    unsigned size, memory_size;
    uint32_t pointed; /* the cell behind the data pointer */
    uint64_t seed;
    void (*put)(struct kit *kit);
    void (*take)(struct kit *kit, outcome *result);
    /* Is byte `index` of an outcome this one? */
    bool (*is_in)(const struct kit *kit, const oak_watched *one, unsigned index);
    bool (*is_register)(const struct kit *kit, unsigned index);
    /* Does a register lie in cells of memory, and among them in these? */
    bool (*lies_in)(const struct kit *kit, const oak_watched *cells, unsigned index);
} kit;

static uint32_t reg(const kit *k, unsigned number)
{
    uint32_t value = 0;
    if (k->b.chip.ops->read_register(k->b.chip.chip, number, &value)) ck_abort_msg("no register %u", number);
    return value;
}

static void put_memory(const kit *k, unsigned space, uint32_t address, const uint8_t *bytes, size_t size)
{
    if (k->b.chip.ops->write_memory(k->b.chip.chip, space, address, bytes, size)) ck_abort_msg("no memory");
}

static void arm(const kit *k, uint8_t accesses)
{
    oak_watched watched[OAK_MOST_WATCHED];
    for (unsigned i = 0; i < k->count; i++)
        watched[i] = (oak_watched){.accesses = accesses, .address = k->number[i], .size = 1};
    if (k->b.chip.ops->watch(k->b.chip.chip, watched, accesses ? k->count : 0)) ck_abort_msg("not watched");
}

/* Executes the instruction in the state of the kit; which of the watched registers it reached. */
static uint32_t execute(kit *k, outcome *result)
{
    oak_chip_time before, after;
    oak_stop stop = {0};
    k->put(k);
    k->b.chip.ops->read_time(k->b.chip.chip, &before);
    if (k->b.chip.ops->run(k->b.chip.chip, UINT64_MAX, before.instructions + 1, &stop))
        ck_abort_msg("no run");
    k->b.chip.ops->read_time(k->b.chip.chip, &after);
    memset(result, 0, sizeof *result);
    result->cycles = after.cycles - before.cycles;
    result->reason = stop.reason == OAK_STOP_WATCH ? OAK_STOP_STEPS : stop.reason;
    result->pc = stop.pc;
    k->take(k, result);
    return stop.reason == OAK_STOP_WATCH ? stop.watched : 0;
}

static void show(const kit *k, const char *row, const char *what, unsigned i)
{
    ck_abort_msg("%s, code %02x %02x %02x %02x at 0x%x: %s %s", row, k->code[0], k->code[1], k->code[2],
                 k->code[3], (unsigned)k->pc, k->b.part->architecture->registers[k->number[i]].name, what);
}

static bool is_touched(const kit *k, const oak_watched *list, unsigned count, uint8_t accesses,
                       unsigned index)
{
    for (unsigned i = 0; i < count; i++)
        if ((list[i].accesses & accesses) && k->is_in(k, &list[i], index)) return true;
    return false;
}

/* What the chip says of the instruction beforehand: the registers that the watches see; no other cell is written; and what is in
 * all other cells does not matter. */
static void check_touches(kit *k, const char *row, uint32_t reads, uint32_t writes, const outcome *base)
{
    enum { ROOM = 24 };
    static outcome other;
    static uint8_t kept[sizeof k->memory];
    oak_watched list[ROOM];
    uint32_t said_read = 0, said_written = 0;
    k->put(k);
    unsigned count = k->b.chip.ops->touches(k->b.chip.chip, list, ROOM);
    for (unsigned i = 0; i < count; i++)
        for (unsigned r = 0; r < k->count; r++) {
            if (list[i].space ? !k->lies_in(k, &list[i], r) : k->number[r] != list[i].address) continue;
            said_read |= (uint32_t)(list[i].accesses & OAK_ACCESS_READ ? 1 : 0) << r;
            said_written |= (uint32_t)(list[i].accesses & OAK_ACCESS_WRITE ? 1 : 0) << r;
        }
    if (said_read != reads || said_written != writes)
        ck_abort_msg("%s: reads 0x%x and not 0x%x, writes 0x%x and not 0x%x", row, (unsigned)reads,
                     (unsigned)said_read, (unsigned)writes, (unsigned)said_written);
    memcpy(kept, k->memory, sizeof kept);
    for (unsigned i = 0; i < k->memory_size; i++) {
        bool written = is_touched(k, list, count, OAK_ACCESS_WRITE, i);
        if (!written && base->bytes[i] != kept[i] && !k->is_register(k, i))
            ck_abort_msg("%s, code %02x %02x %02x %02x: byte 0x%x is written, and nobody said so", row,
                         k->code[0], k->code[1], k->code[2], k->code[3], i);
        if (!is_touched(k, list, count, OAK_ACCESS_READ | OAK_ACCESS_WRITE, i))
            k->memory[i] ^= (uint8_t)random32(&k->seed);
    }
    execute(k, &other);
    for (unsigned i = 0; i < k->memory_size; i++)
        if (is_touched(k, list, count, OAK_ACCESS_READ | OAK_ACCESS_WRITE, i) && !k->is_register(k, i) &&
            other.bytes[i] != base->bytes[i])
            ck_abort_msg("%s: byte 0x%x becomes another one by what nobody reads", row, i);
    if (memcmp(other.registers, base->registers, sizeof other.registers) != 0 || other.pc != base->pc ||
        other.cycles != base->cycles)
        ck_abort_msg("%s, code %02x %02x %02x %02x: memory is read, and nobody said so", row, k->code[0],
                     k->code[1], k->code[2], k->code[3]);
    memcpy(k->memory, kept, sizeof kept);
}

typedef struct tallied {
    unsigned read, read_shown, written, write_shown;
} tallied;

/* True when it ran. */
static bool check_one(kit *k, const char *row, tallied *tallies)
{
    static outcome base, again, other;
    arm(k, OAK_ACCESS_READ);
    uint32_t reads = execute(k, &base);
    if (base.reason != OAK_STOP_STEPS) return false;
    arm(k, OAK_ACCESS_WRITE);
    uint32_t writes = execute(k, &again);
    if (memcmp(&base, &again, sizeof base) != 0) ck_abort_msg("%s runs otherwise when it is watched", row);
    arm(k, 0);
    check_touches(k, row, reads, writes, &base);
    for (unsigned i = 0; i < k->count; i++) {
        bool read = reads >> i & 1, written = writes >> i & 1;
        uint32_t was = k->state[i] & k->matters[i], flip = k->flips[i] & random32(&k->seed);
        if (!written && base.registers[i] != was) show(k, row, "is written, and nobody said so", i);
        if (random32(&k->seed) % 4 == 0) flip = k->flips[i] & k->state[i]; /* so that it is 0 */
        if (k->even == k->number[i] && __builtin_parity(flip)) flip &= flip - 1;
        if (!flip) continue;
        k->state[i] ^= flip;
        execute(k, &other);
        k->state[i] ^= flip;
        uint32_t differs = base.registers[i] ^ other.registers[i];
        other.registers[i] = base.registers[i];
        bool shows = memcmp(&base, &other, sizeof base) != 0;
        bool keeps = !written ? differs == flip : k->partly >> i & 1 ? !(differs & ~flip) : !differs;
        if (!read && (shows || !keeps)) show(k, row, "is read, and nobody said so", i);
        tallies[i].read += read;
        tallies[i].read_shown += read && (shows || (written && differs));
        tallies[i].written += written;
        tallies[i].write_shown += written && base.registers[i] != was;
    }
    return true;
}

static void check_tallies(const kit *k, const char *row, const tallied *tallies)
{
    for (unsigned i = 0; i < k->count; i++) {
        const char *name = k->b.part->architecture->registers[k->number[i]].name;
        ck_assert_msg(tallies[i].read < SEEN_WITHIN || tallies[i].read_shown,
                      "%s: %s is said to be read, %u times, and it never mattered", row, name,
                      tallies[i].read);
        ck_assert_msg(tallies[i].written < SEEN_WITHIN || tallies[i].write_shown,
                      "%s: %s is said to be written, %u times, and never was", row, name, tallies[i].written);
    }
}

/* ------------------------------------------------------------------------------------------ 8 bits */

enum { PC51, A, B, PSW, SP, DPTR, R0, CODE = 1, CODE_AT = 0x100, FLAGS51 = 0xE6 };

static unsigned space_of(const kit *k, const char *name)
{
    return oak_part_find_space(k->b.part, name, strlen(name));
}

static void put51(kit *k)
{
    const oak_chip_port *chip = &k->b.chip;
    unsigned xram = space_of(k, "xram");
    put_memory(k, space_of(k, "iram"), 0, k->memory, 0x100);
    put_memory(k, xram, 0xFF00, k->other, 0x100);
    put_memory(k, xram, k->pointed, k->other, 1);
    chip->ops->write_register(chip->chip, PSW, k->state[PSW - 1]);
    for (unsigned i = 0; i < k->count; i++)
        if (k->number[i] != PSW) chip->ops->write_register(chip->chip, k->number[i], k->state[i]);
    chip->ops->write_register(chip->chip, PC51, k->pc);
}

/* Registers 0 to 7 are those of the bank that was selected before. */
static void take51(kit *k, outcome *result)
{
    const oak_chip_port *chip = &k->b.chip;
    unsigned bank = k->state[PSW - 1] & 0x18;
    uint8_t *cells = result->bytes;
    for (unsigned i = 0; i + 1 < R0; i++) result->registers[i] = reg(k, k->number[i]) & k->matters[i];
    chip->ops->read_memory(chip->chip, space_of(k, "iram"), 0, cells, 0x100);
    for (unsigned i = 0; i < 8; i++) {
        result->registers[R0 - 1 + i] = cells[bank + i];
        cells[bank + i] = 0;
    }
    chip->ops->read_memory(chip->chip, space_of(k, "xram"), 0xFF00, cells + 0x100, 0x100);
    chip->ops->read_memory(chip->chip, space_of(k, "xram"), k->pointed, cells + 0x200, 1);
}

static bool is_register51(const kit *k, unsigned index)
{
    return index - (k->state[PSW - 1] & 0x18) < 8;
}

static bool is_in51(const kit *k, const oak_watched *one, unsigned index)
{
    if (!one->space) return one->address >= R0 && index == (k->state[PSW - 1] & 0x18) + (one->address - R0);
    return one->space == space_of(k, "iram") && index - one->address < one->size;
}

static bool lies_in51(const kit *k, const oak_watched *cells, unsigned index)
{
    return index + 1 >= R0 && is_in51(k, cells, (k->state[PSW - 1] & 0x18) + (index + 1 - R0));
}

static const struct {
    const char *mnemonic, *operands, *bits;
} rows51[] = {
#define INSN(id, mnemonic, operands, bits, cycles, taken, flow, uses, flags, meaning)                        \
    {#mnemonic, operands, bits},
#define CHOICE(...)
#include "isa/mcs51/mcs51.def"
};
enum { ROWS51 = sizeof rows51 / sizeof *rows51 };

/* Operands that no device listens to. */
static uint32_t field51(char letter, uint64_t *seed)
{
    static const uint8_t specials[] = {0xE0, 0xF0, 0xD0, 0x81, 0x82, 0x83}, bits[] = {0xE0, 0xF0, 0xD0};
    uint32_t any = random32(seed);
    if (letter == 'a' || letter == 's')
        return any & 0x300 ? any & (any & 0x400 ? 0x7F : 0x1F) : specials[any / 4096 % 6];
    if (letter == 'b') return any & 0x300 ? any & 0x7F : bits[any / 4096 % 3] | (any & 7);
    return any & 0xFFFF;
}

static void sample51(kit *k, unsigned row)
{
    char letter = 0;
    uint32_t value = 0, left = 0;
    unsigned at = 0;
    memset(k->code, 0, sizeof k->code);
    for (const char *p = rows51[row].bits; *p; p++) {
        if (*p == ' ') continue;
        if (*p != letter) {
            letter = *p;
            left = 0;
            for (const char *q = p; *q == letter || *q == ' '; q++) left += *q == letter;
            value = letter == '0' ? 0 : letter == '1' ? UINT32_MAX : field51(letter, &k->seed);
        }
        left--;
        k->code[at / 8] |= (uint8_t)((value >> left & 1) << (7 - at % 8));
        at++;
    }
    k->size = at / 8;
    for (unsigned i = 0; i < 0x100; i++) k->memory[i] = (uint8_t)random32(&k->seed);
    for (unsigned i = 0; i < 0x100; i++) k->other[i] = (uint8_t)(3 * i + 1);
    for (unsigned i = 0; i < k->count; i++) k->state[i] = random32(&k->seed) & 0xFF;
    k->state[PSW - 1] &= 0xFE;
    k->state[SP - 1] = 0x28 + random32(&k->seed) % 0xC0;
    k->state[DPTR - 1] = k->pointed = random32(&k->seed) % 0xF000;
    k->pc = CODE_AT;
    put_memory(k, space_of(k, "code"), CODE_AT, k->code, k->size);
}

START_TEST(registers_that_8_bit_instructions_read_and_write_are_those_that_matter)
{
    enum { SAMPLES = 64 };
    static kit k;
    static uint8_t filling[0x10000];
    bench_open(&k.b, "mcs51-64k", " org 0\n sjmp $\n");
    k.seed = 51;
    for (unsigned i = 0; i < sizeof filling; i++) filling[i] = (uint8_t)random32(&k.seed);
    put_memory(&k, space_of(&k, "code"), 0, filling, sizeof filling); /* for movc */
    k.count = R0 + 7;
    k.even = A; /* its parity is a flag of another register */
    k.partly = 1u << (A - 1) | 1u << (B - 1) | 1u << (PSW - 1) | 1u << (DPTR - 1);
    k.put = put51;
    k.take = take51;
    k.is_in = is_in51;
    k.is_register = is_register51;
    k.lies_in = lies_in51;
    k.memory_size = 0x100;
    for (unsigned i = 0; i < k.count; i++) {
        k.number[i] = i + 1;
        k.matters[i] = k.flips[i] = 0xFF;
    }
    k.matters[PSW - 1] = 0xFE;  /* the parity follows a by itself */
    k.flips[PSW - 1] = FLAGS51; /* another bank would mean other registers */
    k.matters[DPTR - 1] = 0xFFFF;
    k.flips[DPTR - 1] = 0x0FFF;
    k.flips[SP - 1] = 0x07;
    for (unsigned row = 0; row < ROWS51; row++) {
        tallied tallies[MOST_REGISTERS] = {{0}};
        char name[80];
        unsigned ran = 0;
        snprintf(name, sizeof name, "%s %s", rows51[row].mnemonic, rows51[row].operands);
        for (unsigned i = 0; i < SAMPLES; i++) {
            sample51(&k, row);
            ran += check_one(&k, name, tallies);
        }
        ck_assert_msg(ran > SAMPLES / 2, "%s ran %u times", name, ran);
        check_tallies(&k, name, tallies);
    }
    bench_close(&k.b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ 32 bits */

enum { MEM = 1, ARM_SP = 13, ARM_LR, ARM_PC, XPSR, START = 0x200, RAM = 0x20000000, FLAGS = 0xF8000000 };

static void put_arm(kit *k)
{
    const oak_chip_port *chip = &k->b.chip;
    put_memory(k, MEM, RAM, k->memory, sizeof k->memory);
    for (unsigned i = 0; i < k->count; i++)
        chip->ops->write_register(chip->chip, k->number[i],
                                  k->number[i] == XPSR ? 1u << 24 | (k->state[i] & FLAGS) : k->state[i]);
    chip->ops->write_register(chip->chip, ARM_PC, k->pc);
}

static void take_arm(kit *k, outcome *result)
{
    const oak_chip_port *chip = &k->b.chip;
    for (unsigned i = 0; i < k->count; i++) result->registers[i] = reg(k, k->number[i]) & k->matters[i];
    chip->ops->read_memory(chip->chip, MEM, RAM, result->bytes, sizeof k->memory);
}

static bool is_in_arm(const kit *k, const oak_watched *one, unsigned index)
{
    (void)k;
    return one->space == MEM && RAM + index - one->address < one->size;
}

static bool lies_nowhere(const kit *k, const oak_watched *cells, unsigned index)
{
    (void)k, (void)cells, (void)index;
    return false;
}

static bool is_no_register(const kit *k, unsigned index)
{
    (void)k, (void)index;
    return false;
}

static void sample_arm(kit *k, unsigned row)
{
    static const uint32_t corners[] = {0, 1, 0x7FFFFFFF, 0x80000000, UINT32_MAX, 0xFFFF, 31, 32, 0x12345678};
    uint32_t word, any;
    k->size = arm_sample(row, &k->seed, &word);
    if (strcmp(arm_rows[row].mnemonic, "msr") == 0 || strcmp(arm_rows[row].mnemonic, "mrs") == 0)
        word &= ~0xFFu; /* the flags; the others are looked at below */
    uint16_t first = (uint16_t)(k->size == 4 ? word >> 16 : word), second = (uint16_t)word;
    k->code[0] = (uint8_t)first, k->code[1] = (uint8_t)(first >> 8);
    k->code[2] = (uint8_t)second, k->code[3] = (uint8_t)(second >> 8);
    for (unsigned i = 0; i < k->count; i++) {
        any = random32(&k->seed);
        k->state[i] = any % 8 < 5   ? RAM + 0x400 + (any >> 8) % 0x200 * 4
                      : any % 8 < 6 ? corners[(any >> 8) % 9]
                      : any % 8 < 7 ? any >> 8 & 31
                                    : random32(&k->seed);
    }
    k->state[ARM_SP] = RAM + 0x800 + (random32(&k->seed) & 0x3FC);
    k->state[ARM_LR] = START + 0x401;
    k->state[15] = random32(&k->seed) & FLAGS;
    k->pc = START + 4 * (random32(&k->seed) % 4);
    for (unsigned i = 0; i < 64; i++) k->memory[random32(&k->seed) % 0x1000] = (uint8_t)random32(&k->seed);
    put_memory(k, MEM, k->pc, k->code, k->size);
}

/* What sleeps, faults, or depends on what was before it. */
static bool is_apart(const char *mnemonic)
{
    static const char *const names[] = {"bkpt",  "wfe",   "wfi",   "it",     "udf",   "svc",
                                        "cpsie", "cpsid", "strex", "strexb", "strexh"};
    for (size_t i = 0; i < sizeof names / sizeof *names; i++)
        if (strcmp(mnemonic, names[i]) == 0) return true;
    return false;
}

static void all_arm_rows(const char *part, bool v7, unsigned samples)
{
    static kit k;
    k = (kit){.seed = 32,
              .count = 16,
              .partly = 1u << 15,
              .put = put_arm,
              .take = take_arm,
              .is_in = is_in_arm,
              .is_register = is_no_register,
              .lies_in = lies_nowhere,
              .memory_size = sizeof k.memory};
    bench_open(&k.b, part, " dd 0x20001000, START + 1\nSTART equ 0x200\n org START\n ds 64\n");
    for (unsigned i = 0; i < k.count; i++) {
        k.number[i] = i == 15 ? XPSR : i;
        k.matters[i] = k.flips[i] = UINT32_MAX;
    }
    k.matters[15] = k.flips[15] = v7 ? FLAGS : FLAGS << 1; /* armv6m does not saturate */
    k.matters[ARM_SP] = ~3u, k.flips[ARM_SP] = 0x1C;
    for (unsigned row = 0; row < arm_row_count; row++) {
        tallied tallies[MOST_REGISTERS] = {{0}};
        char name[80];
        unsigned ran = 0;
        if (is_apart(arm_rows[row].mnemonic) || (arm_rows[row].v7 && !v7)) continue;
        snprintf(name, sizeof name, "%s: %s %s", part, arm_rows[row].mnemonic, arm_rows[row].operands);
        for (unsigned i = 0; i < samples; i++) {
            sample_arm(&k, row);
            ran += check_one(&k, name, tallies);
        }
        ck_assert_msg(ran, "%s never ran", name);
        check_tallies(&k, name, tallies);
    }
    bench_close(&k.b);
}

START_TEST(registers_that_32_bit_instructions_read_and_write_are_those_that_matter)
{
    all_arm_rows("armv6m-32k", false, 64);
    all_arm_rows("armv7m-256k", true, 64);
}
END_TEST

/* ------------------------------------------------------------------------------------------ all others, what they write */

/* What does nothing: the first instruction of a run is looked at in any case. */
static const struct {
    const char *architecture;
    uint8_t size, code[4];
} nothing[] = {{"z80", 1, {0}},
               {"picmid", 2, {0}},
               {"pic18", 2, {0}},
               {"msp430", 2, {0x03, 0x43}},
               {"cpu12", 1, {0xA7}},
               {"rv32", 4, {0x13}},
               {"a32", 4, {0x00, 0x00, 0xA0, 0xE1}},
               {"avr", 2, {0}},
               {"mcs4", 1, {0}}};
enum { CASE_AT = 0x400 };

/* A code of a row, whatever is in its fields; in whatever order of bytes. */
static void make_code(const oak_insn_row *row, uint8_t *code, uint64_t *seed)
{
    uint8_t bytes[8];
    unsigned bits = 0;
    for (unsigned i = 0; i < sizeof bytes; i++) bytes[i] = (uint8_t)random32(seed);
    for (const char *p = row->bits; *p && bits < 64; p++) {
        if (*p == ' ') continue;
        const uint8_t bit = (uint8_t)(0x80 >> bits++ % 8);
        if (*p == '0' || *p == '1')
            bytes[(bits - 1) / 8] = (uint8_t)((bytes[(bits - 1) / 8] & ~bit) | (*p == '1' ? bit : 0));
    }
    const unsigned order = random32(seed) >> 8 & 3, all = (bits + 7) / 8;
    const unsigned unit = order == 0 ? 1 : order == 1 || all > sizeof bytes / 2 ? 2 : all;
    for (unsigned i = 0; i < sizeof bytes; i++)
        code[i] = bytes[i / unit * unit + unit > sizeof bytes ? i : i / unit * unit + unit - 1 - i % unit];
}

/* One that is read as such, if there is one. */
static void put_row(const bare *b, const oak_isa *isa, const oak_isa_tables *tables, unsigned row,
                    uint32_t at, uint64_t *seed)
{
    enum { TRIES = 3000 };
    uint8_t code[8];
    oak_decoded decoded;
    for (unsigned i = 0; i < TRIES; i++) {
        make_code(&isa->rows[row], code, seed);
        if (!isa->decode(tables, code, sizeof code, at, 0, &decoded) && decoded.row == row) break;
    }
    if (b->chip.ops->write_memory(b->chip.chip, isa->about.code_space, at, code, sizeof code))
        ck_abort_msg("no code");
}

static void put_registers(const bare *b, uint64_t seed)
{
    const oak_architecture *about = b->part->architecture;
    const oak_chip_ops *ops = b->chip.ops;
    for (unsigned r = 0; r < about->register_count; r++)
        if (r != about->pc_register)
            (void)ops->write_register(b->chip.chip, r, random32(&seed) >> (random32(&seed) % 32));
    if (ops->write_register(b->chip.chip, about->pc_register, CASE_AT)) ck_abort_msg("no place");
}

static void read_registers(const bare *b, uint32_t *values)
{
    for (unsigned r = 0; r < b->part->architecture->register_count; r++)
        (void)b->chip.ops->read_register(b->chip.chip, r, &values[r]);
}

static void run_some(const bare *b, uint64_t steps, oak_stop *stop)
{
    const oak_chip_time now = bare_time(b);
    if (b->chip.ops->run(b->chip.chip, now.cycles + 1000000, now.instructions + steps, stop))
        ck_abort_msg("no run");
}

/* One instruction in front of one of a row, both of which the core has met before, with registers put somewhere. */
static void put_case(const bare *b, unsigned n, const oak_isa_tables *tables, unsigned row, uint64_t seed)
{
    const unsigned space = b->part->architecture->code_space;
    oak_stop stop;
    if (b->chip.ops->reset(b->chip.chip)) ck_abort_msg("no reset");
    if (b->chip.ops->write_memory(b->chip.chip, space, CASE_AT, nothing[n].code, nothing[n].size))
        ck_abort_msg("no code");
    put_registers(b, seed);
    run_some(b, 1, &stop);
    put_row(b, oak_isa_find(nothing[n].architecture), tables, row, stop.pc, &seed);
    put_registers(b, seed);
    run_some(b, 60, &stop);
    put_registers(b, seed);
}

/* Whether a judge was asked with another value, up to a cycle. */
typedef struct heard {
    oak_chip_port chip;
    uint64_t until;
    uint32_t before;
    bool in_time;
} heard;

static bool hear(void *context, const uint32_t *values, uint32_t *matter)
{
    heard *h = context;
    oak_chip_time now;
    (void)matter;
    if (h->chip.ops->read_time(h->chip.chip, &now)) ck_abort_msg("no time");
    h->in_time |= now.cycles <= h->until && *values != h->before;
    return false;
}

/* Runs the case while a register is judged, or watched: whether that is met behind it. */
static bool is_met(const bare *b, bool judged, unsigned reg, uint32_t before, uint64_t until)
{
    const oak_chip_ops *ops = b->chip.ops;
    const oak_watched cells = {
        .accesses = judged ? OAK_ACCESS_CHANGE : OAK_ACCESS_WRITE, .address = reg, .size = 1};
    const uint32_t mask = UINT32_MAX;
    heard h = {.chip = b->chip, .until = until, .before = before};
    const oak_judge judge = {
        .context = &h, .ends = hear, .cells = &cells, .masks = &mask, .count = 1, .asks = 1};
    oak_stop stop;
    if (judged && ops->judge(b->chip.chip, &judge)) ck_abort_msg("not judged");
    if (!judged && ops->watch(b->chip.chip, &cells, 1)) return true; /* then it is judged */
    run_some(b, 60, &stop);
    const bool met = judged ? h.in_time : stop.reason == OAK_STOP_WATCH && bare_time(b).cycles <= until;
    if (ops->judge(b->chip.chip, NULL) || ops->watch(b->chip.chip, NULL, 0)) ck_abort_msg("still observed");
    return met;
}

/* A run finds what has changed by what instructions say that they may write: it does so at once, and not when the run ends. */
START_TEST(registers_that_any_instruction_changes_are_looked_at_behind_it)
{
    enum { SAMPLES = 16, TRIES = 3 };
    uint64_t seed = 41;
    for (unsigned n = 0; n < sizeof nothing / sizeof *nothing; n++) { /* for the others see above */
        const oak_isa *isa = oak_isa_find(nothing[n].architecture);
        const oak_architecture *about = &isa->about;
        unsigned changes = 0, runs = 0;
        bare b;
        oak_isa_tables *tables;
        bare_open(&b, about->name);
        if (isa->open(&b.host, &tables)) ck_abort_msg("no tables");
        for (unsigned i = 0; i < isa->row_count * (SAMPLES / STRIDE); i++) {
            const unsigned row = i % isa->row_count;
            uint32_t before[256], after[256], again[256];
            oak_stop stop;
            random32(&seed);
            for (unsigned tries = 0, alike = 0; !alike; tries++) {
                put_case(&b, n, tables, row, seed);
                for (unsigned k = 0; k < 12; k++) run_some(&b, 1, &stop);
                const uint64_t singly = bare_time(&b).cycles;
                read_registers(&b, before);
                put_case(&b, n, tables, row, seed);
                run_some(&b, 12, &stop);
                read_registers(&b, after);
                alike = singly == bare_time(&b).cycles &&
                        !memcmp(before, after, about->register_count * sizeof *after);
                if (!alike && tries == TRIES)
                    ck_abort_msg("%s, %s %s: %u cycles, and %u when they are run at once", about->name,
                                 isa->rows[row].mnemonic, isa->rows[row].operands, (unsigned)singly,
                                 (unsigned)bare_time(&b).cycles);
            }
            put_case(&b, n, tables, row, seed);
            run_some(&b, 1, &stop);
            read_registers(&b, before);
            run_some(&b, 1, &stop);
            if (stop.reason != OAK_STOP_STEPS) continue;
            runs++;
            read_registers(&b, after);
            for (unsigned r = 0; r < about->register_count; r++) {
                if (r == about->pc_register || r + 1 == about->restless_register || after[r] == before[r])
                    continue;
                changes++;
                for (unsigned judged = 0; judged < 2; judged++) {
                    bool met = false;
                    for (unsigned tries = 0; tries < TRIES && !met; tries++) {
                        put_case(&b, n, tables, row, seed);
                        run_some(&b, 2, &stop); /* what it does with this memory */
                        read_registers(&b, again);
                        met = again[r] == before[r];
                        const uint64_t until = bare_time(&b).cycles;
                        put_case(&b, n, tables, row, seed);
                        met |= is_met(&b, judged, r, before[r], until);
                    }
                    if (!met)
                        ck_abort_msg("%s, %s %s: %s becomes 0x%x after 0x%x, and is not %s", about->name,
                                     isa->rows[row].mnemonic, isa->rows[row].operands,
                                     about->registers[r].name, (unsigned)after[r], (unsigned)before[r],
                                     judged ? "judged" : "watched");
                }
            }
        }
        ck_assert_msg(runs > isa->row_count * (SAMPLES / STRIDE) / 4 && changes > runs / 4,
                      "%s: %u runs, %u changes", about->name, runs, changes);
        isa->close(&b.host, tables);
        bare_close(&b);
    }
}
END_TEST

RUN_SUITE("uses", registers_that_8_bit_instructions_read_and_write_are_those_that_matter,
          registers_that_32_bit_instructions_read_and_write_are_those_that_matter,
          registers_that_any_instruction_changes_are_looked_at_behind_it)
