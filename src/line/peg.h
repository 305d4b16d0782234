/* peg.h — the packets of docs/programmer.md, for both ends.
 *
 *   0xA9  sequence  kind  n  <n bytes>  CRC high  CRC low        the CRC from 0xFFFF on, over all but the 0xA9
 *
 * A question has a kind below 0x80. Its answer has the same sequence, and the kind with 0x80 when it was done; 'w' | 0x80 means: still at work. */
#ifndef OAK_LINE_PEG_H
#define OAK_LINE_PEG_H

#include "line/talk.h"

enum { PEG_START = 0xA9, PEG_DONE = 0x80, PEG_VERSION = 1, PEG_OVER = 6, PEG_MOST = 255 };
enum { PEG_GAP_MS = 200 }; /* a packet in which so long nothing comes is none */
typedef enum peg_kind {
    PEG_GREET = 'i',
    PEG_REGION = 'm',
    PEG_ERASE = 'e',
    PEG_WRITE = 'w',
    PEG_READ = 'r',
    PEG_CHECK = 'v',
    PEG_LOCK = 'l',
    PEG_RESET = 'x',
    PEG_RUN = 'g',
    PEG_WORKING = 'k', /* of answers: soon */
    PEG_NO = 'n'       /* of answers: a byte says why */
} peg_kind;
typedef enum peg_reason {
    PEG_NO_KIND = 1, /* it does not know this question */
    PEG_NO_VERSION,
    PEG_OUTSIDE,
    PEG_LOCKED,
    PEG_FAILED, /* the chip did not do it */
    PEG_NO_CHIP,
    PEG_BODY /* the body is none of this question */
} peg_reason;

/* Makes a packet; returns its size. */
static inline size_t peg_make(uint8_t *packet, uint8_t sequence, uint8_t kind, const uint8_t *body,
                              size_t count)
{
    packet[0] = PEG_START;
    packet[1] = sequence;
    packet[2] = kind;
    packet[3] = (uint8_t)count;
    if (count) memcpy(packet + 4, body, count);
    uint16_t crc = oak_crc16(0xFFFF, packet + 1, 3 + count);
    packet[4 + count] = (uint8_t)(crc >> 8);
    packet[5 + count] = (uint8_t)crc;
    return PEG_OVER + count;
}

static inline void peg_put32(uint8_t *at, uint32_t value)
{
    for (unsigned i = 0; i < 4; i++) at[i] = (uint8_t)(value >> (24 - 8 * i));
}

static inline uint32_t peg_get32(const uint8_t *at)
{
    return (uint32_t)at[0] << 24 | (uint32_t)at[1] << 16 | (uint32_t)at[2] << 8 | at[3];
}

/* The next whole packet: its first byte is looked for, what is broken is dropped. packet: sequence, kind, count, body. OAK_NOT_FOUND when none has begun for so
 * long. */
OAK_MUST_USE oak_status peg_take(oak_talk *talk, uint32_t wait_ms, uint8_t packet[PEG_MOST + PEG_OVER]);

#endif
