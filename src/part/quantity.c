/* quantity.c — see print.h. Whole-number arithmetic only: no rounding differs from machine to machine. */
#include <oakspindle/print.h>

#include "base/ratio.h"
#include "base/text.h"

typedef struct unit {
    const char *name;
    uint64_t factor;
} unit;

/* A decimal number times a unit, with at most 12 digits behind the point. */
static oak_status read_quantity(const char *text, size_t length, const unit *units, unsigned unit_count,
                                uint64_t *result)
{
    const char *end = text + length;
    while (text < end && *text == ' ') text++;
    while (end > text && end[-1] == ' ') end--;
    uint64_t whole = 0, part = 0, scale = 1;
    bool any = false;
    for (; text < end && oak_is_digit(*text); text++, any = true) {
        if (whole > (UINT64_MAX - 9) / 10) return OAK_REFUSED;
        whole = whole * 10 + (unsigned)(*text - '0');
    }
    if (text < end && *text == '.') {
        for (text++; text < end && oak_is_digit(*text); text++, any = true) {
            if (scale >= 1000000000000u) return OAK_REFUSED;
            part = part * 10 + (unsigned)(*text - '0');
            scale *= 10;
        }
    }
    while (text < end && *text == ' ') text++;
    if (!any) return OAK_REFUSED;
    for (unsigned i = 0; i < unit_count; i++) {
        if (!oak_same_name(text, (size_t)(end - text), units[i].name)) continue;
        uint64_t factor = units[i].factor;
        if (whole && factor > UINT64_MAX / 2 / whole) return OAK_REFUSED;
        while (scale > 1 && part > UINT64_MAX / factor) part /= 10, scale /= 10;
        *result = whole * factor + part * factor / scale;
        return OAK_OK;
    }
    return OAK_REFUSED;
}

oak_status oak_read_frequency(const char *text, uint64_t *millihertz)
{
    if (!text || !millihertz) return OAK_MISUSE;
    static const unit units[] = {
        {"", 1000}, {"hz", 1000}, {"khz", 1000000}, {"mhz", 1000000000}, {"ghz", 1000000000000}};
    oak_status status = read_quantity(text, oak_length(text), units, 5, millihertz);
    if (!status && (!*millihertz || *millihertz > 1000000000000000u)) return OAK_REFUSED;
    return status;
}

oak_status oak_read_time(const char *text, size_t length, uint64_t *picoseconds)
{
    if (!text || !picoseconds) return OAK_MISUSE;
    if (length == 1 && *text == '0') { /* in any unit */
        *picoseconds = 0;
        return OAK_OK;
    }
    static const unit units[] = {
        {"s", 1000000000000}, {"ms", 1000000000}, {"us", 1000000}, {"ns", 1000}, {"ps", 1}};
    return read_quantity(text, length, units, 5, picoseconds);
}

uint64_t oak_scaled(uint64_t a, uint64_t b, uint64_t c, bool up)
{
    /* 128-bit product by halves, then long division bit by bit: it runs once a command, never in a loop. */
    uint64_t a1 = a >> 32, a0 = a & UINT32_MAX, b1 = b >> 32, b0 = b & UINT32_MAX;
    uint64_t low = a0 * b0, middle = a1 * b0 + (low >> 32), other = a0 * b1 + (middle & UINT32_MAX);
    uint64_t high = a1 * b1 + (middle >> 32) + (other >> 32);
    low = other << 32 | (low & UINT32_MAX);
    if (high >= c) return UINT64_MAX;
    if (!high) return low / c + (up && low % c != 0);
    uint64_t quotient = 0, rest = high;
    for (int bit = 63; bit >= 0; bit--) {
        bool carry = rest >> 63;
        rest = rest << 1 | (low >> bit & 1);
        quotient <<= 1;
        if (carry || rest >= c) {
            rest -= c;
            quotient |= 1;
        }
    }
    return up && rest && quotient != UINT64_MAX ? quotient + 1 : quotient;
}

uint64_t oak_time_to_cycles(uint64_t picoseconds, uint64_t clock_millihertz, uint32_t clocks_per_cycle)
{
    return oak_scaled(picoseconds, clock_millihertz, (uint64_t)1000000000000000u * clocks_per_cycle, true);
}

void oak_write_time(uint64_t cycles, uint64_t clock_millihertz, uint32_t clocks_per_cycle, char *text,
                    size_t room)
{
    if (!text) return;
    static const struct {
        const char *name;
        uint64_t per_second;
    } units[] = {{"s", 1}, {"ms", 1000}, {"us", 1000000}, {"ns", 1000000000}};
    unsigned u = 0;
    uint64_t thousandths = 0;
    for (; u < 4; u++) {
        thousandths = oak_scaled(cycles, (uint64_t)1000000 * clocks_per_cycle * units[u].per_second,
                                 clock_millihertz, false);
        if (thousandths >= 1000) break;
    }
    if (u == 4) u = 3;
    if (!cycles) u = 1;
    oak_format(text, room, "%llu.%03u %s", (unsigned long long)(thousandths / 1000),
               (unsigned)(thousandths % 1000), units[u].name);
}

void oak_write_frequency(uint64_t millihertz, char *text, size_t room)
{
    if (!text) return;
    static const unit units[] = {{"GHz", 1000000000000}, {"MHz", 1000000000}, {"kHz", 1000000}, {"Hz", 1000}};
    unsigned u = 0;
    while (u < 3 && millihertz < units[u].factor) u++;
    char digits[16];
    uint64_t rest = millihertz % units[u].factor;
    unsigned used = 0;
    for (uint64_t step = units[u].factor / 10; rest && step; step /= 10) {
        digits[used++] = (char)('0' + rest / step);
        rest %= step;
    }
    oak_format(text, room, "%llu%s%.*s %s", (unsigned long long)(millihertz / units[u].factor),
               used ? "." : "", (int)used, digits, units[u].name);
}
