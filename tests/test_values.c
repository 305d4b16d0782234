/* Expressions over a chip, against the same ones worked out here; everything that can be set is set, and read again. */
#include "support.h"

#include <stdio.h>

/* ------------------------------------------------------------------------------------------ random expressions */

/* A tree that is written out for the session and worked out here, with 64 bits as C has them. */
typedef struct tree {
    char text[1000];
    int64_t value;
} tree;

static const struct {
    const char *text;
    int64_t value;
} leaves[] = {{"0", 0},
              {"1", 1},
              {"7", 7},
              {"0xff", 255},
              {"0b1010", 10},
              {"2ah", 42},
              {"'*'", 42},
              {"1_000", 1000},
              {"r3", 0x33},
              {"a", 0x5A},
              {"dptr", 0x1234},
              {"sp", 0x47},
              {"iram[0x40]", 0x81},
              {"iram[0x40:2]", 0x8102},
              {"xram[0x10:4]", 0x01020304},
              {"spun", 0x81},
              {"lit", 1},
              {"PSW.7", 0},
              {"limit", 300}};
enum { LEAVES = sizeof leaves / sizeof *leaves };

static tree leaf(uint64_t *seed)
{
    tree t;
    unsigned which = random32(seed) % LEAVES;
    snprintf(t.text, sizeof t.text, "%s", leaves[which].text);
    t.value = leaves[which].value;
    return t;
}

static tree join(const tree *left, const char *operation, const tree *right, int64_t value)
{
    tree t = {.value = value};
    snprintf(t.text, sizeof t.text, "(%.480s %s %.480s)", left->text, operation, right->text);
    return t;
}

static tree grow(uint64_t *seed, unsigned depth)
{
    if (!depth || random32(seed) % 5 == 0) return leaf(seed);
    tree left = grow(seed, depth - 1), right = grow(seed, depth - 1), result;
    uint64_t a = (uint64_t)left.value, b = (uint64_t)right.value;
    switch (random32(seed) % 19) {
    case 0: return join(&left, "+", &right, (int64_t)(a + b));
    case 1: return join(&left, "-", &right, (int64_t)(a - b));
    case 2: return join(&left, "*", &right, (int64_t)(a * b));
    case 3: return right.value > 0 ? join(&left, "/", &right, left.value / right.value) : left;
    case 4: return right.value > 0 ? join(&left, "%", &right, left.value % right.value) : left;
    case 5: return join(&left, "&", &right, (int64_t)(a & b));
    case 6: return join(&left, "|", &right, (int64_t)(a | b));
    case 7: return join(&left, "^", &right, (int64_t)(a ^ b));
    case 8: return join(&left, "&&", &right, left.value && right.value);
    case 9: return join(&left, "||", &right, left.value || right.value);
    case 10: return join(&left, "==", &right, left.value == right.value);
    case 11: return join(&left, "!=", &right, left.value != right.value);
    case 12: return join(&left, "<", &right, left.value < right.value);
    case 13: return join(&left, "<=", &right, left.value <= right.value);
    case 14: return join(&left, ">", &right, left.value > right.value);
    case 15: return join(&left, ">=", &right, left.value >= right.value);
    case 16:
        snprintf(result.text, sizeof result.text, "(!%.900s)", left.text);
        result.value = !left.value;
        return result;
    case 17:
        snprintf(result.text, sizeof result.text, "(~%.900s)", left.text);
        result.value = ~left.value;
        return result;
    default:
        snprintf(result.text, sizeof result.text, "(-%.900s)", left.text);
        result.value = (int64_t)(0 - a);
        return result;
    }
}

static void open_values(bench *b)
{
    bench_open(b, "mcs51-64k",
               "limit equ 300\n section vars, iram, at 0x40\nspun: ds 1\nrest: ds 1\n section bits, bit, at "
               "0\nlit: ds 1\n org "
               "0\nmain: sjmp main\n");
    static const char *const values[] = {
        "r3=0x33", "a=0x5a", "dptr=0x1234", "sp=0x47", "iram[0x40:2]=0x8102", "xram[0x10:4]=0x01020304",
        "lit=1",   "PSW=0"};
    for (size_t i = 0; i < sizeof values / sizeof *values; i++) {
        oak_status status = oak_session_set(b->session, values[i], &b->sink);
        if (status) show_collected(&b->diags);
        ck_assert_msg(status == OAK_OK, "%s", values[i]);
    }
    ck_assert_int_eq(oak_session_set(b->session, "a=0x5a", &b->sink), OAK_OK);
}

START_TEST(random_expressions_have_the_values_that_c_gives_them)
{
    bench b;
    uint64_t seed = 20;
    open_values(&b);
    for (unsigned i = 0; i < LEAVES; i++)
        ck_assert_msg(value_of(&b, leaves[i].text) == leaves[i].value, "%s is %lld", leaves[i].text,
                      value_of(&b, leaves[i].text));
    for (unsigned i = 0; i < 4000; i++) {
        tree t = grow(&seed, 1 + i % 5);
        long long got = value_of(&b, t.text);
        ck_assert_msg(got == t.value, "%s: %lld, not %lld", t.text, got, (long long)t.value);
    }
    bench_close(&b);
}
END_TEST

START_TEST(operators_bind_as_in_c)
{
    static const struct {
        const char *text;
        int64_t value;
    } cases[] = {{"1 + 2 * 3", 7},
                 {"(1 + 2) * 3", 9},
                 {"10 - 4 - 3", 3},
                 {"100 / 10 / 5", 2},
                 {"1 << 2 + 1", 8},
                 {"1 | 2 ^ 3 & 2", 1 | (2 ^ (3 & 2))},
                 {"6 & 3 == 3", 6 & (3 == 3)},
                 {"1 < 2 == 1", 1},
                 {"0 || 1 && 0", 0},
                 {"!0 + 1", 2},
                 {"-2 * -3", 6},
                 {"~0 & 0xf", 15},
                 {"1 + 1 == 2 && 3 > 2", 1},
                 {"256 >> 4 >> 2", 4},
                 {"17 % 5 * 2", 4},
                 {"- -5", 5},
                 {"1 == 1 != 0", 1},
                 {"2 + 3 < 4 + 2", 1},
                 {"low(0x1234)", 0x34},
                 {"high(0x1234)", 0x12}};
    bench b;
    open_values(&b);
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++)
        ck_assert_msg(value_of(&b, cases[i].text) == cases[i].value, "%s is %lld, not %lld", cases[i].text,
                      value_of(&b, cases[i].text), (long long)cases[i].value);
    bench_close(&b);
}
END_TEST

START_TEST(what_is_no_expression_is_refused_with_its_place)
{
    static const struct {
        const char *text;
        unsigned column; /* 0: anywhere */
    } cases[] = {{"1 +", 0},
                 {"(1", 0},
                 {"1)", 2},
                 {"nothing", 1},
                 {"iram[", 0},
                 {"iram[0x40", 0},
                 {"iram[0x40:9]", 0},
                 {"iram[0x40:0]", 0},
                 {"xram[0x20000]", 0},
                 {"a..b", 0},
                 {"0x", 0},
                 {"1 2", 3},
                 {"", 0},
                 {"a == == 3", 0},
                 {"5 / 0", 0},
                 {"5 % (a - a)", 0},
                 {"PSW.9", 0},
                 {"nowhere[3]", 0},
                 {"'ab", 0},
                 {"#5", 0}};
    bench b;
    open_values(&b);
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        oak_reading reading;
        b.diags.count = 0;
        ck_assert_msg(oak_session_value(b.session, cases[i].text, &b.sink, &reading) != OAK_OK,
                      "`%s` is taken", cases[i].text);
        ck_assert_msg(b.diags.count == 1, "`%s`: %u messages", cases[i].text, b.diags.count);
        if (cases[i].column)
            ck_assert_msg(b.diags.one[0].column == cases[i].column, "`%s`: column %u", cases[i].text,
                          b.diags.one[0].column);
    }
    bench_close(&b);
}
END_TEST

/* ------------------------------------------------------------------------------------------ setting */

static const char *const parts[] = {"mcs51-4k", "mcs51-8k", "mcs51-64k", "armv6m-32k", "armv7m-256k"};

static void open_part(bench *b, const char *part)
{
    bool bytes = strncmp(part, "mcs51", 5) == 0;
    bench_open(b, part,
               bytes ? " org 0\nmain: nop\n sjmp main\n"
                     : " dd 0x20000100, main\n org 0x100\nmain: nop\n b main\n");
    if (!bytes) bench_run(b, 0, 1);
}

START_TEST(registers_of_the_core_keep_what_they_are_set_to)
{
    for (size_t p = 0; p < sizeof parts / sizeof *parts; p++) {
        bench b;
        open_part(&b, parts[p]);
        const oak_architecture *about = b.part->architecture;
        unsigned tried = 0;
        for (unsigned i = 0; i < about->register_count; i++) {
            const oak_register_info *reg = &about->registers[i];
            static const uint64_t patterns[] = {0, UINT64_MAX, 0x5555555555555555u, 0xA0A0A0A0A0A0A0A0u};
            char text[80];
            /* Those whose bits mean something: the manual says which of them stay 0. */
            bool special = strcmp(reg->name, "pc") == 0 || strcmp(reg->name, "psw") == 0 ||
                           strstr(reg->name, "sp") || reg->bits < 8 || strcmp(reg->name, "xpsr") == 0 ||
                           strcmp(reg->name, "control") == 0 || strcmp(reg->name, "basepri") == 0;
            if (special) continue;
            for (size_t k = 0; k < sizeof patterns / sizeof *patterns; k++) {
                uint64_t value =
                    reg->bits >= 64 ? patterns[k] : patterns[k] & (((uint64_t)1 << reg->bits) - 1);
                snprintf(text, sizeof text, "%s = 0x%llx", reg->name, (unsigned long long)value);
                ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_OK);
                ck_assert_msg((uint64_t)value_of(&b, reg->name) == value, "%s: %s is 0x%llx", parts[p], text,
                              value_of(&b, reg->name));
                tried++;
            }
            snprintf(text, sizeof text, "%s = 0x%llx", reg->name, 1ull << reg->bits);
            ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_REFUSED); /* one bit too many */
        }
        ck_assert_uint_gt(tried, 30);
        bench_close(&b);
    }
}
END_TEST

START_TEST(every_byte_of_ram_keeps_what_it_is_set_to)
{
    for (size_t p = 0; p < sizeof parts / sizeof *parts; p++) {
        bench b;
        open_part(&b, parts[p]);
        for (unsigned m = 0; m < b.part->memory_count; m++) {
            const oak_part_memory *memory = &b.part->memories[m];
            const char *space = b.part->architecture->spaces[memory->space].name;
            char text[100];
            if (!memory->writable) continue;
            uint32_t step = memory->size > 2048 ? memory->size / 509 : 1;
            for (uint32_t at = 0; at < memory->size; at += step) {
                snprintf(text, sizeof text, "%s[0x%lx] = 0x%02x", space, (unsigned long)memory->base + at,
                         (unsigned)(at * 7 + 3) & 0xFF);
                ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_OK);
            }
            for (uint32_t at = 0; at < memory->size; at += step) {
                snprintf(text, sizeof text, "%s[0x%lx]", space, (unsigned long)memory->base + at);
                ck_assert_msg(value_of(&b, text) == (long long)((at * 7 + 3) & 0xFF), "%s: %s", parts[p],
                              text);
            }
            snprintf(text, sizeof text, "%s[0x%llx] = 1", space,
                     (unsigned long long)memory->base + memory->size);
            const oak_part_memory *next = NULL;
            for (unsigned k = 0; k < b.part->memory_count; k++)
                if (b.part->memories[k].space == memory->space &&
                    b.part->memories[k].base == memory->base + memory->size)
                    next = &b.part->memories[k];
            if (!next) ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_REFUSED);
        }
        bench_close(&b);
    }
}
END_TEST

START_TEST(cells_of_several_bytes_have_the_order_of_the_architecture)
{
    bench b;
    open_part(&b, "mcs51-8k");
    ck_assert_int_eq(oak_session_set(b.session, "iram[0x40:4] = 0x11223344", &b.sink), OAK_OK);
    ck_assert_int_eq(value_of(&b, "iram[0x40]"), 0x11);
    ck_assert_int_eq(value_of(&b, "iram[0x43]"), 0x44);
    ck_assert_int_eq(value_of(&b, "iram[0x41:2]"), 0x2233);
    bench_close(&b);
    open_part(&b, "armv6m-32k");
    ck_assert_int_eq(oak_session_set(b.session, "mem[0x20000040:4] = 0x11223344", &b.sink), OAK_OK);
    ck_assert_int_eq(value_of(&b, "mem[0x20000040]"), 0x44);
    ck_assert_int_eq(value_of(&b, "mem[0x20000043]"), 0x11);
    ck_assert_int_eq(value_of(&b, "mem[0x20000041:2]"), 0x2233);
    ck_assert_int_eq(oak_session_set(b.session, "mem[0x20000040:2] = -2", &b.sink), OAK_OK);
    ck_assert_int_eq(value_of(&b, "mem[0x20000040:2]"), 0xFFFE);
    ck_assert_int_eq(value_of(&b, "mem[0x20000042:2]"), 0x1122);
    ck_assert_int_eq(oak_session_set(b.session, "mem[0x20000040:2] = 0x10000", &b.sink), OAK_REFUSED);
    bench_close(&b);
}
END_TEST

START_TEST(every_bit_that_has_an_address_is_set_and_cleared_alone)
{
    bench b;
    open_part(&b, "mcs51-8k");
    for (unsigned bit = 0; bit < 0x80; bit++) {
        char text[100], cell[60];
        snprintf(cell, sizeof cell, "iram[0x%02x]", 0x20 + bit / 8);
        snprintf(text, sizeof text, "%s = 0", cell);
        ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_OK);
        snprintf(text, sizeof text, "bit[0x%02x] = 1", bit);
        ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_OK);
        ck_assert_int_eq(value_of(&b, cell), 1 << bit % 8);
        snprintf(text, sizeof text, "%s = 0xff", cell);
        ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_OK);
        snprintf(text, sizeof text, "bit[0x%02x] = 0", bit);
        ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_OK);
        ck_assert_int_eq(value_of(&b, cell), 0xFF & ~(1 << bit % 8));
        snprintf(text, sizeof text, "bit[0x%02x]", bit);
        ck_assert_int_eq(value_of(&b, text), 0);
    }
    /* A bit of any cell or variable, by its number. */
    for (unsigned bit = 0; bit < 8; bit++) {
        char text[60];
        ck_assert_int_eq(oak_session_set(b.session, "iram[0x70] = 0x5a", &b.sink), OAK_OK);
        snprintf(text, sizeof text, "iram[0x70].%u = %u", bit, 1 - (0x5A >> bit & 1));
        ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_OK);
        ck_assert_int_eq(value_of(&b, "iram[0x70]"), 0x5A ^ 1 << bit);
    }
    ck_assert_int_ne(oak_session_set(b.session, "iram[0x70].8 = 1", &b.sink), OAK_OK);
    /* The fields of special registers by their names, each alone. */
    unsigned fields = 0;
    for (unsigned r = 0; r < b.part->register_count; r++) {
        const oak_part_register *reg = &b.part->registers[r];
        bool plain =
            strcmp(reg->name, "IE") == 0 || strcmp(reg->name, "IP") == 0 || strcmp(reg->name, "TMOD") == 0;
        for (unsigned f = 0; plain && f < reg->field_count; f++) {
            char text[100];
            uint64_t top = ((uint64_t)1 << reg->fields[f].width) - 1;
            snprintf(text, sizeof text, "%s = 0", reg->name);
            ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_OK);
            snprintf(text, sizeof text, "%s = %llu", reg->fields[f].name, (unsigned long long)top);
            ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_OK);
            ck_assert_msg((uint64_t)value_of(&b, reg->name) == top << reg->fields[f].bit, "%s", text);
            snprintf(text, sizeof text, "%s = %llu", reg->fields[f].name, (unsigned long long)top + 1);
            ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_REFUSED);
            fields++;
        }
    }
    ck_assert_uint_gt(fields, 12);
    bench_close(&b);
}
END_TEST

START_TEST(every_pin_can_be_driven_by_setting_it)
{
    for (size_t p = 0; p < sizeof parts / sizeof *parts; p++) {
        bench b;
        open_part(&b, parts[p]);
        for (unsigned port = 0; port < b.part->port_count; port++)
            for (unsigned bit = 0; bit < b.part->ports[port].pin_count; bit++) {
                char text[60];
                oak_pin pin;
                for (unsigned level = 0; level < 2; level++) {
                    snprintf(text, sizeof text, "%s.%u = %u", b.part->ports[port].name, bit, level);
                    ck_assert_msg(oak_session_set(b.session, text, &b.sink) == OAK_OK, "%s: %s", parts[p],
                                  text);
                    ck_assert_int_eq(b.chip.ops->read_pin(b.chip.chip, port * OAK_MOST_PINS + bit, &pin),
                                     OAK_OK);
                    ck_assert_int_eq(pin.outside, level ? OAK_HIGH : OAK_LOW);
                    ck_assert_int_eq(pin.result, level ? OAK_HIGH : OAK_LOW);
                }
                snprintf(text, sizeof text, "%s.%u = 2", b.part->ports[port].name, bit);
                ck_assert_int_ne(oak_session_set(b.session, text, &b.sink), OAK_OK);
            }
        bench_close(&b);
    }
}
END_TEST

START_TEST(what_cannot_be_set_is_refused)
{
    static const char *const cases[] = {"a",
                                        "= 5",
                                        "a + 1 = 5",
                                        "limit = 5",
                                        "main = 5",
                                        "a = nothing",
                                        "nothing = 5",
                                        "iram[0x40:9] = 1",
                                        "xram[0x20000] = 1",
                                        "handling = 1",
                                        "a = 256",
                                        "a = -129",
                                        "r3 = ",
                                        "PSW.8 = 1",
                                        "5 = 5",
                                        "lit = 2",
                                        "P1.0 = 3"};
    bench b;
    open_values(&b);
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        b.diags.count = 0;
        ck_assert_msg(oak_session_set(b.session, cases[i], &b.sink) != OAK_OK, "`%s` is taken", cases[i]);
        ck_assert_msg(b.diags.count == 1, "`%s`: %u messages", cases[i], b.diags.count);
    }
    for (unsigned i = 0; i < LEAVES; i++) /* and nothing was changed */
        ck_assert_int_eq(value_of(&b, leaves[i].text), leaves[i].value);
    bench_close(&b);
}
END_TEST

START_TEST(single_bits_of_registers_are_set_and_cleared)
{
    static const char *const parts[] = {"mcs51-8k", "armv7m-256k"};
    for (unsigned p = 0; p < 2; p++) {
        bench b;
        bench_open(&b, parts[p], " org 0x400\nmain: nop\n");
        for (unsigned i = 0; i < b.part->architecture->register_count; i++) {
            const oak_register_info *about = &b.part->architecture->registers[i];
            char text[40];
            if (strncmp(about->name, "r", 1) != 0 && strcmp(about->name, "dptr") != 0) continue;
            for (unsigned bit = 0; bit < about->bits; bit++) {
                snprintf(text, sizeof text, "%s.%u=1", about->name, bit);
                ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_OK);
                ck_assert_msg(value_of(&b, about->name) == 1ll << bit, "%s", text);
                snprintf(text, sizeof text, "%s.%u=0", about->name, bit);
                ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_OK);
                ck_assert_msg(value_of(&b, about->name) == 0, "%s", text);
            }
            snprintf(text, sizeof text, "%s.%u=1", about->name, about->bits);
            ck_assert_int_eq(oak_session_set(b.session, text, &b.sink), OAK_REFUSED);
        }
        bench_close(&b);
    }
}
END_TEST

START_TEST(a_name_that_is_not_there_is_told_with_the_nearest_one)
{
    static const struct {
        const char *wrong, *hint;
    } cases[] = {{"r44", "Did you mean `r4`?"},
                 {"dept", "Did you mean `depth`?"},
                 {"conut", "Did you mean `count`?"},
                 {"psww", "Did you mean `psw`?"},
                 {"TCONN", "Did you mean `TCON`?"},
                 {"q", ""},
                 {"zz", ""},
                 {"nothing_like_it", ""},
                 {"handlin", "Did you mean `handling`?"}};
    bench b;
    bench_open(&b, "mcs51-8k", " org iram:30h\ncount: ds 1\n org 0\nmain: sjmp main\n");
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        oak_reading reading;
        b.diags.count = 0;
        ck_assert_int_eq(oak_session_value(b.session, cases[i].wrong, &b.sink, &reading), OAK_REFUSED);
        ck_assert_str_eq(b.diags.one[0].code, "unknown-name");
        ck_assert_msg(strcmp(b.diags.one[0].hint, cases[i].hint) == 0, "%s: %s", cases[i].wrong,
                      b.diags.one[0].hint);
    }
    bench_close(&b);
}
END_TEST

RUN_SUITE("values", single_bits_of_registers_are_set_and_cleared,
          a_name_that_is_not_there_is_told_with_the_nearest_one,
          random_expressions_have_the_values_that_c_gives_them, operators_bind_as_in_c,
          what_is_no_expression_is_refused_with_its_place, registers_of_the_core_keep_what_they_are_set_to,
          every_byte_of_ram_keeps_what_it_is_set_to,
          cells_of_several_bytes_have_the_order_of_the_architecture,
          every_bit_that_has_an_address_is_set_and_cleared_alone, every_pin_can_be_driven_by_setting_it,
          what_cannot_be_set_is_refused)
