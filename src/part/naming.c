/* naming.c — see naming.h. */
#include "part/naming.h"

#include "base/text.h"

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

/* ------------------------------------------------------------------------------------------ examples */

/* The memory with a number among those that are written to, or not: where variables lie, where code lies. */
static const oak_part_memory *memory_of(const oak_part *part, bool writable, unsigned number)
{
    for (unsigned i = 0; i < part->memory_count; i++)
        if (part->memories[i].writable == writable && !number--) return &part->memories[i];
    return NULL;
}

static const char *memory_name(const oak_part *part, const oak_part_memory *memory)
{
    const oak_architecture *about = part->architecture;
    if (!memory) return about->spaces[about->code_space].name;
    bool own = memory->name && *memory->name; /* memories of one space are told apart by their own names */
    return own ? memory->name : about->spaces[memory->space].name;
}

static const char *register_example(const oak_part *part, bool points)
{
    const oak_architecture *about = part->architecture;
    for (unsigned i = 0; i < about->register_count; i++)
        if (i != about->pc_register && (!points || about->registers[i].points_to))
            return about->registers[i].name;
    return "pc";
}

void oak_part_example(const oak_part *part, const char *text, char *example, size_t room)
{
    if (!part || !text || !example) return;
    const oak_architecture *about = part->architecture;
    const oak_part_memory *data = memory_of(part, true, 0), *other = memory_of(part, true, 1);
    bool apart = data && data->space != about->code_space;
    uint32_t first = !data ? 0 : data->first_free > data->base ? data->first_free : data->base;
    const char *space = about->spaces[data ? data->space : about->code_space].name;
    size_t size = 0;
    if (room) *example = 0;
    for (; *text && size + 1 < room; size += oak_length(example + size)) {
        char *at = example + size;
        size_t left = room - size;
        if (text[0] != '$' || !text[1]) {
            oak_format(at, left, "%c", *text++);
            continue;
        }
        text += 2;
        switch (text[-1]) {
        case 'C': oak_format(at, left, "%s", memory_name(part, memory_of(part, false, 0))); break;
        case 'D': oak_format(at, left, "%s", memory_name(part, data)); break;
        case 'S': oak_format(at, left, "%s", space); break;
        case 'A':
            oak_format(at, left, "%s%s0x%02x", apart ? space : "", apart ? ":" : "", (unsigned)first);
            break;
        case 'P': oak_format(at, left, "%s%sADDRESS", apart ? space : "", apart ? ":" : ""); break;
        case 'a': oak_format(at, left, "0x%02x", (unsigned)first); break;
        case 'b': oak_format(at, left, "0x%02x", (unsigned)first + 15); break;
        case 'X':
            if (other)
                oak_format(at, left, "%s[0x%x]", about->spaces[other->space].name,
                           (unsigned)other->base + 0x40);
            else oak_format(at, left, "%s[0x%x]", space, (unsigned)first + 0x100);
            break;
        case 'R': oak_format(at, left, "%s", register_example(part, false)); break;
        case 'Q': oak_format(at, left, "%s", register_example(part, true)); break;
        default: oak_format(at, left, "$%c", text[-1]); break;
        }
    }
}

void oak_part_write_fields(const oak_part_register *reg, uint32_t word, char *text, size_t room)
{
    *text = 0;
    for (unsigned f = 0; f < reg->field_count; f++) {
        const oak_part_field *field = &reg->fields[f];
        if (oak_field_is_second_name(reg, f)) continue;
        const char *name = oak_field_meaning(field, word);
        size_t used = oak_length(text);
        if (name) oak_format(text + used, room - used, "%s%s=%s", f ? ", " : "", field->name, name);
        else
            oak_format(text + used, room - used, "%s%s=%u", f ? ", " : "", field->name,
                       (unsigned)oak_field_value(field, word));
    }
}
