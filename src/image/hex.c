/* hex.c — Intel HEX, the open format of lines ":LLAAAATT…CC": length, offset, type, data, checksum.
 *
 * Types: 00 data, 01 end, 02 segment base (times 16, offsets wrap inside 64 KiB), 03 segment entry CS:IP,
 * 04 upper half of a 32-bit address, 05 32-bit entry. The checksum makes the sum of all bytes zero. */
#include <oakspindle/image.h>

#include "base/diag.h"
#include "base/text.h"

enum { MOST_REPORTS = 20 };

typedef struct hex_reader {
    oak_image *image;
    const char *name;
    const oak_diag_sink *sink;
    uint32_t line;
    uint32_t base;  /* what type 02 or 04 set, as an address */
    bool segmented; /* type 02 was the last: offsets wrap at 64 KiB */
    bool ended;
    uint32_t end_line;
    unsigned reports;
} hex_reader;

#define REFUSE(reader, column, code, hint, ...)                                                              \
    do {                                                                                                     \
        if ((reader)->reports++ < MOST_REPORTS)                                                              \
            oak_refuse((reader)->sink, code, (reader)->name, (reader)->line, (uint32_t)(column), hint,       \
                       __VA_ARGS__);                                                                         \
    } while (0)

static oak_status place_data(hex_reader *reader, const uint8_t *record)
{
    unsigned count = record[0];
    uint32_t offset = (uint32_t)(record[1] << 8 | record[2]);
    for (unsigned i = 0; i < count; i++) {
        uint32_t within = reader->segmented ? (offset + i) & 0xFFFF : offset + i;
        uint32_t address = reader->base + within;
        uint8_t byte = record[4 + i], before;
        if (oak_image_byte(reader->image, address, &before)) {
            if (before == byte) continue;
            REFUSE(reader, 10 + 2 * i, "hex-overlap",
                   "Two records give different bytes for one address: remove one.",
                   "address 0x%04x already holds 0x%02x, this record says 0x%02x", address, before, byte);
            return OAK_REFUSED;
        }
        oak_status status = oak_image_write(reader->image, address, &byte, 1);
        if (status) return status;
    }
    return OAK_OK;
}

static oak_status take_record(hex_reader *reader, const uint8_t *record)
{
    static const uint8_t wanted_length[6] = {0, 0, 2, 4, 2, 4};
    unsigned type = record[3];
    if (type > 5) {
        REFUSE(reader, 8, "hex-type", "Intel HEX has the types 00 to 05.", "record type %02X does not exist",
               type);
        return OAK_REFUSED;
    }
    if (type != 0 && record[0] != wanted_length[type]) {
        REFUSE(reader, 2, "hex-length", NULL, "a record of type %02X holds %u data bytes, this one says %u",
               type, wanted_length[type], record[0]);
        return OAK_REFUSED;
    }
    const uint8_t *data = record + 4;
    switch (type) {
    case 0: return place_data(reader, record);
    case 1:
        reader->ended = true;
        reader->end_line = reader->line;
        break;
    case 2:
    case 4:
        reader->segmented = type == 2;
        reader->base = (uint32_t)(data[0] << 8 | data[1]) << (type == 2 ? 4 : 16);
        break;
    case 3:
        oak_image_set_entry(reader->image,
                            ((uint32_t)(data[0] << 8 | data[1]) << 4) + (uint32_t)(data[2] << 8 | data[3]));
        break;
    default:
        oak_image_set_entry(reader->image, (uint32_t)data[0] << 24 | (uint32_t)data[1] << 16 |
                                               (uint32_t)data[2] << 8 | data[3]);
        break;
    }
    return OAK_OK;
}

static oak_status read_line(hex_reader *reader, const char *at, const char *end)
{
    while (end > at && (end[-1] == ' ' || end[-1] == '\t' || end[-1] == '\r')) end--;
    const char *start = at;
    if (at == end) return OAK_OK;
    if (reader->ended) {
        REFUSE(reader, 1, "hex-after-end", "Remove what follows the end record, or the end record itself.",
               "there is more after the end record in line %u", reader->end_line);
        return OAK_REFUSED;
    }
    if (*at != ':') {
        REFUSE(reader, 1, "hex-start", "Is this an Intel HEX file?", "a record begins with ':'");
        return OAK_REFUSED;
    }
    at++;
    uint8_t record[4 + 255 + 1];
    size_t count = 0;
    uint8_t sum = 0;
    for (; at < end; at++) {
        int digit = oak_hex_digit(*at);
        if (digit < 0) {
            bool visible = *at > ' ' && *at < 127;
            if (visible)
                REFUSE(reader, at - start + 1, "hex-digit", NULL, "'%c' is not a hexadecimal digit", *at);
            else
                REFUSE(reader, at - start + 1, "hex-digit", NULL, "byte 0x%02x is not a hexadecimal digit",
                       (uint8_t)*at);
            return OAK_REFUSED;
        }
        if (count / 2 >= sizeof record) {
            count += 1;
            continue; /* only counted, for the message below */
        }
        if (count % 2 == 0) record[count / 2] = (uint8_t)(digit << 4);
        else record[count / 2] = (uint8_t)(record[count / 2] | digit);
        if (count % 2 == 1) sum = (uint8_t)(sum + record[count / 2]);
        count++;
    }
    if (count < 10 || count != 2 * (5 + (size_t)record[0])) {
        if (count < 10)
            REFUSE(reader, 1, "hex-length", NULL, "a record has at least 10 digits, this one has %zu", count);
        else
            REFUSE(reader, 2, "hex-length", "The line was cut or joined, or its length digits are wrong.",
                   "the record says %u data bytes, so it needs %u digits; it has %zu", record[0],
                   2 * (5u + record[0]), count);
        return OAK_REFUSED;
    }
    if (sum != 0) {
        uint8_t found = record[4 + record[0]];
        REFUSE(reader, end - start - 1, "hex-checksum",
               "A digit of this line was changed: take the file anew.", "checksum is %02X, expected %02X",
               found, (uint8_t)(found - sum));
        return OAK_REFUSED;
    }
    return take_record(reader, record);
}

oak_status oak_hex_read(oak_image *image, const char *text, size_t size, const char *name,
                        const oak_diag_sink *sink)
{
    hex_reader reader = {.image = image, .name = name, .sink = sink};
    oak_status result = OAK_OK;
    const char *end = text + size;
    for (const char *at = text; at < end;) {
        const char *stop = at;
        while (stop < end && *stop != '\n') stop++;
        reader.line++;
        oak_status status = read_line(&reader, at, stop);
        if (status && status != OAK_REFUSED) return status;
        if (status) result = status;
        at = stop < end ? stop + 1 : end;
    }
    if (!reader.ended && result == OAK_OK) {
        if (!reader.line) reader.line = 1;
        REFUSE(&reader, 0, "hex-no-end", "The file was cut short, or its last line ':00000001FF' is missing.",
               "there is no end record");
        result = OAK_REFUSED;
    }
    return result;
}

static oak_status write_record(const oak_text_sink *out, unsigned type, uint32_t offset, const uint8_t *data,
                               unsigned count)
{
    static const char digits[] = "0123456789ABCDEF";
    char line[1 + 2 * (5 + 255) + 1];
    size_t at = 0;
    uint8_t sum = 0;
    line[at++] = ':';
    for (unsigned i = 0; i < count + 5; i++) {
        uint8_t byte = i == 0           ? (uint8_t)count
                       : i == 1         ? (uint8_t)(offset >> 8)
                       : i == 2         ? (uint8_t)offset
                       : i == 3         ? (uint8_t)type
                       : i == count + 4 ? (uint8_t)(0 - sum)
                                        : data[i - 4];
        sum = (uint8_t)(sum + byte);
        line[at++] = digits[byte >> 4];
        line[at++] = digits[byte & 15];
    }
    line[at++] = '\n';
    return out->write(out->context, line, at);
}

oak_status oak_hex_write(const oak_image *image, unsigned record_size, const oak_text_sink *out)
{
    if (record_size > 255) return OAK_MISUSE;
    if (!record_size) record_size = 16;
    uint32_t upper = 0, address = 0;
    uint64_t length = 0, from = 0;
    oak_status status = OAK_OK;
    while (from <= UINT32_MAX && oak_image_next_run(image, (uint32_t)from, &address, &length) == OAK_OK) {
        from = address + length;
        while (length) {
            if (address >> 16 != upper) {
                upper = address >> 16;
                uint8_t data[2] = {(uint8_t)(upper >> 8), (uint8_t)upper};
                status = write_record(out, 4, 0, data, 2);
                if (status) return status;
            }
            uint8_t data[255];
            uint32_t to_edge = 0x10000 - (address & 0xFFFF);
            unsigned count = length < record_size ? (unsigned)length : record_size;
            if (count > to_edge) count = to_edge;
            oak_image_read(image, address, 0, data, count);
            status = write_record(out, 0, address & 0xFFFF, data, count);
            if (status) return status;
            address += count;
            length -= count;
        }
    }
    uint32_t entry;
    if (oak_image_entry(image, &entry)) {
        uint8_t data[4] = {(uint8_t)(entry >> 24), (uint8_t)(entry >> 16), (uint8_t)(entry >> 8),
                           (uint8_t)entry};
        status = write_record(out, 5, 0, data, 4);
        if (status) return status;
    }
    return write_record(out, 1, 0, NULL, 0);
}
