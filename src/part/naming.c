/* naming.c — see naming.h. */
#include "part/naming.h"

static bool is_port(const oak_part *part, const oak_part_register *reg)
{
    for (unsigned i = 0; i < part->port_count; i++)
        if (part->ports[i].space == reg->space && part->ports[i].address == reg->address) return true;
    return false;
}

const char *oak_part_name_of(const oak_part *part, const oak_isa *isa, unsigned space, uint32_t address,
                             char *text, size_t room)
{
    if (!part->architecture->spaces[space].of_bits) {
        const oak_part_register *reg = oak_part_register_at(part, space, address);
        return reg ? reg->name : NULL;
    }
    for (unsigned i = 0; i < part->register_count; i++) {
        const oak_part_register *reg = &part->registers[i];
        oak_value cell = {.number = reg->address, .space = reg->space, .known = true}, bit;
        if (isa->bit_of(&cell, address & 7, &bit) || bit.number != address) continue;
        for (unsigned f = 0; f < reg->field_count && !is_port(part, reg); f++)
            if (reg->fields[f].width == 1 && reg->fields[f].bit == (address & 7)) return reg->fields[f].name;
        oak_format(text, room, "%s.%u", reg->name, (unsigned)(address & 7));
        return text;
    }
    return NULL;
}
