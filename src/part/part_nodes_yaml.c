/* part_nodes_yaml.c — members of a part file: texts, numbers, spaces, each with its place for a refusal. */
#include "base/bytes.h"
#include "part/part_builder.h"
#include "part/part_svd.h"

/* ------------------------------------------------------------------------------------------ nodes */

yaml_node_t *part_node_at(part_file *file, int index)
{
    return yaml_document_get_node(&file->document, index);
}

const char *part_scalar(const yaml_node_t *node)
{
    return node->type == YAML_SCALAR_NODE ? (const char *)node->data.scalar.value : NULL;
}

yaml_node_t *part_member(part_file *file, yaml_node_t *map, const char *key)
{
    for (yaml_node_pair_t *pair = map->data.mapping.pairs.start; pair < map->data.mapping.pairs.top; pair++) {
        const char *name = part_scalar(part_node_at(file, pair->key));
        if (name && oak_same(name, key)) return part_node_at(file, pair->value);
    }
    return NULL;
}

/* Reports every key of a mapping that is not in the list, and keys given twice. False: there is one that is not in the list, and it had
 * better not be told that something else is missing. */
bool part_check_keys(part_file *file, yaml_node_t *map, const char *what, const char *const *allowed)
{
    if (map->type != YAML_MAPPING_NODE) {
        REFUSE_AT(file, map, "part-shape", "Write it as `key: value` pairs.", "%s must be a mapping", what);
        return false;
    }
    bool all = true;
    for (yaml_node_pair_t *pair = map->data.mapping.pairs.start; pair < map->data.mapping.pairs.top; pair++) {
        yaml_node_t *node = part_node_at(file, pair->key);
        const char *name = part_scalar(node);
        const char *nearest = NULL;
        bool known = false;
        for (unsigned i = 0; name && allowed[i]; i++) known = known || oak_same(name, allowed[i]);
        unsigned least = 3;
        for (unsigned i = 0; !known && name && allowed[i]; i++) {
            unsigned apart = oak_name_distance(name, oak_length(name), allowed[i], oak_length(allowed[i]), 2);
            if (apart < least) least = apart, nearest = allowed[i];
        }
        all = all && known;
        char hint[80] = "";
        if (nearest) oak_format(hint, sizeof hint, "Did you mean `%s`?", nearest);
        if (!known)
            REFUSE_AT(file, node, "part-key", *hint ? hint : NULL, "%s has no key `%s`", what,
                      name ? name : "?");
        for (yaml_node_pair_t *other = map->data.mapping.pairs.start; known && other < pair; other++) {
            const char *before = part_scalar(part_node_at(file, other->key));
            if (before && oak_same(before, name))
                REFUSE_AT(file, node, "part-key", "Remove one of them.", "`%s` is given twice", name);
        }
    }
    return all;
}

const char *part_text_member(part_file *file, yaml_node_t *map, const char *key, bool needed)
{
    yaml_node_t *node = part_member(file, map, key);
    if (!node && !needed) return "";
    const char *text = node ? part_scalar(node) : NULL;
    if (!text || (needed && !*text)) {
        REFUSE_AT(file, node ? node : map, "part-value", NULL, "`%s` needs a text here", key);
        return NULL;
    }
    char *copy = oak_arena_text(&file->builder->box->arena, text, oak_length(text));
    if (!copy) file->builder->status = OAK_NO_MEMORY;
    return copy;
}

bool part_number_member(part_file *file, yaml_node_t *map, const char *key, bool needed, uint64_t otherwise,
                        uint64_t most, uint64_t *value)
{
    yaml_node_t *node = part_member(file, map, key);
    *value = otherwise;
    if (!node && !needed) return true;
    const char *text = node ? part_scalar(node) : NULL;
    size_t used = 0;
    if (!text || oak_read_number(text, text + oak_length(text), value, &used) || text[used]) {
        uint64_t factor = 1;
        if (text && used == 0 && oak_is_digit(*text)) used = 0;
        /* sizes may carry a unit: 8KiB, 1MiB */
        size_t digits = 0;
        while (text && oak_is_digit(text[digits])) digits++;
        const char *unit = text ? text + digits : "";
        while (*unit == ' ') unit++;
        if (digits && digits < 8 && oak_same(unit, "KiB")) factor = 1024;
        if (digits && digits < 8 && oak_same(unit, "MiB")) factor = 1048576;
        if (factor == 1) {
            REFUSE_AT(file, node ? node : map, "part-value", "Numbers: 128, 0x80, 80h, 8KiB.",
                      "`%s` needs a number here", key);
            return false;
        }
        *value = 0;
        for (size_t i = 0; i < digits; i++) *value = *value * 10 + (unsigned)(text[i] - '0');
        *value *= factor;
    }
    if (*value <= most) return true;
    REFUSE_AT(file, node ? node : map, "part-value", NULL, "`%s` is %llu, at most %llu is possible", key,
              (unsigned long long)*value, (unsigned long long)most);
    return false;
}

bool part_space_member(part_file *file, yaml_node_t *map, const char *otherwise, uint8_t *space)
{
    yaml_node_t *node = part_member(file, map, "space");
    const char *name = node ? part_scalar(node) : otherwise;
    unsigned found = name ? oak_part_find_space(&file->builder->box->part, name, oak_length(name)) : 0;
    *space = (uint8_t)found;
    if (found) return true;
    REFUSE_AT(file, node ? node : map, "part-value", NULL, "architecture %s has no space `%s`",
              file->builder->box->part.architecture->name, name ? name : "?");
    return false;
}
