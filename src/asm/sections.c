/* sections.c — named stretches of a space, and room for those that float.
 *
 *   section NAME, SPACE [, at ADDRESS] [, align N]      opens one, or goes on in one that was opened before
 *   section NAME, SPACE, copied                         what it holds lies in code memory, and is copied by the program
 *   copied                                              where it does that
 *
 * Room is looked for from the lowest free address up, the most aligned and the largest section first, so that the result
 * does not depend on the order of the source files. */
#include "asm/assembler.h"
#include "base/bytes.h"

#define REPORT(as, from, to, code, hint, ...)                                                                \
    asm_report(as, OAK_ERROR, (as)->origin, (size_t)((from) - (as)->text), (size_t)((to) - (as)->text),      \
               code, hint, __VA_ARGS__)

void asm_enter(assembler *as, uint16_t section)
{
    as->section = section;
    as->space = as->sections[section].space;
}

static asm_section *add_section(assembler *as, const asm_section *section)
{
    asm_section *grown =
        oak_grow(as->host, as->sections, &as->section_room, as->section_count + 1, sizeof *grown);
    if (!grown) {
        as->out_of_memory = true;
        return NULL;
    }
    as->sections = grown;
    grown[as->section_count] = *section;
    return &grown[as->section_count++];
}

/* Where code lies when nobody says so: at 0, or where the memory begins that keeps it. */
static uint32_t first_code(const assembler *as)
{
    unsigned space = as->isa->about.code_space;
    if (oak_part_find_memory(as->part, space, 0)) return 0;
    for (unsigned i = 0; i < as->part->memory_count; i++) {
        const oak_part_memory *memory = &as->part->memories[i];
        if (memory->space == space && !memory->writable)
            return memory->first_free > memory->base ? memory->first_free : memory->base;
    }
    return 0;
}

bool asm_open_sections(assembler *as)
{
    for (unsigned space = 0; space < as->isa->about.space_count; space++) {
        asm_section section = {.space = (uint8_t)space, .align = 1, .origin = OAK_NO_PLACE};
        if (space == as->isa->about.code_space) section.base = section.here = first_code(as);
        if (!add_section(as, &section)) return false;
    }
    asm_enter(as, (uint16_t)as->isa->about.code_space);
    return true;
}

int asm_find_section(assembler *as, asm_name *name, size_t first, size_t last, unsigned space,
                     const uint32_t *address, uint32_t align, const oak_part_memory *memory)
{
    if (!name) return -1;
    for (size_t i = as->isa->about.space_count; i < as->section_count; i++) {
        asm_section *section = &as->sections[i];
        if (section->name != name) continue;
        if ((space && section->space != space) || (memory && section->memory != memory) ||
            (address && (section->floats || section->base != *address))) {
            asm_report(as, OAK_ERROR, as->origin, first, last, "section",
                       "Space and address are said where a section is opened first.",
                       "section `%s` was opened differently in line %u", name->text,
                       asm_line_of(as, section->origin));
            return -1;
        }
        if (align > section->align) section->align = align;
        return (int)i;
    }
    if (!space || as->section_count == MOST_SECTIONS) {
        asm_report(as, OAK_ERROR, as->origin, first, last, "section",
                   space ? NULL : "Write `section NAME, SPACE`: code, or a space of data.",
                   space ? "there are too many sections"
                         : "section `%s` is not open yet, so its space must be said",
                   name->text);
        return -1;
    }
    asm_section section = {.name = name,
                           .space = (uint8_t)space,
                           .align = align,
                           .origin = as->origin,
                           .floats = !address,
                           .memory = memory};
    if (address) section.base = section.here = *address;
    else as->floats = true;
    return add_section(as, &section) ? (int)as->section_count - 1 : -1;
}

static const char *const copied_names[] = {"copied_from", "copied_to", "copied_bytes"};

/* The names that the lines of copying use; 0 until all is laid out. */
static bool name_copied(assembler *as, unsigned which, int64_t value)
{
    asm_name *name = asm_intern(as, copied_names[which], oak_length(copied_names[which]));
    asm_symbol *symbol = !name ? NULL : name->symbol ? name->symbol : asm_new_symbol(as, name);
    if (!symbol) return false;
    bool moved = symbol->value != value;
    symbol->kind = SYMBOL_PART;
    symbol->value = value;
    return moved;
}

static const oak_copier *copier_of(const assembler *as, unsigned space)
{
    for (const oak_copier *one = as->isa->copiers; one && one->space; one++)
        if (one->space == space) return one;
    return NULL;
}

static void mark_copied(assembler *as, asm_section *section, const char *word, size_t length)
{
    const char *wrong = NULL, *hint = NULL;
    if (!copier_of(as, section->space)) {
        wrong = "nothing on this core copies from code memory to there";
        hint = "Keep space with ds, and let the program store each value.";
    } else if (!section->floats) {
        wrong = "where a section that is copied lies is left to the tool";
        hint = "Leave `at` out.";
    } else if (as->copies && as->sections[as->copies].space != section->space) {
        wrong = "sections that are copied lie in one space";
        hint = "Give them all the same.";
    }
    if (wrong) REPORT(as, word, word + length, "section", hint, "%s", wrong);
    else {
        section->copied = true;
        if (!as->copies) as->copies = (uint16_t)(section - as->sections);
    }
}

void asm_read_copied(assembler *as, const char *word, size_t length)
{
    const oak_copier *copier = as->isa->copiers;
    if (as->copies) copier = copier_of(as, as->sections[as->copies].space);
    if (!copier || as->copying) {
        REPORT(as, word, word + length, "section",
               copier ? "Once is enough." : "Let the program store each value.",
               copier ? "all that is copied was copied before"
                      : "nothing on this core copies from code memory");
        return;
    }
    as->copying = as->origin + 1;
    for (unsigned i = 0; i < 3; i++) (void)name_copied(as, i, 0);
    for (const char *const *line = copier->line; *line; line++) {
        if (!asm_put_instruction(as, *line)) return;
    }
}

void asm_check_copied(assembler *as)
{
    if (as->copies && !as->copying)
        asm_warn(as, as->sections[as->copies].origin, 0, asm_source(as, as->sections[as->copies].origin).size,
                 "not-copied", "Write `copied` where the program begins, behind what sets the stack pointer.",
                 "nothing copies section `%s` to where it lies", as->sections[as->copies].name->text);
}

uint32_t asm_image_address(const assembler *as, const statement *one)
{
    const asm_section *section = &as->sections[one->section];
    return section->copied ? section->load + (one->address - section->base) : one->address;
}

void asm_read_section(assembler *as, const char *word, size_t length, const char *at, const char *end)
{
    at = asm_skip_blanks(at, end);
    const char *name_at = at;
    size_t name_length = asm_word_length(at, end);
    unsigned space = 0;
    oak_value value = {0};
    uint32_t address = 0, align = 1;
    bool fixed = false, copied = false;
    const oak_part_memory *memory = NULL;
    if (!name_length || *at == '.') {
        char hint[60];
        oak_part_example(as->part, "Write `section NAME, $C`.", hint, sizeof hint);
        REPORT(as, word, word + length, "name-missing", hint, "a section needs a name");
        return;
    }
    at = asm_skip_blanks(at + name_length, end);
    while (at < end && *at == ',') {
        at = asm_skip_blanks(at + 1, end);
        size_t size = asm_word_length(at, end);
        bool is_at = oak_same_name(at, size, "at"), is_align = oak_same_name(at, size, "align");
        if (is_at || is_align) {
            const char *number = at + size;
            const oak_expr *expr = asm_parse_expression(as, &number, end);
            if (!expr || !asm_value_now(as, expr, &value)) return;
            if (value.number < (is_align ? 1 : 0) || value.number > (is_align ? 0x10000 : UINT32_MAX)) {
                REPORT(as, at, number, "value-range", NULL, "%lld cannot be %s", (long long)value.number,
                       is_at ? "an address" : "an alignment");
                return;
            }
            if (is_at) fixed = true, address = (uint32_t)value.number;
            else align = (uint32_t)value.number;
            at = number;
        } else if (oak_same_name(at, size, "copied")) {
            copied = true;
            at += size;
        } else {
            memory = size ? oak_part_find_memory_named(as->part, at, size) : NULL;
            if (memory && oak_same(memory->name, as->isa->about.spaces[memory->space].name)) memory = NULL;
            space = memory ? memory->space : size ? oak_part_find_space(as->part, at, size) : 0;
            const oak_space_info *about = &as->isa->about.spaces[space];
            if (!space || (about->special && !about->takes_memory)) {
                REPORT(as, at, at + (size ? size : 1), "section",
                       "Behind the name come a space, `at ADDRESS`, `align N`.",
                       "this says nothing of a section");
                return;
            }
            at += size;
        }
        at = asm_skip_blanks(at, end);
    }
    if (!asm_nothing_left(as, at, end)) return;
    /* Where instructions could lie, words may. */
    if (space == as->isa->about.code_space && align < as->isa->about.code_align && !fixed)
        align = as->isa->about.code_align;
    int section = asm_find_section(as, asm_intern(as, name_at, name_length), (size_t)(name_at - as->text),
                                   (size_t)(name_at - as->text) + name_length, space, fixed ? &address : NULL,
                                   align, memory);
    if (section < 0) return;
    if (copied) mark_copied(as, &as->sections[section], word, length);
    asm_enter(as, (uint16_t)section);
    statement *grown =
        oak_grow(as->host, as->statements, &as->statement_room, as->statement_count + 1, sizeof *grown);
    if (!grown) {
        as->out_of_memory = true;
        return;
    }
    as->statements = grown;
    grown[as->statement_count++] = (statement){.origin = as->origin,
                                               .kind = STATEMENT_SECTION,
                                               .space = as->space,
                                               .section = as->section,
                                               .address = asm_here(as)->here};
    as->lost = false;
}

void asm_rewind_sections(assembler *as)
{
    for (size_t i = 0; i < as->section_count; i++) {
        asm_section *section = &as->sections[i];
        bool first = i < as->isa->about.space_count;
        section->size = first ? 0 : section->here - section->base;
        section->here = section->base;
    }
}

/* ------------------------------------------------------------------------------------------ finding room */

typedef struct stretch {
    uint32_t first, last;
    uint8_t space;
} stretch;

typedef struct room_finder {
    assembler *as;
    stretch *taken;
    size_t count, room;
} room_finder;

static bool take(room_finder *finder, uint8_t space, uint32_t first, uint32_t size)
{
    if (!size) return true;
    stretch *last = finder->count ? &finder->taken[finder->count - 1] : NULL;
    if (last && last->space == space &&
        last->last + 1 == first) { /* most statements go on behind the one before */
        last->last = first + (size - 1);
        return true;
    }
    stretch *grown =
        oak_grow(finder->as->host, finder->taken, &finder->room, finder->count + 1, sizeof *grown);
    if (!grown) return false;
    finder->taken = grown;
    grown[finder->count++] = (stretch){first, first + (size - 1), space};
    return true;
}

/* The lowest place of `size` bytes inside a memory; false when there is none. *largest is the largest hole seen. */
static bool find_room(const room_finder *finder, uint8_t space, uint32_t lowest, uint32_t highest,
                      uint32_t size, uint32_t align, uint32_t *found, uint32_t *largest)
{
    uint64_t at = lowest;
    while (at <= highest) {
        at = (at + align - 1) / align * align;
        uint64_t stop = (uint64_t)highest + 1, next = 0;
        for (size_t i = 0; i < finder->count; i++) {
            const stretch *other = &finder->taken[i];
            if (other->space != space || other->last < at) continue;
            if (other->first <= at) {
                next = (uint64_t)other->last + 1;
                break;
            }
            if (other->first < stop) stop = other->first;
        }
        if (next) {
            at = next;
            continue;
        }
        if (at > highest) break;
        if (stop - at > *largest) *largest = (uint32_t)(stop - at);
        if (stop - at >= size) {
            *found = (uint32_t)at;
            return true;
        }
        at = stop;
    }
    return false;
}

static int in_placing_order(const void *a, const void *b, const void *context)
{
    const assembler *as = context;
    const asm_section *left = &as->sections[*(const uint16_t *)a],
                      *right = &as->sections[*(const uint16_t *)b];
    if (left->align != right->align) return left->align > right->align ? -1 : 1;
    if (left->size != right->size) return left->size > right->size ? -1 : 1;
    const char *x = left->name->text, *y = right->name->text;
    while (*x && oak_lower(*x) == oak_lower(*y)) x++, y++;
    return (unsigned char)oak_lower(*x) - (unsigned char)oak_lower(*y);
}

static void place_one(room_finder *finder, asm_section *section, bool *moved)
{
    assembler *as = finder->as;
    uint32_t found = 0, largest = 0;
    bool good = false;
    if (as->isa->about.spaces[section->space].of_bits)
        good = find_room(finder, section->space, 0, 0x7F, section->size, section->align, &found, &largest);
    for (unsigned i = 0; i < as->part->memory_count && !good; i++) {
        const oak_part_memory *memory = &as->part->memories[i];
        if (memory->space == section->space && (!section->memory || section->memory == memory))
            good = find_room(finder, section->space, memory->first_free, memory->base + (memory->size - 1),
                             section->size, section->align, &found, &largest);
    }
    if (!good) {
        if (!section->homeless)
            asm_report(as, OAK_ERROR, section->origin, 0, 1, "no-room",
                       "Choose a larger part, or make the section smaller.",
                       "section `%s` needs %u bytes; the largest hole in the %s of %s has %u",
                       section->name->text, (unsigned)section->size,
                       as->isa->about.spaces[section->space].title, as->part->name, (unsigned)largest);
        section->homeless = true; /* it keeps the place it has */
        return;
    }
    if (section->base != found) *moved = true;
    section->base = section->here = found;
    if (!take(finder, section->space, found, section->size)) as->out_of_memory = true;
}

/* All that is copied lies together, in the same order where it is kept and where it is used. */
static void place_copied(room_finder *finder, bool *moved)
{
    assembler *as = finder->as;
    asm_section whole = as->sections[as->copies], kept;
    whole.size = 0;
    for (size_t i = 0; i < as->section_count; i++) {
        asm_section *one = &as->sections[i];
        if (!one->copied) continue;
        if (one->align > whole.align) whole.align = one->align;
        whole.size = (whole.size + one->align - 1) / one->align * one->align;
        one->load = whole.size; /* for now, from the beginning of all */
        whole.size += one->size;
    }
    kept = whole;
    kept.space = (uint8_t)as->isa->about.code_space;
    kept.memory = NULL;
    for (unsigned i = 0; i < as->part->memory_count && !kept.memory; i++)
        if (as->part->memories[i].space == kept.space && !as->part->memories[i].writable)
            kept.memory = &as->part->memories[i];
    if (!whole.size) return;
    place_one(finder, &whole, moved);
    place_one(finder, &kept, moved);
    for (size_t i = 0; i < as->section_count; i++) {
        asm_section *one = &as->sections[i];
        if (!one->copied) continue;
        one->homeless = whole.homeless || kept.homeless;
        if (one->base != whole.base + one->load) *moved = true;
        one->base = one->here = whole.base + one->load;
        one->load += kept.base;
    }
    *moved |= name_copied(as, 0, kept.base);
    *moved |= name_copied(as, 1, whole.base);
    *moved |= name_copied(as, 2, whole.size);
}

bool asm_place_sections(assembler *as)
{
    if (!as->floats) return false;
    room_finder finder = {.as = as};
    bool moved = false;
    for (size_t i = 0; i < as->statement_count; i++) {
        const statement *one = &as->statements[i];
        if (as->sections[one->section].floats || one->kind == STATEMENT_ORG) continue;
        if (!take(&finder, one->space, one->address, one->size)) as->out_of_memory = true;
    }
    uint16_t order[MOST_SECTIONS];
    size_t count = 0;
    for (size_t i = 0; i < as->section_count; i++)
        if (as->sections[i].floats && as->sections[i].size && !as->sections[i].copied)
            order[count++] = (uint16_t)i;
    if (oak_sort(as->host, order, count, sizeof *order, in_placing_order, as)) as->out_of_memory = true;
    for (size_t i = 0; i < count && !as->out_of_memory; i++)
        place_one(&finder, &as->sections[order[i]], &moved);
    if (as->copies && !as->out_of_memory) place_copied(&finder, &moved);
    oak_release(as->host, finder.taken, finder.room, sizeof *finder.taken);
    return moved;
}

void asm_check_sections(assembler *as)
{
    for (size_t i = as->isa->about.space_count; i < as->section_count; i++) {
        const asm_section *one = &as->sections[i];
        for (size_t k = as->isa->about.space_count; k < i; k++) {
            const asm_section *other = &as->sections[k];
            uint64_t one_end = one->here, other_end = other->here;
            if (one->space != other->space || one->homeless || other->homeless) continue;
            if (one->base >= other_end || other->base >= one_end || one->base == one_end ||
                other->base == other_end)
                continue;
            asm_report(as, OAK_ERROR, one->origin, 0, asm_source(as, one->origin).size, "overlap",
                       "Move one of them, or leave its address to the tool.",
                       "section `%s` (0x%04x to 0x%04x) overlaps `%s` (0x%04x to 0x%04x), opened in line %u",
                       one->name->text, (unsigned)one->base, (unsigned)(one_end - 1), other->name->text,
                       (unsigned)other->base, (unsigned)(other_end - 1), asm_line_of(as, other->origin));
        }
    }
}
