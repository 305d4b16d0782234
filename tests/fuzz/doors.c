/* doors.c — see doors.h. What is costly is made once: parts, machines, programs. Files come out of memory. */
#include "doors.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <oakspindle/oakspindle.h>

#include "../../cli/bench/bench.h"

/* ------------------------------------------------------------------------------------------ files in memory */

#define INPUT "input.yaml"

static const uint8_t *input;
static size_t input_size;
static oak_host disk;

/* `input.*` is what is being tried, `lead.yaml` a part that imports it; everything else that may be read lies among the parts. */
static oak_status read_file(void *context, const char *path, size_t limit, uint8_t **bytes, size_t *size)
{
    static const char lead[] = "part: lead\nextends: armv6m-32k\ntitle: lead\nimport: input.svd\n";
    const char *slash = strrchr(path, '/'), *name = slash ? slash + 1 : path;
    const void *from = NULL;
    (void)context;
    if (strncmp(name, "input.", 6) == 0 || strcmp(name, "spindle.yaml") == 0)
        from = input, *size = input_size;
    else if (strcmp(name, "lead.yaml") == 0) from = lead, *size = sizeof lead - 1;
    else if (strncmp(path, SOURCE_FOLDER "/parts/", sizeof SOURCE_FOLDER + 6) == 0 && !strstr(path, ".."))
        return disk.read_file(disk.context, path, limit, bytes, size);
    else return OAK_NOT_FOUND;
    *bytes = NULL;
    if (*size > limit) return OAK_OUT_OF_RANGE;
    if (!*size) return OAK_OK;
    *bytes = malloc(*size);
    if (!*bytes) return OAK_NO_MEMORY;
    memcpy(*bytes, from, *size);
    return OAK_OK;
}

static oak_host host;
static unsigned messages;

static void count_message(void *context, const oak_diagnostic *d)
{
    (void)context;
    messages++;
    if (!d->message || !*d->message) abort();
}

static const oak_diag_sink sink = {NULL, count_message};

/* What is refused is said. */
static void must_be_said(oak_status status)
{
    if (status && status != OAK_NO_MEMORY && !messages) {
        fprintf(stderr, "refused without a message: %s\n", oak_status_text(status));
        abort();
    }
}

static oak_status swallow(void *context, const char *text, size_t size)
{
    size_t *total = context;
    if (size && !text) abort();
    *total += size;
    return OAK_OK;
}

static void open_hosts(void)
{
    if (host.resize) return;
    disk = oak_linux_host();
    host = disk;
    host.read_file = read_file;
    setenv("OAKSPINDLE_PARTS", SOURCE_FOLDER "/parts", 1);
}

/* ------------------------------------------------------------------------------------------ chips */

/* A chip with a short program that ends in a jump to itself, made once. */
typedef struct chip {
    const char *name;
    oak_part *part;
    oak_program *program;
    oak_machine *machine;
    oak_chip_port port;
    oak_session *session;
    unsigned uses;
} chip;

static const char program_8bit[] =
    "log equ 0x10\ncount equ 3\n vector reset, start\n vector timer0, tick\n org 0x100\n"
    "start: mov sp, #0x40\n mov tmod, #0x21\n mov th0, #0xff\n mov ie, #0x82\n setb tr0\n"
    "loop: inc p1\n mov dptr, #0x10\n movx @dptr, a\n acall part\n djnz r7, loop\n"
    "rest: sjmp rest\npart: push acc\n add a, #3\n mov 0x30, a\n pop acc\n ret\ntick: cpl p3.4\n reti\n";
static const char program_z80[] =
    "log equ 0x10\ncount equ 3\n vector reset, start\n vector restart, tick\n org 0x100\n"
    "start: ld sp, 0xfff0\n im 1\n ld a, 0xc0\n out (C0_CTRL), a\n ei\n"
    "loop: ld (patch+1), a\npatch: ld b, 2\n call part\n ld (ix+5), a\n djnz loop\n"
    "rest: jr rest\npart: push af\n add a, 3\n ld (0x8000), a\n ldi\n pop af\n ret\ntick: inc (hl)\n reti\n";
static const char program_filed[] = "log equ 0x10\ncount equ 3\n vector reset, start\n org 0x40\n"
                                    "start: movlw 0xff\n movwf PR2\n movwf CCPR1L\n movlw 12\n movwf "
                                    "CCP1CON\n movlw 4\n movwf T2CON\n bsf INTCON, 7\n"
                                    "loop: incf PORTB, f\n call part\n decfsz 0x20, f\n goto loop\n"
                                    "rest: goto rest\npart: addlw 3\n movwf 0x21\n return\ntick: retfie\n";
static const char program_16bit[] =
    "log equ 0x10\ncount equ 3\n vector reset, start\n vector timer0, tick\n section s, ram, copied\nkept: "
    "dw 7\n section p, flash\n"
    "start: mov #0x4000, sp\n mov #0x5a80, &WDTCTL\n copied\n mov #0x2100, r5\n mov #0x2200, r6\n mov #9, "
    "r8\n mov #50, &TACCR0\n mov #CCIE, &TACCTL0\n mov "
    "#SMCLK|MC_1, &TACTL\n eint\n"
    "loop: add.b @r5+, 2(r6)\n call #part\n xor &kept, r7\n dec r8\n jnz loop\n"
    "rest: jmp rest\npart: push r4\n addc #3, r4\n mov r4, &0x3000\n pop r4\n ret\ntick: inc &kept\n reti\n";
static const char program_cpu12[] = "log equ 0x10\ncount equ 3\n vector reset, start\n vector channel0, "
                                    "tick\n section s, ram, copied\nkept: dw 7\n section p, flash\n"
                                    "start: lds #0x4000\n copied\n bset TIOS, #1\n movb #0x80, TSCR1\n movw "
                                    "#50, TC0\n bset TIE, #1\n cli\n ldx #0x1100\n ldy #0x1200\n ldab #9\n"
                                    "loop: ldaa 1,x+\n staa [2,y]\n bsr part\n addd kept\n dbne b, loop\n"
                                    "rest: bra rest\npart: pshy\n leay 3,y\n sty 0x3000\n puly\n rts\ntick: "
                                    "movb #1, TFLG1\n inc kept\n rti\n";
static const char program_32bit[] =
    "count equ 3\n vector stack, 0x20001000\n vector reset, start\n vector systick, tick\n org 0x200\n"
    "start: movs r0, #20\n ldr r4, =0x20000010\nloop: str r0, [r4]\n bl part\n subs r0, r0, #1\n bne loop\n"
    "rest: b rest\npart: push {r0, lr}\n adds r1, r1, #1\n pop {r0, pc}\ntick: bx lr\n";

static const char program_rv32[] =
    "log equ 0x10\ncount equ 3\n vector reset, start\n section s, ram, copied\nkept: dd 7\n section p, "
    "flash\n"
    "start: la sp, 0x20001000\n la t0, tick\n csrw mtvec, t0\n copied\n li t1, MT_CMP\n li t0, 90\n sw t0, "
    "0(t1)\n sw zero, 4(t1)\n"
    " li t0, 0x80\n csrw mie, t0\n csrsi mstatus, 8\n li s0, 9\n la s1, kept\n"
    "loop: lw a0, 0(s1)\n call part\n sb a0, 8(s1)\n addi s0, s0, -1\n bnez s0, loop\n"
    "rest: j rest\npart: addi sp, sp, -16\n sw ra, 12(sp)\n addi a0, a0, 3\n lw ra, 12(sp)\n addi sp, sp, "
    "16\n ret\n"
    " align 4\ntick: li t1, MT_CMP\n lw t0, 0(t1)\n addi t0, t0, 200\n sw t0, 0(t1)\n mret\n";

static const char program_a32[] =
    "log equ 0x10\ncount equ 3\n vector reset, start\n vector irq, tick\n org 0x100\n"
    "start: cpsid i, #0x12\n ldr sp, =0x20000800\n cpsid i, #0x13\n ldr sp, =0x20001000\n ldr r0, "
    "=TIM0_TOP\n mov r1, #90\n str r1, [r0]\n"
    " mov r1, #3\n str r1, [r0, #TIM0_CTRL - TIM0_TOP]\n ldr r0, =IC_ENABLE\n mov r1, #4\n str r1, [r0]\n "
    "cpsie i\n mov r4, #9\n ldr r5, =0x20000010\n"
    "loop: ldr r0, [r5], #4\n bl part\n strb r0, [r5]\n subs r4, r4, #1\n bne loop\nrest: b rest\n"
    "part: push {r1, lr}\n addne r0, r0, #3\n pop {r1, pc}\n"
    "tick: sub lr, lr, #4\n push {r0, r1, lr}\n ldr r0, =TIM0_STAT\n mov r1, #1\n str r1, [r0]\n ldm sp!, "
    "{r0, r1, pc}^\n";

static const char program_avr[] = "log equ 0x110\ncount equ 3\n vector reset, start\n vector timer0_a, "
                                  "tick\n section s, data, copied\nkept: db 7, 1, 2, 3\n section p, code\n"
                                  "start: copied\n ldi r16, 90\n out OCR0A, r16\n ldi r16, 2\n out TCCR0A, "
                                  "r16\n sts TIMSK0, r16\n ldi r16, 1\n out TCCR0B, r16\n sei\n ldi r20, 9\n"
                                  "loop: ldi xl, low(kept)\n ldi xh, high(kept)\n ld r17, x+\n rcall part\n "
                                  "sbic PINB, 3\n st x, r17\n dec r20\n brne loop\nrest: rjmp rest\n"
                                  "part: push r17\n add r16, r17\n adc r18, r20\n cpi r16, 3\n brne done\n "
                                  "sbi PORTB, 1\ndone: pop r17\n ret\n"
                                  "tick: in r15, SREG\n lds r14, kept\n out SREG, r15\n reti\n";

static const char program_mcs4[] =
    "log equ 0x10\ncount equ 3\nstart, ldm 9\n xch r8\nloop, jms part / again\n fim p1, 0x12\n src p1\n ld "
    "r6\n wrm\n wr1\n wmp\n isz r8, loop\nrest, jun rest\n"
    "part, ldm 3\n clc\n add r6\n daa\n xch r6\n fim p0, low(table)\n fin p4\n ldm 1\n dcl\n src p4\n adm\n "
    "wrm\n ldm 0\n dcl\n rdr\n jcn t0, done\n kbp\ndone, bbl 3\n"
    "table, db 1, 2, 3\n";

static chip *find_chip(const char *name)
{
    static chip chips[] = {{.name = "mcs51-8k"},   {.name = "armv6m-32k"}, {.name = "armv7m-256k"},
                           {.name = "z80-64k"},    {.name = "picmid-8k"},  {.name = "pic18-32k"},
                           {.name = "msp430-32k"}, {.name = "cpu12-64k"},  {.name = "rv32-256k"},
                           {.name = "a32-512k"},   {.name = "avr-32k"},    {.name = "mcs4-4k"}};
    open_hosts();
    chip *c = chips;
    while (strcmp(c->name, name) != 0) c++;
    if (c->part) return c;
    char path[500];
    uint32_t outside;
    const char *source = strncmp(name, "mcs51", 5) == 0   ? program_8bit
                         : strncmp(name, "z80", 3) == 0   ? program_z80
                         : strncmp(name, "pic", 3) == 0   ? program_filed
                         : strncmp(name, "msp", 3) == 0   ? program_16bit
                         : strncmp(name, "cpu12", 5) == 0 ? program_cpu12
                         : strncmp(name, "rv32", 4) == 0  ? program_rv32
                         : strncmp(name, "a32", 3) == 0   ? program_a32
                         : strncmp(name, "avr", 3) == 0   ? program_avr
                         : strncmp(name, "mcs4", 4) == 0  ? program_mcs4
                                                          : program_32bit;
    snprintf(path, sizeof path, SOURCE_FOLDER "/parts/%s.yaml", name);
    if (oak_part_load(&host, path, &sink, &c->part) ||
        oak_assemble_text(&host, c->part, "rig.asm", source, strlen(source), &sink, &c->program) ||
        oak_machine_create(&host, c->part, &c->machine) ||
        oak_machine_load(c->machine, oak_program_image(c->program), &outside)) {
        fprintf(stderr, "the chip of the rig cannot be made\n");
        abort();
    }
    c->port = oak_machine_port(c->machine);
    return c;
}

/* A session on it, as new: expressions live as long as their session, so it is made anew now and then. */
static oak_session *fresh_session(chip *c)
{
    enum { USES = 200 };
    if (c->session && ++c->uses % USES) {
        if (oak_session_reset(c->session)) abort();
        return c->session;
    }
    oak_session_close(c->session);
    c->port.ops->reset(c->port.chip);
    if (oak_session_open(&host, &c->port, c->program, &c->session)) abort();
    return c->session;
}

static void run_a_little(oak_session *session)
{
    oak_budget budget = {.cycles = 400, .instructions = 400};
    oak_event event;
    char text[400];
    must_be_said(oak_session_run(session, &budget, &sink, &event));
    oak_fault_sentence(session, &event.stop, text, sizeof text);
    oak_session_name_place(session, event.stop.pc, text, sizeof text);
}

/* ------------------------------------------------------------------------------------------ doors */

static void enter_source(const door *self, const uint8_t *bytes, size_t size)
{
    chip *c = find_chip(self->subject);
    oak_program *program = NULL;
    size_t total = 0;
    const oak_text_sink out = {&total, swallow};
    must_be_said(oak_assemble_text(&host, c->part, INPUT, (const char *)bytes, size, &sink, &program));
    if (!program) return;
    if (oak_hex_write(oak_program_image(program), 16, &out) || oak_program_write_listing(program, &out))
        abort();
    if (bytes[0] % 4 == 0) { /* what costs more */
        if (oak_program_write_elf(program, &out)) abort();
        oak_status status = oak_look(program, &out);
        if (status && status != OAK_OUT_OF_RANGE) abort();
        oak_machine *machine;
        uint32_t outside;
        oak_stop stop;
        if (oak_machine_create(&host, c->part, &machine)) abort();
        if (!oak_machine_load(machine, oak_program_image(program), &outside)) {
            oak_chip_port port = oak_machine_port(machine);
            port.ops->run(port.chip, 3000, 3000, &stop);
        }
        oak_machine_free(machine);
    }
    oak_program_free(program);
}

static void enter_image(const door *self, const uint8_t *bytes, size_t size)
{
    oak_image *image;
    size_t total = 0;
    const oak_text_sink out = {&total, swallow};
    open_hosts();
    if (oak_image_create(&host, &image)) abort();
    bool is_hex = strcmp(self->name, "hex") == 0;
    must_be_said((is_hex ? oak_hex_read : oak_srec_read)(image, (const char *)bytes, size, INPUT, &sink));
    if (oak_hex_write(image, 16, &out) || oak_srec_write(image, 16, &out)) abort();
    oak_image_free(image);
}

static void enter_part(const door *self, const uint8_t *bytes, size_t size)
{
    oak_part *part = NULL;
    (void)bytes, (void)size;
    open_hosts();
    must_be_said(oak_part_load_from(&host, self->subject, &(oak_part_shelf){SOURCE_FOLDER "/parts", NULL},
                                    &sink, &part));
    if (!part) return;
    oak_machine *machine = NULL;
    oak_session *session = NULL;
    if (!oak_machine_create(&host, part, &machine)) {
        oak_chip_port port = oak_machine_port(machine);
        size_t total = 0;
        const oak_text_sink out = {&total, swallow};
        if (oak_session_open(&host, &port, NULL, &session)) abort();
        run_a_little(session);
        for (unsigned i = 0; i < part->memory_count;
             i++) { /* both ends of every memory can be written and read */
            const oak_part_memory *memory = &part->memories[i];
            uint8_t byte = 0x5A;
            uint32_t last = memory->base + (memory->size - 1);
            port.ops->write_memory(port.chip, memory->space, memory->base, &byte, 1);
            port.ops->write_memory(port.chip, memory->space, last, &byte, 1);
            port.ops->read_memory(port.chip, memory->space, last, &byte, 1);
        }
        for (unsigned i = 0; i < part->register_count; i++) {
            uint8_t value[4] = {1, 2, 3, 4};
            const oak_part_register *reg = &part->registers[i];
            port.ops->write_memory(port.chip, reg->space, reg->address, value, (reg->bits + 7u) / 8);
            port.ops->read_memory(port.chip, reg->space, reg->address, value, (reg->bits + 7u) / 8);
        }
        if (oak_session_write_state(session, &out) == OAK_MISUSE) abort();
        oak_session_close(session);
    }
    oak_machine_free(machine);
    oak_part_free(part);
}

static void enter_board(const door *self, const uint8_t *bytes, size_t size)
{
    chip *c = find_chip("mcs51-8k");
    oak_board *board = NULL;
    oak_session *session;
    char text[2000];
    (void)self, (void)bytes, (void)size;
    oak_status status = oak_board_load(&host, INPUT, c->part, NULL, &sink, &board);
    must_be_said(status);
    if (!board) return;
    oak_session_close(c->session); /* a board is joined for good */
    c->session = NULL;
    c->port.ops->reset(c->port.chip);
    if (oak_session_open(&host, &c->port, c->program, &session)) abort();
    if (oak_board_join(board, session, 7)) abort();
    run_a_little(session);
    size_t count;
    for (unsigned i = 0; oak_board_stand_in(board, i); i++) {
        oak_stand_in *one = oak_board_stand_in(board, i);
        oak_stand_in_show(one, text, sizeof text);
        oak_stand_in_draw(one, text, sizeof text);
        oak_stand_in_type(one, (const uint8_t *)"go\n", 3);
        oak_stand_in_printed(one, &count);
    }
    run_a_little(session);
    size_t total = 0;
    const oak_text_sink out = {&total, swallow};
    if (oak_session_write_state(session, &out)) abort();
    oak_session_close(session);
    oak_board_free(board);
}

static bool goes_on(void *context, uint64_t cycles)
{
    (void)context, (void)cycles;
    return false;
}

static void enter_trials(const door *self, const uint8_t *bytes, size_t size)
{
    chip *c = find_chip("mcs51-8k");
    oak_trials *trials = NULL;
    char text[300];
    (void)self, (void)bytes, (void)size;
    must_be_said(oak_trials_load(&host, INPUT, &sink, &trials));
    for (unsigned i = 0; trials && i < 2 && oak_trial_at(trials, i); i++) {
        oak_session *session;
        oak_trial_result result;
        oak_trial_case_text(trials, i, oak_trial_at(trials, i)->cases - 1, text, sizeof text);
        oak_session_close(c->session);
        c->session = NULL;
        c->port.ops->reset(c->port.chip);
        if (oak_session_open(&host, &c->port, c->program, &session)) abort();
        oak_status status = oak_trial_run(trials, i, oak_trial_at(trials, i)->cases - 1, session, NULL,
                                          goes_on, NULL, &sink, &result);
        if (status != OAK_INTERRUPTED) must_be_said(status);
        oak_session_close(session);
    }
    oak_trials_free(trials);
}

static void enter_stimuli(const door *self, const uint8_t *bytes, size_t size)
{
    chip *c = find_chip("mcs51-8k");
    oak_session *session;
    (void)self;
    oak_session_close(c->session);
    c->session = NULL;
    c->port.ops->reset(c->port.chip);
    if (oak_session_open(&host, &c->port, c->program, &session)) abort();
    must_be_said(oak_session_read_stimuli(session, (const char *)bytes, size, INPUT, &sink));
    must_be_said(oak_session_record(session, "pins", &sink));
    run_a_little(session);
    oak_session_close(session);
}

static void enter_state(const door *self, const uint8_t *bytes, size_t size)
{
    chip *c = find_chip(self->subject);
    oak_session *session = fresh_session(c);
    size_t total = 0;
    const oak_text_sink out = {&total, swallow};
    oak_status status = oak_session_read_state(session, (const char *)bytes, size, INPUT, &sink);
    must_be_said(status);
    if (status) return;
    run_a_little(session);
    if (oak_session_write_state(session, &out)) abort();
}

static void enter_dump(const door *self, const uint8_t *bytes, size_t size)
{
    oak_trace *trace = NULL;
    size_t total = 0;
    const oak_text_sink out = {&total, swallow};
    (void)self;
    open_hosts();
    must_be_said(oak_trace_read_vcd(&host, (const char *)bytes, size, INPUT, &sink, &trace));
    if (trace && oak_trace_write_vcd(trace, &out)) abort();
    oak_trace_free(trace);
}

/* The first byte says what the text is taken for. */
static void enter_expression(const door *self, const uint8_t *bytes, size_t size)
{
    chip *c = find_chip(self->subject);
    oak_session *session = fresh_session(c);
    char text[600];
    unsigned number;
    if (size < 2 || size > sizeof text) return;
    memcpy(text, bytes + 1, size - 1);
    text[size - 1] = 0;
    oak_reading reading;
    uint32_t address;
    oak_status status;
    switch (bytes[0] % 10) {
    case 0: status = oak_session_value(session, text, &sink, &reading); break;
    case 1: status = oak_session_set(session, text, &sink); break;
    case 2: status = oak_session_place(session, text, &sink, &address); break;
    case 3: status = oak_session_drive(session, text, &sink); break;
    case 4: status = oak_session_record(session, text, &sink); break;
    case 5: status = oak_session_add_lap(session, text, "rest", &sink); break;
    case 6:
        status = oak_session_add_stop(session, "loop", text, 1, &sink, &number);
        if (!status) {
            run_a_little(session);
            if (oak_session_remove_stop(session, number)) abort();
        }
        break;
    case 7: status = oak_session_mark(session, text, &sink); break;
    default: {
        oak_watch_kind kind = (oak_watch_kind)(bytes[0] / 10 % (OAK_WATCH_HANDLER + 1));
        status = oak_session_add_watch(session, text, kind, &sink, &number);
        if (!status) {
            run_a_little(session);
            if (oak_session_remove_watch(session, number)) abort();
        }
        break;
    }
    }
    must_be_said(status);
}

/* ------------------------------------------------------------------------------------------ doors of the tool */

static cli tool;

static cli *open_tool(void)
{
    open_hosts();
    if (!tool.host.resize) {
        tool = (cli){.host = host, .sink = sink};
        tool.diagnostics = cJSON_CreateArray();
        if (!getenv("OAK_FUZZ_LOUD") && !freopen("/dev/null", "w", stdout)) abort();
    }
    tool.errors = tool.warnings = 0;
    return &tool;
}

static void enter_verbs(const door *self, const uint8_t *bytes, size_t size)
{
    chip *c = find_chip(self->subject);
    cli *of = open_tool();
    bench b = {.self = of, .session = fresh_session(c), .path = INPUT, .bounded = true};
    if (oak_session_keep_history(b.session, 0)) abort();
    for (const char *at = (const char *)bytes, *end = at + size; at < end && !b.quits && !b.again;) {
        const char *stop = memchr(at, '\n', (size_t)(end - at));
        size_t length = (size_t)((stop ? stop : end) - at);
        char line[300];
        if (length < sizeof line) {
            unsigned before = messages;
            memcpy(line, at, length);
            line[length] = 0;
            if (!bench_do(&b, line) && messages == before) {
                fprintf(stderr, "not done, and nothing said: %s\n", line);
                abort();
            }
            cJSON_Delete(b.data);
            b.data = NULL;
        }
        at = stop ? stop + 1 : end;
    }
    for (unsigned i = 0; i < b.kept_count; i++) free(b.kept[i]);
    for (unsigned i = 0; i < b.drive_count; i++) free(b.drives[i]);
    for (unsigned i = 0; i < b.said_count; i++) free(b.said[i].expression), free(b.said[i].place);
    free(b.follow);
    free(b.shown_memory);
    oak_session_close(c->session); /* what verbs have set would stay */
    c->session = NULL;
}

static void enter_project(const door *self, const uint8_t *bytes, size_t size)
{
    cli_project project;
    (void)self, (void)bytes, (void)size;
    cli *of = open_tool();
    if (cli_read_project(of, &project) > 0 && !messages) abort();
    cli_free_project(&project);
}

static void enter_symbols(const door *self, const uint8_t *bytes, size_t size)
{
    chip *c = find_chip("mcs51-8k");
    cli *of = open_tool();
    oak_program *program;
    (void)self, (void)bytes, (void)size;
    if (oak_program_create(&host, c->part, &program)) abort();
    bool good = cli_read_symbols(of, "input.json", program);
    if (!good && !messages) abort();
    if (good && !oak_program_finish(program)) {
        oak_program_label_below(program, 0x100);
        cJSON_Delete(cli_symbols_json(program));
    }
    oak_program_free(program);
}

/* ------------------------------------------------------------------------------------------ all of them */

static void enter(const door *self, const uint8_t *bytes, size_t size);

typedef void (*way)(const door *, const uint8_t *, size_t);
static const struct {
    const char *name;
    way in;
} ways[] = {{"source-", enter_source},  {"hex", enter_image},       {"srec", enter_image},
            {"part", enter_part},       {"svd", enter_part},        {"board", enter_board},
            {"trials", enter_trials},   {"stimuli", enter_stimuli}, {"state-", enter_state},
            {"dump", enter_dump},       {"verbs-", enter_verbs},    {"expression-", enter_expression},
            {"project", enter_project}, {"symbols", enter_symbols}};

const door doors[] = {{"source-mcs51", 800, "mcs51-8k", enter},
                      {"source-armv6m", 800, "armv6m-32k", enter},
                      {"source-armv7m", 800, "armv7m-256k", enter},
                      {"source-z80", 800, "z80-64k", enter},
                      {"source-picmid", 800, "picmid-8k", enter},
                      {"source-pic18", 800, "pic18-32k", enter},
                      {"source-msp430", 800, "msp430-32k", enter},
                      {"source-cpu12", 800, "cpu12-64k", enter},
                      {"source-rv32", 800, "rv32-256k", enter},
                      {"source-a32", 800, "a32-512k", enter},
                      {"source-avr", 800, "avr-32k", enter},
                      {"source-mcs4", 800, "mcs4-4k", enter},
                      {"hex", 4000, NULL, enter},
                      {"srec", 4000, NULL, enter},
                      {"part", 6000, INPUT, enter},
                      {"svd", 6000, "lead.yaml", enter},
                      {"board", 4000, NULL, enter},
                      {"trials", 3000, NULL, enter},
                      {"stimuli", 1000, NULL, enter},
                      {"state-mcs51", 6000, "mcs51-8k", enter},
                      {"state-armv7m", 6000, "armv7m-256k", enter},
                      {"state-z80", 6000, "z80-64k", enter},
                      {"state-pic18", 6000, "pic18-32k", enter},
                      {"state-msp430", 6000, "msp430-32k", enter},
                      {"state-cpu12", 6000, "cpu12-64k", enter},
                      {"state-rv32", 8000, "rv32-256k", enter},
                      {"state-a32", 9000, "a32-512k", enter},
                      {"state-avr", 9000, "avr-32k", enter},
                      {"state-mcs4", 9000, "mcs4-4k", enter},
                      {"dump", 4000, NULL, enter},
                      {"verbs-mcs51", 80, "mcs51-8k", enter},
                      {"verbs-armv7m", 80, "armv7m-256k", enter},
                      {"verbs-z80", 80, "z80-64k", enter},
                      {"verbs-picmid", 80, "picmid-8k", enter},
                      {"verbs-pic18", 80, "pic18-32k", enter},
                      {"verbs-msp430", 80, "msp430-32k", enter},
                      {"verbs-cpu12", 80, "cpu12-64k", enter},
                      {"verbs-rv32", 80, "rv32-256k", enter},
                      {"verbs-a32", 80, "a32-512k", enter},
                      {"verbs-avr", 80, "avr-32k", enter},
                      {"verbs-mcs4", 80, "mcs4-4k", enter},
                      {"expression-mcs51", 300, "mcs51-8k", enter},
                      {"expression-armv7m", 300, "armv7m-256k", enter},
                      {"expression-z80", 300, "z80-64k", enter},
                      {"project", 3000, NULL, enter},
                      {"symbols", 3000, NULL, enter}};
const unsigned door_count = sizeof doors / sizeof *doors;

static void enter(const door *self, const uint8_t *bytes, size_t size)
{
    messages = 0;
    input = bytes;
    input_size = size;
    if (!size || size > self->longest) return;
    for (size_t i = 0; i < sizeof ways / sizeof *ways; i++)
        if (strncmp(self->name, ways[i].name, strlen(ways[i].name)) == 0) {
            ways[i].in(self, bytes, size);
            return;
        }
}

const door *find_door(const char *name)
{
    for (unsigned i = 0; i < door_count; i++)
        if (strcmp(doors[i].name, name) == 0) return &doors[i];
    return NULL;
}

/* Linked in place of the tool's own: nobody waits, and what lasts is ended at its first breath. */
static bool has_no_patience(void *context, uint64_t cycles)
{
    (void)context, (void)cycles;
    return false;
}

void __wrap_cli_breathe(oak_session *session, double pace, oak_budget *budget);
void __wrap_cli_breathe(oak_session *session, double pace, oak_budget *budget)
{
    enum { BREATH = 32 * 20 }; /* cycles; a 32th where each instruction is looked at */
    (void)session, (void)pace;
    budget->breathe = has_no_patience;
    budget->breath = BREATH;
}

/* Linked in place of the tool's own writing of files: whatever is tried, nothing is written. */
oak_status __wrap_oak_linux_write_files(const oak_linux_output *outputs, size_t count, size_t *failed,
                                        const char **why);
oak_status __wrap_oak_linux_write_files(const oak_linux_output *outputs, size_t count, size_t *failed,
                                        const char **why)
{
    (void)outputs;
    *failed = 0;
    *why = "nothing is written here";
    return count ? OAK_IO_ERROR : OAK_OK;
}
