/* rows.c — what every row of an instruction table costs, in host instructions: 32 copies of a sample in a loop, run under callgrind, less the
 * loop itself. Samples are made from the table: random codes of the row, read back and assembled again, until one runs.
 *
 *   rows find PART >SAMPLES                                               "measured|row|text", "not|row|"
 *   valgrind --tool=callgrind --callgrind-out-file=F rows measure PART <SAMPLES
 *
 * writes a dump a row into F.1, F.2 …; the dump's name is "rounds steps|row|text", by which the script adds them up: two of them, over STEPS and 3 STEPS instructions. What no random
 * code can show (returns, jumps by registers) has a sample of its own below. A sample's memory lies in RAM, at a multiple of its size,
 * in every copy. */
#include <oakspindle/linux.h>
#include <oakspindle/oakspindle.h>

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/text.h"
#include "isa/isa.h"

#if defined(__has_include) && __has_include(<valgrind/callgrind.h>)
#include <valgrind/callgrind.h>
#else
#define CALLGRIND_ZERO_STATS          (void)0
#define CALLGRIND_DUMP_STATS_AT(name) (void)(name)
#endif

enum { COPIES = 32, STEPS = 30000, TRIES = 150 };

/* A sample whose copies are N, with instructions beside the one it is for. */
typedef struct sample {
    const char *row;  /* "mnemonic operands" of the row */
    const char *text; /* N is the number of the copy */
} sample;
typedef struct surroundings {
    const char *architecture, *begin, *round, *end;
    uint32_t ram, ram_end; /* where samples may reach in the data space; 0: anywhere */
    const char *devices;   /* a space of devices, in which they may reach only */
    uint8_t registers[8];  /* these: registers of the core, up to 0 */
    sample samples[24];
    uint16_t shun[4]
                 [2]; /* of cores with a register file: addresses, first and last, that no sample may reach */
} surroundings;

#define ARM                                                                                                  \
    " vector stack, 0x20000800\n vector reset, start\n org 0x100\nstart: nop\n",                             \
        "round: ldr r0, =0x20000400\n ldr r1, =0x20000440\n ldr r2, =0x20000480\n movs r3, #8\n movs r4, "   \
        "#4\n "                                                                                              \
        "movs r5, #16\n ldr r6, =0x200004c0\n ldr r7, =0x20000500\n mov r8, r0\n mov r9, r3\n mov r10, "     \
        "r1\n mov r11, r4\n "                                                                                \
        "mov r12, r2\n mov lr, r0\n ldr r3, =0x20000600\n mov sp, r3\n movs r3, #8\n",                       \
        " ldr r0, =round+1\n bx r0\n pool\n align 4\ndata: dd 0x20000400, 0x20000400\n", 0x20000000,         \
        0x20001000, NULL,                                                                                    \
    {                                                                                                        \
        0                                                                                                    \
    }
#define ARM_SAMPLES                                                                                          \
    {"bx rm|sp", "ldr r0, =nN+1\n bx r0\nnN:"},                                                              \
    {                                                                                                        \
        "blx rm|sp", "ldr r0, =nN+1\n blx r0\nnN:"                                                           \
    }
static const surroundings all[] = {
    {"mcs51",
     " ljmp start\n org 0x40\nstart: nop\n",
     "round: mov sp, #0x20\n mov r0, #0x70\n mov r1, #0x71\n mov dptr, #0x100\n mov a, #3\n mov b, #7\n",
     " ljmp round\n",
     0,
     0,
     "sfr",
     {0x82, 0x83, 0xD0, 0xE0, 0xF0},
     {{"ret", "acall sN\n sjmp nN\nsN: ret\nnN:"},
      {"reti", "acall sN\n sjmp nN\nsN: reti\nnN:"},
      {"jmp @a+dptr", "mov dptr, #nN\n clr a\n jmp @a+dptr\nnN:"}}},
    {"z80",
     " jp start\n org 8\n ret\n org 16\n ret\n org 24\n ret\n org 32\n ret\n org 40\n ret\n org 48\n ret\n "
     "org 56\n ret\n"
     " org 0x100\nstart: nop\n",
     "round: ld sp, 0xb000\n ld hl, 0x9000\n ld de, 0x9100\n ld bc, 0x9200\n ld ix, 0x9300\n ld iy, 0x9400\n "
     "ld a, 3\n",
     " jp round\n",
     0,
     0,
     NULL,
     {0},
     {{"ret", "call sN\n jr nN\nsN: ret\nnN:"},
      {"reti", "call sN\n jr nN\nsN: reti\nnN:"},
      {"retn", "call sN\n jr nN\nsN: retn\nnN:"},
      {"ret cc", "or a\n call sN\n jr nN\nsN: ret nz\nnN:"},
      {"jp (hl)", "ld hl, nN\n jp (hl)\nnN:"},
      {"rst restart", "rst 8"},
      {"jp (xy)", "ld ix, nN\n jp (ix)\nnN:"},
      {"ldir", "ld bc, 8\n ldir"},
      {"lddr", "ld bc, 8\n lddr"},
      {"cpir", "ld bc, 8\n cpir"},
      {"cpdr", "ld bc, 8\n cpdr"},
      {"inir", "ld b, 8\n inir"},
      {"indr", "ld b, 8\n indr"},
      {"otir", "ld b, 8\n otir"},
      {"otdr", "ld b, 8\n otdr"}}},
    {"picmid",
     " config CONFIG: WDTE=off\n vector reset, start\n org 0x10\nstart: nop\n",
     "round: clrf STATUS\n clrf PCLATH\n movlw 0x30\n movwf FSR\n movlw 3\n",
     " goto round\n",
     0,
     0,
     NULL,
     {0},
     {{"return", "call sN\n goto nN\nsN: return\nnN:"},
      {"retlw k", "call sN\n goto nN\nsN: retlw 5\nnN:"},
      {"retfie", "call sN\n goto nN\nsN: retfie\nnN:"},
      {"call target", "call sN\n goto nN\nsN: return\nnN:"},
      {"goto target", "goto nN\nnN:"}},
     {{1, 2}, {5, 0x1F}, {0x80, 0x1FF}}},
    {"pic18",
     " config CONFIG1H: FOSC=xt\n config CONFIG2L: BOREN=on\n config CONFIG2H: WDTEN=off\n config CONFIG4L: "
     "STVREN=off\n"
     " vector reset, start\n org 0x30\nstart: nop\n",
     "round: movlb 1\n lfsr 0, 0x230\n lfsr 1, 0x330\n lfsr 2, 0x430\n clrf STKPTR\n clrf TBLPTRU\n clrf "
     "TBLPTRH\n clrf TBLPTRL\n movlw 3\n",
     " goto round\n",
     0,
     0,
     NULL,
     {0},
     {{"return", "call sN\n goto nN\nsN: return\nnN:"},
      {"return fast", "call sN, fast\n goto nN\nsN: return fast\nnN:"},
      {"retlw k", "call sN\n goto nN\nsN: retlw 5\nnN:"},
      {"retfie", "call sN\n goto nN\nsN: retfie\nnN:"},
      {"retfie fast", "call sN, fast\n goto nN\nsN: retfie fast\nnN:"},
      {"call target", "call sN\n goto nN\nsN: return\nnN:"},
      {"call target, fast", "call sN, fast\n goto nN\nsN: return fast\nnN:"},
      {"rcall near", "rcall sN\n goto nN\nsN: return\nnN:"},
      {"goto target", "goto nN\nnN:"},
      {"push", "push\n pop"},
      {"pop", "push\n pop"}},
     {{0xF80, 0xFD7}, {0xFF0, 0xFF2}, {0xFF9, 0xFF9}}},
    {"msp430",
     " vector reset, start\n org 0x8000\nstart: nop\n",
     "round: mov #0x3f00, sp\n mov #WDTPW|WDTHOLD, &WDTCTL\n mov #0x2100, r4\n mov r4, r5\n mov #0x2200, "
     "r6\n mov r6, r7\n mov r4, r8\n mov r4, r9\n mov r4, r10\n mov r4, r11\n mov r6, r12\n mov r6, r13\n "
     "mov r6, r14\n mov r6, r15\n",
     " br #round\n",
     0x2000,
     0x4000,
     NULL,
     {0},
     {{"ret", "call #sN\n jmp nN\nsN: ret\nnN:"},
      {"reti", "push #nN\n push #0\n reti\nnN:"},
      {"br #target", "br #nN\nnN:"},
      {"call #target", "call #sN\n jmp nN\nsN: ret\nnN:"}}},
    {"rv32",
     " vector reset, start\n org 0x100\nstart: nop\n",
     "round: li t0, 0x20000500\n"
     " li x2, 0x20000480\n li x3, 0x200004c0\n li x4, 0x20000500\n li x8, 0x20000600\n li x9, 0x20000640\n "
     "li x10, 0x20000680\n li x11, 0x200006c0\n li x12, 0x20000700\n li x13, 0x20000740\n li x14, "
     "0x20000780\n li x15, 0x200007c0\n li x16, 0x20000800\n li x17, 0x20000840\n li x18, 0x20000880\n li "
     "x19, 0x200008c0\n li x20, 0x20000900\n li x21, 0x20000940\n li x22, 0x20000980\n li x23, 0x200009c0\n "
     "li x24, 0x20000a00\n li x25, 0x20000a40\n li x26, 0x20000a80\n li x27, 0x20000ac0\n li x28, "
     "0x20000b00\n li x29, 0x20000b40\n li x30, 0x20000b80\n li x31, 0x20000bc0\n",
     " la t1, round\n jr t1\n",
     0x20000000,
     0x20001000,
     NULL,
     {0},
     {{"ret", "la ra, nN\n ret\nnN:"},
      {"jr rs1", "la t2, nN\n jr t2\nnN:"},
      {"jr rs1z", "la t2, nN\n jr t2\nnN:"},
      {"jr offset(rs1)", "la t2, nN\n compress off\n jr 0(t2)\n compress on\nnN:"},
      {"jalr rs1", "la t2, nN\n jalr t2\nnN:"},
      {"jalr rs1z", "la t2, nN\n jalr t2\nnN:"},
      {"jalr rd, offset(rs1)", "la t2, nN\n jalr t3, 0(t2)\nnN:"},
      {"mret", "la t2, nN\n csrw mepc, t2\n mret\nnN:"}},
     {{0}}},
    {"cpu12",
     " vector reset, start\n section p, flash, at 0x4000\nstart: nop\n",
     "round: lds #0x3f00\n ldd #0x1201\n ldx #0x1800\n ldy #0x2000\n",
     " jmp round\n",
     0x1000,
     0x3000,
     NULL,
     {0},
     {{"rts", "jsr sN\n bra nN\nsN: rts\nnN:"},
      {"rtc", "call sN, 0\n bra nN\nsN: rtc\nnN:"},
      {"jmp target", "jmp nN\nnN:"},
      {"jsr target", "jsr sN\n bra nN\nsN: rts\nnN:"}}},
    {"a32",
     " vector reset, start\n org 0x100\nstart: nop\n",
     "round: ldr r0, =0x20000400\n ldr r1, =0x20000440\n ldr r2, =0x20000480\n mov r3, #8\n mov r4, #4\n mov "
     "r5, #16\n ldr r6, =0x200004c0\n "
     "ldr r7, =0x20000500\n ldr r8, =0x20000540\n mov r9, #8\n ldr r10, =0x20000580\n mov r11, #4\n ldr r12, "
     "=0x200005c0\n ldr lr, =0x20000600\n ldr sp, =0x20000640\n",
     " b round\n pool\n align 4\ndata: dd 0x20000400, 0x20000400\n",
     0x20000000,
     0x20001000,
     NULL,
     {0},
     {{"bx rm", "adr r0, nN\n bx r0\nnN:"},
      {"blx rm", "adr r0, nN\n blx r0\nnN:"},
      {"pop {one|pc}", "adr r0, nN\n push {r0}\n pop {pc}\nnN:"},
      {"rfe rn{!}", "adr r0, nN\n mov r1, #0x1d3\n push {r0, r1}\n rfe sp!\nnN:"}},
     {{0}}},
    {"avr",
     " vector reset, start\n org 0x40\nstart: ldi r16, 8\n out SPH, r16\n ldi r16, 0\n out SPL, r16\n",
     "round: ldi r16, 4\n out SPH, r16\n ldi xl, 0\n ldi xh, 2\n ldi yl, 0\n ldi yh, 3\n ldi zl, 0x40\n ldi "
     "zh, "
     "3\n ldi r17, 3\n",
     " jmp round\n",
     0x100,
     0x900,
     NULL,
     {0},
     {{"ret", "rcall sN\n rjmp nN\nsN: ret\nnN:"},
      {"reti", "rcall sN\n rjmp nN\nsN: reti\nnN:"},
      {"ijmp", "ldi zl, low(nN)\n ldi zh, high(nN)\n ijmp\nnN:"},
      {"icall", "ldi zl, low(sN)\n ldi zh, high(sN)\n icall\n rjmp nN\nsN: ret\nnN:"},
      {"jmp target", "jmp nN\nnN:"},
      {"call target", "call sN\n rjmp nN\nsN: ret\nnN:"},
      {"rjmp near", "rjmp nN\nnN:"},
      {"rcall near", "rcall sN\n rjmp nN\nsN: ret\nnN:"}},
     {{0x20, 0x3D}, {0x3F, 0x49}, {0x4C, 0x5E}, {0x60, 0xFF}}},
    {"mcs4",
     "start, nop\n",
     "round, fim p0, 0x12\n fim p1, 0x21\n fim p2, 0x34\n src p1\n clc\n",
     " jun round\n",
     0,
     0,
     NULL,
     {0},
     {{"bbl k", "jms sN\n jun nN\nsN, bbl 3\nnN,"},
      {"jms target", "jms sN\n jun nN\nsN, bbl 3\nnN,"},
      {"jun target", "jun nN\nnN,"},
      {"isz r, near", "ldm 0\n xch r9\n isz r9, nN\nnN,"}},
     {{0}}},
    {"armv6m", ARM, {ARM_SAMPLES}},
    {"armv7m",
     ARM,
     {ARM_SAMPLES,
      {"cbz rn, label6", "cbz r0, nN\n nop\nnN:"},
      {"cbnz rn, label6", "cbnz r0, nN\n nop\nnN:"},
      {"it cond", "it ne\n movne r9, r10"},
      {"tbb [rn|sp|pc, rm]", "movs r3, #0\n tbb [pc, r3]\n db 1, 0\nnN:"},
      {"tbh [rn|sp|pc, rm, lsl #1]", "movs r3, #0\n tbh [pc, r3, lsl #1]\n dw 1\nnN:"}}},
};

typedef struct tool {
    oak_host host;
    oak_diag_sink sink;
    oak_part *part;
    const oak_isa *isa;
    oak_isa_tables *tables;
    const surroundings *around;
    uint32_t named; /* an address, and what it is called */
    char next[24];
} tool;

static void swallow(void *context, const oak_diagnostic *diag)
{
    (void)context, (void)diag;
}

static uint64_t seed = 0x9E3779B97F4A7C15u;
static uint32_t random32(void)
{
    seed ^= seed << 13, seed ^= seed >> 7, seed ^= seed << 17;
    return (uint32_t)(seed >> 16);
}

static const char *name_of(void *context, unsigned space, uint32_t address)
{
    const tool *t = context;
    return space == t->isa->about.code_space && address == t->named ? t->next : NULL;
}

static oak_program *assembled(tool *t, const char *text)
{
    oak_program *program = NULL;
    return oak_assemble_text(&t->host, t->part, "sample", text, strlen(text), &t->sink, &program) ? NULL
                                                                                                  : program;
}

/* Whether what the next instruction reaches is plain memory. */
static bool is_plain(const tool *t, oak_chip_port chip)
{
    oak_watched touched[OAK_MOST_WATCHED];
    unsigned count = chip.ops->touches(chip.chip, touched, OAK_MOST_WATCHED);
    for (unsigned i = 0; i < count && i < OAK_MOST_WATCHED; i++) {
        const oak_watched *one = &touched[i];
        for (unsigned k = 0; k < 4 && one->space; k++)
            if (t->around->shun[k][1] && one->address >= t->around->shun[k][0] &&
                one->address <= t->around->shun[k][1])
                return false;
        bool device =
            t->around->devices && strcmp(t->isa->about.spaces[one->space].name, t->around->devices) == 0;
        for (const uint8_t *own = t->around->registers; device && *own; own++) device = one->address != *own;
        if (device) return false;
        if (!t->around->ram) continue;

        uint32_t size = one->size % 8 == 0 && one->size ? 8 : one->size;
        bool aligned = size == 1 || size == 2 ? one->address % size == 0 : one->address % 4 == 0;
        bool data = one->address < 0x2000 && !(one->accesses & OAK_ACCESS_WRITE);
        bool inside = one->address >= t->around->ram && one->address + one->size <= t->around->ram_end;
        if (one->space && (!aligned || (!inside && !data))) return false;
    }
    return true;
}

/* Runs a program: whether it goes on for `steps`, round after round. `name`: it is measured, and the dump called so, behind how often it
 * went round (times 1000) and the instructions of a round. */
static bool run(tool *t, const char *text, unsigned steps, const char *name)
{
    oak_machine *machine = NULL;
    oak_session *session = NULL;
    oak_program *program = assembled(t, text);
    uint32_t outside;
    bool runs = false;
    if (program && !oak_machine_create(&t->host, t->part, &machine) &&
        !oak_machine_load(machine, oak_program_image(program), &outside)) {
        const oak_chip_port chip = oak_machine_port(machine);
        oak_event event;
        const oak_budget most = {.instructions = 3000}, budget = {.instructions = steps};
        runs = !oak_session_open(&t->host, &chip, program, &session);
        uint64_t passed[4] = {0};
        for (unsigned i = 0; runs && i < 4; i++) { /* the second round and those behind it are alike */
            runs = !oak_session_run_to(session, "round", &most, &t->sink, &event) &&
                   event.stop.reason == OAK_STOP_STEP;
            oak_chip_time now = {0};
            runs = runs && !chip.ops->read_time(chip.chip, &now);
            passed[i] = now.instructions;
        }
        if (runs && name) {
            char full[600];
            uint64_t round = passed[3] - passed[2];
            snprintf(full, sizeof full, "%llu %llu|%s", (unsigned long long)(1000ull * steps / round),
                     (unsigned long long)round, name);
            runs = !oak_session_run(session, &most, &t->sink, &event); /* all is decoded */
            for (unsigned i = 0; runs && i < 2;
                 i++) { /* the second is longer: what a run costs at all is taken off */
                oak_budget longer = {.instructions = (uint64_t)steps * (1 + 2 * i)};
                CALLGRIND_ZERO_STATS;
                runs = !oak_session_run(session, &longer, &t->sink, &event);
                CALLGRIND_DUMP_STATS_AT(full);
            }
        } else if (runs && steps) {
            const char *const copies[] = {"copy0", "copy1", "copy9", "copy31"};
            for (unsigned i = 0; runs && i < 4; i++)
                runs = !oak_session_run_to(session, copies[i], &most, &t->sink, &event) && is_plain(t, chip);
            runs = runs && !oak_session_run(session, &budget, &t->sink, &event) &&
                   event.stop.reason == OAK_STOP_STEPS;
        }
    }
    oak_session_close(session);
    oak_machine_free(machine);
    oak_program_free(program);
    return runs;
}

/* Puts the copies of a text into the loop; `N` in it becomes the copy's number. */
static void write_loop(const tool *t, const char *text, char *loop, size_t room)
{
    size_t at = (size_t)snprintf(loop, room, "%s%s", t->around->begin, t->around->round);
    for (unsigned copy = 0; text && copy < COPIES; copy++) {
        at += (size_t)snprintf(loop + at, room - at, "copy%u: ", copy);
        for (const char *p = text; *p; p++) {
            bool number = *p == 'N';
            at += number ? (size_t)snprintf(loop + at, room - at, "%u", copy)
                         : (size_t)snprintf(loop + at, room - at, "%c", *p);
        }
        at += (size_t)snprintf(loop + at, room - at, "\n");
    }
    snprintf(loop + at, room - at, "copy%u:%s%s", COPIES, "\n", t->around->end);
}

static bool sample_of(tool *t, unsigned row, char *text, size_t room, char *loop, size_t loop_room)
{
    char spelled[100];
    snprintf(spelled, sizeof spelled, "%s%s%s", t->isa->rows[row].mnemonic,
             t->isa->rows[row].operands[0] ? " " : "", t->isa->rows[row].operands);
    for (const sample *own = t->around->samples; own->row; own++) {
        if (strcmp(own->row, spelled) != 0) continue;
        snprintf(text, room, "%s", own->text);
        write_loop(t, text, loop, loop_room);
        return run(t, loop, 3000, NULL);
    }
    oak_pattern pattern;
    oak_pattern_compile(t->isa->rows[row].bits, &pattern);
    for (unsigned tries = 0; tries < TRIES; tries++) {
        uint64_t word = ((uint64_t)random32() << 32 | random32()) &
                        (pattern.size < 8 ? ((uint64_t)1 << 8 * pattern.size) - 1 : UINT64_MAX);
        word = (word & ~pattern.mask) | pattern.fixed;
        uint8_t bytes[16] = {0};
        oak_decoded decoded;
        oak_lay_down(t->isa, word, pattern.size, bytes);
        if (t->isa->decode(t->tables, bytes, sizeof bytes, 0x200, 0, &decoded) || decoded.row != row)
            continue;
        oak_buf out = {.host = &t->host};
        snprintf(t->next, sizeof t->next, decoded.has_target ? "nN" : "data");
        t->named = decoded.has_target ? decoded.target : decoded.data;
        const oak_namer namer = {t, name_of};
        t->isa->print(t->tables, &decoded, decoded.has_target || decoded.has_data ? &namer : NULL, &out);
        snprintf(text, room, "%.*s%s", (int)out.size, out.bytes, decoded.has_target ? "\nnN:" : "");
        oak_buf_close(&out);
        write_loop(t, text, loop, loop_room);
        if (run(t, loop, 3000, NULL)) return true;
    }
    return false;
}

static int find(tool *t)
{
    static char loop[64000];
    char text[300];
    for (unsigned row = 0; row < t->isa->row_count; row++) {
        const oak_insn_row *one = &t->isa->rows[row];
        if (!one->mnemonic[0]) continue; /* of a sister architecture */
        bool found = sample_of(t, row, text, sizeof text, loop, sizeof loop);
        for (char *p = text; *p; p++)
            if (*p == '\n') *p = ';';
        printf("%s|%s %s|%s\n", found ? "measured" : "not", one->mnemonic, one->operands, found ? text : "");
    }
    return 0;
}

static int measure(tool *t)
{
    static char loop[64000];
    char line[700];
    write_loop(t, NULL, loop, sizeof loop);
    if (!run(t, loop, STEPS, "|")) return fputs("rows: the loop does not run\n", stderr), 1;
    while (fgets(line, sizeof line, stdin)) {
        if (strncmp(line, "measured|", 9) != 0) continue;
        line[strcspn(line, "\n")] = 0;
        char *text = strrchr(line, '|') + 1, name[700];
        snprintf(name, sizeof name, "%s", line + 9);
        for (char *p = text; *p; p++)
            if (*p == ';') *p = '\n';
        write_loop(t, text, loop, sizeof loop);
        run(t, loop, STEPS, name);
    }
    return 0;
}

int main(int argc, char **argv)
{
    tool t = {.host = oak_linux_host(), .sink = {.report = swallow}};
    bool finds = argc > 1 && strcmp(argv[1], "find") == 0,
         measures = argc > 1 && strcmp(argv[1], "measure") == 0;
    if (argc != 3 || (!finds && !measures) || oak_part_load(&t.host, argv[2], &t.sink, &t.part))
        return fputs("usage: rows find|measure PART\n", stderr), 2;
    t.isa = oak_isa_find(t.part->architecture->name);
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++)
        if (t.isa && strcmp(all[i].architecture, t.isa->about.name) == 0) t.around = &all[i];
    if (!t.around || t.isa->open(&t.host, &t.tables))
        return fputs("rows: nothing to put around its instructions\n", stderr), 2;
    int status = finds ? find(&t) : measure(&t);
    t.isa->close(&t.host, t.tables);
    oak_part_free(t.part);
    return status;
}
