/* diag.h — diagnostics: where something is wrong, what, and what to write instead.
 *
 * The library never prints. Whoever calls it passes a sink, and the sink receives each diagnostic once, in the
 * order of the source. All strings belong to the library and live only during the call. */
#ifndef OAKSPINDLE_DIAG_H
#define OAKSPINDLE_DIAG_H

#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef enum oak_severity { OAK_ERROR, OAK_WARNING, OAK_NOTE } oak_severity;

typedef struct oak_diagnostic {
    oak_severity severity;
    const char *code;        /* stable short name, e.g. "unknown-symbol" */
    const char *file;        /* name as the user gave it; NULL where there is no file */
    uint32_t line;           /* from 1; 0 where there is no line */
    uint32_t column;         /* first column underlined, in bytes, from 1; 0 where there is none */
    uint32_t column_end;     /* first column no longer underlined */
    const char *message;     /* what is wrong, in the user's terms */
    const char *hint;        /* what to do or write instead; NULL where that cannot be known */
    const char *source_line; /* the text of the line without its end; NULL where it is not at hand */
    /* What would put it right: the text from edit_column to edit_column_end of the line replaced by `edit`; NULL where that
     * is not known. edit_safe: there is no other way to read what was meant. */
    const char *edit;
    uint32_t edit_column;
    uint32_t edit_column_end;
    bool edit_safe;
} oak_diagnostic;

typedef struct oak_diag_sink {
    void *context;
    void (*report)(void *context, const oak_diagnostic *diagnostic);
} oak_diag_sink;

/* A sink that tells nothing. */
extern const oak_diag_sink oak_silent;

#ifdef __cplusplus
}
#endif
#endif
