/* kinds_power.c — what moves and heats: a relay, a motor with inertia, a heater with thermal mass, a sensor that gives
 * pulses. All of it in whole numbers, so that it is the same on every machine. */
#include <oakspindle/print.h>

#include "base/ratio.h"
#include "board/kind.h"

/* ------------------------------------------------------------------------------------------ relay */

enum { RELAY_PULLS, RELAY_IN, RELAY_OUT };
enum { RELAY_COIL, RELAY_CONTACT, RELAY_REST };
typedef struct relay {
    uint8_t coil, pulled_in;
    uint64_t times, let_go, moved; /* the cycles of the last changes of the coil and of the contact */
} relay;

static void relay_put(oak_stand_in *self)
{
    const relay *it = oak_stand_in_state(self);
    oak_stand_in_put(self, RELAY_CONTACT, it->pulled_in ? OAK_HIGH : OAK_LOW);
    oak_stand_in_put(self, RELAY_REST, it->pulled_in ? OAK_LOW : OAK_HIGH);
}

static void relay_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    relay *it = oak_stand_in_state(self);
    if (terminal != RELAY_COIL) return;
    bool coil = level == (oak_stand_in_number(self, RELAY_PULLS) ? OAK_HIGH : OAK_LOW);
    if (coil == (it->coil != 0)) return;
    it->coil = coil;
    it->let_go = oak_stand_in_now(self);
    if (coil == (it->pulled_in != 0)) oak_stand_in_wake(self, UINT64_MAX); /* it had not moved yet */
    else
        oak_stand_in_wake(
            self, oak_stand_in_now(self) +
                      oak_stand_in_cycles(self, oak_stand_in_number(self, coil ? RELAY_IN : RELAY_OUT)));
}

static void relay_due(oak_stand_in *self)
{
    relay *it = oak_stand_in_state(self);
    it->pulled_in = it->coil;
    it->times += it->coil;
    it->moved = oak_stand_in_now(self);
    relay_put(self);
}

static void relay_show(oak_stand_in *self, char *text, size_t room)
{
    const relay *it = oak_stand_in_state(self);
    oak_format(text, room, "%s; pulled in %llu time%s, coil at cycle %llu, contact at %llu",
               it->pulled_in ? "pulled in" : "at rest", (unsigned long long)it->times,
               it->times == 1 ? "" : "s", (unsigned long long)it->let_go, (unsigned long long)it->moved);
}

static const oak_terminal relay_terminals[] = {
    {"coil", 1, OAK_TERMINAL_IN, true, "the coil"},
    {"contact", 1, OAK_TERMINAL_OUT, false, "high while it is pulled in"},
    {"rest", 1, OAK_TERMINAL_OUT, false, "high while it is at rest"}};
static const oak_setting relay_settings[] = {
    {"pulls", OAK_SETTING_WORD, "low", 0, 0, LEVEL_WORDS, "the level at which the coil pulls"},
    {"pull-in", OAK_SETTING_TIME, "8ms", 0, 0, NULL, "from the coil to the contact"},
    {"drop-out", OAK_SETTING_TIME, "4ms", 0, 0, NULL, "the same, when it lets go"}};
const oak_stand_in_kind oak_kind_relay = {.name = "relay",
                                          .title = "a relay whose contact follows its coil with a delay",
                                          .terminals = relay_terminals,
                                          .terminal_count = COUNT_OF(relay_terminals),
                                          .settings = relay_settings,
                                          .setting_count = COUNT_OF(relay_settings),
                                          .state_size = sizeof(relay),
                                          .reset = relay_put,
                                          .changed = relay_changed,
                                          .due = relay_due,
                                          .show = relay_show};

/* ------------------------------------------------------------------------------------------ motor */

/* The speed nears what it is driven to as a mass does: in each step of a millisecond by the same share of what is missing.
 * A disc on the shaft gives pulses; its edges are placed inside the steps. */
enum { MOTOR_RUNS, MOTOR_BRAKES, MOTOR_SPEED, MOTOR_SPIN_UP, MOTOR_COAST, MOTOR_STOP, MOTOR_SLOTS };
enum { MOTOR_ON, MOTOR_BRAKE, MOTOR_PULSE };
static const uint64_t MOTOR_STEP = 1000000000; /* picoseconds */
typedef struct motor {
    uint8_t on, braked, high;
    int64_t speed;                         /* 1/1000000 turns a minute */
    uint64_t edges_q32;                    /* turned so far, in edges of the disc, 32 bits behind the point */
    uint64_t step_at, step_from, rate_q32; /* next step, the last one, edges a cycle * 2^32 */
    uint64_t counted_to;
} motor;

static void motor_count(oak_stand_in *self)
{
    motor *it = oak_stand_in_state(self);
    uint64_t now = oak_stand_in_now(self);
    if (now > it->counted_to) it->edges_q32 += it->rate_q32 * (now - it->counted_to);
    it->counted_to = now;
}

/* The next edge, or the next step, whichever comes first. */
static void motor_plan(oak_stand_in *self)
{
    motor *it = oak_stand_in_state(self);
    uint64_t next = it->step_at;
    if (it->rate_q32) {
        uint64_t missing = ((uint64_t)1 << 32) - (it->edges_q32 & UINT32_MAX),
                 cycles = missing / it->rate_q32 + (missing % it->rate_q32 != 0);
        if (it->counted_to + cycles < next) next = it->counted_to + cycles;
    }
    oak_stand_in_wake(self, next);
}

static void motor_step(oak_stand_in *self)
{
    motor *it = oak_stand_in_state(self);
    int64_t wanted = it->on && !it->braked ? (int64_t)oak_stand_in_number(self, MOTOR_SPEED) * 1000000 : 0;
    uint64_t constant = oak_stand_in_number(self, it->braked ? MOTOR_STOP
                                                  : it->on   ? MOTOR_SPIN_UP
                                                             : MOTOR_COAST);
    if (constant < MOTOR_STEP) constant = MOTOR_STEP;
    int64_t missing = wanted - it->speed;
    int64_t change = missing >= 0 ? (int64_t)oak_scaled((uint64_t)missing, MOTOR_STEP, constant, true)
                                  : -(int64_t)oak_scaled((uint64_t)-missing, MOTOR_STEP, constant, true);
    it->speed += change;
    if (!wanted && it->speed < 500000) it->speed = 0; /* friction has the last word */
    /* Edges a cycle: speed / 60e6 turns a second, twice the slots edges a turn. */
    uint64_t numerator, denominator, slots = oak_stand_in_number(self, MOTOR_SLOTS);
    oak_stand_in_cycle(self, &numerator, &denominator); /* picoseconds of a cycle */
    uint64_t per_second_q32 = oak_scaled((uint64_t)it->speed * 2 * slots, (uint64_t)1 << 32, 60000000, false);
    it->rate_q32 = oak_scaled(per_second_q32, numerator / 1000000, denominator, false) / 1000000;
    uint64_t step = oak_stand_in_cycles(self, MOTOR_STEP);
    it->step_at = oak_stand_in_now(self) + (step ? step : 1);
    if (!it->speed && !wanted) it->step_at = UINT64_MAX; /* nothing moves until something changes */
}

static void motor_due(oak_stand_in *self)
{
    motor *it = oak_stand_in_state(self);
    uint64_t before = it->edges_q32 >> 32;
    motor_count(self);
    if ((it->edges_q32 >> 32) != before) {
        it->high = (it->edges_q32 >> 32) & 1;
        oak_stand_in_put(self, MOTOR_PULSE, it->high ? OAK_HIGH : OAK_LOW);
    }
    if (oak_stand_in_now(self) >= it->step_at) motor_step(self);
    motor_plan(self);
}

static void motor_reset(oak_stand_in *self)
{
    motor *it = oak_stand_in_state(self);
    it->step_at = UINT64_MAX;
    oak_stand_in_put(self, MOTOR_PULSE, OAK_LOW);
}

static void motor_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    motor *it = oak_stand_in_state(self);
    if (terminal == MOTOR_PULSE) return;
    bool on =
        level ==
        (oak_stand_in_number(self, terminal == MOTOR_ON ? MOTOR_RUNS : MOTOR_BRAKES) ? OAK_HIGH : OAK_LOW);
    motor_count(self);
    if (terminal == MOTOR_ON) it->on = on;
    else it->braked = on && oak_stand_in_is_wired(self, MOTOR_BRAKE);
    if (it->step_at == UINT64_MAX) motor_step(self);
    motor_plan(self);
}

static void motor_show(oak_stand_in *self, char *text, size_t room)
{
    motor *it = oak_stand_in_state(self);
    uint64_t turns = it->edges_q32 / (2 * oak_stand_in_number(self, MOTOR_SLOTS)) >> 32;
    oak_format(text, room, "%s%llu turns a minute; %llu turns in all",
               it->braked && it->speed ? "braked, "
               : it->on && !it->braked ? "driven, "
               : it->speed             ? "coasting, "
                                       : "at rest, ",
               (unsigned long long)(it->speed / 1000000), (unsigned long long)turns);
}

static const oak_terminal motor_terminals[] = {
    {"on", 1, OAK_TERMINAL_IN, true, "drives it"},
    {"brake", 1, OAK_TERMINAL_IN, false, "brakes it, also while it is driven"},
    {"pulse", 1, OAK_TERMINAL_OUT, false, "light through the slots of a disc on the shaft"}};
static const oak_setting motor_settings[] = {
    {"runs", OAK_SETTING_WORD, "high", 0, 0, LEVEL_WORDS, "the level at which it is driven"},
    {"brakes", OAK_SETTING_WORD, "high", 0, 0, LEVEL_WORDS, "the level at which it is braked"},
    {"speed", OAK_SETTING_NUMBER, "1500", 1, 100000, NULL, "turns a minute it nears"},
    {"spin-up", OAK_SETTING_TIME, "300ms", 0, 0, NULL, "in which it comes two thirds of the way"},
    {"coast", OAK_SETTING_TIME, "2s", 0, 0, NULL, "the same when nothing drives it"},
    {"stop", OAK_SETTING_TIME, "150ms", 0, 0, NULL, "the same when it is braked"},
    {"slots", OAK_SETTING_NUMBER, "8", 1, 1000, NULL, "slots of the disc"}};
const oak_stand_in_kind oak_kind_motor = {.name = "motor",
                                          .title =
                                              "a motor with inertia, a brake and a disc that gives pulses",
                                          .terminals = motor_terminals,
                                          .terminal_count = COUNT_OF(motor_terminals),
                                          .settings = motor_settings,
                                          .setting_count = COUNT_OF(motor_settings),
                                          .state_size = sizeof(motor),
                                          .reset = motor_reset,
                                          .changed = motor_changed,
                                          .due = motor_due,
                                          .show = motor_show};

/* ------------------------------------------------------------------------------------------ heater */

/* Watts warm a thermal mass, which loses heat to the room. A sensor sends a pulse every now and then; its width is the
 * temperature. Steps of ten milliseconds; the time that it was on inside a step counts exactly. */
enum {
    HEATER_RUNS,
    HEATER_POWER,
    HEATER_MASS,
    HEATER_LOSS,
    HEATER_ROOM,
    HEATER_START,
    HEATER_EVERY,
    HEATER_WIDTH,
    HEATER_LIMIT
};
enum { HEATER_ON, HEATER_SUPPLY, HEATER_PULSE, HEATER_TOO_HOT };
static const uint64_t HEATER_STEP = 10000000000; /* picoseconds */
typedef struct heater {
    uint8_t on, high;
    int64_t temperature; /* 1/1000000 degree */
    uint64_t on_since, on_cycles, step_at, step_from, pulse_at, pulse_end;
    uint64_t energy; /* joules in all */
} heater;

static void heater_plan(oak_stand_in *self)
{
    const heater *it = oak_stand_in_state(self);
    uint64_t next = it->step_at;
    if (it->pulse_at < next) next = it->pulse_at;
    if (it->high && it->pulse_end < next) next = it->pulse_end;
    oak_stand_in_wake(self, next);
}

static void heater_limit(oak_stand_in *self)
{
    const heater *it = oak_stand_in_state(self);
    uint64_t limit = oak_stand_in_number(self, HEATER_LIMIT);
    bool hot = it->temperature >= (int64_t)limit * 1000000;
    oak_stand_in_put(self, HEATER_TOO_HOT, hot ? OAK_HIGH : OAK_LOW);
}

static void heater_step(oak_stand_in *self)
{
    heater *it = oak_stand_in_state(self);
    uint64_t now = oak_stand_in_now(self), length = now - it->step_from;
    if (it->on) it->on_cycles += now - it->on_since, it->on_since = now;
    uint64_t microjoules = oak_scaled(oak_stand_in_number(self, HEATER_POWER) * 10000, it->on_cycles,
                                      length ? length : 1, false);
    int64_t above = it->temperature - (int64_t)oak_stand_in_number(self, HEATER_ROOM) * 1000000;
    /* watts a degree times microdegrees, over 10 ms: 1/100 of microjoules */
    int64_t lost = above / 100 * (int64_t)oak_stand_in_number(self, HEATER_LOSS) / 100;
    int64_t gained = (int64_t)microjoules - lost;
    it->temperature += gained / (int64_t)oak_stand_in_number(self, HEATER_MASS);
    it->energy += microjoules;
    it->on_cycles = 0;
    it->step_from = now;
    uint64_t step = oak_stand_in_cycles(self, HEATER_STEP);
    it->step_at = now + (step ? step : 1);
    heater_limit(self);
}

static void heater_due(oak_stand_in *self)
{
    heater *it = oak_stand_in_state(self);
    uint64_t now = oak_stand_in_now(self);
    if (now >= it->step_at) heater_step(self);
    if (it->high && now >= it->pulse_end) {
        it->high = 0;
        oak_stand_in_put(self, HEATER_PULSE, OAK_LOW);
    }
    if (now >= it->pulse_at) {
        uint64_t degrees = it->temperature > 0 ? (uint64_t)it->temperature : 0;
        uint64_t width = oak_stand_in_cycles(
            self, oak_scaled(degrees, oak_stand_in_number(self, HEATER_WIDTH), 1000000, false));
        uint64_t every = oak_stand_in_cycles(self, oak_stand_in_number(self, HEATER_EVERY));
        it->pulse_at = now + (every ? every : 1);
        it->pulse_end = now + (width ? width : 1);
        if (it->pulse_end >= it->pulse_at) it->pulse_end = it->pulse_at - 1;
        it->high = 1;
        oak_stand_in_put(self, HEATER_PULSE, OAK_HIGH);
    }
    heater_plan(self);
}

static void heater_reset(oak_stand_in *self)
{
    heater *it = oak_stand_in_state(self);
    uint64_t now = oak_stand_in_now(self);
    it->temperature = (int64_t)oak_stand_in_number(self, HEATER_START) * 1000000;
    it->step_from = now;
    it->step_at = now + oak_stand_in_cycles(self, HEATER_STEP);
    it->pulse_at = now + oak_stand_in_cycles(self, oak_stand_in_number(self, HEATER_EVERY));
    oak_stand_in_put(self, HEATER_PULSE, OAK_LOW);
    heater_limit(self);
    heater_plan(self);
}

static void heater_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    heater *it = oak_stand_in_state(self);
    (void)level;
    if (terminal > HEATER_SUPPLY) return;
    bool on =
        oak_stand_in_level(self, HEATER_ON) == (oak_stand_in_number(self, HEATER_RUNS) ? OAK_HIGH : OAK_LOW);
    if (oak_stand_in_is_wired(self, HEATER_SUPPLY))
        on = on && oak_stand_in_level(self, HEATER_SUPPLY) == OAK_HIGH;
    uint64_t now = oak_stand_in_now(self);
    if (it->on) it->on_cycles += now - it->on_since;
    it->on = on;
    it->on_since = now;
}

static void heater_show(oak_stand_in *self, char *text, size_t room)
{
    const heater *it = oak_stand_in_state(self);
    oak_format(text, room, "%lld.%u degrees, %s; %llu kJ used", (long long)(it->temperature / 1000000),
               (unsigned)(it->temperature / 100000 % 10), it->on ? "heating" : "not heated",
               (unsigned long long)(it->energy / 1000000000));
}

static const oak_terminal heater_terminals[] = {
    {"on", 1, OAK_TERMINAL_IN, true, "heats it"},
    {"supply", 1, OAK_TERMINAL_IN, false, "heats it only while this is high, too"},
    {"pulse", 1, OAK_TERMINAL_OUT, false, "the sensor: the width of a pulse is the temperature"},
    {"too-hot", 1, OAK_TERMINAL_OUT, false, "the limit switch: high at the limit and above"}};
static const oak_setting heater_settings[] = {
    {"runs", OAK_SETTING_WORD, "high", 0, 0, LEVEL_WORDS, "the level at which it heats"},
    {"power", OAK_SETTING_NUMBER, "3000", 1, 1000000, NULL, "watts"},
    {"mass", OAK_SETTING_NUMBER, "2000", 1, 1000000000, NULL, "joules that warm it by a degree"},
    {"loss", OAK_SETTING_NUMBER, "200", 0, 1000000, NULL, "watts that 100 degrees above the room lose"},
    {"room", OAK_SETTING_NUMBER, "20", 0, 1000, NULL, "degrees around it"},
    {"start", OAK_SETTING_NUMBER, "20", 0, 5000, NULL, "degrees at reset"},
    {"every", OAK_SETTING_TIME, "50ms", 0, 0, NULL, "from one pulse of the sensor to the next"},
    {"width", OAK_SETTING_TIME, "1us", 0, 0, NULL, "of a pulse for each degree"},
    {"limit", OAK_SETTING_NUMBER, "1300", 1, 10000, NULL, "degrees at which the limit switch closes"}};
const oak_stand_in_kind oak_kind_heater = {.name = "heater",
                                           .title = "a heater with thermal mass, a sensor and a limit switch",
                                           .terminals = heater_terminals,
                                           .terminal_count = COUNT_OF(heater_terminals),
                                           .settings = heater_settings,
                                           .setting_count = COUNT_OF(heater_settings),
                                           .state_size = sizeof(heater),
                                           .reset = heater_reset,
                                           .changed = heater_changed,
                                           .due = heater_due,
                                           .show = heater_show};

/* ------------------------------------------------------------------------------------------ pulse sensor */

enum { SENSOR_RATE };
typedef struct sensor {
    uint64_t rate, from, edges; /* 1/1000 Hz; where the rate began; edges since */
    uint64_t total;
} sensor;

static uint64_t sensor_edge(const oak_stand_in *self, const sensor *it)
{
    uint64_t numerator, denominator;
    oak_stand_in_cycle(self, &numerator, &denominator);
    if (!it->rate) return UINT64_MAX;
    /* edges / (2 * rate) seconds, in cycles: a cycle lasts numerator / denominator picoseconds */
    uint64_t picoseconds = oak_scaled(it->edges + 1, (uint64_t)500000000000000u, it->rate, false);
    return it->from + oak_scaled(picoseconds, denominator, numerator, true);
}

static void sensor_reset(oak_stand_in *self)
{
    sensor *it = oak_stand_in_state(self);
    it->rate = oak_stand_in_number(self, SENSOR_RATE);
    it->from = oak_stand_in_now(self);
    oak_stand_in_put(self, 0, OAK_LOW);
    oak_stand_in_wake(self, sensor_edge(self, it));
}

static void sensor_due(oak_stand_in *self)
{
    sensor *it = oak_stand_in_state(self);
    it->edges++;
    it->total += it->edges & 1;
    oak_stand_in_put(self, 0, it->edges & 1 ? OAK_HIGH : OAK_LOW);
    oak_stand_in_wake(self, sensor_edge(self, it));
}

static bool sensor_act(oak_stand_in *self, const char *what)
{
    sensor *it = oak_stand_in_state(self);
    uint64_t rate = 0;
    if (!says(what, "stop") && (!says(what, "rate") || oak_read_frequency(behind(what), &rate))) return false;
    it->rate = rate;
    it->from = oak_stand_in_now(self);
    it->edges = 0;
    oak_stand_in_put(self, 0, OAK_LOW);
    oak_stand_in_wake(self, sensor_edge(self, it));
    return true;
}

static void sensor_show(oak_stand_in *self, char *text, size_t room)
{
    const sensor *it = oak_stand_in_state(self);
    char rate[40];
    oak_write_frequency(it->rate ? it->rate : 1, rate, sizeof rate);
    oak_format(text, room, "%s; %llu pulses in all", it->rate ? rate : "still",
               (unsigned long long)it->total);
}

static const oak_terminal sensor_terminals[] = {{"out", 1, OAK_TERMINAL_OUT, true, "the pulses"}};
static const oak_setting sensor_settings[] = {
    {"rate", OAK_SETTING_FREQUENCY, "10Hz", 0, 0, NULL, "pulses a second"}};
const oak_stand_in_kind oak_kind_pulse_sensor = {.name = "pulse-sensor",
                                                 .title =
                                                     "a sensor that gives pulses: a flow meter, a wind gauge",
                                                 .terminals = sensor_terminals,
                                                 .terminal_count = COUNT_OF(sensor_terminals),
                                                 .settings = sensor_settings,
                                                 .setting_count = COUNT_OF(sensor_settings),
                                                 .acts = "rate FREQUENCY, stop",
                                                 .state_size = sizeof(sensor),
                                                 .reset = sensor_reset,
                                                 .due = sensor_due,
                                                 .act = sensor_act,
                                                 .show = sensor_show};
