/* talk.c — what every conversation is made of: bytes that go and come in time, the person who waits, the check of bytes. */
#include <oakspindle/line.h>

#include "line/talk.h"

oak_status oak_talk_say(oak_talk *talk, const void *bytes, size_t count)
{
    if (!talk || !bytes || !talk->line.ops) return OAK_MISUSE;
    if (talk->line.ops->send(talk->line.line, bytes, count))
        return oak_talk_fails(talk, OAK_IO_ERROR, "the line is gone", "");
    return OAK_OK;
}

oak_status oak_talk_hear(oak_talk *talk, uint32_t wait_ms, uint8_t *byte)
{
    if (!talk || !byte || !talk->line.ops) return OAK_MISUSE;
    if (talk->heard_at == talk->heard_count) {
        talk->heard_at = talk->heard_count = 0;
        if (talk->line.ops->receive(talk->line.line, talk->heard, sizeof talk->heard, wait_ms,
                                    &talk->heard_count)) {
            talk->heard_count = 0;
            return oak_talk_fails(talk, OAK_IO_ERROR, "the line is gone", "");
        }
        if (!talk->heard_count) return OAK_NOT_FOUND;
    }
    *byte = talk->heard[talk->heard_at++];
    return OAK_OK;
}

oak_status oak_talk_hush(oak_talk *talk, uint32_t quiet_ms)
{
    oak_status status = OAK_OK;
    uint8_t byte;
    if (!talk || !talk->line.ops) return OAK_MISUSE;
    for (unsigned i = 0; !status && i < TALK_MUCH; i++) status = oak_talk_hear(talk, quiet_ms, &byte);
    return status == OAK_NOT_FOUND ? OAK_OK : status;
}

oak_status oak_talk_await(oak_talk *talk, const void *bytes, size_t count, uint32_t wait_ms)
{
    if (!talk || !bytes || !talk->line.ops) return OAK_MISUSE;
    const uint8_t *wanted = bytes;
    uint8_t last[256];
    size_t have = 0;
    if (count > sizeof last) return OAK_OUT_OF_RANGE;
    for (unsigned i = 0; i < TALK_MUCH && count; i++) {
        uint8_t byte;
        oak_status status = oak_talk_hear(talk, wait_ms, &byte);
        if (status) return status;
        if (have == count) memmove(last, last + 1, --have);
        last[have++] = byte;
        if (have == count && memcmp(last, wanted, count) == 0) return OAK_OK;
        if (i % 64 == 0 && (status = oak_talk_progress(talk, "waiting", 0, 0))) return status;
    }
    return count ? OAK_NOT_FOUND : OAK_OK;
}

oak_status oak_talk_progress(oak_talk *talk, const char *doing, uint64_t done, uint64_t of)
{
    if (!talk || !doing) return OAK_MISUSE;
    talk->progress.doing = doing;
    talk->progress.done = done;
    talk->progress.of = of;
    return talk_goes_on(talk);
}

oak_status talk_goes_on(oak_talk *talk)
{
    if (!talk->progress.doing) talk->progress.doing = "waiting";
    if (!talk->goes_on || talk->goes_on(talk->context, &talk->progress)) return OAK_OK;
    return oak_talk_fails(talk, OAK_INTERRUPTED, "it was to end here", "");
}

oak_status oak_talk_fails(oak_talk *talk, oak_status status, const char *sentence, const char *what)
{
    if (!talk || !sentence || !what) return OAK_MISUSE;
    const char *at = sentence;
    while (*at && *at != '%') at++;
    oak_format(talk->why, sizeof talk->why, "%.*s%s%s", (int)(at - sentence), sentence, *at ? what : "",
               *at ? at + 2 : "");
    return status;
}

unsigned talk_retries(const oak_talk *talk)
{
    enum { USUAL = 10 };
    return talk->retries ? talk->retries : USUAL;
}

uint32_t oak_chip_sum(const void *bytes, size_t count)
{
    const uint8_t *at = bytes;
    uint16_t sum = 0;
    if (!bytes) return 0;
    for (size_t i = 0; i < count; i++) sum = (uint16_t)(sum + at[i]);
    return (uint32_t)oak_crc16(0xFFFF, bytes, count) << 16 | sum;
}

uint16_t oak_crc16(uint16_t from, const void *bytes, size_t count)
{
    const uint8_t *at = bytes;
    if (!bytes) return 0;
    for (size_t i = 0; i < count; i++) {
        from ^= (uint16_t)(at[i] << 8);
        for (unsigned bit = 0; bit < 8; bit++)
            from = (uint16_t)(from & 0x8000 ? from << 1 ^ 0x1021 : from << 1);
    }
    return from;
}
