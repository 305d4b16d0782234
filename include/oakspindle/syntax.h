/* syntax.h — what the words of a source line are, whether the line is right or not: for editors, and for whoever goes through sources. */
#ifndef OAKSPINDLE_SYNTAX_H
#define OAKSPINDLE_SYNTAX_H

#include <oakspindle/part.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef enum oak_word_kind {
    OAK_WORD_LABEL,     /* defined here, without its colon */
    OAK_WORD_CONSTANT,  /* defined here by equ, set or bit */
    OAK_WORD_MACRO,     /* defined here */
    OAK_WORD_OPERATION, /* a mnemonic */
    OAK_WORD_DIRECTIVE,
    OAK_WORD_CALL, /* where an operation stands, and none that is known: a macro, or a mistake */
    OAK_WORD_NAME, /* of a symbol, or whatever else nobody knows */
    OAK_WORD_REGISTER,
    OAK_WORD_PART,    /* a register, bit or vector of the part, or what configures it */
    OAK_WORD_SECTION, /* behind the directive */
    OAK_WORD_NUMBER,
    OAK_WORD_TEXT,
    OAK_WORD_COMMENT
} oak_word_kind;

typedef struct oak_word {
    uint32_t at, length; /* in bytes, from the beginning of the line */
    uint8_t kind;        /* oak_word_kind */
} oak_word;

typedef struct oak_syntax oak_syntax;
/* The language of a part. The host and the part must outlive it. OAK_UNSUPPORTED, OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_syntax_open(const oak_host *host, const oak_part *part, oak_syntax **syntax);
/* NULL is allowed. */
void oak_syntax_close(oak_syntax *syntax);
/* The words of a line of `size` bytes (without its end), from the left, at most `room`; how many there are. What stands between them are marks
 * and blanks. */
size_t oak_syntax_words(const oak_syntax *syntax, const char *line, size_t size, oak_word *words,
                        size_t room);
/* Lays a line out: labels and names that are defined in the first column, operations from column 9 on, operands from column 14, a comment behind them
 * from column 33. Operands and comments stay as they are, and so does a line that would mean something else. As much of it as fits into `room` bytes, without an
 * end; how long it is. */
size_t oak_syntax_tidy(const oak_syntax *syntax, const char *line, size_t size, char *tidy, size_t room);
/* Its mnemonics, and its directives, from 0; NULL after the last. */
const char *oak_syntax_mnemonic(const oak_syntax *syntax, unsigned index);
const char *oak_syntax_directive(const oak_syntax *syntax, unsigned index);

#ifdef __cplusplus
}
#endif
#endif
