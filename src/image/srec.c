/* srec.c — S-records, the open format of lines "S1LLAAAA…CC", and raw binary.
 *
 * The length counts address, data and checksum; the checksum makes the sum of all bytes 0xff. */
#include "base/text.h"
#include "image/records.h"

enum { MOST_DATA = 250 };

typedef struct srec_reader {
    oak_record_reader records;
    uint32_t data_records;
} srec_reader;

static oak_status take_record(srec_reader *reader, unsigned type, const uint8_t *record)
{
    static const uint8_t address_bytes[10] = {2, 2, 3, 4, 0, 2, 3, 4, 3, 2};
    unsigned size = address_bytes[type], count = record[0];
    if (!size || count < size + 1) {
        OAK_REFUSE_RECORD(&reader->records, 2, size ? "hex-length" : "hex-type", NULL,
                          size ? "a record of type S%u is longer" : "record type S%u does not exist", type);
        return OAK_REFUSED;
    }
    uint32_t address = 0;
    for (unsigned i = 0; i < size; i++) address = address << 8 | record[1 + i];
    unsigned data = count - size - 1;
    if (type >= 1 && type <= 3) {
        reader->data_records++;
        oak_status status = OAK_OK;
        for (unsigned i = 0; i < data && !status; i++)
            status =
                oak_record_place(&reader->records, address + i, record[1 + size + i], 5 + 2 * (size + i));
        return status;
    }
    if (data && type != 0) {
        OAK_REFUSE_RECORD(&reader->records, 3, "hex-length", NULL, "a record of type S%u holds no data",
                          type);
        return OAK_REFUSED;
    }
    if ((type == 5 || type == 6) && address != (reader->data_records & (type == 5 ? 0xFFFF : 0xFFFFFF))) {
        OAK_REFUSE_RECORD(&reader->records, 5, "srec-count", "A line of the file is missing.",
                          "%u data records are announced, %u came", (unsigned)address,
                          (unsigned)reader->data_records);
        return OAK_REFUSED;
    }
    if (type >= 7) {
        reader->records.ended = true;
        reader->records.end_line = reader->records.line;
        if (address) oak_image_set_entry(reader->records.image, address);
    }
    return OAK_OK;
}

static oak_status take_line(oak_record_reader *records, const char *start, const char *end)
{
    uint8_t record[256], sum;
    size_t digits;
    if (end - start < 2 || (*start != 'S' && *start != 's') || !oak_is_digit(start[1])) {
        OAK_REFUSE_RECORD(records, 1, "hex-start", "Is this a file of S-records?",
                          "a record begins with S and a digit");
        return OAK_REFUSED;
    }
    oak_status status =
        oak_record_digits(records, start, start + 2, end, record, sizeof record, &digits, &sum);
    if (status) return status;
    if (digits < 2 || digits != 2 * (1 + (size_t)record[0])) {
        OAK_REFUSE_RECORD(records, 3, "hex-length",
                          "The line was cut or joined, or its length digits are wrong.",
                          "the record says %u bytes follow; it has %zu digits behind them",
                          digits < 2 ? 0u : record[0], digits < 2 ? digits : digits - 2);
        return OAK_REFUSED;
    }
    if (sum != 0xFF) {
        uint8_t found = record[record[0]];
        OAK_REFUSE_RECORD(records, end - start - 1, "hex-checksum",
                          "A digit of this line was changed: take the file anew.",
                          "checksum is %02X, expected %02X", found, (uint8_t)(found + 0xFF - sum));
        return OAK_REFUSED;
    }
    return take_record((srec_reader *)records, (unsigned)(start[1] - '0'), record);
}

oak_status oak_srec_read(oak_image *image, const char *text, size_t size, const char *name,
                         const oak_diag_sink *sink)
{
    if (!image || (!text && size) || !name || !sink) return OAK_MISUSE;
    srec_reader reader = {.records = {.image = image, .name = name, .sink = sink, .take_line = take_line}};
    return oak_records_read(&reader.records, text, size);
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
    if (!image || !out) return OAK_MISUSE;
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
    if (!image || !out || !base) return OAK_MISUSE;
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
