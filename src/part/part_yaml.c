/* part_yaml.c — reads a part file. The schema is described in docs/part-files.md.
 *
 * libyaml's document tree is used directly, because every node carries its line and column and every fault of a part
 * file is reported there. */
#include <oakspindle/part.h>

#include "base/arena.h"
#include "base/bytes.h"
#include "base/diag.h"
#include "part/part_svd.h"
#include "part/tree_yaml.h"
#include <oakspindle/print.h>

enum { MOST_NESTING = 8, LARGEST_FILE = 1 << 20, MOST_ITEMS = 4096 };

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
    const char *folder; /* where else parts that are extended may lie */
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

/* ------------------------------------------------------------------------------------------ nodes */

static yaml_node_t *node_at(part_file *file, int index)
{
    return yaml_document_get_node(&file->document, index);
}

static const char *scalar(const yaml_node_t *node)
{
    return node->type == YAML_SCALAR_NODE ? (const char *)node->data.scalar.value : NULL;
}

static yaml_node_t *member(part_file *file, yaml_node_t *map, const char *key)
{
    for (yaml_node_pair_t *pair = map->data.mapping.pairs.start; pair < map->data.mapping.pairs.top; pair++) {
        const char *name = scalar(node_at(file, pair->key));
        if (name && oak_same(name, key)) return node_at(file, pair->value);
    }
    return NULL;
}

/* Reports every key of a mapping that is not in the list, and keys given twice. */
static bool check_keys(part_file *file, yaml_node_t *map, const char *what, const char *const *allowed)
{
    if (map->type != YAML_MAPPING_NODE) {
        REFUSE_AT(file, map, "part-shape", "Write it as `key: value` pairs.", "%s must be a mapping", what);
        return false;
    }
    for (yaml_node_pair_t *pair = map->data.mapping.pairs.start; pair < map->data.mapping.pairs.top; pair++) {
        yaml_node_t *node = node_at(file, pair->key);
        const char *name = scalar(node);
        const char *nearest = NULL;
        bool known = false;
        for (unsigned i = 0; name && allowed[i]; i++) known = known || oak_same(name, allowed[i]);
        for (unsigned i = 0; !known && name && allowed[i]; i++)
            if (oak_name_distance(name, oak_length(name), allowed[i], oak_length(allowed[i]), 2) <= 2)
                nearest = allowed[i];
        char hint[80] = "";
        if (nearest) oak_format(hint, sizeof hint, "Did you mean `%s`?", nearest);
        if (!known)
            REFUSE_AT(file, node, "part-key", *hint ? hint : NULL, "%s has no key `%s`", what,
                      name ? name : "?");
        for (yaml_node_pair_t *other = map->data.mapping.pairs.start; known && other < pair; other++) {
            const char *before = scalar(node_at(file, other->key));
            if (before && oak_same(before, name))
                REFUSE_AT(file, node, "part-key", "Remove one of them.", "`%s` is given twice", name);
        }
    }
    return true;
}

static const char *text_member(part_file *file, yaml_node_t *map, const char *key, bool needed)
{
    yaml_node_t *node = member(file, map, key);
    if (!node && !needed) return "";
    const char *text = node ? scalar(node) : NULL;
    if (!text || (needed && !*text)) {
        REFUSE_AT(file, node ? node : map, "part-value", NULL, "`%s` needs a text here", key);
        return NULL;
    }
    char *copy = oak_arena_text(&file->builder->box->arena, text, oak_length(text));
    if (!copy) file->builder->status = OAK_NO_MEMORY;
    return copy;
}

static bool number_member(part_file *file, yaml_node_t *map, const char *key, bool needed, uint64_t otherwise,
                          uint64_t most, uint64_t *value)
{
    yaml_node_t *node = member(file, map, key);
    *value = otherwise;
    if (!node && !needed) return true;
    const char *text = node ? scalar(node) : NULL;
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

static bool space_member(part_file *file, yaml_node_t *map, const char *otherwise, uint8_t *space)
{
    yaml_node_t *node = member(file, map, "space");
    const char *name = node ? scalar(node) : otherwise;
    unsigned found = name ? oak_part_find_space(&file->builder->box->part, name, oak_length(name)) : 0;
    *space = (uint8_t)found;
    if (found) return true;
    REFUSE_AT(file, node ? node : map, "part-value", NULL, "architecture %s has no space `%s`",
              file->builder->box->part.architecture->name, name ? name : "?");
    return false;
}

/* ------------------------------------------------------------------------------------------ pieces of a part */

static void add_memory(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"name",       "space",  "kind",  "at", "size",
                                       "first-free", "loaded", "title", NULL};
    part_builder *b = file->builder;
    oak_part_memory memory = {0};
    uint64_t base, size, first_free;
    if (!check_keys(file, map, "a memory", keys) || !space_member(file, map, NULL, &memory.space)) return;
    if (!number_member(file, map, "at", false, 0, UINT32_MAX, &base)) return;
    if (!number_member(file, map, "size", true, 0, UINT32_MAX, &size)) return;
    if (!number_member(file, map, "first-free", false, base, UINT32_MAX, &first_free)) return;
    memory.first_free = (uint32_t)first_free;
    const char *loaded = member(file, map, "loaded") ? text_member(file, map, "loaded", true) : "no";
    memory.loaded = loaded && oak_same(loaded, "yes");
    if (loaded && !memory.loaded && !oak_same(loaded, "no")) {
        REFUSE_AT(file, member(file, map, "loaded"), "part-value", "Write yes or no.", "`%s` is neither",
                  loaded);
        return;
    }
    const char *kind = text_member(file, map, "kind", true);
    memory.title = text_member(file, map, "title", false);
    memory.name = member(file, map, "name") ? text_member(file, map, "name", true)
                                            : b->box->part.architecture->spaces[memory.space].name;
    if (!kind || !memory.title || !memory.name) return;
    if (!oak_same(kind, "rom") && !oak_same(kind, "ram")) {
        REFUSE_AT(file, member(file, map, "kind"), "part-value", "Write rom or ram.",
                  "no memory is of kind `%s`", kind);
        return;
    }
    const oak_architecture *about = b->box->part.architecture;
    const oak_space_info *space = &about->spaces[memory.space];
    if ((space->special && !space->takes_memory) || space->of_bits) {
        REFUSE_AT(file, map, "part-value", "Registers are listed under `registers`.",
                  "`%s` (%s) holds no memory", space->name, space->title);
        return;
    }
    if (!size || base + size > space->end) {
        REFUSE_AT(file, map, "part-value", NULL,
                  size ? "this memory ends behind the last address of `%s`, 0x%llx"
                       : "this memory has no bytes",
                  space->name, (unsigned long long)(space->end - 1));
        return;
    }
    if (size > OAK_LARGEST_MEMORY) {
        REFUSE_AT(file, map, "part-value", "List the part of it that the program uses.",
                  "this memory has %llu bytes; the simulator keeps at most %llu of each",
                  (unsigned long long)size, (unsigned long long)OAK_LARGEST_MEMORY);
        return;
    }
    if (base % about->word_bytes || size % about->word_bytes) {
        REFUSE_AT(file, map, "part-value", NULL, "a memory of %s begins and ends at a multiple of %u",
                  about->name, about->word_bytes);
        return;
    }
    if (first_free < base || first_free > base + size) {
        REFUSE_AT(file, map, "part-value", NULL, "`first-free` lies outside of this memory");
        return;
    }
    memory.writable = oak_same(kind, "ram");
    if (memory.loaded && (!memory.writable || memory.space != about->code_space)) {
        REFUSE_AT(file, map, "part-value", "Leave `loaded` out.",
                  memory.writable ? "only memory that code can lie in is loaded"
                                  : "what is read only is filled anyway");
        return;
    }
    memory.base = (uint32_t)base;
    memory.size = (uint32_t)size;
    oak_part *part = &b->box->part;
    for (unsigned i = 0; i < part->memory_count; i++) {
        oak_part_memory *other = &b->memories[i];
        bool same_space = other->space == memory.space, same_base = same_space && other->base == memory.base;
        if (same_base) { /* a part replaces a memory of the part it extends */
            *other = memory;
            return;
        }
        if (same_space && base < (uint64_t)other->base + other->size && other->base < base + size) {
            REFUSE_AT(file, map, "part-overlap", "Move one of them or make it smaller.",
                      "this memory overlaps the one at 0x%x", (unsigned)other->base);
            return;
        }
    }
    oak_part_memory *grown =
        oak_grow(b->host, b->memories, &b->memory_room, part->memory_count + 1u, sizeof *grown);
    if (!grown) {
        b->status = OAK_NO_MEMORY;
        return;
    }
    b->memories = grown;
    grown[part->memory_count++] = memory;
}

/* A field is written `NAME: 7 what it does` or `NAME: 5-4 what it does`. */
static bool read_field(part_file *file, yaml_node_t *key, yaml_node_t *value, unsigned bits,
                       oak_part_field *field)
{
    const char *name = scalar(key), *text = scalar(value);
    unsigned high = 0, low;
    const char *p = text;
    bool good = name && *name && p && oak_is_digit(*p);
    while (good && oak_is_digit(*p) && high < 100) high = high * 10 + (unsigned)(*p++ - '0');
    low = high;
    if (good && *p == '-') {
        p++;
        good = oak_is_digit(*p);
        for (low = 0; good && oak_is_digit(*p) && low < 100; p++) low = low * 10 + (unsigned)(*p - '0');
    }
    if (!good || (*p && *p != ' ') || high >= bits || low > high) {
        REFUSE_AT(file, value, "part-value",
                  "Write `NAME: 7 what it does`, or `NAME: 5-4 …` for a field, highest bit first.",
                  "this is no bit of a register of %u bits", bits);
        return false;
    }
    while (*p == ' ') p++;
    oak_arena *arena = &file->builder->box->arena;
    *field = (oak_part_field){.name = oak_arena_text(arena, name, oak_length(name)),
                              .bit = (uint8_t)low,
                              .width = (uint8_t)(high - low + 1),
                              .title = oak_arena_text(arena, p, oak_length(p))};
    if (!field->name || !field->title) file->builder->status = OAK_NO_MEMORY;
    return field->name && field->title;
}

static bool read_fields(part_file *file, yaml_node_t *map, oak_part_register *reg)
{
    if (map->type != YAML_MAPPING_NODE) {
        REFUSE_AT(file, map, "part-shape", NULL, "`bits` must be a mapping of names to bit numbers");
        return false;
    }
    size_t count = (size_t)(map->data.mapping.pairs.top - map->data.mapping.pairs.start);
    oak_part_field *fields = oak_arena_zero(&file->builder->box->arena, count * sizeof *fields);
    if (!fields) {
        file->builder->status = OAK_NO_MEMORY;
        return false;
    }
    unsigned filled = 0;
    for (size_t i = 0; i < count; i++) {
        yaml_node_pair_t *pair = map->data.mapping.pairs.start + i;
        oak_part_field field;
        if (!read_field(file, node_at(file, pair->key), node_at(file, pair->value), reg->bits, &field))
            return false;
        unsigned at = filled++;
        for (; at && fields[at - 1].bit < field.bit; at--) fields[at] = fields[at - 1];
        fields[at] = field;
    }
    for (unsigned i = 1; i < filled; i++) {
        if (fields[i].bit + fields[i].width <= fields[i - 1].bit) continue;
        REFUSE_AT(file, map, "part-overlap", NULL, "`%s` and `%s` share a bit", fields[i - 1].name,
                  fields[i].name);
        return false;
    }
    reg->fields = fields;
    reg->field_count = filled;
    return true;
}

/* Where special registers lie when nothing is said: in the space for them, or in the only one. */
static const char *usual_space(const part_file *file)
{
    const oak_architecture *about = file->builder->box->part.architecture;
    for (unsigned i = 1; i < about->space_count; i++)
        if (about->spaces[i].special) return about->spaces[i].name;
    return about->spaces[about->code_space].name;
}

/* `access: read` or `access: both`. */
static bool access_member(part_file *file, yaml_node_t *map, oak_part_register *reg)
{
    yaml_node_t *node = member(file, map, "access");
    const char *word = node && scalar(node) ? scalar(node) : "both";
    reg->read_only = oak_same(word, "read");
    if (reg->read_only || oak_same(word, "both")) return true;
    REFUSE_AT(file, node, "part-value", "Write `access: read` or leave it out.", "`%s` is no access", word);
    return false;
}

static void insert_register(part_file *file, yaml_node_t *map, const oak_part_register *added);

static void add_register(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"name",   "space", "at",   "reset", "size",
                                       "access", "title", "bits", NULL};
    oak_part_register reg = {0};
    uint64_t address, reset, size, widest = 8u * file->builder->box->part.architecture->word_bytes;
    if (!check_keys(file, map, "a register", keys) || !space_member(file, map, usual_space(file), &reg.space))
        return;
    if (!number_member(file, map, "at", true, 0, UINT32_MAX, &address)) return;
    if (!number_member(file, map, "size", false, widest, 32, &size)) return;
    reg.bits = (uint8_t)size;
    if (!number_member(file, map, "reset", false, 0, ((uint64_t)1 << size) - 1, &reset)) return;
    reg.name = text_member(file, map, "name", true);
    reg.title = text_member(file, map, "title", false);
    if (!reg.name || !reg.title) return;
    const oak_space_info *space = &file->builder->box->part.architecture->spaces[reg.space];
    if (address < space->first || address + (size + 7) / 8 > space->end) {
        REFUSE_AT(file, map, "part-value", NULL,
                  "`%s` has addresses 0x%x to 0x%llx: register `%s` is not among them", space->name,
                  (unsigned)space->first, (unsigned long long)(space->end - 1), reg.name);
        return;
    }
    reg.address = (uint32_t)address;
    reg.reset = (uint32_t)reset;
    if (!access_member(file, map, &reg)) return;
    yaml_node_t *fields = member(file, map, "bits");
    if (fields && !read_fields(file, fields, &reg)) return;
    insert_register(file, map, &reg);
}

static void insert_register(part_file *file, yaml_node_t *map, const oak_part_register *added)
{
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    oak_part_register reg = *added;
    unsigned at = part->register_count;
    for (unsigned i = 0; i < part->register_count; i++) {
        oak_part_register *other = &b->registers[i];
        if (oak_same_name(other->name, oak_length(other->name), reg.name)) {
            *other = reg;
            return;
        }
        if (other->space == reg.space && other->address == reg.address) {
            REFUSE_AT(file, map, "part-overlap", "Give one of them another address.",
                      "registers `%s` and `%s` are both at 0x%02x", other->name, reg.name,
                      (unsigned)reg.address);
            return;
        }
        bool after = other->space > reg.space || (other->space == reg.space && other->address > reg.address);
        if (after && at == part->register_count) at = i;
    }
    oak_part_register *grown =
        oak_grow(b->host, b->registers, &b->register_room, part->register_count + 1u, sizeof *grown);
    if (!grown) {
        b->status = OAK_NO_MEMORY;
        return;
    }
    b->registers = grown;
    memmove(grown + at + 1, grown + at, (part->register_count - at) * sizeof *grown);
    grown[at] = reg;
    part->register_count++;
}

static void add_port(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"name", "register", "stage", "title", "pins", NULL};
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    oak_part_port port = {0};
    if (!check_keys(file, map, "a port", keys)) return;
    port.name = text_member(file, map, "name", true);
    port.title = text_member(file, map, "title", false);
    const char *name = text_member(file, map, "register", true),
               *stage = text_member(file, map, "stage", true);
    if (!port.name || !port.title || !name || !stage) return;
    const oak_part_register *reg = NULL;
    for (unsigned i = 0; i < part->register_count; i++)
        if (oak_same_name(name, oak_length(name), b->registers[i].name)) reg = &b->registers[i];
    if (!reg) {
        REFUSE_AT(file, member(file, map, "register"), "part-value",
                  "List the register under `registers` first.", "there is no register `%s`", name);
        return;
    }
    port.address = reg->address;
    port.space = reg->space;
    if (oak_same(stage, "push-pull")) port.stage = OAK_PUSH_PULL;
    else if (oak_same(stage, "open-drain")) port.stage = OAK_OPEN_DRAIN;
    else if (oak_same(stage, "quasi-bidirectional")) port.stage = OAK_QUASI;
    else {
        REFUSE_AT(file, member(file, map, "stage"), "part-value",
                  "Stages: push-pull, open-drain, quasi-bidirectional.", "no output stage is called `%s`",
                  stage);
        return;
    }
    yaml_node_t *pins = member(file, map, "pins");
    size_t count = pins && pins->type == YAML_SEQUENCE_NODE
                       ? (size_t)(pins->data.sequence.items.top - pins->data.sequence.items.start)
                       : 0;
    if (!count || count > reg->bits) {
        REFUSE_AT(file, pins ? pins : map, "part-value",
                  "List the other function of each pin, or - for none, from bit 0 up.",
                  "`pins` needs 1 to %u entries", reg->bits);
        return;
    }
    port.pin_count = (uint8_t)count;
    for (size_t i = 0; i < count; i++) {
        const char *other = scalar(node_at(file, pins->data.sequence.items.start[i]));
        if (!other || oak_same(other, "-") || !*other) continue;
        port.alternate[i] = oak_arena_text(&b->box->arena, other, oak_length(other));
        if (!port.alternate[i]) b->status = OAK_NO_MEMORY;
    }
    for (unsigned i = 0; i < part->port_count; i++) {
        if (!oak_same_name(port.name, oak_length(port.name), b->ports[i].name)) continue;
        b->ports[i] = port;
        return;
    }
    if (part->port_count == OAK_MOST_PORTS) {
        REFUSE_AT(file, map, "part-value", NULL, "a part has at most %u ports", OAK_MOST_PORTS);
        return;
    }
    oak_part_port *grown = oak_grow(b->host, b->ports, &b->port_room, part->port_count + 1u, sizeof *grown);
    if (!grown) {
        b->status = OAK_NO_MEMORY;
        return;
    }
    b->ports = grown;
    grown[part->port_count++] = port;
}

/* ------------------------------------------------------------------------------------------ blocks */

/* "run" or "run compare": the role of a register as a whole, or of one of its bits. */
static bool add_role(part_file *file, yaml_node_t *at, oak_part_block *block, oak_part_role *roles,
                     const char *name, uint32_t address, unsigned bit, unsigned width)
{
    int role = oak_block_role(block->kind, name);
    if (role < 0 || block->role_count == OAK_MOST_ROLES) {
        char known[300] = "";
        const char *other;
        for (unsigned i = 0; (other = oak_block_role_name(block->kind, i)); i++) {
            char before[sizeof known];
            memcpy(before, known, sizeof known);
            oak_format(known, sizeof known, "%s%s%s", before, i ? ", " : "", other);
        }
        char hint[340];
        oak_format(hint, sizeof hint, "Roles: %s.", known);
        REFUSE_AT(file, at, "part-role", hint, "a %s has no role `%s`", oak_block_kind_name(block->kind),
                  name);
        return false;
    }
    for (unsigned i = 0; i < block->role_count; i++) {
        bool same = roles[i].address == address && roles[i].bit == bit; /* said again, as `like` does */
        if (roles[i].role != role || same) continue;
        REFUSE_AT(file, at, "part-role", "One register, or one field, has a role.",
                  "block `%s` has the role `%s` already", block->name, name);
        return false;
    }
    roles[block->role_count++] = (oak_part_role){address, (uint8_t)role, (uint8_t)bit, (uint8_t)width};
    return true;
}

/* does: {EN: run, PS: prescale} — the roles of fields. */
static bool read_field_roles(part_file *file, yaml_node_t *map, const oak_part_register *reg,
                             oak_part_block *block, oak_part_role *roles)
{
    if (map->type != YAML_MAPPING_NODE) {
        REFUSE_AT(file, map, "part-shape", "Write `does: {EN: run}`.",
                  "`does` must be a mapping of bits to roles");
        return false;
    }
    for (yaml_node_pair_t *pair = map->data.mapping.pairs.start; pair < map->data.mapping.pairs.top; pair++) {
        const char *name = scalar(node_at(file, pair->key)), *role = scalar(node_at(file, pair->value));
        const oak_part_field *field = NULL;
        for (unsigned i = 0; name && i < reg->field_count; i++)
            if (oak_same_name(name, oak_length(name), reg->fields[i].name)) field = &reg->fields[i];
        if (!field || !role) {
            REFUSE_AT(file, node_at(file, pair->key), "part-role", "List the bit under `bits` first.",
                      "register `%s` has no bit `%s`", reg->name, name ? name : "?");
            return false;
        }
        if (!add_role(file, node_at(file, pair->value), block, roles, role, reg->address, field->bit,
                      field->width))
            return false;
    }
    return true;
}

static const oak_part_register *find_built(const part_builder *b, const char *name)
{
    for (unsigned i = 0; name && i < b->box->part.register_count; i++)
        if (oak_same_name(name, oak_length(name), b->registers[i].name)) return &b->registers[i];
    return NULL;
}

static void add_block_register(part_file *file, yaml_node_t *map, oak_part_block *block, oak_part_role *roles)
{
    static const char *const keys[] = {"name", "offset", "register", "reset",  "size", "title",
                                       "bits", "role",   "does",     "access", NULL};
    part_builder *b = file->builder;
    oak_part_register reg = {.space = block->space};
    uint64_t offset, reset, size;
    if (!check_keys(file, map, "a register of a block", keys)) return;
    yaml_node_t *existing = member(file, map, "register");
    if (existing) {
        const oak_part_register *found = find_built(b, scalar(existing));
        if (!found) {
            REFUSE_AT(file, existing, "part-value", "It must be listed or imported before the block.",
                      "there is no register `%s`", scalar(existing) ? scalar(existing) : "?");
            return;
        }
        reg = *found;
    } else {
        char name[120];
        if (!number_member(file, map, "offset", true, 0, UINT32_MAX - block->base, &offset)) return;
        if (!number_member(file, map, "size", false, 32, 32, &size)) return;
        if (!number_member(file, map, "reset", false, 0, ((uint64_t)1 << size) - 1, &reset)) return;
        const char *own = text_member(file, map, "name", true);
        reg.title = text_member(file, map, "title", false);
        if (!own || !reg.title) return;
        oak_format(name, sizeof name, "%s_%s", block->name, own);
        reg.name = oak_arena_text(&b->box->arena, name, oak_length(name));
        reg.bits = (uint8_t)size;
        reg.address = block->base + (uint32_t)offset;
        reg.reset = (uint32_t)reset;
        if (!access_member(file, map, &reg)) return;
        yaml_node_t *fields = member(file, map, "bits");
        if (!reg.name) b->status = OAK_NO_MEMORY;
        if (!reg.name || (fields && !read_fields(file, fields, &reg))) return;
        insert_register(file, map, &reg);
    }
    yaml_node_t *role = member(file, map, "role"), *does = member(file, map, "does");
    if (role && scalar(role)) add_role(file, role, block, roles, scalar(role), reg.address, 0, reg.bits);
    if (does) read_field_roles(file, does, &reg, block, roles);
}

/* A block like another one, somewhere else: its registers under the new name. */
static void copy_block(part_file *file, yaml_node_t *map, const oak_part_block *from, oak_part_block *block,
                       oak_part_role *roles)
{
    part_builder *b = file->builder;
    size_t prefix = oak_length(from->name);
    for (unsigned i = 0; i < b->box->part.register_count && !b->status; i++) {
        oak_part_register reg = b->registers[i];
        if (oak_length(reg.name) <= prefix || !oak_same_name(reg.name, prefix, from->name) ||
            reg.name[prefix] != '_' || reg.address < from->base)
            continue;
        bool own = false; /* of this block, and not of one whose name begins alike */
        for (unsigned k = 0; k < from->role_count; k++) own = own || from->roles[k].address == reg.address;
        if (!own) continue;
        char name[120];
        oak_format(name, sizeof name, "%s%s", block->name, reg.name + prefix);
        reg.name = oak_arena_text(&b->box->arena, name, oak_length(name));
        reg.address = reg.address - from->base + block->base;
        if (!reg.name) b->status = OAK_NO_MEMORY;
        else if (!find_built(b, reg.name)) insert_register(file, map, &reg);
    }
    block->role_count = from->role_count;
    for (unsigned i = 0; i < from->role_count; i++) {
        roles[i] = from->roles[i];
        roles[i].address = roles[i].address - from->base + block->base;
    }
}

static uint16_t pin_member(part_file *file, yaml_node_t *map, const char *key)
{
    yaml_node_t *node = member(file, map, key);
    if (!node) return OAK_NO_PIN;
    oak_part part = file->builder->box->part;
    part.ports = file->builder->ports;
    unsigned pin;
    const char *text = scalar(node);
    if (text && oak_part_find_pin(&part, text, oak_length(text), &pin)) return (uint16_t)pin;
    REFUSE_AT(file, node, "part-value", "Write it like pa.5; the port comes before.",
              "`%s` is no pin of this part", text ? text : "?");
    return OAK_NO_PIN;
}

/* The port of a block of kind port. */
static void add_block_port(part_file *file, yaml_node_t *map, oak_part_block *block,
                           const oak_part_role *roles)
{
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    oak_part_port port = {
        .space = block->space, .title = block->title, .has_block = true, .stage = OAK_PUSH_PULL};
    uint64_t pins;
    if (!number_member(file, map, "pins", true, 0, OAK_MOST_PINS, &pins)) return;
    port.pin_count = (uint8_t)pins;
    char *name = oak_arena_text(&b->box->arena, block->name, oak_length(block->name));
    if (!name) {
        b->status = OAK_NO_MEMORY;
        return;
    }
    for (char *p = name; *p; p++) *p = oak_lower(*p);
    port.name = name;
    port.address = UINT32_MAX;
    for (unsigned i = 0; i < block->role_count; i++)
        if (oak_same(oak_block_role_name(block->kind, roles[i].role), "input"))
            port.address = roles[i].address;
    for (unsigned i = 0; i < part->port_count; i++) {
        if (!oak_same(b->ports[i].name, name)) continue;
        b->ports[i] = port;
        block->pin = (uint16_t)i;
        return;
    }
    if (part->port_count == OAK_MOST_PORTS) {
        REFUSE_AT(file, map, "part-value", NULL, "a part has at most %u ports", OAK_MOST_PORTS);
        return;
    }
    oak_part_port *grown = oak_grow(b->host, b->ports, &b->port_room, part->port_count + 1u, sizeof *grown);
    if (!grown) {
        b->status = OAK_NO_MEMORY;
        return;
    }
    b->ports = grown;
    block->pin = (uint16_t)part->port_count;
    grown[part->port_count++] = port;
}

/* interrupts: [1, 3] — the lines of a kind that has two. */
static void read_lines(part_file *file, yaml_node_t *map, oak_part_block *block)
{
    yaml_node_t *list = member(file, map, "interrupts");
    if (!list) return;
    uint64_t line[2] = {OAK_NO_LINE, OAK_NO_LINE};
    size_t count = 0;
    bool good = list->type == YAML_SEQUENCE_NODE;
    for (yaml_node_item_t *item = good ? list->data.sequence.items.start : NULL;
         good && item < list->data.sequence.items.top; item++) {
        const char *text = scalar(node_at(file, *item));
        size_t used = 0, length = text ? oak_length(text) : 0;
        good = count < 2 && length && !oak_read_number(text, text + length, &line[count], &used) &&
               used == length && line[count] < OAK_NO_LINE;
        count++;
    }
    if (!good || count != 2) {
        REFUSE_AT(file, list, "part-value", "Write `interrupts: [1, 3]`.",
                  "`interrupts` of a block are the numbers of its two lines");
        return;
    }
    block->interrupt = (uint16_t)line[0];
    block->second_interrupt = (uint16_t)line[1];
}

/* uses: {receive: p3.0, send: p3.1} — the pins of a block. */
static void read_uses(part_file *file, yaml_node_t *map, oak_part_block *block)
{
    for (unsigned use = 0; use < OAK_MOST_USES; use++) block->uses[use] = OAK_NO_PIN;
    yaml_node_t *uses = member(file, map, "uses");
    if (!uses) return;
    const char *known[OAK_MOST_USES + 2] = {NULL};
    for (unsigned use = 0; oak_block_use_name(block->kind, use); use++)
        known[use] = oak_block_use_name(block->kind, use);
    if (!check_keys(file, uses, "`uses` of this kind of block", known)) return;
    for (unsigned use = 0; known[use]; use++) block->uses[use] = pin_member(file, uses, known[use]);
}

/* A line that the part, or its core, does not have. */
static void check_line(part_file *file, yaml_node_t *at, unsigned line)
{
    const oak_part *part = &file->builder->box->part;
    unsigned lines = part->architecture->own_lines ? part->architecture->own_lines : part->interrupt_lines;
    if (line == OAK_NO_LINE || line < lines) return;
    REFUSE_AT(file, at, "part-value",
              part->architecture->own_lines
                  ? "The lines belong to the core."
                  : "Say how many there are: `interrupts: {lines: 32, priority-bits: 2}`.",
              lines ? "there is no interrupt line %u: the lines are 0 to %u"
                    : "there is no interrupt line %u",
              line, lines - 1);
}

/* What is said of a block must make a device that can do something. */
static void check_block(part_file *file, yaml_node_t *map, const oak_part_block *block)
{
    yaml_node_t *lines = member(file, map, "interrupts"), *uses = member(file, map, "uses");
    const char *needed;
    check_line(file, lines ? lines : member(file, map, "interrupt"), block->interrupt);
    check_line(file, lines, block->second_interrupt);
    for (unsigned i = 0; (needed = oak_block_needs(block->kind, i)); i++) {
        unsigned role = 0;
        while (role < block->role_count &&
               !oak_same(oak_block_role_name(block->kind, block->roles[role].role), needed))
            role++;
        if (role < block->role_count) continue;
        REFUSE_AT(file, map, "part-role", "Give it to a register with `role:`, or to a field with `does:`.",
                  "block `%s` is a %s without the role `%s`", block->name, oak_block_kind_name(block->kind),
                  needed);
    }
    for (unsigned i = 0; uses && i < OAK_MOST_USES; i++)
        for (unsigned k = i + 1; k < OAK_MOST_USES; k++)
            if (block->uses[i] != OAK_NO_PIN && block->uses[i] == block->uses[k])
                REFUSE_AT(file, uses, "part-value", "Give each a pin of its own.",
                          "`%s` and `%s` of block `%s` are one pin", oak_block_use_name(block->kind, i),
                          oak_block_use_name(block->kind, k), block->name);
}

static void add_block(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"name",      "kind",       "like", "at",        "space",
                                       "interrupt", "title",      "pins", "drives",    "unit",
                                       "key",       "interrupts", "uses", "registers", NULL};
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    oak_part_block block = {0};
    oak_part_role *roles = oak_arena_zero(&b->box->arena, OAK_MOST_ROLES * sizeof *roles);
    uint64_t base, line, unit, key;
    if (!roles) b->status = OAK_NO_MEMORY;
    if (!roles || !check_keys(file, map, "a block", keys) ||
        !space_member(file, map, usual_space(file), &block.space))
        return;
    block.name = text_member(file, map, "name", true);
    const oak_part_block *like = NULL;
    yaml_node_t *kind = member(file, map, "kind"), *pattern = member(file, map, "like");
    for (unsigned i = 0; pattern && scalar(pattern) && i < part->block_count; i++)
        if (oak_same_name(scalar(pattern), oak_length(scalar(pattern)), b->blocks[i].name))
            like = &b->blocks[i];
    if (pattern && !like) {
        REFUSE_AT(file, pattern, "part-value", "The block it is like comes before it.",
                  "there is no block `%s`", scalar(pattern) ? scalar(pattern) : "?");
        return;
    }
    block.title = member(file, map, "title") || !like ? text_member(file, map, "title", false) : like->title;
    if (!block.name || !block.title) return;
    if (like) block.kind = like->kind;
    unsigned number = 0;
    while (!like && kind && scalar(kind) && number < OAK_BLOCK_KINDS &&
           !oak_same(scalar(kind), oak_block_kind_name((oak_block_kind)number)))
        number++;
    if (!like && (!kind || number >= OAK_BLOCK_KINDS)) {
        REFUSE_AT(file, kind ? kind : map, "part-value",
                  "Kinds: port, timer, serial, watchdog, timer-pair, capture-timer, edge-inputs, "
                  "framed-serial.",
                  "a block needs its kind");
        return;
    }
    if (!like) block.kind = (oak_block_kind)number;
    bool placed = like || block.kind < OAK_BLOCK_TIMER_PAIR; /* the others use registers that are listed */
    if (!number_member(file, map, "at", placed, 0, UINT32_MAX, &base)) return;
    if (!number_member(file, map, "interrupt", false, OAK_NO_LINE, OAK_NO_LINE, &line)) return;
    if (!number_member(file, map, "unit", false, like ? like->unit : 1, UINT32_MAX, &unit)) return;
    if (!number_member(file, map, "key", false, like ? like->key : 0, UINT32_MAX, &key)) return;
    block.base = (uint32_t)base;
    block.interrupt = (uint16_t)line;
    block.unit = unit ? (uint32_t)unit : 1;
    block.key = (uint32_t)key;
    block.pin = pin_member(file, map, "drives");
    block.second_interrupt = OAK_NO_LINE;
    read_lines(file, map, &block);
    read_uses(file, map, &block);
    block.roles = roles;
    if (like) copy_block(file, map, like, &block, roles);
    yaml_node_t *list = member(file, map, "registers");
    for (yaml_node_item_t *item = list && list->type == YAML_SEQUENCE_NODE ? list->data.sequence.items.start
                                                                           : NULL;
         item && item < list->data.sequence.items.top && !b->status; item++)
        add_block_register(file, node_at(file, *item), &block, roles);
    if (block.kind == OAK_BLOCK_PORT && !b->status) add_block_port(file, map, &block, roles);
    if (!b->status && !b->refused) check_block(file, map, &block);
    for (unsigned i = 0; i < part->block_count; i++) {
        if (!oak_same_name(block.name, oak_length(block.name), b->blocks[i].name)) continue;
        b->blocks[i] = block;
        return;
    }
    if (part->block_count == OAK_MOST_BLOCKS) {
        REFUSE_AT(file, map, "part-value", NULL, "a part has at most %u blocks", OAK_MOST_BLOCKS);
        return;
    }
    oak_part_block *grown =
        oak_grow(b->host, b->blocks, &b->block_count_room, part->block_count + 1u, sizeof *grown);
    if (!grown) {
        b->status = OAK_NO_MEMORY;
        return;
    }
    b->blocks = grown;
    grown[part->block_count++] = block;
}

/* interrupts: {lines: 32, priority-bits: 2} */
static void read_interrupts(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"lines", "priority-bits", NULL};
    uint64_t lines, bits;
    if (!check_keys(file, map, "`interrupts`", keys) ||
        !number_member(file, map, "lines", true, 0, 240, &lines) ||
        !number_member(file, map, "priority-bits", true, 0, 8, &bits))
        return;
    file->builder->box->part.interrupt_lines = (uint16_t)lines;
    file->builder->box->part.priority_bits = (uint8_t)bits;
}

/* import: chip.svd — registers and fields out of a register description, found beside the part file. */
static void import_registers(part_file *file, yaml_node_t *root)
{
    part_builder *b = file->builder;
    const char *name = text_member(file, root, "import", true);
    if (!name) return;
    oak_buf path;
    size_t folder = oak_length(file->path);
    while (folder && file->path[folder - 1] != '/') folder--;
    oak_buf_open(&path, b->host);
    if (*name != '/') oak_buf_add(&path, file->path, folder);
    oak_buf_text(&path, name);
    oak_part_import import = {.host = b->host, .arena = &b->box->arena, .sink = b->sink, .from = file->path};
    oak_status status = path.failed ? OAK_NO_MEMORY : oak_part_read_svd(&import, oak_buf_string(&path));
    if (status == OAK_NOT_FOUND || status == OAK_IO_ERROR)
        REFUSE_AT(file, member(file, root, "import"), "no-file", "It is looked for beside the part file.",
                  "%s cannot be read: %s", oak_buf_string(&path), oak_status_text(status));
    else if (status == OAK_REFUSED) b->refused = true;
    else if (status) b->status = status;
    for (size_t i = 0; i < import.count && !b->status; i++) {
        import.registers[i].space = (uint8_t)b->box->part.architecture->code_space;
        insert_register(file, root, &import.registers[i]);
    }
    oak_release(b->host, import.registers, import.room, sizeof *import.registers);
    oak_buf_close(&path);
}

/* The core enters its handlers at places of its own; each vector has one to itself. */
static bool check_vector(part_file *file, yaml_node_t *map, const oak_part_vector *vector)
{
    part_builder *b = file->builder;
    const oak_part *part = &b->box->part;
    const oak_architecture *about = part->architecture;
    unsigned lines = about->vector_bytes ? about->own_exceptions + part->interrupt_lines : about->own_lines;
    uint32_t last = about->vector_first + (lines ? lines - 1 : 0) * about->vector_step,
             step = about->vector_step;
    bool begins = !about->vector_bytes && !vector->address; /* where execution starts */
    bool right = begins || (vector->address >= about->vector_first && vector->address <= last &&
                            (vector->address - about->vector_first) % step == 0);
    if (!right) {
        char hint[120];
        oak_format(hint, sizeof hint, "Vectors of %s lie at 0x%02x and each %u behind it, up to 0x%02x.",
                   about->name, about->vector_first, (unsigned)step, (unsigned)last);
        REFUSE_AT(file, member(file, map, "at"), "part-value", hint,
                  "the core has no vector at 0x%04x: `%s` would never be taken", (unsigned)vector->address,
                  vector->name);
        return false;
    }
    for (unsigned i = 0; i < part->vector_count; i++) {
        const oak_part_vector *other = &b->vectors[i];
        if (other->address != vector->address ||
            oak_same_name(vector->name, oak_length(vector->name), other->name))
            continue;
        REFUSE_AT(file, map, "part-overlap", "Give one of them another address.",
                  "vectors `%s` and `%s` are both at 0x%04x", other->name, vector->name,
                  (unsigned)vector->address);
        return false;
    }
    return true;
}

static void add_vector(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"name", "at", "title", "holds", NULL};
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    oak_part_vector vector = {0};
    uint64_t address;
    yaml_node_t *holds = member(file, map, "holds");
    if (holds && scalar(holds) && oak_same(scalar(holds), "value")) vector.is_value = true;
    else if (holds)
        REFUSE_AT(file, holds, "part-value", "Leave it out for a vector with a handler.",
                  "a vector that is no handler `holds: value`");
    if (!check_keys(file, map, "a vector", keys)) return;
    if (!number_member(file, map, "at", true, 0, UINT32_MAX, &address)) return;
    vector.name = text_member(file, map, "name", true);
    vector.title = text_member(file, map, "title", false);
    vector.address = (uint32_t)address;
    if (!vector.name || !vector.title) return;
    bool inside = false;
    for (unsigned i = 0; i < part->memory_count; i++) {
        const oak_part_memory *memory = &b->memories[i];
        if (memory->space == part->architecture->code_space && vector.address >= memory->base &&
            vector.address - memory->base < memory->size)
            inside = true;
    }
    if (!inside) {
        REFUSE_AT(file, map, "part-value", "A vector lies in the code memory of the part.",
                  "vector `%s` at 0x%04x is outside code memory", vector.name, (unsigned)vector.address);
        return;
    }
    if (!check_vector(file, map, &vector)) return;
    for (unsigned i = 0; i < part->vector_count; i++) {
        if (!oak_same_name(vector.name, oak_length(vector.name), b->vectors[i].name)) continue;
        b->vectors[i] = vector;
        return;
    }
    oak_part_vector *grown =
        oak_grow(b->host, b->vectors, &b->vector_room, part->vector_count + 1u, sizeof *grown);
    if (!grown) {
        b->status = OAK_NO_MEMORY;
        return;
    }
    b->vectors = grown;
    unsigned slot = part->vector_count++;
    for (; slot && grown[slot - 1].address > vector.address; slot--) grown[slot] = grown[slot - 1];
    grown[slot] = vector;
}

static void add_feature(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"name", "title", NULL};
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    if (!check_keys(file, map, "a feature", keys)) return;
    oak_part_feature feature = {text_member(file, map, "name", true), text_member(file, map, "title", false)};
    if (!feature.name || !feature.title) return;
    for (unsigned i = 0; i < part->feature_count; i++) {
        if (!oak_same_name(feature.name, oak_length(feature.name), b->features[i].name)) continue;
        b->features[i] = feature;
        return;
    }
    oak_part_feature *grown =
        oak_grow(b->host, b->features, &b->feature_room, part->feature_count + 1u, sizeof *grown);
    if (!grown) {
        b->status = OAK_NO_MEMORY;
        return;
    }
    b->features = grown;
    grown[part->feature_count++] = feature;
}

static void each_item(part_file *file, yaml_node_t *root, const char *key,
                      void (*add)(part_file *, yaml_node_t *))
{
    yaml_node_t *list = member(file, root, key);
    if (!list) return;
    if (list->type != YAML_SEQUENCE_NODE) {
        REFUSE_AT(file, list, "part-shape", "Begin every entry with `- `.", "`%s` must be a list", key);
        return;
    }
    yaml_node_item_t *item = list->data.sequence.items.start;
    for (unsigned n = 0; item < list->data.sequence.items.top; item++, n++) {
        if (n == MOST_ITEMS) {
            REFUSE_AT(file, list, "part-shape", NULL, "`%s` has more than %u entries", key, MOST_ITEMS);
            return;
        }
        add(file, node_at(file, *item));
        if (file->builder->status) return;
    }
}

/* ------------------------------------------------------------------------------------------ files */

static void load_file(part_builder *b, const char *path, unsigned depth, part_file *from,
                      yaml_node_t *from_node);

/* True when a file can be read at all. */
static bool exists(const oak_host *host, const char *path)
{
    uint8_t *bytes = NULL;
    size_t size = 0;
    if (host->read_file(host->context, path, LARGEST_FILE, &bytes, &size)) return false;
    host->resize(host->context, bytes, size, 0);
    return true;
}

static void load_base(part_file *file, yaml_node_t *root, unsigned depth)
{
    part_builder *b = file->builder;
    const char *base = text_member(file, root, "extends", true);
    if (!base) return;
    size_t folder = oak_length(file->path);
    while (folder && file->path[folder - 1] != '/') folder--;
    oak_buf path;
    oak_buf_open(&path, b->host);
    oak_buf_add(&path, file->path, folder);
    oak_buf_format(&path, "%s.yaml", base);
    if (!path.failed && b->folder && !exists(b->host, oak_buf_string(&path))) {
        path.size = 0;
        oak_buf_format(&path, "%s/%s.yaml", b->folder, base);
    }
    if (path.failed) b->status = OAK_NO_MEMORY;
    else load_file(b, oak_buf_string(&path), depth + 1, file, member(file, root, "extends"));
    oak_buf_close(&path);
}

static void read_root(part_file *file, yaml_node_t *root, unsigned depth)
{
    static const char *const keys[] = {
        "part",  "title",   "architecture", "extends", "clock",  "clocks-per-cycle", "memories", "registers",
        "ports", "vectors", "features",     "blocks",  "import", "interrupts",       NULL};
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    if (!check_keys(file, root, "a part file", keys)) return;
    if (member(file, root, "extends")) load_base(file, root, depth);
    if (b->status || (b->refused && !part->architecture)) return;
    part->name = text_member(file, root, "part", true);
    if (member(file, root, "title") || !part->title) part->title = text_member(file, root, "title", true);
    if (member(file, root, "architecture") || !part->architecture) {
        const char *name = text_member(file, root, "architecture", true);
        part->architecture = name ? oak_architecture_find(name) : NULL;
        if (name && !part->architecture)
            REFUSE_AT(file, member(file, root, "architecture"), "part-value",
                      "`spindle parts` lists what there is.", "there is no architecture `%s`", name);
        if (!part->architecture) return;
    }
    uint64_t clocks;
    if (number_member(file, root, "clocks-per-cycle", false,
                      part->clocks_per_cycle ? part->clocks_per_cycle : 1, 1000, &clocks))
        part->clocks_per_cycle = (uint32_t)clocks;
    yaml_node_t *clock = member(file, root, "clock");
    if (clock && (!scalar(clock) || oak_read_frequency(scalar(clock), &part->clock_millihertz)))
        REFUSE_AT(file, clock, "part-value", "Write it like 12MHz or 11.0592 MHz.",
                  "this is no clock frequency");
    each_item(file, root, "memories", add_memory);
    if (member(file, root, "import")) import_registers(file, root);
    each_item(file, root, "registers", add_register);
    each_item(file, root, "ports", add_port);
    yaml_node_t *interrupts = member(file, root, "interrupts");
    if (interrupts) read_interrupts(file, interrupts);
    each_item(file, root, "blocks", add_block);
    each_item(file, root, "vectors", add_vector);
    each_item(file, root, "features", add_feature);
    if (depth == 0 && !b->refused &&
        (!part->memory_count || !part->clock_millihertz || !part->clocks_per_cycle))
        REFUSE_AT(file, root, "part-shape", NULL, "a part needs `clock`, `clocks-per-cycle` and `memories`");
}

static void load_file(part_builder *b, const char *path, unsigned depth, part_file *from,
                      yaml_node_t *from_node)
{
    uint8_t *bytes = NULL;
    size_t size = 0;
    oak_status status = depth > MOST_NESTING
                            ? OAK_OUT_OF_RANGE
                            : b->host->read_file(b->host->context, path, LARGEST_FILE, &bytes, &size);
    if (status == OAK_NO_MEMORY) {
        b->status = status;
        return;
    }
    if (status) {
        if (from) {
            REFUSE_AT(from, from_node, "part-extends",
                      "A part it extends lies beside it, as NAME.yaml, or is a shipped one.",
                      "cannot extend %s: %s", path,
                      depth > MOST_NESTING ? "the parts extend each other" : oak_status_text(status));
        } else {
            oak_refuse(b->sink, "no-file", path, 0, 0, "`spindle parts` lists the parts there are.",
                       "the part file cannot be read: %s", oak_status_text(status));
            b->status = status;
        }
        return;
    }
    part_file file = {.builder = b, .path = path};
    oak_yaml_fault fault;
    status = oak_yaml_read(bytes, size, &file.document, &fault);
    if (!status) {
        read_root(&file, yaml_document_get_root_node(&file.document), depth);
        yaml_document_delete(&file.document);
    } else if (status == OAK_REFUSED) {
        b->refused = true;
        if (fault.message)
            oak_refuse(b->sink, "part-syntax", path, fault.line, fault.column, NULL, "not valid YAML: %s",
                       fault.message);
        else oak_refuse(b->sink, "part-shape", path, 1, 1, NULL, "the part file is empty");
    } else b->status = status;
    b->host->resize(b->host->context, bytes, size, 0);
}

/* Moves the lists into the arena. */
static bool finish(part_builder *b)
{
    oak_part *part = &b->box->part;
    oak_arena *arena = &b->box->arena;
    void *memories = oak_arena_take(arena, part->memory_count * sizeof *b->memories);
    void *registers = oak_arena_take(arena, part->register_count * sizeof *b->registers);
    void *ports = oak_arena_take(arena, part->port_count * sizeof *b->ports);
    void *vectors = oak_arena_take(arena, part->vector_count * sizeof *b->vectors);
    void *blocks = oak_arena_take(arena, part->block_count * sizeof *b->blocks);
    if (!blocks) return false;
    if (part->block_count) memcpy(blocks, b->blocks, part->block_count * sizeof *b->blocks);
    part->blocks = blocks;
    void *features = oak_arena_take(arena, part->feature_count * sizeof *b->features);
    if (!memories || !registers || !ports || !vectors || !features) return false;
    if (part->feature_count) memcpy(features, b->features, part->feature_count * sizeof *b->features);
    part->features = features;
    if (part->memory_count) memcpy(memories, b->memories, part->memory_count * sizeof *b->memories);
    if (part->register_count) memcpy(registers, b->registers, part->register_count * sizeof *b->registers);
    if (part->port_count) memcpy(ports, b->ports, part->port_count * sizeof *b->ports);
    if (part->vector_count) memcpy(vectors, b->vectors, part->vector_count * sizeof *b->vectors);
    part->memories = memories;
    part->registers = registers;
    part->ports = ports;
    part->vectors = vectors;
    return true;
}

oak_status oak_part_load(const oak_host *host, const char *path, const oak_diag_sink *sink, oak_part **part)
{
    return oak_part_load_from(host, path, NULL, sink, part);
}

oak_status oak_part_load_from(const oak_host *host, const char *path, const char *folder,
                              const oak_diag_sink *sink, oak_part **part)
{
    if (!host->read_file) return OAK_UNSUPPORTED;
    part_box *box = host->resize(host->context, NULL, 0, sizeof *box);
    if (!box) return OAK_NO_MEMORY;
    memset(box, 0, sizeof *box);
    box->host = *host;
    oak_arena_open(&box->arena, &box->host);
    part_builder b = {.host = host, .sink = sink, .folder = folder, .box = box};
    load_file(&b, path, 0, NULL, NULL);
    if (!b.status && b.refused) b.status = OAK_REFUSED;
    if (!b.status && !finish(&b)) b.status = OAK_NO_MEMORY;
    oak_release(host, b.memories, b.memory_room, sizeof *b.memories);
    oak_release(host, b.registers, b.register_room, sizeof *b.registers);
    oak_release(host, b.ports, b.port_room, sizeof *b.ports);
    oak_release(host, b.vectors, b.vector_room, sizeof *b.vectors);
    oak_release(host, b.features, b.feature_room, sizeof *b.features);
    oak_release(host, b.blocks, b.block_count_room, sizeof *b.blocks);
    if (b.status) oak_part_free(&box->part);
    else *part = &box->part;
    return b.status;
}

oak_status oak_part_copy(const oak_host *host, const oak_part *plain, oak_part **part)
{
    part_box *box = host->resize(host->context, NULL, 0, sizeof *box);
    if (!box) return OAK_NO_MEMORY;
    memset(box, 0, sizeof *box);
    box->host = *host;
    oak_arena_open(&box->arena, &box->host);
    box->part = *plain;
    *part = &box->part;
    return OAK_OK;
}

void oak_part_free(oak_part *part)
{
    if (!part) return;
    part_box *box = (part_box *)part; /* the part is its first member */
    oak_host host = box->host;
    oak_arena_close(&box->arena);
    host.resize(host.context, box, sizeof *box, 0);
}
