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
    bare on;
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
    *r = (rig){0};
    bare_open(&r->on, "a32");
    r->ref = calloc(1, sizeof *r->ref);
    r->ref->mode = 0x13;
    r->ref->refuses = refuses;
    isa = oak_isa_find("a32");
    ck_assert_int_eq(isa->open(&r->on.host, &tables), OAK_OK);
}

static void rig_close(rig *r)
{
    bare_close(&r->on);
    free(r->ref);
    isa->close(&r->on.host, tables);
}

static void poke(rig *r, uint32_t at, const uint8_t *bytes, size_t count)
{
    poke_both(&r->on.chip, MEM, r->ref->mem, at, bytes, count);
}

static void poke_word(rig *r, uint32_t at, uint32_t word)
{
    const uint8_t bytes[4] = {(uint8_t)word, (uint8_t)(word >> 8), (uint8_t)(word >> 16),
                              (uint8_t)(word >> 24)};
    poke(r, at, bytes, 4);
}

static void memories_must_agree(rig *r, const char *what)
{
    must_be_alike(&r->on.chip, MEM, r->ref->mem, sizeof r->ref->mem, what);
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
    bare_set(&r->on, number, value);
    if (number == CPSR) refa_set_cpsr(r->ref, value);
    else if (number != SPSR || refa_bank(r->ref->mode))
        *place_of(r->ref, r->on.part->architecture->registers[number].name) = value;
}

/* Registers mostly point into the memory. Any mode, any flags. */
static void take_over(rig *r, uint64_t *seed)
{
    static const uint32_t corners[] = {0, 1, 2, 31, 0x7FFFFFFF, 0x80000000, UINT32_MAX, 0xFFFE};
    static const uint8_t modes[] = {0x10, 0x11, 0x12, 0x13, 0x17, 0x1B, 0x1F};
    set_reg(r, CPSR, (random32(seed) & 0xF80F01C0) | modes[random32(seed) % 7]);
    for (unsigned i = 0; i < r->on.part->architecture->register_count; i++) {
        unsigned kind = random32(seed) % 8;
        if (i == CPSR || i == PC) continue;
        uint32_t value = kind < 4   ? random32(seed) & (kind < 3 ? 0xFFFC : 0xFFFF)
                         : kind < 6 ? corners[random32(seed) % 8]
                                    : random32(seed);
        bool status = strncmp(r->on.part->architecture->registers[i].name, "spsr", 4) == 0;
        if (status) value = (random32(seed) & 0xF80F01C0) | modes[random32(seed) % 7];
        set_reg(r, i, value);
    }
    set_reg(r, PC, 0x100 + (random32(seed) & 0xF7FC));
}

static void must_agree(rig *r, const char *what)
{
    for (unsigned i = 0; i < r->on.part->architecture->register_count; i++) {
        const char *name = r->on.part->architecture->registers[i].name;
        uint32_t is = 0, want = i == CPSR ? refa_cpsr(r->ref) : *place_of(r->ref, name);
        if (i == SPSR && !refa_bank(r->ref->mode)) want = 0;
        r->on.chip.ops->read_register(r->on.chip.chip, i, &is);
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
    oak_chip_time before = bare_time(&r->on);
    snprintf(what, sizeof what, "%08x at 0x%x", code, pc);
    r->executed++;
    refa_step(r->ref);
    if (r->on.chip.ops->run(r->on.chip.chip, r->ref->trapped ? before.cycles + 3 : UINT64_MAX,
                            before.instructions + 1, &stop))
        ck_abort_msg("no run");
    r->refused += refuses(code);
    if (stop.reason == OAK_STOP_PARKED && r->ref->r[0][15] == pc) return;
    if (r->ref->stuck && stop.reason != OAK_STOP_FAULT) ck_abort_msg("%s: goes on", what);
    if (r->ref->stuck) return;
    if (stop.reason == OAK_STOP_FAULT) ck_abort_msg("%s: fault %d", what, stop.fault);
    must_agree(r, what);
    if (bare_time(&r->on).cycles - before.cycles != r->ref->cycles)
        ck_abort_msg("%s: %u cycles, not %u", what, (unsigned)(bare_time(&r->on).cycles - before.cycles),
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
    fill_both(&r.on.chip, MEM, r.ref->mem, sizeof r.ref->mem, &seed);
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
    fill_both(&r.on.chip, MEM, r.ref->mem, sizeof r.ref->mem, &seed);
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
            oak_chip_time before = bare_time(&r.on);
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
                r.on.chip.ops->write_memory(r.on.chip.chip, MEM, 0, r.ref->mem, sizeof r.ref->mem);
                continue;
            }
            char what[60];
            snprintf(what, sizeof what, "program %u, piece %u, %u instructions", program, piece, done);
            if (r.on.chip.ops->run(r.on.chip.chip, UINT64_MAX, before.instructions + done, &stop))
                ck_abort_msg("no run");
            if (stop.reason != OAK_STOP_STEPS)
                ck_abort_msg("%s: stops by %d %d at 0x%x", what, stop.reason, stop.fault, stop.pc);
            executed += done;
            must_agree(&r, what);
            if (bare_time(&r.on).cycles - before.cycles != last_cycles)
                ck_abort_msg("%s: %u cycles, not %u", what,
                             (unsigned)(bare_time(&r.on).cycles - before.cycles), (unsigned)last_cycles);
        }
        memories_must_agree(&r, "a program");
    }
    ck_assert_uint_gt(executed, 100000 / STRIDE / 2);
    rig_close(&r);
}
END_TEST

/* Every condition with every state of the flags, in front of an instruction, a jump and a call; by a comparison and by msr. */
START_TEST(every_condition_holds_as_the_manual_has_it)
{
    static const uint32_t codes[] = {0x01A00001, 0x0A000010, 0x0B000010, 0x00821003,
                                     0x05810000, 0x012FFF11, 0x08B1000C};
    rig r;
    uint64_t seed = 6;
    rig_open(&r);
    fill_both(&r.on.chip, MEM, r.ref->mem, sizeof r.ref->mem, &seed);
    for (unsigned condition = 0; condition < 15; condition++)
        for (unsigned flags = 0; flags < 16; flags++)
            for (unsigned i = 0; i < sizeof codes / sizeof *codes; i++) {
                char what[60];
                oak_stop stop;
                take_over(&r, &seed);
                set_reg(&r, 1, 0x2000);
                set_reg(&r, CPSR, 0x13 | flags << 28);
                uint32_t pc = r.ref->r[0][15];
                poke_word(&r, pc, codes[i] | condition << 28);
                oak_chip_time before = bare_time(&r.on);
                snprintf(what, sizeof what, "%08x with flags %x", codes[i] | condition << 28, flags);
                refa_step(r.ref);
                ck_assert_int_eq(
                    r.on.chip.ops->run(r.on.chip.chip, UINT64_MAX, before.instructions + 1, &stop), OAK_OK);
                must_agree(&r, what);
                ck_assert_uint_eq(bare_time(&r.on).cycles - before.cycles, r.ref->cycles);
            }
    rig_close(&r);
}
END_TEST

/* Each comparison before each jump, run together and one by one. */
START_TEST(a_comparison_and_its_jump_agree_with_single_steps)
{
    static const uint32_t corners[] = {0, 1, 2, 0x7FFFFFFF, 0x80000000, 0x80000001, UINT32_MAX},
                          codes[] = {0xE1510002, 0xE3510000, 0xE3510001, 0xE2511001, 0xE3510102, 0xE1710002};
    rig r;
    uint64_t seed = 7;
    rig_open(&r);
    fill_both(&r.on.chip, MEM, r.ref->mem, sizeof r.ref->mem, &seed);
    for (unsigned condition = 0; condition < 14; condition++)
        for (unsigned i = 0; i < sizeof codes / sizeof *codes; i++) {
            poke_word(&r, 0x1000, codes[i]);
            poke_word(&r, 0x1004, 0x0A000001 | condition << 28);
            poke_word(&r, 0x1008, 0xE1A00000);
            poke_word(&r, 0x100C, 0xE1A00000);
            poke_word(&r, 0x1010, 0xE1A00000);
            for (unsigned a = 0; a < 7; a++)
                for (unsigned b = 0; b < 7; b++)
                    for (unsigned stops = 0; stops < 2; stops++) {
                        oak_stop stop;
                        set_reg(&r, CPSR, 0x13);
                        set_reg(&r, 1, corners[a]);
                        set_reg(&r, 2, corners[b]);
                        set_reg(&r, PC, 0x1000);
                        oak_chip_time before = bare_time(&r.on);
                        unsigned cycles = 0;
                        for (unsigned k = 0; k < 3; k++) refa_step(r.ref), cycles += r.ref->cycles;
                        ck_assert_int_eq(r.on.chip.ops->set_stop(r.on.chip.chip, 0x1004, stops), OAK_OK);
                        ck_assert_int_eq(
                            r.on.chip.ops->run(r.on.chip.chip, UINT64_MAX, before.instructions + 3, &stop),
                            OAK_OK);
                        ck_assert_int_eq(stop.reason, stops ? OAK_STOP_POINT : OAK_STOP_STEPS);
                        if (stops) {
                            ck_assert_uint_eq(stop.pc, 0x1004);
                            ck_assert_int_eq(r.on.chip.ops->run(r.on.chip.chip, UINT64_MAX,
                                                                before.instructions + 3, &stop),
                                             OAK_OK);
                        }
                        must_agree(&r, "a comparison and a jump");
                        ck_assert_uint_eq(bare_time(&r.on).cycles - before.cycles, cycles);
                    }
        }
    rig_close(&r);
}
END_TEST

/* ------------------------------------------------------------------------------------------ written and read back */

/* Every field of a constant, both ways: by its value, and by its 8 bits and their rotation. */
START_TEST(every_constant_is_found_again)
{
    oak_part *part = load_part("a32-512k");
    collected diags;
    text source = {0};
    oak_text_sink sink = text_sink(&source);
    char line[80];
    for (unsigned field = 0; field < 4096; field++) {
        uint32_t by = 2 * (field >> 8), byte = field & 0xFF,
                 value = by ? byte >> by | byte << (32 - by) : byte;
        snprintf(line, sizeof line, " mov r1, #0x%x\n mov r1, #%u, #%u\n", value, byte, by);
        sink.write(sink.context, line, strlen(line));
    }
    sink.write(sink.context, "rest: b rest\n", 14);
    oak_program *program = assemble(part, source.bytes, &diags);
    if (!program) show_collected(&diags);
    ck_assert_ptr_nonnull(program);
    for (unsigned field = 0; field < 4096; field++) {
        uint32_t codes[2] = {0}, values[2];
        for (unsigned i = 0; i < 8; i++) {
            uint8_t byte = 0;
            ck_assert(oak_image_byte(oak_program_image(program), 8 * field + i, &byte));
            codes[i / 4] |= (uint32_t)byte << 8 * (i % 4);
        }
        for (unsigned i = 0; i < 2; i++) {
            uint32_t by = 2 * (codes[i] >> 8 & 15), byte = codes[i] & 0xFF;
            values[i] = by ? byte >> by | byte << (32 - by) : byte;
            if (codes[i] >> 20 == 0xE3E) values[i] = ~values[i];
        }
        ck_assert_uint_eq(codes[1] & 0xFFF, field);
        ck_assert_uint_eq(values[0], values[1]);
        ck_assert_uint_le(codes[0] & 0xF00, codes[1] & 0xF00); /* with the smallest rotation */
    }
    must_come_back(program);
    oak_program_free(program);
    oak_part_free(part);
    free(source.bytes);
}
END_TEST

/* A table of conditional jumps leads to each code, so that it is read as one; all are assembled again. */
START_TEST(codes_come_back)
{
    enum { CODES = 4000 };
    oak_host host = oak_linux_host();
    oak_part *part = load_part("a32-512k");
    uint64_t seed = 8;
    for (unsigned round = 0; round < (STRIDE > 1 ? 2 : 12); round++) {
        oak_program *program;
        ck_assert_int_eq(oak_program_create(&host, part, &program), OAK_OK);
        oak_image *image = oak_program_image(program);
        for (unsigned i = 0; i <= CODES; i++) {
            uint32_t at = 4 * i, slot = 0x8000 + 8 * i,
                     code = i < CODES ? 0x0A000000 : 0xEA000000; /* beq; b */
            uint32_t words[3] = {code | ((slot - at - 8) >> 2 & 0xFFFFFF),
                                 sample(random32(&seed) % (sizeof rows / sizeof *rows), &seed), 0xE12FFF1E};
            if (round % 3 == 2) words[1] = random32(&seed);
            if (i == CODES) words[1] = 0xE12FFF1E;
            for (unsigned w = 0; w < 3; w++) {
                uint8_t bytes[4] = {(uint8_t)words[w], (uint8_t)(words[w] >> 8), (uint8_t)(words[w] >> 16),
                                    (uint8_t)(words[w] >> 24)};
                ck_assert_int_eq(oak_image_write(image, w ? slot + 4 * (w - 1) : at, bytes, 4), OAK_OK);
            }
        }
        ck_assert_int_eq(oak_program_finish(program), OAK_OK);
        must_come_back(program);
        oak_program_free(program);
    }
    oak_part_free(part);
}
END_TEST

START_TEST(operands_are_read_as_people_write_them)
{
    static const struct {
        const char *line;
        uint32_t code;
    } good[] = {{"mov r0, #-1", 0xE3E00000},
                {"cmp r1, #-4", 0xE3710004},
                {"and r0, r1, #0xffffff00", 0xE3C100FF},
                {"add r0, #-8", 0xE2400008},
                {"mov r0, #0x1234", 0xE3010234},
                {"mov r0, r1, lsl #3", 0xE1A00181},
                {"lsl r0, r1, #3", 0xE1A00181},
                {"mov r0, r1, lsl r2", 0xE1A00211},
                {"addseq r0, r1, r2, asr #32", 0x00910042},
                {"rrx r0, r1", 0xE1A00061},
                {"ldr r0, [r1, -r2, lsl #4]!", 0xE7310202},
                {"ldr r0, [r1], -r2", 0xE6110002},
                {"ldrh r0, [r1, #-255]", 0xE1510FBF},
                {"strd r2, r3, [sp], #8", 0xE0CD20F8},
                {"ldmfd sp!, {r0, pc}^", 0xE8FD8001},
                {"stmib r1, {r0-r3, lr}^", 0xE9C1400F},
                {"push {r4}", 0xE52D4004},
                {"pop {r4, pc}", 0xE8BD8010},
                {"stmdb sp!, {r4}", 0xE92D0010},
                {"msr cpsr_c, #0x1f", 0xE321F01F},
                {"msr spsr, r1", 0xE169F001},
                {"mrs r3, cpsr", 0xE10F3000},
                {"cpsid if, #0x12", 0xF10E00D2},
                {"svcne #0x123456", 0x1F123456},
                {"smlaltt r0, r1, r2, r3", 0xE14103E2},
                {"umaal r0, r1, r2, r3", 0xE0410392},
                {"uxtb16 r0, r1, ror #8", 0xE6CF0471},
                {"pkhbt r0, r1, r2, lsl #16", 0xE6810812},
                {"smmlsr r0, r1, r2, r3", 0xE75032F1},
                {"ssat r0, #16, r1, asr #32", 0xE6AF0051},
                {"bfi r0, r1, #4, #8", 0xE7CB0211},
                {"dmb ish", 0xF57FF05B},
                {"rfedb r1!", 0xF9310A00},
                {"srsfd sp!, #0x13", 0xF96D0513},
                {"swpb r0, r1, [r2]", 0xE1420091},
                {"pld [r1, -r2, lsr #1]", 0xF751F0A2},
                {"bkpt #0xabcd", 0xE12ABC7D},
                {"b $", 0xEAFFFFFE},
                {"movs pc, lr", 0xE1B0F00E},
                {"uqsub8 r1, r2, r3", 0xE6621FF3}};
    static const struct {
        const char *line, *code;
    } bad[] = {{"mov r0, 5", "immediate-mark"},
               {"add r0, r1, #0x101", "value-range"},
               {"ldrd r1, r2, [r3]", "unpredictable"},
               {"ldrd r0, r2, [r3]", "register"},
               {"ldr r0, [r0], #4", "unpredictable"},
               {"push {}", "register-list"},
               {"movweq #5, r1", "no-such-form"},
               {"cpsieeq i", "condition"},
               {"ldr r0, [r1, r2, lsl r3]", "immediate-mark"},
               {"add r0, r1, r2, lsl #33", "shift"},
               {"msr cpsr_q, r0", "no-such-form"},
               {"umull r0, r0, r1, r2", "unpredictable"},
               {"mul r0, r1, #3", "no-such-form"},
               {"strex r0, r0, [r1]", "unpredictable"}};
    oak_part *part = load_part("a32-512k");
    collected diags;
    for (unsigned i = 0; i < sizeof good / sizeof *good; i++) {
        char source[100];
        snprintf(source, sizeof source, " org 0\n %s\nbehind: b behind\n", good[i].line);
        oak_program *program = assemble(part, source, &diags);
        if (!program) show_collected(&diags);
        ck_assert_msg(program != NULL, "%s", good[i].line);
        uint8_t bytes[4] = {0};
        for (unsigned k = 0; k < 4; k++) ck_assert(oak_image_byte(oak_program_image(program), k, &bytes[k]));
        uint32_t code = (uint32_t)(bytes[0] | bytes[1] << 8) | (uint32_t)(bytes[2] | bytes[3] << 8) << 16;
        ck_assert_msg(code == good[i].code, "%s: %08x, not %08x", good[i].line, code, good[i].code);
        oak_program_free(program);
    }
    for (unsigned i = 0; i < sizeof bad / sizeof *bad; i++) {
        char source[100];
        snprintf(source, sizeof source, " %s\n", bad[i].line);
        ck_assert_msg(assemble(part, source, &diags) == NULL, "%s", bad[i].line);
        ck_assert_msg(strcmp(diags.one[0].code, bad[i].code) == 0, "%s: %s", bad[i].line, diags.one[0].code);
    }
    oak_part_free(part);
}
END_TEST

/* ------------------------------------------------------------------------------------------ exceptions, lines */

static const char excepting[] = " vector reset, start\n vector undefined, und\n vector svc, call\n vector "
                                "prefetch_abort, pre\n vector data_abort, dat\n org 0x100\n"
                                "start: mov r4, #0\n svc #1\n udf #2\n bkpt #3\n ldr r0, =0x30000000\n ldr "
                                "r1, [r0]\n str r1, [r0]\n mov r0, #4\n str r1, [r0]\n"
                                " ldr r0, =0x20000002\n ldm r0, {r1, r2}\n msr cpsr_c, #0x10\n svc #4\n mrs "
                                "r5, cpsr\nrest: b rest\n pool\n"
                                "und: lsl r4, r4, #4\n orr r4, r4, #1\n movs pc, lr\ncall: lsl r4, r4, #4\n "
                                "orr r4, r4, #2\n movs pc, lr\n"
                                "pre: lsl r4, r4, #4\n orr r4, r4, #3\n movs pc, lr\ndat: lsl r4, r4, #4\n "
                                "orr r4, r4, #4\n subs pc, lr, #4\n";

START_TEST(exceptions_lead_to_their_vectors_and_back)
{
    bench b;
    bench_open(&b, "a32-512k", excepting);
    oak_event event = bench_run(&b, 2000, UINT64_MAX);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "rest"));
    ck_assert_uint_eq((uint32_t)value_of(&b, "r4"), 0x21344442u);
    ck_assert_int_eq(value_of(&b, "r5 & 31"), 0x10);
    ck_assert_int_eq(value_of(&b, "spsr_abt & 31"), 0x13);
    ck_assert_int_eq(value_of(&b, "spsr_svc & 31"), 0x10);
    bench stepped;
    bench_open(&stepped, "a32-512k", excepting);
    while (value_of(&stepped, "pc") != value_of(&stepped, "rest") && cycles_of(&stepped) < 2000) {
        oak_event one;
        ck_assert_int_eq(oak_session_step(stepped.session, &one), OAK_OK);
    }
    ck_assert_int_eq(value_of(&stepped, "r4"), value_of(&b, "r4"));
    bench_close(&stepped);
    bench_close(&b);
}
END_TEST

START_TEST(what_no_handler_takes_ends_the_run)
{
    static const struct {
        const char *source;
        oak_fault fault;
    } cases[] = {{" svc #0\n", OAK_FAULT_NO_HANDLER},
                 {" udf #0\n", OAK_FAULT_RESERVED},
                 {" bkpt #0\n", OAK_FAULT_BREAKPOINT},
                 {" mov r0, #0x50000000\n bx r0\n", OAK_FAULT_OUTSIDE_CODE},
                 {" mov r0, #0x3000\n bx r0\n", OAK_FAULT_UNPROGRAMMED},
                 {" mov r0, #0x30000000\n ldr r1, [r0]\n", OAK_FAULT_ABSENT},
                 {" mov r0, #0\n str r0, [r0]\n", OAK_FAULT_READ_ONLY},
                 {" ldr r0, =P0_OUT + 1\n ldr r0, [r0]\nx: b x\n", OAK_FAULT_UNALIGNED},
                 {" adr r0, x\n add r0, r0, #1\nx: bx r0\n", OAK_FAULT_ODD_JUMP},
                 {" cps #0x1f\n movs pc, lr\n", OAK_FAULT_BAD_RETURN}};
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        bench b;
        char source[200];
        snprintf(source, sizeof source, " vector reset, start\n org 0x100\nstart: nop\n%s", cases[i].source);
        bench_open(&b, "a32-512k", source);
        oak_event event = bench_run(&b, UINT64_MAX, UINT64_MAX);
        ck_assert_int_eq(event.stop.reason, OAK_STOP_FAULT);
        if (event.stop.fault != cases[i].fault) printf("%s", cases[i].source);
        ck_assert_int_eq(event.stop.fault, cases[i].fault);
        bench_close(&b);
    }
}
END_TEST

/* A timer asks for irq, another one for fiq, which comes into the handler of the first; a call in that one is a third. Registers of each mode are its own. */
static const char nesting[] =
    " vector reset, start\n vector irq, slow\n vector fiq, quick\n vector svc, deep\n org 0x100\n"
    "start: cps #0x12\n ldr sp, =0x20001000\n cps #0x11\n ldr sp, =0x20001100\n mov r8, #0\n ldr r9, "
    "=TIM1_STAT\n cps #0x13\n ldr sp, =0x20001200\n"
    " ldr r0, =TIM0_TOP\n mov r1, #999\n str r1, [r0]\n ldr r2, =TIM1_TOP\n ldr r1, =349\n str r1, [r2]\n "
    "mov r1, #3\n"
    " str r1, [r0, #TIM0_CTRL - TIM0_TOP]\n str r1, [r2, #TIM1_CTRL - TIM1_TOP]\n ldr r0, =IC_ENABLE\n mov "
    "r1, #12\n str r1, [r0]\n"
    " mov r1, #8\n str r1, [r0, #IC_FAST - IC_ENABLE]\n mov r8, #77\n mov r4, #0\n mov r5, #0\n cpsie "
    "if\nidle: wfi\n b idle\n pool\n"
    "quick: mov r10, #1\n str r10, [r9]\n add r8, r8, #1\n subs pc, lr, #4\n"
    "slow: sub lr, lr, #4\n srsdb sp!, #0x12\n push {r0, r1}\n ldr r0, =IC_NUMBER\n ldr r1, [r0]\n add r4, "
    "r4, r1\n ldr r0, =TIM0_STAT\n mov r1, #1\n"
    " str r1, [r0]\n mov r1, #120\nw: subs r1, r1, #1\n bne w\n svc #5\n pop {r0, r1}\n rfe sp!\n pool\n"
    "deep: add r5, r5, #1\n movs pc, lr\n";

START_TEST(interrupts_nest_by_modes)
{
    bench b;
    bench_open(&b, "a32-512k", nesting);
    oak_event event = bench_run(&b, 101000, UINT64_MAX);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_CYCLES);
    ck_assert_int_eq(value_of(&b, "r5"), 100);
    ck_assert_int_eq(value_of(&b, "r4"), 200); /* line 2, a hundred times */
    ck_assert_int_eq(value_of(&b, "r8"), 77);
    ck_assert_int_eq(value_of(&b, "r8_fiq"), 288);
    ck_assert_int_eq(value_of(&b, "sp"), 0x20001200);
    ck_assert_int_eq(value_of(&b, "sp_irq"), 0x20001000);
    ck_assert_int_eq(value_of(&b, "IC_NUMBER"), -1 & 0xFFFFFFFF);
    bench other; /* in short runs the same */
    bench_open(&other, "a32-512k", nesting);
    while (cycles_of(&other) < 101000) bench_run(&other, 101000 - cycles_of(&other) < 7 ? 1 : 7, UINT64_MAX);
    ck_assert_int_eq(value_of(&other, "r8_fiq * 1000 + r5"), value_of(&b, "r8_fiq * 1000 + r5"));
    ck_assert_int_eq(value_of(&other, "pc"), value_of(&b, "pc"));
    bench_close(&other);
    bench_close(&b);
}
END_TEST

/* A state of any mode comes back whole. */
START_TEST(registers_of_every_mode_are_saved)
{
    bench b, again;
    bench_open(&b, "a32-512k", nesting);
    bench_run(&b, 1180, UINT64_MAX);
    collected diags;
    oak_diag_sink sink = collect(&diags);
    ck_assert_int_eq(oak_session_set(b.session, "cpsr = 0x600001d1", &sink), OAK_OK);
    ck_assert_int_eq(oak_session_set(b.session, "r12 = 12", &sink), OAK_OK);
    ck_assert_int_eq(oak_session_set(b.session, "sp_und = 0x55", &sink), OAK_OK);
    ck_assert_int_eq(oak_session_set(b.session, "r12_usr = 99", &sink), OAK_OK);
    text t = {0};
    oak_text_sink into = text_sink(&t);
    ck_assert_int_eq(oak_session_write_state(b.session, &into), OAK_OK);
    bench_open(&again, "a32-512k", nesting);
    ck_assert_int_eq(oak_session_read_state(again.session, t.bytes, t.size, "state", &sink), OAK_OK);
    const oak_architecture *about = b.part->architecture;
    for (unsigned i = 0; i < about->register_count; i++)
        ck_assert_msg(value_of(&again, about->registers[i].name) == value_of(&b, about->registers[i].name),
                      "%s", about->registers[i].name);
    ck_assert_int_eq(value_of(&again, "r12_fiq"), 12);
    free(t.bytes);
    bench_close(&again);
    bench_close(&b);
}
END_TEST

/* What is written over is decoded again; where a program begins. */
START_TEST(code_in_ram_may_be_written_over)
{
    bench b;
    bench_open(
        &b, "a32-1m",
        " export start\n org 0x200\nspot: mov r0, #1\n bx lr\nstart: mov r4, #0\n bl spot\n add r4, r4, r0\n "
        "ldr r1, =0xe3a00010\n ldr r2, =spot\n "
        "str r1, [r2]\n bl spot\n add r4, r4, r0\n cmp r4, #17\n beq good\nrest: b rest\ngood: b good\n");
    ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "start"));
    ck_assert_int_eq(bench_run(&b, 1000, UINT64_MAX).stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "good"));
    bench_close(&b);
    bench_open(&b, "a32-1m", " export start\n entry other\n org 0x200\nstart: b start\nother: b other\n");
    ck_assert_int_eq(value_of(&b, "pc"), value_of(&b, "other"));
    ck_assert_int_eq(bench_run(&b, 1000, UINT64_MAX).stop.reason, OAK_STOP_PARKED);
    bench_close(&b);
}
END_TEST

/* What an instruction reaches is told before it runs: registers, words, the status; nothing where its condition does not hold. */
START_TEST(what_an_instruction_reaches_is_told)
{
    bench b;
    oak_watched list[40];
    bench_open(&b, "a32-512k",
               " vector reset, start\n org 0x100\nstart: ldr sp, =0x20001000\n mov r1, #3\n push {r0, r1, "
               "lr}\n str r1, [sp, r1, lsl #2]\n cmp r1, #3\n "
               "ldrne r0, [sp]\n ldm sp!, {r0, r1, lr}\nrest: b rest\n");
    bench_run(&b, UINT64_MAX, 3);
    unsigned count = b.chip.ops->touches(b.chip.chip, list, 40), words = 0;
    for (unsigned i = 0; i < count; i++) {
        if (!list[i].space) continue;
        ck_assert_uint_eq(list[i].size, 4);
        ck_assert_uint_eq(list[i].address, 0x20001000 - 12 + 4 * words);
        ck_assert_uint_eq(list[i].accesses, OAK_ACCESS_WRITE);
        words++;
    }
    ck_assert_uint_eq(words, 3);
    bench_run(&b, UINT64_MAX, 1);
    count = b.chip.ops->touches(b.chip.chip, list, 40);
    ck_assert_uint_eq(list[count - 1].address, 0x20001000);
    bench_run(&b, UINT64_MAX, 2);
    ck_assert_uint_eq(b.chip.ops->touches(b.chip.chip, list, 40), 1); /* cpsr alone: it is equal */
    ck_assert_uint_eq(list[0].address, CPSR);
    bench_close(&b);
}
END_TEST

RUN_SUITE("a32", every_row_does_what_the_second_core_does, anything_does_what_the_second_core_does,
          chains_of_code_that_overwrites_itself_agree_with_single_steps,
          every_condition_holds_as_the_manual_has_it, a_comparison_and_its_jump_agree_with_single_steps,
          every_constant_is_found_again, codes_come_back, operands_are_read_as_people_write_them,
          exceptions_lead_to_their_vectors_and_back, what_no_handler_takes_ends_the_run,
          interrupts_nest_by_modes, registers_of_every_mode_are_saved, code_in_ram_may_be_written_over,
          what_an_instruction_reaches_is_told)
