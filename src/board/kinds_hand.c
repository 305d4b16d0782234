/* kinds_hand.c — what people touch: a push button, a switch, a keypad, a knob that gives quadrature signals. */
#include <oakspindle/print.h>

#include "board/kind.h"

/* ------------------------------------------------------------------------------------------ contacts */

/* A contact to a level, and a resistor to the other one. It bounces for a time after each change. */
enum { CONTACT_LEVEL, CONTACT_PULL, CONTACT_BOUNCE, CONTACT_MORE };
typedef struct contact {
    uint8_t closed, bouncing, now; /* now: what the bouncing contact is this moment */
    uint64_t bounce_end, release_at, times;
} contact;

static void contact_put(oak_stand_in *self, bool closed)
{
    oak_level level = oak_stand_in_number(self, CONTACT_LEVEL) ? OAK_HIGH : OAK_LOW;
    oak_stand_in_put(self, 0, closed ? level : pulled(oak_stand_in_number(self, CONTACT_PULL)));
}

static void contact_plan(oak_stand_in *self)
{
    contact *it = oak_stand_in_state(self);
    uint64_t now = oak_stand_in_now(self), next = it->release_at ? it->release_at : UINT64_MAX;
    if (it->bouncing) {
        uint64_t left = it->bounce_end > now ? it->bounce_end - now : 0,
                 at = now + 1 + oak_stand_in_random(self, left / 4 + 1);
        if (at > it->bounce_end) at = it->bounce_end > now ? it->bounce_end : now + 1;
        if (at < next) next = at;
    }
    oak_stand_in_wake(self, next);
}

static void contact_set(oak_stand_in *self, bool closed)
{
    contact *it = oak_stand_in_state(self);
    uint64_t bounce = oak_stand_in_number(self, CONTACT_BOUNCE);
    if (closed == (it->closed != 0)) return;
    it->closed = it->now = closed;
    it->times += closed;
    it->bouncing = bounce > 0;
    it->bounce_end = oak_stand_in_now(self) + oak_stand_in_cycles(self, bounce);
    contact_put(self, closed);
    contact_plan(self);
}

static void contact_due(oak_stand_in *self)
{
    contact *it = oak_stand_in_state(self);
    uint64_t now = oak_stand_in_now(self);
    if (it->release_at && now >= it->release_at) {
        it->release_at = 0;
        contact_set(self, false);
    } else if (it->bouncing && now >= it->bounce_end) {
        it->bouncing = 0;
        it->now = it->closed;
        contact_put(self, it->closed);
    } else if (it->bouncing) {
        it->now = !it->now;
        contact_put(self, it->now);
    }
    contact_plan(self);
}

#define CONTACT_SETTINGS                                                                                     \
    {"closed", OAK_SETTING_WORD, "low", 0, 0, LEVEL_WORDS, "the level it connects to"},                      \
        {"pull", OAK_SETTING_WORD, "up", 0, 0, PULL_WORDS, "where a resistor pulls it when it is open"},     \
    {                                                                                                        \
        "bounce", OAK_SETTING_TIME, "0", 0, 0, NULL, "how long it bounces"                                   \
    }

/* ------------------------------------------------------------------------------------------ push button */

static void button_reset(oak_stand_in *self)
{
    contact_put(self, false);
}

static bool button_act(oak_stand_in *self, const char *what)
{
    contact *it = oak_stand_in_state(self);
    if (says(what, "tap")) {
        contact_set(self, true);
        it->release_at =
            oak_stand_in_now(self) + oak_stand_in_cycles(self, oak_stand_in_number(self, CONTACT_MORE));
        contact_plan(self);
    } else if (says(what, "press")) contact_set(self, true);
    else if (says(what, "release")) contact_set(self, false);
    else return false;
    return true;
}

static void button_show(oak_stand_in *self, char *text, size_t room)
{
    const contact *it = oak_stand_in_state(self);
    oak_format(text, room, "%s; pressed %llu time%s", it->closed ? "pressed" : "released",
               (unsigned long long)it->times, it->times == 1 ? "" : "s");
}

static const oak_terminal button_terminals[] = {{"out", 1, OAK_TERMINAL_OPEN, true, "the contact"}};
static const oak_setting button_settings[] = {
    CONTACT_SETTINGS,
    {"tap", OAK_SETTING_TIME, "80ms", 0, 0, NULL, "how long a tap lasts"}};
const oak_stand_in_kind oak_kind_button = {.name = "button",
                                           .title = "a push button",
                                           .terminals = button_terminals,
                                           .terminal_count = COUNT_OF(button_terminals),
                                           .settings = button_settings,
                                           .setting_count = COUNT_OF(button_settings),
                                           .acts = "press, release, tap",
                                           .state_size = sizeof(contact),
                                           .reset = button_reset,
                                           .due = contact_due,
                                           .act = button_act,
                                           .show = button_show};

/* ------------------------------------------------------------------------------------------ switch */

static const char *const SWITCH_WORDS[] = {"open", "closed", NULL};

static void switch_reset(oak_stand_in *self)
{
    contact *it = oak_stand_in_state(self);
    it->closed = oak_stand_in_number(self, CONTACT_MORE) != 0;
    contact_put(self, it->closed);
}

static bool switch_act(oak_stand_in *self, const char *what)
{
    const contact *it = oak_stand_in_state(self);
    if (says(what, "toggle")) contact_set(self, !it->closed);
    else if (says(what, "close")) contact_set(self, true);
    else if (says(what, "open")) contact_set(self, false);
    else return false;
    return true;
}

static void switch_show(oak_stand_in *self, char *text, size_t room)
{
    const contact *it = oak_stand_in_state(self);
    oak_format(text, room, "%s", it->closed ? "closed" : "open");
}

static const oak_setting switch_settings[] = {
    CONTACT_SETTINGS,
    {"at-first", OAK_SETTING_WORD, "open", 0, 0, SWITCH_WORDS, "its position at reset"}};
const oak_stand_in_kind oak_kind_switch = {.name = "switch",
                                           .title = "a switch, or the contact of a door",
                                           .terminals = button_terminals,
                                           .terminal_count = COUNT_OF(button_terminals),
                                           .settings = switch_settings,
                                           .setting_count = COUNT_OF(switch_settings),
                                           .acts = "open, close, toggle",
                                           .state_size = sizeof(contact),
                                           .reset = switch_reset,
                                           .due = contact_due,
                                           .act = switch_act,
                                           .show = switch_show};

/* ------------------------------------------------------------------------------------------ keypad */

/* A pressed key connects its row with its column: a column follows the rows that are driven. */
enum { PAD_LINES = 8, PAD_KEYS, PAD_PULL, PAD_TAP };
typedef struct keypad {
    uint8_t down[PAD_LINES][PAD_LINES];
    uint64_t release_at, times;
} keypad;

static unsigned pad_columns(const oak_stand_in *self)
{
    unsigned count = 0;
    for (unsigned c = 0; c < PAD_LINES; c++) count += oak_stand_in_is_wired(self, PAD_LINES + c);
    return count;
}

static void pad_drive(oak_stand_in *self)
{
    const keypad *it = oak_stand_in_state(self);
    for (unsigned c = 0; c < PAD_LINES; c++) {
        oak_level level = pulled(oak_stand_in_number(self, PAD_PULL - PAD_KEYS));
        bool low = false, high = false;
        for (unsigned r = 0; r < PAD_LINES; r++) {
            if (!it->down[r][c]) continue;
            low = low || oak_stand_in_level(self, r) == OAK_LOW;
            high = high || oak_stand_in_level(self, r) == OAK_HIGH;
        }
        bool pulls_up = oak_stand_in_number(self, PAD_PULL - PAD_KEYS) != PULL_DOWN;
        if (low && pulls_up) level = OAK_LOW;
        if (high && !pulls_up) level = OAK_HIGH;
        oak_stand_in_put(self, PAD_LINES + c, level);
    }
}

static void pad_reset(oak_stand_in *self)
{
    pad_drive(self);
}

static void pad_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    (void)level;
    if (terminal < PAD_LINES) pad_drive(self);
}

static bool pad_act(oak_stand_in *self, const char *what)
{
    keypad *it = oak_stand_in_state(self);
    const char *keys = oak_stand_in_text(self, 0), *key = behind(what);
    unsigned columns = pad_columns(self), number = 0;
    if (says(what, "release")) {
        memset(it->down, 0, sizeof it->down);
        pad_drive(self);
        return true;
    }
    while (keys[number] && keys[number] != *key) number++;
    if (!*key || !keys[number] || !columns || number / columns >= PAD_LINES) return false;
    it->down[number / columns][number % columns] = 1;
    it->times++;
    if (says(what, "tap")) {
        it->release_at =
            oak_stand_in_now(self) + oak_stand_in_cycles(self, oak_stand_in_number(self, PAD_TAP - PAD_KEYS));
        oak_stand_in_wake(self, it->release_at);
    }
    pad_drive(self);
    return true;
}

static void pad_due(oak_stand_in *self)
{
    keypad *it = oak_stand_in_state(self);
    memset(it->down, 0, sizeof it->down);
    pad_drive(self);
}

static void pad_show(oak_stand_in *self, char *text, size_t room)
{
    const keypad *it = oak_stand_in_state(self);
    const char *keys = oak_stand_in_text(self, 0);
    unsigned columns = pad_columns(self), count = 0;
    *text = 0;
    for (unsigned i = 0; keys[i] && columns && i / columns < PAD_LINES; i++)
        if (it->down[i / columns][i % columns])
            oak_format(text + oak_length(text), room - oak_length(text), "%s%c", count++ ? " " : "", keys[i]);
    oak_format(text + oak_length(text), room - oak_length(text), "%s; %llu pressed in all",
               count ? " down" : "no key down", (unsigned long long)it->times);
}

static const oak_terminal pad_terminals[] = {
    {"row", PAD_LINES, OAK_TERMINAL_IN, true, "lines that the chip drives"},
    {"column", PAD_LINES, OAK_TERMINAL_OPEN, true, "lines that it reads"}};
static const oak_setting pad_settings[] = {
    {"keys", OAK_SETTING_TEXT, "123A456B789C*0#D", 0, 0, NULL, "a character a key, row by row"},
    {"pull", OAK_SETTING_WORD, "up", 0, 0, PULL_WORDS, "where resistors pull the columns"},
    {"tap", OAK_SETTING_TIME, "80ms", 0, 0, NULL, "how long a tap lasts"}};
const oak_stand_in_kind oak_kind_keypad = {.name = "keypad",
                                           .title = "keys in rows and columns",
                                           .terminals = pad_terminals,
                                           .terminal_count = COUNT_OF(pad_terminals),
                                           .settings = pad_settings,
                                           .setting_count = COUNT_OF(pad_settings),
                                           .acts = "press KEY, release, tap KEY",
                                           .state_size = sizeof(keypad),
                                           .reset = pad_reset,
                                           .changed = pad_changed,
                                           .due = pad_due,
                                           .act = pad_act,
                                           .show = pad_show};

/* ------------------------------------------------------------------------------------------ encoder */

/* Two signals a quarter of a period apart; four edges a click. a comes first when it is turned to the right. */
enum { KNOB_TIME };
typedef struct knob {
    int64_t at, wanted; /* edges from reset */
} knob;

static void knob_put(oak_stand_in *self)
{
    const knob *it = oak_stand_in_state(self);
    unsigned phase = (unsigned)(it->at & 3); /* 11, 01, 00, 10 */
    oak_stand_in_put(self, 0, phase == 0 || phase == 3 ? OAK_PULLED_HIGH : OAK_LOW);
    oak_stand_in_put(self, 1, phase <= 1 ? OAK_PULLED_HIGH : OAK_LOW);
}

static uint64_t knob_edge(const oak_stand_in *self)
{
    uint64_t cycles = oak_stand_in_cycles(self, oak_stand_in_number(self, KNOB_TIME)) / 4;
    return oak_stand_in_now(self) + (cycles ? cycles : 1);
}

static void knob_reset(oak_stand_in *self)
{
    knob_put(self);
}

static void knob_due(oak_stand_in *self)
{
    knob *it = oak_stand_in_state(self);
    if (it->at == it->wanted) return;
    it->at += it->at < it->wanted ? 1 : -1;
    knob_put(self);
    if (it->at != it->wanted) oak_stand_in_wake(self, knob_edge(self));
}

static bool knob_act(oak_stand_in *self, const char *what)
{
    knob *it = oak_stand_in_state(self);
    const char *number = behind(what);
    bool back = *number == '-';
    uint64_t clicks;
    size_t used;
    number += back || *number == '+';
    if (!says(what, "turn") || oak_read_number(number, number + oak_length(number), &clicks, &used) ||
        number[used] || clicks > 100000)
        return false;
    bool moves = it->at != it->wanted;
    it->wanted += (back ? -4 : 4) * (int64_t)clicks;
    if (!moves) oak_stand_in_wake(self, knob_edge(self));
    return true;
}

static void knob_show(oak_stand_in *self, char *text, size_t room)
{
    const knob *it = oak_stand_in_state(self);
    oak_format(text, room, "%s%lld clicks from where it was%s", it->at < 0 ? "" : "+",
               (long long)(it->at / 4), it->at != it->wanted ? ", turning" : "");
}

static const oak_terminal knob_terminals[] = {
    {"a", 1, OAK_TERMINAL_OPEN, true, "the signal that comes first to the right"},
    {"b", 1, OAK_TERMINAL_OPEN, true, "the other one"}};
static const oak_setting knob_settings[] = {
    {"click", OAK_SETTING_TIME, "20ms", 0, 0, NULL, "how long a click takes"}};
const oak_stand_in_kind oak_kind_encoder = {.name = "encoder",
                                            .title = "a knob that gives quadrature signals",
                                            .terminals = knob_terminals,
                                            .terminal_count = COUNT_OF(knob_terminals),
                                            .settings = knob_settings,
                                            .setting_count = COUNT_OF(knob_settings),
                                            .acts = "turn CLICKS",
                                            .state_size = sizeof(knob),
                                            .reset = knob_reset,
                                            .due = knob_due,
                                            .act = knob_act,
                                            .show = knob_show};
