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
    unsigned number; /* of the row */
    bool pages;      /* its page, p, is part of the instruction */
    int64_t next;    /* the address behind the instruction */
    uint32_t address;
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

/* "`count`, which is 300 (0x12c),", "300 (0x12c)". */
void kit_show_number(const oak_value *value, char *text, size_t room)
{
    char number[48];
    if (value->number < 0) oak_format(number, sizeof number, "%lld", (long long)value->number);
    else
        oak_format(number, sizeof number, "%lld (0x%llx)", (long long)value->number,
                   (unsigned long long)value->number);
    if (value->name) oak_format(text, room, "`%.40s`, which is %s,", value->name, number);
    else oak_format(text, room, "%s", number);
}

/* "`name`" or the number itself. */
void kit_show_value(const oak_value *value, char *text, size_t room)
{
    if (value->name) oak_format(text, room, "`%.60s`", value->name);
    else if (value->number < 0) oak_format(text, room, "%lld", (long long)value->number);
    else oak_format(text, room, "0x%02llx", (unsigned long long)value->number);
}

/* Bits of the value, with those below its field. */
static unsigned width_of(const encoder *self)
{
    return oak_pattern_width(self->pattern, self->class->value) + self->class->shift;
}

static oak_status out_of_range(encoder *self, int64_t least, int64_t most)
{
    char text[120];
    unsigned width = width_of(self);
    bool all = most - least >= ((int64_t)1 << width) - 1;
    kit_show_number(self->value, text, sizeof text);
    if (all && self->class->field == KIT_BITS) {
        SAY(self, "%s does not fit %u bits", text, width);
        if (width == 8) HINT(self, "Take one byte of it: low(…) or high(…).");
        if (width == 4) HINT(self, "Take one digit of it: `… & 15`, `… >> 4 & 15`.");
    } else
        SAY(self, "%s does not fit: from %lld to %lld is possible", text, (long long)least, (long long)most);
    return refuse(self, "value-range");
}

static oak_status uneven(encoder *self)
{
    char text[120];
    kit_show_number(self->value, text, sizeof text);
    SAY(self, "%s is no multiple of %u", text, 1u << self->class->shift);
    return refuse(self, "value-range");
}

static oak_status check_space(encoder *self, unsigned space)
{
    const oak_space_info *spaces = self->tables->language->isa->about.spaces;
    if (!self->value->space || self->value->space == space) return OAK_OK;
    char text[120];
    kit_show_number(self->value, text, sizeof text);
    SAY(self, "%s lies in %s, this takes %s", text, spaces[self->value->space].title,
        space ? spaces[space].title : "a plain number");
    if (!space) HINT(self, "`&name` is the address of a variable.");
    return refuse(self, "wrong-space");
}

static bool has_several(const char *words)
{
    while (*words && *words != ' ') words++;
    return *words;
}

/* The mnemonic of a choice that this row is one of, or NULL. */
static const char *choice_of(const encoder *self)
{
    for (const kit_choice *one = self->tables->language->choices; one && one->mnemonic; one++)
        for (const char *p = has_several(one->of) ? one->of : ""; *p;) {
            const char *end = p;
            while (*end && *end != ' ') end++;
            if (oak_same_name(p, (size_t)(end - p), self->row->mnemonic)) return one->mnemonic;
            p = *end ? end + 1 : end;
        }
    return NULL;
}

/* The opposite of a condition, or NULL. */
static const char *opposite_of(const encoder *self)
{
    for (const kit_pair *one = self->tables->language->opposites; one && one->a; one++) {
        if (oak_same(self->row->mnemonic, one->a)) return one->b;
        if (oak_same(self->row->mnemonic, one->b)) return one->a;
    }
    return NULL;
}

static const char *farther_than(const encoder *self)
{
    for (const kit_pair *one = self->tables->language->farther; one && one->a; one++)
        if (oak_same(self->row->mnemonic, one->a)) return one->b;
    return NULL;
}

static oak_status too_far(encoder *self, bool page)
{
    const char *farther = farther_than(self);
    if (farther) {
        bool marked = farther[oak_length(farther) - 1] == '#';
        HINT(self, "Write `%s%s` in place of `%s`: it reaches everything.", farther,
             !marked             ? ""
             : self->value->name ? self->value->name
                                 : "target",
             self->row->mnemonic);
        oak_format(self->why->edit, sizeof self->why->edit, "%s", farther);
        self->why->has_edit = self->why->edit_word = self->why->edit_safe = true;
        return refuse(self, "branch-reach");
    }
    const char *name = self->value->name ? self->value->name : "target", *choice = choice_of(self);
    const char *jump = self->tables->language->jump, *opposite = opposite_of(self);
    const char *between = jump && jump[oak_length(jump) - 1] == '#' ? "" : " ";
    if (choice)
        HINT(self, "Write `%s %s`, which takes the shortest %s that reaches.", choice, name,
             page ? "form" : "jump");
    else if (page || !jump) HINT(self, "Let it jump to a near jump that goes there.");
    else if (opposite)
        HINT(self, "Write `%s %sskip`, `%s%s%s`, `skip:`.", opposite, self->operand ? "…, " : "", jump,
             between, name);
    else HINT(self, "Let it jump to a near `%s%s%s`.", jump, between, name);
    return refuse(self, "branch-reach");
}

static oak_status put_target(encoder *self, uint32_t *field)
{
    const kit_language *language = self->tables->language;
    const oak_architecture *about = &language->isa->about;
    int64_t end = (int64_t)about->spaces[about->code_space].end, target = self->value->number;
    unsigned width = width_of(self);
    bool words = oak_unit_bytes(about, about->code_space) > 1;
    int64_t distance = target - self->next, reach = (int64_t)1 << (width - 1);
    char name[80];
    kit_show_value(self->value, name, sizeof name);
    if (self->value->space && self->value->space != about->code_space) {
        SAY(self, "%s is no place in code memory", name);
        HINT(self, "A jump or call goes to a label of the program.");
        return refuse(self, "wrong-space");
    }
    int64_t shown = language->seen && target >= 0 && target < end ? language->seen((uint32_t)target) : target;
    if (target < 0 || target >= end || (self->class->field == KIT_TARGET && width < 32 && shown >> width)) {
        int64_t most = self->class->field == KIT_TARGET && width < 32 && 2 * reach < end ? 2 * reach : end;
        SAY(self, "a code address lies between 0 and 0x%llx, this is %lld", (unsigned long long)most - 1,
            (long long)target);
        return refuse(self, "value-range");
    }
    if (language->seen && target >= language->span) {
        uint32_t here = language->place(self->address, language->seen((uint32_t)target));
        if (here != target && self->address >= language->span && !self->pages) {
            SAY(self, "%s lies in another page", name);
            HINT(self, "Write `call %s`, which selects its page; it comes back by `rtc`.",
                 self->value->name ? self->value->name : "target");
            return refuse(self, "branch-reach");
        }
        target = language->seen((uint32_t)target);
    }
    if (language->seen) {
        end = language->span;
        distance = target - language->seen(self->address) - (self->next - self->address);
    }
    *field = (uint32_t)target;
    if (self->class->field == KIT_TARGET) return OAK_OK;
    if (self->class->field == KIT_PAGE) {
        if (target >> width == self->next >> width) return OAK_OK;
        if (self->class->window) { /* something else selects the page */
            *field &= ((uint32_t)1 << width) - 1;
            return OAK_OK;
        }
        char size[24] = "";
        if (!words && width >= 10) oak_format(size, sizeof size, "%u KiB ", 1u << (width - 10));
        SAY(self, "%s (0x%04llx) is outside the %spage 0x%04llx to 0x%04llx that %s reaches from here", name,
            (unsigned long long)target, size, (unsigned long long)(self->next >> width << width),
            (unsigned long long)((self->next >> width << width) + 2 * reach - 1), self->row->mnemonic);
        return too_far(self, true);
    }
    if (distance >= end / 2) distance -= end; /* the counter wraps */
    if (self->class->field == KIT_TWO_PARTS) {
        *field = (uint32_t)distance + ((uint32_t)distance << 1 & 0x1000);
        return OAK_OK;
    }
    if (distance < -end / 2) distance += end;
    *field = (uint32_t)distance;
    if (distance >= -reach && distance < reach) return OAK_OK;
    SAY(self, "%s is %lld %s %s, %s reaches %lld back and %lld forward", name,
        (long long)(distance < 0 ? -distance : distance), words ? "words" : "bytes",
        distance < 0 ? "back" : "forward", self->row->mnemonic, (long long)reach, (long long)reach - 1);
    return too_far(self, false);
}

/* The counter wraps at the end of the space. */
static oak_status put_near(encoder *self, uint32_t *field)
{
    const oak_architecture *about = &self->tables->language->isa->about;
    int64_t end = (int64_t)about->spaces[self->class->space].end, number = self->value->number;
    if (number < 0 || number >= end) return out_of_range(self, 0, end - 1);
    if (self->class->field == KIT_BEHIND) {
        int (*beside)(unsigned, unsigned) = self->tables->language->beside;
        const kit_language *language = self->tables->language;
        int64_t half = (int64_t)1 << (width_of(self) - 1), next = self->next;
        if (language->seen) {
            number = language->seen((uint32_t)number), end = language->span;
            next = language->seen(self->address) + (self->next - self->address);
        }
        int64_t distance = number - next - (beside ? beside(self->number, self->operand) : 0);
        if (distance >= end / 2) distance -= end;
        if (distance < -end / 2) distance += end;
        *field = (uint32_t)distance;
        if (distance >= -half && distance < half) return OAK_OK;
        SAY(self, "it is %lld bytes from here: from %lld to %lld is possible", (long long)distance,
            (long long)-half, (long long)half - 1);
        return refuse(self, "value-range");
    }
    *field =
        (uint32_t)(number - kit_field_at(self->tables, self->class->value, self->pattern, self->address));
    return OAK_OK;
}

static oak_status put_value(encoder *self, uint32_t *field)
{
    const kit_language *language = self->tables->language;
    unsigned width = width_of(self);
    int64_t number = self->value->number, most = ((int64_t)1 << width) - 1, half = (int64_t)1 << (width - 1);
    if (self->class->field >= KIT_TARGET) return put_target(self, field);
    if (self->class->field == KIT_LISTED) {
        int place = kit_listed(self->class, number);
        if (place >= 0) *field = (uint32_t)place;
        return place >= 0 ? OAK_OK : out_of_range(self, -half, most); /* a longer form takes it */
    }
    if (language->check && language->check(self->class, self->value, self->operand, self->why)) {
        self->why->operand = (int)self->operand;
        return OAK_REFUSED;
    }
    bool cell = self->class->field == KIT_CELL || self->class->field == KIT_END_CELL ||
                self->class->field == KIT_PORT_CELL || self->class->field == KIT_NEAR ||
                self->class->field == KIT_BEHIND;
    if (cell && check_space(self, self->class->space)) return OAK_REFUSED;
    if (self->class->field == KIT_PAGE_OF) {
        *field = (uint32_t)(number / language->isa->about.spaces[language->isa->about.code_space].page);
        return OAK_OK;
    }
    if (language->seen && self->value->space == language->isa->about.code_space && number >= language->span)
        number = language->seen((uint32_t)number);
    if (self->class->field == KIT_PORT_CELL && self->value->space) number -= language->ports_from;
    *field = (uint32_t)number;
    if (self->class->field == KIT_NEAR || self->class->field == KIT_BEHIND) return put_near(self, field);
    if (self->class->field == KIT_COUNT_UP || self->class->field == KIT_COUNT_DOWN) {
        bool up = self->class->field == KIT_COUNT_UP;
        *field = (uint32_t)(up ? number - 1 : most + 1 - number);
        return number < 1 || number > most + 1 ? out_of_range(self, 1, most + 1) : OAK_OK;
    }
    if (self->class->field == KIT_SIGNED)
        return number < -half || number >= half ? out_of_range(self, -half, half - 1) : OAK_OK;
    if (self->class->window) { /* the whole space may be named */
        int64_t end = (int64_t)language->isa->about.spaces[self->class->space].end;
        *field &= (uint32_t)most;
        return number < 0 || number >= end ? out_of_range(self, 0, end - 1) : OAK_OK;
    }
    if (self->class->field == KIT_END_CELL) {
        int64_t end = (int64_t)language->isa->about.spaces[self->class->space].end;
        if (number >= 0 && (number < half || (number >= end - half && number < end))) {
            *field &= (uint32_t)most;
            return OAK_OK;
        }
        char text[120];
        kit_show_number(self->value, text, sizeof text);
        SAY(self, "%s does not lie in the access bank: 0 to 0x%llx, and 0x%llx to 0x%llx", text,
            (long long)half - 1, (long long)(end - half), (long long)end - 1);
        HINT(self, "Leave `a` out, or write `b` for the bank that is selected.");
        return refuse(self, "value-range");
    }
    if (self->class->field == KIT_PARTS) *field += *field << 1 & 0x1000;
    int64_t least = self->class->field == KIT_BITS || self->class->field == KIT_PARTS ? -half : 0;
    return number < least || number > most ? out_of_range(self, least, most) : OAK_OK;
}

oak_flow kit_flow_of(const oak_isa_tables *tables, unsigned row, const uint8_t *bytes, uint32_t state)
{
    (void)bytes, (void)state;
    return (oak_flow)kit_tables_of(tables)->language->isa->rows[row].flow;
}

oak_status kit_address_as_byte(const oak_value *value, const char *instead, oak_refusal *why)
{
    const char *hole = instead, *name = value->name;
    if (!value->space || !name || (value->number >= -128 && value->number < 256)) return OAK_OK;
    while (*hole && *hole != '%') hole++;
    oak_format(why->message, sizeof why->message, "`%s` is the address 0x%04x, which does not fit 8 bits",
               name, (unsigned)value->number);
    oak_format(why->hint, sizeof why->hint,
               "%.*s%s%s for what is kept there; low(%s) and high(%s) are the bytes of the address.",
               (int)(hole - instead), instead, *hole ? name : "", *hole ? hole + 2 : "", name, name);
    why->code = "value-range";
    return OAK_REFUSED;
}

void kit_offer_mark(const oak_insn *insn, unsigned operand, const char *mark, oak_refusal *why)
{
    why->operand = (int)operand;
    why->code = "doubtful-mark";
    why->has_edit = true;
    why->edit_first = why->edit_last = insn->operand[operand].first;
    oak_format(why->edit, sizeof why->edit, "%s", mark);
}

int kit_target_of(const oak_isa_tables *tables, unsigned row)
{
    for (unsigned i = 0; i < kit_tables_of(tables)->row[row].count; i++) {
        const kit_class *class = kit_class_at(kit_tables_of(tables), row, i);
        if (class && class->field >= KIT_TARGET) return (int)i;
    }
    return -1;
}

oak_status kit_encode(const oak_isa_tables *opaque, unsigned row, const oak_insn *insn,
                      const oak_value *values, uint32_t address, uint8_t *bytes, oak_refusal *why)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    const kit_shape_of_row *shape = &tables->row[row];
    encoder self = {.tables = tables,
                    .row = &tables->language->isa->rows[row],
                    .number = row,
                    .pages = oak_pattern_width(&shape->pattern, 'p') != 0,
                    .next =
                        (int64_t)address + (tables->language->own_distance ? 0 : kit_units_of(tables, row)),
                    .address = address,
                    .why = why};
    const oak_architecture *about = &tables->language->isa->about;
    self.next %= (int64_t)about->spaces[about->code_space].end; /* the counter wraps */
    uint64_t word = shape->pattern.fixed;
    why->hint[0] = 0;
    for (unsigned i = 0; i < shape->count + shape->copies; i++) {
        self.operand = i < shape->count ? i : 0;
        const oak_operand *read = &insn->operand[self.operand];
        const kit_class *class = kit_class_at(tables, row, i);
        unsigned number = class && class->bits ? kit_class_for(tables, row, i, read) : shape->class_of[i];
        if (!number) continue;
        self.class = class = &tables->language->classes[number - 1];
        self.pattern = class->bits ? &tables->own_bits[number - 1] : &shape->pattern;
        self.value = &values[self.operand];
        uint64_t put = class->bits ? self.pattern->fixed : 0;
        int name = class->names ? tables->name_of_word[number - 1][read->reg] : -1;
        if (name >= 0) {
            uint32_t code = class->codes ? class->codes[name] : (uint32_t)name;
            for (unsigned k = 0; k < i; k++) { /* a register that is the same as another */
                const kit_class *other = kit_class_at(tables, row, k);
                if (other && other->letter == class->letter && !class->bits &&
                    oak_pattern_get(self.pattern, class->letter, word) !=
                        oak_pattern_get(self.pattern, class->letter,
                                        oak_pattern_put(self.pattern, class->letter, code)))
                    return refuse(&self, "operand");
            }
            put |= oak_pattern_put(self.pattern, class->letter, code);
        }
        if (class->field != KIT_NO_VALUE) {
            uint32_t field = 0;
            oak_status status = put_value(&self, &field);
            if (!status && field & ((1u << class->shift) - 1)) status = uneven(&self);
            if (status) return status;
            unsigned width = oak_pattern_width(self.pattern, class->value);
            put |= oak_pattern_put(self.pattern, class->value,
                                   kit_in_order(class, field >> class->shift, width));
        }
        word |= class->bits ? oak_pattern_put(&shape->pattern, kit_own_letter(tables, row, i), (uint32_t)put)
                            : put;
    }
    oak_lay_down(tables->language->isa, word, shape->pattern.size, bytes);
    return OAK_OK;
}
