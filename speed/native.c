/* native.c — the benchmark's sieve and checksum in C, to compare the simulated ones with.
 *
 *   native sieve|crc REPETITIONS */
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static unsigned sieve(void)
{
    static volatile uint8_t flags[8192]; /* kept in memory, as on the chip */
    unsigned primes = 0;
    for (unsigned i = 0; i < 8192; i++) flags[i] = 1;
    for (unsigned n = 2; n < 8192; n++) {
        if (!flags[n]) continue;
        primes++;
        for (unsigned m = n + n; m < 8192; m += n) flags[m] = 0;
    }
    return primes;
}

static unsigned crc(void)
{
    unsigned value = 0xFFFF;
    for (unsigned byte = 0; byte < 256; byte++) {
        value ^= byte << 8;
        for (unsigned bit = 0; bit < 8; bit++)
            value = value & 0x8000 ? (value << 1 ^ 0x1021) & 0xFFFF : value << 1 & 0xFFFF;
    }
    return value;
}

int main(int argc, char **argv)
{
    unsigned long repetitions = argc > 2 ? strtoul(argv[2], NULL, 10) : 1;
    unsigned (*work)(void) = argc > 1 && strcmp(argv[1], "crc") == 0 ? crc : sieve;
    volatile unsigned result = 0;
    while (repetitions--) result = work();
    printf("%u\n", result);
    return 0;
}
