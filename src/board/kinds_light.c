/* kinds_light.c — what shines: a lamp, a bar of lamps, digits of seven segments. */
#include "board/kind.h"

/* ------------------------------------------------------------------------------------------ lamp */

enum { LAMP_LIT };
typedef struct lamp {
    bool lit;
    uint64_t since, total, times;
} lamp;

static void lamp_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    lamp *it = oak_stand_in_state(self);
    bool lit = level == (oak_stand_in_number(self, LAMP_LIT) ? OAK_HIGH : OAK_LOW);
    uint64_t now = oak_stand_in_now(self);
    (void)terminal;
    if (lit == it->lit) return;
    if (it->lit) it->total += now - it->since;
    else it->times++;
    it->lit = lit;
    it->since = now;
}

static void lamp_show(oak_stand_in *self, char *text, size_t room)
{
    const lamp *it = oak_stand_in_state(self);
    uint64_t now = oak_stand_in_now(self), total = it->total + (it->lit ? now - it->since : 0);
    oak_format(text, room, "%s  %s; lit %u %% of the time, switched on %llu time%s", it->lit ? "●" : "○",
               it->lit ? "lit" : "dark", (unsigned)(now ? total * 100 / now : 0),
               (unsigned long long)it->times, it->times == 1 ? "" : "s");
}

static const oak_terminal lamp_terminals[] = {{"in", 1, OAK_TERMINAL_IN, true, "what it is switched by"}};
static const oak_setting lamp_settings[] = {
    {"lit", OAK_SETTING_WORD, "low", 0, 0, LEVEL_WORDS, "the level at which it is lit"}};
const oak_stand_in_kind oak_kind_lamp = {.name = "lamp",
                                         .title = "a lamp that is lit by a level",
                                         .terminals = lamp_terminals,
                                         .terminal_count = COUNT_OF(lamp_terminals),
                                         .settings = lamp_settings,
                                         .setting_count = COUNT_OF(lamp_settings),
                                         .state_size = sizeof(lamp),
                                         .changed = lamp_changed,
                                         .show = lamp_show};

/* ------------------------------------------------------------------------------------------ bar of lamps */

enum { BAR_LAMPS = 16 };
typedef struct bar {
    uint8_t lit[BAR_LAMPS];
} bar;

static void bar_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    bar *it = oak_stand_in_state(self);
    it->lit[terminal] = level == (oak_stand_in_number(self, LAMP_LIT) ? OAK_HIGH : OAK_LOW);
}

static void bar_show(oak_stand_in *self, char *text, size_t room)
{
    const bar *it = oak_stand_in_state(self);
    unsigned count = 0;
    *text = 0;
    for (unsigned i = 0; i < BAR_LAMPS; i++) {
        if (!oak_stand_in_is_wired(self, i)) continue;
        oak_format(text + oak_length(text), room - oak_length(text), "%s", it->lit[i] ? "●" : "○");
        count += it->lit[i] != 0;
    }
    oak_format(text + oak_length(text), room - oak_length(text), "  %u lit", count);
}

static const oak_terminal bar_terminals[] = {
    {"in", BAR_LAMPS, OAK_TERMINAL_IN, true, "what the lamps are switched by"}};
const oak_stand_in_kind oak_kind_lamp_bar = {.name = "lamp-bar",
                                             .title = "up to 16 lamps in a row",
                                             .terminals = bar_terminals,
                                             .terminal_count = COUNT_OF(bar_terminals),
                                             .settings = lamp_settings,
                                             .setting_count = COUNT_OF(lamp_settings),
                                             .state_size = sizeof(bar),
                                             .changed = bar_changed,
                                             .show = bar_show};

/* ------------------------------------------------------------------------------------------ digits */

/* The eye sees what is lit for a good part of the time: of each segment of each digit the cycles are summed up over a window
 * of 20 ms. A segment is lit when it was on for at least a quarter of the share its digit has. */
enum { SEGMENTS = 8, DIGITS = 8, DIGITS_LIT = 0, DIGITS_SELECT };
static const uint64_t WINDOW = 20000000000u;
typedef struct digits {
    uint8_t on[SEGMENTS], selected[DIGITS];
    uint64_t since, window_from;
    uint64_t sum[DIGITS][SEGMENTS];
    uint8_t seen[DIGITS]; /* segments, a bit each, in the last window */
    uint8_t complete;
} digits;

static unsigned digit_count(const oak_stand_in *self)
{
    unsigned count = 0;
    for (unsigned i = 0; i < DIGITS; i++) count += oak_stand_in_is_wired(self, SEGMENTS + i);
    return count ? count : 1;
}

static void digits_add(oak_stand_in *self)
{
    digits *it = oak_stand_in_state(self);
    uint64_t now = oak_stand_in_now(self), took = now > it->since ? now - it->since : 0;
    bool single = !oak_stand_in_is_wired(self, SEGMENTS);
    for (unsigned d = 0; d < DIGITS && took; d++) {
        if (!(single ? d == 0 : it->selected[d])) continue;
        for (unsigned s = 0; s < SEGMENTS; s++) it->sum[d][s] += it->on[s] ? took : 0;
    }
    it->since = now;
}

static void digits_read(oak_stand_in *self, uint64_t window, uint8_t *seen)
{
    const digits *it = oak_stand_in_state(self);
    uint64_t least = window / (4u * digit_count(self));
    for (unsigned d = 0; d < DIGITS; d++) {
        seen[d] = 0;
        for (unsigned s = 0; s < SEGMENTS; s++)
            if (it->sum[d][s] && it->sum[d][s] >= least) seen[d] |= (uint8_t)(1u << s);
    }
}

static void digits_reset(oak_stand_in *self)
{
    oak_stand_in_wake(self, oak_stand_in_now(self) + oak_stand_in_cycles(self, WINDOW));
}

static void digits_due(oak_stand_in *self)
{
    digits *it = oak_stand_in_state(self);
    digits_add(self);
    digits_read(self, oak_stand_in_now(self) - it->window_from, it->seen);
    it->complete = 1;
    it->window_from = oak_stand_in_now(self);
    memset(it->sum, 0, sizeof it->sum);
    digits_reset(self);
}

static void digits_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    digits *it = oak_stand_in_state(self);
    digits_add(self);
    unsigned setting = terminal < SEGMENTS ? DIGITS_LIT : DIGITS_SELECT;
    bool on = level == (oak_stand_in_number(self, setting) ? OAK_HIGH : OAK_LOW);
    if (terminal < SEGMENTS) it->on[terminal] = on;
    else it->selected[terminal - SEGMENTS] = on;
}

static char digit_char(uint8_t segments)
{
    /* bits a to g from 0 */
    static const struct {
        uint8_t segments;
        char c;
    } shapes[] = {{0x3F, '0'}, {0x06, '1'}, {0x5B, '2'}, {0x4F, '3'}, {0x66, '4'}, {0x6D, '5'},
                  {0x7D, '6'}, {0x07, '7'}, {0x27, '7'}, {0x7F, '8'}, {0x6F, '9'}, {0x67, '9'},
                  {0x7C, '6'}, {0x77, 'A'}, {0x39, 'C'}, {0x5E, 'd'}, {0x79, 'E'}, {0x71, 'F'},
                  {0x76, 'H'}, {0x38, 'L'}, {0x73, 'P'}, {0x54, 'n'}, {0x5C, 'o'}, {0x50, 'r'},
                  {0x78, 't'}, {0x3E, 'U'}, {0x40, '-'}, {0x08, '_'}, {0x00, ' '}};
    for (unsigned i = 0; i < COUNT_OF(shapes); i++)
        if (shapes[i].segments == (segments & 0x7F)) return shapes[i].c;
    return '?';
}

/* What an eye sees of each digit, and how many there are. */
static unsigned digits_seen(oak_stand_in *self, uint8_t *seen)
{
    digits *it = oak_stand_in_state(self);
    digits_add(self);
    memcpy(seen, it->seen, sizeof it->seen);
    if (!it->complete) digits_read(self, oak_stand_in_now(self) - it->window_from, seen);
    return digit_count(self);
}

static void digits_show(oak_stand_in *self, char *text, size_t room)
{
    uint8_t seen[DIGITS];
    unsigned count = digits_seen(self, seen);
    oak_format(text, room, "[");
    for (unsigned d = count; d-- > 0;)
        oak_format(text + oak_length(text), room - oak_length(text), "%c%s", digit_char(seen[d]),
                   seen[d] & 0x80 ? "." : "");
    oak_format(text + oak_length(text), room - oak_length(text), "]");
}

/*    _       a
 *   |_|    f g b
 *   |_|.   e d c point   */
static void digits_draw(oak_stand_in *self, char *text, size_t room)
{
    enum { ROWS = 3, CELLS = 4 };
    static const uint8_t lit[ROWS][CELLS] = {
        {0, 1 << 0, 0, 0}, {1 << 5, 1 << 6, 1 << 1, 0}, {1 << 4, 1 << 3, 1 << 2, 1 << 7}};
    static const char sign[CELLS] = "|_|.";
    uint8_t seen[DIGITS];
    unsigned count = digits_seen(self, seen);
    *text = 0;
    for (unsigned row = 0; row < ROWS; row++) {
        if (row) oak_format(text + oak_length(text), room - oak_length(text), "\n");
        for (unsigned d = count; d-- > 0;)
            for (unsigned cell = 0; cell < CELLS; cell++)
                oak_format(text + oak_length(text), room - oak_length(text), "%c",
                           seen[d] & lit[row][cell] ? sign[cell] : ' ');
    }
}

static const oak_terminal digits_terminals[] = {
    {"a", 1, OAK_TERMINAL_IN, true, "segment at the top"},
    {"b", 1, OAK_TERMINAL_IN, false, "segment at the right, above"},
    {"c", 1, OAK_TERMINAL_IN, false, "segment at the right, below"},
    {"d", 1, OAK_TERMINAL_IN, false, "segment at the bottom"},
    {"e", 1, OAK_TERMINAL_IN, false, "segment at the left, below"},
    {"f", 1, OAK_TERMINAL_IN, false, "segment at the left, above"},
    {"g", 1, OAK_TERMINAL_IN, false, "segment in the middle"},
    {"point", 1, OAK_TERMINAL_IN, false, "decimal point"},
    {"digit", DIGITS, OAK_TERMINAL_IN, false,
     "selects a digit, the right one first; not wired: one digit, always on"}};
static const oak_setting digits_settings[] = {
    {"lit", OAK_SETTING_WORD, "low", 0, 0, LEVEL_WORDS, "the level at which a segment is lit"},
    {"select", OAK_SETTING_WORD, "low", 0, 0, LEVEL_WORDS, "the level that selects a digit"}};
const oak_stand_in_kind oak_kind_digits = {.name = "digits",
                                           .title = "up to eight digits of seven segments, multiplexed",
                                           .terminals = digits_terminals,
                                           .terminal_count = COUNT_OF(digits_terminals),
                                           .settings = digits_settings,
                                           .setting_count = COUNT_OF(digits_settings),
                                           .state_size = sizeof(digits),
                                           .reset = digits_reset,
                                           .changed = digits_changed,
                                           .due = digits_due,
                                           .show = digits_show,
                                           .draw = digits_draw};
