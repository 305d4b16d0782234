/* roles.c — the kinds of blocks and the names of what their registers and fields do, as part files write them. */
#include "periph/block.h"

#include "base/text.h"

static const char *const port_roles[] = {
#define ROLE(number, name) [number] = name,
    OAK_PORT_ROLES(ROLE) NULL};
static const char *const timer_roles[] = {OAK_TIMER_ROLES(ROLE) NULL};
static const char *const serial_roles[] = {OAK_SERIAL_ROLES(ROLE) NULL};
static const char *const watchdog_roles[] = {OAK_WATCHDOG_ROLES(ROLE) NULL};
static const char *const pair_roles[] = {OAK_PAIR_ROLES(ROLE) NULL};
static const char *const capture_roles[] = {OAK_CAPTURE_ROLES(ROLE) NULL};
static const char *const edge_roles[] = {OAK_EDGE_ROLES(ROLE) NULL};
static const char *const framed_roles[] = {OAK_FRAMED_ROLES(ROLE) NULL};
static const char *const handshake_roles[] = {OAK_HANDSHAKE_ROLES(ROLE) NULL};
static const char *const down_roles[] = {OAK_DOWN_ROLES(ROLE) NULL};
static const char *const wired_roles[] = {OAK_WIRED_ROLES(ROLE) NULL};
static const char *const prescaled_roles[] = {OAK_PRESCALED_ROLES(ROLE) NULL};
static const char *const events_roles[] = {OAK_EVENTS_ROLES(ROLE) NULL};
static const char *const eeprom_roles[] = {OAK_EEPROM_ROLES(ROLE) NULL};
static const char *const timeout_roles[] = {OAK_TIMEOUT_ROLES(ROLE) NULL};
static const char *const wide_roles[] = {OAK_WIDE_ROLES(ROLE) NULL};
static const char *const period_roles[] = {OAK_PERIOD_ROLES(ROLE) NULL};
static const char *const channel_roles[] = {OAK_CHANNEL_ROLES(ROLE) NULL};
static const char *const compare_roles[] = {OAK_COMPARE_ROLES(ROLE) NULL};
static const char *const interval_roles[] = {OAK_INTERVAL_ROLES(ROLE) NULL};
static const char *const free_roles[] = {OAK_FREE_ROLES(ROLE) NULL};
static const char *const on_timer_roles[] = {OAK_ON_TIMER_ROLES(ROLE) NULL};
static const char *const rate_roles[] = {OAK_RATE_ROLES(ROLE) NULL};
static const char *const armed_roles[] = {OAK_ARMED_ROLES(ROLE) NULL};
static const char *const machine_roles[] = {OAK_MACHINE_ROLES(ROLE) NULL};
static const char *const wave_roles[] = {OAK_WAVE_ROLES(ROLE) NULL};
static const char *const request_roles[] = {OAK_REQUEST_ROLES(ROLE) NULL};
static const char *const guarded_roles[] = {OAK_GUARDED_ROLES(ROLE) NULL};
#undef ROLE

static const struct kind {
    const char *name;
    const char *const *roles;
    uint8_t role_count;
    const char *uses[OAK_MOST_USES + 1];
    const char *needs[3]; /* roles without which it could never do anything */
} kinds[OAK_BLOCK_KINDS] = {
    [OAK_BLOCK_PORT] = {"port", port_roles, OAK_PORT_ROLE_COUNT, {NULL}, {NULL}},
    [OAK_BLOCK_TIMER] = {"timer", timer_roles, OAK_TIMER_ROLE_COUNT, {NULL}, {"run"}},
    [OAK_BLOCK_SERIAL] =
        {"serial", serial_roles, OAK_SERIAL_ROLE_COUNT, {"receive", "send"}, {"run", "data"}},
    [OAK_BLOCK_WATCHDOG] = {"watchdog", watchdog_roles, OAK_WATCHDOG_ROLE_COUNT, {NULL}, {"run", "feed"}},
    [OAK_BLOCK_TIMER_PAIR] =
        {"timer-pair", pair_roles, OAK_PAIR_ROLE_COUNT, {"count-0", "count-1", "gate-0", "gate-1"}, {NULL}},
    [OAK_BLOCK_CAPTURE_TIMER] =
        {"capture-timer", capture_roles, OAK_CAPTURE_ROLE_COUNT, {"count", "trigger"}, {NULL}},
    [OAK_BLOCK_EDGE_INPUTS] =
        {"edge-inputs", edge_roles, OAK_EDGE_ROLE_COUNT, {"input-0", "input-1"}, {NULL}},
    [OAK_BLOCK_FRAMED_SERIAL] =
        {"framed-serial", framed_roles, OAK_FRAMED_ROLE_COUNT, {"receive", "send"}, {"data"}},
    [OAK_BLOCK_HANDSHAKE] = {"handshake",
                             handshake_roles,
                             OAK_HANDSHAKE_ROLE_COUNT,
                             {"pins", "strobe", "free", "offer", "taken"},
                             {NULL}},
    [OAK_BLOCK_DOWN_COUNTER] =
        {"down-counter", down_roles, OAK_DOWN_ROLE_COUNT, {"count", "pulse"}, {"run", "reload"}},
    [OAK_BLOCK_WIRED_LINE] = {"wired-line", wired_roles, OAK_WIRED_ROLE_COUNT, {"pin"}, {NULL}},
    [OAK_BLOCK_PRESCALED_TIMER] =
        {"prescaled-timer", prescaled_roles, OAK_PRESCALED_ROLE_COUNT, {"count"}, {"count"}},
    [OAK_BLOCK_PIN_EVENTS] =
        {"pin-events", events_roles, OAK_EVENTS_ROLE_COUNT, {"edge", "changing"}, {NULL}},
    [OAK_BLOCK_EEPROM] = {"eeprom", eeprom_roles, OAK_EEPROM_ROLE_COUNT, {NULL}, {"address", "data"}},
    [OAK_BLOCK_TIMEOUT] = {"timeout", timeout_roles, OAK_TIMEOUT_ROLE_COUNT, {NULL}, {NULL}},
    [OAK_BLOCK_WIDE_TIMER] = {"wide-timer", wide_roles, OAK_WIDE_ROLE_COUNT, {"count"}, {"run", "low"}},
    [OAK_BLOCK_PERIOD_TIMER] = {"period-timer", period_roles, OAK_PERIOD_ROLE_COUNT, {NULL}, {"run", "top"}},
    [OAK_BLOCK_CHANNEL] = {"channel", channel_roles, OAK_CHANNEL_ROLE_COUNT, {"pin"}, {"mode", "low"}},
    [OAK_BLOCK_COMPARE_TIMER] = {"compare-timer",
                                 compare_roles,
                                 OAK_COMPARE_ROLE_COUNT,
                                 {"count", "pin-0", "pin-1", "pin-2"},
                                 {"mode", "source"}},
    [OAK_BLOCK_INTERVAL_WATCHDOG] =
        {"interval-watchdog", interval_roles, OAK_INTERVAL_ROLE_COUNT, {NULL}, {"key", "hold"}},
    [OAK_BLOCK_FREE_TIMER] = {"free-timer", free_roles, OAK_FREE_ROLE_COUNT, {NULL}, {"run", "count"}},
    [OAK_BLOCK_TIMER_CHANNEL] =
        {"timer-channel", on_timer_roles, OAK_ON_TIMER_ROLE_COUNT, {"pin"}, {"value", "event"}},
    [OAK_BLOCK_RATE_INTERRUPT] =
        {"rate-interrupt", rate_roles, OAK_RATE_ROLE_COUNT, {NULL}, {"rate", "event"}},
    [OAK_BLOCK_ARMED_WATCHDOG] =
        {"armed-watchdog", armed_roles, OAK_ARMED_ROLE_COUNT, {NULL}, {"rate", "arm"}},
    [OAK_BLOCK_MACHINE_TIMER] =
        {"machine-timer", machine_roles, OAK_MACHINE_ROLE_COUNT, {NULL}, {"time", "moment"}},
    [OAK_BLOCK_WAVE_TIMER] =
        {"wave-timer", wave_roles, OAK_WAVE_ROLE_COUNT, {"count", "a", "b", "capture"}, {"clock", "low"}},
    [OAK_BLOCK_PIN_REQUEST] = {"pin-request", request_roles, OAK_REQUEST_ROLE_COUNT, {"pin"}, {"event"}},
    [OAK_BLOCK_GUARDED_WATCHDOG] =
        {"guarded-watchdog", guarded_roles, OAK_GUARDED_ROLE_COUNT, {NULL}, {"rate", "resets"}},
};

const char *oak_block_role_name(oak_block_kind kind, unsigned role)
{
    return role < kinds[kind].role_count ? kinds[kind].roles[role] : NULL;
}

const char *oak_block_use_name(oak_block_kind kind, unsigned use)
{
    return use < OAK_MOST_USES ? kinds[kind].uses[use] : NULL;
}

const char *oak_block_needs(oak_block_kind kind, unsigned index)
{
    return kinds[kind].needs[index];
}

int oak_block_role(oak_block_kind kind, const char *name)
{
    if (!name) return -1;
    const char *other;
    for (unsigned i = 0; (other = oak_block_role_name(kind, i)); i++)
        if (oak_same(name, other)) return (int)i;
    return -1;
}

bool oak_block_sends(oak_block_kind kind)
{
    return kind == OAK_BLOCK_SERIAL || kind == OAK_BLOCK_FRAMED_SERIAL;
}

const char *oak_block_kind_name(oak_block_kind kind)
{
    return kinds[kind].name;
}

bool oak_role_acts(oak_block_kind kind, unsigned role)
{
    switch (kind) {
    case OAK_BLOCK_PORT:
        return role == OAK_PORT_INPUT || (role >= OAK_PORT_SET && role <= OAK_PORT_TOGGLE) ||
               role == OAK_PORT_PENDING;
    case OAK_BLOCK_WAVE_TIMER: return role >= OAK_WAVE_OVERFLOW && role <= OAK_WAVE_CAPTURED;
    case OAK_BLOCK_PIN_REQUEST: return role == OAK_REQUEST_EVENT;
    case OAK_BLOCK_GUARDED_WATCHDOG: return role == OAK_GUARDED_EVENT;
    case OAK_BLOCK_SERIAL: return role == OAK_SERIAL_COMPLETE;
    default: return false;
    }
}
