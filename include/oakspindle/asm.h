/* asm.h — the assembler: from source text to a program.
 *
 * A program holds the image and what is known of it: symbols, lines, the text of the source. It is what a listing is
 * written from and what a session resolves places with. */
#ifndef OAKSPINDLE_ASM_H
#define OAKSPINDLE_ASM_H

#include <oakspindle/image.h>
#include <oakspindle/part.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct oak_program oak_program;

/* Assembles the file `path` for a part. Every fault is reported to the sink, in the order of the source, each once.
 * Warnings do not refuse. On success *program is made; otherwise it is left alone and the result is OAK_REFUSED,
 * OAK_NOT_FOUND, OAK_IO_ERROR (each after a diagnostic) or OAK_NO_MEMORY. The host and the part must outlive the
 * program. */
OAK_MUST_USE oak_status oak_assemble(const oak_host *host, const oak_part *part, const char *path,
                                     const oak_diag_sink *sink, oak_program **program);
/* How a warning is taken. Each has a code; a line silences it for itself with the comment `allow(CODE)`. */
typedef enum oak_warning_level { OAK_WARN_OFF, OAK_WARN_ON, OAK_WARN_ERROR } oak_warning_level;
typedef struct oak_warning {
    const char *code;
    oak_warning_level level;
} oak_warning;

typedef struct oak_asm_settings {
    const char *const
        *paths; /* source files of one program; a name belongs to its file unless it is exported */
    unsigned path_count;
    const char *const *include_paths; /* looked through after the folder of the including file */
    unsigned include_count;
    const oak_warning *warnings; /* what differs from the usual level of a warning */
    unsigned warning_count;
    /* A source with errors makes a program as well, of what is known: *program is made though the result is OAK_REFUSED. It is good for looking names and
     * lines up; what its image holds where something is wrong says nothing. */
    bool keep_refused;
} oak_asm_settings;

/* The same for several files, with all that can be set. */
OAK_MUST_USE oak_status oak_assemble_files(const oak_host *host, const oak_part *part,
                                           const oak_asm_settings *settings, const oak_diag_sink *sink,
                                           oak_program **program);
/* The codes of warnings and their usual levels (`usual` may be NULL), from 0; NULL after the last. */
const char *oak_warning_at(unsigned index, oak_warning_level *usual);
/* The same for text in memory; `name` is what diagnostics call it. The text is copied. */
OAK_MUST_USE oak_status oak_assemble_text(const oak_host *host, const oak_part *part, const char *name,
                                          const char *text, size_t size, const oak_diag_sink *sink,
                                          oak_program **program);

/* An empty program, to be filled with an image and, if there are any, symbols and lines from elsewhere. */
OAK_MUST_USE oak_status oak_program_create(const oak_host *host, const oak_part *part, oak_program **program);
/* Frees the program; NULL is allowed. */
void oak_program_free(oak_program *program);

const oak_part *oak_program_part(const oak_program *program);
oak_host oak_program_host(const oak_program *program);
/* The image; it belongs to the program. Only code memory is in it. */
oak_image *oak_program_image(const oak_program *program);

typedef enum oak_symbol_kind { OAK_SYMBOL_LABEL, OAK_SYMBOL_CONSTANT, OAK_SYMBOL_VARIABLE } oak_symbol_kind;

typedef struct oak_symbol {
    const char *name;
    int64_t value;
    const char *file; /* where it was defined; NULL when not known */
    uint32_t line;
    uint32_t uses; /* how often the source names it */
    uint32_t
        size; /* of all that is kept behind it up to the next label, in bytes; 0 when not known or code */
    uint8_t bytes; /* of one value behind a label of data; 0 when not known or code */
    uint8_t kind;  /* oak_symbol_kind: defined as a label, by equ or bit, by set */
    uint8_t space; /* 0 for a plain number */
} oak_symbol;

/* Symbols in the order in which the source names them first, from 0; NULL after the last. */
const oak_symbol *oak_program_symbol(const oak_program *program, unsigned index);
/* Finds a symbol; letters of either case are alike. */
/* The symbol with number `index` among those of a name, in no particular order; file: of a source whose path ends with it, or NULL for
 * any. NULL behind the last. */
const oak_symbol *oak_program_find_in(const oak_program *program, const char *file, size_t file_length,
                                      const char *name, size_t length, unsigned index);
const oak_symbol *oak_program_find(const oak_program *program, const char *name, size_t length);
/* The label of code memory at or nearest below an address, or NULL. */
const oak_symbol *oak_program_label_below(const oak_program *program, uint32_t address);

typedef struct oak_line {
    const char *file;
    uint32_t line;
    uint32_t address;
    uint32_t size;    /* bytes */
    const char *text; /* the source line, not ended by zero; NULL when not at hand */
    uint32_t text_size;
    uint8_t cycles; /* fewest, of all its instructions; 0: it has none, or nobody has said */
} oak_line;

/* The source line whose code holds an address. OAK_NOT_FOUND. */
OAK_MUST_USE oak_status oak_program_line_at(const oak_program *program, uint32_t address, oak_line *line);
/* The line with code at or behind `line` of a file (its name, or the end of its path). OAK_NOT_FOUND. */
OAK_MUST_USE oak_status oak_program_find_line(const oak_program *program, const char *file, size_t length,
                                              uint32_t line, oak_line *found);
/* Lines with code, ascending by address, from 0. OAK_NOT_FOUND after the last. */
OAK_MUST_USE oak_status oak_program_line(const oak_program *program, unsigned index, oak_line *line);

/* What lies where: a named section, or a stretch that was placed with org. */
typedef struct oak_section {
    const char *name; /* NULL for a stretch without one */
    uint8_t space;
    bool placed; /* by the tool; false: at an address the source gives */
    uint32_t address;
    uint32_t size; /* bytes; bits in a space of bits */
    bool copied;   /* its contents are kept at `load` in code memory, and copied by the program */
    uint32_t load;
} oak_section;
/* By space and address, from 0; NULL after the last. */
const oak_section *oak_program_section(const oak_program *program, unsigned index);
/* Whether the source names the part's register with that number, or a bit of it. */
bool oak_program_names_register(const oak_program *program, unsigned index);
/* The files that were read, from 0, sources and what they include; NULL after the last. */
const char *oak_program_file(const oak_program *program, unsigned index);

/* Writes an ELF file: code, symbols, and DWARF 4 lines and labels, for general tools. OAK_NO_MEMORY, or what the sink
 * returns. */
OAK_MUST_USE oak_status oak_program_write_elf(const oak_program *program, const oak_text_sink *out);

/* Adds a symbol or a line to a program that was made elsewhere. Strings are copied. OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_program_add_symbol(oak_program *program, const oak_symbol *symbol);
OAK_MUST_USE oak_status oak_program_add_line(oak_program *program, const oak_line *line);
/* To be called once, after the last of them, before anything is looked up. */
OAK_MUST_USE oak_status oak_program_finish(oak_program *program);

/* The stretches of code memory that the source defines as data: the first at or behind the number *index, which moves on.
 * OAK_NOT_FOUND behind the last, and for programs without source. */
OAK_MUST_USE oak_status oak_program_next_data(const oak_program *program, size_t *index, uint32_t *address,
                                              uint32_t *size);

/* Source lines assembled. */
uint32_t oak_program_line_count(const oak_program *program);

/* Writes the listing: line, address, bytes, cycles, source; then the symbols. OAK_NOT_FOUND when the program has no
 * source. */
OAK_MUST_USE oak_status oak_program_write_listing(const oak_program *program, const oak_text_sink *out);

#ifdef __cplusplus
}
#endif
#endif
