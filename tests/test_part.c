/* Part files: what they hold, and what is refused. */
#include "support.h"

#include <stdio.h>
#include <unistd.h>

static oak_host host;

static oak_part *load_with(const char *yaml, const char *const *names, collected *diags)
{
    char path[100];
    oak_part *part = NULL;
    snprintf(path, sizeof path, "/tmp/oak-part-%d.yaml", (int)getpid());
    FILE *file = fopen(path, "w");
    fputs(yaml, file);
    fclose(file);
    host = oak_linux_host();
    oak_diag_sink sink = collect(diags);
    oak_status status =
        oak_part_load_from(&host, path, &(oak_part_shelf){SOURCE_FOLDER "/parts", names}, &sink, &part);
    ck_assert_int_eq(status == OAK_OK, part != NULL);
    unlink(path);
    return part;
}

static oak_part *load_text(const char *yaml, collected *diags)
{
    return load_with(yaml, NULL, diags);
}

START_TEST(the_shipped_parts_have_their_memories)
{
    static const struct {
        const char *name;
        uint32_t code, ram;
    } parts[] = {{"mcs51-4k", 4096, 128}, {"mcs51-8k", 8192, 256}, {"mcs51-64k", 65536, 256}};
    for (unsigned i = 0; i < 3; i++) {
        oak_part *part = load_part(parts[i].name);
        ck_assert_str_eq(part->name, parts[i].name);
        ck_assert_uint_eq(oak_part_find_memory(part, 1, 0)->size, parts[i].code);
        ck_assert_uint_eq(oak_part_find_memory(part, 2, 0)->size, parts[i].ram);
        ck_assert_uint_eq(oak_part_find_memory(part, 3, 0)->size, 65536);
        ck_assert_uint_eq(part->port_count, 4);
        ck_assert_uint_eq(part->clocks_per_cycle, 12);
        ck_assert(part->clock_millihertz == 12000000000u);
        for (unsigned r = 1; r < part->register_count; r++)
            ck_assert_uint_lt(part->registers[r - 1].address, part->registers[r].address);
        oak_part_free(part);
    }
}
END_TEST

START_TEST(a_part_keeps_what_it_extends_and_changes_what_it_names)
{
    oak_part *small = load_part("mcs51-4k"), *large = load_part("mcs51-64k");
    ck_assert_ptr_null(oak_part_find_register(small, "T2CON", 5));
    ck_assert_uint_eq(oak_part_find_register(large, "t2con", 5)->address, 0xc8);
    ck_assert_uint_eq(oak_part_find_register(large, "SP", 2)->reset, 7);
    ck_assert_uint_eq(small->vector_count, 6);
    ck_assert_uint_eq(large->vector_count, 7);
    ck_assert_str_eq(large->ports[1].alternate[0], "T2");
    ck_assert_ptr_null(small->ports[1].alternate[0]);
    oak_part_free(small);
    oak_part_free(large);
}
END_TEST

START_TEST(names_of_a_part_are_found)
{
    oak_part *part = load_part("mcs51-8k");
    const oak_part_register *reg;
    const oak_part_field *field;
    unsigned pin;
    ck_assert(oak_part_find_field(part, "tr1", 3, &reg, &field) && reg->address == 0x88 && field->bit == 6);
    ck_assert(oak_part_find_field(part, "T1M", 3, &reg, &field) && field->bit == 4 && field->width == 2);
    ck_assert(!oak_part_find_field(part, "TR9", 3, &reg, &field));
    ck_assert(oak_part_find_pin(part, "P3.5", 4, &pin) && pin == 3 * 32 + 5);
    ck_assert(!oak_part_find_pin(part, "p3.8", 4, &pin) && !oak_part_find_pin(part, "p4.0", 4, &pin) &&
              !oak_part_find_pin(part, "p3.", 3, &pin));
    oak_part_free(part);
}
END_TEST

#define HEAD "part: mine\ntitle: t\narchitecture: mcs51\nclock: 12MHz\nclocks-per-cycle: 12\n"
#define SERIAL(line, receive, send, does)                                                                    \
    "blocks:\n  - {name: U, kind: serial, at: 0x40005000, interrupt: " line ", uses: {receive: " receive     \
    ", send: " send "}, registers: [{name: D, offset: 0, role: data}, {name: C, offset: 4, bits: {EN: 0, "   \
    "E2: 1}, does: " does "}]}\n"
#define MEMORY "memories:\n  - {space: code, kind: rom, size: 4KiB}\n"

START_TEST(a_part_file_that_is_wrong_is_refused_with_its_place)
{
    static const struct {
        const char *yaml, *code;
        unsigned line, column;
        const char *says;
    } cases[] = {
        {"part: [", "part-syntax", 2, 1, "YAML"},
        {"", "part-shape", 1, 1, "empty"},
        {"- a\n", "part-shape", 1, 1, "mapping"},
        {"part: x\ntitle: t\narchitecture: z99\n", "part-value", 3, 15, "no architecture `z99`"},
        {HEAD "memoreis:\n  - {}\n", "part-key", 6, 1, "no key `memoreis`"},
        {HEAD MEMORY "clock: 12MHz\n", "part-key", 8, 1, "given twice"},
        {HEAD "memories:\n  - {space: code, kind: rom, size: 4KiB}\n  - {space: code, kind: rom, at: 100, "
              "size: 1}\n",
         "part-overlap", 8, 5, "overlaps the one at 0x0"},
        {HEAD "memories:\n  - {space: code, kind: rum, size: 4KiB}\n", "part-value", 7, 25, "`rum`"},
        {HEAD "memories:\n  - {space: core, kind: rom, size: 4KiB}\n", "part-value", 7, 13,
         "no space `core`"},
        {HEAD "memories:\n  - {space: code, kind: rom, size: big}\n", "part-value", 7, 36, "number"},
        {HEAD "memories:\n  - {space: code, kind: rom, size: 4KiB, chips: {each: 100, called: rom}}\n",
         "part-value", 7, 49, "do not make up the memory"},
        {HEAD
         "memories:\n  - {space: code, kind: rom, size: 4KiB, chips: {each: 256, called: rom, bank: 3}}\n",
         "part-value", 7, 49, "do not make up the memory"},
        {HEAD "memories:\n  - {space: code, kind: rom, size: 4KiB, chips: {each: 0, called: rom}}\n",
         "part-value", 7, 49, "do not make up the memory"},
        {HEAD "memories:\n  - {space: code, kind: rom, size: 4KiB, chips: {each: 256}}\n", "part-value", 7,
         49, "`called`"},
        {HEAD "memories:\n  - {space: code, kind: rom, size: 4KiB, chips: {each: 256, called: rom, ports: "
              "code}}\n",
         "part-value", 7, 81, "`code` is no space of registers"},
        {HEAD "memories:\n  - {space: code, kind: rom, size: 4KiB, chips: {each: 256, called: rom, beside: "
              "nought}}\n",
         "part-value", 7, 3, "no memory `nought` to stand beside chips"},
        {HEAD "memories:\n  - {space: code, kind: rom, size: 4KiB, chips: {each: 256, called: rom, beside: "
              "iram}}\n  - {space: iram, kind: ram, size: 100}\n",
         "part-value", 7, 3, "`iram` does not stand beside 256 rows"},
        {"part: a\nextends: avr-32k\nmemories:\n  - {space: code, kind: rom, size: 4KiB, chips: {each: 256, "
         "called: rom}}\n",
         "part-value", 4, 49, "memory of words is not told as chips"},
        {HEAD MEMORY "registers:\n  - {name: P0, at: 0x80}\n  - {name: Q0, at: 0x80}\n", "part-overlap", 10,
         5, "both at 0x80"},
        {HEAD MEMORY "registers:\n  - {name: P0, at: 0x80, reset: 256}\n", "part-value", 9, 33,
         "at most 255"},
        {HEAD MEMORY "registers:\n  - name: P0\n    at: 0x80\n    bits: {A1: 8}\n", "part-value", 11, 16,
         "no bit"},
        {HEAD MEMORY "registers:\n  - name: P0\n    at: 0x80\n    bits: {A1: 5-3, A2: 4-2}\n", "part-overlap",
         11, 11, "share a bit"},
        {HEAD MEMORY "ports:\n  - {name: p0, register: P9, stage: open-drain, pins: [a]}\n", "part-value", 9,
         26, "`P9`"},
        {HEAD MEMORY "vectors:\n  - {name: far, at: 0x1000}\n", "part-value", 9, 5, "outside code memory"},
        /* what could never do anything, or two things at once */
        {HEAD MEMORY "vectors:\n  - {name: odd, at: 0x10}\n", "part-value", 9, 21, "has no vector at 0x0010"},
        {HEAD MEMORY "vectors:\n  - {name: a, at: 3}\n  - {name: b, at: 3}\n", "part-overlap", 10, 5,
         "`a` and `b` are both at 0x0003"},
        {"part: m\nextends: armv6m-32k\nvectors:\n  - {name: odd, at: 0x42}\n", "part-value", 4, 21,
         "no vector at 0x0042"},
        {"part: m\nextends: armv6m-32k\nvectors:\n  - {name: far, at: 0x400}\n", "part-value", 4, 21,
         "no vector at 0x0400"},
        {"part: m\nextends: armv6m-32k\n" SERIAL("99", "p0.1", "p0.2", "{EN: run}"), "part-value", 4, 56,
         "no interrupt line 99: the lines are 0 to 31"},
        {"part: m\nextends: armv6m-32k\n" SERIAL("9", "p0.1", "p0.1", "{EN: run}"), "part-value", 4, 65,
         "`receive` and `send` of block `U` are one pin"},
        {"part: m\nextends: armv6m-32k\n" SERIAL("9", "p0.1", "p0.2", "{EN: sent}"), "part-role", 4, 5,
         "`U` is a serial without the role `run`"},
        {"part: m\nextends: armv6m-32k\n" SERIAL("9", "p0.1", "p0.2", "{EN: run, E2: run}"), "part-role", 4,
         203, "has the role `run` already"},
        {"part: m\nextends: mcs51-4k\nblocks:\n  - {name: s, kind: framed-serial, interrupt: 6, registers: "
         "[]}\n",
         "part-value", 4, 47, "no interrupt line 6: the lines are 0 to 5"},
        {"part: m\nextends: mcs51-4k\nblocks:\n  - {name: s, kind: framed-serial, interrupt: 4, registers: "
         "[]}\n",
         "part-role", 4, 5, "without the role `data`"},
        {HEAD "memories: 5\n", "part-shape", 6, 11, "list"},
        {"part: mine\nextends: nothing-such\n", "part-extends", 2, 10, "no part `nothing-such` to extend"},
        {HEAD "memories:\n  - {space: code, kind: rom, size: 128KiB}\n", "part-value", 7, 5,
         "ends behind the last address of `code`"},
        {"part: mine\ntitle: t\narchitecture: mcs51\nclock: fast\n" MEMORY, "part-value", 4, 8, "frequency"},
        {"part: mine\ntitle: t\narchitecture: mcs51\n" MEMORY, "part-shape", 1, 1, "clock"},
    };
    unsigned bad = 0;
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        collected diags;
        ck_assert_msg(load_text(cases[i].yaml, &diags) == NULL, "accepted: %s", cases[i].yaml);
        if (diags.count < 1 || strcmp(diags.one[0].code, cases[i].code) != 0 ||
            diags.one[0].line != cases[i].line || diags.one[0].column != cases[i].column ||
            !strstr(diags.one[0].message, cases[i].says)) {
            show_collected(&diags);
            fprintf(stderr, "case %u\n", i);
            bad++;
        }
    }
    ck_assert_uint_eq(bad, 0);
}
END_TEST

START_TEST(a_misspelt_key_is_told_once_and_the_nearest_names_are_offered)
{
    static const struct {
        const char *yaml, *says, *remedy;
    } cases[] = {
        {"part: m\ntitel: t\narchitecture: mcs51\nclock: 12MHz\nclocks-per-cycle: 12\n" MEMORY,
         "no key `titel`", "`title`"},
        {"part: m\ntitle: t\narchitektur: mcs51\nclock: 12MHz\n" MEMORY, "no key `architektur`", NULL},
        {HEAD "memories:\n  - {space: code, kind: rom, siz: 4KiB}\n", "no key `siz`", "`size`"},
        {HEAD MEMORY "registers:\n  - {nam: X, at: 0x80}\n", "no key `nam`", "`name`"},
        {HEAD MEMORY "ports:\n  - {name: p0, registr: P0, stage: open-drain, pins: [a]}\n",
         "no key `registr`", "`register`"},
        {"part: m\nextends: armv6m-32k\nblocks:\n  - {name: s, knid: serial, at: 0x40005000}\n",
         "no key `knid`", "`kind`"},
        {"part: m\nextends: armv6m-32k\nvectors:\n  - {nme: s, at: 0x40}\n", "no key `nme`", "`name`"},
        {"part: m\nextends: mcs51-8kk\n", "no part `mcs51-8kk`", "`mcs51-8k`"},
        {"part: m\nextends: armv6-32k\n", "no part `armv6-32k`", "`armv6m-32k`"},
    };
    static const char *const names[] = {"armv6m-32k", "mcs51-4k", "mcs51-8k", NULL};
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        collected diags;
        ck_assert_ptr_null(load_with(cases[i].yaml, names, &diags));
        if (diags.count != 1) show_collected(&diags);
        ck_assert_uint_eq(diags.count, 1);
        ck_assert_ptr_nonnull(strstr(diags.one[0].message, cases[i].says));
        if (cases[i].remedy && !strstr(diags.one[0].hint, cases[i].remedy)) show_collected(&diags);
        ck_assert(!cases[i].remedy || strstr(diags.one[0].hint, cases[i].remedy));
    }
}
END_TEST

START_TEST(a_part_of_ones_own_is_taken)
{
    collected diags;
    oak_part *part = load_text(HEAD MEMORY "registers:\n  - name: LAMPS\n    at: 0x90\n    reset: 0xf0\n    "
                                           "title: the lamps\n    bits: {RED: 0 warning, MODE: 3-2 colour}\n",
                               &diags);
    show_collected(&diags);
    ck_assert_ptr_nonnull(part);
    ck_assert_str_eq(part->registers[0].fields[0].name, "MODE");
    ck_assert_str_eq(part->registers[0].fields[1].title, "warning");
    oak_part_free(part);
}
END_TEST

START_TEST(frequencies_and_times_are_exact)
{
    uint64_t value;
    char text[40];
    ck_assert(!oak_read_frequency("11.0592MHz", &value) && value == 11059200000u);
    ck_assert(!oak_read_frequency("32.768 kHz", &value) && value == 32768000);
    ck_assert(!oak_read_frequency("12000000", &value) && value == 12000000000u);
    ck_assert(oak_read_frequency("fast", &value) && oak_read_frequency("0Hz", &value) &&
              oak_read_frequency("5 m", &value) && oak_read_frequency("", &value));
    ck_assert(!oak_read_time("1.5s", 4, &value) && value == 1500000000000u);
    ck_assert(!oak_read_time("250 us", 6, &value) && value == 250000000);
    ck_assert(oak_read_time("5", 1, &value) && oak_read_time("ms", 2, &value) &&
              oak_read_time("99999999999999s", 15, &value));
    /* one second at 11.0592 MHz and 12 clocks is exactly 921,600 cycles, an hour 3,600 times that */
    ck_assert(oak_time_to_cycles(1000000000000u, 11059200000u, 12) == 921600);
    ck_assert(oak_time_to_cycles(3600000000000000u, 11059200000u, 12) == 3317760000u);
    ck_assert(oak_time_to_cycles(1, 12000000000u, 12) == 1);
    oak_write_time(41667, 12000000000u, 12, text, sizeof text);
    ck_assert_str_eq(text, "41.667 ms");
    oak_write_time(0, 12000000000u, 12, text, sizeof text);
    ck_assert_str_eq(text, "0.000 ms");
    oak_write_time(921600, 11059200000u, 12, text, sizeof text);
    ck_assert_str_eq(text, "1.000 s");
    oak_write_frequency(11059200000u, text, sizeof text);
    ck_assert_str_eq(text, "11.0592 MHz");
    oak_write_frequency(32768000, text, sizeof text);
    ck_assert_str_eq(text, "32.768 kHz");
}
END_TEST

RUN_SUITE("part", the_shipped_parts_have_their_memories,
          a_part_keeps_what_it_extends_and_changes_what_it_names, names_of_a_part_are_found,
          a_part_file_that_is_wrong_is_refused_with_its_place,
          a_misspelt_key_is_told_once_and_the_nearest_names_are_offered, a_part_of_ones_own_is_taken,
          frequencies_and_times_are_exact)
