/* part.c — lookups in a part. Part files are read in part_yaml.c, which is no piece of the freestanding core. */
#include <oakspindle/part.h>

#include "base/text.h"

const oak_part_register *oak_part_find_register(const oak_part *part, const char *name, size_t length)
{
    if (!part || !name) return NULL;
    for (unsigned i = 0; i < part->register_count; i++)
        if (oak_same_name(name, length, part->registers[i].name)) return &part->registers[i];
    return NULL;
}

const oak_part_register *oak_part_register_at(const oak_part *part, unsigned space, uint32_t address)
{
    if (!part) return NULL;
    for (unsigned i = 0; i < part->register_count; i++)
        if (part->registers[i].space == space && part->registers[i].address == address)
            return &part->registers[i];
    return NULL;
}

const oak_part_memory *oak_part_find_memory(const oak_part *part, unsigned space, uint32_t address)
{
    if (!part) return NULL;
    for (unsigned i = 0; i < part->memory_count; i++) {
        const oak_part_memory *memory = &part->memories[i];
        if (memory->space == space && address >= memory->base && address - memory->base < memory->size)
            return memory;
    }
    return NULL;
}

bool oak_field_is_second_name(const oak_part_register *reg, unsigned field)
{
    if (!reg) return false;
    const oak_part_field *one = &reg->fields[field];
    for (unsigned i = 0; i < reg->field_count; i++) {
        const oak_part_field *other = &reg->fields[i];
        bool inside =
            i != field && one->bit >= other->bit && one->bit + one->width <= other->bit + other->width;
        if (inside && (other->width > one->width || i < field)) return true;
    }
    return false;
}

bool oak_part_is_configuration(const oak_part *part, const oak_part_register *reg)
{
    if (!part || !reg) return false;
    const oak_part_memory *memory = oak_part_find_memory(part, reg->space, reg->address);
    return memory && !memory->writable && reg->access != OAK_READ_ONLY;
}

const char *oak_field_meaning(const oak_part_field *field, uint32_t whole)
{
    if (!field) return NULL;
    for (unsigned i = 0; i < field->value_count; i++)
        if (field->values[i].value == oak_field_value(field, whole)) return field->values[i].name;
    return field->otherwise;
}

const oak_part_memory *oak_part_find_memory_named(const oak_part *part, const char *name, size_t length)
{
    if (!part || !name) return NULL;
    for (unsigned i = 0; i < part->memory_count; i++)
        if (part->memories[i].name && oak_same_name(name, length, part->memories[i].name))
            return &part->memories[i];
    return NULL;
}

bool oak_part_find_field(const oak_part *part, const char *name, size_t length, const oak_part_register **reg,
                         const oak_part_field **field)
{
    if (!part || !name) return false;
    for (unsigned i = 0; i < part->register_count; i++) {
        for (unsigned f = 0; f < part->registers[i].field_count; f++) {
            if (!oak_same_name(name, length, part->registers[i].fields[f].name)) continue;
            if (reg) *reg = &part->registers[i];
            if (field) *field = &part->registers[i].fields[f];
            return true;
        }
    }
    return false;
}

bool oak_part_find_pin(const oak_part *part, const char *name, size_t length, unsigned *pin)
{
    if (!part || !name) return false;
    for (unsigned i = 0; i < part->port_count; i++) {
        size_t size = oak_length(part->ports[i].name);
        if (length < size + 2 || !oak_same_name(name, size, part->ports[i].name) || name[size] != '.')
            continue;
        uint64_t bit;
        size_t used;
        if (oak_read_number(name + size + 1, name + length, &bit, &used) || used != length - size - 1)
            return false;
        if (bit >= part->ports[i].pin_count) return false;
        if (pin) *pin = i * OAK_MOST_PINS + (unsigned)bit;
        return true;
    }
    return false;
}

unsigned oak_part_find_space(const oak_part *part, const char *name, size_t length)
{
    if (!part || !name) return 0;
    for (unsigned i = 1; i < part->architecture->space_count; i++)
        if (oak_same_name(name, length, part->architecture->spaces[i].name)) return i;
    return 0;
}
