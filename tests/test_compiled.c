/* Programs in C, compiled for both Arm versions by a general compiler, linked at fixed addresses, turned into Intel HEX
 * here, and run: they must find what they find on this machine. */
#include "support.h"

#include <stdio.h>

enum { RESULTS = 64, FINISHED = 0x600D };

/* Where a part keeps what was found: the space, and the address. */
static uint32_t results_at(const char *architecture, unsigned *space)
{
    bool small = strcmp(architecture, "avr") == 0;
    *space = small ? 2 : 1;
    return small ? 0x100 : strcmp(architecture, "msp430") == 0 ? 0x2000 : 0x20000000;
}

static uint32_t word_at(const uint8_t *bytes, size_t at)
{
    return (uint32_t)bytes[at] | (uint32_t)bytes[at + 1] << 8 | (uint32_t)bytes[at + 2] << 16 |
           (uint32_t)bytes[at + 3] << 24;
}

/* The loadable pieces of an ELF file, at the addresses they are programmed to. */
static oak_image *image_of(const oak_host *host, const char *path)
{
    uint8_t *bytes;
    size_t size;
    oak_image *image;
    ck_assert_int_eq(host->read_file(host->context, path, 1 << 20, &bytes, &size), OAK_OK);
    ck_assert_int_eq(oak_image_create(host, &image), OAK_OK);
    ck_assert_uint_gt(size, 52);
    uint32_t headers = word_at(bytes, 28);
    unsigned count = bytes[44];
    for (unsigned i = 0; i < count; i++) {
        size_t header = headers + 32u * i;
        uint32_t offset = word_at(bytes, header + 4), address = word_at(bytes, header + 12);
        uint32_t length = word_at(bytes, header + 16);
        if (word_at(bytes, header) == 1 && length)
            ck_assert_int_eq(oak_image_write(image, address, bytes + offset, length), OAK_OK);
    }
    host->resize(host->context, bytes, size, 0);
    return image;
}

/* Through HEX and back, as a person would get it. */
static oak_image *through_hex(const oak_host *host, oak_image *image)
{
    text hex = {0};
    oak_text_sink sink = text_sink(&hex);
    oak_image *again;
    ck_assert_int_eq(oak_hex_write(image, 16, &sink), OAK_OK);
    ck_assert_int_eq(oak_image_create(host, &again), OAK_OK);
    ck_assert_int_eq(oak_hex_read(again, hex.bytes, hex.size, "program.hex", &oak_silent), OAK_OK);
    free(hex.bytes);
    oak_image_free(image);
    return again;
}

static void expected_results(uint32_t *expected)
{
    char *out, *err;
    ck_assert_int_eq(shell("cc -std=gnu11 -O1 -fwrapv -DON_THE_HOST " SOURCE_FOLDER
                           "/tests/compiled/program.c -o compiled_host && ./compiled_host",
                           &out, &err),
                     0);
    char *at = out;
    for (unsigned i = 0; i < RESULTS; i++) expected[i] = (uint32_t)strtoul(at, &at, 10);
    free(out);
    free(err);
}

/* What was compiled is read back, and assembles to the same bytes. */
static void comes_back(const oak_host *host, const oak_part *part, const oak_image *image)
{
    oak_program *program;
    ck_assert_int_eq(oak_program_create(host, part, &program), OAK_OK);
    uint32_t first = oak_part_find_memory(part, 1, 0) ? 0 : 0x8000;
    for (uint32_t at = first; at < first + 0x8000; at++) {
        uint8_t byte;
        if (oak_image_byte(image, at, &byte)) oak_image_write(oak_program_image(program), at, &byte, 1);
    }
    oak_program_finish(program);
    must_come_back(program);
    oak_program_free(program);
}

static void compare(const char *architecture, const char *part_name, const char *optimisation,
                    bool step_by_step)
{
    char command[400], path[80];
    char *out, *err;
    oak_host host = oak_linux_host();
    uint32_t expected[RESULTS], outside;
    expected_results(expected);
    snprintf(path, sizeof path, "compiled_%s%s.elf", architecture, optimisation);
    snprintf(command, sizeof command, "sh " SOURCE_FOLDER "/tests/compiled/build %s %s %s", architecture,
             optimisation, path);
    int code = shell(command, &out, &err);
    if (code) printf("%s\n", err);
    ck_assert_int_eq(code, 0);
    free(out);
    free(err);
    oak_image *image = through_hex(&host, image_of(&host, path));
    oak_part *part = load_part(part_name);
    oak_machine *machine;
    ck_assert_int_eq(oak_machine_create(&host, part, &machine), OAK_OK);
    ck_assert_int_eq(oak_machine_load(machine, image, &outside), OAK_OK);
    oak_chip_port chip = oak_machine_port(machine);
    oak_stop stop;
    oak_chip_time time = {0};
    do {
        uint64_t steps = step_by_step ? time.instructions + 1 : UINT64_MAX;
        ck_assert_int_eq(chip.ops->run(chip.chip, 100000000, steps, &stop), OAK_OK);
        chip.ops->read_time(chip.chip, &time);
    } while (stop.reason == OAK_STOP_STEPS);
    if (stop.reason != OAK_STOP_PARKED)
        printf("%s %s: %s %s at 0x%x\n", architecture, optimisation, oak_stop_word(stop.reason),
               oak_fault_word(stop.fault), (unsigned)stop.pc);
    ck_assert_int_eq(stop.reason, OAK_STOP_PARKED);
    bool finished = false;
    for (unsigned i = 0; i < RESULTS; i++) {
        uint8_t bytes[4];
        unsigned space;
        uint32_t at = results_at(architecture, &space);
        ck_assert_int_eq(chip.ops->read_memory(chip.chip, space, at + 4 * i, bytes, 4), OAK_OK);
        if (word_at(bytes, 0) != expected[i]) printf("%s %s: result %u\n", architecture, optimisation, i);
        ck_assert_uint_eq(word_at(bytes, 0), expected[i]);
        finished = finished || expected[i] == FINISHED;
    }
    ck_assert(finished);
    oak_machine_free(machine);
    comes_back(&host, part, image);
    oak_part_free(part);
    oak_image_free(image);
}

/* The benchmarks of speed/programs.c: the first round finds what it finds on this machine. */
static void benchmark(const char *name, const char *version, const char *part_name, const char *optimisation)
{
    char command[500], path[100];
    char *out, *err;
    oak_host host = oak_linux_host();
    uint32_t outside;
    snprintf(command, sizeof command,
             "cc -w -std=gnu11 -O1 -DWORK=%s " SOURCE_FOLDER
             "/speed/programs.c -o benchmark_host && ./benchmark_host 1",
             name);
    ck_assert_int_eq(shell(command, &out, &err), 0);
    uint32_t expected = (uint32_t)strtoul(out, NULL, 10);
    free(out);
    free(err);
    snprintf(path, sizeof path, "benchmark_%s%s.elf", version, optimisation);
    snprintf(command, sizeof command,
             "sh " SOURCE_FOLDER "/tests/compiled/build %s %s %s " SOURCE_FOLDER
             "/speed/programs.c -w -DWORK=%s",
             version, optimisation, path, name);
    int code = shell(command, &out, &err);
    if (code) printf("%s\n", err);
    ck_assert_int_eq(code, 0);
    free(out);
    free(err);
    oak_image *image = through_hex(&host, image_of(&host, path));
    oak_part *part = load_part(part_name);
    oak_machine *machine;
    oak_stop stop;
    uint8_t bytes[8] = {0};
    unsigned space;
    uint32_t at = results_at(version, &space);
    ck_assert_int_eq(oak_machine_create(&host, part, &machine), OAK_OK);
    ck_assert_int_eq(oak_machine_load(machine, image, &outside), OAK_OK);
    oak_chip_port chip = oak_machine_port(machine);
    for (uint64_t steps = 100000; steps < 5000000 && !word_at(bytes, 4); steps += 100000) {
        ck_assert_int_eq(chip.ops->run(chip.chip, UINT64_MAX, steps, &stop), OAK_OK);
        ck_assert_int_eq(stop.reason, OAK_STOP_STEPS);
        ck_assert_int_eq(chip.ops->read_memory(chip.chip, space, at, bytes, 8), OAK_OK);
    }
    if (word_at(bytes, 0) != expected) printf("%s %s %s\n", name, version, optimisation);
    ck_assert_uint_eq(word_at(bytes, 0), expected);
    oak_machine_free(machine);
    comes_back(&host, part, image);
    oak_part_free(part);
    oak_image_free(image);
}

START_TEST(the_benchmarks_find_what_they_find_on_the_host)
{
    static const char *const names[] = {"digest", "cipher", "product", "squeeze", "sorting",
                                        "worker", "seek",   "warp",    "orders"};
    static const char *const levels[] = {"-O0", "-O2", "-Os"};
    for (unsigned i = 0; i < sizeof names / sizeof *names; i++)
        for (unsigned level = 0; level < 3; level++) {
            if ((3 * i + level) % STRIDE) continue;
            benchmark(names[i], "armv6m", "armv6m-32k", levels[level]);
            benchmark(names[i], "armv7m", "armv7m-256k", levels[level]);
        }
}
END_TEST

#define COMPILED(name, architecture, part, optimisation, steps)                                              \
    START_TEST(name)                                                                                         \
    {                                                                                                        \
        if (STRIDE > 1 && strcmp(optimisation, "-O2") != 0) return;                                          \
        compare(architecture, part, optimisation, steps);                                                    \
    }                                                                                                        \
    END_TEST

COMPILED(plain_code_for_armv6m_finds_what_the_host_finds, "armv6m", "armv6m-32k", "-O0", false)
COMPILED(fast_code_for_armv6m_finds_what_the_host_finds, "armv6m", "armv6m-32k", "-O2", false)
COMPILED(small_code_for_armv6m_finds_what_the_host_finds, "armv6m", "armv6m-32k", "-Os", false)
COMPILED(plain_code_for_armv7m_finds_what_the_host_finds, "armv7m", "armv7m-256k", "-O0", false)
COMPILED(fast_code_for_armv7m_finds_what_the_host_finds, "armv7m", "armv7m-256k", "-O2", false)
COMPILED(small_code_for_armv7m_finds_what_the_host_finds, "armv7m", "armv7m-256k", "-Os", false)
COMPILED(code_for_armv6m_runs_on_the_newer_core, "armv6m", "armv7m-256k", "-O2", false)
COMPILED(plain_code_for_msp430_finds_what_the_host_finds, "msp430", "msp430-32k", "-O0", false)
COMPILED(fast_code_for_msp430_finds_what_the_host_finds, "msp430", "msp430-32k", "-O2", false)
COMPILED(small_code_for_msp430_finds_what_the_host_finds, "msp430", "msp430-32k", "-Os", false)
COMPILED(stepping_one_by_one_finds_the_same_on_msp430, "msp430", "msp430-32k", "-O2", true)
COMPILED(stepping_one_by_one_finds_the_same_on_armv6m, "armv6m", "armv6m-32k", "-O2", true)
COMPILED(stepping_one_by_one_finds_the_same_on_armv7m, "armv7m", "armv7m-256k", "-O2", true)

/* With short codes and without. */
START_TEST(code_for_rv32_finds_what_the_host_finds)
{
    static const char *const levels[] = {"-O0", "-O2", "-Os"};
    for (unsigned i = STRIDE > 1 ? 2 : 0; i < 3; i++) {
        compare("rv32imc", "rv32-256k", levels[i], false);
        compare("rv32im", "rv32-256k", levels[i], false);
    }
    compare("rv32imc", "rv32-256k", "-O2", true);
}
END_TEST

/* As compilers have made it since the fourth version of the architecture. */
START_TEST(code_for_avr_finds_what_the_host_finds)
{
    const char *const levels[] = {"-O1", "-O2", "-Os"};
    for (unsigned i = STRIDE > 1 ? 2 : 0; i < 3; i++) compare("avr", "avr-32k", levels[i], false);
    compare("avr", "avr-32k", "-O2", true);
}
END_TEST

START_TEST(code_for_a32_finds_what_the_host_finds)
{
    static const char *const levels[] = {"-O0", "-O2", "-Os"},
                             *const versions[] = {"armv4t", "armv5te", "armv6"},
                             *const names[] = {"digest", "cipher", "product", "squeeze", "sorting",
                                               "worker", "seek",   "warp",    "orders"};
    for (unsigned i = 0; i < 3; i++) compare("armv7a", "a32-512k", levels[i], false);
    for (unsigned i = 0; i < 3; i++) compare(versions[i], "a32-512k", "-O2", false);
    compare("armv7a", "a32-512k", "-O2", true);
    for (unsigned i = 0; i < 9; i += STRIDE) benchmark(names[i], "armv7a", "a32-512k", levels[i % 3]);
}
END_TEST

RUN_SUITE("compiled", code_for_avr_finds_what_the_host_finds, code_for_a32_finds_what_the_host_finds,
          code_for_rv32_finds_what_the_host_finds, plain_code_for_armv6m_finds_what_the_host_finds,
          fast_code_for_armv6m_finds_what_the_host_finds, small_code_for_armv6m_finds_what_the_host_finds,
          plain_code_for_armv7m_finds_what_the_host_finds, fast_code_for_armv7m_finds_what_the_host_finds,
          small_code_for_armv7m_finds_what_the_host_finds, code_for_armv6m_runs_on_the_newer_core,
          plain_code_for_msp430_finds_what_the_host_finds, fast_code_for_msp430_finds_what_the_host_finds,
          small_code_for_msp430_finds_what_the_host_finds, stepping_one_by_one_finds_the_same_on_msp430,
          stepping_one_by_one_finds_the_same_on_armv6m, stepping_one_by_one_finds_the_same_on_armv7m,
          the_benchmarks_find_what_they_find_on_the_host)
