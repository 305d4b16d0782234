/* flow.c — looks at where execution goes, for warnings: code that runs on into data, jumps to where no instruction
 * begins, subroutines that never return, loops that count from zero, labels that nothing uses. */
#include "asm/assembler.h"
#include "base/bytes.h"
#include "base/islands.h"

enum { MOST_STEPS = 4000000, IS_START = 1, IS_SEEN = 2 };

typedef struct flow {
    assembler *as;
    oak_islands land; /* of instructions; what follows is by its slots */
    uint8_t *mark;
    const statement **at_slot;
    uint32_t *todo;
    size_t todo_room;
    uint64_t steps;
} flow;

static bool decode_at(const flow *self, uint32_t address, uint32_t state, oak_decoded *decoded)
{
    uint8_t bytes[OAK_LONGEST_INSN];
    size_t known =
        oak_image_known(self->as->program->image, address * asm_unit(self->as), bytes, sizeof bytes);
    return self->as->isa->decode(self->as->tables, bytes, known, address, state, decoded) == OAK_OK;
}

/* Where an instruction of the source leads, as it was encoded. False when it was not. */
static bool encoded(const statement *one, oak_flow *goes, bool *has_target)
{
    *goes = (oak_flow)(one->unit & 0x3F);
    *has_target = one->unit & ASM_HAS_TARGET;
    return one->unit & ASM_ENCODED;
}

static bool is_start(const flow *self, uint32_t address)
{
    return self->mark[oak_islands_slot(&self->land, address)] & IS_START;
}

static const statement *statement_at(const flow *self, uint32_t address)
{
    return self->at_slot[oak_islands_slot(&self->land, address)];
}

static void check_ends(flow *self, const statement *one, oak_flow goes, bool has_target)
{
    assembler *as = self->as;
    uint8_t byte;
    uint32_t next = one->address + one->size;
#define LINE_SIZE asm_source(as, one->origin).size
    if (oak_goes_on(goes) && !is_start(self, next))
        asm_warn(as, one->origin, 0, LINE_SIZE, "runs-off",
                 "End it with a jump, a return, or a jump to itself.", "execution runs on into %s at 0x%04x",
                 asm_code_byte(as, next, 0, &byte) ? "data" : "nothing", (unsigned)next);
    if (has_target && goes != OAK_FLOW_NEXT && !is_start(self, one->count) &&
        asm_code_byte(as, one->count, 0, &byte))
        asm_warn(as, one->origin, 0, LINE_SIZE, "jump-into-data", NULL,
                 "this goes to 0x%04x, where no instruction begins", (unsigned)one->count);
#undef LINE_SIZE
}

/* A loop that counts down a counter which the instruction right before it sets to zero. `before` is that instruction. */
static void check_counter(flow *self, const statement *one)
{
    bool zero = false, other_zero = false;
    oak_decoded loop, loads;
    const oak_isa *isa = self->as->isa;
    if (one->count > one->address || !decode_at(self, one->address, one->as.code.insn->state, &loop)) return;
    unsigned counter = isa->counter_of(self->as->tables, &loop, &zero);
    if (!counter || zero) return;
    for (unsigned back = 1; back <= OAK_LONGEST_INSN && back <= one->count; back++) {
        const statement *before = statement_at(self, one->count - back);
        if (!before || before->size != back ||
            !decode_at(self, before->address, before->as.code.insn->state, &loads))
            continue;
        if (isa->counter_of(self->as->tables, &loads, &other_zero) != counter || !other_zero) return;
        asm_warn(self->as, before->origin, 0, asm_source(self->as, before->origin).size, "counts-from-zero",
                 "A counter that begins with 0 is counted down to 255 first.",
                 "the loop behind this runs 256 times");
        return;
    }
}

/* Whether a return of this name can be reached, and where; NULL: any return, or what nobody can follow; ANY_RETURN: any return that can be followed. Calls
 * inside are taken to come back. */
static const char ANY_RETURN[] = "";
static bool reaches_return(flow *self, uint32_t address, const char *name, uint32_t *where)
{
    size_t count = 0;
    bool found = false;
    for (uint32_t i = 0; i < self->land.slots; i++) self->mark[i] &= (uint8_t)~IS_SEEN;
    self->todo[count++] = address;
    while (count && !found && self->steps < MOST_STEPS) {
        uint32_t at = self->todo[--count], state = 0;
        for (;;) {
            uint32_t slot = oak_islands_slot(&self->land, at);
            if (slot == self->land.slots || (self->mark[slot] & IS_SEEN)) break;
            self->mark[slot] |= IS_SEEN;
            self->steps++;
            const statement *one = self->at_slot[slot];
            oak_decoded to = {0};
            bool known = one && encoded(one, &to.flow, &to.has_target);
            if (known) {
                to.row = one->as.code.rows[one->form];
                to.target = one->count;
                to.size = (uint8_t)one->size;
                to.state_after = (uint8_t)one->as.code.insn->state_after;
            } else known = decode_at(self, at, state, &to);
            if (!known || oak_returns(to.flow) || to.flow == OAK_FLOW_COMPUTED) {
                bool is_return = known && oak_returns(to.flow);
                found = !name || (is_return && (name == ANY_RETURN ||
                                                oak_same(self->as->isa->rows[to.row].mnemonic, name)));
                *where = at;
                if (found || !known || to.flow != OAK_FLOW_MAY_RETURN) break;
            }
            bool branches = to.has_target && to.flow != OAK_FLOW_CALL;
            uint32_t target = branches ? oak_islands_slot(&self->land, to.target) : self->land.slots;
            if (target < self->land.slots && count < self->todo_room && !(self->mark[target] & IS_SEEN))
                self->todo[count++] = to.target;
            if (!oak_goes_on(to.flow)) break;
            state = to.state_after;
            at += to.size;
        }
    }
    return found || (!name && self->steps >= MOST_STEPS);
}

/* Handlers, which the vectors of the part lead to, must not end as subroutines do. */
static void check_handlers(flow *self)
{
    assembler *as = self->as;
    const char *name = as->isa->plain_return;
    uint8_t byte;
    uint32_t at = 0;
    for (unsigned i = 0; name && i < as->part->vector_count; i++) {
        const oak_part_vector *vector = &as->part->vectors[i];
        /* Where code runs through it, it is no vector of this program. */
        if (!vector->address || !is_start(self, vector->address) ||
            asm_code_byte(as, vector->address - 1, 0, &byte) ||
            !reaches_return(self, vector->address, name, &at) || !statement_at(self, at))
            continue;
        const statement *one = statement_at(self, at);
        const char *hint = as->isa->trade ? as->isa->trade[OAK_TRADE_RETURN_FROM_INTERRUPT] : NULL;
        char whole[160];
        oak_format(whole, sizeof whole, "%s Without it no interrupt of this priority is served any more.",
                   hint ? hint : "");
        asm_warn(as, one->origin, 0, asm_source(as, one->origin).size, "handler-return", whole,
                 "the handler of %s ends with `%s`", vector->name, name);
    }
}

/* Where nothing can put an address on the stack but a call: a return that the main program comes to without one. */
static void check_main(flow *self)
{
    assembler *as = self->as;
    uint32_t at;
    if (!as->isa->about.stack.levels || !as->part->vector_count ||
        !is_start(self, as->part->vectors[0].address) ||
        !reaches_return(self, as->part->vectors[0].address, ANY_RETURN, &at))
        return;
    const statement *one = statement_at(self, at);
    if (one)
        asm_warn(as, one->origin, 0, asm_source(as, one->origin).size, "falls-into",
                 "Before the routine that it ends, a jump or a return is missing.",
                 "the main program comes to this `%s` without a call",
                 as->isa->rows[one->as.code.rows[one->form]].mnemonic);
}

static void check_all(flow *self)
{
    assembler *as = self->as;
    unsigned code = as->isa->about.code_space;
    for (size_t i = 0; i < as->statement_count; i++) {
        const statement *one = &as->statements[i];
        oak_flow goes;
        bool has_target;
        if (one->kind != STATEMENT_INSN || one->space != code || !encoded(one, &goes, &has_target)) continue;
        check_ends(self, one, goes, has_target);
        if (has_target && as->isa->counter_of) check_counter(self, one);
    }
    check_handlers(self);
    check_main(self);
    uint32_t where;
    /* Each subroutine once, at its first statement: at_slot forgets what has been asked. */
    for (size_t i = 0; i < as->statement_count && self->steps < MOST_STEPS; i++) {
        const statement *one = &as->statements[i];
        oak_flow goes;
        bool has_target;
        if (one->kind != STATEMENT_INSN || one->space != code || !encoded(one, &goes, &has_target)) continue;
        if (goes != OAK_FLOW_CALL || !has_target || !is_start(self, one->count)) continue;
        const statement *sub = statement_at(self, one->count);
        if (!sub) continue;
        self->at_slot[oak_islands_slot(&self->land, one->count)] = NULL;
        if (!reaches_return(self, one->count, NULL, &where))
            asm_warn(as, sub->origin, 0, asm_source(as, sub->origin).size, "never-returns",
                     "End it with a return, or jump to it instead of calling it.",
                     "this is called in line %u, and nothing in it returns", asm_line_of(as, one->origin));
    }
}

static bool is_instruction_somewhere(const char *text, size_t length)
{
    const oak_isa *isa;
    for (unsigned i = 0; (isa = oak_isa_at(i)); i++)
        for (unsigned row = 0; row < isa->row_count; row++)
            if (oak_same_name(text, length, isa->rows[row].mnemonic)) return true;
    return asm_trade_of(text, length) != OAK_TRADE_NONE;
}

/* Where a mnemonic ends that an operand follows without a blank, or 0. */
static size_t runs_together(assembler *as, const asm_name *name)
{
    for (size_t length = 2; length + 1 <= name->length; length++) {
        const char *rest = name->text + length;
        size_t left = name->length - length;
        if (as->isa->mnemonic(as->tables, name->text, length) < 0) continue;
        const asm_name *operand = asm_intern(as, rest, left);
        bool part = operand && operand->symbol && operand->symbol->kind == SYMBOL_PART;
        if (part || as->isa->is_register(as->tables, rest, left)) return length;
    }
    return 0;
}

/* A word alone in its line, from column one, that nothing uses: was it to be an instruction? */
static void warn_of_bare_labels(assembler *as)
{
    enum { MOST = 100 };
    unsigned looked = 0;
    for (size_t i = 0; i < as->symbols.count && looked < MOST; i++) {
        const asm_symbol *symbol = asm_symbol_at(as, i);
        const asm_name *name = asm_name_of(as, symbol);
        if (!symbol->bare || symbol->kind != SYMBOL_LABEL || symbol->uses || name->exported) continue;
        looked++;
        size_t end = symbol->column + (size_t)name->length, joint = runs_together(as, name);
        char hint[200];
        if (joint)
            oak_format(hint, sizeof hint, "Write `%.*s %s`.", (int)joint, name->text, name->text + joint);
        else if (!asm_trade_hint(as, name->text, name->length, hint, sizeof hint))
            oak_format(hint, sizeof hint, "A label that is meant has a colon.");
        if (joint || is_instruction_somewhere(name->text, name->length))
            asm_warn(as, symbol->origin, symbol->column, end, "operation-as-label", hint,
                     "this makes a label of `%s`, which nothing uses", name->text);
    }
}

static void check_labels(assembler *as)
{
    warn_of_bare_labels(as);
    if (!asm_warns(as, "unused-label")) return;
    for (size_t i = 0; i < as->symbols.count; i++) {
        const asm_symbol *symbol = asm_symbol_at(as, i);
        const asm_name *name = asm_name_of(as, symbol);
        if (symbol->kind != SYMBOL_LABEL || symbol->uses || name->exported || asm_shared(name) == symbol)
            continue;
        asm_warn(as, symbol->origin, symbol->column, symbol->column + (size_t)name->length, "unused-label",
                 NULL, "nothing uses `%s`", name->text);
    }
}

static oak_status find_land(flow *self)
{
    const assembler *as = self->as;
    oak_status status = OAK_OK;
    for (size_t i = 0; i < as->statement_count && !status; i++) {
        const statement *one = &as->statements[i];
        if (one->kind == STATEMENT_INSN && one->space == as->isa->about.code_space && one->size)
            status = oak_islands_add(&self->land, as->host, one->address, one->size);
    }
    oak_islands_lay_out(&self->land);
    return status;
}

void asm_check_flow(assembler *as)
{
    flow self = {.as = as};
    unsigned code = as->isa->about.code_space;
    check_labels(as);
    if (as->error_count) return; /* what follows from an error is not worth a warning */
    if (as->isa->selector) asm_check_selection(as);
    if (as->isa->pointing) asm_check_pointers(as);
    if (find_land(&self)) as->out_of_memory = true;
    size_t slots = self.land.slots + 1; /* one for what lies on none */
    self.todo_room = slots;
    if (slots > 1 && !as->out_of_memory) {
        self.at_slot = oak_take_zeroed(as->host, slots * sizeof *self.at_slot);
        self.mark = oak_take_zeroed(as->host, slots);
        self.todo = as->host->resize(as->host->context, NULL, 0, slots * sizeof *self.todo);
        as->out_of_memory = !self.at_slot || !self.mark || !self.todo;
    }
    if (slots > 1 && !as->out_of_memory) {
        for (size_t i = 0; i < as->statement_count; i++) {
            const statement *one = &as->statements[i];
            if (one->kind != STATEMENT_INSN || one->space != code || !one->size) continue;
            uint32_t slot = oak_islands_slot(&self.land, one->address);
            self.mark[slot] |= IS_START;
            self.at_slot[slot] = one;
        }
        check_all(&self);
    }
    oak_release(as->host, self.at_slot, slots, sizeof *self.at_slot);
    oak_release(as->host, self.mark, slots, 1);
    oak_release(as->host, self.todo, self.todo_room, sizeof *self.todo);
    oak_islands_free(&self.land, as->host);
}
