/* The classic Arm against a second implementation: samples of every row and of anything, chains that overwrite themselves; conditions, constants; modes,
 * exceptions, the interrupt controller; what is written, read back and told. What compilers make of C is in test_compiled.c. */
#include "reference_a32.h"
#include "support.h"

#include "isa/isa.h"

#include <stddef.h>
#include <stdio.h>

enum { MEM = 1, PC = 15, CPSR, SPSR, BANKED };

/* ------------------------------------------------------------------------------------------ the second core */

typedef struct rig {
    oak_host host;
    oak_part *part;
    oak_machine *machine;
    oak_chip_port chip;
    refa *ref;
    unsigned refused, executed;
} rig;

/* The codes that the tool reads as no instruction: undefined ones, and those with operands that the manual calls unpredictable. */
static const oak_isa *isa;
static oak_isa_tables *tables;
static bool refuses(uint32_t code)
{
    const uint8_t bytes[4] = {(uint8_t)code, (uint8_t)(code >> 8), (uint8_t)(code >> 16),
                              (uint8_t)(code >> 24)};
    oak_decoded decoded;
    return isa->decode(tables, bytes, 4, 0x1000, 0, &decoded) != OAK_OK;
}

static void rig_open(rig *r)
{
    collected diags;
    oak_diag_sink sink = collect(&diags);
    *r = (rig){.host = oak_linux_host()};
    ck_assert_int_eq(oak_part_load(&r->host, SOURCE_FOLDER "/tests/bare/a32.yaml", &sink, &r->part), OAK_OK);
    ck_assert_int_eq(oak_machine_create(&r->host, r->part, &r->machine), OAK_OK);
    r->chip = oak_machine_port(r->machine);
    r->ref = calloc(1, sizeof *r->ref);
    r->ref->mode = 0x13;
    r->ref->refuses = refuses;
    isa = oak_isa_find("a32");
    ck_assert_int_eq(isa->open(&r->host, &tables), OAK_OK);
}

static void rig_close(rig *r)
{
    oak_machine_free(r->machine);
    oak_part_free(r->part);
    free(r->ref);
    isa->close(&r->host, tables);
}

static oak_chip_time now(rig *r)
{
    oak_chip_time time;
    r->chip.ops->read_time(r->chip.chip, &time);
    return time;
}

static void poke(rig *r, uint32_t at, const uint8_t *bytes, size_t count)
{
    poke_both(&r->chip, MEM, r->ref->mem, at, bytes, count);
}

static void poke_word(rig *r, uint32_t at, uint32_t word)
{
    const uint8_t bytes[4] = {(uint8_t)word, (uint8_t)(word >> 8), (uint8_t)(word >> 16),
                              (uint8_t)(word >> 24)};
    poke(r, at, bytes, 4);
}

static void memories_must_agree(rig *r, const char *what)
{
    must_be_alike(&r->chip, MEM, r->ref->mem, sizeof r->ref->mem, what);
}

/* Where the second core keeps a register that has a name: "r8_fiq". */
static uint32_t *place_of(refa *m, const char *name)
{
    static const char *const modes[] = {"usr", "fiq", "irq", "svc", "abt", "und"};
    static const uint8_t numbers[] = {0x10, 0x11, 0x12, 0x13, 0x17, 0x1B};
    const char *suffix = strchr(name, '_');
    unsigned bank = 0, number = name[0] == 'r'                     ? (unsigned)atoi(name + 1)
                                : name[0] == 'l'                   ? 14
                                : name[1] == 'p' && name[2] != 's' ? 13
                                                                   : 15;
    while (suffix && strcmp(modes[bank], suffix + 1) != 0) bank++;
    if (strncmp(name, "spsr", 4) == 0) return &m->spsr[suffix ? bank : refa_bank(m->mode)];
    return refa_register(m, suffix ? numbers[bank] : m->mode, number);
}

static void set_reg(rig *r, unsigned number, uint32_t value)
{
    if (r->chip.ops->write_register(r->chip.chip, number, value)) ck_abort_msg("no register %u", number);
    if (number == CPSR) refa_set_cpsr(r->ref, value);
    else if (number != SPSR || refa_bank(r->ref->mode))
        *place_of(r->ref, r->part->architecture->registers[number].name) = value;
}

/* Registers mostly point into the memory. Any mode, any flags. */
static void take_over(rig *r, uint64_t *seed)
{
    static const uint32_t corners[] = {0, 1, 2, 31, 0x7FFFFFFF, 0x80000000, UINT32_MAX, 0xFFFE};
    static const uint8_t modes[] = {0x10, 0x11, 0x12, 0x13, 0x17, 0x1B, 0x1F};
    set_reg(r, CPSR, (random32(seed) & 0xF80F01C0) | modes[random32(seed) % 7]);
    for (unsigned i = 0; i < r->part->architecture->register_count; i++) {
        unsigned kind = random32(seed) % 8;
        if (i == CPSR || i == PC) continue;
        uint32_t value = kind < 4   ? random32(seed) & (kind < 3 ? 0xFFFC : 0xFFFF)
                         : kind < 6 ? corners[random32(seed) % 8]
                                    : random32(seed);
        bool status = strncmp(r->part->architecture->registers[i].name, "spsr", 4) == 0;
        if (status) value = (random32(seed) & 0xF80F01C0) | modes[random32(seed) % 7];
        set_reg(r, i, value);
    }
    set_reg(r, PC, 0x100 + (random32(seed) & 0xF7FC));
}

static void must_agree(rig *r, const char *what)
{
    for (unsigned i = 0; i < r->part->architecture->register_count; i++) {
        const char *name = r->part->architecture->registers[i].name;
        uint32_t is = 0, want = i == CPSR ? refa_cpsr(r->ref) : *place_of(r->ref, name);
        if (i == SPSR && !refa_bank(r->ref->mode)) want = 0;
        r->chip.ops->read_register(r->chip.chip, i, &is);
        if (is != want) ck_abort_msg("%s: %s is 0x%x, not 0x%x", what, name, is, want);
    }
}

/* One instruction on both. */
static void once(rig *r, uint32_t code, uint64_t *seed)
{
    char what[60];
    oak_stop stop;
    take_over(r, seed);
    for (unsigned i = 0; i < 32; i += 4)
        poke_word(r, i, 0xEAFFFFFE); /* each exception stays where it comes to */
    uint32_t pc = r->ref->r[0][15];
    poke_word(r, pc, code);
    oak_chip_time before = now(r);
    snprintf(what, sizeof what, "%08x at 0x%x", code, pc);
    r->executed++;
    refa_step(r->ref);
    if (r->chip.ops->run(r->chip.chip, r->ref->trapped ? before.cycles + 3 : UINT64_MAX,
                         before.instructions + 1, &stop))
        ck_abort_msg("no run");
    r->refused += refuses(code);
    if (stop.reason == OAK_STOP_PARKED && r->ref->r[0][15] == pc) return;
    if (r->ref->stuck && stop.reason != OAK_STOP_FAULT) ck_abort_msg("%s: goes on", what);
    if (r->ref->stuck) return;
    if (stop.reason == OAK_STOP_FAULT) ck_abort_msg("%s: fault %d", what, stop.fault);
    must_agree(r, what);
    if (now(r).cycles - before.cycles != r->ref->cycles)
        ck_abort_msg("%s: %u cycles, not %u", what, (unsigned)(now(r).cycles - before.cycles),
                     r->ref->cycles);
}

/* The rows, as the table has them. */
static const struct {
    const char *mnemonic, *operands, *bits;
} rows[] = {
#define INSN(id, mnemonic, operands, bits, cycles, more, set, uses, flags, meaning)                          \
    {#mnemonic, operands, bits},
#define ALIAS(alias, of)
#define ALSO(mnemonic, row)
#include "isa/a32/a32.def"
};

/* A code of a row: fields at random, mostly always executed; 0 where nothing would wake it. */
static uint32_t sample(unsigned row, uint64_t *seed)
{
    uint32_t code = 0;
    if (!strcmp(rows[row].mnemonic, "wfi") || !strcmp(rows[row].mnemonic, "wfe")) return 0;
    for (const char *p = rows[row].bits; *p; p++)
        if (*p != ' ') code = code << 1 | (*p == '1' || (*p != '0' && random32(seed) >> 13 & 1));
    if (*rows[row].bits == 'o') {
        if (random32(seed) % 4 || code >> 28 == 15) code = (code & 0x0FFFFFFF) | 0xE0000000;
        /* registers alike make most rows unpredictable: a few of them are made different */
        if (random32(seed) % 2 && strchr(rows[row].bits, 't'))
            code = (code & ~0xF000u) | (random32(seed) % 7 * 2 << 12);
    }
    return code;
}

START_TEST(every_row_does_what_the_second_core_does)
{
    rig r;
    uint64_t seed = 3;
    rig_open(&r);
    fill_both(&r.chip, MEM, r.ref->mem, sizeof r.ref->mem, &seed);
    for (unsigned row = 0; row < sizeof rows / sizeof *rows; row++) {
        r.refused = r.executed = 0;
        for (unsigned n = 0; n < 600 / STRIDE; n++) {
            uint32_t code = sample(row, &seed);
            if (code) once(&r, code, &seed);
        }
        if (r.refused > r.executed * 7 / 8)
            ck_abort_msg("%s %s is refused", rows[row].mnemonic, rows[row].operands);
        memories_must_agree(&r, rows[row].mnemonic);
    }
    rig_close(&r);
}
END_TEST

static bool sleeps(uint32_t code)
{
    return (code & 0x0FFFFFFE) == 0x0320F002;
}

START_TEST(anything_does_what_the_second_core_does)
{
    rig r;
    uint64_t seed = 4;
    rig_open(&r);
    fill_both(&r.chip, MEM, r.ref->mem, sizeof r.ref->mem, &seed);
    for (unsigned n = 0; n < 400000 / STRIDE; n++) {
        uint32_t code = random32(&seed);
        if (n % 2) code |= 0xE0000000, code &= 0xEFFFFFFF;
        bool coprocessor = (code >> 26 & 3) == 3 && (code >> 24 & 15) != 15;
        if (!sleeps(code) && (!coprocessor || n % 16 == 0)) once(&r, code, &seed);
        if (n % 50000 == 0) memories_must_agree(&r, "a code");
    }
    memories_must_agree(&r, "in the end");
    ck_assert_uint_lt(r.refused, r.executed / 3);
    rig_close(&r);
}
END_TEST

/* Programs of anything, over which they write themselves, with exceptions into anything, run as a whole. */
START_TEST(chains_of_code_that_overwrites_itself_agree_with_single_steps)
{
    rig r;
    uint64_t seed = 5, executed = 0;
    rig_open(&r);
    for (unsigned program = 0; program < 60 / STRIDE; program++) {
        for (uint32_t at = 0; at < 0xFFFC; at += 4) {
            uint32_t code = sample(random32(&seed) % (sizeof rows / sizeof *rows), &seed);
            if (random32(&seed) % 3) code = (code & 0x0FFFFFFF) | 0xE0000000;
            poke_word(&r, at, code);
        }
        for (unsigned piece = 0; piece < 150; piece++) {
            oak_stop stop;
            uint64_t cycles = 0, last_cycles = 0;
            take_over(&r, &seed);
            oak_chip_time before = now(&r);
            unsigned wanted = 1 + random32(&seed) % 300, done = 0, in_a_row = 0;
            static refa last; /* behind the last instruction that was executed */
            last = *r.ref;
            while (done < wanted) {
                uint32_t pc = r.ref->r[0][15];
                refa_step(r.ref);
                cycles += r.ref->cycles;
                in_a_row = r.ref->trapped ? in_a_row + 1 : 0;
                if (r.ref->stuck || r.ref->sleeps || r.ref->r[0][15] == pc || in_a_row > 20) break;
                if (r.ref->trapped) continue;
                done++, last_cycles = cycles;
                last = *r.ref;
            }
            *r.ref = last;
            if (!done) {
                r.chip.ops->write_memory(r.chip.chip, MEM, 0, r.ref->mem, sizeof r.ref->mem);
                continue;
            }
            char what[60];
            snprintf(what, sizeof what, "program %u, piece %u, %u instructions", program, piece, done);
            if (r.chip.ops->run(r.chip.chip, UINT64_MAX, before.instructions + done, &stop))
                ck_abort_msg("no run");
            if (stop.reason != OAK_STOP_STEPS)
                ck_abort_msg("%s: stops by %d %d at 0x%x", what, stop.reason, stop.fault, stop.pc);
            executed += done;
            must_agree(&r, what);
            if (now(&r).cycles - before.cycles != last_cycles)
                ck_abort_msg("%s: %u cycles, not %u", what, (unsigned)(now(&r).cycles - before.cycles),
                             (unsigned)last_cycles);
        }
        memories_must_agree(&r, "a program");
    }
    ck_assert_uint_gt(executed, 100000 / STRIDE / 2);
    rig_close(&r);
}
END_TEST

RUN_SUITE("a32", every_row_does_what_the_second_core_does, anything_does_what_the_second_core_does,
          chains_of_code_that_overwrites_itself_agree_with_single_steps)
