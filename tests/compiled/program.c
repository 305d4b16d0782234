/* program.c — compiled for the simulated cores and for this machine; both must find the same results. Everything is about
 * one order book of the workshop: boards, their sizes, their prices. */
#include <stdint.h>
#include <string.h>

/* An int may have 16 bits. */
#if __SIZEOF_INT__ == 4
#define LEADING_ZEROS(word) __builtin_clz(word)
#else
#define LEADING_ZEROS(word) __builtin_clzl(word)
#endif

static uint32_t seed = 0x2545F491;
static uint32_t next(void)
{
    seed ^= seed << 13;
    seed ^= seed >> 17;
    return seed ^= seed << 5;
}

/* ---- hashing */
static uint32_t crc32(const uint8_t *bytes, uint32_t count)
{
    uint32_t crc = 0xFFFFFFFFu;
    while (count--) {
        crc ^= *bytes++;
        for (int i = 0; i < 8; i++) crc = crc >> 1 ^ (0xEDB88320u & (0u - (crc & 1)));
    }
    return ~crc;
}
static uint32_t rotated(uint32_t value, unsigned by)
{
    return value << by | value >> (32 - by);
}
static uint32_t mix(const uint8_t *bytes, uint32_t count)
{
    uint32_t h = 0x9747b28c;
    for (uint32_t i = 0; i + 4 <= count; i += 4) {
        uint32_t k;
        memcpy(&k, bytes + i, 4);
        h ^= rotated(k * 0xcc9e2d51u, 15) * 0x1b873593u;
        h = rotated(h, 13) * 5 + 0xe6546b64u;
    }
    h ^= count;
    h ^= h >> 16;
    h *= 0x85ebca6bu;
    return h ^ h >> 13;
}

/* ---- sorting */
typedef struct board {
    uint16_t length, width;
    uint8_t thickness;
    int8_t quality;
    uint32_t price;
} board;
static board stock[40];

static int compare(const board *a, const board *b)
{
    if (a->quality != b->quality) return a->quality > b->quality ? -1 : 1;
    if (a->price != b->price) return a->price < b->price ? -1 : 1;
    return (int)a->length - (int)b->length;
}
static void sort(board *first, int count)
{
    if (count < 2) return;
    board pivot = first[count / 2];
    int i = 0, k = count - 1;
    while (i <= k) {
        while (compare(&first[i], &pivot) < 0) i++;
        while (compare(&first[k], &pivot) > 0) k--;
        if (i <= k) {
            board swap = first[i];
            first[i++] = first[k];
            first[k--] = swap;
        }
    }
    sort(first, k + 1);
    sort(first + i, count - i);
}
static void insertion_sort(int16_t *values, int count)
{
    for (int i = 1; i < count; i++) {
        int16_t value = values[i];
        int k = i;
        for (; k > 0 && values[k - 1] > value; k--) values[k] = values[k - 1];
        values[k] = value;
    }
}

/* ---- a switch that becomes a table */
static int32_t work(unsigned step, int32_t value)
{
    switch (step) {
    case 0: return value + 17;
    case 1: return value * 3;
    case 2: return value - 0x1234;
    case 3: return value ^ 0x55AA55AA;
    case 4: return value >> 3;
    case 5: return (int32_t)((uint32_t)value << 5);
    case 6: return -value;
    case 7: return ~value;
    case 8: return value / 7;
    case 9: return value % 11;
    case 10: return value & 0x00FF00FF;
    case 11: return value | 0x100;
    case 15: return 42;
    default: return value;
    }
}

/* ---- recursion */
static uint32_t ackermann(uint32_t m, uint32_t n)
{
    if (!m) return n + 1;
    if (!n) return ackermann(m - 1, 1);
    return ackermann(m - 1, ackermann(m, n - 1));
}
static uint32_t arrangements;
static void arrange(uint8_t *row, unsigned from, unsigned count)
{
    if (from == count) {
        arrangements = arrangements * 31 + row[0] * 5u + row[count - 1];
        return;
    }
    for (unsigned i = from; i < count; i++) {
        uint8_t swap = row[from];
        row[from] = row[i], row[i] = swap;
        arrange(row, from + 1, count);
        swap = row[from], row[from] = row[i], row[i] = swap;
    }
}
static uint32_t hanoi(unsigned disks, unsigned from, unsigned to)
{
    if (!disks) return 0;
    unsigned other = 6 - from - to;
    uint32_t moves = hanoi(disks - 1, from, other);
    moves = moves * 3 + from * 4 + to;
    return moves + hanoi(disks - 1, other, to);
}

/* ---- 64 bits */
static uint64_t power(uint64_t base, uint32_t exponent, uint64_t modulus)
{
    uint64_t result = 1;
    for (; exponent; exponent >>= 1, base = base * base % modulus)
        if (exponent & 1) result = result * base % modulus;
    return result;
}
static int64_t signed_divisions(void)
{
    int64_t sum = 0;
    for (int i = 0; i < 12; i++) {
        int64_t a = (int64_t)((uint64_t)next() << 32 | next()), b = (int32_t)next() | 1;
        sum += a / b - a % b;
        sum ^= a >> (i * 5) ^ (int64_t)((uint64_t)b << (i * 3));
    }
    return sum;
}

/* ---- structures by value, unions, bit fields, packed and unaligned data */
typedef struct offer {
    board item;
    uint32_t count;
    int64_t total;
    char name[12];
} offer;
static offer make_offer(board item, uint32_t count)
{
    offer made = {item, count, (int64_t)item.price * count, "spruce"};
    made.name[6] = (char)('0' + count % 10);
    return made;
}
static int64_t worth(offer one, offer other)
{
    return one.total * 2 - other.total + one.name[6];
}
struct bits {
    unsigned grade : 3;
    signed twist : 5;
    unsigned dry : 1;
    unsigned batch : 14;
};
struct __attribute__((packed)) record {
    uint8_t kind;
    uint32_t number;
    uint16_t place;
    int64_t weight;
};
static uint32_t unaligned(void)
{
    static uint8_t buffer[64];
    uint32_t sum = 0;
    for (unsigned at = 0; at < 40; at += 15) {
        struct record r = {(uint8_t)at, 0x01020304u * (at + 1), (uint16_t)(at * 777),
                           -(int64_t)at * 123456789};
        memcpy(buffer + at, &r, sizeof r);
    }
    for (unsigned at = 0; at < 40; at += 15) {
        const struct record *r = (const struct record *)(const void *)(buffer + at);
        sum = sum * 33 + r->number + r->place + (uint32_t)r->weight + (uint32_t)(r->weight >> 32);
    }
    return sum ^ crc32(buffer, sizeof buffer);
}

/* ---- text */
static unsigned write_number(char *to, int32_t value)
{
    char reversed[12];
    unsigned count = 0, length = 0;
    uint32_t left = value < 0 ? 0u - (uint32_t)value : (uint32_t)value;
    do reversed[count++] = (char)('0' + left % 10);
    while (left /= 10);
    if (value < 0) to[length++] = '-';
    while (count) to[length++] = reversed[--count];
    return length;
}

/* ---- fixed point: a sine by a polynomial, a square root by steps */
static int32_t sine(int32_t angle)
{
    int64_t x = angle, square = x * x >> 16, term = x, sum = x;
    for (int i = 2; i < 10; i += 2) {
        term = -(term * square >> 16) / (i * (i + 1));
        sum += term;
    }
    return (int32_t)sum;
}
static uint32_t root(uint32_t value)
{
    uint32_t result = 0;
    for (uint32_t bit = (uint32_t)1 << 30; bit; bit >>= 2) {
        if (value >= result + bit) value -= result + bit, result = (result >> 1) + bit;
        else result >>= 1;
    }
    return result;
}

static int32_t (*const steps[])(unsigned, int32_t) = {work};
static const uint8_t table[] = {3, 1, 4, 1, 5, 9, 2, 6};
static volatile uint32_t counter = 7;

void program(uint32_t *results)
{
    unsigned n = 0;
    static uint8_t bytes[256];
    for (unsigned i = 0; i < sizeof bytes; i++) bytes[i] = (uint8_t)(next() >> 11);
    results[n++] = crc32(bytes, sizeof bytes);
    results[n++] = mix(bytes, 255);
    for (unsigned i = 0; i < 40; i++)
        stock[i] = (board){(uint16_t)(next() % 4000), (uint16_t)(next() % 300), (uint8_t)next(),
                           (int8_t)next(), next() % 5000};
    sort(stock, 40);
    uint32_t sum = 0;
    for (unsigned i = 0; i < 40; i++)
        sum = sum * 17 + stock[i].price + stock[i].length + (uint32_t)stock[i].quality + stock[i].width +
              stock[i].thickness;
    results[n++] = sum;
    int16_t values[50];
    for (unsigned i = 0; i < 50; i++) values[i] = (int16_t)next();
    insertion_sort(values, 50);
    for (unsigned i = 0; i < 50; i++) sum = sum * 3 + (uint32_t)values[i];
    results[n++] = sum;
    int32_t value = 123456;
    for (unsigned i = 0; i < 200; i++) value = steps[0](next() >> 28, value) + (int32_t)table[i & 7];
    results[n++] = (uint32_t)value;
    results[n++] = ackermann(2, 5);
    uint8_t row[6] = {1, 2, 3, 4, 5, 6};
    arrange(row, 0, 6);
    results[n++] = arrangements;
    results[n++] = hanoi(9, 1, 3);
    uint64_t wide = power(0x123456789ull, 65537, 0xFFFFFFFBull);
    results[n++] = (uint32_t)wide;
    results[n++] = (uint32_t)(wide >> 32);
    int64_t signed_sum = signed_divisions();
    results[n++] = (uint32_t)signed_sum;
    results[n++] = (uint32_t)(signed_sum >> 32);
    int64_t money = worth(make_offer(stock[3], 12), make_offer(stock[30], 7));
    results[n++] = (uint32_t)money;
    struct bits field = {5, -9, 1, 9999};
    field.batch += 17;
    field.twist = (signed char)(field.twist * 3 % 16);
    results[n++] = field.grade + (uint32_t)field.twist * 8 + field.dry * 1000u + field.batch * 3u;
    results[n++] = unaligned();
    char text[64];
    unsigned length = 0;
    for (int i = 0; i < 5; i++) length += write_number(text + length, (int32_t)next());
    results[n++] = crc32((const uint8_t *)text, length);
    results[n++] = (uint32_t)sine(40000) + (uint32_t)sine(-70000) * 3;
    results[n++] = root(3999999999u) + root(99) * 1000;
    for (unsigned i = 0; i < 10; i++) counter = counter * counter + i;
    results[n++] = counter;
    uint32_t leading = 0;
    for (unsigned i = 0; i < 32; i++) {
        uint32_t word = next() >> (i & 31);
        leading += word ? (uint32_t)LEADING_ZEROS(word) * (i + 1) : 99;
        leading ^= __builtin_bswap32(word) >> 3 ^ (uint32_t)(int32_t)(int16_t)word ^
                   (uint32_t)(int32_t)(int8_t)(word >> 8);
    }
    results[n++] = leading;
    int32_t clamped = 0;
    for (unsigned i = 0; i < 40; i++) {
        int32_t one = (int32_t)next() >> 12;
        clamped += one > 32767 ? 32767 : one < -32768 ? -32768 : one;
        clamped += (one & 1) && one > 5 ? 3 : one < -5 ? -7 : 1;
    }
    results[n++] = (uint32_t)clamped;
    results[n++] = 0x600D;
}

#ifdef ON_THE_HOST
#include <stdio.h>
int main(void)
{
    static uint32_t results[64];
    program(results);
    for (int i = 0; i < 64; i++) printf("%u\n", (unsigned)results[i]);
    return 0;
}
#endif
