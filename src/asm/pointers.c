/* pointers.c — pointers that are loaded byte by byte: what they were loaded with against what goes by them, along straight code. Where program memory is
 * counted in words, a pointer into it that counts bytes is easily loaded with the address of a word, and the other way round. */
#include "asm/assembler.h"

enum { POINTERS = 8, HALVES = 2 };

/* What half of a pointer was loaded with. */
typedef struct half {
    const statement *from;
    oak_value value;
    oak_place place;
} half;

static const char *mnemonic_of(const assembler *as, const statement *one)
{
    return as->isa->rows[one->as.code.rows[one->form]].mnemonic;
}

/* The text of an operand, cut to what a message has room for. */
static void operand_text(const assembler *as, const statement *one, unsigned operand, char *text, size_t room)
{
    oak_source_line line = asm_source(as, one->origin);
    const oak_operand *read = &one->as.code.insn->operand[operand];
    size_t length =
        read->last > read->first && read->last <= line.size ? (size_t)(read->last - read->first) : 0;
    oak_format(text, room, "%.*s", (int)length, line.text + read->first);
}

static void complain(assembler *as, const statement *one, const half *loaded, const oak_pointing *by)
{
    const oak_architecture *about = &as->isa->about;
    const oak_space_info *goes = &about->spaces[by->space], *lies = &about->spaces[loaded->value.of];
    char operand[80], hint[240];
    const statement *from = loaded->from;
    operand_text(as, from, from->as.code.insn->count - 1u, operand, sizeof operand);
    unsigned line = asm_line_of(as, from->origin);
    size_t end = asm_source(as, one->origin).size;
    if (by->space != loaded->value.of) {
        oak_format(hint, sizeof hint, "%s", by->instead);
        asm_warn(as, one->origin, 0, end, "pointer-space", hint,
                 "`%s` goes by %s to %s, but line %u loads it with `%s`, of %s", mnemonic_of(as, one),
                 by->name, goes->title, line, operand, lies->title);
    } else if (by->in_bytes) {
        oak_format(
            hint, sizeof hint,
            "Load both halves with that of bytes(…), as `low(bytes(label))`: the address of the byte.");
        asm_warn(as, one->origin, 0, end, "pointer-words", hint,
                 "`%s` counts bytes, but line %u loads %s with `%s`, the address of a word",
                 mnemonic_of(as, one), line, by->name, operand);
    } else {
        oak_format(hint, sizeof hint,
                   "Load both halves without bytes(…), as `low(label)`: the address of the word.");
        asm_warn(as, one->origin, 0, end, "pointer-words", hint,
                 "`%s` counts words, but line %u loads %s with `%s`, the address of a byte",
                 mnemonic_of(as, one), line, by->name, operand);
    }
}

/* What an instruction writes is loaded no more. */
static void forget_written(const assembler *as, const oak_decoded *decoded, half halves[POINTERS][HALVES])
{
    oak_effect effect;
    as->isa->effect(as->tables, decoded, &effect);
    for (unsigned i = 0; i < POINTERS * HALVES; i++)
        for (unsigned w = 0; w < effect.write_count; w++) {
            half *one = &halves[i / HALVES][i % HALVES];
            if (effect.writes[w].space == one->place.space && effect.writes[w].number == one->place.number)
                one->from = NULL;
        }
}

void asm_check_pointers(assembler *as)
{
    half halves[POINTERS][HALVES] = {{{0}}};
    for (size_t i = 0; i < as->statement_count; i++) {
        const statement *one = &as->statements[i];
        uint8_t bytes[OAK_LONGEST_INSN];
        oak_decoded decoded;
        oak_pointing what = {0};
        oak_effect effect;
        if (one->kind != STATEMENT_INSN || one->space != as->isa->about.code_space ||
            !asm_encode_quietly(as, one, bytes) ||
            as->isa->decode(as->tables, bytes, sizeof bytes, one->address, 0, &decoded))
            continue;
        as->isa->pointing(as->tables, &decoded, &what);
        const half *loaded = what.goes ? &halves[what.pointer % POINTERS][0] : NULL;
        if (loaded && !loaded->from) loaded++;
        if (loaded && loaded->from && loaded->value.of &&
            (loaded->value.of != what.space || (what.counts_code && loaded->value.in_bytes != what.in_bytes)))
            complain(as, one, loaded, &what);
        forget_written(as, &decoded, halves);
        if (what.loads) {
            half *it = &halves[what.pointer % POINTERS][what.high];
            const oak_insn *insn = one->as.code.insn;
            as->isa->effect(as->tables, &decoded, &effect);
            bool known =
                insn->count && asm_evaluate_quietly(as, insn->operand[insn->count - 1].expr, one, &it->value);
            it->from = known && effect.write_count ? one : NULL;
            it->place = effect.writes[0];
        }
        if (!oak_goes_on(decoded.flow) || decoded.flow == OAK_FLOW_CALL)
            for (unsigned k = 0; k < POINTERS * HALVES; k++) halves[k / HALVES][k % HALVES].from = NULL;
    }
}
