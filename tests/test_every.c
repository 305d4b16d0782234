/* What holds for every architecture, written once and run over all that stand, the made-up one included: code that is read back
 * assembles to the same bytes; going back, watches, conditions, the tally and the state agree with what single steps see; a chip does
 * not run memory that was never programmed in silence. */
#include "support.h"

#include <stdio.h>

#include <cjson/cJSON.h>

typedef struct subject {
    const char *part;
    const char *program;       /* counts in `work`, keeps it in a cell, goes to `rest` in the end */
    const char *cell, *counts; /* the cell, and a register that changes in every round */
    const char *hole;          /* jumps to where nothing was programmed */
} subject;

#define ARM(more)                                                                                            \
    " vector stack, 0x20001000\n vector reset, start\n org 0x100\n"                                          \
    "start: ldr r4, =0x20000010\n movs r2, #90\nround: bl work\n str r0, [r4]\n subs r2, r2, #1\n bne "      \
    "round\n"                                                                                                \
    "rest: b rest\nwork: adds r0, r0, #3\n push {r0, lr}\n movs r1, #2\nw: subs r1, r1, #1\n bne w\n" more   \
    " pop {r0, pc}\n"
#define ARM_HOLE                                                                                             \
    " vector stack, 0x20001000\n vector reset, start\n org 0x100\nstart: nop\n ldr r0, =0x4001\n bx r0\n"

static const subject subjects[] = {
    {"parts/mcs51-8k.yaml",
     " jmp start\n org 0x30\nstart: mov sp, #0x40\n mov r7, #60\nround: acall work\n mov 0x31, a\n djnz r7, "
     "round\n"
     "rest: sjmp rest\nwork: add a, #3\n push acc\n mov r6, #2\nw: djnz r6, w\n pop acc\n ret\n",
     "iram[0x31]", "r7", " jmp 0x1234\n"},
    {"parts/armv6m-32k.yaml", ARM(""), "mem[0x20000010:4]", "r2", ARM_HOLE},
    {"parts/armv7m-256k.yaml", ARM(" lsls r1, r0, #28\n ite mi\n addmi r3, r3, #1\n movpl r3, r0\n"),
     "mem[0x20000010:4]", "r2", ARM_HOLE},
#define Z80                                                                                                  \
    " jp start\n org 0x100\nstart: ld sp, 0x9000\n ld b, 60\nround: call work\n ld (0x8000), a\n djnz "      \
    "round\n"                                                                                                \
    "rest: jr rest\nwork: add a, 3\n push af\n ld ix, 0x8010\n ld (ix+2), a\n ld e, 2\nw: dec e\n jr nz, "   \
    "w\n pop af\n ret\n"
    {"parts/z80-32k.yaml", Z80, "mem[0x8000]", "b", " jp 0x1234\n"},
    {"parts/z80-64k.yaml", Z80, "mem[0x8000]", "b", " jp 0x1234\n"},
#define PICMID                                                                                               \
    " org 0x2007\n dw 0x3ffb\n org 0\n goto start\n org 0x10\nstart: movlw 60\n movwf 0x21\nround: call "    \
    "work\n movwf 0x20\n decfsz 0x21, f\n goto round\n"                                                      \
    "rest: goto rest\nwork: addlw 3\n movwf 0x22\n bsf STATUS, RP0\n movwf 0xa5\n bcf STATUS, RP0\n movlw "  \
    "0xa5\n movwf FSR\n incf INDF, f\n"                                                                      \
    " movlw 2\n movwf 0x23\nagain: decfsz 0x23, f\n goto again\n call leaf\n call leaf\n movf 0x22, w\n "    \
    "return\nleaf: return\n"
    {"parts/picmid-8k.yaml", PICMID, "file[0x20]", "w", " goto 0x700\n"},
    {"parts/picmid-2k.yaml", PICMID, "file[0x20]", "w", " goto 0x700\n"},
    {"parts/pic18-32k.yaml",
     " config CONFIG2H: WDTEN=off\n org 0\n goto start\n org 0x30\nstart: movlw 60\n movwf 0x21\nround: call "
     "work, fast\n "
     "movwf 0x20\n decfsz 0x21, f\n bra round\n"
     "rest: bra rest\nwork: addlw 3\n movwf 0x22\n movlb 2\n movwf 0x25, b\n movlb 0\n lfsr 0, 0x225\n incf "
     "INDF0, f\n"
     " movlw 2\n movwf 0x23\nagain: decfsz 0x23, f\n bra again\n rcall leaf\n rcall leaf\n movff 0x22, "
     "0x24\n movf 0x22, w\n "
     "return\nleaf: return\n",
     "data[0x20]", "w", " goto 0x7000\n"},
    {"parts/msp430-32k.yaml",
     " vector reset, start\n org 0x8000\nstart: mov #0x4000, sp\n mov #WDTPW|WDTHOLD, &WDTCTL\n mov #60, "
     "r5\nround: call #work\n "
     "mov r6, &0x2000\n dec r5\n jnz round\n"
     "rest: jmp rest\nwork: add #3, r6\n push r6\n mov #0x2010, r7\n mov.b r6, 2(r7)\n add.b @r7+, r8\n mov "
     "#2, r9\nw: dec r9\n jnz "
     "w\n xor r6, 0x2004\n pop r6\n ret\n",
     "mem[0x2000:2]", "r6", " vector reset, s\n org 0x8000\ns: mov #0x5a80, &0x120\n br #0x9000\n"},
    {"parts/cpu12-64k.yaml",
     " vector reset, start\n section p, flash\nstart: lds #0x4000\n movb #60, 0x1000\nround: jsr work\n staa "
     "0x1002\n dec 0x1000\n "
     "bne round\n"
     "rest: bra rest\nwork: adda #3\n psha\n ldx #0x1010\n ldab 1,x+\n addb 1,x-\n stab 0,x\n ldab #2\nw: "
     "dbne b, w\n tfr a, b\n exg d, "
     "x\n pula\n rts\n",
     "mem[0x1000]", "a", " vector reset, s\n section p, flash, at 0x4000\ns: jmp 0x6000\n"},
    {"parts/rv32-256k.yaml",
     " vector reset, start\n org 0x100\nstart: la sp, 0x20001000\n li s0, 60\n li s1, 0x20000010\nround: "
     "call "
     "work\n sw a0, 0(s1)\n addi s0, s0, -1\n bnez s0, round\nrest: j rest\n"
     "work: addi sp, sp, -16\n sw ra, 12(sp)\n sw a0, 8(sp)\n addi a0, a0, 3\n li t0, 2\nw: addi t0, t0, "
     "-1\n "
     "bnez t0, w\n mul a1, a0, a0\n lb a2, 8(sp)\n lw ra, 12(sp)\n addi sp, sp, 16\n ret\n",
     "mem[0x20000010:4]", "a0", " vector reset, s\n org 0x100\ns: li t0, 0x4000\n jr t0\n"},
    {"parts/a32-512k.yaml",
     " vector reset, start\n org 0x100\nstart: ldr sp, =0x20001000\n mov r4, #60\n ldr r5, "
     "=0x20000010\nround: bl work\n "
     "str r0, [r5]\n subs r4, r4, #1\n bne round\nrest: b rest\n"
     "work: push {r1, lr}\n add r0, r0, #3\n mov r1, #2\nw: subs r1, r1, #1\n bne w\n cmp r0, #100\n addhi "
     "r2, r2, r0, lsl #1\n "
     "strb r0, [sp, #-4]!\n ldrb r3, [sp], #4\n pop {r1, pc}\n",
     "mem[0x20000010:4]", "r0", " vector reset, s\n org 0x100\ns: mov r0, #0x4000\n bx r0\n"},
    {"parts/avr-32k.yaml",
     " vector reset, start\n section p, code\nstart: ldi r20, 60\nround: rcall work\n sts 0x100, r16\n dec "
     "r20\n brne round\n"
     "rest: rjmp rest\nwork: subi r16, -3\n push r16\n ldi xl, 0x10\n ldi xh, 1\n st x+, r16\n ld r17, -x\n "
     "ldi r24, 2\n ldi r25, 0\nw: sbiw r24, 1\n "
     "brne w\n add r18, r16\n adc r19, r25\n cpi r18, 9\n cpc r19, r25\n brlo s\n sbrc r16, 0\n lds r21, "
     "0x110\ns: pop r16\n ret\n",
     "data[0x100]", "r16", " vector reset, s\n section p, code\ns: jmp 0x1000\n"},
    {"parts/mcs4-4k.yaml",
     "start: fim p4, 0xd8\nround: jms work\n fim p1, 0x12\n src p1\n ld r6\n wrm\n wr1\n isz r9, round\n isz "
     "r8, round\nrest: jun rest\n"
     "work: ldm 3\n clc\n add r6\n daa\n xch r6\n fim p2, 0x20\n src p2\n ld r6\n wmp\n ldm 1\n dcl\n src "
     "p2\n adm\n wrm\n ldm 0\n dcl\n ldm 14\n xch r7\nw: isz r7, "
     "w\n rdm\n jcn nz, s9\n kbp\ns9: xch r5\n bbl 3\n",
     "ram[0x12]", "r6", " jun 0x234\n"},
    {"tests/made_up/knot.yaml",
     " jmp start\n org 0x10\nstart: lit #180\nround: gosub work\n xch w, w'\n stn 3\n xch w, w'\n b nz, "
     "round\nrest: jmp rest\n"
     "work: addl #0xfd\n xch w, w'\n addl #7\n stn 4\n bit 4\n b c, skip\n c.inc\nskip: xch w, w'\n ret\n",
     "nib[3]", "w", " jmp 0x234\n"},
};
#define EACH(one)                                                                                            \
    for (const subject *one = subjects; one < subjects + sizeof subjects / sizeof *subjects; one++)

static void put_on(bench *b, const subject *one, const char *source)
{
    char path[300];
    snprintf(path, sizeof path, SOURCE_FOLDER "/%s", one->part);
    bench_open_part(b, path, source);
}

/* The whole state but for why the last run ended; free it. */
static char *state_of(bench *b)
{
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    ck_assert_int_eq(oak_session_write_state(b->session, &sink), OAK_OK);
    cJSON *root = cJSON_Parse(t.bytes);
    cJSON *pc = cJSON_GetObjectItem(cJSON_GetObjectItem(root, "registers"), "pc");
    ck_assert_ptr_nonnull(pc);
    cJSON_DeleteItemFromObject(root, "stop");
    char *printed = cJSON_PrintUnformatted(root);
    cJSON_Delete(root);
    free(t.bytes);
    return printed;
}

/* Two states are one; else the line where they differ first. */
static void must_be_same(const char *part, const char *a, const char *b)
{
    const char *line = a;
    size_t at = 0;
    for (; a[at] && a[at] == b[at]; at++)
        if (a[at] == '\n') line = a + at + 1;
    if (a[at] != b[at]) ck_abort_msg("%s: `%.200s` is not `%.100s`", part, line, b + at);
}

static long long pc_of(bench *b)
{
    return value_of(b, "pc");
}

static bool rests(bench *b)
{
    oak_reading rest;
    ck_assert_int_eq(oak_session_value(b->session, "rest", &b->sink, &rest), OAK_OK);
    return pc_of(b) == rest.value;
}

/* ------------------------------------------------------------------------------------------ code */

/* Where the memory of code begins, of a part that has none at 0. */
static uint32_t code_base(const oak_part *part)
{
    unsigned space = part->architecture->code_space;
    if (oak_part_find_memory(part, space, 0)) return 0;
    for (unsigned i = 0; i < part->memory_count; i++)
        if (part->memories[i].space == space && !part->memories[i].writable) return part->memories[i].base;
    return 0;
}

/* The vector of the reset, where it holds an address, leads to one; false where it cannot. */
static bool put_reset(oak_program *program, uint32_t target)
{
    const oak_part *part = oak_program_part(program);
    const oak_architecture *about = part->architecture;
    for (unsigned i = 0; i < part->vector_count; i++) {
        if (strcmp(part->vectors[i].name, "reset")) continue;
        uint8_t bytes[4];
        for (unsigned n = 0; n < about->vector_bytes; n++)
            bytes[about->big_endian ? about->vector_bytes - 1 - n : n] =
                (uint8_t)((target | about->code_bit) >> 8 * n);
        return oak_image_write(oak_program_image(program), part->vectors[i].address, bytes,
                               about->vector_bytes) == OAK_OK;
    }
    return false;
}

/* Words of every kind, following one another in a chain of stretches that the reset leads into. */
START_TEST(any_code_that_is_read_back_assembles_to_the_same_bytes)
{
    EACH(one)
    {
        uint64_t seed = 77;
        char path[300];
        oak_host host = oak_linux_host();
        snprintf(path, sizeof path, SOURCE_FOLDER "/%s", one->part);
        collected diags;
        oak_diag_sink sink = collect(&diags);
        oak_part *part = NULL;
        ck_assert_int_eq(oak_part_load(&host, path, &sink, &part), OAK_OK);
        unsigned unit = oak_unit_bytes(part->architecture, part->architecture->code_space);
        const oak_part_memory *first =
            oak_part_find_memory(part, part->architecture->code_space, code_base(part));
        unsigned room = first->size - 404;
        unsigned unit_bits = part->architecture->spaces[part->architecture->code_space].unit_bits;
        for (unsigned round = 0; round < 60; round++) {
            oak_program *program;
            ck_assert_int_eq(oak_program_create(&host, part, &program), OAK_OK);
            for (unsigned piece = 0; piece < 1 + round % 4; piece++) {
                uint8_t bytes[400];
                size_t count = (1 + random32(&seed) % (sizeof bytes / 4)) * 4;
                for (size_t i = 0; i < count; i++)
                    bytes[i] =
                        (uint8_t)(random32(&seed) &
                                  (unit > 1 && i % unit == unit - 1 ? (1u << (unit_bits - 8)) - 1 : 0xFF));
                uint32_t at = piece ? random32(&seed) % (unit > 1      ? 1500
                                                         : room < 7000 ? room
                                                                       : 7000) &
                                          ~3u
                                    : 0;
                at += code_base(part);
                ck_assert_int_eq(oak_image_write(oak_program_image(program), at, bytes, count), OAK_OK);
            }
            if (part->architecture->vector_bytes) ck_assert(put_reset(program, code_base(part) + 8));
            ck_assert_int_eq(oak_program_finish(program), OAK_OK);
            must_come_back(program);
            oak_program_free(program);
        }
        bench b;
        put_on(&b, one, one->program);
        must_come_back(b.program);
        bench_close(&b);
        oak_part_free(part);
    }
}
END_TEST

START_TEST(code_that_was_never_programmed_does_not_run)
{
    EACH(one)
    {
        bench b;
        put_on(&b, one, one->hole);
        oak_event event = bench_run(&b, 1000, 0);
        ck_assert_msg(event.stop.reason == OAK_STOP_FAULT && event.stop.fault == OAK_FAULT_UNPROGRAMMED,
                      "%s: %s, %s", one->part, oak_stop_word(event.stop.reason),
                      oak_fault_word(event.stop.fault));
        ck_assert_uint_eq(event.stop.fault_address, (uint32_t)pc_of(&b));
        char sentence[300];
        oak_fault_sentence(b.session, &event.stop, sentence, sizeof sentence);
        ck_assert_ptr_nonnull(strstr(sentence, "never programmed"));
        bench_close(&b);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ time */

START_TEST(steps_pieces_and_one_run_end_alike)
{
    EACH(one)
    {
        char *end[3];
        for (unsigned way = 0; way < 3; way++) {
            uint64_t seed = 3;
            bench b;
            put_on(&b, one, one->program);
            oak_event event = {0};
            for (unsigned i = 0; event.stop.reason != OAK_STOP_PARKED && i < 10000; i++)
                event = bench_run(&b, way == 1 ? 1 + random32(&seed) % 30 : 0, way == 2);
            ck_assert_int_eq(event.stop.reason, OAK_STOP_PARKED);
            ck_assert(rests(&b));
            end[way] = state_of(&b);
            bench_close(&b);
        }
        must_be_same(one->part, end[0], end[1]);
        must_be_same(one->part, end[0], end[2]);
        for (unsigned way = 0; way < 3; way++) free(end[way]);
    }
}
END_TEST

START_TEST(going_back_finds_what_was_there)
{
    enum { STEPS = 300 };
    EACH(one)
    {
        static char *was[STEPS];
        uint64_t cycle[STEPS], seed = 9;
        bench b;
        oak_event event;
        put_on(&b, one, one->program);
        ck_assert_int_eq(oak_session_keep_history(b.session, 0), OAK_OK);
        for (unsigned i = 0; i < STEPS; i++) {
            was[i] = state_of(&b), cycle[i] = cycles_of(&b);
            ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK);
        }
        for (unsigned at = STEPS, round = 0; at > 20; round++) {
            unsigned back = 1 + random32(&seed) % 20;
            at -= back;
            if (round % 2) ck_assert_int_eq(oak_session_back_steps(b.session, back, &event), OAK_OK);
            else ck_assert_int_eq(oak_session_back_to_cycle(b.session, cycle[at], &event), OAK_OK);
            char *is = state_of(&b);
            must_be_same(one->part, is, was[at]);
            free(is);
        }
        for (unsigned i = 0; i < STEPS; i++) free(was[i]);
        bench_close(&b);
    }
}
END_TEST

START_TEST(a_state_goes_on_as_the_run_would_have)
{
    EACH(one)
    {
        for (unsigned after = 0; after < 200; after += 17) {
            bench b, other;
            text t = {0};
            oak_text_sink sink = text_sink(&t);
            put_on(&b, one, one->program);
            put_on(&other, one, one->program);
            if (after) bench_run(&b, 0, after);
            ck_assert_int_eq(oak_session_write_state(b.session, &sink), OAK_OK);
            if (oak_session_read_state(other.session, t.bytes, t.size, "state", &other.sink))
                show_collected(&other.diags);
            char *was = state_of(&b), *is = state_of(&other);
            ck_assert_str_eq(is, was);
            free(was), free(is);
            bench_run(&b, 0, 0);
            bench_run(&other, 0, 0);
            was = state_of(&b), is = state_of(&other);
            ck_assert_str_eq(is, was);
            free(was), free(is), free(t.bytes);
            bench_close(&b);
            bench_close(&other);
        }
    }
}
END_TEST

START_TEST(every_register_holds_what_is_put_into_it)
{
    EACH(one)
    {
        bench b;
        put_on(&b, one, one->program);
        for (unsigned r = 0; r < b.part->architecture->register_count; r++) {
            const oak_register_info *info = &b.part->architecture->registers[r];
            if (info->bits > 8 && (info->derived || info->bits == 32))
                continue; /* stack pointers and status words have rules */
            char assignment[80];
            long long value = (long long)(0x5A5A5A5Au & ((1ull << info->bits) - 1));
            snprintf(assignment, sizeof assignment, "%s=%lld", info->name, value);
            if (oak_session_set(b.session, assignment, &b.sink)) continue; /* what only can be read says so */
            ck_assert_msg(value_of(&b, info->name) == value, "%s of %s", info->name, one->part);
        }
        bench_close(&b);
    }
}
END_TEST

/* Flash and RAM half the address space apart: both are followed and read back. */
START_TEST(code_in_several_memories_is_followed_and_read_back)
{
    static const char text[] =
        "part: two\ntitle: two memories\narchitecture: armv7m\nclock: 10MHz\ninterrupts: "
        "{lines: 8, priority-bits: 3}\nmemories:\n"
        "  - {space: mem, kind: rom, at: 0, size: 64KiB}\n"
        "  - {space: mem, kind: ram, loaded: yes, at: 0x20000000, size: 64KiB}\n"
        "vectors:\n  - {name: stack, at: 0, holds: value}\n  - {name: reset, at: 4}\n"
        "  - {name: nmi, at: 8}\n";
    static const char source[] =
        " vector stack, 0x20001000\n vector reset, start\n vector nmi, quick\n org 0x100\nstart: "
        "ldr r0, =quick + 1\n blx r0\nrest: b rest\n org 0x20000000\n"
        "quick: bl deeper\n bx lr\ndeeper: movs r1, #2\n b off\n dd 1, 2\n"
        " org 0x20000400\noff: nop\n";
    oak_host host = oak_linux_host();
    collected diags;
    oak_diag_sink sink = collect(&diags);
    oak_part *part = NULL;
    FILE *file = fopen("two_memories.yaml", "w");
    fputs(text, file);
    fclose(file);
    oak_status status = oak_part_load(&host, "two_memories.yaml", &sink, &part);
    if (status) show_collected(&diags);
    ck_assert_int_eq(status, OAK_OK);
    oak_program *program = assemble(part, source, &diags);
    if (!program) show_collected(&diags);
    ck_assert_ptr_nonnull(program);
    ck_assert_uint_eq(diags.count, 1);
    ck_assert_str_eq(diags.one[0].code, "runs-off");
    must_come_back(program);
    oak_program_free(program);
    oak_part_free(part);
    remove("two_memories.yaml");
}
END_TEST

/* ------------------------------------------------------------------------------------------ observed */

/* Cycles at which single steps see an expression become different, in the run of a program. */
static unsigned changes_of(const subject *one, const char *expression, uint64_t *at, unsigned room)
{
    bench b;
    oak_event event = {0};
    unsigned count = 0;
    put_on(&b, one, one->program);
    long long before = value_of(&b, expression);
    while (!rests(&b)) {
        ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK);
        long long now = value_of(&b, expression);
        if (now != before) {
            ck_assert_uint_lt(count, room);
            at[count++] = cycles_of(&b);
        }
        before = now;
    }
    bench_close(&b);
    ck_assert_msg(count > 20, "%s of %s changes %u times", expression, one->part, count);
    return count;
}

START_TEST(watches_of_cells_and_registers_stop_where_steps_see_a_change)
{
    EACH(one)
    {
        for (unsigned which = 0; which < 2; which++) {
            uint64_t at[600];
            const char *expression = which ? one->counts : one->cell;
            unsigned count = changes_of(one, expression, at, 600), number;
            bench b;
            put_on(&b, one, one->program);
            ck_assert_int_eq(oak_session_add_watch(b.session, expression, OAK_WATCH_CHANGE, &b.sink, &number),
                             OAK_OK);
            for (unsigned i = 0; i < count; i++) {
                oak_event event = bench_run(&b, 0, 0);
                ck_assert_int_eq(event.stop.reason, OAK_STOP_WATCH);
                ck_assert_msg(cycles_of(&b) == at[i], "%s of %s, change %u: %llu, not %llu", expression,
                              one->part, i, (unsigned long long)cycles_of(&b), (unsigned long long)at[i]);
            }
            ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_PARKED);
            bench_close(&b);
        }
    }
}
END_TEST

START_TEST(conditions_hold_where_steps_see_them_hold)
{
    EACH(one)
    {
        char condition[200];
        bench b, other;
        unsigned number;
        snprintf(condition, sizeof condition, "(%s & 7) == 3 && %s != 0", one->counts, one->cell);
        put_on(&b, one, one->program);
        put_on(&other, one, one->program);
        ck_assert_int_eq(
            oak_session_add_watch(other.session, condition, OAK_WATCH_HOLDS, &other.sink, &number), OAK_OK);
        bool held = value_of(&b, condition) != 0;
        unsigned found = 0;
        while (!rests(&b)) {
            oak_event event;
            ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK);
            bool holds = value_of(&b, condition) != 0;
            if (holds && !held) {
                event = bench_run(&other, 0, 0);
                ck_assert_int_eq(event.stop.reason, OAK_STOP_WATCH);
                ck_assert_msg(cycles_of(&other) == cycles_of(&b), "%s", one->part);
                found++;
            }
            held = holds;
        }
        ck_assert_msg(found > 3, "%s", one->part);
        ck_assert_int_eq(bench_run(&other, 0, 0).stop.reason, OAK_STOP_PARKED);
        bench_close(&b);
        bench_close(&other);
    }
}
END_TEST

/* ------------------------------------------------------------------------------------------ judged */

enum { MOST_STEPS = 3000 };

/* What single steps see of one expression. */
typedef struct seen {
    unsigned count;
    long long value[MOST_STEPS];
    uint64_t cycle[MOST_STEPS];
    uint32_t pc[MOST_STEPS]; /* before the step */
} seen;

static void see(const subject *one, const char *expression, seen *all)
{
    bench b;
    oak_event event;
    put_on(&b, one, one->program);
    for (all->count = 0; all->count < MOST_STEPS; all->count++) {
        all->value[all->count] = value_of(&b, expression);
        all->cycle[all->count] = cycles_of(&b);
        all->pc[all->count] = (uint32_t)pc_of(&b);
        if (rests(&b)) break;
        ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK);
    }
    ck_assert_uint_lt(all->count, MOST_STEPS);
    bench_close(&b);
}

typedef struct asked {
    const char *name;
    uint32_t last;
    unsigned times;
} asked;

static bool always(void *context, const uint32_t *values, uint32_t *matter)
{
    asked *a = context;
    ck_assert_msg(values[0] != a->last, "%s has not changed", a->name);
    ck_assert_uint_eq(*matter, 1);
    a->last = values[0];
    a->times++;
    return true;
}

/* space[address] or space[address:size] */
static oak_watched cells_of(const oak_architecture *about, const char *text)
{
    const char *bracket = strchr(text, '[');
    char *end;
    oak_watched where = {.size = 1};
    while (strncmp(about->spaces[where.space].name, text, (size_t)(bracket - text)) != 0) where.space++;
    where.address = (uint32_t)strtoul(bracket + 1, &end, 0);
    if (*end == ':') where.size = (uint32_t)strtoul(end + 1, NULL, 0);
    return where;
}

/* The chip asks behind each change of a value, at once, and names the instruction. */
START_TEST(flags_have_a_name_that_no_register_hides)
{
    EACH(one)
    {
        bench b;
        put_on(&b, one, one->program);
        bench_run(&b, 0, 300);
        const oak_architecture *about = b.part->architecture;
        for (unsigned f = 0; f < about->flag_count; f++)
            for (unsigned value = 0; value < 2 && !about->flags[f].is_vector; value++) {
                char name[60], assignment[60];
                snprintf(name, sizeof name, "FLAG.%s", about->flags[f].name);
                snprintf(assignment, sizeof assignment, "flag.%s=%u", about->flags[f].name, value);
                if (about->flags[f].follows) continue;
                ck_assert_int_eq(oak_session_set(b.session, assignment, &b.sink), OAK_OK);
                long long whole = value_of(&b, about->registers[about->flags[f].reg].name);
                ck_assert_int_eq(whole >> about->flags[f].bit & ((1 << about->flags[f].width) - 1), value);
                ck_assert_int_eq(value_of(&b, name), value);
            }
        bench_close(&b);
    }
}
END_TEST

enum { MOST_TAKEN = 4 };
/* Takes out the rows of one who judges, or leaves them. */
typedef struct taken {
    oak_judged_rows rows;
    oak_chip_port chip;
    unsigned count, others;
    bool leaves;
    uint64_t cycle[MOST_STEPS];
    uint32_t value[MOST_TAKEN][MOST_STEPS];
} taken;

static bool take_out(void *context, const uint32_t *values, uint32_t *matter)
{
    taken *t = context;
    (void)values, (void)matter;
    for (unsigned r = 0; r < t->rows.count && t->count < MOST_STEPS; r++, t->count++) {
        t->cycle[t->count] = t->rows.cycle[r];
        for (unsigned v = 0; v < MOST_TAKEN; v++) t->value[v][t->count] = t->rows.value[v][r];
    }
    if (!t->leaves) t->rows.count = 0;
    return false;
}

static uint32_t of_the_first(void *context, unsigned number, const uint32_t *values)
{
    ck_assert_uint_eq(number, 1);
    ((taken *)context)->others++;
    return values[0] ^ 0x5A;
}

/* The program is on a bench, and it is known where it comes along. */
static const oak_architecture *put_on_and_see_place(bench *b, const subject *one, seen *all)
{
    put_on(b, one, one->program);
    const oak_architecture *about = b->part->architecture;
    see(one, about->registers[about->pc_register].name, all);
    return about;
}

/* Whoever works at the chip port has all that is kept, and what he makes of it; and is told what cannot be judged. */
START_TEST(a_judge_has_rows_of_what_is_kept)
{
    static seen all;
    static taken t;
    EACH(one)
    {
        bench b;
        oak_stop stop;
        const oak_architecture *about = put_on_and_see_place(&b, one, &all);
        const oak_watched cells[] = {
            {.accesses = OAK_ACCESS_CHANGE, .address = about->pc_register, .size = 1},
            {.accesses = OAK_ACCESS_CHANGE, .address = OAK_JUDGED_WORKED_OUT, .size = 1},
            {.accesses = OAK_ACCESS_CHANGE, .address = OAK_JUDGED_TIME, .size = 1}};
        const uint32_t masks[] = {UINT32_MAX, UINT32_MAX, UINT32_MAX};
        oak_judge judge = {
            .context = &t, .ends = take_out, .cells = cells, .masks = masks, .count = 3, .kept = 7};
        for (unsigned wrong = 0; wrong < 2; wrong++) { /* no rows; nobody who works anything out */
            judge.rows = wrong ? &t.rows : NULL;
            judge.works_out = wrong ? NULL : of_the_first;
            judge.sources = wrong ? 0 : 1;
            ck_assert_int_ne(b.chip.ops->judge(b.chip.chip, &judge), OAK_OK);
        }
        judge.works_out = of_the_first;
        judge.sources = 1;
        const bool may = false;
        const uint32_t plain[2] = {0};
        for (unsigned wrong = 0; wrong < 5; wrong++) { /* what leads nowhere */
            judge.restless = wrong == 0 ? NULL : &may;
            judge.lead_count = wrong == 1 ? OAK_MOST_LEADS + 1 : 1;
            judge.leads[0] = (oak_judged_lead){.value = wrong == 2 ? 3 : 1,
                                               .there = 2,
                                               .space = 1,
                                               .cells = 1,
                                               .source_count = 1,
                                               .source = {wrong == 3 ? 1 : 0},
                                               .plain = wrong == 4 ? NULL : plain};
            ck_assert_int_ne(b.chip.ops->judge(b.chip.chip, &judge), OAK_OK);
        }
        judge.lead_count = 0;
        judge.restless = NULL;
        for (unsigned leaves = 0; leaves < 2; leaves++) {
            t = (taken){.chip = b.chip, .leaves = leaves};
            ck_assert_int_eq(b.chip.ops->judge(b.chip.chip, &judge), OAK_OK);
            ck_assert_int_eq(b.chip.ops->run(b.chip.chip, UINT64_MAX, all.count - 10 * leaves, &stop),
                             OAK_OK);
            if (!leaves) take_out(&t, NULL, NULL);
            ck_assert_int_eq(b.chip.ops->judge(b.chip.chip, NULL), OAK_OK);
            if (leaves) break;
            unsigned found = 0;
            for (unsigned i = 0, r = 0; i <= all.count; i++) {
                while (r < t.count && t.cycle[r] < all.cycle[i]) r++;
                bool there = r < t.count && t.cycle[r] == all.cycle[i];
                ck_assert_msg(there && t.value[0][r] == (uint32_t)all.value[i] &&
                                  t.value[1][r] == (t.value[0][r] ^ 0x5A),
                              "%s: cycle %llu", one->part, (unsigned long long)all.cycle[i]);
                found += there;
            }
            ck_assert(found == all.count + 1 && t.others);
            bench_close(&b);
            put_on(&b, one, one->program);
        }
        bench_close(&b);
    }
}
END_TEST

/* Asked where the program counter lies within limits, or did the last time. */
typedef struct limited {
    uint32_t from, width;
    unsigned within, times, vain;
} limited;
static bool lies_within(const limited *of, uint32_t value)
{
    return value - of->from <= of->width;
}
static bool counts_within(void *context, const uint32_t *values, uint32_t *matter)
{
    limited *of = context;
    (void)matter;
    const bool within = lies_within(of, values[0]);
    if (within || of->within) of->times++;
    else of->vain++; /* it may, but seldom does */
    of->within = within;
    return false;
}

START_TEST(a_judge_completes_its_rows_and_minds_limits)
{
    static seen all;
    static taken t;
    unsigned changing = 0;
    EACH(one)
    {
        bench b;
        oak_stop stop;
        const oak_architecture *about = put_on_and_see_place(&b, one, &all);
        const oak_watched flags = {.address = about->flag_count ? about->flags[0].reg : 0, .size = 1};
        const oak_watched cells[] = {
            {.accesses = OAK_ACCESS_CHANGE, .address = about->pc_register, .size = 1},
            {.accesses = OAK_ACCESS_CHANGE, .address = OAK_JUDGED_TIME, .size = 1},
            flags,
            flags};
        const uint32_t masks[] = {UINT32_MAX, UINT32_MAX, UINT32_MAX, UINT32_MAX};
        oak_judge judge = {.context = &t,
                           .ends = take_out,
                           .cells = cells,
                           .masks = masks,
                           .count = 4,
                           .kept = 15,
                           .rows = &t.rows};
        unsigned flips = 0;
        t = (taken){.chip = b.chip};
        ck_assert_int_eq(b.chip.ops->judge(b.chip.chip, &judge), OAK_OK);
        ck_assert_int_eq(b.chip.ops->run(b.chip.chip, UINT64_MAX, all.count, &stop), OAK_OK);
        if (t.rows.complete) t.rows.complete(&t.rows);
        take_out(&t, NULL, NULL);
        ck_assert_uint_gt(t.count, all.count);
        for (unsigned r = 0, i = 0; r < t.count; r++) {
            ck_assert_uint_eq(t.value[1][r], (uint32_t)t.cycle[r]);
            ck_assert_uint_eq(t.value[2][r], t.value[3][r]); /* the same twice */
            flips += t.value[2][r] != t.value[2][0];
            while (i < all.count && all.cycle[i] < t.cycle[r]) i++;
            if (all.cycle[i] == t.cycle[r]) ck_assert_uint_eq(t.value[0][r], (uint32_t)all.value[i]);
        }
        changing += flips > 0;
        ck_assert_int_eq(b.chip.ops->judge(b.chip.chip, NULL), OAK_OK);
        bench_close(&b);

        limited of = {.from = (uint32_t)all.value[all.count / 2], .width = 5};
        unsigned least = 0, most = 0;
        for (unsigned i = 1; i <= all.count; i++) {
            const bool within = lies_within(&of, (uint32_t)all.value[i]),
                       was = lies_within(&of, (uint32_t)all.value[i - 1]);
            least += within != was;
            most += within || was;
        }
        for (unsigned steps = 0; steps <= 3; steps += 3) { /* the same said in two ways */
            put_on(&b, one, one->program);
            of.within = lies_within(&of, (uint32_t)all.value[0]);
            of.times = of.vain = 0;
            judge = (oak_judge){.context = &of,
                                .ends = counts_within,
                                .cells = cells,
                                .masks = masks,
                                .count = 2,
                                .asks = 3,
                                .limits = {{.values = 4,
                                            .times = {2, 0, 1},
                                            .from = 2 * (int64_t)of.from,
                                            .width = 2 * of.width + 1,
                                            .bits = UINT64_MAX,
                                            .step_count = steps,
                                            .steps = {{OAK_STEP_ADD, OAK_STEP_OF_VALUE, 0, 0, UINT32_MAX, 0},
                                                      {.kind = OAK_STEP_TIMES, .number = -2},
                                                      {.kind = OAK_STEP_TIMES, .number = -1}}}},
                                .limit_count = 1};
            ck_assert_int_ne(b.chip.ops->judge(b.chip.chip, &judge), OAK_OK); /* there is no third value */
            judge.limits->values = 1;
            judge.limit_count = OAK_MOST_LIMITS + 1;
            ck_assert_int_ne(b.chip.ops->judge(b.chip.chip, &judge), OAK_OK);
            judge.limit_count = 1;
            if (steps) {
                judge.limits->steps[0].value = 1; /* which is none of its values */
                ck_assert_int_ne(b.chip.ops->judge(b.chip.chip, &judge), OAK_OK);
                judge.limits->steps[0].value = 0;
                judge.limits->steps[2].of = OAK_STEP_OF_KEPT; /* as nothing was */
                ck_assert_int_ne(b.chip.ops->judge(b.chip.chip, &judge), OAK_OK);
                judge.limits->steps[2].of = OAK_STEP_OF_NUMBER;
                judge.limits->steps[2].kind = OAK_STEP_KEEP + 1;
                ck_assert_int_ne(b.chip.ops->judge(b.chip.chip, &judge), OAK_OK);
                judge.limits->steps[2].kind = OAK_STEP_TIMES;
            }
            ck_assert_int_eq(b.chip.ops->judge(b.chip.chip, &judge), OAK_OK);
            ck_assert_int_eq(b.chip.ops->run(b.chip.chip, UINT64_MAX, all.count, &stop), OAK_OK);
            ck_assert_msg(least && of.times >= least && of.times <= most + 1 && of.vain <= all.count / 2,
                          "%s: asked %u times, of %u to %u, and %u in vain", one->part, of.times, least, most,
                          of.vain);
            bench_close(&b);
        }
    }
    ck_assert_uint_gt(changing, 5);
}
END_TEST

START_TEST(a_judge_is_asked_wherever_a_value_has_changed)
{
    static seen all;
    EACH(one)
    {
        bench b;
        put_on(&b, one, one->program);
        const oak_architecture *about = b.part->architecture;
        unsigned lively = 0;
        for (unsigned r = about->register_count % STRIDE; r <= about->register_count; r += STRIDE) {
            const char *expression = r < about->register_count ? about->registers[r].name : one->cell;
            if (r == about->pc_register) continue;
            see(one, expression, &all);
            bench_close(&b);
            put_on(&b, one, one->program);
            oak_watched where = {.address = r, .size = 1};
            if (r == about->register_count) where = cells_of(about, one->cell);
            uint32_t mask = UINT32_MAX;
            asked a = {.name = expression, .last = (uint32_t)all.value[0]};
            oak_judge judge = {
                .context = &a, .ends = always, .cells = &where, .masks = &mask, .count = 1, .asks = 1};
            ck_assert_int_eq(b.chip.ops->judge(b.chip.chip, &judge), OAK_OK);
            unsigned expected = 0;
            for (unsigned i = 1; i <= all.count; i++) {
                oak_stop stop;
                if (all.value[i] == all.value[i - 1]) continue;
                expected++;
                ck_assert_int_eq(b.chip.ops->run(b.chip.chip, UINT64_MAX, UINT64_MAX, &stop), OAK_OK);
                ck_assert_msg(stop.reason == OAK_STOP_WATCH && !stop.watched, "%s of %s", expression,
                              one->part);
                ck_assert_msg(cycles_of(&b) == all.cycle[i] && stop.watched_pc == all.pc[i - 1],
                              "%s of %s: cycle %llu by 0x%x, not %llu by 0x%x", expression, one->part,
                              (unsigned long long)cycles_of(&b), stop.watched_pc,
                              (unsigned long long)all.cycle[i], all.pc[i - 1]);
            }
            oak_stop stop;
            ck_assert_int_eq(b.chip.ops->run(b.chip.chip, UINT64_MAX, UINT64_MAX, &stop), OAK_OK);
            ck_assert_int_eq(stop.reason, OAK_STOP_PARKED);
            ck_assert_msg(a.times == expected, "%s of %s: asked %u times, not %u", expression, one->part,
                          a.times, expected);
            ck_assert_int_eq(b.chip.ops->judge(b.chip.chip, NULL), OAK_OK);
            lively += expected > 10;
        }
        bench_close(&b);
        ck_assert_msg(lively * STRIDE > 4, "%s: only %u registers change", one->part, lively);
    }
}
END_TEST

/* Conditions on every register and flag, alone and together, also where they change so often that the chip asks. */
START_TEST(conditions_on_what_changes_all_the_time_end_runs_where_they_become_true)
{
    static seen all;
    EACH(one)
    {
        bench b;
        char condition[4][120];
        put_on(&b, one, one->program);
        const oak_architecture *about = b.part->architecture;
        for (unsigned r = 0; r < about->register_count + about->flag_count; r += STRIDE) {
            const char *name = r < about->register_count ? about->registers[r].name
                                                         : about->flags[r - about->register_count].name;
            if (r == about->pc_register) continue;
            see(one, name, &all);
            snprintf(condition[0], sizeof *condition, "%s == %lld", name, all.value[all.count * 2 / 3]);
            snprintf(condition[1], sizeof *condition, "%s & 1 && %s != %lld", name, one->counts,
                     all.value[all.count / 2]);
            snprintf(condition[2], sizeof *condition, "(%s.0 || %s + 5 > %s) && %s & 2", name, name,
                     one->cell, one->counts);
            snprintf(condition[3], sizeof *condition, "%s & 6 == 2 ? %s : !%s", one->counts, name, one->cell);
            for (unsigned c = r < 10 ? 0 : r % 4; c < 4;
                 c += r < 10 ? 1 : 4) { /* of the many, each one of these */
                see(one, condition[c], &all);
                bench_close(&b);
                put_on(&b, one, one->program);
                ck_assert_int_eq(
                    oak_session_add_watch(b.session, condition[c], OAK_WATCH_HOLDS, &b.sink, NULL), OAK_OK);
                for (unsigned i = 1; i <= all.count; i++) {
                    if (!all.value[i] || all.value[i - 1]) continue;
                    oak_event event = bench_run(&b, 0, 0);
                    ck_assert_msg(event.stop.reason == OAK_STOP_WATCH && cycles_of(&b) == all.cycle[i],
                                  "`%s` of %s: cycle %llu, not %llu", condition[c], one->part,
                                  (unsigned long long)cycles_of(&b), (unsigned long long)all.cycle[i]);
                }
                ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_PARKED);
            }
        }
        bench_close(&b);
    }
}
END_TEST

START_TEST(the_tally_counts_what_steps_count)
{
    EACH(one)
    {
        enum { SPAN = 0x2000 };
        static uint64_t times[SPAN], cycles[SPAN];
        memset(times, 0, sizeof times);
        memset(cycles, 0, sizeof cycles);
        bench b, other;
        put_on(&b, one, one->program);
        put_on(&other, one, one->program);
        ck_assert_int_eq(oak_session_count(other.session, true), OAK_OK);
        while (!rests(&b)) {
            oak_event event;
            long long pc = pc_of(&b) - code_base(b.part);
            uint64_t before = cycles_of(&b);
            ck_assert_int_lt(pc, SPAN);
            ck_assert_int_eq(oak_session_step(b.session, &event), OAK_OK);
            times[pc]++;
            cycles[pc] += cycles_of(&b) - before;
        }
        oak_budget budget = {.cycles = 150};
        oak_event event = {0};
        for (unsigned i = 0; event.stop.reason != OAK_STOP_PARKED && i < 1000; i++)
            ck_assert_int_eq(oak_session_run(other.session, &budget, &other.sink, &event), OAK_OK);
        ck_assert_uint_eq(cycles_of(&other), cycles_of(&b));
        for (uint32_t pc = 0; pc < SPAN; pc++) {
            oak_tally tally = {0};
            if (oak_session_counted(other.session, pc + code_base(b.part), &tally))
                ck_assert_uint_eq(times[pc], 0); /* no memory there */
            ck_assert_msg(tally.times == times[pc] && tally.cycles == cycles[pc],
                          "%s, 0x%x: %llu times, %llu cycles; not %llu, %llu", one->part, pc,
                          (unsigned long long)tally.times, (unsigned long long)tally.cycles,
                          (unsigned long long)times[pc], (unsigned long long)cycles[pc]);
        }
        bench_close(&b);
        bench_close(&other);
    }
}
END_TEST

/* Conditional blocks, long and short jumps, slow instructions, code in RAM that is written over while it runs. */
static const char arm_crooked[] =
    " vector stack, 0x20001000\n vector reset, start\n vector systick, tick\n org 0x100\n"
    "start: ldr r4, =0x20000100\n ldr r0, =0xE000E010\n movs r1, #99\n str r1, [r0, #4]\n movs r1, #7\n str "
    "r1, [r0]\n"
    "again: adds r5, r5, #1\n ands r6, r5, #3\n cmp r6, #1\n ite eq\n addeq r7, r7, #1\n subne r7, r7, #2\n"
    " cmp r6, #2\n itt hi\n movhi r2, #5\n bhi skip\n mul r3, r5, r7\n push {r0-r3}\n pop {r0-r3}\n udiv r3, "
    "r5, r6\n"
    "skip: ldr r0, =0x3101\n adds r0, r0, r6\n ldr r1, =0x4770\n strh r0, [r4]\n strh r1, [r4, #2]\n adds "
    "r1, r4, #1\n blx r1\n"
    " cbz r6, last\n it ne\n bne again\nlast: b again\n"
    "tick: adds r2, r2, #1\n cmp r2, #9\n it gt\n movgt r2, #0\n bx lr\n";
static const char crooked51[] =
    " ljmp start\n org 0x0b\n inc 0x7f\n reti\n org 0x40\nstart: mov sp, #0x60\n mov tmod, #2\n mov ie, "
    "#0x82\n setb tr0\n"
    "again: mov a, p1\n cpl p1.3\n jbc 0x20.1, again\n setb 0x20.1\n orl PCON, #1\n lcall work\n xch a, b\n "
    "djnz b, again\n sjmp again\n"
    "work: push psw\n mov psw, #8\n inc r0\n cjne r0, #7, over\n mov r0, #0\nover: pop psw\n ret\n";
static const char crooked_knot[] = " jmp start\n org 4\n jmp tick\n org 16\nstart: lit #49\n out TIM_TOP\n "
                                   "lit #3\n out TIM_CTRL\nloop: in TIM_CNT\n b z, loop\n"
                                   " out PORT\n halt\n gosub work\n jmp loop\nwork: addl #3\n b nc, work\n "
                                   "ret\ntick: lit #0x83\n out TIM_CTRL\n reti\n";

/* Counted by blocks, in pieces of any length and past stop points, or one instruction at a time. */
static void counted_alike(const char *part, const char *source, bool is_file, uint64_t cycles)
{
    char path[300], file[300];
    bench b[2];
    uint64_t seed = 21;
    snprintf(path, sizeof path, SOURCE_FOLDER "/%s", part);
    for (unsigned way = 0; way < 2; way++) {
        if (is_file) {
            snprintf(file, sizeof file, SOURCE_FOLDER "/%s", source);
            const char *name = strrchr(part, '/') + 1;
            char bare[60];
            snprintf(bare, sizeof bare, "%.*s", (int)strcspn(name, "."), name);
            bench_open_file(&b[way], bare, file);
        } else bench_open_part(&b[way], path, source);
        ck_assert_int_eq(oak_session_count(b[way].session, true), OAK_OK);
        const oak_symbol *symbol;
        unsigned number;
        for (unsigned i = 0; way && (symbol = oak_program_symbol(b[1].program, i)); i++)
            if (symbol->kind == OAK_SYMBOL_LABEL && symbol->space == b[1].part->architecture->code_space &&
                i % 3 == 0 && !strchr(symbol->name, '.') &&
                symbol->value % b[1].part->architecture->code_align == 0)
                (void)!oak_session_add_stop(b[1].session, symbol->name, "1 == 2", 1, &b[1].sink, &number);
        while (cycles_of(&b[way]) < cycles) {
            oak_event event;
            oak_budget budget = {.cycles = cycles - cycles_of(&b[way])};
            if (!way) budget.instructions = 1;
            else if (random32(&seed) % 4) budget.cycles = 1 + random32(&seed) % 700;
            if (budget.cycles > cycles - cycles_of(&b[way])) budget.cycles = cycles - cycles_of(&b[way]);
            ck_assert_int_eq(oak_session_run(b[way].session, &budget, &b[way].sink, &event), OAK_OK);
            if (event.stop.reason == OAK_STOP_PARKED || event.stop.reason == OAK_STOP_FAULT) break;
            oak_tally tally; /* looking now and then changes nothing */
            if (way && random32(&seed) % 8 == 0) (void)!oak_session_counted(b[1].session, 0x40, &tally);
        }
    }
    ck_assert_uint_eq(cycles_of(&b[0]), cycles_of(&b[1]));
    uint64_t all = 0;
    for (unsigned m = 0; m < b[0].part->memory_count; m++) {
        const oak_part_memory *memory = &b[0].part->memories[m];
        if (memory->space != b[0].part->architecture->code_space) continue;
        for (uint32_t pc = memory->base; pc - memory->base < memory->size && pc - memory->base < 0x4000;
             pc++) {
            oak_tally by_steps = {0}, by_blocks = {0};
            ck_assert_int_eq(oak_session_counted(b[0].session, pc, &by_steps), OAK_OK);
            ck_assert_int_eq(oak_session_counted(b[1].session, pc, &by_blocks), OAK_OK);
            ck_assert_msg(by_steps.times == by_blocks.times && by_steps.cycles == by_blocks.cycles,
                          "%s, %.30s, 0x%x: %llu times, %llu cycles by blocks; %llu, %llu by steps", part,
                          source, pc, (unsigned long long)by_blocks.times,
                          (unsigned long long)by_blocks.cycles, (unsigned long long)by_steps.times,
                          (unsigned long long)by_steps.cycles);
            all += by_steps.times;
        }
    }
    ck_assert_msg(all > 10, "%s, %.30s: %llu", part, source, (unsigned long long)all);
    bench_close(&b[0]);
    bench_close(&b[1]);
}

START_TEST(the_tally_is_the_same_by_blocks_and_by_steps)
{
    counted_alike("parts/mcs51-8k.yaml", crooked51, false, 30000 / STRIDE);
    counted_alike("parts/armv7m-256k.yaml", arm_crooked, false, 30000 / STRIDE);
    counted_alike("tests/made_up/knot.yaml", crooked_knot, false, 30000 / STRIDE);
    counted_alike("parts/mcs51-8k.yaml", "examples/lathe/lathe.asm", true, 40000 / STRIDE);
    counted_alike("parts/mcs51-8k.yaml", "examples/extractor/extractor.asm", true, 40000 / STRIDE);
    counted_alike("parts/armv7m-256k.yaml", "examples/kiln/kiln.asm", true, 100000 / STRIDE);
    counted_alike("parts/armv6m-32k.yaml", "examples/loom/loom.asm", true, 100000 / STRIDE);
}
END_TEST

/* RAM that a loader fills: a program lies in it, with the data it begins with; a reset brings both back. */
START_TEST(ram_that_is_loaded_holds_a_program_and_its_data)
{
    static const char part[] = "part: ramy\ntitle: all RAM\narchitecture: armv7m\nclock: 10MHz\ninterrupts: "
                               "{lines: 8, priority-bits: 3}\n"
                               "memories:\n  - {space: mem, kind: ram, at: 0, size: 64KiB%s}\n";
    static const char source[] = " dd 0x1000, start + 1\n org 0x100\nstart: ldr r1, =words\n ldr r0, [r1]\n "
                                 "adds r0, #1\n str r0, [r1]\n"
                                 "rest: b rest\n align 4\nwords: dd 5\n";
    for (unsigned loaded = 0; loaded < 2; loaded++) {
        FILE *file = fopen("own_ram.yaml", "w");
        fprintf(file, part, loaded ? ", loaded: yes" : "");
        fclose(file);
        if (!loaded) {
            oak_host host = oak_linux_host();
            collected diags;
            oak_diag_sink sink = collect(&diags);
            oak_part *plain = NULL;
            ck_assert_int_eq(oak_part_load(&host, "own_ram.yaml", &sink, &plain), OAK_OK);
            ck_assert_ptr_null(assemble(plain, source, &diags));
            ck_assert_ptr_nonnull(strstr(diags.one[0].hint, "loaded: yes"));
            oak_part_free(plain);
            continue;
        }
        bench b;
        bench_open_part(&b, "own_ram.yaml", source);
        for (unsigned round = 0; round < 2; round++) {
            ck_assert_int_eq(value_of(&b, "words"), 5);
            ck_assert_int_eq(bench_run(&b, 0, 0).stop.reason, OAK_STOP_PARKED);
            ck_assert_int_eq(value_of(&b, "words"), 6);
            ck_assert_int_eq(oak_session_reset(b.session), OAK_OK);
        }
        bench_close(&b);
    }
}
END_TEST

RUN_SUITE("every", ram_that_is_loaded_holds_a_program_and_its_data,
          the_tally_is_the_same_by_blocks_and_by_steps,
          any_code_that_is_read_back_assembles_to_the_same_bytes, code_that_was_never_programmed_does_not_run,
          steps_pieces_and_one_run_end_alike, going_back_finds_what_was_there,
          a_state_goes_on_as_the_run_would_have, every_register_holds_what_is_put_into_it,
          watches_of_cells_and_registers_stop_where_steps_see_a_change,
          conditions_hold_where_steps_see_them_hold, code_in_several_memories_is_followed_and_read_back,
          flags_have_a_name_that_no_register_hides, a_judge_is_asked_wherever_a_value_has_changed,
          a_judge_completes_its_rows_and_minds_limits, a_judge_has_rows_of_what_is_kept,
          conditions_on_what_changes_all_the_time_end_runs_where_they_become_true,
          the_tally_counts_what_steps_count)
