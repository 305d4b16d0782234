/* tree_svd.h — a file in XML as a tree whose elements know their lines and columns: what part_svd.c makes registers of. */
#ifndef OAK_PART_TREE_SVD_H
#define OAK_PART_TREE_SVD_H

#include <oakspindle/diag.h>

#include "base/arena.h"

/* What a path may name, and lists of that. */
typedef enum svd_kind {
    SVD_OTHER,
    SVD_LIST,
    SVD_PERIPHERAL,
    SVD_CLUSTER,
    SVD_REGISTER,
    SVD_FIELD,
    SVD_VALUES
} svd_kind;

typedef struct svd_node {
    svd_kind kind;
    const char *name;
    const char *text;      /* without blanks at either end; blanks and line ends in a row are one blank */
    const char *derived;   /* what its attribute derivedFrom says, or NULL */
    uint32_t line, column; /* of the element, from 1 */
    uint32_t text_line, text_column; /* of its text */
    struct svd_node *parent, *first, *last, *next;
    struct svd_node *base; /* what it is derived from, once that is known */
    bool sought;           /* that has been looked for */
} svd_node;

/* Reads a file; all of the tree lives in the arena. OAK_REFUSED after a diagnostic, OAK_NOT_FOUND, OAK_IO_ERROR, OAK_NO_MEMORY. */
OAK_MUST_USE oak_status svd_read_tree(const oak_host *host, oak_arena *arena, const oak_diag_sink *sink,
                                      const char *path, svd_node **root);

#endif
