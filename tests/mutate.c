/* mutate.c — at least 100,000 mutated inputs: sources, HEX files, state files, part files, expressions. Built with the
 * sanitizers and run by `./dev fuzz`; any crash, hang or leak ends it.
 *
 *   mutate [COUNT [SEED]] */
#include <stdio.h>
#include <unistd.h>

#include "support.h"

static char *read_file(const char *path, size_t *size)
{
    FILE *file = fopen(path, "rb");
    if (!file) exit(2);
    char *bytes = malloc(1 << 20);
    *size = fread(bytes, 1, 1 << 20, file);
    fclose(file);
    return bytes;
}

/* Some bytes changed, moved, doubled or cut. */
static size_t mutate(const char *from, size_t size, char *to, uint64_t *seed)
{
    static const char *const pieces[] = {
        "(",  ")",           "\"",         "'",    ",",     ":",    "0x", "$",  ".",    "#",
        "@",  "\n",          "equ ",       "set ", "org ",  "ds ",  "[",  "]",  "{",    "}",
        "-1", "99999999999", "0xffffffff", "\\",   "iram:", " if ", ";",  "\0", "\xff", "jmp "};
    size_t length = size;
    memcpy(to, from, size);
    for (unsigned changes = 1 + random32(seed) % 6; changes && length > 8; changes--) {
        size_t at = random32(seed) % length, count = random32(seed) % 12;
        switch (random32(seed) % 5) {
        case 0: to[at] = (char)random32(seed); break;
        case 1: to[at] = (char)(to[at] ^ (1 << random32(seed) % 8)); break;
        case 2:
            if (count > length - at) count = length - at;
            memmove(to + at, to + at + count, length - at - count);
            length -= count;
            break;
        case 3: {
            const char *piece = pieces[random32(seed) % (sizeof pieces / sizeof *pieces)];
            size_t n = strlen(piece) ? strlen(piece) : 1;
            memmove(to + at + n, to + at, length - at);
            memcpy(to + at, piece, n);
            length += n;
            break;
        }
        default:
            if (count > length - at) count = length - at;
            memmove(to + at + count, to + at, length - at);
            length += count;
            break;
        }
    }
    if (length && random32(seed) % 20 == 0) length = random32(seed) % length;
    return length;
}

/* What is mutated of one architecture. */
typedef struct subject {
    const char *part, *program, *source, *description;
    const char *expressions[3];
} subject;

static int mutate_all(const subject *of, unsigned long count, uint64_t seed)
{
    const char *const *expressions = of->expressions;
    bench b;
    collected diags;
    oak_diag_sink sink = collect(&diags);
    uint32_t nowhere;
    memset(&b, 0, sizeof b);
    b.host = oak_linux_host();
    if (oak_part_load(&b.host, of->part, &sink, &b.part)) return 2;
    if (oak_assemble(&b.host, b.part, of->program, &sink, &b.program)) return 2;
    if (oak_machine_create(&b.host, b.part, &b.machine) ||
        oak_machine_load(b.machine, oak_program_image(b.program), &nowhere))
        return 2;
    b.chip = oak_machine_port(b.machine);
    if (oak_session_open(&b.host, &b.chip, b.program, &b.session)) return 2;
    size_t source_size, part_size, parts_done = 0;
    char *source = read_file(of->source, &source_size), *room = malloc(4 << 20);
    char *yaml = read_file(of->description, &part_size), path[100];
    snprintf(path, sizeof path, "/tmp/oak-mutate-%d.yaml", (int)getpid());
    text hex = {0}, state = {0};
    oak_text_sink hex_sink = text_sink(&hex), state_sink = text_sink(&state);
    oak_hex_write(oak_program_image(b.program), 16, &hex_sink);
    text srec = {0};
    oak_text_sink srec_sink = text_sink(&srec);
    oak_srec_write(oak_program_image(b.program), 16, &srec_sink);
    oak_budget budget = {.cycles = 20000};
    oak_event event;
    if (oak_session_run(b.session, &budget, &sink, &event)) return 2;
    oak_session_write_state(b.session, &state_sink);
    unsigned long accepted = 0;
    for (unsigned long i = 0; i < count; i++) {
        oak_program *program = NULL;
        size_t size;
        diags.count = 0;
        bool good = false;
        switch (i % 4) {
        case 0: /* a stretch of the source, so that many are tried */
        {
            size_t from = random32(&seed) % source_size, length = random32(&seed) % 1500;
            if (length > source_size - from) length = source_size - from;
            size = mutate(source + from, length, room, &seed);
            good = oak_assemble_text(&b.host, b.part, "m.asm", room, size, &sink, &program) == OAK_OK;
            if (program) {
                oak_machine *machine;
                uint32_t outside;
                oak_stop stop;
                if (oak_machine_create(&b.host, b.part, &machine)) return 1;
                oak_machine_load(machine, oak_program_image(program), &outside);
                oak_chip_port chip = oak_machine_port(machine);
                chip.ops->run(chip.chip, 2000, UINT64_MAX, &stop);
                oak_machine_free(machine);
                text back = {0};
                oak_text_sink back_sink = text_sink(&back);
                if (oak_look(program, &back_sink) || oak_program_write_elf(program, &back_sink) ||
                    oak_program_write_listing(program, &back_sink))
                    return 1;
                free(back.bytes);
            }
            oak_program_free(program);
            break;
        }
        case 1: {
            oak_image *image;
            if (oak_image_create(&b.host, &image)) return 1;
            size = i % 8 == 1 ? mutate(hex.bytes, hex.size, room, &seed)
                              : mutate(srec.bytes, srec.size, room, &seed);
            good = (i % 8 == 1 ? oak_hex_read : oak_srec_read)(image, room, size, "m.hex", &sink) == OAK_OK;
            oak_image_free(image);
            break;
        }
        case 2:
            size = mutate(state.bytes, state.size, room, &seed);
            good = oak_session_read_state(b.session, room, size, "m.json", &sink) == OAK_OK;
            break;
        default: {
            oak_reading reading;
            const char *expression = expressions[i / 4 % 3];
            size = mutate(expression, strlen(expression), room, &seed);
            room[size] = 0;
            if (i % 32 == 3) good = oak_session_set(b.session, room, &sink) == OAK_OK;
            else if (i % 32 == 7) good = oak_session_drive(b.session, room, &sink) == OAK_OK;
            else good = oak_session_value(b.session, room, &sink, &reading) == OAK_OK;
            break;
        }
        }
        if (!good && !diags.count) {
            printf("input %lu was refused without a message\n", i);
            return 1;
        }
        accepted += good;
        if (i % 1000 == 0) { /* part files go through a real file */
            oak_part *part = NULL;
            size = mutate(yaml, part_size, room, &seed);
            FILE *file = fopen(path, "wb");
            if (!file || fwrite(room, 1, size, file) != size || fclose(file)) return 2;
            oak_part_load(&b.host, path, &sink, &part);
            oak_part_free(part);
            parts_done++;
        }
        if (i % 20000 == 0) { /* expressions live as long as their session */
            oak_session_close(b.session);
            oak_session_open(&b.host, &b.chip, b.program, &b.session);
        }
    }
    unlink(path);
    printf("%lu mutated inputs and %zu part files: %lu accepted, the others refused with a message\n", count,
           parts_done, accepted);
    free(source);
    free(yaml);
    free(room);
    free(hex.bytes);
    free(srec.bytes);
    free(state.bytes);
    bench_close(&b);
    return 0;
}

/* Register descriptions, imported by a part file that stays as it is. */
static int mutate_descriptions(unsigned long count, uint64_t seed)
{
    enum { LARGEST = 1 << 16 };
    char *whole = malloc(LARGEST);
    FILE *description = fopen(SOURCE_FOLDER "/tests/svd/workshop.svd", "rb");
    size_t length = description && whole ? fread(whole, 1, LARGEST, description) : 0;
    if (!length || fclose(description)) return 2;
    oak_host host = oak_linux_host();
    char folder[80], part_path[120], path[120];
    char *room = malloc(1 << 20);
    unsigned long accepted = 0;
    snprintf(folder, sizeof folder, "/tmp/oak-mutate-%d", (int)getpid());
    snprintf(part_path, sizeof part_path, "%s.yaml", folder);
    snprintf(path, sizeof path, "%s.svd", folder);
    FILE *file = fopen(part_path, "wb");
    if (!file || !room) return 2;
    fprintf(file, "part: m\nextends: armv6m-32k\ntitle: mutated\nimport: %s\n", path);
    fclose(file);
    for (unsigned long i = 0; i < count; i++) {
        collected diags = {0};
        oak_diag_sink sink = collect(&diags);
        oak_part *part = NULL;
        size_t size = mutate(whole, length, room, &seed);
        file = fopen(path, "wb");
        if (!file || fwrite(room, 1, size, file) != size || fclose(file)) return 2;
        oak_status status = oak_part_load_from(&host, part_path,
                                               &(oak_part_shelf){SOURCE_FOLDER "/parts", NULL}, &sink, &part);
        if (status && !diags.count) {
            printf("description %lu was refused without a message\n", i);
            return 1;
        }
        accepted += status == OAK_OK;
        oak_part_free(part);
    }
    unlink(path);
    unlink(part_path);
    free(room);
    free(whole);
    printf("%lu mutated register descriptions: %lu accepted\n", count, accepted);
    return 0;
}

/* Stimuli, boards with the states of their stand-ins, dumps: each is run for a while. */
static int mutate_signals(unsigned long count, uint64_t seed)
{
    static const char stimuli[] =
        "name sensor = p1.7\np1.0 = 1 until 10ms, 0 bounce 3ms until 20ms, z\np3.4 = clock 1.5kHz duty 30% "
        "from 10us until 2s\n"
        "p3.5 = low pulses 50us every 1ms from 5us times 20\np3.0 = bytes \"go\\n\" 0x55 at 9600 off by -5% "
        "parity even stop 2 bad stop 1 every 5ms\n"
        "p1.1 = random 10us to 50us seed 7\nwhen sensor falls once after 3us: p1.2 = 0 for 2us, 1 for 10 "
        "cycles, up\nsensor = down\nseed 3\n";
    static const char dump[] = "$timescale 10 ns $end $scope module top $end\n$var wire 4 # bus $end $var "
                               "wire 1 ! clk $end $var event 1 \" hit $end\n"
                               "$upscope $end $enddefinitions $end\n#0 $dumpvars bxz10 # 0! $end\n#5 1! b101 "
                               "#\n#9 0! 1\"\n#1000 b0 #\n";
    static const char *const boards[] = {SOURCE_FOLDER "/examples/lathe/board.yaml",
                                         SOURCE_FOLDER "/examples/extractor/board.yaml", NULL};
    static const char rest[] =
        "stand-ins:\n  d: {kind: digits, wires: {a: p2.0, b: p2.1, digit: [p1.0, p1.1]}}\n  k: {kind: "
        "keypad, keys: \"1234\", wires: {row: [p1.2], column: [p1.3, p1.4]}}\n"
        "  n: {kind: encoder, wires: {a: p3.2, b: p3.3}}\n  h: {kind: heater, wires: {on: p1.5, pulse: "
        "p3.4}}\n  s: {kind: pulse-sensor, rate: 5kHz, wires: {out: p3.5}}\n"
        "  r: {kind: shift-register, wires: {data: p0.0, clock: p0.1, q: [w]}}\n  l: {kind: lamp, wires: "
        "{in: w}}\n  m: {kind: memory, size: 4KiB, wires: {d: p2, latch: p0.2, write: p0.3}}\n"
        "  e: {kind: eeprom-i2c, wires: {sda: p0.4, scl: p0.5}}\n  f: {kind: eeprom-spi, wires: {select: "
        "p0.6, clock: p0.5, in: p0.4}}\n"
        "  c: {kind: character-display, wires: {rs: p0.0, e: p0.1, d4: p2.4}}\n  t: {kind: terminal, baud: "
        "96000, wires: {to-chip: p3.0, from-chip: p3.1}}\n"
        "then:\n  - {at: 50us, do: k press 3}\n  - {at: 70us, do: n turn 2}\n  - {at: 10us, do: t type "
        "hello}\n";
    char *room = malloc(1 << 20), *texts[3], path[100];
    size_t sizes[3];
    unsigned long accepted[3] = {0};
    bench b;
    collected diags;
    oak_diag_sink sink = collect(&diags);
    uint32_t nowhere;
    memset(&b, 0, sizeof b);
    b.host = oak_linux_host();
    snprintf(path, sizeof path, "/tmp/oak-mutate-board-%d.yaml", (int)getpid());
    for (unsigned i = 0; boards[i]; i++) texts[i] = read_file(boards[i], &sizes[i]);
    texts[2] = strdup(rest);
    sizes[2] = sizeof rest - 1;
    static const char program[] =
        " org 0\nbegin: mov scon, #0x50\n mov tmod, #0x21\n mov th1, #0xff\n setb tr1\n mov ie, #0x80\nmain: "
        "inc p0\n inc p2\n mov c, p3.0\n mov sbuf, a\n inc p1\n djnz r7, main\n movx a, @dptr\n sjmp main\n";
    if (oak_part_load(&b.host, SOURCE_FOLDER "/parts/mcs51-8k.yaml", &sink, &b.part)) return 2;
    if (oak_assemble_text(&b.host, b.part, "m.asm", program, sizeof program - 1, &sink, &b.program)) return 2;
    if (oak_machine_create(&b.host, b.part, &b.machine) ||
        oak_machine_load(b.machine, oak_program_image(b.program), &nowhere))
        return 2;
    b.chip = oak_machine_port(b.machine);
    for (unsigned long i = 0; i < count; i++) {
        oak_budget budget = {.cycles = 300};
        oak_event event;
        oak_board *board = NULL;
        oak_trace *trace = NULL;
        oak_status status = OAK_OK;
        unsigned kind = i % 3;
        size_t size;
        diags.count = 0;
        b.chip.ops->reset(b.chip.chip);
        if (oak_session_open(&b.host, &b.chip, b.program, &b.session)) return 1;
        if (kind == 0) {
            size = mutate(stimuli, sizeof stimuli - 1, room, &seed);
            status = oak_session_read_stimuli(b.session, room, size, "m.txt", &sink);
            if (oak_session_record(b.session, "pins", &sink) ||
                oak_session_run(b.session, &budget, &sink, &event))
                return 1;
        } else if (kind == 1) {
            unsigned which = i / 3 % 3;
            size = mutate(texts[which], sizes[which], room, &seed);
            FILE *file = fopen(path, "wb");
            if (!file || fwrite(room, 1, size, file) != size || fclose(file)) return 2;
            status = oak_board_load(&b.host, path, b.part, NULL, &sink, &board);
            if (!status) {
                text state = {0};
                oak_text_sink state_sink = text_sink(&state);
                if (oak_board_join(board, b.session, seed) ||
                    oak_session_run(b.session, &budget, &sink, &event))
                    return 1;
                for (unsigned s = 0; oak_board_stand_in(board, s); s++)
                    oak_stand_in_show(oak_board_stand_in(board, s), room, 1000);
                oak_session_write_state(b.session, &state_sink);
                size = state.size < 1 << 18 ? mutate(state.bytes, state.size, room, &seed) : 0;
                free(state.bytes);
                if (size && oak_session_read_state(b.session, room, size, "m.json", &sink) == OAK_OK)
                    oak_session_run(b.session, &budget, &sink, &event);
                for (unsigned s = 0; oak_board_stand_in(board, s); s++)
                    oak_stand_in_show(oak_board_stand_in(board, s), room, 1000);
            }
        } else {
            size = mutate(dump, sizeof dump - 1, room, &seed);
            status = oak_trace_read_vcd(&b.host, room, size, "m.vcd", &sink, &trace);
            text back = {0};
            oak_text_sink back_sink = text_sink(&back);
            if (trace && oak_trace_write_vcd(trace, &back_sink)) return 1;
            free(back.bytes);
            oak_trace_free(trace);
        }
        if (status && !diags.count) {
            printf("signals %lu were refused without a message\n", i);
            return 1;
        }
        accepted[kind] += status == OAK_OK;
        oak_session_close(b.session);
        b.session = NULL;
        oak_board_free(board);
    }
    unlink(path);
    printf("%lu mutated stimuli, boards and dumps: %lu, %lu and %lu accepted\n", count, accepted[0],
           accepted[1], accepted[2]);
    free(room);
    for (unsigned i = 0; i < 3; i++) free(texts[i]);
    bench_close(&b);
    return 0;
}

int main(int argc, char **argv)
{
    static const subject subjects[] = {
        {SOURCE_FOLDER "/parts/mcs51-8k.yaml",
         SOURCE_FOLDER "/examples/lathe/lathe.asm",
         SOURCE_FOLDER "/examples/lathe/speed.asm",
         SOURCE_FOLDER "/parts/mcs51-4k.yaml",
         {"iram[0x30:2] + count * 3 == 0x12 && !p1.3", "xram[log+4] << 2 | 'a'",
          "TR0 ? low(rest) : high(0x1234)"}},
        {SOURCE_FOLDER "/parts/armv7m-256k.yaml",
         SOURCE_FOLDER "/examples/kiln/kiln.asm",
         SOURCE_FOLDER "/examples/kiln/kiln.asm",
         SOURCE_FOLDER "/parts/armv6m-32k.yaml",
         {"mem[0x20000000:4] + ticks * 3 == 0x12 && !p0.3", "wanted << 2 | 'a'",
          "UART_STAT ? low(tick) : r3 - exception"}},
        {SOURCE_FOLDER "/parts/z80-64k.yaml",
         SOURCE_FOLDER "/examples/press/press.asm",
         SOURCE_FOLDER "/examples/press/press.asm",
         SOURCE_FOLDER "/parts/z80-32k.yaml",
         {"mem[0x8000:2] + left * 3 == 0x12 && !p0.3", "clamps << 2 | flag.c", "HS ? low(tick) : hl - ix"}},
        {SOURCE_FOLDER "/parts/picmid-8k.yaml",
         SOURCE_FOLDER "/examples/steambox/steambox.asm",
         SOURCE_FOLDER "/examples/steambox/steambox.asm",
         SOURCE_FOLDER "/parts/picmid-2k.yaml",
         {"file[0x20:2] + minutes * 3 == 0x12 && !rb.3", "shadow << 2 | w",
          "EEDATA ? low(texts) : fsr - stk0"}},
        {SOURCE_FOLDER "/parts/pic18-32k.yaml",
         SOURCE_FOLDER "/examples/sander/sander.asm",
         SOURCE_FOLDER "/examples/sander/sander.asm",
         SOURCE_FOLDER "/parts/picmid-2k.yaml",
         {"data[0x20:2] + goal * 3 == 0x12 && !rb.3", "pull << 2 | w", "EEDATA ? low(texts) : fsr0 - stk1"}},
        {SOURCE_FOLDER "/parts/msp430-32k.yaml",
         SOURCE_FOLDER "/examples/shed/shed.asm",
         SOURCE_FOLDER "/examples/shed/shed.asm",
         SOURCE_FOLDER "/parts/mcs51-4k.yaml",
         {"mem[0x2000:2] + visits * 3 == 0x12 && !p1.3", "left << 2 | gie", "TAR ? low(words) : r5 - sp"}},
        {SOURCE_FOLDER "/parts/cpu12-64k.yaml",
         SOURCE_FOLDER "/examples/dowels/dowels.asm",
         SOURCE_FOLDER "/examples/dowels/dowels.asm",
         SOURCE_FOLDER "/parts/mcs51-4k.yaml",
         {"mem[0x1000:2] + pieces * 3 == 0x12 && !pt.3", "width << 2 | flag.i",
          "TCNT ? low(piece) : x - sp"}},
        {SOURCE_FOLDER "/parts/rv32-256k.yaml",
         SOURCE_FOLDER "/examples/planer/planer.asm",
         SOURCE_FOLDER "/examples/planer/planer.asm",
         SOURCE_FOLDER "/parts/armv6m-32k.yaml",
         {"mem[0x20000200:4] + fed * 3 == 0x12 && !p0.3", "left << 2 | flag.mie",
          "MT_TIME ? low(words) : a0 - x2"}},
        {SOURCE_FOLDER "/parts/a32-1m.yaml",
         SOURCE_FOLDER "/examples/tags/tags.asm",
         SOURCE_FOLDER "/examples/tags/tags.asm",
         SOURCE_FOLDER "/parts/rv32-256k.yaml",
         {"mem[0x500:4] + printed * 3 == 0x12 && !p0.3", "printed << 2 | flag.mode",
          "IC_NUMBER ? low(tags) : r0 - sp_irq"}},
        {SOURCE_FOLDER "/parts/avr-32k.yaml",
         SOURCE_FOLDER "/examples/cabinet/cabinet.asm",
         SOURCE_FOLDER "/examples/cabinet/cabinet.asm",
         SOURCE_FOLDER "/parts/rv32-256k.yaml",
         {"data[0x100:2] + heat * 3 == 0x12 && !pb.1", "fan << 2 | flag.i",
          "TCNT0 ? low(bytes(heating)) : x - sp"}},
        {SOURCE_FOLDER "/parts/mcs4-4k.yaml",
         SOURCE_FOLDER "/examples/pegs/pegs.asm",
         SOURCE_FOLDER "/examples/pegs/pegs.asm",
         SOURCE_FOLDER "/parts/avr-32k.yaml",
         {"ram[0:2] + status[3] * 3 == 0x12 && !c8.0", "r6 << 2 | cy", "M1 ? low(shapes) : src - sp"}},
    };
    unsigned long count = argc > 1 ? strtoul(argv[1], NULL, 10) : 100000;
    uint64_t seed = argc > 2 ? strtoull(argv[2], NULL, 10) : 1;
    enum { SUBJECTS = sizeof subjects / sizeof *subjects };
    for (unsigned i = 0; i < SUBJECTS; i++) {
        int result = mutate_all(&subjects[i], count / SUBJECTS, seed);
        if (result) return result;
    }
    int result = mutate_descriptions(count / 10, seed);
    return result ? result : mutate_signals(count / 4, seed);
}
