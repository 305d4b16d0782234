/* kinds_text.c — what is read and typed: a character display on a parallel bus, a serial terminal. */
#include "base/ratio.h"
#include "board/kind.h"

/* ------------------------------------------------------------------------------------------ character display */

/* The usual controller of such displays: commands and characters come over eight lines, or as two halves over d4 to d7, taken
 * when `e` falls. It is busy for a while after each; what comes meanwhile is lost, and counted. */
enum { DISPLAY_LINES, DISPLAY_COLUMNS, DISPLAY_BUSY, DISPLAY_CLEAR_TIME };
enum { DISPLAY_RS, DISPLAY_RW, DISPLAY_E, DISPLAY_D };
enum { DISPLAY_CELLS = 128, DISPLAY_SECOND = 0x40 };
typedef struct display {
    uint8_t cells[DISPLAY_CELLS], shapes[64];
    uint8_t address, to_shapes, shows, cursor, two_lines, half, second, high, e, increments, driving;
    int8_t shifted;
    uint64_t busy_until, lost, taken;
} display;

static void display_busy(oak_stand_in *self, display *it, unsigned setting)
{
    it->busy_until = oak_stand_in_now(self) + oak_stand_in_cycles(self, oak_stand_in_number(self, setting));
}

static void display_clear(display *it)
{
    memset(it->cells, ' ', sizeof it->cells);
    it->address = it->to_shapes = 0;
    it->shifted = 0;
    it->increments = 1;
}

static void display_step(display *it, bool forward)
{
    unsigned line = it->two_lines && it->address >= DISPLAY_SECOND ? DISPLAY_SECOND : 0,
             length = it->two_lines ? 40 : 80;
    unsigned column = (it->address - line + (forward ? 1 : length - 1));
    if (column >= length) {
        column -= length;
        if (it->two_lines && (forward || column == length - 1)) line = line ? 0 : DISPLAY_SECOND;
    }
    it->address = (uint8_t)((line + column) & 0x7F);
}

static void display_command(oak_stand_in *self, display *it, uint8_t c)
{
    display_busy(self, it, c <= 3 && c ? DISPLAY_CLEAR_TIME : DISPLAY_BUSY);
    if (c & 0x80) it->address = c & 0x7F, it->to_shapes = 0;
    else if (c & 0x40) it->address = c & 0x3F, it->to_shapes = 1;
    else if (c & 0x20) {
        it->half = !(c & 0x10);
        it->two_lines = (c & 0x08) != 0;
        it->second = 0;
    } else if (c & 0x10) {
        if (c & 0x08) it->shifted = (int8_t)(it->shifted + (c & 0x04 ? -1 : 1));
        else display_step(it, (c & 0x04) != 0);
    } else if (c & 0x08) it->shows = (c & 0x04) != 0, it->cursor = c & 3;
    else if (c & 0x04) it->increments = (c & 0x02) != 0;
    else if (c & 0x02) it->address = it->to_shapes = 0, it->shifted = 0;
    else if (c & 0x01) display_clear(it);
}

static void display_take(oak_stand_in *self, display *it, uint8_t byte, bool data)
{
    if (it->busy_until > oak_stand_in_now(self)) {
        it->lost++;
        return;
    }
    it->taken++;
    if (!data) {
        display_command(self, it, byte);
        return;
    }
    display_busy(self, it, DISPLAY_BUSY);
    if (it->to_shapes) {
        it->shapes[it->address & 63] = byte;
        it->address = (uint8_t)((it->address + (it->increments ? 1 : 63)) & 63);
        return;
    }
    it->cells[it->address & 0x7F] = byte;
    display_step(it, it->increments);
}

static uint8_t display_lines(oak_stand_in *self)
{
    uint8_t value = 0;
    for (unsigned i = 0; i < 8; i++)
        if (oak_stand_in_level(self, DISPLAY_D + i) == OAK_HIGH) value |= (uint8_t)(1u << i);
    return value;
}

static void display_let_go(oak_stand_in *self, display *it)
{
    for (unsigned i = 0; i < 8 && it->driving; i++) oak_stand_in_put(self, DISPLAY_D + i, OAK_FLOAT);
    it->driving = 0;
}

/* Reading: the busy flag and the address, or a character. */
static void display_answer(oak_stand_in *self, display *it)
{
    bool data = oak_stand_in_level(self, DISPLAY_RS) == OAK_HIGH;
    uint8_t value =
        data ? it->cells[it->address & 0x7F]
             : (uint8_t)((it->busy_until > oak_stand_in_now(self) ? 0x80 : 0) | (it->address & 0x7F));
    if (it->half && it->second) value = (uint8_t)(value << 4);
    for (unsigned i = it->half ? 4 : 0; i < 8; i++)
        oak_stand_in_put(self, DISPLAY_D + i, value >> i & 1 ? OAK_HIGH : OAK_LOW);
    it->driving = 1;
}

static void display_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    display *it = oak_stand_in_state(self);
    bool high = level == OAK_HIGH,
         reads = oak_stand_in_is_wired(self, DISPLAY_RW) && oak_stand_in_level(self, DISPLAY_RW) == OAK_HIGH;
    if (terminal == DISPLAY_RW && !high) display_let_go(self, it);
    if (terminal != DISPLAY_E || high == (it->e != 0)) return;
    it->e = high;
    if (high) {
        if (reads) display_answer(self, it);
        return;
    }
    display_let_go(self, it);
    if (reads) {
        if (it->half) it->second = !it->second;
        return;
    }
    uint8_t value = display_lines(self);
    bool data = oak_stand_in_level(self, DISPLAY_RS) == OAK_HIGH,
         four = !oak_stand_in_is_wired(self, DISPLAY_D);
    if (four && !it->half) value &= 0xF0; /* before it is told, with half of the lines there */
    if (!it->half) display_take(self, it, value, data);
    else if (!it->second) it->high = value & 0xF0, it->second = 1;
    else {
        it->second = 0;
        display_take(self, it, (uint8_t)(it->high | value >> 4), data);
    }
}

static void display_reset(oak_stand_in *self)
{
    display *it = oak_stand_in_state(self);
    display_clear(it);
    (void)self;
}

static void display_show(oak_stand_in *self, char *text, size_t room)
{
    const display *it = oak_stand_in_state(self);
    unsigned lines = (unsigned)oak_stand_in_number(self, DISPLAY_LINES),
             columns = (unsigned)oak_stand_in_number(self, DISPLAY_COLUMNS);
    *text = 0;
    for (unsigned l = 0; l < lines; l++) {
        unsigned length = it->two_lines || lines > 1 ? 40 : 80;
        oak_format(text + oak_length(text), room - oak_length(text), "%s|", l ? "\n" : "");
        for (unsigned c = 0; c < columns; c++) {
            unsigned column =
                (unsigned)((int)(c + (l >> 1) * columns) + it->shifted + 4 * (int)length) % length;
            uint8_t cell = it->cells[(((l & 1) ? DISPLAY_SECOND : 0) + column) & 0x7F];
            oak_format(text + oak_length(text), room - oak_length(text), "%c",
                       !it->shows                  ? ' '
                       : cell >= ' ' && cell < 127 ? cell
                                                   : '?');
        }
        oak_format(text + oak_length(text), room - oak_length(text), "|");
    }
    if (!it->shows) oak_format(text + oak_length(text), room - oak_length(text), "  (off)");
    if (it->lost)
        oak_format(text + oak_length(text), room - oak_length(text),
                   "  %llu came while it was busy, and are lost", (unsigned long long)it->lost);
}

static const oak_terminal display_terminals[] = {
    {"rs", 1, OAK_TERMINAL_IN, true, "low: a command, high: a character"},
    {"rw", 1, OAK_TERMINAL_IN, false, "high: the chip reads; not wired: it never does"},
    {"e", 1, OAK_TERMINAL_IN, true, "what is on the lines is taken when it falls"},
    {"d", 8, OAK_TERMINAL_BUS, false, "the lines; d4 to d7 alone for halves"}};
static const oak_setting display_settings[] = {
    {"lines", OAK_SETTING_NUMBER, "2", 1, 4, NULL, "lines of text"},
    {"columns", OAK_SETTING_NUMBER, "16", 8, 40, NULL, "characters of a line"},
    {"busy", OAK_SETTING_TIME, "40us", 0, 0, NULL, "after a command or a character"},
    {"clear-time", OAK_SETTING_TIME, "1.64ms", 0, 0, NULL, "after clearing, and going home"}};
const oak_stand_in_kind oak_kind_character_display = {.name = "character-display",
                                                      .title = "lines of characters, on a parallel bus",
                                                      .terminals = display_terminals,
                                                      .terminal_count = COUNT_OF(display_terminals),
                                                      .settings = display_settings,
                                                      .setting_count = COUNT_OF(display_settings),
                                                      .state_size = sizeof(display),
                                                      .reset = display_reset,
                                                      .changed = display_changed,
                                                      .show = display_show};

/* ------------------------------------------------------------------------------------------ serial terminal */

/* A frame is looked at in the middle of its bits, counted from the falling edge of the start bit by the terminal's own rate. */
enum { LINE_BAUD, LINE_PARITY, LINE_STOP, LINE_ECHO };
enum { LINE_TO_CHIP, LINE_FROM_CHIP };
enum { LINE_WAITING = 256 };
static const char *const PARITY_WORDS[] = {"none", "odd", "even", NULL};
static const char *const ECHO_WORDS[] = {"no", "yes", NULL};
typedef struct line {
    uint8_t receiving, bit, byte, parity, seen_high;
    uint8_t sending, out_bit, out;
    uint64_t started, out_started; /* cycle of the start bit */
    uint64_t received, framing, wrong_parity, sent;
    uint16_t waiting, first;
    uint8_t queue[LINE_WAITING];
    uint8_t last[64]; /* what came last, for show */
    uint16_t last_count;
} line;

/* The cycle at which `halves` half bits are over. */
static uint64_t line_time(const oak_stand_in *self, uint64_t start, uint64_t halves)
{
    uint64_t numerator, denominator;
    oak_stand_in_cycle(self, &numerator, &denominator);
    uint64_t picoseconds =
        oak_scaled(halves, (uint64_t)500000000000u, oak_stand_in_number(self, LINE_BAUD), false);
    return start + oak_scaled(picoseconds, denominator, numerator, true);
}

static unsigned data_bits(const oak_stand_in *self)
{
    return 8u + (oak_stand_in_number(self, LINE_PARITY) != 0);
}

static void line_plan(oak_stand_in *self)
{
    const line *it = oak_stand_in_state(self);
    uint64_t next = UINT64_MAX;
    if (it->receiving) next = line_time(self, it->started, 2u * it->bit + 1);
    if (it->sending) {
        uint64_t at = line_time(self, it->out_started, 2u * it->out_bit);
        if (at < next) next = at;
    }
    oak_stand_in_wake(self, next);
}

static void line_heard(oak_stand_in *self, uint8_t byte)
{
    line *it = oak_stand_in_state(self);
    it->received++;
    if (it->last_count == sizeof it->last) memmove(it->last, it->last + 1, --it->last_count);
    if (it->last_count < sizeof it->last) it->last[it->last_count++] = byte;
    oak_stand_in_print(self, &byte, 1);
}

static void line_sample(oak_stand_in *self)
{
    line *it = oak_stand_in_state(self);
    bool high = oak_stand_in_level(self, LINE_FROM_CHIP) != OAK_LOW;
    unsigned bits = data_bits(self), bit = it->bit++;
    if (bit == 0) {
        if (high) it->receiving = 0; /* no start bit after all */
    } else if (bit <= 8) {
        it->byte = (uint8_t)(it->byte >> 1 | (high ? 0x80 : 0));
        it->parity ^= high;
    } else if (bit <= bits) {
        bool odd = oak_stand_in_number(self, LINE_PARITY) == 1, wanted = (it->parity != 0) != odd;
        it->wrong_parity += high != wanted;
    } else {
        it->receiving = 0;
        if (high) line_heard(self, it->byte);
        else it->framing++;
        it->seen_high = high;
    }
}

/* The next byte that waits begins now. */
static void line_begin(oak_stand_in *self)
{
    line *it = oak_stand_in_state(self);
    it->sending = 1;
    it->out = it->queue[it->first % LINE_WAITING];
    it->first = (uint16_t)((it->first + 1) % LINE_WAITING);
    it->waiting--;
    it->sent++;
    it->out_started = oak_stand_in_now(self);
    it->out_bit = 0;
}

static void line_send_bit(oak_stand_in *self)
{
    line *it = oak_stand_in_state(self);
    unsigned bits = data_bits(self), ones = 0;
    oak_level level = OAK_HIGH;
    if (it->out_bit > bits + oak_stand_in_number(self, LINE_STOP)) { /* the frame is over */
        it->sending = 0;
        if (!it->waiting) return;
        line_begin(self);
    }
    unsigned bit = it->out_bit++;
    if (bit == 0) level = OAK_LOW;
    else if (bit <= 8) level = it->out >> (bit - 1) & 1 ? OAK_HIGH : OAK_LOW;
    else if (bit <= bits) {
        for (unsigned i = 0; i < 8; i++) ones += (unsigned)(it->out >> i) & 1u;
        level = (ones + (oak_stand_in_number(self, LINE_PARITY) == 1)) % 2 ? OAK_HIGH : OAK_LOW;
    }
    oak_stand_in_put(self, LINE_TO_CHIP, level);
}

static void line_due(oak_stand_in *self)
{
    line *it = oak_stand_in_state(self);
    uint64_t now = oak_stand_in_now(self);
    if (it->receiving && now >= line_time(self, it->started, 2u * it->bit + 1)) line_sample(self);
    if (it->sending && now >= line_time(self, it->out_started, 2u * it->out_bit)) line_send_bit(self);
    line_plan(self);
}

static void line_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    line *it = oak_stand_in_state(self);
    if (terminal != LINE_FROM_CHIP) return;
    if (level == OAK_LOW && it->seen_high && !it->receiving) {
        it->receiving = 1;
        it->bit = it->byte = it->parity = 0;
        it->started = oak_stand_in_now(self);
        line_plan(self);
    }
    if (!it->receiving || level != OAK_LOW) it->seen_high = level != OAK_LOW;
}

static size_t line_type(oak_stand_in *self, const uint8_t *bytes, size_t count)
{
    line *it = oak_stand_in_state(self);
    size_t taken = 0;
    for (; taken < count && it->waiting < LINE_WAITING; taken++) {
        it->queue[(it->first + it->waiting) % LINE_WAITING] = bytes[taken];
        it->waiting++;
    }
    if (taken && oak_stand_in_number(self, LINE_ECHO)) oak_stand_in_print(self, bytes, taken);
    if (!it->sending && it->waiting) line_begin(self);
    line_plan(self);
    return taken;
}

/* type TEXT, with \n, \x41 and the like */
static bool line_act(oak_stand_in *self, const char *what)
{
    uint8_t bytes[LINE_WAITING];
    size_t count = 0;
    if (!says(what, "type")) return false;
    for (const char *p = behind(what); *p && count < sizeof bytes; p++) {
        bytes[count++] = (uint8_t)(*p == '\\' && p[1] ? oak_escaped(&p) : *p);
    }
    line_type(self, bytes, count);
    return true;
}

static void line_reset(oak_stand_in *self)
{
    oak_stand_in_put(self, LINE_TO_CHIP, OAK_HIGH);
}

static void line_counts(oak_stand_in *self, char *text, size_t room)
{
    const line *it = oak_stand_in_state(self);
    oak_format(text, room, "%llu bytes received", (unsigned long long)it->received);
    if (it->sent)
        oak_format(text + oak_length(text), room - oak_length(text), ", %llu sent",
                   (unsigned long long)it->sent);
    if (it->framing)
        oak_format(text + oak_length(text), room - oak_length(text), ", %llu framing error%s",
                   (unsigned long long)it->framing, it->framing == 1 ? "" : "s");
    if (it->wrong_parity)
        oak_format(text + oak_length(text), room - oak_length(text), ", %llu with wrong parity",
                   (unsigned long long)it->wrong_parity);
}

/* A byte as a person reads it; the end of a line in letters. */
static void line_letter(char *text, size_t room, uint8_t c)
{
    if (c == '\n' || c == '\r')
        oak_format(text + oak_length(text), room - oak_length(text), c == '\n' ? "\\n" : "\\r");
    else if (c >= ' ' && c < 127) oak_format(text + oak_length(text), room - oak_length(text), "%c", c);
    else oak_format(text + oak_length(text), room - oak_length(text), "\\x%02x", c);
}

static void line_show(oak_stand_in *self, char *text, size_t room)
{
    const line *it = oak_stand_in_state(self);
    line_counts(self, text, room);
    if (!it->last_count) return;
    oak_format(text + oak_length(text), room - oak_length(text), "; last \"");
    for (unsigned i = it->last_count > 40 ? it->last_count - 40u : 0;
         i < it->last_count && i < sizeof it->last; i++)
        line_letter(text, room, it->last[i]);
    oak_format(text + oak_length(text), room - oak_length(text), "\"");
}

/* The last lines of what it has printed, as on its screen. */
static void line_draw(oak_stand_in *self, char *text, size_t room)
{
    enum { SCREEN_LINES = 4, SCREEN_COLUMNS = 80 };
    size_t count, from;
    unsigned lines = 0, column = 0;
    const uint8_t *bytes = oak_stand_in_printed(self, &count);
    line_counts(self, text, room);
    while (count && (bytes[count - 1] == '\n' || bytes[count - 1] == '\r')) count--;
    for (from = count; from; from--)
        if (bytes[from - 1] == '\n' && ++lines == SCREEN_LINES) break;
    if (from < count) oak_format(text + oak_length(text), room - oak_length(text), "\n| ");
    for (size_t i = from; i < count; i++) {
        if (bytes[i] == '\r') continue;
        bool ends = bytes[i] == '\n';
        if (ends || column == SCREEN_COLUMNS) {
            oak_format(text + oak_length(text), room - oak_length(text), "\n| ");
            column = 0;
        }
        if (ends) continue;
        line_letter(text, room, bytes[i]);
        column++;
    }
}

static const oak_terminal line_terminals[] = {
    {"to-chip", 1, OAK_TERMINAL_OUT, false, "goes to the pin the chip receives on"},
    {"from-chip", 1, OAK_TERMINAL_IN, false, "comes from the pin it sends on"}};
static const oak_setting line_settings[] = {
    {"baud", OAK_SETTING_NUMBER, "9600", 1, 10000000, NULL, "bits a second"},
    {"parity", OAK_SETTING_WORD, "none", 0, 0, PARITY_WORDS, "a ninth bit"},
    {"stop", OAK_SETTING_NUMBER, "1", 1, 2, NULL, "stop bits it sends"},
    {"echo", OAK_SETTING_WORD, "no", 0, 0, ECHO_WORDS, "shows what is typed as well"}};
const oak_stand_in_kind oak_kind_terminal = {.name = "terminal",
                                             .title = "a serial terminal",
                                             .terminals = line_terminals,
                                             .terminal_count = COUNT_OF(line_terminals),
                                             .settings = line_settings,
                                             .setting_count = COUNT_OF(line_settings),
                                             .acts = "type TEXT",
                                             .state_size = sizeof(line),
                                             .reset = line_reset,
                                             .changed = line_changed,
                                             .due = line_due,
                                             .act = line_act,
                                             .show = line_show,
                                             .draw = line_draw,
                                             .type = line_type};
