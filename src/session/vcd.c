/* vcd.c — value-change dumps: IEEE 1364, "Value change dump (VCD) files", four-state.
 *
 * Written: $timescale, one scope, a variable a signal, $dumpvars, then #TIME and changes. Read: any four-state dump. */
#include "base/bytes.h"
#include "base/diag.h"
#include "base/ratio.h"
#include "session/trace_state.h"

/* ------------------------------------------------------------------------------------------ writing */

static void write_code(oak_buf *buf, unsigned number)
{
    do oak_buf_char(buf, (char)('!' + number % 94));
    while ((number /= 94));
}

static char state_of(uint32_t value, uint32_t other, unsigned bit)
{
    bool high = value >> bit & 1;
    return other >> bit & 1 ? (high ? 'x' : 'z') : high ? '1' : '0';
}

static void write_value(oak_buf *buf, const oak_trace_signal *signal, unsigned number, uint32_t value,
                        uint32_t other)
{
    if (signal->bits == 1) oak_buf_char(buf, signal->is_event ? '1' : state_of(value, other, 0));
    else {
        oak_buf_char(buf, 'b');
        for (unsigned bit = signal->bits; bit-- > 0;) oak_buf_char(buf, state_of(value, other, bit));
        oak_buf_char(buf, ' ');
    }
    write_code(buf, number);
    oak_buf_char(buf, '\n');
}

/* Names without blanks, as the format wants them. */
static void write_name(oak_buf *buf, const char *name)
{
    for (; *name; name++) oak_buf_char(buf, *name <= ' ' || *name == 127 ? '_' : *name);
}

static oak_status flush(oak_buf *buf, const oak_text_sink *out)
{
    if (buf->failed) return OAK_NO_MEMORY;
    oak_status status = buf->size ? out->write(out->context, buf->bytes, buf->size) : OAK_OK;
    buf->size = 0;
    return status;
}

oak_status oak_trace_write_vcd(const oak_trace *trace, const oak_text_sink *out)
{
    if (!trace || !out) return OAK_MISUSE;
    static const struct {
        const char *name;
        uint64_t picoseconds;
    } steps[] = {{"1 ms", 1000000000}, {"1 us", 1000000}, {"1 ns", 1000}, {"1 ps", 1}};
    enum { LARGEST_PIECE = 1 << 16 };
    unsigned step = 0;
    while (step < 3 && (trace->numerator % trace->denominator ||
                        trace->numerator / trace->denominator % steps[step].picoseconds))
        step++;
    oak_buf buf;
    oak_buf_open(&buf, &trace->host);
    oak_buf_text(&buf, "$version Oak Spindle $end\n");
    if (trace->clock)
        oak_buf_format(&buf, "$comment clock %llu mHz, %u clocks a cycle $end\n",
                       (unsigned long long)trace->clock, (unsigned)trace->clocks_per_cycle);
    oak_buf_format(&buf, "$timescale %s $end\n$scope module chip $end\n", steps[step].name);
    for (unsigned i = 0; i < trace->signal_count; i++) {
        const oak_trace_signal *signal = &trace->signals[i].about;
        oak_buf_format(&buf, "$var %s %u ",
                       signal->is_event   ? "event"
                       : signal->bits > 1 ? "reg"
                                          : "wire",
                       signal->bits);
        write_code(&buf, i);
        oak_buf_char(&buf, ' ');
        write_name(&buf, signal->name);
        oak_buf_text(&buf, " $end\n");
    }
    oak_buf_text(&buf, "$upscope $end\n$enddefinitions $end\n");
    /* What is known at time 0; the rest is unknown. */
    size_t next = 0;
    while (next < trace->change_count && trace_change(trace, next).time == 0) next++;
    oak_buf_text(&buf, "#0\n$dumpvars\n");
    for (unsigned i = 0; i < trace->signal_count; i++) {
        uint32_t value = UINT32_MAX, other = UINT32_MAX;
        for (size_t c = 0; c < next; c++) {
            const oak_trace_change change = trace_change(trace, c);
            if (change.signal == i) value = change.value, other = change.other;
        }
        if (!trace->signals[i].about.is_event) write_value(&buf, &trace->signals[i].about, i, value, other);
    }
    oak_buf_text(&buf, "$end\n");
    for (size_t c = 0; c < next; c++) {
        const uint32_t signal = trace_change(trace, c).signal;
        if (trace->signals[signal].about.is_event)
            write_value(&buf, &trace->signals[signal].about, signal, 1, 0);
    }
    uint64_t last = 0;
    oak_status status = OAK_OK;
    for (size_t c = next; c < trace->change_count && !status; c++) {
        const oak_trace_change change = trace_change(trace, c);
        uint64_t time = oak_trace_picoseconds(trace, change.time) / steps[step].picoseconds;
        if (time != last || c == next) oak_buf_format(&buf, "#%llu\n", (unsigned long long)time);
        last = time;
        write_value(&buf, &trace->signals[change.signal].about, change.signal, change.value, change.other);
        if (buf.size > LARGEST_PIECE) status = flush(&buf, out);
    }
    uint64_t end = oak_trace_picoseconds(trace, trace->end) / steps[step].picoseconds;
    if (end > last) oak_buf_format(&buf, "#%llu\n", (unsigned long long)end);
    if (!status) status = flush(&buf, out);
    oak_buf_close(&buf);
    return status;
}

/* ------------------------------------------------------------------------------------------ reading */

enum { LONGEST_WORD = 1024, MOST_VARIABLES = 4096, LONGEST_SCOPE = 400 };

typedef struct vcd_variable {
    char code[16];
    int signal; /* -1: left out */
    unsigned bits;
} vcd_variable;

typedef struct vcd_reader {
    oak_trace *trace;
    const char *name;
    const oak_diag_sink *sink;
    const char *at, *end;
    uint32_t line, column;                 /* of the next character */
    uint32_t word_line, word_column;       /* of the last word */
    uint32_t section_line, section_column; /* of the last $keyword */
    const char *word;                      /* not ended by a zero */
    size_t length;
    char scope[LONGEST_SCOPE];
    vcd_variable *variables;
    size_t variable_count, variable_room;
    uint16_t by_code[8192];     /* hash to variable + 1 */
    uint64_t time, thousandths; /* the time step: thousandths of a picosecond */
    bool left_out;
} vcd_reader;

#define REFUSE(reader, hint, ...)                                                                            \
    (oak_refuse((reader)->sink, "dump", (reader)->name, (reader)->word_line, (reader)->word_column, hint,    \
                __VA_ARGS__),                                                                                \
     OAK_REFUSED)

static bool next_word(vcd_reader *reader)
{
    while (reader->at < reader->end && (unsigned char)*reader->at <= ' ') {
        if (*reader->at == '\n') reader->line++, reader->column = 0;
        reader->column++;
        reader->at++;
    }
    reader->word_line = reader->line;
    reader->word_column = reader->column;
    reader->word = reader->at;
    while (reader->at < reader->end && (unsigned char)*reader->at > ' ') reader->at++, reader->column++;
    reader->length = (size_t)(reader->at - reader->word);
    return reader->length > 0;
}

static bool is(const vcd_reader *reader, const char *word)
{
    return reader->length == oak_length(word) && memcmp(reader->word, word, reader->length) == 0;
}

static oak_status skip_to_end(vcd_reader *reader)
{
    while (next_word(reader))
        if (is(reader, "$end")) return OAK_OK;
    reader->word_line = reader->section_line;
    reader->word_column = reader->section_column;
    return REFUSE(reader, "Close it with $end.", "this section is not closed");
}

/* "1 ns", "10ps": in one word or two. */
static oak_status read_timescale(vcd_reader *reader)
{
    char text[40] = "";
    uint32_t line = reader->word_line, column = reader->word_column;
    while (next_word(reader) && !is(reader, "$end"))
        if (oak_length(text) + reader->length < sizeof text - 1)
            oak_format(text + oak_length(text), sizeof text - oak_length(text), "%.*s", (int)reader->length,
                       reader->word);
    static const struct {
        const char *name;
        uint64_t thousandths;
    } units[] = {{"s", 1000000000000000u}, {"ms", 1000000000000u}, {"us", 1000000000u},
                 {"ns", 1000000u},         {"ps", 1000u},          {"fs", 1u}};
    size_t digits = 0;
    uint64_t number = 0;
    while (oak_is_digit(text[digits]) && digits < 4) number = number * 10 + (unsigned)(text[digits++] - '0');
    for (unsigned i = 0; i < 6; i++)
        if (oak_same(text + digits, units[i].name) && (number == 1 || number == 10 || number == 100)) {
            reader->thousandths = number * units[i].thousandths;
            return OAK_OK;
        }
    reader->word_line = line;
    reader->word_column = column;
    return REFUSE(reader, "It is 1, 10 or 100 and one of s ms us ns ps fs.", "`%s` is no time step", text);
}

/* Our own note of the clock; other comments are passed over. */
static oak_status read_comment(vcd_reader *reader)
{
    uint64_t clock, per;
    size_t used;
    if (next_word(reader) && is(reader, "clock") && next_word(reader) &&
        oak_read_number(reader->word, reader->word + reader->length, &clock, &used) == OAK_OK &&
        next_word(reader) && is(reader, "mHz,") && next_word(reader) &&
        oak_read_number(reader->word, reader->word + reader->length, &per, &used) == OAK_OK && clock && per &&
        per < 65536 && clock <= 1000000000000000u) {
        reader->trace->clock = clock;
        reader->trace->clocks_per_cycle = (uint32_t)per;
    }
    return is(reader, "$end") ? OAK_OK : skip_to_end(reader);
}

static uint32_t code_hash(const char *code, size_t length)
{
    uint32_t hash = 2166136261u;
    for (size_t i = 0; i < length; i++) hash = (hash ^ (unsigned char)code[i]) * 16777619u;
    return hash;
}

static vcd_variable *find_variable(vcd_reader *reader, const char *code, size_t length)
{
    enum { MASK = sizeof reader->by_code / sizeof *reader->by_code - 1 };
    for (uint32_t slot = code_hash(code, length) & MASK; reader->by_code[slot]; slot = (slot + 1) & MASK) {
        vcd_variable *found = &reader->variables[reader->by_code[slot] - 1];
        if (oak_length(found->code) == length && memcmp(found->code, code, length) == 0) return found;
    }
    return NULL;
}

static oak_status add_variable(vcd_reader *reader, bool is_event, bool is_real, unsigned bits,
                               const char *code, const char *name)
{
    enum { MASK = sizeof reader->by_code / sizeof *reader->by_code - 1 };
    if (find_variable(reader, code, oak_length(code))) return OAK_OK; /* another name for the same */
    if (reader->variable_count == MOST_VARIABLES)
        return REFUSE(reader, NULL, "there are more than %d variables", MOST_VARIABLES);
    vcd_variable *grown = oak_grow(&reader->trace->host, reader->variables, &reader->variable_room,
                                   reader->variable_count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    reader->variables = grown;
    vcd_variable *added = &grown[reader->variable_count];
    *added = (vcd_variable){.signal = -1, .bits = bits};
    oak_format(added->code, sizeof added->code, "%s", code);
    uint32_t slot = code_hash(code, oak_length(code)) & MASK;
    while (reader->by_code[slot]) slot = (slot + 1) & MASK;
    reader->by_code[slot] = (uint16_t)++reader->variable_count;
    if (is_real || bits > 32 || !bits) {
        reader->left_out = true;
        return OAK_OK;
    }
    unsigned signal;
    char whole[LONGEST_SCOPE + LONGEST_WORD];
    oak_format(whole, sizeof whole, "%s%s%s", reader->scope, *reader->scope ? "." : "", name);
    oak_status status = oak_trace_add_signal(reader->trace, whole, bits, is_event, &signal);
    if (!status) added->signal = (int)signal;
    return status;
}

/* $var TYPE BITS CODE NAME [RANGE] $end */
static oak_status read_variable(vcd_reader *reader)
{
    char words[4][LONGEST_WORD] = {"", "", "", ""};
    uint64_t bits = 0;
    size_t used;
    uint32_t line = reader->word_line, column = reader->word_column;
    for (unsigned i = 0; next_word(reader) && !is(reader, "$end"); i++)
        if (i < 4) oak_format(words[i], LONGEST_WORD, "%.*s", (int)reader->length, reader->word);
    reader->word_line = line;
    reader->word_column = column;
    if (!*words[3] || oak_length(words[2]) > 15 ||
        oak_read_number(words[1], words[1] + oak_length(words[1]), &bits, &used) || bits > 65536)
        return REFUSE(reader, "Write `$var wire 1 ! name $end`.", "this is no variable");
    return add_variable(reader, oak_same(words[0], "event"),
                        oak_same(words[0], "real") || oak_same(words[0], "realtime"), (unsigned)bits,
                        words[2], words[3]);
}

static oak_status read_scope(vcd_reader *reader)
{
    char name[LONGEST_WORD] = "";
    for (unsigned i = 0; next_word(reader) && !is(reader, "$end"); i++)
        if (i == 1) oak_format(name, sizeof name, "%.*s", (int)reader->length, reader->word);
    size_t length = oak_length(reader->scope);
    if (length + oak_length(name) + 2 > sizeof reader->scope)
        return REFUSE(reader, NULL, "scopes are nested too deep");
    oak_format(reader->scope + length, sizeof reader->scope - length, "%s%s", length ? "." : "", name);
    return OAK_OK;
}

static oak_status note(vcd_reader *reader, const char *code, size_t length, uint32_t value, uint32_t other)
{
    const vcd_variable *variable = find_variable(reader, code, length);
    if (!variable)
        return REFUSE(reader, "Every variable is declared by $var before $enddefinitions.",
                      "no variable has the code `%.*s`", (int)(length < 16 ? length : 16), code);
    if (variable->signal < 0) return OAK_OK;
    oak_trace_change change = {reader->time, (uint32_t)variable->signal, value, other};
    return oak_trace_note(reader->trace, &change);
}

/* b0101 CODE, filled up to the left as the standard has it: with 0, or x, or z. */
static oak_status read_vector(vcd_reader *reader)
{
    uint32_t value = 0, other = 0;
    char first = reader->length > 1 ? reader->word[1] : '0';
    unsigned bits = 0;
    for (size_t i = 1; i < reader->length; i++, bits++) {
        char c = oak_lower(reader->word[i]);
        if (c != '0' && c != '1' && c != 'x' && c != 'z')
            return REFUSE(reader, NULL, "`%c` is no state of a bit", c);
        value = value << 1 | (c == '1' || c == 'x');
        other = other << 1 | (c == 'x' || c == 'z');
    }
    first = oak_lower(first);
    uint32_t rest = bits < 32 ? UINT32_MAX << bits : 0;
    if (first == 'x') value |= rest, other |= rest;
    if (first == 'z') other |= rest;
    if (!next_word(reader)) return REFUSE(reader, NULL, "the code of the variable is missing");
    const vcd_variable *variable = find_variable(reader, reader->word, reader->length);
    if (variable && variable->bits < 32) {
        value &= ((uint32_t)1 << variable->bits) - 1;
        other &= ((uint32_t)1 << variable->bits) - 1;
    }
    return note(reader, reader->word, reader->length, value, other);
}

static oak_status read_change(vcd_reader *reader)
{
    char c = oak_lower(reader->word[0]);
    if (c == '#') {
        uint64_t time;
        size_t used;
        if (oak_read_number(reader->word + 1, reader->word + reader->length, &time, &used) ||
            used + 1 != reader->length)
            return REFUSE(reader, NULL, "this is no time");
        if (time < reader->time) return REFUSE(reader, "Times only grow.", "the time goes back");
        reader->time = time;
        if (time > reader->trace->end) reader->trace->end = time;
        return OAK_OK;
    }
    if (c == 'b') return read_vector(reader);
    if (c == 'r')
        return next_word(reader) ? OAK_OK : REFUSE(reader, NULL, "the code of the variable is missing");
    if (c == '0' || c == '1' || c == 'x' || c == 'z')
        return note(reader, reader->word + 1, reader->length - 1, c == '1' || c == 'x', c == 'x' || c == 'z');
    return REFUSE(reader, "Behind a time come changes: 0!, 1!, b0101 !.", "`%.*s` is no change",
                  (int)(reader->length < 20 ? reader->length : 20), reader->word);
}

static oak_status read_all(vcd_reader *reader)
{
    bool declared = false;
    oak_status status = OAK_OK;
    while (!status && next_word(reader)) {
        reader->section_line = reader->word_line;
        reader->section_column = reader->word_column;
        if (is(reader, "$timescale")) status = read_timescale(reader);
        else if (is(reader, "$comment")) status = read_comment(reader);
        else if (is(reader, "$var")) status = read_variable(reader);
        else if (is(reader, "$scope")) status = read_scope(reader);
        else if (is(reader, "$upscope")) {
            size_t length = oak_length(reader->scope);
            while (length && reader->scope[length - 1] != '.') length--;
            reader->scope[length ? length - 1 : 0] = 0;
            status = skip_to_end(reader);
        } else if (is(reader, "$enddefinitions")) {
            declared = true;
            status = skip_to_end(reader);
        } else if (is(reader, "$dumpvars") || is(reader, "$dumpall") || is(reader, "$dumpon") ||
                   is(reader, "$dumpoff") || is(reader, "$end"))
            continue;
        else if (reader->word[0] == '$') status = skip_to_end(reader);
        else if (!declared)
            status = REFUSE(reader, "A value-change dump begins with $timescale, $var and $enddefinitions.",
                            "this is no value-change dump");
        else status = read_change(reader);
    }
    if (!status && !declared)
        return REFUSE(reader, NULL, "this is no value-change dump: $enddefinitions is missing");
    return status;
}

/* A single top scope says nothing. */
static void drop_common_scope(oak_trace *trace)
{
    if (!trace->signal_count) return;
    const char *first = trace->signals[0].about.name;
    size_t prefix = 0;
    while (first[prefix] && first[prefix] != '.') prefix++;
    if (!first[prefix++]) return;
    for (size_t i = 0; i < trace->signal_count; i++) {
        const char *name = trace->signals[i].about.name;
        if (oak_length(name) <= prefix || memcmp(name, first, prefix) != 0) return;
    }
    for (size_t i = 0; i < trace->signal_count; i++) trace->signals[i].about.name += prefix;
}

oak_status oak_trace_read_vcd(const oak_host *host, const char *text, size_t size, const char *name,
                              const oak_diag_sink *sink, oak_trace **result)
{
    if (!host || (!text && size) || !name || !sink || !result) return OAK_MISUSE;
    vcd_reader *reader = host->resize(host->context, NULL, 0, sizeof *reader);
    if (!reader) return OAK_NO_MEMORY;
    memset(reader, 0, sizeof *reader);
    reader->name = name;
    reader->sink = sink;
    reader->at = text;
    reader->end = text + size;
    reader->line = reader->column = 1;
    reader->thousandths = 1000000;
    oak_status status = oak_trace_create(host, 0, &reader->trace);
    if (!status) status = read_all(reader);
    oak_trace *trace = reader->trace;
    if (!status) {
        drop_common_scope(trace);
        trace->numerator = reader->thousandths;
        trace->denominator = 1000;
        if (reader->left_out && sink && sink->report) {
            oak_diagnostic warning = {.severity = OAK_WARNING,
                                      .code = "left-out",
                                      .file = name,
                                      .message =
                                          "real numbers and variables of more than 32 bits are left out"};
            sink->report(sink->context, &warning);
        }
        *result = trace;
    } else oak_trace_free(trace);
    oak_release(host, reader->variables, reader->variable_room, sizeof *reader->variables);
    host->resize(host->context, reader, sizeof *reader, 0);
    return status;
}
