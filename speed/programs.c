/* programs.c — what compiled code looks like: nine programs of the workshop's kind, one of them (WORK) built in. For a simulated core, on
 * tests/compiled/runtime.c, it goes on for ever and keeps what the first round found and the number of rounds in the results; for this
 * machine it runs so many rounds as it is told and prints what the first found.
 *
 *   digest cipher product squeeze sorting worker seek warp orders */
#include <stdint.h>
#include <string.h>

static uint32_t seed;
static uint32_t next(void)
{
    seed ^= seed << 13;
    seed ^= seed >> 17;
    return seed ^= seed << 5;
}
static uint32_t turned(uint32_t value, unsigned by)
{
    return value << by | value >> (32 - by);
}

/* A page of the order book. */
static uint8_t page[768];
static void write_page(void)
{
    static const char *const words[] = {"oak ",    "beech ", "board ",   "peg 12x",       "spindle ",
                                        "turned ", "4 ",     "of ash, ", "for the loom\n"};
    uint32_t at = 0;
    while (at < sizeof page)
        for (const char *c = words[next() % 9]; *c && at < sizeof page;) page[at++] = (uint8_t)*c++;
}

/* ---- a digest of the page: rounds of additions, rotations and exclusive-ors */
static uint32_t digest(void)
{
    uint32_t a = 0x6a09e667, b = 0xbb67ae85, c = 0x3c6ef372, d = 0xa54ff53a, w[16];
    for (uint32_t block = 0; block < sizeof page; block += 64) {
        for (unsigned i = 0; i < 16; i++)
            w[i] = (uint32_t)page[block + 4 * i] << 24 | (uint32_t)page[block + 4 * i + 1] << 16 |
                   (uint32_t)page[block + 4 * i + 2] << 8 | page[block + 4 * i + 3];
        for (unsigned i = 0; i < 64; i++) {
            uint32_t s = w[(i + 1) & 15], t = w[(i + 14) & 15];
            w[i & 15] += w[(i + 9) & 15] + (turned(s, 25) ^ turned(s, 14) ^ s >> 3) +
                         (turned(t, 15) ^ turned(t, 13) ^ t >> 10);
            uint32_t sum =
                d + (turned(a, 26) ^ turned(a, 21) ^ turned(a, 7)) + ((a & b) ^ (~a & c)) + w[i & 15];
            d = c, c = b, b = turned(a, 30), a = sum;
        }
    }
    return a ^ b ^ c ^ d;
}

/* ---- the page enciphered in place, twice */
static uint32_t cipher(void)
{
    static const uint32_t key[4] = {0x10325476, 0x98badcfe, 0xefcdab89, 0x67452301};
    uint32_t all = 0;
    for (uint32_t at = 0; at < sizeof page; at += 8) {
        uint32_t left, right, sum = 0;
        memcpy(&left, page + at, 4);
        memcpy(&right, page + at + 4, 4);
        for (unsigned i = 0; i < 32; i++) {
            left += ((right << 4 ^ right >> 5) + right) ^ (sum + key[sum & 3]);
            sum += 0x9e3779b9;
            right += ((left << 4 ^ left >> 5) + left) ^ (sum + key[sum >> 11 & 3]);
        }
        memcpy(page + at, &left, 4);
        memcpy(page + at + 4, &right, 4);
        all = turned(all, 5) ^ left ^ right;
    }
    return all;
}

/* ---- products of long numbers, reduced */
enum { LIMBS = 16 };
static uint32_t product(void)
{
    uint32_t a[LIMBS], b[LIMBS], all[2 * LIMBS] = {0}, result = 0;
    for (unsigned i = 0; i < LIMBS; i++) a[i] = next(), b[i] = next();
    for (unsigned round = 0; round < 4; round++) {
        memset(all, 0, sizeof all);
        for (unsigned i = 0; i < LIMBS; i++) {
            uint32_t carry = 0;
            for (unsigned k = 0; k < LIMBS; k++) {
                uint64_t sum = (uint64_t)a[i] * b[k] + all[i + k] + carry;
                all[i + k] = (uint32_t)sum;
                carry = (uint32_t)(sum >> 32);
            }
            all[i + LIMBS] = carry;
        }
        uint32_t carry = 0;
        for (unsigned i = 0; i < LIMBS; i++) {
            uint64_t sum = (uint64_t)all[i] + (uint64_t)all[i + LIMBS] * 38 + carry;
            a[i] = (uint32_t)sum;
            carry = (uint32_t)(sum >> 32);
        }
        result ^= a[round] + carry;
    }
    return result;
}

/* ---- the page squeezed: what stood before is named by place and length */
static uint8_t squeezed[1024];
static uint32_t squeeze(void)
{
    uint16_t last[128];
    uint32_t out = 0, check = 0;
    memset(last, 0xFF, sizeof last);
    for (uint32_t at = 0; at < sizeof page;) {
        uint32_t length = 0, from = 0;
        if (at + 3 <= sizeof page) {
            uint32_t slot = (page[at] * 33u ^ page[at + 1] * 7u ^ page[at + 2]) & 127;
            from = last[slot];
            last[slot] = (uint16_t)at;
            if (from < at)
                while (at + length < sizeof page && length < 66 && page[from + length] == page[at + length])
                    length++;
        }
        if (length >= 3) {
            squeezed[out++] = (uint8_t)(0x80 | (length - 3));
            squeezed[out++] = (uint8_t)((at - from) >> 8);
            squeezed[out++] = (uint8_t)(at - from);
            at += length;
        } else {
            squeezed[out++] = page[at++] & 0x7F;
        }
        if (out > sizeof squeezed - 4) break;
    }
    for (uint32_t i = 0; i < out; i++) check = check * 31 + squeezed[i];
    return check + out;
}

/* ---- boards by quality, then by price */
static struct board {
    uint16_t length;
    uint8_t quality;
    uint32_t price;
} boards[100];
static int before(const struct board *a, const struct board *b)
{
    return a->quality != b->quality ? a->quality > b->quality : a->price < b->price;
}
static void sort(int low, int high)
{
    while (low < high) {
        struct board middle = boards[(low + high) / 2], kept;
        int i = low, k = high;
        while (i <= k) {
            while (before(&boards[i], &middle)) i++;
            while (before(&middle, &boards[k])) k--;
            if (i > k) break;
            kept = boards[i], boards[i++] = boards[k], boards[k--] = kept;
        }
        if (k - low < high - i) sort(low, k), low = i;
        else sort(i, high), high = k;
    }
}
static uint32_t sorting(void)
{
    uint32_t check = 0;
    for (unsigned i = 0; i < 100; i++)
        boards[i] = (struct board){(uint16_t)next(), (uint8_t)(next() % 5), next() >> 8};
    sort(0, 99);
    for (unsigned i = 0; i < 100; i++) check = check * 33 + boards[i].price + boards[i].length;
    return check;
}

/* ---- the worker: a small byte code that plans cuts */
enum { END, PUSH, LOAD, STORE, ADD, TAKE, TIMES, LESS, SKIP_UNLESS, BACK };
static uint32_t worker(void)
{
    static const uint8_t plan[] = {PUSH, 0,    STORE, 0,           PUSH,  200,  STORE, 1,     LOAD, 0,
                                   LOAD, 1,    LOAD,  1,           TIMES, PUSH, 7,     TIMES, ADD,  STORE,
                                   0,    LOAD, 1,     PUSH,        1,     TAKE, STORE, 1,     PUSH, 0,
                                   LOAD, 1,    LESS,  SKIP_UNLESS, 2,     BACK, 28,    END};
    uint32_t stack[16], cells[4] = {0}, *top = stack;
    for (const uint8_t *at = plan;;) {
        switch (*at++) {
        case PUSH: *top++ = *at++; break;
        case LOAD: *top++ = cells[*at++ & 3]; break;
        case STORE: cells[*at++ & 3] = *--top; break;
        case ADD: top--, top[-1] += *top; break;
        case TAKE: top--, top[-1] -= *top; break;
        case TIMES: top--, top[-1] *= *top; break;
        case LESS: top--, top[-1] = top[-1] < *top; break;
        case SKIP_UNLESS: at += *--top ? 1 : 1 + *at; break;
        case BACK: at -= *at; break;
        default: return cells[0];
        }
    }
}

/* ---- names sought in the page, by how far a letter lets one go on */
static uint32_t seek(void)
{
    static const char *const names[] = {"spindle turned ", "for the loom", "ash, beech", "peg 12x4"};
    uint32_t found = 0;
    for (unsigned n = 0; n < 4; n++) {
        uint8_t on[128];
        const char *name = names[n];
        uint32_t length = 0;
        while (name[length]) length++;
        memset(on, (int)length, sizeof on);
        for (uint32_t i = 0; i + 1 < length; i++) on[name[i] & 127] = (uint8_t)(length - 1 - i);
        for (uint32_t at = 0; at + length <= sizeof page;) {
            uint32_t i = length;
            while (i && page[at + i - 1] == (uint8_t)name[i - 1]) i--;
            if (!i) found = found * 5 + at;
            at += on[page[at + length - 1] & 127];
        }
    }
    return found;
}

/* ---- the loom: one state after the other, by what the sensors tell */
static uint32_t warp(void)
{
    enum { RESTS, OPENS, THROWS, BEATS, KNOTS } state = RESTS;
    uint32_t counts[5] = {0}, check = 0, thread = 0;
    for (unsigned i = 0; i < 600; i++) {
        uint32_t sensed = next();
        counts[state]++;
        switch (state) {
        case RESTS: state = sensed & 3 ? OPENS : RESTS; break;
        case OPENS: state = sensed % 10 == 0 ? KNOTS : THROWS; break;
        case THROWS:
            thread += sensed & 15;
            state = thread > 100 ? KNOTS : sensed & 0x100 ? BEATS : THROWS;
            break;
        case BEATS: state = sensed & 7 ? OPENS : RESTS; break;
        case KNOTS:
            thread /= 3;
            state = RESTS;
            break;
        }
        check = turned(check, 3) + state;
    }
    return check ^ counts[0] ^ counts[1] << 6 ^ counts[2] << 12 ^ counts[3] << 18 ^ counts[4] << 24;
}

/* ---- orders read from the page: numbers, words, sums by kind of wood */
static uint32_t orders(void)
{
    uint32_t sums[8] = {0}, kind = 0, check = 0;
    for (uint32_t at = 0; at < sizeof page;) {
        uint8_t c = page[at];
        if (c >= '0' && c <= '9') {
            uint32_t number = 0;
            while (at < sizeof page && page[at] >= '0' && page[at] <= '9')
                number = number * 10 + page[at++] - '0';
            sums[kind] += number;
        } else if ((c | 32) >= 'a' && (c | 32) <= 'z') {
            uint32_t word = 5381;
            while (at < sizeof page && (page[at] | 32) >= 'a' && (page[at] | 32) <= 'z')
                word = word * 33 + (page[at++] | 32);
            kind = word / 7 % 8;
        } else {
            at++;
        }
    }
    for (unsigned i = 0; i < 8; i++) check = check * 101 + sums[i];
    return check;
}

static uint32_t round_of(uint32_t number)
{
    seed = 0x2545F491 + number;
    if (number % 8 == 0) write_page();
    return WORK();
}

#if defined __arm__ && !defined __linux__
void program(uint32_t *results)
{
    for (uint32_t number = 0;; number++) {
        uint32_t found = round_of(number);
        if (!number) results[0] = found;
        results[1] = number + 1;
    }
}
#else
#include <stdio.h>
#include <stdlib.h>
int main(int argc, char **argv)
{
    uint32_t rounds = argc > 1 ? (uint32_t)strtoul(argv[1], NULL, 10) : 1, first = round_of(0), all = 0;
    for (uint32_t number = 1; number < rounds; number++) all ^= round_of(number);
    printf("%lu\n", (unsigned long)first);
    return all == 1; /* what is not used would not be done */
}
#endif
