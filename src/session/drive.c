/* drive.c — reading how pins are driven over time. docs/stimuli.md describes the texts:
 *
 *   PIN = LEVEL [bounce TIME] [for TIME | until TIME] { , LEVEL … } [ , repeat ]
 *   PIN = clock FREQUENCY [duty P%] [from TIME] [until TIME] [times N]
 *   PIN = [low] pulses TIME every TIME [from TIME] [until TIME] [times N]
 *   PIN = bytes { "TEXT" | NUMBER } at BAUD [off by P%] [parity odd|even] [stop 1|2] [bad stop N] [from TIME] [every TIME]
 *   PIN = random TIME to TIME [seed N] [from TIME] [until TIME]
 *   when PIN rises|falls|changes [once] [after TIME] : one of the above
 *   name WORD = PIN
 *   seed N */
#include <oakspindle/print.h>

#include "base/bytes.h"
#include "base/ratio.h"
#include "session/session_state.h"

enum { MOST_ITEMS = 10000, MOST_BYTES = 65536, WHOLE = 100000 };

typedef struct drive_reader {
    oak_session *session;
    const char *text, *at, *end;
    const char *hint;
    oak_expr_fault fault;
} drive_reader;

static const char levels_hint[] = "Write `p1.0 = 1 until 40ms, 0` or `p3.4 = 1 for 2ms, 0 for 2ms, repeat`.";

static oak_status fault(drive_reader *reader, const char *from, const char *to, const char *message)
{
    reader->fault.code = "drive";
    reader->fault.first = (uint16_t)(from - reader->text);
    reader->fault.last = (uint16_t)((to > from ? to : from + 1) - reader->text);
    oak_format(reader->fault.message, sizeof reader->fault.message, "%s", message);
    oak_format(reader->fault.hint, sizeof reader->fault.hint, "%s", reader->hint);
    return OAK_REFUSED;
}

/* Something is left over. */
static oak_status fault_at_rest(drive_reader *reader)
{
    char message[80];
    int rest = (int)(reader->end - reader->at);
    oak_format(message, sizeof message, "this does not belong here: `%.*s`", rest < 40 ? rest : 40,
               reader->at);
    if (rest > 6 && memcmp(reader->at, "bounce", 6) == 0)
        reader->hint = "`bounce` stands in front of `for` and `until`: `0 bounce 3ms for 20ms, 1`; what "
                       "repeats does not bounce.";
    return fault(reader, reader->at, reader->end, message);
}

/* ------------------------------------------------------------------------------------------ words and numbers */

static void skip(drive_reader *reader)
{
    while (reader->at < reader->end && (*reader->at == ' ' || *reader->at == '\t')) reader->at++;
}

static size_t word_length(drive_reader *reader)
{
    skip(reader);
    size_t length = 0;
    while (reader->at + length < reader->end &&
           (oak_is_word(reader->at[length]) || reader->at[length] == '.'))
        length++;
    return length;
}

/* Takes a word when it is the next one. */
static bool take(drive_reader *reader, const char *word)
{
    size_t length = word_length(reader);
    if (!oak_same_name(reader->at, length, word)) return false;
    reader->at += length;
    return true;
}

static bool take_char(drive_reader *reader, char c)
{
    skip(reader);
    if (reader->at == reader->end || *reader->at != c) return false;
    reader->at++;
    return true;
}

/* A number with a unit behind it, perhaps after a blank: where it ends. */
static const char *quantity_end(const drive_reader *reader)
{
    const char *p = reader->at;
    while (p < reader->end && (oak_is_word(*p) || *p == '.')) p++;
    const char *unit = p;
    while (unit < reader->end && *unit == ' ') unit++;
    static const char *const units[] = {"s", "ms", "us", "ns", "ps", "cycles", "hz", "khz", "mhz", "ghz"};
    const char *q = unit;
    while (q < reader->end && oak_is_word(*q)) q++;
    bool bare = p > reader->at && oak_is_digit(p[-1]);
    for (unsigned i = 0; bare && i < sizeof units / sizeof *units; i++)
        if (oak_same_name(unit, (size_t)(q - unit), units[i])) return q;
    return p;
}

static oak_status read_time(drive_reader *reader, drive_time *time)
{
    skip(reader);
    const char *start = reader->at, *end = quantity_end(reader);
    size_t length = (size_t)(end - start);
    static const char cycles[] = "cycles";
    enum { SUFFIX = sizeof cycles - 1 };
    *time = (drive_time){0};
    if (length > SUFFIX && oak_same_name(end - SUFFIX, SUFFIX, cycles)) {
        size_t digits = length - SUFFIX, used;
        while (digits && start[digits - 1] == ' ') digits--;
        if (oak_read_number(start, start + digits, &time->cycles, &used) || used != digits ||
            time->cycles >> 62)
            return fault(reader, start, end, "this is no count of cycles");
    } else if (oak_read_time(start, length, &time->picoseconds))
        return fault(reader, start, end > start ? end : reader->end,
                     "this is no time: write it with s, ms, us, ns or cycles");
    reader->at = end;
    return OAK_OK;
}

static oak_status read_count(drive_reader *reader, uint64_t most, uint64_t *value)
{
    skip(reader);
    size_t used = 0;
    const char *start = reader->at;
    if (start == reader->end || !oak_is_digit(*start) || oak_read_number(start, reader->end, value, &used) ||
        *value > most)
        return fault(reader, start, start + (used ? used : 1), "a number belongs here");
    reader->at += used;
    return OAK_OK;
}

/* "30%", "2.5%": in 1/100000. */
static oak_status read_share(drive_reader *reader, uint64_t most, uint32_t *share)
{
    skip(reader);
    const char *start = reader->at;
    uint64_t whole = 0, scale = WHOLE / 100;
    bool any = false;
    for (; reader->at < reader->end && oak_is_digit(*reader->at) && whole <= most; reader->at++, any = true)
        whole = whole * 10 + (unsigned)(*reader->at - '0') * (uint64_t)(WHOLE / 100);
    if (reader->at < reader->end && *reader->at == '.')
        for (reader->at++; reader->at < reader->end && oak_is_digit(*reader->at); reader->at++, any = true)
            scale /= 10, whole += (unsigned)(*reader->at - '0') * scale;
    if (!any || whole > most || !take_char(reader, '%'))
        return fault(reader, start, reader->at, "a share belongs here, as 30%");
    *share = (uint32_t)whole;
    return OAK_OK;
}

static oak_status read_rate(drive_reader *reader, uint64_t *millihertz)
{
    skip(reader);
    char text[40];
    const char *start = reader->at, *end = quantity_end(reader);
    oak_format(text, sizeof text, "%.*s", (int)(end - start), start);
    if (end - start >= (int)sizeof text || oak_read_frequency(text, millihertz))
        return fault(reader, start, end, "this is no frequency: write it as 1kHz or 2.5MHz");
    reader->at = end;
    return OAK_OK;
}

/* Cycles a second, in 1/1000. */
static uint64_t cycle_rate(const oak_session *session)
{
    return session->clock_millihertz / session->part->clocks_per_cycle;
}

static uint64_t cycles_of(const oak_session *session, drive_time time)
{
    uint64_t more =
        oak_time_to_cycles(time.picoseconds, session->clock_millihertz, session->part->clocks_per_cycle);
    return more > UINT64_MAX - time.cycles ? UINT64_MAX : time.cycles + more;
}

/* ------------------------------------------------------------------------------------------ pins and names */

bool session_find_pin(const oak_session *session, const char *name, size_t length, unsigned *pin)
{
    const oak_part_register *reg;
    const oak_part_field *field;
    if (oak_part_find_pin(session->part, name, length, pin)) return true;
    for (size_t i = 0; i < session->label_count; i++) {
        if (!oak_same_name(name, length, session->labels[i].name)) continue;
        *pin = session->labels[i].pin;
        return true;
    }
    if (oak_part_find_field(session->part, name, length, &reg, &field))
        for (unsigned i = 0; i < session->part->port_count; i++) {
            if (session->part->ports[i].address != reg->address) continue;
            *pin = i * OAK_MOST_PINS + field->bit;
            return true;
        }
    for (unsigned i = 0; i < session->part->port_count; i++)
        for (unsigned bit = 0; bit < session->part->ports[i].pin_count; bit++) {
            const char *given = oak_session_pin_name(session, i * OAK_MOST_PINS + bit);
            if (!given || !oak_same_name(name, length, given)) continue;
            *pin = i * OAK_MOST_PINS + bit;
            return true;
        }
    return false;
}

oak_status oak_session_label_pin(oak_session *session, const char *name, size_t length, unsigned pin)
{
    if (!session || !name) return OAK_MISUSE;
    unsigned other;
    if (session_find_pin(session, name, length, &other)) return other == pin ? OAK_OK : OAK_REFUSED;
    pin_label *grown = oak_grow(&session->host, session->labels, &session->label_room,
                                session->label_count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    session->labels = grown;
    char *copy = oak_arena_text(&session->arena, name, length);
    if (!copy) return OAK_NO_MEMORY;
    grown[session->label_count++] = (pin_label){.name = copy, .pin = pin};
    return OAK_OK;
}

void oak_session_set_seed(oak_session *session, uint64_t seed)
{
    if (!session) return;
    session->seed = seed;
}

static oak_status read_pin(drive_reader *reader, unsigned *pin)
{
    size_t length = word_length(reader);
    if (!session_find_pin(reader->session, reader->at, length, pin))
        return fault(reader, reader->at, reader->at + length, "the part has no such pin");
    reader->at += length;
    return OAK_OK;
}

/* ------------------------------------------------------------------------------------------ levels */

static oak_status read_item(drive_reader *reader, drive_item *item)
{
    static const struct {
        const char *word;
        oak_level level;
    } levels[] = {
        {"0", OAK_LOW}, {"1", OAK_HIGH}, {"z", OAK_FLOAT}, {"up", OAK_PULLED_HIGH}, {"down", OAK_PULLED_LOW}};
    size_t length = word_length(reader);
    const char *word = reader->at;
    bool known = false;
    *item = (drive_item){0};
    for (unsigned i = 0; i < 5 && !known; i++) {
        known = oak_same_name(word, length, levels[i].word);
        item->level = levels[i].level;
    }
    if (!known) return fault(reader, word, word + length, "a level is 0, 1, z, up or down");
    reader->at += length;
    oak_status status = take(reader, "bounce") ? read_time(reader, &item->bounce) : OAK_OK;
    length = word_length(reader);
    word = reader->at;
    if (status || !length) return status;
    item->until = oak_same_name(word, length, "until");
    if (!item->until && !oak_same_name(word, length, "for"))
        return fault(reader, word, word + length, "behind a level comes `for TIME`, `until TIME` or a comma");
    reader->at += length;
    item->timed = true;
    return read_time(reader, &item->time);
}

/* Goes on to the end of a level; false when that lies before where it began. Times in cycles and in seconds are not compared. */
static bool reach(drive_time *reached, const drive_item *item)
{
    const drive_time *end = &item->time;
    if (!item->until) {
        reached->cycles += end->cycles;
        reached->picoseconds += end->picoseconds;
        return true;
    }
    bool alike = reached->cycles && end->cycles ? !reached->picoseconds : !reached->cycles && !end->cycles;
    if (alike && (end->cycles < reached->cycles || end->picoseconds < reached->picoseconds)) return false;
    *reached = *end;
    return true;
}

static oak_status read_levels(drive_reader *reader, drive *one)
{
    oak_session *session = reader->session;
    const char *start = reader->at;
    drive_item *items = NULL;
    size_t room = 0;
    oak_status status = OAK_OK;
    bool lasts = false;
    drive_time reached = {0};
    while (!status) {
        const char *word = (skip(reader), reader->at);
        if (take(reader, "repeat")) {
            if (!one->count || lasts)
                status = fault(reader, word, reader->at, "nothing ends before the repeat");
            one->repeats = true;
            break;
        }
        drive_item item;
        size_t length = word_length(reader);
        if (lasts) status = fault(reader, word, word + length, "the level before it has no end");
        else status = read_item(reader, &item);
        if (status) break;
        if (one->triggered && item.until)
            status = fault(reader, word, reader->at,
                           "behind `when` a level lasts `for TIME`: there is no `until`");
        else if (item.timed && !reach(&reached, &item))
            status = fault(reader, word, reader->at, "it would end before it begins: times count from reset");
        drive_item *grown = !status && one->count < MOST_ITEMS
                                ? oak_grow(&session->host, items, &room, one->count + 1u, sizeof *grown)
                                : NULL;
        if (!grown) {
            if (!status) status = OAK_NO_MEMORY;
            break;
        }
        items = grown;
        items[one->count++] = item;
        lasts = !item.timed;
        if (!take_char(reader, ',')) break;
    }
    bool changes = false;
    for (unsigned i = 1; items && i < one->count; i++) changes |= items[i].level != items[0].level;
    if (!status && one->repeats && !changes) {
        reader->hint = "Write what comes between: `1 for 2ms, 0 for 2ms, repeat`.";
        status = fault(reader, start, reader->end, "what repeats never changes the pin");
    }
    if (!status && one->repeats) {
        drive_time turn = {0};
        for (unsigned i = 0; items && i < one->count; i++)
            if (!items[i].until)
                turn.cycles += items[i].time.cycles, turn.picoseconds += items[i].time.picoseconds;
        if (!turn.cycles && turn.picoseconds < 1000000000000u * 1000u / (cycle_rate(session) + 1))
            status = fault(reader, start, reader->end,
                           turn.picoseconds ? "what repeats is shorter than a cycle"
                                            : "a repeat needs a level with `for` and a time above zero");
    }
    drive_item *kept = status ? NULL : oak_arena_take(&session->arena, one->count * sizeof *kept);
    if (!status && !kept) status = OAK_NO_MEMORY;
    if (kept && items) memcpy(kept, items, one->count * sizeof *kept);
    one->items = kept;
    oak_release(&session->host, items, room, sizeof *items);
    return status;
}

/* ------------------------------------------------------------------------------------------ the other kinds */

/* from, until, times: in any order, each once. */
static oak_status read_bounds(drive_reader *reader, drive *one, bool counted)
{
    oak_status status = OAK_OK;
    while (!status) {
        if (take(reader, "from")) status = read_time(reader, &one->from);
        else if (take(reader, "until")) status = read_time(reader, &one->until);
        else if (counted && take(reader, "times")) status = read_count(reader, UINT32_MAX, &one->times);
        else return OAK_OK;
    }
    return status;
}

static oak_status read_clock(drive_reader *reader, drive *one)
{
    reader->hint = "Write `p3.4 = clock 1kHz`, `p3.4 = clock 125Hz duty 30% from 10ms until 2s`.";
    one->kind = DRIVE_PULSES;
    one->share = WHOLE / 2;
    const char *start = (skip(reader), reader->at);
    oak_status status = read_rate(reader, &one->rate);
    if (!status && one->rate > cycle_rate(reader->session) / 2)
        status = fault(reader, start, reader->at, "the pin would change more than once a cycle");
    if (!status && take(reader, "duty")) {
        start = reader->at;
        status = read_share(reader, WHOLE, &one->share);
        if (!status && (!one->share || one->share == WHOLE))
            status = fault(reader, start, reader->at, "a duty lies between 0% and 100%");
    }
    return status ? status : read_bounds(reader, one, true);
}

static oak_status read_pulses(drive_reader *reader, drive *one)
{
    reader->hint =
        "Write `p3.4 = pulses 2ms every 10ms`, `p3.4 = low pulses 50us every 1ms from 5ms times 20`.";
    one->kind = DRIVE_PULSES;
    oak_status status = read_time(reader, &one->width);
    if (!status && !take(reader, "every"))
        status = fault(reader, reader->at, reader->at, "`every TIME` is missing here");
    const char *start = (skip(reader), reader->at);
    if (!status) status = read_time(reader, &one->period);
    if (!status) {
        uint64_t width = cycles_of(reader->session, one->width),
                 period = cycles_of(reader->session, one->period);
        if (!width || width >= period)
            status =
                fault(reader, start, reader->at, "a pulse lasts a cycle or more, and less than its period");
    }
    return status ? status : read_bounds(reader, one, true);
}

/* A text in quotes, with \n \r \t \0 \" \\ and \xHH. */
static oak_status read_quoted(drive_reader *reader, uint8_t *bytes, unsigned *count)
{
    const char *start = reader->at++;
    while (reader->at < reader->end && *reader->at != '"') {
        char c = *reader->at++;
        if (c == '\\' && reader->at < reader->end) {
            static const char escapes[] = "nrt0\"\\", values[] = "\n\r\t\0\"\\";
            const char *from = reader->at - 1;
            c = *reader->at++;
            unsigned e = 0;
            while (e < 6 && escapes[e] != c) e++;
            int high = -1, low = -1;
            if (c == 'x' && reader->end - reader->at >= 2) {
                high = oak_hex_digit(reader->at[0]);
                low = oak_hex_digit(reader->at[1]);
            }
            if (e < 6) c = values[e];
            else if (high >= 0 && low >= 0) c = (char)(high << 4 | low), reader->at += 2;
            else return fault(reader, from, reader->at, "this is none of \\n \\r \\t \\0 \\\" \\\\ \\x41");
        }
        if (*count == MOST_BYTES) return fault(reader, start, reader->at, "these are too many bytes");
        bytes[(*count)++] = (uint8_t)c;
    }
    if (!take_char(reader, '"')) return fault(reader, start, reader->end, "the text is not closed");
    return OAK_OK;
}

static oak_status read_line(drive_reader *reader, drive *one)
{
    uint64_t value;
    one->stop_bits = 1;
    const char *start = (skip(reader), reader->at);
    if (!take(reader, "at"))
        return fault(reader, start, start, "`at` and the bits a second are missing here");
    start = (skip(reader), reader->at);
    oak_status status = read_count(reader, 100000000, &value);
    if (status) return status;
    one->baud = value * 1000;
    while (!status) {
        if (take(reader, "off")) {
            bool less = false;
            uint32_t share = 0;
            if (!take(reader, "by")) return fault(reader, reader->at, reader->at, "`off by 5%` is meant");
            if (take_char(reader, '-')) less = true;
            else take_char(reader, '+');
            status = read_share(reader, WHOLE / 2, &share);
            one->baud = oak_scaled(value * 1000, less ? WHOLE - share : WHOLE + share, WHOLE, false);
        } else if (take(reader, "parity")) {
            one->parity = take(reader, "odd") ? 1 : take(reader, "even") ? 2 : 0;
            if (!one->parity) status = fault(reader, reader->at, reader->at, "a parity is odd or even");
        } else if (take(reader, "stop")) {
            uint64_t bits;
            status = read_count(reader, 2, &bits);
            one->stop_bits = status || !bits ? 1 : (uint8_t)bits;
        } else if (take(reader, "bad")) {
            uint64_t number = 0;
            if (!take(reader, "stop")) return fault(reader, reader->at, reader->at, "`bad stop 2` is meant");
            status = read_count(reader, one->byte_count, &number);
            one->bad_stop = (unsigned)number;
        } else if (take(reader, "from")) status = read_time(reader, &one->from);
        else if (take(reader, "every")) status = read_time(reader, &one->period);
        else break;
    }
    if (!status && (!one->baud || one->baud > cycle_rate(reader->session)))
        status = fault(reader, start, reader->at, "a bit would be shorter than a cycle");
    if (!status && (one->period.cycles || one->period.picoseconds)) {
        uint64_t frame = oak_scaled(9u + one->stop_bits + (one->parity != 0), cycle_rate(reader->session),
                                    one->baud, true);
        if (cycles_of(reader->session, one->period) < frame)
            status = fault(reader, start, reader->at, "a byte takes longer than the time between two");
    }
    return status;
}

static oak_status read_bytes(drive_reader *reader, drive *one)
{
    reader->hint =
        "Write `p3.0 = bytes \"go\\n\" at 9600`, `p3.0 = bytes 0x55 \"ok\" at 4800 from 2ms every 5ms`.";
    oak_session *session = reader->session;
    one->kind = DRIVE_BYTES;
    uint8_t *bytes = session->host.resize(session->host.context, NULL, 0, MOST_BYTES);
    if (!bytes) return OAK_NO_MEMORY;
    oak_status status = OAK_OK;
    for (;;) {
        uint64_t value;
        skip(reader);
        if (reader->at < reader->end && *reader->at == '"')
            status = read_quoted(reader, bytes, &one->byte_count);
        else if (reader->at < reader->end && oak_is_digit(*reader->at)) {
            status = read_count(reader, 0xFF, &value);
            if (!status && one->byte_count < MOST_BYTES) bytes[one->byte_count++] = (uint8_t)value;
        } else break;
        if (status) break;
    }
    if (!status && !one->byte_count)
        status = fault(reader, reader->at, reader->at,
                       "bytes are missing here: a text in quotes or numbers up to 0xff");
    uint8_t *kept = status ? NULL : oak_arena_take(&session->arena, one->byte_count);
    if (!status && !kept) status = OAK_NO_MEMORY;
    if (kept) memcpy(kept, bytes, one->byte_count);
    one->bytes = kept;
    session->host.resize(session->host.context, bytes, MOST_BYTES, 0);
    return status ? status : read_line(reader, one);
}

static oak_status read_random(drive_reader *reader, drive *one)
{
    reader->hint = "Write `p1.0 = random 1ms to 5ms`, `p1.0 = random 100us to 2ms seed 7 until 1s`.";
    one->kind = DRIVE_RANDOM;
    const char *start = (skip(reader), reader->at);
    oak_status status = read_time(reader, &one->least);
    if (!status && !take(reader, "to"))
        status = fault(reader, reader->at, reader->at, "`to TIME` is missing here");
    if (!status) status = read_time(reader, &one->most);
    if (!status && (!cycles_of(reader->session, one->most) ||
                    cycles_of(reader->session, one->least) > cycles_of(reader->session, one->most)))
        status = fault(reader, start, reader->at,
                       "the longest time must not be shorter than the shortest, nor than a cycle");
    if (!status && take(reader, "seed")) {
        uint64_t seed;
        status = read_count(reader, UINT64_MAX, &seed);
        one->seed = seed;
    }
    return status ? status : read_bounds(reader, one, false);
}

/* ------------------------------------------------------------------------------------------ the whole */

static oak_status read_trigger(drive_reader *reader, drive *one)
{
    reader->hint = "Write `when p1.3 rises after 3ms: p1.2 = 0`; also falls, changes, once.";
    one->triggered = true;
    oak_status status = read_pin(reader, &one->trigger_pin);
    if (status) return status;
    bool changes = take(reader, "changes");
    one->on_rise = changes || take(reader, "rises");
    one->on_fall = changes || (!one->on_rise && take(reader, "falls"));
    size_t length = word_length(reader);
    if (!one->on_rise && !one->on_fall)
        return fault(reader, reader->at, reader->at + length, "a pin rises, falls or changes");
    one->once = take(reader, "once");
    if (take(reader, "after")) status = read_time(reader, &one->delay);
    if (!status && !take_char(reader, ':'))
        status = fault(reader, reader->at, reader->at, "a : is missing before what happens then");
    return status;
}

static oak_status read_drive(drive_reader *reader, drive *one)
{
    oak_status status = OAK_OK;
    *one = (drive){.seed = reader->session->seed * 0x2545F4914F6CDD1Du + reader->session->drive_count + 1};
    reader->hint = levels_hint;
    if (take(reader, "when")) status = read_trigger(reader, one);
    if (!status) status = read_pin(reader, &one->pin);
    if (status) return status;
    if (!take_char(reader, '='))
        return fault(reader, reader->at, reader->at + 1, "a = is missing behind the pin");
    if (take(reader, "clock")) status = read_clock(reader, one);
    else if (take(reader, "pulses")) status = read_pulses(reader, one);
    else if (take(reader, "bytes")) status = read_bytes(reader, one);
    else if (take(reader, "random")) status = read_random(reader, one);
    else if (take(reader, "low")) {
        one->inverted = true;
        if (!take(reader, "pulses")) status = fault(reader, reader->at, reader->at, "`low pulses` is meant");
        else status = read_pulses(reader, one);
    } else {
        reader->hint = levels_hint;
        status = read_levels(reader, one);
    }
    skip(reader);
    if (!status && reader->at < reader->end) status = fault_at_rest(reader);
    return status;
}

static oak_status read_name(drive_reader *reader)
{
    reader->hint = "Write `name sensor = p1.0`.";
    size_t length = word_length(reader);
    const char *name = reader->at;
    if (!length || oak_is_digit(*name))
        return fault(reader, name, name + length, "a name begins with a letter");
    for (size_t i = 0; i < length; i++)
        if (name[i] == '.')
            return fault(reader, name, name + length, "a name is made of letters, digits and _");
    reader->at += length;
    if (!take_char(reader, '='))
        return fault(reader, reader->at, reader->at, "a = is missing behind the name");
    unsigned pin = 0;
    oak_status status = read_pin(reader, &pin);
    if (!status) status = oak_session_label_pin(reader->session, name, length, pin);
    if (status == OAK_REFUSED && !reader->fault.code)
        fault(reader, name, name + length, "another pin has this name");
    skip(reader);
    if (!status && reader->at < reader->end) return fault_at_rest(reader);
    return status;
}

/* Times count from reset. What is given in the middle of a run, and could only have happened before this moment, would never be
 * seen; bytes without a beginning are sent now. What is given before a run goes on from a state is as it was then. */
static oak_status refuse_the_past(drive_reader *reader, drive *one, const char *start)
{
    uint64_t now = reader->session->has_run ? session_time(reader->session).cycles : 0;
    bool ends = one->until.cycles || one->until.picoseconds,
         begins = one->from.cycles || one->from.picoseconds;
    char message[120];
    if (one->triggered || one->kind == DRIVE_LEVELS || !now) return OAK_OK;
    if (one->kind == DRIVE_BYTES && !begins) one->from.cycles = now;
    bool over = ends && cycles_of(reader->session, one->until) <= now;
    bool late = one->kind == DRIVE_BYTES && cycles_of(reader->session, one->from) < now;
    if (!over && !late) return OAK_OK;
    oak_format(message, sizeof message, "%s lies in the past: it is cycle %llu, and times count from reset",
               over ? "its end" : "its beginning", (unsigned long long)now);
    return fault(reader, start, reader->end, message);
}

static oak_status add(drive_reader *reader)
{
    oak_session *session = reader->session;
    skip(reader);
    const char *start = reader->at;
    if (take(reader, "name") && (skip(reader), reader->at < reader->end) && *reader->at != '=')
        return read_name(reader);
    reader->at = start;
    if (take(reader, "seed") && (skip(reader), reader->at < reader->end) && *reader->at != '=') {
        reader->hint = "Write `seed 7`.";
        oak_status status = read_count(reader, UINT64_MAX, &session->seed);
        skip(reader);
        if (!status && reader->at < reader->end) return fault_at_rest(reader);
        return status;
    }
    reader->at = start;
    drive one;
    oak_status status = read_drive(reader, &one);
    if (!status) status = refuse_the_past(reader, &one, start);
    if (status) return status;
    drive *grown = oak_grow(&session->host, session->drives, &session->drive_room, session->drive_count + 1,
                            sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    session->drives = grown;
    session->touched = true;
    grown[session->drive_count] = one;
    session_rewind_drive(session, &grown[session->drive_count++]);
    session_attach(session);
    return OAK_OK;
}

oak_status oak_session_drive(oak_session *session, const char *text, const oak_diag_sink *sink)
{
    if (!session || !text || !sink) return OAK_MISUSE;
    size_t length = oak_length(text);
    drive_reader reader = {.session = session, .text = text, .at = text, .end = text + length};
    if (length > UINT16_MAX - 2) reader.end = text + UINT16_MAX - 2;
    oak_status status = add(&reader);
    if (status == OAK_REFUSED) session_refuse(sink, text, &reader.fault);
    return status;
}

oak_status oak_session_read_stimuli(oak_session *session, const char *text, size_t size, const char *name,
                                    const oak_diag_sink *sink)
{
    if (!session || (!text && size) || !name || !sink) return OAK_MISUSE;
    oak_status result = OAK_OK;
    const char *at = text, *end = text + size;
    char line[4096];
    for (uint32_t number = 1; at < end; number++) {
        const char *stop = at;
        bool quoted = false;
        while (stop < end && *stop != '\n') stop++;
        const char *last = stop;
        for (const char *p = at; p < last; p++) {
            if (*p == '"' && (p == at || p[-1] != '\\')) quoted = !quoted;
            if (*p == '#' && !quoted) last = p;
        }
        while (last > at && (last[-1] == ' ' || last[-1] == '\t' || last[-1] == '\r')) last--;
        const char *first = at;
        while (first < last && (*first == ' ' || *first == '\t')) first++;
        if (first < last) {
            oak_format(line, sizeof line, "%.*s",
                       (int)((size_t)(last - at) < sizeof line ? last - at : (int)sizeof line), at);
            drive_reader reader = {
                .session = session, .text = line, .at = line, .end = line + oak_length(line)};
            oak_status status = (size_t)(last - at) < sizeof line
                                    ? add(&reader)
                                    : fault(&reader, line, line + 1, "this line is too long");
            if (status == OAK_REFUSED) {
                oak_diagnostic diagnostic = {.severity = OAK_ERROR,
                                             .code = "stimulus",
                                             .file = name,
                                             .line = number,
                                             .column = reader.fault.first + 1u,
                                             .column_end = reader.fault.last + 1u,
                                             .message = reader.fault.message,
                                             .hint = reader.hint ? reader.fault.hint : NULL,
                                             .source_line = line};
                if (sink && sink->report) sink->report(sink->context, &diagnostic);
            }
            if (status && !result) result = status;
            if (status && status != OAK_REFUSED) return status;
        }
        at = stop < end ? stop + 1 : end;
    }
    return result;
}
