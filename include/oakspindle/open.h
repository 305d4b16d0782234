/* open.h — everything that a test bench needs, in one call: a part by its name, a program, the chip, a session. On Linux. */
#ifndef OAKSPINDLE_OPEN_H
#define OAKSPINDLE_OPEN_H

#include <oakspindle/machine.h>
#include <oakspindle/session.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct oak_opened {
    oak_host host;
    oak_part *part;
    oak_program *program;
    oak_machine *machine;
    oak_chip_port chip;
    oak_session *session;
} oak_opened;

/* Assembles a source file for a part, puts it into a chip, and opens a session on it. `part`: the name of one that the library brings,
 * or the path of a part file. What is wrong is printed on standard error (oak_print_diagnostic). On failure nothing is left open, and
 * *opened is all zero. OAK_NOT_FOUND: no such part or no such file; OAK_REFUSED: the source; OAK_NO_MEMORY; OAK_MISUSE for a null pointer. */
OAK_MUST_USE oak_status oak_open(const char *part, const char *path, oak_opened *opened);
/* The same for source text, which is not needed afterwards. */
OAK_MUST_USE oak_status oak_open_text(const char *part, const char *text, oak_opened *opened);
/* Closes all of it. One that is all zero may be closed, too. */
void oak_close(oak_opened *opened);

/* A part that the library brings, by its name ("avr-32k"), or a part file by its path. The part is the caller's: oak_part_free. */
OAK_MUST_USE oak_status oak_part_named(const char *name, const oak_diag_sink *sink, oak_part **part);
/* The names of those that it brings, ascending, from 0; NULL behind the last. */
const char *oak_part_name_at(unsigned index);

/* Prints "file:line:column: error: message [code]" and the hint below it on standard error. As a sink: oak_printer. */
void oak_print_diagnostic(void *context, const oak_diagnostic *diagnostic);
extern const oak_diag_sink oak_printer;

#ifdef __cplusplus
}
#endif
#endif
