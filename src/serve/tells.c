/* tells.c — see server.h: what an instruction, a symbol or a number is. */
#include <oakspindle/look.h>
#include <stdio.h>

#include "asm/program.h"
#include "serve/server.h"

/* ------------------------------------------------------------------------------------------ texts as answers */

oak_status serve_add_text(void *context, const char *bytes, size_t count)
{
    oak_buf_add(context, bytes, count);
    return ((oak_buf *)context)->failed ? OAK_NO_MEMORY : OAK_OK;
}

static oak_text_sink sink_of(oak_buf *buf)
{
    return (oak_text_sink){.context = buf, .write = serve_add_text};
}

static cJSON *as_markdown(oak_buf *text)
{
    cJSON *content = cJSON_CreateObject();
    cJSON_AddStringToObject(content, "kind", "markdown");
    cJSON_AddStringToObject(content, "value", oak_buf_string(text));
    oak_buf_close(text);
    return content;
}

/* ------------------------------------------------------------------------------------------ numbers */

static bool number_of(const char *text, size_t size, uint64_t *value)
{
    size_t used;
    return !oak_read_number(text, text + size, value, &used) && used == size;
}

static void tell_number(oak_buf *out, uint64_t value)
{
    char bits[80];
    unsigned at = 0, width = value > 0xFFFFFFFF ? 64 : value > 0xFFFF ? 32 : value > 0xFF ? 16 : 8;
    for (unsigned i = width; i-- > 0;) {
        bits[at++] = value >> i & 1 ? '1' : '0';
        if (i && i % 4 == 0) bits[at++] = '_';
    }
    bits[at] = 0;
    oak_buf_format(out, "`0x%llx` · `%llu` · `0b%s`", (unsigned long long)value, (unsigned long long)value,
                   bits);
    if (value >= ' ' && value < 127) oak_buf_format(out, " · `'%c'`", (int)value);
    if (value < 0x100 && value & 0x80) oak_buf_format(out, " · as a signed byte %d", (int)value - 0x100);
}

/* ------------------------------------------------------------------------------------------ names */

/* Comments behind a definition and in the lines right above it. */
static void tell_comments(oak_buf *out, serve_unit *unit, const serve_text *text, size_t line)
{
    oak_word words[MOST_WORDS];
    size_t first = line, size;
    bool any = false;
    for (; first > 0; first--) {
        const char *of = serve_line(text, first - 1, &size);
        size_t count = oak_syntax_words(unit->syntax, of, size, words, MOST_WORDS);
        if (count != 1 || words[0].kind != OAK_WORD_COMMENT) break;
    }
    for (size_t i = first; i <= line; i++) {
        const char *of = serve_line(text, i, &size);
        size_t count = oak_syntax_words(unit->syntax, of, size, words, MOST_WORDS);
        if (!count || count > MOST_WORDS || words[count - 1].kind != OAK_WORD_COMMENT) continue;
        const char *at = of + words[count - 1].at, *end = of + size;
        while (at < end && (*at == ';' || *at == '/' || *at == ' ')) at++;
        if ((size_t)(end - at) > 5 && oak_same_name(at, 5, "part:")) continue; /* of the file */
        oak_buf_text(out, any ? " " : "\n\n");
        any = true;
        oak_buf_add(out, at, (size_t)(end - at));
    }
}

/* The line whose code lies at a label. */
static void tell_lies_there(oak_buf *out, const serve_unit *unit, const oak_symbol *symbol)
{
    oak_line line;
    if (symbol->space != unit->part->architecture->code_space ||
        oak_program_line_at(unit->program, (uint32_t)symbol->value, &line) || !line.text ||
        line.address != (uint32_t)symbol->value)
        return;
    oak_word words[MOST_WORDS];
    size_t count = oak_syntax_words(unit->syntax, line.text, line.text_size, words, MOST_WORDS), first = 0,
           end = line.text_size;
    while (first < count && first < MOST_WORDS && words[first].kind == OAK_WORD_LABEL) first++;
    if (first >= count || first >= MOST_WORDS) return;
    if (count <= MOST_WORDS && words[count - 1].kind == OAK_WORD_COMMENT) end = words[count - 1].at;
    while (end && line.text[end - 1] == ' ') end--;
    if (end > words[first].at)
        oak_buf_format(out, ": `%.*s`", (int)(end - words[first].at), line.text + words[first].at);
}

static void tell_symbol(oak_server *server, oak_buf *out, const serve_spot *spot)
{
    const oak_architecture *about = spot->unit->part->architecture;
    const serve_name *defined = serve_definition(server, spot->unit, spot->text->path, spot->name);
    const oak_symbol *symbol = serve_symbol(spot->unit, spot->text->path, spot->name);
    static const char *const kinds[] = {"label", "constant", "macro"};
    if (!defined && !symbol) return;
    const char *kind = defined ? kinds[defined->kind <= OAK_WORD_MACRO ? defined->kind : 0] : "name";
    oak_buf_format(out, "**%s**, a %s", spot->name, kind);
    if (symbol && symbol->space) {
        oak_buf_format(out, " in %s at `0x%llx`", about->spaces[symbol->space].name,
                       (unsigned long long)symbol->value);
        if (symbol->size) oak_buf_format(out, ", %u byte%s", symbol->size, symbol->size == 1 ? "" : "s");
        if (symbol->bytes > 1 && symbol->size > symbol->bytes)
            oak_buf_format(out, ", of %u each", symbol->bytes);
    } else if (symbol) {
        oak_buf_text(out, ": ");
        if (symbol->value < 0) oak_buf_format(out, "`-%llu`", (unsigned long long)-symbol->value);
        else tell_number(out, (uint64_t)symbol->value);
    }
    if (symbol && spot->unit->good && symbol->kind == OAK_SYMBOL_LABEL)
        tell_lies_there(out, spot->unit, symbol);
    if (symbol && spot->unit->good)
        oak_buf_format(out, ", named %u time%s", symbol->uses, symbol->uses == 1 ? "" : "s");
    if (!spot->unit->good && symbol) oak_buf_text(out, " (as far as is known: something is wrong)");
    const serve_text *text = defined ? serve_load_text(server, defined->file) : NULL;
    if (text) tell_comments(out, spot->unit, text, defined->line);
}

/* ------------------------------------------------------------------------------------------ registers of the part */

static void tell_fields(oak_buf *out, const oak_part_register *reg)
{
    for (unsigned i = 0; i < reg->field_count; i++) {
        const oak_part_field *field = &reg->fields[i];
        oak_buf_format(out, "\n- `%s` ", field->name);
        if (field->width > 1)
            oak_buf_format(out, "bits %u to %u", field->bit + field->width - 1u, field->bit);
        else oak_buf_format(out, "bit %u", field->bit);
        if (field->title && *field->title) oak_buf_format(out, ": %s", field->title);
    }
}

static void tell_part_name(oak_buf *out, const oak_part *part, const char *name)
{
    static const char *const access[] = {"", ", read only", ", write only"};
    size_t length = strlen(name);
    for (unsigned i = 0; i < part->register_count; i++) {
        const oak_part_register *reg = &part->registers[i];
        if (oak_same_name(name, length, reg->name)) {
            oak_buf_format(out, "**%s**, %s: a register of %u bits in %s at `0x%x`, `0x%x` after reset%s\n",
                           reg->name, reg->title ? reg->title : "", reg->bits,
                           part->architecture->spaces[reg->space].name, reg->address, reg->reset,
                           access[reg->access]);
            tell_fields(out, reg);
            return;
        }
        for (unsigned f = 0; f < reg->field_count; f++) {
            const oak_part_field *field = &reg->fields[f];
            if (!oak_same_name(name, length, field->name)) continue;
            oak_buf_format(out, "**%s**, %s of **%s** (bit %u)\n", field->name,
                           field->title ? field->title : "a field", reg->name, field->bit);
            return;
        }
    }
    for (unsigned i = 0; i < part->port_count; i++)
        if (oak_same_name(name, strlen(part->ports[i].name), part->ports[i].name))
            oak_buf_format(out, "**%s**, of port %s: %s", name, part->ports[i].name,
                           part->ports[i].title ? part->ports[i].title : "");
}

/* ------------------------------------------------------------------------------------------ instructions */

/* The instruction of a line as its bytes are, where the program is the one of the text. */
static bool tell_encoded(oak_buf *out, const serve_spot *spot)
{
    oak_line line;
    const serve_unit *unit = spot->unit;
    size_t length = strlen(spot->text->path);
    if (!unit->good ||
        oak_program_find_line(unit->program, spot->text->path, length, (uint32_t)spot->line + 1, &line) ||
        line.line != spot->line + 1 || strcmp(line.file, spot->text->path) != 0)
        return false;
    oak_buf_format(out, "at `0x%x`, %u byte%s", line.address, line.size, line.size == 1 ? "" : "s");
    oak_text_sink sink = sink_of(out);
    oak_buf_text(out, "\n```\n");
    bool good = oak_explain_at(unit->program, line.address, &sink) == OAK_OK;
    oak_buf_text(out, "```\n");
    return good;
}

static void tell_operation(oak_server *server, oak_buf *out, const serve_spot *spot)
{
    char word[LONGEST_NAME];
    oak_buf encoded;
    oak_buf_open(&encoded, &server->host);
    oak_text_sink sink = sink_of(out);
    if (tell_encoded(&encoded, spot)) oak_buf_add(out, encoded.bytes, encoded.size);
    else if (spot->word->length < sizeof word) {
        memcpy(word, spot->of + spot->word->at, spot->word->length);
        word[spot->word->length] = 0;
        oak_buf_text(out, "```\n");
        (void)!oak_explain_mnemonic(&server->host, spot->unit->part->architecture, word, &sink);
        oak_buf_text(out, "```\n");
    }
    oak_buf_close(&encoded);
}

/* ------------------------------------------------------------------------------------------ macros */

/* The lines that a call becomes, as they are read: those of the listing that came through it. */
static void tell_expansion(oak_buf *out, const serve_spot *spot)
{
    enum { MOST = 24 };
    const oak_program *program = spot->unit->program;
    unsigned shown = 0;
    uint32_t last = OAK_NO_PLACE;
    for (size_t i = 0; spot->unit->good && i < program->record_count; i++) {
        uint32_t origin = program->records[i].origin;
        oak_source_line line = oak_program_source(program, origin), above = line;
        while (above.parent != OAK_NO_PLACE && above.expanded)
            above = oak_program_where(program, above.parent);
        if (!line.expanded || origin == last || above.line != spot->line + 1 ||
            strcmp(program->files[above.file].name, spot->text->path) != 0)
            continue;
        last = origin;
        if (!shown) oak_buf_text(out, "\n```\n");
        if (++shown > MOST) continue;
        oak_buf_add(out, line.text, line.size);
        oak_buf_char(out, '\n');
    }
    if (shown > MOST) oak_buf_format(out, "and %u more\n", shown - MOST);
    if (shown) oak_buf_text(out, "```\n");
}

cJSON *serve_hover(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    oak_buf out;
    uint64_t value;
    (void)why;
    if (!serve_spot_at(server, parameters, &spot) || !spot.word) return NULL;
    oak_buf_open(&out, &server->host);
    const char *text = spot.of + spot.word->at;
    switch (spot.word->kind) {
    case OAK_WORD_OPERATION: tell_operation(server, &out, &spot); break;
    case OAK_WORD_NUMBER:
        if (number_of(text, spot.word->length, &value)) tell_number(&out, value);
        break;
    case OAK_WORD_TEXT:
        if (spot.word->length == 3 && *text == '\'') tell_number(&out, (unsigned char)text[1]);
        break;
    case OAK_WORD_PART: tell_part_name(&out, spot.unit->part, spot.name); break;
    case OAK_WORD_REGISTER: {
        const oak_architecture *about = spot.unit->part->architecture;
        for (unsigned i = 0; i < about->register_count; i++)
            if (oak_same_name(text, spot.word->length, about->registers[i].name) ||
                oak_same_name(text, spot.word->length, oak_register_called(about, i)))
                oak_buf_format(&out, "**%s**, a register of %u bits: %s", about->registers[i].name,
                               about->registers[i].bits,
                               about->registers[i].title ? about->registers[i].title : "");
        break;
    }
    case OAK_WORD_COMMENT: break;
    default:
        tell_symbol(server, &out, &spot);
        if (spot.word->kind == OAK_WORD_CALL) tell_expansion(&out, &spot);
        break;
    }
    if (!out.size) {
        oak_buf_close(&out);
        return NULL;
    }
    cJSON *result = cJSON_CreateObject();
    cJSON_AddItemToObject(result, "contents", as_markdown(&out));
    cJSON_AddItemToObject(
        result, "range",
        serve_range(server, spot.text, spot.line, spot.word->at, spot.word->at + spot.word->length));
    return result;
}

/* ------------------------------------------------------------------------------------------ forms of operands */

/* A macro's, as the line that defines it says them. */
static cJSON *macro_signature(oak_server *server, const serve_spot *spot)
{
    char word[LONGEST_NAME], form[300];
    const oak_word *call = NULL;
    for (size_t i = 0; i < spot->count; i++)
        if (spot->words[i].kind == OAK_WORD_CALL && spot->words[i].at + spot->words[i].length < spot->at)
            call = &spot->words[i];
    if (!call || call->length >= sizeof word) return NULL;
    memcpy(word, spot->of + call->at, call->length);
    word[call->length] = 0;
    const serve_name *defined = serve_definition(server, spot->unit, spot->text->path, word);
    const serve_text *text =
        defined && defined->kind == OAK_WORD_MACRO ? serve_load_text(server, defined->file) : NULL;
    if (!text) return NULL;
    size_t size, commas = 0;
    const char *of = serve_line(text, defined->line, &size), *end = of + size,
               *at = of + defined->at + defined->length;
    while (at < end && (*at == ' ' || *at == '\t')) at++;
    while (at < end && *at != ' ' && *at != '\t') at++; /* behind the word `macro` */
    const char *stop = oak_find_any(at, end, ";;;;");
    while (stop > at && stop[-1] == ' ') stop--;
    snprintf(form, sizeof form, "%s%.*s", word, (int)(stop - at < 250 ? stop - at : 250), at);
    for (size_t i = call->at + call->length; i < spot->at && i < spot->size; i++)
        commas += spot->of[i] == ',';
    cJSON *result = cJSON_CreateObject(), *one = cJSON_CreateObject();
    cJSON_AddStringToObject(one, "label", form);
    cJSON_AddItemToArray(cJSON_AddArrayToObject(result, "signatures"), one);
    cJSON_AddNumberToObject(result, "activeParameter", (double)commas);
    cJSON_AddNumberToObject(result, "activeSignature", 0);
    return result;
}

/* Takes the lines that begin with the mnemonic from its explanation: its forms. */
cJSON *serve_signature(oak_server *server, const cJSON *parameters, const char **why)
{
    serve_spot spot;
    char word[LONGEST_NAME];
    const oak_word *operation = NULL;
    (void)why;
    if (!serve_spot_at(server, parameters, &spot)) return NULL;
    for (size_t i = 0; i < spot.count; i++)
        if (spot.words[i].kind == OAK_WORD_OPERATION && spot.words[i].at + spot.words[i].length < spot.at)
            operation = &spot.words[i];
    if (!operation || operation->length >= sizeof word) return macro_signature(server, &spot);
    memcpy(word, spot.of + operation->at, operation->length);
    word[operation->length] = 0;
    oak_buf text;
    oak_buf_open(&text, &server->host);
    oak_text_sink sink = sink_of(&text);
    cJSON *result = cJSON_CreateObject(), *list = cJSON_AddArrayToObject(result, "signatures");
    if (!oak_explain_mnemonic(&server->host, spot.unit->part->architecture, word, &sink)) {
        const char *at = oak_buf_string(&text), *end = at + text.size;
        while (at < end) {
            const char *stop = oak_line_end(at, end);
            size_t length = (size_t)(stop - at);
            if (length >= operation->length && oak_same_name(at, operation->length, word) &&
                (length == operation->length || at[operation->length] == ' ')) {
                char form[200];
                snprintf(form, sizeof form, "%.*s", (int)(length < 199 ? length : 199), at);
                cJSON *one = cJSON_CreateObject();
                cJSON_AddStringToObject(one, "label", form);
                cJSON_AddItemToArray(list, one);
            }
            at = stop + 1;
        }
    }
    oak_buf_close(&text);
    unsigned commas = 0;
    for (size_t i = operation->at + operation->length; i < spot.at && i < spot.size; i++)
        commas += spot.of[i] == ',';
    cJSON_AddNumberToObject(result, "activeParameter", commas);
    cJSON_AddNumberToObject(result, "activeSignature", 0);
    return result;
}
