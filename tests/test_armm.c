#include "support.h"
#include <stdio.h>

enum { MEM = 1, START = 0x200 };

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
    const char *line = source;
    unsigned wrong = 0;
    for (uint32_t i = 0; i < count; i++) {
        uint8_t byte;
        if (!oak_image_byte(oak_program_image(program), START + i, &byte) || byte != code[i]) {
            if (wrong++ < 10) printf("%s: at 0x%x: %02x became %02x\n", part, (unsigned)(START + i), code[i], byte);
        }
    }
    (void)line;
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
    printf("v6 refused %u\n", refused);
    refused = 0;
    all_halfwords("armv7m-256k", &refused);
    printf("v7 refused %u\n", refused);
}
END_TEST

START_TEST(a_sample_of_wide_codes_encodes_back_or_is_refused)
{
    enum { PIECE = 1500, ROUNDS = 60 };
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
    printf("wide refused %u of %u\n", refused / 2, PIECE * ROUNDS);
}
END_TEST

RUN_SUITE("armm", every_halfword_is_an_instruction_that_encodes_back_or_is_refused,
          a_sample_of_wide_codes_encodes_back_or_is_refused)
