/* peg.c — the conversation of docs/programmer.md, as the tool speaks it. */
#include "line/peg.h"

oak_status peg_take(oak_talk *talk, uint32_t wait_ms, uint8_t packet[PEG_MOST + PEG_OVER])
{
    for (unsigned i = 0; i < TALK_MUCH; i++) {
        uint8_t byte;
        oak_status status = oak_talk_hear(talk, wait_ms, &byte);
        if (status) return status;
        if (byte != PEG_START) continue;
        size_t have = 0, whole = PEG_OVER - 1;
        while (!status && have < whole) {
            status = oak_talk_hear(talk, PEG_GAP_MS, &packet[have++]);
            if (have == 3) whole += packet[2];
        }
        if (status == OAK_NOT_FOUND) continue; /* the line was silent: the next one begins anew */
        if (status) return status;
        if (oak_crc16(0xFFFF, packet, whole - 2) == (packet[whole - 2] << 8 | packet[whole - 1]))
            return OAK_OK;
        status = oak_talk_hush(talk, PEG_GAP_MS);
        if (status) return status;
    }
    return OAK_NOT_FOUND;
}

static oak_status refused(oak_talk *talk, uint8_t reason)
{
    switch (reason) {
    case PEG_NO_KIND: return oak_talk_fails(talk, OAK_UNSUPPORTED, "the programmer cannot do this", "");
    case PEG_NO_VERSION:
        return oak_talk_fails(talk, OAK_UNSUPPORTED, "the programmer speaks another version of pegs", "");
    case PEG_OUTSIDE:
        return oak_talk_fails(talk, OAK_REFUSED, "the programmer says that the chip has no such address", "");
    case PEG_LOCKED:
        return oak_talk_fails(talk, OAK_REFUSED, "the chip is locked: only erasing all of it opens it", "");
    case PEG_FAILED: return oak_talk_fails(talk, OAK_REFUSED, "the chip has not done it", "");
    case PEG_NO_CHIP: return oak_talk_fails(talk, OAK_REFUSED, "there is no chip in the socket", "");
    default: return oak_talk_fails(talk, OAK_REFUSED, "the programmer did not understand the packet", "");
    }
}

/* A question and its answer: at most *count bytes, which becomes how many there were. */
static oak_status ask(oak_talk *talk, uint8_t kind, const uint8_t *body, size_t size, uint8_t *answer,
                      size_t *count)
{
    enum { USUAL_MS = 1000, MOST_PACKETS = 36000 }; /* it may say so often that it is still at work */
    uint8_t packet[PEG_MOST + PEG_OVER], got[PEG_MOST + PEG_OVER];
    uint8_t sequence = ++talk->sequence;
    size_t length = peg_make(packet, sequence, kind, body, size);
    uint32_t wait = talk->wait_ms ? talk->wait_ms : talk->patience_ms ? talk->patience_ms : USUAL_MS;
    for (unsigned tries = 0; tries < talk_retries(talk); tries++) {
        talk->progress.again += tries != 0;
        oak_status status = oak_talk_hush(talk, 0);
        if (!status) status = oak_talk_say(talk, packet, length);
        for (unsigned packets = 0; !status && packets < MOST_PACKETS; packets++) {
            status = peg_take(talk, wait, got);
            if (status || got[0] != sequence) continue; /* an answer of old */
            if (got[1] == (PEG_WORKING | PEG_DONE)) {
                status = talk_goes_on(talk);
                continue;
            }
            if (got[1] == (PEG_NO | PEG_DONE) && got[2]) return refused(talk, got[3]);
            if (got[1] != (kind | PEG_DONE)) continue;
            if (got[2] > *count) return refused(talk, PEG_BODY);
            *count = got[2];
            if (got[2]) memcpy(answer, got + 3, got[2]);
            return OAK_OK;
        }
        if (status && status != OAK_NOT_FOUND) return status;
        status = talk_goes_on(talk);
        if (status) return status;
    }
    return oak_talk_fails(talk, OAK_NOT_FOUND, "the programmer does not answer", "");
}

static oak_status order(oak_talk *talk, uint8_t kind, const uint8_t *body, size_t size)
{
    size_t none = 0;
    return ask(talk, kind, body, size, NULL, &none);
}

static oak_status greet(oak_talk *talk, oak_chip_found *found)
{
    const uint8_t versions[] = {PEG_VERSION, PEG_VERSION}; /* from, to */
    uint8_t answer[PEG_MOST];
    size_t count = sizeof answer;
    *found = (oak_chip_found){.part = ""};
    talk->patience_ms = 0;
    oak_status status = ask(talk, PEG_GREET, versions, sizeof versions, answer, &count);
    if (status) return status;
    enum {
        FIXED = 6
    }; /* version, what it can, longest body, hundredths of a second to wait, regions, whether it is locked */
    if (count < FIXED || answer[0] != PEG_VERSION || answer[2] < 16 || !answer[3])
        return refused(talk, PEG_NO_VERSION);
    found->can = answer[1];
    talk->most = answer[2];
    talk->patience_ms = answer[3] * 10u;
    uint8_t regions = answer[4];
    found->locked = answer[5];
    for (size_t i = 0; i + FIXED < count && i < sizeof found->part - 1; i++)
        found->part[i] = (char)answer[FIXED + i];
    for (uint8_t region = 0; region < regions && region < OAK_MOST_REGIONS; region++) {
        enum { NUMBERS = 16 }; /* base, size, page, erased at once */
        oak_chip_region *one = &found->regions[found->region_count];
        count = sizeof answer;
        status = ask(talk, PEG_REGION, &region, 1, answer, &count);
        if (status) return status;
        if (count < NUMBERS) return refused(talk, PEG_BODY);
        *one = (oak_chip_region){.base = peg_get32(answer),
                                 .size = peg_get32(answer + 4),
                                 .page = peg_get32(answer + 8),
                                 .erased = peg_get32(answer + 12)};
        for (size_t i = 0; i + NUMBERS < count && i < sizeof one->name - 1; i++)
            one->name[i] = (char)answer[NUMBERS + i];
        found->region_count++;
    }
    return OAK_OK;
}

static oak_status erase(oak_talk *talk, uint32_t address, uint32_t count)
{
    uint8_t body[8];
    peg_put32(body, address);
    peg_put32(body + 4, count);
    return order(talk, PEG_ERASE, body, sizeof body);
}

static oak_status write(oak_talk *talk, uint32_t address, const uint8_t *bytes, uint32_t count)
{
    uint8_t body[PEG_MOST];
    oak_status status = OAK_OK;
    for (uint32_t at = 0; !status && at < count;) {
        uint32_t piece = talk->most - 4u;
        if (piece > count - at) piece = count - at;
        peg_put32(body, address + at);
        memcpy(body + 4, bytes + at, piece);
        status = order(talk, PEG_WRITE, body, 4 + piece);
        at += piece;
    }
    return status;
}

static oak_status read(oak_talk *talk, uint32_t address, uint8_t *bytes, uint32_t count)
{
    oak_status status = OAK_OK;
    for (uint32_t at = 0; !status && at < count;) {
        uint8_t body[5];
        size_t piece = talk->most, asked;
        if (piece > count - at) piece = count - at;
        asked = piece;
        peg_put32(body, address + at);
        body[4] = (uint8_t)piece;
        status = ask(talk, PEG_READ, body, sizeof body, bytes + at, &piece);
        if (!status && piece != asked) status = refused(talk, PEG_BODY);
        at += (uint32_t)piece;
    }
    return status;
}

static oak_status check(oak_talk *talk, uint32_t address, uint32_t count, uint32_t *sum)
{
    uint8_t body[8], answer[4];
    size_t length = sizeof answer;
    peg_put32(body, address);
    peg_put32(body + 4, count);
    oak_status status = ask(talk, PEG_CHECK, body, sizeof body, answer, &length);
    if (!status && length != sizeof answer) status = refused(talk, PEG_BODY);
    if (!status) *sum = peg_get32(answer);
    return status;
}

static oak_status lock(oak_talk *talk)
{
    return order(talk, PEG_LOCK, NULL, 0);
}

static oak_status leave(oak_talk *talk, bool run, bool good)
{
    uint8_t was_good = good;
    return order(talk, run ? PEG_RUN : PEG_RESET, &was_good, 1);
}

const oak_conversation oak_peg = {.name = "peg",
                                  .title = "packets with addresses, for programmers (docs/programmer.md)",
                                  .greet = greet,
                                  .erase = erase,
                                  .write = write,
                                  .read = read,
                                  .check = check,
                                  .lock = lock,
                                  .leave = leave};
