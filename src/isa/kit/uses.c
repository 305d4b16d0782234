/* uses.c — what an instruction touches, out of the columns of its row: for each operand a letter, and behind a blank what it uses
 * without naming it: <name is read, >name written, =name both; a name is a register or a flag of the architecture. */
#include "base/bytes.h"
#include "isa/kit/table.h"

static uint8_t accesses_of(char letter)
{
    return letter == 'r' || letter == '<'   ? KIT_READS
           : letter == 'w' || letter == '>' ? KIT_WRITES
           : letter == 'b' || letter == '=' ? KIT_BOTH
                                            : 0;
}

/* A register, or the bits of one that a flag is. False when the name is neither. */
static bool named_register(const oak_architecture *about, const char *name, size_t length, kit_reach *one)
{
    for (unsigned i = 0; i < about->register_count; i++) {
        if (!oak_same_name(name, length, about->registers[i].name)) continue;
        *one = (kit_reach){.accesses = one->accesses, .bits = 0xFF, .known = true, .address = i, .size = 1};
        return true;
    }
    for (unsigned i = 0; i < about->flag_count; i++) {
        if (!oak_same_name(name, length, about->flags[i].name)) continue;
        uint8_t bits = (uint8_t)(((1u << about->flags[i].width) - 1) << about->flags[i].bit);
        *one = (kit_reach){.accesses = one->accesses,
                           .bits = bits,
                           .known = true,
                           .address = about->flags[i].reg,
                           .size = 1};
        return true;
    }
    return false;
}

/* The instruction at an address as it was decoded, out of memory. */
static bool decode_again(const oak_core *core, uint32_t pc, oak_decoded *decoded)
{
    const kit_core *kit = kit_look(core);
    const kit_space *code = &kit->space[kit->arch->isa->about.code_space];
    uint8_t bytes[OAK_LONGEST_INSN];
    for (unsigned i = 0; i < sizeof bytes; i++) {
        uint32_t at = (pc + i / code->unit) % kit->arch->code_span - code->first;
        bytes[i] = at < code->size ? code->cells[at * code->unit + i % code->unit] : 0xFF;
    }
    return kit_decode(kit->tables, bytes, sizeof bytes, pc, 0, decoded) == OAK_OK;
}

/* The register that an operand names: by its field, or as the word it is; its name, or NULL. */
static const char *name_of(const struct kit_tables *tables, const oak_decoded *decoded, unsigned operand)
{
    const kit_shape_of_row *row = &tables->row[decoded->row];
    const kit_class *class = kit_class_at(tables, decoded->row, operand);
    if (!class) return tables->word[row->word_of[operand]];
    return class->names ? class->names[oak_pattern_get(&row->pattern, class->letter, decoded->word)] : NULL;
}

unsigned kit_row_cells(const oak_core *core, uint32_t pc, kit_reach *list)
{
    const kit_core *kit = kit_look(core);
    const struct kit_tables *tables = kit_tables_of(kit->tables);
    oak_decoded decoded;
    unsigned count = 0;
    if (!decode_again(core, pc, &decoded)) return 0;
    const kit_shape_of_row *row = &tables->row[decoded.row];
    const char *uses = kit->arch->isa->rows[decoded.row].uses;
    for (unsigned i = 0; i < row->count && uses[i] && uses[i] != ' '; i++) {
        const kit_class *class = kit_class_at(tables, decoded.row, i);
        if (!class || class->touch < KIT_TOUCH_CELL) continue;
        kit_reach one = {
            .space = class->space, .accesses = accesses_of(uses[i]), .bits = 0xFF, .size = class->cells};
        if (class->touch == KIT_TOUCH_CELL) {
            one.known = true;
            one.address = (uint32_t)kit_value_of(tables, class, &row->pattern, decoded.word, pc);
            if (kit->arch->window) kit->arch->window(core, &one);
        } else {
            kit_reach pointer = {0};
            const char *name = name_of(tables, &decoded, i);
            uint32_t value = 0;
            if (name && named_register(&kit->arch->isa->about, name, oak_length(name), &pointer) &&
                kit_read_register(core, pointer.address, &value) == OAK_OK)
                one.address = value;
        }
        list[count++] = one;
    }
    return kit->arch->more_cells ? kit->arch->more_cells(core, &decoded, list, count) : count;
}

unsigned kit_row_registers(const oak_core *core, uint32_t pc, kit_reach *list, unsigned count)
{
    const kit_core *kit = kit_look(core);
    const struct kit_tables *tables = kit_tables_of(kit->tables);
    const oak_architecture *about = &kit->arch->isa->about;
    oak_decoded decoded;
    if (!decode_again(core, pc, &decoded)) return count;
    const oak_insn_row *row = &kit->arch->isa->rows[decoded.row];
    const char *uses = row->uses;
    for (unsigned i = 0; *uses && *uses != ' '; i++, uses++) {
        const kit_class *class = kit_class_at(tables, decoded.row, i);
        const char *name = name_of(tables, &decoded, i);
        if (!name || (class && class->touch == KIT_TOUCH_NOTHING)) continue;
        kit_reach one = {.accesses =
                             class && class->touch == KIT_TOUCH_POINTED ? KIT_READS : accesses_of(*uses)};
        if (count < KIT_MOST_REACHED && named_register(about, name, oak_length(name), &one))
            list[count++] = one;
    }
    for (unsigned pass = 0; pass < 2; pass++) /* what it uses without a word, and the flags it sets */
        for (const char *p = pass ? row->flags : uses; *p;) {
            while (*p == ' ') p++;
            kit_reach one = {.accesses = pass ? KIT_WRITES : accesses_of(*p)};
            if (!pass && *p) p++;
            size_t length = 0;
            while (p[length] && p[length] != ' ') length++;
            if (length && count < KIT_MOST_REACHED && named_register(about, p, length, &one))
                list[count++] = one;
            p += length;
        }
    return count;
}

void kit_row_fill(oak_core *core, const oak_decoded *decoded, kit_op *op)
{
    const struct kit_tables *tables = kit_tables_of(kit_look(core)->tables);
    const kit_shape_of_row *row = &tables->row[decoded->row];
    bool named = false, valued = false;
    for (unsigned i = 0; i < row->count; i++) {
        const kit_class *class = kit_class_at(tables, decoded->row, i);
        if (!class) continue;
        if (class->letter && oak_pattern_width(&row->pattern, class->letter)) {
            uint8_t name = (uint8_t)oak_pattern_get(&row->pattern, class->letter, decoded->word);
            if (named) op->y = name;
            else op->x = name;
            named = true;
        }
        if (class->field && !valued) op->at = oak_pattern_get(&row->pattern, class->value, decoded->word);
        valued |= class->field != KIT_NO_VALUE;
    }
    if (decoded->flow == OAK_FLOW_CALL) op->at = decoded->address + decoded->size;
}
