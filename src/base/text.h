/* text.h — byte buffers, formatting without stdio, and comparing of names.
 *
 * A buffer takes its memory from the host port. When memory runs out it keeps what it has, remembers that it
 * failed (`failed`), and ignores what follows, so that a writer checks once, at the end. */
#ifndef OAK_BASE_TEXT_H
#define OAK_BASE_TEXT_H

#include <stdarg.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <oakspindle/port.h>

typedef struct oak_buf {
    const oak_host *host;
    char *bytes;
    size_t size;
    size_t room;
    bool failed;
} oak_buf;

#if defined(__GNUC__)
#define OAK_PRINTF(format_index, first) __attribute__((format(printf, format_index, first)))
#else
#define OAK_PRINTF(format_index, first)
#endif

void oak_buf_open(oak_buf *buf, const oak_host *host);
void oak_buf_close(oak_buf *buf);
/* Makes room for `count` more bytes; false when there is no memory. */
bool oak_buf_reserve(oak_buf *buf, size_t count);
void oak_buf_add(oak_buf *buf, const void *bytes, size_t count);
void oak_buf_char(oak_buf *buf, char c);
void oak_buf_text(oak_buf *buf, const char *text);
void oak_buf_repeat(oak_buf *buf, char c, size_t count);
/* Formats a subset of printf: %% %c %s %.*s %d %u %x %X with l, ll, z, a width, 0 and - flags. */
void oak_buf_format(oak_buf *buf, const char *format, ...) OAK_PRINTF(2, 3);
void oak_buf_vformat(oak_buf *buf, const char *format, va_list arguments);
/* The text so far, ended by a zero byte. Never NULL. */
const char *oak_buf_string(oak_buf *buf);

/* Formats into fixed room, always ended by a zero byte, cut where it does not fit. */
void oak_format(char *out, size_t room, const char *format, ...) OAK_PRINTF(3, 4);
void oak_vformat(char *out, size_t room, const char *format, va_list arguments);

/* What a backslash at *at and what follows it stand for: \n \r \t \x41, any other character itself. *at moves to the last of them. */
char oak_escaped(const char **at);

size_t oak_length(const char *text);
/* The first of four characters at or behind `at`, or `end`. */
const char *oak_find_any(const char *at, const char *end, const char characters[4]);
/* The end of the line that begins here: its line feed, or `end`. */
const char *oak_line_end(const char *at, const char *end);
bool oak_same(const char *a, const char *b);
/* Compares `length` bytes at `a` with the whole of `b`, letters of either case alike. */
bool oak_same_name(const char *a, size_t length, const char *b);
/* A hash of a name, the same for letters of either case. */
uint32_t oak_name_hash(const char *name, size_t length);
/* What each byte is, since source text is read byte by byte. */
enum { OAK_CHAR_DIGIT = 1, OAK_CHAR_LETTER = 2, OAK_CHAR_UPPER = 32 };
extern const uint8_t oak_char_kind[256];
static inline char oak_lower(char c)
{
    return (char)(c | (oak_char_kind[(uint8_t)c] & OAK_CHAR_UPPER));
}
static inline bool oak_is_digit(char c)
{
    return c >= '0' && c <= '9';
}
static inline bool oak_is_letter(char c)
{
    return oak_char_kind[(uint8_t)c] & OAK_CHAR_LETTER;
}
static inline bool oak_is_word(char c)
{
    return oak_char_kind[(uint8_t)c] & (OAK_CHAR_LETTER | OAK_CHAR_DIGIT);
}

/* Does a comment begin here, in a text that begins at `start`? */
static inline bool oak_opens_comment(const char *start, const char *at, const char *end, bool slashes)
{
    if (*at != '/') return *at == ';';
    return (at + 1 < end && at[1] == '/') ||
           (slashes && (at == start || at[-1] == ' ' || at[-1] == '\t' || at[-1] == '\n'));
}

/* Whether a text or character in quotes begins at `at`: a ' behind a word belongs to a name (af'). */
static inline bool oak_opens_quote(const char *start, const char *at)
{
    return *at == '"' || (*at == '\'' && (at == start || !oak_is_word(at[-1])));
}
/* The value of a hexadecimal digit, or -1. */
static inline int oak_hex_digit(char c)
{
    if (oak_is_digit(c)) return c - '0';
    c = oak_lower(c);
    return (c >= 'a' && c <= 'f') ? c - 'a' + 10 : -1;
}
/* Reads a number as people write it: 42 0x2a 2ah 0b101 101b 0o17 with _ between digits. Takes the whole word of
 * letters and digits at `text`; *used is its length. OAK_REFUSED when it is no number, OAK_OUT_OF_RANGE when it
 * does not fit 64 bits. */
OAK_MUST_USE oak_status oak_read_number(const char *text, const char *end, uint64_t *value, size_t *used);

#endif
