/* tree_yaml.h — a file in YAML as a tree whose nodes know their lines and columns. Nesting is bounded while it is read, so that no
 * file can keep the reader busy. */
#ifndef OAK_PART_TREE_YAML_H
#define OAK_PART_TREE_YAML_H

#include <stdint.h>

#include <yaml.h>

#include <oakspindle/status.h>

/* What is wrong, and where: counted from 1. message NULL: there is nothing in it. */
typedef struct oak_yaml_fault {
    const char *message;
    uint32_t line, column;
} oak_yaml_fault;

/* Reads the first document of a text; give it back with yaml_document_delete. OAK_REFUSED, with a fault that stays valid, also
 * for a text without anything in it; OAK_NO_MEMORY. */
OAK_MUST_USE oak_status oak_yaml_read(const uint8_t *bytes, size_t size, yaml_document_t *document,
                                      oak_yaml_fault *fault);

#endif
