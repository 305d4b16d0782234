/* diag.h — building diagnostics: formats a message and a hint and hands them to a sink. */
#ifndef OAK_BASE_DIAG_H
#define OAK_BASE_DIAG_H

#include <oakspindle/diag.h>

#include "base/text.h"

/* Reports one diagnostic without a source line: for images, part files and state files. line and column may be 0. */
void oak_refuse(const oak_diag_sink *sink, const char *code, const char *file, uint32_t line, uint32_t column,
                const char *hint, const char *format, ...) OAK_PRINTF(7, 8);
/* The same as a note: nothing is refused. */
void oak_remark(const oak_diag_sink *sink, const char *code, const char *file, uint32_t line, uint32_t column,
                const char *hint, const char *format, ...) OAK_PRINTF(7, 8);

#endif
