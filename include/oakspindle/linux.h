/* linux.h — the ports this library brings for Linux. Nothing else of the library calls the operating system. */
#ifndef OAKSPINDLE_LINUX_H
#define OAKSPINDLE_LINUX_H

#include <oakspindle/port.h>

#ifdef __cplusplus
extern "C" {
#endif

/* The host port over the C library's memory and files. It has no state and needs no freeing. */
oak_host oak_linux_host(void);

/* Opens a terminal device (8 data bits, no parity, raw) as a line port. Close it with line->ops->close(line->line).
 * OAK_NOT_FOUND, OAK_IO_ERROR, OAK_UNSUPPORTED for a speed the device does not have, OAK_NO_MEMORY. */
oak_status oak_linux_line_open(const char *device, uint32_t bits_per_second, oak_line_port *line);

/* A pair of line ports joined to each other: a stand-in for a board on a desk. Each is closed by itself. */
oak_status oak_linux_line_pair(oak_line_port *a, oak_line_port *b);

/* Writes a file beside its target and renames it into place when it is complete, so that an earlier file is never lost
 * half-way. OAK_IO_ERROR. */
oak_status oak_linux_write_file(const char *path, const void *bytes, size_t size);

#ifdef __cplusplus
}
#endif
#endif
