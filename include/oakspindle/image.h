/* image.h — bytes at 32-bit addresses, with holes: what an assembler makes and a chip is programmed with. */
#ifndef OAKSPINDLE_IMAGE_H
#define OAKSPINDLE_IMAGE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <oakspindle/diag.h>
#include <oakspindle/port.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct oak_image oak_image;

/* Makes an empty image. The host must outlive it. OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_image_create(const oak_host *host, oak_image **image);
/* Frees the image; NULL is allowed. */
void oak_image_free(oak_image *image);

/* Writes bytes, replacing what was there. OAK_OUT_OF_RANGE when the end would pass 4 GiB; OAK_NO_MEMORY (bytes
 * before the failing page may have been written). */
OAK_MUST_USE oak_status oak_image_write(oak_image *image, uint32_t address, const void *bytes, size_t count);
/* Tells whether the byte at `address` is known, and what it is (`byte` may be NULL). */
bool oak_image_byte(const oak_image *image, uint32_t address, uint8_t *byte);
/* Reads bytes up to the first that the image does not have; returns how many, at most `count`. */
size_t oak_image_known(const oak_image *image, uint32_t address, void *bytes, size_t count);
/* Copies `count` bytes; holes are filled with `fill`. Returns how many of them are known. */
size_t oak_image_read(const oak_image *image, uint32_t address, uint8_t fill, void *bytes, size_t count);
/* Finds the first run of known bytes that ends above `from`. *length counts bytes. OAK_NOT_FOUND after the last. */
OAK_MUST_USE oak_status oak_image_next_run(const oak_image *image, uint32_t from, uint32_t *address,
                                           uint64_t *length);
/* The number of known bytes. */
uint64_t oak_image_count(const oak_image *image);

/* The entry address, where execution starts, if the image has one. */
void oak_image_set_entry(oak_image *image, uint32_t address);
bool oak_image_entry(const oak_image *image, uint32_t *address);

/* Reads Intel HEX (record types 00 to 05, any order, CR LF or LF, either case) into the image. `name` is what
 * diagnostics call the text. Every faulty line is reported, up to 20. Returns OAK_REFUSED when there was one (the
 * image then holds what could be read), OAK_NO_MEMORY, or OAK_OK. */
OAK_MUST_USE oak_status oak_hex_read(oak_image *image, const char *text, size_t size, const char *name,
                                     const oak_diag_sink *sink);

/* Receives text piece by piece; anything but OAK_OK ends the writing and is returned. */
typedef struct oak_text_sink {
    void *context;
    oak_status (*write)(void *context, const char *text, size_t size);
} oak_text_sink;

/* Writes Intel HEX: ascending addresses, `record_size` data bytes a record (1 to 255; 0 means 16), type 04 records
 * only where the upper half of the address changes, a type 05 record when there is an entry address, LF ends.
 * OAK_MISUSE for a record_size above 255. */
OAK_MUST_USE oak_status oak_hex_write(const oak_image *image, unsigned record_size, const oak_text_sink *out);

/* S-records: types S0 (ignored), S1, S2, S3 (data with 16, 24, 32-bit addresses), S5 and S6 (count of data records, checked),
 * S7 to S9 (entry address, end). As for HEX, every faulty line is reported. */
OAK_MUST_USE oak_status oak_srec_read(oak_image *image, const char *text, size_t size, const char *name,
                                      const oak_diag_sink *sink);
/* Writes S-records with the shortest addresses that fit the whole image, a count and an end record. record_size: data
 * bytes a record, 1 to 250; 0 means 16. OAK_MISUSE beyond. */
OAK_MUST_USE oak_status oak_srec_write(const oak_image *image, unsigned record_size,
                                       const oak_text_sink *out);

/* Raw binary: every byte from the first known to the last, holes filled with `fill`. *base is the address of the first.
 * OAK_OUT_OF_RANGE when that would be more than `limit` bytes. */
OAK_MUST_USE oak_status oak_raw_write(const oak_image *image, uint8_t fill, size_t limit,
                                      const oak_text_sink *out, uint32_t *base);

#ifdef __cplusplus
}
#endif
#endif
