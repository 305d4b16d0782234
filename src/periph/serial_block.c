/* serial_block.c — an asynchronous serial port: a start bit, eight bits, a stop bit, each `divisor` cycles long. One byte
 * waits behind the one that is being sent. What was sent is kept until somebody takes it. */
#include "periph/block.h"

#include "base/bytes.h"

enum { BITS = 10 };

void oak_serial_keep(oak_block *block, uint8_t byte)
{
    oak_sent *sent = &block->sent;
    if (sent->count == sent->room && sent->room < OAK_SERIAL_KEPT) {
        size_t room = sent->room ? sent->room * 2 : 256;
        const oak_host *host = block->services->host;
        uint8_t *grown = host->resize(host->context, sent->bytes, sent->room, room);
        if (grown) sent->bytes = grown, sent->room = room;
    }
    if (!sent->room) return;
    if (sent->count == sent->room) memmove(sent->bytes, sent->bytes + 1, --sent->count);
    sent->bytes[sent->count++] = byte;
}

static void update(oak_block *block, uint64_t now)
{
    oak_serial *serial = &block->as.serial;
    while (serial->shifting && serial->done <= now) {
        oak_serial_keep(block, serial->shifter);
        serial->shifting = serial->holding;
        serial->shifter = serial->held;
        serial->holding = false;
        serial->done += (uint64_t)BITS * serial->divisor;
    }
    bool room = serial->running && !serial->holding;
    oak_block_interrupt(block,
                        (room && serial->room_interrupt) || (serial->received && serial->received_interrupt));
}

void oak_serial_receive(oak_block *block, uint8_t byte)
{
    oak_serial *serial = &block->as.serial;
    if (!serial->running) return;
    if (serial->received) serial->overrun = true;
    serial->data = byte;
    serial->received = true;
    oak_block_interrupt(block, block->line || serial->received_interrupt);
}

static void reset(oak_block *block, uint64_t now)
{
    block->as.serial = (oak_serial){.divisor = 1};
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
    case OAK_SERIAL_RUN: serial->running = value != 0; break;
    case OAK_SERIAL_DIVISOR: serial->divisor = value ? value : 1; break;
    case OAK_SERIAL_DATA:
        if (!serial->running) break;
        if (serial->shifting) { /* a byte that waits already is lost, as on the chip */
            serial->held = (uint8_t)value;
            serial->holding = true;
            break;
        }
        serial->shifter = (uint8_t)value;
        serial->shifting = true;
        serial->done = now + (uint64_t)BITS * serial->divisor;
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
    update(block, now);
    return block->as.serial.shifting && block->as.serial.room_interrupt ? block->as.serial.done : UINT64_MAX;
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
    OAK_VISIT(it, done, uint64_t)
    OAK_VISIT(block, line, bool)
}

const oak_block_ops oak_serial_block = {reset, get, set, advance, visit, NULL, NULL, NULL};
