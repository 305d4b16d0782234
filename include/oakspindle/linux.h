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
OAK_MUST_USE oak_status oak_linux_line_open(const char *device, uint32_t bits_per_second,
                                            oak_line_port *line);

/* The same with more to say. OAK_INTERRUPTED: another program has the line. */
typedef enum oak_line_parity { OAK_PARITY_NONE, OAK_PARITY_EVEN, OAK_PARITY_ODD } oak_line_parity;
typedef enum oak_line_flow {
    OAK_FLOW_NONE,
    OAK_FLOW_WIRES,     /* RTS and CTS */
    OAK_FLOW_CHARACTERS /* XON and XOFF: these two bytes cannot be sent */
} oak_line_flow;
typedef struct oak_linux_line {
    const char *device;
    uint32_t bits_per_second;
    oak_line_parity parity;
    oak_line_flow flow;
} oak_linux_line;
OAK_MUST_USE oak_status oak_linux_line_open_as(const oak_linux_line *settings, oak_line_port *line);

/* A line over a file that is read and one that is written, as standard input and output; closing it leaves them open. */
OAK_MUST_USE oak_status oak_linux_line_over(int reads, int writes, oak_line_port *line);

/* A pseudo-terminal: this end as a line port, and in `text` the path of the other one for any terminal program, which may come and go. `descriptor` (NULL: unwanted) is this end's; it belongs to the line. OAK_UNSUPPORTED, OAK_NO_MEMORY, OAK_OUT_OF_RANGE (of `room`). */
OAK_MUST_USE oak_status oak_linux_line_pseudo(oak_line_port *line, int *descriptor, char *text, size_t room);

/* A pair of line ports joined to each other: a stand-in for a board on a desk. Each is closed by itself. */
OAK_MUST_USE oak_status oak_linux_line_pair(oak_line_port *a, oak_line_port *b);

/* Reads all of a pipe, or of whatever else has been named by the person at the keyboard: waits for it. Otherwise like
 * oak_host.read_file. */
OAK_MUST_USE oak_status oak_linux_read_stream(const char *path, size_t limit, uint8_t **bytes, size_t *size);

typedef struct oak_linux_output {
    const char *path;
    const void *bytes;
    size_t size;
    /* It is somebody's own file: other names of it stay names of it, it stays whose it is, and it is on the disk when this
     * returns. Where there are other names it is rewritten in place, after room was made. */
    bool keeps_links;
} oak_linux_output;

/* Writes several files, all or none: each beside its target, and when all are complete they are put into place. An earlier file
 * keeps its mode and, where that is allowed, its owner; behind a link the file it names is replaced. What is read-only is refused.
 * A pipe or a device is written to, as is a file that is open here already (standard output by its name). What a killed run has left
 * beside a target is removed. OAK_IO_ERROR or OAK_NO_MEMORY; then *failed (NULL: unwanted) is the number of the output and *why a phrase
 * that stays valid: "it is read-only". */
OAK_MUST_USE oak_status oak_linux_write_files(const oak_linux_output *outputs, size_t count, size_t *failed,
                                              const char **why);
/* Removes what killed runs have left beside a file; each writing there does so by itself. */
void oak_linux_clear_leftovers(const char *path);
/* The same for one. */
OAK_MUST_USE oak_status oak_linux_write_file(const char *path, const void *bytes, size_t size);

#ifdef __cplusplus
}
#endif
#endif
