/* expr_plain.h — the operators of expressions, and what comes of those that cannot go wrong: for loops that have them in their place. */
#ifndef OAK_ASM_EXPR_PLAIN_H
#define OAK_ASM_EXPR_PLAIN_H

#include <stdint.h>

#include "base/divide.h"

enum operator_number {
    OP_NONE,
    OP_OR_ELSE,
    OP_AND_THEN,
    OP_OR,
    OP_XOR,
    OP_AND,
    OP_EQUAL,
    OP_UNEQUAL,
    OP_LESS,
    OP_LESS_EQUAL,
    OP_GREATER,
    OP_GREATER_EQUAL,
    OP_LEFT,
    OP_RIGHT,
    OP_ADD,
    OP_SUBTRACT,
    OP_MULTIPLY,
    OP_DIVIDE,
    OP_REMAINDER,
    OP_NEGATE,
    OP_INVERT,
    OP_NOT,
    OP_PLUS,
    OP_LOW,
    OP_HIGH,
    OP_UPPER, /* bits 16 to 23 */
    OP_BANK,  /* which of the banks or pages of its space an address lies in */
    OP_PAGE,
    OP_BYTES, /* the byte an address of words begins at, and back */
    OP_WORDS,
    OP_UPPER_PART, /* what instructions take an address in */
    OP_LOWER_PART,
    OP_ADDRESS, /* of a variable: while a program runs its name means what is in it */
    OP_MIN,
    OP_MAX
};

/* X(operator, result): by `left` and `right`, and `a` and `b`, which are the same without a sign. */
#define OAK_EACH_PLAIN(X)                                                                                    \
    X(OP_OR_ELSE, left || right)                                                                             \
    X(OP_AND_THEN, left &&right)                                                                             \
    X(OP_OR, oak_wrapped(a | b))                                                                             \
    X(OP_XOR, oak_wrapped(a ^ b))                                                                            \
    X(OP_AND, oak_wrapped(a &b))                                                                             \
    X(OP_EQUAL, left == right)                                                                               \
    X(OP_UNEQUAL, left != right)                                                                             \
    X(OP_LESS, left < right)                                                                                 \
    X(OP_LESS_EQUAL, left <= right)                                                                          \
    X(OP_GREATER, left > right)                                                                              \
    X(OP_GREATER_EQUAL, left >= right)                                                                       \
    X(OP_LEFT, b > 63 ? 0 : oak_wrapped(a << b))                                                             \
    X(OP_RIGHT, b > 63 ? (left < 0 ? -1 : 0) : left < 0 ? oak_wrapped(~(~a >> b)) : oak_wrapped(a >> b))     \
    X(OP_ADD, oak_wrapped(a + b))                                                                            \
    X(OP_SUBTRACT, oak_wrapped(a - b))                                                                       \
    X(OP_MIN, left < right ? left : right)                                                                   \
    X(OP_MAX, left > right ? left : right)                                                                   \
    X(OP_MULTIPLY, oak_wrapped(a *b))                                                                        \
    X(OP_DIVIDE, oak_quotient(left, right))                                                                  \
    X(OP_REMAINDER, oak_rest(left, right))                                                                   \
    X(OP_NEGATE, oak_wrapped(0 - a))                                                                         \
    X(OP_INVERT, ~left)                                                                                      \
    X(OP_NOT, !left)                                                                                         \
    X(OP_LOW, left & 0xFF)                                                                                   \
    X(OP_HIGH, left >> 8 & 0xFF)                                                                             \
    X(OP_UPPER, left >> 16 & 0xFF)

#endif
