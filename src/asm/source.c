/* source.c — where lines come from: files and includes, macros, repetitions, conditions.
 *
 *   NAME macro a, b=5 … endm        repeat COUNT, n … endr        each x, r0, r1, r2 … endr
 *   if … elseif … else … endif      ifdef NAME   ifndef NAME      include "file"
 *
 * A macro or repetition makes new text, in which words are swapped: a parameter as a whole word outside of quotes, or as
 * {parameter} anywhere, also inside names and texts. The text is then read like a file. Depth, rounds and bytes are
 * bounded. */
#include "asm/assembler.h"
#include "base/bytes.h"
#include "base/diag.h"

enum {
    MOST_ROUNDS_OF_REPEAT = 1000000,
    MOST_ROUNDS = 4000000, /* of all repetitions together */
    MOST_EXPANDED = 16 << 20,
    LARGEST_INCLUDE = 64 << 20,
    MOST_FILES = 1000,
    MOST_LOCALS = 32
};

#define REPORT(as, from, to, code, hint, ...)                                                                \
    asm_report(as, OAK_ERROR, (as)->origin, (size_t)((from) - (as)->text), (size_t)((to) - (as)->text),      \
               code, hint, __VA_ARGS__)

/* ------------------------------------------------------------------------------------------ lines */

static bool push_level(assembler *as, const asm_level *level)
{
    if (as->level_count == MOST_LEVELS) {
        REPORT(as, as->text, as->end, "too-deep", "Does it call or include itself?",
               "includes, macros and repetitions are nested more than %d deep", MOST_LEVELS);
        as->ended = true; /* what calls itself twice would say so without end */
        return false;
    }
    as->level[as->level_count] = *level;
    as->level[as->level_count].conditions = as->condition_count;
    as->level_count++;
    return true;
}

bool asm_open_file(assembler *as, const char *name, const char *text, size_t size, uint32_t parent)
{
    oak_program *program = as->program;
    oak_source_file *files =
        oak_grow(&program->host, program->files, &program->file_room, program->file_count + 1, sizeof *files);
    if (!files) {
        as->out_of_memory = true;
        return false;
    }
    program->files = files;
    if (program->file_count == MOST_FILES) {
        REPORT(as, as->text, as->end, "too-deep", "Does it include itself?",
               "more than %d files are included", MOST_FILES);
        return false;
    }
    files[program->file_count] = (oak_source_file){.name = name, .text = text, .size = size};
    asm_level level = {
        .at = text, .end = text + size, .parent = parent, .file = (uint16_t)program->file_count};
    if (!push_level(as, &level)) return false;
    program->file_count++;
    return true;
}

static bool begin_round(assembler *as, asm_level *level);

/* Conditions that were opened in a level end with it. */
static void pop_level(assembler *as)
{
    asm_level *level = &as->level[as->level_count - 1];
    while (as->condition_count > level->conditions) {
        const asm_condition *open = &as->condition[--as->condition_count];
        uint32_t before = as->origin;
        as->origin = open->origin;
        asm_report(as, OAK_ERROR, open->origin, 0, 1, "not-closed", "Close it with endif.",
                   "this condition has no end");
        as->origin = before;
    }
    as->level_count--;
}

/* Keeps a line that is read or taken into a body. */
static bool note_line(assembler *as, asm_level *level, const char *text)
{
    oak_program *program = as->program;
    uint32_t *grown = program->source_count < program->source_room
                          ? program->source
                          : oak_grow(&program->host, program->source, &program->source_room,
                                     program->source_count + 1, sizeof *grown);
    if (!grown) {
        as->out_of_memory = true;
        return false;
    }
    program->source = grown;
    level->line++;
    uint32_t origin = (uint32_t)program->source_count;
    const oak_source_run *run = program->run_count ? &program->runs[program->run_count - 1] : NULL;
    bool goes_on = run && run->end == level->end && text >= run->text && run->parent == level->parent &&
                   run->line + (origin - run->first) == level->line &&
                   run->depth == (uint8_t)(as->level_count - 1);
    if (!goes_on) {
        oak_source_run *runs =
            oak_grow(&program->host, program->runs, &program->run_room, program->run_count + 1, sizeof *runs);
        if (!runs) {
            as->out_of_memory = true;
            return false;
        }
        program->runs = runs;
        run = &runs[program->run_count];
        runs[program->run_count++] = (oak_source_run){.text = text,
                                                      .end = level->end,
                                                      .first = origin,
                                                      .line = level->line,
                                                      .parent = level->parent,
                                                      .file = level->file,
                                                      .depth = (uint8_t)(as->level_count - 1),
                                                      .expanded = level->expanded};
    }
    grown[program->source_count++] = (uint32_t)(text - run->text);
    return true;
}

bool asm_next_line(assembler *as)
{
    while (as->level_count && !as->out_of_memory) {
        asm_level *level = &as->level[as->level_count - 1];
        if (as->ended) {
            pop_level(as);
            continue;
        }
        if (level->at == level->end) {
            if (!(level->round < level->rounds && begin_round(as, level))) pop_level(as);
            continue;
        }
        const char *stop = oak_line_end(level->at, level->end);
        as->text = level->at;
        as->end = stop > as->text && stop[-1] == '\r' ? stop - 1 : stop;
        level->at = stop < level->end ? stop + 1 : level->end;
        if (!note_line(as, level, as->text)) return false;
        as->origin = (uint32_t)(as->program->source_count - 1);
        return true;
    }
    return false;
}

/* ------------------------------------------------------------------------------------------ new text out of old */

static const asm_swap *find_swap(const asm_swap *swaps, unsigned count, const char *word, size_t length)
{
    for (unsigned i = 0; i < count; i++) {
        if (swaps[i].word_length != length) continue;
        size_t same = 0;
        while (same < length && oak_lower(swaps[i].word[same]) == oak_lower(word[same])) same++;
        if (same == length) return &swaps[i];
    }
    return NULL;
}

/* Copies a body with words swapped; in the program's arena. NULL when memory ran out or too much was made. */
static const char *swap_words(assembler *as, const asm_body *body, const asm_swap *swaps, unsigned count,
                              size_t *size)
{
    oak_buf out;
    oak_buf_open(&out, as->host);
    const char *at = body->text, *end = body->text + body->size;
    char quote = 0;
    bool comment = false;
    while (at < end) {
        char c = *at;
        if (c == '\n') quote = 0, comment = false;
        if (c == '{' && !comment) {
            const char *close = at + 1;
            while (close < end && oak_is_word(*close)) close++;
            const asm_swap *swap = close < end && *close == '}'
                                       ? find_swap(swaps, count, at + 1, (size_t)(close - at - 1))
                                       : NULL;
            if (swap) {
                oak_buf_add(&out, swap->text, swap->length);
                at = close + 1;
                continue;
            }
        }
        if (!quote && !comment && oak_is_word(c)) {
            const char *word = at;
            while (at < end && oak_is_word(*at)) at++;
            const asm_swap *swap = find_swap(swaps, count, word, (size_t)(at - word));
            if (swap) oak_buf_add(&out, swap->text, swap->length);
            else oak_buf_add(&out, word, (size_t)(at - word));
            continue;
        }
        if (quote && c == '\\' && at + 1 < end) oak_buf_char(&out, *at++);
        else if (quote && c == quote) quote = 0;
        else if (!quote && !comment && oak_opens_quote(body->text, at)) quote = c;
        else if (!quote && oak_opens_comment(body->text, at, end, as->isa->manual_marks)) comment = true;
        oak_buf_char(&out, *at++);
    }
    const char *text = NULL;
    as->expanded_bytes += out.size;
    if (out.failed) as->out_of_memory = true;
    else if (as->expanded_bytes <= MOST_EXPANDED) {
        text = oak_arena_text(&as->program->arena, oak_buf_string(&out), out.size);
        if (!text) as->out_of_memory = true;
    }
    *size = out.size;
    oak_buf_close(&out);
    return text;
}

static void too_much(assembler *as)
{
    if (as->out_of_memory || as->ended) return;
    REPORT(as, as->text, as->end, "too-much-text", "Make the repetition shorter.",
           "macros and repetitions make more than %d MiB of text", MOST_EXPANDED >> 20);
    as->ended = true; /* whatever follows would only say so again */
}

/* ------------------------------------------------------------------------------------------ bodies */

/* The operation of a line, behind a label with a colon. */
static size_t operation_of(const char **at, const char *end)
{
    for (;;) {
        *at = asm_skip_blanks(*at, end);
        size_t length = asm_word_length(*at, end);
        const char *behind = asm_skip_blanks(*at + length, end);
        if (!length || behind == end || *behind != ':') return length;
        *at = behind + 1;
    }
}

/* Takes the lines up to the one that closes the body, with everything of the same kind nested inside. */
static bool take_body(assembler *as, int close, asm_body *body, const char *word, size_t word_length,
                      bool quiet)
{
    asm_level *level = &as->level[as->level_count - 1];
    *body = (asm_body){.text = level->at, .line = level->line, .file = level->file};
    unsigned depth = 1;
    const char *at = level->at;
    while (at < level->end) {
        const char *line = at, *stop = at;
        while (stop < level->end && *stop != '\n') stop++;
        at = stop < level->end ? stop + 1 : level->end;
        if (stop > line && stop[-1] == '\r') stop--;
        if (!note_line(as, level, line)) return false;
        const char *first = line;
        size_t length = operation_of(&first, stop);
        int directive = length ? asm_directive(as, first, length) : WORD_NONE;
        if (close == ENDM && length) {
            const char *second = asm_skip_blanks(first + length, stop);
            size_t second_length = asm_word_length(second, stop);
            if (second_length && asm_directive(as, second, second_length) == MACRO) depth++;
        }
        if (close == ENDR && (directive == REPEAT || directive == EACH)) depth++;
        if (directive != close || --depth) continue;
        body->size = (size_t)(line - body->text);
        level->at = at;
        return true;
    }
    level->at = level->end;
    if (!quiet)
        REPORT(as, word, word + word_length, "not-closed",
               close == ENDM ? "Close it with endm." : "Close it with endr.", "this has no end");
    return false;
}

/* The next of several texts between commas, without the blanks around it; parentheses and quotes keep commas inside. */
static bool take_item(const char **at, const char *end, const char **text, size_t *length)
{
    *at = asm_skip_blanks(*at, end);
    const char *start = *at;
    unsigned depth = 0;
    char quote = 0;
    for (; *at < end; ++*at) {
        char c = **at;
        if (quote) {
            if (c == '\\' && *at + 1 < end) ++*at;
            else if (c == quote) quote = 0;
        } else if (oak_opens_quote(start, *at)) quote = c;
        else if (c == '(' || c == '[' || c == '{') depth++;
        else if ((c == ')' || c == ']' || c == '}') && depth) depth--;
        else if (c == ',' && !depth) break;
    }
    const char *stop = *at;
    while (stop > start && (stop[-1] == ' ' || stop[-1] == '\t')) stop--;
    *text = start;
    *length = (size_t)(stop - start);
    bool more = *at < end;
    if (more) ++*at;
    return more || *length;
}

/* ------------------------------------------------------------------------------------------ macros */

static void define_macro(assembler *as, asm_name *name, const char *word, size_t length, const char *at,
                         const char *end)
{
    asm_macro *macro = oak_arena_zero(&as->arena, sizeof *macro);
    if (!macro) {
        as->out_of_memory = true;
        return;
    }
    bool good = true;
    const char *text;
    size_t size;
    macro->origin = as->origin;
    while (asm_skip_blanks(at, end) < end && take_item(&at, end, &text, &size)) {
        size_t name_length = asm_word_length(text, text + size);
        const char *equals = asm_skip_blanks(text + name_length, text + size);
        bool has_default = equals < text + size && *equals == '=';
        if (!name_length || *text == '.' || (!has_default && equals != text + size) ||
            macro->parameter_count == MOST_PARAMETERS) {
            REPORT(as, text, text + size, "macro-parameter", "Write `NAME macro first, second=5`.",
                   macro->parameter_count == MOST_PARAMETERS ? "a macro has at most %d parameters"
                                                             : "this is no parameter (at most %d)",
                   MOST_PARAMETERS);
            good = false;
            break;
        }
        asm_swap *parameter = &macro->parameter[macro->parameter_count++];
        *parameter = (asm_swap){.word = text, .word_length = name_length};
        if (!has_default) continue;
        parameter->text = asm_skip_blanks(equals + 1, text + size);
        parameter->length = (size_t)(text + size - parameter->text);
    }
    if (!take_body(as, ENDM, &macro->body, word, length, !good)) return;
    if (name->directive != WORD_NONE || asm_mnemonic(as, name) != WORD_NONE || name->is_register) {
        asm_report(as, OAK_ERROR, macro->origin, (size_t)(word - as->text),
                   (size_t)(word - as->text) + length, "reserved-name", "Choose another name.",
                   "`%s` is already an instruction, directive or register", name->text);
        return;
    }
    if (asm_macro_of(name)) {
        asm_report(as, OAK_ERROR, macro->origin, (size_t)(word - as->text),
                   (size_t)(word - as->text) + length, "defined-twice", "Give one of them another name.",
                   "macro `%s` is already defined in line %u", name->text,
                   asm_line_of(as, asm_macro_of(name)->origin));
        return;
    }
    asm_rare *rare = good ? asm_make_rare(as, name) : NULL;
    if (rare) rare->macro = macro;
}

/* Names declared local get a new name of their own in every expansion: `.name__7`, bound to the label before the call. */
static unsigned add_locals(assembler *as, const asm_body *body, asm_swap *swaps, unsigned count,
                           unsigned room)
{
    const char *at = body->text, *end = body->text + body->size;
    while (at < end) {
        const char *stop = at, *word = at;
        while (stop < end && *stop != '\n') stop++;
        size_t length = operation_of(&word, stop);
        if (length && asm_directive(as, word, length) == LOCAL) {
            const char *items = word + length,
                       *items_end = asm_find_comment(items, stop, as->isa->manual_marks), *text;
            size_t size;
            while (count < room && take_item(&items, items_end, &text, &size) && size) {
                char fresh[80];
                oak_format(fresh, sizeof fresh, ".%.*s__%u", (int)(size < 60 ? size : 60), text,
                           as->expansions);
                const char *kept = oak_arena_text(&as->arena, fresh, oak_length(fresh));
                if (!kept) {
                    as->out_of_memory = true;
                    return count;
                }
                swaps[count++] = (asm_swap){text, size, kept, oak_length(kept)};
            }
        }
        at = stop < end ? stop + 1 : end;
    }
    return count;
}

void asm_call_macro(assembler *as, const asm_macro *macro, const char *word, size_t length, const char *at,
                    const char *end)
{
    asm_swap swaps[MOST_PARAMETERS + MOST_LOCALS];
    unsigned given = 0;
    const char *text;
    size_t size;
    as->expansions++;
    while (asm_skip_blanks(at, end) < end && take_item(&at, end, &text, &size)) {
        if (given == macro->parameter_count) {
            REPORT(as, text, text + (size ? size : 1), "macro-argument", NULL,
                   "`%.*s` takes %u argument%s, this is one more", (int)length, word, macro->parameter_count,
                   macro->parameter_count == 1 ? "" : "s");
            return;
        }
        swaps[given] = macro->parameter[given];
        if (size || !swaps[given].text) swaps[given].text = text, swaps[given].length = size;
        given++;
    }
    for (; given < macro->parameter_count; given++) {
        swaps[given] = macro->parameter[given];
        if (swaps[given].text) continue;
        REPORT(as, word, word + length, "macro-argument", NULL,
               "`%.*s` needs %u argument%s: `%.*s` is missing", (int)length, word, macro->parameter_count,
               macro->parameter_count == 1 ? "" : "s", (int)swaps[given].word_length, swaps[given].word);
        return;
    }
    given = add_locals(as, &macro->body, swaps, given, MOST_PARAMETERS + MOST_LOCALS);
    size_t made;
    const char *body = swap_words(as, &macro->body, swaps, given, &made);
    if (!body) {
        too_much(as);
        return;
    }
    asm_level level = {.at = body,
                       .end = body + made,
                       .line = macro->body.line,
                       .parent = as->origin,
                       .file = macro->body.file,
                       .expanded = true};
    push_level(as, &level);
}

/* ------------------------------------------------------------------------------------------ repetition */

static bool begin_round(assembler *as, asm_level *level)
{
    char number[24];
    asm_swap swap = level->counter;
    if (level->items) {
        if (!take_item(&level->items, level->items_end, &swap.text, &swap.length)) return false;
    } else {
        oak_format(number, sizeof number, "%llu", (unsigned long long)level->round);
        swap.text = number;
        swap.length = oak_length(number);
    }
    level->round++;
    level->line = level->body.line;
    if (++as->rounds > MOST_ROUNDS) {
        REPORT(as, as->text, as->end, "too-much-text", "Make the repetitions shorter.",
               "repetitions have more than %d rounds in all", MOST_ROUNDS);
        as->ended = true;
        return false;
    }
    if (!level->counter.word) {
        as->expanded_bytes += level->body.size;
        if (as->expanded_bytes > MOST_EXPANDED) {
            too_much(as);
            return false;
        }
        level->at = level->body.text;
        level->end = level->body.text + level->body.size;
        return true;
    }
    size_t made;
    const char *text = swap_words(as, &level->body, &swap, 1, &made);
    if (!text) {
        too_much(as);
        return false;
    }
    level->at = text;
    level->end = text + made;
    return true;
}

static void repeat(assembler *as, int directive, const char *word, size_t length, const char *at,
                   const char *end)
{
    asm_level level = {.parent = as->origin, .expanded = true};
    uint32_t origin = as->origin;
    bool good = true;
    if (directive == REPEAT) {
        oak_value count = {0};
        const oak_expr *expr = asm_parse_expression(as, &at, end);
        good = expr && asm_value_now(as, expr, &count);
        if (good && (count.number < 0 || count.number > MOST_ROUNDS_OF_REPEAT)) {
            asm_report(as, OAK_ERROR, origin, expr->first, expr->last, "value-range", NULL,
                       "a repetition has 0 to %d rounds, this is %lld", MOST_ROUNDS_OF_REPEAT,
                       (long long)count.number);
            good = false;
        }
        level.rounds = good ? (uint64_t)count.number : 0;
        at = asm_skip_blanks(at, end);
        if (good && at < end && *at == ',') at = asm_skip_blanks(at + 1, end);
        else if (good && at < end) good = asm_nothing_left(as, at, end);
    }
    size_t name = asm_word_length(at, end);
    if (good && name && *at != '.') {
        level.counter = (asm_swap){.word = at, .word_length = name};
        at = asm_skip_blanks(at + name, end);
    }
    if (directive == EACH && good) {
        if (!level.counter.word || at == end || *at != ',') {
            REPORT(as, word, word + length, "operand-missing", "Write `each reg, r0, r1, r2`.",
                   "`each` needs a name and a list");
            good = false;
        } else {
            level.items = at + 1;
            level.items_end = end;
            level.rounds = UINT64_MAX;
        }
    } else if (good) {
        good = asm_nothing_left(as, at, end);
    }
    if (!take_body(as, ENDR, &level.body, word, length, !good) || !good) return;
    level.file = level.body.file;
    level.line = level.body.line;
    level.at = level.end = level.body.text;
    push_level(as, &level);
}

/* ------------------------------------------------------------------------------------------ conditions */

bool asm_is_skipped(const assembler *as)
{
    return as->condition_count && !as->condition[as->condition_count - 1].active;
}

static bool holds(assembler *as, int directive, const char *word, size_t length, const char *at,
                  const char *end)
{
    if (directive == IF || directive == ELSEIF) {
        oak_value value;
        const oak_expr *expr = asm_parse_expression(as, &at, end);
        return expr && asm_nothing_left(as, at, end) && asm_value_now(as, expr, &value) && value.number != 0;
    }
    at = asm_skip_blanks(at, end);
    size_t size = asm_word_length(at, end);
    if (!size) {
        REPORT(as, word, word + length, "operand-missing", NULL, "`%.*s` needs a name", (int)length, word);
        return false;
    }
    const asm_name *name = asm_intern(as, at, size);
    if (!name || !asm_nothing_left(as, at + size, end)) return false;
    bool defined = asm_macro_of(name) || (name->symbol && name->symbol->kind != SYMBOL_UNDEFINED);
    return defined == (directive == IFDEF);
}

static void read_condition(assembler *as, int directive, const char *word, size_t length, const char *at,
                           const char *end)
{
    bool opens = directive == IF || directive == IFDEF || directive == IFNDEF;
    if (opens) {
        if (as->condition_count == MOST_CONDITIONS) {
            REPORT(as, word, word + length, "too-deep", NULL, "conditions are nested more than %d deep",
                   MOST_CONDITIONS);
            as->ended = true;
            return;
        }
        asm_condition open = {.outer = !asm_is_skipped(as), .origin = as->origin};
        open.active = open.taken = open.outer && holds(as, directive, word, length, at, end);
        as->condition[as->condition_count++] = open;
        return;
    }
    if (as->condition_count == as->level[as->level_count - 1].conditions) {
        REPORT(as, word, word + length, "no-condition", "A condition begins with `if`, `ifdef` or `ifndef`.",
               "`%.*s` without an if before it", (int)length, word);
        return;
    }
    asm_condition *open = &as->condition[as->condition_count - 1];
    if (directive == ENDIF) {
        as->condition_count--;
        asm_nothing_left(as, at, end);
        return;
    }
    if (open->ended) REPORT(as, word, word + length, "no-condition", NULL, "there was an else already");
    if (directive == ELSE) open->ended = true;
    open->active =
        open->outer && !open->taken && (directive == ELSE || holds(as, directive, word, length, at, end));
    open->taken = open->taken || open->active;
}

/* ------------------------------------------------------------------------------------------ files */

/* Reads `folder` + `name`; the path it has is kept. */
static oak_status try_file(assembler *as, const char *folder, size_t folder_length, const char *name,
                           uint32_t length, uint8_t **bytes, size_t *size, const char **path)
{
    oak_buf whole;
    oak_buf_open(&whole, as->host);
    if (length && name[0] != '/') oak_buf_add(&whole, folder, folder_length);
    if (whole.size && whole.bytes[whole.size - 1] != '/') oak_buf_char(&whole, '/');
    oak_buf_add(&whole, name, length);
    *path = whole.failed ? NULL : oak_arena_text(&as->program->arena, oak_buf_string(&whole), whole.size);
    oak_buf_close(&whole);
    if (!*path) return OAK_NO_MEMORY;
    return as->host->read_file ? as->host->read_file(as->host->context, *path, LARGEST_INCLUDE, bytes, size)
                               : OAK_UNSUPPORTED;
}

const char *asm_load(assembler *as, const char *text, uint32_t length, const char *from, const char *to,
                     size_t *size, const char **path)
{
    const char *base = as->program->files[asm_source(as, as->origin).file].name, *other;
    size_t folder = oak_length(base);
    while (folder && base[folder - 1] != '/') folder--;
    uint8_t *bytes = NULL;
    oak_status status = try_file(as, base, folder, text, length, &bytes, size, path);
    for (unsigned i = 0; status == OAK_NOT_FOUND && as->settings && i < as->settings->include_count; i++) {
        const char *where = as->settings->include_paths[i];
        status = try_file(as, where, oak_length(where), text, length, &bytes, size, &other);
        if (!status) *path = other;
    }
    if (status == OAK_NO_MEMORY) as->out_of_memory = true;
    else if (status)
        REPORT(as, from, to, "no-file",
               "A file is looked for beside the one that names it, then in the include folders.",
               "`%s` cannot be read: %s", *path, oak_status_text(status));
    if (status) return NULL;
    const char *kept = oak_arena_text(&as->program->arena, bytes ? (const char *)bytes : "", *size);
    as->host->resize(as->host->context, bytes, *size, 0);
    if (!kept) as->out_of_memory = true;
    return kept;
}

static void include(assembler *as, const char *at, const char *end)
{
    const char *from = asm_skip_blanks(at, end), *text, *path;
    uint32_t length;
    size_t size;
    at = from;
    if (!asm_read_text(as, &at, end, &text, &length) || !asm_nothing_left(as, at, end)) return;
    if (as->level_count == MOST_LEVELS) {
        asm_level full = {0};
        push_level(as, &full); /* says so, before a file is read */
        return;
    }
    const char *source = asm_load(as, text, length, from, at, &size, &path);
    for (unsigned i = 0; source && i < as->level_count; i++) {
        if (as->level[i].expanded || !oak_same(as->program->files[as->level[i].file].name, path)) continue;
        REPORT(as, from, at, "too-deep", NULL, "`%s` includes itself", path);
        return;
    }
    if (source) asm_open_file(as, path, source, size, as->origin);
}

bool asm_read_source_directive(assembler *as, int directive, asm_name *label, const char *word, size_t length,
                               const char *at, const char *end)
{
    switch (directive) {
    case IF:
    case IFDEF:
    case IFNDEF:
    case ELSEIF:
    case ELSE:
    case ENDIF: read_condition(as, directive, word, length, at, end); return true;
    case MACRO:
        if (label) define_macro(as, label, word, length, at, end);
        else
            REPORT(as, word, word + length, "name-missing", "Write `NAME macro first, second`.",
                   "`macro` needs a name before it");
        return true;
    case REPEAT:
    case EACH: repeat(as, directive, word, length, at, end); return true;
    case INCLUDE: include(as, at, end); return true;
    case LOCAL: /* was taken when the macro was expanded */
        if (!as->level[as->level_count - 1].expanded)
            REPORT(as, word, word + length, "no-macro", NULL, "`local` belongs into a macro");
        return true;
    case ENDM:
    case ENDR:
        REPORT(as, word, word + length, "no-macro",
               directive == ENDM ? "It ends what `NAME macro` begins."
                                 : "It ends what `repeat` or `each` begins.",
               "`%.*s` without a beginning", (int)length, word);
        return true;
    default: return false;
    }
}
