/* files.c — XMODEM and YMODEM, both ends.
 *
 *   receiver                              sender
 *   'C' (a CRC, please) or NAK            waits for that
 *                                         SOH 1 254 <128 bytes> <checksum, or CRC with its high byte first>
 *   ACK, or NAK for once more             ... STX for 1024 bytes; the number goes up, 255 is followed by 0
 *                                         EOT
 *   NAK, then ACK
 *
 * YMODEM: packet 0 holds the name, a zero byte, and the size, the time (octal) and the mode as text; packets of the file from 1 on; then a packet 0 that is empty, or
 * the next file. Two CAN in a row cancel. The first EOT is refused: a packet whose first byte has become one would end the file otherwise. */
#include "line/talk.h"

enum { SOH = 1, STX = 2, EOT = 4, ACK = 6, NAK = 0x15, CAN = 0x18, FILL = 0x1A, ASK_CRC = 'C' };
enum { SHORT = 128, LONG = 1024 };
enum {
    BYTE_MS = 1000,
    QUIET_MS = 300,
    PAUSE_MS = 20,
    ANSWER_MS = 10000,
    ASK_MS = 3000,
    ASKS = 20,
    CRC_ASKS = 4
};

static void cancel(oak_talk *talk)
{
    static const uint8_t cans[] = {CAN, CAN, CAN, CAN, CAN, CAN, CAN, CAN};
    char why[sizeof talk->why];
    memcpy(why, talk->why, sizeof why); /* what led to it is what counts */
    (void)!oak_talk_hush(talk, 0);
    (void)!oak_talk_say(talk, cans, sizeof cans);
    memcpy(talk->why, why, sizeof why);
}

/* ------------------------------------------------------------------------------------------ sending */

typedef struct sender {
    oak_talk *talk;
    oak_file_way way;
    bool crc, begins;     /* the next packet is the first one of a file, or a name: */
    bool names;           /* that */
    uint8_t number, cans; /* of the next packet; CAN in a row */
} sender;

/* The next answer that means something, of those wanted. */
static oak_status answer(sender *self, uint32_t wait_ms, const char *wanted, uint8_t *byte)
{
    const char *one;
    for (unsigned i = 0; i < TALK_MUCH; i++) {
        oak_status status = oak_talk_hear(self->talk, wait_ms, byte);
        if (status) return status;
        self->cans = *byte == CAN ? (uint8_t)(self->cans + 1) : 0;
        if (self->cans == 2)
            return oak_talk_fails(self->talk, OAK_INTERRUPTED, "the other end has cancelled", "");
        for (one = wanted; *one; one++)
            if (*byte == (uint8_t)*one) return OAK_OK;
    }
    return OAK_NOT_FOUND;
}

static oak_status once_more(sender *self, unsigned tries)
{
    if (tries < talk_retries(self->talk)) {
        self->talk->progress.again += tries != 0;
        return tries ? talk_goes_on(self->talk) : OAK_OK;
    }
    return oak_talk_fails(self->talk, OAK_NOT_FOUND, "the other end does not take the %s",
                          self->names ? "name" : "next packet: the line is too bad, or it has stopped");
}

/* What has come unasked: old answers would be taken for new ones. Whoever asks anew drops what is on its line just then, so that the answer must not come at once. */
static oak_status drop_old(sender *self, bool asked_anew)
{
    uint8_t byte;
    oak_status status = answer(self, asked_anew ? PAUSE_MS : 0, "", &byte);
    return status == OAK_NOT_FOUND ? OAK_OK : status;
}

static oak_status send_packet(sender *self, const uint8_t *bytes, size_t count, size_t size)
{
    uint8_t packet[3 + LONG + 2], byte;
    oak_status status;
    packet[0] = size == LONG ? STX : SOH;
    packet[1] = self->number;
    packet[2] = (uint8_t)~self->number;
    if (count) memcpy(packet + 3, bytes, count);
    memset(packet + 3 + count, self->names ? 0 : FILL, size - count);
    if (self->crc) {
        uint16_t crc = oak_crc16(0, packet + 3, size);
        packet[3 + size] = (uint8_t)(crc >> 8);
        packet[4 + size] = (uint8_t)crc;
    } else {
        packet[3 + size] = 0;
        for (size_t i = 0; i < size; i++) packet[3 + size] = (uint8_t)(packet[3 + size] + packet[3 + i]);
    }
    for (unsigned tries = 0; !(status = once_more(self, tries)); tries++) {
        status = drop_old(self, tries || self->begins);
        if (!status) status = oak_talk_say(self->talk, packet, 3 + size + 1 + self->crc);
        if (!status)
            status = answer(self, self->talk->wait_ms ? self->talk->wait_ms : ANSWER_MS,
                            self->begins ? "\006\025C" : "\006\025", &byte); /* it may ask anew */
        if (!status && byte == ACK) {
            self->begins = false;
            self->number++;
            return OAK_OK;
        }
        if (status && status != OAK_NOT_FOUND) return status;
    }
    return status;
}

/* The receiver begins, and says how it wants to be sure. */
static oak_status wait_for_start(sender *self, const char *wanted)
{
    oak_status status = OAK_NOT_FOUND;
    uint8_t byte = 0;
    for (unsigned i = 0; i < 60 && status == OAK_NOT_FOUND; i++) {
        status = answer(self, BYTE_MS, wanted, &byte);
        oak_status goes = oak_talk_progress(self->talk, "waiting", 0, 0);
        if (status == OAK_NOT_FOUND && goes) return goes;
        if (self->talk->wait_ms && (i + 1) * BYTE_MS >= self->talk->wait_ms) break;
    }
    if (status == OAK_NOT_FOUND)
        return oak_talk_fails(self->talk, status, "nobody asks for %s",
                              wanted[1] ? "a file: is the receiver ready, at this speed?"
                                        : "packets with a CRC; plain `xmodem` sends what is asked for");
    self->crc = byte == ASK_CRC;
    return status;
}

static oak_status end_file(sender *self)
{
    static const uint8_t eot = EOT;
    oak_status status;
    uint8_t byte;
    for (unsigned tries = 0; tries < talk_retries(self->talk); tries++) {
        status = tries ? talk_goes_on(self->talk) : OAK_OK;
        if (!status) status = drop_old(self, tries);
        if (!status) status = oak_talk_say(self->talk, &eot, 1);
        if (!status)
            status = answer(self, self->talk->wait_ms ? self->talk->wait_ms : ASK_MS, "\x06\x15", &byte);
        if (!status && byte == ACK) return OAK_OK;
        if (status && status != OAK_NOT_FOUND) return status;
    }
    return oak_talk_fails(self->talk, OAK_NOT_FOUND,
                          "all of it was taken, but the other end has not said so at the end", "");
}

static oak_status send_name(sender *self, const oak_file *file)
{
    uint8_t header[LONG] = {0};
    size_t length = file ? oak_length(file->name) : 0;
    if (length > 200) return oak_talk_fails(self->talk, OAK_OUT_OF_RANGE, "the name is too long", "");
    if (file) {
        memcpy(header, file->name, length);
        char *rest = (char *)header + length + 1, octal[24];
        size_t room = sizeof header - length - 1, digits = sizeof octal - 1;
        oak_format(rest, room, "%llu", (unsigned long long)file->size);
        if (file->modified) {
            octal[digits] = 0;
            for (uint64_t left = file->modified; left; left >>= 3) octal[--digits] = (char)('0' + (left & 7));
            size_t used = oak_length(rest);
            oak_format(rest + used, room - used, " %s 100644", octal + digits);
        }
        length += 1 + oak_length(rest);
    }
    self->number = 0;
    self->begins = self->names = true;
    oak_status status = send_packet(self, header, length, length <= SHORT ? SHORT : LONG);
    self->names = false;
    return status;
}

static oak_status send_file(sender *self, const oak_file *file)
{
    oak_status status = OAK_OK;
    self->number = 1;
    self->begins = true;
    for (size_t at = 0; !status && at < file->size;) {
        size_t left = file->size - at;
        /* a packet of 1024 bytes for the rest pays from here on */
        size_t size = self->crc && self->way >= OAK_XMODEM_1K && left > LONG - SHORT ? LONG : SHORT;
        if (left > size) left = size;
        status = send_packet(self, file->bytes + at, left, size);
        at += left;
        if (!status) status = oak_talk_progress(self->talk, "sending", at, file->size);
    }
    return status ? status : end_file(self);
}

oak_status oak_file_send(oak_talk *talk, oak_file_way way, const oak_file *files, size_t count)
{
    if (!talk || !files || !talk->line.ops) return OAK_MISUSE;
    if (!count || (count > 1 && way != OAK_YMODEM)) return OAK_MISUSE;
    sender self = {.talk = talk, .way = way};
    oak_status status = wait_for_start(&self, way == OAK_XMODEM ? "C\x15" : "C");
    for (size_t i = 0; !status && i < count; i++) {
        if (!files[i].name || (!files[i].bytes && files[i].size)) return OAK_MISUSE;
        if (way == OAK_YMODEM) {
            status = send_name(&self, &files[i]);
            if (!status) status = wait_for_start(&self, "C");
        }
        if (!status) status = send_file(&self, &files[i]);
        if (!status && way == OAK_YMODEM) status = wait_for_start(&self, "C");
    }
    if (!status && way == OAK_YMODEM) status = send_name(&self, NULL);
    if (status) cancel(talk);
    return status;
}

/* ------------------------------------------------------------------------------------------ receiving */

typedef struct receiver {
    oak_talk *talk;
    const oak_file_sink *sink;
    bool crc, named;
    uint8_t expected; /* number of the next packet */
    uint64_t size, got;
    uint8_t packet[LONG];
} receiver;

typedef enum came { CAME_NOTHING, CAME_PACKET, CAME_EOT, CAME_WRONG } came;

/* The packet that follows its first byte. */
static oak_status take_packet(receiver *self, size_t size, uint8_t *number, bool *right)
{
    uint8_t head[2], tail[2] = {0};
    oak_status status = OAK_OK;
    *right = false;
    for (size_t i = 0; !status && i < 2; i++) status = oak_talk_hear(self->talk, BYTE_MS, &head[i]);
    for (size_t i = 0; !status && i < size; i++)
        status = oak_talk_hear(self->talk, BYTE_MS, &self->packet[i]);
    for (size_t i = 0; !status && i < 1u + self->crc; i++)
        status = oak_talk_hear(self->talk, BYTE_MS, &tail[i]);
    if (status) return status == OAK_NOT_FOUND ? OAK_OK : status;
    uint16_t crc = self->crc ? oak_crc16(0, self->packet, size) : 0;
    for (size_t i = 0; !self->crc && i < size; i++) crc = (uint16_t)(crc + self->packet[i]);
    if (!self->crc) crc = (uint16_t)(crc << 8);
    *number = head[0];
    *right = (head[0] ^ head[1]) == 0xFF && crc == (tail[0] << 8 | (self->crc ? tail[1] : 0));
    /* Whoever sends waits for the answer: with another byte behind it the packet was shifted by one that came twice. */
    status = *right ? oak_talk_hear(self->talk, 0, head) : OAK_NOT_FOUND;
    if (!status) *right = false;
    return status == OAK_NOT_FOUND ? OAK_OK : status;
}

/* What comes next; *size of a packet. */
static oak_status take(receiver *self, uint32_t wait_ms, came *what, uint8_t *number, size_t *size)
{
    unsigned cans = 0;
    *what = CAME_NOTHING;
    for (;;) {
        uint8_t byte;
        bool right;
        oak_status status = oak_talk_hear(self->talk, cans ? BYTE_MS : wait_ms, &byte);
        if (status) return status == OAK_NOT_FOUND ? OAK_OK : status;
        cans = byte == CAN ? cans + 1 : 0;
        if (cans == 2) return oak_talk_fails(self->talk, OAK_INTERRUPTED, "the other end has cancelled", "");
        if (cans) continue;
        *what = byte == EOT ? CAME_EOT : CAME_WRONG;
        if (byte != SOH && byte != STX) return OAK_OK;
        *size = byte == SOH ? SHORT : LONG;
        status = take_packet(self, *size, number, &right);
        if (right) *what = CAME_PACKET;
        return status;
    }
}

static oak_status say(receiver *self, uint8_t byte)
{
    return oak_talk_say(self->talk, &byte, 1);
}

/* Until the sender has begun with a packet, or the end. */
static oak_status ask(receiver *self, bool crc, came *what, uint8_t *number, size_t *size)
{
    oak_status status = OAK_OK;
    uint32_t wait = self->talk->wait_ms && self->talk->wait_ms < ASK_MS ? self->talk->wait_ms : ASK_MS;
    for (unsigned i = 0; !status && i < ASKS; i++) {
        self->crc =
            crc && (self->named || i < CRC_ASKS || i % 2); /* who knows no CRC does not answer to it */
        status = say(self, self->crc ? ASK_CRC : NAK);
        if (!status) status = take(self, wait, what, number, size);
        if (!status && (*what == CAME_PACKET || *what == CAME_EOT)) return OAK_OK;
        if (!status && *what == CAME_WRONG) status = oak_talk_hush(self->talk, QUIET_MS);
        if (!status) status = oak_talk_progress(self->talk, "waiting", 0, 0);
    }
    return status ? status
                  : oak_talk_fails(self->talk, OAK_NOT_FOUND,
                                   "nobody sends: is the other end ready, at this speed?", "");
}

/* One after the other to the sink, as far as the size goes. */
static oak_status keep(receiver *self, size_t size)
{
    uint64_t left = self->size - self->got;
    size_t count = left < size ? (size_t)left : size;
    oak_status status = count ? self->sink->write(self->sink->context, self->packet, count) : OAK_OK;
    if (status) return oak_talk_fails(self->talk, status, "what has arrived could not be kept", "");
    self->got += count;
    return oak_talk_progress(self->talk, "receiving", self->got, self->size == UINT64_MAX ? 0 : self->size);
}

/* The packets of a file and its end. The first of what is asked for has come. */
static oak_status take_file(receiver *self, came what, uint8_t number, size_t size)
{
    oak_status status = OAK_OK;
    unsigned wrong = 0, ends = 0;
    while (!status) {
        if (what == CAME_PACKET && number == self->expected) {
            status = keep(self, size);
            if (!status) status = say(self, ACK);
            self->expected++;
            wrong = ends = 0;
        } else if (what == CAME_PACKET && number == (uint8_t)(self->expected - 1)) {
            status = say(self, ACK); /* our answer was lost */
        } else if (what == CAME_PACKET) {
            return oak_talk_fails(self->talk, OAK_REFUSED,
                                  "packets are missing: both ends have lost each other", "");
        } else if (what == CAME_EOT && ends++) {
            if (self->size != UINT64_MAX && self->got < self->size)
                return oak_talk_fails(self->talk, OAK_REFUSED, "it has ended before its size was reached",
                                      "");
            return say(self, ACK);
        } else {
            if (what != CAME_EOT) {
                self->talk->progress.again++;
                if (++wrong > talk_retries(self->talk))
                    return oak_talk_fails(
                        self->talk, OAK_NOT_FOUND,
                        "no whole packet comes any more: the line is too bad, or the other end has stopped",
                        "");
                status = talk_goes_on(self->talk);
                if (!status) status = oak_talk_hush(self->talk, what == CAME_WRONG ? QUIET_MS : 0);
            }
            if (!status) status = say(self, NAK);
        }
        if (!status)
            status = take(self, self->talk->wait_ms ? self->talk->wait_ms : ANSWER_MS, &what, &number, &size);
    }
    return status;
}

/* Packet 0 of YMODEM. */
static oak_status take_name(receiver *self, char *name, bool *last)
{
    came what;
    uint8_t number = 0;
    size_t size = 0;
    oak_status status = OAK_OK;
    for (unsigned wrong = 0; !status; wrong++) {
        status = ask(self, true, &what, &number, &size);
        if (status) return status;
        if (what == CAME_PACKET && number == 0) break;
        if (wrong > talk_retries(self->talk))
            return oak_talk_fails(self->talk, OAK_REFUSED,
                                  "no name comes first: is the other end sending YMODEM?", "");
        if (what == CAME_EOT) status = say(self, ACK); /* it has not heard that the last file was taken */
        else if (number != 0)
            return oak_talk_fails(
                self->talk, OAK_REFUSED,
                "a packet of a file comes first, and no name: the other end is sending XMODEM", "");
    }
    if (status) return status;
    size_t length = 0, at;
    while (length < size && self->packet[length]) length++;
    *last = !length;
    if (length == size || length >= 256)
        return oak_talk_fails(self->talk, OAK_REFUSED, "the name has no end", "");
    memcpy(name, self->packet, length + 1);
    self->size = 0;
    for (at = length + 1; at < size && self->packet[at] >= '0' && self->packet[at] <= '9'; at++)
        self->size = self->size * 10 + (self->packet[at] - '0');
    if (at == length + 1) self->size = UINT64_MAX;
    return OAK_OK;
}

static oak_status receive_batch(receiver *self)
{
    oak_status status = OAK_OK;
    while (!status) {
        char name[256];
        bool last = false;
        came what;
        uint8_t number = 0;
        size_t size = 0;
        status = take_name(self, name, &last);
        if (status) return status;
        if (last) return say(self, ACK);
        if (self->sink->begin && !self->sink->begin(self->sink->context, name, self->size))
            return oak_talk_fails(self->talk, OAK_REFUSED, "the file `%s` is not wanted", name);
        self->got = 0;
        self->expected = 1;
        self->named = true;
        status = say(self, ACK);
        for (unsigned again = 0; !status; again++) { /* the name comes once more when our answer was lost */
            status = ask(self, true, &what, &number, &size);
            if (status || what == CAME_EOT || number != 0) break;
            if (again > talk_retries(self->talk))
                return oak_talk_fails(self->talk, OAK_REFUSED, "the name comes again and again", "");
            status = say(self, ACK);
        }
        if (!status) status = take_file(self, what, number, size);
    }
    return status;
}

oak_status oak_file_receive(oak_talk *talk, oak_file_way way, const oak_file_sink *sink)
{
    if (!talk || !sink || !talk->line.ops || !sink->write) return OAK_MISUSE;
    receiver self = {.talk = talk, .sink = sink, .size = UINT64_MAX, .expected = 1};
    oak_status status;
    if (way == OAK_YMODEM) status = receive_batch(&self);
    else {
        came what;
        uint8_t number = 0;
        size_t size = 0;
        if (sink->begin && !sink->begin(sink->context, "", UINT64_MAX)) return OAK_REFUSED;
        status = ask(&self, way != OAK_XMODEM, &what, &number, &size);
        if (!status && what == CAME_PACKET && number == 0)
            status =
                oak_talk_fails(talk, OAK_REFUSED, "a name comes first: the other end is sending YMODEM", "");
        if (!status) status = take_file(&self, what, number, size);
    }
    if (status) cancel(talk);
    return status;
}
