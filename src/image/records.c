/* records.c — see records.h. */
#include "image/records.h"

#include "base/text.h"

oak_status oak_record_place(oak_record_reader *reader, uint32_t address, uint8_t byte, unsigned column)
{
    uint8_t before;
    if (!oak_image_byte(reader->image, address, &before))
        return oak_image_write(reader->image, address, &byte, 1);
    if (before == byte) return OAK_OK;
    OAK_REFUSE_RECORD(
        reader, column, "hex-overlap", "Two records give different bytes for one address: remove one.",
        "address 0x%04x already holds 0x%02x, this record says 0x%02x", (unsigned)address, before, byte);
    return OAK_REFUSED;
}

oak_status oak_record_digits(oak_record_reader *reader, const char *start, const char *at, const char *end,
                             uint8_t *bytes, size_t room, size_t *digits, uint8_t *sum)
{
    *digits = 0;
    *sum = 0;
    for (; at < end; at++) {
        int digit = oak_hex_digit(*at);
        if (digit < 0) {
            if (*at > ' ' && *at < 127)
                OAK_REFUSE_RECORD(reader, at - start + 1, "hex-digit", NULL,
                                  "'%c' is not a hexadecimal digit", *at);
            else
                OAK_REFUSE_RECORD(reader, at - start + 1, "hex-digit", NULL,
                                  "byte 0x%02x is not a hexadecimal digit", (uint8_t)*at);
            return OAK_REFUSED;
        }
        size_t byte = (*digits)++ / 2;
        if (byte >= room) continue; /* only counted, for the message about the length */
        if (*digits % 2) {
            bytes[byte] = (uint8_t)(digit << 4);
        } else {
            bytes[byte] = (uint8_t)(bytes[byte] | digit);
            *sum = (uint8_t)(*sum + bytes[byte]);
        }
    }
    return OAK_OK;
}

static oak_status read_line(oak_record_reader *reader, const char *start, const char *end)
{
    while (end > start && (end[-1] == ' ' || end[-1] == '\t' || end[-1] == '\r')) end--;
    if (start == end) return OAK_OK;
    if (!reader->ended) return reader->take_line(reader, start, end);
    OAK_REFUSE_RECORD(reader, 1, "hex-after-end",
                      "Remove what follows the end record, or the end record itself.",
                      "there is more after the end record in line %u", (unsigned)reader->end_line);
    return OAK_REFUSED;
}

oak_status oak_records_read(oak_record_reader *reader, const char *text, size_t size)
{
    oak_status result = OAK_OK;
    const char *end = text + size;
    for (const char *at = text; at < end;) {
        const char *stop = at;
        while (stop < end && *stop != '\n') stop++;
        reader->line++;
        oak_status status = read_line(reader, at, stop);
        if (status && status != OAK_REFUSED) return status;
        if (status) result = status;
        at = stop < end ? stop + 1 : end;
    }
    if (reader->ended || result) return result;
    if (!reader->line) reader->line = 1;
    OAK_REFUSE_RECORD(reader, 0, "hex-no-end", "The file was cut short, or its last line is missing.",
                      "there is no end record");
    return OAK_REFUSED;
}
