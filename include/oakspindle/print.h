/* print.h — instructions as text, times and frequencies as people write them. */
#ifndef OAKSPINDLE_PRINT_H
#define OAKSPINDLE_PRINT_H

#include <oakspindle/asm.h>
#include <oakspindle/session.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Reads a frequency ("12MHz", "11.0592 MHz", "12000000") to 1/1000 Hz, a time ("5ms", "1.5 s", "250us", "40ns", "0") to
 * picoseconds. OAK_REFUSED when it is none. */
OAK_MUST_USE oak_status oak_read_frequency(const char *text, uint64_t *millihertz);
OAK_MUST_USE oak_status oak_read_time(const char *text, size_t length, uint64_t *picoseconds);

/* Cycle units that have begun when `picoseconds` are over, rounded up; UINT64_MAX when it does not fit. */
uint64_t oak_time_to_cycles(uint64_t picoseconds, uint64_t clock_millihertz, uint32_t clocks_per_cycle);
/* Writes the time of a count of cycles in a sensible unit, cut to three digits behind the point: "41.667 ms". */
void oak_write_time(uint64_t cycles, uint64_t clock_millihertz, uint32_t clocks_per_cycle, char *text,
                    size_t room);
/* "12 MHz", "11.0592 MHz", "32.768 kHz". */
void oak_write_frequency(uint64_t millihertz, char *text, size_t room);

/* How many single-letter changes (insert, delete, replace, swap of neighbours) lie between two names, letters of either
 * case alike; limit + 1 when more than `limit` or when a name is longer than 40. For suggestions. */
unsigned oak_name_distance(const char *a, size_t a_length, const char *b, size_t b_length, unsigned limit);

/* Writes the instruction at an address of code as source text, with the names of the part and, where there is a program,
 * of its symbols; *size is its length in bytes. OAK_REFUSED for a reserved code, OAK_OUT_OF_RANGE outside code memory.
 * Bytes are read through the chip port. */
OAK_MUST_USE oak_status oak_session_print_instruction(oak_session *session, uint32_t address, char *text,
                                                      size_t room, unsigned *size);

#ifdef __cplusplus
}
#endif
#endif
