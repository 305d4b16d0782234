/* text.c — see text.h. */
#include "base/text.h"

#include <oakspindle/print.h>

#include "base/bytes.h"

void oak_buf_open(oak_buf *buf, const oak_host *host)
{
    *buf = (oak_buf){.host = host};
}

void oak_buf_close(oak_buf *buf)
{
    if (buf->bytes) buf->host->resize(buf->host->context, buf->bytes, buf->room, 0);
    buf->bytes = NULL;
    buf->size = buf->room = 0;
}

bool oak_buf_reserve(oak_buf *buf, size_t count)
{
    if (buf->failed) return false;
    if (buf->room - buf->size > count) return true; /* one byte is kept for the closing zero */
    size_t wanted = buf->room ? buf->room : 64;
    while (wanted - buf->size <= count) {
        if (wanted > SIZE_MAX / 2) {
            buf->failed = true;
            return false;
        }
        wanted *= 2;
    }
    char *bytes = buf->host->resize(buf->host->context, buf->bytes, buf->room, wanted);
    if (!bytes) {
        buf->failed = true;
        return false;
    }
    buf->bytes = bytes;
    buf->room = wanted;
    return true;
}

void oak_buf_add(oak_buf *buf, const void *bytes, size_t count)
{
    if (!count || !oak_buf_reserve(buf, count)) return;
    memcpy(buf->bytes + buf->size, bytes, count);
    buf->size += count;
}

void oak_buf_char(oak_buf *buf, char c)
{
    oak_buf_add(buf, &c, 1);
}

void oak_buf_text(oak_buf *buf, const char *text)
{
    oak_buf_add(buf, text, oak_length(text));
}

void oak_buf_repeat(oak_buf *buf, char c, size_t count)
{
    if (!count || !oak_buf_reserve(buf, count)) return;
    memset(buf->bytes + buf->size, c, count);
    buf->size += count;
}

const char *oak_buf_string(oak_buf *buf)
{
    if (!buf->bytes) return "";
    buf->bytes[buf->size] = 0;
    return buf->bytes;
}

/* Where formatted text goes: a growing buffer, or fixed room. */
typedef struct text_out {
    oak_buf *buf;
    char *at;
    char *end;
} text_out;

static void put(text_out *out, const char *text, size_t count)
{
    if (out->buf) {
        oak_buf_add(out->buf, text, count);
        return;
    }
    size_t room = (size_t)(out->end - out->at);
    if (count > room) count = room;
    memcpy(out->at, text, count);
    out->at += count;
}

static void put_padded(text_out *out, const char *text, size_t count, size_t width, char fill, bool left)
{
    for (size_t pad = count; !left && pad < width; pad++) put(out, &fill, 1);
    put(out, text, count);
    for (size_t pad = count; left && pad < width; pad++) put(out, " ", 1);
}

static void put_number(text_out *out, uint64_t value, bool negative, unsigned base, bool upper, size_t width,
                       char fill, bool left)
{
    char digits[24];
    size_t at = sizeof digits;
    const char *symbols = upper ? "0123456789ABCDEF" : "0123456789abcdef";
    do {
        digits[--at] = symbols[value % base];
        value /= base;
    } while (value);
    if (negative && fill == '0') {
        put(out, "-", 1);
        width = width ? width - 1 : 0;
    } else if (negative) {
        digits[--at] = '-';
    }
    put_padded(out, digits + at, sizeof digits - at, width, fill, left);
}

static void format_into(text_out *out, const char *format, va_list arguments)
{
    for (const char *p = format; *p; p++) {
        const char *plain = p;
        while (*p && *p != '%') p++;
        if (p > plain) put(out, plain, (size_t)(p - plain));
        if (!*p) return;
        p++;
        bool left = false;
        char fill = ' ';
        for (; *p == '-' || *p == '0'; p++) {
            if (*p == '-') left = true;
            else fill = '0';
        }
        size_t width = 0;
        if (*p == '*') {
            int given = va_arg(arguments, int);
            width = given > 0 ? (size_t)given : 0;
            p++;
        }
        for (; oak_is_digit(*p); p++) width = width * 10 + (size_t)(*p - '0');
        size_t precision = SIZE_MAX;
        if (*p == '.') {
            p++;
            if (*p == '*') {
                int given = va_arg(arguments, int);
                precision = given > 0 ? (size_t)given : 0;
                p++;
            } else {
                for (precision = 0; oak_is_digit(*p); p++) precision = precision * 10 + (size_t)(*p - '0');
            }
        }
        int longs = 0;
        for (; *p == 'l' || *p == 'z'; p++) longs += *p == 'z' ? 3 : 1;
        switch (*p) {
        case 'd': {
            int64_t value = longs >= 2 ? va_arg(arguments, long long)
                            : longs    ? va_arg(arguments, long)
                                       : va_arg(arguments, int);
            put_number(out, value < 0 ? 0 - (uint64_t)value : (uint64_t)value, value < 0, 10, false, width,
                       fill, left);
            break;
        }
        case 'u':
        case 'x':
        case 'X': {
            uint64_t value = longs == 3   ? va_arg(arguments, size_t)
                             : longs == 2 ? va_arg(arguments, unsigned long long)
                             : longs      ? va_arg(arguments, unsigned long)
                                          : va_arg(arguments, unsigned);
            put_number(out, value, false, *p == 'u' ? 10 : 16, *p == 'X', width, fill, left);
            break;
        }
        case 'c': {
            char c = (char)va_arg(arguments, int);
            put_padded(out, &c, 1, width, ' ', left);
            break;
        }
        case 's': {
            const char *text = va_arg(arguments, const char *);
            size_t length = 0;
            while (length < precision && text[length]) length++;
            put_padded(out, text, length, width, ' ', left);
            break;
        }
        default: /* "%%", or a conversion this subset does not have: shown as it stands */
            put(out, p, *p ? 1 : 0);
            if (!*p) return;
            break;
        }
    }
}

void oak_buf_vformat(oak_buf *buf, const char *format, va_list arguments)
{
    text_out out = {.buf = buf};
    format_into(&out, format, arguments);
}

void oak_buf_format(oak_buf *buf, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    oak_buf_vformat(buf, format, arguments);
    va_end(arguments);
}

void oak_vformat(char *out, size_t room, const char *format, va_list arguments)
{
    if (!room) return;
    text_out to = {.at = out, .end = out + room - 1};
    format_into(&to, format, arguments);
    *to.at = 0;
}

void oak_format(char *out, size_t room, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    oak_vformat(out, room, format, arguments);
    va_end(arguments);
}

static unsigned hex_digit(char c)
{
    if (c >= '0' && c <= '9') return (unsigned)(c - '0');
    c = oak_lower(c);
    return c >= 'a' && c <= 'f' ? (unsigned)(c - 'a') + 10 : 16;
}

char oak_escaped(const char **at)
{
    char c = *++*at;
    unsigned high = c == 'x' ? hex_digit((*at)[1]) : 16, low = high < 16 ? hex_digit((*at)[2]) : 16;
    if (low < 16) {
        *at += 2;
        return (char)(high << 4 | low);
    }
    return (char)(c == 'n' ? '\n' : c == 'r' ? '\r' : c == 't' ? '\t' : c);
}

size_t oak_length(const char *text)
{
    size_t length = 0;
    while (text[length]) length++;
    return length;
}

bool oak_same(const char *a, const char *b)
{
    while (*a && *a == *b) a++, b++;
    return *a == *b;
}

bool oak_same_name(const char *a, size_t length, const char *b)
{
    for (size_t i = 0; i < length; i++)
        if (!b[i] || oak_lower(a[i]) != oak_lower(b[i])) return false;
    return !b[length];
}

/* OAK_CHAR_UPPER is the bit that makes a capital letter a small one. */
#define DIGIT OAK_CHAR_DIGIT
#define SMALL OAK_CHAR_LETTER
#define LARGE (OAK_CHAR_LETTER | OAK_CHAR_UPPER)
const uint8_t oak_char_kind[256] = {
    ['0'] = DIGIT, ['1'] = DIGIT, ['2'] = DIGIT, ['3'] = DIGIT, ['4'] = DIGIT, ['5'] = DIGIT, ['6'] = DIGIT,
    ['7'] = DIGIT, ['8'] = DIGIT, ['9'] = DIGIT, ['A'] = LARGE, ['B'] = LARGE, ['C'] = LARGE, ['D'] = LARGE,
    ['E'] = LARGE, ['F'] = LARGE, ['G'] = LARGE, ['H'] = LARGE, ['I'] = LARGE, ['J'] = LARGE, ['K'] = LARGE,
    ['L'] = LARGE, ['M'] = LARGE, ['N'] = LARGE, ['O'] = LARGE, ['P'] = LARGE, ['Q'] = LARGE, ['R'] = LARGE,
    ['S'] = LARGE, ['T'] = LARGE, ['U'] = LARGE, ['V'] = LARGE, ['W'] = LARGE, ['X'] = LARGE, ['Y'] = LARGE,
    ['Z'] = LARGE, ['a'] = SMALL, ['b'] = SMALL, ['c'] = SMALL, ['d'] = SMALL, ['e'] = SMALL, ['f'] = SMALL,
    ['g'] = SMALL, ['h'] = SMALL, ['i'] = SMALL, ['j'] = SMALL, ['k'] = SMALL, ['l'] = SMALL, ['m'] = SMALL,
    ['n'] = SMALL, ['o'] = SMALL, ['p'] = SMALL, ['q'] = SMALL, ['r'] = SMALL, ['s'] = SMALL, ['t'] = SMALL,
    ['u'] = SMALL, ['v'] = SMALL, ['w'] = SMALL, ['x'] = SMALL, ['y'] = SMALL, ['z'] = SMALL, ['_'] = SMALL,
};

uint32_t oak_name_hash(const char *name, size_t length)
{
    const uint64_t lower = 0x2020202020202020u, factor = 0x9E3779B97F4A7C15u;
    uint64_t hash = length * factor, word = 0;
    for (; length >= sizeof word;
         name += sizeof word, length -= sizeof word) { /* letters of either case are alike */
        memcpy(&word, name, sizeof word);
        hash = (hash ^ (word | lower)) * factor;
        hash ^= hash >> 32;
    }
    word = 0;
    for (size_t i = 0; i < length; i++) word = word << 8 | (uint8_t)name[i];
    hash = (hash ^ (word | lower)) * factor;
    return (uint32_t)(hash >> 32);
}

/* The characters of a name as a set of 64. */
static uint64_t letters_of(const char *name, size_t length)
{
    uint64_t letters = 0;
    for (size_t i = 0; i < length; i++) letters |= (uint64_t)1 << (oak_lower(name[i]) & 63);
    return letters;
}

static bool has_more(uint64_t letters, unsigned than)
{
    while (letters && than--) letters &= letters - 1;
    return letters != 0;
}

unsigned oak_name_distance(const char *a, size_t a_length, const char *b, size_t b_length, unsigned limit)
{
    if (!a || !b) return limit + 1;
    enum { LONGEST = 40 };
    if (a_length > LONGEST || b_length > LONGEST) return limit + 1;
    size_t difference = a_length > b_length ? a_length - b_length : b_length - a_length;
    if (difference > limit) return limit + 1;
    /* Each letter that only one of them has takes an edit: most names are told apart by that. */
    uint64_t in_a = letters_of(a, a_length), in_b = letters_of(b, b_length);
    if (has_more(in_a & ~in_b, limit) || has_more(in_b & ~in_a, limit)) return limit + 1;
    unsigned before[LONGEST + 1], last[LONGEST + 1], row[LONGEST + 1];
    memset(before, 0, sizeof before);
    for (size_t j = 0; j <= b_length; j++) last[j] = (unsigned)j;
    for (size_t i = 1; i <= a_length; i++) {
        row[0] = (unsigned)i;
        unsigned least = row[0];
        char ca = oak_lower(a[i - 1]);
        for (size_t j = 1; j <= b_length; j++) {
            char cb = oak_lower(b[j - 1]);
            unsigned best = last[j - 1] + (ca != cb);
            if (last[j] + 1 < best) best = last[j] + 1;
            if (row[j - 1] + 1 < best) best = row[j - 1] + 1;
            bool swapped = i > 1 && j > 1 && ca == oak_lower(b[j - 2]) && oak_lower(a[i - 2]) == cb;
            if (swapped && before[j - 2] + 1 < best) best = before[j - 2] + 1;
            row[j] = best;
            if (best < least) least = best;
        }
        if (least > limit + 1) return limit + 1; /* a swap can make up for one only */
        memcpy(before, last, sizeof before);
        memcpy(last, row, sizeof last);
    }
    return last[b_length] > limit ? limit + 1 : last[b_length];
}

/* The digits of one number in one base; false when a character does not belong. */
static bool read_digits(const char *text, size_t length, unsigned base, uint64_t *value, bool *too_big)
{
    uint64_t sum = 0;
    bool any = false;
    for (size_t i = 0; i < length; i++) {
        if (text[i] == '_' && any && i + 1 < length) continue;
        int digit = oak_hex_digit(text[i]);
        if (digit < 0 || (unsigned)digit >= base) return false;
        if (sum > (UINT64_MAX - (unsigned)digit) / base) *too_big = true;
        sum = sum * base + (unsigned)digit;
        any = true;
    }
    *value = sum;
    return any;
}

oak_status oak_read_number(const char *text, const char *end, uint64_t *value, size_t *used)
{
    size_t length = 0;
    while (text + length < end && oak_is_word(text[length])) length++;
    *used = length;
    if (!length || !oak_is_digit(text[0])) return OAK_REFUSED;
    bool too_big = false, good = false;
    char second = length > 1 ? oak_lower(text[1]) : 0;
    char mark = oak_lower(text[length - 1]);
    if (text[0] == '0' && second == 'x') good = read_digits(text + 2, length - 2, 16, value, &too_big);
    else if (text[0] == '0' && second == 'o') good = read_digits(text + 2, length - 2, 8, value, &too_big);
    else if (mark == 'h') good = read_digits(text, length - 1, 16, value, &too_big);
    else if (text[0] == '0' && second == 'b') good = read_digits(text + 2, length - 2, 2, value, &too_big);
    else if (mark == 'b') good = read_digits(text, length - 1, 2, value, &too_big);
    else good = read_digits(text, length, 10, value, &too_big);
    if (!good) return OAK_REFUSED;
    return too_big ? OAK_OUT_OF_RANGE : OAK_OK;
}

/* Source text is searched sixteen bytes at a time where the processor can, else eight: a byte of (x - 1) & ~x has its top bit where x
 * was 0. What is left is looked at byte by byte. */
#if defined __GNUC__ && defined __SSE2__
typedef uint8_t sixteen __attribute__((vector_size(16)));

/* The first byte that is not 0 of a comparison; false: none is. */
static inline bool first_marked(sixteen equal, unsigned *at)
{
    uint64_t half[2];
    memcpy(half, &equal, sizeof half);
    if (!(half[0] | half[1])) return false;
    *at = half[0] ? (unsigned)__builtin_ctzll(half[0]) / 8 : 8 + (unsigned)__builtin_ctzll(half[1]) / 8;
    return true;
}

const char *oak_find_any(const char *at, const char *end, const char characters[4])
{
    enum { HALF = sizeof(sixteen) / 2 };
    sixteen a = {0}, b = a, c = a, d = a, bytes = a;
    a += (uint8_t)characters[0], b += (uint8_t)characters[1], c += (uint8_t)characters[2],
        d += (uint8_t)characters[3];
#define MARKED                                                                                               \
    first_marked((sixteen)(bytes == a) | (sixteen)(bytes == b) | (sixteen)(bytes == c) |                     \
                     (sixteen)(bytes == d),                                                                  \
                 &first)
    unsigned first;
    for (; (size_t)(end - at) >= sizeof bytes; at += sizeof bytes) {
        memcpy(&bytes, at, sizeof bytes);
        if (MARKED) return at + first;
    }
    if (end - at >= HALF) { /* the two halves may share bytes */
        memcpy(&bytes, at, HALF);
        memcpy((char *)&bytes + HALF, end - HALF, HALF);
        return !MARKED ? end : first < HALF ? at + first : end - HALF + (first - HALF);
    }
#undef MARKED
    while (at < end && *at != characters[0] && *at != characters[1] && *at != characters[2] &&
           *at != characters[3])
        at++;
    return at;
}

const char *oak_line_end(const char *at, const char *end)
{
    sixteen feed = {0}, bytes;
    feed += '\n';
    for (unsigned first; (size_t)(end - at) >= sizeof bytes; at += sizeof bytes) {
        memcpy(&bytes, at, sizeof bytes);
        if (first_marked((sixteen)(bytes == feed), &first)) return at + first;
    }
    while (at < end && *at != '\n') at++;
    return at;
}
#else
static const uint64_t ones = 0x0101010101010101u;

static inline uint64_t marked(uint64_t bytes, char c)
{
    uint64_t x = bytes ^ ones * (uint8_t)c;
    return (x - ones) & ~x & ones << 7;
}

const char *oak_find_any(const char *at, const char *end, const char characters[4])
{
    for (uint64_t bytes; (size_t)(end - at) >= sizeof bytes; at += sizeof bytes) {
        memcpy(&bytes, at, sizeof bytes);
        if (marked(bytes, characters[0]) | marked(bytes, characters[1]) | marked(bytes, characters[2]) |
            marked(bytes, characters[3]))
            break;
    }
    while (at < end && *at != characters[0] && *at != characters[1] && *at != characters[2] &&
           *at != characters[3])
        at++;
    return at;
}

const char *oak_line_end(const char *at, const char *end)
{
    for (uint64_t bytes; (size_t)(end - at) >= sizeof bytes; at += sizeof bytes) {
        memcpy(&bytes, at, sizeof bytes);
        if (marked(bytes, '\n')) break;
    }
    while (at < end && *at != '\n') at++;
    return at;
}
#endif
