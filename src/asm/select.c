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

static bool evaluate(assembler *as, const oak_expr *expr, const statement *one, oak_value *value)
{
    oak_value here = {.number = one->address, .space = one->space, .known = true};
    oak_expr_fault fault;
    return expr && asm_evaluate(as, expr, &here, value, &fault) == OAK_OK && value->known;
}

static bool decode_at(const void *context, uint32_t address, oak_decoded *decoded)
{
    const followed *self = context;
    assembler *as = self->as;
    uint32_t slot = oak_islands_slot(&self->land, address);
    const statement *one = self->statement[slot] ? &as->statements[self->statement[slot] - 1] : NULL;
    uint8_t bytes[OAK_LONGEST_INSN];
    if (!one || !asm_encode_quietly(as, one, bytes) ||
        as->isa->decode(as->tables, bytes, one->size * asm_unit(as), address, one->as.code.insn->state, decoded))
        return false;
    /* Where it is meant to go: the label in the source. */
    int target = as->isa->target_of(as->tables, decoded->row);
    oak_value value;
    if (decoded->has_target && target >= 0 &&
        evaluate(as, one->as.code.insn->operand[target].expr, one, &value))
        decoded->target = (uint32_t)value.number;
    return true;
}

static bool is_code(const assembler *as, const statement *one)
{
    return one->kind == STATEMENT_INSN && one->space == as->isa->about.code_space && one->size;
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
    enum { MOST = 64 };
    uint32_t entries[MOST];
    unsigned count = 0;
    oak_status status = OAK_OK;
    *self = (followed){.as = as};
    for (size_t i = 0; i < as->statement_count && !status; i++)
        if (is_code(as, &as->statements[i]))
            status = oak_islands_add(&self->land, as->host, as->statements[i].address, as->statements[i].size);
    oak_islands_lay_out(&self->land);
    self->statement = oak_take_zeroed(as->host, (self->land.slots + 1) * sizeof *self->statement);
    if (!self->statement || status) return OAK_NO_MEMORY;
    for (size_t i = 0; i < as->statement_count; i++)
        if (is_code(as, &as->statements[i]))
            self->statement[oak_islands_slot(&self->land, as->statements[i].address)] = (uint32_t)i + 1;
    status = oak_selection_open(&self->selection, as->isa, as->tables, as->host, &self->land, decode_at, self);
    if (status) return status;
    self->selection.intended = true;
    for (; count < as->part->vector_count && count < MOST; count++)
        entries[count] = as->part->vectors[count].address;
    oak_selection_follow(&self->selection, entries, count);
    for (size_t i = 0; i < as->statement_count; i++)
        if (is_code(as, &as->statements[i]) && !oak_selection_reached(&self->selection, as->statements[i].address))
            oak_selection_from(&self->selection, as->statements[i].address);
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ the directives */

void asm_read_select(assembler *as, bool of_code, const char *at, const char *end)
{
    const oak_selector *selector = as->isa->selector;
    const oak_expr *expr = asm_parse_expression(as, &at, end);
    if (!expr || !asm_nothing_left(as, at, end)) return;
    for (unsigned i = 0; i < selector->step_count; i++) {
        const oak_select_step *is = &selector->steps[i];
        if ((is->space == as->isa->about.code_space) != of_code) continue;
        asm_step *grown = oak_grow(as->host, as->steps, &as->step_room, as->step_count + 1, sizeof *grown);
        statement *one = grown ? asm_put_instruction(as, is->line) : NULL;
        if (grown) as->steps = grown;
        else as->out_of_memory = true;
        if (!one) return;
        grown[as->step_count++] = (asm_step){.is = is, .expr = expr, .statement = (uint32_t)(one - as->statements)};
        as->relaxes = true;
    }
}

static bool wants(assembler *as, const asm_step *step, uint32_t *bit)
{
    oak_value value;
    if (!evaluate(as, step->expr, &as->statements[step->statement], &value)) return false;
    *bit = (as->isa->selector->home(step->is->space, (uint32_t)value.number) & step->is->address) != 0;
    return true;
}

bool asm_choose_steps(assembler *as)
{
    bool changed = false;
    for (size_t i = 0; i < as->step_count; i++) {
        asm_step *step = &as->steps[i];
        statement *one = &as->statements[step->statement];
        uint32_t bit = 0;
        bool stands = !step->dropped && (!wants(as, step, &bit) ? !step->is->one : (bit != 0) == step->is->one);
        changed = changed || one->form_count != stands;
        one->form_count = stands;
    }
    return changed;
}

/* Leaves out what is not needed as all stands now; true when something was. */
static void drop(followed *self)
{
    assembler *as = self->as;
    for (size_t i = 0; i < as->step_count; i++) {
        asm_step *step = &as->steps[i];
        const statement *one = &as->statements[step->statement];
        if (!wants(as, step, &step->wanted) || !one->form_count) continue;
        oak_selected now = oak_selection_at(&self->selection, one->address);
        uint32_t right = step->is->one ? now.one & ~now.zero : now.zero & ~now.one;
        step->dropped = (right & ~now.entry & step->is->mask) == step->is->mask;
    }
    /* Of a pair the other one goes as well. */
    for (size_t i = 0; i + 1 < as->step_count; i++) {
        asm_step *step = &as->steps[i], *next = step + 1;
        if (next->expr != step->expr || next->is->mask != step->is->mask) continue;
        step->dropped = next->dropped = step->dropped || next->dropped;
    }
}

void asm_drop_steps(assembler *as)
{
    enum { ROUNDS = 4 };
    for (size_t i = 0; i < as->step_count; i++) { /* names that nobody defines */
        const asm_step *step = &as->steps[i];
        oak_value value;
        if ((!i || step[-1].expr != step->expr) &&
            asm_value(as, step->expr, &as->statements[step->statement], &value))
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
    oak_note *grown = oak_grow(&program->host, program->notes, &program->note_room, program->note_count + 1, sizeof *grown);
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
            if (as->statements[as->steps[next].statement].form_count)
                oak_format(became + used, sizeof became - used, "%s%s", used ? "; " : "", as->steps[next].is->line);
        }
        if (!evaluate(as, first->expr, one, &value)) continue;
        unsigned space = first->is->space;
        unsigned number = as->isa->selector->home(space, (uint32_t)value.number) / as->isa->about.spaces[space].page;
        oak_format(text, sizeof text, "%s %u%s%s", space == as->isa->about.code_space ? "page" : "bank", number,
                   *became ? ": " : " is selected here already: nothing", became);
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
    unsigned bank = as->isa->selector->home(space, (uint32_t)value->number) / as->isa->about.spaces[space].page;
    oak_source_line line = asm_source(as, one->origin);
    oak_format(name, sizeof name, "%.*s", (int)(operand->last - operand->first), line.text + operand->first);
    const char *other = code ? NULL : oak_part_name_of(as->part, as->isa, space, reached, found, sizeof found);
    char at[40];
    oak_format(at, sizeof at, code ? "0x%04x" : "0x%03x", (unsigned)reached);
    oak_format(hint, sizeof hint, "Write `%s %s` before it.", code ? "page" : "bank", name);
    asm_warn(as, one->origin, operand->first, operand->last, code ? "other-page" : "other-bank", hint,
             code ? "this goes to %s: `%s` lies in page %u, which is not selected here"
                  : "this reaches %s: `%s` lies in bank %u, which is not selected here",
             other ? other : at, name, bank);
}

void asm_check_selection(assembler *as)
{
    followed self;
    const oak_selector *selector = as->isa->selector;
    if (follow(&self, as)) as->out_of_memory = true;
    for (size_t i = 0; i < as->statement_count && !as->out_of_memory; i++) {
        const statement *one = &as->statements[i];
        if (!is_code(as, one)) continue;
        unsigned space;
        oak_value value;
        int index = selector->operand(as->tables, one->as.code.rows[one->form], &space);
        const oak_operand *operand = index < 0 ? NULL : &one->as.code.insn->operand[index];
        if (!operand || !operand->expr || asm_value(as, operand->expr, one, &value)) continue;
        uint32_t address = (uint32_t)value.number, window = as->isa->about.spaces[space].page;
        bool plain = !value.space && !value.name && address < window; /* a part of an address, meant so */
        oak_selected now = oak_selection_at(&self.selection, one->address);
        uint32_t reached = address;
        if (plain || !selector->whole(&now, space, &reached) || selector->home(space, address) == reached) continue;
        report(as, one, operand, &value, space, reached);
    }
    close_followed(&self);
}
