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
    static const char whole[] =
        "<?xml "
        "version=\"1.0\"?>\n<device><size>32</size><peripherals>\n<peripheral><name>FAN</"
        "name><baseAddress>0x50000000</baseAddress><registers>\n"
        " <register><name>SPEED</name><description>dust "
        "fan</description><addressOffset>0x4</addressOffset><resetValue>7</resetValue>\n"
        "  "
        "<fields><field><name>MODE</name><bitRange>[2:1]</"
        "bitRange><enumeratedValues><enumeratedValue><name>slow</name><value>1</value></enumeratedValue></"
        "enumeratedValues></field>\n"
        "   <field><name>ON</name><bitOffset>0</bitOffset></field></fields></register>\n"
        " <cluster><dim>2</dim><dimIncrement>16</dimIncrement><name>C[%s]</name><addressOffset>0x40</"
        "addressOffset><register><dim>3</dim><dimIncrement>4</dimIncrement><name>L%s</name><addressOffset>0</"
        "addressOffset></register></cluster>\n"
        "</registers></peripheral>\n<peripheral "
        "derivedFrom=\"FAN\"><name>PUMP</name><baseAddress>0x50001000</baseAddress></peripheral>\n</"
        "peripherals></device>\n";
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
        size_t size = mutate(whole, sizeof whole - 1, room, &seed);
        file = fopen(path, "wb");
        if (!file || fwrite(room, 1, size, file) != size || fclose(file)) return 2;
        oak_status status = oak_part_load_from(&host, part_path, SOURCE_FOLDER "/parts", &sink, &part);
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
    printf("%lu mutated register descriptions: %lu accepted\n", count, accepted);
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
    };
    unsigned long count = argc > 1 ? strtoul(argv[1], NULL, 10) : 100000;
    uint64_t seed = argc > 2 ? strtoull(argv[2], NULL, 10) : 1;
    for (unsigned i = 0; i < 2; i++) {
        int result = mutate_all(&subjects[i], count / 2, seed);
        if (result) return result;
    }
    return mutate_descriptions(count / 10, seed);
}
