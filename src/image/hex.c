/* hex.c — Intel HEX, the open format of lines ":LLAAAATT…CC": length, offset, type, data, checksum.
 *
 * Types: 00 data, 01 end, 02 segment base (times 16, offsets wrap inside 64 KiB), 03 segment entry CS:IP,
 * 04 upper half of a 32-bit address, 05 32-bit entry. The checksum makes the sum of all bytes zero. */
#include "image/records.h"

typedef struct hex_reader {
    oak_record_reader records;
    uint32_t base;  /* what type 02 or 04 set, as an address */
    bool segmented; /* type 02 was the last: offsets wrap at 64 KiB */
} hex_reader;

static oak_status place_data(hex_reader *reader, const uint8_t *record)
{
    uint32_t offset = (uint32_t)(record[1] << 8 | record[2]);
    oak_status status = OAK_OK;
    for (unsigned i = 0; i < record[0] && !status; i++) {
        uint32_t within = reader->segmented ? (offset + i) & 0xFFFF : offset + i;
        status = oak_record_place(&reader->records, reader->base + within, record[4 + i], 10 + 2 * i);
    }
    return status;
}

static oak_status take_record(hex_reader *reader, const uint8_t *record)
{
    static const uint8_t wanted_length[6] = {0, 0, 2, 4, 2, 4};
    unsigned type = record[3];
    if (type > 5) {
        OAK_REFUSE_RECORD(&reader->records, 8, "hex-type", "Intel HEX has the types 00 to 05.",
                          "record type %02X does not exist", type);
        return OAK_REFUSED;
    }
    if (type != 0 && record[0] != wanted_length[type]) {
        OAK_REFUSE_RECORD(&reader->records, 2, "hex-length", NULL,
                          "a record of type %02X holds %u data bytes, this one says %u", type,
                          wanted_length[type], record[0]);
        return OAK_REFUSED;
    }
    const uint8_t *data = record + 4;
    switch (type) {
    case 0: return place_data(reader, record);
    case 1:
        reader->records.ended = true;
        reader->records.end_line = reader->records.line;
        break;
    case 2:
    case 4:
        reader->segmented = type == 2;
        reader->base = (uint32_t)(data[0] << 8 | data[1]) << (type == 2 ? 4 : 16);
        break;
    case 3:
        oak_image_set_entry(reader->records.image,
                            ((uint32_t)(data[0] << 8 | data[1]) << 4) + (uint32_t)(data[2] << 8 | data[3]));
        break;
    default:
        oak_image_set_entry(reader->records.image, (uint32_t)data[0] << 24 | (uint32_t)data[1] << 16 |
                                                       (uint32_t)data[2] << 8 | data[3]);
        break;
    }
    return OAK_OK;
}

static oak_status take_line(oak_record_reader *records, const char *start, const char *end)
{
    uint8_t record[4 + 255 + 1], sum;
    size_t count;
    if (*start != ':') {
        OAK_REFUSE_RECORD(records, 1, "hex-start", "Is this an Intel HEX file?", "a record begins with ':'");
        return OAK_REFUSED;
    }
    oak_status status =
        oak_record_digits(records, start, start + 1, end, record, sizeof record, &count, &sum);
    if (status) return status;
    if (count < 10) {
        OAK_REFUSE_RECORD(records, 1, "hex-length", NULL, "a record has at least 10 digits, this one has %zu",
                          count);
        return OAK_REFUSED;
    }
    if (count != 2 * (5 + (size_t)record[0])) {
        OAK_REFUSE_RECORD(records, 2, "hex-length",
                          "The line was cut or joined, or its length digits are wrong.",
                          "the record says %u data bytes, so it needs %u digits; it has %zu", record[0],
                          2 * (5u + record[0]), count);
        return OAK_REFUSED;
    }
    if (sum != 0) {
        uint8_t found = record[4 + record[0]];
        OAK_REFUSE_RECORD(records, end - start - 1, "hex-checksum",
                          "A digit of this line was changed: take the file anew.",
                          "checksum is %02X, expected %02X", found, (uint8_t)(found - sum));
        return OAK_REFUSED;
    }
    return take_record((hex_reader *)records, record); /* the records are its first member */
}

oak_status oak_hex_read(oak_image *image, const char *text, size_t size, const char *name,
                        const oak_diag_sink *sink)
{
    if (!image || (!text && size) || !name || !sink) return OAK_MISUSE;
    hex_reader reader = {.records = {.image = image, .name = name, .sink = sink, .take_line = take_line}};
    return oak_records_read(&reader.records, text, size);
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
    if (!image || !out) return OAK_MISUSE;
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
