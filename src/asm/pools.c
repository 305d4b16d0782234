/* pools.c — words that instructions load from beside the code (`ldr r0, =value`), and where they are kept.
 *
 * A pool can stand where the source says `pool`, in front of an org, at the end of a section, and behind every instruction
 * that never goes on behind itself. Those of the last kind are used only when the next place would be out of reach of an
 * instruction that waits; once used they stay in use, so that laying out comes to an end. Equal values share a word. */
#include "asm/assembler.h"
#include "base/bytes.h"

enum {
    WORD = 4,
    GROWTH = 64
}; /* GROWTH: what instructions on the way to the next place may still become longer by */

bool asm_add_literal(assembler *as, const oak_expr *expr, uint32_t *number)
{
    asm_literal *grown =
        oak_grow(as->host, as->literals, &as->literal_room, as->literal_count + 1, sizeof *grown);
    if (!grown) {
        as->out_of_memory = true;
        return false;
    }
    as->literals = grown;
    *number = (uint32_t)as->literal_count;
    grown[as->literal_count++] = (asm_literal){
        .expr = expr, .user = (uint32_t)as->statement_count, .section = as->section, .pool = ASM_NO_POOL};
    as->relaxes = true;
    return true;
}

bool asm_waits_for_pool(const assembler *as)
{
    for (size_t i = as->literal_count; i-- > 0;) {
        const asm_literal *one = &as->literals[i];
        if (one->section == as->section) return !one->offered;
    }
    return false;
}

void asm_pool_offered(assembler *as)
{
    for (size_t i = as->literal_count; i-- > 0;) {
        asm_literal *one = &as->literals[i];
        if (one->section != as->section) continue;
        if (one->offered) return;
        one->offered = true;
    }
}

void asm_link_pools(assembler *as)
{
    for (size_t i = as->statement_count; i-- > 0;) {
        statement *one = &as->statements[i];
        if (one->kind != STATEMENT_POOL) continue;
        one->as.pool.next = as->sections[one->section].next_pool;
        as->sections[one->section].next_pool = (uint32_t)i;
    }
}

void asm_rewind_pools(assembler *as)
{
    for (size_t i = 0; i < as->literal_count; i++) as->literals[i].pool = ASM_NO_POOL;
    as->first_literal = 0;
    as->pool_moved = false;
}

static bool same_expression(const oak_expr *a, const oak_expr *b)
{
    if (!a || !b || a->kind != b->kind || a->op != b->op || a->space != b->space) return a == b;
    if (a->kind == OAK_EXPR_NUMBER) return a->as.number == b->as.number;
    if (a->kind == OAK_EXPR_NAME) return a->as.name == b->as.name;
    if (a->kind == OAK_EXPR_HERE) return false;
    return same_expression(a->as.of.left, b->as.of.left) && same_expression(a->as.of.right, b->as.of.right) &&
           same_expression(a->as.of.third, b->as.of.third);
}

/* Whether the instruction that waits for a word could still load it from `address`. */
static bool reaches(assembler *as, const asm_literal *literal, uint32_t address)
{
    const statement *user = &as->statements[literal->user];
    oak_value values[OAK_MOST_OPERANDS];
    uint8_t bytes[OAK_LONGEST_INSN];
    oak_refusal why;
    for (unsigned i = 0; i < OAK_MOST_OPERANDS; i++)
        values[i] = (oak_value){.number = address, .known = true};
    return as->isa->encode(as->tables, user->as.code.rows[user->form_count - 1], user->as.code.insn, values,
                           user->address, bytes, &why) == OAK_OK;
}

static bool is_needed(assembler *as, const statement *one, uint32_t index)
{
    if (one->as.pool.must || one->as.pool.chosen) return true;
    if (one->as.pool.next == ASM_NO_POOL) return false;
    uint32_t next = as->statements[one->as.pool.next].address, words = 0;
    for (size_t i = as->first_literal; i < as->literal_count && as->literals[i].user < index; i++) {
        const asm_literal *literal = &as->literals[i];
        if (literal->section != one->section || literal->pool != ASM_NO_POOL) continue;
        uint32_t at = ((next + WORD - 1) & ~(uint32_t)(WORD - 1)) + WORD * words++;
        if (!reaches(as, literal, at) || !reaches(as, literal, at + GROWTH)) return true;
    }
    return false;
}

void asm_place_pool(assembler *as, statement *one)
{
    uint32_t index = (uint32_t)(one - as->statements), before = one->size, words = 0;
    one->size = 0;
    if (!as->laying_out || !is_needed(as, one, index)) return;
    one->as.pool.chosen = true;
    uint32_t start = (one->address + WORD - 1) & ~(uint32_t)(WORD - 1);
    for (size_t i = as->first_literal; i < as->literal_count && as->literals[i].user < index; i++) {
        asm_literal *literal = &as->literals[i];
        if (literal->section != one->section || literal->pool != ASM_NO_POOL) continue;
        uint32_t address = start + WORD * words;
        literal->shared = false;
        for (size_t k = as->first_literal; k < i && !literal->shared; k++) {
            const asm_literal *other = &as->literals[k];
            if (other->pool != index || !same_expression(other->expr, literal->expr)) continue;
            address = other->address;
            literal->shared = true;
        }
        words += !literal->shared;
        if (literal->address != address) as->pool_moved = true;
        literal->address = address;
        literal->pool = index;
    }
    while (as->first_literal < as->literal_count && as->literals[as->first_literal].pool != ASM_NO_POOL &&
           as->literals[as->first_literal].pool != index)
        as->first_literal++;
    if (words) one->size = start - one->address + WORD * words;
    if (one->size != before) as->pool_moved = true;
    asm_section *section = &as->sections[one->section];
    if (words && section->floats && section->align < WORD) section->align = WORD;
}

void asm_emit_pool(assembler *as, const statement *one, void *context,
                   void (*write)(void *context, uint32_t address, const uint8_t *bytes, size_t count))
{
    uint32_t index = (uint32_t)(one - as->statements), address = one->address;
    for (size_t i = 0; i < as->literal_count && one->size; i++) {
        const asm_literal *literal = &as->literals[i];
        if (literal->pool != index || literal->shared) continue;
        static const uint8_t zero[WORD] = {0};
        if (literal->address > address) write(context, address, zero, literal->address - address);
        const statement *user = &as->statements[literal->user];
        oak_value value = {0};
        if (asm_value(as, literal->expr, user, &value) == OAK_OK &&
            (value.number < INT32_MIN || value.number > UINT32_MAX))
            asm_report(as, OAK_ERROR, user->origin, literal->expr->first, literal->expr->last, "value-range",
                       NULL, "%lld does not fit 32 bits", (long long)value.number);
        uint8_t bytes[WORD];
        oak_put_number(&as->isa->about, as->isa->about.code_space, (uint64_t)value.number, bytes, WORD);
        write(context, literal->address, bytes, WORD);
        address = literal->address + WORD;
    }
}
