/* part_yaml.c — reads a part file. The schema is described in docs/part-files.md.
 *
 * libyaml's document tree is used directly, because every node carries its line and column and every fault of a part
 * file is reported there. */
#include "base/bytes.h"
#include "part/part_builder.h"
#include "part/part_svd.h"

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
    const char *base = part_text_member(file, root, "extends", true);
    if (!base) return;
    size_t folder = oak_length(file->path);
    while (folder && file->path[folder - 1] != '/') folder--;
    oak_buf path;
    oak_buf_open(&path, b->host);
    oak_buf_add(&path, file->path, folder);
    oak_buf_format(&path, "%s.yaml", base);
    if (!path.failed && b->shelf.folder && !exists(b->host, oak_buf_string(&path))) {
        path.size = 0;
        oak_buf_format(&path, "%s/%s.yaml", b->shelf.folder, base);
    }
    if (path.failed) b->status = OAK_NO_MEMORY;
    else load_file(b, oak_buf_string(&path), depth + 1, file, part_member(file, root, "extends"));
    oak_buf_close(&path);
}

static void read_root(part_file *file, yaml_node_t *root, unsigned depth)
{
    static const char *const keys[] = {
        "part",  "title",   "architecture", "extends", "clock",  "clocks-per-cycle", "memories", "registers",
        "ports", "vectors", "features",     "blocks",  "import", "interrupts",       NULL};
    part_builder *b = file->builder;
    oak_part *part = &b->box->part;
    bool known =
        part_check_keys(file, root, "a part file", keys); /* what is misspelt is not missed as well */
    if (root->type != YAML_MAPPING_NODE) return;
    if (part_member(file, root, "extends")) load_base(file, root, depth);
    if (b->status || (part_member(file, root, "extends") && !part->architecture)) return;
    part->name = part_text_member(file, root, "part", known);
    if (part_member(file, root, "title") || !part->title)
        part->title = part_text_member(file, root, "title", known);
    if (part_member(file, root, "architecture") || !part->architecture) {
        const char *name = part_text_member(file, root, "architecture", known);
        part->architecture = name && *name ? oak_architecture_find(name) : NULL;
        if (name && *name && !part->architecture)
            REFUSE_AT(file, part_member(file, root, "architecture"), "part-value",
                      "`spindle parts` lists what there is.", "there is no architecture `%s`", name);
        if (!part->architecture) return;
    }
    uint64_t clocks;
    if (part_number_member(file, root, "clocks-per-cycle", false,
                           part->clocks_per_cycle ? part->clocks_per_cycle : 1, 1000, &clocks))
        part->clocks_per_cycle = (uint32_t)clocks;
    yaml_node_t *clock = part_member(file, root, "clock");
    if (clock && (!part_scalar(clock) || oak_read_frequency(part_scalar(clock), &part->clock_millihertz)))
        REFUSE_AT(file, clock, "part-value", "Write it like 12MHz or 11.0592 MHz.",
                  "this is no clock frequency");
    part_each_item(file, root, "memories", part_add_memory);
    part_check_chips(file, root);
    if (part_member(file, root, "import")) part_import_registers(file, root);
    part_each_item(file, root, "registers", part_add_register);
    part_each_item(file, root, "ports", part_add_port);
    yaml_node_t *interrupts = part_member(file, root, "interrupts");
    if (interrupts) part_read_interrupts(file, interrupts);
    part_each_item(file, root, "blocks", part_add_block);
    part_each_item(file, root, "vectors", part_add_vector);
    part_each_item(file, root, "features", part_add_feature);
    if (depth == 0 && !b->refused &&
        (!part->memory_count || !part->clock_millihertz || !part->clocks_per_cycle))
        REFUSE_AT(file, root, "part-shape", NULL, "a part needs `clock`, `clocks-per-cycle` and `memories`");
}

/* The one that is most like a name: few letters apart, or as much the same from the front on as no other. */
static const char *nearest_name(const char *const *names, const char *name)
{
    enum { LIMIT = 4 };
    const char *nearest = NULL;
    unsigned least = LIMIT + 1;
    for (; names && *names; names++) {
        unsigned apart = oak_name_distance(name, oak_length(name), *names, oak_length(*names), LIMIT);
        if (apart < least) least = apart, nearest = *names;
    }
    return nearest;
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
        if (from && status == OAK_NOT_FOUND) {
            const char *base = part_scalar(from_node), *near = nearest_name(b->shelf.names, base);
            char hint[160] = "A part it extends lies beside it, as NAME.yaml, or is a shipped one.";
            if (near)
                oak_format(hint, sizeof hint,
                           "Did you mean `%s`? A part of your own lies beside it, as NAME.yaml.", near);
            REFUSE_AT(from, from_node, "part-extends", hint, "there is no part `%s` to extend", base);
        } else if (from) {
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
    if (!host || !path || !sink || !part) return OAK_MISUSE;
    return oak_part_load_from(host, path, &(oak_part_shelf){0}, sink, part);
}

oak_status oak_part_load_from(const oak_host *host, const char *path, const oak_part_shelf *shelf,
                              const oak_diag_sink *sink, oak_part **part)
{
    if (!host || !path || !shelf || !sink || !part) return OAK_MISUSE;
    if (!host->read_file) return OAK_UNSUPPORTED;
    part_box *box = host->resize(host->context, NULL, 0, sizeof *box);
    if (!box) return OAK_NO_MEMORY;
    memset(box, 0, sizeof *box);
    box->host = *host;
    oak_arena_open(&box->arena, &box->host);
    part_builder b = {.host = host, .sink = sink, .shelf = *shelf, .box = box};
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
    if (!host || !plain || !part) return OAK_MISUSE;
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
