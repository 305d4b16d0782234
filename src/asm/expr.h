/* expr.h — expressions: one grammar for the assembler, stop conditions, watches and the command line.
 *
 *   ?:  ||  &&  |  ^  &  == !=  < <= > >=  << >>  + -  * / %  - ~ ! + low high
 *   length("text")  defined(name)  min(a, b)  max(a, b)
 *   numbers  'c'  names  $ .  ( )  cell.bit  space:address  space[address]  space[address:bytes]
 *
 * Parsing makes a tree in an arena. What names mean is asked of the owner, twice: when a name is met (`name`), and
 * when the value is wanted (`value_of`). Arithmetic is 64-bit two's complement. */
#ifndef OAK_ASM_EXPR_H
#define OAK_ASM_EXPR_H

#include "base/arena.h"
#include "isa/isa.h"

typedef enum oak_expr_kind {
    OAK_EXPR_NUMBER,
    OAK_EXPR_NAME,
    OAK_EXPR_HERE,
    OAK_EXPR_UNARY,
    OAK_EXPR_BINARY,
    OAK_EXPR_CHOICE, /* a ? b : c */
    OAK_EXPR_BIT,    /* cell.bit */
    OAK_EXPR_PLACED, /* space:address */
    OAK_EXPR_CELL    /* space[address:bytes]: the contents, known only while a program runs */
} oak_expr_kind;

typedef struct oak_expr oak_expr;
struct oak_expr {
    uint8_t kind;
    uint8_t op;           /* operator, see expr.c */
    uint8_t space;        /* of PLACED and CELL */
    uint16_t first, last; /* columns in the text, from 0 */
    union {
        int64_t number;
        void *name; /* the owner's */
        struct {
            const oak_expr *left, *right, *third;
        } of;
    } as;
};

typedef struct oak_expr_fault {
    const char *code;
    uint16_t first, last;
    bool needs_hex; /* a number that only lacks its 0x */
    char message[160];
    char hint[160];
} oak_expr_fault;

typedef struct oak_expr_parser {
    oak_arena *arena;
    const char *line; /* columns count from here */
    const char *at;   /* moves on as the expression is taken */
    const char *end;
    void *context;
    /* What a name stands for; NULL with *fault filled in when it may not stand here. */
    void *(*name)(void *context, const char *text, size_t length, oak_expr_fault *fault);
    /* The number of a space called so, or 0. */
    unsigned (*space)(void *context, const char *text, size_t length);
    /* Whether a name is defined, for defined(NAME); NULL where that cannot be asked. */
    bool (*defined)(void *context, const char *text, size_t length);
    const char
        *family; /* a word that stands before names of its own, with a point between: flag.c; or NULL */
    oak_expr_fault *fault;
    unsigned depth;
    unsigned links; /* operators in a row */
} oak_expr_parser;

/* Takes one expression. NULL after filling in parser->fault (code "out-of-memory" when memory ran out). */
const oak_expr *oak_expr_parse(oak_expr_parser *parser);

/* True for words that are operators of expressions: low, high. */
bool oak_expr_is_word(const char *text, size_t length);

/* One character of a constant or text, with its escapes: \n \t \r \0 \a \e \\ \x41. Returns how many bytes of source it
 * takes, 0 when it is wrong. */
size_t oak_read_character(const char *at, const char *end, uint8_t *value);

/* How values are found. */
typedef struct oak_expr_scope {
    void *context;
    /* OAK_REFUSED with *fault filled in, or OAK_OK with value->known false when it is not known yet. */
    oak_status (*value_of)(const struct oak_expr_scope *scope, const oak_expr *name, oak_value *value,
                           oak_expr_fault *fault);
    oak_status (*cell)(void *context, unsigned space, uint32_t address, unsigned bytes, oak_value *value);
    /* `cell.bit`: its address while assembling, what it holds while a program runs. */
    oak_status (*bit)(void *context, const oak_expr *cell, const oak_value *value, int64_t bit,
                      oak_value *result);
    oak_value here;
    const oak_architecture *about; /* its banks, pages and words; or NULL */
    bool in_address;               /* inside the brackets of space[address]: a variable means its address */
} oak_expr_scope;

/* Whether an operation between two numbers can go wrong, or asks what its operands are; and what comes of one that cannot. The right
 * number of one that has a single operand counts for nothing. */
bool oak_expr_is_plain(const oak_expr *expr);
/* `a && b`: 0 whenever a is. */
bool oak_expr_is_both(const oak_expr *expr);
int64_t oak_expr_plain(unsigned op, int64_t left, int64_t right);
/* The same for many at once: each of the left ones becomes the result. They may be the right ones, too. */
void oak_expr_plain_each(unsigned op, int64_t *lefts, const int64_t *rights, size_t count);

/* A number, and by how much it grows when a certain other one grows by 1. */
typedef struct oak_expr_sloped {
    int64_t at, slope;
} oak_expr_sloped;
/* So far that other one may go down and up, and every comparison that was made has the same result. */
typedef struct oak_expr_room {
    int64_t below, above;
} oak_expr_room;
/* What such an operator makes of two of them, `left` then holds. False where that is no straight line. */
bool oak_expr_slopes(unsigned op, oak_expr_sloped *left, const oak_expr_sloped *right, oak_expr_room *room);
/* Its bits from this one on stay as they are. */
bool oak_expr_bits_stay(const oak_expr_sloped *value, unsigned bit, oak_expr_room *room);
/* Whether it is 0 stays so. */
bool oak_expr_truth_stays(const oak_expr_sloped *value, oak_expr_room *room);

OAK_MUST_USE oak_status oak_expr_value(const oak_expr *expr, const oak_expr_scope *scope, oak_value *value,
                                       oak_expr_fault *fault);

#endif
