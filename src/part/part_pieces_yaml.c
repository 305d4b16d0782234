/* part_pieces_yaml.c — the memories, registers and ports of a part file. */
#include "base/bytes.h"
#include "part/part_builder.h"
#include "part/part_svd.h"

/* ------------------------------------------------------------------------------------------ pieces of a part */

/* chips: {each: 64, called: ram, row: 16, bank: 4, beside: status, ports: ramport} */
static bool read_chips(part_file *file, yaml_node_t *map, unsigned space, uint64_t size,
                       oak_part_chips *chips)
{
    static const char *const keys[] = {"each", "called", "row", "bank", "beside", "ports", NULL};
    const part_builder *b = file->builder;
    uint64_t each, row, bank;
    if (!part_check_keys(file, map, "`chips`", keys) ||
        !part_number_member(file, map, "each", true, 0, UINT32_MAX, &each) ||
        !part_number_member(file, map, "row", false, 16, 64, &row) ||
        !part_number_member(file, map, "bank", false, 0, 255, &bank))
        return false;
    chips->called = part_text_member(file, map, "called", true);
    if (!chips->called) return false;
    if (b->box->part.architecture->spaces[space].unit_bits > 8) {
        REFUSE_AT(file, map, "part-value", NULL, "memory of words is not told as chips");
        return false;
    }
    if (!each || !row || each % row || size % each || (bank && size / each % bank)) {
        REFUSE_AT(file, map, "part-value",
                  "The memory is so many chips of `each` cells, a chip so many rows.",
                  "these chips do not make up the memory");
        return false;
    }
    chips->each = (uint32_t)each, chips->row = (uint32_t)row, chips->bank = (uint8_t)bank;
    chips->beside = part_member(file, map, "beside") ? part_text_member(file, map, "beside", true) : NULL;
    yaml_node_t *ports = part_member(file, map, "ports");
    const char *name = ports ? part_scalar(ports) : NULL;
    unsigned of = name ? oak_part_find_space(&b->box->part, name, oak_length(name)) : 0;
    chips->ports = (uint8_t)of;
    if (!ports || (of && b->box->part.architecture->spaces[of].special)) return true;
    REFUSE_AT(file, ports, "part-value", NULL, "`%s` is no space of registers", name ? name : "?");
    return false;
}

void part_check_chips(part_file *file, yaml_node_t *root)
{
    enum { MOST_BESIDE = 16 };
    const part_builder *b = file->builder;
    for (unsigned i = 0; i < b->box->part.memory_count; i++) {
        const oak_part_memory *memory = &b->memories[i], *beside = NULL;
        const char *name = memory->chips.beside;
        if (!memory->chips.each || !name) continue;
        for (unsigned k = 0; k < b->box->part.memory_count; k++)
            if (oak_same(b->memories[k].name, name)) beside = &b->memories[k];
        uint32_t rows = memory->size / memory->chips.row;
        if (!beside)
            REFUSE_AT(file, part_member(file, root, "memories"), "part-value", NULL,
                      "there is no memory `%s` to stand beside chips", name);
        else if (beside->size % rows || beside->size / rows > MOST_BESIDE)
            REFUSE_AT(file, part_member(file, root, "memories"), "part-value",
                      "So many cells, up to 16, for each row.", "`%s` does not stand beside %u rows", name,
                      (unsigned)rows);
    }
}

void part_add_memory(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"name",   "space",  "kind",  "at",    "size", "first-free",
                                       "loaded", "mirror", "title", "chips", NULL};
    part_builder *b = file->builder;
    oak_part_memory memory = {0};
    uint64_t base, size, first_free;
    if (!part_check_keys(file, map, "a memory", keys) || !part_space_member(file, map, NULL, &memory.space))
        return;
    if (!part_number_member(file, map, "at", false, 0, UINT32_MAX, &base)) return;
    if (!part_number_member(file, map, "size", true, 0, UINT32_MAX, &size)) return;
    if (!part_number_member(file, map, "first-free", false, base, UINT32_MAX, &first_free)) return;
    memory.first_free = (uint32_t)first_free;
    const char *loaded =
        part_member(file, map, "loaded") ? part_text_member(file, map, "loaded", true) : "no";
    memory.loaded = loaded && oak_same(loaded, "yes");
    const char *mirror =
        part_member(file, map, "mirror") ? part_text_member(file, map, "mirror", true) : "no";
    memory.mirror = mirror && oak_same(mirror, "yes");
    if (loaded && !memory.loaded && !oak_same(loaded, "no")) {
        REFUSE_AT(file, part_member(file, map, "loaded"), "part-value", "Write yes or no.", "`%s` is neither",
                  loaded);
        return;
    }
    const char *kind = part_text_member(file, map, "kind", true);
    memory.title = part_text_member(file, map, "title", false);
    memory.name = part_member(file, map, "name") ? part_text_member(file, map, "name", true)
                                                 : b->box->part.architecture->spaces[memory.space].name;
    if (!kind || !memory.title || !memory.name) return;
    if (!oak_same(kind, "rom") && !oak_same(kind, "ram")) {
        REFUSE_AT(file, part_member(file, map, "kind"), "part-value", "Write rom or ram.",
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
    if (part_member(file, map, "chips") &&
        !read_chips(file, part_member(file, map, "chips"), memory.space, size, &memory.chips))
        return;
    unsigned align = about->memory_align ? about->memory_align : 1;
    if (base % align || size % align) {
        REFUSE_AT(file, map, "part-value", NULL, "a memory of %s begins and ends at a multiple of %u",
                  about->name, align);
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
    const char *name = part_scalar(key), *text = part_scalar(value);
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

bool part_read_fields(part_file *file, yaml_node_t *map, oak_part_register *reg)
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
        if (!read_field(file, part_node_at(file, pair->key), part_node_at(file, pair->value), reg->bits,
                        &field))
            return false;
        unsigned at = filled++;
        for (; at && fields[at - 1].bit < field.bit; at--) fields[at] = fields[at - 1];
        fields[at] = field;
    }
    for (unsigned i = 0; i < filled * filled; i++) { /* one may be another name, or that of a part */
        const oak_part_field *one = &fields[i / filled], *other = &fields[i % filled];
        unsigned end = one->bit + one->width, other_end = other->bit + other->width;
        bool apart = end <= other->bit || other_end <= one->bit,
             inside = one->bit >= other->bit && end <= other_end,
             around = other->bit >= one->bit && other_end <= end;
        if (apart || inside || around) continue;
        REFUSE_AT(file, map, "part-overlap", NULL, "`%s` and `%s` share a bit", one->name, other->name);
        return false;
    }
    reg->fields = fields;
    reg->field_count = filled;
    return true;
}

/* Where special registers lie when nothing is said: in the space for them, or in the only one. */
const char *part_usual_space(const part_file *file)
{
    const oak_architecture *about = file->builder->box->part.architecture;
    for (unsigned i = 1; i < about->space_count; i++)
        if (about->spaces[i].special) return about->spaces[i].name;
    return about->spaces[about->code_space].name;
}

/* `access: read`, `access: seldom` or `access: both`. */
bool part_access_member(part_file *file, yaml_node_t *map, oak_part_register *reg)
{
    yaml_node_t *node = part_member(file, map, "access");
    const char *word = node && part_scalar(node) ? part_scalar(node) : "both";
    reg->access = oak_same(word, "read")    ? OAK_READ_ONLY
                  : oak_same(word, "write") ? OAK_WRITE_ONLY
                                            : OAK_READ_WRITE;
    reg->may_stay = oak_same(word, "seldom");
    if (reg->may_stay) return true;
    if (reg->access != OAK_READ_WRITE || oak_same(word, "both")) return true;
    REFUSE_AT(file, node, "part-value",
              "Write `access: read`, `access: write`, `access: seldom` (of what is usually left erased), or "
              "leave it out.",
              "`%s` is no access", word);
    return false;
}

/* One meaning out of a list, from 0, or out of a mapping of values. */
static const char *meaning_at(part_file *file, yaml_node_t *list, size_t at, uint32_t *value)
{
    if (list->type == YAML_SEQUENCE_NODE) {
        *value = (uint32_t)at;
        return part_scalar(part_node_at(file, list->data.sequence.items.start[at]));
    }
    const yaml_node_pair_t *pair = &list->data.mapping.pairs.start[at];
    const char *number = part_scalar(part_node_at(file, pair->key));
    uint64_t wide = 0;
    size_t used = 0;
    bool read = number && !oak_read_number(number, number + oak_length(number), &wide, &used);
    if (!read || number[used] || wide > UINT32_MAX) return NULL;
    *value = (uint32_t)wide;
    return part_scalar(part_node_at(file, pair->value));
}

/* `means: {WDTE: [off, on], KEY: {0x5a: PASS}}`: the meaning of values of a field. */
static bool read_meanings(part_file *file, yaml_node_t *map, oak_part_register *reg)
{
    oak_arena *arena = &file->builder->box->arena;
    oak_part_field *fields = (oak_part_field *)(uintptr_t)reg->fields; /* they have just been made */
    if (map->type != YAML_MAPPING_NODE) {
        REFUSE_AT(file, map, "part-shape", "Write `means: {WDTE: [off, on]}`.",
                  "`means` must be a mapping of fields");
        return false;
    }
    for (yaml_node_pair_t *pair = map->data.mapping.pairs.start; pair < map->data.mapping.pairs.top; pair++) {
        yaml_node_t *key = part_node_at(file, pair->key), *list = part_node_at(file, pair->value);
        const char *name = part_scalar(key);
        oak_part_field *field = NULL;
        for (unsigned f = 0; name && f < reg->field_count; f++)
            if (oak_same_name(name, oak_length(name), fields[f].name)) field = &fields[f];
        size_t count = list->type == YAML_SEQUENCE_NODE
                           ? (size_t)(list->data.sequence.items.top - list->data.sequence.items.start)
                       : list->type == YAML_MAPPING_NODE
                           ? (size_t)(list->data.mapping.pairs.top - list->data.mapping.pairs.start)
                           : 0;
        if (!field || !count || field->width > 8 || count > (size_t)1 << field->width) {
            REFUSE_AT(file, field ? list : key, "part-value",
                      "List the field under `bits`, and a word for each of its values from 0.",
                      "these are no meanings of a field of `%s`", reg->name);
            return false;
        }
        oak_part_value *values = oak_arena_zero(arena, count * sizeof *values);
        for (size_t i = 0; values && i < count; i++) {
            uint32_t value = 0;
            const char *word = meaning_at(file, list, i, &value);
            if (!word || oak_same(word, "-") || value >> field->width) continue;
            values[field->value_count].name = oak_arena_text(arena, word, oak_length(word));
            values[field->value_count++].value = value;
        }
        field->values = values;
        if (!values) file->builder->status = OAK_NO_MEMORY;
    }
    return !file->builder->status;
}

void part_add_register(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"name",   "space", "at",   "reset", "size",
                                       "access", "title", "bits", "means", NULL};
    oak_part_register reg = {0};
    uint64_t address, reset, size, widest = 8u * file->builder->box->part.architecture->word_bytes;
    if (!part_check_keys(file, map, "a register", keys) ||
        !part_space_member(file, map, part_usual_space(file), &reg.space))
        return;
    if (!part_number_member(file, map, "at", true, 0, UINT32_MAX, &address)) return;
    if (!part_number_member(file, map, "size", false, widest, 32, &size)) return;
    reg.bits = (uint8_t)size;
    if (!part_number_member(file, map, "reset", false, 0, ((uint64_t)1 << size) - 1, &reset)) return;
    reg.name = part_text_member(file, map, "name", true);
    reg.title = part_text_member(file, map, "title", false);
    if (!reg.name || !reg.title) return;
    const oak_space_info *space = &file->builder->box->part.architecture->spaces[reg.space];
    unsigned unit = oak_unit_bytes(file->builder->box->part.architecture, reg.space);
    if (address < space->first || address + ((size + 7) / 8 + unit - 1) / unit > space->end) {
        REFUSE_AT(file, map, "part-value", NULL,
                  "`%s` has addresses 0x%x to 0x%llx: register `%s` is not among them", space->name,
                  (unsigned)space->first, (unsigned long long)(space->end - 1), reg.name);
        return;
    }
    reg.address = (uint32_t)address;
    reg.reset = (uint32_t)reset;
    if (!part_access_member(file, map, &reg)) return;
    yaml_node_t *fields = part_member(file, map, "bits");
    if (fields && !part_read_fields(file, fields, &reg)) return;
    if (part_member(file, map, "means") && !read_meanings(file, part_member(file, map, "means"), &reg))
        return;
    part_insert_register(file, map, &reg);
}

const char *part_overlap_hint(const yaml_node_t *node)
{
    return node->type == YAML_SCALAR_NODE ? "One comes from the part that is extended: a part file without "
                                            "`extends` has only what it says."
                                          : "Give one of them another address.";
}

void part_insert_register(part_file *file, yaml_node_t *map, const oak_part_register *added)
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
            REFUSE_AT(file, map, "part-overlap", part_overlap_hint(map),
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

int part_put_port(part_file *file, yaml_node_t *map, const oak_part_port *port)
{
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    for (unsigned i = 0; i < part->port_count; i++) {
        if (!oak_same_name(port->name, oak_length(port->name), b->ports[i].name)) continue;
        b->ports[i] = *port;
        return (int)i;
    }
    if (part->port_count == OAK_MOST_PORTS) {
        REFUSE_AT(file, map, "part-value", NULL, "a part has at most %u ports", OAK_MOST_PORTS);
        return -1;
    }
    oak_part_port *grown = oak_grow(b->host, b->ports, &b->port_room, part->port_count + 1u, sizeof *grown);
    if (!grown) {
        b->status = OAK_NO_MEMORY;
        return -1;
    }
    b->ports = grown;
    grown[part->port_count] = *port;
    return (int)part->port_count++;
}

void part_add_port(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"name", "register", "stage", "title", "pins", NULL};
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    oak_part_port port = {0};
    if (!part_check_keys(file, map, "a port", keys)) return;
    port.name = part_text_member(file, map, "name", true);
    port.title = part_text_member(file, map, "title", false);
    const char *name = part_text_member(file, map, "register", true),
               *stage = part_text_member(file, map, "stage", true);
    if (!port.name || !port.title || !name || !stage) return;
    const oak_part_register *reg = NULL;
    for (unsigned i = 0; i < part->register_count; i++)
        if (oak_same_name(name, oak_length(name), b->registers[i].name)) reg = &b->registers[i];
    if (!reg) {
        REFUSE_AT(file, part_member(file, map, "register"), "part-value",
                  "List the register under `registers` first.", "there is no register `%s`", name);
        return;
    }
    port.address = reg->address;
    port.space = reg->space;
    if (oak_same(stage, "push-pull")) port.stage = OAK_PUSH_PULL;
    else if (oak_same(stage, "open-drain")) port.stage = OAK_OPEN_DRAIN;
    else if (oak_same(stage, "quasi-bidirectional")) port.stage = OAK_QUASI;
    else {
        REFUSE_AT(file, part_member(file, map, "stage"), "part-value",
                  "Stages: push-pull, open-drain, quasi-bidirectional.", "no output stage is called `%s`",
                  stage);
        return;
    }
    yaml_node_t *pins = part_member(file, map, "pins");
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
        const char *other = part_scalar(part_node_at(file, pins->data.sequence.items.start[i]));
        if (!other || oak_same(other, "-") || !*other) continue;
        port.alternate[i] = oak_arena_text(&b->box->arena, other, oak_length(other));
        if (!port.alternate[i]) b->status = OAK_NO_MEMORY;
    }
    (void)part_put_port(file, map, &port);
}
