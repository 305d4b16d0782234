/* programmer.c — the simulated programmer: a chip whose memory is bytes, questions and their answers, letters with XMODEM behind them. */
#include <oakspindle/programmer.h>

#include "base/bits.h"
#include "line/peg.h"

enum { MOST_STUCK = 16, LINE_ROOM = 600, BODY = 132 };
enum { IDLE_MS = 50, WORKING_US = 100000, PATIENCE_CENTISECONDS = 100 };

typedef struct stuck_bit {
    uint32_t address;
    uint8_t bit;
    bool low;
} stuck_bit;

typedef struct chip_region {
    oak_chip_region is;
    uint8_t *bytes;
    uint32_t *erasures;
    uint32_t units;
} chip_region;

struct oak_programmer {
    oak_programmer_setup setup;
    oak_talk talk; /* over a line with its noise */
    const char *part;
    char other_part[32];
    chip_region region[OAK_MOST_REGIONS];
    bool locked, empty, busy, good, bad;
    stuck_bit stuck[MOST_STUCK];
    unsigned stuck_count;
    uint32_t lose, twice, flip; /* one in so many; 0: none */
    uint32_t power_at;          /* pages until it fails; 0: it does not */
    uint64_t noise;
    uint32_t worked_us;                  /* since it has last said that it is at work */
    uint8_t sequence;                    /* of the question under way, */
    uint8_t last[PEG_MOST + PEG_OVER];   /* of the last one that was answered, as it came */
    uint8_t answer[PEG_MOST + PEG_OVER]; /* and what was answered, to say it again */
    size_t answer_size;
    char line
        [2 *
         LINE_ROOM]; /* of a HEX file that arrives: the last record of the upper address, and the one under way */
    size_t upper_size, line_size;
    uint64_t taken; /* bytes of a file */
    uint32_t raw_at;
    bool raw, failed;
};

/* ------------------------------------------------------------------------------------------ a line with noise */

static bool one_in(oak_programmer *self, uint32_t many)
{
    if (!many) return false;
    self->noise = self->noise * 6364136223846793005u + 1442695040888963407u;
    return (self->noise >> 33) % many == 0;
}

/* What becomes of bytes on the way; `out` has room for twice as many. */
static size_t disturb(oak_programmer *self, const uint8_t *bytes, size_t count, uint8_t *out)
{
    size_t size = 0;
    for (size_t i = 0; i < count; i++) {
        if (one_in(self, self->lose)) continue;
        uint8_t flipped = (uint8_t)(1u << (self->noise >> 40 & 7));
        out[size++] = one_in(self, self->flip) ? bytes[i] ^ flipped : bytes[i];
        if (one_in(self, self->twice)) out[size] = out[size - 1], size++;
    }
    return size;
}

static oak_status noisy_send(void *line, const uint8_t *bytes, size_t count)
{
    oak_programmer *self = line;
    while (count) {
        uint8_t out[512];
        size_t piece = count < sizeof out / 2 ? count : sizeof out / 2,
               size = disturb(self, bytes, piece, out);
        oak_status status = size ? self->setup.line.ops->send(self->setup.line.line, out, size) : OAK_OK;
        if (status) return status;
        bytes += piece;
        count -= piece;
    }
    return OAK_OK;
}

static oak_status noisy_receive(void *line, uint8_t *bytes, size_t room, uint32_t wait_ms, size_t *count)
{
    oak_programmer *self = line;
    uint8_t in[128];
    size_t came = 0;
    oak_status status = self->setup.line.ops->receive(
        self->setup.line.line, in, room / 2 < sizeof in ? room / 2 : sizeof in, wait_ms, &came);
    *count = status ? 0 : disturb(self, in, came, bytes);
    return status;
}

static const oak_line_ops noisy = {.send = noisy_send, .receive = noisy_receive};

/* ------------------------------------------------------------------------------------------ the chip */

static void show_lamps(oak_programmer *self)
{
    if (self->setup.lamps) self->setup.lamps(self->setup.context, self->busy, self->good, self->bad);
}

static void set_lamps(oak_programmer *self, bool busy, bool good, bool bad)
{
    bool changes = busy != self->busy || good != self->good || bad != self->bad;
    self->busy = busy;
    self->good = good;
    self->bad = bad;
    if (changes) show_lamps(self);
}

static chip_region *region_at(oak_programmer *self, uint32_t address, uint32_t count)
{
    for (unsigned i = 0; i < self->setup.region_count; i++) {
        chip_region *one = &self->region[i];
        uint32_t at = address - one->is.base;
        if (at < one->is.size && count <= one->is.size - at) return one;
    }
    return NULL;
}

static uint32_t unit_of(const chip_region *region)
{
    return region->is.erased ? region->is.erased : region->is.page;
}

/* What the cells make of bytes. */
static void settle(oak_programmer *self, chip_region *region, uint32_t at, uint32_t count)
{
    for (unsigned i = 0; i < self->stuck_count; i++) {
        uint32_t where = self->stuck[i].address - region->is.base;
        if (where < at || where - at >= count) continue;
        uint8_t bit = (uint8_t)(1u << self->stuck[i].bit);
        region->bytes[where] =
            (uint8_t)(self->stuck[i].low ? region->bytes[where] & ~bit : region->bytes[where] | bit);
    }
}

static oak_status keep_bytes(oak_programmer *self, chip_region *region, uint32_t at, uint32_t count)
{
    settle(self, region, at, count);
    if (!self->setup.keep) return OAK_OK;
    return self->setup.keep(self->setup.context, (unsigned)(region - self->region), at, region->bytes + at,
                            count, region->erasures[at / unit_of(region)]);
}

/* The chip works; the other end may want to know that it still does. */
static void work(oak_programmer *self, uint32_t microseconds, bool tells)
{
    uint8_t packet[PEG_OVER];
    if (self->setup.wait) self->setup.wait(self->setup.context, microseconds);
    self->worked_us += microseconds;
    if (!tells || self->worked_us < WORKING_US) return;
    self->worked_us = 0;
    (void)!oak_talk_say(&self->talk, packet,
                        peg_make(packet, self->sequence, PEG_WORKING | PEG_DONE, NULL, 0));
}

/* Everything in the programmer is as after switching on; the page under way is half written. */
static uint8_t lose_power(oak_programmer *self)
{
    enum { OFF_US = 400000 };
    self->power_at = 0;
    self->answer_size = 0;
    if (self->setup.wait) self->setup.wait(self->setup.context, OFF_US);
    set_lamps(self, false, false, false);
    (void)!oak_talk_hush(&self->talk, 0);
    return UINT8_MAX; /* no answer */
}

/* 0, or a reason of pegs. */
static uint8_t write_page(oak_programmer *self, uint32_t address, const uint8_t *bytes, uint32_t count,
                          bool tells)
{
    chip_region *region = region_at(self, address, count);
    if (self->empty) return PEG_NO_CHIP;
    if (!region || !count) return PEG_OUTSIDE;
    if (self->locked) return PEG_LOCKED;
    uint32_t at = address - region->is.base, page = region->is.page;
    if (at / page != (at + count - 1) / page) return PEG_OUTSIDE;
    bool fails = self->power_at && --self->power_at == 0;
    if (fails) count = count / 2;
    set_lamps(self, true, false, self->bad);
    for (uint32_t i = 0; i < count; i++)
        region->bytes[at + i] = region->is.erased ? region->bytes[at + i] & bytes[i] : bytes[i];
    oak_status status = keep_bytes(self, region, at, count);
    if (fails) return lose_power(self);
    work(self, self->setup.write_us, tells);
    set_lamps(self, false, false, self->bad);
    return status ? PEG_FAILED : 0;
}

static uint8_t erase_unit(oak_programmer *self, chip_region *region, uint32_t at)
{
    uint32_t unit = unit_of(region), count = region->is.size - at < unit ? region->is.size - at : unit;
    uint32_t *erasures = &region->erasures[at / unit];
    if (*erasures < UINT32_MAX) ++*erasures;
    bool worn = self->setup.stands && *erasures > self->setup.stands;
    for (uint32_t i = 0; i < count; i++) /* a worn one keeps some of its zeros */
        region->bytes[at + i] =
            worn && (at + i) * 2654435761u >> 28 == 0 ? region->bytes[at + i] | 0xFE : 0xFF;
    oak_status status = keep_bytes(self, region, at, count);
    work(self, self->setup.erase_us, true);
    return status ? PEG_FAILED : 0;
}

static uint8_t set_lock(oak_programmer *self, bool locked)
{
    self->locked = locked;
    return self->setup.keep_lock && self->setup.keep_lock(self->setup.context, locked) ? PEG_FAILED : 0;
}

static uint8_t erase(oak_programmer *self, uint32_t address, uint32_t count)
{
    uint8_t reason = 0;
    if (self->empty) return PEG_NO_CHIP;
    set_lamps(self, true, false, self->bad);
    if (!count) { /* all of it */
        for (unsigned i = 0; i < self->setup.region_count; i++)
            for (uint32_t at = 0; !reason && at < self->region[i].is.size; at += unit_of(&self->region[i]))
                reason = erase_unit(self, &self->region[i], at);
        if (!reason && self->locked) reason = set_lock(self, false);
    } else {
        chip_region *region = region_at(self, address, count);
        uint32_t at = region ? address - region->is.base : 0, end = at + count;
        if (!region || at % unit_of(region) || (end % unit_of(region) && end != region->is.size))
            reason = PEG_OUTSIDE;
        else if (self->locked) reason = PEG_LOCKED;
        for (; !reason && at < end; at += unit_of(region)) reason = erase_unit(self, region, at);
    }
    set_lamps(self, false, false, self->bad);
    return reason;
}

/* ------------------------------------------------------------------------------------------ pegs */

/* Of bytes that may be read: a reason why not. */
static uint8_t readable(oak_programmer *self, uint32_t address, uint32_t count, chip_region **region)
{
    *region = region_at(self, address, count);
    if (self->empty) return PEG_NO_CHIP;
    if (self->locked) return PEG_LOCKED;
    return *region ? 0 : PEG_OUTSIDE;
}

static size_t tell_region(const oak_chip_region *region, uint8_t *out)
{
    const uint32_t numbers[] = {region->base, region->size, region->page, region->erased};
    size_t length = oak_length(region->name);
    for (unsigned i = 0; i < 4; i++) peg_put32(out + 4 * i, numbers[i]);
    memcpy(out + 16, region->name, length);
    return 16 + length;
}

static size_t tell_all(const oak_programmer *self, uint8_t *out)
{
    enum { CAN = OAK_CAN_ERASE | OAK_CAN_LOCK | OAK_CAN_RESET | OAK_CAN_RUN | OAK_CAN_CHECK };
    const uint8_t about[] = {PEG_VERSION, CAN, BODY, PATIENCE_CENTISECONDS, (uint8_t)self->setup.region_count,
                             self->locked};
    size_t length = oak_length(self->part), most = sizeof((oak_chip_found *)0)->part - 1;
    if (length > most) length = most; /* what is longer is told as far as others take it */
    memcpy(out, about, sizeof about);
    memcpy(out + sizeof about, self->part, length);
    return sizeof about + length;
}

/* Does what a question asks for; the body of the answer and its size. */
static uint8_t do_it(oak_programmer *self, uint8_t kind, const uint8_t *body, uint8_t count, uint8_t *out,
                     size_t *size)
{
    chip_region *region;
    uint32_t address = count >= 4 ? peg_get32(body) : 0;
    uint8_t reason = 0;
    *size = 0;
    switch (kind) {
    case PEG_GREET:
        if (count < 2) return PEG_BODY;
        if (body[0] > PEG_VERSION || body[1] < PEG_VERSION) return PEG_NO_VERSION;
        if (self->empty) return PEG_NO_CHIP;
        set_lamps(self, false, false, false);
        *size = tell_all(self, out);
        return 0;
    case PEG_REGION:
        if (count != 1) return PEG_BODY;
        if (body[0] >= self->setup.region_count) return PEG_OUTSIDE;
        *size = tell_region(&self->region[body[0]].is, out);
        return 0;
    case PEG_ERASE: return count == 8 ? erase(self, address, peg_get32(body + 4)) : PEG_BODY;
    case PEG_WRITE: return count > 4 ? write_page(self, address, body + 4, count - 4u, true) : PEG_BODY;
    case PEG_READ:
        if (count != 5 || !body[4] || body[4] > BODY) return PEG_BODY;
        reason = readable(self, address, body[4], &region);
        if (reason) return reason;
        *size = body[4];
        memcpy(out, region->bytes + (address - region->is.base), *size);
        return 0;
    case PEG_CHECK:
        if (count != 8) return PEG_BODY;
        reason = readable(self, address, peg_get32(body + 4), &region);
        if (reason) return reason;
        peg_put32(out, oak_chip_sum(region->bytes + (address - region->is.base), peg_get32(body + 4)));
        *size = 4;
        return 0;
    case PEG_LOCK: return set_lock(self, true);
    case PEG_RESET:
    case PEG_RUN:
        if (count != 1) return PEG_BODY;
        set_lamps(self, false, body[0], !body[0]);
        return 0;
    default: return PEG_NO_KIND;
    }
}

static oak_status answer_peg(oak_programmer *self, const uint8_t *packet)
{
    size_t whole = PEG_OVER - 1 + packet[2], size;
    uint8_t body[PEG_MOST];
    if (self->answer_size && memcmp(packet, self->last, whole) == 0) /* it has not heard the answer */
        return oak_talk_say(&self->talk, self->answer, self->answer_size);
    self->sequence = packet[0];
    self->worked_us = 0;
    uint8_t reason = do_it(self, packet[1], packet + 3, packet[2], body, &size);
    if (reason == UINT8_MAX) return OAK_OK; /* it was off */
    if (reason) set_lamps(self, false, false, true);
    self->answer_size = reason ? peg_make(self->answer, packet[0], PEG_NO | PEG_DONE, &reason, 1)
                               : peg_make(self->answer, packet[0], packet[1] | PEG_DONE, body, size);
    memcpy(self->last, packet, whole);
    return oak_talk_say(&self->talk, self->answer, self->answer_size);
}

/* ------------------------------------------------------------------------------------------ letters */

static oak_status print(oak_programmer *self, const char *text)
{
    return oak_talk_say(&self->talk, text, oak_length(text));
}

/* Bytes at addresses, page by page; what is there and not erased is no obstacle to a person who has erased. */
static oak_status put(oak_programmer *self, uint32_t address, const uint8_t *bytes, uint32_t count)
{
    while (count) {
        chip_region *region = region_at(self, address, 1);
        uint32_t left = region ? region->is.page - (address - region->is.base) % region->is.page : count,
                 piece = left < count ? left : count;
        if (write_page(self, address, bytes, piece, false)) return OAK_REFUSED;
        if (memcmp(region->bytes + (address - region->is.base), bytes, piece) != 0) return OAK_REFUSED;
        address += piece;
        bytes += piece;
        count -= piece;
        self->taken += piece;
    }
    return OAK_OK;
}

static oak_status put_image(oak_programmer *self, const oak_image *image)
{
    uint64_t from = 0, length;
    uint32_t address;
    oak_status status = OAK_OK;
    while (!status && from <= UINT32_MAX && !oak_image_next_run(image, (uint32_t)from, &address, &length)) {
        uint8_t bytes[256];
        size_t known = oak_image_known(image, address, bytes, sizeof bytes);
        status = put(self, address, bytes, (uint32_t)known);
        from = (uint64_t)address + known;
    }
    return status;
}

static void say_nothing(void *context, const oak_diagnostic *d)
{
    (void)context, (void)d;
}

/* A line of the file: a record. Those that say the upper half of addresses count for all that follow. */
static oak_status take_line(oak_programmer *self)
{
    const char *text = self->line + self->upper_size;
    bool srec = self->line_size && *text == 'S',
         upper = self->line_size > 8 && *text == ':' && text[7] == '0' && (text[8] == '4' || text[8] == '2');
    oak_image *image;
    const oak_diag_sink sink = {.report = say_nothing};
    if (!self->line_size) return OAK_OK;
    oak_status status = oak_image_create(self->setup.host, &image);
    if (status) return status;
    size_t size = self->upper_size + self->line_size;
    status = srec ? oak_srec_read(image, text, self->line_size, "", &sink)
                  : oak_hex_read(image, self->line, size, "", &sink);
    (void)status; /* a single line misses the end of the file: what counts is whether its bytes came */
    status = put_image(self, image);
    oak_image_free(image);
    if (upper && self->line_size + 1 < LINE_ROOM) {
        memmove(self->line, text, self->line_size);
        self->line[self->line_size] = '\n';
        self->upper_size = self->line_size + 1;
    }
    self->line_size = 0;
    return status;
}

static oak_status take_bytes(void *context, const uint8_t *bytes, size_t count)
{
    oak_programmer *self = context;
    oak_status status = OAK_OK;
    if (!self->taken && !self->line_size && !self->upper_size && count && !self->raw)
        self->raw = bytes[0] != ':' && bytes[0] != 'S';
    if (self->raw) {
        status = put(self, self->raw_at, bytes, (uint32_t)count);
        self->raw_at += (uint32_t)count;
        return status;
    }
    for (size_t i = 0; !status && i < count; i++) {
        if (bytes[i] == '\n' || bytes[i] == 0x1A) status = take_line(self);
        else if (self->line_size >= LINE_ROOM - 1) status = OAK_REFUSED;
        else if (bytes[i] > ' ') self->line[self->upper_size + self->line_size++] = (char)bytes[i];
    }
    return status;
}

static oak_status program_file(oak_programmer *self)
{
    const oak_file_sink sink = {.context = self, .write = take_bytes};
    self->upper_size = self->line_size = 0;
    self->taken = 0;
    self->raw = false;
    self->raw_at = self->region[0].is.base;
    oak_status status = oak_file_receive(&self->talk, OAK_XMODEM_CRC, &sink);
    if (!status) status = take_line(self);
    set_lamps(self, false, !status, status != OAK_OK);
    if (status == OAK_IO_ERROR) return status;
    char text[60];
    oak_format(text, sizeof text, "%s, %llu bytes\r\n", status ? "bad" : "good",
               (unsigned long long)self->taken);
    return print(self, text);
}

static oak_status gather(void *context, const char *text, size_t size)
{
    oak_buf *buf = context;
    oak_buf_add(buf, text, size);
    return buf->failed ? OAK_NO_MEMORY : OAK_OK;
}

static oak_status send_contents(oak_programmer *self)
{
    oak_image *image;
    oak_buf text;
    oak_status status = oak_image_create(self->setup.host, &image);
    oak_buf_open(&text, self->setup.host);
    for (unsigned i = 0; !status && i < self->setup.region_count; i++)
        status =
            oak_image_write(image, self->region[i].is.base, self->region[i].bytes, self->region[i].is.size);
    if (!status) status = oak_hex_write(image, 0, &(oak_text_sink){.context = &text, .write = gather});
    if (!status) {
        oak_file file = {.name = "chip.hex", .bytes = (const uint8_t *)text.bytes, .size = text.size};
        status = oak_file_send(&self->talk, OAK_XMODEM, &file, 1);
    }
    oak_buf_close(&text);
    oak_image_free(image);
    return status == OAK_IO_ERROR ? status : OAK_OK;
}

static oak_status answer_letter(oak_programmer *self, uint8_t letter)
{
    oak_status status = OAK_OK;
    switch (letter) {
    case 'P': status = program_file(self); break;
    case 'R': status = self->locked ? print(self, "locked\r\n") : send_contents(self); break;
    case 'E': status = print(self, erase(self, 0, 0) ? "bad\r\n" : "good, erased\r\n"); break;
    case '?':
        status = print(self, "P programs what XMODEM brings, R sends what is there, E erases\r\n");
        break;
    case '\r': break;
    default: return OAK_OK;
    }
    return status ? status : print(self, "ready> ");
}

/* ------------------------------------------------------------------------------------------ life */

unsigned oak_programmer_regions(const oak_part *part, oak_chip_region *regions)
{
    enum { PAGE = 128, UNIT = 1024 };
    unsigned count = 0;
    if (!part || !regions) return 0;
    unsigned code = part->architecture->code_space, bytes = oak_unit_bytes(part->architecture, code);
    for (unsigned i = 0; i < part->memory_count && count < OAK_MOST_REGIONS; i++) {
        const oak_part_memory *memory = &part->memories[i];
        if (memory->space != code || !oak_memory_is_filled(memory)) continue;
        oak_chip_region *one = &regions[count++];
        uint32_t size = memory->size * bytes, page = PAGE;
        while (size % page || memory->base * bytes % page) page /= 2;
        *one = (oak_chip_region){.base = memory->base * bytes,
                                 .size = size,
                                 .page = page,
                                 .erased = memory->writable ? 0
                                           : size % UNIT    ? page
                                                            : UNIT};
        oak_format(one->name, sizeof one->name, "%s", memory->name ? memory->name : "code");
    }
    return count;
}

static bool talk_goes_on_with(void *context, const oak_progress *progress)
{
    const oak_programmer *self = context;
    (void)progress;
    return !self->setup.goes_on || self->setup.goes_on(self->setup.context);
}

oak_status oak_programmer_create(const oak_programmer_setup *setup, oak_programmer **programmer)
{
    if (!setup || !programmer || !setup->host || !setup->line.ops || !setup->part) return OAK_MISUSE;
    const oak_host *host = setup->host;
    oak_programmer *self = host->resize(host->context, NULL, 0, sizeof *self);
    if (!self) return OAK_NO_MEMORY;
    *self = (oak_programmer){.setup = *setup, .part = setup->part, .noise = setup->seed};
    self->talk =
        (oak_talk){.host = host, .line = {self, &noisy}, .context = self, .goes_on = talk_goes_on_with};
    oak_status status =
        setup->region_count && setup->region_count <= OAK_MOST_REGIONS ? OAK_OK : OAK_OUT_OF_RANGE;
    for (unsigned i = 0; !status && i < setup->region_count; i++) {
        chip_region *one = &self->region[i];
        one->is = setup->regions[i];
        one->is.name[sizeof one->is.name - 1] = 0;
        uint32_t page = one->is.page;
        if (!page || page & (page - 1) || one->is.size % page || one->is.erased % page || !one->is.size ||
            one->is.size > OAK_LARGEST_MEMORY) {
            status = OAK_OUT_OF_RANGE;
            break;
        }
        one->units = (one->is.size + unit_of(one) - 1) / unit_of(one);
        one->bytes = host->resize(host->context, NULL, 0, one->is.size);
        one->erasures = host->resize(host->context, NULL, 0, one->units * sizeof *one->erasures);
        if (!one->bytes || !one->erasures) status = OAK_NO_MEMORY;
        if (one->bytes) memset(one->bytes, 0xFF, one->is.size);
        if (one->erasures) memset(one->erasures, 0, one->units * sizeof *one->erasures);
    }
    if (status) oak_programmer_free(self);
    else *programmer = self;
    return status;
}

void oak_programmer_free(oak_programmer *programmer)
{
    if (!programmer) return;
    const oak_host *host = programmer->setup.host;
    for (unsigned i = 0; i < OAK_MOST_REGIONS; i++) {
        chip_region *one = &programmer->region[i];
        if (one->bytes) host->resize(host->context, one->bytes, one->is.size, 0);
        if (one->erasures) host->resize(host->context, one->erasures, one->units * sizeof *one->erasures, 0);
    }
    host->resize(host->context, programmer, sizeof *programmer, 0);
}

uint8_t *oak_programmer_bytes(oak_programmer *programmer, unsigned region)
{
    return programmer && region < programmer->setup.region_count ? programmer->region[region].bytes : NULL;
}

uint32_t *oak_programmer_erasures(oak_programmer *programmer, unsigned region, uint32_t *count)
{
    if (!programmer || !count || region >= programmer->setup.region_count) return NULL;
    *count = programmer->region[region].units;
    return programmer->region[region].erasures;
}

void oak_programmer_set_locked(oak_programmer *programmer, bool locked)
{
    if (programmer) programmer->locked = locked;
}

bool oak_programmer_locked(const oak_programmer *programmer)
{
    return programmer && programmer->locked;
}

/* Goes on behind a word and the spaces after it. */
static bool word(const char **at, const char *wanted)
{
    size_t length = oak_length(wanted);
    if (!oak_same_name(*at, length < oak_length(*at) ? length : oak_length(*at), wanted)) return false;
    if ((*at)[length] && (*at)[length] != ' ') return false;
    *at += length;
    while (**at == ' ') ++*at;
    return true;
}

static bool number(const char **at, uint32_t *value)
{
    const char *begin = *at;
    bool hex = begin[0] == '0' && (begin[1] == 'x' || begin[1] == 'X');
    uint64_t made = 0;
    if (hex) *at += 2;
    const char *first = *at;
    for (;; ++*at) {
        char c = oak_lower(**at);
        unsigned digit = c >= '0' && c <= '9'          ? (unsigned)(c - '0')
                         : hex && c >= 'a' && c <= 'f' ? (unsigned)(c - 'a') + 10
                                                       : 99;
        if (digit == 99) break;
        made = made * (hex ? 16 : 10) + digit;
        if (made > UINT32_MAX) return false;
    }
    *value = (uint32_t)made;
    return *at > first;
}

bool oak_programmer_fault(oak_programmer *programmer, const char *text)
{
    uint32_t value, bit;
    if (!programmer || !text) return false;
    const char *at = text;
    if (word(&at, "bit")) {
        if (programmer->stuck_count == MOST_STUCK || !number(&at, &value) || *at++ != '.' ||
            !number(&at, &bit) || bit > 7)
            return false;
        while (*at == ' ') at++;
        if (!word(&at, "stuck") || !region_at(programmer, value, 1)) return false;
        bool low = word(&at, "low");
        programmer->stuck[programmer->stuck_count++] = (stuck_bit){value, (uint8_t)bit, low};
        chip_region *region = region_at(programmer, value, 1);
        settle(programmer, region, value - region->is.base, 1);
        return !*at;
    }
    if (word(&at, "socket")) {
        oak_format(programmer->other_part, sizeof programmer->other_part, "%s", at);
        programmer->empty = oak_same(at, "empty");
        programmer->part = programmer->other_part;
        return *at != 0;
    }
    if (word(&at, "power")) {
        if (!word(&at, "lost") || !word(&at, "at") || !word(&at, "page") || !number(&at, &value) || *at)
            return false;
        programmer->power_at = value;
        return value != 0;
    }
    uint32_t *one = word(&at, "lose")     ? &programmer->lose
                    : word(&at, "double") ? &programmer->twice
                    : word(&at, "flip")   ? &programmer->flip
                                          : NULL;
    if (!one || !word(&at, "1") || !word(&at, "in") || !number(&at, &value) || *at || value < 2) return false;
    *one = value;
    return true;
}

oak_status oak_programmer_serve(oak_programmer *programmer)
{
    if (!programmer) return OAK_MISUSE;
    oak_programmer *self = programmer;
    show_lamps(self);
    oak_status status = print(self, "ready> ");
    while (!status && (!self->setup.goes_on || self->setup.goes_on(self->setup.context))) {
        uint8_t byte, packet[PEG_MOST + PEG_OVER];
        status = oak_talk_hear(&self->talk, IDLE_MS, &byte);
        if (!status && byte == PEG_START) {
            self->talk.heard_at--; /* as a whole */
            status = peg_take(&self->talk, PEG_GAP_MS, packet);
            if (!status) status = answer_peg(self, packet);
        } else if (!status) status = answer_letter(self, byte);
        if (status == OAK_NOT_FOUND) status = OAK_OK;
    }
    return status;
}
