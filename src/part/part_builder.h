/* part_builder.h — a part while its files are read, between the files that do. */
#ifndef OAK_PART_PART_BUILDER_H
#define OAK_PART_PART_BUILDER_H

#include <oakspindle/part.h>
#include <oakspindle/print.h>

#include "base/arena.h"
#include "base/diag.h"
#include "part/tree_yaml.h"

enum { MOST_NESTING = 8, LARGEST_FILE = 1 << 20, MOST_ITEMS = 4096, MOST_LINES = 240 };

/* A part with the arena that holds all of it. */
typedef struct part_box {
    oak_part part;
    oak_host host;
    oak_arena arena;
} part_box;

/* Lists grow here and are copied to the arena at the end. */
typedef struct part_builder {
    const oak_host *host;
    const oak_diag_sink *sink;
    oak_part_shelf shelf;
    part_box *box;
    oak_part_memory *memories;
    oak_part_register *registers;
    oak_part_port *ports;
    oak_part_vector *vectors;
    oak_part_feature *features;
    oak_part_block *blocks;
    size_t block_count_room;
    size_t memory_room, register_room, port_room, vector_room, feature_room;
    oak_status status; /* the first failure that is not a refusal */
    bool refused;
} part_builder;

typedef struct part_file {
    part_builder *builder;
    const char *path;
    yaml_document_t document;
} part_file;

#define REFUSE_AT(file, node, code, hint, ...)                                                               \
    do {                                                                                                     \
        if ((file)->builder->status) break; /* there was no memory, and what is missing follows from that */ \
        (file)->builder->refused = true;                                                                     \
        oak_refuse((file)->builder->sink, code, (file)->path, (uint32_t)(node)->start_mark.line + 1,         \
                   (uint32_t)(node)->start_mark.column + 1, hint, __VA_ARGS__);                              \
    } while (0)

/* part_nodes_yaml.c */
yaml_node_t *part_node_at(part_file *file, int index);
const char *part_scalar(const yaml_node_t *node);
yaml_node_t *part_member(part_file *file, yaml_node_t *map, const char *key);
bool part_check_keys(part_file *file, yaml_node_t *map, const char *what, const char *const *allowed);
const char *part_text_member(part_file *file, yaml_node_t *map, const char *key, bool needed);
bool part_number_member(part_file *file, yaml_node_t *map, const char *key, bool needed, uint64_t otherwise,
                        uint64_t most, uint64_t *value);
bool part_space_member(part_file *file, yaml_node_t *map, const char *otherwise, uint8_t *space);

/* part_pieces_yaml.c */
void part_add_memory(part_file *file, yaml_node_t *map);
bool part_read_fields(part_file *file, yaml_node_t *map, oak_part_register *reg);
/* Once all memories are there: what stands beside the rows of chips is one of them, and as many cells for each row. */
void part_check_chips(part_file *file, yaml_node_t *root);
const char *part_usual_space(const part_file *file);
bool part_access_member(part_file *file, yaml_node_t *map, oak_part_register *reg);
void part_add_register(part_file *file, yaml_node_t *map);
/* What to do about two at one address, said at an item or at an import. */
const char *part_overlap_hint(const yaml_node_t *node);
void part_insert_register(part_file *file, yaml_node_t *map, const oak_part_register *added);
void part_add_port(part_file *file, yaml_node_t *map);
/* Adds a port, or takes the place of the one that has its name; its number, or -1 when that cannot be. */
int part_put_port(part_file *file, yaml_node_t *map, const oak_part_port *port);

/* part_blocks_yaml.c */
void part_add_block(part_file *file, yaml_node_t *map);
void part_read_interrupts(part_file *file, yaml_node_t *map);
void part_import_registers(part_file *file, yaml_node_t *root);
void part_add_vector(part_file *file, yaml_node_t *map);
void part_add_feature(part_file *file, yaml_node_t *map);
void part_each_item(part_file *file, yaml_node_t *root, const char *key,
                    void (*add)(part_file *, yaml_node_t *));

#endif
