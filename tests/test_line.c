/* test_line.c — files and images over a line: both of our ends against each other in every weather, and against the programs of others. */
#define _GNU_SOURCE
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "two_ends.h"

/* ------------------------------------------------------------------------------------------ files, both ends ours */

typedef struct file_end {
    oak_talk talk;
    oak_file_way way;
    oak_file files[2];
    size_t count; /* sent, or received */
    text got[2];
    char names[2][64];
    bool refuses;
    oak_status status;
} file_end;

static bool begin(void *context, const char *name, uint64_t size)
{
    file_end *self = context;
    if (self->refuses || self->count == 2) return false;
    snprintf(self->names[self->count++], sizeof self->names[0], "%s/%llu", name, (unsigned long long)size);
    return true;
}

static oak_status keep(void *context, const uint8_t *bytes, size_t count)
{
    file_end *self = context;
    oak_text_sink sink = text_sink(&self->got[self->count - 1]);
    return sink.write(sink.context, (const char *)bytes, count);
}

static int send_files(void *context)
{
    file_end *self = context;
    return self->status = oak_file_send(&self->talk, self->way, self->files, self->count);
}

static int receive_files(void *context)
{
    file_end *self = context;
    const oak_file_sink sink = {self, begin, keep};
    return self->status = oak_file_receive(&self->talk, self->way, &sink);
}

static void fill(uint8_t *bytes, size_t size, uint64_t seed)
{
    static const uint8_t controls[] = {0x01, 0x02, 0x04, 0x06, 0x15, 0x18, 0x1A, 'C'};
    for (size_t i = 0; i < size; i++) {
        uint32_t any = random32(&seed);
        bytes[i] = any % 3 ? (uint8_t)(any >> 8) : controls[any >> 8 & 7];
    }
}

/* What has arrived is what was sent: with XMODEM and what fills the last packet. */
static bool is_same(const file_end *from, const file_end *to, unsigned number)
{
    const oak_file *file = &from->files[number];
    const text *got = &to->got[number];
    if (got->size < file->size || memcmp(got->bytes ? got->bytes : "", file->bytes, file->size) != 0)
        return false;
    if (to->way == OAK_YMODEM) return got->size == file->size;
    for (size_t i = file->size; i < got->size; i++)
        if (got->bytes[i] != 0x1A) return false;
    return got->size - file->size < 1024;
}

static void open_ends(two_ends *ends, file_end *from, file_end *to, oak_file_way sends, oak_file_way receives)
{
    static oak_host host;
    host = oak_linux_host();
    *from = (file_end){.talk = {.host = &host, .line = two_ends_line(ends, 0)}, .way = sends, .count = 1};
    *to = (file_end){.talk = {.host = &host, .line = two_ends_line(ends, 1)}, .way = receives};
}

static void forget(file_end *end)
{
    for (unsigned i = 0; i < 2; i++) free(end->got[i].bytes);
}

START_TEST(files_of_every_size_go_over_by_every_way)
{
    static const size_t sizes[] = {0, 1, 127, 128, 129, 896, 897, 1023, 1024, 1025, 5000, 40000, 262144};
    static const oak_file_way ways[][2] = {{OAK_XMODEM, OAK_XMODEM},
                                           {OAK_XMODEM, OAK_XMODEM_CRC},
                                           {OAK_XMODEM_CRC, OAK_XMODEM_CRC},
                                           {OAK_XMODEM_1K, OAK_XMODEM_1K},
                                           {OAK_YMODEM, OAK_YMODEM}};
    static uint8_t bytes[262144];
    for (unsigned w = 0; w < sizeof ways / sizeof *ways; w++)
        for (unsigned i = 0; i < sizeof sizes / sizeof *sizes; i++) {
            two_ends *ends = two_ends_open(NULL);
            file_end from, to;
            int results[2];
            open_ends(ends, &from, &to, ways[w][0], ways[w][1]);
            fill(bytes, sizes[i], 7 + i);
            from.files[0] =
                (oak_file){.name = "kiln.hex", .bytes = bytes, .size = sizes[i], .modified = 1700000000};
            from.files[1] = (oak_file){.name = "loom.hex", .bytes = bytes, .size = sizes[i] / 2};
            if (ways[w][0] == OAK_YMODEM) from.count = 2;
            two_ends_run(ends, send_files, &from, receive_files, &to, results);
            ck_assert_msg(!results[0] && !results[1], "way %u, %zu bytes: %s; %s", w, sizes[i], from.talk.why,
                          to.talk.why);
            ck_assert_uint_eq(to.count, from.count);
            for (unsigned f = 0; f < from.count; f++) ck_assert(is_same(&from, &to, f));
            if (from.count == 2) {
                char expected[64];
                snprintf(expected, sizeof expected, "loom.hex/%zu", sizes[i] / 2);
                ck_assert_str_eq(to.names[1], expected);
            }
            ck_assert_uint_eq(from.talk.progress.again, 0);
            ck_assert(two_ends_now(ends) < 5000000); /* nobody has waited for anything */
            forget(&to);
            two_ends_close(ends);
        }
}
END_TEST

/* Whatever the weather: it arrives, or both say that it has not. A sum of 8 bits does not find everything (docs/programmer.md), so there bytes are lost or doubled, never
 * both, and not flipped. */
START_TEST(files_arrive_or_fail_in_every_weather)
{
    enum { SCRIPTS = 5000 };
    static uint8_t bytes[3000];
    unsigned arrived = 0, failed = 0;
    for (unsigned script = 0; script < SCRIPTS / STRIDE; script++) {
        uint64_t seed = script * 977 + 5;
        uint32_t rate = 30 + random32(&seed) % 1500, kind = random32(&seed) % 8;
        oak_file_way way = (oak_file_way)(random32(&seed) % 4);
        const weather of = {.lost = kind & 1 || !kind ? rate : 0,
                            .doubled = kind & 2 && (way != OAK_XMODEM || kind == 2) ? rate : 0,
                            .flipped = kind & 4 && way != OAK_XMODEM ? rate : 0,
                            .seed = seed};
        two_ends *ends = two_ends_open(&of);
        file_end from, to;
        int results[2];
        size_t size = random32(&seed) % sizeof bytes;
        open_ends(ends, &from, &to, way, way);
        fill(bytes, size, seed);
        from.files[0] = (oak_file){.name = "kiln.hex", .bytes = bytes, .size = size};
        two_ends_run(ends, send_files, &from, receive_files, &to, results);
        if (!results[0] || !results[1])
            ck_assert_msg(to.count && is_same(&from, &to, 0),
                          "script %u: way %d, %zu bytes, statuses %d and %d, %zu came", script, way, size,
                          results[0], results[1], to.got[0].size);
        if (results[0]) ck_assert_uint_ne(strlen(from.talk.why), 0);
        if (results[1]) ck_assert_uint_ne(strlen(to.talk.why), 0);
        arrived += !results[0] && !results[1];
        failed += results[0] && results[1];
        ck_assert(two_ends_now(ends) < 3600ull * 1000000);
        forget(&to);
        two_ends_close(ends);
    }
    ck_assert_msg(arrived > 7 * (SCRIPTS / STRIDE) / 10 && failed > 0, "%u arrived, %u failed", arrived,
                  failed);
}
END_TEST

static bool goes_on_for_a_while(void *context, const oak_progress *progress)
{
    (void)context;
    return progress->done < 1000;
}

START_TEST(who_ends_early_tells_the_other_end)
{
    static uint8_t bytes[5000];
    for (unsigned who = 0; who < 4; who++) {
        two_ends *ends = two_ends_open(NULL);
        file_end from, to;
        int results[2];
        open_ends(ends, &from, &to, OAK_YMODEM, OAK_YMODEM);
        from.files[0] = (oak_file){.name = "kiln.hex", .bytes = bytes, .size = sizeof bytes};
        if (who == 0) from.talk.goes_on = goes_on_for_a_while;
        if (who == 1) to.talk.goes_on = goes_on_for_a_while;
        if (who == 2) to.refuses = true;
        if (who == 3) to.way = OAK_XMODEM_CRC;
        two_ends_run(ends, send_files, &from, receive_files, &to, results);
        ck_assert_int_eq(results[0], OAK_INTERRUPTED);
        ck_assert_int_eq(results[1], who < 2 ? OAK_INTERRUPTED : OAK_REFUSED);
        ck_assert_str_eq(who == 0 ? to.talk.why : from.talk.why, "the other end has cancelled");
        if (who == 2) ck_assert_str_eq(to.talk.why, "the file `kiln.hex` is not wanted");
        if (who == 3) ck_assert_str_eq(to.talk.why, "a name comes first: the other end is sending YMODEM");
        ck_assert(two_ends_now(ends) < 15000000);
        forget(&to);
        two_ends_close(ends);
    }
}
END_TEST

static int nobody(void *context)
{
    (void)context;
    return 0;
}

START_TEST(who_is_alone_is_told_so)
{
    two_ends *ends = two_ends_open(NULL);
    file_end from, to;
    int results[2];
    open_ends(ends, &from, &to, OAK_XMODEM, OAK_XMODEM_CRC);
    from.files[0] = (oak_file){.name = "kiln.hex", .bytes = (const uint8_t *)"x", .size = 1};
    two_ends_run(ends, send_files, &from, nobody, NULL, results);
    ck_assert_int_eq(results[0], OAK_NOT_FOUND);
    ck_assert_str_eq(from.talk.why, "nobody asks for a file: is the receiver ready, at this speed?");
    ck_assert(two_ends_now(ends) >= 60000000 && two_ends_now(ends) < 70000000);
    to.talk.line = two_ends_line(ends, 0);
    two_ends_run(ends, receive_files, &to, nobody, NULL, results);
    ck_assert_int_eq(results[0], OAK_NOT_FOUND);
    ck_assert_str_eq(to.talk.why, "nobody sends: is the other end ready, at this speed?");
    two_ends_close(ends);
}
END_TEST

/* ------------------------------------------------------------------------------------------ chips */

typedef struct socket_end {
    two_ends *ends;
    oak_programmer *programmer;
    oak_status status;
    unsigned kept, lamps; /* pages; 1 busy, 2 good, 4 bad, as they were last */
} socket_end;

typedef struct chip_end {
    oak_talk talk;
    oak_chip_job job;
    oak_status status;
} chip_end;

static void pass(void *context, uint32_t microseconds)
{
    two_ends_wait(((socket_end *)context)->ends, 1, microseconds);
}

static bool has_company(void *context)
{
    return !two_ends_is_alone(((socket_end *)context)->ends, 1);
}

static oak_status count_pages(void *context, unsigned region, uint32_t at, const uint8_t *bytes,
                              uint32_t count, uint32_t erasures)
{
    (void)region, (void)at, (void)bytes, (void)count, (void)erasures;
    ((socket_end *)context)->kept++;
    return OAK_OK;
}

static void see_lamps(void *context, bool busy, bool good, bool bad)
{
    ((socket_end *)context)->lamps = busy | good << 1 | bad << 2;
}

static int serve_chip(void *context)
{
    socket_end *self = context;
    return self->status = oak_programmer_serve(self->programmer);
}

static int send_image(void *context)
{
    chip_end *self = context;
    return self->status = oak_chip_send(&self->talk, &self->job);
}

static int erase_chip(void *context)
{
    chip_end *self = context;
    return self->status = oak_chip_erase(&self->talk, &self->job);
}

static int look_blank(void *context)
{
    chip_end *self = context;
    return self->status = oak_chip_blank(&self->talk, &self->job);
}

typedef struct read_end {
    chip_end *chip;
    oak_image *image;
} read_end;

static int read_chip(void *context)
{
    read_end *self = context;
    return self->chip->status = oak_chip_receive(&self->chip->talk, &self->chip->job, self->image);
}

/* A small chip: 4 KiB in pages of 64, 256 erased at once, and 128 bytes beside that need no erasing. */
static void open_socket(two_ends *ends, socket_end *socket, chip_end *chip, const oak_host *host)
{
    *socket = (socket_end){.ends = ends};
    const oak_programmer_setup setup = {
        .host = host,
        .line = two_ends_line(ends, 1),
        .part = "mcs51-4k",
        .regions = {{.base = 0, .size = 4096, .page = 64, .erased = 256, .name = "code"},
                    {.base = 0x8000, .size = 128, .page = 16, .erased = 0, .name = "data"}},
        .region_count = 2,
        .write_us = 3000,
        .erase_us = 40000,
        .context = socket,
        .wait = pass,
        .goes_on = has_company,
        .keep = count_pages,
        .lamps = see_lamps};
    ck_assert_int_eq(oak_programmer_create(&setup, &socket->programmer), OAK_OK);
    *chip = (chip_end){.talk = {.host = host, .line = two_ends_line(ends, 0)},
                       .job = {.conversation = &oak_peg, .part = "mcs51-4k"}};
}

static oak_image *any_image(const oak_host *host, uint64_t seed)
{
    oak_image *image;
    uint8_t bytes[700];
    ck_assert_int_eq(oak_image_create(host, &image), OAK_OK);
    for (unsigned i = 0, runs = 1 + random32(&seed) % 3; i < runs; i++) {
        uint32_t size = 1 + random32(&seed) % sizeof bytes, at = random32(&seed) % (4096 - size);
        fill(bytes, size, seed + i);
        ck_assert_int_eq(oak_image_write(image, at, bytes, size), OAK_OK);
    }
    if (random32(&seed) % 2) ck_assert_int_eq(oak_image_write(image, 0x8003, "oak", 3), OAK_OK);
    return image;
}

/* The first address at which a chip does not hold an image; UINT32_MAX: everywhere. */
static uint32_t differs(oak_programmer *programmer, const oak_image *image, const oak_chip_region *regions,
                        unsigned count)
{
    for (unsigned r = 0; r < count; r++) {
        const uint8_t *bytes = oak_programmer_bytes(programmer, r);
        uint8_t byte;
        for (uint32_t i = 0; i < regions[r].size; i++)
            if (oak_image_byte(image, regions[r].base + i, &byte) && byte != bytes[i])
                return regions[r].base + i;
    }
    return UINT32_MAX;
}

static const oak_chip_region small[] = {{.base = 0, .size = 4096}, {.base = 0x8000, .size = 128}};

START_TEST(an_image_is_programmed_compared_and_kept_beside_what_is_there)
{
    oak_host host = oak_linux_host();
    two_ends *ends = two_ends_open(NULL);
    socket_end socket;
    chip_end chip;
    int results[2];
    oak_image *first = any_image(&host, 3), *second, *back;
    open_socket(ends, &socket, &chip, &host);
    chip.job.image = first;
    two_ends_run(ends, send_image, &chip, serve_chip, &socket, results);
    ck_assert_msg(!results[0], "%s", chip.talk.why);
    ck_assert_uint_eq(differs(socket.programmer, first, small, 2), UINT32_MAX);
    ck_assert_uint_eq(chip.job.erased, 0);
    ck_assert_uint_eq(chip.job.pages, socket.kept);
    ck_assert_uint_eq(socket.lamps, 2);
    ck_assert_str_eq(chip.job.found.part, "mcs51-4k");
    ck_assert_uint_eq(chip.job.found.region_count, 2);

    two_ends_run(ends, send_image, &chip, serve_chip, &socket, results); /* again: there is nothing to do */
    ck_assert_uint_eq(chip.job.pages, 0);
    ck_assert_uint_eq(chip.job.same, oak_image_count(first));

    /* another image over it: what lies beside stays */
    uint8_t before[4096];
    memcpy(before, oak_programmer_bytes(socket.programmer, 0), sizeof before);
    ck_assert_int_eq(oak_image_create(&host, &second), OAK_OK);
    ck_assert_int_eq(oak_image_write(second, 300, "treadle", 7), OAK_OK);
    chip.job.image = second;
    two_ends_run(ends, send_image, &chip, serve_chip, &socket, results);
    ck_assert_int_eq(results[0], OAK_OK);
    for (unsigned i = 0; i < sizeof before; i++)
        ck_assert_uint_eq(oak_programmer_bytes(socket.programmer, 0)[i],
                          i - 300 < 7 ? "treadle"[i - 300] : before[i]);

    read_end reads = {&chip, NULL};
    ck_assert_int_eq(oak_image_create(&host, &back), OAK_OK);
    reads.image = back;
    two_ends_run(ends, read_chip, &reads, serve_chip, &socket, results);
    ck_assert_int_eq(results[0], OAK_OK);
    ck_assert_uint_eq(differs(socket.programmer, back, small, 2), UINT32_MAX);
    ck_assert_uint_eq(oak_image_count(back), 4096 + 128);

    two_ends_run(ends, look_blank, &chip, serve_chip, &socket, results);
    ck_assert_int_eq(results[0], OAK_REFUSED);
    ck_assert_str_eq(chip.talk.why, "the chip is not blank");
    ck_assert_uint_gt(chip.job.difference_count, 7);
    two_ends_run(ends, erase_chip, &chip, serve_chip, &socket, results);
    ck_assert_int_eq(results[0], OAK_OK);
    two_ends_run(ends, look_blank, &chip, serve_chip, &socket, results);
    ck_assert_int_eq(results[0], OAK_OK);
    uint32_t units;
    ck_assert_uint_ge(oak_programmer_erasures(socket.programmer, 0, &units)[0], 1);
    ck_assert_uint_eq(units, 16);

    chip.job.image = first;
    chip.job.locks = true;
    two_ends_run(ends, send_image, &chip, serve_chip, &socket, results);
    ck_assert_int_eq(results[0], OAK_OK);
    two_ends_run(ends, read_chip, &reads, serve_chip, &socket, results);
    ck_assert_int_eq(results[0], OAK_REFUSED);
    ck_assert_str_eq(chip.talk.why, "the chip is locked: only erasing all of it opens it");
    ck_assert_uint_eq(socket.lamps, 4);
    two_ends_run(ends, send_image, &chip, serve_chip, &socket, results);
    ck_assert_int_eq(results[0], OAK_REFUSED);
    chip.job.erases_all = true;
    chip.job.locks = false;
    two_ends_run(ends, send_image, &chip, serve_chip, &socket, results);
    ck_assert_int_eq(results[0], OAK_OK);
    ck_assert(!oak_programmer_locked(socket.programmer));

    chip.job.part = "z80-64k";
    two_ends_run(ends, send_image, &chip, serve_chip, &socket, results);
    ck_assert_str_eq(chip.talk.why, "in the socket is another part: mcs51-4k");
    chip.job.part = NULL;
    ck_assert_int_eq(oak_image_write(second, 0x9000, "x", 1), OAK_OK);
    chip.job.image = second;
    two_ends_run(ends, send_image, &chip, serve_chip, &socket, results);
    ck_assert_str_eq(chip.talk.why, "the chip has no memory at 0x9000 of the image");

    oak_image_free(first), oak_image_free(second), oak_image_free(back);
    oak_programmer_free(socket.programmer);
    two_ends_close(ends);
}
END_TEST

START_TEST(faults_of_a_chip_are_found_and_named)
{
    static const struct {
        const char *fault;
        bool good;
        const char *why;
    } all[] = {{"bit 0x101.3 stuck", false, "the chip does not hold what the image says"},
               {"bit 0x101.3 stuck low", true, ""},
               {"bit 0x101.6 stuck low", false, "the chip does not hold what the image says"},
               {"socket empty", false, "there is no chip in the socket"},
               {"socket mcs51-64k", false, "in the socket is another part: mcs51-64k"},
               {"power lost at page 2", true, ""}};
    oak_host host = oak_linux_host();
    oak_image *image;
    uint8_t bytes[256];
    memset(bytes, 0x41, sizeof bytes);
    ck_assert_int_eq(oak_image_create(&host, &image), OAK_OK);
    ck_assert_int_eq(oak_image_write(image, 0x100, bytes, sizeof bytes), OAK_OK);
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        two_ends *ends = two_ends_open(NULL);
        socket_end socket;
        chip_end chip;
        int results[2];
        open_socket(ends, &socket, &chip, &host);
        ck_assert_msg(oak_programmer_fault(socket.programmer, all[i].fault), "%s", all[i].fault);
        chip.job.image = image;
        two_ends_run(ends, send_image, &chip, serve_chip, &socket, results);
        ck_assert_msg((results[0] == OAK_OK) == all[i].good, "%s: %s", all[i].fault, chip.talk.why);
        if (!all[i].good) ck_assert_str_eq(chip.talk.why, all[i].why);
        if (strncmp(all[i].fault, "bit", 3) == 0 && !all[i].good) {
            ck_assert_uint_eq(chip.job.difference_count, 1);
            ck_assert_uint_eq(chip.job.differences[0].address, 0x101);
            ck_assert_uint_eq(chip.job.differences[0].wanted, 0x41);
            ck_assert_uint_eq(chip.job.differences[0].found, i == 0 ? 0x49 : 0x01);
        }
        if (all[i].good) ck_assert_uint_eq(differs(socket.programmer, image, small, 2), UINT32_MAX);
        oak_programmer_free(socket.programmer);
        two_ends_close(ends);
    }
    static const char *const wrong[] = {"",
                                        "bit",
                                        "bit 0x101.9 stuck",
                                        "bit 0x5000.1 stuck",
                                        "bit 3.1 stuck high",
                                        "lose 1 in 1",
                                        "lose 2 in 5",
                                        "lose 1 in x",
                                        "power lost at page 0",
                                        "socket",
                                        "lose 1 in 99999999999",
                                        "nonsense"};
    two_ends *ends = two_ends_open(NULL);
    socket_end socket;
    chip_end chip;
    open_socket(ends, &socket, &chip, &host);
    for (unsigned i = 0; i < sizeof wrong / sizeof *wrong; i++)
        ck_assert_msg(!oak_programmer_fault(socket.programmer, wrong[i]), "%s", wrong[i]);
    oak_programmer_free(socket.programmer);
    two_ends_close(ends);
    oak_image_free(image);
}
END_TEST

START_TEST(a_part_with_a_long_name_is_told_as_far_as_it_goes)
{
    oak_host host = oak_linux_host();
    two_ends *ends = two_ends_open(NULL);
    char name[600];
    memset(name, 'x', sizeof name - 1);
    name[sizeof name - 1] = 0;
    socket_end socket = {.ends = ends};
    const oak_programmer_setup setup = {.host = &host,
                                        .line = two_ends_line(ends, 1),
                                        .part = name,
                                        .regions = {{.size = 1024, .page = 64, .name = "code"}},
                                        .region_count = 1,
                                        .context = &socket,
                                        .goes_on = has_company};
    chip_end chip = {.talk = {.host = &host, .line = two_ends_line(ends, 0)},
                     .job = {.conversation = &oak_peg}};
    int results[2];
    ck_assert_int_eq(oak_programmer_create(&setup, &socket.programmer), OAK_OK);
    two_ends_run(ends, look_blank, &chip, serve_chip, &socket, results);
    ck_assert_int_eq(results[0], OAK_OK);
    ck_assert_uint_eq(strspn(chip.job.found.part, "x"), sizeof chip.job.found.part - 1);
    oak_programmer_free(socket.programmer);
    two_ends_close(ends);
}
END_TEST

/* A worn chip keeps zeros: that is found, and never called good. */
START_TEST(a_worn_chip_is_not_called_good)
{
    oak_host host = oak_linux_host();
    two_ends *ends = two_ends_open(NULL);
    socket_end socket;
    chip_end chip;
    int results[2];
    unsigned good = 0, bad = 0;
    open_socket(ends, &socket, &chip, &host);
    oak_programmer_free(socket.programmer);
    const oak_programmer_setup setup = {
        .host = &host,
        .line = two_ends_line(ends, 1),
        .part = "mcs51-4k",
        .regions = {{.size = 4096, .page = 64, .erased = 256, .name = "code"}},
        .region_count = 1,
        .stands = 5,
        .context = &socket,
        .goes_on = has_company};
    ck_assert_int_eq(oak_programmer_create(&setup, &socket.programmer), OAK_OK);
    for (unsigned time = 0; time < 12; time++) {
        uint8_t bytes[512];
        oak_image *image;
        memset(bytes, time % 2 ? 0xFF : 0x00, sizeof bytes);
        ck_assert_int_eq(oak_image_create(&host, &image), OAK_OK);
        ck_assert_int_eq(oak_image_write(image, 0, bytes, sizeof bytes), OAK_OK);
        chip.job.image = image;
        two_ends_run(ends, send_image, &chip, serve_chip, &socket, results);
        bool holds = differs(socket.programmer, image, small, 1) == UINT32_MAX;
        ck_assert_int_eq(results[0] == OAK_OK, holds);
        good += holds, bad += !holds;
        oak_image_free(image);
    }
    ck_assert_uint_ge(good, 10);
    ck_assert_uint_ge(bad, 1);
    oak_programmer_free(socket.programmer);
    two_ends_close(ends);
}
END_TEST

/* In every weather an image is in the chip when it is said to be; and the next call mends what a lost one has left. */
START_TEST(images_arrive_or_fail_in_every_weather)
{
    enum { SCRIPTS = 5000 };
    oak_host host = oak_linux_host();
    unsigned arrived = 0, failed = 0, broken = 0;
    for (unsigned script = 0; script < SCRIPTS / STRIDE; script++) {
        uint64_t seed = script * 7919 + 11;
        uint32_t rate = 40 + random32(&seed) % 3000, kind = random32(&seed) % 8;
        const weather of = {.lost = kind & 1 ? rate : 0,
                            .doubled = kind & 2 ? rate : 0,
                            .flipped = kind & 4 ? rate : 0,
                            .seed = seed};
        two_ends *ends = two_ends_open(&of);
        socket_end socket;
        chip_end chip;
        int results[2];
        oak_image *image = any_image(&host, seed);
        open_socket(ends, &socket, &chip, &host);
        char power[40];
        snprintf(power, sizeof power, "power lost at page %u", 1 + random32(&seed) % 20);
        if (random32(&seed) % 4 == 0) ck_assert(oak_programmer_fault(socket.programmer, power));
        if (random32(&seed) % 2)
            memset(oak_programmer_bytes(socket.programmer, 0), (int)random32(&seed), 4096);
        if (random32(&seed) % 4 == 0) two_ends_break(ends, 1 + random32(&seed) % 5000);
        chip.job.image = image;
        two_ends_run(ends, send_image, &chip, serve_chip, &socket, results);
        uint32_t at = differs(socket.programmer, image, small, 2);
        if (!results[0]) ck_assert_msg(at == UINT32_MAX, "script %u: 0x%x", script, (unsigned)at);
        else ck_assert_uint_ne(strlen(chip.talk.why), 0);
        arrived += !results[0];
        failed += results[0] && results[0] != OAK_IO_ERROR;
        broken += results[0] == OAK_IO_ERROR;
        if (results[0]) { /* on a good line */
            two_ends *anew = two_ends_open(NULL);
            socket.ends = anew;
            uint8_t was[4096], beside[128];
            memcpy(was, oak_programmer_bytes(socket.programmer, 0), sizeof was);
            memcpy(beside, oak_programmer_bytes(socket.programmer, 1), sizeof beside);
            oak_programmer *old = socket.programmer;
            open_socket(anew, &socket, &chip, &host);
            memcpy(oak_programmer_bytes(socket.programmer, 0), was, sizeof was);
            memcpy(oak_programmer_bytes(socket.programmer, 1), beside, sizeof beside);
            oak_programmer_free(old);
            chip.job.image = image;
            two_ends_run(anew, send_image, &chip, serve_chip, &socket, results);
            ck_assert_msg(!results[0], "script %u: %s", script, chip.talk.why);
            ck_assert_uint_eq(differs(socket.programmer, image, small, 2), UINT32_MAX);
            two_ends_close(anew);
        }
        oak_image_free(image);
        oak_programmer_free(socket.programmer);
        two_ends_close(ends);
    }
    ck_assert_msg(arrived > SCRIPTS / STRIDE / 2 && failed && broken, "%u arrived, %u failed, %u broken",
                  arrived, failed, broken);
}
END_TEST

/* ------------------------------------------------------------------------------------------ the programs of others */

/* A pseudo-terminal for ours and two pipes for the other program (which empties a terminal when it ends, its last answer included), and what goes from one to the other
 * in a weather. */
typedef struct bridge {
    oak_line_port line;
    int from[2], to[2]; /* ours, the other one's */
    char path[64];
    weather of;
    pthread_t thread;
    volatile bool ends;
} bridge;

static void *relay(void *context)
{
    bridge *b = context;
    while (!b->ends) {
        struct pollfd ready[2] = {{.fd = b->from[0], .events = POLLIN}, {.fd = b->from[1], .events = POLLIN}};
        poll(ready, 2, 20);
        for (unsigned i = 0; i < 2; i++) {
            uint8_t in[512], out[1024];
            ssize_t count = ready[i].revents & POLLIN ? read(b->from[i], in, sizeof in) : 0;
            size_t size = 0;
            for (ssize_t at = 0; at < count; at++) {
                if (b->of.lost && random32(&b->of.seed) % b->of.lost == 0) continue;
                out[size++] =
                    b->of.flipped && random32(&b->of.seed) % b->of.flipped == 0 ? in[at] ^ 0x10 : in[at];
                if (b->of.doubled && random32(&b->of.seed) % b->of.doubled == 0)
                    out[size] = out[size - 1], size++;
            }
            for (size_t at = 0; at < size;) {
                ssize_t done = write(b->to[!i], out + at, size - at);
                if (done > 0) at += (size_t)done;
                else if (b->ends) break;
            }
        }
    }
    return NULL;
}

static void bridge_open(bridge *b, const weather *of)
{
    *b = (bridge){.ends = false};
    if (of) b->of = *of;
    ck_assert_int_eq(oak_linux_line_pseudo(&b->line, &b->from[0], b->path, sizeof b->path), OAK_OK);
    b->to[0] = b->from[0];
    ck_assert_int_eq(system("rm -f to_other from_other && mkfifo to_other from_other"), 0);
    b->to[1] = open("to_other", O_RDWR);
    b->from[1] = open("from_other", O_RDWR);
    ck_assert(b->to[1] >= 0 && b->from[1] >= 0);
    pthread_create(&b->thread, NULL, relay, b);
}

static void bridge_close(bridge *b)
{
    b->ends = true;
    pthread_join(b->thread, NULL);
    close(b->to[1]), close(b->from[1]);
    b->line.ops->close(b->line.line);
}

static char folder[200];

static void enter_folder(void)
{
    snprintf(folder, sizeof folder, "/tmp/oak-line-XXXXXX");
    ck_assert_ptr_nonnull(mkdtemp(folder));
    ck_assert_int_eq(chdir(folder), 0);
}

static void leave_folder(void)
{
    char command[300];
    snprintf(command, sizeof command, "rm -rf %s", folder);
    ck_assert_int_eq(chdir("/"), 0);
    ck_assert_int_eq(system(command), 0);
}

static void write_any(const char *path, size_t size, uint64_t seed)
{
    uint8_t *bytes = malloc(size + 1);
    FILE *file = fopen(path, "wb");
    fill(bytes, size, seed);
    if (size) bytes[size - 1] = 'x'; /* what fills a packet is told from it */
    fwrite(bytes, 1, size, file);
    fclose(file);
    free(bytes);
}

/* Runs a program of others at one end while ours is at the other; our exit code. */
static int together(bridge *b, const char *others, const char *ours, char **said)
{
    char command[900], *out, *err;
    snprintf(command, sizeof command,
             "{ timeout -s KILL 60 %s <to_other >from_other 2>other.err; } & %s %s --line %s; rc=$?; wait; "
             "exit $rc",
             others, SPINDLE, ours, b->path);
    int rc = shell(command, &out, &err);
    if (said) *said = err;
    else free(err);
    free(out);
    return rc;
}

/* The bytes of two files, as far as the first one goes, are the same; all of the second is what fills a packet behind it. */
static bool holds(const char *path, const char *wanted, bool exactly)
{
    char command[600];
    snprintf(
        command, sizeof command,
        exactly
            ? "cmp -s %s %s"
            : "cmp -s -n $(stat -c %%s %s) %s %s && [ $(($(stat -c %%s %s) - $(stat -c %%s %s))) -lt 1024 ]",
        wanted, wanted, path, path, wanted);
    if (exactly) snprintf(command, sizeof command, "cmp -s %s %s", wanted, path);
    return system(command) == 0;
}

START_TEST(other_programs_take_and_send_what_ours_do)
{
    static const size_t sizes[] = {1, 128, 1025, 40000, 1 << 20};
    static const struct {
        const char *others, *ours;
        bool exactly;
        size_t most;
    } all[] = {{"rx there", "send here --protocol xmodem", false, 1 << 20},
               {"rx -c there", "send here --protocol xmodem-crc", false, 1 << 20},
               {"rx -c there", "send here --protocol xmodem-1k", false, 1 << 20},
               {"rb -y", "send here --protocol ymodem", true, 1 << 20},
               {"sx here", "receive there --protocol xmodem", false, 1 << 20},
               {"sx here", "receive there --protocol xmodem-crc", false, 1 << 20},
               {"sx -k here", "receive there --protocol xmodem-1k", false, 1 << 20},
               {"sb here", "receive there --protocol ymodem", true, 1 << 20}};
    enter_folder();
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++)
        for (unsigned s = 0; s < sizeof sizes / sizeof *sizes && sizes[s] <= all[i].most; s++) {
            if (STRIDE > 1 && sizes[s] != 1025) continue;
            bool batch_in = strcmp(all[i].others, "rb -y") == 0;
            char *said;
            bridge b;
            system("rm -rf here there in && mkdir in");
            write_any("here", sizes[s], s);
            bridge_open(&b, NULL);
            /* who receives a batch takes the name that is sent */
            int rc = together(&b, batch_in ? "sh -c 'cd in && rb -y'" : all[i].others, all[i].ours, &said);
            ck_assert_msg(rc == 0, "%s, %s, %zu bytes: %s", all[i].others, all[i].ours, sizes[s], said);
            ck_assert_msg(holds(batch_in ? "in/here" : "there", "here", all[i].exactly), "%s, %s, %zu bytes",
                          all[i].others, all[i].ours, sizes[s]);
            free(said);
            bridge_close(&b);
        }
    leave_folder();
}
END_TEST

START_TEST(with_other_programs_it_arrives_or_fails_in_bad_weather)
{
    static const struct {
        const char *others, *ours;
        bool exactly;
    } all[] = {{"rx -c there", "send here --protocol xmodem-crc --wait 3000", false},
               {"sh -c 'cd in && rb -y'", "send here --protocol ymodem --wait 3000", true},
               {"sx here", "receive there --protocol xmodem-crc --wait 3000", false},
               {"sb here", "receive there --protocol ymodem --wait 3000", true}};
    static const weather kinds[] = {{.lost = 1000}, {.flipped = 1000}, {.doubled = 1000}};
    unsigned arrived = 0;
    enter_folder();
    write_any("here", 3000, 3);
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++)
        for (unsigned k = i % 3; k < 3; k += 3) { /* waits in real time: one of each for each */
            weather of = kinds[k];
            char *said;
            bridge b;
            of.seed = i * 31 + k * 7 + 1;
            system("rm -rf there in && mkdir in");
            bridge_open(&b, &of);
            int rc = together(&b, all[i].others, all[i].ours, &said);
            if (!rc)
                ck_assert_msg(
                    holds(strstr(all[i].others, "rb") ? "in/here" : "there", "here", all[i].exactly),
                    "%s, %u", all[i].ours, k);
            else ck_assert_ptr_nonnull(strstr(said, "error: "));
            arrived += !rc;
            free(said);
            bridge_close(&b);
        }
    ck_assert_uint_ge(arrived, 2);
    leave_folder();
}
END_TEST

/* ------------------------------------------------------------------------------------------ somebody else's conversation */

/* A programmer without pegs: a letter, an address of two bytes, a byte. It has no erasing, and compares nothing. */
typedef struct plain_end {
    two_ends *ends;
    uint8_t bytes[512];
} plain_end;

static int serve_plain(void *context)
{
    plain_end *self = context;
    oak_host host = oak_linux_host();
    oak_talk talk = {.host = &host, .line = two_ends_line(self->ends, 1)};
    uint8_t order[4];
    while (!two_ends_is_alone(self->ends, 1)) {
        unsigned have = 0;
        while (have < 4 && oak_talk_hear(&talk, 50, &order[have]) == OAK_OK) have++;
        uint32_t at = (order[1] << 8 | order[2]) % 512u;
        if (have < 4) continue;
        if (order[0] == 'W') self->bytes[at] = order[3];
        (void)!oak_talk_say(&talk, order[0] == 'R' ? &self->bytes[at] : order, 1);
    }
    return 0;
}

static oak_status plain_order(oak_talk *talk, char letter, uint32_t at, uint8_t byte, uint8_t *answer)
{
    const uint8_t order[] = {(uint8_t)letter, (uint8_t)(at >> 8), (uint8_t)at, byte};
    oak_status status = oak_talk_say(talk, order, sizeof order);
    return status ? status : oak_talk_hear(talk, 1000, answer);
}

static oak_status plain_greet(oak_talk *talk, oak_chip_found *found)
{
    uint8_t answer;
    *found = (oak_chip_found){.regions = {{.size = 512, .page = 16, .name = "all"}}, .region_count = 1};
    return plain_order(talk, 'H', 0, 0, &answer);
}

static oak_status plain_write(oak_talk *talk, uint32_t address, const uint8_t *bytes, uint32_t count)
{
    oak_status status = OAK_OK;
    uint8_t answer;
    for (uint32_t i = 0; !status && i < count; i++)
        status = plain_order(talk, 'W', address + i, bytes[i], &answer);
    return status;
}

static oak_status plain_read(oak_talk *talk, uint32_t address, uint8_t *bytes, uint32_t count)
{
    oak_status status = OAK_OK;
    for (uint32_t i = 0; !status && i < count; i++)
        status = plain_order(talk, 'R', address + i, 0, &bytes[i]);
    return status;
}

static oak_status plain_leave(oak_talk *talk, bool run, bool good)
{
    uint8_t answer;
    (void)run;
    return plain_order(talk, good ? 'G' : 'B', 0, 0, &answer);
}

START_TEST(a_conversation_of_somebody_else_serves_the_same)
{
    static const oak_conversation plain = {.name = "plain",
                                           .title = "a letter, an address, a byte",
                                           .greet = plain_greet,
                                           .write = plain_write,
                                           .read = plain_read,
                                           .leave = plain_leave};
    oak_host host = oak_linux_host();
    two_ends *ends = two_ends_open(NULL);
    plain_end there = {.ends = ends};
    chip_end chip = {.talk = {.host = &host, .line = two_ends_line(ends, 0)},
                     .job = {.conversation = &plain}};
    int results[2];
    oak_image *image, *back;
    ck_assert_int_eq(oak_image_create(&host, &image), OAK_OK);
    ck_assert_int_eq(oak_image_create(&host, &back), OAK_OK);
    ck_assert_int_eq(oak_image_write(image, 100, "a plane, a saw", 14), OAK_OK);
    chip.job.image = image;
    two_ends_run(ends, send_image, &chip, serve_plain, &there, results);
    ck_assert_msg(results[0] == OAK_OK, "%s", chip.talk.why);
    ck_assert_mem_eq(there.bytes + 100, "a plane, a saw", 14);
    read_end reads = {&chip, back};
    two_ends_run(ends, read_chip, &reads, serve_plain, &there, results);
    ck_assert_int_eq(results[0], OAK_OK);
    ck_assert_uint_eq(oak_image_count(back), 512);
    two_ends_run(ends, erase_chip, &chip, serve_plain, &there, results);
    ck_assert_int_eq(results[0], OAK_UNSUPPORTED);
    ck_assert_str_eq(chip.talk.why, "the programmer cannot erase");
    oak_image_free(image), oak_image_free(back);
    two_ends_close(ends);
}
END_TEST

/* A programmer that means harm: chips that cannot be, work that never ends, answers of any kind. */
typedef struct liar {
    two_ends *ends;
    unsigned lie;
    uint64_t seed;
} liar;

static void answer(oak_talk *talk, uint8_t sequence, uint8_t kind, const uint8_t *body, uint8_t count)
{
    uint8_t packet[261] = {0xA9, sequence, kind, count};
    if (count) memcpy(packet + 4, body, count);
    uint16_t crc = oak_crc16(0xFFFF, packet + 1, 3u + count);
    packet[4 + count] = (uint8_t)(crc >> 8);
    packet[5 + count] = (uint8_t)crc;
    (void)!oak_talk_say(talk, packet, 6u + count);
}

static int lie(void *context)
{
    liar *self = context;
    oak_host host = oak_linux_host();
    oak_talk talk = {.host = &host, .line = two_ends_line(self->ends, 1)};
    static const uint8_t about[] = {1, 0x1F, 132, 100, 1, 0, 'x'};
    /* the last of each is the page of the chip: as large as an address goes, no power of two, none at all, more than the chip */
    static const uint8_t regions[][16] = {{0, 0, 0, 0, 0xFF, 0xFF, 0xFF, 0x80, 0, 0, 0, 0x80, 0, 0x10, 0, 0},
                                          {0, 0, 0, 0, 0, 0, 0x10, 0, 0, 0, 0, 3, 0, 0, 0, 0},
                                          {0, 0, 0, 0, 0, 0, 0x10, 0, 0, 0, 0, 0, 0, 0, 0, 0},
                                          {0xFF, 0xFF, 0xFF, 0, 0, 0, 0x10, 0, 0, 0, 0, 0x80, 0, 0, 0, 0},
                                          {0, 0, 0, 0, 0, 0, 0x10, 0, 0, 0, 0, 0x40, 0, 0, 0, 0}};
    while (!two_ends_is_alone(self->ends, 1)) {
        uint8_t byte, head[3];
        if (oak_talk_hear(&talk, 50, &byte) || byte != 0xA9) continue;
        for (unsigned i = 0; i < 3; i++)
            if (oak_talk_hear(&talk, 50, &head[i])) head[i] = 0;
        (void)!oak_talk_hush(&talk, 0);
        if (head[1] == 'i') answer(&talk, head[0], 'i' | 0x80, about, sizeof about);
        else if (head[1] == 'm')
            answer(&talk, head[0], 'm' | 0x80, regions[self->lie < 5 ? self->lie : 4], 16);
        else if (self->lie == 5)
            answer(&talk, head[0], 'k' | 0x80, NULL, 0), answer(&talk, head[0], 'k' | 0x80, NULL, 0);
        else {
            uint8_t any[255];
            fill(any, sizeof any, self->seed++);
            answer(&talk, head[0], self->lie == 6 ? head[1] | 0x80 : (uint8_t)(random32(&self->seed) | 0x80),
                   any, (uint8_t)random32(&self->seed));
        }
    }
    return 0;
}

START_TEST(a_programmer_that_lies_is_not_believed)
{
    oak_host host = oak_linux_host();
    oak_image *image = any_image(&host, 5);
    for (unsigned i = 0; i < 5 + 40; i++) {
        two_ends *ends = two_ends_open(NULL);
        liar there = {.ends = ends, .lie = i < 5 ? i : 5 + i % 3, .seed = i};
        chip_end chip = {.talk = {.host = &host, .line = two_ends_line(ends, 0)},
                         .job = {.conversation = &oak_peg, .image = image}};
        int results[2];
        two_ends_run(ends, send_image, &chip, lie, &there, results);
        ck_assert_int_ne(results[0], OAK_OK);
        ck_assert_uint_ne(strlen(chip.talk.why), 0);
        if (i < 4)
            ck_assert_str_eq(chip.talk.why, "the programmer says that the chip has pages that cannot be");
        two_ends_close(ends);
    }
    oak_image_free(image);
}
END_TEST

/* ------------------------------------------------------------------------------------------ the tool */

/* A program in the background, until its place in the file system is there. */
static int start(const char *command, const char *path)
{
    char whole[1200];
    snprintf(whole, sizeof whole, "%s%s", strchr(command, ';') ? "" : "exec ",
             command); /* it is waited for itself */
    int child = fork();
    if (!child) {
        setpgid(0, 0);
        execl("/bin/sh", "sh", "-c", whole, (char *)NULL);
        _exit(127);
    }
    for (unsigned i = 0; i < 2000 && access(path, F_OK) != 0; i++) usleep(10000);
    ck_assert_msg(access(path, F_OK) == 0, "%s", command);
    return child;
}

static void finish(int child, int number)
{
    int status;
    kill(-child, number);
    waitpid(child, &status, 0);
}

/* Runs our tool; what it printed is kept until the next call. */
static char *said, *complained;
static int tool(const char *format, const char *a, const char *b)
{
    char command[900], whole[1000];
    snprintf(command, sizeof command, format, a, b);
    snprintf(whole, sizeof whole, "%s %s", SPINDLE, command);
    free(said), free(complained);
    return shell(whole, &said, &complained);
}

static const struct {
    const char *part, *source; /* an address: no example is for it, and any bytes go there */
} examples[] = {{"mcs51-8k", "lathe/lathe.asm"},
                {"mcs51-8k", "extractor/extractor.asm"},
                {"mcs51-8k", "programmer/programmer.asm"},
                {"armv7m-256k", "kiln/kiln.asm"},
                {"armv6m-32k", "loom/loom.asm"},
                {"z80-32k", "press/press.asm"},
                {"z80-64k", "monitor/monitor.asm"},
                {"z80-64k", "monitor/boards.asm"},
                {"picmid-8k", "steambox/steambox.asm"},
                {"pic18-32k", "sander/sander.asm"},
                {"msp430-32k", "shed/shed.asm"},
                {"cpu12-64k", "dowels/dowels.asm"},
                {"rv32-256k", "planer/planer.asm"},
                {"a32-1m", "tags/tags.asm"},
                {"avr-32k", "cabinet/cabinet.asm"},
                {"mcs4-4k", "pegs/pegs.asm"},
                {"mcs51-4k", "lathe/lathe.asm"},
                {"mcs51-64k", "scale/scale.asm"},
                {SOURCE_FOLDER "/examples/gluepot/gluepot-32k.yaml", "gluepot/gluepot.asm"},
                {"mcs51-8k", "treadle/mcs51.asm"},
                {"z80-32k", "treadle/z80.asm"},
                {"picmid-8k", "treadle/picmid.asm"},
                {"pic18-32k", "treadle/pic18.asm"},
                {"msp430-32k", "treadle/msp430.asm"},
                {"cpu12-64k", "treadle/cpu12.asm"},
                {"rv32-256k", "treadle/rv32.asm"},
                {"a32-512k", "treadle/a32.asm"},
                {"avr-32k", "treadle/avr.asm"},
                {"mcs4-4k", "treadle/mcs4.asm"},
                {"armv6m-32k", "treadle/armv6m.asm"},
                {"armv7m-256k", "treadle/armv7m.asm"},
                {"picmid-2k", "0"},
                {"cpu12-256k", "0x4000"}};

START_TEST(every_example_goes_into_its_chip_and_comes_back)
{
    enter_folder();
    for (unsigned i = 0; i < sizeof examples / sizeof *examples; i++) {
        char command[600];
        snprintf(command, sizeof command,
                 SPINDLE
                 " programmer --part %s --chip c --at line --write-time 0us --erase-time 0us >out 2>err",
                 examples[i].part);
        int child = start(command, "line");
        bool example = examples[i].source[0] != '0';
        if (example) snprintf(command, sizeof command, "%s/examples/%s", SOURCE_FOLDER, examples[i].source);
        else {
            write_any("all.bin", 4096, i);
            snprintf(command, sizeof command, "all.bin --base %s", examples[i].source);
        }
        ck_assert_msg(tool("send %s --part %s --line line --protocol peg", command, examples[i].part) == 0,
                      "%s: %s", examples[i].part, complained);
        ck_assert_ptr_nonnull(strstr(said, "all verified"));
        ck_assert_msg(
            tool("receive --verify %s --part %s --line line --protocol peg", command, examples[i].part) == 0,
            "%s: %s", examples[i].part, complained);
        ck_assert_ptr_nonnull(strstr(said, "the same bytes"));
        ck_assert_msg(tool("send %s --part %s --line line --protocol peg", command, examples[i].part) == 0,
                      "%s", complained);
        ck_assert_ptr_nonnull(strstr(said, " 0 pages written, 0 units erased"));
        ck_assert_int_eq(tool("receive back.hex --line line --protocol peg", "", ""), 0);
        ck_assert_int_eq(
            tool("send back.hex --verify --part %s --line line --protocol peg", examples[i].part, ""), 0);
        finish(child, SIGINT);
        unlink("c"), unlink("back.hex");
    }
    leave_folder();
}
END_TEST

START_TEST(a_stuck_bit_is_named_with_its_label_and_line)
{
    enter_folder();
    int child =
        start(SPINDLE " programmer --part mcs51-8k --chip c --at line --fault 'bit 0x34.1 stuck' >out 2>err",
              "line");
    ck_assert_int_eq(tool("send %s/examples/lathe/lathe.asm --part mcs51-8k --line line", SOURCE_FOLDER, ""),
                     1);
    ck_assert_msg(strstr(complained, "0x0034 (begin+1, ") && strstr(complained, "lathe.asm:") &&
                      strstr(complained, ": 0x81 is wanted, and 0x83 is there: bit 1 stays 1 [chip-differs]"),
                  "%s", complained);
    ck_assert_int_eq(
        tool("receive --verify %s/examples/lathe/lathe.asm --part mcs51-8k --line line", SOURCE_FOLDER, ""),
        4);
    ck_assert_msg(strstr(said, "begin") != NULL, "%s", said);
    finish(child, SIGINT);
    leave_folder();
}
END_TEST

/* Whoever is killed when: each page of the chip is as before or as after, and the next call brings everything into it. */
START_TEST(killed_at_any_moment_nothing_is_half_done)
{
    enum { TIMES = 24, BYTES = 6000, HEAD = 1024 };
    uint64_t seed = 3;
    unsigned under_way = 0;
    enter_folder();
    write_any("first.bin", BYTES, 1);
    write_any("second.bin", BYTES, 2);
    for (unsigned i = 0; i < (STRIDE > 1 ? TIMES / 3 : TIMES); i++) {
        char command[400];
        static uint8_t before[HEAD + 8192], after[HEAD + 8192], wanted[2][8192];
        int child = start(
            SPINDLE
            " programmer --part mcs51-8k --chip c --at line --write-time 2ms --erase-time 500us >out 2>err",
            "line");
        ck_assert_msg(tool("send %s --part mcs51-8k --line line --protocol peg",
                           i % 2 ? "first.bin" : "second.bin", "") == 0,
                      "%s", complained);
        FILE *file = fopen("c", "rb");
        ck_assert_uint_eq(fread(before, 1, sizeof before, file), sizeof before);
        fclose(file);
        snprintf(command, sizeof command,
                 SPINDLE " send %s --part mcs51-8k --line line --protocol peg >out2 2>err2; touch done",
                 i % 2 ? "second.bin" : "first.bin");
        unlink("done");
        int sender = start(command, "line");
        struct stat began, now;
        stat("c", &began); /* from its first page on, at any moment of the next 47 */
        for (now = began;
             memcmp(&now.st_mtim, &began.st_mtim, sizeof now.st_mtim) == 0 && access("done", F_OK) != 0;
             stat("c", &now))
            usleep(500);
        usleep(random32(&seed) % 80000);
        if (i % 3) finish(child, SIGKILL), finish(sender, SIGKILL);
        else finish(sender, SIGKILL), finish(child, SIGKILL);
        file = fopen("c", "rb");
        ck_assert_uint_ge(fread(after, 1, sizeof after, file), sizeof after);
        fclose(file);
        for (unsigned n = 0; n < 2; n++) {
            memset(wanted[n], 0xFF, sizeof wanted[n]);
            file = fopen(n == (i % 2) ? "second.bin" : "first.bin", "rb"); /* what was, what was to be */
            ck_assert_uint_eq(fread(wanted[!n], 1, BYTES, file), BYTES);
            fclose(file);
        }
        /* the next programmer takes up what stands in the journal */
        unlink("line");
        child = start(
            SPINDLE
            " programmer --part mcs51-8k --chip c --at line --write-time 0us --erase-time 0us >out 2>err",
            "line");
        file = fopen("c", "rb");
        ck_assert_uint_ge(fread(after, 1, sizeof after, file), sizeof after);
        fclose(file);
        bool partly = false;
        for (unsigned page = 0; page < 8192 / 128; page++) {
            const uint8_t *is = after + HEAD + page * 128, *was = before + HEAD + page * 128,
                          *new = wanted[0] + page * 128, *old = wanted[1] + page * 128;
            bool blank = true;
            for (unsigned b = 0; b < 128; b++) blank &= is[b] == 0xFF;
            ck_assert_msg(blank || !memcmp(is, was, 128) || !memcmp(is, new, 128) || !memcmp(is, old, 128),
                          "time %u: page %u is half done", i, page);
            partly |= memcmp(is, was, 128) != 0;
        }
        under_way += partly;
        ck_assert_msg(tool("send %s --part mcs51-8k --line line --protocol peg",
                           i % 2 ? "second.bin" : "first.bin", "") == 0,
                      "%s", complained);
        ck_assert_ptr_nonnull(strstr(said, "all verified"));
        finish(child, SIGINT);
    }
    ck_assert_uint_ge(under_way, 3);
    leave_folder();
}
END_TEST

/* A line that comes back: the same call goes on. */
START_TEST(a_lost_line_is_waited_for)
{
    static const char programmer[] =
        SPINDLE " programmer --part mcs51-8k --chip c --at line --write-time 20ms >out 2>err";
    enter_folder();
    write_any("all.bin", 8000, 1);
    int child = start(programmer, "line");
    int sender = start(
        SPINDLE
        " send all.bin --part mcs51-8k --line line --protocol peg >out2 2>err2; echo $? >code; mv code done",
        "line");
    usleep(400000);
    finish(child, SIGKILL);
    unlink("line");
    child = start(programmer, "line");
    for (unsigned i = 0; i < 2000 && access("done", F_OK) != 0; i++) usleep(10000);
    char *out, *err;
    ck_assert_int_eq(shell("cat done out2 err2", &out, &err), 0);
    ck_assert_msg(out[0] == '0' && strstr(out, "all verified") && strstr(out, "waiting for it to come back"),
                  "%s", out);
    free(out), free(err);
    finish(sender, SIGKILL);
    finish(child, SIGINT);
    leave_folder();
}
END_TEST

START_TEST(a_programmer_understands_letters)
{
    enter_folder();
    int child =
        start(SPINDLE " programmer --part mcs51-8k --chip c --at line --write-time 0us >out 2>err", "line");
    ck_assert_int_eq(tool("asm %s/examples/lathe/lathe.asm --part mcs51-8k -o lathe.hex", SOURCE_FOLDER, ""),
                     0);
    ck_assert_int_eq(tool("asm %s/examples/lathe/lathe.asm --part mcs51-8k -o lathe.srec", SOURCE_FOLDER, ""),
                     0);
    for (unsigned i = 0; i < 2; i++) {
        const char *image = i ? "lathe.srec" : "lathe.hex";
        ck_assert_msg(tool("send %s --line line --say 'E' --await 'good, erased' --say P --protocol "
                           "xmodem-crc --confirm 'good, '",
                           image, "") == 0,
                      "%s", complained);
        ck_assert_msg(tool("send %s --verify --part mcs51-8k --line line", image, "") == 0, "%s", complained);
    }
    ck_assert_msg(tool("receive read.hex --line line --say 'R' --protocol xmodem-crc", "", "") == 0, "%s",
                  complained);
    ck_assert_int_eq(tool("send read.hex --verify --part mcs51-8k --line line", "", ""), 0);
    ck_assert_int_eq(tool("new prj --part mcs51-8k", "", ""), 0); /* and the project of this folder */
    char *out, *err;
    ck_assert_int_eq(shell("cd prj && " SPINDLE " send --line ../line && " SPINDLE
                           " send --line ../line --protocol peg --json",
                           &out, &err),
                     0);
    ck_assert_msg(strstr(out, "all verified") && strstr(out, "\"pages\":\t0"), "%s%s", out, err);
    free(out), free(err);
    ck_assert_int_eq(
        tool("send lathe.hex --line line --say P --await nonsense --wait 300 --protocol xmodem", "", ""), 1);
    ck_assert_ptr_nonnull(strstr(complained, "the other end has not said `nonsense`"));
    finish(child, SIGINT);
    leave_folder();
}
END_TEST

START_TEST(the_programmer_of_the_example_fills_its_eeprom)
{
    char command[800], path[64] = "";
    enter_folder();
    snprintf(command, sizeof command,
             SPINDLE " run %s/examples/programmer/programmer.asm --part mcs51-8k --board "
                     "%s/examples/programmer/board.yaml --pty computer --pace 1 >out 2>err",
             SOURCE_FOLDER, SOURCE_FOLDER);
    int child = start(command, "err");
    for (unsigned i = 0; i < 2000 && !*path; i++) {
        FILE *file = fopen("err", "r");
        if (!file || fscanf(file, "spindle: computer is at %63s", path) != 1) *path = 0;
        if (file) fclose(file);
        usleep(10000);
    }
    write_any("all.bin", 700, 9);
    ck_assert_msg(tool("send all.bin --part mcs51-4k --line %s --protocol peg", path, "") == 0, "%s",
                  complained);
    ck_assert_msg(tool("receive back.bin --line %s --protocol peg", path, "") == 0, "%s", complained);
    ck_assert_int_eq(system("cmp -s -n 700 all.bin back.bin"), 0);
    ck_assert_int_eq(tool("send --erase --line %s", path, ""), 0);
    ck_assert_msg(tool("receive --blank --line %s", path, "") == 0, "%s", complained);
    ck_assert_int_eq(tool("send all.bin --part mcs51-4k --line %s --lock", path, ""), 1);
    ck_assert_msg(strstr(complained, "the programmer cannot lock") != NULL, "%s", complained);
    finish(child, SIGINT);
    leave_folder();
}
END_TEST

START_TEST(what_is_called_wrongly_is_told)
{
    static const struct {
        const char *call;
        int code;
        const char *says;
    } all[] = {
        {"send", 2, "no line is given"},
        {"send --line x", 2, "no image is given"},
        {"send a.hex --line nowhere", 1, "there is no such line"},
        {"send a.hex --line a.hex", 1, "it is no serial line"},
        {"send none.hex --line nowhere --part mcs51-8k --protocol peg", 1, "there is no such file"},
        {"send a.hex --line nowhere --protocol zmodem", 2, "there is no `zmodem`"},
        {"send a.hex --line nowhere --parity both", 2, "There are: none, even, odd"},
        {"send a.hex --line nowhere --as text", 2, "There are: file, hex, srec, raw."},
        {"send a.hex --line nowhere --erase --protocol xmodem", 2, "need a programmer's conversation"},
        {"send a.asm --line nowhere", 2, "the part is missing"},
        {"receive --line nowhere", 2, "no file is named to receive into"},
        {"receive a b --line nowhere", 2, "one file is enough"},
        {"receive back.hex --line nowhere", 1, "there is no such line"},
        {"programmer --part mcs51-8k", 2, "no chip is given"},
        {"programmer --chip c", 2, "the part is missing"},
        {"programmer --chip a.hex --part mcs51-8k", 1, "this file is no chip"},
        {"programmer --chip c --part mcs51-8k --page 3", 2, "powers of two"},
        {"programmer --chip c --part mcs51-8k --pipe --fault 'bit 7' </dev/null", 2,
         "there is no fault `bit 7` of this chip"},
        {"programmer --chip c --part mcs51-8k --pipe --write-time 3 </dev/null", 2, "is no such time"},
        {"programmer --chip c --part mcs51-4k --pipe </dev/null", 1, "this chip is another part: mcs51-8k"}};
    enter_folder();
    FILE *file = fopen("a.hex", "w");
    fputs(":00000001FF\n", file);
    fclose(file);
    fclose(fopen("a.asm", "w"));
    for (unsigned i = 0; i < sizeof all / sizeof *all; i++) {
        int code = tool("%s%s", all[i].call, "");
        ck_assert_msg(code == all[i].code && strstr(complained, all[i].says), "%s: %d, %s", all[i].call, code,
                      complained);
    }
    /* chips that were damaged are refused, and nothing else happens */
    uint64_t seed = 5;
    for (unsigned i = 0; i < 60; i++) {
        system("rm -f d; " SPINDLE " programmer --part mcs51-4k --chip d --pipe </dev/null >/dev/null 2>&1");
        file = fopen("d", "r+b");
        fseek(file, i < 30 ? random32(&seed) % 160 : random32(&seed) % 4000, SEEK_SET);
        for (unsigned k = 0; k < 4; k++) fputc((int)random32(&seed), file);
        fclose(file);
        if (i % 5 == 0) ck_assert_int_eq(truncate("d", random32(&seed) % 6000), 0);
        int code = tool("programmer --part mcs51-4k --chip d --pipe </dev/null", "", "");
        ck_assert_msg(code == 0 || (code == 1 && strstr(complained, "[chip-file]")), "%d: %s", code,
                      complained);
    }
    leave_folder();
}
END_TEST

RUN_SUITE("line", files_of_every_size_go_over_by_every_way, files_arrive_or_fail_in_every_weather,
          who_ends_early_tells_the_other_end, who_is_alone_is_told_so,
          an_image_is_programmed_compared_and_kept_beside_what_is_there, faults_of_a_chip_are_found_and_named,
          a_part_with_a_long_name_is_told_as_far_as_it_goes, a_worn_chip_is_not_called_good,
          images_arrive_or_fail_in_every_weather, other_programs_take_and_send_what_ours_do,
          with_other_programs_it_arrives_or_fails_in_bad_weather,
          a_conversation_of_somebody_else_serves_the_same, a_programmer_that_lies_is_not_believed,
          every_example_goes_into_its_chip_and_comes_back, a_stuck_bit_is_named_with_its_label_and_line,
          killed_at_any_moment_nothing_is_half_done, a_lost_line_is_waited_for,
          a_programmer_understands_letters, the_programmer_of_the_example_fills_its_eeprom,
          what_is_called_wrongly_is_told)
