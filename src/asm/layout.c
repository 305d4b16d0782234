/* layout.c — addresses, the shortest forms that reach, and bytes.
 *
 * While lines are read, every statement is placed with its shortest form. If some instruction has several, the whole is
 * laid out again until nothing moves. In the first rounds a form may shrink again, since a later move can bring a target
 * back into reach; after that forms only grow, so that the end is certain. */
#include "asm/assembler.h"
#include "base/bytes.h"

enum { SHRINKING_ROUNDS = 8, MOST_ROUNDS = 200, DEEPEST_CONSTANT = 64 };

/* ------------------------------------------------------------------------------------------ values */

typedef struct value_context {
    assembler *as;
    unsigned depth;
} value_context;

static oak_status fault_text(oak_expr_fault *fault, const oak_expr *expr, const char *code,
                             const char *format, const char *name)
{
    fault->code = code;
    fault->first = expr->first;
    fault->last = expr->last;
    fault->hint[0] = 0;
    oak_format(fault->message, sizeof fault->message, format, name);
    return OAK_REFUSED;
}

static oak_status bit_address(void *context, const oak_expr *cell, const oak_value *value, int64_t bit,
                              oak_value *result)
{
    (void)cell;
    value_context *self = context;
    return self->as->isa->bit_of ? self->as->isa->bit_of(value, bit, result) : OAK_REFUSED;
}

static oak_status evaluate(value_context *context, const oak_expr *expr, const oak_value *here,
                           oak_value *value, oak_expr_fault *fault);

/* What has been reported once is not reported again: the code "" tells the caller to keep quiet. */
static oak_status already_reported(oak_expr_fault *fault)
{
    fault->code = "";
    return OAK_REFUSED;
}

static oak_status constant_value(value_context *context, asm_symbol *symbol, const oak_expr *expr,
                                 oak_value *value, oak_expr_fault *fault)
{
    if (symbol->reported) return already_reported(fault);
    if (symbol->settled || symbol->as.constant->worked_out == context->as->evaluations) {
        *value = (oak_value){.number = symbol->value, .space = symbol->space, .known = true};
        return OAK_OK;
    }
    if (symbol->evaluating || context->depth > DEEPEST_CONSTANT) {
        symbol->reported = true;
        return fault_text(fault, expr, "circular",
                          symbol->evaluating ? "`%s` is defined by itself"
                                             : "`%s` is defined through too many other names",
                          asm_name_of(context->as, symbol)->text);
    }
    symbol->evaluating = true;
    context->depth++;
    const oak_expr *inner = symbol->as.constant->expr;
    oak_value here = symbol->as.constant->here;
    oak_status status = evaluate(context, inner, &here, value, fault);
    context->depth--;
    symbol->evaluating = false;
    if (status) {
        /* The fault lies in the definition: report it there, once. */
        if (*fault->code && !symbol->reported) asm_report_fault(context->as, symbol->origin, fault);
        symbol->reported = true;
        return already_reported(fault);
    }
    unsigned code = context->as->isa->about.code_space;
    const oak_space_info *spaces = context->as->isa->about.spaces;
    if (symbol->must_be_bit && value->known && !spaces[value->space].of_bits) {
        if (value->space) {
            symbol->reported = true;
            asm_report(context->as, OAK_ERROR, symbol->origin, inner->first, inner->last, "wrong-space",
                       "Name one of its bits, for example with .0 behind it.",
                       "this is %s in %s and no single bit", value->space == code ? "a place" : "a byte",
                       spaces[value->space].title);
            return already_reported(fault);
        }
        for (unsigned s = 1; s < context->as->isa->about.space_count; s++)
            if (spaces[s].of_bits) value->space = (uint8_t)s;
    }
    symbol->settled = context->as->settled;
    symbol->as.constant->worked_out = context->as->evaluations;
    symbol->value = value->number;
    symbol->space = value->space;
    return OAK_OK;
}

asm_symbol *asm_resolve(const assembler *as, asm_symbol *symbol)
{
    asm_symbol *shared = symbol->kind == SYMBOL_UNDEFINED ? asm_shared(asm_name_of(as, symbol)) : NULL;
    return shared ? shared : symbol;
}

/* A symbol of another file that was not exported, for the advice. */
static const asm_symbol *elsewhere(const assembler *as, const asm_symbol *symbol)
{
    for (size_t i = 0; i < as->symbols.count; i++) {
        const asm_symbol *other = asm_symbol_at(as, i);
        if (other->name == symbol->name && other->kind != SYMBOL_UNDEFINED) return other;
    }
    return NULL;
}

/* FFh */
static bool is_hex(const asm_name *name)
{
    size_t length = name->length;
    bool hex = length > 1 && oak_lower(name->text[length - 1]) == 'h';
    for (size_t i = 0; i + 1 < length; i++) hex = hex && oak_hex_digit(name->text[i]) >= 0;
    return hex;
}

static oak_status value_of_name(const oak_expr_scope *scope, const oak_expr *expr, oak_value *value,
                                oak_expr_fault *fault)
{
    value_context *self = scope->context;
    assembler *as = self->as;
    asm_symbol *symbol = asm_resolve(as, expr->as.name);
    const asm_name *name = asm_name_of(as, symbol);
    switch (symbol->kind) {
    case SYMBOL_LABEL:
        if (symbol->reported) return already_reported(fault);
        /* fall through */
    case SYMBOL_PART:
        *value = (oak_value){.number = symbol->value, .space = symbol->space, .known = true};
        break;
    case SYMBOL_CONSTANT:
    case SYMBOL_VARIABLE: {
        oak_status status = constant_value(self, symbol, expr, value, fault);
        if (status) return status;
        break;
    }
    default:
        if (symbol->reported) return already_reported(fault);
        symbol->reported = true;
        fault_text(fault, expr, "unknown-symbol", "`%s` is not defined", name->text);
        bool several = as->settings && as->settings->path_count > 1;
        const asm_symbol *other = several && as->suggestions_left ? elsewhere(as, symbol) : NULL;
        asm_suggest_symbol(as, name, expr->first, fault->hint, sizeof fault->hint);
        if (!*fault->hint && is_hex(name))
            oak_format(fault->hint, sizeof fault->hint,
                       "A hexadecimal number begins with a digit: write 0%s.", name->text);
        if (!*fault->hint)
            oak_format(fault->hint, sizeof fault->hint, "Define it: `%s equ VALUE`, or as a label: `%s:`.",
                       name->text, name->text);
        if (other)
            oak_format(fault->hint, sizeof fault->hint,
                       "It is defined in %s, line %u: write `export %s` there.",
                       as->program->files[asm_source(as, other->origin).file].name,
                       asm_line_of(as, other->origin), name->text);
        if (symbol->uses > 1) {
            char more[sizeof fault->message];
            oak_format(more, sizeof more, "`%s` is not defined (used %u times)", name->text, symbol->uses);
            memcpy(fault->message, more, sizeof more);
        }
        return OAK_REFUSED;
    }
    value->name = name->text;
    return OAK_OK;
}

static oak_status evaluate(value_context *context, const oak_expr *expr, const oak_value *here,
                           oak_value *value, oak_expr_fault *fault)
{
    oak_expr_scope scope = {.context = context,
                            .value_of = value_of_name,
                            .bit = bit_address,
                            .here = *here,
                            .about = &context->as->isa->about};
    return oak_expr_value(expr, &scope, value, fault);
}

oak_status asm_evaluate(assembler *as, const oak_expr *expr, const oak_value *here, oak_value *value,
                        oak_expr_fault *fault)
{
    if (expr->kind == OAK_EXPR_NUMBER) {
        *value = (oak_value){.number = expr->as.number, .known = true};
        return OAK_OK;
    }
    value_context context = {.as = as};
    as->evaluations++;
    return evaluate(&context, expr, here, value, fault);
}

oak_status asm_value(assembler *as, const oak_expr *expr, const statement *at, oak_value *value)
{
    oak_expr_fault fault;
    oak_value here = {.number = at->address, .space = at->space, .known = true};
    oak_status status = asm_evaluate(as, expr, &here, value, &fault);
    if (status && *fault.code) asm_report_fault(as, at->origin, &fault);
    return status;
}

/* ------------------------------------------------------------------------------------------ placing */

/* True when a name in the expression has no value yet at this point of the source. */
static bool looks_further(assembler *as, const oak_expr *expr, unsigned depth)
{
    if (depth > DEEPEST_CONSTANT) return true;
    if (expr->kind == OAK_EXPR_NUMBER || expr->kind == OAK_EXPR_HERE) return false;
    if (expr->kind == OAK_EXPR_NAME) {
        asm_symbol *symbol = asm_resolve(as, expr->as.name);
        if (symbol->kind == SYMBOL_UNDEFINED) return true;
        bool constant = symbol->kind == SYMBOL_CONSTANT || symbol->kind == SYMBOL_VARIABLE;
        if (!constant || !symbol->as.constant->expr) return false;
        if (symbol->as.constant->looked == as->evaluations) return symbol->ahead;
        symbol->ahead = true; /* what goes in a circle has no value */
        symbol->as.constant->looked = as->evaluations;
        symbol->ahead = looks_further(as, symbol->as.constant->expr, depth + 1);
        return symbol->ahead;
    }
    return looks_further(as, expr->as.of.left, depth) ||
           (expr->as.of.right && looks_further(as, expr->as.of.right, depth)) ||
           (expr->as.of.third && looks_further(as, expr->as.of.third, depth));
}

static bool looks_ahead(assembler *as, const oak_expr *expr)
{
    as->evaluations++;
    return looks_further(as, expr, 0);
}

/* The first name in an expression that has no value yet. */
static const oak_expr *without_value(assembler *as, const oak_expr *expr)
{
    if (!expr || expr->kind == OAK_EXPR_NUMBER || expr->kind == OAK_EXPR_HERE) return NULL;
    if (expr->kind == OAK_EXPR_NAME) return looks_ahead(as, expr) ? expr : NULL;
    const oak_expr *found = without_value(as, expr->as.of.left);
    if (!found) found = without_value(as, expr->as.of.right);
    return found ? found : without_value(as, expr->as.of.third);
}

static bool known_here(assembler *as, const oak_expr *expr, uint32_t origin)
{
    if (!looks_ahead(as, expr)) return true;
    const oak_expr *name = without_value(as, expr);
    const oak_expr *at = name ? name : expr;
    char near[100] = "", hint[160];
    if (name)
        asm_suggest_symbol(as, asm_name_of(as, asm_resolve(as, name->as.name)), name->first, near,
                           sizeof near);
    oak_format(hint, sizeof hint, "Define it above this line.%s%s", *near ? " " : "", near);
    asm_report(as, OAK_ERROR, origin, at->first, at->last, "not-known-yet", hint,
               "`%s` has no value yet, and this must be known here",
               name ? asm_name_of(as, asm_resolve(as, name->as.name))->text : "this");
    return false;
}

bool asm_value_now(assembler *as, const oak_expr *expr, oak_value *value)
{
    statement here = {.origin = as->origin, .space = as->space, .address = asm_here(as)->here};
    return known_here(as, expr, as->origin) && asm_value(as, expr, &here, value) == OAK_OK;
}

/* The value of org, ds or align, which must be known where it stands. */
static bool fixed_value(assembler *as, statement *one, oak_value *value)
{
    if (one->count) return false; /* already reported */
    if (known_here(as, one->as.expr, one->origin) && asm_value(as, one->as.expr, one, value) == OAK_OK)
        return true;
    one->count = 1;
    return false;
}

static void report_fixed(assembler *as, statement *one, const char *hint, const char *message, int64_t number)
{
    one->count = 1;
    asm_report(as, OAK_ERROR, one->origin, one->as.expr->first, one->as.expr->last, "value-range", hint,
               "%s, this is %lld", message, (long long)number);
}

static void place_org(assembler *as, statement *one)
{
    oak_value value;
    as->lost = true; /* until the place is certain, labels behind it are nowhere */
    if (!fixed_value(as, one, &value)) return;
    if (value.number < 0 || value.number > UINT32_MAX) {
        report_fixed(as, one, "Write `org 0x100`.", "an address lies between 0 and 0xffffffff", value.number);
        return;
    }
    as->lost = false;
    asm_enter(as, value.space ? value.space : (uint16_t)as->isa->about.code_space);
    one->space = as->space;
    one->section = as->section;
    one->address = (uint32_t)value.number;
    asm_here(as)->here = one->address;
}

static void place_space(assembler *as, statement *one)
{
    oak_value value;
    if (!fixed_value(as, one, &value)) return;
    if (value.number < 0 || value.number > (int64_t)UINT32_MAX - one->address) {
        report_fixed(as, one, "It keeps bytes of the memory of the part.", "ds keeps 0 to 0xffffffff bytes",
                     value.number);
        return;
    }
    one->size = (uint32_t)value.number;
    asm_here(as)->here += one->size;
}

static void place_align(assembler *as, statement *one)
{
    oak_value value;
    if (!fixed_value(as, one, &value)) return;
    if (value.number < 1 || value.number > 0x10000) {
        report_fixed(as, one, "Write `align 4`.", "an alignment lies between 1 and 65536", value.number);
        return;
    }
    asm_section *section = asm_here(as);
    if (section->floats && section->align < value.number) section->align = (uint32_t)value.number;
    uint32_t over = one->address % (uint32_t)value.number;
    one->size = over ? (uint32_t)value.number - over : 0;
    asm_here(as)->here += one->size;
}

void asm_place(assembler *as, statement *one)
{
    if (one->kind == STATEMENT_SECTION) asm_enter(as, one->section);
    one->space = as->space;
    one->section = as->section;
    one->address = asm_here(as)->here;
    switch (one->kind) {
    case STATEMENT_ORG: place_org(as, one); return;
    case STATEMENT_SPACE: place_space(as, one); return;
    case STATEMENT_ALIGN: place_align(as, one); return;
    case STATEMENT_INSN:
        one->size = one->form_count ? as->isa->size(as->tables, one->as.code.rows[one->form]) : 0;
        break;
    case STATEMENT_POOL: asm_place_pool(as, one); break;
    default: break;
    }
    asm_here(as)->here += one->size;
}

/* ------------------------------------------------------------------------------------------ laying out */

/* Works out the operands of an instruction. With `quiet`, faults are kept for the last pass. */
static oak_status operand_values(assembler *as, const statement *one, bool quiet, oak_value *values)
{
    const oak_insn *insn = one->as.code.insn;
    oak_value here = {.number = one->address, .space = one->space, .known = true};
    oak_status result = OAK_OK;
    for (unsigned i = 0; i < insn->count; i++) {
        values[i] = (oak_value){.known = true};
        if (insn->operand[i].pooled) values[i].number = as->literals[insn->operand[i].pool_entry].address;
        if (!insn->operand[i].expr || insn->operand[i].pooled) continue;
        oak_expr_fault fault;
        oak_status status = asm_evaluate(as, insn->operand[i].expr, &here, &values[i], &fault);
        if (!status) continue;
        result = status;
        if (!quiet && *fault.code) asm_report_fault(as, one->origin, &fault);
        if (quiet) break;
    }
    return result;
}

/* True when every name in the operands is defined, so that trying a form reports nothing. */
static bool operands_are_defined(assembler *as, const statement *one)
{
    for (unsigned i = 0; i < one->as.code.insn->count; i++)
        if (one->as.code.insn->operand[i].expr && !one->as.code.insn->operand[i].pooled &&
            looks_ahead(as, one->as.code.insn->operand[i].expr))
            return false;
    return true;
}

bool asm_encode_quietly(assembler *as, const statement *one, uint8_t *bytes)
{
    oak_value values[OAK_MOST_OPERANDS];
    oak_refusal why;
    return operands_are_defined(as, one) && !operand_values(as, one, true, values) &&
           as->isa->encode(as->tables, one->as.code.rows[one->form], one->as.code.insn, values, one->address,
                           bytes, &why) == OAK_OK;
}

bool asm_evaluate_quietly(assembler *as, const oak_expr *expr, const statement *one, oak_value *value)
{
    oak_value here = {.number = one->address, .space = one->space, .known = true};
    oak_expr_fault fault;
    return expr && !looks_ahead(as, expr) && asm_evaluate(as, expr, &here, value, &fault) == OAK_OK &&
           value->known;
}

static uint8_t choose_form(assembler *as, const statement *one, bool may_shrink)
{
    oak_value values[OAK_MOST_OPERANDS];
    if (!operands_are_defined(as, one) || operand_values(as, one, true, values)) return one->form;
    uint8_t bytes[OAK_LONGEST_INSN];
    oak_refusal why;
    for (uint8_t form = may_shrink ? 0 : one->form; form < one->form_count; form++)
        if (as->isa->encode(as->tables, one->as.code.rows[form], one->as.code.insn, values, one->address,
                            bytes, &why) == OAK_OK)
            return form;
    return (uint8_t)(one->form_count - 1);
}

bool asm_trial_holds(assembler *as, const asm_trial *trial)
{
    statement one = {.address = trial->address, .space = trial->space, .form_count = (uint8_t)trial->forms};
    oak_value values[OAK_MOST_OPERANDS];
    uint8_t bytes[OAK_LONGEST_INSN];
    oak_refusal why;
    one.as.code.insn = (oak_insn *)(uintptr_t)&trial->insn;
    for (unsigned i = 0; i < trial->insn.count; i++)
        if (trial->operands[i].pooled) return false; /* it has no place in a pool */
    if (operand_values(as, &one, true, values)) return false;
    /* The line itself moves what stands behind it: it must hold wherever labels come to lie. */
    for (unsigned moved = 0; moved <= OAK_LONGEST_INSN; moved += 2) {
        bool encodes = false;
        for (unsigned form = 0; form < trial->forms && !encodes; form++)
            encodes = as->isa->encode(as->tables, trial->rows[form], &trial->insn, values, one.address, bytes,
                                      &why) == OAK_OK;
        if (!encodes) return false;
        for (unsigned i = 0; i < trial->insn.count; i++)
            if (values[i].space == as->isa->about.code_space) values[i].number += 2;
    }
    return true;
}

void asm_layout(assembler *as)
{
    as->laying_out = true;
    asm_link_pools(as);
    for (unsigned round = 0; (as->relaxes || as->floats) && round < MOST_ROUNDS; round++) {
        /* Forms first, all by one and the same layout: a distance measured between two of them means nothing. */
        bool chosen = false;
        for (size_t i = 0; i < as->statement_count && (round || !as->floats); i++) {
            statement *one = &as->statements[i];
            uint8_t form = one->form_count > 1 ? choose_form(as, one, round < SHRINKING_ROUNDS) : one->form;
            chosen |= form != one->form;
            one->form = form;
        }
        asm_rewind_sections(as);
        asm_rewind_pools(as);
        bool moved = asm_place_sections(as) || chosen;
        if (as->step_count && asm_choose_steps(as)) moved = true;
        asm_enter(as, (uint16_t)as->isa->about.code_space);
        for (size_t i = 0; i < as->statement_count; i++) {
            statement *one = &as->statements[i];
            uint32_t before = one->address;
            asm_place(as, one);
            if (one->address != before) moved = true;
            if (!one->label) continue;
            if (one->kind != STATEMENT_LABEL) one->label->as.constant->here.number = one->address;
            else
                for (asm_symbol *label = one->label; label; label = label->as.beside)
                    label->value = one->address;
        }
        if (!moved && !as->pool_moved && (round || !as->floats)) return; /* forms have been chosen */
    }
}

/* ------------------------------------------------------------------------------------------ bytes */

enum { BUFFER = 4096 };
typedef struct byte_writer {
    assembler *as;
    uint32_t start;
    size_t count;
    uint8_t bytes[BUFFER];
} byte_writer;

bool asm_code_byte(const assembler *as, uint32_t address, unsigned byte, uint8_t *value)
{
    return oak_image_byte(as->program->image, address * asm_unit(as) + byte, value);
}

/* Names the two statements that give bytes for one address. */
static void report_overlap(assembler *as, uint32_t address)
{
    const statement *first = NULL;
    size_t named = as->isa->about.space_count;
    for (size_t i = 0; i < as->statement_count; i++) {
        const statement *one = &as->statements[i];
        bool bytes =
            one->kind == STATEMENT_INSN || one->kind == STATEMENT_DATA || one->kind == STATEMENT_BINARY;
        if (!bytes || one->space != as->isa->about.code_space || address - one->address >= one->size)
            continue;
        if (!first) {
            first = one;
            continue;
        }
        if (first->section >= named && one->section >= named) return; /* said of the sections as a whole */
        asm_report(as, OAK_ERROR, one->origin, 0, 1, "overlap", "Move one of them with org.",
                   "address 0x%04x is already taken by line %u", (unsigned)address,
                   asm_line_of(as, first->origin));
        return;
    }
}

static void flush(byte_writer *writer)
{
    assembler *as = writer->as;
    oak_image *image = as->program->image;
    uint8_t byte;
    for (size_t i = 0; i < writer->count; i++) {
        if (!oak_image_byte(image, writer->start + (uint32_t)i, &byte)) continue;
        report_overlap(as, (writer->start + (uint32_t)i) / asm_unit(as));
        break;
    }
    if (oak_image_write(image, writer->start, writer->bytes, writer->count)) as->out_of_memory = true;
    writer->count = 0;
}

static void write_bytes(byte_writer *writer, uint32_t address, const uint8_t *bytes, size_t count)
{
    while (count) {
        if (writer->count == BUFFER || (writer->count && address != writer->start + writer->count))
            flush(writer);
        if (!writer->count) writer->start = address;
        size_t part = count < BUFFER - writer->count ? count : BUFFER - writer->count;
        memcpy(writer->bytes + writer->count, bytes, part);
        writer->count += part;
        address += (uint32_t)part;
        bytes += part;
        count -= part;
    }
}

/* True when a statement goes on behind one of which the same was said already. */
static bool goes_on(asm_stretch *said, const statement *one)
{
    bool on = said->any && said->section == one->section && said->end == one->address;
    *said = (asm_stretch){.any = true, .section = one->section, .end = one->address + one->size};
    return on;
}

/* Reports the first statement that lies outside the memories of the part, once for each stretch. */
static bool inside_memory(assembler *as, const statement *one)
{
    if (!one->size) return true;
    if (as->sections[one->section].homeless) return false;
    uint32_t last = one->address + (one->size - 1);
    const oak_space_info *space = &as->isa->about.spaces[one->space];
    if (space->of_bits || space->special) return true;
    const oak_part_memory *memory = oak_part_find_memory(as->part, one->space, one->address);
    if (memory && last >= one->address && last - memory->base < memory->size) return true;
    if (goes_on(&as->overrun, one)) return false;
    bool holds = one->kind != STATEMENT_SPACE; /* then it belongs where memory is programmed */
    for (unsigned pass = 0; pass < 2 && !memory; pass++)
        for (unsigned i = 0; i < as->part->memory_count && !memory; i++)
            if (as->part->memories[i].space == one->space &&
                (pass || !holds || !as->part->memories[i].writable))
                memory = &as->part->memories[i];
    char hint[120] = "";
    uint32_t end = memory ? memory->base + (memory->size - 1) : 0;
    if (memory && one->address - 1 <= end) /* it has grown out of it */
        oak_format(hint, sizeof hint,
                   "%s of %s ends at 0x%04x: choose a larger part, or make the program smaller.", space->name,
                   as->part->name, (unsigned)end);
    else if (memory)
        oak_format(hint, sizeof hint, "%s of %s goes from 0x%04x to 0x%04x: is the `org` before it right?",
                   space->name, as->part->name, (unsigned)memory->base, (unsigned)end);
    asm_report(as, OAK_ERROR, one->origin, 0, 1, "outside-memory", hint,
               "address 0x%04x lies outside the %s of %s", (unsigned)last, space->title, as->part->name);
    return false;
}

static bool must_be_code(assembler *as, const statement *one, const char *what)
{
    const oak_part_memory *memory = oak_part_find_memory(as->part, one->space, one->address);
    if (as->sections[one->section].copied) return true;
    if (one->space == as->isa->about.code_space && !(memory && !oak_memory_is_filled(memory))) return true;
    if (goes_on(&as->not_code, one)) return false;
    if (one->space == as->isa->about.code_space) {
        asm_report(as, OAK_ERROR, one->origin, 0, 1, "not-code-space",
                   "Keep space there with ds and let the program fill it; where a loader fills it, the part "
                   "says `loaded: yes`.",
                   "%s cannot lie in %s: only memory that keeps its contents is programmed", what,
                   *memory->title ? memory->title : "RAM");
        return false;
    }
    asm_report(
        as, OAK_ERROR, one->origin, 0, 1, "not-code-space",
        "Keep space there with ds and let the program fill it; go back to code with `org code:ADDRESS`.",
        "%s cannot lie in %s: only code memory is programmed", what, as->isa->about.spaces[one->space].title);
    return false;
}

/* What stands before a misaligned instruction and has the odd size; NULL when that is an address somebody has given. */
static const statement *odd_before(const assembler *as, const statement *one)
{
    uint32_t next = one->address;
    for (const statement *before = one; before-- > as->statements;) {
        if (before->section != one->section || before->address + before->size != next) return NULL;
        if (before->size % as->isa->about.code_align) return before;
        next = before->address;
    }
    return NULL;
}

/* An instruction where none can lie; those that follow it are not told again. */
static void report_misaligned(assembler *as, const statement *one, const oak_refusal *why)
{
    if (goes_on(&as->misaligned, one)) return;
    const statement *odd = odd_before(as, one);
    oak_source_line line = asm_source(as, one->origin);
    char hint[120];
    if (odd)
        oak_format(hint, sizeof hint, "Line %u has %u byte%s: put `align %u` behind it.",
                   asm_line_of(as, odd->origin), (unsigned)odd->size, odd->size == 1 ? "" : "s",
                   as->isa->about.code_align);
    asm_report(as, OAK_ERROR, one->origin, 0, line.size, why->code, odd ? hint : why->hint, "%s",
               why->message);
}

uint32_t asm_behind_skipped(const assembler *as, const statement *one)
{
    const statement *end = as->statements + as->statement_count, *next = one + 1;
    uint32_t behind = one->address + one->size;
    while (next < end && !next->size) next++;
    bool follows =
        next < end && next->kind == STATEMENT_INSN && next->space == one->space && next->address == behind;
    return behind + (follows ? next->size : as->isa->skips);
}

static void emit_instruction(assembler *as, statement *one, byte_writer *writer)
{
    oak_value values[OAK_MOST_OPERANDS];
    uint8_t bytes[OAK_LONGEST_INSN];
    oak_refusal why;
    const oak_insn *insn = one->as.code.insn;
    if (operand_values(as, one, false, values)) return;
    unsigned row = one->as.code.rows[one->form];
    if (as->isa->encode(as->tables, row, insn, values, one->address, bytes, &why)) {
        unsigned at = why.operand >= 0 ? (unsigned)why.operand : 0;
        if (oak_same(why.code, "alignment")) {
            report_misaligned(as, one, &why);
            return;
        }
        asm_report(as, OAK_ERROR, one->origin, insn->operand[at].first, insn->operand[at].last, why.code,
                   why.hint, "%s", why.message);
        return;
    }
    write_bytes(writer, asm_image_address(as, one) * asm_unit(as), bytes, one->size * asm_unit(as));
    int target = as->isa->target_of(as->tables, row);
    one->unit = (uint8_t)(ASM_ENCODED | as->isa->flow_of(as->tables, row, bytes, insn->state));
    if (target >= 0) one->unit |= ASM_HAS_TARGET, one->count = (uint32_t)values[target].number;
    else if (as->isa->skips && (one->unit & 0x3F) == OAK_FLOW_BRANCH)
        one->unit |= ASM_HAS_TARGET, one->count = asm_behind_skipped(as, one);
    if (!as->isa->doubt) return;
    unsigned decimal = 0;
    oak_source_line line = asm_source(as, one->origin);
    for (unsigned i = 0; i < insn->count; i++) {
        const oak_operand *operand = &insn->operand[i];
        bool digits = operand->last > operand->first && !line.expanded;
        for (unsigned c = operand->first; c < operand->last && digits; c++)
            digits = oak_is_digit(line.text[c]);
        decimal |= (unsigned)digits << i;
    }
    if (as->isa->doubt(as->tables, row, insn, values, decimal, &why))
        asm_warn(as, one->origin, insn->operand[why.operand].first, insn->operand[why.operand].last, why.code,
                 why.hint, "%s", why.message);
}

static void write_pool(void *context, uint32_t address, const uint8_t *bytes, size_t count)
{
    write_bytes(context, address, bytes, count);
}

uint32_t asm_data_units(const assembler *as, const statement *one)
{
    unsigned unit = one->space == as->isa->about.code_space ? asm_unit(as) : 1,
             bits = as->isa->about.spaces[as->isa->about.code_space].unit_bits;
    uint32_t bytes = 0, values = 0;
    for (uint32_t i = 0; i < one->count; i++) {
        bytes += one->as.items[i].expr ? one->unit : one->as.items[i].size;
        values += one->as.items[i].expr ? 1 : one->as.items[i].size;
    }
    if (unit == 1 || bits % 8 == 0) return (bytes + unit - 1) / unit;
    return values * (one->unit > 2 ? one->unit / 2u : 1); /* a value for each, since no two bytes fit */
}

static void emit_data(assembler *as, const statement *one, byte_writer *writer)
{
    unsigned code_bits = as->isa->about.spaces[as->isa->about.code_space].unit_bits, unit = asm_unit(as);
    unsigned width = code_bits % 8 && one->unit < unit ? unit : one->unit; /* of a value in the image */
    uint32_t address = asm_image_address(as, one) * unit, end = address + one->size * unit;
    for (uint32_t i = 0; i < one->count; i++) {
        const data_item *item = &one->as.items[i];
        if (!item->expr) {
            const char *at = item->text;
            for (uint32_t c = 0; c < item->size; c++) {
                uint8_t byte = 0;
                at += oak_read_character(at, at + 4, &byte);
                uint8_t padded[8] = {byte};
                write_bytes(writer, address, padded, width);
                address += width;
            }
            continue;
        }
        oak_value value;
        uint8_t bytes[8] = {0};
        unsigned bits = code_bits % 8 && one->unit == unit ? code_bits : 8u * one->unit;
        if (asm_value(as, item->expr, one, &value) == OAK_OK) {
            bool fits = bits == 64 ||
                        (value.number >= -((int64_t)1 << (bits - 1)) && value.number < (int64_t)1 << bits);
            if (!fits)
                asm_report(as, OAK_ERROR, one->origin, item->expr->first, item->expr->last, "value-range",
                           bits == 8    ? "Use dw for 16 bits, or take low(…) or high(…)."
                           : bits == 16 ? "Use dd for 32 bits."
                                        : "",
                           "%lld does not fit %u bits", (long long)value.number, bits);
            uint64_t number = (uint64_t)value.number;
            if (item->is_code) number |= as->isa->about.code_bit;
            oak_put_number(&as->isa->about, as->isa->about.code_space, number, bytes, one->unit);
        }
        write_bytes(writer, address, bytes, width);
        address += width;
    }
    for (uint8_t none = 0; address < end; address++)
        write_bytes(writer, address, &none, 1); /* the last unit is filled */
}

/* ------------------------------------------------------------------------------------------ assertions */

static void check_claim(assembler *as, const statement *one)
{
    oak_value value;
    const oak_expr *expr = one->as.claim.expr;
    if (asm_value(as, expr, one, &value) || value.number) return;
    asm_report(as, OAK_ERROR, one->origin, expr->first, expr->last, "assertion", NULL, "%s",
               one->as.claim.text ? one->as.claim.text : "this does not hold");
}

/* Where a loader begins the program and nobody says where: at an exported `start`. */
static void enter_at_start(const assembler *as)
{
    for (size_t i = 0; i < as->names.count; i++) {
        const asm_name *name = asm_name_at(as, i);
        const asm_symbol *symbol = name->exported ? name->symbol : asm_shared(name);
        if (symbol && symbol->kind == SYMBOL_LABEL && oak_same_name(name->text, name->length, "start"))
            oak_image_set_entry(as->program->image, (uint32_t)symbol->value);
    }
}

void asm_emit(assembler *as)
{
    byte_writer writer = {.as = as};
    as->settled = true;
    for (size_t i = 0; i < as->statement_count && !as->out_of_memory; i++) {
        statement *one = &as->statements[i];
        oak_value value;
        switch (one->kind) {
        case STATEMENT_INSN:
            if (one->form_count && must_be_code(as, one, "instructions") && inside_memory(as, one))
                emit_instruction(as, one, &writer);
            break;
        case STATEMENT_DATA:
            if (must_be_code(as, one, "data with values") && inside_memory(as, one))
                emit_data(as, one, &writer);
            break;
        case STATEMENT_BINARY:
            if (must_be_code(as, one, "data with values") && inside_memory(as, one))
                write_bytes(&writer, asm_image_address(as, one) * asm_unit(as),
                            (const uint8_t *)one->as.bytes, one->count);
            break;
        case STATEMENT_POOL:
            if (one->size && must_be_code(as, one, "a pool") && inside_memory(as, one))
                asm_emit_pool(as, one, &writer, write_pool);
            break;
        case STATEMENT_SPACE:
        case STATEMENT_ALIGN:
            if (inside_memory(as, one) && as->sections[one->section].copied)
                for (uint32_t k = 0; k < one->size; k++)
                    write_bytes(&writer, asm_image_address(as, one) + k, &(const uint8_t){0}, 1);
            break;
        case STATEMENT_ASSERT: check_claim(as, one); break;
        case STATEMENT_VALUE:
            if (one->as.expr && !one->label->reported) {
                oak_expr name = {.kind = OAK_EXPR_NAME, .as = {.name = one->label}};
                name.first = one->label->column;
                name.last = (uint16_t)(one->label->column + asm_name_of(as, one->label)->length);
                (void)!asm_value(as, &name, one, &value); /* it reports what is wrong */
            }
            break;
        default: break;
        }
    }
    if (writer.count) flush(&writer);
    asm_check_sections(as);
    asm_check_flow(as);
    asm_check_copied(as);
    if (!as->error_count) asm_check_configuration(as);
    oak_value value;
    statement at = {.origin = as->entry_place, .space = as->space};
    if (!as->entry && as->isa->about.enters) enter_at_start(as);
    if (!as->entry || asm_value(as, as->entry, &at, &value)) return;
    if (value.number >= 0 && value.number <= UINT32_MAX &&
        (!value.space || value.space == as->isa->about.code_space))
        oak_image_set_entry(as->program->image, (uint32_t)value.number);
    else
        asm_report(as, OAK_ERROR, as->entry_place, as->entry->first, as->entry->last, "wrong-space", NULL,
                   "execution begins in code memory");
}
