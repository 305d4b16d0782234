/* serial_block.c — an asynchronous serial port: a start bit, eight bits, a stop bit, each `divisor` cycles long. One byte
 * waits behind the one that is being sent. What was sent is kept until somebody takes it.
 *
 * With `count`, a bit lasts 16 times (`fast`: 4 times) as many cycles as it says, and one; a ninth bit may be sent and expected; `sends` and `receives`
 * let each side run; and of bytes that came two wait, of which reading `arrived` takes the older one. A third one is lost, and nothing
 * more is received until `receives` is taken back.
 *
 * With `held`, it runs where that is 0, its flags are taken back by writing 0, and a byte received asks on the first line, room for one on the
 * second.
 *
 * With `complete`, that flag is set when the last bit is out and nothing waits, is taken back by writing 1 or by being served, and asks on the third line;
 * a byte received asks on the first, room on the second; `twice` makes a bit half as long; of bytes that came three wait, and when there is one
 * more it is lost, which `overrun` tells until one is read.
 *
 * With `sixteenths`, a bit lasts 16 times as many cycles as it says, each side runs by `sends` and `receives`, what comes while a byte waits is lost, and
 * a byte is only taken by reading it when its flag has been looked at before.
 *
 * Where the part gives it pins, bits go out on one and come in on the other, looked at in their middle. */
#include "periph/block.h"

#include "base/bytes.h"

enum { NINTH = 0x100, NO_STOP = 0x200 };

/* Bits of a frame that goes out, or comes in. */
static unsigned bits_of(bool nine)
{
    return nine ? 11 : 10;
}

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

static bool sends(const oak_serial *serial)
{
    return serial->running && (!serial->sided || serial->sends);
}

static bool receives(const oak_serial *serial)
{
    return serial->running &&
           (!serial->sided ||
            (serial->receives && !(serial->counted && !serial->completes && serial->overrun)));
}

static uint32_t cycles_of_bit(const oak_serial *serial)
{
    if (serial->counted) return (serial->divisor + 1) * (serial->fast ? 4 : serial->twice ? 8 : 16);
    return (serial->divisor ? serial->divisor : 1) * (serial->sided ? 16 : 1);
}

static void put(oak_block *block, bool high, uint64_t now)
{
    uint16_t pin = pin_of(block, OAK_SERIAL_SEND_PIN);
    if (pin != OAK_NO_PIN)
        block->services->put(block->services->machine, pin, sends(&block->as.serial), high, now);
}

static bool line_high(const oak_block *block)
{
    uint16_t pin = pin_of(block, OAK_SERIAL_RECEIVE_PIN);
    return pin != OAK_NO_PIN && block->services->level(block->services->machine, pin);
}

/* The cycle at which the next bit of the byte in the shifter begins. */
static uint64_t bit_begins(const oak_serial *serial)
{
    return serial->done - (uint64_t)(bits_of(serial->nine_out) - serial->bit) * serial->length;
}

static void begin(oak_block *block, uint16_t byte, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    serial->shifter = byte;
    serial->shifting = true;
    serial->length = cycles_of_bit(serial);
    serial->done = now + (uint64_t)bits_of(serial->nine_out) * serial->length;
    serial->bit = 0;
}

static void send(oak_block *block, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    bool on_pin = pin_of(block, OAK_SERIAL_SEND_PIN) != OAK_NO_PIN;
    unsigned bits = bits_of(serial->nine_out);
    while (serial->shifting && (serial->done <= now || on_pin)) {
        for (; on_pin && serial->bit < bits && bit_begins(serial) <= now; serial->bit++)
            put(block, serial->bit && (serial->bit == bits - 1 || serial->shifter >> (serial->bit - 1) & 1),
                bit_begins(serial));
        if (serial->done > now) return;
        oak_serial_keep(block, (uint8_t)serial->shifter, serial->done);
        serial->shifting = false;
        serial->complete = serial->complete || !serial->holding;
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

/* A frame has come. */
static void take_frame(oak_block *block, uint16_t frame, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    unsigned most = serial->completes ? OAK_SERIAL_WAIT : serial->counted ? 2 : 1;
    if (!receives(serial)) return;
    if (serial->received >= most) {
        serial->overrun = true;
        block->services->suffer(block->services->machine, OAK_FAULT_OVERRUN, frame & 0xFF, now);
        if (serial->sided) return;
        serial->received = 0;
    }
    serial->waiting[serial->received++] = frame;
}

static void take_sample(oak_block *block)
{
    oak_serial *serial = &block->as.serial;
    bool high = line_high(block);
    uint64_t now = sample_at(serial);
    unsigned bit = serial->in_bit++, last = bits_of(serial->nine_in) - 1;
    if (bit == 0) serial->receiving = !high;
    else if (bit < last) serial->in_byte = (uint16_t)(serial->in_byte | high << (bit - 1));
    else {
        serial->receiving = false;
        if (!high)
            block->services->suffer(block->services->machine, OAK_FAULT_FRAMING, serial->in_byte & 0xFF, now);
        take_frame(block, (uint16_t)(serial->in_byte | (high ? 0 : NO_STOP)), now);
    }
}

static void update(oak_block *block, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    send(block, now);
    while (serial->receiving && sample_at(serial) <= now) take_sample(block);
    bool room = (sends(serial) || serial->completes) && !serial->holding && serial->room_interrupt;
    bool received = serial->received && serial->received_interrupt;
    oak_block_interrupt(block, (room && serial->room_urgent) || (received && serial->received_urgent));
    oak_block_ask(block, 1, (room && !serial->room_urgent) || (received && !serial->received_urgent), 0);
    oak_block_ask(block, 2, serial->complete && serial->complete_interrupt, 0);
}

static void pins(oak_block *block, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    bool before = serial->line_high;
    serial->line_high = line_high(block);
    if (!receives(serial) || serial->receiving || !before || serial->line_high) return;
    serial->receiving = true;
    serial->in_bit = 0;
    serial->in_byte = 0;
    serial->in_length = cycles_of_bit(serial);
    serial->in_began = now;
}

void oak_serial_receive(oak_block *block, uint8_t byte, uint64_t now)
{
    take_frame(block, byte, now);
    update(block, now);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.serial = (oak_serial){
        .divisor = 1,
        .length = 1,
        .in_length = 1,
        .line_high = line_high(block),
        .counted = oak_block_has(block, OAK_SERIAL_COUNT),
        .sided = oak_block_has(block, OAK_SERIAL_COUNT) || oak_block_has(block, OAK_SERIAL_SIXTEENTHS),
        .running = oak_block_has(block, OAK_SERIAL_SIXTEENTHS) || oak_block_has(block, OAK_SERIAL_COMPLETE),
        .completes = oak_block_has(block, OAK_SERIAL_COMPLETE),
        .room_urgent = !oak_block_has(block, OAK_SERIAL_HELD) && !oak_block_has(block, OAK_SERIAL_COMPLETE),
        .received_urgent = true};
    if (block->as.serial.counted) block->as.serial.divisor = 0;
    put(block, true, now);
    update(block, now);
}

static uint32_t get(oak_block *block, unsigned role, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    (void)now;
    switch (role) {
    case OAK_SERIAL_RUN: return serial->running;
    case OAK_SERIAL_DATA:
        return oak_block_has(block, OAK_SERIAL_ARRIVED) ? serial->held & 0xFF : *serial->waiting & 0xFF;
    case OAK_SERIAL_ARRIVED: return *serial->waiting & 0xFF;
    case OAK_SERIAL_COUNT:
    case OAK_SERIAL_SIXTEENTHS: return serial->completes ? serial->divisor & 0xFF : serial->divisor;
    case OAK_SERIAL_COUNT_HIGH: return serial->divisor >> 8;
    case OAK_SERIAL_TWICE: return serial->twice;
    case OAK_SERIAL_COMPLETE: return serial->complete;
    case OAK_SERIAL_COMPLETE_INTERRUPT: return serial->complete_interrupt;
    case OAK_SERIAL_FAST: return serial->fast;
    case OAK_SERIAL_SENDS: return serial->sends;
    case OAK_SERIAL_RECEIVES: return serial->receives;
    case OAK_SERIAL_NINE_OUT: return serial->nine_out;
    case OAK_SERIAL_NINE_IN: return serial->nine_in;
    case OAK_SERIAL_NINTH_OUT: return serial->ninth_out;
    case OAK_SERIAL_NINTH_IN: return serial->received && *serial->waiting & NINTH;
    case OAK_SERIAL_FRAMING: return serial->received && *serial->waiting & NO_STOP;
    case OAK_SERIAL_ROOM_URGENT: return serial->room_urgent;
    case OAK_SERIAL_RECEIVED_URGENT: return serial->received_urgent;
    case OAK_SERIAL_DIVISOR: return serial->divisor;
    case OAK_SERIAL_DIVISOR_LOW: return serial->divisor & 0xFF;
    case OAK_SERIAL_DIVISOR_HIGH: return serial->divisor >> 8 & 0xFF;
    case OAK_SERIAL_ROOM: return !serial->holding && (!serial->counted || serial->completes || sends(serial));
    case OAK_SERIAL_SENT: return !serial->shifting;
    case OAK_SERIAL_RECEIVED: return serial->received != 0;
    case OAK_SERIAL_OVERRUN: return serial->overrun;
    case OAK_SERIAL_ROOM_INTERRUPT: return serial->room_interrupt;
    case OAK_SERIAL_HELD: return !serial->running;
    case OAK_SERIAL_BUSY: return serial->shifting;
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
    case OAK_SERIAL_HELD:
        serial->running = !value;
        if (value) {
            serial->shifting = serial->holding = serial->receiving = serial->overrun = false;
            serial->received = 0;
        }
        if (!serial->shifting) put(block, true, now);
        break;
    case OAK_SERIAL_DIVISOR: serial->divisor = value ? value : 1; break;
    case OAK_SERIAL_DIVISOR_LOW: /* of registers of 8 bits; what is in both counts */
        serial->divisor = (serial->divisor & 0xFF00) | (value & 0xFF);
        break;
    case OAK_SERIAL_DIVISOR_HIGH: serial->divisor = (serial->divisor & 0xFF) | (value & 0xFF) << 8; break;
    case OAK_SERIAL_DATA:
        serial->held = (uint16_t)((value & 0xFF) | (serial->nine_out && !serial->ninth_out ? 0u : NINTH));
        if (!sends(serial)) break;
        if (serial->shifting) serial->holding = true; /* a byte that waits already is lost, as on the chip */
        else begin(block, serial->held, now);
        break;
    case OAK_SERIAL_RECEIVED: /* writing 1 takes it back; writing 0 where the port is held to stop it */
        if (!serial->sided && oak_block_has(block, OAK_SERIAL_HELD) != (value != 0)) serial->received = 0;
        break;
    case OAK_SERIAL_OVERRUN:
        serial->overrun =
            serial->overrun && (serial->sided || oak_block_has(block, OAK_SERIAL_HELD) || !value);
        break;
    case OAK_SERIAL_COUNT:
    case OAK_SERIAL_SIXTEENTHS:
        serial->divisor = serial->completes ? (serial->divisor & 0xFF00) | value : value;
        break;
    case OAK_SERIAL_COUNT_HIGH: serial->divisor = (serial->divisor & 0xFF) | (value & 0xFF) << 8; break;
    case OAK_SERIAL_TWICE: serial->twice = value != 0; break;
    case OAK_SERIAL_COMPLETE:
        if (value) serial->complete = false;
        break;
    case OAK_SERIAL_COMPLETE_INTERRUPT: serial->complete_interrupt = value != 0; break;
    case OAK_SERIAL_FAST: serial->fast = value != 0; break;
    case OAK_SERIAL_SENDS:
        serial->sends = value != 0;
        if (!serial->shifting) put(block, true, now);
        break;
    case OAK_SERIAL_RECEIVES:
        serial->receives = value != 0;
        if (!value) serial->overrun = serial->receiving = false;
        break;
    case OAK_SERIAL_NINE_OUT: serial->nine_out = value != 0; break;
    case OAK_SERIAL_NINE_IN: serial->nine_in = value != 0; break;
    case OAK_SERIAL_NINTH_OUT: serial->ninth_out = value != 0; break;
    case OAK_SERIAL_ROOM_URGENT: serial->room_urgent = value != 0; break;
    case OAK_SERIAL_RECEIVED_URGENT: serial->received_urgent = value != 0; break;
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
        next = serial->bit < bits_of(serial->nine_out) ? bit_begins(serial) : serial->done;
    else if (serial->shifting && (serial->room_interrupt || serial->complete_interrupt)) next = serial->done;
    if (serial->receiving && sample_at(serial) < next) next = sample_at(serial);
    return next;
}

static void visit(oak_block *block, const oak_state_visitor *visitor)
{
    oak_serial *it = &block->as.serial;
    OAK_VISIT(it, running, bool)
    OAK_VISIT(it, shifting, bool)
    OAK_VISIT(it, holding, bool)
    OAK_VISIT(it, received, uint8_t)
    OAK_VISIT(it, fast, bool)
    OAK_VISIT(it, sends, bool)
    OAK_VISIT(it, receives, bool)
    OAK_VISIT(it, nine_out, bool)
    OAK_VISIT(it, nine_in, bool)
    OAK_VISIT(it, ninth_out, bool)
    OAK_VISIT(it, room_urgent, bool)
    OAK_VISIT(it, received_urgent, bool)
    OAK_VISIT(it, waiting[0], uint16_t)
    OAK_VISIT(it, waiting[1], uint16_t)
    OAK_VISIT(it, waiting[2], uint16_t)
    OAK_VISIT(it, complete, bool)
    OAK_VISIT(it, complete_interrupt, bool)
    OAK_VISIT(it, twice, bool)
    OAK_VISIT(it, overrun, bool)
    OAK_VISIT(it, looked, bool)
    OAK_VISIT(it, room_interrupt, bool)
    OAK_VISIT(it, received_interrupt, bool)
    OAK_VISIT(it, shifter, uint16_t)
    OAK_VISIT(it, held, uint16_t)
    OAK_VISIT(it, divisor, uint32_t)
    OAK_VISIT(it, length, uint32_t)
    OAK_VISIT(it, done, uint64_t)
    OAK_VISIT(it, bit, uint8_t)
    OAK_VISIT(it, receiving, bool)
    OAK_VISIT(it, line_high, bool)
    OAK_VISIT(it, in_bit, uint8_t)
    OAK_VISIT(it, in_byte, uint16_t)
    OAK_VISIT(it, in_length, uint32_t)
    OAK_VISIT(it, in_began, uint64_t)
    oak_block_visit_lines(block, visitor, 3);
    if (it->received > OAK_SERIAL_WAIT) it->received = OAK_SERIAL_WAIT;
    if (!it->length) it->length = 1;
    if (!it->in_length) it->in_length = 1;
}

/* Reading takes the byte. */
static void taken(oak_block *block, unsigned role, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    bool apart = oak_block_has(block, OAK_SERIAL_ARRIVED); /* what came has a register of its own */
    bool asks_first = serial->sided && !serial->counted;
    bool takes = role == (apart ? OAK_SERIAL_ARRIVED : OAK_SERIAL_DATA) && serial->received;
    if (role == OAK_SERIAL_RECEIVED) serial->looked = serial->received != 0;
    if (!takes || (asks_first && !serial->looked)) return;
    serial->received--;
    serial->looked = false;
    if (oak_block_has(block, OAK_SERIAL_HELD) || asks_first || serial->completes) serial->overrun = false;
    for (unsigned i = 0; i < serial->received; i++) serial->waiting[i] = serial->waiting[i + 1];
    update(block, now);
}

static void served(oak_block *block, unsigned which, uint64_t now)
{
    if (which == 2) block->as.serial.complete = false;
    update(block, now);
}

static void course(oak_block *block, unsigned role, uint64_t now, oak_course *course)
{
    (void)role, (void)now;
    if (block->as.serial.shifting) oak_course_ends(course, block->as.serial.done);
}

const oak_block_ops oak_serial_block = {reset, get, set, advance, visit, pins, served, NULL, taken, course};
