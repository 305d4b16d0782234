/* Images and Intel HEX. */
#include "support.h"

static oak_host host;

static oak_image *new_image(void)
{
    oak_image *image = NULL;
    host = oak_linux_host();
    ck_assert_int_eq(oak_image_create(&host, &image), OAK_OK);
    return image;
}

static oak_status read_hex(oak_image *image, const char *source, collected *diags)
{
    oak_diag_sink sink = collect(diags);
    return oak_hex_read(image, source, strlen(source), "t.hex", &sink);
}

START_TEST(an_image_keeps_its_holes)
{
    oak_image *image = new_image();
    uint8_t byte, read[6];
    uint32_t address;
    uint64_t length;
    ck_assert_int_eq(oak_image_write(image, 1022, "abcd", 4), OAK_OK);
    ck_assert_int_eq(oak_image_write(image, 0xFFFFFFFF, "z", 1), OAK_OK);
    ck_assert_int_eq(oak_image_write(image, 0xFFFFFFFF, "zz", 2), OAK_OUT_OF_RANGE);
    ck_assert(!oak_image_byte(image, 1021, &byte));
    ck_assert(oak_image_byte(image, 1025, &byte) && byte == 'd');
    ck_assert_uint_eq(oak_image_read(image, 1021, '-', read, 6), 4);
    ck_assert_mem_eq(read, "-abcd-", 6);
    ck_assert_int_eq(oak_image_next_run(image, 0, &address, &length), OAK_OK);
    ck_assert_uint_eq(address, 1022);
    ck_assert_uint_eq(length, 4); /* over the edge of a page */
    ck_assert_int_eq(oak_image_next_run(image, 1024, &address, &length), OAK_OK);
    ck_assert_uint_eq(address, 1024);
    ck_assert_uint_eq(length, 2);
    ck_assert_int_eq(oak_image_next_run(image, 1026, &address, &length), OAK_OK);
    ck_assert_uint_eq(address, 0xFFFFFFFF);
    ck_assert_uint_eq(oak_image_count(image), 5);
    oak_image_free(image);
}
END_TEST

START_TEST(hex_of_every_record_type_is_read)
{
    oak_image *image = new_image();
    collected diags;
    uint8_t byte;
    uint32_t entry;
    /* out of order, CR LF, lower case, segment base with a wrap inside 64 KiB, upper half, both entries, empty record */
    const char *source = ":020000021000ec\r\n:02FFFF00AABB9B\r\n:0400000300003800C1\n"
                         ":020000040102F7\n:0110000055"
                         "9A\n:0000000000\n:0400000500001234B1\n:00000001FF\n\n";
    oak_status status = read_hex(image, source, &diags);
    show_collected(&diags);
    ck_assert_int_eq(status, OAK_OK);
    ck_assert(oak_image_byte(image, 0x1FFFF, &byte) && byte == 0xAA);
    ck_assert(oak_image_byte(image, 0x10000, &byte) && byte == 0xBB);
    ck_assert(oak_image_byte(image, 0x01021000, &byte) && byte == 0x55);
    ck_assert(oak_image_entry(image, &entry) && entry == 0x1234);
    ck_assert_uint_eq(oak_image_count(image), 3);
    oak_image_free(image);
}
END_TEST

START_TEST(every_fault_of_hex_is_named_with_its_line)
{
    static const struct {
        const char *source, *code;
        unsigned line, column;
        const char *says;
    } cases[] = {
        {":00000001FF\n:00000001FF\n", "hex-after-end", 2, 1, "line 1"},
        {":0100000041BE\n", "hex-no-end", 1, 0, "no end record"},
        {":01000000G1BE\n:00000001FF\n", "hex-digit", 1, 10, "'G'"},
        {":0100000041BF\n:00000001FF\n", "hex-checksum", 1, 12, "BF, expected BE"},
        {":0200000041BE\n:00000001FF\n", "hex-length", 1, 2, "2 data bytes"},
        {":01000000\n:00000001FF\n", "hex-length", 1, 1, "at least 10"},
        {":0100000041BE\n:0100000042BD\n:00000001FF\n", "hex-overlap", 2, 10, "already holds 0x41"},
        {":00000006FA\n:00000001FF\n", "hex-type", 1, 8, "06"},
        {":0100000100FE\n", "hex-length", 1, 2, "type 01 holds 0"},
        {"0100000041BE\n:00000001FF\n", "hex-start", 1, 1, "':'"},
        {"", "hex-no-end", 1, 0, "no end record"},
    };
    for (unsigned i = 0; i < sizeof cases / sizeof *cases; i++) {
        oak_image *image = new_image();
        collected diags;
        ck_assert_int_eq(read_hex(image, cases[i].source, &diags), OAK_REFUSED);
        if (diags.count != 1) show_collected(&diags);
        ck_assert_uint_eq(diags.count, 1);
        ck_assert_str_eq(diags.one[0].code, cases[i].code);
        ck_assert_uint_eq(diags.one[0].line, cases[i].line);
        ck_assert_uint_eq(diags.one[0].column, cases[i].column);
        ck_assert_msg(strstr(diags.one[0].message, cases[i].says) != NULL, "%s", diags.one[0].message);
        oak_image_free(image);
    }
}
END_TEST

START_TEST(the_same_byte_twice_is_no_fault)
{
    oak_image *image = new_image();
    collected diags;
    ck_assert_int_eq(read_hex(image, ":0100000041BE\n:0100000041BE\n:00000001FF\n", &diags), OAK_OK);
    oak_image_free(image);
}
END_TEST

START_TEST(two_faulty_lines_give_two_messages)
{
    oak_image *image = new_image();
    collected diags;
    ck_assert_int_eq(read_hex(image, ":0100000041BF\n:0100010041BD\n:010002004100\n:00000001FF\n", &diags),
                     OAK_REFUSED);
    ck_assert_uint_eq(diags.count, 2);
    ck_assert_uint_eq(diags.one[0].line, 1);
    ck_assert_uint_eq(diags.one[1].line, 3);
    oak_image_free(image);
}
END_TEST

START_TEST(the_writer_writes_what_the_format_says)
{
    oak_image *image = new_image();
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    oak_image_write(image, 0, "\x02\x00\x30", 3);
    oak_image_write(image, 0xFFFE, "abcd", 4);
    oak_image_set_entry(image, 0x30);
    ck_assert_int_eq(oak_hex_write(image, 0, &sink), OAK_OK);
    ck_assert_str_eq(t.bytes, ":03000000020030CB\n:02FFFE006162"
                              "3E\n:020000040001F9\n:020000006364"
                              "37\n:0400000500000030C7\n:00000001FF\n");
    ck_assert_int_eq(oak_hex_write(image, 256, &sink), OAK_MISUSE);
    free(t.bytes);
    oak_image_free(image);
}
END_TEST

/* A random image, written in records of some size and read back, is the same. */
START_TEST(writing_then_reading_gives_the_same_image)
{
    uint64_t seed = 7;
    for (unsigned round = 0; round < 60; round++) {
        oak_image *image = new_image(), *again = new_image();
        collected diags;
        text t = {0}, second = {0};
        oak_text_sink sink = text_sink(&t), other = text_sink(&second);
        for (unsigned piece = 0; piece < 20; piece++) {
            uint8_t bytes[300];
            uint32_t address = random32(&seed) >> (random32(&seed) % 24);
            size_t count = random32(&seed) % 300;
            for (size_t i = 0; i < count; i++) bytes[i] = (uint8_t)random32(&seed);
            if (address < 0xFFFFFE00) oak_image_write(image, address, bytes, count);
        }
        if (round % 2) oak_image_set_entry(image, random32(&seed));
        ck_assert_int_eq(oak_hex_write(image, 1 + random32(&seed) % 255, &sink), OAK_OK);
        ck_assert_int_eq(read_hex(again, t.bytes, &diags), OAK_OK);
        ck_assert_uint_eq(oak_image_count(image), oak_image_count(again));
        ck_assert_int_eq(oak_hex_write(again, 16, &other), OAK_OK);
        free(t.bytes);
        t = (text){0};
        ck_assert_int_eq(oak_hex_write(image, 16, &sink), OAK_OK);
        ck_assert_str_eq(t.bytes, second.bytes);
        free(t.bytes);
        free(second.bytes);
        oak_image_free(image);
        oak_image_free(again);
    }
}
END_TEST

/* A file of 1 MB: whichever digit is changed, to whichever other digit, its line is named. Positions are spread over the
 * whole file; within a few lines every position and every digit is tried. */
START_TEST(any_changed_digit_is_refused_at_its_line)
{
    oak_image *image = new_image();
    text t = {0};
    oak_text_sink sink = text_sink(&t);
    uint64_t seed = 3;
    for (uint32_t at = 0; at < 380000; at += 1000) {
        uint8_t bytes[1000];
        for (size_t i = 0; i < sizeof bytes; i++) bytes[i] = (uint8_t)random32(&seed);
        oak_image_write(image, at, bytes, sizeof bytes);
    }
    oak_hex_write(image, 16, &sink);
    oak_image_free(image);
    ck_assert_uint_gt(t.size, 1000000);
    /* Reading stops nobody from checking a slice: lines are independent, so a window of the file is enough for most. */
    unsigned tried = 0;
    for (size_t start = 0, line = 1; start < t.size;) {
        size_t end = start;
        while (t.bytes[end] != '\n') end++;
        bool thorough = line == 1 || line == 5000 || t.bytes[end + 1] == 0;
        size_t step = thorough ? 1 : 1 + random32(&seed) % 400;
        for (size_t at = start + step; at < end; at += step) {
            if (t.bytes[at] == ':') continue;
            char was = t.bytes[at];
            for (const char *digit = "0123456789ABCDEF"; *digit; digit++) {
                if (*digit == was) continue;
                t.bytes[at] = *digit;
                collected diags;
                oak_diag_sink collector = collect(&diags);
                oak_image *other = new_image();
                size_t from = start, size = end + 1 - start;
                ck_assert_int_eq(oak_hex_read(other, t.bytes + from, size, "t", &collector), OAK_REFUSED);
                ck_assert_uint_eq(diags.one[0].line, 1);
                ck_assert_str_ne(diags.one[0].code, "hex-no-end");
                oak_image_free(other);
                tried++;
                if (!thorough) break;
            }
            t.bytes[at] = was;
        }
        start = end + 1;
        line++;
    }
    ck_assert_uint_gt(tried, 3000);
    /* And the whole file, some times: the line is the one that was changed. */
    for (unsigned round = 0; round < 12; round++) {
        size_t at = random32(&seed) % (t.size - 20);
        while (t.bytes[at] == '\n' || t.bytes[at] == ':') at++;
        unsigned line = 1;
        for (size_t i = 0; i < at; i++) line += t.bytes[i] == '\n';
        char was = t.bytes[at];
        t.bytes[at] = was == '7' ? '3' : '7';
        collected diags;
        oak_image *other = new_image();
        ck_assert_int_eq(read_hex(other, t.bytes, &diags), OAK_REFUSED);
        ck_assert_uint_eq(diags.one[0].line, line);
        oak_image_free(other);
        t.bytes[at] = was;
    }
    free(t.bytes);
}
END_TEST

RUN_SUITE("image", an_image_keeps_its_holes, hex_of_every_record_type_is_read,
          every_fault_of_hex_is_named_with_its_line, the_same_byte_twice_is_no_fault,
          two_faulty_lines_give_two_messages, the_writer_writes_what_the_format_says,
          writing_then_reading_gives_the_same_image, any_changed_digit_is_refused_at_its_line)
