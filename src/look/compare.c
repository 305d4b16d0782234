/* compare.c — what differs between two images, as instructions.
 *
 * Each image is a row of items: instructions, words, bytes of data, and where a stretch begins. Two items are alike when they read
 * the same but for the places of code they name; alike ones are laid beside each other, so that what was put in is one
 * difference, and what it moves is none as long as it leads to where its counterpart leads. */
#include "base/arena.h"
#include "look/looker.h"

enum {
    NEAR = 64,    /* items that may be put in or taken out at one place */
    SURE = 3,     /* items in a row that must be alike behind them */
    WEARY = 4096, /* of what is not found, not every place is searched */
    NO_ITEM = UINT32_MAX
};

typedef struct item {
    uint64_t reads; /* of its text without the places it names */
    uint32_t address;
    uint32_t target; /* with `leads` */
    uint32_t beside; /* its counterpart */
    uint8_t size;    /* 0: a stretch begins here */
    bool leads;
} item;

typedef struct side {
    looker look;
    item *items;
    size_t count, room;
    char sign;
} side;

/* ------------------------------------------------------------------------------------------ items */

static const char *no_name(void *context, unsigned space, uint32_t address)
{
    side *self = context;
    return space == self->look.part->architecture->code_space ? "@" : look_name(&self->look, space, address);
}

static uint64_t hash(uint64_t before, const void *bytes, size_t count)
{
    const uint8_t *byte = bytes;
    for (size_t i = 0; i < count; i++) before = (before ^ byte[i]) * 0x100000001B3u;
    return before;
}

static oak_status add(side *self, const item *one)
{
    item *grown = oak_grow(&self->look.host, self->items, &self->room, self->count + 1, sizeof *grown);
    if (!grown) return OAK_NO_MEMORY;
    self->items = grown;
    grown[self->count++] = *one;
    return OAK_OK;
}

/* A name of the program for just this address of code. */
static bool has_name(const looker *look, uint32_t address)
{
    const oak_symbol *below = oak_program_label_below(look->program, address);
    return below && below->value == address && look_is_known(look, address);
}

static bool is_word(const looker *look, uint32_t address)
{
    bool known = look->unit == 1 && (look->mark[look_slot(look, address)] & IS_WORD);
    for (unsigned i = 1; i < 4 && known; i++)
        known = look_is_known(look, address + i) &&
                !(look->mark[look_slot(look, address + i)] & (IS_START | IS_WORD));
    return known;
}

/* A word with the address of code, or of something with a name there, as vectors and pools hold it. */
static bool reads_as_place(const looker *look, uint32_t address, uint32_t *target)
{
    const oak_architecture *about = &look->isa->about;
    uint32_t bit = about->code_bit;
    *target = (uint32_t)oak_number_at(about, about->code_space, look->bytes + look_slot(look, address), 4);
    if (has_name(look, *target)) return true;
    bool marked = bit && (*target & bit);
    *target &= ~bit;
    return marked && look_is_known(look, *target) && (look->mark[look_slot(look, *target)] & IS_START);
}

static item item_at(side *self, uint32_t address)
{
    looker *look = &self->look;
    oak_namer namer = {.context = self, .name = no_name};
    oak_decoded decoded;
    item one = {.reads = 0xCBF29CE484222325u, .address = address, .beside = NO_ITEM, .size = 1};
    if ((look->mark[look_slot(look, address)] & IS_START) && look_decode(look, address, &decoded)) {
        look->buf.size = 0;
        look->isa->print(look->tables, &decoded, &namer, &look->buf);
        one.reads = hash(one.reads, look->buf.bytes, look->buf.size);
        one.size = decoded.size;
        one.leads = decoded.has_target || decoded.has_data;
        one.target = decoded.has_target ? decoded.target : decoded.data;
        look->buf.size = 0;
        if (decoded.may_point && has_name(look, decoded.data)) {
            one.leads = true;
            one.reads = hash(0, &decoded.row, sizeof decoded.row);
        }
    } else if (is_word(look, address)) {
        one.size = 4;
        one.leads = reads_as_place(look, address, &one.target);
        if (!one.leads) one.reads = hash(one.reads, &look->bytes[look_slot(look, address)], 4);
    } else {
        one.reads = hash(one.reads, &look->bytes[look_slot(look, address) * look->unit], look->unit);
    }
    one.reads = hash(one.reads, &one.size, 1);
    return one;
}

static oak_status make_items(side *self)
{
    const looker *look = &self->look;
    oak_status status = OAK_OK;
    bool gap = true;
    for (uint32_t at = 0; at < look->land.slots && !status;) {
        uint32_t address = oak_islands_address(&look->land, at);
        if (!look->known[at]) {
            gap = true;
            at++;
            continue;
        }
        if (gap) {
            const item begin = {
                .reads = hash(0, &address, sizeof address), .address = address, .beside = NO_ITEM};
            status = add(self, &begin);
        }
        gap = false;
        item one = item_at(self, address);
        if (!status) status = add(self, &one);
        at += one.size;
    }
    return self->look.buf.failed ? OAK_NO_MEMORY : status;
}

/* ------------------------------------------------------------------------------------------ laying beside each other */

static bool alike(const side *a, size_t i, const side *b, size_t k)
{
    for (unsigned n = 0; n < SURE; n++, i++, k++) {
        if (i == a->count || k == b->count) return n || (i == a->count && k == b->count);
        if (a->items[i].reads != b->items[k].reads) return false;
    }
    return true;
}

/* How many items of each to leave out until both go on alike. */
static bool go_on(const side *a, size_t i, const side *b, size_t k, size_t *left, size_t *right)
{
    for (size_t both = 1; both <= 2 * NEAR; both++)
        for (size_t of_a = both > NEAR ? both - NEAR : 0; of_a <= both && of_a <= NEAR; of_a++) {
            size_t of_b = both - of_a;
            if (i + of_a > a->count || k + of_b > b->count || !alike(a, i + of_a, b, k + of_b)) continue;
            *left = of_a;
            *right = of_b;
            return true;
        }
    return false;
}

static void lay_beside(side *a, side *b)
{
    size_t i = 0, k = 0, lost = 0;
    while (i < a->count && k < b->count) {
        if (a->items[i].reads == b->items[k].reads) {
            a->items[i].beside = (uint32_t)k;
            b->items[k].beside = (uint32_t)i;
            i++, k++;
            continue;
        }
        size_t left = 1, right = 1;
        if (lost < WEARY || lost % NEAR == 0) lost = go_on(a, i, b, k, &left, &right) ? 0 : lost + 1;
        else lost++;
        /* What is not found again is held against what lies at the same address. */
        if (lost && a->items[i].address < b->items[k].address) right = 0;
        else if (lost && a->items[i].address > b->items[k].address) left = 0;
        i += left, k += right;
    }
}

static size_t item_of(const side *self, uint32_t address)
{
    size_t low = 0, high = self->count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (self->items[middle].address < address) low = middle + 1;
        else high = middle;
    }
    while (low < self->count && self->items[low].address == address && !self->items[low].size) low++;
    return low < self->count && self->items[low].address == address ? low : self->count;
}

/* The first item from one on that has a counterpart: what a label before something new stands for. */
static size_t first_beside(const side *self, size_t i)
{
    for (unsigned n = 0; n < NEAR && i < self->count && self->items[i].beside == NO_ITEM; n++) i++;
    return i;
}

/* Do both lead to the same: to counterparts, or to one address where there is nothing? */
static bool lead_alike(const side *a, const item *one, const side *b, const item *other)
{
    if (one->leads != other->leads) return false;
    if (!one->leads) return true;
    size_t to = item_of(a, one->target), there = item_of(b, other->target);
    if (to == a->count || there == b->count) return one->target == other->target;
    to = first_beside(a, to);
    there = first_beside(b, there);
    return to < a->count && there < b->count ? a->items[to].beside == there
                                             : to == a->count && there == b->count;
}

/* ------------------------------------------------------------------------------------------ showing */

static void write_item(side *self, const item *one)
{
    looker *look = &self->look;
    const oak_architecture *about = &look->isa->about;
    oak_namer namer = {.context = look, .name = look_name};
    oak_decoded decoded;
    uint32_t at = look_slot(look, one->address);
    oak_buf_format(&look->buf, "%c 0x%04x  ", self->sign, (unsigned)one->address);
    size_t start = look->buf.size;
    if (!one->size) {
        oak_buf_format(&look->buf, "org  0x%04x\n", (unsigned)one->address);
        return;
    }
    if ((look->mark[at] & IS_START) && look_decode(look, one->address, &decoded))
        look->isa->print(look->tables, &decoded, &namer, &look->buf);
    else if (one->leads) {
        const char *name = look_label(look, one->target);
        bool marked = look->mark[look_slot(look, one->target)] & IS_START;
        oak_buf_format(&look->buf, "dd   %s", name ? name : "?");
        if (marked) oak_buf_format(&look->buf, " + %u", look->isa->about.code_bit);
    } else {
        unsigned bytes = one->size * look->unit;
        oak_buf_text(&look->buf, bytes == 4 ? "dd   0x" : bytes == 2 ? "dw   0x" : "db   0x");
        uint64_t number = oak_number_at(about, about->code_space, look->bytes + at * look->unit, bytes);
        oak_buf_format(&look->buf, "%0*llx", (int)(2 * bytes), (unsigned long long)number);
    }
    size_t width = look->buf.size - start;
    oak_buf_repeat(&look->buf, ' ', width < 28 ? 28 - width : 1);
    look_units(look, one->address, one->size);
    oak_buf_char(&look->buf, '\n');
}

static oak_status write_side(side *self, size_t from, size_t to)
{
    oak_status status = OAK_OK;
    for (size_t i = from; i < to && !status; i++) {
        write_item(self, &self->items[i]);
        if (self->look.buf.size > 32768 || i + 1 == to) status = look_flush(&self->look);
    }
    return status;
}

/* Laid beside each other, and leading to the same. */
static bool is_same(const side *a, size_t i, const side *b, size_t k)
{
    return i < a->count && k < b->count && a->items[i].beside == k &&
           lead_alike(a, &a->items[i], b, &b->items[k]);
}

static oak_status show(side *a, side *b, oak_comparison *found)
{
    oak_status status = OAK_OK;
    size_t i = 0, k = 0;
    while ((i < a->count || k < b->count) && !status) {
        if (is_same(a, i, b, k)) {
            found->moved += a->items[i].size && a->items[i].address != b->items[k].address;
            i++, k++;
            continue;
        }
        size_t from = i, other = k;
        if (found->stretches++) oak_buf_char(&a->look.buf, '\n');
        status = look_flush(&a->look);
        while ((i < a->count || k < b->count) && !is_same(a, i, b, k)) {
            bool paired = i < a->count && k < b->count && a->items[i].beside == k;
            if (paired) i++, k++; /* leads elsewhere */
            else if (i < a->count && a->items[i].beside == NO_ITEM) i++;
            else k++;
        }
        if (!status) status = write_side(a, from, i);
        if (!status) status = write_side(b, other, k);
    }
    return status;
}

oak_status oak_look_compare(const oak_program *before, const oak_program *after, const oak_text_sink *out,
                            oak_comparison *found)
{
    if (!before || !after || !out || !found) return OAK_MISUSE;
    side a = {.sign = '-'}, b = {.sign = '+'};
    oak_host host = oak_program_host(before);
    *found = (oak_comparison){0};
    oak_status status = look_open(&a.look, before, &host, out), other = look_open(&b.look, after, &host, out);
    if (!status) status = other;
    if (!status) status = make_items(&a);
    if (!status) status = make_items(&b);
    if (!status) lay_beside(&a, &b);
    if (!status) status = show(&a, &b, found);
    oak_release(&host, a.items, a.room, sizeof *a.items);
    oak_release(&host, b.items, b.room, sizeof *b.items);
    look_close(&a.look);
    look_close(&b.look);
    return status;
}
