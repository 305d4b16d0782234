/* The Arm M-profile: text and code both ways over all encodings, every row against a second implementation, times from the
 * manual, exceptions, SysTick, faults. */
#include "arm_rows.h"
#include "reference_arm.h"
#include "support.h"

#include <stdio.h>

enum { MEM = 1, START = 0x200, RAM = 0x20000000 };
/* Halfwords below 0xe800 that are no instruction: counted once, so that a row that goes missing is noticed. */
enum { V6_REFUSED = 3214, V7_REFUSED = 1972 };
enum { SP = 13, LR, PC, XPSR, MSP, PSP, PRIMASK, CONTROL };

/* Reads back `count` bytes that stand at START, instruction by instruction, as one source. */
static char *read_back(bench *b, uint32_t from, uint32_t to, unsigned *refused)
{
    size_t room = 1 << 22, at = 0;
    char *source = malloc(room);
    at += (size_t)snprintf(source, room, " org 0x%x\n", (unsigned)from);
    for (uint32_t address = from; address < to;) {
        char text[120];
        unsigned size = 2;
        uint8_t bytes[2];
        b->chip.ops->write_register(b->chip.chip, PC, address); /* by itself, not in what stands before it */
        oak_status status = oak_session_print_instruction(b->session, address, text, sizeof text, &size);
        bool is_it = !status && strncmp(text, "it", 2) == 0; /* what follows would have to be conditional */
        if (status || is_it) {
            ck_assert_int_eq(b->chip.ops->read_memory(b->chip.chip, MEM, address, bytes, 2), OAK_OK);
            at += (size_t)snprintf(source + at, room - at, " dw 0x%x\n", bytes[0] | bytes[1] << 8);
            size = 2;
            *refused += status != OAK_OK;
        } else {
            at += (size_t)snprintf(source + at, room - at, " %s\n", text);
        }
        address += size;
    }
    return source;
}

/* Puts code on a chip, reads it back as text, assembles that, and compares the bytes. */
static void round_trip(const char *part, const uint8_t *code, uint32_t count, unsigned *refused)
{
    bench b;
    bench_open(&b, part, " org 0x1fc\n dd 0\n");
    uint8_t *write = (uint8_t *)(uintptr_t)code;
    ck_assert_int_eq(b.chip.ops->write_memory(b.chip.chip, MEM, START, write, count), OAK_OK);
    char *source = read_back(&b, START, START + count, refused);
    collected diags = {0};
    oak_program *program = assemble(b.part, source, &diags);
    if (!program) show_collected(&diags);
    ck_assert_ptr_nonnull(program);
    unsigned wrong = 0;
    for (uint32_t i = 0; i < count; i++) {
        uint8_t byte;
        if (!oak_image_byte(oak_program_image(program), START + i, &byte) || byte != code[i]) {
            if (wrong++ < 10)
                printf("%s: at 0x%x: %02x became %02x\n", part, (unsigned)(START + i), code[i], byte);
        }
    }
    ck_assert_uint_eq(wrong, 0);
    oak_program_free(program);
    free(source);
    bench_close(&b);
}

static void all_halfwords(const char *part, unsigned *refused)
{
    enum { PIECE = 4096 };
    static uint8_t code[2 * PIECE];
    for (uint32_t from = 0; from < 0xE800; from += PIECE) {
        uint32_t count = 0;
        for (uint32_t i = from; i < from + PIECE && i < 0xE800; i++) {
            code[count++] = (uint8_t)i;
            code[count++] = (uint8_t)(i >> 8);
        }
        round_trip(part, code, count, refused);
    }
}

START_TEST(every_halfword_is_an_instruction_that_encodes_back_or_is_refused)
{
    unsigned refused = 0;
    all_halfwords("armv6m-32k", &refused);
    ck_assert_uint_eq(refused, V6_REFUSED);
    refused = 0;
    all_halfwords("armv7m-256k", &refused);
    ck_assert_uint_eq(refused, V7_REFUSED);
}
END_TEST

START_TEST(a_sample_of_wide_codes_encodes_back_or_is_refused)
{
    enum { PIECE = 1500, ROUNDS = 60 / STRIDE };
    static uint8_t code[4 * PIECE];
    uint64_t seed = 77;
    unsigned refused = 0;
    for (unsigned round = 0; round < ROUNDS; round++) {
        uint32_t count = 0;
        for (unsigned i = 0; i < PIECE; i++) {
            uint32_t first = 0xE800 + random32(&seed) % 0x1800, second = random32(&seed) & 0xFFFF;
            switch (random32(&seed) % 8) { /* fields that are often fixed */
            case 0: second |= 0xF000; break;
            case 1: second &= 0x0FFF; break;
            case 2: second &= 0xF0FF; break;
            case 3: second = (second & 0x0F0F) | 0xF000; break;
            case 4: first |= 15; break;
            case 5: second = (second & 0xFF) | 0x8F00; break;
            case 6: second = (second & 0xFF) | 0x8800; break;
            default: break;
            }
            code[count++] = (uint8_t)first;
            code[count++] = (uint8_t)(first >> 8);
            code[count++] = (uint8_t)second;
            code[count++] = (uint8_t)(second >> 8);
        }
        round_trip("armv7m-256k", code, count, &refused);
    }
    ck_assert_uint_gt(refused, 0);
    ck_assert_uint_lt(refused / 2, PIECE * ROUNDS / 2); /* most of the sample is defined */
}
END_TEST

/* ------------------------------------------------------------------------------------------ rows */

typedef struct rig {
    oak_host host;
    oak_part *part;
    oak_machine *machine;
    oak_chip_port chip;
} rig;

static void rig_open(rig *r, const char *part)
{
    r->host = oak_linux_host();
    r->part = load_part(part);
    ck_assert_int_eq(oak_machine_create(&r->host, r->part, &r->machine), OAK_OK);
    r->chip = oak_machine_port(r->machine);
}

static void rig_close(rig *r)
{
    oak_machine_free(r->machine);
    oak_part_free(r->part);
}

static uint32_t reg(const oak_chip_port *chip, unsigned number)
{
    uint32_t value = 0;
    if (chip->ops->read_register(chip->chip, number, &value)) ck_abort_msg("no register %u", number);
    return value;
}

static void put(const oak_chip_port *chip, uint32_t address, const void *bytes, size_t count)
{
    ck_assert_int_eq(chip->ops->write_memory(chip->chip, MEM, address, bytes, count), OAK_OK);
}

static oak_stop step(const oak_chip_port *chip)
{
    oak_chip_time time;
    oak_stop stop = {0};
    chip->ops->read_time(chip->chip, &time);
    ck_assert_int_eq(chip->ops->run(chip->chip, UINT64_MAX, time.instructions + 1, &stop), OAK_OK);
    return stop;
}

/* Registers that mostly point into the RAM, so that loads and stores have something to do. */
static void random_state(reference_arm *cpu, uint64_t *seed)
{
    static const uint32_t corners[] = {0,      1,  0x7FFFFFFF, 0x80000000, UINT32_MAX,
                                       0xFFFF, 31, 32,         33,         0x12345678};
    for (unsigned i = 0; i < 16; i++) {
        uint32_t kind = random32(seed) % 8;
        cpu->r[i] = kind < 4 ? REFERENCE_RAM + 0x600 +
                                   random32(seed) % (kind < 3 ? 0x100u : 0x400u) * (kind < 3 ? 4 : 1)
                    : kind < 6 ? corners[random32(seed) % 10]
                    : kind < 7 ? random32(seed) & 31
                               : random32(seed);
    }
    cpu->r[13] = REFERENCE_RAM + 0x400 + (random32(seed) & 0x7FC);
    cpu->r[14] = START + 0x401;
    uint32_t flags = random32(seed);
    cpu->n = flags & 1, cpu->z = flags & 2, cpu->c = flags & 4, cpu->v = flags & 8, cpu->q = false;
}

static uint32_t flags_of(const reference_arm *cpu)
{
    return (uint32_t)cpu->n << 31 | (uint32_t)cpu->z << 30 | (uint32_t)cpu->c << 29 | (uint32_t)cpu->v << 28 |
           (uint32_t)cpu->q << 27;
}

static unsigned compare_row(rig *r, unsigned row, unsigned samples, bool v7, uint64_t *seed)
{
    static reference_arm cpu;
    static uint8_t flash[REFERENCE_FLASH_SIZE], ram[REFERENCE_RAM_SIZE];
    const oak_chip_port *chip = &r->chip;
    unsigned executed = 0;
    memset(flash, 0xFF, sizeof flash); /* as erased */
    cpu.flash = flash;
    put(chip, START, flash, 64);
    for (unsigned attempt = 0; attempt < samples; attempt++) {
        uint32_t word;
        unsigned size = arm_sample(row, seed, &word);
        if (strcmp(arm_rows[row].mnemonic, "msr") == 0 || strcmp(arm_rows[row].mnemonic, "mrs") == 0)
            word &= ~0xFFu; /* the flags; the others have tests of their own */
        uint16_t first = (uint16_t)(size == 4 ? word >> 16 : word), second = (uint16_t)word;
        uint8_t code[4] = {(uint8_t)first, (uint8_t)(first >> 8), (uint8_t)second, (uint8_t)(second >> 8)};
        random_state(&cpu, seed);
        cpu.r[15] = START + 4 * (random32(seed) % 4) + 2 * (random32(seed) & 1);
        for (unsigned i = 0; i < 64; i++) cpu.ram[random32(seed) % 0x1000] = (uint8_t)random32(seed);
        for (unsigned i = 0; i < size; i++) flash[cpu.r[15] + i] = code[i];
        put(chip, cpu.r[15], code, size);
        put(chip, RAM, cpu.ram, sizeof cpu.ram);
        for (unsigned i = 0; i < 13; i++) chip->ops->write_register(chip->chip, i, cpu.r[i]);
        chip->ops->write_register(chip->chip, SP, cpu.r[13]);
        chip->ops->write_register(chip->chip, LR, cpu.r[14]);
        chip->ops->write_register(chip->chip, PC, cpu.r[15]);
        chip->ops->write_register(chip->chip, XPSR, 1u << 24 | flags_of(&cpu));
        uint32_t start = cpu.r[15];
        if (reference_arm_step(&cpu, first, second, v7) != REFERENCE_DONE) continue;
        oak_stop stop = step(chip);
        if (stop.reason == OAK_STOP_PARKED) continue;
        if (stop.reason == OAK_STOP_FAULT && stop.fault == OAK_FAULT_RESERVED) continue; /* unpredictable */
        executed++;
        bool same = stop.reason == OAK_STOP_STEPS && (reg(chip, XPSR) & 0xF8000000u) == flags_of(&cpu);
        for (unsigned i = 0; i < 16; i++) same = same && reg(chip, i) == cpu.r[i];
        chip->ops->read_memory(chip->chip, MEM, RAM, ram, sizeof ram);
        if (same && !memcmp(ram, cpu.ram, sizeof ram)) continue;
        printf("%s %s: code %08x at 0x%x: %s, flags %08x want %08x\n", arm_rows[row].mnemonic,
               arm_rows[row].operands, (unsigned)word, (unsigned)start, oak_stop_word(stop.reason),
               (unsigned)reg(chip, XPSR), (unsigned)flags_of(&cpu));
        for (unsigned i = 0; i < 16; i++)
            if (reg(chip, i) != cpu.r[i])
                printf("  r%u is 0x%08x, want 0x%08x\n", i, (unsigned)reg(chip, i), (unsigned)cpu.r[i]);
        ck_abort_msg("%s %s differs", arm_rows[row].mnemonic, arm_rows[row].operands);
    }
    return executed;
}

/* Rows whose effect is no matter of registers and memory: tested by what they do elsewhere in this file. */
static bool has_no_reference(const char *mnemonic)
{
    static const char *const names[] = {"bkpt", "nop", "yield", "wfe", "wfi", "sev",   "it",    "udf",
                                        "svc",  "dbg", "dsb",   "dmb", "isb", "clrex", "cpsie", "cpsid"};
    for (size_t i = 0; i < sizeof names / sizeof *names; i++)
        if (strcmp(mnemonic, names[i]) == 0) return true;
    return false;
}

static void all_rows(const char *part, bool v7, unsigned samples)
{
    rig r;
    uint64_t seed = v7 ? 4242 : 99;
    rig_open(&r, part);
    for (unsigned row = 0; row < arm_row_count; row++) {
        if (has_no_reference(arm_rows[row].mnemonic) || (arm_rows[row].v7 && !v7)) continue;
        if (!compare_row(&r, row, samples, v7, &seed))
            ck_abort_msg("%s %s was never executed", arm_rows[row].mnemonic, arm_rows[row].operands);
    }
    rig_close(&r);
}

START_TEST(every_row_of_armv6m_does_what_the_reference_does)
{
    all_rows("armv6m-32k", false, STRIDE > 1 ? 100 : 400);
}
END_TEST

START_TEST(every_row_of_armv7m_does_what_the_reference_does)
{
    all_rows("armv7m-256k", true, STRIDE > 1 ? 100 : 400);
}
END_TEST

/* The 12 bits of each constant, from the definition, and back through the assembler. */
START_TEST(modified_immediates_are_right_both_ways)
{
    char source[80];
    collected diags = {0};
    oak_part *part = load_part("armv7m-256k");
    unsigned checked = 0;
    for (uint32_t field = 0; field < 4096; field++) {
        uint32_t byte = field & 0xFF, value = byte;
        if (field >> 8 < 4 && field >> 8 && !byte) continue; /* unpredictable */
        if (field >> 8 == 1) value = byte * 0x00010001u;
        if (field >> 8 == 2) value = byte * 0x01000100u;
        if (field >> 8 == 3) value = byte * 0x01010101u;
        if (field >> 8 >= 4) {
            uint64_t twice = 0x80 | (byte & 0x7F);
            twice |= twice << 32;
            value = (uint32_t)(twice >> (field >> 7));
        }
        snprintf(source, sizeof source, " mov.w r3, #0x%x\n", (unsigned)value);
        oak_program *program = assemble(part, source, &diags);
        if (!program) show_collected(&diags);
        ck_assert_ptr_nonnull(program);
        uint8_t b[4];
        for (uint32_t i = 0; i < 4; i++) ck_assert(oak_image_byte(oak_program_image(program), i, &b[i]));
        uint32_t found = (uint32_t)(b[1] & 4) << 9 | (uint32_t)(b[3] & 0x70) << 4 | b[2];
        ck_assert_uint_eq(found, field);
        oak_program_free(program);
        checked++;
    }
    ck_assert_uint_eq(checked, 4096 - 3);
    static const uint32_t none[] = {0x101, 0x1FE01, 0xFF0, 0x00FF00FE, 0x12345678, 0x80000001};
    for (unsigned i = 0; i < 6; i++) {
        if (none[i] == 0xFF0) continue; /* is one */
        snprintf(source, sizeof source, " and r3, r3, #0x%x\n", (unsigned)none[i]);
        diags.count = 0;
        ck_assert_ptr_null(assemble(part, source, &diags));
        ck_assert_str_eq(diags.one[0].code, "value-range");
    }
    oak_part_free(part);
}
END_TEST

/* ------------------------------------------------------------------------------------------ times */

static uint64_t cycles_between(const char *part, const char *code)
{
    char source[600];
    bench b;
    snprintf(source, sizeof source,
             " vector stack, 0x20000800\n vector reset, start\n org 0x200\nstart: ldr r7, =0x20000100\n movs "
             "r1, #100\n"
             " movs r2, #7\nfirst: %s\nlast: b .\n bx lr\nnear: bx lr\n",
             code);
    bench_open(&b, part, source);
    if (oak_session_add_stop(b.session, "first", NULL, 1, &b.sink, NULL)) show_collected(&b.diags);
    ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT);
    uint64_t before = cycles_of(&b);
    ck_assert_int_eq(oak_session_add_stop(b.session, "last", NULL, 1, &b.sink, NULL), OAK_OK);
    oak_event event = bench_run(&b, 1000, 0);
    if (event.stop.reason != OAK_STOP_POINT) printf("%s: %s\n", code, oak_fault_word(event.stop.fault));
    ck_assert_int_eq(event.stop.reason, OAK_STOP_POINT);
    uint64_t cycles = cycles_of(&b) - before;
    bench_close(&b);
    return cycles;
}

/* By hand from the tables of the two cores' manuals, with memory that never waits. */
START_TEST(instructions_take_the_cycles_of_the_manual)
{
    static const struct {
        const char *code;
        unsigned v6, v7; /* 0: not there */
    } all[] = {
        {"adds r0, r1, r2", 1, 1},
        {"lsls r0, r1, #3", 1, 1},
        {"muls r1, r2, r1", 1, 1},
        {"ldr r0, [r7]", 2, 2},
        {"strb r0, [r7, #3]", 2, 2},
        {"ldr r0, =0x12345678", 2, 2},
        {"push {r0-r3}", 5, 5},
        {"push {r0-r3}\n pop {r0-r3}", 10, 10},
        {"ldm r7!, {r0, r1, r2}", 4, 4},
        {"b last", 3, 3},
        {"cmp r1, r1\n beq last", 4, 4},
        {"cmp r1, r2\n beq last", 2, 2},
        {"bl near", 4 + 3, 3 + 3},
        {"mrs r0, primask", 4, 1},
        {"dsb", 4, 1},
        {"nop", 1, 1},
        {"adr r0, back\n adds r0, #1\n bx r0\n align 4\nback: nop", 1 + 1 + 3 + 1, 1 + 1 + 3 + 1},
        {"ldr r0, =last + 1\n push {r0}\n pop {pc}", 2 + 2 + 5, 2 + 2 + 4},
        {"udiv r0, r1, r2", 0, 4}, /* 14: four bits of quotient, 2 + ceil(40 / 32) */
        {"umull r0, r3, r1, r2", 0, 3},
        {"mla r0, r1, r2, r1", 0, 2},
        {"ldrd r0, r3, [r7]", 0, 3},
        {"it eq\n moveq r0, r1", 0, 2},
        {"cbz r1, last\n nop", 0, 2},
        {"cbnz r1, last\n nop", 0, 3},
        {"cmp r1, r1\n itte eq\n ldreq r0, [r7]\n ldreq r3, [r7]\n ldrne r0, [r7]", 0, 1 + 1 + 2 + 2 + 1},
    };
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        if (all[i].v6 && cycles_between("armv6m-32k", all[i].code) != all[i].v6)
            ck_abort_msg("armv6m: %s takes %u", all[i].code,
                         (unsigned)cycles_between("armv6m-32k", all[i].code));
        if (cycles_between("armv7m-256k", all[i].code) != all[i].v7)
            ck_abort_msg("armv7m: %s takes %u", all[i].code,
                         (unsigned)cycles_between("armv7m-256k", all[i].code));
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ exceptions */

#define HEAD                                                                                                 \
    " vector stack, 0x20000800\n vector reset, start\n vector systick, tick\n vector hard_fault, hard\n"     \
    " vector svcall, call\n vector pendsv, pend\n vector tim0, line2\n vector tim1, line3\n"                 \
    "trace equ 0x20000100\n org 0x200\n"
/* Each handler writes its letter behind the others. */
#define NOTE(letter)                                                                                         \
    " ldr r0, =trace - 4\n ldrb r1, [r0]\n adds r1, #1\n strb r1, [r0]\n movs r2, #'" letter                 \
    "'\n strb r2, [r0, r1]\n"
#define TAIL "tick: b .\nhard: b .\ncall: b .\npend: b .\nline2: b .\nline3: b .\n"

static void trace_of(bench *b, char *text, size_t room)
{
    uint8_t bytes[64];
    ck_assert_int_eq(b->chip.ops->read_memory(b->chip.chip, MEM, 0x200000FC, bytes, sizeof bytes), OAK_OK);
    size_t count = bytes[0] < room - 1 ? bytes[0] : room - 1;
    for (size_t i = 0; i < count; i++) text[i] = (char)bytes[1 + i];
    text[count] = 0;
}

static void both_parts(void (*test)(const char *part))
{
    test("armv6m-32k");
    test("armv7m-256k");
}

static void systick_period(const char *part)
{
    bench b;
    bench_open(&b, part,
               HEAD "start: ldr r0, =SYST_RVR\n ldr r1, =1234\n str r1, [r0]\n movs r1, #0\n str r1, [r0, "
                    "#4]\n movs r1, #7\n"
                    " ldr r0, =SYST_CSR\n str r1, [r0]\nwait: wfi\n b wait\n"
                    "tick: bx lr\nhard: b .\ncall: b .\npend: b .\nline2: b .\nline3: b .\n");
    ck_assert_int_eq(oak_session_add_stop(b.session, "tick", NULL, 1, &b.sink, NULL), OAK_OK);
    uint64_t last = 0;
    for (unsigned i = 0; i < 50; i++) {
        ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_POINT);
        if (i > 1)
            ck_assert_uint_eq(cycles_of(&b) - last, 1235); /* reload + 1, with the core asleep each time */
        last = cycles_of(&b);
        ck_assert_int_eq(value_of(&b, "exception"), 15);
    }
    bench_close(&b);
}

START_TEST(systick_has_its_period_to_the_cycle)
{
    both_parts(systick_period);
}
END_TEST

/* A handler interrupted by a more urgent one, which comes back; then the less urgent one that waited, by tail-chaining. */
static void nesting(const char *part)
{
    bench b;
    char text[40];
    bench_open(
        &b, part,
        HEAD "start: movs r1, #0\n ldr r0, =trace - 4\n str r1, [r0]\n"
             " ldr r0, =NVIC_IPR0\n ldr r1, =0x80400000\n str r1, [r0]\n" /* line 2: 0x40, line 3: 0x80 */
             " ldr r0, =SCB_SHPR3\n ldr r1, =0xc0c00000\n str r1, [r0]\n"
             " ldr r0, =NVIC_ISER\n movs r1, #12\n str r1, [r0]\n"
             " ldr r0, =NVIC_ISPR\n movs r1, #8\n str r1, [r0]\n nop\n" /* line 3 */
        NOTE("m") "end: b .\n"
                  "line3: push {lr}\n" NOTE("3") " ldr r0, =NVIC_ISPR\n movs r1, #4\n str r1, [r0]\n "
                                                 "nop\n" /* more urgent: at once */
                                                 " ldr r0, =SCB_ICSR\n ldr r1, =1 << "
                                                 "SCB_ICSR_PENDSVSET\n str r1, [r0]\n nop\n" /* less: waits */
        NOTE("x") " pop {pc}\n"
                  "line2: push {lr}\n" NOTE("2") " pop {pc}\n"
                                                 "pend: push {lr}\n" NOTE(
                                                     "p") " pop {pc}\n"
                                                          "tick: b .\nhard: b .\ncall: b .\n");
    oak_event event = bench_run(&b, 100000, 0);
    if (event.stop.reason != OAK_STOP_PARKED) printf("%s: %s\n", part, oak_fault_word(event.stop.fault));
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    trace_of(&b, text, sizeof text);
    ck_assert_str_eq(text, "32xpm");
    ck_assert_int_eq(value_of(&b, "sp"), 0x20000800);
    ck_assert_int_eq(value_of(&b, "exception"), 0);
    bench_close(&b);
}

START_TEST(a_more_urgent_exception_interrupts_a_handler_and_a_less_urgent_one_follows_it)
{
    both_parts(nesting);
}
END_TEST

/* Entry 16 or 12 cycles, tail-chaining 10 or 6, leaving 16 or 10. */
START_TEST(entering_chaining_and_leaving_take_their_cycles)
{
    for (unsigned v7 = 0; v7 < 2; v7++) {
        bench b;
        bench_open(&b, v7 ? "armv7m-256k" : "armv6m-32k",
                   HEAD "start: ldr r0, =NVIC_ISER\n movs r1, #12\n str r1, [r0]\n ldr r0, =NVIC_ISPR\n "
                        "cpsid i\n str r1, [r0]\n"
                        "here: cpsie i\nback: nop\n b .\nline2: bx lr\nline3: bx lr\ntick: b .\nhard: b "
                        ".\ncall: b .\npend: b .\n");
        uint64_t at[4];
        const char *places[] = {"here", "line2", "line3", "back"};
        for (unsigned i = 0; i < 4; i++) {
            ck_assert_int_eq(oak_session_add_stop(b.session, places[i], NULL, 1, &b.sink, NULL), OAK_OK);
            ck_assert_int_eq(bench_run(&b, 10000, 0).stop.reason, OAK_STOP_POINT);
            at[i] = cycles_of(&b);
        }
        ck_assert_uint_eq(at[1] - at[0], 1 + (v7 ? 12u : 16u)); /* cpsie, then entry */
        ck_assert_uint_eq(at[2] - at[1], 1 + (v7 ? 6u : 10u));  /* bx lr becomes the next handler */
        ck_assert_uint_eq(at[3] - at[2], v7 ? 10u : 16u);
        bench_close(&b);
    }
}
END_TEST

START_TEST(the_frame_holds_what_the_manual_says)
{
    bench b;
    uint8_t frame[32];
    static const uint32_t wanted[8] = {0x11, 0x22, 0x33, 0x44, 0x55, 0x66, 0, 0};
    bench_open(&b, "armv7m-256k",
               HEAD "start: sub sp, #4\n movs r0, #0x11\n movs r1, #0x22\n movs r2, #0x33\n movs r3, #0x44\n "
                    "mov r12, #0x55\n mov lr, #0x66\n"
                    " cmp r0, r0\n svc #5\nback: b .\ncall: b .\ntick: b .\nhard: b .\npend: b .\nline2: b "
                    ".\nline3: b .\n");
    ck_assert_int_eq(oak_session_add_stop(b.session, "call", NULL, 1, &b.sink, NULL), OAK_OK);
    ck_assert_int_eq(bench_run(&b, 10000, 0).stop.reason, OAK_STOP_POINT);
    ck_assert_uint_eq(reg(&b.chip, SP), 0x20000800 - 4 - 4 - 32); /* aligned to 8 */
    ck_assert_uint_eq(reg(&b.chip, LR), 0xFFFFFFF9);
    ck_assert_int_eq(b.chip.ops->read_memory(b.chip.chip, MEM, reg(&b.chip, SP), frame, 32), OAK_OK);
    for (unsigned i = 0; i < 8; i++) {
        uint32_t word;
        memcpy(&word, frame + 4 * i, 4);
        if (i < 6) ck_assert_uint_eq(word, wanted[i]);
        else if (i == 6) ck_assert_uint_eq(word, (uint32_t)value_of(&b, "back")); /* behind the svc */
        else ck_assert_uint_eq(word, 0x61000200); /* Z, C, T, and that it was aligned */
    }
    bench_close(&b);
}
END_TEST

/* The main program runs unprivileged on the process stack, calls the supervisor, and comes back there. */
static void process_stack(const char *part)
{
    bench b;
    bench_open(&b, part,
               HEAD "start: ldr r0, =0x20000600\n msr psp, r0\n movs r0, #2\n msr control, r0\n isb\n movs "
                    "r0, #7\n push {r0}\n"
                    " svc #1\n pop {r1}\n mrs r2, control\n mrs r3, psp\n b .\n"
                    "call: mrs r4, psp\n mrs r5, msp\n mrs r6, ipsr\n mov r7, lr\n bx lr\n"
                    "tick: b .\nhard: b .\npend: b .\nline2: b .\nline3: b .\n");
    ck_assert_int_eq(bench_run(&b, 10000, 0).stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "r1"), 7);
    ck_assert_int_eq(value_of(&b, "r2"), 2);
    ck_assert_int_eq(value_of(&b, "r3"), 0x20000600);
    ck_assert_int_eq(value_of(&b, "r5"), 0x20000800);
    ck_assert_int_eq(value_of(&b, "r6"), 11);
    ck_assert_int_eq(value_of(&b, "r7"), 0xFFFFFFFD);
    ck_assert_int_eq(value_of(&b, "r4"), 0x20000600 - 4 - 4 - 32); /* the frame, aligned */
    bench_close(&b);
}

START_TEST(a_supervisor_call_from_the_process_stack_returns_to_it)
{
    both_parts(process_stack);
}
END_TEST

START_TEST(a_fault_in_a_handler_is_taken_as_hard_fault_and_one_in_that_locks_up)
{
    bench b;
    bench_open(
        &b, "armv7m-256k",
        HEAD
        "start: svc #0\n b .\ncall: ldr r0, =0x60000000\n ldr r1, [r0]\n b .\n"
        "hard: ldr r0, =SCB_HFSR\n ldr r2, [r0]\n ldr r0, =SCB_BFAR\n ldr r3, [r0]\n ldr r0, =0x70000000\n"
        "worse: ldr r1, [r0]\n b .\ntick: b .\npend: b .\nline2: b .\nline3: b .\n");
    oak_event event = bench_run(&b, 10000, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_FAULT);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_LOCKUP);
    ck_assert_int_eq(event.stop.pc, value_of(&b, "worse"));
    ck_assert_int_eq(value_of(&b, "r2"), 1 << 30); /* forced */
    ck_assert_int_eq(value_of(&b, "r3"), 0x60000000);
    bench_close(&b);
}
END_TEST

START_TEST(the_configurable_faults_have_handlers_of_their_own_when_enabled)
{
    bench b;
    bench_open(&b, "armv7m-256k",
               " vector stack, 0x20000800\n vector reset, start\n vector bus_fault, bus\n vector "
               "usage_fault, usage\n org 0x200\n"
               "start: ldr r0, =SCB_SHCSR\n ldr r1, =0x70000\n str r1, [r0]\n ldr r0, =SCB_CCR\n ldr r1, "
               "=0x218\n str r1, [r0]\n"
               " movs r7, #0\n movs r1, #0\n udiv r2, r1, r1\n ldr r0, =0x20000001\n ldr r2, [r0]\n ldr r0, "
               "=0x50000000\n ldr r2, [r0]\n"
               " movs r0, #0\n str r0, [r0]\n udf #0\n b .\n"
               "bus: adds r7, #1\nskip: mrs r0, msp\n ldr r1, [r0, #24]\n ldrb r2, [r1, #1]\n cmp r2, "
               "#0xe8\n ite hs\n addhs r1, #4\n addlo r1, #2\n"
               " str r1, [r0, #24]\n ldr r0, =SCB_CFSR\n ldr r1, [r0]\n orrs r6, r1\n bx lr\n"
               "usage: adds r7, #16\n b skip\n");
    oak_event event = bench_run(&b, 100000, 0);
    if (event.stop.reason != OAK_STOP_PARKED)
        printf("%s at 0x%x\n", oak_fault_word(event.stop.fault), (unsigned)event.stop.pc);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "r7"), 3 * 16 + 2); /* divide, unaligned, undefined; absent, read-only */
    ck_assert_int_eq(value_of(&b, "r6"), 1 << 25 | 1 << 24 | 1 << 16 | 1 << 15 | 1 << 9);
    bench_close(&b);
}
END_TEST

START_TEST(masks_hold_exceptions_back)
{
    bench b;
    bench_open(&b, "armv7m-256k",
               HEAD "start: movs r7, #0\n ldr r0, =NVIC_IPR0\n ldr r1, =0x80400000\n str r1, [r0]\n ldr r0, "
                    "=NVIC_ISER\n movs r1, #12\n str r1, [r0]\n"
                    " movs r1, #0x60\n msr basepri, r1\n ldr r0, =NVIC_ISPR\n movs r1, #12\n str r1, [r0]\n "
                    "nop\n mov r4, r7\n"                                  /* 2 yes, 3 no */
                    " movs r1, #0\n msr basepri, r1\n nop\n mov r5, r7\n" /* now 3 */
                    " cpsid f\n movs r1, #4\n str r1, [r0]\n nop\n mov r6, r7\n cpsie f\n nop\n b .\n"
                    "line2: adds r7, #1\n bx lr\nline3: adds r7, #16\n bx lr\ntick: b .\nhard: b .\ncall: b "
                    ".\npend: b .\n");
    ck_assert_int_eq(bench_run(&b, 100000, 0).stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "r4"), 1);
    ck_assert_int_eq(value_of(&b, "r5"), 17);
    ck_assert_int_eq(value_of(&b, "r6"), 17);
    ck_assert_int_eq(value_of(&b, "r7"), 18);
    bench_close(&b);
}
END_TEST

/* Interrupted between any two instructions of an it block, it must go on as if nothing had been. */
START_TEST(an_it_block_survives_an_interrupt_at_every_instruction)
{
    for (unsigned delay = 1; delay < 60; delay++) {
        char source[1000];
        bench b;
        snprintf(source, sizeof source,
                 HEAD "start: ldr r0, =SYST_RVR\n movs r1, #%u\n str r1, [r0]\n movs r1, #0\n str r1, [r0, "
                      "#4]\n ldr r0, =SYST_CSR\n movs r1, #7\n"
                      " movs r2, #0\n movs r3, #5\n str r1, [r0]\n cmp r3, #5\n itete eq\n addeq r2, #1\n "
                      "addne r2, #16\n addeq r2, #2\n addne r2, #32\n"
                      " itt ne\n movne r2, #99\n movne r2, #98\n adds r2, #64\n cpsid i\n b .\n"
                      "tick: movs r1, #1\n cmp r1, #9\n ldr r1, =SYST_CSR\n movs r3, #0\n str r3, [r1]\n "
                      "movs r3, #5\n bx lr\n"
                      "hard: b .\ncall: b .\npend: b .\nline2: b .\nline3: b .\n",
                 delay);
        bench_open(&b, "armv7m-256k", source);
        ck_assert_int_eq(bench_run(&b, 100000, 0).stop.reason, OAK_STOP_PARKED);
        ck_assert_int_eq(value_of(&b, "r2"), 67);
        bench_close(&b);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ memory and sleep */

START_TEST(a_bit_of_the_ram_and_of_a_device_is_a_word_of_its_own)
{
    bench b;
    bench_open(&b, "armv7m-256k",
               HEAD "start: ldr r0, =0x20000010\n movs r1, #0xf0\n str r1, [r0]\n ldr r2, =0x22000000 + 0x10 "
                    "* 32 + 5 * 4\n ldr r3, [r2]\n"
                    " movs r4, #0\n str r4, [r2]\n ldr r5, [r0]\n ldr r6, =0x42000000 + (P0_DIR & 0xfffff) * "
                    "32 + 3 * 4\n movs r1, #1\n str r1, [r6]\n b .\n" TAIL);
    ck_assert_int_eq(bench_run(&b, 10000, 0).stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "r3"), 1);
    ck_assert_int_eq(value_of(&b, "r5"), 0xD0);
    ck_assert_int_eq(value_of(&b, "P0_DIR"), 8);
    bench_close(&b);
}
END_TEST

START_TEST(sleep_skips_time_instead_of_burning_instructions)
{
    bench b;
    bench_open(&b, "armv6m-32k",
               HEAD "start: ldr r0, =SYST_RVR\n ldr r1, =0xffffff\n str r1, [r0]\n movs r1, #7\n ldr r0, "
                    "=SYST_CSR\n str r1, [r0]\nsleep: wfi\n b sleep\n"
                    "tick: bx lr\nhard: b .\ncall: b .\npend: b .\nline2: b .\nline3: b .\n");
    bench_run(&b, 0x1000000ull * 100, 0);
    oak_chip_time time;
    b.chip.ops->read_time(b.chip.chip, &time);
    ck_assert_uint_lt(time.instructions, 100 * 4 + 20);
    ck_assert_uint_ge(time.cycles, 0x1000000ull * 100);
    bench_close(&b);
}
END_TEST

START_TEST(code_in_ram_that_rewrites_itself_runs_as_written)
{
    bench b;
    bench_open(&b, "armv7m-256k",
               HEAD "start: ldr r0, =code\n ldr r1, =0x20000400\n movs r2, #code_end - code\n"
                    "copy: subs r2, #1\n ldrb r3, [r0, r2]\n strb r3, [r1, r2]\n bne copy\n ldr r6, "
                    "=0x20000401\n movs r7, #0\n bx r6\n"
                    "code: movs r5, #10\n" /* in RAM: adds r7, #n, where n is rewritten each round */
                    "again: adds r7, #1\n ldr r0, =0x20000400 + again - code\n ldrb r1, [r0]\n adds r1, #1\n "
                    "strb r1, [r0]\n subs r5, #1\n bne again\n b .\n pool\n"
                    "code_end: nop\n" TAIL);
    oak_event event = bench_run(&b, 10000, 0);
    if (event.stop.reason != OAK_STOP_PARKED)
        printf("%s at 0x%x\n", oak_fault_word(event.stop.fault), (unsigned)event.stop.pc);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
    ck_assert_int_eq(value_of(&b, "r7"), 1 + 2 + 3 + 4 + 5 + 6 + 7 + 8 + 9 + 10);
    bench_close(&b);
}
END_TEST

/* Words that several kinds of stores lay over what comes next, decoded by then: they run as they are. */
START_TEST(stores_of_every_size_may_overwrite_what_comes_next)
{
    static const char *const stores[] = {/* with movs before it a multiple of four bytes */
                                         "strb r2, [r1]",
                                         "strh r2, [r1]",
                                         "str r2, [r1]",
                                         "nop; str.w r2, [r1, #0]",
                                         "stm r1!, {r2}",
                                         "stm r1!, {r2, r3}",
                                         "nop; strd r2, r3, [r1]",
                                         "nop; stmdb r4, {r2, r3}",
                                         "stm r1!, {r2, r3, r5, r6}",
                                         "nop; strb.w r2, [r1, #0]",
                                         "nop; strh r2, [r1], #2",
                                         "nop; mov sp, r4; push {r2, r3}",
                                         "mov sp, r4; push.w {r2, r3}",
                                         "str r2, [r1, r0]",
                                         "nop; str.w r2, [r1, r0, lsl #2]"};
    for (unsigned i = 0; i < sizeof stores / sizeof *stores; i++) {
        char source[900], store[60];
        bench b;
        snprintf(store, sizeof store, "%s", stores[i]);
        for (char *at = store; (at = strchr(at, ';'));) *at = '\n';
        /* twice: adds r7, #1 is decoded and run in the first round, and is adds r7, #16 in the second */
        snprintf(source, sizeof source,
                 HEAD
                 "start: ldr r0, =code\n ldr r1, =0x20000400\n movs r2, #code_end - code\n"
                 "copy: subs r2, #1\n ldrb r3, [r0, r2]\n strb r3, [r1, r2]\n bne copy\n ldr r6, "
                 "=0x20000401\n bx r6\n"
                 " align 4\ncode: movs r7, #0\n movs r0, #0\n b patched\n align 4\nagain: movs r7, #0\n %s\n"
                 "patched: adds r7, #1\n nop\n nop\n nop\n nop\n nop\n nop\n nop\n cmp r7, #1\n bne done\n"
                 " ldr r1, =0x20000400 + patched - code\n mov r4, r1\n adds r4, #8\n ldr r2, =0xbf003710\n"
                 " ldr r3, =0xbf00bf00\n mov r5, r3\n mov r6, r3\n b again\ndone: b .\n pool\n"
                 "code_end: nop\n" TAIL,
                 store);
        bench_open(&b, "armv7m-256k", source);
        oak_event event = bench_run(&b, 10000, 0);
        ck_assert_msg(event.stop.reason == OAK_STOP_PARKED && value_of(&b, "r7") == 16,
                      "%s: %s at 0x%x, r7 is %lld", stores[i], oak_stop_word(event.stop.reason),
                      (unsigned)event.stop.pc, value_of(&b, "r7"));
        bench_close(&b);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ faults */

static void expect_fault(const char *part, const char *code, oak_fault fault, const char *at, bool checks)
{
    char source[700];
    bench b;
    snprintf(source, sizeof source,
             " vector stack, 0x20000800\n vector reset, start\n org 0x200\nstart: movs r0, #0\n%s\n b .\n",
             code);
    bench_open(&b, part, source);
    if (checks) ck_assert_int_eq(oak_machine_check_reads(b.machine, true), OAK_OK);
    uint32_t address, size;
    for (size_t next = 0; oak_program_next_data(b.program, &next, &address, &size) == OAK_OK;)
        oak_machine_mark_data(b.machine, address, size);
    oak_event event = bench_run(&b, 100000, 0);
    if (event.stop.reason != OAK_STOP_FAULT || event.stop.fault != fault)
        ck_abort_msg("%s: %s is %s %s", part, code, oak_stop_word(event.stop.reason),
                     oak_fault_word(event.stop.fault));
    ck_assert_int_eq(event.stop.pc, value_of(&b, at));
    char sentence[300];
    oak_fault_sentence(b.session, &event.stop, sentence, sizeof sentence);
    ck_assert_uint_gt(strlen(sentence), 20);
    bench_close(&b);
}

START_TEST(what_a_chip_would_suffer_silently_is_reported_where_it_happens)
{
    static const char *const parts[] = {"armv6m-32k", "armv7m-256k"};
    for (unsigned i = 0; i < 2; i++) {
        const char *part = parts[i];
        expect_fault(part, " ldr r0, =start\nx: bx r0", OAK_FAULT_EVEN_JUMP, "x", false);
        expect_fault(part, " nop\nx: dd 0x12345678", OAK_FAULT_DATA_RUN, "x", false);
        expect_fault(part, " ldr r0, =0x20000008\n mov sp, r0\n push {r0, r1}\nx: push {r0}",
                     OAK_FAULT_STACK_OVERFLOW, "x", false);
        expect_fault(part, " ldr r0, =0x20000100\nx: ldr r1, [r0]", OAK_FAULT_UNWRITTEN, "x", true);
        expect_fault(
            part,
            " ldr r0, =0x20000100\n movs r1, #7\n strb r1, [r0, #3]\n ldr r1, [r0]\n ldrh r1, [r0, #2]\n"
            "x: ldrh r1, [r0]",
            OAK_FAULT_UNWRITTEN, "x", true); /* a word of which some was written is none */
        expect_fault(
            part, " ldr r0, =0x20000100\n movs r1, #7\n str r1, [r0]\n ldm r0!, {r1}\nx: ldm r0!, {r1, r2}",
            OAK_FAULT_UNWRITTEN, "x", true);
        expect_fault(part, " movs r0, #4\nx: str r0, [r0]", OAK_FAULT_READ_ONLY, "x", false);
        expect_fault(part, " ldr r0, =0x50000000\nx: ldr r1, [r0]", OAK_FAULT_ABSENT, "x", false);
        expect_fault(part, "x: bkpt #1", OAK_FAULT_BREAKPOINT, "x", false);
        expect_fault(part, "x: udf #1", OAK_FAULT_RESERVED, "x", false);
        expect_fault(part, " svc #1\nx: nop", OAK_FAULT_NO_HANDLER, "x", false);
        expect_fault(part, " ldr r0, =0x20000001\nx: ldm r0!, {r1, r2}", OAK_FAULT_UNALIGNED, "x", false);
        expect_fault(part, " ldr r0, =0x1001\nx: bx r0", OAK_FAULT_UNPROGRAMMED, "0x1000", false);
    }
    expect_fault("armv6m-32k", " ldr r0, =0x20000002\nx: ldr r1, [r0]", OAK_FAULT_UNALIGNED, "x", false);
}
END_TEST

START_TEST(stop_points_inside_fused_and_conditional_code_are_met)
{
    bench b;
    bench_open(&b, "armv7m-256k",
               HEAD "start: movs r0, #0\nloop: adds r0, #1\nmid: cmp r0, #3\ntest: bne loop\n it eq\ncond: "
                    "moveq r1, #7\n b .\n" TAIL);
    ck_assert_int_eq(bench_run(&b, 0, 4).stop.reason, OAK_STOP_STEPS); /* decoded and fused by now */
    static const char *const places[] = {"mid", "test", "cond"};
    for (unsigned i = 0; i < 3; i++)
        ck_assert_int_eq(oak_session_add_stop(b.session, places[i], NULL, 1, &b.sink, NULL), OAK_OK);
    unsigned hits[3] = {0};
    for (unsigned i = 0; i < 20; i++) {
        oak_event event = bench_run(&b, 10000, 0);
        if (event.stop.reason != OAK_STOP_POINT) break;
        hits[event.stop_point]++;
        /* At the jump the flags are those of the comparison, in the loop's usual state. */
        if (event.stop_point == 1) ck_assert_int_eq(value_of(&b, "z"), value_of(&b, "r0") == 3);
    }
    ck_assert_uint_eq(hits[0], 2);
    ck_assert_uint_eq(hits[1], 2);
    ck_assert_uint_eq(hits[2], 1);
    ck_assert_int_eq(value_of(&b, "r1"), 7);
    bench_close(&b);
}
END_TEST

/* Random programs under a running SysTick: whole blocks, with all that is fused and left out in them, must end where single
 * steps end, to the cycle and the byte. */
static void random_program(rig *r, bool v7, uint64_t *seed, uint8_t *flash, size_t room)
{
    static const char *const avoided[] = {"wfi", "wfe", "bkpt", "udf", "cpsid", "msr"};
    memset(flash, 0, room);
    for (size_t at = START; at + 4 <= room;) {
        unsigned row = random32(seed) % arm_row_count, size;
        uint32_t word;
        bool skip = arm_rows[row].v7 && !v7;
        for (size_t i = 0; i < sizeof avoided / sizeof *avoided; i++)
            skip = skip || strcmp(arm_rows[row].mnemonic, avoided[i]) == 0;
        /* Much of what is fused: comparisons and short jumps. */
        if (random32(seed) % 3 == 0) {
            static const uint16_t often[] = {0x2800, 0x4280, 0x3001, 0x3801, 0x1C40,
                                             0x1840, 0xD000, 0xD100, 0xD300, 0xDB00};
            uint16_t code = often[random32(seed) % 10];
            code = (uint16_t)(code >= 0xD000 ? code | (random32(seed) % 12) : code | (random32(seed) & 0x3F));
            flash[at] = (uint8_t)code, flash[at + 1] = (uint8_t)(code >> 8);
            at += 2;
            continue;
        }
        if (skip) continue;
        size = arm_sample(row, seed, &word);
        uint16_t first = (uint16_t)(size == 4 ? word >> 16 : word);
        flash[at] = (uint8_t)first, flash[at + 1] = (uint8_t)(first >> 8);
        if (size == 4) flash[at + 2] = (uint8_t)word, flash[at + 3] = (uint8_t)(word >> 8);
        at += size;
    }
    /* The vectors: every exception leads to code that counts it and comes back. */
    static const uint16_t handler[] = {0x3401, 0x4770};
    memcpy(flash + 0x1C0, handler, 4);
    for (unsigned i = 0; i < 48; i++) flash[4 * i] = 0xC1, flash[4 * i + 1] = 0x01;
    static const uint8_t stack[] = {0x00, 0x0C, 0x00, 0x20}, reset[] = {0x01, 0x02, 0, 0};
    memcpy(flash, stack, 4);
    memcpy(flash + 4, reset, 4);
    (void)r;
}

static void start_random(rig *r, const uint8_t *flash, size_t size, uint64_t seed)
{
    const oak_chip_port *chip = &r->chip;
    reference_arm state;
    uint8_t word[4] = {57, 0, 0, 0};
    random_state(&state, &seed);
    ck_assert_int_eq(chip->ops->reset(chip->chip), OAK_OK);
    put(chip, 0, flash, size);
    for (unsigned i = 0; i < 13; i++) chip->ops->write_register(chip->chip, i, state.r[i]);
    chip->ops->write_register(chip->chip, PC, START);
    chip->ops->write_register(chip->chip, SP, 0x20000C00);
    put(chip, 0xE000E014, word, 4); /* a tick every 58 cycles */
    word[0] = 7;
    put(chip, 0xE000E010, word, 4);
}

enum { PROGRAM = 0x800 };

/* Runs a program for so many instructions both ways; true when all ends alike. */
static bool runs_alike(rig *r, const uint8_t *flash, uint64_t state, uint64_t steps, bool say,
                       uint64_t *executed)
{
    static uint8_t ram[2][REFERENCE_RAM_SIZE];
    oak_stop stop[2] = {{0}, {0}};
    oak_chip_time time[2];
    for (unsigned i = 0; i < 2; i++) start_random(&r[i], flash, PROGRAM, state);
    ck_assert_int_eq(r[0].chip.ops->run(r[0].chip.chip, UINT64_MAX, steps, &stop[0]), OAK_OK);
    do {
        r[1].chip.ops->read_time(r[1].chip.chip, &time[1]);
        ck_assert_int_eq(r[1].chip.ops->run(r[1].chip.chip, UINT64_MAX, time[1].instructions + 1, &stop[1]),
                         OAK_OK);
        r[1].chip.ops->read_time(r[1].chip.chip, &time[1]);
    } while (stop[1].reason == OAK_STOP_STEPS && time[1].instructions < steps);
    r[0].chip.ops->read_time(r[0].chip.chip, &time[0]);
    bool same = stop[0].reason == stop[1].reason && stop[0].pc == stop[1].pc &&
                stop[0].fault == stop[1].fault && time[0].cycles == time[1].cycles &&
                time[0].instructions == time[1].instructions;
    for (unsigned i = 0; i <= CONTROL; i++) same = same && reg(&r[0].chip, i) == reg(&r[1].chip, i);
    for (unsigned i = 0; i < 2; i++)
        r[i].chip.ops->read_memory(r[i].chip.chip, MEM, RAM, ram[i], sizeof ram[i]);
    same = same && !memcmp(ram[0], ram[1], sizeof ram[0]);
    *executed = time[0].instructions;
    for (unsigned i = 0; i < 2 && say; i++)
        printf("  %s: %s %s at 0x%x, %llu cycles, %llu instructions, xpsr %08x\n",
               i ? "single steps" : "whole blocks", oak_stop_word(stop[i].reason),
               oak_fault_word(stop[i].fault), (unsigned)stop[i].pc, (unsigned long long)time[i].cycles,
               (unsigned long long)time[i].instructions, (unsigned)reg(&r[i].chip, XPSR));
    return same;
}

static void whole_and_single(const char *part, bool v7, unsigned programs)
{
    enum { STEPS = 1500 };
    static uint8_t flash[PROGRAM];
    rig r[2];
    uint64_t seed = 31337, longest = 0, executed;
    for (unsigned i = 0; i < 2; i++) rig_open(&r[i], part);
    for (unsigned program = 0; program < programs; program++) {
        random_program(&r[0], v7, &seed, flash, PROGRAM);
        uint64_t state = random32(&seed), low = 0, high = STEPS;
        if (!runs_alike(r, flash, state, STEPS, false, &executed)) {
            while (high - low > 1) { /* the first instruction after which they differ */
                uint64_t middle = low + (high - low) / 2;
                if (runs_alike(r, flash, state, middle, false, &executed)) low = middle;
                else high = middle;
            }
            printf("%s program %u:\n", part, program);
            runs_alike(r, flash, state, low, true, &executed);

            runs_alike(r, flash, state, high, true, &executed);
            ck_abort_msg("whole blocks end elsewhere than single steps");
        }
        if (executed > longest) longest = executed;
    }
    ck_assert_uint_ge(longest, 200); /* some have run for a while */
    for (unsigned i = 0; i < 2; i++) rig_close(&r[i]);
}

START_TEST(whole_blocks_end_where_single_steps_end)
{
    whole_and_single("armv6m-32k", false, 500 / STRIDE);
    whole_and_single("armv7m-256k", true, 1500 / STRIDE);
}
END_TEST

/* wfe sleeps unless an event has happened, which sev and every exception are. */
START_TEST(an_event_keeps_wfe_from_sleeping_once)
{
    bench b;
    bench_open(&b, "armv7m-256k", HEAD "start: sev\n wfe\n movs r7, #1\n wfe\n movs r7, #2\n b .\n" TAIL);
    oak_event event = bench_run(&b, 100000, 0);
    ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED); /* asleep for good */
    ck_assert_int_eq(value_of(&b, "r7"), 1);
    bench_close(&b);
}
END_TEST

/* A mistake in the main program or in the handler of svc: the exception it is taken as, what the frame and CFSR hold. The
 * handlers keep the frame's pc in r4 and its xpsr in r5, CFSR in r6, their own number in r7, SHCSR in r8, lr in r9. */
#define KEEP                                                                                                 \
    " mrs r0, msp\n ldr r4, [r0, #24]\n ldr r5, [r0, #28]\n mrs r7, ipsr\n mov r9, lr\n"                     \
    " ldr r0, =0xe000ed28\n ldr r6, [r0]\n ldr r0, =0xe000ed24\n ldr r0, [r0]\n mov r8, r0\n b .\n"
typedef struct mistake {
    const char *main, *call; /* what `start` and the handler of svc do; `there` stands behind start */
    const char *place;       /* that the frame holds */
    bool thumb;
    unsigned exception; /* with its own handler enabled */
    uint32_t status;
} mistake;
static const mistake mistakes[] = {
    {" ldr r0, =there\n bx r0\n", "", "there", false, 6, 1u << 17},
    {" ldr r0, =there\n blx r0\n", "", "there", false, 6, 1u << 17},
    {" ldr r0, =there\n push {r0}\n pop {pc}\n", "", "there", false, 6, 1u << 17},
    {" svc #1\n",
     " mrs r0, msp\n ldr r1, [r0, #28]\n ldr r2, =0x1000000\n bics r1, r2\n str r1, [r0, #28]\n bx lr\n",
     "there", false, 6, 1u << 17},
    {" ldr r0, =0x40000101\n bx r0\n", "", "0x40000100", true, 4, 1u << 0},
    {" ldr r0, =0xa0000001\n bx r0\n", "", "0xa0000000", true, 4, 1u << 0},
    {" ldr r0, =0xfffffff9\n bx r0\n", "", "0xfffffff8", true, 4,
     1u << 0}, /* no exception is active: a place as any */
    {" ldr r0, =0x60000001\n bx r0\n", "", "0x60000000", true, 5, 1u << 8},
    {" svc #1\n", " ldr r0, =0xfffffff5\n bx r0\n", "there", true, 6, 1u << 18},
    {" svc #1\n", " ldr r0, =0xfffffff1\n bx r0\n", "there", true, 6, 1u << 18},
    {"at: dw 0xee10, 0x0a10\n", "", "at", true, 6, 1u << 19},
    {"at: dw 0xec51, 0x0b10\n", "", "at", true, 6, 1u << 19},
    {"at: dw 0xee80, 0x1a00\n", "", "at", true, 6, 1u << 19},
    {"at: dw 0xffff, 0xffff\n", "", "at", true, 6, 1u << 16},
    {"at: dw 0xde00\n", "", "at", true, 6, 1u << 16},
};

static void make_mistake(const mistake *m, bool v7, bool enabled)
{
    static char source[3000];
    bench b;
    snprintf(
        source, sizeof source,
        " vector stack, 0x20000800\n vector reset, start\n vector hard_fault, hard\n vector svcall, call\n%s"
        " org 0x200\nstart:%s\n%sthere: movs r1, #1\n b .\ncall:\n%s b .\nhard:" KEEP "fetch: " KEEP
        "usage: " KEEP,
        v7 ? " vector mem_manage, fetch\n vector bus_fault, fetch\n vector usage_fault, usage\n" : "",
        enabled ? " ldr r0, =0xe000ed24\n ldr r1, =0x70000\n str r1, [r0]\n ldr r0, =0xe000ed1c\n ldr r1, "
                  "=0xe0000000\n str r1, [r0]\n"
                : "",
        m->main, m->call);
    bench_open(&b, v7 ? "armv7m-256k" : "armv6m-32k", source);
    oak_event event = bench_run(&b, 10000, 0);
    bool inside = m->call[0] && m->thumb; /* the handler was left: it is not active any more */
    ck_assert_msg(event.stop.reason == OAK_STOP_FAULT && event.stop.fault_taken, "%s: %s", m->main,
                  oak_fault_word(event.stop.fault));
    ck_assert_msg(value_of(&b, "r4") == value_of(&b, m->place), "%s%s: frame at 0x%llx", m->main, m->call,
                  value_of(&b, "r4"));
    ck_assert_msg((value_of(&b, "r5") >> 24 & 1) == m->thumb, "%s%s", m->main, m->call);
    ck_assert_msg(value_of(&b, "r7") == (enabled ? m->exception : 3), "%s%s: exception %lld", m->main,
                  m->call, value_of(&b, "r7"));
    if (v7)
        ck_assert_msg(value_of(&b, "r6") == (long long)m->status, "%s%s: 0x%llx", m->main, m->call,
                      value_of(&b, "r6"));
    if (inside) ck_assert_int_eq(value_of(&b, "r8") >> 7 & 1, 0);
    if (inside) ck_assert_int_eq(value_of(&b, "r9") >> 4, 0xfffffff);
    bench_close(&b);
}

START_TEST(mistakes_are_taken_as_the_exceptions_of_the_manual)
{
    for (size_t i = 0; i < sizeof mistakes / sizeof *mistakes; i++) {
        make_mistake(&mistakes[i], true, false);
        make_mistake(&mistakes[i], true, true);
        make_mistake(&mistakes[i], false, false);
    }
}
END_TEST

START_TEST(a_vector_without_bit_0_is_a_fault_at_its_handler)
{
    bench b;
    bench_open(&b, "armv7m-256k",
               " vector stack, 0x20000800\n vector reset, start\n vector hard_fault, hard\n org 0x38\n dd "
               "pend\n org 0x200\n"
               "start: ldr r0, =SCB_ICSR\n ldr r1, =0x10000000\n str r1, [r0]\n b .\n align 4\npend: b "
               ".\nhard:" KEEP);
    oak_event event = bench_run(&b, 10000, 0);
    ck_assert(event.stop.fault_taken);
    ck_assert_int_eq(value_of(&b, "r4"), value_of(&b, "pend"));
    ck_assert_int_eq(value_of(&b, "r5") & 0x10001ff, 14);
    ck_assert_int_eq(value_of(&b, "r6"), 1 << 17);
    bench_close(&b);
    bench_open(&b, "armv6m-32k", " dd 0x20000800, start\n org 0x100\nstart: b .\n");
    event = bench_run(&b, 1000, 0); /* nobody handles it */
    ck_assert_int_eq(event.stop.reason, OAK_STOP_FAULT);
    ck_assert_int_eq(event.stop.fault, OAK_FAULT_EVEN_JUMP);
    ck_assert_int_eq(event.stop.pc, value_of(&b, "start"));
    bench_close(&b);
}
END_TEST

/* What wakes from wfe and wfi (B1.5.17, B1.5.18), with PRIMASK set: `control` is SCR. */
static long long woken(const char *part, const char *sleep, unsigned control)
{
    char source[900];
    bench b;
    snprintf(
        source, sizeof source,
        HEAD
        "start: cpsid i\n ldr r0, =0xe000ed10\n movs r1, #%u\n str r1, [r0]\n ldr r0, =0xe000e010\n ldr r1, "
        "=500\n str r1, [r0, #4]\n movs r1, #7\n str r1, [r0]\n movs r7, #1\n %s\n movs r7, #2\n %s\n movs "
        "r7, #3\n "
        "b .\ntick: movs r7, #9\n b .\nhard: b .\ncall: b .\npend: b .\nline2: b .\nline3: b .\n",
        control, sleep, sleep);
    bench_open(&b, part, source);
    bench_run(&b, 20000, 0);
    long long value = value_of(&b, "r7");
    bench_close(&b);
    return value;
}

START_TEST(what_is_masked_wakes_wfi_and_wfe_only_by_sevonpend)
{
    static const char *const parts[] = {"armv6m-32k", "armv7m-256k"};
    for (unsigned i = 0; i < 2; i++) {
        ck_assert_int_eq(woken(parts[i], "wfi", 0), 3); /* it stays pending */
        ck_assert_int_eq(woken(parts[i], "wfe", 0), 1);
        ck_assert_int_eq(woken(parts[i], "wfe", 1 << 4), 2); /* becomes pending once */
    }
}
END_TEST

RUN_SUITE("armm", mistakes_are_taken_as_the_exceptions_of_the_manual,
          a_vector_without_bit_0_is_a_fault_at_its_handler,
          what_is_masked_wakes_wfi_and_wfe_only_by_sevonpend,
          every_halfword_is_an_instruction_that_encodes_back_or_is_refused,
          a_sample_of_wide_codes_encodes_back_or_is_refused, every_row_of_armv6m_does_what_the_reference_does,
          every_row_of_armv7m_does_what_the_reference_does, modified_immediates_are_right_both_ways,
          instructions_take_the_cycles_of_the_manual, systick_has_its_period_to_the_cycle,
          a_more_urgent_exception_interrupts_a_handler_and_a_less_urgent_one_follows_it,
          entering_chaining_and_leaving_take_their_cycles, the_frame_holds_what_the_manual_says,
          a_supervisor_call_from_the_process_stack_returns_to_it,
          a_fault_in_a_handler_is_taken_as_hard_fault_and_one_in_that_locks_up,
          the_configurable_faults_have_handlers_of_their_own_when_enabled, masks_hold_exceptions_back,
          an_it_block_survives_an_interrupt_at_every_instruction,
          a_bit_of_the_ram_and_of_a_device_is_a_word_of_its_own,
          sleep_skips_time_instead_of_burning_instructions, code_in_ram_that_rewrites_itself_runs_as_written,
          stores_of_every_size_may_overwrite_what_comes_next,
          what_a_chip_would_suffer_silently_is_reported_where_it_happens,
          stop_points_inside_fused_and_conditional_code_are_met, whole_blocks_end_where_single_steps_end,
          an_event_keeps_wfe_from_sleeping_once)
