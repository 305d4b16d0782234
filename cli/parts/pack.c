/* pack.c — writes parts as C data: pack OUTPUT FOLDER NAME… Runs while the tool is built. */
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <oakspindle/linux.h>

#include "built_in.h"

static FILE *out;
static oak_host plain;
static struct {
    char name[100];
    uint64_t hash;
} files[BUILT_IN_FILES];
static unsigned file_count;

static oak_status note_file(void *context, const char *path, size_t limit, uint8_t **bytes, size_t *size)
{
    (void)context;
    oak_status status = plain.read_file(plain.context, path, limit, bytes, size);
    const char *slash = strrchr(path, '/');
    if (status || file_count == BUILT_IN_FILES) return status ? status : OAK_OUT_OF_RANGE;
    snprintf(files[file_count].name, sizeof files->name, "%s", slash ? slash + 1 : path);
    files[file_count++].hash = built_in_hash(*bytes, *size);
    return OAK_OK;
}

static void report(void *context, const oak_diagnostic *d)
{
    (void)context;
    fprintf(stderr, "%s:%u: %s\n", d->file ? d->file : "", (unsigned)d->line, d->message);
}

static void text(const char *label, const char *value)
{
    if (!value) return;
    fprintf(out, ".%s = \"", label);
    for (; *value; value++) {
        if (*value == '"' || *value == '\\') fprintf(out, "\\%c", *value);
        else if ((unsigned char)*value < ' ') fprintf(out, "\\%03o", (unsigned)*value);
        else putc(*value, out);
    }
    fputs("\", ", out);
}

static void number(const char *label, uint64_t value)
{
    if (value) fprintf(out, ".%s = %" PRIu64 "u, ", label, value);
}

static void list(const char *label, const char *count, unsigned n, unsigned part, const char *of)
{
    if (n) fprintf(out, ".%s = %s_%u, .%s = %u, ", label, of, part, count, n);
}

static void write_registers(const oak_part *part, unsigned p)
{
    for (unsigned r = 0; r < part->register_count; r++) {
        const oak_part_register *reg = &part->registers[r];
        for (unsigned f = 0; f < reg->field_count; f++) {
            if (!reg->fields[f].value_count) continue;
            fprintf(out, "static const oak_part_value values_%u_%u_%u[] = {", p, r, f);
            for (unsigned v = 0; v < reg->fields[f].value_count; v++) {
                fputs("{", out);
                text("name", reg->fields[f].values[v].name);
                number("value", reg->fields[f].values[v].value);
                fputs("}, ", out);
            }
            fputs("};\n", out);
        }
        if (!reg->field_count) continue;
        fprintf(out, "static const oak_part_field fields_%u_%u[] = {\n", p, r);
        for (unsigned f = 0; f < reg->field_count; f++) {
            const oak_part_field *field = &reg->fields[f];
            fputs("    {", out);
            text("name", field->name);
            text("title", field->title);
            number("bit", field->bit);
            number("width", field->width);
            if (field->value_count)
                fprintf(out, ".values = values_%u_%u_%u, .value_count = %u", p, r, f, field->value_count);
            fputs("},\n", out);
        }
        fputs("};\n", out);
    }
    fprintf(out, "static const oak_part_register registers_%u[] = {\n", p);
    for (unsigned r = 0; r < part->register_count; r++) {
        const oak_part_register *reg = &part->registers[r];
        fputs("    {", out);
        text("name", reg->name);
        text("title", reg->title);
        number("space", reg->space);
        number("bits", reg->bits);
        number("address", reg->address);
        number("reset", reg->reset);
        if (reg->access) fprintf(out, ".access = (oak_part_access)%u, ", (unsigned)reg->access);
        number("may_stay", reg->may_stay);
        if (reg->field_count)
            fprintf(out, ".fields = fields_%u_%u, .field_count = %u", p, r, reg->field_count);
        fputs("},\n", out);
    }
    fputs("};\n", out);
}

static void write_blocks(const oak_part *part, unsigned p)
{
    for (unsigned i = 0; i < part->block_count; i++) {
        const oak_part_block *block = &part->blocks[i];
        if (!block->role_count) continue;
        fprintf(out, "static const oak_part_role roles_%u_%u[] = {", p, i);
        for (unsigned r = 0; r < block->role_count; r++)
            fprintf(out, "{%uu, %u, %u, %u}, ", (unsigned)block->roles[r].address, block->roles[r].role,
                    block->roles[r].bit, block->roles[r].width);
        fputs("};\n", out);
    }
    if (!part->block_count) return;
    fprintf(out, "static const oak_part_block blocks_%u[] = {\n", p);
    for (unsigned i = 0; i < part->block_count; i++) {
        const oak_part_block *block = &part->blocks[i];
        fputs("    {", out);
        text("name", block->name);
        text("title", block->title);
        if (block->memory) text("memory", block->memory);
        fprintf(out, ".kind = (oak_block_kind)%u, ", (unsigned)block->kind);
        number("space", block->space);
        number("base", block->base);
        fputs(".interrupts = {", out);
        for (unsigned l = 0; l < OAK_MOST_BLOCK_LINES; l++) fprintf(out, "%u, ", block->interrupts[l]);
        fputs("}, ", out);
        fputs(".uses = {", out);
        for (unsigned u = 0; u < OAK_MOST_USES; u++) fprintf(out, "%u, ", block->uses[u]);
        fputs("}, ", out);
        fputs(".timers = {", out);
        for (unsigned t = 0; t < OAK_MOST_TIMERS; t++) fprintf(out, "%u, ", block->timers[t]);
        fputs("}, ", out);
        number("pin", block->pin);
        number("unit", block->unit);
        number("key", block->key);
        if (block->role_count)
            fprintf(out, ".roles = roles_%u_%u, .role_count = %u", p, i, block->role_count);
        fputs("},\n", out);
    }
    fputs("};\n", out);
}

static void write_lists(const oak_part *part, unsigned p)
{
    fprintf(out, "static const oak_part_memory memories_%u[] = {\n", p);
    for (unsigned i = 0; i < part->memory_count; i++) {
        const oak_part_memory *memory = &part->memories[i];
        fputs("    {", out);
        number("space", memory->space);
        number("writable", memory->writable);
        number("base", memory->base);
        number("size", memory->size);
        text("title", memory->title);
        text("name", memory->name);
        number("first_free", memory->first_free);
        number("loaded", memory->loaded);
        number("mirror", memory->mirror);
        if (memory->chips.each) {
            number("chips.each", memory->chips.each);
            number("chips.row", memory->chips.row);
            number("chips.bank", memory->chips.bank);
            number("chips.ports", memory->chips.ports);
            text("chips.called", memory->chips.called);
            if (memory->chips.beside) text("chips.beside", memory->chips.beside);
        }
        fputs("},\n", out);
    }
    fputs("};\n", out);
    if (part->port_count) fprintf(out, "static const oak_part_port ports_%u[] = {\n", p);
    for (unsigned i = 0; i < part->port_count; i++) {
        const oak_part_port *port = &part->ports[i];
        fputs("    {", out);
        text("name", port->name);
        number("address", port->address);
        number("space", port->space);
        number("pin_count", port->pin_count);
        fprintf(out, ".stage = (oak_stage)%u, ", (unsigned)port->stage);
        text("title", port->title);
        number("has_block", port->has_block);
        for (unsigned pin = 0; pin < port->pin_count; pin++) {
            char label[32];
            snprintf(label, sizeof label, "alternate[%u]", pin);
            text(label, port->alternate[pin]);
        }
        fputs("},\n", out);
    }
    if (part->port_count) fputs("};\n", out);
    fprintf(out, "static const oak_part_vector vectors_%u[] = {\n", p);
    for (unsigned i = 0; i < part->vector_count; i++) {
        fputs("    {", out);
        text("name", part->vectors[i].name);
        number("address", part->vectors[i].address);
        text("title", part->vectors[i].title);
        number("is_value", part->vectors[i].is_value);
        fputs("},\n", out);
    }
    fputs("};\n", out);
    if (!part->feature_count) return;
    fprintf(out, "static const oak_part_feature features_%u[] = {\n", p);
    for (unsigned i = 0; i < part->feature_count; i++) {
        fputs("    {", out);
        text("name", part->features[i].name);
        text("title", part->features[i].title);
        fputs("},\n", out);
    }
    fputs("};\n", out);
}

/* The part itself, kept until all lists are written. */
static void write_part(const oak_part *part, unsigned p)
{
    fputs("    {", out);
    text("architecture", part->architecture->name);
    fputs(".file = {", out);
    for (unsigned i = 0; i < file_count; i++)
        fprintf(out, "{\"%s\", 0x%" PRIx64 "u}, ", files[i].name, files[i].hash);
    fputs("},\n     .part = {", out);
    text("name", part->name);
    text("title", part->title);
    number("clock_millihertz", part->clock_millihertz);
    number("clocks_per_cycle", part->clocks_per_cycle);
    list("memories", "memory_count", part->memory_count, p, "memories");
    list("registers", "register_count", part->register_count, p, "registers");
    list("ports", "port_count", part->port_count, p, "ports");
    list("vectors", "vector_count", part->vector_count, p, "vectors");
    list("features", "feature_count", part->feature_count, p, "features");
    list("blocks", "block_count", part->block_count, p, "blocks");
    number("interrupt_lines", part->interrupt_lines);
    number("priority_bits", part->priority_bits);
    fputs("}},\n", out);
}

int main(int count, char **arguments)
{
    enum { MOST = 64 };
    oak_part *parts[MOST];
    if (count < 4 || count - 3 > MOST) return EXIT_FAILURE;
    out = fopen(arguments[1], "w");
    if (!out) return EXIT_FAILURE;
    plain = oak_linux_host();
    oak_host host = {.context = NULL, .resize = plain.resize, .read_file = note_file};
    oak_diag_sink sink = {NULL, report};
    fputs("/* Made by pack.c. */\n#include \"parts/built_in.h\"\n\n", out);
    for (int pass = 0; pass < 2; pass++) {
        if (pass) fputs("const built_in_part built_in_parts[] = {\n", out);
        for (int i = 3; i < count; i++) {
            char path[500];
            snprintf(path, sizeof path, "%s/%s.yaml", arguments[2], arguments[i]);
            file_count = 0;
            if (oak_part_load(&host, path, &sink, &parts[i - 3])) return EXIT_FAILURE;
            unsigned p = (unsigned)i;
            if (pass) write_part(parts[i - 3], p);
            else
                write_registers(parts[i - 3], p), write_blocks(parts[i - 3], p), write_lists(parts[i - 3], p);
            oak_part_free(parts[i - 3]);
        }
    }
    fputs("    {.architecture = NULL}};\n", out);
    return fclose(out) ? EXIT_FAILURE : EXIT_SUCCESS;
}
