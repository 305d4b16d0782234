/* kinds_bus.c — what hangs on a bus: a shift register, external RAM or ROM, EEPROMs on two wires (I²C) and on four (SPI). */
#include "board/kind.h"

static const char *const YES_WORDS[] = {"no", "yes", NULL};

/* ------------------------------------------------------------------------------------------ shift register */

enum { SHIFT_DATA, SHIFT_CLOCK, SHIFT_LATCH, SHIFT_CLEAR, SHIFT_OUT, SHIFT_Q };
typedef struct shift {
    uint8_t clock, latch, bits, shown;
    uint64_t clocks, latches;
} shift;

static void shift_put(oak_stand_in *self)
{
    const shift *it = oak_stand_in_state(self);
    for (unsigned i = 0; i < 8; i++)
        oak_stand_in_put(self, SHIFT_Q + i, it->shown >> i & 1 ? OAK_HIGH : OAK_LOW);
    oak_stand_in_put(self, SHIFT_OUT, it->bits & 0x80 ? OAK_HIGH : OAK_LOW);
}

static void shift_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    shift *it = oak_stand_in_state(self);
    bool high = level == OAK_HIGH;
    if (terminal == SHIFT_CLOCK) {
        if (high && !it->clock) {
            it->bits = (uint8_t)(it->bits << 1 | (oak_stand_in_level(self, SHIFT_DATA) == OAK_HIGH));
            it->clocks++;
        }
        it->clock = high;
    }
    if (terminal == SHIFT_CLEAR && level == OAK_LOW) it->bits = 0;
    if (terminal == SHIFT_LATCH) {
        if (high && !it->latch) it->shown = it->bits, it->latches++;
        it->latch = high;
    }
    if (!oak_stand_in_is_wired(self, SHIFT_LATCH)) it->shown = it->bits;
    if (terminal < SHIFT_OUT) shift_put(self);
}

static void shift_show(oak_stand_in *self, char *text, size_t room)
{
    const shift *it = oak_stand_in_state(self);
    oak_format(text, room, "shows 0x%02x, holds 0x%02x; %llu clocks", it->shown, it->bits,
               (unsigned long long)it->clocks);
}

static const oak_terminal shift_terminals[] = {
    {"data", 1, OAK_TERMINAL_IN, true, "the next bit"},
    {"clock", 1, OAK_TERMINAL_IN, true, "takes a bit when it rises"},
    {"latch", 1, OAK_TERMINAL_IN, false, "shows the bits when it rises; not wired: at once"},
    {"clear", 1, OAK_TERMINAL_IN, false, "low clears the bits"},
    {"out", 1, OAK_TERMINAL_OUT, false, "the last bit, for another one behind it"},
    {"q", 8, OAK_TERMINAL_OUT, false, "the bits, the newest one first"}};
const oak_stand_in_kind oak_kind_shift_register = {.name = "shift-register",
                                                   .title = "eight bits in a row, shown in parallel",
                                                   .terminals = shift_terminals,
                                                   .terminal_count = COUNT_OF(shift_terminals),
                                                   .state_size = sizeof(shift),
                                                   .reset = shift_put,
                                                   .changed = shift_changed,
                                                   .show = shift_show};

/* ------------------------------------------------------------------------------------------ memory on a parallel bus */

enum { MEMORY_SIZE, MEMORY_WRITABLE, MEMORY_CONTENTS, MEMORY_WRITE_TIME, MEMORY_PAGE };
enum {
    MEMORY_LINES = 16,
    MEMORY_DATA = MEMORY_LINES,
    MEMORY_ENABLE = MEMORY_DATA + 8,
    MEMORY_READ,
    MEMORY_WRITE,
    MEMORY_LATCH
};
enum { MEMORY_MOST = 65536, MEMORY_LARGEST_PAGE = 256 };
typedef enum memory_phase { MEMORY_READY, MEMORY_LOADS, MEMORY_WORKS } memory_phase;
typedef struct memory {
    uint8_t writing, latched, refused;
    uint8_t phase;  /* memory_phase: an EEPROM takes bytes of a page, and then works */
    uint8_t loaded; /* the last byte it took */
    uint16_t low;   /* lower address, kept by the latch */
    uint64_t reads, writes, pages, early;
    uint32_t last, page_at;
    uint8_t page[MEMORY_LARGEST_PAGE], filled[MEMORY_LARGEST_PAGE];
    uint8_t bytes[MEMORY_MOST];
} memory;

/* The address; with a latch its lower half comes over the data lines. */
static uint32_t memory_address(oak_stand_in *self)
{
    const memory *it = oak_stand_in_state(self);
    uint32_t address = 0, size = (uint32_t)oak_stand_in_number(self, MEMORY_SIZE);
    bool latch = oak_stand_in_is_wired(self, MEMORY_LATCH);
    for (unsigned i = latch ? 8 : 0; i < MEMORY_LINES; i++)
        if (oak_stand_in_level(self, i) == OAK_HIGH) address |= 1u << i;
    if (latch) address |= it->low & 0xFFu;
    return address % size % MEMORY_MOST;
}

static uint8_t memory_bus(oak_stand_in *self)
{
    uint8_t value = 0;
    for (unsigned i = 0; i < 8; i++)
        if (oak_stand_in_level(self, MEMORY_DATA + i) != OAK_LOW) value |= (uint8_t)(1u << i);
    return value;
}

/* Signals are active when low. One that is not wired is always active, except for writing. */
static bool memory_active(oak_stand_in *self, unsigned terminal)
{
    return !oak_stand_in_is_wired(self, terminal) ? terminal != MEMORY_WRITE
                                                  : oak_stand_in_level(self, terminal) == OAK_LOW;
}

static void memory_drive(oak_stand_in *self)
{
    memory *it = oak_stand_in_state(self);
    bool drives = memory_active(self, MEMORY_ENABLE) && memory_active(self, MEMORY_READ) &&
                  !memory_active(self, MEMORY_WRITE);
    uint32_t address = memory_address(self);
    uint8_t byte =
        it->phase ? it->loaded ^ 0x80 : it->bytes[address]; /* not yet: the highest bit is inverted */
    if (drives && address != it->last) it->reads++;
    if (drives) it->last = address;
    for (unsigned i = 0; i < 8; i++)
        oak_stand_in_put(self, MEMORY_DATA + i, !drives ? OAK_FLOAT : byte >> i & 1 ? OAK_HIGH : OAK_LOW);
}

/* An EEPROM takes bytes as long as one follows the other, all of one page, and then works. */
static void memory_load(oak_stand_in *self, uint32_t address, uint8_t byte)
{
    enum { LOADS_PS = 150000000 }; /* 150 us for the next byte */
    memory *it = oak_stand_in_state(self);
    uint32_t page = (uint32_t)oak_stand_in_number(self, MEMORY_PAGE);
    if (it->phase == MEMORY_WORKS) {
        it->early++;
        return;
    }
    if (it->phase == MEMORY_READY) {
        memset(it->filled, 0, sizeof it->filled);
        it->page_at = address / page * page;
    }
    it->phase = MEMORY_LOADS;
    it->page[address % page] = it->loaded = byte;
    it->filled[address % page] = 1;
    oak_stand_in_wake(self, oak_stand_in_now(self) + oak_stand_in_cycles(self, LOADS_PS));
}

static void memory_due(oak_stand_in *self)
{
    memory *it = oak_stand_in_state(self);
    if (it->phase == MEMORY_LOADS) {
        it->phase = MEMORY_WORKS;
        oak_stand_in_wake(self, oak_stand_in_now(self) +
                                    oak_stand_in_cycles(self, oak_stand_in_number(self, MEMORY_WRITE_TIME)));
        return;
    }
    for (uint32_t i = 0; it->phase && i < MEMORY_LARGEST_PAGE; i++)
        if (it->filled[i]) it->bytes[(it->page_at + i) % MEMORY_MOST] = it->page[i];
    it->pages += it->phase != MEMORY_READY;
    it->phase = MEMORY_READY;
    memory_drive(self);
}

static void memory_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    memory *it = oak_stand_in_state(self);
    if (terminal == MEMORY_LATCH) {
        if (it->latched && level == OAK_LOW) it->low = memory_bus(self);
        it->latched = level == OAK_HIGH;
    }
    bool writing = memory_active(self, MEMORY_ENABLE) && memory_active(self, MEMORY_WRITE);
    if (it->writing && !writing) { /* taken when the signal ends */
        if (!oak_stand_in_number(self, MEMORY_WRITABLE)) it->refused = 1;
        else if (it->writes++, oak_stand_in_number(self, MEMORY_WRITE_TIME))
            memory_load(self, memory_address(self), memory_bus(self));
        else it->bytes[memory_address(self)] = memory_bus(self);
    }
    it->writing = writing;
    if (terminal < MEMORY_DATA || terminal >= MEMORY_ENABLE) memory_drive(self);
}

static void memory_reset(oak_stand_in *self)
{
    memory *it = oak_stand_in_state(self);
    size_t size;
    const uint8_t *contents = oak_stand_in_file(self, MEMORY_CONTENTS, &size);
    memset(it->bytes, 0xFF, sizeof it->bytes);
    if (contents) memcpy(it->bytes, contents, size < sizeof it->bytes ? size : sizeof it->bytes);
    it->last = UINT32_MAX;
}

static void memory_show(oak_stand_in *self, char *text, size_t room)
{
    const memory *it = oak_stand_in_state(self);
    if (oak_stand_in_number(self, MEMORY_WRITE_TIME))
        oak_format(text, room, "%llu pages written, %llu bytes%s%s; begins with %02x %02x %02x %02x",
                   (unsigned long long)it->pages, (unsigned long long)it->writes,
                   it->early ? ", some came while it worked and are lost" : "", it->phase ? ", works" : "",
                   it->bytes[0], it->bytes[1], it->bytes[2], it->bytes[3]);
    else
        oak_format(text, room,
                   "%llu reads, %llu writes%s; begins with %02x %02x %02x %02x %02x %02x %02x %02x",
                   (unsigned long long)it->reads, (unsigned long long)it->writes,
                   it->refused ? ", a write was refused" : "", it->bytes[0], it->bytes[1], it->bytes[2],
                   it->bytes[3], it->bytes[4], it->bytes[5], it->bytes[6], it->bytes[7]);
}

static const oak_terminal memory_terminals[] = {
    {"a", MEMORY_LINES, OAK_TERMINAL_IN, false, "the address"},
    {"d", 8, OAK_TERMINAL_BUS, true, "the data"},
    {"enable", 1, OAK_TERMINAL_IN, false, "low: the chip is meant"},
    {"read", 1, OAK_TERMINAL_IN, false, "low: it drives the data lines"},
    {"write", 1, OAK_TERMINAL_IN, false, "low: it takes them, when the signal ends"},
    {"latch", 1, OAK_TERMINAL_IN, false, "keeps a0 to a7 from the data lines when it falls"}};
static const oak_setting memory_settings[] = {
    {"size", OAK_SETTING_NUMBER, "32KiB", 1, MEMORY_MOST, NULL, "bytes"},
    {"writable", OAK_SETTING_WORD, "yes", 0, 0, YES_WORDS, "no: a ROM"},
    {"contents", OAK_SETTING_FILE, "", 0, 0, NULL,
     "a file of what it holds at reset: Intel HEX, S-records or plain bytes"},
    {"write-time", OAK_SETTING_TIME, "0us", 0, 0, NULL,
     "above 0: an EEPROM, which works so long on a page; meanwhile the highest bit read is inverted"},
    {"page", OAK_SETTING_NUMBER, "1", 1, MEMORY_LARGEST_PAGE, NULL,
     "bytes an EEPROM takes together, each within 150us of the last one"}};
const oak_stand_in_kind oak_kind_memory = {.name = "memory",
                                           .title = "RAM, ROM or EEPROM on a parallel bus",
                                           .terminals = memory_terminals,
                                           .terminal_count = COUNT_OF(memory_terminals),
                                           .settings = memory_settings,
                                           .setting_count = COUNT_OF(memory_settings),
                                           .state_size = sizeof(memory),
                                           .reset = memory_reset,
                                           .changed = memory_changed,
                                           .due = memory_due,
                                           .show = memory_show};

/* ------------------------------------------------------------------------------------------ memory for movx */

/* Memory on the chip's own external bus, where it has one: movx reaches it. Its cells are those of the space xram. */
enum { EXTERNAL_AT, EXTERNAL_SIZE, EXTERNAL_WRITABLE, EXTERNAL_CONTENTS };

static bool external_maps(const oak_stand_in *self, oak_external *range, const uint8_t **contents,
                          size_t *size)
{
    *range = (oak_external){(uint32_t)oak_stand_in_number(self, EXTERNAL_AT),
                            (uint32_t)oak_stand_in_number(self, EXTERNAL_SIZE),
                            oak_stand_in_number(self, EXTERNAL_WRITABLE) != 0};
    *contents = oak_stand_in_file(self, EXTERNAL_CONTENTS, size);
    return true;
}

static void external_show(oak_stand_in *self, char *text, size_t room)
{
    uint64_t at = oak_stand_in_number(self, EXTERNAL_AT), size = oak_stand_in_number(self, EXTERNAL_SIZE);
    oak_format(text, room, "%s at xram 0x%04x to 0x%04x",
               oak_stand_in_number(self, EXTERNAL_WRITABLE) ? "RAM" : "ROM", (unsigned)at,
               (unsigned)(at + size - 1));
}

static const oak_setting external_settings[] = {
    {"at", OAK_SETTING_NUMBER, "0", 0, 0xFFFF, NULL, "its first address"},
    {"size", OAK_SETTING_NUMBER, "32KiB", 1, MEMORY_MOST, NULL, "bytes"},
    {"writable", OAK_SETTING_WORD, "yes", 0, 0, YES_WORDS, "no: a ROM"},
    {"contents", OAK_SETTING_FILE, "", 0, 0, NULL,
     "a file of what it holds at reset, from its first byte on"}};
const oak_stand_in_kind oak_kind_external_memory = {
    .name = "external-memory",
    .title = "RAM or ROM on the external bus of the chip, for movx",
    .settings = external_settings,
    .setting_count = COUNT_OF(external_settings),
    .show = external_show,
    .maps = external_maps};

/* ------------------------------------------------------------------------------------------ EEPROMs */

enum { EEPROM_MOST = 65536 };
enum { EEPROM_SIZE, EEPROM_PAGE, EEPROM_WRITE_TIME, EEPROM_CONTENTS, EEPROM_ADDRESS };

static void fill_eeprom(oak_stand_in *self, uint8_t *bytes)
{
    size_t size;
    const uint8_t *contents = oak_stand_in_file(self, EEPROM_CONTENTS, &size);
    memset(bytes, 0xFF, EEPROM_MOST);
    if (contents) memcpy(bytes, contents, size < EEPROM_MOST ? size : EEPROM_MOST);
}

#define EEPROM_SETTINGS                                                                                      \
    {"size", OAK_SETTING_NUMBER, "256", 16, EEPROM_MOST, NULL, "bytes; above 256 an address has two bytes"}, \
        {"page", OAK_SETTING_NUMBER, "8", 1, 256, NULL, "bytes that one write may hold"},                    \
        {"write-time", OAK_SETTING_TIME, "5ms", 0, 0, NULL, "how long a write takes; meanwhile it is busy"}, \
    {                                                                                                        \
        "contents", OAK_SETTING_FILE, "", 0, 0, NULL, "a file of what it holds at reset"                     \
    }

/* What a write has left in the page goes to the cells; addresses turn round inside the page. */
typedef struct eeprom {
    uint8_t bytes[EEPROM_MOST];
    uint8_t page[256], filled[256]; /* written, and which */
    uint32_t page_at, address;
    uint64_t busy_until, reads, writes;
} eeprom;

static void eeprom_take(oak_stand_in *self, eeprom *it, uint8_t byte)
{
    uint32_t page = (uint32_t)oak_stand_in_number(self, EEPROM_PAGE),
             size = (uint32_t)oak_stand_in_number(self, EEPROM_SIZE);
    uint32_t offset = it->address % page;
    it->page_at = it->address % size / page * page;
    it->page[offset] = byte;
    it->filled[offset] = 1;
    it->address = it->page_at + (offset + 1) % page;
}

static bool eeprom_commit(oak_stand_in *self, eeprom *it)
{
    bool any = false;
    for (unsigned i = 0; i < 256; i++) {
        if (!it->filled[i]) continue;
        it->bytes[(it->page_at + i) % EEPROM_MOST] = it->page[i];
        any = true;
    }
    memset(it->filled, 0, sizeof it->filled);
    if (!any) return false;
    it->writes++;
    it->busy_until =
        oak_stand_in_now(self) + oak_stand_in_cycles(self, oak_stand_in_number(self, EEPROM_WRITE_TIME));
    return true;
}

static uint8_t eeprom_next(oak_stand_in *self, eeprom *it)
{
    uint32_t size = (uint32_t)oak_stand_in_number(self, EEPROM_SIZE);
    uint8_t byte = it->bytes[it->address % size % EEPROM_MOST];
    it->address = (it->address + 1) % size;
    it->reads++;
    return byte;
}

static void eeprom_show(const oak_stand_in *self, const eeprom *it, char *text, size_t room)
{
    oak_format(text, room,
               "%llu bytes read, %llu writes%s; begins with %02x %02x %02x %02x %02x %02x %02x %02x",
               (unsigned long long)it->reads, (unsigned long long)it->writes,
               it->busy_until > oak_stand_in_now(self) ? ", busy" : "", it->bytes[0], it->bytes[1],
               it->bytes[2], it->bytes[3], it->bytes[4], it->bytes[5], it->bytes[6], it->bytes[7]);
}

/* ---- on two wires: I²C, as its specification describes it: start, stop, acknowledge; a control byte, an address, data */

enum { WIRE_SDA, WIRE_SCL };
enum { WIRE_IDLE, WIRE_CONTROL, WIRE_ADDRESS, WIRE_ADDRESS_2, WIRE_WRITE, WIRE_READ, WIRE_IGNORE };
typedef struct two_wire {
    eeprom cells;
    uint8_t sda, scl, phase, bits, byte, acknowledges, sends;
} two_wire;

static void wire_pull(oak_stand_in *self, bool low)
{
    oak_stand_in_put(self, WIRE_SDA, low ? OAK_LOW : OAK_FLOAT);
}

static bool wire_take(oak_stand_in *self, two_wire *it)
{
    bool two = oak_stand_in_number(self, EEPROM_SIZE) > 256;
    switch (it->phase) {
    case WIRE_CONTROL:
        if (it->byte >> 1 != oak_stand_in_number(self, EEPROM_ADDRESS) ||
            it->cells.busy_until > oak_stand_in_now(self)) {
            it->phase = WIRE_IGNORE;
            return false;
        }
        it->phase = it->byte & 1 ? WIRE_READ : WIRE_ADDRESS;
        return true;
    case WIRE_ADDRESS:
        it->cells.address = two ? (uint32_t)it->byte << 8 : it->byte;
        it->phase = two ? WIRE_ADDRESS_2 : WIRE_WRITE;
        return true;
    case WIRE_ADDRESS_2:
        it->cells.address |= it->byte;
        it->phase = WIRE_WRITE;
        return true;
    case WIRE_WRITE: eeprom_take(self, &it->cells, it->byte); return true;
    default: return false;
    }
}

static void wire_rise(two_wire *it)
{
    if (it->phase == WIRE_IDLE || it->phase == WIRE_IGNORE) return;
    if (it->bits < 8) {
        if (!it->sends) it->byte = (uint8_t)(it->byte << 1 | it->sda);
        it->bits++;
    } else if (it->sends && it->sda) it->phase = WIRE_IGNORE; /* the master wants no more */
    else it->bits = 9;
}

static void wire_fall(oak_stand_in *self, two_wire *it)
{
    if (it->phase == WIRE_IDLE || it->phase == WIRE_IGNORE) {
        wire_pull(self, false);
        return;
    }
    if (it->bits == 8) { /* the acknowledge comes */
        if (it->sends) wire_pull(self, false);
        else {
            it->acknowledges = wire_take(self, it);
            wire_pull(self, it->acknowledges);
        }
        if (!it->sends) it->bits = it->acknowledges ? 8 : 0;
        return;
    }
    if (it->bits == 9 || (it->bits == 0 && it->sends)) {
        it->bits = 0;
        it->sends = it->phase == WIRE_READ;
        it->byte = it->sends ? eeprom_next(self, &it->cells) : 0;
    }
    wire_pull(self, it->sends && !(it->byte >> (7 - it->bits % 8) & 1));
}

static void wire_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    two_wire *it = oak_stand_in_state(self);
    bool high = level != OAK_LOW;
    if (terminal == WIRE_SDA) {
        bool before = it->sda;
        it->sda = high;
        if (!it->scl || before == high) return;
        if (!high) { /* start, or start again */
            it->phase = WIRE_CONTROL;
            it->bits = it->byte = it->sends = 0;
            memset(it->cells.filled, 0, sizeof it->cells.filled);
        } else { /* stop */
            it->phase = WIRE_IDLE;
            it->sends = 0;
            eeprom_commit(self, &it->cells);
        }
        return;
    }
    if (high == (it->scl != 0)) return;
    it->scl = high;
    if (high) wire_rise(it);
    else wire_fall(self, it);
}

static void wire_reset(oak_stand_in *self)
{
    two_wire *it = oak_stand_in_state(self);
    fill_eeprom(self, it->cells.bytes);
    it->sda = it->scl = 1;
}

static void wire_show(oak_stand_in *self, char *text, size_t room)
{
    const two_wire *it = oak_stand_in_state(self);
    eeprom_show(self, &it->cells, text, room);
}

static const oak_terminal wire_terminals[] = {{"sda", 1, OAK_TERMINAL_OPEN, true, "data"},
                                              {"scl", 1, OAK_TERMINAL_IN, true, "clock"}};
static const oak_setting wire_settings[] = {
    EEPROM_SETTINGS,
    {"address", OAK_SETTING_NUMBER, "0x50", 0, 127, NULL, "seven bits"}};
const oak_stand_in_kind oak_kind_eeprom_two_wire = {.name = "eeprom-i2c",
                                                    .title = "an EEPROM on an I²C bus",
                                                    .terminals = wire_terminals,
                                                    .terminal_count = COUNT_OF(wire_terminals),
                                                    .settings = wire_settings,
                                                    .setting_count = COUNT_OF(wire_settings),
                                                    .state_size = sizeof(two_wire),
                                                    .reset = wire_reset,
                                                    .changed = wire_changed,
                                                    .show = wire_show};

/* ---- on four wires: SPI, mode 0 and 3: bits are taken when the clock rises and change when it falls */

enum { FOUR_SELECT, FOUR_CLOCK, FOUR_IN, FOUR_OUT };
enum { FOUR_COMMAND, FOUR_ADDRESS, FOUR_ADDRESS_2, FOUR_READ, FOUR_WRITE, FOUR_STATUS, FOUR_DONE };
enum { DO_WRITE = 2, DO_READ, DO_DISABLE, DO_STATUS, DO_ENABLE };
typedef struct four_wire {
    eeprom cells;
    uint8_t clock, selected, phase, bits, byte, out, command, enabled;
} four_wire;

static uint8_t four_status(const oak_stand_in *self, const four_wire *it)
{
    return (uint8_t)((it->cells.busy_until > oak_stand_in_now(self)) | it->enabled << 1);
}

static void four_take(oak_stand_in *self, four_wire *it)
{
    bool two = oak_stand_in_number(self, EEPROM_SIZE) > 256,
         busy = it->cells.busy_until > oak_stand_in_now(self);
    switch (it->phase) {
    case FOUR_COMMAND:
        it->command = it->byte;
        it->phase = FOUR_DONE;
        if (it->command == DO_STATUS) it->phase = FOUR_STATUS, it->out = four_status(self, it);
        else if (busy) break;
        else if (it->command == DO_ENABLE) it->enabled = 1;
        else if (it->command == DO_DISABLE) it->enabled = 0;
        else if (it->command == DO_READ || (it->command == DO_WRITE && it->enabled))
            it->phase = two ? FOUR_ADDRESS_2 : FOUR_ADDRESS, it->cells.address = 0;
        break;
    case FOUR_ADDRESS_2:
        it->cells.address = (uint32_t)it->byte << 8;
        it->phase = FOUR_ADDRESS;
        break;
    case FOUR_ADDRESS:
        it->cells.address |= it->byte;
        it->phase = it->command == DO_READ ? FOUR_READ : FOUR_WRITE;
        if (it->phase == FOUR_READ) it->out = eeprom_next(self, &it->cells);
        break;
    case FOUR_READ: it->out = eeprom_next(self, &it->cells); break;
    case FOUR_WRITE: eeprom_take(self, &it->cells, it->byte); break;
    case FOUR_STATUS: it->out = four_status(self, it); break;
    default: break;
    }
}

static void four_drive(oak_stand_in *self, const four_wire *it)
{
    bool sends = it->selected && (it->phase == FOUR_READ || it->phase == FOUR_STATUS);
    oak_stand_in_put(self, FOUR_OUT,
                     !sends                              ? OAK_FLOAT
                     : it->out >> (7 - it->bits % 8) & 1 ? OAK_HIGH
                                                         : OAK_LOW);
}

static void four_changed(oak_stand_in *self, unsigned terminal, oak_level level)
{
    four_wire *it = oak_stand_in_state(self);
    if (terminal == FOUR_SELECT) {
        bool selected = level == OAK_LOW;
        if (it->selected && !selected && it->phase == FOUR_WRITE && it->bits == 0 &&
            eeprom_commit(self, &it->cells))
            it->enabled = 0;
        if (selected != (it->selected != 0)) memset(it->cells.filled, 0, sizeof it->cells.filled);
        it->selected = selected;
        it->phase = FOUR_COMMAND;
        it->bits = it->byte = 0;
        four_drive(self, it);
    }
    if (terminal != FOUR_CLOCK) return;
    bool high = level == OAK_HIGH, rises = high && !it->clock, falls = !high && it->clock;
    it->clock = high;
    if (!it->selected) return;
    if (rises) {
        it->byte = (uint8_t)(it->byte << 1 | (oak_stand_in_level(self, FOUR_IN) == OAK_HIGH));
        if (++it->bits == 8) {
            it->bits = 0;
            four_take(self, it);
        }
    }
    if (falls) four_drive(self, it);
}

static void four_reset(oak_stand_in *self)
{
    four_wire *it = oak_stand_in_state(self);
    fill_eeprom(self, it->cells.bytes);
}

static void four_show(oak_stand_in *self, char *text, size_t room)
{
    const four_wire *it = oak_stand_in_state(self);
    eeprom_show(self, &it->cells, text, room);
}

static const oak_terminal four_terminals[] = {
    {"select", 1, OAK_TERMINAL_IN, true, "low: the chip is meant"},
    {"clock", 1, OAK_TERMINAL_IN, true, "bits are taken when it rises"},
    {"in", 1, OAK_TERMINAL_IN, true, "to the EEPROM"},
    {"out", 1, OAK_TERMINAL_BUS, false, "from the EEPROM"}};
static const oak_setting four_settings[] = {EEPROM_SETTINGS};
const oak_stand_in_kind oak_kind_eeprom_four_wire = {.name = "eeprom-spi",
                                                     .title = "an EEPROM on an SPI bus",
                                                     .terminals = four_terminals,
                                                     .terminal_count = COUNT_OF(four_terminals),
                                                     .settings = four_settings,
                                                     .setting_count = COUNT_OF(four_settings),
                                                     .state_size = sizeof(four_wire),
                                                     .reset = four_reset,
                                                     .changed = four_changed,
                                                     .show = four_show};
