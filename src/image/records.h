/* records.h — what the readers of record formats (Intel HEX, S-records) share: lines, digits, placing bytes, faults. */
#ifndef OAK_IMAGE_RECORDS_H
#define OAK_IMAGE_RECORDS_H

#include <oakspindle/image.h>

#include "base/diag.h"

enum { OAK_MOST_RECORD_REPORTS = 20 };

typedef struct oak_record_reader {
    oak_image *image;
    const char *name;
    const oak_diag_sink *sink;
    uint32_t line;
    uint32_t end_line; /* of the end record */
    bool ended;
    unsigned reports;
    /* The format's own: takes one line, without blanks at its end and never empty. */
    oak_status (*take_line)(struct oak_record_reader *reader, const char *start, const char *end);
} oak_record_reader;

#define OAK_REFUSE_RECORD(reader, column, code, hint, ...)                                                   \
    do {                                                                                                     \
        if ((reader)->reports++ < OAK_MOST_RECORD_REPORTS)                                                   \
            oak_refuse((reader)->sink, code, (reader)->name, (reader)->line, (uint32_t)(column), hint,       \
                       __VA_ARGS__);                                                                         \
    } while (0)

/* Takes every line of a text; OAK_REFUSED when one was faulty or there is no end record. */
OAK_MUST_USE oak_status oak_records_read(oak_record_reader *reader, const char *text, size_t size);
/* Reads digits up to `end` into bytes, at most `room` of them; *digits counts all, *sum adds the bytes. */
OAK_MUST_USE oak_status oak_record_digits(oak_record_reader *reader, const char *start, const char *at,
                                          const char *end, uint8_t *bytes, size_t room, size_t *digits,
                                          uint8_t *sum);
/* Puts a byte into the image; refuses another one at the same address. */
OAK_MUST_USE oak_status oak_record_place(oak_record_reader *reader, uint32_t address, uint8_t byte,
                                         unsigned column);

#endif
