/* arm_asm.c — the operands of a source line, the rows they may become, and what to write instead where there is none. */
#include "base/bytes.h"
#include "isa/arm/arm.h"

#define SAY(why, ...)  oak_format((why)->message, sizeof(why)->message, __VA_ARGS__)
#define HINT(why, ...) oak_format((why)->hint, sizeof(why)->hint, __VA_ARGS__)

/* ------------------------------------------------------------------------------------------ reading */

static void skip_blanks(oak_operand_reader *reader)
{
    while (reader->at < reader->end && (*reader->at == ' ' || *reader->at == '\t')) reader->at++;
}

static size_t word_length(const oak_operand_reader *reader)
{
    size_t length = 0;
    while (reader->at + length < reader->end && oak_is_word(reader->at[length])) length++;
    return length;
}

static bool take(oak_operand_reader *reader, char c)
{
    skip_blanks(reader);
    if (reader->at == reader->end || *reader->at != c) return false;
    reader->at++;
    return true;
}

static int take_register(oak_operand_reader *reader)
{
    skip_blanks(reader);
    size_t length = word_length(reader);
    int number = arm_register_number(reader->at, length);
    if (number >= 0) reader->at += length;
    return number;
}

static oak_status refuse(oak_operand_reader *reader, const char *from, const char *code, const char *hint,
                         const char *message)
{
    reader->refuse(reader, from, reader->at > from ? reader->at : from + 1, code, hint, message);
    return OAK_REFUSED;
}

/* The expression behind a #, or a report with the mark as the remedy where it is missing. */
static oak_status read_immediate(oak_operand_reader *reader, oak_operand *operand)
{
    skip_blanks(reader);
    if (reader->at == reader->end || *reader->at != '#') {
        if (reader->at < reader->end) reader->suggest(reader, reader->at, reader->at, "#");
        return refuse(reader, reader->at, "immediate-mark", "Put # before it.",
                      "an immediate value needs its mark");
    }
    reader->at++;
    skip_blanks(reader);
    if (reader->at < reader->end && *reader->at == '-') operand->extra |= ARM_MEM_MINUS;
    operand->expr = reader->expression(reader);
    return operand->expr ? OAK_OK : OAK_REFUSED;
}

static int shift_kind(const char *text, size_t length)
{
    static const char *const names[] = {"lsl", "lsr", "asr", "ror", "rrx"};
    for (int i = 0; i < 5; i++)
        if (oak_same_name(text, length, names[i])) return i;
    return -1;
}

/* +index, -index, with a shift behind; taken: there is one. */
static oak_status read_index(const arm_dialect *dialect, oak_operand_reader *reader, oak_operand *operand,
                             bool *taken)
{
    const char *from = reader->at;
    bool minus = dialect->plain && take(reader, '-');
    if (dialect->plain && !minus) (void)take(reader, '+');
    int index = take_register(reader);
    *taken = index >= 0;
    if (!*taken) reader->at = from;
    if (!*taken) return OAK_OK;
    operand->extra |= ARM_MEM_HAS_INDEX | (uint32_t)index | (minus ? (uint32_t)ARM_MEM_INDEX_MINUS : 0);
    from = reader->at;
    if (!take(reader, ',')) return OAK_OK;
    skip_blanks(reader);
    size_t length = word_length(reader);
    const char *word = reader->at;
    int kind = shift_kind(word, length);
    if (kind < 0 && dialect->plain && !(operand->extra & ARM_MEM_POST)) kind = 5;
    if (kind < 0 && dialect->plain) reader->at = from; /* another operand */
    if (kind < 0 && dialect->plain) return OAK_OK;
    reader->at += length;
    if (kind == 5 || (kind != 0 && !dialect->plain))
        return refuse(reader, word, "shift", "Write `[r0, r1, lsl #2]`.",
                      kind == 5 ? "this is no shift" : "an index can only be shifted left");
    operand->extra |= (uint32_t)kind << ARM_MEM_KIND | ARM_MEM_SHIFT;
    if (kind == 4) return OAK_OK;
    uint32_t sign = operand->extra & ARM_MEM_MINUS;
    oak_status status = read_immediate(reader, operand);
    operand->extra = (operand->extra & ~(uint32_t)ARM_MEM_MINUS) | sign;
    return status;
}

/* [base], [base, #offset], [base, index], [base, index, lsl #n], with ! or an offset behind. */
static oak_status read_memory(const arm_dialect *dialect, oak_operand_reader *reader, oak_operand *operand)
{
    const char *start = reader->at++;
    operand->kind = ARM_K_MEM;
    int base = take_register(reader);
    oak_status status = OAK_OK;
    bool taken;
    if (base < 0)
        return refuse(reader, start, "memory-operand", "Write `[r0]`, `[r0, #4]` or `[r0, r1]`.",
                      "a base register is missing in these brackets");
    operand->reg = (uint8_t)base;
    if (take(reader, ',')) {
        status = read_index(dialect, reader, operand, &taken);
        if (!status && !taken) {
            status = read_immediate(reader, operand);
            operand->extra |= ARM_MEM_HAS_OFFSET;
        }
        if (status) return status;
    }
    if (!take(reader, ']'))
        return refuse(reader, start, "memory-operand", "Write `[r0]`, `[r0, #4]` or `[r0, r1]`.",
                      "these brackets are not closed");
    if (take(reader, '!')) {
        operand->extra |= ARM_MEM_PRE;
        return OAK_OK;
    }
    const char *behind = reader->at;
    if (!take(reader, ',')) return OAK_OK;
    skip_blanks(reader);
    bool further = !(operand->extra & (ARM_MEM_HAS_OFFSET | ARM_MEM_HAS_INDEX));
    if (further && dialect->plain) {
        operand->extra |= ARM_MEM_POST;
        status = read_index(dialect, reader, operand, &taken);
        if (status || taken) return status;
        operand->extra &= ~(uint32_t)ARM_MEM_POST;
    }
    if (reader->at == reader->end || *reader->at != '#' || !further) {
        reader->at = behind;
        return OAK_OK;
    }
    operand->extra |= ARM_MEM_POST | ARM_MEM_HAS_OFFSET;
    return read_immediate(reader, operand);
}

/* {r0-r3, r7, lr} */
static oak_status read_list(const arm_dialect *dialect, oak_operand_reader *reader, oak_operand *operand)
{
    const char *start = reader->at++;
    operand->kind = ARM_K_LIST;
    do {
        skip_blanks(reader);
        const char *from = reader->at;
        int first = take_register(reader), last = first;
        if (first >= 0 && take(reader, '-')) last = take_register(reader);
        if (first < 0 || last < 0)
            return refuse(reader, from, "register-list", "Write `{r0, r4-r7, lr}`.",
                          "a register is missing here");
        if (last < first)
            return refuse(reader, from, "register-list", "Write the lower register first.",
                          "this range runs backwards");
        for (int i = first; i <= last; i++) {
            if (operand->extra >> i & 1)
                return refuse(reader, from, "register-list", NULL, "a register is named twice");
            operand->extra |= (uint32_t)1 << i;
        }
    } while (take(reader, ','));
    if (take(reader, '}')) {
        if (dialect->plain && take(reader, '^')) operand->extra |= ARM_LIST_CARET;
        return OAK_OK;
    }
    return refuse(reader, start, "register-list", "Write `{r0, r4-r7, lr}`.", "this list is not closed");
}

/* What a barrier holds back, by its number. */
static const char *const barriers[16] = {[2] = "oshst",  [3] = "osh",  [6] = "nshst", [7] = "nsh",
                                         [10] = "ishst", [11] = "ish", [14] = "st",   [15] = "sy"};
const char *arm_barrier_name(unsigned number)
{
    return barriers[number & 15];
}

/* Words that mean something with one mnemonic only. */
static oak_status read_word(const oak_isa_tables *tables, oak_operand_reader *reader, const char *mnemonic,
                            oak_operand *operand, bool *taken)
{
    size_t length = word_length(reader);
    const char *text = reader->at;
    *taken = false;
    if (oak_same(mnemonic, "it")) {
        for (unsigned i = 0; i < 15; i++)
            if (oak_same_name(text, length, arm_condition_names[i])) operand->reg = (uint8_t)i, *taken = true;
        if (oak_same_name(text, length, "hs")) operand->reg = 2, *taken = true;
        if (oak_same_name(text, length, "lo")) operand->reg = 3, *taken = true;
        operand->kind = ARM_K_COND;
        reader->at += length;
        if (*taken) return OAK_OK;
        return refuse(reader, text, "condition", "Conditions: eq ne cs cc mi pl vs vc hi ls ge lt gt le al.",
                      "this is no condition");
    }
    if (oak_same(mnemonic, "cpsie") || oak_same(mnemonic, "cpsid")) {
        for (size_t i = 0; i < length; i++)
            operand->reg |= oak_lower(text[i]) == 'i'                             ? 2
                            : oak_lower(text[i]) == 'a' && tables->dialect->plain ? 4
                                                                                  : oak_lower(text[i]) == 'f';
        reader->at += length;
        *taken = true;
        operand->kind = ARM_K_IFLAGS;
        unsigned named = (operand->reg & 1u) + (operand->reg >> 1 & 1u) + (operand->reg >> 2 & 1u);
        if (named && named == length) return OAK_OK;
        return refuse(reader, text, "interrupt-mask", "Write `cpsid i`.",
                      tables->dialect->plain ? "the masks are a, i and f" : "the masks are i and f");
    }
    if (oak_same(mnemonic, "msr") || oak_same(mnemonic, "mrs")) {
        int number = tables->dialect->special_number(text, length);
        if (number < 0) return OAK_OK;
        operand->kind = ARM_K_SPECIAL;
        operand->reg = (uint8_t)number;
        reader->at += length;
        *taken = true;
        return OAK_OK;
    }
    bool barrier = oak_same(mnemonic, "dsb") || oak_same(mnemonic, "dmb") || oak_same(mnemonic, "isb");
    for (unsigned i = tables->dialect->plain ? 0 : 15; barrier && i < 16; i++) {
        if (!barriers[i] || !oak_same_name(text, length, barriers[i])) continue;
        operand->kind = ARM_K_BARRIER;
        operand->reg = (uint8_t)i;
        reader->at += length;
        *taken = true;
        break;
    }
    return OAK_OK;
}

static oak_status read_operand(const oak_isa_tables *tables, oak_operand_reader *reader, const char *mnemonic,
                               oak_operand *operand)
{
    char first = *reader->at;
    const char *start = reader->at;
    bool taken;
    if (first == '[') return read_memory(tables->dialect, reader, operand);
    if (first == '{') return read_list(tables->dialect, reader, operand);
    if (first == '#') {
        operand->kind = ARM_K_IMM;
        return read_immediate(reader, operand);
    }
    if (first == '=') {
        reader->at++;
        operand->kind = ARM_K_LITERAL;
        operand->pooled = true;
        if (!oak_same(mnemonic, "ldr"))
            return refuse(reader, start, "literal", "Write `ldr r0, =value`.",
                          "only ldr takes a value from a pool");
        operand->expr = reader->expression(reader);
        return operand->expr ? OAK_OK : OAK_REFUSED;
    }
    oak_status status = read_word(tables, reader, mnemonic, operand, &taken);
    if (status || taken) return status;
    size_t length = word_length(reader);
    int number = arm_register_number(reader->at, length), kind = shift_kind(reader->at, length);
    if (number >= 0) {
        reader->at += length;
        operand->kind = ARM_K_REG;
        operand->reg = (uint8_t)number;
        if (reader->at < reader->end && *reader->at == '!') {
            reader->at++;
            operand->kind = ARM_K_REG_MOVES;
        }
        return OAK_OK;
    }
    if (kind >= 0) {
        reader->at += length;
        operand->kind = ARM_K_SHIFT;
        operand->reg = (uint8_t)kind;
        int by = kind == 4 || !tables->dialect->plain ? -1 : take_register(reader);
        if (by >= 0) operand->extra = ARM_SHIFT_BY | (uint32_t)by;
        return kind == 4 || by >= 0 ? OAK_OK : read_immediate(reader, operand);
    }
    operand->kind = ARM_K_PLAIN;
    operand->expr = reader->expression(reader);
    return operand->expr ? OAK_OK : OAK_REFUSED;
}

/* `stmdb sp!, {…}` and `ldm sp!, {…}` are other spellings of push and pop. */
static void take_stack_spelling(const oak_isa_tables *tables, oak_insn *insn)
{
    const char *mnemonic = tables->mnemonic[arm_base(insn->mnemonic)];
    bool stores = oak_same(mnemonic, "stmdb");
    if (insn->count != 2 || insn->operand[0].kind != ARM_K_REG_MOVES || insn->operand[0].reg != ARM_SP ||
        insn->operand[1].kind != ARM_K_LIST || (!stores && !oak_same(mnemonic, "ldm")))
        return;
    uint32_t list = insn->operand[1].extra;
    if (tables->dialect->plain && ((list & (list - 1)) == 0 || list & ARM_LIST_CARET)) return;
    unsigned spelled = 0;
    while (!oak_same(tables->mnemonic[spelled], stores ? "push" : "pop")) spelled++;
    insn->mnemonic = (uint16_t)((insn->mnemonic & ~0xFFu) | spelled);
    insn->operand[0] = insn->operand[1];
    insn->count = 1;
}

oak_status arm_read_operands(const oak_isa_tables *tables, oak_operand_reader *reader, oak_insn *insn)
{
    const char *mnemonic = tables->mnemonic[arm_base(insn->mnemonic)];
    insn->count = 0;
    skip_blanks(reader);
    if (reader->at == reader->end) return OAK_OK;
    for (;;) {
        skip_blanks(reader);
        if (insn->count == OAK_MOST_OPERANDS || reader->at == reader->end) {
            bool many = insn->count == OAK_MOST_OPERANDS;
            return refuse(reader, many ? reader->at : reader->at - 1, "operand-count",
                          many ? NULL : "Leave the comma out, or write what belongs behind it.",
                          many ? "too many operands" : "an operand is missing behind this comma");
        }
        oak_operand *operand = &insn->operand[insn->count];
        *operand = (oak_operand){0};
        const char *start = reader->at;
        oak_status status = read_operand(tables, reader, mnemonic, operand);
        if (status) return status;
        const char *end = reader->at;
        while (end > start && (end[-1] == ' ' || end[-1] == '\t')) end--;
        operand->first = (uint16_t)(start - reader->line);
        operand->last = (uint16_t)(end - reader->line);
        insn->count++;
        if (take(reader, ',')) continue;
        take_stack_spelling(tables, insn);
        return OAK_OK;
    }
}

/* ------------------------------------------------------------------------------------------ matching */

static bool memory_fits(const arm_class *class, const oak_operand *operand)
{
    uint32_t extra = operand->extra;
    bool both = extra & ARM_MEM_INDEX_MINUS || extra >> ARM_MEM_KIND;
    if (both && !arm_is_index(class)) return false;
    bool index = extra & ARM_MEM_HAS_INDEX, shift = extra & ARM_MEM_SHIFT;
    bool pre = extra & ARM_MEM_PRE, post = extra & ARM_MEM_POST, offset = extra & ARM_MEM_HAS_OFFSET;
    switch (class->what) {
    case ARM_MEM_IMM:
        return !index && !pre && !post && (operand->reg != ARM_SP || class->allowed >> ARM_SP & 1);
    case ARM_MEM_NEG:
    case ARM_MEM_SIGNED: return !index && !pre && !post;
    case ARM_MEM_SP: return !index && !pre && !post && operand->reg == ARM_SP;
    case ARM_MEM_INDEXED: return index && !pre && !post && (!shift || class->scale);
    case ARM_MEM_PRE_INDEX: return index && pre && (!shift || class->scale);
    case ARM_MEM_POST_INDEX: return index && post && (!shift || class->scale);
    case ARM_MEM_PRE_IMM: return !index && pre;
    case ARM_MEM_POST_IMM: return !index && post;
    case ARM_MEM_REG: return index && !shift && !pre;
    case ARM_MEM_REG_SHIFT: return index && !pre;
    case ARM_MEM_REG_TWO: return index && shift && !pre;
    case ARM_MEM_BASE: return !index && !pre && !post && !offset;
    case ARM_WORD8:
    case ARM_WORD12:
    case ARM_WORD8X4: return !index && !pre && !post && operand->reg == ARM_PC;
    default: return false;
    }
}

static bool one_fits(const arm_class *class, unsigned kind, const oak_operand *operand)
{
    switch (class->what) {
    case ARM_REG:
    case ARM_REG_TWICE:
    case ARM_REG_NEXT:
    case ARM_REG_PRODUCT: return kind == ARM_K_REG;
    case ARM_SP_MAY_MOVE: return (kind == ARM_K_REG_MOVES || kind == ARM_K_REG) && operand->reg == ARM_SP;
    case ARM_REG_SP:
    case ARM_SP_TWICE: return kind == ARM_K_REG && operand->reg == ARM_SP;
    case ARM_BASE_MOVES: return kind == ARM_K_REG_MOVES;
    case ARM_BASE_MAY_MOVE: return kind == ARM_K_REG_MOVES || kind == ARM_K_REG;
    case ARM_SHIFT_MAY:
    case ARM_SHIFT_LSL_MAY:
    case ARM_SHIFT_ASR:
    case ARM_SAT_SHIFT_MAY:
    case ARM_ROTATION_MAY: return kind == ARM_K_SHIFT && !(operand->extra & ARM_SHIFT_BY);
    case ARM_SHIFT_BY_REG: return kind == ARM_K_SHIFT && operand->extra & ARM_SHIFT_BY;
    case ARM_BARRIER_MAY: return kind == ARM_K_BARRIER || kind == ARM_K_IMM;
    case ARM_SY_MAY: return kind == ARM_K_BARRIER;
    case ARM_LABEL:
    case ARM_LABEL_WORDS:
    case ARM_ADR_AFTER:
    case ARM_ADR_BEFORE:
    case ARM_PLACE8:
    case ARM_PLACE_AFTER:
    case ARM_PLACE_BEFORE: return kind == ARM_K_PLAIN;
    case ARM_WORD8:
    case ARM_WORD12:
        return kind == ARM_K_PLAIN || kind == ARM_K_LITERAL ||
               (kind == ARM_K_MEM && memory_fits(class, operand));
    case ARM_WORD8X4: return kind == ARM_K_PLAIN || (kind == ARM_K_MEM && memory_fits(class, operand));
    case ARM_CONDITION: return kind == ARM_K_COND;
    case ARM_IFLAGS: return kind == ARM_K_IFLAGS;
    case ARM_SPECIAL: return kind == ARM_K_SPECIAL;
    default:
        if (arm_is_list(class))
            return kind == ARM_K_LIST &&
                   (class->what == ARM_LIST_USER) == ((operand->extra & ARM_LIST_CARET) != 0);
        if (arm_is_memory(class)) return kind == ARM_K_MEM && memory_fits(class, operand);
        return kind == ARM_K_IMM;
    }
}

/* The operands of the row, in order, are those of the instruction named in match->of. */
static bool all_fit(const arm_shape *shape, const uint8_t *kinds, const oak_operand *operands,
                    const arm_match *match)
{
    for (unsigned i = 0; i < shape->count; i++) {
        int of = match->of[i];
        if (of < 0 ? !shape->class_of[i].optional : !one_fits(&shape->class_of[i], kinds[of], &operands[of]))
            return false;
    }
    return true;
}

static bool is_commutative(const char *mnemonic)
{
    static const char *const names[] = {"and", "eor", "orr", "adc", "add"};
    for (size_t i = 0; i < sizeof names / sizeof *names; i++)
        if (oak_same(mnemonic, names[i])) return true;
    return false;
}

static void straight(arm_match *match, unsigned count, unsigned from)
{
    for (unsigned i = 0; i < ARM_MOST_CLASSES; i++) {
        unsigned of = i >= from ? i + 1 : i; /* `from`: the operand that is passed over */
        match->of[i] = of < count ? (int8_t)of : -1;
    }
}

bool arm_matches(const oak_isa_tables *tables, unsigned row, unsigned count, const uint8_t *kinds,
                 const oak_operand *operands, arm_match *match)
{
    const arm_shape *shape = &tables->shape[row];
    unsigned most = shape->count, least = most && shape->class_of[most - 1].optional ? most - 1 : most;
    straight(match, count, ARM_MOST_CLASSES);
    if (count >= least && count <= most && all_fit(shape, kinds, operands, match)) return true;
    if (!most) return false;
    uint8_t first = shape->class_of[0].what;
    bool twice = first == ARM_REG_TWICE || first == ARM_REG_PRODUCT || first == ARM_SP_TWICE;
    if (twice && count == most + 1 && kinds[0] == ARM_K_REG && kinds[1] == ARM_K_REG) {
        bool third = kinds[2] == ARM_K_REG && operands[2].reg == operands[0].reg;
        if (third && (is_commutative(tables->mnemonic[shape->mnemonic]) || first == ARM_REG_PRODUCT)) {
            straight(match, count, 2);
            if (all_fit(shape, kinds, operands, match)) return true;
        }
        straight(match, count, 1);
        return operands[0].reg == operands[1].reg && all_fit(shape, kinds, operands, match);
    }
    /* The destination may be left out where it is the first source, too. Small constants have a form of their own. */
    if (first != ARM_REG || most < 3 || shape->class_of[1].what != ARM_REG ||
        shape->class_of[0].letter != 'd' ||
        (shape->class_of[2].what == ARM_IMM && oak_pattern_width(&shape->pattern, 'i') == 3) ||
        count + 1 < least || count + 1 > most || !count)
        return false;
    match->of[0] = 0;
    for (unsigned i = 1; i < ARM_MOST_CLASSES; i++) match->of[i] = i - 1 < count ? (int8_t)(i - 1) : -1;
    return all_fit(shape, kinds, operands, match);
}

/* ------------------------------------------------------------------------------------------ choosing */

static bool is_named(const oak_isa_tables *tables, unsigned row, const char *name)
{
    return oak_same(tables->mnemonic[tables->shape[row].mnemonic], name);
}

/* Whether a row can stand here with this s, condition and width. */
static bool may_become(const oak_isa_tables *tables, unsigned row, unsigned mnemonic, uint32_t state)
{
    const arm_shape *shape = &tables->shape[row];
    if (!arm_has_row(tables, row)) return false;
    bool s = arm_s(mnemonic), inside = state != 0, wide = arm_is_wide(shape);
    bool has_condition = arm_condition(mnemonic) != ARM_NO_CONDITION;
    unsigned width = arm_width(mnemonic);
    if (width && (width == ARM_WIDTH_WIDE) != wide) return false;
    if (shape->conditional) return !inside && has_condition;
    if (tables->dialect->plain && has_condition && !shape->has_condition) return false;
    if (is_named(tables, row, "b") && !tables->dialect->plain && !inside && has_condition) return false;
    switch (tables->dialect->set[row]) {
    case ARM_SET_ITS: return s != inside;
    case ARM_SET_OUTSIDE: return s && !inside;
    case ARM_SET_BIT: return true;
    default: return !s;
    }
}

static unsigned collect(const oak_isa_tables *tables, const oak_insn *insn, unsigned mnemonic,
                        const uint8_t *kinds, uint16_t *rows)
{
    unsigned base = arm_base(mnemonic), count = 0;
    arm_match match;
    for (unsigned row = tables->first_row[base]; row != ARM_NO_ROW && count < OAK_MOST_FORMS;
         row = tables->shape[row].next)
        if (may_become(tables, row, mnemonic, insn->state) &&
            arm_matches(tables, row, insn->count, kinds, insn->operand, &match))
            rows[count++] = (uint16_t)row;
    unsigned also = tables->also[base];
    if (also != ARM_NO_ROW && count < OAK_MOST_FORMS && may_become(tables, also, mnemonic, insn->state) &&
        arm_matches(tables, also, insn->count, kinds, insn->operand, &match))
        rows[count++] = (uint16_t)also;
    return count;
}

/* The text of a mnemonic as it was understood. */
static void spell(const oak_isa_tables *tables, unsigned mnemonic, char *text, size_t room)
{
    unsigned condition = arm_condition(mnemonic);
    oak_format(text, room, "%s%s%s", tables->mnemonic[arm_base(mnemonic)], arm_s(mnemonic) ? "s" : "",
               arm_condition_names[condition]);
}

/* The condition of an instruction against the it block it stands in. */
static bool condition_is_wrong(const oak_isa_tables *tables, const oak_insn *insn, oak_refusal *why)
{
    unsigned condition = arm_condition(insn->mnemonic), base = arm_base(insn->mnemonic);
    const char *name = tables->mnemonic[base];
    char text[24];
    bool branch = oak_same(name, "b"), is_it = oak_same(name, "it");
    spell(tables, insn->mnemonic, text, sizeof text);
    why->operand = -1;
    if (tables->dialect->plain) return false;
    if (!insn->state) {
        if (is_it || condition == ARM_NO_CONDITION || branch) return false;
        why->code = "no-it-block";
        SAY(why, "`%s` is conditional and stands in no it block", text);
        if (!tables->dialect->small)
            HINT(why, "Write `it %s` in the line before.", arm_condition_names[condition]);
        else HINT(why, "armv6m has no conditional instructions but jumps: jump over it.");
        return true;
    }
    unsigned wanted = insn->state >> 4;
    why->code = "it-block";
    if (is_it || oak_same(name, "cbz") || oak_same(name, "cbnz") || oak_same(name, "cpsie") ||
        oak_same(name, "cpsid")) {
        SAY(why, "`%s` cannot stand in an it block", is_it ? "it" : text);
        HINT(why, "The it block before it is not complete, or names too many.");
        return true;
    }
    if (condition == wanted || (wanted == ARM_ALWAYS && condition == ARM_NO_CONDITION) ||
        oak_same(name, "bkpt"))
        return false;
    oak_insn right = *insn;
    char other[24];
    right.mnemonic = (uint16_t)((insn->mnemonic & ~0xF00u) | wanted << 8);
    spell(tables, right.mnemonic, other, sizeof other);
    SAY(why,
        condition == ARM_NO_CONDITION ? "`%s` stands in an it block without its condition"
                                      : "`%s` has another condition than the it block says here",
        text);
    HINT(why, "The block gives it the condition %s: write `%s`.", arm_condition_names[wanted], other);
    return true;
}

/* Tries the one change of s, mark or architecture that makes it fit. */
static bool suggest(const oak_isa_tables *tables, const oak_insn *insn, uint8_t *kinds, oak_refusal *why)
{
    uint16_t rows[OAK_MOST_FORMS];
    char text[24];
    bool of_pc = insn->count && kinds[0] == ARM_K_REG && insn->operand[0].reg == ARM_PC;
    if (!of_pc && collect(tables, insn, insn->mnemonic ^ 1u << 12, kinds, rows)) {
        spell(tables, insn->mnemonic ^ 1u << 12, text, sizeof text);
        why->code = "flags-form";
        if (arm_s(insn->mnemonic)) SAY(why, "this form leaves the flags alone");
        else SAY(why, "this form sets the flags, which its name must say");
        HINT(why, "Write `%s`%s.", text, insn->state ? " inside the it block" : "");
        why->edit_word = true;
        why->has_edit = true;
        why->edit_safe = true;
        oak_format(why->edit, sizeof why->edit, "%s", text);
        return true;
    }
    for (unsigned i = 0; i < insn->count; i++) {
        uint8_t was = kinds[i];
        if (was != ARM_K_PLAIN && was != ARM_K_IMM) continue;
        kinds[i] = was == ARM_K_PLAIN ? ARM_K_IMM : ARM_K_PLAIN;
        bool fits = collect(tables, insn, insn->mnemonic, kinds, rows) ||
                    collect(tables, insn, insn->mnemonic ^ 1u << 12, kinds, rows);
        kinds[i] = was;
        if (!fits) continue;
        why->operand = (int)i;
        why->has_edit = why->edit_safe = true;
        why->edit_first = insn->operand[i].first;
        if (was == ARM_K_PLAIN) {
            why->code = "immediate-mark";
            SAY(why, "an immediate value needs its mark");
            HINT(why, "Put # before it.");
            why->edit_last = why->edit_first;
            oak_format(why->edit, sizeof why->edit, "#");
        } else {
            why->code = "no-such-form";
            SAY(why, "it takes a place here, not an immediate");
            HINT(why, "Leave the # out.");
            why->edit_last = (uint16_t)(why->edit_first + 1);
            why->edit[0] = 0;
            why->edit_safe = false; /* it may be what was meant */
        }
        return true;
    }
    return false;
}

static void list_forms(const oak_isa_tables *tables, const oak_insn *insn, oak_refusal *why)
{
    char text[sizeof why->hint] = "";
    unsigned shown = 0;
    for (unsigned row = tables->first_row[arm_base(insn->mnemonic)]; row != ARM_NO_ROW;
         row = tables->shape[row].next) {
        if (!arm_has_row(tables, row)) continue;
        const oak_insn_row *about = &tables->dialect->full[row];
        bool sets = tables->dialect->set[row] == ARM_SET_ITS || tables->dialect->set[row] == ARM_SET_OUTSIDE;
        char one[80], so_far[sizeof text];
        memcpy(so_far, text, sizeof text);
        oak_format(one, sizeof one, "`%s%s%s%s`", about->mnemonic, sets ? "s" : "",
                   *about->operands ? " " : "", about->operands);
        bool known = false;
        for (size_t i = 0; so_far[i] && !known; i++)
            known = so_far[i] == '`' && oak_same_name(so_far + i, oak_length(one), one);
        if (known || oak_length(so_far) + oak_length(one) + 24 > sizeof text) continue;
        oak_format(text, sizeof text, "%s%s%s", so_far, shown ? ", " : "", one);
        shown++;
    }
    HINT(why, "Forms that exist: %s.", text);
}

/* What people write and what the core has for it: r a register, s a special one, # a value with its mark, = a place, m
 * memory in brackets, * anything. */
static const oak_remedy remedies[] = {
    {"push", "r", "Registers stand in a list: `push {r0}`, `push {r0, r4-r7, lr}`."},
    {"pop", "r", "Registers stand in a list: `pop {r0}`, `pop {r4-r7, pc}`."},
    {"push", "rr", "Registers stand in one list: `push {r0, r1}`."},
    {"pop", "rr", "Registers stand in one list: `pop {r0, r1}`."},
    {"push", "#", "Only registers are pushed: `movs r0, #5`, then `push {r0}`."},
    {"ldr", "r#", "A value is loaded with `ldr r0, =value`, a small one with `movs r0, #5`."},
    {"ldr", "rr", "Memory at an address in a register: `ldr r0, [r1]`. A register: `mov r0, r1`."},
    {"ldrb", "rr", "Memory at an address in a register: `ldrb r0, [r1]`."},
    {"ldrh", "rr", "Memory at an address in a register: `ldrh r0, [r1]`."},
    {"str", "rr", "Memory at an address in a register: `str r0, [r1]`."},
    {"strb", "rr", "Memory at an address in a register: `strb r0, [r1]`."},
    {"strh", "rr", "Memory at an address in a register: `strh r0, [r1]`."},
    {"str", "r=", "Load the address first: `ldr r1, =place`, then `str r0, [r1]`."},
    {"strb", "r=", "Load the address first: `ldr r1, =place`, then `strb r0, [r1]`."},
    {"strh", "r=", "Load the address first: `ldr r1, =place`, then `strh r0, [r1]`."},
    {"ldrb", "r=", "Load the address first: `ldr r1, =place`, then `ldrb r0, [r1]`."},
    {"ldrh", "r=", "Load the address first: `ldr r1, =place`, then `ldrh r0, [r1]`."},
    {"str", "*r", "The register comes first: `str r0, [r1]`."},
    {"str", "#*", "Only registers are stored: `movs r0, #5`, then `str r0, [r1]`."},
    {"mov", "r=", "A value has its mark, `movs r0, #5`; an address is loaded with `ldr r0, =place`."},
    {"b", "r", "To an address in a register: `bx r0`."},
    {"b", "#", "To a label, without #; to an address in a register: `bx r0`."},
    {"bl", "r", "To an address in a register: `blx r0`."},
    {"bl", "#", "To a label, without #; to an address in a register: `blx r0`."},
    {"bx", "=", "To a label: `b label`."},
    {"blx", "=", "To a label: `bl label`."},
    {"bx", "#", "To a label: `b label`."},
    {"cmp", "r", "It compares two: `cmp r0, #0`, `cmp r0, r1`."},
    {"mul", "rr#", "Factors are registers: `movs r2, #5`, then `muls r0, r2, r0`."},
    {"mul", "r#", "Factors are registers: `movs r2, #5`, then `muls r0, r2, r0`."},
    {"and", "r#", "Load the mask first: `movs r1, #5`, then `ands r0, r1`."},
    {"orr", "r#", "Load the mask first: `movs r1, #5`, then `orrs r0, r1`."},
    {"eor", "r#", "Load the mask first: `movs r1, #5`, then `eors r0, r1`."},
    {"bic", "r#", "Load the mask first: `movs r1, #5`, then `bics r0, r1`."},
    {"tst", "r#", "Load the mask first: `movs r1, #5`, then `tst r0, r1`."},
    {"and", "rr#", "Load the mask first: `movs r2, #5`, then `ands r0, r2`."},
    {"orr", "rr#", "Load the mask first: `movs r2, #5`, then `orrs r0, r2`."},
    {"lsl", "r", "By how much? `lsls r0, r0, #1`."},
    {"lsr", "r", "By how much? `lsrs r0, r0, #1`."},
    {"asr", "r", "By how much? `asrs r0, r0, #1`."},
    {"ror", "r", "By how much? Load it first: `rors r0, r1`."},
    {"cmp", "#r", "The register comes first: `cmp r0, #5`."},
    {"push", "*", "Registers stand in a list: `push {r0, lr}`."},
    {"pop", "*", "Registers stand in a list: `pop {r0, pc}`."},
    {"ldm", "rr", "Registers stand in a list: `ldm r0!, {r1, r2}`."},
    {"stm", "rr", "Registers stand in a list: `stm r0!, {r1, r2}`."},
    {"mrs", "sr", "To write it: `msr primask, r0`."},
    {"msr", "rs", "To read it: `mrs r0, primask`."},
    {"msr", "s#", "From a register: `movs r0, #1`, then `msr primask, r0`."},
    {"mov", "rm", "Memory is read with `ldr r0, [r1]`."},
    {"mov", "mr", "Memory is written with `str r0, [r1]`."},
    {"mvn", "r#", "Load it first: `movs r1, #0`, then `mvns r0, r1`."},
    {"svc", "", "It has a number: `svc #0`."},
    {"bkpt", "", "It has a number: `bkpt #0`."},
    {"bl", "", "Write `bl target`."},
    {"nop", "*", "nop takes nothing; for several write it in a `repeat`."},
    {0},
};

static const char letters[] = {
    [ARM_K_REG] = 'r', [ARM_K_IMM] = '#', [ARM_K_PLAIN] = '=', [ARM_K_SPECIAL] = 's', [ARM_K_MEM] = 'm',
};

/* What a core without an instruction does instead. */
static const char *without(const char *name)
{
    static const struct {
        const char *name, *hint;
    } ways[] = {{"cbz", "Write `cmp r0, #0`, then `beq target`."},
                {"cbnz", "Write `cmp r0, #0`, then `bne target`."},
                {"it", "It has no conditional instructions but jumps: jump over what is not to be done."},
                {"movw", "Write `ldr r0, =value`."},
                {"movt", "Write `ldr r0, =value`."},
                {"udiv", "Divide in a loop of `subs`, or shift by a power of two: `lsrs r0, r0, #3`."},
                {"sdiv", "Divide in a loop of `subs`, or shift by a power of two: `asrs r0, r0, #3`."},
                {"tbb", "Load the address out of a table: `ldr r1, [r2, r0]`, then `bx r1`."},
                {"tbh", "Load the address out of a table: `ldr r1, [r2, r0]`, then `bx r1`."},
                {"orn", "Write `mvns r1, r1`, then `orrs r0, r1`."},
                {"teq", "Copy and compare: `movs r2, r0`, then `eors r2, r1`."},
                {"ubfx", "Shift twice: `lsls r0, r0, #8`, then `lsrs r0, r0, #24`."},
                {"sbfx", "Shift twice: `lsls r0, r0, #8`, then `asrs r0, r0, #24`."},
                {"mla", "Write `muls r1, r2, r1`, then `adds r0, r1`."}};
    for (size_t i = 0; i < sizeof ways / sizeof *ways; i++)
        if (oak_same(ways[i].name, name)) return ways[i].hint;
    return "Write it in several instructions, or choose a part with armv7m.";
}

/* A jump, or an instruction that writes pc. */
static bool leads_elsewhere(const oak_isa_tables *tables, const oak_insn *insn, unsigned row)
{
    static const char *const jumps[] = {"b", "bx", "tbb", "tbh"}, *const writes[] = {"mov", "ldr", "add",
                                                                                     "sub"};
    for (size_t i = 0; i < sizeof jumps / sizeof *jumps; i++)
        if (is_named(tables, row, jumps[i]) && !tables->shape[row].conditional) return true;
    const oak_operand *first = insn->operand, *last = &insn->operand[insn->count ? insn->count - 1 : 0];
    if (!insn->count) return false;
    bool loads = *tables->mnemonic[tables->shape[row].mnemonic] != 's' && !is_named(tables, row, "push");
    if (last->kind == ARM_K_LIST) return loads && last->extra >> ARM_PC & 1;
    for (size_t i = 0; i < sizeof writes / sizeof *writes; i++)
        if (is_named(tables, row, writes[i])) return first->kind == ARM_K_REG && first->reg == ARM_PC;
    return false;
}

/* An instruction that exists without the condition that it is given. */
static bool takes_no_condition(const oak_isa_tables *tables, const oak_insn *insn, const uint8_t *kinds,
                               oak_refusal *why)
{
    uint16_t rows[OAK_MOST_FORMS];
    unsigned never = insn->mnemonic | ARM_NO_CONDITION << 8;
    if (!tables->dialect->plain || never == insn->mnemonic || !collect(tables, insn, never, kinds, rows))
        return false;
    why->code = "condition";
    SAY(why, "`%s` takes no condition: it is always executed", tables->mnemonic[arm_base(insn->mnemonic)]);
    HINT(why, "Jump over it, or leave the condition out.");
    return true;
}

unsigned arm_forms(const oak_isa_tables *tables, oak_insn *insn, uint16_t *rows, oak_refusal *why)
{
    uint8_t kinds[OAK_MOST_OPERANDS] = {0};
    for (unsigned i = 0; i < insn->count; i++) kinds[i] = insn->operand[i].kind;
    const char *name = tables->mnemonic[arm_base(insn->mnemonic)];
    uint32_t state = insn->state;
    insn->state_after = arm_it_next(state);
    why->operand = -1;
    if (!tables->here[arm_base(insn->mnemonic)]) {
        why->code = "no-such-instruction";
        SAY(why, "armv6m has no `%s`: it is an instruction of armv7m", name);
        HINT(why, "%s", without(name));
        return 0;
    }
    if (condition_is_wrong(tables, insn, why)) return 0;
    if (oak_same(name, "it") && insn->count == 1 && kinds[0] == ARM_K_COND)
        insn->state_after = (uint32_t)insn->operand[0].reg << 4 |
                            arm_it_mask(insn->operand[0].reg, arm_condition(insn->mnemonic));
    unsigned count = collect(tables, insn, insn->mnemonic, kinds, rows);
    if (tables->dialect->prefer) tables->dialect->prefer(insn, rows, count);
    if (count) {
        bool jumps = leads_elsewhere(tables, insn, rows[0]),
             always = arm_condition(insn->mnemonic) == ARM_NO_CONDITION;
        insn->never_goes_on = jumps && !state && always;
        if (jumps && state && !arm_it_last(state)) {
            why->code = "it-block";
            SAY(why, "a jump can only be the last of an it block");
            return 0;
        }
        return count;
    }
    if (takes_no_condition(tables, insn, kinds, why)) return 0;
    why->code = "no-such-form";
    char spelled[24];
    spell(tables, insn->mnemonic, spelled, sizeof spelled);
    if (!insn->count) SAY(why, "`%s` needs operands", spelled);
    else SAY(why, "`%s` has no form with these operands", spelled);
    bool suggested = suggest(tables, insn, kinds, why);
    if (suggested && why->has_edit && why->edit_safe) return 0;
    const oak_remedy *own = tables->dialect->remedies;
    if ((own && oak_remedy_for(own, letters, sizeof letters, name, insn->count, kinds, why)) ||
        oak_remedy_for(remedies, letters, sizeof letters, name, insn->count, kinds, why)) {
        if (suggested) SAY(why, "`%s` has no form with these operands", spelled);
    } else if (!suggested) {
        arm_match match;
        bool newer = false, of_pc = insn->count && kinds[0] == ARM_K_REG && insn->operand[0].reg == ARM_PC;
        for (unsigned row = tables->first_row[arm_base(insn->mnemonic)]; row != ARM_NO_ROW;
             row = tables->shape[row].next)
            newer = newer || (!arm_has_row(tables, row) &&
                              arm_matches(tables, row, insn->count, kinds, insn->operand, &match));
        if (newer && !of_pc) SAY(why, "`%s` has this form on armv7m, not on armv6m", name);
        list_forms(tables, insn, why);
    }
    return 0;
}
