/* mcs51_asm.c — from the operands of a source line to bytes: reading, choosing the row, encoding, and saying in the
 * user's terms why something cannot be. */
#include "base/bytes.h"
#include "isa/mcs51/mcs51.h"

/* ------------------------------------------------------------------------------------------ reading */

static void skip_blanks(oak_operand_reader *reader)
{
    while (reader->at < reader->end && (*reader->at == ' ' || *reader->at == '\t')) reader->at++;
}

static size_t word_length(const char *at, const char *end)
{
    size_t length = 0;
    while (at + length < end && oak_is_word(at[length])) length++;
    return length;
}

/* The class of a register name, or MCS51_NO_OPERAND. */
static uint8_t register_class(const char *text, size_t length, uint8_t *number)
{
    char first = length ? oak_lower(text[0]) : 0;
    if (length == 1) return first == 'a' ? MCS51_A : first == 'c' ? MCS51_C : MCS51_NO_OPERAND;
    if (length == 2) {
        if (first == 'r' && text[1] >= '0' && text[1] <= '7') {
            *number = (uint8_t)(text[1] - '0');
            return MCS51_RN;
        }
        if (oak_same_name(text, 2, "ab")) return MCS51_AB;
    }
    return length == 4 && oak_same_name(text, 4, "dptr") ? MCS51_DPTR : MCS51_NO_OPERAND;
}

bool mcs51_is_register(const oak_isa_tables *tables, const char *text, size_t length)
{
    (void)tables;
    uint8_t number;
    return register_class(text, length, &number) != MCS51_NO_OPERAND || oak_same_name(text, length, "pc");
}

/* What follows '@': r0, r1, dptr, a+dptr, a+pc. */
static oak_status read_pointer(oak_operand_reader *reader, oak_operand *operand)
{
    const char *start = reader->at++;
    skip_blanks(reader);
    size_t length = word_length(reader->at, reader->end);
    uint8_t number = 0, found = register_class(reader->at, length, &number);
    const char *word = reader->at;
    reader->at += length;
    if (found == MCS51_RN && number < 2) {
        operand->kind = MCS51_AT_RI;
        operand->reg = number;
        return OAK_OK;
    }
    if (found == MCS51_RN) {
        reader->refuse(reader, start, reader->at, "pointer-register", "Copy the address to r0 or r1 first.",
                       "only r0 and r1 can point to memory");
        return OAK_REFUSED;
    }
    if (found == MCS51_DPTR) {
        operand->kind = MCS51_AT_DPTR;
        return OAK_OK;
    }
    if (found == MCS51_A) {
        skip_blanks(reader);
        if (reader->at < reader->end && *reader->at == '+') {
            reader->at++;
            skip_blanks(reader);
            length = word_length(reader->at, reader->end);
            bool dptr = oak_same_name(reader->at, length, "dptr");
            if (dptr || oak_same_name(reader->at, length, "pc")) {
                reader->at += length;
                operand->kind = dptr ? MCS51_AT_A_DPTR : MCS51_AT_A_PC;
                return OAK_OK;
            }
        }
    }
    reader->refuse(reader, start, reader->at > word ? reader->at : start + 1, "pointer-register",
                   "Pointers are @r0, @r1, @dptr, @a+dptr and @a+pc.", "this cannot point to memory");
    return OAK_REFUSED;
}

static oak_status read_operand(oak_operand_reader *reader, oak_operand *operand)
{
    const char *start = reader->at;
    char first = start < reader->end ? *start : 0;
    oak_status status = OAK_OK;
    if (first == '@') {
        status = read_pointer(reader, operand);
    } else if (first == '#' || first == '/') {
        reader->at++;
        operand->kind = first == '#' ? MCS51_IMMEDIATE : MCS51_NOT_BIT;
        operand->expr = reader->expression(reader);
        if (!operand->expr) status = OAK_REFUSED;
    } else if (first == '!' || first == '~') {
        reader->suggest(reader, start, start + 1, "/");
        reader->refuse(reader, start, start + 1, "inverted-bit",
                       "Write `/` before a bit: `anl c, /p1.0`, `orl c, /p1.0`.",
                       "only a constant is inverted like this, behind its #");
        return OAK_REFUSED;
    } else {
        size_t length = word_length(start, reader->end);
        uint8_t class = register_class(start, length, &operand->reg);
        bool dotted = start + length < reader->end && start[length] == '.';
        if (class == MCS51_A && dotted) {
            reader->refuse(reader, start, start + length, "accumulator-bit",
                           "Write acc for the accumulator as a register with bits: acc.0 to acc.7.",
                           "the accumulator's bits are reached through its register name");
            return OAK_REFUSED;
        }
        if (class != MCS51_NO_OPERAND) {
            operand->kind = class;
            reader->at += length;
        } else {
            operand->kind = MCS51_PLAIN;
            operand->expr = reader->expression(reader);
            if (!operand->expr) status = OAK_REFUSED;
        }
    }
    operand->first = (uint16_t)(start - reader->line);
    const char *end = reader->at;
    while (end > start && (end[-1] == ' ' || end[-1] == '\t')) end--;
    operand->last = (uint16_t)(end - reader->line);
    return status;
}

oak_status mcs51_read_operands(const oak_isa_tables *tables, oak_operand_reader *reader, oak_insn *insn)
{
    (void)tables;
    insn->count = 0;
    skip_blanks(reader);
    if (reader->at == reader->end) return OAK_OK;
    for (;;) {
        if (insn->count == OAK_MOST_OPERANDS) {
            reader->refuse(reader, reader->at, reader->end, "too-many-operands",
                           "No instruction takes more than three.", "too many operands");
            return OAK_REFUSED;
        }
        oak_operand *operand = &insn->operand[insn->count];
        *operand = (oak_operand){0};
        oak_status status = read_operand(reader, operand);
        if (status) return status;
        insn->count++;
        skip_blanks(reader);
        if (reader->at == reader->end || *reader->at != ',') return OAK_OK;
        reader->at++;
        skip_blanks(reader);
    }
}

/* ------------------------------------------------------------------------------------------ choosing */

/* The way an operand class is written. */
static uint8_t written(uint8_t class)
{
    if (class == MCS51_DATA16) return MCS51_IMMEDIATE;
    return class > MCS51_PLAIN ? MCS51_PLAIN : class;
}

static bool matches(const mcs51_shape *shape, unsigned count, const uint8_t *kinds)
{
    if (shape->count != count) return false;
    for (unsigned i = 0; i < count; i++)
        if (written(shape->class_of[i]) != kinds[i]) return false;
    return true;
}

static unsigned matching_row(const oak_isa_tables *tables, unsigned mnemonic, unsigned count,
                             const uint8_t *kinds)
{
    unsigned row = tables->first_row[mnemonic];
    while (row != MCS51_NO_ROW && !matches(&tables->shape[row], count, kinds)) row = tables->shape[row].next;
    return row;
}

static void list_forms(const oak_isa_tables *tables, const oak_insn *insn, const uint8_t *kinds,
                       oak_refusal *why)
{
    char text[sizeof why->hint] = "";
    unsigned shown = 0;
    /* First the forms whose first operand is what was written; when there are none, all. */
    for (unsigned pass = 0; pass < 2 && !shown; pass++) {
        for (unsigned row = tables->first_row[insn->mnemonic]; row != MCS51_NO_ROW;
             row = tables->shape[row].next) {
            const mcs51_shape *shape = &tables->shape[row];
            if (pass == 0 && !(shape->count && insn->count && written(shape->class_of[0]) == kinds[0]))
                continue;
            char one[64], so_far[sizeof text];
            memcpy(so_far, text, sizeof text);
            oak_format(one, sizeof one, "`%s%s%s`", mcs51_rows[row].mnemonic, shape->count ? " " : "",
                       mcs51_rows[row].operands);
            if (oak_length(so_far) + oak_length(one) + 16 < sizeof text)
                oak_format(text, sizeof text, "%s%s%s", so_far, shown ? ", " : "", one);
            shown++;
        }
    }
    if (tables->choice_count[insn->mnemonic])
        oak_format(why->hint, sizeof why->hint, "Write `%s target`%s%s.", tables->mnemonic[insn->mnemonic],
                   shown ? ", or " : "", text);
    else oak_format(why->hint, sizeof why->hint, "Forms that exist: %s.", text);
}

/* The change as an edit: a mark put in or left out, or the operand by its other name. What is left out may have been what was
 * meant, and so is never safe. */
static void set_edit(oak_refusal *why, const oak_operand *operand, uint8_t was, uint8_t wanted)
{
    why->has_edit = true;
    why->edit_safe = was != MCS51_IMMEDIATE && was != MCS51_RN;
    why->edit_first = operand->first;
    why->edit_last = operand->last;
    if (wanted == MCS51_IMMEDIATE)
        why->edit_last = operand->first, oak_format(why->edit, sizeof why->edit, "#");
    else if (was == MCS51_IMMEDIATE) why->edit_last = (uint16_t)(operand->first + 1), why->edit[0] = 0;
    else if (was == MCS51_A) oak_format(why->edit, sizeof why->edit, "acc");
    else if (was == MCS51_C) oak_format(why->edit, sizeof why->edit, "cy");
    else oak_format(why->edit, sizeof why->edit, "%u", operand->reg);
}

/* Looks for the one change that makes the operands fit, and says it. */
static bool suggest_operand(const oak_isa_tables *tables, const oak_insn *insn, uint8_t *kinds,
                            oak_refusal *why)
{
    for (unsigned i = 0; i < insn->count; i++) {
        uint8_t was = kinds[i];
        static const uint8_t tried[] = {MCS51_IMMEDIATE, MCS51_PLAIN, MCS51_AT_RI};
        for (unsigned t = 0; t < sizeof tried; t++) {
            if (tried[t] == was) continue;
            kinds[i] = tried[t];
            unsigned row = matching_row(tables, insn->mnemonic, insn->count, kinds);
            kinds[i] = was;
            if (row == MCS51_NO_ROW) continue;
            /* A register's other name is that of a byte, the carry's that of a bit: neither is a target. */
            uint8_t class = tables->shape[row].class_of[i];
            if ((was == MCS51_A || was == MCS51_RN) && class != MCS51_DIRECT) continue;
            if (was == MCS51_C && class != MCS51_BIT_ADDRESS) continue;
            if (was == MCS51_PLAIN && tried[t] == MCS51_IMMEDIATE) {
                oak_format(why->hint, sizeof why->hint,
                           "An immediate value needs its mark: put # before it.");
            } else if (was == MCS51_IMMEDIATE && tried[t] == MCS51_PLAIN) {
                oak_format(why->hint, sizeof why->hint,
                           "It takes an address or target here, not an immediate: leave the # out.");
            } else if (was == MCS51_A && tried[t] == MCS51_PLAIN) {
                oak_format(why->hint, sizeof why->hint, "Name the accumulator by its address: write acc.");
            } else if (was == MCS51_RN && tried[t] == MCS51_PLAIN) {
                oak_format(why->hint, sizeof why->hint,
                           "Only an address fits here. In bank 0 the address of r%u is %u: write %u.",
                           insn->operand[i].reg, insn->operand[i].reg, insn->operand[i].reg);
            } else if (was == MCS51_C && tried[t] == MCS51_PLAIN) {
                oak_format(why->hint, sizeof why->hint, "Name the carry by its bit address: write cy.");
            } else {
                continue;
            }
            why->operand = (int)i;
            set_edit(why, &insn->operand[i], was, tried[t]);
            return true;
        }
    }
    return false;
}

/* What people write and what the core has for it. Operands by their kinds: a, c, r (r0 to r7), @ (@r0, @r1), # a value with its
 * mark, = an address, d dptr, D @dptr, * anything. */
static const oak_remedy remedies[] = {
    {"clr", "r", "A register is cleared with `mov r0, #0`; clr takes a, c and bits."},
    {"cpl", "r", "Write `mov a, r0`, `cpl a`, `mov r0, a`."},
    {"mov", "ca", "Bits move through the carry: `mov c, acc.0` for one of a; `rrc a` shifts it out."},
    {"mov", "ac", "Write `clr a`, then `rlc a`: a becomes the carry."},
    {"mov", "c#", "Write `setb c` for 1, `clr c` for 0."},
    {"mov", "cr", "Bits move through the carry: `mov a, r0`, then `mov c, acc.0`."},
    {"mov", "rr",
     "Nothing moves between registers: `mov a, r2`, then `mov r1, a`; or `mov r1, 2`, its address in bank "
     "0."},
    {"mov", "r@", "Write `mov a, @r0`, then `mov r1, a`."},
    {"mov", "@r", "Write `mov a, r1`, then `mov @r0, a`."},
    {"mov", "@@", "Write `mov a, @r1`, then `mov @r0, a`."},
    {"mov", "ad", "Write `mov a, DPL` and `mov a, DPH`: dptr has 16 bits."},
    {"mov", "da", "Write `mov DPL, a` and `mov DPH, …`: dptr has 16 bits."},
    {"mov", "aD", "External RAM is read with `movx a, @dptr`, code with `movc a, @a+dptr`."},
    {"mov", "Da", "External RAM is written with `movx @dptr, a`."},
    {"movx", "r*", "movx reads into a: `movx a, @dptr`, then `mov r0, a`."},
    {"movx", "Dr", "movx writes a: `mov a, r0`, then `movx @dptr, a`."},
    {"movx", "D#", "movx writes a: `mov a, #5`, then `movx @dptr, a`."},
    {"movx", "a=", "An address goes into dptr: `mov dptr, #0x4000`, then `movx a, @dptr`."},
    {"movx", "=a", "An address goes into dptr: `mov dptr, #0x4000`, then `movx @dptr, a`."},
    {"movc", "aD", "Write `clr a`, then `movc a, @a+dptr`."},
    {"push", "#", "push takes an address: `mov acc, #5`, then `push acc`."},
    {"pop", "#", "pop takes an address: `pop acc`, `pop 0x30`."},
    {"push", "d", "Write `push DPL` and `push DPH`."},
    {"pop", "d", "Write `pop DPH` and `pop DPL`, in this order."},
    {"push", "c", "Write `push PSW`, which holds the carry."},
    {"dec", "d", "Nothing counts dptr down: `mov a, DPL`, `jnz low`, `dec DPH`, `low: dec DPL`."},
    {"inc", "c", "Write `cpl c` or `setb c`: the carry is a bit."},
    {"dec", "c", "Write `cpl c` or `clr c`: the carry is a bit."},
    {"add", "r*", "Sums go to a: `mov a, r0`, `add a, …`, `mov r0, a`."},
    {"add", "=*", "Sums go to a: `mov a, address`, `add a, …`, `mov address, a`."},
    {"addc", "r*", "Sums go to a: `mov a, r0`, `addc a, …`, `mov r0, a`."},
    {"subb", "r*", "Differences go to a: `mov a, r0`, `clr c`, `subb a, …`, `mov r0, a`."},
    {"add", "d*", "Write `mov a, DPL`, `add a, #…`, `mov DPL, a`, and the same with addc for DPH."},
    {"anl", "r*", "Write `mov a, r0`, `anl a, …`, `mov r0, a`."},
    {"orl", "r*", "Write `mov a, r0`, `orl a, …`, `mov r0, a`."},
    {"xrl", "r*", "Write `mov a, r0`, `xrl a, …`, `mov r0, a`."},
    {"xrl", "c*", "There is no exclusive or of bits: `jnb bit, next`, `cpl c`, `next:`."},
    {"anl", "ca", "Write a bit: `anl c, acc.0`."},
    {"mul", "a*", "Write `mul ab`: a times b, low byte in a, high byte in b."},
    {"mul", "**", "Write `mul ab`: a times b, low byte in a, high byte in b."},
    {"div", "a*", "Write `div ab`: a through b, the quotient in a, the rest in b."},
    {"div", "**", "Write `div ab`: a through b, the quotient in a, the rest in b."},
    {"mul", "a", "Write `mul ab`: a times b, low byte in a, high byte in b."},
    {"div", "a", "Write `div ab`: a through b, the quotient in a, the rest in b."},
    {"rl", "*", "Only a is rotated: `mov a, …`, `rl a`, and back."},
    {"rr", "*", "Only a is rotated: `mov a, …`, `rr a`, and back."},
    {"rlc", "*", "Only a is rotated: `mov a, …`, `rlc a`, and back."},
    {"rrc", "*", "Only a is rotated: `mov a, …`, `rrc a`, and back."},
    {"swap", "*", "Only the halves of a are exchanged: `swap a`."},
    {"da", "*", "Only a is adjusted: `da a`."},
    {"xch", "r*", "The first is a: `xch a, r0`."},
    {"xch", "=*", "The first is a: `xch a, address`."},
    {"cjne", "==*", "The first is a, a register or @r0: `mov a, address`, then `cjne a, …, target`."},
    {"cjne", "=#*", "The first is a, a register or @r0: `mov a, address`, then `cjne a, #5, target`."},
    {"cjne", "ar*", "Compare with an address: r3 of bank 0 is at 3: `cjne a, 3, target`."},
    {"djnz", "@*", "djnz counts a register or an address: `djnz r0, target`."},
    {"jz", "*=", "jz asks for a alone: `mov a, …`, then `jz target`."},
    {"jnz", "*=", "jnz asks for a alone: `mov a, …`, then `jnz target`."},
    {"jz", "a", "jz asks for a and takes the target alone: `jz target`."},
    {"jnz", "a", "jnz asks for a and takes the target alone: `jnz target`."},
    {"jc", "c*", "jc takes the target alone: `jc target`."},
    {"jnc", "c*", "jnc takes the target alone: `jnc target`."},
    {"jc", "c", "jc takes the target alone: `jc target`."},
    {"jnc", "c", "jnc takes the target alone: `jnc target`."},
    {"jb", "c*", "For the carry write `jc target`."},
    {"jnb", "c*", "For the carry write `jnc target`."},
    {"jb", "a*", "Ask for one bit of it: `jb acc.0, target`; for all `jnz target`."},
    {"jnb", "a*", "Ask for one bit of it: `jnb acc.0, target`; for all `jz target`."},
    {"setb", "a", "Set one bit of it, `setb acc.0`, or all: `mov a, #0xff`."},
    {"setb", "r", "Registers have no bits of their own: `mov a, r0`, `setb acc.0`, `mov r0, a`."},
    {"jmp", "d", "Write `clr a`, then `jmp @a+dptr`."},
    {"jmp", "D", "Write `clr a`, then `jmp @a+dptr`."},
    {"ret", "*", "ret takes nothing: leave it out."},
    {"reti", "*", "reti takes nothing: leave it out."},
    {"nop", "*", "nop takes nothing; for several write it in a `repeat`."},
    {0},
};

static const char letters[] = {
    [MCS51_A] = 'a',         [MCS51_C] = 'c',     [MCS51_RN] = 'r',   [MCS51_AT_RI] = '@',
    [MCS51_IMMEDIATE] = '#', [MCS51_PLAIN] = '=', [MCS51_DPTR] = 'd', [MCS51_AT_DPTR] = 'D',
};

unsigned mcs51_forms(const oak_isa_tables *tables, oak_insn *insn, uint16_t *rows, oak_refusal *why)
{
    uint8_t kinds[OAK_MOST_OPERANDS] = {0};
    for (unsigned i = 0; i < insn->count; i++) kinds[i] = insn->operand[i].kind;
    unsigned row = matching_row(tables, insn->mnemonic, insn->count, kinds);
    if (row != MCS51_NO_ROW) {
        rows[0] = (uint16_t)row;
        return 1;
    }
    unsigned choices = tables->choice_count[insn->mnemonic];
    if (choices && insn->count == 1 && kinds[0] == MCS51_PLAIN) {
        for (unsigned i = 0; i < choices; i++) rows[i] = tables->choice[insn->mnemonic][i];
        return choices;
    }
    why->code = "no-such-form";
    why->operand = -1;
    const char *name = tables->mnemonic[insn->mnemonic];
    if (!insn->count) oak_format(why->message, sizeof why->message, "`%s` needs operands", name);
    else oak_format(why->message, sizeof why->message, "`%s` has no form with these operands", name);
    bool suggested = suggest_operand(tables, insn, kinds, why);
    if (suggested && why->has_edit && why->edit_safe) return 0;
    if (!oak_remedy_for(remedies, letters, sizeof letters, name, insn->count, kinds, why) && !suggested)
        list_forms(tables, insn, kinds, why);
    return 0;
}

/* ------------------------------------------------------------------------------------------ encoding */

static oak_status refuse(oak_refusal *why, unsigned operand, const char *code)
{
    why->operand = (int)operand;
    why->code = code;
    return OAK_REFUSED;
}

#define SAY(why, ...)  oak_format((why)->message, sizeof(why)->message, __VA_ARGS__)
#define HINT(why, ...) oak_format((why)->hint, sizeof(why)->hint, __VA_ARGS__)

/* "`name`" or the number itself. */
static void show_value(const oak_value *value, char *text, size_t room)
{
    if (value->name) oak_format(text, room, "`%s`", value->name);
    else if (value->number < 0) oak_format(text, room, "%lld", (long long)value->number);
    else oak_format(text, room, "0x%02llx", (unsigned long long)value->number);
}

/* "`name`, which is 300 (0x12c)," or "300 (0x12c)". */
static void show_number(const oak_value *value, char *text, size_t room)
{
    char number[48];
    if (value->number < 0) oak_format(number, sizeof number, "%lld", (long long)value->number);
    else
        oak_format(number, sizeof number, "%lld (0x%llx)", (long long)value->number,
                   (unsigned long long)value->number);
    if (value->name) oak_format(text, room, "`%.40s`, which is %s,", value->name, number);
    else oak_format(text, room, "%s", number);
}

static oak_status direct_address(const oak_value *value, unsigned operand, bool accumulator, oak_refusal *why)
{
    char name[120];
    show_value(value, name, sizeof name);
    const char *bare = value->name ? value->name : "address";
    switch (value->space) {
    case MCS51_XRAM:
        SAY(why, "%s lies in external RAM, which only movx reaches", name);
        HINT(why, "Write `mov dptr, #%s` and then `movx a, @dptr` to read or `movx @dptr, a` to write.",
             bare);
        return refuse(why, operand, "wrong-space");
    case MCS51_CODE:
        SAY(why, "%s lies in code memory, which only movc reads", name);
        HINT(why, "Write `mov dptr, #%s`, `clr a` and then `movc a, @a+dptr`%s.", bare,
             accumulator ? "; for its address write #" : "");
        return refuse(why, operand, "wrong-space");
    case MCS51_BIT:
        SAY(why, "%s is a single bit, this takes a whole byte", name);
        HINT(why, "Write `setb %s`, `clr %s`, or move it through the carry: `mov c, %s`.", bare, bare, bare);
        return refuse(why, operand, "wrong-space");
    case MCS51_IRAM:
        if (value->number < 0x80 || value->number > 0xFF) break;
        SAY(why, "%s is internal RAM at 0x%02x, which only a pointer reaches", name, (unsigned)value->number);
        HINT(why, "Direct addresses from 0x80 are special registers. Write `mov r0, #%s` and then use @r0.",
             bare);
        return refuse(why, operand, "wrong-space");
    default: break;
    }
    if (value->number >= 0 && value->number <= 0xFF) return OAK_OK;
    show_number(value, name, sizeof name);
    SAY(why, "%s is no direct address: they lie between 0 and 0xff", name);
    HINT(why, "Memory beyond 0xff is external RAM: reach it through dptr and movx.");
    return refuse(why, operand, "value-range");
}

static oak_status bit_address(const oak_value *value, unsigned operand, oak_refusal *why)
{
    char name[120];
    show_value(value, name, sizeof name);
    if (value->space == MCS51_SFR || value->space == MCS51_IRAM) {
        const char *bare = value->name ? value->name : "address";
        SAY(why, "%s is a whole byte, this takes a single bit", name);
        bool has_bits = value->space == MCS51_SFR ? value->number % 8 == 0
                                                  : value->number >= 0x20 && value->number < 0x30;
        if (has_bits) HINT(why, "Name the bit: %s.0 to %s.7.", bare, bare);
        else if (value->space == MCS51_SFR)
            HINT(why, "Its bits have no addresses; change them with `anl %s, #mask` or `orl %s, #mask`.",
                 bare, bare);
        else
            HINT(why, "Only internal RAM from 0x20 to 0x2f has bit addresses; use anl and orl, or move the "
                      "variable there.");
        return refuse(why, operand, "wrong-space");
    }
    if (value->space == MCS51_CODE || value->space == MCS51_XRAM) {
        SAY(why, "%s is an address in %s, this takes a bit", name,
            value->space == MCS51_CODE ? "code memory" : "external RAM");
        HINT(why, "Load the byte into the accumulator first and test acc.0 to acc.7.");
        return refuse(why, operand, "wrong-space");
    }
    if (value->number >= 0 && value->number <= 0xFF) return OAK_OK;
    show_number(value, name, sizeof name);
    SAY(why, "%s is no bit address: they lie between 0 and 0xff", name);
    return refuse(why, operand, "value-range");
}

static oak_status immediate(const oak_value *value, unsigned operand, bool wide, oak_refusal *why)
{
    int64_t least = wide ? -32768 : -128, most = wide ? 65535 : 255;
    if (value->number >= least && value->number <= most) return OAK_OK;
    char number[120];
    show_number(value, number, sizeof number);
    SAY(why, "%s does not fit %s", number, wide ? "16 bits" : "8 bits");
    if (!wide) HINT(why, "Take one byte of it: low(…) or high(…).");
    return refuse(why, operand, "value-range");
}

/* The opposite condition, for the advice on a branch out of reach. */
static const char *opposite(unsigned row)
{
    switch (row) {
    case MCS51_JC: return "jnc";
    case MCS51_JNC: return "jc";
    case MCS51_JZ: return "jnz";
    case MCS51_JNZ: return "jz";
    case MCS51_JB: return "jnb";
    case MCS51_JNB: return "jb";
    default: return NULL;
    }
}

static oak_status relative(const oak_value *value, unsigned operand, unsigned row, uint32_t next,
                           uint32_t *field, oak_refusal *why)
{
    /* The program counter has 16 bits, so that code goes round from its end to its beginning. */
    int64_t distance =
        ((value->number - (int64_t)next) & 0xFFFF) - (((value->number - (int64_t)next) & 0x8000) << 1);
    if (distance >= -128 && distance <= 127) {
        *field = (uint32_t)distance;
        return OAK_OK;
    }
    char name[80];
    show_value(value, name, sizeof name);
    SAY(why, "%s is %lld bytes %s, %s reaches 128 back and 127 forward", name,
        (long long)(distance < 0 ? -distance : distance), distance < 0 ? "back" : "forward",
        mcs51_rows[row].mnemonic);
    const char *bare = value->name ? value->name : "target", *other = opposite(row);
    if (row == MCS51_SJMP) HINT(why, "Write `jmp %s`, which takes the shortest jump that reaches.", bare);
    else if (row == MCS51_JB || row == MCS51_JNB)
        HINT(why, "Write `%s …, skip`, `jmp %s`, `skip:`.", other, bare);
    else if (other) HINT(why, "Write `%s skip`, `jmp %s`, `skip:`.", other, bare);
    else HINT(why, "Let it jump to a near `jmp %s`.", bare);
    return refuse(why, operand, "branch-reach");
}

static oak_status code_target(const oak_value *value, unsigned operand, oak_refusal *why)
{
    if (value->space != MCS51_NUMBER && value->space != MCS51_CODE) {
        char name[80];
        show_value(value, name, sizeof name);
        SAY(why, "%s is no place in code memory", name);
        HINT(why, "A jump or call goes to a label of the program.");
        return refuse(why, operand, "wrong-space");
    }
    if (value->number >= 0 && value->number <= 0xFFFF) return OAK_OK;
    SAY(why, "a code address lies between 0 and 0xffff, this is %lld", (long long)value->number);
    return refuse(why, operand, "value-range");
}

static oak_status page_target(const oak_value *value, unsigned operand, unsigned row, uint32_t next,
                              oak_refusal *why)
{
    if ((uint32_t)value->number >> 11 == next >> 11) return OAK_OK;
    char name[80];
    show_value(value, name, sizeof name);
    const char *word = row == MCS51_ACALL ? "call" : "jmp";
    SAY(why, "%s (0x%04x) is outside the 2 KiB page 0x%04x to 0x%04x that %s reaches from here", name,
        (unsigned)value->number, (unsigned)(next & 0xF800), (unsigned)(next | 0x7FF),
        mcs51_rows[row].mnemonic);
    HINT(why, "Write `%s %s`, which takes the shortest form that reaches.", word,
         value->name ? value->name : "target");
    return refuse(why, operand, "branch-reach");
}

oak_status mcs51_encode(const oak_isa_tables *tables, unsigned row, const oak_insn *insn,
                        const oak_value *values, uint32_t address, uint8_t *bytes, oak_refusal *why)
{
    const mcs51_shape *shape = &tables->shape[row];
    const oak_pattern *pattern = &shape->pattern;
    uint32_t word = (uint32_t)pattern->fixed, next = address + pattern->size, field;
    why->hint[0] = 0;
    for (unsigned i = 0; i < shape->count; i++) {
        const oak_value *value = &values[i];
        field = (uint32_t)value->number;
        oak_status status = OAK_OK;
        char letter = 0;
        switch (shape->class_of[i]) {
        case MCS51_RN: letter = 'n', field = insn->operand[i].reg; break;
        case MCS51_AT_RI: letter = 'i', field = insn->operand[i].reg; break;
        case MCS51_IMMEDIATE: letter = 'd', status = immediate(value, i, false, why); break;
        case MCS51_DATA16: letter = 'd', status = immediate(value, i, true, why); break;
        case MCS51_NOT_BIT:
        case MCS51_BIT_ADDRESS: letter = 'b', status = bit_address(value, i, why); break;
        case MCS51_DIRECT:
        case MCS51_SOURCE:
            letter = shape->class_of[i] == MCS51_DIRECT ? 'a' : 's';
            status = direct_address(value, i, i > 0, why);
            break;
        case MCS51_REL:
            letter = 'r', status = code_target(value, i, why);
            if (!status) status = relative(value, i, row, next, &field, why);
            break;
        case MCS51_ADDR11:
            letter = 'p', status = code_target(value, i, why);
            if (!status) status = page_target(value, i, row, next, why);
            break;
        case MCS51_ADDR16: letter = 'l', status = code_target(value, i, why); break;
        default: break;
        }
        if (status) return status;
        if (letter) word |= (uint32_t)oak_pattern_put(pattern, letter, field);
    }
    for (unsigned i = pattern->size; i-- > 0; word >>= 8) bytes[i] = (uint8_t)word;
    return OAK_OK;
}

/* A decimal number where an address is read, when the same instruction has an immediate form; and a special register or
 * bit as an immediate value. */
bool mcs51_doubt(const oak_isa_tables *tables, unsigned row, const oak_insn *insn, const oak_value *values,
                 unsigned decimal, oak_refusal *why)
{
    const mcs51_shape *shape = &tables->shape[row];
    for (unsigned i = 0; i < shape->count; i++) {
        why->operand = (int)i;
        if (shape->class_of[i] == MCS51_BIT_ADDRESS && values[i].name && values[i].space == MCS51_NUMBER) {
            why->code = "doubtful-mark";
            SAY(why, "this takes the bit at address 0x%02x, and nothing of a byte `%s`",
                (unsigned)values[i].number, values[i].name);
            HINT(why, "Name bits with `%s bit 0x20.0`, `%s bit p1.0`; a byte is cleared with `mov %s, #0`.",
                 values[i].name, values[i].name, values[i].name);
            return true;
        }
        if (shape->class_of[i] == MCS51_IMMEDIATE && values[i].name &&
            (values[i].space == MCS51_SFR || values[i].space == MCS51_BIT)) {
            why->code = "doubtful-mark";
            SAY(why, "this takes the address of `%s`, 0x%02x, as a number", values[i].name,
                (unsigned)values[i].number);
            HINT(why, "Leave the # out to take what it holds.");
            return true;
        }
        if (shape->class_of[i] == MCS51_IMMEDIATE && values[i].name && values[i].space == MCS51_CODE) {
            why->code = "doubtful-mark";
            SAY(why, "this takes the address of `%s` in code memory as a byte", values[i].name);
            HINT(why,
                 "Code is read through dptr: `mov dptr, #%s`, then `movc a, @a+dptr`; one byte of it is "
                 "low(%s).",
                 values[i].name, values[i].name);
            return true;
        }
        bool address = shape->class_of[i] == MCS51_DIRECT || shape->class_of[i] == MCS51_SOURCE;
        if (!address || i == 0 || !(decimal >> i & 1)) continue;
        uint8_t kinds[OAK_MOST_OPERANDS] = {0};
        for (unsigned k = 0; k < insn->count; k++) kinds[k] = insn->operand[k].kind;
        kinds[i] = MCS51_IMMEDIATE;
        if (matching_row(tables, insn->mnemonic, insn->count, kinds) == MCS51_NO_ROW) continue;
        why->code = "missing-mark";
        SAY(why, "this reads the byte at address %u, not the number %u", (unsigned)values[i].number,
            (unsigned)values[i].number);
        HINT(why, "Write #%u for the number; for the address write it as 0x%02x.", (unsigned)values[i].number,
             (unsigned)values[i].number);
        return true;
    }
    return false;
}

oak_status mcs51_bit_of(const oak_value *cell, int64_t bit, oak_value *result)
{
    if (bit < 0 || bit > 7 || cell->space == MCS51_BIT || cell->space == MCS51_CODE ||
        cell->space == MCS51_XRAM)
        return OAK_REFUSED;
    int64_t address = cell->number;
    if (address >= 0x20 && address < 0x30 && cell->space != MCS51_SFR) address = (address - 0x20) * 8 + bit;
    else if (address >= 0x80 && address <= 0xFF && address % 8 == 0 && cell->space != MCS51_IRAM)
        address += bit;
    else return OAK_REFUSED;
    *result = (oak_value){.number = address, .space = MCS51_BIT, .known = true};
    return OAK_OK;
}
