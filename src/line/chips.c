/* chips.c — an image into a chip, over any conversation: look what is there already, erase what must be, write pages, be sure. */
#include "line/talk.h"

enum { PIECE = 1024 }; /* read at once */

typedef struct job {
    oak_talk *talk;
    oak_chip_job *told;
    const oak_conversation *by;
    uint8_t *unit;     /* what is erased at once, or a page: as it is to become, */
    uint8_t *there;    /* as it is, */
    size_t room;       /* so many bytes each */
    uint64_t done, of; /* bytes of the image */
} job;

static oak_status check_conversation(const oak_talk *talk, const oak_chip_job *told)
{
    const oak_conversation *by = told->conversation;
    return talk->host && by && by->greet && by->write && by->read && by->leave ? OAK_OK : OAK_MISUSE;
}

static bool can(const job *self, unsigned what)
{
    return self->told->found.can & what;
}

static bool is_power(uint32_t number)
{
    return number && !(number & (number - 1));
}

/* Who is there, and whether that may be. */
static oak_status begin(job *self, oak_talk *talk, oak_chip_job *told)
{
    oak_chip_found *found = &told->found;
    *self = (job){.talk = talk, .told = told, .by = told->conversation};
    talk->why[0] = 0;
    told->bytes = told->written = told->same = told->difference_count = 0;
    told->pages = told->erased = 0;
    oak_status status = self->by->greet(talk, found);
    if (status) return status;
    if (told->part && *found->part && !oak_same(told->part, found->part)) {
        (void)!self->by->leave(talk, false, false);
        return oak_talk_fails(talk, OAK_REFUSED, "in the socket is another part: %s", found->part);
    }
    for (unsigned i = 0; i < found->region_count; i++) {
        const oak_chip_region *region = &found->regions[i];
        enum { LARGEST = 1 << 20, LARGEST_REGION = 64 << 20 };
        size_t unit = region->erased ? region->erased : region->page;
        if (!is_power(region->page) || unit > LARGEST || unit % region->page || region->size % region->page ||
            region->size > LARGEST_REGION || region->size > UINT32_MAX - region->base ||
            region->base % region->page)
            return oak_talk_fails(talk, OAK_REFUSED,
                                  "the programmer says that the chip has pages that cannot be", "");
        if (unit > self->room) self->room = unit;
    }
    if (!found->region_count)
        return oak_talk_fails(talk, OAK_REFUSED, "the programmer knows of no memory", "");
    if (self->room < PIECE) self->room = PIECE;
    self->unit = talk->host->resize(talk->host->context, NULL, 0, 2 * self->room);
    if (!self->unit) return OAK_NO_MEMORY;
    self->there = self->unit + self->room;
    return OAK_OK;
}

/* The lamps say how it was; what has failed before stays the reason. */
static oak_status end(job *self, oak_status status, bool run)
{
    char why[sizeof self->talk->why];
    if (self->unit) {
        if (status != OAK_IO_ERROR) {
            memcpy(why, self->talk->why, sizeof why);
            oak_status left = self->by->leave(self->talk, run && !status, !status);
            if (status) memcpy(self->talk->why, why, sizeof why);
            else if (left != OAK_UNSUPPORTED || run) status = left;
        }
        self->talk->host->resize(self->talk->host->context, self->unit, 2 * self->room, 0);
    }
    return status;
}

static const oak_chip_region *region_of(const job *self, uint32_t address)
{
    for (unsigned i = 0; i < self->told->found.region_count; i++) {
        const oak_chip_region *one = &self->told->found.regions[i];
        if (address - one->base < one->size) return one;
    }
    return NULL;
}

static oak_status tell(job *self, const char *doing)
{
    return oak_talk_progress(self->talk, doing, self->done, self->of);
}

static void differs(job *self, uint32_t address, uint8_t wanted, uint8_t found)
{
    oak_chip_job *told = self->told;
    if (told->difference_count < OAK_MOST_DIFFERENCES)
        told->differences[told->difference_count] = (oak_chip_difference){address, wanted, found};
    told->difference_count++;
}

/* Every byte of the image has a place. */
static oak_status fits(job *self)
{
    uint64_t from = 0, length;
    uint32_t address;
    while (from <= UINT32_MAX && !oak_image_next_run(self->told->image, (uint32_t)from, &address, &length)) {
        from = address + length;
        for (uint64_t at = address; at < from;) {
            const oak_chip_region *region = region_of(self, (uint32_t)at);
            char where[12];
            oak_format(where, sizeof where, "0x%04x", (unsigned)at);
            if (!region)
                return oak_talk_fails(self->talk, OAK_REFUSED, "the chip has no memory at %s of the image",
                                      where);
            at = (uint64_t)region->base + region->size;
        }
    }
    self->told->bytes = self->of = oak_image_count(self->told->image);
    return OAK_OK;
}

/* Is what is there what is to be? Asked by a check where there is one. */
static oak_status is_right(job *self, uint32_t address, const uint8_t *wanted, uint32_t count, bool *right)
{
    if (self->by->check && can(self, OAK_CAN_CHECK)) {
        uint32_t sum = 0;
        oak_status status = self->by->check(self->talk, address, count, &sum);
        *right = !status && sum == oak_chip_sum(wanted, count);
        return status;
    }
    oak_status status = self->by->read(self->talk, address, self->there, count);
    *right = !status && memcmp(self->there, wanted, count) == 0;
    return status;
}

/* Bytes that are to be kept or told: damaged on the way they would have to fit two checks. */
static oak_status read_surely(job *self, uint32_t address, uint8_t *bytes, uint32_t count)
{
    enum { TRIES = 4 };
    for (unsigned tries = 0; tries < TRIES; tries++) {
        bool right = true;
        oak_status status = self->by->read(self->talk, address, bytes, count);
        if (!status && self->by->check && can(self, OAK_CAN_CHECK))
            status = is_right(self, address, bytes, count, &right);
        if (status || right) return status;
        self->talk->progress.again++;
    }
    return oak_talk_fails(self->talk, OAK_REFUSED, "the chip says something else each time it is read", "");
}

/* The bytes of the image in a stretch must be there. */
static oak_status verify(job *self, uint32_t address, uint32_t count)
{
    enum { STRETCH = 256 };
    oak_status status = OAK_OK;
    for (uint32_t at = 0; !status && at < count;) {
        uint8_t wanted[STRETCH], found[STRETCH];
        bool right = false;
        uint32_t piece = count - at < STRETCH ? count - at : STRETCH;
        size_t known = oak_image_known(self->told->image, address + at, wanted, piece);
        if (!known) { /* none of it */
            at++;
            continue;
        }
        status = is_right(self, address + at, wanted, (uint32_t)known, &right);
        if (!status && !right) status = self->by->read(self->talk, address + at, found, (uint32_t)known);
        for (uint32_t i = 0; !status && !right && i < known; i++)
            if (found[i] != wanted[i]) differs(self, address + at + i, wanted[i], found[i]);
        at += (uint32_t)known;
        self->done += known;
        if (!status) status = tell(self, "verifying");
    }
    return status;
}

/* Pages of a unit that are not as they are to be. */
static oak_status write_pages(job *self, const oak_chip_region *region, uint32_t address, uint32_t count,
                              bool erased)
{
    oak_status status = OAK_OK;
    for (uint32_t at = 0; !status && at < count; at += region->page) {
        const uint8_t *page = self->unit + at;
        bool blank = erased, right = false;
        for (uint32_t i = 0; blank && i < region->page; i++) blank = page[i] == 0xFF;
        if (blank) continue;
        if (!erased) {
            status = is_right(self, address + at, page, region->page, &right);
            if (right || status) continue;
        }
        status = self->by->write(self->talk, address + at, page, region->page);
        self->told->pages++;
        self->told->written += region->page;
        if (!status) status = tell(self, "writing");
    }
    return status;
}

/* What is erased at once, or a page where nothing must be. */
static oak_status send_unit(job *self, const oak_chip_region *region, uint32_t address, uint32_t count)
{
    size_t wanted = 0, same = 0;
    bool must_be_erased = false;
    uint8_t byte;
    for (uint32_t i = 0; i < count; i++) wanted += oak_image_byte(self->told->image, address + i, NULL);
    if (!wanted) return OAK_OK;
    oak_status status = read_surely(self, address, self->unit, count);
    if (status) return status;
    for (uint32_t i = 0; i < count; i++) {
        if (!oak_image_byte(self->told->image, address + i, &byte)) continue;
        same += self->unit[i] == byte;
        must_be_erased |= (byte & ~self->unit[i]) != 0; /* writing makes zeros only */
        self->unit[i] = byte;
    }
    self->told->same += same;
    if (same < wanted) {
        bool erases = must_be_erased && region->erased;
        if (erases && (!self->by->erase || !can(self, OAK_CAN_ERASE)))
            return oak_talk_fails(self->talk, OAK_REFUSED,
                                  "the chip is not blank, and the programmer cannot erase", "");
        if (erases) {
            status = self->by->erase(self->talk, address, count);
            self->told->erased++;
        }
        if (!status) status = write_pages(self, region, address, count, erases);
    }
    self->done += wanted;
    return status ? status : tell(self, "writing");
}

/* Piece by piece of all there is: what is erased at once (or some pages where nothing must be), or as much as there is room for. */
static oak_status each_piece(job *self, bool by_units,
                             oak_status (*work)(job *, const oak_chip_region *, uint32_t, uint32_t))
{
    enum { SOME = 64 };
    oak_status status = OAK_OK;
    for (unsigned i = 0; !status && i < self->told->found.region_count; i++) {
        const oak_chip_region *region = &self->told->found.regions[i];
        uint32_t unit = region->erased ? region->erased : region->page < SOME ? SOME : region->page;
        if (!by_units) unit = (uint32_t)self->room;
        for (uint32_t at = 0; !status && at < region->size; at += unit)
            status =
                work(self, region, region->base + at, region->size - at < unit ? region->size - at : unit);
    }
    return status;
}

static oak_status verify_unit(job *self, const oak_chip_region *region, uint32_t address, uint32_t count)
{
    (void)region;
    return verify(self, address, count);
}

static oak_status erase_all(job *self)
{
    oak_status status = OAK_OK;
    if (!self->by->erase || !can(self, OAK_CAN_ERASE))
        return oak_talk_fails(self->talk, OAK_UNSUPPORTED, "the programmer cannot erase", "");
    status = oak_talk_progress(self->talk, "erasing", 0, 0);
    for (unsigned i = 0; i < self->told->found.region_count; i++) {
        const oak_chip_region *region = &self->told->found.regions[i];
        uint32_t unit = region->erased ? region->erased : region->page;
        self->told->erased += (region->size + unit - 1) / unit;
    }
    return status ? status : self->by->erase(self->talk, 0, 0);
}

oak_status oak_chip_send(oak_talk *talk, oak_chip_job *told)
{
    if (!talk || !told || !talk->line.ops || !told->image || check_conversation(talk, told))
        return OAK_MISUSE;
    job self;
    oak_status status = begin(&self, talk, told);
    if (!status) status = fits(&self);
    if (!status && !told->verifies_only) {
        if (told->erases_all) status = erase_all(&self);
        else if (told->found.locked)
            status =
                oak_talk_fails(talk, OAK_REFUSED, "the chip is locked: only erasing all of it opens it", "");
        if (!status) status = each_piece(&self, true, send_unit);
    }
    self.done = 0;
    if (!status) status = each_piece(&self, false, verify_unit);
    if (!status && told->difference_count)
        status = oak_talk_fails(talk, OAK_REFUSED, "the chip does not hold what the image says", "");
    if (!status && told->locks) {
        if (!self.by->lock || !can(&self, OAK_CAN_LOCK))
            status = oak_talk_fails(talk, OAK_UNSUPPORTED, "the programmer cannot lock", "");
        else status = self.by->lock(talk);
    }
    return end(&self, status, told->runs);
}

typedef struct reading {
    job job;
    oak_image *image;
} reading;

static oak_status read_unit(job *self, const oak_chip_region *region, uint32_t address, uint32_t count)
{
    oak_image *image = ((reading *)self)->image; /* it is the first in it */
    oak_status status = OAK_OK;
    (void)region;
    for (uint32_t at = 0; !status && at < count; at += PIECE) {
        uint32_t piece = count - at < PIECE ? count - at : PIECE;
        status = read_surely(self, address + at, self->there, piece);
        if (!status) status = oak_image_write(image, address + at, self->there, piece);
        self->done += piece;
        if (!status) status = tell(self, "reading");
    }
    return status;
}

static void count_all(job *self)
{
    for (unsigned i = 0; i < self->told->found.region_count; i++)
        self->of += self->told->found.regions[i].size;
    self->told->bytes = self->of;
}

oak_status oak_chip_receive(oak_talk *talk, oak_chip_job *told, oak_image *image)
{
    if (!talk || !told || !image || !talk->line.ops || check_conversation(talk, told)) return OAK_MISUSE;
    reading self = {.image = image};
    oak_status status = begin(&self.job, talk, told);
    if (!status) {
        count_all(&self.job);
        status = each_piece(&self.job, false, read_unit);
    }
    return end(&self.job, status, told->runs);
}

oak_status oak_chip_erase(oak_talk *talk, oak_chip_job *told)
{
    if (!talk || !told || !talk->line.ops || check_conversation(talk, told)) return OAK_MISUSE;
    job self;
    oak_status status = begin(&self, talk, told);
    if (!status) status = erase_all(&self);
    return end(&self, status, false);
}

static oak_status blank_unit(job *self, const oak_chip_region *region, uint32_t address, uint32_t count)
{
    bool right = false;
    oak_status status;
    (void)region;
    memset(self->unit, 0xFF, count);
    status = is_right(self, address, self->unit, count, &right);
    if (!status && !right) status = self->by->read(self->talk, address, self->there, count);
    for (uint32_t i = 0; !status && !right && i < count; i++)
        if (self->there[i] != 0xFF) differs(self, address + i, 0xFF, self->there[i]);
    self->done += count;
    return status ? status : tell(self, "looking");
}

oak_status oak_chip_blank(oak_talk *talk, oak_chip_job *told)
{
    if (!talk || !told || !talk->line.ops || check_conversation(talk, told)) return OAK_MISUSE;
    job self;
    oak_status status = begin(&self, talk, told);
    if (!status) {
        count_all(&self);
        status = each_piece(&self, false, blank_unit);
    }
    if (!status && told->difference_count)
        status = oak_talk_fails(talk, OAK_REFUSED, "the chip is not blank", "");
    return end(&self, status, false);
}
