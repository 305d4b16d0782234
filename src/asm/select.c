/* select.c — banks and pages: the directives that select them, with no instruction more than is needed, and a look at what the
 * finished program has selected where it names registers and labels.
 *
 * Each directive becomes all instructions that may select: of two that set and clear one bit, the one stands that the address
 * wants. When all is laid out, the program is followed, and those go that select what is selected anyway. What is selected
 * behind a directive does not depend on that, so the others stay right. */
#include "asm/assembler.h"
#include "base/bytes.h"
#include "isa/selection.h"
#include "part/naming.h"

/* ------------------------------------------------------------------------------------------ the program, followed */

typedef struct followed {
    assembler *as;
    oak_islands land;
    uint32_t *statement; /* by slot: number + 1 */
    oak_selection selection;
} followed;

static bool decode_at(const void *context, uint32_t address, oak_decoded *decoded)
{
    const followed *self = context;
    assembler *as = self->as;
    uint32_t slot = oak_islands_slot(&self->land, address);
    const statement *one = self->statement[slot] ? &as->statements[self->statement[slot] - 1] : NULL;
    uint8_t bytes[OAK_LONGEST_INSN];
    if (!one || !asm_encode_quietly(as, one, bytes) ||
        as->isa->decode(as->tables, bytes, one->size * asm_unit(as), address, one->as.code.insn->state,
                        decoded))
        return false;
    /* Where it is meant to go: the label in the source. */
    int target = as->isa->target_of(as->tables, decoded->row);
    oak_value value;
    if (target < 0 && decoded->flow == OAK_FLOW_BRANCH) decoded->target = asm_behind_skipped(as, one);
    if (decoded->has_target && target >= 0 &&
        asm_evaluate_quietly(as, one->as.code.insn->operand[target].expr, one, &value))
        decoded->target = (uint32_t)value.number;
    return true;
}

static bool is_code(const assembler *as, const statement *one)
{
    return one->kind == STATEMENT_INSN && one->space == as->isa->about.code_space && one->size;
}

/* A number that is only a part of an address, and meant so. */
static bool is_plain(const assembler *as, const oak_value *value, unsigned space)
{
    return !value->space && !value->name && (uint32_t)value->number < as->isa->about.spaces[space].page;
}

static void close_followed(followed *self)
{
    const oak_host *host = self->as->host;
    if (self->selection.room) oak_selection_close(&self->selection);
    oak_release(host, self->statement, self->land.slots + 1, sizeof *self->statement);
    oak_islands_free(&self->land, host);
}

/* From the vectors of the part, and from whatever they do not lead to. */
static oak_status follow(followed *self, assembler *as)
{
    oak_status status = OAK_OK;
    *self = (followed){.as = as};
    for (size_t i = 0; i < as->statement_count && !status; i++)
        if (is_code(as, &as->statements[i]))
            status =
                oak_islands_add(&self->land, as->host, as->statements[i].address, as->statements[i].size);
    oak_islands_lay_out(&self->land);
    self->statement = oak_take_zeroed(as->host, (self->land.slots + 1) * sizeof *self->statement);
    if (!self->statement || status) return OAK_NO_MEMORY;
    for (size_t i = 0; i < as->statement_count; i++)
        if (is_code(as, &as->statements[i]))
            self->statement[oak_islands_slot(&self->land, as->statements[i].address)] = (uint32_t)i + 1;
    status =
        oak_selection_open(&self->selection, as->isa, as->tables, as->host, &self->land, decode_at, self);
    if (status) return status;
    self->selection.intended = true;
    for (unsigned i = 0; i < as->part->vector_count; i++)
        (i ? oak_selection_vector : oak_selection_reset)(&self->selection, as->part->vectors[i].address);
    for (size_t i = 0; i < as->statement_count; i++)
        if (is_code(as, &as->statements[i]) &&
            !oak_selection_reached(&self->selection, as->statements[i].address))
            oak_selection_from(&self->selection, as->statements[i].address);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ the directives */

void asm_read_select(assembler *as, bool of_code, const char *at, const char *end)
{
    const oak_selector *selector = as->isa->selector;
    const char *first = at;
    const oak_expr *expr = asm_parse_expression(as, &at, end);
    bool selects = false;
    if (!expr || !asm_nothing_left(as, at, end)) return;
    for (unsigned i = 0; i < selector->step_count; i++)
        selects |= (selector->steps[i].space == as->isa->about.code_space) == of_code;
    if (!selects)
        asm_report(as, OAK_ERROR, as->origin, (size_t)(first - as->text), (size_t)(end - as->text),
                   "unknown-operation", "Leave it out.",
                   "%s has no pages of code: its jumps and calls reach everything", as->isa->about.name);
    for (unsigned i = 0; i < selector->step_count; i++) {
        const oak_select_step *is = &selector->steps[i];
        if ((is->space == as->isa->about.code_space) != of_code) continue;
        asm_step *grown = oak_grow(as->host, as->steps, &as->step_room, as->step_count + 1, sizeof *grown);
        statement *one = grown ? asm_put_instruction(as, is->line) : NULL;
        if (grown) as->steps = grown;
        else as->out_of_memory = true;
        if (!one) return;
        if (is->shift) one->as.code.insn->operand->expr = expr, one->as.code.insn->operand->extra = is->shift;
        grown[as->step_count++] =
            (asm_step){.is = is, .expr = expr, .statement = (uint32_t)(one - as->statements)};
        as->relaxes = true;
    }
}

/* The bits of an address that a step sets, where they lie in what is selected. */
static uint32_t bits_of(const oak_select_step *is, uint32_t address)
{
    return is->shift ? address >> is->shift & is->mask : address & is->address ? is->mask : 0;
}

/* What it is to set: a bit, or a number. */
static bool wants(assembler *as, const asm_step *step, uint32_t *bit)
{
    oak_value value;
    if (!asm_evaluate_quietly(as, step->expr, &as->statements[step->statement], &value)) return false;
    *bit = bits_of(step->is, as->isa->selector->home(step->is->space, (uint32_t)value.number));
    return true;
}

bool asm_choose_steps(assembler *as)
{
    bool changed = false;
    for (size_t i = 0; i < as->step_count; i++) {
        asm_step *step = &as->steps[i];
        statement *one = &as->statements[step->statement];
        uint32_t bit = 0;
        bool stands =
            !step->dropped &&
            (step->is->shift || (!wants(as, step, &bit) ? !step->is->one : (bit != 0) == step->is->one));
        changed = changed || one->form_count != stands;
        one->form_count = stands;
    }
    return changed;
}

/* Does what a step sets decide where the address leads? */
static bool matters(assembler *as, const asm_step *step, uint32_t address)
{
    const oak_selector *selector = as->isa->selector;
    oak_selected now = OAK_SELECTED_ANY;
    if (selector->anywhere) return !selector->anywhere(step->is->space, address);
    for (unsigned i = 0; i < selector->step_count; i++) {
        const oak_select_step *other = &selector->steps[i];
        if (other->space == step->is->space && other->mask != step->is->mask)
            oak_select(&now, other->mask, bits_of(other, address));
    }
    return !selector->whole(&now, step->is->space, &address);
}

/* Leaves out what is not needed as all stands now; true when something was. */
static void drop(followed *self)
{
    assembler *as = self->as;
    for (size_t i = 0; i < as->step_count; i++) {
        asm_step *step = &as->steps[i];
        const statement *one = &as->statements[step->statement];
        oak_value value;
        if (!wants(as, step, &step->wanted) || !one->form_count) continue;
        if (asm_evaluate_quietly(as, step->expr, one, &value) && !matters(as, step, (uint32_t)value.number)) {
            step->dropped = true;
            continue;
        }
        oak_selected now = oak_selection_at(&self->selection, one->address);
        uint32_t right = (now.one & ~now.zero & step->wanted) | (now.zero & ~now.one & ~step->wanted);
        step->dropped = (right & ~now.entry & step->is->mask) == step->is->mask;
    }
    /* Of a pair the other one goes as well. */
    for (size_t i = 0; i + 1 < as->step_count; i++) {
        asm_step *step = &as->steps[i], *next = step + 1;
        if (next->expr != step->expr || next->is->mask != step->is->mask) continue; /* not of a pair */
        step->dropped = next->dropped = step->dropped || next->dropped;
    }
}

void asm_drop_steps(assembler *as)
{
    enum { ROUNDS = 4 };
    for (size_t i = 0; i < as->step_count; i++) { /* names that nobody defines */
        const asm_step *step = &as->steps[i];
        oak_value value;
        const statement *one = &as->statements[step->statement];
        if (i && step[-1].expr == step->expr) continue;
        if (asm_value(as, step->expr, one, &value)) return;
        if (!value.space || value.space == step->is->space) continue;
        bool code = step->is->space == as->isa->about.code_space;
        asm_report(as, OAK_ERROR, one->origin, step->expr->first, step->expr->last, "wrong-space",
                   code ? "Write `bank` for a register." : "Write `page` for a place in the code.",
                   "this lies in the %s, of which no %s is selected",
                   as->isa->about.spaces[value.space].title, code ? "page" : "bank");
        return;
    }
    for (unsigned round = 0; round < ROUNDS; round++) {
        followed self;
        bool moved = false;
        if (follow(&self, as)) as->out_of_memory = true;
        else drop(&self);
        close_followed(&self);
        if (as->out_of_memory) return;
        asm_layout(as);
        uint32_t bit;
        for (size_t i = 0; i < as->step_count; i++)
            if (wants(as, &as->steps[i], &bit) && bit != as->steps[i].wanted) moved = true;
        if (!moved) return;
        for (size_t i = 0; i < as->step_count; i++) as->steps[i].dropped = false;
        asm_layout(as);
    }
}

static oak_status note(assembler *as, uint32_t origin, const char *text)
{
    oak_program *program = as->program;
    oak_note *grown =
        oak_grow(&program->host, program->notes, &program->note_room, program->note_count + 1, sizeof *grown);
    const char *kept = oak_arena_text(&program->arena, text, oak_length(text));
    if (grown) program->notes = grown;
    if (!grown || !kept) return OAK_NO_MEMORY;
    grown[program->note_count++] = (oak_note){origin, kept};
    return OAK_OK;
}

oak_status asm_note_steps(assembler *as)
{
    oak_status status = OAK_OK;
    for (size_t i = 0, next; i < as->step_count && !status; i = next) {
        const asm_step *first = &as->steps[i];
        const statement *one = &as->statements[first->statement];
        char text[200], became[120] = "";
        oak_value value;
        for (next = i; next < as->step_count && as->steps[next].expr == first->expr; next++) {
            size_t used = oak_length(became);
            const oak_select_step *is = as->steps[next].is;
            int shown = (int)oak_length(is->line) - (is->shift ? 1 : 0); /* the number stands for a number */
            if (!as->statements[as->steps[next].statement].form_count) continue;
            oak_format(became + used, sizeof became - used, "%s%.*s", used ? "; " : "", shown, is->line);
            used = oak_length(became);
            if (is->shift)
                oak_format(became + used, sizeof became - used, "%u", (unsigned)as->steps[next].wanted);
        }
        if (!asm_evaluate_quietly(as, first->expr, one, &value)) continue;
        unsigned space = first->is->space;
        unsigned number =
            as->isa->selector->home(space, (uint32_t)value.number) / as->isa->about.spaces[space].page;
        oak_format(text, sizeof text, "%s %u%s%s", space == as->isa->about.code_space ? "page" : "bank",
                   number, *became ? ": " : ": nothing is to be done here", became);
        status = note(as, one->origin, text);
    }
    return status;
}

/* ------------------------------------------------------------------------------------------ a look at the result */

static void report(assembler *as, const statement *one, const oak_operand *operand, const oak_value *value,
                   unsigned space, uint32_t reached)
{
    bool code = space == as->isa->about.code_space;
    char name[80], found[100], hint[160];
    unsigned bank =
        as->isa->selector->home(space, (uint32_t)value->number) / as->isa->about.spaces[space].page;
    oak_source_line line = asm_source(as, one->origin);
    oak_format(name, sizeof name, "%.*s", (int)(operand->last - operand->first), line.text + operand->first);
    const char *other =
        code ? NULL : oak_part_name_of(as->part, as->isa, space, reached, found, sizeof found);
    char at[40];
    oak_format(at, sizeof at, code ? "0x%04x" : "0x%03x", (unsigned)reached);
    oak_format(hint, sizeof hint, "Write `%s %s` before it.", code ? "page" : "bank", name);
    asm_warn(as, one->origin, operand->first, operand->last, code ? "other-page" : "other-bank", hint,
             code ? "this goes to %s: `%s` lies in page %u, which is not selected here"
                  : "this reaches %s: `%s` lies in bank %u, which is not selected here",
             other ? other : at, name, bank);
}

static void warn(assembler *as, const statement *one, const char *code, const char *hint, const char *format,
                 unsigned a, unsigned b)
{
    asm_warn(as, one->origin, 0, asm_source(as, one->origin).size, code, hint, format, a, b);
}

/* A computed jump: what selects its block, and whether its table stays in it. */
static void check_computed(followed *self, const statement *one, const oak_decoded *jump)
{
    assembler *as = self->as;
    uint32_t size = as->isa->selector->block, block, table = one->address + one->size, end = table;
    oak_decoded decoded;
    oak_selected now = oak_selection_at(&self->selection, one->address);
    while (decode_at(self, end, &decoded) && !oak_goes_on(decoded.flow) && end - table <= size)
        end += decoded.size;
    oak_status known = as->isa->selector->computed(jump, &now, &block);
    if (end == table || known == OAK_UNSUPPORTED) return;
    if (known == OAK_OK && block / size != table / size)
        warn(as, one, "computed-block", "Write `movlw high(TABLE)` and `movwf PCLATH` before it.",
             "this goes into the block at 0x%04x: its table lies at 0x%04x", block, table);
    else if ((end - 1) / size != table / size)
        warn(as, one, "computed-block", "Move the table with `align 256` or `org`, or make it shorter.",
             "the table behind this goes on past 0x%04x: entries from %u on are not reached",
             end / size * size - 1, end / size * size - table);
}

/* The address of the register that an instruction names in part, at its home. */
static bool names_register(assembler *as, const statement *one, uint32_t *home, bool *plain, bool *writes)
{
    oak_value value;
    oak_selected_operand what;
    int index = as->isa->selector->operand(as->tables, one->as.code.rows[one->form], &what);
    *writes = what.writes;
    if (index < 0 || what.space == as->isa->about.code_space ||
        !asm_evaluate_quietly(as, one->as.code.insn->operand[index].expr, one, &value))
        return false;
    *plain = what.part && is_plain(as, &value, what.space);
    *home = as->isa->selector->home(what.space, (uint32_t)value.number);
    return true;
}

/* The first statement that writes the register of a role of a block, or NULL. */
static const statement *first_write(assembler *as, const oak_part_block *block, int role)
{
    for (unsigned r = 0; r < block->role_count; r++) {
        if (block->roles[r].role != role) continue;
        for (size_t i = 0; i < as->statement_count; i++) {
            const statement *one = &as->statements[i];
            uint32_t home;
            bool plain, writes;
            if (is_code(as, one) && names_register(as, one, &home, &plain, &writes) && writes &&
                home == block->roles[r].address)
                return one;
        }
    }
    return NULL;
}

/* Ports that are written, and of which nothing makes an output: all pins are inputs after a reset. Where registers are reached through a
 * pointer, by a number without its bank, or by instructions that do not name them, nobody knows. */
static void check_directions(assembler *as)
{
    for (size_t i = 0; i < as->statement_count; i++) {
        uint32_t home;
        bool plain, writes = false;
        if (!is_code(as, &as->statements[i])) continue;
        bool named = names_register(as, &as->statements[i], &home, &plain, &writes);
        if (named ? plain || home == as->isa->selector->pointed : writes) return;
    }
    for (unsigned b = 0; b < as->part->block_count; b++) {
        const oak_part_block *block = &as->part->blocks[b];
        int inputs = oak_block_role(block->kind, "inputs");
        if (block->kind != OAK_BLOCK_PORT) continue;
        const statement *one = first_write(as, block, oak_block_role(block->kind, "data"));
        if (!one) one = first_write(as, block, oak_block_role(block->kind, "output"));
        if (!one || first_write(as, block, inputs)) continue;
        char hint[160], name[96];
        for (unsigned r = 0; r < block->role_count; r++) {
            const oak_part_role *role = &block->roles[r];
            if (role->role != inputs) continue;
            oak_format(hint, sizeof hint,
                       "Clear bits of `%s`: a 1 makes an input, and all are 1 after a reset.",
                       oak_part_name_of(as->part, as->isa, block->space, role->address, name, sizeof name));
            asm_warn(as, one->origin, 0, asm_source(as, one->origin).size, "all-inputs", hint,
                     "port %s is written, and nothing makes one of its pins an output", block->name);
        }
    }
}

/* A skip before a directive skips one instruction of it. */
static void check_skips(followed *self)
{
    assembler *as = self->as;
    for (size_t i = 0, next; i < as->step_count; i = next) {
        unsigned stand = 0;
        for (next = i; next < as->step_count && as->steps[next].expr == as->steps[i].expr; next++)
            stand += as->statements[as->steps[next].statement].form_count;
        size_t first = as->steps[i].statement;
        oak_decoded before;
        if (!first || stand == 1 || !is_code(as, &as->statements[first - 1]) ||
            !decode_at(self, as->statements[first - 1].address, &before) || before.flow != OAK_FLOW_BRANCH)
            continue;
        warn(as, &as->statements[first], "skips-part",
             "Select before the skip, or jump over what is to be left out.",
             stand ? "the instruction before this skips only the first of its %u instructions"
                   : "nothing is needed here: the instruction before this skips what follows",
             stand, 0);
    }
}

void asm_check_selection(assembler *as)
{
    bool elsewhere = false; /* what is written is not what is named */
    followed self;
    const oak_selector *selector = as->isa->selector;
    if (follow(&self, as)) as->out_of_memory = true;
    for (size_t i = 0; i < as->statement_count && !as->out_of_memory; i++) {
        const statement *one = &as->statements[i];
        oak_decoded decoded;
        if (!is_code(as, one)) continue;
        if (decode_at(&self, one->address, &decoded) && decoded.flow == OAK_FLOW_COMPUTED)
            check_computed(&self, one, &decoded);
        oak_value value;
        oak_selected_operand what;
        int index = selector->operand(as->tables, one->as.code.rows[one->form], &what);
        const oak_operand *operand = index < 0 || !what.part ? NULL : &one->as.code.insn->operand[index];
        if (!operand || !operand->expr || asm_value(as, operand->expr, one, &value)) continue;
        uint32_t address = (uint32_t)value.number;
        oak_selected now = oak_selection_at(&self.selection, one->address);
        uint32_t reached = address;
        if (is_plain(as, &value, what.space) || !selector->whole(&now, what.space, &reached) ||
            selector->home(what.space, address) == reached)
            continue;
        report(as, one, operand, &value, what.space, reached);
        elsewhere = true;
    }
    if (!as->out_of_memory) check_skips(&self);
    if (!as->out_of_memory && !elsewhere) check_directions(as);
    close_followed(&self);
}
