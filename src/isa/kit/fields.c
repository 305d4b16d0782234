/* fields.c — values into the bits of a code, and what is told when they do not fit. */
#include "base/bytes.h"
#include "isa/kit/table.h"

typedef struct encoder {
    const struct kit_tables *tables;
    const oak_insn_row *row;
    const oak_pattern *pattern;
    const kit_class *class;
    const oak_value *value;
    unsigned operand;
    int64_t next; /* the address behind the instruction */
    oak_refusal *why;
} encoder;

#define SAY(self, ...)  oak_format((self)->why->message, sizeof(self)->why->message, __VA_ARGS__)
#define HINT(self, ...) oak_format((self)->why->hint, sizeof(self)->why->hint, __VA_ARGS__)

static oak_status refuse(encoder *self, const char *code)
{
    self->why->code = code;
    self->why->operand = (int)self->operand;
    return OAK_REFUSED;
}

/* "`count`, which is 5", "5". */
static void show(const oak_value *value, char *text, size_t room)
{
    if (value->name) oak_format(text, room, "`%s`, which is %lld,", value->name, (long long)value->number);
    else oak_format(text, room, "%lld", (long long)value->number);
}

static unsigned width_of(const encoder *self)
{
    return oak_pattern_width(self->pattern, self->class->value);
}

static oak_status out_of_range(encoder *self, int64_t least, int64_t most)
{
    char text[120];
    show(self->value, text, sizeof text);
    SAY(self, "%s does not fit: from %lld to %lld is possible", text, (long long)least, (long long)most);
    return refuse(self, "value-range");
}

static oak_status check_space(encoder *self, unsigned space)
{
    const oak_space_info *spaces = self->tables->language->isa->about.spaces;
    if (!self->value->space || self->value->space == space) return OAK_OK;
    char text[120];
    show(self->value, text, sizeof text);
    SAY(self, "%s lies in %s, this takes %s", text, spaces[self->value->space].title,
        space ? spaces[space].title : "a plain number");
    if (!space) HINT(self, "`&name` is the address of a variable.");
    return refuse(self, "wrong-space");
}

static oak_status put_target(encoder *self, uint32_t *field)
{
    const kit_language *language = self->tables->language;
    const oak_space_info *code = &language->isa->about.spaces[language->isa->about.code_space];
    unsigned width = width_of(self);
    int64_t target = self->value->number, distance = target - self->next, reach = (int64_t)1 << (width - 1);
    const char *name = self->value->name ? self->value->name : "target";
    oak_status status = check_space(self, language->isa->about.code_space);
    if (status) return status;
    if (target < 0 || target >= (int64_t)code->end) return out_of_range(self, 0, (int64_t)code->end - 1);
    *field = (uint32_t)target;
    if (self->class->field == KIT_TARGET)
        return width < 32 && target >> width ? out_of_range(self, 0, 2 * reach - 1) : OAK_OK;
    if (self->class->field == KIT_PAGE) {
        if (target >> width == self->next >> width) return OAK_OK;
        SAY(self, "`%s` (0x%04llx) is outside the page 0x%04llx to 0x%04llx that %s reaches from here", name,
            (unsigned long long)target, (unsigned long long)(self->next >> width << width),
            (unsigned long long)((self->next >> width << width) + 2 * reach - 1), self->row->mnemonic);
        return refuse(self, "branch-reach");
    }
    if (distance >= (int64_t)code->end / 2) distance -= (int64_t)code->end; /* the counter wraps */
    if (distance < -(int64_t)code->end / 2) distance += (int64_t)code->end;
    *field = (uint32_t)distance;
    if (distance >= -reach && distance < reach) return OAK_OK;
    SAY(self, "`%s` is %lld %s, %s reaches %lld back and %lld forward", name,
        (long long)(distance < 0 ? -distance : distance), distance < 0 ? "back" : "forward",
        self->row->mnemonic, (long long)reach, (long long)reach - 1);
    HINT(self, "Let it jump to a near jump that goes there.");
    return refuse(self, "branch-reach");
}

static oak_status put_value(encoder *self, uint32_t *field)
{
    unsigned width = width_of(self);
    int64_t number = self->value->number, most = ((int64_t)1 << width) - 1, half = (int64_t)1 << (width - 1);
    if (self->class->field >= KIT_TARGET) return put_target(self, field);
    oak_status status = OAK_OK;
    if (self->class->field == KIT_CELL) status = check_space(self, self->class->space);
    if (status) return status;
    *field = (uint32_t)number;
    if (self->class->field == KIT_SIGNED)
        return number < -half || number >= half ? out_of_range(self, -half, half - 1) : OAK_OK;
    if (self->class->window) { /* the whole space may be named */
        int64_t end = (int64_t)self->tables->language->isa->about.spaces[self->class->space].end;
        *field &= (uint32_t)most;
        return number < 0 || number >= end ? out_of_range(self, 0, end - 1) : OAK_OK;
    }
    int64_t least = self->class->field == KIT_BITS ? -half : 0;
    return number < least || number > most ? out_of_range(self, least, most) : OAK_OK;
}

oak_status kit_encode(const oak_isa_tables *opaque, unsigned row, const oak_insn *insn,
                      const oak_value *values, uint32_t address, uint8_t *bytes, oak_refusal *why)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    const kit_shape_of_row *shape = &tables->row[row];
    encoder self = {.tables = tables,
                    .row = &tables->language->isa->rows[row],
                    .pattern = &shape->pattern,
                    .next = (int64_t)address + kit_units_of(tables, row),
                    .why = why};
    uint64_t word = shape->pattern.fixed;
    why->hint[0] = 0;
    for (unsigned i = 0; i < shape->count; i++) {
        const kit_class *class = kit_class_at(tables, row, i);
        if (!class) continue;
        self.class = class;
        self.operand = i;
        self.value = &values[i];
        int name = class->names ? kit_name_in(tables, class, insn->operand[i].reg) : -1;
        if (name >= 0) word |= oak_pattern_put(&shape->pattern, class->letter, (uint32_t)name);
        if (class->field == KIT_NO_VALUE) continue;
        uint32_t field = 0;
        oak_status status = put_value(&self, &field);
        if (status) return status;
        word |= oak_pattern_put(&shape->pattern, class->value, field);
    }
    oak_lay_down(tables->language->isa, word, shape->pattern.size, bytes);
    return OAK_OK;
}
