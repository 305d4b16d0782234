/* srec.c — S-records, the open format of lines "S1LLAAAA…CC", and raw binary.
 *
 * The length counts address, data and checksum; the checksum makes the sum of all bytes 0xff. */
#include <oakspindle/image.h>

#include "base/diag.h"
#include "base/text.h"

enum { MOST_REPORTS = 20, MOST_DATA = 250 };

typedef struct srec_reader {
    oak_image *image;
    const char *name;
    const oak_diag_sink *sink;
    uint32_t line, data_records, end_line;
    bool ended;
    unsigned reports;
} srec_reader;

#define REFUSE(reader, column, code, hint, ...)                                                              \
    do {                                                                                                     \
        if ((reader)->reports++ < MOST_REPORTS)                                                              \
            oak_refuse((reader)->sink, code, (reader)->name, (reader)->line, (uint32_t)(column), hint,       \
                       __VA_ARGS__);                                                                         \
    } while (0)

static oak_status place_data(srec_reader *reader, uint32_t address, const uint8_t *data, unsigned count,
                             unsigned column)
{
    for (unsigned i = 0; i < count; i++) {
        uint8_t before;
        if (oak_image_byte(reader->image, address + i, &before)) {
            if (before == data[i]) continue;
            REFUSE(reader, column + 2 * i, "hex-overlap",
                   "Two records give different bytes for one address: remove one.",
                   "address 0x%04x already holds 0x%02x, this record says 0x%02x", (unsigned)(address + i),
                   before, data[i]);
            return OAK_REFUSED;
        }
        oak_status status = oak_image_write(reader->image, address + i, &data[i], 1);
        if (status) return status;
    }
    return OAK_OK;
}

static oak_status take_record(srec_reader *reader, unsigned type, const uint8_t *record)
{
    static const uint8_t address_bytes[10] = {2, 2, 3, 4, 0, 2, 3, 4, 3, 2};
    unsigned size = address_bytes[type], count = record[0];
    if (!size || count < size + 1) {
        REFUSE(reader, 2, size ? "hex-length" : "hex-type", NULL,
               size ? "a record of type S%u is longer" : "record type S%u does not exist", type);
        return OAK_REFUSED;
    }
    uint32_t address = 0;
    for (unsigned i = 0; i < size; i++) address = address << 8 | record[1 + i];
    unsigned data = count - size - 1;
    if (type >= 1 && type <= 3) {
        reader->data_records++;
        return place_data(reader, address, record + 1 + size, data, 5 + 2 * size);
    }
    if (data && type != 0) {
        REFUSE(reader, 3, "hex-length", NULL, "a record of type S%u holds no data", type);
        return OAK_REFUSED;
    }
    if ((type == 5 || type == 6) && address != (reader->data_records & (type == 5 ? 0xFFFF : 0xFFFFFF))) {
        REFUSE(reader, 5, "srec-count", "A line of the file is missing.",
               "%u data records are announced, %u came", (unsigned)address, (unsigned)reader->data_records);
        return OAK_REFUSED;
    }
    if (type >= 7) {
        reader->ended = true;
        reader->end_line = reader->line;
        if (address) oak_image_set_entry(reader->image, address);
    }
    return OAK_OK;
}

static oak_status read_line(srec_reader *reader, const char *at, const char *end)
{
    while (end > at && (end[-1] == ' ' || end[-1] == '\t' || end[-1] == '\r')) end--;
    const char *start = at;
    if (at == end) return OAK_OK;
    if (reader->ended) {
        REFUSE(reader, 1, "hex-after-end", "Remove what follows the end record, or the end record itself.",
               "there is more after the end record in line %u", (unsigned)reader->end_line);
        return OAK_REFUSED;
    }
    if (end - at < 2 || (*at != 'S' && *at != 's') || !oak_is_digit(at[1])) {
        REFUSE(reader, 1, "hex-start", "Is this a file of S-records?", "a record begins with S and a digit");
        return OAK_REFUSED;
    }
    unsigned type = (unsigned)(at[1] - '0');
    uint8_t record[256];
    size_t digits = 0;
    uint8_t sum = 0;
    for (at += 2; at < end; at++) {
        int digit = oak_hex_digit(*at);
        if (digit < 0) {
            REFUSE(reader, at - start + 1, "hex-digit", NULL, "'%c' is not a hexadecimal digit",
                   *at > ' ' && *at < 127 ? *at : '?');
            return OAK_REFUSED;
        }
        if (digits / 2 >= sizeof record) {
            digits++;
            continue;
        }
        if (digits % 2 == 0) record[digits / 2] = (uint8_t)(digit << 4);
        else {
            record[digits / 2] = (uint8_t)(record[digits / 2] | digit);
            sum = (uint8_t)(sum + record[digits / 2]);
        }
        digits++;
    }
    if (digits < 2 || digits != 2 * (1 + (size_t)record[0])) {
        REFUSE(reader, 3, "hex-length", "The line was cut or joined, or its length digits are wrong.",
               "the record says %u bytes follow; it has %zu digits behind them", digits < 2 ? 0u : record[0],
               digits < 2 ? digits : digits - 2);
        return OAK_REFUSED;
    }
    if (sum != 0xFF) {
        uint8_t found = record[record[0]];
        REFUSE(reader, end - start - 1, "hex-checksum",
               "A digit of this line was changed: take the file anew.", "checksum is %02X, expected %02X",
               found, (uint8_t)(found + 0xFF - sum));
        return OAK_REFUSED;
    }
    return take_record(reader, type, record);
}

oak_status oak_srec_read(oak_image *image, const char *text, size_t size, const char *name,
                         const oak_diag_sink *sink)
{
    srec_reader reader = {.image = image, .name = name, .sink = sink};
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
        REFUSE(&reader, 0, "hex-no-end", "The file was cut short, or its last line is missing.",
               "there is no end record");
        result = OAK_REFUSED;
    }
    return result;
}

static oak_status write_record(const oak_text_sink *out, unsigned type, unsigned address_bytes,
                               uint32_t address, const uint8_t *data, unsigned count)
{
    char line[2 + 2 * 256 + 1];
    size_t at = 0;
    uint8_t sum = 0;
    unsigned total = address_bytes + count + 1;
    static const char digits[] = "0123456789ABCDEF";
    line[at++] = 'S';
    line[at++] = (char)('0' + type);
    for (unsigned i = 0; i <= total; i++) {
        unsigned value = 0xFFu - sum;
        if (i == 0) value = total;
        else if (i <= address_bytes) value = address >> (8 * (address_bytes - i));
        else if (i <= address_bytes + count) value = data[i - address_bytes - 1];
        uint8_t byte = (uint8_t)value;
        sum = (uint8_t)(sum + byte);
        line[at++] = digits[byte >> 4];
        line[at++] = digits[byte & 15];
    }
    line[at++] = '\n';
    return out->write(out->context, line, at);
}

oak_status oak_srec_write(const oak_image *image, unsigned record_size, const oak_text_sink *out)
{
    if (record_size > MOST_DATA) return OAK_MISUSE;
    if (!record_size) record_size = 16;
    uint64_t from = 0, length, last = 0;
    uint32_t address, entry = 0, records = 0;
    while (from <= UINT32_MAX && oak_image_next_run(image, (uint32_t)from, &address, &length) == OAK_OK)
        last = from = address + length;
    oak_image_entry(image, &entry);
    uint64_t highest = last ? last - 1 : 0;
    if (entry > highest) highest = entry;
    unsigned bytes = highest > 0xFFFFFF ? 4 : highest > 0xFFFF ? 3 : 2;
    oak_status status = write_record(out, 0, 2, 0, (const uint8_t *)"image", 5);
    for (from = 0; !status && from <= UINT32_MAX &&
                   oak_image_next_run(image, (uint32_t)from, &address, &length) == OAK_OK;) {
        from = address + length;
        while (length && !status) {
            uint8_t data[MOST_DATA];
            unsigned count = length < record_size ? (unsigned)length : record_size;
            oak_image_read(image, address, 0, data, count);
            status = write_record(out, bytes - 1, bytes, address, data, count);
            address += count;
            length -= count;
            records++;
        }
    }
    if (!status && records <= 0xFFFFFF)
        status = write_record(out, records > 0xFFFF ? 6 : 5, records > 0xFFFF ? 3 : 2, records, NULL, 0);
    return status ? status : write_record(out, 11 - bytes, bytes, entry, NULL, 0);
}

oak_status oak_raw_write(const oak_image *image, uint8_t fill, size_t limit, const oak_text_sink *out,
                         uint32_t *base)
{
    uint64_t from = 0, length, last = 0;
    uint32_t address;
    bool any = false;
    *base = 0;
    while (from <= UINT32_MAX && oak_image_next_run(image, (uint32_t)from, &address, &length) == OAK_OK) {
        if (!any) *base = address;
        any = true;
        last = from = address + length;
    }
    if (!any) return OAK_OK;
    if (last - *base > limit) return OAK_OUT_OF_RANGE;
    oak_status status = OAK_OK;
    for (uint64_t at = *base; at < last && !status;) {
        uint8_t bytes[1024];
        size_t count = last - at < sizeof bytes ? (size_t)(last - at) : sizeof bytes;
        oak_image_read(image, (uint32_t)at, fill, bytes, count);
        status = out->write(out->context, (const char *)bytes, count);
        at += count;
    }
    return status;
}
