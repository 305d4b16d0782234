/* chip_file.c — the memory of a simulated chip in a file.
 *
 *   1024 bytes   text: the part, whether it is locked, the regions; filled with line ends
 *   each region  its bytes, then for each unit of erasing how often it was erased (4 bytes, the low one first)
 *   journal      the page under way: "page", region, offset, count, erasures (4 bytes each), CRC of them and the bytes (2), the bytes
 *
 * A page is written to the journal first, then to its place, then the journal is emptied. Whoever opens a file whose journal is whole writes it once more. */
#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <unistd.h>

#include "chip_file.h"

enum { HEAD = 1024, ENTRY = 22, LARGEST_PAGE = 1 << 20 };
static const char title[] = "oak spindle chip 1\n";

static bool refuse(cli *self, const char *path, const char *hint, const char *message)
{
    cli_complain(self, "chip-file", path, hint, message);
    return false;
}

static uint32_t unit_of(const oak_chip_region *region)
{
    return region->erased ? region->erased : region->page;
}

static void place(chip_file *chip)
{
    long at = HEAD;
    for (unsigned i = 0; i < chip->region_count; i++) {
        chip->starts[i] = at;
        at += chip->regions[i].size;
        chip->erasures[i] = at;
        at +=
            (long)((chip->regions[i].size + unit_of(&chip->regions[i]) - 1) / unit_of(&chip->regions[i])) * 4;
    }
    chip->journal = at;
}

static bool put(int file, const void *bytes, size_t count, long at)
{
    const char *from = bytes;
    while (count) {
        ssize_t done = pwrite(file, from, count, at);
        if (done < 0 && errno == EINTR) continue;
        if (done <= 0) return false;
        from += done;
        at += done;
        count -= (size_t)done;
    }
    return true;
}

static bool get(int file, void *bytes, size_t count, long at)
{
    char *to = bytes;
    while (count) {
        ssize_t done = pread(file, to, count, at);
        if (done < 0 && errno == EINTR) continue;
        if (done <= 0) return false;
        to += done;
        at += done;
        count -= (size_t)done;
    }
    return true;
}

static void to_bytes(uint8_t *at, uint32_t value)
{
    for (unsigned i = 0; i < 4; i++) at[i] = (uint8_t)(value >> 8 * i);
}

static uint32_t from_bytes(const uint8_t *at)
{
    return at[0] | (uint32_t)at[1] << 8 | (uint32_t)at[2] << 16 | (uint32_t)at[3] << 24;
}

/* A new chip appears whole, or not at all. */
static bool make(cli *self, chip_file *chip, const char *path, const char *part)
{
    cli_text text = {0};
    oak_text_sink sink = cli_text_sink(&text);
    char head[HEAD + 1], blank[4096];
    size_t used;
    snprintf(head, sizeof head, "%spart %s\nlocked 0\n", title, part);
    for (unsigned i = 0; i < chip->region_count; i++) {
        const oak_chip_region *one = &chip->regions[i];
        used = strlen(head);
        snprintf(head + used, sizeof head - used, "region %s 0x%x %u page %u erased %u\n", one->name,
                 (unsigned)one->base, (unsigned)one->size, (unsigned)one->page, (unsigned)one->erased);
    }
    used = strlen(head);
    memset(head + used, '\n', HEAD - used);
    sink.write(sink.context, head, HEAD);
    for (unsigned i = 0; i < chip->region_count; i++) {
        uint32_t erasures = (uint32_t)(((i + 1 < chip->region_count ? chip->starts[i + 1] : chip->journal) -
                                        chip->erasures[i]));
        memset(blank, 0xFF, sizeof blank);
        for (uint32_t left = chip->regions[i].size, piece; left; left -= piece) {
            piece = left < sizeof blank ? left : (uint32_t)sizeof blank;
            sink.write(sink.context, blank, piece);
        }
        memset(blank, 0, sizeof blank);
        for (uint32_t left = erasures, piece; left; left -= piece) {
            piece = left < sizeof blank ? left : (uint32_t)sizeof blank;
            sink.write(sink.context, blank, piece);
        }
    }
    memset(blank, 0, ENTRY);
    sink.write(sink.context, blank, ENTRY);
    bool good = cli_write_file(self, path, &text);
    free(text.bytes);
    return good;
}

/* The text at the beginning. */
static bool read_head(cli *self, chip_file *chip, const char *path, const char *part)
{
    char head[HEAD + 1] = "", name[32], message[160];
    int used = 0;
    static const char *const other = "Name a file that is not there yet: it becomes a blank chip.";
    if (!get(chip->file, head, HEAD, 0) || strncmp(head, title, sizeof title - 1) != 0)
        return refuse(self, path, other, "this file is no chip");
    const char *at = head + sizeof title - 1;
    if (sscanf(at, "part %31s\n%n", name, &used) != 1 || !used)
        return refuse(self, path, other, "this chip has no part");
    if (strcmp(name, part) != 0) {
        snprintf(message, sizeof message, "this chip is another part: %s", name);
        return refuse(self, path, other, message);
    }
    at += used;
    chip->lock = at - head + 7;
    if (strncmp(at, "locked ", 7) != 0 || (at[7] != '0' && at[7] != '1'))
        return refuse(self, path, other, "this chip does not say whether it is locked");
    at += 9;
    chip->region_count = 0;
    while (strncmp(at, "region ", 7) == 0 && chip->region_count < OAK_MOST_REGIONS) {
        oak_chip_region *one = &chip->regions[chip->region_count++];
        unsigned base, size, page, erased;
        *one = (oak_chip_region){0};
        used = 0;
        if (sscanf(at, "region %15s %x %u page %u erased %u\n%n", one->name, &base, &size, &page, &erased,
                   &used) != 5 ||
            !used || !page || page > LARGEST_PAGE || !size || size > OAK_LARGEST_MEMORY || size % page ||
            page & (page - 1) || erased % page || erased > LARGEST_PAGE)
            return refuse(self, path, other, "the regions of this chip cannot be");
        one->base = base, one->size = size, one->page = page, one->erased = erased;
        at += used;
    }
    if (!chip->region_count) return refuse(self, path, other, "this chip has no regions");
    place(chip);
    return true;
}

/* A page in the journal that was not written to its place, or not all of it. */
static bool replay(chip_file *chip)
{
    uint8_t entry[ENTRY];
    if (!get(chip->file, entry, sizeof entry, chip->journal) || memcmp(entry, "page", 4) != 0) return true;
    uint32_t region = from_bytes(entry + 4), at = from_bytes(entry + 8), count = from_bytes(entry + 12);
    if (region >= chip->region_count || count > LARGEST_PAGE || at > chip->regions[region].size ||
        count > chip->regions[region].size - at)
        return true;
    uint8_t *bytes = malloc(count + 1);
    bool good = bytes != NULL;
    if (good && get(chip->file, bytes, count, chip->journal + ENTRY) &&
        oak_crc16(oak_crc16(0, entry, 20), bytes, count) == (entry[20] | entry[21] << 8))
        good = !chip_file_keep(chip, region, at, bytes, count, from_bytes(entry + 16));
    free(bytes);
    return good;
}

bool chip_file_open(cli *self, chip_file *chip, const char *path, const char *part,
                    const oak_chip_region *regions, unsigned count)
{
    *chip = (chip_file){.file = -1, .region_count = count};
    memcpy(chip->regions, regions, count * sizeof *regions);
    place(chip);
    if (access(path, F_OK) != 0) {
        if (!make(self, chip, path, part)) return false;
        chip->is_new = true;
    }
    chip->file = open(path, O_RDWR | O_CLOEXEC);
    if (chip->file < 0) return refuse(self, path, NULL, "the chip cannot be opened for writing");
    if (flock(chip->file, LOCK_EX | LOCK_NB)) {
        chip_file_close(chip);
        return refuse(self, path, NULL, "this chip is in another programmer's socket");
    }
    if (read_head(self, chip, path, part)) {
        if (replay(chip)) return true;
        refuse(self, path, NULL, "the page that was under way cannot be written");
    }
    chip_file_close(chip);
    return false;
}

bool chip_file_fill(cli *self, chip_file *chip, const char *path, oak_programmer *programmer)
{
    char locked = '0';
    bool good = get(chip->file, &locked, 1, chip->lock);
    for (unsigned i = 0; good && i < chip->region_count; i++) {
        uint32_t count = 0, *erasures = oak_programmer_erasures(programmer, i, &count);
        good = get(chip->file, oak_programmer_bytes(programmer, i), chip->regions[i].size, chip->starts[i]);
        for (uint32_t unit = 0; good && unit < count; unit++) {
            uint8_t number[4];
            good = get(chip->file, number, 4, chip->erasures[i] + 4l * unit);
            erasures[unit] = from_bytes(number);
        }
    }
    oak_programmer_set_locked(programmer, locked == '1');
    return good || refuse(self, path, NULL, "this chip ends too early");
}

oak_status chip_file_keep(void *context, unsigned region, uint32_t at, const uint8_t *bytes, uint32_t count,
                          uint32_t erasures)
{
    const chip_file *chip = context;
    uint8_t *entry = malloc(ENTRY + count), empty[4] = {0};
    if (!entry) return OAK_NO_MEMORY;
    memcpy(entry, "page", 4);
    to_bytes(entry + 4, region);
    to_bytes(entry + 8, at);
    to_bytes(entry + 12, count);
    to_bytes(entry + 16, erasures);
    memcpy(entry + ENTRY, bytes, count);
    uint16_t crc = oak_crc16(oak_crc16(0, entry, 20), bytes, count);
    entry[20] = (uint8_t)crc;
    entry[21] = (uint8_t)(crc >> 8);
    uint8_t number[4];
    to_bytes(number, erasures);
    bool good =
        put(chip->file, entry, ENTRY + count, chip->journal) &&
        put(chip->file, bytes, count, chip->starts[region] + at) &&
        put(chip->file, number, 4, chip->erasures[region] + 4l * (at / unit_of(&chip->regions[region]))) &&
        put(chip->file, empty, sizeof empty, chip->journal);
    free(entry);
    return good ? OAK_OK : OAK_IO_ERROR;
}

oak_status chip_file_keep_lock(void *context, bool locked)
{
    const chip_file *chip = context;
    return put(chip->file, locked ? "1" : "0", 1, chip->lock) ? OAK_OK : OAK_IO_ERROR;
}

void chip_file_close(chip_file *chip)
{
    if (chip->file >= 0) close(chip->file);
    chip->file = -1;
}
