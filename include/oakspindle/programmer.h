/* programmer.h — the other end of the line, simulated: a programmer with a chip in its socket, its lamps, and faults to order.
 *
 * It answers pegs (docs/programmer.md), and letters for those who only have a terminal and XMODEM. */
#ifndef OAKSPINDLE_PROGRAMMER_H
#define OAKSPINDLE_PROGRAMMER_H

#include <oakspindle/line.h>
#include <oakspindle/part.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct oak_programmer oak_programmer;

typedef struct oak_programmer_setup {
    const oak_host *host;
    oak_line_port line; /* closed by the caller */
    const char *part;   /* what it says is in the socket */
    oak_chip_region regions[OAK_MOST_REGIONS];
    unsigned region_count;
    uint32_t write_us, erase_us; /* a page, a unit of erasing */
    uint32_t stands;             /* so often a unit can be erased; 0: always */
    uint64_t seed;               /* of noise */
    void *context;
    /* Each of these may be NULL. Time passes while the chip works. */
    void (*wait)(void *context, uint32_t microseconds);
    /* Asked now and then: false ends it. */
    bool (*goes_on)(void *context);
    /* So many bytes of a region, from `at` on, are like this now, and their unit was erased so often: on return they are kept. Before it is
     * acknowledged. */
    oak_status (*keep)(void *context, unsigned region, uint32_t at, const uint8_t *bytes, uint32_t count,
                       uint32_t erasures);
    oak_status (*keep_lock)(void *context, bool locked);
    void (*lamps)(void *context, bool busy, bool good, bool bad);
} oak_programmer_setup;

/* The regions of a part that a programmer fills, as images have them: pages of 128 bytes, 1 KiB erased at once, or smaller ones of what is smaller. Returns how
 * many, at most OAK_MOST_REGIONS. */
unsigned oak_programmer_regions(const oak_part *part, oak_chip_region *regions);

/* A programmer with a blank chip. What is pointed to must outlive it. OAK_NO_MEMORY; OAK_OUT_OF_RANGE for pages that cannot be. */
OAK_MUST_USE oak_status oak_programmer_create(const oak_programmer_setup *setup, oak_programmer **programmer);
void oak_programmer_free(oak_programmer *programmer);

/* What is in the chip before the first question: bytes of a region, how often its units were erased, whether it is locked. */
uint8_t *oak_programmer_bytes(oak_programmer *programmer, unsigned region);
uint32_t *oak_programmer_erasures(oak_programmer *programmer, unsigned region, uint32_t *count);
void oak_programmer_set_locked(oak_programmer *programmer, bool locked);
bool oak_programmer_locked(const oak_programmer *programmer);

/* A fault to order: "bit 0x1234.3 stuck" (it stays 1; "stuck low": 0), "lose 1 in 1000", "double 1 in 1000", "flip 1 in 1000" (bytes of
 * the line), "socket PART", "socket empty", "power lost at page 3". False for anything else. */
bool oak_programmer_fault(oak_programmer *programmer, const char *text);

/* Answers until it is to end, or the line is gone (OAK_IO_ERROR). */
OAK_MUST_USE oak_status oak_programmer_serve(oak_programmer *programmer);

#ifdef __cplusplus
}
#endif
#endif
