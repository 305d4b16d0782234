/* part_blocks_yaml.c — the blocks, lines, vectors and features of a part file. */
#include "base/bytes.h"
#include "part/part_builder.h"
#include "part/part_svd.h"

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
        const char *name = part_scalar(part_node_at(file, pair->key)),
                   *role = part_scalar(part_node_at(file, pair->value));
        const oak_part_field *field = NULL;
        for (unsigned i = 0; name && i < reg->field_count; i++)
            if (oak_same_name(name, oak_length(name), reg->fields[i].name)) field = &reg->fields[i];
        if (!field || !role) {
            REFUSE_AT(file, part_node_at(file, pair->key), "part-role", "List the bit under `bits` first.",
                      "register `%s` has no bit `%s`", reg->name, name ? name : "?");
            return false;
        }
        if (!add_role(file, part_node_at(file, pair->value), block, roles, role, reg->address, field->bit,
                      field->width))
            return false;
    }
    return true;
}

/* Do registers of a block lie behind its address? */
static bool has_offsets(part_file *file, yaml_node_t *map, oak_block_kind kind)
{
    yaml_node_t *list = part_member(file, map, "registers");
    if (!list || list->type != YAML_SEQUENCE_NODE) return list || kind < OAK_BLOCK_TIMER_PAIR;
    for (yaml_node_item_t *item = list->data.sequence.items.start; item < list->data.sequence.items.top;
         item++) {
        yaml_node_t *one = part_node_at(file, *item);
        if (one->type != YAML_MAPPING_NODE || !part_member(file, one, "register")) return true;
    }
    return false;
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
    if (!part_check_keys(file, map, "a register of a block", keys)) return;
    yaml_node_t *existing = part_member(file, map, "register");
    if (existing) {
        const oak_part_register *found = find_built(b, part_scalar(existing));
        if (!found) {
            REFUSE_AT(file, existing, "part-value", "It must be listed or imported before the block.",
                      "there is no register `%s`", part_scalar(existing) ? part_scalar(existing) : "?");
            return;
        }
        reg = *found;
    } else {
        char name[120];
        if (!part_number_member(file, map, "offset", true, 0, UINT32_MAX - block->base, &offset)) return;
        if (!part_number_member(file, map, "size", false, 32, 32, &size)) return;
        if (!part_number_member(file, map, "reset", false, 0, ((uint64_t)1 << size) - 1, &reset)) return;
        const char *own = part_text_member(file, map, "name", true);
        reg.title = part_text_member(file, map, "title", false);
        if (!own || !reg.title) return;
        oak_format(name, sizeof name, "%s_%s", block->name, own);
        reg.name = oak_arena_text(&b->box->arena, name, oak_length(name));
        reg.bits = (uint8_t)size;
        reg.address = block->base + (uint32_t)offset;
        reg.reset = (uint32_t)reset;
        if (!part_access_member(file, map, &reg)) return;
        yaml_node_t *fields = part_member(file, map, "bits");
        if (!reg.name) b->status = OAK_NO_MEMORY;
        if (!reg.name || (fields && !part_read_fields(file, fields, &reg))) return;
        part_insert_register(file, map, &reg);
    }
    yaml_node_t *role = part_member(file, map, "role"), *does = part_member(file, map, "does");
    if (role && part_scalar(role))
        add_role(file, role, block, roles, part_scalar(role), reg.address, 0, reg.bits);
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
        else if (!find_built(b, reg.name)) part_insert_register(file, map, &reg);
    }
    block->role_count = from->role_count;
    for (unsigned i = 0; i < from->role_count; i++) {
        roles[i] = from->roles[i];
        roles[i].address = roles[i].address - from->base + block->base;
    }
}

static uint16_t pin_member(part_file *file, yaml_node_t *map, const char *key)
{
    yaml_node_t *node = part_member(file, map, key);
    if (!node) return OAK_NO_PIN;
    oak_part part = file->builder->box->part;
    part.ports = file->builder->ports;
    unsigned pin;
    const char *text = part_scalar(node);
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
    oak_part_port port = {
        .space = block->space, .title = block->title, .has_block = true, .stage = OAK_PUSH_PULL};
    uint64_t pins;
    if (!part_number_member(file, map, "pins", true, 0, OAK_MOST_PINS, &pins)) return;
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
        if (oak_same(oak_block_role_name(block->kind, roles[i].role), "input") ||
            oak_same(oak_block_role_name(block->kind, roles[i].role), "data"))
            port.address = roles[i].address;
    int number = part_put_port(file, map, &port);
    if (number >= 0) block->pin = (uint16_t)number;
}

/* interrupts: [1, 3] — the lines of a kind that has several; `-` where one asks for nothing. */
static void read_lines(part_file *file, yaml_node_t *map, oak_part_block *block)
{
    yaml_node_t *list = part_member(file, map, "interrupts");
    if (!list) return;
    uint64_t line[OAK_MOST_BLOCK_LINES] = {OAK_NO_LINE, OAK_NO_LINE, OAK_NO_LINE, OAK_NO_LINE};
    size_t count = 0;
    bool good = list->type == YAML_SEQUENCE_NODE;
    for (yaml_node_item_t *item = good ? list->data.sequence.items.start : NULL;
         good && item < list->data.sequence.items.top; item++) {
        const char *text = part_scalar(part_node_at(file, *item));
        size_t used = 0, length = text ? oak_length(text) : 0;
        good = count < OAK_MOST_BLOCK_LINES && length &&
               (oak_same(text, "-") || (!oak_read_number(text, text + length, &line[count], &used) &&
                                        used == length && line[count] < OAK_NO_LINE));
        count++;
    }
    if (!good || count < 2) {
        REFUSE_AT(file, list, "part-value", "Write `interrupts: [1, 3]`; `-` for a line that is not there.",
                  "`interrupts` of a block are the numbers of its lines, two to four");
        return;
    }
    for (unsigned i = 0; i < OAK_MOST_BLOCK_LINES; i++) block->interrupts[i] = (uint16_t)line[i];
}

/* uses: {receive: p3.0, send: p3.1} — the pins of a block. */
static void read_uses(part_file *file, yaml_node_t *map, oak_part_block *block)
{
    for (unsigned use = 0; use < OAK_MOST_USES; use++) block->uses[use] = OAK_NO_PIN;
    yaml_node_t *uses = part_member(file, map, "uses");
    if (!uses) return;
    const char *known[OAK_MOST_USES + 2] = {NULL};
    for (unsigned use = 0; oak_block_use_name(block->kind, use); use++)
        known[use] = oak_block_use_name(block->kind, use);
    if (!part_check_keys(file, uses, "`uses` of this kind of block", known)) return;
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
    yaml_node_t *lines = part_member(file, map, "interrupts"), *uses = part_member(file, map, "uses");
    const char *needed;
    for (unsigned i = 0; i < OAK_MOST_BLOCK_LINES; i++)
        check_line(file, lines ? lines : part_member(file, map, "interrupt"), block->interrupts[i]);
    for (unsigned i = 0; (needed = oak_block_needs(block->kind, i)); i++) {
        bool has = false, held = block->kind == OAK_BLOCK_SERIAL && oak_same(needed, "run");
        for (unsigned r = 0; r < block->role_count; r++) {
            const char *role = oak_block_role_name(block->kind, block->roles[r].role);
            has = has || oak_same(role, needed) ||
                  (held && (oak_same(role, "held") || oak_same(role, "sixteenths") ||
                            oak_same(role, "complete"))); /* its opposite, or it always runs */
        }
        if (has) continue;
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

/* The memory that is behind an EEPROM, which is listed before. */
static bool read_memory(part_file *file, yaml_node_t *map, const oak_part_block *like, oak_part_block *block)
{
    const part_builder *b = file->builder;
    yaml_node_t *node = part_member(file, map, "memory");
    const char *name = node ? part_scalar(node) : NULL;
    if (!node && block->kind != OAK_BLOCK_EEPROM) return true;
    if (!node && like) block->memory = like->memory;
    for (unsigned i = 0; name && block->kind == OAK_BLOCK_EEPROM && i < b->box->part.memory_count; i++)
        if (oak_same(b->memories[i].name, name)) block->memory = b->memories[i].name;
    if (block->memory) return true;
    REFUSE_AT(file, node ? node : map, "part-value", "Write `memory: NAME`, a memory of the part.",
              block->kind == OAK_BLOCK_EEPROM ? "block `%s` has no memory behind it"
                                              : "block `%s` needs no memory behind it",
              block->name);
    return false;
}

/* timers: [T1, T2] — the blocks that count for a channel, which are listed before. */
static void read_timers(part_file *file, yaml_node_t *map, oak_part_block *block)
{
    part_builder *b = file->builder;
    yaml_node_t *list = part_member(file, map, "timers");
    unsigned wide = 0;
    bool good = list && list->type == YAML_SEQUENCE_NODE &&
                (block->kind == OAK_BLOCK_CHANNEL || block->kind == OAK_BLOCK_TIMER_CHANNEL);
    if (!list) return;
    for (yaml_node_item_t *item = good ? list->data.sequence.items.start : NULL;
         good && item < list->data.sequence.items.top; item++) {
        const char *name = part_scalar(part_node_at(file, *item));
        unsigned found = 0;
        while (name && found < b->box->part.block_count &&
               !oak_same_name(name, oak_length(name), b->blocks[found].name))
            found++;
        good = name && found < b->box->part.block_count;
        oak_block_kind of = good ? b->blocks[found].kind : OAK_BLOCK_PORT;
        bool turns = of == OAK_BLOCK_PERIOD_TIMER && block->kind == OAK_BLOCK_CHANNEL;
        if (block->kind == OAK_BLOCK_TIMER_CHANNEL) good = of == OAK_BLOCK_FREE_TIMER && !wide;
        else good = turns || (of == OAK_BLOCK_WIDE_TIMER && wide < 2);
        if (good) block->timers[turns ? OAK_MOST_TIMERS - 1 : wide++] = (uint8_t)(found + 1);
    }
    if (good) return;
    REFUSE_AT(file, list, "part-value",
              block->kind == OAK_BLOCK_TIMER_CHANNEL
                  ? "Write `timers: [TIM]`: a free timer."
                  : "Write `timers: [T1, T2]`: one or two wide timers, and a period timer.",
              "`timers` of a channel are blocks that are listed before it");
}

void part_add_block(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"name",  "kind",      "like",   "at",     "space", "interrupt",
                                       "title", "pins",      "drives", "unit",   "key",   "interrupts",
                                       "uses",  "registers", "memory", "timers", NULL};
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    oak_part_block block = {0};
    oak_part_role *roles = oak_arena_zero(&b->box->arena, OAK_MOST_ROLES * sizeof *roles);
    uint64_t base, line, unit, key;
    if (!roles) b->status = OAK_NO_MEMORY;
    if (!roles || !part_check_keys(file, map, "a block", keys) ||
        !part_space_member(file, map, part_usual_space(file), &block.space))
        return;
    block.name = part_text_member(file, map, "name", true);
    const oak_part_block *like = NULL;
    yaml_node_t *kind = part_member(file, map, "kind"), *pattern = part_member(file, map, "like");
    for (unsigned i = 0; pattern && part_scalar(pattern) && i < part->block_count; i++)
        if (oak_same_name(part_scalar(pattern), oak_length(part_scalar(pattern)), b->blocks[i].name))
            like = &b->blocks[i];
    if (pattern && !like) {
        REFUSE_AT(file, pattern, "part-value", "The block it is like comes before it.",
                  "there is no block `%s`", part_scalar(pattern) ? part_scalar(pattern) : "?");
        return;
    }
    block.title =
        part_member(file, map, "title") || !like ? part_text_member(file, map, "title", false) : like->title;
    if (!block.name || !block.title) return;
    if (like) block.kind = like->kind;
    unsigned number = 0;
    while (!like && kind && part_scalar(kind) && number < OAK_BLOCK_KINDS &&
           !oak_same(part_scalar(kind), oak_block_kind_name((oak_block_kind)number)))
        number++;
    if (!like && (!kind || number >= OAK_BLOCK_KINDS)) {
        char kinds[300] = "";
        for (unsigned i = 0; i < OAK_BLOCK_KINDS; i++)
            oak_format(kinds + oak_length(kinds), sizeof kinds - oak_length(kinds), "%s%s",
                       i ? ", " : "Kinds: ", oak_block_kind_name((oak_block_kind)i));
        REFUSE_AT(file, kind ? kind : map, "part-value", kinds, "a block needs its kind");
        return;
    }
    if (!like) block.kind = (oak_block_kind)number;
    bool placed = like || has_offsets(file, map, block.kind); /* else its registers are listed already */
    if (!part_number_member(file, map, "at", placed, 0, UINT32_MAX, &base)) return;
    if (!part_number_member(file, map, "interrupt", false, OAK_NO_LINE, OAK_NO_LINE, &line)) return;
    if (!part_number_member(file, map, "unit", false, like ? like->unit : 1, UINT32_MAX, &unit)) return;
    if (!part_number_member(file, map, "key", false, like ? like->key : 0, UINT32_MAX, &key)) return;
    block.base = (uint32_t)base;
    for (unsigned i = 0; i < OAK_MOST_BLOCK_LINES; i++) block.interrupts[i] = OAK_NO_LINE;
    block.interrupts[0] = (uint16_t)line;
    block.unit = unit ? (uint32_t)unit : 1;
    block.key = (uint32_t)key;
    if (!read_memory(file, map, like, &block)) return;
    block.pin = pin_member(file, map, "drives");
    read_lines(file, map, &block);
    read_uses(file, map, &block);
    read_timers(file, map, &block);
    block.roles = roles;
    if (like) copy_block(file, map, like, &block, roles);
    yaml_node_t *list = part_member(file, map, "registers");
    for (yaml_node_item_t *item = list && list->type == YAML_SEQUENCE_NODE ? list->data.sequence.items.start
                                                                           : NULL;
         item && item < list->data.sequence.items.top && !b->status; item++)
        add_block_register(file, part_node_at(file, *item), &block, roles);
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
void part_read_interrupts(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"lines", "priority-bits", NULL};
    uint64_t lines, bits;
    if (!part_check_keys(file, map, "`interrupts`", keys) ||
        !part_number_member(file, map, "lines", true, 0, MOST_LINES, &lines) ||
        !part_number_member(file, map, "priority-bits", true, 0, 8, &bits))
        return;
    file->builder->box->part.interrupt_lines = (uint16_t)lines;
    file->builder->box->part.priority_bits = (uint8_t)bits;
}

/* The core enters its handlers at places of its own; each vector has one to itself. */
static bool check_vector(part_file *file, yaml_node_t *map, const oak_part_vector *vector)
{
    part_builder *b = file->builder;
    const oak_part *part = &b->box->part;
    const oak_architecture *about = part->architecture;
    unsigned lines = about->vector_bytes ? about->own_exceptions + part->interrupt_lines : about->own_lines;
    bool begins = !about->vector_bytes && !vector->address; /* where execution starts */
    if (!begins && !oak_is_vector(about, lines ? lines : 1, vector->address)) {
        char hint[120];
        if (about->vector_list) {
            oak_format(hint, sizeof hint, "Vectors of %s lie at", about->name);
            for (unsigned line = 0; line < lines; line++)
                if (!line || oak_vector_of(about, line) != oak_vector_of(about, line - 1))
                    oak_format(hint + oak_length(hint), sizeof hint - oak_length(hint), "%s 0x%02x",
                               line ? "," : "", (unsigned)oak_vector_of(about, line));
        } else
            oak_format(hint, sizeof hint, "Vectors of %s lie at 0x%02x and each %u behind it, up to 0x%02x.",
                       about->name, about->vector_first, (unsigned)about->vector_step,
                       (unsigned)oak_vector_of(about, lines ? lines - 1 : 0));
        REFUSE_AT(file, part_member(file, map, "at"), "part-value", hint,
                  "the core has no vector at 0x%04x: `%s` would never be taken", (unsigned)vector->address,
                  vector->name);
        return false;
    }
    for (unsigned i = 0; i < part->vector_count; i++) {
        const oak_part_vector *other = &b->vectors[i];
        if (other->address != vector->address ||
            oak_same_name(vector->name, oak_length(vector->name), other->name))
            continue;
        REFUSE_AT(file, map, "part-overlap", part_overlap_hint(map),
                  "vectors `%s` and `%s` are both at 0x%04x", other->name, vector->name,
                  (unsigned)vector->address);
        return false;
    }
    return true;
}

static void insert_vector(part_file *file, yaml_node_t *map, const oak_part_vector *vector)
{
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    if (!check_vector(file, map, vector)) return;
    for (unsigned i = 0; i < part->vector_count; i++) {
        if (!oak_same_name(vector->name, oak_length(vector->name), b->vectors[i].name)) continue;
        b->vectors[i] = *vector;
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
    for (; slot && grown[slot - 1].address > vector->address; slot--) grown[slot] = grown[slot - 1];
    grown[slot] = *vector;
}

void part_add_vector(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"name", "at", "title", "holds", NULL};
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    oak_part_vector vector = {0};
    uint64_t address;
    yaml_node_t *holds = part_member(file, map, "holds");
    if (holds && part_scalar(holds) && oak_same(part_scalar(holds), "value")) vector.is_value = true;
    else if (holds)
        REFUSE_AT(file, holds, "part-value", "Leave it out for a vector with a handler.",
                  "a vector that is no handler `holds: value`");
    if (!part_check_keys(file, map, "a vector", keys)) return;
    if (!part_number_member(file, map, "at", true, 0, UINT32_MAX, &address)) return;
    vector.name = part_text_member(file, map, "name", true);
    vector.title = part_text_member(file, map, "title", false);
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
    insert_vector(file, map, &vector);
}

/* Those that the core numbers behind its own exceptions; where it has lines of its own, a part file says what comes in by which. */
static void import_interrupts(part_file *file, yaml_node_t *node, const oak_part_import *import,
                              const char *from)
{
    oak_part *part = &file->builder->box->part;
    const oak_architecture *about = part->architecture;
    if (import->priority_bits) part->priority_bits = (uint8_t)import->priority_bits;
    for (size_t i = 0; i < import->interrupt_count; i++) {
        const svd_interrupt *one = &import->interrupts[i];
        if (!about->own_exceptions) {
            oak_remark(file->builder->sink, "register-description", from, one->line, one->column, NULL,
                       "%u interrupts are left out: those of %s are lines of its core",
                       (unsigned)import->interrupt_count, about->name);
            return;
        }
        if (one->number >= MOST_LINES) {
            oak_refuse(file->builder->sink, "register-description", from, one->line, one->column, NULL,
                       "interrupt `%s`: %s has %u at the most, from 0", one->name, about->name, MOST_LINES);
            file->builder->refused = true;
            return;
        }
        if (one->number >= part->interrupt_lines) part->interrupt_lines = (uint16_t)(one->number + 1);
        insert_vector(
            file, node,
            &(oak_part_vector){.name = one->name,
                               .title = one->title,
                               .address = oak_vector_of(about, about->own_exceptions + one->number)});
    }
}

/* import: chip.svd — registers and fields out of a register description, found beside the part file. */
void part_import_registers(part_file *file, yaml_node_t *root)
{
    part_builder *b = file->builder;
    const char *name = part_text_member(file, root, "import", true);
    if (!name) return;
    oak_buf path;
    size_t folder = oak_length(file->path);
    while (folder && file->path[folder - 1] != '/') folder--;
    oak_buf_open(&path, b->host);
    if (*name != '/') oak_buf_add(&path, file->path, folder);
    oak_buf_text(&path, name);
    oak_part_import import = {.host = b->host, .arena = &b->box->arena, .sink = b->sink};
    yaml_node_t *node = part_member(file, root, "import");
    oak_status status = path.failed ? OAK_NO_MEMORY : oak_part_read_svd(&import, oak_buf_string(&path));
    if (status == OAK_NOT_FOUND || status == OAK_IO_ERROR)
        REFUSE_AT(file, node, "no-file", "It is looked for beside the part file.", "%s cannot be read: %s",
                  oak_buf_string(&path), oak_status_text(status));
    else if (status == OAK_REFUSED) b->refused = true;
    else if (status) b->status = status;
    for (size_t i = 0; i < import.count && !b->status; i++) {
        import.registers[i].space = (uint8_t)b->box->part.architecture->code_space;
        part_insert_register(file, node, &import.registers[i]);
    }
    if (!b->refused && !b->status) import_interrupts(file, node, &import, oak_buf_string(&path));
    oak_release(b->host, import.registers, import.room, sizeof *import.registers);
    oak_buf_close(&path);
}

void part_add_feature(part_file *file, yaml_node_t *map)
{
    static const char *const keys[] = {"name", "title", NULL};
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    if (!part_check_keys(file, map, "a feature", keys)) return;
    oak_part_feature feature = {part_text_member(file, map, "name", true),
                                part_text_member(file, map, "title", false)};
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

void part_each_item(part_file *file, yaml_node_t *root, const char *key,
                    void (*add)(part_file *, yaml_node_t *))
{
    yaml_node_t *list = part_member(file, root, key);
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
        add(file, part_node_at(file, *item));
        if (file->builder->status) return;
    }
}
