/* eeprom_block.c — a door to memory that keeps its contents, one byte at a time: address and data, reading at once, writing in `unit`
 * cycles.
 *
 * A write begins only when it is allowed (`allow`) and `unlock` has been written just before: 0x55, in the second cycle after it 0xaa, and in the cycle behind that
 * `write`. Anything in between, an interrupt above all, and nothing is written, which is noticed. What is `elsewhere` is the core's to read and write.
 *
 * With `opens`, a write begins in the four cycles behind the one that has set it; it erases and writes, or does one `half` of that (1 erases, 2 writes
 * bits that become 0) in a little more than half the time; its interrupt asks while nothing is written; and the core stands still for four cycles at a
 * read, for two where a write begins. */
#include "periph/block.h"

enum { FIRST = 0x55, SECOND = 0xAA, APART = 2, OPEN = 4, READ_STANDS = 4, WRITE_STANDS = 2 };

static bool asks(const oak_block *block)
{
    const oak_eeprom *it = &block->as.eeprom;
    return it->interrupt && (oak_block_has(block, OAK_EEPROM_OPENS) ? it->done_at == UINT64_MAX : it->done);
}

/* May a write begin that was opened before? */
static bool is_open(const oak_eeprom *it, uint64_t now)
{
    return it->unlocked && now - it->unlocked_at <= OPEN;
}

static uint8_t cell(const oak_block *block, uint32_t address)
{
    uint8_t value = 0xFF;
    block->services->kept(block->services->machine, block, address, &value, false);
    return value;
}

static void reset(oak_block *block, uint64_t now)
{
    (void)now;
    block->as.eeprom = (oak_eeprom){.done_at = UINT64_MAX, .urgent = true};
    oak_block_ask_by(block, true, false);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    const oak_eeprom *it = &block->as.eeprom;
    switch (role) {
    case OAK_EEPROM_ADDRESS: return it->address;
    case OAK_EEPROM_ADDRESS_HIGH: return it->address >> 8;
    case OAK_EEPROM_OPENS: return is_open(it, now);
    case OAK_EEPROM_HALF: return it->half;
    case OAK_EEPROM_DATA: return it->data;
    case OAK_EEPROM_ALLOW: return it->allow;
    case OAK_EEPROM_WRITE: return it->done_at != UINT64_MAX;
    case OAK_EEPROM_DONE: return it->done;
    case OAK_EEPROM_INTERRUPT: return it->interrupt;
    case OAK_EEPROM_URGENT: return it->urgent;
    case OAK_EEPROM_ELSEWHERE: return it->elsewhere;
    default: return 0; /* what begins something, and what unlocks */
    }
}

static void begin_write(oak_block *block, uint64_t now)
{
    oak_eeprom *it = &block->as.eeprom;
    if (it->done_at != UINT64_MAX || it->elsewhere) return;
    bool opens = oak_block_has(block, OAK_EEPROM_OPENS);
    bool open = opens ? is_open(it, now) && now != it->unlocked_at
                      : it->allow && it->unlocked == 2 && now - it->unlocked_at == 1;
    if (!open) {
        block->services->suffer(block->services->machine, OAK_FAULT_STAYS_LOCKED, it->address, now);
        return;
    }
    it->done_at = now + (it->half ? (uint64_t)block->about->unit * 9 / 17 : block->about->unit);
    it->to = it->address;
    it->value = it->half == 1 ? 0xFF : it->half == 2 ? it->data & cell(block, it->address) : it->data;
    if (opens) block->services->stall(block->services->machine, WRITE_STANDS);
}

static void unlock(oak_block *block, uint32_t value, uint64_t now)
{
    oak_eeprom *it = &block->as.eeprom;
    bool second = it->unlocked == 1 && value == SECOND && now - it->unlocked_at == APART;
    it->unlocked = second ? 2 : value == FIRST;
    it->unlocked_at = now;
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_eeprom *it = &block->as.eeprom;
    switch (role) {
    case OAK_EEPROM_ADDRESS:
        it->address = oak_block_has(block, OAK_EEPROM_ADDRESS_HIGH) ? (it->address & ~0xFFu) | value : value;
        break;
    case OAK_EEPROM_ADDRESS_HIGH: it->address = (it->address & 0xFF) | value << 8; break;
    case OAK_EEPROM_OPENS:
        if (value && !is_open(it, now)) it->unlocked = 1, it->unlocked_at = now;
        if (!value) it->unlocked = 0;
        break;
    case OAK_EEPROM_HALF: it->half = (uint8_t)(value % 3); break;
    case OAK_EEPROM_DATA: it->data = (uint8_t)value; break;
    case OAK_EEPROM_ALLOW: it->allow = value != 0; break;
    case OAK_EEPROM_READ:
        if (!value || it->elsewhere || it->done_at != UINT64_MAX) break;
        it->data = cell(block, it->address);
        if (oak_block_has(block, OAK_EEPROM_OPENS))
            block->services->stall(block->services->machine, READ_STANDS);
        break;
    case OAK_EEPROM_WRITE:
        if (value) begin_write(block, now); /* it cannot be called off */
        break;
    case OAK_EEPROM_UNLOCK: unlock(block, value, now); break;
    case OAK_EEPROM_DONE: it->done = value != 0; break;
    case OAK_EEPROM_INTERRUPT: it->interrupt = value != 0; break;
    case OAK_EEPROM_URGENT: it->urgent = value != 0; break;
    case OAK_EEPROM_ELSEWHERE: it->elsewhere = value != 0; break;
    default: break;
    }
    oak_block_ask_by(block, it->urgent, asks(block));
    return true;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    oak_eeprom *it = &block->as.eeprom;
    if (it->done_at > now) return it->done_at;
    it->done_at = UINT64_MAX;
    it->done = true;
    block->services->kept(block->services->machine, block, it->to, &it->value, true);
    oak_block_ask_by(block, it->urgent, asks(block));
    return UINT64_MAX;
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_eeprom *it = &block->as.eeprom;
    OAK_VISIT(it, allow, bool)
    OAK_VISIT(it, done, bool)
    OAK_VISIT(it, interrupt, bool)
    OAK_VISIT(it, urgent, bool)
    OAK_VISIT(it, elsewhere, bool)
    OAK_VISIT(it, data, uint8_t)
    OAK_VISIT(it, value, uint8_t)
    OAK_VISIT(it, unlocked, uint8_t)
    OAK_VISIT(it, half, uint8_t)
    OAK_VISIT(it, address, uint32_t)
    OAK_VISIT(it, to, uint32_t)
    OAK_VISIT(it, unlocked_at, uint64_t)
    OAK_VISIT(it, done_at, uint64_t)
    oak_block_visit_lines(block, visitor, 2);
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    const oak_eeprom *it = &block->as.eeprom;
    if (role == OAK_EEPROM_OPENS && is_open(it, now)) oak_course_ends(course, it->unlocked_at + OPEN + 1);
}

const oak_block_ops oak_eeprom_block = {reset, get, set, advance, visit, NULL, NULL, NULL, NULL, course};
