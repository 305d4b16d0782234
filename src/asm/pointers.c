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

/* called: the call by which what `one` says is reached, or NULL; then the warning is where the pointer is loaded. */
static void complain(assembler *as, const statement *one, const half *loaded, const oak_pointing *by,
                     const statement *called)
{
    const oak_architecture *about = &as->isa->about;
    const oak_space_info *goes = &about->spaces[by->space], *lies = &about->spaces[loaded->value.of];
    char operand[80], hint[240], goes_by[160];
    const statement *from = loaded->from, *at = called ? from : one;
    operand_text(as, from, from->as.code.insn->count - 1u, operand, sizeof operand);
    size_t end = asm_source(as, at->origin).size;
    bool words = by->space == loaded->value.of;
    const char *found = !words         ? lies->title
                        : by->in_bytes ? "the address of a word"
                                       : "the address of a byte";
    if (!words) oak_format(hint, sizeof hint, "%s", by->instead);
    else if (by->in_bytes)
        oak_format(
            hint, sizeof hint,
            "Load both halves with that of bytes(…), as `low(bytes(label))`: the address of the byte.");
    else
        oak_format(hint, sizeof hint,
                   "Load both halves without bytes(…), as `low(label)`: the address of the word.");
    const char *code = words ? "pointer-words" : "pointer-space";
    if (words) oak_format(goes_by, sizeof goes_by, "counts %s", by->in_bytes ? "bytes" : "words");
    else oak_format(goes_by, sizeof goes_by, "goes by %s to %s", by->name, goes->title);
    if (called)
        asm_warn(as, at->origin, 0, end, code, hint,
                 "`%s` is %s%s, but line %u leads with it in %s to `%s` in line %u, which %s", operand,
                 words ? "" : "of ", found, asm_line_of(as, called->origin), by->name, mnemonic_of(as, one),
                 asm_line_of(as, one->origin), goes_by);
    else
        asm_warn(as, at->origin, 0, end, code, hint, "`%s` %s, but line %u loads %s with `%s`, %s%s",
                 mnemonic_of(as, one), goes_by, asm_line_of(as, from->origin), words ? by->name : "it",
                 operand, words ? "" : "of ", found);
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

typedef struct walk {
    half halves[POINTERS][HALVES];
    const statement *called; /* within what it calls; NULL: where it is written */
    bool complained;
    uint64_t looked_at; /* statements, in search of one at an address */
} walk;

static void follow(assembler *as, walk *before, const statement *call, uint32_t target);

static void forget_all(walk *w)
{
    for (unsigned k = 0; k < POINTERS * HALVES; k++) w->halves[k / HALVES][k % HALVES].from = NULL;
}

/* One statement; false where the walk through what is called ends. */
static bool step(assembler *as, walk *w, const statement *one)
{
    uint8_t bytes[OAK_LONGEST_INSN];
    oak_decoded decoded;
    oak_pointing what = {0};
    oak_effect effect;
    if (one->kind != STATEMENT_INSN || one->space != as->isa->about.code_space ||
        !asm_encode_quietly(as, one, bytes) ||
        as->isa->decode(as->tables, bytes, sizeof bytes, one->address, 0, &decoded))
        return true;
    as->isa->pointing(as->tables, &decoded, &what);
    const half *loaded = what.goes ? &w->halves[what.pointer % POINTERS][0] : NULL;
    if (loaded && !loaded->from) loaded++;
    if (loaded && loaded->from && loaded->value.of &&
        (loaded->value.of != what.space || (what.counts_code && loaded->value.in_bytes != what.in_bytes))) {
        complain(as, one, loaded, &what, w->called);
        w->complained = true;
    }
    forget_written(as, &decoded, w->halves);
    if (what.loads) {
        half *it = &w->halves[what.pointer % POINTERS][what.high];
        const oak_insn *insn = one->as.code.insn;
        as->isa->effect(as->tables, &decoded, &effect);
        bool known =
            insn->count && asm_evaluate_quietly(as, insn->operand[insn->count - 1].expr, one, &it->value);
        it->from = known && effect.write_count ? one : NULL;
        it->place = effect.writes[0];
    }
    if (oak_goes_on(decoded.flow) && decoded.flow != OAK_FLOW_CALL) return true;
    if (decoded.has_target && !w->called) follow(as, w, one, decoded.target);
    forget_all(w);
    return false;
}

/* What is called, or jumped to, with pointers that are loaded: as far as it goes straight on. */
static void follow(assembler *as, walk *before, const statement *call, uint32_t target)
{
    enum { FARTHEST = 64, MOST_LOOKED_AT = 20000000 };
    bool any = false;
    for (unsigned k = 0; k < POINTERS * HALVES; k++) {
        const half *one = &before->halves[k / HALVES][k % HALVES];
        any |= one->from && one->value.of;
    }
    if (!any || before->looked_at > MOST_LOOKED_AT) return;
    walk inside = *before;
    inside.called = call;
    size_t i = 0;
    for (; i < as->statement_count; i++)
        if (as->statements[i].kind == STATEMENT_INSN &&
            as->statements[i].space == as->isa->about.code_space && as->statements[i].address == target)
            break;
    before->looked_at += i;
    for (size_t end = i + FARTHEST; i < as->statement_count && i < end && !inside.complained; i++)
        if (!step(as, &inside, &as->statements[i])) break;
}

void asm_check_pointers(assembler *as)
{
    walk w = {0};
    for (size_t i = 0; i < as->statement_count; i++) (void)step(as, &w, &as->statements[i]);
}
