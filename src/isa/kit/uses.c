/* uses.c — what an instruction touches, out of the columns of its row: for each operand a letter, and behind a blank what it uses
 * without naming it: <name is read, >name written, =name both; a name is a register or a flag of the architecture. */
#include "base/arena.h"
#include "base/bytes.h"
#include "isa/kit/table.h"

static uint8_t accesses_of(char letter)
{
    return letter == 'r' || letter == '<'   ? KIT_READS
           : letter == 'w' || letter == '>' ? KIT_WRITES
           : letter == 'b' || letter == '=' ? KIT_BOTH
                                            : 0;
}

/* A register, or the bits of one that a flag is (flag.c where a register has its name). False when the name is neither. */
static bool named_register(const oak_architecture *about, const char *name, size_t length, bool is_flag,
                           kit_reach *one)
{
    static const char flag[] = "flag.";
    if (length > sizeof flag - 1 && !memcmp(name, flag, sizeof flag - 1))
        is_flag = true, name += sizeof flag - 1, length -= sizeof flag - 1;
    for (unsigned i = 0; i < about->register_count && !is_flag; i++) {
        if (!oak_same_name(name, length, oak_register_called(about, i))) continue;
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

const oak_register_cells *kit_cells_of(const oak_architecture *about, unsigned reg)
{
    for (unsigned i = 0; i < about->cells_count; i++)
        if (about->cells[i].reg == reg) return &about->cells[i];
    return NULL;
}

/* A register as the cells it is, where it is some: in the first bank. */
static void lay(const oak_architecture *about, kit_reach *one)
{
    const oak_register_cells *cells = kit_cells_of(about, one->address);
    if (!cells) return;
    one->space = cells->space;
    one->address = cells->address;
    one->size = cells->size;
    one->known = !cells->banks;
    one->banks = cells->banks, one->stride = cells->stride;
}

/* The instruction at an address as it was decoded, out of memory. */
static bool decode_again(const oak_core *core, uint32_t pc, oak_decoded *decoded)
{
    const kit_core *kit = kit_look(core);
    uint8_t bytes[OAK_LONGEST_INSN];
    uint32_t address = kit_address(core, pc);
    kit_fetch(core, address, bytes);
    return kit->arch->isa->decode(kit->tables, bytes, sizeof bytes, address, 0, decoded) == OAK_OK;
}

/* The register that an operand names: by its field, or as the word it is; its name, or NULL. */
static const char *name_of(const struct kit_tables *tables, const oak_decoded *decoded, unsigned operand)
{
    kit_part part = kit_part_of(tables, decoded->row, operand, decoded->word);
    const kit_class *class = part.class;
    if (!class) return tables->word[tables->row[decoded->row].word_of[operand]];
    const int name = class->names && class->letter ? kit_name_in(class, part.pattern, part.word) : -1;
    return name < 0 ? NULL : class->names[name];
}

kit_reach kit_register_written(const oak_architecture *about, unsigned reg)
{
    kit_reach one = {.accesses = KIT_WRITES, .bits = 0xFF, .known = true, .address = reg, .size = 1};
    lay(about, &one);
    return one;
}

/* What the columns say of a decoded instruction. */
typedef struct uses {
    const struct kit_tables *tables;
    const oak_decoded *decoded;
    kit_use *list;
    unsigned count;
} uses;

static const oak_architecture *about_of(const uses *self)
{
    return &self->tables->language->isa->about;
}

static void add(uses *self, kit_use use)
{
    if (self->count < KIT_MOST_USES) self->list[self->count++] = use;
}

static void add_register(uses *self, const char *name, size_t length, bool is_flag, uint8_t accesses)
{
    kit_use use = {.reach = {.accesses = accesses}};
    if (!accesses || !named_register(about_of(self), name, length, is_flag, &use.reach)) return;
    lay(about_of(self), &use.reach);
    add(self, use);
}

static void add_operand(uses *self, unsigned operand, uint8_t accesses)
{
    const struct kit_tables *tables = self->tables;
    kit_part part = kit_part_of(tables, self->decoded->row, operand, self->decoded->word);
    const kit_class *class = part.class;
    const char *name = name_of(tables, self->decoded, operand);
    bool pointed = class && class->touch >= KIT_TOUCH_POINTED;
    if (name && (!class || class->touch != KIT_TOUCH_NOTHING))
        add_register(self, name, oak_length(name), false,
                     !pointed                            ? accesses
                     : class->touch == KIT_TOUCH_STEPPED ? KIT_BOTH
                                                         : KIT_READS);
    if (!class || class->touch < KIT_TOUCH_CELL || !class->cells) return; /* more_cells says where */
    kit_use use = {.reach = {class->space, accesses, 0xFF, false, 0, 0, 0, class->cells},
                   .windowed = true,
                   .part = class->window};
    kit_reach pointer = {.accesses = KIT_READS};
    if (!pointed) {
        use.reach.known = true;
        use.reach.address =
            (uint32_t)kit_value_of(tables, self->decoded->row, operand, &part, self->decoded->address);
        if (tables->language->space_of)
            use.reach.space = (uint8_t)tables->language->space_of(class, use.reach.address);
    } else {
        if (name && named_register(about_of(self), name, oak_length(name), false, &pointer))
            use.pointer = (uint8_t)(pointer.address + 1);
        if (class->field != KIT_NO_VALUE) /* so far from there */
            use.reach.address =
                (uint32_t)kit_value_of(tables, self->decoded->row, operand, &part, self->decoded->address);
    }
    add(self, use);
}

static unsigned collect(const struct kit_tables *tables, const oak_decoded *decoded, kit_use *list)
{
    uses self = {tables, decoded, list, 0};
    const oak_insn_row *row = &tables->language->isa->rows[decoded->row];
    const char *columns = row->uses;
    for (unsigned i = 0; *columns && *columns != ' '; i++, columns++) {
        uint8_t accesses = accesses_of(*columns);
        const kit_class *class = kit_part_of(tables, decoded->row, i, decoded->word).class;
        if (accesses || (class && class->touch >= KIT_TOUCH_POINTED)) add_operand(&self, i, accesses);
    }
    for (unsigned pass = 0; pass < 2; pass++) /* what it uses without a word, and the flags it sets */
        for (const char *p = pass ? row->flags : columns; *p;) {
            while (*p == ' ') p++;
            uint8_t accesses = pass ? KIT_WRITES : accesses_of(*p);
            if (!pass && *p) p++;
            size_t length = 0;
            while (p[length] && p[length] != ' ') length++;
            add_register(&self, p, length, pass == 1, accesses);
            p += length;
        }
    unsigned restless = about_of(&self)->restless_register;
    kit_reach always = {
        .accesses = KIT_WRITES, .bits = 0xFF, .known = true, .address = restless - 1, .size = 1};
    if (restless) add(&self, (kit_use){.reach = always});
    return self.count;
}

/* What is written above the top of the stack, or (below 0) read from there on: in memory, or a level. */
static kit_reach on_stack(const oak_core *core, int bytes)
{
    const oak_core_ops *ops = kit_look(core)->arch->isa->core;
    const oak_stack_info *stack = &kit_look(core)->arch->isa->about.stack;
    uint32_t top = 0, size = (uint32_t)(bytes < 0 ? -bytes : bytes), behind = stack->points_to_free;
    (void)!ops->read_register(core, stack->pointer, &top); /* it is there */
    if (!stack->space)
        return (kit_reach){.accesses = bytes < 0 ? KIT_READS : KIT_WRITES,
                           .bits = 0xFF,
                           .address = stack->first_level +
                                      (bytes < 0 ? top + stack->levels - 1 : top) % stack->levels,
                           .size = 1};
    if (bytes > 0) top = stack->grows_up ? top + 1 - behind : top - size + behind;
    else top = stack->grows_up ? top + 1 - size - behind : top + behind;
    return (kit_reach){.space = stack->space,
                       .accesses = bytes < 0 ? KIT_READS : KIT_WRITES,
                       .bits = 0xFF,
                       .address = top,
                       .size = size};
}

/* The bytes that an instruction puts on the stack, or takes off it (below 0). */
static int pushed(const oak_core *core, const oak_decoded *decoded)
{
    const oak_isa *isa = kit_look(core)->arch->isa;
    oak_stack_use use = {0};
    if (!isa->about.stack.space && !isa->about.stack.levels) return 0;
    if (isa->frame)
        return 0; /* where a link register is, room is only made: what is stored there is a store */
    if (decoded->flow == OAK_FLOW_CALL) return isa->about.stack.return_bytes;
    if (oak_returns(decoded->flow)) return -isa->about.stack.return_bytes;
    if (isa->stack_use) isa->stack_use(kit_look(core)->tables, decoded, &use);
    return use.words * isa->about.stack.cell;
}

/* What the columns say of the instruction at an address, whatever is in the registers. */
static void learn(const oak_core *core, uint32_t pc, struct kit_known *known)
{
    const kit_core *kit = kit_look(core);
    *known = (struct kit_known){.pc = pc};
    if (!decode_again(core, pc, &known->decoded)) return;
    known->filled = true;
    kit_reach list[KIT_MOST_REACHED];
    if (!kit->arch->always)
        known->count = (uint8_t)collect(kit_tables_of(kit->tables), &known->decoded, known->use);
    else known->count = (uint8_t)kit->arch->always(core, &known->decoded, list);
    for (unsigned i = 0; kit->arch->always && i < known->count; i++)
        known->use[i] = (kit_use){.reach = list[i]};
    known->pushed = (int8_t)pushed(core, &known->decoded);
    known->more = kit->arch->more_cells && kit->arch->more_cells(core, &known->decoded, list, 0) > 0;
}

static struct kit_known *know(const oak_core *core, uint32_t pc)
{
    kit_core *kit = kit_of((oak_core *)(uintptr_t)core); /* what is known of code is kept */
    if (!kit->known) kit->known = oak_take_zeroed(kit->setup.host, KIT_MOST_KNOWN * sizeof *kit->known);
    struct kit_known *known = kit->known ? &kit->known[pc % KIT_MOST_KNOWN] : &kit->last_known;
    if (!known->filled || known->pc != pc) learn(core, pc, known);
    return known;
}

/* One of them with what is in the registers now. */
static inline void resolve(const oak_core *core, const struct kit_known *known, const kit_use *use,
                           kit_reach *one)
{
    const kit_arch *arch = kit_look(core)->arch;
    uint32_t value = 0;
    *one = use->reach;
    if (one->banks) one->address += arch->bank(core);
    uint64_t end = arch->isa->about.spaces[one->space].end;
    if (use->pointer && arch->isa->core->read_register(core, use->pointer - 1u, &value) == OAK_OK)
        one->address = one->address ? (uint32_t)((value + one->address) % (end ? end : 1)) : value;
    if (use->windowed && arch->window) arch->window(core, &known->decoded, one);
}

static unsigned reach_more(const oak_core *core, const struct kit_known *known, kit_reach *list,
                           unsigned count)
{
    if (known->pushed) list[count++] = on_stack(core, known->pushed);
    return known->more ? kit_look(core)->arch->more_cells(core, &known->decoded, list, count) : count;
}

static bool passes(const oak_core *core, const struct kit_known *known)
{
    const kit_arch *arch = kit_look(core)->arch;
    return !arch->passes || arch->passes(core, &known->decoded);
}

unsigned kit_reached(const oak_core *core, uint32_t pc, bool may, kit_reach *list)
{
    const struct kit_known *known = know(core, pc);
    unsigned count = 0;
    for (const kit_use *use = known->use; use < known->use + known->count; use++)
        resolve(core, known, use, &list[count++]);
    return may || passes(core, known) ? reach_more(core, known, list, count) : count;
}

/* The uses that a watch may want, whatever is in the registers. */
static void choose(const oak_core *core, struct kit_known *known)
{
    const kit_core *kit = kit_look(core);
    known->watching = kit->watching;
    known->natural = kit_natural(core, known->pc);
    known->wanted = 0;
    known->low = UINT32_MAX, known->high = 0;
    known->first_wanted = 0;
    for (unsigned i = 0; i < known->count; i++) {
        kit_reach one;
        resolve(core, known, &known->use[i], &one);
        for (unsigned w = 0; w < kit->watched_count; w++) {
            const oak_watched *cells = &kit->watched[w].cells;
            uint32_t last =
                cells->address + (cells->size - 1) +
                (kit->watched[w].banks ? kit->watched[w].stride * (kit->watched[w].banks - 1u) : 0);
            if (!kit_wants(cells, &one) ||
                (one.known && !kit->watched[w].banks && !kit_overlaps(cells->address, cells->size, &one)))
                continue;
            if (!known->wanted) known->first_wanted = (uint8_t)i;
            known->wanted |= 1u << (i - known->first_wanted);
            if (cells->address < known->low) known->low = cells->address;
            if (last > known->high) known->high = last;
        }
    }
}

static bool is_watched(const oak_core *core, const kit_reach *one)
{
    const kit_core *kit = kit_look(core);
    for (const kit_wanted *want = kit->watched; want < kit->watched + kit->watched_count; want++)
        if (kit_meets(core, want, one)) return true;
    return false;
}

uint16_t kit_unwatched(oak_core *core, uint32_t pc)
{
    struct kit_known *known = know(core, pc);
    kit_reach list[KIT_MOST_REACHED];
    if (known->watching != kit_look(core)->watching) choose(core, known);
    const kit_use *use = known->use + known->first_wanted;
    for (unsigned left = known->wanted; left; use++, left >>= 1) {
        if (!(left & 1)) continue;
        resolve(core, known, use, list);
        if (list->address > known->high || list->address + (list->size - 1) < known->low) continue;
        if (is_watched(core, list)) return 0;
    }
    if ((!known->pushed && !known->more) || !passes(core, known)) return known->natural;
    unsigned count = reach_more(core, known, list, 0);
    for (unsigned i = 0; i < count; i++)
        if (is_watched(core, &list[i])) return 0;
    return known->natural;
}

unsigned kit_entry(const oak_core *core, kit_reach *list)
{
    const kit_arch *arch = kit_look(core)->arch;
    const oak_stack_info *stack = &arch->isa->about.stack;
    unsigned count = 1;
    if (arch->isa->frame) return 0; /* nothing goes to the stack */
    list[0] =
        (kit_reach){.accesses = KIT_BOTH, .bits = 0xFF, .known = true, .address = stack->pointer, .size = 1};
    lay(&arch->isa->about, &list[0]);
    int bytes = stack->return_bytes;
    for (unsigned i = 0; i < stack->saved_count; i++) bytes += stack->saved[i].bytes;
    if (stack->space || stack->levels) list[count++] = on_stack(core, bytes);
    return count;
}

/* ------------------------------------------------------------------------------------------ what loops count by */

/* A register of a bank is a place of its own; where it lies nobody knows here. */
enum { OF_A_BANK = 0x10000 };

static oak_place place_of(const kit_reach *one)
{
    return (oak_place){one->space, one->banks ? one->address | OF_A_BANK : one->address};
}

static oak_place named_place(const struct kit_tables *tables, const char *name)
{
    const oak_architecture *about = &tables->language->isa->about;
    kit_reach one = {.accesses = KIT_BOTH};
    if (!named_register(about, name, oak_length(name), false, &one)) return (oak_place){0, UINT32_MAX};
    lay(about, &one);
    return place_of(&one);
}

static uint32_t immediate_of(const struct kit_tables *tables, const oak_decoded *decoded)
{
    const kit_shape_of_row *row = &tables->row[decoded->row];
    for (unsigned i = 0; i < row->count; i++) {
        kit_part part = kit_part_of(tables, decoded->row, i, decoded->word);
        if (part.class && part.class->field && part.class->field < KIT_TARGET &&
            part.class->touch == KIT_TOUCH_NOTHING)
            return (uint32_t)kit_value_of(tables, decoded->row, i, &part, decoded->address);
    }
    return 0;
}

void kit_effect(const oak_isa_tables *opaque, const oak_decoded *decoded, oak_effect *effect)
{
    const struct kit_tables *tables = kit_tables_of(opaque);
    const oak_insn_row *row = &tables->language->isa->rows[decoded->row];
    kit_use list[KIT_MOST_USES];
    unsigned count = collect(tables, decoded, list);
    const kit_use *written = NULL;
    kit_reach zero = {.accesses = KIT_WRITES};
    bool has_zero = named_register(&tables->language->isa->about, "z", 1, true, &zero);
    if (has_zero) {
        uint8_t bits = zero.bits;
        lay(&tables->language->isa->about, &zero);
        zero.bits = bits;
    }
    *effect = (oak_effect){.taken = row->taken};
    for (const kit_use *use = list; use < list + count; use++) {
        if (!(use->reach.accesses & KIT_WRITES)) continue;
        effect->zero |= has_zero && use->reach.space == zero.space && use->reach.address == zero.address &&
                        use->reach.bits & zero.bits;
        if (use->windowed && !use->reach.known) effect->writes_anything = true;
        if (effect->write_count == OAK_MOST_EFFECTS) effect->writes_anything = true;
        for (unsigned i = 0; i < use->reach.size && effect->write_count < OAK_MOST_EFFECTS; i++) {
            oak_place one = place_of(&use->reach);
            one.number += i;
            effect->part[effect->write_count] = use->part;
            effect->writes[effect->write_count++] = one;
        }
        if (!written) written = use;
    }
    for (const kit_counting *one = tables->language->counts; one && one->does; one++) {
        if (one->row != decoded->row) continue;
        effect->does = one->does;
        effect->goes = one->goes;
        effect->value = one->does != OAK_EFFECT_LOADS   ? one->value
                        : one->value == KIT_ITS_OPERAND ? (int32_t)immediate_of(tables, decoded)
                                                        : one->value;
        if (one->to) effect->to = named_place(tables, one->to);
        else if (written) effect->to = place_of(&written->reach), effect->to_part = written->part;
        else if (one->does != OAK_EFFECT_ASKS) effect->does = OAK_EFFECT_OTHER;
        if (one->from) effect->from = named_place(tables, one->from);
        return;
    }
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
