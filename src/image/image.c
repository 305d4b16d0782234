/* image.c — the sparse image: pages of 1 KiB, sorted by address, each with a bit per byte that is known. */
#include <oakspindle/image.h>

#include "base/arena.h"
#include "base/bytes.h"

enum { PAGE = 1024, WORDS = PAGE / 32 };

typedef struct image_page {
    uint32_t number; /* address / PAGE */
    uint32_t known[WORDS];
    uint8_t bytes[PAGE];
} image_page;

struct oak_image {
    const oak_host *host;
    image_page **pages; /* ascending by number */
    size_t count;
    size_t room;
    uint32_t entry;
    bool has_entry;
};

oak_status oak_image_create(const oak_host *host, oak_image **image)
{
    if (!host || !image) return OAK_MISUSE;
    oak_image *made = host->resize(host->context, NULL, 0, sizeof *made);
    if (!made) return OAK_NO_MEMORY;
    *made = (oak_image){.host = host};
    *image = made;
    return OAK_OK;
}

void oak_image_free(oak_image *image)
{
    if (!image) return;
    const oak_host *host = image->host;
    for (size_t i = 0; i < image->count; i++) oak_release(host, image->pages[i], 1, sizeof(image_page));
    oak_release(host, image->pages, image->room, sizeof *image->pages);
    oak_release(host, image, 1, sizeof *image);
}

/* The index of the first page whose number is at least `number`. */
static size_t lower_bound(const oak_image *image, uint32_t number)
{
    size_t low = 0, high = image->count;
    if (high && image->pages[high - 1]->number < number) return high;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (image->pages[middle]->number < number) low = middle + 1;
        else high = middle;
    }
    return low;
}

static image_page *find_page(const oak_image *image, uint32_t number)
{
    size_t at = lower_bound(image, number);
    return at < image->count && image->pages[at]->number == number ? image->pages[at] : NULL;
}

static image_page *make_page(oak_image *image, uint32_t number)
{
    size_t at = lower_bound(image, number);
    if (at < image->count && image->pages[at]->number == number) return image->pages[at];
    image_page **pages = oak_grow(image->host, image->pages, &image->room, image->count + 1, sizeof *pages);
    if (!pages) return NULL;
    image->pages = pages;
    image_page *page = image->host->resize(image->host->context, NULL, 0, sizeof *page);
    if (!page) return NULL;
    memset(page, 0, sizeof *page);
    page->number = number;
    memmove(pages + at + 1, pages + at, (image->count - at) * sizeof *pages);
    pages[at] = page;
    image->count++;
    return page;
}

oak_status oak_image_write(oak_image *image, uint32_t address, const void *bytes, size_t count)
{
    if (!image || (!bytes && count)) return OAK_MISUSE;
    if (count > (uint64_t)UINT32_MAX + 1 - address) return OAK_OUT_OF_RANGE;
    const uint8_t *from = bytes;
    while (count) {
        image_page *page = make_page(image, address / PAGE);
        if (!page) return OAK_NO_MEMORY;
        uint32_t offset = address % PAGE;
        size_t part = PAGE - offset < count ? PAGE - offset : count;
        memcpy(page->bytes + offset, from, part);
        for (uint32_t i = offset; i < offset + part; i++) page->known[i / 32] |= (uint32_t)1 << (i % 32);
        from += part;
        count -= part;
        address += (uint32_t)part;
    }
    return OAK_OK;
}

static bool known(const image_page *page, uint32_t offset)
{
    return (page->known[offset / 32] >> (offset % 32)) & 1;
}

bool oak_image_byte(const oak_image *image, uint32_t address, uint8_t *byte)
{
    if (!image) return false;
    const image_page *page = find_page(image, address / PAGE);
    if (!page || !known(page, address % PAGE)) return false;
    if (byte) *byte = page->bytes[address % PAGE];
    return true;
}

size_t oak_image_known(const oak_image *image, uint32_t address, void *bytes, size_t count)
{
    if (!image || (!bytes && count)) return 0;
    const image_page *page = find_page(image, address / PAGE);
    uint8_t *to = bytes;
    size_t found = 0;
    for (; found < count && page; found++, address++) {
        if (found && address % PAGE == 0) page = find_page(image, address / PAGE);
        if (!page || !known(page, address % PAGE)) break;
        to[found] = page->bytes[address % PAGE];
    }
    return found;
}

size_t oak_image_read(const oak_image *image, uint32_t address, uint8_t fill, void *bytes, size_t count)
{
    if (!image || (!bytes && count)) return 0;
    uint8_t *to = bytes;
    size_t found = 0;
    for (size_t i = 0; i < count; i++) {
        to[i] = fill;
        if ((uint64_t)address + i <= UINT32_MAX && oak_image_byte(image, address + (uint32_t)i, to + i))
            found++;
    }
    return found;
}

oak_status oak_image_next_run(const oak_image *image, uint32_t from, uint32_t *address, uint64_t *length)
{
    if (!image || !address || !length) return OAK_MISUSE;
    uint64_t start = 0, size = 0;
    uint32_t offset = from % PAGE;
    for (size_t p = lower_bound(image, from / PAGE); p < image->count; p++) {
        const image_page *page = image->pages[p];
        if (page->number != from / PAGE) offset = 0;
        uint64_t base = (uint64_t)page->number * PAGE;
        if (size && base != start + size) break;
        for (; offset < PAGE; offset++) {
            if (known(page, offset)) {
                if (!size) start = base + offset;
                size++;
            } else if (size) {
                goto found;
            }
        }
        offset = 0;
    }
    if (!size) return OAK_NOT_FOUND;
found:
    *address = (uint32_t)start;
    *length = size;
    return OAK_OK;
}

uint64_t oak_image_count(const oak_image *image)
{
    if (!image) return 0;
    uint64_t count = 0;
    for (size_t p = 0; p < image->count; p++)
        for (uint32_t offset = 0; offset < PAGE; offset++) count += known(image->pages[p], offset);
    return count;
}

void oak_image_set_entry(oak_image *image, uint32_t address)
{
    if (!image) return;
    image->entry = address;
    image->has_entry = true;
}

bool oak_image_entry(const oak_image *image, uint32_t *address)
{
    if (!image || !address) return false;
    if (image->has_entry) *address = image->entry;
    return image->has_entry;
}
