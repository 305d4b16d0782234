/* program.h — the inside of a program, filled in by the assembler. */
#ifndef OAK_ASM_PROGRAM_H
#define OAK_ASM_PROGRAM_H

#include <oakspindle/asm.h>

#include "base/arena.h"
#include "base/pool.h"

typedef struct oak_source_file {
    const char *name;
    const char *text;
    size_t size;
    bool looked, is_text; /* it was looked at, and holds no zero byte: its lines may be shown */
} oak_source_file;

#define OAK_NO_PLACE UINT32_MAX

/* A line as it was read: from a file, or out of a macro or repetition. Its index is the place of all that it makes, of
 * statements, symbols and diagnostics; reading order is listing order. */
typedef struct oak_source_line {
    const char *text;
    uint32_t size;
    uint32_t line;   /* in its file; in an expansion, of the line the text came from */
    uint32_t parent; /* place of the include, call or repetition it came through, or OAK_NO_PLACE */
    uint16_t file;
    uint8_t depth; /* how many of those */
    bool expanded; /* out of a macro or repetition */
} oak_source_line;

/* Lines that were read one behind the other out of one text: of each only where it begins is kept. */
typedef struct oak_source_run {
    const char *text, *end; /* of its first line; of the whole text */
    uint32_t first;         /* place of its first line */
    uint32_t line;          /* and its number */
    uint32_t parent;
    uint16_t file;
    uint8_t depth;
    bool expanded;
} oak_source_run;

/* One statement, in the order of the source: what the listing shows. */
typedef enum oak_record_kind {
    OAK_RECORD_CODE,
    OAK_RECORD_DATA,
    OAK_RECORD_SPACE,
    OAK_RECORD_VALUE,
    OAK_RECORD_PLACE,
    OAK_RECORD_POOL /* words that instructions load */
} oak_record_kind;
typedef struct oak_record {
    uint32_t origin;
    uint8_t kind;
    uint8_t space;
    uint8_t cycles; /* 0: not an instruction */
    uint32_t size;  /* bytes; of labels: how many lines they take behind the first */
    int64_t at;     /* address, or the value of a constant */
} oak_record;

/* A sentence below a line of the listing. */
typedef struct oak_note {
    uint32_t origin;
    const char *text;
} oak_note;

struct oak_program {
    oak_host host;
    const oak_part *part;
    oak_arena arena;
    oak_image *image;
    oak_source_file *files;
    size_t file_count, file_room;
    oak_source_run *runs;
    size_t run_count, run_room;
    uint32_t *source; /* of each line, where it begins in the text of its run */
    size_t source_count, source_room;
    oak_record *records;
    size_t record_count, record_room;
    oak_note *notes; /* in the order of the source */
    size_t note_count, note_room;
    oak_line *lines; /* ascending by address after finish */
    size_t line_count, line_room;
    oak_pool symbols; /* in the order in which their names were met */
    uint32_t *index;  /* hash table of symbols by name, made by finish */
    uint32_t index_mask;
    oak_section *sections;
    size_t section_count, section_room;
    struct oak_isa_tables *tables; /* of its architecture, where it was assembled; or NULL */
    uint32_t *labels;              /* indexes of the labels of code, ascending by address */
    size_t label_count;
    uint8_t *named; /* of each register of the part: 1 where the source names it, or a bit of it; or NULL */
};

static inline oak_symbol *oak_program_symbol_at(const oak_program *program, size_t number)
{
    return oak_pool_at(&program->symbols, number);
}
/* The number of a symbol + 1, or 0. */
uint32_t oak_program_find_number(const oak_program *program, const char *name, size_t length, unsigned index);

oak_source_line oak_program_source(const oak_program *program, uint32_t origin);
/* The same without the text. */
oak_source_line oak_program_where(const oak_program *program, uint32_t origin);

/* The indexes of the symbols in alphabetical order; one element more than symbols, to be given back to the host. */
OAK_MUST_USE oak_status oak_program_sorted(const oak_program *program, uint32_t **order);

/* Sorts `count` elements of `size` bytes (at most 64) in place, stable; scratch of the same size is taken from the host. */
OAK_MUST_USE oak_status oak_sort(const oak_host *host, void *array, size_t count, size_t size,
                                 int (*compare)(const void *a, const void *b, const void *context),
                                 const void *context);

#endif
