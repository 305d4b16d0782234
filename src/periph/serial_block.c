/* serial_block.c — an asynchronous serial port: a start bit, eight bits, a stop bit, each `divisor` cycles long. One byte
 * waits behind the one that is being sent. What was sent is kept until somebody takes it.
 *
 * Where the part gives it pins, bits go out on one and come in on the other, looked at in their middle. */
#include "periph/block.h"

#include "base/bytes.h"

enum { BITS = 10 };

void oak_serial_keep(oak_block *block, uint8_t byte, uint64_t cycle)
{
    oak_sent *sent = &block->sent;
    if (sent->count == sent->room && sent->room < OAK_SERIAL_KEPT) {
        size_t room = sent->room ? sent->room * 2 : 256;
        const oak_host *host = block->services->host;
        uint8_t *grown = host->resize(host->context, sent->bytes, sent->room, room);
        if (grown) sent->bytes = grown;
        uint64_t *cycles = grown ? host->resize(host->context, sent->cycles, sent->room * sizeof *cycles,
                                                room * sizeof *cycles)
                                 : NULL;
        if (cycles) sent->cycles = cycles;
        else if (grown) sent->bytes = host->resize(host->context, grown, room, sent->room);
        if (!cycles) {
            block->services->lose(block->services->machine);
            return;
        }
        sent->room = room;
    }
    if (sent->count == sent->room) {
        memmove(sent->bytes, sent->bytes + 1, --sent->count);
        memmove(sent->cycles, sent->cycles + 1, sent->count * sizeof *sent->cycles);
    }
    sent->cycles[sent->count] = cycle;
    sent->bytes[sent->count++] = byte;
}

static uint16_t pin_of(const oak_block *block, unsigned use)
{
    return block->about->uses[use];
}

static void put(oak_block *block, bool high, uint64_t now)
{
    uint16_t pin = pin_of(block, OAK_SERIAL_SEND_PIN);
    if (pin != OAK_NO_PIN)
        block->services->put(block->services->machine, pin, block->as.serial.running, high, now);
}

static bool line_high(const oak_block *block)
{
    uint16_t pin = pin_of(block, OAK_SERIAL_RECEIVE_PIN);
    return pin != OAK_NO_PIN && block->services->level(block->services->machine, pin);
}

/* The cycle at which the next bit of the byte in the shifter begins. */
static uint64_t bit_begins(const oak_serial *serial)
{
    return serial->done - (uint64_t)(BITS - serial->bit) * serial->length;
}

static void begin(oak_block *block, uint8_t byte, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    serial->shifter = byte;
    serial->shifting = true;
    serial->length = serial->divisor ? serial->divisor : 1;
    serial->done = now + (uint64_t)BITS * serial->length;
    serial->bit = 0;
}

static void send(oak_block *block, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    bool on_pin = pin_of(block, OAK_SERIAL_SEND_PIN) != OAK_NO_PIN;
    while (serial->shifting && (serial->done <= now || on_pin)) {
        for (; on_pin && serial->bit < BITS && bit_begins(serial) <= now; serial->bit++)
            put(block, serial->bit && (serial->bit == BITS - 1 || serial->shifter >> (serial->bit - 1) & 1),
                bit_begins(serial));
        if (serial->done > now) return;
        oak_serial_keep(block, serial->shifter, serial->done);
        serial->shifting = false;
        if (serial->holding) begin(block, serial->held, serial->done);
        serial->holding = false;
    }
}

static void update(oak_block *block, uint64_t now);

/* Bits are looked at in their middle: the start bit, eight more, the stop bit. */
static uint64_t sample_at(const oak_serial *serial)
{
    return serial->in_began + (uint64_t)serial->in_bit * serial->in_length + serial->in_length / 2;
}

static void take_sample(oak_block *block)
{
    oak_serial *serial = &block->as.serial;
    bool high = line_high(block);
    uint64_t now = sample_at(serial);
    unsigned bit = serial->in_bit++;
    if (bit == 0) serial->receiving = !high;
    else if (bit < BITS - 1) serial->in_byte = (uint8_t)(serial->in_byte >> 1 | (high ? 0x80 : 0));
    else {
        serial->receiving = false;
        if (!high) block->services->suffer(block->services->machine, OAK_FAULT_FRAMING, serial->in_byte, now);
        oak_serial_receive(block, serial->in_byte, now);
    }
}

static void update(oak_block *block, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    send(block, now);
    while (serial->receiving && sample_at(serial) <= now) take_sample(block);
    bool room = serial->running && !serial->holding;
    oak_block_interrupt(block,
                        (room && serial->room_interrupt) || (serial->received && serial->received_interrupt));
}

static void pins(oak_block *block, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    bool before = serial->line_high;
    serial->line_high = line_high(block);
    if (!serial->running || serial->receiving || !before || serial->line_high) return;
    serial->receiving = true;
    serial->in_bit = serial->in_byte = 0;
    serial->in_length = serial->divisor ? serial->divisor : 1;
    serial->in_began = now;
}

void oak_serial_receive(oak_block *block, uint8_t byte, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    if (!serial->running) return;
    if (serial->received) {
        serial->overrun = true;
        block->services->suffer(block->services->machine, OAK_FAULT_OVERRUN, byte, now);
    }
    serial->data = byte;
    serial->received = true;
    oak_block_interrupt(block, block->line || serial->received_interrupt);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.serial = (oak_serial){.divisor = 1, .length = 1, .in_length = 1, .line_high = line_high(block)};
    put(block, true, now);
    update(block, now);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    (void)now;
    switch (role) {
    case OAK_SERIAL_RUN: return serial->running;
    case OAK_SERIAL_DATA: return serial->data;
    case OAK_SERIAL_DIVISOR: return serial->divisor;
    case OAK_SERIAL_DIVISOR_LOW: return serial->divisor & 0xFF;
    case OAK_SERIAL_DIVISOR_HIGH: return serial->divisor >> 8 & 0xFF;
    case OAK_SERIAL_ROOM: return !serial->holding;
    case OAK_SERIAL_SENT: return !serial->shifting;
    case OAK_SERIAL_RECEIVED: return serial->received;
    case OAK_SERIAL_OVERRUN: return serial->overrun;
    case OAK_SERIAL_ROOM_INTERRUPT: return serial->room_interrupt;
    default: return serial->received_interrupt;
    }
}

static bool set(oak_block *block, unsigned role, uint32_t value, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    switch (role) {
    case OAK_SERIAL_RUN:
        serial->running = value != 0;
        if (!serial->shifting) put(block, true, now);
        break;
    case OAK_SERIAL_DIVISOR: serial->divisor = value ? value : 1; break;
    case OAK_SERIAL_DIVISOR_LOW: /* of registers of 8 bits; what is in both counts */
        serial->divisor = (serial->divisor & 0xFF00) | (value & 0xFF);
        break;
    case OAK_SERIAL_DIVISOR_HIGH: serial->divisor = (serial->divisor & 0xFF) | (value & 0xFF) << 8; break;
    case OAK_SERIAL_DATA:
        if (!serial->running) break;
        if (serial->shifting) { /* a byte that waits already is lost, as on the chip */
            serial->held = (uint8_t)value;
            serial->holding = true;
            break;
        }
        begin(block, (uint8_t)value, now);
        break;
    case OAK_SERIAL_RECEIVED: serial->received = serial->received && !value; break;
    case OAK_SERIAL_OVERRUN: serial->overrun = serial->overrun && !value; break;
    case OAK_SERIAL_ROOM_INTERRUPT: serial->room_interrupt = value != 0; break;
    case OAK_SERIAL_RECEIVED_INTERRUPT: serial->received_interrupt = value != 0; break;
    default: break;
    }
    update(block, now);
    return true;
}

static uint64_t advance(oak_block *block, uint64_t now)
{
    const oak_serial *serial = &block->as.serial;
    uint64_t next = UINT64_MAX;
    update(block, now);
    if (serial->shifting && pin_of(block, OAK_SERIAL_SEND_PIN) != OAK_NO_PIN)
        next = serial->bit < BITS ? bit_begins(serial) : serial->done;
    else if (serial->shifting && serial->room_interrupt) next = serial->done;
    if (serial->receiving && sample_at(serial) < next) next = sample_at(serial);
    return next;
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_serial *it = &block->as.serial;
    OAK_VISIT(it, running, bool)
    OAK_VISIT(it, shifting, bool)
    OAK_VISIT(it, holding, bool)
    OAK_VISIT(it, received, bool)
    OAK_VISIT(it, overrun, bool)
    OAK_VISIT(it, room_interrupt, bool)
    OAK_VISIT(it, received_interrupt, bool)
    OAK_VISIT(it, shifter, uint8_t)
    OAK_VISIT(it, held, uint8_t)
    OAK_VISIT(it, data, uint8_t)
    OAK_VISIT(it, divisor, uint32_t)
    OAK_VISIT(it, length, uint32_t)
    OAK_VISIT(it, done, uint64_t)
    OAK_VISIT(it, bit, uint8_t)
    OAK_VISIT(it, receiving, bool)
    OAK_VISIT(it, line_high, bool)
    OAK_VISIT(it, in_bit, uint8_t)
    OAK_VISIT(it, in_byte, uint8_t)
    OAK_VISIT(it, in_length, uint32_t)
    OAK_VISIT(it, in_began, uint64_t)
    OAK_VISIT(block, line, bool)
    if (!it->length) it->length = 1;
    if (!it->in_length) it->in_length = 1;
}

/* Reading takes the byte. */
static void taken(oak_block *block, unsigned role, uint64_t now)
{
    if (role == OAK_SERIAL_DATA) set(block, OAK_SERIAL_RECEIVED, 1, now);
}

const oak_block_ops oak_serial_block = {reset, get, set, advance, visit, pins, NULL, NULL, taken};
